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
    /// Stand in for the accounts on this machine: a small service in which apps, merchant ids, certificates and the rest are registered.
    Serve(AccountServe),
}

/// `elvask account check`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask account check
  elvask account check --release         what is for development alone counts too
  elvask account check --configuration Debug
  elvask account check --format json
  elvask account check --from http://127.0.0.1:8096 --token-file accounts.token

The token of --from is read from the file, or from ELVASK_ACCOUNT_TOKEN; never from the command line, where other programs could read it.
Exit codes: 0 the app agrees with all that is stated, 1 something differs, 2 it could not run.")]
pub(crate) struct AccountCheck {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// Judge the app as it ships: a profile or certificate for development is an error.
    #[arg(long)]
    pub(crate) release: bool,
    /// The address of a service that says what is registered, in the place of elvask/account.toml; `account serve` is one.
    #[arg(long, value_name = "URL")]
    pub(crate) from: Option<String>,
    /// A file whose first line is the token for --from; without it, the variable ELVASK_ACCOUNT_TOKEN.
    #[arg(long, value_name = "FILE", requires = "from")]
    pub(crate) token_file: Option<PathBuf>,
    /// How long an answer may take.
    #[arg(long, value_name = "SECONDS", default_value_t = 10, value_parser = clap::value_parser!(u64).range(1..=120), requires = "from")]
    pub(crate) timeout: u64,
}

/// `elvask account serve`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask account serve                              at http://127.0.0.1:8096, with accounts.redb here
  elvask account serve --load                       first registers what elvask/account.toml of the app states
  elvask account serve --store /tmp/a.redb --port 0

What a request must look like is in docs/account.md. What is acknowledged is on the disk. Without a token of one's own, one is made
and put beside the database. It ends with Ctrl-C.")]
pub(crate) struct AccountServe {
    /// The database; it is made where there is none.
    #[arg(long, value_name = "FILE", default_value = "accounts.redb")]
    pub(crate) store: PathBuf,
    /// The port; 0 for a free one.
    #[arg(long, value_name = "PORT", default_value_t = 8096)]
    pub(crate) port: u16,
    /// The address of this machine to listen at; another one than 127.0.0.1 lets other machines ask.
    #[arg(long, value_name = "ADDRESS", default_value = "127.0.0.1")]
    pub(crate) listen: std::net::IpAddr,
    /// A file whose first line is the token; without it, the variable ELVASK_ACCOUNT_TOKEN, then the file beside the database.
    #[arg(long, value_name = "FILE")]
    pub(crate) token_file: Option<PathBuf>,
    /// Register first what elvask/account.toml of the app states.
    #[arg(long)]
    pub(crate) load: bool,
    #[command(flatten)]
    pub(crate) app: AppFlag,
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
  elvask account request --for push
  elvask account request --for wallet --name merchant.example.marram --output certificates/pay

The key is readable by its owner alone, and nothing that is there is ever written over.")]
pub(crate) struct AccountRequest {
    /// What the certificate is for.
    #[arg(long = "for", value_name = "USE")]
    pub(crate) used: CertificateUse,
    /// The name in the request; without it, the merchant id of the app's entitlement, or for push the app's bundle id.
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// The start of the names of both files, which end in .key and .certSigningRequest; without it, certificates/wallet or certificates/push in
    /// the app's folder.
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
