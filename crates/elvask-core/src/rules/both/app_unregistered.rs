//! `app-unregistered`: no app is registered in the account.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;

use crate::account::covers;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::{account, ids};

/// See the module.
pub struct AppUnregistered;

static ABOUT: About = About {
    id: "app-unregistered",
    level: Level::Error,
    platform: None,
    summary: "Reports an app whose id is not registered, where the account is stated to have no app at all, and an extension whose id is not.",
    effect: "No profile can be made for the app, the store takes no build of it, and no service knows it.",
    wrong: "[ios]\napps = []",
    right: "[[ios.apps]]\nid = \"example.marram.fieldlog\"",
    remedy: "A person registers the id, letter for letter as the project says it.",
    source: "Register an App ID; Create and set up your app",
};

impl Rule for AppUnregistered {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((account, _)) = account(context) else { return };
        let mut told: Vec<&str> = Vec::new();
        for (platform, _, stated) in ids(context) {
            let none = account.apps(platform).is_some_and(<[_]>::is_empty);
            let (Some(id), Some(place), true) = (&stated.value, stated.place, none) else { continue };
            if told.contains(&id.as_str()) {
                continue;
            }
            told.push(id);
            let (name, kind) = (platform.title(), platform.id());
            let steps = format!(
                "Register {id} in the developer account for {name}{}{}.",
                account.request(&format!("{kind}-apps/{id}")),
                account.also(&format!("add it as [[{kind}.apps]] to"))
            );
            let message = format!("{id} is not registered: the account has no app on {name}");
            let mut finding = Finding::new(&ABOUT, id.clone(), place, message).mend(Remedy::Manual(steps));
            finding.platform = Some(platform);
            out.push(finding);
        }
        // What is embedded has an id of its own; that of the app itself is compared by `identity-mismatch`.
        let Some(apps) = account.apps(Platform::Ios) else { return };
        for extension in context.app.ios.iter().flat_map(|ios| &ios.extensions) {
            let (Some(id), Some(place)) = (&extension.id.value, extension.id.place) else { continue };
            if told.contains(&id.as_str()) || apps.iter().any(|app| covers(&app.id.text, id)) {
                continue;
            }
            told.push(id);
            let message = format!("{id}, the id of the extension {}, is not registered", extension.name);
            let steps = format!(
                "Register {id} in the developer account{}{}.",
                account.request(&format!("ios-apps/{id}")),
                account.also("add it as [[ios.apps]] to")
            );
            let mut finding = Finding::new(&ABOUT, id.clone(), place, message).mend(Remedy::Manual(steps));
            finding.platform = Some(Platform::Ios);
            out.push(finding);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "app-unregistered";

    #[test]
    fn an_account_without_apps_has_not_this_one() {
        assert_eq!(
            Fixture::registered("", "[ios]\napps = []\n").findings(ID)[0].message,
            "example.marram.fieldlog is not registered: the account has no app on iOS"
        );
        assert!(Fixture::registered("", "[ios]\nmerchants = []\n").found(ID).is_empty(), "it does not speak of apps");
        let other = "[[ios.apps]]\nid = 'example.marram.other'\n";
        assert!(Fixture::registered("", other).found(ID).is_empty(), "identity-mismatch tells that");
    }
}
