//! `certificate-unfit`: a certificate of a service does not serve this app.

use elvask_keys::{Certificate, Key};
use elvask_needs::remedy::Remedy;
use elvask_platform::{Platform, ios};
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::account;
use crate::rules::support::identity::differs_at;

/// See the module.
pub struct CertificateUnfit;

static ABOUT: About = About {
    id: "certificate-unfit",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a certificate named in elvask/account.toml that cannot be read, has run out, is for another app or merchant, or has a key of another kind than its service takes.",
    effect: "Messages are refused by the push service, or payments cannot be decrypted; the app itself shows nothing of it.",
    wrong: "(a push certificate for example.marram.FieldLog, and an app example.marram.fieldlog)",
    right: "(a push certificate for example.marram.fieldlog)",
    remedy: "A person makes a signing request with the right key and fetches the certificate for it from the developer account.",
    source: "Establishing a certificate-based connection to the push service; Create a payment processing certificate",
};

/// The size of the elliptic key of a certificate for processing payments, in bits.
///
/// Source: "Create a payment processing certificate".
const PAYMENT_KEY: u32 = 256;

impl Rule for CertificateUnfit {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (Some((account, file)), Some(ios)) = (account(context), &context.app.ios) else { return };
        for given in &account.certificates {
            let path = &given.path.text;
            let mut tell = |message: String, steps: String, level: Level| {
                let place = Place { file, span: given.path.span };
                out.push(Finding::new(&ABOUT, path, place, message).level(level).mend(Remedy::Manual(steps)));
            };
            let certificate = match &given.says {
                Ok(certificate) => certificate,
                // Whoever cannot open it is not told that it is wrong.
                Err(_) if given.locked => continue,
                Err(why) => {
                    let steps = format!("Get the certificate from the developer account and put it at {path}.");
                    tell(format!("{path} {why}"), steps, Level::Error);
                    continue;
                }
            };
            let anew =
                |what: &str| format!("Make a certificate {what} in the developer account, and put it at {path}.");
            if let Some(today) = &context.settings.today {
                if certificate.until < *today {
                    tell(format!("{path} ran out on {}", certificate.until), anew("that is valid"), Level::Error);
                } else if certificate.from > *today {
                    let message = format!("{path} is not valid before {}", certificate.from);
                    tell(message, anew("that is valid"), Level::Error);
                }
            }
            let of = certificate.user_id.as_deref();
            match use_of(given.used.as_ref().map(|used| used.text.as_str()), certificate) {
                Some(Use::Push) => {
                    if let (Some(of), Some(id)) = (of, &ios.id.value)
                        && of != id
                    {
                        let case = differs_at(id, of).map(|where_| format!(": {where_}")).unwrap_or_default();
                        let message = format!("{path} is for pushing to {of}, and the app is {id}{case}");
                        tell(message, anew(&format!("for {id}")), Level::Error);
                    }
                    let has = |oid: &str| certificate.extensions.iter().any(|one| one == oid);
                    if context.settings.release
                        && has(ios::PUSH_DEVELOPMENT_EXTENSION)
                        && !has(ios::PUSH_PRODUCTION_EXTENSION)
                    {
                        let message = format!("{path} is for pushing to development builds alone");
                        tell(message, anew("for production"), Level::Error);
                    }
                }
                Some(Use::Wallet) => {
                    let merchants = merchants(context);
                    if let Some(of) = of.filter(|of| !merchants.is_empty() && !merchants.iter().any(|one| one == of)) {
                        let message = format!(
                            "{path} is for the merchant id {of}, and the app's entitlement names {}",
                            merchants.join(", ")
                        );
                        tell(message, anew("for the app's merchant id"), Level::Error);
                    }
                    if certificate.key != Key::Elliptic(PAYMENT_KEY) {
                        let message = format!(
                            "{path} has {}, and payments are processed with an elliptic key of {PAYMENT_KEY} bits",
                            certificate.key
                        );
                        // The one with which the server says who it is has another key.
                        let level = if given.used.is_some() { Level::Error } else { Level::Note };
                        tell(message, anew(&format!("with an elliptic key of {PAYMENT_KEY} bits")), level);
                    }
                }
                None => {}
            }
        }
    }
}

enum Use {
    Push,
    Wallet,
}

/// What a certificate is for: as it is said, else as it says itself.
fn use_of(said: Option<&str>, certificate: &Certificate) -> Option<Use> {
    let push = [ios::PUSH_DEVELOPMENT_EXTENSION, ios::PUSH_PRODUCTION_EXTENSION];
    match said {
        Some("push") => Some(Use::Push),
        Some("wallet") => Some(Use::Wallet),
        Some(_) => None,
        None if certificate.extensions.iter().any(|one| push.contains(&one.as_str())) => Some(Use::Push),
        None if certificate.user_id.as_deref().is_some_and(|id| id.starts_with("merchant.")) => Some(Use::Wallet),
        None => None,
    }
}

/// The merchant ids that the app's entitlements name.
fn merchants(context: &Context<'_>) -> Vec<String> {
    let list = context.surface.entitlements().map(|(_, list)| list);
    let entry = list.and_then(|list| list.entry("com.apple.developer.in-app-payments"));
    let values = entry.and_then(|entry| entry.value.as_array()).unwrap_or_default();
    values.iter().filter_map(|value| value.as_str()).filter(|id| !id.contains('$')).map(str::to_owned).collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "certificate-unfit";

    fn with(account: &str) -> Fixture {
        let list = "<key>com.apple.developer.in-app-payments</key>\n<array>\n<string>merchant.example.marram</string>\n</array>\n";
        let mut app = Fixture::registered(list, account);
        app.settings.today = Some("2027-01-01".to_owned());
        app
    }

    fn messages(name: &str, more: &str, release: bool) -> Vec<String> {
        let mut app = with(&format!("[[ios.certificates]]\nfile = '{name}.cer'\n{more}"));
        app.settings.release = release;
        app.findings(ID).into_iter().map(|finding| finding.message).collect()
    }

    #[test]
    fn a_push_certificate_is_for_this_app_and_for_what_ships() {
        assert!(messages("push", "for = 'push'\n", true).is_empty());
        assert!(messages("push-development", "", false).is_empty());
        assert_eq!(
            messages("push-development", "", true),
            ["push-development.cer is for pushing to development builds alone"]
        );
        let past = messages("push-past", "", false);
        assert_eq!(past.len(), 2, "{past:?}");
        assert!(past[0].starts_with("push-past.cer ran out on 20"), "{past:?}");
        assert_eq!(
            past[1],
            "push-past.cer is for pushing to example.marram.FieldLog, and the app is example.marram.fieldlog: letter 16 is `f` here and `F` there"
        );
    }

    #[test]
    fn a_certificate_for_payments_has_the_right_merchant_and_key() {
        assert!(messages("merchant", "for = 'wallet'\n", true).is_empty());
        assert_eq!(
            messages("merchant-rsa", "for = 'wallet'\n", false),
            ["merchant-rsa.cer has RSA with 2048 bits, and payments are processed with an elliptic key of 256 bits"]
        );
        assert_eq!(messages("nowhere", "", false), ["nowhere.cer is not there"]);
    }
}
