//! Requirements: what a plugin needs an app to declare.

use std::sync::Arc;

use elvask_markup::plist::plan::NewValue;
use elvask_platform::capability::{Capability, CapabilityNeed};
use elvask_platform::{Platform, Version};
use serde::{Deserialize, Serialize};

use crate::conditions::Range;
pub(crate) use crate::conditions::fits_pattern;
use crate::level::Level;
use crate::reach::Reached;
use crate::source::{Place, Sources};

/// The kinds of requirement.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// A permission in the manifest.
    Permission,
    /// A `<uses-feature>` of the manifest.
    Feature,
    /// A `<meta-data>` element.
    MetaData,
    /// An entry of `<queries>`.
    Query,
    /// An intent filter of a component.
    Filter,
    /// A component of the app.
    Component,
    /// An attribute of an element of the manifest.
    Attribute,
    /// A level that the build states.
    Level,
    /// A line of a Gradle file, or of a file of keep rules.
    Gradle,
    /// A key of `Info.plist` that holds a purpose.
    Usage,
    /// Another key of `Info.plist`.
    Plist,
    /// A scheme under `LSApplicationQueriesSchemes`.
    QueryScheme,
    /// A scheme under `CFBundleURLTypes`.
    UrlScheme,
    /// An associated domain.
    Domain,
    /// A value under `UIBackgroundModes`.
    BackgroundMode,
    /// An entitlement.
    Entitlement,
    /// The lowest version of iOS.
    MinVersion,
    /// A build setting of the app target.
    BuildSetting,
    /// A reason in the privacy manifest.
    PrivacyReason,
    /// A file that must be there.
    File,
}

impl Kind {
    /// Returns the word for the kind in sheets and in JSON.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Kind::Permission => "permission",
            Kind::Feature => "feature",
            Kind::MetaData => "meta-data",
            Kind::Query => "query",
            Kind::Filter => "filter",
            Kind::Component => "component",
            Kind::Attribute => "attribute",
            Kind::Level => "level",
            Kind::Gradle => "gradle",
            Kind::Usage => "usage",
            Kind::Plist => "plist",
            Kind::QueryScheme => "query-scheme",
            Kind::UrlScheme => "url-scheme",
            Kind::Domain => "domain",
            Kind::BackgroundMode => "background-mode",
            Kind::Entitlement => "entitlement",
            Kind::MinVersion => "min-version",
            Kind::BuildSetting => "build-setting",
            Kind::PrivacyReason => "privacy-reason",
            Kind::File => "file",
        }
    }

    /// Returns the platform that has the kind; `None` for a file, which both have.
    #[must_use]
    pub fn platform(self) -> Option<Platform> {
        match self {
            Kind::Permission
            | Kind::Feature
            | Kind::MetaData
            | Kind::Query
            | Kind::Filter
            | Kind::Component
            | Kind::Attribute
            | Kind::Level
            | Kind::Gradle => Some(Platform::Android),
            Kind::File => None,
            _ => Some(Platform::Ios),
        }
    }
}

/// The name of the requirement for a minimum level.
pub const MIN_LEVEL: &str = "minSdkVersion";

/// The name of the requirement for a level to build with.
pub const COMPILE_LEVEL: &str = "compileSdkVersion";

/// The name of the requirement for a target level.
pub const TARGET_LEVEL: &str = "targetSdkVersion";

/// The name of the requirement for a minimum version of iOS.
pub const MIN_VERSION: &str = "iOS";

/// The element of a manifest that something belongs to.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Owner {
    /// The activity that the launcher starts.
    Launcher,
    /// The element `<application>`.
    Application,
    /// The component of that class.
    Class(String),
}

impl Owner {
    /// Reads the word for it in a sheet.
    #[must_use]
    pub fn parse(text: &str) -> Self {
        match text {
            "launcher" => Owner::Launcher,
            "application" => Owner::Application,
            class => Owner::Class(class.to_owned()),
        }
    }

    /// Returns the word for it in a sheet.
    #[must_use]
    pub fn word(&self) -> &str {
        match self {
            Owner::Launcher => "launcher",
            Owner::Application => "application",
            Owner::Class(class) => class,
        }
    }

    /// Returns it for people.
    #[must_use]
    pub fn title(&self) -> String {
        match self {
            Owner::Launcher => "the launcher activity".to_owned(),
            Owner::Application => "`<application>`".to_owned(),
            Owner::Class(class) => format!("`{class}`"),
        }
    }
}

/// What an app wants to see of other apps, by package, by provider or by what they can do; and what an intent filter takes.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(default)]
pub struct Query {
    /// The package that is asked for.
    pub package: Option<String>,
    /// The authority of the provider that is asked for.
    pub authority: Option<String>,
    /// The action of the intent.
    pub action: Option<String>,
    /// The categories of the intent.
    pub categories: Vec<String>,
    /// The scheme of its data.
    pub scheme: Option<String>,
    /// The host of its data.
    pub host: Option<String>,
    /// The port of its data.
    pub port: Option<String>,
    /// The whole path of its data.
    pub path: Option<String>,
    /// How the path starts.
    pub path_prefix: Option<String>,
    /// What the path looks like, with the platform's wildcards.
    pub path_pattern: Option<String>,
    /// The type of its data.
    pub mime: Option<String>,
}

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
    /// A repository is looked in; its address, or the name of a known one, is the requirement's name.
    Repository,
    /// A rule keeps the shrinker off; the rule is the requirement's name.
    KeepRule,
}

impl Query {
    /// Returns what identifies the query: its package, its authority, or action and scheme.
    #[must_use]
    pub fn name(&self) -> String {
        if let Some(name) = self.package.as_ref().or(self.authority.as_ref()) {
            return name.clone();
        }
        let action = self.action.as_deref().unwrap_or("*");
        match self.scheme.as_ref().or(self.mime.as_ref()) {
            Some(data) => format!("{action} {data}"),
            None => action.to_owned(),
        }
    }
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
    Query(Query),
    /// An intent filter.
    Filter {
        /// The component.
        owner: Owner,
        /// What it takes.
        filter: Query,
    },
    /// A component; its full class name is the requirement's name.
    Component(Component),
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
        /// Where in a JSON or property-list file the app's id must stand: `/client/package_name`.
        id_at: Option<String>,
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
        }
    }

    /// Returns the platform that it is needed on.
    #[must_use]
    pub fn platform(&self) -> Platform {
        match self {
            Need::File { platform, .. } => *platform,
            // Only files are on both platforms.
            other => other.kind().platform().unwrap_or(Platform::Android),
        }
    }

    /// Returns the value that goes with the name, in one line, where there is one.
    #[must_use]
    pub fn value(&self) -> Option<String> {
        match self {
            Need::Permission { max_level } => max_level.map(|level| format!("up to level {level}")),
            Need::Feature { required } => (!required).then(|| "used if it is there".to_owned()),
            Need::MetaData { value, resource, .. } => value.clone().or_else(|| resource.clone()),
            Need::Attribute { value, .. } | Need::BuildSetting { value } => Some(value.clone()),
            Need::Level(level) => Some(level.to_string()),
            Need::MinVersion(version) => Some(version.to_string()),
            Need::Plist { value } | Need::Entitlement { value: Some(value) } => Some(plain_value(value)),
            Need::Gradle { line: GradleLine::Plugin { version } | GradleLine::Dependency { version, .. }, .. } => {
                version.clone()
            }
            Need::PrivacyReason { reasons } => (!reasons.is_empty()).then(|| reasons.join(", ")),
            Need::File { id_at, .. } => id_at.clone(),
            Need::Component(component) => {
                let parts: Vec<_> =
                    component.attributes().into_iter().map(|(name, value)| format!("{name} {value}")).collect();
                (!parts.is_empty()).then(|| parts.join(", "))
            }
            _ => None,
        }
    }
}

/// Returns a property-list value in one line: a text as it is, anything else as JSON.
pub(crate) fn plain_value(value: &NewValue) -> String {
    match value {
        NewValue::String(text) => text.clone(),
        other => serde_json::to_string(other).unwrap_or_default(),
    }
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
        let line = before.bytes().filter(|byte| *byte == b'\n').count() + 1;
        let column = before.rsplit('\n').next().map_or(0, |line| line.chars().count()) + 1;
        Citation { kind, file: file.to_owned(), line, column, quote: quote(text, at) }
    }
}

/// Returns the line around a byte offset as it can be shown: trimmed, clean and not overlong.
#[must_use]
fn quote(text: &str, at: usize) -> String {
    let at = (0..=at.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    let (before, after) = text.split_at(at);
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    let end = after.find('\n').map_or(text.len(), |end| at + end);
    let line = text.get(start..end).unwrap_or_default().trim();
    let line = line.chars().map(|character| if character.is_control() { ' ' } else { character });
    let mut out: String = line.take(MAX_QUOTE + 1).collect();
    if out.chars().count() > MAX_QUOTE {
        out.pop();
        out.push('…');
    }
    out
}
/// How sure a requirement is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Strength {
    /// The plugin does not work without it.
    Certain,
    /// It is probably needed.
    Likely,
    /// It is worth having.
    Optional,
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

/// The levels of one variant of an app, as far as they are known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Levels {
    /// The name of the variant.
    pub variant: String,
    /// The target level on Android; what the store asks for where it is not known.
    pub target: u32,
    /// The minimum level on Android.
    pub min: Option<u32>,
    /// The lowest version of iOS.
    pub ios: Option<Version>,
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

/// One thing that one plugin needs of this app.
#[derive(Debug, Clone, PartialEq)]
pub struct Requirement {
    /// The plugin, as its place in the app's list.
    pub plugin: usize,
    /// Where.
    pub platform: Platform,
    /// What identifies it to the platform.
    pub name: String,
    /// What exactly.
    pub need: Need,
    /// How sure it is.
    pub strength: Strength,
    /// Why, in the words of the sheet.
    pub reason: Option<String>,
    /// Where the plugin's own notes say so.
    pub reference: Option<String>,
    /// The capability that it is part of.
    pub capability: Option<Capability>,
    /// The optional part of the plugin that it belongs to.
    pub feature: Option<String>,
    /// When it holds at all.
    pub when: When,
    /// The part of the capability that it is: it has conditions of its own.
    pub part: Option<CapabilityNeed>,
    /// Several with the same word here are alternatives: one of them is enough.
    pub one_of: Option<String>,
    /// The package's own manifest declares it, so that the build brings it into the app.
    pub brought: bool,
    /// How it comes to this app.
    pub reached: Reached,
    /// How bad it is when the app does not declare it; `None` where it does not come to the app.
    pub level: Option<Level>,
    /// Where it was learnt, the weightiest evidence first. There is at least one.
    pub learnt: Vec<Learnt>,
}

/// Where a requirement was learnt.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Learnt {
    /// In a sheet, at that place.
    Sheet(Place),
    /// In a file of the package.
    Found(Arc<Citation>),
}

impl Requirement {
    /// Returns the place in a sheet that states it, if a sheet does.
    #[must_use]
    pub fn sheet_place(&self) -> Option<Place> {
        self.learnt.iter().find_map(|learnt| match learnt {
            Learnt::Sheet(place) => Some(*place),
            Learnt::Found(_) => None,
        })
    }

    /// Returns the lines that show it.
    #[must_use]
    pub fn citations(&self, sources: &Sources) -> Vec<Citation> {
        let citation = |learnt: &Learnt| match learnt {
            Learnt::Sheet(place) => Citation::of(EvidenceKind::Sheet, sources, *place),
            Learnt::Found(citation) => citation.as_ref().clone(),
        };
        self.learnt.iter().map(citation).collect()
    }

    /// Returns how bad it is when the app does not declare it.
    #[must_use]
    pub fn level(&self) -> Level {
        self.level.unwrap_or(Level::Note)
    }

    /// Says whether it does not come to the app at all, as far as is seen.
    #[must_use]
    pub fn is_unreached(&self) -> bool {
        self.level.is_none()
    }

    /// Says whether it holds for a variant with these levels.
    #[must_use]
    pub fn holds(&self, levels: &Levels) -> bool {
        // No device of the app has a permission that ends below its lowest level.
        let ended = match self.need {
            Need::Permission { max_level: Some(cap) } => levels.min.is_some_and(|min| cap < min),
            _ => false,
        };
        !ended && self.when.holds(levels) && self.part.as_ref().is_none_or(|part| matters(part, levels))
    }

    /// Returns the kind of the requirement.
    #[must_use]
    pub fn kind(&self) -> Kind {
        self.need.kind()
    }
}

fn matters(need: &CapabilityNeed, levels: &Levels) -> bool {
    need.target_from.is_none_or(|from| levels.target >= from)
        && need.devices_to.is_none_or(|to| levels.min.is_none_or(|min| min <= to))
        && need.ios_below.is_none_or(|below| levels.ios.is_some_and(|ios| ios < below))
}
