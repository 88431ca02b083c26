//! The resources of an app's module, as far as sheets want some.
//!
//! Source: "App resources overview" in the platform's guides.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use elvask_markup::SharedText;
use elvask_needs::kinds::android::resource::{references, values_file, values_files};
use elvask_needs::requirement::Need;
use elvask_needs::sheet::Asked;
use elvask_platform::Kind;
use elvask_project::appfiles::{AndroidApp, ResourceFile, Resources};
use elvask_project::files::FileKind;
use elvask_project::loading::Loading;
use memchr::memmem;

use crate::app::Plugin;

/// The most files of values that are read.
const MAX_FILES: usize = 200;

/// Looks for the resources that manifests refer to and that packages want; where nothing is wanted, reads the usual files of values
/// alone. With `in_languages` the texts in other languages too.
pub(crate) fn read(loading: &mut Loading<'_>, app: &AndroidApp, plugins: &[Plugin], in_languages: bool) -> Resources {
    let main = app.manifest_path.with_file_name("res");
    let wanted = wanted(loading, app, plugins);
    let languages = if in_languages { languages(loading, app) } else { Vec::new() };
    let mut out = Resources { complete: true, languages, ..Resources::default() };
    let mut paths: Vec<PathBuf> = Vec::new();
    if wanted.is_empty() {
        // What is there may have been put there for a package that is gone.
        let usual = values_files().map(|usual| main.join("values").join(usual));
        paths.extend(usual.filter(|path| loading.files.is_file(path)));
    } else {
        let folders = app.resource_folders();
        let mut held: BTreeMap<String, Vec<String>> = BTreeMap::new();
        for folder in &folders {
            walk(loading, folder, &mut held, &mut paths);
        }
        let (some, all): (Vec<_>, Vec<_>) =
            held.into_iter().partition(|(_, folders)| is_for_some(folders, app.min_level.value));
        out.named.extend(all.into_iter().map(|(name, _)| name));
        out.limited = some;
    }
    let mut values = BTreeSet::new();
    for path in &paths {
        let shown = loading.shown(path);
        if let Some((file, text)) = loading.read(path, &shown) {
            out.values.push(ResourceFile { file });
            names(&text, &mut values);
        }
    }
    if wanted.iter().any(|name| name.starts_with(FLAG)) {
        flags(loading, &main, &wanted, &mut out);
    }
    let mut absent: BTreeSet<&str> = wanted.iter().map(String::as_str).collect();
    absent.retain(|name| !values.contains(*name) && !out.named.iter().any(|known| known == name));
    if !absent.is_empty() {
        of_build(loading, app, &mut out);
        absent.retain(|name| !out.named.iter().any(|known| known == name));
    }
    if !absent.is_empty() {
        of_packages(loading, plugins, &mut out);
        absent.retain(|name| !out.named.iter().any(|known| known == name));
    }
    // What the build or a package gives to all devices is not limited, whatever the app adds for some.
    if !absent.is_empty() {
        of_other_values(loading, &main, app.min_level.value, &absent, &mut out);
    }
    out.limited.retain(|(name, _)| absent.contains(name.as_str()));
    out.named.extend(out.limited.iter().map(|(name, _)| name.clone()));
    let stated = plugins.iter().filter_map(|plugin| plugin.sheet.as_ref()).flat_map(|found| &found.sheet.requires);
    for usual in stated.filter_map(|required| values_file(resource_of(&required.asked)?.split('/').next()?)) {
        let path = main.join("values").join(usual);
        if !paths.contains(&path) {
            out.values.push(ResourceFile { file: loading.add_absent(&path) });
            paths.push(path);
        }
    }
    out
}

/// The usual name of the configuration of connections.
const NETWORK_CONFIG: &str = "network_security_config";

/// Reads the configurations of connections to which the manifests refer. Where none does and `may_come` says so, the usual one may come to be.
pub(crate) fn read_network(loading: &mut Loading<'_>, app: &mut AndroidApp, may_come: bool) {
    let manifests: BTreeSet<_> = app.manifest.into_iter().chain(app.manifests.iter().map(|(_, file)| *file)).collect();
    let mut names: BTreeSet<String> = BTreeSet::new();
    for file in manifests {
        let text = loading.text(file);
        let named = memmem::find_iter(text.as_bytes(), "networkSecurityConfig").filter_map(|at| {
            let value = text.get(at..)?.split(['"', '\'']).nth(1)?;
            value.strip_prefix("@xml/").map(str::to_owned)
        });
        names.extend(named);
    }
    let main = app.manifest_path.with_file_name("res");
    let folders = app.resource_folders();
    for (name, folder) in names.iter().flat_map(|name| folders.iter().map(move |folder| (name, folder))) {
        let path = folder.join("xml").join(format!("{name}.xml"));
        if loading.files.is_file(&path) {
            let shown = loading.shown(&path);
            if let Some((file, _)) = loading.read(&path, &shown) {
                app.resources.network.push((path, file));
            }
        }
    }
    let usual = main.join("xml").join(format!("{NETWORK_CONFIG}.xml"));
    if names.is_empty() && may_come && !loading.files.is_file(&usual) {
        let file = loading.add_absent(&usual);
        app.resources.network.push((usual, file));
        app.resources.named.push(format!("xml/{NETWORK_CONFIG}"));
    }
}

/// Returns the resource that an entry of a sheet asks for.
fn resource_of(asked: &Asked) -> Option<&str> {
    match asked {
        Asked::Need { name, need: Need::Plain { kind: Kind::Resource, .. } } => Some(name),
        Asked::Need { .. } | Asked::Capability(_) => None,
    }
}

/// Returns the resources that the app's manifests refer to and that its packages want, as `type/name`.
fn wanted(loading: &Loading<'_>, app: &AndroidApp, plugins: &[Plugin]) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    let main = app.manifest.into_iter().chain(app.manifests.iter().map(|(_, file)| *file));
    for file in main {
        out.extend(references(&loading.sources.file(file).text).map(str::to_owned));
    }
    let mut of = |need: &Need| {
        if let Need::MetaData { value, resource, .. } = need {
            out.extend([value, resource].into_iter().flatten().flat_map(|text| references(text)).map(str::to_owned));
        } else if let Need::Attribute { value, .. } = need {
            out.extend(references(value).map(str::to_owned));
        }
    };
    for plugin in plugins {
        let stated = plugin.sheet.iter().flat_map(|found| &found.sheet.requires);
        let stated = stated.filter_map(|required| match &required.asked {
            Asked::Need { need, .. } => Some(need),
            Asked::Capability(_) => None,
        });
        stated.for_each(&mut of);
        plugin.evidence.iter().flat_map(|found| &found.requirements).for_each(|learned| of(&learned.need));
    }
    let stated = plugins.iter().filter_map(|plugin| plugin.sheet.as_ref()).flat_map(|found| &found.sheet.requires);
    out.extend(stated.filter_map(|required| resource_of(&required.asked)).map(str::to_owned));
    out
}

/// Adds the names that a file of values gives, as `type/name`.
fn names(text: &SharedText, out: &mut BTreeSet<String>) {
    let Ok(document) = elvask_markup::xml::Document::parse(text.clone()) else { return };
    for element in document.root().children() {
        let name = element.attribute_written("name").map(|name| element.value_of(name));
        // `<item type="string" name="…">` is another way to write it.
        let kind = element.attribute_written("type").map(|kind| element.value_of(kind).into_owned());
        let kind = kind.filter(|_| element.name() == "item").unwrap_or_else(|| element.name().to_owned());
        out.extend(name.map(|name| format!("{kind}/{name}")));
    }
}

/// Adds the resources that the build files make, and says where they name folders that are not looked into.
fn of_build(loading: &Loading<'_>, app: &AndroidApp, out: &mut Resources) {
    for file in app.modules.iter().filter_map(|module| module.build_file) {
        let text = &loading.sources.file(file).text;
        // Folders of one's own, or a script that may name them.
        out.complete &= !["srcDir", "apply from", "apply(from"].iter().any(|word| text.contains(word));
        for (at, word) in text.match_indices("resValue") {
            let rest = text.get(at + word.len()..).unwrap_or_default();
            let mut quoted = rest.lines().next().unwrap_or_default().split(['"', '\'']).skip(1).step_by(2);
            if let (Some(kind), Some(name)) = (quoted.next(), quoted.next()) {
                out.named.push(format!("{kind}/{name}"));
            }
        }
    }
}

/// Adds the resources that the packages' own builds bring along.
fn of_packages(loading: &Loading<'_>, plugins: &[Plugin], out: &mut Resources) {
    let (mut brought, mut held) = (Vec::new(), BTreeMap::new());
    for root in plugins.iter().filter_map(|plugin| plugin.root.as_ref()) {
        for inside in ["android/src/main/res", "src/main/res"] {
            walk(loading, &root.join(inside), &mut held, &mut brought);
        }
    }
    let mut values = BTreeSet::new();
    for path in brought.iter().take(MAX_FILES) {
        if let Ok(text) = elvask_project::source::read_text(loading.files, path) {
            names(&text.into(), &mut values);
        }
    }
    out.named.extend(values);
    out.named.extend(held.into_keys());
}

/// What the names of truth values start with.
const FLAG: &str = "bool/";

/// Adds the truth values that are wanted, where they are the same for all devices.
fn flags(loading: &Loading<'_>, main: &Path, wanted: &BTreeSet<String>, out: &mut Resources) {
    let usual = out.values.iter().map(|one| loading.sources.file(one.file).text.clone());
    let mut texts: Vec<SharedText> = usual.collect();
    let folders = loading.files.list(main).into_iter().map(|(name, _)| name).filter(|name| name.starts_with("values-"));
    let files = folders.flat_map(|folder| {
        let inside = main.join(folder);
        loading.files.list(&inside).into_iter().map(move |(file, _)| inside.join(file)).collect::<Vec<_>>()
    });
    for path in files.filter(|path| path.extension().is_some_and(|end| end == "xml")).take(MAX_FILES) {
        match elvask_project::source::read_text(loading.files, &path) {
            Ok(text) => texts.push(text.into()),
            // What cannot be read may say otherwise.
            Err(_) => return,
        }
    }
    let mut said: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for text in texts {
        let Ok(document) = elvask_markup::xml::Document::parse(text) else { return };
        for element in document.root().children() {
            let written = element.attribute_written("type").map(|kind| element.value_of(kind));
            // `<item type="bool" name="…">` is another way to write it.
            if element.name() != "bool" && written.as_deref() != Some("bool") {
                continue;
            }
            let Some(name) = element.attribute_written("name").map(|name| element.value_of(name)) else { continue };
            said.entry(format!("{FLAG}{name}")).or_default().insert(element.text().trim().to_owned());
        }
    }
    for (name, values) in said.into_iter().filter(|(name, _)| wanted.contains(name)) {
        let mut values = values.iter();
        if let (Some(only), None) = (values.next(), values.next())
            && let Ok(value) = only.parse()
        {
            out.flags.push((name, value));
        }
    }
}

/// Looks for values among those of one language, level or kind of device alone.
fn of_other_values(loading: &Loading<'_>, main: &Path, min: Option<u32>, absent: &BTreeSet<&str>, out: &mut Resources) {
    let folders = loading.files.list(main).into_iter().map(|(name, _)| name).filter(|name| name.starts_with("values-"));
    let mut read = 0;
    let mut held: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for folder in folders {
        let inside = main.join(&folder);
        let mut values = BTreeSet::new();
        for (file, _) in loading.files.list(&inside).into_iter().filter(|(file, _)| file.ends_with(".xml")) {
            read += 1;
            if read > MAX_FILES {
                return;
            }
            if let Ok(text) = elvask_project::source::read_text(loading.files, &inside.join(file)) {
                names(&text.into(), &mut values);
            }
        }
        for name in absent.iter().filter(|name| values.contains(**name)) {
            held.entry(name).or_default().push(folder.clone());
        }
    }
    for (name, folders) in held {
        match is_for_some(&folders, min) {
            true => out.limited.push((name.to_owned(), folders)),
            false => out.named.push(name.to_owned()),
        }
    }
}

/// Reads the texts in other languages: `values-nl/strings.xml`.
fn languages(loading: &mut Loading<'_>, app: &AndroidApp) -> Vec<ResourceFile> {
    let main = app.manifest_path.with_file_name("res");
    let folders =
        loading.files.list(&main).into_iter().map(|(name, _)| name).filter(|name| name.starts_with("values-"));
    let paths: Vec<PathBuf> = folders.map(|folder| main.join(folder).join("strings.xml")).take(MAX_FILES).collect();
    let mut out = Vec::new();
    for path in paths {
        if loading.files.is_file(&path) {
            let shown = loading.shown(&path);
            out.extend(loading.read(&path, &shown).map(|(file, _)| ResourceFile { file }));
        }
    }
    out
}

/// Qualifiers that together hold for all devices.
const PAIRS: [(&str, &str); 3] = [("port", "land"), ("night", "notnight"), ("ldltr", "ldrtl")];

/// Says whether folders of resources are for some devices alone: of a language, a newer level, one way to hold it. Densities are not: the
/// system scales pictures.
///
/// Source: "App resources overview", the table of qualifiers.
fn is_for_some(folders: &[String], min: Option<u32>) -> bool {
    let has = |word: &str| folders.iter().any(|folder| folder.split('-').skip(1).eq([word]));
    if PAIRS.iter().any(|(one, other)| has(one) && has(other)) {
        return false;
    }
    folders.iter().all(|folder| {
        folder.split('-').skip(1).any(|qualifier| {
            let level = qualifier.strip_prefix('v').and_then(|level| level.parse::<u32>().ok());
            match level {
                Some(level) => min.is_some_and(|min| level > min),
                None => !qualifier.ends_with("dpi"),
            }
        })
    })
}

/// Gathers the resources that are files of their own, with the folders that hold each, and the files of values for every configuration.
fn walk(loading: &Loading<'_>, folder: &Path, held: &mut BTreeMap<String, Vec<String>>, values: &mut Vec<PathBuf>) {
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
                held.entry(format!("{of}/{stem}")).or_default().push(name.clone());
            } else if name == "values" && file.ends_with(".xml") && values.len() < MAX_FILES {
                values.push(folder.join(&name).join(file));
            }
        }
    }
}
