//! Two surfaces of an app held against each other: what it declares more, less or otherwise, and what that means to whoever updates.

use std::collections::BTreeMap;

use elvask_platform::android::{self, Grant, PERMISSION_PREFIX};
use elvask_platform::{Kind, Platform, Version, ios};
use serde_json::Value;

pub use crate::fact::Fact;
use crate::survey::{Declaration, Survey};

/// What became of a thing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Turn {
    /// It is declared now.
    Gained,
    /// It is declared no more.
    Lost,
    /// It is declared with another value.
    Changed,
}

impl Turn {
    /// Returns the word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Turn::Gained => "gained",
            Turn::Lost => "lost",
            Turn::Changed => "changed",
        }
    }
}

/// A difference between two surfaces.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    /// What became of it.
    pub turn: Turn,
    /// The thing, as it is now; as it was, where it is lost.
    pub fact: Fact,
    /// The value that it had, where that changed.
    pub before: Option<String>,
    /// The word by which a run can be made to fail for it: one of [`CLASSES`].
    pub class: &'static str,
    /// What it means to whoever updates, in a sentence or two; empty where it means nothing to them.
    pub meaning: String,
}

/// The words for kinds of differences.
pub const CLASSES: [&str; 12] = [
    "gained-permission",
    "lost-permission",
    "gained-link",
    "lost-link",
    "raised-level",
    "changed-level",
    "changed-purpose",
    "gained-entitlement",
    "lost-entitlement",
    "gained-feature",
    "changed-id",
    "other",
];

/// Reads the facts of what `survey --format json` printed.
///
/// # Errors
/// What is wrong with it, in words that follow the name of the file.
pub fn facts(survey: &Value) -> Result<Vec<Fact>, String> {
    let text = |one: &Value, key: &str| one.get(key).and_then(Value::as_str).map(str::to_owned);
    if survey.get("format").and_then(Value::as_u64) != Some(1) {
        return Err("is not what `elvask survey --format json` prints".to_owned());
    }
    let all = survey.get("declarations").and_then(Value::as_array);
    let all =
        all.ok_or_else(|| "is not what `elvask survey --format json` prints: it has no declarations".to_owned())?;
    let fact = |one: &Value| {
        let platform = match text(one, "platform")?.as_str() {
            "android" => Platform::Android,
            "ios" => Platform::Ios,
            _ => return None,
        };
        Some(Fact { platform, kind: text(one, "kind")?, name: text(one, "name")?, value: text(one, "value") })
    };
    Ok(all.iter().filter_map(fact).collect())
}

/// Returns the facts of a survey, one for each declaration, in their order.
#[must_use]
pub fn facts_of(survey: &Survey) -> Vec<Fact> {
    let fact = |one: &Declaration| Fact {
        platform: one.platform,
        kind: one.kind.to_owned(),
        name: one.name.clone(),
        value: one.value.clone(),
    };
    survey.declarations.iter().map(fact).collect()
}

/// Returns what differs: first what the stores ask about and people see, in the order of [`CLASSES`].
#[must_use]
pub fn compare(old: &[Fact], new: &[Fact]) -> Vec<Difference> {
    let mut out = Vec::new();
    let key = |fact: &Fact| (fact.platform, fact.kind.clone(), fact.name.clone());
    let grouped = |facts: &[Fact]| {
        let mut all: BTreeMap<(Platform, String, String), Vec<Option<String>>> = BTreeMap::new();
        for fact in facts {
            let values = all.entry(key(fact)).or_default();
            // The same thing twice says nothing more.
            if !values.contains(&fact.value) {
                values.push(fact.value.clone());
            }
        }
        all
    };
    let (before, after) = (grouped(old), grouped(new));
    let fact = |(platform, kind, name): &(Platform, String, String), value: &Option<String>| Fact {
        platform: *platform,
        kind: kind.clone(),
        name: name.clone(),
        value: value.clone(),
    };
    for (key, values) in &after {
        match before.get(key).map(Vec::as_slice) {
            None => out.extend(values.iter().map(|value| told(Turn::Gained, fact(key, value), None))),
            // One of each: the same thing with another value.
            Some([was]) if values.len() == 1 => {
                let is = values.first().cloned().flatten();
                if *was != is {
                    out.push(told(Turn::Changed, fact(key, &is), was.clone()));
                }
            }
            Some(were) => {
                let gained = values.iter().filter(|value| !were.contains(value));
                out.extend(gained.map(|value| told(Turn::Gained, fact(key, value), None)));
            }
        }
    }
    for (key, values) in &before {
        match after.get(key) {
            None => out.extend(values.iter().map(|value| told(Turn::Lost, fact(key, value), None))),
            Some(now) if values.len() == 1 && now.len() == 1 => {}
            Some(now) => {
                let lost = values.iter().filter(|value| !now.contains(value));
                out.extend(lost.map(|value| told(Turn::Lost, fact(key, value), None)));
            }
        }
    }
    out.sort_by_key(|one| CLASSES.iter().position(|class| *class == one.class));
    out
}

fn told(turn: Turn, fact: Fact, before: Option<String>) -> Difference {
    let (class, meaning) = meaning(turn, &fact, before.as_deref());
    Difference { turn, fact, before, class, meaning }
}

/// The action of links. What else filters take, other apps or the system send.
const VIEW: &str = "android.intent.action.VIEW";

/// Returns the class of a difference, and what it means.
// In one piece: an arm for each kind of thing.
fn meaning(turn: Turn, fact: &Fact, before: Option<&str>) -> (&'static str, String) {
    let is = |kind: Kind| fact.kind == kind.id();
    let value = fact.value.as_deref().unwrap_or_default();
    if is(Kind::Permission) {
        return match turn {
            Turn::Lost => {
                ("lost-permission", "The update takes it away; code that still uses it fails or is ended.".to_owned())
            }
            _ => ("gained-permission", permission(&fact.name)),
        };
    }
    if is(Kind::Usage) {
        return match turn {
            Turn::Gained => ("gained-permission", "A new dialog with the app's text, where the code asks.".to_owned()),
            Turn::Lost => ("lost-permission", "Where the code still asks, the system ends the app.".to_owned()),
            Turn::Changed => (
                "changed-purpose",
                "Whoever is asked from now on reads the other text; whoever has decided is not asked once more."
                    .to_owned(),
            ),
        };
    }
    let opens_links = is(Kind::Domain) || is(Kind::UrlScheme) || (is(Kind::Filter) && fact.name.starts_with(VIEW));
    if opens_links {
        return match turn {
            Turn::Gained => (
                "gained-link",
                "It opens the app from now on; links over https want the file on the website too.".to_owned(),
            ),
            Turn::Lost => ("lost-link", "What opened the app opens the browser, another app or nothing.".to_owned()),
            Turn::Changed => {
                ("lost-link", "Some of what opened the app may not do so any more: compare the two.".to_owned())
            }
        };
    }
    if is(Kind::Entitlement) {
        return match turn {
            Turn::Lost => ("lost-entitlement", "What it opens fails for whoever updates.".to_owned()),
            _ => ("gained-entitlement", entitlement(&fact.name)),
        };
    }
    if is(Kind::Feature) && turn != Turn::Lost && !value.contains("if it is there") {
        return (
            "gained-feature",
            "The store no longer offers the app to devices without it; whoever has one gets no update.".to_owned(),
        );
    }
    match (fact.kind.as_str(), fact.name.as_str()) {
        ("level", "minSdkVersion") | ("min-version", _) => level(fact, before),
        ("level", "targetSdkVersion") if turn == Turn::Changed => (
            "changed-level",
            format!(
                "The system treats the app by the rules of level {value}, which close what those of {} allowed.",
                before.unwrap_or_default()
            ),
        ),
        ("identity", "applicationId" | "bundle id") => (
            "changed-id",
            "It is another app: installed beside the old one, without its data, and new in the store.".to_owned(),
        ),
        ("identity", "versionCode" | "build") if turn == Turn::Changed => {
            match (number(value), number(before.unwrap_or_default())) {
                (Some(is), Some(was)) if is < was => (
                    "changed-id",
                    "It is lower than before: the store refuses the upload, and devices the update.".to_owned(),
                ),
                _ => ("other", String::new()),
            }
        }
        ("background-mode", _) => match turn {
            Turn::Lost => ("other", "The app is stopped in the background, where it went on before.".to_owned()),
            _ => ("other", "The review of the store looks at what the mode is for.".to_owned()),
        },
        ("query" | "query-scheme", _) if turn == Turn::Lost => {
            ("other", "To the app, those other apps are not installed any more.".to_owned())
        }
        _ => ("other", String::new()),
    }
}

/// Returns what it means to whoever updates that something is declared that was not; empty where it means nothing to them.
pub(crate) fn meaning_of_new(fact: &Fact) -> String {
    meaning(Turn::Gained, fact, None).1
}

/// Returns what it means that the lowest level is raised from `before`.
pub(crate) fn meaning_of_level(fact: &Fact, before: &str) -> String {
    level(fact, Some(before)).1
}

fn number(text: &str) -> Option<Vec<u64>> {
    text.split('.').map(|part| part.parse().ok()).collect()
}

/// Says what it means that the lowest level is another one.
fn level(fact: &Fact, before: Option<&str>) -> (&'static str, String) {
    let value = fact.value.as_deref().unwrap_or_default();
    let before = before.unwrap_or_default();
    let raised = match fact.platform {
        Platform::Android => number(value) > number(before),
        Platform::Ios => Version::parse(value) > Version::parse(before),
    };
    let name = match fact.platform {
        Platform::Android => "level",
        Platform::Ios => "iOS",
    };
    match raised {
        true => (
            "raised-level",
            format!("Devices from {name} {before} to below {value} get no update any more, and keep what they have."),
        ),
        false => ("changed-level", format!("Devices from {name} {value} on can install the app.")),
    }
}

/// Says what it means that an app has a permission.
fn permission(name: &str) -> String {
    let known = android::permission(name).or_else(|| android::permission(&format!("{PERMISSION_PREFIX}{name}")));
    let first = match known.map(android::Permission::grant) {
        Some(Grant::Prompt) => "A new question: whoever updates is asked where the code asks, and may say no.",
        Some(Grant::AtInstall) => "It comes with the update, without a question.",
        Some(Grant::SettingsScreen) => {
            "People turn it on on a settings screen of its own; nobody has it after the update."
        }
        Some(Grant::Never) => "No app of a store gets it: it does nothing.",
        Some(Grant::Unknown) | None => "Another app or the maker of the device decides who gets it.",
    };
    match android::store_review(name) {
        Some(review) => format!("{first} The store wants it declared: {review}"),
        None => first.to_owned(),
    }
}

/// Says what it means that an app has an entitlement.
fn entitlement(key: &str) -> String {
    let title = ios::entitlement(key).map(|known| known.capability).filter(|title| !title.is_empty());
    match title {
        Some(title) => {
            format!("{title} must be on for the app id in the developer account, and the profiles made once more.")
        }
        None => "The profile must grant it, or signing fails.".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::{Fact, Turn, compare};
    use elvask_platform::Platform;

    fn fact(platform: Platform, kind: &str, name: &str, value: &str) -> Fact {
        let value = Some(value.to_owned()).filter(|value| !value.is_empty());
        Fact { platform, kind: kind.to_owned(), name: name.to_owned(), value }
    }

    #[test]
    fn what_people_and_stores_notice_comes_first_with_its_meaning() {
        let camera = fact(Platform::Android, "permission", "android.permission.CAMERA", "");
        let level = |value| fact(Platform::Android, "level", "minSdkVersion", value);
        let link = fact(Platform::Ios, "domain", "applinks:marram.example", "");
        let found = compare(&[level("24"), link.clone()], &[level("26"), camera]);
        let classes: Vec<_> = found.iter().map(|one| (one.class, one.turn)).collect();
        assert_eq!(
            classes,
            [("gained-permission", Turn::Gained), ("lost-link", Turn::Lost), ("raised-level", Turn::Changed)]
        );
        assert!(found[0].meaning.starts_with("A new question"), "{}", found[0].meaning);
        assert_eq!(
            found[2].meaning,
            "Devices from level 24 to below 26 get no update any more, and keep what they have."
        );
        assert!(compare(std::slice::from_ref(&link), std::slice::from_ref(&link)).is_empty());
    }

    #[test]
    fn of_several_things_of_one_name_those_that_differ_are_told() {
        let filter = |value| fact(Platform::Android, "filter", "android.intent.action.VIEW https", value);
        let found = compare(&[filter("a.example"), filter("b.example")], &[filter("a.example"), filter("c.example")]);
        let told: Vec<_> = found.iter().map(|one| (one.turn, one.fact.value.as_deref())).collect();
        assert_eq!(told, [(Turn::Gained, Some("c.example")), (Turn::Lost, Some("b.example"))]);
    }

    #[test]
    fn a_lower_level_reaches_more_devices_and_a_lower_build_none() {
        let version = |value| fact(Platform::Ios, "min-version", "iOS", value);
        assert_eq!(compare(&[version("15.1")], &[version("9.0")])[0].class, "changed-level");
        assert_eq!(compare(&[version("9.0")], &[version("15.1")])[0].class, "raised-level");
        let build = |value| fact(Platform::Ios, "identity", "build", value);
        assert!(compare(&[build("10")], &[build("9")])[0].meaning.contains("lower than before"));
        assert_eq!(compare(&[build("9")], &[build("10")])[0].meaning, "");
    }
}
