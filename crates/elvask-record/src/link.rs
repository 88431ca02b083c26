//! The JSON of `link` and its commands.

use std::collections::BTreeMap;

use elvask_link::association::Document;
use elvask_link::audit::{Audit, Audited, Checked, OneSided};
use elvask_link::entries::LinkEntry;
use elvask_link::expect::Tested;
use elvask_link::route::Met;
use elvask_link::url::Link;
use elvask_link::{Attempt, Delivery, Outcome};
use elvask_platform::{Level, Platform};
use elvask_project::source::Sources;
use serde::Serialize;

use super::PlaceRecord;

/// What `link try` prints of one platform.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AttemptRecord {
    /// What opens.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Outcome"))]
    pub outcome: Outcome,
    /// The level or version of the device.
    pub device: String,
    /// The entries of the app that take the link.
    pub entries: Vec<HitRecord>,
    /// Whether the website vouches for the app; null where that is not known or plays no part.
    pub verified: Option<bool>,
    /// The link's parts.
    pub parts: PartsRecord,
    /// How the app is told.
    pub delivery: DeliveryRecord,
    /// The rule that decided.
    pub because: String,
    /// What a chooser shows.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub choices: Vec<String>,
    /// What else there is to know.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub notes: Vec<String>,
    /// The command lines that fire the link at a device.
    pub commands: Vec<String>,
}

/// An entry that takes a link.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct HitRecord {
    /// The full class name; an alias by its own name; null on iOS.
    pub component: Option<String>,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PlaceRecord,
}

/// How an app is told of a link; null for a state in which it is not told.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeliveryRecord {
    /// It does not run.
    pub closed: Option<String>,
    /// It runs and is not seen.
    pub background: Option<String>,
    /// It is in front.
    pub foreground: Option<String>,
}

impl DeliveryRecord {
    fn of(delivery: Option<&Delivery>) -> Self {
        delivery.map_or_else(DeliveryRecord::default, |delivery| DeliveryRecord {
            closed: Some(delivery.closed.clone()),
            background: Some(delivery.background.clone()),
            foreground: Some(delivery.foreground.clone()),
        })
    }
}

/// The parts of a link.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PartsRecord {
    /// The scheme.
    pub scheme: String,
    /// The host.
    pub host: String,
    /// The port, where one is written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub port: Option<u32>,
    /// The path.
    pub path: String,
    /// Its segments.
    pub segments: Vec<String>,
    /// The parameters.
    pub query: BTreeMap<String, ParameterRecord>,
    /// What stands behind `#`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fragment: Option<String>,
    /// The declared route that it meets.
    pub route: Option<RouteRecord>,
}

/// The value of a parameter in JSON: a text, or a list where the name stands several times.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(untagged)]
pub enum ParameterRecord {
    /// The name stands once.
    One(String),
    /// The name stands several times.
    Several(Vec<String>),
}

impl ParameterRecord {
    /// Turns the values of a parameter into a record.
    #[must_use]
    pub fn of(values: &[String]) -> Self {
        match values {
            [one] => ParameterRecord::One(one.clone()),
            several => ParameterRecord::Several(several.to_vec()),
        }
    }
}

/// A route that a link meets.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RouteRecord {
    /// What it opens.
    pub opens: String,
    /// The route's path.
    pub path: String,
    /// The parts that it reads.
    pub with: BTreeMap<String, String>,
}

impl PartsRecord {
    /// Turns the parts of a link into a record.
    #[must_use]
    pub fn of(link: &Link, met: Option<&Met<'_>>) -> Self {
        let parts = link.parts();
        PartsRecord {
            scheme: parts.scheme,
            host: parts.host,
            port: parts.port,
            path: parts.path,
            segments: parts.segments,
            query: parts.query.iter().map(|(name, values)| (name.clone(), ParameterRecord::of(values))).collect(),
            fragment: parts.fragment,
            route: met.map(|met| RouteRecord {
                opens: met.route.opens.clone(),
                path: met.route.path.clone(),
                with: met.with.iter().cloned().collect(),
            }),
        }
    }
}

impl AttemptRecord {
    /// Turns an attempt into a record.
    #[must_use]
    pub fn of(sources: &Sources, attempt: &Attempt, parts: PartsRecord, device: String, commands: Vec<String>) -> Self {
        let hit = |hit: &elvask_link::Hit| HitRecord {
            component: hit.component.clone(),
            place: PlaceRecord::of(sources, hit.place),
        };
        AttemptRecord {
            outcome: attempt.outcome,
            device,
            entries: attempt.entries.iter().map(hit).collect(),
            verified: attempt.verified,
            parts,
            delivery: DeliveryRecord::of(attempt.delivery.as_ref()),
            because: attempt.because.clone(),
            choices: attempt.choices.clone(),
            notes: attempt.notes.clone(),
            commands,
        }
    }
}

/// What `link try` prints of a link.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TryRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The link that is passed on.
    pub url: String,
    /// What was changed in the link as it was given.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub changes: Vec<String>,
    /// Android.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub android: Option<AttemptRecord>,
    /// iOS.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ios: Option<AttemptRecord>,
}

/// One entry of the table that `link try` prints without a link.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LinkEntryRecord {
    /// The platform.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// The activity or alias; null on iOS.
    pub component: Option<String>,
    /// What it takes.
    pub takes: String,
    /// A link to try.
    pub example: Option<String>,
    /// Whether the website must vouch for it.
    pub verified: bool,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PlaceRecord,
}

impl LinkEntryRecord {
    /// Turns an entry into a record.
    #[must_use]
    pub fn of(sources: &Sources, entry: &LinkEntry) -> Self {
        LinkEntryRecord {
            platform: entry.platform,
            component: entry.component.clone(),
            takes: entry.takes.clone(),
            example: entry.example.clone(),
            verified: entry.verified,
            place: PlaceRecord::of(sources, entry.place),
        }
    }
}

/// One expectation on one platform.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TestedRecord {
    /// The link.
    pub url: String,
    /// What it must open.
    pub opens: String,
    /// The platform.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// The Android variant, where there are several.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub variant: Option<String>,
    /// Whether it does.
    pub passed: bool,
    /// What opens.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Outcome"))]
    pub outcome: Outcome,
    /// Why it does not; null where it does.
    pub failure: Option<String>,
    /// The rule that decided.
    pub because: String,
    /// Where the expectation stands.
    #[serde(flatten)]
    pub place: Option<PlaceRecord>,
}

impl TestedRecord {
    /// Turns a result into a record.
    #[must_use]
    pub fn of(sources: &Sources, tested: &Tested<'_>) -> Self {
        TestedRecord {
            url: tested.test.url.text.clone(),
            opens: tested.test.opens.text.clone(),
            platform: tested.platform,
            variant: tested.variant.clone(),
            passed: tested.failure.is_none(),
            outcome: tested.attempt.outcome,
            failure: tested.failure.clone(),
            because: tested.attempt.because.clone(),
            place: tested.place.map(|place| PlaceRecord::of(sources, place)),
        }
    }
}

/// What `link try` prints without a link.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LinkTableRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The entries of the app.
    pub entries: Vec<LinkEntryRecord>,
}

/// What `link test` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LinkTestRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The folder of the website; null where there is none.
    pub site: Option<String>,
    /// The expectations.
    pub tests: Vec<TestedRecord>,
    /// How many are met.
    pub passed: usize,
    /// How many are not.
    pub failed: usize,
}

/// What `link audit` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AuditRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The website that was asked; null where each host was.
    pub site: Option<String>,
    /// The files, by host.
    pub files: Vec<AuditedRecord>,
    /// Hosts that only one side knows.
    pub one_sided: Vec<OneSidedRecord>,
    /// How many checks are errors.
    pub errors: usize,
    /// How many are warnings.
    pub warnings: usize,
}

/// What one file of one host comes to.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AuditedRecord {
    /// The host that is asked.
    pub host: String,
    /// The hosts as the app declares them.
    pub declared: Vec<String>,
    /// The file.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Document"))]
    pub document: Document,
    /// Where it was looked for: a path or an address.
    pub at: String,
    /// All that was looked at, in the order in which devices do.
    pub checks: Vec<CheckedRecord>,
}

/// One thing that was looked at.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CheckedRecord {
    /// What, in a few words.
    pub what: &'static str,
    /// How bad it is; null where all is well.
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Level>"))]
    pub level: Option<Level>,
    /// What is wrong, or what was found.
    pub message: String,
    /// What mends it; empty where nothing has to be done.
    pub remedy: String,
}

/// A host that only one side knows.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct OneSidedRecord {
    /// The host.
    pub host: String,
    /// What is wrong.
    pub message: String,
    /// How bad it is.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Level"))]
    pub level: Level,
}

impl AuditRecord {
    /// Turns an audit into a record.
    #[must_use]
    pub fn of(audit: &Audit, site: Option<String>, errors: usize, warnings: usize) -> Self {
        let checked = |one: &Checked| CheckedRecord {
            what: one.what,
            level: one.level,
            message: one.message.clone(),
            remedy: one.remedy.clone(),
        };
        let audited = |one: &Audited| AuditedRecord {
            host: one.host.clone(),
            declared: one.declared.clone(),
            document: one.document,
            at: one.at.clone(),
            checks: one.checks.iter().map(checked).collect(),
        };
        let one_sided =
            |one: &OneSided| OneSidedRecord { host: one.host.clone(), message: one.message.clone(), level: one.level };
        AuditRecord {
            format: super::FORMAT,
            site,
            files: audit.files.iter().map(audited).collect(),
            one_sided: audit.one_sided.iter().map(one_sided).collect(),
            errors,
            warnings,
        }
    }
}

/// What `link serve` prints when it serves.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ServeRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The address.
    pub address: String,
}
