//! `elvask completions`, `elvask man`, and what `elvask --version --format json` prints.

use std::fs;

use clap::{Command, CommandFactory as _};
use clap_complete::env::{Bash, Elvish, EnvCompleter, Fish, Powershell, Zsh};
use clap_mangen::Man as Page;
use elvask_platform::names::nearest;
use elvask_record::{FORMAT, TablesRecord, VersionRecord};

use super::{Done, Outcome, typed};
use crate::options::Options;
use crate::options::shell::{Completions, Man, Shell};
use crate::output::{Failure, Output};

/// The variable by which the script of a shell asks for words.
pub(crate) const ASKS_FOR_WORDS: &str = "ELVASK_COMPLETE";

/// The name of the program.
pub(crate) const NAME: &str = "elvask";

pub(crate) fn completions(options: &Completions, output: &Output) -> Done {
    let shell: &dyn EnvCompleter = match options.shell {
        Shell::Bash => &Bash,
        Shell::Zsh => &Zsh,
        Shell::Fish => &Fish,
        Shell::Powershell => &Powershell,
        Shell::Elvish => &Elvish,
    };
    let mut script = Vec::new();
    shell
        .write_registration(ASKS_FOR_WORDS, NAME, NAME, NAME, &mut script)
        .map_err(|error| Failure::new(format!("the script cannot be made: {error}")))?;
    output.raw(&String::from_utf8_lossy(&script));
    Ok(Outcome::Clean)
}

pub(crate) fn man(options: &Man, output: &Output) -> Done {
    let mut program = Options::command();
    program.build();
    if let Some(folder) = &options.output {
        let failed = |error: std::io::Error| Failure::new(format!("{}: {error}", typed(folder)));
        fs::create_dir_all(folder).map_err(failed)?;
        let mut pages = Vec::new();
        gather(&program, NAME, &mut pages);
        for (name, text) in &pages {
            fs::write(folder.join(format!("{name}.1")), text).map_err(failed)?;
        }
        output.say(&format!("{} pages in {}", pages.len(), typed(folder)));
        return Ok(Outcome::Clean);
    }
    let mut command = &program;
    let mut name = NAME.to_owned();
    for word in &options.command {
        let known = || command.get_subcommands().map(Command::get_name);
        let found = command.get_subcommands().find(|known| known.get_name() == word);
        let Some(found) = found else {
            let failure = Failure::new(format!("{word}: {name} has no such command"));
            return Err(match nearest(word, known()) {
                Some(meant) => failure.hint(format!("did you mean `{meant}`?")),
                None => failure.hint(format!("`{} --help` lists them", name.replace('-', " "))),
            });
        };
        name = format!("{name}-{word}");
        command = found;
    }
    output.raw(&page(command, &name));
    Ok(Outcome::Clean)
}

/// Returns the page of a command.
fn page(command: &Command, name: &str) -> String {
    let command = command.clone().version(env!("CARGO_PKG_VERSION"));
    let mut text = Vec::new();
    let _ = Page::new(command)
        .title(name)
        .manual("Elvask")
        .source(format!("elvask {}", env!("CARGO_PKG_VERSION")))
        .render(&mut text);
    String::from_utf8_lossy(&text).into_owned()
}

fn gather(command: &Command, name: &str, out: &mut Vec<(String, String)>) {
    out.push((name.to_owned(), page(command, name)));
    for inner in command.get_subcommands().filter(|inner| inner.get_name() != "help" && !inner.is_hide_set()) {
        gather(inner, &format!("{name}-{}", inner.get_name()), out);
    }
}

/// Says whether the version is asked for, and nothing else.
pub(crate) fn asks_for_version(arguments: &[String]) -> bool {
    matches!(arguments, [only] if only == "--version" || only == "-V")
}

/// Returns what the program is and knows, where the command line asks for that as JSON and for nothing else.
pub(crate) fn version<'a>(arguments: &'a [String]) -> Option<VersionRecord> {
    let parts = |word: &'a String| {
        word.split_once('=').map_or_else(|| vec![word.as_str()], |(option, value)| vec![option, value])
    };
    let mut words: Vec<&str> = arguments.iter().flat_map(parts).collect();
    words.sort_unstable();
    let meant = matches!(words.as_slice(), ["--format", "--version" | "-V", "json"]);
    meant.then(|| {
        let tables = elvask_platform::TABLES;
        VersionRecord {
            format: FORMAT,
            name: NAME,
            version: env!("CARGO_PKG_VERSION"),
            tables: TablesRecord {
                count: tables.count.parse().unwrap_or_default(),
                checked: tables.checked,
                sum: tables.sum,
            },
        }
    })
}
