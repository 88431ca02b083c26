//! Files that note what they were asked for.

use std::collections::BTreeSet;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use super::{Entry, FileKind, Files, Parts, Stamp};

/// Files that note what was asked of them in a folder: while none of that has another stamp, every answer is the same.
pub struct Watched<'f> {
    below: &'f dyn Files,
    root: &'f Path,
    /// What was asked for, from the folder with forward slashes; `None` once something was asked for that no stamp tells.
    seen: Mutex<Option<BTreeSet<String>>>,
}

impl<'f> Watched<'f> {
    /// Watches what is asked of files in the folder `root`.
    #[must_use]
    pub fn new(below: &'f dyn Files, root: &'f Path) -> Self {
        Watched { below, root, seen: Mutex::new(Some(BTreeSet::new())) }
    }

    /// Returns the names of the files and folders on which the answers hang, each from the folder, which is empty; `None` where something
    /// else had a part in them.
    #[must_use]
    pub fn seen(self) -> Option<Vec<String>> {
        Some(self.seen.into_inner().ok()??.into_iter().collect())
    }

    /// Notes a path; nothing tells of one outside the folder, or behind a link.
    fn note(&self, path: &Path, link: bool) {
        let Ok(mut seen) = self.seen.lock() else { return };
        let inside = path.strip_prefix(self.root).ok().and_then(Path::to_str).filter(|_| !link);
        match (inside, seen.as_mut()) {
            (Some(inside), Some(seen)) => {
                seen.insert(inside.replace('\\', "/"));
            }
            (None, _) => *seen = None,
            (_, None) => {}
        }
    }

    /// Notes the nearest folder that is there, in which what stands at a path would come or go.
    fn note_around(&self, path: &Path, link: bool) {
        let folder = path.ancestors().skip(1).find(|folder| self.below.is_folder(folder));
        self.note(folder.unwrap_or(path), link);
    }
}

impl Files for Watched<'_> {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        let bytes = self.below.read(path);
        if bytes.is_ok() {
            self.note(path, false);
        } else {
            self.note_around(path, true);
        }
        bytes
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Parts>> {
        self.note(path, false);
        self.below.open(path)
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        self.entries(folder).into_iter().map(|entry| (entry.name, entry.kind)).collect()
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        let entries = self.below.entries(folder);
        // What a link leads to can change where nobody looks.
        let link = entries.iter().any(|entry| entry.link);
        if entries.is_empty() && !self.below.is_folder(folder) {
            self.note_around(folder, link);
        } else {
            self.note(folder, link);
        }
        entries
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        let kind = self.below.kind(path);
        // A link has no stamp.
        self.note_around(path, kind.is_some() && self.below.stamp(path).is_none());
        kind
    }

    fn real(&self, path: &Path) -> PathBuf {
        self.note(path, true);
        self.below.real(path)
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        let stamp = self.below.stamp(path);
        self.note(path, stamp.is_none());
        stamp
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::files::Disk;

    #[test]
    #[expect(clippy::disallowed_methods, reason = "files for a test")]
    fn what_answers_hang_on_is_noted() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        std::fs::create_dir_all(root.join("android/src")).unwrap();
        std::fs::write(root.join("package.json"), "{}").unwrap();
        std::fs::write(root.join("android/build.gradle"), "").unwrap();
        let seen = |ask: &dyn Fn(&dyn Files)| {
            let files = Watched::new(&Disk, root);
            ask(&files);
            files.seen()
        };
        let path = |name: &str| root.join(name);
        let some = |names: &[&str]| Some(names.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>());
        assert_eq!(seen(&|_| {}), some(&[]));
        assert_eq!(seen(&|files| assert!(files.read(&path("package.json")).is_ok())), some(&["package.json"]));
        assert_eq!(seen(&|files| assert_eq!(files.list(root).len(), 2)), some(&[""]));
        assert_eq!(
            seen(&|files| assert!(files.list(&path("ios/Pods")).is_empty())),
            some(&[""]),
            "it would come there"
        );
        let built = |files: &dyn Files| assert!(files.is_file(&path("android/build.gradle")));
        assert_eq!(seen(&built), some(&["android"]));
        let declared = |files: &dyn Files| assert!(!files.is_file(&path("android/src/main/AndroidManifest.xml")));
        assert_eq!(seen(&declared), some(&["android/src"]));
        assert_eq!(seen(&|files| assert!(files.read(&path("none")).is_err())), None, "why may be anything");
        assert_eq!(seen(&|files| assert!(files.is_folder(root.parent().unwrap()))), None, "outside");
        #[cfg(unix)]
        {
            std::os::unix::fs::symlink("build.gradle", path("android/link.gradle")).unwrap();
            assert_eq!(seen(&|files| assert!(files.is_file(&path("android/link.gradle")))), None);
            assert_eq!(seen(&|files| assert_eq!(files.list(&path("android")).len(), 3)), None);
            assert_eq!(seen(&built), some(&["android"]), "the link has no part in it");
        }
    }
}
