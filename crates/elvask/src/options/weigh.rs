//! `elvask weigh`.

use std::path::PathBuf;

use clap::Args;

use super::{AppChoice, Format};

/// `elvask weigh`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask weigh ../packages/tern_camera                the folder of a package
  elvask weigh tern_camera-3.0.0.tgz                  an archive, as package managers fetch it
  elvask weigh tern_camera-3.0.0.tgz stint_lens.tgz   two side by side
  elvask weigh tern_camera-3.0.0.tgz --app apps/log -v

Nothing is unpacked and nothing is written. A package that the app has already is weighed in its place: what the new version asks for more.
Exit codes: 0 it was weighed, 2 it could not run.")]
pub(crate) struct Weigh {
    /// The packages: folders or archives (.tgz, .tar.gz, .zip and their like).
    #[arg(value_name = "PACKAGE", required = true, num_args = 1..=12)]
    pub(crate) packages: Vec<PathBuf>,
    /// The app's folder, where it is not the one around the current folder.
    #[arg(long = "app", value_name = "APP")]
    pub(crate) folder: Option<PathBuf>,
    /// The form of the report.
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub(crate) format: Format,
}

impl Weigh {
    /// Returns which app is meant.
    pub(crate) fn choice(&self) -> AppChoice {
        AppChoice { app: self.folder.clone(), sheets: Vec::new(), variant: None, target: None, configuration: None }
    }
}
