//! Values with names in curly brackets, for which the app's owner gives the rest.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::wording::{ValueUse, placeholder_in};
use regex_lite::Regex;

/// One piece of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Piece<'t> {
    /// Text that stays.
    Plain(&'t str),
    /// The name of an answer.
    Answer(&'t str),
}

/// Splits a value into its pieces. A bracket that holds no name is plain text.
pub(crate) fn pieces(value: &str) -> Vec<Piece<'_>> {
    let mut out = Vec::new();
    let mut rest = value;
    let mut from = 0;
    while let Some(open) = rest.get(from..).and_then(|tail| tail.find('{')).map(|at| at + from) {
        let name = rest.get(open + 1..).and_then(|tail| tail.split_once('}')).map(|(name, _)| name);
        // `${NAME}` and `$(NAME)` belong to the platforms' own build tools.
        let built = rest.get(..open).is_some_and(|before| before.ends_with('$'));
        match name.filter(|name| is_name(name) && !built) {
            Some(name) => {
                out.push(Piece::Plain(rest.get(..open).unwrap_or_default()));
                out.push(Piece::Answer(name));
                rest = rest.get(open + name.len() + 2..).unwrap_or_default();
                from = 0;
            }
            None => from = open + 1,
        }
    }
    out.push(Piece::Plain(rest));
    out.retain(|piece| *piece != Piece::Plain(""));
    out
}

fn is_name(name: &str) -> bool {
    !name.is_empty()
        && name.chars().all(|character| character.is_ascii_alphanumeric() || matches!(character, '_' | '-'))
}

/// Returns the names of the answers in a value.
pub fn answers_in(value: &str) -> Vec<&str> {
    // Most values and names hold none.
    if !value.as_bytes().contains(&b'{') {
        return Vec::new();
    }
    pieces(value)
        .into_iter()
        .filter_map(|piece| match piece {
            Piece::Answer(name) => Some(name),
            Piece::Plain(_) => None,
        })
        .collect()
}

/// Puts answers into a value.
///
/// # Errors
/// The names of the answers that `answer` does not know.
pub fn fill_in(value: &str, answer: &impl Fn(&str) -> Option<String>) -> Result<String, Vec<String>> {
    let mut out = String::with_capacity(value.len());
    let mut missing = Vec::new();
    for piece in pieces(value) {
        match piece {
            Piece::Plain(text) => out.push_str(text),
            Piece::Answer(name) => match answer(name) {
                Some(text) => out.push_str(&text),
                None => missing.push(name.to_owned()),
            },
        }
    }
    if missing.is_empty() { Ok(out) } else { Err(missing) }
}

/// Puts answers into all texts of a property-list value.
///
/// # Errors
/// The names of the answers that `answer` does not know.
pub fn fill_in_value(value: &NewValue, answer: &impl Fn(&str) -> Option<String>) -> Result<NewValue, Vec<String>> {
    Ok(match value {
        NewValue::String(text) => NewValue::String(fill_in(text, answer)?),
        NewValue::Array(values) => {
            NewValue::Array(values.iter().map(|value| fill_in_value(value, answer)).collect::<Result<_, _>>()?)
        }
        NewValue::Dict(entries) => NewValue::Dict(
            entries
                .iter()
                .map(|(key, value)| Ok((key.clone(), fill_in_value(value, answer)?)))
                .collect::<Result<_, Vec<String>>>()?,
        ),
        other => other.clone(),
    })
}

/// Reads the answers back from a value that an app declares; `None` where it does not fit the template.
pub fn read_back(template: &str, declared: &str) -> Option<Vec<(String, String)>> {
    let mut pattern = String::from("(?s)^");
    let mut names = Vec::new();
    for piece in pieces(template) {
        match piece {
            Piece::Plain(text) => pattern.push_str(&regex_lite::escape(text)),
            Piece::Answer(name) => {
                names.push(name);
                pattern.push_str("(.+?)");
            }
        }
    }
    pattern.push('$');
    let found = Regex::new(&pattern).ok()?.captures(declared)?;
    names
        .iter()
        .enumerate()
        .map(|(at, name)| Some(((*name).to_owned(), found.get(at + 1)?.as_str().to_owned())))
        .collect()
}

/// Says whether a value refers to something that the platform's build puts in, so that its text is not known here.
pub fn is_reference(value: &str) -> bool {
    // Most values have neither sign, and a single byte is found without setting a search up.
    let has_dollar = value.as_bytes().contains(&b'$');
    (has_dollar && (value.contains("${") || value.contains("$("))) || (value.starts_with('@') && value.contains('/'))
}

/// Says whether a purpose is empty or still what a template had.
#[must_use]
pub fn is_unfilled_purpose(text: &str) -> bool {
    text.trim().is_empty() || placeholder_in(text, ValueUse::Purpose).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_go_in_and_come_back() {
        let answer = |name: &str| (name == "id").then(|| "42".to_owned());
        assert_eq!(fill_in("app-{id}.x", &answer), Ok("app-42.x".to_owned()));
        assert_eq!(fill_in("{id}{other}", &answer), Err(vec!["other".to_owned()]));
        assert_eq!(fill_in("{}{ a }${id}", &answer), Ok("{}{ a }${id}".to_owned()));
        assert_eq!(read_back("app-{id}.x", "app-7.x"), Some(vec![("id".to_owned(), "7".to_owned())]));
        assert_eq!(read_back("app-{id}.x", "app-.x"), None);
        assert_eq!(read_back("plain", "plain"), Some(Vec::new()));
    }

    #[test]
    fn references_are_told_from_values() {
        assert!(is_reference("@string/app_id") && is_reference("${id}") && is_reference("$(ID)"));
        assert!(!is_reference("ca-42") && !is_reference("me@marram.example"));
    }
}
