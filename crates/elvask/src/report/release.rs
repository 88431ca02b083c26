//! One page that a person goes through before an upload.

use elvask_core::finding::{Finding, Level};
use elvask_core::release::{Release, Stage, Verdict, worst};

use super::Checked;
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, NOTE, WARNING, paint};
use crate::render::{clean, columns, count, width, wrap};

/// The most findings of one point that are shown.
const MAX_SHOWN: usize = 3;

/// The columns of what stands before the title of a point.
const MARK: usize = 12;

/// Returns the page: every point in the order in which a release is stopped, with what was found there, and what could not be looked at.
pub(super) fn page(checked: &Checked<'_>, release: &Release) -> String {
    let mut text = format!("{}\n", paint(HEADING, &clean(&heading(release, checked.day))));
    for stage in Stage::ALL {
        let points: Vec<_> = release.points.iter().filter(|verdict| verdict.point.stage == stage).collect();
        if points.is_empty() {
            continue;
        }
        text.push_str(&format!("\n{}\n", paint(HEADING, stage.title())));
        for verdict in points {
            text.push_str(&point(checked, verdict));
        }
    }
    text.push('\n');
    text
}

fn heading(release: &Release, day: Option<&str>) -> String {
    let id = release.id.as_deref().unwrap_or("an app without a known id");
    let shown = release.versions.iter().map(|(version, build)| match build {
        Some(build) => format!("{version} (build {build})"),
        None => version.clone(),
    });
    let versions = shown.collect::<Vec<_>>().join(" and ");
    let versions = if versions.is_empty() { versions } else { format!(", version {versions}") };
    let day = day.map(|day| format!(", by the rules of {day}")).unwrap_or_default();
    format!("Release of {id}{versions}{day}")
}

fn point(checked: &Checked<'_>, verdict: &Verdict) -> String {
    let found: Vec<&Finding> = verdict.findings(&checked.report.findings).filter(|one| one.counts()).collect();
    let mark = match (worst(found.iter().copied()), &verdict.not) {
        (Some(level), _) => {
            let number = found.iter().filter(|finding| finding.level == level).count();
            paint(style(level), &count(number, level.id()))
        }
        (None, Some(_)) => paint(WARNING, "not seen"),
        (None, None) => paint(GOOD, "ok"),
    };
    let platform = verdict.point.platform.map(|platform| paint(FAINT, &format!(" ({})", platform.title())));
    let title = format!("{}{}", verdict.point.title, platform.unwrap_or_default());
    let mut text = columns(&[vec![pad(&mark), title]], 2);
    if let Some(why) = &verdict.not {
        text.push_str(&wrap(&clean(&format!("not looked at: {why}")), width(), MARK + 2));
    }
    let mut shown: Vec<&&Finding> = found.iter().collect();
    shown.sort_by_key(|finding| std::cmp::Reverse(finding.level));
    let most = if shown.len() == MAX_SHOWN + 1 { shown.len() } else { MAX_SHOWN };
    for finding in shown.iter().take(most) {
        text.push_str(&line(checked, finding));
    }
    let more = shown.len().saturating_sub(most);
    if more > 0 {
        text.push_str(&format!("{}{}\n", " ".repeat(MARK + 2), paint(FAINT, &format!("and {more} more"))));
    }
    text
}

/// Returns a finding: what is wrong, and where.
fn line(checked: &Checked<'_>, finding: &Finding) -> String {
    let sources = &checked.app.sources;
    let at = sources.position(finding.place);
    let said =
        clean(&format!("{} ({}:{})", finding.message, sources.file(finding.place.file).shown, at.line)).into_owned();
    let text = wrap(&said, width(), MARK + 4);
    let dot = paint(style(finding.level), "-");
    format!("{}{dot} {}", " ".repeat(MARK + 2), text.trim_start())
}

/// Fills a mark with blanks up to the column of the titles.
fn pad(mark: &str) -> String {
    let plain = anstream::adapter::strip_str(mark).to_string().chars().count();
    format!("{mark}{}", " ".repeat((MARK - 2).saturating_sub(plain)))
}

fn style(level: Level) -> anstyle::Style {
    match level {
        Level::Error => ERROR,
        Level::Warning => WARNING,
        Level::Note => NOTE,
    }
}
