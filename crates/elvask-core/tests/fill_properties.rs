//! What holds for every app: mending settles, leaves nothing that it could mend, and takes no word of anybody's out.

use std::path::Path;

use elvask_core::app::App;
use elvask_core::fill::fill;
use elvask_core::finding::Level;
use elvask_core::needs::Settings;
use elvask_needs::remedy::Remedy;
use elvask_project::files::Memory;
use proptest::prelude::*;
use proptest::sample::select;

const PROJECT: &str = "{ objects = { P = { targets = (T); developmentRegion = en; }; T = { name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Info.plist; IPHONEOS_DEPLOYMENT_TARGET = 13.0; }; }; }; rootObject = P; }";

/// Things that plugins require; some of them want different values for one name.
const REQUIRED: [&str; 24] = [
    "capability = 'camera'",
    "capability = 'bluetooth'",
    "capability = 'open-phone'",
    "capability = 'open-mail'",
    "capability = 'calendar'",
    "capability = 'photos-read'",
    "capability = 'speech'\noptional = true",
    "android.permission = 'android.permission.BLUETOOTH'",
    "android.permission = 'android.permission.CAMERA'\nmax-level = 30",
    "android.permission = 'android.permission.ACCESS_FINE_LOCATION'",
    "android.query = { package = 'example.a' }",
    "android.query = { authority = 'example.b', }",
    "android.query = { action = 'example.C', category = ['example.D'], mime = 'text/plain' }",
    "android.meta-data = { name = 'example.E', value = 'one' }",
    "android.meta-data = { name = 'example.E', value = 'two' }",
    "android.meta-data = { name = 'example.F', resource = '@xml/f', in = 'launcher' }",
    "android.attribute = { on = 'launcher', name = 'launchMode', value = 'singleTop' }",
    "android.attribute = { on = 'launcher', name = 'launchMode', value = 'singleTask' }",
    "android.attribute = { on = 'application', name = 'largeHeap', value = 'true' }",
    "ios.plist = { key = 'ExampleG', value = ['a', 'b'] }",
    "ios.plist = { key = 'ExampleG', value = ['b', 'c'] }",
    "ios.plist = { key = 'ExampleH', value = { x = true, y = [1] } }",
    "ios.plist = { key = 'ExampleI', value = 7 }",
    "ios.query-scheme = 'tel'",
];

/// What stands at the top of manifests, rightly or wrongly.
const TOP: [&str; 12] = [
    "<uses-permission android:name=\"android.permission.CAMERA\" />",
    "<uses-permission android:name=\"android.permission.CAMERA\" android:maxSdkVersion=\"28\" />",
    "<uses-permission android:name=\"android.permission.BLUETOOTH\"/>",
    "<uses-permission\n        android:name=\"android.permission.BLUETOOTH_ADMIN\"\n        android:maxSdkVersion=\"30\" />",
    "<uses-permission android:name=\"android.permission.BLUETOTH_SCAN\" />",
    "<uses-permission android:name=\"android.permission.READ_CALENDAR\" tools:node=\"remove\" />",
    "<!-- a word of somebody's -->",
    "",
    "<queries>\n        <package android:name=\"example.a\" />\n    </queries>",
    "<queries />",
    "<meta-data android:name=\"example.E\" android:value=\"one\" />",
    "<uses-permission android:name=\"android.permission.WRITE_EXTERNAL_STORAGE\" />",
];

/// What stands inside the application.
const INSIDE: [&str; 8] = [
    "<uses-permission android:name=\"android.permission.RECORD_AUDIO\" />",
    "<uses-permission android:name=\"android.permission.CAMERA\" />",
    "<!-- another word -->",
    "<queries>\n            <intent>\n                <action android:name=\"android.intent.action.DIAL\" />\n            </intent>\n        </queries>",
    "<meta-data android:name=\"example.E\" android:value=\"two\" />",
    "<meta-data android:name=\"example.F\" android:resource=\"@xml/f\" />",
    "<service android:name=\".S\" />",
    "",
];

/// What stands in property lists.
const ENTRIES: [&str; 12] = [
    "<key>NSCameraUsageDescription</key>\n\t<string>Photographs the ring.</string>",
    "<key>NSCameraUsageDescription</key>\n\t<string></string>",
    "<key>NSCalendarsUsageDescription</key>\n\t<string>Shows ringing days.</string>",
    "<key>NSBluetoothAlwaysUsageDescripton</key>\n\t<string>Talks to the reader.</string>",
    "<key>LSApplicationQueriesSchemes</key>\n\t<array>\n\t\t<string>mailto://</string>\n\t</array>",
    "<key>LSApplicationQueriesSchemes</key>\n\t<string>tel</string>",
    "<key>ExampleG</key>\n\t<array/>",
    "<key>ExampleH</key>\n\t<dict>\n\t\t<key>x</key>\n\t\t<string>YES</string>\n\t</dict>",
    "<key>ExampleI</key>\n\t<string>7</string>",
    "<key>ITSAppUsesNonExemptEncryption</key>\n\t<string>no</string>",
    "<!-- a word about keys -->",
    "<key>UIUserInterfaceStyle</key>\n\t<string>light</string>",
];

fn app(required: &[Vec<&str>], top: &[&str], inside: &[&str], entries: &[&str], newline: &str) -> Memory {
    let names: Vec<_> = (0..required.len()).map(|at| format!("\"p{at}\":\"1\"")).collect();
    let mut tree = Memory::app([("package.json", format!("{{\"dependencies\":{{{}}}}}", names.join(",")).as_str())]);
    for (at, required) in required.iter().enumerate() {
        let sheet: String = required.iter().map(|one| format!("[[requires]]\n{one}\n")).collect();
        tree.put(format!("/app/node_modules/p{at}/package.json"), "{\"version\":\"1.0.0\"}");
        tree.put(format!("/app/node_modules/p{at}/elvask-sheet.toml"), format!("sheet = 1\n{sheet}"));
    }
    let lines = |parts: &[&str], indent: &str| parts.iter().map(|part| format!("{indent}{part}\n")).collect::<String>();
    let manifest = format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{}    <application>\n        <activity android:name=\".Main\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\" />\n                <category android:name=\"android.intent.category.LAUNCHER\" />\n            </intent-filter>\n        </activity>\n{}    </application>\n</manifest>\n",
        lines(top, "    "),
        lines(inside, "        ")
    );
    let plist = format!(
        "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleName</key>\n\t<string>Log</string>\n{}</dict>\n</plist>\n",
        lines(entries, "\t")
    );
    tree.put("/app/android/app/src/main/AndroidManifest.xml", manifest.replace('\n', newline));
    tree.put("/app/android/app/build.gradle", "android { defaultConfig {\n minSdk 24\n targetSdk 35\n } }");
    tree.put("/app/ios/Log.xcodeproj/project.pbxproj", PROJECT);
    tree.put("/app/ios/Info.plist", plist.replace('\n', newline));
    tree
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn mending_settles_and_keeps_every_word(
        required in prop::collection::vec(prop::collection::vec(select(REQUIRED.to_vec()), 0..5), 1..4),
        top in prop::collection::vec(select(TOP.to_vec()), 0..6),
        inside in prop::collection::vec(select(INSIDE.to_vec()), 0..5),
        entries in prop::collection::vec(select(ENTRIES.to_vec()), 0..6),
        crlf in any::<bool>(),
    ) {
        let newline = if crlf { "\r\n" } else { "\n" };
        let app = App::load(&app(&required, &top, &inside, &entries, newline), Path::new("/app"), &[]).unwrap();
        let purposes = ["camera", "calendar", "bluetooth", "photos-read", "speech"];
        let settings = Settings {
            purposes: purposes.iter().map(|name| ((*name).to_owned(), format!("Serves the log with {name}."))).collect(),
            ..Settings::default()
        };
        let filled = fill(&app, &settings).unwrap();
        let left = filled.left.findings.iter().find(|finding| finding.level > Level::Note && matches!(finding.remedy, Remedy::Edit { .. }));
        prop_assert!(left.is_none(), "this could be mended: {left:?}");
        let files = [app.android.as_ref().unwrap().manifest.unwrap(), app.ios.as_ref().unwrap().plist.unwrap()];
        for file in files {
            let (before, after) = (&app.sources.file(file).text, &filled.sources.file(file).text);
            prop_assert_eq!(before.matches("<!--").count(), after.matches("<!--").count(), "{}", after);
            if crlf {
                prop_assert_eq!(after.matches('\n').count(), after.matches("\r\n").count(), "{:?}", after);
            }
            for text in ["Photographs the ring.", "Shows ringing days.", "Talks to the reader."] {
                prop_assert!(!before.contains(text) || after.contains(text), "{text} is gone\n{after}");
            }
            prop_assert!(!before.contains("tools:node") || after.contains("tools:node"), "a merge marker is gone\n{after}");
        }
        let again = app.clone().with_sources(filled.sources.clone());
        let twice = fill(&again, &settings).unwrap();
        prop_assert!(twice.changed.is_empty(), "a second time: {:?}", twice.mended);
    }
}
