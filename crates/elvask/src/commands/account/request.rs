//! `elvask account request`.

use std::fs;
use std::path::{Path, PathBuf};

use elvask_core::app::Look;
use elvask_keys::{PublicKey, certificate_request, to_pem};
use elvask_markup::plist::Value;
use elvask_project::surface::Surface;
use elvask_record::{FORMAT, RequestRecord};
use ring::rand::SystemRandom;
use ring::signature::{ECDSA_P256_SHA256_ASN1_SIGNING, EcdsaKeyPair, KeyPair as _, RSA_PKCS1_SHA256, RsaKeyPair};
use rsa::pkcs8::EncodePrivateKey as _;

use super::write_new_file;
use crate::commands::{Done, Outcome, load_with, typed};
use crate::options::Format;
use crate::options::account::{AccountRequest, CertificateUse};
use crate::output::{Failure, Output};
use crate::render::style::{GOOD, HEADING, paint};
use crate::render::{clean, width, wrap};

/// The longest common name of a certificate, in characters.
///
/// Source: RFC 5280, appendix A.1, `ub-common-name`.
const MAX_NAME: usize = 64;

/// How many bits an RSA key has for a push certificate.
///
/// Source: "Create a certificate signing request".
const RSA_BITS: usize = 2048;

pub(crate) fn run(options: &AccountRequest, output: &Output) -> Done {
    let app = options.app.options();
    let app = load_with(&app.choice, Look::Nowhere, output)?;
    let (place, word) = match options.used {
        CertificateUse::Wallet => ("Merchant IDs", "wallet"),
        CertificateUse::Push => ("App IDs", "push"),
    };
    let name = match (&options.name, options.used) {
        (Some(name), _) => name.clone(),
        (None, CertificateUse::Wallet) => merchant(&app)?,
        (None, CertificateUse::Push) => app.ios.as_ref().and_then(|ios| ios.id.value.clone()).ok_or_else(|| {
            Failure::new("the app's bundle id is not known without running the build")
                .hint("--name example.marram.fieldlog names it")
        })?,
    };
    if name.is_empty() || name.chars().count() > MAX_NAME || name.chars().any(char::is_control) {
        return Err(Failure::new(format!("--name {}: a name has 1 to {MAX_NAME} characters", clean(&name))));
    }
    let start = options.output.clone().unwrap_or_else(|| app.root.join("certificates").join(word));
    let [key_path, request_path] = ["key", "certSigningRequest"].map(|ending| with_ending(&start, ending));
    for path in [&key_path, &request_path] {
        if fs::symlink_metadata(path).is_ok() {
            return Err(Failure::new(format!("{}: it is there already, and is left alone", typed(path)))
                .hint("--output PATH names other files"));
        }
    }
    let (key, request) = match options.used {
        CertificateUse::Wallet => elliptic(&name),
        CertificateUse::Push => rsa(&name),
    }?;
    write_new_file(&key_path, to_pem("PRIVATE KEY", &key).as_bytes(), true)?;
    if let Err(failure) = write_new_file(&request_path, to_pem("CERTIFICATE REQUEST", &request).as_bytes(), false) {
        // The key of no request is of no use.
        let _ = fs::remove_file(&key_path);
        return Err(failure);
    }
    let certificate = with_ending(&start, "cer");
    let shown = elvask_project::files::shown(&certificate, &app.root);
    let steps = vec![
        format!(
            "Upload {} in the developer account: Identifiers, {place}, {name}, {}.",
            typed(&request_path),
            match options.used {
                CertificateUse::Wallet => "Payment Processing Certificate",
                CertificateUse::Push => "Push Notifications, Production SSL Certificate",
            }
        ),
        format!("Download the certificate and put it at {}.", typed(&certificate)),
        format!(
            "Name it in {}: [[ios.certificates]], file = \"{shown}\", for = \"{word}\".",
            elvask_core::account::ACCOUNT_FILE
        ),
        format!(
            "Bring {} to the server that {}, and never into version control.",
            typed(&key_path),
            match options.used {
                CertificateUse::Wallet => "processes the payments",
                CertificateUse::Push => "sends the messages",
            }
        ),
    ];
    if options.app.options().format == Format::Json {
        let record =
            RequestRecord { format: FORMAT, name, key: typed(&key_path), request: typed(&request_path), steps };
        output.json(&record);
        return Ok(Outcome::Clean);
    }
    let mut text = String::new();
    for path in [&key_path, &request_path] {
        text.push_str(&format!("{} {}\n", paint(GOOD, "wrote"), clean(&typed(path))));
    }
    text.push_str(&format!("\n{}\n", paint(HEADING, "What to do, in this order:")));
    for (at, step) in steps.iter().enumerate() {
        let body = wrap(&clean(step), width(), 5);
        text.push_str(&format!("{:>3}. {}", at + 1, body.trim_start()));
    }
    output.result(&text);
    Ok(Outcome::Clean)
}

/// Makes a key on the elliptic curve P-256 and a request for its certificate, both in the binary form.
fn elliptic(name: &str) -> Result<(Vec<u8>, Vec<u8>), Failure> {
    let random = SystemRandom::new();
    let document = EcdsaKeyPair::generate_pkcs8(&ECDSA_P256_SHA256_ASN1_SIGNING, &random).map_err(|_| unmade())?;
    let key = EcdsaKeyPair::from_pkcs8(&ECDSA_P256_SHA256_ASN1_SIGNING, document.as_ref(), &random)
        .map_err(|_| unusable())?;
    let sign = |bytes: &[u8]| key.sign(&random, bytes).ok().map(|signature| signature.as_ref().to_vec());
    let request = certificate_request(name, PublicKey::P256(key.public_key().as_ref()), sign).ok_or_else(unusable)?;
    Ok((document.as_ref().to_vec(), request))
}

/// Makes an RSA key and a request for its certificate, both in the binary form.
fn rsa(name: &str) -> Result<(Vec<u8>, Vec<u8>), Failure> {
    let made = rsa::PrivateKey::new(&mut getrandom::SysRng, RSA_BITS).map_err(|_| unmade())?;
    let document = made.to_pkcs8_der().map_err(|_| unusable())?;
    // It is signed by the library that signs elsewhere too, which looks at the key once more.
    let key = RsaKeyPair::from_pkcs8(document.as_bytes()).map_err(|_| unusable())?;
    let random = SystemRandom::new();
    let sign = |bytes: &[u8]| {
        let mut signature = vec![0; key.public().modulus_len()];
        key.sign(&RSA_PKCS1_SHA256, &random, bytes, &mut signature).ok().map(|()| signature)
    };
    let request = certificate_request(name, PublicKey::Rsa(key.public().as_ref()), sign).ok_or_else(unusable)?;
    Ok((document.as_bytes().to_vec(), request))
}

fn unmade() -> Failure {
    Failure::new("the system gave no random numbers, so no key is made")
}

fn unusable() -> Failure {
    Failure::new("the key that was made cannot be used; nothing is written")
}

/// Returns the merchant id that the app's entitlement names, where it is one.
fn merchant(app: &elvask_core::App) -> Result<String, Failure> {
    let surface = Surface::read(app, &app.sources);
    let entry = surface.entitlements().and_then(|(_, list)| list.entry("com.apple.developer.in-app-payments"));
    let ids: Vec<&str> =
        entry.and_then(|entry| entry.value.as_array()).unwrap_or_default().iter().filter_map(Value::as_str).collect();
    match ids.as_slice() {
        [one] if !one.contains('$') => Ok((*one).to_owned()),
        [] => Err(Failure::new("the app has no entitlement for payments, so its merchant id is not known")
            .hint("--name merchant.example.marram names it")),
        _ => Err(Failure::new("the app's entitlement for payments does not name one merchant id")
            .hint("--name says for which of them the certificate is")),
    }
}

fn with_ending(start: &Path, ending: &str) -> PathBuf {
    let mut name = start.file_name().unwrap_or_default().to_owned();
    name.push(format!(".{ending}"));
    start.with_file_name(name)
}
