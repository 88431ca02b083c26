//! iOS: the keys of `Info.plist`.

use std::sync::OnceLock;

use crate::hash::QuickMap;
use crate::names::nearest_by_words;
use crate::table::{index, rows, with_key};
use crate::{Confidence, Version};

/// What happens when a purpose is wanted and there is none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WithoutPurpose {
    /// The app crashes at the first access.
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
            WithoutPurpose::Crash => "The app crashes at the first access.",
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
    static BY_KEY: OnceLock<QuickMap<&str, &UsageKey>> = OnceLock::new();
    BY_KEY.get_or_init(|| index(usage_keys(), |known| known.key)).get(key).copied()
}

/// Returns a good purpose for a key, to show what one is like; it is never written into an app.
#[must_use]
pub fn purpose_example(key: &str) -> Option<&'static str> {
    with_key(include_str!("../data/purpose-examples.tsv"), key).next().map(|row| row.cell(1))
}

/// Returns the purpose key of iOS that a misspelt one is meant to be, if one is near enough.
#[must_use]
pub fn nearest_usage_key(key: &str) -> Option<&'static UsageKey> {
    // Whatever is misspelt, one of the two words is still there; without that, most keys of a list would be compared.
    let folded = key.to_ascii_lowercase();
    if !(folded.contains("usag") || folded.contains("descr")) {
        return None;
    }
    if let Some(known) = usage_keys().iter().find(|known| known.is_for_ios() && known.key.eq_ignore_ascii_case(key)) {
        return Some(known);
    }
    let mistaken = with_key(include_str!("../data/ios-mistaken-keys.tsv"), key).next();
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
    /// How sure that is.
    pub confidence: Confidence,
    values: &'static str,
}

impl PlistKey {
    /// Returns the values that the platform knows; empty where it takes any.
    pub fn values(&self) -> impl Iterator<Item = &'static str> {
        self.values.split_whitespace()
    }
}

/// Goes through the keys of `Info.plist` that are known, but for those that hold purposes.
pub fn plist_keys() -> impl Iterator<Item = &'static str> {
    rows(include_str!("../data/ios-plist-keys.tsv")).map(|row| row.cell(0))
}

/// Looks a key of `Info.plist` up, without the ending for a kind of device (`~ipad`).
#[must_use]
pub fn plist_key(key: &str) -> Option<PlistKey> {
    static TABLE: OnceLock<Vec<PlistKey>> = OnceLock::new();
    static BY_KEY: OnceLock<QuickMap<&str, &PlistKey>> = OnceLock::new();
    let table = TABLE.get_or_init(|| {
        rows(include_str!("../data/ios-plist-keys.tsv"))
            .map(|row| PlistKey {
                key: row.cell(0),
                value_type: row.cell(1),
                values: row.cell(2),
                confidence: Confidence::of(row.cell(3)),
            })
            .collect()
    });
    let by_key = BY_KEY.get_or_init(|| index(table, |known| known.key));
    by_key.get(key).or_else(|| by_key.get(key.split('~').next()?)).map(|known| **known)
}

/// The most query schemes that count, for apps built for iOS 15 or later.
///
/// Source: "canOpenURL(_:)" in the reference of the platform's application object.
pub const MAX_QUERY_SCHEMES: usize = 50;

/// The extension of a certificate that may push to development builds.
///
/// Source: "Worldwide Developer Relations Certification Practice Statement".
pub const PUSH_DEVELOPMENT_EXTENSION: &str = "1.2.840.113635.100.6.3.1";

/// The extension of a certificate that may push to builds from the store.
///
/// Source: as for [`PUSH_DEVELOPMENT_EXTENSION`].
pub const PUSH_PRODUCTION_EXTENSION: &str = "1.2.840.113635.100.6.3.2";

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
    let row = with_key(include_str!("../data/ios-generated-keys.tsv"), setting).next()?;
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

/// An entitlement.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Entitlement {
    /// The key.
    pub key: &'static str,
    /// The type of its value: `bool`, `string` or `array`.
    pub value_type: &'static str,
    /// The name of the tick box in the project editor; empty where there is none.
    pub capability: &'static str,
    /// What it costs: `paid` (a paid membership), `approval` (granted on request), or nothing.
    pub cost: &'static str,
    /// How sure all that is.
    pub confidence: Confidence,
    values: &'static str,
}

impl Entitlement {
    /// Returns the values that the platform knows; empty where it takes others.
    pub fn values(&self) -> impl Iterator<Item = &'static str> {
        self.values.split('|').filter(|value| !value.is_empty())
    }
}

/// Returns all entitlements.
pub fn entitlements() -> &'static [Entitlement] {
    static TABLE: OnceLock<Vec<Entitlement>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let read = |row: crate::table::Row| Entitlement {
            key: row.cell(0),
            value_type: row.cell(1),
            values: row.cell(2),
            capability: row.cell(3),
            cost: row.cell(4),
            confidence: Confidence::of(row.cell(5)),
        };
        rows(include_str!("../data/ios-entitlements.tsv")).map(read).collect()
    })
}

/// Looks an entitlement up.
#[must_use]
pub fn entitlement(key: &str) -> Option<&'static Entitlement> {
    static BY_KEY: OnceLock<QuickMap<&str, &Entitlement>> = OnceLock::new();
    BY_KEY.get_or_init(|| index(entitlements(), |known| known.key)).get(key).copied()
}

/// Goes through the codes of languages that an association file's `$(lang)` stands for.
pub fn language_codes() -> impl Iterator<Item = &'static str> {
    codes("lang")
}

/// Goes through the codes of regions that an association file's `$(region)` stands for.
pub fn region_codes() -> impl Iterator<Item = &'static str> {
    codes("region")
}

fn codes(kind: &'static str) -> impl Iterator<Item = &'static str> {
    let table = with_key(include_str!("../data/ios-codes.tsv"), kind);
    table.flat_map(|row| row.words(1))
}

/// Returns what the system opens for a scheme that it keeps for itself; `None` for one that an app may declare. Case does not count.
#[must_use]
pub fn reserved_scheme(scheme: &str) -> Option<&'static str> {
    let mut table = rows(include_str!("../data/ios-reserved-schemes.tsv"));
    table.find(|row| row.cell(0).eq_ignore_ascii_case(scheme)).map(|row| row.cell(1))
}

/// A value of `UIBackgroundModes`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BackgroundMode {
    /// The value.
    pub value: &'static str,
    /// The name of the tick box in the project editor; empty where there is none.
    pub title: &'static str,
    /// What happens in an app that lacks it, in a sentence without a full stop.
    pub without: &'static str,
}

/// Goes through all background modes.
pub fn background_modes() -> impl Iterator<Item = BackgroundMode> {
    rows(include_str!("../data/ios-background-modes.tsv")).map(|row| BackgroundMode {
        value: row.cell(0),
        title: row.cell(1),
        without: row.cell(3),
    })
}

/// Looks a background mode up.
#[must_use]
pub fn background_mode(value: &str) -> Option<BackgroundMode> {
    background_modes().find(|known| known.value == value)
}

/// Returns the background mode that a wrong one is meant to be, if one is near enough.
#[must_use]
pub fn nearest_background_mode(value: &str) -> Option<&'static str> {
    crate::names::nearest(value, background_modes().map(|known| known.value))
}

/// Returns the reasons that there are for a category of interfaces; `None` where there is no such category.
#[must_use]
pub fn privacy_category(category: &str) -> Option<Vec<&'static str>> {
    let table = with_key(include_str!("../data/ios-privacy-reasons.tsv"), category);
    let reasons: Vec<_> = table.map(|row| row.cell(1)).collect();
    (!reasons.is_empty()).then_some(reasons)
}

/// Returns the categories of interfaces for which a reason is given, each once.
#[must_use]
pub fn privacy_categories() -> Vec<&'static str> {
    let mut all: Vec<_> = rows(include_str!("../data/ios-privacy-reasons.tsv")).map(|row| row.cell(0)).collect();
    all.dedup();
    all
}

/// Returns the key that the project editor shows under a name: `Privacy - Camera Usage Description`.
#[must_use]
pub fn key_of_title(title: &str) -> Option<&'static str> {
    let words = |text: &str| {
        text.split(|sign: char| !sign.is_alphanumeric())
            .filter(|word| !word.is_empty())
            .collect::<Vec<_>>()
            .join(" ")
            .to_lowercase()
    };
    let title = words(title);
    let inside = title.strip_prefix("privacy ")?;
    let inside = inside.strip_suffix(" usage description").or_else(|| inside.strip_suffix(" description"))?;
    rows(include_str!("../data/ios-key-titles.tsv")).find(|row| words(row.cell(1)) == inside).map(|row| row.cell(0))
}

/// Returns the key whose purpose an option of a script in an app description holds: `cameraPermission`.
#[must_use]
pub fn key_of_option(option: &str) -> Option<&'static str> {
    let plain = option.strip_suffix("Permission")?;
    let listed = with_key(include_str!("../data/purpose-options.tsv"), option).next();
    if let Some(row) = listed {
        return usage_key(row.cell(1)).map(|known| known.key);
    }
    let core = |key: &'static str| key.strip_prefix("NS")?.strip_suffix("UsageDescription");
    let fits = |known: &&UsageKey| core(known.key).is_some_and(|core| core.eq_ignore_ascii_case(plain));
    usage_keys().iter().find(fits).map(|known| known.key)
}

/// A key, background mode or entitlement that does not work alone.
#[derive(Debug, Clone)]
pub struct Companion {
    /// The key, or `mode` and the mode, or `entitlement` and its key.
    pub of: &'static str,
    /// What must be beside it, any of these: a key, `mode:` and a mode, `entitlement:` and a key.
    pub one_of: Vec<&'static str>,
    /// How bad it is where it does not.
    pub level: crate::Level,
    /// What happens, in a sentence.
    pub effect: &'static str,
}

/// Goes through the keys, background modes and entitlements that do not work alone.
pub fn companions() -> impl Iterator<Item = Companion> {
    rows(include_str!("../data/ios-key-companions.tsv")).filter_map(|row| {
        Some(Companion {
            of: row.cell(0),
            one_of: row.words(1),
            level: crate::Level::parse(row.cell(2))?,
            effect: row.cell(3),
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn options_of_scripts_lead_to_keys() {
        for row in rows(include_str!("../data/purpose-options.tsv")) {
            assert!(key_of_option(row.cell(0)).is_some(), "{row:?}");
        }
        assert_eq!(key_of_option("cameraPermission"), Some("NSCameraUsageDescription"));
        let always = "locationAlwaysAndWhenInUsePermission";
        assert_eq!(key_of_option(always), Some("NSLocationAlwaysAndWhenInUseUsageDescription"));
        assert_eq!(key_of_option("camera"), None);
    }

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
    fn the_editors_names_lead_to_keys() {
        assert_eq!(key_of_title("Privacy - Camera Usage Description"), Some("NSCameraUsageDescription"));
        assert_eq!(
            key_of_title("Privacy — Location Always and When In Use Usage Description"),
            Some("NSLocationAlwaysAndWhenInUseUsageDescription")
        );
        assert_eq!(key_of_title("Camera Usage Description"), None);
        assert!(rows(include_str!("../data/ios-key-titles.tsv")).all(|row| usage_key(row.cell(0)).is_some()));
    }

    #[test]
    fn keys_have_device_forms() {
        assert_eq!(plist_key("UILaunchStoryboardName~ipad").unwrap().value_type, "string");
        let style = plist_key("UIUserInterfaceStyle").unwrap();
        assert!(style.values().any(|value| value == "Dark"));
        assert!(plist_key("ExampleKey").is_none());
    }

    #[test]
    fn an_example_of_a_purpose_is_a_good_one() {
        for row in rows(include_str!("../data/purpose-examples.tsv")) {
            assert!(usage_key(row.cell(0)).is_some_and(UsageKey::is_for_ios), "{}", row.cell(0));
            assert_eq!(crate::wording::vague_part(row.cell(1)), None, "{}", row.cell(1));
        }
    }
}
