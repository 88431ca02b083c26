//! How the program behaves among other programs.

use std::fs::File;
use std::path::Path;
use std::process::{Command, Stdio};

use crate::support::{App, MANIFEST, elvask};

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
        "--> android/app/src/main/AndroidManifest.xml:1:1, for tern_camera (elvask-sheet.toml:4)",
        "2 +     <uses-permission android:name=\"android.permission.CAMERA\" />",
        "if it stays: The call throws SecurityException",
        "1 error",
    ] {
        assert!(text.contains(part), "{part}\n{text}");
    }
    let whole = app.run(&["check", "-v"]).out;
    for part in [
        "1 | <manifest xmlns:android=",
        "::: node_modules/tern_camera/elvask-sheet.toml:4:1",
        "tern_camera 2.1.0 needs it",
        "+     <uses-permission android:name=\"android.permission.CAMERA\" />",
    ] {
        assert!(whole.contains(part), "{part}\n{whole}");
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
        "curlew_dictation 1.4.2 needs it\n    used: the app's own code uses the package (App.js:2)\n    learnt from its native code, node_modules/curlew_dictation/",
        "SpeechRecognizer.createSpeechRecognizer(context)",
        "declared, but ignored",
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
    assert!(mailto.contains("declared, but ignored: android/app/src/main/AndroidManifest.xml:98"), "{mailto}");
}

#[test]
fn explain_knows_rules_permissions_keys_and_capabilities() {
    let folder = tempfile::tempdir().unwrap();
    for (topic, part) in [
        ("purpose-missing", "It never makes a text up."),
        ("POST_NOTIFICATIONS", "granted by a prompt, in the group NOTIFICATIONS"),
        ("NSCameraUsageDescription", "The app crashes at the first access."),
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
fn the_top_help_names_the_exit_codes_and_the_version() {
    let folder = tempfile::tempdir().unwrap();
    assert!(elvask(folder.path(), &["--help"]).out.contains("Exit codes: 0 all is well"));
    assert_eq!(elvask(folder.path(), &["--version"]).out, format!("elvask {}\n", env!("CARGO_PKG_VERSION")));
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

/// An app with a plugin that has no sheet: what it requires stands in its own files.
fn unsheeted() -> App {
    let app = App::with(&[(MANIFEST, BARE)]);
    let plist = "<plist version=\"1.0\"><dict><key>LSRequiresIPhoneOS</key><true/></dict></plist>";
    app.write("ios/Marram/Info.plist", plist);
    app.write("package.json", "{\"dependencies\":{\"curlew_dictation\":\"1\"}}");
    let root = "node_modules/curlew_dictation";
    app.write(&format!("{root}/package.json"), "{\"name\":\"curlew_dictation\",\"version\":\"1.4.2\"}");
    app.write(
        &format!("{root}/ios/Dictation.swift"),
        "import Speech\n\nSFSpeechRecognizer.requestAuthorization { _ in }\n",
    );
    app.write(&format!("{root}/android/build.gradle"), "apply plugin: 'com.android.library'\n");
    let notes = "# Set up\n\nAdd to the manifest:\n\n```xml\n<uses-permission android:name=\"android.permission.RECORD_AUDIO\" />\n```\n";
    app.write(&format!("{root}/README.md"), notes);
    app
}

#[test]
fn a_plugin_without_a_sheet_is_judged_by_its_own_files() {
    let app = unsheeted();
    let ran = app.run(&["check", "--format", "json"]);
    let findings = ran.json()["findings"].clone();
    let found =
        |subject: &str| findings.as_array().unwrap().iter().find(|one| one["subject"] == subject).cloned().unwrap();
    let purpose = found("NSSpeechRecognitionUsageDescription");
    assert_eq!((&purpose["rule"], &purpose["level"]), (&"purpose-missing".into(), &"error".into()));
    let who = &purpose["needed_by"][0];
    assert_eq!((&who["evidence"], &who["line"]), (&"source".into(), &3.into()), "{who}");
    assert_eq!(who["file"], "node_modules/curlew_dictation/ios/Dictation.swift");
    let permission = found("android.permission.RECORD_AUDIO");
    assert_eq!((&permission["level"], &permission["needed_by"][0]["evidence"]), (&"warning".into(), &"readme".into()));
    assert_eq!(ran.code, 1, "what native code needs for certain decides");
    let shown = app.run(&["sheet", "show", "curlew_dictation"]);
    assert!(shown.out.contains("SFSpeechRecognizer.requestAuthorization { _ in }"), "{}", shown.out);
}

#[test]
fn what_was_learnt_is_remembered_until_a_file_changes_and_damage_does_no_harm() {
    let app = unsheeted();
    let cache = tempfile::tempdir().unwrap();
    let old = std::time::SystemTime::now() - std::time::Duration::from_secs(60);
    let source = "node_modules/curlew_dictation/ios/Dictation.swift";
    for path in [
        source,
        "node_modules/curlew_dictation/README.md",
        "node_modules/curlew_dictation/package.json",
        "node_modules/curlew_dictation/android/build.gradle",
    ] {
        std::fs::File::options().write(true).open(app.root().join(path)).unwrap().set_modified(old).unwrap();
    }
    let age = |folder: &str| {
        for folder in app.root().join(folder).ancestors().take_while(|folder| folder.starts_with(app.root())) {
            std::fs::File::open(folder).unwrap().set_modified(old).unwrap();
        }
    };
    let (code, _) = source.rsplit_once('/').unwrap();
    age(code);
    age("node_modules/curlew_dictation/android");
    let_it_settle();
    let show = || {
        let ran = Command::new(env!("CARGO_BIN_EXE_elvask"))
            .args(["sheet", "show", "curlew_dictation", "--format", "json"])
            .env("ELVASK_CACHE_DIR", cache.path())
            .current_dir(app.root())
            .output()
            .unwrap();
        String::from_utf8(ran.stdout).unwrap()
    };
    let first = show();
    let records = || std::fs::read_dir(cache.path()).unwrap().map(|entry| entry.unwrap().path()).collect::<Vec<_>>();
    assert_eq!(show(), first);
    for damage in ["", "not a record", "00000000000000000000000000000000{\"version\":1}"] {
        for record in records() {
            std::fs::write(&record, damage).unwrap();
        }
        assert_eq!(show(), first, "{damage:?}");
    }
    let [all] = records().try_into().unwrap();
    let whole = std::fs::read(&all).unwrap();
    let purpose = b"NSSpeechRecognitionUsageDescription";
    let at = whole.windows(purpose.len()).position(|text| text == purpose).unwrap();
    for (from, to) in [(at, at + purpose.len()), (0, 8), (8, 12), (12, 28), (28, 32), (whole.len() - 1, whole.len())] {
        let mut forged = whole.clone();
        forged[from..to].iter_mut().for_each(|byte| *byte ^= 1);
        std::fs::write(&all, forged).unwrap();
        assert_eq!(show(), first, "a record that somebody changed is not believed");
        std::fs::write(&all, &whole[..from]).unwrap();
        assert_eq!(show(), first, "a file that was cut short is made anew");
    }
    app.write(source, "import AVFoundation\nlet recorder = AVAudioRecorder()\n");
    let changed = show();
    assert!(changed.contains("NSMicrophoneUsageDescription") && !changed.contains("NSSpeechRecognition"), "{changed}");
    // What comes to be in a folder deep inside is seen, and what goes away.
    let more = format!("{code}/more/Motion.swift");
    app.write(&more, "import CoreMotion\nlet motion = CMMotionActivityManager()\n");
    assert!(show().contains("NSMotionUsageDescription"));
    app.write(source, "import Speech\nlet recognizer = SFSpeechRecognizer.requestAuthorization { _ in }\n");
    std::fs::File::options().write(true).open(app.root().join(source)).unwrap().set_modified(old).unwrap();
    std::fs::remove_dir_all(app.root().join(format!("{code}/more"))).unwrap();
    age(code);
    let again = show();
    assert!(!again.contains("NSMotion") && again.contains("NSSpeechRecognition"), "{again}");
}

/// Makes all below a folder look as if nobody had touched it for a minute: what is younger is not remembered.
fn age(folder: &Path) {
    let old = std::time::SystemTime::now() - std::time::Duration::from_secs(60);
    for entry in std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()) {
        if entry.is_dir() {
            age(&entry);
        } else {
            File::options().write(true).open(entry).unwrap().set_modified(old).unwrap();
        }
    }
    File::open(folder).unwrap().set_modified(old).unwrap();
}

/// Waits until what the system noted last is no longer of this moment: until then nothing is remembered.
fn let_it_settle() {
    std::thread::sleep(std::time::Duration::from_millis(40));
}

/// Whoever unpacks an archive may set the times of its files to those that the archive has, which are all the same.
#[test]
#[cfg(unix)]
fn a_file_of_the_same_size_and_time_is_read_again_all_the_same() {
    let app = unsheeted();
    let package = app.path("node_modules/curlew_dictation");
    let cache = tempfile::tempdir().unwrap();
    let told = |command: &str| app.run_with(&[("ELVASK_CACHE_DIR", cache.path().to_str().unwrap())], &[command]).out;
    let needed = || told("check").contains("NSSpeechRecognitionUsageDescription");
    let version = || {
        let out = told("survey");
        let line = out.lines().find(|line| line.starts_with("  curlew_dictation "));
        line.unwrap_or_default().split_whitespace().nth(1).unwrap_or_default().to_owned()
    };
    age(&app.path(""));
    let_it_settle();
    assert_eq!([needed(), needed()], [true, true]);
    let source = package.join("ios/Dictation.swift");
    let time = std::fs::metadata(&source).unwrap().modified().unwrap();
    let replace = |path: &Path, from: &str, to: &str| {
        let old = std::fs::read_to_string(path).unwrap();
        assert!(old.contains(from) && from.len() == to.len(), "{old}");
        std::fs::write(path, old.replace(from, to)).unwrap();
        File::options().write(true).open(path).unwrap().set_modified(time).unwrap();
    };
    replace(&source, "SFSpeechRecognizer", "SFSpeachRecognizer");
    assert!(!needed(), "{}", told("check"));
    // The same of what its package.json says.
    assert_eq!([version(), version()], ["1.4.2", "1.4.2"]);
    replace(&package.join("package.json"), "1.4.2", "1.4.3");
    assert_eq!(version(), "1.4.3");
}

/// Files that lie deep and together are asked for from the folder that they share.
#[test]
fn of_many_files_that_lie_deep_each_change_is_seen() {
    let app = App::with(&[(MANIFEST, BARE)]);
    app.write("package.json", "{\"dependencies\":{\"tern\":\"1\"}}");
    app.write("node_modules/tern/package.json", "{\"version\":\"1.0.0\"}");
    app.write("node_modules/tern/android/build.gradle", "android { }\n");
    let deep = "node_modules/tern/android/src/main/java/example/marsh/tern";
    let plain = "package example.marsh.tern\n\nclass Tern { val ring = 4 }\n";
    for at in 0..60 {
        app.write(&format!("{deep}/part{}/Tern{at}.kt", at / 20), plain);
    }
    let cache = tempfile::tempdir().unwrap();
    let needs = || {
        let ran = app.run_with(&[("ELVASK_CACHE_DIR", cache.path().to_str().unwrap())], &["check"]);
        ["CAMERA", "RECORD_AUDIO"].map(|name| ran.out.contains(&format!("android.permission.{name}")))
    };
    let camera =
        "package example.marsh.tern\nval camera = cameraManager.openCamera(\"0\", back, null) as CameraManager\n";
    let sound = "package example.marsh.tern\nval sound = recorder.setAudioSource(1)\n";
    let aside = app.path("aside");
    // What is done, and what is needed then.
    type Change<'c> = (&'c str, &'c dyn Fn(), [bool; 2]);
    let changes: [Change<'_>; 7] = [
        ("nothing", &|| {}, [false, false]),
        (
            "a file deep inside says something else",
            &|| app.write(&format!("{deep}/part1/Tern33.kt"), camera),
            [true, false],
        ),
        ("one comes", &|| app.write(&format!("{deep}/part2/Sound.kt"), sound), [true, true]),
        ("one goes", &|| std::fs::remove_file(app.path(&format!("{deep}/part1/Tern33.kt"))).unwrap(), [false, true]),
        ("a folder of its own comes", &|| app.write(&format!("{deep}/more/deeper/Camera.kt"), camera), [true, true]),
        ("the shared folder is somewhere else", &|| std::fs::rename(app.path(deep), &aside).unwrap(), [false, false]),
        ("it is back", &|| std::fs::rename(&aside, app.path(deep)).unwrap(), [true, true]),
    ];
    for (what, change, expected) in changes {
        change();
        // Once as it comes to be, once to be remembered, and once out of what was remembered.
        assert_eq!(needs(), expected, "{what}");
        age(&app.path("node_modules"));
        let_it_settle();
        assert_eq!([needs(), needs()], [expected, expected], "{what}");
    }
    // What a link leads to is not the package's own.
    #[cfg(unix)]
    {
        std::fs::rename(app.path(deep), &aside).unwrap();
        std::os::unix::fs::symlink(&aside, app.path(deep)).unwrap();
        assert_eq!([needs(), needs()], [[false, false]; 2]);
    }
}

#[test]
fn what_the_folders_of_a_package_tell_is_remembered_until_they_change() {
    let app = App::with(&[(MANIFEST, BARE)]);
    app.write("package.json", "{\"dependencies\":{\"tern\":\"1\"}}");
    let package = "node_modules/tern";
    app.write(&format!("{package}/package.json"), "{\"version\":\"1.0.0\",\"dependencies\":{\"reed\":\"1\"}}");
    let cache = tempfile::tempdir().unwrap();
    let plugins = || {
        let ran = app.run_with(&[("ELVASK_CACHE_DIR", cache.path().to_str().unwrap())], &["survey"]);
        assert_eq!(ran.code, 0, "{}", ran.err);
        let listed = ran.out.split("\nPlugins ").nth(1).unwrap_or_default();
        let names = listed.lines().skip(1).filter_map(|line| line.split_whitespace().next());
        names.map(str::to_owned).collect::<Vec<_>>()
    };
    let nested = "node_modules/reed";
    let (put, gone) = (true, false);
    // What comes or goes in the package, and which plugins the app has then.
    let states: [(&str, bool, &[&str]); 15] = [
        ("index.js", put, &[]),
        ("tern.podspec", put, &["tern"]),
        ("tern.podspec", gone, &[]),
        ("ios/index.js", put, &[]),
        ("ios/Tern.swift", put, &["tern"]),
        ("ios", gone, &[]),
        ("android/src/main/AndroidManifest.xml", put, &["tern"]),
        ("android/src", gone, &[]),
        ("android/build.gradle", put, &["tern"]),
        ("android/build.gradle", gone, &[]),
        ("elvask-sheet.toml", put, &["tern"]),
        (&format!("{nested}/package.json"), put, &["tern"]),
        (&format!("{nested}/reed.podspec"), put, &["tern", "reed"]),
        ("elvask-sheet.toml", gone, &["reed"]),
        ("node_modules", gone, &[]),
    ];
    for (name, comes, expected) in states {
        let path = app.path(&format!("{package}/{name}"));
        let text = match name {
            "elvask-sheet.toml" => "sheet = 1\n[[requires]]\nandroid.permission = \"CAMERA\"\n",
            name if name.ends_with("package.json") => "{\"version\":\"1.0.0\"}",
            name if name.ends_with(".xml") => BARE,
            _ => "",
        };
        match comes {
            true => app.write(&format!("{package}/{name}"), text),
            false if path.is_dir() => std::fs::remove_dir_all(&path).unwrap(),
            false => std::fs::remove_file(&path).unwrap(),
        }
        // Once as it comes to be, once to be remembered, and once out of what was remembered.
        assert_eq!(plugins(), expected, "{name} {comes}");
        age(&app.path(package));
        let_it_settle();
        assert_eq!([plugins(), plugins()], [expected, expected], "{name} {comes}");
    }
}

#[test]
fn the_library_that_a_package_makes_is_remembered_until_its_build_or_manifest_changes() {
    let app = App::with(&[("android/app/src/main/AndroidManifest.xml", BARE)]);
    app.write("package.json", "{\"dependencies\":{\"curlew_dictation\":\"1\"}}");
    let package = "node_modules/curlew_dictation";
    let (build, manifest) =
        (format!("{package}/android/build.gradle"), format!("{package}/android/src/main/AndroidManifest.xml"));
    app.write(&format!("{package}/package.json"), "{\"version\":\"1.0.0\"}");
    let cache = tempfile::tempdir().unwrap();
    let merged = || {
        let ran = app.run_with(&[("ELVASK_CACHE_DIR", cache.path().to_str().unwrap())], &["survey", "--merged"]);
        assert_eq!(ran.code, 0, "{}", ran.err);
        ran.out
            .lines()
            .filter_map(|line| line.split("android:name=\"").nth(1)?.split('"').next())
            .map(str::to_owned)
            .collect::<Vec<_>>()
    };
    let text = |name: &str| {
        format!(
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n  <application>\n    <service android:name=\"{name}\" />\n  </application>\n</manifest>\n"
        )
    };
    // Each state is asked for three times: once as it comes to be, once to be remembered, and once out of what was remembered.
    let states: [(&str, Option<&str>, &[&str]); 6] = [
        ("android { namespace 'example.curlew' }", Some(".Listen"), &["example.curlew.Listen"]),
        ("android { namespace 'example.plover' }", Some(".Listen"), &["example.plover.Listen"]),
        ("android { namespace 'example.plover' }", Some(".Speak"), &["example.plover.Speak"]),
        ("android { namespace 'example.plover' }", None, &[]),
        ("android { namespace 'example.plover' }", Some(".Speak"), &["example.plover.Speak"]),
        (
            "android {\n namespace 'example.tern'\n sourceSets { main { manifest.srcFile '../Other.xml' } }\n}",
            Some(".Speak"),
            &[],
        ),
    ];
    for (script, service, expected) in states {
        app.write(&build, script);
        match service {
            Some(name) => app.write(&manifest, text(name)),
            None => std::fs::remove_file(app.path(&manifest)).unwrap(),
        }
        assert_eq!(merged(), expected, "{script} {service:?}");
        age(&app.path(package));
        let_it_settle();
        assert_eq!([merged(), merged()], [expected, expected], "{script} {service:?}");
    }
    // A manifest outside of what is watched is read each time.
    app.write(&format!("{package}/Other.xml"), text(".First"));
    age(&app.path(package));
    let_it_settle();
    assert_eq!([merged(), merged()], [["example.tern.First"], ["example.tern.First"]]);
    app.write(&format!("{package}/Other.xml"), text(".Second"));
    age(&app.path(package));
    let_it_settle();
    assert_eq!([merged(), merged()], [["example.tern.Second"], ["example.tern.Second"]]);
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

#[test]
fn answers_are_kept_on_request() {
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
    let ran = app.run(&["fill", "--keep", "--answer", "@marsh/knot.scheme=knot"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    assert!(ran.out.contains("wrote elvask.toml") && !ran.out.contains("Write scheme"), "{}", ran.out);
    assert_eq!(app.read("elvask.toml"), "elvask = 1\n\n[plugins.\"@marsh/knot\".answers]\nscheme = \"knot\"\n");
    assert_eq!(app.run(&["check"]).code, 0);
}
