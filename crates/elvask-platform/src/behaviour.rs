//! What Android does differently from a level on.

use std::sync::OnceLock;

use crate::table::with_key;

macro_rules! behaviours {
    ($($(#[doc = $about:literal])+ $name:ident = $id:literal,)+) => {
        /// A change in what Android does. The rows of the table say from which level on, and by which page of the documentation.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        pub enum Behaviour {
            $($(#[doc = $about])+ $name,)+
        }

        impl Behaviour {
            /// All of them, in the order of the type: that of one is its place here.
            pub const ALL: &[Behaviour] = &[$(Behaviour::$name),+];

            /// Returns the word for it in the table.
            #[must_use]
            pub const fn id(self) -> &'static str {
                match self {
                    $(Behaviour::$name => $id,)+
                }
            }
        }
    };
}

behaviours! {
    /// Other apps are hidden unless `<queries>` names them.
    PackageVisibility = "package-visibility",
    /// A component with a filter must state `android:exported`.
    ExportedStated = "exported-stated",
    /// `android:autoVerify` is heeded.
    LinksVerified = "links-verified",
    /// A web link whose host is not verified opens the browser.
    LinksStrict = "links-strict",
    /// `<uri-relative-filter-group>` is read.
    FilterGroups = "filter-groups",
    /// `android:pathSuffix` is read.
    PathSuffix = "path-suffix",
    /// `android:pathAdvancedPattern` is read.
    PathAdvancedPattern = "path-advanced-pattern",
    /// A foreground service wants the permission for it.
    ForegroundPermission = "foreground-permission",
    /// A foreground service states a type, and holds the type's permission and what the type works with.
    ForegroundTypes = "foreground-types",
    /// Services of some types are stopped after a time.
    ForegroundLimits = "foreground-limits",
    /// The launch mode `singleInstancePerTask` is known.
    LaunchPerTask = "launch-per-task",
}

impl Behaviour {
    /// Returns the first level at which it is so.
    #[must_use]
    pub fn since(self) -> u32 {
        static LEVELS: OnceLock<Vec<u32>> = OnceLock::new();
        let levels = LEVELS.get_or_init(|| {
            let level = |one: &Behaviour| {
                let mut table = with_key(include_str!("../data/android-behaviour.tsv"), one.id());
                table.next().and_then(|row| row.number(1)).unwrap_or(u32::MAX)
            };
            Behaviour::ALL.iter().map(level).collect()
        });
        levels.get(self as usize).copied().unwrap_or(u32::MAX)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::rows;

    #[test]
    fn each_has_a_row_and_each_row_is_one() {
        assert!(Behaviour::ALL.iter().all(|one| one.since() < 100));
        assert_eq!(rows(include_str!("../data/android-behaviour.tsv")).count(), Behaviour::ALL.len());
        assert_eq!(Behaviour::ExportedStated.since(), 31);
    }
}
