//! The layouts `gradle` and `xcode`: apps that are written for one platform, with that platform's own dependency managers.

use std::path::{Path, PathBuf};

use elvask_markup::Span;
use elvask_markup::openstep::Value;
use elvask_platform::Platform;
use elvask_project::files::{FileKind, Files, normal};
use elvask_project::gradle::{Build, Source, build_file};
use elvask_project::loading::Loading;
use elvask_project::source::{FileId, Place};
use serde::Deserialize;

use super::{Package, android, ios};
use crate::yaml::Yaml;

/// Finds what the app's module depends on: artifacts by `group:name`, modules of the same build by `:module`.
/// The build is kept for the search for the app's module.
pub(crate) fn gradle_packages(loading: &mut Loading<'_>, kept: &mut Option<(PathBuf, Build)>) -> Vec<Package> {
    let Some((folder, build)) = android::app_build(loading) else { return Vec::new() };
    let packages = build_packages(loading, &build);
    *kept = Some((folder, build));
    packages
}

fn build_packages(loading: &mut Loading<'_>, build: &Build) -> Vec<Package> {
    let mut packages: Vec<Package> = Vec::new();
    let Some(app) = build.modules.first() else { return packages };
    let mut open = vec![app];
    let mut seen: Vec<&Path> = vec![&app.folder];
    while let Some(module) = open.pop() {
        for dependency in module.dependencies.iter().filter(|one| one.ships()) {
            let package = match &dependency.source {
                Source::Artifact { group, name, version } => Package {
                    name: format!("{group}:{name}"),
                    version: version.clone(),
                    root: None,
                    platforms: vec![Platform::Android],
                    dependency: Some(dependency.place),
                    ..Package::default()
                },
                Source::Module(name) => {
                    let next = build.module(name).filter(|next| build_file(loading.files, &next.folder).is_some());
                    if let Some(next) = next.filter(|next| !seen.contains(&next.folder.as_path())) {
                        seen.push(&next.folder);
                        open.push(next);
                    }
                    Package {
                        name: name.clone(),
                        version: None,
                        root: next.map(|next| next.folder.clone()),
                        platforms: vec![Platform::Android],
                        dependency: Some(dependency.place),
                        ..Package::default()
                    }
                }
                Source::Unknown(written) => {
                    loading.unresolved(
                        format!("the dependency {written} is not known: only running the build tells"),
                        dependency.place,
                    );
                    continue;
                }
            };
            if !packages.iter().any(|known| known.name == package.name) {
                packages.push(package);
            }
        }
    }
    packages
}

/// Finds the pods and Swift packages of the app, from the files in which their managers write down what they fetched.
pub(crate) fn xcode_packages(loading: &mut Loading<'_>) -> Vec<Package> {
    let root = loading.root.clone();
    let mut packages = Vec::new();
    let projects = ios::find_projects(loading);
    let mut folders: Vec<PathBuf> =
        projects.iter().filter_map(|project| project.parent().map(Path::to_owned)).collect();
    folders.insert(0, root);
    folders.dedup();
    for folder in &folders {
        let path = folder.join("Podfile.lock");
        if loading.files.is_file(&path) {
            pods(loading, &path, folder, &mut packages);
            break;
        }
    }
    if let Some(path) = resolved_file(loading.files, &folders, &projects) {
        swift_packages(loading, &path, &folders, &mut packages);
    }
    for project in &projects {
        local_packages(loading, project, &mut packages);
    }
    packages
}

fn pods(loading: &mut Loading<'_>, path: &Path, folder: &Path, packages: &mut Vec<Package>) {
    let shown = loading.shown(path);
    let Some((file, text)) = loading.read(path, &shown) else { return };
    let lock = match Yaml::parse(&text) {
        Ok(lock) => lock,
        Err(error) => return loading.unreadable(&shown, &error.message, Place { file, span: error.span }),
    };
    let outside = |name: &str| {
        let source = lock.get("EXTERNAL SOURCES")?.get(name)?;
        Some(source.get(":path")?.as_str()?.to_owned())
    };
    let direct: Vec<&str> =
        lock.get("DEPENDENCIES").map(Yaml::items).unwrap_or_default().iter().filter_map(|item| item.as_str()).collect();
    let named = |dependency: &str| dependency.split([' ', '/', '(']).next().unwrap_or_default().to_owned();
    for item in lock.get("PODS").map(Yaml::items).unwrap_or_default() {
        let entry = item.as_str().map(str::to_owned).or_else(|| Some(item.entries().first()?.0.to_string()));
        let Some(entry) = entry else { continue };
        let (name, version) = entry
            .split_once(" (")
            .map_or((entry.as_str(), None), |(name, rest)| (name, Some(rest.trim_end_matches(')').to_owned())));
        let name = name.split('/').next().unwrap_or(name).to_owned();
        if packages.iter().any(|known| known.name == name) {
            continue;
        }
        let inside = folder.join("Pods").join(&name);
        let local = outside(&name).map(|path| normal(&folder.join(path)));
        let root = local.or(Some(inside)).filter(|root| loading.files.is_folder(root));
        let dependency =
            direct.iter().any(|one| named(one) == name).then(|| place_of(file, &text, "DEPENDENCIES:", &name));
        packages.push(Package {
            name,
            version,
            root,
            platforms: vec![Platform::Ios],
            dependency,
            ..Package::default()
        });
    }
}

/// Returns where a list of the file names a pod.
fn place_of(file: FileId, text: &str, section: &str, name: &str) -> Place {
    let from = text.find(section).unwrap_or_default();
    let rest = text.get(from..).unwrap_or_default();
    let at =
        rest.find(&format!("- {name}")).or_else(|| rest.find(&format!("- \"{name}"))).map_or(from, |at| from + at + 2);
    Place { file, span: Span::new(at, (at + name.len()).min(text.len())) }
}

#[derive(Deserialize)]
struct Resolved {
    #[serde(default)]
    pins: Vec<Pin>,
    object: Option<OldResolved>,
}

#[derive(Deserialize)]
struct OldResolved {
    #[serde(default)]
    pins: Vec<Pin>,
}

#[derive(Deserialize)]
struct Pin {
    identity: Option<String>,
    package: Option<String>,
    #[serde(alias = "repositoryURL")]
    location: Option<String>,
    state: Option<State>,
}

#[derive(Deserialize)]
struct State {
    version: Option<String>,
    branch: Option<String>,
}

/// Returns the file in which the package manager writes down what it resolved.
fn resolved_file(files: &dyn Files, folders: &[PathBuf], projects: &[PathBuf]) -> Option<PathBuf> {
    let mut candidates = Vec::new();
    for folder in folders {
        let names = files
            .list(folder)
            .into_iter()
            .filter(|(name, kind)| *kind == FileKind::Folder && name.ends_with(".xcworkspace"));
        candidates.extend(names.map(|(name, _)| folder.join(name).join("xcshareddata/swiftpm/Package.resolved")));
    }
    candidates.extend(
        projects.iter().map(|project| project.join("project.xcworkspace/xcshareddata/swiftpm/Package.resolved")),
    );
    candidates.extend(folders.iter().map(|folder| folder.join("Package.resolved")));
    candidates.into_iter().find(|path| files.is_file(path))
}

fn swift_packages(loading: &mut Loading<'_>, path: &Path, folders: &[PathBuf], packages: &mut Vec<Package>) {
    let shown = loading.shown(path);
    let Some((file, text)) = loading.read(path, &shown) else { return };
    let resolved: Resolved = match serde_json::from_str(&text) {
        Ok(resolved) => resolved,
        Err(error) => return loading.bad_json(&shown, file, &error),
    };
    for pin in resolved.pins.into_iter().chain(resolved.object.into_iter().flat_map(|object| object.pins)) {
        let last = pin.location.as_deref().and_then(|location| location.trim_end_matches('/').rsplit('/').next());
        let checkout = last.map(|last| last.trim_end_matches(".git").to_owned());
        let Some(name) = pin.identity.or_else(|| checkout.as_ref().map(|name| name.to_lowercase())).or(pin.package)
        else {
            continue;
        };
        let at = text.find(&format!("\"{}\"", pin.location.as_deref().unwrap_or(&name))).unwrap_or_default();
        let places = ["SourcePackages/checkouts", ".build/checkouts", "build/SourcePackages/checkouts"];
        let root = folders.iter().flat_map(|folder| places.map(|place| folder.join(place))).find_map(|folder| {
            let path = folder.join(checkout.as_ref()?);
            loading.files.is_folder(&path).then_some(path)
        });
        let version = pin.state.and_then(|state| state.version.or(state.branch));
        let dependency = Some(Place { file, span: Span::at(at) });
        packages.push(Package {
            name,
            version,
            root,
            platforms: vec![Platform::Ios],
            dependency,
            ..Package::default()
        });
    }
}

/// Finds the packages that lie beside the project and are named by their path.
fn local_packages(loading: &mut Loading<'_>, bundle: &Path, packages: &mut Vec<Package>) {
    let path = bundle.join("project.pbxproj");
    let Ok(text) = elvask_project::source::read_text(loading.files, &path) else { return };
    if !text.contains("XCLocalSwiftPackageReference") {
        return;
    }
    let Ok(tree) = elvask_markup::openstep::parse(&text) else { return };
    let folder = bundle.parent().unwrap_or(bundle);
    let mut found = Vec::new();
    for (_, object) in tree.get("objects").and_then(Value::as_dict).unwrap_or_default() {
        if object.get("isa").and_then(Value::as_str) == Some("XCLocalSwiftPackageReference")
            && let Some(path) = object.get("relativePath").or_else(|| object.get("path"))
            && let Some(relative) = path.as_str()
        {
            let root = normal(&folder.join(relative));
            let name = root.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
            found.push((name, root, path.span));
        }
    }
    if found.is_empty() {
        return;
    }
    let file = loading.add(&path, text);
    for (name, root, span) in found {
        let root = Some(root).filter(|root| loading.files.is_folder(root));
        let dependency = Some(Place { file, span });
        packages.push(Package {
            name,
            version: None,
            root,
            platforms: vec![Platform::Ios],
            dependency,
            ..Package::default()
        });
    }
}
/// Returns the package of one platform in a folder in which something is named that only packages have. Its folder names it.
pub(crate) fn alone(
    files: &dyn Files,
    folder: &Path,
    platform: Platform,
    described: impl Fn(&(String, FileKind)) -> bool,
) -> Option<Package> {
    let (described, _) = files.list(folder).into_iter().find(|entry| described(entry))?;
    let own = described.strip_suffix(".podspec").map(str::to_owned);
    let name = own.unwrap_or(folder.file_name()?.to_string_lossy().into_owned());
    Some(Package { name, root: Some(folder.to_owned()), platforms: vec![platform], ..Package::default() })
}
