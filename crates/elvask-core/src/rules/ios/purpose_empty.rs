//! `purpose-empty`: a key that holds a purpose holds none.

use elvask_markup::plist::{Entry, plan as plist_plan};
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, ios};
use elvask_project::source::Place;
use elvask_project::surface::PlistView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::both::declared_unneeded::is_purpose_needed;
use crate::rules::support::word_purpose;

/// See the module.
pub struct PurposeEmpty;

static ABOUT: About = About {
    id: "purpose-empty",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a purpose that is empty or blank: an error where something needs it, else a note.",
    effect: "It counts as missing, and the store rejects the upload (code 90683).",
    wrong: "<key>NSMicrophoneUsageDescription</key>\n<string></string>",
    right: "<key>NSMicrophoneUsageDescription</key>\n<string>Records calls for the log.</string>",
    remedy: "`fill` writes the text, once the owner has worded it. What nothing needs, `fill --only` takes out when it is named.",
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
            let requirements = group.as_ref().map(|group| group.requirements).unwrap_or_default();
            let place = plist.value_place(entry);
            let message = format!("the purpose for {} is empty", known.opens);
            if !is_purpose_needed(context, &entry.key) && context.purpose(&entry.key).is_none() {
                out.push(unneeded(plist, entry, place, format!("{message}, and nothing that was looked at needs it")));
                continue;
            }
            // What could need it and is not seen to be used does no harm by an empty text.
            let level =
                if requirements.iter().all(|one| one.level() == Level::Note) { Level::Note } else { Level::Error };
            let remedy = word_purpose(context, plist, entry, group.as_ref());
            let finding = Finding::new(&ABOUT, entry.key.clone(), place, message);
            out.push(finding.level(level).needed_by(context.app, requirements).mend(remedy));
        }
    }
}

/// Tells of an empty purpose that can go.
fn unneeded(plist: PlistView<'_>, entry: &Entry, place: Place, message: String) -> Finding {
    let remedy = if plist.list.is_xml() && !plist.generated {
        Remedy::edit(format!("take {} out", entry.key), plist.file, vec![plist_plan::remove_entry(plist.list, entry)])
    } else {
        Remedy::Manual(format!("Take {} out.", entry.key))
    };
    Finding::new(&ABOUT, entry.key.clone(), place, message)
        .level(Level::Note)
        .effect("It does no harm, but readers of the list wonder what it is for.")
        .mend(remedy)
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "purpose-empty";

    #[test]
    fn a_list_in_the_old_text_form_is_judged_and_left_alone() {
        let list = "{\n    CFBundleName = Marram;\n    NSMicrophoneUsageDescription = \"\";\n}\n";
        let app = Fixture::default()
            .file("ios/Marram/Info.plist", list)
            .purpose("microphone", "Records calls for the log.")
            .needs("tern_camera", "capability = 'camera'")
            .needs("curlew_dictation", "capability = 'microphone'")
            .purpose("camera", "Photographs the ring.");
        assert_eq!(app.found(ID), ["error NSMicrophoneUsageDescription 3:36"]);
        assert_eq!(app.found("purpose-missing"), ["error NSCameraUsageDescription 1:1"]);
        assert!(app.findings(ID)[0].remedy.text().contains("plutil -convert xml1"));
        app.is_left_alone();
    }

    #[test]
    fn an_empty_text_is_filled_with_the_owners_words() {
        for empty in ["<string></string>", "<string>  </string>", "<string/>"] {
            let app = Fixture::ios(&format!("    <key>NSMicrophoneUsageDescription</key>\n    {empty}\n"))
                .needs("curlew_dictation", "capability = 'microphone'");
            assert_eq!(app.found(ID), ["error NSMicrophoneUsageDescription 4:5"]);
            app.is_left_alone();
            app.purpose("microphone", "Records calls.")
                .mends_plist(ID, "    <key>NSMicrophoneUsageDescription</key>\n    <string>Records calls.</string>\n");
        }
    }

    #[test]
    fn an_empty_text_that_nothing_needs_is_worth_a_note_and_goes_where_it_is_named() {
        let list = "    <key>NSMicrophoneUsageDescription</key>\n    <string></string>\n    <key>CFBundleName</key>\n    <string>Marram</string>\n";
        let mut app = Fixture::ios(list);
        assert_eq!(app.found(ID), ["note NSMicrophoneUsageDescription 4:5"]);
        app.is_left_alone();
        // `trim` says the same.
        app.settings.unneeded = true;
        assert_eq!(app.found("declared-unneeded"), ["warning NSMicrophoneUsageDescription 3:5"]);
        app.settings.unneeded = false;
        app.settings.only.push("NSMicrophoneUsageDescription".to_owned());
        app.mends_plist(ID, "    <key>CFBundleName</key>\n    <string>Marram</string>\n");
    }
}
