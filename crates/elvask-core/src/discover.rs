//! Finding an app: its root, its packages, its Android module and its iOS target.

pub(crate) mod android;
pub(crate) mod appjson;
pub(crate) mod gradle;
pub(crate) mod ios;
pub(crate) mod layouts;
pub(crate) mod made;
pub(crate) mod msbuild;
pub(crate) mod native;
pub(crate) mod npm;
pub(crate) mod pubspec;
pub(crate) mod resources;
pub mod widget;
pub(crate) mod xcode;

use std::borrow::Cow;
use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use elvask_needs::evidence::Evidence;
use elvask_needs::kinds;
use elvask_platform::List;
use elvask_platform::{Kind, Platform};
use elvask_project::files::{FileKind, Files};
use elvask_project::layout::{FILE_NAME, Home, Layout};
use elvask_project::loading::Loading;
use elvask_project::namelist::NameList;
use elvask_project::source::Place;
use elvask_project::threads;

/// Returns the layouts of the folder at `root`. Those of one platform count only where there is no other.
pub(crate) fn layouts_at(files: &dyn Files, root: &Path) -> Vec<Layout> {
    layouts::at(files, root).into_iter().map(layouts::LayoutSpec::layout).collect()
}

/// A package that the app depends on, directly or through others.
#[derive(Debug, Clone, Default)]
pub(crate) struct Package {
    /// The name by which the dependency file knows it.
    pub(crate) name: String,
    /// The installed version.
    pub(crate) version: Option<String>,
    /// Its folder; `None` where it is listed and not installed.
    pub(crate) root: Option<PathBuf>,
    /// The platforms that it has native code for.
    pub(crate) platforms: Vec<Platform>,
    /// Where the app's dependency file names it.
    pub(crate) dependency: Option<Place>,
    /// The packages that it wants beside it.
    pub(crate) peers: NameList,
    /// The packages that it brings along.
    pub(crate) brings: NameList,
    /// How many packages want it beside them, those without native code among them.
    pub(crate) wanted_by: usize,
    /// Why the app's build does not link it, where it does not.
    pub(crate) unlinked: Option<Cow<'static, str>>,
    /// It is known to bring no sheet.
    pub(crate) no_sheet: bool,
    /// What its files showed, where that was recalled with what it lists.
    pub(crate) evidence: Option<Arc<Evidence>>,
}

/// What was read of one package: the package, what it depends on, and what was wrong with its file.
pub(crate) struct Found<D> {
    pub(crate) package: Package,
    pub(crate) dependencies: Vec<D>,
    pub(crate) broken: Option<(PathBuf, String)>,
}

/// Reads packages, on several threads where there are `few` or more. What is wrong with one of them is told and does not keep the
/// others from being read.
pub(crate) fn read_packages<W: Send, D: Send>(
    loading: &mut Loading<'_>,
    wanted: Vec<W>,
    few: usize,
    read: impl Fn(&dyn Files, W) -> Found<D> + Sync,
) -> Vec<Found<D>> {
    let files = loading.files;
    let found = threads::map(wanted, few, |one| read(files, one));
    for (path, message) in found.iter().filter_map(|found| found.broken.as_ref()) {
        loading.notice(format!("{}: {message}; what this package needs is not known", loading.shown(path)));
    }
    found
}

/// The most folders that are gone through.
const MAX_FOLDERS: usize = 20_000;

/// Returns the folders below `root`, and that itself, nearest first, at most `depth` deep.
pub(crate) fn folders(files: &dyn Files, root: &Path, depth: usize) -> Vec<PathBuf> {
    let mut found = Vec::new();
    each_folder(files, root, depth, |folder| {
        found.push(folder.to_owned());
        true
    });
    found
}

/// Goes through the folders below `root`, and that itself, nearest first, at most `depth` deep. What is in a folder is gone through where
/// `enters` says so.
fn each_folder(files: &dyn Files, root: &Path, depth: usize, mut enters: impl FnMut(&Path) -> bool) {
    let mut level = vec![root.to_owned()];
    let mut seen = 1_usize;
    for left in (0..=depth).rev() {
        let mut next = Vec::new();
        let mut listed = 0;
        for folder in level {
            if !enters(&folder) || left == 0 || listed + seen >= MAX_FOLDERS {
                continue;
            }
            listed += 1;
            for (name, kind) in files.list(&folder) {
                if kind == FileKind::Folder && !name.starts_with('.') && !List::FolderNotSearched.has(&name) {
                    next.push(folder.join(name));
                }
            }
        }
        seen += next.len();
        level = next;
    }
}

/// The folders of one platform inside an app of several.
const PLATFORM_FOLDERS: [&str; 2] = ["android", "ios"];

/// Returns the root of the app that `start` lies in: the nearest folder upwards that has a dependency file and a platform
/// folder or an `elvask.toml`, else the nearest that has a dependency file. The Gradle build or the Xcode project of an app for
/// several platforms is not an app of its own.
#[must_use]
pub fn find_root(files: &dyn Files, start: &Path) -> Option<PathBuf> {
    let whole = |folder: &Path, layouts: &[Layout]| {
        files.is_file(&folder.join(FILE_NAME))
            || layouts.iter().any(|layout| {
                layout.is_native() || matches!(layout, Layout::Msbuild | Layout::Widget | Layout::AppJson)
            })
            || PLATFORM_FOLDERS.iter().any(|name| files.is_folder(&folder.join(name)))
    };
    // What may be a part of something is held against all that is above it.
    let may_be_part = |folder: &Path, layouts: &[Layout]| {
        layouts.iter().any(|layout| layout.is_native()) && !files.is_file(&folder.join(FILE_NAME))
    };
    let mut listed: Vec<(&Path, Vec<Layout>)> = Vec::new();
    let mut found = None;
    for folder in start.ancestors() {
        let layouts = layouts_at(files, folder);
        if layouts.is_empty() {
            continue;
        }
        if found.is_none() && whole(folder, &layouts) {
            found = Some(listed.len());
            if !may_be_part(folder, &layouts) {
                return Some(find_app_in(files, folder));
            }
        }
        listed.push((folder, layouts));
    }
    let (nearest, layouts) = listed.get(found.unwrap_or(0))?;
    if may_be_part(nearest, layouts) {
        let around = listed.iter().find(|(folder, layouts)| {
            let inside = nearest.strip_prefix(folder).ok().and_then(|inside| inside.components().next());
            let inside = inside.and_then(|part| part.as_os_str().to_str());
            let shared = layouts.iter().any(|layout| !layout.is_native());
            shared && inside.is_some_and(|name| PLATFORM_FOLDERS.contains(&name) || name == "platforms")
        });
        // The module of a Gradle build, likewise, is looked at as part of the build.
        let build = listed.iter().find(|(folder, _)| {
            folder != nearest
                && nearest.starts_with(folder)
                && elvask_project::gradle::settings_file(files, folder).is_some()
        });
        if let Some((folder, _)) = around.or(build) {
            return Some((*folder).to_owned());
        }
    }
    Some(find_app_in(files, nearest))
}

/// How deep below a library or a workspace its app is looked for.
const APP_DEPTH: usize = 3;

/// Returns the app of a folder: the folder itself, or the one below it where the folder is a library with an example app inside
/// or a workspace around one app.
#[must_use]
pub fn find_app_in(files: &dyn Files, folder: &Path) -> PathBuf {
    let shared = |folder: &Path| {
        let layouts = layouts_at(files, folder);
        !layouts.is_empty() && layouts.iter().all(|layout| matches!(layout, Layout::Npm | Layout::Pubspec))
    };
    if !shared(folder) || files.is_file(&folder.join(FILE_NAME)) || has_app(files, folder) {
        return folder.to_owned();
    }
    let below = folders(files, folder, APP_DEPTH).into_iter().filter(|inside| inside != folder);
    let apps: Vec<_> = below.filter(|inside| shared(inside) && has_app(files, inside)).collect();
    let example = |app: &&PathBuf| {
        app.file_name().is_some_and(|name| name.to_string_lossy().to_lowercase().starts_with("example"))
    };
    match apps.as_slice() {
        [only] => only.clone(),
        several => several.iter().find(example).cloned().unwrap_or_else(|| folder.to_owned()),
    }
}

/// Says whether a folder holds the platforms' side of an app, and not of a library.
fn has_app(files: &dyn Files, folder: &Path) -> bool {
    let android = folder.join("android");
    let module = files.is_file(&android.join("app/src/main/AndroidManifest.xml"))
        || files
            .list(&android)
            .into_iter()
            .any(|(name, kind)| kind == FileKind::Folder && android::builds_an_app(files, &android.join(name)));
    let target = || {
        [folder.join("ios"), folder.join("ios/App")].iter().flat_map(|place| ios::projects_in(files, place)).any(
            |project| {
                let text = elvask_project::source::read_text(files, &project.join("project.pbxproj"));
                text.is_ok_and(|text| text.contains("com.apple.product-type.application\""))
            },
        )
    };
    module || target()
}

/// How deep below a folder apps are looked for.
const APPS_DEPTH: usize = 6;

/// Returns the roots of all apps in a folder: the folder itself where it is one app, else every app below it. Of a Gradle build
/// with several app modules, each module is an app.
#[must_use]
pub fn find_apps(files: &dyn Files, start: &Path) -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> = Vec::new();
    let mut modules: HashSet<PathBuf> = HashSet::new();
    // What is in an app is a part of it.
    each_folder(files, start, APPS_DEPTH, |folder| {
        if modules.contains(folder) {
            return false;
        }
        let layouts = layouts_at(files, folder);
        if layouts.iter().any(|layout| layouts::spec(*layout).is_app(files, folder)) {
            found.push(folder.to_owned());
            return false;
        }
        if !layouts.contains(&Layout::Gradle) {
            return true;
        }
        let mut of_build = folders(files, folder, APPS_DEPTH);
        of_build.retain(|inside| android::builds_an_app(files, inside));
        match of_build.as_slice() {
            [] => true,
            [_] => {
                found.push(folder.to_owned());
                false
            }
            _ => {
                found.extend_from_slice(&of_build);
                modules.extend(of_build);
                // The uppermost folder of the build may be a module itself.
                !modules.contains(folder)
            }
        }
    });
    found
}

/// Returns the name and version that a package in a folder states, where it states a name.
#[must_use]
pub fn describe_package(files: &dyn Files, root: &Path) -> Option<(String, Option<String>)> {
    let read = |name: &str| elvask_project::source::read_text(files, &root.join(name)).ok();
    if let Some(json) = read("package.json").and_then(|text| serde_json::from_str::<serde_json::Value>(&text).ok()) {
        let get = |key: &str| json.get(key).and_then(serde_json::Value::as_str).map(str::to_owned);
        return Some((get("name")?, get("version")));
    }
    let text = read("pubspec.yaml")?;
    let pubspec = crate::yaml::Yaml::parse(&text).ok()?;
    let get = |key: &str| pubspec.get(key).and_then(crate::yaml::Yaml::as_str).map(str::to_owned);
    Some((get("name")?, get("version")))
}

/// Says whether a folder with a dependency file that libraries have as well is an app: it has a platform's side, or is set up.
pub(crate) fn is_app_with_sides(files: &dyn Files, folder: &Path) -> bool {
    files.is_file(&folder.join(FILE_NAME))
        || PLATFORM_FOLDERS.iter().any(|name| files.is_folder(&folder.join(name)))
            && find_app_in(files, folder) == folder
}

/// Returns where an app of a layout states a declaration of a kind on a platform.
#[must_use]
pub fn home_of(layout: Layout, kind: Kind, platform: Platform) -> Home {
    layouts::spec(layout).home(kinds::spec(kind).about().spot, platform)
}
