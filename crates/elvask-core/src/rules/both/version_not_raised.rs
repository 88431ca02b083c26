//! `version-not-raised`: the store has this build already, or a higher one.

use std::cmp::Ordering;

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::account::{Registered, covers};
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::account;

/// See the module.
pub struct VersionNotRaised;

static ABOUT: About = About {
    id: "version-not-raised",
    level: Level::Error,
    platform: None,
    summary: "Reports a build number that is not higher than the highest one that was uploaded, as elvask/account.toml states it.",
    effect: "The store refuses the upload.",
    wrong: "versionCode 41\nhighest-build = 41      # elvask/account.toml",
    right: "versionCode 42",
    remedy: "A person raises the build number.",
    source: "Version your app; CFBundleVersion",
};

impl Rule for VersionNotRaised {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((account, file)) = account(context) else { return };
        let registered = |platform: Platform, id: Option<&String>| -> Option<&Registered> {
            let id = id?;
            account.apps(platform)?.iter().find(|app| covers(&app.id.text, id))
        };
        let mut tell = |platform: Platform, what: &str, build: &str, place: Place, app: &Registered| {
            let Some(highest) = &app.highest_build else { return };
            if compare(build, &highest.text).is_none_or(Ordering::is_gt) {
                return;
            }
            let message = format!("{what} {build} is not higher than {}, which the store has", highest.text);
            let steps = format!("Raise {what} above {}.", highest.text);
            let mut finding = Finding::new(&ABOUT, what, place, message)
                .related(Place { file, span: highest.span }, "the highest that was uploaded")
                .mend(Remedy::Manual(steps));
            finding.platform = Some(platform);
            if !out.iter().any(|known: &Finding| known.place == place) {
                out.push(finding);
            }
        };
        if let Some(ios) = &context.app.ios
            && let (Some(build), Some(place)) = (&ios.build.value, ios.build.place)
            && let Some(app) = registered(Platform::Ios, ios.id.value.as_ref())
        {
            tell(Platform::Ios, "the build", build, place, app);
        }
        for variant in context.app.android.iter().flat_map(elvask_project::appfiles::AndroidApp::judged) {
            let stated = &variant.version_code;
            if let (Some(code), Some(place)) = (stated.value, stated.place)
                && let Some(app) = registered(Platform::Android, variant.id.value.as_ref())
            {
                tell(Platform::Android, "versionCode", &code.to_string(), place, app);
            }
        }
    }
}

/// Compares two build numbers of one to three numbers with points between; `None` where one is something else.
///
/// Source: "CFBundleVersion".
fn compare(one: &str, other: &str) -> Option<Ordering> {
    let parts = |text: &str| -> Option<Vec<u64>> {
        let mut parts = text.split('.').map(|part| part.parse().ok()).collect::<Option<Vec<u64>>>()?;
        parts.resize(parts.len().max(3), 0);
        Some(parts)
    };
    Some(parts(one)?.cmp(&parts(other)?))
}

#[cfg(test)]
mod tests {
    use std::cmp::Ordering;

    use super::compare;
    use crate::testing::Fixture;

    const ID: &str = "version-not-raised";

    fn found(highest: &str) -> Vec<String> {
        let build = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    applicationId 'example.marram'\n    versionCode 41\n  }\n}\n";
        let account = format!("account = 1\n[[android.apps]]\nid = 'example.marram'\n{highest}\n");
        let mut app = Fixture::android("").build(build).file("elvask/account.toml", &account);
        app.settings.accounts = true;
        app.found(ID)
    }

    #[test]
    fn a_build_that_the_store_has_is_told() {
        assert_eq!(found("highest-build = 41"), ["error versionCode 6:17"]);
        assert_eq!(found("highest-build = '120'").len(), 1);
        assert!(found("highest-build = 40").is_empty());
        assert!(found("").is_empty(), "the file does not speak of it");
    }

    #[test]
    fn builds_are_compared_number_by_number() {
        assert_eq!(compare("1.10", "1.9"), Some(Ordering::Greater));
        assert_eq!(compare("3", "3.0.0"), Some(Ordering::Equal));
        assert_eq!(compare("$(BUILD)", "3"), None);
    }
}
