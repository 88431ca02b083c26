//! `privacy-manifest`: the app's privacy manifest says something that the store does not take.

use elvask_markup::plist::{Entry, PropertyList, Value, ValueKind};
use elvask_needs::remedy::Remedy;
use elvask_platform::names::nearest;
use elvask_platform::{Platform, ios};
use elvask_project::layout::Layout;
use elvask_project::source::{FileId, Place};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::forms::unfit;
use crate::rules::support::shares::entry;

/// See the module.
pub struct PrivacyManifest;

static ABOUT: About = About {
    id: "privacy-manifest",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a key, category or reason in the app's privacy manifest that does not exist or does not fit, tracking domains in an app that says it does not track, and a manifest that is not part of the app.",
    effect: "The store rejects the upload, or asks for a correction by mail.",
    wrong: "<key>NSPrivacyAccessedAPIType</key>\n<string>NSPrivacyAccessedAPICategoryUserDefaults</string>\n<key>NSPrivacyAccessedAPITypeReasons</key>\n<array>\n    <string>C617.1</string>\n</array>",
    right: "<key>NSPrivacyAccessedAPIType</key>\n<string>NSPrivacyAccessedAPICategoryUserDefaults</string>\n<key>NSPrivacyAccessedAPITypeReasons</key>\n<array>\n    <string>CA92.1</string>\n</array>",
    remedy: "Only a person knows why the app calls an interface and whether it tracks: `elvask` names the reasons that there are.",
    source: "Privacy manifest files; Describing use of required reason API",
};

const KEYS: [&str; 4] =
    ["NSPrivacyTracking", "NSPrivacyTrackingDomains", "NSPrivacyCollectedDataTypes", "NSPrivacyAccessedAPITypes"];
/// Reasons for libraries whose calls are called by an app.
const OF_LIBRARIES: [&str; 2] = ["0A2A.1", "C56D.1"];

impl Rule for PrivacyManifest {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for (file, list) in context.surface.privacy() {
            of_list(file, list, out);
            // In apps of packages a script of the runtime may put it there.
            let by_script = context.app.layouts.iter().any(|one| !matches!(one, Layout::Xcode | Layout::Pubspec));
            let unlisted = context.app.ios.as_ref().and_then(|ios| ios.privacy_unlisted) == Some(file);
            if unlisted && !by_script {
                out.push(left_out(file, list));
            }
        }
    }
}

/// Tells of a manifest that is not among what the build puts into the app.
fn left_out(file: FileId, list: &PropertyList) -> Finding {
    let span = elvask_markup::plist::plan::start_tag(list, list.root());
    let message = "PrivacyInfo.xcprivacy is not one of the target's resources, so it does not reach the app";
    let steps = "In Xcode, choose the file and tick the app under Target Membership.";
    Finding::new(&ABOUT, "PrivacyInfo.xcprivacy", Place { file, span }, message)
        .level(Level::Warning)
        .effect("To the store the app gives no reasons.")
        .mend(Remedy::Manual(steps.to_owned()))
}

fn of_list(file: FileId, list: &PropertyList, out: &mut Vec<Finding>) {
    let at = |span| Place { file, span };
    let mut tell = |subject: &str, span, message: String, level: Level, effect: &str, steps: String| {
        let finding = Finding::new(&ABOUT, subject, at(span), message).level(level).mend(Remedy::Manual(steps));
        out.push(if effect.is_empty() { finding } else { finding.effect(effect) });
    };
    for entry in list.entries().iter().filter(|entry| !KEYS.contains(&entry.key.as_str())) {
        let meant = nearest(&entry.key, KEYS).map(|meant| format!("Write {meant}."));
        let steps = meant.unwrap_or_else(|| format!("Remove it: there are {}.", KEYS.join(", ")));
        let message = format!("`{}` is not a key of privacy manifests", entry.key);
        tell(&entry.key, entry.key_span, message, Level::Error, "The store rejects the upload (code 91056).", steps);
    }
    for one in unfit("privacy", list) {
        tell(one.form.key(), one.span, one.message(), one.form.level, one.form.effect, one.steps());
    }
    let tracks = list.entry("NSPrivacyTracking").is_some_and(|entry| matches!(entry.value.kind, ValueKind::Bool(true)));
    let domains = list.entry("NSPrivacyTrackingDomains");
    let named = domains.and_then(|entry| entry.value.as_array()).is_some_and(|all| !all.is_empty());
    match (domains, tracks, named) {
        (Some(domains), false, true) => tell(
            "NSPrivacyTrackingDomains",
            domains.key_span,
            "domains for tracking are named, and NSPrivacyTracking does not say that the app tracks".to_owned(),
            Level::Error,
            "The store rejects the upload (code 91064).",
            "Set NSPrivacyTracking to true, or remove the domains.".to_owned(),
        ),
        (_, true, false) => {
            if let Some(tracking) = list.entry("NSPrivacyTracking") {
                tell(
                    "NSPrivacyTracking",
                    tracking.key_span,
                    "the app says that it tracks, and names no domain with which it does".to_owned(),
                    Level::Warning,
                    "The store may reject the upload (code 91064), and no domain is held back where a person refuses.",
                    "Name the domains under NSPrivacyTrackingDomains.".to_owned(),
                );
            }
        }
        _ => {}
    }
    let types = list.entry("NSPrivacyAccessedAPITypes").and_then(|entry| entry.value.as_array()).unwrap_or_default();
    let mut seen: Vec<&str> = Vec::new();
    for one in types.iter().filter_map(Value::as_dict) {
        let Some(category) = entry(one, "NSPrivacyAccessedAPIType") else { continue };
        let Some(name) = category.value.as_str() else { continue };
        if seen.contains(&name) {
            let message = format!("{name} is declared twice");
            let steps = "Put all its reasons into one entry.".to_owned();
            tell(name, category.value.span, message, Level::Warning, "The store may read one of the two only.", steps);
        }
        seen.push(name);
        let Some(known) = ios::privacy_category(name) else {
            let meant = nearest(name, ios::privacy_categories()).map(|meant| format!("Write {meant}."));
            let steps = meant.unwrap_or_else(|| format!("There are {}.", ios::privacy_categories().join(", ")));
            let message = format!("`{name}` is not a category of interfaces");
            tell(name, category.value.span, message, Level::Error, "The store rejects the upload (code 91054).", steps);
            continue;
        };
        of_reasons(one, category, name, &known, &mut tell);
    }
}

/// Looks at the reasons of one category.
fn of_reasons(
    one: &[Entry],
    category: &Entry,
    name: &str,
    known: &[&str],
    tell: &mut impl FnMut(&str, elvask_markup::Span, String, Level, &str, String),
) {
    let there_are = format!("Give one that is true: {}.", known.join(", "));
    let reasons = entry(one, "NSPrivacyAccessedAPITypeReasons").map(|entry| &entry.value);
    let reasons = reasons.and_then(Value::as_array).unwrap_or_default();
    if reasons.is_empty() {
        let message = format!("{name} has no reason");
        tell(name, category.value.span, message, Level::Error, "The store rejects the upload (code 91056).", there_are);
        return;
    }
    let texts: Vec<&str> = reasons.iter().filter_map(Value::as_str).collect();
    for reason in reasons {
        let Some(text) = reason.as_str() else { continue };
        if !known.contains(&text) {
            let message = format!("`{text}` is not a reason for {name}");
            let effect = "The store rejects the upload (code 91055).";
            tell(name, reason.span, message, Level::Error, effect, there_are.clone());
        } else if texts.iter().all(|one| OF_LIBRARIES.contains(one)) {
            let message = format!("{text} is a reason for libraries, and this is the app's own manifest");
            let effect = "The app gives no reason for its own calls, for which the store may ask.";
            tell(name, reason.span, message, Level::Warning, effect, there_are.clone());
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "privacy-manifest";
    const DEFAULTS: &str = "NSPrivacyAccessedAPICategoryUserDefaults";

    fn app(inside: &str) -> Fixture {
        let list = format!("<plist version=\"1.0\">\n<dict>\n{inside}</dict>\n</plist>\n");
        Fixture::ios("").file("ios/Marram/PrivacyInfo.xcprivacy", &list)
    }

    fn reasons(category: &str, reasons: &[&str]) -> String {
        let all: String = reasons.iter().map(|one| format!("                <string>{one}</string>\n")).collect();
        format!(
            "    <key>NSPrivacyAccessedAPITypes</key>\n    <array>\n        <dict>\n            <key>NSPrivacyAccessedAPIType</key>\n            <string>{category}</string>\n            <key>NSPrivacyAccessedAPITypeReasons</key>\n            <array>\n{all}            </array>\n        </dict>\n    </array>\n"
        )
    }

    #[test]
    fn reasons_exist_and_fit() {
        assert_eq!(app(&reasons(DEFAULTS, &["C617.1"])).found(ID), [format!("error {DEFAULTS} 10:17")]);
        assert_eq!(app(&reasons(DEFAULTS, &[])).found(ID), [format!("error {DEFAULTS} 7:13")]);
        assert_eq!(app(&reasons(DEFAULTS, &["C56D.1"])).found(ID), [format!("warning {DEFAULTS} 10:17")]);
        assert!(app(&reasons(DEFAULTS, &["CA92.1", "C56D.1"])).found(ID).is_empty());
        let wrong = app(&reasons("NSPrivacyAccessedAPICategoryUserDefault", &["CA92.1"]));
        assert_eq!(wrong.found(ID), ["error NSPrivacyAccessedAPICategoryUserDefault 7:13"]);
        assert_eq!(wrong.findings(ID)[0].remedy.text(), format!("Write {DEFAULTS}."));
    }

    #[test]
    fn tracking_and_its_domains_go_together() {
        let tracking = |on: &str| format!("    <key>NSPrivacyTracking</key>\n    <{on}/>\n");
        let domains = "    <key>NSPrivacyTrackingDomains</key>\n    <array>\n        <string>knot.example</string>\n    </array>\n";
        assert_eq!(app(&format!("{}{domains}", tracking("false"))).found(ID), ["error NSPrivacyTrackingDomains 5:5"]);
        assert_eq!(app(&tracking("true")).found(ID), ["warning NSPrivacyTracking 3:5"]);
        assert!(app(&format!("{}{domains}", tracking("true"))).found(ID).is_empty());
        assert!(app(&tracking("false")).found(ID).is_empty());
    }

    #[test]
    fn a_manifest_that_the_project_leaves_out_is_told() {
        let whole = reasons(DEFAULTS, &["CA92.1"]);
        assert!(app(&whole).found(ID).is_empty(), "a script of the runtime may add it");
        let mut tree = app(&whole).tree();
        tree.remove("/app/package.json");
        tree.put("/app/pubspec.yaml", "name: marram\n");
        let app = crate::app::App::load(&tree, std::path::Path::new("/app"), &[]).unwrap();
        let report = crate::check::check(&app, &crate::needs::Settings::default());
        let found: Vec<_> = report.findings.iter().filter(|one| one.rule.id == ID).collect();
        assert!(matches!(found.as_slice(), [one] if one.subject == "PrivacyInfo.xcprivacy"), "{found:?}");
    }

    #[test]
    fn keys_and_types_are_those_of_privacy_manifests() {
        let unknown = "    <key>NSPrivacyTrackingDomain</key>\n    <array/>\n";
        assert_eq!(app(unknown).found(ID), ["error NSPrivacyTrackingDomain 3:5"]);
        let text = "    <key>NSPrivacyTracking</key>\n    <string>NO</string>\n";
        assert_eq!(app(text).found(ID), ["error NSPrivacyTracking 4:5"]);
    }
}
