//! Reading what is registered: `account.toml` or what a service said, and the files that it names.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use elvask_keys::{Certificate, CertificateError, StoreKind};
use elvask_platform::{List, Platform};
use elvask_project::files::FileKind;
use elvask_project::loading::{FaultKind, Loading};
use elvask_project::source::FileId;
use elvask_project::tomldoc::{self, Problem, Table, Text, span_of};

use super::{
    ACCOUNT_FILE, Account, Fetched, Given, PRODUCT_STATES, PRODUCT_TYPES, Product, Profile, Registered, Statement,
};

impl Account {
    /// Reads `account.toml` of an app, and what it names, where there is one; in its place what a service said, where one was asked.
    ///
    /// `environment` returns a variable of the environment, for the passwords of stores.
    pub(crate) fn load(loading: &mut Loading<'_>, fetched: Option<&Fetched>, environment: Environment) -> Account {
        let path = loading.root.join(ACCOUNT_FILE);
        let (file, text) = match fetched {
            Some(fetched) => {
                let shown = format!("{}/v1/account", fetched.from);
                let file = loading.sources.add_named(&path, &shown, fetched.text.as_str());
                (file, loading.sources.file(file).text.clone())
            }
            None if !loading.files.is_file(&path) => return Account::default(),
            None => {
                let Some(read) = loading.read(&path, ACCOUNT_FILE) else { return Account::default() };
                read
            }
        };
        let (written, problems) = tomldoc::parse(&text, read);
        loading.problems(FaultKind::Config, file, problems);
        let (store_files, schemes) =
            if written.account.products.is_some() { store_files(loading) } else { Default::default() };
        let bytes = |path: &str| match fetched {
            Some(fetched) => fetched.files.get(path).cloned().ok_or_else(|| "is not there".to_owned()),
            None => handed_out(loading, path),
        };
        let profile = |bytes: &[u8], _: Option<&str>| Profile::read(bytes).map_err(Closed::Unread);
        Account {
            file: Some(file),
            service: fetched.map(|fetched| fetched.from.clone()),
            store_files,
            schemes,
            profiles: written.profiles.into_iter().map(|one| given(one, &bytes, environment, profile)).collect(),
            certificates: written
                .certificates
                .into_iter()
                .map(|one| given(one, &bytes, environment, certificate))
                .collect(),
            ..written.account
        }
    }
}

/// How deep below the app's folder files that stand in for the store are looked for.
const STORE_FILE_DEPTH: usize = 3;

/// In how many folders at most.
const STORE_FILE_FOLDERS: usize = 200;

/// Where a project keeps the schemes that it shares.
const SCHEMES: &str = "xcshareddata/xcschemes";

/// Reads the files with which Xcode stands in for the store, and the schemes that may name one.
fn store_files(loading: &mut Loading<'_>) -> (Vec<FileId>, Vec<FileId>) {
    let (mut found, mut schemes) = (Vec::new(), Vec::new());
    let mut open = vec![(loading.root.clone(), 0)];
    let mut folders = 0;
    while let Some((folder, depth)) = open.pop() {
        folders += 1;
        if folders > STORE_FILE_FOLDERS {
            loading.notice(format!(
                "StoreKit files are looked for in {STORE_FILE_FOLDERS} folders, and the app has more; products of others are not known"
            ));
            break;
        }
        for entry in
            loading.files.entries(&folder).into_iter().filter(|entry| !entry.link && !entry.name.starts_with('.'))
        {
            let path = folder.join(&entry.name);
            match entry.kind {
                FileKind::File if entry.name.ends_with(".storekit") => found.push(path),
                FileKind::Folder if [".xcodeproj", ".xcworkspace"].iter().any(|end| entry.name.ends_with(end)) => {
                    let names = loading.files.list(&path.join(SCHEMES)).into_iter().map(|(name, _)| name);
                    let own = names.filter(|name| name.ends_with(".xcscheme"));
                    schemes.extend(own.map(|name| path.join(SCHEMES).join(name)));
                }
                FileKind::Folder if depth < STORE_FILE_DEPTH && !List::FolderNotOwn.has(&entry.name) => {
                    open.push((path, depth + 1));
                }
                _ => {}
            }
        }
    }
    found.sort();
    schemes.sort();
    let mut read = |path: &Path| {
        let shown = loading.shown(path);
        loading.read(path, &shown).map(|(file, _)| file)
    };
    let mut all = |paths: &[PathBuf]| paths.iter().filter_map(|path| read(path)).collect();
    (all(&found), all(&schemes))
}

/// Returns a variable of the environment.
pub(crate) type Environment = fn(&str) -> Option<String>;

/// Why a file does not say what is in it.
enum Closed {
    /// It cannot be read, for a reason that follows its name.
    Unread(String),
    /// It is locked, and nobody said what opens it.
    Locked,
}

/// Reads the certificate of a file; of a store with several, the one whose key is there too.
fn certificate(bytes: &[u8], password: Option<&str>) -> Result<Certificate, Closed> {
    let (_, certificates) = match elvask_keys::read(bytes, password) {
        // Some stores are locked with a password of no letters.
        Err(CertificateError::Locked) => match elvask_keys::read(bytes, Some("")) {
            Err(CertificateError::WrongPassword) => return Err(Closed::Locked),
            other => other,
        },
        other => other,
    }
    .map_err(|error| Closed::Unread(format!("cannot be read: {error}")))?;
    let mut certificates = certificates;
    let at = certificates.iter().position(|one| one.has_key).unwrap_or(0);
    if certificates.is_empty() {
        return Err(Closed::Unread("holds no certificate".to_owned()));
    }
    Ok(certificates.swap_remove(at))
}

/// Reads the bytes of a file that `account.toml` names; nothing outside of the app is.
fn handed_out(loading: &Loading<'_>, path: &str) -> Result<Vec<u8>, String> {
    let whole = loading.root.join(path);
    let real = |path: &Path| loading.files.real(path);
    if !loading.files.is_file(&whole) {
        return Err("is not there".to_owned());
    }
    if !real(&whole).starts_with(real(&loading.root)) {
        return Err("lies outside of the app, and is not read".to_owned());
    }
    loading.files.read(&whole).map_err(|error| format!("cannot be read: {error}"))
}

/// Reads what is in a file.
fn given<T>(
    named: Named,
    bytes: &dyn Fn(&str) -> Result<Vec<u8>, String>,
    environment: Environment,
    read: impl Fn(&[u8], Option<&str>) -> Result<T, Closed>,
) -> Given<T> {
    let Named { path, used, target, password } = named;
    let opened = password.as_ref().and_then(|name| environment(&name.text));
    let bytes = bytes(&path.text);
    let read = match &bytes {
        Ok(bytes) => read(bytes, opened.as_deref()),
        Err(why) => Err(Closed::Unread(why.clone())),
    };
    let locked = matches!(read, Err(Closed::Locked));
    let says = read.map_err(|closed| match (closed, &password) {
        (Closed::Unread(why), _) => why,
        (Closed::Locked, Some(name)) => {
            format!("is locked with a password, and the environment has no {}", name.text)
        }
        (Closed::Locked, None) => {
            "is locked with a password: `password-env` names the variable of the environment that holds it".to_owned()
        }
    });
    Given { path, used, target, says, bytes: bytes.ok().map(Arc::from), locked }
}

/// Says whether what is registered can be read back whole.
///
/// # Errors
/// What is wrong with it.
pub fn fits(statement: &Statement) -> Result<(), String> {
    let (_, problems) = tomldoc::parse(&statement.to_toml(), read);
    problems.first().map_or(Ok(()), |problem| Err(problem.message.clone()))
}

/// Says whether bytes are a profile, or a certificate without its private key.
///
/// # Errors
/// What they are instead, in words that follow the name of the file.
pub fn is_handed_out(bytes: &[u8], profile: bool) -> Result<(), String> {
    if profile {
        return Profile::read(bytes).map(|_| ());
    }
    if bytes.windows(KEY_MARK.len()).any(|part| part == KEY_MARK) {
        return Err("holds a private key, which stays with its owner".to_owned());
    }
    match elvask_keys::read(bytes, None) {
        Ok((StoreKind::Der | StoreKind::Pem, _)) => Ok(()),
        Ok(_) | Err(CertificateError::Locked) => {
            Err("is a key store: the certificate alone is registered, and the key stays with its owner".to_owned())
        }
        Err(error) => Err(format!("cannot be read: {error}")),
    }
}

/// What stands in a text that holds a private key.
const KEY_MARK: &[u8] = b"PRIVATE KEY-----";

/// A file that is named and not read yet.
struct Named {
    path: Text,
    used: Option<Text>,
    target: Option<Text>,
    /// The variable of the environment that holds the password.
    password: Option<Text>,
}

#[derive(Default)]
struct Written {
    account: Account,
    profiles: Vec<Named>,
    certificates: Vec<Named>,
}

fn read(root: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Written {
    root.refuse_others(&["account", "ios", "android", "products"], problems);
    match root.number("account", problems) {
        Some(1) => {}
        Some(other) => {
            let span = root.get("account").map_or(root.span, span_of);
            let message = format!("version {other} of this file is not known; this Elvask reads 1");
            problems.push(Problem { message, span });
        }
        None if root.get("account").is_none() => {
            let message = "`account = 1` is missing: it says in which version of its format the file is written";
            problems.push(Problem { message: message.to_owned(), span: root.span });
        }
        None => {}
    }
    let mut written = Written::default();
    if let Some(ios) = root.table("ios", "`[ios]`", problems) {
        ios.refuse_others(
            &["team", "merchants", "app-groups", "service-ids", "apps", "profiles", "certificates"],
            problems,
        );
        written.account.team = ios.text("team", problems);
        let mut known = |key: &str| ios.get(key).is_some().then(|| ios.texts(key, false, problems));
        (written.account.merchants, written.account.groups) = (known("merchants"), known("app-groups"));
        written.account.ios_apps = apps(&ios, Platform::Ios, problems);
        service_ids(&ios, Platform::Ios, &mut written.account, problems);
        for profile in ios.tables("profiles", "a profile", problems) {
            profile.refuse_others(&["file", "configuration", "target"], problems);
            let Some(path) = profile.required_text("file", problems) else { continue };
            let (used, target) = (profile.text("configuration", problems), profile.text("target", problems));
            written.profiles.push(Named { path, used, target, password: None });
        }
        for certificate in ios.tables("certificates", "a certificate", problems) {
            certificate.refuse_others(&["file", "for", "password-env"], problems);
            let Some(path) = certificate.required_text("file", problems) else { continue };
            let used = certificate.text("for", problems);
            one_of("for", used.as_ref(), &CERTIFICATE_USES, problems);
            let password = certificate.text("password-env", problems);
            written.certificates.push(Named { path, used, target: None, password });
        }
    }
    if root.get("products").is_some() {
        let mut products = Vec::new();
        for product in root.tables("products", "a product", problems) {
            product.refuse_others(&["id", "type", "state"], problems);
            let Some(id) = product.required_text("id", problems) else { continue };
            let (kind, state) = (product.text("type", problems), product.text("state", problems));
            one_of("type", kind.as_ref(), &PRODUCT_TYPES, problems);
            one_of("state", state.as_ref(), &PRODUCT_STATES, problems);
            products.push(Product { id, kind, state });
        }
        written.account.products = Some(products);
    }
    if let Some(android) = root.table("android", "`[android]`", problems) {
        android.refuse_others(&["service-ids", "apps"], problems);
        written.account.android_apps = apps(&android, Platform::Android, problems);
        service_ids(&android, Platform::Android, &mut written.account, problems);
    }
    written
}

/// What a certificate can be for.
const CERTIFICATE_USES: [&str; 2] = ["push", "wallet"];

/// Notes a word that is none of those that are known.
fn one_of(key: &str, written: Option<&Text>, known: &[&str], problems: &mut Vec<Problem>) {
    if let Some(written) = written.filter(|written| !known.contains(&written.text.as_str())) {
        problems
            .push(Problem { message: format!("`{key}` must be one of {}", tomldoc::list(known)), span: written.span });
    }
}

fn apps(table: &Table<'_, '_>, platform: Platform, problems: &mut Vec<Problem>) -> Option<Vec<Registered>> {
    table.get("apps")?;
    let of_platform = match platform {
        Platform::Ios => "capabilities",
        Platform::Android => "fingerprints",
    };
    let mut out = Vec::new();
    for app in table.tables("apps", "an app", problems) {
        app.refuse_others(&["id", of_platform, "highest-build"], problems);
        let Some(id) = app.required_text("id", problems) else { continue };
        let known = (app.get(of_platform).is_some()).then(|| app.texts(of_platform, false, &mut *problems));
        let (capabilities, fingerprints) = match platform {
            Platform::Ios => (known, None),
            Platform::Android => (None, known),
        };
        let highest_build = match app.get("highest-build") {
            Some(value) if value.get_ref().as_integer().is_some() => {
                let number = app.number("highest-build", problems);
                number.map(|number| Text { text: number.to_string(), span: span_of(value) })
            }
            _ => app.text("highest-build", problems),
        };
        out.push(Registered { id, capabilities, fingerprints, highest_build });
    }
    Some(out)
}

/// Reads what services call the app.
fn service_ids(table: &Table<'_, '_>, platform: Platform, account: &mut Account, problems: &mut Vec<Problem>) {
    let Some(ids) = table.table("service-ids", "`service-ids`", problems) else { return };
    for (name, _) in ids.entries() {
        if let Some(value) = ids.text(&name.text, problems) {
            account.service_ids.push((platform, name, value));
        }
    }
}
