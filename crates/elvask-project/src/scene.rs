//! The scene: an app's platform files as they are judged, parsed and merged, before anybody says what is needed of them.

use std::sync::Arc;

use crate::appfiles::{AndroidApp, AppFiles};
use crate::levels::Levels;
use crate::source::{FileId, Sources};
use crate::surface::{Effective, ManifestView, PlistView, Surface};

/// What the app's platform files declare, as the platforms see it and as it is written.
pub struct Scene<'a> {
    /// The app, as its files state it.
    pub app: &'a AppFiles,
    /// The texts, with the platform files as they are judged.
    pub sources: &'a Sources,
    /// The parsed platform files.
    pub surface: &'a Surface,
    /// The main manifest, where there is one that can be read.
    pub manifest: Option<Arc<ManifestView<'a>>>,
    /// The manifests that go into the variants that are judged, the main one first.
    pub manifests: Vec<Arc<ManifestView<'a>>>,
    /// The effective manifests of the variants that are judged.
    pub variants: Vec<Effective<'a>>,
    /// The property list, where there is one that can be read.
    pub plist: Option<PlistView<'a>>,
    /// The levels of the app.
    pub levels: Levels,
}

impl<'a> Scene<'a> {
    /// Prepares the look at an app with its platform files as they are in `sources`.
    #[must_use]
    pub fn new(app: &'a AppFiles, sources: &'a Sources, surface: &'a Surface) -> Self {
        let plist = surface.plist(app);
        let manifests: Vec<_> = surface.judged_manifests(app).into_iter().map(Arc::new).collect();
        let main = app.android.as_ref().and_then(|android| android.manifest);
        let manifest = manifests.iter().find(|manifest| Some(manifest.file) == main).cloned();
        let judged = app.android.iter().flat_map(AndroidApp::judged);
        let variants: Vec<_> = judged.filter_map(|variant| surface.effective(app, variant)).collect();
        let levels = variants.first().map_or_else(|| app.levels(), |first| first.levels.clone());
        Scene { app, sources, surface, manifest, manifests, variants, plist, levels }
    }

    /// Returns the names of the variants that a manifest goes into.
    #[must_use]
    pub fn variants_of(&self, manifest: &ManifestView<'_>) -> Vec<String> {
        let inside = self.variants.iter().filter(|variant| variant.files.contains(&manifest.file));
        inside.map(|variant| variant.variant.clone()).collect()
    }

    /// Says whether something is true of every variant that a manifest goes into.
    pub fn is_everywhere(&self, manifest: &ManifestView<'_>, test: impl Fn(&Effective<'a>) -> bool) -> bool {
        self.variants.iter().filter(|variant| variant.files.contains(&manifest.file)).all(test)
    }

    /// Returns the manifest of the app that a file is.
    #[must_use]
    pub fn manifest_of(&self, file: FileId) -> Option<&ManifestView<'a>> {
        self.manifests.iter().map(Arc::as_ref).find(|manifest| manifest.file == file)
    }

    /// Says whether a file is no longer as it was read: a remedy has been put in.
    #[must_use]
    pub fn is_changed(&self, file: FileId) -> bool {
        self.sources.file(file).text != self.app.sources.file(file).text
    }
}
