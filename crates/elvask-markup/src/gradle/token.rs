//! The words and marks of a build file.

use crate::Span;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum TokenKind {
    Name,
    /// A quoted text; the number of quotes on each side, and whether values are put in.
    Text {
        quotes: usize,
        plain: bool,
    },
    Number,
    /// One character, or one of `?:`, `?.`, `!!`, `+=`, `->`, `==`, `::`.
    Mark,
}

#[derive(Debug, Clone, Copy)]
pub(super) struct Token {
    pub(super) kind: TokenKind,
    pub(super) span: Span,
    /// Whether a line ends before it.
    pub(super) new_line: bool,
    /// Whether white space or a comment stands before it.
    pub(super) spaced: bool,
}

const MARKS: [&str; 10] = ["?:", "?.", "!!", "+=", "->", "==", "!=", "::", "&&", "||"];

pub(super) fn tokens(text: &str) -> Vec<Token> {
    let mut out = Vec::new();
    let mut at = if text.starts_with('\u{FEFF}') { 3 } else { 0 };
    let (mut new_line, mut spaced) = (true, true);
    while let Some(first) = text.get(at..).and_then(|rest| rest.chars().next()) {
        let rest = text.get(at..).unwrap_or_default();
        let (kind, len) = match first {
            '\n' => {
                new_line = true;
                (None, 1)
            }
            '/' if rest.starts_with("//") => (None, rest.find('\n').unwrap_or(rest.len())),
            '#' if at == 0 && rest.starts_with("#!") => (None, rest.find('\n').unwrap_or(rest.len())),
            '/' if rest.starts_with("/*") => {
                let len = rest.find("*/").map_or(rest.len(), |end| end + 2);
                new_line |= rest.get(..len).is_some_and(|comment| comment.contains('\n'));
                (None, len)
            }
            '\\' if rest.starts_with("\\\n") || rest.starts_with("\\\r\n") => {
                (None, rest.find('\n').map_or(1, |end| end + 1))
            }
            '"' | '\'' => {
                let (quotes, len) = text_len(rest, first);
                (Some(TokenKind::Text { quotes, plain: first == '\'' }), len)
            }
            // Lines start with many of them.
            ' ' => (None, rest.bytes().position(|byte| byte != b' ').unwrap_or(rest.len())),
            _ if first.is_whitespace() => (None, first.len_utf8()),
            _ if first.is_ascii_digit() => {
                let end = rest.find(|character: char| !(character.is_ascii_alphanumeric() || character == '_'));
                (Some(TokenKind::Number), end.unwrap_or(rest.len()))
            }
            _ if first.is_alphabetic() || matches!(first, '_' | '$') => {
                let part = |character: char| character.is_alphanumeric() || matches!(character, '_' | '$');
                (Some(TokenKind::Name), rest.find(|character| !part(character)).unwrap_or(rest.len()))
            }
            // Kotlin writes names that are no plain words between backquotes.
            '`' => {
                let len = rest.get(1..).and_then(|inside| inside.find(['`', '\n'])).map_or(rest.len(), |end| end + 2);
                (Some(TokenKind::Name), len.min(rest.len()))
            }
            _ => {
                let second = rest.as_bytes().get(1).filter(|byte| byte.is_ascii_punctuation());
                let mark = second.and_then(|_| MARKS.iter().find(|mark| rest.starts_with(**mark)));
                (Some(TokenKind::Mark), mark.map_or(first.len_utf8(), |mark| mark.len()))
            }
        };
        if let Some(kind) = kind {
            out.push(Token { kind, span: Span::new(at, at + len), new_line, spaced });
            (new_line, spaced) = (false, false);
        } else {
            spaced = true;
        }
        at += len.max(1);
    }
    out
}

/// Returns how many quotes open the text at the start of `rest`, and its length, quotes included.
fn text_len(rest: &str, quote: char) -> (usize, usize) {
    let triple = if quote == '"' { "\"\"\"" } else { "'''" };
    if rest.starts_with(triple) {
        let len = rest.get(3..).and_then(|inside| inside.find(triple)).map_or(rest.len(), |end| end + 6);
        return (3, len);
    }
    let mut escaped = false;
    let mut depth = 0usize;
    let mut before = ' ';
    for (at, character) in rest.char_indices().skip(1) {
        match character {
            '\n' => return (1, at),
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            // A value that is put in may hold quotes of its own.
            '{' if quote == '"' && (before == '$' || depth > 0) => depth += 1,
            '}' if depth > 0 => depth -= 1,
            _ if character == quote && depth == 0 => return (1, at + 1),
            _ => {}
        }
        before = character;
    }
    (1, rest.len())
}
