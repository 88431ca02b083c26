//! Reading TOML so that every complaint has a place and all of them are found in one go.

use std::borrow::Cow;

use elvask_markup::Span;
use elvask_platform::names::nearest;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// The deepest nesting that is read.
const MAX_DEPTH: usize = 32;

/// Something wrong in a document, with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// What is wrong and how to put it right, in a sentence or two without a full stop.
    pub message: String,
    /// Where, in bytes of the text, byte order mark included.
    pub span: Span,
}

/// A text with its place.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Text {
    /// The text.
    pub text: String,
    /// Where it stands, quotes included.
    pub span: Span,
}

/// A value of a document.
pub type Value<'t> = Spanned<DeValue<'t>>;

/// Parses a document and hands its root to `read`, which notes what it finds wrong.
///
/// Returns what `read` makes of it, with all problems in the order of their places.
pub fn parse<T: Default>(text: &str, read: impl FnOnce(&Table<'_, '_>, &mut Vec<Problem>) -> T) -> (T, Vec<Problem>) {
    let mark = if text.starts_with('\u{FEFF}') { 3 } else { 0 };
    let body = text.get(mark..).unwrap_or_default();
    let mut problems = Vec::new();
    if too_deep(body) {
        let message = format!("the document is nested more than {MAX_DEPTH} deep");
        return (T::default(), vec![Problem { message, span: Span::at(0) }]);
    }
    let value = match DeTable::parse(body) {
        Ok(root) => {
            let table = Table { table: root.get_ref(), span: Span::new(0, body.len().min(1)), what: "the document" };
            read(&table, &mut problems)
        }
        Err(error) => {
            let span = error.span().map_or(Span::at(0), |range| Span::new(range.start, range.end));
            problems.push(Problem { message: error.message().trim().to_owned(), span });
            T::default()
        }
    };
    for problem in &mut problems {
        // A parser may name a place inside a character; places that are shown never lie in one.
        let [start, end] = [problem.span.start, problem.span.end].map(|at| text.floor_char_boundary(at + mark));
        problem.span = Span::new(start, end);
    }
    problems.sort_by_key(|problem| problem.span);
    (value, problems)
}

/// Looks for nesting that would only serve to exhaust the reader.
fn too_deep(text: &str) -> bool {
    let mut depth = 0usize;
    for byte in text.bytes() {
        match byte {
            b'[' | b'{' => depth += 1,
            b']' | b'}' => depth = depth.saturating_sub(1),
            _ => {}
        }
        if depth > MAX_DEPTH {
            return true;
        }
    }
    false
}

/// A table being read.
pub struct Table<'a, 't> {
    table: &'a DeTable<'t>,
    /// Where it is written.
    pub span: Span,
    what: &'a str,
}

/// Returns the span of a value.
pub fn span_of<T>(value: &Spanned<T>) -> Span {
    let range = value.span();
    Span::new(range.start, range.end)
}

/// Notes that a value has the wrong type.
fn wrong_type(key: &str, wanted: &str, value: &Value<'_>, problems: &mut Vec<Problem>) {
    let article = if wanted.starts_with(['a', 'i']) { "an" } else { "a" };
    let found = value.get_ref().type_str();
    problems
        .push(Problem { message: format!("`{key}` must be {article} {wanted}, not {found}"), span: span_of(value) });
}

impl<'a, 't> Table<'a, 't> {
    /// Returns a value by its key.
    pub fn get(&self, key: &str) -> Option<&'a Value<'t>> {
        self.table.get(key)
    }

    /// Goes through keys and values, in the order in which they stand.
    pub fn entries(&self) -> Vec<(Text, &'a Value<'t>)> {
        let mut entries: Vec<_> = self
            .table
            .iter()
            .map(|(key, value)| (Text { text: key.get_ref().to_string(), span: span_of(key) }, value))
            .collect();
        entries.sort_by_key(|(key, _)| key.span);
        entries
    }

    /// Notes every key that is not among `known`, with the nearest known one.
    pub fn refuse_others(&self, known: &[&str], problems: &mut Vec<Problem>) {
        for (key, _) in self.entries() {
            if known.contains(&key.text.as_str()) {
                continue;
            }
            let hint = match nearest(&key.text, known.iter().copied()) {
                Some(meant) => format!("did you mean `{meant}`?"),
                None => format!("known here: {}", list(known)),
            };
            problems.push(Problem {
                message: format!("`{}` is not a key of {}; {hint}", key.text, self.what),
                span: key.span,
            });
        }
    }

    /// Returns a text, and notes a value of another type.
    pub fn text(&self, key: &str, problems: &mut Vec<Problem>) -> Option<Text> {
        let value = self.get(key)?;
        match value.get_ref().as_str() {
            Some(text) => Some(Text { text: text.to_owned(), span: span_of(value) }),
            None => {
                wrong_type(key, "string", value, problems);
                None
            }
        }
    }

    /// Returns a text that must be there.
    pub fn required_text(&self, key: &str, problems: &mut Vec<Problem>) -> Option<Text> {
        if self.get(key).is_none() {
            problems.push(Problem { message: format!("{} needs `{key}`", self.what), span: self.span });
        }
        self.text(key, problems)
    }

    /// Returns a boolean, and notes a value of another type.
    pub fn boolean(&self, key: &str, problems: &mut Vec<Problem>) -> Option<bool> {
        let value = self.get(key)?;
        let found = value.get_ref().as_bool();
        if found.is_none() {
            wrong_type(key, "boolean (true or false)", value, problems);
        }
        found
    }

    /// Returns a number that is not negative, and notes anything else.
    pub fn number(&self, key: &str, problems: &mut Vec<Problem>) -> Option<u32> {
        let value = self.get(key)?;
        let found = value.get_ref().as_integer().and_then(|number| number.as_str().replace('_', "").parse().ok());
        if found.is_none() {
            wrong_type(key, "integer", value, problems);
        }
        found
    }

    /// Returns a table, and notes a value of another type.
    pub fn table<'b>(&self, key: &str, what: &'b str, problems: &mut Vec<Problem>) -> Option<Table<'b, 't>>
    where
        'a: 'b,
    {
        as_table(key, self.get(key)?, what, problems)
    }

    /// Returns the texts of an array, or the one text that stands in its place where `one` allows that.
    pub fn texts(&self, key: &str, one: bool, problems: &mut Vec<Problem>) -> Vec<Text> {
        let Some(value) = self.get(key) else { return Vec::new() };
        let text = |value: &Value<'_>| Some(Text { text: value.get_ref().as_str()?.to_owned(), span: span_of(value) });
        if let Some(text) = text(value).filter(|_| one) {
            return vec![text];
        }
        let Some(array) = value.get_ref().as_array() else {
            wrong_type(key, "array of strings", value, problems);
            return Vec::new();
        };
        let mut out = Vec::new();
        for value in array.iter() {
            match text(value) {
                Some(text) => out.push(text),
                None => wrong_type(key, "array of strings", value, problems),
            }
        }
        out
    }

    /// Returns the tables of an array of tables, and notes anything else.
    pub fn tables<'b>(&self, key: &str, what: &'b str, problems: &mut Vec<Problem>) -> Vec<Table<'b, 't>>
    where
        'a: 'b,
    {
        let Some(value) = self.get(key) else { return Vec::new() };
        let Some(array) = value.get_ref().as_array() else {
            wrong_type(key, "array of tables", value, problems);
            return Vec::new();
        };
        array.iter().filter_map(|value| as_table(key, value, what, problems)).collect()
    }
}

/// Returns a value as a table, and notes a value of another type.
pub fn as_table<'b, 't>(
    key: &str,
    value: &'b Value<'t>,
    what: &'b str,
    problems: &mut Vec<Problem>,
) -> Option<Table<'b, 't>> {
    match value.get_ref().as_table() {
        Some(table) => Some(Table { table, span: span_of(value), what }),
        None => {
            wrong_type(key, "table", value, problems);
            None
        }
    }
}

/// Joins names for people: `a`, `b` and `c`.
pub fn list(names: &[&str]) -> String {
    let quoted: Vec<_> = names.iter().map(|name| Cow::Owned(format!("`{name}`"))).collect::<Vec<Cow<'_, str>>>();
    match quoted.split_last() {
        Some((last, rest)) if !rest.is_empty() => format!("{} and {last}", rest.join(", ")),
        Some((last, _)) => last.to_string(),
        None => String::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn problems(text: &str) -> Vec<(String, String)> {
        let read = |table: &Table<'_, '_>, problems: &mut Vec<Problem>| {
            table.refuse_others(&["plugin", "versions", "tags"], problems);
            table.required_text("plugin", problems);
            table.texts("tags", false, problems);
        };
        let (_, problems) = parse(text, read);
        problems.into_iter().map(|problem| (problem.message, problem.span.of(text).to_owned())).collect()
    }

    #[test]
    fn unknown_keys_and_wrong_types_are_all_found() {
        assert_eq!(
            problems("plugn = 'x'\nother = 1\nplugin = 3\ntags = ['a', 2]\n"),
            [
                ("`plugn` is not a key of the document; did you mean `plugin`?".to_owned(), "plugn".to_owned()),
                (
                    "`other` is not a key of the document; known here: `plugin`, `versions` and `tags`".to_owned(),
                    "other".to_owned()
                ),
                ("`plugin` must be a string, not integer".to_owned(), "3".to_owned()),
                ("`tags` must be an array of strings, not integer".to_owned(), "2".to_owned()),
            ]
        );
    }

    #[test]
    fn places_hold_behind_a_byte_order_mark() {
        let found = problems("\u{FEFF}plugin = true");
        assert_eq!(found[0].1, "true");
    }

    #[test]
    fn broken_and_hostile_documents_are_one_problem() {
        assert_eq!(problems("plugin = ").len(), 1);
        assert_eq!(problems(&format!("plugin = {}", "[".repeat(100_000))).len(), 1);
    }
}
