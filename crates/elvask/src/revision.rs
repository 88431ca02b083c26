//! The files of an app as they were at a revision of its repository.
//!
//! What the repository holds is read from the revision. What it leaves out, such as installed packages, is read from the disk. What
//! stands in the folder today and is neither is not there.

use std::collections::{BTreeMap, BTreeSet};
use std::ffi::OsStr;
use std::io::{self, BufRead as _, BufReader, Read as _, Write as _};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::sync::Mutex;

use elvask_core::needs::LastRelease;
use elvask_project::files::{Disk, FileKind, Files, limit_of};

use crate::output::Failure;

/// A revision, with the disk behind it.
pub(crate) struct Revision {
    /// The folder of the repository.
    top: PathBuf,
    /// The files of the revision by their absolute paths, with the names of their contents.
    blobs: BTreeMap<PathBuf, Blob>,
    /// The folders that these stand in, with what stands in each.
    folders: BTreeMap<PathBuf, BTreeMap<String, FileKind>>,
    /// What stands in the folder today, is not left out of the repository, and is not in the revision.
    newer: BTreeSet<PathBuf>,
    reader: Mutex<Reader>,
}

struct Blob {
    name: String,
    bytes: u64,
}

impl Revision {
    /// Opens a revision of the repository around a folder. `named` comes before its name where there is none, and `hint` says what is meant.
    ///
    /// # Errors
    /// Why that cannot be done: no repository, no such revision, no program that reads it.
    pub(crate) fn open(root: &Path, revision: &str, (named, hint): (&str, &str)) -> Result<Self, Failure> {
        let top = PathBuf::from(line(root, &["rev-parse", "--show-toplevel"])?);
        let commit =
            line(&top, &["rev-parse", "--verify", "--quiet", "--end-of-options", &format!("{revision}^{{commit}}")])
                .map_err(|_| {
                    Failure::new(format!("{named}{revision}: neither a file nor a revision of the repository"))
                        .hint(hint)
                })?;
        let mut blobs = BTreeMap::new();
        for entry in output(&top, &["ls-tree", "-r", "-z", "--long", "--full-tree", &commit])?.split(|byte| *byte == 0)
        {
            blobs.extend(read_entry(&top, entry));
        }
        let mut folders: BTreeMap<PathBuf, BTreeMap<String, FileKind>> = BTreeMap::new();
        for path in blobs.keys() {
            let (mut inside, mut kind) = (path.as_path(), FileKind::File);
            while let (Some(folder), Some(name)) = (inside.parent(), inside.file_name()) {
                if !folder.starts_with(&top) {
                    break;
                }
                let names = folders.entry(folder.to_owned()).or_default();
                if names.insert(name.to_string_lossy().into_owned(), kind).is_some() {
                    break;
                }
                (inside, kind) = (folder, FileKind::Folder);
            }
        }
        let today = output(&top, &["ls-files", "-z", "--cached", "--others", "--exclude-standard"])?;
        let names = today.split(|byte| *byte == 0).filter(|name| !name.is_empty());
        let newer = names.map(|name| top.join(name_of(name))).filter(|path| !blobs.contains_key(path)).collect();
        let reader = Mutex::new(Reader::start(&top)?);
        Ok(Revision { top, blobs, folders, newer, reader })
    }

    /// Says whether a file came after the revision, so that what the disk says of it does not count.
    fn is_of_today(&self, path: &Path) -> bool {
        self.newer.contains(path)
    }
}

/// Reads `mode type name size<TAB>path`; links and other repositories are left out.
fn read_entry(top: &Path, entry: &[u8]) -> Option<(PathBuf, Blob)> {
    let tab = entry.iter().position(|byte| *byte == b'\t')?;
    let (head, path) = (std::str::from_utf8(entry.get(..tab)?).ok()?, entry.get(tab + 1..)?);
    let mut words = head.split_whitespace();
    let (mode, kind, name, bytes) = (words.next()?, words.next()?, words.next()?, words.next()?);
    let blob = Blob { name: name.to_owned(), bytes: bytes.parse().ok()? };
    (kind == "blob" && mode != "120000").then(|| (top.join(name_of(path)), blob))
}

#[cfg(unix)]
fn name_of(bytes: &[u8]) -> PathBuf {
    PathBuf::from(<OsStr as std::os::unix::ffi::OsStrExt>::from_bytes(bytes))
}

#[cfg(not(unix))]
fn name_of(bytes: &[u8]) -> PathBuf {
    PathBuf::from(String::from_utf8_lossy(bytes).into_owned())
}

impl Files for Revision {
    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        let Some(blob) = self.blobs.get(path) else {
            return if self.is_of_today(path) { Err(io::ErrorKind::NotFound.into()) } else { Disk.read(path) };
        };
        if blob.bytes > limit_of(path) {
            return Err(io::ErrorKind::FileTooLarge.into());
        }
        let mut reader = self.reader.lock().map_err(|_| io::Error::other("the revision cannot be read any more"))?;
        reader.read(&blob.name)
    }

    fn list(&self, folder: &Path) -> Vec<(String, FileKind)> {
        let mut names: BTreeMap<String, FileKind> = Disk
            .list(folder)
            .into_iter()
            .filter(|(name, kind)| {
                let path = folder.join(name);
                // A folder in which everything is of today is not there; one with packages is.
                !self.is_of_today(&path) && (*kind != FileKind::Folder || !self.is_hidden_folder(&path))
            })
            .collect();
        names.extend(self.folders.get(folder).into_iter().flatten().map(|(name, kind)| (name.clone(), *kind)));
        names.into_iter().collect()
    }

    fn kind(&self, path: &Path) -> Option<FileKind> {
        if self.blobs.contains_key(path) {
            return Some(FileKind::File);
        }
        if self.folders.contains_key(path) {
            return Some(FileKind::Folder);
        }
        let kind = Disk.kind(path)?;
        let hidden = match kind {
            FileKind::File => self.is_of_today(path),
            FileKind::Folder => self.is_hidden_folder(path),
        };
        (!hidden).then_some(kind)
    }

    fn real(&self, path: &Path) -> PathBuf {
        Disk.real(path)
    }
}

impl Revision {
    /// Says whether a folder of today holds files of today alone.
    fn is_hidden_folder(&self, path: &Path) -> bool {
        if self.folders.contains_key(path) || path == self.top {
            return false;
        }
        let mut below = self.newer.range(path.to_owned()..);
        below.next().is_some_and(|first| first.starts_with(path))
    }
}

/// The program that hands out contents, one after the other.
struct Reader {
    child: Child,
    ask: ChildStdin,
    answer: BufReader<ChildStdout>,
}

impl Reader {
    fn start(top: &Path) -> Result<Self, Failure> {
        let mut child = git(top)
            .args(["cat-file", "--batch"])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .map_err(|error| cannot_run(&error))?;
        match (child.stdin.take(), child.stdout.take()) {
            (Some(ask), Some(answer)) => Ok(Reader { child, ask, answer: BufReader::new(answer) }),
            _ => Err(Failure::new("the repository cannot be read")),
        }
    }

    fn read(&mut self, name: &str) -> io::Result<Vec<u8>> {
        writeln!(self.ask, "{name}")?;
        self.ask.flush()?;
        let mut head = String::new();
        self.answer.read_line(&mut head)?;
        let bytes = head.split_whitespace().nth(2).and_then(|bytes| bytes.parse::<u64>().ok());
        let bytes = bytes.ok_or(io::ErrorKind::NotFound)?;
        let mut text = Vec::new();
        (&mut self.answer).take(bytes).read_to_end(&mut text)?;
        self.answer.read_exact(&mut [0])?;
        Ok(text)
    }
}

impl Drop for Reader {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Returns the program, without anything that the repository's own settings could have it start.
fn git(folder: &Path) -> Command {
    let mut command = Command::new("git");
    command.arg("-C").arg(folder).args(["-c", "core.fsmonitor=false", "--no-optional-locks", "--no-replace-objects"]);
    command
        .env("GIT_TERMINAL_PROMPT", "0")
        .env_remove("GIT_DIR")
        .env_remove("GIT_WORK_TREE")
        .env_remove("GIT_INDEX_FILE");
    command
}

fn cannot_run(error: &io::Error) -> Failure {
    Failure::new(format!("a revision is read by git, which cannot be run: {error}"))
        .hint("install git, or give the JSON of an earlier check: elvask check --format json > earlier.json")
}

/// Returns the highest version among the tags behind the commit that is checked out: `v2.3.0`, `2.3.0`, `2.3.0+41`. A tag of that commit
/// itself may be the one of the release that is about to be made, and does not count. Only where the app is the whole repository: the tags of
/// another one name the versions of all sorts of things.
pub(crate) fn last_tagged(root: &Path) -> Option<LastRelease> {
    let top = PathBuf::from(line(root, &["rev-parse", "--show-toplevel"]).ok()?);
    if std::fs::canonicalize(top).ok()? != std::fs::canonicalize(root).ok()? {
        return None;
    }
    let tags = |which: &str| Some(String::from_utf8_lossy(&output(root, &["tag", which, "HEAD"]).ok()?).into_owned());
    let (merged, here) = (tags("--merged")?, tags("--points-at")?);
    let earlier = merged.lines().filter(|tag| !here.lines().any(|one| one == *tag));
    let versions = earlier.filter_map(|tag| {
        let last =
            LastRelease::read(tag.strip_prefix('v').unwrap_or(tag), format!("the tag {tag} names"), false).ok()?;
        let version = last.version.clone()?;
        let numbers: Option<Vec<u64>> = version.split('.').map(|part| part.parse().ok()).collect();
        // A number alone may be anything.
        numbers.filter(|numbers| numbers.len() > 1).map(|numbers| (numbers, last))
    });
    versions.max_by(|one, other| one.0.cmp(&other.0)).map(|(_, last)| last)
}

fn output(folder: &Path, words: &[&str]) -> Result<Vec<u8>, Failure> {
    let ran = git(folder).args(words).stdin(Stdio::null()).output().map_err(|error| cannot_run(&error))?;
    if ran.status.success() {
        return Ok(ran.stdout);
    }
    let said = String::from_utf8_lossy(&ran.stderr);
    let why = said.lines().next().unwrap_or("the repository cannot be read");
    Err(Failure::new(format!("a revision is read by git, which says: {}", why.trim_start_matches("fatal: "))))
}

fn line(folder: &Path, words: &[&str]) -> Result<String, Failure> {
    let text = output(folder, words)?;
    Ok(String::from_utf8_lossy(&text).trim_end_matches(['\n', '\r']).to_owned())
}
