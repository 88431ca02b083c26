//! What things are and what comes of leaving them, and what people see when something is wrong.

use std::sync::OnceLock;

use crate::table::{rows, with_key};

macro_rules! word_kinds {
    ($($(#[doc = $about:literal])+ $name:ident = $id:literal, $title:literal;)+) => {
        /// A kind of word that is explained.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
        pub enum WordKind {
            $($(#[doc = $about])+ $name,)+
        }

        impl WordKind {
            /// All kinds, in the order in which a word that is several things is explained.
            pub const ALL: &[WordKind] = &[$(WordKind::$name),+];

            /// Returns the word for the kind, as on the command line.
            #[must_use]
            pub const fn id(self) -> &'static str {
                match self { $(WordKind::$name => $id,)+ }
            }

            /// Returns what the kind is, in a few words.
            #[must_use]
            pub const fn title(self) -> &'static str {
                match self { $(WordKind::$name => $title,)+ }
            }
        }
    };
}

word_kinds! {
    /// A permission of Android.
    Permission = "permission", "Android permission";
    /// A key of `Info.plist`.
    Key = "key", "key of Info.plist";
    /// An entitlement.
    Entitlement = "entitlement", "entitlement of iOS";
    /// A background mode.
    BackgroundMode = "background-mode", "background mode of iOS";
    /// An element of the manifest.
    Element = "element", "element of the Android manifest";
    /// An attribute of the manifest.
    Attribute = "attribute", "attribute of the Android manifest";
    /// The action of an intent.
    Action = "action", "action of Android intents";
    /// The category of an intent.
    Category = "category", "category of Android intents";
    /// A preference of `config.xml`.
    Preference = "preference", "preference of config.xml";
}

/// A word with what it means.
#[derive(Debug, Clone)]
pub struct Word {
    /// What kind of word it is.
    pub kind: WordKind,
    /// The word, in full.
    pub name: &'static str,
    /// The Android level or iOS version that brought it; empty where it was there from the beginning or something else tells.
    pub since: &'static str,
    /// What it is, in sentences.
    pub what: &'static str,
    /// What comes of leaving it, in a sentence; empty where nothing does.
    pub without: &'static str,
    /// An example, as it is written.
    pub example: &'static str,
    /// Rules and other words that belong to it.
    pub related: Vec<&'static str>,
}

/// The elements that are meant where the words speak of components.
const COMPONENTS: [&str; 5] = ["activity", "activity-alias", "service", "receiver", "provider"];

impl Word {
    /// Returns the elements that an attribute is written on, or that an element stands in; none for nearly every one, and for the outermost.
    #[must_use]
    pub fn written_on(&self) -> Vec<&'static str> {
        let start = match self.kind {
            WordKind::Attribute => "Written on ",
            WordKind::Element => "It is a child of ",
            _ => return Vec::new(),
        };
        let Some((_, said)) = self.what.split_once(start) else { return Vec::new() };
        let said = said.split(['.', ';']).next().unwrap_or_default();
        let mut names: Vec<&str> = said.split('<').skip(1).filter_map(|rest| rest.split('>').next()).collect();
        if said.contains("component") {
            names.extend(COMPONENTS);
        }
        names
    }
}

/// Returns all words, by kind.
pub fn words() -> &'static [Word] {
    static TABLE: OnceLock<Vec<Word>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let read = |row: crate::table::Row| {
            Some(Word {
                kind: *WordKind::ALL.iter().find(|kind| kind.id() == row.cell(0))?,
                name: row.cell(1),
                since: row.cell(2),
                what: row.cell(3),
                without: row.cell(4),
                example: row.cell(5),
                related: row.words(6),
            })
        };
        rows(include_str!("../data/glossary.tsv")).filter_map(read).collect()
    })
}

/// Returns what a word means as a thing of a kind.
#[must_use]
pub fn word(kind: WordKind, name: &str) -> Option<&'static Word> {
    words().iter().find(|word| word.kind == kind && word.name == name)
}

/// Says whether a name is what somebody types: the whole of it, or its last part, in letters of any case; an attribute also with its
/// prefix, an element also in its brackets.
#[must_use]
pub fn is_typed(name: &str, typed: &str) -> bool {
    let bare = typed.trim_start_matches('<').trim_end_matches(['>', '/']).trim_start_matches("android:");
    name.eq_ignore_ascii_case(bare) || name.rsplit('.').next().is_some_and(|last| last.eq_ignore_ascii_case(bare))
}

/// Something that people see.
#[derive(Debug, Clone)]
pub struct Symptom {
    /// Ways to say it.
    pub seen: Vec<&'static str>,
    /// What is behind it, in a sentence.
    pub behind: &'static str,
    /// The rules and words that it may be.
    pub topics: Vec<&'static str>,
}

/// Goes through what people see.
pub fn symptoms() -> impl Iterator<Item = Symptom> {
    rows(include_str!("../data/symptoms.tsv")).map(|row| Symptom {
        seen: row.cell(0).split('|').collect(),
        behind: row.cell(1),
        topics: row.words(2),
    })
}

/// Returns how the protection of a permission changed: protections with the level from which on they held. Empty where it never did.
#[must_use]
pub fn protection_changes(permission: &str) -> Vec<(&'static str, u32)> {
    let row = with_key(include_str!("../data/android-permission-changes.tsv"), permission).next();
    let changes = row.map(|row| row.words(1)).unwrap_or_default();
    changes
        .into_iter()
        .filter_map(|change| change.split_once('@'))
        .filter_map(|(is, at)| Some((is, at.parse().ok()?)))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_is_read_and_no_word_is_there_twice() {
        assert_eq!(words().len(), rows(include_str!("../data/glossary.tsv")).count());
        for (at, one) in words().iter().enumerate() {
            assert!(
                !words()[..at].iter().any(|known| known.kind == one.kind && known.name == one.name),
                "{}",
                one.name
            );
        }
    }

    #[test]
    fn what_the_other_tables_name_is_what_is_explained() {
        for one in words() {
            let known = match one.kind {
                WordKind::Permission => crate::android::permission(one.name).is_some(),
                WordKind::Entitlement => crate::ios::entitlement(one.name).is_some(),
                WordKind::BackgroundMode => crate::ios::background_mode(one.name).is_some(),
                WordKind::Key => crate::ios::plist_key(one.name).is_some() || crate::ios::usage_key(one.name).is_some(),
                _ => true,
            };
            assert!(known, "{}", one.name);
        }
        for row in rows(include_str!("../data/android-permission-changes.tsv")) {
            assert!(crate::android::permission(row.cell(0)).is_some() && protection_changes(row.cell(0)).len() > 1);
        }
    }

    #[test]
    fn what_an_app_can_be_granted_has_words_of_its_own() {
        use crate::android::Grant;
        let has = |kind: WordKind, name: &str| words().iter().any(|one| one.kind == kind && one.name == name);
        let granted = crate::android::permissions();
        let granted = granted.filter(|one| matches!(one.grant(), Grant::AtInstall | Grant::Prompt));
        let silent: Vec<_> = granted.map(|one| one.name).filter(|name| !has(WordKind::Permission, name)).collect();
        assert!(silent.is_empty(), "{silent:?}");
        let keys = crate::ios::entitlements().iter().map(|one| one.key);
        let silent: Vec<_> = keys.filter(|key| !has(WordKind::Entitlement, key)).collect();
        assert!(silent.is_empty(), "{silent:?}");
    }

    #[test]
    fn words_are_typed_in_short() {
        assert!(is_typed("android.intent.action.VIEW", "view") && is_typed("exported", "android:exported"));
        assert!(is_typed("uses-feature", "<uses-feature>") && !is_typed("exported", "export"));
    }

    #[test]
    fn every_attribute_and_element_says_where_it_is_written() {
        let nowhere: Vec<_> = words()
            .iter()
            .filter(|word| matches!(word.kind, WordKind::Attribute | WordKind::Element))
            .filter(|word| word.written_on().is_empty())
            .map(|word| word.name)
            .collect();
        assert_eq!(nowhere, ["name", "manifest"]);
        let exported = word(WordKind::Attribute, "exported").unwrap();
        assert_eq!(exported.written_on(), ["activity", "service", "receiver", "provider"]);
        assert_eq!(word(WordKind::Element, "intent-filter").unwrap().written_on(), COMPONENTS);
    }
}
