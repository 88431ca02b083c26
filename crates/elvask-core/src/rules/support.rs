//! What several rules do in the same way.

pub(in crate::rules) mod filters;
pub(in crate::rules) mod links;
pub(in crate::rules) mod shares;
mod values;

pub(super) use values::{Lack, convert, fits_type, lacks, shown, type_of};

use elvask_markup::Edit;
use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_markup::plist::{Entry, Value};
use elvask_markup::xml::Element;
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_platform::ios;

use crate::check::Context;
use crate::finding::{Level, Remedy, Want};
use crate::needs::Group;
use crate::reach::Reach;
use crate::requirement::{EvidenceKind, Learnt, Owner, Query, Requirement};
use crate::source::Place;
use crate::surface::{DeclaredPermission, Effective, ManifestView, PlistView};

/// Returns a permission without the platform's prefix, as people say it.
pub(super) fn short(name: &str) -> &str {
    name.strip_prefix(elvask_platform::android::PERMISSION_PREFIX).unwrap_or(name)
}

/// Names the plugins of some requirements: `a needs`, `a and b need`.
pub(super) fn who_needs<'r>(context: &Context<'_>, requirements: impl IntoIterator<Item = &'r Requirement>) -> String {
    let mut names: Vec<&str> = requirements
        .into_iter()
        .filter_map(|requirement| Some(context.app.plugins.get(requirement.plugin)?.name.as_str()))
        .collect();
    names.dedup();
    match names.split_last() {
        None => String::new(),
        Some((&crate::declare::OWNER, [])) => "you want".to_owned(),
        Some((only, [])) => format!("{only} needs"),
        Some((last, rest)) => format!("{} and {last} need", rest.join(", ")),
    }
}

/// Makes a remedy of edits to the manifest. A manifest that has not bound the platform's prefix gets it bound first: what
/// is written would not be read otherwise.
pub(super) fn manifest_edit(title: impl Into<String>, manifest: &ManifestView<'_>, mut edits: Vec<Edit>) -> Remedy {
    if manifest.root.prefix_of(crate::surface::ANDROID).is_some() {
        return Remedy::edit(title, manifest.file, edits);
    }
    let name = format!("xmlns:{}", manifest.prefix());
    edits.push(plan::set_attribute(manifest.root, &name, crate::surface::ANDROID));
    Remedy::edit(title, manifest.file, edits).making(&name)
}

/// Plans a new permission: behind the last one, or at the top of the manifest.
pub(super) fn add_permission(manifest: &ManifestView<'_>, name: &str, max_level: Option<u32>) -> Vec<Edit> {
    let prefix = manifest.prefix();
    let mut fragment = Fragment::new("uses-permission").with(format!("{prefix}:name"), name);
    if let Some(level) = max_level {
        fragment = fragment.with(format!("{prefix}:maxSdkVersion"), level.to_string());
    }
    plan::insert(manifest.root, permission_slot(manifest), &[fragment])
}

/// Plans a merge marker that takes a permission out which only the manifest of a plugin declares.
pub(super) fn strip_permission(
    context: &Context<'_>,
    name: &str,
) -> Result<(crate::source::FileId, Vec<Edit>), String> {
    use crate::surface::TOOLS;
    let Some(manifest) = &context.manifest else { return Err("the app has no manifest that can be read".to_owned()) };
    if declared(manifest, name).is_some() {
        return Err(format!("{name}: the app declares it itself; `elvask withdraw` takes it out"));
    }
    if !context.needs.brought().iter().any(|one| one.name == name) {
        return Err(format!("{name}: no plugin's manifest brings it in"));
    }
    let needed = context.needs.of(crate::requirement::Kind::Permission, name);
    if !needed.is_empty() {
        return Err(format!("{name}: {} it", who_needs(context, needed)));
    }
    let tools = manifest.root.prefix_of(TOOLS).unwrap_or("tools");
    let fragment = Fragment::new("uses-permission")
        .with(format!("{}:name", manifest.prefix()), name)
        .with(format!("{tools}:node"), "remove");
    let mut edits = plan::insert(manifest.root, permission_slot(manifest), &[fragment]);
    if manifest.root.prefix_of(TOOLS).is_none() {
        edits.push(plan::set_attribute(manifest.root, "xmlns:tools", TOOLS));
    }
    Ok((manifest.file, edits))
}

/// Returns where a permission goes among the children of the manifest.
pub(super) fn permission_slot<'d>(manifest: &ManifestView<'d>) -> Slot<'d> {
    let permissions = || manifest.root.children().filter(|child| child.name().starts_with("uses-permission"));
    // Those above the application are the ones that people look at; a stray one below it is no place for more.
    let above = manifest.application.map_or(usize::MAX, |application| application.span().start);
    let last = permissions().filter(|child| child.span().start < above).last().or_else(|| permissions().last());
    last.map_or(Slot::First, |last| Slot::After(last.node()))
}

/// Plans a new entry of `<queries>`, with that element around it where there is none.
pub(super) fn add_query(manifest: &ManifestView<'_>, query: &Query) -> Vec<Edit> {
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
pub(super) fn queries_slot<'d>(manifest: &ManifestView<'d>) -> Slot<'d> {
    manifest.application.map_or(Slot::Last, |application| Slot::After(application.node()))
}

/// Returns the intent filter that takes what is wanted.
pub(super) fn filter_fragment(prefix: &str, filter: &Query) -> Fragment {
    let named = |element: &str, value: &str| Fragment::new(element).with(format!("{prefix}:name"), value);
    let mut parts = vec![named("action", filter.action.as_deref().unwrap_or_default())];
    parts.extend(filter.categories.iter().map(|category| named("category", category)));
    let data = data_fragment(prefix, filter);
    if !data.attributes.is_empty() {
        parts.push(data);
    }
    let web = matches!(filter.scheme.as_deref(), Some("http" | "https"));
    let out = Fragment::new("intent-filter");
    // Only verified links open the app without a question from level 31 on.
    let out = if web { out.with(format!("{prefix}:autoVerify"), "true") } else { out };
    out.holding(parts)
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

/// Says whether a component of the effective manifest has a filter that takes all that is wanted.
pub(super) fn has_filter(variant: &Effective<'_>, owner: &Owner, wanted: &Query) -> bool {
    let Some(component) = variant.owner(owner) else { return false };
    // A filter of another activity serves as well where the launcher is merely the usual place.
    let components: Vec<_> = match owner {
        Owner::Launcher => variant.components().filter(|one| one.name.starts_with("activity")).collect(),
        _ => vec![component],
    };
    components.iter().flat_map(|component| variant.merged.children(component)).any(|filter| {
        let children = || variant.merged.children(filter);
        let named =
            |kind: &str, name: &str| children().any(|child| child.name == kind && child.value("name") == Some(name));
        let data = |local: &str| {
            children().filter(|child| child.name == "data").filter_map(|child| child.value(local)).collect::<Vec<_>>()
        };
        let has =
            |local: &str, wanted: &Option<String>| wanted.as_deref().is_none_or(|wanted| data(local).contains(&wanted));
        let mime = wanted.mime.as_deref().is_none_or(|wanted| {
            data("mimeType").iter().any(|declared| {
                *declared == wanted
                    || *declared == "*/*"
                    || declared.strip_suffix("/*").is_some_and(|family| wanted.split('/').next() == Some(family))
            })
        });
        let paths = ["path", "pathPrefix", "pathPattern", "pathSuffix", "pathAdvancedPattern"];
        let takes_any_path = wanted.host.is_some() && paths.iter().all(|local| data(local).is_empty());
        filter.name == "intent-filter"
            && wanted.action.as_deref().is_none_or(|action| named("action", action))
            && wanted.categories.iter().all(|category| named("category", category))
            && has("scheme", &wanted.scheme)
            && has("host", &wanted.host)
            && has("port", &wanted.port)
            && (takes_any_path || has("path", &wanted.path))
            && (takes_any_path || has("pathPrefix", &wanted.path_prefix))
            && (takes_any_path || has("pathPattern", &wanted.path_pattern))
            && mime
    })
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
pub(super) fn set_android(manifest: &ManifestView<'_>, element: Element<'_>, local: &str, value: &str) -> Edit {
    let prefix = element.prefix_of(crate::surface::ANDROID).unwrap_or(manifest.prefix());
    plan::set_attribute(element, &format!("{prefix}:{local}"), value)
}

/// Says whether anybody states a need outright or is seen to use what has it; what notes alone ask for may be unwanted.
pub(super) fn is_use_seen(requirements: &[Requirement]) -> bool {
    requirements.iter().any(|one| one.sheet_place().is_some() || one.reached.reach == Reach::Used)
}

/// Says whether code alone shows a need, in a package that the app is not seen to use.
pub(super) fn is_shown_by_code_alone(requirements: &[Requirement]) -> bool {
    let stated = |one: &Requirement| {
        one.learnt.iter().any(|learnt| match learnt {
            Learnt::Sheet(_) => true,
            Learnt::Found(citation) => !matches!(citation.kind, EvidenceKind::Source),
        })
    };
    let sure = |one: &&Requirement| one.level() > Level::Note;
    !requirements.iter().filter(sure).any(|one| stated(one) || one.reached.reach == Reach::Used)
}

/// Says for which variants something holds, where it does not hold for all that are judged: ` in freeRelease`.
pub(super) fn only_in(context: &Context<'_>, variants: &[String]) -> String {
    if variants.len() == context.variants.len() { String::new() } else { format!(" in {}", variants.join(", ")) }
}

/// Returns the declared permission of a name.
pub(super) fn declared<'v, 'd>(manifest: &'v ManifestView<'d>, name: &str) -> Option<&'v DeclaredPermission<'d>> {
    manifest.permissions.iter().find(|permission| permission.name == name)
}

/// Returns what adds an entry to the root dictionary: in the order of the keys where most of them are sorted, else behind
/// the last one of its family, else at the end.
pub(super) fn add_key(
    context: &Context<'_>,
    title: impl Into<String>,
    plist: PlistView<'_>,
    key: &str,
    value: &NewValue,
) -> Remedy {
    if plist.generated {
        return add_generated(context, title.into(), key, value);
    }
    let entries = plist.list.entries();
    let first = |entry: &Entry| plist.entry(&entry.key).is_some_and(|first| first.key_span == entry.key_span);
    let before = if is_mostly_sorted(entries) {
        let smaller = entries.iter().filter(|entry| first(entry) && entry.key.to_lowercase() < key.to_lowercase());
        smaller.max_by_key(|entry| entry.key.to_lowercase())
    } else if ios::usage_key(key).is_some() {
        plist.purposes().filter(|entry| first(entry)).last()
    } else {
        entries.last()
    };
    let edits = plist_plan::insert_entry(plist.list, plist.list.root(), before, key, value);
    // Two keys behind the same neighbour are put in one after the other, so that they come to stand in order.
    let place = before.map_or("", |entry| entry.key.as_str());
    Remedy::edit(title, plist.file, edits).making(&format!("entry behind {place}"))
}

/// Returns where a value of a list at the root goes, and what adds it: to the list, or with the list where there is none.
pub(super) fn add_to_list(
    context: &Context<'_>,
    title: String,
    plist: PlistView<'_>,
    key: &str,
    value: NewValue,
) -> (Place, Remedy) {
    match plist.entry(key) {
        Some(entry) => (
            plist.at(plist_plan::start_tag(plist.list, &entry.value)),
            Remedy::edit(title, plist.file, plist_plan::append(plist.list, &entry.value, &[value])),
        ),
        None => (plist.root_tag(), add_key(context, title, plist, key, &NewValue::Array(vec![value]))),
    }
}

/// Returns what puts another value in the place of one: in the list, or in the setting that it is made from, for every
/// configuration.
pub(super) fn rewrite(
    context: &Context<'_>,
    plist: PlistView<'_>,
    title: impl Into<String>,
    value: &Value,
    new: &NewValue,
) -> Remedy {
    let Some(made) = plist.made_from(value) else {
        let edit = plist_plan::replace(plist.list, value, new);
        return Remedy::edit(title, plist.file, vec![edit]);
    };
    set_setting(context, title.into(), &made.setting, new)
        .unwrap_or_else(|| Remedy::Manual(format!("Set the build setting {} to {}.", made.setting, shown(new))))
}

/// Returns what sets a build setting of the app target in every configuration; `None` where that cannot be written.
pub(super) fn set_setting(context: &Context<'_>, title: String, setting: &str, value: &NewValue) -> Option<Remedy> {
    let (project, target) = context.surface.target()?;
    let text = match value {
        NewValue::String(text) => text.clone(),
        NewValue::Bool(value) => if *value { "YES" } else { "NO" }.to_owned(),
        _ => return None,
    };
    let source = &context.sources.file(project.file).text;
    let edits = crate::xcode::set_build_setting(project, source, target, setting, &text);
    (!edits.is_empty()).then(|| Remedy::edit(title, project.file, edits).making("a build setting"))
}

/// Returns what makes the build add a key to a list that it makes whole.
fn add_generated(context: &Context<'_>, title: String, key: &str, value: &NewValue) -> Remedy {
    let setting = ios::setting_for_key(key);
    let set = setting.as_ref().and_then(|setting| set_setting(context, title, setting, value));
    set.unwrap_or_else(|| {
        Remedy::Manual(format!(
            "The build makes the whole Info.plist, and no build setting makes {key}. Add an Info.plist to the target with {key} = {} in it, and name it in the build setting INFOPLIST_FILE.",
            shown(value)
        ))
    })
}

/// What the file of entitlements holds when it is made.
const NO_ENTITLEMENTS: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!DOCTYPE plist PUBLIC \"-//Apple//DTD PLIST 1.0//EN\" \"http://www.apple.com/DTDs/PropertyList-1.0.dtd\">\n<plist version=\"1.0\">\n<dict>\n</dict>\n</plist>\n";

/// Returns where an entitlement goes and what declares it: an entry of the target's file, which is made and named in every
/// configuration where there is none. `value` is `None` where nobody says which value is meant.
pub(super) fn declare_entitlement(
    context: &Context<'_>,
    key: &str,
    value: Option<Result<NewValue, Vec<Want>>>,
) -> Option<(Place, Remedy)> {
    let ios = context.app.ios.as_ref()?;
    let known = ios::entitlement(key);
    let value = match value {
        Some(Ok(value)) => Some(value),
        Some(Err(wants)) => {
            let place = context.plist?.root_tag();
            let lines = format!("<key>{key}</key>: …");
            return Some((place, Remedy::Answer { wants, lines }));
        }
        None => known.filter(|known| known.value_type == "bool").map(|_| NewValue::Bool(true)),
    };
    if let Some((file, list)) = context.surface.entitlements() {
        let place = Place { file, span: plist_plan::start_tag(list, list.root()) };
        return Some(match value {
            Some(value) => {
                let last = list.entries().last();
                let edits = plist_plan::insert_entry(list, list.root(), last, key, &value);
                (place, Remedy::edit(format!("add {key}"), file, edits).making("an entitlement"))
            }
            None => {
                (place, Remedy::Manual(format!("Add {key} with the values that your developer account has for it.")))
            }
        });
    }
    let Some((project, target)) = context.surface.target() else {
        // Without a project that can be read, it is not known which file signs the app.
        let steps =
            format!("Add the capability to the app target in Xcode, which makes its entitlements, and {key} in them.");
        return Some((context.plist?.root_tag(), Remedy::Manual(steps)));
    };
    let top = Place { file: project.file, span: elvask_markup::Span::at(0) };
    let Some(file) = ios.entitlements_to_make.filter(|_| value.is_some()) else {
        let steps = format!(
            "Add the capability to the target {} in Xcode, which makes its entitlements, and {key} in them.",
            target.name
        );
        return Some((top, Remedy::Manual(steps)));
    };
    let path = crate::files::shown(&context.sources.file(file).path, &project.folder);
    let text = &context.sources.file(project.file).text;
    let wiring = crate::xcode::wire_entitlements(project, text, target, &path);
    let title = format!("make {path} and name it in every configuration of {}", target.name);
    let edits = vec![(file, vec![Edit::insert(0, NO_ENTITLEMENTS.to_owned())]), (project.file, wiring)];
    Some((top, Remedy::Edit { title, edits, makes: Some("the entitlements file".to_owned()) }))
}

/// Says whether nearly all keys stand in the order of the alphabet: one in ten may not.
fn is_mostly_sorted(entries: &[Entry]) -> bool {
    let pairs =
        entries.windows(2).filter_map(|pair| Some((pair.first()?.key.to_lowercase(), pair.last()?.key.to_lowercase())));
    let wrong = pairs.filter(|(one, other)| one > other).count();
    entries.len() > 2 && wrong * 10 <= entries.len()
}

/// Returns the two lines of an entry with a text, as they will be written.
pub(super) fn key_lines(key: &str, value: &str) -> String {
    format!("<key>{key}</key>\n<string>{value}</string>")
}

/// Returns the want for the purpose of a key.
pub(super) fn want_purpose(key: &str, group: Option<&Group<'_>>) -> Want {
    let mut capabilities = group.map(Group::capabilities).unwrap_or_default();
    // The capability whose purpose it mainly is comes first: the one that has the fewest purposes.
    capabilities.sort_by_key(|name| {
        elvask_platform::capability::capability(name)
            .map_or(usize::MAX, |capability| capability.needs().filter(|need| need.kind == "usage").count())
    });
    Want::Purpose { key: key.to_owned(), capabilities }
}

/// Returns what puts the owner's words under a key that holds a purpose, or the question for them.
pub(super) fn word_purpose(
    context: &Context<'_>,
    plist: PlistView<'_>,
    entry: &Entry,
    group: Option<&Group<'_>>,
) -> Remedy {
    match context.purpose(&entry.key) {
        Some(purpose) => {
            let title = format!("write the purpose of {}", entry.key);
            rewrite(context, plist, title, &entry.value, &NewValue::String(purpose.text))
        }
        None => Remedy::Answer { wants: vec![want_purpose(&entry.key, group)], lines: key_lines(&entry.key, "…") },
    }
}

/// Says whether a text is one that nobody has filled in yet.
pub(super) fn is_unfilled_purpose(text: &str) -> bool {
    text.trim().is_empty()
        || elvask_platform::wording::placeholder_in(text, elvask_platform::wording::ValueUse::Purpose).is_some()
}

/// Returns an entry that holds a usable purpose.
pub(super) fn good_purpose<'d>(plist: PlistView<'d>, key: &str) -> Option<(&'d Entry, &'d str)> {
    let entry = plist.entry(key)?;
    let text = entry.value.as_str()?;
    // A variable that the build puts in is as good as its value; one that is not known is not held against anybody.
    let filled = match plist.resolved(text) {
        Some(resolved) => !is_unfilled_purpose(&resolved),
        None => true,
    };
    filled.then_some((entry, text))
}

/// A setting of a platform that makes an app less safe, when a sheet asks for it.
pub(super) fn loosens(name: &str, value: &str) -> Option<&'static str> {
    match (name, value) {
        ("usesCleartextTraffic", "true") => Some("lets the app talk to servers without encryption"),
        ("debuggable", "true") => Some("lets anybody with the device look into the running app; the store refuses it"),
        ("networkSecurityConfig", _) => Some("replaces the rules by which the app trusts servers"),
        ("NSAppTransportSecurity", _) => Some("changes the rules by which the app trusts servers"),
        ("UIFileSharingEnabled", "true") => Some("lets anybody with the device read the app's documents"),
        _ => None,
    }
}

/// Turns the faults of one kind into findings.
pub(super) fn report_faults(
    context: &Context<'_>,
    kind: crate::app::FaultKind,
    about: &'static super::About,
    steps: &str,
    out: &mut Vec<crate::finding::Finding>,
) {
    let faults = context.app.faults.iter().chain(&context.surface.faults);
    for fault in faults.filter(|fault| fault.kind == kind) {
        let mut finding = crate::finding::Finding::new(about, fault.file.clone(), fault.place, fault.message.clone())
            .mend(crate::finding::Remedy::Manual(steps.to_owned()));
        finding.related = fault.related.clone();
        out.push(finding);
    }
}
