//! The layout `msbuild`: packages of the project file, from `obj/project.assets.json` or the package folder.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use elvask_markup::xml::Document;
use elvask_needs::kinds::Spot;
use elvask_platform::{Platform, Version};
use elvask_project::appfiles::{AndroidApp, EntitlementsFile, IosApp};
use elvask_project::files::{FileKind, Files, normal};
use elvask_project::gradle::{SourceSet, Stated, Variant};
use elvask_project::layout::{Home, Layout};
use elvask_project::loading::Loading;
use elvask_project::msbuild::{self, Project, declared_in_source, project_file, target_level};
use elvask_project::source::read_text;
use serde::Deserialize;

use super::Package;
use super::layouts::{LayoutSpec, Search, Sides, platform_home};
use crate::app::{Choice, Plugin};

/// See the module.
pub(crate) struct Msbuild;

impl LayoutSpec for Msbuild {
    fn layout(&self) -> Layout {
        Layout::Msbuild
    }

    fn alone(&self, loading: &mut Loading<'_>, folder: &Path) -> Option<Package> {
        let names = loading.files.list(folder);
        let (described, _) = names.iter().find(|(name, _)| name.to_lowercase().ends_with(".nuspec"))?;
        let document = Document::parse(read_text(loading.files, &folder.join(described)).ok()?).ok()?;
        let metadata = document.root().children_named("metadata").next()?;
        let text = |name: &str| Some(metadata.children_named(name).next()?.text().trim().to_owned());
        Some(Package {
            name: text("id")?,
            version: text("version"),
            root: Some(folder.to_owned()),
            platforms: platforms(loading.files, folder),
            ..Package::default()
        })
    }

    fn is_at(&self, files: &dyn Files, root: &Path) -> bool {
        elvask_project::msbuild::project_file(files, root).is_some()
    }

    fn packages(&self, loading: &mut Loading<'_>, search: &mut Search<'_>) -> Vec<Package> {
        packages(loading, search.choice)
    }

    fn has_own_sides(&self) -> bool {
        true
    }

    fn sides(&self, loading: &mut Loading<'_>, plugins: &[Plugin], found: Sides) -> Sides {
        Sides { android: android(loading, plugins), ios: ios(loading), ..found }
    }

    fn home(&self, spot: Spot, platform: Platform) -> Home {
        match spot {
            Spot::Levels => Home::Entry { file: "*.csproj", at: "SupportedOSPlatformVersion" },
            Spot::Identity => Home::Entry { file: "*.csproj", at: "ApplicationId and its like" },
            Spot::Gradle => Home::Steps("a package reference: the build runs no Gradle files"),
            Spot::BuildSettings => Home::Steps("a property of the .csproj: the build has no Xcode project"),
            other => platform_home(other, platform),
        }
    }
}

/// What the tools write down after they have fetched the packages.
const ASSETS: &str = "obj/project.assets.json";

#[derive(Deserialize)]
struct Assets {
    #[serde(default, rename = "packageFolders")]
    folders: BTreeMap<String, serde_json::Value>,
    #[serde(default)]
    libraries: BTreeMap<String, Library>,
}

#[derive(Deserialize)]
struct Library {
    #[serde(default, rename = "type")]
    kind: String,
    #[serde(default)]
    path: String,
}

/// Finds the packages of the app: those that its project file names, then those that they need.
pub(crate) fn packages(loading: &mut Loading<'_>, choice: &Choice) -> Vec<Package> {
    let Some(project) = project(loading) else { return Vec::new() };
    let frameworks: Vec<&str> = project
        .frameworks
        .iter()
        .map(String::as_str)
        .filter(|one| one.contains("-android") || one.contains("-ios"))
        .collect();
    let references = project.references(&frameworks);
    let assets = read_assets(loading, &project.folder.join(ASSETS));
    let mut folders: Vec<PathBuf> = assets.iter().flat_map(|assets| assets.folders.keys()).map(PathBuf::from).collect();
    folders.extend(msbuild::configured_packages(loading.files, &project.folder));
    folders.extend(choice.package_folder.clone());
    let find = |files: &dyn Files, path: &str| {
        folders.iter().map(|folder| normal(&folder.join(path))).find(|path| files.is_folder(path))
    };
    let mut packages = Vec::new();
    let mut missing = Vec::new();
    let installed = assets.map(|assets| assets.libraries).unwrap_or_default();
    let library = |name: &str| {
        installed.iter().find(|(key, one)| {
            one.kind == "package" && key.split('/').next().is_some_and(|own| own.eq_ignore_ascii_case(name))
        })
    };
    for reference in &references {
        let listed = library(&reference.name);
        let version = listed.and_then(|(key, _)| key.split_once('/')).map(|(_, version)| version.to_owned());
        let version =
            version.or_else(|| reference.version.clone().map(|version| version.trim_matches(['[', ']']).to_owned()));
        let path = listed.map(|(_, library)| library.path.clone());
        let path =
            path.or_else(|| Some(format!("{}/{}", reference.name.to_lowercase(), version.as_ref()?.to_lowercase())));
        let root = path.and_then(|path| find(loading.files, &path));
        if root.is_none() {
            missing.push(reference.name.as_str());
        }
        let platforms = root.as_ref().map(|root| platforms(loading.files, root)).unwrap_or_default();
        packages.push(Package {
            name: reference.name.clone(),
            version,
            root,
            platforms,
            dependency: Some(reference.place),
            ..Package::default()
        });
    }
    for (key, one) in installed.iter().filter(|(_, one)| one.kind == "package") {
        let Some((name, version)) = key.split_once('/') else { continue };
        if references.iter().any(|reference| reference.name.eq_ignore_ascii_case(name)) {
            continue;
        }
        let root = find(loading.files, &one.path);
        let platforms = root.as_ref().map(|root| platforms(loading.files, root)).unwrap_or_default();
        let (name, version) = (name.to_owned(), Some(version.to_owned()));
        packages.push(Package { name, version, root, platforms, dependency: None, ..Package::default() });
    }
    if !missing.is_empty() {
        loading.notice(format!(
            "not in a package folder, so not looked into: {}; run the tools' `restore` first",
            missing.join(", ")
        ));
    }
    packages
}

fn read_assets(loading: &mut Loading<'_>, path: &Path) -> Option<Assets> {
    if !loading.files.is_file(path) {
        return None;
    }
    let shown = loading.shown(path);
    let (file, text) = loading.read(path, &shown)?;
    match serde_json::from_str(text.trim_start_matches('\u{FEFF}')) {
        Ok(assets) => Some(assets),
        Err(error) => {
            loading.bad_json(&shown, file, &error);
            None
        }
    }
}

/// Returns the platforms that a package has code for, as its folders tell.
fn platforms(files: &dyn Files, root: &Path) -> Vec<Platform> {
    let folders = ["lib", "build", "buildTransitive", "runtimes"].map(|name| files.list(&root.join(name))).concat();
    let has = |words: &[&str]| {
        folders.iter().any(|(name, kind)| {
            *kind == FileKind::Folder && words.iter().any(|word| name.to_lowercase().contains(word))
        })
    };
    let mut platforms = Vec::new();
    if has(&["-android", "monoandroid"]) {
        platforms.push(Platform::Android);
    }
    if has(&["-ios"]) {
        platforms.push(Platform::Ios);
    }
    platforms
}

fn project(loading: &mut Loading<'_>) -> Option<Project> {
    let path = project_file(loading.files, &loading.root)?;
    Project::read(loading, &path)
}

/// Finds the Android side: the manifest of the platform's folder, and what the source declares.
pub(crate) fn android(loading: &mut Loading<'_>, plugins: &[Plugin]) -> Option<AndroidApp> {
    let project = project(loading)?;
    let framework = project.framework("android")?.to_owned();
    let properties = project.properties(&framework);
    let folder = project.folder.clone();
    let named = properties.get("AndroidManifest").value.map(|path| path.replace('\\', "/"));
    let usual = ["Platforms/Android/AndroidManifest.xml", "Properties/AndroidManifest.xml", "AndroidManifest.xml"];
    let manifest = named
        .map(|path| normal(&folder.join(path)))
        .or_else(|| usual.iter().map(|path| folder.join(path)).find(|path| loading.files.is_file(path)));
    let manifest_path = manifest.unwrap_or_else(|| folder.join("Platforms/Android/AndroidManifest.xml"));
    let number = |stated: Stated<String>| Stated {
        value: stated.value.as_deref().and_then(|text| text.split('.').next()?.trim().parse().ok()),
        place: stated.place,
        written: stated.written,
    };
    let frameworks = [properties.get("TargetFrameworks"), properties.get("TargetFramework")];
    let stated_at = frameworks.into_iter().find_map(|stated| stated.place);
    let variant = Variant {
        name: "release".to_owned(),
        build_type: "release".to_owned(),
        flavors: Vec::new(),
        id: properties.get("ApplicationId"),
        min_level: number(properties.get("SupportedOSPlatformVersion")),
        target_level: Stated { value: target_level(&framework), place: stated_at, written: None },
        version_name: properties.get("ApplicationDisplayVersion"),
        version_code: number(properties.get("ApplicationVersion")),
        placeholders: Vec::new(),
        more_placeholders: true,
        source_sets: vec![SourceSet { name: "main".to_owned(), manifest: manifest_path.clone() }],
    };
    note_unknown(loading, "the application id", &variant.id);
    note_unknown(loading, "the lowest level", &variant.min_level);
    let (in_source, activities) = declared_in_source(loading, &folder);
    let mut app = AndroidApp::of_one(folder, manifest_path, variant);
    (app.id, app.min_level, app.target_level) = (Stated::default(), Stated::default(), Stated::default());
    (app.in_source, app.activities) = (in_source, activities);
    Some(super::android::with_manifests(loading, app, plugins))
}

fn note_unknown<T>(loading: &mut Loading<'_>, what: &str, stated: &Stated<T>) {
    if let (None, Some(place), Some(written)) = (&stated.value, stated.place, &stated.written) {
        loading.unresolved(format!("{what} is {written}, which only running the build tells"), place);
    }
}

/// Finds the iOS side: the property list and entitlements of the platform's folder.
pub(crate) fn ios(loading: &mut Loading<'_>) -> Option<IosApp> {
    let project = project(loading)?;
    let framework = project.framework("ios")?.to_owned();
    let properties = project.properties(&framework);
    let folder = project.folder.clone();
    let usual = |names: [&str; 2]| names.iter().map(|path| folder.join(path)).find(|path| loading.files.is_file(path));
    let plist_path =
        usual(["Platforms/iOS/Info.plist", "Info.plist"]).unwrap_or_else(|| folder.join("Platforms/iOS/Info.plist"));
    let entitlements = properties.get("CodesignEntitlements");
    let named = entitlements.value.clone().map(|path| normal(&folder.join(path.replace('\\', "/"))));
    let entitlements_path = named.or_else(|| usual(["Platforms/iOS/Entitlements.plist", "Entitlements.plist"]));
    let min = properties.get("SupportedOSPlatformVersion");
    let id = properties.get("ApplicationId");
    note_unknown(loading, "the bundle id", &id);
    let shown = loading.shown(&plist_path);
    let plist = loading.read(&plist_path, &shown).map(|(file, _)| file);
    let file = entitlements_path.as_ref().filter(|path| loading.files.is_file(path)).cloned().and_then(|path| {
        let shown = loading.shown(&path);
        loading.read(&path, &shown).map(|(file, _)| file)
    });
    let one = EntitlementsFile {
        configuration: "Release".to_owned(),
        path: entitlements_path,
        file,
        place: entitlements.place,
    };
    let privacy = folder.join("Platforms/iOS/PrivacyInfo.xcprivacy");
    let privacy = if loading.files.is_file(&privacy) {
        let shown = loading.shown(&privacy);
        loading.read(&privacy, &shown).map(|(file, _)| file).into_iter().collect()
    } else {
        Vec::new()
    };
    Some(IosApp {
        configuration: "Release".to_owned(),
        plist_path,
        plist,
        id,
        version: properties.get("ApplicationDisplayVersion"),
        build: properties.get("ApplicationVersion"),
        min_version: Stated {
            value: min.value.as_deref().and_then(Version::parse),
            place: min.place,
            written: min.written,
        },
        entitlements: vec![one],
        privacy,
        ..IosApp::default()
    })
}
