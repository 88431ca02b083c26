//! `purpose-unknown`: a key looks as if it held a purpose, and the platform has no such key.

use elvask_markup::plist::plan;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct PurposeUnknown;

static ABOUT: About = About {
    id: "purpose-unknown",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports a key that ends in `UsageDescription` and that iOS does not know.",
    effect: "The system does not read it, so the access has no purpose.",
    wrong: "<key>NSSpeechRecognitionUsageDescripton</key>",
    right: "<key>NSSpeechRecognitionUsageDescription</key>",
    remedy: "`fill` corrects the key where exactly one known key is near it. Otherwise a person looks it up or removes it.",
    source: "Information Property List",
};

impl Rule for PurposeUnknown {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        // A misspelt key may be misspelt in its last part too.
        let looks_like_one = |key: &str| {
            let folded = key.to_ascii_lowercase();
            folded.ends_with("usagedescription") || (folded.starts_with("ns") && ios::nearest_usage_key(key).is_some())
        };
        for entry in plist.list.entries().iter().filter(|entry| looks_like_one(&entry.key)) {
            let finding = |message: String| Finding::new(&ABOUT, entry.key.clone(), plist.key_place(entry), message);
            match ios::usage_key(&entry.key) {
                Some(known) if known.is_for_ios() => {}
                Some(known) => out.push(
                    finding(format!("`{}` is a key of {} and does nothing in an iOS app", known.key, known.platform))
                        .level(Level::Note)
                        .effect("The system does not read it.")
                        .mend(Remedy::Manual(
                            "Remove the key and its text, unless the list is shared with that platform.".to_owned(),
                        )),
                ),
                None => match ios::nearest_usage_key(&entry.key) {
                    Some(meant) => {
                        let message = format!("iOS has no key `{}`; `{}` is meant", entry.key, meant.key);
                        let (title, edit) = if plist.entry(meant.key).is_some() {
                            (
                                format!("remove it: {} is there already", meant.key),
                                plan::remove_entry(plist.list, entry),
                            )
                        } else {
                            (
                                format!("correct the key to {}", meant.key),
                                plan::rename_key(plist.list, entry, meant.key),
                            )
                        };
                        let group = context.needs.group(Kind::Usage, meant.key);
                        let needed = group.as_ref().map(|group| group.requirements).unwrap_or_default();
                        let level = if needed.is_empty() { Level::Warning } else { Level::Error };
                        out.push(
                            finding(message)
                                .level(level)
                                .effect(format!("The system does not read it. {}", meant.without.effect()))
                                .needed_by(context.app, needed)
                                .mend(Remedy::edit(title, plist.file, vec![edit])),
                        );
                    }
                    None => out.push(
                        finding(format!("iOS has no key `{}`", entry.key))
                            .mend(Remedy::Manual("Look the key up; remove it if nothing reads it.".to_owned())),
                    ),
                },
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "purpose-unknown";

    fn entry(key: &str) -> String {
        format!("    <key>{key}</key>\n    <string>Writes down what you say.</string>\n")
    }

    #[test]
    fn a_misspelt_key_is_corrected() {
        let app = Fixture::ios(&entry("NSSpeechRecognitionUsageDescripton"))
            .needs("curlew_dictation", "ios.usage = 'NSSpeechRecognitionUsageDescription'");
        assert_eq!(app.found(ID), ["error NSSpeechRecognitionUsageDescripton 3:5"]);
        assert!(app.found("purpose-missing").is_empty(), "one mistake, one finding");
        app.mends_plist(ID, &entry("NSSpeechRecognitionUsageDescription"));
    }

    #[test]
    fn keys_of_other_platforms_and_of_nobody_are_left() {
        let app = Fixture::ios(&(entry("NSDesktopFolderUsageDescription") + &entry("NSNotificationsUsageDescription")));
        assert_eq!(
            app.found(ID),
            ["note NSDesktopFolderUsageDescription 3:5", "warning NSNotificationsUsageDescription 5:5"]
        );
        app.is_left_alone();
    }

    #[test]
    fn letter_case_alone_is_corrected() {
        let entry = |key: &str| format!("    <key>{key}</key>\n    <string>Photographs the ring.</string>\n");
        for wrong in ["NSCameraUsagedescription", "nscamerausagedescription", "NSCAMERAUSAGEDESCRIPTION"] {
            Fixture::ios(&entry(wrong)).mends_plist("purpose-unknown", &entry("NSCameraUsageDescription"));
        }
    }
}
