//! What the environment of the process says.

use std::path::PathBuf;

/// Returns the folder in which the tools of the layout `msbuild` keep packages, where no project says another one.
pub(crate) fn package_folder() -> Option<PathBuf> {
    let told = std::env::var_os("NUGET_PACKAGES").map(PathBuf::from);
    told.or_else(|| Some(std::env::home_dir()?.join(".nuget/packages")))
}
