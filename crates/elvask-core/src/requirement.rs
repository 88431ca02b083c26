//! Requirements: what a plugin needs an app to declare.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::capability::{Capability, CapabilityNeed};
use elvask_platform::{Platform, Version};
use serde::Serialize;

use crate::conditions::Range;
pub(crate) use crate::conditions::fits_pattern;
use crate::source::Place;

/// The kinds of requirement and of declaration that are judged.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// A permission in the manifest.
    Permission,
    /// A `<meta-data>` element.
    MetaData,
    /// An entry of `<queries>`.
    Query,
    /// An attribute of an element of the manifest.
    Attribute,
    /// A key of `Info.plist` that holds a purpose.
    Usage,
    /// Another key of `Info.plist`.
    Plist,
    /// A scheme under `LSApplicationQueriesSchemes`.
    QueryScheme,
}

impl Kind {
    /// Returns the word for the kind in sheets and in JSON.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Kind::Permission => "permission",
            Kind::MetaData => "meta-data",
            Kind::Query => "query",
            Kind::Attribute => "attribute",
            Kind::Usage => "usage",
            Kind::Plist => "plist",
            Kind::QueryScheme => "query-scheme",
        }
    }

    /// Returns the platform that has the kind.
    #[must_use]
    pub fn platform(self) -> Platform {
        match self {
            Kind::Permission | Kind::MetaData | Kind::Query | Kind::Attribute => Platform::Android,
            Kind::Usage | Kind::Plist | Kind::QueryScheme => Platform::Ios,
        }
    }
}

/// The element of a manifest that something belongs to.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
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

/// What an app wants to see of other apps: by package, by provider or by what they can do.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord)]
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
    /// The type of its data.
    pub mime: Option<String>,
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
#[derive(Debug, Clone, PartialEq)]
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
    /// Visibility of other apps.
    Query(Query),
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
}

impl Need {
    /// Returns the kind of the need.
    #[must_use]
    pub fn kind(&self) -> Kind {
        match self {
            Need::Permission { .. } => Kind::Permission,
            Need::MetaData { .. } => Kind::MetaData,
            Need::Query(_) => Kind::Query,
            Need::Attribute { .. } => Kind::Attribute,
            Need::Usage => Kind::Usage,
            Need::Plist { .. } => Kind::Plist,
            Need::QueryScheme => Kind::QueryScheme,
        }
    }
}

/// How sure a requirement is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
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
#[derive(Debug, Clone, Default, PartialEq, Eq)]
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
    /// Where it was learnt.
    pub learnt: Place,
}

impl Requirement {
    /// Says whether it holds for a variant with these levels.
    #[must_use]
    pub fn holds(&self, levels: &Levels) -> bool {
        self.when.holds(levels) && self.part.as_ref().is_none_or(|part| matters(part, levels))
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
