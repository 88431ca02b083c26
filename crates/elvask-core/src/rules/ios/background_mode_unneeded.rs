//! `background-mode-unneeded`: a background mode that nothing of the app works in.

use elvask_needs::kinds;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, ios};
use elvask_project::layout::Layout;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::both::declared_unneeded::is_wanted;
use crate::rules::ios::plist_companion::lacks_companion;

/// See the module.
pub struct BackgroundModeUnneeded;

static ABOUT: About = About {
    id: "background-mode-unneeded",
    level: Level::Note,
    platform: Some(Platform::Ios),
    summary: "Reports a background mode in which, as far as can be seen, neither a plugin nor the app's own code does anything. Where a package has code that cannot be looked into, nothing is said.",
    effect: "Reviewers try what a mode is for, and reject an app in which they do not find it.",
    wrong: "<key>UIBackgroundModes</key>\n<array>\n    <string>voip</string>   (and nothing takes calls)\n</array>",
    right: "(nothing)",
    remedy: "A person removes the mode: `elvask trim` offers it. If the app has a use for it that is not seen, a waiver says which.",
    source: "App Review Guidelines, 2.5.4; Configuring background execution modes",
};

impl Rule for BackgroundModeUnneeded {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (app, Some(plist)) = (context.app, context.plist) else { return };
        // What a package does that is not there is not known, nor what is written in a language that is not read.
        if !app.not_installed.is_empty() || app.layouts.contains(&Layout::Msbuild) || !app.unseen_on_ios().is_empty() {
            return;
        }
        for declared in kinds::spec(Kind::BackgroundMode).declared(context) {
            let mode = declared.name.as_str();
            let is_known = ios::background_mode(mode).is_some_and(|known| !known.title.is_empty());
            // What is amiss where pushes are not set up, another rule says.
            if !is_known || mode == "remote-notification" {
                continue;
            }
            if lacks_companion(context, plist, mode) || is_wanted(context, Kind::BackgroundMode, &declared) {
                continue;
            }
            let message =
                format!("the background mode `{mode}` is declared, and nothing that was looked at works in it");
            let steps = format!(
                "Remove `{mode}` from UIBackgroundModes, which `elvask trim` offers too. If the app does use it, keep it and say so in a waiver."
            );
            out.push(Finding::new(&ABOUT, mode, declared.place, message).mend(Remedy::Manual(steps)));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "background-mode-unneeded";

    fn app(modes: &[&str]) -> Fixture {
        let items: String = modes.iter().map(|mode| format!("        <string>{mode}</string>\n")).collect();
        Fixture::ios(&format!("    <key>UIBackgroundModes</key>\n    <array>\n{items}    </array>\n"))
    }

    #[test]
    fn a_mode_that_belongs_to_nobody_is_noted() {
        assert_eq!(app(&["voip", "fetch"]).found(ID), ["note voip 5:9", "note fetch 6:9"]);
        let finding = &app(&["voip"]).findings(ID)[0];
        assert_eq!(finding.remedy.kind(), "manual", "only a person knows whether it is used after all");
        // What lacks its companion is told of that; pushes have a rule of their own, and what the platform does not know another one.
        assert!(app(&["location", "remote-notification", "gps", "newsstand-content"]).found(ID).is_empty());
    }

    #[test]
    fn what_a_plugin_works_in_is_left_alone() {
        let needed = app(&["voip"]).needs("gannet_calls", "ios.background-mode = 'voip'");
        assert!(needed.found(ID).is_empty());
        // Who goes on playing in the background does not show.
        assert_eq!(app(&["audio"]).needs("tern_camera", "capability = 'camera'").found(ID), ["note audio 5:9"]);
        assert!(app(&["audio"]).needs("skua_audio", "capability = 'camera'").found(ID).is_empty());
    }
}
