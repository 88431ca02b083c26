//! `elvask identity`.

use std::path::Path;

use elvask_core::app::{App, Choice, Look};
use elvask_core::context::Context;
use elvask_core::identity::{Change, Left, Said, change, replaces, said};
use elvask_project::source::Place;
use elvask_project::surface::Surface;
use elvask_record::{FORMAT, IdentityRecord, LeftRecord, SaidRecord};

use super::apply::{Bounds, Write, changes, file_records, whole_diff, write, wrote};
use super::{Done, Outcome, built, choice, load_choosing, root_of, settings};
use crate::options::Format;
use crate::options::identity::Identity;
use crate::output::{Failure, Output};
use crate::render::style::{FAINT, HEADING, WARNING, paint};
use crate::render::{clean, columns, width, wrap};

pub(crate) fn run(options: &Identity, output: &Output) -> Done {
    let wanted = options.set.iter().map(|text| Change::parse(text)).collect::<Result<Vec<_>, _>>();
    let wanted = wanted.map_err(|why| Failure::new(format!("--set: {why}")))?;
    if let Some(file) = &options.built {
        return of_built(options, file, output);
    }
    let root = root_of(&options.app.choice)?;
    let chosen = Choice { languages: true, ..choice(&root, &options.app.choice, Look::Nowhere)? };
    let app = load_choosing(&root, &options.app.choice, chosen, output)?;
    let surface = Surface::read(&app, &app.sources);
    let settings = settings(false);
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let wanted = if options.as_stated { stated(&app)? } else { wanted };
    if wanted.is_empty() {
        return Ok(show(options, &app, &context, output));
    }
    if let Some(fault) = surface.faults.first().or(app.faults.first()) {
        return Err(Failure::new(format!("{}: {}; nothing is written", fault.file, fault.message)));
    }
    let done = change(&context, &wanted).map_err(|why| Failure::new(format!("--set: {why}")))?;
    let files = changes(&app, &done.sources, &done.changed)?;
    let human = options.app.format == Format::Human;
    let write_it = match (options.dry_run, human && !options.yes) {
        (true, _) => Write::No,
        (false, true) => Write::Ask,
        (false, false) => Write::Yes,
    };
    let written = write(&files, write_it, &Bounds::of(&app, &options.outside.consents), output)?;
    if write_it == Write::Ask && !written && !files.is_empty() {
        // The person has said no.
        return Ok(Outcome::Found);
    }
    let nowhere = done.places.is_empty() && files.is_empty();
    if human {
        let mut text =
            if options.dry_run { whole_diff(&files, output) } else { wrote(if written { &files } else { &[] }) };
        for said in &done.places {
            let to = said.value.as_deref().unwrap_or_default();
            text.push_str(&format!("  {} {}  {}\n", said.part.word(), clean(to), clean(&at(&app, said.place))));
        }
        if nowhere {
            text.push_str("Nothing is changed: no place that can be changed says another value.\n");
        }
        text.push_str(&left(&app, &done.left));
        output.result(&text);
    } else {
        output.json(&IdentityRecord {
            format: FORMAT,
            places: done.places.iter().map(|said| SaidRecord::of(&app.sources, said)).collect(),
            replaces: Vec::new(),
            left: done.left.iter().map(|one| LeftRecord::of(&app.sources, one)).collect(),
            signed_with: Vec::new(),
            written,
            files: file_records(&files),
        });
    }
    Ok(Outcome::Clean)
}

fn at(app: &App, place: Option<Place>) -> String {
    let Some(place) = place else { return String::new() };
    let at = app.sources.position(place);
    format!("{}:{}:{}", app.sources.file(place.file).shown, at.line, at.column)
}

fn left(app: &App, all: &[Left]) -> String {
    if all.is_empty() {
        return String::new();
    }
    let mut out = format!("\n{}\n", paint(WARNING, "Left to you:"));
    for one in all {
        let at = at(app, one.place);
        if !at.is_empty() {
            out.push_str(&format!("  {}\n", paint(FAINT, &clean(&at))));
        }
        out.push_str(&wrap(&clean(&format!("{}.", one.why)), width(), if at.is_empty() { 2 } else { 4 }));
    }
    out
}

/// Returns what `[app]` in `elvask.toml` says as changes.
fn stated(app: &App) -> Result<Vec<Change>, Failure> {
    let said = &app.config().identity;
    let parts = [
        ("android-id", &said.android_id),
        ("ios-id", &said.ios_id),
        ("name", &said.name),
        ("version", &said.version),
        ("build", &said.build),
    ];
    let mut words: Vec<String> =
        parts.into_iter().filter_map(|(part, text)| Some(format!("{part}={}", text.as_ref()?.text))).collect();
    let (android, ios) = (app.has(elvask_platform::Platform::Android), app.has(elvask_platform::Platform::Ios));
    words.retain(|word| (ios || !word.starts_with("ios-")) && (android || !word.starts_with("android-")));
    words.extend(said.names.iter().map(|(language, text)| format!("name.{language}={}", text.text)));
    if words.is_empty() {
        let failure = Failure::new("--as-stated: elvask.toml says nothing of who the app is under [app]");
        return Err(failure.hint("`elvask init` writes it from what the app declares"));
    }
    let changes = words.iter().map(|text| Change::parse(text)).collect::<Result<Vec<_>, _>>();
    changes.map_err(|why| Failure::new(format!("elvask.toml: {why}")))
}

/// Shows what was built beside the sources.
fn of_built(options: &Identity, file: &Path, output: &Output) -> Done {
    let opened = built::open(file, &options.app.choice, Look::Nowhere, output)?;
    let settings = settings(false);
    let mut all = Vec::new();
    // The texts of the sources are among those of what was built, under the same numbers.
    for app in opened.source.iter().chain([&opened.app]) {
        let surface = Surface::read(app, &app.sources);
        let more = said(&Context::new(app, &app.sources, &surface, &settings));
        // What the owner says is said for both.
        all.extend(more.into_iter().filter(|one| !all.contains(one)).collect::<Vec<_>>());
    }
    all.sort_by_key(|said| said.part);
    Ok(shown(options, &opened.app, (&all, &opened.sourced.fingerprints), output))
}

fn show(options: &Identity, app: &App, context: &Context<'_>, output: &Output) -> Outcome {
    shown(options, app, (&said(context), &[]), output)
}

fn shown(options: &Identity, app: &App, (all, signed_with): (&[Said], &[String]), output: &Output) -> Outcome {
    let replaces = replaces(all);
    if options.app.format == Format::Json {
        output.json(&IdentityRecord {
            format: FORMAT,
            places: all.iter().map(|said| SaidRecord::of(&app.sources, said)).collect(),
            replaces,
            left: Vec::new(),
            signed_with: signed_with.to_vec(),
            written: false,
            files: Vec::new(),
        });
        return Outcome::Clean;
    }
    let mut rows: Vec<Vec<String>> = Vec::new();
    let mut before = None;
    for one in all {
        let part = if before == Some(one.part) { String::new() } else { paint(HEADING, one.part.word()) };
        before = Some(one.part);
        rows.push(vec![
            part,
            one.platform.map_or("both", elvask_platform::Platform::title).to_owned(),
            clean(&one.who()).into_owned(),
            value(one),
            format!("{}{}", clean(&at(app, one.place)), note(one)),
        ]);
    }
    let mut text = columns(&rows, 0);
    if all.is_empty() {
        text.push_str("Nothing that can be read without running the build says who the app is.\n");
    }
    if !replaces.is_empty() {
        text.push_str(&format!("\n{}\n", paint(HEADING, "What a device replaces")));
    }
    for sentence in &replaces {
        text.push_str(&wrap(&clean(sentence), width(), 2));
    }
    if !signed_with.is_empty() {
        text.push_str(&format!("\n{}\n", paint(HEADING, "Signed with")));
    }
    for fingerprint in signed_with {
        text.push_str(&wrap(&clean(fingerprint), width(), 2));
    }
    output.result(&text);
    Outcome::Clean
}

fn value(said: &Said) -> String {
    match (&said.value, &said.written) {
        (Some(value), _) => clean(value).into_owned(),
        (None, Some(written)) => format!("{} {}", clean(written), paint(FAINT, "(known to the build)")),
        (None, None) => String::new(),
    }
}

/// Says why a place is not what counts.
fn note(said: &Said) -> String {
    match &said.idle {
        Some(why) => paint(FAINT, &format!("  (does not count: {})", clean(why))),
        None => String::new(),
    }
}
