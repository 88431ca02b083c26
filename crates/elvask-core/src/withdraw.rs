//! Taking out what a person names, unless a plugin still requires it.

use elvask_markup::Edit;
use elvask_markup::plist::plan as plist_plan;
use elvask_markup::xml::{Element, plan};

use crate::check::Context;
use crate::finding::NeededBy;
use crate::level::Level;
use crate::requirement::{Kind, Need, Query, Requirement};
use crate::sheet::Asked;
use crate::source::{FileId, Place};
use crate::surface::{ANDROID, QUERY_SCHEMES};

/// One thing that is declared and can be taken out.
#[derive(Debug, Clone)]
pub struct Removal {
    /// The kind.
    pub kind: Kind,
    /// What identifies it to the platform.
    pub name: String,
    /// Where it stands.
    pub place: Place,
    /// What takes it out.
    pub edits: Vec<(FileId, Vec<Edit>)>,
    /// The plugins that still require it.
    pub needed_by: Vec<NeededBy>,
}

/// Finds where the app itself declares what was asked for, and who still requires it.
#[must_use]
pub fn removals(context: &Context<'_>, asked: &[Asked]) -> Vec<Removal> {
    let mut out = Vec::new();
    for asked in asked {
        match asked {
            Asked::Need { name, need } => find(context, need, name, &mut out),
            Asked::Capability(capability) => {
                for part in capability.needs() {
                    find(context, &crate::needs::need_of(&part), part.name, &mut out);
                }
            }
        }
    }
    out
}

/// Returns who requires a thing for sure or probably.
fn needed_by(context: &Context<'_>, kind: Kind, name: &str) -> Vec<NeededBy> {
    let counts = |one: &&Requirement| one.level() > Level::Note;
    context.needs.of(kind, name).iter().filter(counts).map(|one| NeededBy::of(context.app, one)).collect()
}

fn find(context: &Context<'_>, need: &Need, name: &str, out: &mut Vec<Removal>) {
    let kind = need.kind();
    let needed_by = needed_by(context, kind, name);
    let mut add = |place: Place, edits: Vec<Edit>| {
        out.push(Removal {
            kind,
            name: name.to_owned(),
            place,
            edits: vec![(place.file, edits)],
            needed_by: needed_by.clone(),
        });
    };
    for manifest in &context.manifests {
        let elements: Vec<_> = match kind {
            Kind::Permission => {
                manifest.permissions.iter().filter(|one| one.name == name).map(|one| one.element).collect()
            }
            Kind::Feature => manifest
                .root
                .children_named("uses-feature")
                .filter(|one| one.value(ANDROID, "name").as_deref() == Some(name))
                .collect(),
            Kind::Query => {
                manifest.queries.iter().filter(|one| one.query.name() == name).map(|one| one.element).collect()
            }
            Kind::MetaData => manifest.meta_data.iter().filter(|one| one.name == name).map(|one| one.element).collect(),
            _ => Vec::new(),
        };
        if let Need::Filter { filter, .. } = need {
            let filters = manifest.components.iter().flat_map(|one| one.element.children_named("intent-filter"));
            for element in filters {
                if let Some(edits) = without(element, filter) {
                    add(manifest.tag(element), edits);
                }
            }
        }
        for element in elements {
            add(manifest.tag(element), vec![plan::remove(element.node())]);
        }
    }
    let Some(plist) = context.plist.filter(|plist| plist.list.is_xml()) else { return };
    match kind {
        Kind::Usage | Kind::Plist => {
            if let Some(entry) = plist.list.entry(name) {
                add(plist.key_place(entry), vec![plist_plan::remove_entry(plist.list, entry)]);
            }
        }
        Kind::QueryScheme | Kind::BackgroundMode => {
            let key = if kind == Kind::QueryScheme { QUERY_SCHEMES } else { "UIBackgroundModes" };
            let Some(entry) = plist.list.entry(key) else { return };
            let values = entry.value.as_array().unwrap_or_default();
            for value in
                values.iter().filter(|value| value.as_str().is_some_and(|text| text.eq_ignore_ascii_case(name)))
            {
                let edit = match values.len() {
                    // An empty list says nothing: its key goes with it.
                    1 => plist_plan::remove_entry(plist.list, entry),
                    _ => plist_plan::remove_value(plist.list, value),
                };
                add(plist.at(value.span), vec![edit]);
            }
        }
        Kind::UrlScheme => {
            let Some(entry) = plist.list.entry("CFBundleURLTypes") else { return };
            for one in entry.value.as_array().unwrap_or_default() {
                let fields = one.as_dict().unwrap_or_default();
                let Some(schemes) = fields.iter().find(|field| field.key == "CFBundleURLSchemes") else { continue };
                let all = schemes.value.as_array().unwrap_or_default();
                let Some(scheme) =
                    all.iter().find(|value| value.as_str().is_some_and(|text| text.eq_ignore_ascii_case(name)))
                else {
                    continue;
                };
                let types = entry.value.as_array().map_or(0, <[_]>::len);
                let edit = match (all.len(), types) {
                    (1, 1) => plist_plan::remove_entry(plist.list, entry),
                    (1, _) => plist_plan::remove_value(plist.list, one),
                    _ => plist_plan::remove_value(plist.list, scheme),
                };
                add(plist.at(scheme.span), vec![edit]);
            }
        }
        Kind::Entitlement | Kind::Domain => {
            let Some((file, list)) = context.surface.entitlements() else { return };
            let key = if kind == Kind::Domain { "com.apple.developer.associated-domains" } else { name };
            let Some(entry) = list.entry(key) else { return };
            if kind == Kind::Entitlement {
                return add(Place { file, span: entry.key_span }, vec![plist_plan::remove_entry(list, entry)]);
            }
            let domains = entry.value.as_array().unwrap_or_default();
            for domain in domains.iter().filter(|value| value.as_str() == Some(name)) {
                let edit = match domains.len() {
                    1 => plist_plan::remove_entry(list, entry),
                    _ => plist_plan::remove_value(list, domain),
                };
                add(Place { file, span: domain.span }, vec![edit]);
            }
        }
        _ => {}
    }
}

/// Returns what takes out of a filter what was asked for: the filter as a whole where it takes nothing else, else the data
/// that name it; `None` where the filter does not take it.
fn without(element: Element<'_>, asked: &Query) -> Option<Vec<Edit>> {
    let named = |one: Element<'_>, local: &str| one.value(ANDROID, local).map(std::borrow::Cow::into_owned);
    let action = asked.action.as_deref();
    if !element.children_named("action").any(|one| named(one, "name").as_deref() == action) {
        return None;
    }
    let all: Vec<_> = element.children_named("data").collect();
    let has =
        |local: &str, wanted: &Option<String>| wanted.is_none() || all.iter().any(|one| named(*one, local) == *wanted);
    if !has("scheme", &asked.scheme) || !has("host", &asked.host) || !has("mimeType", &asked.mime) {
        return None;
    }
    // What tells one filter from another is the most special thing that was asked for.
    let (local, wanted) = match (&asked.host, &asked.scheme, &asked.mime) {
        (Some(host), _, _) => ("host", host),
        (None, Some(scheme), _) => ("scheme", scheme),
        (None, None, Some(mime)) => ("mimeType", mime),
        (None, None, None) => return Some(vec![plan::remove(element.node())]),
    };
    let speaks = all.iter().filter(|one| named(**one, local).is_some());
    let (mine, others): (Vec<Element<'_>>, Vec<_>) =
        speaks.copied().partition(|one| named(*one, local).as_ref() == Some(wanted));
    if others.is_empty() {
        return Some(vec![plan::remove(element.node())]);
    }
    Some(mine.into_iter().map(|one| plan::remove(one.node())).collect())
}
