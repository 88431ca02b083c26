//! The words that a shell offers for the values on a command line. They are looked for when somebody asks for them, and at no other time.

use clap_complete::CompletionCandidate;
use elvask_core::app::{App, Choice, Look};
use elvask_core::discover::find_root;
use elvask_core::rules::RULES;
use elvask_platform::android::{self, Grant, PERMISSION_PREFIX};
use elvask_platform::capability::capabilities;
use elvask_platform::ios;
use elvask_project::files::Disk;

fn offered(word: &str, about: &str) -> CompletionCandidate {
    CompletionCandidate::new(word).help(Some(about.to_owned().into()))
}

/// Returns the ids of the rules.
pub(crate) fn rules() -> Vec<CompletionCandidate> {
    RULES.iter().map(|rule| offered(rule.about().id, rule.about().summary)).collect()
}

/// Returns the names of the plugins of the app around the current folder.
pub(crate) fn plugins() -> Vec<CompletionCandidate> {
    let found = std::env::current_dir().ok().and_then(|here| find_root(&Disk, &here));
    let choice =
        Choice { look: Look::Nowhere, package_folder: crate::environment::package_folder(), ..Choice::default() };
    let app = found.and_then(|root| App::load_choice(&Disk, &root, &choice).ok());
    let plugins = app.iter().flat_map(App::plugins).filter(|plugin| !plugin.own);
    plugins.map(|plugin| offered(&plugin.name, plugin.version.as_deref().unwrap_or_default())).collect()
}

/// Returns the permissions that an app can come by, without their common start.
fn permissions() -> impl Iterator<Item = CompletionCandidate> {
    let all = android::permissions().filter(|known| known.last_level.is_none() && known.grant() != Grant::Never);
    all.map(|known| {
        let short = known.name.strip_prefix(PERMISSION_PREFIX).unwrap_or(known.name);
        offered(short, known.grant().title())
    })
}

/// Returns what plugins may need: capabilities, permissions, keys and entitlements.
pub(crate) fn things() -> Vec<CompletionCandidate> {
    let mut all: Vec<_> = capabilities().map(|known| offered(known.name, known.title)).collect();
    all.extend(permissions());
    let keys = ios::usage_keys().iter().filter(|known| known.is_for_ios());
    all.extend(keys.map(|known| offered(known.key, known.opens)));
    all.extend(ios::entitlements().iter().map(|known| offered(known.key, known.capability)));
    all
}

/// Returns what plugins may need, and the plugins.
pub(crate) fn subjects() -> Vec<CompletionCandidate> {
    plugins().into_iter().chain(things()).collect()
}

/// Returns what can be explained.
pub(crate) fn topics() -> Vec<CompletionCandidate> {
    rules()
        .into_iter()
        .chain(things())
        .chain([offered("rules", "all rules"), offered("capabilities", "all capabilities")])
        .collect()
}

/// Returns the rules, and what plugins may need.
pub(crate) fn findings() -> Vec<CompletionCandidate> {
    rules().into_iter().chain(permissions()).collect()
}
