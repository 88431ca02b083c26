//! Whole apps with some files changed: whatever they hold, `check` and `fill` end well.

use std::path::{Path, PathBuf};

use elvask_core::app::{App, Choice};
use elvask_core::check::check;
use elvask_core::fill::{FillError, fill_through};
use elvask_core::needs::Settings;
use elvask_project::files::{Files as _, Memory, Overlay};
use fastrand::Rng;

use crate::corpus::Corpus;
use crate::mutate::mutated;

/// The sample apps, each with the file by which a package is known where what packages have in common is kept apart.
const APPS: [(&str, &str); 5] =
    [("npm", "package.json"), ("pubspec", "pubspec.yaml"), ("widget", ""), ("appjson", ""), ("gradle", "")];

/// Returns the files of a sample app.
fn files(corpus: &Corpus, app: &str, marker: &str) -> Vec<(PathBuf, Vec<u8>)> {
    let mut files = Vec::new();
    let plugins = corpus.below("demo/plugins");
    for (path, bytes) in corpus.below(&format!("demo/{app}")) {
        let package = path.parent().filter(|_| !marker.is_empty() && path.ends_with(marker));
        if let Some(name) = package.and_then(Path::file_name).and_then(|name| name.to_str()) {
            let plugin = name.split('-').next().unwrap_or(name);
            let folder = path.parent().unwrap_or(&path);
            let shared = plugins.iter().filter_map(|(path, bytes)| Some((path.strip_prefix(plugin).ok()?, bytes)));
            files.extend(shared.map(|(inside, bytes)| (folder.join(inside), bytes.to_vec())));
        }
        files.push((path, bytes.to_vec()));
    }
    if !marker.is_empty() {
        let site = corpus.below("demo/site").into_iter();
        files.extend(site.map(|(path, bytes)| (Path::new("site").join(path), bytes.to_vec())));
    }
    files
}

/// Says whether a file is one that is looked at; code and pictures of the app are there in numbers, and say little.
fn counts(path: &Path) -> bool {
    let name = path.to_string_lossy();
    [
        ".xml",
        ".plist",
        ".entitlements",
        ".gradle",
        ".kts",
        ".toml",
        ".json",
        ".pbxproj",
        ".md",
        ".yaml",
        ".strings",
        "association",
    ]
    .iter()
    .any(|end| name.ends_with(end))
}

/// Makes an app of some bytes, which are no more than a number to start from, and holds it against what must be true of every app.
pub(crate) fn run(corpus: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let start = bytes.iter().fold(11_u64, |sum, byte| sum.wrapping_mul(1_099_511_628_211) ^ u64::from(*byte));
    let mut rng = Rng::with_seed(start);
    let (app, marker) = APPS.get(rng.usize(0..APPS.len())).copied().unwrap_or(("npm", "package.json"));
    let mut files = files(corpus, app, marker);
    let targets: Vec<usize> =
        files.iter().enumerate().filter(|(_, (path, _))| counts(path)).map(|(at, _)| at).collect();
    // Files of one sort lend pieces to each other.
    let lent: Vec<Vec<u8>> = targets.iter().filter_map(|at| Some(files.get(*at)?.1.clone())).collect();
    for _ in 0..rng.usize(1..5) {
        let Some((_, bytes)) = targets.get(rng.usize(0..targets.len().max(1))).and_then(|at| files.get_mut(*at)) else {
            return Ok(());
        };
        let others: Vec<&[u8]> = lent.iter().map(Vec::as_slice).collect();
        *bytes = mutated(&mut rng, bytes, &others);
    }
    let mut tree = Memory::default();
    for (path, bytes) in files {
        tree.put(Path::new("/app").join(path), bytes);
    }
    holds(&tree, rng.bool())
}

fn holds(tree: &Memory, answered: bool) -> Result<(), String> {
    let root = Path::new("/app");
    let choice = Choice::default();
    let Ok(app) = App::load_choice(tree, root, &choice) else { return Ok(()) };
    let mut settings = Settings::default();
    if answered {
        settings.purposes.push(("camera".to_owned(), "Photographs the ring.".to_owned()));
        settings.answers.push(("knot_banner".to_owned(), "app_id".to_owned(), "knot-48210077".to_owned()));
        settings.answers.push(("knot_banner".to_owned(), "ios_app_id".to_owned(), "knot-48210078".to_owned()));
    }
    drop(check(&app, &settings));
    let filled = match fill_through(tree, &choice, &app, &settings) {
        Ok(filled) => filled,
        Err(FillError::Obstacles(_)) => return Ok(()),
        Err(error @ FillError::Unsettled(_)) => return Err(error.to_string()),
    };
    let mut written = std::collections::BTreeMap::new();
    for file in &filled.changed {
        let file = filled.sources.file(*file);
        let inside = file.path.strip_prefix(root).map_err(|_| format!("{} is outside the app", file.path.display()))?;
        if inside.components().any(|part| matches!(part.as_os_str().to_str(), Some("node_modules" | ".." | "packages")))
        {
            return Err(format!("{} is not the app's own", file.path.display()));
        }
        let bytes = file.bytes_to_write().map_err(|error| format!("{}: {error}", file.shown))?;
        written.insert(file.path.clone(), bytes);
    }
    let over = Overlay::new(tree, written);
    let again = App::load_choice(&over, root, &choice).map_err(|error| format!("after fill: {error}"))?;
    // What is in pieces afterwards must have been in pieces before.
    let unread = |app: &App| app.faults.iter().map(|fault| fault.file.clone()).collect::<Vec<_>>();
    let before = unread(&app);
    if let Some(broken) = unread(&again).iter().find(|file| !before.contains(file)) {
        return Err(format!("{broken} could be read before fill, and cannot after it"));
    }
    match fill_through(&over, &choice, &again, &settings) {
        Ok(second) => {
            let more = second.changed.iter().map(|file| second.sources.file(*file));
            let more: Vec<_> = more
                .filter(|file| over.read(&file.path).ok() != file.bytes_to_write().ok())
                .map(|file| file.shown.clone())
                .collect();
            if more.is_empty() {
                Ok(())
            } else {
                let titles: Vec<_> =
                    second.mended.iter().map(|one| format!("{} {}", one.rule.id, one.subject)).collect();
                Err(format!("a second fill changes {more:?}: {titles:?}"))
            }
        }
        Err(FillError::Obstacles(report)) => {
            let first = report.obstacles().next().map(|one| one.message.clone()).unwrap_or_default();
            Err(format!("after fill something cannot be read: {first}"))
        }
        Err(error) => Err(format!("after fill: {error}")),
    }
}
