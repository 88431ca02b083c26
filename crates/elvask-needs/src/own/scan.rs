//! Going through the files, in parallel, with one automaton.

use std::cell::{OnceCell, RefCell};
use std::path::Path;
use std::sync::OnceLock;

use aho_corasick::{AhoCorasick, MatchKind, StartKind};
use elvask_project::files::Files;
use elvask_project::threads;

use super::walk::{Language, Own, OwnFile, walk};
use super::{OwnCode, imports, links, permissions};
use crate::evidence::lexer::{Stretch, Stretches, Style, stretches};
use crate::evidence::{Cache, Seen, recall, recalled};
use crate::requirement::{Citation, EvidenceKind};

/// The largest file that is read, in bytes: what is larger was not written by hand.
const MAX_FILE: usize = 1024 * 1024;

/// What a string that is searched for may start.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Start {
    Import,
    Link,
    Permission,
    Global,
}

/// The strings, with what each may start.
const PATTERNS: [(&str, Start); 26] = [
    ("import", Start::Import),
    ("require(", Start::Import),
    ("from", Start::Import),
    ("using ", Start::Import),
    ("@import", Start::Import),
    ("#import", Start::Import),
    ("penURL", Start::Link),
    ("penUrl", Start::Link),
    ("penUri", Start::Link),
    ("aunchURL", Start::Link),
    ("aunchUrl", Start::Link),
    ("aunchUri", Start::Link),
    ("anLaunch", Start::Link),
    ("launch(", Start::Link),
    ("Launch(", Start::Link),
    ("OpenAsync(", Start::Link),
    ("LaunchAsync(", Start::Link),
    (".open(", Start::Link),
    ("resolveActivity", Start::Link),
    ("queryIntentActivities", Start::Link),
    ("ermission", Start::Permission),
    ("ERMISSION", Start::Permission),
    ("navigator.", Start::Global),
    ("window.", Start::Global),
    ("plugins.", Start::Global),
    ("device.", Start::Global),
];

/// Returns the strings that are searched for.
pub(super) fn searched() -> Vec<&'static str> {
    PATTERNS.iter().map(|(text, _)| *text).collect()
}

fn automaton() -> Option<&'static AhoCorasick> {
    static AUTOMATON: OnceLock<Option<AhoCorasick>> = OnceLock::new();
    let build = || {
        AhoCorasick::builder()
            .match_kind(MatchKind::LeftmostFirst)
            .start_kind(StartKind::Unanchored)
            .build(PATTERNS.iter().map(|(text, _)| *text))
            .ok()
    };
    AUTOMATON.get_or_init(build).as_ref()
}

/// A file with what is code in it.
pub(super) struct Source<'t> {
    pub(super) text: &'t str,
    pub(super) shown: &'t str,
    pub(super) language: Language,
    /// Found only where something else than an import is met, which most files do without.
    stretches: OnceCell<Stretches>,
    /// The names that the file has of packages, each with its package.
    pub(super) locals: RefCell<Vec<(String, String)>>,
}

impl Source<'_> {
    fn stretches(&self) -> &Stretches {
        self.stretches.get_or_init(|| {
            let style = match self.language {
                Language::Script => Style { single_quotes: true, templates: true, ..Style::default() },
                Language::Dart => Style { single_quotes: true, ..Style::default() },
                Language::CSharp => Style::default(),
                Language::Native => {
                    Style { nests: self.shown.ends_with(".swift") || self.shown.ends_with(".kt"), ..Style::default() }
                }
            };
            stretches(self.text, style)
        })
    }

    /// Remembers under which names the file has what it takes from a package.
    pub(super) fn remember(&self, taken: &[(String, String)], module: Option<String>) {
        let Some(module) = module else { return };
        self.locals.borrow_mut().extend(taken.iter().map(|(_, local)| (local.clone(), module.clone())));
    }

    pub(super) fn citation(&self, at: usize) -> Citation {
        Citation::in_text(EvidenceKind::Use, self.shown, self.text, at)
    }

    pub(super) fn is_comment(&self, at: usize) -> bool {
        self.stretches().at(at) == Some(Stretch::Comment)
    }

    pub(super) fn is_code(&self, at: usize) -> bool {
        self.stretches().at(at).is_none()
    }
}

/// What is made of an app's own code is kept under this name.
const NAME: &str = "own code";

pub(super) fn recall_read(files: &dyn Files, root: &Path, cache: &dyn Cache) -> Option<OwnCode> {
    recalled(files, cache, (root, NAME))
}

pub(super) fn read(files: &dyn Files, root: &Path, cache: Option<&dyn Cache>) -> OwnCode {
    let make = |own: &Own| {
        let scanned = threads::map(own.files.iter().collect(), threads::FEW, |file| scan(files, file));
        let mut all = OwnCode::default();
        scanned.into_iter().flatten().for_each(|one| all.merge(one));
        all.files = own.files.len();
        if own.cut {
            all.limits.push("the app has more source files or deeper folders than are looked at".to_owned());
        }
        all
    };
    let Some(cache) = cache else { return make(&walk(files, root)) };
    let seen = |own: &Own| Seen {
        folders: own.folders.clone(),
        files: own.files.iter().map(|file| file.shown.clone()).collect(),
        more: vec![if own.cut { "cut" } else { "" }.to_owned()],
    };
    recall(files, cache, (root, NAME), (|| walk(files, root), seen), make)
}

/// Reads one file; `None` where it shows nothing.
fn scan(files: &dyn Files, file: &OwnFile) -> Option<OwnCode> {
    let automaton = automaton()?;
    let bytes = files.read(&file.path).ok()?;
    if bytes.len() > MAX_FILE {
        let limit = format!("{}: it has {} bytes; more than {MAX_FILE} are not read", file.shown, bytes.len());
        return Some(OwnCode { limits: vec![limit], ..OwnCode::default() });
    }
    let mut hits = automaton.find_iter(&bytes).peekable();
    hits.peek()?;
    let text = std::str::from_utf8(&bytes).ok()?;
    let (stretches, locals) = (OnceCell::new(), RefCell::default());
    let source = Source { text, shown: &file.shown, language: file.language, stretches, locals };
    let mut out = OwnCode::default();
    for hit in hits {
        let Some((_, start)) = PATTERNS.get(hit.pattern().as_usize()) else { continue };
        // Where imports stand, the start of the line tells enough of comments.
        if *start != Start::Import && source.is_comment(hit.start()) {
            continue;
        }
        match start {
            Start::Import => imports::read(&source, hit.start(), hit.end(), &mut out),
            Start::Link => links::read(&source, hit.start(), &mut out),
            Start::Permission => permissions::read(&source, hit.start(), &mut out),
            Start::Global => imports::global(&source, hit.start(), &mut out),
        }
    }
    imports::members(&source, &mut out);
    Some(out)
}
