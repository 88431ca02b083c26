//! Turning plain data into words and pictures for people.

pub(crate) mod compact;
pub(crate) mod diff;
pub(crate) mod snippet;
pub(crate) mod style;
mod table;

use std::borrow::Cow;
use std::fmt::Write as _;

use elvask_markup::text::is_hidden;
use unicode_width::UnicodeWidthStr as _;

pub(crate) use style::style;
pub(crate) use table::Table;
use table::{cell_width, cut};

/// Returns a text without anything that a terminal would act on or that would turn the order of its letters round.
pub(crate) fn clean(text: &str) -> Cow<'_, str> {
    if is_plain(text) {
        return Cow::Borrowed(text);
    }
    if text.contains(is_hidden) { Cow::Owned(text.replace(is_hidden, "\u{FFFD}")) } else { Cow::Borrowed(text) }
}

/// Says whether all of a text is letters, digits and signs of ASCII, and blanks, as nearly all is. Eight bytes are looked at at once: most
/// texts are too short for anything wider.
pub(crate) fn is_plain(text: &str) -> bool {
    const HIGHEST: u64 = u64::from_le_bytes([0x80; 8]);
    let (eights, rest) = text.as_bytes().as_chunks::<8>();
    let mut last = [b' '; 8];
    last.iter_mut().zip(rest).for_each(|(to, from)| *to = *from);
    let of_eight = |eight: &[u8; 8]| {
        let word = u64::from_le_bytes(*eight);
        // Below the blank the subtraction sets the highest bit, above the tilde the addition; what they carry over is from such a byte.
        word | word.wrapping_sub(u64::from_le_bytes([b' '; 8])) | word.wrapping_add(u64::from_le_bytes([1; 8]))
    };
    eights.iter().fold(of_eight(&last), |all, eight| all | of_eight(eight)) & HIGHEST == 0
}

/// Returns the same with each letter as long as before, in bytes, so that places in the text stay what they are. Ends of lines stay too.
pub(crate) fn clean_in_place(text: &str) -> Cow<'_, str> {
    let hidden = |letter: char| is_hidden(letter) && letter != '\r';
    if !text.contains(hidden) {
        return Cow::Borrowed(text);
    }
    let instead = |letter: char| match (hidden(letter), letter.len_utf8()) {
        (false, _) => letter,
        (true, 1) => '?',
        (true, 2) => '\u{B7}',
        (true, _) => '\u{FFFD}',
    };
    Cow::Owned(text.chars().map(instead).collect())
}

/// Returns JSON with everything that a terminal would act on written as an escape; it can stand in texts alone.
pub(crate) fn escaped_json(text: String) -> String {
    let hidden = |letter: char| is_hidden(letter) && letter != '\r';
    if !text.contains(hidden) {
        return text;
    }
    let mut out = String::with_capacity(text.len() + 64);
    for letter in text.chars() {
        if hidden(letter) { out.push_str(&format!("\\u{:04x}", u32::from(letter))) } else { out.push(letter) }
    }
    out
}

/// Returns a text without the styles that were put into it, and without anything else that a terminal would act on.
pub(crate) fn plain(text: &str) -> Cow<'_, str> {
    let is_odd = |byte: u8| byte < b' ' && !matches!(byte, b'\t' | b'\n' | b'\x0C' | b'\r' | 0x1B) || byte == 0x7F;
    let odd = text.bytes().fold(false, |odd, byte| odd | is_odd(byte));
    if !odd && memchr::memchr(0x1B, text.as_bytes()).is_none() {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    let rest = if odd { text } else { without_styles(text, &mut out) };
    let _ = write!(out, "{}", anstream::adapter::strip_str(rest));
    Cow::Owned(out)
}

/// Takes the styles out up to what is none, which long results hardly ever hold; returns what is left from there.
fn without_styles<'t>(text: &'t str, out: &mut String) -> &'t str {
    let mut rest = text;
    loop {
        let (before, styled) = rest.split_at(memchr::memchr(0x1B, rest.as_bytes()).unwrap_or(rest.len()));
        out.push_str(before);
        let after = styled.strip_prefix("\u{1b}[").and_then(|style| {
            let end = style.bytes().position(|byte| !matches!(byte, b'0'..=b'9' | b';'))?;
            style.get(end..)?.strip_prefix('m')
        });
        match after {
            Some(after) => rest = after,
            None => return styled,
        }
    }
}

/// Counts things: `1 error`, `2 errors`.
pub(crate) fn count(number: usize, thing: &str) -> String {
    if number == 1 { format!("{number} {thing}") } else { format!("{number} {thing}s") }
}

/// Puts rows into columns that fit the terminal, see [`Table::fitted`].
pub(crate) fn fitted(rows: &[Vec<String>], indent: usize, flexible: usize) -> String {
    let mut out = String::new();
    rows.iter().map(Vec::as_slice).collect::<Table>().fitted(indent, flexible, &mut out);
    out
}

/// Puts rows into columns, two spaces apart, the last cell of each as it is. Cells may hold styles.
pub(crate) fn columns(rows: &[Vec<String>], indent: usize) -> String {
    let mut out = String::new();
    rows.iter().map(Vec::as_slice).collect::<Table>().columns(indent, &mut out);
    out
}

/// Breaks a text into lines of at most `width` columns, each behind `indent` spaces.
pub(crate) fn wrap(text: &str, width: usize, indent: usize) -> String {
    let mut out = String::new();
    for paragraph in text.lines() {
        let mut line = String::new();
        for word in paragraph.split_whitespace() {
            if !line.is_empty() && line.width() + 1 + word.width() > width.saturating_sub(indent) {
                out.push_str(&format!("{}{line}\n", " ".repeat(indent)));
                line.clear();
            }
            if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
        out.push_str(&format!("{}{line}\n", " ".repeat(indent)));
    }
    out
}

/// Returns words that lead to a file, in a terminal that can follow such; elsewhere the words alone.
pub(crate) fn linked(path: &std::path::Path, words: &str) -> String {
    if !follows_links() || !path.is_absolute() {
        return words.to_owned();
    }
    format!("\u{1b}]8;;{}\u{1b}\\{words}\u{1b}]8;;\u{1b}\\", crate::uri::of(path))
}

/// Says whether results go to a terminal that is known to follow links, and nobody wants plain text.
fn follows_links() -> bool {
    static FOLLOWS: std::sync::OnceLock<bool> = std::sync::OnceLock::new();
    *FOLLOWS.get_or_init(|| {
        let plain = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
        !plain && supports_hyperlinks::on(supports_hyperlinks::Stream::Stdout)
    })
}

/// Cuts a line to a width; what turns styles on and off stays.
pub(crate) fn cut_to(line: &str, width: usize) -> String {
    if cell_width(line) <= width { line.to_owned() } else { cut(line, width.saturating_sub(1)) }
}

/// Returns the columns and lines of the terminal that results go to.
pub(crate) fn size() -> (usize, usize) {
    let size = terminal_size::terminal_size_of(std::io::stdout());
    size.map_or((80, 24), |(width, height)| (usize::from(width.0), usize::from(height.0)))
}

/// Returns the width of the terminal that results go to; for a pipe, what `COLUMNS` says.
fn known_width() -> Option<usize> {
    let terminal = terminal_size::terminal_size_of(std::io::stdout()).map(|(width, _)| usize::from(width.0));
    terminal.or_else(|| std::env::var("COLUMNS").ok()?.parse().ok())
}

/// Returns the width to which texts are broken: that of the terminal, or one that reads well where there is none.
pub(crate) fn width() -> usize {
    known_width().unwrap_or(100).clamp(60, 140)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_that_a_terminal_acts_on_gets_through() {
        assert_eq!(clean("a\u{1b}[31mb\u{202E}c\n"), "a\u{FFFD}[31mb\u{FFFD}c\n");
        assert!(matches!(clean("plain é"), Cow::Borrowed(_)));
    }

    #[test]
    fn plain_is_what_ascii_prints() {
        for length in 0..20 {
            for (at, letter) in (0..length).flat_map(|at| ('\0'..='\u{100}').map(move |letter| (at, letter))) {
                let text: String = (0..length).map(|place| if place == at { letter } else { '~' }).collect();
                assert_eq!(is_plain(&text), matches!(letter, ' '..='~'), "{text:?}");
                let text = text.replace('~', " ");
                assert_eq!(is_plain(&text), matches!(letter, ' '..='~'), "{text:?}");
            }
        }
    }

    #[test]
    fn styles_are_taken_out_with_all_that_a_terminal_acts_on() {
        let texts = [
            "",
            "plain é\n\tand more\r\n",
            "\u{1b}[1ma\u{1b}[0mb",
            "\u{1b}[1;31ma\u{1b}[0m\u{1b}[2mb\u{1b}[0m",
            "a\u{1b}]8;;file:///x\u{1b}\\b\u{1b}]8;;\u{1b}\\c\u{1b}[1md",
            "a\u{7}b\u{1b}[1mc\u{7f}d\u{9b}e",
            "\u{1b}[2Ka\u{1b}[1mb\u{1b}",
            "a\u{9b}31mb\u{85}c\u{80}",
            "a\u{1b}[",
            "a\u{1b}[12",
            "a\u{1b}[12é\u{1b}[1mb",
            "\u{0}a\u{b}b\u{c}c",
        ];
        for text in texts {
            assert_eq!(plain(text), anstream::adapter::strip_str(text).to_string(), "{text:?}");
        }
    }

    #[test]
    fn texts_wrap() {
        assert_eq!(wrap("one two three", 9, 1), " one two\n three\n");
    }
}
