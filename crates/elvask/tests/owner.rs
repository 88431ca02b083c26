//! The commands by which an app's owner says what is meant: `declare`, `withdraw`, `place`, `init`, `trim`, and `sheet`.

use std::io::Write as _;
use std::process::{Command, Stdio};

use crate::support::{App, MANIFEST};

const ACTIVITY: &str = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">
    <uses-permission android:name=\"android.permission.CAMERA\" />
    <uses-permission android:name=\"android.permission.READ_PHONE_STATE\" />

    <application>
        <activity android:name=\".MainActivity\" android:exported=\"true\">
            <intent-filter>
                <action android:name=\"android.intent.action.MAIN\" />
                <category android:name=\"android.intent.category.LAUNCHER\" />
            </intent-filter>
        </activity>
    </application>
</manifest>
";
const LIST: &str = "<plist version=\"1.0\">
<dict>
    <key>LSRequiresIPhoneOS</key>
    <true/>
    <key>NSCameraUsageDescription</key>
    <string>Photographs the ring.</string>
</dict>
</plist>
";
const PLIST: &str = "ios/Marram/Info.plist";

fn app() -> App {
    App::with(&[(MANIFEST, ACTIVITY), (PLIST, LIST)])
}

fn read(app: &App, path: &str) -> String {
    std::fs::read_to_string(app.root().join(path)).unwrap()
}

#[test]
fn a_capability_is_declared_on_both_platforms_and_withdrawn_again() {
    let app = app();
    let ran = app.run(&["declare", "contacts", "--purpose", "contacts=Finds the finder of a ring.", "--yes"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    assert!(read(&app, MANIFEST).contains("<uses-permission android:name=\"android.permission.READ_CONTACTS\" />"));
    assert!(
        read(&app, PLIST)
            .contains("<key>NSContactsUsageDescription</key>\n    <string>Finds the finder of a ring.</string>")
    );
    assert!(app.run(&["declare", "contacts"]).out.contains("declared already"));
    let ran = app.run(&["withdraw", "contacts", "--yes"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    assert_eq!(
        (read(&app, MANIFEST), read(&app, PLIST)),
        (ACTIVITY.to_owned(), LIST.to_owned()),
        "not a byte is left over"
    );
}

#[test]
fn a_purpose_that_nobody_has_worded_is_wanted() {
    let app = app();
    let ran = app.run(&["declare", "microphone"]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("--purpose microphone="), "{}", ran.out);
    assert!(read(&app, MANIFEST).contains("RECORD_AUDIO"));
    assert_eq!(read(&app, PLIST), LIST);
}

#[test]
fn a_scheme_and_an_entitlement_go_where_they_belong() {
    let app = app();
    let ran = app.run(&["declare", "scheme", "marram", "--dry-run"]);
    assert!(ran.out.contains("+                <data android:scheme=\"marram\" />"), "{}", ran.out);
    assert!(ran.out.contains("+                <string>marram</string>"), "{}", ran.out);
    assert_eq!(read(&app, MANIFEST), ACTIVITY, "a dry run writes nothing");
    for (words, told) in [
        (vec!["declare", "camra"], "did you mean camera?"),
        (vec!["declare", "permission", "CAMRA"], "did you mean android.permission.CAMERA?"),
        (vec!["declare", "host", "not a host"], "this is not a host"),
        (vec!["declare", "key", "UIFileSharingEnabled"], "needs its value"),
        (vec!["declare", "entitlement", "aps-enviroment"], "did you mean aps-environment?"),
    ] {
        let ran = app.run(&words);
        assert!(ran.code == 2 && ran.err.contains(told), "{words:?}: {}", ran.err);
    }
}

#[test]
fn an_entitlement_whose_value_only_the_owner_knows_is_written_with_it() {
    let folder = tempfile::tempdir().unwrap();
    let root = folder.path().join("app");
    let run = |words: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_elvask"));
        let done = command.args(words).current_dir(folder.path()).env("ELVASK_CACHE_DIR", "").output().unwrap();
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
        (done.status.code(), text(done.stdout), text(done.stderr))
    };
    run(&["demo", "--unpack", "--layout", "npm", "--into", "app"]);
    let read = |path: &str| std::fs::read_to_string(root.join(path)).unwrap();
    // The project has no file of entitlements.
    let project = "ios/Marram.xcodeproj/project.pbxproj";
    let lines = read(project);
    let without: Vec<&str> = lines.lines().filter(|line| !line.contains("CODE_SIGN_ENTITLEMENTS")).collect();
    std::fs::write(root.join(project), without.join("\n") + "\n").unwrap();
    std::fs::remove_file(root.join("ios/Marram/Marram.entitlements")).unwrap();
    let (before, manifest) = (read(project), read(MANIFEST));

    let (code, out, _) = run(&["declare", "app-groups", "--app", "app", "--yes"]);
    assert_eq!(code, Some(1), "{out}");
    assert!(
        out.contains("`elvask declare com.apple.security.application-groups --value '[\"…\"]'` makes the file"),
        "{out}"
    );
    assert!(!out.contains("in Xcode") && read(project) == before, "{out}");

    let merchants = ["--value", "[\"merchant.example.marram\"]", "--app", "app", "--yes"];
    let (code, out, err) = run(&[&["declare", "wallet-payments"], &merchants[..]].concat());
    assert_eq!(code, Some(0), "{out}{err}");
    let list = read("ios/Marram/Marram.entitlements");
    assert!(list.contains("<array>\n        <string>merchant.example.marram</string>\n    </array>"), "{list}");
    assert_eq!(read(project).matches("CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements;").count(), 2);
    assert!(
        read(MANIFEST).contains("android:name=\"com.google.android.gms.wallet.api.enabled\" android:value=\"true\"")
    );
    let (code, out, err) = run(&["withdraw", "wallet-payments", "--app", "app", "--yes"]);
    assert_eq!(code, Some(0), "{out}{err}");
    assert!(!read("ios/Marram/Marram.entitlements").contains("merchant"), "{out}");
    assert_eq!(read(MANIFEST), manifest);

    for (words, told) in [
        (["declare", "wallet", "--app", "app"].as_slice(), "did you mean wallet-passes or wallet-payments?"),
        (&["declare", "camera", "--value", "true", "--app", "app"], "camera: this takes no value"),
        (&["declare", "permission", "CAMERA", "--value", "3", "--app", "app"], "CAMERA: this takes no value"),
    ] {
        let (code, out, err) = run(words);
        assert!(code == Some(2) && err.contains(told), "{words:?}: {out}{err}");
    }
}

#[test]
fn one_host_of_several_is_withdrawn_and_the_others_stay() {
    let app = app();
    for host in ["marram.example", "log.marram.example"] {
        assert_eq!(
            app.run(&["declare", "host", host, "--yes"]).code,
            1,
            "the project is not there, so iOS is left to a person"
        );
    }
    let both = read(&app, MANIFEST);
    assert_eq!(both.matches("android:autoVerify=\"true\"").count(), 2, "{both}");
    app.run(&["withdraw", "host", "marram.example", "--yes"]);
    let one = read(&app, MANIFEST);
    assert!(
        one.contains("android:host=\"log.marram.example\"") && !one.contains("android:host=\"marram.example\""),
        "{one}"
    );
    let folded = both.replace(
        "<data android:scheme=\"https\" android:host=\"marram.example\" />",
        "<data android:scheme=\"https\" />\n                <data android:host=\"marram.example\" />\n                <data android:host=\"ring.example\" />",
    );
    assert_ne!(folded, both);
    app.write(MANIFEST, &folded);
    app.run(&["withdraw", "host", "marram.example", "--yes"]);
    let left = read(&app, MANIFEST);
    assert!(
        left.contains("android:host=\"ring.example\"") && !left.contains("android:host=\"marram.example\""),
        "{left}"
    );
}

#[test]
fn what_a_plugin_still_requires_is_not_withdrawn_unless_told_to() {
    let app = app();
    let ran = app.run(&["withdraw", "CAMERA", "--yes"]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("tern_camera needs it") && ran.out.contains("elvask-sheet.toml:4:1"), "{}", ran.out);
    assert_eq!(read(&app, MANIFEST), ACTIVITY);
    assert_eq!(app.run(&["withdraw", "CAMERA", "--yes", "--force"]).code, 0);
    assert!(!read(&app, MANIFEST).contains("CAMERA"));
}

#[test]
fn trim_takes_out_what_nothing_needs() {
    let app = app();
    let library = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" package=\"example.tern\"><uses-permission android:name=\"android.permission.WAKE_LOCK\"/></manifest>";
    app.write("node_modules/tern_camera/android/src/main/AndroidManifest.xml", library);
    let ran = app.run(&["trim"]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("READ_PHONE_STATE is declared, and nothing that was looked at needs it"), "{}", ran.out);
    assert!(ran.out.contains("android.permission.WAKE_LOCK  tern_camera"), "{}", ran.out);
    assert_eq!(read(&app, MANIFEST), ACTIVITY, "without --write nothing is written");
    let ran = app.run(&["trim", "--strip", "WAKE_LOCK", "--write"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    let text = read(&app, MANIFEST);
    assert!(!text.contains("READ_PHONE_STATE") && text.contains("android.permission.CAMERA\""), "{text}");
    assert!(
        text.contains("<uses-permission android:name=\"android.permission.WAKE_LOCK\" tools:node=\"remove\" />"),
        "{text}"
    );
    assert!(text.contains("xmlns:tools=\"http://schemas.android.com/tools\""), "{text}");
    assert_eq!(app.run(&["check"]).code, 0, "what the app strips on purpose is not a mistake");
    let ran = app.run(&["trim", "--strip", "CAMERA"]);
    assert!(ran.code == 2 && ran.err.contains("the app declares it itself"), "{}", ran.err);
}

#[test]
fn the_apps_own_code_needs_what_it_calls() {
    let app = app();
    let source = "class Phone { String id(TelephonyManager phone) { return phone.getDeviceId(); } }\n";
    app.write("android/app/src/main/java/example/Phone.java", source);
    assert_eq!(app.run(&["trim"]).code, 0);
    let why = app.run(&["why", "READ_PHONE_STATE"]);
    assert!(why.out.contains("the app's own code needs it") && why.out.contains("Phone.java:1:"), "{}", why.out);
}

#[test]
fn a_copied_fragment_is_put_where_it_belongs() {
    let app = app();
    let notes = "Add\n\n```xml\n<uses-permission android:name=\"android.permission.NFC\"/>\n<uses-permission android:name=\"android.permission.CAMERA\"/>\n<meta-data android:name=\"example.knot.ID\" android:value=\"YOUR_KNOT_ID\"/>\n```\n\nand\n\n```xml\n<key>NFCReaderUsageDescription</key>\n<string>Reads the chip in a ring.</string>\n```\n\n```json\n{ \"NSMotionUsageDescription\": 1 }\n```\n";
    app.write("notes.md", notes);
    let ran = app.run(&["place", "notes.md", "--format", "json"]);
    assert_eq!(ran.code, 1);
    let pieces = ran.json()["pieces"].clone();
    let fates: Vec<_> = pieces
        .as_array()
        .unwrap()
        .iter()
        .map(|piece| {
            format!("{} {} {}", piece["line"], piece["fate"].as_str().unwrap(), piece["name"].as_str().unwrap())
        })
        .collect();
    assert_eq!(
        fates,
        [
            "4 written android.permission.NFC",
            "5 there android.permission.CAMERA",
            "6 wants example.knot.ID",
            "12 written NFCReaderUsageDescription",
            "17 left { \"NSMotionUsageDescription\": 1 }",
        ]
    );
    assert_eq!(read(&app, MANIFEST), ACTIVITY);
    let ran = app.run(&["place", "notes.md", "--answer", "you.knot_id=knot-48210077", "--write"]);
    assert!(ran.out.contains("wrote android/app/src/main/AndroidManifest.xml"), "{}{}", ran.out, ran.err);
    let text = read(&app, MANIFEST);
    assert!(text.contains("<meta-data android:name=\"example.knot.ID\" android:value=\"knot-48210077\" />"), "{text}");
    assert!(read(&app, PLIST).contains("<string>Reads the chip in a ring.</string>"));
    let again = app.run(&["place", "notes.md", "--write"]);
    assert!(!again.out.contains("wrote"), "{}", again.out);
}

#[test]
fn a_fragment_may_come_from_standard_input() {
    let app = app();
    let mut child = Command::new(env!("CARGO_BIN_EXE_elvask"))
        .args(["place", "--write"])
        .current_dir(app.root())
        .env("ELVASK_CACHE_DIR", "")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(b"<uses-permission android:name=\"android.permission.VIBRATE\"/>").unwrap();
    assert!(child.wait_with_output().unwrap().status.success());
    assert!(read(&app, MANIFEST).contains("android.permission.VIBRATE"));
}

#[test]
fn what_the_app_declares_becomes_its_intent() {
    let app = app();
    let ran = app.run(&["init", "--dry-run"]);
    assert!(ran.code == 0 && !app.root().join("elvask.toml").exists());
    let ran = app.run(&["init"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    let text = read(&app, "elvask.toml");
    assert!(text.contains("elvask = 1\n") && text.contains("camera = \"Photographs the ring.\"\n"), "{text}");
    assert_eq!(app.run(&["check"]).code, 0, "what it writes it can read");
    let again = app.run(&["init"]);
    assert!(again.code == 2 && again.err.contains("it is there already"), "{}", again.err);
    assert_eq!(read(&app, "elvask.toml"), text);
}

#[test]
fn trim_leaves_to_a_person_what_code_that_nobody_sees_may_need() {
    let app = app();
    let list = LIST.replace(
        "</dict>",
        "    <key>UIBackgroundModes</key>\n    <array>\n        <string>fetch</string>\n    </array>\n</dict>",
    );
    app.write(PLIST, &list);
    app.write("package.json", "{\"dependencies\":{\"skua_tasks\":\"1\"}}");
    app.write("node_modules/skua_tasks/package.json", "{\"name\":\"skua_tasks\",\"version\":\"1.0.0\"}");
    app.write("node_modules/skua_tasks/ios/Tasks.swift", "import Foundation\n");
    let pod = |depends: &str| {
        format!("Pod::Spec.new do |s|\n  s.name = 'skua_tasks'\n  s.source_files = 'ios/*.swift'\n{depends}end\n")
    };
    let path = "node_modules/skua_tasks/skua_tasks.podspec";
    app.write(path, pod("  s.dependency 'ElsewhereTasks', '~> 4.1'\n"));
    let ran = app.run(&["trim", "--write"]);
    assert!(ran.out.contains("perhaps needed by code that cannot be looked into"), "{}{}", ran.out, ran.err);
    assert!(ran.out.contains("Not all code of skua_tasks can be looked into"), "{}", ran.out);
    assert_eq!(read(&app, PLIST), list, "nothing of iOS is removed");
    app.write(path, pod(""));
    let ran = app.run(&["trim", "--write"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    assert!(!read(&app, PLIST).contains("fetch"), "{}", ran.out);
}

#[test]
fn a_draft_of_a_sheet_can_be_checked_and_used() {
    let app = app();
    app.write("package.json", "{\"dependencies\":{\"redshank_scan\":\"1\"}}");
    app.write("node_modules/redshank_scan/package.json", "{\"name\":\"redshank_scan\",\"version\":\"3.3.0\"}");
    app.write("node_modules/redshank_scan/ios/Scan.swift", "let central = CBCentralManager()\n");
    let notes = "Add `android.permission.BLUETOOTH_SCAN` to the manifest.\n\nThe name of the key is `NSMotionUsageDescription`.\n";
    app.write("node_modules/redshank_scan/README.md", notes);
    let ran = app.run(&["sheet", "draft", "redshank_scan", "--output", "elvask/sheets/redshank_scan.toml"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    let text = read(&app, "elvask/sheets/redshank_scan.toml");
    assert!(text.contains("\n[[requires]]\nios.usage = \"NSBluetoothAlwaysUsageDescription\"\n"), "{text}");
    assert!(text.contains("# its native code, node_modules/redshank_scan/ios/Scan.swift:1: let central"), "{text}");
    assert!(
        text.contains("\n# ios.usage = \"NSMotionUsageDescription\"\n"),
        "what is doubtful is commented out\n{text}"
    );
    assert_eq!(app.run(&["sheet", "check"]).code, 0, "{}", app.run(&["sheet", "check"]).out);
    let list = app.run(&["sheet", "list"]);
    assert!(list.out.contains("a sheet of the app"), "{}", list.out);
    app.write("elvask/sheets/redshank_scan.toml", text.replace("sheet = 1", "sheet = 9"));
    let ran = app.run(&["sheet", "check"]);
    assert!(ran.code == 1 && ran.out.contains("version 9 of the sheet format"), "{}", ran.out);
    assert!(app.run(&["sheet", "draft", "nothing_here"]).code == 2);
}

#[test]
fn notes_copied_from_elsewhere_are_enough_for_a_draft() {
    let app = app();
    app.write("copied.md", "Add the key\n\n```xml\n<key>NSFaceIDUsageDescription</key><string>x</string>\n```\n");
    let ran = app.run(&["sheet", "draft", "godwit_lock", "--notes", "copied.md"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    assert!(
        ran.out.contains("plugin = \"godwit_lock\"")
            && ran.out.contains("ios.usage = \"NSFaceIDUsageDescription\"\nlikely = true"),
        "{}",
        ran.out
    );
    assert!(app.run(&["sheet", "schema"]).json()["properties"]["requires"].is_object());
}

#[test]
fn trim_leaves_what_was_declared_and_withdraw_takes_all_of_it_out() {
    let app = app();
    let before = app.read(MANIFEST);
    let ran = app.run(&["declare", "NFC"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    assert!(app.read(MANIFEST).contains("android.permission.NFC"));
    assert!(app.read("elvask.toml").contains("subject = \"android.permission.NFC\""));
    let trimmed = app.run(&["trim", "--write"]).out;
    assert!(!trimmed.contains("NFC") && app.read(MANIFEST).contains("android.permission.NFC"), "{trimmed}");
    assert_eq!(app.run(&["withdraw", "NFC", "-y"]).code, 0);
    let phone = "    <uses-permission android:name=\"android.permission.READ_PHONE_STATE\" />\n";
    assert_eq!(app.read(MANIFEST), before.replace(phone, ""), "what nobody wanted is out");
    assert!(!app.read("elvask.toml").contains("NFC"));
}

#[test]
fn brackets_that_become_empty_go_with_their_comment() {
    let app = app();
    let bare = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application android:label=\"Log\" />\n</manifest>\n";
    let brackets = "    <!-- Whom we call. -->\n    <queries>\n        <!-- The tides. -->\n        <package android:name=\"example.tides.app\" />\n        <package android:name=\"example.wind.app\" />\n    </queries>\n";
    app.write(MANIFEST, bare.replace("    <application", &format!("{brackets}    <application")));
    let ran = app.run(&["trim", "--write"]);
    assert!(ran.out.contains("example.tides.app"), "{}{}", ran.out, ran.err);
    assert_eq!(app.read(MANIFEST), bare);
}

#[test]
fn a_copied_filter_keeps_its_meaning() {
    let app = app();
    let copied = "<intent-filter android:autoVerify=\"true\">\n<action android:name=\"android.intent.action.VIEW\" />\n<category android:name=\"android.intent.category.DEFAULT\" />\n<category android:name=\"android.intent.category.BROWSABLE\" />\n<data android:scheme=\"http\" />\n<data android:scheme=\"https\" />\n<data android:host=\"marram.example\" android:pathPrefix=\"/site\" />\n<data android:host=\"log.marram.example\" />\n</intent-filter>\n";
    app.write("copied.xml", copied);
    let ran = app.run(&["place", "copied.xml", "--write"]);
    let written = app.read(MANIFEST);
    assert!(!written.contains("example.com"), "{}{}", ran.out, ran.err);
    let filters = written.matches("<intent-filter").count();
    assert_eq!(filters, 2, "one more filter: {written}");
    for value in ["\"http\"", "\"https\"", "\"marram.example\"", "\"log.marram.example\"", "\"/site\""] {
        assert_eq!(written.matches(value).count(), 1, "{value}: {written}");
    }
    let again = app.run(&["place", "copied.xml", "--write"]);
    assert_eq!(app.read(MANIFEST), written, "{}", again.out);
    let several = copied
        .replace(" android:autoVerify=\"true\"", "")
        .replace("VIEW\" />", "SEND\" />\n<action android:name=\"android.intent.action.SEND_MULTIPLE\" />");
    app.write(
        "copied.xml",
        several
            .lines()
            .filter(|line| !line.contains("<data"))
            .chain(["<data android:mimeType=\"image/*\" />", "<data android:mimeType=\"text/plain\" />"])
            .collect::<Vec<_>>()
            .join("\n")
            .replace("</intent-filter>\n", "")
            + "\n</intent-filter>\n",
    );
    app.run(&["place", "copied.xml", "--write"]);
    let written = app.read(MANIFEST);
    for value in ["action.SEND\"", "action.SEND_MULTIPLE\"", "\"image/*\"", "\"text/plain\""] {
        assert_eq!(written.matches(value).count(), 1, "{value}: {written}");
    }
}

#[test]
fn words_that_say_where_a_fragment_goes_are_obeyed() {
    let app = app();
    let fragment = "```xml\n<meta-data android:name=\"example.knot.MODE\" android:value=\"quiet\" />\n```\n";
    app.write("copied.md", format!("Add this inside the `<activity>` tag:\n\n{fragment}"));
    let ran = app.run(&["place", "copied.md", "--write"]);
    let written = app.read(MANIFEST);
    let at = |text: &str| written.find(text).unwrap_or_else(|| panic!("{text}: {written}{}{}", ran.out, ran.err));
    assert!(at("example.knot.MODE") < at("</activity>"), "{written}");
}

#[test]
fn what_a_fragment_holds_and_is_left_is_named_with_the_reason() {
    let app = app();
    app.write("copied.xml", "<application android:label=\"Knot\" android:largeHeap=\"true\">\n<meta-data android:name=\"example.knot.MODE\" android:value=\"quiet\" />\n<uses-library android:name=\"org.knot.lib\" />\n</application>\n");
    let said = app.run(&["place", "copied.xml"]).out;
    assert!(said.contains("android:label of <application> is the app's own affair"), "{said}");
    assert!(said.contains("`<uses-library>` is none of the elements that are placed"), "{said}");
    app.write("copied.gradle", "android {\n    minSdkVersion 24\n    lintOptions.abortOnError false\n}\n");
    let said = app.run(&["place", "copied.gradle"]).out;
    assert!(said.contains("this line of a build file is none of those that are placed"), "{said}");
}

#[test]
fn a_link_that_ends_like_a_folder_is_said_to_be_one_path() {
    let app = app();
    let ran = app.run(&["declare", "link", "https://marram.example/cave/", "--dry-run"]);
    assert!(
        ran.err.contains("is this one path; for all below it: elvask declare link https://marram.example/cave/*"),
        "{}",
        ran.err
    );
}

#[test]
fn a_first_file_makes_no_check_find_more() {
    let app = App::bare();
    let filter = "<intent-filter android:autoVerify=\"true\"><action android:name=\"android.intent.action.VIEW\" /><category android:name=\"android.intent.category.DEFAULT\" /><category android:name=\"android.intent.category.BROWSABLE\" /><data android:scheme=\"https\" android:host=\"log.marram.example\" /></intent-filter>";
    app.write(
        "android/app/src/main/AndroidManifest.xml",
        format!("<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application>\n        <activity android:name=\".MainActivity\" android:exported=\"true\">\n            <intent-filter><action android:name=\"android.intent.action.MAIN\" /><category android:name=\"android.intent.category.LAUNCHER\" /></intent-filter>\n            {filter}\n        </activity>\n    </application>\n</manifest>\n"),
    );
    let before = app.run(&["check", "--format", "json"]).json();
    let ran = app.run(&["init", "--yes"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    // Stated, the host would be missing on iOS, where the app never had it.
    let text = app.read("elvask.toml");
    assert!(text.contains("# hosts: \"log.marram.example\"   # `elvask check` would find more with it\n"), "{text}");
    assert!(ran.err.contains("hosts = \"log.marram.example\""), "{}", ran.err);
    let after = app.run(&["check", "--format", "json"]).json();
    assert_eq!(after["summary"], before["summary"]);
}
