//! `elvask account request`.

use std::fs::{self, OpenOptions};
use std::io::Write as _;
use std::path::{Path, PathBuf};

use elvask_core::app::Look;
use elvask_keys::{certificate_request, to_pem};
use elvask_markup::plist::Value;
use elvask_project::surface::Surface;
use elvask_record::{FORMAT, RequestRecord};
use ring::rand::SystemRandom;
use ring::signature::{ECDSA_P256_SHA256_ASN1_SIGNING, EcdsaKeyPair, KeyPair as _};

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

pub(crate) fn run(options: &AccountRequest, output: &Output) -> Done {
    if options.used == CertificateUse::Push {
        let failure = "a push certificate takes an RSA key of 2048 bits, which this program does not make";
        return Err(Failure::new(failure).hint(
            "openssl req -new -newkey rsa:2048 -noenc -keyout push.key -out push.certSigningRequest -subj \"/CN=Marram push\"",
        ));
    }
    let app = options.app.options();
    let app = load_with(&app.choice, Look::Nowhere, output)?;
    let name = match &options.name {
        Some(name) => name.clone(),
        None => merchant(&app)?,
    };
    if name.is_empty() || name.chars().count() > MAX_NAME || name.chars().any(char::is_control) {
        return Err(Failure::new(format!("--name {}: a name has 1 to {MAX_NAME} characters", clean(&name))));
    }
    let start = options.output.clone().unwrap_or_else(|| app.root.join("certificates/wallet"));
    let [key_path, request_path] = ["key", "certSigningRequest"].map(|ending| with_ending(&start, ending));
    for path in [&key_path, &request_path] {
        if fs::symlink_metadata(path).is_ok() {
            return Err(Failure::new(format!("{}: it is there already, and is left alone", typed(path)))
                .hint("--output PATH names other files"));
        }
    }
    let unmade = |_| Failure::new("the system gave no random numbers, so no key is made");
    let random = SystemRandom::new();
    let document = EcdsaKeyPair::generate_pkcs8(&ECDSA_P256_SHA256_ASN1_SIGNING, &random).map_err(unmade)?;
    let key = EcdsaKeyPair::from_pkcs8(&ECDSA_P256_SHA256_ASN1_SIGNING, document.as_ref(), &random)
        .map_err(|_| Failure::new("the key that was made cannot be used; nothing is written"))?;
    let sign = |bytes: &[u8]| key.sign(&random, bytes).ok().map(|signature| signature.as_ref().to_vec());
    let request = certificate_request(&name, key.public_key().as_ref(), sign)
        .ok_or_else(|| Failure::new("the request cannot be signed; nothing is written"))?;
    write_new_file(&key_path, to_pem("PRIVATE KEY", document.as_ref()).as_bytes(), true)?;
    if let Err(failure) = write_new_file(&request_path, to_pem("CERTIFICATE REQUEST", &request).as_bytes(), false) {
        // The key of no request is of no use.
        let _ = fs::remove_file(&key_path);
        return Err(failure);
    }
    let certificate = with_ending(&start, "cer");
    let shown = elvask_project::files::shown(&certificate, &app.root);
    let steps = vec![
        format!(
            "Upload {} in the developer account: Identifiers, Merchant IDs, {name}, Payment Processing Certificate.",
            typed(&request_path)
        ),
        format!("Download the certificate and put it at {}.", typed(&certificate)),
        format!(
            "Name it in {}: [[ios.certificates]], file = \"{shown}\", for = \"wallet\".",
            elvask_core::account::ACCOUNT_FILE
        ),
        format!(
            "Bring {} to the server that processes the payments, and never into version control.",
            typed(&key_path)
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

/// Writes a file that is not there yet; a secret one can be read by its owner alone from the first moment on.
fn write_new_file(path: &Path, bytes: &[u8], secret: bool) -> Result<(), Failure> {
    let failed = |error: std::io::Error| Failure::new(format!("{}: {error}", typed(path)));
    if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        fs::create_dir_all(folder).map_err(failed)?;
    }
    let mut options = OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    if secret {
        std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    }
    #[cfg(not(unix))]
    let _ = secret;
    let mut file = options.open(path).map_err(failed)?;
    let written = file.write_all(bytes).and_then(|()| file.sync_all());
    written.map_err(|error| {
        // Half a key is none.
        let _ = fs::remove_file(path);
        failed(error)
    })
}
