//! Capabilities: platform-neutral names for what a plugin needs.

use std::sync::OnceLock;

use crate::hash::QuickMap;
use crate::names::nearest;
use crate::table::{Row, rows, with_key};
use crate::{Kind, Platform, Version};

/// A capability.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Capability {
    /// The name in sheets.
    pub name: &'static str,
    /// The name for people.
    pub title: &'static str,
    /// What it means on each platform, in a few sentences.
    pub meaning: &'static str,
}

/// One thing that a capability wants declared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CapabilityNeed {
    /// Where.
    pub platform: Platform,
    /// The kind of requirement.
    pub kind: Kind,
    /// The permission, the key, the scheme; for a query or filter the action, with a scheme or type behind a space where it
    /// has one.
    pub name: &'static str,
    /// What goes with the name: a word, `true`, or a list in square brackets; empty where any value will do.
    pub value: &'static str,
    /// It holds for apps that target this level or a higher one.
    pub target_from: Option<u32>,
    /// It holds for apps that run on devices of this level or a lower one.
    pub devices_to: Option<u32>,
    /// It holds for apps that run on systems below this version.
    pub ios_below: Option<Version>,
    /// What becomes `maxSdkVersion`.
    pub max_level: Option<u32>,
    /// Worth having and not necessary.
    pub optional: bool,
}

/// What many apps want beside what a capability needs, depending on how they use it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Beside {
    /// Where.
    pub platform: Platform,
    /// The kind of thing, in a word.
    pub kind: &'static str,
    /// Its name.
    pub name: &'static str,
    /// What for, in a sentence.
    pub what_for: &'static str,
}

/// All capabilities with what they want declared.
fn table() -> &'static [(Capability, Vec<CapabilityNeed>)] {
    static TABLE: OnceLock<Vec<(Capability, Vec<CapabilityNeed>)>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let mut needs: QuickMap<&'static str, Vec<CapabilityNeed>> = QuickMap::default();
        for row in rows(include_str!("../data/capability-needs.tsv")) {
            needs.entry(row.cell(0)).or_default().extend(read_need(row));
        }
        let capability = |row: Row| {
            let capability = Capability { name: row.cell(0), title: row.cell(1), meaning: row.cell(2) };
            (capability, needs.remove(capability.name).unwrap_or_default())
        };
        rows(include_str!("../data/capabilities.tsv")).map(capability).collect()
    })
}

impl Capability {
    /// Goes through what many apps want beside it. Nothing of it is required of anybody.
    pub fn beside(self) -> impl Iterator<Item = Beside> {
        let all = with_key(include_str!("../data/capability-beside.tsv"), self.name);
        all.map(|row| Beside {
            platform: if row.cell(1) == Platform::Ios.id() { Platform::Ios } else { Platform::Android },
            kind: row.cell(2),
            name: row.cell(3),
            what_for: row.cell(4),
        })
    }

    /// Goes through what the capability wants declared, on both platforms.
    pub fn needs(self) -> impl Iterator<Item = &'static CapabilityNeed> {
        let found = table().iter().find(|(known, _)| *known == self);
        found.map(|(_, needs)| needs.as_slice()).unwrap_or_default().iter()
    }
}

/// Reads a row; `None` for one whose kind no platform has, which a test of the table tells.
fn read_need(row: Row) -> Option<CapabilityNeed> {
    let mut need = CapabilityNeed {
        platform: if row.cell(1) == "ios" { Platform::Ios } else { Platform::Android },
        kind: Kind::parse(row.cell(2))?,
        name: row.cell(3),
        value: row.cell(5),
        target_from: None,
        devices_to: None,
        ios_below: None,
        max_level: None,
        optional: false,
    };
    for word in row.cell(4).split_whitespace() {
        if let Some(level) = word.strip_prefix("target>=") {
            need.target_from = level.parse().ok();
        } else if let Some(level) = word.strip_prefix("devices<=") {
            need.devices_to = level.parse().ok();
        } else if let Some(version) = word.strip_prefix("ios<") {
            need.ios_below = Version::parse(version);
        } else if let Some(level) = word.strip_prefix("max-level=") {
            need.max_level = level.parse().ok();
        } else if word == "optional" {
            need.optional = true;
        }
    }
    Some(need)
}

/// Goes through all capabilities.
pub fn capabilities() -> impl Iterator<Item = Capability> {
    table().iter().map(|(capability, _)| *capability)
}

/// Looks a capability up by its name in sheets.
#[must_use]
pub fn capability(name: &str) -> Option<Capability> {
    capabilities().find(|known| known.name == name)
}

/// Returns the capability that a misspelt name is meant to be, if one is near enough.
#[must_use]
pub fn nearest_capability(name: &str) -> Option<&'static str> {
    nearest(name, capabilities().map(|known| known.name))
}

/// Goes through the capabilities that want a declaration of that kind and name.
pub fn capabilities_with(kind: Kind, name: &str) -> impl Iterator<Item = Capability> {
    /// By the names that they want, each once for each kind.
    static BY_NAME: OnceLock<Vec<(&'static str, Kind, &'static Capability)>> = OnceLock::new();
    let by_name = BY_NAME.get_or_init(|| {
        let mut by_name = Vec::with_capacity(table().iter().map(|(_, needs)| needs.len()).sum());
        for (capability, needs) in table() {
            let first = |(at, need): &(usize, &CapabilityNeed)| {
                !needs.iter().take(*at).any(|other| (other.name, other.kind) == (need.name, need.kind))
            };
            let needs = needs.iter().enumerate().filter(first);
            by_name.extend(needs.map(|(_, need)| (need.name, need.kind, capability)));
        }
        by_name.sort_by_key(|(name, ..)| *name);
        by_name
    });
    let from = by_name.partition_point(|(known, ..)| *known < name);
    let of_name = by_name.get(from..).unwrap_or_default().iter().take_while(move |(known, ..)| *known == name);
    of_name.filter(move |(_, of, _)| *of == kind).map(|(.., capability)| **capability)
}

/// Returns the starts of words by which packages say that they are for a capability.
pub fn words_for(capability: &str) -> impl Iterator<Item = &'static str> {
    static WORDS: OnceLock<QuickMap<&'static str, &'static str>> = OnceLock::new();
    let read = || rows(include_str!("../data/capability-words.tsv")).map(|row| (row.cell(0), row.cell(1))).collect();
    WORDS.get_or_init(read).get(capability).copied().unwrap_or_default().split_whitespace()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{android, ios};

    #[test]
    fn every_need_names_something_that_exists() {
        let all: Vec<_> = rows(include_str!("../data/capability-needs.tsv")).collect();
        for row in &all {
            assert!(capability(row.cell(0)).is_some(), "{row:?}");
            let need = read_need(*row).unwrap_or_else(|| panic!("{row:?} is of no kind"));
            let known = match need.kind {
                Kind::Permission => {
                    !need.name.starts_with(android::PERMISSION_PREFIX) || android::permission(need.name).is_some()
                }
                Kind::Usage => ios::usage_key(need.name).is_some_and(ios::UsageKey::is_for_ios),
                Kind::Entitlement => ios::entitlement(need.name).is_some(),
                Kind::BackgroundMode => ios::background_mode(need.name).is_some(),
                // Names of libraries, which no table of a platform has.
                Kind::MetaData => need.name.contains('.') && !need.value.is_empty(),
                Kind::Query | Kind::QueryScheme | Kind::Component | Kind::Filter => true,
                _ => false,
            };
            assert!(known, "{row:?}");
            let conditions = [need.target_from, need.devices_to, need.max_level].iter().flatten().count()
                + usize::from(need.ios_below.is_some())
                + usize::from(need.optional);
            assert_eq!(conditions, row.words(4).len(), "a condition of {row:?} is not read");
        }
        for capability in capabilities() {
            assert!(capability.needs().next().is_some(), "{} wants nothing", capability.name);
        }
    }

    #[test]
    fn bluetooth_changes_with_the_level() {
        let needs: Vec<_> = capability("bluetooth").unwrap().needs().collect();
        let old = needs.iter().find(|need| need.name == "android.permission.BLUETOOTH").unwrap();
        assert_eq!((old.max_level, old.devices_to, old.target_from), (Some(30), Some(30), None));
        let new = needs.iter().find(|need| need.name == "android.permission.BLUETOOTH_SCAN").unwrap();
        assert_eq!((new.max_level, new.target_from), (None, Some(31)));
    }
}
