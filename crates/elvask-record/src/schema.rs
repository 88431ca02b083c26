//! The JSON Schemas of all that the program prints, by command.

use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema};

use super::*;

/// A document that a command prints.
pub struct Printed {
    /// The command, and its option where that makes another document of it, with hyphens between the words.
    pub command: &'static str,
    /// Returns its schema.
    pub schema: fn() -> Schema,
}

const fn printed<T: JsonSchema>(command: &'static str) -> Printed {
    // As they are written: what may be left out is not required.
    Printed {
        command,
        schema: || SchemaSettings::default().for_serialize().into_generator().into_root_schema_for::<T>(),
    }
}

/// All documents.
pub static ALL: [Printed; 38] = [
    printed::<CheckRecord>("check"),
    printed::<AllChecksRecord>("check-all"),
    printed::<SurveyRecord>("survey"),
    printed::<AllSurveysRecord>("survey-all"),
    printed::<VariantsRecord>("survey-variants"),
    printed::<MergedRecord>("survey-merged"),
    printed::<MatrixRecord>("survey-matrix"),
    printed::<FillRecord>("fill"),
    printed::<PlacingRecord>("place"),
    printed::<DeclareRecord>("declare"),
    printed::<WithdrawRecord>("withdraw"),
    printed::<TrimRecord>("trim"),
    printed::<WeighRecord>("weigh"),
    printed::<AccountRecord>("account-check"),
    printed::<IdentityRecord>("identity"),
    printed::<CompareRecord>("compare"),
    printed::<AccountServeRecord>("account-serve"),
    printed::<RequestRecord>("account-request"),
    printed::<PromptsRecord>("prompts"),
    printed::<InitRecord>("init"),
    printed::<WatchRecord>("watch"),
    printed::<VersionRecord>("version"),
    printed::<RecoverRecord>("recover"),
    printed::<WhyAnswersRecord>("why"),
    printed::<ExplainedRecord>("explain"),
    printed::<FoundRecord>("explain-found"),
    printed::<Vec<RuleLineRecord>>("explain-rules"),
    printed::<Vec<CapabilityLineRecord>>("explain-capabilities"),
    printed::<TryRecord>("link-try"),
    printed::<LinkTableRecord>("link-try-entries"),
    printed::<LinkTestRecord>("link-test"),
    printed::<LinkFilesRecord>("link-files"),
    printed::<AuditRecord>("link-audit"),
    printed::<ServeRecord>("link-serve"),
    printed::<FingerprintRecord>("fingerprint"),
    printed::<SheetListRecord>("sheet-list"),
    printed::<KnownRecord>("sheet-show"),
    printed::<SheetCheckRecord>("sheet-check"),
];
