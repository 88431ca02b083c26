//! The files that a target takes in: purposes in other languages, privacy manifests.

use std::path::{Path, PathBuf};

use elvask_markup::openstep::Value;

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
        let Some(object) = self.object(&target.id) else { return found };
        let list = |object: &Value, key: &str| -> Vec<String> {
            let values = object.get(key).and_then(Value::as_array).unwrap_or_default();
            values.iter().filter_map(|value| value.as_str().map(str::to_owned)).collect()
        };
        for phase in list(&object, "buildPhases") {
            let Some(phase) = self.object(&phase) else { continue };
            let kind = phase.get("isa").and_then(Value::as_str);
            if kind == Some("PBXShellScriptBuildPhase") {
                found.scripts.extend(phase.get("shellScript").and_then(Value::as_str).map(str::to_owned));
            }
            // A file may also be copied to a place of its own, where the platform looks for none of these.
            let copied = kind == Some("PBXCopyFilesBuildPhase");
            if kind != Some("PBXResourcesBuildPhase") && !copied {
                continue;
            }
            for file in list(&phase, "files") {
                let reference = self.object(&file).and_then(|file| Some(file.get("fileRef")?.as_str()?.to_owned()));
                let Some(reference) = reference else { continue };
                let children = self.object(&reference).map(|group| list(&group, "children")).unwrap_or_default();
                let all = if children.is_empty() { vec![reference] } else { children };
                for path in all.iter().filter_map(|id| self.path_of(id)) {
                    if copied {
                        found.all.push(path);
                    } else {
                        found.add(&path);
                    }
                }
            }
        }
        for group in list(&object, "fileSystemSynchronizedGroups") {
            let Some(folder) = self.path_of(&group) else { continue };
            let left_out: Vec<PathBuf> = self
                .object(&group)
                .map(|group| list(&group, "exceptions"))
                .unwrap_or_default()
                .iter()
                .filter_map(|id| self.object(id))
                .filter(|set| set.get("target").and_then(Value::as_str) == Some(&target.id))
                .flat_map(|set| list(&set, "membershipExceptions"))
                .map(|path| folder.join(path))
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
