//! The layout `gradle`: an app for Android alone.

use std::path::Path;

use elvask_platform::Platform;
use elvask_project::files::{FileKind, Files};
use elvask_project::layout::Layout;
use elvask_project::loading::Loading;

use super::layouts::{LayoutSpec, Search};
use super::{Package, android, native};

/// See the module.
pub(crate) struct Gradle;

impl LayoutSpec for Gradle {
    fn layout(&self) -> Layout {
        Layout::Gradle
    }

    fn alone(&self, loading: &mut Loading<'_>, folder: &Path) -> Option<Package> {
        let described = |(name, kind): &(String, FileKind)| {
            matches!(name.as_str(), "AndroidManifest.xml" | "build.gradle" | "build.gradle.kts")
                && *kind == FileKind::File
        };
        super::native::alone(loading.files, folder, Platform::Android, described)
    }

    fn is_at(&self, files: &dyn Files, root: &Path) -> bool {
        elvask_project::gradle::settings_file(files, root).is_some() || android::builds_an_app(files, root)
    }

    fn packages(&self, loading: &mut Loading<'_>, search: &mut Search<'_>) -> Vec<Package> {
        native::gradle_packages(loading, &mut search.build)
    }

    /// A build may hold several apps: its modules are looked at.
    fn is_app(&self, _files: &dyn Files, _folder: &Path) -> bool {
        false
    }
}
