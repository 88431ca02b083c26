//! `purpose-placeholder`: a purpose still is what a template had.

use elvask_platform::wording::{ValueUse, placeholder_in};
use elvask_platform::{Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::word_purpose;

/// See the module.
pub struct PurposePlaceholder;

static ABOUT: About = About {
    id: "purpose-placeholder",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a purpose that nobody has worded yet.",
    effect: "Users read it in the system's dialog, and reviewers reject the app.",
    wrong: "<key>NSCameraUsageDescription</key>\n<string>TODO</string>",
    right: "<key>NSCameraUsageDescription</key>\n<string>Photographs the ring on a bird's leg.</string>",
    remedy: "`fill` replaces the text, once the owner has worded it.",
    source: "Requesting access to protected resources",
};

impl Rule for PurposePlaceholder {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        for entry in plist.purposes().filter(|entry| ios::usage_key(&entry.key).is_some()) {
            let Some(text) = entry.value.as_str() else { continue };
            let part = placeholder_in(text, ValueUse::Purpose);
            let example = example_of(context, text);
            let group = context.needs.group(Kind::Usage, &entry.key);
            let remedy = word_purpose(context, plist, entry, group.as_ref());
            let requirements = group.as_ref().map(|group| group.requirements).unwrap_or_default();
            let (message, level) = match (part, example) {
                (Some(part), _) => {
                    (format!("the purpose `{}` is still a placeholder: it says \"{part}\"", entry.key), Level::Error)
                }
                (None, Some(plugin)) => (
                    format!(
                        "the purpose `{}` is the example in the notes of {plugin}, not yet this app's own",
                        entry.key
                    ),
                    Level::Warning,
                ),
                (None, None) => continue,
            };
            out.push(
                Finding::new(&ABOUT, entry.key.clone(), plist.value_place(entry), message)
                    .level(level)
                    .needed_by(context.app, requirements)
                    .mend(remedy),
            );
        }
    }
}

/// Returns the package whose notes show a text as an example of a purpose.
fn example_of<'c>(context: &'c Context<'_>, text: &str) -> Option<&'c str> {
    let text = text.trim();
    let shows = |plugin: &&crate::app::Plugin| {
        let shown = plugin.evidence.iter().flat_map(|found| &found.requirements).flat_map(|one| &one.shown.texts);
        shown.into_iter().any(|example| example.trim() == text)
    };
    context.app.plugins.iter().find(shows).map(|plugin| plugin.name.as_str())
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "purpose-placeholder";

    #[test]
    fn a_template_text_is_replaced_by_the_owners_words() {
        let text = |text: &str| format!("    <key>NSCameraUsageDescription</key>\n    <string>{text}</string>\n");
        let app = Fixture::ios(&text("Your description here"));
        assert_eq!(app.found(ID), ["error NSCameraUsageDescription 4:5"]);
        app.is_left_alone();
        app.purpose("camera", "Photographs the ring.").mends_plist(ID, &text("Photographs the ring."));
        assert!(Fixture::ios(&text("Photographs the ring.")).found(ID).is_empty());
    }

    #[test]
    fn the_example_of_a_package_is_not_the_apps_own_text() {
        let text = "Knot needs your camera to scan rings.";
        let notes = format!(
            "## Setup\n\nAdd this to Info.plist:\n\n```xml\n<key>NSCameraUsageDescription</key>\n<string>{text}</string>\n```\n"
        );
        let app = Fixture::ios(&format!("    <key>NSCameraUsageDescription</key>\n    <string>{text}</string>\n"))
            .package("knot_scan")
            .file("node_modules/knot_scan/README.md", &notes)
            .file("node_modules/knot_scan/ios/Knot.swift", "class Knot {}\n");
        assert_eq!(app.found("purpose-placeholder"), ["warning NSCameraUsageDescription 4:5"]);
        app.is_left_alone();
    }
}
