//! Remembering what was learnt of a package until one of its files changes.

use std::path::Path;

use elvask_project::files::Files;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use super::walk::walk;
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
    stamp: String,
    what: T,
}

/// Something that is made of files and may be remembered until one of them changes.
pub struct Remembered {
    key: String,
    /// What identifies the state of the files, and when the youngest was changed; `None` where files do not tell.
    stamp: Option<(String, u128)>,
}

impl Remembered {
    /// Looks at the state of files, each with its path and its name; `name` tells apart what is made of them, `more` is what
    /// else it depends on.
    pub(crate) fn new<'p>(
        files: &dyn Files,
        name: &Path,
        all: impl Iterator<Item = (&'p Path, &'p str)>,
        more: &[&[u8]],
    ) -> Self {
        let mut key = Hash::default();
        key.add(name.as_os_str().as_encoded_bytes());
        let mut hash = Hash::default();
        more.iter().for_each(|bytes| hash.add(bytes));
        let mut newest = 0;
        for (path, shown) in all {
            let Some(stamp) = files.stamp(path) else { return Remembered { key: key.text(), stamp: None } };
            hash.add(shown.as_bytes());
            hash.add(&stamp.len.to_le_bytes());
            hash.add(&stamp.changed.to_le_bytes());
            newest = newest.max(stamp.changed);
        }
        Remembered { key: key.text(), stamp: Some((hash.text(), newest)) }
    }

    /// Recalls what was made of the files, or makes it and keeps it.
    pub(crate) fn recall<T: Serialize + DeserializeOwned>(&self, cache: &dyn Cache, make: impl FnOnce() -> T) -> T {
        let Some((stamp, newest)) = &self.stamp else { return make() };
        let recalled =
            cache.get(&self.key).and_then(|record| serde_json::from_slice::<Record<T>>(whole(&record)?).ok());
        if let Some(record) = recalled
            && record.reader == READER
            && record.stamp == *stamp
        {
            return record.what;
        }
        let record = Record { reader: READER.to_owned(), stamp: stamp.clone(), what: make() };
        if let Ok(bytes) = serde_json::to_vec(&record) {
            cache.put(&self.key, &sealed(&bytes), *newest);
        }
        record.what
    }
}

/// Looks into the files of a package, or recalls what they showed if none has changed.
pub fn learn_cached(files: &dyn Files, root: &Path, cache: Option<&dyn Cache>) -> Evidence {
    let tree = walk(files, root);
    let Some(cache) = cache else { return gather::gather(files, &tree) };
    let mut more: Vec<&[u8]> = vec![if tree.cut { b"cut" } else { b"" }];
    more.extend(tree.binaries.iter().map(String::as_bytes));
    let all = tree.files.iter().map(|file| (file.path.as_path(), file.shown.as_str()));
    Remembered::new(files, root, all, &more).recall(cache, || gather::gather(files, &tree))
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
        let asked = Remembered { key: "a".to_owned(), stamp: Some(("now".to_owned(), 0)) };
        let recall = |reader: &str| {
            let record =
                Record { reader: reader.to_owned(), stamp: "now".to_owned(), what: "learnt before".to_owned() };
            asked.recall(&Holds(sealed(&serde_json::to_vec(&record).unwrap())), || "learnt now".to_owned())
        };
        assert_eq!(recall(READER), "learnt before");
        assert_eq!(recall("another"), "learnt now");
        assert_eq!(READER.len(), 16, "it is a sum of what reads");
    }
}
