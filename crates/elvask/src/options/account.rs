//! `elvask account`.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use super::{AppFlag, AppOptions, Format};

/// `elvask account`.
#[derive(Debug, Subcommand)]
pub(crate) enum AccountAction {
    /// Hold the app against what is registered, and against its certificates and profiles, as elvask/account.toml states them.
    Check(AccountCheck),
    /// Make a private key and a request for a certificate, to be uploaded in the developer account.
    Request(AccountRequest),
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

/// What a certificate is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum CertificateUse {
    /// For processing payments of a merchant id.
    Wallet,
    /// For pushing to an app.
    Push,
}

/// `elvask account request`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask account request --for wallet
  elvask account request --for wallet --name merchant.example.marram --output certificates/pay

The key is readable by its owner alone, and nothing that is there is ever written over.")]
pub(crate) struct AccountRequest {
    /// What the certificate is for.
    #[arg(long = "for", value_name = "USE")]
    pub(crate) used: CertificateUse,
    /// The name in the request; without it, the merchant id of the app's entitlement.
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// The start of the names of both files, which end in .key and .certSigningRequest; without it, certificates/wallet in the
    /// app's folder.
    #[arg(short, long, value_name = "PATH")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) app: AppFlag,
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
