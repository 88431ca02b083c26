//! Flags that no other test gives, each by what a person would notice.

use crate::support::{App, MANIFEST, elvask};

const PLIST: &str = "ios/Marram/Info.plist";

#[test]
fn check_only_shows_what_is_asked_for_and_counts_the_rest() {
    let app = App::bare();
    let ran = app.run(&["check", "--only", "permission-missing"]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("error[permission-missing]") && !ran.out.contains("purpose-missing"), "{}", ran.out);
    assert!(ran.out.contains("1 error, 1 not shown"), "{}", ran.out);
    assert_eq!(app.run(&["check", "--only", "camera"]).code, 1, "the last part of a subject is enough");
    let clean = app.run(&["check", "--only", "query-missing"]);
    assert_eq!(clean.code, 0, "nothing of that rule: {}", clean.out);
    assert!(
        clean.out.contains("nothing of what was asked for, 2 not shown") && !clean.out.contains("clean"),
        "{}",
        clean.out
    );
    let wrong = app.run(&["check", "--only", "permision-missing"]);
    assert_eq!(wrong.code, 2);
    assert!(wrong.err.contains("did you mean `permission-missing`?"), "{}", wrong.err);
    let record = app.run(&["check", "--only", "permission-missing", "--format", "json"]).json();
    assert_eq!((record["findings"].as_array().unwrap().len(), &record["summary"]["errors"]), (1, &1.into()));
    assert_eq!(record["not_shown"], 1, "what reads the JSON knows as well that there is more");
    assert_eq!(app.run(&["check", "--format", "json"]).json()["not_shown"], 0);
}

#[test]
fn verbose_shows_every_proof_and_what_was_read() {
    let app = App::bare();
    let brief = app.run(&["check"]).out;
    let whole = app.run(&["check", "-v"]).out;
    assert!(!brief.contains("-->  ") && whole.lines().count() > brief.lines().count());
    assert!(whole.contains("::: node_modules/tern_camera/elvask-sheet.toml:4:1"), "{whole}");
    let survey = app.run(&["survey", "-v"]).out;
    let read = survey.split("\nRead ").nth(1).unwrap_or_default();
    for file in [MANIFEST, PLIST, "node_modules/tern_camera/elvask-sheet.toml", "package.json"] {
        assert!(read.contains(&format!("  {file}\n")), "{file}: {read}");
    }
    assert!(!app.run(&["survey"]).out.contains("\nRead "));
    let both = app.run(&["check", "-v", "-q"]);
    assert_eq!(both.code, 2, "more and less at once is a mistake");
}

#[test]
fn release_makes_an_error_of_a_sample() {
    let app = App::bare();
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n\n[[requires]]\nios.plist = { key = \"ExampleTernKey\", value = \"{key}\" }\n\n[answers.key]\npattern = \"^tern-[0-9]{2}$\"\nsamples = [\"tern-00\"]\n",
    );
    app.write(
        PLIST,
        "<plist version=\"1.0\">\n<dict>\n\t<key>LSRequiresIPhoneOS</key>\n\t<true/>\n\t<key>ExampleTernKey</key>\n\t<string>tern-00</string>\n</dict>\n</plist>\n",
    );
    assert!(app.run(&["check", "-q"]).out.contains("warning: `ExampleTernKey` has a sample value"));
    let release = app.run(&["check", "-q", "--release"]);
    assert_eq!(release.code, 1);
    assert!(release.out.contains("error: `ExampleTernKey` has a sample value"), "{}", release.out);
    let filled = app.run(&["fill", "--yes", "--release"]);
    assert_eq!(filled.code, 1, "the real value is wanted: {}", filled.out);
    assert_eq!(app.run(&["fill", "--yes", "--release", "--answer", "tern_camera.key=tern-48"]).code, 0);
    assert!(app.read(PLIST).contains("<string>tern-48</string>"));
}

#[test]
fn sheets_of_a_folder_win_over_those_of_packages() {
    let app = App::bare();
    app.write("elsewhere/tern.toml", "sheet = 1\nplugin = \"tern_camera\"\n\n[[requires]]\ncapability = \"vibrate\"\n");
    let ran = app.run(&["check", "-q", "--sheets", "elsewhere"]);
    assert!(ran.out.contains("VIBRATE is not declared") && !ran.out.contains("CAMERA"), "{}", ran.out);
    let absent = app.run(&["check", "--sheets", "nowhere"]);
    assert_eq!(absent.code, 2);
    assert!(absent.err.contains("there is no such folder of sheets"), "{}", absent.err);
}

#[test]
fn consent_is_given_by_name() {
    let app = App::bare();
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n\n[[requires]]\nandroid.attribute = { on = \"application\", name = \"usesCleartextTraffic\", value = \"true\" }\n",
    );
    let without = app.run(&["fill", "--yes"]);
    assert_eq!(without.code, 1);
    assert!(without.out.contains("--consent usesCleartextTraffic"), "{}", without.out);
    assert!(!app.read(MANIFEST).contains("usesCleartextTraffic"));
    assert_eq!(app.run(&["fill", "--yes", "--consent", "usesCleartextTraffic"]).code, 0);
    assert!(app.read(MANIFEST).contains("android:usesCleartextTraffic=\"true\""));
}

#[test]
fn declare_and_withdraw_name_each_kind() {
    for (words, written, at) in [
        (&["declare", "permission", "VIBRATE"][..], "android.permission.VIBRATE", MANIFEST),
        (&["declare", "package", "example.tides.app"], "<package android:name=\"example.tides.app\" />", MANIFEST),
        (
            &["declare", "feature", "android.hardware.camera"],
            "<uses-feature android:name=\"android.hardware.camera\"",
            MANIFEST,
        ),
        (&["declare", "background-mode", "audio"], "<string>audio</string>", PLIST),
        (&["declare", "query-scheme", "tides"], "<string>tides</string>", PLIST),
        (
            &["declare", "key", "UIFileSharingEnabled", "--value", "true"],
            "<key>UIFileSharingEnabled</key>\n\t<true/>",
            PLIST,
        ),
        (&["declare", "key", "ExampleList", "--value", "[\"a\", \"b\"]"], "<string>b</string>", PLIST),
    ] {
        let app = App::bare();
        let before = app.snapshot();
        let folder = app.root().parent().unwrap().to_owned();
        let name = app.root().display().to_string();
        // From elsewhere, with the app named.
        let mut line = words.to_vec();
        line.extend(["--app", &name, "--yes"]);
        let ran = elvask(&folder, &line);
        assert_eq!(ran.code, 0, "{words:?}: {}{}", ran.out, ran.err);
        assert!(app.read(at).contains(written), "{words:?}: {}", app.read(at));
        let mut line = vec!["withdraw"];
        line.extend(words[1..].iter().take(2));
        line.extend(["--app", &name, "--yes"]);
        let ran = elvask(&folder, &line);
        assert_eq!(ran.code, 0, "{line:?}: {}{}", ran.out, ran.err);
        // The reasons for what is declared on purpose are kept in a file of their own, which is empty again.
        if app.path("elvask.toml").exists() {
            assert_eq!(app.read("elvask.toml"), "elvask = 1\n", "{line:?}");
            std::fs::remove_file(app.path("elvask.toml")).unwrap();
        }
        assert!(app.snapshot() == before, "{line:?} leaves no trace");
    }
}

#[test]
fn a_value_that_is_no_value_is_refused() {
    let app = App::bare();
    let before = app.snapshot();
    let ran = app.run(&["declare", "key", "UIFileSharingEnabled", "--value", "yes please", "--yes"]);
    assert_eq!(ran.code, 2, "{}", ran.out);
    assert!(ran.err.contains("UIFileSharingEnabled: --value yes please: this is not a value"), "{}", ran.err);
    assert_eq!(app.snapshot(), before);
}

#[test]
fn a_sheet_is_checked_by_itself_and_drafted_from_standard_input() {
    let app = App::bare();
    app.write("mine.toml", "sheet = 1\nplugin = \"tern_camera\"\n\n[[requires]]\ncapability = \"camra\"\n");
    let ran = app.run(&["sheet", "check", "--file", "mine.toml"]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("did you mean `camera`?") && ran.out.contains("mine.toml:5"), "{}", ran.out);
    let draft = std::process::Command::new(env!("CARGO_BIN_EXE_elvask"))
        .args(["sheet", "draft", "tern_camera", "--notes", "-"])
        .current_dir(app.root())
        .env("ELVASK_CACHE_DIR", "")
        .stdin({
            app.write(
                "notes",
                "## Setup\n\n```xml\n<uses-permission android:name=\"android.permission.NFC\" />\n```\n",
            );
            std::fs::File::open(app.path("notes")).unwrap()
        })
        .output()
        .unwrap();
    let text = String::from_utf8(draft.stdout).unwrap();
    assert!(text.contains("android.permission = \"android.permission.NFC\""), "{text}");
}

#[test]
fn each_app_of_a_repository_is_surveyed() {
    let folder = tempfile::tempdir().unwrap();
    for name in ["one", "two"] {
        let root = folder.path().join(name);
        std::fs::create_dir_all(root.join("android/app/src/main")).unwrap();
        std::fs::write(root.join("package.json"), "{}").unwrap();
        std::fs::write(root.join("android/app/build.gradle"), "plugins { id 'com.android.application' }").unwrap();
        std::fs::write(root.join("android/app/src/main/AndroidManifest.xml"), "<manifest />").unwrap();
    }
    let ran = elvask(folder.path(), &["survey", "--all"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    assert_eq!(ran.out.matches("App      ").count(), 2, "{}", ran.out);
    let record = elvask(folder.path(), &["survey", "--all", "--format", "json"]).json();
    let paths: Vec<_> = record["apps"].as_array().unwrap().iter().map(|app| app["path"].as_str().unwrap()).collect();
    assert_eq!(paths, ["one", "two"]);
    let checked = elvask(folder.path(), &["check", "--all"]);
    assert!(checked.out.starts_with("one\n") && checked.out.contains("\n\ntwo\n"), "{}", checked.out);
}

#[test]
fn explain_names_the_flag_that_does_instead_of_a_companion() {
    let app = App::bare();
    let told = app.run(&["explain", "BLUETOOTH_SCAN"]);
    assert_eq!(told.code, 0, "{}", told.err);
    assert!(told.out.contains("Wants ACCESS_FINE_LOCATION beside it, or the flag neverForLocation\n"), "{}", told.out);
    let other = app.run(&["explain", "ACCESS_FINE_LOCATION"]).out;
    assert!(other.contains("Wants ACCESS_COARSE_LOCATION beside it\n"), "{other}");
}

#[test]
fn fill_mends_for_one_plugin() {
    let app = App::demo("npm");
    let mended = |words: &[&str]| {
        let ran = app.run(&[&["fill", "--dry-run", "--format", "json"], words].concat());
        let record = ran.json();
        let all = record["mended"].as_array().unwrap().iter();
        all.map(|one| one["subject"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let own = mended(&["--plugin", "plover_dialer"]);
    assert!(!own.is_empty() && own.len() < mended(&[]).len(), "{own:?}");
    let unknown = app.run(&["fill", "--plugin", "plover_dailer"]);
    assert!(unknown.code == 2 && unknown.err.contains("did you mean `plover_dialer`?"), "{}", unknown.err);
}

#[test]
fn a_patch_takes_back_what_is_written() {
    let app = App::demo("npm");
    // What the sample does not yet know of itself keeps `fill` from writing.
    let before = app.snapshot();
    let ran = app.run(&["fill", "--yes", "--undo-patch", "undo.patch"]);
    assert!(ran.out.contains(&format!("git apply {}`", app.path("undo.patch").display())), "{}{}", ran.out, ran.err);
    assert_ne!(app.snapshot(), before);
    let patched =
        std::process::Command::new("git").current_dir(app.root()).args(["apply", "undo.patch"]).output().unwrap();
    assert!(patched.status.success(), "{}", String::from_utf8_lossy(&patched.stderr));
    std::fs::remove_file(app.path("undo.patch")).unwrap();
    assert_eq!(app.snapshot(), before);
    app.write("undo.patch", "mine");
    let refused = app.run(&["fill", "--yes", "--undo-patch", "undo.patch"]);
    assert!(refused.code == 2 && refused.err.contains("nothing is written"), "{}", refused.err);
    assert_eq!(app.read("undo.patch"), "mine");
}

#[test]
#[cfg(unix)]
fn no_patch_is_left_where_nothing_was_written() {
    let app = App::with(&[]);
    let outside = tempfile::tempdir().unwrap();
    let manifest = outside.path().join("AndroidManifest.xml");
    std::fs::write(
        &manifest,
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application />\n</manifest>\n",
    )
    .unwrap();
    let _ = std::fs::remove_file(app.path(MANIFEST));
    std::fs::create_dir_all(app.path(MANIFEST).parent().unwrap()).unwrap();
    std::os::unix::fs::symlink(&manifest, app.path(MANIFEST)).unwrap();
    let ran = app.run(&["fill", "--yes", "--undo-patch", "undo.patch"]);
    assert_ne!(ran.code, 0, "{}", ran.out);
    assert!(!app.path("undo.patch").exists(), "{}{}", ran.out, ran.err);
}

#[test]
fn a_file_with_two_sides_of_a_merge_is_not_written_to() {
    let app = App::with(&[(
        MANIFEST,
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses-permission android:name=\"android.permission.CAMERA\" />\n    <application />\n</manifest>\n",
    )]);
    let gradle = "plugins { id 'com.android.application' }\nandroid {\n    namespace 'example.marram.fieldlog'\n    defaultConfig {\n        minSdk 24\n        targetSdk 35\n    }\n}\n<<<<<<< ours\ndependencies {\n}\n=======\ndependencies {\n    // theirs\n}\n>>>>>>> theirs\n";
    app.write("android/app/build.gradle", gradle);
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n[[requires]]\nandroid.gradle = { file = \"app\", dependency = \"example.tern:lens\", version = \"2.1\" }\n",
    );
    let ran = app.run(&["fill", "--yes"]);
    assert!(
        ran.code == 2 && ran.err.contains("android/app/build.gradle:9: a merge has left a conflict here"),
        "{}{}",
        ran.out,
        ran.err
    );
    assert_eq!(app.read("android/app/build.gradle"), gradle);
}

#[test]
fn survey_says_what_a_newcomer_should_know() {
    let app = App::demo("npm");
    let plain = app.run(&["survey"]).out;
    let told = app.run(&["survey", "--explain"]).out;
    let sentence = "  From level 30 other apps are invisible unless one of these names them or what they can do.\n";
    assert!(told.contains(sentence) && !plain.contains(sentence), "{told}");
    assert!(plain.lines().all(|line| told.contains(line)), "nothing is left out for it");
}

#[test]
fn explain_answers_names_parts_and_what_is_seen() {
    let app = App::demo("npm");
    let told = |words: &[&str]| {
        let ran = app.run(&[&["explain"], words].concat());
        assert_eq!(ran.code, 0, "{}", ran.err);
        ran.out
    };
    let mode = told(&["launchMode"]);
    assert!(mode.starts_with("launchMode  attribute of the Android manifest\n"), "{mode}");
    assert!(
        mode.contains("\nExample\n  <activity android:name=\".Main\" android:launchMode=\"singleTask\">\n"),
        "{mode}"
    );
    let alarm = told(&["SCHEDULE_EXACT_ALARM"]);
    assert!(alarm.contains("  by level: normal|appop from 31, signature|privileged|appop from 34\n"), "{alarm}");
    let parts = told(&["entitlement", "push"]);
    assert!(parts.lines().all(|line| line.contains("  entitlement  ")) && parts.contains("aps-environment"), "{parts}");
    let seen = told(&["the", "browser", "opens", "instead"]);
    assert!(seen.contains("  association-missing "), "{seen}");
    let several = told(&["permission"]);
    assert!(several.contains("Also of that name\n  elvask explain attribute permission\n"), "{several}");
    let unknown = app.run(&["explain", "purple", "monkeys"]);
    assert!(unknown.code == 2 && unknown.err.contains("nothing of that name"), "{}", unknown.err);
}
