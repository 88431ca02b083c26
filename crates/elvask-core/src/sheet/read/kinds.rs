//! Reading the kinds of requirement, each from its own value.

use elvask_markup::Span;
use elvask_markup::plist::plan::NewValue;
use elvask_platform::ios;

use super::super::Asked;
use super::problem;
use crate::requirement::{Need, Owner, Query};
use crate::template::answers_in;
use crate::tomldoc::{Problem, Table, Text, Value, as_table, span_of};

/// The longest name or value that is taken from a sheet, in bytes.
const MAX_TEXT: usize = 4096;

const ANDROID: [&str; 9] =
    ["permission", "feature", "query", "filter", "component", "attribute", "meta-data", "levels", "gradle"];
const IOS: [&str; 10] = [
    "usage",
    "plist",
    "query-scheme",
    "url-scheme",
    "domain",
    "background-mode",
    "entitlement",
    "min-version",
    "build-setting",
    "privacy-reason",
];
const QUERY: [&str; 7] = ["action", "category", "scheme", "host", "mime", "package", "authority"];

pub(super) fn read_platform_need(
    platform: &str,
    value: &Value<'_>,
    max_level: Option<u32>,
    unjudged: &mut Vec<Text>,
    problems: &mut Vec<Problem>,
) -> Option<Asked> {
    let (what, known): (_, &[&str]) = if platform == "android" { ("`android`", &ANDROID) } else { ("`ios`", &IOS) };
    let table = as_table(platform, value, what, problems)?;
    table.refuse_others(known, problems);
    let entries = table.entries();
    let [(kind, value)] = entries.as_slice() else {
        problem(problems, table.span, "one requirement states one thing: one kind in each `[[requires]]`");
        return None;
    };
    let asked = |name: String, need| Some(Asked::Need { name, need });
    match (platform, kind.text.as_str()) {
        ("android", "permission") => {
            let name = table.text("permission", problems)?;
            name_like(&name, "a permission", problems)?;
            asked(name.text, Need::Permission { max_level })
        }
        ("android", "meta-data") => read_meta_data(kind, value, problems),
        ("android", "query") => read_query(kind, value, problems),
        ("android", "attribute") => read_attribute(kind, value, problems),
        ("ios", "usage") => read_usage(&table, problems),
        ("ios", "plist") => read_plist(kind, value, problems),
        ("ios", "query-scheme") => {
            let scheme = table.text("query-scheme", problems)?;
            scheme_like(&scheme, problems)?;
            asked(scheme.text, Need::QueryScheme)
        }
        (_, other) if known.contains(&other) => {
            unjudged.push(Text { text: other.to_owned(), span: Span::new(kind.span.start, span_of(value).end) });
            None
        }
        _ => None,
    }
}

fn read_usage(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let key = table.text("usage", problems)?;
    match ios::usage_key(&key.text) {
        Some(known) if known.is_for_ios() => Some(Asked::Need { name: key.text, need: Need::Usage }),
        Some(known) => {
            let message = format!("`{}` is a key of {} and does nothing in an iOS app", known.key, known.platform);
            problem(problems, key.span, message);
            None
        }
        None => {
            let hint = ios::nearest_usage_key(&key.text)
                .map_or_else(String::new, |known| format!("; did you mean `{}`?", known.key));
            problem(problems, key.span, format!("`{}` is no key that holds a purpose{hint}", key.text));
            None
        }
    }
}

fn read_meta_data(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`android.meta-data`", problems)?;
    table.refuse_others(&["name", "value", "resource", "in"], problems);
    let name = table.required_text("name", problems)?;
    name_like(&name, "a name of meta-data", problems)?;
    let text = table.text("value", problems).filter(|value| plain(value, problems));
    let resource = table.text("resource", problems).filter(|value| plain(value, problems));
    match (&text, &resource) {
        (None, None) => problem(problems, table.span, "`android.meta-data` needs a `value` or a `resource`"),
        (Some(_), Some(resource)) => {
            problem(problems, resource.span, "`android.meta-data` has a `value` or a `resource`, not both");
        }
        _ => {}
    }
    let owner = table.text("in", problems).map_or(Owner::Application, |owner| Owner::parse(&owner.text));
    let need = Need::MetaData { owner, value: text.map(|text| text.text), resource: resource.map(|text| text.text) };
    Some(Asked::Need { name: name.text, need })
}

fn read_query(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`android.query`", problems)?;
    table.refuse_others(&QUERY, problems);
    let mut get = |key: &str| table.text(key, problems).filter(|value| plain(value, problems)).map(|text| text.text);
    let query = Query {
        package: get("package"),
        authority: get("authority"),
        action: get("action"),
        scheme: get("scheme"),
        host: get("host"),
        mime: get("mime"),
        categories: Vec::new(),
    };
    let categories = table.texts("category", true, problems);
    let query = Query { categories: categories.into_iter().map(|text| text.text).collect(), ..query };
    let ways = [query.package.is_some(), query.authority.is_some(), query.action.is_some()];
    if ways.iter().filter(|way| **way).count() != 1 {
        problem(problems, table.span, "`android.query` needs exactly one of `action`, `package` and `authority`");
        return None;
    }
    Some(Asked::Need { name: query.name(), need: Need::Query(query) })
}

fn read_attribute(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`android.attribute`", problems)?;
    table.refuse_others(&["on", "name", "value"], problems);
    let owner = table.required_text("on", problems)?;
    name_like(&owner, "an element or class", problems)?;
    let name = table.required_text("name", problems)?;
    let value = table.required_text("value", problems).filter(|value| plain(value, problems))?;
    let attribute = name.text.strip_prefix("android:").unwrap_or(&name.text).to_owned();
    if attribute.is_empty() || !attribute.chars().all(|character| character.is_ascii_alphanumeric()) {
        problem(problems, name.span, format!("`{}` is no attribute of a manifest", name.text));
        return None;
    }
    let owner = Owner::parse(&owner.text);
    Some(Asked::Need { name: attribute.clone(), need: Need::Attribute { owner, attribute, value: value.text } })
}

fn read_plist(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`ios.plist`", problems)?;
    table.refuse_others(&["key", "value"], problems);
    let key = table.required_text("key", problems)?;
    if !plain(&key, problems) || key.text.is_empty() {
        return None;
    }
    let Some(value) = table.get("value") else {
        problem(problems, table.span, "`ios.plist` needs a `value`");
        return None;
    };
    let value = plist_value(value, problems)?;
    if ios::usage_key(&key.text).is_some() {
        let message = format!(
            "`{0}` holds a purpose, which only the app's owner can word: write `ios.usage = \"{0}\"`",
            key.text
        );
        problem(problems, key.span, message);
        return None;
    }
    Some(Asked::Need { name: key.text, need: Need::Plist { value } })
}

fn plist_value(value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<NewValue> {
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
fn plain(text: &Text, problems: &mut Vec<Problem>) -> bool {
    if text.text.chars().any(|character| character.is_control() && !matches!(character, '\n' | '\t')) {
        problem(problems, text.span, "control characters may not stand here");
        return false;
    }
    if text.text.len() > MAX_TEXT {
        problem(problems, text.span, format!("texts over {MAX_TEXT} bytes are not taken"));
        return false;
    }
    true
}

/// Notes a text that the platform would not take for a name.
fn name_like(text: &Text, what: &str, problems: &mut Vec<Problem>) -> Option<()> {
    let fits = |character: char| {
        character.is_alphanumeric() || matches!(character, '.' | '_' | '-' | '$' | '{' | '}' | ':' | '/')
    };
    if text.text.is_empty() || text.text.len() > MAX_TEXT || !text.text.chars().all(fits) {
        problem(problems, text.span, format!("this is not {what}: it may hold letters, digits, dots and underscores"));
        return None;
    }
    Some(())
}

/// Notes a text that is neither a scheme nor an answer that stands for one.
fn scheme_like(text: &Text, problems: &mut Vec<Problem>) -> Option<()> {
    if !answers_in(&text.text).is_empty() || is_scheme(&text.text) {
        return Some(());
    }
    let message = "this is no URL scheme: a letter, then letters, digits, `+`, `-` and `.`, with no `:` behind";
    problem(problems, text.span, message);
    None
}

/// Says whether a text is a URL scheme by RFC 3986.
pub(crate) fn is_scheme(text: &str) -> bool {
    text.starts_with(|first: char| first.is_ascii_alphabetic())
        && text.chars().all(|character| character.is_ascii_alphanumeric() || matches!(character, '+' | '-' | '.'))
}

/// Gathers all texts of a property-list value.
pub(crate) fn collect_texts<'v>(value: &'v NewValue, out: &mut Vec<&'v str>) {
    match value {
        NewValue::String(text) => out.push(text),
        NewValue::Array(values) => values.iter().for_each(|value| collect_texts(value, out)),
        NewValue::Dict(entries) => entries.iter().for_each(|(_, value)| collect_texts(value, out)),
        _ => {}
    }
}
