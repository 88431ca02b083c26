//! `elvask check`.

use elvask_core::app::{App, Plugin};
use elvask_core::check::{Report, check};
use elvask_core::fill::wants;
use elvask_core::finding::{Finding, Level};
use elvask_core::record::CheckRecord;
use elvask_needs::remedy::Remedy;
use elvask_project::source::Sources;

use super::{Done, Outcome, all_apps, load, load_at, settings, typed};
use crate::options::{Check, Deny, Format};
use crate::output::Output;
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, NOTE, WARNING, paint};
use crate::render::{clean, count, snippet};

pub(crate) fn run(options: &Check, output: &Output) -> Done {
    if options.all {
        return run_all(options, output);
    }
    let app = load(&options.app, output)?;
    let report = check(&app, &settings(options.release));
    match options.app.format {
        Format::Json => output.json(&CheckRecord::of(&app, &app.sources, &report, options.waived)),
        Format::Human => output.result(&human(&app, &report, options.waived, output)),
    }
    Ok(outcome(&report, options.deny))
}

/// The checks of all apps of a repository.
#[derive(serde::Serialize)]
struct AllChecks {
    format: u32,
    apps: Vec<AppCheck>,
}

#[derive(serde::Serialize)]
struct AppCheck {
    path: String,
    #[serde(flatten)]
    check: CheckRecord,
}

fn run_all(options: &Check, output: &Output) -> Done {
    let (mut worst, mut records) = (Outcome::Clean, Vec::new());
    for (at, root) in all_apps(&options.app)?.into_iter().enumerate() {
        let app = load_at(&root, &options.app, output)?;
        let report = check(&app, &settings(options.release));
        let path = typed(&root);
        match options.app.format {
            Format::Json => {
                let check = CheckRecord::of(&app, &app.sources, &report, options.waived);
                records.push(AppCheck { path, check });
            }
            Format::Human => {
                let gap = if at > 0 { "\n" } else { "" };
                output.result(&format!("{gap}{}\n", paint(HEADING, &clean(&path))));
                output.result(&human(&app, &report, options.waived, output));
            }
        }
        worst = match (worst, outcome(&report, options.deny)) {
            (Outcome::CouldNotRun, _) | (_, Outcome::CouldNotRun) => Outcome::CouldNotRun,
            (Outcome::Found, _) | (_, Outcome::Found) => Outcome::Found,
            _ => Outcome::Clean,
        };
    }
    if options.app.format == Format::Json {
        output.json(&AllChecks { format: elvask_core::record::FORMAT, apps: records });
    }
    Ok(worst)
}

/// Returns how a check ends: what cannot be read outweighs what is found.
pub(crate) fn outcome(report: &Report, deny: Deny) -> Outcome {
    let failing = match deny {
        Deny::Error => Level::Error,
        Deny::Warning => Level::Warning,
        Deny::Note => Level::Note,
    };
    if report.obstacles().next().is_some() {
        Outcome::CouldNotRun
    } else if report.findings.iter().any(|finding| finding.counts() && finding.level >= failing) {
        Outcome::Found
    } else {
        Outcome::Clean
    }
}

fn human(app: &App, report: &Report, waived: bool, output: &Output) -> String {
    let listed = report.findings.iter().filter(|finding| waived || finding.counts());
    let mut text = findings(&app.sources, listed, output.quiet);
    text.push_str(&summary(app, report));
    if !output.quiet {
        text.push_str(&next(report));
    }
    text.push_str(&covered(report));
    text
}

/// Returns one line about what was looked at: each side, and what it was held against.
fn covered(report: &Report) -> String {
    let sides = report.judged.iter().map(|side| {
        let title = side.platform.title();
        match &side.not {
            Some(why) => format!("{title}: not judged ({})", clean(why)),
            None => format!("{title}: {}, {}", count(side.plugins, "plugin"), count(side.needs, "need")),
        }
    });
    let line = sides.collect::<Vec<_>>().join("; ");
    if line.is_empty() { line } else { format!("{}\n", paint(FAINT, &line)) }
}

/// Returns findings one below the other: as pictures, or on one line each.
pub(crate) fn findings<'f>(sources: &Sources, findings: impl Iterator<Item = &'f Finding>, brief: bool) -> String {
    let render = |finding| {
        if brief { snippet::line(sources, finding) } else { format!("{}\n", snippet::finding(sources, finding)) }
    };
    findings.map(render).collect()
}

/// Returns one line about the app and what was found.
fn summary(app: &App, report: &Report) -> String {
    let counts = [(Level::Error, "error", ERROR), (Level::Warning, "warning", WARNING), (Level::Note, "note", NOTE)];
    let mut parts: Vec<String> = counts
        .into_iter()
        .filter(|(level, _, _)| report.count(*level) > 0)
        .map(|(level, word, style)| paint(style, &count(report.count(level), word)))
        .collect();
    if parts.is_empty() {
        let some = report.judged.iter().any(|side| side.not.is_none());
        parts.push(if some { paint(GOOD, "clean") } else { paint(WARNING, "nothing was judged") });
    }
    if report.waived() > 0 {
        parts.push(paint(FAINT, &format!("{} waived", report.waived())));
    }
    format!("{}: {}\n", clean(&about(app)), parts.join(", "))
}

/// Names an app: its id or folder, with what was looked at.
pub(crate) fn about(app: &App) -> String {
    let android = app.android.as_ref().and_then(|android| android.id.value.clone());
    let ios = app.ios.as_ref().and_then(|ios| ios.id.value.clone());
    let folder = || app.root.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let name = android.or(ios).unwrap_or_else(folder);
    let plugins = || app.plugins().iter().filter(|plugin| !plugin.own);
    let sheets = plugins().filter(|plugin| plugin.sheet.is_some()).count();
    let shown = |plugin: &&Plugin| {
        plugin.sheet.is_none() && plugin.evidence.as_deref().is_some_and(|evidence| !evidence.is_empty())
    };
    let known = plugins().filter(shown).count();
    let more = if known == 0 { String::new() } else { format!(", {known} known from their own files") };
    format!("{name} ({}, {sheets} with sheets{more})", count(plugins().count(), "plugin"))
}

/// Returns what a person can do next.
fn next(report: &Report) -> String {
    let open = || report.findings.iter().filter(|finding| finding.counts() && !finding.waits_for_its_name());
    let mendable = open().filter(|finding| matches!(finding.remedy, Remedy::Edit { .. })).count();
    let wanted = wants(report).len();
    if report.obstacles().next().is_some() {
        return "what cannot be read must be mended first; the rest may not be all there is\n".to_owned();
    }
    let mut text = String::new();
    if mendable > 0 {
        text.push_str(&format!(
            "`elvask fill` can mend {mendable} of them; `elvask fill --dry-run` shows the diff first\n"
        ));
    }
    if wanted > 0 {
        text.push_str(&format!("{} only you can give\n", count(wanted, "value")));
    }
    text
}
