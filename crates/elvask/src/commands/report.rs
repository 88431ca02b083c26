//! `elvask report`.

use std::fs;
use std::io::{IsTerminal as _, Read as _, Write as _};
use std::path::Path;

use elvask_core::app::{App, Choice, Look};
use elvask_core::check::check;
use elvask_core::context::Context;
use elvask_project::surface::Surface;

use super::since::{Earlier, new_ones};
use super::{Done, Outcome, choice, compare, load_choosing, root_of, settings, typed, unresolved};
use crate::options::report::Report;
use crate::output::{Failure, Output};
use crate::page::{MARK, Made, page};
use crate::render::snippet;
use crate::render::style::{GOOD, paint};
use crate::revision::last_tagged;

pub(crate) fn run(options: &Report, output: &Output) -> Done {
    if options.output.is_none() && std::io::stdout().is_terminal() {
        let failure = Failure::new("a page of HTML is nothing for a terminal");
        return Err(failure.hint("name a file: elvask report --output report.html"));
    }
    if let Some(file) = &options.output {
        may_write(file)?;
    }
    let root = root_of(&options.app)?;
    let chosen = Choice { languages: true, ..choice(&root, &options.app, Look::WithoutSheet)? };
    let app = load_choosing(&root, &options.app, chosen, output)?;
    let changes =
        options.against.as_deref().map(|old| compare::against(old, &root, &options.app, output)).transpose()?;
    let mut settings = settings(options.release);
    if options.release {
        settings.last = last_tagged(&root);
    }
    let report = check(&app, &settings);
    let earlier = options.since.as_deref().map(Earlier::of).transpose()?;
    let new = match &earlier {
        Some(earlier) => new_ones(&app, &report, earlier.findings(&app.root, None, &options.app, &settings)?),
        None => Vec::new(),
    };
    let surface = Surface::read(&app, &app.sources);
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let limits = limits(&app);
    let made = Made {
        report: &report,
        release: options.release,
        day: settings.today.as_deref().unwrap_or_default(),
        limits: &limits,
        since: options.since.as_deref(),
        new: &new,
        changes,
    };
    let text = page(&app, &context, made).map_err(Failure::new)?;
    match &options.output {
        None => output.raw(&text),
        Some(file) => {
            write(file, &text)?;
            let wrote = paint(GOOD, "wrote");
            output.result(&format!("{wrote} {} ({} KB)\n", typed(file), text.len().div_ceil(1024)));
        }
    }
    // The page says so too; what is not read is not judged.
    for obstacle in report.obstacles() {
        output.say(snippet::line(&app.sources, obstacle).trim_end());
    }
    Ok(if report.obstacles().next().is_some() { Outcome::CouldNotRun } else { Outcome::Clean })
}

fn limits(app: &App) -> Vec<String> {
    let told = app.unresolved.iter().map(|one| unresolved(app, one));
    app.notices.iter().cloned().chain(told).collect()
}

/// Refuses to write over anything but an earlier page.
fn may_write(file: &Path) -> Result<(), Failure> {
    let shown = typed(file);
    if file.is_dir() {
        return Err(Failure::new(format!("{shown}: this is a folder")));
    }
    let Ok(mut there) = fs::File::open(file) else {
        return match file.exists() {
            true => {
                Err(Failure::new(format!("{shown}: it is there already and cannot be read, so nothing is written")))
            }
            false => Ok(()),
        };
    };
    let mut start = vec![0; 512];
    let read = there.read(&mut start).unwrap_or_default();
    start.truncate(read);
    let is_page = String::from_utf8_lossy(&start).contains(MARK);
    match is_page || read == 0 {
        true => Ok(()),
        false => Err(Failure::new(format!("{shown}: it is there already and is no page of `elvask report`"))
            .hint("name another file, or remove that one first")),
    }
}

/// Writes the page whole or not at all.
fn write(file: &Path, text: &str) -> Result<(), Failure> {
    let failed = |error: std::io::Error| Failure::new(format!("{}: {error}", typed(file)));
    let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let name = file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let beside = folder.join(format!(".{name}.{}.part", std::process::id()));
    let done = (|| {
        let mut new = fs::OpenOptions::new().write(true).create_new(true).open(&beside)?;
        new.write_all(text.as_bytes())?;
        new.sync_all()?;
        fs::rename(&beside, file)
    })();
    if done.is_err() {
        let _ = fs::remove_file(&beside);
    }
    done.map_err(failed)
}
