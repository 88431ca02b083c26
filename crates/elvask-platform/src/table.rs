//! Reading the tables: tab-separated cells, one row a line, `#` before comments.

use std::collections::HashMap;

/// Goes through the rows of a table.
pub(crate) fn rows(text: &'static str) -> impl Iterator<Item = Row> {
    text.lines().filter(|line| !line.is_empty() && !line.starts_with('#')).map(|line| Row { line })
}

/// One row of a table.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Row {
    line: &'static str,
}

impl Row {
    /// Returns a cell, counted from 0; empty where the row is shorter.
    pub(crate) fn cell(self, at: usize) -> &'static str {
        self.line.split('\t').nth(at).unwrap_or_default()
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
