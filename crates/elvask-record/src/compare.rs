//! The JSON of `compare`.

use elvask_core::compare::Difference;

use super::*;

/// What `compare` prints as JSON.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CompareRecord {
    /// The version of the JSON.
    pub format: u32,
    /// What was looked at as the old side.
    pub old: String,
    /// What was looked at as the new side.
    pub new: String,
    /// What differs.
    pub differences: Vec<ComparedRecord>,
}

/// A difference between two surfaces.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ComparedRecord {
    /// `gained`, `lost` or `changed`.
    pub turn: &'static str,
    /// The word by which `--fail-on` knows it.
    pub class: &'static str,
    /// Where.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// The kind of thing.
    pub kind: String,
    /// What identifies it to the platform.
    pub name: String,
    /// Its value; of what is lost, the value that it had.
    pub value: Option<String>,
    /// The value before, where that changed.
    pub before: Option<String>,
    /// What it means to whoever updates; empty where it means nothing to them.
    pub meaning: String,
}

impl From<&Difference> for ComparedRecord {
    fn from(one: &Difference) -> Self {
        ComparedRecord {
            turn: one.turn.word(),
            class: one.class,
            platform: one.fact.platform,
            kind: one.fact.kind.clone(),
            name: one.fact.name.clone(),
            value: one.fact.value.clone(),
            before: one.before.clone(),
            meaning: one.meaning.clone(),
        }
    }
}
