//! `elvask recover`, and what every command does of it before it looks at an app.

use std::path::{Path, PathBuf};

use elvask_project::files::{Disk, Files as _, shown};
use elvask_project::write::WriteError;
use elvask_project::write::recover::{Found, Interrupted, State, Way, find};
use elvask_record::{FORMAT, RecoverRecord, RecoveredRecord};

use super::{Done, Outcome, root_at, typed};
use crate::input::{can_ask, confirm};
use crate::options::{Format, Recover};
use crate::output::{Failure, Output};
use crate::render::style::{GOOD, WARNING, paint};
use crate::render::{clean, count};
use crate::writing::with_steps;

fn state(file: &Interrupted) -> &'static str {
    match file.state {
        State::Old => "old",
        State::New => "new",
        State::Torn => "torn",
        State::Changed => "changed",
    }
}

pub(crate) fn run(options: &Recover, output: &Output) -> Done {
    let root = Disk.real(&root_at(options.app.as_deref())?);
    let found = with_steps(|steps| find(&root, steps)).map_err(failed)?;
    let Some(found) = found else {
        match options.format {
            Format::Human => output.result("No writing was interrupted here.\n"),
            Format::Json => output.json(&RecoverRecord { format: FORMAT, done: None, files: Vec::new() }),
        }
        return Ok(Outcome::Clean);
    };
    let way = match (options.finish, options.take_back) {
        (true, _) => Way::Finish,
        (_, true) => Way::TakeBack,
        _ => found.own_way().or_else(|| ask(&found, &root, output)).ok_or_else(|| undecided(&found, &root))?,
    };
    let outside: Vec<_> = found.files().iter().filter(|file| file.outside).map(|file| file.path.clone()).collect();
    let agreed = |path: &PathBuf| {
        let named = path.display().to_string();
        options.outside.consents.contains(&named)
            || can_ask() && confirm(&format!("{} lies outside the app. Write it too?", clean(&named)))
    };
    if let Some(path) = outside.iter().find(|path| !agreed(path)) {
        let failure = Failure::new(format!("{}: it lies outside the app; nothing is written", path.display()));
        return Err(failure.hint(format!("if it is meant: elvask recover --consent {}", path.display())));
    }
    let records: Vec<_> = found
        .files()
        .iter()
        .map(|file| RecoveredRecord { file: shown(&file.path, &root), state: state(file) })
        .collect();
    let changed: Vec<_> = found.files().iter().filter(|file| file.state == State::Changed).cloned().collect();
    let written = with_steps(|steps| found.settle(way, true, steps)).map_err(failed)?;
    match options.format {
        Format::Json => {
            let done = Some(if way == Way::Finish { "finished" } else { "taken-back" });
            output.json(&RecoverRecord { format: FORMAT, done, files: records });
        }
        Format::Human => {
            output.result(&format!("{}\n", clean(&told(way, &written, &root))));
            for file in changed {
                let left = paint(WARNING, "left as it is");
                output.result(&format!("{left} {}: somebody has changed it since\n", clean(&shown(&file.path, &root))));
            }
        }
    }
    Ok(Outcome::Clean)
}

/// Brings to an end what was interrupted in an app, before anything is read of it. On a terminal it asks.
pub(crate) fn settle_first(root: &Path, output: &Output) -> Result<(), Failure> {
    let Some(found) = find(root, &elvask_project::write::steps::Disk).map_err(failed)? else { return Ok(()) };
    let way = found.own_way();
    let way = if can_ask() { ask(&found, root, output) } else { way };
    let Some(way) = way else { return Err(undecided(&found, root)) };
    let written = with_steps(|steps| found.settle(way, false, steps)).map_err(failed)?;
    output.say(&format!("{} {}", paint(GOOD, "recovered:"), clean(&told(way, &written, root))));
    Ok(())
}

/// Asks a person whether to finish or to take back; `None` without one, or where neither is wanted.
fn ask(found: &Found, root: &Path, output: &Output) -> Option<Way> {
    if !can_ask() {
        return None;
    }
    output.say(&paint(WARNING, &format!("A writing of {} was interrupted here:", count(found.files().len(), "file"))));
    for file in found.files() {
        let how_far = match file.state {
            State::Old => "not written yet",
            State::New => "written",
            State::Torn => "half written",
            State::Changed => "changed by somebody since; it stays as it is",
        };
        output.say(&format!("  {}: {how_far}", clean(&shown(&file.path, root))));
    }
    let ways = [(Way::Finish, "Write the rest?"), (Way::TakeBack, "Put the old texts back?")];
    ways.into_iter().filter(|(way, _)| found.can(*way)).find(|(_, question)| confirm(question)).map(|(way, _)| way)
}

fn told(way: Way, written: &[PathBuf], root: &Path) -> String {
    let names: Vec<_> = written.iter().map(|path| shown(path, root)).collect();
    match (way, names.is_empty()) {
        (Way::Finish, false) => format!("a writing that was interrupted is finished: {} now written", names.join(", ")),
        (Way::Finish, true) => "a writing that was interrupted was finished but for its journal".to_owned(),
        (Way::TakeBack, false) => {
            format!("a writing that was interrupted is taken back: {} as before", names.join(", "))
        }
        (Way::TakeBack, true) => "a writing that was interrupted before it changed a file is taken back".to_owned(),
    }
}

fn undecided(found: &Found, root: &Path) -> Failure {
    let of = |wanted: &dyn Fn(&Interrupted) -> bool| {
        let names = found.files().iter().filter(|file| wanted(file)).map(|file| shown(&file.path, root));
        names.collect::<Vec<_>>().join(", ")
    };
    let changed = of(&|file| file.state == State::Changed);
    let outside = of(&|file| file.outside);
    let why = match (changed.is_empty(), outside.is_empty()) {
        (false, _) => format!("somebody has changed {changed} since"),
        (true, false) => format!("{outside} is outside the app"),
        (true, true) => "it was not said what is to become of it".to_owned(),
    };
    Failure::new(format!("{}: a writing was interrupted here, and {why}", typed(root)))
        .hint("elvask recover --finish writes the rest, elvask recover --take-back puts the old texts back; what somebody has changed since stays")
}

pub(crate) fn failed(error: WriteError) -> Failure {
    Failure::new(error.to_string())
}
