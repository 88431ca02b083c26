//! The kinds of thing that an app declares and that a plugin can require.

use serde::{Deserialize, Serialize};

use crate::Platform;

/// Makes [`Kind`] of one list, so that a kind has one line here: what it is, its name in code, its word in sheets and in JSON, and
/// the platform that has it.
macro_rules! kinds {
    ($($(#[doc = $doc:literal])+ $kind:ident = $word:literal on $platform:expr;)+) => {
        /// The kinds of requirement and declaration, in the order in which they are listed.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(rename_all = "kebab-case")]
        pub enum Kind {
            $($(#[doc = $doc])+ $kind,)+
        }

        impl Kind {
            /// All kinds, in the order of the type: that of a kind is its place here.
            pub const ALL: &[Kind] = &[$(Kind::$kind),+];

            /// Returns the word for the kind in sheets, in JSON and in the tables of facts.
            #[must_use]
            pub const fn id(self) -> &'static str {
                match self {
                    $(Kind::$kind => $word,)+
                }
            }

            /// Returns the platform that has the kind; `None` for those that both have.
            #[must_use]
            pub const fn platform(self) -> Option<Platform> {
                match self {
                    $(Kind::$kind => $platform,)+
                }
            }
        }
    };
}

const ANDROID: Option<Platform> = Some(Platform::Android);
const IOS: Option<Platform> = Some(Platform::Ios);
const BOTH: Option<Platform> = None;

kinds! {
    /// A permission in the manifest.
    Permission = "permission" on ANDROID;
    /// A `<uses-feature>` of the manifest.
    Feature = "feature" on ANDROID;
    /// A `<meta-data>` element.
    MetaData = "meta-data" on ANDROID;
    /// An entry of `<queries>`.
    Query = "query" on ANDROID;
    /// An intent filter of a component.
    Filter = "filter" on ANDROID;
    /// A component of the app.
    Component = "component" on ANDROID;
    /// An attribute of an element of the manifest.
    Attribute = "attribute" on ANDROID;
    /// A level that the build states.
    Level = "level" on ANDROID;
    /// A line of a Gradle file, or of a file of keep rules.
    Gradle = "gradle" on ANDROID;
    /// A text, colour, picture or XML file among the app's resources.
    Resource = "resource" on ANDROID;
    /// A key of `Info.plist` that holds a purpose.
    Usage = "usage" on IOS;
    /// Another key of `Info.plist`.
    Plist = "plist" on IOS;
    /// A scheme under `LSApplicationQueriesSchemes`.
    QueryScheme = "query-scheme" on IOS;
    /// A scheme under `CFBundleURLTypes`.
    UrlScheme = "url-scheme" on IOS;
    /// An associated domain.
    Domain = "domain" on IOS;
    /// A value under `UIBackgroundModes`.
    BackgroundMode = "background-mode" on IOS;
    /// An entitlement.
    Entitlement = "entitlement" on IOS;
    /// The lowest version of iOS.
    MinVersion = "min-version" on IOS;
    /// A build setting of the app target.
    BuildSetting = "build-setting" on IOS;
    /// A reason in the privacy manifest.
    PrivacyReason = "privacy-reason" on IOS;
    /// A file that must be there.
    File = "file" on BOTH;
    /// Who the app is: its id, its version, its build.
    Identity = "identity" on BOTH;
}

impl Kind {
    /// Returns the kind that a word stands for; `None` for a word that stands for none.
    #[must_use]
    pub fn parse(word: &str) -> Option<Kind> {
        Kind::ALL.iter().copied().find(|kind| kind.id() == word)
    }
}

impl std::fmt::Display for Kind {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.pad(self.id())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_word_stands_for_one_kind() {
        for (at, kind) in Kind::ALL.iter().enumerate() {
            assert_eq!((Kind::parse(kind.id()), *kind as usize), (Some(*kind), at));
        }
        assert_eq!(Kind::parse("permissions"), None);
    }
}
