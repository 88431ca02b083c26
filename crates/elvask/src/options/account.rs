//! `elvask account`.

use clap::{Args, Subcommand};

use super::{AppOptions, Format};

/// `elvask account`.
#[derive(Debug, Subcommand)]
pub(crate) enum AccountAction {
    /// Hold the app against what is registered, and against its certificates and profiles, as elvask/account.toml states them.
    Check(AccountCheck),
    /// Write elvask/account.toml from what the app says, to be compared with the accounts and filled in.
    Draft(AccountDraft),
}

/// `elvask account check`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask account check
  elvask account check --release         what is for development alone counts too
  elvask account check --configuration Debug
  elvask account check --format json

Exit codes: 0 the app agrees with all that is stated, 1 something differs, 2 it could not run.")]
pub(crate) struct AccountCheck {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// Judge the app as it ships: a profile or certificate for development is an error.
    #[arg(long)]
    pub(crate) release: bool,
}

/// `elvask account draft`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask account draft
  elvask account draft --dry-run         only print it")]
pub(crate) struct AccountDraft {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// Print it, and write nothing.
    #[arg(long)]
    pub(crate) dry_run: bool,
}

impl AccountCheck {
    /// Returns the form of the report.
    pub(crate) fn format(&self) -> Format {
        self.app.format
    }
}
