//! Many names of what is below one folder, written so that a system is asked for each in few letters and by a short way.

use std::ffi::CStr;

/// One thing below a folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Named<'n> {
    /// The folder that it is named from, itself named from the uppermost one and with a slash behind it; empty for that one.
    pub within: &'n CStr,
    /// Its name, with forward slashes; empty for the uppermost folder itself.
    pub name: &'n CStr,
}

impl<'n> Named<'n> {
    /// Says whether two are the same thing, whichever folders they are named from.
    #[must_use]
    pub fn is_the_same(self, other: Named<'_>) -> bool {
        match self.within.is_empty() && other.within.is_empty() {
            true => self.name == other.name,
            false => self.bytes() == other.bytes() && self.each_byte().eq(other.each_byte()),
        }
    }

    fn each_byte(self) -> impl Iterator<Item = &'n u8> {
        self.within.to_bytes().iter().chain(self.name.to_bytes())
    }

    /// Returns how many bytes its whole name has.
    #[must_use]
    pub fn bytes(self) -> usize {
        self.within.count_bytes() + self.name.count_bytes()
    }

    /// Returns its whole name from the uppermost folder, where that is text.
    #[must_use]
    pub fn whole(self) -> Option<String> {
        Some([self.within.to_str().ok()?, self.name.to_str().ok()?].concat())
    }
}

/// Names of things below a folder, each with a zero byte behind it, which no name holds. One with a slash at its end is a folder from which
/// those behind it are named, up to the next such one; a slash alone is the uppermost folder again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Names<'n>(pub &'n [u8]);

/// To go into a folder costs about as much as to go through so many on the way to something.
const GOING_INTO: usize = 24;

/// Among so few names none is in a folder that it is worth to go into.
const FEW: usize = 4;

impl<'n> Names<'n> {
    /// Takes names as [`Names::write`] wrote them.
    #[must_use]
    pub fn of(written: &'n str) -> Self {
        Names(written.as_bytes())
    }

    /// Goes through all, in the order in which they were put in.
    pub fn iter(self) -> impl Iterator<Item = Named<'n>> {
        let mut rest = self.0;
        let mut within = c"";
        std::iter::from_fn(move || {
            loop {
                let name = CStr::from_bytes_until_nul(rest).ok()?;
                rest = rest.get(name.count_bytes() + 1..).unwrap_or_default();
                match name.to_bytes() {
                    b"/" => within = c"",
                    [.., b'/'] => within = name,
                    _ => return Some(Named { within, name }),
                }
            }
        })
    }

    /// Writes names, each from the uppermost folder. None ends with a slash.
    #[must_use]
    pub fn write(all: &[String]) -> String {
        let mut out = String::with_capacity(all.iter().map(|name| name.len() + 1).sum());
        let mut put = |text: &str| {
            out.push_str(text);
            out.push('\0');
        };
        let mut inside = "";
        let mut withins = folders_of(all).into_iter();
        for name in all {
            let within = withins.next().unwrap_or_default();
            if within != inside {
                put(if within.is_empty() { "/" } else { within });
                inside = within;
            }
            put(name.strip_prefix(within).unwrap_or(name));
        }
        out
    }
}

/// What it costs to come to a name and to all before it, from each of the folders that the name is in.
struct Ways {
    /// By how many folders are gone into: the cost, and whether the one before was named from the same folder.
    costs: Vec<(usize, bool)>,
    /// The least of these costs, and from which folder.
    least: (usize, usize),
}

/// Returns for each name the folder, with a slash behind it, that it is best named from, so that all together cost the least; empty for the
/// uppermost one.
fn folders_of(names: &[String]) -> Vec<&str> {
    if names.len() < FEW {
        return Vec::new();
    }
    let mut ways: Vec<Ways> = Vec::with_capacity(names.len());
    let mut before = "";
    for name in names {
        let same = before.bytes().zip(name.bytes()).take_while(|(one, other)| one == other);
        let shared = same.filter(|(byte, _)| *byte == b'/').count();
        let depth = name.bytes().filter(|byte| *byte == b'/').count();
        let cost = |at: usize| {
            let left = depth - at;
            let going = if at == 0 { 0 } else { GOING_INTO };
            let Some(last) = ways.last() else { return (left + going, false) };
            let into = last.least.0 + going;
            let stay = last.costs.get(at).filter(|(cost, _)| at <= shared && *cost <= into);
            stay.map_or((into + left, false), |(cost, _)| (cost + left, true))
        };
        let costs: Vec<_> = (0..=depth).map(cost).collect();
        let least = costs.iter().enumerate().map(|(at, (cost, _))| (*cost, at)).min().unwrap_or_default();
        ways.push(Ways { costs, least });
        before = name;
    }
    // Back from the end, each is named from where those behind it are best named from too.
    let mut chosen = vec![""; names.len()];
    let mut kept = None;
    for ((way, name), chosen) in ways.iter().zip(names).zip(&mut chosen).rev() {
        let at = kept.unwrap_or(way.least.1);
        let mut slashes = name.bytes().enumerate().filter(|(_, byte)| *byte == b'/');
        let last = at.checked_sub(1).and_then(|before| slashes.nth(before));
        *chosen = last.and_then(|(end, _)| name.get(..=end)).unwrap_or_default();
        kept = way.costs.get(at).filter(|(_, stays)| *stays).map(|_| at);
    }
    chosen
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(written: &str) -> Vec<String> {
        Names::of(written).iter().map(|named| named.whole().unwrap()).collect()
    }

    #[test]
    fn names_are_read_as_they_were_written() {
        let deep = |folder: &str, many: usize| (0..many).map(|at| format!("{folder}/File{at}.kt")).collect::<Vec<_>>();
        let lists = [
            vec![],
            vec![String::new()],
            vec![String::new(), String::new(), "android".to_owned()],
            [vec![String::new(), "ios".to_owned()], deep("android/src/main/java", 40), deep("ios", 40)].concat(),
            [
                deep("a/b/c/d", 5),
                deep("a/b/c/d/e/f/g/h", 30),
                deep("a/b/c/d", 3),
                deep("a/b", 9),
                deep("a/b/\u{e9}/d", 9),
            ]
            .concat(),
            [deep("a/b/c/d", 31), vec!["a/b/c/d".to_owned(), "a/b/c/dd".to_owned()], deep("a/b/c/dd", 31)].concat(),
        ];
        for list in lists {
            let written = Names::write(&list);
            assert_eq!(read(&written), list);
            // The same is the same, however it is named.
            let plain: String = list.iter().map(|name| format!("{name}\0")).collect();
            for (at, named) in Names::of(&written).iter().enumerate() {
                for (name, plain) in list.iter().zip(Names::of(&plain).iter()) {
                    assert_eq!(named.is_the_same(plain), list[at] == *name, "{named:?} {plain:?}");
                    assert_eq!(plain.is_the_same(named), list[at] == *name);
                }
            }
        }
    }

    #[test]
    fn many_in_one_folder_are_named_from_it() {
        let list: Vec<_> =
            (0..20).map(|at| format!("android/src/main/java/example/part{}/File{at}.kt", at / 10)).collect();
        let written = Names::write(&list);
        assert!(
            Names::of(&written).iter().all(|named| named.within == c"android/src/main/java/example/"),
            "{written:?}"
        );
        // One folder for all is better than one for each part, and one for what is far deeper better than none.
        let mixed: Vec<_> = ["lib/a.js".to_owned(), "lib/b.js".to_owned()].into_iter().chain(list).collect();
        let withins: Vec<_> = Names::of(&Names::write(&mixed)).iter().map(|named| named.within.to_owned()).collect();
        assert!(withins[..2].iter().all(|within| within.is_empty()));
        assert!(withins[2..].iter().all(|within| within.as_c_str() == c"android/src/main/java/example/"));
        // Where there are few, or all is near, it is not worth the way.
        let list = &mixed[2..];
        for list in [&list[..2], &["a/b".to_owned(), "a/c".to_owned(), "a/d".to_owned(), "a/e".to_owned()]] {
            assert!(Names::of(&Names::write(list)).iter().all(|named| named.within.is_empty()));
        }
    }
    #[test]
    #[cfg(unix)]
    #[expect(clippy::disallowed_methods, reason = "files for a test")]
    fn stamps_are_those_of_each_by_itself() {
        use std::os::unix::fs::symlink;
        use std::path::Path;

        use crate::files::{Disk, Files as _};

        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        let mut list = vec![String::new(), "lib".to_owned(), "android/src/main/java".to_owned()];
        for at in 0..40 {
            list.push(format!("android/src/main/java/part{}/File{at}.kt", at / 20));
        }
        list.push("lib/a".to_owned());
        for name in list.iter().filter(|name| !name.is_empty()) {
            let is_folder = list.iter().any(|other| other.starts_with(&format!("{name}/")));
            let path = root.join(name);
            std::fs::create_dir_all(if is_folder { &path } else { path.parent().unwrap() }).unwrap();
            if !is_folder {
                std::fs::write(path, name).unwrap();
            }
        }
        let stamps = |root: &Path| Disk.stamps(root, &mut Names::of(&Names::write(&list)).iter());
        let each = list.iter().map(|name| Disk.stamp(&root.join(name))).collect::<Option<Vec<_>>>();
        assert!(each.is_some());
        assert_eq!(stamps(root), each);
        // Where one is gone, or is a link, there is nothing that tells.
        let (whole, part) = (root.join("android/src/main"), root.join("aside"));
        std::fs::rename(&whole, &part).unwrap();
        assert_eq!(stamps(root), None);
        std::fs::create_dir(&whole).unwrap();
        symlink(part.join("java"), whole.join("java")).unwrap();
        assert_eq!(stamps(root), None);
        assert_eq!(stamps(&root.join("gone")), None);
    }
}
