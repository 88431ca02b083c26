//! `privacy-reason-missing`: a plugin uses an interface for which nobody gives a reason.

use elvask_platform::{Platform, ios};

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy};
use crate::requirement::{Kind, Need};
use crate::rules::support::who_needs;
use crate::rules::{About, Rule};
use crate::source::Place;

/// See the module.
pub struct PrivacyReasonMissing;

static ABOUT: About = About {
    id: "privacy-reason-missing",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports a category of interfaces that a plugin uses and for which neither its privacy manifest nor the app's gives a reason.",
    effect: "The store refuses the upload (code 91053), or asks for the reason by mail.",
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
        let Some(plist) = context.plist else { return };
        for group in context.needs.groups(Kind::PrivacyReason) {
            let given = context.surface.privacy().any(|(_, list)| {
                let types = list.entry("NSPrivacyAccessedAPITypes").and_then(|entry| entry.value.as_array());
                types.unwrap_or_default().iter().filter_map(|one| one.as_dict()).any(|entries| {
                    entries.iter().any(|entry| {
                        entry.key == "NSPrivacyAccessedAPIType" && entry.value.as_str() == Some(group.name)
                    })
                })
            });
            if given {
                continue;
            }
            let wanted: Vec<&str> = group
                .requirements
                .iter()
                .filter_map(|one| match &one.need {
                    Need::PrivacyReason { reasons } => Some(reasons.iter().map(String::as_str)),
                    _ => None,
                })
                .flatten()
                .collect();
            let known = ios::privacy_category(group.name).unwrap_or_default();
            let reasons = if wanted.is_empty() { known } else { wanted };
            let place = context
                .surface
                .privacy()
                .next()
                .map(|(file, list)| Place { file, span: elvask_markup::plist::plan::start_tag(list, list.root()) });
            let who = who_needs(context, group.requirements);
            let message = format!("no privacy manifest gives a reason for {}, and {who} one", group.name);
            let steps = format!(
                "Take a version of the plugin that brings a privacy manifest, or give one of these reasons in the app's own PrivacyInfo.xcprivacy: {}.",
                reasons.join(", ")
            );
            out.push(
                Finding::new(&ABOUT, group.name, place.unwrap_or(plist.root_tag()), message)
                    .level(group.level().min(Level::Warning))
                    .needed_by(context.app, group.requirements)
                    .mend(Remedy::Manual(steps)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

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
}
