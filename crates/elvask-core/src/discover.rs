//! Finding an app: its root, its packages, its Android module and its iOS target.

pub(crate) mod android;
pub(crate) mod ios;
pub(crate) mod npm;
pub(crate) mod pubspec;

use std::path::{Path, PathBuf};

use elvask_platform::Platform;
use rayon::prelude::*;
use serde::Serialize;

use crate::app::Loading;
use crate::config;
use crate::files::{FileKind, Files};
use crate::source::Place;

/// How the folders of an app are arranged, named after the file that lists its dependencies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Layout {
    /// `pubspec.yaml`.
    Pubspec,
    /// `package.json`.
    Npm,
}

impl Layout {
    /// Returns the name of the layout.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Layout::Pubspec => "pubspec",
            Layout::Npm => "npm",
        }
    }

    /// Returns the file that names the layout.
    #[must_use]
    pub fn file(self) -> &'static str {
        match self {
            Layout::Pubspec => "pubspec.yaml",
            Layout::Npm => "package.json",
        }
    }

    /// Returns the layouts of the folder at `root`.
    pub(crate) fn at(files: &dyn Files, root: &Path) -> Vec<Layout> {
        let all = [Layout::Pubspec, Layout::Npm];
        all.into_iter().filter(|layout| files.is_file(&root.join(layout.file()))).collect()
    }
}

/// A package that the app depends on, directly or through others.
#[derive(Debug, Clone)]
pub(crate) struct Package {
    /// The name by which the dependency file knows it.
    pub(crate) name: String,
    /// The installed version.
    pub(crate) version: Option<String>,
    /// Its folder; `None` where it is listed and not installed.
    pub(crate) root: Option<PathBuf>,
    /// The platforms that it has native code for.
    pub(crate) platforms: Vec<Platform>,
    /// Where the app's dependency file names it.
    pub(crate) dependency: Option<Place>,
}

/// What was read of one package: the package, what it depends on, and what was wrong with its file.
pub(crate) struct Found<D> {
    pub(crate) package: Package,
    pub(crate) dependencies: Vec<D>,
    pub(crate) broken: Option<(PathBuf, String)>,
}

/// Reads packages, on several threads where there are many: a thread costs more than a few files. What is wrong with one of
/// them is told and does not keep the others from being read.
pub(crate) fn read_packages<W: Send, D: Send>(
    loading: &mut Loading<'_>,
    wanted: Vec<W>,
    read: impl Fn(&dyn Files, W) -> Found<D> + Sync,
) -> Vec<Found<D>> {
    let files = loading.files;
    let found: Vec<_> = if wanted.len() < 16 {
        wanted.into_iter().map(|one| read(files, one)).collect()
    } else {
        wanted.into_par_iter().map(|one| read(files, one)).collect()
    };
    for (path, message) in found.iter().filter_map(|found| found.broken.as_ref()) {
        loading.notice(format!("{}: {message}; what this package needs is not known", loading.shown(path)));
    }
    found
}

/// The folders that are never gone through in search of an app's parts.
const SKIPPED: [&str; 8] = ["node_modules", "build", "Pods", "DerivedData", "target", "elvask", "Carthage", "vendor"];

/// The most folders that are gone through.
const MAX_FOLDERS: usize = 20_000;

/// Goes through the folders below `root`, nearest first, at most `depth` deep.
pub(crate) fn folders(files: &dyn Files, root: &Path, depth: usize) -> Vec<PathBuf> {
    let mut found = vec![root.to_owned()];
    let mut level = vec![root.to_owned()];
    for _ in 0..depth {
        let mut next = Vec::new();
        for folder in level.iter().take(MAX_FOLDERS.saturating_sub(found.len())) {
            for (name, kind) in files.list(folder) {
                if kind == FileKind::Folder && !name.starts_with('.') && !SKIPPED.contains(&name.as_str()) {
                    next.push(folder.join(name));
                }
            }
        }
        found.extend(next.iter().cloned());
        level = next;
    }
    found
}

/// Returns the root of the app that `start` lies in: the nearest folder upwards that has a dependency file and a platform
/// folder or an `elvask.toml`, else the nearest that has a dependency file.
#[must_use]
pub fn find_root(files: &dyn Files, start: &Path) -> Option<PathBuf> {
    let listed = || start.ancestors().filter(|folder| !Layout::at(files, folder).is_empty());
    let whole = |folder: &&Path| {
        files.is_file(&folder.join(config::FILE_NAME))
            || ["android", "ios"].iter().any(|name| files.is_folder(&folder.join(name)))
    };
    listed().find(whole).or_else(|| listed().next()).map(Path::to_owned)
}
