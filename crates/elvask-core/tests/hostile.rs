//! What strangers may have written: each entry of a sheet and each piece of notes does what `docs/security.md` says.

use std::path::Path;

use elvask_core::app::{App, Choice};
use elvask_core::check::check;
use elvask_core::fill::{FillError, Outcome, fill_through};
use elvask_core::needs::Settings;
use elvask_core::rules::RULES;
use elvask_needs::remedy::Want;
use elvask_project::files::Memory;

const MANIFEST: &str = r#"<manifest xmlns:android="http://schemas.android.com/apk/res/android">
    <application android:label="@string/app_name">
        <activity android:name=".MainActivity" android:exported="true">
            <intent-filter>
                <action android:name="android.intent.action.MAIN" />
                <category android:name="android.intent.category.LAUNCHER" />
            </intent-filter>
        </activity>
        <service android:name="example.marram.Keeper" android:exported="false" />
    </application>
</manifest>
"#;
const MODULE: &str = "plugins {\n    id 'com.android.application'\n}\n\nandroid {\n    namespace 'example.marram'\n    compileSdk 35\n    defaultConfig {\n        applicationId 'example.marram'\n        minSdk 24\n        targetSdk 35\n    }\n    buildTypes {\n        release {\n            minifyEnabled true\n            proguardFiles 'rules.pro'\n        }\n    }\n}\n\ndependencies {\n}\n";
const SETTINGS: &str = "pluginManagement {\n    repositories {\n        google()\n    }\n}\ndependencyResolutionManagement {\n    repositories {\n        google()\n    }\n}\ninclude ':app'\n";
const ROOT: &str = "plugins {\n    id 'com.android.application' version '8.7.0' apply false\n}\n";
const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); developmentRegion = en; };
  T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { isa = XCConfigurationList; buildConfigurations = (C); }; C = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist;
  CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements; PRODUCT_BUNDLE_IDENTIFIER = example.marram; IPHONEOS_DEPLOYMENT_TARGET = 15.0; }; }; }; rootObject = P; }";
const LIST: &str =
    "<plist version=\"1.0\">\n<dict>\n    <key>CFBundleName</key>\n    <string>Marram</string>\n</dict>\n</plist>\n";

/// An app with one package, whose files are given.
fn app(package: &[(&str, &str)]) -> Memory {
    let own = [
        ("package.json", "{\"dependencies\": {\"evil\": \"1\"}}"),
        (
            "elvask.toml",
            "elvask = 1\n[plugins.evil.answers]\nhost = \"marram.example\"\nscheme = \"marram\"\n[purposes]\ncamera = \"Photographs the ring on a leg.\"\n",
        ),
        ("node_modules/evil/package.json", "{\"name\":\"evil\",\"version\":\"1.0.0\"}"),
        ("android/app/src/main/AndroidManifest.xml", MANIFEST),
        (
            "android/app/src/main/res/values/strings.xml",
            "<resources>\n    <string name=\"app_name\">Marram</string>\n    <bool name=\"open\">true</bool>\n</resources>\n",
        ),
        ("android/app/src/main/res/xml/evil.xml", "<evil />\n"),
        ("android/app/build.gradle", MODULE),
        ("android/app/rules.pro", "# rules\n"),
        ("android/settings.gradle", SETTINGS),
        ("android/build.gradle", ROOT),
        ("ios/Marram.xcodeproj/project.pbxproj", PROJECT),
        ("ios/Marram/Info.plist", LIST),
        ("ios/Marram/Marram.entitlements", LIST),
    ];
    let mut tree = Memory::app(own);
    for (path, text) in package {
        tree.put(Path::new("/app/node_modules/evil").join(path), text);
    }
    tree
}

/// Fills the app as `fill --yes` does, with every rule named, so that notes are written too, and with some consents.
fn fill(tree: &Memory, consents: &[String]) -> Result<Outcome, FillError> {
    let choice = Choice::default();
    let app = App::load_choice(tree, Path::new("/app"), &choice).unwrap();
    let only = RULES.iter().map(|rule| rule.about().id.to_owned()).collect();
    let settings = Settings { consents: consents.to_vec(), only, ..Settings::default() };
    fill_through(tree, &choice, &app, &settings)
}

/// What is changed of the package's doing: links of the owner's own are declared whatever the package asks for.
fn written(outcome: &Outcome, before: &[String]) -> Vec<String> {
    let files = outcome.changed.iter().map(|file| outcome.sources.file(*file));
    let lines = files.flat_map(|file| file.text.lines().map(|line| line.trim().to_owned()).collect::<Vec<_>>());
    lines.filter(|line| !before.contains(line)).collect()
}

/// All lines of the app as it is filled where the package asks for nothing.
fn without_the_package() -> Vec<String> {
    let tree = app(&[("elvask-sheet.toml", "sheet = 1\nplugin = \"evil\"\n")]);
    let outcome = fill(&tree, &[]).unwrap();
    outcome
        .sources
        .all()
        .flat_map(|file| file.text.lines().map(|line| line.trim().to_owned()).collect::<Vec<_>>())
        .collect()
}

fn consents(outcome: &Outcome) -> Vec<String> {
    let subject = |want: Want| if let Want::Consent { subject, .. } = want { Some(subject) } else { None };
    outcome.wants().into_iter().filter_map(subject).collect()
}

/// Says what becomes of a package.
fn becomes(package: &[(&str, &str)], before: &[String]) -> (&'static str, Vec<String>) {
    let tree = app(package);
    let outcome = match fill(&tree, &[]) {
        Ok(outcome) => outcome,
        Err(FillError::Obstacles(report)) => {
            assert!(report.obstacles().any(|one| one.rule.id == "sheet-invalid"), "{:?}", report.obstacles().next());
            return ("refused", Vec::new());
        }
        Err(error) => return ("unsettled", vec![error.to_string()]),
    };
    let lines = written(&outcome, before);
    let wanted = consents(&outcome);
    if !lines.is_empty() {
        return (if wanted.is_empty() { "written" } else { "written, and asked" }, lines);
    }
    if wanted.is_empty() {
        return ("left", Vec::new());
    }
    let agreed = fill(&tree, &wanted).unwrap();
    let lines = written(&agreed, before);
    (if lines.is_empty() { "asked, and left" } else { "asked" }, lines)
}

#[test]
fn each_entry_of_a_sheet_does_what_the_table_says() {
    let before = without_the_package();
    let (mut told, mut rows) = (Vec::new(), 0);
    for line in include_str!("hostile/sheets.txt").lines().filter(|line| !line.is_empty() && !line.starts_with('#')) {
        let (wanted, entry) = line.split_once(" | ").unwrap();
        rows += 1;
        let sheet =
            format!("sheet = 1\nplugin = \"evil\"\nplatforms = [\"android\", \"ios\"]\n\n[[requires]]\n{entry}\n");
        let (found, lines) = becomes(&[("elvask-sheet.toml", &sheet)], &before);
        if found != wanted {
            told.push(format!("{wanted} is {found}: {entry} {lines:?}"));
        }
    }
    assert!(told.is_empty(), "{}", told.join("\n"));
    assert!(rows >= 120, "{rows}");
}

#[test]
fn each_piece_of_notes_does_what_the_table_says() {
    let before = without_the_package();
    let (mut told, mut rows) = (Vec::new(), 0);
    for line in include_str!("hostile/notes.txt").lines().filter(|line| !line.is_empty() && !line.starts_with('#')) {
        let mut parts = line.splitn(3, " | ");
        let (wanted, tag, code) = (parts.next().unwrap(), parts.next().unwrap(), parts.next().unwrap());
        rows += 1;
        let code = code.replace("\\n", "\n");
        let place = match tag {
            "xml" => "`android/app/src/main/AndroidManifest.xml`",
            "plist" => "`ios/Marram/Info.plist`",
            "entitlements" => "your entitlements file",
            "pro" => "`android/app/rules.pro`",
            _ => "`android/app/build.gradle`",
        };
        let fence = if matches!(tag, "plist" | "entitlements") { "xml" } else { tag };
        let notes = format!(
            "# evil\n\n## Setup\n\nThis is required. Add the following to {place}:\n\n```{fence}\n{code}\n```\n"
        );
        let package = [
            ("README.md", notes.as_str()),
            ("android/build.gradle", "apply plugin: 'com.android.library'\nandroid { namespace 'example.evil' }\n"),
            (
                "android/src/main/AndroidManifest.xml",
                "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" />\n",
            ),
            (
                "android/src/main/java/example/evil/All.java",
                "package example.evil;\nclass Work {}\nclass Open {}\nclass Files {}\nclass Eyes {}\nclass Screen {}\nclass Boot {}\n",
            ),
            ("ios/Evil.swift", "import Foundation\n"),
            ("evil.podspec", "Pod::Spec.new do |s|\n  s.source_files = 'ios/*.swift'\nend\n"),
        ];
        let (found, lines) = becomes(&package, &before);
        // What notes show as an example is never written as it is.
        let theirs = lines.iter().any(|line| line.contains("bank") || line.contains("evil.example"));
        let shown = tag == "groovy" && found == "asked";
        if found != wanted || theirs && !shown {
            told.push(format!("{wanted} is {found}: {code:?} {lines:?}"));
        }
    }
    assert!(told.is_empty(), "{}", told.join("\n"));
    assert!(rows >= 60, "{rows}");
}

#[test]
fn consent_is_for_one_thing_by_name_and_comes_from_nowhere_else() {
    let sheet = "sheet = 1\nplugin = \"evil\"\n\n[[requires]]\nandroid.attribute = { on = \"application\", name = \"debuggable\", value = \"true\" }\n\n[[requires]]\nandroid.attribute = { on = \"application\", name = \"usesCleartextTraffic\", value = \"true\" }\n";
    let tree = app(&[("elvask-sheet.toml", sheet)]);
    let outcome = fill(&tree, &["debuggable".to_owned()]).unwrap();
    let text = outcome.changed.iter().map(|file| outcome.sources.file(*file).text.to_string()).collect::<String>();
    assert!(text.contains("debuggable") && !text.contains("Cleartext"), "{text}");
    // One consent opens one component.
    let two = "sheet = 1\nplugin = \"evil\"\n\n[[requires]]\nandroid.attribute = { on = \"example.marram.Keeper\", name = \"exported\", value = \"true\" }\n\n[[requires]]\nandroid.attribute = { on = \"launcher\", name = \"taskAffinity\", value = \"evil\" }\n";
    let two = app(&[("elvask-sheet.toml", two)]);
    assert_eq!(consents(&fill(&two, &[]).unwrap()), ["taskAffinity@launcher", "exported@example.marram.Keeper"]);
    for not in ["exported", "exported@launcher"] {
        assert!(fill(&two, &[not.to_owned()]).unwrap().changed.is_empty(), "{not}");
    }
    let outcome = fill(&two, &["exported@example.marram.Keeper".to_owned()]).unwrap();
    let text = outcome.changed.iter().map(|file| outcome.sources.file(*file).text.to_string()).collect::<String>();
    assert!(text.contains("Keeper\" android:exported=\"true\"") && !text.contains("taskAffinity"), "{text}");
    // A correction that would bring about what is asked for waits too, whatever it is named after.
    let installs = "sheet = 1\nplugin = \"evil\"\n\n[[requires]]\nandroid.permission = \"android.permission.REQUEST_INSTALL_PACKAGES\"\n";
    let mut misspelt = app(&[("elvask-sheet.toml", installs)]);
    let manifest = MANIFEST.replacen(
        '>',
        ">\n    <uses-permission android:name=\"android.permission.REQUEST_INSTALL_PACKAGE\" />",
        1,
    );
    misspelt.put("/app/android/app/src/main/AndroidManifest.xml", &manifest);
    let outcome = fill(&misspelt, &[]).unwrap();
    assert!(outcome.changed.is_empty(), "{:?}", outcome.changed);
    assert_eq!(consents(&outcome), ["android.permission.REQUEST_INSTALL_PACKAGE"]);
    // The app's own sheet is its owner's.
    let mut tree = app(&[]);
    tree.put("/app/elvask/sheets/evil.toml", sheet);
    let outcome = fill(&tree, &[]).unwrap();
    let text = outcome.changed.iter().map(|file| outcome.sources.file(*file).text.to_string()).collect::<String>();
    assert!(text.contains("debuggable") && text.contains("Cleartext"), "{text}");
    // What is asked is told with what it means.
    let app = App::load(&app(&[("elvask-sheet.toml", sheet)]), Path::new("/app"), &[]).unwrap();
    let report = check(&app, &Settings::default());
    let wants = elvask_core::fill::wants(&report);
    let meanings: Vec<_> = wants
        .iter()
        .filter_map(|want| if let Want::Consent { meaning, .. } = want { Some(meaning.as_str()) } else { None })
        .collect();
    assert!(meanings.iter().any(|meaning| meaning.contains("the store refuses it")), "{meanings:?}");
}
