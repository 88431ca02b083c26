//! Reading an app: the texts that were read, and what kept others from being read.

use std::path::{Path, PathBuf};

use elvask_markup::{SharedText, Span};

use crate::files::{Files, shown};
use crate::source::{FileId, Place, Sources};
use crate::tomldoc::Problem;

/// Something that cannot be known without running the build.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unresolved {
    /// What, in a sentence without a full stop.
    pub what: String,
    /// Where it is stated.
    pub place: Place,
}

/// What kept a part from being looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// Which kind.
    pub kind: FaultKind,
    /// What is wrong, in a sentence without a full stop.
    pub message: String,
    /// The file, as it is shown.
    pub file: String,
    /// Where.
    pub place: Place,
    /// Another place that belongs to it, with a word about it.
    pub related: Option<(Place, String)>,
}

/// The kinds of fault.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FaultKind {
    /// A file of the app cannot be read.
    File,
    /// A sheet is not as it must be.
    Sheet,
    /// `elvask.toml` is not as it must be.
    Config,
}

/// An app while it is being found.
pub struct Loading<'f> {
    /// Where files are read from.
    pub files: &'f dyn Files,
    /// The app's folder.
    pub root: PathBuf,
    /// The texts that have been read.
    pub sources: Sources,
    /// What keeps files from being read.
    pub faults: Vec<Fault>,
    /// What a person should know, in sentences without a full stop.
    pub notices: Vec<String>,
    /// What cannot be known without running a build.
    pub unresolved: Vec<Unresolved>,
}

impl<'f> Loading<'f> {
    /// Starts to read the app in a folder.
    pub fn new(files: &'f dyn Files, root: &Path) -> Self {
        let (root, sources) = (root.to_owned(), Sources::within_repository(files, root));
        Loading { files, root, sources, faults: Vec::new(), notices: Vec::new(), unresolved: Vec::new() }
    }

    /// Returns a path as it is shown: from the app's folder, with forward slashes.
    #[must_use]
    pub fn shown(&self, path: &Path) -> String {
        shown(path, &self.root)
    }

    /// Takes in a text that has been read already. Of one behind a link that leads out of the repository nothing is shown.
    pub fn add(&mut self, path: &Path, text: impl Into<SharedText>) -> FileId {
        match self.sources.leads_out(self.files, path) {
            Some(_) => self.sources.add(path, ""),
            None => self.sources.add(path, text),
        }
    }

    /// Takes in the text of a file of a package that no link below the package's `folder` leads to: only the folder can lead out.
    pub fn add_of_package(&mut self, folder: &Path, path: &Path, text: impl Into<SharedText>) -> FileId {
        match self.sources.leads_out(self.files, folder) {
            Some(_) => self.sources.add(path, ""),
            None => self.sources.add(path, text),
        }
    }

    /// Takes in a file that is not there and may come to be.
    pub fn add_absent(&mut self, path: &Path) -> FileId {
        self.sources.add_absent(path)
    }

    /// Returns the path of a file that has been read.
    pub fn path(&self, file: FileId) -> &Path {
        &self.sources.file(file).path
    }

    /// Returns the text of a file that has been read.
    pub fn text(&self, file: FileId) -> &str {
        &self.sources.file(file).text
    }

    /// Goes on reading without noting anything; [`Loading::take_sources`] takes back what was read.
    pub fn quiet(&mut self) -> Loading<'f> {
        Loading {
            files: self.files,
            root: self.root.clone(),
            sources: std::mem::take(&mut self.sources),
            faults: Vec::new(),
            notices: Vec::new(),
            unresolved: Vec::new(),
        }
    }

    /// Takes over the texts that were read quietly.
    pub fn take_sources(&mut self, quiet: Loading<'f>) {
        self.sources = quiet.sources;
    }

    /// Notes that something cannot be known without running a build.
    pub fn unresolved(&mut self, what: String, place: Place) {
        if !self.unresolved.iter().any(|known| known.place == place) {
            self.unresolved.push(Unresolved { what, place });
        }
    }

    /// Notes what a person should know, in a sentence without a full stop; once, however often it is noted.
    pub fn notice(&mut self, message: String) {
        if !self.notices.contains(&message) {
            self.notices.push(message);
        }
    }

    /// Reads a file; what keeps it from being read is noted as a fault.
    pub fn read(&mut self, path: &Path, shown: &str) -> Option<(FileId, SharedText)> {
        let (file, read) = self.sources.read(self.files, path);
        match read {
            Ok(text) => Some((file, text)),
            Err(error) => {
                self.unreadable(shown, &error.message(), Place { file, span: Span::at(0) });
                None
            }
        }
    }

    /// Notes that a file cannot be read, and why.
    pub fn unreadable(&mut self, shown: &str, message: &str, place: Place) {
        let (message, file) = (message.to_owned(), shown.to_owned());
        self.faults.push(Fault { kind: FaultKind::File, message, file, place, related: None });
    }

    /// Notes that a file is not JSON as it must be, at the place that the reader names.
    pub fn bad_json(&mut self, shown: &str, file: FileId, error: &serde_json::Error) {
        let text = &self.sources.file(file).text;
        let start: usize = text.split_inclusive('\n').take(error.line().saturating_sub(1)).map(str::len).sum();
        let at = (start + error.column().saturating_sub(1)).min(text.len());
        // Columns of the reader count bytes, so the place may lie inside a character.
        let at = (0..=at).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
        let message = error.to_string();
        let message = message.split(" at line ").next().unwrap_or(&message).to_owned();
        self.unreadable(shown, &message, Place { file, span: Span::at(at) });
    }

    /// Notes what is wrong with a document that was read.
    pub fn problems(&mut self, kind: FaultKind, file: FileId, problems: Vec<Problem>) {
        let shown = self.sources.file(file).shown.clone();
        self.faults.extend(problems.into_iter().map(|problem| Fault {
            kind,
            message: problem.message,
            file: shown.clone(),
            place: Place { file, span: problem.span },
            related: None,
        }));
    }
}
