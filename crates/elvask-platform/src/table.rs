//! Reading the tables: tab-separated cells, one row a line, `#` before comments.

use std::cmp::Ordering;
use std::collections::HashMap;

/// The most cells of a row.
const CELLS: usize = 16;

/// Goes through the rows of a table.
pub(crate) fn rows(text: &'static str) -> impl Iterator<Item = Row> {
    Rows { text, start: 0, signs: memchr::memchr2_iter(b'\t', b'\n', text.as_bytes()) }
}

/// Goes through the first cells of the rows of a table, and looks at nothing else of them.
pub(crate) fn keys(text: &'static str) -> impl Iterator<Item = &'static str> {
    let mut start = 0;
    let lines = memchr::memchr_iter(b'\n', text.as_bytes()).chain([text.len()]).map(move |end| {
        let line = text.get(start..end).unwrap_or_default();
        start = end + 1;
        line
    });
    lines.filter(|line| !line.is_empty() && !line.starts_with('#')).map(key_of)
}

/// Finds the row of a key in a table whose rows are in the order of their keys, without going through the others. Comments stand
/// before all rows.
pub(crate) fn find(text: &'static str, key: &str) -> Option<Row> {
    let bytes = text.as_bytes();
    let (mut low, mut high) = (0, bytes.len());
    while low < high {
        // The line that the middle is in.
        let middle = low + (high - low) / 2;
        let start = memchr::memrchr(b'\n', bytes.get(low..middle)?).map_or(low, |at| low + at + 1);
        let rest = bytes.get(start..high)?;
        let key_ends = memchr::memchr2(b'\t', b'\n', rest).unwrap_or(rest.len());
        let found = rest.get(..key_ends)?;
        let order = if found.first() == Some(&b'#') { Ordering::Less } else { found.cmp(key.as_bytes()) };
        match order {
            Ordering::Less => low = start + memchr::memchr(b'\n', rest).map_or(rest.len(), |end| end + 1),
            Ordering::Greater => high = start,
            Ordering::Equal => return rows(text.get(start..)?).next(),
        }
    }
    None
}

fn key_of(line: &str) -> &str {
    let end = memchr::memchr(b'\t', line.as_bytes()).unwrap_or(line.len());
    line.get(..end).unwrap_or(line)
}

struct Rows {
    text: &'static str,
    /// Where the next line starts, in bytes.
    start: usize,
    /// Where what parts cells and lines stands.
    signs: memchr::Memchr2<'static>,
}

impl Iterator for Rows {
    type Item = Row;

    fn next(&mut self) -> Option<Row> {
        while self.start < self.text.len() {
            let (mut ends, mut parted) = ([0; CELLS], 0);
            let end = loop {
                match self.signs.next() {
                    Some(at) if self.text.as_bytes().get(at) == Some(&b'\t') => {
                        if let Some(end) = ends.get_mut(parted) {
                            *end = u16::try_from(at - self.start).unwrap_or(u16::MAX);
                            parted += 1;
                        }
                    }
                    end => break end.unwrap_or(self.text.len()),
                }
            };
            let line = self.text.get(self.start..end).unwrap_or_default();
            self.start = end + 1;
            let line = line.strip_suffix('\r').unwrap_or(line);
            if !line.is_empty() && !line.starts_with('#') {
                return Some(Row { line, ends, parted });
            }
        }
        None
    }
}

/// One row of a table, parted once however often its cells are asked for.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Row {
    line: &'static str,
    /// Where the cells end, in bytes; the last one ends with the line.
    ends: [u16; CELLS],
    /// How many cells end before the line does.
    parted: usize,
}

impl Row {
    /// Returns a cell, counted from 0; empty where the row is shorter.
    pub(crate) fn cell(self, at: usize) -> &'static str {
        let end = |at: usize| self.ends.get(at).filter(|_| at < self.parted).map(|end| usize::from(*end));
        let start = match at.checked_sub(1).map(end) {
            None => 0,
            Some(Some(before)) => before + 1,
            Some(None) => return "",
        };
        self.line.get(start..end(at).unwrap_or(self.line.len())).unwrap_or_default()
    }

    /// Returns a cell as a number.
    pub(crate) fn number(self, at: usize) -> Option<u32> {
        self.cell(at).parse().ok()
    }

    /// Returns the words of a cell.
    pub(crate) fn words(self, at: usize) -> Vec<&'static str> {
        self.cell(at).split_whitespace().collect()
    }
}

/// A table's rows by their key, of several with one key the first.
pub(crate) fn index<T>(rows: &'static [T], key: impl Fn(&T) -> &'static str) -> HashMap<&'static str, &'static T> {
    let mut by_key = HashMap::with_capacity(rows.len());
    for row in rows {
        by_key.entry(key(row)).or_insert(row);
    }
    by_key
}
