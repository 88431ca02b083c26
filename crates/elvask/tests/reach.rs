//! What this app needs of what its packages could ask for, told and written by the built program.

use crate::support::{App, MANIFEST};

const MANIFEST_TEXT: &str =
    "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application />\n</manifest>\n";

/// An app with a package of one purpose, whose code needs what its manifest leaves out.
fn app(script: &str) -> App {
    let app = App::with(&[(MANIFEST, MANIFEST_TEXT), ("src/Map.ts", script)]);
    app.write("package.json", "{\"dependencies\":{\"redshank_place\":\"1\"}}");
    let root = "node_modules/redshank_place";
    app.write(&format!("{root}/package.json"), "{\"name\":\"redshank_place\",\"version\":\"2.0.0\"}");
    app.write(&format!("{root}/android/build.gradle"), "apply plugin: 'com.android.library'\n");
    app.write(
        &format!("{root}/android/src/main/java/redshank/Place.java"),
        "package redshank;\nclass Place {\n    void watch(LocationManager manager) { manager.requestLocationUpdates(\"gps\", 0, 0, this); }\n}\n",
    );
    app
}

#[test]
fn use_by_the_apps_own_code_decides_how_bad_it_is_and_what_is_written() {
    let used = app("import Place from 'redshank_place';\nPlace.watch();\n");
    let told = used.run(&["check"]).out;
    assert!(told.contains("error[permission-missing]"), "{told}");
    assert!(told.contains("because: the app's own code uses the package (src/Map.ts:1)"), "{told}");
    let record = used.run(&["check", "--format", "json"]).json();
    let who = &record["findings"][0]["needed_by"][0];
    assert_eq!((&who["reach"], &who["evidence"]), (&"used".into(), &"source".into()), "{who}");
    assert_eq!(used.run(&["fill", "--yes"]).code, 0);
    assert!(used.read(MANIFEST).contains("ACCESS_COARSE_LOCATION"));

    let unused = app("export {};\n");
    assert_eq!(
        unused.findings(),
        ["warning permission-missing android.permission.ACCESS_COARSE_LOCATION AndroidManifest.xml:1"]
    );
    let told = unused.run(&["check"]).out;
    assert!(told.contains("`elvask fill --only android.permission.ACCESS_COARSE_LOCATION` writes it"), "{told}");
    let filled = unused.run(&["fill", "--yes"]);
    assert_eq!(unused.read(MANIFEST), MANIFEST_TEXT, "what code alone shows is not written");
    assert!(filled.out.contains("if it is wanted: elvask fill --only"), "{}", filled.out);
    assert_eq!(unused.run(&["fill", "--yes", "--only", "ACCESS_COARSE_LOCATION"]).code, 0);
    assert!(unused.read(MANIFEST).contains("ACCESS_COARSE_LOCATION"));
}

#[test]
fn a_name_of_which_nothing_is_found_is_refused() {
    let app = app("export {};\n");
    let ran = app.run(&["fill", "--only", "permision-missing"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("did you mean `permission-missing`?"), "{}", ran.err);
    assert_eq!(app.read(MANIFEST), MANIFEST_TEXT);
}

#[test]
fn why_and_sheet_show_say_how_a_need_comes_to_the_app() {
    let app = app("export {};\n");
    let why = app.run(&["why", "ACCESS_COARSE_LOCATION"]).out;
    assert!(why.contains("always: all that it is for needs this"), "{why}");
    let shown = app.run(&["sheet", "show", "redshank_place"]).out;
    assert!(shown.contains("always: all that it is for needs this (warning if absent)"), "{shown}");
    app.write(
        "linker.config.js",
        "module.exports = { dependencies: { redshank_place: { platforms: { android: null } } } };\n",
    );
    assert_eq!(app.findings(), Vec::<String>::new());
    let why = app.run(&["why", "ACCESS_COARSE_LOCATION"]).out;
    assert!(why.contains("could need it but is not part of the app"), "{why}");
    assert!(why.contains("out: linker.config.js switches it off"), "{why}");
}

#[test]
fn links_that_the_apps_own_code_asks_about_are_needed_and_opened_ones_are_not() {
    let app = App::with(&[
        (MANIFEST, MANIFEST_TEXT),
        ("package.json", "{\"dependencies\":{}}"),
        (
            "src/call.ts",
            "// canOpenURL('sms:1')\nconst url = `tel:${number}`;\nif (await Linking.canOpenURL(url)) Linking.openURL(url);\nLinking.openURL('mailto:a@marram.example');\n",
        ),
    ]);
    assert_eq!(app.findings(), ["error query-missing android.intent.action.VIEW tel AndroidManifest.xml:1"]);
    let told = app.run(&["check", "-v"]).out;
    assert!(told.contains("src/call.ts:3") && told.contains("opening at once"), "{told}");
    let why = app.run(&["why", "tel", "--format", "json"]).json();
    assert_eq!(why["answers"][0]["needed_by"][0]["evidence"], "use");
}

#[test]
fn a_library_is_looked_at_through_the_app_inside_of_it() {
    let app = App::with(&[]);
    app.write("package.json", "{\"name\":\"redshank_place\"}");
    app.write("android/build.gradle", "apply plugin: 'com.android.library'\n");
    app.write("example/package.json", "{\"dependencies\":{}}");
    app.write(&format!("example/{MANIFEST}"), MANIFEST_TEXT);
    app.write("example/android/app/build.gradle", "apply plugin: 'com.android.application'\n");
    std::fs::remove_file(app.root().join("android/app/build.gradle")).unwrap();
    let ran = app.run(&["check"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    assert!(ran.err.contains("the app in example is looked at"), "{}", ran.err);
}

#[test]
fn compiled_code_is_told_as_a_limit() {
    let app = app("export {};\n");
    app.write("node_modules/redshank_place/android/libs/place.jar", "PK");
    let ran = app.run(&["check"]);
    assert!(ran.err.contains("compiled native code is not looked into"), "{}", ran.err);
    let shown = app.run(&["sheet", "show", "redshank_place"]).out;
    assert!(shown.contains("compiled already") && shown.contains("place.jar"), "{shown}");
}
