//! The command line.

pub(crate) mod account;
mod alone;
pub(crate) mod compare;
pub(crate) mod declare;
pub(crate) mod identity;
pub(crate) mod link;
pub(crate) mod lsp;
pub(crate) mod prompts;
pub(crate) mod report;
pub(crate) mod sheet;
pub(crate) mod shell;
pub(crate) mod watch;
pub(crate) mod weigh;

use std::path::PathBuf;

use anstream::ColorChoice;
use clap::{Args, Parser, Subcommand, ValueEnum};
use clap_complete::ArgValueCandidates;
use elvask_core::needs::LastRelease;

use crate::report::{Form, parser};
use crate::words;

/// Declares what plugins need of a mobile app, and checks it.
#[derive(Debug, Parser)]
#[command(name = "elvask", version, max_term_width = 100, after_help = TOP_EXAMPLES)]
pub(crate) struct Options {
    /// What to do.
    #[command(subcommand)]
    pub(crate) command: Command,
    #[command(flatten)]
    pub(crate) voice: Voice,
}

/// How things are told; for all commands.
#[derive(Debug, Args)]
pub(crate) struct Voice {
    /// When to use colour.
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) color: Color,
    /// Say less: one line for each finding, no hints.
    #[arg(short, long, global = true, conflicts_with = "verbose")]
    pub(crate) quiet: bool,
    /// Say more: every finding by itself with every proof, and what was read.
    #[arg(short, long, global = true)]
    pub(crate) verbose: bool,
}

const TOP_EXAMPLES: &str = "\
Examples:
  elvask demo                    see the whole job on a sample app
  elvask check                   what is missing or wrong in the app around you
  elvask fill --dry-run          what would be written, as a diff
  elvask why CAMERA              who needs it, learnt where, declared where

Exit codes: 0 all is well, 1 something is found or still wanted, 2 it could not run.";

/// When to use colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Color {
    /// On a terminal, unless `NO_COLOR` is set.
    Auto,
    /// Always.
    Always,
    /// Never.
    Never,
}

impl From<Color> for ColorChoice {
    fn from(color: Color) -> Self {
        match color {
            Color::Auto => ColorChoice::Auto,
            Color::Always => ColorChoice::Always,
            Color::Never => ColorChoice::Never,
        }
    }
}

/// In what form to report.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people.
    Human,
    /// For programs.
    Json,
}

/// The layouts of the sample app.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum DemoLayout {
    /// The app with a package.json.
    Npm,
    /// The app with a pubspec.yaml.
    Pubspec,
    /// A smaller one whose platform files are made of config.xml.
    Widget,
    /// A smaller one whose platform folders are generated from app.json.
    Appjson,
    /// A smaller one for Android only, with Kotlin scripts, a version catalog and two flavors.
    Gradle,
    /// A smaller one for iOS only, with what is registered for it: a profile, a certificate, payments and products.
    Xcode,
}

/// What to do.
#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Unpack a sample app and walk the main job over it.
    Demo(Demo),
    /// List what the app declares, with places and the plugins that need it.
    Survey(Survey),
    /// Compare what the app declares with what its plugins and platforms require.
    Check(Check),
    /// Write what is missing and mend what can be mended.
    Fill(Fill),
    /// Tell who needs a thing, where that was learnt and where it is declared.
    Why(Why),
    /// Explain a rule, a permission, a key or a capability.
    Explain(Explain),
    /// Put a fragment that was copied from a plugin's notes where it belongs.
    Place(Place),
    /// Declare a capability, permission, key, scheme, host or entitlement, on both platforms.
    Declare(declare::Declare),
    /// Remove a declaration, unless a plugin still requires it.
    Withdraw(declare::Withdraw),
    /// Write elvask.toml from what the app declares already.
    Init(Init),
    /// Hold what the app declares against what it declared: a revision, another folder or a saved survey.
    Compare(compare::Compare),
    /// Show who the app is wherever it is said (id, name, version, build), and change it in all places at once.
    Identity(identity::Identity),
    /// Tell what adding a package would ask of the app, before it is added.
    Weigh(weigh::Weigh),
    /// Show the dialogs in which people are asked for access, as they appear on a device.
    Prompts(prompts::Prompts),
    /// Write one page in HTML with all of it: verdict, findings, prompts, plugins, links, identity and evidence.
    Report(report::Report),
    /// Find what is declared and needed by nothing.
    Trim(Trim),
    /// Finish a writing that was interrupted, or take it back.
    Recover(Recover),
    /// Try links, test them, and write and audit the files of the website that vouches for the app.
    #[command(subcommand)]
    Link(link::LinkAction),
    /// Hold the app against what is registered in the developer accounts.
    #[command(subcommand)]
    Account(account::AccountAction),
    /// Check at each save, on one screen.
    Watch(watch::Watch),
    /// Serve an editor: findings while typing, remedies, who needs what.
    Lsp(lsp::Lsp),
    /// Print what completes commands, rules, permissions and plugins in a shell.
    Completions(shell::Completions),
    /// Print the page of a command for `man`, or write all pages into a folder.
    Man(shell::Man),
    /// Print the fingerprints of a signing certificate.
    Fingerprint(link::Fingerprint),
    /// Tell what is known of each plugin, and draft or check the sheets that state it.
    #[command(subcommand)]
    Sheet(sheet::SheetAction),
}

/// `elvask place`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask place notes.md                  what is in it, where it goes, and the diff
  elvask place notes.md --write
  pbpaste | elvask place --write         from standard input
  elvask place notes.md --answer you.app_id=knot-48210077 --write")]
pub(crate) struct Place {
    /// The file with what was copied; `-`, or nothing, for standard input.
    #[arg(value_name = "FILE", default_value = "-")]
    pub(crate) notes: PathBuf,
    #[command(flatten)]
    pub(crate) app: AppOptions,
    #[command(flatten)]
    pub(crate) given: GivenOptions,
    /// Write it.
    #[arg(long)]
    pub(crate) write: bool,
}

/// `elvask init`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask init                    on a terminal it asks for what only you know
  elvask init --yes              without a question
  elvask init --dry-run          only print it

What would make a check find more than before stands in it as a comment.")]
pub(crate) struct Init {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// Print it, and write nothing.
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Ask for nothing.
    #[arg(short, long)]
    pub(crate) yes: bool,
}

/// `elvask trim`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask trim                            what is declared and needed by nothing
  elvask trim --write
  elvask trim --strip AD_ID --write      remove what a plugin's manifest adds

Exit codes: 0 nothing to remove, 1 something is, 2 something could not be read.")]
pub(crate) struct Trim {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// Remove it.
    #[arg(long)]
    pub(crate) write: bool,
    /// A permission that a plugin's manifest adds and the app is to do without; may be given several times.
    #[arg(long, value_name = "PERMISSION")]
    pub(crate) strip: Vec<String>,
    #[command(flatten)]
    pub(crate) outside: OutsideOptions,
}

/// Which app to look at, where the names on the command line are something else.
#[derive(Debug, Args)]
pub(crate) struct AppFlag {
    /// The app's folder; without it, the app around the current folder.
    #[arg(long = "app", value_name = "APP")]
    folder: Option<PathBuf>,
    /// A folder with sheets that win over those of the app and of the packages; may be given several times.
    #[arg(long, value_name = "DIR")]
    sheets: Vec<PathBuf>,
    /// The form of the report.
    #[arg(long, value_name = "FORM", default_value = "human")]
    format: Format,
}

impl AppFlag {
    /// Returns the options as other commands have them.
    pub(crate) fn options(&self) -> AppOptions {
        AppOptions {
            choice: AppChoice {
                app: self.folder.clone(),
                sheets: self.sheets.clone(),
                variant: None,
                target: None,
                configuration: None,
            },
            format: self.format,
        }
    }
}

/// Which app to look at, and in what form to report.
#[derive(Debug, Args)]
pub(crate) struct AppOptions {
    #[command(flatten)]
    pub(crate) choice: AppChoice,
    /// The form of the report.
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub(crate) format: Format,
}

/// Which app to look at, and which part of it.
#[derive(Debug, Args)]
pub(crate) struct AppChoice {
    /// The app's folder; without it, the app around the current folder.
    #[arg(value_name = "APP")]
    pub(crate) app: Option<PathBuf>,
    /// A folder with sheets that win over those of the app and of the packages; may be given several times.
    #[arg(long, value_name = "DIR")]
    pub(crate) sheets: Vec<PathBuf>,
    /// The Android variant to look at; without it, every variant of the release build type.
    #[arg(long, value_name = "NAME")]
    pub(crate) variant: Option<String>,
    /// The iOS target to look at; without it, the app target.
    #[arg(long, value_name = "NAME")]
    pub(crate) target: Option<String>,
    /// The iOS configuration to look at; without it, Release.
    #[arg(long, value_name = "NAME")]
    pub(crate) configuration: Option<String>,
}

/// `elvask recover`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask recover                  finish it where a file was written already, else take it back
  elvask recover --take-back      put the old texts back
  elvask recover --finish --consent /srv/site/.well-known/assetlinks.json

Files that somebody has changed since stay as they are. The other commands do the same by themselves before they
look at an app, where nobody has changed a file of it since.")]
pub(crate) struct Recover {
    /// The app's folder; without it, the app around the current folder.
    #[arg(value_name = "APP")]
    pub(crate) app: Option<PathBuf>,
    /// Write all that was to be written.
    #[arg(long, conflicts_with = "take_back")]
    pub(crate) finish: bool,
    /// Put back all that was there before.
    #[arg(long)]
    pub(crate) take_back: bool,
    #[command(flatten)]
    pub(crate) outside: OutsideOptions,
    /// The form of the report.
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub(crate) format: Format,
}

/// What may be written outside the app.
#[derive(Debug, Args)]
pub(crate) struct OutsideOptions {
    /// Consent to writing a file outside the app, by its real path; may be given several times.
    #[arg(long = "consent", value_name = "PATH")]
    pub(crate) consents: Vec<String>,
}

/// Values that the owner gives.
#[derive(Debug, Args)]
pub(crate) struct GivenOptions {
    /// A purpose, by capability or by key; may be given several times.
    #[arg(long = "purpose", value_name = "NAME=TEXT")]
    pub(crate) purposes: Vec<String>,
    /// An answer to a plugin's question; may be given several times.
    #[arg(long = "answer", value_name = "PLUGIN.KEY=VALUE")]
    pub(crate) answers: Vec<String>,
    /// Consent to something that makes the app less safe, or to a file outside the app by its real path; may be given several
    /// times.
    #[arg(long = "consent", value_name = "SUBJECT")]
    pub(crate) consents: Vec<String>,
}

/// `elvask demo`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask demo
  elvask demo --layout pubspec --into /tmp/marram
  elvask demo --release                  what comes before an upload
  elvask demo --unpack --into marram     only unpack it, to try things yourself")]
pub(crate) struct Demo {
    /// Which of the apps.
    #[arg(long, default_value = "npm")]
    pub(crate) layout: DemoLayout,
    /// Where to unpack it: a folder that is empty or not there yet. Without it, a new temporary folder.
    #[arg(long, value_name = "DIR")]
    pub(crate) into: Option<PathBuf>,
    /// Only unpack the app.
    #[arg(long)]
    pub(crate) unpack: bool,
    /// Walk what comes before a release.
    #[arg(long, conflicts_with = "unpack")]
    pub(crate) release: bool,
    /// The form of the report.
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub(crate) format: Format,
}

/// `elvask survey`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask survey
  elvask survey apps/marram --format json
  elvask survey --explain                        with a sentence about each section
  elvask survey --variant freeDebug              what another variant declares
  elvask survey --variants                       all variants side by side, where they differ
  elvask survey --matrix                         plugins against declarations
  elvask survey --matrix --width 160 > matrix.txt
  elvask survey --merged > AndroidManifest.xml   the manifest as the build merges it
  elvask survey --built app-release.apk          what a build made declares
  elvask survey --all                            every app of a repository")]
pub(crate) struct Survey {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// Look at every app in the folder.
    #[arg(long)]
    pub(crate) all: bool,
    /// Print the Android manifest as the build merges it.
    #[arg(long, conflicts_with_all = ["variants", "all"])]
    pub(crate) merged: bool,
    /// With --merged: a comment before each element says where it comes from.
    #[arg(long, requires = "merged")]
    pub(crate) origins: bool,
    /// Show all Android variants side by side, where they differ.
    #[arg(long, conflicts_with_all = ["all", "variant"])]
    pub(crate) variants: bool,
    /// Show plugins against declarations: what each needs, and whether the app declares it.
    #[arg(long, conflicts_with_all = ["all", "variants", "merged", "explain"])]
    pub(crate) matrix: bool,
    /// With --matrix: how many columns it may take; that of the terminal without.
    #[arg(long, value_name = "COLUMNS", requires = "matrix", value_parser = clap::value_parser!(u16).range(40..=500))]
    pub(crate) width: Option<u16>,
    /// Say of each section what somebody who is new to it should know.
    #[arg(long)]
    pub(crate) explain: bool,
    /// Look at what a build made, an .apk, .aab or .ipa, in the place of the sources; of an app around, packages and elvask.toml count.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["all", "variants"])]
    pub(crate) built: Option<PathBuf>,
}

/// `elvask check`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask check
  elvask check --release --deny warning      before an upload
  elvask check --release --last 2.3.0+41     the stores have that one already
  elvask check --release --on 2027-08-31     what will be wrong on that day
  elvask check -q                            one line for each finding
  elvask check -v                            every proof, and every finding by itself
  elvask check --only permission-missing     one rule, or one subject
  elvask check --only permission             a family: all rules whose names start so
  elvask check --allow purpose-vague         listed, and no reason to fail
  elvask check --since main                  what is new since a revision
  elvask check --built app-release.aab       what ships, and how it differs from the sources
  elvask check --all                         every app of a repository
  elvask check --format sarif > elvask.sarif
  elvask check --format json | jq '.summary'

Exit codes: 0 clean, 1 findings at or above the failing level, 2 something could not be read.")]
pub(crate) struct Check {
    #[command(flatten)]
    pub(crate) app: AppChoice,
    /// The form of the report.
    #[arg(long, value_name = "FORM", default_value = "human", value_parser = parser())]
    pub(crate) format: &'static Form,
    /// The level from which on the check fails (error, warning or note; without it, error), or a rule or family of rules with which it does
    /// whatever the level; several times for several.
    #[arg(long, value_name = "LEVEL|RULE|FAMILY")]
    pub(crate) deny: Vec<String>,
    /// A rule or family of rules with which the check does not fail; it is still listed. Several times for several.
    #[arg(long, value_name = "RULE|FAMILY", add = ArgValueCandidates::new(words::rules))]
    pub(crate) allow: Vec<String>,
    /// Tell only of what is new since an earlier check: the file with its JSON, or a revision of the repository.
    #[arg(long, value_name = "FILE|REV")]
    pub(crate) since: Option<String>,
    /// Look at the app as it is about to be released: sample values are errors.
    #[arg(long)]
    pub(crate) release: bool,
    /// The day that levels, certificates and waivers are held against: 2027-08-31; today without it.
    #[arg(long, value_name = "DAY", value_parser = day)]
    pub(crate) on: Option<String>,
    /// What the stores have: a version, and its build behind a plus: 2.3.0+41. Without it, the highest version that a tag of the repository
    /// names, where the app is the whole repository.
    #[arg(long, value_name = "VERSION", requires = "release", value_parser = last_release)]
    pub(crate) last: Option<LastRelease>,
    /// Look at every app in the folder.
    #[arg(long)]
    pub(crate) all: bool,
    /// Look at what a build made, an .apk, .aab or .ipa: the rules over what ships, and where it differs from the sources around.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["all", "since"])]
    pub(crate) built: Option<PathBuf>,
    /// Show only what is found by this rule or family of rules, or about this subject; several times for several.
    #[arg(long, value_name = "RULE|FAMILY|SUBJECT", add = ArgValueCandidates::new(words::findings))]
    pub(crate) only: Vec<String>,
    /// List waived findings too, with their reasons.
    #[arg(long)]
    pub(crate) waived: bool,
}

/// Reads what `--last` says.
fn last_release(text: &str) -> Result<LastRelease, String> {
    LastRelease::read(text, "the stores have".to_owned(), true)
}

/// `elvask fill`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask fill --dry-run
  elvask fill --purpose camera=\"Photographs the ring on a bird's leg.\"
  elvask fill --answer knot_banner.app_id=knot-48210077 --yes
  elvask fill --only permission-missing --only NSCameraUsageDescription
  elvask fill --plugin tern_camera                 what one plugin needs
  elvask fill --each                               asks about each finding
  elvask fill --undo-patch undo.patch              `git apply undo.patch` takes it back

On a terminal it asks for what only you can say, shows the diff and asks once before it writes.
Elsewhere, or with --yes, it writes what it can and exits with 1 if something is still wanted.
It never makes up a purpose or an answer, and writes what is only a note if --only names it.")]
pub(crate) struct Fill {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    #[command(flatten)]
    pub(crate) given: GivenOptions,
    /// Print what would be written as a unified diff, and write nothing.
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Write without asking.
    #[arg(short, long)]
    pub(crate) yes: bool,
    /// Mend only what is found by this rule or about this subject; several times for several. Notes are mended only so.
    #[arg(long, value_name = "RULE|SUBJECT", add = ArgValueCandidates::new(words::findings))]
    pub(crate) only: Vec<String>,
    /// Mend only what this plugin needs; several times for several.
    #[arg(long, value_name = "PLUGIN", add = ArgValueCandidates::new(words::plugins))]
    pub(crate) plugin: Vec<String>,
    /// Ask about each finding by itself before anything is written; on a terminal only.
    #[arg(long, conflicts_with_all = ["yes", "dry_run"])]
    pub(crate) each: bool,
    /// Write the patch that takes it all back into a file that is not there yet; `-` prints it.
    #[arg(long, value_name = "FILE", conflicts_with = "dry_run")]
    pub(crate) undo_patch: Option<PathBuf>,
    /// Mend the app as one that is about to be released: sample values must go.
    #[arg(long)]
    pub(crate) release: bool,
    /// Keep the answers that are given with this command in elvask.toml, so that the next check knows them.
    #[arg(long)]
    pub(crate) keep: bool,
}

/// `elvask why`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask why CAMERA                              a permission, with or without android.permission.
  elvask why NSMicrophoneUsageDescription        a key
  elvask why tel                                 a scheme
  elvask why bluetooth                           a capability
  elvask why tern_camera                         all that a plugin needs")]
pub(crate) struct Why {
    /// A permission, key, scheme, capability or plugin.
    #[arg(add = ArgValueCandidates::new(words::subjects))]
    pub(crate) subject: String,
    #[command(flatten)]
    pub(crate) app: AppOptions,
}

/// `elvask explain`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask explain query-missing
  elvask explain POST_NOTIFICATIONS
  elvask explain bluetooth
  elvask explain launchMode              an attribute, element, action, category or preference
  elvask explain alarm                   all names with the word in them
  elvask explain attribute permission    where a word is several things, its kind says which
  elvask explain entitlement push        all entitlements with the word in their names
  elvask explain browser opens instead   what may be behind what you see
  elvask explain capabilities            list them all; also: rules")]
pub(crate) struct Explain {
    /// A rule, a permission, a key, an entitlement, a background mode, a capability, a word of the manifest, of an intent or of config.xml; a
    /// part of a name; or what you see on the device. `rules` or `capabilities` lists them.
    #[arg(required = true, value_name = "WORD", add = ArgValueCandidates::new(words::topics))]
    pub(crate) topic: Vec<String>,
    /// The form of the report.
    #[arg(long, value_name = "FORM", default_value = "human")]
    pub(crate) format: Format,
}

/// Reads a day: 2027-08-31.
fn day(text: &str) -> Result<String, String> {
    match humantime::parse_rfc3339(&format!("{text}T00:00:00Z")) {
        Ok(_) => Ok(text.to_owned()),
        Err(_) => Err("a day is written like 2027-08-31".to_owned()),
    }
}
