//! The `icon` and `splash` elements of a `config.xml`.
//!
//! Sources: "App icons" and "Splash screens" of the format's own documentation.

use std::path::Path;

use elvask_markup::Span;
use elvask_markup::xml::{Document, Element};
use elvask_platform::{Level, Platform};
use elvask_project::appfiles::Widget;
use elvask_project::loading::Loading;
use elvask_project::source::Place;

use super::picture::look;
use super::{Icons, Lack, Picture};

/// The side of an icon by its density, in pixels.
const DENSITIES: [(&str, u32); 6] =
    [("ldpi", 36), ("mdpi", 48), ("hdpi", 72), ("xhdpi", 96), ("xxhdpi", 144), ("xxxhdpi", 192)];

/// The attributes that name a picture.
const SOURCES: [&str; 4] = ["src", "foreground", "background", "monochrome"];

/// The preferences that do.
const PREFERENCES: [&str; 2] = ["androidwindowsplashscreenanimatedicon", "androidwindowsplashscreenbrandingimage"];

pub(super) fn read(loading: &mut Loading<'_>, widget: &Widget, out: &mut Icons) {
    let text = loading.sources.file(widget.file).text.clone();
    let Ok(document) = Document::parse_lenient(text) else { return };
    if !document.elements().any(|element| element.name() == "icon") {
        out.lacks.push(Lack {
            platform: None,
            subject: "icon".to_owned(),
            place: Place { file: widget.file, span: document.root().name_span() },
            message: "config.xml names no icon".to_owned(),
            effect: "The app ships with the icon of the tools that built it.",
            steps: "Add <icon src=\"res/icon.png\" />, of 1024 by 1024 pixels for all places, or one for each."
                .to_owned(),
            level: Level::Warning,
            ships: Level::Warning,
            only_when_it_ships: true,
        });
    }
    let mut open = vec![(document.root(), None)];
    while let Some((parent, platform)) = open.pop() {
        for child in parent.children() {
            let said = |name: &str| child.attribute_written(name).map(|one| child.value_of(one).into_owned());
            match child.name() {
                "platform" => {
                    let platform = match said("name").as_deref() {
                        Some("android") => Platform::Android,
                        Some("ios") => Platform::Ios,
                        // What is for other platforms is not looked at.
                        _ => continue,
                    };
                    open.push((child, Some(platform)));
                }
                "icon" | "splash" => element(loading, widget, (child, platform), out),
                "preference" => {
                    let is = said("name").is_some_and(|name| PREFERENCES.contains(&name.to_ascii_lowercase().as_str()));
                    if let Some(value) = child.attribute_written("value").filter(|_| is) {
                        let path = child.value_of(value).into_owned();
                        picture(loading, widget, (&path, value.value), ("start-up picture", platform), None, out);
                    }
                }
                _ => {}
            }
        }
    }
}

fn element(
    loading: &mut Loading<'_>,
    widget: &Widget,
    (element, platform): (Element<'_>, Option<Platform>),
    out: &mut Icons,
) {
    let said = |name: &str| element.attribute_written(name).map(|one| element.value_of(one).into_owned());
    // An element may name its platform itself.
    let platform = platform.or_else(|| match said("platform").as_deref() {
        Some("android") => Some(Platform::Android),
        Some("ios") => Some(Platform::Ios),
        _ => None,
    });
    let number = |name: &str| said(name).and_then(|text| text.parse::<u32>().ok());
    let is_icon = element.name() == "icon";
    let stated = match (number("width"), number("height")) {
        (Some(width), Some(height)) => Some((width, height)),
        (Some(side), None) | (None, Some(side)) if is_icon => Some((side, side)),
        _ => None,
    };
    let density = said("density").unwrap_or_default();
    let of_density = DENSITIES.iter().find(|(name, _)| *name == density).map(|(_, side)| (*side, *side));
    let what = if is_icon { "icon" } else { "start-up picture" };
    for attribute in SOURCES {
        let Some(source) = element.attribute_written(attribute) else { continue };
        let path = element.value_of(source).into_owned();
        // The parts of an adaptive icon are larger than it, and may be colours.
        let wanted = if attribute == "src" { stated.or(of_density.filter(|_| is_icon)) } else { None };
        picture(loading, widget, (&path, source.value), (what, platform), wanted, out);
    }
}

fn picture(
    loading: &mut Loading<'_>,
    widget: &Widget,
    (path, span): (&str, Span),
    (what, platform): (&str, Option<Platform>),
    wanted: Option<(u32, u32)>,
    out: &mut Icons,
) {
    let is_path = path.contains('.') && !path.starts_with(['@', '#']) && !Path::new(path).has_root();
    if !is_path || path.split(['/', '\\']).any(|part| part == "..") {
        return;
    }
    // Older projects have the document beside the web page, or name pictures from there.
    let above = loading.root.parent().filter(|_| loading.root.ends_with("www"));
    let places = [Some(loading.root.clone()), Some(loading.root.join("www")), above.map(Path::to_path_buf)];
    let places = places.into_iter().flatten().map(|folder| folder.join(path));
    let is_there = |at: &std::path::PathBuf| loading.files.is_file(at);
    let at = places.clone().find(is_there).unwrap_or_else(|| loading.root.join(path));
    out.pictures.push(Picture {
        platform,
        what: format!("the {what}"),
        file: loading.shown(&at),
        named: Place { file: widget.file, span },
        look: look(loading.files, &at),
        wanted,
        exact: false,
        opaque: false,
        absent: match what {
            "icon" => (Level::Error, "The tools stop, as the file that is named is not there."),
            // Newer tools make the start-up picture of Android otherwise, and pass these over.
            _ => (Level::Warning, "The tools stop, or start the app with a picture of their own."),
        },
    });
}
