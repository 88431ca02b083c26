//! Facts about the platforms, kept as data, with typed look-up. No file is read and nothing is printed.
//!
//! The tables stand in `data/`, one fact a line, each with the source of its facts in its head. They are part of the
//! program and are read when first asked for. Beside them stand the words that all other crates share: what kinds of
//! declaration there are, on which platform, how bad it is when one is missing.
//!
//! ```
//! use elvask_platform::{Kind, Platform, android};
//!
//! assert_eq!(Kind::parse("url-scheme").and_then(Kind::platform), Some(Platform::Ios));
//! assert!(android::permission("android.permission.CAMERA").is_some());
//! ```

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

pub mod android;
mod behaviour;
pub mod capability;
mod confidence;
pub mod consent;
pub mod forms;
pub mod glossary;
pub mod gradle;
pub mod hash;
pub mod ios;
mod kind;
mod level;
mod linkfact;
mod lists;
pub mod manifest;
pub mod names;
pub mod native;
pub mod preferences;
pub mod prompts;
pub mod release;
pub mod services;
mod table;
#[cfg(test)]
mod tables;
mod version;
pub mod wording;

pub use behaviour::Behaviour;
pub use confidence::Confidence;
pub use kind::Kind;
pub use level::{Level, Strength};
pub use linkfact::LinkFact;
pub use lists::List;
pub use version::Version;

use serde::{Deserialize, Serialize};

/// What the tables are, all together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Tables {
    /// How many there are.
    pub count: &'static str,
    /// When they were checked last, as year and month.
    pub checked: &'static str,
    /// A sum over all of them: another one knows something else.
    pub sum: &'static str,
}

/// The tables of this build.
pub const TABLES: Tables = Tables {
    count: env!("ELVASK_TABLES_COUNT"),
    checked: env!("ELVASK_TABLES_CHECKED"),
    sum: env!("ELVASK_TABLES_SUM"),
};

/// The platforms that an app can have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Platform {
    /// Android.
    Android,
    /// iOS and iPadOS.
    Ios,
}

impl Platform {
    /// Returns the platform's name as people write it.
    #[must_use]
    pub fn title(self) -> &'static str {
        match self {
            Platform::Android => "Android",
            Platform::Ios => "iOS",
        }
    }

    /// Returns the platform's name in sheets and in JSON.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Platform::Android => "android",
            Platform::Ios => "ios",
        }
    }
}
