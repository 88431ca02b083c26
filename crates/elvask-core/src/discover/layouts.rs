//! The layouts: one file each, listed once in [`LAYOUTS`].
//!
//! A layout says whether it is here, which packages the app has, which sides it has and whether its tools make them, and where a
//! declaration of a kind is written.

use std::path::{Path, PathBuf};

use elvask_needs::kinds::Spot;
use elvask_platform::Platform;
use elvask_project::appfiles::{AndroidApp, Generated, IosApp, Widget};
use elvask_project::files::Files;
use elvask_project::gradle::Build;
use elvask_project::layout::{Home, Layout};
use elvask_project::loading::Loading;

use super::Package;
use crate::app::{Choice, Plugin};

/// What is known while packages are looked for.
pub(crate) struct Search<'s> {
    /// What a person has chosen to look at.
    pub(crate) choice: &'s Choice,
    /// What is remembered of what the packages' files showed is to be recalled with them.
    pub(crate) recall: bool,
    /// The Gradle build, where its packages were looked for already.
    pub(crate) build: Option<(PathBuf, Build)>,
}

/// The sides of an app.
#[derive(Default)]
pub(crate) struct Sides {
    pub(crate) android: Option<AndroidApp>,
    pub(crate) ios: Option<IosApp>,
    /// The document that they are made of, where the layout's tools make them.
    pub(crate) generated: Option<Generated>,
    /// What `config.xml` says.
    pub(crate) widget: Option<Widget>,
}

/// A layout.
pub(crate) trait LayoutSpec: Sync {
    /// Returns which one it is.
    fn layout(&self) -> Layout;

    /// Says whether a folder is arranged so.
    fn is_at(&self, files: &dyn Files, root: &Path) -> bool;

    /// Finds the packages of the app, those first that its own file names.
    fn packages(&self, loading: &mut Loading<'_>, search: &mut Search<'_>) -> Vec<Package>;

    /// Reads a package of the kind that such apps take, by itself; `None` where the folder is none.
    fn alone(&self, _loading: &mut Loading<'_>, _folder: &Path) -> Option<Package> {
        None
    }

    /// Says whether its sides are not the usual projects of the platforms, so that those are not looked for.
    fn has_own_sides(&self) -> bool {
        false
    }

    /// Returns the sides of the app, given those that the platforms' usual projects make.
    fn sides(&self, _loading: &mut Loading<'_>, _plugins: &[Plugin], found: Sides) -> Sides {
        found
    }

    /// Says whether a folder that is arranged so is an app, and not a library, a workspace or a part of one.
    fn is_app(&self, _files: &dyn Files, _folder: &Path) -> bool {
        true
    }

    /// Returns where what belongs into a spot of a platform's documents is written.
    fn home(&self, spot: Spot, platform: Platform) -> Home {
        platform_home(spot, platform)
    }
}

/// All layouts, in the order in which they are told.
pub(crate) static LAYOUTS: [&dyn LayoutSpec; Layout::ALL.len()] = [
    &super::pubspec::Pubspec,
    &super::npm::Npm,
    &super::msbuild::Msbuild,
    &super::widget::WidgetLayout,
    &super::appjson::AppJson,
    &super::gradle::Gradle,
    &super::xcode::Xcode,
];

/// Returns the layouts of the folder at `root`. Those of one platform count only where there is no other.
pub(crate) fn at(files: &dyn Files, root: &Path) -> Vec<&'static dyn LayoutSpec> {
    // Where lists are kept, the list tells of all that is looked for here.
    files.list(root);
    let is_here = |spec: &&'static dyn LayoutSpec| spec.is_at(files, root);
    let (native, shared): (Vec<_>, Vec<_>) = LAYOUTS.into_iter().partition(|spec| spec.layout().is_native());
    let found: Vec<_> = shared.into_iter().filter(is_here).collect();
    if found.is_empty() { native.into_iter().filter(is_here).collect() } else { found }
}

/// Returns all that is known of a layout.
pub(crate) fn spec(layout: Layout) -> &'static dyn LayoutSpec {
    // A test holds the order of the list against that of the layouts.
    LAYOUTS.get(layout as usize).copied().unwrap_or(&super::npm::Npm)
}

/// Returns the file of the platform for a spot.
pub(crate) fn platform_home(spot: Spot, platform: Platform) -> Home {
    let file = match spot {
        Spot::Permissions | Spot::Manifest | Spot::Application | Spot::Activity | Spot::Attributes => {
            "AndroidManifest.xml"
        }
        Spot::Gradle => "the Gradle files",
        Spot::Resources => "res/values",
        Spot::PropertyList | Spot::UrlTypes => "Info.plist",
        Spot::Entitlements | Spot::Domains => "the entitlements",
        Spot::BuildSettings => "the Xcode project",
        Spot::PrivacyManifest => "PrivacyInfo.xcprivacy",
        Spot::Levels | Spot::Files | Spot::Identity => match platform {
            Platform::Android => "the Gradle files",
            Platform::Ios => "the Xcode project",
        },
    };
    Home::PlatformFile(file)
}

#[cfg(test)]
mod tests {
    use elvask_platform::Kind;

    use super::*;
    use elvask_needs::kinds;

    #[test]
    fn each_layout_stands_at_its_place_and_has_a_home_for_every_kind() {
        for (layout, listed) in Layout::ALL.iter().zip(LAYOUTS) {
            assert_eq!(*layout, listed.layout());
            assert_eq!(spec(*layout).layout(), *layout);
            for kind in Kind::ALL {
                for platform in [Platform::Android, Platform::Ios] {
                    assert!(!listed.home(kinds::spec(*kind).about().spot, platform).to_string().is_empty());
                }
            }
        }
    }
}
