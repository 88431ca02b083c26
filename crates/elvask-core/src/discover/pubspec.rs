//! The layout `pubspec`: packages from `.dart_tool/package_config.json`, versions from `pubspec.lock`.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use elvask_platform::Platform;
use elvask_project::files::{Files, normal};
use elvask_project::layout::Layout;
use elvask_project::loading::Loading;
use elvask_project::source::{Place, read_text};
use elvask_project::threads;
use serde::Deserialize;

use super::layouts::{LayoutSpec, Search};
use super::{Found, Package, is_app_with_sides, read_packages};
use crate::yaml::Yaml;

/// The key under which a package says that it is a plugin; the pod that the tools of the layout bring along has the same name.
pub(crate) const TOOLS: &str = "flutter";

/// See the module.
pub(crate) struct Pubspec;

impl LayoutSpec for Pubspec {
    fn layout(&self) -> Layout {
        Layout::Pubspec
    }

    fn alone(&self, loading: &mut Loading<'_>, folder: &Path) -> Option<Package> {
        let text = read_text(loading.files, &folder.join("pubspec.yaml")).ok()?;
        let name = Yaml::parse(&text).ok()?.get("name").and_then(Yaml::as_str)?.to_owned();
        let roots = BTreeMap::from([(name.clone(), folder.to_owned())]);
        let found = read_package(loading.files, name, &roots, &BTreeMap::new());
        Some(Package { brings: found.dependencies.into_iter().collect(), ..found.package })
    }

    fn is_at(&self, files: &dyn Files, root: &Path) -> bool {
        files.is_file(&root.join("pubspec.yaml"))
    }

    fn packages(&self, loading: &mut Loading<'_>, _search: &mut Search<'_>) -> Vec<Package> {
        packages(loading)
    }

    fn is_app(&self, files: &dyn Files, folder: &Path) -> bool {
        is_app_with_sides(files, folder)
    }
}

/// Where the tools write which package lies where.
const PACKAGE_CONFIG: &str = ".dart_tool/package_config.json";

#[derive(Deserialize)]
struct PackageConfig {
    packages: Vec<PackageEntry>,
}

#[derive(Deserialize)]
struct PackageEntry {
    name: String,
    #[serde(rename = "rootUri")]
    root_uri: String,
}

/// Finds the packages of the app, those first that its own file names.
pub(crate) fn packages(loading: &mut Loading<'_>) -> Vec<Package> {
    let root = loading.root.clone();
    let Some((file, text)) = loading.read(&root.join("pubspec.yaml"), "pubspec.yaml") else { return Vec::new() };
    let pubspec = match Yaml::parse(&text) {
        Ok(pubspec) => pubspec,
        Err(error) => {
            loading.unreadable("pubspec.yaml", &error.message, Place { file, span: error.span });
            return Vec::new();
        }
    };
    let direct: Vec<_> = pubspec
        .get("dependencies")
        .map(Yaml::entries)
        .unwrap_or_default()
        .iter()
        .filter(|(_, _, value)| value.get("sdk").is_none())
        .map(|(name, span, _)| (name.to_string(), Place { file, span: *span }))
        .collect();
    let roots = package_roots(loading);
    let versions = locked_versions(loading);
    if roots.is_none() && !direct.is_empty() {
        loading.notice(format!(
            "{PACKAGE_CONFIG} is not there, so no package can be looked into; run the package manager's `get` first"
        ));
    }
    let roots = roots.unwrap_or_default();
    let mut wanted: Vec<String> = direct.iter().map(|(name, _)| name.clone()).collect();
    let mut seen: BTreeSet<String> = wanted.iter().cloned().collect();
    let mut packages = Vec::new();
    while !wanted.is_empty() {
        let level = read_packages(loading, std::mem::take(&mut wanted), threads::FEW, |files, name| {
            read_package(files, name, &roots, &versions)
        });
        for found in level {
            let mut package = found.package;
            package.dependency = direct.iter().find(|(name, _)| *name == package.name).map(|(_, place)| *place);
            wanted.extend(found.dependencies.into_iter().filter(|name| seen.insert(name.clone())));
            packages.push(package);
        }
    }
    packages
}

fn read_package(
    files: &dyn Files,
    name: String,
    roots: &BTreeMap<String, PathBuf>,
    versions: &BTreeMap<String, String>,
) -> Found<String> {
    let root = roots.get(&name).cloned();
    let version = versions.get(&name).cloned();
    let mut found = Found {
        package: Package {
            name,
            version,
            root: root.clone(),
            platforms: Vec::new(),
            dependency: None,
            ..Package::default()
        },
        dependencies: Vec::new(),
        broken: None,
    };
    let Some(root) = root else { return found };
    let path = root.join("pubspec.yaml");
    let text = match read_text(files, &path) {
        Ok(text) => text,
        Err(error) => {
            found.broken = Some((path, error.message()));
            return found;
        }
    };
    match Yaml::parse(&text) {
        Ok(pubspec) => {
            if let Some(version) = pubspec.get("version").and_then(Yaml::as_str) {
                found.package.version = Some(version.to_owned());
            }
            found.package.platforms = native_platforms(&pubspec);
            let dependencies = pubspec.get("dependencies").map(Yaml::entries).unwrap_or_default();
            let packages = dependencies.iter().filter(|(_, _, value)| value.get("sdk").is_none());
            found.dependencies = packages.map(|(name, _, _)| name.to_string()).collect();
        }
        Err(error) => found.broken = Some((path, error.message)),
    }
    found
}

/// Returns the platforms that a package's own file says it has native code for.
fn native_platforms(pubspec: &Yaml<'_>) -> Vec<Platform> {
    // The key is the format's own.
    let Some(plugin) = pubspec.get(TOOLS).and_then(|part| part.get("plugin")) else { return Vec::new() };
    let all = [("android", Platform::Android), ("ios", Platform::Ios)];
    match plugin.get("platforms") {
        Some(platforms) => {
            all.into_iter().filter(|(name, _)| platforms.get(name).is_some()).map(|(_, platform)| platform).collect()
        }
        // The older form names one class for both.
        None if plugin.get("pluginClass").is_some() => vec![Platform::Android, Platform::Ios],
        None => Vec::new(),
    }
}

/// Returns the folder of each package, from the app's own folder or, for an app in a workspace, from one above it.
fn package_roots(loading: &mut Loading<'_>) -> Option<BTreeMap<String, PathBuf>> {
    let root = loading.root.clone();
    let path = root.ancestors().map(|folder| folder.join(PACKAGE_CONFIG)).find(|path| loading.files.is_file(path))?;
    let shown = loading.shown(&path);
    let (file, text) = loading.read(&path, &shown)?;
    let config: PackageConfig = match serde_json::from_str(&text) {
        Ok(config) => config,
        Err(error) => {
            loading.bad_json(&shown, file, &error);
            return None;
        }
    };
    let folder = path.parent().unwrap_or(&root).to_owned();
    Some(
        config
            .packages
            .into_iter()
            .filter_map(|entry| Some((entry.name, resolve_uri(&folder, &entry.root_uri)?)))
            .collect(),
    )
}

/// Turns a root URI into a path: absolute with `file://`, else relative to the folder of the file that holds it.
fn resolve_uri(folder: &Path, uri: &str) -> Option<PathBuf> {
    let absolute = uri.strip_prefix("file://");
    let path = percent_decode(absolute.unwrap_or(uri))?;
    // A drive letter is written behind a slash: file:///C:/packages.
    let path = match path.strip_prefix('/') {
        Some(rest) if absolute.is_some() && rest.as_bytes().get(1) == Some(&b':') => rest.to_owned(),
        _ => path,
    };
    Some(normal(&folder.join(path)))
}

fn percent_decode(text: &str) -> Option<String> {
    if !text.contains('%') {
        return Some(text.to_owned());
    }
    let mut out = Vec::with_capacity(text.len());
    let mut bytes = text.bytes();
    while let Some(byte) = bytes.next() {
        if byte != b'%' {
            out.push(byte);
            continue;
        }
        let digits = [bytes.next()?, bytes.next()?];
        out.push(u8::from_str_radix(std::str::from_utf8(&digits).ok()?, 16).ok()?);
    }
    String::from_utf8(out).ok()
}

fn locked_versions(loading: &mut Loading<'_>) -> BTreeMap<String, String> {
    let root = loading.root.clone();
    let Some(path) =
        root.ancestors().map(|folder| folder.join("pubspec.lock")).find(|path| loading.files.is_file(path))
    else {
        return BTreeMap::new();
    };
    let shown = loading.shown(&path);
    let Some((file, text)) = loading.read(&path, &shown) else { return BTreeMap::new() };
    match Yaml::parse(&text) {
        Ok(lock) => lock
            .get("packages")
            .map(Yaml::entries)
            .unwrap_or_default()
            .iter()
            .filter_map(|(name, _, package)| Some((name.to_string(), package.get("version")?.as_str()?.to_owned())))
            .collect(),
        Err(error) => {
            loading.unreadable(&shown, &error.message, Place { file, span: error.span });
            BTreeMap::new()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn uris_lead_to_folders() {
        let resolve = |uri| resolve_uri(Path::new("/app/.dart_tool"), uri).unwrap();
        assert_eq!(resolve("../"), Path::new("/app"));
        assert_eq!(resolve("../packages/a%20b"), Path::new("/app/packages/a b"));
        assert_eq!(resolve("file:///home/me/cache/tern-2.1.0/"), Path::new("/home/me/cache/tern-2.1.0"));
        assert_eq!(resolve_uri(Path::new("/app"), "%zz"), None);
    }
}
