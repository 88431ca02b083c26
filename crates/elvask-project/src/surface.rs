//! What the app's files declare.

mod effective;
mod manifest;
mod plist;

pub use effective::{Effective, EffectivePermission, EffectiveQuery};
pub use manifest::{
    Component, DeclaredMetaData, DeclaredPermission, DeclaredQuery, ManifestView, claims_the_platform, covers,
    read_query,
};
pub use plist::{Made, PlistView, QUERY_SCHEMES};

use std::sync::Arc;

use elvask_markup::Span;
use elvask_markup::plist::{PlistError, PropertyList};
use elvask_markup::xml::{Document, XmlError};

use crate::appfiles::{AppFiles, IosApp};
use crate::gradle::Variant;
use crate::loading::{Fault, FaultKind};
use crate::merge::{Input, Merged, Role, Values};
use crate::source::{FileId, Place, Sources};
use crate::xcode::{Project, Settings, Target};

/// The parsed platform files of an app.
#[derive(Debug, Clone, Default)]
pub struct Surface {
    /// The manifests of the app's source sets.
    manifests: Vec<(FileId, Arc<Document>)>,
    plist: Option<(FileId, PropertyList)>,
    /// The entitlements of the configuration that is judged, where there are any that can be read.
    entitlements: Option<(FileId, PropertyList)>,
    /// The privacy manifests that can be read.
    privacy: Vec<(FileId, PropertyList)>,
    ios: Option<IosSide>,
    /// What could not be parsed.
    pub faults: Vec<Fault>,
}

impl Surface {
    /// Parses the platform files of an app, with their texts as `sources` has them.
    #[must_use]
    pub fn read(app: &AppFiles, sources: &Sources) -> Surface {
        let mut surface = Surface::default();
        for (_, file) in app.android.iter().flat_map(|android| &android.manifests) {
            match sources.file(*file).xml().map_err(Clone::clone).and_then(check_root) {
                Ok(document) => surface.manifests.push((*file, Arc::clone(document))),
                Err(error) => surface.faults.push(xml_fault(sources, *file, &error)),
            }
        }
        if let Some(ios) = &app.ios {
            surface.read_ios(ios, sources);
        }
        surface
    }

    fn read_ios(&mut self, ios: &IosApp, sources: &Sources) {
        if let Some(file) = ios.plist {
            match PropertyList::parse(sources.file(file).text.clone()) {
                Ok(list) => self.plist = Some((file, list)),
                Err(PlistError::Xml(error)) => self.faults.push(xml_fault(sources, file, &error)),
                Err(error) => self.faults.push(fault(sources, file, &error.to_string(), error.span())),
            }
        }
        let mut list = |file: FileId| {
            let text = sources.file(file).text.clone();
            if text.trim().is_empty() {
                return None;
            }
            match PropertyList::parse(text) {
                Ok(list) => return Some((file, list)),
                Err(PlistError::Xml(error)) => self.faults.push(xml_fault(sources, file, &error)),
                Err(error) => self.faults.push(fault(sources, file, &error.to_string(), error.span())),
            }
            None
        };
        let judged = ios.entitlements.iter().find(|one| one.configuration == ios.configuration);
        self.entitlements = judged.and_then(|one| one.file).or(ios.entitlements_to_make).and_then(&mut list);
        self.privacy = ios.privacy.iter().filter_map(|file| list(*file)).collect();
        let (Some(project), Some(target)) = (&ios.project, &ios.target) else { return };
        // A project file that was changed since is read anew.
        let text = &sources.file(project.file).text;
        let project = if text.is_same(&project.source) {
            Arc::clone(project)
        } else {
            match Project::parse(project.file, text.clone(), project.folder.clone(), project.name.clone()) {
                Ok(project) => Arc::new(project),
                Err(error) => return self.faults.push(fault(sources, project.file, error.message, error.span)),
            }
        };
        let Some(target) = project.target_named(target) else { return };
        let settings = project.settings(target, &ios.configuration, &ios.config_files);
        let generates =
            settings.value("GENERATE_INFOPLIST_FILE").and_then(|value| value.value).as_deref() == Some("YES");
        let (made, idle) = if generates { plist::made(&settings) } else { (Vec::new(), Vec::new()) };
        if ios.generated
            && let Ok(empty) = PropertyList::parse("<plist version=\"1.0\"><dict/></plist>")
        {
            self.plist = Some((project.file, empty));
        }
        let target = target.clone();
        self.ios = Some(IosSide { project, target, settings, made, idle });
    }

    fn document(&self, file: FileId) -> Option<&Document> {
        self.manifests.iter().find(|(known, _)| *known == file).map(|(_, document)| document.as_ref())
    }

    fn view(&self, app: &AppFiles, file: FileId) -> Option<ManifestView<'_>> {
        let document = self.document(file)?;
        Some(ManifestView::new(file, document, app.android.as_ref()?.namespace.as_deref()))
    }

    /// Returns the manifests that go into the variants that are judged, the main one first; those that cannot be read are left
    /// out.
    #[must_use]
    pub fn judged_manifests(&self, app: &AppFiles) -> Vec<ManifestView<'_>> {
        Self::judged_files(app).into_iter().filter_map(|file| self.view(app, file)).collect()
    }

    fn judged_files(app: &AppFiles) -> Vec<FileId> {
        let Some(android) = &app.android else { return Vec::new() };
        let mut files: Vec<_> = android.manifest.into_iter().collect();
        for set in android.judged().flat_map(|variant| &variant.source_sets) {
            files.extend(android.manifest_at(&set.manifest).filter(|file| !files.contains(file)));
        }
        files
    }

    /// Returns the manifests of source sets that are part of no variant that is judged: those of debug builds, above all.
    #[must_use]
    pub fn other_manifests(&self, app: &AppFiles) -> Vec<ManifestView<'_>> {
        let judged = Self::judged_files(app);
        let others = self.manifests.iter().filter(|(file, _)| !judged.contains(file));
        others.filter_map(|(file, _)| self.view(app, *file)).collect()
    }

    /// Merges the manifests of a variant. Returns `None` where its main manifest cannot be read.
    #[must_use]
    pub fn effective<'s>(&'s self, app: &'s AppFiles, variant: &Variant) -> Option<Effective<'s>> {
        let android = app.android.as_ref()?;
        let main = android.manifest?;
        self.document(main)?;
        let mut inputs = Vec::new();
        for set in &variant.source_sets {
            let Some(file) = android.manifest_at(&set.manifest) else { continue };
            let Some(document) = self.document(file) else { continue };
            let role = if file == main { Role::Main } else { Role::SourceSet(set.name.clone()) };
            inputs.push(Input { file, document, role, namespace: android.namespace.clone() });
        }
        // Without a namespace in the build file, the main manifest's package stands in for it.
        if android.namespace.is_none()
            && let Some(root) = self.document(main).map(Document::root)
        {
            let package = root.attribute_written("package").map(|package| root.value_of(package).into_owned());
            inputs.iter_mut().for_each(|input| input.namespace.clone_from(&package));
        }
        for library in &android.libraries {
            let taken =
                library.configurations.is_empty() || library.configurations.iter().any(|name| variant.takes(name));
            if taken {
                let (role, namespace) = (Role::Library(library.library.clone()), library.namespace.clone());
                inputs.push(Input { file: library.file, document: &library.document, role, namespace });
            }
        }
        let values = Values {
            id: variant.id.clone(),
            version_code: variant.version_code.clone(),
            version_name: variant.version_name.clone(),
            min_level: variant.min_level.clone(),
            target_level: variant.target_level.clone(),
            placeholders: variant.placeholders.clone(),
            more_placeholders: variant.more_placeholders,
            in_source: android.in_source.clone(),
        };
        let files = inputs.iter().map(|input| input.file).collect();
        Some(Effective::new(variant, app.levels_of(Some(variant)), Merged::of(&inputs, &values)?, files))
    }

    /// Returns the property list, where there is one that can be read.
    #[must_use]
    pub fn plist(&self, app: &AppFiles) -> Option<PlistView<'_>> {
        let (file, list) = self.plist.as_ref()?;
        let generated = app.ios.as_ref().is_some_and(|ios| ios.generated);
        let side = self.ios.as_ref();
        let made = side.map_or((&[][..], &[][..]), |side| (side.made.as_slice(), side.idle.as_slice()));
        Some(PlistView::new(*file, list, made, generated, side.map(|side| side.settings.as_ref())))
    }

    /// Returns the entitlements of the configuration that is judged, where there are any that can be read.
    #[must_use]
    pub fn entitlements(&self) -> Option<(FileId, &PropertyList)> {
        self.entitlements.as_ref().map(|(file, list)| (*file, list))
    }

    /// Returns the privacy manifests of the target that can be read.
    pub fn privacy(&self) -> impl Iterator<Item = (FileId, &PropertyList)> {
        self.privacy.iter().map(|(file, list)| (*file, list))
    }

    /// Returns the project and the target that are judged, where there is a project that can be read.
    #[must_use]
    pub fn target(&self) -> Option<(&Project, &Target)> {
        self.ios.as_ref().map(|side| (side.project.as_ref(), &side.target))
    }

    /// Returns the build settings of the target that is judged.
    #[must_use]
    pub fn settings(&self) -> Option<&Settings> {
        self.ios.as_ref().map(|side| side.settings.as_ref())
    }
}

/// What the project says of the target that is judged.
#[derive(Debug, Clone)]
struct IosSide {
    project: Arc<Project>,
    target: Target,
    settings: Arc<Settings>,
    made: Vec<Made>,
    idle: Vec<Made>,
}

fn check_root(document: &Arc<Document>) -> Result<&Arc<Document>, XmlError> {
    let root = document.root();
    if root.name() == "manifest" {
        return Ok(document);
    }
    let fault = elvask_markup::xml::XmlFault::Syntax("the outermost element of a manifest is `<manifest>`");
    Err(XmlError { fault, span: root.open(), opened: None })
}

fn fault(sources: &Sources, file: FileId, message: &str, span: Span) -> Fault {
    Fault {
        kind: FaultKind::File,
        message: message.to_owned(),
        file: sources.file(file).shown.clone(),
        place: Place { file, span },
        related: None,
    }
}

fn xml_fault(sources: &Sources, file: FileId, error: &XmlError) -> Fault {
    let related = error.opened.map(|span| (Place { file, span }, "opened here".to_owned()));
    Fault { related, ..fault(sources, file, &error.to_string(), error.span) }
}
