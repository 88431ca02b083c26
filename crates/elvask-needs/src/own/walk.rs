//! Finding the files of the app's own code.

use std::path::{Path, PathBuf};

use elvask_platform::List;
use elvask_project::files::{FileKind, Files};

/// The deepest folder that is entered.
const MAX_DEPTH: usize = 24;

/// The most files that are read.
const MAX_FILES: usize = 50_000;

/// The language family of a file, as far as its comments and strings are concerned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Language {
    /// JavaScript, TypeScript and what is made of them.
    Script,
    /// Dart.
    Dart,
    /// C#.
    CSharp,
    /// Kotlin, Java, Swift and Objective-C.
    Native,
}

/// A file of the app's own code.
#[derive(Debug)]
pub(super) struct OwnFile {
    pub(super) path: PathBuf,
    /// The path from the app.
    pub(super) shown: String,
    pub(super) language: Language,
}

/// The files of the app's own code.
#[derive(Debug, Default)]
pub(super) struct Own {
    /// In the order of their names.
    pub(super) files: Vec<OwnFile>,
    /// The folders that were listed, each from the app's, which is empty.
    pub(super) folders: Vec<String>,
    /// Whether there were more than are read.
    pub(super) cut: bool,
}

/// Finds the files of the app's own code.
pub(super) fn walk(files: &dyn Files, root: &Path) -> Own {
    let Own { files: mut out, mut folders, mut cut } = Own::default();
    // In a hybrid app the page is the source; elsewhere it is what a build made.
    let page_is_source = files.is_file(&root.join("config.xml"));
    let mut open = vec![(root.to_owned(), String::new(), 0)];
    while let Some((folder, shown, depth)) = open.pop() {
        if out.len() > MAX_FILES {
            cut = true;
            break;
        }
        let entries = files.entries_once(&folder);
        folders.push(shown.clone());
        // Another app or package inside has its own dependencies.
        if depth > 0 && entries.iter().any(|entry| matches!(entry.name.as_str(), "package.json" | "pubspec.yaml")) {
            continue;
        }
        for entry in entries {
            if entry.link || entry.name.starts_with('.') {
                continue;
            }
            let path = folder.join(&entry.name);
            let inside = if shown.is_empty() { entry.name.clone() } else { format!("{shown}/{}", entry.name) };
            match entry.kind {
                FileKind::Folder if depth >= MAX_DEPTH => cut = true,
                FileKind::Folder if is_entered(&entry.name, &inside, page_is_source) => {
                    open.push((path, inside, depth + 1));
                }
                FileKind::Folder => {}
                FileKind::File => {
                    if let Some(language) = language(&entry.name) {
                        out.push(OwnFile { path, shown: inside, language });
                    }
                }
            }
        }
    }
    out.sort_by(|one, other| one.shown.cmp(&other.shown));
    out.truncate(MAX_FILES);
    Own { files: out, folders, cut }
}

fn is_entered(name: &str, inside: &str, page_is_source: bool) -> bool {
    // Below the root of a source tree, folders are parts of package names.
    if inside.split('/').rev().skip(1).any(|part| matches!(part, "java" | "kotlin")) {
        return true;
    }
    let lower = name.to_lowercase();
    // What is prepared from the page is not the page.
    let made = match lower.as_str() {
        "www" => !page_is_source,
        "platforms" => page_is_source,
        "assets" => inside.contains("src/main/") || inside.starts_with("android/"),
        "public" => inside.starts_with("ios/") || inside.starts_with("android/"),
        "debug" => inside.contains("src/debug"),
        _ => false,
    };
    let endings = ["tests", ".xcodeproj", ".xcassets", ".bundle", ".framework", ".xcframework", ".lproj"];
    !made && !List::FolderNotOwn.has(&lower) && !endings.iter().any(|ending| lower.ends_with(ending))
}

fn language(name: &str) -> Option<Language> {
    let (stem, ending) = name.rsplit_once('.')?;
    let language = match ending {
        "js" | "jsx" | "ts" | "tsx" | "mjs" | "cjs" | "mts" | "cts" | "vue" | "svelte" => Language::Script,
        "dart" => Language::Dart,
        "cs" => Language::CSharp,
        "kt" | "java" | "swift" | "m" | "mm" => Language::Native,
        _ => return None,
    };
    // Types, settings of tools, tests, and what is generated or packed.
    let beside = [".d", ".config", ".test", ".spec", ".stories", ".min", ".g", ".freezed", ".bundle", ".setup"];
    let skipped = beside.iter().any(|ending| stem.ends_with(ending)) || stem.ends_with("_test");
    (!skipped).then_some(language)
}
