//! Small apps with everything that a check finds about them: a finding too many is as wrong as one too few.

use std::path::Path;

use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::needs::Settings;
use elvask_project::files::Memory;

const PROJECT: &str = "{ objects = { P = { targets = (T); developmentRegion = en; }; T = { name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Info.plist; IPHONEOS_DEPLOYMENT_TARGET = 15.1; }; }; }; rootObject = P; }";

/// A launcher activity, as every app has one.
const ACTIVITY: &str = "<activity android:name='.Main' android:exported='true'><intent-filter><action android:name='android.intent.action.MAIN'/><category android:name='android.intent.category.LAUNCHER'/></intent-filter></activity>";

#[derive(Default)]
struct Case<'c> {
    /// The body of the plugin's sheet.
    sheet: &'c str,
    /// What stands in the manifest; `ACTIVITY` stands for a launcher activity. Without it there is no Android side.
    manifest: &'c str,
    /// What stands in the root dictionary. Without it there is no iOS side.
    plist: &'c str,
    /// The body of `elvask.toml`.
    toml: &'c str,
    /// The lowest and the target level; 24 and 35 where they are absent.
    levels: Option<(u32, u32)>,
}

impl Case<'_> {
    fn tree(&self) -> Memory {
        let (min, target) = self.levels.unwrap_or((24, 35));
        let mut tree = Memory::app([
            ("package.json", "{\"dependencies\":{\"p\":\"1\"}}"),
            ("node_modules/p/package.json", "{\"version\":\"1.0.0\"}"),
            ("node_modules/p/elvask-sheet.toml", &format!("sheet = 1\n{}", self.sheet)),
        ]);
        if !self.toml.is_empty() {
            tree.put("/app/elvask.toml", format!("elvask = 1\n{}", self.toml));
        }
        if !self.manifest.is_empty() {
            let inside = self.manifest.replace("ACTIVITY", ACTIVITY);
            let text = format!(
                "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{inside}\n</manifest>\n"
            );
            tree.put("/app/android/app/src/main/AndroidManifest.xml", text);
            let gradle = format!(
                "android {{\n namespace 'example.log'\n defaultConfig {{\n minSdk {min}\n targetSdk {target}\n }}\n}}\n"
            );
            tree.put("/app/android/app/build.gradle", gradle);
        }
        if !self.plist.is_empty() {
            tree.put("/app/ios/Log.xcodeproj/project.pbxproj", PROJECT);
            tree.put(
                "/app/ios/Info.plist",
                format!("<plist version=\"1.0\">\n<dict>\n{}\n</dict>\n</plist>\n", self.plist),
            );
        }
        tree
    }

    /// Wants these findings, as `level rule subject line`, and no others.
    #[track_caller]
    fn finds(&self, expected: &[&str]) {
        let app = App::load(&self.tree(), Path::new("/app"), &[]).unwrap();
        // A day on which the store still took all the levels that are tried here.
        let report = check(&app, &Settings { today: Some("2024-05-01".to_owned()), ..Settings::default() });
        let line = |finding: &elvask_core::finding::Finding| {
            let at = app.sources.position(finding.place);
            let subject = finding.subject.replace("android.permission.", "").replace("UsageDescription", "…");
            format!("{} {} {subject} {}", finding.level.id(), finding.rule.id, at.line)
        };
        let found: Vec<_> = report
            .findings
            .iter()
            // Most of the cases are of one side alone, on purpose.
            .filter(|finding| finding.counts() && finding.rule.id != "not-judged")
            .map(line)
            .collect();
        assert_eq!(found, expected);
    }
}

/// One requirement.
fn needs(required: &str) -> String {
    format!("[[requires]]\n{required}\n")
}

#[test]
fn permissions() {
    let camera = needs("capability = 'camera'");
    let case = |manifest: &str, expected: &[&str]| Case { sheet: &camera, manifest, ..Case::default() }.finds(expected);
    case("<application/>", &["error permission-missing CAMERA 1"]);
    case("<uses-permission android:name='android.permission.CAMERA'/>", &[]);
    case("<uses-permission-sdk-23 android:name='android.permission.CAMERA'/>", &[]);
    case("<uses-permission android:name='android.permission.CAMERA' tools:node='merge'/>", &[]);
    case(
        "<uses-permission android:name='android.permission.CAMERA' tools:node='remove'/>",
        &["error permission-stripped CAMERA 2"],
    );
    case(
        "<uses-permission android:name='android.permission.CAMERA' tools:node='remove'/>\n<uses-permission android:name='android.permission.CAMERA'/>",
        &[],
    );
    case(
        "<application>\nACTIVITY\n<uses-permission android:name='android.permission.CAMERA'/></application>",
        &["error permission-misplaced CAMERA 4"],
    );
    case(
        "<uses-permission android:name='android.permission.CAMERA' android:maxSdkVersion='28'/>",
        &["error permission-level-cap CAMERA 2"],
    );
    case(
        "<uses-permission android:name='android.permission.CAMERA' android:maxSdkVersion='28'/>\n<uses-permission-sdk-23 android:name='android.permission.CAMERA'/>",
        &[],
    );
    case("<uses-permission android:name='android.permission.camera'/>", &["error permission-unknown camera 2"]);
    case("<uses-permission android:name='CAMERA'/>", &["error permission-unknown CAMERA 2"]);
    case("<uses-permission android:name=' android.permission.CAMERA'/>", &["error permission-unknown  CAMERA 2"]);
    case("<uses-permission/>", &["error permission-missing CAMERA 1"]);
    case("<uses-feature android:name='android.hardware.camera'/>", &["error permission-missing CAMERA 1"]);
    case("<permission android:name='android.permission.CAMERA'/>", &["error permission-missing CAMERA 1"]);
    case(
        "<!-- <uses-permission android:name='android.permission.CAMERA'/> -->",
        &["error permission-missing CAMERA 1"],
    );
}

#[test]
fn permissions_that_nobody_needs() {
    let case = |manifest: &str, expected: &[&str]| Case { manifest, ..Case::default() }.finds(expected);
    case("<uses-permission android:name='android.permission.VIBRATE'/>", &[]);
    case(
        "<uses-permission android:name='android.permission.READ_SMS'/>",
        &["note feature-filters-devices android.hardware.telephony 2", "note permission-store-review READ_SMS 2"],
    );
    case("<uses-permission android:name='android.permission.REBOOT'/>", &["warning permission-not-grantable REBOOT 2"]);
    case("<uses-permission android:name='android.permission.DUMP'/>", &["note permission-not-grantable DUMP 2"]);
    case(
        "<uses-permission android:name='android.permission.READ_EXTERNAL_STORAGE'/>",
        &["note permission-superseded READ_EXTERNAL_STORAGE 2"],
    );
    case("<uses-permission android:name='android.permission.READ_EXTERNAL_STORAGE' android:maxSdkVersion='32'/>", &[]);
    case(
        "<uses-permission android:name='android.permission.READ_EXTERNAL_STORAGE' android:maxSdkVersion='21'/>",
        &["warning permission-level-cap READ_EXTERNAL_STORAGE 2"],
    );
    case(
        "<uses-permission android:name='android.permission.QUERY_ALL_PACKAGES'/>",
        &["note permission-store-review QUERY_ALL_PACKAGES 2", "warning query-broad QUERY_ALL_PACKAGES 2"],
    );
    case(
        "<uses-permission android:name='android.permission.ACCESS_FINE_LOCATION'/>",
        &["error permission-companion ACCESS_FINE_LOCATION 2"],
    );
    case("<uses-permission android:name='android.permission.ACCESS_COARSE_LOCATION'/>", &[]);
    case(
        "<uses-permission android:name='android.permission.WRITE_INTERNAL_STORAGE'/>",
        &["warning permission-unknown WRITE_INTERNAL_STORAGE 2"],
    );
    case("<uses-permission android:name='example.other.permission.THING'/>", &[]);
    case(
        "<uses-permission android:name='android.permission.NFC'/>\n<uses-permission android:name='android.permission.NFC'/>\n<uses-permission android:name='android.permission.NFC'/>",
        &["warning permission-duplicate NFC 3", "warning permission-duplicate NFC 4"],
    );
}

#[test]
fn levels_change_what_is_found() {
    let bluetooth = needs("capability = 'bluetooth'");
    let old = "<uses-permission android:name='android.permission.BLUETOOTH'/>\n<uses-permission android:name='android.permission.BLUETOOTH_ADMIN'/>";
    let case = |levels, expected: &[&str]| {
        Case { sheet: &bluetooth, manifest: old, levels: Some(levels), ..Case::default() }.finds(expected);
    };
    case((21, 30), &["warning permission-wider BLUETOOTH 2", "warning permission-wider BLUETOOTH_ADMIN 3"]);
    case(
        (21, 31),
        &[
            "error permission-missing BLUETOOTH_CONNECT 1",
            "error permission-missing BLUETOOTH_SCAN 1",
            "warning permission-wider BLUETOOTH 2",
            "warning permission-wider BLUETOOTH_ADMIN 3",
        ],
    );
    case(
        (31, 35),
        &[
            "error permission-missing BLUETOOTH_CONNECT 1",
            "error permission-missing BLUETOOTH_SCAN 1",
            "warning permission-superseded BLUETOOTH 2",
            "warning permission-superseded BLUETOOTH_ADMIN 3",
        ],
    );
}

#[test]
fn queries() {
    let phone = needs("capability = 'open-phone'");
    let case = |manifest: &str, expected: &[&str]| Case { sheet: &phone, manifest, ..Case::default() }.finds(expected);
    let missing = ["error query-missing android.intent.action.VIEW tel 1"];
    case("<application/>", &missing);
    case("<queries/>", &["error query-missing android.intent.action.VIEW tel 2"]);
    case(
        "<queries><intent><action android:name='android.intent.action.VIEW'/><data android:scheme='tel'/></intent></queries>",
        &[],
    );
    case("<queries><intent><action android:name='android.intent.action.DIAL'/></intent></queries>", &[]);
    case(
        "<queries><intent><action android:name='android.intent.action.VIEW'/><data android:scheme='mailto'/></intent></queries>",
        &["error query-missing android.intent.action.VIEW tel 2"],
    );
    case(
        "<queries><intent><data android:scheme='tel'/></intent></queries>",
        &["error query-missing android.intent.action.VIEW tel 2"],
    );
    case(
        "<queries>\n<package android:name='example.dialler'/>\n</queries>\n<queries><intent><action android:name='android.intent.action.DIAL'/></intent></queries>",
        &[],
    );
    case(
        "<application>\n<queries><intent><action android:name='android.intent.action.DIAL'/></intent></queries></application>",
        &["error query-misplaced android.intent.action.DIAL 3"],
    );
    case(
        "<application>\n<queries/></application>",
        &["error query-missing android.intent.action.VIEW tel 1", "error query-misplaced queries 3"],
    );
    Case { sheet: &phone, manifest: "<application/>", levels: Some((21, 29)), ..Case::default() }.finds(&[]);
    let package = needs("android.query = { package = 'example.dialler' }");
    Case {
        sheet: &package,
        manifest: "<queries><package android:name='example.dialler'/></queries>",
        ..Case::default()
    }
    .finds(&[]);
    let provider = needs("android.query = { authority = 'example.marsh' }");
    Case {
        sheet: &provider,
        manifest: "<queries><provider android:authorities='example.marsh'/></queries>",
        ..Case::default()
    }
    .finds(&[]);
}

#[test]
fn meta_data_and_attributes() {
    let sheet = "[[requires]]\nandroid.meta-data = { name = 'a.ID', value = '{id}' }\n[answers.id]\npattern = 'id-[0-9]+'\nsamples = ['id-0']\n";
    let case = |manifest: &str, toml: &str, expected: &[&str]| {
        Case { sheet, manifest, toml, ..Case::default() }.finds(expected);
    };
    let with =
        |value: &str| format!("<application><meta-data android:name='a.ID' android:value='{value}'/></application>");
    case("<application/>", "", &["error meta-data-missing a.ID 2"]);
    case(&with("id-7"), "", &[]);
    case(&with(""), "", &["error answer-missing a.ID 2"]);
    case(&with("7"), "", &["error value-form a.ID 2"]);
    case(&with("id-0"), "", &["warning value-sample a.ID 2"]);
    case(&with("YOUR_ID"), "", &["error value-placeholder a.ID 2"]);
    // The build puts a value in, and here it has none to put in.
    case(&with("${ID}"), "", &["error merge-conflict ID 2"]);
    case(&with("@string/id"), "", &["warning resource-missing string/id 2"]);
    case(&with("id-7"), "[plugins.p.answers]\nid = 'id-7'", &[]);
    case(&with("id-7"), "[plugins.p.answers]\nid = 'id-8'", &["warning value-differs a.ID 2"]);
    case(
        &with("id-7"),
        "[plugins.p.answers]\nid = 'nonsense'",
        &["warning value-differs a.ID 2", "error value-form p.id 3"],
    );
    case(
        "<meta-data android:name='a.ID' android:value='id-7'/>\n<application/>",
        "",
        &["error meta-data-misplaced a.ID 2"],
    );
    let attribute = needs("android.attribute = { on = 'launcher', name = 'exported', value = 'true' }");
    let case =
        |manifest: &str, expected: &[&str]| Case { sheet: &attribute, manifest, ..Case::default() }.finds(expected);
    case("<application>ACTIVITY</application>", &[]);
    case("<application/>", &["error component-attribute exported 1"]);
    let closed = ACTIVITY.replace(" android:exported='true'", "");
    case(&format!("<application>{closed}</application>"), &["error component-attribute exported 2"]);
    let class = needs("android.attribute = { on = 'example.log.Main', name = 'launchMode', value = 'singleTop' }");
    Case { sheet: &class, manifest: "<application>ACTIVITY</application>", ..Case::default() }
        .finds(&["error component-attribute launchMode 2"]);
}

#[test]
fn purposes() {
    let camera = needs("capability = 'camera'");
    let case = |plist: &str, expected: &[&str]| Case { sheet: &camera, plist, ..Case::default() }.finds(expected);
    let with = |text: &str| format!("<key>NSCameraUsageDescription</key>\n<string>{text}</string>");
    case("<key>A</key><true/>", &["error purpose-missing NSCamera… 2"]);
    case(&with("Photographs the ring on a bird's leg."), &[]);
    case(&with(" "), &["error purpose-empty NSCamera… 4"]);
    case(&with("TODO"), &["error purpose-placeholder NSCamera… 4"]);
    case(&with("This app needs access to the camera"), &["note purpose-vague NSCamera… 4"]);
    case(&with("$(CAMERA_PURPOSE)"), &[]);
    case("<key>NSCameraUsageDescription</key>\n<true/>", &["error plist-type NSCamera… 4"]);
    case(
        "<key>NSCameraUseageDescription</key>\n<string>Photographs the ring.</string>",
        &["error purpose-unknown NSCameraUseageDescription 3"],
    );
    case(
        &(with("Photographs the ring.") + "\n" + &with("Photographs the ring.")),
        &["error plist-duplicate NSCamera… 5"],
    );
    let calendar = needs("ios.usage = 'NSCalendarsFullAccessUsageDescription'");
    let old = "<key>NSCalendarsUsageDescription</key>\n<string>Shows ringing days.</string>";
    Case { sheet: &calendar, plist: old, ..Case::default() }.finds(&["error purpose-superseded NSCalendars… 3"]);
    Case { plist: old, ..Case::default() }.finds(&["warning purpose-superseded NSCalendars… 3"]);
    Case { plist: &with(""), ..Case::default() }.finds(&["note purpose-empty NSCamera… 4"]);
}

#[test]
fn keys_and_schemes() {
    let tel = needs("ios.query-scheme = 'tel'");
    let list = |inside: &str| format!("<key>LSApplicationQueriesSchemes</key>\n<array>\n{inside}\n</array>");
    let case = |plist: &str, expected: &[&str]| Case { sheet: &tel, plist, ..Case::default() }.finds(expected);
    case("<key>A</key><true/>", &["error query-scheme-missing tel 2"]);
    case(&list(""), &["error query-scheme-missing tel 4"]);
    case(&list("<string>tel</string>"), &[]);
    case(&list("<string>tel:</string>"), &["error query-scheme-form tel: 5"]);
    case(
        &list("<string>sms</string>\n<integer>1</integer>"),
        &["error query-scheme-missing tel 4", "error plist-type LSApplicationQueriesSchemes 6"],
    );
    case(
        "<key>LSApplicationQueriesSchemes</key>\n<string>tel</string>",
        &["error plist-type LSApplicationQueriesSchemes 4"],
    );
    let modes = needs("ios.plist = { key = 'UIBackgroundModes', value = ['audio'] }");
    let case = |plist: &str, expected: &[&str]| Case { sheet: &modes, plist, ..Case::default() }.finds(expected);
    case("<key>A</key><true/>", &["error plist-missing UIBackgroundModes 2"]);
    case("<key>UIBackgroundModes</key>\n<array><string>audio</string></array>", &[]);
    let other = "note background-mode-unneeded fetch 4";
    case("<key>UIBackgroundModes</key>\n<array><string>audio</string><string>fetch</string></array>", &[other]);
    case(
        "<key>UIBackgroundModes</key>\n<array><string>fetch</string></array>",
        &["error plist-missing UIBackgroundModes 4", other],
    );
    let flag = needs("ios.plist = { key = 'ExampleCalm', value = true }");
    let case = |plist: &str, expected: &[&str]| Case { sheet: &flag, plist, ..Case::default() }.finds(expected);
    case("<key>ExampleCalm</key>\n<true/>", &[]);
    case("<key>ExampleCalm</key>\n<false/>", &["error plist-value ExampleCalm 4"]);
    case("<key>ExampleCalm</key>\n<string>YES</string>", &["error plist-type ExampleCalm 4"]);
}

#[test]
fn plugins_and_waivers() {
    let android_alone = "platforms = ['android']\n[[requires]]\ncapability = 'camera'\n";
    let both =
        Case { sheet: android_alone, manifest: "<application/>", plist: "<key>A</key><true/>", ..Case::default() };
    both.finds(&["error permission-missing CAMERA 1", "warning plugin-unsupported p 1"]);
    Case { sheet: android_alone, manifest: "<application/>", ..Case::default() }
        .finds(&["error permission-missing CAMERA 1"]);
    let waived = Case {
        toml: "[[waivers]]\nrule = 'plugin-unsupported'\nsubject = 'p'\nreason = 'r'\nuntil = 2027-01-01\n",
        ..both
    };
    waived.finds(&["error permission-missing CAMERA 1"]);
    let ended = Case {
        toml: "[[waivers]]\nrule = 'plugin-unsupported'\nsubject = 'p'\nreason = 'r'\nuntil = 2024-04-30\n",
        ..waived
    };
    ended.finds(&[
        "error permission-missing CAMERA 1",
        "warning waiver-stale plugin-unsupported 6",
        "warning plugin-unsupported p 1",
    ]);
    Case {
        sheet: "versions = '>=2.0.0'\n[[requires]]\ncapability = 'nfc'\n",
        manifest: "<application/>",
        ..Case::default()
    }
    .finds(&["warning permission-missing NFC 1", "warning sheet-outdated p 2"]);
    Case { sheet: "[[requires]]\nandroid.levels = { min = 21 }\n", manifest: "<application/>", ..Case::default() }
        .finds(&[]);
}
