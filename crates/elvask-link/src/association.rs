//! The two files with which a website says that an app is its own.

pub mod android;
pub mod apple;
pub(crate) mod glob;
pub mod idle;
mod write;

use std::sync::Arc;

use elvask_platform::{Confidence, LinkFact};

pub use write::{Files as AssociationFiles, WriteProblem, Written, plan as plan_file};

/// The files.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
pub enum Document {
    /// Android's file.
    #[serde(rename = "assetlinks.json")]
    AssetLinks,
    /// iOS's file.
    #[serde(rename = "apple-app-site-association")]
    AppleAssociation,
}

impl Document {
    /// Both files.
    pub const ALL: [Document; 2] = [Document::AssetLinks, Document::AppleAssociation];

    /// Returns its path on the website, without the first slash.
    #[must_use]
    pub fn path(self) -> &'static str {
        match self {
            Document::AssetLinks => ".well-known/assetlinks.json",
            Document::AppleAssociation => ".well-known/apple-app-site-association",
        }
    }

    /// Returns its name.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.path().rsplit('/').next().unwrap_or_default()
    }

    /// Returns the most bytes that the platform reads of it.
    #[must_use]
    pub fn max_bytes(self) -> usize {
        match self {
            Document::AssetLinks => 1024 * 1024,
            Document::AppleAssociation => 128 * 1024,
        }
    }

    /// Returns how sure it is that the platform reads no more.
    #[must_use]
    pub fn size_confidence(self) -> Confidence {
        match self {
            Document::AssetLinks => LinkFact::LinksSize.confidence(),
            Document::AppleAssociation => LinkFact::AppleSize.confidence(),
        }
    }

    /// Returns the platform that reads it.
    #[must_use]
    pub fn platform(self) -> elvask_platform::Platform {
        match self {
            Document::AssetLinks => elvask_platform::Platform::Android,
            Document::AppleAssociation => elvask_platform::Platform::Ios,
        }
    }
}

/// What a website answers when it is asked for a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Served {
    /// It hands the file out, and whatever else belongs to the answer.
    File(Answer),
    /// There is no such file.
    Absent {
        /// Where it was looked for: a path or an address.
        at: String,
    },
    /// Nothing comes back that could be judged.
    Failed {
        /// Where it was looked for.
        at: String,
        /// Why, in a sentence without a full stop.
        reason: String,
    },
}

/// A file that a website hands out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answer {
    /// Where it was found: a path or an address.
    pub at: String,
    /// The status of the answer; `None` for a folder.
    pub status: Option<u16>,
    /// Where the answer sends the client instead.
    pub location: Option<String>,
    /// The type that the answer names.
    pub content_type: Option<String>,
    /// The bytes, at most one more than the platform reads.
    pub body: Arc<[u8]>,
    /// How long the answer took, in milliseconds; `None` for a folder.
    pub milliseconds: Option<u64>,
}

impl Answer {
    /// Says whether the file is one that a device could make anything of.
    ///
    /// # Errors
    /// Why not, in a sentence without a full stop.
    pub fn is_well_formed(&self, document: Document) -> Result<(), String> {
        let text = self.text(document)?;
        match document {
            Document::AssetLinks => android::AssetLinks::parse(text).map(drop),
            Document::AppleAssociation => apple::AppleAssociation::parse(text).map(drop),
        }
    }

    /// Returns the text, where a device would take the answer at all.
    ///
    /// # Errors
    /// Why it would not, in a sentence without a full stop.
    pub fn text(&self, document: Document) -> Result<&str, String> {
        if let Some(location) = &self.location {
            return Err(format!("the answer sends the client on to {location}; no redirect is followed"));
        }
        match self.status {
            None | Some(200) => {}
            Some(status) => return Err(format!("the status of the answer is {status}; it must be 200")),
        }
        if self.body.len() > document.max_bytes() {
            return Err(format!("the file is larger than the {} KB that devices read", document.max_bytes() / 1024));
        }
        if let Some(served) = &self.content_type {
            let kind = served.split(';').next().unwrap_or_default().trim();
            if !kind.eq_ignore_ascii_case("application/json") && document == Document::AssetLinks {
                return Err(format!("the content type is {kind}; it must be application/json"));
            }
        }
        std::str::from_utf8(&self.body).map_err(|_| "the file is not UTF-8".to_owned())
    }
}

/// A website, or a folder that stands for one or several.
pub trait Website: Sync {
    /// Asks for a file as a device would.
    fn ask(&self, host: &str, document: Document) -> Served;

    /// Asks for the file at the older place, the root of the site; only iOS's file was ever looked for there.
    fn ask_root(&self, host: &str) -> Served;
}

/// A folder with the files of one website for every host, or with a folder for each host.
pub struct Folder<'f> {
    files: &'f dyn elvask_project::files::Files,
    root: std::path::PathBuf,
    shown: String,
}

impl<'f> Folder<'f> {
    /// Takes a folder; `shown` is how people call it.
    #[must_use]
    pub fn new(
        files: &'f dyn elvask_project::files::Files,
        root: impl Into<std::path::PathBuf>,
        shown: impl Into<String>,
    ) -> Self {
        Folder { files, root: root.into(), shown: shown.into() }
    }

    /// Returns the folder of a host: its own where there is one, else the whole.
    #[must_use]
    pub fn of_host(&self, host: &str) -> std::path::PathBuf {
        // A host is a name and never a way through the file system.
        let plain = !host.is_empty() && host != ".." && host != "." && !host.contains(['/', '\\', ':']);
        let own = self.root.join(host);
        if plain && self.files.is_folder(&own) { own } else { self.root.clone() }
    }

    fn read(&self, host: &str, path: &str, document: Document) -> Served {
        let folder = self.of_host(host);
        let file = folder.join(path);
        let inside = file
            .strip_prefix(&self.root)
            .map_or_else(|_| path.to_owned(), |inside| inside.to_string_lossy().replace('\\', "/"));
        let at = format!("{}/{inside}", self.shown.trim_end_matches('/'));
        if !self.files.is_file(&file) {
            return Served::Absent { at };
        }
        // A link in the folder may lead to a place inside it alone.
        if !self.files.real(&file).starts_with(self.files.real(&self.root)) {
            return Served::Failed { at, reason: "a link leads out of the folder; it is not read".to_owned() };
        }
        match self.files.read(&file) {
            Ok(body) => {
                let end = body.len().min(document.max_bytes() + 1);
                let body = body.get(..end).unwrap_or_default().into();
                Served::File(Answer { at, status: None, location: None, content_type: None, body, milliseconds: None })
            }
            Err(error) => Served::Failed { at, reason: error.to_string() },
        }
    }
}

impl Website for Folder<'_> {
    fn ask(&self, host: &str, document: Document) -> Served {
        self.read(host, document.path(), document)
    }

    fn ask_root(&self, host: &str) -> Served {
        self.read(host, Document::AppleAssociation.name(), Document::AppleAssociation)
    }
}

/// Returns the host at which the file is looked up for a host that is declared: `*.` is taken off.
#[must_use]
pub fn looked_up_at(declared: &str) -> &str {
    declared.strip_prefix("*.").unwrap_or(declared)
}

/// Says whether a host is one that could be asked: no reference, no placeholder, no bare wildcard.
#[must_use]
pub fn is_plain_host(host: &str) -> bool {
    let name = looked_up_at(host);
    let letter = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '-' | '_');
    !name.is_empty() && name.contains('.') && name.chars().all(letter) && !name.starts_with('.') && !name.contains("..")
}
