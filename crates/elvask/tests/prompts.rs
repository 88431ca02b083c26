//! The dialogs in which people are asked for access.

use serde_json::{Value, json};

use crate::support::{App, MANIFEST};

fn manifest(inside: &str) -> String {
    format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n{inside}    <application android:label=\"@string/app_name\" />\n</manifest>\n"
    )
}

fn plist(inside: &str) -> String {
    format!(
        "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleDisplayName</key>\n\t<string>Marram</string>\n\t<key>LSRequiresIPhoneOS</key>\n\t<true/>\n{inside}</dict>\n</plist>\n"
    )
}

fn permission(name: &str) -> String {
    format!("    <uses-permission android:name=\"android.permission.{name}\" />\n")
}

fn purpose(key: &str, text: &str) -> String {
    format!("\t<key>{key}</key>\n\t<string>{text}</string>\n")
}

/// An app for levels 24 to 36 that declares these, beside a plugin that needs the camera.
fn app(permissions: &[&str], purposes: &[(&str, &str)]) -> App {
    let app = App::bare();
    let android = "plugins { id 'com.android.application' }\nandroid {\n    namespace 'example.marram'\n    defaultConfig {\n        minSdk 24\n        targetSdk 36\n    }\n}\n";
    app.write("android/app/build.gradle", android);
    app.write(MANIFEST, manifest(&permissions.iter().map(|name| permission(name)).collect::<String>()));
    let strings = |name: &str| format!("<resources>\n    <string name=\"app_name\">{name}</string>\n</resources>\n");
    app.write("android/app/src/main/res/values/strings.xml", strings("Marram"));
    app.write("android/app/src/main/res/values-nl/strings.xml", strings("Helm"));
    let all: String = purposes.iter().map(|(key, text)| purpose(key, text)).collect();
    app.write("ios/Marram/Info.plist", plist(&all));
    app
}

/// Returns what is asked about a thing on the first device of the output.
fn asked(record: &Value, about: &str) -> Value {
    let all = record["devices"][0]["prompts"].as_array().unwrap();
    all.iter().find(|one| one["about"] == about).cloned().unwrap_or_default()
}

fn labels(prompt: &Value) -> Vec<&str> {
    prompt["buttons"].as_array().unwrap().iter().map(|one| one["label"].as_str().unwrap()).collect()
}

fn on(app: &App, arguments: &[&str]) -> Value {
    let all: Vec<&str> = ["prompts", "--format", "json"].iter().chain(arguments).copied().collect();
    app.run(&all).json()
}

#[test]
fn a_dialog_has_the_apps_name_what_can_be_chosen_and_who_needs_it() {
    let app = app(&["CAMERA"], &[("NSCameraUsageDescription", "Photographs the ring on a bird's leg.")]);
    let ran = app.run(&["prompts"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    let out = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    for said in [
        "Allow Marram to take pictures and record │",
        "> Only this time",
        "Only this time until the person leaves the app for a while; then it asks again (PERMISSION_GRANTED)",
        "declared as CAMERA android/app/src/main/AndroidManifest.xml:2",
        "needed by tern_camera node_modules/tern_camera/elvask-sheet.toml:4",
        "“Marram” Would Like to Access the Camera",
        "│ Photographs the ring on a bird's",
        "Don’t Allow no access; the dialog never appears again, and Settings alone changes it (.denied)",
        "the text ios/Marram/Info.plist:7",
        "The systems' words are approximate",
    ] {
        assert!(out.contains(said), "{said}: {}", ran.out);
    }
}

#[test]
fn the_level_decides_what_can_be_chosen() {
    let app = app(&["CAMERA", "POST_NOTIFICATIONS"], &[("NSCameraUsageDescription", "Photographs rings.")]);
    let at = |level: &str| on(&app, &["--platform", "android", "--level", level]);
    assert_eq!(labels(&asked(&at("29"), "camera")), ["Allow", "Deny"]);
    assert_eq!(labels(&asked(&at("36"), "camera")), ["While using the app", "Only this time", "Don't allow"]);
    assert_eq!(asked(&at("32"), "notifications"), Value::Null, "no dialog below level 33");
    assert_eq!(labels(&asked(&at("33"), "notifications")), ["Allow", "Don't allow"]);
    let elsewhere = asked(&at("36"), "notifications")["elsewhere"].clone();
    assert_eq!(elsewhere, json!(["below level 33: it is not asked"]));
    let ios = |version: &str| on(&app, &["--platform", "ios", "--level", &format!("ios={version}")]);
    assert_eq!(labels(&asked(&ios("16.0"), "camera")), ["Don’t Allow", "OK"]);
    assert_eq!(labels(&asked(&ios("26.0"), "camera")), ["Don’t Allow", "Allow"]);
}

#[test]
fn where_a_text_or_a_permission_is_not_there_what_happens_instead_is_told() {
    let app = app(&[], &[]);
    let ran = app.run(&["prompts", "--format", "json"]);
    assert_eq!(ran.code, 1, "{}", ran.err);
    let record = ran.json();
    let android = asked(&record, "camera");
    assert_eq!(android["instead"], "The request is refused at once, without a dialog: the permission is not declared.");
    assert_eq!(android["declared"][0]["place"], Value::Null);
    let ios = record["devices"][1]["prompts"][0].clone();
    assert_eq!(ios["instead"], "The app crashes at the first access. Info.plist has no text for it.");
    app.write("ios/Marram/Info.plist", plist(&purpose("NSCameraUsageDescription", " ")));
    let empty = asked(&on(&app, &["--platform", "ios"]), "camera");
    assert_eq!(empty["instead"], "The app crashes at the first access. The text is empty.");
}

#[test]
fn what_only_extends_another_waits_for_it() {
    let both = ["ACCESS_FINE_LOCATION", "ACCESS_COARSE_LOCATION", "ACCESS_BACKGROUND_LOCATION"];
    let whole = on(&app(&both, &[]), &["--platform", "android"]);
    assert_eq!(asked(&whole, "location")["instead"], Value::Null);
    assert_eq!(asked(&whole, "location-background")["form"], "screen");
    let order: Vec<_> = whole["devices"][0]["prompts"].as_array().unwrap().iter().map(|one| &one["about"]).collect();
    let place = |about: &str| order.iter().position(|one| *one == about).unwrap();
    assert!(place("location") < place("location-background"));
    let fine = on(&app(&["ACCESS_FINE_LOCATION"], &[]), &["--platform", "android"]);
    let instead = asked(&fine, "location")["instead"].as_str().unwrap().to_owned();
    assert!(instead.contains("ignores a request for precise location"), "{instead}");
    // Needed and lacking, the precise place is refused; the approximate one is asked for all the same.
    let half = app(&["ACCESS_COARSE_LOCATION"], &[]);
    half.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n[[requires]]\nandroid.permission = 'android.permission.ACCESS_FINE_LOCATION'\n",
    );
    let record = on(&half, &["--platform", "android"]);
    let all = record["devices"][0]["prompts"].as_array().unwrap();
    let instead: Vec<bool> =
        all.iter().filter(|one| one["about"] == "location").map(|one| one["instead"].is_null()).collect();
    assert_eq!(instead, [false, true]);
    let coarse = on(&app(&["ACCESS_COARSE_LOCATION"], &[]), &["--platform", "android"]);
    assert!(asked(&coarse, "location")["also"].as_str().unwrap().contains("approximate"));
}

#[test]
fn photos_can_be_chosen_one_by_one_and_settings_are_shown_as_the_way_there() {
    let app = app(&["READ_MEDIA_IMAGES", "SYSTEM_ALERT_WINDOW"], &[("NSPhotoLibraryUsageDescription", "Adds rings.")]);
    let android = on(&app, &["--platform", "android"]);
    assert_eq!(labels(&asked(&android, "photos")), ["Select photos and videos", "Allow all", "Don't allow"]);
    let overlay = asked(&android, "overlay");
    assert_eq!(overlay["title"], "Settings > Apps > Special app access > Display over other apps > Marram");
    assert_eq!(
        (&overlay["form"], &overlay["asked_by"]),
        (&json!("screen"), &json!("ACTION_MANAGE_OVERLAY_PERMISSION"))
    );
    let ios = asked(&on(&app, &["--platform", "ios"]), "photos");
    let limited = ios["buttons"].as_array().unwrap().iter().find(|one| one["choice"] == "limited").unwrap();
    assert_eq!(limited["answer"], ".limited");
}

/// A project whose app has texts in Dutch beside those in English.
const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; developmentRegion = en; };
  T = { name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; buildPhases = (R); };
  R = { isa = PBXResourcesBuildPhase; files = (B); }; B = { fileRef = F; };
  F = { isa = PBXFileReference; path = Marram/nl.lproj/InfoPlist.strings; sourceTree = SOURCE_ROOT; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; }; }; }; rootObject = P; }";

#[test]
fn a_language_has_its_own_name_and_text_or_the_one_that_is_shown_instead() {
    let purposes = [("NSCameraUsageDescription", "Photographs rings."), ("NSMotionUsageDescription", "Counts steps.")];
    let app = app(&["CAMERA"], &purposes);
    app.write("ios/Marram.xcodeproj/project.pbxproj", PROJECT);
    let strings = "\"NSCameraUsageDescription\" = \"Fotografeert ringen.\";\n\"CFBundleDisplayName\" = \"Helm\";\n";
    app.write("ios/Marram/nl.lproj/InfoPlist.strings", strings);
    let dutch = on(&app, &["--language", "nl"]);
    assert_eq!((&dutch["devices"][0]["name"], &dutch["devices"][1]["name"]), (&json!("Helm"), &json!("Helm")));
    let ios = |language: &str| on(&app, &["--platform", "ios", "--language", language]);
    let of = |record: &Value, about: &str| asked(record, about)["purpose"].clone();
    let dutch = ios("nl");
    assert_eq!(of(&dutch, "camera")["text"], "Fotografeert ringen.");
    assert_eq!(of(&dutch, "camera")["in_place_of"], Value::Null);
    assert_eq!(
        (&of(&dutch, "motion")["text"], &of(&dutch, "motion")["in_place_of"]),
        (&json!("Counts steps."), &json!("en"))
    );
    assert_eq!(of(&ios("en-GB"), "motion")["in_place_of"], Value::Null, "it is the app's own");
    let mistyped = app.run(&["prompts", "--platform", "ios", "--language", "ln"]);
    assert!(mistyped.err.contains("the app has no texts in ln (it states en, nl)"), "{}", mistyped.err);
    assert!(!app.run(&["prompts", "--platform", "ios", "--language", "en-GB"]).err.contains("no texts"));
    let own = on(&app, &["--platform", "ios"]);
    assert_eq!(own["devices"][0]["languages"], json!(["en", "nl"]));
    assert_eq!(of(&own, "camera")["others"], json!({ "nl": "Fotografeert ringen." }));
    assert_eq!(of(&own, "motion")["others"], json!({ "nl": null }));
    let names: Vec<_> = ios("all")["devices"].as_array().unwrap().iter().map(|one| one["name"].clone()).collect();
    assert_eq!(names, ["Marram", "Helm"]);
}

#[test]
fn a_long_purpose_is_cut_where_a_dialog_would_cut_it_and_nothing_gets_through_to_the_terminal() {
    let long = "Photographs the ring on a bird's leg. ".repeat(20);
    let app = app(&[], &[("NSCameraUsageDescription", &long)]);
    let ran = app.run(&["prompts", "--platform", "ios"]);
    assert!(ran.out.contains("… and more, to be scrolled to"), "{}", ran.out);
    assert!(
        ran.out.contains("up to 10 lines of 36 letters") || ran.out.contains("up to 10 lines\nof 36 letters"),
        "{}",
        ran.out
    );
    app.write("ios/Marram/Info.plist", plist(&purpose("NSCameraUsageDescription", "Rings.&#x9b;31m\u{202E}x")));
    let ran = app.run(&["prompts", "--platform", "ios"]);
    assert!(!ran.out.contains('\u{9b}') && !ran.out.contains('\u{202E}'), "{:?}", ran.out);
}

#[test]
fn a_device_that_asks_nothing_or_that_the_app_does_not_run_on_is_said_to_be_so() {
    let app = app(&["CAMERA"], &[]);
    let old = app.run(&["prompts", "--platform", "android", "--level", "22"]);
    assert!(old.out.contains("below level 23 the installation grants all permissions"), "{}", old.out);
    assert!(old.err.contains("the app does not run on that device: Android from 24 on"), "{}", old.err);
    assert!(!app.run(&["prompts", "--platform", "android", "--level", "24"]).err.contains("does not run"));
}

#[test]
fn what_is_not_meant_is_refused() {
    let app = app(&["CAMERA"], &[]);
    for (arguments, said) in [
        (&["prompts", "--level", "99"][..], "the levels of Android go from 1 to 36"),
        (&["prompts", "--level", "windows=3"], "the platforms are android and ios"),
    ] {
        let ran = app.run(arguments);
        assert_eq!(ran.code, 2);
        assert!(ran.err.contains(said), "{}", ran.err);
    }
    let gradle = App::demo("gradle");
    let ran = gradle.run(&["prompts", "--platform", "ios"]);
    assert_eq!((ran.code, ran.err.contains("the app has no iOS side")), (2, true), "{}", ran.err);
}
