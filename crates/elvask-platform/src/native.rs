//! Symbols of the platforms' own interfaces whose use in native code requires a declaration.

use std::sync::OnceLock;

use crate::table::{Row, rows};
use crate::{Kind, Platform, Version};

/// The languages that a symbol is used from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Family {
    /// Swift and Objective-C.
    Apple,
    /// Kotlin and Java.
    Jvm,
}

impl Family {
    /// Returns the platform whose interfaces the languages call.
    #[must_use]
    pub fn platform(self) -> Platform {
        match self {
            Family::Apple => Platform::Ios,
            Family::Jvm => Platform::Android,
        }
    }
}

/// Something that stands in a source, or does not.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Clue {
    /// In the statement behind the symbol, whatever the space between.
    Follows(&'static str),
    /// Anywhere in the file.
    InFile(&'static str),
}

/// What the use of a symbol requires.
#[derive(Debug, Clone)]
pub struct Symbol {
    /// The symbol: a name, or a name with what must follow at once: `requestAccess(for:`.
    pub text: &'static str,
    /// Whether longer names that start with it count as well.
    pub open: bool,
    /// The languages.
    pub family: Family,
    /// The kind of requirement: `permission`, `usage`, `entitlement`, `background-mode`, `query` or `privacy-reason`.
    pub kind: Kind,
    /// What identifies it to the platform.
    pub name: &'static str,
    /// The value that goes with it, as in the table of capabilities.
    pub value: &'static str,
    /// `certain`, `likely` or `optional`.
    pub strength: &'static str,
    /// One of these must be there, where there are any.
    pub with: Vec<Clue>,
    /// None of these may be there.
    pub without: Vec<Clue>,
    /// It holds for apps that target this level or a higher one.
    pub target_from: Option<u32>,
    /// It holds for apps that run on systems below this version.
    pub ios_below: Option<Version>,
    /// What becomes `maxSdkVersion`.
    pub max_level: Option<u32>,
    /// Symbols with the same word here are met by one of their requirements.
    pub one_of: Option<&'static str>,
}

/// Returns all symbols, in the order of the table.
pub fn symbols() -> &'static [Symbol] {
    static TABLE: OnceLock<Vec<Symbol>> = OnceLock::new();
    TABLE.get_or_init(|| rows(include_str!("../data/native-symbols.tsv")).filter_map(read).collect())
}

/// Reads a row; `None` for one whose kind no platform has, which a test of the table tells.
fn read(row: Row) -> Option<Symbol> {
    let clue = |word: &'static str| word.strip_prefix("file:").map_or(Clue::Follows(word), Clue::InFile);
    let clues = |at: usize| row.words(at).into_iter().map(clue).collect();
    let written = row.cell(1);
    let mut symbol = Symbol {
        text: written.strip_suffix('*').unwrap_or(written),
        open: written.ends_with('*'),
        family: if row.cell(0) == "apple" { Family::Apple } else { Family::Jvm },
        kind: Kind::parse(row.cell(2))?,
        name: row.cell(3),
        value: row.cell(4),
        strength: row.cell(5),
        with: clues(6),
        without: clues(7),
        target_from: None,
        ios_below: None,
        max_level: None,
        one_of: None,
    };
    for word in row.words(8) {
        if let Some(level) = word.strip_prefix("target>=") {
            symbol.target_from = level.parse().ok();
        } else if let Some(version) = word.strip_prefix("ios<") {
            symbol.ios_below = Version::parse(version);
        } else if let Some(level) = word.strip_prefix("max-level=") {
            symbol.max_level = level.parse().ok();
        } else if let Some(group) = word.strip_prefix("one-of=") {
            symbol.one_of = Some(group);
        }
    }
    Some(symbol)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{android, ios};

    #[test]
    fn every_symbol_leads_to_something_that_the_platform_knows() {
        for symbol in symbols() {
            let known = match symbol.kind {
                Kind::Permission => android::permission(symbol.name).is_some() || symbol.name.starts_with("com."),
                Kind::Usage => ios::usage_key(symbol.name).is_some_and(super::super::ios::UsageKey::is_for_ios),
                Kind::Entitlement => ios::entitlement(symbol.name).is_some(),
                Kind::BackgroundMode => ios::background_mode(symbol.name).is_some(),
                Kind::PrivacyReason => ios::privacy_category(symbol.name).is_some(),
                Kind::Query => symbol.name.contains('.'),
                _ => false,
            };
            assert!(known, "{symbol:?}");
            assert!(matches!(symbol.strength, "certain" | "likely" | "optional"), "{symbol:?}");
            let apple = symbol.kind.platform() == Some(crate::Platform::Ios);
            assert_eq!(apple, symbol.family == Family::Apple, "{symbol:?}");
        }
        assert_eq!(symbols().len(), rows(include_str!("../data/native-symbols.tsv")).count(), "a row is not read");
    }
}
