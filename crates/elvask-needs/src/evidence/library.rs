//! The Android library that a package's own build makes of it, as the merge of manifests takes it.

use std::path::{Path, PathBuf};

use elvask_project::files::{Files, normal};
use elvask_project::gradle::{build_file, read_alone};
use elvask_project::source::read_text;
use serde::{Deserialize, Serialize};

use super::walk::Tree;

/// Where a module's manifest is, where its build does not say otherwise.
pub const MANIFEST: &str = "src/main/AndroidManifest.xml";

/// The longest manifest that is kept, in bytes; a longer one is read each time.
const MAX_KEPT: u64 = 32 * 1024;

/// A package's Android library.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AndroidLibrary {
    /// The namespace that its build states.
    pub namespace: Option<String>,
    /// The lowest level that its build states.
    pub min_level: Option<u32>,
    /// The level that its build says it is made for.
    pub target_level: Option<u32>,
    /// Its manifest, from the package's folder, with forward slashes.
    pub manifest: String,
    /// The text of the manifest; `None` where there is none.
    pub text: Option<String>,
}

/// Returns the folder of a package in which its Android library is built.
#[must_use]
pub fn library_folder(files: &dyn Files, root: &Path) -> Option<PathBuf> {
    let is_built = |folder: &PathBuf| files.is_file(&folder.join(MANIFEST)) || build_file(files, folder).is_some();
    [root.join("android"), root.to_owned()].into_iter().find(is_built)
}

/// Returns the library of a package; `None` where there is none, and where something that it hangs on is not among what was gone through, so
/// that a change of it would not be seen.
pub(super) fn of(files: &dyn Files, root: &Path, tree: &Tree) -> Option<AndroidLibrary> {
    let folder = library_folder(files, root)?;
    let is_read = |path: &Path| tree.files.iter().any(|file| file.path == path);
    let is_listed = |folder: &Path| {
        let inside = folder.strip_prefix(root).ok().and_then(Path::to_str);
        inside.is_some_and(|inside| tree.folders.iter().any(|known| known == inside))
    };
    let android = root.join("android");
    if files.is_folder(&android) && !is_listed(&android)
        || build_file(files, &folder).is_some_and(|path| !is_read(&path))
    {
        return None;
    }
    let build = read_alone(files, &folder);
    let path = build.manifest;
    // A way with steps back leads somewhere that is not watched.
    if path != normal(&path) {
        return None;
    }
    let text = if files.is_file(&path) {
        if !is_read(&path) || files.stamp(&path).is_some_and(|stamp| stamp.len > MAX_KEPT) {
            return None;
        }
        Some(read_text(files, &path).ok()?)
    } else {
        // That there is none is told by the folder in which it, or a folder on the way to it, would come to be.
        path.ancestors().skip(1).find(|folder| files.is_folder(folder)).filter(|folder| is_listed(folder))?;
        None
    };
    let manifest = path.strip_prefix(root).ok()?.to_str()?.replace('\\', "/");
    let (namespace, min_level, target_level) = (build.namespace, build.min_level, build.target_level);
    Some(AndroidLibrary { namespace, min_level, target_level, manifest, text })
}
