//! Finding the iOS app target in its Xcode project, and the `Info.plist` that it is built with.

use std::path::{Path, PathBuf};

use elvask_markup::openstep::{self, Value};
use elvask_platform::Version;

use super::folders;
use crate::app::{IosApp, Loading};
use crate::files::{FileKind, Files, normal};
use crate::source::{Place, read_text};

/// How deep below the app's root its project may lie.
const DEPTH: usize = 4;

/// The product type of an app; extensions, tests and watch apps have others.
const APPLICATION: &str = "com.apple.product-type.application";

/// Finds the app target and the property list of its Release configuration.
pub(crate) fn find(loading: &mut Loading<'_>) -> Option<IosApp> {
    let Some(project) = find_project(loading) else {
        let plist = search_plist(loading.files, &loading.root.join("ios"))?;
        return Some(IosApp {
            target: None,
            plist_path: plist,
            plist: None,
            id: None,
            min_version: None,
            language: None,
        });
    };
    let folder = project.parent().unwrap_or(&project).to_owned();
    let path = project.join("project.pbxproj");
    let shown = loading.shown(&path);
    let (file, text) = loading.read(&path, &shown)?;
    let tree = match openstep::parse(&text) {
        Ok(tree) => tree,
        Err(error) => {
            loading.unreadable(&shown, error.message, Place { file, span: error.span });
            return None;
        }
    };
    let target = Target::of(&tree, loading)?;
    let named = target.setting("INFOPLIST_FILE").and_then(|value| resolve(value, &folder, target.name));
    let plist = named.or_else(|| search_plist(loading.files, &folder));
    let Some(plist_path) = plist else {
        let why = match target.setting("GENERATE_INFOPLIST_FILE") {
            Some("YES") => "its Info.plist is made by the build from settings, which are not read yet",
            _ => "no Info.plist was found for it",
        };
        loading.notice(format!("{shown}: target {}: {why}; iOS is not looked at", target.name));
        return None;
    };
    let plain = |value: &&str| !value.contains("$(") && !value.contains("${");
    Some(IosApp {
        target: Some(target.name.to_owned()),
        plist_path,
        plist: None,
        id: target.setting("PRODUCT_BUNDLE_IDENTIFIER").filter(plain).map(str::to_owned),
        min_version: target.setting("IPHONEOS_DEPLOYMENT_TARGET").and_then(Version::parse),
        language: target.region.map(str::to_owned),
    })
}

/// Returns the folder of the project: the one under `ios/`, else the nearest.
fn find_project(loading: &mut Loading<'_>) -> Option<PathBuf> {
    let files = loading.files;
    let inside = |folder: &Path| {
        let names = files.list(folder);
        let project = |name: &String| name.ends_with(".xcodeproj") && name != "Pods.xcodeproj";
        let found = names.into_iter().map(|(name, _)| name).filter(project).map(|name| folder.join(name));
        found.filter(|path| files.is_file(&path.join("project.pbxproj"))).collect::<Vec<_>>()
    };
    let root = loading.root.clone();
    let mut projects = inside(&root.join("ios"));
    if projects.is_empty() {
        projects = folders(files, &root, DEPTH).iter().flat_map(|folder| inside(folder)).collect();
    }
    if projects.len() > 1 {
        let names: Vec<_> = projects.iter().map(|project| loading.shown(project)).collect();
        loading.notice(format!("several Xcode projects: {}; the first is looked at", names.join(", ")));
    }
    (!projects.is_empty()).then(|| projects.swap_remove(0))
}

/// The app target of a project with the settings of its Release configuration.
struct Target<'p> {
    name: &'p str,
    region: Option<&'p str>,
    /// The target's own settings, then those of the project.
    settings: Vec<&'p Value>,
}

impl<'p> Target<'p> {
    fn of(tree: &'p Value, loading: &mut Loading<'_>) -> Option<Target<'p>> {
        let objects = tree.get("objects")?;
        let object = |id: &Value| objects.get(id.as_str()?);
        let project = object(tree.get("rootObject")?)?;
        let targets = project.get("targets")?.as_array()?.iter().filter_map(object);
        let is_app = |target: &&Value| target.get("productType").and_then(Value::as_str) == Some(APPLICATION);
        let mut apps = targets.filter(is_app);
        let target = apps.next()?;
        let name_of = |target: &'p Value| target.get("name").and_then(Value::as_str);
        let others: Vec<_> = apps.filter_map(name_of).collect();
        let name = name_of(target)?;
        if !others.is_empty() {
            loading.notice(format!("several app targets: {name}, {}; the first is looked at", others.join(", ")));
        }
        let settings = [target, project].into_iter().filter_map(|owner| release(objects, owner)?.get("buildSettings"));
        let region = project.get("developmentRegion").and_then(Value::as_str);
        Some(Target { name, region, settings: settings.collect() })
    }

    fn setting(&self, name: &str) -> Option<&'p str> {
        self.settings.iter().find_map(|settings| settings.get(name)?.as_str())
    }
}

/// Returns the Release configuration of a target or project, else its first.
fn release<'p>(objects: &'p Value, owner: &Value) -> Option<&'p Value> {
    let list = objects.get(owner.get("buildConfigurationList")?.as_str()?)?;
    let configurations = list.get("buildConfigurations")?.as_array()?;
    let all = || configurations.iter().filter_map(|id| objects.get(id.as_str()?));
    all().find(|one| one.get("name").and_then(Value::as_str) == Some("Release")).or_else(|| all().next())
}

/// Turns a path in a setting into a path on the disk; `None` where it holds a variable that is not known here.
fn resolve(value: &str, folder: &Path, target: &str) -> Option<PathBuf> {
    let mut path = value.to_owned();
    for (name, replacement) in [("SRCROOT", "."), ("PROJECT_DIR", "."), ("TARGET_NAME", target)] {
        path = path.replace(&format!("$({name})"), replacement).replace(&format!("${{{name}}}"), replacement);
    }
    (!path.contains('$')).then(|| normal(&folder.join(path)))
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_in_settings_are_resolved_or_left() {
        let resolve = |value| resolve(value, Path::new("/app/ios"), "Marram");
        assert_eq!(resolve("Marram/Info.plist").unwrap(), Path::new("/app/ios/Marram/Info.plist"));
        assert_eq!(
            resolve("$(SRCROOT)/x/$(TARGET_NAME)-Info.plist").unwrap(),
            Path::new("/app/ios/x/Marram-Info.plist")
        );
        assert_eq!(resolve("$(CONFIG_DIR)/Info.plist"), None);
    }
}
