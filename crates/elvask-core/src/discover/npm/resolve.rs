//! Where the runtime finds a package by its name: each folder of packages is listed once, and each name in it looked at once.
//!
//! Source: "Modules: CommonJS modules", section "Loading from `node_modules` folders", of the runtime's documentation.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock, RwLock};

use elvask_project::files::Files;

/// Finds packages by name, from any number of threads.
pub(super) struct Resolver<'f> {
    files: &'f dyn Files,
    /// The folder of the app, where no link leads to it: a path below it is followed only where its folder has a link.
    root: Option<PathBuf>,
    folders: RwLock<HashMap<PathBuf, Option<Arc<Folder>>>>,
}

/// A folder of packages, or of those of one scope.
struct Folder {
    /// Where it really is.
    real: PathBuf,
    entries: HashMap<String, Entry>,
}

struct Entry {
    link: bool,
    /// Where the package really is; `None` where it is not a package.
    found: OnceLock<Option<PathBuf>>,
}

impl<'f> Resolver<'f> {
    pub(super) fn new(files: &'f dyn Files, root: &Path) -> Self {
        let root = (files.real(root) == root).then(|| root.to_owned());
        Resolver { files, root, folders: RwLock::default() }
    }

    /// Returns the folder of a package as seen from `folder`: in its `node_modules` or in that of a folder above, links
    /// followed.
    pub(super) fn resolve(&self, folder: &Path, name: &str) -> Option<PathBuf> {
        if name.is_empty() || name.contains("..") || name.starts_with('/') {
            return None;
        }
        let outside = |folder: &&Path| folder.file_name().is_none_or(|last| last != "node_modules");
        folder.ancestors().filter(outside).find_map(|folder| self.find(&folder.join("node_modules"), name))
    }

    fn find(&self, folder: &Path, name: &str) -> Option<PathBuf> {
        let packages = self.folder(folder)?;
        match name.split_once('/') {
            None => self.package(&packages, folder, name),
            Some((scope, name)) => {
                packages.entries.get(scope)?;
                let scope = folder.join(scope);
                self.package(&*self.folder(&scope)?, &scope, name)
            }
        }
    }

    fn package(&self, packages: &Folder, folder: &Path, name: &str) -> Option<PathBuf> {
        let Some(entry) = packages.entries.get(name) else {
            // A name of several parts is none that a list has.
            let path = folder.join(name);
            return (name.contains('/') && self.is_package(&path)).then(|| self.files.real(&path));
        };
        let look = || {
            let path = folder.join(name);
            let real = || if entry.link { self.files.real(&path) } else { packages.real.join(name) };
            self.is_package(&path).then(real)
        };
        entry.found.get_or_init(look).clone()
    }

    /// Follows the links of a folder in a folder that is there without any.
    fn real(&self, path: &Path) -> PathBuf {
        let name = path.file_name().and_then(|name| name.to_str());
        let is_plain = |folder: &Path| {
            let entries = self.files.entries(folder);
            entries.iter().any(|entry| Some(entry.name.as_str()) == name && !entry.link)
        };
        let below = |root: &PathBuf| path.parent().is_some_and(|folder| folder.starts_with(root) && is_plain(folder));
        if self.root.as_ref().is_some_and(below) { path.to_owned() } else { self.files.real(path) }
    }

    fn is_package(&self, path: &Path) -> bool {
        self.files.is_file(&path.join("package.json"))
    }

    fn folder(&self, path: &Path) -> Option<Arc<Folder>> {
        if let Some(known) = self.folders.read().ok().and_then(|folders| folders.get(path).cloned()) {
            return known;
        }
        let entries = self.files.entries(path);
        let folder = (!entries.is_empty()).then(|| {
            let entries =
                entries.into_iter().map(|entry| (entry.name, Entry { link: entry.link, found: OnceLock::new() }));
            Arc::new(Folder { real: self.real(path), entries: entries.collect() })
        });
        if let Ok(mut folders) = self.folders.write() {
            return folders.entry(path.to_owned()).or_insert(folder).clone();
        }
        folder
    }
}
