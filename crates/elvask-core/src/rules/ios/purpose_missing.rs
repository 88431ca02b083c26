//! `purpose-missing`: a plugin needs access for which the property list gives no purpose.

use elvask_platform::{Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::found;

/// See the module.
pub struct PurposeMissing;

static ABOUT: About = About {
    id: "purpose-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a purpose that a plugin needs and `Info.plist` does not contain.",
    effect: "The app crashes or is denied access; the store rejects the upload (code 90683).",
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
        for (finding, together) in found(context, Kind::Usage, &ABOUT) {
            out.push(match ios::usage_key(together.name) {
                Some(known) => {
                    finding.effect(format!("{} The store rejects the upload (code 90683).", known.without.effect()))
                }
                None => finding,
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;
    use elvask_needs::remedy::{Remedy, Want};

    const ID: &str = "purpose-missing";
    const MICROPHONE: &str =
        "    <key>NSMicrophoneUsageDescription</key>\n    <string>Records calls for the log.</string>\n";
    const NAME: &str = "    <key>CFBundleName</key>\n    <string>Marram</string>\n    <key>UIRequiresFullScreen</key>\n    <true/>\n    <key>CFBundleVersion</key>\n    <string>7</string>\n";

    #[test]
    fn a_purpose_is_asked_for_and_never_made_up() {
        let app = Fixture::ios(NAME).needs("tern_camera", "capability = 'camera'");
        assert_eq!(app.found(ID), ["error NSCameraUsageDescription 2:1"]);
        let finding = app.findings(ID).remove(0);
        assert!(finding.effect.starts_with("The app crashes at the first access."), "{}", finding.effect);
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
