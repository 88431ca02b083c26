//! What packages list in their `package.json`, remembered until the file changes.

use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};

use elvask_needs::evidence::{Cache, keep, recall_kept};
use elvask_project::files::{Files, Stamp};
use elvask_project::source::read_text;
use serde::{Deserialize, Serialize};

use super::PackageJson;

/// What the lists are kept under.
const NAME: &str = "lists of packages";

/// What a package lists; names in their order.
// A record of another shape is not taken for one of this.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Lists {
    pub(super) version: Option<String>,
    pub(super) dependencies: Vec<String>,
    pub(super) optional: Vec<String>,
    pub(super) peers: Vec<String>,
}

/// The lists of one file, with its size and when it was changed.
type Kept = (u64, u64, Lists);

/// The lists of all packages of an app.
pub(super) struct AllLists<'c> {
    root: PathBuf,
    cache: Option<&'c dyn Cache>,
    known: HashMap<String, Kept>,
    now: Mutex<BTreeMap<String, Kept>>,
    changed: AtomicBool,
}

impl<'c> AllLists<'c> {
    /// Recalls the lists of the app at `root`.
    pub(super) fn recall(root: &Path, cache: Option<&'c dyn Cache>) -> Self {
        let known = cache.and_then(|cache| recall_kept(cache, root, NAME)).unwrap_or_default();
        AllLists { root: root.to_owned(), cache, known, now: Mutex::default(), changed: AtomicBool::new(false) }
    }

    /// Reads the lists of a file, or recalls them if it has not changed.
    ///
    /// # Errors
    /// What is wrong with the file, in words.
    pub(super) fn read(&self, files: &dyn Files, path: &Path) -> Result<Lists, String> {
        let stamp = self.cache.and_then(|_| files.stamp(path));
        let stamp = stamp.and_then(|Stamp { len, changed }| Some((len, u64::try_from(changed).ok()?)));
        let (Some((len, changed)), Some(name)) = (stamp, path.to_str()) else { return parse(files, path) };
        let known = self.known.get(name).filter(|(size, time, _)| (*size, *time) == (len, changed));
        let lists = match known {
            Some((_, _, lists)) => lists.clone(),
            None => {
                self.changed.store(true, Ordering::Relaxed);
                parse(files, path)?
            }
        };
        if let Ok(mut now) = self.now.lock() {
            now.insert(name.to_owned(), (len, changed, lists.clone()));
        }
        Ok(lists)
    }

    /// Keeps the lists for the next time, if they are others than before.
    pub(super) fn keep(self) {
        let (Some(cache), Ok(now)) = (self.cache, self.now.into_inner()) else { return };
        if self.changed.into_inner() || now.len() != self.known.len() {
            let newest = now.values().map(|(_, changed, _)| u128::from(*changed)).max().unwrap_or(0);
            keep(cache, &self.root, NAME, now, newest);
        }
    }
}

fn parse(files: &dyn Files, path: &Path) -> Result<Lists, String> {
    let text = read_text(files, path).map_err(|error| error.message())?;
    let read: PackageJson =
        serde_json::from_str(text.trim_start_matches('\u{FEFF}')).map_err(|error| error.to_string())?;
    let names = |list: BTreeMap<String, serde::de::IgnoredAny>| list.into_keys().collect();
    Ok(Lists {
        version: read.version,
        dependencies: names(read.dependencies),
        optional: names(read.optional),
        peers: names(read.peers),
    })
}
