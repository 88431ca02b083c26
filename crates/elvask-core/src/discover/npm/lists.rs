//! What packages list in their `package.json`, and what their folders tell, remembered until one of these changes.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};

use elvask_needs::evidence::{Cache, Youngest, keep, recall_kept, state_of};
use elvask_needs::sheet;
use elvask_platform::Platform;
use elvask_project::files::{Files, Watched};
use elvask_project::source::read_text;
use elvask_project::threads;
use serde::{Deserialize, Serialize};

use super::{PackageJson, native_platforms};

/// What the lists are kept under, before the sum of what reads them: another reader has others.
const NAME: &str = "lists of packages";

/// The sum of the code that reads packages here.
const READER: u64 = sum_of(include_bytes!("lists.rs"), sum_of(include_bytes!("../npm.rs"), 0xcbf2_9ce4_8422_2325));

/// The method of Fowler, Noll and Vo.
const fn sum_of(mut bytes: &[u8], mut sum: u64) -> u64 {
    while let Some((first, rest)) = bytes.split_first() {
        sum = (sum ^ *first as u64).wrapping_mul(0x0000_0100_0000_01B3);
        bytes = rest;
    }
    sum
}

/// What a package lists; names in their order.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(super) struct Lists {
    pub(super) version: Option<String>,
    pub(super) dependencies: Vec<String>,
    pub(super) optional: Vec<String>,
    pub(super) peers: Vec<String>,
    pub(super) inside: Inside,
}

/// What the folders of a package tell.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub(super) struct Inside {
    /// The platforms that it has native code for.
    pub(super) platforms: Vec<Platform>,
    /// Whether it may bring a sheet.
    pub(super) sheet: bool,
    /// Whether it has settings for a linker that looks everywhere.
    pub(super) linker_settings: bool,
    /// Whether it is a plugin of a hybrid app.
    pub(super) hybrid: bool,
    /// Whether it has packages of its own.
    pub(super) packages: bool,
}

impl Inside {
    pub(super) fn of(files: &dyn Files, root: &Path) -> Inside {
        let names = files.list(root);
        let has = |fits: &dyn Fn(&str) -> bool| names.iter().any(|(name, _)| fits(name));
        Inside {
            platforms: native_platforms(files, root),
            // On some disks a file has its name in any letters.
            sheet: has(&|name| name.eq_ignore_ascii_case(sheet::FILE_NAME)),
            linker_settings: has(&|name| name.ends_with("module.config.json")),
            hybrid: files.is_file(&root.join("plugin.xml")),
            packages: has(&|name| name.eq_ignore_ascii_case("node_modules")),
        }
    }
}

/// The lists of one package.
#[derive(Debug, Serialize, Deserialize)]
struct Kept {
    /// On what they hang, each named from the package's folder, and in which state that was.
    watched: Vec<String>,
    state: [u8; 16],
    youngest: Youngest,
    lists: Lists,
}

/// The lists of all packages of an app.
pub(super) struct AllLists<'c> {
    root: PathBuf,
    cache: Option<&'c dyn Cache>,
    /// By their packages' folders, with whether they are used in this run.
    known: HashMap<String, (Kept, AtomicBool)>,
    fresh: Mutex<BTreeMap<String, Kept>>,
}

impl<'c> AllLists<'c> {
    /// Recalls the lists of the app at `root`.
    pub(super) fn recall(root: &Path, cache: Option<&'c dyn Cache>) -> Self {
        let known: Option<Vec<(String, Kept)>> = cache.and_then(|cache| recall_kept(cache, root, &name()));
        let known = known.into_iter().flatten().map(|(folder, kept)| (folder, (kept, AtomicBool::new(false))));
        AllLists { root: root.to_owned(), cache, known: known.collect(), fresh: Mutex::default() }
    }

    /// How many packages are few: more of them where they are recalled.
    pub(super) fn few(&self) -> usize {
        if self.known.is_empty() { threads::FEW } else { threads::FEW_RECALLED }
    }

    /// Reads the lists of the package in a folder, or recalls them if nothing has changed on which they hang.
    ///
    /// # Errors
    /// What is wrong with its `package.json`, in words.
    pub(super) fn read(&self, files: &dyn Files, root: &Path) -> Result<Cow<'_, Lists>, String> {
        let Some(name) = root.to_str().filter(|_| self.cache.is_some()) else {
            return parse(files, root).map(Cow::Owned);
        };
        if let Some((known, used)) = self.known.get(name)
            && state_of(files, root, &known.watched).is_some_and(|(state, _)| state == known.state)
        {
            used.store(true, Ordering::Relaxed);
            return Ok(Cow::Borrowed(&known.lists));
        }
        let watching = Watched::new(files, root);
        let lists = parse(&watching, root)?;
        // What changes between the look and the stamp is told by the times of the youngest.
        if let Some(watched) = watching.seen()
            && let Some((state, youngest)) = state_of(files, root, &watched)
            && let Ok(mut fresh) = self.fresh.lock()
        {
            fresh.insert(name.to_owned(), Kept { watched, state, youngest, lists: lists.clone() });
        }
        Ok(Cow::Owned(lists))
    }

    /// Keeps the lists for the next time, if they are others than before.
    pub(super) fn keep(self) {
        let (Some(cache), Ok(fresh)) = (self.cache, self.fresh.into_inner()) else { return };
        let used = self.known.iter().filter(|(_, (_, used))| used.load(Ordering::Relaxed));
        let used: Vec<(&str, &Kept)> = used.map(|(folder, (kept, _))| (folder.as_str(), kept)).collect();
        if fresh.is_empty() && used.len() == self.known.len() {
            return;
        }
        let all: Vec<_> = used.into_iter().chain(fresh.iter().map(|(folder, kept)| (folder.as_str(), kept))).collect();
        let youngest = all.iter().fold(Youngest::default(), |youngest, (_, kept)| youngest.or(kept.youngest));
        keep(cache, &self.root, &name(), all, youngest);
    }
}

fn name() -> String {
    format!("{NAME} {READER:x}")
}

fn parse(files: &dyn Files, root: &Path) -> Result<Lists, String> {
    let text = read_text(files, &root.join("package.json")).map_err(|error| error.message())?;
    let read: PackageJson =
        serde_json::from_str(text.trim_start_matches('\u{FEFF}')).map_err(|error| error.to_string())?;
    let names = |list: BTreeMap<String, serde::de::IgnoredAny>| list.into_keys().collect();
    Ok(Lists {
        version: read.version,
        dependencies: names(read.dependencies),
        optional: names(read.optional),
        peers: names(read.peers),
        inside: Inside::of(files, root),
    })
}
