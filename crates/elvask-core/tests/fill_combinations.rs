//! Whatever packages need, whatever an app has already and however it is laid out: `fill` does no harm.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use elvask_core::app::{App, Choice};
use elvask_core::check::{Report, check};
use elvask_core::fill::{fill_only, fill_through};
use elvask_core::finding::{Edits, Finding, Level};
use elvask_core::needs::Settings;
use elvask_needs::remedy::Remedy;
use elvask_project::files::{Files, Memory};
use proptest::prelude::*;
use proptest::sample::select;

/// Things that packages require, of every kind.
const REQUIRED: [&str; 40] = [
    "capability = 'camera'",
    "capability = 'location'",
    "capability = 'open-phone'",
    "capability = 'push'",
    "capability = 'background-audio'",
    "capability = 'share-text'",
    "android.permission = 'android.permission.NFC'",
    "android.permission = 'android.permission.CAMERA'\nmax-level = 30",
    "android.feature = { name = 'android.hardware.nfc', required = false }",
    "android.feature = 'android.hardware.camera'",
    "android.query = { package = 'example.a' }",
    "android.query = { action = 'android.intent.action.VIEW', scheme = 'https' }",
    "android.meta-data = { name = 'example.E', value = 'one' }",
    "android.meta-data = { name = 'example.F', resource = '@xml/f' }",
    "android.meta-data = { name = 'example.G', value = '@string/g', in = 'launcher' }",
    "android.resource = { type = 'string', name = 'g', value = 'quiet' }",
    "android.filter = { on = 'launcher', action = 'android.intent.action.VIEW', category = ['android.intent.category.DEFAULT', 'android.intent.category.BROWSABLE'], scheme = 'marram' }",
    "android.filter = { on = 'launcher', action = 'android.intent.action.VIEW', category = ['android.intent.category.DEFAULT', 'android.intent.category.BROWSABLE'], scheme = ['http', 'https'], host = ['marram.example', 'log.marram.example'] }",
    "android.filter = { on = 'launcher', action = ['android.intent.action.SEND', 'android.intent.action.SEND_MULTIPLE'], category = ['android.intent.category.DEFAULT'], mime = ['image/*', 'text/plain'] }",
    "android.component = { kind = 'service', name = 'example.S', exported = false, foreground-type = 'location' }\n\n[[requires]]\ncapability = 'location'",
    "android.component = { kind = 'receiver', name = 'example.R', action = ['android.intent.action.BOOT_COMPLETED'] }",
    "android.component = { kind = 'provider', name = 'example.P', exported = false, authorities = '{android_id}.files' }",
    "android.attribute = { on = 'launcher', name = 'launchMode', value = 'singleTask' }",
    "android.attribute = { on = 'application', name = 'largeHeap', value = 'true' }",
    "android.levels = { min = 26 }",
    "android.levels = { target = 36, compile = 36 }",
    "android.gradle = { dependency = 'example.wrack:dates', version = '1.2' }",
    "android.gradle = { plugin = 'example.knot.services', version = '4.3' }",
    "android.gradle = { plugin = 'example.unknown.services' }",
    "android.gradle = { repository = 'https://maven.knot.example/releases' }",
    "ios.plist = { key = 'ExampleG', value = ['a', 'b'] }",
    "ios.plist = { key = 'ExampleH', value = true }",
    "ios.query-scheme = 'tel'",
    "ios.url-scheme = 'marram'",
    "ios.domain = 'applinks:marram.example'",
    "ios.background-mode = 'remote-notification'",
    "ios.entitlement = { key = 'com.apple.security.application-groups', value = ['group.example'] }",
    "ios.min-version = '15.5'",
    "ios.build-setting = { name = 'OTHER_LDFLAGS', value = '-ObjC' }",
    "ios.privacy-reason = { category = 'NSPrivacyAccessedAPICategoryUserDefaults', reasons = ['CA92.1'] }",
];

/// What stands in a manifest already, rightly or wrongly.
const TOP: [&str; 8] = [
    "<uses-permission android:name=\"android.permission.CAMERA\" />",
    "<uses-permission android:name=\"andriod.permission.NFC\" />",
    "<uses-permission android:name=\"android.permission.NFC\" tools:node=\"remove\" />",
    "<service android:name=\"example.S\" />",
    "<!-- a word of somebody's -->",
    "<queries />",
    "<meta-data android:name=\"example.E\" android:value=\"two\" />",
    "<uses-feature android:name=\"android.hardware.camera\" android:required=\"false\" />",
];

/// What stands in a property list already.
const ENTRIES: [&str; 8] = [
    "<key>NSCameraUsageDescription</key><string>Photographs the ring.</string>",
    "<key>NSCameraUsagedescription</key><string>Photographs the leg.</string>",
    "<key>LSApplicationQueriesSchemes</key><array><string>tel://</string></array>",
    "<key>UIBackgroundModes</key><array><string>remote-notifications</string></array>",
    "<key>CFBundleURLTypes</key><array><dict><key>CFBundleURLSchemes</key><array><string>marram://</string></array></dict></array>",
    "<key>ExampleG</key><array/>",
    "<key>ExampleH</key><string>YES</string>",
    "<!-- a word about keys -->",
];

const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); developmentRegion = en; }; T = { isa = PBXNativeTarget; name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { isa = XCConfigurationList; buildConfigurations = (C); }; C = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Log/Info.plist; CODE_SIGN_ENTITLEMENTS = Log/Log.entitlements; PRODUCT_BUNDLE_IDENTIFIER = example.log; IPHONEOS_DEPLOYMENT_TARGET = 14.0; }; }; }; rootObject = P; }";

#[derive(Debug, Clone, Copy, PartialEq)]
enum Layout {
    Npm,
    Pubspec,
    Gradle,
    Widget,
    AppJson,
}

const LAYOUTS: [Layout; 5] = [Layout::Npm, Layout::Pubspec, Layout::Gradle, Layout::Widget, Layout::AppJson];

fn native(tree: &mut Memory, top: &[&str], entries: &[&str], kotlin: bool, ios: bool) {
    let lines = |parts: &[&str]| parts.iter().map(|part| format!("    {part}\n")).collect::<String>();
    let manifest = format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{}    <application>\n        <activity android:name=\".Main\" android:exported=\"true\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\" />\n                <category android:name=\"android.intent.category.LAUNCHER\" />\n            </intent-filter>\n        </activity>\n    </application>\n</manifest>\n",
        lines(top)
    );
    let (end, id) =
        if kotlin { (".kts", "id(\"com.android.application\")") } else { ("", "id 'com.android.application'") };
    let set = |name: &str, value: &str| if kotlin { format!("{name} = {value}") } else { format!("{name} {value}") };
    let build = format!(
        "plugins {{\n    {id}\n}}\nandroid {{\n    {}\n    {}\n    defaultConfig {{\n        {}\n        {}\n        {}\n    }}\n}}\n\ndependencies {{\n}}\n",
        set("namespace", "\"example.log\""),
        set("compileSdk", "34"),
        set("applicationId", "\"example.log\""),
        set("minSdk", "24"),
        set("targetSdk", "34"),
    );
    let version = if kotlin { "version \"8.7.0\"" } else { "version '8.7.0'" };
    tree.put("/app/android/app/src/main/AndroidManifest.xml", manifest);
    tree.put(format!("/app/android/app/build.gradle{end}"), build);
    tree.put(format!("/app/android/build.gradle{end}"), format!("plugins {{\n    {id} {version} apply false\n}}\n"));
    let include = if kotlin { "include(\":app\")" } else { "include ':app'" };
    tree.put(
        format!("/app/android/settings.gradle{end}"),
        format!("dependencyResolutionManagement {{\n    repositories {{\n        google()\n    }}\n}}\n{include}\n"),
    );
    if ios {
        let plist = format!(
            "<plist version=\"1.0\">\n<dict>\n    <key>CFBundleName</key>\n    <string>Log</string>\n{}</dict>\n</plist>\n",
            lines(entries)
        );
        tree.put("/app/ios/Log.xcodeproj/project.pbxproj", PROJECT);
        tree.put("/app/ios/Log/Info.plist", plist);
        tree.put("/app/ios/Log/Log.entitlements", "<plist version=\"1.0\">\n<dict>\n</dict>\n</plist>\n");
    }
}

fn app(layout: Layout, required: &[Vec<&str>], top: &[&str], entries: &[&str], kotlin: bool) -> Memory {
    let mut tree = Memory::default();
    let sheet = |required: &[&str]| required.iter().map(|one| format!("[[requires]]\n{one}\n")).collect::<String>();
    let names: Vec<String> = (0..required.len()).map(|at| format!("p{at}")).collect();
    for (name, required) in names.iter().zip(required) {
        let root =
            if layout == Layout::Pubspec { format!("/pkgs/{name}") } else { format!("/app/node_modules/{name}") };
        if layout == Layout::Gradle {
            tree.put(
                format!("/app/elvask/sheets/{name}.toml"),
                format!("sheet = 1\nplugin = 'example.{name}:lib'\n{}", sheet(required)),
            );
            continue;
        }
        tree.put(format!("{root}/package.json"), format!("{{\"name\":\"{name}\",\"version\":\"1.0.0\"}}"));
        tree.put(format!("{root}/pubspec.yaml"), format!("name: {name}\nversion: 1.0.0\n"));
        tree.put(format!("{root}/elvask-sheet.toml"), format!("sheet = 1\n{}", sheet(required)));
    }
    let package = |more: &str| {
        let names: Vec<_> = names.iter().map(|name| format!("\"{name}\":\"1\"")).collect();
        format!("{{{more}\"dependencies\":{{{}}}}}", names.join(","))
    };
    match layout {
        Layout::Npm => {
            tree.put("/app/package.json", package(""));
            native(&mut tree, top, entries, kotlin, true);
        }
        Layout::Pubspec => {
            let lines: String = names.iter().map(|name| format!("  {name}: ^1.0.0\n")).collect();
            tree.put("/app/pubspec.yaml", format!("name: log\ndependencies:\n{lines}"));
            let packages: Vec<_> = names
                .iter()
                .map(|name| {
                    format!("{{\"name\":\"{name}\",\"rootUri\":\"file:///pkgs/{name}\",\"packageUri\":\"lib/\"}}")
                })
                .collect();
            let config = format!("{{\"configVersion\":2,\"packages\":[{}]}}", packages.join(","));
            tree.put("/app/.dart_tool/package_config.json", config);
            native(&mut tree, top, entries, kotlin, true);
        }
        Layout::Gradle => {
            native(&mut tree, top, entries, kotlin, false);
            let path = if kotlin { "/app/android/app/build.gradle.kts" } else { "/app/android/app/build.gradle" };
            let text = String::from_utf8(tree.read(Path::new(path)).unwrap()).unwrap();
            let call = |name: &String| {
                let coordinate = format!("example.{name}:lib:1.0.0");
                if kotlin {
                    format!("    implementation(\"{coordinate}\")\n")
                } else {
                    format!("    implementation '{coordinate}'\n")
                }
            };
            let lines: String = names.iter().map(call).collect();
            tree.put(path, text.replace("dependencies {\n", &format!("dependencies {{\n{lines}")));
        }
        Layout::Widget => {
            tree.put("/app/package.json", package(""));
            tree.put(
                "/app/config.xml",
                "<?xml version='1.0' encoding='utf-8'?>\n<widget id=\"example.log\" version=\"1.0.0\" xmlns=\"http://www.w3.org/ns/widgets\" xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <name>Log</name>\n    <platform name=\"android\">\n    </platform>\n    <platform name=\"ios\">\n    </platform>\n</widget>\n",
            );
        }
        Layout::AppJson => {
            tree.put("/app/package.json", package(""));
            tree.put(
                "/app/app.json",
                "{\n  \"name\": \"Log\",\n  \"slug\": \"log\",\n  \"ios\": { \"bundleIdentifier\": \"example.log\" },\n  \"android\": { \"package\": \"example.log\" }\n}\n",
            );
        }
    }
    // The Gradle layout has its root where its settings are.
    tree
}

/// How people lay their files out.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Style {
    Spaces,
    Two,
    Tabs,
    Windows,
    Marked,
}

const STYLES: [Style; 5] = [Style::Spaces, Style::Two, Style::Tabs, Style::Windows, Style::Marked];

/// Lays the manifest and the property lists of an app out in a style.
fn styled(tree: &mut Memory, style: Style) {
    let files =
        ["/app/android/app/src/main/AndroidManifest.xml", "/app/ios/Log/Info.plist", "/app/ios/Log/Log.entitlements"];
    for path in files {
        let Ok(bytes) = tree.read(Path::new(path)) else { continue };
        let text = String::from_utf8(bytes).unwrap();
        let text = match style {
            Style::Spaces => text,
            Style::Two => text.replace("    ", "  "),
            Style::Tabs => text.replace("    ", "\t"),
            Style::Windows => text.replace('\n', "\r\n"),
            Style::Marked => format!("\u{FEFF}<?xml version=\"1.0\" encoding=\"utf-8\"?>\n{text}"),
        };
        tree.put(path, text);
    }
}

fn errors(report: &Report) -> BTreeSet<(&'static str, String)> {
    let open = report.findings.iter().filter(|one| one.counts() && one.level == Level::Error);
    open.map(|one| (one.rule.id, one.subject.clone())).collect()
}

/// Returns the lines of a text that may stand in it once alone, each with the number of times that it does.
///
/// A document of the layout `widget` states entitlements for the desk and for the store.
fn doubled(text: &str) -> Vec<String> {
    let mut seen: Vec<&str> = Vec::new();
    let mut out = Vec::new();
    let once = |line: &str| {
        ["<uses-permission ", "<uses-feature ", "<package ", "<string>applinks:", "<string>remote-", "<string>marram"]
            .iter()
            .any(|start| line.starts_with(start))
    };
    for line in text.lines().map(str::trim) {
        if line.contains("Entitlements-Release.plist") {
            seen.clear();
        }
        if !once(line) {
            continue;
        }
        if seen.contains(&line) {
            out.push(line.to_owned());
        }
        seen.push(line);
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn mending_does_no_harm(
        layout in select(LAYOUTS.to_vec()),
        required in prop::collection::vec(prop::collection::vec(select(REQUIRED.to_vec()), 0..6), 1..4),
        top in prop::collection::vec(select(TOP.to_vec()), 0..5),
        entries in prop::sample::subsequence(ENTRIES.to_vec(), 0..5),
        kotlin in any::<bool>(),
        style in select(STYLES.to_vec()),
    ) {
        let mut tree = app(layout, &required, &top, &entries, kotlin);
        styled(&mut tree, style);
        let root = if layout == Layout::Gradle { "/app/android" } else { "/app" };
        if layout == Layout::Gradle {
            // Its sheets lie beside its settings.
            for at in 0..required.len() {
                let sheet = tree.read(Path::new(&format!("/app/elvask/sheets/p{at}.toml"))).unwrap();
                tree.put(format!("/app/android/elvask/sheets/p{at}.toml"), sheet);
            }
        }
        let load = |tree: &Memory| App::load(tree, Path::new(root), &[]).unwrap();
        let purposes = ["camera", "location", "microphone"];
        let settings = Settings {
            purposes: purposes.iter().map(|name| ((*name).to_owned(), format!("Serves the log with {name}."))).collect(),
            ..Settings::default()
        };
        let before = load(&tree);
        let report = check(&before, &settings);
        let old = errors(&report);
        // What is shown as the remedy is what is written.
        let same = |one: &Finding, other: &Finding| {
            (one.rule.id, &one.subject, &one.message) == (other.rule.id, &other.subject, &other.message)
        };
        let alone = report.findings.iter().filter(|one| report.findings.iter().filter(|other| same(one, other)).count() == 1);
        for finding in alone {
            let Remedy::Edit { edits, .. } = &finding.remedy else { continue };
            let mut all = Edits::default();
            let mut shown = before.sources.clone();
            prop_assert!(all.add(edits).is_ok() && all.apply(&mut shown).is_ok());
            let mended = fill_only(&before, &settings, |one| same(one, finding)).unwrap();
            for (file, _) in edits {
                let (shown, written) = (&shown.file(*file).text, &mended.sources.file(*file).text);
                prop_assert_eq!(shown, written, "{}: {}", finding.rule.id, finding.message);
            }
        }
        let filled = fill_through(&tree, &Choice::default(), &before, &settings);
        let filled = match filled {
            Ok(filled) => filled,
            Err(error) => return Err(TestCaseError::fail(format!("{layout:?}: {error}"))),
        };
        let restless = filled.left.findings.iter().find(|one| one.remedy.text().contains("does not settle"));
        prop_assert!(restless.is_none(), "{layout:?}: {restless:#?}");
        let mut written: Vec<PathBuf> = Vec::new();
        for file in &filled.changed {
            let file = filled.sources.file(*file);
            prop_assert!(file.path.starts_with(root) && !file.path.to_string_lossy().contains("node_modules"), "{:?}", file.path);
            let was = tree.read(&file.path).map(|bytes| String::from_utf8(bytes).unwrap()).unwrap_or_default();
            let known = doubled(&was);
            let new: Vec<_> = doubled(&file.text).into_iter().filter(|line| !known.contains(line)).collect();
            prop_assert!(new.is_empty(), "{layout:?}: doubled in {:?}: {new:?}\n{}", file.path, file.text);
            if style == Style::Windows && file.path.to_string_lossy().ends_with("AndroidManifest.xml") && layout != Layout::Widget {
                prop_assert_eq!(file.text.matches('\n').count(), file.text.matches("\r\n").count(), "{:?}", file.text);
            }
            tree.put(file.path.clone(), file.text.as_bytes());
            written.push(file.path.clone());
        }
        let after = load(&tree);
        let new: Vec<_> = errors(&check(&after, &settings)).difference(&old).cloned().collect();
        prop_assert!(new.is_empty(), "{layout:?}: new errors {new:?} after {written:?}");
        let twice = fill_through(&tree, &Choice::default(), &after, &settings).unwrap();
        let names: Vec<_> = twice.mended.iter().map(|one| format!("{} {}", one.rule.id, one.subject)).collect();
        prop_assert!(twice.changed.is_empty(), "{layout:?}: a second time: {names:?}");
    }
}
