//! What an iOS device does with a link, by its version.
//!
//! Sources: "Supporting universal links in your app", "Supporting associated domains" and "Defining a custom URL scheme for your app" in the platform's
//! documentation.

use std::borrow::Cow;

use elvask_markup::plist::{PropertyList, Value};
use elvask_platform::{Version, ios};
use elvask_project::source::{FileId, Place, Sources};
use elvask_project::surface::PlistView;

use crate::android::at;
use crate::association::apple::{AppId, AppleAssociation, Decision};
use crate::association::{Document, Served, Website, looked_up_at};
use crate::attempt::{Attempt, Delivery, Hit, Outcome};
use crate::url::Link;

pub use elvask_project::names::ASSOCIATED_DOMAINS as DOMAINS;

/// A scheme that opens the app.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UrlScheme {
    /// The scheme, with the build's variables put in.
    pub scheme: String,
    /// The name of its URL type.
    pub name: Option<String>,
    /// Where it stands.
    pub place: Place,
}

/// A domain of the app.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Domain {
    /// The entry as it is written, with the build's variables put in.
    pub written: String,
    /// What it is for: `applinks`.
    pub service: String,
    /// The host; `*.` at its start stands for all below it.
    pub host: String,
    /// The port, where one is named.
    pub port: Option<u32>,
    /// How it is looked up, where that is not the usual way: `developer`.
    pub mode: Option<String>,
    /// Where it stands.
    pub place: Place,
}

impl Domain {
    /// Reads an entry of the entitlement.
    #[must_use]
    pub fn read(written: &str, place: Place) -> Option<Domain> {
        let (service, rest) = written.split_once(':')?;
        let (rest, mode) = match rest.split_once('?') {
            Some((rest, query)) => (rest, query.strip_prefix("mode=").map(str::to_owned)),
            None => (rest, None),
        };
        let (host, port) = match rest.rsplit_once(':') {
            Some((host, port)) => (host, port.parse().ok()),
            None => (rest, None),
        };
        Some(Domain {
            written: written.to_owned(),
            service: service.to_owned(),
            host: host.to_owned(),
            port,
            mode,
            place,
        })
    }

    /// Says whether a host is one of the domain: itself, or anything below it where it starts with `*.`.
    #[must_use]
    pub fn takes(&self, host: &str) -> bool {
        match self.host.strip_prefix('*') {
            Some(end) => {
                let start = host.len().checked_sub(end.len()).filter(|start| *start > 0);
                end.starts_with('.')
                    && start.and_then(|start| host.get(start..)).is_some_and(|tail| tail.eq_ignore_ascii_case(end))
            }
            None => self.host.eq_ignore_ascii_case(host),
        }
    }

    /// Says whether it serves links on devices of people: those for development are read by builds for development alone.
    #[must_use]
    pub fn is_for_people(&self) -> bool {
        self.mode.as_deref().is_none_or(str::is_empty)
    }
}

/// All of an app that links can start on iOS.
#[derive(Debug, Clone, Default)]
pub struct IosLinks {
    /// The bundle id.
    pub bundle: Option<String>,
    /// The team that signs.
    pub team: Option<String>,
    /// The lowest version that the app runs on.
    pub min_version: Option<Version>,
    /// The schemes, in their order.
    pub schemes: Vec<UrlScheme>,
    /// The domains, in their order.
    pub domains: Vec<Domain>,
    /// Whether the app has scenes: then these are told of links.
    pub scenes: bool,
    /// The file of the property list, for what has no other place.
    pub file: Option<FileId>,
}

/// Returns the schemes that a property list declares.
#[must_use]
pub fn schemes_of(plist: &PlistView<'_>) -> Vec<UrlScheme> {
    let mut out = Vec::new();
    let types = plist.entry("CFBundleURLTypes").and_then(|entry| entry.value.as_array()).unwrap_or_default();
    for one in types.iter().filter_map(Value::as_dict) {
        let get = |key: &str| one.iter().find(|entry| entry.key == key).map(|entry| &entry.value);
        let name = get("CFBundleURLName").and_then(Value::as_str).map(str::to_owned);
        let schemes = get("CFBundleURLSchemes").and_then(Value::as_array).unwrap_or_default();
        for value in schemes {
            let Some(written) = value.as_str() else { continue };
            let scheme = plist.resolved(written).map_or_else(|| written.to_owned(), Cow::into_owned);
            out.push(UrlScheme { scheme, name: name.clone(), place: plist.at(value.span) });
        }
    }
    out
}

/// Returns the domains that entitlements name.
#[must_use]
pub fn domains_of(file: FileId, list: &PropertyList, resolve: &dyn Fn(&str) -> String) -> Vec<Domain> {
    let values = list.entry(DOMAINS).and_then(|entry| entry.value.as_array()).unwrap_or_default();
    let read = |value: &Value| Domain::read(&resolve(value.as_str()?), Place { file, span: value.span });
    values.iter().filter_map(read).collect()
}

impl IosLinks {
    /// Returns the id under which association files name the app.
    #[must_use]
    pub fn id(&self) -> Option<AppId<'_>> {
        Some(AppId { team: self.team.as_deref(), bundle: self.bundle.as_deref()? })
    }

    /// Returns the domain for links that takes a host: one that names it before one with a wildcard.
    #[must_use]
    pub fn domain_of(&self, host: &str, port: Option<u32>) -> Option<&Domain> {
        let usual = |port: Option<u32>| port.filter(|port| !matches!(port, 443 | 80));
        let fits =
            |domain: &&Domain| domain.service == "applinks" && domain.takes(host) && usual(domain.port) == usual(port);
        let all: Vec<&Domain> = self.domains.iter().filter(fits).collect();
        let order = |domain: &&&Domain| (domain.is_for_people(), !domain.host.starts_with('*'), domain.host.len());
        all.iter().max_by_key(order).copied()
    }

    /// Asks a website what it says of a link; `Err` says why it says nothing.
    ///
    /// # Errors
    /// Why there is no decision, in a sentence without a full stop.
    pub fn decision(
        &self,
        host: &str,
        link: &Link,
        version: Version,
        site: &dyn Website,
    ) -> Result<(Decision, String), String> {
        let id = self.id().ok_or("the bundle id is not known")?;
        let host = looked_up_at(host);
        let mut served = site.ask(host, Document::AppleAssociation);
        // Systems before 14 went on to the root of the site.
        if matches!(served, Served::Absent { .. }) && version < Version::new(14, 0) {
            served = match site.ask_root(host) {
                Served::Absent { .. } => served,
                found => found,
            };
        }
        let answer = match served {
            Served::File(answer) => answer,
            Served::Absent { at } => return Err(format!("there is no {at}")),
            Served::Failed { at, reason } => return Err(format!("{at}: {reason}")),
        };
        let file = answer
            .text(Document::AppleAssociation)
            .and_then(AppleAssociation::parse)
            .map_err(|why| format!("{}: {why}", answer.at))?;
        Ok((file.decide(&id, &link.uri(), &version), answer.at))
    }

    /// Tells what a device with a version of the system does with a link that another app opens.
    #[must_use]
    pub fn open(&self, link: &Link, version: Version, site: Option<&dyn Website>, sources: &Sources) -> Attempt {
        let uri = link.uri();
        let web = uri.is_web();
        if let Some(min) = self.min_version.filter(|min| *min > version) {
            let otherwise = if web { Outcome::Browser } else { Outcome::Nothing };
            return Attempt::without(
                otherwise,
                None,
                format!("the app runs on iOS {min} and up, so it is not on the device"),
            );
        }
        if web { self.open_web(link, version, site, sources) } else { self.open_scheme(uri.scheme, sources) }
    }

    fn open_scheme(&self, scheme: &str, sources: &Sources) -> Attempt {
        let declared = self.schemes.iter().find(|known| known.scheme.eq_ignore_ascii_case(scheme));
        if let Some(kept) = ios::reserved_scheme(scheme) {
            let also = declared
                .map(|one| format!(", though the app declares it at {}", at(sources, one.place)))
                .unwrap_or_default();
            return Attempt::without(
                Outcome::Nothing,
                None,
                format!("the system keeps the scheme {scheme} for itself and opens {kept}{also}"),
            );
        }
        let Some(declared) = declared else {
            let known: Vec<_> = self.schemes.iter().map(|one| one.scheme.as_str()).collect();
            let known = if known.is_empty() {
                "it declares none".to_owned()
            } else {
                format!("it declares {}", known.join(", "))
            };
            return Attempt::without(
                Outcome::Nothing,
                None,
                format!("no URL type of the app has the scheme {scheme}; {known}"),
            );
        };
        let because = format!("the URL type at {} has the scheme {}", at(sources, declared.place), declared.scheme);
        Attempt {
            outcome: Outcome::App,
            entries: vec![Hit { component: None, place: declared.place }],
            verified: None,
            because,
            delivery: Some(self.delivery(false)),
            choices: Vec::new(),
            notes: vec![
                "any other app may declare the same scheme; which of them opens is not defined then, and nothing asks"
                    .to_owned(),
            ],
        }
    }

    // In one piece: the rules of the system in its order, each of which may decide.
    fn open_web(&self, link: &Link, version: Version, site: Option<&dyn Website>, sources: &Sources) -> Attempt {
        let uri = link.uri();
        let host = uri.host().unwrap_or_default();
        let not = |because: String| Attempt::without(Outcome::Browser, site.map(|_| false), because);
        if version < Version::new(9, 0) {
            return not("systems before iOS 9 know no universal links".to_owned());
        }
        let Some(domain) = self.domain_of(&host, uri.port()) else {
            let known: Vec<_> =
                self.domains.iter().filter(|one| one.service == "applinks").map(|one| one.host.as_str()).collect();
            let known = if known.is_empty() {
                "they name none for links".to_owned()
            } else {
                format!("they name {}", known.join(", "))
            };
            return not(format!("the entitlements do not name the domain applinks:{host}; {known}"));
        };
        let place = at(sources, domain.place);
        if !domain.is_for_people() {
            let mode = domain.mode.as_deref().unwrap_or_default();
            return not(format!(
                "{} at {place} counts only {}: there is no entry without a mode",
                domain.written,
                if mode.contains("managed") {
                    "on managed devices or in builds for development"
                } else {
                    "in builds that are signed for development"
                }
            ));
        }
        let named = format!("{} at {place} names the host", domain.written);
        let opens = |verified: Option<bool>, because: String| {
            Attempt {
            outcome: Outcome::App,
            entries: vec![Hit { component: None, place: domain.place }],
            verified,
            because,
            delivery: Some(self.delivery(true)),
            choices: Vec::new(),
            notes: vec![
                "typed into the browser's address line, or tapped on a page of the same host, the link stays in the browser".to_owned(),
                "who has once chosen the browser for the host stays there until they choose the app again".to_owned(),
            ],
        }
        };
        let Some(site) = site else {
            return opens(
                None,
                format!("{named}; what the website's file says of the link is not known without --site"),
            );
        };
        match self.decision(&domain.host, link, version, site) {
            Ok((Decision::Opens { rule }, file)) => {
                opens(Some(true), format!("{named}, and the rule {rule} of {file} lets the link through"))
            }
            Ok((Decision::Excluded { rule }, file)) => {
                // The site vouches for the app; it is this link that it keeps.
                Attempt::without(
                    Outcome::Browser,
                    Some(true),
                    format!("{named}, but the rule {rule} of {file} keeps the link in the browser"),
                )
            }
            Ok((Decision::NoRule { rules }, file)) => {
                let what = if rules == 1 { "the one rule".to_owned() } else { format!("none of the {rules} rules") };
                let verb = if rules == 1 { "does not fit" } else { "fits" };
                Attempt::without(
                    Outcome::Browser,
                    Some(true),
                    format!("{named}, but {what} for the app in {file} {verb} the link"),
                )
            }
            Ok((Decision::NotListed { listed }, file)) => {
                let wanted =
                    self.id().map(|id| id.whole().unwrap_or_else(|| format!("….{}", id.bundle))).unwrap_or_default();
                let listed = if listed.is_empty() {
                    "it lists no app".to_owned()
                } else {
                    format!("it lists {}", listed.join(", "))
                };
                not(format!("{named}, but {file} says nothing of {wanted}; {listed}"))
            }
            Ok((Decision::TooCostly, file)) => {
                not(format!("{named}, but the patterns of {file} take more work than any device would put into them"))
            }
            Ok((Decision::TooNew { lacks }, file)) => {
                not(format!("{named}, but {file} is not for iOS {version}: {lacks}"))
            }
            Err(why) => not(format!("{named}, but the website does not vouch for the app: {why}")),
        }
    }

    fn delivery(&self, universal: bool) -> Delivery {
        let text = |scene: &str, plain: &str| if self.scenes { scene } else { plain }.to_owned();
        if universal {
            let running = text(
                "scene(_:continue:) gets a user activity with the link in webpageURL",
                "application(_:continue:restorationHandler:) gets a user activity with the link in webpageURL",
            );
            let closed = text(
                "the app is started; scene(_:willConnectTo:options:) finds the link in connectionOptions.userActivities",
                "the app is started; after didFinishLaunching, application(_:continue:restorationHandler:) gets the link",
            );
            Delivery { closed, background: format!("the app comes to the front; {running}"), foreground: running }
        } else {
            let running = text("scene(_:openURLContexts:) gets the link", "application(_:open:options:) gets the link");
            let closed = text(
                "the app is started; scene(_:willConnectTo:options:) finds the link in connectionOptions.urlContexts",
                "the app is started; didFinishLaunching finds the link in launchOptions[.url], and application(_:open:options:) gets it",
            );
            Delivery { closed, background: format!("the app comes to the front; {running}"), foreground: running }
        }
    }
}
