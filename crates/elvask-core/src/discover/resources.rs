//! The resources of an app's module, as far as sheets want some.
//!
//! Source: "App resources overview" in the platform's guides.

use std::path::{Path, PathBuf};

use elvask_needs::kinds::android::resource::{values_file, values_files};
use elvask_needs::requirement::Need;
use elvask_needs::sheet::Asked;
use elvask_platform::Kind;
use elvask_project::appfiles::{AndroidApp, ResourceFile, Resources};
use elvask_project::files::FileKind;
use elvask_project::loading::Loading;

use crate::app::Plugin;

/// The most files of values that are read.
const MAX_FILES: usize = 200;

/// Looks for the resources that sheets want; where they want none, reads the usual files of values alone.
pub(crate) fn read(loading: &mut Loading<'_>, app: &AndroidApp, plugins: &[Plugin]) -> Resources {
    let sheets = plugins.iter().filter_map(|plugin| Some((plugin, plugin.sheet.as_ref()?)));
    let wanted: Vec<(&Plugin, &str)> = sheets
        .flat_map(|(plugin, found)| found.sheet.requires.iter().map(move |required| (plugin, required)))
        .filter_map(|(plugin, required)| match &required.asked {
            Asked::Need { name, need: Need::Plain { kind: Kind::Resource, .. } } => Some((plugin, name.as_str())),
            Asked::Need { .. } | Asked::Capability(_) => None,
        })
        .collect();
    let mut out = Resources::default();
    let main = app.manifest_path.with_file_name("res");
    if wanted.is_empty() {
        // What is there may have been put there for a package that is gone.
        for path in values_files().map(|usual| main.join("values").join(usual)) {
            if loading.files.is_file(&path) {
                let shown = loading.shown(&path);
                out.values.extend(loading.read(&path, &shown).map(|(file, _)| ResourceFile { file }));
            }
        }
        return out;
    }
    let sets = app.judged().flat_map(|variant| &variant.source_sets);
    let mut folders = vec![main.clone()];
    for folder in sets.map(|set| set.manifest.with_file_name("res")) {
        if !folders.contains(&folder) {
            folders.push(folder);
        }
    }
    let mut paths: Vec<PathBuf> = Vec::new();
    for folder in &folders {
        walk(loading, folder, &mut out.named, &mut paths);
    }
    for path in &paths {
        let shown = loading.shown(path);
        out.values.extend(loading.read(path, &shown).map(|(file, _)| ResourceFile { file }));
    }
    // What the package's own build brings along is there by itself.
    let mut brought = Vec::new();
    for root in wanted.iter().filter_map(|(plugin, _)| plugin.root.as_ref()) {
        for inside in ["android/src/main/res", "src/main/res"] {
            walk(loading, &root.join(inside), &mut out.named, &mut brought);
        }
    }
    for path in brought.iter().take(MAX_FILES) {
        let Ok(text) = elvask_project::source::read_text(loading.files, path) else { continue };
        let Ok(document) = elvask_markup::xml::Document::parse(text) else { continue };
        for element in document.root().children() {
            let name = element.attribute_written("name").map(|name| element.value_of(name));
            out.named.extend(name.map(|name| format!("{}/{name}", element.name())));
        }
    }
    for usual in wanted.iter().filter_map(|(_, name)| values_file(name.split('/').next()?)) {
        let path = main.join("values").join(usual);
        if !paths.contains(&path) {
            out.values.push(ResourceFile { file: loading.add_absent(&path) });
            paths.push(path);
        }
    }
    out
}

/// Gathers the resources that are files of their own, and the files of values for every configuration.
fn walk(loading: &Loading<'_>, folder: &Path, named: &mut Vec<String>, values: &mut Vec<PathBuf>) {
    for (name, kind) in loading.files.list(folder) {
        if kind != FileKind::Folder {
            continue;
        }
        // `drawable-hdpi` and `drawable` hold resources of one type.
        let of = name.split('-').next().unwrap_or(&name).to_owned();
        for (file, kind) in loading.files.list(&folder.join(&name)) {
            if kind != FileKind::File {
                continue;
            }
            if of != "values" {
                let stem = file.split('.').next().unwrap_or(&file);
                named.push(format!("{of}/{stem}"));
            } else if name == "values" && file.ends_with(".xml") && values.len() < MAX_FILES {
                values.push(folder.join(&name).join(file));
            }
        }
    }
}
