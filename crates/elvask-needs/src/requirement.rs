//! Requirements: what a plugin needs an app to declare.

#![warn(clippy::wildcard_enum_match_arm)]

use elvask_markup::Position;
use elvask_markup::plist::plan::NewValue;
use elvask_platform::{Kind, Platform, Version};
use elvask_project::intent::{Owner, Query};
use elvask_project::levels::Levels;
use elvask_project::names::fits_pattern;
use elvask_project::source::{Place, Sources};
use serde::{Deserialize, Serialize};

use crate::conditions::Range;

/// The name of the requirement for a minimum level.
pub const MIN_LEVEL: &str = "minSdkVersion";

/// The name of the requirement for a level to build with.
pub const COMPILE_LEVEL: &str = "compileSdkVersion";

/// The name of the requirement for a target level.
pub const TARGET_LEVEL: &str = "targetSdkVersion";

/// The name of the requirement for a minimum version of iOS.
pub const MIN_VERSION: &str = "iOS";

/// A component that an app must have.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(default)]
pub struct Component {
    /// The element: `activity`, `activity-alias`, `service`, `receiver` or `provider`.
    pub element: String,
    /// Whether other apps may start it.
    pub exported: Option<bool>,
    /// What kind of work a service does in the foreground: `mediaPlayback`.
    pub foreground_type: Option<String>,
    /// The permission that others need to reach it.
    pub permission: Option<String>,
    /// The authorities of a provider.
    pub authorities: Option<String>,
    /// The actions of its intent filter.
    pub actions: Vec<String>,
}

impl Component {
    /// Returns its platform attributes beside the name, in the order in which they are written.
    #[must_use]
    pub fn attributes(&self) -> Vec<(&'static str, String)> {
        let exported = self.exported.map(|exported| ("exported", exported.to_string()));
        let text = |name, value: &Option<String>| value.clone().map(|value| (name, value));
        let all = [
            text("authorities", &self.authorities),
            exported,
            text("foregroundServiceType", &self.foreground_type),
            text("permission", &self.permission),
        ];
        all.into_iter().flatten().collect()
    }
}

/// The Gradle file that a line belongs into.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum GradleFile {
    /// That of the app's module.
    App,
    /// That of the root project.
    Root,
    /// The settings.
    Settings,
}

impl GradleFile {
    /// Returns the word for it in sheets.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            GradleFile::App => "app",
            GradleFile::Root => "root",
            GradleFile::Settings => "settings",
        }
    }
}

/// The directives of the shrinker that do no more than keep something.
///
/// Source: "Keep rules" in the manual of the platform's shrinker.
pub const KEEP_DIRECTIVES: [&str; 6] = [
    "-keep",
    "-keepclassmembers",
    "-keepclasseswithmembers",
    "-keepnames",
    "-keepclassmembernames",
    "-keepclasseswithmembernames",
];

/// What a Gradle build must say.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum GradleLine {
    /// A Gradle plugin is applied; its id is the requirement's name.
    Plugin {
        /// The lowest version.
        version: Option<String>,
    },
    /// A library is depended on; `group:artifact` is the requirement's name.
    Dependency {
        /// The configuration: `implementation`.
        configuration: String,
        /// The lowest version.
        version: Option<String>,
    },
    /// A repository is looked in for libraries; its address, or the name of a known one, is the requirement's name.
    Repository,
    /// A repository is looked in for Gradle plugins; likewise.
    PluginRepository,
    /// A rule keeps the shrinker off; the rule is the requirement's name.
    KeepRule,
}

/// What exactly is needed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Need {
    /// A permission, with the level up to which it is needed.
    Permission {
        /// The highest level that needs it; `None` for all.
        max_level: Option<u32>,
    },
    /// A value for the plugin.
    MetaData {
        /// The element that it belongs into.
        owner: Owner,
        /// Text, with answers in curly brackets; `None` where a resource is meant.
        value: Option<String>,
        /// A resource such as `@xml/paths`.
        resource: Option<String>,
    },
    /// A feature of the device.
    Feature {
        /// Whether the app is for devices with the feature alone.
        required: bool,
    },
    /// Visibility of other apps.
    Query(Box<Query>),
    /// An intent filter.
    Filter {
        /// The component.
        owner: Owner,
        /// What it takes.
        filter: Box<Query>,
    },
    /// A component; its full class name is the requirement's name.
    Component(Box<Component>),
    /// A level that must be reached; [`MIN_LEVEL`] and its like are the requirement's name.
    Level(u32),
    /// A line of the build.
    Gradle {
        /// The file.
        file: GradleFile,
        /// The line.
        line: GradleLine,
    },
    /// An attribute with its value.
    Attribute {
        /// The element.
        owner: Owner,
        /// The attribute without `android:`.
        attribute: String,
        /// The value.
        value: String,
    },
    /// A purpose.
    Usage,
    /// A value under a key.
    Plist {
        /// The value, with answers in curly brackets in its texts.
        value: NewValue,
    },
    /// A scheme that the app asks about.
    QueryScheme,
    /// A scheme that opens the app.
    UrlScheme,
    /// An associated domain: `applinks:marram.example`.
    Domain,
    /// What the app may do in the background.
    BackgroundMode,
    /// An entitlement with its value.
    Entitlement {
        /// The value, with answers in curly brackets in its texts; `None` where any will do.
        value: Option<NewValue>,
    },
    /// A version of iOS that must be reached; [`MIN_VERSION`] is the requirement's name.
    MinVersion(Version),
    /// A build setting with its value; words of a list in any order.
    BuildSetting {
        /// The value.
        value: String,
    },
    /// Reasons for the use of an interface, whose category is the requirement's name.
    PrivacyReason {
        /// The reasons of which one must be given.
        reasons: Vec<String>,
    },
    /// A file, whose path in the platform's project is the requirement's name.
    File {
        /// Where the platform keeps it.
        platform: Platform,
        /// Whether its path is from the app's folder, and not from that of the platform's project.
        in_app: bool,
        /// Where in a JSON or property-list file the app's id must stand: `/client/package_name`.
        id_at: Option<String>,
        /// What else must stand in it: where, and what.
        fields: Vec<(String, FileField)>,
    },
    /// A thing of a kind that is no more than its name and perhaps a value: a kind needs no shape of its own here.
    Plain {
        /// The kind.
        kind: Kind,
        /// The value, with answers in curly brackets, where it has one of its own.
        value: Option<String>,
    },
    /// A part of who the app is.
    Identity {
        /// Where.
        platform: Platform,
        /// What it must be.
        value: Option<String>,
    },
}

impl Need {
    /// Returns the kind of the need.
    #[must_use]
    pub fn kind(&self) -> Kind {
        match self {
            Need::Permission { .. } => Kind::Permission,
            Need::MetaData { .. } => Kind::MetaData,
            Need::Query(_) => Kind::Query,
            Need::Feature { .. } => Kind::Feature,
            Need::Filter { .. } => Kind::Filter,
            Need::Component(_) => Kind::Component,
            Need::Level(_) => Kind::Level,
            Need::Gradle { .. } => Kind::Gradle,
            Need::Attribute { .. } => Kind::Attribute,
            Need::Usage => Kind::Usage,
            Need::Plist { .. } => Kind::Plist,
            Need::QueryScheme => Kind::QueryScheme,
            Need::UrlScheme => Kind::UrlScheme,
            Need::Domain => Kind::Domain,
            Need::BackgroundMode => Kind::BackgroundMode,
            Need::Entitlement { .. } => Kind::Entitlement,
            Need::MinVersion(_) => Kind::MinVersion,
            Need::BuildSetting { .. } => Kind::BuildSetting,
            Need::PrivacyReason { .. } => Kind::PrivacyReason,
            Need::File { .. } => Kind::File,
            Need::Plain { kind, .. } => *kind,
            Need::Identity { .. } => Kind::Identity,
        }
    }

    /// Returns the platform that it is needed on.
    #[must_use]
    pub fn platform(&self) -> Platform {
        if let Need::File { platform, .. } | Need::Identity { platform, .. } = self {
            return *platform;
        }
        // All other kinds are on one platform.
        self.kind().platform().unwrap_or(Platform::Android)
    }
}

/// Returns a property-list value in one line: a text as it is, anything else as JSON.
pub(crate) fn plain_value(value: &NewValue) -> String {
    if let NewValue::String(text) = value {
        return text.clone();
    }
    serde_json::to_string(value).unwrap_or_default()
}

/// What shows that a plugin requires something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum EvidenceKind {
    /// A sheet states it.
    Sheet,
    /// The package's own manifest declares it.
    Manifest,
    /// The package's native code calls what needs it.
    Source,
    /// The package's notes ask for it.
    Readme,
    /// The package's build files state it.
    Build,
    /// It is implied by something that is declared.
    Platform,
    /// The app's own code uses it.
    Use,
}

impl EvidenceKind {
    /// Returns the word for it in JSON.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            EvidenceKind::Sheet => "sheet",
            EvidenceKind::Manifest => "manifest",
            EvidenceKind::Source => "source",
            EvidenceKind::Readme => "readme",
            EvidenceKind::Build => "build",
            EvidenceKind::Platform => "platform",
            EvidenceKind::Use => "use",
        }
    }

    /// Returns what was read, for people.
    #[must_use]
    pub fn title(self) -> &'static str {
        match self {
            EvidenceKind::Sheet => "its sheet",
            EvidenceKind::Manifest => "its own manifest",
            EvidenceKind::Source => "its native code",
            EvidenceKind::Readme => "its notes",
            EvidenceKind::Build => "its build files",
            EvidenceKind::Platform => "what the app declares",
            EvidenceKind::Use => "the app's own code",
        }
    }
}

/// What a field of a file must be.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum FileField {
    /// This text, with answers in curly brackets.
    Value(String),
    /// A value of the app's entitlement of this key.
    Entitlement(String),
}

/// A line that shows that something is required.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Citation {
    /// What kind of evidence it is.
    pub kind: EvidenceKind,
    /// The file: from the app with forward slashes, or from the package while it is looked at by itself.
    pub file: String,
    /// The line, counted from 1.
    pub line: usize,
    /// The column, counted from 1, in characters.
    pub column: usize,
    /// The line itself, without the space around it and without control characters, cut where it is overlong.
    pub quote: String,
}

/// The most characters of a line that are quoted.
const MAX_QUOTE: usize = 200;

impl Citation {
    /// Makes one of a place in a text that has been read.
    #[must_use]
    pub fn of(kind: EvidenceKind, sources: &Sources, place: Place) -> Self {
        let file = sources.file(place.file);
        let at = sources.position(place);
        let quote = quote(&file.text, place.span.start);
        Citation { kind, file: file.shown.clone(), line: at.line, column: at.column, quote }
    }

    /// Makes one of a byte offset in a text that is not kept; `file` is the name of the text.
    #[must_use]
    pub(crate) fn in_text(kind: EvidenceKind, file: &str, text: &str, at: usize) -> Self {
        let before = text.get(..at).unwrap_or_default();
        let line = memchr::memchr_iter(b'\n', before.as_bytes()).count() + 1;
        let start = memchr::memrchr(b'\n', before.as_bytes()).map_or(0, |at| at + 1);
        let column = before.get(start..).map_or(0, |line| line.chars().count()) + 1;
        Citation::on_line(kind, file, text, Position { line, column }, at)
    }

    /// Makes one of a byte offset whose line and column are known.
    pub(crate) fn on_line(kind: EvidenceKind, file: &str, text: &str, position: Position, at: usize) -> Self {
        let Position { line, column } = position;
        Citation { kind, file: file.to_owned(), line, column, quote: quote(text, at) }
    }
}

/// Returns the line around a byte offset as it can be shown: trimmed, clean and not overlong.
#[must_use]
fn quote(text: &str, at: usize) -> String {
    let at = (0..=at.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    let (before, after) = text.split_at(at);
    let start = memchr::memrchr(b'\n', before.as_bytes()).map_or(0, |at| at + 1);
    let end = memchr::memchr(b'\n', after.as_bytes()).map_or(text.len(), |end| at + end);
    // A line that is longer than anybody reads is cut first, so that it costs no more than others.
    let line = text.get(start..end).unwrap_or_default().trim_start();
    let line = line.get(..line.floor_char_boundary(MAX_QUOTE * 8)).unwrap_or_default().trim_end();
    // Most lines can be shown as they are.
    if line.bytes().all(|byte| matches!(byte, b' '..=b'~')) {
        let cut = line.get(..MAX_QUOTE).filter(|cut| cut.len() < line.len());
        return cut.map_or_else(|| line.to_owned(), |cut| format!("{cut}…"));
    }
    let line = line
        .chars()
        .map(|character| if elvask_markup::text::is_hidden(character) || character == '\t' { ' ' } else { character });
    let mut out: String = line.take(MAX_QUOTE + 1).collect();
    if out.chars().count() > MAX_QUOTE {
        out.pop();
        out.push('…');
    }
    out
}
/// When a requirement holds at all.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct When {
    /// On the app's target level.
    pub target_level: Option<Range<u32>>,
    /// On the app's minimum level.
    pub min_level: Option<Range<u32>>,
    /// On the versions of iOS that the app runs on.
    pub ios_version: Option<Range<Version>>,
    /// On the name of the variant, with `*` for any text.
    pub variant: Option<String>,
}

impl When {
    /// Says whether the condition holds for an app. What is not known of the app counts as fitting.
    #[must_use]
    pub fn holds(&self, levels: &Levels) -> bool {
        self.target_level.as_ref().is_none_or(|range| range.holds(levels.target))
            && self.min_level.as_ref().is_none_or(|range| levels.min.is_none_or(|min| range.holds(min)))
            && self.ios_version.as_ref().is_none_or(|range| levels.ios.is_none_or(|ios| range.can_hold_from(ios)))
            && self.variant.as_ref().is_none_or(|pattern| fits_pattern(pattern, &levels.variant))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_is_quoted_as_it_can_be_shown() {
        let line = |text: &str| quote(&format!("first\n{text}\nlast"), 6);
        assert_eq!(line("  a <b>  "), "a <b>");
        assert_eq!(line("a\tb\u{7f}\u{202e}c\r"), "a b  c");
        for letter in ["x", "\u{e9}"] {
            assert_eq!(line(&letter.repeat(MAX_QUOTE)), letter.repeat(MAX_QUOTE));
            assert_eq!(line(&letter.repeat(MAX_QUOTE + 1)), letter.repeat(MAX_QUOTE) + "…");
            assert_eq!(line(&letter.repeat(MAX_QUOTE * 9)), letter.repeat(MAX_QUOTE) + "…");
        }
        assert_eq!(quote("", 0), "");
        assert_eq!(quote("\u{e9}", 1), "\u{e9}", "inside of a letter");
    }
}
