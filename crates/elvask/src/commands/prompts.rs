//! `elvask prompts`.

use elvask_core::Platform;
use elvask_core::Version;
use elvask_core::app::{App, Choice, Look};
use elvask_core::check::obstacles;
use elvask_core::context::Context;
use elvask_core::prompts::{Device, FIRST_ASKING_LEVEL, Met, Prompt, UNKNOWN_NAME, is_like, level_text, meet};
use elvask_core::survey::survey;
use elvask_platform::prompts::{PromptForm, Room, room};
use elvask_project::source::Place;
use elvask_project::surface::Surface;
use elvask_record::{FORMAT, MetRecord, PromptsRecord};
use unicode_width::UnicodeWidthStr as _;

use super::link::levels;
use super::{Done, Outcome, choice, load_choosing, root_of, settings};
use crate::options::Format;
use crate::options::prompts::Prompts;
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, HEADING, WARNING, paint};
use crate::render::{clean, columns, snippet, width, wrap};

/// The word on the command line for every language of the app.
const EVERY_LANGUAGE: &str = "all";

pub(crate) fn run(options: &Prompts, output: &Output) -> Done {
    let root = root_of(&options.app.choice)?;
    let chosen = Choice { languages: true, ..choice(&root, &options.app.choice, Look::WithoutSheet)? };
    let app = load_choosing(&root, &options.app.choice, chosen, output)?;
    let surface = Surface::read(&app, &app.sources);
    let settings = settings(false);
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let survey = survey(&context);
    let device = levels(&options.level, &app)?;
    let wanted: Option<Platform> = options.platform.map(Into::into);
    let has = |platform: &Platform| app.has(*platform) && wanted.is_none_or(|wanted| wanted == *platform);
    let platforms: Vec<Platform> = [Platform::Android, Platform::Ios].into_iter().filter(has).collect();
    if platforms.is_empty() {
        let wanted = wanted.map_or("platform", Platform::title);
        return Err(Failure::new(format!("the app has no {wanted} side, so nobody is asked anything there")));
    }
    let mut all = Vec::new();
    for platform in platforms {
        let level = match platform {
            Platform::Android => Version::new(device.level, 0),
            Platform::Ios => device.version,
        };
        if let Some(lowest) = lowest(&app, platform).filter(|lowest| level < *lowest) {
            let lowest = level_text(platform, lowest);
            output.notice(&format!("the app does not run on that device: {} from {lowest} on", platform.title()));
        }
        let look = |language| meet(&context, &survey, Device { platform, level: Some(level), language });
        match options.language.as_deref() {
            Some(EVERY_LANGUAGE) => {
                let first = look(None);
                let languages = first.languages.clone();
                if languages.is_empty() {
                    all.push(first);
                }
                all.extend(languages.iter().map(|language| look(Some(language))));
            }
            language => {
                let met = look(language);
                if let Some(asked) = language.filter(|asked| !met.languages.iter().any(|known| is_like(known, asked))) {
                    let known = if met.languages.is_empty() { "none".to_owned() } else { met.languages.join(", ") };
                    let side = platform.title();
                    output.notice(&format!(
                        "{side}: the app has no texts in {asked} (it states {known}), so its own are shown"
                    ));
                }
                all.push(met);
            }
        }
    }
    match options.app.format {
        Format::Json => {
            let devices = all.iter().map(|met| MetRecord::of(&app.sources, met)).collect();
            output.json(&PromptsRecord { format: FORMAT, devices });
        }
        Format::Human => {
            let pages: Vec<String> = all.iter().map(|met| human(&app, met, output)).collect();
            output.result(&pages.join("\n"));
        }
    }
    let mut outcome = Outcome::Clean;
    if all.iter().flat_map(|met| &met.prompts).any(|one| one.instead.is_some()) {
        outcome = Outcome::Found;
    }
    for obstacle in obstacles(&app, &surface, &settings) {
        output.say(snippet::finding(&app.sources, &obstacle).trim_end());
        outcome = Outcome::CouldNotRun;
    }
    Ok(outcome)
}

/// Returns the lowest level or version that the app runs on, where that is known.
fn lowest(app: &App, platform: Platform) -> Option<Version> {
    match platform {
        Platform::Android => {
            let levels = app
                .android
                .iter()
                .flat_map(elvask_project::appfiles::AndroidApp::judged)
                .filter_map(|one| one.min_level.value);
            levels.min().map(|level| Version::new(level, 0))
        }
        Platform::Ios => app.ios.as_ref()?.min_version.value,
    }
}

fn human(app: &App, met: &Met, output: &Output) -> String {
    let system = match met.platform {
        Platform::Android => format!("Android, level {}", met.level_text()),
        Platform::Ios => format!("iOS {}", met.level_text()),
    };
    let language = met.language.as_deref().map(|language| format!(", in {}", clean(language))).unwrap_or_default();
    let name = match &met.name {
        Some(name) => format!("asks as “{}”", clean(name)),
        None => format!("only the build knows its name, so it is called “{UNKNOWN_NAME}” here"),
    };
    let mut out =
        format!("{} {}\n", paint(HEADING, &format!("{system}{language}")), paint(FAINT, &format!("the app {name}")));
    if met.platform == Platform::Android && met.level < Version::new(FIRST_ASKING_LEVEL, 0) {
        out.push_str(&format!(
            "\n  Nobody is asked anything: below level {FIRST_ASKING_LEVEL} the installation grants all permissions.\n"
        ));
    } else if met.prompts.is_empty() {
        out.push_str(
            "\n  Nobody is asked anything: nothing that the app declares or its plugins need opens a dialog.\n",
        );
    }
    for (at, one) in met.prompts.iter().enumerate() {
        out.push('\n');
        out.push_str(&prompt(app, met, (at + 1, one), output));
    }
    if !met.undescribed.is_empty() {
        let names = clean(&met.undescribed.join(", ")).into_owned();
        out.push_str(&format!("\nAlso asked for while the app runs, in words that are not known here: {names}\n"));
    }
    let shown = met.prompts.iter().any(|one| one.instead.is_none());
    if shown && !output.quiet {
        let Room { letters, lines } = room(met.platform);
        let cut = match met.platform {
            Platform::Android => String::new(),
            Platform::Ios => {
                format!(" A purpose is shown up to {lines} lines of {letters} letters; more has to be scrolled to.")
            }
        };
        let note = format!(
            "The order is that in which apps usually ask: the app itself decides. The systems' words are approximate: they are in English, and differ by maker and release.{cut}"
        );
        out.push('\n');
        out.push_str(&paint_lines(&wrap(&note, width(), 0)));
    }
    out
}

fn paint_lines(text: &str) -> String {
    text.lines().map(|line| format!("{}\n", paint(FAINT, line))).collect()
}

/// Draws one thing that is asked, with what is behind it.
fn prompt(app: &App, met: &Met, (number, one): (usize, &Prompt), output: &Output) -> String {
    let form = match (one.spec.form, &one.instead) {
        (_, Some(_)) => paint(ERROR, "does not appear"),
        (PromptForm::Dialog, None) => String::new(),
        (PromptForm::Sheet, None) => paint(FAINT, "a page of the system"),
        (PromptForm::Screen, None) => paint(FAINT, "a screen of the settings, to which the app shows the way"),
        (PromptForm::With, None) => paint(FAINT, "a part of another dialog"),
        (PromptForm::None, None) => paint(FAINT, "no dialog"),
    };
    let mut out = format!("{number:>2}  {}  {form}", paint(HEADING, &one.heading()));
    out.truncate(out.trim_end().len());
    out.push('\n');
    match &one.instead {
        Some(instead) => out.push_str(&wrap(&clean(instead), width(), 4)),
        None => {
            out.push_str(&framed(one, room(met.platform)));
            if !output.quiet {
                out.push_str(&choices(one));
            }
        }
    }
    if output.quiet {
        return out;
    }
    let mut rows: Vec<(String, String)> = Vec::new();
    let place = |place: Place| {
        let at = app.sources.position(place);
        format!("{}:{}", app.sources.file(place.file).shown, at.line)
    };
    for behind in &one.behind {
        let stands = behind.place.map_or_else(|| paint(WARNING, "not declared"), |at| paint(FAINT, &clean(&place(at))));
        let only =
            if behind.only_in.is_empty() { String::new() } else { format!(", only in {}", behind.only_in.join(", ")) };
        let name = behind.name.strip_prefix("android.permission.").unwrap_or(&behind.name);
        let label = if behind.place.is_some() { "declared as" } else { "wanted" };
        rows.push((label.to_owned(), format!("{}  {stands}{}", clean(name), clean(&only))));
    }
    for who in &one.needed_by {
        let learnt =
            who.learnt.first().map(|citation| format!("{}:{}", citation.file, citation.line)).unwrap_or_default();
        rows.push(("needed by".to_owned(), format!("{}  {}", clean(&who.plugin), paint(FAINT, &clean(&learnt)))));
    }
    if one.instead.is_none() {
        rows.push(("opened by".to_owned(), one.spec.asked_by.to_owned()));
        if let Some(shown) = &one.purpose {
            rows.push(("the text".to_owned(), paint(FAINT, &clean(&place(shown.place)))));
            if let Some(language) = &shown.in_place_of {
                rows.push((
                    "language".to_owned(),
                    paint(WARNING, &format!("no text of its own: that in {} is shown", clean(language))),
                ));
            }
        }
    }
    for (language, text) in one.others.iter().filter(|_| met.language.is_none()) {
        let text = match text {
            Some(text) => format!("“{}”", clean(text)),
            None => paint(WARNING, "no text of its own"),
        };
        rows.push((format!("in {}", clean(language)), text));
    }
    rows.extend(one.elsewhere.iter().map(|phrase| ("otherwise".to_owned(), paint(FAINT, phrase))));
    let mut last = String::new();
    let cells = rows.into_iter().map(|(label, text)| {
        let shown = if label == last { String::new() } else { label.clone() };
        last = label;
        vec![paint(FAINT, &shown), text]
    });
    out.push_str(&columns(&cells.collect::<Vec<_>>(), 4));
    if let Some(also) = one.also.filter(|_| one.instead.is_none()) {
        out.push_str(&paint_lines(&wrap(also, width().min(100), 4)));
    }
    out
}

/// Draws what a person sees: a frame with the title, the purpose and what can be chosen.
fn framed(one: &Prompt, room: Room) -> String {
    let inside = room.letters.max(40);
    let mut lines: Vec<String> = wrap(&clean(&one.title), inside, 0).lines().map(str::to_owned).collect();
    if let Some(shown) = &one.purpose {
        lines.push(String::new());
        lines.extend(shown.lines.iter().map(|line| clean(line).into_owned()));
        if shown.is_cut {
            lines.push("… and more, to be scrolled to".to_owned());
        }
    }
    lines.push(String::new());
    lines.extend(one.spec.buttons.iter().map(|button| format!("> {}", button.label)));
    let widest = lines.iter().map(|line| line.width()).max().unwrap_or_default().max(inside);
    let edge = "─".repeat(widest + 2);
    let mut out = format!("    {}\n", paint(FAINT, &format!("╭{edge}╮")));
    for line in lines {
        let rest = " ".repeat(widest.saturating_sub(line.width()));
        let side = paint(FAINT, "│");
        let line = if line.starts_with("> ") { paint(HEADING, &line) } else { line };
        out.push_str(&format!("    {side} {line}{rest} {side}\n"));
    }
    out.push_str(&format!("    {}\n", paint(FAINT, &format!("╰{edge}╯"))));
    out
}

/// Says what each choice means and what comes back.
fn choices(one: &Prompt) -> String {
    let label = one.spec.buttons.iter().map(|button| button.label.width()).max().unwrap_or_default();
    let mut out = String::new();
    for button in &one.spec.buttons {
        let rest = " ".repeat(label - button.label.width());
        let about = format!("{} ({})", button.means, button.answer);
        let indent = 4 + label + 2;
        let text = wrap(&about, width().max(indent + 30), indent);
        out.push_str(&format!("    {}{rest}  {}", button.label, text.get(indent..).unwrap_or_default()));
    }
    out
}
