//! Writing XML out of events, as a person would have written the source.

use std::fmt::Write as _;

/// The namespace of the platform's attributes.
pub(crate) const ANDROID: &str = "http://schemas.android.com/apk/res/android";

/// The deepest nesting that is written.
const MAX_DEPTH: usize = 200;

/// An attribute: its namespace, its name and its value.
pub(crate) struct Attribute {
    pub(crate) space: String,
    pub(crate) name: String,
    pub(crate) value: String,
}

/// XML that is being written.
#[derive(Default)]
pub(crate) struct Writer {
    out: String,
    open: Vec<String>,
    /// Whether the start tag that was written last is still without its end.
    pending: bool,
}

impl Writer {
    pub(crate) fn start(&mut self, name: &str, attributes: &[Attribute]) -> Option<()> {
        // A document has one outermost element.
        if self.open.len() >= MAX_DEPTH || self.open.is_empty() && !self.out.is_empty() {
            return None;
        }
        self.close_tag();
        let depth = self.open.len();
        let name = plain(name);
        let _ = write!(self.out, "{}<{name}", "    ".repeat(depth));
        let mut first = true;
        let mut add = |out: &mut String, name: &str, value: &str| {
            // One on a line where there are many.
            let gap =
                if attributes.len() > 2 && !first { format!("\n{}", "    ".repeat(depth + 1)) } else { " ".to_owned() };
            first = false;
            let _ = write!(out, "{gap}{name}=\"{}\"", escaped(value));
        };
        if depth == 0 {
            add(&mut self.out, "xmlns:android", ANDROID);
        }
        let mut known: Vec<String> = Vec::new();
        for one in attributes {
            let local = plain(&one.name);
            let name = if one.space == ANDROID { format!("android:{local}") } else { local };
            // The first of a name counts.
            if known.contains(&name) || name == "xmlns" {
                continue;
            }
            known.push(name.clone());
            add(&mut self.out, &name, &one.value);
        }
        self.open.push(name);
        self.pending = true;
        Some(())
    }

    pub(crate) fn end(&mut self) -> Option<()> {
        let name = self.open.pop()?;
        if std::mem::take(&mut self.pending) {
            self.out.push_str(" />\n");
        } else {
            let _ = writeln!(self.out, "{}</{name}>", "    ".repeat(self.open.len()));
        }
        Some(())
    }

    fn close_tag(&mut self) {
        if std::mem::take(&mut self.pending) {
            self.out.push_str(">\n");
        }
    }

    /// Returns what was written, where all that was opened is closed.
    pub(crate) fn finish(self) -> Option<String> {
        (self.open.is_empty() && !self.out.is_empty()).then_some(self.out)
    }
}

/// Returns a name with nothing in it that is no part of one.
fn plain(name: &str) -> String {
    let letter =
        |letter: char| if letter.is_ascii_alphanumeric() || matches!(letter, '-' | '_' | '.') { letter } else { '_' };
    let name: String = name.chars().map(letter).collect();
    if name.chars().next().is_some_and(|first| first.is_ascii_alphabetic() || first == '_') {
        name
    } else {
        format!("_{name}")
    }
}

fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '"' => out.push_str("&quot;"),
            '\n' => out.push_str("&#10;"),
            // XML has no place for these, however they are written.
            letter if letter.is_control() || matches!(letter, '\u{FFFE}' | '\u{FFFF}') => {
                out.push(char::REPLACEMENT_CHARACTER);
            }
            letter => out.push(letter),
        }
    }
    out
}
