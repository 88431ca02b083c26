//! The journal of a writing: what will be put where, written before anything else is.
//!
//! It lies in a folder of its own in the app, which version control ignores, and is locked by the process that writes. Whoever finds
//! one that nobody holds knows that the process ended before its end.

use std::fs::{self, File};
use std::io::{self, Read as _, Seek as _};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};

use super::steps::Steps;
use super::{WriteError, attributes};

/// The folder of the journal, in the folder of the app.
pub const FOLDER: &str = ".elvask-journal";
const FILE: &str = "journal.json";
const IGNORE: &str = ".gitignore";
/// The largest journal that is read, in bytes.
const MAX_JOURNAL: u64 = 1 << 20;
/// The most files that one names.
const MAX_FILES: usize = 10_000;
/// How long another process is waited for.
const PATIENCE: Duration = Duration::from_secs(10);

/// What a writing is about to do.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Journal {
    /// The version of the format.
    pub(super) journal: u32,
    /// The files.
    pub(super) files: Vec<Line>,
    /// The folders that are made for them, each before those in it.
    pub(super) folders: Vec<String>,
}

/// One file in a journal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Line {
    /// The file: seen from the app with forward slashes, or whole where it lies outside.
    pub(super) path: String,
    /// The SHA-256 of the bytes that it holds before; `None` where it is not there.
    pub(super) before: Option<String>,
    /// The SHA-256 of the bytes that it is to hold.
    pub(super) after: String,
}

impl Journal {
    pub(super) const FORMAT: u32 = 1;

    /// Reads a journal; `None` for one that was not written to its end, or by nobody who knows how.
    pub(super) fn parse(bytes: &[u8]) -> Option<Journal> {
        let journal: Journal = serde_json::from_slice(bytes).ok()?;
        (journal.journal == Journal::FORMAT && journal.files.len() <= MAX_FILES).then_some(journal)
    }

    fn bytes(&self) -> io::Result<Vec<u8>> {
        serde_json::to_vec_pretty(self).map_err(io::Error::other)
    }
}

/// Returns the SHA-256 of some bytes, in hex digits.
pub(super) fn sum(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|byte| format!("{byte:02x}")).collect()
}

/// Returns a path as a journal names it.
pub(super) fn named(path: &Path, root: &Path) -> Option<String> {
    match path.strip_prefix(root) {
        Ok(inside) => {
            let parts = inside.components().map(|part| part.as_os_str().to_str());
            Some(parts.collect::<Option<Vec<_>>>()?.join("/"))
        }
        Err(_) => path.to_str().map(str::to_owned),
    }
}

/// The journal of an app, held by this process alone until it is dropped.
pub(super) struct Held {
    file: File,
    folder: PathBuf,
}

impl Held {
    /// Takes hold of the journal of an app, and makes one that is empty where there is none.
    pub(super) fn make(root: &Path, steps: &dyn Steps) -> Result<Held, WriteError> {
        let folder = root.join(FOLDER);
        let system = |error| WriteError::System { path: folder.clone(), error };
        let start = Instant::now();
        loop {
            match steps.make_folder(&folder) {
                Err(error) if error.kind() != io::ErrorKind::AlreadyExists => return Err(system(error)),
                _ => {}
            }
            // The folder can be taken away by a process that has just ended its writing.
            for (name, bytes) in [(IGNORE, b"*\n".as_slice()), (FILE, b"")] {
                match steps.make_file(&folder.join(name), bytes) {
                    Err(error) if !matches!(error.kind(), io::ErrorKind::AlreadyExists | io::ErrorKind::NotFound) => {
                        tidy(root, steps);
                        return Err(system(error));
                    }
                    _ => {}
                }
            }
            match Held::find(root) {
                Ok(Some(held)) => return Ok(held),
                Ok(None) if start.elapsed() < PATIENCE => std::thread::sleep(Duration::from_millis(5)),
                Ok(None) => return Err(WriteError::Busy(root.to_owned())),
                Err(error) => return Err(error),
            }
        }
    }

    /// Takes hold of the journal of an app; `None` where there is none.
    pub(super) fn find(root: &Path) -> Result<Option<Held>, WriteError> {
        let folder = root.join(FOLDER);
        let path = folder.join(FILE);
        let system = |error| WriteError::System { path: path.clone(), error };
        let start = Instant::now();
        loop {
            // A link could lead anywhere.
            match fs::symlink_metadata(&path) {
                Ok(about) if about.is_file() => {}
                Ok(_) => return Err(system(io::Error::other("it is not a file"))),
                Err(_) => return Ok(None),
            }
            let file = match fs::OpenOptions::new().read(true).write(true).open(&path) {
                Ok(file) => file,
                Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
                Err(error) => return Err(system(error)),
            };
            match file.try_lock() {
                Ok(()) => {
                    // Another process may have ended its writing in between and taken the file away.
                    let same = fs::symlink_metadata(&path)
                        .and_then(|there| Ok(!cfg!(unix) || attributes::is_same_file(&there, &file.metadata()?)));
                    if same.unwrap_or(false) {
                        return Ok(Some(Held { file, folder }));
                    }
                }
                Err(fs::TryLockError::WouldBlock) if start.elapsed() < PATIENCE => {
                    std::thread::sleep(Duration::from_millis(20));
                }
                Err(fs::TryLockError::WouldBlock) => return Err(WriteError::Busy(root.to_owned())),
                Err(fs::TryLockError::Error(error)) => return Err(system(error)),
            }
        }
    }

    /// Returns the folder of the app.
    pub(super) fn root(&self) -> PathBuf {
        self.folder.parent().unwrap_or(&self.folder).to_owned()
    }

    /// Returns what is written in it; empty where nothing is.
    pub(super) fn read(&mut self) -> io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        self.file.rewind()?;
        (&self.file).take(MAX_JOURNAL).read_to_end(&mut bytes)?;
        Ok(bytes)
    }

    /// Writes what is about to be done.
    pub(super) fn write(&mut self, journal: &Journal, steps: &dyn Steps) -> io::Result<()> {
        let bytes = journal.bytes()?;
        self.file.rewind()?;
        steps.put_into(&mut self.file, &bytes)?;
        steps.sync_folder(&self.folder)?;
        self.folder.parent().map_or(Ok(()), |root| steps.sync_folder(root))
    }

    /// Takes the journal away, with its folder.
    pub(super) fn end(self, steps: &dyn Steps) -> io::Result<()> {
        let folder = self.folder.as_path();
        gone(steps.remove_file(&folder.join(IGNORE)))?;
        gone(steps.remove_file(&folder.join(FILE)))?;
        // Something that is not Elvask's stays, and the folder with it.
        let _ = steps.remove_folder(folder);
        folder.parent().map_or(Ok(()), |root| steps.sync_folder(root))
    }
}

/// Takes away the folder of a journal in which there is no journal: its process ended before it wrote one, or after it took it away.
pub(super) fn tidy(root: &Path, steps: &dyn Steps) {
    let folder = root.join(FOLDER);
    if fs::symlink_metadata(&folder).is_ok_and(|about| about.is_dir()) {
        let _ = steps.remove_file(&folder.join(IGNORE));
        // It stays where a process has begun one in it meanwhile.
        let _ = steps.remove_folder(&folder);
    }
}

pub(super) fn gone(done: io::Result<()>) -> io::Result<()> {
    match done {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
        done => done,
    }
}
