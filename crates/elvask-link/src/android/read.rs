//! Reading the entries of an effective manifest.

use elvask_project::filters::{DataSpec, FilterSpec, GroupSpec};
use elvask_project::merge::{MergedElement, Space};
use elvask_project::source::Place;
use elvask_project::surface::Effective;

use super::{AndroidLinks, Entry, short};

impl AndroidLinks {
    /// Adds activities that the app's source declares, where the manifest does not have them.
    pub(crate) fn add(&mut self, declared: impl Iterator<Item = Entry>) {
        for entry in declared {
            if self.entries.iter().any(|known| known.component == entry.component) {
                continue;
            }
            if entry.exported.is_none() && !entry.filters.is_empty() {
                self.unstated.push((entry.component.clone(), entry.place));
            }
            self.entries.push(entry);
        }
    }

    /// Gathers the entries of an effective manifest. `text_of` follows references such as `@string/host`.
    #[must_use]
    pub fn of(
        effective: &Effective<'_>,
        id: Option<String>,
        fingerprints: Vec<String>,
        text_of: &dyn Fn(&str) -> Option<String>,
    ) -> Self {
        let mut links = AndroidLinks {
            id,
            min_level: effective.levels.min,
            target_level: effective.levels.target,
            fingerprints,
            ..AndroidLinks::default()
        };
        let flag = |element: &MergedElement<'_>, local: &str| {
            element.value(local).and_then(|value| value.trim().parse::<bool>().ok())
        };
        let app_enabled = effective.application().and_then(|application| flag(application, "enabled")).unwrap_or(true);
        let components: Vec<_> = effective.components().collect();
        for component in &components {
            let exported = flag(component, "exported");
            let filters: Vec<_> =
                effective.merged.children(component).filter(|child| child.name == "intent-filter").collect();
            let name = component.key().unwrap_or_default().to_owned();
            if exported.is_none()
                && component.attribute("exported").is_none()
                && !filters.is_empty()
                && component.name != "provider"
            {
                links.unstated.push((name.clone(), component.place));
            }
            let is_alias = component.name == "activity-alias";
            if !is_alias && component.name != "activity" {
                continue;
            }
            let target = is_alias.then(|| component.value("targetActivity")).flatten();
            let behind = target.and_then(|target| {
                components
                    .iter()
                    .find(|one| one.name == "activity" && one.key().is_some_and(|class| same_class(class, target)))
            });
            let own = |local: &str| {
                component.value(local).or_else(|| behind.and_then(|behind| behind.value(local))).map(str::to_owned)
            };
            let specs =
                filters.iter().map(|filter| read_filter(effective, filter, text_of, &mut links.unresolved)).collect();
            links.entries.push(Entry {
                component: name,
                target: target.map(str::to_owned),
                has_target: !is_alias || behind.is_some(),
                exported,
                enabled: app_enabled
                    && flag(component, "enabled").unwrap_or(true)
                    && behind.is_none_or(|behind| flag(behind, "enabled").unwrap_or(true)),
                permission: component.value("permission").map(str::to_owned),
                // An alias has no launch mode of its own.
                launch_mode: match behind {
                    Some(behind) => behind.value("launchMode").map(str::to_owned),
                    None => component.value("launchMode").map(str::to_owned),
                },
                label: own("label").or_else(|| {
                    let application = effective.application();
                    application.and_then(|application| application.value("label")).map(str::to_owned)
                }),
                filters: specs,
                place: component.place,
            });
        }
        links
    }
}

fn same_class(class: &str, written: &str) -> bool {
    class == written
        || (written.starts_with('.') && class.ends_with(written))
        || (!written.contains('.') && short(class) == written)
}

/// Reads an intent filter of the effective manifest.
fn read_filter(
    effective: &Effective<'_>,
    filter: &MergedElement<'_>,
    text_of: &dyn Fn(&str) -> Option<String>,
    unresolved: &mut Vec<(String, Place)>,
) -> FilterSpec {
    let mut spec = FilterSpec {
        auto_verify: filter.value("autoVerify").is_some_and(|value| value == "true"),
        priority: filter.value("priority").and_then(|value| value.trim().parse().ok()).unwrap_or(0),
        place: Some(filter.place),
        ..FilterSpec::default()
    };
    for child in effective.merged.children(filter) {
        let name = || child.value("name").map(str::to_owned);
        match child.name {
            "action" => spec.actions.extend(name()),
            "category" => spec.categories.extend(name()),
            "data" => spec.data.push(read_data(child, text_of, unresolved)),
            "uri-relative-filter-group" => spec.groups.push(GroupSpec {
                allow: child.value("allow").is_none_or(|value| value != "false"),
                data: effective
                    .merged
                    .children(child)
                    .filter(|one| one.name == "data")
                    .map(|one| read_data(one, text_of, unresolved))
                    .collect(),
            }),
            _ => {}
        }
    }
    spec
}

fn read_data(
    element: &MergedElement<'_>,
    text_of: &dyn Fn(&str) -> Option<String>,
    unresolved: &mut Vec<(String, Place)>,
) -> DataSpec {
    let mut data = DataSpec { attributes: Vec::new(), place: Some(element.place) };
    for attribute in element.attributes.iter().filter(|attribute| attribute.name.space == Space::Android) {
        let written = attribute.value.as_ref();
        let is_reference = written.starts_with('@') || written.starts_with("${");
        match text_of(written).filter(|_| is_reference) {
            Some(text) => data.push(&attribute.name.local, &text, attribute.place),
            None => {
                if is_reference {
                    unresolved.push((written.to_owned(), attribute.place));
                }
                data.push(&attribute.name.local, written, attribute.place);
            }
        }
    }
    data
}
