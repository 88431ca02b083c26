//! `purpose-empty`: a key that holds a purpose holds none.

use elvask_platform::{Platform, ios};

use crate::check::Context;
use crate::finding::{Finding, Level};
use crate::requirement::Kind;
use crate::rules::support::word_purpose;
use crate::rules::{About, Rule};

/// See the module.
pub struct PurposeEmpty;

static ABOUT: About = About {
    id: "purpose-empty",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a purpose that is empty or blank.",
    effect: "The system treats it as if it were not there, and the store refuses the upload (code 90683).",
    wrong: "<key>NSMicrophoneUsageDescription</key>\n<string></string>",
    right: "<key>NSMicrophoneUsageDescription</key>\n<string>Records calls for the log.</string>",
    remedy: "`fill` writes the text, once the owner has worded it.",
    source: "Requesting access to protected resources",
};

impl Rule for PurposeEmpty {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        for entry in plist.purposes() {
            let known = ios::usage_key(&entry.key).filter(|known| known.is_for_ios());
            let (Some(known), Some(text)) = (known, entry.value.as_str()) else { continue };
            // What the build puts in may be empty too; what is not known of it is not held against anybody.
            if plist.resolved(text).is_none_or(|text| !text.trim().is_empty()) {
                continue;
            }
            let group = context.needs.group(Kind::Usage, &entry.key);
            let remedy = word_purpose(context, plist, entry, group.as_ref());
            let requirements = group.as_ref().map(|group| group.requirements).unwrap_or_default();
            out.push(
                Finding::new(
                    &ABOUT,
                    entry.key.clone(),
                    plist.value_place(entry),
                    format!("the purpose for {} is empty", known.opens),
                )
                .needed_by(context.app, requirements)
                .mend(remedy),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "purpose-empty";

    #[test]
    fn a_list_in_the_old_text_form_is_judged_and_left_alone() {
        let list = "{\n    CFBundleName = Marram;\n    NSMicrophoneUsageDescription = \"\";\n}\n";
        let app = Fixture::default()
            .file("ios/Marram/Info.plist", list)
            .purpose("microphone", "Records calls for the log.")
            .needs("tern_camera", "capability = 'camera'")
            .purpose("camera", "Photographs the ring.");
        assert_eq!(app.found(ID), ["error NSMicrophoneUsageDescription 3:36"]);
        assert_eq!(app.found("purpose-missing"), ["error NSCameraUsageDescription 1:1"]);
        assert!(app.findings(ID)[0].remedy.text().contains("plutil -convert xml1"));
        app.is_left_alone();
    }

    #[test]
    fn an_empty_text_is_filled_with_the_owners_words() {
        for empty in ["<string></string>", "<string>  </string>", "<string/>"] {
            let app = Fixture::ios(&format!("    <key>NSMicrophoneUsageDescription</key>\n    {empty}\n"));
            assert_eq!(app.found(ID), ["error NSMicrophoneUsageDescription 4:5"]);
            app.is_left_alone();
            app.purpose("microphone", "Records calls.")
                .mends_plist(ID, "    <key>NSMicrophoneUsageDescription</key>\n    <string>Records calls.</string>\n");
        }
    }
}
