//! Writing what is missing and mending what can be mended, in memory: the texts come back, nothing is written here.
//!
//! Remedies are planned against the text as it is. Those that do not touch each other are applied together; then the app is
//! checked anew, and what is left is mended in the next round, until nothing is left that a machine can mend. So two
//! queries that both need a `<queries>` end up in one, and every text that is handed out has been read and judged again.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::hash::{Hash, Hasher};

use elvask_markup::Edit;
use elvask_needs::remedy::{Remedy, Want};
use elvask_project::files::{Files, Overlay};
use elvask_project::source::{FileId, Place, Sources};

use crate::app::{App, Choice};
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
    /// What is left when every remedy that does not settle is left out still does not: a fault of this program.
    #[error("the remedies do not settle ({0}); nothing is written. This is a fault of Elvask")]
    Unsettled(String),
}

/// Mends what can be mended with what is known.
///
/// # Errors
/// [`FillError`]; no text is handed out then.
pub fn fill(app: &App, settings: &Settings) -> Result<Outcome, FillError> {
    fill_only(app, settings, |finding| is_picked(settings, finding))
}

/// Says whether a finding is to be mended: where plugins are named, what one of those needs; where rules or subjects are named, one of
/// those; else every one that is more than a note. A note is never mended unless it is named.
#[must_use]
pub fn is_picked(settings: &Settings, finding: &Finding) -> bool {
    let waits = settings.only.is_empty() && finding.waits_for_its_name();
    is_asked_for(settings, finding) && !waits
}

/// Says whether a finding is one of those that the plugins, rules and subjects of the settings are about, notes among them.
#[must_use]
pub fn is_asked_for(settings: &Settings, finding: &Finding) -> bool {
    let of_plugin = || finding.needed_by.iter().any(|needed| settings.plugins.contains(&needed.plugin));
    (settings.plugins.is_empty() || of_plugin()) && (settings.only.is_empty() || finding.is_named_by(&settings.only))
}

/// Mends those of the findings that `wanted` picks, as far as it can be done with what is known.
///
/// A remedy that does not settle is left out, and nothing of it is written; the rest is. What is found of it says so.
///
/// # Errors
/// [`FillError`]; no text is handed out then.
pub fn fill_only(app: &App, settings: &Settings, wanted: impl Fn(&Finding) -> bool) -> Result<Outcome, FillError> {
    let mut left_out: BTreeSet<Key> = BTreeSet::new();
    let mut pace = Pace::Together;
    loop {
        match attempt(app, settings, &wanted, &left_out, pace)? {
            Attempt::Settled(mut outcome) => {
                let out = outcome.left.findings.iter_mut().filter(|finding| left_out.contains(&key(finding)));
                out.for_each(leave_out);
                return Ok(*outcome);
            }
            Attempt::Unsettled(keys) if pace == Pace::OneByOne || keys.len() == 1 => {
                let before = left_out.len();
                left_out.extend(keys);
                if left_out.len() == before {
                    return Err(FillError::Unsettled("no remedy is at fault".to_owned()));
                }
            }
            // One by one it shows which of them it is.
            Attempt::Unsettled(_) => pace = Pace::OneByOne,
        }
    }
}

/// What tells a finding from others, wherever it stands: rule, subject and message.
type Key = (&'static str, String, String);

fn key(finding: &Finding) -> Key {
    (finding.rule.id, finding.subject.clone(), finding.message.clone())
}

fn leave_out(finding: &mut Finding) {
    let steps = format!(
        "`elvask fill` leaves this out, as what it would write does not settle. By hand: {}",
        finding.remedy.title()
    );
    finding.remedy = Remedy::Manual(steps);
}

/// How many remedies are put in before the app is checked anew.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Pace {
    /// All that do not touch each other.
    Together,
    /// One.
    OneByOne,
}

/// What an attempt at mending comes to.
enum Attempt {
    /// Nothing is left that a machine can mend.
    Settled(Box<Outcome>),
    /// These remedies go on for ever, or spoil a file.
    Unsettled(Vec<Key>),
}

fn attempt(
    app: &App,
    settings: &Settings,
    wanted: &impl Fn(&Finding) -> bool,
    left_out: &BTreeSet<Key>,
    pace: Pace,
) -> Result<Attempt, FillError> {
    let mut sources = app.sources.clone();
    let mut changed: Vec<FileId> = Vec::new();
    let mut mended: Vec<Finding> = Vec::new();
    // The texts after each round, as a sum, with what was put in next.
    let mut rounds: Vec<(u64, Vec<Key>)> = Vec::new();
    loop {
        let report = check_texts(app, &sources, settings);
        if report.obstacles().next().is_some() {
            return match rounds.pop() {
                None => Err(FillError::Obstacles(report)),
                Some((_, last)) => Ok(Attempt::Unsettled(last)),
            };
        }
        let picked = |finding: &&Finding| finding.counts() && wanted(finding) && !left_out.contains(&key(finding));
        let round = plan_round(report.findings.iter().filter(picked), &sources, pace);
        if round.edits.is_empty() {
            changed.sort_unstable();
            changed.dedup();
            let wants = wants_of(&report, wanted);
            return Ok(Attempt::Settled(Box::new(Outcome { sources, changed, mended, left: report, wants })));
        }
        let sum = sum_of(&sources, &changed);
        let keys: Vec<Key> = round.findings.iter().map(|finding| key(finding)).collect();
        // What leads back to a text that was there before goes round for ever.
        if let Some(before) = rounds.iter().position(|(known, _)| *known == sum) {
            let cycle = rounds.split_off(before).into_iter().flat_map(|(_, keys)| keys);
            return Ok(Attempt::Unsettled(cycle.collect()));
        }
        if rounds.len() >= MAX_ROUNDS {
            return Ok(Attempt::Unsettled(keys));
        }
        changed.extend(round.files.iter().copied());
        mended.extend(round.findings.into_iter().cloned());
        if round.edits.apply(&mut sources).is_err() {
            return Ok(Attempt::Unsettled(keys));
        }
        rounds.push((sum, keys));
    }
}

/// The remedies that are put in together.
struct Round<'f> {
    edits: Edits,
    files: Vec<FileId>,
    findings: Vec<&'f Finding>,
}

/// Picks remedies that do not touch each other. What corrects or takes out what is there comes before what adds to it, so that
/// nothing is added that a correction brings by itself.
fn plan_round<'f>(findings: impl Iterator<Item = &'f Finding>, sources: &Sources, pace: Pace) -> Round<'f> {
    let planned = findings.filter_map(|finding| match &finding.remedy {
        Remedy::Edit { edits, makes, .. } => Some((finding, edits, makes.as_deref())),
        Remedy::Answer { .. } | Remedy::Manual(_) => None,
    });
    let all: Vec<_> = planned.collect();
    // What moves an element adds it elsewhere, and is no correction.
    let changes = |edits: &[(FileId, Vec<Edit>)]| {
        let adds = |edit: &Edit| edit.start == edit.end && edit.insert.contains('<');
        let takes = |file: FileId, edit: &Edit| {
            let old = sources.file(file).text.get(edit.start..edit.end);
            old.is_some_and(|old| !old.trim().is_empty())
        };
        let all = || edits.iter().flat_map(|(file, edits)| edits.iter().map(move |edit| (*file, edit)));
        all().any(|(file, edit)| takes(file, edit)) && !all().any(|(_, edit)| adds(edit))
    };
    let some_change = all.iter().any(|(_, edits, _)| changes(edits));
    let mut round = Round { edits: Edits::default(), files: Vec::new(), findings: Vec::new() };
    let mut made: HashSet<&str> = HashSet::new();
    let mut elements: HashSet<(FileId, usize, &str)> = HashSet::new();
    let mut last_keys: HashMap<(FileId, usize), String> = HashMap::new();
    for (finding, edits, makes) in all {
        if some_change && !changes(edits) || makes.is_some_and(|name| made.contains(name)) {
            continue;
        }
        // Another remedy that adds the very same element inside the same one may be enough for both; the next round tells.
        let mut inserted = Vec::new();
        let mut keys: Vec<((FileId, usize), String)> = Vec::new();
        for (file, edit) in edits.iter().flat_map(|(file, edits)| edits.iter().map(move |edit| (*file, edit))) {
            let text = edit.insert.trim();
            if let Some(key) = key_in(text) {
                keys.push(((file, edit.start), key));
            }
            if text.starts_with('<') {
                let around = sources.file(file).xml().ok().and_then(|document| document.around(edit.start));
                inserted.push((file, around.map_or(0, |element| element.span().start), text));
            }
        }
        if inserted.iter().any(|one| elements.contains(one)) {
            continue;
        }
        // Keys behind the same neighbour are put in together as long as they come to stand in order; no key is put in twice.
        if keys.iter().any(|(at, key)| last_keys.get(at).is_some_and(|last| key <= last)) {
            continue;
        }
        // What touches another remedy waits for the next round, where it is planned anew.
        if round.edits.add(edits).is_ok() {
            elements.extend(inserted);
            last_keys.extend(keys);
            made.extend(makes);
            round.files.extend(edits.iter().map(|(file, _)| *file));
            round.findings.push(finding);
            if pace == Pace::OneByOne {
                break;
            }
        }
    }
    round
}

/// Returns the key with which an entry of a property list starts, in small letters, as keys are sorted.
fn key_in(inserted: &str) -> Option<String> {
    let (key, _) = inserted.strip_prefix("<key>")?.split_once("</key>")?;
    Some(key.to_lowercase())
}

/// Returns a number that stands for the texts of some files.
fn sum_of(sources: &Sources, files: &[FileId]) -> u64 {
    let mut files = files.to_vec();
    files.sort_unstable();
    files.dedup();
    let mut sum = std::collections::hash_map::DefaultHasher::new();
    for file in files {
        (file, &sources.file(file).text).hash(&mut sum);
    }
    sum.finish()
}

/// Mends an app, reads it anew as it would then stand, and mends what shows only then, until nothing does: a level that is raised
/// can ask for more. The texts, places and files are those of `app`.
///
/// # Errors
/// [`FillError`]; no text is handed out then.
pub fn fill_through(files: &dyn Files, choice: &Choice, app: &App, settings: &Settings) -> Result<Outcome, FillError> {
    fill_through_only(files, choice, app, settings, |finding| is_picked(settings, finding))
}

/// The same for those of the findings that `wanted` picks.
///
/// # Errors
/// [`FillError`]; no text is handed out then.
pub fn fill_through_only(
    files: &dyn Files,
    choice: &Choice,
    app: &App,
    settings: &Settings,
    wanted: impl Fn(&Finding) -> bool,
) -> Result<Outcome, FillError> {
    let mut outcome = fill_only(app, settings, &wanted)?;
    for _ in 0..MAX_READINGS {
        if outcome.changed.is_empty() {
            break;
        }
        let texts = outcome.changed.iter().map(|file| outcome.sources.file(*file));
        let written = texts.filter_map(|file| Some((file.path.clone(), file.bytes_to_write().ok()?)));
        let written: BTreeMap<_, _> = written.collect();
        let paths: Vec<_> = written.keys().cloned().collect();
        let overlay = Overlay::new(files, written);
        let Ok(again) = app.load_again(&overlay, choice, &paths) else { break };
        let Ok(more) = fill_only(&again, settings, &wanted) else { break };
        let Some(more) = brought_over(&again, more, &outcome.sources) else { break };
        let idle = more.changed.is_empty();
        for file in &more.changed {
            outcome.sources.replace(*file, more.sources.file(*file).text.as_ref());
        }
        outcome
            .changed
            .extend(more.changed.iter().filter(|file| !outcome.changed.contains(file)).copied().collect::<Vec<_>>());
        outcome.changed.sort_unstable();
        outcome.mended.extend(more.mended);
        (outcome.left, outcome.wants) = (more.left, more.wants);
        if idle {
            break;
        }
    }
    Ok(outcome)
}

/// How often an app is read anew.
const MAX_READINGS: usize = 4;

/// Puts what was found in an app that was read anew in terms of the texts that were read first; `None` where it is about another file.
fn brought_over(again: &App, more: Outcome, first: &Sources) -> Option<Outcome> {
    let known = |file: FileId| {
        let path = &again.sources.file(file).path;
        first.find_path(path)
    };
    let mut sources = first.clone();
    let mut changed = Vec::new();
    for file in &more.changed {
        let here = known(*file)?;
        sources.replace(here, more.sources.file(*file).text.as_ref());
        changed.push(here);
    }
    let place = |place: Place| Some(Place { file: known(place.file)?, span: place.span });
    let over = |finding: Finding| {
        let related = match finding.related {
            Some((at, label)) => Some((place(at)?, label)),
            None => None,
        };
        let remedy = match finding.remedy {
            Remedy::Edit { title, edits, makes } => {
                let edits = edits.into_iter().map(|(file, edits)| Some((known(file)?, edits)));
                Remedy::Edit { title, edits: edits.collect::<Option<_>>()?, makes }
            }
            other => other,
        };
        Some(Finding { place: place(finding.place)?, related, remedy, ..finding })
    };
    let mended = more.mended.into_iter().map(over).collect::<Option<_>>()?;
    let findings = more.left.findings.into_iter().map(over).collect::<Option<_>>()?;
    Some(Outcome { sources, changed, mended, left: Report { findings, ..more.left }, wants: more.wants })
}
