//! `elvask declare` and `elvask withdraw`.

use clap::Args;
use clap_complete::ArgValueCandidates;

use super::{AppFlag, GivenOptions, OutsideOptions};
use crate::words;

/// `elvask declare`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask declare camera --purpose camera=\"Photographs the ring on a bird's leg.\"
  elvask declare VIBRATE
  elvask declare scheme marram
  elvask declare link https://marram.example/site/*
  elvask declare link marram://site/* --on SiteActivity
  elvask declare package example.tides.app     an app that is to be seen
  elvask declare entitlement aps-environment
  elvask declare key UIFileSharingEnabled --value true

The first word may say what the others are: capability, permission, key, link, scheme, host,
query-scheme, package, entitlement, background-mode or feature.")]
pub(crate) struct Declare {
    /// What to declare.
    #[arg(required = true, value_name = "NAME", add = ArgValueCandidates::new(words::things))]
    pub(crate) words: Vec<String>,
    /// The value of a key, of an entitlement or of that of a capability, as TOML writes it: true, \"text\", [\"a\", \"b\"].
    #[arg(long, value_name = "VALUE")]
    pub(crate) value: Option<String>,
    /// The activity that links open; without it, the one of the launcher.
    #[arg(long, value_name = "ACTIVITY")]
    pub(crate) on: Option<String>,
    #[command(flatten)]
    pub(crate) app: AppFlag,
    #[command(flatten)]
    pub(crate) given: GivenOptions,
    /// Print what would be written as a unified diff, and write nothing.
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Write without asking.
    #[arg(short, long)]
    pub(crate) yes: bool,
}

/// `elvask withdraw`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask withdraw READ_PHONE_STATE
  elvask withdraw camera --dry-run
  elvask withdraw scheme marram
  elvask withdraw microphone --force     though a plugin still requires it")]
pub(crate) struct Withdraw {
    /// What to remove; the first word may say what the others are, as for `declare`.
    #[arg(required = true, value_name = "NAME", add = ArgValueCandidates::new(words::things))]
    pub(crate) words: Vec<String>,
    #[command(flatten)]
    pub(crate) app: AppFlag,
    /// Remove it though a plugin still requires it.
    #[arg(long)]
    pub(crate) force: bool,
    #[command(flatten)]
    pub(crate) outside: OutsideOptions,
    /// Print what would be written as a unified diff, and write nothing.
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Write without asking.
    #[arg(short, long)]
    pub(crate) yes: bool,
}
