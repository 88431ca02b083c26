//! What is wanted and not declared, for every kind in the same way.

use elvask_needs::kinds::{self, Joined, KindSpec, Match, Side};
use elvask_needs::reach::Reach;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::{Kind, Level, Platform};

use super::{only_in, who_needs};
use crate::context::{Context, Said};
use crate::finding::{About, Finding};
use crate::needs::{Group, Requirement};

/// What several plugins want of one thing.
pub(in crate::rules) struct Together<'n> {
    /// What identifies it to the platform.
    pub(in crate::rules) name: &'n str,
    /// The requirements, in the order of the plugins. There is at least one.
    pub(in crate::rules) requirements: Vec<&'n Requirement>,
    /// What they come to.
    pub(in crate::rules) joined: Joined,
}

impl Together<'_> {
    /// Returns how bad it is when the app does not declare it: as bad as for the one that needs it the most.
    pub(in crate::rules) fn level(&self) -> Level {
        self.requirements.iter().map(|one| one.level()).max().unwrap_or(Level::Note)
    }
}

/// Parts the requirements of one name into those that ask for one thing.
pub(in crate::rules) fn parted<'n>(group: &Group<'n>) -> Vec<Together<'n>> {
    let mut rest: Vec<&Requirement> = group.requirements.iter().collect();
    let mut out = Vec::new();
    while let Some(first) = rest.first().copied() {
        let spec = kinds::spec(first.kind());
        let (same, others): (Vec<_>, Vec<_>) =
            rest.into_iter().partition(|one| std::ptr::eq(*one, first) || spec.is_same(&one.need, &first.need));
        let needs: Vec<&Need> = same.iter().map(|one| &one.need).collect();
        if let Some(joined) = spec.join(group.name, &needs) {
            out.push(Together { name: group.name, requirements: same, joined });
        }
        rest = others;
    }
    out
}

/// Says whether the plugins of a group want what cannot be together, which `requirement-conflict` tells.
pub(in crate::rules) fn clashes(group: &Group<'_>) -> bool {
    parted(group).iter().any(|together| matches!(together.joined, Joined::Clash(_)))
}

/// Returns the variants in which something holds that makes a finding; `None` where there is no such variant or target.
pub(in crate::rules) fn lacking(
    context: &Context<'_>,
    spec: &dyn KindSpec,
    (name, need): (&str, &Need),
    requirements: &[&Requirement],
    lacks: impl Fn(&Match) -> bool,
) -> Option<Vec<String>> {
    match need.platform() {
        Platform::Android => {
            let held = context.variants.iter().filter(|one| requirements.iter().any(|need| need.holds(&one.levels)));
            let lacking = held.filter(|one| lacks(&spec.compare(context, Side::Android(one), name, need)));
            let names: Vec<_> = lacking.map(|one| one.variant.clone()).collect();
            (!names.is_empty()).then_some(names)
        }
        Platform::Ios => lacks(&spec.compare(context, Side::Ios, name, need)).then(Vec::new),
    }
}

/// Adds a finding for each thing of a kind that some plugin needs and the app does not declare. What several plugins want that
/// cannot be together is told by `requirement-conflict`.
pub(in crate::rules) fn missing(context: &Context<'_>, kind: Kind, about: &'static About, out: &mut Vec<Finding>) {
    out.extend(found(context, kind, about).into_iter().map(|(finding, _)| finding));
}

/// The same, with the requirements behind each finding.
pub(in crate::rules) fn found<'c>(
    context: &'c Context<'_>,
    kind: Kind,
    about: &'static About,
) -> Vec<(Finding, Together<'c>)> {
    let absent = |found: &Match| *found == Match::Absent;
    let groups = context.needs.groups(kind).flat_map(|group| parted(&group));
    groups.filter_map(|together| Some((finding(context, about, &together, absent)?, together))).collect()
}

/// Returns the finding for one thing that is lacking in the sense of `lacks`.
pub(in crate::rules) fn finding(
    context: &Context<'_>,
    about: &'static About,
    together: &Together<'_>,
    lacks: impl Fn(&Match) -> bool,
) -> Option<Finding> {
    let Joined::One(joined) = &together.joined else { return None };
    let (spec, name) = (kinds::spec(joined.kind()), together.name);
    // The one with something to fill in is the one whose answers are meant.
    let first = together.requirements.iter().find(|one| !spec.texts(&one.need).is_empty());
    let first = first.or(together.requirements.first())?;
    let said = Said { context, requirement: first };
    let filled = spec.filled(joined, &said);
    let wanted = filled.as_ref().unwrap_or(joined);
    let lacking = lacking(context, spec, (name, wanted), &together.requirements, lacks)?;
    if spec.is_told_elsewhere(context, name, wanted) {
        return None;
    }
    let who = who_needs(context, together.requirements.iter().copied());
    let only = if lacking.is_empty() { String::new() } else { only_in(context, &lacking) };
    let message = spec.absent(name, wanted, &only, &who);
    let (place, remedy) = match &filled {
        Ok(need) => spec.add(context, name, need, &said)?,
        Err(wants) => {
            let (place, lines) = spec.lines(context, name, joined)?;
            (place, Remedy::Answer { wants: wants.clone(), lines })
        }
    };
    let mut finding = Finding::new(about, name, place, message)
        .level(together.level())
        .needed_by(context.app, together.requirements.iter().copied())
        .in_variants(lacking)
        .mend(remedy);
    finding.platform = Some(joined.platform());
    if finding.level == Level::Note && about.level > Level::Note {
        finding = finding.effect(effect_of_note(about, &together.requirements));
    }
    Some(finding)
}

/// Says what happens where something is lacking that may not be needed at all: the rule's own consequence is that of what is needed.
fn effect_of_note(about: &About, requirements: &[&Requirement]) -> String {
    if requirements.iter().any(|one| one.reached.reach != Reach::Part) {
        return "The plugin works without it, with fewer features.".to_owned();
    }
    let mut letters = about.effect.chars();
    let start = letters.next().map(|first| first.to_lowercase().to_string()).unwrap_or_default();
    format!("If the app uses that part of the plugin: {start}{}", letters.as_str())
}
