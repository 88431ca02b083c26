//! One file for each command, and what they share.

pub(crate) mod account;
pub(crate) mod apply;
mod built;
pub(crate) mod check;
pub(crate) mod compare;
pub(crate) mod declare;
pub(crate) mod demo;
pub(crate) mod explain;
pub(crate) mod fill;
#[cfg(feature = "key-stores")]
pub(crate) mod fingerprint;
#[cfg(not(feature = "key-stores"))]
#[path = "commands/no_fingerprint.rs"]
pub(crate) mod fingerprint;
pub(crate) mod identity;
pub(crate) mod init;
pub(crate) mod link;
pub(crate) mod place;
pub(crate) mod prompts;
pub(crate) mod recover;
pub(crate) mod report;
pub(crate) mod sheet;
pub(crate) mod shell;
pub(crate) mod since;
pub(crate) mod survey;
pub(crate) mod trim;
pub(crate) mod watch;
pub(crate) mod weigh;
pub(crate) mod why;

use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::SystemTime;

use elvask_core::app::{App, Choice, Look, Plugin};
use elvask_core::check::Report;
use elvask_core::discover::{find_app_in, find_apps, find_root};
use elvask_core::needs::Settings;
use elvask_platform::names::nearest;
use elvask_project::files::{Disk, Files as _, Listed, normal};
use elvask_project::loading::Unresolved;

use crate::environment::package_folder;
use crate::options::AppChoice;
use crate::output::{Failure, Output};
use crate::progress::Progress;

/// How a command ended, the worse the later.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Outcome {
    /// All is well.
    Clean,
    /// Something is found or still wanted.
    Found,
    /// Something could not be read or done.
    CouldNotRun,
}

impl From<Outcome> for ExitCode {
    fn from(outcome: Outcome) -> ExitCode {
        ExitCode::from(match outcome {
            Outcome::Clean => 0,
            Outcome::Found => 1,
            Outcome::CouldNotRun => 2,
        })
    }
}

/// What a command comes to.
pub(crate) type Done = Result<Outcome, Failure>;

/// The most plugins without a sheet that are named, unless more is asked for.
const MAX_BLIND: usize = 8;

/// Finds the app that a command line means, and says on standard error what limits the look at it.
pub(crate) fn load(options: &AppChoice, output: &Output) -> Result<App, Failure> {
    load_at(&root_of(options)?, options, output)
}

/// Finds the app that a command line means, and looks into some of its packages.
pub(crate) fn load_with(options: &AppChoice, look: Look, output: &Output) -> Result<App, Failure> {
    load_looking(&root_of(options)?, options, look, output)
}

/// Returns the folder of the app that a command line means.
pub(crate) fn root_of(options: &AppChoice) -> Result<PathBuf, Failure> {
    root_at(options.app.as_deref())
}

/// Returns the folder of the app in or around a folder.
pub(crate) fn root_at(folder: Option<&Path>) -> Result<PathBuf, Failure> {
    let here = current_folder()?;
    let files = Listed::new(&Disk);
    let root = match folder {
        Some(folder) => find_app_in(&files, &normal(&here.join(folder))),
        None => find_root(&files, &here).ok_or_else(|| {
            Failure::new(format!("{}: no app here or in a folder above", here.display())).hint(
                "go into the folder of an app, or name it: elvask check APP; --all looks at every app below a folder",
            )
        })?,
    };
    Ok(root)
}

fn current_folder() -> Result<PathBuf, Failure> {
    std::env::current_dir().map_err(|error| Failure::new(format!("the current folder cannot be read: {error}")))
}

/// Finds every app in the folder that a command line means.
pub(crate) fn all_apps(options: &AppChoice) -> Result<Vec<PathBuf>, Failure> {
    let folder = normal(&current_folder()?.join(options.app.as_deref().unwrap_or(Path::new("."))));
    if !Disk.is_folder(&folder) {
        return Err(Failure::new(format!("{}: there is no such folder", folder.display())));
    }
    let apps = find_apps(&Listed::new(&Disk), &Disk.real(&folder));
    if apps.is_empty() {
        return Err(Failure::new(format!("{}: no app in this folder", folder.display())));
    }
    Ok(apps)
}

/// Loads the app in a folder, and says on standard error what limits the look at it.
pub(crate) fn load_at(root: &Path, options: &AppChoice, output: &Output) -> Result<App, Failure> {
    load_looking(root, options, Look::WithoutSheet, output)
}

/// Loads the app in a folder and looks into some of its packages.
pub(crate) fn load_looking(root: &Path, options: &AppChoice, look: Look, output: &Output) -> Result<App, Failure> {
    load_choosing(root, options, choice(root, options, look)?, output)
}

/// Loads the app in a folder as it is chosen to be looked at.
pub(crate) fn load_choosing(root: &Path, options: &AppChoice, choice: Choice, output: &Output) -> Result<App, Failure> {
    let here = current_folder()?;
    // Packages are known by their real paths; the app must be too, or what lies inside would be shown as outside.
    let root = Disk.real(root);
    recover::settle_first(&root, output)?;
    let asked = options.app.as_ref().map_or_else(|| here.clone(), |folder| normal(&here.join(folder)));
    if root.starts_with(&asked) && root != Disk.real(&asked) {
        output.notice(&format!("{} is not an app itself: the app in {} is looked at", typed(&asked), typed(&root)));
    }
    let progress = Progress::start("reading the app and its packages", output.quiet);
    let app = App::load_choice(&Disk, &root, &choice).map_err(|error| Failure::new(error.to_string()))?;
    drop(progress);
    let mut limits = app.notices.clone();
    let is_blind = |one: &&Plugin| {
        !one.own
            && one.sheet.is_none()
            && one.evidence.as_deref().is_none_or(elvask_needs::evidence::Evidence::is_empty)
    };
    let blind: Vec<_> = app.plugins().iter().filter(is_blind).map(|one| one.name.as_str()).collect();
    if !blind.is_empty() && choice.look != Look::Nowhere {
        let (shown, rest) = blind.split_at(blind.len().min(if output.verbose { blind.len() } else { MAX_BLIND }));
        let more = if rest.is_empty() { String::new() } else { format!(" and {} more", rest.len()) };
        limits.push(format!("neither a sheet nor their own files say what these require: {}{more}", shown.join(", ")));
    }
    limits.extend(app.unresolved.iter().map(|one| unresolved(&app, one)));
    output.limits(&limits);
    Ok(app)
}

/// Returns what a command line says of what to look at.
pub(crate) fn choice(root: &Path, options: &AppChoice, look: Look) -> Result<Choice, Failure> {
    let here = current_folder()?;
    Ok(Choice {
        sheets: options.sheets.iter().map(|folder| normal(&here.join(folder))).collect(),
        variant: options.variant.clone(),
        target: options.target.clone(),
        configuration: options.configuration.clone(),
        package_folder: package_folder(),
        look,
        cache: crate::cache::open(root),
        account: None,
        beside: None,
        languages: false,
        environment: Some(|name| std::env::var(name).ok()),
    })
}

/// Says with its place what only running the build would tell.
pub(crate) fn unresolved(app: &App, one: &Unresolved) -> String {
    let at = app.sources.position(one.place);
    format!("{}:{}:{}: {}", app.sources.file(one.place.file).shown, at.line, at.column, one.what)
}

/// Refuses words of which none names a rule or subject that something is found by or about.
pub(crate) fn none_is_found<'w>(words: impl Iterator<Item = &'w String>, report: &Report) -> Result<(), Failure> {
    for word in words {
        let named = std::slice::from_ref(word);
        if !report.findings.iter().any(|finding| finding.is_named_by(named)) {
            let known = report.findings.iter().flat_map(|finding| [finding.rule.id, finding.subject.as_str()]);
            let failure =
                Failure::new(format!("--only {word}: nothing is found by a rule or about a subject of that name"));
            return Err(match nearest(word, known) {
                Some(meant) => failure.hint(format!("did you mean `{meant}`?")),
                None => failure.hint("`elvask check` lists what is found, with the rule in square brackets"),
            });
        }
    }
    Ok(())
}

/// Returns the settings that every command shares.
pub(crate) fn settings(release: bool) -> Settings {
    let now = humantime::format_rfc3339_seconds(SystemTime::now()).to_string();
    let today = now.get(..10).map(str::to_owned);
    Settings { release, today, ..Settings::default() }
}

/// Returns a path as people would type it from the current folder.
pub(crate) fn typed(path: &Path) -> String {
    let here = std::env::current_dir().unwrap_or_default();
    match path.strip_prefix(&here) {
        Ok(inside) if inside.as_os_str().is_empty() => ".".to_owned(),
        Ok(inside) => inside.display().to_string(),
        Err(_) => path.display().to_string(),
    }
}
