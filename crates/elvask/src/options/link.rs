//! The command line of `link` and `fingerprint`.

#![allow(rustdoc::broken_intra_doc_links, reason = "these texts are the help of the program, where [links] is a table")]

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use super::{AppOptions, Format, OutsideOptions};

/// `elvask link`.
#[derive(Debug, Subcommand)]
pub(crate) enum LinkAction {
    /// Tell what a link opens on each platform, and why.
    Try(LinkTry),
    /// Run the expectations of elvask.toml.
    Test(LinkTest),
    /// Write the two association files of the website.
    Files(LinkFiles),
    /// Check the association files of a website against the app.
    Audit(LinkAudit),
    /// Stand in for the website on this machine.
    Serve(LinkServe),
}

/// The device and the website of a look.
#[derive(Debug, Args)]
pub(crate) struct LookOptions {
    /// The website: a folder, or an address. Without it, whether a link is verified is not known.
    #[arg(long, value_name = "DIR|URL")]
    pub(crate) site: Option<String>,
    /// The device: a level of Android, or android=LEVEL, or ios=VERSION; may be given several times.
    #[arg(long, value_name = "LEVEL")]
    pub(crate) level: Vec<String>,
}

/// `elvask link try`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask link try                                              every link entry, with a link to try
  elvask link try https://marram.example/site/42
  elvask link try https://marram.example/site/42 --site site   with the website in the folder site
  elvask link try marram://site/42 --level 30 --level ios=12.4
  elvask link try marram://site/42 --state closed              and the lines that fire it at a closed app")]
pub(crate) struct LinkTry {
    /// The link. Without it, all entries are listed.
    #[arg(value_name = "URL")]
    pub(crate) url: Option<String>,
    #[command(flatten)]
    pub(crate) app: AppOptions,
    #[command(flatten)]
    pub(crate) look: LookOptions,
    /// The state that the app is in.
    #[arg(long, value_name = "STATE")]
    pub(crate) state: Option<State>,
}

/// The state that an app is in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum State {
    /// It does not run.
    Closed,
    /// It runs and is not seen.
    Background,
    /// It is in front.
    Foreground,
}

/// `elvask link test`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask link test
  elvask link test --site site --level 30
  elvask link test --format json

The website is the folder that `site` under [links] in elvask.toml names, unless --site says otherwise.

Exit codes: 0 all expectations are met, 1 some are not, 2 there are none or they could not be run.")]
pub(crate) struct LinkTest {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    #[command(flatten)]
    pub(crate) look: LookOptions,
}

/// `elvask link files`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask link files --dry-run            what would be written, as a diff
  elvask link files --into ../website/public
  elvask link files --into site --yes

It adds to files that are there already and leaves the entries of other apps alone. A host with a folder of its own
below the website's folder, such as site/log.marram.example/, gets its files there.

Exit codes: 0 written or nothing to do, 1 something is still wanted, 2 it could not run.")]
pub(crate) struct LinkFiles {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// The folder that is put on the web; without it, the one that `site` under [links] in elvask.toml names.
    #[arg(long, value_name = "DIR")]
    pub(crate) into: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) outside: OutsideOptions,
    /// Print what would be written as a unified diff, and write nothing.
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Write without asking.
    #[arg(short, long)]
    pub(crate) yes: bool,
}

/// `elvask link audit`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask link audit                                   the real hosts of the app, over HTTPS
  elvask link audit --site site                       a folder, before it is put on the web
  elvask link audit --site http://127.0.0.1:8095      what `elvask link serve` serves

Exit codes: 0 all links get through, 1 something is wrong, 2 it could not run.")]
pub(crate) struct LinkAudit {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// The website: a folder, or an address that is asked for every host. Without it, each host itself over HTTPS.
    #[arg(long, value_name = "DIR|URL")]
    pub(crate) site: Option<String>,
    /// How long an answer may take.
    #[arg(long, value_name = "SECONDS", default_value_t = 10, value_parser = clap::value_parser!(u64).range(1..=120))]
    pub(crate) timeout: u64,
}

/// `elvask link serve`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask link serve                              the website's folder, at http://127.0.0.1:8095
  elvask link serve --site public --port 0       another folder, at a free port
  elvask link serve --fault redirect             every file behind a redirect
  elvask link serve --fault slow@log.marram.example

The host is the one that the request names, so one server stands in for several. It ends with Ctrl-C.")]
pub(crate) struct LinkServe {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// The folder to serve; without it, the one that `site` under [links] in elvask.toml names.
    #[arg(long, value_name = "DIR")]
    pub(crate) site: Option<PathBuf>,
    /// The port on this machine; 0 for a free one.
    #[arg(long, value_name = "PORT", default_value_t = 8095)]
    pub(crate) port: u16,
    /// Serve like a broken website: redirect, wrong-type, not-found, login, server-error, slow or huge, for one host with @HOST; may be given several times.
    #[arg(long, value_name = "FAULT")]
    pub(crate) fault: Vec<String>,
}

/// `elvask fingerprint`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask fingerprint upload.jks
  elvask fingerprint release.p12                             asks for the password
  elvask fingerprint release.p12 --password-file secret.txt
  elvask fingerprint release.p12 --password-env STORE_PASSWORD
  elvask fingerprint certificate.pem -q                      the bare SHA-256

With signing by the store it is the store's certificate that counts, which its console lets you download.
A password is never taken from the command line: other programs could read it there.")]
pub(crate) struct Fingerprint {
    /// A certificate (PEM or DER) or a key store (PKCS#12 or JKS).
    #[arg(value_name = "FILE")]
    pub(crate) file: PathBuf,
    /// The entry of the store; without it, all.
    #[arg(long, value_name = "NAME")]
    pub(crate) alias: Option<String>,
    /// A file whose first line is the password.
    #[arg(long, value_name = "FILE", conflicts_with = "password_env")]
    pub(crate) password_file: Option<PathBuf>,
    /// The name of an environment variable that holds the password.
    #[arg(long, value_name = "NAME")]
    pub(crate) password_env: Option<String>,
    /// The form of the report.
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub(crate) format: Format,
}
