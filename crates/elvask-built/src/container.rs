//! The archives themselves.

use std::borrow::Cow;
use std::io::{Read, Seek};

use zip::ZipArchive;

use crate::table::Table;
use crate::{BuiltError, binary_xml, bundle, code, signing};

/// The largest part that is read, in MB: a program for iOS.
const MAX_PART: u64 = 1024;
/// The largest manifest, list or table that is read, in MB.
const MAX_TEXT: u64 = 64;

/// The form of what a build made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BuiltForm {
    /// A package for Android.
    Apk,
    /// A bundle for the store for Android.
    Aab,
    /// An app for iOS.
    Ipa,
}

/// What a build made.
#[derive(Debug, Clone)]
pub struct Built {
    /// Its form.
    pub form: BuiltForm,
    /// What is for Android.
    pub android: Option<BuiltAndroid>,
    /// What is for iOS.
    pub ios: Option<BuiltIos>,
    /// What could not be looked at, in sentences without a full stop.
    pub limits: Vec<String>,
}

/// What a build made for Android.
#[derive(Debug, Clone, Default)]
pub struct BuiltAndroid {
    /// The manifest, as text.
    pub manifest: String,
    /// The texts to which it refers, by name: `app_name`.
    pub texts: Vec<(String, String)>,
    /// The certificates that signed it, in DER; none where it is not signed, or in a way that is not read.
    pub certificates: Vec<Vec<u8>>,
}

/// What a build made for iOS.
#[derive(Debug, Clone, Default)]
pub struct BuiltIos {
    /// The name of the app's folder: `Marram.app`.
    pub folder: String,
    /// `Info.plist`, in the form in which it is.
    pub list: Vec<u8>,
    /// The entitlements that it is signed with, where it is signed.
    pub entitlements: Option<Vec<u8>>,
    /// The provisioning profile that it brings.
    pub profile: Option<Vec<u8>>,
    /// The privacy manifest.
    pub privacy: Option<Vec<u8>>,
}

/// Reads what a build made.
///
/// # Errors
/// [`BuiltError`].
pub fn read(mut from: impl Read + Seek) -> Result<Built, BuiltError> {
    let archive = ZipArchive::new(&mut from).map_err(|error| BuiltError::Archive(error.to_string()))?;
    let directory = archive.central_directory_start();
    let mut parts = Parts { archive };
    let (form, android, mut limits) = if parts.has("AndroidManifest.xml") {
        let table = parts.get("resources.arsc", MAX_TEXT)?.and_then(|bytes| Table::read(&bytes));
        let mut limits = Vec::new();
        if table.is_none() {
            limits.push("its table of resources cannot be read, so references have no names".to_owned());
        }
        let bytes = parts.wanted("AndroidManifest.xml")?;
        let manifest = binary_xml::text(&bytes, table.as_ref())
            .ok_or_else(|| BuiltError::Damaged("AndroidManifest.xml".to_owned(), "it is no compiled XML"))?;
        (BuiltForm::Apk, Some(android(manifest, table.as_ref())), limits)
    } else if parts.has("base/manifest/AndroidManifest.xml") {
        let name = "base/manifest/AndroidManifest.xml";
        let bytes = parts.wanted(name)?;
        let manifest = bundle::text(&bytes)
            .ok_or_else(|| BuiltError::Damaged(name.to_owned(), "it is no manifest of a bundle"))?;
        let texts = parts.get("base/resources.pb", MAX_TEXT)?.and_then(|bytes| bundle::texts(&bytes));
        let table = Table::of(texts.unwrap_or_default());
        let modules = parts.names().filter(|name| name.ends_with("/manifest/AndroidManifest.xml")).count() - 1;
        let more = (modules > 0).then(|| format!("it has {modules} more modules, which are not looked at"));
        (BuiltForm::Aab, Some(android(manifest, Some(&table))), more.into_iter().collect())
    } else {
        return ios(&mut parts);
    };
    drop(parts);
    let mut android = android;
    let certificates = signing::certificates(&mut from, directory);
    match (&mut android, certificates) {
        (Some(android), Some(found)) => android.certificates = found,
        _ => limits.push("who signed it is not known: it has no signature of scheme 2 or 3".to_owned()),
    }
    Ok(Built { form, android, ios: None, limits })
}

fn android(manifest: String, table: Option<&Table>) -> BuiltAndroid {
    let mut texts: Vec<(String, String)> = Vec::new();
    for part in manifest.split("\"@string/").skip(1) {
        let name = part.split('"').next().unwrap_or_default();
        if let Some(text) = table.and_then(|table| table.text(&format!("string/{name}")))
            && !texts.iter().any(|(known, _)| known == name)
        {
            texts.push((name.to_owned(), text.to_owned()));
        }
    }
    BuiltAndroid { manifest, texts, certificates: Vec::new() }
}

fn ios<R: Read + Seek>(parts: &mut Parts<R>) -> Result<Built, BuiltError> {
    let is_app = |name: &str| {
        let inside = name.strip_prefix("Payload/")?;
        let (app, rest) = inside.split_once('/')?;
        (rest == "Info.plist" && app.ends_with(".app")).then(|| app.to_owned())
    };
    let app = parts.names().find_map(|name| is_app(&name)).ok_or(BuiltError::Other)?;
    let inside = |name: &str| format!("Payload/{app}/{name}");
    let list = parts.wanted(&inside("Info.plist"))?;
    let mut limits = Vec::new();
    // The program has the name of the folder, unless the list says another one, which few do.
    let program = app.trim_end_matches(".app");
    let entitlements = match parts.get(&inside(program), MAX_PART)? {
        Some(bytes) => code::entitlements(&bytes),
        None => None,
    };
    if entitlements.is_none() {
        limits.push("its entitlements are not known: its program has no signature that can be read".to_owned());
    }
    let profile = parts.get(&inside("embedded.mobileprovision"), MAX_TEXT)?;
    let privacy = parts.get(&inside("PrivacyInfo.xcprivacy"), MAX_TEXT)?;
    let extensions = parts
        .names()
        .filter(|name| name.starts_with(&inside("PlugIns/")) && name.ends_with(".appex/Info.plist"))
        .count();
    if extensions > 0 {
        limits.push(format!("it embeds {extensions} extensions, which are not looked at"));
    }
    let ios = BuiltIos { folder: app.clone(), list, entitlements, profile, privacy };
    Ok(Built { form: BuiltForm::Ipa, android: None, ios: Some(ios), limits })
}

/// An archive, of which parts are read.
struct Parts<R> {
    archive: ZipArchive<R>,
}

impl<R: Read + Seek> Parts<R> {
    fn names(&self) -> impl Iterator<Item = Cow<'_, str>> {
        self.archive.file_names().flatten()
    }

    fn has(&self, name: &str) -> bool {
        self.names().any(|known| known == name)
    }

    fn wanted(&mut self, name: &str) -> Result<Vec<u8>, BuiltError> {
        self.get(name, MAX_TEXT)?.ok_or(BuiltError::Other)
    }

    /// Returns a part, of at most so many MB.
    fn get(&mut self, name: &str, most: u64) -> Result<Option<Vec<u8>>, BuiltError> {
        if !self.has(name) {
            return Ok(None);
        }
        let part = self.archive.by_name(name).map_err(|error| BuiltError::Archive(error.to_string()))?;
        let limit = most * 1024 * 1024;
        let mut bytes = Vec::new();
        // An archive may say that a part is smaller than it is.
        let read = part.take(limit + 1).read_to_end(&mut bytes);
        read.map_err(|error| BuiltError::Archive(format!("{name}: {error}")))?;
        if bytes.len() as u64 > limit {
            return Err(BuiltError::TooLarge(name.to_owned(), most));
        }
        Ok(Some(bytes))
    }
}
