//! Files below a folder that is open: the way to it, which is long, is gone once for all of them.

use std::io;
use std::os::fd::{AsFd as _, OwnedFd};
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};

use rustix::fs::{Mode, OFlags, open, openat};

use super::{Disk, Entry, FileKind, Files, Parts, Stamp, names};

/// The disk, near a folder.
#[derive(Debug)]
pub(super) struct Near {
    path: PathBuf,
    folder: OwnedFd,
}

impl Near {
    pub(super) fn new(folder: &Path) -> Option<Self> {
        let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
        Some(Near { path: folder.to_owned(), folder: open(folder, flags, Mode::empty()).ok()? })
    }

    /// Returns what names a path from the folder, where it is written as one below it.
    fn below<'p>(&self, path: &'p Path) -> Option<&'p Path> {
        let rest = path.as_os_str().as_bytes().strip_prefix(self.path.as_os_str().as_bytes())?;
        let rest = rest.strip_prefix(b"/").filter(|rest| !rest.is_empty() && !rest.starts_with(b"/"))?;
        Some(Path::new(std::ffi::OsStr::from_bytes(rest)))
    }
}

impl Files for Near {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        self.read_into(path, &mut bytes)?;
        Ok(bytes)
    }

    fn read_into(&self, path: &Path, bytes: &mut Vec<u8>) -> io::Result<()> {
        let Some(below) = self.below(path) else { return Disk.read_into(path, bytes) };
        // A pipe is not waited for: what it is is seen when it is open.
        let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC;
        let file = openat(&self.folder, below, flags, Mode::empty())?;
        Disk::all_of(Disk::sized(file.into(), path)?, bytes)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Parts>> {
        Disk.open(path)
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        self.entries(folder).into_iter().map(|entry| (entry.name, entry.kind)).collect()
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        match self.below(folder) {
            Some(below) => Disk.listed(folder, names::of_linux(self.folder.as_fd(), below)),
            None => Disk.entries(folder),
        }
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        Disk.stamp(path)
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        Disk.kind(path)
    }

    fn real(&self, path: &Path) -> PathBuf {
        Disk.real(path)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[expect(clippy::disallowed_methods, reason = "files for a test")]
    fn near_a_folder_the_same_is_there() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        std::fs::create_dir_all(root.join("tern/src/main")).unwrap();
        std::fs::create_dir_all(root.join("ternary")).unwrap();
        for file in ["tern/src/A.kt", "tern/B.kt", "ternary/C.kt", "D.kt"] {
            std::fs::write(root.join(file), file).unwrap();
        }
        std::os::unix::fs::symlink("../D.kt", root.join("tern/to-d")).unwrap();
        std::os::unix::fs::symlink("..", root.join("tern/up")).unwrap();
        let tern = root.join("tern");
        let near = Near::new(&tern).unwrap();
        for path in [
            "tern",
            "tern/",
            "tern/src",
            "tern//src",
            "tern/src/A.kt",
            "tern/B.kt",
            "tern/to-d",
            "tern/up",
            "tern/up/D.kt",
            "tern/../D.kt",
            "tern/none",
            "ternary",
            "ternary/C.kt",
            "D.kt",
            "",
        ] {
            let path = root.join(path);
            let error = |error: io::Error| error.kind();
            assert_eq!(near.read(&path).map_err(error), Disk.read(&path).map_err(error), "{}", path.display());
            assert_eq!(near.entries(&path), Disk.entries(&path), "{}", path.display());
        }
        assert!(Near::new(&root.join("none")).is_none());
        assert!(Near::new(&root.join("D.kt")).is_none());
    }
}
