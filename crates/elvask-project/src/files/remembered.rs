//! Files whose bytes are kept for as long as nothing shows that they have changed.

use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use super::{Disk, Entry, FileKind, Files, Named, Parts, Stamp};

/// The most bytes that are kept.
const MAX_KEPT: usize = 64 * 1024 * 1024;

/// The largest file that is kept, in bytes.
const MAX_ONE: usize = 20 * 1024 * 1024;

/// The disk for a process that looks at the same files over and over: one whose size and time are what they were is not read again.
#[derive(Debug, Default)]
pub struct Remembered {
    kept: Mutex<Kept>,
}

#[derive(Debug, Default)]
struct Kept {
    files: HashMap<PathBuf, (Stamp, Arc<[u8]>)>,
    bytes: usize,
    /// How many files were read.
    read: usize,
}

impl Remembered {
    /// Returns how many files were read from the disk so far.
    #[must_use]
    pub fn read_so_far(&self) -> usize {
        self.kept.lock().map_or(0, |kept| kept.read)
    }
}

impl Files for Remembered {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        let stamp = Disk.stamp(path);
        if let (Some(stamp), Ok(kept)) = (stamp, self.kept.lock())
            && let Some((known, bytes)) = kept.files.get(path)
            && *known == stamp
        {
            return Ok(bytes.to_vec());
        }
        let bytes = Disk.read(path)?;
        let Ok(mut kept) = self.kept.lock() else { return Ok(bytes) };
        kept.read += 1;
        // What changed while it was read has another stamp now, and is read again the next time.
        if let Some(stamp) = stamp.filter(|_| bytes.len() <= MAX_ONE) {
            if kept.bytes + bytes.len() > MAX_KEPT {
                kept.files.clear();
                kept.bytes = 0;
            }
            kept.bytes += bytes.len();
            if let Some((_, old)) = kept.files.insert(path.to_owned(), (stamp, bytes.as_slice().into())) {
                kept.bytes -= old.len();
            }
        }
        Ok(bytes)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Parts>> {
        Disk.open(path)
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        Disk.list(folder)
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        Disk.entries(folder)
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        Disk.kind(path)
    }

    fn real(&self, path: &Path) -> PathBuf {
        Disk.real(path)
    }

    fn entries_once(&self, folder: &Path) -> Vec<Entry> {
        Disk.entries_once(folder)
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        Disk.stamp(path)
    }

    fn stamps(&self, folder: &Path, names: &mut dyn Iterator<Item = Named<'_>>) -> Option<Vec<Stamp>> {
        Disk.stamps(folder, names)
    }

    fn is_file(&self, path: &Path) -> bool {
        Disk.is_file(path)
    }

    fn is_folder(&self, path: &Path) -> bool {
        Disk.is_folder(path)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[expect(clippy::disallowed_methods, reason = "a test makes its files")]
    fn a_file_is_read_again_only_when_it_has_changed() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a");
        let files = Remembered::default();
        std::fs::write(&path, "one").unwrap();
        assert_eq!(files.read(&path).unwrap(), b"one");
        assert_eq!((files.read(&path).unwrap().as_slice(), files.read_so_far()), (&b"one"[..], 1));
        std::fs::write(&path, "three").unwrap();
        assert_eq!((files.read(&path).unwrap().as_slice(), files.read_so_far()), (&b"three"[..], 2));
        std::fs::remove_file(&path).unwrap();
        assert!(files.read(&path).is_err(), "what is gone is not there");
    }
}
