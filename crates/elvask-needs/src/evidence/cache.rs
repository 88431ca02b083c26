//! Remembering what was learnt of a package until one of its files changes.

use std::path::Path;

use elvask_project::files::Files;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use super::walk::{Tree, walk};
use super::{Evidence, gather};

/// The sum of the tables and of the code that read packages; what another reader learnt is forgotten.
const READER: &str = env!("ELVASK_READER");

/// A place where small records are kept between runs. It may lose any of them at any time, and must not fail.
pub trait Cache: Send + Sync + std::fmt::Debug {
    /// Returns a record as it was put in; anything else is worse than nothing.
    fn get(&self, key: &str) -> Option<Vec<u8>>;

    /// Keeps a record. `newest` is when the youngest of the files that it speaks of was changed, in nanoseconds since 1970: one
    /// that was changed only now may change again without a trace.
    fn put(&self, key: &str, record: &[u8], newest: u128);
}

#[derive(Serialize, Deserialize)]
struct Record<T> {
    reader: String,
    /// The folders that were gone through, from the uppermost one, and their state.
    folders: Vec<String>,
    folder_state: String,
    /// The files that were read, from the uppermost folder, what else counts, and their state.
    files: Vec<String>,
    more: Vec<String>,
    file_state: String,
    what: T,
}

/// What was found below a folder.
pub(crate) struct Seen {
    /// The folders that were gone through, each from the uppermost one, which is empty.
    pub(crate) folders: Vec<String>,
    /// The files that are read, in the same way.
    pub(crate) files: Vec<String>,
    /// What else is made of the names alone.
    pub(crate) more: Vec<String>,
}

/// The state of files or folders: what identifies it, and when the youngest was changed.
fn state(files: &dyn Files, root: &Path, names: &[String], more: &[String]) -> Option<(String, u128)> {
    let mut hash = Hash::default();
    more.iter().for_each(|text| hash.add(text.as_bytes()));
    let mut newest = 0;
    let mut path = root.to_owned();
    for name in names {
        if !name.is_empty() {
            path.push(name);
        }
        let stamp = files.stamp(&path)?;
        // One buffer for all paths.
        (0..name.split('/').filter(|part| !part.is_empty()).count()).for_each(|_| {
            path.pop();
        });
        hash.add(name.as_bytes());
        hash.add(&stamp.len.to_le_bytes());
        hash.add(&stamp.changed.to_le_bytes());
        newest = newest.max(stamp.changed);
    }
    Some((hash.text(), newest))
}

/// Recalls what was made of the files below `root`, or finds them, makes it anew and keeps it; `name` tells apart what is made of
/// the same files.
///
/// While no folder has changed, none is listed: what is below it is what was below it then.
pub(crate) fn recall<F, T: Serialize + DeserializeOwned>(
    files: &dyn Files,
    cache: &dyn Cache,
    (root, name): (&Path, &str),
    (find, seen): (impl FnOnce() -> F, impl FnOnce(&F) -> Seen),
    make: impl FnOnce(&F) -> T,
) -> T {
    let key = key(root, name);
    let known = cache.get(&key).and_then(|record| serde_json::from_slice::<Record<T>>(whole(&record)?).ok());
    let known = known.filter(|record| record.reader == READER);
    let unchanged = |record: &Record<T>| {
        let same = |names: &[String], more: &[String], wanted: &str| {
            state(files, root, names, more).is_some_and(|(state, _)| state == wanted)
        };
        same(&record.folders, &[], &record.folder_state) && same(&record.files, &record.more, &record.file_state)
    };
    let known = match known {
        Some(record) if unchanged(&record) => return record.what,
        known => known,
    };
    let found = find();
    let Seen { folders, files: names, more } = seen(&found);
    // What was changed after it was looked at is told by the time of the youngest.
    let states = state(files, root, &folders, &[]).zip(state(files, root, &names, &more));
    let Some(((folder_state, newest_folder), (file_state, newest_file))) = states else { return make(&found) };
    let what = match known.filter(|record| record.file_state == file_state) {
        Some(record) => record.what,
        None => make(&found),
    };
    let record = Record { reader: READER.to_owned(), folders, folder_state, files: names, more, file_state, what };
    if let Ok(bytes) = serde_json::to_vec(&record) {
        cache.put(&key, &sealed(&bytes), newest_folder.max(newest_file));
    }
    record.what
}

#[derive(Serialize, Deserialize)]
struct Kept<T> {
    reader: String,
    what: T,
}

/// Recalls what was kept of a folder under a name. Whether it still holds, whoever recalls it must see.
pub fn recall_kept<T: DeserializeOwned>(cache: &dyn Cache, root: &Path, name: &str) -> Option<T> {
    let record = cache.get(&key(root, name))?;
    let kept: Kept<T> = serde_json::from_slice(whole(&record)?).ok()?;
    (kept.reader == READER).then_some(kept.what)
}

/// Keeps what was seen below a folder, under a name; for `newest` see [`Cache::put`].
pub fn keep<T: Serialize>(cache: &dyn Cache, root: &Path, name: &str, what: T, newest: u128) {
    if let Ok(bytes) = serde_json::to_vec(&Kept { reader: READER.to_owned(), what }) {
        cache.put(&key(root, name), &sealed(&bytes), newest);
    }
}

fn key(root: &Path, name: &str) -> String {
    let mut key = Hash::default();
    key.add(root.as_os_str().as_encoded_bytes());
    key.add(name.as_bytes());
    key.text()
}

/// Looks into the files of a package, or recalls what they showed if none has changed.
pub fn learn_cached(files: &dyn Files, root: &Path, cache: Option<&dyn Cache>) -> Evidence {
    let Some(cache) = cache else { return gather::gather(files, &walk(files, root)) };
    let seen = |tree: &Tree| Seen {
        folders: tree.folders.clone(),
        files: tree.files.iter().map(|file| file.shown.clone()).collect(),
        more: std::iter::once(if tree.cut { "cut" } else { "" }.to_owned())
            .chain(tree.binaries.iter().cloned())
            .collect(),
    };
    recall(files, cache, (root, "package"), (|| walk(files, root), seen), |tree| gather::gather(files, tree))
}

/// Puts the sum of a record before it.
fn sealed(record: &[u8]) -> Vec<u8> {
    let mut sum = Hash::default();
    sum.add(record);
    let mut out = sum.text().into_bytes();
    out.extend_from_slice(record);
    out
}

/// Returns a record whose sum is right.
fn whole(sealed: &[u8]) -> Option<&[u8]> {
    let (written, record) = sealed.split_at_checked(SUM)?;
    let mut sum = Hash::default();
    sum.add(record);
    (sum.text().as_bytes() == written).then_some(record)
}

/// How long a sum is as text.
const SUM: usize = 32;

/// Two sums by the method of Fowler, Noll and Vo with different starts: 128 bits that tell states apart. Not for secrets.
struct Hash(u64, u64);

impl Default for Hash {
    fn default() -> Self {
        Hash(0xcbf2_9ce4_8422_2325, 0x6c62_272e_07bb_0142)
    }
}

impl Hash {
    fn add(&mut self, bytes: &[u8]) {
        for byte in bytes.iter().chain(&[0xFF]) {
            self.0 = (self.0 ^ u64::from(*byte)).wrapping_mul(0x0000_0100_0000_01B3);
            self.1 = (self.1 ^ u64::from(*byte)).rotate_left(5).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        }
    }

    fn text(&self) -> String {
        format!("{:016x}{:016x}", self.0, self.1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Files that have a time and nothing else.
    struct Stamped(u128);

    impl Files for Stamped {
        fn read(&self, _path: &Path) -> std::io::Result<Vec<u8>> {
            Ok(Vec::new())
        }

        fn list(&self, _folder: &Path) -> Vec<(String, elvask_project::files::FileKind)> {
            Vec::new()
        }

        fn kind(&self, _path: &Path) -> Option<elvask_project::files::FileKind> {
            None
        }

        fn real(&self, path: &Path) -> std::path::PathBuf {
            path.to_owned()
        }

        fn stamp(&self, _path: &Path) -> Option<elvask_project::files::Stamp> {
            Some(elvask_project::files::Stamp { len: 0, changed: self.0 })
        }
    }

    /// One record, whatever is asked for.
    #[derive(Debug)]
    struct Holds(Vec<u8>);

    impl Cache for Holds {
        fn get(&self, _key: &str) -> Option<Vec<u8>> {
            Some(self.0.clone())
        }

        fn put(&self, _key: &str, _record: &[u8], _newest: u128) {}
    }

    #[test]
    fn what_another_reader_learnt_is_forgotten() {
        let files = Stamped(1);
        let recall = |reader: &str| {
            let (folder_state, _) = state(&files, Path::new("/p"), &[String::new()], &[]).unwrap();
            let (file_state, _) = state(&files, Path::new("/p"), &["a".to_owned()], &[]).unwrap();
            let record = Record {
                reader: reader.to_owned(),
                folders: vec![String::new()],
                folder_state,
                files: vec!["a".to_owned()],
                more: Vec::new(),
                file_state,
                what: "learnt before".to_owned(),
            };
            let holds = Holds(sealed(&serde_json::to_vec(&record).unwrap()));
            let seen = |_: &()| Seen { folders: vec![String::new()], files: vec!["b".to_owned()], more: Vec::new() };
            super::recall(&files, &holds, (Path::new("/p"), ""), (|| (), seen), |()| "learnt now".to_owned())
        };
        assert_eq!(recall(READER), "learnt before");
        assert_eq!(recall("another"), "learnt now");
        assert_eq!(READER.len(), 16, "it is a sum of what reads");
    }
}
