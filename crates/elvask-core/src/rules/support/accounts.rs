//! What the developer accounts handed out, held against the app.

use elvask_platform::ios;
use elvask_project::source::Place;

use crate::account::{Account, Given, Profile, covers};
use crate::context::Context;

/// A profile of the configuration and target that are judged.
pub(in crate::rules) struct JudgedProfile<'a> {
    /// What it says.
    pub(in crate::rules) profile: &'a Profile,
    /// Its path.
    pub(in crate::rules) path: &'a str,
    /// Where `account.toml` names it.
    pub(in crate::rules) place: Place,
    /// Whether it is named for the configuration that is judged, and not for whichever it fits.
    pub(in crate::rules) is_named_for_it: bool,
    /// Whether it is for this app.
    pub(in crate::rules) is_for_app: bool,
}

impl JudgedProfile<'_> {
    /// Returns its name, with its path.
    pub(in crate::rules) fn shown(&self) -> String {
        format!("{} ({})", self.profile.name, self.path)
    }
}

/// Returns the profiles that can be read and sign the configuration and target that are judged.
pub(in crate::rules) fn judged_profiles<'a>(context: &Context<'a>) -> Vec<JudgedProfile<'a>> {
    let account = &context.app.account;
    let (Some(file), Some(ios)) = (account.file, &context.app.ios) else { return Vec::new() };
    let of_it = account.profiles.iter().filter(|given| is_of_target(given, ios.target.as_deref()));
    let judged = of_it.filter_map(|given| {
        let profile = given.says.as_ref().ok()?;
        let is_named_for_it = given.used.as_ref().map(|used| used.text == ios.configuration);
        (is_named_for_it != Some(false)).then(|| JudgedProfile {
            profile,
            path: &given.path.text,
            place: Place { file, span: given.path.span },
            is_named_for_it: is_named_for_it == Some(true),
            is_for_app: ios.id.value.as_deref().is_none_or(|id| profile.app_id().is_some_and(|of| covers(of, id))),
        })
    });
    judged.collect()
}

/// Says whether a profile is for a target: the app's own where it names none.
fn is_of_target(given: &Given<Profile>, target: Option<&str>) -> bool {
    given.target.as_ref().is_none_or(|named| Some(named.text.as_str()) == target)
}

/// Returns a value of the app's entitlements as signing with a profile writes it; `None` where that is not known.
pub(in crate::rules) fn resolved(text: &str, profile: &Profile, id: Option<&str>) -> Option<String> {
    let prefix = format!("{}.", profile.prefix()?);
    let mut out = text.replace("$(AppIdentifierPrefix)", &prefix).replace("$(TeamIdentifierPrefix)", &prefix);
    if let Some(id) = id {
        out = out.replace("$(CFBundleIdentifier)", id).replace("$(PRODUCT_BUNDLE_IDENTIFIER)", id);
    }
    (!out.contains("$(") && !out.contains("${")).then_some(out)
}

/// Returns what a person does so that a profile grants an entitlement, or a value of one.
pub(in crate::rules) fn steps_for_profile(judged: &JudgedProfile<'_>, key: &str, value: Option<&str>) -> String {
    let title = ios::entitlement(key).map(|known| known.capability).filter(|title| !title.is_empty());
    let id = judged.profile.app_id().unwrap_or_default();
    let first = match (title, value) {
        (Some(title), Some(value)) => format!("Add {value} to {title} of the app id {id}"),
        (None, Some(value)) => format!("Have {value} granted to the app id {id} under {key}"),
        (Some(title), None) => format!("Turn {title} on for the app id {id}"),
        (None, None) => format!("Have {key} granted to the app id {id}"),
    };
    format!("{first} in the developer account, regenerate the profile there, and put it at {}.", judged.path)
}

/// Returns the account, with its file, where there is one.
pub(in crate::rules) fn account<'a>(context: &Context<'a>) -> Option<(&'a Account, elvask_project::source::FileId)> {
    context.app.account.file.map(|file| (&context.app.account, file))
}
