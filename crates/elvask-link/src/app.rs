//! All of an app that links can start, on both platforms.

use elvask_platform::Platform;
use elvask_project::filters::{DataSpec, Entry, FilterSpec, distinct};
use elvask_project::scene::Scene;
use elvask_project::source::{FileId, Place, Sources};

use crate::android::{AndroidLinks, Taking};
use crate::association::apple::Decision;
use crate::association::{self, AssociationFiles, Document, Website, WriteProblem, Written, is_plain_host};
use crate::attempt::Attempt;
use crate::device::{Device, newest_version};
use crate::ios::{self, IosLinks};
use crate::route::Route;
use crate::url::Link;

/// What the owner says of the app that its files may not say.
#[derive(Debug, Clone, Default)]
pub struct SaidOfTheApp {
    /// The id on Android, where no build file states it.
    pub android_id: Option<String>,
    /// The bundle id, where no project states it.
    pub ios_id: Option<String>,
    /// The team on iOS; it goes before that of the project.
    pub ios_team: Option<String>,
    /// The SHA-256 fingerprints of the signing certificates, as `elvask.toml` has them.
    pub fingerprints: Vec<String>,
}

/// All of an app that links can start, on both platforms.
#[derive(Debug, Clone, Default)]
pub struct AppLinks {
    /// By variant.
    pub android: Vec<(String, AndroidLinks)>,
    /// On iOS.
    pub ios: Option<IosLinks>,
    /// The app's own manifests, as against those of plugins.
    own: Vec<FileId>,
}

impl AppLinks {
    /// Gathers the links of an app.
    #[must_use]
    pub fn of(scene: &Scene<'_>, said: &SaidOfTheApp) -> Self {
        let mut own: Vec<FileId> = scene.manifests.iter().map(|manifest| manifest.file).collect();
        let in_source = scene.app.android.iter().flat_map(|android| &android.activities);
        own.extend(in_source.map(|entry| entry.place.file));
        let mut links = AppLinks { own, ..AppLinks::default() };
        if let Some(app) = &scene.app.android {
            for effective in &scene.variants {
                let variant = app.variants.iter().find(|variant| variant.name == effective.variant);
                let id = variant.and_then(|variant| variant.id.value.clone()).or_else(|| said.android_id.clone());
                let text_of = |reference: &str| {
                    let name = reference.strip_prefix("@string/")?;
                    app.strings.iter().find(|(known, _)| known == name).map(|(_, text)| text.clone())
                };
                let mut of_variant = AndroidLinks::of(effective, id, said.fingerprints.clone(), &text_of);
                of_variant.add(app.activities.iter().cloned());
                links.android.push((effective.variant.clone(), of_variant));
            }
        }
        if let Some(app) = &scene.app.ios {
            let settings = scene.surface.settings();
            let setting = |name: &str| {
                settings
                    .and_then(|settings| settings.value(name))
                    .and_then(|value| value.value)
                    .filter(|value| !value.is_empty())
            };
            let resolve = |text: &str| match settings.filter(|_| text.contains('$')) {
                Some(settings) => settings.expand(text, None).value.unwrap_or_else(|| text.to_owned()),
                None => text.to_owned(),
            };
            links.ios = Some(IosLinks {
                bundle: app.id.value.clone().or_else(|| said.ios_id.clone()),
                team: said.ios_team.clone().or_else(|| setting("DEVELOPMENT_TEAM")),
                min_version: app.min_version.value,
                schemes: scene.plist.as_ref().map(ios::schemes_of).unwrap_or_default(),
                domains: scene
                    .surface
                    .entitlements()
                    .map(|(file, list)| ios::domains_of(file, list, &resolve))
                    .unwrap_or_default(),
                scenes: scene.plist.is_some_and(|plist| plist.entry("UIApplicationSceneManifest").is_some()),
                file: scene.plist.map(|plist| plist.file),
            });
        }
        links
    }

    /// Returns the same links with other places, as `home` has them.
    #[must_use]
    pub fn at_home(mut self, home: &dyn Fn(Place) -> Place) -> Self {
        let data = |data: &mut Vec<DataSpec>| {
            for one in data {
                one.place = one.place.map(home);
                one.attributes.iter_mut().for_each(|(_, _, place)| *place = home(*place));
            }
        };
        for (_, android) in &mut self.android {
            for entry in &mut android.entries {
                entry.place = home(entry.place);
                for filter in &mut entry.filters {
                    filter.place = filter.place.map(home);
                    data(&mut filter.data);
                    filter.groups.iter_mut().for_each(|group| data(&mut group.data));
                }
            }
            android.unstated.iter_mut().for_each(|(_, place)| *place = home(*place));
            android.unresolved.iter_mut().for_each(|(_, place)| *place = home(*place));
        }
        if let Some(ios) = &mut self.ios {
            ios.schemes.iter_mut().for_each(|scheme| scheme.place = home(scheme.place));
            ios.domains.iter_mut().for_each(|domain| domain.place = home(domain.place));
        }
        // What is made of a document is the app's own where the document is.
        let own: Vec<FileId> =
            self.own.iter().map(|file| home(Place { file: *file, span: elvask_markup::Span::at(0) }).file).collect();
        self.own = own;
        self
    }

    /// Returns the Android side of the variant that is looked at where nobody names one: the first.
    #[must_use]
    pub fn first_android(&self) -> Option<&AndroidLinks> {
        self.android.first().map(|(_, links)| links)
    }

    /// Tries a link on every platform of the app.
    #[must_use]
    pub fn open(
        &self,
        sources: &Sources,
        link: &Link,
        device: Device,
        site: Option<&dyn Website>,
    ) -> Vec<(Platform, Attempt)> {
        let mut out = Vec::new();
        if let Some(android) = self.first_android() {
            out.push((Platform::Android, android.open(link, device.level, site, sources)));
        }
        if let Some(ios) = &self.ios {
            out.push((Platform::Ios, ios.open(link, device.version, site, sources)));
        }
        out
    }

    /// Goes through the filters for links that the app's own manifests declare: what plugins bring along is their affair.
    pub fn own_filters(&self) -> impl Iterator<Item = (&Entry, &FilterSpec)> {
        let all = self.android.iter().flat_map(|(_, links)| links.link_filters());
        all.filter(|(entry, filter)| self.own.contains(&filter.place.unwrap_or(entry.place).file))
    }

    /// Returns the hosts of the web that the app's own filters name in any variant, each once.
    #[must_use]
    pub fn android_hosts(&self) -> Vec<&str> {
        let filters = self.own_filters().filter(|(_, filter)| filter.is_web());
        distinct(filters.flat_map(|(_, filter)| filter.hosts()))
    }

    /// Returns the domains that the entitlements name for links.
    pub fn ios_hosts(&self) -> impl Iterator<Item = &str> {
        let domains = self.ios.iter().flat_map(|links| &links.domains);
        domains.filter(|domain| domain.service == "applinks").map(|domain| domain.host.as_str())
    }

    /// Makes the filters of the variant that is looked at ready to be held against many links.
    #[must_use]
    pub fn taking(&self) -> Option<Taking<'_>> {
        Some(Taking::new(self.first_android()?, self.android_hosts()))
    }

    /// Says whether the file of another host than one lets a route through.
    #[must_use]
    pub fn is_let_through_elsewhere(&self, route: &Route, host: &str, site: &dyn Website) -> bool {
        let Some(ios) = self.ios.as_ref().filter(|_| route.hosts.is_empty()) else { return false };
        let opens = |other: &str| {
            let decided = route.on_host(other).map(|link| ios.decision(other, &link, newest_version(), site));
            matches!(decided, Some(Ok((Decision::Opens { .. }, _))))
        };
        let other = |other: &&str| !association::looked_up_at(other).eq_ignore_ascii_case(host);
        self.ios_hosts().filter(other).any(opens)
    }

    /// Plans an association file for the app: of Android, with a statement for each id that its variants have.
    ///
    /// # Errors
    /// Why it cannot be written.
    pub fn plan_file(
        &self,
        document: Document,
        existing: Option<&str>,
        routes: &[Route],
    ) -> Result<Written, WriteProblem> {
        let first = self.first_android();
        let ios = self.ios.as_ref();
        let wanted = AssociationFiles {
            package: first.and_then(|android| android.id.as_deref()),
            fingerprints: first.map(|android| android.fingerprints.as_slice()).unwrap_or_default(),
            team: ios.and_then(|ios| ios.team.as_deref()),
            bundle: ios.and_then(|ios| ios.bundle.as_deref()),
            min_version: ios.and_then(|ios| ios.min_version),
            routes,
        };
        let mut written = association::plan_file(document, existing, &wanted)?;
        if document == Document::AssetLinks {
            for id in self.android.iter().filter_map(|(_, links)| links.id.as_deref()) {
                let next = association::plan_file(
                    document,
                    Some(&written.text),
                    &AssociationFiles { package: Some(id), ..wanted },
                )?;
                written.text = next.text;
                written
                    .notes
                    .extend(next.notes.into_iter().filter(|note| !written.notes.contains(note)).collect::<Vec<_>>());
            }
        }
        Ok(written)
    }

    /// Returns the hosts whose links the app declares on either platform, each once, in small letters.
    #[must_use]
    pub fn hosts(&self) -> Vec<String> {
        let hosts = self.android_hosts().into_iter().chain(self.ios_hosts()).map(str::to_ascii_lowercase);
        distinct(hosts.filter(|host| is_plain_host(host)))
    }
}
