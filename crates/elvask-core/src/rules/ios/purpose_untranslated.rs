//! `purpose-untranslated`: a purpose that is not there in a language of the app.

use elvask_markup::Edit;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct PurposeUntranslated;

static ABOUT: About = About {
    id: "purpose-untranslated",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports a purpose that has no text in a language for which the app has other texts of Info.plist.",
    effect: "Users of that language see the dialog in another one.",
    wrong: "nl.lproj/InfoPlist.strings without NSCameraUsageDescription",
    right: "\"NSCameraUsageDescription\" = \"Fotografeert de ring.\";",
    remedy: "`fill` adds the line where `elvask.toml` has the purpose in that language; otherwise it has to be translated first.",
    source: "Information Property List: localizing property list values",
};

impl Rule for PurposeUntranslated {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (Some(plist), Some(app)) = (context.plist, &context.app.ios) else { return };
        let mut languages: Vec<&str> = app.texts.iter().map(|text| text.language.as_str()).collect();
        languages.sort_unstable();
        languages.dedup();
        // The texts of the list itself are in the language of the project.
        languages.retain(|language| *language != "Base" && app.language.as_deref() != Some(language));
        for entry in plist.purposes() {
            let known = ios::usage_key(&entry.key).is_some_and(ios::UsageKey::is_for_ios);
            let first = plist.entry(&entry.key).is_some_and(|first| std::ptr::eq(first, entry));
            if !known || !first || entry.value.as_str().is_none_or(|text| text.trim().is_empty()) {
                continue;
            }
            let has = |language: &str| {
                app.texts
                    .iter()
                    .any(|text| text.language == language && text.key == entry.key && !text.text.trim().is_empty())
            };
            for language in languages.iter().filter(|language| !has(language)) {
                // The texts are read once: one that was added since stands at the end of its file.
                let Some(sibling) = app.texts.iter().rfind(|text| text.language == *language) else { continue };
                let source = context.sources.file(sibling.place.file);
                let written = source.text.contains(&format!("\"{}\"", entry.key));
                let is_list = source.shown.ends_with(".strings");
                if written && is_list {
                    continue;
                }
                let given = context.purpose_in(&entry.key, language);
                let line = |text: &str| format!("\"{}\" = \"{}\";", entry.key, escaped(text));
                let remedy = match given.filter(|_| is_list) {
                    Some(text) => {
                        let newline = if source.text.contains("\r\n") { "\r\n" } else { "\n" };
                        let gap = if source.text.ends_with('\n') || source.text.is_empty() { "" } else { newline };
                        let edit = Edit::insert(source.text.len(), format!("{gap}{}{newline}", line(&text)));
                        Remedy::edit(format!("add the text in {language}"), sibling.place.file, vec![edit])
                            .making(&format!("a text in {language}"))
                    }
                    None => Remedy::Manual(format!("Add to {}: {}", source.shown, line("…"))),
                };
                let subject = format!("{} {language}", entry.key);
                let message = format!("the purpose `{}` has no text in {language}", entry.key);
                out.push(
                    Finding::new(&ABOUT, subject, plist.key_place(entry), message)
                        .related(sibling.place, format!("other texts in {language} are here"))
                        .needed_by(context.app, context.needs.of(Kind::Usage, &entry.key))
                        .mend(remedy),
                );
            }
        }
    }
}

/// Writes a text as a `.strings` file wants it.
fn escaped(text: &str) -> String {
    text.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n")
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "purpose-untranslated";
    const PURPOSES: &str = "    <key>NSCameraUsageDescription</key>\n    <string>Photographs the ring on a bird's leg.</string>\n    <key>NSMicrophoneUsageDescription</key>\n    <string>Records calls for the log.</string>\n";

    fn app(strings: &str) -> Fixture {
        let project = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; developmentRegion = en; };
  T = { name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; buildPhases = (R); };
  R = { isa = PBXResourcesBuildPhase; files = (B); }; B = { fileRef = F; }; F = { isa = PBXFileReference; path = Marram/nl.lproj/InfoPlist.strings; sourceTree = SOURCE_ROOT; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; }; }; }; rootObject = P; }";
        Fixture::ios(PURPOSES)
            .file("ios/Marram/nl.lproj/InfoPlist.strings", strings)
            .file("ios/Marram.xcodeproj/project.pbxproj", project)
    }

    #[test]
    fn a_language_that_lacks_a_purpose_is_told() {
        let app = app("\"NSCameraUsageDescription\" = \"Fotografeert de ring.\";\n");
        assert_eq!(app.found(ID), ["warning NSMicrophoneUsageDescription nl 5:5"]);
        app.is_left_alone();
        assert!(Fixture::ios(PURPOSES).found(ID).is_empty(), "an app of one language has nothing to translate");
    }

    #[test]
    fn the_owners_words_in_that_language_are_added() {
        let app = app("\"NSCameraUsageDescription\" = \"Fotografeert de ring.\";")
            .toml("[purposes]\nmicrophone = { en = 'Records calls for the log.', nl = 'Neemt \"roepen\" op.' }");
        let loaded = app.load();
        let filled = crate::fill::fill(&loaded, &app.settings).unwrap();
        let [file] = filled.changed.as_slice() else { panic!("{:?}", filled.changed) };
        assert_eq!(
            filled.sources.file(*file).text.as_ref(),
            "\"NSCameraUsageDescription\" = \"Fotografeert de ring.\";\n\"NSMicrophoneUsageDescription\" = \"Neemt \\\"roepen\\\" op.\";\n"
        );
        assert!(filled.left.findings.iter().all(|finding| finding.rule.id != ID));
    }
}
