//! The JSON of `identity`.

use elvask_core::identity::{Left, Said};

use super::*;

/// What `identity --format json` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct IdentityRecord {
    /// The version of the JSON.
    pub format: u32,
    /// The places that say who the app is; with `--set`, those that are changed, with the new values.
    pub places: Vec<SaidRecord>,
    /// What decides whether a device replaces the installed app, in sentences.
    pub replaces: Vec<String>,
    /// What is left to a person.
    pub left: Vec<LeftRecord>,
    /// With `--built`: the fingerprints of the certificates that signed it, SHA-256.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub signed_with: Vec<String>,
    /// Whether anything was written.
    pub written: bool,
    /// The files that were changed, or would be.
    pub files: Vec<FileRecord>,
}

/// A place that says who the app is.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SaidRecord {
    /// Which part: `id`, `name`, `version` or `build`.
    pub part: &'static str,
    /// The platform; null for what is said for both.
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Platform>"))]
    pub platform: Option<Platform>,
    /// For whom: variants, or targets with a slash and their configuration, or a file.
    pub of: Vec<String>,
    /// The language in which it is said; null for what holds in all others.
    pub language: Option<String>,
    /// The value; null where only the build knows it.
    pub value: Option<String>,
    /// The expression, where the value is not known.
    pub written: Option<String>,
    /// Where.
    pub place: Option<PlaceRecord>,
    /// Whether it is of what ships.
    pub ships: bool,
    /// Why it is not what counts; null where it is.
    pub idle: Option<String>,
}

impl SaidRecord {
    /// Turns what is said into a record.
    #[must_use]
    pub fn of(sources: &Sources, said: &Said) -> Self {
        SaidRecord {
            part: said.part.word(),
            platform: said.platform,
            of: said.of.clone(),
            language: said.language.clone(),
            value: said.value.clone(),
            written: said.written.clone(),
            place: said.place.map(|place| PlaceRecord::of(sources, place)),
            ships: said.ships,
            idle: said.idle.clone(),
        }
    }
}

/// What is left to a person.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LeftRecord {
    /// Where; null for what stands in no file of the app.
    pub place: Option<PlaceRecord>,
    /// What, in a sentence.
    pub why: String,
}

impl LeftRecord {
    /// Turns it into a record.
    #[must_use]
    pub fn of(sources: &Sources, left: &Left) -> Self {
        LeftRecord { place: left.place.map(|place| PlaceRecord::of(sources, place)), why: left.why.clone() }
    }
}
