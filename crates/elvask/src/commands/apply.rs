//! Showing what would be written, and writing it.

use elvask_core::app::App;
use elvask_project::source::{FileId, Sources};
use elvask_project::write::{Change, write_all};
use serde::Serialize;

use crate::input::{can_ask, confirm};
use crate::output::{Failure, Output};
use crate::render::{clean, count, diff, style};

/// A file that gets another text.
pub(crate) struct FileChange {
    pub(crate) shown: String,
    pub(crate) change: Change,
    pub(crate) diff: String,
    pub(crate) painted: String,
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
        FileChange { shown: shown.to_owned(), change, diff: plain, painted }
    }
}

/// A file that gets another text, as JSON.
#[derive(Serialize)]
pub(crate) struct FileRecord {
    pub(crate) file: String,
    pub(crate) diff: String,
}

impl FileRecord {
    pub(crate) fn all(files: &[FileChange]) -> Vec<FileRecord> {
        files.iter().map(|file| FileRecord { file: file.shown.clone(), diff: file.diff.clone() }).collect()
    }
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
            Ok(FileChange::new(&before.shown, change, &before.text, &after.text))
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

/// Writes files, after a question where one is wanted. Returns whether they were written.
pub(crate) fn write(files: &[FileChange], wanted: Write, output: &Output) -> Result<bool, Failure> {
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
    let changes: Vec<_> = files.iter().map(|file| file.change.clone()).collect();
    write_all(&changes).map_err(|error| Failure::new(error.to_string()))?;
    Ok(true)
}

/// Returns the lines that name what was written.
pub(crate) fn wrote(files: &[FileChange]) -> String {
    files.iter().map(|file| format!("{} {}\n", style::paint(style::GOOD, "wrote"), clean(&file.shown))).collect()
}
