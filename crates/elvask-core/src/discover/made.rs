//! The two sides of an app whose platform files are made of one document.

use std::path::PathBuf;

use elvask_markup::Span;
use elvask_needs::generated::{self, Made};
use elvask_platform::Version;
use elvask_project::appfiles::{AndroidApp, EntitlementsFile, Generated, IosApp};
use elvask_project::gradle::{SourceSet, Stated, Variant};
use elvask_project::loading::Loading;
use elvask_project::source::{FileId, Place};

use crate::app::Plugin;

/// What the document says of who the app is and what it runs on.
#[derive(Debug, Clone, Default)]
pub(crate) struct Stands {
    pub(crate) android_id: Stated<String>,
    pub(crate) ios_id: Stated<String>,
    pub(crate) version: Stated<String>,
    pub(crate) version_code: Stated<u32>,
    pub(crate) build: Stated<String>,
    pub(crate) min_level: Stated<u32>,
    pub(crate) target_level: Stated<u32>,
    pub(crate) min_version: Stated<Version>,
}

/// Returns a value with its place.
pub(crate) fn stated<T>(file: FileId, found: Option<(T, Span)>) -> Stated<T> {
    match found {
        Some((value, span)) => Stated { value: Some(value), place: Some(Place { file, span }), written: None },
        None => Stated::default(),
    }
}

/// Takes in the made files, so that they can be judged; `sides` says which there are.
pub(crate) fn take_in(loading: &mut Loading<'_>, generated: &mut Generated, sides: (bool, bool)) -> Option<Made> {
    let made = generated::made(generated, &loading.sources)?;
    let source = loading.path(generated.source).to_owned();
    let from = generated.source;
    let mut add = |name: &str, text: &str| {
        let mut path = source.clone().into_os_string();
        path.push(format!("#{name}"));
        loading.sources.add_made(&PathBuf::from(path), from, text)
    };
    if sides.0 {
        generated.manifest = Some(add("AndroidManifest.xml", made.manifest.text()));
    }
    if sides.1 {
        generated.plist = Some(add("Info.plist", made.plist.text()));
        generated.entitlements = Some(add("entitlements", made.entitlements.text()));
    }
    Some(made)
}

/// Returns the Android side.
pub(crate) fn android(
    loading: &mut Loading<'_>,
    generated: &Generated,
    stands: &Stands,
    plugins: &[Plugin],
) -> Option<AndroidApp> {
    let manifest = generated.manifest?;
    let manifest_path = loading.path(manifest).to_owned();
    let variant = Variant {
        name: "release".to_owned(),
        build_type: "release".to_owned(),
        flavors: Vec::new(),
        id: stands.android_id.clone(),
        min_level: stands.min_level.clone(),
        target_level: stands.target_level.clone(),
        version_name: stands.version.clone(),
        version_code: stands.version_code.clone(),
        placeholders: Vec::new(),
        more_placeholders: true,
        source_sets: vec![SourceSet { name: "main".to_owned(), manifest: manifest_path.clone() }],
    };
    let mut app = AndroidApp::of_one(loading.root.clone(), manifest_path.clone(), variant);
    app.manifest = Some(manifest);
    app.manifests = vec![(manifest_path, manifest)];
    app.libraries = super::android::libraries(loading, &app, plugins);
    Some(app)
}

/// Returns the iOS side.
pub(crate) fn ios(loading: &Loading<'_>, generated: &Generated, stands: &Stands) -> Option<IosApp> {
    let plist = generated.plist?;
    let entitlements = EntitlementsFile {
        configuration: "Release".to_owned(),
        path: generated.entitlements.map(|file| loading.path(file).to_owned()),
        file: generated.entitlements,
        place: None,
    };
    Some(IosApp {
        configuration: "Release".to_owned(),
        plist_path: loading.path(plist).to_owned(),
        plist: Some(plist),
        id: stands.ios_id.clone(),
        version: stands.version.clone(),
        build: stands.build.clone(),
        min_version: stands.min_version.clone(),
        entitlements: vec![entitlements],
        ..IosApp::default()
    })
}
