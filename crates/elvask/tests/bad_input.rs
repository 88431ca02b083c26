//! What bad input gets: a clear error with its place, exit code 2, and no file touched.

use std::fs;

use crate::support::{App, MANIFEST};

const GOOD: &str =
    "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application />\n</manifest>\n";
const PLIST: &str = "ios/Marram/Info.plist";
const GOOD_PLIST: &str =
    "<plist version=\"1.0\">\n<dict>\n\t<key>LSRequiresIPhoneOS</key>\n\t<true/>\n</dict>\n</plist>\n";

/// Runs `check` and `fill` and wants both to say where the fault is, to exit with 2 and to write nothing.
#[track_caller]
fn refused(app: &App, place: &str, message: &str) {
    let before = app.snapshot();
    for words in [&["check"][..], &["fill", "--purpose", "camera=Photographs the ring."], &["fill", "--dry-run"]] {
        let ran = app.run(words);
        let said = format!("{}{}", ran.out, ran.err);
        assert_eq!(ran.code, 2, "{words:?}\n{said}");
        assert!(said.contains(place), "{words:?}: {place}\n{said}");
        assert!(said.contains(message), "{words:?}: {message}\n{said}");
    }
    assert_eq!(app.snapshot(), before, "nothing may be written");
}

#[test]
fn an_unclosed_tag() {
    let app = App::with(&[(MANIFEST, &GOOD.replace("<application />", "<application>")), (PLIST, GOOD_PLIST)]);
    refused(&app, &format!("{MANIFEST}:3:1"), "`</manifest>` closes nothing here: `<application>` is still open");
    let record = app.run(&["check", "--format", "json"]).json();
    let finding = record["findings"].as_array().unwrap().iter().find(|one| one["rule"] == "file-unreadable").unwrap();
    assert_eq!((finding["line"].as_u64(), finding["column"].as_u64()), (Some(3), Some(1)));
}

#[test]
fn a_property_list_whose_root_is_no_dictionary() {
    let app = App::with(&[
        (MANIFEST, GOOD),
        (PLIST, "<plist version=\"1.0\">\n<array><key>LSRequiresIPhoneOS</key></array>\n</plist>\n"),
    ]);
    refused(&app, &format!("{PLIST}:2:1"), "it must be a dictionary");
}

#[test]
fn a_sheet_with_a_wrong_type() {
    let app = App::with(&[(MANIFEST, GOOD)]);
    app.write("node_modules/tern_camera/elvask-sheet.toml", "sheet = 1\n[[requires]]\ncapability = 3\n");
    refused(&app, "node_modules/tern_camera/elvask-sheet.toml:3:14", "`capability` must be a string, not integer");
}

#[test]
fn a_mistake_in_elvask_toml() {
    let app = App::with(&[(MANIFEST, GOOD), ("elvask.toml", "elvask = 1\n[purposes]\ncamra = \"Rings.\"\n")]);
    refused(&app, "elvask.toml:3:1", "did you mean `camera`?");
}

#[test]
fn a_file_that_is_not_utf_8() {
    let app = App::with(&[(MANIFEST, GOOD)]);
    let mut bytes = GOOD.as_bytes().to_vec();
    bytes.splice(75..75, *b"<!-- caf\xE9 -->");
    app.write(MANIFEST, bytes);
    refused(&app, MANIFEST, "the file is not UTF-8: byte 0xE9");
    let app = App::with(&[(MANIFEST, GOOD), (PLIST, GOOD_PLIST)]);
    app.write(PLIST, b"bplist00LSRequiresIPhoneOS");
    app.write("ios/Marram.xcodeproj/project.pbxproj", PROJECT);
    refused(&app, PLIST, "binary property list");
}

const PROJECT: &str = "{ objects = { P = { targets = (T); }; T = { name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; }; L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; }; }; }; rootObject = P; }";

#[test]
fn a_dependency_file_that_is_broken() {
    let app = App::with(&[(MANIFEST, GOOD)]);
    app.write("package.json", "{\n  \"dependencies\": [}\n");
    refused(&app, "package.json:2:18", "expected a map");
}

#[test]
fn a_read_only_file_leaves_the_other_as_it_was() {
    let app = App::with(&[(MANIFEST, GOOD), (PLIST, GOOD_PLIST)]);
    let mut mode = fs::metadata(app.path(PLIST)).unwrap().permissions();
    mode.set_readonly(true);
    fs::set_permissions(app.path(PLIST), mode).unwrap();
    let before = app.snapshot();
    let ran = app.run(&["fill", "--purpose", "camera=Photographs the ring."]);
    assert_eq!(ran.code, 2, "{}", ran.err);
    assert!(ran.err.contains("Info.plist: the file is read-only; nothing is written"), "{}", ran.err);
    assert_eq!(app.snapshot(), before, "the manifest, which could be written, is as it was");
}

#[test]
fn a_command_line_that_means_nothing() {
    let app = App::with(&[(MANIFEST, GOOD)]);
    for (words, message) in [
        (&["fill", "--purpose", "camera"][..], "write a name, `=` and the text"),
        (&["fill", "--purpose", "camra=x"], "did you mean `camera`?"),
        (&["fill", "--purpose", "camera=TODO"], "not filled in yet"),
        (&["fill", "--answer", "tern_camra.id=1"], "did you mean `tern_camera`?"),
        (&["fill", "--answer", "tern_camera.id=1"], "does not ask for `id`"),
        (&["fill", "--answer", "tern_camera.scheme=YOUR_SCHEME"], "not filled in yet"),
        (&["check", "nowhere"], "there is no such folder"),
        (&["check", "--sheets", "nowhere"], "there is no such folder of sheets"),
        (&["check", "node_modules"], "no app here"),
        (&["chek"], "check"),
        (&["explain", "camra"], "did you mean `elvask explain camera`?"),
        (&["why", "CAMREA"], "did you mean"),
    ] {
        let before = app.snapshot();
        let ran = app.run(words);
        assert_eq!(ran.code, 2, "{words:?} {}", ran.err);
        assert!(ran.err.contains(message), "{words:?}: {}", ran.err);
        assert_eq!(ran.out, "", "{words:?}: results alone go to standard output");
        assert_eq!(app.snapshot(), before);
    }
}

#[test]
fn names_from_packages_play_no_tricks_on_the_terminal() {
    let app = App::with(&[(MANIFEST, GOOD)]);
    app.write("package.json", "{\"dependencies\":{\"tern_camera\":\"1\",\"evil\\u001b[31m\":\"1\"}}");
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n[[requires]]\ncapability = \"camera\"\nreason = \"red \\u001b[31m and \\u202E turned\"\n",
    );
    app.write("node_modules/tern_camera/package.json", "{\"version\":\"2.1.0\\u001b[31m\"}");
    app.write(
        "android/app/build.gradle",
        "android { defaultConfig {\n applicationId \"a\u{1b}[31m\"\n minSdk x\u{1b}y\n } }",
    );
    for words in [&["check"][..], &["survey"], &["why", "CAMERA"], &["fill"]] {
        let ran = app.run(words);
        let said = format!("{}{}", ran.out, ran.err);
        assert!(!said.contains('\u{1b}') && !said.contains('\u{202E}'), "{words:?}: {said:?}");
    }
}

#[cfg(unix)]
#[test]
fn a_package_that_loops_or_plays_tricks_is_looked_into_all_the_same() {
    let app = App::with(&[(MANIFEST, "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"/>\n")]);
    let name = "wader\u{1b}]0;x\u{7}";
    app.write("package.json", serde_json::json!({ "dependencies": { name: "1" } }).to_string());
    let root = format!("node_modules/{name}");
    app.write(&format!("{root}/package.json"), "{\"version\":\"1.0.0\\u001b[2J\"}");
    app.write(&format!("{root}/ios/A.swift"), "let pedometer = CMPedometer() // \u{1b}[2J\n");
    app.write("secret.md", "Add `android.permission.NFC` to the manifest.\n");
    let folder = app.root().join(&root);
    std::os::unix::fs::symlink(&folder, folder.join("ios/loop")).unwrap();
    std::os::unix::fs::symlink("..", folder.join("ios/up")).unwrap();
    std::os::unix::fs::symlink(app.root().join("secret.md"), folder.join("README.md")).unwrap();
    for words in [&["sheet", "list"][..], &["sheet", "show", name], &["check"], &["trim"], &["why", "CAMERA"]] {
        let ran = app.run(words);
        assert!(!ran.out.contains('\u{1b}') && !ran.err.contains('\u{1b}'), "{words:?}\n{}{}", ran.out, ran.err);
        assert!(!ran.out.contains("android.permission.NFC"), "what a link leads to is not the package's\n{}", ran.out);
    }
    let shown = app.run(&["sheet", "show", name]);
    assert!(shown.out.contains("NSMotionUsageDescription"), "{}{}", shown.out, shown.err);
}
