//! Files of which each folder is listed once.

use std::ffi::{OsStr, OsString};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, RwLock};

use elvask_platform::hash::QuickMap;

use super::{Entry, FileKind, Files, Named, Parts, Stamp};

/// Files whose folders are listed once and do not change meanwhile: whether something is in a folder that was listed is told
/// from its list. It is for one look at an app, and for none that goes on while files are written.
pub struct Listed<'f> {
    below: &'f dyn Files,
    /// By their paths as they are written, which is quicker to look up than part by part.
    folders: RwLock<QuickMap<OsString, Arc<[Entry]>>>,
    /// Where paths really lead.
    reals: RwLock<QuickMap<OsString, Arc<Path>>>,
}

impl<'f> Listed<'f> {
    /// Puts it over other files.
    #[must_use]
    pub fn new(below: &'f dyn Files) -> Self {
        Listed { below, folders: RwLock::default(), reals: RwLock::default() }
    }

    fn known(&self, folder: &Path) -> Option<Arc<[Entry]>> {
        self.folders.read().ok()?.get(folder.as_os_str()).cloned()
    }

    /// What the list of its folder says of what stands at a path under just this name.
    fn entry<T>(&self, path: &Path, of: impl FnOnce(&Entry) -> T) -> Option<T> {
        let name = path.file_name()?.to_str()?;
        let entries = self.known(path.parent()?)?;
        let at = entries.binary_search_by(|entry| entry.name.as_str().cmp(name)).ok()?;
        entries.get(at).map(of)
    }

    fn followed(&self, path: &Path) -> Arc<Path> {
        let key: &OsStr = path.as_os_str();
        if let Some(known) = self.reals.read().ok().and_then(|reals| reals.get(key).cloned()) {
            return known;
        }
        let real = match (path.parent(), path.file_name()) {
            // What is not a link is where its folder really is.
            (Some(folder), Some(name)) if self.is_no_link(path) => {
                let real = self.followed(folder);
                if *real == *folder { path.into() } else { real.join(name).into() }
            }
            _ => Arc::from(self.below.real(path)),
        };
        if let Ok(mut reals) = self.reals.write() {
            reals.insert(key.to_owned(), Arc::clone(&real));
        }
        real
    }

    /// Says whether something stands at a path under just this name, and is not a link. Only what is sure is said.
    fn is_no_link(&self, path: &Path) -> bool {
        // On some disks a file has its name in any letters, and only a list tells in which.
        let exact = !cfg!(any(windows, target_os = "macos"));
        match self.entry(path, |entry| entry.link) {
            Some(link) => !link,
            // A link has no stamp.
            None => exact && self.below.stamp(path).is_some(),
        }
    }

    /// What the list of its folder says of a path; `None` where there is no list, or none that tells: on some disks a file has
    /// its name in any letters.
    fn told(&self, path: &Path) -> Option<Option<FileKind>> {
        let name = path.file_name()?.to_str().filter(|name| name.is_ascii())?;
        let entries = self.known(path.parent()?)?;
        if let Ok(at) = entries.binary_search_by(|entry| entry.name.as_str().cmp(name)) {
            return Some(entries.get(at).map(|entry| entry.kind));
        }
        let in_other_letters = entries.iter().any(|entry| entry.name.eq_ignore_ascii_case(name));
        (!in_other_letters).then_some(None)
    }
}

impl Files for Listed<'_> {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        self.below.read(path)
    }

    fn read_into(&self, path: &Path, bytes: &mut Vec<u8>) -> io::Result<()> {
        self.below.read_into(path, bytes)
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        self.entries(folder).into_iter().map(|entry| (entry.name, entry.kind)).collect()
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        if let Some(known) = self.known(folder) {
            return known.to_vec();
        }
        let entries = self.entries_once(folder);
        // What is not a folder is asked for again: it has no list that would tell.
        if !entries.is_empty()
            && let Ok(mut folders) = self.folders.write()
        {
            folders.insert(folder.as_os_str().to_owned(), entries.as_slice().into());
        }
        entries
    }

    fn entries_once(&self, folder: &Path) -> Vec<Entry> {
        if let Some(known) = self.known(folder) {
            return known.to_vec();
        }
        match self.told(folder) {
            Some(None | Some(FileKind::File)) => Vec::new(),
            _ => self.below.entries(folder),
        }
    }

    fn near<'f>(&'f self, folder: &Path) -> Option<Box<dyn Files + 'f>> {
        Some(Box::new(NearListed { listed: self, near: self.below.near(folder)? }))
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        self.below.stamp(path)
    }

    fn stamps(&self, folder: &Path, names: &mut dyn Iterator<Item = Named<'_>>) -> Option<Vec<Stamp>> {
        self.below.stamps(folder, names)
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        self.told(path).unwrap_or_else(|| self.below.kind(path))
    }

    fn real(&self, path: &Path) -> PathBuf {
        self.followed(path).to_path_buf()
    }
}

/// The same near a folder.
struct NearListed<'f> {
    listed: &'f Listed<'f>,
    near: Box<dyn Files + 'f>,
}

impl Files for NearListed<'_> {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        self.near.read(path)
    }

    fn read_into(&self, path: &Path, bytes: &mut Vec<u8>) -> io::Result<()> {
        self.near.read_into(path, bytes)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Parts>> {
        self.near.open(path)
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        self.listed.list(folder)
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        self.listed.entries(folder)
    }

    fn entries_once(&self, folder: &Path) -> Vec<Entry> {
        self.listed.known(folder).map_or_else(|| self.near.entries(folder), |known| known.to_vec())
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        self.listed.stamp(path)
    }

    fn stamps(&self, folder: &Path, names: &mut dyn Iterator<Item = Named<'_>>) -> Option<Vec<Stamp>> {
        self.listed.stamps(folder, names)
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        self.listed.kind(path)
    }

    fn real(&self, path: &Path) -> PathBuf {
        self.listed.real(path)
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicUsize, Ordering};

    use super::*;
    use crate::files::Memory;

    /// Counts what is asked of the files below.
    struct Counted(Memory, AtomicUsize);

    impl Files for Counted {
        fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
            self.0.read(path)
        }

        fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
            self.1.fetch_add(1, Ordering::Relaxed);
            self.0.list(folder)
        }

        fn kind(&self, path: &Path) -> Option<FileKind> {
            self.1.fetch_add(1, Ordering::Relaxed);
            self.0.kind(path)
        }

        fn real(&self, path: &Path) -> PathBuf {
            self.0.real(path)
        }
    }

    #[test]
    #[cfg(unix)]
    #[expect(clippy::disallowed_methods, reason = "files for a test")]
    fn a_path_is_followed_as_the_disk_has_it() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().canonicalize().unwrap();
        std::fs::create_dir_all(root.join("app/packages/tern/src")).unwrap();
        std::fs::create_dir_all(root.join("kept/knot/src")).unwrap();
        for file in ["app/packages/tern/src/a", "kept/knot/src/a"] {
            std::fs::write(root.join(file), "").unwrap();
        }
        std::os::unix::fs::symlink("../../kept/knot", root.join("app/packages/knot")).unwrap();
        std::os::unix::fs::symlink("tern", root.join("app/packages/again")).unwrap();
        std::os::unix::fs::symlink("nowhere", root.join("app/packages/gone")).unwrap();
        std::os::unix::fs::symlink(root.join("app"), root.join("other")).unwrap();
        for listed in [false, true] {
            let files = Listed::new(&crate::files::Disk);
            if listed {
                for folder in ["app", "app/packages", "app/packages/knot", "other/packages"] {
                    files.list(&root.join(folder));
                }
            }
            for path in [
                "app/packages/tern/src/a",
                "app/packages/knot/src/a",
                "app/packages/again/src",
                "app/packages/gone",
                "app/packages/absent/src",
                "other/packages/knot/src/a",
                "app/packages/../packages/tern",
                "app/packages/knot/../knot/src",
                "other/../kept/knot",
                "app/packages/tern/./src",
            ] {
                let path = root.join(path);
                assert_eq!(files.real(&path), crate::files::Disk.real(&path), "{}", path.display());
            }
        }
    }

    #[test]
    fn a_folder_that_was_listed_answers_for_what_is_in_it() {
        let below = Counted(Memory::app([("ios/Podfile", ""), ("ios/Marram/Info.plist", "")]), AtomicUsize::new(0));
        let files = Listed::new(&below);
        let asked = || below.1.load(Ordering::Relaxed);
        let root = Path::new("/app/ios");
        assert!(files.is_file(&root.join("Podfile")), "{:?}", files.list(root));
        let before = asked();
        assert_eq!(files.list(root).len(), 2);
        assert_eq!(asked(), before + 1);
        assert!(files.is_file(&root.join("Podfile")));
        assert!(files.is_folder(&root.join("Marram")));
        assert!(!files.is_file(&root.join("Package.swift")));
        assert_eq!(files.list(&root.join("Pods")), [], "it is not there");
        assert_eq!(files.list(root).len(), 2);
        assert_eq!(asked(), before + 1, "the list told all of it");
        assert_eq!(files.kind(&root.join("podfile")), below.0.kind(&root.join("podfile")));
        assert_eq!(asked(), before + 2, "on some disks it is the same file");
        assert_eq!(files.list(&root.join("Marram")).len(), 1);
    }
}
