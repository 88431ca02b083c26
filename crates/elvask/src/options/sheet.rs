//! `elvask sheet`.

use std::path::PathBuf;

use clap::{Args, Subcommand};
use clap_complete::ArgValueCandidates;

use super::{AppChoice, AppOptions};
use crate::words;

/// `elvask sheet`.
#[derive(Debug, Subcommand)]
pub(crate) enum SheetAction {
    /// Say for every plugin of the app what is known, and from where.
    #[command(after_help = "\
Examples:
  elvask sheet list
  elvask sheet list --format json | jq '.plugins[].plugin'")]
    List(AppOptions),
    /// Explain what one plugin requires, with the lines that show it.
    #[command(after_help = "\
Examples:
  elvask sheet show tern_camera
  elvask sheet show ../packages/tern_camera      a package by itself, without an app
  elvask sheet show tern_camera --format json")]
    Show {
        /// A plugin of the app, or the folder of a package.
        #[arg(add = ArgValueCandidates::new(words::plugins))]
        plugin: String,
        #[command(flatten)]
        app: AppOptions,
    },
    /// Write a sheet from a package's own files, for a person to review.
    Draft(SheetDraft),
    /// Check that sheets are as they must be.
    #[command(after_help = "\
Examples:
  elvask sheet check                             all sheets of the app and of its packages
  elvask sheet check --file elvask-sheet.toml    one sheet

Exit codes: 0 all sheets are as they must be, 1 mistakes were found, 2 a sheet could not be read.")]
    Check {
        /// A sheet to check; may be given several times. Without it, all sheets of the app and of its packages.
        #[arg(long = "file", value_name = "FILE")]
        files: Vec<PathBuf>,
        #[command(flatten)]
        app: AppOptions,
    },
    /// Print the JSON Schema of sheets.
    #[command(after_help = "\
Examples:
  elvask sheet schema > sheet.schema.json        for an editor that checks TOML against it")]
    Schema,
}

/// `elvask sheet draft`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask sheet draft tern_camera
  elvask sheet draft ../packages/tern_camera --output elvask-sheet.toml
  elvask sheet draft plover_dialer --notes setup.md      with notes copied from elsewhere
  elvask sheet draft plover_dialer --notes -             with notes from standard input")]
pub(crate) struct SheetDraft {
    /// A plugin of the app, or the folder of a package.
    pub(crate) package: String,
    /// Set-up notes copied from elsewhere, in Markdown; `-` for standard input.
    #[arg(long, value_name = "FILE")]
    pub(crate) notes: Option<PathBuf>,
    /// Where to write it; without it, to standard output. A file that is there already is left alone.
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) app: AppChoice,
}
