//! Findings: what a rule reports, with its place, its reasons and its remedy.

use std::sync::Arc;

use elvask_markup::{Edit, EditError, EditSet};
use elvask_needs::reach::Reached;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::{Citation, EvidenceKind};
use elvask_platform::Platform;

use crate::app::App;
use crate::consent::{self, Judgement};
use crate::needs::Requirement;
pub use elvask_platform::Level;
use elvask_project::source::{FileId, Place, Sources};

/// What there is to know about a rule.
#[derive(Debug, PartialEq, Eq)]
pub struct About {
    /// Its id, as in JSON and waivers; the name of its file in kebab case.
    pub id: &'static str,
    /// How bad its findings are, where nothing makes them better or worse.
    pub level: Level,
    /// The platform that it concerns; `None` for both.
    pub platform: Option<Platform>,
    /// What it reports, in a sentence that starts with "Reports".
    pub summary: &'static str,
    /// What happens on a device or in review if a finding stays, in one or two sentences.
    pub effect: &'static str,
    /// A fragment that it reports.
    pub wrong: &'static str,
    /// The fragment as it should be.
    pub right: &'static str,
    /// What `fill` does about it and what is left to a person.
    pub remedy: &'static str,
    /// Where the platform says so: the title of the page in its documentation.
    pub source: &'static str,
}

/// Who needs something, and where that was learnt.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NeededBy {
    /// What is needed: the requirement's name.
    pub name: String,
    /// The plugin's name.
    pub plugin: String,
    /// Its installed version.
    pub version: Option<String>,
    /// The lines that show it, the weightiest evidence first. There is at least one.
    pub learnt: Vec<Arc<Citation>>,
    /// Why it is needed, in the words of the sheet.
    pub reason: Option<String>,
    /// Where the plugin's own notes say so.
    pub reference: Option<String>,
    /// The capability that it is part of.
    pub capability: Option<&'static str>,
    /// Whether its own manifest declares it, so that the build brings it into the app.
    pub brought: bool,
    /// How the need comes to this app.
    pub reached: Reached,
}

impl NeededBy {
    /// Returns who stands behind a requirement.
    #[must_use]
    pub fn of(app: &App, requirement: &Requirement) -> Self {
        let plugin = app.plugins.get(requirement.plugin);
        NeededBy {
            name: requirement.name.to_string(),
            plugin: plugin.map(|plugin| plugin.name.clone()).unwrap_or_default(),
            version: plugin.and_then(|plugin| plugin.version.clone()),
            learnt: requirement.citations(&app.sources),
            reason: requirement.reason.clone(),
            reference: requirement.reference.clone(),
            capability: requirement.capability.map(|capability| capability.name),
            brought: requirement.brought,
            reached: requirement.reached.clone(),
        }
    }
}

/// What a rule reports.
#[derive(Debug, Clone)]
pub struct Finding {
    /// The rule.
    pub rule: &'static About,
    /// How bad it is.
    pub level: Level,
    /// The platform, where it concerns one.
    pub platform: Option<Platform>,
    /// What it is about: the name of the requirement or declaration.
    pub subject: String,
    /// What is wrong, in a sentence without a full stop.
    pub message: String,
    /// What happens on a device or in review if it stays, in one or two sentences.
    pub effect: String,
    /// Where.
    pub place: Place,
    /// Another place that belongs to it, with a word about it.
    pub related: Option<(Place, String)>,
    /// Who needs it.
    pub needed_by: Vec<NeededBy>,
    /// What becomes of what they ask for: whether it is written, asked about or left to a person.
    pub(crate) judgement: Judgement,
    /// The variants that it holds for; none where it has nothing to do with variants.
    pub variants: Vec<String>,
    /// What mends it.
    pub remedy: Remedy,
    /// Whether it is mended only where it is named, as what would be written may be unwanted.
    pub only_if_named: bool,
    /// The reason for which it is accepted, where it is.
    pub waived: Option<String>,
}

impl Finding {
    /// Makes a finding of a rule at its own level, to be told apart with the other methods.
    pub fn new(rule: &'static About, subject: impl Into<String>, place: Place, message: impl Into<String>) -> Self {
        Finding {
            rule,
            level: rule.level,
            platform: rule.platform,
            subject: subject.into(),
            message: message.into(),
            effect: rule.effect.to_owned(),
            place,
            related: None,
            needed_by: Vec::new(),
            judgement: Judgement::default(),
            variants: Vec::new(),
            remedy: Remedy::Manual(String::new()),
            only_if_named: false,
            waived: None,
        }
    }

    /// Sets what mends it.
    #[must_use]
    pub fn mend(mut self, remedy: Remedy) -> Self {
        self.remedy = remedy;
        self
    }

    /// Sets another level than the rule's.
    #[must_use]
    pub fn level(mut self, level: Level) -> Self {
        self.level = level;
        self
    }

    /// Sets what happens if it stays.
    #[must_use]
    pub fn effect(mut self, effect: impl Into<String>) -> Self {
        self.effect = effect.into();
        self
    }

    /// Adds another place.
    #[must_use]
    pub fn related(mut self, place: Place, label: impl Into<String>) -> Self {
        self.related = Some((place, label.into()));
        self
    }

    /// Says which variants it holds for.
    #[must_use]
    pub fn in_variants(mut self, variants: Vec<String>) -> Self {
        self.variants = variants;
        self
    }

    /// Says that it is mended only where it is named.
    #[must_use]
    pub fn only_if_named(mut self, only: bool) -> Self {
        self.only_if_named = only;
        self
    }

    /// Says whether `fill` mends it only where it is named: a note, or what may be unwanted.
    #[must_use]
    pub fn waits_for_its_name(&self) -> bool {
        self.level == Level::Note || self.only_if_named
    }

    /// Says whether one of some words names its rule or its subject, in whole or by its last part.
    #[must_use]
    pub fn is_named_by(&self, words: &[String]) -> bool {
        let last = self.subject.rsplit(['.', ' ']).next().unwrap_or_default();
        words.iter().any(|word| word == self.rule.id || *word == self.subject || word.eq_ignore_ascii_case(last))
    }

    /// Adds who needs it, and with that whether it may be written for them without a question.
    #[must_use]
    pub fn needed_by<'r>(mut self, app: &App, requirements: impl IntoIterator<Item = &'r Requirement>) -> Self {
        let requirements: Vec<&Requirement> = requirements.into_iter().collect();
        self.needed_by = requirements.iter().map(|requirement| NeededBy::of(app, requirement)).collect();
        self.judgement = consent::strictest(app, &requirements);
        self
    }

    /// Leaves what stands in the app to its owner where notes alone, which show examples, ask for something else: at most a
    /// warning, and nothing is written.
    #[must_use]
    pub fn unless_notes_alone(mut self) -> Self {
        let noted = |one: &NeededBy| one.learnt.iter().all(|citation| citation.kind == EvidenceKind::Readme);
        if !self.needed_by.is_empty() && self.needed_by.iter().all(noted) {
            self.level = self.level.min(Level::Warning);
            if let Remedy::Edit { title, .. } = &self.remedy {
                self.remedy = Remedy::Manual(format!("Only notes say so. If it is meant for this app: {title}."));
            }
        }
        self
    }

    /// Says whether the finding counts: it is not waived.
    #[must_use]
    pub fn counts(&self) -> bool {
        self.waived.is_none()
    }
}

/// Adds the edits of remedies to sets by file, each remedy whole or not at all.
#[derive(Debug, Clone, Default)]
pub struct Edits {
    sets: Vec<(FileId, EditSet)>,
}

impl Edits {
    /// Adds the edits of one remedy.
    ///
    /// # Errors
    /// [`EditError::Overlap`] when they touch what another remedy changes; nothing is added then.
    pub fn add(&mut self, edits: &[(FileId, Vec<Edit>)]) -> Result<(), EditError> {
        let set_of = |sets: &[(FileId, EditSet)], file: FileId| sets.iter().position(|(known, _)| *known == file);
        for (file, edits) in edits {
            match set_of(&self.sets, *file).and_then(|at| self.sets.get(at)) {
                Some((_, set)) => set.check(edits)?,
                None => EditSet::new().check(edits)?,
            }
        }
        for (file, edits) in edits {
            if set_of(&self.sets, *file).is_none() {
                self.sets.push((*file, EditSet::new()));
            }
            if let Some((_, set)) = set_of(&self.sets, *file).and_then(|at| self.sets.get_mut(at)) {
                set.add(edits)?;
            }
        }
        Ok(())
    }

    /// Says whether there is nothing to do.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.sets.iter().all(|(_, set)| set.is_empty())
    }

    /// Applies the edits to the texts that they were planned against.
    ///
    /// # Errors
    /// [`EditError::OutOfText`] when an edit does not fit its text.
    pub fn apply(&self, sources: &mut Sources) -> Result<(), EditError> {
        for (file, set) in &self.sets {
            let text = set.apply(&sources.file(*file).text)?;
            sources.replace(*file, text);
        }
        Ok(())
    }
}
