//! Edits of a project file that leave every other byte: build settings, and wiring an entitlements file.

use std::path::Path;

use elvask_markup::Edit;
use elvask_markup::openstep::plan::{append, insert_entry, quote, remove_entry, replace};
use elvask_markup::openstep::{self, Object, Value};

use super::{Project, Target};
use crate::source::Place;

/// Plans a build setting for every configuration of a target that does not have it. Returns no edits where all have it.
#[must_use]
pub fn add_build_setting(project: &Project, text: &str, target: &Target, name: &str, value: &str) -> Vec<Edit> {
    edits(project, text, target, name, value, false)
}

/// Plans a build setting for every configuration of a target, in the place of what it is now.
#[must_use]
pub fn set_build_setting(project: &Project, text: &str, target: &Target, name: &str, value: &str) -> Vec<Edit> {
    edits(project, text, target, name, value, true)
}

fn edits(project: &Project, text: &str, target: &Target, name: &str, value: &str, replaces: bool) -> Vec<Edit> {
    let mut out = Vec::new();
    for configuration in &target.configurations {
        let object = project.object(&configuration.id);
        let Some(settings) = object.as_ref().and_then(|object| object.get("buildSettings")) else { continue };
        let written = quote(value);
        match settings.get(name) {
            Some(old) if replaces && old.as_str() != Some(value) => out.push(replace(old, &written)),
            Some(_) => {}
            None => out.extend(insert_entry(text, settings, name, &written)),
        }
    }
    out
}

/// Plans words that a build setting is to hold beside what it holds now, for every configuration of a target. What is there stays as
/// it is written, a variable such as `$(inherited)` too; a configuration that does not state the setting goes on inheriting.
#[must_use]
pub fn extend_build_setting(project: &Project, text: &str, target: &Target, name: &str, words: &[&str]) -> Vec<Edit> {
    let mut out = Vec::new();
    for configuration in &target.configurations {
        let object = project.object(&configuration.id);
        let Some(settings) = object.as_ref().and_then(|object| object.get("buildSettings")) else { continue };
        let Some(old) = settings.get(name) else {
            let value = format!("$(inherited) {}", words.join(" "));
            out.extend(insert_entry(text, settings, name, &quote(&value)));
            continue;
        };
        let written: Vec<&str> = match old.as_array() {
            Some(items) => items.iter().filter_map(Value::as_str).collect(),
            None => old.as_str().unwrap_or_default().split_whitespace().collect(),
        };
        let more: Vec<&str> = words.iter().copied().filter(|word| !written.contains(word)).collect();
        if more.is_empty() {
            continue;
        }
        match (old.as_array(), old.as_str()) {
            (Some(items), _) => {
                let gap = match items.last().map(|last| indent_before(text, last.span.start)) {
                    Some(indent) if text.get(old.span.start..old.span.end).is_some_and(|list| list.contains('\n')) => {
                        format!(",{}{indent}", newline(text))
                    }
                    _ => ", ".to_owned(),
                };
                let items: Vec<_> = more.iter().map(|word| quote(word)).collect();
                out.extend(append(text, old, &items.join(&gap)));
            }
            (None, Some(value)) => {
                let value = format!("{} {}", value.trim(), more.join(" "));
                out.push(replace(old, &quote(value.trim())));
            }
            (None, None) => {}
        }
    }
    out
}

/// Plans to take a build setting out of every configuration of a target that states it.
#[must_use]
pub fn remove_build_setting(project: &Project, text: &str, target: &Target, name: &str) -> Vec<Edit> {
    let of = |configuration: &super::Configuration| {
        let object = project.object(&configuration.id)?;
        remove_entry(text, object.get("buildSettings")?, name)
    };
    target.configurations.iter().filter_map(of).collect()
}

/// Returns the build settings that the configurations of a target state, with the places of their names.
#[must_use]
pub fn settings_of(project: &Project, target: &Target) -> Vec<(String, Place)> {
    let mut out = Vec::new();
    for configuration in &target.configurations {
        let object = project.object(&configuration.id);
        let settings = object.as_ref().and_then(|object| object.get("buildSettings")?.as_dict());
        for (name, _) in settings.unwrap_or_default() {
            out.extend(name.as_str().map(|text| (text.to_owned(), project.at(name))));
        }
    }
    out
}

/// Plans to make an entitlements file part of a target: the build setting in every configuration that has none, and a reference
/// in the group of the file's folder, so that people find it in Xcode. `path` is relative to the folder of the project.
#[must_use]
pub fn wire_entitlements(project: &Project, text: &str, target: &Target, path: &str) -> Vec<Edit> {
    let mut out = add_build_setting(project, text, target, "CODE_SIGN_ENTITLEMENTS", path);
    if out.is_empty() {
        return out;
    }
    let full = crate::files::normal(&project.folder.join(path));
    let (folder, name) = (full.parent().unwrap_or(&full), full.file_name().unwrap_or_default().to_string_lossy());
    // A folder that Xcode keeps in step shows the file by itself.
    if reference_to(project, &full).is_some() || is_in_step(project, &full) {
        return out;
    }
    let Some((group, relative)) = group_of(project, folder, &full) else { return out };
    let id = new_id(project, &format!("{}/{path}", target.id));
    let section = section_end(project, "PBXFileReference");
    let tree = "sourceTree = \"<group>\"";
    let named = if relative == name { String::new() } else { format!("name = {}; ", quote(&name)) };
    let reference = format!(
        "{id} /* {name} */ = {{isa = PBXFileReference; lastKnownFileType = text.plist.entitlements; {named}path = {}; {tree}; }};",
        quote(&relative)
    );
    let group = project.object(&group);
    let Some(children) = group.as_ref().and_then(|group| group.get("children")) else { return out };
    if let (Some((at, end)), Some(child)) = (section, append(text, children, &format!("{id} /* {name} */"))) {
        let after = end + text.get(end..).and_then(|rest| rest.find(';')).map_or(0, |mark| mark + 1);
        out.push(Edit::insert(after, format!("{}{}{reference}", newline(text), indent_before(text, at))));
        out.push(child);
    }
    out
}

/// Returns the reference that leads to a path.
fn reference_to(project: &Project, path: &Path) -> Option<String> {
    let mut ids = project.of_kind("PBXFileReference").map(|object| project.id(&object).to_owned());
    ids.find(|id| project.path_of(id).as_deref() == Some(path))
}

fn is_in_step(project: &Project, path: &Path) -> bool {
    let mut groups = project.of_kind("PBXFileSystemSynchronizedRootGroup");
    groups.any(|group| project.path_of(project.id(&group)).is_some_and(|folder| path.starts_with(folder)))
}

/// Returns the group for a file: that of its folder, else the main one; with the file's path from there.
fn group_of(project: &Project, folder: &Path, full: &Path) -> Option<(String, String)> {
    let root = project.object(project.rest.get("rootObject").and_then(Value::as_str)?)?;
    let main = root.get("mainGroup").and_then(Value::as_str)?;
    let mut groups = project.of_kind("PBXGroup");
    let is_of_folder = |group: &Object| {
        openstep::entry(&project.source, group.body, "path").is_some()
            && project.path_of(project.id(group)).as_deref() == Some(folder)
    };
    match groups.find(is_of_folder) {
        Some(own) => Some((project.id(&own).to_owned(), full.file_name()?.to_string_lossy().into_owned())),
        None => {
            let relative = full.strip_prefix(project.path_of(main)?).ok()?;
            Some((main.to_owned(), relative.to_string_lossy().replace('\\', "/")))
        }
    }
}

/// Returns where the last object of a kind starts and ends.
fn section_end(project: &Project, kind: &str) -> Option<(usize, usize)> {
    project.of_kind(kind).last().map(|object| (object.id.start, object.body.end))
}

fn indent_before(text: &str, at: usize) -> &str {
    let before = text.get(..at).unwrap_or_default();
    before.rfind('\n').and_then(|line| before.get(line + 1..)).filter(|space| space.trim().is_empty()).unwrap_or("\t\t")
}

fn newline(text: &str) -> &'static str {
    if text.contains("\r\n") { "\r\n" } else { "\n" }
}

/// Makes an id of 24 digits that is not in use: the same one each time for the same thing.
fn new_id(project: &Project, about: &str) -> String {
    // FNV-1a, twice with another start: all that is wanted is that ids differ.
    let hash = |seed: u64| {
        about
            .bytes()
            .fold(0xCBF2_9CE4_8422_2325 ^ seed, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01B3))
    };
    (0..)
        .map(|seed| format!("{:016X}{:08X}", hash(seed), hash(seed + 77) >> 32))
        .find(|id| project.position(id).is_none())
        .unwrap_or_default()
}
