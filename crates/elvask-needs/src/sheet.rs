//! Sheets: the TOML documents that state what one plugin requires.
//!
//! A sheet comes from somebody else. It is read with limits, its names may hold nothing that a platform would not take
//! for a name, and nothing in it can name a file to write to.

mod read;

pub use read::{REQUIRED, TOP};
pub mod write;

use elvask_markup::Span;
use elvask_platform::capability::Capability;
use elvask_platform::{Platform, Strength};
use elvask_project::tomldoc::{Problem, Text};
use semver::VersionReq;

use crate::kinds;
use crate::requirement::{Need, When};

/// The name of the sheet in the root of a package.
pub const FILE_NAME: &str = "elvask-sheet.toml";

/// Returns the format as JSON Schema: what is common to all requirements, and the piece of each kind.
#[must_use]
pub fn schema() -> serde_json::Value {
    // The text is part of the program, and a test reads it.
    let mut schema: serde_json::Value = serde_json::from_str(include_str!("sheet/schema.json")).unwrap_or_default();
    let required = "/properties/requires/items/properties";
    for spec in kinds::KINDS {
        let about = spec.about();
        let Some(key) = about.key else { continue };
        let under = match about.kind.platform() {
            Some(platform) => format!("{required}/{}/properties", platform.id()),
            None => required.to_owned(),
        };
        if let Some(properties) = schema.pointer_mut(&under).and_then(serde_json::Value::as_object_mut) {
            properties.insert(key.to_owned(), spec.schema());
        }
    }
    schema
}

/// The largest sheet that is read, in bytes.
pub const MAX_SHEET: usize = 256 * 1024;

/// The longest pattern of an answer, and the longest value that is held against one, in bytes.
pub const MAX_PATTERN: usize = 256;
const MAX_ANSWER: usize = 4096;

/// The most requirements that one sheet states.
pub const MAX_REQUIRED: usize = 500;

/// The most requirements that all sheets of an app's packages state together.
pub const MAX_REQUIRED_OF_APP: usize = 4000;

/// A sheet.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Sheet {
    /// The plugin, as the dependency file names it.
    pub plugin: Text,
    /// The versions of the plugin that the sheet speaks about.
    pub versions: Option<(VersionReq, Text)>,
    /// The platforms that the plugin works on.
    pub platforms: Vec<Platform>,
    /// Where the list of platforms stands, if the sheet has one.
    pub platforms_span: Option<Span>,
    /// Where the plugin's own notes are.
    pub reference: Option<String>,
    /// Parts that an app turns on.
    pub features: Vec<Feature>,
    /// What is required.
    pub requires: Vec<Required>,
    /// Values that the app's owner gives.
    pub answers: Vec<Answer>,
}

/// A part of a plugin that an app turns on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Feature {
    /// The name in `elvask.toml`.
    pub name: Text,
    /// The name for people.
    pub title: Option<String>,
}

/// A value that the app's owner gives.
#[derive(Debug, Clone)]
pub struct Answer {
    /// The name in curly brackets.
    pub key: Text,
    /// What it is and where to find it.
    pub title: Option<String>,
    /// What a value must look like.
    pub pattern: Option<regex_lite::Regex>,
    /// Known test values.
    pub samples: Vec<String>,
}

impl PartialEq for Answer {
    fn eq(&self, other: &Self) -> bool {
        let pattern = |answer: &Answer| answer.pattern.as_ref().map(|pattern| pattern.as_str().to_owned());
        (&self.key, &self.title, pattern(self), &self.samples)
            == (&other.key, &other.title, pattern(other), &other.samples)
    }
}

impl Answer {
    /// Returns what a value must look like, as the sheet has it.
    #[must_use]
    pub fn form(&self) -> Option<&str> {
        Some(self.pattern.as_ref()?.as_str())
    }

    /// Says whether a value looks as it must.
    #[must_use]
    pub fn fits(&self, value: &str) -> bool {
        let form = self.pattern.as_ref();
        form.is_none_or(|pattern| value.len() <= MAX_ANSWER && pattern.is_match(value))
    }
}

/// What one entry of a sheet asks for.
#[derive(Debug, Clone, PartialEq)]
pub enum Asked {
    /// All that a capability stands for.
    Capability(Capability),
    /// One thing on one platform.
    Need {
        /// What identifies it to the platform.
        name: String,
        /// What exactly.
        need: Need,
    },
}

/// One entry of a sheet.
#[derive(Debug, Clone, PartialEq)]
pub struct Required {
    /// What it asks for.
    pub asked: Asked,
    /// The line that says so.
    pub span: Span,
    /// The feature that it belongs to.
    pub feature: Option<Text>,
    /// When it holds.
    pub when: When,
    /// How sure it is.
    pub strength: Strength,
    /// Several with the same word here are alternatives: one of them is enough.
    pub one_of: Option<String>,
    /// Why it is needed.
    pub reason: Option<String>,
    /// Where the plugin's own notes say so.
    pub reference: Option<String>,
}

impl Sheet {
    /// Reads a sheet. `package` is the package that it was found in, whose name it may leave out and must not contradict.
    ///
    /// What is wrong comes beside what could be read; a sheet with any problem is not to be used.
    #[must_use]
    pub fn parse(text: &str, package: Option<&str>) -> (Sheet, Vec<Problem>) {
        if text.len() > MAX_SHEET {
            let message = format!("the sheet has {} bytes; sheets over {MAX_SHEET} bytes are not read", text.len());
            return (Sheet::default(), vec![Problem { message, span: Span::at(0) }]);
        }
        let (sheet, mut problems) = read::sheet(text, package);
        // What is not seen spoils a text in other ways too, which would be told beside it.
        problems.dedup_by(|later, first| later.span == first.span && first.message == read::HIDDEN);
        if let Some(beyond) = sheet.requires.get(MAX_REQUIRED) {
            let message = format!("a sheet states at most {MAX_REQUIRED} requirements; from here on there are more");
            problems.push(Problem { message, span: beyond.span });
        }
        (sheet, problems)
    }

    /// Returns the answer of a name.
    #[must_use]
    pub fn answer(&self, key: &str) -> Option<&Answer> {
        self.answers.iter().find(|answer| answer.key.text == key)
    }
}
