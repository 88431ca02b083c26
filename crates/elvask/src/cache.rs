//! Where is kept between runs what was learnt of packages: a file for each repository, under the user's folder for such things.
//!
//! Nothing depends on them. One that is missing or damaged is made anew; the folder may be deleted at any time.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::Read as _;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, SystemTime};

use elvask_needs::evidence::{Cache, Key, Youngest};
use elvask_platform::hash::QuickMap;

/// Names another folder; empty for none.
const VARIABLE: &str = "ELVASK_CACHE_DIR";

/// A file that was changed within this time may be changed again without another time standing on it.
const SETTLED: Duration = Duration::from_secs(2);

/// By how much the times step at the most that the system itself notes. What it notes while this runs, or right before, may be somebody who
/// writes files and sets their times back.
const STEP: Duration = Duration::from_millis(20);

/// How a file of records starts. Then come, in bytes: how many records there are; of each its key and its length; the records.
const START: &[u8; 8] = b"elvask-2";

/// The most records of one file.
const MAX_RECORDS: usize = 200_000;

/// The most records, and the most bytes of them, that are kept of what nobody asked for in this run: those of other apps of the repository,
/// and of packages that are gone.
const MAX_REST: (usize, u64) = (20_000, 64 * 1024 * 1024);

/// The records of one repository.
#[derive(Debug)]
struct Records {
    path: PathBuf,
    now: u64,
    file: Option<File>,
    /// What is in the file.
    index: QuickMap<Key, Record>,
    /// What is new.
    fresh: Mutex<BTreeMap<Key, Vec<u8>>>,
}

/// A record in a file.
#[derive(Debug)]
struct Record {
    /// Its first byte, and how many.
    at: u64,
    size: u32,
    /// It was asked for in this run.
    asked: AtomicBool,
}

/// The records that are open: all apps of one repository share them, and they are written once.
static OPEN: Mutex<Vec<Arc<Records>>> = Mutex::new(Vec::new());

/// Returns the user's cache for an app; `None` where there is no folder for it, or none is wanted.
pub(crate) fn open(app: &Path) -> Option<Arc<dyn Cache>> {
    let folder = match std::env::var_os(VARIABLE) {
        Some(told) if told.is_empty() => return None,
        Some(told) => PathBuf::from(told),
        None => user_folder()?.join("elvask").join("packages"),
    };
    let now = nanos(SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).ok()?);
    let repository = app.ancestors().find(|folder| folder.join(".git").exists()).unwrap_or(app);
    let path = folder.join(format!("{:016x}", name_of(repository)));
    let mut open = OPEN.lock().ok()?;
    if let Some(records) = open.iter().find(|records| records.path == path) {
        return Some(Arc::<Records>::clone(records));
    }
    let mut file = File::open(&path).ok();
    let index = file.as_mut().and_then(index).unwrap_or_default();
    let records = Arc::new(Records { path, now, file, index, fresh: Mutex::default() });
    open.push(Arc::clone(&records));
    Some(records)
}

fn nanos(time: Duration) -> u64 {
    u64::try_from(time.as_nanos()).unwrap_or(u64::MAX)
}

/// Writes what is new in all records. Without it, or if the process is ended before, the next run makes it anew.
pub(crate) fn settle() {
    let open = OPEN.lock().map(|mut open| std::mem::take(&mut *open)).unwrap_or_default();
    for records in open {
        records.keep();
    }
}

/// Returns a number for a folder. Two that have the same share a file, and do each other no harm.
fn name_of(folder: &Path) -> u64 {
    let step = |sum: u64, byte: &u8| (sum ^ u64::from(*byte)).wrapping_mul(0x0000_0100_0000_01B3);
    folder.as_os_str().as_encoded_bytes().iter().fold(0xcbf2_9ce4_8422_2325, step)
}

/// Reads where the records are. A file that is not in the form has none.
fn index(file: &mut File) -> Option<QuickMap<Key, Record>> {
    const KEY: usize = size_of::<Key>();
    const ENTRY: usize = KEY + 4;
    let length = file.metadata().ok()?.len();
    let mut head = [0; START.len() + 4];
    file.read_exact(&mut head).ok()?;
    let (start, count) = head.split_first_chunk::<8>()?;
    let count = usize::try_from(u32::from_le_bytes(count.try_into().ok()?)).ok()?;
    if start != START || count > MAX_RECORDS {
        return None;
    }
    let mut entries = vec![0; count * ENTRY];
    file.read_exact(&mut entries).ok()?;
    let mut at = u64::try_from(head.len() + entries.len()).ok()?;
    let mut index = QuickMap::with_capacity_and_hasher(count, Default::default());
    for entry in entries.as_chunks::<ENTRY>().0 {
        let (key, size) = entry.split_first_chunk::<KEY>()?;
        let size = u32::from_le_bytes(size.try_into().ok()?);
        index.insert(*key, Record { at, size, asked: AtomicBool::new(false) });
        at += u64::from(size);
    }
    (at == length).then_some(index)
}

/// Returns the folder in which programs keep what they can make again.
fn user_folder() -> Option<PathBuf> {
    let from = |variable: &str| std::env::var_os(variable).map(PathBuf::from).filter(|path| path.is_absolute());
    let home = std::env::home_dir();
    if cfg!(windows) {
        from("LOCALAPPDATA")
    } else if cfg!(target_os = "macos") {
        home.map(|home| home.join("Library/Caches"))
    } else {
        from("XDG_CACHE_HOME").or_else(|| home.map(|home| home.join(".cache")))
    }
}

impl Records {
    fn read(&self, record: &Record) -> Option<Vec<u8>> {
        let mut bytes = vec![0; usize::try_from(record.size).ok()?];
        read_at(self.file.as_ref()?, &mut bytes, record.at).ok()?;
        Some(bytes)
    }

    /// Writes what is new, and what was there before: all that was asked for, and of the rest as much as is worth it.
    fn keep(&self) -> Option<()> {
        let mut kept = std::mem::take(&mut *self.fresh.lock().ok()?);
        if kept.is_empty() {
            return None;
        }
        let (mut before, mut rest): (Vec<_>, Vec<_>) =
            self.index.iter().partition(|(_, record)| record.asked.load(Ordering::Relaxed));
        rest.sort_unstable_by_key(|(_, record)| record.at);
        let mut bytes = 0;
        let fits = |(_, record): &(&Key, &Record)| {
            bytes += u64::from(record.size);
            bytes <= MAX_REST.1
        };
        before.extend(rest.into_iter().take(MAX_REST.0).take_while(fits));
        for (key, record) in before {
            if !kept.contains_key(key) {
                kept.insert(*key, self.read(record)?);
            }
        }
        let mut out = START.to_vec();
        out.extend_from_slice(&u32::try_from(kept.len()).ok()?.to_le_bytes());
        for (key, record) in &kept {
            out.extend_from_slice(key);
            out.extend_from_slice(&u32::try_from(record.len()).ok()?.to_le_bytes());
        }
        kept.values().for_each(|record| out.extend_from_slice(record));
        // Put into place whole or not at all; two programs that do so at once do no harm.
        let part = self.path.with_extension(std::process::id().to_string());
        let written = std::fs::create_dir_all(self.path.parent()?)
            .and_then(|()| std::fs::write(&part, out))
            .and_then(|()| std::fs::rename(&part, &self.path));
        if written.is_err() {
            let _ = std::fs::remove_file(&part);
        }
        Some(())
    }
}

#[cfg(unix)]
fn read_at(file: &File, into: &mut [u8], at: u64) -> std::io::Result<()> {
    std::os::unix::fs::FileExt::read_exact_at(file, into, at)
}

#[cfg(windows)]
fn read_at(file: &File, mut into: &mut [u8], mut at: u64) -> std::io::Result<()> {
    while !into.is_empty() {
        let read = std::os::windows::fs::FileExt::seek_read(file, into, at)?;
        if read == 0 {
            return Err(std::io::ErrorKind::UnexpectedEof.into());
        }
        into = into.get_mut(read..).unwrap_or_default();
        at += read as u64;
    }
    Ok(())
}

impl Cache for Records {
    fn get(&self, key: &Key) -> Option<Vec<u8>> {
        if let Some(fresh) = self.fresh.lock().ok()?.get(key) {
            return Some(fresh.clone());
        }
        let record = self.index.get(key)?;
        record.asked.store(true, Ordering::Relaxed);
        self.read(record)
    }

    fn put(&self, key: &Key, record: Vec<u8>, youngest: Youngest) {
        let is_over = |time: u64, pause: Duration| time.saturating_add(nanos(pause)) <= self.now;
        let is_settled = is_over(youngest.changed, SETTLED) && is_over(youngest.noted, STEP);
        if is_settled && let Ok(mut fresh) = self.fresh.lock() {
            fresh.insert(*key, record);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_may_change_again_unseen_is_not_kept() {
        let second = nanos(Duration::from_secs(1));
        let now = 1_000 * second;
        let (file, index) = (None, QuickMap::default());
        let records = Records { path: PathBuf::new(), now, file, index, fresh: Mutex::default() };
        let key = Key::default();
        let kept = |changed: u64, noted: u64| {
            records.put(&key, vec![1], Youngest { changed, noted });
            let kept = records.get(&key).is_some();
            records.fresh.lock().unwrap().clear();
            kept
        };
        assert!(kept(now - 60 * second, now - 60 * second));
        assert!(kept(now - 60 * second, now - second), "its time was set back before this run");
        assert!(!kept(now - second, now - second), "it was changed only now");
        assert!(!kept(now - 60 * second, now), "its time was set back only now");
        assert!(!kept(now - 60 * second, now + second), "or while this runs");
        assert!(kept(now - 60 * second, 0), "the system does not tell");
    }
}
