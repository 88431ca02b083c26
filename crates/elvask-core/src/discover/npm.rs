//! The layout `npm`: packages found in `node_modules` as the runtime finds them.

mod lists;
mod resolve;

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::Path;
use std::sync::Arc;

use elvask_markup::Span;
use elvask_platform::Platform;
use elvask_platform::hash::QuickSet;
use elvask_project::files::{FileKind, Files};
use elvask_project::layout::Layout;
use elvask_project::loading::Loading;
use elvask_project::source::{FileId, Place, read_text};
use elvask_project::threads;
use serde::Deserialize;
use serde::de::IgnoredAny;

use self::lists::{AllLists, Inside};
use self::resolve::{Resolver, Where};
use super::layouts::{LayoutSpec, Search};
use super::{Found, Package, is_app_with_sides, read_packages};

/// See the module.
pub(crate) struct Npm;

impl LayoutSpec for Npm {
    fn layout(&self) -> Layout {
        Layout::Npm
    }

    fn alone(&self, loading: &mut Loading<'_>, folder: &Path) -> Option<Package> {
        let own: PackageJson =
            serde_json::from_str(&read_text(loading.files, &folder.join("package.json")).ok()?).ok()?;
        let (name, version) = super::describe_package(loading.files, folder)?;
        Some(Package {
            name,
            version,
            root: Some(folder.to_owned()),
            platforms: native_platforms(loading.files, folder, &loading.files.list(folder)),
            peers: own.peers.into_keys().collect(),
            brings: own.dependencies.into_keys().collect(),
            ..Package::default()
        })
    }

    fn is_at(&self, files: &dyn Files, root: &Path) -> bool {
        files.is_file(&root.join("package.json"))
    }

    fn packages(&self, loading: &mut Loading<'_>, search: &mut Search<'_>) -> Vec<Package> {
        packages(loading, search)
    }

    fn is_app(&self, files: &dyn Files, folder: &Path) -> bool {
        is_app_with_sides(files, folder)
    }
}

/// The most packages that are looked at.
const MAX_PACKAGES: usize = 20_000;

#[derive(Deserialize, Default)]
struct PackageJson {
    version: Option<String>,
    #[serde(default)]
    dependencies: BTreeMap<String, IgnoredAny>,
    #[serde(default, rename = "optionalDependencies")]
    optional: BTreeMap<String, IgnoredAny>,
    #[serde(default, rename = "peerDependencies")]
    peers: BTreeMap<String, IgnoredAny>,
    #[serde(default, rename = "devDependencies")]
    development: BTreeMap<String, IgnoredAny>,
}

/// Finds the packages of the app, those first that its own file names. The linkers take what that file names, under whichever
/// heading; what only other packages name is linked where it brings settings for a linker that looks everywhere.
// In one piece: one walk over the lists of dependencies, which share what has been seen.
fn packages(loading: &mut Loading<'_>, search: &Search<'_>) -> Vec<Package> {
    let root = loading.root.clone();
    let Some((file, text)) = loading.read(&root.join("package.json"), "package.json") else { return Vec::new() };
    let own: PackageJson = match serde_json::from_str(text.trim_start_matches('\u{FEFF}')) {
        Ok(own) => own,
        Err(error) => {
            loading.bad_json("package.json", file, &error);
            return Vec::new();
        }
    };
    // In a hybrid app its own list of plugins counts.
    let hybrid = super::widget::is_widget(loading.files, &root);
    let named_at = Named::read(file, &text);
    let mut packages = Vec::new();
    let mut wanted = Vec::new();
    let mut missing = Vec::new();
    let named = own.dependencies.keys().chain(own.optional.keys());
    let beside = own.development.keys().chain(own.peers.keys());
    let mut names: Vec<&String> = named.chain(beside).collect();
    let mut known = BTreeSet::new();
    names.retain(|name| known.insert(*name));
    let files = loading.files;
    let lists = AllLists::recall(&root, search.choice.cache.as_deref(), search.recall);
    let known = |folder: &Path| lists.has(files, folder);
    let resolver = Resolver::new(files, &root, &known);
    let within: Vec<_> = resolver.inside(&root).into_iter().chain(resolver.above(&root).iter().cloned()).collect();
    let resolved = threads::map(names, threads::FEW_RECALLED, |name| (name, resolver.resolve(within.iter(), name)));
    for (name, folder) in resolved {
        match folder {
            Some(folder) => wanted.push((name.clone(), folder)),
            None if !own.dependencies.contains_key(name) => {}
            None => {
                let dependency = Some(named_at.place(name));
                let platforms = Vec::new();
                missing.push(name.as_str());
                packages.push(Package {
                    name: name.clone(),
                    version: None,
                    root: None,
                    platforms,
                    dependency,
                    ..Package::default()
                });
            }
        }
    }
    if !missing.is_empty() {
        loading.notice(format!(
            "not installed, so not looked into: {}; run the package manager's `install` first",
            missing.join(", ")
        ));
    }
    let direct: BTreeSet<String> = wanted.iter().map(|(name, _)| name.clone()).collect();
    // As they are written: all come from where they really are.
    let mut seen: QuickSet<Where> = wanted.iter().map(|(_, folder)| Arc::clone(folder)).collect();
    let mut listed: BTreeSet<String> = packages.iter().map(|package: &Package| package.name.clone()).collect();
    while !wanted.is_empty() && packages.len() < MAX_PACKAGES {
        let level = read_packages(loading, std::mem::take(&mut wanted), lists.few(), |files, (name, folder)| {
            read_package(files, &resolver, &lists, hybrid, name, &folder)
        });
        for found in level {
            let mut package = found.package;
            // A package of the same name deeper down is another version; the app's own line names the upper one.
            let first = direct.contains(&package.name) && !listed.contains(&package.name);
            package.dependency = first.then(|| named_at.place(&package.name));
            if first {
                package.unlinked = None;
            } else if direct.contains(&package.name) {
                let why = "it is another copy of a package that the app has, and the build links one";
                package.unlinked = Some(Cow::Borrowed(why));
            }
            let only_beside = first && !own.dependencies.contains_key(&package.name);
            // What only development needs brings in nothing that ships, unless it is linked itself.
            if only_beside && package.platforms.is_empty() {
                continue;
            }
            wanted.extend(found.dependencies.into_iter().filter(|(_, folder)| seen.insert(Arc::clone(folder))));
            listed.insert(package.name.clone());
            packages.push(package);
        }
    }
    lists.keep();
    let mut wanted_by: HashMap<&str, usize> = HashMap::new();
    for name in packages.iter().flat_map(|package| package.peers.iter()) {
        *wanted_by.entry(name).or_default() += 1;
    }
    let wanted_by: Vec<usize> =
        packages.iter().map(|package| wanted_by.get(package.name.as_str()).copied().unwrap_or(0)).collect();
    for (package, wanted_by) in packages.iter_mut().zip(wanted_by).filter(|(package, _)| !package.platforms.is_empty())
    {
        package.wanted_by = wanted_by;
    }
    packages
}

/// Reads a package as one that the app's own file does not name.
fn read_package(
    files: &dyn Files,
    resolver: &Resolver<'_>,
    lists: &AllLists<'_>,
    hybrid: bool,
    name: String,
    root: &Where,
) -> Found<(String, Where)> {
    let root = Path::new(root);
    let mut found = Found { package: Package { name, ..Package::default() }, dependencies: Vec::new(), broken: None };
    let package = &mut found.package;
    let put = |package: &mut Package, inside: &Inside| {
        if !(hybrid && inside.hybrid) {
            package.platforms.clone_from(&inside.platforms);
        }
        package.no_sheet = !inside.sheet;
        let why = "the app's package.json does not name it, so that the build does not link it";
        package.unlinked = (!inside.linker_settings).then_some(Cow::Borrowed(why));
    };
    match lists.read(files, root) {
        Ok(own) => {
            put(package, &own.inside);
            package.evidence = lists.take_evidence(root);
            package.version.clone_from(&own.version);
            package.peers.clone_from(&own.peers);
            package.brings.clone_from(&own.dependencies);
            let names = own.dependencies.iter().chain(own.optional.iter()).chain(own.peers.iter());
            let inside = if own.inside.packages { resolver.inside(root) } else { None };
            let above = resolver.above(root);
            let resolve = |name| resolver.resolve(inside.iter().chain(above.iter()), name);
            found.dependencies = names.filter_map(|name| Some((name.to_owned(), resolve(name)?))).collect();
        }
        Err(message) => {
            put(package, &Inside { platforms: Vec::new(), ..Inside::of(files, root) });
            found.broken = Some((root.join("package.json"), message));
        }
    }
    found.package.root = Some(root.to_owned());
    found
}

/// Returns the platforms that a package has native code for, as its folders tell; `names` are those in its own.
fn native_platforms(files: &dyn Files, root: &Path, names: &[(String, FileKind)]) -> Vec<Platform> {
    let folder = |wanted: &str| names.iter().any(|(name, kind)| name == wanted && *kind == FileKind::Folder);
    let mut platforms = Vec::new();
    let built = |file: &str| files.is_file(&root.join("android").join(file));
    if folder("android") && ["build.gradle", "build.gradle.kts", "src/main/AndroidManifest.xml"].into_iter().any(built)
    {
        platforms.push(Platform::Android);
    }
    // Scripts for one platform stand in such folders too, and are no native code.
    let is_script =
        |name: &str| [".js", ".ts", ".tsx", ".jsx", ".json", ".map"].iter().any(|ending| name.ends_with(ending));
    let native = || files.list(&root.join("ios")).iter().any(|(name, _)| !is_script(name));
    if (folder("ios") && native()) || names.iter().any(|(name, _)| name.ends_with(".podspec")) {
        platforms.push(Platform::Ios);
    }
    // Plugins of hybrid apps are taken by bridge apps too.
    let plugin = root.join("plugin.xml");
    if platforms.is_empty()
        && files.is_file(&plugin)
        && let Ok(text) = read_text(files, &plugin)
    {
        let has = |name: &str| text.contains(&format!("<platform name=\"{name}\""));
        let sides = [(Platform::Android, "android"), (Platform::Ios, "ios")];
        platforms.extend(sides.into_iter().filter(|(_, name)| has(name)).map(|(platform, _)| platform));
    }
    platforms
}

/// The tables of the app's file that name packages, the one that counts most first.
const TABLES: [&str; 4] =
    ["\"dependencies\"", "\"optionalDependencies\"", "\"devDependencies\"", "\"peerDependencies\""];

/// Where the app's file names its dependencies: the keys as they are written, quotes included.
struct Named<'t> {
    file: FileId,
    keys: HashMap<&'t str, Span>,
}

impl<'t> Named<'t> {
    fn read(file: FileId, text: &'t str) -> Self {
        let mut keys = HashMap::new();
        for table in TABLES {
            let Some(start) = text.find(table).map(|at| at + table.len()) else { continue };
            let end = text.get(start..).and_then(|rest| rest.find('}')).map_or(text.len(), |end| start + end);
            let mut at = start;
            while let Some(open) = text.get(at..end).and_then(|rest| rest.find('"')).map(|open| at + open) {
                let inside = text.get(open + 1..end).unwrap_or_default();
                let mut escaped = false;
                let close = inside.bytes().position(|byte| {
                    let ends = byte == b'"' && !escaped;
                    escaped = byte == b'\\' && !escaped;
                    ends
                });
                let Some(close) = close else { break };
                at = open + close + 2;
                let is_key = text.get(at..end).is_some_and(|rest| rest.trim_start().starts_with(':'));
                if let (true, Some(key)) = (is_key, text.get(open..at)) {
                    keys.entry(key).or_insert(Span::new(open, at));
                }
            }
        }
        Named { file, keys }
    }

    fn place(&self, name: &str) -> Place {
        let quoted = serde_json::to_string(name).unwrap_or_default();
        Place { file: self.file, span: self.keys.get(quoted.as_str()).copied().unwrap_or_default() }
    }
}

#[cfg(test)]
mod tests {
    use elvask_project::source::Sources;

    use super::*;

    #[test]
    fn a_dependency_is_found_where_it_is_a_key() {
        let text = r#"{ "name": "tern", "dependencies" : { "knot": "tern", "a\"b": "1", "@marram/tern": "2" },
  "devDependencies": { "tern": "3", "knot": "4" } }"#;
        let file = Sources::new(Path::new("/app")).add(Path::new("/app/package.json"), text);
        let named = Named::read(file, text);
        let at = |name: &str| named.place(name).span;
        assert_eq!(at("knot").start, text.find("\"knot\"").unwrap(), "the table that counts most");
        assert_eq!(at("tern").start, text.rfind("\"tern\"").unwrap(), "not where it is a value");
        assert_eq!(at("@marram/tern").of(text), "\"@marram/tern\"");
        assert_eq!(at("a\"b").of(text), "\"a\\\"b\"");
        assert!(at("plover").is_empty());
    }
}
