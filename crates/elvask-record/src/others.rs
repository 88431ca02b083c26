//! The JSON of `demo`, `fingerprint`, `sheet list`, `sheet check`, `why` and of the commands that look at all apps of a repository.

use serde::Serialize;

use super::{CheckRecord, FindingRecord, KnownRecord, SurveyRecord, WhyRecord};

/// What `--version --format json` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct VersionRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The program.
    pub name: &'static str,
    /// Its version.
    pub version: &'static str,
    /// The tables of platform facts that it goes by.
    pub tables: TablesRecord,
}

/// The tables of platform facts.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TablesRecord {
    /// How many there are.
    pub count: u32,
    /// When they were checked last, as year and month.
    pub checked: &'static str,
    /// A sum over all of them: where it is another one, something else is known.
    pub sum: &'static str,
}

/// What `watch` prints of each check, in one line.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WatchRecord {
    /// The files that changed since the check before; empty for the first.
    pub changed: Vec<String>,
    /// The check.
    #[serde(flatten)]
    pub check: CheckRecord,
}

/// What `check --all` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AllChecksRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The apps.
    pub apps: Vec<AppCheckRecord>,
}

/// The check of one app of a repository.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AppCheckRecord {
    /// The app's folder, from the current one.
    pub path: String,
    /// Its check.
    #[serde(flatten)]
    pub check: CheckRecord,
}

/// What `survey --all` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AllSurveysRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The apps.
    pub apps: Vec<AppSurveyRecord>,
}

/// The survey of one app of a repository.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AppSurveyRecord {
    /// The app's folder, from the current one.
    pub path: String,
    /// Its survey.
    #[serde(flatten)]
    pub survey: SurveyRecord,
}

/// What `survey --merged` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct MergedRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The variant.
    pub variant: String,
    /// The manifest as the build merges it.
    pub manifest: String,
}

/// What `why` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WhyAnswersRecord {
    /// The version of the JSON.
    pub format: u32,
    /// What was asked for.
    pub subject: String,
    /// What it stands for, one answer for each.
    pub answers: Vec<WhyRecord>,
}

/// What `sheet list` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SheetListRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The plugins.
    pub plugins: Vec<KnownRecord>,
}

/// What `sheet check` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SheetCheckRecord {
    /// The version of the JSON.
    pub format: u32,
    /// How many sheets were read.
    pub sheets: usize,
    /// The mistakes.
    pub findings: Vec<FindingRecord>,
}

/// What `fingerprint` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FingerprintRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The file.
    pub file: String,
    /// What it is.
    pub store: &'static str,
    /// Its certificates.
    pub certificates: Vec<CertificateRecord>,
}

/// A certificate.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CertificateRecord {
    /// Its alias in the store.
    pub alias: Option<String>,
    /// Whether the store holds the key that belongs to it.
    pub has_key: bool,
    /// Whom it names.
    pub subject: String,
    /// The last day on which it is valid.
    pub until: String,
    /// Its fingerprint, as association files have it.
    pub sha256: String,
    /// The older one, which some services ask for.
    pub sha1: String,
}

/// What `demo` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DemoRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The folder of the sample app.
    pub folder: String,
    /// The commands that were run; none where the app was only unpacked.
    pub steps: Vec<StepRecord>,
}

/// A command of the demo.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StepRecord {
    /// The words of the command line.
    pub command: Vec<String>,
    /// Its exit code.
    pub exit: i32,
    /// Its JSON.
    pub output: serde_json::Value,
}
