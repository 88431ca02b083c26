//! Packages as package managers fetch them: archives, looked into without being unpacked on the disk.

use std::collections::BTreeSet;
use std::fs::File;
use std::io::{self, Read, Seek as _};
use std::path::{Component, Path, PathBuf};

use elvask_project::files::{Disk, Entry, FileKind, Files, Memory, Named, Parts, Stamp, limit_of};
use flate2::read::GzDecoder;

use crate::output::Failure;

/// The most bytes that an archive may come to when it is unpacked.
const MAX_UNPACKED: u64 = 512 * 1024 * 1024;

/// The most files of an archive that are looked at.
const MAX_ENTRIES: usize = 50_000;

/// The disk, with the contents of an archive in its place, as if it were a folder.
pub(crate) struct Opened {
    at: PathBuf,
    inside: Memory,
}

impl Opened {
    /// Opens an archive: a tarball, packed by gzip or not, or a zip file under any name.
    ///
    /// # Errors
    /// Why it is not one, or goes over a limit.
    pub(crate) fn open(path: &Path, shown: &str) -> Result<Self, Failure> {
        let failed = |why: &str| Failure::new(format!("{shown}: {why}"));
        let mut file = File::open(path).map_err(|error| failed(&error.to_string()))?;
        let mut start = [0; 4];
        let read = file.read(&mut start).and_then(|read| file.rewind().map(|()| read));
        let read = read.map_err(|error| failed(&error.to_string()))?;
        let entries = match start.get(..read).unwrap_or_default() {
            [0x1F, 0x8B, ..] => tarball(GzDecoder::new(file)),
            [b'P', b'K', 3, 4] => zipped(file),
            _ => tarball(file),
        };
        let entries = entries.map_err(|error| failed(&format!("this is no archive that can be read: {error}")))?;
        if entries.is_empty() {
            return Err(failed("there is nothing in this archive"));
        }
        let mut inside = Memory::default();
        let top = common_folder(&entries);
        for (name, bytes) in entries {
            let name = top.as_ref().and_then(|top| name.strip_prefix(top).ok()).unwrap_or(&name).to_owned();
            inside.put(path.join(name), bytes);
        }
        Ok(Opened { at: path.to_owned(), inside })
    }

    fn of(&self, path: &Path) -> &dyn Files {
        if path.starts_with(&self.at) { &self.inside } else { &Disk }
    }
}

/// Files by their paths inside an archive.
type Entries = Vec<(PathBuf, Vec<u8>)>;

/// Gathers files, as long as they stay within bounds.
#[derive(Default)]
struct Gathered {
    entries: Entries,
    bytes: u64,
}

impl Gathered {
    fn add(&mut self, name: &Path, size: u64, mut from: impl Read) -> io::Result<()> {
        let Some(name) = plain(name) else { return Ok(()) };
        if self.entries.len() >= MAX_ENTRIES {
            return Err(io::Error::other(format!("it holds more than {MAX_ENTRIES} files")));
        }
        // What would not be read from the disk either.
        if size > limit_of(&name) {
            return Ok(());
        }
        let mut bytes = Vec::new();
        // An archive may say that a file is smaller than it is.
        let left = MAX_UNPACKED - self.bytes;
        from.by_ref().take(left + 1).read_to_end(&mut bytes)?;
        if bytes.len() as u64 > left {
            return Err(io::Error::other(format!("it comes to more than {} MB", MAX_UNPACKED / 1024 / 1024)));
        }
        self.bytes += bytes.len() as u64;
        self.entries.push((name, bytes));
        Ok(())
    }
}

/// Returns a path that leads nowhere but down; `None` for others.
fn plain(name: &Path) -> Option<PathBuf> {
    let mut out = PathBuf::new();
    for part in name.components() {
        match part {
            Component::Normal(part) => out.push(part),
            Component::CurDir => {}
            _ => return None,
        }
    }
    (!out.as_os_str().is_empty()).then_some(out)
}

fn tarball(from: impl Read) -> io::Result<Entries> {
    let mut gathered = Gathered::default();
    let mut all = 0;
    for entry in tar::Archive::new(from).entries()? {
        let entry = entry?;
        all += 1;
        if all > 4 * MAX_ENTRIES {
            return Err(io::Error::other("it has too many entries"));
        }
        // Links could lead out of it.
        if entry.header().entry_type().is_file() {
            let name = entry.path()?.into_owned();
            let size = entry.size();
            gathered.add(&name, size, entry)?;
        }
    }
    Ok(gathered.entries)
}

fn zipped(from: File) -> io::Result<Entries> {
    let mut archive = zip::ZipArchive::new(from).map_err(io::Error::other)?;
    let mut gathered = Gathered::default();
    for at in 0..archive.len() {
        let entry = archive.by_index(at).map_err(io::Error::other)?;
        if entry.is_file() {
            let name = PathBuf::from(entry.name().map_err(io::Error::other)?.replace('\\', "/"));
            let size = entry.size();
            gathered.add(&name, size, entry)?;
        }
    }
    Ok(gathered.entries)
}

/// Returns the folder in which all of an archive lies.
fn common_folder(entries: &Entries) -> Option<PathBuf> {
    let mut first = BTreeSet::new();
    for (name, _) in entries {
        let mut parts = name.components();
        let top = parts.next()?;
        parts.next()?;
        first.insert(top.as_os_str().to_owned());
    }
    (first.len() == 1).then(|| first.into_iter().next().map(PathBuf::from)).flatten()
}

impl Files for Opened {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        self.of(path).read(path)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Parts>> {
        self.of(path).open(path)
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        self.of(folder).list(folder)
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        self.of(path).kind(path)
    }

    fn real(&self, path: &Path) -> PathBuf {
        self.of(path).real(path)
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        self.of(folder).entries(folder)
    }

    fn entries_once(&self, folder: &Path) -> Vec<Entry> {
        self.of(folder).entries_once(folder)
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        self.of(path).stamp(path)
    }

    fn stamps(&self, folder: &Path, names: &mut dyn Iterator<Item = Named<'_>>) -> Option<Vec<Stamp>> {
        self.of(folder).stamps(folder, names)
    }
}

#[cfg(test)]
mod tests {
    use super::{common_folder, plain};
    use std::path::{Path, PathBuf};

    #[test]
    fn nothing_leads_out_of_an_archive() {
        assert_eq!(plain(Path::new("./package/a.xml")), Some(PathBuf::from("package/a.xml")));
        for out in ["../a", "/etc/a", "a/../../b", "."] {
            assert_eq!(plain(Path::new(out)), None, "{out}");
        }
    }

    #[test]
    fn the_folder_around_everything_is_no_part_of_the_package() {
        let entries = |names: &[&str]| names.iter().map(|name| (PathBuf::from(name), Vec::new())).collect::<Vec<_>>();
        assert_eq!(common_folder(&entries(&["package/a", "package/b/c"])), Some(PathBuf::from("package")));
        assert_eq!(common_folder(&entries(&["package/a", "b"])), None);
        assert_eq!(common_folder(&entries(&["a/x", "b/x"])), None);
    }
}
