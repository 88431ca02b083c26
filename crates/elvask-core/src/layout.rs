//! Layouts: how the folders of an app are arranged.

use serde::Serialize;

/// The name of the file, in the root of the app.
pub const FILE_NAME: &str = "elvask.toml";

/// How the folders of an app are arranged, named after the file that lists its dependencies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Layout {
    /// `pubspec.yaml`.
    Pubspec,
    /// `package.json`.
    Npm,
    /// A `.csproj` that is built for mobile platforms.
    Msbuild,
    /// `config.xml` in the W3C widget format.
    Widget,
    /// One JSON file from which the platform folders are generated.
    AppJson,
    /// Gradle files: an app for Android alone.
    Gradle,
    /// An Xcode project: an app for iOS alone.
    Xcode,
}

impl Layout {
    /// Returns the name of the layout.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Layout::Pubspec => "pubspec",
            Layout::Npm => "npm",
            Layout::Msbuild => "msbuild",
            Layout::Widget => "widget",
            Layout::AppJson => "appjson",
            Layout::Gradle => "gradle",
            Layout::Xcode => "xcode",
        }
    }

    /// Returns the file that names the layout.
    #[must_use]
    pub fn file(self) -> &'static str {
        match self {
            Layout::Pubspec => "pubspec.yaml",
            Layout::Npm => "package.json",
            Layout::Msbuild => "*.csproj",
            Layout::Widget => "config.xml",
            Layout::AppJson => "app.json",
            Layout::Gradle => "settings.gradle",
            Layout::Xcode => "*.xcodeproj",
        }
    }

    /// Says whether the layout serves one platform alone, so that it can be part of another one.
    #[must_use]
    pub fn is_native(self) -> bool {
        matches!(self, Layout::Gradle | Layout::Xcode)
    }

    /// Says whether the app's own code is not in the platforms' languages alone, so that no native code shows what it does.
    #[must_use]
    pub fn is_scripted(self) -> bool {
        !self.is_native()
    }
}
