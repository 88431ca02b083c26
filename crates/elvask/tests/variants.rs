//! Variants, targets, configurations, merged manifests and repositories of several apps, by the built program.

use crate::support::elvask;

const BUILD: &str = "apply plugin: 'com.android.application'\nandroid {\n    namespace 'example.log'\n    flavorDimensions 'tier'\n    productFlavors {\n        free { }\n        full { }\n    }\n    defaultConfig {\n        applicationId 'example.log'\n        minSdk 24\n        targetSdk System.getenv('LEVEL')\n    }\n}\n";
const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T, U); buildConfigurationList = L; developmentRegion = en; };
  T = { name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  U = { name = Lite; productType = \"com.apple.product-type.application\"; buildConfigurationList = M; };
  M = { buildConfigurations = (N); }; N = { name = Release; buildSettings = { INFOPLIST_FILE = Lite.plist; PRODUCT_BUNDLE_IDENTIFIER = example.lite; }; };
  L = { buildConfigurations = (D, R); };
  D = { name = Debug; buildSettings = { INFOPLIST_FILE = Debug.plist; PRODUCT_BUNDLE_IDENTIFIER = example.debug; }; };
  R = { name = Release; buildSettings = { GENERATE_INFOPLIST_FILE = YES; PRODUCT_BUNDLE_IDENTIFIER = example.log; }; }; }; rootObject = P; }";
const SHEET: &str = "sheet = 1\nplugin = 'tern_camera'\n[[requires]]\ncapability = 'camera'\n";

fn manifest(inside: &str) -> String {
    format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{inside}</manifest>\n"
    )
}

fn permission(name: &str) -> String {
    format!("    <uses-permission android:name=\"android.permission.{name}\" />\n")
}

fn app() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let plist =
        |key: &str| format!("<plist version=\"1.0\">\n<dict>\n    <key>{key}</key>\n    <true/>\n</dict>\n</plist>\n");
    let put = |path: &str, text: &str| {
        let path = folder.path().join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    };
    put("package.json", "{\"dependencies\":{\"tern_camera\":\"1\"}}");
    put("node_modules/tern_camera/package.json", "{\"version\":\"2.1.0\"}");
    put("node_modules/tern_camera/elvask-sheet.toml", SHEET);
    put("android/app/build.gradle", BUILD);
    put("android/app/src/main/AndroidManifest.xml", &manifest("    <application />\n"));
    put("android/app/src/free/AndroidManifest.xml", &manifest(&permission("CAMERA")));
    put("android/app/src/debug/AndroidManifest.xml", &manifest(&permission("VIBRATE")));
    put("ios/Log.xcodeproj/project.pbxproj", PROJECT);
    put("ios/Lite.plist", &plist("LiteKey"));
    put("ios/Debug.plist", &plist("DebugKey"));
    folder
}

fn names(record: &serde_json::Value, kind: &str) -> Vec<String> {
    let listed = record["declarations"].as_array().unwrap().iter().filter(|one| one["kind"] == kind);
    listed.map(|one| one["name"].as_str().unwrap().replace("android.permission.", "")).collect()
}

#[test]
fn what_ships_in_one_flavor_alone_is_told_so() {
    let app = app();
    let record = elvask(app.path(), &["check", "--format", "json"]).json();
    assert_eq!(record["app"]["android"]["variants"], serde_json::json!(["freeRelease", "fullRelease"]));
    let finding =
        record["findings"].as_array().unwrap().iter().find(|one| one["rule"] == "permission-missing").unwrap();
    assert_eq!(finding["variants"], serde_json::json!(["fullRelease"]));
    assert_eq!(finding["message"], "CAMERA is not declared in fullRelease, and tern_camera needs it");
    let free = elvask(app.path(), &["check", "--variant", "freeRelease", "--format", "json"]).json();
    assert!(free["findings"].as_array().unwrap().iter().all(|one| one["rule"] != "permission-missing"));
}

#[test]
fn a_named_variant_target_and_configuration_are_looked_at() {
    let app = app();
    let survey = |words: &[&str]| elvask(app.path(), &[&["survey", "--format", "json"], words].concat()).json();
    assert_eq!(names(&survey(&["--variant", "fullDebug"]), "permission"), ["VIBRATE"]);
    assert_eq!(names(&survey(&["--variant", "freeDebug"]), "permission"), ["VIBRATE", "CAMERA"]);
    assert_eq!(names(&survey(&["--target", "Lite"]), "plist"), ["LiteKey"]);
    let debug = survey(&["--configuration", "Debug"]);
    assert_eq!(
        (names(&debug, "plist"), debug["app"]["ios"]["id"].as_str()),
        (vec!["DebugKey".to_owned()], Some("example.debug"))
    );
    for (words, known) in [
        (["--variant", "gone"], "freeRelease, fullRelease, freeDebug, fullDebug"),
        (["--target", "gone"], "Log, Lite"),
        (["--configuration", "gone"], "Debug, Release"),
    ] {
        let ran = elvask(app.path(), &[&["check"][..], &words].concat());
        assert_eq!(ran.code, 2);
        assert!(ran.err.contains(known) && ran.err.contains("`gone`"), "{}", ran.err);
    }
}

#[test]
fn the_merged_manifest_and_the_variants_side_by_side() {
    let app = app();
    let ran = elvask(app.path(), &["survey", "--merged", "--origins", "--variant", "freeDebug"]);
    let expected = "<?xml version=\"1.0\" encoding=\"utf-8\"?>
<!-- android/app/src/debug/AndroidManifest.xml:1 -->
<manifest
    xmlns:android=\"http://schemas.android.com/apk/res/android\"
    package=\"example.log\">
    <!-- android/app/build.gradle:11 -->
    <uses-sdk android:minSdkVersion=\"24\"/>
    <!-- android/app/src/debug/AndroidManifest.xml:2 -->
    <uses-permission android:name=\"android.permission.VIBRATE\"/>
    <!-- android/app/src/free/AndroidManifest.xml:2 -->
    <uses-permission android:name=\"android.permission.CAMERA\"/>
    <!-- android/app/src/main/AndroidManifest.xml:2 -->
    <application/>
</manifest>
";
    assert_eq!(ran.out, expected);
    let record =
        elvask(app.path(), &["survey", "--merged", "--origins", "--variant", "freeDebug", "--format", "json"]).json();
    assert_eq!((record["variant"].as_str(), record["manifest"].as_str()), (Some("freeDebug"), Some(expected)));
    let sides = elvask(app.path(), &["survey", "--variants", "--color", "never"]).out;
    let cells = |needle: &str| -> Vec<String> {
        let line = sides.lines().find(|line| line.contains(needle)).unwrap_or_else(|| panic!("{sides}"));
        line.split_whitespace().map(str::to_owned).collect()
    };
    assert_eq!(cells("CAMERA")[2..], ["yes", "-", "yes", "-"]);
    assert_eq!(cells("VIBRATE")[2..], ["-", "-", "yes", "yes"]);
}

#[test]
fn what_only_the_build_knows_is_said_once_with_its_place() {
    let app = app();
    let ran = elvask(app.path(), &["survey", "-v", "--color", "never"]);
    let said = "android/app/build.gradle:12:19: the target level is System.getenv('LEVEL'), which only running the build tells";
    assert_eq!(ran.err.matches(said).count(), 1, "{}", ran.err);
    assert!(ran.out.contains("targets level not known (System.getenv('LEVEL'))"), "{}", ran.out);
    let record = elvask(app.path(), &["survey", "--format", "json"]).json();
    assert_eq!(record["unresolved"][0]["line"], 12);
}

#[test]
fn all_apps_of_a_repository_are_checked_together() {
    let repository = tempfile::tempdir().unwrap();
    let one = app();
    let copy = std::process::Command::new("cp").arg("-r").arg(one.path()).arg(repository.path().join("field")).status();
    assert!(copy.unwrap().success());
    let native = repository.path().join("native/app/src/main");
    std::fs::create_dir_all(&native).unwrap();
    std::fs::write(native.join("AndroidManifest.xml"), manifest("    <application />\n")).unwrap();
    std::fs::write(repository.path().join("native/settings.gradle"), "include ':app'").unwrap();
    std::fs::write(repository.path().join("native/app/build.gradle"), BUILD).unwrap();
    let ran = elvask(repository.path(), &["check", "--all", "--format", "json"]);
    let record = ran.json();
    let apps: Vec<_> = record["apps"].as_array().unwrap().iter().map(|app| app["path"].as_str().unwrap()).collect();
    assert_eq!(apps, ["field", "native"]);
    assert_eq!(ran.code, 1, "one app with findings is enough");
    assert_eq!(record["apps"][1]["app"]["layouts"], serde_json::json!(["gradle"]));
    let human = elvask(repository.path(), &["check", "--all", "--color", "never"]).out;
    assert!(human.find("field").unwrap() < human.find("native").unwrap(), "{human}");
    let none = elvask(&native, &["check", "--all"]);
    assert_eq!(none.code, 2, "{}", none.out);
}

#[test]
fn other_forms_of_files_are_read_and_written_as_they_were() {
    let app = app();
    let list = app.path().join("ios/Lite.plist");
    let bytes = elvask_markup::plist::binary::from_xml(&std::fs::read_to_string(&list).unwrap()).unwrap();
    std::fs::write(&list, &bytes).unwrap();
    let main = app.path().join("android/app/src/main/AndroidManifest.xml");
    let text = manifest("    <application />\n");
    let wide: Vec<u8> = "\u{FEFF}".encode_utf16().chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect();
    std::fs::write(&main, &wide).unwrap();
    let ran = elvask(app.path(), &["fill", "--yes", "--target", "Lite", "--purpose", "camera=Photographs the ring."]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    let written = std::fs::read(&list).unwrap();
    assert!(written.starts_with(b"bplist00") && written != bytes);
    let xml = elvask_markup::plist::binary::to_xml(&written).unwrap();
    assert!(xml.contains("Photographs the ring.") && xml.contains("LiteKey"), "{xml}");
    let manifest = elvask_markup::decode(std::fs::read(&main).unwrap()).unwrap();
    assert_eq!(manifest.encoding, elvask_markup::Encoding::Utf16Low);
    assert_eq!(
        manifest.text,
        format!("\u{FEFF}{}", text.replace("    <app", &format!("{}    <app", permission("CAMERA"))))
    );
    let before = (std::fs::read(&list).unwrap(), std::fs::read(&main).unwrap());
    elvask(app.path(), &["fill", "--yes", "--target", "Lite"]);
    assert_eq!((std::fs::read(&list).unwrap(), std::fs::read(&main).unwrap()), before);
}

#[test]
fn what_is_chosen_and_is_not_there_is_an_error_in_every_layout() {
    let folder = tempfile::tempdir().unwrap();
    let project = "<Project><PropertyGroup><TargetFrameworks>net9.0-android;net9.0-ios</TargetFrameworks></PropertyGroup></Project>";
    std::fs::write(folder.path().join("Log.csproj"), project).unwrap();
    for (words, said) in [
        (["--variant", "gone"], "no variant `gone`; the app has: release"),
        (["--target", "gone"], "no target `gone`; the project has: none"),
        (["--configuration", "gone"], "no configuration `gone`; the target has: Release"),
    ] {
        let ran = elvask(folder.path(), &[&["survey"][..], &words].concat());
        assert_eq!(ran.code, 2);
        assert!(ran.err.contains(said), "{}", ran.err);
    }
}

#[test]
fn several_app_modules_are_said_once() {
    let folder = tempfile::tempdir().unwrap();
    for module in ["app", "wear"] {
        let main = folder.path().join(module).join("src/main");
        std::fs::create_dir_all(&main).unwrap();
        std::fs::write(main.join("AndroidManifest.xml"), manifest("    <application />\n")).unwrap();
        std::fs::write(folder.path().join(module).join("build.gradle"), BUILD).unwrap();
    }
    std::fs::write(folder.path().join("settings.gradle"), "include ':app', ':wear'").unwrap();
    let ran = elvask(folder.path(), &["survey", "--color", "never"]);
    assert_eq!(ran.err.lines().count(), 1, "what limits every look is one line: {}", ran.err);
    assert!(ran.err.contains("; and 1 more limit: -v lists them"), "{}", ran.err);
    let ran = elvask(folder.path(), &["survey", "-v", "--color", "never"]);
    for said in ["several Android app modules: app, wear", "the target level is System.getenv('LEVEL')"] {
        assert_eq!(ran.err.matches(said).count(), 1, "{}", ran.err);
    }
}
