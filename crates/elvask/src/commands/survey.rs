//! `elvask survey`.

mod matrix;

use std::borrow::Cow;
use std::fmt::Write as _;
use std::mem::ManuallyDrop;

use elvask_core::Platform;
use elvask_core::app::{App, Look};
use elvask_core::check::obstacles as found_obstacles;
use elvask_core::context::Context;
use elvask_core::finding::NeededBy;
use elvask_core::survey::{Declaration, Section, Survey, differences, survey, unfilled};
use elvask_platform::android::PERMISSION_PREFIX;
use elvask_project::appfiles::{Level, Widget};
use elvask_project::source::{FileId, Place};
use elvask_project::surface::Surface;
use elvask_record::{AllSurveysRecord, AppSurveyRecord, FORMAT, MergedRecord, SurveyRecord, VariantsRecord};

use super::{Done, Outcome, all_apps, built, load, load_at, settings, typed, unresolved};
use crate::options::{self, Format};
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, HEADING, WARNING, paint, paint_into};
use crate::render::{Table, clean, columns, is_plain, snippet, width, wrap};

pub(crate) fn run(options: &options::Survey, output: &Output) -> Done {
    if !options.all {
        let app = ManuallyDrop::new(match &options.built {
            Some(file) => built::open(file, &options.app.choice, Look::WithoutSheet, output)?.app,
            None => load(&options.app.choice, output)?,
        });
        return if options.matrix {
            matrix::run(&app, options, output)
        } else if options.variants {
            side_by_side(&app, options, output)
        } else if options.merged {
            merged(&app, options, output)
        } else {
            one(&app, options, output, |record| output.json(record))
        };
    }
    let (mut outcome, mut records) = (Outcome::Clean, Vec::new());
    for (at, root) in all_apps(&options.app.choice)?.into_iter().enumerate() {
        let app = load_at(&root, &options.app.choice, output)?;
        if options.app.format == Format::Human && at > 0 {
            output.result("\n");
        }
        let path = typed(&root);
        let done = one(&app, options, output, |record| {
            records.push(AppSurveyRecord { path: path.clone(), survey: record.clone() });
        })?;
        if done != Outcome::Clean {
            outcome = done;
        }
    }
    if options.app.format == Format::Json {
        output.json(&AllSurveysRecord { format: FORMAT, apps: records });
    }
    Ok(outcome)
}

/// Surveys one app; what is to be printed as JSON goes to `json`.
fn one(app: &App, options: &options::Survey, output: &Output, mut json: impl FnMut(&SurveyRecord)) -> Done {
    let settings = settings(false);
    // The system takes memory back faster than it can be given back piece by piece, and after this there is not much to do.
    let surface = ManuallyDrop::new(Surface::read(app, &app.sources));
    let context = ManuallyDrop::new(Context::new(app, &app.sources, &surface, &settings));
    let survey = ManuallyDrop::new(survey(&context));
    let more: Vec<_> = survey.unresolved.iter().skip(app.unresolved.len()).map(|one| unresolved(app, one)).collect();
    output.limits(&more);
    match options.app.format {
        Format::Json => json(&SurveyRecord::of(app, &survey)),
        Format::Human => {
            let told = Told { all: output.verbose, about: options.explain };
            output.result(&human(app, &context, &survey, told));
        }
    }
    Ok(obstacles(app, &surface, output))
}

/// Says what could not be read.
fn obstacles(app: &App, surface: &Surface, output: &Output) -> Outcome {
    let settings = settings(false);
    let mut outcome = Outcome::Clean;
    for obstacle in found_obstacles(app, surface, &settings) {
        output.say(snippet::finding(&app.sources, &obstacle).trim_end());
        outcome = Outcome::CouldNotRun;
    }
    outcome
}

/// Prints the manifest as the build merges it.
fn merged(app: &App, options: &options::Survey, output: &Output) -> Done {
    let Some(android) = &app.android else {
        return Err(Failure::new("the app has no Android side, so there is no manifest to merge".to_owned()));
    };
    let surface = Surface::read(app, &app.sources);
    let Some(variant) = android.judged().next() else {
        return Err(Failure::new("the app has no variant that is released".to_owned()));
    };
    let Some(effective) = surface.effective(app, variant) else {
        obstacles(app, &surface, output);
        return Ok(Outcome::CouldNotRun);
    };
    if android.judged.len() > 1 {
        let others: Vec<_> = android.judged().skip(1).map(|variant| variant.name.as_str()).collect();
        output.notice(&format!("this is {}; --variant names another: {}", variant.name, others.join(", ")));
    }
    for one in unfilled(&effective.merged, &app.unresolved) {
        output.notice(&unresolved(app, &one));
    }
    for problem in &effective.merged.problems {
        let at = app.sources.position(problem.place);
        let file = &app.sources.file(problem.place.file).shown;
        output.notice(&format!("{file}:{}:{}: the build stops here: {}", at.line, at.column, problem.sentence()));
    }
    let origin = |place: Place| {
        let at = app.sources.position(place);
        clean(&format!("{}:{}", app.sources.file(place.file).shown, at.line)).into_owned()
    };
    let manifest = effective.merged.print(options.origins.then_some(&origin as &dyn Fn(Place) -> String));
    match options.app.format {
        Format::Human => output.result(&manifest),
        Format::Json => output.json(&MergedRecord { format: FORMAT, variant: variant.name.clone(), manifest }),
    }
    Ok(obstacles(app, &surface, output))
}

/// Shows the variants side by side, where they differ.
fn side_by_side(app: &App, options: &options::Survey, output: &Output) -> Done {
    let surface = Surface::read(app, &app.sources);
    let (names, differences) = differences(app, &surface);
    if options.app.format == Format::Json {
        output.json(&VariantsRecord::of(&names, &differences));
        return Ok(obstacles(app, &surface, output));
    }
    let mut out = format!("{} {}\n", paint(HEADING, "Variants"), paint(FAINT, &clean(&names.join(", "))));
    if differences.is_empty() {
        out.push_str("\nThey do not differ.\n");
    } else {
        let mut head = vec![String::new()];
        head.extend(names.iter().map(|name| paint(HEADING, &clean(name))));
        let mut rows = vec![head];
        for one in &differences {
            let name = one.name.replace(PERMISSION_PREFIX, "");
            let mut row = vec![clean(&format!("{} {name}", one.element)).into_owned()];
            row.extend(one.values.iter().map(|value| match value.as_deref() {
                None => paint(FAINT, "-"),
                Some("") => "yes".to_owned(),
                Some(value) => short(value, 36).into_owned(),
            }));
            rows.push(row);
        }
        out.push('\n');
        out.push_str(&columns(&rows, 2));
    }
    output.result(&out);
    Ok(obstacles(app, &surface, output))
}

/// How much is told.
#[derive(Clone, Copy)]
struct Told {
    /// The values of all names, and what was read and what not.
    all: bool,
    /// What a newcomer should know of each section.
    about: bool,
}

fn human(app: &App, context: &Context<'_>, survey: &Survey, told: Told) -> String {
    let mut out = identity(app, survey);
    for platform in [Platform::Android, Platform::Ios] {
        if !app.has(platform) {
            continue;
        }
        if platform == Platform::Android && !survey.entry_points.is_empty() {
            out.push_str(&heading(platform, "Entry points", survey.entry_points.len()));
            out.push_str(&about(
                told,
                "What the launcher and other apps can start; a tap on the icon starts the one of the launcher.",
            ));
            if !survey.entry_points.iter().any(|one| one.launcher) {
                out.push_str("  the launcher starts none of them: the app has no icon\n");
            }
            let row = |one: &elvask_core::survey::EntryPoint| {
                let mut how =
                    if one.launcher { "the launcher starts it" } else { "other apps may start it" }.to_owned();
                if let Some(permission) = &one.guarded_by {
                    how.push_str(&format!(" with {}", permission.replace(PERMISSION_PREFIX, "")));
                }
                vec![
                    clean(&one.class).into_owned(),
                    one.kind.clone(),
                    clean(&how).into_owned(),
                    place(app, one.place, one.origin.as_deref()),
                ]
            };
            out.push_str(&columns(&survey.entry_points.iter().map(row).collect::<Vec<_>>(), 2));
        }
        for section in Section::ALL {
            let listed = survey.of(platform, section);
            // Who the app is stands at the top already.
            if listed.is_empty() || section == Section::Identity {
                continue;
            }
            out.push_str(&heading(platform, section.title(), listed.len()));
            out.push_str(&about(told, section.about()));
            if !told.all
                && listed.len() > 2
                && is_told_by_names(section)
                && listed.iter().all(|one| one.ignored.is_none())
            {
                out.push_str(&names(listed, section == Section::Application));
                continue;
            }
            let needs = listed.iter().any(|one| !one.needed_by.is_empty());
            let mut rows = Rows { app, context, needs, table: Table::default(), last: None };
            listed.iter().for_each(|one| rows.add(one));
            rows.table.fitted(2, 1, &mut out);
        }
    }
    if let Some(widget) = &app.widget {
        out.push_str(&widget_lines(app, widget));
    }
    out.push_str(&plugins(app));
    if told.all {
        out.push_str(&read(app));
        out.push_str(&not_read(app));
    }
    out
}

/// Returns what a newcomer should know of a section, where that is to be told.
fn about(told: Told, sentence: &str) -> String {
    if !told.about {
        return String::new();
    }
    let lines = wrap(sentence, width().min(100), 2);
    lines.lines().map(|line| format!("{}\n", paint(FAINT, line))).collect()
}

/// Lists what was not read, with the reasons.
fn not_read(app: &App) -> String {
    let mut lines: Vec<String> = app.notices.clone();
    lines.extend(app.unresolved.iter().map(|one| unresolved(app, one)));
    let none = |plugin: &&elvask_core::app::Plugin| !plugin.own && plugin.root.is_none();
    lines.extend(app.plugins().iter().filter(none).map(|plugin| format!("{}: it is not installed", plugin.name)));
    if lines.is_empty() {
        return String::new();
    }
    let mut out = format!("\n{} {}\n", paint(HEADING, "Not read"), paint(FAINT, &lines.len().to_string()));
    for line in lines {
        out.push_str(&wrap(&clean(&line), width(), 2));
    }
    out
}

/// Says whether the names of a section say enough: what seldom has to do with a plugin and is hardly ever wrong.
fn is_told_by_names(section: Section) -> bool {
    matches!(section, Section::Application | Section::Keys | Section::Orientation | Section::Look)
}

/// Returns names one after the other, those that a plugin needs with the plugin; with `valued` also their values.
fn names(listed: &[Declaration], valued: bool) -> String {
    let name = |one: &Declaration| match (one.needed_by.first(), one.value.as_deref()) {
        (Some(needed), _) => format!("{} ({})", one.name, needed.plugin),
        // A class is told by its last part.
        (None, Some(value)) if valued => {
            let short = if one.name == "name" { value.rsplit('.').next().unwrap_or(value) } else { value };
            format!("{} {short}", one.name)
        }
        (None, _) => one.name.clone(),
    };
    let names = listed.iter().map(name).collect::<Vec<_>>().join(", ");
    let more = if valued { "-v shows where" } else { "-v shows their values" };
    wrap(&clean(&format!("{names}: {more}")), width(), 2)
}

/// Lists the files that were read.
fn read(app: &App) -> String {
    let mut files: Vec<_> = app.sources.all().filter(|file| !file.absent).map(|file| file.shown.as_str()).collect();
    files.sort_unstable();
    files.dedup();
    let mut out = format!("\n{} {}\n", paint(HEADING, "Read"), paint(FAINT, &files.len().to_string()));
    for file in files {
        out.push_str(&format!("  {}\n", clean(file)));
    }
    out
}

/// Lists what a hybrid app's `config.xml` says.
fn widget_lines(app: &App, widget: &Widget) -> String {
    let mut out = format!("\n{}\n", paint(HEADING, "config.xml"));
    let said = [
        ("id", &widget.id),
        ("version", &widget.version),
        ("name", &widget.name),
        ("description", &widget.description),
        ("author", &widget.author),
    ];
    let mut rows = Vec::new();
    for (name, said) in said {
        if let Some(said) = said {
            rows.push(vec![
                name.to_owned(),
                short(&said.text, 60).into_owned(),
                String::new(),
                place(app, said.place, None),
            ]);
        }
    }
    for one in &widget.declares {
        let value = one.value.as_deref().map(|value| format!(" {}", short(value, 40))).unwrap_or_default();
        let platform = one.platform.map(|platform| format!("{} alone", platform.title())).unwrap_or_default();
        let name = format!("{}{value}", short(&one.name, 60));
        rows.push(vec![one.kind.to_owned(), name, platform, place(app, one.place, None)]);
    }
    out.push_str(&columns(&rows, 2));
    out
}

fn heading(platform: Platform, title: &str, number: usize) -> String {
    format!("\n{} {}\n", paint(HEADING, &format!("{title} ({})", platform.title())), paint(FAINT, &number.to_string()))
}

fn identity(app: &App, survey: &Survey) -> String {
    let text = |value: Option<&str>| match value {
        Some(value) => clean(value).into_owned(),
        None => "id not stated in so many words".to_owned(),
    };
    let said = |platform: Platform, names: &[&str]| {
        let of = |name: &&str| {
            let mut found = survey.declarations.iter().filter(|one| one.platform == platform && one.name == **name);
            found.find(|one| one.section == Section::Identity).and_then(|one| one.value.clone())
        };
        names.iter().filter_map(of).collect::<Vec<_>>()
    };
    let version = |platform: Platform, names: [&str; 2]| match said(platform, &names).as_slice() {
        [] => String::new(),
        [only] => format!(", version {}", clean(only)),
        [name, code, ..] => format!(", version {} ({})", clean(name), clean(code)),
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
        let version = version(Platform::Android, ["versionName", "versionCode"]);
        rows.push(vec![paint(HEADING, "Android"), format!("{}{version}, {levels}", text(android.id.value.as_deref()))]);
        let judged: Vec<_> = android.judged().map(|variant| variant.name.as_str()).collect();
        let others = android.variants.len() - judged.len();
        let mut about = clean(&format!("variant {}", judged.join(", "))).into_owned();
        if android.variants.len() > 1 && others > 0 {
            about.push_str(&format!(" of {}", android.variants.len()));
        }
        let file = android.manifest.map(|file| clean(&app.sources.file(file).shown).into_owned());
        let file = file.unwrap_or_else(|| "no manifest that can be read".to_owned());
        rows.push(vec![String::new(), paint(FAINT, &format!("{about}, {file}"))]);
        rows.extend(won(app, survey, Platform::Android));
    }
    if let Some(ios) = &app.ios {
        let min = ios
            .min_version
            .value
            .map_or("lowest version not stated".to_owned(), |version| format!("runs from {version}"));
        let version = version(Platform::Ios, ["version", "build"]);
        rows.push(vec![paint(HEADING, "iOS"), format!("{}{version}, {min}", text(ios.id.value.as_deref()))]);
        let target = ios.target.as_deref().map(|target| format!("target {target}, ")).unwrap_or_default();
        let configuration =
            if ios.configuration.is_empty() { String::new() } else { format!("{}, ", ios.configuration) };
        let file = match (ios.generated, ios.plist) {
            (true, _) => "Info.plist made by the build from settings".to_owned(),
            (false, Some(file)) => app.sources.file(file).shown.clone(),
            (false, None) => "no Info.plist that can be read".to_owned(),
        };
        rows.push(vec![String::new(), paint(FAINT, &clean(&format!("{target}{configuration}{file}")))]);
        rows.extend(won(app, survey, Platform::Ios));
    }
    columns(&rows, 0)
}

/// Says which place of a version or a build wins, where another one says something else.
fn won(app: &App, survey: &Survey, platform: Platform) -> Vec<Vec<String>> {
    let place = |place: Place| {
        let at = app.sources.position(place);
        format!("{}:{}", short_file(&app.sources.file(place.file).shown), at.line)
    };
    let of = |one: &&Declaration| one.platform == platform && one.section == Section::Identity;
    let rows = survey.declarations.iter().filter(of).flat_map(|one| {
        one.overrode.iter().map(move |(value, lost)| {
            let here = one.value.as_deref().unwrap_or_default();
            let line = format!("{} {here} ({}) wins over {value} ({})", one.name, place(one.place), place(*lost));
            vec![String::new(), paint(WARNING, &clean(&line))]
        })
    });
    rows.collect()
}

/// The rows of a section.
struct Rows<'a> {
    app: &'a App,
    context: &'a Context<'a>,
    /// Whether there is a column for who needs what.
    needs: bool,
    table: Table,
    /// The place that was last told, its line, and its file as it is shown: most rows of a section are of one file.
    last: Option<(Place, usize, Cow<'a, str>)>,
}

impl Rows<'_> {
    /// Adds a declaration: itself, and its texts in other languages.
    fn add(&mut self, one: &Declaration) {
        self.table.cell(&clean(one.name.strip_prefix(PERMISSION_PREFIX).unwrap_or(&one.name)));
        self.table.write_cell(|out| write_about(self.app, one, out));
        if self.needs {
            self.table.write_cell(|out| write_needed(&one.needed_by, out));
        }
        self.end(one.place, one.origin.as_deref());
        let own = self.context.app.ios.as_ref().and_then(|ios| ios.language.as_deref());
        for (language, text, at) in &one.translations {
            let mark = if Some(language.as_str()) == own { " (shown instead)" } else { "" };
            self.table.cell("");
            self.table.cell(&format!("{}: \"{}\"{mark}", clean(language), short(text, 48)));
            if self.needs {
                self.table.cell("");
            }
            self.end(*at, None);
        }
    }

    /// Ends a row with its place.
    fn end(&mut self, place: Place, origin: Option<&str>) {
        let app = self.app;
        let last = match self.last.take().filter(|(last, ..)| last.file == place.file) {
            Some((last, line, file)) => (place, app.sources.line_behind((last, line), place), file),
            None => (place, app.sources.line(place), shown_file(app, place.file)),
        };
        self.table.write_cell(|out| write_place((&last.2, last.1), origin, out));
        self.last = Some(last);
        self.table.end_row();
    }
}

/// Writes what there is to say of a declaration beside its name.
fn write_about(app: &App, one: &Declaration, out: &mut String) {
    let start = out.len();
    let mut next = |write: &dyn Fn(&mut String)| {
        if out.len() > start {
            out.push_str(", ");
        }
        write(out);
    };
    if let Some(why) = one.ignored {
        next(&|out| out.push_str(&paint(ERROR, &format!("ignored: {why}"))));
    } else if let Some(doubt) = one.doubt {
        next(&|out| out.push_str(&paint(WARNING, doubt)));
    } else if let Some(grant) = one.grant {
        let group = one.group.map(|group| format!(" ({group})")).unwrap_or_default();
        next(&|out| out.extend([grant.title(), &group]));
    }
    match (&one.value, one.kind) {
        (Some(value), _) if value.trim().is_empty() => next(&|out| out.push_str(&paint(WARNING, "empty"))),
        (Some(value), "usage") => next(&|out| out.extend(["\"", &short(value, 48), "\""])),
        (Some(value), _) if value.contains("android.intent.category.") => {
            next(&|out| out.push_str(&short(&value.replace("android.intent.category.", ""), 80)));
        }
        (Some(value), _) => next(&|out| out.push_str(&short(value, 80))),
        (None, _) => {}
    }
    if !one.only_in.is_empty() {
        next(&|out| out.push_str(&format!("only in {}", clean(&one.only_in.join(", ")))));
    }
    for (value, lost) in one.overrode.iter().take(2) {
        let at = app.sources.position(*lost);
        let file = &app.sources.file(lost.file).shown;
        let lost = format!("wins over {} ({}:{})", shorten(value, 24), short_file(file), at.line);
        next(&|out| out.push_str(&paint(FAINT, &clean(&lost))));
    }
}

/// Returns a file's name; of build files, of which every folder has one, with the folder.
fn short_file(file: &str) -> &str {
    let Some((folder, name)) = file.rsplit_once('/') else { return file };
    if !name.starts_with("build.gradle") {
        return name;
    }
    file.get(folder.rfind('/').map_or(0, |at| at + 1)..).unwrap_or(file)
}

fn write_needed(needed_by: &[NeededBy], out: &mut String) {
    if needed_by.is_empty() {
        return paint_into(out, FAINT, |out| out.push('-'));
    }
    let mut names: Vec<_> = needed_by.iter().map(|needed| clean(&needed.plugin)).collect();
    names.dedup();
    out.push_str(&names.join(", "));
}

/// Returns a place with its origin in the merge: `tern_camera AndroidManifest.xml:3`.
fn place(app: &App, place: Place, origin: Option<&str>) -> String {
    let mut out = String::new();
    write_place((&shown_file(app, place.file), app.sources.line(place)), origin, &mut out);
    out
}

fn shown_file(app: &App, file: FileId) -> Cow<'_, str> {
    clean(short_file(&app.sources.file(file).shown))
}

/// Writes what [`place`] returns.
fn write_place((file, line): (&str, usize), origin: Option<&str>, out: &mut String) {
    paint_into(out, FAINT, |out| {
        if let Some(origin) = origin.filter(|origin| !origin.starts_with("INFOPLIST_KEY_")) {
            out.extend([&clean(origin), " "]);
        }
        out.extend([file, ":"]);
        let _ = write!(out, "{line}");
    });
}

/// Returns a text in a few words on one line, without anything that a terminal would act on.
fn short(text: &str, most: usize) -> Cow<'_, str> {
    match clean(text) {
        Cow::Borrowed(text) => shorten(text, most),
        Cow::Owned(text) => Cow::Owned(shorten(&text, most).into_owned()),
    }
}

fn shorten(text: &str, most: usize) -> Cow<'_, str> {
    // Most values are a few words on one line.
    let blanks = || text.as_bytes().array_windows().fold(false, |any, pair| any | (*pair == *b"  "));
    if text.len() <= most && is_plain(text) && !text.starts_with(' ') && !text.ends_with(' ') && !blanks() {
        return Cow::Borrowed(text);
    }
    let line = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if line.chars().count() <= most {
        return Cow::Owned(line);
    }
    let kept: String = line.chars().take(most - 1).collect();
    Cow::Owned(format!("{}…", kept.trim_end()))
}

fn plugins(app: &App) -> String {
    if app.plugins().is_empty() {
        return "\nNo plugins were found.\n".to_owned();
    }
    let mut out = format!("\n{} {}\n", paint(HEADING, "Plugins"), paint(FAINT, &app.plugins().len().to_string()));
    let row = |plugin: &elvask_core::app::Plugin| {
        let known = match (&plugin.sheet, plugin.evidence.as_deref()) {
            (Some(found), _) => clean(&app.sources.file(found.file).shown).into_owned(),
            (None, Some(evidence)) if !evidence.is_empty() => "no sheet: known from its own files".to_owned(),
            (None, Some(_)) => paint(FAINT, "no sheet: its own files show nothing that it requires"),
            (None, None) => paint(WARNING, "no sheet: nothing is known of what it requires"),
        };
        vec![clean(&plugin.name).into_owned(), clean(plugin.version.as_deref().unwrap_or_default()).into_owned(), known]
    };
    out.push_str(&columns(&app.plugins().iter().map(row).collect::<Vec<_>>(), 2));
    out
}
