//! `elvask init`.

use std::cell::RefCell;

use elvask_core::Platform;
use elvask_core::app::{App, Choice, Look};
use elvask_core::check::{check, obstacles};
use elvask_core::context::Context;
use elvask_core::fill::wants;
use elvask_core::init::{Draft, Given, config_with, harmless};
use elvask_core::needs::Settings;
use elvask_needs::remedy::Want;
use elvask_project::files::{Disk, Files as _};
use elvask_project::layout::FILE_NAME;
use elvask_project::surface::Surface;
use elvask_project::write::write_new;
use elvask_record::{FORMAT, InitRecord};

use super::fill::ask_for;
use super::recover::failed;
use super::{Done, Outcome, choice, load_with, root_of, settings, typed};
use crate::input::{ask, can_ask};
use crate::options::{AppOptions, Format, Init};
use crate::output::{Failure, Output};
use crate::render::style::{FAINT, GOOD, HEADING, paint};
use crate::render::{clean, count, snippet};
use crate::writing::with_steps;

pub(crate) fn run(options: &Init, output: &Output) -> Done {
    let told = "Read it once: `elvask check` and `elvask fill` take what it says as meant.";
    let asks = can_ask() && !options.dry_run && !options.yes && options.app.format == Format::Human;
    let root = Disk.real(&root_of(&options.app.choice)?);
    let chosen = choice(&root, &options.app.choice, Look::WithoutSheet)?;
    let left_out = RefCell::new(Vec::new());
    let text = |context: &Context<'_>| {
        let given = if asks { interview(context, output) } else { Given::default() };
        let draft = drafted(context, &chosen, &given);
        left_out.replace(draft.left_out);
        draft.text
    };
    let first = First { name: FILE_NAME, command: "elvask init", text: &text, told, look: Look::WithoutSheet };
    let done = first.write(&options.app, options.dry_run, output);
    let left_out = left_out.into_inner();
    if !left_out.is_empty() && done.is_ok() {
        output.say("These stand in it as comments, as a check would find more with them:");
        left_out.iter().for_each(|line| output.say(&format!("  {}", clean(line))));
    }
    done
}

fn drafted(context: &Context<'_>, chosen: &Choice, given: &Given) -> Draft {
    let text = config_with(context, given);
    // Where there is one already, nothing is compared: this is only to copy from.
    match context.app.config_file().is_some() {
        true => Draft { text, left_out: Vec::new() },
        false => harmless(context.app, &Disk, chosen, &settings(false), &text),
    }
}

/// Says what was found, and asks for what only the owner knows.
fn interview(context: &Context<'_>, output: &Output) -> Given {
    let app = context.app;
    output.say(&found(app));
    let mut said = Settings::default();
    let mut wanted = wants(&check(app, &settings(false)));
    // What makes an app less safe is agreed to each time, and is in no file.
    wanted.retain(|want| !matches!(want, Want::Consent { .. }));
    if !wanted.is_empty() {
        ask_for(&wanted, app, &mut said, output);
    }
    let mut given = Given { purposes: said.purposes, answers: said.answers, ..Given::default() };
    let text = config_with(context, &given);
    if app.has(Platform::Ios) && !text.contains("\nios-team = ") {
        given.team = ask_team(output);
    }
    if !text.contains("\nhosts = ") {
        let question = "\nWhich hosts' links are to open the app? Names with spaces between, such as marram.example; an empty line for none.\n>";
        let names = ask(question).unwrap_or_default();
        given.hosts = names.split([' ', ',']).map(host).filter(|name| !name.is_empty()).collect();
    }
    output.say("");
    given
}

/// Returns the host of what somebody typed, who may have typed the whole of a link.
fn host(typed: &str) -> String {
    let rest = typed.split_once("://").map_or(typed, |(_, rest)| rest);
    rest.split('/').next().unwrap_or_default().trim().to_ascii_lowercase()
}

fn ask_team(output: &Output) -> Option<String> {
    let question = "\nWhich team signs the iOS app? The developer account shows its ten letters and digits; an empty line leaves it out.\n>";
    while let Some(team) = ask(question) {
        if team.len() == 10 && team.bytes().all(|byte| byte.is_ascii_uppercase() || byte.is_ascii_digit()) {
            return Some(team);
        }
        output.say("A team is ten capital letters and digits, such as A1B2C3D4E5.");
    }
    None
}

/// Says in a few lines what kind of app it is.
fn found(app: &App) -> String {
    let layouts: Vec<&str> = app.layouts.iter().map(|layout| layout.id()).collect();
    let plugins = app.plugins().iter().filter(|plugin| !plugin.own);
    let says = |plugin: &elvask_core::app::Plugin| {
        plugin.sheet.is_some() || plugin.evidence.as_deref().is_some_and(|one| !one.is_empty())
    };
    let known = plugins.clone().filter(|plugin| says(plugin)).count();
    let unknown = "(id known to the build alone)";
    let mut out = format!("{} {}\n", paint(HEADING, "Found"), layouts.join(", "));
    if let Some(android) = &app.android {
        let level = |level: Option<u32>| level.map_or_else(|| "?".to_owned(), |level| level.to_string());
        let (min, target) = (level(android.min_level.value), level(android.target_level.value));
        let id = clean(android.id.value.as_deref().unwrap_or(unknown));
        out.push_str(&format!("  Android {id}, levels {min} to {target}\n"));
    }
    if let Some(ios) = &app.ios {
        let min = ios.min_version.value.map_or_else(|| "?".to_owned(), |version| version.to_string());
        let id = clean(ios.id.value.as_deref().unwrap_or(unknown));
        out.push_str(&format!("  iOS {id}, from {min}\n"));
    }
    out.push_str(&format!("  {}, of which {known} say what they require\n", count(plugins.count(), "plugin")));
    out.push_str(&paint(FAINT, "elvask.toml will say what is meant, so that checks can hold the app against it."));
    out
}

/// A file that a person owns from then on, made once from what the app says.
pub(crate) struct First<'f> {
    /// Its path from the app's folder.
    pub(crate) name: &'f str,
    /// The command that makes it.
    pub(crate) command: &'f str,
    /// Makes its text.
    pub(crate) text: &'f dyn Fn(&Context<'_>) -> String,
    /// What is said once it is written.
    pub(crate) told: &'f str,
    /// Which packages are looked into for it.
    pub(crate) look: Look,
}

impl First<'_> {
    /// Writes it, or only prints it. One that is there already is left alone, and nothing is written while something of the app cannot be
    /// read.
    pub(crate) fn write(&self, options: &AppOptions, dry_run: bool, output: &Output) -> Done {
        let app = load_with(&options.choice, self.look, output)?;
        let path = app.root.join(self.name);
        if !dry_run && Disk.kind(&path).is_some() {
            return Err(Failure::new(format!("{}: it is there already, and is left alone", typed(&path)))
                .hint(format!("`{} --dry-run` prints what would be written, to copy from", self.command)));
        }
        let surface = Surface::read(&app, &app.sources);
        let settings = settings(false);
        let unread = obstacles(&app, &surface, &settings);
        if !unread.is_empty() && !dry_run {
            for obstacle in &unread {
                output.say(snippet::finding(&app.sources, obstacle).trim_end());
            }
            output.say("Nothing is written: what cannot be read must be corrected first.");
            return Ok(Outcome::CouldNotRun);
        }
        let text = (self.text)(&Context::new(&app, &app.sources, &surface, &settings));
        if !dry_run {
            with_steps(|steps| write_new(&path, text.as_bytes(), steps)).map_err(failed)?;
        }
        if options.format == Format::Json {
            output.json(&InitRecord { format: FORMAT, written: !dry_run, file: typed(&path), text });
            return Ok(Outcome::Clean);
        }
        if dry_run {
            output.result(&text);
            return Ok(Outcome::Clean);
        }
        output.result(&format!("{} {}\n", paint(GOOD, "wrote"), typed(&path)));
        output.say(self.told);
        Ok(Outcome::Clean)
    }
}
