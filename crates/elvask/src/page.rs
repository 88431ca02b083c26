//! One page in HTML with all that is known of an app: nothing in it is fetched, and it can be read without a script.

mod links;
mod view;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use elvask_core::Version;
use elvask_core::app::App;
use elvask_core::check::Report;
use elvask_core::context::Context;
use elvask_core::identity::{replaces, said};
use elvask_core::known::of_app;
use elvask_core::matrix::{Mark, matrix};
use elvask_core::prompts::{Device, meet};
use elvask_core::survey::{Survey, survey};
use elvask_platform::Platform;
use elvask_platform::prompts::{Room, room};
use elvask_record::{AppRecord, CompareRecord, KnownRecord, MetRecord, SaidRecord, SummaryRecord};
use minijinja::value::{Serde, ValueKind};
use minijinja::{Environment, Value, context, escape_formatter};
use serde::Serialize;
use sha2::{Digest as _, Sha256};

use crate::render::clean;
use view::{FindingView, MatrixView, SideView, SurveyView, Verdict};

const STYLE: &str = include_str!("page/style.css");
const SCRIPT: &str = include_str!("page/script.js");

/// The templates, by their names.
const TEMPLATES: [(&str, &str); 9] = [
    ("page.html", include_str!("page/page.html")),
    ("findings.html", include_str!("page/findings.html")),
    ("surface.html", include_str!("page/surface.html")),
    ("matrix.html", include_str!("page/matrix.html")),
    ("prompts.html", include_str!("page/prompts.html")),
    ("links.html", include_str!("page/links.html")),
    ("identity.html", include_str!("page/identity.html")),
    ("evidence.html", include_str!("page/evidence.html")),
    ("changes.html", include_str!("page/changes.html")),
];

/// The words by which a page is known for one: it may be written over by the next.
pub(crate) const MARK: &str = "<meta name=\"generator\" content=\"elvask report\">";

/// What is shown.
#[derive(Serialize)]
struct Page<'p> {
    /// What the app is called.
    title: String,
    /// The day on which the page was made.
    made_on: &'p str,
    version: &'static str,
    release: bool,
    app: AppRecord,
    verdict: Verdict,
    summary: SummaryRecord,
    judged: Vec<SideView>,
    limits: &'p [String],
    /// What the findings are held against, and how many are new.
    since: Option<&'p str>,
    new: usize,
    findings: Vec<FindingView>,
    survey: SurveyView,
    matrix: Vec<MatrixView>,
    devices: Vec<MetRecord>,
    room: String,
    /// What the signs of the matrix mean.
    legend: Vec<(char, &'static str)>,
    links: links::LinkMap,
    identity: Vec<SaidRecord>,
    replaces: Vec<String>,
    evidence: Vec<KnownRecord>,
    changes: Option<CompareRecord>,
}

/// What a page is made of, beside the app.
pub(crate) struct Made<'p> {
    /// What a check found.
    pub(crate) report: &'p Report,
    /// Whether the app was judged as it ships.
    pub(crate) release: bool,
    /// The day of today.
    pub(crate) day: &'p str,
    /// What limits the look at the app, in sentences without a full stop.
    pub(crate) limits: &'p [String],
    /// What the findings are held against, as it was named.
    pub(crate) since: Option<&'p str>,
    /// Which of the findings are new; empty where they are held against nothing.
    pub(crate) new: &'p [bool],
    /// What changed since an earlier state.
    pub(crate) changes: Option<CompareRecord>,
}

/// Writes the page.
///
/// # Errors
/// Why a template could not be filled, which would be a mistake of the program.
pub(crate) fn page(app: &App, context: &Context<'_>, made: Made<'_>) -> Result<String, String> {
    let survey = survey(context);
    let all = said(context);
    let devices = devices(app, context, &survey);
    let page = Page {
        title: title(app, &devices),
        made_on: made.day,
        version: env!("CARGO_PKG_VERSION"),
        release: made.release,
        app: AppRecord::of(app),
        verdict: Verdict::of(made.report),
        summary: SummaryRecord::of(made.report),
        judged: made.report.judged.iter().map(SideView::of).collect(),
        limits: made.limits,
        since: made.since,
        new: made.new.iter().filter(|new| **new).count(),
        findings: findings(app, &made),
        survey: SurveyView::of(app, &survey),
        matrix: MatrixView::all(&matrix(context, &survey)),
        devices,
        room: room_in_words(Platform::Ios),
        legend: Mark::ALL.iter().rev().map(|mark| (mark.sign(), mark.meaning())).collect(),
        links: links::LinkMap::of(app, &context.links_at_home()),
        replaces: replaces(&all),
        identity: all.iter().map(|one| SaidRecord::of(&app.sources, one)).collect(),
        evidence: of_app(app).iter().map(KnownRecord::of).collect(),
        changes: made.changes,
    };
    let mut environment = Environment::new();
    // What others wrote may hold anything: nothing in it turns letters round or stays unseen.
    environment.set_formatter(|out, state, value| match value.as_str() {
        Some(text) if value.kind() == ValueKind::String && !value.is_safe() => {
            escape_formatter(out, state, &Value::from(clean(text).as_ref()))
        }
        _ => escape_formatter(out, state, value),
    });
    let failed = |error: minijinja::Error| format!("{error:#}");
    for (name, text) in TEMPLATES {
        environment.add_template(name, text).map_err(failed)?;
    }
    let template = environment.get_template("page.html").map_err(failed)?;
    let filled = template.render(context! {
        page => Value::from(Serde(&page)),
        mark => Value::from_safe_string(MARK.to_owned()),
        style => Value::from_safe_string(STYLE.to_owned()),
        script => Value::from_safe_string(SCRIPT.to_owned()),
        style_sum => sum(STYLE),
        script_sum => sum(SCRIPT),
    });
    filled.map_err(failed)
}

fn findings(app: &App, made: &Made<'_>) -> Vec<FindingView> {
    let new = made.new.iter().copied().chain(std::iter::repeat(false));
    made.report.findings.iter().zip(new).map(|(finding, new)| FindingView::of(&app.sources, finding, new)).collect()
}

/// Returns the sum by which the page's policy knows a style or a script.
fn sum(text: &str) -> Value {
    Value::from_safe_string(format!("sha256-{}", STANDARD.encode(Sha256::digest(text.as_bytes()))))
}

/// Says how much of a purpose a dialog shows; Android shows none.
fn room_in_words(platform: Platform) -> String {
    let Room { letters, lines } = room(platform);
    format!("{}: about {lines} lines of {letters} letters of a purpose are seen at once.", platform.title())
}

/// Returns what the app is called: its name, else its id, else its folder.
fn title(app: &App, devices: &[MetRecord]) -> String {
    let name = devices.iter().find_map(|met| met.name.clone());
    let android = app.android.as_ref().and_then(|android| android.id.value.clone());
    let ios = app.ios.as_ref().and_then(|ios| ios.id.value.clone());
    let folder = || app.root.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    name.or(android).or(ios).unwrap_or_else(folder)
}

fn devices(app: &App, context: &Context<'_>, survey: &Survey) -> Vec<MetRecord> {
    let sides = [Platform::Android, Platform::Ios].into_iter().filter(|platform| app.has(*platform));
    let level: Option<Version> = None;
    sides
        .map(|platform| MetRecord::of(&app.sources, &meet(context, survey, Device { platform, level, language: None })))
        .collect()
}
