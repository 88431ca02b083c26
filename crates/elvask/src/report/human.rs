//! Reports for people.

use elvask_core::app::{App, Plugin};
use elvask_core::check::Report;
use elvask_core::fill::wants;
use elvask_core::finding::{Finding, Level};
use elvask_needs::remedy::Remedy;

use super::{Checked, Reporter, release};
use crate::output::Output;
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, NOTE, WARNING, paint};
use crate::render::{clean, compact, count, snippet};

/// Text, app by app.
#[derive(Default)]
pub(crate) struct Human {
    apps: usize,
}

impl Reporter for Human {
    fn app(&mut self, checked: &Checked<'_>, output: &Output) {
        if let Some(path) = checked.path {
            let gap = if self.apps > 0 { "\n" } else { "" };
            output.result(&format!("{gap}{}\n", paint(HEADING, &clean(path))));
        }
        output.result(&human(checked, output));
        self.apps += 1;
    }

    fn end(&mut self, _: &Output) {}
}

fn human(checked: &Checked<'_>, output: &Output) -> String {
    let Checked { app, report, .. } = checked;
    let listed = report.findings.iter().filter(|finding| checked.waived || finding.counts());
    // Of points whose findings are left out nobody could say that they are right.
    let release = report.release.as_ref().filter(|_| checked.left_out == 0);
    let mut text = match (output.quiet, output.verbose) {
        (true, _) => listed.map(|finding| snippet::line(&app.sources, finding)).collect(),
        (_, true) => listed.map(|finding| format!("{}\n", snippet::finding(&app.sources, finding))).collect(),
        _ => match release {
            Some(release) => release::page(checked, release),
            None => compact::findings(&app.sources, listed),
        },
    };
    text.push_str(&summary(app, report, checked.left_out));
    if !output.quiet {
        text.push_str(&next(report));
    }
    text.push_str(&covered(report));
    if release.is_some() && report.findings.iter().any(Finding::counts) && !output.quiet && !output.verbose {
        text.push_str(&paint(
            FAINT,
            "`elvask check --release -v` shows each finding whole, with its lines and what mends it\n",
        ));
    }
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

/// Returns one line about the app and what was found.
pub(crate) fn summary(app: &App, report: &Report, left_out: usize) -> String {
    let counts = [(Level::Error, "error", ERROR), (Level::Warning, "warning", WARNING), (Level::Note, "note", NOTE)];
    let mut parts: Vec<String> = counts
        .into_iter()
        .filter(|(level, _, _)| report.count(*level) > 0)
        .map(|(level, word, style)| paint(style, &count(report.count(level), word)))
        .collect();
    if parts.is_empty() && left_out > 0 {
        // What is not shown may be anything but clean.
        parts.push("nothing of what was asked for".to_owned());
    } else if parts.is_empty() {
        let some = report.judged.iter().any(|side| side.not.is_none());
        parts.push(if some { paint(GOOD, "clean") } else { paint(WARNING, "nothing was judged") });
    }
    if report.waived() > 0 {
        parts.push(paint(FAINT, &format!("{} waived", report.waived())));
    }
    if left_out > 0 {
        parts.push(paint(FAINT, &format!("{left_out} not shown")));
    }
    format!("{}: {}\n", clean(&about(app)), parts.join(", "))
}

/// Names an app: its id or folder, with what was looked at.
fn about(app: &App) -> String {
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
        return "what cannot be read must be corrected first; the rest may not be all there is\n".to_owned();
    }
    let values = match wanted {
        0 => None,
        1 => Some("asks for 1 value that only you can give".to_owned()),
        several => Some(format!("asks for {several} values that only you can give")),
    };
    let mends = (mendable > 0).then(|| format!("can mend {mendable} of them (--dry-run shows the diff)"));
    match (mends, values) {
        (None, None) => String::new(),
        (Some(one), None) | (None, Some(one)) => format!("`elvask fill` {one}\n"),
        (Some(mends), Some(values)) => format!("`elvask fill` {mends}, and {values}\n"),
    }
}
