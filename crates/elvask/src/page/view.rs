//! What the page shows, put so that its templates need not think.

use elvask_core::app::App;
use elvask_core::check::Report;
use elvask_core::finding::{Finding, Level};
use elvask_core::judged::Judged;
use elvask_core::matrix::{Mark, Matrix};
use elvask_core::survey::{Section, Survey};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::{Place, Sources};
use elvask_record::{DeclarationRecord, FindingRecord, SurveyRecord};
use serde::Serialize;

use crate::render::count;
use crate::render::snippet::{command, fit, unmarked};

/// How many letters of a line of source are shown on each side of what is marked.
const AROUND: usize = 80;

/// What the page says first.
#[derive(Serialize)]
pub(super) struct Verdict {
    /// `error`, `warning`, `note`, `clean` or `unknown`.
    pub(super) state: &'static str,
    /// In a sentence without a full stop.
    pub(super) text: String,
}

impl Verdict {
    pub(super) fn of(report: &Report) -> Self {
        let counts = [(Level::Error, "error"), (Level::Warning, "warning"), (Level::Note, "note")];
        let parts: Vec<String> = counts
            .iter()
            .filter(|(level, _)| report.count(*level) > 0)
            .map(|(level, word)| count(report.count(*level), word))
            .collect();
        let judged = report.judged.iter().any(|side| side.not.is_none());
        let (state, text) = match counts.iter().find(|(level, _)| report.count(*level) > 0) {
            Some((_, word)) => (*word, parts.join(", ")),
            None if judged => ("clean", "Nothing is missing or wrong, as far as was looked".to_owned()),
            None => ("unknown", "Nothing was judged".to_owned()),
        };
        Verdict { state, text }
    }
}

/// A side of the app, and whether it was judged.
#[derive(Serialize)]
pub(super) struct SideView {
    title: &'static str,
    about: String,
    judged: bool,
}

impl SideView {
    pub(super) fn of(side: &Judged) -> Self {
        let about = match &side.not {
            Some(why) => format!("not judged: {why}"),
            None => format!("held against {} with {}", count(side.plugins, "plugin"), count(side.needs, "need")),
        };
        SideView { title: side.platform.title(), about, judged: side.not.is_none() }
    }
}

/// A line of a source file, parted at what is marked.
#[derive(Serialize)]
pub(super) struct LineView {
    number: usize,
    before: String,
    marked: String,
    after: String,
}

/// A finding with its lines.
#[derive(Serialize)]
pub(super) struct FindingView {
    #[serde(flatten)]
    record: FindingRecord,
    /// The line itself and those around it.
    lines: Vec<LineView>,
    /// The command that writes what mends it; absent where none does.
    command: Option<String>,
    /// Another place that belongs to it, with a word about it.
    related: Option<String>,
    /// Whether it was not there before.
    is_new: bool,
}

impl FindingView {
    pub(super) fn of(sources: &Sources, finding: &Finding, is_new: bool) -> Self {
        let related = finding.related.as_ref().map(|(place, label)| {
            let at = sources.position(*place);
            format!("{label}: {}:{}", sources.file(place.file).shown, at.line)
        });
        FindingView {
            record: FindingRecord::of(sources, finding),
            lines: lines(sources, finding.place),
            command: matches!(finding.remedy, Remedy::Edit { .. }).then(|| command(finding)),
            related,
            is_new,
        }
    }
}

/// Returns the line of a place with the one before and the one behind it; what is marked in it is its first line alone.
fn lines(sources: &Sources, place: Place) -> Vec<LineView> {
    let file = sources.file(place.file);
    let (text, mark) = unmarked(&file.text);
    let span = fit(text, place.span, mark);
    if text.is_empty() {
        return Vec::new();
    }
    let at = sources.position(place).line;
    let (from, to) = (at.saturating_sub(1).max(1), at + 1);
    let mut out = Vec::new();
    let mut start = 0;
    for (number, line) in (1..).zip(text.split_inclusive('\n')) {
        if number > to {
            break;
        }
        let whole = line.trim_end_matches(['\r', '\n']);
        if number >= from {
            let cut = |at: usize| at.saturating_sub(start).min(whole.len());
            let (first, last) =
                if number == at { (cut(span.start), cut(span.end)) } else { (whole.len(), whole.len()) };
            let part = |from: usize, to: usize| whole.get(from..to).unwrap_or_default();
            out.push(LineView {
                number,
                before: ending(part(0, first)),
                marked: starting(part(first, last)),
                after: starting(part(last, whole.len())),
            });
        }
        start += line.len();
    }
    // A line that is alone says as much as one between empty ones.
    out.retain(|line| line.number == at || !(line.before.trim().is_empty() && line.marked.is_empty()));
    out
}

fn starting(text: &str) -> String {
    match text.char_indices().nth(AROUND * 2) {
        Some((at, _)) => format!("{}…", text.get(..at).unwrap_or_default()),
        None => text.to_owned(),
    }
}

fn ending(text: &str) -> String {
    let letters = text.chars().count();
    match letters > AROUND * 2 {
        true => format!("…{}", text.chars().skip(letters - AROUND).collect::<String>()),
        false => text.to_owned(),
    }
}

/// What the app declares, under its headings.
#[derive(Serialize)]
pub(super) struct SurveyView {
    platforms: Vec<PlatformView>,
    ignored: Vec<DeclarationRecord>,
}

#[derive(Serialize)]
struct PlatformView {
    title: &'static str,
    id: &'static str,
    sections: Vec<SectionView>,
}

#[derive(Serialize)]
struct SectionView {
    title: &'static str,
    about: &'static str,
    declarations: Vec<DeclarationRecord>,
}

impl SurveyView {
    pub(super) fn of(app: &App, survey: &Survey) -> Self {
        let record = SurveyRecord::of(app, survey);
        let shown: Vec<Section> =
            survey.declarations.iter().filter(|one| one.ignored.is_none()).map(|one| one.section).collect();
        let mut platforms = Vec::new();
        for platform in [Platform::Android, Platform::Ios].into_iter().filter(|platform| app.has(*platform)) {
            let mut sections = Vec::new();
            for section in Section::ALL {
                let of_section = record.declarations.iter().zip(&shown);
                let declarations: Vec<_> = of_section
                    .filter(|(one, of)| one.platform == platform && **of == section)
                    .map(|(one, _)| one.clone())
                    .collect();
                if !declarations.is_empty() {
                    sections.push(SectionView { title: section.title(), about: section.about(), declarations });
                }
            }
            platforms.push(PlatformView { title: platform.title(), id: platform.id(), sections });
        }
        SurveyView { platforms, ignored: record.ignored }
    }
}

/// Plugins against the declarations of one section.
#[derive(Serialize)]
pub(super) struct MatrixView {
    title: String,
    plugins: Vec<String>,
    rows: Vec<MatrixRowView>,
    /// How many more are declared that no plugin needs.
    more: usize,
}

#[derive(Serialize)]
struct MatrixRowView {
    name: String,
    declared: bool,
    /// The mark of each plugin: its sign, with the word for it; empty where there is none.
    cells: Vec<(char, &'static str)>,
}

impl MatrixView {
    /// Makes a table of each section that some plugin needs something of.
    pub(super) fn all(matrix: &Matrix) -> Vec<Self> {
        let mut out = Vec::new();
        for platform in [Platform::Android, Platform::Ios] {
            for section in Section::ALL {
                let rows: Vec<_> =
                    matrix.rows.iter().filter(|row| (row.platform, row.section) == (platform, section)).collect();
                let mut plugins: Vec<usize> = rows.iter().flat_map(|row| row.marks.iter().map(|(at, _)| *at)).collect();
                plugins.sort_unstable();
                plugins.dedup();
                if plugins.is_empty() {
                    continue;
                }
                let needed: Vec<_> = rows.iter().filter(|row| !row.marks.is_empty()).collect();
                let cell = |mark: Option<Mark>| mark.map_or((' ', ""), |mark| (mark.sign(), mark.word()));
                let view = |row: &&&elvask_core::matrix::Row| MatrixRowView {
                    name: row.name.clone(),
                    declared: row.declared,
                    cells: plugins.iter().map(|plugin| cell(row.mark(*plugin))).collect(),
                };
                out.push(MatrixView {
                    title: format!("{}, {}", section.title(), platform.title()),
                    plugins: plugins.iter().filter_map(|at| matrix.plugins.get(*at).cloned()).collect(),
                    more: rows.len() - needed.len(),
                    rows: needed.iter().map(view).collect(),
                });
            }
        }
        out
    }
}
