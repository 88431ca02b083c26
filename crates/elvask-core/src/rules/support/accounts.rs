//! What the developer accounts handed out, held against the app.

use elvask_markup::plist::PropertyList;
use elvask_platform::{Platform, ios};
use elvask_project::appfiles::{AndroidApp, EntitlementsFile, Extension, IosApp};
use elvask_project::gradle::Stated;
use elvask_project::source::{FileId, Place};

use crate::account::{Account, Given, Profile, covers};
use crate::context::Context;

/// What is signed with a profile of its own: the app, or something that it embeds.
pub(in crate::rules) struct Signed<'a> {
    /// The name of its target.
    pub(in crate::rules) name: Option<&'a str>,
    /// Its bundle id.
    pub(in crate::rules) id: &'a Stated<String>,
    /// Whether it is the app itself.
    is_app: bool,
    entitlements: &'a [EntitlementsFile],
}

impl Signed<'_> {
    /// Returns its entitlements in a configuration, where there are any that can be read.
    pub(in crate::rules) fn entitlements(
        &self,
        context: &Context<'_>,
        configuration: &str,
    ) -> Option<(FileId, PropertyList)> {
        let one = self.entitlements.iter().find(|one| one.configuration == configuration)?;
        let file = one.file?;
        let list = PropertyList::parse(context.sources.file(file).text.clone()).ok()?;
        Some((file, list))
    }
}

/// A profile of the configuration that is judged.
pub(in crate::rules) struct JudgedProfile<'a> {
    /// What it says.
    pub(in crate::rules) profile: &'a Profile,
    /// What it signs.
    pub(in crate::rules) signed: Signed<'a>,
    /// Its path.
    pub(in crate::rules) path: &'a str,
    /// Where `account.toml` names it.
    pub(in crate::rules) place: Place,
    /// Whether it is named for the configuration that is judged, and not for whichever it fits.
    pub(in crate::rules) is_named_for_it: bool,
    /// Whether it is for the app id of what it signs.
    pub(in crate::rules) is_for_app: bool,
}

impl JudgedProfile<'_> {
    /// Returns its name, with its path.
    pub(in crate::rules) fn shown(&self) -> String {
        format!("{} ({})", self.profile.name, self.path)
    }

    /// Returns what it signs, in words: `the app`, or the target.
    pub(in crate::rules) fn signs(&self) -> String {
        match self.signed.name.filter(|_| !self.signed.is_app) {
            Some(name) => format!("the target {name}"),
            None => "the app".to_owned(),
        }
    }
}

/// Returns the ids of the app that its accounts know it by, each with its platform and what it is called there.
pub(in crate::rules) fn ids<'a>(
    context: &Context<'a>,
) -> impl Iterator<Item = (Platform, &'static str, &'a Stated<String>)> + use<'a> {
    let ios = context.app.ios.iter().map(|ios| (Platform::Ios, "the bundle id", &ios.id));
    let variants = context.app.android.iter().flat_map(AndroidApp::judged);
    ios.chain(variants.map(|one| (Platform::Android, "the application id", &one.id)))
}

/// Returns the profiles that can be read and are for the configuration that is judged.
pub(in crate::rules) fn judged_profiles<'a>(context: &Context<'a>) -> Vec<JudgedProfile<'a>> {
    let account = &context.app.account;
    let (Some(file), Some(ios)) = (account.file, &context.app.ios) else { return Vec::new() };
    let judged = account.profiles.iter().filter_map(|given| {
        let profile = given.says.as_ref().ok()?;
        let signed = signed_with(ios, given, profile)?;
        let is_named_for_it = given.used.as_ref().map(|used| used.text == ios.configuration);
        let covered = |id: &String| profile.app_id().is_some_and(|of| covers(of, id));
        (is_named_for_it != Some(false)).then(|| JudgedProfile {
            profile,
            path: &given.path.text,
            place: Place { file, span: given.path.span },
            is_named_for_it: is_named_for_it == Some(true),
            is_for_app: signed.id.value.as_ref().is_none_or(covered),
            signed,
        })
    });
    judged.collect()
}

/// Returns what a profile signs: the target that is named; where none is, the app, or what it embeds under just that id.
fn signed_with<'a>(ios: &'a IosApp, given: &Given<Profile>, profile: &Profile) -> Option<Signed<'a>> {
    let app = || Signed { name: ios.target.as_deref(), id: &ios.id, is_app: true, entitlements: &ios.entitlements };
    let embedded = |one: &'a Extension| Signed {
        name: Some(&one.name),
        id: &one.id,
        is_app: false,
        entitlements: &one.entitlements,
    };
    match &given.target {
        Some(named) if Some(&named.text) == ios.target.as_ref() => Some(app()),
        Some(named) => ios.extensions.iter().find(|one| one.name == named.text).map(embedded),
        None => {
            let just = |one: &&Extension| one.id.value.as_deref() == profile.app_id();
            Some(ios.extensions.iter().find(just).map_or_else(app, embedded))
        }
    }
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
