//! `elvask fingerprint`.

use std::fs;
use std::io::Read as _;
use std::path::Path;

use elvask_keys::{Certificate, CertificateError, MAX_STORE, read};
use elvask_record::{CertificateRecord, FORMAT, FingerprintRecord};

use super::{Done, Outcome};
use crate::input::can_ask;
use crate::options::Format;
use crate::options::link::Fingerprint;
use crate::output::{Failure, Output};
use crate::render::style::{FAINT, HEADING, paint};
use crate::render::{clean, columns};

/// How often a person may mistype a password.
const TRIES: usize = 3;

// In one piece: the steps of the command, each of which may end it.
pub(crate) fn run(options: &Fingerprint, output: &Output) -> Done {
    let shown = options.file.display().to_string();
    let bytes = load(&options.file)?;
    let given = password(options)?;
    let failed = |error: CertificateError| Failure::new(format!("{shown}: {error}"));
    let mut result = read(&bytes, given.as_deref());
    if given.is_none() && result == Err(CertificateError::Locked) {
        if !can_ask() {
            return Err(
                failed(CertificateError::Locked).hint("give it with --password-file FILE or --password-env NAME")
            );
        }
        for _ in 0..TRIES {
            let typed = rpassword::prompt_password(format!("Password of {shown}: "))
                .map_err(|error| Failure::new(format!("no password could be read: {error}")))?;
            result = read(&bytes, Some(&typed));
            if result != Err(CertificateError::WrongPassword) {
                break;
            }
            output.say("That password does not open the store.");
        }
    }
    let (kind, all) = result.map_err(failed)?;
    let names: Vec<String> = all.iter().filter_map(|one| one.alias.clone()).collect();
    let listed: Vec<Certificate> = match &options.alias {
        Some(wanted) => all
            .into_iter()
            .filter(|one| one.alias.as_ref().is_some_and(|alias| alias.eq_ignore_ascii_case(wanted)))
            .collect(),
        None => all,
    };
    if listed.is_empty() {
        let known = if names.is_empty() {
            "it has no named entries".to_owned()
        } else {
            format!("it has {}", names.join(", "))
        };
        return Err(Failure::new(format!(
            "{shown}: there is no entry {}; {known}",
            options.alias.as_deref().unwrap_or_default()
        )));
    }
    if options.format == Format::Json {
        let record = |one: &Certificate| CertificateRecord {
            alias: one.alias.clone(),
            has_key: one.has_key,
            subject: one.subject.clone(),
            until: one.until.clone(),
            sha256: one.sha256.clone(),
            sha1: one.sha1.clone(),
        };
        output.json(&FingerprintRecord {
            format: FORMAT,
            file: shown,
            store: kind.title(),
            certificates: listed.iter().map(record).collect(),
        });
        return Ok(Outcome::Clean);
    }
    if output.quiet {
        output.result(&listed.iter().map(|one| format!("{}\n", one.sha256)).collect::<String>());
        return Ok(Outcome::Clean);
    }
    let mut text = String::new();
    for one in &listed {
        let name = one.alias.as_deref().unwrap_or("certificate");
        let key = if one.has_key { "with its private key" } else { "without a private key" };
        text.push_str(&format!(
            "{}  {}\n",
            paint(HEADING, &clean(name)),
            paint(FAINT, &format!("{}, {key}", kind.title()))
        ));
        let rows =
            [("of", one.subject.as_str()), ("until", &one.until), ("SHA-256", &one.sha256), ("SHA-1", &one.sha1)];
        let rows: Vec<_> =
            rows.iter().map(|(label, value)| vec![paint(FAINT, label), clean(value).into_owned()]).collect();
        text.push_str(&columns(&rows, 2));
    }
    let prints: Vec<_> = listed.iter().map(|one| format!("\"{}\"", one.sha256)).collect();
    text.push_str(&format!(
        "\n{}\n[links]\nfingerprints = [{}]\n",
        paint(FAINT, "# for elvask.toml, where builds are signed with it:"),
        prints.join(", ")
    ));
    output.result(&text);
    Ok(Outcome::Clean)
}

fn load(path: &Path) -> Result<Vec<u8>, Failure> {
    let failed = |error: std::io::Error| Failure::new(format!("{}: {error}", path.display()));
    let file = fs::File::open(path).map_err(failed)?;
    let mut bytes = Vec::new();
    // One byte more than is read of any store tells that there is more.
    let limit = u64::try_from(MAX_STORE).unwrap_or(u64::MAX) + 1;
    file.take(limit).read_to_end(&mut bytes).map_err(failed)?;
    Ok(bytes)
}

/// Returns the password that a file or the environment holds.
fn password(options: &Fingerprint) -> Result<Option<String>, Failure> {
    if let Some(name) = &options.password_env {
        return match std::env::var(name) {
            Ok(password) => Ok(Some(password)),
            Err(_) => Err(Failure::new(format!("--password-env {name}: there is no such variable in the environment"))),
        };
    }
    let Some(path) = &options.password_file else { return Ok(None) };
    let text = String::from_utf8(load(path)?)
        .map_err(|_| Failure::new(format!("{}: the file is not UTF-8", path.display())))?;
    Ok(Some(text.lines().next().unwrap_or_default().to_owned()))
}
