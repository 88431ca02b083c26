//! Finding the iOS app target in its Xcode project, and the files that it is built with.

mod texts;

use std::path::{Path, PathBuf};
use std::sync::Arc;

use elvask_platform::Version;
use elvask_project::appfiles::{EntitlementsFile, Extension, IosApp, LoadError};
use elvask_project::files::{FileKind, Files, normal};
use elvask_project::gradle::Stated;
use elvask_project::loading::Loading;
use elvask_project::source::{FileId, read_text};
use elvask_project::xcode::{ConfigFiles, Product, Project, Settings, Target};

use super::folders;
use crate::app::Choice;

/// How deep below the app's root its project may lie.
const DEPTH: usize = 4;

/// Finds the app target, and the property list and entitlements of the configuration that is judged.
pub(crate) fn find(loading: &mut Loading<'_>, choice: &Choice) -> Result<Option<IosApp>, LoadError> {
    let Some((project, target)) = find_target(loading, choice)? else {
        return Ok(without_project(loading));
    };
    let configuration = configuration(&target, choice)?;
    let mut files = ConfigFiles::default();
    for one in &target.configurations {
        if one.name == configuration {
            project.read_config_files(loading, &target, &one.name, &mut files);
        }
    }
    let settings = project.settings(&target, &configuration, &files);
    let mut app = IosApp {
        target: Some(target.name.clone()),
        configuration: configuration.clone(),
        language: project.language.clone(),
        id: stated(loading, &settings, "PRODUCT_BUNDLE_IDENTIFIER", "the bundle id"),
        version: stated(loading, &settings, "MARKETING_VERSION", "the version"),
        build: stated(loading, &settings, "CURRENT_PROJECT_VERSION", "the version of the build"),
        min_version: min_version(loading, &settings),
        ..IosApp::default()
    };
    let generates = settings.value("GENERATE_INFOPLIST_FILE").and_then(|value| value.value).as_deref() == Some("YES");
    let named = stated(loading, &settings, "INFOPLIST_FILE", "the path of Info.plist");
    let path = named.value.as_ref().filter(|path| !path.is_empty()).map(|path| normal(&project.folder.join(path)));
    let path = match path {
        Some(path) => Some(path),
        None if named.is_unknown() || !generates => search_plist(loading.files, &project.folder),
        None => None,
    };
    match path {
        Some(path) => {
            let shown = loading.shown(&path);
            app.plist = loading.read(&path, &shown).map(|(file, _)| file);
            app.plist_path = path;
        }
        None if generates => {
            app.generated = true;
            app.plist_path = loading.path(project.file).to_owned();
        }
        None => {
            let shown = loading.shown(loading.path(project.file));
            loading.notice(format!(
                "{shown}: target {}: no Info.plist was found for it; iOS is not looked at",
                target.name
            ));
            return Ok(None);
        }
    }
    app.entitlements = entitlements(loading, &project, &target, &configuration, &mut files);
    let resources = project.resources(loading.files, &target);
    app.texts = texts::read(loading, &resources);
    // What stands beside the property list is put into the app by scripts of the runtime, where the project does not do it.
    let beside = app.plist_path.with_file_name("PrivacyInfo.xcprivacy");
    let beside = Some(beside).filter(|path| !resources.privacy.contains(path) && loading.files.is_file(path));
    for path in resources.privacy.iter().chain(&beside) {
        let shown = loading.shown(path);
        let read = loading.read(path, &shown).map(|(file, _)| file);
        app.privacy.extend(read);
        app.privacy_unlisted = read.filter(|_| beside.as_ref() == Some(path));
    }
    let embedded: Vec<Target> = project.embedded(&target).into_iter().cloned().collect();
    for one in embedded {
        app.extensions.extend(extension(loading, &project, &one, &configuration, &mut files));
    }
    // Where no setting names one, a file of the target's name beside its property list is where Xcode would make it.
    if app.entitlements.iter().all(|one| one.path.is_none() && one.place.is_none()) && !app.generated {
        let folder = app.plist_path.parent().unwrap_or(&project.folder).to_owned();
        let path = folder.join(format!("{}.entitlements", target.name.replace(['/', '\\'], "_")));
        if !loading.files.is_file(&path) {
            app.entitlements_to_make = Some(loading.add_absent(&path));
        }
        app.entitlements_unwired = unwired(loading, &app, &folder);
    }
    app.config_files = Arc::new(files);
    app.project = Some(Arc::new(project));
    Ok(Some(app))
}

/// Reads the only entitlements file in a folder that no extension is signed with.
fn unwired(loading: &mut Loading<'_>, app: &IosApp, folder: &Path) -> Option<FileId> {
    let named: Vec<&PathBuf> =
        app.extensions.iter().flat_map(|one| &one.entitlements).filter_map(|one| one.path.as_ref()).collect();
    let files = loading
        .files
        .list(folder)
        .into_iter()
        .filter(|(name, kind)| *kind == FileKind::File && name.ends_with(".entitlements"));
    let mut idle = files.map(|(name, _)| folder.join(name)).filter(|path| !named.contains(&path));
    let (only, None) = (idle.next()?, idle.next()) else { return None };
    let shown = loading.shown(&only);
    loading.read(&only, &shown).map(|(file, _)| file)
}

/// Takes a property list that has no project beside it.
fn without_project(loading: &mut Loading<'_>) -> Option<IosApp> {
    let path = search_plist(loading.files, &loading.root.join("ios"))?;
    let shown = loading.shown(&path);
    let plist = loading.read(&path, &shown).map(|(file, _)| file);
    loading.notice(format!(
        "{shown}: there is no Xcode project beside it; the list is looked at, and what only a project says is not known"
    ));
    Some(IosApp { plist_path: path, plist, ..IosApp::default() })
}

/// Returns what a setting comes to; one that cannot be known is noted.
fn stated(loading: &mut Loading<'_>, settings: &Settings, name: &str, what: &str) -> Stated<String> {
    let Some(expanded) = settings.value(name) else { return Stated::default() };
    if let (Some(unknown), Some(place)) = (&expanded.unknown, expanded.place) {
        loading.unresolved(format!("{what} is not known: nothing that can be read sets {unknown}"), place);
    }
    let written = expanded.value.is_none().then(|| settings.strongest(name).map(|one| one.written.clone())).flatten();
    Stated { value: expanded.value, place: expanded.place, written }
}

fn min_version(loading: &mut Loading<'_>, settings: &Settings) -> Stated<Version> {
    let text = stated(loading, settings, "IPHONEOS_DEPLOYMENT_TARGET", "the lowest version");
    let value = text.value.as_deref().and_then(Version::parse);
    let written = text.written.or_else(|| text.value.filter(|_| value.is_none()));
    Stated { value, place: text.place, written }
}

fn entitlements(
    loading: &mut Loading<'_>,
    project: &Project,
    target: &Target,
    judged: &str,
    files: &mut ConfigFiles,
) -> Vec<EntitlementsFile> {
    let mut found: Vec<EntitlementsFile> = Vec::new();
    for configuration in &target.configurations {
        // Only what is judged is worth a complaint about a file that is missing.
        let settings = if configuration.name == judged {
            project.settings(target, &configuration.name, files)
        } else {
            let mut quiet = loading.quiet();
            project.read_config_files(&mut quiet, target, &configuration.name, files);
            loading.take_sources(quiet);
            project.settings(target, &configuration.name, files)
        };
        let expanded = settings.value("CODE_SIGN_ENTITLEMENTS");
        let place = expanded.as_ref().and_then(|expanded| expanded.place);
        if let Some(expanded) = &expanded
            && let (Some(unknown), Some(place), true) = (&expanded.unknown, place, configuration.name == judged)
        {
            loading.unresolved(
                format!("the entitlements file is not known: nothing that can be read sets {unknown}"),
                place,
            );
        }
        let path = expanded.and_then(|expanded| expanded.value).filter(|path| !path.is_empty());
        let path = path.map(|path| normal(&project.folder.join(path)));
        let known = found.iter().find(|one| one.path == path).and_then(|one| one.file);
        let file = known.or_else(|| {
            let path = path.as_ref().filter(|path| loading.files.is_file(path))?;
            let shown = loading.shown(path);
            loading.read(path, &shown).map(|(file, _)| file)
        });
        found.push(EntitlementsFile { configuration: configuration.name.clone(), path, file, place });
    }
    found
}

fn extension(
    loading: &mut Loading<'_>,
    project: &Project,
    target: &Target,
    configuration: &str,
    files: &mut ConfigFiles,
) -> Option<Extension> {
    let configuration = target.configuration(configuration).or(target.configurations.first())?.name.clone();
    project.read_config_files(loading, target, &configuration, files);
    let settings = project.settings(target, &configuration, files);
    let id = stated(loading, &settings, "PRODUCT_BUNDLE_IDENTIFIER", "the bundle id");
    let path = settings.value("INFOPLIST_FILE").and_then(|value| value.value).filter(|path| !path.is_empty());
    let path = path.map(|path| normal(&project.folder.join(path))).filter(|path| loading.files.is_file(path));
    let plist = path.and_then(|path| {
        let shown = loading.shown(&path);
        loading.read(&path, &shown).map(|(file, _)| file)
    });
    let entitlements = entitlements(loading, project, target, &configuration, files);
    Some(Extension { name: target.name.clone(), product: target.product, id, plist, entitlements })
}

/// Returns the configuration that is judged: the chosen one, `Release`, one that starts so, or the first.
fn configuration(target: &Target, choice: &Choice) -> Result<String, LoadError> {
    let names = || target.configurations.iter().map(|one| one.name.clone());
    match &choice.configuration {
        Some(name) => match names().find(|known| known == name) {
            Some(name) => Ok(name),
            None => Err(LoadError::NoConfiguration { name: name.clone(), known: names().collect() }),
        },
        None => {
            let usual =
                names().find(|name| name == "Release").or_else(|| names().find(|name| name.starts_with("Release")));
            Ok(usual.or_else(|| names().next()).unwrap_or_else(|| "Release".to_owned()))
        }
    }
}

/// Returns the project and its target: the chosen one, else the app target; of several projects the first with one.
fn find_target(loading: &mut Loading<'_>, choice: &Choice) -> Result<Option<(Project, Target)>, LoadError> {
    let mut bundles = find_projects(loading);
    let several = bundles.len() > 1;
    if several {
        let names: Vec<_> = bundles.iter().map(|project| loading.shown(project)).collect();
        loading
            .notice(format!("several Xcode projects: {}; the first with an app target is looked at", names.join(", ")));
    }
    let mut known = Vec::new();
    for bundle in bundles.drain(..) {
        let Some(project) = Project::read(loading, &bundle) else { continue };
        if let Some(name) = &choice.target {
            known.extend(project.targets.iter().map(|target| target.name.clone()));
            if let Some(target) = project.target_named(name).cloned() {
                return Ok(Some((project, target)));
            }
            continue;
        }
        let apps: Vec<Target> = app_targets(&project);
        if apps.len() > 1 {
            let names: Vec<_> = apps.iter().map(|target| target.name.as_str()).collect();
            loading.notice(format!(
                "several app targets: {}; the first is looked at, --target names another",
                names.join(", ")
            ));
        }
        if let Some(target) = apps.into_iter().next() {
            return Ok(Some((project, target)));
        }
    }
    match &choice.target {
        Some(name) => Err(LoadError::NoTarget { name: name.clone(), known }),
        None => Ok(None),
    }
}

/// Returns the targets that are built into an app for iOS.
fn app_targets(project: &Project) -> Vec<Target> {
    let apps = project.targets.iter().filter(|target| target.product == Product::App);
    let for_ios = |target: &&Target| {
        let files = ConfigFiles::default();
        let first = target.configurations.first().map(|one| one.name.clone()).unwrap_or_default();
        let settings = project.settings(target, &first, &files);
        let value = |name: &str| settings.value(name).and_then(|value| value.value);
        let platforms = value("SUPPORTED_PLATFORMS").filter(|platforms| !platforms.is_empty());
        match (platforms, value("SDKROOT").as_deref()) {
            (Some(platforms), _) => platforms.contains("iphoneos"),
            (None, Some(sdk)) => !["macosx", "appletvos", "watchos", "xros"].iter().any(|other| sdk.starts_with(other)),
            (None, None) => true,
        }
    };
    apps.filter(for_ios).cloned().collect()
}

/// Returns the projects: those under `ios/`, else those that are nearest.
pub(crate) fn find_projects(loading: &mut Loading<'_>) -> Vec<PathBuf> {
    let files = loading.files;
    let root = loading.root.clone();
    let projects = projects_in(files, &root.join("ios"));
    if !projects.is_empty() {
        return projects;
    }
    folders(files, &root, DEPTH).iter().flat_map(|folder| projects_in(files, folder)).collect()
}

/// Returns the projects directly in a folder.
pub(crate) fn projects_in(files: &dyn Files, folder: &Path) -> Vec<PathBuf> {
    let names = files.list(folder).into_iter().map(|(name, _)| name);
    let project = |name: &String| name.ends_with(".xcodeproj") && name != "Pods.xcodeproj";
    names
        .filter(project)
        .map(|name| folder.join(name))
        .filter(|path| files.is_file(&path.join("project.pbxproj")))
        .collect()
}

/// Looks for the `Info.plist` of an app below a folder, where no project names one.
fn search_plist(files: &dyn Files, folder: &Path) -> Option<PathBuf> {
    let candidates = folders(files, folder, 3).into_iter().flat_map(|folder| {
        let names = files.list(&folder);
        let plist = |name: &str| name == "Info.plist" || name.ends_with("-Info.plist");
        let found = names.into_iter().filter(|(name, kind)| *kind == FileKind::File && plist(name));
        found.map(|(name, _)| folder.join(name)).collect::<Vec<_>>()
    });
    let mut candidates: Vec<_> = candidates.collect();
    candidates.retain(|path| {
        let text = read_text(files, path).unwrap_or_default();
        text.contains("LSRequiresIPhoneOS") && !text.contains("NSExtension")
    });
    candidates.into_iter().next()
}
