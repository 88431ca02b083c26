//! `elvask link`.

mod attempt;
mod audit;
mod files;
mod serve;
mod test;

use std::path::PathBuf;
use std::time::Duration;

use elvask_core::Version;
use elvask_core::app::{App, Look};
use elvask_core::context::Context;
use elvask_link::{AppLinks, Device};
use elvask_project::surface::Surface;

use super::{Done, load_with, settings};
use crate::options::AppChoice;
use crate::options::link::{LinkAction, LookOptions};
use crate::output::{Failure, Output};
use crate::web::Site;

/// How long a website may take to answer, where nobody says otherwise.
const TIMEOUT: Duration = Duration::from_secs(10);

pub(crate) fn run(action: &LinkAction, output: &Output) -> Done {
    match action {
        LinkAction::Try(options) => attempt::run(options, output),
        LinkAction::Test(options) => test::run(options, output),
        LinkAction::Files(options) => files::run(options, output),
        LinkAction::Audit(options) => audit::run(options, output),
        LinkAction::Serve(options) => serve::run(options, output),
    }
}

/// Loads the app and hands what links can start in it to `look`.
fn with_links(options: &AppChoice, output: &Output, look: impl FnOnce(&App, &Context<'_>, &AppLinks) -> Done) -> Done {
    let app = load_with(options, Look::Nowhere, output)?;
    let surface = Surface::read(&app, &app.sources);
    let settings = settings(false);
    let obstacles = elvask_core::check::obstacles(&app, &surface, &settings);
    // What a plugin's sheet says has no part in links.
    if let Some(first) = obstacles.iter().find(|one| one.rule.id != "sheet-invalid") {
        let line = crate::render::snippet::line(&app.sources, first);
        let line = crate::render::plain(line.trim_end());
        return Err(Failure::new(format!("what cannot be read must be corrected first: {line}")));
    }
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let links = context.links_at_home();
    for (name, place) in links.first_android().into_iter().flat_map(|android| &android.unresolved) {
        let at = app.sources.position(*place);
        output.notice(&format!(
            "{}:{}:{}: {name} is not known without a build; a filter with it is taken to match nothing",
            app.sources.file(place.file).shown,
            at.line,
            at.column
        ));
    }
    look(&app, &context, &links)
}

/// Returns the device that a command line means.
fn device(look: &LookOptions, app: &App) -> Result<Device, Failure> {
    levels(&look.level, app)
}

/// Returns the device that levels on a command line mean.
pub(crate) fn levels(written: &[String], app: &App) -> Result<Device, Failure> {
    let mut device = Device::default();
    for written in written {
        let wrong = |what: &str| {
            Failure::new(format!("--level {written}: {what}")).hint("write a level of Android such as 30, or ios=15.1")
        };
        let (platform, value) = match written.split_once('=') {
            Some((platform, value)) => (platform, value),
            None if app.android.is_none() && app.ios.is_some() => ("ios", written.as_str()),
            None => ("android", written.as_str()),
        };
        match platform {
            "android" => {
                let newest = elvask_platform::release::newest_level();
                let level = value.parse().ok().filter(|level| (1..=newest).contains(level));
                device.level = level.ok_or_else(|| wrong(&format!("the levels of Android go from 1 to {newest}")))?;
            }
            "ios" => device.version = Version::parse(value).ok_or_else(|| wrong("this is not a version of iOS"))?,
            _ => return Err(wrong("the platforms are android and ios")),
        }
    }
    Ok(device)
}

/// Returns the website that a command line means, or that `elvask.toml` names where `usual` says so.
fn site(named: Option<&str>, app: &App, usual: bool) -> Result<Option<Site>, Failure> {
    if let Some(name) = named {
        return Site::named(name, TIMEOUT).map(Some);
    }
    // A folder that is still to be made vouches for nothing, and is no mistake.
    let Some(known) = app.site().filter(|site| usual && site.root.is_dir()) else { return Ok(None) };
    site_folder(app).map(|folder| Some(Site::Folder(folder, known.shown.clone())))
}

/// Returns the folder that `elvask.toml` names.
fn site_folder(app: &App) -> Result<PathBuf, Failure> {
    match app.site() {
        // One that is not there yet is made when something is written into it.
        Some(site) if site.root.is_dir() || !site.root.exists() => Ok(site.root.clone()),
        Some(site) => {
            Err(Failure::new(format!("{}: this is not a folder; elvask.toml names it under [links]", site.shown)))
        }
        None => Err(Failure::new("which folder is put on the web is not known")),
    }
}
