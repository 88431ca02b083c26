//! `elvask init`.

use elvask_core::app::Look;
use elvask_core::check::obstacles;
use elvask_core::context::Context;
use elvask_core::init::config;
use elvask_project::files::{Disk, Files as _};
use elvask_project::layout::FILE_NAME;
use elvask_project::surface::Surface;
use elvask_project::write::write_new;
use elvask_record::{FORMAT, InitRecord};

use super::recover::failed;
use super::{Done, Outcome, load_with, settings, typed};
use crate::options::{Format, Init};
use crate::output::{Failure, Output};
use crate::render::snippet;
use crate::render::style::{GOOD, paint};
use crate::writing::with_steps;

pub(crate) fn run(options: &Init, output: &Output) -> Done {
    let app = load_with(&options.app.choice, Look::Nowhere, output)?;
    let path = app.root.join(FILE_NAME);
    if !options.dry_run && Disk.kind(&path).is_some() {
        return Err(Failure::new(format!("{}: it is there already, and is left alone", typed(&path)))
            .hint("`elvask init --dry-run` prints what would be written, to copy from"));
    }
    let surface = Surface::read(&app, &app.sources);
    let settings = settings(false);
    let unread = obstacles(&app, &surface, &settings);
    if !unread.is_empty() && !options.dry_run {
        for obstacle in &unread {
            output.say(snippet::finding(&app.sources, obstacle).trim_end());
        }
        output.say("Nothing is written: what cannot be read must be corrected first.");
        return Ok(Outcome::CouldNotRun);
    }
    let text = config(&Context::new(&app, &app.sources, &surface, &settings));
    if !options.dry_run {
        with_steps(|steps| write_new(&path, text.as_bytes(), steps)).map_err(failed)?;
    }
    if options.app.format == Format::Json {
        output.json(&InitRecord { format: FORMAT, written: !options.dry_run, file: typed(&path), text });
        return Ok(Outcome::Clean);
    }
    if options.dry_run {
        output.result(&text);
        return Ok(Outcome::Clean);
    }
    output.result(&format!("{} {}\n", paint(GOOD, "wrote"), typed(&path)));
    output.say("Read it once: `elvask check` and `elvask fill` take what it says as meant.");
    Ok(Outcome::Clean)
}
