//! The command `elvask`.

mod archive;
mod cache;
mod commands;
mod environment;
mod input;
mod lsp;
mod options;
mod output;
mod page;
mod progress;
mod render;
mod report;
mod revision;
mod serving;
mod uri;
mod web;
mod words;
mod writing;

use std::mem::ManuallyDrop;
use std::process::ExitCode;

use clap::{CommandFactory as _, FromArgMatches as _};
use clap_complete::CompleteEnv;
use options::{Command, Options};
use output::Output;

/// Reads the command line. What describes it has many parts, and is left to the system instead of being taken down at the start.
fn options() -> Options {
    let alone = std::env::args_os().nth(1).and_then(|word| Options::of_one(word.to_str()?)).map(ManuallyDrop::new);
    let read = alone.and_then(|mut command| {
        let words = command.try_get_matches_from_mut(std::env::args_os()).ok()?;
        Options::from_arg_matches(&words).ok()
    });
    if let Some(options) = read {
        return options;
    }
    let mut command = ManuallyDrop::new(Options::command());
    let read =
        command.try_get_matches_from_mut(std::env::args_os()).and_then(|words| Options::from_arg_matches(&words));
    read.unwrap_or_else(|error| error.format(&mut command).exit())
}

fn main() -> ExitCode {
    if std::env::var_os(commands::shell::ASKS_FOR_WORDS).is_some() {
        CompleteEnv::with_factory(Options::command).var(commands::shell::ASKS_FOR_WORDS).complete();
    }
    let arguments: Vec<String> = std::env::args().skip(1).take(4).collect();
    if let Some(version) = commands::shell::version(&arguments) {
        Output::new(anstream::ColorChoice::Never, false, false).json(&version);
        return commands::Outcome::Clean.into();
    }
    if commands::shell::asks_for_version(&arguments) {
        let version = format!("{} {}\n", commands::shell::NAME, env!("CARGO_PKG_VERSION"));
        Output::new(anstream::ColorChoice::Never, false, false).raw(&version);
        return commands::Outcome::Clean.into();
    }
    let options = options();
    let output = Output::new(options.voice.color.into(), options.voice.quiet, options.voice.verbose);
    output.leave_out_styles();
    let done = match &options.command {
        Command::Demo(demo) => commands::demo::run(demo, &options, &output),
        Command::Survey(survey) => commands::survey::run(survey, &output),
        Command::Check(check) => commands::check::run(check, &output),
        Command::Fill(fill) => commands::fill::run(fill, &output),
        Command::Why(why) => commands::why::run(why, &output),
        Command::Explain(explain) => commands::explain::run(explain, &output),
        Command::Place(place) => commands::place::run(place, &output),
        Command::Declare(declare) => commands::declare::declare(declare, &output),
        Command::Withdraw(withdraw) => commands::declare::withdraw(withdraw, &output),
        Command::Compare(compare) => commands::compare::run(compare, &output),
        Command::Identity(identity) => commands::identity::run(identity, &output),
        Command::Init(init) => commands::init::run(init, &output),
        Command::Recover(recover) => commands::recover::run(recover, &output),
        Command::Prompts(prompts) => commands::prompts::run(prompts, &output),
        Command::Report(report) => commands::report::run(report, &output),
        Command::Trim(trim) => commands::trim::run(trim, &output),
        Command::Weigh(weigh) => commands::weigh::run(weigh, &output),
        Command::Link(action) => commands::link::run(action, &output),
        Command::Watch(watch) => commands::watch::run(watch, &output),
        Command::Lsp(_) => lsp::serve().map(|()| commands::Outcome::Clean),
        Command::Completions(completions) => commands::shell::completions(completions, &output),
        Command::Man(man) => commands::shell::man(man, &output),
        Command::Fingerprint(fingerprint) => commands::fingerprint::run(fingerprint, &output),
        Command::Account(action) => commands::account::run(action, &output),
        Command::Sheet(action) => commands::sheet::run(action, &output),
    };
    cache::settle();
    match done {
        Ok(outcome) => outcome.into(),
        Err(failure) => {
            output.failure(&failure);
            commands::Outcome::CouldNotRun.into()
        }
    }
}
