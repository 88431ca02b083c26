//! `elvask/account.toml`: what is registered in the developer accounts, and the certificates and profiles that they handed out.
//!
//! What the file does not speak of is not known, and nothing is held against it.

mod read;
mod statement;

use std::sync::Arc;

use elvask_keys::{Certificate, signed_content};
use elvask_markup::plist::{Entry, PropertyList, Value, ValueKind};
use elvask_platform::Platform;
use elvask_project::source::FileId;
use elvask_project::tomldoc::Text;

pub use self::read::{fits, is_handed_out};
pub use self::statement::{
    AndroidStatement, AppStatement, Fetched, GivenStatement, IosStatement, MAX_ANSWER, ProductStatement, Statement,
};

/// Where the file stands in the folder of the app.
pub const ACCOUNT_FILE: &str = "elvask/account.toml";

/// What is registered.
#[derive(Debug, Clone, Default)]
pub struct Account {
    /// The file, or what a service said in its place; `None` where there is neither.
    pub file: Option<FileId>,
    /// The address of the service that was asked; `None` where the file was read.
    pub service: Option<String>,
    /// The team on iOS.
    pub team: Option<Text>,
    /// The apps on iOS, where it speaks of them.
    pub ios_apps: Option<Vec<Registered>>,
    /// The apps on Android, where it speaks of them.
    pub android_apps: Option<Vec<Registered>>,
    /// What services call the app, by the key or the name of the meta-data that says it.
    pub service_ids: Vec<(Platform, Text, Text)>,
    /// The merchant ids, where it speaks of them.
    pub merchants: Option<Vec<Text>>,
    /// The app groups, where it speaks of them.
    pub groups: Option<Vec<Text>>,
    /// The products of the stores, where it speaks of them.
    pub products: Option<Vec<Product>>,
    /// The files with which Xcode stands in for the store, where products are stated.
    pub store_files: Vec<FileId>,
    /// The schemes that the project shares, where products are stated.
    pub schemes: Vec<FileId>,
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
    /// The fingerprints of the certificates that sign it, where the file speaks of them; on Android alone.
    pub fingerprints: Option<Vec<Text>>,
    /// The highest build that was uploaded, where the file says it.
    pub highest_build: Option<Text>,
}

/// A product that a store has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Product {
    /// Its id.
    pub id: Text,
    /// What it is: one of [`PRODUCT_TYPES`], where the file says it.
    pub kind: Option<Text>,
    /// How far it has come: one of [`PRODUCT_STATES`]; for sale where nothing is said.
    pub state: Option<Text>,
}

/// What can be said of how far a product has come; of the first it is for sale.
pub const PRODUCT_STATES: [&str; 3] = ["ready", "draft", "removed"];

/// What a product can be.
///
/// Source: "In-App Purchase types".
pub const PRODUCT_TYPES: [&str; 4] = ["consumable", "non-consumable", "subscription", "non-renewing"];

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
    /// What is in it, where it could be read.
    pub bytes: Option<Arc<[u8]>>,
    /// Whether it is locked, and nobody said what opens it: then it is not looked at.
    pub locked: bool,
}

impl Account {
    /// Returns what states it, as it is shown.
    #[must_use]
    pub fn name(&self) -> &str {
        self.service.as_deref().unwrap_or(ACCOUNT_FILE)
    }

    /// Returns the apps of a platform, where it speaks of them.
    #[must_use]
    pub fn apps(&self, platform: Platform) -> Option<&[Registered]> {
        match platform {
            Platform::Android => self.android_apps.as_deref(),
            Platform::Ios => self.ios_apps.as_deref(),
        }
    }

    /// Goes through the apps of both platforms.
    pub fn all_apps(&self) -> impl Iterator<Item = &Registered> {
        [&self.android_apps, &self.ios_apps].into_iter().flatten().flatten()
    }

    /// Returns what a person does besides to have it stated: in the file, where that is what was read.
    pub(crate) fn also(&self, does: &str) -> String {
        match self.service {
            Some(_) => String::new(),
            None => format!(", and {does} {ACCOUNT_FILE}"),
        }
    }

    /// Returns how the service is told that something is registered, in brackets; nothing where the file was read.
    pub(crate) fn request(&self, path: &str) -> String {
        match &self.service {
            Some(_) => format!(" (PUT /v1/{})", path.replace(' ', "%20")),
            None => String::new(),
        }
    }
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
