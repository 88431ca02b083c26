//! All variants of an app side by side, where they differ.

use elvask_project::surface::{Effective, Surface};

use crate::app::App;

/// Something that not all variants have, or not with the same value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    /// What it is: `uses-permission`, or the element that it is inside of and its own.
    pub element: String,
    /// Its name, and that of the attribute where only that differs.
    pub name: String,
    /// What each variant has, in the order of the variants; `None` where it has none. An element without a value of its own is
    /// an empty text.
    pub values: Vec<Option<String>>,
}

/// Compares the effective manifests of all variants; returns the names of the variants and what differs between them.
#[must_use]
pub fn differences(app: &App, surface: &Surface) -> (Vec<String>, Vec<Difference>) {
    let variants = app.android.iter().flat_map(|android| &android.variants);
    let all: Vec<Effective<'_>> = variants.filter_map(|variant| surface.effective(app, variant)).collect();
    let names: Vec<_> = all.iter().map(|variant| variant.variant.clone()).collect();
    let mut rows: Vec<(String, String)> = Vec::new();
    let lists: Vec<_> = all.iter().map(flat).collect();
    for (element, name, _) in lists.iter().flatten() {
        if !rows.iter().any(|(one, other)| one == element && other == name) {
            rows.push((element.clone(), name.clone()));
        }
    }
    let differences = rows.into_iter().filter_map(|(element, name)| {
        let value = |list: &Vec<(String, String, String)>| {
            let found = list.iter().find(|(one, other, _)| *one == element && *other == name);
            found.map(|(_, _, value)| value.clone())
        };
        let values: Vec<_> = lists.iter().map(value).collect();
        let same = values.windows(2).all(|pair| pair.first() == pair.last());
        (!same).then_some(Difference { element, name, values })
    });
    let differences = differences.collect();
    (names, differences)
}

/// Lays a manifest out flat: elements with their keys, and their attributes.
fn flat(variant: &Effective<'_>) -> Vec<(String, String, String)> {
    let mut out = Vec::new();
    for element in variant.merged.all() {
        let filter = element.name == "intent-filter" || element.name == "intent";
        let key = match element.key() {
            Some(key) => key.to_string(),
            // Filters have no name: what is in them tells them apart.
            None if filter => {
                let inside = variant.merged.children(element).filter_map(|child| {
                    let values: Vec<_> = child.attributes.iter().map(|attribute| attribute.value.as_ref()).collect();
                    (!values.is_empty()).then(|| values.join(" "))
                });
                inside.collect::<Vec<_>>().join(", ")
            }
            None => String::new(),
        };
        let parent = element.parent.map(|parent| variant.merged.at(parent));
        // What is inside of a filter is part of it.
        if parent.is_some_and(|parent| parent.name == "intent-filter" || parent.name == "intent") {
            continue;
        }
        let owner = parent.and_then(|parent| parent.key()).map(|key| format!("{key} ")).unwrap_or_default();
        let name = format!("{owner}{key}").trim().to_owned();
        if element.parent.is_some() {
            out.push((element.name.to_owned(), name.clone(), String::new()));
        }
        for attribute in element.attributes.iter().filter(|attribute| Some(attribute.value.as_ref()) != element.key()) {
            let written = attribute.name.written();
            let local = written.trim_start_matches("android:");
            out.push((
                element.name.to_owned(),
                format!("{name} {local}").trim().to_owned(),
                attribute.value.to_string(),
            ));
        }
    }
    out
}
