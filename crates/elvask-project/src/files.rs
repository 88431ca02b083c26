//! Reading files: one narrow trait, with the disk and a tree in memory behind it.

mod listed;
mod named;
mod names;
#[cfg(target_os = "linux")]
mod near;
mod paths;
mod remembered;
mod watched;

use std::collections::BTreeMap;
use std::io::{self, Read as _};
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub use listed::Listed;
pub use named::{Named, Names};
pub use paths::{joined, normal, shown};
pub use remembered::Remembered;
pub use watched::Watched;

/// The largest file of any sort that is read, in bytes.
pub const MAX_FILE: u64 = 32 * 1024 * 1024;

/// The largest files of some sorts that are read, in bytes, by the ends of their names. What people write of these is far smaller; what is
/// larger was made to exhaust whoever reads it.
const MAX_BY_NAME: [(&str, u64); 14] = [
    (".gradle", 1 << 20),
    (".kts", 1 << 20),
    (".toml", 1 << 20),
    (".properties", 1 << 20),
    (".xcconfig", 1 << 20),
    (".podspec", 1 << 20),
    ("Podfile", 1 << 20),
    ("AndroidManifest.xml", 16 << 20),
    (".xml", 4 << 20),
    (".plist", 1 << 20),
    (".entitlements", 1 << 20),
    (".json", 4 << 20),
    (".yaml", 4 << 20),
    (".pbxproj", 16 << 20),
];

/// Returns the most bytes of a file that are read, which its name decides.
#[must_use]
pub fn limit_of(path: &Path) -> u64 {
    let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
    MAX_BY_NAME.iter().find(|(end, _)| name.ends_with(end)).map_or(MAX_FILE, |(_, most)| *most)
}

/// Says that a file is too large to be read.
fn too_large(bytes: u64, most: u64) -> io::Error {
    let message = format!("it has {bytes} bytes, and such files over {most} bytes are not read");
    io::Error::new(io::ErrorKind::FileTooLarge, message)
}

/// What stands at a path, links followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileKind {
    /// A file.
    File,
    /// A folder.
    Folder,
}

/// One name in a folder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// The name.
    pub name: String,
    /// What it is, links followed.
    pub kind: FileKind,
    /// Whether it is a link to something else.
    pub link: bool,
}

/// What tells without reading it whether a file has changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Stamp {
    /// Its size in bytes.
    pub len: u64,
    /// When it was changed, in nanoseconds since 1970. Whoever writes a file can set it.
    pub changed: u64,
    /// When the system last wrote down anything about it, likewise; nobody can set that. 0 where the system does not tell.
    pub noted: u64,
}

/// A file that is read in parts.
pub trait Parts: io::Read + io::Seek {}

impl<T: io::Read + io::Seek> Parts for T {}

/// A tree of files that can be read.
pub trait Files: Sync {
    /// Returns the bytes of a file.
    ///
    /// # Errors
    /// As the system says; [`io::ErrorKind::FileTooLarge`] for a file over [`limit_of`] bytes.
    fn read(&self, path: &Path) -> io::Result<Vec<u8>>;

    /// Reads a file into what is there of another one.
    ///
    /// # Errors
    /// Those of [`Files::read`]; what is in `bytes` then counts for nothing.
    fn read_into(&self, path: &Path, bytes: &mut Vec<u8>) -> io::Result<()> {
        *bytes = self.read(path)?;
        Ok(())
    }

    /// Opens a file of which only parts are read, such as an archive.
    ///
    /// # Errors
    /// Those of [`Files::read`].
    fn open(&self, path: &Path) -> io::Result<Box<dyn Parts>> {
        Ok(Box::new(io::Cursor::new(self.read(path)?)))
    }

    /// Returns the names in a folder with what they are, in the order of the names; empty where there is no folder.
    fn list(&self, folder: &Path) -> Vec<(String, FileKind)>;

    /// Returns what stands at a path; `None` where nothing does.
    fn kind(&self, path: &Path) -> Option<FileKind>;

    /// Returns the path with all links followed; the path itself where nothing stands there.
    fn real(&self, path: &Path) -> PathBuf;

    /// Returns the names in a folder with what they are and whether they are links, in the order of the names.
    fn entries(&self, folder: &Path) -> Vec<Entry> {
        let plain = |(name, kind)| Entry { name, kind, link: false };
        self.list(folder).into_iter().map(plain).collect()
    }

    /// The same as [`Files::entries`], for a folder that nobody asks for again.
    fn entries_once(&self, folder: &Path) -> Vec<Entry> {
        self.entries(folder)
    }

    /// Returns the same files for a look at many of those below a folder, to which the way is gone once; `None` where that spares nothing.
    fn near<'f>(&'f self, _folder: &Path) -> Option<Box<dyn Files + 'f>> {
        None
    }

    /// Returns what tells whether a file or the list of a folder has changed; `None` where that cannot be told.
    fn stamp(&self, _path: &Path) -> Option<Stamp> {
        None
    }

    /// Returns the stamps of many things below a folder; `None` where one of them has none.
    fn stamps(&self, folder: &Path, names: &mut dyn Iterator<Item = Named<'_>>) -> Option<Vec<Stamp>> {
        stamps_one_by_one(self, folder, names)
    }

    /// Says whether a file stands at a path.
    fn is_file(&self, path: &Path) -> bool {
        self.kind(path) == Some(FileKind::File)
    }

    /// Says whether a folder stands at a path.
    fn is_folder(&self, path: &Path) -> bool {
        self.kind(path) == Some(FileKind::Folder)
    }
}

fn stamps_one_by_one<F: Files + ?Sized>(
    files: &F,
    folder: &Path,
    names: &mut dyn Iterator<Item = Named<'_>>,
) -> Option<Vec<Stamp>> {
    let stamp = |named: Named<'_>| match named.whole()?.as_str() {
        "" => files.stamp(folder),
        name => files.stamp(&folder.join(name)),
    };
    names.map(stamp).collect()
}

/// So many files and folders most packages have at the most.
pub const USUAL_NAMES: usize = 64;

/// The disk.
#[derive(Debug, Clone, Copy, Default)]
pub struct Disk;

impl Disk {
    /// Opens a regular file of a size that is read, and returns it with its size in bytes.
    fn opened(path: &Path) -> io::Result<(std::fs::File, u64)> {
        let mut options = std::fs::OpenOptions::new();
        options.read(true);
        // A pipe is not waited for: what it is is seen below.
        #[cfg(unix)]
        std::os::unix::fs::OpenOptionsExt::custom_flags(
            &mut options,
            rustix::fs::OFlags::NONBLOCK.bits().cast_signed(),
        );
        Disk::sized(options.open(path)?, path)
    }

    /// Returns an open file with its size in bytes, if it is a regular one of a size that is read.
    fn sized(file: std::fs::File, path: &Path) -> io::Result<(std::fs::File, u64)> {
        let about = file.metadata()?;
        if about.is_dir() {
            return Err(io::Error::new(io::ErrorKind::IsADirectory, "it is a folder"));
        }
        let most = limit_of(path);
        if about.len() > most {
            return Err(too_large(about.len(), most));
        }
        if !about.is_file() {
            return Err(io::Error::new(io::ErrorKind::Unsupported, "it is not a regular file"));
        }
        Ok((file, about.len()))
    }

    fn all_of((file, len): (std::fs::File, u64), bytes: &mut Vec<u8>) -> io::Result<()> {
        bytes.clear();
        // All that it holds, without asking once more whether there is an end.
        bytes.reserve_exact(usize::try_from(len).unwrap_or(0));
        file.take(len).read_to_end(bytes)?;
        Ok(())
    }

    /// Makes the list of a folder of the names in it.
    fn listed(&self, folder: &Path, names: Vec<names::Named>) -> Vec<Entry> {
        let entry = |(name, kind): names::Named| {
            let link = kind.is_none();
            let kind = kind.or_else(|| self.kind(&folder.join(&name)))?;
            Some(Entry { name, kind, link })
        };
        let mut entries: Vec<Entry> = names.into_iter().filter_map(entry).collect();
        entries.sort_unstable_by(|one, other| one.name.cmp(&other.name));
        entries
    }
}

impl Files for Disk {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        self.read_into(path, &mut bytes)?;
        Ok(bytes)
    }

    fn read_into(&self, path: &Path, bytes: &mut Vec<u8>) -> io::Result<()> {
        Disk::all_of(Disk::opened(path)?, bytes)
    }

    fn open(&self, path: &Path) -> io::Result<Box<dyn Parts>> {
        Ok(Box::new(io::BufReader::new(Disk::opened(path)?.0)))
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        self.entries(folder).into_iter().map(|entry| (entry.name, entry.kind)).collect()
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        #[cfg(target_os = "linux")]
        let names = names::of_linux(rustix::fs::CWD, folder);
        #[cfg(not(target_os = "linux"))]
        let names = names::of_any_system(folder);
        self.listed(folder, names)
    }

    #[cfg(target_os = "linux")]
    fn near<'f>(&'f self, folder: &Path) -> Option<Box<dyn Files + 'f>> {
        Some(Box::new(near::Near::new(folder)?))
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        // A link tells nothing of what it leads to.
        let about = std::fs::symlink_metadata(path).ok().filter(|about| !about.is_symlink())?;
        let changed = about.modified().ok()?.duration_since(std::time::UNIX_EPOCH).ok()?;
        #[cfg(unix)]
        let noted = {
            use std::os::unix::fs::MetadataExt as _;
            nanos(about.ctime(), about.ctime_nsec())?
        };
        #[cfg(not(unix))]
        let noted = 0;
        Some(Stamp { len: about.len(), changed: u64::try_from(changed.as_nanos()).ok()?, noted })
    }

    // The way to the folder, which is long, is gone once, and that to one from which many are named.
    #[cfg(unix)]
    fn stamps(&self, folder: &Path, names: &mut dyn Iterator<Item = Named<'_>>) -> Option<Vec<Stamp>> {
        use rustix::fs::{AtFlags, FileType, Mode, OFlags, Stat, fstat, open, openat, statat};
        // A link tells nothing of what it leads to.
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC | OFlags::NOFOLLOW;
        // Nothing of it is read.
        #[cfg(target_os = "linux")]
        let flags = flags | OFlags::PATH;
        let top = open(folder, flags, Mode::empty()).ok()?;
        let stamp = |about: Stat| {
            if FileType::from_raw_mode(about.st_mode).is_symlink() {
                return None;
            }
            let changed = nanos(about.st_mtime, about.st_mtime_nsec)?;
            let noted = nanos(about.st_ctime, about.st_ctime_nsec)?;
            Some(Stamp { len: u64::try_from(about.st_size).ok()?, changed, noted })
        };
        let mut stamps = Vec::with_capacity(USUAL_NAMES);
        let mut inner = None;
        let mut at = c"";
        for Named { within, name } in names {
            // Those that follow each other are named from the same text.
            if !std::ptr::eq(within, at) {
                inner = if within.is_empty() { None } else { Some(openat(&top, within, flags, Mode::empty()).ok()?) };
                at = within;
            }
            let about = match &inner {
                None if name.is_empty() => fstat(&top),
                within => statat(within.as_ref().unwrap_or(&top), name, AtFlags::SYMLINK_NOFOLLOW),
            };
            stamps.push(stamp(about.ok()?)?);
        }
        Some(stamps)
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        let about = std::fs::metadata(path).ok()?;
        Some(if about.is_dir() { FileKind::Folder } else { FileKind::File })
    }

    fn real(&self, path: &Path) -> PathBuf {
        std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
    }
}

/// Returns nanoseconds since 1970 of seconds and the rest, whose types differ between systems; `None` before 1970.
#[cfg(unix)]
fn nanos(seconds: impl TryInto<u64>, rest: impl TryInto<u64>) -> Option<u64> {
    seconds.try_into().ok()?.checked_mul(1_000_000_000)?.checked_add(rest.try_into().ok()?)
}

impl PartialOrd for FileKind {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for FileKind {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        (*self as u8).cmp(&(*other as u8))
    }
}

/// Files with some texts that have not been written yet.
pub struct Overlay<'f> {
    below: &'f dyn Files,
    over: BTreeMap<PathBuf, Vec<u8>>,
}

impl<'f> Overlay<'f> {
    /// Puts files, by their paths, over others.
    #[must_use]
    pub fn new(below: &'f dyn Files, over: BTreeMap<PathBuf, Vec<u8>>) -> Self {
        Overlay { below, over }
    }

    fn given(&self, path: &Path) -> Option<&Vec<u8>> {
        let written = self.over.get(path);
        if written.is_some() {
            return written;
        }
        // What is there, is no link and has another name is none of them, wherever its folder really is.
        let named = |over: &PathBuf| over.file_name() == path.file_name();
        if !self.over.keys().any(named) && self.below.stamp(path).is_some() {
            return None;
        }
        self.over.get(&self.below.real(path))
    }

    /// Returns the names right below a folder that come to be.
    fn new_below(&self, folder: &Path) -> Vec<(String, FileKind)> {
        let inside = self.over.keys().filter_map(|path| path.strip_prefix(folder).ok());
        let first = inside.filter_map(|path| {
            let mut parts = path.components();
            let name = parts.next()?.as_os_str().to_str()?.to_owned();
            Some((name, if parts.next().is_some() { FileKind::Folder } else { FileKind::File }))
        });
        first.collect()
    }
}

impl Files for Overlay<'_> {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        self.given(path).map_or_else(|| self.below.read(path), |bytes| Ok(bytes.clone()))
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        self.entries(folder).into_iter().map(|entry| (entry.name, entry.kind)).collect()
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        let mut entries = self.below.entries(folder);
        for (name, kind) in self.new_below(folder) {
            if !entries.iter().any(|entry| entry.name == name) {
                entries.push(Entry { name, kind, link: false });
            }
        }
        entries.sort_by(|one, other| one.name.cmp(&other.name));
        entries
    }

    fn stamp(&self, path: &Path) -> Option<Stamp> {
        // What has not been written has none, so that nothing is remembered of it.
        if self.given(path).is_some() || !self.new_below(path).is_empty() { None } else { self.below.stamp(path) }
    }

    fn stamps(&self, folder: &Path, names: &mut dyn Iterator<Item = Named<'_>>) -> Option<Vec<Stamp>> {
        let real = self.below.real(folder);
        if self.over.keys().any(|over| over.starts_with(folder) || over.starts_with(&real)) {
            return stamps_one_by_one(self, folder, names);
        }
        self.below.stamps(folder, names)
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        let there = self.below.kind(path);
        there.or_else(|| self.given(path).map(|_| FileKind::File)).or_else(|| {
            let folder = !self.new_below(path).is_empty();
            folder.then_some(FileKind::Folder)
        })
    }

    fn real(&self, path: &Path) -> PathBuf {
        self.below.real(path)
    }
}

/// A tree in memory. Paths are absolute; folders are there as soon as something is in them.
#[derive(Debug, Clone, Default)]
pub struct Memory {
    files: BTreeMap<PathBuf, Arc<[u8]>>,
    links: BTreeMap<PathBuf, PathBuf>,
}

impl Memory {
    /// Makes a tree of files below `/app`, from relative paths and texts.
    pub fn app<'f>(files: impl IntoIterator<Item = (&'f str, &'f str)>) -> Self {
        let mut tree = Memory::default();
        for (path, text) in files {
            tree.put(Path::new("/app").join(path), text.as_bytes());
        }
        tree
    }

    /// Puts a file at a path.
    pub fn put(&mut self, path: impl Into<PathBuf>, bytes: impl AsRef<[u8]>) {
        self.files.insert(path.into(), Arc::from(bytes.as_ref()));
    }

    /// Takes a file away.
    pub fn remove(&mut self, path: impl AsRef<Path>) {
        self.files.remove(path.as_ref());
    }

    /// Makes a folder lead to another one.
    pub fn link(&mut self, from: impl Into<PathBuf>, to: impl Into<PathBuf>) {
        self.links.insert(from.into(), to.into());
    }
}

impl Files for Memory {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        let bytes = self.files.get(&self.real(path)).ok_or(io::ErrorKind::NotFound)?;
        let (len, most) = (bytes.len() as u64, limit_of(path));
        if len > most { Err(too_large(len, most)) } else { Ok(bytes.to_vec()) }
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        let folder = self.real(folder);
        let mut names = BTreeMap::new();
        for path in self.files.keys().chain(self.links.keys()) {
            let Ok(inside) = path.strip_prefix(&folder) else { continue };
            let mut parts = inside.components();
            let Some(name) = parts.next().and_then(|part| part.as_os_str().to_str()) else { continue };
            let deeper = parts.next().is_some() || self.links.contains_key(path);
            names.insert(name.to_owned(), if deeper { FileKind::Folder } else { FileKind::File });
        }
        names.into_iter().collect()
    }

    fn entries(&self, folder: &Path) -> Vec<Entry> {
        let real = self.real(folder);
        let entry = |(name, kind): (String, FileKind)| {
            let link = self.links.contains_key(&real.join(&name));
            Entry { name, kind, link }
        };
        self.list(folder).into_iter().map(entry).collect()
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        let path = self.real(path);
        if self.files.contains_key(&path) {
            return Some(FileKind::File);
        }
        self.files.keys().any(|file| file.starts_with(&path)).then_some(FileKind::Folder)
    }

    fn real(&self, path: &Path) -> PathBuf {
        let mut path = normal(path);
        // A link may lead to another one, but not in circles.
        for _ in 0..8 {
            let found = self.links.iter().find_map(|(from, to)| Some((to, path.strip_prefix(from).ok()?)));
            let Some((to, rest)) = found else { break };
            path = normal(&to.join(rest));
        }
        path
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn memory_behaves_like_a_disk() {
        let mut tree = Memory::app([("a/x.txt", "1"), ("a/b/y.txt", "2")]);
        tree.link("/app/l", "/app/a");
        assert_eq!(tree.read(Path::new("/app/l/b/y.txt")).unwrap(), b"2");
        let names: Vec<_> = tree.list(Path::new("/app/l")).into_iter().map(|(name, _)| name).collect();
        assert_eq!(names, ["b", "x.txt"]);
        assert_eq!(tree.kind(Path::new("/app/a/b")), Some(FileKind::Folder));
        assert_eq!(tree.kind(Path::new("/app/a/c")), None);
        tree.link("/app/loop", "/app/loop/again");
        assert_eq!(tree.kind(Path::new("/app/loop")), None);
    }
}
