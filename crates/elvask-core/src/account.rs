//! `elvask/account.toml`: what is registered in the developer accounts, and the certificates and profiles that they handed out.
//!
//! What the file does not speak of is not known, and nothing is held against it.

use std::path::Path;

use elvask_keys::{Certificate, signed_content};
use elvask_markup::plist::{Entry, PropertyList, Value, ValueKind};
use elvask_platform::List;
use elvask_project::files::FileKind;
use elvask_project::loading::{FaultKind, Loading};
use elvask_project::source::FileId;
use elvask_project::tomldoc::{self, Problem, Table, Text, span_of};

/// Where the file stands in the folder of the app.
pub const ACCOUNT_FILE: &str = "elvask/account.toml";

/// What is registered.
#[derive(Debug, Clone, Default)]
pub struct Account {
    /// The file; `None` where there is none.
    pub file: Option<FileId>,
    /// The team on iOS.
    pub team: Option<Text>,
    /// The apps on iOS, where it speaks of them.
    pub ios_apps: Option<Vec<Registered>>,
    /// The apps on Android, where it speaks of them.
    pub android_apps: Option<Vec<Registered>>,
    /// The merchant ids, where it speaks of them.
    pub merchants: Option<Vec<Text>>,
    /// The app groups, where it speaks of them.
    pub groups: Option<Vec<Text>>,
    /// The products of the stores, where it speaks of them.
    pub products: Option<Vec<Product>>,
    /// The files with which Xcode stands in for the store, where products are stated.
    pub store_files: Vec<FileId>,
    /// The provisioning profiles.
    pub profiles: Vec<Given<Profile>>,
    /// The certificates.
    pub certificates: Vec<Given<Certificate>>,
}

/// An app that is registered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Registered {
    /// Its id; on iOS it may end with a star that stands for any.
    pub id: Text,
    /// The capabilities that are turned on for it, by their titles or as capabilities are called here, where the file speaks of them.
    pub capabilities: Option<Vec<Text>>,
}

/// A product that a store has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Product {
    /// Its id.
    pub id: Text,
    /// How far it has come: one of [`PRODUCT_STATES`]; for sale where nothing is said.
    pub state: Option<Text>,
}

/// What can be said of how far a product has come; of the first it is for sale.
pub const PRODUCT_STATES: [&str; 3] = ["ready", "draft", "removed"];

/// A file that an account handed out.
#[derive(Debug, Clone)]
pub struct Given<T> {
    /// Its path from the app's folder, as `account.toml` has it.
    pub path: Text,
    /// What it is for: the configuration that a profile signs, or the service that a certificate opens.
    pub used: Option<Text>,
    /// The target that a profile signs; the app's own where none is named.
    pub target: Option<Text>,
    /// What it says, or why that is not known, in words that follow the name of the file.
    pub says: Result<T, String>,
}

/// A provisioning profile.
///
/// Source: "TN3125: Inside Code Signing: Provisioning Profiles".
#[derive(Debug, Clone)]
pub struct Profile {
    /// Its name.
    pub name: String,
    /// The teams that it is of.
    pub teams: Vec<String>,
    /// The last day on which it serves, as year-month-day.
    pub until: Option<String>,
    /// The devices that it is for; `None` where it names none.
    pub devices: Option<usize>,
    list: PropertyList,
}

impl Profile {
    /// Reads a profile: a signed property list. Whether it is signed rightly is not looked at.
    ///
    /// # Errors
    /// What keeps it from being read, in words that follow the name of the file.
    pub fn read(bytes: &[u8]) -> Result<Self, String> {
        let content = signed_content(bytes).map_err(|error| format!("is no provisioning profile: {error}"))?;
        let text = String::from_utf8(content).map_err(|_| "is no provisioning profile: it holds no text".to_owned())?;
        let list = PropertyList::parse(text)
            .map_err(|error| format!("is no provisioning profile: it holds no property list: {error}"))?;
        let text = |key: &str| list.entry(key).and_then(|entry| entry.value.as_str()).map(str::to_owned);
        let texts = |key: &str| -> Vec<String> {
            let values = list.entry(key).and_then(|entry| entry.value.as_array()).unwrap_or_default();
            values.iter().filter_map(Value::as_str).map(str::to_owned).collect()
        };
        let until = list.entry("ExpirationDate").and_then(|entry| match &entry.value.kind {
            ValueKind::Date(date) => date.get(..10).map(str::to_owned),
            _ => None,
        });
        let devices = list.entry("ProvisionedDevices").and_then(|entry| entry.value.as_array()).map(<[Value]>::len);
        let teams = match texts("TeamIdentifier") {
            teams if teams.is_empty() => texts("ApplicationIdentifierPrefix"),
            teams => teams,
        };
        let name = text("Name").unwrap_or_default();
        let profile = Profile { name, teams, until, devices, list };
        match profile.app_id() {
            Some(_) => Ok(profile),
            None => Err("is no provisioning profile for iOS: it grants no `application-identifier`".to_owned()),
        }
    }

    /// Returns what it grants.
    #[must_use]
    pub fn entitlements(&self) -> &[Entry] {
        self.list.entry("Entitlements").and_then(|entry| entry.value.as_dict()).unwrap_or_default()
    }

    /// Returns what it grants under a key.
    #[must_use]
    pub fn granted(&self, key: &str) -> Option<&Value> {
        self.entitlements().iter().find(|entry| entry.key == key).map(|entry| &entry.value)
    }

    /// Returns the app id that it is for, without the prefix; it may end with a star that stands for any.
    #[must_use]
    pub fn app_id(&self) -> Option<&str> {
        self.granted("application-identifier")?.as_str()?.split_once('.').map(|(_, id)| id)
    }

    /// Returns the prefix that it puts before the app id.
    #[must_use]
    pub fn prefix(&self) -> Option<&str> {
        self.granted("application-identifier")?.as_str()?.split_once('.').map(|(prefix, _)| prefix)
    }

    /// Says whether it is for trying the app out with a debugger.
    #[must_use]
    pub fn is_for_development(&self) -> bool {
        self.granted("get-task-allow").is_some_and(|value| value.kind == ValueKind::Bool(true))
    }
}

/// Says whether an id is the one that is written down, or one that a star at its end stands for.
#[must_use]
pub fn covers(written: &str, id: &str) -> bool {
    match written.strip_suffix('*') {
        Some(start) => id.starts_with(start),
        None => written == id,
    }
}

impl Account {
    /// Reads `account.toml` of an app, and what it names, where there is one.
    pub(crate) fn load(loading: &mut Loading<'_>) -> Account {
        let path = loading.root.join(ACCOUNT_FILE);
        if !loading.files.is_file(&path) {
            return Account::default();
        }
        let Some((file, text)) = loading.read(&path, ACCOUNT_FILE) else { return Account::default() };
        let (written, problems) = tomldoc::parse(&text, read);
        loading.problems(FaultKind::Config, file, problems);
        let store_files = if written.account.products.is_some() { store_files(loading) } else { Vec::new() };
        Account {
            file: Some(file),
            store_files,
            profiles: written.profiles.into_iter().map(|one| given(loading, one, Profile::read)).collect(),
            certificates: written.certificates.into_iter().map(|one| given(loading, one, certificate)).collect(),
            ..written.account
        }
    }
}

/// How deep below the app's folder files that stand in for the store are looked for.
const STORE_FILE_DEPTH: usize = 3;

/// In how many folders at most.
const STORE_FILE_FOLDERS: usize = 200;

/// Reads the files with which Xcode stands in for the store.
fn store_files(loading: &mut Loading<'_>) -> Vec<FileId> {
    let mut found = Vec::new();
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
                FileKind::Folder if depth < STORE_FILE_DEPTH && !List::FolderNotOwn.has(&entry.name) => {
                    open.push((path, depth + 1));
                }
                _ => {}
            }
        }
    }
    found.sort();
    let mut read = |path: &Path| {
        let shown = loading.shown(path);
        loading.read(path, &shown).map(|(file, _)| file)
    };
    found.iter().filter_map(|path| read(path)).collect()
}

/// Reads the one certificate of a file.
fn certificate(bytes: &[u8]) -> Result<Certificate, String> {
    let (_, certificates) = elvask_keys::read(bytes, None).map_err(|error| format!("cannot be read: {error}"))?;
    certificates.into_iter().next().ok_or_else(|| "holds no certificate".to_owned())
}

/// Reads a file that `account.toml` names; nothing outside of the app is.
fn given<T>(loading: &Loading<'_>, named: Named, read: impl Fn(&[u8]) -> Result<T, String>) -> Given<T> {
    let Named { path, used, target } = named;
    let whole = loading.root.join(&path.text);
    let inside = |path: &Path| loading.files.real(path).starts_with(loading.files.real(&loading.root));
    let says = if !loading.files.is_file(&whole) {
        Err("is not there".to_owned())
    } else if !inside(&whole) {
        Err("lies outside of the app, and is not read".to_owned())
    } else {
        loading.files.read(&whole).map_err(|error| format!("cannot be read: {error}")).and_then(|bytes| read(&bytes))
    };
    Given { path, used, target, says }
}

/// A file that is named and not read yet.
struct Named {
    path: Text,
    used: Option<Text>,
    target: Option<Text>,
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
        ios.refuse_others(&["team", "merchants", "app-groups", "apps", "profiles", "certificates"], problems);
        written.account.team = ios.text("team", problems);
        let mut known = |key: &str| ios.get(key).is_some().then(|| ios.texts(key, false, problems));
        (written.account.merchants, written.account.groups) = (known("merchants"), known("app-groups"));
        written.account.ios_apps = apps(&ios, problems);
        for profile in ios.tables("profiles", "a profile", problems) {
            profile.refuse_others(&["file", "configuration", "target"], problems);
            let Some(path) = profile.required_text("file", problems) else { continue };
            let (used, target) = (profile.text("configuration", problems), profile.text("target", problems));
            written.profiles.push(Named { path, used, target });
        }
        for certificate in ios.tables("certificates", "a certificate", problems) {
            certificate.refuse_others(&["file", "for"], problems);
            let Some(path) = certificate.required_text("file", problems) else { continue };
            let used = certificate.text("for", problems);
            if let Some(used) = used.as_ref().filter(|used| !CERTIFICATE_USES.contains(&used.text.as_str())) {
                let message = format!("`for` must be one of {}", tomldoc::list(&CERTIFICATE_USES));
                problems.push(Problem { message, span: used.span });
            }
            written.certificates.push(Named { path, used, target: None });
        }
    }
    if root.get("products").is_some() {
        let mut products = Vec::new();
        for product in root.tables("products", "a product", problems) {
            product.refuse_others(&["id", "state"], problems);
            let Some(id) = product.required_text("id", problems) else { continue };
            let state = product.text("state", problems);
            if let Some(state) = state.as_ref().filter(|state| !PRODUCT_STATES.contains(&state.text.as_str())) {
                let message = format!("`state` must be one of {}", tomldoc::list(&PRODUCT_STATES));
                problems.push(Problem { message, span: state.span });
            }
            products.push(Product { id, state });
        }
        written.account.products = Some(products);
    }
    if let Some(android) = root.table("android", "`[android]`", problems) {
        android.refuse_others(&["apps"], problems);
        written.account.android_apps = apps(&android, problems);
    }
    written
}

/// What a certificate can be for.
const CERTIFICATE_USES: [&str; 2] = ["push", "wallet"];

fn apps(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Option<Vec<Registered>> {
    table.get("apps")?;
    let mut out = Vec::new();
    for app in table.tables("apps", "an app", problems) {
        app.refuse_others(&["id", "capabilities"], problems);
        let Some(id) = app.required_text("id", problems) else { continue };
        let capabilities = app.get("capabilities").is_some().then(|| app.texts("capabilities", false, problems));
        out.push(Registered { id, capabilities });
    }
    Some(out)
}
