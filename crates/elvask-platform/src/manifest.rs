//! How manifests are merged: what each element is to the merger.
//!
//! Source: "Manage manifest files" in the platform's build documentation.

use std::sync::OnceLock;

use crate::table::rows;

/// What becomes of an element that both manifests have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Policy {
    /// The two become one.
    Merge,
    /// Each stays, unless they are the same in all.
    Keep,
    /// Their children are merged; of libraries, the attributes are not.
    Children,
}

/// What an element of a manifest is to the merger.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ElementKind {
    /// What becomes of two of the same key.
    pub policy: Policy,
    /// The platform attributes that tell two apart: the first that is there counts. Empty: there is one to a parent.
    pub keys: Vec<&'static str>,
    /// The platform attributes of which `true` wins, whoever says it. Their default is `true`.
    pub either: Vec<&'static str>,
    /// The platform attributes that hold a class name.
    pub classes: Vec<&'static str>,
}

/// Returns what an element is to the merger; `None` for elements that it does not know, which are always kept.
#[must_use]
pub fn element_kind(name: &str) -> Option<&'static ElementKind> {
    // By the lengths of their names: few share one, and a manifest can have very many elements.
    static KINDS: OnceLock<Vec<Vec<(&'static str, ElementKind)>>> = OnceLock::new();
    let kinds = KINDS.get_or_init(|| {
        let mut kinds: Vec<Vec<_>> = Vec::new();
        for row in rows(include_str!("../data/manifest-elements.tsv")) {
            let policy = match row.cell(1) {
                "keep" => Policy::Keep,
                "children" => Policy::Children,
                _ => Policy::Merge,
            };
            let keys = row.words(2).into_iter().filter(|key| *key != "-").collect();
            let (name, kind) = (row.cell(0), ElementKind { policy, keys, either: row.words(3), classes: row.words(4) });
            kinds.resize_with(kinds.len().max(name.len() + 1), Vec::new);
            if let Some(kinds) = kinds.get_mut(name.len()) {
                kinds.push((name, kind));
            }
        }
        kinds
    });
    kinds.get(name.len())?.iter().find(|(known, _)| *known == name).map(|(_, kind)| kind)
}

/// Returns the permissions that the merger adds for a library: pairs of the permission that the library must ask for
/// (`None` for none) and the one that is added.
#[must_use]
pub fn implied_permissions(app_target: u32, library_target: u32) -> Vec<(Option<&'static str>, &'static str)> {
    if app_target <= library_target {
        return Vec::new();
    }
    let holds = |below: u32| below == 0 || (library_target < below && app_target >= below);
    rows(include_str!("../data/implied-permissions.tsv"))
        .filter(|row| row.number(0).is_some_and(holds))
        .map(|row| (Some(row.cell(1)).filter(|asked| *asked != "-"), row.cell(2)))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_is_read() {
        let feature = element_kind("uses-feature").unwrap();
        assert_eq!(
            (feature.keys.as_slice(), feature.either.as_slice()),
            (["name", "glEsVersion"].as_slice(), ["required"].as_slice())
        );
        assert_eq!(element_kind("intent-filter").unwrap().policy, Policy::Keep);
        assert!(element_kind("application").unwrap().keys.is_empty());
        assert!(element_kind("made-up").is_none());
    }

    #[test]
    fn old_libraries_bring_permissions_along() {
        assert_eq!(implied_permissions(36, 3).len(), 6);
        assert_eq!(implied_permissions(36, 20).len(), 1);
        assert!(implied_permissions(20, 20).is_empty());
        assert!(implied_permissions(15, 14).iter().all(|(_, added)| !added.ends_with("CALL_LOG")));
    }
}
