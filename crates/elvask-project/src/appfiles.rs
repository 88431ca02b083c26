//! An app as its own files state it: its two sides, without what its packages need.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use elvask_markup::xml::Document;
use elvask_platform::{Platform, Version};

use crate::filters::Entry;
use crate::gradle::{Module, Stated, Variant};
use crate::layout::Layout;
use crate::levels::Levels;
use crate::loading::{Fault, Unresolved};
use crate::merge::Library;
use crate::msbuild::SourceDeclaration;
use crate::source::{FileId, Place, Sources};
use crate::xcode::{ConfigFiles, Product, Project};

/// An app as its files state it.
#[derive(Debug, Clone, Default)]
pub struct AppFiles {
    /// Its folder, absolute.
    pub root: PathBuf,
    /// How its folders are arranged.
    pub layouts: Vec<Layout>,
    /// Its Android side.
    pub android: Option<AndroidApp>,
    /// Its iOS side.
    pub ios: Option<IosApp>,
    /// What its `config.xml` says, in the layout `widget`.
    pub widget: Option<Widget>,
    /// What its platform files are made of, where the tools of its layout make them.
    pub generated: Option<Generated>,
    /// The files that sheets want in the platforms' projects.
    pub required: Vec<RequiredFile>,
    /// Every text that was read.
    pub sources: Sources,
    /// What kept parts of the app from being looked at.
    pub faults: Vec<Fault>,
    /// What a person should know of the limits of the look.
    pub notices: Vec<String>,
    /// What cannot be known without running the build, each thing once.
    pub unresolved: Vec<Unresolved>,
}

impl AppFiles {
    /// Returns the levels that conditions are held against, of the first variant that is judged.
    #[must_use]
    pub fn levels(&self) -> Levels {
        let first = self.android.as_ref().and_then(|android| android.judged().next());
        self.levels_of(first)
    }

    /// Returns the levels of every variant that is judged.
    #[must_use]
    pub fn all_levels(&self) -> Vec<Levels> {
        match &self.android {
            Some(android) => android.judged().map(|variant| self.levels_of(Some(variant))).collect(),
            None => vec![self.levels_of(None)],
        }
    }

    /// Returns the levels of a variant; without one, what is known of the app.
    #[must_use]
    pub fn levels_of(&self, variant: Option<&Variant>) -> Levels {
        Levels {
            variant: variant.map(|variant| variant.name.clone()).unwrap_or_default(),
            target: variant
                .and_then(|variant| variant.target_level.value)
                .unwrap_or(elvask_platform::release::assumed_target_level()),
            min: variant.and_then(|variant| variant.min_level.value),
            ios: self.ios.as_ref().and_then(|app| app.min_version.value),
        }
    }

    /// Returns the file that some sheet wants at a path of a platform's project; `None` where the app does not have the platform's project.
    #[must_use]
    pub fn required_file(&self, platform: Platform, path: &str) -> Option<&RequiredFile> {
        self.required.iter().find(|file| file.platform == platform && file.path == path)
    }

    /// Says whether the app has a platform.
    #[must_use]
    pub fn has(&self, platform: Platform) -> bool {
        match platform {
            Platform::Android => self.android.is_some(),
            Platform::Ios => self.ios.is_some(),
        }
    }
}

/// A file that a sheet wants in a platform's project.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RequiredFile {
    /// Whose project.
    pub platform: Platform,
    /// The path in that project, as the sheet has it.
    pub path: String,
    /// The path from the app.
    pub shown: String,
    /// Its text, where it is there and can be read; of several for variants one.
    pub file: Option<FileId>,
    /// The files of the variants that are judged, where the app has such a file for some of them; empty where one is for all.
    pub variants: Vec<VariantFile>,
    /// Whether the project copies it into the app, where that is known and asked.
    pub taken: Option<bool>,
}

/// The file that a variant takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct VariantFile {
    /// The variant.
    pub variant: String,
    /// The path from the app.
    pub shown: String,
    /// Its text; `None` where there is none for this variant.
    pub file: Option<FileId>,
}

impl RequiredFile {
    /// Returns the path from the app, and the text, of the file that a variant takes.
    #[must_use]
    pub fn of_variant(&self, variant: &str) -> (&str, Option<FileId>) {
        let own = self.variants.iter().find(|one| one.variant == variant);
        own.map_or((self.shown.as_str(), self.file), |own| (own.shown.as_str(), own.file))
    }
}

/// The Android side of an app.
#[derive(Debug, Clone)]
pub struct AndroidApp {
    /// The folder of the app module.
    pub module: PathBuf,
    /// The path of the main manifest.
    pub manifest_path: PathBuf,
    /// The text of the main manifest, where it could be read.
    pub manifest: Option<FileId>,
    /// The application id of the first variant that is judged.
    pub id: Stated<String>,
    /// The namespace of relative class names.
    pub namespace: Option<String>,
    /// The lowest level that the app runs on: the lowest of the variants that are judged.
    pub min_level: Level,
    /// The level that the app is built for.
    pub target_level: Level,
    /// Its modules, the app's own first; none where it is not built by Gradle.
    pub modules: Vec<Module>,
    /// All its variants, those of the release build type first. There is at least one.
    pub variants: Vec<Variant>,
    /// Which of them are judged, by their place in `variants`. There is at least one.
    pub judged: Vec<usize>,
    /// The manifests of its source sets, by their paths.
    pub manifests: Vec<(PathBuf, FileId)>,
    /// The manifests that its libraries bring along, in the order in which they are depended on.
    pub libraries: Vec<LibraryManifest>,
    /// The files of keep rules of the release build type.
    pub keep_rules: Vec<FileId>,
    /// What its source declares to the platform.
    pub in_source: Vec<SourceDeclaration>,
    /// The resources to which its manifests and its packages' needs refer are looked for among these.
    pub resources: Resources,
    /// The texts of its resources, by name, where a filter refers to one.
    pub strings: Vec<(String, String)>,
    /// The activities that its source declares to the platform.
    pub activities: Vec<Entry>,
}

/// The manifest of a library.
#[derive(Debug, Clone)]
pub struct LibraryManifest {
    /// Whose it is.
    pub library: Library,
    /// Its text.
    pub file: FileId,
    /// What the text says.
    pub document: Arc<Document>,
    /// The namespace of its relative class names.
    pub namespace: Option<String>,
    /// The configurations under which the app depends on it; empty where it is part of every variant.
    pub configurations: Vec<String>,
}

impl AndroidApp {
    /// Makes an app of one variant that no Gradle builds, from where its manifest is.
    #[must_use]
    pub fn of_one(module: PathBuf, manifest_path: PathBuf, variant: Variant) -> Self {
        AndroidApp {
            module,
            manifest_path,
            manifest: None,
            namespace: variant.id.value.clone(),
            id: variant.id.clone(),
            min_level: variant.min_level.clone(),
            target_level: variant.target_level.clone(),
            modules: Vec::new(),
            variants: vec![variant],
            judged: vec![0],
            manifests: Vec::new(),
            libraries: Vec::new(),
            keep_rules: Vec::new(),
            in_source: Vec::new(),
            strings: Vec::new(),
            resources: Resources::default(),
            activities: Vec::new(),
        }
    }

    /// Returns the folders of resources of the variants that are judged: that of the main source set first.
    #[must_use]
    pub fn resource_folders(&self) -> Vec<PathBuf> {
        let mut folders = vec![self.manifest_path.with_file_name("res")];
        for set in self.judged().flat_map(|variant| &variant.source_sets) {
            let folder = set.manifest.with_file_name("res");
            if !folders.contains(&folder) {
                folders.push(folder);
            }
        }
        folders
    }

    /// Goes through the variants that are judged.
    pub fn judged(&self) -> impl Iterator<Item = &Variant> {
        self.judged.iter().filter_map(|at| self.variants.get(*at))
    }

    /// Returns the text of a source set's manifest.
    #[must_use]
    pub fn manifest_at(&self, path: &Path) -> Option<FileId> {
        self.manifests.iter().find(|(known, _)| known == path).map(|(_, file)| *file)
    }
}

/// The iOS side of an app.
#[derive(Debug, Clone, Default)]
pub struct IosApp {
    /// The name of the app target.
    pub target: Option<String>,
    /// The configuration that is judged.
    pub configuration: String,
    /// The project, where there is one.
    pub project: Option<Arc<Project>>,
    /// The configuration files of the project.
    pub config_files: Arc<ConfigFiles>,
    /// The path of the target's property list; that of the project file where the build makes the whole list.
    pub plist_path: PathBuf,
    /// The text of that list, where it could be read.
    pub plist: Option<FileId>,
    /// Whether the build makes the whole list, so that there is no file of it.
    pub generated: bool,
    /// The bundle id.
    pub id: Stated<String>,
    /// The version that people see.
    pub version: Stated<String>,
    /// The version of the build.
    pub build: Stated<String>,
    /// The lowest version that the app runs on.
    pub min_version: Stated<Version>,
    /// The language in which the project is developed.
    pub language: Option<String>,
    /// The entitlements of each configuration of the target.
    pub entitlements: Vec<EntitlementsFile>,
    /// The entitlements file that may come to be, where no setting names one.
    pub entitlements_to_make: Option<FileId>,
    /// The only entitlements file beside the property list, where no setting names one.
    pub entitlements_unwired: Option<FileId>,
    /// Purposes and names in the languages of the app.
    pub texts: Vec<LocalText>,
    /// The privacy manifests.
    pub privacy: Vec<FileId>,
    /// The one of them that stands beside the property list and that the project does not put into the app.
    pub privacy_unlisted: Option<FileId>,
    /// What the app embeds.
    pub extensions: Vec<Extension>,
}

/// The entitlements of one configuration.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EntitlementsFile {
    /// The configuration.
    pub configuration: String,
    /// The path of the file, where a setting names one that can be known.
    pub path: Option<PathBuf>,
    /// The text of the file, where it could be read.
    pub file: Option<FileId>,
    /// Where the setting stands; `None` where there is none.
    pub place: Option<Place>,
}

/// A text of `Info.plist` in one language.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LocalText {
    /// The language: `nl`.
    pub language: String,
    /// The key.
    pub key: String,
    /// The text.
    pub text: String,
    /// Where.
    pub place: Place,
}

/// Something that an app embeds: an extension, a clip, an app for a watch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Extension {
    /// The name of its target.
    pub name: String,
    /// What it is built into.
    pub product: Product,
    /// Its bundle id.
    pub id: Stated<String>,
    /// Its property list.
    pub plist: Option<FileId>,
    /// Its entitlements.
    pub entitlements: Vec<EntitlementsFile>,
}

/// A level that a build file states.
pub type Level = Stated<u32>;

/// Why there is nothing to look at.
#[derive(Debug, thiserror::Error)]
pub enum LoadError {
    /// No dependency file.
    #[error(
        "{0}: no app here: there is no pubspec.yaml, package.json, app.json, config.xml, .csproj for mobile platforms, Gradle build or Xcode project"
    )]
    NoApp(String),
    /// The folder is not there.
    #[error("{0}: there is no such folder")]
    NoFolder(String),
    /// A folder of sheets is not there.
    #[error("{0}: there is no such folder of sheets")]
    NoSheetFolder(String),
    /// A folder is not a package that the app's tools would take.
    #[error("{0}: this is not a package as the app takes them ({1})")]
    NoPackage(String, String),
    /// There is no variant of that name.
    #[error("there is no variant `{name}`; the app has: {}", listed(known))]
    NoVariant {
        /// The name that was asked for.
        name: String,
        /// The names that there are.
        known: Vec<String>,
    },
    /// There is no app target of that name.
    #[error("there is no target `{name}`; the project has: {}", listed(known))]
    NoTarget {
        /// The name that was asked for.
        name: String,
        /// The names that there are.
        known: Vec<String>,
    },
    /// There is no configuration of that name.
    #[error("there is no configuration `{name}`; the target has: {}", listed(known))]
    NoConfiguration {
        /// The name that was asked for.
        name: String,
        /// The names that there are.
        known: Vec<String>,
    },
}

/// Lists the names that there are, for people.
fn listed(known: &[String]) -> String {
    if known.is_empty() { "none".to_owned() } else { known.join(", ") }
}

/// What a `config.xml` says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Widget {
    /// The file.
    pub file: FileId,
    /// The id of the app.
    pub id: Option<Said>,
    /// Its version.
    pub version: Option<Said>,
    /// Its name.
    pub name: Option<Said>,
    /// What it is, in a sentence.
    pub description: Option<Said>,
    /// Who made it.
    pub author: Option<Said>,
    /// The platforms that it names.
    pub platforms: Vec<Platform>,
    /// What else it declares, in the order of the file.
    pub declares: Vec<WidgetDeclaration>,
}

/// A text with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// The text.
    pub text: String,
    /// Where.
    pub place: Place,
}

/// One declaration of a `config.xml`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WidgetDeclaration {
    /// `access`, `feature`, `preference`, `icon`, `config-file` or `edit-config`.
    pub kind: &'static str,
    /// What it is about: an origin, the name of a feature or preference, a file.
    pub name: String,
    /// Its value.
    pub value: Option<String>,
    /// The platform that it is for; `None` for all.
    pub platform: Option<Platform>,
    /// Where.
    pub place: Place,
}

/// The resources of an app's module, as far as they are looked at.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Resources {
    /// The files under `values`, those too that may come to be.
    pub values: Vec<ResourceFile>,
    /// The files of texts in other languages, where they were asked for.
    pub languages: Vec<ResourceFile>,
    /// The resources that are files of their own, as `type/name`, and those that the build and the packages bring along.
    pub named: Vec<String>,
    /// Those that some devices of the app do not find, as `type/name`, with the folders that hold them: of one language, of newer levels.
    pub limited: Vec<(String, Vec<String>)>,
    /// The network security configurations to which manifests refer, with their paths; where the owner says where the app connects to, also the one that may
    /// come to be.
    pub network: Vec<(PathBuf, FileId)>,
    /// The truth values to which manifests refer, as `bool/name`, that are the same for all devices.
    pub flags: Vec<(String, bool)>,
    /// Whether all folders of resources are known, so that what is not found there is nowhere in the app.
    pub complete: bool,
}

/// A file of values.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ResourceFile {
    /// Its text; empty where it is not there yet.
    pub file: FileId,
}

/// The document that an app's platform files are made of, and the files as they are made in memory.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Generated {
    /// The layout whose tools make them.
    pub layout: Layout,
    /// The document.
    pub source: FileId,
    /// The manifest, where the app has that side.
    pub manifest: Option<FileId>,
    /// The property list, where the app has that side.
    pub plist: Option<FileId>,
    /// The entitlements, likewise.
    pub entitlements: Option<FileId>,
    /// The documents of packages that add to them.
    pub plugins: Vec<GeneratedFrom>,
    /// The name that the document gives to the app.
    pub name: Stated<String>,
    /// The folders that the tools have made, as they are shown; none where nothing has been made yet.
    pub folders: Vec<String>,
}

/// A package's document that adds to the platform files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GeneratedFrom {
    /// The package.
    pub name: String,
    /// The document.
    pub file: FileId,
    /// The variables that are put into its texts, the longest name first.
    pub variables: Vec<Variable>,
}

/// A variable of a package's document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Variable {
    /// What stands for it: `$NAME`.
    pub reference: String,
    /// Its value.
    pub value: String,
    /// Whether the app's document gives the value, so that it changes with that.
    pub given: bool,
}
