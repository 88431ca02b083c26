//! How the program behaves among other programs.

mod support;

use std::process::{Command, Stdio};

use support::{App, MANIFEST, elvask};

const BARE: &str =
    "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application />\n</manifest>\n";

#[test]
fn colour_is_for_terminals_unless_told() {
    let app = App::with(&[(MANIFEST, BARE)]);
    assert!(!app.run(&["check"]).out.contains('\u{1b}'), "no colour in a pipe");
    assert!(app.run(&["check", "--color", "always"]).out.contains('\u{1b}'));
    assert!(!app.run(&["check", "--color", "never"]).out.contains('\u{1b}'));
}

#[test]
fn exit_codes_and_the_failing_level() {
    let app = App::with(&[(MANIFEST, BARE)]);
    assert_eq!(app.run(&["check"]).code, 1);
    app.write(MANIFEST, BARE.replace("    <app", "    <uses-permission android:name=\"android.permission.CAMERA\"/>\n    <uses-permission android:name=\"android.permission.CAMERA\"/>\n    <app"));
    assert_eq!(app.run(&["check"]).code, 0, "a warning does not fail");
    assert_eq!(app.run(&["check", "--deny", "warning"]).code, 1);
}

#[test]
fn a_finding_has_all_that_a_person_needs() {
    let app = App::with(&[(MANIFEST, BARE)]);
    let text = app.run(&["check"]).out;
    for part in [
        "error[permission-missing]: CAMERA is not declared, and tern_camera needs it",
        "--> android/app/src/main/AndroidManifest.xml:1:1",
        "1 | <manifest xmlns:android=",
        "::: node_modules/tern_camera/elvask-sheet.toml:4:1",
        "tern_camera 2.1.0 needs it",
        "if it stays: What needs the permission fails on the device",
        "+     <uses-permission android:name=\"android.permission.CAMERA\" />",
        "1 error",
    ] {
        assert!(text.contains(part), "{part}\n{text}");
    }
    let brief = app.run(&["check", "-q"]).out;
    assert_eq!(
        brief.lines().next(),
        Some(
            "android/app/src/main/AndroidManifest.xml:1:1: error: CAMERA is not declared, and tern_camera needs it [permission-missing]"
        )
    );
}

#[test]
fn json_and_people_are_told_the_same_place() {
    let app = App::demo("pubspec");
    let brief = app.run(&["check", "-q"]).out;
    let record = app.run(&["check", "--format", "json"]).json();
    let findings = record["findings"].as_array().unwrap();
    for finding in findings {
        let place = format!("{}:{}:{}:", finding["file"].as_str().unwrap(), finding["line"], finding["column"]);
        assert!(brief.lines().any(|line| line.starts_with(&place)), "{place}\n{brief}");
    }
    assert_eq!(record["summary"]["errors"].as_u64().unwrap() as usize, brief.matches(": error: ").count());
}

#[test]
fn the_edits_in_json_do_what_they_say() {
    let app = App::with(&[(MANIFEST, BARE)]);
    let record = app.run(&["check", "--format", "json"]).json();
    let finding = &record["findings"][0];
    assert_eq!(record["format"], 1);
    assert_eq!(finding["remedy"]["kind"], "edit");
    assert_eq!(finding["remedy"]["text"], "<uses-permission android:name=\"android.permission.CAMERA\" />");
    assert_eq!(finding["needed_by"][0]["evidence"], "sheet");
    let edit = &finding["remedy"]["edits"][0];
    let (start, end) = (edit["start"].as_u64().unwrap() as usize, edit["end"].as_u64().unwrap() as usize);
    let mut text = app.read(MANIFEST);
    text.replace_range(start..end, edit["insert"].as_str().unwrap());
    app.write(MANIFEST, text);
    assert_eq!(app.run(&["check"]).code, 0);
}

#[test]
fn the_app_around_the_current_folder_is_found() {
    let app = App::with(&[(MANIFEST, BARE)]);
    app.write("src/deep/a.js", "");
    let ran = elvask(&app.path("src/deep"), &["check", "-q"]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.starts_with(MANIFEST), "paths are shown from the app: {}", ran.out);
}

#[test]
fn why_answers_in_both_directions() {
    let app = App::demo("npm");
    let text = app.run(&["why", "record_audio"]).out;
    for part in [
        "curlew_dictation 1.4.2 needs it, as part of `speech`",
        "elvask-sheet.toml:8:1",
        "stands here and is ignored",
        "[permission-misplaced]",
    ] {
        assert!(text.contains(part), "{part}\n{text}");
    }
    let record = app.run(&["why", "tern_camera", "--format", "json"]).json();
    let names: Vec<_> = record["answers"].as_array().unwrap().iter().map(|one| one["name"].as_str().unwrap()).collect();
    assert!(
        names.contains(&"android.permission.CAMERA") && names.contains(&"NSPhotoLibraryAddUsageDescription"),
        "{names:?}"
    );
    let mailto = app.run(&["why", "mailto"]).out;
    assert!(mailto.contains("its <queries>") || mailto.contains("stands here and is ignored"), "{mailto}");
}

#[test]
fn explain_knows_rules_permissions_keys_and_capabilities() {
    let folder = tempfile::tempdir().unwrap();
    for (topic, part) in [
        ("purpose-missing", "It never makes a text up."),
        ("POST_NOTIFICATIONS", "granted by a prompt, in the group NOTIFICATIONS"),
        ("NSCameraUsageDescription", "The system ends the app at the first access."),
        ("bluetooth", "for devices up to level 30, with maxSdkVersion 30"),
        ("LSApplicationQueriesSchemes", "array of string"),
        ("rules", "query-scheme-excess"),
        ("capabilities", "open-phone"),
    ] {
        let ran = elvask(folder.path(), &["explain", topic]);
        // Long texts are broken into lines wherever the terminal is that wide.
        let said = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(ran.code == 0 && said.contains(part), "{topic}\n{}{}", ran.out, ran.err);
        elvask(folder.path(), &["explain", topic, "--format", "json"]).json();
    }
}

#[test]
fn every_command_has_help_with_examples() {
    let folder = tempfile::tempdir().unwrap();
    for command in ["demo", "survey", "check", "fill", "why", "explain"] {
        let ran = elvask(folder.path(), &[command, "--help"]);
        assert!(ran.code == 0 && ran.out.contains("Examples:"), "{command}\n{}", ran.out);
    }
    assert!(elvask(folder.path(), &["--help"]).out.contains("Exit codes:"));
    assert!(elvask(folder.path(), &["--version"]).out.starts_with("elvask "));
}

#[test]
fn a_reader_that_goes_away_is_no_fault() {
    let app = App::demo("npm");
    let mut child = Command::new(env!("CARGO_BIN_EXE_elvask"))
        .args(["check", "--color", "always"])
        .current_dir(app.root())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    let done = child.wait_with_output().unwrap();
    assert_eq!(String::from_utf8_lossy(&done.stderr), "");
    assert_eq!(done.status.code(), Some(1));
}

#[test]
fn what_is_not_judged_is_told() {
    let app = App::with(&[(MANIFEST, BARE)]);
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n[[requires]]\nios.entitlement = { key = \"aps-environment\", value = \"development\" }\n[[requires]]\ncapability = \"background-audio\"\n",
    );
    let ran = app.run(&["check"]);
    assert_eq!(ran.code, 0);
    assert!(
        ran.err.contains(
            "elvask-sheet.toml: requirements of these kinds are not judged yet: background-mode, component, entitlement"
        ),
        "{}",
        ran.err
    );
}

#[test]
fn an_answer_that_is_part_of_a_name_is_to_be_kept() {
    let app = App::with(&[(
        "ios/Marram/Info.plist",
        "<plist version=\"1.0\"><dict><key>LSRequiresIPhoneOS</key><true/></dict></plist>",
    )]);
    app.write("package.json", "{\"dependencies\":{\"@marsh/knot\":\"1\"}}");
    app.write("android/app/src/main/AndroidManifest.xml", BARE);
    app.write("node_modules/@marsh/knot/package.json", "{\"version\":\"1.0.0\"}");
    app.write(
        "node_modules/@marsh/knot/elvask-sheet.toml",
        "sheet = 1\n[[requires]]\nios.query-scheme = \"{scheme}\"\n",
    );
    let ran = app.run(&["fill", "--answer", "@marsh/knot.scheme=knot"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    let step = "Write scheme = \"knot\" under [plugins.\"@marsh/knot\".answers] in elvask.toml";
    assert!(ran.out.contains(step), "{}", ran.out);
    app.write("elvask.toml", "elvask = 1\n[plugins.\"@marsh/knot\".answers]\nscheme = \"knot\"\n");
    assert_eq!(app.run(&["check"]).code, 0);
}
