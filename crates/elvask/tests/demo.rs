//! The main job on the sample app, in both layouts.

use crate::support::{App, GIVEN, MANIFEST, elvask};

/// The mistakes that the `npm` app is seeded with, each with its line.
const NPM: [&str; 36] = [
    "error permission-missing android.permission.ACCESS_COARSE_LOCATION AndroidManifest.xml:1",
    "error permission-missing android.permission.BLUETOOTH_CONNECT AndroidManifest.xml:1",
    "error permission-missing android.permission.CAMERA AndroidManifest.xml:1",
    "error query-missing android.intent.action.VIEW https AndroidManifest.xml:1",
    "error query-missing android.intent.action.VIEW sms AndroidManifest.xml:1",
    "error query-missing android.intent.action.VIEW tel AndroidManifest.xml:1",
    "warning query-missing android.speech.RecognitionService AndroidManifest.xml:1",
    "error permission-unknown android.permission.POST_NOTIFICATION AndroidManifest.xml:8",
    "warning permission-wider android.permission.BLUETOOTH AndroidManifest.xml:15",
    "error permission-level-cap android.permission.WRITE_EXTERNAL_STORAGE AndroidManifest.xml:20",
    "error meta-data-misplaced example.knot.APP_ID AndroidManifest.xml:30",
    "error value-placeholder example.knot.APP_ID AndroidManifest.xml:30",
    "error meta-data-missing example.avocet.MERCHANT_ID AndroidManifest.xml:32",
    "error component-attribute launchMode AndroidManifest.xml:46",
    "error filter-mixed-data android.intent.action.VIEW https,marram AndroidManifest.xml:54",
    "error filter-incomplete android.intent.action.VIEW https AndroidManifest.xml:63",
    "error permission-misplaced android.permission.RECORD_AUDIO AndroidManifest.xml:95",
    "error query-misplaced android.intent.action.SENDTO mailto AndroidManifest.xml:97",
    "warning permission-duplicate android.permission.INTERNET AndroidManifest.xml:105",
    "error plist-missing ExampleAvocetMerchantId Info.plist:4",
    "error purpose-missing NSCameraUsageDescription Info.plist:4",
    "error purpose-missing NSPhotoLibraryAddUsageDescription Info.plist:4",
    "warning value-sample ExampleKnotAppId Info.plist:39",
    "error plist-type ITSAppUsesNonExemptEncryption Info.plist:41",
    "error query-scheme-missing sms Info.plist:45",
    "error query-scheme-missing tel Info.plist:45",
    "error query-scheme-form mailto:// Info.plist:46",
    "error purpose-superseded NSCalendarsUsageDescription Info.plist:57",
    "error purpose-placeholder NSLocationWhenInUseUsageDescription Info.plist:60",
    "error purpose-empty NSMicrophoneUsageDescription Info.plist:62",
    "error purpose-unknown NSSpeechRecognitionUsageDescripton Info.plist:63",
    "error plist-missing SKAdNetworkItems Info.plist:68",
    "error plist-value UIUserInterfaceStyle Info.plist:94",
    "error plist-duplicate NSBluetoothAlwaysUsageDescription Info.plist:97",
    "warning link-one-sided log.marram.example Marram.entitlements:6",
    "error association-mismatch marram.example assetlinks.json:7",
];

/// Returns the findings without their lines, which differ between the layouts.
fn without_lines(findings: &[String]) -> Vec<String> {
    let mut all: Vec<_> = findings.iter().map(|one| one.rsplit_once(':').unwrap().0.to_owned()).collect();
    all.sort();
    all
}

#[test]
fn every_seeded_mistake_is_named_at_its_line() {
    let app = App::demo("npm");
    let found = app.findings();
    assert_eq!(found, NPM);
    assert_eq!(app.run(&["check"]).code, 1);
    // The other app has the same mistakes on other lines; in its manifest the lines of three of them are checked.
    let other = App::demo("pubspec");
    let found = other.findings();
    let renamed = NPM.map(|one| one.replace("Marram.entitlements", "Fieldlog.entitlements"));
    assert_eq!(without_lines(&found), without_lines(&renamed));
    let text = other.read(MANIFEST);
    for (finding, marked) in [
        ("error permission-unknown android.permission.POST_NOTIFICATION", "POST_NOTIFICATION\""),
        ("error permission-misplaced android.permission.RECORD_AUDIO", "RECORD_AUDIO"),
        ("error component-attribute launchMode", "launchMode=\"standard\""),
    ] {
        let line = text.lines().position(|line| line.contains(marked)).unwrap() + 1;
        assert!(found.contains(&format!("{finding} AndroidManifest.xml:{line}")), "{finding} {line}: {found:?}");
    }
}

#[test]
fn fill_mends_all_with_the_given_values_and_changes_nothing_twice() {
    for layout in ["npm", "pubspec"] {
        let app = App::demo(layout);
        let before = app.snapshot();
        let filled = app.run(&[&["fill"], &GIVEN[..]].concat());
        assert_eq!(filled.code, 0, "{}{}", filled.out, filled.err);
        for step in ["Stop the app, build it again", "in the developer account", "Put site on the web"] {
            assert!(filled.out.contains(step), "{}", filled.out);
        }
        let after = app.snapshot();
        let mut changed: Vec<_> = after
            .iter()
            .filter(|(path, bytes)| !before.iter().any(|(known, old)| known == path && old == bytes))
            .map(|(path, _)| path.file_name().unwrap().to_string_lossy().into_owned())
            .collect();
        let entitlements = if layout == "npm" { "Marram.entitlements" } else { "Fieldlog.entitlements" };
        changed.sort();
        let mut expected =
            ["AndroidManifest.xml", "Info.plist", entitlements, "apple-app-site-association", "assetlinks.json"];
        expected.sort_unstable();
        assert_eq!(changed, expected, "no other file is touched");
        assert_eq!(before.len() + 1, after.len(), "one file is added: that of the host that had none");
        let checked = app.run(&["check", "--deny", "note"]);
        assert_eq!(checked.code, 0, "{}", checked.out);
        let again = app.run(&["fill"]);
        assert_eq!((again.code, again.out.trim()), (0, "There is nothing that `elvask fill` can mend."));
        assert_eq!(app.snapshot(), after);
    }
}

#[test]
fn fill_without_values_writes_the_rest_and_says_what_is_wanted() {
    let app = App::demo("npm");
    let filled = app.run(&["fill"]);
    assert_eq!(filled.code, 1);
    assert!(filled.out.contains("Still wanted (2):"), "{}", filled.out);
    assert!(
        filled.out.contains("--purpose camera=") && filled.out.contains("--answer knot_banner.app_id="),
        "{}",
        filled.out
    );
    let plist = app.read("ios/Marram/Info.plist");
    assert!(!plist.contains("NSCameraUsageDescription"), "no text is made up");
    assert!(plist.contains("<string>Keeps a copy of each ring photo in your library.</string>"), "elvask.toml is used");
    let left: Vec<_> = app.findings();
    assert_eq!(
        left,
        [
            "error value-placeholder example.knot.APP_ID AndroidManifest.xml:104",
            "error purpose-missing NSCameraUsageDescription Info.plist:4",
            "warning value-sample ExampleKnotAppId Info.plist:41",
        ]
    );
}

#[test]
fn the_dry_run_is_a_diff_that_git_applies() {
    let app = App::demo("pubspec");
    let before = app.snapshot();
    let dry = app.run(&[&["fill", "--dry-run"], &GIVEN[..]].concat());
    assert_eq!(dry.code, 0);
    assert_eq!(app.snapshot(), before, "nothing is written");
    assert!(dry.err.contains("Nothing is written"), "{}", dry.err);
    app.write("fill.diff", &dry.out);
    let git = |words: &[&str]| std::process::Command::new("git").args(words).current_dir(app.root()).status().unwrap();
    assert!(git(&["init", "-q"]).success());
    assert!(git(&["apply", "fill.diff"]).success(), "{}", dry.out);
    assert_eq!(app.run(&["check"]).code, 0);
    // Only lines that somebody would have typed: no line is taken out but those that are mended or moved.
    let taken_out = dry.out.lines().filter(|line| line.starts_with('-') && !line.starts_with("---")).count();
    assert!(taken_out < 25, "{taken_out} lines are taken out\n{}", dry.out);
}

#[test]
fn the_dry_run_of_a_file_with_other_line_ends_is_exact() {
    let app = App::demo("npm");
    app.write(MANIFEST, app.read(MANIFEST).replace('\n', "\r\n"));
    let dry = app.run(&[&["fill", "--dry-run"], &GIVEN[..]].concat());
    app.write("fill.diff", &dry.out);
    let git = |words: &[&str]| std::process::Command::new("git").args(words).current_dir(app.root()).status().unwrap();
    assert!(git(&["init", "-q"]).success());
    assert!(git(&["apply", "--whitespace=nowarn", "fill.diff"]).success(), "{}", dry.out);
    let applied = app.read(MANIFEST);
    assert_eq!(applied.matches('\n').count(), applied.matches("\r\n").count());
    assert_eq!(app.run(&["check"]).code, 0);
}

#[test]
fn the_demo_walks_the_job_and_ends_with_a_clean_check() {
    let folder = tempfile::tempdir().unwrap();
    for layout in ["npm", "pubspec"] {
        let into = folder.path().join(layout).display().to_string();
        let ran = elvask(folder.path(), &["demo", "--layout", layout, "--into", &into]);
        assert_eq!(ran.code, 0, "{}", ran.err);
        let at = |needle: &str| ran.out.find(needle).unwrap_or_else(|| panic!("{needle}\n{}", ran.out));
        let order = [
            at("$ elvask survey"),
            at("$ elvask check"),
            at("8 expectations met").min(at("4 expectations met")),
            at("$ elvask fill"),
            at("clean"),
            at("8 expectations met"),
        ];
        assert!(order.is_sorted(), "{order:?}");
        assert!(ran.out.lines().count() <= 300, "a walk that nobody reads: {} lines", ran.out.lines().count());
    }
    let into = folder.path().join("json").display().to_string();
    let record = elvask(folder.path(), &["demo", "--format", "json", "--into", &into]).json();
    let exits: Vec<_> = record["steps"].as_array().unwrap().iter().map(|step| step["exit"].as_i64().unwrap()).collect();
    assert_eq!(exits, [0, 1, 1, 1, 0, 0, 0, 0]);
    assert_eq!(record["steps"][5]["output"]["summary"]["errors"], 0);
    let full = elvask(folder.path(), &["demo", "--into", &into]);
    assert_eq!(full.code, 2, "a folder that is not empty is left alone");
    assert!(full.err.contains("the folder is not empty"), "{}", full.err);
}

#[test]
fn the_survey_tells_what_is_seen_and_what_is_not() {
    let app = App::demo("npm");
    let record = app.run(&["survey", "--format", "json"]).json();
    let names = |list: &str, kind: &str| -> Vec<String> {
        let of_kind = record[list].as_array().unwrap().iter().filter(|one| one["kind"] == kind);
        of_kind.map(|one| one["name"].as_str().unwrap().replace("android.permission.", "")).collect()
    };
    assert_eq!(names("declarations", "permission").len(), 15);
    assert_eq!(names("ignored", "permission"), ["RECORD_AUDIO"]);
    assert_eq!(names("ignored", "meta-data"), ["example.knot.APP_ID"]);
    let scan = record["declarations"]
        .as_array()
        .unwrap()
        .iter()
        .find(|one| one["name"] == "android.permission.BLUETOOTH_SCAN");
    let scan = scan.unwrap();
    assert_eq!((scan["grant"].as_str(), scan["group"].as_str()), (Some("prompt"), Some("NEARBY_DEVICES")));
    assert_eq!(scan["needed_by"][0]["plugin"], "redshank_scan");
    assert_eq!(record["app"]["android"]["min_level"], 24);
    assert_eq!(record["app"]["ios"]["min_version"], "15.1");
    let human = app.run(&["survey"]).out;
    for line in [
        "no sheet: known from its own files",
        "on a settings screen",
        "ignored: it is inside another element",
        "the launcher starts it",
    ] {
        assert!(human.contains(line), "{line}\n{human}");
    }
}

#[test]
fn apps_whose_platform_files_are_made_walk_to_a_clean_check() {
    let purpose = ["fill", "--yes", "--purpose", "camera=Photographs the ring on a bird's leg."];
    for (layout, document, findings) in [("widget", "config.xml", 14), ("appjson", "app.json", 12)] {
        let app = App::demo(layout);
        let before = app.snapshot();
        let found = app.findings();
        assert_eq!(found.len(), findings, "{layout}: {found:?}");
        assert_eq!(app.run(&["check"]).code, 1, "{layout}");
        let filled = app.run(&purpose);
        assert_eq!(filled.code, 0, "{layout}: {}{}", filled.out, filled.err);
        let after = app.snapshot();
        let changed: Vec<_> = after.iter().filter(|one| !before.contains(one)).map(|(path, _)| path).collect();
        assert_eq!(changed.len(), 1, "{layout}: {changed:?}");
        assert!(changed[0].ends_with(document), "{layout}: {changed:?}");
        assert_eq!(app.run(&["check"]).code, 0, "{layout}");
        assert_eq!(app.run(&["link", "test"]).code, 0, "{layout}");
        assert_eq!(app.run(&purpose).code, 0, "{layout}");
        assert_eq!(app.snapshot(), after, "{layout}: a second time");
        // What a person would have typed: of what stood there nothing but values is gone.
        let text = |all: &Vec<(std::path::PathBuf, Vec<u8>)>| {
            let found = all.iter().find(|(path, _)| path.ends_with(document)).unwrap();
            String::from_utf8(found.1.clone()).unwrap()
        };
        let (old, new) = (text(&before), text(&after));
        let gone = old.lines().filter(|line| !new.contains(line.trim().trim_end_matches(','))).count();
        assert!(gone <= 5, "{layout}: {gone}\n{new}");
    }
}

#[test]
fn the_app_for_ios_alone_differs_from_its_account_in_five_ways() {
    let app = App::demo("xcode");
    let ran = app.run(&["account", "check", "--format", "json"]);
    assert_eq!(ran.code, 1, "{}{}", ran.out, ran.err);
    let named: Vec<String> = ran.json()["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| {
            let text = |key: &str| one[key].as_str().unwrap().to_owned();
            format!("{} {} {}:{}", text("level"), text("rule"), text("file"), one["line"])
        })
        .collect();
    assert_eq!(
        named,
        [
            "warning product-unregistered Marram.storekit:16",
            "error identity-case Marram.xcodeproj/project.pbxproj:115",
            "warning entitlement-differs Marram/MarramRelease.entitlements:4",
            "error entitlement-not-in-profile Marram/MarramRelease.entitlements:7",
            "error file-mismatch Marram/avocet-payment.json:4",
        ]
    );
    // Mended on the side that is wrong, nothing differs any more.
    let release = app.read("Marram/MarramDebug.entitlements").replace("development", "production");
    app.write("Marram/MarramRelease.entitlements", release);
    let account = app.read("elvask/account.toml").replace("FieldLog", "fieldlog");
    let without_profile = account.replace("configuration = \"Release\"", "configuration = \"Store\"");
    app.write("elvask/account.toml", format!("{without_profile}\n[[products]]\nid = \"example.marram.season\"\n"));
    app.write("Marram/avocet-payment.json", app.read("Marram/avocet-payment.json").replace("marsh", "marram"));
    let ran = app.run(&["account", "check"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    assert!(ran.out.contains("The app agrees with all that was held against it."), "{}", ran.out);
    assert!(ran.out.contains("it is for Store; Release was looked at"), "{}", ran.out);
}

#[test]
fn the_app_for_android_alone_walks_to_a_clean_check() {
    let app = App::demo("gradle");
    let found = app.findings();
    assert_eq!(found.len(), 8, "{found:?}");
    let filled = app.run(&["fill", "--yes", "--answer", "example.knot:banner.app_id=knot-48210077"]);
    assert_eq!(filled.code, 0, "{}{}", filled.out, filled.err);
    assert!(
        app.read("app/build.gradle.kts")
            .contains("    alias(libs.plugins.kotlin.android)\n    alias(libs.plugins.knot.services)\n}\n")
    );
    assert!(app.read("settings.gradle.kts").contains("        maven(\"https://maven.knot.example/releases\")\n"));
    let after = app.snapshot();
    let check = app.run(&["check"]);
    assert!(check.out.ends_with("clean\nAndroid: 3 plugins, 7 needs\n"), "{}", check.out);
    assert_eq!(app.run(&["link", "test"]).code, 0);
    app.run(&["fill", "--yes"]);
    assert_eq!(app.snapshot(), after, "a second time");
}
