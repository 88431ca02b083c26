//! The layout `xcode`: an app for iOS alone.

use std::path::Path;

use elvask_platform::Platform;
use elvask_project::files::{FileKind, Files};
use elvask_project::layout::Layout;
use elvask_project::loading::Loading;

use super::layouts::{LayoutSpec, Search};
use super::{Package, ios, native};

/// See the module.
pub(crate) struct Xcode;

impl LayoutSpec for Xcode {
    fn layout(&self) -> Layout {
        Layout::Xcode
    }

    fn alone(&self, loading: &mut Loading<'_>, folder: &Path) -> Option<Package> {
        let described = |(name, _): &(String, FileKind)| name == "Package.swift" || name.ends_with(".podspec");
        super::native::alone(loading.files, folder, Platform::Ios, described)
    }

    fn is_at(&self, files: &dyn Files, root: &Path) -> bool {
        !ios::projects_in(files, root).is_empty()
    }

    fn packages(&self, loading: &mut Loading<'_>, _search: &mut Search<'_>) -> Vec<Package> {
        native::xcode_packages(loading)
    }
}
