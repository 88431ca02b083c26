//! The declarations of an `Info.plist`: what stands in the file, and what the build makes of settings.

use std::borrow::Cow;

use elvask_markup::Span;
use elvask_markup::plist::{Entry, PropertyList, Value, ValueKind, plan};
use elvask_platform::ios;

use crate::source::{FileId, Place};
use crate::xcode::Settings;

/// The key under which the schemes stand that an app asks about.
pub const QUERY_SCHEMES: &str = "LSApplicationQueriesSchemes";

/// An entry that the build makes from a setting.
#[derive(Debug, Clone, PartialEq)]
pub struct Made {
    /// The entry; its spans are those of the setting.
    pub entry: Entry,
    /// The file in which the setting stands.
    pub file: FileId,
    /// The name of the setting.
    pub setting: String,
}

/// The keys that a target's settings make, in the order of the keys, and the settings that make none.
pub(super) fn made(settings: &Settings) -> (Vec<Made>, Vec<Made>) {
    let (mut entries, mut idle) = (Vec::new(), Vec::new());
    for (name, setting) in settings.starting_with("INFOPLIST_KEY_") {
        let (Some(place), Some(own)) = (setting.place, name.strip_prefix("INFOPLIST_KEY_")) else { continue };
        let text = settings.value(name).and_then(|value| value.value).unwrap_or_else(|| setting.written.clone());
        let generated = ios::generated_key(own);
        let known = generated.is_some() || own.ends_with("UsageDescription");
        let kind = match generated.map_or("string", |generated| generated.value_type) {
            "bool" => ValueKind::Bool(text == "YES"),
            "list" => {
                let words = text.split_whitespace().map(|word| word.trim_matches('"').to_owned());
                ValueKind::Array(words.map(|word| Value::standalone(ValueKind::String(word), place.span)).collect())
            }
            "dict" if text != "YES" => continue,
            "dict" => ValueKind::Dict(Vec::new()),
            _ => ValueKind::String(text),
        };
        let key = generated.map_or(own, |generated| generated.key);
        let entry = Entry::standalone(key, place.span, kind, place.span);
        let made = Made { entry, file: place.file, setting: name.to_owned() };
        if known { entries.push(made) } else { idle.push(made) }
    }
    entries.sort_by(|one, other| one.entry.key.cmp(&other.entry.key));
    (entries, idle)
}

/// A property list of an app.
#[derive(Debug, Clone, Copy)]
pub struct PlistView<'d> {
    /// The file; the project file where the build makes the whole list.
    pub file: FileId,
    /// The list as it stands in the file; empty where there is none.
    pub list: &'d PropertyList,
    /// Whether the build makes the whole list.
    pub generated: bool,
    made: &'d [Made],
    idle: &'d [Made],
    settings: Option<&'d Settings>,
}

impl<'d> PlistView<'d> {
    pub(super) fn new(
        file: FileId,
        list: &'d PropertyList,
        (made, idle): (&'d [Made], &'d [Made]),
        generated: bool,
        settings: Option<&'d Settings>,
    ) -> Self {
        PlistView { file, list, generated, made, idle, settings }
    }

    /// Returns the entry of a key: the first one of the file, else the one that the build makes.
    #[must_use]
    pub fn entry(&self, key: &str) -> Option<&'d Entry> {
        self.list.entry(key).or_else(|| self.made.iter().map(|made| &made.entry).find(|entry| entry.key == key))
    }

    /// Goes through the entries of the file, then those that the build adds to them.
    pub fn entries(&self) -> impl Iterator<Item = &'d Entry> + use<'d> {
        let list = self.list;
        let added = self.made.iter().map(|made| &made.entry).filter(move |entry| list.entry(&entry.key).is_none());
        list.entries().iter().chain(added)
    }

    /// Goes through the settings that look as if they made a key and make none.
    pub fn idle(&self) -> impl Iterator<Item = &'d Made> + use<'d> {
        self.idle.iter()
    }

    /// Returns what the build makes an entry or its value from, where it does.
    #[must_use]
    pub fn made_from(&self, value: &Value) -> Option<&'d Made> {
        self.made.iter().chain(self.idle).find(|made| std::ptr::eq(&made.entry.value, value))
    }

    /// Returns the text under a key.
    #[must_use]
    pub fn text(&self, key: &str) -> Option<&'d str> {
        self.entry(key)?.value.as_str()
    }

    /// Returns a text with the build's variables put in; `None` where one of them is not known.
    #[must_use]
    pub fn resolved<'t>(&self, text: &'t str) -> Option<Cow<'t, str>> {
        match self.settings {
            Some(settings) if text.contains('$') => settings.expand(text, None).value.map(Cow::Owned),
            _ => Some(Cow::Borrowed(text)),
        }
    }

    /// Goes through the entries whose key looks like one that holds a purpose.
    pub fn purposes(&self) -> impl Iterator<Item = &'d Entry> {
        self.entries().filter(|entry| entry.key.ends_with("UsageDescription"))
    }

    /// Returns the schemes that the app asks about, with their places.
    #[must_use]
    pub fn query_schemes(&self) -> Vec<(&'d str, &'d Value)> {
        let values = self.entry(QUERY_SCHEMES).and_then(|entry| entry.value.as_array()).unwrap_or_default();
        values.iter().filter_map(|value| Some((value.as_str()?, value))).collect()
    }

    /// Returns a place in the list's own file.
    #[must_use]
    pub fn at(&self, span: Span) -> Place {
        Place { file: self.file, span }
    }

    /// Returns where an entry stands: its key, or the setting that it is made from.
    #[must_use]
    pub fn key_place(&self, entry: &Entry) -> Place {
        let file = self.made_from(&entry.value).map_or(self.file, |made| made.file);
        Place { file, span: entry.key_span }
    }

    /// Returns where the value of an entry stands, or the setting that it is made from.
    #[must_use]
    pub fn value_place(&self, entry: &Entry) -> Place {
        let file = self.made_from(&entry.value).map_or(self.file, |made| made.file);
        Place { file, span: entry.value.span }
    }

    /// Returns the place where a missing key is pointed out: the start tag of the root dictionary; where the build makes the list,
    /// the start of the project file.
    #[must_use]
    pub fn root_tag(&self) -> Place {
        if self.generated {
            return self
                .made
                .first()
                .map_or(self.at(Span::at(0)), |made| Place { file: made.file, span: made.entry.value.span });
        }
        if !self.list.is_xml() {
            let start = self.list.root().span.start;
            return self.at(Span::new(start, start + 1));
        }
        self.at(plan::start_tag(self.list, self.list.root()))
    }
}
