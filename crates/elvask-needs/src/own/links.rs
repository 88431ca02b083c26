//! The links that code opens or asks about.

use super::scan::Source;
use super::{LinkUse, OwnCode, OwnLink};
use crate::evidence::source::around::name_before;

/// How far behind the bracket of a call its arguments are read, in bytes.
const MAX_ARGUMENTS: usize = 400;

/// How far behind the sign of an assignment the value is read, in bytes.
const MAX_VALUE: usize = 240;

fn is_name(letter: char) -> bool {
    letter.is_alphanumeric() || matches!(letter, '_' | '$')
}

/// Reads the call that a string of a function's name lies in.
pub(super) fn read(source: &Source<'_>, hit: usize, out: &mut OwnCode) {
    let text = source.text;
    if !source.is_code(hit) {
        return;
    }
    let before = text.get(..hit).unwrap_or_default();
    let start = before
        .rfind(|letter: char| !is_name(letter))
        .map_or(0, |at| at + before.get(at..).and_then(|rest| rest.chars().next()).map_or(1, char::len_utf8));
    // `.open(` starts with the dot.
    let start = if text.get(hit..).is_some_and(|rest| rest.starts_with('.')) { hit + 1 } else { start };
    let rest = text.get(start..).unwrap_or_default();
    let length = rest.find(|letter: char| !is_name(letter)).unwrap_or(rest.len());
    let function = rest.get(..length).unwrap_or_default();
    let Some(how) = judge(function) else { return };
    let end = start + length;
    let behind = text.get(end..).unwrap_or_default();
    let behind_types =
        behind.strip_prefix('<').and_then(|inner| inner.split_once('>')).map_or(behind, |(_, rest)| rest);
    let trimmed = behind_types.trim_start();
    let Some(arguments) = trimmed.strip_prefix('(').or_else(|| trimmed.strip_prefix(':')) else { return };
    let arguments = cut(arguments, MAX_ARGUMENTS);
    let arguments = closed(arguments);
    let asks_intent = function.starts_with("resolveActivity") || function.starts_with("queryIntent");
    let scheme = scheme_in(arguments).or_else(|| {
        let variable = if asks_intent && !function.starts_with("query") {
            // The intent is what the call is made on.
            let before = text.get(..start).unwrap_or_default().trim_end_matches(['.', '?', '!']);
            name_before(before, before.len())
        } else {
            first_variable(arguments)
        };
        value_of(source, variable, start)
    });
    if let Some(scheme) = scheme {
        out.links.push(OwnLink { scheme, how, citation: source.citation(start) });
    }
}

/// Judges the name of a function: whether it asks whether a link can be opened, or opens it.
fn judge(function: &str) -> Option<LinkUse> {
    let lower = function.to_lowercase();
    if matches!(function, "resolveActivity" | "queryIntentActivities")
        || lower.starts_with("can") && (lower.contains("open") || lower.contains("launch"))
        || lower.starts_with("iscanopen")
    {
        return Some(LinkUse::Asks);
    }
    let opens = lower.starts_with("open") || lower.starts_with("launch") || lower.starts_with("try");
    opens.then_some(LinkUse::Opens)
}

fn cut(text: &str, most: usize) -> &str {
    let end = (0..=most.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    text.get(..end).unwrap_or_default()
}

/// Cuts arguments where the bracket of the call closes.
fn closed(arguments: &str) -> &str {
    let mut depth = 0_i32;
    let mut quote = None;
    for (at, letter) in arguments.char_indices() {
        match (quote, letter) {
            (Some(open), letter) if letter == open => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'' | '`') => quote = Some(letter),
            (None, '(' | '[' | '{') => depth += 1,
            (None, ')' | ']' | '}') if depth == 0 => return arguments.get(..at).unwrap_or_default(),
            (None, ')' | ']' | '}') => depth -= 1,
            (None, ';') => return arguments.get(..at).unwrap_or_default(),
            _ => {}
        }
    }
    arguments
}

/// Returns the scheme of the first text in a stretch that starts with one, or that is named as one: `scheme: 'mailto'`.
fn scheme_in(stretch: &str) -> Option<String> {
    let mut rest = stretch;
    while let Some(at) = rest.find(['"', '\'', '`']) {
        let quote = rest.get(at..)?.chars().next()?;
        let before = rest.get(..at)?.trim_end_matches('@').trim_end();
        let inside = rest.get(at + 1..)?;
        let end = inside.find(quote).unwrap_or(inside.len());
        let text = inside.get(..end)?;
        let named = before.ends_with("scheme:") || before.ends_with("scheme =") || before.ends_with("Scheme =");
        let scheme = if named { Some(text) } else { text.split_once(':').map(|(scheme, _)| scheme) };
        if let Some(scheme) = scheme.filter(|scheme| is_scheme(scheme)) {
            return Some(scheme.to_lowercase());
        }
        rest = inside.get(end + 1..)?;
    }
    None
}

/// Says whether a text is a scheme: a letter, then letters, digits, `+`, `-`, `.`. One letter alone is a drive.
fn is_scheme(text: &str) -> bool {
    text.len() > 1
        && text.len() < 40
        && text.starts_with(|first: char| first.is_ascii_alphabetic())
        && text.chars().all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '+' | '-' | '.'))
}

/// Returns the first argument where it is a variable.
fn first_variable(arguments: &str) -> &str {
    let argument = arguments.trim_start().trim_start_matches("await ");
    let end = argument.find(|letter: char| !is_name(letter)).unwrap_or(argument.len());
    argument.get(..end).unwrap_or_default()
}

/// Returns the scheme of what a variable was given last above a place.
fn value_of(source: &Source<'_>, variable: &str, at: usize) -> Option<String> {
    if variable.is_empty() || variable.starts_with(|first: char| first.is_ascii_digit()) {
        return None;
    }
    let above = source.text.get(..at)?;
    for (start, _) in above.rmatch_indices(variable) {
        let whole = !above.get(..start).is_some_and(|before| before.ends_with(|last| is_name(last) || last == '.'));
        let behind = above.get(start + variable.len()..)?;
        if !whole || behind.starts_with(is_name) {
            continue;
        }
        let value = behind.trim_start();
        // A type may stand between the name and the sign.
        let value = match value.strip_prefix(':') {
            Some(typed) => typed
                .split_once('=')
                .filter(|(kind, _)| kind.len() < 40 && !kind.contains([';', '\n']))
                .map(|(_, value)| value),
            None => value.strip_prefix('='),
        };
        let Some(value) = value.filter(|value| !value.starts_with('=')) else { continue };
        return scheme_in(closed(cut(value, MAX_VALUE)));
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_function_does_stands_in_its_name() {
        let asks = ["canOpenURL", "canLaunchUrl", "CanOpenAsync", "resolveActivity"];
        assert!(asks.iter().all(|name| judge(name) == Some(LinkUse::Asks)));
        let opens = ["openURL", "launchUrl", "OpenAsync", "TryOpenAsync", "open"];
        assert!(opens.iter().all(|name| judge(name) == Some(LinkUse::Opens)));
        assert_eq!(judge("reopenURLs"), None);
    }

    #[test]
    fn schemes_stand_in_texts_in_templates_and_by_name() {
        assert_eq!(scheme_in("'tel:' + number").as_deref(), Some("tel"));
        assert_eq!(scheme_in("`sms:${number}`").as_deref(), Some("sms"));
        assert_eq!(scheme_in("Uri(scheme: 'mailto', path: to)").as_deref(), Some("mailto"));
        assert_eq!(scheme_in("URL(string: \"HTTPS://a.example\")!").as_deref(), Some("https"));
        assert_eq!(scheme_in("@\"tel://1\"").as_deref(), Some("tel"));
        assert_eq!(scheme_in("`${base}:x`"), None);
        assert_eq!(scheme_in("url"), None);
    }
}
