//! An app as it is found: its layouts, its platforms, its plugins with their sheets, and its owner's answers.

use std::borrow::Cow;
use std::ops::Deref;
use std::path::PathBuf;
use std::sync::Arc;

use elvask_link::site::Site;
use elvask_needs::evidence::{Cache, Evidence};
use elvask_needs::reach::Judged;
use elvask_needs::sheet::Sheet;
use elvask_platform::Platform;
use elvask_project::appfiles::AppFiles;
use elvask_project::namelist::NameList;
use elvask_project::source::{FileId, Place, Sources};
use serde::Serialize;

use crate::account::{Account, Fetched};
use crate::config::Config;
use crate::icons::Icons;

/// An app.
#[derive(Debug, Clone, Default)]
pub struct App {
    /// What its own files state.
    pub(crate) files: AppFiles,
    /// The dependencies that may require something: those that the app's own file names, then those that they need.
    pub(crate) plugins: Vec<Plugin>,
    /// What its owner says in `elvask.toml`.
    pub(crate) config: Config,
    /// Where `elvask.toml` stands, if there is one.
    pub(crate) config_file: Option<FileId>,
    /// What is registered in the developer accounts, as the app's owner says.
    pub(crate) account: Account,
    /// The folder that is put on the web, where `elvask.toml` names one.
    pub(crate) site: Option<Site>,
    /// Its icons and start-up pictures, where packages are looked into.
    pub(crate) icons: Icons,
    /// The packages that its dependency file names and that are not installed, with where they are named.
    pub(crate) not_installed: Vec<(String, Place)>,
}

/// An app is its files, with what its packages need beside them.
impl Deref for App {
    type Target = AppFiles;

    fn deref(&self) -> &AppFiles {
        &self.files
    }
}

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
    pub out: Vec<(Platform, Cow<'static, str>)>,
    /// The packages that it wants beside it.
    pub peers: NameList,
    /// The packages that it brings along.
    pub brings: NameList,
    /// How many packages want it beside them, those without native code among them.
    pub wanted_by: usize,
    /// Whether it is what the app runs on, and no plugin.
    pub runtime: bool,
    /// Whether it is not a dependency, but the app's own code or its owner's wish.
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
    /// It is made of a fragment that was copied from somewhere.
    Placed,
    /// It is made of what a person has named at the keyboard.
    Declared,
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
    /// Whether the texts of the app in other languages than its own are read too.
    pub languages: bool,
    /// The folder of a package that is looked at as if the app had it already, in the place of one of its name.
    pub beside: Option<PathBuf>,
    /// Where is kept what was found in packages.
    pub cache: Option<Arc<dyn Cache>>,
    /// What a service said is registered in the developer accounts, in the place of the app's own file.
    pub account: Option<Arc<Fetched>>,
    /// Returns a variable of the environment, for the passwords of stores of certificates; without it, none is there.
    pub environment: Option<fn(&str) -> Option<String>>,
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

/// The name under which the app's own code requires something.
pub const OWN_CODE: &str = "the app's own code";

impl App {
    /// Returns the dependencies that may require something: those that the app's own file names, then those that they need.
    #[must_use]
    pub fn plugins(&self) -> &[Plugin] {
        &self.plugins
    }

    /// Returns what its owner says in `elvask.toml`; nothing where there is none.
    #[must_use]
    pub fn config(&self) -> &Config {
        &self.config
    }

    /// Returns the file that `elvask.toml` is, where there is one.
    #[must_use]
    pub fn config_file(&self) -> Option<FileId> {
        self.config_file
    }

    /// Returns what is registered in the developer accounts, as `elvask/account.toml` states it.
    #[must_use]
    pub fn account(&self) -> &Account {
        &self.account
    }

    /// Returns the folder that is put on the web, where `elvask.toml` names one.
    #[must_use]
    pub fn site(&self) -> Option<&Site> {
        self.site.as_ref()
    }

    /// Returns the packages that its dependency file names and that are not installed, with where they are named.
    #[must_use]
    pub fn not_installed(&self) -> &[(String, Place)] {
        &self.not_installed
    }

    /// Returns the app with its texts as they are in `sources`.
    #[must_use]
    pub fn with_sources(mut self, sources: Sources) -> App {
        self.files.sources = sources;
        self
    }
}
