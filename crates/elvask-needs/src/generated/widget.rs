//! `config.xml`: the manifest, the property list and the entitlements that the tools of the layout `widget` make of it and of what
//! plugins' `plugin.xml` adds, and what a person writes into it.
//!
//! Source: "Packaged Web Apps (Widgets) - Packaging and XML Configuration" of the W3C for the document; what its own elements
//! become is the tools' own documentation of configuration files.

mod read;
mod write;

pub use read::{identity, preference};

use elvask_markup::Edit;
use elvask_markup::xml::{Attribute, Element};
use elvask_platform::Platform;
use elvask_project::appfiles::Generated;
use elvask_project::layout::Layout;
use elvask_project::source::Sources;

use super::changes::{Change, KeyChange};
use super::draft::Draft;
use super::{Made, Maker, Which, Written};
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

/// Returns where `config.xml` gives a plugin's variable its value; `reference` is `$NAME` and nothing else.
fn variable(root: Element<'_>, plugin: &str, reference: &str) -> Option<Attribute> {
    let name = reference.strip_prefix('$')?;
    let named = |element: &Element<'_>| {
        local(*element) == "plugin"
            && ["name", "id"].into_iter().any(|key| attribute(*element, key).as_deref() == Some(plugin))
    };
    let variables = root.children().filter(named).flat_map(elvask_markup::xml::Element::children);
    let mut variables = variables.filter(|one| local(*one) == "variable");
    variables.find(|one| attribute(*one, "name").as_deref() == Some(name))?.attribute_written("value")
}

/// Goes through the elements of a document that hold for a platform: those below the root, then those inside its `platform`.
fn of_platform<'d>(root: Element<'d>, platform: Platform) -> Vec<Element<'d>> {
    let named = move |element: &Element<'d>| {
        local(*element) == "platform" && attribute(*element, "name").as_deref() == Some(platform.id())
    };
    let inside = root.children().filter(named).flat_map(elvask_markup::xml::Element::children);
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

/// See the module.
pub(crate) struct Config;

impl Maker for Config {
    fn layout(&self) -> Layout {
        Layout::Widget
    }

    fn made(&self, generated: &Generated, sources: &Sources) -> Option<Made> {
        read::made(generated, sources)
    }

    fn write_manifest(&self, generated: &Generated, sources: &Sources, made: &Made, changes: &[Change]) -> Written {
        write::write_manifest(generated, sources, made, changes)
    }

    fn write_list(
        &self,
        generated: &Generated,
        sources: &Sources,
        draft: &Draft,
        which: Which,
        changes: &[KeyChange],
    ) -> Written {
        write::write_list(generated, sources, draft, which, changes)
    }

    fn write_level(&self, generated: &Generated, sources: &Sources, name: &str, value: &str) -> Option<Vec<Edit>> {
        let (platform, preference) = level_preference(name)?;
        write::write_preference(generated, sources, platform, preference, value)
    }
}
