//! `background-mode-missing`: a plugin works in the background in a way that the app does not declare.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level};
use crate::requirement::Kind;
use crate::rules::support::{add_to_list, is_use_seen, who_needs};
use crate::rules::{About, Rule};

pub(super) const MODES: &str = "UIBackgroundModes";

/// See the module.
pub struct BackgroundModeMissing;

static ABOUT: About = About {
    id: "background-mode-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a background mode that a plugin needs and `UIBackgroundModes` does not name.",
    effect: "The system stops the work as soon as the app leaves the screen; for location the app is ended at once.",
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
        let Some(plist) = context.plist else { return };
        let entry = plist.entry(MODES);
        let modes = entry.and_then(|entry| entry.value.as_array());
        if entry.is_some() && modes.is_none() {
            return;
        }
        for group in context.needs.groups(Kind::BackgroundMode) {
            if modes.unwrap_or_default().iter().any(|mode| mode.as_str() == Some(group.name)) {
                continue;
            }
            let value = NewValue::String(group.name.to_owned());
            let title = format!("add the background mode {}", group.name);
            let (place, remedy) = add_to_list(context, title, plist, MODES, value);
            let who = who_needs(context, group.requirements);
            let message = format!("the app may not work on in the background as `{}`, and {who} it", group.name);
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(group.level())
                    .needed_by(context.app, group.requirements)
                    .only_if_named(!is_use_seen(group.requirements))
                    .mend(remedy),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

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
