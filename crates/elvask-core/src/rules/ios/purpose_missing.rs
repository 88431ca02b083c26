//! `purpose-missing`: a plugin needs access for which the property list gives no purpose.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::{Platform, ios};

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy};
use crate::requirement::Kind;
use crate::rules::support::{add_key, good_purpose, key_lines, want_purpose, who_needs};
use crate::rules::{About, Rule};
use crate::surface::PlistView;

/// See the module.
pub struct PurposeMissing;

static ABOUT: About = About {
    id: "purpose-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a purpose that a plugin needs and `Info.plist` does not hold.",
    effect: "The system ends the app at the first access, or refuses without a dialog; the store refuses the upload (code 90683).",
    wrong: "<dict>\n</dict>",
    right: "<dict>\n    <key>NSCameraUsageDescription</key>\n    <string>Photographs the ring on a bird's leg.</string>\n</dict>",
    remedy: "`fill` adds key and text behind the other purposes, once the owner has worded it. It never makes a text up.",
    source: "Requesting access to protected resources",
};

impl Rule for PurposeMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        for group in context.needs.groups(Kind::Usage) {
            if plist.entry(group.name).is_some() || is_told_elsewhere(plist, group.name) {
                continue;
            }
            let opens = ios::usage_key(group.name).map_or("", |known| known.opens);
            let who = who_needs(context, group.requirements);
            let message = format!("no purpose is given for {opens}: {who} `{}`", group.name);
            let remedy = match context.purpose(group.name) {
                Some(purpose) => {
                    add_key(context, format!("add {}", group.name), plist, group.name, &NewValue::String(purpose.text))
                }
                None => Remedy::Answer {
                    wants: vec![want_purpose(group.name, Some(&group))],
                    lines: key_lines(group.name, "…"),
                },
            };
            let mut finding = Finding::new(&ABOUT, group.name, plist.root_tag(), message)
                .level(group.level())
                .needed_by(context.app, group.requirements)
                .mend(remedy);
            if let Some(known) = ios::usage_key(group.name) {
                finding =
                    finding.effect(format!("{} The store refuses the upload (code 90683).", known.without.effect()));
            }
            out.push(finding);
        }
    }
}

/// Says whether another rule speaks of the key: it is there misspelt, or an older key holds its text.
fn is_told_elsewhere(plist: PlistView<'_>, key: &str) -> bool {
    let misspelt = plist.list.entries().iter().any(|entry| {
        ios::usage_key(&entry.key).is_none() && ios::nearest_usage_key(&entry.key).is_some_and(|meant| meant.key == key)
    });
    let older = ios::usage_keys().iter().any(|known| {
        known.replaced_by.contains(&key) && known.until.is_some() && good_purpose(plist, known.key).is_some()
    });
    misspelt || older
}

#[cfg(test)]
mod tests {
    use crate::finding::{Remedy, Want};
    use crate::rules::testing::Fixture;

    const ID: &str = "purpose-missing";
    const MICROPHONE: &str =
        "    <key>NSMicrophoneUsageDescription</key>\n    <string>Records calls for the log.</string>\n";
    const NAME: &str = "    <key>CFBundleName</key>\n    <string>Marram</string>\n    <key>UIRequiresFullScreen</key>\n    <true/>\n    <key>CFBundleVersion</key>\n    <string>7</string>\n";

    #[test]
    fn a_purpose_is_asked_for_and_never_made_up() {
        let app = Fixture::ios(NAME).needs("tern_camera", "capability = 'camera'");
        assert_eq!(app.found(ID), ["error NSCameraUsageDescription 2:1"]);
        let finding = app.findings(ID).remove(0);
        assert!(finding.effect.starts_with("The system ends the app at the first access."), "{}", finding.effect);
        let Remedy::Answer { wants, .. } = finding.remedy else { panic!("{finding:?}") };
        assert_eq!(wants, [Want::Purpose { key: "NSCameraUsageDescription".to_owned(), capabilities: vec!["camera"] }]);
        app.is_left_alone();
    }

    #[test]
    fn a_given_purpose_goes_beside_the_others() {
        let app = Fixture::ios(&format!("{MICROPHONE}{NAME}")).needs("tern_camera", "capability = 'camera'");
        let camera = "    <key>NSCameraUsageDescription</key>\n    <string>Birds &amp; rings.</string>\n";
        app.clone().purpose("camera", "Birds & rings.").mends_plist(ID, &format!("{MICROPHONE}{camera}{NAME}"));
        app.toml("[purposes]\nNSCameraUsageDescription = 'Birds & rings.'")
            .mends_plist(ID, &format!("{MICROPHONE}{camera}{NAME}"));
    }

    #[test]
    fn older_keys_are_wanted_for_older_systems_alone() {
        let subjects = |version: &str| {
            let app = Fixture::ios(NAME).min_ios(version).needs("p", "capability = 'calendar'");
            app.findings(ID).into_iter().map(|finding| finding.subject).collect::<Vec<_>>()
        };
        assert_eq!(subjects("15.1"), ["NSCalendarsFullAccessUsageDescription", "NSCalendarsUsageDescription"]);
        assert_eq!(subjects("17.0"), ["NSCalendarsFullAccessUsageDescription"]);
    }
}
