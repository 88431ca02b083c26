//! Texts as an editor has them, and its way of naming places in them.

use elvask_markup::Span;
use serde_json::{Value, json};

/// In what an editor counts columns.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Units {
    /// Bytes.
    Utf8,
    /// Halves of letters, of which most take one and some two: what editors count in unless they say something else.
    Utf16,
}

/// Where the lines of a text start, as an editor counts them: each of `\n`, `\r\n` and `\r` ends one.
#[derive(Debug, Clone, Default)]
pub(super) struct Lines {
    starts: Vec<usize>,
}

impl Lines {
    pub(super) fn of(text: &str) -> Self {
        let bytes = text.as_bytes();
        let mut starts = vec![0];
        for at in memchr::memchr2_iter(b'\n', b'\r', bytes) {
            let is_first_half = bytes.get(at) == Some(&b'\r') && bytes.get(at + 1) == Some(&b'\n');
            if !is_first_half {
                starts.push(at + 1);
            }
        }
        Lines { starts }
    }

    /// Returns a line without its end, and the byte that it starts at; the last one for a number beyond.
    fn line<'t>(&self, text: &'t str, number: usize) -> (&'t str, usize) {
        let start = self.starts.get(number).copied().unwrap_or(text.len());
        let end = self.starts.get(number + 1).copied().unwrap_or(text.len());
        let line = text.get(start..end).unwrap_or_default();
        (line.trim_end_matches(['\n', '\r']), start)
    }

    /// Returns the byte of a position; one beyond the end of its line is that end, one inside of a letter the start of it.
    pub(super) fn offset(&self, text: &str, position: &Value, units: Units) -> usize {
        let number = |key: &str| position[key].as_u64().and_then(|number| usize::try_from(number).ok());
        let (Some(line), Some(column)) = (number("line"), number("character")) else { return 0 };
        let (line, start) = self.line(text, line);
        if units == Units::Utf8 {
            let column = column.min(line.len());
            return start + (0..=column).rev().find(|at| line.is_char_boundary(*at)).unwrap_or(0);
        }
        let mut counted = 0;
        for (at, letter) in line.char_indices() {
            if counted + letter.len_utf16() > column {
                return start + at;
            }
            counted += letter.len_utf16();
        }
        start + line.len()
    }

    /// Returns the position of a byte.
    pub(super) fn position(&self, text: &str, offset: usize, units: Units) -> Value {
        let offset = (0..=offset.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
        let line = self.starts.partition_point(|start| *start <= offset).saturating_sub(1);
        let start = self.starts.get(line).copied().unwrap_or(0);
        let before = text.get(start..offset).unwrap_or_default();
        let column = match units {
            Units::Utf8 => before.len(),
            Units::Utf16 => before.chars().map(char::len_utf16).sum(),
        };
        json!({ "line": line, "character": column })
    }

    /// Returns the range of a span.
    pub(super) fn range(&self, text: &str, span: Span, units: Units) -> Value {
        json!({ "start": self.position(text, span.start, units), "end": self.position(text, span.end.max(span.start), units) })
    }
}

/// A text that is open in an editor.
#[derive(Debug, Clone, Default)]
pub(super) struct Open {
    pub(super) text: String,
    pub(super) version: i64,
    /// How the editor calls it.
    pub(super) uri: String,
    pub(super) lines: Lines,
}

impl Open {
    pub(super) fn new(text: String, version: i64, uri: &str) -> Self {
        let lines = Lines::of(&text);
        Open { text, version, uri: uri.to_owned(), lines }
    }

    /// Takes the changes of an editor over. Those of an older version than the one that is known are not: they are of a text that is gone.
    pub(super) fn change(&mut self, changes: &Value, version: i64, units: Units) {
        if version <= self.version {
            return;
        }
        self.version = version;
        for change in changes.as_array().map(Vec::as_slice).unwrap_or_default() {
            let Some(new) = change["text"].as_str() else { continue };
            let range = &change["range"];
            if range.is_object() {
                let one = self.lines.offset(&self.text, &range["start"], units);
                let other = self.lines.offset(&self.text, &range["end"], units);
                self.text.replace_range(one.min(other)..one.max(other), new);
            } else {
                new.clone_into(&mut self.text);
            }
            self.lines = Lines::of(&self.text);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(line: u64, character: u64) -> Value {
        json!({ "line": line, "character": character })
    }

    #[test]
    fn columns_are_counted_as_the_editor_counts_them() {
        let text = "é𝄞a\r\nb\rc\n";
        let lines = Lines::of(text);
        assert_eq!(lines.offset(text, &at(0, 3), Units::Utf16), 6, "é takes one, 𝄞 two");
        assert_eq!(lines.offset(text, &at(0, 2), Units::Utf16), 2, "inside of a letter it is the letter's start");
        assert_eq!(lines.offset(text, &at(0, 3), Units::Utf8), 2);
        assert_eq!(lines.offset(text, &at(0, 99), Units::Utf16), 7, "the end of the line, not of the text");
        assert_eq!(lines.offset(text, &at(2, 0), Units::Utf16), 11);
        assert_eq!(lines.offset(text, &at(99, 0), Units::Utf16), text.len());
        for offset in [0, 2, 6, 7, 9, 11, 12, 13] {
            let position = lines.position(text, offset, Units::Utf16);
            assert_eq!(lines.offset(text, &position, Units::Utf16), offset);
        }
    }

    #[test]
    fn changes_out_of_order_and_beyond_the_text_do_no_harm() {
        let mut open = Open::new("ab\ncd\n".to_owned(), 3, "file:///a");
        let change =
            |from: Value, to: Value, text: &str| json!([{ "range": { "start": from, "end": to }, "text": text }]);
        open.change(&change(at(0, 0), at(0, 1), "late"), 2, Units::Utf16);
        assert_eq!(open.text, "ab\ncd\n", "of an older version");
        open.change(&change(at(1, 9), at(0, 1), "X"), 4, Units::Utf16);
        assert_eq!(open.text, "aX\n", "turned round, and beyond the line");
        open.change(&change(at(70, 0), at(90, 3), "end"), 5, Units::Utf16);
        assert_eq!(open.text, "aX\nend");
        open.change(&json!([{ "text": "whole" }, { "range": 7 }]), 6, Units::Utf16);
        assert_eq!((open.text.as_str(), open.version), ("whole", 6));
    }
}
