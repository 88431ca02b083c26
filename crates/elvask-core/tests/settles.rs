//! One `fill` is enough: what it leaves is settled, nothing is doubled, and what it writes asks for nothing more.

use std::path::{Path, PathBuf};

use elvask_core::app::{App, Choice};
use elvask_core::fill::{Outcome, fill_through};
use elvask_core::finding::Level;
use elvask_core::needs::Settings;
use elvask_project::files::{Files, Memory};

const MANIFEST: &str = "android/app/src/main/AndroidManifest.xml";
const BUILD: &str = "android/app/build.gradle";
const PLIST: &str = "ios/Log/Info.plist";
const ENTITLEMENTS: &str = "ios/Log/Log.entitlements";

const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); developmentRegion = en; }; T = { isa = PBXNativeTarget; name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { isa = XCConfigurationList; buildConfigurations = (C); }; C = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Log/Info.plist; CODE_SIGN_ENTITLEMENTS = Log/Log.entitlements; PRODUCT_BUNDLE_IDENTIFIER = example.log; IPHONEOS_DEPLOYMENT_TARGET = 15.1; }; }; }; rootObject = P; }";

fn activity(filters: &str) -> String {
    format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application>\n        <activity android:name=\".Main\" android:exported=\"true\" android:launchMode=\"singleTask\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\" />\n                <category android:name=\"android.intent.category.LAUNCHER\" />\n            </intent-filter>\n{filters}        </activity>\n    </application>\n</manifest>\n"
    )
}

fn scheme_filter(scheme: &str) -> String {
    format!(
        "            <intent-filter>\n                <action android:name=\"android.intent.action.VIEW\" />\n                <category android:name=\"android.intent.category.DEFAULT\" />\n                <category android:name=\"android.intent.category.BROWSABLE\" />\n                <data android:scheme=\"{scheme}\" />\n            </intent-filter>\n"
    )
}

fn list(entries: &str) -> String {
    format!("<plist version=\"1.0\">\n<dict>\n{entries}</dict>\n</plist>\n")
}

fn array(key: &str, values: &[&str]) -> String {
    let values: String = values.iter().map(|value| format!("        <string>{value}</string>\n")).collect();
    format!("    <key>{key}</key>\n    <array>\n{values}    </array>\n")
}

fn types(schemes: &[&str]) -> String {
    let values: String = schemes.iter().map(|one| format!("                <string>{one}</string>\n")).collect();
    format!(
        "    <key>CFBundleURLTypes</key>\n    <array>\n        <dict>\n            <key>CFBundleURLSchemes</key>\n            <array>\n{values}            </array>\n        </dict>\n    </array>\n"
    )
}

/// An app of both sides whose one plugin requires this.
fn app(sheet: &str, manifest: &str, plist: &str, entitlements: &str) -> Memory {
    let mut tree = Memory::app([
        ("package.json", "{\"dependencies\":{\"p\":\"1\"}}"),
        ("node_modules/p/package.json", "{\"name\":\"p\",\"version\":\"1.0.0\"}"),
        ("ios/Log.xcodeproj/project.pbxproj", PROJECT),
        (
            BUILD,
            "android {\n    namespace 'example.log'\n    compileSdk 34\n    defaultConfig {\n        applicationId 'example.log'\n        minSdk 24\n        targetSdk 30\n    }\n}\n",
        ),
    ]);
    tree.put("/app/node_modules/p/elvask-sheet.toml", format!("sheet = 1\n{sheet}"));
    tree.put(Path::new("/app").join(MANIFEST), manifest);
    tree.put(Path::new("/app").join(PLIST), list(plist));
    tree.put(Path::new("/app").join(ENTITLEMENTS), list(entitlements));
    tree
}

/// Mends an app, writes it, and holds that a second run finds nothing to do. Returns what a file says then.
#[track_caller]
fn settled(tree: &mut Memory) -> (Outcome, impl Fn(&str) -> String) {
    let load = |tree: &Memory| App::load(tree, Path::new("/app"), &[]).unwrap();
    let mend = |tree: &Memory, app: &App| {
        let settings = Settings { consents: vec!["OTHER_LDFLAGS".to_owned()], ..Settings::default() };
        fill_through(tree, &Choice::default(), app, &settings).unwrap_or_else(|error| panic!("{error}"))
    };
    let first = mend(tree, &load(tree));
    for file in &first.changed {
        let file = first.sources.file(*file);
        tree.put(file.path.clone(), file.text.as_bytes());
    }
    let second = mend(tree, &load(tree));
    let names: Vec<_> = second.mended.iter().map(|one| format!("{} {}", one.rule.id, one.subject)).collect();
    assert!(second.changed.is_empty(), "a second run still mends {names:?}");
    let texts = tree.clone();
    (first, move |path: &str| String::from_utf8(texts.read(&PathBuf::from("/app").join(path)).unwrap()).unwrap())
}

#[test]
fn a_malformed_scheme_is_corrected_and_never_copied() {
    let manifest = activity(&scheme_filter("marram"));
    let mut tree = app("", &manifest, &types(&["marram://"]), "");
    let (filled, text) = settled(&mut tree);
    assert_eq!(text(PLIST), list(&types(&["marram"])));
    assert_eq!(text(MANIFEST), manifest, "Android has the scheme already");
    assert_eq!(filled.left.count(Level::Error), 0);
    let mut tree = app("", &activity(""), &types(&["marram://", "marram", "Marram:"]), "");
    let (_, text) = settled(&mut tree);
    assert!(!text(MANIFEST).contains("marram:") && text(PLIST).matches("marram").count() == 1, "{}", text(PLIST));
}

#[test]
fn corrections_never_double_an_entry() {
    let domains = |values: &[&str]| array("com.apple.developer.associated-domains", values);
    let wrong = ["applinks:https://marram.example/", "marram.example", "applinks:marram.example"];
    let mut tree = app("[[requires]]\nios.domain = 'applinks:marram.example'\n", &activity(""), "", &domains(&wrong));
    let (_, text) = settled(&mut tree);
    assert_eq!(text(ENTITLEMENTS), list(&domains(&["applinks:marram.example"])));
    let modes = |values: &[&str]| array("UIBackgroundModes", values);
    let sheet = "[[requires]]\nios.background-mode = 'remote-notification'\n";
    let mut tree = app(sheet, &activity(""), &modes(&["remote-notifications", "remote_notification"]), "");
    let (_, text) = settled(&mut tree);
    assert_eq!(text(PLIST), list(&modes(&["remote-notification"])));
}

#[test]
fn two_that_want_one_filter_get_one() {
    let filter = "android.filter = { on = 'launcher', action = 'android.intent.action.VIEW', category = ['android.intent.category.DEFAULT', 'android.intent.category.BROWSABLE'], scheme = 'marram' }";
    let mut tree = app(
        &format!("[[requires]]\n{filter}\n[[requires]]\n{filter}\nreason = 'Again.'\n"),
        &activity(""),
        &types(&["marram"]),
        "",
    );
    tree.put("/app/elvask.toml", "elvask = 1\n[links]\nschemes = ['marram']\n");
    let (_, text) = settled(&mut tree);
    assert_eq!(text(MANIFEST).matches("android:scheme=\"marram\"").count(), 1, "{}", text(MANIFEST));
}

#[test]
fn the_same_fault_in_very_many_places_is_mended_everywhere() {
    let lacking = |at: usize| {
        scheme_filter(&format!("marram{at}"))
            .replace("                <category android:name=\"android.intent.category.DEFAULT\" />\n", "")
    };
    let mut tree = app("", &activity(&(0..250).map(lacking).collect::<String>()), "", "");
    let (filled, text) = settled(&mut tree);
    assert_eq!(text(MANIFEST).matches("android.intent.category.DEFAULT").count(), 250);
    assert!(filled.left.findings.iter().all(|one| !one.remedy.title().contains("does not settle")));
}

#[test]
fn what_a_written_level_newly_requires_is_written_in_the_same_run() {
    let sheet = "[[requires]]\nandroid.levels = { target = 33 }\n[[requires]]\nandroid.permission = 'android.permission.POST_NOTIFICATIONS'\nwhen = { target-level = '>=33' }\n";
    let mut tree = app(sheet, &activity(""), "", "");
    let (filled, text) = settled(&mut tree);
    assert!(text(BUILD).contains("targetSdk 33"), "{}", text(BUILD));
    assert!(text(MANIFEST).contains("android.permission.POST_NOTIFICATIONS"), "{}", text(MANIFEST));
    assert_eq!(filled.left.count(Level::Error), 0);
}

#[test]
fn build_settings_are_expanded_before_they_are_compared() {
    let sheet = "[[requires]]\nios.query-scheme = 'tel'\n[[requires]]\nios.url-scheme = 'marram'\n[[requires]]\nios.domain = 'applinks:marram.example'\n";
    let plist = types(&["$(LINK_SCHEME)"]) + &array("LSApplicationQueriesSchemes", &["$(CALLS)"]);
    let domains = array("com.apple.developer.associated-domains", &["applinks:$(LINK_HOST)"]);
    let mut tree = app(sheet, &activity(&scheme_filter("marram")), &plist, &domains);
    let settings = "INFOPLIST_FILE = Log/Info.plist; LINK_SCHEME = marram; CALLS = tel; LINK_HOST = marram.example;";
    let project = PROJECT.replace("INFOPLIST_FILE = Log/Info.plist;", settings);
    tree.put("/app/ios/Log.xcodeproj/project.pbxproj", &project);
    let (_, text) = settled(&mut tree);
    assert_eq!(text(PLIST), list(&plist));
    assert_eq!(text(ENTITLEMENTS), list(&domains));
}

#[test]
fn words_of_build_settings_are_joined_and_what_is_inherited_stays() {
    let sheet = "[[requires]]\nios.build-setting = { name = 'OTHER_LDFLAGS', value = '-ObjC' }\n[[requires]]\nios.build-setting = { name = 'OTHER_LDFLAGS', value = '-lc++' }\n";
    let mut tree = app(sheet, &activity(""), "", "");
    let settings = "INFOPLIST_FILE = Log/Info.plist; OTHER_LDFLAGS = \"$(inherited) $(MORE_FLAGS) -lz\"; MORE_FLAGS = \"-framework Knot\";";
    let project = PROJECT.replace("INFOPLIST_FILE = Log/Info.plist;", settings);
    tree.put("/app/ios/Log.xcodeproj/project.pbxproj", &project);
    let (_, text) = settled(&mut tree);
    let written = text("ios/Log.xcodeproj/project.pbxproj");
    for word in ["$(inherited)", "$(MORE_FLAGS)", "-lz", "-ObjC", "-lc++"] {
        assert_eq!(written.matches(word).count(), 1, "{word}: {written}");
    }
    assert_eq!(written.matches("-framework Knot").count(), 1, "{written}");
}
