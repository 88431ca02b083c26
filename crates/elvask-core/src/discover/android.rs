//! Finding the Android app module, its variants, and the manifests that go into them.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use elvask_markup::xml::Document;
use elvask_needs::evidence::{MANIFEST, library_folder};
use elvask_platform::Platform;
use elvask_project::appfiles::{AndroidApp, LibraryManifest, LoadError, Resources};
use elvask_project::files::{Files, normal};
use elvask_project::filters::unescape;
use elvask_project::gradle::{
    self, Build, LibraryBuild, MAX_VARIANTS, Module, ModuleKind, Stated, Variant, Workspace, build_file,
};
use elvask_project::loading::Loading;
use elvask_project::merge::Library;
use elvask_project::source::{FileId, read_text};
use elvask_project::threads;
use memchr::memmem;

use super::folders;
use crate::app::{Choice, Plugin};

/// How deep below the app's root its module may lie.
const DEPTH: usize = 5;

/// Finds the module that is built into an app, its variants and its manifests; in the build that was read already, where one was.
pub(crate) fn find(
    loading: &mut Loading<'_>,
    plugins: &[Plugin],
    choice: &Choice,
    kept: Option<(PathBuf, Build)>,
) -> Result<Option<AndroidApp>, LoadError> {
    let Some((folder, build)) = kept.or_else(|| app_build(loading)) else { return Ok(None) };
    let Some(module) = build.modules.first() else { return Ok(None) };
    let variants = module.variants(loading.files);
    if variants.len() >= MAX_VARIANTS {
        loading
            .notice(format!("the build has {MAX_VARIANTS} variants or more; the first {MAX_VARIANTS} are looked at"));
    }
    let judged = judged(&variants, choice)?;
    let namespace = module.namespace.value.clone();
    unresolved(loading, module);
    let app = AndroidApp {
        module: folder.clone(),
        manifest_path: module.manifest_of("main"),
        manifest: None,
        id: Stated::default(),
        namespace,
        min_level: Stated::default(),
        target_level: Stated::default(),
        libraries: Vec::new(),
        manifests: Vec::new(),
        modules: build.modules,
        variants,
        judged,
        keep_rules: Vec::new(),
        in_source: Vec::new(),
        strings: Vec::new(),
        resources: Resources::default(),
        activities: Vec::new(),
    };
    Ok(Some(with_manifests(loading, app, plugins)))
}

/// Returns the folder of the app's module and the build around it.
pub(crate) fn app_build(loading: &mut Loading<'_>) -> Option<(PathBuf, Build)> {
    let folder = find_module(loading)?;
    let build = Workspace::around(loading, &folder).build(loading, &folder);
    Some((folder, build))
}

/// Returns the variants that are judged: the chosen one, else all of the release build type.
fn judged(variants: &[Variant], choice: &Choice) -> Result<Vec<usize>, LoadError> {
    let known = || variants.iter().map(|variant| variant.name.clone()).collect();
    let all = variants.iter().enumerate();
    match &choice.variant {
        Some(name) => match all.into_iter().find(|(_, variant)| variant.name == *name) {
            Some((at, _)) => Ok(vec![at]),
            None => Err(LoadError::NoVariant { name: name.clone(), known: known() }),
        },
        None => Ok(all.filter(|(_, variant)| variant.is_release()).map(|(at, _)| at).collect()),
    }
}

/// Reads the manifests of the source sets and of the libraries, and takes the app's values from the variants that are judged.
pub(crate) fn with_manifests(loading: &mut Loading<'_>, mut app: AndroidApp, plugins: &[Plugin]) -> AndroidApp {
    let shown = loading.shown(&app.manifest_path);
    app.manifest = loading.read(&app.manifest_path, &shown).map(|(file, _)| file);
    app.manifests.extend(app.manifest.map(|file| (app.manifest_path.clone(), file)));
    let sets: Vec<_> =
        app.variants.iter().flat_map(|variant| &variant.source_sets).map(|set| set.manifest.clone()).collect();
    for path in sets {
        if path != app.manifest_path && app.manifest_at(&path).is_none() {
            let shown = loading.shown(&path);
            app.manifests.extend(loading.read(&path, &shown).map(|(file, _)| (path, file)));
        }
    }
    app.strings = strings(loading, &app);
    app.libraries = libraries(loading, &app, plugins);
    app.keep_rules = keep_rules(loading, &app);
    let judged: Vec<_> = app.judged().cloned().collect();
    if let Some(first) = judged.first() {
        app.id = first.id.clone();
        app.target_level = first.target_level.clone();
        // What must hold for all variants is held against the lowest of their levels.
        let known = judged.iter().filter(|variant| variant.min_level.value.is_some());
        app.min_level = known.min_by_key(|variant| variant.min_level.value).unwrap_or(first).min_level.clone();
    }
    app
}

/// Reads the texts to which the data of a filter refers: the usual ones of the app's own resources.
fn strings(loading: &mut Loading<'_>, app: &AndroidApp) -> Vec<(String, String)> {
    let refers = |text: &str| {
        let mut tags = memmem::find_iter(text.as_bytes(), "<data").filter_map(|at| text.get(at..)?.split('>').next());
        tags.any(|tag| tag.contains("@string/"))
    };
    let folders: Vec<_> = app.manifests.iter().filter_map(|(path, _)| Some(path.parent()?.to_path_buf())).collect();
    if !app.manifests.iter().any(|(_, file)| refers(loading.text(*file))) {
        return Vec::new();
    }
    let mut out = Vec::new();
    for folder in folders {
        for values in [folder.join("res/values"), folder.join("Resources/values")] {
            for (name, _) in loading.files.list(&values).into_iter().filter(|(name, _)| name.ends_with(".xml")) {
                let Ok(text) = read_text(loading.files, &values.join(&name)) else { continue };
                let Ok(document) = Document::parse(text) else { continue };
                let texts = document.root().children_named("string");
                out.extend(texts.filter_map(|one| {
                    let name = one.value_of(one.attribute_written("name")?).into_owned();
                    Some((name, unescape(one.text().trim().trim_matches('"')).into_owned()))
                }));
            }
        }
    }
    out
}

/// Reads the files of keep rules that the release build takes from the module's own folder.
fn keep_rules(loading: &mut Loading<'_>, app: &AndroidApp) -> Vec<FileId> {
    let Some(module) = app.modules.first() else { return Vec::new() };
    let release = module.build_types.iter().filter(|one| one.name == "release");
    let named = release.chain([&module.default]).flat_map(|config| &config.keep_rules);
    let paths: Vec<_> = named
        .filter_map(|stated| stated.value.as_ref())
        .map(|name| normal(&module.folder.join(name)))
        .filter(|path| path.starts_with(&loading.root) && loading.files.is_file(path))
        .collect();
    let mut files = Vec::new();
    for path in paths {
        let shown = loading.shown(&path);
        files.extend(loading.read(&path, &shown).map(|(file, _)| file));
    }
    files
}

/// Notes the settings of the app's module that only running the build would tell.
fn unresolved(loading: &mut Loading<'_>, module: &Module) {
    let configs = [&module.default]
        .into_iter()
        .chain(&module.flavors)
        .chain(module.build_types.iter().filter(|one| one.name == "release"));
    let mut unknown = Vec::new();
    let mut note = |what: &str, stated: (Option<&String>, Option<elvask_project::source::Place>)| {
        if let (Some(written), Some(place)) = stated {
            unknown.push((format!("{what} is {written}, which only running the build tells"), place));
        }
    };
    note("the namespace", (module.namespace.written.as_ref(), module.namespace.place));
    for config in configs {
        note("the application id", (config.id.written.as_ref(), config.id.place));
        note("the application id suffix", (config.id_suffix.written.as_ref(), config.id_suffix.place));
        note("the lowest level", (config.min_level.written.as_ref(), config.min_level.place));
        note("the target level", (config.target_level.written.as_ref(), config.target_level.place));
        for (name, value) in &config.placeholders {
            note(&format!("the placeholder {name}"), (value.written.as_ref(), value.place));
        }
        if let Some(place) = config.unknown_placeholders {
            let written = "a map that is computed".to_owned();
            note("what more is put into the manifest", (Some(&written), Some(place)));
        }
    }
    for (what, place) in unknown {
        loading.unresolved(what, place);
    }
}

/// Returns the folder of the app module: the usual one where it is one, else the nearest that is.
fn find_module(loading: &mut Loading<'_>) -> Option<PathBuf> {
    let root = loading.root.clone();
    let usual = root.join("android/app");
    if loading.files.is_file(&usual.join(MANIFEST)) {
        return Some(usual);
    }
    let files = loading.files;
    let mut modules: Vec<_> =
        folders(files, &root, DEPTH).into_iter().filter(|folder| builds_an_app(files, folder)).collect();
    if modules.len() > 1 {
        let names: Vec<_> = modules.iter().map(|module| loading.shown(module)).collect();
        loading.notice(format!("several Android app modules: {}; the first is looked at", names.join(", ")));
    }
    if modules.is_empty() && files.is_folder(&usual) {
        return Some(usual);
    }
    (!modules.is_empty()).then(|| modules.swap_remove(0))
}

/// Says whether the build file of a folder applies the plugin that builds an app.
pub(crate) fn builds_an_app(files: &dyn Files, folder: &Path) -> bool {
    let Some(path) = build_file(files, folder) else { return false };
    let Ok(text) = read_text(files, &path) else { return false };
    let applies = |line: &str| {
        let line = line.trim();
        let application = line.contains("com.android.application")
            || line.contains("plugins.android.application")
            || line.contains("plugins.androidApplication");
        application && !line.starts_with("//") && !line.contains("apply false")
    };
    text.lines().any(applies)
}

/// Finds the manifests of the plugins, in the order of the plugins, and of the modules of the same build.
pub(crate) fn libraries(loading: &mut Loading<'_>, app: &AndroidApp, plugins: &[Plugin]) -> Vec<LibraryManifest> {
    let files = loading.files;
    let native: Vec<_> = plugins
        .iter()
        .enumerate()
        .filter(|(_, plugin)| plugin.platforms.contains(&Platform::Android))
        .filter(|(_, plugin)| !plugin.is_out(Platform::Android))
        .filter_map(|(at, plugin)| Some((at, plugin, plugin.root.as_deref()?)))
        .collect();
    let read = |(at, plugin, root): (usize, &Plugin, &Path)| {
        let name = plugin.name.clone();
        // What was learnt of the package has it already.
        if let Some(known) = plugin.evidence.as_deref().and_then(|evidence| evidence.android.as_ref()) {
            let build = LibraryBuild {
                namespace: known.namespace.clone(),
                min_level: known.min_level,
                target_level: known.target_level,
                manifest: root.join(&known.manifest),
            };
            let known = Some((root.to_owned(), known.text.clone()));
            return Some(Wanted { known, ..wanted(build, name, Some(at), Vec::new()) });
        }
        let folder = library_folder(files, root)?;
        Some(wanted(gradle::read_alone(files, &folder), name, Some(at), Vec::new()))
    };
    let found = threads::map(native, threads::FEW_RECALLED, read);
    let mut libraries: Vec<_> = found.into_iter().flatten().collect();
    // The modules of the same build that the app's module depends on, directly or through each other.
    let mut open: Vec<(&Module, Vec<String>)> = app.modules.iter().take(1).map(|module| (module, Vec::new())).collect();
    let mut seen = vec![app.module.clone()];
    while let Some((module, configurations)) = open.pop() {
        for dependency in module.dependencies.iter().filter(|dependency| dependency.ships()) {
            let gradle::Source::Module(name) = &dependency.source else { continue };
            let Some(next) = app.modules.iter().find(|module| module.name == *name) else { continue };
            if seen.contains(&next.folder) {
                continue;
            }
            seen.push(next.folder.clone());
            let configurations = match configurations.is_empty() {
                true => vec![dependency.configuration.clone()],
                false => configurations.clone(),
            };
            if next.kind == ModuleKind::Library {
                let plugin = plugins.iter().position(|plugin| plugin.name == next.name);
                libraries.push(wanted(next.library(), next.name.clone(), plugin, configurations.clone()));
            }
            open.push((next, configurations));
        }
    }
    read_manifests(loading, libraries)
}

/// A library whose manifest is still to be read.
struct Wanted {
    library: Library,
    namespace: Option<String>,
    configurations: Vec<String>,
    path: PathBuf,
    /// The folder of the package and the text of the manifest, where that is known; nothing in its place where there is none.
    known: Option<(PathBuf, Option<String>)>,
}

fn wanted(build: LibraryBuild, name: String, plugin: Option<usize>, configurations: Vec<String>) -> Wanted {
    let library = Library {
        name,
        plugin,
        min_level: build.min_level,
        target_level: build.target_level,
        // What a package's files leave open, its build sets: nothing is made up for it.
        levels_unknown: true,
    };
    Wanted { library, namespace: build.namespace, configurations, path: build.manifest, known: None }
}

/// Reads the manifests of libraries. One that cannot be read is told and left out.
fn read_manifests(loading: &mut Loading<'_>, wanted: Vec<Wanted>) -> Vec<LibraryManifest> {
    let files = loading.files;
    // Without a manifest of its own, a library gets an empty one.
    let read = |mut one: Wanted| {
        let text = match one.known.as_mut().map(|(_, text)| text.take()) {
            Some(text) => Ok(text?),
            None if files.is_file(&one.path) => read_text(files, &one.path).map_err(|error| error.message()),
            None => return None,
        };
        let document = text.and_then(|text| Document::parse(text).map_err(|error| error.to_string()));
        Some((one, document))
    };
    let mut manifests = Vec::new();
    for (one, document) in threads::map(wanted, threads::FEW_RECALLED, read).into_iter().flatten() {
        match document {
            Ok(document) => {
                let root = document.root();
                let package = || root.attribute_written("package").map(|package| root.value_of(package).into_owned());
                let namespace = one.namespace.or_else(package);
                let text = document.shared_text();
                let file = match &one.known {
                    Some((folder, _)) => loading.add_of_package(folder, &one.path, text),
                    None => loading.add(&one.path, text),
                };
                let Wanted { library, configurations, .. } = one;
                manifests.push(LibraryManifest {
                    library,
                    file,
                    document: Arc::new(document),
                    namespace,
                    configurations,
                });
            }
            Err(message) => {
                let shown = loading.shown(&one.path);
                loading.notice(format!(
                    "{shown}: {message}; what {} merges into the manifest is not known",
                    one.library.name
                ));
            }
        }
    }
    manifests
}
