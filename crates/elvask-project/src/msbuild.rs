//! MSBuild projects, read without running them: properties with conditions, references to packages.
//!
//! Source: "MSBuild conditions" and "Single project" in the platform tools' documentation.

mod activities;
mod attributes;
mod condition;

pub use attributes::SourceDeclaration;
pub use attributes::declared_in_source;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use elvask_markup::Span;
use elvask_markup::xml::{Document, Element};

use crate::files::{FileKind, Files, normal};
use crate::gradle::Stated;
use crate::loading::Loading;
use crate::source::{FileId, Place, read_text};

/// How far above the project the shared property files are looked for.
const MAX_ABOVE: usize = 6;

/// A reference to a package.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reference {
    /// Its name.
    pub name: String,
    /// The version that is asked for, where one is stated.
    pub version: Option<String>,
    /// Where it is referred to.
    pub place: Place,
}

/// A property file or project that has been read.
struct File {
    id: FileId,
    document: Document,
}

/// A project file with the property files around it.
pub struct Project {
    /// The folder of the project.
    pub folder: PathBuf,
    /// The name of the project file, without its ending.
    name: String,
    /// The files in the order in which they take effect; the project itself is among them.
    files: Vec<File>,
    /// The target frameworks: `net9.0-android`.
    pub frameworks: Vec<String>,
}

/// The properties of a project for one target framework.
pub struct Properties {
    values: BTreeMap<String, Stated<String>>,
}

impl Properties {
    /// Returns the value of a property, whose name is read in any case.
    #[must_use]
    pub fn get(&self, name: &str) -> Stated<String> {
        self.values.get(&name.to_lowercase()).cloned().unwrap_or_default()
    }
}

/// Returns the project file in a folder that is built into a mobile app.
pub fn project_file(files: &dyn Files, folder: &Path) -> Option<PathBuf> {
    let names =
        files.list(folder).into_iter().filter(|(name, kind)| *kind == FileKind::File && name.ends_with(".csproj"));
    let mut paths = names.map(|(name, _)| folder.join(name));
    paths.find(|path| {
        let text = read_text(files, path).unwrap_or_default();
        let mobile =
            |line: &str| line.contains("TargetFramework") && (line.contains("-android") || line.contains("-ios"));
        text.lines().any(mobile) && !text.contains("<IsTestProject>true")
    })
}

impl Project {
    /// Reads a project file and the property files above it that it is built with; what cannot be read is noted as a fault.
    pub fn read(loading: &mut Loading<'_>, path: &Path) -> Option<Project> {
        let folder = path.parent()?.to_owned();
        let above = |name: &str| {
            let mut found = folder.ancestors().take(MAX_ABOVE).map(|folder| folder.join(name));
            found.find(|path| loading.files.is_file(path))
        };
        let shared = [above("Directory.Build.props"), above("Directory.Packages.props")];
        let mut files = Vec::new();
        for path in shared.into_iter().flatten().chain([path.to_owned()]) {
            let shown = loading.shown(&path);
            let Some((id, text)) = loading.read(&path, &shown) else { continue };
            match Document::parse(text) {
                Ok(document) => files.push(File { id, document }),
                Err(error) => loading.unreadable(&shown, &error.to_string(), Place { file: id, span: error.span }),
            }
        }
        let name = path.file_stem().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let mut project = Project { folder, name, files, frameworks: Vec::new() };
        let plain = project.properties("");
        let named = [plain.get("TargetFrameworks"), plain.get("TargetFramework")];
        let all = named.iter().filter_map(|one| one.value.as_deref()).flat_map(|text| text.split(';'));
        project.frameworks =
            all.map(str::trim).filter(|one| !one.is_empty() && !one.contains('$')).map(str::to_owned).collect();
        Some(project)
    }

    /// Returns the target framework for a platform.
    pub fn framework(&self, platform: &str) -> Option<&str> {
        self.frameworks.iter().map(String::as_str).find(|one| one.contains(&format!("-{platform}")))
    }

    /// Returns the properties for a target framework, as the configuration Release sees them.
    pub fn properties(&self, framework: &str) -> Properties {
        let mut values: BTreeMap<String, Stated<String>> = BTreeMap::new();
        for (name, value) in [
            ("configuration", "Release"),
            ("platform", "AnyCPU"),
            ("targetframework", framework),
            ("msbuildprojectname", &self.name),
        ] {
            if !value.is_empty() {
                values.insert(name.to_owned(), Stated { value: Some(value.to_owned()), place: None, written: None });
            }
        }
        for (file, element) in self.items("PropertyGroup") {
            let outer = condition::holds(element, &values);
            for property in element.children() {
                let both = match (outer, condition::holds(property, &values)) {
                    (Some(false), _) | (_, Some(false)) => Some(false),
                    (Some(true), Some(true)) => Some(true),
                    _ => None,
                };
                if both == Some(false) || (property.name() == "TargetFramework" && !framework.is_empty()) {
                    continue;
                }
                let text = property.text();
                let content = property.content();
                let lead = text.len() - text.trim_start().len();
                let span = Span::new(content.start + lead, content.start + lead + text.trim().len());
                let place = Some(Place { file, span });
                let name = property.name().to_lowercase();
                // In a branch that cannot be decided the value is not known.
                let value = condition::expand(text.trim(), &values).filter(|_| both.is_some());
                let written = value.is_none().then(|| text.trim().to_owned());
                values.insert(name, Stated { value, place, written });
            }
        }
        Properties { values }
    }

    /// Goes through the groups of a name in all files.
    fn items<'p>(&'p self, name: &'p str) -> impl Iterator<Item = (FileId, Element<'p>)> {
        let groups = self.files.iter().flat_map(|file| file.document.root().children().map(|child| (file.id, child)));
        groups.filter(move |(_, element)| element.name() == name)
    }

    /// Returns the packages that the project refers to, for any of these target frameworks.
    pub fn references(&self, frameworks: &[&str]) -> Vec<Reference> {
        let mut found: Vec<Reference> = Vec::new();
        let mut central: BTreeMap<String, String> = BTreeMap::new();
        for framework in frameworks {
            let properties = self.properties(framework);
            for (file, group) in self.items("ItemGroup") {
                if condition::holds(group, &properties.values) == Some(false) {
                    continue;
                }
                for item in group.children() {
                    let attribute = |name: &str| {
                        let written =
                            item.attribute_written(name).map(|attribute| item.value_of(attribute).into_owned());
                        written.or_else(|| item.child(name).map(|child| child.text().trim().to_owned()))
                    };
                    let Some(name) = attribute("Include").or_else(|| attribute("Update")) else { continue };
                    let version = attribute("Version").and_then(|text| condition::expand(&text, &properties.values));
                    match item.name() {
                        "PackageVersion" => {
                            central.extend(version.map(|version| (name.to_lowercase(), version)));
                        }
                        "PackageReference" if condition::holds(item, &properties.values) != Some(false) => {
                            let version = version.or_else(|| attribute("VersionOverride"));
                            let place = Place { file, span: Span::new(item.open().start, item.name_span().end) };
                            if !found.iter().any(|known| known.name.eq_ignore_ascii_case(&name)) {
                                found.push(Reference { name, version, place });
                            }
                        }
                        _ => {}
                    }
                }
            }
        }
        for one in found.iter_mut().filter(|one| one.version.is_none()) {
            one.version = central.get(&one.name.to_lowercase()).cloned();
        }
        found
    }
}

/// Returns the level that a target framework is made for: `net9.0-android35.0`; without a number, what the framework's version
/// comes with.
pub fn target_level(framework: &str) -> Option<u32> {
    let (net, platform) = framework.split_once("-android")?;
    match platform.split('.').next().and_then(|level| level.parse().ok()) {
        Some(level) => Some(level),
        // The platform versions that each release of the tools binds by default.
        None => elvask_platform::release::level_of_framework(net),
    }
}

/// Returns the folder of the packages that a `nuget.config` above the project names.
pub fn configured_packages(files: &dyn Files, folder: &Path) -> Option<PathBuf> {
    for folder in folder.ancestors().take(MAX_ABOVE) {
        let names = files.list(folder).into_iter().map(|(name, _)| name);
        let Some(name) = names.into_iter().find(|name| name.eq_ignore_ascii_case("nuget.config")) else { continue };
        let Some(document) = read_text(files, &folder.join(name)).ok().and_then(|text| Document::parse(text).ok())
        else {
            continue;
        };
        let Some(config) = document.root().child("config") else { continue };
        let value = config.children_named("add").find_map(|entry| {
            let text =
                |name: &str| entry.attribute_written(name).map(|attribute| entry.value_of(attribute).into_owned());
            let key = text("key")?;
            text("value").filter(|_| key.eq_ignore_ascii_case("globalPackagesFolder"))
        });
        if let Some(value) = value.filter(|value| !value.contains(['%', '$'])) {
            return Some(normal(&folder.join(value.replace('\\', "/"))));
        }
    }
    None
}
