//! The JSON of `weigh`.

use elvask_core::weigh::Ask;

use super::*;

/// What `weigh` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WeighRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The app that they are weighed for.
    pub app: AppRecord,
    /// The packages, in the order in which they are named.
    pub packages: Vec<WeighedRecord>,
}

/// A package, and what it would ask of the app.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WeighedRecord {
    /// Its name.
    pub package: String,
    /// Its version.
    pub version: Option<String>,
    /// The version that the app has already; null where it does not have the package.
    pub replaces: Option<String>,
    /// The platforms of the app for which it has no code.
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::words::Platform>"))]
    pub without: Vec<Platform>,
    /// What it costs, in numbers.
    pub cost: CostRecord,
    /// What it needs.
    pub asks: Vec<AskRecord>,
    /// What only the owner can say.
    pub wants: Vec<WantRecord>,
    /// What a person does by hand, each thing once.
    pub by_hand: Vec<String>,
    /// The files that `fill` would write for it; null where that is not known, as something cannot be read.
    pub files: Option<Vec<WrittenRecord>>,
    /// What could not be looked into, or is not known of it.
    pub limits: Vec<String>,
}

/// What a package costs, in numbers.
#[derive(Debug, Clone, Copy, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CostRecord {
    /// Permissions that the app does not have yet.
    pub permissions: usize,
    /// Dialogs of the system that nobody sees yet.
    pub prompts: usize,
    /// Purposes that the owner has to word.
    pub purposes: usize,
    /// Other values that only the owner knows.
    pub answers: usize,
    /// Forms that the stores want filled in.
    pub store_forms: usize,
    /// Entitlements that the developer account has to grant.
    pub entitlements: usize,
    /// Levels that are raised, so that devices fall away.
    pub raised_levels: usize,
    /// Things that the app has already.
    pub met: usize,
    /// Things that only those need who use a part of it.
    pub of_parts: usize,
    /// Lines that `fill` would add or change.
    pub lines: usize,
}

/// One thing that a package needs.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AskRecord {
    /// Where.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// The kind of requirement.
    pub kind: &'static str,
    /// What identifies it to the platform.
    pub name: String,
    /// The value.
    pub value: Option<String>,
    /// `open` (somebody has to declare it), `comes` (the build brings it in), `met` (the app has it), `met-by-another` (the app has one of several of
    /// which one is enough), `unknown` (only the build knows the app's own level).
    pub how: &'static str,
    /// How it would come to the app.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Reach"))]
    pub reach: Reach,
    /// Whether only those need it who use a part of the package.
    pub of_a_part: bool,
    /// Whether people see a dialog of the system for it.
    pub prompts: bool,
    /// What the store wants to know of it.
    pub store_form: Option<&'static str>,
    /// What it means to whoever updates; empty where they do not notice it.
    pub meaning: String,
    /// The lines that show it.
    pub evidence: Vec<CitationRecord>,
}

impl From<&Ask> for AskRecord {
    fn from(ask: &Ask) -> Self {
        AskRecord {
            platform: ask.platform,
            kind: ask.need.kind().id(),
            name: ask.name.clone(),
            value: ask.need.value(),
            how: ask.how.id(),
            reach: ask.reached.reach,
            of_a_part: ask.is_of_a_part(),
            prompts: ask.prompts(),
            store_form: ask.store_form(),
            meaning: ask.meaning.clone(),
            evidence: ask.learnt.iter().map(|citation| CitationRecord::of(citation)).collect(),
        }
    }
}

/// A file that would be written.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WrittenRecord {
    /// The file.
    pub file: String,
    /// The lines that come.
    pub added: usize,
    /// The lines that go.
    pub removed: usize,
}
