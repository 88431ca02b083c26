//! The icons of an asset catalog.
//!
//! Sources: "Configuring your app icon using an asset catalog", "Asset Catalog Format Reference: App Icon Type".

use std::path::{Path, PathBuf};

use elvask_markup::Span;
use elvask_platform::{Level, Platform};
use elvask_project::appfiles::IosApp;
use elvask_project::files::{FileKind, Files};
use elvask_project::loading::Loading;
use elvask_project::source::{FileId, Place};
use serde::Deserialize;

use super::picture::look;
use super::{Icons, Lack, Picture};

/// The side of the icon that the store shows, in pixels.
const STORE: u32 = 1024;

/// How deep below a folder of the target catalogs are looked for.
const DEPTH: usize = 4;

#[derive(Deserialize)]
struct Contents {
    #[serde(default)]
    images: Vec<Image>,
}

/// An entry of a set.
#[derive(Deserialize)]
struct Image {
    filename: Option<String>,
    idiom: Option<String>,
    platform: Option<String>,
    size: Option<String>,
    scale: Option<String>,
    #[serde(default)]
    appearances: Vec<serde_json::Value>,
}

impl Image {
    /// Says whether it is for telephones and tablets, or for their store.
    fn is_for_ios(&self) -> bool {
        match self.idiom.as_deref() {
            Some("iphone" | "ipad" | "ios-marketing") => true,
            Some("universal") => self.platform.as_deref().is_none_or(|platform| platform == "ios"),
            _ => false,
        }
    }

    /// Returns its width and height in pixels.
    fn pixels(&self) -> Option<(u32, u32)> {
        let (width, height) = self.size.as_deref()?.split_once('x')?;
        let scale: f64 = match self.scale.as_deref() {
            Some(scale) => scale.trim_end_matches('x').parse().ok()?,
            None => 1.0,
        };
        let side = |text: &str| -> Option<u32> {
            let pixels = text.trim().parse::<f64>().ok()? * scale;
            (pixels.is_finite() && (1.0..65536.0).contains(&pixels)).then_some(pixels.round() as u32)
        };
        Some((side(width)?, side(height)?))
    }

    fn is_of_store(&self) -> bool {
        self.pixels() == Some((STORE, STORE)) && self.appearances.is_empty()
    }
}

pub(super) fn read(loading: &mut Loading<'_>, app: &IosApp, out: &mut Icons) {
    let (Some(project), Some(target)) = (&app.project, &app.target) else { return };
    let Some(target) = project.target_named(target) else { return };
    let settings = project.settings(target, &app.configuration, &app.config_files);
    let resources = project.resources(loading.files, target);
    let names = |path: &PathBuf| {
        let name = path.file_name()?.to_str()?;
        name.strip_suffix(".storyboard").or_else(|| name.strip_suffix(".xib")).map(str::to_owned)
    };
    let folders: Vec<PathBuf> = resources.all.iter().filter(|path| loading.files.is_folder(path)).cloned().collect();
    let mut storyboards: Vec<String> = resources.all.iter().filter_map(names).collect();
    for folder in folders.iter().filter(|folder| !is_catalog(folder)) {
        let inside = below(loading.files, folder, DEPTH, &|path| names(&path.to_path_buf()).is_some());
        storyboards.extend(inside.iter().filter_map(names));
    }
    // A script of the build may copy more than the project names.
    let whole = resources.scripts.is_empty() || !resources.all.is_empty();
    out.storyboards = whole.then_some(storyboards);
    let stated = settings.value("ASSETCATALOG_COMPILER_APPICON_NAME");
    let place = stated.as_ref().and_then(|stated| stated.place);
    let name = stated.and_then(|stated| stated.value).filter(|name| !name.is_empty());
    let Some(name) = name else {
        out.lacks.extend(unnamed(app, loading));
        return;
    };
    let place = place.unwrap_or(Place { file: project.file, span: Span::at(0) });
    let set = format!("{name}.appiconset");
    let layered = format!("{name}.icon");
    let is_wanted = |path: &Path| {
        path.file_name().and_then(|file| file.to_str()).is_some_and(|file| file == set || file == layered)
    };
    let named = resources.all.iter().filter(|path| is_wanted(path)).cloned();
    let found = named.chain(folders.iter().flat_map(|folder| below(loading.files, folder, DEPTH, &is_wanted)));
    let mut found: Vec<PathBuf> = found.collect();
    // The newer form makes all sizes of one picture in layers.
    if found.iter().any(|path| path.extension().is_some_and(|ending| ending == "icon")) {
        return;
    }
    found.retain(|path| loading.files.is_file(&path.join("Contents.json")));
    match found.first() {
        Some(set) => read_set(loading, set, out),
        None if folders.iter().any(|folder| is_catalog(folder)) => out.lacks.push(Lack {
            platform: Some(Platform::Ios),
            subject: name.clone(),
            place,
            message: format!("the icon set {name} is in none of the target's asset catalogs"),
            effect: "The app has no icon, and the store refuses the upload.",
            steps: format!(
                "Add an icon set of the name {name} to an asset catalog of the target, or name one that is there."
            ),
            level: Level::Warning,
            ships: Level::Error,
            only_when_it_ships: false,
        }),
        None => out.unseen.push((Platform::Ios, "no asset catalog of the target was found".to_owned())),
    }
}

fn is_catalog(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending == "xcassets")
}

/// Tells of an app that names no icon set; one that lists pictures in its property list has the older form.
fn unnamed(app: &IosApp, loading: &Loading<'_>) -> Option<Lack> {
    let file = app.plist?;
    let text = &loading.sources.file(file).text;
    if app.generated || text.contains("CFBundleIcon") {
        return None;
    }
    Some(Lack {
        platform: Some(Platform::Ios),
        subject: "ASSETCATALOG_COMPILER_APPICON_NAME".to_owned(),
        place: Place { file, span: Span::at(0) },
        message: "neither the project nor Info.plist names an icon for the app".to_owned(),
        effect: "The app has no icon, and the store refuses the upload.",
        steps: "Add an icon set to an asset catalog of the target, and name it as App Icon in the target's settings."
            .to_owned(),
        level: Level::Warning,
        ships: Level::Error,
        only_when_it_ships: true,
    })
}

/// Returns the paths below a folder that are wanted; what is wanted is not looked into.
fn below(files: &dyn Files, folder: &Path, depth: usize, wanted: &dyn Fn(&Path) -> bool) -> Vec<PathBuf> {
    let mut out = Vec::new();
    for (name, kind) in files.list(folder) {
        let path = folder.join(name);
        if wanted(&path) {
            out.push(path);
        } else if kind == FileKind::Folder && depth > 0 {
            out.extend(below(files, &path, depth - 1, wanted));
        }
    }
    out
}

fn read_set(loading: &mut Loading<'_>, set: &Path, out: &mut Icons) {
    let path = set.join("Contents.json");
    let shown = loading.shown(&path);
    let Some((file, text)) = loading.read(&path, &shown) else { return };
    let contents: Contents = match serde_json::from_str(text.trim_start_matches('\u{FEFF}')) {
        Ok(contents) => contents,
        Err(_) => {
            out.unseen.push((Platform::Ios, format!("{shown} is not the JSON of an icon set")));
            return;
        }
    };
    let images: Vec<&Image> = contents.images.iter().filter(|image| image.is_for_ios()).collect();
    for image in &images {
        let Some(name) = image.filename.as_deref().filter(|name| is_plain(name)) else { continue };
        let picture = set.join(name);
        let of_store = image.is_of_store();
        out.pictures.push(Picture {
            platform: Some(Platform::Ios),
            what: if of_store { "the icon of the store".to_owned() } else { "an icon".to_owned() },
            file: loading.shown(&picture),
            named: place_of(file, &text, name),
            look: look(loading.files, &picture),
            wanted: image.pixels(),
            exact: true,
            // Those for other appearances are drawn over a ground of the system's.
            opaque: of_store,
            absent: match of_store {
                true => (Level::Error, "The store refuses an upload without its icon of 1024 by 1024 pixels."),
                false => (Level::Warning, "Devices show a blurred icon of another size, or none."),
            },
        });
    }
    let store = || images.iter().any(|image| image.is_of_store() && image.filename.is_some());
    if !images.is_empty() && store() {
        return;
    }
    let empty = contents.images.iter().all(|image| image.filename.is_none());
    let name = set.file_stem().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    out.lacks.push(Lack {
        platform: Some(Platform::Ios),
        subject: name.clone(),
        place: Place { file, span: Span::at(0) },
        message: match empty {
            true => format!("the icon set {name} names no picture"),
            false => format!("the icon set {name} has no picture of 1024 by 1024 pixels, which the store shows"),
        },
        effect: "The store refuses the upload.",
        steps: "Put a picture of 1024 by 1024 pixels without transparent parts into the set.".to_owned(),
        // New projects start with an empty set.
        level: Level::Note,
        ships: Level::Error,
        only_when_it_ships: false,
    });
}

/// Says whether a name is that of a file in the folder of the set.
fn is_plain(name: &str) -> bool {
    !name.is_empty() && !name.contains(['/', '\\']) && name != ".."
}

/// Returns where a name stands in a set.
fn place_of(file: FileId, text: &str, name: &str) -> Place {
    let quoted = serde_json::to_string(name).unwrap_or_default();
    let at = text.find(&quoted).map_or(0, |at| at + 1);
    Place { file, span: Span::new(at, at + quoted.len().saturating_sub(2).min(text.len() - at)) }
}
