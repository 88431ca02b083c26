//! `privacy-reason-missing`: a plugin uses an interface for which nobody gives a reason.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::found;

/// See the module.
pub struct PrivacyReasonMissing;

static ABOUT: About = About {
    id: "privacy-reason-missing",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports a category of interfaces that a plugin uses and for which neither its privacy manifest nor the app's gives a reason.",
    effect: "The store rejects the upload (code 91053), or asks for the reason by mail.",
    wrong: "<key>NSPrivacyAccessedAPITypes</key>\n<array>\n</array>",
    right: "<key>NSPrivacyAccessedAPITypes</key>\n<array>\n    <dict>\n        <key>NSPrivacyAccessedAPIType</key>\n        <string>NSPrivacyAccessedAPICategoryUserDefaults</string>\n        <key>NSPrivacyAccessedAPITypeReasons</key>\n        <array>\n            <string>CA92.1</string>\n        </array>\n    </dict>\n</array>",
    remedy: "Only a person knows the reason: `elvask` names those that there are. The best place is the plugin's own privacy manifest, so a newer version of it may settle the matter.",
    source: "Describing use of required reason API",
};

impl Rule for PrivacyReasonMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let at_most = |finding: Finding| {
            let level = finding.level.min(Level::Warning);
            finding.level(level)
        };
        out.extend(found(context, Kind::PrivacyReason, &ABOUT).into_iter().map(|(finding, _)| at_most(finding)));
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "privacy-reason-missing";

    #[test]
    fn a_category_without_a_reason_is_told_with_the_reasons_there_are() {
        let app = Fixture::ios("")
            .package("whimbrel_steps")
            .file("node_modules/whimbrel_steps/ios/Store.swift", "let up = ProcessInfo.processInfo.systemUptime\n");
        assert_eq!(app.found(ID), ["warning NSPrivacyAccessedAPICategorySystemBootTime 2:1"]);
        assert!(app.findings(ID)[0].remedy.text().contains("35F9.1"));
        let own = "<plist version='1.0'><dict><key>NSPrivacyAccessedAPITypes</key><array><dict><key>NSPrivacyAccessedAPIType</key><string>NSPrivacyAccessedAPICategorySystemBootTime</string></dict></array></dict></plist>";
        assert!(app.file("node_modules/whimbrel_steps/ios/PrivacyInfo.xcprivacy", own).found(ID).is_empty());
    }

    #[test]
    fn the_apps_own_code_is_looked_at_too() {
        let code = "let up = ProcessInfo.processInfo.systemUptime\n";
        let app = Fixture::ios("").file("ios/Marram/Store.swift", code);
        assert_eq!(app.found(ID), ["warning NSPrivacyAccessedAPICategorySystemBootTime 2:1"]);
    }
}
