//! The words that may stand at a place.

use std::path::Path;

use elvask_core::app::App;
use elvask_core::config::keys_of;
use elvask_core::rules::RULES;
use elvask_needs::kinds::KINDS;
use elvask_needs::sheet::{REQUIRED, TOP};
use elvask_platform::android::{self, Grant};
use elvask_platform::capability::{capabilities, capability};
use elvask_platform::glossary::{self, WordKind};
use elvask_platform::preferences::{preference, preferences};
use elvask_platform::{Platform, ios};

use super::context::{Document, Spot};

/// A word that is offered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Offered {
    pub(super) word: String,
    /// What it is, in a few words.
    pub(super) about: String,
    /// More about it, in sentences; empty where nothing is known.
    pub(super) more: &'static str,
}

fn offered(word: impl Into<String>, about: impl Into<String>) -> Offered {
    Offered { word: word.into(), about: about.into(), more: "" }
}

/// Returns the words that may stand at a place of a document.
pub(super) fn at(document: Document, path: &Path, spot: &Spot<'_>, app: Option<&App>) -> Vec<Offered> {
    match (document, spot) {
        (Document::Manifest, Spot::Element { parent }) => elements(*parent),
        (Document::Manifest, Spot::Attribute { element }) => attributes(element),
        (Document::Manifest, Spot::Value { element, attribute, parent, .. }) => value(element, attribute, *parent),
        (Document::Widget, Spot::Value { element: "preference", attribute: "name", .. }) => {
            preferences().map(|known| offered(known.name, format!("decides {}", known.decides))).collect()
        }
        (Document::Widget, Spot::Value { element: "preference", attribute: "value", others, .. }) => {
            let name = others.iter().find(|(name, _)| *name == "name").and_then(|(_, value)| preference(value));
            let words = name.as_ref().and_then(|known| known.form.words()).unwrap_or_default();
            words.iter().map(|word| offered(*word, "")).collect()
        }
        (Document::PropertyList, Spot::Text { element: "key", .. }) => keys(path),
        (Document::PropertyList, Spot::Text { element: "string", key: Some(key) }) => list_value(key),
        (Document::Entitlements, Spot::Text { element: "key", .. }) => {
            ios::entitlements().iter().map(|known| offered(known.key, known.capability)).collect()
        }
        (Document::Entitlements, Spot::Text { element: "string", key: Some(key) }) => {
            let values = ios::entitlement(key).map(|known| known.values().collect::<Vec<_>>()).unwrap_or_default();
            values.into_iter().map(|value| offered(value, "")).collect()
        }
        (Document::Sheet, Spot::TomlKey { table }) => sheet_keys(table),
        (Document::Sheet, Spot::TomlValue { key, .. }) => toml_value(key, app),
        (Document::Config, Spot::TomlKey { table }) => config_keys(table, app),
        (Document::Config, Spot::TomlValue { key, .. }) => toml_value(key, app),
        (Document::AppleLinks, Spot::JsonKey { path }) => apple_keys(path),
        (Document::AndroidLinks, Spot::JsonKey { path }) => statement_keys(path),
        _ => Vec::new(),
    }
}

fn words_of(kind: WordKind) -> impl Iterator<Item = &'static glossary::Word> {
    glossary::words().iter().filter(move |word| word.kind == kind)
}

fn of_word(word: &'static glossary::Word, name: String) -> Offered {
    let about = if word.since.is_empty() { String::new() } else { format!("since level {}", word.since) };
    Offered { word: name, about, more: word.what }
}

fn elements(parent: Option<&str>) -> Vec<Offered> {
    // What an app wants to see is described as what a filter takes.
    let alike = |known: &str, parent: &str| known == parent || (parent == "intent" && known == "intent-filter");
    let here = |word: &&glossary::Word| match parent {
        Some(parent) => word.written_on().iter().any(|known| alike(known, parent)),
        None => word.name == "manifest",
    };
    words_of(WordKind::Element).filter(here).map(|word| of_word(word, word.name.to_owned())).collect()
}

fn attributes(element: &str) -> Vec<Offered> {
    let here = |word: &&glossary::Word| word.written_on().contains(&element) || word.name == "name";
    let bare = |word: &glossary::Word| element == "manifest" && word.name == "package";
    words_of(WordKind::Attribute)
        .filter(here)
        .map(|word| of_word(word, if bare(word) { word.name.to_owned() } else { format!("android:{}", word.name) }))
        .collect()
}

fn value(element: &str, attribute: &str, parent: Option<&str>) -> Vec<Offered> {
    let local = attribute.strip_prefix("android:").unwrap_or(attribute);
    let named = |kind| words_of(kind).map(|word| of_word(word, word.name.to_owned())).collect();
    match (element, local) {
        ("uses-permission" | "uses-permission-sdk-23", "name") => permissions(),
        (_, "permission") => permissions(),
        ("action", "name") => named(WordKind::Action),
        ("category", "name") if parent.is_some() => named(WordKind::Category),
        ("uses-feature", "name") => android::features().into_iter().map(|name| offered(name, "")).collect(),
        ("data", "scheme") => ["https", "http", "tel", "mailto", "sms"].map(|word| offered(word, "")).into(),
        _ => android::attribute_values(local).into_iter().map(|word| offered(word, "")).collect(),
    }
}

/// Returns the permissions that an app from a store can come by.
fn permissions() -> Vec<Offered> {
    let all = android::permissions().filter(|known| known.last_level.is_none() && known.grant() != Grant::Never);
    all.map(|known| Offered {
        word: known.name.to_owned(),
        about: format!("granted {}", known.grant().title()),
        more: glossary::word(WordKind::Permission, known.name).map_or("", |word| word.what),
    })
    .collect()
}

fn keys(path: &Path) -> Vec<Offered> {
    if path.extension().is_some_and(|end| end == "xcprivacy") {
        let keys = [
            "NSPrivacyTracking",
            "NSPrivacyTrackingDomains",
            "NSPrivacyCollectedDataTypes",
            "NSPrivacyAccessedAPITypes",
            "NSPrivacyAccessedAPIType",
            "NSPrivacyAccessedAPITypeReasons",
        ];
        return keys.map(|key| offered(key, "")).into();
    }
    let purposes = ios::usage_keys().iter().filter(|known| known.is_for_ios() && known.until.is_none());
    let mut all: Vec<Offered> = purposes
        .map(|known| Offered {
            word: known.key.to_owned(),
            about: format!("purpose: {}", known.opens),
            more: known.without.effect(),
        })
        .collect();
    all.extend(ios::plist_keys().map(|key| Offered {
        word: key.to_owned(),
        about: ios::plist_key(key).map_or("", |known| known.value_type).to_owned(),
        more: glossary::word(WordKind::Key, key).map_or("", |word| word.what),
    }));
    all
}

fn list_value(key: &str) -> Vec<Offered> {
    match key {
        "UIBackgroundModes" => {
            ios::background_modes().map(|mode| offered(mode.value, format!("without it {}", mode.without))).collect()
        }
        "NSPrivacyAccessedAPIType" => ios::privacy_categories().into_iter().map(|word| offered(word, "")).collect(),
        "NSPrivacyAccessedAPITypeReasons" => {
            let all = ios::privacy_categories();
            all.iter()
                .flat_map(|category| {
                    ios::privacy_category(category)
                        .unwrap_or_default()
                        .into_iter()
                        .map(|reason| offered(reason, *category))
                })
                .collect()
        }
        key => {
            let known = ios::plist_key(key);
            known.map(|known| known.values().map(|value| offered(value, "")).collect()).unwrap_or_default()
        }
    }
}

fn sheet_keys(table: &str) -> Vec<Offered> {
    if table == "requires" {
        let mut all: Vec<Offered> =
            REQUIRED.iter().filter(|key| !matches!(**key, "android" | "ios")).map(|key| offered(*key, "")).collect();
        for about in KINDS.iter().map(|spec| spec.about()) {
            let Some(key) = about.key else { continue };
            let key = match about.kind.platform() {
                Some(platform) => format!("{}.{key}", platform.id()),
                None => continue,
            };
            all.push(Offered { word: key, about: String::new(), more: about.states });
        }
        return all;
    }
    match table {
        "" => TOP.iter().map(|key| offered(*key, "")).collect(),
        table if table.starts_with("answers.") => {
            ["title", "pattern", "samples", "platform"].map(|key| offered(key, "")).into()
        }
        table if table.starts_with("features.") => vec![offered("title", "")],
        _ => Vec::new(),
    }
}

fn config_keys(table: &str, app: Option<&App>) -> Vec<Offered> {
    if table == "purposes" {
        let both = capabilities().filter(|known| known.needs().any(|need| need.kind == elvask_core::Kind::Usage));
        return both.map(|known| offered(known.name, known.title)).collect();
    }
    if let (Some(plugin), Some(app)) =
        (table.strip_prefix("plugins.").and_then(|rest| rest.strip_suffix(".answers")), app)
    {
        let plugin = plugin.trim_matches('"');
        let sheet = app.plugins().iter().find(|one| one.name == plugin).and_then(|one| one.sheet.as_ref());
        let answers = sheet.map(|found| found.sheet.answers.as_slice()).unwrap_or_default();
        return answers
            .iter()
            .map(|answer| offered(answer.key.text.as_str(), answer.title.clone().unwrap_or_default()))
            .collect();
    }
    keys_of(table).iter().map(|key| offered(*key, "")).collect()
}

fn toml_value(key: &str, app: Option<&App>) -> Vec<Offered> {
    match key {
        "capability" => capabilities()
            .map(|known| Offered { word: known.name.to_owned(), about: known.title.to_owned(), more: known.meaning })
            .collect(),
        "android.permission" => permissions(),
        "ios.usage" => {
            keys(Path::new("Info.plist")).into_iter().filter(|one| one.about.starts_with("purpose")).collect()
        }
        "ios.background-mode" => list_value("UIBackgroundModes"),
        "ios.entitlement" => ios::entitlements().iter().map(|known| offered(known.key, known.capability)).collect(),
        "rule" => RULES.iter().map(|rule| offered(rule.about().id, rule.about().summary)).collect(),
        "platforms" | "platform" => {
            [Platform::Android, Platform::Ios].map(|platform| offered(platform.id(), platform.title())).into()
        }
        "plugin" => {
            app.map(|app| app.plugins().iter().map(|one| offered(one.name.as_str(), "")).collect()).unwrap_or_default()
        }
        key if capability(key).is_some() => Vec::new(),
        _ => Vec::new(),
    }
}

fn apple_keys(path: &[&str]) -> Vec<Offered> {
    let keys: &[&str] = match path {
        [] => &["applinks", "webcredentials", "appclips", "activitycontinuation"],
        ["applinks"] => &["details", "defaults", "substitutionVariables"],
        [.., "details"] => &["appIDs", "appID", "components", "paths", "defaults"],
        [.., "components"] => &["/", "?", "#", "exclude", "comment", "caseSensitive", "percentEncoded"],
        ["webcredentials" | "appclips" | "activitycontinuation"] => &["apps"],
        _ => &[],
    };
    keys.iter().map(|key| offered(*key, "")).collect()
}

fn statement_keys(path: &[&str]) -> Vec<Offered> {
    let keys: &[&str] = match path {
        [] => &["relation", "target", "include"],
        ["target"] => &["namespace", "package_name", "sha256_cert_fingerprints", "site"],
        _ => &[],
    };
    keys.iter().map(|key| offered(*key, "")).collect()
}
