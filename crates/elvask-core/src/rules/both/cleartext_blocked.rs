//! `cleartext-blocked`: the platform closes a connection that the owner says has no protection.

use elvask_markup::Edit;
use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::{FileId, Place};
use elvask_project::surface::{Effective, PlistView};

use crate::config::Cleartext;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::network::{Android, CONFIG, Decided, OPENING, TRANSPORT, android, ios};
use crate::rules::Rule;
use crate::rules::support::{add_key, set_android};

/// See the module.
pub struct CleartextBlocked;

static ABOUT: About = About {
    id: "cleartext-blocked",
    level: Level::Error,
    platform: None,
    summary: "Reports a host that elvask.toml names under `[[network.cleartext]]` and with which a platform lets the app open no connection without protection.",
    effect: "Every request to it fails: Cleartext HTTP traffic not permitted, or error -1022.",
    wrong: "[[network.cleartext]]                 # elvask.toml\nhost = \"tide.marram.example\"\nreason = \"The gauge speaks no https.\"\n\n(and nothing in the network security configuration, or under NSExceptionDomains)",
    right: "<domain-config cleartextTrafficPermitted=\"true\">\n    <domain includeSubdomains=\"false\">tide.marram.example</domain>\n</domain-config>",
    remedy: "`fill` lets that host alone be reached, in the network security configuration and under NSExceptionDomains. What says the opposite of that host already is left to a person.",
    source: "Network security configuration; NSAppTransportSecurity",
};

/// The file of a configuration that comes to be, for the domain that is written into it.
const NEW_CONFIG: [&str; 2] = [
    "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<network-security-config>\n    <domain-config cleartextTrafficPermitted=\"true\">\n        ",
    "\n    </domain-config>\n</network-security-config>\n",
];

impl Rule for CleartextBlocked {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for one in context.app.config.network.iter().flat_map(|network| &network.cleartext) {
            let mut variants: Option<Finding> = None;
            for variant in &context.variants {
                match (&mut variants, on_android(context, variant, one)) {
                    (Some(known), Some(_)) => known.variants.push(variant.variant.clone()),
                    (None, Some(found)) => variants = Some(found.in_variants(vec![variant.variant.clone()])),
                    (_, None) => {}
                }
            }
            out.extend(variants);
            out.extend(on_ios(context, one));
        }
    }
}

fn finding(one: &Cleartext, platform: Platform, place: Place, remedy: Remedy) -> Finding {
    let below = if one.subdomains { " and those below it" } else { "" };
    let message = format!(
        "{} closes connections to {}{below}, which elvask.toml says have no protection",
        platform.title(),
        one.host.text
    );
    let mut finding = Finding::new(&ABOUT, one.host.text.clone(), place, message).mend(remedy);
    finding.platform = Some(platform);
    finding
}

fn on_android(context: &Context<'_>, variant: &Effective<'_>, one: &Cleartext) -> Option<Finding> {
    let host = &one.host.text;
    let target = variant.levels.target;
    let main = context.manifest.as_deref()?;
    let application = main.application?;
    let start = main.tag(application);
    let by_hand = |place: Place| {
        let steps = format!(
            "Let {host} be reached: <domain-config cleartextTrafficPermitted=\"true\"><domain includeSubdomains=\"{}\">{host}</domain></domain-config> in the network security configuration.",
            one.subdomains
        );
        finding(one, Platform::Android, place, Remedy::Manual(steps))
    };
    match android(context, variant) {
        Android::Config(config) => {
            let decided = config.of(host, one.subdomains, target);
            if decided.open {
                return None;
            }
            let place = Place { file: config.file, span: config.root().name_span() };
            if config.of_others(target) != decided {
                return Some(by_hand(decided.by.unwrap_or(place)));
            }
            let fragment =
                Fragment::new("domain-config").with("cleartextTrafficPermitted", "true").holding(vec![domain(one)]);
            // The configuration for debugging stands last.
            let last = config.root().children().rfind(|child| child.name() != "debug-overrides");
            let slot = last.map_or(Slot::First, |last| Slot::After(last.node()));
            let edits = plan::insert(config.root(), slot, &[fragment]);
            Some(finding(one, Platform::Android, place, Remedy::edit(title(host), config.file, edits)))
        }
        Android::Attribute(Decided { open: true, .. }) | Android::Nothing(Decided { open: true, .. }) => None,
        Android::Attribute(decided) => Some(new_config(context, one).map_or_else(
            || by_hand(decided.by.unwrap_or(start)),
            |remedy| finding(one, Platform::Android, decided.by.unwrap_or(start), remedy),
        )),
        Android::Nothing(_) => Some(
            new_config(context, one)
                .map_or_else(|| by_hand(start), |remedy| finding(one, Platform::Android, start, remedy)),
        ),
        Android::Unknown => None,
    }
}

fn title(host: &str) -> String {
    format!("let {host} be reached without protection")
}

fn domain(one: &Cleartext) -> Fragment {
    Fragment::new("domain").with("includeSubdomains", one.subdomains.to_string()).saying(one.host.text.clone())
}

/// Plans a configuration that is not there yet, and the attribute that names it.
fn new_config(context: &Context<'_>, one: &Cleartext) -> Option<Remedy> {
    let android = context.app.android.as_ref().filter(|_| context.app.generated.is_none())?;
    let (path, file) = android.resources.network.first()?;
    if !context.sources.file(*file).text.is_empty() {
        return None;
    }
    let manifest = context.manifest.as_deref()?;
    let name = path.file_stem()?.to_str()?;
    let [before, behind] = NEW_CONFIG;
    let domain = format!("<domain includeSubdomains=\"{}\">{}</domain>", one.subdomains, one.host.text);
    let text = Edit { start: 0, end: 0, insert: format!("{before}{domain}{behind}") };
    let attribute = set_android(manifest, manifest.application?, CONFIG, &format!("@xml/{name}"));
    let edits: Vec<(FileId, Vec<Edit>)> = vec![(*file, vec![text]), (manifest.file, vec![attribute])];
    Some(Remedy::Edit { title: title(&one.host.text), edits, makes: None }.making(name))
}

fn on_ios(context: &Context<'_>, one: &Cleartext) -> Option<Finding> {
    let plist = context.plist?;
    let host = &one.host.text;
    let decided = ios(plist, host, one.subdomains)?;
    if decided.open {
        return None;
    }
    if let Some(place) = decided.by {
        let steps = format!("Put {} = true under {host} in NSExceptionDomains.", OPENING[0]);
        return Some(finding(one, Platform::Ios, place, Remedy::Manual(steps)));
    }
    let mut said = vec![(OPENING[0].to_owned(), NewValue::Bool(true))];
    if one.subdomains {
        said.push(("NSIncludesSubdomains".to_owned(), NewValue::Bool(true)));
    }
    let (place, remedy) = exception(context, plist, host, NewValue::Dict(said));
    Some(finding(one, Platform::Ios, place, remedy))
}

/// Returns where an exception for a host goes, and what adds it.
fn exception(context: &Context<'_>, plist: PlistView<'_>, host: &str, said: NewValue) -> (Place, Remedy) {
    let domains = "NSExceptionDomains";
    let of_host = NewValue::Dict(vec![(host.to_owned(), said.clone())]);
    let Some(transport) = plist.entry(TRANSPORT) else {
        let whole = NewValue::Dict(vec![(domains.to_owned(), of_host)]);
        return (plist.root_tag(), add_key(&context.scene, title(host), plist, TRANSPORT, &whole));
    };
    let entries = transport.value.as_dict().unwrap_or_default();
    let edits = match entries.iter().find(|entry| entry.key == domains) {
        Some(entry) => plist_plan::insert_entry(plist.list, &entry.value, None, host, &said),
        None => plist_plan::insert_entry(plist.list, &transport.value, None, domains, &of_host),
    };
    (plist.at(transport.key_span), Remedy::edit(title(host), plist.file, edits))
}

#[cfg(test)]
mod tests {
    use crate::fill::fill;
    use crate::testing::Fixture;

    const ID: &str = "cleartext-blocked";
    const TIDE: &str = "[network]\n[[network.cleartext]]\nhost = 'tide.marram.example'\nreason = 'The gauge speaks no https.'\n[[network.cleartext]]\nhost = 'old.example'\nsubdomains = true\nreason = 'It is old.'\n";
    const FILE: &str = "android/app/src/main/res/xml/net.xml";

    fn android(attributes: &str) -> Fixture {
        Fixture::android(&format!("    <application{attributes} />\n")).levels(24, 36).toml(TIDE)
    }

    fn config(inside: &str) -> Fixture {
        android(" android:networkSecurityConfig=\"@xml/net\"")
            .file(FILE, &format!("<network-security-config>\n{inside}</network-security-config>\n"))
    }

    #[test]
    fn hosts_are_closed_unless_something_opens_them() {
        assert_eq!(android("").found(ID), ["error old.example 2:5", "error tide.marram.example 2:5"]);
        assert!(android(" android:usesCleartextTraffic=\"true\"").found(ID).is_empty());
        assert_eq!(android(" android:usesCleartextTraffic=\"false\"").found(ID).len(), 2);
        assert!(android("").levels(24, 27).found(ID).is_empty(), "older target levels are open");
        assert!(android(" android:usesCleartextTraffic=\"${open}\"").found(ID).is_empty(), "only the build knows");
        let open = "    <domain-config cleartextTrafficPermitted=\"true\">\n        <domain includeSubdomains=\"true\">marram.example</domain>\n        <domain>old.example</domain>\n    </domain-config>\n";
        assert_eq!(config(open).found(ID), ["error old.example 1:2"], "those below it are not let through");
        assert!(Fixture::android("    <application />\n").levels(24, 36).found(ID).is_empty(), "nobody names a host");
    }

    #[test]
    fn a_configuration_is_made_with_the_attribute_that_names_it() {
        let app = android("");
        let filled = fill(&app.load(), &app.settings).unwrap();
        let text = |end: &str| {
            let file = filled.changed.iter().find(|file| filled.sources.file(**file).shown.ends_with(end)).unwrap();
            filled.sources.file(*file).text.to_string()
        };
        assert!(
            text("AndroidManifest.xml")
                .contains("<application android:networkSecurityConfig=\"@xml/network_security_config\" />")
        );
        let made = text("res/xml/network_security_config.xml");
        assert!(made.contains("<domain includeSubdomains=\"false\">tide.marram.example</domain>"), "{made}");
        assert!(made.contains("<domain includeSubdomains=\"true\">old.example</domain>"), "{made}");
        assert!(filled.left.findings.iter().all(|one| one.rule.id != ID && one.rule.id != "resource-missing"));
    }

    #[test]
    fn what_says_the_opposite_of_a_host_is_left_to_a_person() {
        let closed = "    <domain-config cleartextTrafficPermitted=\"false\">\n        <domain>tide.marram.example</domain>\n    </domain-config>\n    <debug-overrides />\n";
        let app = config(closed);
        let kinds: Vec<_> = app.findings(ID).iter().map(|one| (one.subject.clone(), one.remedy.kind())).collect();
        assert_eq!(kinds, [("old.example".to_owned(), "edit"), ("tide.marram.example".to_owned(), "manual")]);
        let filled = fill(&app.load(), &app.settings).unwrap();
        let text = filled.sources.file(filled.changed[0]).text.to_string();
        let (added, debug) = (text.find("old.example").unwrap(), text.find("debug-overrides").unwrap());
        assert!(added < debug && text.contains("cleartextTrafficPermitted=\"false\""), "{text}");
    }

    #[test]
    fn ios_gets_an_exception_for_each_host() {
        let app = Fixture::ios("    <key>CFBundleName</key>\n    <string>Marram</string>\n").toml(TIDE);
        assert_eq!(app.found(ID).len(), 2);
        let filled = fill(&app.load(), &app.settings).unwrap();
        let text = filled.sources.file(filled.changed[0]).text.to_string();
        assert!(
            text.matches("NSExceptionAllowsInsecureHTTPLoads").count() == 2
                && text.matches("NSAppTransportSecurity").count() == 1,
            "{text}"
        );
        assert!(text.matches("NSIncludesSubdomains").count() == 1, "{text}");
        let open = "    <key>NSAppTransportSecurity</key>\n    <dict>\n        <key>NSAllowsArbitraryLoads</key>\n        <true/>\n    </dict>\n";
        assert!(Fixture::ios(open).toml(TIDE).found(ID).is_empty());
    }
}
