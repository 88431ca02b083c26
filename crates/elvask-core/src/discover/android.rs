//! Finding the Android app module and what its build files say in so many words.

use std::path::{Path, PathBuf};

use elvask_markup::gradle::{Setting, SettingValue, settings};

use super::folders;
use crate::app::{AndroidApp, Level, Loading};
use crate::files::{Files, normal};
use crate::source::{FileId, Place};

const BUILD_FILES: [&str; 2] = ["build.gradle", "build.gradle.kts"];
const MANIFEST: &str = "src/main/AndroidManifest.xml";

/// How deep below the app's root its module may lie.
const DEPTH: usize = 5;

/// Finds the module that is built into an app, and reads its levels and ids.
pub(crate) fn find(loading: &mut Loading<'_>) -> Option<AndroidApp> {
    let module = find_module(loading)?;
    let build = build_file(loading.files, &module).and_then(|path| {
        let shown = loading.shown(&path);
        let (file, text) = loading.read(&path, &shown)?;
        Some((file, settings(&text)))
    });
    let own = build.as_ref().map(|(_, settings)| settings.as_slice()).unwrap_or_default();
    let manifest = module.join(named_manifest(own).unwrap_or_else(|| MANIFEST.to_owned()));
    let mut app = AndroidApp {
        module: module.clone(),
        manifest_path: normal(&manifest),
        manifest: None,
        id: None,
        namespace: None,
        min_level: Level::default(),
        target_level: Level::default(),
    };
    if let Some((file, own)) = &build {
        let shared = shared_settings(loading, &module);
        app.id = text_of(own, "applicationId");
        app.namespace = text_of(own, "namespace");
        app.min_level = level(*file, own, &["minSdk", "minSdkVersion"], &shared);
        app.target_level = level(*file, own, &["targetSdk", "targetSdkVersion"], &shared);
    }
    Some(app)
}

fn build_file(files: &dyn Files, folder: &Path) -> Option<PathBuf> {
    BUILD_FILES.iter().map(|name| folder.join(name)).find(|path| files.is_file(path))
}

/// Returns the folder of the app module: the usual one where it is one, else the nearest that is.
fn find_module(loading: &mut Loading<'_>) -> Option<PathBuf> {
    let root = loading.root.clone();
    let usual = root.join("android/app");
    if loading.files.is_file(&usual.join(MANIFEST)) {
        return Some(usual);
    }
    let files = loading.files;
    let mut modules: Vec<_> =
        folders(files, &root, DEPTH).into_iter().filter(|folder| builds_an_app(files, folder)).collect();
    if modules.len() > 1 {
        let names: Vec<_> = modules.iter().map(|module| loading.shown(module)).collect();
        loading.notice(format!("several Android app modules: {}; the first is looked at", names.join(", ")));
    }
    if modules.is_empty() && files.is_folder(&usual) {
        return Some(usual);
    }
    (!modules.is_empty()).then(|| modules.swap_remove(0))
}

fn builds_an_app(files: &dyn Files, folder: &Path) -> bool {
    let Some(path) = build_file(files, folder) else { return false };
    let Ok(text) = crate::source::read_text(files, &path) else { return false };
    let applies = |line: &str| {
        let line = line.trim();
        let application = line.contains("com.android.application")
            || line.contains("plugins.android.application")
            || line.contains("plugins.androidApplication");
        application && !line.starts_with("//") && !line.contains("apply false")
    };
    text.lines().any(applies)
}

/// Returns the manifest that a build file names for the main source set.
fn named_manifest(settings: &[Setting]) -> Option<String> {
    let setting = settings.iter().find(|setting| {
        let inside = |name: &str| setting.blocks.iter().any(|block| block.split('.').any(|part| part == name));
        setting.name.ends_with("srcFile")
            && inside("sourceSets")
            && (inside("main") || setting.name.contains("main"))
            && (inside("manifest") || setting.name.contains("manifest"))
    })?;
    match &setting.value {
        SettingValue::Text(path) => Some(path.clone()),
        _ => None,
    }
}

fn text_of(settings: &[Setting], name: &str) -> Option<String> {
    settings.iter().filter(|setting| setting.name == name).find_map(|setting| match &setting.value {
        SettingValue::Text(text) => Some(text.clone()),
        _ => None,
    })
}

fn level(file: FileId, own: &[Setting], names: &[&str], shared: &[(String, u32)]) -> Level {
    let stated = own.iter().find(|setting| {
        names.contains(&setting.name.as_str()) && setting.blocks.iter().any(|block| block == "defaultConfig")
    });
    let Some(setting) = stated else { return Level::default() };
    let place = Some(Place { file, span: setting.span });
    match &setting.value {
        SettingValue::Number(value) => Level { value: Some(*value), place, written: None },
        SettingValue::Text(text) => Level { value: text.parse().ok(), place, written: Some(text.clone()) },
        SettingValue::Expression(expression) => {
            let last = expression.rsplit('.').next().unwrap_or(expression);
            // `rootProject.ext.minSdkVersion`, or the bare name: a property of the build, stated once for all modules.
            let property =
                !expression.contains('.') || expression.contains("ext.") || expression.starts_with("project.");
            let value = shared.iter().find(|(name, _)| name == last).filter(|_| property).map(|(_, value)| *value);
            Level { value, place, written: Some(expression.clone()) }
        }
    }
}

/// Returns the numbers that the root project's build file and properties state under a name.
fn shared_settings(loading: &mut Loading<'_>, module: &Path) -> Vec<(String, u32)> {
    let mut shared = Vec::new();
    let Some(root) = module.parent().map(Path::to_owned) else { return shared };
    if let Some(path) = build_file(loading.files, &root)
        && let Ok(text) = crate::source::read_text(loading.files, &path)
    {
        for setting in settings(&text) {
            let last = setting.name.rsplit('.').next().unwrap_or_default().to_owned();
            if let SettingValue::Number(value) = setting.value {
                shared.push((last, value));
            }
        }
    }
    if let Ok(text) = crate::source::read_text(loading.files, &root.join("gradle.properties")) {
        let pairs = text.lines().filter_map(|line| line.split_once('='));
        shared.extend(pairs.filter_map(|(name, value)| Some((name.trim().to_owned(), value.trim().parse().ok()?))));
    }
    shared
}
