//! Writing what is missing and mending what can be mended, in memory: the texts come back, nothing is written here.
//!
//! Remedies are planned against the text as it is. Those that do not touch each other are applied together; then the app is
//! checked anew, and what is left is mended in the next round, until nothing is left that a machine can mend. So two
//! queries that both need a `<queries>` end up in one, and every text that is handed out has been read and judged again.

use elvask_needs::remedy::{Remedy, Want};
use elvask_project::source::{FileId, Sources};

use crate::app::App;
use crate::check::{Report, check_texts};
use crate::finding::{Edits, Finding};
use crate::needs::Settings;

/// The most rounds; remedies that undo each other would go on for ever.
const MAX_ROUNDS: usize = 200;

/// What mending comes to.
#[derive(Debug, Clone)]
pub struct Outcome {
    /// All texts, with the mended ones in the place of the old.
    pub sources: Sources,
    /// The files whose text is another one now.
    pub changed: Vec<FileId>,
    /// The findings that were mended, in the order in which they were.
    pub mended: Vec<Finding>,
    /// What a check of the mended texts finds.
    pub left: Report,
    wants: Vec<Want>,
}

impl Outcome {
    /// Returns what the owner must say before the rest can be written, each thing once.
    #[must_use]
    pub fn wants(&self) -> Vec<Want> {
        self.wants.clone()
    }
}

/// Returns what the owner must say before the findings of a report can be mended, each thing once.
#[must_use]
pub fn wants(report: &Report) -> Vec<Want> {
    wants_of(report, |finding| !finding.waits_for_its_name())
}

fn wants_of(report: &Report, wanted: impl Fn(&Finding) -> bool) -> Vec<Want> {
    let mut all: Vec<Want> = Vec::new();
    for finding in report.findings.iter().filter(|finding| finding.counts() && wanted(finding)) {
        if let Remedy::Answer { wants, .. } = &finding.remedy {
            all.extend(wants.iter().filter(|want| !all.contains(want)).cloned().collect::<Vec<_>>());
        }
    }
    all
}

/// Why nothing can be mended.
#[derive(Debug, thiserror::Error)]
pub enum FillError {
    /// Something cannot be read, so that not all that is needed is known.
    #[error("something cannot be read")]
    Obstacles(Report),
    /// The remedies do not come to an end, or make a file unreadable: a fault of this program.
    #[error("the remedies do not settle ({0}); nothing is written. This is a fault of Elvask")]
    Unsettled(String),
}

/// Mends what can be mended with what is known.
///
/// # Errors
/// [`FillError`]; no text is handed out then.
pub fn fill(app: &App, settings: &Settings) -> Result<Outcome, FillError> {
    fill_only(app, settings, |finding| is_picked(&settings.only, finding))
}

/// Says whether a finding is to be mended: where rules or subjects are named, one of those; else every one that is more than a
/// note. A note is never mended unless it is named.
#[must_use]
pub fn is_picked(only: &[String], finding: &Finding) -> bool {
    if only.is_empty() {
        return !finding.waits_for_its_name();
    }
    only.iter().any(|word| {
        let last = finding.subject.rsplit(['.', ' ']).next().unwrap_or_default();
        word == finding.rule.id || *word == finding.subject || word.eq_ignore_ascii_case(last)
    })
}

/// Mends those of the findings that `wanted` picks, as far as it can be done with what is known.
///
/// # Errors
/// [`FillError`]; no text is handed out then.
pub fn fill_only(app: &App, settings: &Settings, wanted: impl Fn(&Finding) -> bool) -> Result<Outcome, FillError> {
    let mut sources = app.sources.clone();
    let mut changed: Vec<FileId> = Vec::new();
    let mut mended = Vec::new();
    for round in 0..MAX_ROUNDS {
        let report = check_texts(app, &sources, settings);
        let obstacle = report.obstacles().next().map(|obstacle| obstacle.message.clone());
        match obstacle {
            Some(_) if round == 0 => return Err(FillError::Obstacles(report)),
            Some(message) => return Err(FillError::Unsettled(message)),
            None => {}
        }
        let mut edits = Edits::default();
        let mut made: Vec<&str> = Vec::new();
        for finding in report.findings.iter().filter(|finding| finding.counts() && wanted(finding)) {
            let Remedy::Edit { edits: planned, makes, .. } = &finding.remedy else { continue };
            if makes.as_deref().is_some_and(|name| made.contains(&name)) {
                continue;
            }
            // What touches another remedy waits for the next round, where it is planned anew.
            if edits.add(planned).is_ok() {
                made.extend(makes.as_deref());
                changed.extend(planned.iter().map(|(file, _)| *file));
                mended.push(finding.clone());
            }
        }
        if edits.is_empty() {
            changed.sort_unstable();
            changed.dedup();
            let wants = wants_of(&report, &wanted);
            return Ok(Outcome { sources, changed, mended, left: report, wants });
        }
        edits.apply(&mut sources).map_err(|error| FillError::Unsettled(error.to_string()))?;
    }
    let last = mended.last().map(|finding| format!("{} {}", finding.rule.id, finding.subject)).unwrap_or_default();
    Err(FillError::Unsettled(last))
}
