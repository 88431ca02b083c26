//! What adding a package would ask of an app.

use std::io::Write as _;

use crate::support::App;

const SHEET: &str = "sheet = 1\nplugin = \"stint_lens\"\n\n[[requires]]\ncapability = \"camera\"\n\n[[requires]]\nandroid.permission = \"android.permission.READ_SMS\"\n\n[[requires]]\nandroid.permission = \"android.permission.READ_CALENDAR\"\noptional = true\n\n[[requires]]\nandroid.levels = { min = 28 }\n";

/// An app, with a package beside it that it does not have.
fn app() -> App {
    let app = App::bare();
    app.write(
        "android/app/build.gradle",
        "plugins { id 'com.android.application' }\nandroid {\n    namespace 'example.marram'\n    defaultConfig {\n        minSdk 24\n        targetSdk 36\n    }\n}\n",
    );
    app.write("away/stint_lens/package.json", "{ \"name\": \"stint_lens\", \"version\": \"2.0.1\" }");
    app.write("away/stint_lens/elvask-sheet.toml", SHEET);
    app.write("away/stint_lens/android/build.gradle", "android { }\n");
    app
}

fn texts(list: &serde_json::Value, key: &str) -> Vec<String> {
    list.as_array().unwrap().iter().map(|one| one[key].as_str().unwrap_or_default().to_owned()).collect()
}

#[test]
fn what_is_new_what_is_met_and_what_only_the_owner_can_say() {
    let app = app();
    let before = app.snapshot();
    let ran = app.run(&["weigh", "away/stint_lens"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    let out = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    for said in [
        "It has no code for iOS: there it does nothing.",
        "Android permission android.permission.READ_SMS A new question: whoever updates is asked",
        "The store wants it declared",
        "Only where you use that part of it Android: permission READ_CALENDAR",
        "Devices from level 24 to below 28 get no update any more",
        "the purpose of NSCameraUsageDescription",
        "`elvask fill --plugin stint_lens` writes it",
    ] {
        assert!(out.contains(said), "{said}: {}", ran.out);
    }
    assert!(app.snapshot() == before, "nothing is written");
    let json = app.run(&["weigh", "away/stint_lens", "--format", "json"]).json();
    let one = &json["packages"][0];
    assert_eq!((&one["cost"]["store_forms"], &one["cost"]["raised_levels"]), (&1.into(), &1.into()));
    assert_eq!(one["without"], serde_json::json!(["ios"]));
    let files = texts(&one["files"], "file");
    assert!(files.iter().any(|file| file.ends_with("AndroidManifest.xml")), "{files:?}");
}

#[test]
fn what_the_app_declares_already_costs_nothing() {
    let app = app();
    let manifest = app.read(crate::support::MANIFEST);
    let permission = "<uses-permission android:name=\"android.permission.READ_SMS\" />";
    app.write(
        crate::support::MANIFEST,
        manifest.replacen("<application", &format!("{permission}\n    <application"), 1),
    );
    let json = app.run(&["weigh", "away/stint_lens", "--format", "json"]).json();
    let asks = json["packages"][0]["asks"].as_array().unwrap();
    let sms = asks.iter().find(|ask| ask["name"] == "android.permission.READ_SMS").unwrap();
    assert_eq!(sms["how"], "met");
    assert_eq!(json["packages"][0]["cost"]["store_forms"], 0);
}

#[test]
fn archives_are_looked_into_without_being_unpacked() {
    let app = app();
    let folder = app.run(&["weigh", "away/stint_lens", "--format", "json"]).json();
    let mut tarball = tar::Builder::new(Vec::new());
    tarball.append_dir_all("package", app.path("away/stint_lens")).unwrap();
    let tarball = tarball.into_inner().unwrap();
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packed.write_all(&tarball).unwrap();
    app.write("away/lens.tgz", packed.finish().unwrap());
    app.write("away/lens.tar", &tarball);
    let mut zipped = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for name in ["package.json", "elvask-sheet.toml", "android/build.gradle", "../../evil.toml"] {
        zipped.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        zipped
            .write_all(
                app.read(&format!("away/stint_lens/{}", name.replace("../../evil.toml", "package.json"))).as_bytes(),
            )
            .unwrap();
    }
    app.write("away/lens.zip", zipped.finish().unwrap().into_inner());
    for archive in ["away/lens.tgz", "away/lens.tar", "away/lens.zip"] {
        let before = app.snapshot();
        let json = app.run(&["weigh", archive, "--format", "json"]).json();
        assert_eq!(json["packages"][0]["cost"], folder["packages"][0]["cost"], "{archive}");
        assert_eq!(json["packages"][0]["version"], "2.0.1");
        let file = json["packages"][0]["asks"][0]["evidence"][0]["file"].as_str().unwrap().to_owned();
        assert!(file.starts_with(archive), "the line that shows it lies in the archive: {file}");
        assert!(app.snapshot() == before, "{archive}: nothing is unpacked");
    }
    for cut in [10, packed_len(&app) / 2] {
        let bytes = std::fs::read(app.path("away/lens.tgz")).unwrap();
        app.write("away/cut.tgz", &bytes[..cut]);
        let ran = app.run(&["weigh", "away/cut.tgz"]);
        assert!(ran.code == 2 && ran.err.contains("no archive that can be read"), "{cut}: {}{}", ran.out, ran.err);
    }
}

fn packed_len(app: &App) -> usize {
    std::fs::metadata(app.path("away/lens.tgz")).unwrap().len() as usize
}

#[test]
fn a_level_that_only_the_build_knows_is_not_called_met() {
    let app = app();
    std::fs::remove_file(app.path("android/app/build.gradle")).unwrap();
    let json = app.run(&["weigh", "away/stint_lens", "--format", "json"]).json();
    let one = &json["packages"][0];
    assert!(one["limits"][0].as_str().unwrap().contains("only the build knows which one the app has"), "{one}");
    assert_eq!(one["cost"]["raised_levels"], 0);
}

#[test]
fn two_packages_stand_side_by_side() {
    let app = app();
    app.write("away/ruff_lens/package.json", "{ \"name\": \"ruff_lens\", \"version\": \"1.0.0\" }");
    app.write("away/ruff_lens/elvask-sheet.toml", "sheet = 1\n\n[[requires]]\ncapability = \"camera\"\n");
    let ran = app.run(&["weigh", "away/stint_lens", "away/ruff_lens"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    let row = |name: &str| {
        ran.out
            .lines()
            .find(|line| line.starts_with(name))
            .unwrap()
            .split_whitespace()
            .rev()
            .take(2)
            .collect::<Vec<_>>()
    };
    assert_eq!((row("forms at the store"), row("levels raised")), (vec!["0", "1"], vec!["0", "1"]), "{}", ran.out);
    let lacking = ran.out.lines().find(|line| line.starts_with("platforms it lacks")).unwrap();
    assert!(lacking.ends_with("none"), "one without native code may be for both: {lacking}");
    assert!(
        !ran.out.contains("New with it")
            && app.run(&["weigh", "away/stint_lens", "away/ruff_lens", "-v"]).out.contains("New with it")
    );
}

#[test]
fn a_package_that_the_app_has_is_weighed_in_its_place() {
    let app = app();
    let ran = app.run(&["weigh", "node_modules/tern_camera"]);
    assert!(ran.code == 0 && ran.out.contains("in the place of"), "{}{}", ran.out, ran.err);
}

#[test]
fn what_is_no_package_of_such_an_app_is_refused() {
    let app = app();
    app.write("away/other/pubspec.yaml", "name: other\n");
    app.write("away/empty.tgz", "");
    app.write("away/plain/package.json", "{ \"name\": \"plain\", \"version\": \"1.0.0\" }");
    for (package, why) in [
        ("away/other", "this is not a package as the app takes them (npm)"),
        ("away/gone", "there is no such folder or archive"),
        ("away/empty.tgz", "there is nothing in this archive"),
        ("package.json", "no archive that can be read"),
        ("away/plain", "neither native code nor a sheet"),
    ] {
        let ran = app.run(&["weigh", package]);
        assert!(ran.code == 2 && ran.err.contains(why), "{package}: {}{}", ran.out, ran.err);
    }
}
