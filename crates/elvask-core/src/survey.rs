//! The survey: the table of contents of what an app declares, as its platforms see it.

mod android;
mod ios;
mod variants;

pub use elvask_needs::section::Section;
pub use variants::{Difference, differences};

use std::collections::{BTreeSet, HashMap};

use elvask_markup::plist::ValueKind;
use elvask_needs::generated::Home;
use elvask_needs::kinds;
use elvask_platform::android::Grant;
use elvask_platform::{Kind, Platform};
use elvask_project::loading::Unresolved;
use elvask_project::merge::Merged;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::NeededBy;
use crate::needs::Requirement;

/// One thing that the app declares.
#[derive(Debug, Clone)]
pub struct Declaration {
    /// Where.
    pub platform: Platform,
    /// The heading that it stands under.
    pub section: Section,
    /// The word for its kind.
    pub kind: &'static str,
    /// What identifies it to the platform.
    pub name: String,
    /// Its value, where it has one.
    pub value: Option<String>,
    /// Where it stands.
    pub place: Place,
    /// The source set, plugin or configuration that it comes from; `None` where there is but one.
    pub origin: Option<String>,
    /// Weaker values that it won over, with their places.
    pub overrode: Vec<(String, Place)>,
    /// The variants or configurations that have it, where not all have.
    pub only_in: Vec<String>,
    /// Of purposes and names: the texts in other languages.
    pub translations: Vec<(String, String, Place)>,
    /// The plugins that need it.
    pub needed_by: Vec<NeededBy>,
    /// Of permissions: how the app comes by it.
    pub grant: Option<Grant>,
    /// Of permissions that are asked for: the group under which they are.
    pub group: Option<&'static str>,
    /// Why the platform does not see it, where it does not.
    pub ignored: Option<&'static str>,
    /// What is odd about it, though the platform sees it.
    pub doubt: Option<&'static str>,
}

impl Declaration {
    fn new(platform: Platform, section: Section, kind: &'static str, name: impl Into<String>, place: Place) -> Self {
        Declaration {
            platform,
            section,
            kind,
            name: name.into(),
            value: None,
            place,
            origin: None,
            overrode: Vec::new(),
            only_in: Vec::new(),
            translations: Vec::new(),
            needed_by: Vec::new(),
            grant: None,
            group: None,
            ignored: None,
            doubt: None,
        }
    }
}

/// What an app is and declares.
#[derive(Debug, Clone)]
pub struct Survey {
    /// The declarations in the order of the platform, the section and the file.
    pub declarations: Vec<Declaration>,
    /// The components that the launcher or other apps start.
    pub entry_points: Vec<EntryPoint>,
    /// What cannot be known without running the build: of the app's files, and of the merge.
    pub unresolved: Vec<Unresolved>,
}

impl Survey {
    /// Returns the declarations of one section of a platform.
    #[must_use]
    pub fn of(&self, platform: Platform, section: Section) -> &[Declaration] {
        let wanted = (platform, section);
        let start = self.declarations.partition_point(|one| (one.platform, one.section) < wanted);
        let behind = self.declarations.get(start..).unwrap_or_default();
        let end = behind.partition_point(|one| (one.platform, one.section) == wanted);
        behind.get(..end).unwrap_or_default()
    }
}

/// A component that something outside the app can start.
#[derive(Debug, Clone)]
pub struct EntryPoint {
    /// `activity`, `service`, `receiver` or `provider`.
    pub kind: String,
    /// The full class name.
    pub class: String,
    /// Whether the launcher starts it.
    pub launcher: bool,
    /// The permission that whoever starts it must hold.
    pub guarded_by: Option<String>,
    /// Where it stands.
    pub place: Place,
    /// The source set or plugin that it comes from.
    pub origin: Option<String>,
}

/// Gathers what an app declares.
#[must_use]
pub fn survey(context: &Context<'_>) -> Survey {
    let unresolved = context.app.unresolved.clone();
    let mut survey = Survey { declarations: Vec::new(), entry_points: Vec::new(), unresolved };
    for variant in &context.variants {
        survey.unresolved.extend(unfilled(&variant.merged, &survey.unresolved));
    }
    android::gather(context, &mut survey);
    ios::gather(context, &mut survey);
    wanted(context, &mut survey);
    let mut of_kind: HashMap<Kind, Vec<&Requirement>> = HashMap::new();
    for one in context.needs.all().iter().chain(context.needs.brought()) {
        of_kind.entry(one.kind()).or_default().push(one);
    }
    // What is of one kind mostly stands together.
    let mut last: (&str, Option<&Vec<&Requirement>>) = ("", None);
    for one in &mut survey.declarations {
        if last.0 != one.kind {
            last = (one.kind, Kind::parse(one.kind).and_then(|kind| of_kind.get(&kind)));
        }
        if let Some(of_kind) = last.1 {
            one.needed_by = needed_by(context, of_kind, one);
        }
    }
    if let Some(home) = Home::new(context.scene.app, context.sources) {
        for one in &mut survey.declarations {
            one.place = home.place(one.place);
            one.overrode.iter_mut().for_each(|(_, place)| *place = home.place(*place));
        }
        survey.entry_points.iter_mut().for_each(|one| one.place = home.place(one.place));
    }
    in_order(&mut survey.declarations);
    survey
}

/// Puts declarations in the order of their sections, those of one section as they are. They are large, and stand in order for long stretches:
/// what is sorted are their numbers, and each is moved once.
fn in_order(declarations: &mut [Declaration]) {
    let mut numbers: Vec<usize> = (0..declarations.len()).collect();
    numbers.sort_by_key(|at| declarations.get(*at).map(|one| (one.platform, one.section)));
    for at in 0..numbers.len() {
        let mut from = numbers.get(at).copied().unwrap_or(at);
        // What stood there was moved to where this one came from.
        while from < at {
            from = numbers.get(from).copied().unwrap_or(at);
        }
        if let Some(number) = numbers.get_mut(at) {
            *number = from;
        }
        declarations.swap(at, from);
    }
}

/// Returns the placeholders of a manifest whose values are not known, without those that are told already.
#[must_use]
pub fn unfilled(merged: &Merged<'_>, told: &[Unresolved]) -> Vec<Unresolved> {
    let mut found: Vec<Unresolved> = Vec::new();
    for one in &merged.unfilled {
        // One that nothing can set stops the build, and is a conflict.
        let conflict = merged.problems.iter().any(|problem| problem.subject == one.name && problem.place == one.place);
        let known = told.iter().chain(&found).any(|known| known.place == one.place);
        if !conflict && !known {
            let what =
                format!("the placeholder ${{{}}} is not known: only running the build tells what sets it", one.name);
            found.push(Unresolved { what, place: one.place });
        }
    }
    found
}

/// Lists what some plugin needs and no heading has yet: lines of the build, build settings, resources.
fn wanted(context: &Context<'_>, survey: &mut Survey) {
    for spec in kinds::KINDS {
        let about = spec.about();
        let of_kind: Vec<&Requirement> = context.needs.all().iter().filter(|one| one.kind() == about.kind).collect();
        if of_kind.is_empty() {
            continue;
        }
        let names: BTreeSet<&str> = of_kind.iter().map(|one| one.name.as_str()).collect();
        for declared in spec.declared_of(context, &|name| names.contains(name)) {
            let needs = |one: &&&Requirement| {
                let here = (declared.name.as_str(), declared.place);
                spec.is_about(context, here, (&one.name, &one.need))
            };
            let Some(first) = of_kind.iter().find(needs) else { continue };
            let known = |one: &Declaration| {
                one.kind == about.kind.id() && (one.place == declared.place || one.name == declared.name)
            };
            if !survey.declarations.iter().any(known) {
                let id = about.kind.id();
                survey.declarations.push(Declaration::new(
                    first.platform,
                    about.section,
                    id,
                    declared.name,
                    declared.place,
                ));
            }
        }
    }
}

/// Returns who needs what a declaration declares, those too whose own manifest brings it along. The requirements are those of its kind.
fn needed_by(context: &Context<'_>, of_kind: &[&Requirement], declared: &Declaration) -> Vec<NeededBy> {
    let about = |one: &&Requirement| {
        one.platform == declared.platform
            && kinds::spec(one.kind()).is_about(context, (&declared.name, declared.place), (&one.name, &one.need))
    };
    let mut found: Vec<_> = of_kind.iter().copied().filter(about).collect();
    // What is brought along stands behind what is asked for, in the order of the plugins.
    found.sort_by_key(|one| (one.brought, one.plugin));
    found.into_iter().map(|one| NeededBy::of(context.app, one)).collect()
}

/// Returns a value in a few words.
fn brief(kind: &ValueKind) -> String {
    match kind {
        ValueKind::Bool(value) => if *value { "yes" } else { "no" }.to_owned(),
        ValueKind::Integer(number) => number.to_string(),
        ValueKind::Real(number) => number.to_string(),
        ValueKind::Array(values) if values.len() == 1 && values.iter().all(|value| value.as_str().is_none()) => {
            "1 entry".to_owned()
        }
        ValueKind::Array(values) => match values.iter().map(|value| value.as_str()).collect::<Option<Vec<_>>>() {
            Some(texts) if texts.len() <= 4 => texts.join(", "),
            _ => format!("{} entries", values.len()),
        },
        ValueKind::Dict(entries) if entries.len() == 1 => "1 key".to_owned(),
        ValueKind::Dict(entries) => format!("{} keys", entries.len()),
        ValueKind::String(text) | ValueKind::Date(text) | ValueKind::Data(text) => text.clone(),
    }
}

#[cfg(test)]
mod tests {
    use elvask_project::source::Sources;

    use super::*;

    #[test]
    fn declarations_of_one_section_stay_as_they_are() {
        let file = Sources::new(std::path::Path::new("/app")).add(std::path::Path::new("/app/a"), "");
        let place = Place { file, span: elvask_markup::Span::at(0) };
        // Each order of some sections, told apart by their numbers.
        for seed in 0..3_000_usize {
            let section = |at: usize| Section::ALL[seed / 3_usize.pow(at as u32) % 3];
            let number = |at: usize| Declaration::new(Platform::Android, section(at), "a", at.to_string(), place);
            let mut declarations: Vec<_> = (0..8).map(number).collect();
            let mut sorted: Vec<_> = (0..8).collect();
            sorted.sort_by_key(|at| section(*at));
            in_order(&mut declarations);
            let names: Vec<usize> = declarations.iter().map(|one| one.name.parse().unwrap()).collect();
            assert_eq!(names, sorted, "{seed}");
        }
    }
}
