//! Layouts: how the folders of an app are arranged.

use serde::Serialize;

/// The name of the file, in the root of the app.
pub const FILE_NAME: &str = "elvask.toml";

/// Makes [`Layout`] of one list, so that a layout has one line here: what it is, its name in code, its word, the file that it is named
/// after, and whether it serves one platform alone.
macro_rules! layouts {
    ($($(#[doc = $doc:literal])+ $layout:ident = $word:literal, $file:literal, $native:literal;)+) => {
        /// How the folders of an app are arranged, named after the file that lists its dependencies.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
        #[serde(rename_all = "lowercase")]
        pub enum Layout {
            $($(#[doc = $doc])+ $layout,)+
        }

        impl Layout {
            /// All layouts, in the order of the type: that of a layout is its place here.
            pub const ALL: &[Layout] = &[$(Layout::$layout),+];

            /// Returns the name of the layout.
            #[must_use]
            pub const fn id(self) -> &'static str {
                match self {
                    $(Layout::$layout => $word,)+
                }
            }

            /// Returns the file that names the layout.
            #[must_use]
            pub const fn file(self) -> &'static str {
                match self {
                    $(Layout::$layout => $file,)+
                }
            }

            /// Says whether the layout serves one platform alone, so that it can be part of another one.
            #[must_use]
            pub const fn is_native(self) -> bool {
                match self {
                    $(Layout::$layout => $native,)+
                }
            }
        }
    };
}

layouts! {
    /// `pubspec.yaml`.
    Pubspec = "pubspec", "pubspec.yaml", false;
    /// `package.json`.
    Npm = "npm", "package.json", false;
    /// A `.csproj` that is built for mobile platforms.
    Msbuild = "msbuild", "*.csproj", false;
    /// `config.xml` in the W3C widget format.
    Widget = "widget", "config.xml", false;
    /// One JSON file from which the platform folders are generated.
    AppJson = "appjson", "app.json", false;
    /// Gradle files: an app for Android alone.
    Gradle = "gradle", "settings.gradle", true;
    /// An Xcode project: an app for iOS alone.
    Xcode = "xcode", "*.xcodeproj", true;
}

impl Layout {
    /// Says whether the app's own code is not in the platforms' languages alone, so that no native code shows what it does.
    #[must_use]
    pub fn is_scripted(self) -> bool {
        !self.is_native()
    }
}

/// Where a declaration of one kind is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Home {
    /// A file of the platform.
    PlatformFile(&'static str),
    /// An entry of another document.
    Entry {
        /// The document.
        file: &'static str,
        /// The path in it, in the words of its format.
        at: &'static str,
    },
    /// Steps for a person: the layout has no file for it.
    Steps(&'static str),
}

impl std::fmt::Display for Home {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Home::PlatformFile(file) => out.write_str(file),
            Home::Entry { file, at } => write!(out, "{file}, {at}"),
            Home::Steps(steps) => out.write_str(steps),
        }
    }
}
