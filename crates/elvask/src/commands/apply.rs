//! Showing what would be written, and writing it.

use std::path::{Path, PathBuf};

use elvask_core::app::App;
use elvask_project::files::{Disk, Files as _};
use elvask_project::source::{FileId, Sources};
use elvask_project::write::{Change, real_path, write_all};
use elvask_record::FileRecord;

use super::recover::failed;
use crate::input::{can_ask, confirm};
use crate::output::{Failure, Output};
use crate::render::{clean, count, diff, style};
use crate::writing::with_steps;

/// A file that gets another text.
pub(crate) struct FileChange {
    pub(crate) shown: String,
    pub(crate) change: Change,
    pub(crate) diff: String,
    pub(crate) painted: String,
    old: String,
    new: String,
}

impl FileChange {
    /// Draws what changes between two texts of a file.
    pub(crate) fn new(shown: &str, change: Change, old: &str, new: &str) -> Self {
        // A file that comes to be has nothing before it, as the tools that apply diffs want it said.
        let made = |diff: String| match change.before {
            None => diff.replacen(&format!("--- a/{shown}"), "--- /dev/null", 1),
            Some(_) => diff,
        };
        let (plain, painted) = (made(diff::unified(shown, old, new)), made(diff::painted(shown, old, new)));
        FileChange { shown: shown.to_owned(), change, diff: plain, painted, old: old.to_owned(), new: new.to_owned() }
    }

    /// Returns the diff that takes the change back.
    pub(crate) fn reverse(&self) -> String {
        let diff = diff::unified(&self.shown, &self.new, &self.old);
        match self.change.before {
            None => diff.replacen(&format!("+++ b/{}", self.shown), "+++ /dev/null", 1),
            Some(_) => diff,
        }
    }

    /// Refuses a file in which a merge has left two sides: what is written there would be on one of them.
    fn refuse_conflicts(&self) -> Result<(), Failure> {
        let Some(line) = conflict(&self.old) else { return Ok(()) };
        let message = format!("{}:{line}: a merge has left a conflict here; nothing is written", self.shown);
        Err(Failure::new(message).hint("settle the conflict first, and save the file without its marks"))
    }
}

/// Returns the line of the first conflict that a merge has left in a text, counted from 1: its three marks, each at the start of a line.
fn conflict(text: &str) -> Option<usize> {
    let mut opened = None;
    let mut parted = false;
    for (at, line) in text.lines().enumerate() {
        if line.starts_with("<<<<<<< ") {
            (opened, parted) = (Some(at + 1), false);
        } else if opened.is_some() && line.trim_end() == "=======" {
            parted = true;
        } else if parted && line.starts_with(">>>>>>> ") {
            return opened;
        }
    }
    None
}

/// Returns files that get another text, as JSON.
pub(crate) fn file_records(files: &[FileChange]) -> Vec<FileRecord> {
    files.iter().map(|file| FileRecord { file: file.shown.clone(), diff: file.diff.clone() }).collect()
}

/// Returns the files whose text is another one now.
pub(crate) fn changes(app: &App, sources: &Sources, changed: &[FileId]) -> Result<Vec<FileChange>, Failure> {
    let pairs = changed.iter().map(|file| (app.sources.file(*file), sources.file(*file)));
    pairs
        .filter(|(before, after)| before.text != after.text)
        .map(|(before, after)| {
            let bytes = after.bytes_to_write().map_err(|error| Failure::new(format!("{}: {error}", before.shown)))?;
            let change = Change {
                path: before.path.clone(),
                before: (!before.absent).then(|| before.bytes_read()),
                after: bytes,
            };
            let change = FileChange::new(&before.shown, change, &before.text, &after.text);
            change.refuse_conflicts()?;
            Ok(change)
        })
        .collect()
}

/// Returns the diff of all files: drawn for people, exact for programs.
pub(crate) fn whole_diff(files: &[FileChange], output: &Output) -> String {
    let seen = output.is_looked_at();
    files.iter().map(|file| if seen { file.painted.as_str() } else { file.diff.as_str() }).collect()
}

/// Whether changes are to be written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Write {
    /// Without a question.
    Yes,
    /// If a person on a terminal agrees.
    Ask,
    /// No.
    No,
}

/// Where files may be written without a question about the place.
pub(crate) struct Bounds<'b> {
    /// The app.
    app: &'b App,
    /// A folder that the command line names.
    named: Option<&'b Path>,
    /// The real paths outside to which a person has agreed.
    consents: &'b [String],
}

impl<'b> Bounds<'b> {
    /// Makes those of an app.
    pub(crate) fn of(app: &'b App, consents: &'b [String]) -> Self {
        Bounds { app, named: None, consents }
    }

    /// Adds a folder that the command line names.
    pub(crate) fn with_named(mut self, folder: Option<&'b Path>) -> Self {
        self.named = folder;
        self
    }

    /// Returns where a file lies really, where that is not in the app's own folder nor in the one that the command line names.
    fn outside(&self, path: &Path) -> Result<Option<PathBuf>, Failure> {
        let failed = |error| Failure::new(format!("{}: {error}; nothing is written", path.display()));
        let real = real_path(path).map_err(failed)?;
        let root = Disk.real(&self.app.root);
        // A package may hold the app, as one does that has an example in it.
        let in_package = || {
            let packages =
                self.app.plugins().iter().filter(|plugin| !plugin.own).filter_map(|plugin| plugin.root.as_deref());
            let mut inside = packages
                .map(|package| Disk.real(package))
                .filter(|package| *package != root && package.starts_with(&root));
            inside.any(|package| real.starts_with(package))
        };
        let own = real
            .strip_prefix(&root)
            .is_ok_and(|inside| inside.components().all(|part| part.as_os_str() != "node_modules") && !in_package());
        let named = self.named.and_then(|folder| real_path(folder).ok()).is_some_and(|folder| real.starts_with(folder));
        let agreed = || self.consents.iter().any(|consent| Path::new(consent) == real);
        Ok((!own && !named && !agreed()).then_some(real))
    }

    /// Refuses files outside, unless a person on a terminal agrees to each by its real path.
    fn check(&self, files: &[FileChange]) -> Result<(), Failure> {
        for file in files {
            let Some(real) = self.outside(&file.change.path)? else { continue };
            let real = real.display().to_string();
            let question = format!("{} is really {}, outside the app. Write it?", file.shown, real);
            if !(can_ask() && confirm(&clean(&question))) {
                let message = format!("{}: it is really {real}, outside the app; nothing is written", file.shown);
                return Err(Failure::new(message).hint(format!("if that is meant: --consent {real}")));
            }
        }
        Ok(())
    }
}

/// Writes files, after a question where one is wanted. Returns whether they were written.
pub(crate) fn write(
    files: &[FileChange],
    wanted: Write,
    bounds: &Bounds<'_>,
    output: &Output,
) -> Result<bool, Failure> {
    if files.is_empty() || wanted == Write::No {
        return Ok(false);
    }
    if wanted == Write::Ask && can_ask() {
        output.say(files.iter().map(|file| file.painted.as_str()).collect::<String>().trim_end());
        if !confirm(&format!("Write these changes to {}?", count(files.len(), "file"))) {
            output.say("Nothing is written.");
            return Ok(false);
        }
    }
    bounds.check(files)?;
    let changes: Vec<_> = files.iter().map(|file| file.change.clone()).collect();
    with_steps(|steps| write_all(&bounds.app.root, &changes, steps)).map_err(failed)?;
    Ok(true)
}

/// Returns the lines that name what was written.
pub(crate) fn wrote(files: &[FileChange]) -> String {
    files.iter().map(|file| format!("{} {}\n", style::paint(style::GOOD, "wrote"), clean(&file.shown))).collect()
}

#[cfg(test)]
mod tests {
    use super::conflict;

    #[test]
    fn a_conflict_has_three_marks() {
        let whole = "a\n<<<<<<< ours\nb\n=======\nc\n>>>>>>> theirs\nd\n";
        assert_eq!(conflict(whole), Some(2));
        assert_eq!(conflict("Title\n=======\n"), None);
        assert_eq!(conflict(&whole.replace("=======\n", "")), None);
        assert_eq!(conflict(&whole.replace("<<<<<<< ours\n", "")), None);
    }
}
