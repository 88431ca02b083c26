//! Reading the kinds of requirement, each from its own value.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::{Platform, Version, ios};

use super::super::Asked;
use super::problem;
use crate::requirement::{
    COMPILE_LEVEL, Component, GradleFile, GradleLine, MIN_LEVEL, MIN_VERSION, Need, Owner, Query, TARGET_LEVEL,
};
use crate::template::answers_in;
use crate::tomldoc::{self, Problem, Table, Text, Value, as_table, span_of};

/// The longest name or value that is taken from a sheet, in bytes.
const MAX_TEXT: usize = 4096;

pub(super) const ANDROID: [&str; 9] =
    ["permission", "feature", "query", "filter", "component", "attribute", "meta-data", "levels", "gradle"];
pub(super) const IOS: [&str; 10] = [
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
pub(super) const QUERY: [&str; 11] = [
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
const COMPONENTS: [&str; 5] = ["activity", "activity-alias", "service", "receiver", "provider"];

pub(super) fn read_platform_need(
    platform: &str,
    value: &Value<'_>,
    max_level: Option<u32>,
    problems: &mut Vec<Problem>,
) -> Vec<Asked> {
    let (what, known): (_, &[&str]) = if platform == "android" { ("`android`", &ANDROID) } else { ("`ios`", &IOS) };
    let Some(table) = as_table(platform, value, what, problems) else { return Vec::new() };
    table.refuse_others(known, problems);
    let entries = table.entries();
    let [(kind, value)] = entries.as_slice() else {
        problem(problems, table.span, "one requirement states one thing: one kind in each `[[requires]]`");
        return Vec::new();
    };
    if kind.text == "levels" {
        return read_levels(kind, value, problems);
    }
    read_kind(platform, &table, kind, value, max_level, problems).into_iter().collect()
}

fn read_kind(
    platform: &str,
    table: &Table<'_, '_>,
    kind: &Text,
    value: &Value<'_>,
    max_level: Option<u32>,
    problems: &mut Vec<Problem>,
) -> Option<Asked> {
    let asked = |name: String, need| Some(Asked::Need { name, need });
    match (platform, kind.text.as_str()) {
        ("android", "permission") => {
            let name = table.text("permission", problems)?;
            name_like(&name, "a permission", problems)?;
            asked(name.text, Need::Permission { max_level })
        }
        ("android", "feature") => read_feature(kind, value, problems),
        ("android", "filter") => read_filter(kind, value, problems),
        ("android", "component") => read_component(kind, value, problems),
        ("android", "gradle") => read_gradle(kind, value, problems),
        ("android", "meta-data") => read_meta_data(kind, value, problems),
        ("android", "query") => read_query(kind, value, problems),
        ("android", "attribute") => read_attribute(kind, value, problems),
        ("ios", "usage") => read_usage(table, problems),
        ("ios", "plist") => read_plist(kind, value, problems),
        ("ios", "query-scheme") => {
            let scheme = table.text("query-scheme", problems)?;
            scheme_like(&scheme, problems)?;
            asked(scheme.text, Need::QueryScheme)
        }
        ("ios", "url-scheme") => {
            let scheme = table.text("url-scheme", problems)?;
            scheme_like(&scheme, problems)?;
            asked(scheme.text, Need::UrlScheme)
        }
        ("ios", "domain") => {
            let domain = table.text("domain", problems).filter(|text| plain(text, problems))?;
            let named = domain.text.split_once(':').is_some_and(|(service, host)| {
                service.chars().all(|letter| letter.is_ascii_lowercase()) && !service.is_empty() && !host.is_empty()
            });
            if !named || domain.text.contains(char::is_whitespace) {
                let message = "this is no associated domain; write one such as `applinks:marram.example`";
                problem(problems, domain.span, message);
                return None;
            }
            asked(domain.text, Need::Domain)
        }
        ("ios", "background-mode") => {
            let mode = table.text("background-mode", problems)?;
            if ios::background_mode(&mode.text).is_none() {
                let hint = ios::nearest_background_mode(&mode.text)
                    .map_or_else(String::new, |meant| format!("; did you mean `{meant}`?"));
                problem(problems, mode.span, format!("`{}` is no background mode{hint}", mode.text));
                return None;
            }
            asked(mode.text, Need::BackgroundMode)
        }
        ("ios", "entitlement") => read_entitlement(kind, value, problems),
        ("ios", "min-version") => {
            let text = table.text("min-version", problems)?;
            match Version::parse(&text.text) {
                Some(version) => asked(MIN_VERSION.to_owned(), Need::MinVersion(version)),
                None => {
                    problem(problems, text.span, "this is no version of iOS; write one such as `\"15.1\"`");
                    None
                }
            }
        }
        ("ios", "build-setting") => read_build_setting(kind, value, problems),
        ("ios", "privacy-reason") => read_privacy_reason(kind, value, problems),
        _ => None,
    }
}

fn read_feature(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let (name, required) = match value.get_ref().as_str() {
        Some(name) => (Text { text: name.to_owned(), span: span_of(value) }, false),
        None => {
            let table = as_table(&kind.text, value, "`android.feature`", problems)?;
            table.refuse_others(&["name", "required"], problems);
            let name = table.required_text("name", problems)?;
            (name, table.boolean("required", problems).unwrap_or(false))
        }
    };
    name_like(&name, "a feature", problems)?;
    Some(Asked::Need { name: name.text, need: Need::Feature { required } })
}

fn read_filter(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`android.filter`", problems)?;
    let known: Vec<_> =
        QUERY.into_iter().filter(|key| !matches!(*key, "package" | "authority")).chain(["on"]).collect();
    table.refuse_others(&known, problems);
    let owner = table.text("on", problems).map_or(Owner::Launcher, |owner| Owner::parse(&owner.text));
    if owner == Owner::Application {
        problem(problems, table.span, "an intent filter belongs to a component: `on` is `launcher` or a class");
        return None;
    }
    let filter = read_intent(&table, problems);
    if filter.action.is_none() {
        problem(problems, table.span, "`android.filter` needs an `action`");
        return None;
    }
    Some(Asked::Need { name: filter.name(), need: Need::Filter { owner, filter } })
}

fn read_component(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`android.component`", problems)?;
    table.refuse_others(
        &["kind", "name", "exported", "foreground-type", "permission", "authorities", "action"],
        problems,
    );
    let element = table.required_text("kind", problems)?;
    if !COMPONENTS.contains(&element.text.as_str()) {
        let known = tomldoc::list(&COMPONENTS);
        problem(problems, element.span, format!("`{}` is no component; known are {known}", element.text));
        return None;
    }
    let name = table.required_text("name", problems)?;
    name_like(&name, "the name of a class", problems)?;
    let exported = table.boolean("exported", problems);
    let mut get = |key: &str| table.text(key, problems).filter(|text| plain(text, problems)).map(|text| text.text);
    let (foreground_type, permission, authorities) = (get("foreground-type"), get("permission"), get("authorities"));
    let actions = table.texts("action", true, problems).into_iter().map(|text| text.text).collect();
    let element = element.text;
    let component = Component { element, exported, foreground_type, permission, authorities, actions };
    Some(Asked::Need { name: name.text, need: Need::Component(component) })
}

fn read_levels(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Vec<Asked> {
    let Some(table) = as_table(&kind.text, value, "`android.levels`", problems) else { return Vec::new() };
    table.refuse_others(&["min", "compile", "target"], problems);
    let levels = [("min", MIN_LEVEL), ("compile", COMPILE_LEVEL), ("target", TARGET_LEVEL)];
    let asked: Vec<_> = levels
        .into_iter()
        .filter_map(|(key, name)| {
            let level = table.number(key, problems)?;
            Some(Asked::Need { name: name.to_owned(), need: Need::Level(level) })
        })
        .collect();
    if asked.is_empty() && table.entries().is_empty() {
        problem(problems, table.span, "`android.levels` needs one of `min`, `compile` and `target`");
    }
    asked
}

fn read_gradle(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`android.gradle`", problems)?;
    let lines = ["plugin", "dependency", "repository", "keep-rule"];
    table.refuse_others(
        &["file", "plugin", "dependency", "repository", "keep-rule", "version", "configuration"],
        problems,
    );
    let said: Vec<_> = lines.into_iter().filter(|key| table.get(key).is_some()).collect();
    let [which] = said.as_slice() else {
        problem(problems, table.span, format!("`android.gradle` needs exactly one of {}", tomldoc::list(&lines)));
        return None;
    };
    let file = match table.text("file", problems) {
        None if *which == "repository" => GradleFile::Settings,
        None => GradleFile::App,
        Some(file) => match file.text.as_str() {
            "app" => GradleFile::App,
            "root" => GradleFile::Root,
            "settings" => GradleFile::Settings,
            other => {
                problem(
                    problems,
                    file.span,
                    format!("`{other}` is no Gradle file; known are `app`, `root` and `settings`"),
                );
                return None;
            }
        },
    };
    let name = table.text(which, problems)?;
    let version = table.text("version", problems).filter(|text| plain(text, problems)).map(|text| text.text);
    let configuration = table.text("configuration", problems);
    // What is written into a build file must not be able to leave its quotes.
    let safe = |text: &str| {
        text.chars()
            .all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '_' | '-' | ':' | '/' | '+' | '@'))
    };
    let fits = match *which {
        "keep-rule" => plain(&name, problems) && name.text.trim_start().starts_with('-') && !name.text.contains('\n'),
        _ => !name.text.is_empty() && name.text.len() <= MAX_TEXT && safe(&name.text),
    };
    let words = [version.as_deref(), configuration.as_ref().map(|text| text.text.as_str())];
    if !fits || words.into_iter().flatten().any(|text| !safe(text)) {
        problem(problems, name.span, format!("this is no {} as Gradle takes it", which.replace('-', " ")));
        return None;
    }
    let mut name = name.text;
    let line = match *which {
        "plugin" => GradleLine::Plugin { version },
        "repository" => GradleLine::Repository,
        "keep-rule" => GradleLine::KeepRule,
        _ => {
            let parts: Vec<_> = name.split(':').map(str::to_owned).collect();
            let [group, artifact, rest @ ..] = parts.as_slice() else {
                problem(problems, table.span, "a dependency is named `group:artifact` or `group:artifact:version`");
                return None;
            };
            let version = version.or_else(|| rest.first().cloned());
            name = format!("{group}:{artifact}");
            let configuration = configuration.map_or_else(|| "implementation".to_owned(), |text| text.text);
            GradleLine::Dependency { configuration, version }
        }
    };
    Some(Asked::Need { name, need: Need::Gradle { file, line } })
}

fn read_entitlement(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let (key, value) = match value.get_ref().as_str() {
        Some(key) => (Text { text: key.to_owned(), span: span_of(value) }, None),
        None => {
            let table = as_table(&kind.text, value, "`ios.entitlement`", problems)?;
            table.refuse_others(&["key", "value"], problems);
            let key = table.required_text("key", problems)?;
            let value = match table.get("value") {
                Some(value) => Some(plist_value(value, problems)?),
                None => None,
            };
            (key, value)
        }
    };
    name_like(&key, "an entitlement", problems)?;
    Some(Asked::Need { name: key.text, need: Need::Entitlement { value } })
}

fn read_build_setting(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`ios.build-setting`", problems)?;
    table.refuse_others(&["name", "value"], problems);
    let name = table.required_text("name", problems)?;
    let fits = name.text.chars().all(|letter| letter.is_ascii_alphanumeric() || letter == '_');
    if !fits || name.text.is_empty() {
        problem(problems, name.span, format!("`{}` is no build setting", name.text));
        return None;
    }
    let Some(given) = table.get("value") else {
        problem(problems, table.span, "`ios.build-setting` needs a `value`");
        return None;
    };
    let value = match plist_value(given, problems)? {
        NewValue::String(text) => text,
        NewValue::Bool(yes) => if yes { "YES" } else { "NO" }.to_owned(),
        NewValue::Array(words) => {
            let words = words.iter().map(|word| match word {
                NewValue::String(text) => Some(text.as_str()),
                _ => None,
            });
            words.collect::<Option<Vec<_>>>().unwrap_or_default().join(" ")
        }
        other => crate::requirement::plain_value(&other),
    };
    Some(Asked::Need { name: name.text, need: Need::BuildSetting { value } })
}

fn read_privacy_reason(kind: &Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table(&kind.text, value, "`ios.privacy-reason`", problems)?;
    table.refuse_others(&["category", "reasons"], problems);
    let category = table.required_text("category", problems)?;
    if ios::privacy_category(&category.text).is_none() {
        let message = format!("`{}` is no category of interfaces for which a reason is wanted", category.text);
        problem(problems, category.span, message);
        return None;
    }
    let reasons = table.texts("reasons", true, problems).into_iter().map(|text| text.text).collect();
    Some(Asked::Need { name: category.text, need: Need::PrivacyReason { reasons } })
}

/// Reads `file = { … }`, which both platforms have.
pub(super) fn read_file(value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let table = as_table("file", value, "`file`", problems)?;
    table.refuse_others(&["platform", "path", "id-at"], problems);
    let platform = table.required_text("platform", problems)?;
    let path = table.required_text("path", problems).filter(|text| plain(text, problems))?;
    let platform = match platform.text.as_str() {
        "android" => Platform::Android,
        "ios" => Platform::Ios,
        other => {
            problem(problems, platform.span, format!("`{other}` is no platform; known are `android` and `ios`"));
            return None;
        }
    };
    let inside = !path.text.is_empty()
        && !path.text.starts_with(['/', '~'])
        && !path.text.contains(['\\', ':'])
        && path.text.split('/').all(|part| !matches!(part, "" | "." | ".."));
    if !inside {
        problem(problems, path.span, "the path must lead into the platform's project: no `..`, no root, no empty part");
        return None;
    }
    let id_at = table.text("id-at", problems).filter(|text| plain(text, problems));
    if let Some(pointer) = id_at.as_ref().filter(|pointer| !pointer.text.starts_with('/')) {
        problem(problems, pointer.span, "`id-at` is a path in the file that starts with `/`");
        return None;
    }
    let need = Need::File { platform, id_at: id_at.map(|text| text.text) };
    Some(Asked::Need { name: path.text, need })
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
    let query = read_intent(&table, problems);
    let ways = [query.package.is_some(), query.authority.is_some(), query.action.is_some()];
    if ways.iter().filter(|way| **way).count() != 1 {
        problem(problems, table.span, "`android.query` needs exactly one of `action`, `package` and `authority`");
        return None;
    }
    Some(Asked::Need { name: query.name(), need: Need::Query(query) })
}

/// Reads what a query or a filter says.
fn read_intent(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Query {
    let mut get = |key: &str| table.text(key, problems).filter(|value| plain(value, problems)).map(|text| text.text);
    let query = Query {
        package: get("package"),
        authority: get("authority"),
        action: get("action"),
        scheme: get("scheme"),
        host: get("host"),
        port: get("port"),
        path: get("path"),
        path_prefix: get("path-prefix"),
        path_pattern: get("path-pattern"),
        mime: get("mime"),
        categories: Vec::new(),
    };
    let categories = table.texts("category", true, problems);
    Query { categories: categories.into_iter().map(|text| text.text).collect(), ..query }
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
