//! Where the runtime finds a package by its name: each folder of packages is listed once, and each name in it looked at once.
//!
//! Source: "Modules: CommonJS modules", section "Loading from `node_modules` folders", of the runtime's documentation.

use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock, RwLock};

use elvask_platform::hash::QuickMap;
use elvask_project::files::{Files, joined};

/// Finds packages by name, from any number of threads.
pub(super) struct Resolver<'f> {
    files: &'f dyn Files,
    /// Says of a folder that it is known to be that of a package.
    known: &'f (dyn Fn(&Path) -> bool + Sync),
    /// The folder of the app, where no link leads to it: a path below it is followed only where its folder has a link.
    root: Option<PathBuf>,
    /// By their paths as they are written.
    folders: RwLock<QuickMap<OsString, Option<Arc<Folder>>>>,
    /// What is above the folders in a folder.
    chains: RwLock<QuickMap<OsString, Arc<[FolderAt]>>>,
}

/// The folder of a package, as it is written: many packages want the same one.
pub(super) type Where = Arc<OsStr>;

/// A folder of packages, and where it is.
#[derive(Clone)]
pub(super) struct FolderAt {
    path: PathBuf,
    folder: Arc<Folder>,
}

/// A folder of packages, or of those of one scope.
struct Folder {
    /// Where it really is.
    real: PathBuf,
    entries: QuickMap<String, Entry>,
}

struct Entry {
    link: bool,
    /// Where the package really is; `None` where it is not a package.
    found: OnceLock<Option<Where>>,
}

impl<'f> Resolver<'f> {
    /// Makes one for the app at `root`; `known` says of a folder that it is a package's, so that nobody looks.
    pub(super) fn new(files: &'f dyn Files, root: &Path, known: &'f (dyn Fn(&Path) -> bool + Sync)) -> Self {
        let root = (files.real(root) == root).then(|| root.to_owned());
        Resolver { files, known, root, folders: RwLock::default(), chains: RwLock::default() }
    }

    /// Returns the folders of packages above a folder, the nearest first.
    pub(super) fn above(&self, folder: &Path) -> Arc<[FolderAt]> {
        let Some(around) = folder.parent() else { return Arc::default() };
        if let Some(known) = self.chains.read().ok().and_then(|chains| chains.get(around.as_os_str()).cloned()) {
            return known;
        }
        let chain: Arc<[FolderAt]> = around.ancestors().filter_map(|folder| self.inside(folder)).collect();
        if let Ok(mut chains) = self.chains.write() {
            chains.insert(around.as_os_str().to_owned(), Arc::clone(&chain));
        }
        chain
    }

    /// Returns the folder of packages in a folder.
    pub(super) fn inside(&self, folder: &Path) -> Option<FolderAt> {
        if folder.file_name().is_some_and(|last| last == "node_modules") {
            return None;
        }
        let path = joined(folder, "node_modules");
        Some(FolderAt { folder: self.folder(&path)?, path })
    }

    /// Returns the folder of a package that is in one of some folders of packages, the first of them that has it; links followed.
    pub(super) fn resolve<'a>(&self, mut within: impl Iterator<Item = &'a FolderAt>, name: &str) -> Option<Where> {
        if name.is_empty() || name.contains("..") || name.starts_with('/') {
            return None;
        }
        within.find_map(|at| self.find(at, name))
    }

    fn find(&self, at: &FolderAt, name: &str) -> Option<Where> {
        match name.split_once('/') {
            None => self.package(&at.folder, &at.path, name),
            Some((scope, name)) => {
                at.folder.entries.get(scope)?;
                let scope = joined(&at.path, scope);
                self.package(&*self.folder(&scope)?, &scope, name)
            }
        }
    }

    fn package(&self, packages: &Folder, folder: &Path, name: &str) -> Option<Where> {
        let Some(entry) = packages.entries.get(name) else {
            // A name of several parts is none that a list has.
            let path = folder.join(name);
            return (name.contains('/') && self.is_package(&path)).then(|| self.files.real(&path).as_os_str().into());
        };
        let look = || {
            let path = || joined(folder, name);
            let real = if entry.link { self.files.real(&path()) } else { joined(&packages.real, name) };
            ((self.known)(&real) || self.is_package(&path())).then(|| Arc::from(real.into_os_string()))
        };
        entry.found.get_or_init(look).clone()
    }

    /// Follows the links of a folder in a folder that is there without any.
    fn real(&self, path: &Path) -> PathBuf {
        // On some disks a file has its name in any letters, and only a list tells in which.
        let exact = !cfg!(any(windows, target_os = "macos"));
        let name = path.file_name().and_then(|name| name.to_str());
        let is_plain = |folder: &Path| match exact {
            // A link has no stamp.
            true => self.files.stamp(path).is_some(),
            false => {
                let entries = self.files.entries(folder);
                entries.iter().any(|entry| Some(entry.name.as_str()) == name && !entry.link)
            }
        };
        let below = |root: &PathBuf| path.parent().is_some_and(|folder| folder.starts_with(root) && is_plain(folder));
        if self.root.as_ref().is_some_and(below) { path.to_owned() } else { self.files.real(path) }
    }

    fn is_package(&self, path: &Path) -> bool {
        self.files.is_file(&path.join("package.json"))
    }

    fn folder(&self, path: &Path) -> Option<Arc<Folder>> {
        if let Some(known) = self.folders.read().ok().and_then(|folders| folders.get(path.as_os_str()).cloned()) {
            return known;
        }
        let entries = self.files.entries(path);
        let folder = (!entries.is_empty()).then(|| {
            let entries =
                entries.into_iter().map(|entry| (entry.name, Entry { link: entry.link, found: OnceLock::new() }));
            Arc::new(Folder { real: self.real(path), entries: entries.collect() })
        });
        if let Ok(mut folders) = self.folders.write() {
            return folders.entry(path.as_os_str().to_owned()).or_insert(folder).clone();
        }
        folder
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[cfg(unix)]
    #[expect(clippy::disallowed_methods, reason = "files for a test")]
    fn a_package_is_where_its_links_lead() {
        use elvask_project::files::{Disk, Listed};
        use std::os::unix::fs::symlink;

        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().canonicalize().unwrap();
        let app = root.join("app");
        let packages =
            ["app/node_modules/tern", "app/node_modules/@reed/plain", "kept/@marsh/knot", "kept/deep", "kept/stint"];
        for package in packages {
            std::fs::create_dir_all(root.join(package)).unwrap();
            std::fs::write(root.join(package).join("package.json"), "{}").unwrap();
        }
        symlink("../../kept/@marsh", app.join("node_modules/@marsh")).unwrap();
        symlink("../../../kept", app.join("node_modules/tern/node_modules")).unwrap();
        symlink("../../kept/stint", app.join("node_modules/stint")).unwrap();
        for files in [&Disk as &dyn Files, &Listed::new(&Disk)] {
            let resolver = Resolver::new(files, &app, &|_| false);
            let from = |folder: &Path, name: &str| {
                let within: Vec<_> =
                    resolver.inside(folder).into_iter().chain(resolver.above(folder).iter().cloned()).collect();
                resolver
                    .resolve(within.iter(), name)
                    .map(|found| Path::new(&found).strip_prefix(&root).unwrap().to_owned())
            };
            let found = |path: &str| Some(PathBuf::from(path));
            let tern = app.join("node_modules/tern");
            assert_eq!(from(&app, "tern"), found("app/node_modules/tern"));
            assert_eq!(from(&app, "@reed/plain"), found("app/node_modules/@reed/plain"));
            assert_eq!(from(&app, "@marsh/knot"), found("kept/@marsh/knot"));
            assert_eq!(from(&app, "stint"), found("kept/stint"));
            assert_eq!(from(&app, "deep"), None);
            assert_eq!(from(&tern, "deep"), found("kept/deep"));
            assert_eq!(from(&tern, "tern"), found("app/node_modules/tern"), "above it");
            assert_eq!(from(&tern, "../tern"), None);
            assert_eq!(from(&app.join("node_modules"), "tern"), found("app/node_modules/tern"));
        }
    }
}
