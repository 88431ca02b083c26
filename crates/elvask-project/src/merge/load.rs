//! One manifest, ready to be merged: names completed, placeholders filled in, markers read.

use std::borrow::Cow;
use std::sync::OnceLock;

use elvask_markup::Span;
use elvask_markup::xml::{Document, Element};
use elvask_platform::manifest::{Policy, element_kind};

use super::inside::{AllInside, each_twin};
use super::{
    AttributeName, Conflict, Input, Marker, MergeProblem, MergedAttribute, MergedElement, Selector, Space, Unfilled,
    Values,
};
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
    let more_prefixes = input.document.binds_below_the_root();
    let out = Loaded { elements: Vec::new(), problems: Vec::new(), unfilled: Vec::new() };
    let mut loader = Loader { input, number, values, prefixes, more_prefixes, out };
    loader.out.elements.reserve(input.document.count_of_elements());
    loader.element(root, None);
    loader.out
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
        // A name is short: a walk finds the sign before a search is set up.
        let sign = written.bytes().position(|byte| byte == b':');
        let Some((prefix, local)) = sign.and_then(|at| Some((written.get(..at)?, written.get(at + 1..)?))) else {
            let space = if written == "xmlns" { Space::Binding } else { Space::Plain };
            return AttributeName { space, local: Cow::Borrowed(written) };
        };
        if prefix == "xmlns" {
            return AttributeName { space: Space::Binding, local: Cow::Borrowed(local) };
        }
        let bound = match self.more_prefixes {
            true => element.namespace(prefix).map(space),
            false => self.prefixes.iter().find(|(known, _)| *known == prefix).map(|(_, space)| space.clone()),
        };
        AttributeName { space: bound.unwrap_or(Space::Other(Cow::Borrowed(prefix))), local: Cow::Borrowed(local) }
    }

    fn place(&self, span: Span) -> Place {
        Place { file: self.input.file, span }
    }

    /// Reads an element with all inside.
    fn element(&mut self, element: Element<'d>, parent: Option<usize>) {
        let text = element.document().text();
        let tag = Span::new(element.open().start, element.name_span().end);
        let kind = element_kind(element.name());
        let id = self.out.elements.len();
        let mut loaded = MergedElement {
            name: element.name(),
            key: None,
            attributes: Vec::with_capacity(element.attributes().len()),
            children: Vec::new(),
            parent,
            input: self.number,
            source: Some(element),
            place: self.place(tag),
            also: Vec::new(),
            implied: None,
            sum: OnceLock::new(),
            marker: Marker::Merge,
            asked: None,
        };
        for attribute in element.attributes() {
            let written = attribute.name.of(text);
            let name = self.name(element, written);
            if name.space == Space::Binding {
                continue;
            }
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
                loaded.attributes.iter().position(|attribute| attribute.name.is_android(key))
            })
        });
        self.check(&loaded);
        self.out.elements.push(loaded);
        if let Some(parent) = parent.and_then(|parent| self.out.elements.get_mut(parent)) {
            parent.children.push(id);
        }
        for child in element.children() {
            self.element(child, Some(id));
        }
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
        for name in element.removes() {
            if let Some(own) = has(name) {
                problem(Conflict::RemovesOwn, name.written(), own.place);
            }
        }
        for name in element.replaces() {
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
            "replace" => loaded.asked.get_or_insert_default().replaces = self.names(element, &value),
            "remove" => loaded.asked.get_or_insert_default().removes = self.names(element, &value),
            // Without a marker, two values must be the same anyway: `strict` says no more than that.
            "strict" => {}
            "selector" => loaded.asked.get_or_insert_default().selector = Some(Selector { library: value, place }),
            "overrideLibrary" => {
                loaded.asked.get_or_insert_default().overrides =
                    value.split(',').map(|name| Cow::Owned(name.trim().to_owned())).collect();
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
        // Most values have not even the sign, which is found faster.
        if !value.as_bytes().contains(&b'$') || !value.contains("${") {
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
    match element.key() {
        Some(key) => format!("{} {key}", element.name),
        None => element.name.to_owned(),
    }
}

/// Notes elements of one file that have the same key and differ: the build stops there. What is looked up for that is kept in `inside`.
pub(super) fn check_twins<'d>(loaded: &mut Loaded<'d>, document: &Document, inside: &mut AllInside<'d>) {
    let mut problems: Vec<(usize, MergeProblem)> = Vec::new();
    let source = |element: &MergedElement<'_>| {
        let words = element.source.map(|source| source.span().of(document.text()).to_owned()).unwrap_or_default();
        words.split_whitespace().collect::<Vec<_>>().join(" ")
    };
    let elements = loaded.elements.as_slice();
    for (parent, element) in elements.iter().enumerate().filter(|(_, element)| element.children.len() > 1) {
        if element_kind(element.name).is_some_and(|kind| kind.policy == Policy::Keep) {
            continue;
        }
        each_twin(elements, parent, inside, |first, id| {
            let (Some(twin), Some(element)) = (elements.get(first), elements.get(id)) else { return };
            let Some(key) = element.key() else { return };
            if source(twin) != source(element) {
                let problem = MergeProblem {
                    conflict: Conflict::Twice,
                    element: describe(element),
                    subject: key.to_owned(),
                    place: element.place,
                    value: String::new(),
                    other: Some((twin.place, String::new(), twin.input)),
                };
                problems.push((id, problem));
            }
        });
    }
    // In the order of the file.
    problems.sort_by_key(|(id, _)| *id);
    loaded.problems.extend(problems.into_iter().map(|(_, problem)| problem));
}
