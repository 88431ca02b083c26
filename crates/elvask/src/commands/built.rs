//! What was built, in the place of the sources or against them.

use std::fs::File;
use std::path::Path;
use std::sync::Arc;

use elvask_core::app::{App, Choice, Look};
use elvask_core::built::{Sourced, as_app};
use elvask_core::compare::{Fact, facts_of};
use elvask_core::context::Context;
use elvask_core::survey::survey;
use elvask_project::files::{Disk, Files as _, normal};
use elvask_project::surface::Surface;

use super::{choice, current_folder, load_choosing, root_of, settings};
use crate::options::AppChoice;
use crate::output::{Failure, Output};

/// What was built, with the sources that it is held against.
pub(crate) struct BuiltApp {
    /// What was built, as an app.
    pub(crate) app: App,
    /// The app that it is built from, where there is one.
    pub(crate) source: Option<App>,
    /// What the sources say.
    pub(crate) sourced: Arc<Sourced>,
}

/// Says whether a file has the name of what builds make.
pub(crate) fn is_built(path: &Path) -> bool {
    let ending = path.extension().and_then(|ending| ending.to_str()).map(str::to_ascii_lowercase);
    matches!(ending.as_deref(), Some("apk" | "aab" | "ipa"))
}

/// Reads what was built, and the app around it: the one that is named, or else the one around the current folder, where there is one.
///
/// # Errors
/// Why it cannot be read.
pub(crate) fn open(file: &Path, options: &AppChoice, look: Look, output: &Output) -> Result<BuiltApp, Failure> {
    let shown = file.display().to_string();
    let path = normal(&current_folder()?.join(file));
    let failed = |why: String| Failure::new(format!("{shown}: {why}"));
    if Disk.is_folder(&path) {
        return Err(failed("this is a folder".to_owned()).hint("name the .apk, .aab or .ipa that the build made"));
    }
    let opened = File::open(&path).map_err(|error| failed(error.to_string()))?;
    let built = elvask_built::read(opened).map_err(|error| failed(error.to_string()))?;
    // Without a folder that is named there may be none: what was built says much by itself.
    let root = match root_of(options) {
        Err(failure) if options.app.is_some() => return Err(failure),
        root => root.ok(),
    };
    let id = built.android.as_ref().and_then(|android| package_of(&android.manifest));
    let source = match root {
        Some(root) => {
            let usual = choice(&root, options, look)?;
            let app = load_choosing(&root, options, usual.clone(), output)?;
            Some(match variant_of(&app, id.as_deref()).filter(|_| options.variant.is_none()) {
                // What limits the look was said with the first one.
                Some(variant) => App::load_choice(&Disk, &app.root, &Choice { variant: Some(variant), ..usual })
                    .map_err(|error| Failure::new(error.to_string()))?,
                None => app,
            })
        }
        None => None,
    };
    let certificates = built.android.iter().flat_map(|android| &android.certificates);
    let fingerprints = certificates.filter_map(|der| fingerprint(der)).collect();
    let facts = source.as_ref().map(surveyed);
    let app = as_app(&built, &path, source.as_ref());
    output.limits(&app.notices);
    Ok(BuiltApp { app, source, sourced: Arc::new(Sourced { facts, fingerprints }) })
}

/// Returns what the sources declare.
fn surveyed(app: &App) -> Vec<Fact> {
    let settings = settings(false);
    let surface = Surface::read(app, &app.sources);
    facts_of(&survey(&Context::new(app, &app.sources, &surface, &settings)))
}

/// Returns the id that a manifest states.
fn package_of(manifest: &str) -> Option<String> {
    manifest.split(" package=\"").nth(1)?.split('"').next().map(str::to_owned)
}

/// Returns the variant that has the id of what was built, where others have another one.
fn variant_of(app: &App, id: Option<&str>) -> Option<String> {
    let android = app.android.as_ref()?;
    let (id, mut judged) = (id?, android.judged());
    let fits = |id: &str| android.judged().find(|variant| variant.id.value.as_deref() == Some(id));
    let differ = judged.any(|variant| variant.id.value.as_deref() != Some(id));
    fits(id).filter(|_| differ).map(|variant| variant.name.clone())
}

#[cfg(feature = "key-stores")]
fn fingerprint(der: &[u8]) -> Option<String> {
    let (_, found) = elvask_keys::read(der, None).ok()?;
    found.into_iter().next().map(|one| one.sha256)
}

#[cfg(not(feature = "key-stores"))]
fn fingerprint(_: &[u8]) -> Option<String> {
    None
}
