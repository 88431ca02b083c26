//! Planning edits of manifests.

use elvask_markup::Edit;
use elvask_markup::xml::Element;
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_project::intent::{Owner, Part, Query};
use elvask_project::names::ANDROID;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::surface::ManifestView;

use crate::remedy::Remedy;

/// Returns a permission without the platform's prefix, as people say it.
pub fn short(name: &str) -> &str {
    name.strip_prefix(elvask_platform::android::PERMISSION_PREFIX).unwrap_or(name)
}

/// Makes a remedy of edits to the manifest. A manifest that has not bound the platform's prefix gets it bound first: what
/// is written would not be read otherwise.
pub fn manifest_edit(title: impl Into<String>, manifest: &ManifestView<'_>, mut edits: Vec<Edit>) -> Remedy {
    if manifest.root.prefix_of(elvask_project::names::ANDROID).is_some() {
        return Remedy::edit(title, manifest.file, edits);
    }
    let name = format!("xmlns:{}", manifest.prefix());
    edits.push(plan::set_attribute(manifest.root, &name, elvask_project::names::ANDROID));
    Remedy::edit(title, manifest.file, edits).making(&name)
}

/// Plans a new permission: behind the last one, or at the top of the manifest.
pub fn add_permission(manifest: &ManifestView<'_>, name: &str, max_level: Option<u32>) -> Vec<Edit> {
    let prefix = manifest.prefix();
    let mut fragment = Fragment::new("uses-permission").with(format!("{prefix}:name"), name);
    if let Some(level) = max_level {
        fragment = fragment.with(format!("{prefix}:maxSdkVersion"), level.to_string());
    }
    plan::insert(manifest.root, permission_slot(manifest), &[fragment])
}

/// Returns where a permission goes among the children of the manifest.
pub fn permission_slot<'d>(manifest: &ManifestView<'d>) -> Slot<'d> {
    let permissions = || manifest.root.children().filter(|child| child.name().starts_with("uses-permission"));
    // Those above the application are the ones that people look at; a stray one below it is not a place for more.
    let above = manifest.application.map_or(usize::MAX, |application| application.span().start);
    let last = permissions().rfind(|child| child.span().start < above).or_else(|| permissions().next_back());
    last.map_or(Slot::First, |last| Slot::After(last.node()))
}

/// Plans a new entry of `<queries>`, with that element around it where there is none.
pub(crate) fn add_query(manifest: &ManifestView<'_>, query: &Query) -> Vec<Edit> {
    let entry = query_fragment(manifest.prefix(), query);
    match manifest.queries_element {
        Some(queries) => plan::insert(queries, Slot::Last, &[entry]),
        None => {
            let block = Fragment::new("queries").holding(vec![entry]);
            plan::insert(manifest.root, queries_slot(manifest), &[block])
        }
    }
}

/// Returns where `<queries>` goes among the children of the manifest: behind the application, so that it does not part
/// what stands above.
pub fn queries_slot<'d>(manifest: &ManifestView<'d>) -> Slot<'d> {
    manifest.application.map_or(Slot::Last, |application| Slot::After(application.node()))
}

/// Returns the intent filter that takes what is wanted.
pub(crate) fn filter_fragment(prefix: &str, filter: &Query) -> Fragment {
    let named = |element: &str, value: &str| Fragment::new(element).with(format!("{prefix}:name"), value);
    let mut parts: Vec<Fragment> = filter.all(Part::Action).into_iter().map(|action| named("action", action)).collect();
    parts.extend(filter.categories.iter().map(|category| named("category", category)));
    parts.extend(filter_data(prefix, filter));
    let schemes = filter.all(Part::Scheme);
    let web = !schemes.is_empty()
        && schemes.iter().all(|scheme| matches!(*scheme, "http" | "https"))
        && !filter.all(Part::Host).is_empty();
    let out = Fragment::new("intent-filter");
    // Only verified links open the app without a question from level 31 on.
    let out = if web { out.with(format!("{prefix}:autoVerify"), "true") } else { out };
    out.holding(parts)
}

/// Returns the data of a filter: in one element where there is one of each part, else an element for each value of a part that has
/// several. The platform pools them either way.
fn filter_data(prefix: &str, filter: &Query) -> Vec<Fragment> {
    let several: Vec<Part> = Part::ALL.into_iter().filter(|part| filter.all(*part).len() > 1).collect();
    let is_path = |part: &Part| matches!(part, Part::Path | Part::PathPrefix | Part::PathPattern);
    let paths = Part::ALL.iter().filter(|part| is_path(part) && filter.first(**part).is_some()).count();
    let apart = |part: &Part| {
        several.contains(part)
            // A port belongs to its host.
            || *part == Part::Port && several.contains(&Part::Host)
            || is_path(part) && paths > 1
    };
    let attribute = |part: Part| format!("{prefix}:{}", part.attribute());
    let together = Part::ALL.into_iter().filter(|part| *part != Part::Action && !apart(part));
    let mut base = Fragment::new("data");
    for part in together {
        if let Some(value) = filter.first(part) {
            base = base.with(attribute(part), value);
        }
    }
    let mut out: Vec<Fragment> = Some(base).filter(|base| !base.attributes.is_empty()).into_iter().collect();
    let ports = filter.all(Part::Port);
    for part in Part::ALL.into_iter().filter(|part| !matches!(part, Part::Action | Part::Port) && apart(part)) {
        for (at, value) in filter.all(part).into_iter().enumerate() {
            let mut data = Fragment::new("data").with(attribute(part), value);
            if let Some(port) = ports.get(at).or(ports.first()).filter(|_| part == Part::Host) {
                data = data.with(attribute(Part::Port), *port);
            }
            out.push(data);
        }
    }
    out
}

fn data_fragment(prefix: &str, query: &Query) -> Fragment {
    let data = [
        ("scheme", &query.scheme),
        ("host", &query.host),
        ("port", &query.port),
        ("path", &query.path),
        ("pathPrefix", &query.path_prefix),
        ("pathPattern", &query.path_pattern),
        ("mimeType", &query.mime),
    ];
    let mut fragment = Fragment::new("data");
    for (name, value) in data {
        if let Some(value) = value {
            fragment = fragment.with(format!("{prefix}:{name}"), value);
        }
    }
    fragment
}

fn query_fragment(prefix: &str, query: &Query) -> Fragment {
    let named = |element: &str, value: &str| Fragment::new(element).with(format!("{prefix}:name"), value);
    if let Some(package) = &query.package {
        return named("package", package);
    }
    if let Some(authority) = &query.authority {
        return Fragment::new("provider").with(format!("{prefix}:authorities"), authority);
    }
    let mut parts = vec![named("action", query.action.as_deref().unwrap_or_default())];
    parts.extend(query.categories.iter().map(|category| named("category", category)));
    let data = data_fragment(prefix, query);
    if !data.attributes.is_empty() {
        parts.push(data);
    }
    Fragment::new("intent").holding(parts)
}

/// Plans a platform attribute of an element.
pub fn set_android(manifest: &ManifestView<'_>, element: Element<'_>, local: &str, value: &str) -> Edit {
    let prefix = element.prefix_of(elvask_project::names::ANDROID).unwrap_or(manifest.prefix());
    plan::set_attribute(element, &format!("{prefix}:{local}"), value)
}

/// Returns where a filter goes and what adds it to an element of the manifest, which is opened for others where it says nothing of that.
pub fn add_filter(
    scene: &Scene<'_>,
    owner: &Owner,
    title: String,
    filter: impl Fn(&str) -> Fragment,
) -> Option<(Place, Remedy)> {
    let main = scene.manifest.as_deref()?;
    let owning = scene.manifests.iter().find_map(|manifest| Some((manifest, manifest.owner(owner)?)));
    let Some((manifest, element)) = owning else {
        let steps = format!("Declare {} first.", owner.title());
        return Some((main.tag(main.application.unwrap_or(main.root)), Remedy::Manual(steps)));
    };
    let last = element.children_named("intent-filter").next_back();
    let slot = last.map_or(Slot::First, |last| Slot::After(last.node()));
    let mut edits = plan::insert(element, slot, &[filter(manifest.prefix())]);
    // An element that closes itself is opened first, and says in the next round whom it is open to.
    if element.value(ANDROID, "exported").is_none() && element.close().is_some() {
        edits.push(set_android(manifest, element, "exported", "true"));
    }
    Some((manifest.tag(element), manifest_edit(title, manifest, edits)))
}
