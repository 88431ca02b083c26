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
    effect: "Users read it in the system's dialog, and reviewers refuse the app for it.",
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
            let Some(part) = placeholder_in(text, ValueUse::Purpose) else { continue };
            let group = context.needs.group(Kind::Usage, &entry.key);
            let remedy = word_purpose(context, plist, entry, group.as_ref());
            let requirements = group.as_ref().map(|group| group.requirements).unwrap_or_default();
            let message = format!("the purpose `{}` is not worded yet: it says \"{part}\"", entry.key);
            out.push(
                Finding::new(&ABOUT, entry.key.clone(), plist.value_place(entry), message)
                    .needed_by(context.app, requirements)
                    .mend(remedy),
            );
        }
    }
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
}
