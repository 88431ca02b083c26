//! What the files of packages come to in an app: which evidence wins, what is joined, what counts as declared.

use std::path::Path;

use elvask_core::app::{App, Choice, Look};
use elvask_core::check::check;
use elvask_core::finding::Finding;
use elvask_core::known::of_plugin;
use elvask_core::needs::Settings;
use elvask_needs::requirement::EvidenceKind;
use elvask_platform::Strength;
use elvask_project::files::Memory;

const PACKAGE: &str = "node_modules/redshank_scan";

/// An app for both platforms with one plugin, whose files these are.
fn tree(manifest: &str, list: &str, files: &[(&str, &str)]) -> Memory {
    let manifest = format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{manifest}    <application/>\n</manifest>\n"
    );
    let list = format!(
        "<plist version=\"1.0\">\n<dict>\n    <key>LSRequiresIPhoneOS</key>\n    <true/>\n{list}</dict>\n</plist>\n"
    );
    let gradle = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.log'\n  defaultConfig {\n    minSdk 24\n    targetSdk 35\n  }\n}\n";
    let mut tree = Memory::app([
        ("package.json", "{\"dependencies\":{\"redshank_scan\":\"1\"}}"),
        ("android/app/build.gradle", gradle),
        ("android/app/src/main/AndroidManifest.xml", manifest.as_str()),
        ("ios/Log/Info.plist", list.as_str()),
    ]);
    tree.put(format!("/app/{PACKAGE}/package.json"), "{\"version\":\"3.3.0\"}");
    tree.put(format!("/app/{PACKAGE}/android/build.gradle"), "apply plugin: 'com.android.library'\n");
    tree.put(format!("/app/{PACKAGE}/ios/Empty.swift"), "");
    for (path, text) in files {
        tree.put(format!("/app/{PACKAGE}/{path}"), text);
    }
    tree
}

fn findings(tree: &Memory) -> Vec<Finding> {
    check(&App::load(tree, Path::new("/app"), &[]).unwrap(), &Settings::default()).findings
}

fn subjects(tree: &Memory) -> Vec<String> {
    let line = |one: &Finding| {
        format!("{} {} {}", one.level.id(), one.rule.id, one.subject.replace("android.permission.", ""))
    };
    findings(tree).iter().map(line).collect()
}

const LOCATION: (&str, &str) =
    ("android/src/main/java/A.kt", "val client = LocationServices.getFusedLocationProviderClient(context)\n");

#[test]
fn one_of_several_is_enough() {
    let none = tree("", "", &[LOCATION]);
    assert_eq!(subjects(&none), ["warning permission-missing ACCESS_COARSE_LOCATION"], "one of them is asked for");
    for name in ["ACCESS_COARSE_LOCATION", "ACCESS_FINE_LOCATION"] {
        let declared = format!("    <uses-permission android:name=\"android.permission.{name}\"/>\n");
        let found = subjects(&tree(&declared, "", &[LOCATION]));
        assert!(found.iter().all(|one| !one.contains("permission-missing")), "{name}: {found:?}");
    }
}

#[test]
fn a_sheet_comes_before_what_the_files_show() {
    let sheet = ("elvask-sheet.toml", "sheet = 1\n[[requires]]\nandroid.permission = \"android.permission.NFC\"\n");
    assert_eq!(subjects(&tree("", "", &[LOCATION, sheet])), ["error permission-missing NFC"]);
    let choice = Choice { look: Look::All, ..Choice::default() };
    let app = App::load_choice(&tree("", "", &[LOCATION, sheet]), Path::new("/app"), &choice).unwrap();
    let known = of_plugin(&app, &app.plugins()[0]);
    assert_eq!((known.requirements.len(), known.beyond.len()), (1, 2), "what is beyond the sheet is told apart");
    let mut own = tree("", "", &[LOCATION, sheet]);
    own.put("/app/elvask/sheets/any.toml", "sheet = 1\nplugin = \"redshank_scan\"\n");
    assert!(subjects(&own).is_empty(), "a sheet of the app replaces the package's whole");
}

#[test]
fn two_lines_for_one_thing_are_one_requirement_with_both() {
    let source = ("ios/A.swift", "let central = CBCentralManager()\n");
    let notes =
        ("README.md", "## Set-up\n\n```xml\n<key>NSBluetoothAlwaysUsageDescription</key>\n<string>x</string>\n```\n");
    let app = tree("", "", &[source, notes]);
    let all = findings(&app);
    let found: Vec<_> = all.iter().filter(|one| one.subject == "NSBluetoothAlwaysUsageDescription").collect();
    assert_eq!(found.len(), 1);
    let kinds: Vec<_> = found[0].needed_by[0].learnt.iter().map(|citation| (citation.kind, citation.line)).collect();
    assert_eq!(kinds, [(EvidenceKind::Source, 1), (EvidenceKind::Readme, 4)]);
    assert_eq!(found[0].needed_by[0].learnt[0].file, format!("{PACKAGE}/ios/A.swift"));
}

#[test]
fn what_the_packages_manifest_declares_is_not_missing() {
    let manifest = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><uses-permission android:name=\"android.permission.WAKE_LOCK\"/></manifest>";
    let files = [
        ("android/src/main/AndroidManifest.xml", manifest),
        ("android/src/main/java/A.kt", "val lock = power.newWakeLock(1, tag)\n"),
    ];
    assert!(subjects(&tree("", "", &files)).is_empty());
    let app = App::load(&tree("", "", &files), Path::new("/app"), &[]).unwrap();
    let known = of_plugin(&app, &app.plugins()[0]);
    let lock = known.requirements.iter().find(|one| one.name.ends_with("WAKE_LOCK")).unwrap();
    assert!(lock.brought && lock.strength == Strength::Certain && lock.citations.len() == 2, "{lock:?}");
}

#[test]
fn notes_alone_warn_and_native_code_fails() {
    let notes = ("README.md", "Add `android.permission.NFC` to the manifest.\n");
    assert_eq!(subjects(&tree("", "", &[notes])), ["warning permission-missing NFC"]);
    let optional = ("README.md", "If you want to read tags, add `android.permission.NFC` to the manifest.\n");
    assert_eq!(subjects(&tree("", "", &[optional])), ["note permission-missing NFC"]);
    let doubtful = ("README.md", "`android.permission.NFC` is a permission.\n");
    assert!(subjects(&tree("", "", &[doubtful])).is_empty());
    let source = ("ios/A.m", "[SFSpeechRecognizer requestAuthorization:nil];\n");
    assert_eq!(subjects(&tree("", "", &[source])), ["error purpose-missing NSSpeechRecognitionUsageDescription"]);
}

#[test]
fn older_keys_are_wanted_for_older_systems_alone() {
    let notes = (
        "README.md",
        "Add `NSLocationAlwaysUsageDescription` and `NSLocationWhenInUseUsageDescription` to Info.plist.\n",
    );
    let mut app = tree("", "", &[notes]);
    let project = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; }; T = { name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; }; L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Log/Info.plist; IPHONEOS_DEPLOYMENT_TARGET = 15.1; }; }; }; rootObject = P; }";
    app.put("/app/ios/Log.xcodeproj/project.pbxproj", project);
    assert_eq!(subjects(&app), ["warning purpose-missing NSLocationWhenInUseUsageDescription"]);
}

#[test]
fn a_level_that_only_the_build_knows_is_a_limit_and_no_need() {
    let build = (
        "android/build.gradle",
        "apply plugin: 'com.android.library'\nandroid {\n  minSdkVersion levels.of(this)\n}\n",
    );
    let app = App::load(&tree("", "", &[build]), Path::new("/app"), &[]).unwrap();
    let known = of_plugin(&app, &app.plugins()[0]);
    assert!(known.requirements.is_empty());
    assert!(
        known.limits[0].ends_with("the lowest level is levels.of(this), which only running the build tells"),
        "{:?}",
        known.limits
    );
}
