//! Everything that the program prints as JSON: one type for each document, as plain data.
//!
//! Within [`FORMAT`] 1 there are only additions: a field keeps its name, its type and its meaning.
//!
//! Paths are relative to the app, with forward slashes; lines and columns count from 1, columns in characters; `start` and
//! `end` are byte offsets.

mod compare;
mod explain;
mod identity;
mod known;
mod link;
mod matrix;
mod others;
mod prompts;
#[cfg(feature = "schema")]
pub mod schema;
mod survey;
mod weigh;
#[cfg(feature = "schema")]
mod words;
mod writing;

pub use explain::*;
pub use others::*;
pub use weigh::{AskRecord, CostRecord, WeighRecord, WeighedRecord, WrittenRecord};
pub use writing::*;

pub use compare::{CompareRecord, ComparedRecord};
pub use identity::{IdentityRecord, LeftRecord, SaidRecord};
pub use known::{DoubtfulRecord, KnownRecord, RequirementRecord, when};
pub use link::{
    AttemptRecord, AuditRecord, AuditedRecord, CheckedRecord, DeliveryRecord, HitRecord, LinkEntryRecord,
    LinkTableRecord, LinkTestRecord, OneSidedRecord, ParameterRecord, PartsRecord, RouteRecord, ServeRecord,
    TestedRecord, TryRecord,
};
pub use matrix::{MatrixRecord, MatrixRowRecord};
pub use prompts::{BehindRecord, ButtonRecord, MetRecord, PromptRecord, PromptsRecord, RoomRecord, ShownRecord};
pub use survey::{
    DeclarationRecord, DifferenceRecord, EntryPointRecord, PluginRecord, SurveyRecord, TranslationRecord,
    UnresolvedRecord, ValueRecord, VariantsRecord, WhoRecord, WhyRecord, WidgetDeclarationRecord, WidgetRecord,
};

use std::collections::{BTreeMap, BTreeSet};

use elvask_needs::reach::Reach;
use elvask_needs::remedy::{Remedy, Want};
use elvask_needs::requirement::Citation;
use elvask_platform::android::Grant;
use elvask_platform::{Platform, Strength, Version};
use elvask_project::appfiles::{Said, Widget, WidgetDeclaration};
use elvask_project::layout::Layout;
use elvask_project::source::{Place, Sources};
use serde::Serialize;

use elvask_core::app::App;
use elvask_core::check::Report;
use elvask_core::finding::{Finding, Level, NeededBy};
use elvask_core::judged::Judged;
use elvask_core::release::{Verdict, worst};
use elvask_core::survey::{Declaration, Difference, Survey};
use elvask_core::why::Answer;

/// The version of the JSON.
pub const FORMAT: u32 = 1;

/// A file with a line and a column.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PlaceRecord {
    /// The file.
    pub file: String,
    /// The line.
    pub line: usize,
    /// The column.
    pub column: usize,
}

impl PlaceRecord {
    /// Turns a place into a record.
    #[must_use]
    pub fn of(sources: &Sources, place: Place) -> Self {
        let at = sources.position(place);
        PlaceRecord { file: sources.file(place.file).shown.clone(), line: at.line, column: at.column }
    }
}

/// The app that was looked at.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AppRecord {
    /// Its layouts.
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::words::Layout>"))]
    pub layouts: Vec<Layout>,
    /// Its Android side.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub android: Option<AndroidRecord>,
    /// Its iOS side.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ios: Option<IosRecord>,
}

/// The Android side of an app.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AndroidRecord {
    /// The application id; null where it is not stated in so many words.
    pub id: Option<String>,
    /// The lowest level; null where it is not stated in so many words.
    pub min_level: Option<u32>,
    /// The target level; null where it is not stated in so many words.
    pub target_level: Option<u32>,
    /// The variants that are judged.
    pub variants: Vec<String>,
}

/// The iOS side of an app.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct IosRecord {
    /// The bundle id; null where it is not stated in so many words.
    pub id: Option<String>,
    /// The lowest version; null where it is not stated in so many words.
    #[cfg_attr(feature = "schema", schemars(with = "Option<String>"))]
    pub min_version: Option<Version>,
    /// The target that is judged; null where there is no project.
    pub target: Option<String>,
    /// The configuration that is judged.
    pub configuration: String,
}

impl AppRecord {
    /// Turns an app into a record.
    #[must_use]
    pub fn of(app: &App) -> Self {
        let android = app.android.as_ref().map(|android| AndroidRecord {
            id: android.id.value.clone(),
            min_level: android.min_level.value,
            target_level: android.target_level.value,
            variants: android.judged().map(|variant| variant.name.clone()).collect(),
        });
        let ios = app.ios.as_ref().map(|ios| IosRecord {
            id: ios.id.value.clone(),
            min_version: ios.min_version.value,
            target: ios.target.clone(),
            configuration: ios.configuration.clone(),
        });
        AppRecord { layouts: app.layouts.clone(), android, ios }
    }
}

/// Who needs something.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct NeededByRecord {
    /// The plugin.
    pub plugin: String,
    /// Its installed version.
    pub version: Option<String>,
    /// Where it was learnt: `sheet`, `manifest`, `source`, `readme`, `build`.
    pub evidence: &'static str,
    /// The file that says so.
    pub file: String,
    /// The line that says so.
    pub line: usize,
    /// The line itself.
    pub quote: String,
    /// What else shows it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<CitationRecord>,
    /// Its own manifest declares it, so that the build brings it into the app.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub merged_in: bool,
    /// The capability that it is part of.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub capability: Option<&'static str>,
    /// Why, in the words of the sheet.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
    /// Where the plugin's own notes say so.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reference: Option<String>,
    /// How it comes to this app: `always`, `used`, `part` or `out`.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Reach"))]
    pub reach: Reach,
    /// Why it is taken to be so.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub because: String,
}

impl NeededByRecord {
    /// Makes the record of who needs something.
    #[must_use]
    pub fn of(needed: &NeededBy) -> Self {
        let mut citations = needed.learnt.iter().map(|citation| CitationRecord::of(citation));
        let first = citations.next();
        NeededByRecord {
            plugin: needed.plugin.clone(),
            version: needed.version.clone(),
            evidence: first.as_ref().map_or("sheet", |first| first.kind),
            line: first.as_ref().map_or(1, |first| first.line),
            quote: first.as_ref().map(|first| first.quote.clone()).unwrap_or_default(),
            file: first.map(|first| first.file).unwrap_or_default(),
            also: citations.collect(),
            merged_in: needed.brought,
            capability: needed.capability,
            reason: needed.reason.clone(),
            reference: needed.reference.clone(),
            reach: needed.reached.reach,
            because: needed.reached.because.to_string(),
        }
    }
}

/// A line that shows that something is required.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CitationRecord {
    /// The kind of evidence: `sheet`, `manifest`, `source`, `readme`, `build`.
    pub kind: &'static str,
    /// The file.
    pub file: String,
    /// The line, counted from 1.
    pub line: usize,
    /// The column, counted from 1, in characters.
    pub column: usize,
    /// The line itself, without the space around it.
    pub quote: String,
}

impl CitationRecord {
    /// Makes the record of a citation.
    #[must_use]
    pub fn of(citation: &Citation) -> Self {
        CitationRecord {
            kind: citation.kind.id(),
            file: citation.file.clone(),
            line: citation.line,
            column: citation.column,
            quote: citation.quote.clone(),
        }
    }
}

/// One replacement.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct EditRecord {
    /// The file.
    pub file: String,
    /// The first byte that is replaced.
    pub start: usize,
    /// The byte past the last one that is replaced.
    pub end: usize,
    /// The new text.
    pub insert: String,
}

/// What is wanted of the owner.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(tag = "want", rename_all = "lowercase")]
pub enum WantRecord {
    /// A purpose.
    Purpose {
        /// The key that holds it.
        key: String,
        /// The capabilities under which it may be given.
        capabilities: Vec<&'static str>,
        /// The words of a command line that give it.
        option: String,
    },
    /// An answer.
    Answer {
        /// The plugin.
        plugin: String,
        /// The name of the answer.
        key: String,
        /// What it is.
        title: Option<String>,
        /// The words of a command line that give it.
        option: String,
    },
    /// A consent.
    Consent {
        /// What is asked for.
        subject: String,
        /// What it means.
        meaning: String,
        /// The words of a command line that give it.
        option: String,
    },
}

impl From<&Want> for WantRecord {
    fn from(want: &Want) -> Self {
        let option = want.option();
        match want.clone() {
            Want::Purpose { key, capabilities } => WantRecord::Purpose { key, capabilities, option },
            Want::Answer { plugin, key, title, .. } => WantRecord::Answer { plugin, key, title, option },
            Want::Consent { subject, meaning } => WantRecord::Consent { subject, meaning, option },
        }
    }
}

/// What mends a finding.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RemedyRecord {
    /// `edit`, `answer` or `manual`.
    pub kind: &'static str,
    /// The lines to add, or the steps to take.
    pub text: String,
    /// The edits; empty for the other kinds.
    pub edits: Vec<EditRecord>,
    /// What is wanted of the owner first.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub wants: Vec<WantRecord>,
}

/// A finding.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FindingRecord {
    /// The rule's id.
    pub rule: &'static str,
    /// `error`, `warning` or `note`.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Level"))]
    pub level: Level,
    /// The platform; null where it concerns neither or both.
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Platform>"))]
    pub platform: Option<Platform>,
    /// What it is about.
    pub subject: String,
    /// What is wrong.
    pub message: String,
    /// What happens if it stays.
    pub effect: String,
    /// Where.
    #[serde(flatten)]
    pub place: PlaceRecord,
    /// Who needs it.
    pub needed_by: Vec<NeededByRecord>,
    /// The variants that it holds for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub variants: Vec<String>,
    /// What mends it.
    pub remedy: RemedyRecord,
    /// Whether `fill` mends it only where `--only` names it; a note is always so.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub only_if_named: bool,
    /// The reason for which it is accepted.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub waived: Option<String>,
}

impl FindingRecord {
    /// Turns a finding into a record.
    #[must_use]
    pub fn of(sources: &Sources, finding: &Finding) -> Self {
        let (mut edits, mut wants) = (Vec::new(), Vec::new());
        match &finding.remedy {
            Remedy::Edit { edits: files, .. } => {
                for (file, list) in files {
                    edits.extend(list.iter().map(|edit| EditRecord {
                        file: sources.file(*file).shown.clone(),
                        start: edit.start,
                        end: edit.end,
                        insert: edit.insert.clone(),
                    }));
                }
            }
            Remedy::Answer { wants: list, .. } => wants = list.iter().map(WantRecord::from).collect(),
            Remedy::Manual(_) => {}
        }
        FindingRecord {
            rule: finding.rule.id,
            level: finding.level,
            platform: finding.platform,
            subject: finding.subject.clone(),
            message: finding.message.clone(),
            effect: finding.effect.clone(),
            place: PlaceRecord::of(sources, finding.place),
            needed_by: finding.needed_by.iter().map(NeededByRecord::of).collect(),
            variants: finding.variants.clone(),
            remedy: RemedyRecord { kind: finding.remedy.kind(), text: finding.remedy.text(), edits, wants },
            only_if_named: finding.only_if_named,
            waived: finding.waived.clone(),
        }
    }
}

/// How many findings there are.
#[derive(Debug, Clone, Copy, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SummaryRecord {
    /// Errors that are not waived.
    pub errors: usize,
    /// Warnings that are not waived.
    pub warnings: usize,
    /// Notes that are not waived.
    pub notes: usize,
    /// Waived findings of any level.
    pub waived: usize,
}

impl SummaryRecord {
    /// Counts the findings of a report.
    #[must_use]
    pub fn of(report: &Report) -> Self {
        SummaryRecord {
            errors: report.count(Level::Error),
            warnings: report.count(Level::Warning),
            notes: report.count(Level::Note),
            waived: report.waived(),
        }
    }
}

/// What `check` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CheckRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The app.
    pub app: AppRecord,
    /// The findings; waived ones only where they were asked for.
    pub findings: Vec<FindingRecord>,
    /// How many there are.
    pub summary: SummaryRecord,
    /// How many there are of each rule, those of no rule left out; waived ones do not count.
    pub rules: BTreeMap<&'static str, usize>,
    /// How many more there are that were not asked for; `summary` does not count them.
    pub not_shown: usize,
    /// Each side of the app, with what it was held against.
    pub judged: Vec<JudgedRecord>,
    /// With `--release`: what is made sure of before a release, in the order in which it would be stopped.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub release: Vec<PointRecord>,
}

/// One thing that is made sure of before a release.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PointRecord {
    /// Who would stop the release there: `build`, `upload` (the store's machines), `review` (a person at the store) or `device` (it ships, and fails
    /// there).
    pub stage: &'static str,
    /// What is right when all is well.
    pub point: &'static str,
    /// The platform; null for both.
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Platform>"))]
    pub platform: Option<Platform>,
    /// How bad the worst finding there is; null where there is none. Waived ones do not count.
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Level>"))]
    pub worst: Option<Level>,
    /// The rules of its findings.
    pub rules: Vec<&'static str>,
    /// Why it could not be looked at, or not at all of it; null where it was.
    pub not_seen: Option<String>,
}

impl PointRecord {
    fn of(report: &Report, verdict: &Verdict) -> Self {
        let found = || verdict.findings(&report.findings).filter(|finding| finding.counts());
        let rules: BTreeSet<&'static str> = found().map(|finding| finding.rule.id).collect();
        PointRecord {
            stage: verdict.point.stage.id(),
            point: verdict.point.title,
            platform: verdict.point.platform,
            worst: worst(found()),
            rules: rules.into_iter().collect(),
            not_seen: verdict.not.clone(),
        }
    }
}

/// A side of an app, and what it was held against.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct JudgedRecord {
    /// The side.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// Whether it was judged.
    pub judged: bool,
    /// How many packages it was held against; of a side that was not judged, how many have needs there.
    pub plugins: usize,
    /// How many different things they need there.
    pub needs: usize,
    /// Why it was not judged.
    pub because: Option<String>,
}

impl JudgedRecord {
    /// Turns a side into a record.
    #[must_use]
    pub fn of(side: &Judged) -> Self {
        let (judged, because) = (side.not.is_none(), side.not.clone());
        JudgedRecord { platform: side.platform, judged, plugins: side.plugins, needs: side.needs, because }
    }
}

/// Counts the findings of each rule that are not waived.
fn by_rule(report: &Report) -> BTreeMap<&'static str, usize> {
    let mut rules = BTreeMap::new();
    for finding in report.findings.iter().filter(|finding| finding.counts()) {
        *rules.entry(finding.rule.id).or_default() += 1;
    }
    rules
}

impl CheckRecord {
    /// Turns a report into a record, with waived findings where `waived` says so. `not_shown` is how many findings it lacks.
    #[must_use]
    pub fn of(app: &App, sources: &Sources, report: &Report, not_shown: usize, waived: bool) -> Self {
        let listed = report.findings.iter().filter(|finding| waived || finding.counts());
        CheckRecord {
            format: FORMAT,
            app: AppRecord::of(app),
            findings: listed.map(|finding| FindingRecord::of(sources, finding)).collect(),
            summary: SummaryRecord::of(report),
            rules: by_rule(report),
            not_shown,
            judged: report.judged.iter().map(JudgedRecord::of).collect(),
            release: match not_shown {
                0 => report
                    .release
                    .iter()
                    .flat_map(|release| &release.points)
                    .map(|one| PointRecord::of(report, one))
                    .collect(),
                // Of points whose findings are left out nobody could say that they are right.
                _ => Vec::new(),
            },
        }
    }
}
