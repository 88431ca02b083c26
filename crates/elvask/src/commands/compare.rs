//! `elvask compare`.

use std::fs;
use std::path::Path;

use elvask_core::app::{App, Choice, Look};
use elvask_core::built::as_app;
use elvask_core::check::obstacles;
use elvask_core::compare::{Difference, Fact, Turn, compare, facts};
use elvask_core::context::Context;
use elvask_core::survey::survey;
use elvask_platform::Platform;
use elvask_project::files::{Disk, Files as _};
use elvask_project::surface::Surface;
use elvask_record::{CompareRecord, FORMAT, SurveyRecord};
use serde_json::Value;

use super::built::is_built;
use super::{Done, Outcome, choice, load_looking, root_at, root_of, settings, typed};
use crate::options::AppChoice;
use crate::options::compare::{Compare, CompareForm};
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, GOOD, WARNING, paint};
use crate::render::{clean, snippet, width, wrap};
use crate::revision::Revision;

/// The largest survey that is read, in bytes.
const MAX_SURVEY: u64 = 64 * 1024 * 1024;

/// What a side can be.
const HINT: &str =
    "name a folder of an app, a commit, branch or tag, or a survey: elvask survey --format json >survey.json";

/// One side of a comparison.
struct Side {
    /// What it is, in a few words.
    shown: String,
    facts: Vec<Fact>,
    /// The platforms that it can speak of, where it is what was built for one.
    only: Option<Platform>,
}

pub(crate) fn run(options: &Compare, output: &Output) -> Done {
    let app = options.choice();
    let old = side(&options.old, &app, output)?;
    let new = match &options.new {
        Some(named) => side(named, &app, output)?,
        None => of_app(&root_of(&app)?, &app, output)?,
    };
    // Of a platform that one side cannot speak of nothing is gained or lost.
    let only = old.only.or(new.only);
    let of = |side: &Side| -> Vec<Fact> {
        side.facts.iter().filter(|fact| only.is_none_or(|only| only == fact.platform)).cloned().collect()
    };
    let all = compare(&of(&old), &of(&new));
    match options.format {
        CompareForm::Json => output.json(&CompareRecord {
            format: FORMAT,
            old: old.shown,
            new: new.shown,
            differences: all.iter().map(Into::into).collect(),
        }),
        CompareForm::Human => output.result(&human(&all, &old, &new, output.verbose)),
        CompareForm::Markdown => output.result(&markdown(&all, &old, &new)),
    }
    let fails = all.iter().any(|one| options.fail_on.iter().any(|class| class == one.class));
    Ok(if fails { Outcome::Found } else { Outcome::Clean })
}

/// Compares the app with an earlier state of it, for a page that is about more.
pub(super) fn against(old: &str, root: &Path, app: &AppChoice, output: &Output) -> Result<CompareRecord, Failure> {
    let old = side(old, app, output)?;
    let new = of_app(root, app, output)?;
    let all = compare(&old.facts, &new.facts);
    Ok(CompareRecord {
        format: FORMAT,
        old: old.shown,
        new: new.shown,
        differences: all.iter().map(Into::into).collect(),
    })
}

/// Reads a side that a person names: a folder, the JSON of a survey, or a revision.
fn side(named: &str, app: &AppChoice, output: &Output) -> Result<Side, Failure> {
    let path = Path::new(named);
    if path.is_dir() {
        return of_app(&root_at(Some(path))?, app, output);
    }
    if path.is_file() && is_built(path) {
        // Alone: what the sources say is the other side's affair.
        let file = fs::File::open(path).map_err(|error| Failure::new(format!("{named}: {error}")))?;
        let built = elvask_built::read(file).map_err(|error| Failure::new(format!("{named}: {error}")))?;
        output.limits(&built.limits);
        let only = Some(if built.ios.is_some() { Platform::Ios } else { Platform::Android });
        return Ok(Side { shown: typed(path), facts: surveyed(&as_app(&built, path, None))?, only });
    }
    if path.is_file() {
        return of_survey(path);
    }
    if named.contains('/') && path.extension().is_some_and(|extension| extension == "json") {
        return Err(Failure::new(format!("{named}: there is no such file")));
    }
    of_revision(named, app)
}

fn of_survey(path: &Path) -> Result<Side, Failure> {
    let shown = typed(path);
    let failed = |why: String| Failure::new(format!("{shown}: {why}"));
    let size = fs::metadata(path).map_err(|error| failed(error.to_string()))?.len();
    if size > MAX_SURVEY {
        return Err(failed(format!("it has more than {} MB", MAX_SURVEY / 1024 / 1024)));
    }
    let bytes = fs::read(path).map_err(|error| failed(error.to_string()))?;
    let json: Value = serde_json::from_slice(&bytes)
        .map_err(|error| Failure::new(format!("{shown} is not what `elvask survey --format json` prints: {error}")))?;
    let facts = facts(&json).map_err(|why| Failure::new(format!("{shown} {why}")))?;
    Ok(Side { shown, facts, only: None })
}

fn of_revision(named: &str, app: &AppChoice) -> Result<Side, Failure> {
    let root = Disk.real(&root_of(app)?);
    let files = Revision::open(&root, named, ("", HINT))?;
    // What is remembered of the disk is not of the revision.
    let choice = Choice { cache: None, ..choice(&root, app, Look::Nowhere)? };
    let app = App::load_choice(&files, &root, &choice).map_err(|error| Failure::new(format!("{named}: {error}")))?;
    Ok(Side { shown: named.to_owned(), facts: surveyed(&app)?, only: None })
}

fn of_app(root: &Path, options: &AppChoice, output: &Output) -> Result<Side, Failure> {
    let app = load_looking(root, options, Look::Nowhere, output)?;
    let shown = typed(root);
    let shown = if shown.is_empty() || shown == "." { "the app".to_owned() } else { shown };
    Ok(Side { shown, facts: surveyed(&app)?, only: None })
}

/// Returns the facts of an app; one of which a part cannot be read is not compared.
fn surveyed(app: &App) -> Result<Vec<Fact>, Failure> {
    let settings = settings(false);
    let surface = Surface::read(app, &app.sources);
    if let Some(obstacle) = obstacles(app, &surface, &settings).first() {
        let line = snippet::line(&app.sources, obstacle);
        return Err(Failure::new(format!("what cannot be read cannot be compared: {}", line.trim_end())));
    }
    let context = Context::new(app, &app.sources, &surface, &settings);
    let record = SurveyRecord::of(app, &survey(&context));
    let json = serde_json::to_value(record).unwrap_or_default();
    facts(&json).map_err(Failure::new)
}

/// Returns a difference in one line, without its meaning.
fn line(one: &Difference) -> String {
    let value = match (one.turn, &one.before, &one.fact.value) {
        (Turn::Changed, before, now) => {
            let said = |value: &Option<String>| {
                value.clone().filter(|value| !value.is_empty()).unwrap_or("nothing".to_owned())
            };
            format!(": {} → {}", said(before), said(now))
        }
        (_, _, Some(value)) if !value.is_empty() => format!(": {value}"),
        _ => String::new(),
    };
    format!("{} {} {}{value}", one.fact.platform.title(), one.fact.kind, one.fact.name)
}

fn human(all: &[Difference], old: &Side, new: &Side, whole: bool) -> String {
    let mut out = String::new();
    let shown: Vec<_> = all.iter().filter(|one| whole || !one.meaning.is_empty()).collect();
    for one in &shown {
        let (sign, style) = match one.turn {
            Turn::Gained => ("+", GOOD),
            Turn::Lost => ("-", ERROR),
            Turn::Changed => ("~", WARNING),
        };
        let head = format!("{}  {}", clean(&line(one)), paint(FAINT, &format!("[{}]", one.class)));
        let body = wrap(&head, width(), 2);
        out.push_str(&format!("{} {}", paint(style, sign), body.trim_start()));
        if !one.meaning.is_empty() {
            out.push_str(&wrap(&clean(&one.meaning), width(), 4));
        }
    }
    let (before, now) = (clean(&old.shown), clean(&new.shown));
    let more = match all.len() - shown.len() {
        0 => String::new(),
        more => format!(" Of {more} nobody who updates notices anything: -v lists them."),
    };
    let verdict = match all.len() {
        0 => format!("{now} declares what {before} declares."),
        1 => format!("1 difference between {before} and {now}.{more}"),
        count => format!("{count} differences between {before} and {now}.{more}"),
    };
    out.push_str(&wrap(&verdict, width(), 0));
    out
}

fn markdown(all: &[Difference], old: &Side, new: &Side) -> String {
    let cell = |text: &str| clean(text).replace('|', "\\|").replace('<', "&lt;").replace('`', "'");
    let mut out = format!("### What the app declares: `{}` → `{}`\n\n", cell(&old.shown), cell(&new.shown));
    if all.is_empty() {
        out.push_str("Nothing differs.\n");
        return out;
    }
    out.push_str("| | what | what it means |\n|---|---|---|\n");
    for one in all {
        out.push_str(&format!("| {} | `{}` | {} |\n", one.turn.word(), cell(&line(one)), cell(&one.meaning)));
    }
    out
}
