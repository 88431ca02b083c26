//! What holds for every kind of requirement, whichever it is: made of the kinds' own examples, so that a new kind is looked at here
//! without a line more.

use std::path::Path;

use elvask_core::Kind;
use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::context::Context;
use elvask_core::fill::{Outcome, fill, fill_only};
use elvask_core::finding::Finding;
use elvask_core::needs::Settings;
use elvask_core::survey::survey;
use elvask_core::withdraw::removals;
use elvask_needs::kinds::{KINDS, KindSpec, is_met};
use elvask_needs::remedy::Remedy;
use elvask_needs::sheet::{Asked, Sheet};
use elvask_platform::Level;
use elvask_project::files::Memory;
use elvask_project::scene::Scene;
use elvask_project::surface::Surface;

const MANIFEST: &str = r#"<manifest xmlns:android="http://schemas.android.com/apk/res/android">

    <uses-permission android:name="android.permission.INTERNET" />

    <application android:label="@string/app_name">
        <activity
            android:name=".MainActivity"
            android:exported="true"
            android:launchMode="singleTask">
            <intent-filter>
                <action android:name="android.intent.action.MAIN" />
                <category android:name="android.intent.category.LAUNCHER" />
            </intent-filter>
        </activity>
    </application>

    <queries>
        <package android:name="example.charts.app" />
    </queries>

</manifest>
"#;

const MODULE: &str = "plugins {\n    id 'com.android.application'\n    id 'example.base'\n}\n\nandroid {\n    namespace 'example.marram'\n    compileSdk 35\n    defaultConfig {\n        applicationId 'example.marram.fieldlog'\n        minSdk 24\n        targetSdk 35\n    }\n}\n\ndependencies {\n    implementation 'example.base:core:1.0'\n}\n";

const PROJECT: &str = r#"// !$*UTF8*$!
{
	objects = {
		PROJ /* Project object */ = {
			isa = PBXProject;
			buildConfigurationList = PLIST;
			developmentRegion = en;
			mainGroup = GROUP;
			targets = (
				TARGET,
			);
		};
		GROUP = {
			isa = PBXGroup;
			children = (
			);
			sourceTree = "<group>";
		};
		TARGET = {
			isa = PBXNativeTarget;
			name = Marram;
			productType = "com.apple.product-type.application";
			buildConfigurationList = TLIST;
		};
		PLIST = {
			isa = XCConfigurationList;
			buildConfigurations = (
				PDEBUG,
				PRELEASE,
			);
		};
		TLIST = {
			isa = XCConfigurationList;
			buildConfigurations = (
				TDEBUG,
				TRELEASE,
			);
		};
		PDEBUG = {
			isa = XCBuildConfiguration;
			buildSettings = {
				OTHER_LDFLAGS = "-all_load";
			};
			name = Debug;
		};
		PRELEASE = {
			isa = XCBuildConfiguration;
			buildSettings = {
				OTHER_LDFLAGS = "-all_load";
			};
			name = Release;
		};
		TDEBUG = {
			isa = XCBuildConfiguration;
			buildSettings = {
				CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements;
				INFOPLIST_FILE = Marram/Info.plist;
				IPHONEOS_DEPLOYMENT_TARGET = 15.1;
				PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog;
			};
			name = Debug;
		};
		TRELEASE = {
			isa = XCBuildConfiguration;
			buildSettings = {
				CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements;
				INFOPLIST_FILE = Marram/Info.plist;
				IPHONEOS_DEPLOYMENT_TARGET = 15.1;
				PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog;
			};
			name = Release;
		};
	};
	rootObject = PROJ;
}
"#;

fn list(inside: &str) -> String {
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\">\n<dict>\n    <key>CFBundleName</key>\n    <string>Marram</string>\n{inside}</dict>\n</plist>\n"
    )
}

/// Returns an app with plugins, each with the body of its sheet.
fn app(plugins: &[(&str, String)]) -> Memory {
    let dependencies: Vec<_> = plugins.iter().map(|(name, _)| format!("    \"{name}\": \"1\"")).collect();
    let mut tree = Memory::app([
        ("android/settings.gradle", "include ':app'\n"),
        ("android/app/build.gradle", MODULE),
        ("android/app/src/main/AndroidManifest.xml", MANIFEST),
        (
            "android/app/src/main/res/values/strings.xml",
            "<resources>\n    <string name=\"app_name\">Marram</string>\n</resources>\n",
        ),
        ("ios/Marram.xcodeproj/project.pbxproj", PROJECT),
    ]);
    tree.put("/app/ios/Marram/Info.plist", list(""));
    tree.put("/app/ios/Marram/Marram.entitlements", list(""));
    tree.put("/app/package.json", format!("{{\n  \"dependencies\": {{\n{}\n  }}\n}}\n", dependencies.join(",\n")));
    for (name, body) in plugins {
        let root = format!("/app/node_modules/{name}");
        tree.put(format!("{root}/package.json"), format!("{{\"name\":\"{name}\",\"version\":\"2.1.0\"}}"));
        tree.put(
            format!("{root}/elvask-sheet.toml"),
            format!("sheet = 1\n{body}\n[answers.answer]\ntitle = 'What it is'\n"),
        );
    }
    tree
}

fn settings(plugins: &[&str]) -> Settings {
    let mut settings = Settings::default();
    for name in plugins {
        settings.answers.push(((*name).to_owned(), "answer".to_owned(), "knot-48210077".to_owned()));
    }
    // What is not written unasked is another test's affair.
    let examples = KINDS.iter().filter(|spec| spec.about().key.is_some()).flat_map(|spec| spec.about().examples);
    for asked in examples.flat_map(asked) {
        if let Asked::Need { name, .. } = asked {
            let name = name.replace("{answer}", "knot-48210077");
            settings.consents.extend([format!("{name}@launcher"), name]);
        }
    }
    for key in ["NSCameraUsageDescription", "NSMicrophoneUsageDescription"] {
        settings.purposes.push((key.to_owned(), "Photographs the ring on a bird's leg.".to_owned()));
    }
    settings
}

fn load(tree: &Memory) -> App {
    App::load(tree, Path::new("/app"), &[]).expect("the app can be read")
}

fn filled(app: &App, settings: &Settings) -> Outcome {
    fill(app, settings).expect("the remedies settle")
}

/// Returns the texts that are not those of the app, by name.
fn changed(before: &App, after: &Outcome) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for (old, new) in before.sources.all().zip(after.sources.all()) {
        if old.text != new.text {
            out.push((new.shown.clone(), new.text.to_string()));
        }
    }
    out
}

/// Returns the tree with texts written into it.
fn with(mut tree: Memory, texts: &[(String, String)]) -> Memory {
    for (name, text) in texts {
        tree.put(format!("/app/{name}"), text.clone());
    }
    tree
}

fn requires(entry: &str) -> String {
    format!("[[requires]]\n{entry}\n")
}

/// Returns what a plugin needs of an app and does not get.
fn lacking(app: &App, settings: &Settings) -> Vec<String> {
    let needed = |finding: &Finding| finding.level > Level::Note && !finding.needed_by.is_empty();
    let report = check(app, settings);
    report
        .findings
        .iter()
        .filter(|finding| needed(finding))
        .map(|finding| format!("{} {}", finding.rule.id, finding.subject))
        .collect()
}

/// Goes through the kinds that a sheet can state.
fn stated() -> impl Iterator<Item = (&'static str, &'static dyn KindSpec)> {
    KINDS.into_iter().filter(|spec| spec.about().key.is_some()).map(|spec| (spec.about().kind.id(), spec))
}

/// Goes through those of them that a machine can write.
fn written() -> impl Iterator<Item = (&'static str, &'static dyn KindSpec)> {
    stated().filter(|(_, spec)| spec.about().is_written)
}

fn asked(entry: &str) -> Vec<Asked> {
    let text = format!("sheet = 1\nplugin = 'p'\n{}[answers.answer]\n", requires(entry));
    let (sheet, problems) = Sheet::parse(&text, None);
    assert_eq!(problems, [], "{entry}");
    sheet.requires.into_iter().map(|required| required.asked).collect()
}

#[test]
fn all_kinds_are_listed() {
    let listed: Vec<_> = KINDS.iter().map(|spec| spec.about().kind).collect();
    assert_eq!(listed, Kind::ALL);
}

#[test]
fn what_is_read_is_written_back() {
    for (word, spec) in stated() {
        for example in spec.about().examples {
            let read = asked(example);
            let [Asked::Need { name, need }] = read.as_slice() else { panic!("{word}: {read:?}") };
            assert_eq!(need.kind(), spec.about().kind, "{example}");
            let written = spec.write(name, need).unwrap_or_else(|| panic!("{word} is not written"));
            assert_eq!(asked(&written), read, "{example}\n{written}");
            assert!(!spec.belongs(name, need).is_empty(), "{word}");
            assert!(!spec.schema().is_null(), "{word}");
        }
    }
}

#[test]
fn what_is_filled_in_is_met_and_a_second_time_changes_nothing() {
    for (word, spec) in written() {
        for example in spec.about().examples {
            let tree = app(&[("tern_camera", requires(example))]);
            let (before, settings) = (load(&tree), settings(&["tern_camera"]));
            assert!(!lacking(&before, &settings).is_empty(), "{word}: nothing is said of {example}");
            let after = filled(&before, &settings);
            let texts = changed(&before, &after);
            assert!(!texts.is_empty(), "{word}: nothing is written for {example}");
            let mended = load(&with(tree, &texts));
            assert_eq!(lacking(&mended, &settings), [""; 0], "{word}: {texts:?}");
            let [Asked::Need { name, need }] = &asked(example)[..] else { panic!("{word}") };
            let surface = Surface::read(&mended, &mended.sources);
            assert!(is_met(&Scene::new(&mended, &mended.sources, &surface), name, need), "{word}: {texts:?}");
            assert_eq!(changed(&mended, &filled(&mended, &settings)), [], "{word}: a second time");
        }
    }
}

#[test]
fn what_only_a_person_can_put_there_is_told_with_steps_and_nothing_is_written() {
    for (word, spec) in stated().filter(|(_, spec)| !spec.about().is_written) {
        for example in spec.about().examples {
            let before = load(&app(&[("tern_camera", requires(example))]));
            let settings = settings(&["tern_camera"]);
            let report = check(&before, &settings);
            let found: Vec<_> = report.findings.iter().filter(|one| !one.needed_by.is_empty()).collect();
            assert_eq!(found.len(), 1, "{word}: {example}");
            assert!(matches!(&found[0].remedy, Remedy::Manual(steps) if !steps.is_empty()), "{word}");
            assert_eq!(changed(&before, &filled(&before, &settings)), [], "{word}");
        }
    }
}

#[test]
fn one_of_several_alternatives_is_enough() {
    for (word, spec) in written() {
        let [first, second] = spec.about().examples;
        let tree = app(&[("tern_camera", requires(second))]);
        let before = load(&tree);
        let texts = changed(&before, &filled(&before, &settings(&["tern_camera"])));
        // The second is there now; of both of which one is enough nothing is wanted any more.
        let either = format!("{}one-of = 'way'\n{}one-of = 'way'\n", requires(first), requires(second));
        let settings = settings(&["tern_camera"]);
        let mut tree = with(tree, &texts);
        tree.put("/app/node_modules/tern_camera/elvask-sheet.toml", format!("sheet = 1\n{either}[answers.answer]\n"));
        let both = load(&tree);
        assert_eq!(lacking(&both, &settings), [""; 0], "{word}: the other one is demanded");
        assert_eq!(changed(&both, &filled(&both, &settings)), [], "{word}: the other one is written");
    }
}

#[test]
fn several_plugins_that_need_one_thing_are_told_together() {
    for (word, spec) in stated() {
        for example in spec.about().examples {
            let app = load(&app(&[("curlew_dictation", requires(example)), ("tern_camera", requires(example))]));
            let report = check(&app, &settings(&["curlew_dictation", "tern_camera"]));
            let found: Vec<_> = report.findings.iter().filter(|one| !one.needed_by.is_empty()).collect();
            assert_eq!(found.len(), 1, "{word}: {found:?}");
            let who: Vec<_> = found[0].needed_by.iter().map(|needed| needed.plugin.as_str()).collect();
            assert_eq!(who, ["curlew_dictation", "tern_camera"], "{word}");
        }
    }
}

#[test]
fn the_survey_names_who_needs_what_is_declared() {
    for (word, spec) in written() {
        for example in spec.about().examples {
            let tree = app(&[("tern_camera", requires(example))]);
            let settings = settings(&["tern_camera"]);
            let before = load(&tree);
            let mended = load(&with(tree, &changed(&before, &filled(&before, &settings))));
            let surface = Surface::read(&mended, &mended.sources);
            let context = Context::new(&mended, &mended.sources, &surface, &settings);
            let [Asked::Need { need, .. }] = &asked(example)[..] else { panic!("{word}") };
            let named = survey(&context).declarations.into_iter().any(|one| {
                one.kind == need.kind().id() && one.needed_by.iter().any(|needed| needed.plugin == "tern_camera")
            });
            assert!(named, "{word}: {example}");
        }
    }
}

#[test]
fn what_was_filled_in_is_withdrawn_byte_for_byte() {
    for (word, spec) in written().filter(|(_, spec)| spec.about().is_removed) {
        for example in spec.about().examples {
            let tree = app(&[("tern_camera", requires(example))]);
            let settings = settings(&["tern_camera"]);
            let before = load(&tree);
            // What one platform has and the other one not is another rule's affair.
            let wanted = |finding: &Finding| !finding.needed_by.is_empty();
            let texts = changed(&before, &fill_only(&before, &settings, wanted).expect("the remedies settle"));
            // Nothing needs it any more.
            let mut tree = with(tree, &texts);
            tree.put("/app/node_modules/tern_camera/elvask-sheet.toml", "sheet = 1\n");
            let declared = load(&tree);
            let surface = Surface::read(&declared, &declared.sources);
            let context = Context::new(&declared, &declared.sources, &surface, &settings);
            let wanted = asked(&example.replace("{answer}", "knot-48210077"));
            let found = removals(&context, &wanted);
            assert!(!found.is_empty(), "{word}: it is not declared");
            let mut sources = declared.sources.clone();
            let mut edits = elvask_core::finding::Edits::default();
            for removal in &found {
                assert!(removal.needed_by.is_empty(), "{word}");
                edits.add(&removal.edits).expect("removals do not touch each other");
            }
            edits.apply(&mut sources).expect("the removal is sound");
            for (old, new) in before.sources.all().map(|old| (old, sources.find(|shown| shown == old.shown))) {
                let new = new.map(|file| sources.file(file).text.to_string());
                let told = texts.iter().any(|(name, _)| *name == old.shown);
                assert!(!told || new.as_deref() == Some(old.text.as_ref()), "{word}: {example}\n{new:?}");
            }
        }
    }
}

/// `ELVASK_WRITE_PAGES=1` writes the rows of the table into the page.
#[test]
#[expect(clippy::disallowed_methods, reason = "the documentation stands in a file")]
fn the_documentation_has_a_row_for_each_kind() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/sheets.md");
    let page = std::fs::read_to_string(&path).unwrap();
    let row = |spec: &'static dyn KindSpec| {
        let (about, key) = (spec.about(), spec.about().key.unwrap_or_default());
        let key = about.kind.platform().map_or_else(|| key.to_owned(), |platform| format!("{}.{key}", platform.id()));
        format!("| `{key}` | {} |\n", about.states)
    };
    let rows: String = stated().map(|(_, spec)| row(spec)).collect();
    let start = page.find("| `android.permission` |").expect("the table starts with permissions");
    let end = start + page[start..].find("\n\n").expect("the table ends") + 1;
    if std::env::var_os("ELVASK_WRITE_PAGES").is_some_and(|_| std::env::var_os("CI").is_none()) {
        std::fs::write(&path, format!("{}{rows}{}", &page[..start], &page[end..])).unwrap();
    } else {
        assert_eq!(&page[start..end], rows, "docs/sheets.md is stale: see above this test");
    }
}
