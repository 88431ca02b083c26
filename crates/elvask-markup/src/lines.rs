//! From byte offsets to lines and columns.

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
}

impl LineIndex {
    /// Finds the line starts of `text`.
    #[must_use]
    pub fn new(text: &str) -> Self {
        let bytes = text.as_bytes();
        let mut starts = vec![0];
        for (at, byte) in bytes.iter().enumerate() {
            let lone_return = *byte == b'\r' && bytes.get(at + 1) != Some(&b'\n');
            if *byte == b'\n' || lone_return {
                starts.push(at + 1);
            }
        }
        LineIndex { starts }
    }

    /// Returns line and column of a byte offset; an offset past the end counts as the end.
    #[must_use]
    pub fn position(&self, text: &str, offset: usize) -> Position {
        let offset = offset.min(text.len());
        let line = self.starts.partition_point(|start| *start <= offset);
        let start = self.line_start(line);
        let before = text.as_bytes().get(start..offset).unwrap_or_default();
        // Continuation bytes are 10xxxxxx: counting the others counts characters without needing a boundary.
        let mut column = before.iter().filter(|byte| (**byte & 0xC0) != 0x80).count();
        if line == 1 && offset > 0 && text.starts_with('\u{FEFF}') {
            column = column.saturating_sub(1);
        }
        Position { line, column: column + 1 }
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
    fn every_line_end_counts_once() {
        assert_eq!(at("a\r\nb", 3), (2, 1));
        assert_eq!(at("a\rb", 2), (2, 1));
        assert_eq!(at("a\nb\n", 4), (3, 1));
        assert_eq!(at("a", 99), (1, 2));
    }
}
