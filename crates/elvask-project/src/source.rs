//! The texts that have been read, and places in them.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, OnceLock};

use elvask_markup::lines::{line_behind, line_of};
use elvask_markup::xml::{Document, XmlError};
use elvask_markup::{Decoded, Encoding, LineIndex, Position, SharedText, Span, TextError, decode, encode};

use crate::files::{Files, normal, shown};

/// Names one of the [`Sources`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FileId(usize);

/// A place in a text that has been read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Place {
    /// Which text.
    pub file: FileId,
    /// Which bytes of it; empty for a place between two characters.
    pub span: Span,
}

/// So many lines of a file are counted one by one.
const FEW_LINES: usize = 8;

/// A text with its path.
#[derive(Debug)]
pub struct SourceFile {
    /// The absolute path.
    pub path: PathBuf,
    /// The path from the app, with forward slashes; `../` for what lies outside.
    pub shown: String,
    /// The text, byte order mark included. Empty where the file could not be read as text.
    pub text: SharedText,
    /// How the text stands on the disk.
    pub encoding: Encoding,
    /// Whether there is no such file yet.
    pub absent: bool,
    /// The bytes that were read, where they are not those of the text.
    bytes: OwnBytes,
    lines: OnceLock<LineIndex>,
    /// How often a line was asked for while there was no index.
    asked: AtomicUsize,
    xml: OnceLock<Result<Arc<Document>, XmlError>>,
}

impl SourceFile {
    fn new(path: PathBuf, shown: String, text: SharedText) -> Self {
        let (lines, asked, xml) = (OnceLock::new(), AtomicUsize::new(0), OnceLock::new());
        SourceFile { path, shown, text, encoding: Encoding::Utf8, absent: false, bytes: None, lines, asked, xml }
    }

    /// Returns the text as an XML document; it is read at the first question.
    ///
    /// # Errors
    /// The first fault that keeps a platform's reader from reading it.
    pub fn xml(&self) -> Result<&Arc<Document>, &XmlError> {
        self.xml.get_or_init(|| Document::parse(self.text.clone()).map(Arc::new)).as_ref()
    }

    /// Returns the bytes that were read.
    #[must_use]
    pub fn bytes_read(&self) -> Vec<u8> {
        self.bytes.as_ref().map_or_else(|| self.text.as_bytes().to_vec(), |bytes| bytes.to_vec())
    }

    /// Returns the bytes that stand for the text on the disk.
    ///
    /// # Errors
    /// Says why the text does not fit the form of the file.
    pub fn bytes_to_write(&self) -> Result<Vec<u8>, TextError> {
        encode(&self.text, self.encoding)
    }

    /// Returns the line of a byte offset, counted from 1.
    #[must_use]
    pub fn line(&self, offset: usize) -> usize {
        // An index of all lines is not worth its making for a few of them.
        match self.lines.get() {
            None if self.asked.fetch_add(1, Ordering::Relaxed) < FEW_LINES => line_of(&self.text, offset),
            _ => self.lines.get_or_init(|| LineIndex::new(&self.text)).line(&self.text, offset),
        }
    }

    /// Returns line and column of a byte offset.
    #[must_use]
    pub fn position(&self, offset: usize) -> Position {
        self.lines.get_or_init(|| LineIndex::new(&self.text)).position(&self.text, offset)
    }
}

/// All texts that have been read for one app. Cheap to clone: the texts are shared.
#[derive(Debug, Clone, Default)]
pub struct Sources {
    root: PathBuf,
    /// The folder out of which no link is followed; empty where all are.
    bounds: PathBuf,
    files: Vec<Arc<SourceFile>>,
    /// What was read from where.
    read: Arc<HashMap<PathBuf, FileId>>,
    /// How many bytes were read.
    bytes: usize,
}

/// The most bytes that are read of one app's own files and of its packages' project files together.
pub const MAX_APP: usize = 96 * 1024 * 1024;

/// Why a file could not be read as text.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// The system would not hand it out.
    #[error("{0}")]
    System(#[from] std::io::Error),
    /// Its bytes are not text.
    #[error("{0}")]
    Text(#[from] TextError),
    /// It is a link, or lies behind one, that leads out of the repository.
    #[error("a link leads out of the repository, to {}; it is not read", .0.display())]
    LeadsOut(PathBuf),
}

impl ReadError {
    /// Returns the sentence for people, without the system's own number for the error.
    #[must_use]
    pub fn message(&self) -> String {
        match self {
            ReadError::System(error) => match error.kind() {
                std::io::ErrorKind::NotFound => "the file is not there".to_owned(),
                std::io::ErrorKind::PermissionDenied => "this user has no permission to read the file".to_owned(),
                _ => format!("the file cannot be read: {error}"),
            },
            ReadError::Text(_) | ReadError::LeadsOut(_) => self.to_string(),
        }
    }
}

impl Sources {
    /// Makes an empty collection for the app at `root`.
    #[must_use]
    pub fn new(root: &Path) -> Self {
        Sources { root: root.to_owned(), ..Sources::default() }
    }

    /// Makes an empty collection for the app at `root` in which no link is followed out of the repository around the app, or out of
    /// the app where there is none: what a stranger's link leads to is not shown.
    #[must_use]
    pub fn within_repository(files: &dyn Files, root: &Path) -> Self {
        let repository = root.ancestors().find(|folder| files.kind(&folder.join(".git")).is_some()).unwrap_or(root);
        Sources { bounds: repository.to_owned(), ..Sources::new(root) }
    }

    /// Returns where a path leads that lies in the repository and leads out of it.
    pub(crate) fn leads_out(&self, files: &dyn Files, path: &Path) -> Option<PathBuf> {
        if self.bounds.as_os_str().is_empty() || !path.starts_with(&self.bounds) {
            return None;
        }
        let real = files.real(path);
        // Where no link is on the way, none leads out.
        if real.as_os_str() == path.as_os_str() {
            return None;
        }
        // A package may be a link to where it is kept, but its files are its own.
        let packages = path.ancestors().find(|folder| folder.file_name().is_some_and(|name| name == "node_modules"));
        let bounds = match packages.and_then(|packages| Some((packages, path.strip_prefix(packages).ok()?))) {
            Some((packages, inside)) => {
                let scoped = inside.as_os_str().as_encoded_bytes().starts_with(b"@");
                packages.join(inside.components().take(if scoped { 2 } else { 1 }).collect::<PathBuf>())
            }
            None => self.bounds.clone(),
        };
        if path == bounds {
            return None;
        }
        (!real.starts_with(files.real(&bounds))).then_some(real)
    }

    /// Adds a text that has been read already.
    pub fn add(&mut self, path: &Path, text: impl Into<SharedText>) -> FileId {
        let file = SourceFile::new(path.to_owned(), shown(path, &self.root), text.into());
        self.files.push(Arc::new(file));
        FileId(self.files.len() - 1)
    }

    /// Adds a text that stands in for a file, and is shown under a name of its own.
    pub fn add_named(&mut self, path: &Path, shown: &str, text: impl Into<SharedText>) -> FileId {
        self.files.push(Arc::new(SourceFile::new(path.to_owned(), shown.to_owned(), text.into())));
        FileId(self.files.len() - 1)
    }

    /// Adds a text that is made of a file, and is shown under that file's name.
    pub fn add_made(&mut self, path: &Path, of: FileId, text: impl Into<SharedText>) -> FileId {
        let shown = self.file(of).shown.clone();
        self.files.push(Arc::new(SourceFile::new(path.to_owned(), shown, text.into())));
        FileId(self.files.len() - 1)
    }

    /// Reads a file, once: a second call hands out what was read, so that all places in it are in one text. Where it cannot be read as
    /// text, an empty text stands in for it, so that a place can name it.
    pub fn read(&mut self, files: &dyn Files, path: &Path) -> (FileId, Result<SharedText, ReadError>) {
        let usual = normal(path);
        if let Some(known) = self.read.get(&usual) {
            return (*known, Ok(self.file(*known).text.clone()));
        }
        if let Some(real) = self.leads_out(files, path) {
            return (self.add(path, ""), Err(ReadError::LeadsOut(real)));
        }
        if self.bytes > MAX_APP {
            let message = format!("the app's files have more than {MAX_APP} bytes in all, and no more of them is read");
            return (self.add(path, ""), Err(std::io::Error::new(std::io::ErrorKind::FileTooLarge, message).into()));
        }
        match read_decoded(files, path) {
            Ok((decoded, bytes)) => {
                self.bytes += decoded.text.len();
                let text: SharedText = decoded.text.into();
                let file = SourceFile::new(path.to_owned(), shown(path, &self.root), text.clone());
                self.files.push(Arc::new(SourceFile { encoding: decoded.encoding, bytes, ..file }));
                let id = FileId(self.files.len() - 1);
                Arc::make_mut(&mut self.read).insert(usual, id);
                (id, Ok(text))
            }
            Err(error) => (self.add(path, ""), Err(error)),
        }
    }

    /// Returns the first file whose path from the app fits.
    pub fn find(&self, fits: impl Fn(&str) -> bool) -> Option<FileId> {
        self.files.iter().position(|file| fits(&file.shown)).map(FileId)
    }

    /// Returns the file that was read from a path, or may come to be there.
    #[must_use]
    pub fn find_path(&self, path: &Path) -> Option<FileId> {
        self.files.iter().position(|file| file.path == path).map(FileId)
    }

    /// Goes through the ids of all files.
    pub fn ids(&self) -> impl Iterator<Item = FileId> + use<> {
        (0..self.files.len()).map(FileId)
    }

    /// Goes through all files.
    pub fn all(&self) -> impl Iterator<Item = &SourceFile> {
        self.files.iter().map(Arc::as_ref)
    }

    /// Adds a file that is not there and may come to be.
    pub fn add_absent(&mut self, path: &Path) -> FileId {
        let file = SourceFile::new(path.to_owned(), shown(path, &self.root), "".into());
        self.files.push(Arc::new(SourceFile { absent: true, ..file }));
        FileId(self.files.len() - 1)
    }

    /// Returns the file that an id names.
    #[must_use]
    pub fn file(&self, id: FileId) -> &SourceFile {
        #[expect(clippy::indexing_slicing, reason = "ids are made here and files are never taken out")]
        &self.files[id.0]
    }

    /// Puts another text in the place of a file's.
    pub fn replace(&mut self, id: FileId, text: impl Into<SharedText>) {
        let old = self.file(id);
        let file = SourceFile::new(old.path.clone(), old.shown.clone(), text.into());
        let file = SourceFile { encoding: old.encoding, absent: old.absent, bytes: old.bytes.clone(), ..file };
        if let Some(slot) = self.files.get_mut(id.0) {
            *slot = Arc::new(file);
        }
    }

    /// Returns the text that a place covers.
    #[must_use]
    pub fn text_at(&self, place: Place) -> &str {
        place.span.of(&self.file(place.file).text)
    }

    /// Returns the line of the start of a place, counted from 1.
    #[must_use]
    pub fn line(&self, place: Place) -> usize {
        self.file(place.file).line(place.span.start)
    }

    /// Returns the same where the line of another place in the same text is `known`: of places that follow each other none takes a search.
    #[must_use]
    pub fn line_behind(&self, known: (Place, usize), place: Place) -> usize {
        let text = &self.file(place.file).text;
        let near = (known.0.file == place.file)
            .then(|| line_behind(text, (known.0.span.start, known.1), place.span.start))
            .flatten();
        near.unwrap_or_else(|| self.line(place))
    }

    /// Returns line and column of the start of a place.
    #[must_use]
    pub fn position(&self, place: Place) -> Position {
        self.file(place.file).position(place.span.start)
    }
}

/// Reads a file as text.
///
/// # Errors
/// What the system says, or why the bytes are not text.
pub fn read_text(files: &dyn Files, path: &Path) -> Result<String, ReadError> {
    Ok(decode(files.read(path)?)?.text)
}

/// The bytes of a file, where they are not those of its text.
type OwnBytes = Option<Arc<[u8]>>;

/// Reads a file as text, and keeps the bytes where they are not those of the text.
fn read_decoded(files: &dyn Files, path: &Path) -> Result<(Decoded, OwnBytes), ReadError> {
    let bytes = files.read(path)?;
    let plain = !matches!(bytes.as_slice(), [0xFF, 0xFE, ..] | [0xFE, 0xFF, ..]) && !bytes.starts_with(b"bplist");
    if plain {
        return Ok((decode(bytes)?, None));
    }
    let kept: Arc<[u8]> = bytes.as_slice().into();
    Ok((decode(bytes)?, Some(kept)))
}
