//! `entitlement-unregistered`: an entitlement of the app is not registered in the developer account.

use elvask_markup::Span;
use elvask_markup::plist::{Entry, PropertyList, ValueKind};
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, capability, ios};
use elvask_project::source::{FileId, Place};
use elvask_project::tomldoc::Text;

use crate::account::{Account, covers};
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::account;

/// See the module.
pub struct EntitlementUnregistered;

static ABOUT: About = About {
    id: "entitlement-unregistered",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports an entitlement whose capability is not turned on for the app id, and a merchant id or app group that is not registered, as elvask/account.toml states it.",
    effect: "No profile can grant it: signing fails, or the sheet that takes the payment stays empty.",
    wrong: "<key>aps-environment</key>                  (App.entitlements)\ncapabilities = [\"associated-domains\"]      # elvask/account.toml",
    right: "capabilities = [\"associated-domains\", \"push\"]",
    remedy: "A person turns the capability on, or registers the id, in the developer account and writes it into elvask/account.toml.",
    source: "Capabilities; Register a merchant identifier; Register an app group",
};

impl Rule for EntitlementUnregistered {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (Some((account, file)), Some(ios)) = (account(context), &context.app.ios) else { return };
        let Some((list_file, list)) = context.surface.entitlements() else { return };
        if let (Some(apps), Some(id)) = (&account.ios_apps, &ios.id.value) {
            // The one that is meant word by word comes before those that a star stands for.
            let exact = apps.iter().find(|app| app.id.text == *id);
            let app = exact.or_else(|| apps.iter().find(|app| covers(&app.id.text, id)));
            if let Some((app, on)) = app.and_then(|app| Some((app, app.capabilities.as_deref()?))) {
                capabilities((list_file, list), &app.id, on, (account, file), out);
            }
        }
        let ids = [
            ("com.apple.developer.in-app-payments", ("merchant id", "merchants"), &account.merchants),
            ("com.apple.security.application-groups", ("app group", "app-groups"), &account.groups),
        ];
        for (key, what, registered) in ids {
            let (Some(entry), Some(registered)) = (list.entry(key), registered) else { continue };
            values((list_file, entry), what, registered, (account, file), out);
        }
    }
}

/// Tells of capabilities that are not turned on for the app id.
fn capabilities(
    (list_file, list): (FileId, &PropertyList),
    id: &Text,
    on: &[Text],
    (account, file): (&Account, FileId),
    out: &mut Vec<Finding>,
) {
    let mut told: Vec<&str> = Vec::new();
    for entry in list.entries().iter().filter(|entry| entry.value.kind != ValueKind::Bool(false)) {
        let Some(known) = ios::entitlement(&entry.key).filter(|known| !known.capability.is_empty()) else { continue };
        // What Xcode adds to the target alone is not turned on in the account.
        let alone = entry.key == "keychain-access-groups";
        if alone || told.contains(&known.capability) || on.iter().any(|word| names(&word.text, known)) {
            continue;
        }
        told.push(known.capability);
        let title = known.capability;
        let message =
            format!("{title} is not turned on for the app id {}, and the app asks for {}", id.text, entry.key);
        let steps = format!(
            "Turn {title} on for the app id {} in the developer account{}{}. Then regenerate the profiles.",
            id.text,
            account.request(&format!("ios-apps/{}/capabilities/{title}", id.text)),
            account.also(&format!("add \"{title}\" to its `capabilities` in"))
        );
        out.push(
            Finding::new(&ABOUT, entry.key.clone(), Place { file: list_file, span: entry.key_span }, message)
                .level(known.confidence.caps(ABOUT.level))
                .related(Place { file, span: id.span }, "registered here")
                .mend(Remedy::Manual(steps)),
        );
    }
}

/// Says whether a word of `account.toml` means the capability of an entitlement: its title, the key, or a capability as it is called
/// here.
fn names(word: &str, known: &ios::Entitlement) -> bool {
    let asks =
        |one: capability::Capability| one.needs().any(|need| need.kind == Kind::Entitlement && need.name == known.key);
    word.eq_ignore_ascii_case(known.capability)
        || word == known.key
        || capability::capability(&word.to_lowercase().replace(' ', "-")).is_some_and(asks)
}

/// Tells of ids that are not registered.
fn values(
    (list_file, entry): (FileId, &Entry),
    (what, at): (&str, &str),
    registered: &[Text],
    (account, file): (&Account, FileId),
    out: &mut Vec<Finding>,
) {
    for value in entry.value.as_array().unwrap_or_default() {
        let Some(id) = value.as_str().filter(|id| !id.contains('$')) else { continue };
        if registered.iter().any(|known| known.text == id) {
            continue;
        }
        let near = registered.iter().find(|known| known.text.eq_ignore_ascii_case(id));
        let (message, steps) = match near {
            Some(near) => (
                format!("the {what} {id} is registered as {}: the case of letters counts", near.text),
                format!("Write {} in the entitlements, or register {id}.", near.text),
            ),
            None => (
                format!("the {what} {id} is not registered in the developer account"),
                format!(
                    "Register {id} in the developer account{}{}.",
                    account.request(&format!("{at}/{id}")),
                    account.also("add it to")
                ),
            ),
        };
        let place = Place { file: list_file, span: value.span };
        let mut finding = Finding::new(&ABOUT, id, place, message).mend(Remedy::Manual(steps));
        let shown: Option<Span> = near.or(registered.first()).map(|known| known.span);
        if let Some(span) = shown {
            finding = finding.related(Place { file, span }, "registered here");
        }
        out.push(finding);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "entitlement-unregistered";

    fn with(account: &str) -> Fixture {
        let list = "<key>aps-environment</key>\n<string>production</string>\n<key>com.apple.developer.in-app-payments</key>\n<array>\n<string>merchant.example.marram</string>\n</array>\n<key>keychain-access-groups</key>\n<array>\n<string>$(AppIdentifierPrefix)x</string>\n</array>\n";
        Fixture::registered(list, account)
    }

    #[test]
    fn what_is_not_turned_on_is_told_and_what_the_file_does_not_speak_of_is_not() {
        let registered = |words: &str| {
            with(&format!("[[ios.apps]]\nid = 'example.marram.fieldlog'\ncapabilities = [{words}]\n")).found(ID)
        };
        assert_eq!(registered(""), ["error aps-environment 3:1", "error com.apple.developer.in-app-payments 5:1"]);
        // By the name here, by the key, by the title.
        assert!(registered("'push', 'com.apple.developer.in-app-payments'").is_empty());
        assert!(registered("'aps-environment', 'wallet-payments'").is_empty());
        assert!(with("[[ios.apps]]\nid = 'example.marram.fieldlog'\n").found(ID).is_empty());
        assert!(with("[[ios.apps]]\nid = 'example.reed'\ncapabilities = []\n").found(ID).is_empty(), "of another app");
        assert!(with("").found(ID).is_empty());
    }

    #[test]
    fn a_merchant_that_is_not_registered_is_told() {
        let found = with("[ios]\nmerchants = ['merchant.example.Marram']\n").findings(ID);
        assert_eq!(
            found[0].message,
            "the merchant id merchant.example.marram is registered as merchant.example.Marram: the case of letters counts"
        );
        assert_eq!(with("[ios]\nmerchants = []\n").found(ID), ["error merchant.example.marram 7:1"]);
        assert!(with("[ios]\nmerchants = ['merchant.example.marram']\n").found(ID).is_empty());
    }
}
