//! Intent filters and the activities that have them, as they are declared.

use std::collections::HashSet;
use std::hash::Hash;

use std::borrow::Cow;

use crate::source::Place;

/// The action with which links are opened.
pub const VIEW: &str = "android.intent.action.VIEW";

/// The category that an activity needs to be found without being named.
pub const DEFAULT: &str = "android.intent.category.DEFAULT";

/// The category that a filter needs to be reached by links of web pages.
pub const BROWSABLE: &str = "android.intent.category.BROWSABLE";

/// One `<data>` as it is declared: the names of its platform attributes with values and places.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct DataSpec {
    /// The attributes, in their order. Values have the escapes of the manifest's strings taken out.
    pub attributes: Vec<(String, String, Place)>,
    /// Where the element starts.
    pub place: Option<Place>,
}

impl DataSpec {
    /// Adds an attribute as it is written in the manifest.
    pub fn push(&mut self, name: &str, written: &str, place: Place) {
        self.attributes.push((name.to_owned(), unescape(written).into_owned(), place));
    }

    /// Returns the value of an attribute.
    #[must_use]
    pub fn value(&self, name: &str) -> Option<&str> {
        self.attribute(name).map(|(value, _)| value)
    }

    /// Returns the value of an attribute with its place.
    #[must_use]
    pub fn attribute(&self, name: &str) -> Option<(&str, Place)> {
        let found = self.attributes.iter().find(|(known, _, _)| known == name);
        found.map(|(_, value, place)| (value.as_str(), *place))
    }
}

/// One `<uri-relative-filter-group>` as it is declared.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GroupSpec {
    /// Whether a link that it matches passes.
    pub allow: bool,
    /// What must all match.
    pub data: Vec<DataSpec>,
}

/// An intent filter as it is declared, for devices of any level.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FilterSpec {
    /// The actions.
    pub actions: Vec<String>,
    /// The categories.
    pub categories: Vec<String>,
    /// What is said of data.
    pub data: Vec<DataSpec>,
    /// The groups, in their order.
    pub groups: Vec<GroupSpec>,
    /// Whether its hosts are to be verified.
    pub auto_verify: bool,
    /// Its priority; above zero is cut to zero for apps that are not part of the device.
    pub priority: i32,
    /// Where it stands.
    pub place: Option<Place>,
}

impl FilterSpec {
    /// Returns the values of an attribute in all its data.
    pub fn values<'s>(&'s self, name: &'s str) -> impl Iterator<Item = &'s str> {
        self.data.iter().filter_map(move |data| data.value(name))
    }

    /// Says whether it takes links of the web: it has the action and a web scheme.
    #[must_use]
    pub fn is_web(&self) -> bool {
        self.has_action(VIEW) && self.values("scheme").any(is_web_scheme)
    }

    /// Says whether it takes links: it has the action and a scheme that is not one of content on the device.
    #[must_use]
    pub fn is_link(&self) -> bool {
        self.has_action(VIEW) && self.values("scheme").any(|scheme| !matches!(scheme, "content" | "file"))
    }

    /// Says whether it names an action.
    #[must_use]
    pub fn has_action(&self, name: &str) -> bool {
        self.actions.iter().any(|action| action == name)
    }

    /// Says whether it names a category.
    #[must_use]
    pub fn has_category(&self, name: &str) -> bool {
        self.categories.iter().any(|category| category == name)
    }

    /// Returns its hosts, each once, in their order.
    #[must_use]
    pub fn hosts(&self) -> Vec<&str> {
        distinct(self.values("host"))
    }

    /// Returns its schemes, each once, in their order.
    #[must_use]
    pub fn schemes(&self) -> Vec<&str> {
        distinct(self.values("scheme"))
    }

    /// Says whether nothing but web schemes and at least one of them stand in it.
    #[must_use]
    pub fn is_web_only(&self) -> bool {
        self.is_web() && self.values("scheme").all(is_web_scheme)
    }
}

/// Says whether links of the web start with a scheme. Filters are compared with case.
#[must_use]
pub fn is_web_scheme(scheme: &str) -> bool {
    matches!(scheme, "http" | "https")
}

/// Returns texts in their order, each once.
pub fn distinct<T: AsRef<str> + Clone + Eq + Hash>(values: impl Iterator<Item = T>) -> Vec<T> {
    let mut seen: HashSet<T> = HashSet::new();
    values.filter(|value| seen.insert(value.clone())).collect()
}

/// An activity, or another name for one, that links can start.
#[derive(Debug, Clone)]
pub struct Entry {
    /// Its full class name; of an alias its own full name.
    pub component: String,
    /// The activity behind an alias.
    pub target: Option<String>,
    /// Whether an activity of that name is declared, where it is an alias.
    pub has_target: bool,
    /// What it says of being reached by others.
    pub exported: Option<bool>,
    /// Whether it can be started at all.
    pub enabled: bool,
    /// The permission that others need to start it.
    pub permission: Option<String>,
    /// How it is started when there is one already, as it is written.
    pub launch_mode: Option<String>,
    /// The name that a chooser shows, as it is written.
    pub label: Option<String>,
    /// Its filters.
    pub filters: Vec<FilterSpec>,
    /// Where it stands.
    pub place: Place,
}

/// Takes the escapes of the manifest's strings out of an attribute, as the build does: `\\` becomes `\`.
#[must_use]
pub fn unescape(written: &str) -> Cow<'_, str> {
    if !written.contains('\\') {
        return Cow::Borrowed(written);
    }
    let mut out = String::with_capacity(written.len());
    let mut letters = written.chars();
    while let Some(letter) = letters.next() {
        if letter != '\\' {
            out.push(letter);
            continue;
        }
        match letters.next() {
            Some('n') => out.push('\n'),
            Some('t') => out.push('\t'),
            Some('u') => {
                let digits: String = letters.by_ref().take(4).collect();
                out.extend(u32::from_str_radix(&digits, 16).ok().and_then(char::from_u32));
            }
            Some(escaped @ ('\\' | '\'' | '"' | '@' | '?' | '#')) => out.push(escaped),
            // An escape that the build does not know is dropped with its sign.
            Some(_) | None => {}
        }
    }
    Cow::Owned(out)
}
