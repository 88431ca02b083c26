//! The layout `appjson`: a project whose platform folders are generated from one JSON file.
//!
//! The file is `app.json`, or a script such as `app.config.js` that hands out the same object: of a script only what stands in it
//! literally is read.

use std::path::Path;

use elvask_markup::Span;
use elvask_needs::generated::appjson::{Description, literal};
use elvask_needs::kinds::Spot;
use elvask_platform::{Platform, Version};
use elvask_project::appfiles::Generated;
use elvask_project::files::Files;
use elvask_project::layout::{Home, Layout};
use elvask_project::loading::{Loading, Unresolved};
use elvask_project::source::{Place, read_text};

use super::Package;
use super::layouts::{LayoutSpec, Search, Sides};
use super::made::{self, Stands};
use crate::app::Plugin;

/// See the module.
pub(crate) struct AppJson;

impl LayoutSpec for AppJson {
    fn layout(&self) -> Layout {
        Layout::AppJson
    }

    fn is_at(&self, files: &dyn Files, root: &Path) -> bool {
        is_described(files, root)
    }

    fn packages(&self, _loading: &mut Loading<'_>, _search: &mut Search<'_>) -> Vec<Package> {
        Vec::new()
    }

    fn sides(&self, loading: &mut Loading<'_>, plugins: &[Plugin], found: Sides) -> Sides {
        let made = sides(loading, plugins, (found.android.is_some(), found.ios.is_some()));
        made.unwrap_or(found)
    }

    fn home(&self, spot: Spot, platform: Platform) -> Home {
        let none = "a script that plugins lists: the description has no field for it";
        let at = match spot {
            Spot::Permissions => "android.permissions",
            Spot::Activity => "android.intentFilters, or scheme",
            Spot::UrlTypes => "scheme",
            Spot::PropertyList => "ios.infoPlist",
            Spot::Domains => "ios.associatedDomains",
            Spot::Entitlements => "ios.entitlements",
            Spot::Identity => "android.package, ios.bundleIdentifier, version and their like",
            Spot::PrivacyManifest => "ios.privacyManifests",
            Spot::Levels if platform == Platform::Ios => "ios.deploymentTarget",
            Spot::Levels => return Home::Steps("the options of the script that sets the build's properties"),
            Spot::Manifest
            | Spot::Application
            | Spot::Attributes
            | Spot::Gradle
            | Spot::Resources
            | Spot::BuildSettings
            | Spot::Files => return Home::Steps(none),
        };
        Home::Entry { file: "app.json", at }
    }
}

/// The file.
const FILE: &str = "app.json";

/// The scripts that may stand in its place or beside it.
const SCRIPTS: [&str; 5] = ["app.config.ts", "app.config.js", "app.config.mjs", "app.config.cjs", "app.config.json"];

/// Says whether a folder holds the description of an app.
pub(crate) fn is_described(files: &dyn Files, root: &Path) -> bool {
    let json = root.join(FILE);
    if files.is_file(&json) && read_text(files, &json).is_ok_and(|text| Description::read(&text).is_some()) {
        return true;
    }
    // A script is one where the app is built that way, and not of a kind of its own.
    let script = SCRIPTS.iter().find(|name| files.is_file(&root.join(name)));
    let script = script.and_then(|name| read_text(files, &root.join(name)).ok());
    script.is_some_and(|text| {
        ["bundleIdentifier", "slug", "intentFilters", "infoPlist"].iter().any(|word| text.contains(word))
    })
}

/// Which packages the description lists among its scripts, and the keys that each is told to leave out.
pub(crate) struct Listed(Vec<(String, Vec<String>)>);

impl Listed {
    /// Returns the keys that a package is told to leave out; `None` for one that is not listed.
    pub(crate) fn scripted(&self, name: &str) -> Option<Vec<String>> {
        self.0.iter().find(|(known, _)| known == name).map(|(_, without)| without.clone())
    }
}

/// Reads which packages the description lists, where there is one.
pub(crate) fn described(files: &dyn Files, root: &Path) -> Option<Listed> {
    let text = read_text(files, &root.join(FILE)).ok()?;
    let description = Description::read(&text)?;
    let without: Vec<String> = description
        .purposes()
        .into_iter()
        .filter(|(_, said, _)| said.is_none())
        .map(|(key, ..)| key.to_owned())
        .collect();
    let listed = description.plugins().into_iter().map(|(name, _)| (name.to_owned(), without.clone()));
    Some(Listed(listed.collect()))
}

/// Says whether a folder is one that version control does not keep.
fn is_ignored(files: &dyn Files, root: &Path, name: &str) -> bool {
    let Ok(text) = read_text(files, &root.join(".gitignore")) else { return false };
    text.lines().any(|line| line.trim().trim_start_matches('/').trim_end_matches(['/', '*']) == name)
}

/// Makes both sides of the description, where the platform folders are absent or made anew each time; `None` where the folders
/// themselves are what is kept and built.
pub(crate) fn sides(loading: &mut Loading<'_>, plugins: &[Plugin], there: (bool, bool)) -> Option<Sides> {
    let root = loading.root.clone();
    let folders: Vec<&str> = [("android", there.0), ("ios", there.1)]
        .into_iter()
        .filter(|(_, there)| *there)
        .map(|(name, _)| name)
        .collect();
    let kept: Vec<&str> = folders.iter().copied().filter(|name| !is_ignored(loading.files, &root, name)).collect();
    let path = root.join(FILE);
    if !kept.is_empty() {
        loading.notice(format!(
            "{} kept beside {FILE}, so that it is what is built and looked at; what {FILE} says has no effect until it is generated again",
            kept.iter().map(|name| format!("{name}/ is")).collect::<Vec<_>>().join(" and ")
        ));
        return None;
    }
    let script = SCRIPTS.iter().find(|name| loading.files.is_file(&root.join(name)));
    if let Some(script) = script {
        let (file, _) = loading.read(&root.join(script), script)?;
        let place = Place { file, span: Span::at(0) };
        let what = format!("{script} is a script: what it changes of the app is known only when it is run");
        loading.unresolved.push(Unresolved { what, place });
        if !loading.files.is_file(&path) {
            let text = literal(script, loading.text(file))?.into_owned();
            return of_text(loading, file, &text, plugins, &folders);
        }
    }
    let (file, text) = loading.read(&path, FILE)?;
    of_text(loading, file, &text, plugins, &folders)
}

fn of_text(
    loading: &mut Loading<'_>,
    file: elvask_project::source::FileId,
    text: &str,
    plugins: &[Plugin],
    folders: &[&str],
) -> Option<Sides> {
    let description = Description::read(text)?;
    let mut generated = Generated {
        layout: Layout::AppJson,
        source: file,
        manifest: None,
        plist: None,
        entitlements: None,
        plugins: Vec::new(),
        name: made::stated(file, description.text(&[&["name"]])),
        folders: folders.iter().map(|name| (*name).to_owned()).collect(),
    };
    let number = |found: Option<(String, Span)>| found.and_then(|(text, span)| Some((text.parse::<u32>().ok()?, span)));
    let version =
        description.text(&[&["ios", "deploymentTarget"]]).or_else(|| description.option("ios", "deploymentTarget"));
    let stands = Stands {
        android_id: made::stated(file, description.text(&[&["android", "package"]])),
        ios_id: made::stated(file, description.text(&[&["ios", "bundleIdentifier"]])),
        version: made::stated(file, description.text(&[&["version"]])),
        version_code: made::stated(file, number(description.text(&[&["android", "versionCode"]]))),
        build: made::stated(file, description.text(&[&["ios", "buildNumber"]])),
        min_level: made::stated(file, number(description.option("android", "minSdkVersion"))),
        target_level: made::stated(file, number(description.option("android", "targetSdkVersion"))),
        min_version: made::stated(file, version.and_then(|(text, span)| Some((Version::parse(&text)?, span)))),
    };
    let sides = description.platforms();
    made::take_in(loading, &mut generated, sides)?;
    if !folders.is_empty() {
        loading.notice(format!(
            "{} and ignored by version control: {FILE} is what is looked at and mended; generate the folders again afterwards",
            folders.iter().map(|name| format!("{name}/ is generated")).collect::<Vec<_>>().join(", ")
        ));
    }
    let android = made::android(loading, &generated, &stands, plugins);
    let ios = made::ios(loading, &generated, &stands);
    Some(Sides { generated: Some(generated), android, ios, widget: None })
}
