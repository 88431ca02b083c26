//! `elvask survey`.

use elvask_core::Platform;
use elvask_core::app::{App, Level};
use elvask_core::check::{Context, check};
use elvask_core::finding::NeededBy;
use elvask_core::record::SurveyRecord;
use elvask_core::source::Place;
use elvask_core::surface::Surface;
use elvask_core::survey::{Declaration, KINDS, Survey, survey};
use elvask_platform::android::PERMISSION_PREFIX;

use super::{Done, Outcome, load, settings};
use crate::options::{self, Format};
use crate::output::Output;
use crate::render::style::{ERROR, FAINT, HEADING, WARNING, paint};
use crate::render::{clean, columns, fitted, snippet};

pub(crate) fn run(options: &options::Survey, output: &Output) -> Done {
    let app = load(&options.app, output)?;
    let settings = settings(false);
    let surface = Surface::read(&app, &app.sources);
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let survey = survey(&context);
    match options.app.format {
        Format::Json => output.json(&SurveyRecord::of(&app, &survey)),
        Format::Human => output.result(&human(&app, &survey)),
    }
    let report = check(&app, &settings);
    let mut outcome = Outcome::Clean;
    for obstacle in report.obstacles() {
        output.say(snippet::finding(&app.sources, obstacle).trim_end());
        outcome = Outcome::CouldNotRun;
    }
    Ok(outcome)
}

fn human(app: &App, survey: &Survey) -> String {
    let mut out = identity(app);
    for platform in [Platform::Android, Platform::Ios] {
        if !app.has(platform) {
            continue;
        }
        if platform == Platform::Android && !survey.entry_points.is_empty() {
            out.push_str(&heading(platform, "Entry points", survey.entry_points.len()));
            let row = |one: &elvask_core::survey::EntryPoint| {
                let how = if one.launcher { "the launcher starts it" } else { "other apps may start it" };
                vec![clean(&one.class).into_owned(), one.kind.clone(), how.to_owned(), place(app, one.place)]
            };
            out.push_str(&columns(&survey.entry_points.iter().map(row).collect::<Vec<_>>(), 2));
        }
        for kind in KINDS {
            let of_kind = |one: &&Declaration| one.platform == platform && one.kind == kind.id;
            let listed: Vec<_> = survey.declarations.iter().filter(of_kind).collect();
            if listed.is_empty() {
                continue;
            }
            out.push_str(&heading(platform, kind.title, listed.len()));
            out.push_str(&fitted(listed.iter().map(|one| row(app, one)).collect(), 2, 1));
        }
    }
    out.push_str(&plugins(app));
    out
}

fn heading(platform: Platform, title: &str, number: usize) -> String {
    format!("\n{} {}\n", paint(HEADING, &format!("{title} ({})", platform.title())), paint(FAINT, &number.to_string()))
}

fn identity(app: &App) -> String {
    let text = |value: Option<String>| match value {
        Some(value) => clean(&value).into_owned(),
        None => "not stated in so many words".to_owned(),
    };
    let layouts: Vec<_> = app.layouts.iter().map(|layout| layout.file()).collect();
    let mut rows = vec![vec![
        paint(HEADING, "App"),
        clean(&format!("{} ({})", app.root.display(), layouts.join(", "))).into_owned(),
    ]];
    if let Some(android) = &app.android {
        let level = |level: &Level| match (level.value, &level.written) {
            (Some(value), _) => value.to_string(),
            (None, Some(written)) => clean(&format!("not known ({written})")).into_owned(),
            (None, None) => "not stated".to_owned(),
        };
        let levels =
            format!("runs from level {}, targets level {}", level(&android.min_level), level(&android.target_level));
        rows.push(vec![paint(HEADING, "Android"), format!("{}, {levels}", text(android.id.value.clone()))]);
        let file = android.manifest.map(|file| app.sources.file(file).shown.clone());
        rows.push(vec![String::new(), paint(FAINT, &text(file))]);
    }
    if let Some(ios) = &app.ios {
        let version = ios
            .min_version
            .value
            .map_or("lowest version not stated".to_owned(), |version| format!("runs from {version}"));
        let target = ios.target.as_deref().map(|target| format!(", target {}", clean(target))).unwrap_or_default();
        rows.push(vec![paint(HEADING, "iOS"), format!("{}, {version}{target}", text(ios.id.value.clone()))]);
        let file = ios.plist.map(|file| app.sources.file(file).shown.clone());
        rows.push(vec![String::new(), paint(FAINT, &text(file))]);
    }
    columns(&rows, 0)
}

fn row(app: &App, one: &Declaration) -> Vec<String> {
    let name = clean(one.name.strip_prefix(PERMISSION_PREFIX).unwrap_or(&one.name)).into_owned();
    let mut about = Vec::new();
    if let Some(why) = one.ignored {
        about.push(paint(ERROR, &format!("ignored: {why}")));
    } else if let Some(doubt) = one.doubt {
        about.push(paint(WARNING, doubt));
    } else if let Some(grant) = one.grant {
        let group = one.group.map(|group| format!(" ({group})")).unwrap_or_default();
        about.push(format!("{}{group}", grant.title()));
    }
    match (&one.value, one.kind) {
        (Some(value), _) if value.trim().is_empty() => about.push(paint(WARNING, "empty")),
        (Some(value), "usage") => about.push(format!("\"{}\"", shorten(&clean(value), 48))),
        (Some(value), _) => about.push(shorten(&clean(value), 48)),
        (None, _) => {}
    }
    vec![name, about.join(", "), needed(&one.needed_by), place(app, one.place)]
}

fn needed(needed_by: &[NeededBy]) -> String {
    let mut names: Vec<_> = needed_by.iter().map(|needed| clean(&needed.plugin).into_owned()).collect();
    names.dedup();
    if names.is_empty() { paint(FAINT, "-") } else { names.join(", ") }
}

fn place(app: &App, place: Place) -> String {
    let at = app.sources.position(place);
    let file = &app.sources.file(place.file).shown;
    let name = file.rsplit('/').next().unwrap_or(file);
    paint(FAINT, &format!("{}:{}", clean(name), at.line))
}

fn shorten(text: &str, most: usize) -> String {
    let line = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if line.chars().count() <= most {
        return line;
    }
    let kept: String = line.chars().take(most - 1).collect();
    format!("{}…", kept.trim_end())
}

fn plugins(app: &App) -> String {
    if app.plugins.is_empty() {
        return "\nNo plugins were found.\n".to_owned();
    }
    let mut out = format!("\n{} {}\n", paint(HEADING, "Plugins"), paint(FAINT, &app.plugins.len().to_string()));
    let row = |plugin: &elvask_core::app::Plugin| {
        let known = match &plugin.sheet {
            Some(found) => clean(&app.sources.file(found.file).shown).into_owned(),
            None => paint(WARNING, "no sheet: nothing is known of what it requires"),
        };
        vec![clean(&plugin.name).into_owned(), clean(plugin.version.as_deref().unwrap_or_default()).into_owned(), known]
    };
    out.push_str(&columns(&app.plugins.iter().map(row).collect::<Vec<_>>(), 2));
    out
}
