//! `elvask compare`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use elvask_core::compare::CLASSES;

use super::AppChoice;

/// The forms of a comparison.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum CompareForm {
    /// For people.
    Human,
    /// For programs.
    Json,
    /// For a description of a change.
    Markdown,
}

/// `elvask compare`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask survey --format json >survey-2.3.0.json        with each release
  elvask compare survey-2.3.0.json                      what the next one changes
  elvask compare v2.3.0                                 a revision, without a check-out
  elvask compare app-2.3.0.apk app-2.4.0.apk            what two builds declare
  elvask compare main HEAD --format markdown              for the description of a change
  elvask compare ../old . --fail-on gained-permission,lost-link

A side is a folder of an app, the JSON of a survey, what a build made (.apk, .aab, .ipa), or a revision of the repository around the app. Exit codes: 0 nothing of what
--fail-on names differs, 1 something does, 2 it could not run.")]
pub(crate) struct Compare {
    /// What was: a folder, the JSON of a survey, or a revision.
    #[arg(value_name = "OLD")]
    pub(crate) old: String,
    /// What is; without it, the app.
    #[arg(value_name = "NEW")]
    pub(crate) new: Option<String>,
    /// The app's folder, where it is not the one around the current folder.
    #[arg(long = "app", value_name = "APP")]
    pub(crate) folder: Option<PathBuf>,
    /// The form of the comparison.
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub(crate) format: CompareForm,
    /// Differences that make the exit code 1, with commas between.
    #[arg(long, value_name = "CLASS", value_delimiter = ',', value_parser = clap::builder::PossibleValuesParser::new(CLASSES))]
    pub(crate) fail_on: Vec<String>,
}

impl Compare {
    /// Returns which app is meant.
    pub(crate) fn choice(&self) -> AppChoice {
        AppChoice { app: self.folder.clone(), sheets: Vec::new(), variant: None, target: None, configuration: None }
    }
}
