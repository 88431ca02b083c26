//! The app's own code, in scripts and in the platforms' languages: which packages it uses, which links it opens or asks about,
//! which permissions it asks for.
//!
//! Every file is gone through once with one automaton; only where something is found are comments and strings told apart.

mod imports;
mod links;
mod names;
pub mod needs;
mod permissions;
mod scan;
mod walk;

use std::path::Path;

use elvask_platform::Platform;
use elvask_project::files::Files;
use serde::{Deserialize, Serialize};

use crate::evidence::Cache;
use crate::evidence::source::around::Asking;
use crate::requirement::Citation;

pub use names::words_of;
pub(crate) use names::{Subject, capability_named};

/// A package that the app's own code uses.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Import {
    /// The package, as the code names it.
    pub module: String,
    /// What is taken from it, and what is called on that.
    pub names: Vec<String>,
    /// Where it is first used. The file is named from the app.
    pub citation: Citation,
}

/// What code does with a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum LinkUse {
    /// It asks whether something opens it.
    Asks,
    /// It opens it.
    Opens,
}

/// A link that the app's own code opens or asks about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OwnLink {
    /// The scheme, in small letters.
    pub scheme: String,
    /// What is done with it.
    pub how: LinkUse,
    /// Where. The file is named from the app.
    pub citation: Citation,
}

/// What code does with a permission that it names.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PermissionUse {
    /// It asks the person for it.
    Requests,
    /// It names it.
    Names,
    /// It looks whether it is granted.
    Checks,
}

impl PermissionUse {
    fn of(asking: Option<Asking>) -> Self {
        match asking {
            Some(Asking::Requests) => PermissionUse::Requests,
            Some(Asking::Checks) => PermissionUse::Checks,
            None => PermissionUse::Names,
        }
    }
}

/// A permission that the app's own code names.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OwnPermission {
    /// The last part of its name, as it is written: `CAMERA`, `locationWhenInUse`.
    pub name: String,
    /// The platform, where the code names one.
    pub platform: Option<Platform>,
    /// What is done with it.
    pub how: PermissionUse,
    /// Where. The file is named from the app.
    pub citation: Citation,
}

/// What the app's own code shows.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct OwnCode {
    /// The packages that it uses.
    pub imports: Vec<Import>,
    /// The links that it opens or asks about.
    pub links: Vec<OwnLink>,
    /// The permissions that it names.
    pub permissions: Vec<OwnPermission>,
    /// The objects of the page that it uses, with the place of the first use: `navigator.camera`.
    pub globals: Vec<(String, Citation)>,
    /// How many files were read.
    pub files: usize,
    /// What limits the look, in sentences without a full stop.
    pub limits: Vec<String>,
}

impl OwnCode {
    /// Takes in what another file shows.
    fn merge(&mut self, other: OwnCode) {
        for import in other.imports {
            match self.imports.iter_mut().find(|known| known.module == import.module) {
                Some(known) => {
                    for name in import.names {
                        if !known.names.contains(&name) {
                            known.names.push(name);
                        }
                    }
                }
                None => self.imports.push(import),
            }
        }
        for link in other.links {
            if !self.links.iter().any(|known| known.scheme == link.scheme && known.how == link.how) {
                self.links.push(link);
            }
        }
        for permission in other.permissions {
            let same = |known: &OwnPermission| {
                known.name == permission.name && known.platform == permission.platform && known.how == permission.how
            };
            if !self.permissions.iter().any(same) {
                self.permissions.push(permission);
            }
        }
        for global in other.globals {
            if !self.globals.iter().any(|(known, _)| *known == global.0) {
                self.globals.push(global);
            }
        }
        for limit in other.limits {
            if !self.limits.contains(&limit) {
                self.limits.push(limit);
            }
        }
        self.files += other.files;
    }

    /// Returns the first use of a package.
    #[must_use]
    pub fn import(&self, package: &str) -> Option<&Import> {
        self.imports.iter().find(|import| import.module == package)
    }
}

/// Returns the strings that the app's own code is searched for, all in one pass.
#[must_use]
pub fn searched() -> Vec<&'static str> {
    scan::searched()
}

/// Reads the app's own code below `root`, or recalls what it showed if no file has changed.
pub fn read(files: &dyn Files, root: &Path, cache: Option<&dyn Cache>) -> OwnCode {
    scan::read(files, root, cache)
}
/// Recalls what the app's own code showed if none of its files has changed.
#[must_use]
pub fn recall_read(files: &dyn Files, root: &Path, cache: &dyn Cache) -> Option<OwnCode> {
    scan::recall_read(files, root, cache)
}
