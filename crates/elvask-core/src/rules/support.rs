//! What several rules do in the same way.

pub(in crate::rules) mod access;
pub(in crate::rules) mod accounts;
pub(in crate::rules) mod filters;
pub(in crate::rules) mod flags;
pub(in crate::rules) mod forms;
pub(in crate::rules) mod identity;
pub(in crate::rules) mod links;
pub(in crate::rules) mod missing;
pub(in crate::rules) mod shares;

pub(super) use crate::needs::want_purpose;
pub(super) use elvask_needs::plan::manifest::{
    add_permission, manifest_edit, permission_slot, queries_slot, set_android, short,
};
pub(super) use elvask_needs::plan::plist::{add_key, good_purpose, key_lines, rewrite};
pub(super) use elvask_needs::values::{Lack, convert, fits_type, lacks, shown, type_of};

use elvask_markup::Edit;
use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_markup::plist::{Entry, PropertyList, Value};
use elvask_markup::xml::plan::{self, Fragment};
use elvask_needs::reach::Reach;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::EvidenceKind;
use elvask_project::source::FileId;
use elvask_project::surface::{DeclaredPermission, ManifestView, PlistView};

use crate::context::Context;
use crate::finding::Level;
use crate::needs::{Group, Learnt, Requirement};

/// Names the plugins of some requirements: `a needs`, `a and b need`.
pub(super) fn who_needs<'r>(context: &Context<'_>, requirements: impl IntoIterator<Item = &'r Requirement>) -> String {
    who(context, requirements, ["needs", "need"])
}

/// Names the plugins of some requirements with a verb, for one of them and for several.
pub(super) fn who<'r>(
    context: &Context<'_>,
    requirements: impl IntoIterator<Item = &'r Requirement>,
    [does, do_it]: [&str; 2],
) -> String {
    let mut names: Vec<&str> = requirements
        .into_iter()
        .filter_map(|requirement| Some(context.app.plugins.get(requirement.plugin)?.name.as_str()))
        .collect();
    names.dedup();
    match names.split_last() {
        None => String::new(),
        Some((&crate::declare::OWNER, [])) => "you want".to_owned(),
        Some((only, [])) => format!("{only} {does}"),
        Some((last, rest)) => format!("{} and {last} {do_it}", rest.join(", ")),
    }
}

/// Plans a merge marker that takes a permission out which only the manifest of a plugin declares.
pub(super) fn strip_permission(
    context: &Context<'_>,
    name: &str,
) -> Result<(elvask_project::source::FileId, Vec<Edit>), String> {
    use elvask_project::names::TOOLS;
    let Some(manifest) = &context.manifest else { return Err("the app has no manifest that can be read".to_owned()) };
    if declared(manifest, name).is_some() {
        return Err(format!("{name}: the app declares it itself; `elvask withdraw` removes it"));
    }
    if !context.needs.brought().iter().any(|one| one.name == name) {
        return Err(format!("{name}: no plugin's manifest adds it"));
    }
    let needed = context.needs.of(elvask_platform::Kind::Permission, name);
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

/// Says whether anybody states a need outright or is seen to use what has it; what notes alone ask for may be unwanted.
pub(super) fn is_use_seen(requirements: &[&Requirement]) -> bool {
    requirements.iter().any(|one| one.sheet_place().is_some() || one.reached.reach == Reach::Used)
}

/// Says whether code alone shows a need, in a package that the app is not seen to use.
pub(super) fn is_shown_by_code_alone(requirements: &[&Requirement]) -> bool {
    let stated = |one: &Requirement| {
        one.learnt.iter().any(|learnt| match learnt {
            Learnt::Sheet(_) => true,
            Learnt::Found(citation) => !matches!(citation.kind, EvidenceKind::Source),
        })
    };
    let sure = |one: &&&Requirement| one.level() > Level::Note;
    !requirements.iter().filter(sure).any(|one| stated(one) || one.reached.reach == Reach::Used)
}

/// Says for which variants something holds, where it does not hold for all that are judged: ` in freeRelease`.
pub(super) fn only_in(context: &Context<'_>, variants: &[String]) -> String {
    if variants.len() == context.variants.len() { String::new() } else { format!(" in {}", variants.join(", ")) }
}

/// Returns what an attribute with a truth value says, a reference to a resource that is the same for all devices resolved; `None` where
/// that is not known.
pub(super) fn flag(context: &Context<'_>, value: &str) -> Option<bool> {
    let Some(name) = value.strip_prefix('@') else { return value.parse().ok() };
    let flags = context.app.android.iter().flat_map(|android| &android.resources.flags);
    let mut flags = flags.filter(|(known, _)| known == name);
    flags.next().map(|(_, value)| *value)
}

/// Returns the declared permission of a name.
pub(super) fn declared<'v, 'd>(manifest: &'v ManifestView<'d>, name: &str) -> Option<&'v DeclaredPermission<'d>> {
    manifest.permissions.iter().find(|permission| permission.name == name)
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

/// Returns what puts an entry of an array right: it is corrected, or taken out where another entry says the same already or is
/// corrected to it. `meant` tells what an entry means.
pub(super) fn correct_entry(
    place: (FileId, &PropertyList),
    entries: &[Value],
    entry: &Value,
    right: &str,
    meant: impl Fn(&str) -> Option<String>,
) -> Remedy {
    let (file, list) = place;
    let others = || entries.iter().filter(|other| other.span != entry.span);
    let same = others().any(|other| other.as_str() == Some(right));
    let before = others().filter(|other| other.span.start < entry.span.start);
    let corrected = before.filter_map(Value::as_str).any(|other| meant(other).as_deref() == Some(right));
    if same || corrected {
        let title = format!("remove it: {right} is there already");
        return Remedy::edit(title, file, vec![plist_plan::remove_value(list, entry)]);
    }
    let edit = plist_plan::replace(list, entry, &NewValue::String(right.to_owned()));
    Remedy::edit(format!("write {right}"), file, vec![edit])
}

/// Says whether what plugins need of a thing is told at least as badly as another finding about it would be, so that the other one
/// adds nothing. A weaker one hides none.
pub(super) fn is_told_as_badly<'r>(requirements: impl IntoIterator<Item = &'r Requirement>, level: Level) -> bool {
    requirements.into_iter().any(|one| one.level() >= level)
}

/// Turns the faults of one kind into findings.
pub(super) fn report_faults(
    context: &Context<'_>,
    kind: elvask_project::loading::FaultKind,
    about: &'static super::About,
    steps: &str,
    out: &mut Vec<crate::finding::Finding>,
) {
    let faults = context.app.faults.iter().chain(&context.surface.faults);
    for fault in faults.filter(|fault| fault.kind == kind) {
        let mut finding = crate::finding::Finding::new(about, fault.file.clone(), fault.place, fault.message.clone())
            .mend(elvask_needs::remedy::Remedy::Manual(steps.to_owned()));
        finding.related = fault.related.clone();
        out.push(finding);
    }
}
