//! `elvask watch`.

use clap::Args;

use super::AppOptions;

/// `elvask watch`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask watch                     checks at each save, on one screen; Ctrl-C ends it
  elvask watch apps/marram
  elvask watch --release           as the app ships
  elvask watch | jq .summary       in a pipe one line of JSON for each check

Exit codes: 0 it was ended, 2 it could not run.")]
pub(crate) struct Watch {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// Judge the app as it ships.
    #[arg(long)]
    pub(crate) release: bool,
}
