//! Finishing a writing that was interrupted, or taking it back.
//!
//! A journal can come from somewhere else, with a cloned folder: it is believed only about files that really lie in the app, and what is put
//! into place must have the sum that the journal names.

use std::fs;
use std::path::{Component, Path, PathBuf};

use super::journal::{self, Held, Journal, Line, sum};
use super::steps::Steps;
use super::{Staged, WriteError, attributes, real_path, take_back};

/// What is to become of a writing that was interrupted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// What it was about to write is written.
    Finish,
    /// What it has written is put back.
    TakeBack,
}

/// How far a file of an interrupted writing has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    /// It holds the old text.
    Old,
    /// It holds the new text.
    New,
    /// Bytes of the new text were being put into it.
    Torn,
    /// It holds something else: somebody has changed it since.
    Changed,
}

/// A file of an interrupted writing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Interrupted {
    /// Where it is really.
    pub path: PathBuf,
    /// How far it has come.
    pub state: State,
    /// Whether it lies outside the app: then nothing is done to it unless a person says so.
    pub outside: bool,
    /// Whether the new text lies whole beside it.
    can_finish: bool,
    /// Whether the old text lies whole beside it, or there was none.
    can_take_back: bool,
}

/// A writing that was interrupted.
pub struct Found {
    held: Held,
    files: Vec<Interrupted>,
    staged: Vec<Staged>,
    folders: Vec<PathBuf>,
}

/// Looks for a writing that was interrupted in the app in the folder `root`. What was interrupted before it did anything is tidied
/// away and not told.
///
/// # Errors
/// [`WriteError::Busy`] while another process writes, and what the system says.
pub fn find(root: &Path, steps: &dyn Steps) -> Result<Option<Found>, WriteError> {
    if fs::symlink_metadata(root.join(super::JOURNAL_FOLDER)).is_err() {
        return Ok(None);
    }
    let root = fs::canonicalize(root).map_err(|error| WriteError::System { path: root.to_owned(), error })?;
    let Some(mut held) = Held::find(&root)? else {
        journal::tidy(&root, steps);
        return Ok(None);
    };
    let system = |error| WriteError::System { path: root.join(super::JOURNAL_FOLDER), error };
    let Some(journal) = Journal::parse(&held.read().map_err(system)?) else {
        // It ended while it wrote the journal, and had done nothing yet.
        held.end(steps).map_err(system)?;
        return Ok(None);
    };
    let mut found = Found { held, files: Vec::new(), staged: Vec::new(), folders: Vec::new() };
    for line in &journal.files {
        let Some(target) = resolve(&root, &line.path) else { continue };
        let (file, staged) = look(&root, target, line);
        found.files.push(file);
        found.staged.push(staged);
    }
    let inside = |folder: &PathBuf| folder.starts_with(&root) && *folder != root;
    found.folders = journal.folders.iter().filter_map(|name| resolve(&root, name)).filter(inside).collect();
    Ok(Some(found))
}

impl Found {
    /// Returns its files.
    #[must_use]
    pub fn files(&self) -> &[Interrupted] {
        &self.files
    }

    /// Returns what can be done with it without a question: where no file was put into place yet it is taken back, else it is
    /// finished. `None` where somebody has changed a file since, where one lies outside the app, or where a text is gone.
    #[must_use]
    pub fn own_way(&self) -> Option<Way> {
        if self.files.iter().any(|file| file.outside || file.state == State::Changed) {
            return None;
        }
        let way = if self.files.iter().all(|file| file.state == State::Old) { Way::TakeBack } else { Way::Finish };
        self.can(way).then_some(way)
    }

    /// Says whether all that nobody has changed since can be brought to one end.
    #[must_use]
    pub fn can(&self, way: Way) -> bool {
        self.files.iter().filter(|file| file.state != State::Changed).all(|file| match way {
            Way::Finish => file.state == State::New || file.can_finish,
            Way::TakeBack => file.state == State::Old || file.can_take_back,
        })
    }

    /// Finishes the writing or takes it back, and takes the journal away. Files that somebody has changed since stay as they are, and
    /// so do those outside the app unless `outside` says otherwise. Returns the files that got another text.
    ///
    /// # Errors
    /// [`WriteError::Unfinished`] where a text is gone, and what the system says; the journal then stays, and this can be tried again.
    pub fn settle(self, way: Way, outside: bool, steps: &dyn Steps) -> Result<Vec<PathBuf>, WriteError> {
        if !self.can(way) {
            return Err(WriteError::Unfinished(self.held.root()));
        }
        let mut written = Vec::new();
        let mut staged = self.staged;
        for (file, staged) in self.files.iter().zip(&mut staged) {
            let half = |error| WriteError::HalfDone { path: file.path.clone(), error };
            if file.state == State::Changed || file.outside && !outside {
                staged.placed = false;
                continue;
            }
            match way {
                Way::Finish if file.state != State::New => {
                    staged.in_place = staged.in_place
                        || file.state == State::Torn
                        || staged.is_there && !attributes::copy(&staged.target, &staged.new).map_err(half)?;
                    staged.place(steps).map_err(half)?;
                    written.push(file.path.clone());
                }
                Way::Finish => {}
                Way::TakeBack => {
                    staged.placed = file.state != State::Old;
                    written.extend(staged.placed.then(|| file.path.clone()));
                }
            }
        }
        let both = self.files.iter().zip(staged);
        let reached: Vec<Staged> =
            both.filter(|(file, _)| !file.outside || outside).map(|(_, staged)| staged).collect();
        match way {
            Way::TakeBack => take_back(&reached, &self.folders, steps)?,
            Way::Finish => {
                for file in &reached {
                    file.clear(steps).map_err(|error| WriteError::HalfDone { path: file.target.clone(), error })?;
                }
            }
        }
        self.held.end(steps).map_err(|error| WriteError::System { path: super::JOURNAL_FOLDER.into(), error })?;
        Ok(written)
    }
}

/// Returns where a file of a journal is really; `None` for a name that none of Elvask's has.
fn resolve(root: &Path, name: &str) -> Option<PathBuf> {
    let path = Path::new(name);
    let plain = |part: Component<'_>| matches!(part, Component::Normal(_) | Component::RootDir | Component::Prefix(_));
    if name.is_empty() || !path.components().all(plain) {
        return None;
    }
    real_path(&root.join(path)).ok()
}

fn look(root: &Path, target: PathBuf, line: &Line) -> (Interrupted, Staged) {
    let mut staged = Staged::of(&target);
    staged.is_there = line.before.is_some();
    let (now, new, old) = (read(&target), read(&staged.new), read(&staged.old));
    let has = |bytes: &Option<Vec<u8>>, wanted: &str| bytes.as_deref().is_some_and(|bytes| sum(bytes) == wanted);
    let whole_new = has(&new, &line.after);
    let state = match &now {
        Some(_) if has(&now, &line.after) => State::New,
        Some(_) if line.before.as_deref().is_some_and(|before| has(&now, before)) => State::Old,
        None if line.before.is_none() && fs::symlink_metadata(&target).is_err() => State::Old,
        Some(bytes)
            if whole_new && line.before.is_some() && new.as_deref().is_some_and(|new| new.starts_with(bytes)) =>
        {
            State::Torn
        }
        _ => State::Changed,
    };
    staged.in_place = state == State::Torn || has_other_names(&staged);
    let file = Interrupted {
        outside: !target.starts_with(root),
        path: target,
        state,
        can_finish: whole_new,
        can_take_back: line.before.as_deref().is_none_or(|before| has(&old, before)),
    };
    (file, staged)
}

/// Says whether a file has more names than Elvask has given it.
fn has_other_names(staged: &Staged) -> bool {
    let Ok(about) = fs::metadata(&staged.target) else { return false };
    let ours = fs::symlink_metadata(&staged.old).is_ok_and(|old| attributes::is_same_file(&old, &about));
    attributes::names(&about) > 1 + u64::from(ours)
}

/// Reads a file that is one, and no link.
#[expect(clippy::disallowed_methods, reason = "this is the one place that writes")]
fn read(path: &Path) -> Option<Vec<u8>> {
    let about = fs::symlink_metadata(path).ok()?;
    (about.is_file() && about.len() <= crate::files::MAX_FILE * 2).then(|| fs::read(path).ok()).flatten()
}

/// Finishes or takes back what was interrupted, where nothing speaks against it. Returns what was done, and to which files.
///
/// # Errors
/// [`WriteError::Unfinished`] where a person must decide; else as [`find`].
pub fn recover(root: &Path, steps: &dyn Steps) -> Result<Option<(Way, Vec<PathBuf>)>, WriteError> {
    let Some(found) = find(root, steps)? else { return Ok(None) };
    let Some(way) = found.own_way() else { return Err(WriteError::Unfinished(root.to_owned())) };
    Ok(Some((way, found.settle(way, false, steps)?)))
}
