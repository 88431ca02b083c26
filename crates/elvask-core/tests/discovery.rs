//! Finding apps, packages and sheets, on trees in memory.

use std::path::{Path, PathBuf};

use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::discover::find_root;
use elvask_core::needs::Settings;
use elvask_project::files::Memory;

const SHEET: &str = "sheet = 1\n[[requires]]\ncapability = 'camera'\n";
const MANIFEST: &str =
    "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application/>\n</manifest>\n";
const PLIST: &str = "<plist version=\"1.0\"><dict><key>LSRequiresIPhoneOS</key><true/></dict></plist>";

fn load(tree: &Memory) -> App {
    App::load(tree, Path::new("/app"), &[]).unwrap()
}

/// Returns the plugins as `name version`, a `+` behind those that the app's own file names.
fn plugins(app: &App) -> Vec<String> {
    let line = |plugin: &elvask_core::app::Plugin| {
        let mark = if plugin.dependency.is_some() { "+" } else { "" };
        format!("{} {}{mark}", plugin.name, plugin.version.as_deref().unwrap_or("?"))
    };
    app.plugins().iter().map(line).collect()
}

fn package(tree: &mut Memory, root: &str, name: &str, version: &str, rest: &str) {
    tree.put(format!("{root}/package.json"), format!("{{\"name\":\"{name}\",\"version\":\"{version}\"{rest}}}"));
}

#[test]
fn npm_packages_are_found_as_the_runtime_finds_them() {
    let mut tree = Memory::app([(
        "package.json",
        r#"{ "dependencies": { "tern_camera": "^2", "@marsh/knot": "1", "linked": "1", "plain": "1" },
             "devDependencies": { "lint": "1" }, "optionalDependencies": { "absent": "1" } }"#,
    )]);
    let native = |tree: &mut Memory, root: &str| tree.put(format!("{root}/android/build.gradle"), "");
    // In the app, with a nested copy of another version of a package that stands above.
    package(&mut tree, "/app/node_modules/tern_camera", "tern_camera", "2.1.0", r#","dependencies":{"plover":"1"}"#);
    native(&mut tree, "/app/node_modules/tern_camera");
    package(&mut tree, "/app/node_modules/tern_camera/node_modules/plover", "plover", "1.9.0", "");
    native(&mut tree, "/app/node_modules/tern_camera/node_modules/plover");
    // Hoisted to the folder above, with a scope; it finds the other version of plover there.
    package(&mut tree, "/node_modules/@marsh/knot", "@marsh/knot", "1.0.0", r#","peerDependencies":{"plover":"*"}"#);
    native(&mut tree, "/node_modules/@marsh/knot");
    package(&mut tree, "/node_modules/plover", "plover", "3.0.0", "");
    native(&mut tree, "/node_modules/plover");
    // A link into another folder, from where packages are looked for.
    package(&mut tree, "/repo/linked", "linked", "0.1.0", r#","dependencies":{"deep":"1"}"#);
    tree.put("/repo/linked/linked.podspec", "");
    package(&mut tree, "/repo/node_modules/deep", "deep", "4.0.0", "");
    tree.put("/repo/node_modules/deep/ios/a.swift", "");
    tree.link("/app/node_modules/linked", "/repo/linked");
    package(&mut tree, "/app/node_modules/plain", "plain", "1.0.0", "");
    package(&mut tree, "/app/node_modules/lint", "lint", "1.0.0", "");
    native(&mut tree, "/app/node_modules/lint");
    let app = load(&tree);
    assert_eq!(
        plugins(&app),
        [
            "@marsh/knot 1.0.0+",
            "linked 0.1.0+",
            "tern_camera 2.1.0+",
            "lint 1.0.0+",
            "plover 3.0.0",
            "deep 4.0.0",
            "plover 1.9.0"
        ],
        "what has no native code is left out; the build links what the app's own file names, under whichever heading"
    );
    let out: Vec<_> = app.plugins().iter().filter(|one| !one.out.is_empty()).map(|one| one.name.as_str()).collect();
    assert_eq!(out, ["plover", "deep", "plover"], "what only other packages name is not linked");
    let place = app.plugins()[0].dependency.unwrap();
    assert_eq!(app.sources.text_at(place), "\"@marsh/knot\"");
    assert!(!app.notices.iter().any(|notice| notice.contains("absent")), "an optional package may be absent");
}

#[test]
fn a_package_that_is_not_installed_is_told() {
    let tree = Memory::app([("package.json", r#"{"dependencies":{"tern_camera":"1"}}"#)]);
    let app = load(&tree);
    assert!(app.notices[0].contains("not installed") && app.notices[0].contains("tern_camera"), "{:?}", app.notices);
    let tree = Memory::app([("pubspec.yaml", "dependencies:\n  tern_camera: ^2.0.0\n")]);
    assert!(load(&tree).notices[0].contains(".dart_tool/package_config.json is not there"));
}

fn pubspec(name: &str, version: &str, rest: &str) -> String {
    format!("name: {name}\nversion: {version}\n{rest}")
}

#[test]
fn pubspec_packages_are_followed_from_relative_and_absolute_roots() {
    let plugin = "flutter:\n  plugin:\n    platforms:\n      android:\n        package: a\n";
    let mut tree = Memory::app([
        (
            "pubspec.yaml",
            "name: app\ndependencies:\n  shell:\n    sdk: shell\n  tern_camera: ^2.1.0\n  dates: ^1.0.0\ndev_dependencies:\n  lints: ^1.0.0\n",
        ),
        (
            ".dart_tool/package_config.json",
            r#"{"configVersion":2,"packages":[
              {"name":"tern_camera","rootUri":"../packages/tern%20camera"},
              {"name":"dates","rootUri":"file:///cache/dates-1.0.0"},
              {"name":"plover_dialer","rootUri":"file:///cache/plover"},
              {"name":"lints","rootUri":"file:///cache/lints"},
              {"name":"app","rootUri":"../"}]}"#,
        ),
        ("pubspec.lock", "packages:\n  plover_dialer:\n    version: \"3.0.1\"\n"),
    ]);
    tree.put("/app/packages/tern camera/pubspec.yaml", pubspec("tern_camera", "2.1.0", plugin));
    tree.put("/cache/dates-1.0.0/pubspec.yaml", pubspec("dates", "1.0.0", "dependencies:\n  plover_dialer: any\n"));
    tree.put(
        "/cache/plover/pubspec.yaml",
        "name: plover_dialer\nflutter:\n  plugin:\n    platforms:\n      ios:\n        pluginClass: P\n",
    );
    tree.put("/cache/lints/pubspec.yaml", pubspec("lints", "1.0.0", plugin));
    let app = load(&tree);
    assert_eq!(
        plugins(&app),
        ["tern_camera 2.1.0+", "plover_dialer 3.0.1"],
        "a package without native code is not a plugin"
    );
    assert_eq!(app.plugins()[0].platforms, [elvask_core::Platform::Android]);
    assert_eq!(app.plugins()[1].platforms, [elvask_core::Platform::Ios]);
    assert_eq!(app.sources.position(app.plugins()[0].dependency.unwrap()).line, 5);
}

#[test]
fn an_app_in_a_workspace_finds_the_packages_above() {
    let mut tree =
        Memory::app([("pubspec.yaml", "name: app\nresolution: workspace\ndependencies:\n  tern_camera: any\n")]);
    tree.put("/.dart_tool/package_config.json", r#"{"packages":[{"name":"tern_camera","rootUri":"../tern"}]}"#);
    tree.put("/tern/pubspec.yaml", "name: tern_camera\nversion: 1.0.0\n");
    tree.put("/tern/elvask-sheet.toml", SHEET);
    assert_eq!(
        plugins(&load(&tree)),
        ["tern_camera 1.0.0+"],
        "a sheet makes a plugin of a package without native code"
    );
}

#[test]
fn the_module_and_the_list_are_found_where_they_are() {
    let gradle = "plugins {\n    alias(libs.plugins.android.application)\n}\nandroid {\n    sourceSets {\n        main {\n            manifest.srcFile 'mobile/Manifest.xml'\n        }\n    }\n}\n";
    let project = "{ objects = { P = { targets = (W, T); buildConfigurationList = L0; }; W = { name = Watch; productType = \"com.apple.product-type.application.watchapp2\"; };
        T = { name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; }; L0 = { buildConfigurations = (C0); }; C0 = { name = Release; buildSettings = { IPHONEOS_DEPLOYMENT_TARGET = 14.0; }; };
        L = { buildConfigurations = (D, C); }; D = { name = Debug; buildSettings = { INFOPLIST_FILE = wrong.plist; }; };
        C = { name = Release; buildSettings = { INFOPLIST_FILE = \"$(SRCROOT)/Config/$(TARGET_NAME)-Info.plist\"; }; }; }; rootObject = P; }";
    let tree = Memory::app([
        ("package.json", "{}"),
        ("native/droid/build.gradle", "plugins { id 'com.android.application' version '8' apply false }"),
        ("native/droid/handset/build.gradle.kts", gradle),
        ("native/droid/handset/mobile/Manifest.xml", MANIFEST),
        ("node_modules/x/android/app/build.gradle", "apply plugin: 'com.android.application'"),
        ("native/apple/Log.xcodeproj/project.pbxproj", project),
        ("native/apple/Config/Log-Info.plist", PLIST),
    ]);
    let app = load(&tree);
    assert_eq!(app.android.as_ref().unwrap().manifest_path, Path::new("/app/native/droid/handset/mobile/Manifest.xml"));
    let ios = app.ios.as_ref().unwrap();
    assert_eq!(ios.plist_path, Path::new("/app/native/apple/Config/Log-Info.plist"));
    assert_eq!(ios.target.as_deref(), Some("Log"));
    assert_eq!(ios.min_version.value.unwrap().to_string(), "14.0", "a setting of the project holds for its targets");
    assert!(app.faults.is_empty(), "{:?}", app.faults);
}

#[test]
fn a_list_without_a_project_is_found_too() {
    let tree = Memory::app([
        ("package.json", "{}"),
        (
            "ios/Share/Info.plist",
            "<plist version=\"1.0\"><dict><key>NSExtension</key><dict/><key>LSRequiresIPhoneOS</key><true/></dict></plist>",
        ),
        ("ios/Log/Info.plist", PLIST),
    ]);
    assert_eq!(load(&tree).ios.clone().unwrap().plist_path, Path::new("/app/ios/Log/Info.plist"));
}

#[test]
fn sheets_win_over_each_other_in_their_order() {
    let mut tree = Memory::app([
        ("package.json", r#"{"dependencies":{"tern_camera":"1"}}"#),
        ("android/app/src/main/AndroidManifest.xml", MANIFEST),
    ]);
    package(&mut tree, "/app/node_modules/tern_camera", "tern_camera", "1.0.0", "");
    tree.put("/app/node_modules/tern_camera/elvask-sheet.toml", SHEET);
    let missing = |tree: &Memory, folders: &[PathBuf]| {
        let app = App::load(tree, Path::new("/app"), folders).unwrap();
        let report = check(&app, &Settings::default());
        let of_plugin = report.findings.into_iter().filter(|finding| finding.rule.id != "not-judged");
        of_plugin.map(|finding| finding.subject).collect::<Vec<_>>()
    };
    let sheet =
        |permission: &str| format!("sheet = 1\nplugin = 'tern_camera'\n[[requires]]\ncapability = '{permission}'\n");
    assert_eq!(missing(&tree, &[]), ["android.permission.CAMERA"]);
    tree.put("/app/elvask/sheets/any.toml", sheet("vibrate"));
    assert_eq!(missing(&tree, &[]), ["android.permission.VIBRATE"]);
    tree.put("/team/tern.toml", sheet("nfc"));
    assert_eq!(missing(&tree, &[PathBuf::from("/team")]), ["android.permission.NFC"]);
    assert!(App::load(&tree, Path::new("/app"), &[PathBuf::from("/none")]).is_err());
}

#[test]
fn the_root_is_the_nearest_app_upwards() {
    let tree = Memory::app([
        ("package.json", "{}"),
        ("android/app/build.gradle", ""),
        ("src/widgets/package.json", "{}"),
        ("src/widgets/deep/a.js", ""),
    ]);
    let root = |folder: &str| find_root(&tree, Path::new(folder));
    assert_eq!(root("/app/src/widgets/deep"), Some(PathBuf::from("/app")), "a folder without a platform is not an app");
    assert_eq!(root("/elsewhere"), None);
    let library = Memory::app([("package.json", "{}")]);
    assert_eq!(find_root(&library, Path::new("/app/lib")), Some(PathBuf::from("/app")), "better than nothing");
}

#[test]
fn levels_are_read_or_told_to_be_unknown() {
    let load = |gradle: &str| {
        load(&Memory::app([
            ("package.json", "{}"),
            ("android/app/build.gradle", gradle),
            ("android/app/src/main/AndroidManifest.xml", MANIFEST),
            ("android/build.gradle", "buildscript { ext { minSdkVersion = 23 } }"),
            ("android/gradle.properties", "app.target = 1\ntargetSdkVersion=34\n"),
        ]))
        .android
        .clone()
        .unwrap()
    };
    let app = load(
        "android { defaultConfig { minSdkVersion rootProject.ext.minSdkVersion\n targetSdkVersion project.targetSdkVersion } }",
    );
    assert_eq!((app.min_level.value, app.target_level.value), (Some(23), Some(34)));
    let app = load("android { defaultConfig { minSdk = shell.minSdkVersion\n targetSdk = 35 } }");
    assert_eq!((app.min_level.value, app.min_level.written.as_deref()), (None, Some("shell.minSdkVersion")));
    assert_eq!(app.target_level.value, Some(35));
}

#[test]
fn a_folder_of_scripts_for_a_platform_is_no_native_code() {
    let mut tree = Memory::app([(
        "package.json",
        r#"{ "dependencies": { "shore_log": "1" }, "devDependencies": { "shore_preset": "1" } }"#,
    )]);
    package(&mut tree, "/app/node_modules/shore_log", "shore_log", "1.0.0", "");
    tree.put("/app/node_modules/shore_log/ios/ShoreLog.m", "");
    package(&mut tree, "/app/node_modules/shore_preset", "shore_preset", "1.0.0", "");
    tree.put("/app/node_modules/shore_preset/ios/preset.js", "");
    assert_eq!(plugins(&load(&tree)), ["shore_log 1.0.0+"]);
}
