//! What a build made, looked at as an app: the same rules and the same survey over what really ships.

use std::path::Path;
use std::sync::Arc;

use elvask_built::{Built, BuiltAndroid, BuiltIos};
use elvask_markup::Span;
use elvask_markup::plist::PropertyList;
use elvask_platform::Version;
use elvask_project::appfiles::{AndroidApp, EntitlementsFile, IosApp, ResourceFile, Resources};
use elvask_project::files::{Memory, shown};
use elvask_project::gradle::{SourceSet, Stated, Variant};
use elvask_project::layout::Layout;
use elvask_project::loading::Loading;
use elvask_project::names::ANDROID;
use elvask_project::source::{FileId, Place};
use elvask_project::tomldoc::Text;

use crate::account::{Given, Profile};
use crate::app::App;
pub use crate::fact::Sourced;

/// Returns what was built as an app, with the packages and the words of its owner from `around`, the app whose sources it is built from. `path` is where the
/// file stands.
#[must_use]
pub fn as_app(built: &Built, path: &Path, around: Option<&App>) -> App {
    let mut files = Memory::default();
    if let Some(android) = &built.android {
        files.put(path.join("AndroidManifest.xml"), &android.manifest);
        files.put(path.join("res/values/strings.xml"), strings(android));
    }
    if let Some(ios) = &built.ios {
        files.put(path.join("Info.plist"), &ios.list);
        for (name, bytes) in [("entitlements", &ios.entitlements), ("PrivacyInfo.xcprivacy", &ios.privacy)] {
            if let Some(bytes) = bytes {
                files.put(path.join(name), bytes);
            }
        }
    }
    let mut app = around.cloned().unwrap_or_default();
    let root = if around.is_some() { app.root.clone() } else { path.parent().unwrap_or(path).to_owned() };
    let mut loading = Loading::new(&files, &root);
    if around.is_some() {
        loading.sources = std::mem::take(&mut app.files.sources);
    }
    let android = built.android.as_ref().and_then(|_| android(&mut loading, path));
    let ios = built.ios.as_ref().and_then(|built| ios(&mut loading, path, built));
    if let Some(profile) = built.ios.as_ref().and_then(|ios| ios.profile.as_deref()) {
        embedded(&mut loading, path, profile, &mut app);
    }
    app.icons = crate::icons::Icons::default();
    let Loading { sources, faults, .. } = loading;
    let mut layouts = Vec::new();
    layouts.extend(android.as_ref().map(|_| Layout::Gradle));
    layouts.extend(ios.as_ref().map(|_| Layout::Xcode));
    app.files.root = root;
    app.files.layouts = layouts;
    app.files.android = android;
    app.files.ios = ios;
    app.files.widget = None;
    app.files.generated = None;
    app.files.required = Vec::new();
    app.files.sources = sources;
    app.files.faults = faults;
    app.files.notices.clone_from(&built.limits);
    app.files.unresolved = Vec::new();
    app
}

/// Returns the texts to which the manifest refers as a file of values.
fn strings(android: &BuiltAndroid) -> String {
    let escape = |text: &str| text.replace('&', "&amp;").replace('<', "&lt;");
    let lines =
        android.texts.iter().map(|(name, text)| format!("    <string name=\"{name}\">{}</string>\n", escape(text)));
    format!("<resources>\n{}</resources>\n", lines.collect::<String>())
}

fn read(loading: &mut Loading<'_>, path: &Path) -> Option<FileId> {
    let shown = shown(path, &loading.root);
    loading.read(path, &shown).map(|(file, _)| file)
}

fn android(loading: &mut Loading<'_>, path: &Path) -> Option<AndroidApp> {
    let manifest_path = path.join("AndroidManifest.xml");
    let manifest = read(loading, &manifest_path)?;
    let document = Arc::clone(loading.sources.file(manifest).xml().ok()?);
    let root = document.root();
    let place = |span| Some(Place { file: manifest, span });
    let text = |element: Option<elvask_markup::xml::Element<'_>>, space: Option<&str>, name: &str| {
        let stated = element.and_then(|element| {
            let attribute = match space {
                Some(space) => element.attribute(space, name)?,
                None => element.attribute_written(name)?,
            };
            Some((element.value_of(attribute).into_owned(), attribute.value))
        });
        match stated {
            Some((value, span)) => Stated { value: Some(value), place: place(span), written: None },
            None => Stated::default(),
        }
    };
    let number = |stated: Stated<String>| Stated {
        value: stated.value.as_deref().and_then(|text| text.parse().ok()),
        place: stated.place,
        written: stated.written,
    };
    let levels = root.children_named("uses-sdk").next();
    let id = text(Some(root), None, "package");
    let variant = Variant {
        name: "release".to_owned(),
        build_type: "release".to_owned(),
        flavors: Vec::new(),
        id,
        min_level: number(text(levels, Some(ANDROID), "minSdkVersion")),
        target_level: number(text(levels, Some(ANDROID), "targetSdkVersion")),
        version_name: text(Some(root), Some(ANDROID), "versionName"),
        version_code: number(text(Some(root), Some(ANDROID), "versionCode")),
        placeholders: Vec::new(),
        more_placeholders: false,
        source_sets: vec![SourceSet { name: "main".to_owned(), manifest: manifest_path.clone() }],
    };
    let strings = read(loading, &path.join("res/values/strings.xml"));
    let values = strings.map(|file| ResourceFile { file }).into_iter().collect();
    let mut app = AndroidApp::of_one(path.to_owned(), manifest_path.clone(), variant);
    app.manifest = Some(manifest);
    app.manifests = vec![(manifest_path, manifest)];
    app.resources = Resources { values, ..Resources::default() };
    Some(app)
}

fn ios(loading: &mut Loading<'_>, path: &Path, built: &BuiltIos) -> Option<IosApp> {
    let plist_path = path.join("Info.plist");
    let plist = read(loading, &plist_path)?;
    let list = PropertyList::parse(loading.sources.file(plist).text.clone()).ok()?;
    let stated = |key: &str| match list.entry(key).and_then(|entry| Some((entry.value.as_str()?, entry.value.span))) {
        Some((text, span)) => {
            Stated { value: Some(text.to_owned()), place: Some(Place { file: plist, span }), written: None }
        }
        None => Stated::default(),
    };
    let min = stated("MinimumOSVersion");
    let entitlements = built.entitlements.as_ref().and_then(|_| read(loading, &path.join("entitlements")));
    let privacy = built.privacy.as_ref().and_then(|_| read(loading, &path.join("PrivacyInfo.xcprivacy")));
    Some(IosApp {
        configuration: "Release".to_owned(),
        plist_path,
        plist: Some(plist),
        id: stated("CFBundleIdentifier"),
        version: stated("CFBundleShortVersionString"),
        build: stated("CFBundleVersion"),
        min_version: Stated {
            value: min.value.as_deref().and_then(Version::parse),
            place: min.place,
            written: min.written,
        },
        entitlements: vec![EntitlementsFile {
            configuration: "Release".to_owned(),
            path: entitlements.map(|_| path.join("entitlements")),
            file: entitlements,
            place: None,
        }],
        privacy: privacy.into_iter().collect(),
        ..IosApp::default()
    })
}

/// Puts the profile that is in the app in the place of those that the account names.
fn embedded(loading: &mut Loading<'_>, path: &Path, profile: &[u8], app: &mut App) {
    let name = "embedded.mobileprovision";
    let at = path.join(name);
    let shown = shown(&at, &loading.root);
    let file = loading.sources.add_named(&at, &shown, "");
    app.account.file.get_or_insert(file);
    app.account.profiles = vec![Given {
        path: Text { text: shown, span: Span::at(0) },
        // It is what signs it, whatever it fits.
        used: Some(Text { text: "Release".to_owned(), span: Span::at(0) }),
        target: None,
        says: Profile::read(profile),
        bytes: Some(Arc::from(profile)),
        locked: false,
    }];
}
