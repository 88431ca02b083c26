//! The files that a target takes in: purposes in other languages, privacy manifests.

use std::borrow::Cow;
use std::path::{Path, PathBuf};

use super::{Project, Target};
use crate::files::{FileKind, Files};

/// How deep a folder that Xcode keeps in step is gone through.
const DEPTH: usize = 8;

/// The files of a target that say something to the platform.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Resources {
    /// `InfoPlist.strings` by language: `nl`, `Base`.
    pub strings: Vec<(String, PathBuf)>,
    /// `InfoPlist.xcstrings`.
    pub catalogs: Vec<PathBuf>,
    /// `PrivacyInfo.xcprivacy`.
    pub privacy: Vec<PathBuf>,
    /// All that is copied into the app; a folder stands for what is in it.
    pub all: Vec<PathBuf>,
    /// The scripts that run while the target is built: they may copy more.
    pub scripts: Vec<String>,
}

impl Resources {
    /// Says whether a file comes into the app; `None` where a script of the build names it, and may copy it.
    #[must_use]
    pub fn takes(&self, path: &Path) -> Option<bool> {
        let name = path.file_name()?.to_str()?;
        if self.all.iter().any(|one| path.starts_with(one)) {
            return Some(true);
        }
        (!self.scripts.iter().any(|script| script.contains(name))).then_some(false)
    }

    fn add(&mut self, path: &Path) {
        self.all.push(path.to_owned());
        let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let folder = path.parent().and_then(Path::file_name).map(|name| name.to_string_lossy().into_owned());
        match name.as_str() {
            "InfoPlist.strings" => {
                let language = folder.as_deref().and_then(|folder| folder.strip_suffix(".lproj")).unwrap_or("Base");
                let one = (language.to_owned(), path.to_owned());
                if !self.strings.contains(&one) {
                    self.strings.push(one);
                }
            }
            "InfoPlist.xcstrings" if !self.catalogs.iter().any(|known| known == path) => {
                self.catalogs.push(path.to_owned());
            }
            "PrivacyInfo.xcprivacy" if !self.privacy.iter().any(|known| known == path) => {
                self.privacy.push(path.to_owned());
            }
            _ => {}
        }
    }
}

impl Project {
    /// Returns the files of a target that say something to the platform, from its resources and the folders kept in step.
    #[must_use]
    pub fn resources(&self, files: &dyn Files, target: &Target) -> Resources {
        let mut found = Resources::default();
        let Some(object) = self.body(&target.id) else { return found };
        for phase in self.list(object, "buildPhases").filter_map(|id| self.body(&id)) {
            let kind = self.field(phase, "isa");
            let kind = kind.as_deref();
            if kind == Some("PBXShellScriptBuildPhase") {
                found.scripts.extend(self.field(phase, "shellScript").map(Cow::into_owned));
            }
            // A file may also be copied to a place of its own, where the platform looks for none of these.
            let copied = kind == Some("PBXCopyFilesBuildPhase");
            if kind != Some("PBXResourcesBuildPhase") && !copied {
                continue;
            }
            for file in self.list(phase, "files").filter_map(|id| self.body(&id)) {
                let Some(reference) = self.field(file, "fileRef") else { continue };
                let group = self.body(&reference).into_iter().flat_map(|group| self.list(group, "children"));
                let mut all: Vec<_> = group.collect();
                if all.is_empty() {
                    all.push(reference);
                }
                for path in all.iter().filter_map(|id| self.path_of(id)) {
                    if copied {
                        found.all.push(path);
                    } else {
                        found.add(&path);
                    }
                }
            }
        }
        for group in self.list(object, "fileSystemSynchronizedGroups") {
            let (Some(folder), Some(group)) = (self.path_of(&group), self.body(&group)) else { continue };
            let exceptions = self.list(group, "exceptions").filter_map(|id| self.body(&id));
            let left_out: Vec<PathBuf> = exceptions
                .filter(|set| self.field(*set, "target").as_deref() == Some(&target.id))
                .flat_map(|set| self.list(set, "membershipExceptions"))
                .map(|path| folder.join(&*path))
                .collect();
            let mut open = vec![(folder, 0)];
            while let Some((folder, depth)) = open.pop() {
                for (name, kind) in files.list(&folder) {
                    let path = folder.join(&name);
                    if left_out.contains(&path) {
                        continue;
                    }
                    match kind {
                        FileKind::File => found.add(&path),
                        FileKind::Folder if depth < DEPTH => open.push((path, depth + 1)),
                        FileKind::Folder => {}
                    }
                }
            }
        }
        found.strings.sort();
        found
    }
}
