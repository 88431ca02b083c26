//! What may be written into an app because a package asks for it, and what only a person can agree to.

use std::sync::OnceLock;

use crate::List;
use crate::hash::QuickMap;
use crate::table::rows;

/// What the table says of a name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Listed {
    /// It may be written.
    Written,
    /// A person is asked; this is what it means.
    Asked(&'static str),
}

/// The kinds of name in the table.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum ListedKind {
    /// An attribute of the manifest, without its prefix.
    Attribute,
    /// A key of the property list.
    Key,
    /// An entitlement.
    Entitlement,
    /// A build setting.
    Setting,
    /// A repository of libraries.
    Repository,
    /// A permission that others need to reach a component.
    ComponentPermission,
    /// A permission.
    Permission,
}

impl ListedKind {
    fn parse(word: &str) -> Option<ListedKind> {
        Some(match word {
            "attribute" => ListedKind::Attribute,
            "key" => ListedKind::Key,
            "entitlement" => ListedKind::Entitlement,
            "setting" => ListedKind::Setting,
            "repository" => ListedKind::Repository,
            "component-permission" => ListedKind::ComponentPermission,
            "permission" => ListedKind::Permission,
            _ => return None,
        })
    }
}

/// Returns what the table says of a name of a kind; `None` where it says nothing.
#[must_use]
pub fn listed(kind: ListedKind, name: &str) -> Option<Listed> {
    static TABLE: OnceLock<QuickMap<(ListedKind, &'static str), Listed>> = OnceLock::new();
    let table = TABLE.get_or_init(|| {
        let row = |row: crate::table::Row| {
            let says = if row.cell(2) == "write" { Listed::Written } else { Listed::Asked(row.cell(3)) };
            Some(((ListedKind::parse(row.cell(0))?, row.cell(1)), says))
        };
        rows(include_str!("../data/package-writes.tsv")).filter_map(row).collect()
    });
    table.get(&(kind, name)).copied()
}

/// Returns a key of a property list without the end that stands for a device or a platform: `UIFileSharingEnabled` for
/// `UIFileSharingEnabled~ipad` and `UIFileSharingEnabled-iphoneos`.
///
/// Source: "Managing your app's information property list values" in the platform's developer documentation.
#[must_use]
pub fn key_for_all_devices(key: &str) -> &str {
    let mut key = key;
    loop {
        let before = key;
        key = key.split_once('~').map_or(key, |(key, _)| key);
        for end in
            ["-iphoneos", "-iphonesimulator", "-macos", "-macosx", "-maccatalyst", "-appletvos", "-watchos", "-xros"]
        {
            key = key.strip_suffix(end).unwrap_or(key);
        }
        if key == before {
            return key;
        }
    }
}

/// Says whether a key is one of those that the platform keeps for itself: two or more capital letters of its own, or its domain.
///
/// Source: "Information Property List" in the platform's developer documentation.
#[must_use]
pub fn is_platform_key(key: &str) -> bool {
    let after = |prefix: &str| {
        let rest = key.strip_prefix(prefix);
        rest.is_some_and(|rest| rest.is_empty() || rest.starts_with(|letter: char| letter.is_ascii_uppercase()))
    };
    key.starts_with("com.apple.") || List::KeyPrefix.words().any(after)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{android, ios};

    #[test]
    fn every_row_is_read_and_told() {
        for row in rows(include_str!("../data/package-writes.tsv")) {
            let kind = ListedKind::parse(row.cell(0)).unwrap_or_else(|| panic!("{}", row.cell(0)));
            assert!(matches!(row.cell(2), "write" | "ask"), "{}", row.cell(1));
            assert_eq!(row.cell(2) == "ask", !row.cell(3).is_empty(), "{}: what is asked about is told", row.cell(1));
            assert!(listed(kind, row.cell(1)).is_some());
            if kind == ListedKind::Permission {
                assert!(android::permission(row.cell(1)).is_some(), "{}", row.cell(1));
            }
        }
    }

    #[test]
    fn keys_are_the_same_for_all_devices() {
        for key in
            ["UIFileSharingEnabled~ipad", "UIFileSharingEnabled-iphoneos", "UIFileSharingEnabled-iphoneos~iphone"]
        {
            assert_eq!(key_for_all_devices(key), "UIFileSharingEnabled");
        }
        assert!(is_platform_key("NSAppTransportSecurity") && is_platform_key("com.apple.developer.x"));
        assert!(
            !is_platform_key("ExampleKnotAppId")
                && !is_platform_key("Uid")
                && !is_platform_key("nsAppTransportSecurity")
        );
        let foreign = ios::plist_keys().filter(|key| !is_platform_key(key)).collect::<Vec<_>>();
        assert!(foreign.is_empty(), "{foreign:?}");
    }
}
