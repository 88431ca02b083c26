//! What edits of a platform's file come to: elements that come and go, attributes that change, keys that get values.

use elvask_markup::Span;
use elvask_markup::plist::plan::NewValue;
use elvask_markup::plist::{Entry, PropertyList, Value, ValueKind};
use elvask_markup::xml::plan::{Content, Fragment};
use elvask_markup::xml::{Document, Element};
use elvask_project::names::ANDROID;

/// One step of the way to an element.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Step {
    /// The element.
    pub(crate) element: String,
    /// Its `android:name`, where it has one.
    pub(crate) name: Option<String>,
}

/// What becomes of a manifest.
#[derive(Debug, Clone)]
pub(crate) enum Change {
    /// An element is put into another one.
    Added {
        /// The way to the other one.
        parent: Vec<Step>,
        /// The element.
        element: Fragment,
    },
    /// An element goes; its span before.
    Removed(Span),
    /// An attribute of an element gets a value, or loses the one that it has.
    Attribute {
        /// The way to the element.
        path: Vec<Step>,
        /// The attribute as it is written.
        name: String,
        /// The new value.
        value: Option<String>,
    },
}

/// Returns what leads from one manifest to another one.
pub(crate) fn of_manifest(before: &Document, after: &Document) -> Vec<Change> {
    let mut out = Vec::new();
    let mut path = vec![step(before.root())];
    compare(before.root(), after.root(), &mut path, &mut out);
    out
}

fn step(element: Element<'_>) -> Step {
    let name = element.value(ANDROID, "name").map(std::borrow::Cow::into_owned);
    Step { element: element.name().to_owned(), name }
}

/// Returns what tells an element from its neighbours.
fn key(element: Element<'_>) -> String {
    let of = |local: &str| element.value(ANDROID, local).map(std::borrow::Cow::into_owned);
    let name = of("name").or_else(|| of("authorities"));
    match name {
        Some(name) => format!("{} {name}", element.name()),
        None if matches!(element.name(), "application" | "queries") => element.name().to_owned(),
        None => {
            let text = element.document().text();
            text.get(element.span().start..element.span().end).unwrap_or_default().split_whitespace().collect()
        }
    }
}

fn compare(before: Element<'_>, after: Element<'_>, path: &mut Vec<Step>, out: &mut Vec<Change>) {
    let (old, new) = (before.document().text(), after.document().text());
    for attribute in after.attributes() {
        let (name, value) = (attribute.name.of(new), after.value_of(attribute).into_owned());
        let known = before.attribute_written(name).map(|known| before.value_of(known).into_owned());
        if known.as_ref() != Some(&value) && !name.starts_with("xmlns") {
            out.push(Change::Attribute { path: path.clone(), name: name.to_owned(), value: Some(value) });
        }
    }
    for attribute in before.attributes() {
        let name = attribute.name.of(old);
        if after.attribute_written(name).is_none() {
            out.push(Change::Attribute { path: path.clone(), name: name.to_owned(), value: None });
        }
    }
    let mut rest: Vec<Element<'_>> = before.children().collect();
    for child in after.children() {
        match rest.iter().position(|known| key(*known) == key(child)) {
            Some(at) => {
                let known = rest.remove(at);
                path.push(step(known));
                compare(known, child, path, out);
                path.pop();
            }
            None => out.push(Change::Added { parent: path.clone(), element: fragment(child) }),
        }
    }
    // An element whose inside changed and that nothing else tells from its neighbours goes and comes.
    out.extend(rest.into_iter().map(|gone| Change::Removed(gone.span())));
}

/// Returns an element as it would be put in.
pub(crate) fn fragment(element: Element<'_>) -> Fragment {
    let text = element.document().text();
    let mut out = Fragment::new(element.name());
    for attribute in element.attributes() {
        out = out.with(attribute.name.of(text), element.value_of(attribute));
    }
    let children: Vec<_> = element.children().map(fragment).collect();
    let said = element.text();
    if children.is_empty() && !said.trim().is_empty() {
        return out.saying(said.trim());
    }
    if !children.is_empty() {
        out.content = Content::Elements(children);
    }
    out
}

/// What becomes of a key of a property list.
#[derive(Debug, Clone)]
pub(crate) enum KeyChange {
    /// It comes with a value.
    Added(String, NewValue),
    /// Its list gets more elements.
    Extended(String, Vec<NewValue>),
    /// Its value is another one.
    Changed(String, NewValue),
    /// Its list loses elements; the spans of the elements before.
    Shortened(String, Vec<Span>),
    /// It goes.
    Removed(String),
}

/// Returns what leads from one property list to another one.
pub(crate) fn of_list(before: &PropertyList, after: &PropertyList) -> Vec<KeyChange> {
    let mut out = Vec::new();
    for entry in after.entries() {
        match before.entry(&entry.key) {
            None => out.push(KeyChange::Added(entry.key.clone(), meant(&entry.value))),
            Some(known) => out.extend(of_entry(known, entry)),
        }
    }
    for entry in before.entries() {
        if after.entry(&entry.key).is_none() {
            out.push(KeyChange::Removed(entry.key.clone()));
        }
    }
    out
}

fn of_entry(before: &Entry, after: &Entry) -> Option<KeyChange> {
    let (old, new) = (meant(&before.value), meant(&after.value));
    if old == new {
        return None;
    }
    let key = after.key.clone();
    if let (Some(elements), NewValue::Array(had), NewValue::Array(has)) = (before.value.as_array(), &old, &new) {
        let more: Vec<_> = has.iter().filter(|value| !had.contains(value)).cloned().collect();
        let gone = |(value, _): &(&NewValue, &Value)| !has.contains(value);
        let gone: Vec<_> = had.iter().zip(elements).filter(gone).map(|(_, element)| element.span).collect();
        if gone.is_empty() {
            return Some(KeyChange::Extended(key, more));
        }
        if more.is_empty() {
            return Some(KeyChange::Shortened(key, gone));
        }
    }
    Some(KeyChange::Changed(key, new))
}

/// Returns a value as it would be put in.
pub(crate) fn meant(value: &Value) -> NewValue {
    match &value.kind {
        ValueKind::String(text) | ValueKind::Date(text) | ValueKind::Data(text) => NewValue::String(text.clone()),
        ValueKind::Bool(yes) => NewValue::Bool(*yes),
        ValueKind::Integer(number) => NewValue::Integer(i64::try_from(*number).unwrap_or(i64::MAX)),
        ValueKind::Real(number) => NewValue::Real(*number),
        ValueKind::Array(values) => NewValue::Array(values.iter().map(meant).collect()),
        ValueKind::Dict(entries) => {
            NewValue::Dict(entries.iter().map(|entry| (entry.key.clone(), meant(&entry.value))).collect())
        }
    }
}
