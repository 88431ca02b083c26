//! `background-mode-unknown`: a background mode that the platform does not know.

use elvask_needs::kinds::ios::background_mode::MODES;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::correct_entry;

/// See the module.
pub struct BackgroundModeUnknown;

static ABOUT: About = About {
    id: "background-mode-unknown",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a value of `UIBackgroundModes` that is none of the platform's.",
    effect: "The store rejects the upload, and the system ignores the mode.",
    wrong: "<key>UIBackgroundModes</key>\n<array>\n    <string>remote-notifications</string>\n</array>",
    right: "<key>UIBackgroundModes</key>\n<array>\n    <string>remote-notification</string>\n</array>",
    remedy: "`fill` corrects a value that is nearly a known one. Others a person takes out.",
    source: "UIBackgroundModes",
};

impl Rule for BackgroundModeUnknown {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        let Some(entry) = plist.entry(MODES) else { return };
        let modes = entry.value.as_array().unwrap_or_default();
        for value in modes {
            let Some(mode) = value.as_str().filter(|mode| ios::background_mode(mode).is_none() && !mode.contains('$'))
            else {
                continue;
            };
            let message = format!("`{mode}` is not a background mode of the platform");
            let remedy = match ios::nearest_background_mode(mode) {
                Some(meant) => correct_entry((plist.file, plist.list), modes, value, meant, |other| {
                    ios::nearest_background_mode(other).map(str::to_owned)
                }),
                None => Remedy::Manual(format!("Remove `{mode}` from {MODES}.")),
            };
            out.push(Finding::new(&ABOUT, mode, plist.at(value.span), message).mend(remedy));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "background-mode-unknown";

    #[test]
    fn a_misspelt_mode_is_corrected() {
        let list = |mode: &str| {
            format!("    <key>UIBackgroundModes</key>\n    <array>\n        <string>{mode}</string>\n    </array>\n")
        };
        let app = Fixture::ios(&list("remote-notifications"));
        assert_eq!(app.found(ID), ["error remote-notifications 5:9"]);
        app.mends_plist(ID, &list("remote-notification"));
        assert_eq!(Fixture::ios(&list("gps")).findings(ID)[0].remedy.kind(), "manual");
        assert!(Fixture::ios(&list("fetch")).found(ID).is_empty());
    }
}
