//! Layouts whose platform files are made of one document: what is judged, and what is written into the document.

use std::path::Path;

use elvask_core::Kind;
use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::context::Context;
use elvask_core::declare::{Naming, entries};
use elvask_core::discover::home_of;
use elvask_core::fill::fill;
use elvask_core::finding::{Edits, Finding};
use elvask_core::needs::Settings;
use elvask_core::withdraw::removals;
use elvask_needs::kinds::KINDS;
use elvask_needs::remedy::Remedy;
use elvask_needs::sheet::{Asked, Sheet};
use elvask_platform::Level;
use elvask_project::files::Memory;
use elvask_project::layout::{Home, Layout};
use elvask_project::surface::Surface;

const CONFIG: &str = r#"<?xml version='1.0' encoding='utf-8'?>
<widget id="example.marram.fieldlog" version="2.4.0" xmlns="http://www.w3.org/ns/widgets" xmlns:android="http://schemas.android.com/apk/res/android">
    <name>Marram</name>
    <!-- What the log asks for. -->
    <platform name="android">
        <config-file parent="/manifest" target="AndroidManifest.xml">
            <uses-permission android:name="android.permission.VIBRATE" />
        </config-file>
    </platform>
    <platform name="ios">
        <config-file parent="LSApplicationQueriesSchemes" target="*-Info.plist">
            <array>
                <string>tides</string>
            </array>
        </config-file>
    </platform>
    <plugin name="plover-dialer" spec="1.0.0" />
    <plugin name="tern-camera" spec="2.1.0">
        <variable name="CAMERA_USAGE" value="Photographs the ring on a bird's leg." />
    </plugin>
</widget>
"#;

const PLUGIN: &str = r#"<plugin xmlns:android="http://schemas.android.com/apk/res/android" id="tern-camera" version="2.1.0">
    <preference name="CAMERA_USAGE" default=" " />
    <platform name="android">
        <config-file target="AndroidManifest.xml" parent="/*">
            <uses-permission android:name="android.permission.CAMERA" />
        </config-file>
    </platform>
    <platform name="ios">
        <config-file target="*-Info.plist" parent="NSCameraUsageDescription">
            <string>$CAMERA_USAGE</string>
        </config-file>
    </platform>
</plugin>
"#;

const DESCRIPTION: &str = r#"{
  // The field notebook.
  "name": "Marram",
  "slug": "marram",
  "version": "2.4.0",
  "ios": {
    "bundleIdentifier": "example.marram.fieldlog",
    "infoPlist": {
      "LSApplicationQueriesSchemes": ["tides"]
    }
  },
  "android": {
    "package": "example.marram.fieldlog",
    "permissions": ["VIBRATE"]
  },
  "plugins": [["tern-camera", { "cameraPermission": "Photographs the ring on a bird's leg." }]]
}
"#;

fn sheet(required: &[&str]) -> String {
    let all: Vec<_> = required.iter().map(|entry| format!("[[requires]]\n{entry}\n")).collect();
    format!("sheet = 1\nplugin = 'plover-dialer'\n{}", all.concat())
}

fn widget(required: &[&str]) -> Memory {
    let mut tree = Memory::app([("plugins/tern-camera/plugin.xml", PLUGIN), ("config.xml", CONFIG)]);
    tree.put("/app/elvask/sheets/plover.toml", sheet(required));
    tree
}

fn described(required: &[&str]) -> Memory {
    let mut tree = Memory::app([
        ("app.json", DESCRIPTION),
        ("package.json", "{ \"dependencies\": { \"plover-dialer\": \"1.0.0\" } }"),
        ("node_modules/plover-dialer/package.json", "{ \"name\": \"plover-dialer\", \"version\": \"1.0.0\" }"),
    ]);
    tree.put("/app/elvask/sheets/plover.toml", sheet(required));
    tree
}

fn load(tree: &Memory) -> App {
    App::load(tree, Path::new("/app"), &[]).expect("the app can be read")
}

fn found(app: &App) -> Vec<String> {
    let report = check(app, &settings());
    let told = report.findings.iter().filter(|finding| finding.level > Level::Note);
    told.map(|finding| {
        let at = app.sources.position(finding.place);
        let file = &app.sources.file(finding.place.file).shown;
        format!("{} {} {file}:{}", finding.rule.id, finding.subject, at.line)
    })
    .collect()
}

fn settings() -> Settings {
    let purposes = vec![("NSContactsUsageDescription".to_owned(), "Finds your colleagues.".to_owned())];
    Settings { purposes, ..Settings::default() }
}

/// Mends the app and returns the one text that is another one then, having made sure that a second time changes nothing.
fn mended(tree: &Memory, document: &str) -> String {
    let app = load(tree);
    let filled = fill(&app, &settings()).expect("the remedies settle");
    let changed: Vec<_> = filled.changed.iter().map(|file| app.sources.file(*file).shown.clone()).collect();
    assert_eq!(changed, [document], "nothing but the document is written");
    let text = filled.sources.file(filled.changed[0]).text.to_string();
    let mut tree = tree.clone();
    tree.put(format!("/app/{document}"), text.clone());
    let again = load(&tree);
    let left = check(&again, &settings());
    let left: Vec<&Finding> =
        left.findings.iter().filter(|finding| matches!(finding.remedy, Remedy::Edit { .. })).collect();
    assert!(left.is_empty(), "{left:?}");
    assert!(fill(&again, &settings()).expect("they settle").changed.is_empty(), "a second time");
    text
}

/// Returns the lines that one text has and the other one has not, and the other way round.
fn difference(before: &str, after: &str) -> (Vec<String>, Vec<String>) {
    let lines = |text: &str| text.lines().map(|line| line.trim().to_owned()).collect::<Vec<_>>();
    let (old, new) = (lines(before), lines(after));
    let only = |one: &[String], other: &[String]| {
        let mut rest = other.to_vec();
        one.iter()
            .filter(|line| rest.iter().position(|known| known == *line).map(|at| rest.remove(at)).is_none())
            .cloned()
            .collect()
    };
    (only(&old, &new), only(&new, &old))
}

const ANDROID: [&str; 5] = [
    "android.permission = 'android.permission.CALL_PHONE'",
    "android.query = { action = 'android.intent.action.VIEW', scheme = 'tel' }",
    "android.attribute = { on = 'application', name = 'largeHeap', value = 'true' }",
    "android.attribute = { on = 'launcher', name = 'launchMode', value = 'singleTask' }",
    "android.meta-data = { name = 'example.plover.MODE', value = 'quiet' }",
];

#[test]
fn config_xml_is_judged_though_nothing_has_been_prepared() {
    let app = load(&widget(&[ANDROID[0], "ios.query-scheme = 'tel'", "ios.usage = 'NSContactsUsageDescription'"]));
    assert_eq!(app.layouts, [Layout::Widget]);
    assert!(app.android.is_some() && app.ios.is_some());
    assert_eq!(
        found(&app),
        [
            "permission-missing android.permission.CALL_PHONE config.xml:5",
            "purpose-missing NSContactsUsageDescription config.xml:10",
            "query-scheme-missing tel config.xml:12",
        ]
    );
    // What its plugins put in is there by itself.
    assert_eq!(found(&load(&widget(&["capability = 'camera'"]))), [""; 0]);
}

#[test]
fn what_android_wants_is_written_into_config_xml_as_a_person_would() {
    let text = mended(&widget(&ANDROID), "config.xml");
    let (gone, new) = difference(CONFIG, &text);
    assert_eq!(gone, [""; 0]);
    assert_eq!(
        new,
        [
            "<uses-permission android:name=\"android.permission.CALL_PHONE\" />",
            "<queries>",
            "<intent>",
            "<action android:name=\"android.intent.action.VIEW\" />",
            "<data android:scheme=\"tel\" />",
            "</intent>",
            "</queries>",
            "<edit-config file=\"app/src/main/AndroidManifest.xml\" mode=\"merge\" target=\"/manifest/application\">",
            "<application android:largeHeap=\"true\" />",
            "</edit-config>",
            "<preference name=\"AndroidLaunchMode\" value=\"singleTask\" />",
            "<config-file target=\"AndroidManifest.xml\" parent=\"/manifest/application\">",
            "<meta-data android:name=\"example.plover.MODE\" android:value=\"quiet\" />",
            "</config-file>",
        ]
    );
}

#[test]
fn what_ios_wants_is_written_into_config_xml_as_a_person_would() {
    let text = mended(
        &widget(&[
            "ios.query-scheme = 'tel'",
            "ios.usage = 'NSContactsUsageDescription'",
            "ios.entitlement = { key = 'aps-environment', value = 'development' }",
        ]),
        "config.xml",
    );
    let (gone, new) = difference(CONFIG, &text);
    assert_eq!(gone, [""; 0]);
    assert_eq!(
        new,
        [
            "<string>tel</string>",
            "<config-file target=\"*/Entitlements-Debug.plist\" parent=\"aps-environment\">",
            "<string>development</string>",
            "</config-file>",
            "<config-file target=\"*/Entitlements-Release.plist\" parent=\"aps-environment\">",
            "<string>development</string>",
            "</config-file>",
            "<config-file target=\"*-Info.plist\" parent=\"NSContactsUsageDescription\">",
            "<string>Finds your colleagues.</string>",
            "</config-file>",
        ]
    );
}

#[test]
fn levels_are_preferences_of_config_xml() {
    let config = CONFIG.replace(
        "    <platform name=\"ios\">",
        "    <preference name=\"android-minSdkVersion\" value=\"24\" />\n    <preference name=\"deployment-target\" value=\"15.1\" />\n    <platform name=\"ios\">",
    );
    let mut tree = widget(&["android.levels = { min = 26 }", "ios.min-version = '16.0'"]);
    tree.put("/app/config.xml", config.clone());
    assert_eq!(
        found(&load(&tree)),
        ["level-too-low minSdkVersion config.xml:10", "min-version-too-low iOS config.xml:11"]
    );
    let (gone, new) = difference(&config, &mended(&tree, "config.xml"));
    assert_eq!(gone.len(), 2);
    assert_eq!(
        new,
        [
            "<preference name=\"android-minSdkVersion\" value=\"26\" />",
            "<preference name=\"deployment-target\" value=\"16.0\" />"
        ]
    );
    // Where it states none, the tools' own level holds, which nobody knows here.
    let app = load(&widget(&["android.levels = { min = 26 }"]));
    assert!(app.unresolved.iter().any(|one| one.what.contains("the lowest level of Android is not stated")));
}

#[test]
fn what_was_prepared_is_compared_and_never_written() {
    let mut tree = widget(&[ANDROID[0]]);
    tree.put("/app/platforms/android/app/build.gradle", "apply plugin: 'com.android.application'\nandroid { defaultConfig { minSdkVersion 24\ntargetSdkVersion 35 } }\n");
    let manifest = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><uses-permission android:name=\"android.permission.CALL_PHONE\"/><application/></manifest>";
    tree.put("/app/platforms/android/app/src/main/AndroidManifest.xml", manifest);
    let app = load(&tree);
    // It stands in what is made anew, and not in what it is made of.
    assert_eq!(found(&app), ["permission-missing android.permission.CALL_PHONE config.xml:5"]);
    assert_eq!(app.levels().min, Some(24));
    let told = "platforms/android was prepared before config.xml was what it is now, and lacks android.permission.INTERNET, android.permission.VIBRATE, android.permission.CAMERA: prepare it again";
    assert!(app.notices.iter().any(|notice| notice == told), "{:?}", app.notices);
    mended(&tree, "config.xml");
}

#[test]
fn plugins_are_stated_once_wherever_they_stand() {
    let mut tree = widget(&[]);
    let package = r#"{ "devDependencies": { "tern-camera": "2.1.0", "knot-banner": "1.0.0" },
        "section": { "platforms": ["android"], "plugins": { "tern-camera": { "CAMERA_USAGE": "From the section." } } } }"#;
    tree.put("/app/package.json", package);
    tree.put("/app/node_modules/tern-camera/plugin.xml", PLUGIN);
    tree.put("/app/node_modules/knot-banner/plugin.xml", PLUGIN.replace("tern-camera", "knot-banner"));
    let app = load(&tree);
    let mut names: Vec<_> = app.plugins().iter().map(|plugin| plugin.name.as_str()).collect();
    names.sort_unstable();
    assert_eq!(names, ["knot-banner", "plover-dialer", "tern-camera"]);
    let surface = Surface::read(&app, &app.sources);
    assert_eq!(surface.plist(&app).and_then(|plist| plist.text("NSCameraUsageDescription")), Some("From the section."));
}

#[test]
fn a_blank_purpose_of_a_plugin_is_told_and_put_right_by_the_app() {
    let mut tree = widget(&[]);
    tree.put("/app/config.xml", CONFIG.replace("Photographs the ring on a bird's leg.", " "));
    let app = load(&tree);
    assert_eq!(found(&app), ["purpose-empty NSCameraUsageDescription config.xml:19"]);
    let mut settings = settings();
    settings.purposes.push(("camera".to_owned(), "Photographs the ring.".to_owned()));
    let filled = fill(&app, &settings).expect("the remedies settle");
    let text = &filled.sources.file(filled.changed[0]).text;
    assert!(text.contains("<variable name=\"CAMERA_USAGE\" value=\"Photographs the ring.\" />"), "{text}");
    assert_eq!(filled.left.findings.iter().filter(|finding| finding.level > Level::Note).count(), 0);
}

fn asked(naming: Naming, word: &str) -> Vec<Asked> {
    let all = entries(naming, word, None, None).unwrap();
    let body: Vec<_> = all.iter().map(|entry| format!("[[requires]]\n{entry}\n")).collect();
    Sheet::parse(&format!("sheet = 1\nplugin = 'you'\n{}", body.concat()), None)
        .0
        .requires
        .into_iter()
        .map(|required| required.asked)
        .collect()
}

fn withdrawn(tree: &Memory, naming: Naming, word: &str) -> String {
    let app = load(tree);
    let (surface, settings) = (Surface::read(&app, &app.sources), settings());
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let mut edits = Edits::default();
    for removal in removals(&context, &asked(naming, word)) {
        edits.add(&removal.edits).expect("removals do not touch each other");
    }
    let mut sources = app.sources.clone();
    edits.apply(&mut sources).expect("the removal is sound");
    let source = app.generated.as_ref().expect("its files are made").source;
    sources.file(source).text.to_string()
}

#[test]
fn what_is_withdrawn_goes_from_the_document() {
    let (gone, new) = difference(CONFIG, &withdrawn(&widget(&[]), Naming::Permission, "VIBRATE"));
    assert_eq!(new, [""; 0]);
    assert_eq!(gone.len(), 3, "nothing empty is left: {gone:?}");
    let (gone, _) = difference(CONFIG, &withdrawn(&widget(&[]), Naming::QueryScheme, "tides"));
    assert_eq!(gone.len(), 5, "{gone:?}");
    let (gone, new) = difference(DESCRIPTION, &withdrawn(&described(&[]), Naming::Permission, "VIBRATE"));
    assert_eq!((gone.len(), new.len()), (2, 1), "{gone:?} {new:?}");
}

#[test]
fn app_json_is_judged_where_nothing_has_been_generated() {
    let app = load(&described(&[ANDROID[0], "ios.query-scheme = 'tel'", "ios.usage = 'NSContactsUsageDescription'"]));
    assert_eq!(app.layouts, [Layout::Npm, Layout::AppJson]);
    assert_eq!(
        found(&app),
        [
            "purpose-missing NSContactsUsageDescription app.json:6",
            "query-scheme-missing tel app.json:9",
            "permission-missing android.permission.CALL_PHONE app.json:12",
        ]
    );
}

#[test]
fn what_is_wanted_is_written_into_app_json_with_its_comments_kept() {
    let text = mended(
        &described(&[
            ANDROID[0],
            "ios.query-scheme = 'tel'",
            "ios.usage = 'NSContactsUsageDescription'",
            "ios.entitlement = { key = 'aps-environment', value = 'development' }",
            "ios.domain = 'applinks:marram.example'",
        ]),
        "app.json",
    );
    assert!(text.contains("// The field notebook."), "{text}");
    for line in [
        "\"permissions\": [\"VIBRATE\", \"CALL_PHONE\"],",
        "\"LSApplicationQueriesSchemes\": [\"tides\", \"tel\"],",
        "\"NSContactsUsageDescription\": \"Finds your colleagues.\"",
        "\"associatedDomains\": [\"applinks:marram.example\"]",
        "\"aps-environment\": \"development\"",
        "\"host\": \"marram.example\"",
    ] {
        assert!(text.contains(line), "{line} is not in\n{text}");
    }
}

#[test]
fn what_app_json_has_no_field_for_is_left_to_a_person_with_the_lines() {
    let app = load(&described(&[ANDROID[2], ANDROID[4]]));
    let report = check(&app, &settings());
    let steps: Vec<_> =
        report.findings.iter().filter(|one| one.level == Level::Error).map(|one| one.remedy.text()).collect();
    assert_eq!(steps.len(), 2, "{steps:?}");
    assert!(steps.iter().any(|steps| steps.contains("android:largeHeap=\"true\" on <application>")), "{steps:?}");
    assert!(
        steps
            .iter()
            .any(|steps| steps.contains("<meta-data android:name=\"example.plover.MODE\" android:value=\"quiet\" />")),
        "{steps:?}"
    );
    assert!(fill(&app, &settings()).expect("they settle").changed.is_empty());
}

#[test]
fn schemes_and_filters_of_app_json_open_both_platforms() {
    let mut tree = described(&[]);
    let filters = "\"package\": \"example.marram.fieldlog\",\n    \"intentFilters\": [{ \"action\": \"VIEW\", \"autoVerify\": true, \"data\": { \"scheme\": \"https\", \"host\": \"marram.example\" }, \"category\": [\"DEFAULT\", \"BROWSABLE\"] }],";
    let text = DESCRIPTION
        .replace("\"slug\": \"marram\",", "\"slug\": \"marram\",\n  \"scheme\": \"marram\",")
        .replace("\"package\": \"example.marram.fieldlog\",", filters);
    tree.put("/app/app.json", text);
    let app = load(&tree);
    let (surface, settings) = (Surface::read(&app, &app.sources), settings());
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let links = context.links_at_home();
    let schemes: Vec<_> = links.ios.iter().flat_map(|ios| &ios.schemes).map(|one| one.scheme.as_str()).collect();
    assert_eq!(schemes, ["marram"]);
    let android = links.first_android().unwrap();
    let filters: Vec<_> = android
        .link_filters()
        .map(|(_, filter)| {
            let place = filter.place.unwrap();
            format!(
                "{} {}:{}",
                filter.schemes().join(","),
                app.sources.file(place.file).shown,
                app.sources.position(place).line
            )
        })
        .collect();
    assert_eq!(filters, ["marram app.json:5", "https app.json:15"]);
}

#[test]
fn folders_that_are_kept_are_what_is_built_and_those_that_are_ignored_are_made_anew() {
    let manifest = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><application/></manifest>";
    let gradle = "plugins { id 'com.android.application' }\nandroid { namespace 'example.marram' }\n";
    let mut tree = described(&[ANDROID[0]]);
    tree.put("/app/android/app/build.gradle", gradle);
    tree.put("/app/android/app/src/main/AndroidManifest.xml", manifest);
    let kept = load(&tree);
    assert!(kept.generated.is_none());
    let file = "android/app/src/main/AndroidManifest.xml";
    assert!(
        found(&kept).iter().any(|one| *one == format!("permission-missing android.permission.CALL_PHONE {file}:1"))
    );
    assert!(
        kept.notices.iter().any(|one| one.contains("what app.json says has no effect until it is generated again"))
    );
    tree.put("/app/.gitignore", "node_modules/\n/android\n");
    let made = load(&tree);
    assert!(made.generated.is_some());
    assert!(found(&made).iter().any(|one| one == "permission-missing android.permission.CALL_PHONE app.json:12"));
    assert!(
        made.notices.iter().any(|one| one.contains("app.json is what is looked at and mended")),
        "{:?}",
        made.notices
    );
}

#[test]
fn of_a_script_in_its_place_what_is_literal_is_read_and_nothing_is_written() {
    let mut tree = described(&[ANDROID[0]]);
    let script = format!("const base = require('./base');\nmodule.exports = () => ({DESCRIPTION});\n");
    tree.put("/app/app.config.js", script);
    let mut without = Memory::app([
        ("package.json", "{ \"dependencies\": { \"plover-dialer\": \"1.0.0\" } }"),
        ("node_modules/plover-dialer/package.json", "{ \"name\": \"plover-dialer\", \"version\": \"1.0.0\" }"),
    ]);
    without.put("/app/elvask/sheets/plover.toml", sheet(&[ANDROID[0]]));
    without.put(
        "/app/app.config.js",
        format!("const base = require('./base');\nmodule.exports = () => ({DESCRIPTION});\n"),
    );
    let app = load(&without);
    assert_eq!(app.android.as_ref().and_then(|android| android.id.value.as_deref()), Some("example.marram.fieldlog"));
    assert_eq!(found(&app), ["permission-missing android.permission.CALL_PHONE app.config.js:13"]);
    assert!(app.unresolved.iter().any(|one| one.what.contains("is a script")));
    assert!(fill(&app, &settings()).expect("they settle").changed.is_empty(), "a script is not written");
}

/// Of every kind, `home` says where it is written, and that is where it is written: an entry of the document, or steps for a person.
#[test]
fn every_kind_is_written_where_its_layout_has_its_home() {
    // Of what nobody can know before a folder is made, nothing is said.
    let unknown = [Kind::Level, Kind::MinVersion, Kind::Gradle, Kind::BuildSetting, Kind::Resource];
    for spec in KINDS.into_iter().filter(|spec| spec.about().is_written) {
        let about = spec.about();
        for document in ["config.xml", "app.json"] {
            // One of two examples may be in the document already.
            let said = about.examples.iter().filter(|example| {
                let example = example.replace("{answer}", "quiet");
                let tree = if document == "config.xml" { widget(&[&example]) } else { described(&[&example]) };
                is_mended_at_home(&load(&tree), about.kind, document, &example)
            });
            assert_eq!(said.count() == 0, unknown.contains(&about.kind), "{document}: {:?}", about.kind);
        }
    }
}

/// Says whether a finding tells of what a sheet wants, having seen that it is mended where the layout has its home.
fn is_mended_at_home(app: &App, kind: Kind, document: &str, example: &str) -> bool {
    let platform = kind.platform().expect("what both have is not written");
    let home =
        app.layouts.iter().map(|layout| home_of(*layout, kind, platform)).next_back().expect("there is a layout");
    let mut settings = settings();
    settings.purposes.push(("NSMicrophoneUsageDescription".to_owned(), "Records calls.".to_owned()));
    let about_it = |one: &Finding| one.needed_by.iter().any(|needed| needed.plugin == "plover-dialer");
    let Some(found) = check(app, &settings).findings.into_iter().find(about_it) else { return false };
    match (home, &found.remedy) {
        (Home::Entry { file, .. }, Remedy::Edit { edits, .. }) => {
            assert_eq!(file, document);
            assert!(edits.iter().all(|(file, _)| app.sources.file(*file).shown == document), "{example}");
        }
        (Home::Steps(_), Remedy::Manual(steps)) => assert!(!steps.is_empty(), "{example}"),
        // Two attributes have a field of their own; others have none.
        (Home::Steps(_), Remedy::Edit { .. }) => assert_eq!(kind, Kind::Attribute, "{document}: {example}"),
        // A list of names has no place for what else is said of a permission.
        (Home::Entry { .. }, Remedy::Manual(steps)) => {
            assert_eq!((document, kind), ("app.json", Kind::Permission), "{example}");
            assert!(steps.contains("maxSdkVersion"), "{steps}");
        }
        other => panic!("{document}: {example}: {other:?}"),
    }
    true
}

#[test]
fn a_plugin_is_read_as_its_tools_read_it() {
    // Versions with `<` stand in attribute values of many plugins; readers that go by letter take them.
    let mut tree = widget(&[]);
    let plugin = PLUGIN.replace(
        "    <preference name=",
        "    <engines><engine name=\"app-android\" version=\">=4.0.0 <10.0.0\" /></engines>\n    <preference name=",
    );
    assert_ne!(plugin, PLUGIN);
    tree.put("/app/plugins/tern-camera/plugin.xml", plugin);
    let app = load(&tree);
    assert!(app.notices.iter().all(|notice| !notice.contains("cannot be read")), "{:?}", app.notices);
    assert!(app.plugins().iter().any(|plugin| plugin.name == "tern-camera"));
}
