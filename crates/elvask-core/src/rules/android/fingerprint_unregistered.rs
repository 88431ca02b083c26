//! `fingerprint-unregistered`: the app is said to be signed with a certificate that the account does not know.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::appfiles::AndroidApp;
use elvask_project::source::Place;

use crate::account::covers;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::account;

/// See the module.
pub struct FingerprintUnregistered;

static ABOUT: About = About {
    id: "fingerprint-unregistered",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a fingerprint of elvask.toml that is none of those of the app's certificates, as elvask/account.toml states them.",
    effect: "Links are verified, and services are opened, for a certificate with which no app of the store is signed.",
    wrong: "fingerprints = [\"14:6D:…\"]      # elvask.toml, [links]\nfingerprints = [\"9A:02:…\"]      # elvask/account.toml, [[android.apps]]",
    right: "fingerprints = [\"9A:02:…\"]",
    remedy: "A person writes the fingerprint that the store's console shows into both files.",
    source: "Sign your app",
};

impl Rule for FingerprintUnregistered {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (Some((account, file)), Some(said)) = (account(context), context.app.config_file) else { return };
        let apps = account.android_apps.as_deref().unwrap_or_default();
        let ids: Vec<&String> =
            context.app.android.iter().flat_map(AndroidApp::judged).filter_map(|one| one.id.value.as_ref()).collect();
        let apps = apps.iter().filter(|app| ids.iter().any(|id| covers(&app.id.text, id)));
        let known: Vec<_> = apps.filter_map(|app| app.fingerprints.as_ref()).flatten().collect();
        let Some(first) = known.first() else { return };
        for print in &context.app.config.links.fingerprints {
            if known.iter().any(|one| one.text.eq_ignore_ascii_case(&print.text)) {
                continue;
            }
            let message = format!("{} is the fingerprint of no certificate that is registered for the app", print.text);
            let steps = format!(
                "Compare with the store's console which certificate signs the app, and write its fingerprint into elvask.toml and {}.",
                account.name()
            );
            out.push(
                Finding::new(&ABOUT, print.text.clone(), Place { file: said, span: print.span }, message)
                    .related(Place { file, span: first.span }, "registered here")
                    .mend(Remedy::Manual(steps)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "fingerprint-unregistered";

    fn found(registered: &str) -> Vec<String> {
        let build = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    applicationId 'example.marram'\n  }\n}\n";
        let print = vec!["AB"; 32].join(":");
        let mut app = Fixture::android("")
            .build(build)
            .file("elvask.toml", &format!("elvask = 1\n[links]\nfingerprints = ['{print}']\n"))
            .file(
                "elvask/account.toml",
                &format!("account = 1\n[[android.apps]]\nid = 'example.marram'\n{registered}\n"),
            );
        app.settings.accounts = true;
        app.found(ID)
    }

    #[test]
    fn a_certificate_that_nobody_registered_is_told() {
        let print = |pair: &str| format!("fingerprints = ['{}']", vec![pair; 32].join(":"));
        assert_eq!(found(&print("CD")).len(), 1);
        assert!(found(&print("ab")).is_empty());
        assert!(found("").is_empty(), "the file does not speak of certificates");
    }
}
