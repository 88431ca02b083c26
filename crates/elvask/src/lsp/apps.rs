//! The apps around the documents that an editor has open, each looked at with those texts in the place of what is on the disk.

use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use elvask_core::app::{App, Choice, Look};
use elvask_core::check::{Report, check};
use elvask_core::context::Context;
use elvask_core::survey::{Survey, survey};
use elvask_core::{Settings, Span};
use elvask_needs::evidence::Cache;
use elvask_project::files::{Disk, Files as _, Overlay, Remembered, normal};
use elvask_project::source::{FileId, Place, read_text};
use elvask_project::surface::Surface;
use serde_json::{Value, json};

use super::text::{Lines, Open, Units};
use crate::commands::settings;
use crate::render::snippet::unmarked;
use crate::uri;

/// All that the server knows.
pub(super) struct Apps {
    /// The documents that are open, by their paths.
    pub(super) open: BTreeMap<PathBuf, Open>,
    /// The apps that were looked at, by their folders.
    pub(super) looked: BTreeMap<PathBuf, Looked>,
    pub(super) units: Units,
    files: Remembered,
    settings: Settings,
    /// The folder of the app around each folder that was asked about, until something changes on the disk.
    roots: RefCell<HashMap<PathBuf, Option<PathBuf>>>,
}

/// An app as it was looked at last.
pub(super) struct Looked {
    pub(super) app: App,
    pub(super) report: Report,
    choice: Choice,
    /// The files that changed since; empty where nothing did.
    changed: Vec<PathBuf>,
    survey: OnceLock<Survey>,
    /// Where the lines of each file start, made when first asked for.
    lines: BTreeMap<FileId, Lines>,
    /// How the editor calls the documents that it has open.
    names: BTreeMap<PathBuf, String>,
    /// What was told of each file.
    pub(super) told: BTreeMap<PathBuf, Value>,
}

impl Looked {
    /// Makes an app that is still to be looked at.
    fn unseen(cache: Option<Arc<dyn Cache>>) -> Self {
        let package_folder = crate::environment::package_folder();
        Looked {
            app: App::default(),
            report: Report::default(),
            choice: Choice { package_folder, look: Look::WithoutSheet, cache, ..Choice::default() },
            changed: Vec::new(),
            survey: OnceLock::new(),
            lines: BTreeMap::new(),
            names: BTreeMap::new(),
            told: BTreeMap::new(),
        }
    }

    /// Returns what the app declares; found out at the first call after a change.
    pub(super) fn survey(&self, settings: &Settings) -> &Survey {
        self.survey.get_or_init(|| {
            let surface = Surface::read(&self.app, &self.app.sources);
            survey(&Context::new(&self.app, &self.app.sources, &surface, settings))
        })
    }
}

impl Apps {
    pub(super) fn new(units: Units) -> Self {
        Apps {
            open: BTreeMap::new(),
            looked: BTreeMap::new(),
            units,
            files: Remembered::default(),
            settings: settings(false),
            roots: RefCell::default(),
        }
    }

    pub(super) fn settings(&self) -> &Settings {
        &self.settings
    }

    /// Returns how many files were read from the disk so far.
    pub(super) fn files_read(&self) -> usize {
        self.files.read_so_far()
    }

    /// Returns the folder of the app that a document is of. What lies in a package is of the app that has the package.
    pub(super) fn root_of(&self, path: &Path) -> Option<PathBuf> {
        let inside =
            path.ancestors().filter(|folder| folder.file_name().is_some_and(|name| name == "node_modules")).last();
        let from = inside.unwrap_or(path).parent()?;
        // Where several apps share packages, a sheet is of the app that was read with it.
        let read_with = |(root, looked): &(&PathBuf, &Looked)| {
            (inside.is_some() || !path.starts_with(root)) && looked.app.sources.find_path(path).is_some()
        };
        if let Some((root, _)) = self.looked.iter().find(read_with) {
            return Some(root.clone());
        }
        if let Some(known) = self.roots.borrow().get(from) {
            return known.clone();
        }
        let found = elvask_core::discover::find_root(&Disk, from);
        self.roots.borrow_mut().insert(from.to_owned(), found.clone());
        found
    }

    /// Returns the path that an editor names, with all links followed: by it files are known here.
    pub(super) fn path_of(&self, uri: &str) -> Option<PathBuf> {
        Some(Disk.real(&uri::path(uri)?))
    }

    /// Forgets which folders are apps.
    pub(super) fn forget_roots(&self) {
        self.roots.borrow_mut().clear();
    }

    /// Notes that a document, or a file on the disk, is another one now. Where no app is known around it yet, it is looked for.
    pub(super) fn changed(&mut self, path: &Path) {
        if let Some(root) = self.root_of(path) {
            self.looked.entry(root).or_insert_with_key(|root| Looked::unseen(crate::cache::open(root)));
        }
        for (root, looked) in &mut self.looked {
            if path.starts_with(root) || looked.app.sources.find_path(path).is_some() {
                looked.changed.push(path.to_owned());
            }
        }
    }

    /// Looks anew at each app in which something has changed. Returns the folders of those.
    pub(super) fn settle(&mut self) -> Vec<PathBuf> {
        let mut done = Vec::new();
        for (root, looked) in &mut self.looked {
            if looked.changed.is_empty() {
                continue;
            }
            let changed = std::mem::take(&mut looked.changed);
            // A text that is what the disk has is read from there, with its encoding.
            let is_saved = |path: &Path, open: &Open| {
                read_text(&self.files, path).is_ok_and(|text| unmarked(&text).0 == open.text)
            };
            let over: BTreeMap<PathBuf, Vec<u8>> = self
                .open
                .iter()
                .filter(|(path, _)| path.starts_with(root) || looked.app.sources.find_path(path).is_some())
                .filter(|(path, open)| !is_saved(path, open))
                .map(|(path, open)| (path.clone(), open.text.clone().into_bytes()))
                .collect();
            let files = Overlay::new(&self.files, over);
            let loaded = match looked.app.root.as_os_str().is_empty() {
                true => App::load_choice(&files, root, &looked.choice),
                false => looked.app.load_again(&files, &looked.choice, &changed),
            };
            // While a folder of the app is moved there may be none: what was known stays until there is one again.
            let Ok(app) = loaded else { continue };
            looked.report = check(&app, &self.settings);
            looked.app = app;
            looked.survey = OnceLock::new();
            looked.lines.clear();
            looked.names = self.open.iter().map(|(path, open)| (path.clone(), open.uri.clone())).collect();
            done.push(root.clone());
        }
        done
    }

    /// Returns the app that a document is of, with the number of the document among its texts.
    pub(super) fn document(&mut self, path: &Path) -> Option<(&mut Looked, FileId)> {
        let root = self.root_of(path)?;
        let looked = self.looked.get_mut(&root)?;
        let file = looked.app.sources.find_path(path)?;
        Some((looked, file))
    }
}

impl Looked {
    /// Returns the range of a place as an editor counts, which does not count a mark at the start of the text.
    pub(super) fn range(&mut self, place: Place, units: Units) -> Value {
        let file = self.app.sources.file(place.file);
        let (text, mark) = unmarked(&file.text);
        let lines = self.lines.entry(place.file).or_insert_with(|| Lines::of(text));
        let span = Span::new(place.span.start.saturating_sub(mark), place.span.end.saturating_sub(mark));
        lines.range(text, span, units)
    }

    /// Returns the byte of a position in a text.
    pub(super) fn offset(&mut self, file: FileId, position: &Value, units: Units) -> usize {
        let (text, mark) = unmarked(&self.app.sources.file(file).text);
        let lines = self.lines.entry(file).or_insert_with(|| Lines::of(text));
        lines.offset(text, position, units) + mark
    }

    /// Returns where a place is, for an editor to go to.
    pub(super) fn location(&mut self, place: Place, units: Units) -> Value {
        let range = self.range(place, units);
        json!({ "uri": self.uri(&self.app.sources.file(place.file).path), "range": range })
    }

    /// Returns where a line of a file is that is named from the app, as evidence names it.
    pub(super) fn line_of(&self, file: &str, line: usize) -> Value {
        let path = normal(&self.app.root.join(file));
        let at = json!({ "line": line.saturating_sub(1), "character": 0 });
        json!({ "uri": self.uri(&path), "range": { "start": at, "end": at } })
    }

    /// Returns how the editor calls a file.
    pub(super) fn uri(&self, path: &Path) -> String {
        self.names.get(path).cloned().unwrap_or_else(|| uri::of(path))
    }
}
