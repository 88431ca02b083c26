//! Reading what a sheet states, with a problem for everything that is wrong in it.

use elvask_markup::Span;
use elvask_markup::plist::plan::NewValue;
use elvask_markup::text::{fits_xml, is_hidden};
use elvask_project::intent::{Part, Query};
use elvask_project::tomldoc::{Problem, Table, Text, Value, as_table, span_of};

use super::Asking;
use crate::requirement::Need;
use crate::template::answers_in;

/// One value of a sheet under the key of its kind.
pub struct Stated<'s, 't> {
    /// The table that holds the key.
    pub(crate) table: &'s Table<'s, 't>,
    /// The key.
    pub(crate) key: &'s Text,
    /// The value.
    pub(crate) value: &'s Value<'t>,
    /// The level up to which it is needed, as stated beside it.
    pub(crate) max_level: Option<u32>,
}

impl<'t> Stated<'_, 't> {
    /// Returns the text that is the whole value; anything else is a problem.
    pub(crate) fn text(&self, problems: &mut Vec<Problem>) -> Option<Text> {
        self.table.text(&self.key.text, problems)
    }

    /// Returns the table that is the whole value, with no key but the known ones; `what` names it in problems.
    pub(crate) fn fields<'b>(
        &'b self,
        what: &'b str,
        known: &[&str],
        problems: &mut Vec<Problem>,
    ) -> Option<Table<'b, 't>> {
        let table = as_table(&self.key.text, self.value, what, problems)?;
        table.refuse_others(known, problems);
        Some(table)
    }
}

/// Adds a problem.
pub fn problem(problems: &mut Vec<Problem>, span: Span, message: impl Into<String>) {
    problems.push(Problem { message: message.into(), span });
}

/// Makes one thing that is asked for.
pub(crate) fn asking(name: impl Into<String>, need: Need) -> Vec<Asking> {
    vec![Asking { name: name.into(), need }]
}

/// The fields of a query or filter.
pub(crate) const INTENT: [&str; 11] = [
    "action",
    "category",
    "scheme",
    "host",
    "port",
    "path",
    "path-prefix",
    "path-pattern",
    "mime",
    "package",
    "authority",
];

/// The longest name or value that is taken from a sheet, in bytes.
pub(crate) const MAX_TEXT: usize = 4096;

/// Reads what a query or a filter says.
pub(crate) fn read_intent(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Query {
    let mut get = |key: &str| table.text(key, problems).filter(|value| plain(value, problems)).map(|text| text.text);
    let (package, authority) = (get("package"), get("authority"));
    let query = Query {
        package,
        authority,
        action: get("action"),
        scheme: get("scheme"),
        host: get("host"),
        port: get("port"),
        path: get("path"),
        path_prefix: get("path-prefix"),
        path_pattern: get("path-pattern"),
        mime: get("mime"),
        categories: Vec::new(),
        more: Vec::new(),
    };
    for key in ["package", "authority"] {
        if let Some(text) = table.text(key, problems) {
            name_like(&text, "the name of a package or provider", problems);
        }
    }
    let categories = table.texts("category", true, problems);
    Query { categories: categories.into_iter().map(|text| text.text).collect(), ..query }
}

/// Reads what a filter says: each part may be a text or several, which the platform pools.
pub(crate) fn read_filter(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Query {
    let mut out = Query::default();
    for part in Part::ALL {
        for text in table.texts(part.word(), true, problems) {
            if plain(&text, problems) {
                out.add(part, text.text);
            }
        }
    }
    out.categories = table.texts("category", true, problems).into_iter().map(|text| text.text).collect();
    out
}

pub(crate) fn plist_value(value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<NewValue> {
    let inside = value.get_ref();
    let span = span_of(value);
    if let Some(text) = inside.as_str() {
        let text = Text { text: text.to_owned(), span };
        return plain(&text, problems).then_some(NewValue::String(text.text));
    }
    if let Some(number) = inside.as_integer() {
        let read = i64::from_str_radix(number.as_str(), number.radix()).ok().map(NewValue::Integer);
        if read.is_none() {
            problem(problems, span, "this number is too large for a property list");
        }
        return read;
    }
    if let Some(array) = inside.as_array() {
        return array.iter().map(|value| plist_value(value, problems)).collect::<Option<_>>().map(NewValue::Array);
    }
    if let Some(table) = inside.as_table() {
        let mut entries: Vec<_> = table.iter().collect();
        entries.sort_by_key(|(key, _)| key.span().start);
        let entries =
            entries.into_iter().map(|(key, value)| Some((key.get_ref().to_string(), plist_value(value, problems)?)));
        return entries.collect::<Option<_>>().map(NewValue::Dict);
    }
    if let Some(real) = inside.as_float() {
        return real.as_str().parse().ok().map(NewValue::Real);
    }
    match inside.as_bool() {
        Some(value) => Some(NewValue::Bool(value)),
        None => {
            problem(problems, span, "a date cannot be stated in a sheet");
            None
        }
    }
}

/// Says whether a text holds nothing that would play tricks on a terminal, and is not overlong.
pub(crate) fn plain(text: &Text, problems: &mut Vec<Problem>) -> bool {
    // What is not seen is told for the whole sheet at once.
    if text.text.chars().any(|letter| is_hidden(letter) || !fits_xml(letter)) {
        return false;
    }
    if text.text.len() > MAX_TEXT {
        problem(problems, text.span, format!("texts over {MAX_TEXT} bytes are not taken"));
        return false;
    }
    true
}

/// Notes a text that the platform would not take for a name.
pub(crate) fn name_like(text: &Text, what: &str, problems: &mut Vec<Problem>) -> Option<()> {
    let fits = |character: char| {
        character.is_alphanumeric() || matches!(character, '.' | '_' | '-' | '$' | '{' | '}' | ':' | '/')
    };
    if text.text.is_empty() || text.text.len() > MAX_TEXT || !text.text.chars().all(fits) {
        problem(problems, text.span, format!("this is not {what}: it may have letters, digits, dots and underscores"));
        return None;
    }
    Some(())
}

/// Notes a text that is neither a scheme nor an answer that stands for one.
pub(crate) fn scheme_like(text: &Text, problems: &mut Vec<Problem>) -> Option<()> {
    if !answers_in(&text.text).is_empty() || is_scheme(&text.text) {
        return Some(());
    }
    let message = "this is not a URL scheme: a letter, then letters, digits, `+`, `-` and `.`, with no `:` behind";
    problem(problems, text.span, message);
    None
}

/// Says whether a text is a URL scheme by RFC 3986.
pub fn is_scheme(text: &str) -> bool {
    text.starts_with(|first: char| first.is_ascii_alphabetic())
        && text.chars().all(|character| character.is_ascii_alphanumeric() || matches!(character, '+' | '-' | '.'))
}

/// Gathers all texts of a property-list value.
pub fn collect_texts<'v>(value: &'v NewValue, out: &mut Vec<&'v str>) {
    match value {
        NewValue::String(text) => out.push(text),
        NewValue::Array(values) => values.iter().for_each(|value| collect_texts(value, out)),
        NewValue::Dict(entries) => entries.iter().for_each(|(_, value)| collect_texts(value, out)),
        NewValue::Bool(_) | NewValue::Integer(_) | NewValue::Real(_) => {}
    }
}
