//! `config.xml`: the manifest, the property list and the entitlements that the tools of the layout `widget` make of it and of what
//! plugins' `plugin.xml` adds, and what a person writes into it.
//!
//! Source: "Packaged Web Apps (Widgets) - Packaging and XML Configuration" of the W3C for the document; what its own elements
//! become is the tools' own documentation of configuration files.

mod read;
mod write;

pub(crate) use read::{identity, made, preference};
pub(crate) use write::{write_list, write_manifest, write_preference};

use elvask_markup::xml::Element;
use elvask_platform::Platform;

use crate::requirement::{COMPILE_LEVEL, MIN_LEVEL, MIN_VERSION, TARGET_LEVEL};

/// The class of the activity that the tools make.
const ACTIVITY: &str = "MainActivity";

/// Returns an element's name without its prefix.
fn local(element: Element<'_>) -> &str {
    element.name().rsplit(':').next().unwrap_or_default()
}

fn attribute(element: Element<'_>, name: &str) -> Option<String> {
    element.attribute_written(name).map(|attribute| element.value_of(attribute).into_owned())
}

/// Says whether the target of a `config-file` or the file of an `edit-config` is the manifest.
fn is_manifest(target: &str) -> bool {
    target.rsplit('/').next() == Some("AndroidManifest.xml")
}

/// Says whether it is the property list.
fn is_plist(target: &str) -> bool {
    target.rsplit('/').next().is_some_and(|name| name.ends_with("-Info.plist") || name == "Info.plist")
}

/// Says whether it is the entitlements of a build for the store.
fn is_release_entitlements(target: &str) -> bool {
    target.rsplit('/').next() == Some("Entitlements-Release.plist")
}

/// Goes through the elements of a document that hold for a platform: those below the root, then those inside its `platform`.
fn of_platform<'d>(root: Element<'d>, platform: Platform) -> Vec<Element<'d>> {
    let named = move |element: &Element<'d>| {
        local(*element) == "platform" && attribute(*element, "name").as_deref() == Some(platform.id())
    };
    let inside = root.children().filter(named).flat_map(|platform| platform.children());
    root.children().filter(|element| local(*element) != "platform").chain(inside).collect()
}

/// Returns the preference that states a level, or the version of iOS.
pub(crate) fn level_preference(name: &str) -> Option<(Platform, &'static str)> {
    Some(match name {
        MIN_LEVEL => (Platform::Android, "android-minSdkVersion"),
        TARGET_LEVEL => (Platform::Android, "android-targetSdkVersion"),
        COMPILE_LEVEL => (Platform::Android, "android-compileSdkVersion"),
        MIN_VERSION => (Platform::Ios, "deployment-target"),
        _ => return None,
    })
}
