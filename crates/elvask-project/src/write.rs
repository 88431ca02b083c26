//! Writing several files, all of them or none, whatever ends the process.
//!
//! A journal says first what will be put where. Each new text then goes into a file beside the one that it replaces, with all that
//! the old one has besides its bytes, and the old one gets a second name. Only when all of these are on the disk are the new ones put
//! over the old ones, one rename each, so that each name leads to a whole text at each moment. The journal goes last; while it is
//! there, [`recover`](recover::recover) can finish the writing or take it back.

mod attributes;
mod journal;
pub mod recover;
pub mod steps;

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

pub use journal::FOLDER as JOURNAL_FOLDER;
use journal::{Held, Journal, Line, named, sum};
use steps::Steps;

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
    /// The system refused a step, and then one of those that put the old texts back.
    #[error("{}: {error}; some files are written and some are not: `elvask recover` finishes this or takes it back", path.display())]
    HalfDone {
        /// The file.
        path: PathBuf,
        /// What the system says.
        error: io::Error,
    },
    /// Somebody asked for an end before the first file was put into place.
    #[error("stopped; nothing is written")]
    Stopped,
    /// Another process writes in this app.
    #[error("{}: another `elvask` is writing in this app; nothing is written", .0.display())]
    Busy(PathBuf),
    /// An earlier writing was interrupted.
    #[error("{}: a writing was interrupted here; `elvask recover` finishes it or takes it back", .0.display())]
    Unfinished(PathBuf),
}

/// Writes a file that is not there yet, with the folders that lead to it.
///
/// # Errors
/// [`WriteError`]; a file that is there already is left alone.
pub fn write_new(path: &Path, bytes: &[u8], steps: &dyn Steps) -> Result<(), WriteError> {
    let folder = path.parent().unwrap_or(path);
    // A folder that is made and stays empty does no harm; a file in it that is half written would.
    fs::create_dir_all(folder).map_err(|error| WriteError::System { path: folder.to_owned(), error })?;
    write_all(folder, &[Change { path: path.to_owned(), before: None, after: bytes.to_vec() }], steps)
}

/// Writes all files or none. Links are followed, so that a link stays one. `root` is the folder of the app, in which the journal
/// lies meanwhile.
///
/// # Errors
/// [`WriteError`]; all files are then as they were, but for [`WriteError::HalfDone`], after which the journal is still there.
pub fn write_all(root: &Path, changes: &[Change], steps: &dyn Steps) -> Result<(), WriteError> {
    if changes.is_empty() {
        return Ok(());
    }
    let root = fs::canonicalize(root).map_err(|error| WriteError::System { path: root.to_owned(), error })?;
    let mut held = Held::make(&root, steps)?;
    match held.read() {
        Ok(bytes) if bytes.is_empty() => {}
        Ok(_) => return Err(WriteError::Unfinished(root)),
        Err(error) => return Err(WriteError::System { path: root.join(JOURNAL_FOLDER), error }),
    }
    let end = |held: Held, error: WriteError| {
        let _ = held.end(steps);
        Err(error)
    };
    let (targets, folders) = match targets(changes) {
        Ok(found) => found,
        Err(error) => return end(held, error),
    };
    let journal = match describe(&root, changes, &targets, &folders) {
        Ok(journal) => journal,
        Err(error) => return end(held, error),
    };
    if let Err(error) = held.write(&journal, steps) {
        return end(held, WriteError::System { path: root.join(JOURNAL_FOLDER), error });
    }
    let mut staged = Vec::new();
    if let Err(error) = stage_all(changes, &targets, &folders, &mut staged, steps) {
        return match take_back(&staged, &folders, steps) {
            Ok(()) => end(held, error),
            Err(error) => Err(error),
        };
    }
    let placed = staged.iter_mut().zip(changes).try_for_each(|(file, change)| {
        file.place(steps).map_err(|error| WriteError::System { path: change.path.clone(), error })
    });
    if let Err(error) = placed {
        return match take_back(&staged, &folders, steps) {
            Ok(()) => end(held, error),
            Err(error) => Err(error),
        };
    }
    // All is in place. What cannot be taken away now does no harm, and the journal stays with it.
    if staged.iter().all(|file| file.clear(steps).is_ok()) {
        let _ = held.end(steps);
    }
    Ok(())
}

/// A file that is put into place: where it is really, its new text beside it, and the old one under a second name.
#[derive(Debug, Clone)]
struct Staged {
    target: PathBuf,
    new: PathBuf,
    old: PathBuf,
    /// Whether the old file must stay and get other bytes: it has other names, or what cannot be given to a new one.
    in_place: bool,
    /// Whether there is an old file.
    is_there: bool,
    /// Whether it has been put into place, or half.
    placed: bool,
}

impl Staged {
    fn of(target: &Path) -> Staged {
        let name = target.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let beside = |ending: &str| target.with_file_name(format!(".{name}.elvask-{ending}"));
        Staged {
            target: target.to_owned(),
            new: beside("new"),
            old: beside("old"),
            in_place: false,
            is_there: false,
            placed: false,
        }
    }

    /// Puts the new text beside the old one.
    fn stage(&mut self, change: &Change, steps: &dyn Steps) -> io::Result<()> {
        for left in [&self.new, &self.old] {
            // Not Elvask's, as there was no journal; a link of this name must not be followed.
            if fs::symlink_metadata(left).is_ok() {
                steps.remove_file(left)?;
            }
        }
        self.is_there = change.before.is_some();
        steps.make_file(&self.new, &change.after)?;
        if let Some(before) = &change.before {
            self.in_place =
                attributes::names(&fs::metadata(&self.target)?) > 1 || !attributes::copy(&self.target, &self.new)?;
            if self.in_place || steps.link(&self.target, &self.old).is_err() {
                steps.make_file(&self.old, before)?;
                attributes::copy(&self.target, &self.old)?;
            }
        }
        Ok(())
    }

    /// Puts the new text into the place of the old one.
    fn place(&mut self, steps: &dyn Steps) -> io::Result<()> {
        self.placed = true;
        if self.in_place { self.put_bytes_of(&self.new, steps) } else { self.move_over(&self.new, steps) }
    }

    /// Puts the old text back, or takes the file away where there was none.
    fn put_back(&self, steps: &dyn Steps) -> io::Result<()> {
        if !self.is_there {
            return journal::gone(steps.remove_file(&self.target));
        }
        if fs::symlink_metadata(&self.old).is_err() {
            return Ok(());
        }
        if self.in_place { self.put_bytes_of(&self.old, steps) } else { self.move_over(&self.old, steps) }
    }

    fn move_over(&self, from: &Path, steps: &dyn Steps) -> io::Result<()> {
        steps.rename(from, &self.target)?;
        self.target.parent().map_or(Ok(()), |folder| steps.sync_folder(folder))
    }

    #[expect(clippy::disallowed_methods, reason = "this is the one place that writes")]
    fn put_bytes_of(&self, from: &Path, steps: &dyn Steps) -> io::Result<()> {
        steps.overwrite(&self.target, &fs::read(from)?)
    }

    /// Takes away what lies beside it.
    fn clear(&self, steps: &dyn Steps) -> io::Result<()> {
        journal::gone(steps.remove_file(&self.new))?;
        journal::gone(steps.remove_file(&self.old))
    }
}

/// Puts all new texts beside the old ones, and looks once more whether the old ones are what they were.
fn stage_all(
    changes: &[Change],
    targets: &[PathBuf],
    folders: &[PathBuf],
    staged: &mut Vec<Staged>,
    steps: &dyn Steps,
) -> Result<(), WriteError> {
    for folder in folders {
        match steps.make_folder(folder) {
            Err(error) if error.kind() != io::ErrorKind::AlreadyExists => {
                return Err(WriteError::System { path: folder.clone(), error });
            }
            _ => {}
        }
    }
    let mut parents: Vec<&Path> = Vec::new();
    for (change, target) in changes.iter().zip(targets) {
        if steps.is_asked_to_stop() {
            return Err(WriteError::Stopped);
        }
        staged.push(Staged::of(target));
        if let Some(file) = staged.last_mut() {
            let system = |error| WriteError::System { path: change.path.clone(), error };
            file.stage(change, steps).map_err(system)?;
        }
        parents.extend(target.parent().filter(|parent| !parents.contains(parent)));
    }
    for parent in parents {
        let system = |error| WriteError::System { path: parent.to_owned(), error };
        steps.sync_folder(parent).map_err(system)?;
    }
    // Look again right before the renames: an editor may have saved in between.
    let changed = changes.iter().zip(targets).find(|(change, target)| !holds(target, change.before.as_deref()));
    if let Some((change, _)) = changed {
        return Err(WriteError::Changed(change.path.clone()));
    }
    if steps.is_asked_to_stop() { Err(WriteError::Stopped) } else { Ok(()) }
}

/// Puts all old texts back, and takes away what was put beside them.
fn take_back(staged: &[Staged], folders: &[PathBuf], steps: &dyn Steps) -> Result<(), WriteError> {
    for file in staged {
        let half = |error| WriteError::HalfDone { path: file.target.clone(), error };
        if file.placed {
            file.put_back(steps).map_err(half)?;
        }
        file.clear(steps).map_err(half)?;
    }
    for folder in folders.iter().rev() {
        // One in which somebody has put something stays.
        let _ = steps.remove_folder(folder);
    }
    Ok(())
}

#[expect(clippy::disallowed_methods, reason = "this is the one place that writes")]
fn holds(path: &Path, bytes: Option<&[u8]>) -> bool {
    match bytes {
        Some(bytes) => fs::read(path).is_ok_and(|found| found == bytes),
        None => fs::symlink_metadata(path).is_err(),
    }
}

/// Returns where a file lies really, all links followed, whether it is there yet or not.
///
/// # Errors
/// What the system says.
pub fn real_path(path: &Path) -> io::Result<PathBuf> {
    let missing = match fs::canonicalize(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => error,
        done => return done,
    };
    // A link that leads to nothing: what would be written is where it leads.
    if fs::symlink_metadata(path).is_ok() {
        return Err(missing);
    }
    match (path.parent(), path.file_name()) {
        (Some(parent), Some(name)) => Ok(real_path(parent)?.join(name)),
        _ => Err(missing),
    }
}

/// Returns where the files are really, and the folders that have to be made for them, each before those in it.
fn targets(changes: &[Change]) -> Result<(Vec<PathBuf>, Vec<PathBuf>), WriteError> {
    let (mut targets, mut folders) = (Vec::new(), Vec::new());
    for change in changes {
        let target =
            real_path(&change.path).map_err(|error| WriteError::System { path: change.path.clone(), error })?;
        if !holds(&target, change.before.as_deref()) {
            return Err(WriteError::Changed(change.path.clone()));
        }
        // A rename would go through all the same, as it asks the folder and not the file.
        if change.before.is_some() && fs::metadata(&target).is_ok_and(|about| about.permissions().readonly()) {
            return Err(WriteError::ReadOnly(change.path.clone()));
        }
        let missing = target.ancestors().skip(1).take_while(|folder| fs::symlink_metadata(folder).is_err());
        let mut missing: Vec<_> = missing.filter(|folder| !folders.iter().any(|known| known == folder)).collect();
        missing.reverse();
        folders.extend(missing.into_iter().map(Path::to_owned).collect::<Vec<_>>());
        targets.push(target);
    }
    Ok((targets, folders))
}

fn describe(root: &Path, changes: &[Change], targets: &[PathBuf], folders: &[PathBuf]) -> Result<Journal, WriteError> {
    let name = |path: &Path| {
        let error = || io::Error::new(io::ErrorKind::InvalidFilename, "its name is not UTF-8");
        named(path, root).ok_or_else(|| WriteError::System { path: path.to_owned(), error: error() })
    };
    let line = |(change, target): (&Change, &PathBuf)| {
        let (before, after) = (change.before.as_deref().map(sum), sum(&change.after));
        Ok(Line { path: name(target)?, before, after })
    };
    Ok(Journal {
        journal: Journal::FORMAT,
        files: changes.iter().zip(targets).map(line).collect::<Result<_, _>>()?,
        folders: folders.iter().map(|folder| name(folder)).collect::<Result<_, _>>()?,
    })
}

#[cfg(test)]
#[path = "write/tests.rs"]
mod tests;
