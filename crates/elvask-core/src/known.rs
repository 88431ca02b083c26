//! What is known of each plugin of an app, and from where: from a sheet, else from its own files.

use std::sync::Arc;

use elvask_needs::evidence::{Doubtful, Evidence, Learned};
use elvask_needs::kinds::of_part;
use elvask_needs::reach::Judged;
use elvask_needs::requirement::{Citation, EvidenceKind, Need, When};
use elvask_needs::sheet::Asked;
use elvask_platform::{Platform, Strength};
use elvask_project::source::{Place, Sources};

use crate::app::{App, Plugin, PluginSheet, SheetOrigin};

/// One thing that a plugin requires, whatever the app.
#[derive(Debug, Clone, PartialEq)]
pub struct KnownRequirement {
    /// What identifies it to the platform, with answers in curly brackets.
    pub name: String,
    /// What exactly.
    pub need: Need,
    /// How sure it is.
    pub strength: Strength,
    /// Several with the same word here are alternatives: one of them is enough.
    pub one_of: Option<String>,
    /// The optional part of the plugin that it belongs to.
    pub feature: Option<String>,
    /// The capability that it is part of.
    pub capability: Option<&'static str>,
    /// When it holds.
    pub when: When,
    /// Why, in the words of a sheet.
    pub reason: Option<String>,
    /// The package's own manifest declares it, so that the build brings it into the app.
    pub brought: bool,
    /// The lines that show it.
    pub citations: Vec<Arc<Citation>>,
    /// How it comes to the app, and how bad it is when it is absent; `None` where a package is looked at by itself.
    pub judged: Option<Judged>,
}

/// All that is known of a plugin.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Known {
    /// Its name.
    pub plugin: String,
    /// Its version, where that is known.
    pub version: Option<String>,
    /// The platforms that it works on, as far as is known.
    pub platforms: Vec<Platform>,
    /// Who put its sheet where it is; `None` without a sheet.
    pub sheet: Option<SheetOrigin>,
    /// The sheet's file.
    pub sheet_file: Option<String>,
    /// What it requires.
    pub requirements: Vec<KnownRequirement>,
    /// What its files show and its sheet does not state.
    pub beyond: Vec<KnownRequirement>,
    /// What it might require.
    pub doubtful: Vec<Doubtful>,
    /// What limits the look at its files.
    pub limits: Vec<String>,
    /// Whether its files were there to be looked into.
    pub looked_into: bool,
}

impl Known {
    /// Returns the kinds of evidence that speak of the plugin, the weightiest first.
    #[must_use]
    pub fn evidence(&self) -> Vec<EvidenceKind> {
        let mut kinds: Vec<_> =
            self.requirements.iter().flat_map(|known| &known.citations).map(|citation| citation.kind).collect();
        kinds.sort_unstable();
        kinds.dedup();
        kinds
    }

    /// Counts the requirements of a strength that the package does not bring along itself.
    #[must_use]
    pub fn count(&self, strength: Strength) -> usize {
        self.requirements.iter().filter(|known| known.strength == strength && !known.brought).count()
    }
}

/// Gathers what is known of each plugin of the app, its own code not among them.
#[must_use]
pub fn of_app(app: &App) -> Vec<Known> {
    app.plugins.iter().filter(|plugin| !plugin.own).map(|plugin| of_plugin(app, plugin)).collect()
}

/// Gathers what is known of a plugin of the app.
#[must_use]
pub fn of_plugin(app: &App, plugin: &Plugin) -> Known {
    let mut known = Known {
        plugin: plugin.name.clone(),
        version: plugin.version.clone(),
        platforms: plugin.platforms.clone(),
        looked_into: plugin.evidence.is_some(),
        ..Known::default()
    };
    let nothing = Evidence::default();
    let evidence = plugin.evidence.as_deref().unwrap_or(&nothing);
    known.doubtful.clone_from(&evidence.doubtful);
    known.limits.clone_from(&evidence.limits);
    match &plugin.sheet {
        None => known.requirements = evidence.requirements.iter().zip(judged(plugin)).map(of_learned).collect(),
        Some(found) => {
            known.sheet = Some(found.origin);
            known.sheet_file = Some(app.sources.file(found.file).shown.clone());
            if found.sheet.platforms_span.is_some() {
                known.platforms.clone_from(&found.sheet.platforms);
            }
            known.requirements = of_sheet(&app.sources, found, &evidence.requirements);
            let stated = |(learned, _): &(&Learned, Option<&Judged>)| {
                !known.requirements.iter().any(|one| one.need.kind() == learned.kind() && one.name == learned.name)
            };
            known.beyond = evidence.requirements.iter().zip(judged(plugin)).filter(stated).map(of_learned).collect();
        }
    }
    known
}

/// Gathers what the files of a package by itself show.
#[must_use]
pub fn of_package(name: &str, version: Option<String>, evidence: &Evidence) -> Known {
    let mut platforms: Vec<_> = evidence.requirements.iter().map(|learned| learned.need.platform()).collect();
    platforms.sort_unstable();
    platforms.dedup();
    Known {
        plugin: name.to_owned(),
        version,
        platforms,
        requirements: evidence.requirements.iter().map(|learned| of_learned((learned, None))).collect(),
        doubtful: evidence.doubtful.clone(),
        limits: evidence.limits.clone(),
        looked_into: true,
        ..Known::default()
    }
}

/// Goes through what is judged of each requirement that the files of a plugin show.
fn judged(plugin: &Plugin) -> impl Iterator<Item = Option<&Judged>> {
    plugin.judged.iter().map(Some).chain(std::iter::repeat(None))
}

fn of_learned((learned, judged): (&Learned, Option<&Judged>)) -> KnownRequirement {
    KnownRequirement {
        name: learned.name.clone(),
        need: learned.need.clone(),
        strength: learned.strength,
        one_of: learned.one_of.clone(),
        feature: None,
        capability: None,
        when: learned.when.clone(),
        reason: None,
        brought: learned.brought,
        citations: learned.citations.clone(),
        judged: judged.cloned(),
    }
}

fn of_sheet(sources: &Sources, found: &PluginSheet, shown: &[Learned]) -> Vec<KnownRequirement> {
    let mut all = Vec::new();
    for required in &found.sheet.requires {
        let place = Place { file: found.file, span: required.span };
        let mut add = |name: &str, need: Need, strength, capability| {
            let also: Vec<_> = shown.iter().filter(|one| one.kind() == need.kind() && one.name == name).collect();
            let mut citations = vec![Arc::new(Citation::of(EvidenceKind::Sheet, sources, place))];
            citations.extend(also.iter().flat_map(|learned| &learned.citations).cloned());
            all.push(KnownRequirement {
                name: name.to_owned(),
                need,
                strength,
                one_of: required.one_of.clone(),
                feature: required.feature.as_ref().map(|feature| feature.text.clone()),
                capability,
                when: required.when.clone(),
                reason: required.reason.clone(),
                brought: also.iter().any(|learned| learned.brought),
                citations,
                judged: None,
            });
        };
        match &required.asked {
            Asked::Need { name, need } => add(name, need.clone(), required.strength, None),
            Asked::Capability(capability) => {
                for part in capability.needs().filter(|part| found.sheet.platforms.contains(&part.platform)) {
                    let strength = if part.optional { Strength::Optional } else { required.strength };
                    let Some(need) = of_part(part) else { continue };
                    add(part.name, need, strength, Some(capability.name));
                }
            }
        }
    }
    all
}
