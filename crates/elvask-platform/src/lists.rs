//! Lists of names that the program goes by, one table for all of them.

use std::sync::OnceLock;

use crate::table::rows;

macro_rules! lists {
    ($($(#[doc = $about:literal])+ $name:ident = $id:literal,)+) => {
        /// A list of names. Its rows stand in the order of the table.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        pub enum List {
            $($(#[doc = $about])+ $name,)+
        }

        /// How the table calls the lists, in the order of the type.
        pub(crate) const LISTS: &[&str] = &[$($id),+];
    };
}

lists! {
    /// Words in conditions that are true of every build for iOS, or say which tools build it.
    AppleCondition = "apple-condition",
    /// Folders whose files are not part of what ships.
    FolderNotShipped = "folder-not-shipped",
    /// Folders of platforms that are not looked at.
    FolderOtherPlatform = "folder-other-platform",
    /// Folders that hold what others wrote, what a build made, or what does not ship.
    FolderNotOwn = "folder-not-own",
    /// The folders that are never gone through in search of an app's parts.
    FolderNotSearched = "folder-not-searched",
    /// Words in the names of notes at the top of a package that tell how to set it up.
    NotesSetup = "notes-setup",
    /// Files of notes that tell something other than how to set up.
    NotesOther = "notes-other",
    /// Words in the names of notes that are written for machines.
    NotesMachine = "notes-machine",
    /// Words in the name of a value that make it the app's own.
    ValueOwn = "value-own",
    /// Words in the name of a value that make it a matter of taste: without one the platform or the package has its own.
    ValueTaste = "value-taste",
    /// What follows `your` in one word, in a value that others are to put their own in for.
    ValueYour = "value-your",
    /// Schemes of links that are nobody's own.
    SchemeSystem = "scheme-system",
    /// Gradle plugins that every app applies.
    GradlePluginUsual = "gradle-plugin-usual",
    /// The other words that start a rule for the platform's own shrinker; what starts otherwise belongs to another one.
    KeepOtherWord = "keep-other-word",
    /// Elements at the top of files that are none of those that an app declares things in.
    ElementOtherDocument = "element-other-document",
    /// Attributes of the launcher activity that are worth asking for; the others are the app's own business.
    AttributeLauncher = "attribute-launcher",
    /// Attributes of the application element that are worth asking for; the others are the app's own business.
    AttributeApplication = "attribute-application",
    /// Attributes that any app has, so that they say nothing where they stand among others.
    AttributeUsual = "attribute-usual",
    /// Keys that every app has: in a list that is shown whole they are the background.
    KeyBackground = "key-background",
    /// What stands in the property list or the entitlements beside a purpose or a background mode, and makes nothing of it without.
    KeyBeside = "key-beside",
    /// What the keys that the platform keeps for itself start with, before a capital letter.
    KeyPrefix = "key-prefix",
    /// The settings that are lists of words, though they may hold one word alone.
    SettingList = "setting-list",
    /// The texts that the build plugin of the services' file makes of that file.
    ResourceByServices = "resource-by-services",
    /// Words in the names of permissions and keys that say nothing of what they are for.
    NameCommon = "name-common",
    /// Words of file and class names that say what kind of thing they are, and not what it is about.
    ClassKind = "class-kind",
    /// Pods that the tools of a layout bring along: they are no code of a package.
    PodOfTools = "pod-of-tools",
    /// Words in the names of packages that may have to do with sound.
    SoundWord = "sound-word",
    /// Functions that only gather their arguments: the call around them is meant.
    CallGathering = "call-gathering",
}

impl List {
    /// Returns the rows: a name, and what the list says of it, which may be nothing.
    #[must_use]
    pub fn rows(self) -> &'static [(&'static str, &'static str)] {
        static ALL: OnceLock<Vec<Vec<(&str, &str)>>> = OnceLock::new();
        let all = ALL.get_or_init(|| {
            let mut all = vec![Vec::new(); LISTS.len()];
            for row in rows(include_str!("../data/lists.tsv")) {
                let name = row.cell(0);
                let list = LISTS.iter().position(|id| *id == name).and_then(|at| all.get_mut(at));
                list.into_iter().for_each(|list| list.push((row.cell(1), row.cell(2))));
            }
            all
        });
        all.get(self as usize).map_or(&[], Vec::as_slice)
    }

    /// Goes through the names.
    pub fn words(self) -> impl Iterator<Item = &'static str> {
        self.rows().iter().map(|(word, _)| *word)
    }

    /// Says whether a name is on the list, letter for letter.
    #[must_use]
    pub fn has(self, name: &str) -> bool {
        self.words().any(|word| word == name)
    }

    /// Returns what the list says of a name that is on it.
    #[must_use]
    pub fn says(self, name: &str) -> Option<&'static str> {
        self.rows().iter().find(|(word, _)| *word == name).map(|(_, says)| *says)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_list_has_names_and_none_twice() {
        for (at, id) in LISTS.iter().enumerate() {
            let names: Vec<&str> = rows(include_str!("../data/lists.tsv"))
                .filter(|row| row.cell(0) == *id)
                .map(|row| row.cell(1))
                .collect();
            assert!(!names.is_empty(), "{id} ({at})");
            // A pair may share its first name.
            let pairs: std::collections::BTreeSet<(&str, &str)> = rows(include_str!("../data/lists.tsv"))
                .filter(|row| row.cell(0) == *id)
                .map(|row| (row.cell(1), row.cell(2)))
                .collect();
            assert_eq!(pairs.len(), names.len(), "{id}");
        }
        assert!(List::FolderNotShipped.has("examples") && !List::FolderNotShipped.has("src"));
        assert_eq!(List::KeyBeside.says("fetch"), Some("BGTaskSchedulerPermittedIdentifiers"));
        assert_eq!(List::KeyBeside.says("audio"), None);
    }
}
