//! iOS: the keys of `Info.plist`.

use std::sync::OnceLock;

use crate::Version;
use crate::names::nearest_by_words;
use crate::table::rows;

/// What happens when a purpose is wanted and there is none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WithoutPurpose {
    /// The system ends the app at the first access.
    Crash,
    /// The call does nothing but write a line to the log.
    Silent,
    /// The request is refused without a dialog.
    Denied,
    /// The dialog shows a text of the system's own.
    Stock,
}

impl WithoutPurpose {
    /// Returns what a person meets on a device, in a sentence.
    #[must_use]
    pub fn effect(self) -> &'static str {
        match self {
            WithoutPurpose::Crash => "The system ends the app at the first access.",
            WithoutPurpose::Silent => "The request does nothing: no dialog appears, and access is never given.",
            WithoutPurpose::Denied => "The request is refused at once: no dialog appears.",
            WithoutPurpose::Stock => "The dialog shows a stock text that does not say what the app wants.",
        }
    }
}

/// A key that holds a purpose.
#[derive(Debug, Clone)]
pub struct UsageKey {
    /// The key.
    pub key: &'static str,
    /// The platform on which the key means something: `iOS`, `macOS`, `watchOS` or `visionOS`.
    pub platform: &'static str,
    /// The system version that replaced it.
    pub until: Option<Version>,
    /// What replaced it; empty where nothing did.
    pub replaced_by: Vec<&'static str>,
    /// What it opens, in a few words.
    pub opens: &'static str,
    /// What happens without it.
    pub without: WithoutPurpose,
}

impl UsageKey {
    /// Says whether an iOS app reads the key.
    #[must_use]
    pub fn is_for_ios(&self) -> bool {
        self.platform == "iOS"
    }
}

/// Returns all keys that hold a purpose, those of other platforms too, families together.
pub fn usage_keys() -> &'static [UsageKey] {
    static TABLE: OnceLock<Vec<UsageKey>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let row = |row: crate::table::Row| UsageKey {
            key: row.cell(0),
            platform: row.cell(1),
            until: Version::parse(row.cell(3)),
            replaced_by: row.words(4),
            opens: row.cell(5),
            without: match row.cell(6) {
                "crash" => WithoutPurpose::Crash,
                "silent" => WithoutPurpose::Silent,
                "stock" => WithoutPurpose::Stock,
                _ => WithoutPurpose::Denied,
            },
        };
        rows(include_str!("../data/ios-usage-keys.tsv")).map(row).collect()
    })
}

/// Looks a purpose key up.
#[must_use]
pub fn usage_key(key: &str) -> Option<&'static UsageKey> {
    if !key.ends_with("Description") && !key.ends_with("Dictionary") {
        return None;
    }
    usage_keys().iter().find(|known| known.key == key)
}

/// Returns the purpose key of iOS that a misspelt one is meant to be, if one is near enough.
#[must_use]
pub fn nearest_usage_key(key: &str) -> Option<&'static UsageKey> {
    // Whatever is misspelt, one of the two words is still there; without that, most keys of a list would be compared.
    if !(key.contains("Usag") || key.contains("Descr")) {
        return None;
    }
    let mistaken = rows(include_str!("../data/ios-mistaken-keys.tsv")).find(|row| row.cell(0) == key);
    if let Some(row) = mistaken {
        return usage_key(row.cell(1));
    }
    let known = || usage_keys().iter().filter(|known| known.is_for_ios());
    let found = nearest_by_words(key, known().map(|known| known.key), capital_words)?;
    known().find(|known| known.key == found)
}

/// Splits a name before each capital that follows a small letter.
fn capital_words(name: &str) -> Vec<&str> {
    let mut words = Vec::new();
    let (mut start, mut small) = (0, false);
    for (at, character) in name.char_indices() {
        if small && character.is_uppercase() {
            words.extend(name.get(start..at));
            start = at;
        }
        small = character.is_lowercase();
    }
    words.extend(name.get(start..));
    words
}

/// The type that the platform reads at a key of `Info.plist`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PlistKey {
    /// The key.
    pub key: &'static str,
    /// `string`, `boolean`, `integer`, `dictionary`, `array of …`, or two of these with `or` between.
    pub value_type: &'static str,
    values: &'static str,
}

impl PlistKey {
    /// Returns the values that the platform knows; empty where it takes any.
    pub fn values(&self) -> impl Iterator<Item = &'static str> {
        self.values.split_whitespace()
    }
}

/// Looks a key of `Info.plist` up, without the ending for a kind of device (`~ipad`).
#[must_use]
pub fn plist_key(key: &str) -> Option<PlistKey> {
    static TABLE: OnceLock<Vec<PlistKey>> = OnceLock::new();
    let table = TABLE.get_or_init(|| {
        rows(include_str!("../data/ios-plist-keys.tsv"))
            .map(|row| PlistKey { key: row.cell(0), value_type: row.cell(1), values: row.cell(2) })
            .collect()
    });
    let plain = key.split('~').next().unwrap_or(key);
    table.iter().find(|known| known.key == key).or_else(|| table.iter().find(|known| known.key == plain)).copied()
}

/// The most query schemes that count, for apps built for iOS 15 or later.
///
/// Source: "canOpenURL(_:)" in the reference of the platform's application object.
pub const MAX_QUERY_SCHEMES: usize = 50;

/// A key of `Info.plist` that Xcode makes from a build setting.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct GeneratedKey {
    /// The key.
    pub key: &'static str,
    /// The type of its value: `string`, `bool`, `list` or `dict`.
    pub value_type: &'static str,
}

/// Returns the key that Xcode makes from the build setting `INFOPLIST_KEY_<setting>`; purposes are not among them, see
/// [`usage_key`].
///
/// Source: "Build settings reference" in the platform's documentation.
#[must_use]
pub fn generated_key(setting: &str) -> Option<GeneratedKey> {
    let row = rows(include_str!("../data/ios-generated-keys.tsv")).find(|row| row.cell(0) == setting)?;
    Some(GeneratedKey { key: row.cell(1), value_type: row.cell(2) })
}

/// Returns the build setting from which Xcode makes a key of `Info.plist`, where there is one.
#[must_use]
pub fn setting_for_key(key: &str) -> Option<String> {
    if key.ends_with("UsageDescription") && usage_key(key).is_some() {
        return Some(format!("INFOPLIST_KEY_{key}"));
    }
    let row =
        rows(include_str!("../data/ios-generated-keys.tsv")).find(|row| row.cell(1) == key && row.cell(2) != "dict")?;
    Some(format!("INFOPLIST_KEY_{}", row.cell(0)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn successors_are_keys_themselves() {
        for key in usage_keys() {
            assert!(key.replaced_by.iter().all(|successor| usage_key(successor).is_some()), "{}", key.key);
            assert!(key.replaced_by.is_empty() || key.until.is_some(), "{}", key.key);
        }
    }

    #[test]
    fn misspelt_keys_lead_to_the_right_one() {
        let meant = |key| nearest_usage_key(key).map(|known| known.key);
        assert_eq!(meant("NSCameraUseageDescription"), Some("NSCameraUsageDescription"));
        assert_eq!(meant("NSSpeechRecognitionUsageDescripton"), Some("NSSpeechRecognitionUsageDescription"));
        assert_eq!(meant("NSLocationUseUsageDescription"), Some("NSLocationWhenInUseUsageDescription"));
        assert_eq!(meant("NSFlyingUsageDescription"), None);
        assert_eq!(meant("NSTouchIDUsageDescription"), None, "another word is another key");
        let mistaken = rows(include_str!("../data/ios-mistaken-keys.tsv"));
        assert!(mistaken.into_iter().all(|row| usage_key(row.cell(1)).is_some() && usage_key(row.cell(0)).is_none()));
    }

    #[test]
    fn keys_have_device_forms() {
        assert_eq!(plist_key("UILaunchStoryboardName~ipad").unwrap().value_type, "string");
        let style = plist_key("UIUserInterfaceStyle").unwrap();
        assert!(style.values().any(|value| value == "Dark"));
        assert!(plist_key("ExampleKey").is_none());
    }
}
