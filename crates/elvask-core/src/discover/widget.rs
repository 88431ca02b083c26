//! The layout `widget`: a hybrid app's `config.xml`.
//!
//! Source: "Packaged Web Apps (Widgets) - Packaging and XML Configuration" of the W3C.

use std::path::{Path, PathBuf};

use elvask_markup::Span;
use elvask_markup::xml::{Document, Element};
use elvask_platform::Platform;

use super::Package;
use crate::appfiles::{Said, Widget, WidgetDeclaration};
use crate::files::{FileKind, Files};
use crate::loading::Loading;
use crate::source::{FileId, Place, read_text};

/// The file.
pub(crate) const FILE: &str = "config.xml";

/// Says whether a folder holds a `config.xml` of an app.
pub(crate) fn is_widget(files: &dyn Files, folder: &Path) -> bool {
    let path = folder.join(FILE);
    files.is_file(&path) && read_text(files, &path).is_ok_and(|text| text.contains("<widget"))
}

/// Reads the app's `config.xml`.
pub(crate) fn read(loading: &mut Loading<'_>) -> Option<Widget> {
    let path = loading.root.join(FILE);
    let (file, text) = loading.read(&path, FILE)?;
    let document = match Document::parse(text) {
        Ok(document) => document,
        Err(error) => {
            loading.unreadable(FILE, &error.to_string(), Place { file, span: error.span });
            return None;
        }
    };
    let root = document.root();
    let attribute = |name: &str| {
        let attribute = root.attribute_written(name)?;
        let place = Place { file, span: attribute.value };
        Some(Said { text: root.value_of(attribute).into_owned(), place })
    };
    let child = |name: &str| {
        let element = root.children().find(|child| local(*child) == name)?;
        let text = element.text().split_whitespace().collect::<Vec<_>>().join(" ");
        let place = Place { file, span: Span::new(element.open().start, element.name_span().end) };
        (!text.is_empty()).then_some(Said { text, place })
    };
    let mut widget = Widget {
        file,
        id: attribute("id"),
        version: attribute("version"),
        name: child("name"),
        description: child("description"),
        author: child("author"),
        platforms: Vec::new(),
        declares: Vec::new(),
    };
    for element in root.children() {
        match local(element) {
            "platform" | "engine" => {
                let name = element.attribute_written("name").map(|name| element.value_of(name).into_owned());
                let platform = match name.as_deref() {
                    Some("android") => Platform::Android,
                    Some("ios") => Platform::Ios,
                    _ => continue,
                };
                if !widget.platforms.contains(&platform) {
                    widget.platforms.push(platform);
                }
                for inside in element.children() {
                    declare(inside, Some(platform), file, &mut widget.declares);
                }
            }
            _ => declare(element, None, file, &mut widget.declares),
        }
    }
    Some(widget)
}

/// Returns an element's name without its prefix.
fn local(element: Element<'_>) -> &str {
    element.name().rsplit(':').next().unwrap_or_default()
}

fn declare(element: Element<'_>, platform: Option<Platform>, file: FileId, out: &mut Vec<WidgetDeclaration>) {
    let attribute = |name: &str| element.attribute_written(name).map(|name| element.value_of(name).into_owned());
    let (kind, name, value) = match local(element) {
        "access" => ("access", attribute("origin"), attribute("subdomains").map(|value| format!("subdomains {value}"))),
        "allow-navigation" => ("access", attribute("href"), Some("navigation".to_owned())),
        "allow-intent" => ("access", attribute("href"), Some("intent".to_owned())),
        "feature" => ("feature", attribute("name"), attribute("required").map(|value| format!("required {value}"))),
        "preference" => ("preference", attribute("name"), attribute("value")),
        "icon" => ("icon", attribute("src"), attribute("density").or_else(|| attribute("width"))),
        "config-file" => ("config-file", attribute("target"), attribute("parent")),
        "edit-config" => ("edit-config", attribute("file").or_else(|| attribute("target")), attribute("target")),
        _ => return,
    };
    if let Some(name) = name {
        let place = Place { file, span: Span::new(element.open().start, element.name_span().end) };
        out.push(WidgetDeclaration { kind, name, value, platform, place });
    }
}

/// Finds the plugins of the app, which each have a `plugin.xml`: in `plugins/`, else in `node_modules/`.
pub(crate) fn packages(loading: &mut Loading<'_>) -> Vec<Package> {
    let root = loading.root.clone();
    let named = named_plugins(loading);
    let mut packages: Vec<Package> = Vec::new();
    let folder = root.join("plugins");
    let mut folders: Vec<PathBuf> = loading
        .files
        .list(&folder)
        .into_iter()
        .filter(|(_, kind)| *kind == FileKind::Folder)
        .flat_map(|(name, _)| {
            let path = folder.join(&name);
            // A plugin with a scope lies one level deeper.
            match name.starts_with('@') {
                true => loading.files.list(&path).into_iter().map(|(name, _)| path.join(name)).collect(),
                false => vec![path],
            }
        })
        .collect();
    folders.extend(named.iter().map(|(name, _)| root.join("node_modules").join(name)));
    for path in folders {
        let file = path.join("plugin.xml");
        let Ok(text) = read_text(loading.files, &file) else { continue };
        let Ok(document) = Document::parse(text) else {
            let shown = loading.shown(&file);
            loading.notice(format!("{shown}: it cannot be read; what this plugin needs is not known"));
            continue;
        };
        let plugin = document.root();
        let attribute = |name: &str| plugin.attribute_written(name).map(|name| plugin.value_of(name).into_owned());
        let Some(name) = attribute("id") else { continue };
        if packages.iter().any(|known| known.name == name) {
            continue;
        }
        let platforms = plugin.children_named("platform").filter_map(|platform| {
            match platform.value_of(platform.attribute_written("name")?).as_ref() {
                "android" => Some(Platform::Android),
                "ios" => Some(Platform::Ios),
                _ => None,
            }
        });
        let dependency = named.iter().find(|(known, _)| *known == name).map(|(_, place)| *place);
        packages.push(Package {
            platforms: platforms.collect(),
            version: attribute("version"),
            root: Some(path),
            name,
            dependency,
            ..Package::default()
        });
    }
    let absent: Vec<_> = named.iter().filter(|(name, _)| !packages.iter().any(|known| known.name == *name)).collect();
    for (name, place) in absent {
        let (name, platforms) = (name.clone(), Vec::new());
        packages.push(Package {
            name,
            version: None,
            root: None,
            platforms,
            dependency: Some(*place),
            ..Package::default()
        });
    }
    packages
}

/// Returns the plugins that `config.xml` names.
fn named_plugins(loading: &mut Loading<'_>) -> Vec<(String, Place)> {
    let path = loading.root.join(FILE);
    let Ok(text) = read_text(loading.files, &path) else { return Vec::new() };
    let Ok(document) = Document::parse(text.clone()) else { return Vec::new() };
    let file = loading.add(&path, text);
    let plugins = document.root().children().filter(|child| local(*child) == "plugin");
    plugins
        .filter_map(|plugin| {
            let name = plugin.attribute_written("name")?;
            Some((plugin.value_of(name).into_owned(), Place { file, span: name.value }))
        })
        .collect()
}
