#![expect(clippy::disallowed_methods, reason = "the tests look at the disk")]

use std::cell::Cell;
use std::collections::BTreeMap;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _, symlink};

use super::recover::{State, Way, find, recover};
use super::steps::Disk;
use super::*;

/// What happens at one step.
#[derive(Clone, Copy, PartialEq)]
enum Blow {
    /// The system refuses it, and goes on.
    Refused,
    /// The process ends before it, or in the middle of putting bytes into a file.
    Killed,
    /// Somebody asks for an end.
    Stop,
}

/// The disk, with a blow at one step. After a kill no step does anything: what is on the disk is what a dead process leaves.
struct Blown {
    blow: Blow,
    at: usize,
    count: Cell<usize>,
}

impl Blown {
    fn at(blow: Blow, at: usize) -> Blown {
        Blown { blow, at, count: Cell::new(0) }
    }

    fn has_come(&self) -> bool {
        self.count.get() >= self.at
    }

    fn step(&self, part: impl FnOnce(), whole: impl FnOnce() -> io::Result<()>) -> io::Result<()> {
        let step = self.count.get() + 1;
        self.count.set(step);
        let (here, after) = (step == self.at, step > self.at);
        match self.blow {
            Blow::Refused if here => Err(io::Error::other("the disk is full")),
            Blow::Killed if here => {
                part();
                Err(io::Error::other("killed"))
            }
            Blow::Killed if after => Err(io::Error::other("killed")),
            _ => whole(),
        }
    }
}

impl Steps for Blown {
    fn make_folder(&self, path: &Path) -> io::Result<()> {
        self.step(|| (), || Disk.make_folder(path))
    }
    fn make_file(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.step(|| drop(fs::write(path, &bytes[..bytes.len() / 2])), || Disk.make_file(path, bytes))
    }
    fn put_into(&self, file: &mut fs::File, bytes: &[u8]) -> io::Result<()> {
        let mut other = file.try_clone().unwrap();
        let half = || io::Write::write_all(&mut other, &bytes[..bytes.len() / 2]).unwrap();
        self.step(half, || Disk.put_into(file, bytes))
    }
    fn overwrite(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.step(|| fs::write(path, &bytes[..bytes.len() / 2]).unwrap(), || Disk.overwrite(path, bytes))
    }
    fn link(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.step(|| (), || Disk.link(from, to))
    }
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.step(|| (), || Disk.rename(from, to))
    }
    fn remove_file(&self, path: &Path) -> io::Result<()> {
        self.step(|| (), || Disk.remove_file(path))
    }
    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        self.step(|| (), || Disk.remove_folder(path))
    }
    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        self.step(|| (), || Disk.sync_folder(path))
    }
    fn is_asked_to_stop(&self) -> bool {
        self.blow == Blow::Stop && self.has_come()
    }
}

/// All names below a folder, with the bytes of the files and where links lead.
fn tree(folder: &Path) -> BTreeMap<PathBuf, String> {
    let mut out = BTreeMap::new();
    for entry in fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        let about = fs::symlink_metadata(&path).unwrap();
        if about.is_dir() {
            out.insert(path.clone(), "/".to_owned());
            out.extend(tree(&path));
        } else if about.is_symlink() {
            out.insert(path.clone(), format!("-> {}", fs::read_link(&path).unwrap().display()));
        } else {
            let text = fs::read_to_string(&path).unwrap();
            out.insert(path, format!("{:o} {} {text}", about.mode() & 0o777, about.nlink()));
        }
    }
    out
}

/// An app of eight files, each of another sort, and what they are to hold.
struct Case {
    folder: tempfile::TempDir,
    changes: Vec<Change>,
}

impl Case {
    fn new() -> Case {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        fs::create_dir_all(root.join("android/app")).unwrap();
        let mut changes = Vec::new();
        for name in ["plain.xml", "android/app/mode.xml", "linked-to.xml", "two-names.xml", "empty.xml", "ä ö.xml"] {
            let text = if name == "empty.xml" { String::new() } else { format!("the old text of {name}") };
            fs::write(root.join(name), &text).unwrap();
            changes.push(Change {
                path: root.join(name),
                before: Some(text.clone().into()),
                after: format!("the new text of {name}, which is longer").into(),
            });
        }
        fs::set_permissions(root.join("android/app/mode.xml"), fs::Permissions::from_mode(0o640)).unwrap();
        symlink("linked-to.xml", root.join("link.xml")).unwrap();
        changes[2].path = root.join("link.xml");
        fs::hard_link(root.join("two-names.xml"), root.join("other-name.xml")).unwrap();
        for name in ["made.xml", "new/folders/made.xml"] {
            changes.push(Change { path: root.join(name), before: None, after: format!("{name} is made").into() });
        }
        Case { folder, changes }
    }

    fn root(&self) -> &Path {
        self.folder.path()
    }

    fn write(&self, steps: &dyn Steps) -> Result<(), WriteError> {
        write_all(self.root(), &self.changes, steps)
    }

    fn tree(&self) -> BTreeMap<PathBuf, String> {
        let below = |(path, text): (PathBuf, String)| (path.strip_prefix(self.root()).unwrap().to_owned(), text);
        tree(self.root()).into_iter().map(below).collect()
    }
}

/// Returns what the app holds before and after, and how many steps lie between.
fn old_and_new() -> (BTreeMap<PathBuf, String>, BTreeMap<PathBuf, String>, usize) {
    let case = Case::new();
    let old = case.tree();
    let counted = Blown::at(Blow::Refused, usize::MAX);
    case.write(&counted).unwrap();
    (old, case.tree(), counted.count.get())
}

#[test]
fn all_are_written_and_nothing_is_left_beside_them() {
    let (old, new, steps) = old_and_new();
    assert_eq!(new.len(), old.len() + 4, "two files, two folders");
    let text = |name: &str| new[Path::new(name)].as_str();
    assert_eq!(text("plain.xml"), "644 1 the new text of plain.xml, which is longer");
    assert_eq!(text("android/app/mode.xml"), "640 1 the new text of android/app/mode.xml, which is longer");
    assert_eq!(text("link.xml"), "-> linked-to.xml");
    assert_eq!(text("linked-to.xml"), "644 1 the new text of linked-to.xml, which is longer");
    assert_eq!(text("other-name.xml"), "644 2 the new text of two-names.xml, which is longer");
    assert!(steps > 40, "{steps}");
}

#[test]
fn killed_at_any_step_all_is_old_or_all_is_new_after_recovery() {
    let (old, new, steps) = old_and_new();
    let (mut finished, mut taken_back) = (0, 0);
    for at in 1..=steps {
        let case = Case::new();
        let _ = case.write(&Blown::at(Blow::Killed, at));
        let before = case.tree();
        let recovered = recover(case.root(), &Disk).unwrap();
        let after = case.tree();
        assert!(after == old || after == new, "step {at}: {before:#?} became {after:#?}");
        match recovered {
            Some((Way::Finish, _)) => {
                finished += 1;
                assert_eq!(after, new, "step {at}");
            }
            Some((Way::TakeBack, _)) => {
                taken_back += 1;
                assert_eq!(after, old, "step {at}");
            }
            // Only where nothing had been done, or all of it.
            None => {
                let left: Vec<_> = before.iter().filter(|(path, _)| !path.starts_with(JOURNAL_FOLDER)).collect();
                assert!(left == old.iter().collect::<Vec<_>>() || left == new.iter().collect::<Vec<_>>(), "step {at}");
            }
        }
        assert!(recover(case.root(), &Disk).unwrap().is_none(), "a second time there is nothing to do");
        if after == old {
            case.write(&Disk).unwrap();
        }
        assert_eq!(case.tree(), new, "step {at}: it can be written after that");
    }
    assert!(finished > 10 && taken_back > 20, "{finished} {taken_back}");
}

#[test]
fn killed_again_while_it_recovers_it_recovers_all_the_same() {
    let (old, new, steps) = old_and_new();
    for at in (1..=steps).step_by(3) {
        for again in 1..40 {
            let case = Case::new();
            let _ = case.write(&Blown::at(Blow::Killed, at));
            let second = Blown::at(Blow::Killed, again);
            let done = recover(case.root(), &second).is_ok();
            recover(case.root(), &Disk).unwrap();
            let after = case.tree();
            assert!(after == old || after == new, "steps {at} and {again}: {after:#?}");
            if done && !second.has_come() {
                break;
            }
        }
    }
}

#[test]
fn a_refusal_at_any_step_leaves_all_as_they_were_or_written() {
    let (old, new, steps) = old_and_new();
    let mut refused = 0;
    for at in 1..=steps {
        let case = Case::new();
        let done = case.write(&Blown::at(Blow::Refused, at));
        refused += usize::from(done.is_err());
        // What cannot be taken away at the very end is taken away by the next command.
        if done.is_ok() {
            recover(case.root(), &Disk).unwrap();
        }
        let wanted = if done.is_ok() { &new } else { &old };
        assert_eq!(&case.tree(), wanted, "step {at}: {done:?}");
    }
    assert!(refused > 30, "{refused}");
}

#[test]
fn whoever_is_asked_to_stop_stops_before_the_first_or_after_the_last() {
    let (old, new, steps) = old_and_new();
    let mut stopped = 0;
    for at in 1..=steps {
        let case = Case::new();
        let done = case.write(&Blown::at(Blow::Stop, at));
        stopped += usize::from(matches!(done, Err(WriteError::Stopped)));
        assert_eq!(&case.tree(), if done.is_ok() { &new } else { &old }, "step {at}");
    }
    assert!(stopped > 10 && stopped < steps, "{stopped} of {steps}");
}

#[test]
fn what_somebody_has_changed_since_is_left_to_a_person() {
    let (_, new, steps) = old_and_new();
    let mut seen = 0;
    for at in 1..=steps {
        let case = Case::new();
        let _ = case.write(&Blown::at(Blow::Killed, at));
        let Some(found) = find(case.root(), &Disk).unwrap() else { continue };
        if found.files().iter().all(|file| file.state == State::Old) {
            continue;
        }
        drop(found);
        seen += 1;
        let edited = case.root().join("ä ö.xml");
        fs::write(&edited, "edited").unwrap();
        assert!(matches!(recover(case.root(), &Disk), Err(WriteError::Unfinished(_))), "step {at}");
        assert_eq!(fs::read_to_string(&edited).unwrap(), "edited");
        let found = find(case.root(), &Disk).unwrap().unwrap();
        assert_eq!(found.files().iter().filter(|file| file.state == State::Changed).count(), 1);
        let way = if at % 2 == 0 && found.can(Way::TakeBack) { Way::TakeBack } else { Way::Finish };
        let can = found.can(way);
        assert_eq!(found.settle(way, false, &Disk).is_ok(), can);
        assert_eq!(fs::read_to_string(&edited).unwrap(), "edited");
        if way == Way::Finish {
            let after = case.tree();
            let others = |tree: &BTreeMap<PathBuf, String>| {
                let kept = tree.iter().filter(|(path, _)| !path.ends_with("ä ö.xml"));
                kept.map(|(path, text)| (path.clone(), text.clone())).collect::<Vec<_>>()
            };
            assert_eq!(others(&after), others(&new), "step {at}");
        }
    }
    assert!(seen > 10, "{seen}");
}

#[test]
fn a_journal_from_elsewhere_reaches_nothing_outside() {
    let outside = tempfile::tempdir().unwrap();
    let target = outside.path().join("profile");
    fs::write(&target, "mine").unwrap();
    fs::write(outside.path().join(".profile.elvask-new"), "theirs").unwrap();
    let app = tempfile::tempdir().unwrap();
    let root = app.path();
    symlink(outside.path(), root.join("android")).unwrap();
    let up = format!("../{}/profile", outside.path().file_name().unwrap().to_str().unwrap());
    for name in ["android/profile", target.to_str().unwrap(), &up] {
        fs::create_dir_all(root.join(JOURNAL_FOLDER)).unwrap();
        let line = format!(r#"{{"path": "{name}", "before": "{}", "after": "{}"}}"#, sum(b"mine"), sum(b"theirs"));
        let text = format!(r#"{{"journal": 1, "files": [{line}], "folders": []}}"#);
        fs::write(root.join(JOURNAL_FOLDER).join("journal.json"), text).unwrap();
        match find(root, &Disk).unwrap().unwrap().files() {
            [] => {}
            [file] => assert!(file.outside, "{name}"),
            more => panic!("{more:?}"),
        }
        let _ = recover(root, &Disk);
        assert_eq!(fs::read_to_string(&target).unwrap(), "mine", "{name}");
        let _ = find(root, &Disk).unwrap().map(|found| found.settle(Way::Finish, false, &Disk));
        assert_eq!(fs::read_to_string(&target).unwrap(), "mine", "{name}");
    }
}

#[test]
fn what_is_put_into_place_has_the_sum_of_the_journal() {
    let app = tempfile::tempdir().unwrap();
    let root = app.path();
    for name in ["a", "b"] {
        fs::write(root.join(name), "old").unwrap();
        fs::write(root.join(format!(".{name}.elvask-new")), "something else").unwrap();
    }
    fs::write(root.join("b"), "new").unwrap();
    fs::create_dir_all(root.join(JOURNAL_FOLDER)).unwrap();
    let line = |name| format!(r#"{{"path": "{name}", "before": "{}", "after": "{}"}}"#, sum(b"old"), sum(b"new"));
    let text = format!(r#"{{"journal": 1, "files": [{}, {}], "folders": []}}"#, line("a"), line("b"));
    fs::write(root.join(JOURNAL_FOLDER).join("journal.json"), text).unwrap();
    assert!(matches!(recover(root, &Disk), Err(WriteError::Unfinished(_))));
    assert_eq!(fs::read_to_string(root.join("a")).unwrap(), "old");
}

#[test]
fn a_changed_or_read_only_file_stops_all() {
    let mut case = Case::new();
    let old = case.tree();
    let path = case.changes[0].path.clone();
    fs::write(&path, "edited").unwrap();
    assert!(matches!(case.write(&Disk), Err(WriteError::Changed(which)) if which == path));
    fs::write(&path, case.changes[0].before.as_ref().unwrap()).unwrap();
    assert_eq!(case.tree(), old);
    case.changes.swap(0, 7);
    fs::write(&case.changes[6].path, "there already").unwrap();
    assert!(matches!(case.write(&Disk), Err(WriteError::Changed(_))), "one that is there is left alone");
    fs::remove_file(&case.changes[6].path).unwrap();
    let mut mode = fs::metadata(&case.changes[1].path).unwrap().permissions();
    mode.set_readonly(true);
    fs::set_permissions(&case.changes[1].path, mode.clone()).unwrap();
    assert!(matches!(case.write(&Disk), Err(WriteError::ReadOnly(_))));
    mode.set_mode(0o640);
    fs::set_permissions(&case.changes[1].path, mode).unwrap();
    assert_eq!(case.tree(), old);
}

#[test]
fn what_a_file_has_besides_its_bytes_stays() {
    let case = Case::new();
    let path = &case.changes[0].path;
    // A file system without them is not a fault.
    let there = xattr::set(path, "user.note", b"kept").is_ok();
    case.write(&Disk).unwrap();
    assert!(!there || xattr::get(path, "user.note").unwrap().as_deref() == Some(b"kept"));
}

#[test]
fn two_at_once_write_one_after_the_other() {
    let case = Case::new();
    let first = write_all(case.root(), &case.changes[..2], &Disk);
    let changes = case.changes[2..].to_vec();
    std::thread::scope(|scope| {
        let each =
            changes.iter().map(|change| scope.spawn(|| write_all(case.root(), std::slice::from_ref(change), &Disk)));
        for one in each.collect::<Vec<_>>() {
            one.join().unwrap().unwrap();
        }
    });
    first.unwrap();
    assert_eq!(case.tree(), old_and_new().1);
}
