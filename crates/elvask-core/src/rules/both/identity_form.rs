//! `identity-form`: an id is written in a way that the platform does not take.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::appfiles::AndroidApp;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::idform::{android, apple, reserved};
use crate::rules::Rule;

/// See the module.
pub struct IdentityForm;

static ABOUT: About = About {
    id: "identity-form",
    level: Level::Error,
    platform: None,
    summary: "Reports an application id or bundle id with a letter, part or form that its platform does not take, and an extension's id that does not continue the app's.",
    effect: "The build fails, or the store rejects the upload.",
    wrong: "applicationId 'marram-fieldlog'",
    right: "applicationId 'example.marram.fieldlog'",
    remedy: "A person chooses another id. An id that is in a store already cannot be changed there.",
    source: "Configure the app module: Set the application ID; CFBundleIdentifier",
};

impl Rule for IdentityForm {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (mut told, mut misnamed): (Vec<String>, Vec<Finding>) = (Vec::new(), Vec::new());
        let mut tell = |platform: Platform, id: &str, place: Option<Place>, fault: Option<&'static str>| {
            let (Some(fault), Some(place)) = (fault, place) else { return };
            if told.iter().any(|known| known == id) {
                return;
            }
            told.push(id.to_owned());
            let message = format!("`{id}` is not an id that {} takes: {fault}", platform.title());
            let steps = "Choose an id of that form. One that is in a store already cannot be changed there.";
            let mut finding = Finding::new(&ABOUT, id, place, message).mend(Remedy::Manual(steps.to_owned()));
            finding.platform = Some(platform);
            out.push(finding);
        };
        for variant in context.app.android.iter().flat_map(AndroidApp::judged) {
            if let Some(id) = &variant.id.value {
                // Where classes are made under the id, no part of it may be a word of the language.
                let namespace = context.app.android.as_ref().and_then(|android| android.namespace.as_deref());
                let kept = (namespace == Some(id)).then(|| reserved(id)).flatten();
                tell(Platform::Android, id, variant.id.place, android(id).or(kept));
            }
        }
        for variant in context.app.android.iter().flat_map(AndroidApp::judged) {
            let code = &variant.version_code;
            if let (Some(value), Some(place)) = (code.value.filter(|value| *value > MOST_CODE), code.place)
                && misnamed.iter().all(|known| known.place != place)
            {
                let message = format!(
                    "the versionCode {value} is higher than {MOST_CODE}, which is the highest that the store takes"
                );
                let steps = "Choose a lower one. What has a higher one in a store can never be updated there.";
                let finding =
                    Finding::new(&ABOUT, "versionCode", place, message).mend(Remedy::Manual(steps.to_owned()));
                misnamed.push(Finding { platform: Some(Platform::Android), ..finding });
            }
        }
        if let Some(ios) = &context.app.ios
            && let Some(id) = &ios.id.value
        {
            tell(Platform::Ios, id, ios.id.place, apple(id));
            for extension in &ios.extensions {
                if let (Some(own), Some(place)) = (&extension.id.value, extension.id.place) {
                    tell(Platform::Ios, own, Some(place), apple(own));
                    misnamed.extend(below(id, own, &extension.name, place));
                }
            }
        }
        out.append(&mut misnamed);
    }
}

/// Tells of an extension whose id does not continue the app's.
fn below(app: &str, own: &str, name: &str, place: Place) -> Option<Finding> {
    // What a setting puts in is not known here.
    let unknown = app.contains('$') || own.contains('$');
    if unknown || own.strip_prefix(app).and_then(|rest| rest.strip_prefix('.')).is_some_and(|rest| !rest.is_empty()) {
        return None;
    }
    let message = format!("`{own}`, the id of {name}, does not start with `{app}.`");
    let steps = format!("Give the extension an id such as {app}.{}.", name.to_lowercase().replace(' ', "-"));
    let mut finding = Finding::new(&ABOUT, own, place, message)
        .effect("The build fails: an extension's id is the app's with a part of its own behind it.")
        .mend(Remedy::Manual(steps));
    finding.platform = Some(Platform::Ios);
    Some(finding)
}

/// The highest versionCode of the store.
///
/// Source: "Version your app".
const MOST_CODE: u32 = 2_100_000_000;

#[cfg(test)]
mod tests {
    use super::{android, apple};

    #[test]
    fn ids_have_the_form_of_their_platform() {
        for id in ["example.marram.fieldlog", "example.marram_2", "${id}"] {
            assert_eq!(android(id), None, "{id}");
        }
        for id in ["marram", "example.2marram", "example.mar-ram", "example..marram"] {
            assert!(android(id).is_some(), "{id}");
        }
        assert!(apple("example.marram_log").is_some() && apple("example.mar-ram").is_none());
    }

    #[test]
    fn words_of_the_language_and_numbers_beyond_the_stores_are_told() {
        let app = |id: &str, code: u32| {
            let build = format!(
                "plugins {{ id 'com.android.application' }}\nandroid {{\n  namespace '{id}'\n  defaultConfig {{\n    applicationId '{id}'\n    versionCode {code}\n  }}\n}}\n"
            );
            crate::testing::Fixture::android("    <application/>\n").build(&build).found("identity-form")
        };
        assert_eq!(app("example.new.log", 1), ["error example.new.log 5:19"]);
        assert!(app("example.news.log", 2_100_000_000).is_empty());
        assert_eq!(app("example.log", 2_100_000_001), ["error versionCode 6:17"]);
    }
}
