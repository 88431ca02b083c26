//! Who the app is, wherever it is said, and changed in all places at once.

use crate::support::{App, MANIFEST};

const BARE: &str = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application android:label=\"Marram\" />\n</manifest>\n";

/// What each part is said to be, with whether it counts, in the order of the table.
fn said(app: &App) -> Vec<String> {
    let ran = app.run(&["identity", "--format", "json"]);
    let text = |value: &serde_json::Value| value.as_str().unwrap_or("-").to_owned();
    let line = |one: &serde_json::Value| {
        let file = text(&one["place"]["file"]);
        let file = file.rsplit('/').next().unwrap_or_default().to_owned();
        format!("{} {} {file}", text(&one["part"]), text(&one["value"]))
    };
    ran.json()["places"].as_array().unwrap().iter().map(line).collect()
}

#[test]
fn all_places_of_every_layout_are_changed_and_nothing_else() {
    for layout in ["npm", "pubspec", "gradle", "xcode", "widget", "appjson"] {
        let app = App::demo(layout);
        let before = app.snapshot();
        let words = [
            "--set",
            "version=7.8.9",
            "--set",
            "build=4711",
            "--set",
            "name=Knot & Ring",
            "--set",
            "id=example.saltmarsh.log",
        ];
        let set = [&["identity", "--yes"][..], &words].concat();
        let dry = app.run(&[&["identity", "--dry-run"][..], &words].concat());
        assert!(dry.out.contains("--- a/") && app.snapshot() == before, "{layout}: {}", dry.out);
        let ran = app.run(&set);
        assert_eq!(ran.code, 0, "{layout}: {}", ran.err);
        for line in said(&app) {
            let value = line.split_once(' ').unwrap().1;
            // The build of this layout is its version, where it has none of its own.
            let of_version = layout == "widget" && line == "build 7.8.9 config.xml";
            let new =
                ["7.8.9 ", "4711 ", "Knot & Ring ", "example.saltmarsh.log "].iter().any(|new| value.starts_with(new));
            assert!(new || of_version, "{layout}: {line}");
        }
        let lines = |files: &[(std::path::PathBuf, Vec<u8>)]| -> usize {
            files.iter().map(|(_, bytes)| bytes.iter().filter(|byte| **byte == b'\n').count()).sum()
        };
        let after = app.snapshot();
        assert_eq!(lines(&after), lines(&before), "{layout}: no line comes or goes");
        let again = app.run(&set);
        assert!(again.out.contains("Nothing is changed") && app.snapshot() == after, "{layout}: {}", again.out);
    }
}

#[test]
fn what_cannot_be_a_value_is_refused_and_nothing_is_written() {
    let app = App::demo("npm");
    let before = app.snapshot();
    for (set, why) in [
        ("version=abc", "one to three whole numbers"),
        ("version", "written like version=2.4.1"),
        ("build=1.2", "a whole number from 1"),
        ("build=2100000001", "a whole number from 1"),
        ("id=marram", "at least two parts"),
        ("id=example.salt-marsh", "letters, digits and underscores"),
        ("ios-id=example.salt_marsh", "letters, digits, hyphens and dots"),
        ("name= ", "not empty"),
        ("name=@string/other", "left to a person"),
        ("colour=red", "no part of who the app is"),
    ] {
        let ran = app.run(&["identity", "--set", set, "--yes"]);
        assert!(ran.code == 2 && ran.err.contains(why), "{set}: {}", ran.err);
    }
    assert_eq!(app.snapshot(), before);
    assert_eq!(app.run(&["identity", "--set", "ios-build=1.2", "--yes"]).code, 0, "iOS takes it");
    assert!(said(&app).contains(&"build 1.2 project.pbxproj".to_owned()));
    assert!(said(&app).contains(&"build 31 build.gradle".to_owned()), "and Android keeps its own");
}

#[test]
fn flavors_keep_what_they_put_behind_and_ids_of_their_own() {
    let build = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    applicationId 'example.marram.log'\n    versionCode 3\n    versionName '1.0'\n  }\n  flavorDimensions 'kind'\n  productFlavors {\n    free { dimension 'kind'\n applicationIdSuffix '.free'\n }\n    paid { dimension 'kind' }\n    club { dimension 'kind'\n applicationId 'example.reed.log'\n versionCode 2003\n }\n  }\n}\n";
    let app = App::with(&[(MANIFEST, BARE), ("android/app/build.gradle", build)]);
    let shown = app.run(&["identity"]);
    let sentences: String = shown.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(sentences.contains("example.marram.log.free (freeRelease, freeDebug)"), "{}", shown.out);
    assert!(sentences.contains("these are installed beside each other"), "{}", shown.out);
    let ran = app.run(&["identity", "--set", "id=example.dunlin.log", "--set", "build=4", "--yes"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    let after = app.read("android/app/build.gradle");
    let wanted =
        build.replace("'example.marram.log'", "'example.dunlin.log'").replace("versionCode 3\n", "versionCode 4\n");
    assert_eq!(after, wanted);
    assert!(ran.out.contains("clubRelease, clubDebug has a build of its own, 2003, which stays"), "{}", ran.out);
    assert!(
        ran.out.contains("clubRelease, clubDebug has an id of its own, example.reed.log, which stays"),
        "{}",
        ran.out
    );
}

const PROJECT: &str = "// !$*UTF8*$!
{ objects = { P = { isa = PBXProject; targets = (T, E); buildConfigurationList = L; };
  T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; dependencies = (D); buildPhases = (B); };
  E = { isa = PBXNativeTarget; name = Share; productType = \"com.apple.product-type.app-extension\"; productReference = R; buildConfigurationList = M; };
  D = { isa = PBXTargetDependency; target = E; }; B = { isa = PBXCopyFilesBuildPhase; dstSubfolderSpec = 13; files = (F); }; F = { isa = PBXBuildFile; fileRef = R; };
  R = { isa = PBXFileReference; path = Share.appex; };
  L = { isa = XCConfigurationList; buildConfigurations = (C, G); }; M = { isa = XCConfigurationList; buildConfigurations = (N); };
  C = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = \"$(BASE_ID)\"; BASE_ID = example.marram.log; MARKETING_VERSION = 1.0; CURRENT_PROJECT_VERSION = 3; }; };
  G = { isa = XCBuildConfiguration; name = Debug; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.log.dev; MARKETING_VERSION = 1.0; CURRENT_PROJECT_VERSION = 3; }; };
  N = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Share/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.log.share; MARKETING_VERSION = 1.0; CURRENT_PROJECT_VERSION = 3; }; };
}; rootObject = P; }
";

#[test]
fn settings_are_followed_to_their_source_and_extensions_go_with_the_app() {
    let list = "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleShortVersionString</key>\n\t<string>$(MARKETING_VERSION)</string>\n</dict>\n</plist>\n";
    let app = App::with(&[
        (MANIFEST, BARE),
        ("ios/Marram.xcodeproj/project.pbxproj", PROJECT),
        ("ios/Marram/Info.plist", list),
        ("ios/Share/Info.plist", list),
        ("elvask/account.toml", "account = 1\n[[ios.apps]]\nid = \"example.marram.log\"\n"),
    ]);
    let ran = app.run(&["identity", "--set", "id=example.salt.log", "--set", "version=1.1", "--yes"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    let wanted = PROJECT
        .replace("example.marram.log", "example.salt.log")
        .replace("MARKETING_VERSION = 1.0", "MARKETING_VERSION = 1.1");
    assert_eq!(app.read("ios/Marram.xcodeproj/project.pbxproj"), wanted);
    assert_eq!(app.read("ios/Marram/Info.plist"), list, "the copy stays");
    assert!(ran.out.contains("register example.salt.log in the developer account"), "{}", ran.out);
    assert!(ran.out.contains("elvask/account.toml:3:6"), "{}", ran.out);
    let parts = wanted.replace("= example.salt.log.share", "= \"$(BASE_ID).share\"");
    app.write(
        "ios/Marram.xcodeproj/project.pbxproj",
        parts.replace(
            "name = Release; buildSettings = { INFOPLIST_FILE = Share",
            "name = Release; buildSettings = { BASE_ID = example.salt.log; INFOPLIST_FILE = Share",
        ),
    );
    let ran = app.run(&["identity", "--set", "ios-id=example.reed.log", "--yes"]);
    let said: String = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        said.contains("put together of parts here ($(BASE_ID).share), and stays")
            || said.contains("put together of parts here (\"$(BASE_ID).share\"), and stays"),
        "{}",
        ran.out
    );
    // A hyphen wants quotes there.
    app.run(&["identity", "--set", "ios-id=example.salt-marsh.log", "--yes"]);
    assert!(app.read("ios/Marram.xcodeproj/project.pbxproj").contains("BASE_ID = \"example.salt-marsh.log\";"));
}

#[test]
fn the_list_wins_over_the_setting_and_both_are_changed() {
    let list = "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleShortVersionString</key>\n\t<string>0.9</string>\n</dict>\n</plist>\n";
    let app = App::with(&[
        (MANIFEST, BARE),
        ("ios/Marram.xcodeproj/project.pbxproj", PROJECT),
        ("ios/Marram/Info.plist", list),
        ("ios/Share/Info.plist", list),
    ]);
    let shown = app.run(&["identity"]).out;
    assert!(shown.contains("(does not count: Info.plist says it itself)"), "{shown}");
    app.run(&["identity", "--set", "version=2.0", "--yes"]);
    assert!(said(&app).iter().filter(|line| line.starts_with("version")).all(|line| line.starts_with("version 2.0 ")));
}

#[test]
fn a_dependency_file_that_says_the_version_is_changed_where_the_platforms_take_it_from_there() {
    let app = App::demo("pubspec");
    let gradle = app.read("android/app/build.gradle.kts");
    let gradle = gradle.replace("versionCode = 31", "versionCode = project.code").replace("\"2.4.0\"", "project.name");
    app.write("android/app/build.gradle.kts", &gradle);
    let shown = app.run(&["identity"]).out;
    assert!(shown.contains("project.name (known to the build)"), "{shown}");
    let ran = app.run(&["identity", "--set", "version=3.0.0", "--set", "build=40", "--yes"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    assert!(app.read("pubspec.yaml").contains("\nversion: 3.0.0+40\n"));
    assert_eq!(app.read("android/app/build.gradle.kts"), gradle, "the expression stays");
}

#[test]
fn a_name_is_changed_language_by_language_and_files_of_services_are_told() {
    let strings = |name: &str| format!("<resources>\n    <string name=\"app_name\">{name}</string>\n</resources>\n");
    let app = App::with(&[
        (MANIFEST, &BARE.replace("\"Marram\"", "\"@string/app_name\"")),
        (
            "android/app/build.gradle",
            "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    applicationId 'example.marram.log'\n  }\n}\n",
        ),
        ("android/app/src/main/res/values/strings.xml", &strings("Marram")),
        ("android/app/src/main/res/values-nl/strings.xml", &strings("Helm")),
        (
            "android/app/google-services.json",
            "{ \"client\": [ { \"client_info\": { \"android_client_info\": { \"package_name\": \"example.marram.log\" } } } ] }",
        ),
    ]);
    let shown = app.run(&["identity"]).out;
    assert!(shown.contains("release in nl") && shown.contains("Helm"), "{shown}");
    let ran = app.run(&["identity", "--set", "name=Knot's", "--yes"]);
    assert!(ran.out.contains("in nl the name is Helm, and stays: --set name.nl=… changes it"), "{}", ran.out);
    assert_eq!(app.read("android/app/src/main/res/values-nl/strings.xml"), strings("Helm"));
    app.run(&["identity", "--set", "name.nl=Kanoet", "--yes"]);
    assert_eq!(app.read("android/app/src/main/res/values-nl/strings.xml"), strings("Kanoet"));
    assert_eq!(app.read("android/app/src/main/res/values/strings.xml"), strings("Knot\\'s"));
    let ran = app.run(&["identity", "--set", "id=example.salt.log", "--yes"]);
    assert!(
        ran.out.contains("google-services.json is for example.marram.log: get the one for example.salt.log"),
        "{}",
        ran.out
    );
}

#[test]
fn what_is_said_nowhere_is_told() {
    let app = App::with(&[
        (MANIFEST, BARE),
        (
            "android/app/build.gradle",
            "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    applicationId 'example.marram.log'\n  }\n}\n",
        ),
    ]);
    let ran = app.run(&["identity", "--set", "build=4", "--set", "name=Knot & \"Ring\"", "--yes"]);
    assert!(ran.out.contains("Android: nothing says the build yet"), "{}{}", ran.out, ran.err);
    // The name stands in the manifest itself here.
    assert_eq!(app.read(MANIFEST), BARE.replace("\"Marram\"", "\"Knot &amp; &quot;Ring&quot;\""));
}

#[test]
fn what_is_called_otherwise_keeps_its_name() {
    let list = |name: &str| {
        format!(
            "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleDisplayName</key>\n\t<string>{name}</string>\n</dict>\n</plist>\n"
        )
    };
    let app = App::with(&[
        (MANIFEST, BARE),
        ("ios/Marram.xcodeproj/project.pbxproj", PROJECT),
        ("ios/Marram/Info.plist", &list("Marram")),
        ("ios/Share/Info.plist", &list("Marram")),
    ]);
    let ran = app.run(&["identity", "--set", "name=Knot", "--yes"]);
    assert_eq!(app.read("ios/Marram/Info.plist"), list("Knot"), "{}", ran.err);
    assert_eq!(app.read("ios/Share/Info.plist"), list("Marram"), "that of the extension");
    assert!(ran.out.contains("Share has a name of its own, Marram, which stays"), "{}", ran.out);
    // A build for trials has a setting of its own.
    let trials = PROJECT
        .replace(
            "PRODUCT_BUNDLE_IDENTIFIER = example.marram.log.dev;",
            "PRODUCT_BUNDLE_IDENTIFIER = example.marram.log.dev; INFOPLIST_KEY_CFBundleDisplayName = \"Marram dev\";",
        )
        .replace(
            "PRODUCT_BUNDLE_IDENTIFIER = \"$(BASE_ID)\";",
            "PRODUCT_BUNDLE_IDENTIFIER = \"$(BASE_ID)\"; INFOPLIST_KEY_CFBundleDisplayName = Marram;",
        );
    app.write("ios/Marram.xcodeproj/project.pbxproj", &trials);
    app.write("ios/Marram/Info.plist", "<plist version=\"1.0\">\n<dict>\n</dict>\n</plist>\n");
    app.run(&["identity", "--set", "ios-name=Knot", "--yes"]);
    let wanted = trials.replace("CFBundleDisplayName = Marram;", "CFBundleDisplayName = Knot;");
    assert_eq!(app.read("ios/Marram.xcodeproj/project.pbxproj"), wanted);
}

#[test]
fn the_survey_says_which_of_two_places_wins() {
    let app = App::demo("npm");
    let list = app.read("ios/Marram/Info.plist");
    app.write("ios/Marram/Info.plist", list.replace("$(MARKETING_VERSION)", "9.9.9"));
    let survey = app.run(&["survey"]).out;
    assert!(survey.contains("version 9.9.9 (Info.plist:20) wins over 2.4.0 (project.pbxproj:119)"), "{survey}");
    let manifest = app.read(MANIFEST);
    app.write(MANIFEST, manifest.replacen("<manifest ", "<manifest android:versionName=\"1.0\" ", 1));
    let survey = app.run(&["survey"]).out;
    assert!(
        survey.contains("versionName 2.4.0 (app/build.gradle:13) wins over 1.0 (AndroidManifest.xml:1)"),
        "{survey}"
    );
}

#[test]
fn what_the_owner_states_is_written_everywhere() {
    let app = App::demo("npm");
    let toml = app.read("elvask.toml");
    app.write("elvask.toml", toml.replace("version = \"2.4.0\"", "version = \"3.0.0\"\nbuild = 50"));
    let before = app.snapshot();
    let dry = app.run(&["identity", "--as-stated", "--dry-run"]);
    assert!(
        dry.code == 0 && dry.out.contains("+        versionName \"3.0.0\"") && app.snapshot() == before,
        "{}",
        dry.out
    );
    assert_eq!(app.run(&["identity", "--as-stated", "--yes"]).code, 0);
    let told = |app: &App| {
        app.run(&["check", "-q"])
            .out
            .lines()
            .filter(|line| line.contains("[identity-mismatch]") || line.contains("[app-differs]"))
            .count()
    };
    assert_eq!(told(&app), 0);
    assert!(app.read("android/app/build.gradle").contains("versionCode 50"));
    assert!(app.run(&["identity", "--as-stated", "--yes"]).out.contains("Nothing is changed"));
    for words in
        [&["identity", "--dry-run"][..], &["identity", "--yes"], &["identity", "--as-stated", "--set", "build=1"]]
    {
        assert_eq!(app.run(words).code, 2, "{words:?}: there is nothing to change, or too much");
    }
    let bare = App::bare();
    let ran = bare.run(&["identity", "--as-stated"]);
    assert!(ran.code == 2 && ran.err.contains("says nothing of who the app is"), "{}", ran.err);
}
