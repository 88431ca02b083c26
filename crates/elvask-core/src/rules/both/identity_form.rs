//! `identity-form`: an id is written in a way that the platform does not take.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::appfiles::AndroidApp;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
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
                tell(Platform::Android, id, variant.id.place, android(id));
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

/// Says what is wrong with an id of a platform.
pub(crate) fn fault_of(platform: Platform, id: &str) -> Option<&'static str> {
    match platform {
        Platform::Android => android(id),
        Platform::Ios => apple(id),
    }
}

/// Says what is wrong with an application id.
fn android(id: &str) -> Option<&'static str> {
    let parts: Vec<&str> = id.split('.').collect();
    let letters = |part: &&str| part.chars().all(|letter| letter.is_ascii_alphanumeric() || letter == '_');
    if id.contains(['$', '{']) {
        None
    } else if parts.len() < 2 {
        Some("it has at least two parts with a dot between")
    } else if !parts.iter().all(|part| part.starts_with(|first: char| first.is_ascii_alphabetic())) {
        Some("each part starts with a letter")
    } else if !parts.iter().all(letters) {
        Some("it may have letters, digits and underscores only")
    } else {
        None
    }
}

/// Says what is wrong with a bundle id.
fn apple(id: &str) -> Option<&'static str> {
    let fits = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '-');
    if id.contains(['$', '*']) || id.chars().all(fits) {
        None
    } else {
        Some("it may have letters, digits, hyphens and dots only")
    }
}

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
}
