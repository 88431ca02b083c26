//! The launcher icons among Android's resources.
//!
//! Sources: "Adaptive icons", "Support different pixel densities", "Create app icons".

use std::path::{Path, PathBuf};

use elvask_markup::Span;
use elvask_platform::{Level, Platform};
use elvask_project::appfiles::AndroidApp;
use elvask_project::files::{FileKind, Files};
use elvask_project::loading::Loading;
use elvask_project::names::ANDROID;
use elvask_project::source::{FileId, Place};

use super::picture::look;
use super::{Icons, Lack, Picture};

/// The side of a launcher icon by the qualifier of a folder, in pixels.
///
/// Source: "Create app icons": 48 dp, and "Support different pixel densities".
const SIDES: [(&str, u32); 6] =
    [("ldpi", 36), ("mdpi", 48), ("hdpi", 72), ("xhdpi", 96), ("xxhdpi", 144), ("xxxhdpi", 192)];

/// The forms of pictures.
const PICTURES: [&str; 5] = ["png", "webp", "jpg", "jpeg", "xml"];

/// Where an icon is named, and the resource: `mipmap`, `ic_launcher`.
struct Named {
    attribute: &'static str,
    kind: String,
    name: String,
    place: Place,
}

pub(super) fn read(loading: &mut Loading<'_>, app: &AndroidApp, out: &mut Icons) {
    let Some(manifest) = app.manifest else { return };
    let Ok(document) = loading.sources.file(manifest).xml().cloned() else { return };
    let Some(application) = document.root().children_named("application").next() else { return };
    let folders = app.resource_folders();
    let mut named = Vec::new();
    for attribute in ["icon", "roundIcon"] {
        let Some(stated) = application.attribute(ANDROID, attribute) else { continue };
        let value = application.value_of(stated);
        if let Some((kind, name)) = value.strip_prefix('@').and_then(|value| value.split_once('/'))
            && matches!(kind, "mipmap" | "drawable")
        {
            let place = Place { file: manifest, span: stated.value };
            named.push(Named { attribute, kind: kind.to_owned(), name: name.to_owned(), place });
        }
    }
    if named.is_empty() && application.attribute(ANDROID, "icon").is_none() && app.manifests.len() < 2 {
        out.lacks.push(Lack {
            platform: Some(Platform::Android),
            subject: "icon".to_owned(),
            place: Place { file: manifest, span: application.name_span() },
            message: "the application names no icon".to_owned(),
            effect: "Launchers show the system's own icon in its place.",
            steps: "Name one: android:icon=\"@mipmap/ic_launcher\" on <application>.".to_owned(),
            level: Level::Warning,
            ships: Level::Warning,
            only_when_it_ships: true,
        });
    }
    for one in &named {
        for (qualifiers, path) in versions(loading.files, &folders, &one.kind, &one.name) {
            if path.extension().is_some_and(|ending| ending == "xml") {
                adaptive(loading, app, (&folders, one), &path, out);
                continue;
            }
            let Some(side) = side_of(&qualifiers) else { continue };
            out.pictures.push(Picture {
                platform: Some(Platform::Android),
                what: format!("the {} for {qualifiers}", if one.attribute == "icon" { "icon" } else { "round icon" }),
                file: loading.shown(&path),
                named: one.place,
                look: look(loading.files, &path),
                wanted: Some((side, side)),
                exact: false,
                opaque: false,
                absent: (Level::Warning, "The icon is blurred there."),
            });
        }
    }
}

/// Returns the files of a resource, with the qualifiers of their folders.
fn versions(files: &dyn Files, folders: &[PathBuf], kind: &str, name: &str) -> Vec<(String, PathBuf)> {
    let mut out = Vec::new();
    for folder in folders {
        for (inside, is) in files.list(folder) {
            let qualifiers = match inside.strip_prefix(kind) {
                Some("") => String::new(),
                Some(rest) => match rest.strip_prefix('-') {
                    Some(rest) => rest.to_owned(),
                    None => continue,
                },
                None => continue,
            };
            if is != FileKind::Folder {
                continue;
            }
            for ending in PICTURES {
                let path = folder.join(&inside).join(format!("{name}.{ending}"));
                if files.is_file(&path) {
                    out.push((qualifiers.clone(), path));
                }
            }
        }
    }
    out
}

fn side_of(qualifiers: &str) -> Option<u32> {
    let of = |part: &str| SIDES.iter().find(|(name, _)| *name == part).map(|(_, side)| *side);
    qualifiers.split('-').find_map(of)
}

/// Looks at the parts of an icon that takes the shape that a launcher gives it.
fn adaptive(
    loading: &mut Loading<'_>,
    app: &AndroidApp,
    (folders, named): (&[PathBuf], &Named),
    path: &Path,
    out: &mut Icons,
) {
    let shown = loading.shown(path);
    let Some((file, _)) = loading.read(path, &shown) else { return };
    let Ok(document) = loading.sources.file(file).xml().cloned() else { return };
    let root = document.root();
    if root.name() != "adaptive-icon" {
        return;
    }
    for part in root.children() {
        let Some(stated) = part.attribute(ANDROID, "drawable") else { continue };
        let value = part.value_of(stated);
        let Some((kind, name)) = value.strip_prefix('@').and_then(|value| value.split_once('/')) else { continue };
        // Colours and the like are values; of those of the system and of libraries nothing is known here.
        if !matches!(kind, "mipmap" | "drawable") || name.is_empty() {
            continue;
        }
        let is_known =
            app.resources.complete && !app.resources.named.iter().any(|known| *known == format!("{kind}/{name}"));
        if is_known && versions(loading.files, folders, kind, name).is_empty() && !is_value(loading, folders, name) {
            out.lacks.push(broken(file, stated.value, part.name(), &value));
        }
    }
    let is_first = !out.lacks.iter().any(|lack| lack.subject == "monochrome");
    if named.attribute == "icon" && is_first && root.children_named("monochrome").next().is_none() {
        out.lacks.push(Lack {
            platform: Some(Platform::Android),
            subject: "monochrome".to_owned(),
            place: Place { file, span: root.name_span() },
            message: "the icon has no part in one colour".to_owned(),
            effect: "Where people have icons in the colours of their wallpaper (level 33 and above), this one is left out of it.",
            steps: "Add <monochrome android:drawable=\"…\" /> with a drawing in one colour.".to_owned(),
            level: Level::Note,
            ships: Level::Note,
            only_when_it_ships: true,
        });
    }
}

/// Says whether a drawable is stated among values, as an item of one.
fn is_value(loading: &Loading<'_>, folders: &[PathBuf], name: &str) -> bool {
    let quoted = format!("\"{name}\"");
    folders.iter().any(|folder| {
        let values = folder.join("values");
        loading.files.list(&values).iter().any(|(file, _)| {
            let text = elvask_project::source::read_text(loading.files, &values.join(file));
            text.is_ok_and(|text| text.contains(&quoted))
        })
    })
}

fn broken(file: FileId, span: Span, part: &str, value: &str) -> Lack {
    Lack {
        platform: Some(Platform::Android),
        subject: value.trim_start_matches('@').to_owned(),
        place: Place { file, span },
        message: format!("the {part} of the icon is `{value}`, which is not found among the resources of the app"),
        effect: "The build fails, unless a library contains the resource.",
        steps: "Add the picture, or name one that is there.".to_owned(),
        level: Level::Warning,
        ships: Level::Warning,
        only_when_it_ships: false,
    }
}
