//! The newest releases of the platforms that the tables know.

use std::sync::OnceLock;

use crate::Version;
use crate::table::with_key;

fn value(what: &str, of: &str) -> Option<&'static str> {
    with_key(include_str!("../data/platform.tsv"), what).find(|row| row.cell(1) == of).map(|row| row.cell(2))
}

fn number(what: &str, of: &str) -> Option<u32> {
    value(what, of)?.parse().ok()
}

/// Returns the newest level of Android that the tables know.
///
/// Source: "SDK Platform release notes" in the platform's documentation.
#[must_use]
pub fn newest_level() -> u32 {
    static LEVEL: OnceLock<u32> = OnceLock::new();
    *LEVEL.get_or_init(|| number("android-level", "newest").unwrap_or_default())
}

/// Returns the target level that is assumed where an app's own cannot be read: the one that the store asks of new apps.
///
/// Source: "Target API level requirements" of the store.
#[must_use]
pub fn assumed_target_level() -> u32 {
    static LEVEL: OnceLock<u32> = OnceLock::new();
    *LEVEL.get_or_init(|| number("android-level", "assumed-target").unwrap_or_default())
}

/// Returns the target level that the store wants of updates on a day, as year-month-day.
///
/// Source: "Target API level requirements" of the store.
#[must_use]
pub fn store_target_level(today: &str) -> Option<u32> {
    let rows = with_key(include_str!("../data/platform.tsv"), "store-target");
    // Dates written so compare as text.
    rows.filter(|row| row.cell(1) <= today).filter_map(|row| row.number(2)).max()
}

/// Returns the newest version of iOS that the tables know.
#[must_use]
pub fn newest_version() -> Version {
    value("ios-version", "newest").and_then(Version::parse).unwrap_or(Version::new(0, 0))
}

/// Returns the first level of a version of Android by its number for people: 33 for Android 13.
///
/// Source: "SDK Platform release notes" in the platform's documentation.
#[must_use]
pub fn level_of_version(version: u32) -> Option<u32> {
    number("android-version", &version.to_string())
}

/// Returns the level that a framework of the layout `msbuild` is made for where it states none: 35 for `net9.0`.
#[must_use]
pub fn level_of_framework(framework: &str) -> Option<u32> {
    number("framework", framework)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::rows;

    #[test]
    fn every_row_is_read() {
        assert_eq!(level_of_version(13), Some(33));
        assert_eq!(level_of_version(4), None);
        assert_eq!(level_of_framework("net9.0"), Some(35));
        assert!(assumed_target_level() <= newest_level() && newest_level() >= 36);
        assert!(newest_version() >= Version::new(26, 0));
        let known = [
            "android-level",
            "ios-version",
            "android-version",
            "framework",
            "store-target",
            "prompt-letters",
            "prompt-lines",
        ];
        assert_eq!(store_target_level("2025-08-31"), Some(35));
        assert_eq!(store_target_level("2020-01-01"), None);
        assert!(rows(include_str!("../data/platform.tsv")).all(|row| known.contains(&row.cell(0))));
        let highest = with_key(include_str!("../data/platform.tsv"), "android-version");
        assert_eq!(highest.filter_map(|row| row.number(2)).max(), Some(newest_level()), "the newest has its version");
    }
}
