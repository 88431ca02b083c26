//! The declarations of the effective manifest of one variant.

use std::sync::OnceLock;

use elvask_markup::ByName;

use super::manifest::{COMPONENTS, covers};
use crate::gradle::Variant;
use crate::intent::{Owner, Query};
use crate::levels::Levels;
use crate::merge::{Merged, MergedElement};
use crate::source::{FileId, Place};

/// A permission that the effective manifest asks for.
#[derive(Debug, Clone)]
pub struct EffectivePermission {
    /// Its element, by its place in the merged tree.
    pub element: usize,
    /// Its full name.
    pub name: String,
    /// The highest level that it holds for.
    pub max_level: Option<u32>,
}

/// An entry of `<queries>` of the effective manifest.
#[derive(Debug, Clone)]
pub struct EffectiveQuery {
    /// Its element, by its place in the merged tree.
    pub element: usize,
    /// What it asks for.
    pub query: Query,
}

/// The effective manifest of one variant, gone through once.
#[derive(Debug, Clone)]
pub struct Effective<'d> {
    /// The variant's name.
    pub variant: String,
    /// Its levels.
    pub levels: Levels,
    /// The merged tree.
    pub merged: Merged<'d>,
    /// The files that went into it, the strongest first.
    pub files: Vec<FileId>,
    /// The permissions that it asks for.
    pub permissions: Vec<EffectivePermission>,
    /// What it asks to see of others.
    pub queries: Vec<EffectiveQuery>,
    /// The elements of the components.
    components: Vec<usize>,
    /// The elements of the meta-data; looked for at the first question.
    meta_data: OnceLock<Vec<usize>>,
    /// The filters by their places, in order; looked for at the first question.
    filters: OnceLock<Vec<(Place, usize)>>,
    by_class: ByName,
    /// The element that the launcher starts, by its place in the merged tree: it is asked for very often.
    launcher: Option<usize>,
}

impl<'d> Effective<'d> {
    pub(super) fn new(variant: &Variant, mut levels: Levels, merged: Merged<'d>, files: Vec<FileId>) -> Self {
        let (mut permissions, mut queries) = (Vec::new(), Vec::new());
        let root = merged.root();
        for id in &root.children {
            let element = merged.at(*id);
            match element.name {
                "uses-permission" | "uses-permission-sdk-23" => {
                    let Some(name) = element.value("name").map(str::to_owned) else { continue };
                    let max_level = element.value("maxSdkVersion").and_then(|level| level.trim().parse().ok());
                    permissions.push(EffectivePermission { element: *id, name, max_level });
                }
                "queries" => {
                    for entry in &element.children {
                        let query = read_query(&merged, merged.at(*entry));
                        queries.extend(query.map(|query| EffectiveQuery { element: *entry, query }));
                    }
                }
                // Where no build file states a level, the manifest may.
                "uses-sdk" => {
                    let level = |local: &str| element.value(local).and_then(|level| level.trim().parse().ok());
                    levels.min = levels.min.or_else(|| level("minSdkVersion"));
                    if variant.target_level.value.is_none() && !variant.target_level.is_unknown() {
                        levels.target = level("targetSdkVersion").unwrap_or(levels.target);
                    }
                }
                _ => {}
            }
        }
        let application = merged.child(root, "application");
        let inside = application.map(|application| application.children.iter().copied()).into_iter().flatten();
        let is_component = |element: &MergedElement<'_>| COMPONENTS.contains(&element.name) && element.key().is_some();
        let components = inside.filter(|id| is_component(merged.at(*id))).collect();
        let mut effective = Effective {
            variant: variant.name.clone(),
            levels,
            merged,
            files,
            permissions,
            queries,
            components,
            meta_data: OnceLock::new(),
            filters: OnceLock::new(),
            by_class: ByName::default(),
            launcher: None,
        };
        let starts = |id: &usize| effective.is_launcher(effective.merged.at(*id));
        effective.launcher = effective.components.iter().copied().find(starts);
        effective
    }

    /// Returns the permission of a name.
    #[must_use]
    pub fn permission(&self, name: &str) -> Option<&EffectivePermission> {
        self.permissions.iter().find(|permission| permission.name == name)
    }

    /// Says whether an app with this manifest sees what a query asks for.
    #[must_use]
    pub fn sees(&self, wanted: &Query) -> bool {
        self.queries.iter().any(|declared| covers(&declared.query, wanted))
            || self.permission("android.permission.QUERY_ALL_PACKAGES").is_some()
    }

    /// Returns `<application>`.
    #[must_use]
    pub fn application(&self) -> Option<&MergedElement<'d>> {
        self.merged.child(self.merged.root(), "application")
    }

    /// Goes through the components of the app.
    pub fn components(&self) -> impl Iterator<Item = &MergedElement<'d>> {
        self.components.iter().map(|id| self.merged.at(*id))
    }

    /// Returns the component of a class; the first one where there are several.
    #[must_use]
    pub fn component<'s>(&'s self, class: &str) -> Option<&'s MergedElement<'d>> {
        let class_of = |id: &'s usize| self.merged.at(*id).key().unwrap_or_default();
        self.by_class.first(&self.components, class_of, class).map(|id| self.merged.at(*id))
    }

    /// Returns the filter whose start tag is at a place.
    #[must_use]
    pub fn filter_at(&self, place: Place) -> Option<&MergedElement<'d>> {
        let filters = self.filters.get_or_init(|| {
            let all = self.merged.numbers().map(|id| (self.merged.at(id), id));
            let filters = all.filter(|(element, _)| element.name == "intent-filter");
            let mut filters: Vec<_> = filters.map(|(element, id)| (element.place, id)).collect();
            filters.sort_unstable();
            filters
        });
        let at = filters.binary_search_by_key(&place, |(known, _)| *known).ok()?;
        filters.get(at).map(|(_, id)| self.merged.at(*id))
    }

    /// Says whether the launcher starts a component.
    #[must_use]
    pub fn is_launcher(&self, component: &MergedElement<'_>) -> bool {
        let named = |filter: &MergedElement<'_>, kind: &str, wanted: &str| {
            self.merged.children(filter).any(|child| child.name == kind && child.value("name") == Some(wanted))
        };
        matches!(component.name, "activity" | "activity-alias")
            && component.children.iter().map(|child| self.merged.at(*child)).any(|filter| {
                filter.name == "intent-filter"
                    && named(filter, "action", "android.intent.action.MAIN")
                    && named(filter, "category", "android.intent.category.LAUNCHER")
            })
    }

    /// Returns the element that something belongs to.
    #[must_use]
    pub fn owner(&self, owner: &Owner) -> Option<&MergedElement<'d>> {
        match owner {
            Owner::Application => self.application(),
            Owner::Launcher => self.launcher.map(|id| self.merged.at(id)),
            Owner::Class(class) => self.component(class),
        }
    }

    /// Goes through the meta-data of the app and of its components.
    pub fn meta_data(&self) -> impl Iterator<Item = &MergedElement<'d>> {
        let is_it = |element: &MergedElement<'_>| element.name == "meta-data" && element.key().is_some();
        let found =
            self.meta_data.get_or_init(|| self.merged.numbers().filter(|id| is_it(self.merged.at(*id))).collect());
        found.iter().map(|id| self.merged.at(*id))
    }
}

/// Reads an entry of `<queries>`.
fn read_query(merged: &Merged<'_>, element: &MergedElement<'_>) -> Option<Query> {
    let own = |element: &MergedElement<'_>, local: &str| element.value(local).map(str::to_owned);
    Some(match element.name {
        "package" => Query { package: Some(own(element, "name")?), ..Query::default() },
        "provider" => Query { authority: Some(own(element, "authorities")?), ..Query::default() },
        "intent" => {
            let children = || element.children.iter().map(|child| merged.at(*child));
            let data = children().find(|child| child.name == "data");
            let of_data = |local| data.and_then(|data| own(data, local));
            Query {
                action: children().find(|child| child.name == "action").and_then(|action| own(action, "name")),
                categories: children()
                    .filter(|child| child.name == "category")
                    .filter_map(|one| own(one, "name"))
                    .collect(),
                scheme: of_data("scheme"),
                host: of_data("host"),
                mime: of_data("mimeType"),
                ..Query::default()
            }
        }
        _ => return None,
    })
}
