//! What changes are made to: the sample apps, the made-up packages of the tests, and inputs that broke something once.

use std::path::{Path, PathBuf};

use elvask_project::files::{Disk, FileKind, Files as _};

/// Files by their paths from the project.
#[derive(Debug, Default)]
pub struct Corpus {
    files: Vec<(PathBuf, Vec<u8>)>,
}

impl Corpus {
    /// Reads the corpus of the project in a folder.
    #[must_use]
    pub fn read(project: &Path) -> Corpus {
        let mut corpus = Corpus::default();
        for folder in [
            "demo",
            "crates/elvask-core/tests",
            "crates/elvask-fuzz/corpus",
            "crates/elvask/tests/stores",
            "crates/elvask/tests/account",
            "crates/elvask/tests/built",
        ] {
            corpus.walk(project, &project.join(folder));
        }
        corpus
    }

    fn walk(&mut self, project: &Path, folder: &Path) {
        for (name, kind) in Disk.list(folder) {
            let path = folder.join(name);
            match kind {
                FileKind::Folder => self.walk(project, &path),
                FileKind::File => {
                    let Ok(bytes) = Disk.read(&path) else { continue };
                    let inside = path.strip_prefix(project).unwrap_or(&path).to_owned();
                    self.parts(&inside, &bytes);
                    self.files.push((inside, bytes));
                }
            }
        }
    }

    /// Adds the parts of what a build made, which a change of the archive would not reach.
    fn parts(&mut self, inside: &Path, bytes: &[u8]) {
        if !inside.extension().is_some_and(|ending| ending == "apk" || ending == "aab") {
            return;
        }
        let Ok(mut archive) = zip::ZipArchive::new(std::io::Cursor::new(bytes)) else { return };
        for at in 0..archive.len() {
            let Ok(mut part) = archive.by_index(at) else { continue };
            let name = part.name().unwrap_or_default().replace("Manifest.xml", "Manifest.compiled");
            let mut bytes = Vec::new();
            if std::io::Read::read_to_end(&mut part, &mut bytes).is_ok() {
                self.files.push((inside.join(name), bytes));
            }
        }
    }

    /// Returns all files.
    #[must_use]
    pub fn files(&self) -> &[(PathBuf, Vec<u8>)] {
        &self.files
    }

    /// Returns the files whose name ends in one of some ways, and those that broke a target once.
    #[must_use]
    pub fn seeds(&self, target: &str, ends: &[&str]) -> Vec<&[u8]> {
        let own = Path::new("crates/elvask-fuzz/corpus").join(target);
        let fits = |path: &Path| {
            let name = path.to_string_lossy();
            path.starts_with(&own) || ends.iter().any(|end| name.ends_with(end))
        };
        self.files.iter().filter(|(path, _)| fits(path)).map(|(_, bytes)| bytes.as_slice()).collect()
    }

    /// Returns the files below a folder of the project, by their paths from there.
    #[must_use]
    pub fn below(&self, folder: &str) -> Vec<(PathBuf, &[u8])> {
        let inside = self.files.iter().filter_map(|(path, bytes)| {
            let inside = path.strip_prefix(folder).ok()?;
            Some((inside.to_owned(), bytes.as_slice()))
        });
        inside.collect()
    }
}
