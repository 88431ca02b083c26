//! From byte offsets to lines and columns.

use std::cell::{Cell, OnceCell};

use serde::Serialize;

/// A place in a text as a person counts: both numbers from 1, columns in characters, a byte order mark not counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
pub struct Position {
    /// Line, from 1. A line ends at LF, CRLF or a lone CR.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
}

/// The offsets at which the lines of one text start.
#[derive(Debug, Clone)]
pub struct LineIndex {
    starts: Vec<usize>,
    /// How many characters stand before each block of bytes; empty where each byte is a character.
    characters: Vec<usize>,
}

/// The size of a block, in bytes: a column on a long line takes a walk through one block, not through the line.
const BLOCK: usize = 1024;

/// Counts the characters that start in some bytes: continuation bytes are 10xxxxxx, so that no boundary is needed.
fn characters_in(bytes: &[u8]) -> usize {
    bytes.iter().filter(|byte| (**byte & 0xC0) != 0x80).count()
}

/// Returns the line of a byte offset as [`LineIndex::line`] does, without an index: for the few who ask about a long text.
#[must_use]
pub fn line_of(text: &str, offset: usize) -> usize {
    let before = text.as_bytes().get(..offset).unwrap_or(text.as_bytes());
    match memchr::memchr(b'\r', before) {
        None => memchr::memchr_iter(b'\n', before).count() + 1,
        Some(_) => LineIndex::new(text).line(text, offset),
    }
}

/// How far apart two places are of which the second one's line is told from the first one's, in bytes.
const NEAR: usize = 4096;

/// Returns the line of a byte offset as [`LineIndex::line`] does, from a `known` offset and its line; `None` where that one is behind it or
/// far before it, or where a line may end in another way than most do.
#[must_use]
pub fn line_behind(text: &str, known: (usize, usize), offset: usize) -> Option<usize> {
    let between = text.as_bytes().get(known.0..offset).filter(|between| between.len() <= NEAR)?;
    let is_usual = memchr::memchr(b'\r', between).is_none();
    is_usual.then(|| known.1 + memchr::memchr_iter(b'\n', between).count())
}

/// Tells the places of a text of which mostly few are asked for: an index is made when it is worth its while.
#[derive(Debug)]
pub struct Positions<'t> {
    text: &'t str,
    /// How many places may still be told without an index.
    left: Cell<usize>,
    index: OnceCell<LineIndex>,
}

/// Of a text so many places are told by counting: an index takes as long as counting the lines before ten places or more.
const FEW: usize = 10;

impl<'t> Positions<'t> {
    /// Takes a text.
    #[must_use]
    pub fn new(text: &'t str) -> Self {
        let is_usual = memchr::memchr(b'\r', text.as_bytes()).is_none();
        Positions { text, left: Cell::new(if is_usual { FEW } else { 0 }), index: OnceCell::new() }
    }

    /// Returns line and column of a byte offset, as [`LineIndex::position`] does.
    #[must_use]
    pub fn of(&self, offset: usize) -> Position {
        let before = self.text.as_bytes().get(..offset).unwrap_or(self.text.as_bytes());
        let Some(left) = self.left.get().checked_sub(1) else {
            return self.index.get_or_init(|| LineIndex::new(self.text)).position(self.text, offset);
        };
        self.left.set(left);
        let line = memchr::memchr_iter(b'\n', before).count() + 1;
        let start = memchr::memrchr(b'\n', before).map_or(0, |end| end + 1);
        let marks = usize::from(line == 1 && !before.is_empty() && self.text.starts_with('\u{FEFF}'));
        let characters = characters_in(before.get(start..).unwrap_or_default());
        Position { line, column: characters.saturating_sub(marks) + 1 }
    }
}

impl LineIndex {
    /// Finds the line starts of `text`.
    #[must_use]
    pub fn new(text: &str) -> Self {
        let bytes = text.as_bytes();
        let mut starts = Vec::with_capacity(memchr::memchr_iter(b'\n', bytes).count() + 1);
        starts.push(0);
        if memchr::memchr(b'\r', bytes).is_none() {
            starts.extend(memchr::memchr_iter(b'\n', bytes).map(|at| at + 1));
        } else {
            // A return before a line feed ends no line of its own.
            let ends = |at: &usize| bytes.get(*at) == Some(&b'\n') || bytes.get(*at + 1) != Some(&b'\n');
            starts.extend(memchr::memchr2_iter(b'\n', b'\r', bytes).filter(ends).map(|at| at + 1));
        }
        let mut characters = Vec::new();
        if !text.is_ascii() {
            let mut before = 0;
            for block in bytes.chunks(BLOCK) {
                characters.push(before);
                before += characters_in(block);
            }
            characters.push(before);
        }
        LineIndex { starts, characters }
    }

    /// Returns the line of a byte offset, counted from 1; an offset past the end counts as the end.
    #[must_use]
    pub fn line(&self, text: &str, offset: usize) -> usize {
        let offset = offset.min(text.len());
        self.starts.partition_point(|start| *start <= offset)
    }

    /// Returns line and column of a byte offset; an offset past the end counts as the end.
    #[must_use]
    pub fn position(&self, text: &str, offset: usize) -> Position {
        let offset = offset.min(text.len());
        let line = self.line(text, offset);
        let start = self.line_start(line);
        let mut column = self.characters_before(text, offset).saturating_sub(self.characters_before(text, start));
        if line == 1 && offset > 0 && text.starts_with('\u{FEFF}') {
            column = column.saturating_sub(1);
        }
        Position { line, column: column + 1 }
    }

    fn characters_before(&self, text: &str, offset: usize) -> usize {
        match self.characters.get(offset / BLOCK) {
            Some(before) => {
                let block = offset - offset % BLOCK;
                before + characters_in(text.as_bytes().get(block..offset).unwrap_or_default())
            }
            None => offset,
        }
    }

    /// Returns the byte offset at which a line (from 1) starts.
    #[must_use]
    pub fn line_start(&self, line: usize) -> usize {
        self.starts.get(line.saturating_sub(1)).copied().unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str, offset: usize) -> (usize, usize) {
        let position = LineIndex::new(text).position(text, offset);
        (position.line, position.column)
    }

    #[test]
    fn columns_count_characters_and_not_the_mark() {
        assert_eq!(at("\u{FEFF}<a>", 0), (1, 1));
        assert_eq!(at("\u{FEFF}<a>", 3), (1, 1));
        assert_eq!(at("\u{FEFF}<a>", 4), (1, 2));
        assert_eq!(at("é<a>", 2), (1, 2));
    }

    #[test]
    fn a_line_is_the_same_with_an_index_and_without() {
        for text in ["", "a", "a\nb\n", "\n\n", "a\r\nb\rc\n", "\u{FEFF}é\né"] {
            let index = LineIndex::new(text);
            for offset in 0..text.len() + 3 {
                assert_eq!(line_of(text, offset), index.line(text, offset), "{text:?} {offset}");
            }
        }
    }

    #[test]
    fn a_line_is_the_same_told_from_one_before_it() {
        for text in ["", "a\nb\n", "\n\n", "a\r\nb\rc\n\nd", "\u{FEFF}é\né"] {
            for (from, to) in (0..=text.len()).flat_map(|from| (0..=text.len()).map(move |to| (from, to))) {
                let told = line_behind(text, (from, line_of(text, from)), to);
                let returns = text.as_bytes().get(from..to).is_none_or(|between| between.contains(&b'\r'));
                assert_eq!(told, (!returns).then(|| line_of(text, to)), "{text:?} {from} {to}");
            }
        }
        let far = "\n".repeat(NEAR + 1);
        assert_eq!(line_behind(&far, (0, 1), far.len()), None);
        assert_eq!(line_behind(&far, (1, 2), far.len()), Some(NEAR + 2));
    }

    #[test]
    fn the_first_places_and_those_behind_them_are_told_alike() {
        for text in ["", "a", "a\nb\n", "\n\n", "a\r\nb\rc\n", "\u{FEFF}\u{e9}\n\u{e9}x", "\u{FEFF}"] {
            let index = LineIndex::new(text);
            let positions = Positions::new(text);
            for offset in (0..text.len() + 3).chain((0..text.len() + 3).rev()) {
                assert_eq!(positions.of(offset), index.position(text, offset), "{text:?} {offset}");
                assert_eq!(Positions::new(text).of(offset), index.position(text, offset), "{text:?} {offset}");
            }
        }
    }

    #[test]
    fn every_line_end_counts_once() {
        assert_eq!(at("a\r\nb", 3), (2, 1));
        assert_eq!(at("a\rb", 2), (2, 1));
        assert_eq!(at("a\nb\n", 4), (3, 1));
        assert_eq!(at("a", 99), (1, 2));
    }
}
