//! Build settings: layers that inherit, conditions, and variables with modifiers.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use elvask_markup::openstep::{Kind, Value};
use elvask_markup::text::SharedText;

use super::xcconfig::{self, Assignment, Configured};
use super::{Configuration, Project, Target};
use crate::loading::Loading;
use crate::names::fits_pattern;
use crate::source::{FileId, Place};

/// Where a setting is made, the weakest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Layer {
    /// What Xcode sets by itself.
    Default,
    /// The configuration file of the project.
    ProjectFile,
    /// The project.
    Project,
    /// The configuration file of the target.
    TargetFile,
    /// The target.
    Target,
}

const LAYERS: [Layer; 5] = [Layer::Target, Layer::TargetFile, Layer::Project, Layer::ProjectFile, Layer::Default];

/// One setting of one layer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Setting {
    /// The layer.
    pub layer: Layer,
    /// The value as written; items of a list are joined with spaces.
    pub written: String,
    /// Where; `None` for what Xcode sets by itself.
    pub place: Option<Place>,
    /// How many conditions its name has: more of them win over fewer.
    conditions: usize,
}

/// The settings of one target for one configuration.
#[derive(Debug, Clone, Default)]
pub struct Settings {
    by_name: HashMap<String, Vec<Setting>>,
    /// Whether a configuration file that would set more is not there.
    incomplete: bool,
}

/// What an expression comes to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Expanded {
    /// The value; `None` where a part of it is not known.
    pub value: Option<String>,
    /// The first variable that is not known.
    pub unknown: Option<String>,
    /// Where the value is stated.
    pub place: Option<Place>,
}

/// The deepest that variables may lead to each other.
const MAX_DEPTH: usize = 32;

/// The longest value that is put together, in bytes.
const MAX_LENGTH: usize = 64 * 1024;

/// The configuration files that were read, and the settings that were put together of them.
#[derive(Debug, Default)]
pub struct ConfigFiles {
    /// By their paths; `None` for one that is not there.
    read: HashMap<PathBuf, Option<Configured>>,
    /// Many ask for the settings of the app's target; they hold until another file is read.
    known: Mutex<Vec<Known>>,
}

/// The most settings that are kept: those of the app's target are asked for first, and a project may have any number of others.
const MAX_KNOWN: usize = 32;

/// The settings of one target for one configuration.
#[derive(Debug)]
struct Known {
    project: (FileId, SharedText),
    target: String,
    configuration: String,
    settings: Arc<Settings>,
}

impl Known {
    fn is_of(&self, project: &Project, target: &Target, configuration: &str) -> bool {
        let (file, text) = &self.project;
        let is_project = *file == project.file && text.is_same(&project.source);
        is_project && self.target == target.id && self.configuration == configuration
    }
}

impl ConfigFiles {
    /// Puts the settings of a target for a configuration together, once.
    pub(super) fn settings(&self, project: &Project, target: &Target, configuration: &str) -> Arc<Settings> {
        let Ok(mut known) = self.known.lock() else { return Arc::new(gather(project, target, configuration, self)) };
        if let Some(known) = known.iter().find(|known| known.is_of(project, target, configuration)) {
            return Arc::clone(&known.settings);
        }
        let settings = Arc::new(gather(project, target, configuration, self));
        if known.len() < MAX_KNOWN {
            known.push(Known {
                project: (project.file, project.source.clone()),
                target: target.id.clone(),
                configuration: configuration.to_owned(),
                settings: Arc::clone(&settings),
            });
        }
        settings
    }

    fn put(&mut self, path: PathBuf, configured: Option<Configured>) {
        self.read.insert(path, configured);
        self.known = Mutex::default();
    }
}

/// Reads the configuration files that the project and a target name for a configuration, and notes what is missing.
pub(super) fn read_files(
    project: &Project,
    loading: &mut Loading<'_>,
    target: &Target,
    configuration: &str,
    files: &mut ConfigFiles,
) {
    for (owner, _, _) in owners(project, target, configuration) {
        let Some(object) = owner.and_then(|owner| project.object(&owner.id)) else { continue };
        let Some((path, place)) = base_configuration(project, &object) else { continue };
        let shown = path.as_ref().map_or_else(|| "that is named here".to_owned(), |path| loading.shown(path));
        let there = path.as_ref().filter(|path| loading.files.is_file(path));
        // What the dependency manager writes sets search paths, and nothing that is looked at here.
        if there.is_none() && !shown.contains("Pods/Target Support Files/") {
            loading.unresolved(
                format!("the configuration file {shown} is not there; what it would set is not known"),
                place,
            );
        }
        let Some(path) = path.filter(|path| !files.read.contains_key(path)) else { continue };
        let configured = loading.files.is_file(&path).then(|| xcconfig::read(loading, &path));
        for (missing, place) in configured.iter().flat_map(|configured| &configured.missing) {
            let shown = loading.shown(missing);
            loading
                .unresolved(format!("the included file {shown} is not there; what it would set is not known"), *place);
        }
        files.put(path, configured);
    }
}

type Owner<'p> = (Option<&'p Configuration>, Layer, Layer);

fn owners<'p>(project: &'p Project, target: &'p Target, configuration: &str) -> [Owner<'p>; 2] {
    let of_project = project.configurations.iter().find(|one| one.name == configuration);
    // A target's configuration without one of that name in the project falls back on the project's default.
    let of_project = of_project.or_else(|| project.configurations.first());
    let of_target = target.configuration(configuration);
    [(of_project, Layer::ProjectFile, Layer::Project), (of_target, Layer::TargetFile, Layer::Target)]
}

fn gather(project: &Project, target: &Target, configuration: &str, files: &ConfigFiles) -> Settings {
    let mut settings = Settings::default();
    let folder = project.folder.to_string_lossy().into_owned();
    let language = project.language.clone().unwrap_or_else(|| "en".to_owned());
    for (name, value) in [
        ("SRCROOT", folder.as_str()),
        ("SOURCE_ROOT", &folder),
        ("PROJECT_DIR", &folder),
        ("PROJECT_NAME", &project.name),
        ("PROJECT", &project.name),
        ("TARGET_NAME", &target.name),
        ("TARGETNAME", &target.name),
        ("CONFIGURATION", configuration),
        ("DEVELOPMENT_LANGUAGE", &language),
        ("PLATFORM_NAME", "iphoneos"),
        ("SDK_NAME", "iphoneos"),
        ("EFFECTIVE_PLATFORM_NAME", "-iphoneos"),
        ("PRODUCT_NAME", "$(TARGET_NAME)"),
        ("EXECUTABLE_NAME", "$(PRODUCT_NAME)"),
        ("PRODUCT_MODULE_NAME", "$(PRODUCT_NAME:c99extidentifier)"),
        ("WRAPPER_NAME", "$(PRODUCT_NAME).app"),
        ("PRODUCT_BUNDLE_PACKAGE_TYPE", "APPL"),
    ] {
        settings.put(name, Setting { layer: Layer::Default, written: value.to_owned(), place: None, conditions: 0 });
    }
    for (owner, file_layer, layer) in owners(project, target, configuration) {
        let Some(object) = owner.and_then(|owner| project.object(&owner.id)) else { continue };
        if let Some((path, _)) = base_configuration(project, &object) {
            let shown = path.as_ref().map(|path| path.to_string_lossy().replace('\\', "/")).unwrap_or_default();
            match path.and_then(|path| files.read.get(&path)).and_then(Option::as_ref) {
                Some(configured) => {
                    settings.incomplete |= !configured.missing.is_empty();
                    for assignment in &configured.assignments {
                        settings.assign(assignment.clone(), file_layer, configuration);
                    }
                }
                None => settings.incomplete |= !shown.contains("Pods/Target Support Files/"),
            }
        }
        for (name, value) in object.get("buildSettings").and_then(Value::as_dict).unwrap_or_default() {
            let Some(name) = name.as_str() else { continue };
            let (name, conditions) = xcconfig::split_name(name);
            let place = project.at(value);
            settings.assign(Assignment { name, conditions, value: joined(value), place }, layer, configuration);
        }
    }
    settings
}

/// Returns the path of a configuration's file and where it is named; `None` where it has none.
fn base_configuration(project: &Project, object: &Value) -> Option<(Option<PathBuf>, Place)> {
    if let Some(reference) = object.get("baseConfigurationReference") {
        return Some((project.path_of(reference.as_str()?), project.at(reference)));
    }
    // A file in a folder that Xcode keeps in step has no reference of its own.
    let anchor = object.get("baseConfigurationReferenceAnchor")?;
    let relative = object.get("baseConfigurationReferenceRelativePath")?;
    let folder = project.path_of(anchor.as_str()?);
    Some((
        folder.map(|folder| crate::files::normal(&folder.join(relative.as_str().unwrap_or_default()))),
        project.at(relative),
    ))
}

/// Returns a value as the text that other settings see: the items of a list with spaces between.
fn joined(value: &Value) -> String {
    match &value.kind {
        Kind::String(text) => text.clone(),
        Kind::Array(values) => {
            let quoted = |text: &str| if text.contains(' ') { format!("\"{text}\"") } else { text.to_owned() };
            values.iter().filter_map(Value::as_str).map(quoted).collect::<Vec<_>>().join(" ")
        }
        Kind::Dict(_) => String::new(),
    }
}

impl Settings {
    fn put(&mut self, name: &str, setting: Setting) {
        let all = self.by_name.entry(name.to_owned()).or_default();
        // In one layer, the one with more conditions wins, and of these the later one.
        if let Some(old) = all.iter_mut().find(|old| old.layer == setting.layer) {
            if setting.conditions >= old.conditions {
                // What a later line of a file inherits is what stood before it in the same file.
                let inherited = ["$(inherited)", "${inherited}"].iter().fold(setting.written.clone(), |text, word| {
                    if setting.conditions == old.conditions
                        && matches!(setting.layer, Layer::ProjectFile | Layer::TargetFile)
                    {
                        text.replace(word, &old.written)
                    } else {
                        text
                    }
                });
                *old = Setting { written: inherited, ..setting };
            }
        } else {
            all.push(setting);
        }
    }

    fn assign(&mut self, assignment: Assignment, layer: Layer, configuration: &str) {
        let holds = assignment.conditions.iter().all(|(key, pattern)| match key.as_str() {
            // The device is what ships; a simulator's settings do not.
            "sdk" => {
                fits_pattern(pattern, "iphoneos") || (pattern.starts_with("iphoneos") && !pattern.contains("simulator"))
            }
            "arch" => fits_pattern(pattern, "arm64"),
            "config" => fits_pattern(pattern, configuration),
            "variant" => fits_pattern(pattern, "normal"),
            _ => false,
        });
        if holds {
            let conditions = assignment.conditions.len();
            let (written, place) = (assignment.value, Some(assignment.place));
            self.put(&assignment.name, Setting { layer, written, place, conditions });
        }
    }

    /// Returns the setting of a name in the strongest layer that has it.
    #[must_use]
    pub fn strongest(&self, name: &str) -> Option<&Setting> {
        self.below(name, Layer::Target, true)
    }

    /// Returns the setting of a name in the layers below one, that one included where `inclusive` says so.
    fn below(&self, name: &str, layer: Layer, inclusive: bool) -> Option<&Setting> {
        let all = self.by_name.get(name)?;
        let allowed = LAYERS.iter().filter(|one| **one < layer || (inclusive && **one == layer));
        allowed.into_iter().find_map(|layer| all.iter().find(|setting| setting.layer == *layer))
    }

    /// Goes through the names that start with a text, with their strongest settings, in the order of the names.
    #[must_use]
    pub fn starting_with(&self, prefix: &str) -> Vec<(&str, &Setting)> {
        let mut found: Vec<_> = self
            .by_name
            .keys()
            .filter(|name| name.starts_with(prefix))
            .filter_map(|name| Some((name.as_str(), self.strongest(name)?)))
            .collect();
        found.sort_by_key(|(name, _)| *name);
        found
    }

    /// Returns what a setting comes to; `None` where nothing sets it.
    #[must_use]
    pub fn value(&self, name: &str) -> Option<Expanded> {
        let setting = self.strongest(name)?;
        let mut expander = Expander { settings: self, unknown: None, stack: Vec::new() };
        let text = expander.setting(name, setting);
        let unknown = expander.unknown;
        Some(Expanded { value: text.filter(|_| unknown.is_none()), unknown, place: setting.place })
    }

    /// Returns what a text comes to, with the variables in it put in. `place` is where the text stands.
    #[must_use]
    pub fn expand(&self, text: &str, place: Option<Place>) -> Expanded {
        let mut expander = Expander { settings: self, unknown: None, stack: Vec::new() };
        let value = expander.text(text, None);
        let unknown = expander.unknown;
        Expanded { value: value.filter(|_| unknown.is_none()), unknown, place }
    }
}

struct Expander<'s> {
    settings: &'s Settings,
    unknown: Option<String>,
    stack: Vec<(String, Layer)>,
}

impl Expander<'_> {
    fn setting(&mut self, name: &str, setting: &Setting) -> Option<String> {
        let step = (name.to_owned(), setting.layer);
        if self.stack.contains(&step) || self.stack.len() >= MAX_DEPTH {
            return self.fail(name);
        }
        self.stack.push(step);
        let text = self.text(&setting.written, Some((name, setting.layer)));
        self.stack.pop();
        text
    }

    fn fail(&mut self, name: &str) -> Option<String> {
        self.unknown.get_or_insert_with(|| name.to_owned());
        None
    }

    /// Puts the variables of a text in. `own` is the setting that the text belongs to.
    fn text(&mut self, text: &str, own: Option<(&str, Layer)>) -> Option<String> {
        if !text.contains('$') {
            return Some(text.to_owned());
        }
        let mut out = String::new();
        let mut rest = text;
        while let Some(at) = rest.find('$') {
            out.push_str(rest.get(..at)?);
            let after = rest.get(at + 1..)?;
            let close = match after.chars().next() {
                Some('(') => ')',
                Some('{') => '}',
                _ => {
                    out.push('$');
                    rest = after;
                    continue;
                }
            };
            let Some(end) = closing(after, close) else {
                out.push('$');
                rest = after;
                continue;
            };
            // The name itself may hold a variable: $(A_$(CONFIGURATION)).
            let inside = self.text(after.get(1..end)?, own)?;
            out.push_str(&self.variable(&inside, own)?);
            if out.len() > MAX_LENGTH {
                return self.fail(&inside);
            }
            rest = after.get(end + 1..)?;
        }
        out.push_str(rest);
        Some(out)
    }

    fn variable(&mut self, inside: &str, own: Option<(&str, Layer)>) -> Option<String> {
        let mut parts = inside.split(':');
        let name = parts.next().unwrap_or_default();
        let modifiers: Vec<_> = parts.collect();
        // A setting that names itself means what it would inherit.
        let inherits = name == "inherited" || own.is_some_and(|(own, _)| own == name);
        let setting = match own {
            Some((own, layer)) if inherits => self.settings.below(own, layer, false),
            _ => self.settings.strongest(name),
        };
        let default = modifiers.iter().find_map(|modifier| modifier.strip_prefix("default="));
        let value = match setting.cloned() {
            Some(setting) => self.setting(if inherits { own.map_or(name, |(own, _)| own) } else { name }, &setting)?,
            None => match default {
                Some(default) => default.to_owned(),
                // What nothing sets is empty, as long as nothing that could set it is out of sight.
                None if inherits && !self.settings.incomplete => String::new(),
                None => return self.fail(name),
            },
        };
        let value = match default {
            Some(default) if value.is_empty() => default.to_owned(),
            _ => value,
        };
        modifiers.iter().filter(|modifier| !modifier.starts_with("default=")).try_fold(value, |value, modifier| {
            match modify(&value, modifier) {
                Some(value) => Some(value),
                None => self.fail(&format!("{name}:{modifier}")),
            }
        })
    }
}

/// Returns the offset of the bracket that closes the one at the start of `text`.
fn closing(text: &str, close: char) -> Option<usize> {
    let open = text.chars().next()?;
    let mut depth = 0usize;
    for (at, character) in text.char_indices() {
        if character == open {
            depth += 1;
        } else if character == close {
            depth -= 1;
            if depth == 0 {
                return Some(at);
            }
        }
    }
    None
}

/// Applies a modifier; `None` for one that is not known.
fn modify(value: &str, modifier: &str) -> Option<String> {
    let replaced = |allowed: fn(char) -> bool, other: char| -> String {
        value.chars().map(|character| if allowed(character) { character } else { other }).collect()
    };
    let path = Path::new(value);
    let part =
        |part: Option<&std::ffi::OsStr>| part.map(|part| part.to_string_lossy().into_owned()).unwrap_or_default();
    Some(match modifier {
        "rfc1034identifier" => {
            replaced(|character| character.is_ascii_alphanumeric() || matches!(character, '-' | '.'), '-')
        }
        "c99extidentifier" | "identifier" => {
            let text = replaced(|character| character.is_alphanumeric() || character == '_', '_');
            if text.starts_with(|character: char| character.is_ascii_digit()) { format!("_{text}") } else { text }
        }
        "lower" => value.to_lowercase(),
        "upper" => value.to_uppercase(),
        "base" => part(path.file_stem()),
        "file" => part(path.file_name()),
        "dir" => path.parent().map(|parent| parent.to_string_lossy().into_owned()).unwrap_or_default(),
        "suffix" => path.extension().map(|suffix| format!(".{}", suffix.to_string_lossy())).unwrap_or_default(),
        "standardizepath" => crate::files::normal(path).to_string_lossy().into_owned(),
        "quote" => value.replace(' ', "\\ "),
        _ => return None,
    })
}
