//! The merge itself: a weaker manifest joins what the stronger ones have become.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};
use std::sync::OnceLock;

use elvask_platform::manifest::{Policy, element_kind, implied_permissions};

use super::inside::sum_in;
use super::load::{Loaded, check_twins, describe, load};
use super::{
    AttributeName, Conflict, Input, Marker, MergeProblem, Merged, MergedAttribute, MergedElement, Overridden, Removed,
    Role, Space, Values,
};
use crate::gradle::Stated;
use crate::msbuild::SourceDeclaration;
use elvask_platform::hash::QuickMap;

pub(super) fn merge<'d>(inputs: &[Input<'d>], values: &Values) -> Option<Merged<'d>> {
    let (first, weaker) = inputs.split_first()?;
    let mut merged = Merged {
        elements: Vec::new(),
        problems: Vec::new(),
        removed: Vec::new(),
        unfilled: Vec::new(),
        roles: inputs.iter().map(|input| input.role.clone()).collect(),
        inside: QuickMap::default(),
    };
    let mut loaded = load(first, 0, values);
    check_twins(&mut loaded, first.document, &mut merged.inside);
    merged.start(loaded);
    declare(&mut merged, &values.in_source);
    let mut joining = Joining { merged, taken: HashMap::new(), selected: HashSet::new(), values };
    for (at, input) in weaker.iter().enumerate() {
        let mut loaded = load(input, at + 1, values);
        if input.role.is_own() {
            check_twins(&mut loaded, input.document, &mut QuickMap::default());
        }
        joining.join(input, loaded, inputs);
    }
    let mut merged = joining.finish();
    inject(&mut merged, values);
    // A placeholder that nothing sets stops the build; one that the build files set in a way that is not known does not.
    let missing: Vec<_> =
        merged.unfilled.iter().filter(|one| one.stated.is_none() && !values.more_placeholders).cloned().collect();
    for one in missing {
        let known = one.name == "applicationId" || one.name == "packageName";
        if !known {
            merged.problems.push(MergeProblem {
                conflict: Conflict::Placeholder,
                element: String::new(),
                subject: one.name,
                place: one.place,
                value: String::new(),
                other: None,
            });
        }
    }
    merged.problems.dedup();
    Some(merged)
}

impl<'d> Merged<'d> {
    fn start(&mut self, loaded: Loaded<'d>) {
        self.elements = loaded.elements;
        self.problems = loaded.problems;
        self.unfilled = loaded.unfilled;
    }
}

/// Places with the inputs that they are in.
type Taken = Vec<(crate::source::Place, usize)>;

struct Joining<'a, 'd> {
    merged: Merged<'d>,
    /// What each marker took out, by the number of its element; an attribute by its name.
    taken: HashMap<(usize, Option<String>), Taken>,
    /// The elements whose selectors were looked at.
    selected: HashSet<usize>,
    values: &'a Values,
}

impl<'d> Joining<'_, 'd> {
    fn join(&mut self, input: &Input<'d>, mut loaded: Loaded<'d>, inputs: &[Input<'d>]) {
        self.merged.problems.append(&mut loaded.problems);
        self.merged.unfilled.append(&mut loaded.unfilled);
        let implied = self.implied(input, &loaded);
        self.element(0, &loaded, 0, input, inputs);
        for (asked, added, place, number) in implied {
            self.add_implied(asked, added, place, number);
        }
    }

    /// Joins an element that both sides have.
    fn element(&mut self, id: usize, loaded: &Loaded<'d>, other: usize, input: &Input<'d>, inputs: &[Input<'d>]) {
        let Some(weaker) = loaded.elements.get(other) else { return };
        self.check_selector(id, inputs);
        self.merged.at_mut(id).also.push((weaker.input, weaker.place));
        let kind = element_kind(weaker.name);
        let root = kind.is_some_and(|kind| kind.policy == Policy::Children);
        if !(root && matches!(input.role, Role::Library(_))) {
            for attribute in &weaker.attributes {
                self.attribute(id, attribute, weaker, input);
            }
            self.defaults(id, weaker);
            // Lists of libraries whose level does not matter add up.
            if let Some(more) = weaker.asked.as_ref().filter(|asked| !asked.overrides.is_empty()) {
                let asked = self.merged.at_mut(id).asked.get_or_insert_default();
                asked.overrides.extend(more.overrides.iter().cloned());
            }
        }
        let only_attributes = self.merged.at(id).marker == Marker::MergeOnlyAttributes && self.selects(id, input);
        if only_attributes {
            let taken: Vec<_> = weaker
                .children
                .iter()
                .filter_map(|child| loaded.elements.get(*child))
                .map(|child| (child.place, child.input))
                .collect();
            self.taken.entry((id, None)).or_default().extend(taken);
            return;
        }
        for child in &weaker.children {
            self.child(id, loaded, *child, input, inputs);
        }
    }

    /// Says whether the marker of an element is meant for this input.
    fn selects(&self, id: usize, input: &Input<'_>) -> bool {
        match self.merged.at(id).selector() {
            None => true,
            Some(selector) => names_library(&selector.library, input),
        }
    }

    fn check_selector(&mut self, id: usize, inputs: &[Input<'d>]) {
        let element = self.merged.at(id);
        let Some(selector) = element.selector() else { return };
        if !self.selected.insert(id) || inputs.iter().any(|input| names_library(&selector.library, input)) {
            return;
        }
        let problem = MergeProblem {
            conflict: Conflict::Selector,
            element: describe(element),
            subject: selector.library.to_string(),
            place: selector.place,
            value: selector.library.to_string(),
            other: None,
        };
        self.merged.problems.push(problem);
    }

    fn child(&mut self, parent: usize, loaded: &Loaded<'d>, other: usize, input: &Input<'d>, inputs: &[Input<'d>]) {
        let Some(weaker) = loaded.elements.get(other) else { return };
        if let Some(all) = self.merged.takes_all(parent, weaker.name)
            && self.selects(all, input)
        {
            self.taken.entry((all, None)).or_default().push((weaker.place, weaker.input));
            return;
        }
        let Some(kind) = element_kind(weaker.name) else {
            // What the merger does not know it always keeps, except what is there already.
            if !self.is_there(parent, loaded, other) {
                self.add(parent, loaded, other);
            }
            return;
        };
        // The app's own levels are always there in a build: those of a library never stand in for them.
        if weaker.name == "uses-sdk" && !input.role.is_own() {
            return;
        }
        if kind.policy == Policy::Keep {
            let marked = self.merged.takes_like(parent, weaker.name);
            match marked.filter(|marked| self.selects(*marked, input)) {
                Some(marked) if self.same_filter(marked, loaded, other) => {
                    self.taken.entry((marked, None)).or_default().push((weaker.place, weaker.input));
                }
                _ if self.is_there(parent, loaded, other) => {}
                _ => self.add(parent, loaded, other),
            }
            return;
        }
        let Some(id) = self.merged.with_key(parent, weaker.name, weaker.key()) else {
            return self.add(parent, loaded, other);
        };
        let marker = match self.selects(id, input) {
            true => self.merged.at(id).marker,
            false => Marker::Merge,
        };
        match marker {
            Marker::Merge | Marker::MergeOnlyAttributes | Marker::RemoveAll => {
                self.element(id, loaded, other, input, inputs);
            }
            Marker::Remove | Marker::Replace => {
                self.check_selector(id, inputs);
                self.taken.entry((id, None)).or_default().push((weaker.place, weaker.input));
            }
            Marker::Strict => {
                if !self.same(id, loaded, other) {
                    let element = self.merged.at(id);
                    self.merged.problems.push(MergeProblem {
                        conflict: Conflict::Strict,
                        element: describe(element),
                        subject: element.key().unwrap_or(element.name).to_owned(),
                        place: element.place,
                        value: String::new(),
                        other: Some((weaker.place, String::new(), weaker.input)),
                    });
                }
            }
        }
    }

    /// Says whether a filter that a marker takes out is the one that the weaker side has: by its actions, categories and data.
    fn same_filter(&mut self, id: usize, loaded: &Loaded<'d>, other: usize) -> bool {
        let marked = self.merged.at(id);
        // Without anything inside, any filter is meant.
        marked.children.is_empty() || self.same(id, loaded, other)
    }

    /// Says whether an element of a kind that is never merged into stands somewhere already.
    fn is_there(&mut self, parent: usize, loaded: &Loaded<'d>, other: usize) -> bool {
        let known = self.merged.with_sum(parent, sum_in(&loaded.elements, other));
        known.is_some_and(|known| self.same(known, loaded, other))
    }

    /// Says whether two elements are the same: name, attributes and all that is inside, in any order.
    fn same(&mut self, id: usize, loaded: &Loaded<'d>, other: usize) -> bool {
        let (one, Some(weaker)) = (self.merged.at(id), loaded.elements.get(other)) else { return false };
        let attributes = one.attributes.len() == weaker.attributes.len()
            && one.attributes.iter().all(|attribute| {
                weaker.attributes.iter().any(|other| other.name == attribute.name && other.value == attribute.value)
            });
        attributes
            && one.name == weaker.name
            && one.children.len() == weaker.children.len()
            && weaker.children.iter().all(|child| self.is_there(id, loaded, *child))
    }

    /// Takes over an element that the stronger side does not have, with all inside.
    fn add(&mut self, parent: usize, loaded: &Loaded<'d>, other: usize) {
        let Some(weaker) = loaded.elements.get(other) else { return };
        let id = self.merged.elements.len();
        let added = MergedElement { parent: Some(parent), children: Vec::new(), ..weaker.clone() };
        self.merged.elements.push(added);
        self.merged.at_mut(parent).children.push(id);
        for child in &weaker.children {
            self.add(id, loaded, *child);
        }
        // Its sum is one of all that is inside, too.
        self.merged.remember(id);
    }

    fn attribute(&mut self, id: usize, weaker: &MergedAttribute<'d>, of: &MergedElement<'d>, input: &Input<'d>) {
        let marked = self.selects(id, input);
        let element = self.merged.at(id);
        let replaces = marked && element.replaces().contains(&weaker.name);
        let removes = marked && element.removes().contains(&weaker.name);
        let either = is_either(element.name, &weaker.name);
        let sdk = element.name == "uses-sdk";
        let Some(at) = element.attributes.iter().position(|attribute| attribute.name == weaker.name) else {
            if removes {
                let written = weaker.name.written();
                self.taken.entry((id, Some(written))).or_default().push((weaker.place, of.input));
                return;
            }
            let mut attribute = weaker.clone();
            // The stronger side's silence means `true`, which wins.
            if either && attribute.value == "false" {
                let overridden = Overridden { value: "false".to_owned(), place: weaker.place, input: weaker.input };
                attribute.place = element.place;
                attribute.input = Some(element.input);
                attribute.value = Cow::Borrowed("true");
                attribute.overrode.push(overridden);
            }
            return self.merged.at_mut(id).attributes.push(attribute);
        };
        let described = describe(element);
        let Some(own) = self.merged.at_mut(id).attributes.get_mut(at) else { return };
        if own.value == weaker.value {
            return;
        }
        let lost = Overridden { value: weaker.value.to_string(), place: weaker.place, input: weaker.input };
        if replaces || sdk {
            own.overrode.push(lost);
        } else if either {
            if weaker.value == "true" {
                let old = Overridden { value: own.value.to_string(), place: own.place, input: own.input };
                own.value = Cow::Borrowed("true");
                (own.place, own.input) = (weaker.place, weaker.input);
                own.overrode.push(old);
            } else {
                own.overrode.push(lost);
            }
        } else {
            let problem = MergeProblem {
                conflict: Conflict::Attribute,
                element: described,
                subject: weaker.name.written(),
                place: own.place,
                value: own.value.to_string(),
                other: Some((weaker.place, weaker.value.to_string(), of.input)),
            };
            own.overrode.push(lost);
            self.merged.problems.push(problem);
        }
    }

    /// Lets the defaults of a weaker side win that says nothing: a feature is required unless all say that it is not.
    fn defaults(&mut self, id: usize, weaker: &MergedElement<'d>) {
        let Some(kind) = element_kind(weaker.name) else { return };
        for local in &kind.either {
            let silent = weaker.attribute(local).is_none();
            let element = self.merged.at_mut(id);
            let kept = element.replaces().iter().any(|name| name.is_android(local));
            if let Some(own) = element.attributes.iter_mut().find(|attribute| attribute.name.is_android(local))
                && silent
                && !kept
                && own.value == "false"
            {
                let old = Overridden { value: "false".to_owned(), place: own.place, input: own.input };
                own.value = Cow::Borrowed("true");
                (own.place, own.input) = (weaker.place, Some(weaker.input));
                own.overrode.push(old);
            }
        }
    }

    /// Returns the permissions that the merger adds because of this library, and notes a level that it needs in vain.
    fn implied(
        &mut self,
        input: &Input<'d>,
        loaded: &Loaded<'d>,
    ) -> Vec<(&'static str, &'static str, crate::source::Place, usize)> {
        let Role::Library(library) = &input.role else { return Vec::new() };
        let Some(root) = loaded.elements.first() else { return Vec::new() };
        let sdk =
            root.children.iter().filter_map(|child| loaded.elements.get(*child)).find(|child| child.name == "uses-sdk");
        let level = |local: &str| sdk.and_then(|sdk| sdk.value(local)?.trim().parse::<u32>().ok());
        let min = library.min_level.or_else(|| level("minSdkVersion"));
        let own = self.own_level("minSdkVersion", &self.values.min_level);
        let place =
            sdk.map_or(root.place, |sdk| sdk.attribute("minSdkVersion").map_or(sdk.place, |attribute| attribute.place));
        if let (Some(min), Some((own, at))) = (min, own)
            && own < min
            && !self.is_overridden(input)
        {
            self.merged.problems.push(MergeProblem {
                conflict: Conflict::MinLevel,
                element: "uses-sdk".to_owned(),
                subject: "minSdkVersion".to_owned(),
                place: at,
                value: own.to_string(),
                other: Some((place, min.to_string(), root.input)),
            });
        }
        let target = library.target_level.or_else(|| level("targetSdkVersion")).or(min);
        // A library that states no level is taken to be made for level 1; but where its build file states one that is not
        // known, or where there is a build file that leaves it to the build, nothing is made up.
        let target = match (target, library.levels_unknown) {
            (Some(target), _) => target,
            (None, true) => return Vec::new(),
            (None, false) => 1,
        };
        let Some((app, _)) = self.own_level("targetSdkVersion", &self.values.target_level) else { return Vec::new() };
        let asks = |permission: &str| {
            let children = root.children.iter().filter_map(|child| loaded.elements.get(*child));
            children
                .into_iter()
                .find(|child| child.name == "uses-permission" && child.value("name") == Some(permission))
        };
        implied_permissions(app, target)
            .into_iter()
            .filter_map(|(asked, added)| {
                let at = match asked {
                    Some(asked) => asks(asked)?.place,
                    None => root.place,
                };
                Some((asked.unwrap_or_default(), added, at, root.input))
            })
            .collect()
    }

    /// Returns a level of the app as the build or its manifests state it, and where.
    fn own_level(&self, local: &str, stated: &Stated<u32>) -> Option<(u32, crate::source::Place)> {
        if let (Some(value), Some(place)) = (stated.value, stated.place) {
            return Some((value, place));
        }
        if stated.is_unknown() {
            return None;
        }
        let root = self.merged.root();
        let sdk = self.merged.child(root, "uses-sdk")?;
        let attribute = sdk.attribute(local)?;
        Some((attribute.value.trim().parse().ok()?, attribute.place))
    }

    fn is_overridden(&self, input: &Input<'_>) -> bool {
        let root = self.merged.root();
        let sdk = self.merged.child(root, "uses-sdk");
        sdk.is_some_and(|sdk| sdk.overrides().iter().any(|name| names_library(name, input)))
    }

    fn add_implied(&mut self, asked: &'static str, added: &'static str, place: crate::source::Place, input: usize) {
        if self.merged.with_key(0, "uses-permission", Some(added)).is_some() {
            return;
        }
        let name = AttributeName { space: Space::Android, local: Cow::Borrowed("name") };
        let attribute =
            MergedAttribute { name, value: Cow::Borrowed(added), place, input: Some(input), overrode: Vec::new() };
        let id = self.merged.elements.len();
        self.merged.elements.push(MergedElement {
            key: Some(0),
            attributes: vec![attribute],
            implied: Some(asked),
            ..bare("uses-permission", place, input)
        });
        self.merged.at_mut(0).children.push(id);
        self.merged.remember(id);
    }

    /// Takes out what markers take out, and writes down what each did.
    fn finish(mut self) -> Merged<'d> {
        let mut removed = Vec::new();
        let acts = |element: &MergedElement<'_>| element.marker != Marker::Merge || element.asked.is_some();
        for (id, element) in self.merged.elements.iter().enumerate().filter(|(_, element)| acts(element)) {
            let gone = matches!(element.marker, Marker::Remove | Marker::RemoveAll);
            let taken = self.taken.get(&(id, None)).cloned().unwrap_or_default();
            let record = |attribute: Option<String>, taken: Vec<_>| Removed {
                element: element.name.to_owned(),
                key: element.key().map(str::to_owned),
                attribute,
                by: element.place,
                taken,
            };
            if gone || !taken.is_empty() {
                removed.push(record(None, taken));
            }
            for name in element.removes() {
                let written = name.written();
                let taken = self.taken.get(&(id, Some(written.clone()))).cloned().unwrap_or_default();
                removed.push(record(Some(written), taken));
            }
        }
        let is_gone = |element: &MergedElement<'_>| matches!(element.marker, Marker::Remove | Marker::RemoveAll);
        let gone: Vec<usize> =
            (0..).zip(&self.merged.elements).filter(|(_, element)| is_gone(element)).map(|(id, _)| id).collect();
        let around: HashSet<usize> = gone.iter().filter_map(|id| self.merged.at(*id).parent).collect();
        let mut around: Vec<usize> = around.into_iter().collect();
        around.sort_unstable();
        for parent in around {
            // Numbers are in order, so a look-up takes few steps.
            self.merged.at_mut(parent).children.retain(|child| gone.binary_search(child).is_err());
        }
        self.merged.removed = removed;
        self.merged
    }
}

/// Says whether a selector or list names the library of this input: by its namespace, or by its plain name.
fn names_library(name: &str, input: &Input<'_>) -> bool {
    let Role::Library(library) = &input.role else { return false };
    input.namespace.as_deref() == Some(name) || library.name == name
}

fn is_either(element: &str, name: &AttributeName<'_>) -> bool {
    name.space == Space::Android && element_kind(element).is_some_and(|kind| kind.either.contains(&name.local.as_ref()))
}

/// Puts in what the app's source declares.
fn declare(merged: &mut Merged<'_>, declared: &[SourceDeclaration]) {
    for one in declared {
        if merged.with_key(0, one.element, Some(&one.name)).is_some() {
            continue;
        }
        let named = [("name", one.name.clone())].into_iter().chain(one.attributes.iter().cloned());
        let attributes = named.map(|(local, value)| MergedAttribute {
            name: AttributeName { space: Space::Android, local: Cow::Borrowed(local) },
            value: Cow::Owned(value),
            place: one.place,
            input: Some(0),
            overrode: Vec::new(),
        });
        let id = merged.elements.len();
        let element =
            MergedElement { attributes: attributes.collect(), key: Some(0), ..bare(one.element, one.place, 0) };
        merged.elements.push(element);
        merged.at_mut(0).children.push(id);
        merged.remember(id);
    }
}

/// Makes an element that stands in no manifest, as a child of the root.
fn bare(name: &'static str, place: crate::source::Place, input: usize) -> MergedElement<'static> {
    MergedElement {
        name,
        key: None,
        attributes: Vec::new(),
        children: Vec::new(),
        parent: Some(0),
        input,
        source: None,
        place,
        also: Vec::new(),
        implied: None,
        sum: OnceLock::new(),
        marker: Marker::Merge,
        asked: None,
    }
}

/// Puts in what the build puts in: the id, the version, the levels.
fn inject(merged: &mut Merged<'_>, values: &Values) {
    let android = |local: &'static str| AttributeName { space: Space::Android, local: Cow::Borrowed(local) };
    let plain = AttributeName { space: Space::Plain, local: Cow::Borrowed("package") };
    put(merged, 0, plain, &values.id, Clone::clone);
    put(merged, 0, android("versionCode"), &values.version_code, u32::to_string);
    put(merged, 0, android("versionName"), &values.version_name, Clone::clone);
    if values.min_level.value.is_none() && values.target_level.value.is_none() {
        return;
    }
    let root = merged.root();
    let sdk = root.children.iter().copied().find(|child| merged.at(*child).name == "uses-sdk");
    let sdk = sdk.unwrap_or_else(|| {
        let id = merged.elements.len();
        let place = values.min_level.place.or(values.target_level.place).unwrap_or(merged.root().place);
        let input = merged.root().input;
        merged.elements.push(bare("uses-sdk", place, input));
        merged.at_mut(0).children.insert(0, id);
        id
    });
    put(merged, sdk, android("minSdkVersion"), &values.min_level, u32::to_string);
    put(merged, sdk, android("targetSdkVersion"), &values.target_level, u32::to_string);
}

fn put<'d, T>(
    merged: &mut Merged<'d>,
    id: usize,
    name: AttributeName<'d>,
    stated: &Stated<T>,
    text: impl Fn(&T) -> String,
) {
    let (Some(value), Some(place)) = (&stated.value, stated.place) else { return };
    let value = text(value);
    let element = merged.at_mut(id);
    match element.attributes.iter_mut().find(|attribute| attribute.name == name) {
        Some(own) => {
            if own.value != value {
                let old = Overridden { value: own.value.to_string(), place: own.place, input: own.input };
                own.overrode.push(old);
                own.value = Cow::Owned(value);
            }
            (own.place, own.input) = (place, None);
        }
        None => {
            element.attributes.push(MergedAttribute {
                name,
                value: Cow::Owned(value),
                place,
                input: None,
                overrode: Vec::new(),
            });
        }
    }
}
