//! The layout `xcode`: an app for iOS alone.

use std::path::Path;

use super::layouts::{LayoutSpec, Search};
use super::{Package, ios, native};
use crate::files::Files;
use crate::layout::Layout;
use crate::loading::Loading;

/// See the module.
pub(crate) struct Xcode;

impl LayoutSpec for Xcode {
    fn layout(&self) -> Layout {
        Layout::Xcode
    }

    fn is_at(&self, files: &dyn Files, root: &Path) -> bool {
        !ios::projects_in(files, root).is_empty()
    }

    fn packages(&self, loading: &mut Loading<'_>, _search: &mut Search<'_>) -> Vec<Package> {
        native::xcode_packages(loading)
    }
}
