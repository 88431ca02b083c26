//! Planning edits of property lists, entitlements and build settings.

use elvask_markup::Edit;
use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_markup::plist::{Entry, Value};
use elvask_platform::ios;
use elvask_project::names::ASSOCIATED_DOMAINS;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::surface::PlistView;

use crate::remedy::{Remedy, Want};
use crate::template::is_unfilled_purpose;
use crate::values::shown;

/// Returns what adds an entry to the root dictionary: in the order of the keys where most of them are sorted, else behind
/// the last one of its family, else at the end.
pub fn add_key(
    scene: &Scene<'_>,
    title: impl Into<String>,
    plist: PlistView<'_>,
    key: &str,
    value: &NewValue,
) -> Remedy {
    if plist.generated {
        return add_generated(scene, title.into(), key, value);
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
    Remedy::edit(title, plist.file, edits)
}

/// Returns where a value of a list at the root goes, and what adds it: to the list, or with the list where there is none.
pub(crate) fn add_to_list(
    scene: &Scene<'_>,
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
        None => (plist.root_tag(), add_key(scene, title, plist, key, &NewValue::Array(vec![value]))),
    }
}

/// Returns what puts another value in the place of one: in the list, or in the setting that it is made from, for every
/// configuration.
pub fn rewrite(
    scene: &Scene<'_>,
    plist: PlistView<'_>,
    title: impl Into<String>,
    value: &Value,
    new: &NewValue,
) -> Remedy {
    let Some(made) = plist.made_from(value) else {
        let edit = plist_plan::replace(plist.list, value, new);
        return Remedy::edit(title, plist.file, vec![edit]);
    };
    set_setting(scene, title.into(), &made.setting, new)
        .unwrap_or_else(|| Remedy::Manual(format!("Set the build setting {} to {}.", made.setting, shown(new))))
}

/// Returns what sets a build setting of the app target in every configuration; `None` where that cannot be written.
pub(crate) fn set_setting(scene: &Scene<'_>, title: String, setting: &str, value: &NewValue) -> Option<Remedy> {
    let (project, target) = scene.surface.target()?;
    let text = match value {
        NewValue::String(text) => text.clone(),
        NewValue::Bool(value) => if *value { "YES" } else { "NO" }.to_owned(),
        _ => return None,
    };
    let source = &scene.sources.file(project.file).text;
    let edits = elvask_project::xcode::set_build_setting(project, source, target, setting, &text);
    (!edits.is_empty()).then(|| Remedy::edit(title, project.file, edits).making("a build setting"))
}

/// Returns what makes the build add a key to a list that it makes whole.
fn add_generated(scene: &Scene<'_>, title: String, key: &str, value: &NewValue) -> Remedy {
    let setting = ios::setting_for_key(key);
    let set = setting.as_ref().and_then(|setting| set_setting(scene, title, setting, value));
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
pub(crate) fn declare_entitlement(
    scene: &Scene<'_>,
    key: &str,
    value: Option<Result<NewValue, Vec<Want>>>,
) -> Option<(Place, Remedy)> {
    let ios = scene.app.ios.as_ref()?;
    let known = ios::entitlement(key);
    let value = match value {
        Some(Ok(value)) => Some(value),
        Some(Err(wants)) => {
            let place = scene.plist?.root_tag();
            let lines = format!("<key>{key}</key>: …");
            return Some((place, Remedy::Answer { wants, lines }));
        }
        None => known.filter(|known| known.value_type == "bool").map(|_| NewValue::Bool(true)),
    };
    if let Some((file, list)) = scene.surface.entitlements() {
        let place = Place { file, span: plist_plan::start_tag(list, list.root()) };
        return Some(match value {
            Some(value) => {
                let last = list.entries().last();
                let edits = plist_plan::insert_entry(list, list.root(), last, key, &value);
                (place, Remedy::edit(format!("add {key}"), file, edits))
            }
            None => (place, Remedy::Manual(give_value(key, "writes it"))),
        });
    }
    let Some((project, target)) = scene.surface.target() else {
        // Without a project that can be read, it is not known which file signs the app.
        let steps =
            format!("Add the capability to the app target in Xcode, which makes its entitlements, and {key} in them.");
        return Some((scene.plist?.root_tag(), Remedy::Manual(steps)));
    };
    let top = Place { file: project.file, span: elvask_markup::Span::at(0) };
    let file = match (ios.entitlements_to_make, &value) {
        (Some(file), Some(_)) => file,
        (Some(_), None) if known.is_some() => {
            let done = "makes the file of entitlements and names it in every configuration";
            return Some((top, Remedy::Manual(give_value(key, done))));
        }
        _ => {
            let steps = format!(
                "Add the capability to the target {} in Xcode, which makes its entitlements, and {key} in them.",
                target.name
            );
            return Some((top, Remedy::Manual(steps)));
        }
    };
    let path = elvask_project::files::shown(&scene.sources.file(file).path, &project.folder);
    let text = &scene.sources.file(project.file).text;
    let wiring = elvask_project::xcode::wire_entitlements(project, text, target, &path);
    let title = format!("make {path} and name it in every configuration of {}", target.name);
    let edits = vec![(file, vec![Edit::insert(0, NO_ENTITLEMENTS.to_owned())]), (project.file, wiring)];
    Some((top, Remedy::Edit { title, edits, makes: Some("the entitlements file".to_owned()) }))
}

/// Returns the step for an entitlement of which only the owner knows the value. One that no table has is not one to declare.
fn give_value(key: &str, done: &str) -> String {
    let Some(known) = ios::entitlement(key) else {
        return format!("Add {key} to the file of entitlements, with its value, if the app needs it.");
    };
    let choices = known.values().collect::<Vec<_>>().join(", ");
    let from = match choices.as_str() {
        "" => "which only you know".to_owned(),
        choices => format!("of these: {choices}"),
    };
    let form = if known.value_type == "array" { "[\"…\"]" } else { "\"…\"" };
    format!("Give its value, {from}: `elvask declare {key} --value '{form}'` {done}.")
}

/// Says whether nearly all keys stand in the order of the alphabet: one in ten may not.
fn is_mostly_sorted(entries: &[Entry]) -> bool {
    let pairs =
        entries.windows(2).filter_map(|pair| Some((pair.first()?.key.to_lowercase(), pair.last()?.key.to_lowercase())));
    let wrong = pairs.filter(|(one, other)| one > other).count();
    entries.len() > 2 && wrong * 10 <= entries.len()
}

/// Returns the two lines of an entry with a text, as they will be written.
pub fn key_lines(key: &str, value: &str) -> String {
    format!("<key>{key}</key>\n<string>{value}</string>")
}

/// Returns where an associated domain goes and what adds it: to the list, or with the entitlement, its file and its wiring.
pub fn add_domain(scene: &Scene<'_>, domain: &str) -> Option<(Place, Remedy)> {
    let value = NewValue::String(domain.to_owned());
    let entry =
        scene.surface.entitlements().and_then(|(file, list)| Some((file, list, list.entry(ASSOCIATED_DOMAINS)?)));
    match entry {
        Some((file, list, entry)) => {
            let edits = plist_plan::append(list, &entry.value, &[value]);
            let place = Place { file, span: plist_plan::start_tag(list, &entry.value) };
            Some((place, Remedy::edit(format!("add {domain}"), file, edits)))
        }
        None => declare_entitlement(scene, ASSOCIATED_DOMAINS, Some(Ok(NewValue::Array(vec![value])))),
    }
}

/// Returns where a scheme goes on iOS and what adds it: a URL type with the bundle id as its name.
pub fn add_url_scheme(scene: &Scene<'_>, scheme: &str) -> Option<(Place, Remedy)> {
    let plist = scene.plist?;
    let text = |text: &str| NewValue::String(text.to_owned());
    let id = scene.app.ios.as_ref().and_then(|ios| ios.id.value.clone());
    let mut fields = vec![("CFBundleTypeRole".to_owned(), text("Editor"))];
    fields.extend(id.map(|id| ("CFBundleURLName".to_owned(), NewValue::String(id))));
    fields.push(("CFBundleURLSchemes".to_owned(), NewValue::Array(vec![text(scheme)])));
    let title = format!("add the scheme {scheme}");
    Some(add_to_list(scene, title, plist, "CFBundleURLTypes", NewValue::Dict(fields)))
}

/// Returns an entry that holds a usable purpose.
pub fn good_purpose<'d>(plist: PlistView<'d>, key: &str) -> Option<(&'d Entry, &'d str)> {
    let entry = plist.entry(key)?;
    let text = entry.value.as_str()?;
    // A variable that the build puts in is as good as its value; one that is not known is not held against anybody.
    let filled = match plist.resolved(text) {
        Some(resolved) => !is_unfilled_purpose(&resolved),
        None => true,
    };
    filled.then_some((entry, text))
}

/// Returns what adds words to a build setting of the app target in every configuration: what is there is kept as it is written,
/// and what was inherited still is. `None` where that cannot be written.
pub(crate) fn extend_setting(scene: &Scene<'_>, title: String, setting: &str, words: &[&str]) -> Option<Remedy> {
    let (project, target) = scene.surface.target()?;
    let source = &scene.sources.file(project.file).text;
    let edits = elvask_project::xcode::extend_build_setting(project, source, target, setting, words);
    (!edits.is_empty()).then(|| Remedy::edit(title, project.file, edits).making("a build setting"))
}

/// Returns what takes a build setting out of every configuration of the app target.
pub(crate) fn without_setting(scene: &Scene<'_>, setting: &str) -> Vec<Edit> {
    let Some((project, target)) = scene.surface.target() else { return Vec::new() };
    let source = &scene.sources.file(project.file).text;
    elvask_project::xcode::remove_build_setting(project, source, target, setting)
}
