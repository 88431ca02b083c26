//! Reading the tables: tab-separated cells, one row a line, `#` before comments.

use std::cmp::Ordering;

use crate::hash::QuickMap;

/// The most cells of a row.
const CELLS: usize = 16;

/// Goes through the rows of a table.
pub(crate) fn rows(text: &'static str) -> impl Iterator<Item = Row> {
    Rows { text, start: 0, signs: memchr::memchr2_iter(b'\t', b'\n', text.as_bytes()) }
}

/// Goes through the first cells of the rows of a table, and looks at nothing else of them.
pub(crate) fn keys(text: &'static str) -> impl Iterator<Item = &'static str> {
    lines(text).map(key_of)
}

fn lines(text: &'static str) -> impl Iterator<Item = &'static str> {
    let mut start = 0;
    let lines = memchr::memchr_iter(b'\n', text.as_bytes()).chain([text.len()]).map(move |end| {
        let line = text.get(start..end).unwrap_or_default();
        start = end + 1;
        line
    });
    lines.filter(|line| !line.is_empty() && !line.starts_with('#'))
}

/// Goes through the rows whose keys fit, and parts no others.
pub(crate) fn with_keys(text: &'static str, fits: impl Fn(&str) -> bool) -> impl Iterator<Item = Row> {
    lines(text).filter(move |line| fits(key_of(line))).filter_map(|line| rows(line).next())
}

/// Finds the row of a key in a table whose rows are in the order of their keys. A comment sorts before every key where it stands first.
pub(crate) fn find_sorted(text: &'static str, key: &str) -> Option<Row> {
    let bytes = text.as_bytes();
    let (mut from, mut to) = (0, text.len());
    while from < to {
        let before = bytes.get(from..from.midpoint(to))?;
        let start = from + memchr::memrchr(b'\n', before).map_or(0, |at| at + 1);
        let line = bytes.get(start..)?;
        let (head, behind) = line.split_at(key.len().min(line.len()));
        // What ends a cell sorts before all that can be in one.
        let ends = matches!(behind.first(), None | Some(b'\t' | b'\n' | b'\r'));
        match head.cmp(key.as_bytes()) {
            Ordering::Less => from = memchr::memchr(b'\n', line).map_or(to, |end| start + end + 1),
            Ordering::Equal if ends => return rows(text.get(start..)?).next().filter(|row| row.cell(0) == key),
            Ordering::Equal | Ordering::Greater => to = start,
        }
    }
    None
}

/// Goes through the rows of a key, in a table in any order, and parts no others.
pub(crate) fn with_key(text: &'static str, key: &str) -> impl Iterator<Item = Row> {
    let bytes = text.as_bytes();
    let is_key = !key.is_empty() && !key.starts_with('#');
    let places = memchr::memmem::find_iter(bytes, key).take_while(move |_| is_key);
    places.filter_map(move |at| {
        let starts = at.checked_sub(1).is_none_or(|before| bytes.get(before) == Some(&b'\n'));
        let ends = matches!(bytes.get(at + key.len()), None | Some(b'\t' | b'\n' | b'\r'));
        rows(text.get(at..).filter(|_| starts && ends)?).next()
    })
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
pub(crate) fn index<T>(rows: &'static [T], key: impl Fn(&T) -> &'static str) -> QuickMap<&'static str, &'static T> {
    let mut by_key = QuickMap::with_capacity_and_hasher(rows.len(), Default::default());
    for row in rows {
        by_key.entry(key(row)).or_insert(row);
    }
    by_key
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_found_by_their_keys_as_going_through_all_finds_them() {
        const TABLE: &str = "# camera\tin a comment\n\ncamera\tone\ncameras\ttwo\nold camera\tthree\r\nmicrophone\tcamera\ncamera\r\n# camera\ncamera\tlast";
        let cells =
            |rows: &mut dyn Iterator<Item = Row>| rows.map(|row| (row.cell(0), row.cell(1))).collect::<Vec<_>>();
        for key in ["camera", "cameras", "old camera", "microphone", "cam", "amera", "one", "#", "# camera", "", "é"] {
            let all = cells(&mut rows(TABLE).filter(|row| row.cell(0) == key));
            assert_eq!(cells(&mut with_key(TABLE, key)), all, "{key}");
        }
        assert_eq!(cells(&mut with_key(TABLE, "camera")), [("camera", "one"), ("camera", ""), ("camera", "last")]);
        let starts = |key: &str| key.starts_with("camera");
        assert_eq!(cells(&mut with_keys(TABLE, starts)).len(), 4);
        assert_eq!(keys(TABLE).filter(|key| starts(key)).count(), 4);
    }
    #[test]
    fn a_row_is_found_in_a_table_that_is_in_order() {
        const TABLE: &str = "# Source: a page\n# Covers: 1\ncamera\tone\ncameras\ttwo\nmicrophone\nold camera\tthree\twords\ntern\tlast";
        for row in rows(TABLE) {
            let found = find_sorted(TABLE, row.cell(0)).unwrap();
            assert_eq!((found.cell(0), found.cell(1), found.cell(2)), (row.cell(0), row.cell(1), row.cell(2)));
        }
        assert_eq!(rows(TABLE).count(), 5);
        for key in [
            "",
            "#",
            "# Source: a page",
            "a",
            "camer",
            "camera\tone",
            "camerat",
            "old",
            "one",
            "terns",
            "zebra",
            "\u{e9}",
        ] {
            assert!(find_sorted(TABLE, key).is_none(), "{key}");
        }
        assert!(find_sorted("", "camera").is_none());
        assert_eq!(find_sorted("camera\tone\n", "camera").unwrap().cell(1), "one");
    }
}
