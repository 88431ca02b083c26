//! Files of which each folder is listed once.

use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, RwLock};

use super::{Entry, FileKind, Files, Stamp};

/// Files whose folders are listed once and do not change meanwhile: whether something is in a folder that was listed is told
/// from its list. It is for one look at an app, and for none that goes on while files are written.
pub struct Listed<'f> {
    below: &'f dyn Files,
    folders: RwLock<HashMap<PathBuf, Arc<[Entry]>>>,
}

impl<'f> Listed<'f> {
    /// Puts it over other files.
    #[must_use]
    pub fn new(below: &'f dyn Files) -> Self {
        Listed { below, folders: RwLock::default() }
    }

    fn known(&self, folder: &Path) -> Option<Arc<[Entry]>> {
        self.folders.read().ok()?.get(folder).cloned()
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
            folders.insert(folder.to_owned(), entries.as_slice().into());
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

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        self.below.stamp(path)
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        self.told(path).unwrap_or_else(|| self.below.kind(path))
    }

    fn real(&self, path: &Path) -> PathBuf {
        self.below.real(path)
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
