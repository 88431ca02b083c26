//! Intent filters as they are written in the app's own manifests.

use std::borrow::Cow;

use elvask_markup::Edit;
use elvask_markup::xml::Element;
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_project::filters::{DataSpec, FilterSpec, is_web_scheme, unescape};
use elvask_project::names::ANDROID;
use elvask_project::source::Place;
use elvask_project::surface::{Component, ManifestView};

/// A filter with the elements that state it.
pub(in crate::rules) struct WrittenFilter<'v, 'd> {
    /// The component around it.
    pub(in crate::rules) component: &'v Component<'d>,
    /// The filter.
    pub(in crate::rules) element: Element<'d>,
    /// What it says; values that the build puts in stand as they are written.
    pub(in crate::rules) spec: FilterSpec,
    /// Its `<data>`, in the order of those of `spec`.
    pub(in crate::rules) data: Vec<Element<'d>>,
}

impl WrittenFilter<'_, '_> {
    /// Returns the name under which findings speak of it: its first action with its schemes or types.
    pub(in crate::rules) fn subject(&self) -> String {
        let action = self.spec.actions.first().map_or("intent-filter", String::as_str);
        let schemes = self.spec.schemes();
        let data = if schemes.is_empty() { self.spec.values("mimeType").collect() } else { schemes };
        if data.is_empty() { action.to_owned() } else { format!("{action} {}", data.join(",")) }
    }

    /// Returns the last part of the component's name.
    pub(in crate::rules) fn owner(&self) -> &str {
        self.component.class.rsplit('.').next().unwrap_or(&self.component.class)
    }

    /// Says whether a value is put in by the build, so that its text cannot be judged.
    pub(in crate::rules) fn is_put_in(value: &str) -> bool {
        value.starts_with('@') || value.contains("${")
    }

    /// Says whether it is meant for links: a filter with a type is for content.
    pub(in crate::rules) fn is_link(&self) -> bool {
        self.spec.is_link() && self.spec.values("mimeType").next().is_none()
    }

    /// Says whether it has a scheme that the build puts in.
    pub(in crate::rules) fn has_hidden_scheme(&self) -> bool {
        self.spec.values("scheme").any(Self::is_put_in)
    }
}

/// Returns the filters of the activities and aliases of a manifest.
pub(in crate::rules) fn filters<'v, 'd>(manifest: &'v ManifestView<'d>) -> Vec<WrittenFilter<'v, 'd>> {
    let activities = manifest.with_filters().filter(|component| component.element.name().starts_with("activity"));
    activities
        .flat_map(|component| {
            component.element.children_named("intent-filter").map(move |element| (component, element))
        })
        .map(|(component, element)| read(manifest, component, element))
        .collect()
}

fn read<'v, 'd>(
    manifest: &ManifestView<'d>,
    component: &'v Component<'d>,
    element: Element<'d>,
) -> WrittenFilter<'v, 'd> {
    let names = |kind: &str| {
        element.children_named(kind).filter_map(|child| child.value(ANDROID, "name").map(Cow::into_owned)).collect()
    };
    let data: Vec<Element<'d>> = element.children_named("data").collect();
    let spec = FilterSpec {
        actions: names("action"),
        categories: names("category"),
        data: data.iter().map(|one| read_data(manifest, *one)).collect(),
        groups: Vec::new(),
        auto_verify: element.value(ANDROID, "autoVerify").is_some_and(|value| value == "true"),
        priority: 0,
        place: Some(manifest.tag(element)),
    };
    WrittenFilter { component, element, spec, data }
}

/// The attributes of `<data>` that a filter reads.
const DATA: [&str; 16] = [
    "scheme",
    "host",
    "port",
    "path",
    "pathPrefix",
    "pathPattern",
    "pathSuffix",
    "pathAdvancedPattern",
    "mimeType",
    "mimeGroup",
    "ssp",
    "sspPrefix",
    "sspPattern",
    "sspSuffix",
    "sspAdvancedPattern",
    "query",
];

fn read_data(manifest: &ManifestView<'_>, element: Element<'_>) -> DataSpec {
    let found = DATA.iter().filter_map(|name| {
        let value = element.value(ANDROID, name)?;
        Some(((*name).to_owned(), unescape(&value).into_owned(), manifest.value_place(element, name)))
    });
    DataSpec { attributes: found.collect(), place: Some(manifest.tag(element)) }
}

/// Returns attributes of `<data>` that stand without the platform's prefix, so that it does not read them.
pub(in crate::rules) fn bare_attributes(element: Element<'_>) -> Vec<(&'static str, elvask_markup::xml::Attribute)> {
    let bare = |name: &&'static str| Some((*name, element.attribute_written(name)?));
    DATA.iter().filter_map(bare).filter(|(name, _)| element.attribute(ANDROID, name).is_none()).collect()
}

/// Plans the parting of a filter: the first group of data stays, each other one goes into a filter of its own behind it.
pub(in crate::rules) fn part(
    manifest: &ManifestView<'_>,
    filter: &WrittenFilter<'_, '_>,
    groups: &[Vec<usize>],
) -> Vec<Edit> {
    let prefix = manifest.prefix();
    let verify = format!("{prefix}:autoVerify");
    let same = |element: Element<'_>| copy(element, prefix);
    let shared: Vec<Fragment> =
        filter.element.children().filter(|child| matches!(child.name(), "action" | "category")).map(same).collect();
    let mut fragments = Vec::new();
    let mut edits = Vec::new();
    for group in groups.iter().skip(1) {
        let data: Vec<Element<'_>> = group.iter().filter_map(|at| filter.data.get(*at)).copied().collect();
        let web = group
            .iter()
            .filter_map(|at| filter.spec.data.get(*at))
            .all(|data| data.value("scheme").is_none_or(is_web_scheme));
        let mut fragment = Fragment::new("intent-filter");
        fragment.attributes = copy(filter.element, prefix).attributes;
        // A filter of which nothing is of the web is never verified.
        fragment.attributes.retain(|(name, _)| web || *name != verify);
        let mut inside = shared.clone();
        inside.extend(data.iter().map(|one| copy(*one, prefix)));
        fragments.push(fragment.holding(inside));
        // What holds for the first group too stays there.
        let first = groups.first().map(Vec::as_slice).unwrap_or_default();
        let moved = group.iter().filter(|at| !first.contains(at)).filter_map(|at| filter.data.get(*at));
        edits.extend(moved.map(|one| plan::remove(one.node())));
    }
    if let Some(parent) = filter.element.parent() {
        edits.extend(plan::insert(parent, Slot::After(filter.element.node()), &fragments));
    }
    edits
}

/// Copies an element with its attributes, without what stands in it.
fn copy(element: Element<'_>, prefix: &str) -> Fragment {
    let mut fragment = Fragment::new(element.name());
    let text = element.document().text();
    fragment.attributes = element
        .attributes()
        .map(|attribute| (attribute.name.of(text).to_owned(), element.value_of(attribute).into_owned()))
        .filter(|(name, _)| name.starts_with(&format!("{prefix}:")) || !name.starts_with("xmlns"))
        .collect();
    fragment
}

/// Returns where a filter lacks something: its start tag.
pub(in crate::rules) fn tag(manifest: &ManifestView<'_>, filter: &WrittenFilter<'_, '_>) -> Place {
    manifest.tag(filter.element)
}
