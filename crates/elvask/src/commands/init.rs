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
use crate::options::{AppOptions, Format, Init};
use crate::output::{Failure, Output};
use crate::render::snippet;
use crate::render::style::{GOOD, paint};
use crate::writing::with_steps;

pub(crate) fn run(options: &Init, output: &Output) -> Done {
    let told = "Read it once: `elvask check` and `elvask fill` take what it says as meant.";
    let first = First { name: FILE_NAME, command: "elvask init", text: &config, told };
    first.write(&options.app, options.dry_run, output)
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
}

impl First<'_> {
    /// Writes it, or only prints it. One that is there already is left alone, and nothing is written while something of the app cannot be
    /// read.
    pub(crate) fn write(&self, options: &AppOptions, dry_run: bool, output: &Output) -> Done {
        let app = load_with(&options.choice, Look::Nowhere, output)?;
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
