//! `elvask identity`.

use std::path::PathBuf;

use clap::{ArgGroup, Args};

use super::{AppOptions, OutsideOptions};

/// `elvask identity`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask identity                                  who the app is, wherever it is said
  elvask identity --built app-release.apk          what a build made says, beside the sources
  elvask identity --set version=2.4.1 --set build=42
  elvask identity --as-stated --dry-run            what [app] in elvask.toml says, to every place
  elvask identity --set name=\"Marram Log\" --dry-run
  elvask identity --set name.nl=Helm               its name in one language
  elvask identity --set ios-id=example.marram.log --yes

Parts are id, name, version and build; android- or ios- before one means it on that platform alone. All places are changed, or none.")]
#[command(group(ArgGroup::new("changes").args(["set", "as_stated"])))]
pub(crate) struct Identity {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// Change a part everywhere it is said; may be given several times.
    #[arg(long, value_name = "PART=VALUE")]
    pub(crate) set: Vec<String>,
    /// Write what `[app]` in elvask.toml says to every place that says something else.
    #[arg(long)]
    pub(crate) as_stated: bool,
    /// Show what a build made, an .apk, .aab or .ipa, says beside the sources.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["set", "as_stated"])]
    pub(crate) built: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) outside: OutsideOptions,
    /// Print what would be written as a unified diff, and write nothing.
    #[arg(long, requires = "changes")]
    pub(crate) dry_run: bool,
    /// Write without asking.
    #[arg(short, long, requires = "changes")]
    pub(crate) yes: bool,
}
