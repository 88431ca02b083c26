//! Activities and their filters that are declared as attributes of classes: `[Activity(…)] [IntentFilter(…)] class MainActivity`.
//!
//! Source: "Android manifest" in the platform tools' documentation. The build makes elements of the manifest of them.

use elvask_markup::Span;

use super::attributes::{closing, text_len};
use crate::filters::{DataSpec, Entry, FilterSpec};
use crate::source::{FileId, Place};

/// One attribute in source: its name, its arguments and where it stands.
#[derive(Debug, Clone)]
struct Call<'t> {
    name: &'t str,
    arguments: &'t str,
    span: Span,
}

/// The properties of a filter's data with the attributes of `<data>` that they become; a further letter or two makes each a list.
const DATA: [(&str, &str); 8] = [
    ("DataScheme", "scheme"),
    ("DataHost", "host"),
    ("DataPort", "port"),
    ("DataPath", "path"),
    ("DataPathPrefix", "pathPrefix"),
    ("DataPathPattern", "pathPattern"),
    ("DataPathSuffix", "pathSuffix"),
    ("DataMimeType", "mimeType"),
];

/// Returns the activities of a source file that have a filter or are started by the launcher.
pub(super) fn activities(text: &str, file: FileId) -> Vec<Entry> {
    let mut found = Vec::new();
    let mut pending: Vec<Call<'_>> = Vec::new();
    let mut namespace = "";
    let bytes = text.as_bytes();
    let rest = |at: usize| text.get(at..).unwrap_or_default();
    let mut at = 0;
    while let Some(byte) = bytes.get(at) {
        match byte {
            b'/' if bytes.get(at + 1) == Some(&b'/') => at += rest(at).find('\n').unwrap_or(text.len() - at),
            b'/' if bytes.get(at + 1) == Some(&b'*') => {
                at += rest(at).find("*/").map_or(text.len() - at, |end| end + 2);
            }
            b'"' => at += text_len(rest(at)),
            b'\'' => at += if bytes.get(at + 1) == Some(&b'\\') { 4 } else { 3 },
            b'[' => {
                let Some(end) = closing(rest(at), ('[', ']')) else { break };
                pending.extend(calls(text, Span::new(at + 1, at + end)));
                at += end + 1;
            }
            b';' | b'{' | b'}' => {
                pending.clear();
                at += 1;
            }
            byte if byte.is_ascii_alphabetic() || *byte == b'_' => {
                let word = word_at(rest(at));
                let behind = at + word.len();
                match word {
                    "namespace" => {
                        let name = rest(behind).trim_start();
                        let end = name.find(|letter: char| !letter.is_alphanumeric() && !matches!(letter, '.' | '_'));
                        namespace = name.get(..end.unwrap_or(name.len())).unwrap_or_default();
                        // The name is stepped over, so that nothing in it is taken for a word of its own.
                        at = behind + (rest(behind).len() - name.len()) + namespace.len();
                        continue;
                    }
                    "class" => {
                        let class = word_at(rest(behind).trim_start());
                        found.extend(entry(&pending, namespace, class, file));
                        pending.clear();
                    }
                    _ => {}
                }
                at = behind;
            }
            // Letters outside of ASCII are stepped over whole.
            _ => at += rest(at).chars().next().map_or(1, char::len_utf8),
        }
    }
    found
}

fn word_at(text: &str) -> &str {
    let end = text.find(|letter: char| !letter.is_alphanumeric() && letter != '_').unwrap_or(text.len());
    text.get(..end).unwrap_or_default()
}

/// Reads `Activity(Exported = true), IntentFilter(…)`.
fn calls(text: &str, span: Span) -> Vec<Call<'_>> {
    let inside = text.get(span.start..span.end).unwrap_or_default();
    let read = |(start, part)| {
        let part: &str = part;
        let own = part.trim();
        let (name, rest) = own.split_once('(').unwrap_or((own, ""));
        let name = name.trim().rsplit('.').next()?;
        let begin = span.start + start + part.len() - part.trim_start().len();
        Some(Call {
            name: name.strip_suffix("Attribute").unwrap_or(name),
            arguments: rest.strip_suffix(')').unwrap_or(rest),
            span: Span::new(begin, begin + own.len()),
        })
    };
    split(inside).into_iter().filter_map(read).collect()
}

/// Splits at the commas that stand in no bracket and no text; each part comes with its offset.
fn split(text: &str) -> Vec<(usize, &str)> {
    let (mut parts, mut depth, mut start, mut skip) = (Vec::new(), 0usize, 0, 0);
    for (at, letter) in text.char_indices() {
        if at < skip {
            continue;
        }
        match letter {
            '"' => skip = at + text_len(text.get(at..).unwrap_or_default()),
            '(' | '[' | '{' => depth += 1,
            ')' | ']' | '}' => depth = depth.saturating_sub(1),
            ',' if depth == 0 => {
                parts.push((start, text.get(start..at).unwrap_or_default()));
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push((start, text.get(start..).unwrap_or_default()));
    parts.retain(|(_, part)| !part.trim().is_empty());
    parts
}

/// Returns the arguments: names, where they have one, and values.
fn arguments(text: &str) -> Vec<(Option<&str>, &str)> {
    let is_name = |name: &str| name.trim().chars().all(|letter| letter.is_alphanumeric() || letter == '_');
    let read = |(_, part)| {
        let part: &str = part;
        match part.split_once('=').filter(|(name, _)| is_name(name)) {
            Some((name, value)) => (Some(name.trim()), value.trim()),
            None => (None, part.trim()),
        }
    };
    split(text).into_iter().map(read).collect()
}

/// Returns the texts of a value: of one, or of the list that it is.
fn values(value: &str) -> Vec<String> {
    let list = value.find(['{', '[']).filter(|_| !value.starts_with('"'));
    // `new[] { … }` has an empty pair of brackets before its list.
    let list = match list {
        Some(at) if value.get(at..).is_some_and(|rest| rest.starts_with("[]")) => value.find('{'),
        other => other,
    };
    let items = match list {
        Some(open) => {
            let inside = value.get(open + 1..).unwrap_or_default();
            inside.trim_end().trim_end_matches(['}', ']'])
        }
        None => value,
    };
    split(items).into_iter().filter_map(|(_, item)| text_of(item.trim())).collect()
}

/// Returns a text, or what a constant of the binding stands for: `Intent.ActionView`.
fn text_of(item: &str) -> Option<String> {
    if let Some(inside) = item.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')) {
        return Some(inside.replace("\\\\", "\\"));
    }
    if let Some(inside) = item.strip_prefix("@\"").and_then(|rest| rest.strip_suffix('"')) {
        return Some(inside.to_owned());
    }
    let last = item.rsplit('.').next()?;
    let (kind, name) = match (last.strip_prefix("Action"), last.strip_prefix("Category")) {
        (Some(name), _) => ("action", name),
        (_, Some(name)) => ("category", name),
        _ => return None,
    };
    let mut out = format!("android.intent.{kind}.");
    for (at, letter) in name.char_indices() {
        if at > 0 && letter.is_uppercase() {
            out.push('_');
        }
        out.extend(letter.to_uppercase());
    }
    (!name.is_empty()).then_some(out)
}

fn entry(pending: &[Call<'_>], namespace: &str, class: &str, file: FileId) -> Option<Entry> {
    let activity = pending.iter().find(|call| call.name == "Activity")?;
    let told = arguments(activity.arguments);
    let value = |name: &str| told.iter().find(|(known, _)| *known == Some(name)).map(|(_, value)| *value);
    let text = |name: &str| value(name).and_then(text_of);
    let place = Place { file, span: activity.span };
    let filters: Vec<FilterSpec> =
        pending.iter().filter(|call| call.name == "IntentFilter").map(|call| filter(call, file)).collect();
    let full = if namespace.is_empty() { class.to_owned() } else { format!("{namespace}.{class}") };
    // LaunchMode.SingleTask
    let mode = value("LaunchMode").and_then(|mode| mode.rsplit('.').next()).map(|mode| {
        let mut letters = mode.chars();
        let first = letters.next().map(|first| first.to_lowercase().to_string()).unwrap_or_default();
        format!("{first}{}", letters.as_str())
    });
    let launcher = value("MainLauncher") == Some("true");
    (launcher || !filters.is_empty()).then(|| Entry {
        component: text("Name").unwrap_or(full),
        target: None,
        has_target: true,
        // The build opens what the launcher starts.
        exported: value("Exported").and_then(|value| value.parse().ok()).or(launcher.then_some(true)),
        enabled: value("Enabled") != Some("false"),
        permission: text("Permission"),
        launch_mode: mode,
        label: text("Label"),
        filters,
        place,
    })
}

fn filter(call: &Call<'_>, file: FileId) -> FilterSpec {
    let told = arguments(call.arguments);
    let named = |name: &str| {
        told.iter().find(|(known, _)| *known == Some(name)).map(|(_, value)| values(value)).unwrap_or_default()
    };
    let place = Place { file, span: call.span };
    let mut data = Vec::new();
    for (property, attribute) in DATA {
        for name in [property.to_owned(), format!("{property}s"), format!("{property}es")] {
            for value in named(&name) {
                let mut one = DataSpec { place: Some(place), ..DataSpec::default() };
                one.push(attribute, &value, place);
                data.push(one);
            }
        }
    }
    // Host and port belong together, and stand in one element.
    let ports: Vec<String> = data.iter().filter_map(|one: &DataSpec| one.value("port").map(str::to_owned)).collect();
    if let [port] = ports.as_slice() {
        data.retain(|one| one.value("port").is_none());
        data.iter_mut().filter(|one| one.value("host").is_some()).for_each(|one| one.push("port", port, place));
    }
    FilterSpec {
        actions: told.iter().find(|(name, _)| name.is_none()).map(|(_, value)| values(value)).unwrap_or_default(),
        categories: named("Categories"),
        data,
        groups: Vec::new(),
        auto_verify: told.iter().any(|(name, value)| *name == Some("AutoVerify") && *value == "true"),
        priority: told
            .iter()
            .find(|(name, _)| *name == Some("Priority"))
            .and_then(|(_, value)| value.parse().ok())
            .unwrap_or(0),
        place: Some(place),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::Sources;

    fn read(text: &str) -> Vec<Entry> {
        let file = Sources::default().add(std::path::Path::new("/app/MainActivity.cs"), text);
        activities(text, file)
    }

    #[test]
    fn filters_of_classes_are_read() {
        let found = read(
            "using Android.App;\nnamespace Marram.Fieldlog;\n// [Activity] class No {}\n[Activity(Label = \"Marram\", MainLauncher = true, Exported = true, LaunchMode = LaunchMode.SingleTask)]\n[IntentFilter(new[] { Intent.ActionView },\n    Categories = new[] { Intent.CategoryDefault, Android.Content.Intent.CategoryBrowsable },\n    DataScheme = \"https\", DataHosts = new string[] { \"marram.example\", \"log.marram.example\" }, DataPathPrefix = \"/site/\", AutoVerify = true)]\n[IntentFilter([Intent.ActionSend, Intent.ActionSendMultiple], Categories = [Intent.CategoryDefault], DataMimeType = \"image/*\")]\npublic class MainActivity : Activity { [Obsolete] int a = b[1]; }\n[Activity(Name = \"example.marram.Ring\", Exported = false)]\n[IntentFilter(new[] { \"android.intent.action.VIEW\" }, DataScheme = \"marram\")]\nclass Ring {}\n[Activity] class Plain {}\n",
        );
        assert_eq!(found.len(), 2, "{found:?}");
        let main = &found[0];
        assert_eq!(
            (main.component.as_str(), main.exported, main.launch_mode.as_deref()),
            ("Marram.Fieldlog.MainActivity", Some(true), Some("singleTask"))
        );
        let web = &main.filters[0];
        assert_eq!(web.actions, ["android.intent.action.VIEW"]);
        assert_eq!(web.categories, ["android.intent.category.DEFAULT", "android.intent.category.BROWSABLE"]);
        assert_eq!(
            (web.hosts(), web.auto_verify, web.is_web_only()),
            (vec!["marram.example", "log.marram.example"], true, true)
        );
        assert_eq!(main.filters[1].actions, ["android.intent.action.SEND", "android.intent.action.SEND_MULTIPLE"]);
        assert_eq!((found[1].component.as_str(), found[1].exported), ("example.marram.Ring", Some(false)));
    }

    #[test]
    fn broken_source_does_no_harm() {
        for text in [
            "[Activity(",
            "[",
            "[Activity]",
            "class",
            "namespace",
            "[IntentFilter(new[] {",
            "\"",
            "'",
            "/*",
            "é[Activity] class å {}",
            "[(]class a",
            "[,]class b",
            "[Activity(=)]class c",
        ] {
            let found = read(text);
            assert!(
                found.iter().all(|one| one.component.rsplit('.').next().is_some_and(|name| text.contains(name))),
                "{text}: a name from nowhere"
            );
        }
    }
}
