//! What a package's own files show of what it requires: its manifests, its native code, its notes and its build files.
//!
//! Nothing is run and nothing is fetched. The package is somebody else's: files over a size are not read, links are not
//! followed, folders are entered to a depth, and what is quoted holds no control characters.

mod build;
mod cache;
mod forms;
mod fragment;
mod gather;
pub(crate) mod lexer;
mod library;
mod manifest;
mod notes;
mod owners;
pub(crate) mod pods;
mod prose;
mod scripts;
mod shown;
mod sieve;
pub(crate) mod source;
mod walk;

use std::path::Path;
use std::sync::Arc;

use elvask_platform::{Kind, Strength};
use elvask_project::files::Files;
use serde::{Deserialize, Serialize};

use crate::requirement::{Citation, Need, When};

pub use cache::{
    Cache, Key, Youngest, keep, learn_cached, learn_module_cached, recall_kept, recall_learnt, recall_learnt_beside,
    state_of,
};
pub(crate) use cache::{Seen, recall, recalled};
pub use fragment::{Piece, Pieces, Thing, obey, pieces_of};
pub(crate) use gather::is_asked_for;
pub use library::{AndroidLibrary, MANIFEST, library_folder};
pub(crate) use owners::is_of_taste;
pub use pods::Pods;
pub use shown::{Notes, Occurrence, Part, Shown, Use, Within};

/// Something that a package requires, with the lines that show it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Learned {
    /// What identifies it to the platform.
    pub name: String,
    /// What exactly.
    pub need: Need,
    /// How sure it is.
    pub strength: Strength,
    /// Several with the same word here are alternatives: one of them is enough.
    pub one_of: Option<String>,
    /// When it holds.
    pub when: When,
    /// The package's own manifest declares it, so that the build brings it into the app.
    pub brought: bool,
    /// How the files show it.
    pub shown: Shown,
    /// The lines that show it, the weightiest evidence first. Files are named from the package's folder.
    pub citations: Vec<Arc<Citation>>,
}

impl Learned {
    /// Returns the kind of the requirement.
    #[must_use]
    pub fn kind(&self) -> Kind {
        self.need.kind()
    }

    /// Says whether two are about the same thing.
    #[must_use]
    pub fn is_about_the_same(&self, other: &Learned) -> bool {
        self.kind() == other.kind() && self.need.platform() == other.need.platform() && self.name == other.name
    }
}

/// Something that might be a requirement, and why it is not taken for one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Doubtful {
    /// What it would be.
    pub learned: Learned,
    /// Why it is doubted, in a few words.
    pub why: String,
}

/// All that the files of a package show.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Evidence {
    /// What the package requires.
    pub requirements: Vec<Learned>,
    /// What it might require.
    pub doubtful: Vec<Doubtful>,
    /// What limits the look at it, in sentences without a full stop.
    pub limits: Vec<String>,
    /// The kinds of which it could ask for so much that it asks for what the app chooses.
    pub chosen: Vec<Kind>,
    /// The pods that its descriptions make, and what its builds depend on.
    pub pods: Pods,
    /// The names under which its scripts put its parts into the page: `navigator.camera`.
    pub globals: Vec<String>,
    /// What it says of itself in a few words: name, description, keywords, in small letters.
    pub about: String,
    /// It is for development builds alone.
    pub for_development: bool,
    /// Whether it is a module of a runtime whose tools run the script that it brings along by themselves.
    pub runtime_module: bool,
    /// It brings native code that is compiled already.
    pub binaries: Vec<String>,
    /// The Android library that its build makes, where nothing of that can change unseen.
    pub android: Option<AndroidLibrary>,
    /// How many files were read.
    pub files: usize,
}

impl Evidence {
    /// Says whether a value that the app's owner gives is left open under this name.
    #[must_use]
    pub fn asks_for(&self, key: &str) -> bool {
        let wanted = format!("{{{key}}}");
        self.requirements.iter().any(|learned| {
            learned.name.contains(&wanted) || learned.need.value().is_some_and(|value| value.contains(&wanted))
        })
    }

    /// Says whether nothing at all was found that speaks of what the package requires.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.requirements.is_empty() && self.doubtful.is_empty()
    }
}

impl Evidence {
    /// Brings two together: what both show becomes one.
    #[must_use]
    pub fn joined_with(self, other: Evidence) -> Evidence {
        let mut found = gather::Found::default();
        found.take(self);
        found.take(other);
        gather::finish(found)
    }

    /// Names the files of the package from another folder than its own.
    pub fn name_files_from(&mut self, folder: &str) {
        let all = self.requirements.iter_mut().chain(self.doubtful.iter_mut().map(|doubtful| &mut doubtful.learned));
        for citation in all.flat_map(|learned| &mut learned.citations) {
            let citation = Arc::make_mut(citation);
            citation.file = [folder, "/", &citation.file].concat();
        }
        for limit in &mut self.limits {
            // What is said of a file starts with its name; what is said of the package whole, with a sentence.
            if limit.split_once(": ").is_some_and(|(first, _)| first.contains(['.', '/'])) {
                *limit = format!("{folder}/{limit}");
            }
        }
    }
}

/// Returns the strings that native code is searched for, all in one pass.
#[must_use]
pub fn searched() -> Vec<&'static str> {
    source::searched()
}

/// Looks into the files of a package in the folder `root`.
#[must_use]
pub fn learn(files: &dyn Files, root: &Path) -> Evidence {
    gather::gather(files, &walk::walk(files, root))
}

/// Reads notes that were copied from elsewhere; `name` stands for them in citations.
#[must_use]
pub fn learn_from_notes(text: &str, name: &str) -> Evidence {
    let mut found = gather::Found::default();
    notes::read(text, name, None, &mut found);
    found.each_mut().for_each(|learned| owners::ask(learned, &|_| false));
    gather::finish(found)
}
