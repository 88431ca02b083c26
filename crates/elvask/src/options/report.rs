//! `elvask report`.

use std::path::PathBuf;

use clap::Args;

use super::AppChoice;

/// `elvask report`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask report --output report.html                one page, to be read anywhere without a network
  elvask report --release --output report.html      the app judged as it ships
  elvask report --against v2.3.0 --output r.html    with what changed since a revision
  elvask report --against survey.json > r.html      or since a saved survey
  elvask report --since main --output r.html        with what is new among the findings

The page is about the app as it is now. Exit codes: 0 it was written, 2 it could not be, or something of
the app could not be read, which the page says too.")]
pub(crate) struct Report {
    #[command(flatten)]
    pub(crate) app: AppChoice,
    /// The file to write; one that is there is written over only if it is such a page. Standard output without.
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Show what changed since this: a folder, a commit, branch or tag, or a saved survey.
    #[arg(long, value_name = "OLD")]
    pub(crate) against: Option<String>,
    /// Mark what is new among the findings since an earlier check: the file with its JSON, or a revision of the repository.
    #[arg(long, value_name = "FILE|REV")]
    pub(crate) since: Option<String>,
    /// Judge the app as it ships.
    #[arg(long)]
    pub(crate) release: bool,
}
