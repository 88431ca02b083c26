//! What the Gradle files of an app say, read without running them.
//!
//! A value that cannot be known without running the build is never guessed: it comes back as a [`Stated`] without a value,
//! with its place and the expression.

mod catalog;
mod module;
mod values;
mod variants;

pub use variants::MAX_VARIANTS;
pub use variants::{SourceSet, Variant};

use std::path::{Path, PathBuf};
use std::sync::Arc;

use elvask_markup::SharedText;
use elvask_markup::gradle::{Language, Statement, parse, unpaired};
use values::Properties;

use crate::files::{Files, normal};
use crate::loading::Loading;
use crate::source::{FileId, Place, Sources, read_text};

/// A value that a file states.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stated<T> {
    /// The value, where it can be known without running the build.
    pub value: Option<T>,
    /// Where it is stated: the value itself where it could be followed, else the expression.
    pub place: Option<Place>,
    /// The expression that states it, where the value is not known.
    pub written: Option<String>,
}

impl<T> Default for Stated<T> {
    fn default() -> Self {
        Stated { value: None, place: None, written: None }
    }
}

impl<T> Stated<T> {
    /// Says whether it is stated at all, known or not.
    #[must_use]
    pub fn is_stated(&self) -> bool {
        self.place.is_some()
    }

    /// Says whether it is stated by something that only running the build would tell.
    #[must_use]
    pub fn is_unknown(&self) -> bool {
        self.value.is_none() && self.place.is_some()
    }
}

/// What a module is built into.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ModuleKind {
    /// An app.
    App,
    /// A library of Android code.
    Library,
    /// A feature that is delivered on its own.
    Feature,
    /// Something else.
    Other,
}

/// One module of a Gradle build.
#[derive(Debug, Clone)]
pub struct Module {
    /// Its path in the build: `:app`.
    pub name: String,
    /// Its folder.
    pub folder: PathBuf,
    /// Its build file.
    pub build_file: Option<FileId>,
    /// What it is built into.
    pub kind: ModuleKind,
    /// The namespace of its classes.
    pub namespace: Stated<String>,
    /// The level that it is compiled against.
    pub compile_level: Stated<u32>,
    /// What holds for all variants.
    pub default: Config,
    /// The build types, `debug` and `release` included, which are always there.
    pub build_types: Vec<Config>,
    /// The product flavors.
    pub flavors: Vec<Config>,
    /// The dimensions of the flavors, the strongest first.
    pub dimensions: Vec<String>,
    /// Manifests that a source set takes from somewhere else: the name of the set and the file.
    pub manifests: Vec<(String, PathBuf)>,
    /// The Gradle plugins that are applied.
    pub applied: Vec<Applied>,
    /// The repositories, as they are named or by their address.
    pub repositories: Vec<(String, Place)>,
    /// What the module depends on.
    pub dependencies: Vec<Dependency>,
}

/// A block of settings: the default one, a build type or a flavor.
#[derive(Debug, Clone, Default)]
pub struct Config {
    /// Its name; empty for the default one.
    pub name: String,
    /// Where it is opened.
    pub place: Option<Place>,
    /// Of a flavor: its dimension.
    pub dimension: Option<String>,
    /// The application id.
    pub id: Stated<String>,
    /// What is put behind the application id.
    pub id_suffix: Stated<String>,
    /// The lowest level that the app runs on.
    pub min_level: Stated<u32>,
    /// The level that the app is built for.
    pub target_level: Stated<u32>,
    /// The version that people see.
    pub version_name: Stated<String>,
    /// What is put behind that version.
    pub version_suffix: Stated<String>,
    /// The version that the system compares.
    pub version_code: Stated<u32>,
    /// The values that are put into the manifest.
    pub placeholders: Vec<(String, Stated<String>)>,
    /// Where more placeholders are set in a way that is not known.
    pub unknown_placeholders: Option<Place>,
    /// The files of keep rules.
    pub keep_rules: Vec<Stated<String>>,
    /// Whether code is shrunk.
    pub shrinks: Stated<bool>,
    /// The signing configuration that it names in any case, with the place.
    pub signing: Option<(String, Place)>,
}

/// A Gradle plugin that a module applies.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Applied {
    /// Its id.
    pub id: String,
    /// Its version, where it is stated.
    pub version: Option<String>,
    /// Where it is applied.
    pub place: Place,
}

/// What a dependency leads to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Source {
    /// An artifact of a repository.
    Artifact {
        /// The group.
        group: String,
        /// The name in the group.
        name: String,
        /// The version, where it is stated.
        version: Option<String>,
    },
    /// A module of the same build: `:core`.
    Module(String),
    /// Something that only running the build would tell, as written.
    Unknown(String),
}

/// A dependency of a module.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Dependency {
    /// For what: `implementation`, `freeApi`.
    pub configuration: String,
    /// What.
    pub source: Source,
    /// Where it is stated.
    pub place: Place,
}

impl Dependency {
    /// Says whether what it leads to becomes part of what ships: tests, debug builds and tools of the build do not.
    #[must_use]
    pub fn ships(&self) -> bool {
        let name = self.configuration.to_ascii_lowercase();
        let tool = ["kapt", "ksp", "annotationprocessor", "lintchecks", "corelibrarydesugaring", "classpath"];
        (name.ends_with("implementation")
            || name.ends_with("api")
            || name.ends_with("compile")
            || name.ends_with("runtimeonly"))
            && !name.contains("test")
            && !name.starts_with("debug")
            && !tool.iter().any(|tool| name.starts_with(tool))
    }
}

/// A Gradle build: its modules and where it starts.
#[derive(Debug, Clone)]
pub struct Build {
    /// The folder of its settings file, or the one around the app's module.
    pub root: PathBuf,
    /// Its modules.
    pub modules: Vec<Module>,
}

impl Build {
    /// Returns a module by its path in the build.
    #[must_use]
    pub fn module(&self, name: &str) -> Option<&Module> {
        self.modules.iter().find(|module| module.name == name)
    }
}

const BUILD_FILES: [&str; 2] = ["build.gradle", "build.gradle.kts"];
const SETTINGS_FILES: [&str; 2] = ["settings.gradle", "settings.gradle.kts"];

/// The most modules of a build that are read.
const MAX_MODULES: usize = 1000;

/// A build file that has been read.
#[derive(Clone)]
struct Script {
    file: FileId,
    text: SharedText,
    statements: Arc<Vec<Statement>>,
}

/// Returns the build file in a folder.
pub fn build_file(files: &dyn Files, folder: &Path) -> Option<PathBuf> {
    BUILD_FILES.iter().map(|name| folder.join(name)).find(|path| files.is_file(path))
}

/// Returns the settings file in a folder.
pub fn settings_file(files: &dyn Files, folder: &Path) -> Option<PathBuf> {
    SETTINGS_FILES.iter().map(|name| folder.join(name)).find(|path| files.is_file(path))
}

fn script(loading: &mut Loading<'_>, path: &Path) -> Option<Script> {
    let shown = loading.shown(path);
    let (file, text) = loading.read(path, &shown)?;
    let statements = Arc::new(parse(&text, Language::of_file(&shown)));
    if let Some(span) = unpaired(&text) {
        let what = "a bracket has no other one here: the build would stop at it, and nothing is added to this file";
        loading.unresolved(what.to_owned(), Place { file, span });
    }
    Some(Script { file, text, statements })
}

/// What all modules of a build share.
pub struct Workspace {
    root: PathBuf,
    properties: Properties,
    local: Option<Properties>,
    shared: values::Names,
    catalogs: Vec<catalog::Catalog>,
    repositories: Vec<(String, Place)>,
    /// The paths of the modules with their folders.
    modules: Vec<(String, PathBuf)>,
}

impl Workspace {
    /// Reads what the modules of the build share in which the folder `inside` lies.
    pub fn around(loading: &mut Loading<'_>, inside: &Path) -> Self {
        let files = loading.files;
        // The search ends at the app: what lies above it is another build.
        let above = inside.ancestors().take_while(|folder| folder.starts_with(&loading.root));
        let root = above.into_iter().find(|folder| settings_file(files, folder).is_some());
        let root = root.or(inside.parent()).unwrap_or(inside).to_owned();
        let mut workspace = Workspace {
            properties: values::read_properties(loading, &root.join("gradle.properties")).unwrap_or_default(),
            local: values::read_properties(loading, &root.join("local.properties")),
            catalogs: catalog::read_all(loading, &root),
            shared: values::Names::default(),
            repositories: Vec::new(),
            modules: Vec::new(),
            root: root.clone(),
        };
        if let Some(path) = settings_file(files, &root)
            && let Some(settings) = script(loading, &path)
        {
            workspace.modules = module::included(&settings, &root);
            let mut repositories = Vec::new();
            module::repositories(&workspace, &settings, &mut repositories);
            workspace.repositories = repositories;
        }
        if let Some(path) = build_file(files, &root)
            && root != inside
            && let Some(build) = script(loading, &path)
        {
            let mut repositories = Vec::new();
            module::repositories(&workspace, &build, &mut repositories);
            workspace.repositories.extend(repositories);
            let scripts = module::with_applied(loading, &workspace, build);
            let names = values::Names::of(&workspace, &scripts);
            workspace.shared = names;
        }
        workspace
    }

    fn name_of(&self, folder: &Path) -> String {
        let listed = self.modules.iter().find(|(_, at)| at == folder).map(|(name, _)| name.clone());
        listed.unwrap_or_else(|| {
            let inside = folder.strip_prefix(&self.root).unwrap_or(folder);
            let parts = inside.components().map(|part| part.as_os_str().to_string_lossy().into_owned());
            format!(":{}", parts.collect::<Vec<_>>().join(":"))
        })
    }

    /// Reads the module in a folder.
    pub(crate) fn module(&self, loading: &mut Loading<'_>, folder: &Path) -> Module {
        module::read(loading, self, folder)
    }

    /// Reads the modules of the build, the given one first.
    pub fn build(&self, loading: &mut Loading<'_>, app: &Path) -> Build {
        let mut modules = vec![self.module(loading, app)];
        for (_, folder) in self.modules.iter().filter(|(_, folder)| folder != app).take(MAX_MODULES) {
            if folder.starts_with(&loading.root) && build_file(loading.files, folder).is_some() {
                modules.push(self.module(loading, folder));
            }
        }
        Build { root: self.root.clone(), modules }
    }
}

/// What a package's own build file says of the library that it makes.
#[derive(Debug)]
pub struct LibraryBuild {
    /// The namespace.
    pub namespace: Option<String>,
    /// The lowest level.
    pub min_level: Option<u32>,
    /// The level that it is made for.
    pub target_level: Option<u32>,
    /// The manifest of the source set `main`.
    pub manifest: PathBuf,
}

/// Reads a package's own build file, where there is one, without the rest of the build around it. Nothing of it is kept: no place
/// in it is ever shown.
pub fn read_alone(files: &dyn Files, folder: &Path) -> LibraryBuild {
    let workspace = Workspace {
        root: normal(folder),
        properties: Properties::default(),
        local: None,
        shared: values::Names::default(),
        catalogs: Vec::new(),
        repositories: Vec::new(),
        modules: Vec::new(),
    };
    let script = build_file(files, folder).and_then(|path| {
        let text: SharedText = read_text(files, &path).ok()?.into();
        let statements = Arc::new(parse(&text, Language::of_file(&path.to_string_lossy())));
        let file = Sources::new(folder).add(&path, "");
        Some(Script { file, text, statements })
    });
    module::of(&workspace, folder, script.into_iter().collect()).library()
}
