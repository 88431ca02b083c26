//! The layout `widget`: a hybrid app's `config.xml`.
//!
//! Source: "Packaged Web Apps (Widgets) - Packaging and XML Configuration" of the W3C.

use std::path::{Path, PathBuf};

use elvask_markup::Span;
use elvask_markup::plist::PropertyList;
use elvask_markup::xml::{Document, Element};
use elvask_needs::generated::Made;
use elvask_needs::generated::widget::{identity, preference};
use elvask_needs::kinds::Spot;
use elvask_platform::{Platform, Version};
use elvask_project::appfiles::{
    AndroidApp, Generated, GeneratedFrom, IosApp, Said, Variable, Widget, WidgetDeclaration,
};
use elvask_project::files::{FileKind, Files};
use elvask_project::gradle::Stated;
use elvask_project::layout::{Home, Layout};
use elvask_project::loading::Loading;
use elvask_project::names::ANDROID;
use elvask_project::source::{FileId, Place, read_text};

use super::Package;
use super::layouts::{LayoutSpec, Search, Sides};
use super::made::{self, Stands};
use crate::app::Plugin;

/// See the module.
pub(crate) struct WidgetLayout;

impl LayoutSpec for WidgetLayout {
    fn layout(&self) -> Layout {
        Layout::Widget
    }

    fn alone(&self, loading: &mut Loading<'_>, folder: &Path) -> Option<Package> {
        read_plugin(loading, folder).map(|(package, _)| package)
    }

    fn is_at(&self, files: &dyn Files, root: &Path) -> bool {
        is_widget(files, root)
    }

    fn packages(&self, loading: &mut Loading<'_>, _search: &mut Search<'_>) -> Vec<Package> {
        packages(loading)
    }

    fn sides(&self, loading: &mut Loading<'_>, plugins: &[Plugin], found: Sides) -> Sides {
        let Some(widget) = read(loading) else { return found };
        let made = sides(loading, &widget, plugins, (found.android.as_ref(), found.ios.as_ref()));
        Sides { widget: Some(widget), ..made.unwrap_or(found) }
    }

    fn home(&self, spot: Spot, _platform: Platform) -> Home {
        let at = match spot {
            Spot::Permissions | Spot::Manifest => "config-file for AndroidManifest.xml, parent /manifest",
            Spot::Application => "config-file for AndroidManifest.xml, parent /manifest/application",
            Spot::Activity => "config-file for AndroidManifest.xml, parent the activity",
            Spot::Attributes => "edit-config for AndroidManifest.xml",
            Spot::Levels => "preference android-minSdkVersion, deployment-target and their like",
            Spot::PropertyList | Spot::UrlTypes => "config-file for *-Info.plist, parent the key",
            Spot::Domains | Spot::Entitlements => "config-file for both files of entitlements, parent the key",
            Spot::Identity => "the attributes of widget",
            Spot::Files => "resource-file",
            Spot::Gradle => return Home::Steps("a framework of a plugin: the build's own files are regenerated"),
            Spot::Resources => {
                return Home::Steps("a resource-file of a plugin: the project's own folder is regenerated");
            }
            Spot::BuildSettings => return Home::Steps("a hook of the app: the Xcode project is regenerated"),
            Spot::PrivacyManifest => {
                return Home::Steps("the privacy manifest of a plugin, or of the app by resource-file");
            }
        };
        Home::Entry { file: "config.xml", at }
    }
}

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
    let document = match Document::parse_lenient(text) {
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

/// A plugin as the app states it.
#[derive(Debug, Clone)]
struct Named {
    name: String,
    place: Place,
    variables: Vec<(String, String)>,
    /// Whether `config.xml` states it, and not the section of `package.json`.
    in_config: bool,
}

/// The section of `package.json` that the layout's own tool keeps: the platforms, and the plugins with their variables.
struct Section {
    platforms: Vec<String>,
    plugins: Vec<Named>,
}

/// Finds the plugins of the app, each once: those that `config.xml` and `package.json` state, those that a tool has put into
/// `plugins/`, and the dependencies that hold a `plugin.xml`.
pub(crate) fn packages(loading: &mut Loading<'_>) -> Vec<Package> {
    let root = loading.root.clone();
    let named = named_plugins(loading);
    let mut packages: Vec<Package> = Vec::new();
    let mut folders = inside(loading.files, &root.join("plugins"));
    let modules = root.join("node_modules");
    folders.extend(named.iter().map(|one| modules.join(&one.name)));
    folders.extend(dependencies(loading).into_iter().map(|name| modules.join(name)));
    for path in folders {
        let Some((plugin, _)) = read_plugin(loading, &path) else { continue };
        if packages.iter().any(|known| known.name == plugin.name) {
            continue;
        }
        let dependency = named.iter().find(|known| known.name == plugin.name).map(|known| known.place);
        packages.push(Package { dependency, ..plugin });
    }
    for one in named {
        if !packages.iter().any(|known| known.name == one.name) {
            packages.push(Package { name: one.name, dependency: Some(one.place), ..Package::default() });
        }
    }
    packages
}

/// Returns the folders of packages in a folder; one with a scope lies a level deeper.
fn inside(files: &dyn Files, folder: &Path) -> Vec<PathBuf> {
    let all = files.list(folder).into_iter().filter(|(_, kind)| *kind == FileKind::Folder);
    all.flat_map(|(name, _)| {
        let path = folder.join(&name);
        match name.starts_with('@') {
            true => files.list(&path).into_iter().map(|(name, _)| path.join(name)).collect(),
            false => vec![path],
        }
    })
    .collect()
}

/// Returns the names of all dependencies of `package.json`, those for development too.
fn dependencies(loading: &Loading<'_>) -> Vec<String> {
    let Some(json) = package_json(loading) else { return Vec::new() };
    let lists = ["dependencies", "devDependencies"].into_iter().filter_map(|key| json.get(key)?.as_object());
    lists.flat_map(|list| list.keys().cloned()).collect()
}

fn package_json(loading: &Loading<'_>) -> Option<serde_json::Value> {
    let text = read_text(loading.files, &loading.root.join("package.json")).ok()?;
    serde_json::from_str(&text).ok()
}

/// Reads the `plugin.xml` of a folder: the package, and the defaults of its variables.
fn read_plugin(loading: &mut Loading<'_>, path: &Path) -> Option<(Package, Vec<(String, String)>)> {
    let file = path.join("plugin.xml");
    let text = read_text(loading.files, &file).ok()?;
    let Ok(document) = Document::parse_lenient(text) else {
        let shown = loading.shown(&file);
        loading.notice(format!("{shown}: it cannot be read; what this plugin needs is not known"));
        return None;
    };
    let plugin = document.root();
    let attribute = |element: Element<'_>, name: &str| {
        element.attribute_written(name).map(|name| element.value_of(name).into_owned())
    };
    let platforms =
        plugin.children_named("platform").filter_map(|platform| match attribute(platform, "name")?.as_str() {
            "android" => Some(Platform::Android),
            "ios" => Some(Platform::Ios),
            _ => None,
        });
    let preferences =
        plugin.children().chain(plugin.children_named("platform").flat_map(elvask_markup::xml::Element::children));
    let defaults = preferences
        .filter(|one| local(*one) == "preference")
        .filter_map(|one| Some((attribute(one, "name")?, attribute(one, "default").unwrap_or_default())));
    let package = Package {
        name: attribute(plugin, "id")?,
        version: attribute(plugin, "version"),
        platforms: platforms.collect(),
        root: Some(path.to_owned()),
        ..Package::default()
    };
    Some((package, defaults.collect()))
}

/// Returns the plugins that `config.xml` and the section of `package.json` state, each once; what the section says goes first.
fn named_plugins(loading: &mut Loading<'_>) -> Vec<Named> {
    let mut named = section(loading).map(|section| section.plugins).unwrap_or_default();
    let path = loading.root.join(FILE);
    let Ok(text) = read_text(loading.files, &path) else { return named };
    let Ok(document) = Document::parse_lenient(text.clone()) else { return named };
    let file = loading.add(&path, text);
    for plugin in document.root().children().filter(|child| local(*child) == "plugin") {
        let Some(attribute) = plugin.attribute_written("name").or_else(|| plugin.attribute_written("id")) else {
            continue;
        };
        let (name, place) = (plugin.value_of(attribute).into_owned(), Place { file, span: attribute.value });
        let variables = plugin.children().filter(|child| local(*child) == "variable").filter_map(|child| {
            let of = |name: &str| child.attribute_written(name).map(|name| child.value_of(name).into_owned());
            Some((of("name")?, of("value")?))
        });
        if !named.iter().any(|known| known.name == name) {
            named.push(Named { name, place, variables: variables.collect(), in_config: true });
        }
    }
    named
}

/// Returns the section of `package.json`: the object that holds both platforms and plugins.
fn section(loading: &mut Loading<'_>) -> Option<Section> {
    let json = package_json(loading)?;
    let fits = |value: &&serde_json::Value| {
        value.get("plugins").is_some_and(serde_json::Value::is_object)
            || value.get("platforms").is_some_and(serde_json::Value::is_array) && value.get("plugins").is_none()
    };
    let section = json.as_object()?.values().find(fits)?;
    let path = loading.root.join("package.json");
    let text = read_text(loading.files, &path).ok()?;
    let file = loading.add(&path, text.clone());
    let plugins = section.get("plugins").and_then(serde_json::Value::as_object);
    let plugins = plugins.into_iter().flatten().map(|(name, variables)| {
        let at = text.rfind(&format!("\"{name}\"")).map_or(0, |at| at + 1);
        let variables = variables.as_object().into_iter().flatten();
        let text = |value: &serde_json::Value| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
        Named {
            name: name.clone(),
            place: Place { file, span: Span::new(at, at + name.len()) },
            variables: variables.map(|(key, value)| (key.clone(), text(value))).collect(),
            in_config: false,
        }
    });
    let platforms = section.get("platforms").and_then(serde_json::Value::as_array);
    let platforms = platforms.into_iter().flatten().filter_map(|one| one.as_str().map(str::to_owned));
    Some(Section { platforms: platforms.collect(), plugins: plugins.collect() })
}

/// Makes both sides of `config.xml`. What has been prepared already is compared with them: its levels stand in where the document
/// states none, and what it lacks is told.
pub(crate) fn sides(
    loading: &mut Loading<'_>,
    widget: &Widget,
    plugins: &[Plugin],
    prepared: (Option<&AndroidApp>, Option<&IosApp>),
) -> Option<Sides> {
    let root = loading.root.clone();
    let named = named_plugins(loading);
    let section = section(loading);
    let mut from = Vec::new();
    for plugin in plugins {
        let Some(folder) = &plugin.root else { continue };
        let Some((_, defaults)) = read_plugin(loading, folder) else { continue };
        let path = folder.join("plugin.xml");
        let Ok(text) = read_text(loading.files, &path) else { continue };
        let given = named.iter().find(|known| known.name == plugin.name);
        let variable =
            |name: &str, value: String, given: bool| Variable { reference: format!("${name}"), value, given };
        let said =
            given.iter().flat_map(|given| given.variables.iter().map(|(name, value)| (name, value, given.in_config)));
        let mut variables: Vec<_> =
            said.map(|(name, value, in_config)| variable(name, value.clone(), in_config)).collect();
        let id = widget.id.as_ref().map(|id| id.text.clone()).unwrap_or_default();
        for (name, value) in defaults.into_iter().chain([("PACKAGE_NAME".to_owned(), id)]) {
            let one = variable(&name, value, false);
            if !variables.iter().any(|known| known.reference == one.reference) {
                variables.push(one);
            }
        }
        // The longest name first, so that none is taken for the start of another one.
        variables.sort_by_key(|one| std::cmp::Reverse(one.reference.len()));
        from.push(GeneratedFrom { name: plugin.name.clone(), file: loading.add(&path, text), variables });
    }
    let folders = ["android", "ios"].map(|name| (name, loading.files.is_folder(&root.join("platforms").join(name))));
    let mut wanted: Vec<&str> = widget.platforms.iter().map(|platform| platform.id()).collect();
    wanted.extend(section.iter().flat_map(|section| &section.platforms).map(String::as_str));
    wanted.extend(folders.iter().filter(|(_, there)| *there).map(|(name, _)| *name));
    // Where no platform is named, the app may be prepared for either.
    let has = |name: &str| !wanted.iter().any(|known| matches!(*known, "android" | "ios")) || wanted.contains(&name);
    let mut generated = Generated {
        layout: Layout::Widget,
        source: widget.file,
        manifest: None,
        plist: None,
        entitlements: None,
        plugins: from,
        name: made::stated(widget.file, name(loading.text(widget.file))),
        folders: folders.iter().filter(|(_, there)| *there).map(|(name, _)| format!("platforms/{name}")).collect(),
    };
    let made = made::take_in(loading, &mut generated, (has("android"), has("ios")))?;
    let stands = stands(loading, widget, prepared);
    let android = made::android(loading, &generated, &stands, plugins);
    let ios = made::ios(loading, &generated, &stands);
    compare(loading, &made, prepared);
    let unknown = [
        (android.is_some() && stands.min_level.value.is_none(), "the lowest level of Android"),
        (ios.is_some() && stands.min_version.value.is_none(), "the lowest version of iOS"),
    ];
    for (_, what) in unknown.iter().filter(|(unknown, _)| *unknown) {
        let place = Place { file: widget.file, span: Span::at(0) };
        loading.unresolved.push(elvask_project::loading::Unresolved {
            what: format!(
                "{what} is not stated: the default of the tools applies, which is not known before a platform is prepared"
            ),
            place,
        });
    }
    Some(Sides { generated: Some(generated), android, ios, widget: None })
}

/// Returns the name of the app, with its place.
fn name(text: &str) -> Option<(String, Span)> {
    let document = Document::parse_lenient(text.to_owned()).ok()?;
    let name = document.root().child("name").filter(|name| name.children().next().is_none())?;
    let text = name.text().trim().to_owned();
    (!text.is_empty()).then(|| (text, name.content()))
}

/// Reads who the app is and what it runs on.
fn stands(loading: &Loading<'_>, widget: &Widget, prepared: (Option<&AndroidApp>, Option<&IosApp>)) -> Stands {
    let file = widget.file;
    let Ok(document) = Document::parse_lenient(loading.text(file).to_owned()) else { return Stands::default() };
    let root = document.root();
    let of = |platform, name: &str| preference(root, platform, name);
    let number = |found: Option<(String, Span)>| found.and_then(|(text, span)| Some((text.trim().parse().ok()?, span)));
    // A level that only the prepared project states is stated nowhere that a person would change.
    let or = |stated: Stated<u32>, prepared: Option<u32>| match stated.value {
        Some(_) => stated,
        None => Stated { value: prepared, place: Some(Place { file, span: root.open() }), written: None },
    };
    let min = made::stated(file, number(of(Platform::Android, "android-minSdkVersion")));
    let target = made::stated(file, number(of(Platform::Android, "android-targetSdkVersion")));
    let version = of(Platform::Ios, "deployment-target").and_then(|(text, span)| Some((Version::parse(&text)?, span)));
    let mut min_version = made::stated(file, version);
    if min_version.value.is_none() {
        min_version.value = prepared.1.and_then(|ios| ios.min_version.value);
        min_version.place = Some(Place { file, span: root.open() });
    }
    Stands {
        android_id: made::stated(file, identity(root, &["android-packageName", "id"])),
        ios_id: made::stated(file, identity(root, &["ios-CFBundleIdentifier", "id"])),
        version: made::stated(file, identity(root, &["version"])),
        version_code: made::stated(file, number(identity(root, &["android-versionCode"]))),
        build: made::stated(file, identity(root, &["ios-CFBundleVersion", "version"])),
        min_level: or(min, prepared.0.and_then(|android| android.min_level.value)),
        target_level: or(target, prepared.0.and_then(|android| android.target_level.value)),
        min_version,
    }
}

/// Tells what prepared projects lack of what `config.xml` makes now.
fn compare(loading: &mut Loading<'_>, made: &Made, prepared: (Option<&AndroidApp>, Option<&IosApp>)) {
    let mut lacking: Vec<(String, String)> = Vec::new();
    if let Some(file) = prepared.0.and_then(|android| android.manifest) {
        let permissions = |text: &str| -> Vec<String> {
            let Ok(document) = Document::parse(text.to_owned()) else { return Vec::new() };
            let named = document.root().children_named("uses-permission");
            named.filter_map(|one| Some(one.value(ANDROID, "name")?.into_owned())).collect()
        };
        let there = permissions(loading.text(file));
        for name in permissions(made.manifest.text()).into_iter().filter(|name| !there.contains(name)) {
            lacking.push(("platforms/android".to_owned(), name));
        }
    }
    if let Some(file) = prepared.1.and_then(|ios| ios.plist) {
        let keys = |text: &str| -> Vec<String> {
            let Ok(list) = PropertyList::parse(text.to_owned()) else { return Vec::new() };
            list.entries().iter().map(|entry| entry.key.clone()).collect()
        };
        let there = keys(loading.text(file));
        for key in keys(made.plist.text()).into_iter().filter(|key| !there.contains(key)) {
            lacking.push(("platforms/ios".to_owned(), key));
        }
    }
    for folder in ["platforms/android", "platforms/ios"] {
        let names: Vec<_> = lacking.iter().filter(|(at, _)| at == folder).map(|(_, name)| name.as_str()).collect();
        if !names.is_empty() {
            loading.notice(format!(
                "{folder} was prepared before config.xml was what it is now, and lacks {}: prepare it again",
                names.join(", ")
            ));
        }
    }
}
