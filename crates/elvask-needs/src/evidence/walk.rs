//! Finding the files of a package that can say what it requires.

use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicUsize;

use elvask_platform::List;
use elvask_platform::native::Family;
use elvask_project::files::{FileKind, Files, joined};

/// The deepest folder that is entered, counted from the package's own.
const MAX_DEPTH: usize = 16;

/// The most folders that are entered.
const MAX_FOLDERS: usize = 5_000;

/// The most files that are read.
const MAX_FILES: usize = 20_000;

/// What a file can say.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Role {
    /// An Android manifest of a source set that ships.
    Manifest,
    /// Another XML file below an Android source folder, which a Gradle script may name as the manifest.
    OtherXml,
    /// Native code.
    Source(Family),
    /// The package's notes, in Markdown.
    Notes,
    /// A Gradle script.
    Gradle,
    /// `gradle.properties`.
    Properties,
    /// `package.json`.
    PackageJson,
    /// The description of a pod.
    Podspec,
    /// `Package.swift`.
    SwiftPackage,
    /// `plugin.xml` of the layout `widget`: what its tools put into the app's files.
    PluginXml,
    /// A bundled Android library.
    Archive,
    /// A privacy manifest.
    Privacy,
    /// A script that changes an app's files for another tool.
    AppScript,
    /// What the package tells the linker of its runtime.
    ModuleConfig,
    /// `pubspec.yaml`.
    Pubspec,
}

/// A file of a package.
#[derive(Debug, Clone)]
pub(super) struct PackageFile {
    pub(super) path: PathBuf,
    /// The path from the package's folder, with forward slashes.
    pub(super) shown: String,
    pub(super) role: Role,
}

/// The files of a package.
#[derive(Debug, Default)]
pub(super) struct Tree {
    pub(super) files: Vec<PackageFile>,
    /// The folders that were listed, each from the package's, which is empty.
    pub(super) folders: Vec<String>,
    /// The files and folders with native code that is compiled already, from the package's folder.
    pub(super) binaries: Vec<String>,
    /// Whether there was more than is looked at.
    pub(super) cut: bool,
    /// How many bytes of its files have been read.
    pub(super) read: AtomicUsize,
}

/// Finds the files of a package.
pub(super) fn walk(files: &dyn Files, root: &Path) -> Tree {
    let mut tree = Tree::default();
    let mut open = vec![(root.to_owned(), String::new(), 0)];
    let mut folders = 0;
    while let Some((folder, shown, depth)) = open.pop() {
        folders += 1;
        if folders > MAX_FOLDERS || tree.files.len() > MAX_FILES {
            tree.cut = true;
            break;
        }
        let entries = files.entries_once(&folder);
        tree.folders.push(shown.clone());
        // A folder with an app of its own shows how the package is used.
        let is_app = depth > 0
            && entries.iter().any(|entry| {
                matches!(entry.name.as_str(), "pubspec.lock" | "package-lock.json" | "yarn.lock" | "Podfile.lock")
                    || entry.name.ends_with(".xcodeproj") && shown.to_lowercase().contains("app")
            });
        if is_app {
            continue;
        }
        for entry in entries {
            // What a link leads to is not the package's own.
            if entry.link || entry.name.starts_with('.') {
                continue;
            }
            // Most of what stands in a package says nothing, and its path is not put together.
            let inside = || if shown.is_empty() { entry.name.clone() } else { [&shown, "/", &entry.name].concat() };
            let path = || joined(&folder, &entry.name);
            match entry.kind {
                FileKind::Folder if depth >= MAX_DEPTH => tree.cut = true,
                FileKind::Folder if is_compiled_folder(&entry.name) => tree.binaries.push(inside()),
                FileKind::Folder if is_entered(&entry.name, &shown) => open.push((path(), inside(), depth + 1)),
                FileKind::File if is_compiled_file(&entry.name) => tree.binaries.push(inside()),
                FileKind::File => {
                    let role = role_of(&entry.name, &shown, depth);
                    tree.files.extend(role.map(|role| PackageFile { path: path(), shown: inside(), role }));
                }
                FileKind::Folder => {}
            }
        }
    }
    // Native code above all comes in the order of the names, whatever the order of the folders.
    tree.files.sort_by(|one, other| one.shown.cmp(&other.shown));
    tree.files.truncate(MAX_FILES);
    tree
}

/// Parts a name at its last dot.
fn parted(name: &str) -> Option<(&str, &str)> {
    let dot = memchr::memrchr(b'.', name.as_bytes())?;
    Some((name.get(..dot)?, name.get(dot + 1..)?))
}

/// Says whether a folder is a library or framework that is compiled already.
fn is_compiled_folder(name: &str) -> bool {
    name.ends_with(".framework") || name.ends_with(".xcframework")
}

/// Says whether a file is a library that is compiled already. The build tool's own wrapper is none of the package.
fn is_compiled_file(name: &str) -> bool {
    let ending = parted(name).map_or("", |(_, ending)| ending);
    matches!(ending, "jar" | "a" | "so") && name != "gradle-wrapper.jar"
}

fn is_entered(name: &str, around: &str) -> bool {
    // Below the root of a source tree, folders are parts of package names, and `example` is a usual one.
    if around.split('/').any(|part| matches!(part, "java" | "kotlin")) {
        return true;
    }
    let lower = name.to_lowercase();
    let lower = lower.as_str();
    // Scripts for another tool come translated.
    if around == "plugin" && lower == "build" {
        return true;
    }
    let endings = [
        "tests",
        "uitests",
        "example",
        "examples",
        "exampleapp",
        "demo",
        "sampleapp",
        ".xcodeproj",
        ".bundle",
        ".lproj",
    ];
    !List::FolderNotShipped.has(lower)
        && !List::FolderOtherPlatform.has(lower)
        && !endings.iter().any(|ending| lower.ends_with(ending))
        && !lower.starts_with("example")
}

/// Says what a file can say, by its name and the folder that it is in.
fn role_of(name: &str, folder: &str, depth: usize) -> Option<Role> {
    let (stem, ending) = parted(name)?;
    Some(match ending {
        "swift" if name == "Package.swift" => Role::SwiftPackage,
        "swift" | "m" | "mm" => Role::Source(Family::Apple),
        "kt" | "java" => Role::Source(Family::Jvm),
        "xml" if name == "AndroidManifest.xml" => Role::Manifest,
        "xml" if name == "plugin.xml" && depth == 0 => Role::PluginXml,
        "xml" if stem.to_lowercase().contains("manifest") => Role::OtherXml,
        "gradle" => Role::Gradle,
        "kts" if stem.ends_with(".gradle") => Role::Gradle,
        "properties" if stem == "gradle" => Role::Properties,
        "json" if name == "package.json" && depth == 0 => Role::PackageJson,
        "json" if depth == 0 && name.ends_with("module.config.json") => Role::ModuleConfig,
        "yaml" if depth == 0 && name == "pubspec.yaml" => Role::Pubspec,
        "js" | "cjs" if name.starts_with("app.plugin.") && depth == 0 => Role::AppScript,
        "js" | "cjs" if folder.split('/').next() == Some("plugin") => Role::AppScript,
        "podspec" => Role::Podspec,
        "aar" => Role::Archive,
        "xcprivacy" => Role::Privacy,
        "md" | "markdown" | "mdx" => {
            let lower = stem.to_lowercase();
            let other = List::NotesOther.words().chain(List::NotesMachine.words()).any(|word| lower.contains(word))
                || depth == 0 && !List::NotesSetup.words().any(|word| lower.contains(word));
            let place = format!("{folder}/{name}").to_lowercase();
            let docs = depth == 0
                || place.starts_with("doc")
                || matches!(place.split('/').next(), Some("android" | "ios" | "guides" | "guide" | "wiki"));
            // Translations say the same as the notes that they translate.
            let translated = lower.strip_prefix("readme").is_some_and(|rest| !rest.is_empty());
            if other || !docs || translated || is_versioned(&place) {
                return None;
            }
            Role::Notes
        }
        _ => return None,
    })
}

/// Says whether notes speak of another version of the package.
fn is_versioned(path: &str) -> bool {
    path.split('/').any(|part| {
        let number = part.strip_prefix("version-").or_else(|| part.strip_prefix('v'));
        number.is_some_and(|rest| rest.starts_with(|first: char| first.is_ascii_digit()) && !rest.ends_with(".md"))
    })
}
