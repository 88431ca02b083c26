//! What people read, word by word, on a small app.

use crate::support::{App, MANIFEST};

const PLIST: &str = "ios/Marram/Info.plist";

fn app() -> App {
    let app = App::with(&[
        (
            MANIFEST,
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application>\n        <uses-permission android:name=\"android.permission.VIBRATE\" />\n    </application>\n</manifest>\n",
        ),
        (
            PLIST,
            "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleName</key>\n\t<string>Marram</string>\n\t<key>LSRequiresIPhoneOS</key>\n\t<true/>\n</dict>\n</plist>\n",
        ),
        (
            "android/app/build.gradle",
            "android {\n    namespace 'example.marram.fieldlog'\n    defaultConfig {\n        applicationId 'example.marram.fieldlog'\n        minSdk 24\n        targetSdk 35\n    }\n}\n",
        ),
    ]);
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n\n[[requires]]\ncapability = \"camera\"\nreason = \"Shows the viewfinder.\"\n\n[[requires]]\ncapability = \"vibrate\"\n",
    );
    app
}

/// The app has no Xcode project, which every command says.
const NOTICE: &str = "notice: ios/Marram/Info.plist: there is no Xcode project beside it; the list is looked at, and what only a project says is not known\n";

#[track_caller]
fn reads(said: &str, expected: &str) {
    assert!(said == expected, "expected:\n{expected}\nsaid:\n{said}");
}

#[test]
fn the_check() {
    let ran = app().run(&["check"]);
    reads(
        &ran.out,
        "\
error[permission-missing]: CAMERA is not declared, and tern_camera needs it
 --> android/app/src/main/AndroidManifest.xml:1:1, for tern_camera (elvask-sheet.toml:4)
   2 +     <uses-permission android:name=\"android.permission.CAMERA\" />
     = if it stays: The call throws SecurityException or does nothing, and no dialog appears.

error[permission-misplaced]: VIBRATE is inside <application>, where it is ignored; a permission belongs directly inside <manifest>
 --> android/app/src/main/AndroidManifest.xml:3:9, for tern_camera (elvask-sheet.toml:8)
   2 +     <uses-permission android:name=\"android.permission.VIBRATE\" />
   3 -         <uses-permission android:name=\"android.permission.VIBRATE\" />
     = if it stays: The build succeeds, and the permission is ignored as if it were not declared.

error[purpose-missing]: no purpose is given for camera: tern_camera needs `NSCameraUsageDescription`
 --> ios/Marram/Info.plist:2:1, for tern_camera (elvask-sheet.toml:4)
     + <key>NSCameraUsageDescription</key>
     + <string>…</string>
     = in your words: elvask fill --purpose camera=\"…\"
     = if it stays: The app crashes at the first access. The store rejects the upload (code 90683).

example.marram.fieldlog (1 plugin, 1 with sheets): 3 errors
`elvask fill` can mend 2 of them (--dry-run shows the diff), and asks for 1 value that only you can give
Android: 1 plugin, 2 needs; iOS: 1 plugin, 1 need
",
    );
    assert_eq!((ran.err.as_str(), ran.code), (NOTICE, 1));
}

#[test]
fn the_check_in_full() {
    let ran = app().run(&["check", "-v"]);
    reads(
        &ran.out,
        "\
error[permission-missing]: CAMERA is not declared, and tern_camera needs it
 --> android/app/src/main/AndroidManifest.xml:1:1
  |
1 | <manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">
  | ^^^^^^^^^
  |
 ::: node_modules/tern_camera/elvask-sheet.toml:4:1
  |
4 | capability = \"camera\"
  | --------------------- tern_camera 2.1.0 needs it: Shows the viewfinder.
  |
  = if it stays: The call throws SecurityException or does nothing, and no dialog appears.
remedy: `elvask fill` writes this: declare CAMERA
  |
1 ~ <manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">
2 +     <uses-permission android:name=\"android.permission.CAMERA\" />
  |

error[permission-misplaced]: VIBRATE is inside <application>, where it is ignored; a permission belongs directly inside <manifest>
 --> android/app/src/main/AndroidManifest.xml:3:9
  |
3 |         <uses-permission android:name=\"android.permission.VIBRATE\" />
  |         ^^^^^^^^^^^^^^^^
  |
 ::: node_modules/tern_camera/elvask-sheet.toml:8:1
  |
8 | capability = \"vibrate\"
  | ---------------------- tern_camera 2.1.0 needs it
  |
  = if it stays: The build succeeds, and the permission is ignored as if it were not declared.
remedy: `elvask fill` writes this: move VIBRATE up into <manifest>
  |
1 ~ <manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">
2 +     <uses-permission android:name=\"android.permission.VIBRATE\" />
  |

error[purpose-missing]: no purpose is given for camera: tern_camera needs `NSCameraUsageDescription`
 --> ios/Marram/Info.plist:2:1
  |
2 | <dict>
  | ^^^^^^
  |
 ::: node_modules/tern_camera/elvask-sheet.toml:4:1
  |
4 | capability = \"camera\"
  | --------------------- tern_camera 2.1.0 needs it: Shows the viewfinder.
  |
  = if it stays: The app crashes at the first access. The store rejects the upload (code 90683).
remedy: `elvask fill` writes this, in your words:
  |
  = <key>NSCameraUsageDescription</key>
    <string>…</string>
  = say it: elvask fill --purpose camera=\"…\"
            or under [purposes] in elvask.toml: camera = \"…\"

example.marram.fieldlog (1 plugin, 1 with sheets): 3 errors
`elvask fill` can mend 2 of them (--dry-run shows the diff), and asks for 1 value that only you can give
Android: 1 plugin, 2 needs; iOS: 1 plugin, 1 need
",
    );
    assert_eq!((ran.err.as_str(), ran.code), (NOTICE, 1));
}

#[test]
fn the_survey() {
    let app = app();
    let ran = app.run(&["survey"]);
    let folder = app.root().canonicalize().unwrap();
    reads(
        &ran.out.replace(&folder.display().to_string(), "APP"),
        "\
App      APP (package.json)
Android  example.marram.fieldlog, runs from level 24, targets level 35
         variant release of 2, android/app/src/main/AndroidManifest.xml
iOS      id not stated in so many words, lowest version not stated
         ios/Marram/Info.plist

Levels (Android) 2
  minSdkVersion     24  app/build.gradle:5
  targetSdkVersion  35  app/build.gradle:6

Permissions (Android) 1
  VIBRATE  ignored: it is inside another element  tern_camera  AndroidManifest.xml:3

Icons and names (iOS) 1
  CFBundleName  Marram  Info.plist:3

Other keys (iOS) 1
  LSRequiresIPhoneOS  yes  Info.plist:5

Plugins 1
  tern_camera  2.1.0  node_modules/tern_camera/elvask-sheet.toml
",
    );
    assert_eq!((ran.err.as_str(), ran.code), (NOTICE, 0));
}

#[test]
fn the_dry_run_and_the_fill() {
    let app = app();
    let dry = app.run(&["fill", "--dry-run"]);
    reads(
        &dry.out,
        "\
--- a/android/app/src/main/AndroidManifest.xml
+++ b/android/app/src/main/AndroidManifest.xml
@@ -1,5 +1,6 @@
 <manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">
+    <uses-permission android:name=\"android.permission.CAMERA\" />
+    <uses-permission android:name=\"android.permission.VIBRATE\" />
     <application>
-        <uses-permission android:name=\"android.permission.VIBRATE\" />
     </application>
 </manifest>
",
    );
    reads(
        dry.err.strip_prefix(NOTICE).unwrap(),
        "
Still wanted (1):
  the purpose for camera (NSCameraUsageDescription)
    elvask fill --purpose camera=\"…\"
    or under [purposes] in elvask.toml: camera = \"…\"
Nothing is written. Without --dry-run, 1 file would be.
",
    );
    assert_eq!(dry.code, 1);
    let filled = app.run(&["fill", "--purpose", "camera=Photographs the ring."]);
    reads(
        &filled.out,
        "\
wrote android/app/src/main/AndroidManifest.xml
wrote ios/Marram/Info.plist
  declare CAMERA [permission-missing]
  move VIBRATE up into <manifest> [permission-misplaced]
  add NSCameraUsageDescription [purpose-missing]

Next:
  Stop the app, build it again and install it: a reload does not pick up changes of a manifest or Info.plist.
  On iOS, a device that was asked already does not ask again: delete the app first, or reset its permissions.
",
    );
    assert_eq!((filled.err.as_str(), filled.code), (NOTICE, 0));
    assert_eq!(
        app.read(PLIST),
        "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleName</key>\n\t<string>Marram</string>\n\t<key>LSRequiresIPhoneOS</key>\n\t<true/>\n\t<key>NSCameraUsageDescription</key>\n\t<string>Photographs the ring.</string>\n</dict>\n</plist>\n"
    );
    reads(
        &app.run(&["check"]).out,
        "example.marram.fieldlog (1 plugin, 1 with sheets): clean\nAndroid: 1 plugin, 2 needs; iOS: 1 plugin, 1 need\n",
    );
}

#[test]
fn the_fill_as_json() {
    let app = app();
    let record = app.run(&["fill", "--format", "json"]).json();
    assert_eq!(record["written"], true);
    assert_eq!(record["files"][0]["file"], MANIFEST);
    assert!(record["files"][0]["diff"].as_str().unwrap().contains("+    <uses-permission"), "{record}");
    let mended: Vec<_> = record["mended"].as_array().unwrap().iter().map(|one| one["rule"].as_str().unwrap()).collect();
    assert_eq!(mended, ["permission-missing", "permission-misplaced"]);
    assert_eq!(record["wanted"][0]["want"], "purpose");
    assert_eq!(record["wanted"][0]["option"], "--purpose camera=\"…\"");
    assert_eq!(record["left"][0]["rule"], "purpose-missing");
    assert_eq!(record["summary"]["errors"], 1);
    assert!(record["next"][0].as_str().unwrap().contains("build it again"));
}

#[test]
fn why() {
    let ran = app().run(&["why", "camera"]);
    reads(
        &ran.out,
        "\
Camera: Both platforms ask the user at run time. iOS shows the purpose in its dialog and ends an app that has none.

android.permission.CAMERA  Android permission
  tern_camera 2.1.0 needs it, as part of `camera`: Shows the viewfinder.
    learnt from its sheet, node_modules/tern_camera/elvask-sheet.toml:4:1
      capability = \"camera\"
  not declared
  [permission-missing] CAMERA is not declared, and tern_camera needs it

NSCameraUsageDescription  iOS usage
  tern_camera 2.1.0 needs it, as part of `camera`: Shows the viewfinder.
    learnt from its sheet, node_modules/tern_camera/elvask-sheet.toml:4:1
      capability = \"camera\"
  not declared
  [purpose-missing] no purpose is given for camera: tern_camera needs `NSCameraUsageDescription`

",
    );
    assert_eq!((ran.err.as_str(), ran.code), (NOTICE, 0));
}

#[test]
fn explain() {
    let ran = app().run(&["explain", "permission-misplaced"]);
    reads(
        &ran.out,
        "\
permission-misplaced  error, Android
  Reports a permission inside `<application>` or deeper, where the platform does not look for it.

If it stays
  The build succeeds, and the permission is ignored as if it were not declared.

Wrong
  <application …>
      <uses-permission android:name=\"android.permission.RECORD_AUDIO\" />
  </application>

Right
  <uses-permission android:name=\"android.permission.RECORD_AUDIO\" />
  <application …>

Remedy
  `fill` moves the element behind the last permission; where the same permission is there already,
  it removes the misplaced one.

Source
  App manifest file: <uses-permission>
",
    );
}

#[test]
fn waived_findings_are_counted_and_listed_on_request() {
    let app = app();
    app.write(
        "elvask.toml",
        "elvask = 1\n[purposes]\ncamera = \"Photographs the ring.\"\n[[waivers]]\nrule = \"permission-misplaced\"\nsubject = \"android.permission.VIBRATE\"\nreason = \"Kept for the old phone.\"\n",
    );
    let before = app.run(&["check", "-q"]);
    assert!(before.out.contains("2 errors, 1 waived\n"), "{}", before.out);
    assert!(!before.out.contains("VIBRATE"), "{}", before.out);
    let listed = app.run(&["check", "--waived"]).out;
    assert!(listed.contains("accepted: Kept for the old phone."), "{listed}");
    assert_eq!(app.run(&["fill"]).code, 0);
    assert!(app.read(MANIFEST).contains("        <uses-permission android:name=\"android.permission.VIBRATE\" />"));
    let record = app.run(&["check", "--waived", "--format", "json"]).json();
    assert_eq!(record["summary"]["waived"], 1);
    assert_eq!(record["findings"][0]["waived"], "Kept for the old phone.");
}

#[test]
fn obstacles_are_told_by_every_command() {
    let app = app();
    app.write(MANIFEST, "<manifest>\n    <application>\n</manifest>\n");
    for words in [&["survey"][..], &["check"], &["why", "camera"], &["fill"]] {
        let ran = app.run(words);
        assert_eq!(ran.code, 2, "{words:?}");
        let said = format!("{}{}", ran.out, ran.err);
        assert!(said.contains("error[file-unreadable]: `</manifest>` closes nothing here"), "{words:?}\n{said}");
        assert!(said.contains("opened here"), "{words:?}\n{said}");
    }
    let survey = app.run(&["survey"]).out;
    assert!(survey.contains("CFBundleName"), "what can be read is surveyed: {survey}");
}
