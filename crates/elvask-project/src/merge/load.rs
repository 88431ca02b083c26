//! One manifest, ready to be merged: names completed, placeholders filled in, markers read.

use std::borrow::Cow;
use std::hash::{Hash, Hasher as _};

use elvask_markup::Span;
use elvask_markup::xml::{Document, Element};
use elvask_platform::manifest::element_kind;

use super::{
    AttributeName, Conflict, Input, Marker, MergeProblem, MergedAttribute, MergedElement, Selector, Space, Unfilled,
    Values,
};
use crate::hash::{Quick, QuickMap};
use crate::names::{ANDROID, TOOLS, full_class};
use crate::source::Place;

/// The elements of one manifest; the first is its root.
pub(super) struct Loaded<'d> {
    pub(super) elements: Vec<MergedElement<'d>>,
    pub(super) problems: Vec<MergeProblem>,
    pub(super) unfilled: Vec<Unfilled>,
}

struct Loader<'a, 'd> {
    input: &'a Input<'d>,
    number: usize,
    values: &'a Values,
    /// The prefixes that the root binds, and whether an element below binds more.
    prefixes: Vec<(&'d str, Space<'d>)>,
    more_prefixes: bool,
    out: Loaded<'d>,
}

pub(super) fn load<'d>(input: &Input<'d>, number: usize, values: &Values) -> Loaded<'d> {
    let root = input.document.root();
    let text = input.document.text();
    let prefixes: Vec<_> = root
        .attributes()
        .filter_map(|attribute| {
            let prefix = attribute.name.of(text).strip_prefix("xmlns:")?;
            Some((prefix, space(root.value_of(attribute))))
        })
        .collect();
    let more_prefixes = text.matches("xmlns:").count() > prefixes.len();
    let out = Loaded { elements: Vec::new(), problems: Vec::new(), unfilled: Vec::new() };
    let mut loader = Loader { input, number, values, prefixes, more_prefixes, out };
    loader.element(root, None);
    loader.out
}

/// Returns a sum of a part of an element. What has the same sum is still compared.
fn sum_of(part: impl Hash) -> u64 {
    let mut hasher = Quick::default();
    part.hash(&mut hasher);
    hasher.finish()
}

fn space(address: Cow<'_, str>) -> Space<'_> {
    match address.as_ref() {
        ANDROID => Space::Android,
        TOOLS => Space::Tools,
        _ => Space::Other(address),
    }
}

impl<'d> Loader<'_, 'd> {
    fn name(&self, element: Element<'d>, written: &'d str) -> AttributeName<'d> {
        let Some((prefix, local)) = written.split_once(':') else {
            return AttributeName { space: Space::Plain, local: Cow::Borrowed(written) };
        };
        let bound = match self.more_prefixes {
            true => element.namespace(prefix).map(space),
            false => self.prefixes.iter().find(|(known, _)| *known == prefix).map(|(_, space)| space.clone()),
        };
        AttributeName { space: bound.unwrap_or(Space::Other(Cow::Borrowed(prefix))), local: Cow::Borrowed(local) }
    }

    fn place(&self, span: Span) -> Place {
        Place { file: self.input.file, span }
    }

    /// Reads an element with all inside, and returns its sum.
    fn element(&mut self, element: Element<'d>, parent: Option<usize>) -> u64 {
        let text = element.document().text();
        let tag = Span::new(element.open().start, element.name_span().end);
        let kind = element_kind(element.name());
        let id = self.out.elements.len();
        let mut loaded = MergedElement {
            name: element.name(),
            key: None,
            attributes: Vec::new(),
            children: Vec::new(),
            parent,
            input: self.number,
            source: Some(element),
            place: self.place(tag),
            also: Vec::new(),
            implied: None,
            sum: 0,
            marker: Marker::Merge,
            selector: None,
            replaces: Vec::new(),
            removes: Vec::new(),
            overrides: Vec::new(),
        };
        for attribute in element.attributes() {
            let written = attribute.name.of(text);
            if written == "xmlns" || written.starts_with("xmlns:") {
                continue;
            }
            let name = self.name(element, written);
            let place = self.place(attribute.value);
            let raw = element.value_of(attribute);
            if name.space == Space::Tools {
                self.marker(element, &mut loaded, &name.local, raw, place);
                continue;
            }
            let mut value = self.filled(raw, place);
            let class =
                name.space == Space::Android && kind.is_some_and(|kind| kind.classes.contains(&name.local.as_ref()));
            // A name with a dot inside is whole already.
            let relative = value.starts_with('.') || !value.contains('.');
            if class && relative && !value.contains("${") {
                value = Cow::Owned(full_class(&value, self.input.namespace.as_deref()));
            }
            loaded.attributes.push(MergedAttribute {
                name,
                value,
                place,
                input: Some(self.number),
                overrode: Vec::new(),
            });
        }
        loaded.key = kind.and_then(|kind| {
            kind.keys.iter().find_map(|key| {
                // The brackets of visible packages name providers by what they offer, not by their class.
                loaded.attribute(key).map(|attribute| attribute.value.clone())
            })
        });
        self.check(&loaded);
        let mut sum = sum_of(loaded.name);
        for attribute in &loaded.attributes {
            sum = sum.wrapping_add(sum_of((&attribute.name, &attribute.value)));
        }
        self.out.elements.push(loaded);
        if let Some(parent) = parent.and_then(|parent| self.out.elements.get_mut(parent)) {
            parent.children.push(id);
        }
        for child in element.children() {
            sum = sum.wrapping_add(sum_of(self.element(child, Some(id))));
        }
        if let Some(loaded) = self.out.elements.get_mut(id) {
            loaded.sum = sum;
        }
        sum
    }

    /// Notes a marker that cannot be meant as it stands.
    fn check(&mut self, element: &MergedElement<'d>) {
        let mut problem = |conflict, subject: String, place| {
            let described = describe(element);
            let problem =
                MergeProblem { conflict, element: described, subject, place, value: String::new(), other: None };
            self.out.problems.push(problem);
        };
        let has = |name: &AttributeName<'_>| element.attributes.iter().find(|attribute| attribute.name == *name);
        for name in &element.removes {
            if let Some(own) = has(name) {
                problem(Conflict::RemovesOwn, name.written(), own.place);
            }
        }
        for name in &element.replaces {
            if has(name).is_none() {
                problem(Conflict::ReplacesNothing, name.written(), element.place);
            }
        }
        if element.name == "uses-sdk" && element.marker != Marker::Merge {
            problem(Conflict::MarkedSdk, String::new(), element.place);
        }
    }

    fn marker(
        &mut self,
        element: Element<'d>,
        loaded: &mut MergedElement<'d>,
        local: &str,
        value: Cow<'d, str>,
        place: Place,
    ) {
        match local {
            "node" => {
                loaded.marker = match value.trim() {
                    "merge" => Marker::Merge,
                    "merge-only-attributes" | "mergeOnlyAttributes" => Marker::MergeOnlyAttributes,
                    "remove" => Marker::Remove,
                    "removeAll" => Marker::RemoveAll,
                    "replace" => Marker::Replace,
                    "strict" => Marker::Strict,
                    other => {
                        self.out.problems.push(MergeProblem {
                            conflict: Conflict::UnknownMarker,
                            element: element.name().to_owned(),
                            subject: format!("tools:node=\"{other}\""),
                            place,
                            value: other.to_owned(),
                            other: None,
                        });
                        Marker::Merge
                    }
                };
            }
            "replace" => loaded.replaces = self.names(element, &value),
            "remove" => loaded.removes = self.names(element, &value),
            // Without a marker, two values must be the same anyway: `strict` says no more than that.
            "strict" => {}
            "selector" => loaded.selector = Some(Selector { library: value, place }),
            "overrideLibrary" => {
                loaded.overrides = value.split(',').map(|name| Cow::Owned(name.trim().to_owned())).collect();
            }
            _ => {}
        }
    }

    /// Reads a list of attribute names.
    fn names(&self, element: Element<'d>, list: &str) -> Vec<AttributeName<'d>> {
        let name = |written: &str| match written.split_once(':') {
            Some((prefix, local)) => {
                let bound = element.namespace(prefix).map(space);
                let space = bound.unwrap_or_else(|| Space::Other(Cow::Owned(prefix.to_owned())));
                AttributeName { space, local: Cow::Owned(local.to_owned()) }
            }
            // Without a prefix, the platform's is meant.
            None => AttributeName { space: Space::Android, local: Cow::Owned(written.to_owned()) },
        };
        list.split(',').map(str::trim).filter(|written| !written.is_empty()).map(name).collect()
    }

    /// Fills in the placeholders of a value, as far as they are known.
    fn filled(&mut self, value: Cow<'d, str>, place: Place) -> Cow<'d, str> {
        if !value.contains("${") {
            return value;
        }
        let mut out = String::with_capacity(value.len());
        let mut rest = value.as_ref();
        while let Some((before, after)) = rest.split_once("${") {
            out.push_str(before);
            let Some((name, tail)) = after.split_once('}') else {
                out.push_str("${");
                rest = after;
                continue;
            };
            let told = self.values.placeholders.iter().find(|(key, _)| key == name).map(|(_, stated)| stated);
            // What the build files set wins over what the merger knows by itself.
            let stated = told.or(match name {
                "applicationId" | "packageName" => Some(&self.values.id),
                _ => None,
            });
            match stated.and_then(|stated| stated.value.as_deref()) {
                Some(value) => out.push_str(value),
                None => {
                    out.push_str("${");
                    out.push_str(name);
                    out.push('}');
                    let stated = stated.and_then(|stated| stated.place);
                    self.out.unfilled.push(Unfilled { name: name.to_owned(), place, stated });
                }
            }
            rest = tail;
        }
        out.push_str(rest);
        Cow::Owned(out)
    }
}

/// Names an element for people: `activity example.marram.Main`.
pub(super) fn describe(element: &MergedElement<'_>) -> String {
    match &element.key {
        Some(key) => format!("{} {key}", element.name),
        None => element.name.to_owned(),
    }
}

/// Notes elements of one file that have the same key and differ: the build stops there.
pub(super) fn check_twins(loaded: &mut Loaded<'_>, document: &Document) {
    let mut seen: QuickMap<(usize, &str, &str), usize> = QuickMap::default();
    let mut problems = Vec::new();
    for (id, element) in loaded.elements.iter().enumerate() {
        let (Some(parent), Some(key)) = (element.parent, element.key.as_deref()) else { continue };
        let kept = loaded.elements.get(parent).and_then(|parent| element_kind(parent.name));
        if kept.is_some_and(|kind| kind.policy == elvask_platform::manifest::Policy::Keep) {
            continue;
        }
        match seen.entry((parent, element.name, key)) {
            std::collections::hash_map::Entry::Vacant(slot) => {
                slot.insert(id);
            }
            std::collections::hash_map::Entry::Occupied(first) => {
                let Some(twin) = loaded.elements.get(*first.get()) else { continue };
                let source = |element: &MergedElement<'_>| {
                    let words =
                        element.source.map(|source| source.span().of(document.text()).to_owned()).unwrap_or_default();
                    words.split_whitespace().collect::<Vec<_>>().join(" ")
                };
                if source(twin) != source(element) {
                    problems.push(MergeProblem {
                        conflict: Conflict::Twice,
                        element: describe(element),
                        subject: key.to_owned(),
                        place: element.place,
                        value: String::new(),
                        other: Some((twin.place, String::new(), twin.input)),
                    });
                }
            }
        }
    }
    loaded.problems.extend(problems);
}
