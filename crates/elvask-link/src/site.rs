//! The folder that is put on the web, where `elvask.toml` names one: its association files, by host.

use std::path::PathBuf;
use std::sync::Arc;

use elvask_project::files::{FileKind, normal};
use elvask_project::loading::Loading;
use elvask_project::source::{FileId, Sources};

use crate::association::{Answer, Document, Served, Website};

/// The most hosts that have a folder of their own.
const MAX_HOSTS: usize = 200;

/// The association files of a website's folder.
#[derive(Debug, Clone, Default)]
pub struct Site {
    /// The folder, as people write it.
    pub shown: String,
    /// The folder.
    pub root: PathBuf,
    folders: Vec<SiteFolder>,
}

/// The files of one host, or of all that have no folder of their own.
#[derive(Debug, Clone)]
struct SiteFolder {
    host: Option<String>,
    files: Vec<(Document, FileId)>,
}

/// Reads the association files in a folder; `written` is its path from the app, as `elvask.toml` has it.
pub fn read(loading: &mut Loading<'_>, written: &str) -> Site {
    let root = normal(&loading.root.join(written));
    let mut site = Site { shown: loading.shown(&root), root: root.clone(), folders: Vec::new() };
    let hosts = loading
        .files
        .list(&root)
        .into_iter()
        .filter(|(name, kind)| *kind == FileKind::Folder && name.contains('.') && !name.starts_with('.'));
    let hosts: Vec<String> = hosts.map(|(name, _)| name).take(MAX_HOSTS).collect();
    for host in hosts.into_iter().map(Some).chain([None]) {
        let folder = host.as_ref().map_or_else(|| root.clone(), |host| root.join(host));
        let mut files = Vec::new();
        for document in Document::ALL {
            let path = folder.join(document.path());
            let shown = loading.shown(&path);
            let read = match loading.files.is_file(&path) {
                true => loading.read(&path, &shown).map(|(file, _)| file),
                false => Some(loading.add_absent(&path)),
            };
            files.extend(read.map(|file| (document, file)));
        }
        site.folders.push(SiteFolder { host, files });
    }
    site
}

impl Site {
    /// Returns the file for a host: that in its own folder where there is one, else that of the whole. `None` for one that cannot be read.
    #[must_use]
    pub fn file(&self, host: &str, document: Document) -> Option<FileId> {
        let own = self.folders.iter().find(|folder| folder.host.as_deref() == Some(host));
        let folder = own.or_else(|| self.folders.iter().find(|folder| folder.host.is_none()))?;
        folder.files.iter().find(|(known, _)| *known == document).map(|(_, file)| *file)
    }

    /// Returns the hosts that have a folder of their own.
    pub fn hosts(&self) -> impl Iterator<Item = &str> {
        self.folders.iter().filter_map(|folder| folder.host.as_deref())
    }

    /// Returns the website as it is with its files as they are in `sources`.
    #[must_use]
    pub fn with<'s>(&'s self, sources: &'s Sources) -> SiteTexts<'s> {
        SiteTexts { site: self, sources }
    }
}

/// A website whose files have been read.
pub struct SiteTexts<'s> {
    site: &'s Site,
    sources: &'s Sources,
}

impl Website for SiteTexts<'_> {
    fn ask(&self, host: &str, document: Document) -> Served {
        let Some(file) = self.site.file(host, document) else {
            return Served::Failed {
                at: format!("{}/{}", self.site.shown, document.path()),
                reason: "it cannot be read".to_owned(),
            };
        };
        let source = self.sources.file(file);
        let at = source.shown.clone();
        if source.absent && source.text.is_empty() {
            return Served::Absent { at };
        }
        let body: Arc<[u8]> = Arc::from(source.text.as_bytes());
        Served::File(Answer { at, status: None, location: None, content_type: None, body, milliseconds: None })
    }

    fn ask_root(&self, host: &str) -> Served {
        Served::Absent { at: format!("{}/{host}", self.site.shown) }
    }
}
