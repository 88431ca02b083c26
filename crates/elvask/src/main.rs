//! The command `elvask`.

mod archive;
mod cache;
mod commands;
mod input;
mod lsp;
mod options;
mod output;
mod page;
mod render;
mod report;
mod revision;
mod serving;
mod web;
mod writing;

use std::process::ExitCode;

use clap::Parser as _;
use options::{Command, Options};
use output::Output;

fn main() -> ExitCode {
    let options = Options::parse();
    let output = Output::new(options.color.into(), options.quiet, options.verbose);
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
