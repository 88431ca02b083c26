//! Which places an app may reach without protection, as each platform decides it.
//!
//! Sources: "Network security configuration", "`<application>`" and "NSAppTransportSecurity" in the platforms' references.

use std::sync::Arc;

use elvask_markup::plist::{Entry, ValueKind};
use elvask_markup::xml::{Document, Element};
use elvask_project::source::{FileId, Place};
use elvask_project::surface::{Effective, PlistView};

use crate::context::Context;

/// The last target level at which connections without protection are allowed where nothing is said.
const OPEN_UNTIL: u32 = 27;

/// The attribute that names the configuration.
pub const CONFIG: &str = "networkSecurityConfig";
/// The attribute that counts where there is no configuration.
pub const ATTRIBUTE: &str = "usesCleartextTraffic";
/// The dictionary of a property list.
pub const TRANSPORT: &str = "NSAppTransportSecurity";

/// What decides about connections without protection.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Decided {
    /// Whether they are allowed.
    pub open: bool,
    /// What says so; `None` where nothing does, and the platform's own rule holds.
    pub by: Option<Place>,
}

/// The network security configuration of a variant.
pub struct SecurityConfig {
    /// The file.
    pub file: FileId,
    document: Arc<Document>,
}

/// A rule of a configuration about one host.
struct DomainRule {
    host: String,
    subdomains: bool,
    open: Option<bool>,
    place: Place,
}

/// What an Android variant says of connections.
pub enum Android {
    /// A configuration that can be read.
    Config(SecurityConfig),
    /// An attribute of the application.
    Attribute(Decided),
    /// Nothing: the target level decides.
    Nothing(Decided),
    /// A configuration that is somewhere else, or that cannot be read.
    Unknown,
}

/// Reads what a variant says of connections.
#[must_use]
pub fn android(context: &Context<'_>, variant: &Effective<'_>) -> Android {
    let application = variant.application();
    let stated = |name: &str| application.as_ref().and_then(|application| application.attribute(name));
    if stated(CONFIG).is_some() {
        return security_config(context, &variant.variant).map_or(Android::Unknown, Android::Config);
    }
    if let Some(attribute) = stated(ATTRIBUTE) {
        return match attribute.value.parse() {
            Ok(open) => Android::Attribute(Decided { open, by: Some(attribute.place) }),
            // A placeholder, or a resource.
            Err(_) => Android::Unknown,
        };
    }
    Android::Nothing(Decided { open: variant.levels.target <= OPEN_UNTIL, by: None })
}

/// Returns the configuration of a variant: of the folders that hold one, that of the strongest source set.
fn security_config(context: &Context<'_>, variant: &str) -> Option<SecurityConfig> {
    let android = context.app.android.as_ref()?;
    let variant = android.variants.iter().find(|known| known.name == variant)?;
    let mut folders = variant.source_sets.iter().map(|set| set.manifest.with_file_name("res"));
    let file = folders.find_map(|folder| {
        android.resources.network.iter().find(|(path, _)| path.starts_with(&folder)).map(|(_, file)| *file)
    })?;
    let document = Arc::clone(context.sources.file(file).xml().ok()?);
    (document.root().name() == "network-security-config").then_some(SecurityConfig { file, document })
}

impl SecurityConfig {
    /// Returns its root element.
    #[must_use]
    pub fn root(&self) -> Element<'_> {
        self.document.root()
    }

    /// Returns what it says of all hosts that it does not name. `target` is the level that the app is built for.
    #[must_use]
    pub fn of_others(&self, target: u32) -> Decided {
        let base = self.root().children_named("base-config").next();
        let stated = base.and_then(|base| Some((base, is_open(base)?)));
        match stated {
            Some((base, open)) => Decided { open, by: Some(Place { file: self.file, span: base.name_span() }) },
            None => Decided { open: target <= OPEN_UNTIL, by: None },
        }
    }

    /// Returns the hosts that it lets be reached without protection, with their places.
    #[must_use]
    pub fn open_hosts(&self) -> Vec<(String, Place)> {
        let rules = self.rules().into_iter().filter(|rule| rule.open == Some(true));
        rules.map(|rule| (rule.host, rule.place)).collect()
    }

    /// Returns what it says of a host, or of the hosts below it where `below` says so. `target` is the level that the app is built for.
    #[must_use]
    pub fn of(&self, host: &str, below: bool, target: u32) -> Decided {
        let fits = |rule: &&DomainRule| {
            let inside = host.strip_suffix(rule.host.as_str()).is_some_and(|rest| rest.ends_with('.'));
            (rule.host == host && (!below || rule.subdomains)) || rule.subdomains && inside
        };
        let rules = self.rules();
        // The most particular one counts.
        let best = rules.iter().filter(fits).max_by_key(|rule| rule.host.len());
        match best.and_then(|rule| Some((rule.open?, rule.place))) {
            Some((open, place)) => Decided { open, by: Some(place) },
            None => self.of_others(target),
        }
    }

    fn rules(&self) -> Vec<DomainRule> {
        let mut out = Vec::new();
        let configs = self.root().children_named("domain-config");
        let mut open: Vec<(Element<'_>, Option<bool>)> = configs.map(|config| (config, is_open(config))).collect();
        while let Some((config, stated)) = open.pop() {
            // One inside another has what that says, unless it says otherwise.
            open.extend(config.children_named("domain-config").map(|inside| (inside, is_open(inside).or(stated))));
            for domain in config.children_named("domain") {
                let subdomains = domain.attribute_written("includeSubdomains");
                out.push(DomainRule {
                    host: domain.text().trim().to_ascii_lowercase(),
                    subdomains: subdomains.is_some_and(|flag| domain.value_of(flag) == "true"),
                    open: stated,
                    place: Place { file: self.file, span: domain.content() },
                });
            }
        }
        out
    }
}

fn is_open(element: Element<'_>) -> Option<bool> {
    element.value_of(element.attribute_written("cleartextTrafficPermitted")?).parse().ok()
}

/// Each of these, wherever it is there, makes newer systems ignore the one for all loads.
pub const NARROWER: [&str; 3] =
    ["NSAllowsArbitraryLoadsForMedia", "NSAllowsArbitraryLoadsInWebContent", "NSAllowsLocalNetworking"];

/// The keys by which a host is let be reached without protection.
pub const OPENING: [&str; 2] = ["NSExceptionAllowsInsecureHTTPLoads", "NSTemporaryExceptionAllowsInsecureHTTPLoads"];

/// Returns what a property list says of a host, or of the hosts below it where `below` says so; `None` of a number, for which no system does the same
/// as the one before.
#[must_use]
pub fn ios(plist: PlistView<'_>, host: &str, below: bool) -> Option<Decided> {
    if host.parse::<std::net::IpAddr>().is_ok() {
        return None;
    }
    let entries = plist.entry(TRANSPORT).and_then(|entry| entry.value.as_dict()).unwrap_or_default();
    let hosts = entry(entries, "NSExceptionDomains").and_then(|entry| entry.value.as_dict()).unwrap_or_default();
    let fits = |one: &&Entry| {
        let named = one.key.to_ascii_lowercase();
        let said = one.value.as_dict().unwrap_or_default();
        let subdomains = entry(said, "NSIncludesSubdomains").is_some_and(is_true);
        let inside = host.strip_suffix(named.as_str()).is_some_and(|rest| rest.ends_with('.'));
        (named == host && (!below || subdomains)) || subdomains && inside
    };
    if let Some(best) = hosts.iter().filter(fits).max_by_key(|one| one.key.len()) {
        let said = best.value.as_dict().unwrap_or_default();
        let open = OPENING.iter().filter_map(|key| entry(said, key)).any(is_true);
        return Some(Decided { open, by: Some(plist.at(best.key_span)) });
    }
    let own_network = !host.contains('.') || host.ends_with(".local");
    if let Some(local) = entry(entries, "NSAllowsLocalNetworking").filter(|local| own_network && is_true(local)) {
        return Some(Decided { open: true, by: Some(plist.at(local.key_span)) });
    }
    let narrower = NARROWER.iter().any(|key| entry(entries, key).is_some());
    match entry(entries, "NSAllowsArbitraryLoads").filter(|all| is_true(all) && !narrower) {
        Some(all) => Some(Decided { open: true, by: Some(plist.at(all.key_span)) }),
        None => Some(Decided { open: false, by: None }),
    }
}

/// Returns the entry of a key in a dictionary.
pub(crate) fn entry<'v>(entries: &'v [Entry], key: &str) -> Option<&'v Entry> {
    entries.iter().find(|entry| entry.key == key)
}

/// Says whether an entry holds the value true.
pub(crate) fn is_true(entry: &Entry) -> bool {
    matches!(entry.value.kind, ValueKind::Bool(true))
}

/// Says whether a host is of this machine or of a private network.
#[must_use]
pub fn is_local(host: &str) -> bool {
    let host = host.trim_start_matches("*.").to_ascii_lowercase();
    if let Ok(address) = host.parse::<std::net::Ipv4Addr>() {
        return address.is_private() || address.is_loopback() || address.is_link_local() || address.is_unspecified();
    }
    let last = host.rsplit('.').next().unwrap_or_default();
    // `.test` is nobody's in the world; `.local` is found by asking the neighbours.
    matches!(last, "localhost" | "local" | "test") || matches!(host.as_str(), "::1" | "[::1]")
}

#[cfg(test)]
mod tests {
    use super::{SecurityConfig, is_local};
    use std::sync::Arc;

    use elvask_markup::xml::Document;
    use elvask_project::source::Sources;

    #[test]
    fn the_most_particular_rule_decides_and_takes_what_is_around_it() {
        let text = "<network-security-config>\n<base-config cleartextTrafficPermitted=\"true\"/>\n<domain-config cleartextTrafficPermitted=\"false\">\n<domain includeSubdomains=\"true\">marram.example</domain>\n<domain-config cleartextTrafficPermitted=\"true\"><domain>tide.marram.example</domain></domain-config>\n<domain-config><domain includeSubdomains=\"true\">deep.marram.example</domain></domain-config>\n</domain-config>\n</network-security-config>\n";
        let mut sources = Sources::default();
        let file = sources.add_absent(std::path::Path::new("/app/n.xml"));
        let config = SecurityConfig { file, document: Arc::new(Document::parse(text).unwrap()) };
        let open = |host: &str, below: bool| config.of(host, below, 36).open;
        assert!(open("elsewhere.example", false), "the base is open");
        assert!(!open("marram.example", false) && !open("a.marram.example", false));
        assert!(open("tide.marram.example", false));
        assert!(!open("tide.marram.example", true), "those below it are under the wider rule");
        assert!(!open("a.deep.marram.example", false), "what is inside takes what is around it");
        assert!(!open("notmarram.example", false) || config.of_others(36).open);
        assert_eq!(config.open_hosts().len(), 1);
        let silent =
            SecurityConfig { file, document: Arc::new(Document::parse("<network-security-config/>").unwrap()) };
        assert!(silent.of("a.example", false, 27).open && !silent.of("a.example", false, 28).open);
    }

    #[test]
    fn private_networks_and_names_of_nobody_are_local() {
        for host in
            ["localhost", "a.localhost", "127.0.0.1", "192.168.1.7", "172.16.0.1", "marram.test", "*.marram.local"]
        {
            assert!(is_local(host), "{host}");
        }
        for host in ["marram.example", "172.32.0.1", "local.example", "test.marram.example", "8.8.8.8"] {
            assert!(!is_local(host), "{host}");
        }
    }
}
