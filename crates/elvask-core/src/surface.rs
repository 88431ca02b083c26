//! What the app's files declare.

mod manifest;
mod plist;

pub use manifest::{
    ANDROID, Component, DeclaredMetaData, DeclaredPermission, DeclaredQuery, ManifestView, TOOLS, claims_the_platform,
    covers, full_class, read_query,
};
pub use plist::{PlistView, QUERY_SCHEMES};

use elvask_markup::Span;
use elvask_markup::plist::{PlistError, PropertyList};
use elvask_markup::xml::{Document, XmlError};

use crate::app::{App, Fault, FaultKind};
use crate::source::{FileId, Place, Sources};

/// The parsed platform files of an app.
#[derive(Debug, Clone, Default)]
pub struct Surface {
    manifest: Option<(FileId, Document)>,
    plist: Option<(FileId, PropertyList)>,
    /// What could not be parsed.
    pub faults: Vec<Fault>,
}

impl Surface {
    /// Parses the platform files of an app, with their texts as `sources` has them.
    #[must_use]
    pub fn read(app: &App, sources: &Sources) -> Surface {
        let mut surface = Surface::default();
        let text = |file: FileId| std::sync::Arc::clone(&sources.file(file).text);
        if let Some(file) = app.android.as_ref().and_then(|android| android.manifest) {
            match Document::parse(text(file)).and_then(check_root) {
                Ok(document) => surface.manifest = Some((file, document)),
                Err(error) => surface.faults.push(xml_fault(sources, file, &error)),
            }
        }
        if let Some(file) = app.ios.as_ref().and_then(|ios| ios.plist) {
            match PropertyList::parse(text(file)) {
                Ok(list) => surface.plist = Some((file, list)),
                Err(PlistError::Xml(error)) => surface.faults.push(xml_fault(sources, file, &error)),
                Err(error) => surface.faults.push(fault(sources, file, &error.to_string(), error.span())),
            }
        }
        surface
    }

    /// Returns the manifest, where there is one that can be read.
    #[must_use]
    pub fn manifest(&self, app: &App) -> Option<ManifestView<'_>> {
        let (file, document) = self.manifest.as_ref()?;
        Some(ManifestView::new(*file, document, app.android.as_ref()?.namespace.as_deref()))
    }

    /// Returns the property list, where there is one that can be read.
    #[must_use]
    pub fn plist(&self) -> Option<PlistView<'_>> {
        let (file, list) = self.plist.as_ref()?;
        Some(PlistView::new(*file, list))
    }
}

fn check_root(document: Document) -> Result<Document, XmlError> {
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
