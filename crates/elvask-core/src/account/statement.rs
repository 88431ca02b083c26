//! What is registered, as a whole and without places: what a service answers in JSON, and what `account.toml` states.

use std::collections::BTreeMap;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use serde::{Deserialize, Serialize};

/// What is registered in the developer accounts.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Statement {
    /// The version of the form: 1.
    pub account: u32,
    /// For iOS.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ios: Option<IosStatement>,
    /// For Android.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub android: Option<AndroidStatement>,
    /// The products of the stores.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub products: Option<Vec<ProductStatement>>,
}

/// What is registered for iOS.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct IosStatement {
    /// The id of the team.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub team: Option<String>,
    /// The merchant ids.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub merchants: Option<Vec<String>>,
    /// The app groups.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub app_groups: Option<Vec<String>>,
    /// What services call the app, by the key of the property list that says it.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub service_ids: BTreeMap<String, String>,
    /// The apps.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub apps: Option<Vec<AppStatement>>,
    /// The provisioning profiles.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub profiles: Vec<GivenStatement>,
    /// The certificates.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub certificates: Vec<GivenStatement>,
}

/// What is registered for Android.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct AndroidStatement {
    /// What services call the app, by the name of the meta-data that says it.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub service_ids: BTreeMap<String, String>,
    /// The apps.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub apps: Option<Vec<AppStatement>>,
}

/// An app that is registered.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct AppStatement {
    /// Its id.
    #[serde(default)]
    pub id: String,
    /// The capabilities that are turned on for it; on iOS alone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub capabilities: Option<Vec<String>>,
    /// The fingerprints of the certificates that sign it; on Android alone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fingerprints: Option<Vec<String>>,
    /// The highest build that was uploaded: `versionCode`, `CFBundleVersion`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub highest_build: Option<String>,
}

/// A product that a store has.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct ProductStatement {
    /// Its id.
    #[serde(default)]
    pub id: String,
    /// What it is.
    #[serde(default, rename = "type", skip_serializing_if = "Option::is_none")]
    pub kind: Option<String>,
    /// How far it has come.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub state: Option<String>,
}

/// A file that an account handed out.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct GivenStatement {
    /// Its name.
    #[serde(default)]
    pub file: String,
    /// The service that a certificate opens.
    #[serde(default, rename = "for", skip_serializing_if = "Option::is_none")]
    pub used: Option<String>,
    /// The configuration that a profile signs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub configuration: Option<String>,
    /// The target that a profile signs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub target: Option<String>,
    /// What is in it, in Base64, where a service hands it out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub content: Option<String>,
}

impl GivenStatement {
    /// Says whether its content is what it should be: a profile, or a certificate without its private key.
    ///
    /// # Errors
    /// What it is instead, in words that follow the name of the file.
    pub fn fits(&self, profile: bool) -> Result<(), String> {
        let content = self.content.as_deref().unwrap_or_default();
        let bytes = STANDARD.decode(content).map_err(|_| "is not in Base64".to_owned())?;
        super::is_handed_out(&bytes, profile)
    }
}

/// What a service said is registered.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Fetched {
    /// The address that was asked.
    pub from: String,
    /// What it said, as `account.toml` would state it.
    pub(super) text: String,
    /// The files that it handed out, by their names.
    pub(super) files: BTreeMap<String, Vec<u8>>,
}

/// The most bytes of an answer of a service, and of a thing that is registered.
pub const MAX_ANSWER: usize = 16 * 1024 * 1024;

impl Fetched {
    /// Reads what a service at an address answered, in JSON.
    ///
    /// # Errors
    /// What is wrong with it, in words that follow the address.
    pub fn read(from: &str, json: &[u8]) -> Result<Fetched, String> {
        let mut statement: Statement =
            serde_json::from_slice(json).map_err(|error| format!("did not answer as the service does: {error}"))?;
        if statement.account != 1 {
            return Err(format!("speaks version {} of the form, and this Elvask reads 1", statement.account));
        }
        let mut files = BTreeMap::new();
        for given in statement.ios.iter_mut().flat_map(|ios| ios.profiles.iter_mut().chain(&mut ios.certificates)) {
            let content = given.content.take().unwrap_or_default();
            let bytes = STANDARD
                .decode(content)
                .map_err(|_| format!("hands out {} in a form that is not Base64", given.file))?;
            files.insert(given.file.clone(), bytes);
        }
        Ok(Fetched { from: from.to_owned(), text: statement.to_toml(), files })
    }
}

/// Returns a text as a string of TOML.
fn quoted(text: &str) -> String {
    // Its escapes are those of JSON, which leaves one letter as it is that TOML does not take.
    serde_json::to_string(text).unwrap_or_default().replace('\u{7F}', "\\u007F")
}

fn list(texts: &[String]) -> String {
    format!("[{}]", texts.iter().map(|one| quoted(one)).collect::<Vec<_>>().join(", "))
}

/// The lines of a table, for what is stated.
#[derive(Default)]
struct Lines(String);

impl Lines {
    fn text(&mut self, key: &str, value: Option<&String>) {
        if let Some(value) = value {
            self.0.push_str(&format!("{key} = {}\n", quoted(value)));
        }
    }

    fn texts(&mut self, key: &str, values: Option<&Vec<String>>) {
        if let Some(values) = values {
            self.0.push_str(&format!("{key} = {}\n", list(values)));
        }
    }

    fn service_ids(&mut self, of: &str, ids: &BTreeMap<String, String>) {
        if ids.is_empty() {
            return;
        }
        self.0.push_str(&format!("\n[{of}.service-ids]\n"));
        for (name, value) in ids {
            self.0.push_str(&format!("{} = {}\n", quoted(name), quoted(value)));
        }
    }

    fn apps(&mut self, of: &str, apps: Option<&Vec<AppStatement>>) {
        for app in apps.into_iter().flatten() {
            self.0.push_str(&format!("\n[[{of}.apps]]\nid = {}\n", quoted(&app.id)));
            self.texts("capabilities", app.capabilities.as_ref());
            self.texts("fingerprints", app.fingerprints.as_ref());
            self.text("highest-build", app.highest_build.as_ref());
        }
    }

    fn given(&mut self, of: &str, all: &[GivenStatement]) {
        for one in all {
            self.0.push_str(&format!("\n[[ios.{of}]]\nfile = {}\n", quoted(&one.file)));
            self.text("for", one.used.as_ref());
            self.text("configuration", one.configuration.as_ref());
            self.text("target", one.target.as_ref());
        }
    }
}

impl Statement {
    /// Returns it as `account.toml` states it. What files hold is left out.
    #[must_use]
    pub fn to_toml(&self) -> String {
        let mut lines = Lines(format!("account = {}\n", self.account));
        let none = |all: Option<bool>| all == Some(true);
        if none(self.products.as_ref().map(Vec::is_empty)) {
            lines.0.push_str("products = []\n");
        }
        if let Some(ios) = &self.ios {
            lines.0.push_str("\n[ios]\n");
            lines.text("team", ios.team.as_ref());
            lines.texts("merchants", ios.merchants.as_ref());
            lines.texts("app-groups", ios.app_groups.as_ref());
            if none(ios.apps.as_ref().map(Vec::is_empty)) {
                lines.0.push_str("apps = []\n");
            }
            lines.service_ids("ios", &ios.service_ids);
            lines.apps("ios", ios.apps.as_ref());
            lines.given("profiles", &ios.profiles);
            lines.given("certificates", &ios.certificates);
        }
        if let Some(android) = &self.android {
            if none(android.apps.as_ref().map(Vec::is_empty)) {
                lines.0.push_str("\n[android]\napps = []\n");
            }
            lines.service_ids("android", &android.service_ids);
            lines.apps("android", android.apps.as_ref());
        }
        for product in self.products.iter().flatten() {
            lines.0.push_str(&format!("\n[[products]]\nid = {}\n", quoted(&product.id)));
            lines.text("type", product.kind.as_ref());
            lines.text("state", product.state.as_ref());
        }
        lines.0
    }
}
