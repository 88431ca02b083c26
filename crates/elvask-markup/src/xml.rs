//! XML with spans: a parser that keeps every byte, and plans for edits in the style of the document.
//!
//! Entities that a document defines are never expanded; only the five built-in ones and character references are. The
//! reader does not recurse, and refuses documents that are deeper or larger than any manifest.

mod attribute;
mod fault;
mod names;
mod parse;
pub mod plan;
mod signs;
mod tree;

pub use attribute::Attribute;
pub use fault::{XmlError, XmlFault};
pub use tree::{Document, Element, Node, NodeKind};

/// The deepest nesting of elements that is read.
pub const MAX_DEPTH: usize = 200;
/// The most nodes that are read.
pub const MAX_NODES: usize = 1_000_000;

use std::borrow::Cow;

/// Returns the text that an attribute value or character data stands for: built-in entities and character references
/// are replaced, any other reference stays as it is written.
#[must_use]
pub fn unescape(raw: &str) -> Cow<'_, str> {
    if !raw.contains('&') {
        return Cow::Borrowed(raw);
    }
    let mut out = String::with_capacity(raw.len());
    let mut rest = raw;
    while let Some((before, after)) = rest.split_once('&') {
        out.push_str(before);
        let reference = after.split_once(';').and_then(|(name, tail)| Some((resolve_reference(name)?, tail)));
        if let Some((character, tail)) = reference {
            out.push(character);
            rest = tail;
        } else {
            out.push('&');
            rest = after;
        }
    }
    out.push_str(rest);
    Cow::Owned(out)
}

/// Returns the character that a built-in entity or a character reference names, written without `&` and `;`.
fn resolve_reference(name: &str) -> Option<char> {
    match name {
        "amp" => Some('&'),
        "lt" => Some('<'),
        "gt" => Some('>'),
        "quot" => Some('"'),
        "apos" => Some('\''),
        _ => {
            let number = name.strip_prefix('#')?;
            let code = match number.strip_prefix('x') {
                Some(hex) => u32::from_str_radix(hex, 16).ok()?,
                None => number.parse().ok()?,
            };
            char::from_u32(code).filter(|character| is_xml_char(*character))
        }
    }
}

/// Says whether XML 1.0 allows the character in a document.
pub(crate) fn is_xml_char(character: char) -> bool {
    matches!(character, '\t' | '\n' | '\r' | '\u{20}'..='\u{D7FF}' | '\u{E000}'..='\u{FFFD}' | '\u{10000}'..)
}

/// Where escaped text is going to stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    /// Between tags.
    Text,
    /// In an attribute value between these quotes.
    Attribute(char),
}

/// Writes `value` so that it reads back as itself. Characters that XML does not allow are left out; with `ascii`, all
/// that is not ASCII becomes a character reference (for documents that declare another encoding than UTF-8).
#[must_use]
pub fn escape(value: &str, place: Place, ascii: bool) -> String {
    let mut out = String::with_capacity(value.len());
    for character in value.chars().filter(|character| is_xml_char(*character)) {
        match (character, place) {
            ('&', _) => out.push_str("&amp;"),
            ('<', _) => out.push_str("&lt;"),
            ('>', Place::Text) => out.push_str("&gt;"),
            ('"', Place::Attribute('"')) => out.push_str("&quot;"),
            ('\'', Place::Attribute('\'')) => out.push_str("&apos;"),
            ('\n' | '\t', Place::Attribute(_)) | ('\r', _) => push_reference(&mut out, character),
            _ if ascii && !character.is_ascii() => push_reference(&mut out, character),
            _ => out.push(character),
        }
    }
    out
}

fn push_reference(out: &mut String, character: char) {
    out.push_str(&format!("&#{};", u32::from(character)));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_built_in_references_are_replaced() {
        assert_eq!(unescape("a &amp; b &#233;&#x41; &own; & &#0;"), "a & b éA &own; & &#0;");
    }

    #[test]
    fn what_is_escaped_reads_back() {
        for (value, ascii) in [("a<b>&\"'\n\té", false), ("é\u{1F426}", true)] {
            for place in [Place::Text, Place::Attribute('"'), Place::Attribute('\'')] {
                let written = escape(value, place, ascii);
                assert_eq!(unescape(&written), value, "{written}");
                assert!(!ascii || written.is_ascii());
            }
        }
        assert_eq!(escape("a\u{1b}[31mb", Place::Text, false), "a[31mb");
    }
}
