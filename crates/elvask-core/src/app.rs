//! An app as it is found: its layouts, its platforms, its plugins with their sheets, and its owner's answers.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use elvask_markup::Span;
use elvask_markup::xml::Document;
use elvask_platform::{Platform, Version, android};
use rayon::prelude::*;
use serde::Serialize;

use crate::config::{self, Config};
use crate::discover::linking::Linking;
use crate::discover::widget::Widget;
use crate::discover::{self, Layout, Package};
use crate::evidence::{Cache, Evidence, learn_cached};
use crate::files::{FileKind, Files, shown};
use crate::gradle::{self, Build, Module, Stated, Variant};
use crate::merge::Library;
use crate::msbuild::SourceDeclaration;
use crate::own::OwnCode;
use crate::reach::{self, BuiltUpon, Judged};
use crate::requirement::{EvidenceKind, Levels, Need, Requirement};
use crate::sheet::{self, Sheet};
use crate::source::{FileId, Place, Sources, read_text};
use crate::tomldoc::Problem;
use crate::xcode::{ConfigFiles, Product, Project};

pub use crate::discover::{find_app_in, find_apps, find_root};

/// An app.
#[derive(Debug, Clone)]
pub struct App {
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
    /// The dependencies that may require something: those that the app's own file names, then those that they need.
    pub plugins: Vec<Plugin>,
    /// What its owner says in `elvask.toml`.
    pub config: Config,
    /// Where `elvask.toml` stands, if there is one.
    pub config_file: Option<FileId>,
    /// The folder that is put on the web, where `elvask.toml` names one.
    pub site: Option<discover::site::Site>,
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

/// A file that a sheet wants in a platform's project.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RequiredFile {
    /// Whose project.
    pub platform: Platform,
    /// The path in that project, as the sheet has it.
    pub path: String,
    /// The path from the app.
    pub shown: String,
    /// Its text, where it is there and can be read.
    pub file: Option<FileId>,
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
    /// The texts of its resources, by name, where a filter refers to one.
    pub strings: Vec<(String, String)>,
    /// The activities that its source declares to the platform.
    pub activities: Vec<crate::link::android::Entry>,
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
    pub(crate) config_files: Arc<ConfigFiles>,
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
    /// Purposes and names in the languages of the app.
    pub texts: Vec<LocalText>,
    /// The privacy manifests.
    pub privacy: Vec<FileId>,
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

/// A dependency that may require something of the app.
#[derive(Debug, Clone, Default)]
pub struct Plugin {
    /// The name by which the dependency file knows it.
    pub name: String,
    /// The installed version.
    pub version: Option<String>,
    /// The folder of the package; `None` where it is not installed.
    pub root: Option<PathBuf>,
    /// The platforms that the package has native code for.
    pub platforms: Vec<Platform>,
    /// Where the app's dependency file names it; `None` for what only other packages need.
    pub dependency: Option<Place>,
    /// What it requires, as a sheet states it.
    pub sheet: Option<PluginSheet>,
    /// What its own files show, where they were looked into. Files are named from the app.
    pub evidence: Option<Arc<Evidence>>,
    /// What is judged of each requirement that its files show, in their order.
    pub judged: Vec<Judged>,
    /// Why it is no part of the app on a platform.
    pub out: Vec<(Platform, String)>,
    /// The packages that it wants beside it.
    pub peers: Vec<String>,
    /// The packages that it brings along.
    pub brings: Vec<String>,
    /// How many packages want it beside them, those without native code among them.
    pub wanted_by: usize,
    /// Whether it is what the app runs on, and no plugin.
    pub runtime: bool,
    /// Whether it is no dependency, but the app's own code or its owner's wish.
    pub own: bool,
}

impl Plugin {
    /// Says whether the app's build leaves it out on a platform.
    #[must_use]
    pub fn is_out(&self, platform: Platform) -> bool {
        let for_development = self.evidence.as_deref().is_some_and(|evidence| evidence.for_development);
        for_development || self.out.iter().any(|(out, _)| *out == platform)
    }
}

/// A plugin's sheet and where it was found.
#[derive(Debug, Clone)]
pub struct PluginSheet {
    /// The sheet.
    pub sheet: Arc<Sheet>,
    /// The file.
    pub file: FileId,
    /// Who put it there.
    pub origin: SheetOrigin,
}

/// Who put a sheet where it was found; a later one wins over an earlier one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum SheetOrigin {
    /// The package brings it along.
    Package,
    /// It lies in the app's `elvask/sheets/`.
    App,
    /// It lies in a folder that was named on the command line.
    Folder,
}

/// Something that cannot be known without running the build.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unresolved {
    /// What, in a sentence without a full stop.
    pub what: String,
    /// Where it is stated.
    pub place: Place,
}

/// What kept a part from being looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// Which kind.
    pub kind: FaultKind,
    /// What is wrong, in a sentence without a full stop.
    pub message: String,
    /// The file, as it is shown.
    pub file: String,
    /// Where.
    pub place: Place,
    /// Another place that belongs to it, with a word about it.
    pub related: Option<(Place, String)>,
}

/// The kinds of fault.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FaultKind {
    /// A file of the app cannot be read.
    File,
    /// A sheet is not as it must be.
    Sheet,
    /// `elvask.toml` is not as it must be.
    Config,
}

/// Why there is nothing to look at.
#[derive(Debug, thiserror::Error)]
pub enum LoadError {
    /// No dependency file.
    #[error(
        "{0}: no app here: there is no pubspec.yaml, package.json, config.xml, .csproj for mobile platforms, Gradle build or Xcode project"
    )]
    NoApp(String),
    /// The folder is not there.
    #[error("{0}: there is no such folder")]
    NoFolder(String),
    /// A folder of sheets is not there.
    #[error("{0}: there is no such folder of sheets")]
    NoSheetFolder(String),
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

/// What to look at, where a person says more than the app's folder.
#[derive(Debug, Clone, Default)]
pub struct Choice {
    /// Folders with sheets that win over those of the app and of the packages.
    pub sheets: Vec<PathBuf>,
    /// The Android variant; without it, every variant of the release build type.
    pub variant: Option<String>,
    /// The iOS target; without it, the app target.
    pub target: Option<String>,
    /// The iOS configuration; without it, `Release`.
    pub configuration: Option<String>,
    /// The folder of packages of the layout `msbuild` that the environment names.
    pub package_folder: Option<PathBuf>,
    /// Which packages are looked into.
    pub look: Look,
    /// Where is kept what was found in packages.
    pub cache: Option<Arc<dyn Cache>>,
}

/// Which packages are looked into for what they require.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Look {
    /// Those without a sheet.
    #[default]
    WithoutSheet,
    /// All of them.
    All,
    /// None.
    Nowhere,
}

/// An app while it is being found.
pub(crate) struct Loading<'f> {
    pub(crate) files: &'f dyn Files,
    pub(crate) root: PathBuf,
    sources: Sources,
    faults: Vec<Fault>,
    notices: Vec<String>,
    unresolved: Vec<Unresolved>,
    /// The Gradle build, where its packages were looked for already.
    pub(crate) build: Option<(PathBuf, Build)>,
}

impl<'f> Loading<'f> {
    pub(crate) fn shown(&self, path: &Path) -> String {
        shown(path, &self.root)
    }

    /// Takes in a text that has been read already.
    pub(crate) fn add(&mut self, path: &Path, text: impl Into<Arc<str>>) -> FileId {
        self.sources.add(path, text)
    }

    /// Takes in a file that is not there and may come to be.
    pub(crate) fn add_absent(&mut self, path: &Path) -> FileId {
        self.sources.add_absent(path)
    }

    /// Returns the path of a file that has been read.
    pub(crate) fn path(&self, file: FileId) -> &Path {
        &self.sources.file(file).path
    }

    /// Returns the text of a file that has been read.
    pub(crate) fn text(&self, file: FileId) -> &str {
        &self.sources.file(file).text
    }

    /// Goes on reading without noting anything; [`Loading::take_sources`] takes back what was read.
    pub(crate) fn quiet(&mut self) -> Loading<'f> {
        Loading {
            files: self.files,
            root: self.root.clone(),
            sources: std::mem::take(&mut self.sources),
            faults: Vec::new(),
            notices: Vec::new(),
            unresolved: Vec::new(),
            build: None,
        }
    }

    /// Takes over the texts that were read quietly.
    pub(crate) fn take_sources(&mut self, quiet: Loading<'f>) {
        self.sources = quiet.sources;
    }

    /// Notes that something cannot be known without running a build.
    pub(crate) fn unresolved(&mut self, what: String, place: Place) {
        if !self.unresolved.iter().any(|known| known.place == place) {
            self.unresolved.push(Unresolved { what, place });
        }
    }

    pub(crate) fn notice(&mut self, message: String) {
        self.notices.push(message);
    }

    /// Reads a file; what keeps it from being read is noted as a fault.
    pub(crate) fn read(&mut self, path: &Path, shown: &str) -> Option<(FileId, Arc<str>)> {
        let (file, read) = self.sources.read(self.files, path);
        match read {
            Ok(text) => Some((file, text)),
            Err(error) => {
                self.unreadable(shown, &error.message(), Place { file, span: Span::at(0) });
                None
            }
        }
    }

    pub(crate) fn unreadable(&mut self, shown: &str, message: &str, place: Place) {
        let (message, file) = (message.to_owned(), shown.to_owned());
        self.faults.push(Fault { kind: FaultKind::File, message, file, place, related: None });
    }

    pub(crate) fn bad_json(&mut self, shown: &str, file: FileId, error: &serde_json::Error) {
        let text = &self.sources.file(file).text;
        let start: usize = text.split_inclusive('\n').take(error.line().saturating_sub(1)).map(str::len).sum();
        let at = (start + error.column().saturating_sub(1)).min(text.len());
        // Columns of the reader count bytes, so the place may lie inside a character.
        let at = (0..=at).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
        let message = error.to_string();
        let message = message.split(" at line ").next().unwrap_or(&message).to_owned();
        self.unreadable(shown, &message, Place { file, span: Span::at(at) });
    }

    fn problems(&mut self, kind: FaultKind, file: FileId, problems: Vec<Problem>) {
        let shown = self.sources.file(file).shown.clone();
        self.faults.extend(problems.into_iter().map(|problem| Fault {
            kind,
            message: problem.message,
            file: shown.clone(),
            place: Place { file, span: problem.span },
            related: None,
        }));
    }
}

impl App {
    /// Returns an app with nothing in it.
    pub(crate) fn empty() -> App {
        App {
            root: PathBuf::new(),
            layouts: Vec::new(),
            android: None,
            ios: None,
            widget: None,
            plugins: Vec::new(),
            config: Config::default(),
            config_file: None,
            site: None,
            required: Vec::new(),
            sources: Sources::default(),
            faults: Vec::new(),
            notices: Vec::new(),
            unresolved: Vec::new(),
        }
    }

    /// Finds the app in the folder `root`, with sheets from the package, from the app and from `sheet_folders`, later ones
    /// winning over earlier ones.
    ///
    /// What cannot be read is noted in [`App::faults`] and does not end the search.
    ///
    /// # Errors
    /// [`LoadError`] when there is no app in the folder or a folder of sheets is not there.
    pub fn load(files: &dyn Files, root: &Path, sheet_folders: &[PathBuf]) -> Result<App, LoadError> {
        App::load_choice(files, root, &Choice { sheets: sheet_folders.to_vec(), ..Choice::default() })
    }

    /// Finds the app in the folder `root`, and in it what a person has chosen to look at.
    ///
    /// # Errors
    /// [`LoadError`] as for [`App::load`], and where there is no variant, target or configuration of the chosen name.
    pub fn load_choice(files: &dyn Files, root: &Path, choice: &Choice) -> Result<App, LoadError> {
        let sheet_folders = choice.sheets.as_slice();
        if !files.is_folder(root) {
            return Err(LoadError::NoFolder(root.display().to_string()));
        }
        let layouts = Layout::at(files, root);
        if layouts.is_empty() {
            return Err(LoadError::NoApp(root.display().to_string()));
        }
        if let Some(missing) = sheet_folders.iter().find(|folder| !files.is_folder(folder)) {
            return Err(LoadError::NoSheetFolder(missing.display().to_string()));
        }
        let mut loading = Loading {
            files,
            root: root.to_owned(),
            sources: Sources::new(root),
            faults: Vec::new(),
            notices: Vec::new(),
            unresolved: Vec::new(),
            build: None,
        };
        let config_path = root.join(config::FILE_NAME);
        let (config, config_file) =
            if files.is_file(&config_path) { read_config(&mut loading, &config_path) } else { Default::default() };
        let packages: Vec<_> = layouts
            .iter()
            .flat_map(|layout| match layout {
                Layout::Pubspec => discover::pubspec::packages(&mut loading),
                Layout::Npm => discover::npm::packages(&mut loading),
                Layout::Msbuild => discover::msbuild::packages(&mut loading, choice),
                Layout::Widget => discover::widget::packages(&mut loading),
                Layout::Gradle => discover::native::gradle_packages(&mut loading),
                Layout::Xcode => discover::native::xcode_packages(&mut loading),
            })
            .collect();
        let mut plugins = plugins(&mut loading, packages, sheet_folders);
        let own = look_into(files, root, choice, &mut plugins);
        let linking = discover::linking::read(files, root);
        leave_out(&mut plugins, &linking);
        if let Some(file) = config_file {
            let unknown = plugins.iter().filter_map(|plugin| plugin.sheet.as_ref());
            let problems: Vec<_> = unknown.flat_map(|sheet| config.check_against(&sheet.sheet)).collect();
            loading.problems(FaultKind::Config, file, problems);
        }
        let widget = layouts.contains(&Layout::Widget).then(|| discover::widget::read(&mut loading)).flatten();
        let (mut android, mut ios) = (None, None);
        if layouts.contains(&Layout::Msbuild) {
            android = discover::msbuild::android(&mut loading, &plugins);
            ios = discover::msbuild::ios(&mut loading);
        }
        // An app of one platform alone may have the other one beside it, in a folder of its own.
        if android.is_none() && !layouts.contains(&Layout::Msbuild) {
            android = discover::android::find(&mut loading, &plugins, choice)?;
        }
        if ios.is_none() && !layouts.contains(&Layout::Msbuild) {
            ios = discover::ios::find(&mut loading, choice)?;
        }
        is_met(choice, android.as_ref(), ios.as_ref())?;
        if choice.look != Look::Nowhere {
            judge(&loading, ios.as_ref(), &own, &linking, &mut plugins);
            own.limits.iter().for_each(|limit| loading.notice(limit.clone()));
            if let Some(notice) = compiled_already(&plugins) {
                loading.notice(notice);
            }
            plugins.extend(own_code(&loading, choice, &own, android.as_ref(), ios.as_ref()));
        }
        let required = required_files(&mut loading, &plugins, android.as_ref(), ios.as_ref());
        if android.is_none() && ios.is_none() && loading.faults.is_empty() {
            let platforms = widget.as_ref().is_some_and(|widget| !widget.platforms.is_empty());
            loading.notice(if platforms {
                "the platforms' own projects are not there, as nothing has been prepared yet: only config.xml is looked at".to_owned()
            } else {
                "neither an Android app module nor an Xcode project with an app target was found".to_owned()
            });
        }
        let site = config.links.site.as_ref().map(|site| discover::site::read(&mut loading, &site.text));
        let Loading { sources, faults, notices, unresolved, .. } = loading;
        let root = root.to_owned();
        Ok(App {
            root,
            layouts,
            android,
            ios,
            widget,
            plugins,
            config,
            config_file,
            site,
            required,
            sources,
            faults,
            notices,
            unresolved,
        })
    }

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
            target: variant.and_then(|variant| variant.target_level.value).unwrap_or(android::ASSUMED_TARGET_LEVEL),
            min: variant.and_then(|variant| variant.min_level.value),
            ios: self.ios.as_ref().and_then(|app| app.min_version.value),
        }
    }

    /// Returns the file that a requirement asks for; `None` where the app does not have the platform's project.
    #[must_use]
    pub fn required_file(&self, requirement: &Requirement) -> Option<&RequiredFile> {
        self.required.iter().find(|file| file.platform == requirement.platform && file.path == requirement.name)
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

/// Says what was chosen and is not there: a variant of an app without that platform or without variants, and the like.
fn is_met(choice: &Choice, android: Option<&AndroidApp>, ios: Option<&IosApp>) -> Result<(), LoadError> {
    if let Some(name) = &choice.variant {
        let known: Vec<_> = android.iter().flat_map(|app| &app.variants).map(|one| one.name.clone()).collect();
        if !known.contains(name) {
            return Err(LoadError::NoVariant { name: name.clone(), known });
        }
    }
    if let Some(name) = &choice.target {
        let known: Vec<_> = ios.and_then(|app| app.target.clone()).into_iter().collect();
        if !known.contains(name) {
            return Err(LoadError::NoTarget { name: name.clone(), known });
        }
    }
    if let Some(name) = &choice.configuration {
        let known: Vec<_> = ios.map(|app| app.configuration.clone()).into_iter().collect();
        if !known.contains(name) {
            return Err(LoadError::NoConfiguration { name: name.clone(), known });
        }
    }
    Ok(())
}

/// The name under which the app's own code requires something.
pub const OWN_CODE: &str = "the app's own code";

/// Looks into the app's own code; `None` where it uses nothing that requires a declaration.
fn own_code(
    loading: &Loading<'_>,
    choice: &Choice,
    own: &OwnCode,
    android: Option<&AndroidApp>,
    ios: Option<&IosApp>,
) -> Option<Plugin> {
    let android = android.map(|android| android.module.clone());
    let ios = ios.and_then(|ios| ios.project.as_ref()).map(|project| project.folder.clone());
    let mut evidence = Evidence::default();
    for folder in [&android, &ios].into_iter().flatten() {
        let mut found = learn_cached(loading.files, folder, choice.cache.as_deref());
        // Its manifests and notes are not a plugin's; a reason for an interface is the app's own affair.
        found.requirements.retain(|learned| {
            learned.kind() != crate::requirement::Kind::PrivacyReason
                && learned.citations.iter().any(|citation| citation.kind == EvidenceKind::Source)
        });
        for learned in &mut found.requirements {
            learned.citations.retain(|citation| citation.kind == EvidenceKind::Source);
            learned.citations.iter_mut().for_each(|citation| citation.kind = EvidenceKind::Use);
            learned.brought = false;
        }
        found.doubtful.clear();
        found.limits.clear();
        found.name_files_from(&loading.shown(folder));
        evidence = evidence.joined_with(found);
    }
    let uses = Evidence { requirements: crate::own::needs::learned(own), ..Evidence::default() };
    let evidence = evidence.joined_with(uses);
    let platforms = [android.map(|_| Platform::Android), ios.map(|_| Platform::Ios)].into_iter().flatten().collect();
    (!evidence.requirements.is_empty()).then(|| Plugin {
        name: OWN_CODE.to_owned(),
        platforms,
        judged: evidence.requirements.iter().map(reach::judge_own).collect(),
        evidence: Some(Arc::new(evidence)),
        own: true,
        ..Plugin::default()
    })
}

/// Reads the files that sheets want in the platforms' projects.
fn required_files(
    loading: &mut Loading<'_>,
    plugins: &[Plugin],
    android: Option<&AndroidApp>,
    ios: Option<&IosApp>,
) -> Vec<RequiredFile> {
    let mut out: Vec<RequiredFile> = Vec::new();
    let needs = plugins.iter().filter_map(|plugin| plugin.sheet.as_ref()).flat_map(|found| &found.sheet.requires);
    for required in needs {
        let sheet::Asked::Need { name, need: Need::File { platform, .. } } = &required.asked else { continue };
        let folder = match platform {
            Platform::Android => android.map(|android| {
                let above = android.module.ancestors().take_while(|folder| folder.starts_with(&loading.root));
                let root = above.into_iter().find(|folder| gradle::settings_file(loading.files, folder).is_some());
                root.or(android.module.parent()).unwrap_or(&android.module).to_owned()
            }),
            Platform::Ios => ios.map(|ios| match &ios.project {
                Some(project) => project.folder.clone(),
                None => ios.plist_path.parent().unwrap_or(&ios.plist_path).to_owned(),
            }),
        };
        let Some(folder) = folder else { continue };
        if out.iter().any(|known| known.platform == *platform && known.path == *name) {
            continue;
        }
        let path = folder.join(name);
        let shown = loading.shown(&path);
        // A link may lead out of the app: what it leads to is not read.
        let inside = loading.files.real(&path).starts_with(loading.files.real(&loading.root));
        let there = inside && loading.files.is_file(&path);
        let file = there.then(|| loading.read(&path, &shown).map(|(file, _)| file)).flatten();
        out.push(RequiredFile { platform: *platform, path: name.clone(), shown, file });
    }
    out
}

/// Lists the names that there are, for people.
fn listed(known: &[String]) -> String {
    if known.is_empty() { "none".to_owned() } else { known.join(", ") }
}

fn read_config(loading: &mut Loading<'_>, path: &Path) -> (Config, Option<FileId>) {
    let Some((file, text)) = loading.read(path, config::FILE_NAME) else { return Default::default() };
    let (config, problems) = Config::parse(&text);
    loading.problems(FaultKind::Config, file, problems);
    (config, Some(file))
}

/// Turns packages into plugins: those with native code and those with a sheet.
fn plugins(loading: &mut Loading<'_>, packages: Vec<Package>, sheet_folders: &[PathBuf]) -> Vec<Plugin> {
    let own = loading.root.join("elvask/sheets");
    let mut sheets = Vec::new();
    let folders = std::iter::once((own.as_path(), SheetOrigin::App));
    for (folder, origin) in folders.chain(sheet_folders.iter().map(|folder| (folder.as_path(), SheetOrigin::Folder))) {
        for (name, kind) in loading.files.list(folder) {
            if kind == FileKind::File && name.ends_with(".toml") {
                sheets.extend(read_sheet(loading, &folder.join(name), None, origin));
            }
        }
    }
    let mut plugins = Vec::new();
    for package in packages {
        let named = |sheet: &&PluginSheet| sheet.sheet.plugin.text == package.name;
        // Sheets come in rising order of precedence, so that the last one wins.
        let mut sheet = sheets.iter().rfind(named).cloned();
        if sheet.is_none()
            && let Some(root) = &package.root
        {
            let path = root.join(sheet::FILE_NAME);
            if loading.files.is_file(&path) {
                sheet = read_sheet(loading, &path, Some(&package.name), SheetOrigin::Package);
            }
        }
        if sheet.is_none() && package.platforms.is_empty() {
            continue;
        }
        let Package { name, version, root, platforms, dependency, peers, brings, wanted_by, unlinked } = package;
        let why = unlinked.filter(|_| sheet.as_ref().is_none_or(|sheet| sheet.origin == SheetOrigin::Package));
        let out = [Platform::Android, Platform::Ios].into_iter().filter_map(|on| Some((on, why.clone()?))).collect();
        let (evidence, judged) = (None, Vec::new());
        let (runtime, own) = (false, false);
        plugins.push(Plugin {
            name,
            version,
            root,
            platforms,
            dependency,
            sheet,
            evidence,
            judged,
            out,
            peers,
            brings,
            wanted_by,
            runtime,
            own,
        });
    }
    plugins
}

/// Looks into the packages that the choice says, several at a time, and into the app's own code beside them.
fn look_into(files: &dyn Files, app: &Path, choice: &Choice, plugins: &mut [Plugin]) -> OwnCode {
    let wanted = |plugin: &Plugin| match choice.look {
        Look::WithoutSheet => plugin.sheet.is_none(),
        Look::All => true,
        Look::Nowhere => false,
    };
    let look = |plugin: &mut Plugin| {
        let Some(root) = plugin.root.as_ref().filter(|_| wanted(plugin)) else { return };
        let mut evidence = learn_cached(files, root, choice.cache.as_deref());
        let folder = shown(root, app);
        evidence.name_files_from(&folder);
        plugin.evidence = Some(Arc::new(evidence));
    };
    if choice.look == Look::Nowhere {
        return OwnCode::default();
    }
    let packages = || plugins.par_iter_mut().for_each(look);
    let own = || crate::own::read(files, app, choice.cache.as_deref());
    rayon::join(packages, own).1
}

/// Notes which packages are no part of the app, as its own build files say.
fn leave_out(plugins: &mut [Plugin], linking: &Linking) {
    for plugin in plugins {
        let pods = plugin.evidence.as_deref().map(|evidence| evidence.pods.names.as_slice()).unwrap_or_default();
        for platform in [Platform::Android, Platform::Ios] {
            let why = match linking.switched_off(&plugin.name, platform) {
                Some(file) => format!("{file} switches it off"),
                None if linking.is_for_development(&plugin.name, pods, platform) => {
                    "only the debug build takes it".to_owned()
                }
                None => continue,
            };
            plugin.out.push((platform, why));
        }
    }
}

/// The most packages that are named in a notice.
const MAX_NAMED: usize = 6;

/// Says which packages bring native code that is compiled already, so that what it calls is not known.
fn compiled_already(plugins: &[Plugin]) -> Option<String> {
    let brings = |plugin: &&Plugin| plugin.evidence.as_deref().is_some_and(|evidence| !evidence.binaries.is_empty());
    let out = |plugin: &&Plugin| plugin.platforms.iter().all(|platform| plugin.is_out(*platform));
    let names: Vec<_> = plugins.iter().filter(brings).filter(|one| !out(one)).map(|one| one.name.as_str()).collect();
    let (shown, rest) = names.split_at(names.len().min(MAX_NAMED));
    let more = if rest.is_empty() { String::new() } else { format!(" and {} more", rest.len()) };
    let named = format!("{}{more}", shown.join(", "));
    (!shown.is_empty()).then(|| {
        format!("compiled native code is not looked into, so what it calls is not known; these bring some: {named}")
    })
}

/// Judges what the files of the packages show by how it comes to this app.
fn judge(loading: &Loading<'_>, ios: Option<&IosApp>, own: &OwnCode, linking: &Linking, plugins: &mut [Plugin]) {
    let packages: Vec<_> = plugins
        .iter()
        .map(|plugin| BuiltUpon {
            name: &plugin.name,
            native: !plugin.platforms.is_empty() && plugin.out.is_empty(),
            named: plugin.dependency.is_some(),
            peers: &plugin.peers,
            brings: &plugin.brings,
            wanted_by: plugin.wanted_by,
            evidence: plugin.evidence.as_deref(),
        })
        .collect();
    let runtimes = reach::runtimes(&packages, linking);
    let project = ios.and_then(|ios| ios.project.as_ref()).map(|project| loading.sources.file(project.file));
    let project = project.map(|file| (file.text.as_ref(), file.shown.as_str()));
    let hybrid = discover::widget::is_widget(loading.files, &loading.root);
    let native = Layout::at(loading.files, &loading.root).iter().all(|layout| layout.is_native());
    for (plugin, runtime) in plugins.iter_mut().zip(runtimes) {
        plugin.runtime = runtime;
        let Some(evidence) = plugin.evidence.clone() else { continue };
        let (name, out) = (plugin.name.as_str(), plugin.out.clone());
        let around = reach::Around { name, out, runtime, native, hybrid, project };
        plugin.judged = reach::judge_all(&evidence, &around, own, linking);
    }
}

fn read_sheet(
    loading: &mut Loading<'_>,
    path: &Path,
    package: Option<&str>,
    origin: SheetOrigin,
) -> Option<PluginSheet> {
    let read = read_text(loading.files, path);
    let (file, text) = match read {
        Ok(text) => {
            let text: Arc<str> = text.into();
            (loading.sources.add(path, Arc::clone(&text)), text)
        }
        Err(error) => {
            let file = loading.sources.add(path, "");
            let problem = Problem { message: error.message(), span: Span::at(0) };
            loading.problems(FaultKind::Sheet, file, vec![problem]);
            return None;
        }
    };
    let (sheet, problems) = Sheet::parse(&text, package);
    if problems.is_empty() {
        return Some(PluginSheet { sheet: Arc::new(sheet), file, origin });
    }
    loading.problems(FaultKind::Sheet, file, problems);
    None
}
