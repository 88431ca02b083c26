//! Columns. All cells stand in one text, so that ten thousand rows cost no more room than what they hold.

use std::ops::Range;

use unicode_width::UnicodeWidthStr as _;

use super::{is_plain, known_width, plain};

/// Rows of cells, laid out once all are there. Cells may hold styles.
#[derive(Debug, Default)]
pub(crate) struct Table {
    text: String,
    /// Where each cell ends in the text, in bytes.
    ends: Vec<usize>,
    /// How many cells there are up to the end of each row.
    rows: Vec<usize>,
}

impl Table {
    /// Adds a cell to the last row.
    pub(crate) fn cell(&mut self, text: &str) {
        self.write_cell(|out| out.push_str(text));
    }

    /// Adds what is written as a cell to the last row.
    pub(crate) fn write_cell(&mut self, write: impl FnOnce(&mut String)) {
        write(&mut self.text);
        self.ends.push(self.text.len());
    }

    /// Ends the last row.
    pub(crate) fn end_row(&mut self) {
        self.rows.push(self.ends.len());
    }

    /// Adds the rows to a text so that they fit the terminal: where they would not, the cells of column `flexible`, counted from 0, are
    /// cut. What goes into a pipe is not cut.
    pub(crate) fn fitted(&self, indent: usize, flexible: usize, out: &mut String) {
        let Some(width) = known_width() else { return self.columns(indent, out) };
        let mut widths = self.cell_widths();
        let widest = self.widest(&widths, |row| row);
        let over = (widest.iter().map(|width| width + 2).sum::<usize>() + indent).saturating_sub(width);
        let most = widest.get(flexible).copied().unwrap_or_default().saturating_sub(over).max(12);
        let mut shorter = Vec::new();
        for at in self.rows().map(|row| row.start + flexible..row.end).filter_map(|mut behind| behind.next()) {
            if let Some(width) = widths.get_mut(at).filter(|width| **width > most) {
                let cut = cut(self.text_of(at), most - 1);
                *width = cell_width(&cut);
                shorter.push((at, cut));
            }
        }
        self.lines(indent, &widths, shorter, out);
    }

    /// Adds the rows to a text, their cells two spaces apart, the last cell of each as it is.
    pub(crate) fn columns(&self, indent: usize, out: &mut String) {
        self.lines(indent, &self.cell_widths(), Vec::new(), out);
    }

    /// Returns the cells of each row, by their numbers.
    fn rows(&self) -> impl Iterator<Item = Range<usize>> {
        let mut start = 0;
        self.rows.iter().map(move |end| std::mem::replace(&mut start, *end)..*end)
    }

    fn text_of(&self, cell: usize) -> &str {
        let end = |cell: usize| self.ends.get(cell).copied().unwrap_or_default();
        self.text.get(cell.checked_sub(1).map_or(0, end)..end(cell)).unwrap_or_default()
    }

    fn cell_widths(&self) -> Vec<usize> {
        (0..self.ends.len()).map(|cell| cell_width(self.text_of(cell))).collect()
    }

    /// Returns the width of the widest cell of each column, among those of each row that count.
    fn widest(&self, widths: &[usize], counted: impl Fn(Range<usize>) -> Range<usize>) -> Vec<usize> {
        let mut widest: Vec<usize> = Vec::new();
        for row in self.rows() {
            for (column, width) in widths.get(counted(row)).into_iter().flatten().enumerate() {
                match widest.get_mut(column) {
                    Some(known) => *known = (*known).max(*width),
                    None => widest.push(*width),
                }
            }
        }
        widest
    }

    /// Writes the lines, with other texts in the place of some cells, which are in the order of the cells.
    fn lines(&self, indent: usize, widths: &[usize], others: Vec<(usize, String)>, out: &mut String) {
        // The last cell of a row needs no room behind it.
        let columns = self.widest(widths, |row| row.start..row.end.saturating_sub(1).max(row.start));
        let blank = self.rows.len() * (indent + columns.iter().sum::<usize>());
        out.reserve(self.text.len() + blank / 2);
        let mut others = others.iter().peekable();
        for row in self.rows() {
            let start = out.len();
            spaces(out, indent);
            for (cell, room) in row.clone().zip(columns.iter().map(Some).chain(std::iter::repeat(None))) {
                match others.next_if(|(other, _)| *other == cell) {
                    Some((_, other)) => out.push_str(other),
                    None => out.push_str(self.text_of(cell)),
                }
                if let Some(room) = room.filter(|_| cell + 1 < row.end) {
                    let own = widths.get(cell).copied().unwrap_or_default();
                    spaces(out, room.saturating_sub(own) + 2);
                }
            }
            let end = out.trim_end().len().max(start);
            out.truncate(end);
            out.push('\n');
        }
    }
}

impl<'c> FromIterator<&'c [String]> for Table {
    fn from_iter<I: IntoIterator<Item = &'c [String]>>(rows: I) -> Self {
        let mut table = Table::default();
        for row in rows {
            row.iter().for_each(|cell| table.cell(cell));
            table.end_row();
        }
        table
    }
}

/// Cuts a cell after so many letters; what turns styles on and off stays.
pub(super) fn cut(cell: &str, most: usize) -> String {
    let (mut out, mut letters, mut in_style) = (String::new(), 0, false);
    for character in cell.chars() {
        in_style = in_style || character == '\u{1b}';
        if in_style {
            out.push(character);
            in_style = character != 'm';
        } else if letters <= most {
            out.push(if letters == most { '…' } else { character });
            letters += 1;
        }
    }
    out
}

/// Returns how many columns of a terminal a cell takes.
pub(super) fn cell_width(cell: &str) -> usize {
    if is_plain(cell) {
        return cell.len();
    }
    if !cell.is_ascii() {
        return plain(cell).width();
    }
    // Of plain letters each takes one column, and a style goes from its escape to the `m`.
    let (mut letters, mut in_style) = (0, false);
    for byte in cell.bytes() {
        match (in_style, byte) {
            (true, b'm') => in_style = false,
            (false, 0x1B) => in_style = true,
            (false, _) => letters += 1,
            (true, _) => {}
        }
    }
    letters
}

fn spaces(out: &mut String, mut number: usize) {
    const SOME: &str = "                                                                ";
    while number > 0 {
        let some = SOME.get(..number).unwrap_or(SOME);
        out.push_str(some);
        number -= some.len();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_line_up() {
        let rows = [vec!["a".to_owned(), "bb".to_owned()], vec!["\u{1b}[1mccc\u{1b}[0m".to_owned(), "d".to_owned()]];
        let table: Table = rows.iter().map(Vec::as_slice).collect();
        let mut out = "above\n".to_owned();
        table.columns(1, &mut out);
        assert_eq!(anstream::adapter::strip_str(&out).to_string(), "above\n a    bb\n ccc  d\n");
    }

    #[test]
    fn rows_of_several_lengths_and_wide_letters_line_up() {
        let mut table = Table::default();
        for row in [&["漢字", "x", ""][..], &["alone, and longer than the others"], &[], &["a", "b", "c"]] {
            row.iter().for_each(|cell| table.cell(cell));
            table.end_row();
        }
        let mut out = String::new();
        table.columns(2, &mut out);
        assert_eq!(out, "  漢字  x\n  alone, and longer than the others\n\n  a     b  c\n");
    }

    #[test]
    fn cells_are_cut_and_keep_their_styles() {
        assert_eq!(anstream::adapter::strip_str(&cut("\u{1b}[1mabcdef\u{1b}[0m", 3)).to_string(), "abc…");
        let mut table = Table::default();
        for about in ["short", "this is cut where the line would be too long"] {
            ["name", about, "place"].into_iter().for_each(|cell| table.cell(cell));
            table.end_row();
        }
        let (mut widths, cut) = (table.cell_widths(), cut(table.text_of(4), 11));
        widths[4] = cell_width(&cut);
        let mut lines = String::new();
        table.lines(0, &widths, vec![(4, cut)], &mut lines);
        assert_eq!(lines, "name  short         place\nname  this is cut…  place\n");
    }
}
