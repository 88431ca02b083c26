//! How bad it is when something is not as it must be.

use serde::{Deserialize, Serialize};

/// How sure a requirement is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Strength {
    /// The plugin does not work without it.
    Certain,
    /// It is probably needed.
    Likely,
    /// It is worth having.
    Optional,
}

/// How bad a finding is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Level {
    /// It is worth knowing.
    Note,
    /// It is probably a mistake.
    Warning,
    /// It breaks on a device, in the build or in review.
    Error,
}

impl Level {
    /// Returns the word for it.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Level::Error => "error",
            Level::Warning => "warning",
            Level::Note => "note",
        }
    }

    /// Reads the word for it.
    pub(crate) fn parse(word: &str) -> Option<Level> {
        [Level::Error, Level::Warning, Level::Note].into_iter().find(|level| level.id() == word)
    }

    /// Returns how bad it is when something is missing that whoever has the plugin needs with this strength.
    #[must_use]
    pub fn of_strength(strength: Strength) -> Level {
        match strength {
            Strength::Certain => Level::Error,
            Strength::Likely => Level::Warning,
            Strength::Optional => Level::Note,
        }
    }
}
