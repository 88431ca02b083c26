//! `apple-app-site-association`.
//!
//! Sources: "Supporting associated domains", "Supporting universal links in your app" and "applinks" in the platform's documentation.

use elvask_platform::{Confidence, LinkFact, Version};
use serde_json::{Map, Value};

use super::glob::{Budget, Variables, fits, unknown};
use crate::url::{Uri, decode};

/// The most entries that are read of one file.
const MAX_ENTRIES: usize = 10_000;

/// What the file says of links.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AppleAssociation {
    /// The entries, in their order.
    pub details: Vec<Detail>,
    variables: Variables,
    /// Whether `apps` stands there as an empty array, as systems before 13 want it.
    pub has_empty_apps: bool,
    /// What is odd about it.
    pub doubts: Vec<Doubt>,
}

/// Something odd.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Doubt {
    /// What it is, in a sentence without a full stop.
    pub message: String,
    /// How sure it is that it does harm.
    pub sure: Confidence,
}

/// An entry for one or several apps.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Detail {
    /// The application ids: prefix, dot, bundle id.
    pub apps: Vec<String>,
    /// Whether one id stands under `appID`: only that is seen by systems before 13.
    pub has_old_id: bool,
    /// The rules that systems from 13 on read.
    pub components: Option<Vec<Component>>,
    /// The rules that older systems read.
    pub paths: Option<Vec<String>>,
    /// How its rules are matched where they do not say it themselves.
    defaults: Defaults,
}

/// A rule.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Component {
    /// The pattern of the path.
    pub path: Option<String>,
    /// What is wanted of the query.
    pub query: Option<QueryRule>,
    /// The pattern of the fragment.
    pub fragment: Option<String>,
    /// Whether links that fit stay in the browser.
    pub exclude: bool,
    /// Whether case counts.
    pub case: bool,
    /// Whether the link is taken as it is written, percent escapes and all.
    pub encoded: bool,
}

/// What a rule wants of the query.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum QueryRule {
    /// The pattern of the whole.
    Whole(String),
    /// The patterns of parameters, by their names.
    Parameters(Vec<(String, String)>),
}

/// What the file decides about a link.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Decision {
    /// The link opens the app.
    Opens {
        /// The rule, as people write it.
        rule: String,
    },
    /// A rule says that the link stays in the browser.
    Excluded {
        /// The rule, as people write it.
        rule: String,
    },
    /// No rule fits.
    NoRule {
        /// How many rules the app has.
        rules: usize,
    },
    /// No entry is about the app.
    NotListed {
        /// The ids that there are.
        listed: Vec<String>,
    },
    /// Its patterns take more work than any device would put into them.
    TooCostly,
    /// The entry is not seen by systems as old as this one.
    TooNew {
        /// What it lacks, in a sentence without a full stop.
        lacks: String,
    },
}

impl AppleAssociation {
    /// Reads the file.
    ///
    /// # Errors
    /// What is wrong with its form, in a sentence without a full stop.
    pub fn parse(text: &str) -> Result<AppleAssociation, String> {
        let text = text.strip_prefix('\u{FEFF}').unwrap_or(text);
        let value: Value = serde_json::from_str(text).map_err(|error| format!("the file is not JSON: {error}"))?;
        let Value::Object(root) = value else {
            return Err("the file must be an object: { \"applinks\": { … } }".to_owned());
        };
        let mut file = AppleAssociation::default();
        let Some(links) = root.get("applinks") else { return Ok(file) };
        let Value::Object(links) = links else { return Err("\"applinks\" must be an object".to_owned()) };
        match links.get("apps") {
            Some(Value::Array(apps)) if apps.is_empty() => file.has_empty_apps = true,
            Some(_) => file.doubt(Confidence::High, "\"apps\" must be an empty array if it is there at all".to_owned()),
            None => {}
        }
        if let Some(Value::Object(variables)) = links.get("substitutionVariables") {
            for (name, values) in variables {
                let values = values.as_array().map(Vec::as_slice).unwrap_or_default();
                let texts: Vec<String> = values.iter().filter_map(Value::as_str).map(str::to_owned).collect();
                if texts.iter().any(|text| text.contains("$(")) {
                    file.doubt(
                        Confidence::High,
                        format!("a value of the variable {name} names another variable; it is taken as text"),
                    );
                }
                file.variables.insert(name.clone(), texts);
            }
        }
        let defaults = Defaults::default().under(links);
        match links.get("details") {
            Some(Value::Array(details)) => {
                for detail in details.iter().take(MAX_ENTRIES) {
                    let Value::Object(detail) = detail else {
                        return Err("an entry of \"details\" must be an object".to_owned());
                    };
                    let read = file.read_detail(detail, defaults)?;
                    file.details.push(read);
                }
            }
            // The very first form had the ids as keys.
            Some(Value::Object(details)) => {
                for (id, detail) in details {
                    let paths = detail.get("paths").map(strings);
                    let apps = vec![id.clone()];
                    file.details.push(Detail { apps, has_old_id: true, paths, ..Detail::default() });
                }
                file.doubt(
                    Confidence::High,
                    "\"details\" is an object, as in the first form of the file; an array is the one to write"
                        .to_owned(),
                );
            }
            Some(_) => return Err("\"details\" must be an array".to_owned()),
            None => file.doubt(Confidence::High, "\"applinks\" has no \"details\"".to_owned()),
        }
        Ok(file)
    }

    fn doubt(&mut self, sure: Confidence, message: impl Into<String>) {
        self.doubts.push(Doubt { message: message.into(), sure });
    }

    fn read_detail(&mut self, detail: &Map<String, Value>, defaults: Defaults) -> Result<Detail, String> {
        let mut apps = detail.get("appIDs").map(strings).unwrap_or_default();
        let old = detail.get("appID").and_then(Value::as_str);
        if let Some(old) = old.filter(|old| !apps.iter().any(|known| known == old)) {
            apps.push(old.to_owned());
        }
        if apps.is_empty() {
            return Err("an entry of \"details\" names no app: it needs \"appIDs\" or \"appID\"".to_owned());
        }
        let defaults = defaults.under(detail);
        let components = match detail.get("components") {
            None => None,
            Some(Value::Array(list)) => {
                let mut read = Vec::new();
                for one in list.iter().take(MAX_ENTRIES) {
                    let Value::Object(one) = one else {
                        return Err("a rule of \"components\" must be an object".to_owned());
                    };
                    read.push(self.read_component(one, defaults)?);
                }
                Some(read)
            }
            Some(_) => return Err("\"components\" must be an array".to_owned()),
        };
        let paths = detail.get("paths").map(strings);
        Ok(Detail { apps, has_old_id: old.is_some(), components, paths, defaults })
    }

    fn read_component(&mut self, one: &Map<String, Value>, defaults: Defaults) -> Result<Component, String> {
        let text = |key: &str| match one.get(key) {
            None => Ok(None),
            Some(Value::String(text)) => Ok(Some(text.clone())),
            Some(_) => Err(format!("{key:?} of a rule must be a string")),
        };
        let query = match one.get("?") {
            None => None,
            Some(Value::String(whole)) => Some(QueryRule::Whole(whole.clone())),
            Some(Value::Object(named)) => {
                let pairs = named.iter().filter_map(|(name, value)| Some((name.clone(), value.as_str()?.to_owned())));
                Some(QueryRule::Parameters(pairs.collect()))
            }
            Some(_) => return Err("\"?\" of a rule must be a string or an object".to_owned()),
        };
        let own = defaults.over(one);
        let component = Component {
            path: text("/")?,
            query,
            fragment: text("#")?,
            exclude: one.get("exclude").and_then(Value::as_bool).unwrap_or(false),
            case: own.case,
            encoded: own.encoded,
        };
        for key in one.keys().filter(|key| {
            !matches!(key.as_str(), "/" | "?" | "#" | "exclude" | "comment" | "caseSensitive" | "percentEncoded")
        }) {
            self.doubt(Confidence::High, format!("a rule has the key {key:?}, which means nothing"));
        }
        let patterns = component.path.iter().chain(&component.fragment);
        let unknown: Vec<_> = patterns.flat_map(|pattern| unknown(pattern, &self.variables)).collect();
        for name in unknown {
            let message = format!("a rule names the variable {name}, which is not defined: it matches nothing");
            self.doubt(LinkFact::VariableKnown.confidence(), message);
        }
        Ok(component)
    }

    /// Adds a rule to one of the entries, as if it had been read with them: one that keeps links out before all others, another one behind
    /// them.
    pub(crate) fn add_rule(&mut self, entry: usize, path: String, exclude: bool) {
        let Some(detail) = self.details.get_mut(entry) else { return };
        let Defaults { case, encoded } = detail.defaults;
        let rule = Component { path: Some(path), exclude, case, encoded, ..Component::default() };
        let rules = detail.components.get_or_insert_default();
        rules.insert(if exclude { 0 } else { rules.len() }, rule);
    }

    /// Decides about a link for an app on a system of a version.
    ///
    /// `id` may stand without its prefix, as where the team is not known: then any prefix goes.
    #[must_use]
    pub fn decide(&self, id: &AppId<'_>, uri: &Uri<'_>, version: &Version) -> Decision {
        let mine: Vec<&Detail> =
            self.details.iter().filter(|detail| detail.apps.iter().any(|app| id.is(app))).collect();
        if mine.is_empty() {
            let listed = self.details.iter().flat_map(|detail| detail.apps.iter().cloned()).collect();
            return Decision::NotListed { listed };
        }
        let new = at_least(version, 13, 0);
        let budget = Budget::new();
        let mut rules = 0;
        let mut lacks = None;
        for detail in mine {
            if !new && !detail.has_old_id {
                lacks = Some(
                    "the entry names the app under \"appIDs\" only, and systems before 13 read \"appID\"".to_owned(),
                );
                continue;
            }
            if !new && !self.has_empty_apps {
                lacks = Some("\"apps\": [] is absent, and systems before 13 want it".to_owned());
                continue;
            }
            match (&detail.components, &detail.paths) {
                (Some(components), _) if new => {
                    rules += components.len();
                    if let Some(found) = components.iter().find(|one| self.fits(one, uri, version, &budget)) {
                        return found.decision();
                    }
                }
                (_, Some(paths)) => {
                    rules += paths.len();
                    let path = path_of(uri);
                    let hit = paths
                        .iter()
                        .find(|rule| fits(rule.strip_prefix("NOT ").unwrap_or(rule), true, None, path, &budget));
                    match hit {
                        Some(rule) if rule.starts_with("NOT ") => {
                            return Decision::Excluded { rule: format!("\"{rule}\"") };
                        }
                        Some(rule) => return Decision::Opens { rule: format!("\"{rule}\"") },
                        None => {}
                    }
                }
                (Some(_), None) => {
                    lacks = Some("the entry has \"components\" only, and systems before 13 read \"paths\"".to_owned());
                }
                // An entry without rules takes nothing.
                (None, None) => {}
            }
        }
        match lacks {
            _ if budget.is_spent() => Decision::TooCostly,
            Some(lacks) if rules == 0 => Decision::TooNew { lacks },
            _ => Decision::NoRule { rules },
        }
    }

    fn fits(&self, rule: &Component, uri: &Uri<'_>, version: &Version, budget: &Budget) -> bool {
        let encoded = rule.encoded || !at_least(version, 14, 0);
        let case = rule.case || !at_least(version, 13, 5);
        let variables = at_least(version, 13, 5).then_some(&self.variables);
        let matches = |pattern: &str, text: &str| match encoded {
            true => fits(pattern, case, variables, text, budget),
            false => fits(pattern, case, variables, &decode(text), budget),
        };
        let path = rule.path.as_ref().is_none_or(|pattern| matches(pattern, path_of(uri)));
        let query = || match &rule.query {
            None => true,
            Some(QueryRule::Whole(pattern)) => matches(pattern, uri.query.unwrap_or_default()),
            Some(QueryRule::Parameters(wanted)) => wanted.iter().all(|(name, pattern)| {
                let pairs = uri.query.unwrap_or_default().split('&').filter(|pair| !pair.is_empty());
                let mut values = pairs
                    .map(|pair| pair.split_once('=').unwrap_or((pair, "")))
                    .filter(|(known, _)| decode(known) == *name)
                    .map(|(_, value)| value)
                    .peekable();
                // A parameter that is not there counts as an empty one.
                if values.peek().is_none() { matches(pattern, "") } else { values.all(|value| matches(pattern, value)) }
            }),
        };
        let fragment =
            || rule.fragment.as_ref().is_none_or(|pattern| matches(pattern, uri.fragment.unwrap_or_default()));
        path && query() && fragment()
    }
}

/// An application id, of which the prefix may not be known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct AppId<'i> {
    /// The prefix, mostly the team's id.
    pub team: Option<&'i str>,
    /// The bundle id.
    pub bundle: &'i str,
}

impl AppId<'_> {
    /// Says whether an id of the file is this app's.
    #[must_use]
    pub fn is(&self, listed: &str) -> bool {
        let Some((prefix, bundle)) = listed.split_once('.') else { return false };
        bundle == self.bundle && self.team.map_or_else(|| is_prefix(prefix), |team| team == prefix)
    }

    /// Returns the id as the file has it, where the prefix is known.
    #[must_use]
    pub fn whole(&self) -> Option<String> {
        Some(format!("{}.{}", self.team?, self.bundle))
    }
}

/// Says whether a text has the form of a team's id: ten capitals and digits.
#[must_use]
pub fn is_prefix(text: &str) -> bool {
    text.len() == 10 && text.bytes().all(|byte| byte.is_ascii_uppercase() || byte.is_ascii_digit())
}

impl Component {
    fn decision(&self) -> Decision {
        let rule = self.written();
        if self.exclude { Decision::Excluded { rule } } else { Decision::Opens { rule } }
    }

    /// Returns the rule as people write it.
    #[must_use]
    pub fn written(&self) -> String {
        let mut parts = Vec::new();
        parts.extend(self.path.as_ref().map(|path| format!("\"/\": {path:?}")));
        match &self.query {
            Some(QueryRule::Whole(whole)) => parts.push(format!("\"?\": {whole:?}")),
            Some(QueryRule::Parameters(pairs)) => {
                let pairs: Vec<_> = pairs.iter().map(|(name, value)| format!("{name:?}: {value:?}")).collect();
                parts.push(format!("\"?\": {{ {} }}", pairs.join(", ")));
            }
            None => {}
        }
        parts.extend(self.fragment.as_ref().map(|fragment| format!("\"#\": {fragment:?}")));
        if self.exclude {
            parts.push("\"exclude\": true".to_owned());
        }
        if parts.is_empty() { "{}".to_owned() } else { format!("{{ {} }}", parts.join(", ")) }
    }
}

/// Returns the path; an empty one counts as `/`, as browsers pass it on.
fn path_of<'u>(uri: &Uri<'u>) -> &'u str {
    uri.path.filter(|path| !path.is_empty()).unwrap_or("/")
}

fn at_least(version: &Version, major: u32, minor: u32) -> bool {
    *version >= Version::new(major, minor)
}

fn strings(value: &Value) -> Vec<String> {
    value
        .as_array()
        .map(Vec::as_slice)
        .unwrap_or_default()
        .iter()
        .filter_map(Value::as_str)
        .map(str::to_owned)
        .collect()
}

/// How rules are matched where they do not say it themselves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Defaults {
    case: bool,
    encoded: bool,
}

impl Default for Defaults {
    fn default() -> Self {
        Defaults { case: true, encoded: true }
    }
}

impl Defaults {
    fn under(self, object: &Map<String, Value>) -> Defaults {
        object.get("defaults").and_then(Value::as_object).map_or(self, |defaults| self.over(defaults))
    }

    fn over(self, object: &Map<String, Value>) -> Defaults {
        let flag = |key: &str, usual: bool| object.get(key).and_then(Value::as_bool).unwrap_or(usual);
        Defaults { case: flag("caseSensitive", self.case), encoded: flag("percentEncoded", self.encoded) }
    }
}
