//! `purpose-vague`: a purpose says what is asked for and not what for.

use elvask_needs::remedy::Remedy;
use elvask_platform::wording::{ValueUse, placeholder_in, vague_part};
use elvask_platform::{Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct PurposeVague;

static ABOUT: About = About {
    id: "purpose-vague",
    level: Level::Note,
    platform: Some(Platform::Ios),
    summary: "Reports a purpose that only repeats what is asked for.",
    effect: "Reviewers reject such apps (guideline 5.1.1), and users deny access.",
    wrong: "<string>This app needs access to the camera.</string>",
    right: "<string>Photographs the ring on a bird's leg.</string>",
    remedy: "A person words it: what the app does with it, in the user's terms, with an example.",
    source: "App Review Guidelines: Data Collection and Storage",
};

impl Rule for PurposeVague {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        for entry in plist.purposes().filter(|entry| ios::usage_key(&entry.key).is_some()) {
            let Some(text) = entry.value.as_str() else { continue };
            let vague = vague_part(text).filter(|_| placeholder_in(text, ValueUse::Purpose).is_none());
            let Some(part) = vague else { continue };
            let message = format!("the purpose `{}` says \"{part}\", but not what for", entry.key);
            let steps = "Say what the app does with it, in the words of the person who is asked.";
            out.push(
                Finding::new(&ABOUT, entry.key.clone(), plist.value_place(entry), message)
                    .needed_by(context.app, context.needs.of(Kind::Usage, &entry.key))
                    .mend(Remedy::Manual(steps.to_owned())),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    #[test]
    fn it_is_worth_knowing() {
        let text = |text: &str| format!("    <key>NSCameraUsageDescription</key>\n    <string>{text}</string>\n");
        let vague = Fixture::ios(&text("This app needs access to the camera."));
        assert_eq!(vague.found("purpose-vague"), ["note NSCameraUsageDescription 4:5"]);
        assert!(Fixture::ios(&text("Photographs the ring on a bird's leg.")).found("purpose-vague").is_empty());
    }
}
