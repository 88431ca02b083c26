//! The little of YAML that dependency files hold: mappings, sequences and scalars. Aliases are not followed.

use std::borrow::Cow;

use elvask_markup::{LineIndex, Span};
use saphyr_parser::{Event, Parser};

/// The deepest nesting that is read.
const MAX_DEPTH: usize = 64;

/// A node of a document.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Yaml<'t> {
    /// A scalar as text.
    Scalar(Cow<'t, str>),
    /// Values in order.
    Sequence(Vec<Yaml<'t>>),
    /// Keys with the places of their first bytes, and values.
    Mapping(Vec<(Cow<'t, str>, Span, Yaml<'t>)>),
    /// An alias, a key that is not a scalar, or nothing.
    Other,
}

/// Why a document cannot be read: the reason, and the place in bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct YamlError {
    pub(crate) message: String,
    pub(crate) span: Span,
}

impl<'t> Yaml<'t> {
    /// Reads the first document of a text.
    pub(crate) fn parse(text: &'t str) -> Result<Yaml<'t>, YamlError> {
        let body = text.trim_start_matches('\u{FEFF}');
        let offsets = Offsets { text: body, lines: LineIndex::new(body), mark: text.len() - body.len() };
        let mut stack: Vec<Open<'t>> = Vec::new();
        for event in Parser::new_from_str(body) {
            let (event, span) = event.map_err(|error| YamlError {
                message: error.info().to_owned(),
                span: Span::at(offsets.byte(error.marker().line(), error.marker().col())),
            })?;
            let done = match event {
                Event::MappingStart(..) => {
                    stack.push(Open::Mapping(Vec::new(), None));
                    None
                }
                Event::SequenceStart(..) => {
                    stack.push(Open::Sequence(Vec::new()));
                    None
                }
                Event::MappingEnd | Event::SequenceEnd => match stack.pop() {
                    Some(Open::Mapping(entries, _)) => Some(Yaml::Mapping(entries)),
                    Some(Open::Sequence(values)) => Some(Yaml::Sequence(values)),
                    None => None,
                },
                Event::Scalar(value, ..) => Some(Yaml::Scalar(value)),
                Event::Alias(_) => Some(Yaml::Other),
                Event::DocumentEnd => break,
                _ => None,
            };
            if stack.len() > MAX_DEPTH {
                let message = format!("the document is nested more than {MAX_DEPTH} deep");
                return Err(YamlError { message, span: Span::at(0) });
            }
            let Some(done) = done else { continue };
            let place = || {
                let start = offsets.byte(span.start.line(), span.start.col());
                Span::new(start, start + span.end.col().saturating_sub(span.start.col()))
            };
            match stack.last_mut() {
                Some(Open::Sequence(values)) => values.push(done),
                Some(Open::Mapping(entries, key)) => match key.take() {
                    Some((key, at)) => entries.push((key, at, done)),
                    None => match done {
                        Yaml::Scalar(name) => *key = Some((name, place())),
                        _ => *key = Some((Cow::Borrowed(""), place())),
                    },
                },
                None => return Ok(done),
            }
        }
        Ok(Yaml::Other)
    }

    /// Returns the value of a key.
    pub(crate) fn get(&self, key: &str) -> Option<&Yaml<'t>> {
        self.entries().iter().find(|(name, _, _)| name == key).map(|(_, _, value)| value)
    }

    /// Returns keys and values of a mapping.
    pub(crate) fn entries(&self) -> &[(Cow<'t, str>, Span, Yaml<'t>)] {
        match self {
            Yaml::Mapping(entries) => entries,
            _ => &[],
        }
    }

    /// Returns the values of a sequence.
    pub(crate) fn items(&self) -> &[Yaml<'t>] {
        match self {
            Yaml::Sequence(values) => values,
            _ => &[],
        }
    }

    /// Returns the text of a scalar.
    pub(crate) fn as_str(&self) -> Option<&str> {
        match self {
            Yaml::Scalar(text) => Some(text),
            _ => None,
        }
    }
}

enum Open<'t> {
    Sequence(Vec<Yaml<'t>>),
    Mapping(Vec<(Cow<'t, str>, Span, Yaml<'t>)>, Option<(Cow<'t, str>, Span)>),
}

struct Offsets<'t> {
    text: &'t str,
    lines: LineIndex,
    mark: usize,
}

impl Offsets<'_> {
    /// Returns the byte offset of a line (from 1) and a column in characters (from 0).
    fn byte(&self, line: usize, column: usize) -> usize {
        let start = self.lines.line_start(line);
        let rest = self.text.get(start..).unwrap_or_default();
        let inside = rest.char_indices().nth(column).map_or(rest.len(), |(at, _)| at);
        self.mark + start + inside
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mappings_keep_their_places() {
        let text = "# notes\nname: marram\ndependencies:\n  tern_camera: ^2.1.0\n  \"knot\":\n    path: ../knot\nlist: [a, b]\n";
        let root = Yaml::parse(text).unwrap();
        assert_eq!(root.get("name").and_then(Yaml::as_str), Some("marram"));
        let dependencies = root.get("dependencies").unwrap().entries();
        assert_eq!(dependencies[0].1.of(text), "tern_camera");
        assert_eq!(dependencies[1].1.of(text), "\"knot\"");
        assert_eq!(dependencies[1].2.get("path").and_then(Yaml::as_str), Some("../knot"));
    }

    #[test]
    fn hostile_and_broken_documents_are_errors() {
        assert!(Yaml::parse(&"[".repeat(1000)).is_err());
        let error = Yaml::parse("a: b\n  c: [d\n").unwrap_err();
        assert!(error.span.start > 0, "{error:?}");
        assert_eq!(Yaml::parse("a: &x [1]\nb: *x\n").unwrap().get("b"), Some(&Yaml::Other));
    }
}
