//! Writing several files, all of them or none.
//!
//! Each new text goes into a file beside the one that it replaces, with the same mode; only when all of these are on the
//! disk are they put into place, one rename each. The old files are kept until the last rename has gone through, and are
//! put back if one does not.

use std::fs;
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

/// A file that gets another text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// The file.
    pub path: PathBuf,
    /// The bytes that it must hold now; anything else means that somebody changed it meanwhile. `None` for a file that must not
    /// be there yet.
    pub before: Option<Vec<u8>>,
    /// The bytes that it is to hold.
    pub after: Vec<u8>,
}

/// Why nothing was written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// The file was changed after it was read.
    #[error("{}: somebody changed the file while it was being looked at; nothing is written", .0.display())]
    Changed(PathBuf),
    /// The file may not be written.
    #[error("{}: the file is read-only; nothing is written", .0.display())]
    ReadOnly(PathBuf),
    /// The system refused a step; all files are as they were.
    #[error("{}: {error}; nothing is written", path.display())]
    System {
        /// The file.
        path: PathBuf,
        /// What the system says.
        error: io::Error,
    },
    /// The system refused a step and then refused to put a file back.
    #[error("{}: {error}; the old text is kept in {}", path.display(), kept.display())]
    NotPutBack {
        /// The file.
        path: PathBuf,
        /// Where its old text is.
        kept: PathBuf,
        /// What the system says.
        error: io::Error,
    },
}

/// The steps on the disk that can fail half-way; a test puts failures in their place.
trait Steps {
    /// Puts a file in the place of another one.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;
}

struct Disk;

impl Steps for Disk {
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::rename(from, to)
    }
}

/// Writes a file that is not there yet, with the folders that lead to it.
///
/// # Errors
/// What the system says; a file that is there already is left alone.
pub fn write_new(path: &Path, bytes: &[u8]) -> io::Result<()> {
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    let mut file = fs::File::create_new(path)?;
    let written = file.write_all(bytes).and_then(|()| file.sync_all());
    if written.is_err() {
        // Half a file is worse than none.
        let _ = fs::remove_file(path);
    }
    written
}

/// Writes all files or none. Links are followed, so that a link stays one.
///
/// # Errors
/// [`WriteError`]; all files are then as they were, but for [`WriteError::NotPutBack`], which says where the old text is.
pub fn write_all(changes: &[Change]) -> Result<(), WriteError> {
    write_with(changes, &Disk)
}

/// A file on its way: its real path, the new text beside it, and where the old text goes meanwhile.
struct Staged<'c> {
    change: &'c Change,
    target: PathBuf,
    new: PathBuf,
    old: PathBuf,
}

fn write_with(changes: &[Change], steps: &impl Steps) -> Result<(), WriteError> {
    let mut staged = Vec::new();
    for change in changes {
        match stage(change) {
            Ok(file) => staged.push(file),
            Err(error) => {
                clean(&staged);
                return Err(error);
            }
        }
    }
    // Look again right before the renames: an editor may have saved in between.
    let changed = staged.iter().find(|file| !holds(&file.target, file.change.before.as_deref()));
    if let Some(file) = changed {
        let error = WriteError::Changed(file.change.path.clone());
        clean(&staged);
        return Err(error);
    }
    for (at, file) in staged.iter().enumerate() {
        let kept = if file.change.before.is_some() { steps.rename(&file.target, &file.old) } else { Ok(()) };
        let placed = kept.and_then(|()| steps.rename(&file.new, &file.target));
        if let Err(error) = placed {
            let put_back = put_back(staged.get(..=at).unwrap_or_default());
            clean(&staged);
            put_back?;
            return Err(WriteError::System { path: file.change.path.clone(), error });
        }
    }
    for file in &staged {
        // The new texts are in place; an old one that cannot be taken away does no harm.
        let _ = fs::remove_file(&file.old);
    }
    Ok(())
}

fn put_back(files: &[Staged<'_>]) -> Result<(), WriteError> {
    for file in files.iter().filter(|file| file.change.before.is_none()) {
        let _ = fs::remove_file(&file.target);
    }
    for file in files.iter().filter(|file| file.old.exists()) {
        fs::rename(&file.old, &file.target).map_err(|error| WriteError::NotPutBack {
            path: file.change.path.clone(),
            kept: file.old.clone(),
            error,
        })?;
    }
    Ok(())
}

fn clean(files: &[Staged<'_>]) {
    for file in files {
        let _ = fs::remove_file(&file.new);
    }
}

#[expect(clippy::disallowed_methods, reason = "this is the one place that writes")]
fn holds(path: &Path, bytes: Option<&[u8]>) -> bool {
    match bytes {
        Some(bytes) => fs::read(path).is_ok_and(|found| found == bytes),
        None => fs::symlink_metadata(path).is_err(),
    }
}

fn stage(change: &Change) -> Result<Staged<'_>, WriteError> {
    let system = |error| WriteError::System { path: change.path.clone(), error };
    let (target, mode) = if change.before.is_some() {
        let target = fs::canonicalize(&change.path).map_err(system)?;
        let mode = fs::metadata(&target).map_err(system)?.permissions();
        (target, Some(mode))
    } else {
        let folder = change.path.parent().unwrap_or(&change.path);
        // A folder that is made and stays empty does no harm; a file in it that is half written would.
        fs::create_dir_all(folder).map_err(system)?;
        let folder = fs::canonicalize(folder).map_err(system)?;
        (folder.join(change.path.file_name().unwrap_or_default()), None)
    };
    if !holds(&target, change.before.as_deref()) {
        return Err(WriteError::Changed(change.path.clone()));
    }
    // A rename would go through all the same, as it asks the folder and not the file.
    if mode.as_ref().is_some_and(std::fs::Permissions::readonly) {
        return Err(WriteError::ReadOnly(change.path.clone()));
    }
    let name = target.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let beside = |ending: &str| target.with_file_name(format!(".{name}.elvask-{}{ending}", std::process::id()));
    let staged = Staged { change, new: beside("-new"), old: beside("-old"), target: target.clone() };
    let written = fs::OpenOptions::new().write(true).create_new(true).open(&staged.new).and_then(|mut file| {
        file.write_all(&change.after)?;
        if let Some(mode) = mode {
            file.set_permissions(mode)?;
        }
        file.sync_all()
    });
    match written {
        Ok(()) => Ok(staged),
        Err(error) => {
            let _ = fs::remove_file(&staged.new);
            Err(system(error))
        }
    }
}

#[cfg(test)]
#[expect(clippy::disallowed_methods, reason = "the tests look at the disk")]
mod tests {
    use super::*;

    /// Refuses the rename that puts the given number of files into place.
    struct FailAt(usize, std::cell::Cell<usize>);

    impl Steps for FailAt {
        fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
            self.1.set(self.1.get() + 1);
            if self.1.get() == self.0 { Err(io::Error::other("the disk is full")) } else { fs::rename(from, to) }
        }
    }

    fn three() -> (tempfile::TempDir, Vec<Change>) {
        let folder = tempfile::tempdir().unwrap();
        let change = |name: &str| {
            let path = folder.path().join(name);
            fs::write(&path, name).unwrap();
            Change { path, before: Some(name.into()), after: format!("new {name}").into() }
        };
        let changes = ["a", "b", "c"].map(change).to_vec();
        (folder, changes)
    }

    fn texts(changes: &[Change]) -> Vec<String> {
        changes.iter().map(|change| fs::read_to_string(&change.path).unwrap()).collect()
    }

    fn names(folder: &tempfile::TempDir) -> usize {
        fs::read_dir(folder.path()).unwrap().count()
    }

    #[test]
    fn all_are_written_and_nothing_is_left_beside_them() {
        let (folder, changes) = three();
        write_all(&changes).unwrap();
        assert_eq!(texts(&changes), ["new a", "new b", "new c"]);
        assert_eq!(names(&folder), 3);
    }

    #[test]
    fn a_failure_at_any_step_leaves_all_as_they_were() {
        for step in 1..=6 {
            let (folder, changes) = three();
            let error = write_with(&changes, &FailAt(step, std::cell::Cell::new(0))).unwrap_err();
            assert!(matches!(error, WriteError::System { .. }), "{error}");
            assert_eq!(texts(&changes), ["a", "b", "c"], "step {step}");
            assert_eq!(names(&folder), 3, "step {step}");
        }
    }

    #[test]
    fn a_new_file_is_made_or_taken_away_again() {
        let (folder, mut changes) = three();
        let path = folder.path().join("d");
        changes.insert(1, Change { path: path.clone(), before: None, after: b"made".to_vec() });
        for step in 1..=7 {
            write_with(&changes, &FailAt(step, std::cell::Cell::new(0))).unwrap_err();
            assert_eq!(names(&folder), 3, "step {step}");
        }
        write_all(&changes).unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), "made");
        changes.truncate(2);
        changes.remove(0);
        assert!(matches!(write_all(&changes), Err(WriteError::Changed(_))), "one that is there is left alone");
    }

    #[test]
    fn a_changed_or_read_only_file_stops_all() {
        let (folder, mut changes) = three();
        fs::write(&changes[2].path, "edited").unwrap();
        assert!(matches!(write_all(&changes), Err(WriteError::Changed(path)) if path == changes[2].path));
        assert_eq!(texts(&changes), ["a", "b", "edited"]);
        changes[2].before = Some(b"edited".to_vec());
        let mut mode = fs::metadata(&changes[1].path).unwrap().permissions();
        mode.set_readonly(true);
        fs::set_permissions(&changes[1].path, mode).unwrap();
        assert!(matches!(write_all(&changes), Err(WriteError::ReadOnly(path)) if path == changes[1].path));
        assert_eq!(texts(&changes), ["a", "b", "edited"]);
        assert_eq!(names(&folder), 3);
    }

    #[cfg(unix)]
    #[test]
    fn modes_and_links_stay() {
        use std::os::unix::fs::PermissionsExt as _;
        let (folder, mut changes) = three();
        fs::set_permissions(&changes[0].path, fs::Permissions::from_mode(0o640)).unwrap();
        let link = folder.path().join("link");
        std::os::unix::fs::symlink(&changes[0].path, &link).unwrap();
        changes[0].path = link.clone();
        write_all(&changes[..1]).unwrap();
        assert!(fs::symlink_metadata(&link).unwrap().is_symlink());
        assert_eq!(fs::read_to_string(folder.path().join("a")).unwrap(), "new a");
        assert_eq!(fs::metadata(&link).unwrap().permissions().mode() & 0o777, 0o640);
    }
}
