//! `background-mode-missing`: a plugin works in the background in a way that the app does not declare.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::is_use_seen;
use crate::rules::support::missing::found;

/// See the module.
pub struct BackgroundModeMissing;

static ABOUT: About = About {
    id: "background-mode-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a background mode that a plugin needs and `UIBackgroundModes` does not name.",
    effect: "The system suspends the work in the background; for location the app crashes.",
    wrong: "<key>UIBackgroundModes</key>\n<array>\n</array>",
    right: "<key>UIBackgroundModes</key>\n<array>\n    <string>audio</string>\n</array>",
    remedy: "`fill` adds the mode to the list, and the list where there is none.",
    source: "UIBackgroundModes",
};

impl Rule for BackgroundModeMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for (finding, together) in found(context, Kind::BackgroundMode, &ABOUT) {
            out.push(finding.only_if_named(!is_use_seen(&together.requirements)));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "background-mode-missing";

    fn modes(all: &[&str]) -> String {
        let items: String = all.iter().map(|mode| format!("        <string>{mode}</string>\n")).collect();
        format!("    <key>UIBackgroundModes</key>\n    <array>\n{items}    </array>\n")
    }

    #[test]
    fn a_mode_joins_the_list() {
        let app = Fixture::ios(&modes(&["audio"])).needs("p", "ios.background-mode = 'fetch'");
        assert_eq!(app.found(ID), ["error fetch 4:5"]);
        app.mends_plist(ID, &modes(&["audio", "fetch"]));
        let capability = Fixture::ios(&modes(&["audio"])).needs("p", "capability = 'background-audio'");
        assert!(capability.found(ID).is_empty());
    }
}
