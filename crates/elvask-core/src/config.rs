//! `elvask.toml`: what the app's owner has said once and for all.

mod app;
mod links;
mod network;

use elvask_markup::Span;
use elvask_needs::sheet::Sheet;
use elvask_platform::{capability, ios};
use elvask_project::tomldoc::{self, Problem, Table, Text, Value, as_table, span_of};

pub use app::{Identity, Orientations};
pub use links::LinksConfig;
pub use network::{Cleartext, NetworkConfig};

/// What `elvask.toml` says.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Config {
    /// What identity is meant to be.
    pub identity: Identity,
    /// Purposes by capability or by key.
    pub purposes: Vec<Purpose>,
    /// What is said for single plugins.
    pub per_plugin: Vec<PluginConfig>,
    /// Hosts under `[links]`.
    pub hosts: Vec<Text>,
    /// Schemes under `[links]`.
    pub schemes: Vec<Text>,
    /// What else is said of links.
    pub links: LinksConfig,
    /// Where the app connects to, where that is said.
    pub network: Option<NetworkConfig>,
    /// Findings accepted on purpose.
    pub waivers: Vec<Waiver>,
}

/// A purpose, in one or several languages.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Purpose {
    /// The capability or the key.
    pub name: Text,
    /// The texts by language; the language of a text that stands alone is empty.
    pub texts: Vec<(String, Text)>,
}

impl Purpose {
    /// Returns the text for a language, else the English one, else the first.
    #[must_use]
    pub fn text(&self, language: Option<&str>) -> Option<&Text> {
        let of = |wanted: &str| self.texts.iter().find(|(language, _)| language == wanted);
        language.and_then(of).or_else(|| of("en")).or_else(|| self.texts.first()).map(|(_, text)| text)
    }
}

/// A table under `[plugins]`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PluginConfig {
    /// The plugin's name.
    pub name: Text,
    /// The parts that the app turns on.
    pub features: Vec<Text>,
    /// The values that the owner gives, by key.
    pub answers: Vec<(Text, Text)>,
}

/// A finding accepted on purpose.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Waiver {
    /// The rule's id.
    pub rule: Text,
    /// The subject of the finding; all subjects where it is absent.
    pub subject: Option<Text>,
    /// Why it is accepted.
    pub reason: String,
    /// The last day on which it holds, as year-month-day.
    pub until: Option<Text>,
    /// The waiver as a whole.
    pub span: Span,
}

/// The tables of `elvask.toml`, each with the keys that it takes; the first is the document itself. A table for each plugin stands below `plugins`.
const TABLES: [(&str, &[&str]); 10] = [
    ("", &["elvask", "app", "purposes", "plugins", "links", "network", "waivers"]),
    ("app", &app::KEYS),
    ("plugins.", &["features", "answers"]),
    ("links", &["hosts", "schemes", "fingerprints", "site", "routes", "tests"]),
    ("links.routes", &["path", "opens", "hosts"]),
    ("links.tests", &["url", "opens", "with", "platform", "level"]),
    ("network", &["hosts", "cleartext", "navigation", "intents"]),
    ("network.cleartext", &["host", "subdomains", "reason"]),
    ("waivers", &["rule", "subject", "reason", "until"]),
    ("purposes", &[]),
];

/// Returns the keys that a table of `elvask.toml` takes: `links.routes`; empty for one that takes any, and for one that is not known.
#[must_use]
pub fn keys_of(table: &str) -> &'static [&'static str] {
    let of_plugin = table.strip_prefix("plugins.").is_some_and(|rest| !rest.ends_with(".answers"));
    let table = if of_plugin { "plugins." } else { table };
    TABLES.iter().find(|(name, _)| *name == table).map_or(&[], |(_, keys)| keys)
}

impl Config {
    /// Reads the text of `elvask.toml`. What is wrong in it comes beside what could be read.
    #[must_use]
    pub fn parse(text: &str) -> (Config, Vec<Problem>) {
        tomldoc::parse(text, read)
    }

    /// Returns what is said for a plugin.
    #[must_use]
    pub fn for_plugin(&self, name: &str) -> Option<&PluginConfig> {
        self.per_plugin.iter().find(|plugin| plugin.name.text == name)
    }

    /// Looks for features and answers that a plugin's sheet does not know.
    #[must_use]
    pub fn check_against(&self, sheet: &Sheet) -> Vec<Problem> {
        let Some(plugin) = self.for_plugin(&sheet.plugin.text) else { return Vec::new() };
        let features: Vec<_> = sheet.features.iter().map(|feature| feature.name.text.as_str()).collect();
        let mut answers: Vec<_> = sheet.answers.iter().map(|answer| answer.key.text.as_str()).collect();
        answers.extend(["scheme", "host"]);
        let unknown = |text: &Text, known: &[&str], what: &str| {
            (!known.contains(&text.text.as_str())).then(|| {
                let hint = match elvask_platform::names::nearest(&text.text, known.iter().copied()) {
                    Some(meant) => format!("did you mean `{meant}`?"),
                    None if known.is_empty() => format!("its sheet has no {what}s"),
                    None => format!("its sheet has {}", tomldoc::list(known)),
                };
                let article = if what.starts_with(['a', 'e', 'i', 'o']) { "an" } else { "a" };
                let message = format!("`{}` is not {article} {what} of {}; {hint}", text.text, sheet.plugin.text);
                Problem { message, span: text.span }
            })
        };
        let wrong_features = plugin.features.iter().filter_map(|feature| unknown(feature, &features, "feature"));
        let wrong_answers = plugin.answers.iter().filter_map(|(key, _)| unknown(key, &answers, "answer"));
        wrong_features.chain(wrong_answers).collect()
    }
}

fn read(root: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Config {
    root.refuse_others(keys_of(""), problems);
    match root.number("elvask", problems) {
        Some(1) => {}
        Some(other) => {
            let span = root.get("elvask").map_or(root.span, span_of);
            problems.push(Problem {
                message: format!("version {other} of this file is not known; this Elvask reads 1"),
                span,
            });
        }
        None if root.get("elvask").is_none() => {
            let message =
                "`elvask = 1` is missing: it says in which version of its format the file is written".to_owned();
            problems.push(Problem { message, span: root.span });
        }
        None => {}
    }
    let mut config = Config::default();
    if let Some(app) = root.table("app", "`[app]`", problems) {
        config.identity = self::app::read(&app, problems);
    }
    if let Some(purposes) = root.table("purposes", "`[purposes]`", problems) {
        config.purposes =
            purposes.entries().into_iter().filter_map(|(name, value)| read_purpose(name, value, problems)).collect();
    }
    if let Some(plugins) = root.table("plugins", "`[plugins]`", problems) {
        config.per_plugin =
            plugins.entries().into_iter().filter_map(|(name, value)| read_plugin(name, value, problems)).collect();
    }
    if let Some(links) = root.table("links", "`[links]`", problems) {
        links.refuse_others(keys_of("links"), problems);
        config.hosts = links.texts("hosts", false, problems);
        config.schemes = links.texts("schemes", false, problems);
        config.links = self::links::read(&links, problems);
    }
    config.network =
        root.table("network", "`[network]`", problems).map(|network| self::network::read(&network, problems));
    config.waivers = root
        .tables("waivers", "a waiver", problems)
        .iter()
        .filter_map(|waiver| read_waiver(waiver, problems))
        .collect();
    config
}

fn read_purpose(name: Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Purpose> {
    if capability::capability(&name.text).is_none() && ios::usage_key(&name.text).is_none() {
        let known =
            capability::capabilities().map(|known| known.name).chain(ios::usage_keys().iter().map(|known| known.key));
        let hint = elvask_platform::names::nearest(&name.text, known)
            .map_or_else(String::new, |meant| format!("; did you mean `{meant}`?"));
        let message = format!("`{}` is neither a capability nor a purpose key{hint}", name.text);
        problems.push(Problem { message, span: name.span });
        return None;
    }
    let text = |value: &Value<'_>| Some(Text { text: value.get_ref().as_str()?.to_owned(), span: span_of(value) });
    if let Some(text) = text(value) {
        return Some(Purpose { name, texts: vec![(String::new(), text)] });
    }
    if !value.get_ref().is_table() {
        let message = format!("`{}` must be a text, or a table with one text for each language", name.text);
        problems.push(Problem { message, span: span_of(value) });
        return None;
    }
    let table = as_table(&name.text, value, "a purpose", problems)?;
    let languages = table.entries().into_iter().filter_map(|(language, value)| match text(value) {
        Some(text) => Some((language.text, text)),
        None => {
            let message = format!("the purpose in `{}` must be a string", language.text);
            problems.push(Problem { message, span: span_of(value) });
            None
        }
    });
    let texts = languages.collect();
    Some(Purpose { name, texts })
}

fn read_plugin(name: Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<PluginConfig> {
    let table = as_table(&name.text, value, "a plugin's table", problems)?;
    table.refuse_others(keys_of("plugins."), problems);
    let features = table.texts("features", false, problems);
    let mut answers = Vec::new();
    if let Some(given) = table.table("answers", "the answers", problems) {
        for (key, _) in given.entries() {
            if let Some(answer) = given.text(&key.text, problems) {
                answers.push((key, answer));
            }
        }
    }
    Some(PluginConfig { name, features, answers })
}

fn read_waiver(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Option<Waiver> {
    table.refuse_others(keys_of("waivers"), problems);
    let rule = table.required_text("rule", problems);
    let reason = table.required_text("reason", problems);
    let subject = table.text("subject", problems);
    let until = table.get("until").and_then(|value| {
        let date = value.get_ref().as_datetime().filter(|date| date.time.is_none()).and_then(|date| date.date);
        if date.is_none() {
            let message = "`until` must be a date such as 2027-03-31, without quotes".to_owned();
            problems.push(Problem { message, span: span_of(value) });
        }
        Some(Text { text: date?.to_string(), span: span_of(value) })
    });
    let (rule, reason) = (rule?, reason?);
    if !reason.text.chars().any(char::is_alphanumeric) {
        let message = "`reason` must say why the finding is accepted".to_owned();
        problems.push(Problem { message, span: reason.span });
    }
    Some(Waiver { rule, subject, reason: reason.text, until, span: table.span })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn everything_of_the_format_is_read() {
        let (config, problems) = Config::parse(
            r#"
elvask = 1
[app]
name = "Marram"
ios-team = "A1B2C3D4E5"
[purposes]
camera = "Photographs the ring."
NSMicrophoneUsageDescription = { nl = "Neemt roepen op.", en = "Records calls." }
[plugins.tern_camera]
features = ["video"]
[plugins.knot_banner.answers]
app_id = "knot-48210077"
[links]
hosts = ["marram.example"]
schemes = ["marram"]
[[links.routes]]
path = "/site"
opens = "Site page"
[[waivers]]
rule = "purpose-vague"
subject = "NSCameraUsageDescription"
reason = "Agreed with the reviewers."
until = 2027-03-31
"#,
        );
        assert_eq!(problems, []);
        assert_eq!(config.purposes[1].text(Some("nl")).unwrap().text, "Neemt roepen op.");
        assert_eq!(config.purposes[1].text(None).unwrap().text, "Records calls.");
        assert_eq!(config.for_plugin("knot_banner").unwrap().answers[0].1.text, "knot-48210077");
        assert_eq!(config.waivers[0].until.as_ref().unwrap().text, "2027-03-31");
        assert_eq!(config.schemes[0].text, "marram");
    }

    #[test]
    fn mistakes_are_named_with_their_places() {
        let text = "elvask = 2\n[purposes]\ncamra = 'x'\nmotion = 3\n[[waivers]]\nrule = 'purpose-vage'\nreason = 'r'\nuntil = 'soon'\n";
        let (_, problems) = Config::parse(text);
        let found: Vec<_> = problems.iter().map(|problem| (problem.span.of(text), problem.message.as_str())).collect();
        assert_eq!(
            found,
            [
                ("2", "version 2 of this file is not known; this Elvask reads 1"),
                ("camra", "`camra` is neither a capability nor a purpose key; did you mean `camera`?"),
                ("3", "`motion` must be a text, or a table with one text for each language"),
                ("'soon'", "`until` must be a date such as 2027-03-31, without quotes"),
            ]
        );
    }
}
