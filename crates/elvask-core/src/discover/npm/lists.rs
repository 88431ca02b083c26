//! What packages list in their `package.json`, and what their folders tell, remembered until one of these changes.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, OnceLock};

use elvask_needs::evidence::{Cache, Evidence, Youngest, keep, recall_kept, recall_learnt_beside, state_of};
use elvask_needs::sheet;
use elvask_platform::Platform;
use elvask_platform::hash::QuickMap;
use elvask_project::files::{Files, Names, Watched, shown};
use elvask_project::namelist::NameList;
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

/// What a package lists, in the order of the names.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(super) struct Lists {
    pub(super) version: Option<String>,
    pub(super) dependencies: NameList,
    pub(super) optional: NameList,
    pub(super) peers: NameList,
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
            platforms: native_platforms(files, root, &names),
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
    /// On what they hang, as [`Names`] below the package's folder, and in which state that was.
    watched: String,
    state: [u8; 16],
    youngest: Youngest,
    lists: Lists,
}

/// What is known of one package from another run.
struct Known {
    kept: Kept,
    /// It is used in this run.
    used: AtomicBool,
    looked: OnceLock<Looked>,
}

/// What a look at a package told.
struct Looked {
    /// Nothing has changed of that on which its lists hang.
    stands: bool,
    /// What its files showed, where nothing has changed of these too, until somebody takes it.
    evidence: Mutex<Option<Arc<Evidence>>>,
}

/// The lists of all packages of an app.
pub(super) struct AllLists<'c> {
    root: PathBuf,
    cache: Option<&'c dyn Cache>,
    /// What files showed is recalled too.
    with_evidence: bool,
    /// By their packages' folders.
    known: QuickMap<String, Known>,
    fresh: Mutex<BTreeMap<String, Kept>>,
}

impl<'c> AllLists<'c> {
    /// Recalls the lists of the app at `root`, and with each of them what the files of the package showed where that is wanted.
    pub(super) fn recall(root: &Path, cache: Option<&'c dyn Cache>, with_evidence: bool) -> Self {
        let known: Option<Vec<(String, Kept)>> = cache.and_then(|cache| recall_kept(cache, root, &name()));
        let unlooked = |kept| Known { kept, used: AtomicBool::new(false), looked: OnceLock::new() };
        let known = known.into_iter().flatten().map(|(folder, kept)| (folder, unlooked(kept))).collect();
        AllLists { root: root.to_owned(), cache, with_evidence, known, fresh: Mutex::default() }
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
        if let Some(known) = self.standing(files, root) {
            known.used.store(true, Ordering::Relaxed);
            return Ok(Cow::Borrowed(&known.kept.lists));
        }
        let watching = Watched::new(files, root);
        let lists = parse(&watching, root)?;
        // What changes between the look and the stamp is told by the times of the youngest.
        if let Some(watched) = watching.seen()
            && let watched = Names::write(&watched)
            && let Some((state, youngest)) = state_of(files, root, Names::of(&watched))
            && let Ok(mut fresh) = self.fresh.lock()
        {
            fresh.insert(name.to_owned(), Kept { watched, state, youngest, lists: lists.clone() });
        }
        Ok(Cow::Owned(lists))
    }

    /// Says whether there is a package in a folder, of whose lists nothing has changed.
    pub(super) fn has(&self, files: &dyn Files, root: &Path) -> bool {
        self.standing(files, root).is_some()
    }

    /// Takes what the files of the package in a folder showed, named from the app, where it was recalled with its lists.
    pub(super) fn take_evidence(&self, root: &Path) -> Option<Arc<Evidence>> {
        self.known.get(root.to_str()?)?.looked.get()?.evidence.lock().ok()?.take()
    }

    fn standing(&self, files: &dyn Files, root: &Path) -> Option<&Known> {
        let cache = self.cache?;
        let known = self.known.get(root.to_str()?)?;
        let look = || {
            let (watched, state) = (Names::of(&known.kept.watched), known.kept.state);
            let (now, evidence) = if self.with_evidence {
                recall_learnt_beside(files, root, cache, watched)
            } else {
                (state_of(files, root, watched).map(|(state, _)| state), None)
            };
            let named = |mut evidence: Evidence| {
                evidence.name_files_from(&shown(root, &self.root));
                Arc::new(evidence)
            };
            Looked { stands: now == Some(state), evidence: Mutex::new(evidence.map(named)) }
        };
        known.looked.get_or_init(look).stands.then_some(known)
    }

    /// Keeps the lists for the next time, if they are others than before.
    pub(super) fn keep(self) {
        let (Some(cache), Ok(fresh)) = (self.cache, self.fresh.into_inner()) else { return };
        let used = self.known.iter().filter(|(_, known)| known.used.load(Ordering::Relaxed));
        let used: Vec<(&str, &Kept)> = used.map(|(folder, known)| (folder.as_str(), &known.kept)).collect();
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
