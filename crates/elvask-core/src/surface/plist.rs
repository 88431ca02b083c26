//! The declarations of an `Info.plist`.

use elvask_markup::Span;
use elvask_markup::plist::{Entry, PropertyList, Value, plan};

use crate::source::{FileId, Place};

/// The key under which the schemes stand that an app asks about.
pub const QUERY_SCHEMES: &str = "LSApplicationQueriesSchemes";

/// A property list of an app.
#[derive(Debug, Clone, Copy)]
pub struct PlistView<'d> {
    /// The file.
    pub file: FileId,
    /// The list.
    pub list: &'d PropertyList,
}

impl<'d> PlistView<'d> {
    pub(super) fn new(file: FileId, list: &'d PropertyList) -> Self {
        PlistView { file, list }
    }

    /// Returns the entry of a key; the first one where the key stands twice.
    #[must_use]
    pub fn entry(&self, key: &str) -> Option<&'d Entry> {
        self.list.entry(key)
    }

    /// Returns the text under a key.
    #[must_use]
    pub fn text(&self, key: &str) -> Option<&'d str> {
        self.entry(key)?.value.as_str()
    }

    /// Goes through the entries whose key looks like one that holds a purpose.
    pub fn purposes(&self) -> impl Iterator<Item = &'d Entry> {
        self.list.entries().iter().filter(|entry| entry.key.ends_with("UsageDescription"))
    }

    /// Returns the schemes that the app asks about, with their places.
    #[must_use]
    pub fn query_schemes(&self) -> Vec<(&'d str, &'d Value)> {
        let values = self.entry(QUERY_SCHEMES).and_then(|entry| entry.value.as_array()).unwrap_or_default();
        values.iter().filter_map(|value| Some((value.as_str()?, value))).collect()
    }

    /// Returns a place in the list.
    #[must_use]
    pub fn at(&self, span: Span) -> Place {
        Place { file: self.file, span }
    }

    /// Returns the place where a missing key is pointed out: the start tag of the root dictionary.
    #[must_use]
    pub fn root_tag(&self) -> Place {
        self.at(plan::start_tag(self.list, self.list.root()))
    }
}
