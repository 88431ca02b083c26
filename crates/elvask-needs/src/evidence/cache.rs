//! Remembering what was learnt of a package until one of its files changes.

use std::cell::LazyCell;
use std::path::Path;

use elvask_project::files::{Files, Named, Names, Stamp, USUAL_NAMES};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use super::walk::{Tree, walk};
use super::{Evidence, gather, library};

/// The sum of the tables and of the code that read packages; what another reader learnt is forgotten.
const READER: &str = env!("ELVASK_READER");

/// What a record is kept under.
pub type Key = [u8; 16];

/// A place where small records are kept between runs. It may lose any of them at any time, and must not fail.
pub trait Cache: Send + Sync + std::fmt::Debug {
    /// Returns a record as it was put in; anything else is worse than nothing.
    fn get(&self, key: &Key) -> Option<Vec<u8>>;

    /// Keeps a record of files of which this is the youngest: what was changed only now may change again without a trace.
    fn put(&self, key: &Key, record: Vec<u8>, youngest: Youngest);
}

/// When the youngest of some files was changed, as whoever wrote it says, and when the system last noted anything about one of them; in
/// nanoseconds since 1970.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Youngest {
    /// See [`Stamp::changed`].
    pub changed: u64,
    /// See [`Stamp::noted`].
    pub noted: u64,
}

impl Youngest {
    /// Returns the youngest of two.
    #[must_use]
    pub fn or(self, other: Youngest) -> Youngest {
        Youngest { changed: self.changed.max(other.changed), noted: self.noted.max(other.noted) }
    }
}

/// What was made of files, and of which. As bytes it starts with what tells whether it still holds, so that nothing is made of the rest of
/// one that does not.
struct Record<'r> {
    /// The folders that were gone through, from the uppermost one, and their state.
    folders: Names<'r>,
    folder_state: Sum,
    /// The files that were read, from the uppermost folder, what else counts, and their state.
    files: Names<'r>,
    more: Names<'r>,
    file_state: Sum,
    /// What was made of them.
    what: &'r [u8],
}

impl<'r> Record<'r> {
    fn read(bytes: &'r [u8]) -> Option<Record<'r>> {
        let (folder_state, rest) = bytes.split_first_chunk::<SUM>()?;
        let (file_state, rest) = rest.split_first_chunk::<SUM>()?;
        let (folders, rest) = Self::names(rest)?;
        let (files, rest) = Self::names(rest)?;
        let (more, what) = Self::names(rest)?;
        Some(Record { folders, folder_state: *folder_state, files, more, file_state: *file_state, what })
    }

    fn names(bytes: &'r [u8]) -> Option<(Names<'r>, &'r [u8])> {
        let (length, rest) = bytes.split_first_chunk::<4>()?;
        let (names, rest) = rest.split_at_checked(usize::try_from(u32::from_le_bytes(*length)).ok()?)?;
        Some((Names(names), rest))
    }

    /// Says whether nothing has changed of what the record was made of.
    fn stands(&self, files: &dyn Files, root: &Path) -> bool {
        States::of(files, root, self.folders, self.files).is_some_and(|now| self.is_in(now.folders, now.files))
    }

    fn is_in(&self, folders: Sum, files: Sum) -> bool {
        folders == self.folder_state && files == self.file_state
    }

    /// Says whether it was made of files of these names.
    fn is_of(&self, files: Names<'_>, more: Names<'_>) -> bool {
        self.files == files && self.more == more
    }

    fn made<T: DeserializeOwned>(&self) -> Option<T> {
        postcard::from_bytes(self.what).ok()
    }

    fn bytes(&self) -> Option<Vec<u8>> {
        let mut out = Vec::with_capacity(self.what.len() + self.folders.0.len() + self.files.0.len() + 64);
        out.extend_from_slice(&self.folder_state);
        out.extend_from_slice(&self.file_state);
        for names in [self.folders, self.files, self.more] {
            out.extend_from_slice(&u32::try_from(names.0.len()).ok()?.to_le_bytes());
            out.extend_from_slice(names.0);
        }
        out.extend_from_slice(self.what);
        Some(out)
    }
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

/// The states of folders and of files: what identifies them, and the youngest of both.
#[derive(Clone, Copy)]
struct States {
    folders: Sum,
    files: Sum,
    youngest: Youngest,
}

impl States {
    /// Looks at folders and files, in one go; `None` where one of them has nothing that tells.
    fn of(files: &dyn Files, root: &Path, folders: Names<'_>, names: Names<'_>) -> Option<States> {
        let mut many = 0;
        let stamps = files.stamps(root, &mut folders.iter().inspect(|_| many += 1).chain(names.iter()))?;
        let (of_folders, of_files) = stamps.split_at_checked(many)?;
        let times = stamps.iter().map(|stamp| Youngest { changed: stamp.changed, noted: stamp.noted });
        let youngest = times.fold(Youngest::default(), Youngest::or);
        Some(States { folders: state(of_folders), files: state(of_files), youngest })
    }
}

/// Returns what tells the state of some files or folders from any other of the same ones.
fn state<'s>(stamps: impl IntoIterator<Item = &'s Stamp>) -> Sum {
    let mut hash = Hash::default();
    for stamp in stamps {
        [stamp.len, stamp.changed, stamp.noted].into_iter().for_each(|word| hash.word(word));
    }
    hash.sum()
}

/// Returns a sum that tells the state of some files or folders in a folder from any other of the same ones, and the youngest of them; `None`
/// where one of them has nothing that tells.
pub fn state_of(files: &dyn Files, root: &Path, names: Names<'_>) -> Option<([u8; 16], Youngest)> {
    let states = States::of(files, root, Names(&[]), names)?;
    Some((states.files, states.youngest))
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
    let kept = cache.get(&key);
    let known = kept.as_deref().and_then(|kept| Record::read(whole(kept)?));
    if let Some(what) = known.as_ref().filter(|record| record.stands(files, root)).and_then(Record::made) {
        return what;
    }
    let found = find();
    let seen = seen(&found);
    let [folders, names, more] = [&seen.folders, &seen.files, &seen.more].map(|all| Names::write(all));
    let [folders, names, more] = [&folders, &names, &more].map(|all| Names::of(all));
    // What was changed after it was looked at is told by the time of the youngest.
    let Some(states) = States::of(files, root, folders, names) else { return make(&found) };
    let is_same = |record: &Record<'_>| record.is_of(names, more) && record.file_state == states.files;
    let same = known.filter(is_same).and_then(|record| record.made());
    let what = same.unwrap_or_else(|| make(&found));
    if let Ok(made) = postcard::to_allocvec(&what) {
        let (folder_state, file_state) = (states.folders, states.files);
        let record = Record { folders, folder_state, files: names, more, file_state, what: &made };
        if let Some(bytes) = record.bytes() {
            cache.put(&key, sealed(&bytes), states.youngest);
        }
    }
    what
}

/// Recalls what was made of the files below `root` if none has changed.
pub(crate) fn recalled<T: DeserializeOwned>(
    files: &dyn Files,
    cache: &dyn Cache,
    (root, name): (&Path, &str),
) -> Option<T> {
    let kept = cache.get(&key(root, name))?;
    let record = Record::read(whole(&kept)?)?;
    record.stands(files, root).then(|| record.made())?
}

/// Recalls what was kept of a folder under a name. Whether it still holds, whoever recalls it must see.
pub fn recall_kept<T: DeserializeOwned>(cache: &dyn Cache, root: &Path, name: &str) -> Option<T> {
    postcard::from_bytes(whole(&cache.get(&key(root, name))?)?).ok()
}

/// Keeps what was seen below a folder, under a name; for `youngest` see [`Cache::put`].
pub fn keep<T: Serialize>(cache: &dyn Cache, root: &Path, name: &str, what: T, youngest: Youngest) {
    if let Ok(bytes) = postcard::to_allocvec(&what) {
        cache.put(&key(root, name), sealed(&bytes), youngest);
    }
}

fn key(root: &Path, name: &str) -> Key {
    let mut key = Hash::default();
    key.add(root.as_os_str().as_encoded_bytes());
    key.add(name.as_bytes());
    key.sum()
}

/// What is made of a package is kept under this name.
const PACKAGE: &str = "package";

/// Recalls what the files of a package showed if none has changed, and returns with it the state of some of them, or of others in its folder,
/// as [`state_of`] tells it: each is looked at once for both.
pub fn recall_learnt_beside(
    files: &dyn Files,
    root: &Path,
    cache: &dyn Cache,
    names: Names<'_>,
) -> (Option<[u8; 16]>, Option<Evidence>) {
    let alone = || state_of(files, root, names).map(|(state, _)| state);
    let kept = cache.get(&key(root, PACKAGE));
    let Some(record) = kept.as_deref().and_then(|kept| Record::read(whole(kept)?)) else { return (alone(), None) };
    let mut own: Vec<Named<'_>> = Vec::with_capacity(USUAL_NAMES);
    own.extend(record.folders.iter());
    let folders = own.len();
    own.extend(record.files.iter());
    // Each with its place among the files of the package.
    let mut beside: Vec<(Named<'_>, Option<usize>)> = names.iter().map(|named| (named, None)).collect();
    // Few are as long as one of those few names.
    let lengths = beside.iter().fold(0u64, |lengths, (named, _)| lengths | 1 << (named.bytes() % 64));
    for (place, named) in own.iter().enumerate().filter(|(_, named)| lengths >> (named.bytes() % 64) & 1 == 1) {
        for (_, at) in beside.iter_mut().filter(|(wanted, _)| named.is_the_same(*wanted)) {
            *at = Some(place);
        }
    }
    let others = beside.iter().filter(|(_, at)| at.is_none()).map(|(named, _)| *named);
    // What is gone of the one may be nothing to the other.
    let Some(stamps) = files.stamps(root, &mut own.iter().copied().chain(others)) else { return (alone(), None) };
    let Some((of_own, of_others)) = stamps.split_at_checked(own.len()) else { return (None, None) };
    let Some((of_folders, of_files)) = of_own.split_at_checked(folders) else { return (None, None) };
    let mut of_others = of_others.iter();
    let of_names = beside.iter().map(|(_, at)| at.map_or_else(|| of_others.next(), |at| of_own.get(at)));
    let of_names: Option<Vec<&Stamp>> = of_names.collect();
    let stands = record.is_in(state(of_folders), state(of_files));
    (of_names.map(state), if stands { record.made() } else { None })
}

/// Recalls what the files of a package showed if none has changed.
pub fn recall_learnt(files: &dyn Files, root: &Path, cache: &dyn Cache) -> Option<Evidence> {
    recalled(files, cache, (root, PACKAGE))
}

/// Looks into the files of a package, or recalls what they showed if none has changed.
pub fn learn_cached(files: &dyn Files, root: &Path, cache: Option<&dyn Cache>) -> Evidence {
    let look = |files: &dyn Files, tree: &Tree| {
        let android = library::of(files, root, tree);
        Evidence { android, ..gather::gather(files, tree) }
    };
    look_or_recall(files, (root, PACKAGE), cache, look)
}

/// The same for a module of the app itself, which is no library of it.
pub fn learn_module_cached(files: &dyn Files, root: &Path, cache: Option<&dyn Cache>) -> Evidence {
    look_or_recall(files, (root, "module"), cache, gather::gather)
}

fn look_or_recall(
    files: &dyn Files,
    (root, name): (&Path, &str),
    cache: Option<&dyn Cache>,
    look: impl FnOnce(&dyn Files, &Tree) -> Evidence,
) -> Evidence {
    // Only a look goes to many files; what is recalled is asked for its stamps.
    let near = LazyCell::new(|| files.near(root));
    let near = || near.as_deref().unwrap_or(files);
    let look = |tree: &Tree| look(near(), tree);
    let Some(cache) = cache else { return look(&walk(near(), root)) };
    let seen = |tree: &Tree| Seen {
        folders: tree.folders.clone(),
        files: tree.files.iter().map(|file| file.shown.clone()).collect(),
        more: std::iter::once(if tree.cut { "cut" } else { "" }.to_owned())
            .chain(tree.binaries.iter().cloned())
            .collect(),
    };
    recall(files, cache, (root, name), (|| walk(near(), root), seen), look)
}

/// Puts the sum of a record, and of what reads it, before it.
fn sealed(record: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(SUM + record.len());
    out.extend_from_slice(&sum_of(READER, record));
    out.extend_from_slice(record);
    out
}

/// Returns a record whose sum is right, and that this reader made.
fn whole(sealed: &[u8]) -> Option<&[u8]> {
    let (written, record) = sealed.split_first_chunk::<SUM>()?;
    (sum_of(READER, record) == *written).then_some(record)
}

fn sum_of(reader: &str, record: &[u8]) -> Sum {
    let mut sum = Hash::default();
    sum.add(reader.as_bytes());
    sum.add(record);
    sum.sum()
}

/// How many bytes a sum has.
const SUM: usize = 16;

type Sum = [u8; SUM];

/// Two sums of products, each over eight bytes at a time: 128 bits that tell states apart. Not for secrets.
struct Hash(u64, u64);

impl Default for Hash {
    fn default() -> Self {
        Hash(0xcbf2_9ce4_8422_2325, 0x6c62_272e_07bb_0142)
    }
}

impl Hash {
    fn add(&mut self, bytes: &[u8]) {
        // Each step waits for the one before, so that four sums at once take little longer than one.
        let (blocks, rest) = bytes.as_chunks::<32>();
        let mut lanes = [1, 2, 3, 4];
        for block in blocks {
            for (lane, word) in lanes.iter_mut().zip(block.as_chunks::<8>().0) {
                *lane = (*lane ^ u64::from_le_bytes(*word)).wrapping_mul(0x9FB2_1C65_1E98_DF25);
                *lane ^= *lane >> 32;
            }
        }
        lanes.into_iter().filter(|_| !blocks.is_empty()).for_each(|lane| self.word(lane));
        let (words, rest) = rest.as_chunks::<8>();
        words.iter().for_each(|word| self.word(u64::from_le_bytes(*word)));
        let mut last = [0; 8];
        last.iter_mut().zip(rest).for_each(|(to, from)| *to = *from);
        self.word(u64::from_le_bytes(last));
        // Where one text ends and the next begins counts too.
        self.word(bytes.len() as u64);
    }

    fn word(&mut self, word: u64) {
        self.0 = (self.0 ^ word).wrapping_mul(0x9FB2_1C65_1E98_DF25);
        self.0 ^= self.0 >> 32;
        self.1 = (self.1.rotate_left(29) ^ word).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        self.1 ^= self.1 >> 29;
    }

    fn sum(&self) -> Sum {
        (u128::from(self.0) << 64 | u128::from(self.1)).to_le_bytes()
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;
    use std::sync::Mutex;

    use elvask_markup::plist::plan::NewValue;

    use super::*;

    /// Files that have a time and nothing else.
    struct Stamped(u64);

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
            Some(elvask_project::files::Stamp { len: 0, changed: self.0, noted: 0 })
        }
    }

    /// One record, whatever is asked for.
    #[derive(Debug)]
    struct Holds(Vec<u8>);

    impl Cache for Holds {
        fn get(&self, _key: &Key) -> Option<Vec<u8>> {
            Some(self.0.clone())
        }

        fn put(&self, _key: &Key, _record: Vec<u8>, _youngest: Youngest) {}
    }

    /// What was put in, by its key.
    #[derive(Debug, Default)]
    struct Kept(Mutex<BTreeMap<Key, Vec<u8>>>);

    impl Cache for Kept {
        fn get(&self, key: &Key) -> Option<Vec<u8>> {
            self.0.lock().unwrap().get(key).cloned()
        }

        fn put(&self, key: &Key, record: Vec<u8>, _youngest: Youngest) {
            self.0.lock().unwrap().insert(*key, record);
        }
    }

    #[test]
    #[cfg(unix)]
    #[expect(clippy::disallowed_methods, reason = "files for a test")]
    fn one_look_tells_what_two_would() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().canonicalize().unwrap();
        let put = |name: &str, text: &str| {
            std::fs::create_dir_all(root.join(name).parent().unwrap()).unwrap();
            std::fs::write(root.join(name), text).unwrap();
        };
        put("package.json", "{}");
        put("android/src/main/AndroidManifest.xml", "<manifest />");
        put("android/src/main/java/A.kt", "class A { val a = Manifest.permission.CAMERA }");
        put("scripts/a.txt", "a");
        let cache = Kept::default();
        let files = &elvask_project::files::Disk;
        let learnt = learn_cached(files, &root, Some(&cache));
        assert!(!learnt.requirements.is_empty());
        let names = ["scripts/a.txt", "", "package.json", "android", "scripts"].map(str::to_owned);
        let [names, some] = [&names[..], &names[1..4]].map(Names::write);
        let [names, some] = [&names, &some].map(|names| Names::of(names));
        let look = || recall_learnt_beside(files, &root, &cache, names);
        let state = |names| state_of(files, &root, names).map(|(state, _)| state);
        let first = state(names);
        assert!(first.is_some());
        assert_eq!(look(), (first, Some(learnt.clone())));
        // What only the names tell of is nothing to the package.
        put("scripts/a.txt", "another");
        assert_ne!(state(names), first);
        assert_eq!(look(), (state(names), Some(learnt.clone())));
        // What only the package hangs on is nothing to the names.
        let before = state(names);
        put("android/src/main/java/A.kt", "class A");
        assert_eq!(look(), (before, None));
        std::fs::remove_file(root.join("android/src/main/java/A.kt")).unwrap();
        assert_eq!(look(), (before, None));
        std::fs::remove_file(root.join("scripts/a.txt")).unwrap();
        assert_eq!(look(), (None, None));
        let other = Kept::default();
        assert_eq!(recall_learnt_beside(files, &root, &other, some), (state(some), None));
    }

    #[test]
    fn each_part_of_a_text_changes_its_sum() {
        let sum = |parts: &[&str]| {
            let mut hash = Hash::default();
            parts.iter().for_each(|part| hash.add(part.as_bytes()));
            hash.sum()
        };
        let [one, other] = ["0123456789abcdef".repeat(2), "89abcdef01234567".repeat(2)];
        let both = [one.as_str(), &other].concat();
        let texts: [&[&str]; 14] = [
            &[],
            &[""],
            &["", ""],
            &["a"],
            &["a", ""],
            &["", "a"],
            &["a\0"],
            &["a\0\0\0\0\0\0\0"],
            &["\0\0\0\0\0\0\0\0a"],
            // Where parts are put together, and in which order.
            &[&both],
            &[&one, &other],
            &[&other, &one],
            &[&one, &one],
            &[&one],
        ];
        let sums: std::collections::BTreeSet<_> = texts.iter().map(|text| sum(text)).collect();
        assert_eq!(sums.len(), texts.len());
        // One bit anywhere changes both halves.
        let text = "android/src/main/AndroidManifest.xml".repeat(4);
        for at in 0..text.len() {
            let mut bytes = text.clone().into_bytes();
            bytes[at] ^= 1;
            let mut hash = Hash::default();
            hash.add(&bytes);
            let (one, other) = (sum(&[&text]), hash.sum());
            assert!(one[..8] != other[..8] && one[8..] != other[8..], "{at}");
        }
    }

    #[test]
    fn a_value_is_kept_with_its_type() {
        let text = |text: &str| NewValue::String(text.to_owned());
        let inside =
            NewValue::Array(vec![NewValue::Bool(true), NewValue::Real(-0.5), text(""), NewValue::Array(vec![])]);
        let list = vec![("a".to_owned(), NewValue::Integer(i64::MIN)), ("a".to_owned(), inside)];
        let value = NewValue::Array(vec![NewValue::Dict(list), text("1"), NewValue::Integer(1)]);
        let bytes = postcard::to_allocvec(&value).unwrap();
        assert_eq!(postcard::from_bytes::<NewValue>(&bytes).unwrap(), value);
        // For people it is as plain as ever.
        let plain = serde_json::json!([{ "a": false }, "1", 1]);
        let read: NewValue = serde_json::from_value(plain.clone()).unwrap();
        assert_eq!(serde_json::to_value(read).unwrap(), plain);
    }

    #[test]
    fn what_another_reader_learnt_is_forgotten() {
        let files = Stamped(1);
        let recall = |reader: &str| {
            let none = Names(b"");
            let (folders, names) = (Names(b"\0"), Names(b"a\0"));
            let states = States::of(&files, Path::new("/p"), folders, names).unwrap();
            let (folder_state, file_state) = (states.folders, states.files);
            let what = &postcard::to_allocvec("learnt before").unwrap();
            let record = Record { folders, folder_state, files: names, more: none, file_state, what }.bytes().unwrap();
            let holds = Holds([sum_of(reader, &record).as_slice(), &record].concat());
            let seen = |_: &()| Seen { folders: vec![String::new()], files: vec!["b".to_owned()], more: Vec::new() };
            super::recall(&files, &holds, (Path::new("/p"), ""), (|| (), seen), |()| "learnt now".to_owned())
        };
        assert_eq!(recall(READER), "learnt before");
        assert_eq!(recall("another"), "learnt now");
        assert_eq!(READER.len(), 16, "it is a sum of what reads");
    }
}
