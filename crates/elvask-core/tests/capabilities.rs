//! What each capability wants declared, by level and version, and that `fill` declares all of it.

use std::path::Path;

use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::context::Context;
use elvask_core::fill::fill;
use elvask_core::finding::Level;
use elvask_core::needs::Settings;
use elvask_core::survey::survey;
use elvask_platform::capability::capabilities;
use elvask_project::files::Memory;
use elvask_project::surface::Surface;

const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); developmentRegion = en; }; T = { name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Log/Info.plist; IPHONEOS_DEPLOYMENT_TARGET = MIN; }; }; }; rootObject = P; }";

/// An app for both platforms, with one plugin that requires a capability.
fn tree(capability: &str, min: u32, target: u32, ios: &str) -> Memory {
    let gradle = format!("android {{ defaultConfig {{\n minSdk {min}\n targetSdk {target}\n }} }}");
    let sheet = format!("sheet = 1\n[[requires]]\ncapability = \"{capability}\"\n");
    Memory::app([
        ("package.json", "{\"dependencies\":{\"p\":\"1\"}}"),
        ("node_modules/p/package.json", "{\"version\":\"1.0.0\"}"),
        ("node_modules/p/elvask-sheet.toml", &sheet),
        ("android/app/build.gradle", &gradle),
        (
            "android/app/src/main/AndroidManifest.xml",
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application>\n        <activity android:name=\".Main\" android:exported=\"true\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\" />\n                <category android:name=\"android.intent.category.LAUNCHER\" />\n            </intent-filter>\n        </activity>\n    </application>\n</manifest>\n",
        ),
        ("ios/Log.xcodeproj/project.pbxproj", &PROJECT.replace("MIN", ios)),
        (
            "ios/Log/Info.plist",
            "<plist version=\"1.0\">\n<dict>\n    <key>CFBundleName</key>\n    <string>Log</string>\n</dict>\n</plist>\n",
        ),
    ])
}

fn load(tree: &Memory) -> App {
    App::load(tree, Path::new("/app"), &[]).unwrap()
}

/// Settings with a purpose for every capability.
fn settings() -> Settings {
    let purposes =
        capabilities().map(|one| (one.name.to_owned(), format!("Serves the log, by way of {}.", one.title))).collect();
    Settings { purposes, ..Settings::default() }
}

/// Fills the app and returns what it then declares, permissions without their prefix and with their last level.
fn declared(capability: &str, min: u32, target: u32, ios: &str) -> Vec<String> {
    let app = load(&tree(capability, min, target, ios));
    let settings = settings();
    let filled = fill(&app, &settings).unwrap();
    let app = app.clone().with_sources(filled.sources);
    let surface = Surface::read(&app, &app.sources);
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let wanted = survey(&context)
        .declarations
        .into_iter()
        .filter(|one| !matches!(one.kind, "plist" | "identity" | "level" | "min-version" | "component" | "filter"));
    wanted
        .map(|one| {
            let name = one.name.replace("android.permission.", "").replace("android.intent.action.", "");
            match one.value.filter(|_| one.kind == "permission") {
                Some(until) => format!("{name} {until}"),
                None => name,
            }
        })
        .collect()
}

#[test]
fn every_capability_is_filled_to_a_clean_check_at_every_level() {
    for capability in capabilities() {
        for (min, target) in [(19, 28), (21, 30), (24, 33), (26, 35), (31, 36)] {
            for ios in ["10.0", "12.0", "15.1", "17.0"] {
                let app = load(&tree(capability.name, min, target, ios));
                let told = format!("{} from {min} for {target}, iOS {ios}", capability.name);
                let filled = fill(&app, &settings()).unwrap();
                // The ids of groups, merchants, containers, hosts and tasks are known to the owner alone, so a person writes them.
                let by_hand = |subject: &str| {
                    matches!(
                        subject,
                        "com.apple.security.application-groups"
                            | "com.apple.developer.associated-domains"
                            | "com.apple.developer.in-app-payments"
                            | "com.apple.developer.icloud-container-identifiers"
                            | "com.apple.developer.networking.networkextension"
                            | "keychain-access-groups"
                            | "processing"
                    )
                };
                let open: Vec<_> = filled
                    .left
                    .findings
                    .iter()
                    .filter(|one| one.level > Level::Note && !by_hand(&one.subject))
                    .map(|one| &one.message)
                    .collect();
                assert!(open.is_empty(), "{told}: {open:?}");
                let before = check(&app, &Settings::default());
                let missing = before.findings.iter().filter(|one| one.level == Level::Error).count();
                assert!(missing > 0 || filled.changed.is_empty(), "{told}: something is written that nobody missed");
                let again = app.clone().with_sources(filled.sources);
                assert!(fill(&again, &settings()).unwrap().changed.is_empty(), "{told}: a second time");
            }
        }
    }
}

#[test]
fn bluetooth_has_two_permissions_and_then_two_others() {
    let old = ["BLUETOOTH up to level 30", "BLUETOOTH_ADMIN up to level 30"];
    let ios = ["NSBluetoothAlwaysUsageDescription"];
    assert_eq!(declared("bluetooth", 24, 30, "15.0"), [&old[..], &ios].concat());
    assert_eq!(
        declared("bluetooth", 24, 35, "15.0"),
        [&old[..], &["BLUETOOTH_CONNECT", "BLUETOOTH_SCAN"], &ios].concat()
    );
    assert_eq!(declared("bluetooth", 31, 35, "15.0"), [&["BLUETOOTH_CONNECT", "BLUETOOTH_SCAN"][..], &ios].concat());
    assert_eq!(
        declared("bluetooth", 31, 35, "12.4"),
        [
            "BLUETOOTH_CONNECT",
            "BLUETOOTH_SCAN",
            "NSBluetoothAlwaysUsageDescription",
            "NSBluetoothPeripheralUsageDescription"
        ]
    );
}

#[test]
fn notifications_are_asked_for_from_level_33() {
    assert_eq!(declared("notifications", 24, 33, "15.0"), ["POST_NOTIFICATIONS"]);
    assert!(declared("notifications", 24, 32, "15.0").is_empty(), "before, the system asks by itself");
}

#[test]
fn photos_are_read_with_one_permission_and_then_with_one_for_each_kind() {
    assert_eq!(
        declared("photos-read", 24, 32, "15.0"),
        ["READ_EXTERNAL_STORAGE up to level 32", "NSPhotoLibraryUsageDescription"]
    );
    assert_eq!(
        declared("photos-read", 24, 33, "15.0"),
        [
            "READ_EXTERNAL_STORAGE up to level 32",
            "READ_MEDIA_IMAGES",
            "READ_MEDIA_VIDEO",
            "NSPhotoLibraryUsageDescription"
        ]
    );
    assert_eq!(
        declared("photos-read", 33, 35, "15.0"),
        ["READ_MEDIA_IMAGES", "READ_MEDIA_VIDEO", "NSPhotoLibraryUsageDescription"],
        "the permission for a choice of photos is worth having and is left to a person"
    );
}

#[test]
fn location_at_all_times_adds_to_location() {
    let foreground = ["ACCESS_COARSE_LOCATION", "ACCESS_FINE_LOCATION", "NSLocationWhenInUseUsageDescription"];
    assert_eq!(declared("location", 24, 35, "15.0"), foreground);
    assert_eq!(
        declared("location-background", 24, 35, "15.0"),
        [
            "ACCESS_BACKGROUND_LOCATION",
            "ACCESS_COARSE_LOCATION",
            "ACCESS_FINE_LOCATION",
            "NSLocationAlwaysAndWhenInUseUsageDescription",
            "NSLocationWhenInUseUsageDescription",
        ]
    );
    assert!(!declared("location-background", 24, 28, "15.0").contains(&"ACCESS_BACKGROUND_LOCATION".to_owned()));
    assert!(declared("location-background", 24, 28, "10.0").contains(&"NSLocationAlwaysUsageDescription".to_owned()));
}

#[test]
fn the_calendar_has_an_older_key() {
    let permissions = ["READ_CALENDAR", "WRITE_CALENDAR"];
    assert_eq!(
        declared("calendar", 24, 35, "17.0"),
        [&permissions[..], &["NSCalendarsFullAccessUsageDescription"]].concat()
    );
    assert_eq!(
        declared("calendar", 24, 35, "16.4"),
        [&permissions[..], &["NSCalendarsFullAccessUsageDescription", "NSCalendarsUsageDescription"]].concat()
    );
}

#[test]
fn other_apps_are_hidden_from_level_30() {
    assert_eq!(declared("open-phone", 24, 30, "15.0"), ["VIEW tel", "tel"]);
    assert_eq!(declared("open-phone", 24, 29, "15.0"), ["tel"]);
    assert_eq!(declared("open-web", 24, 35, "15.0"), ["VIEW https"], "iOS wants nothing declared for https");
    assert_eq!(
        declared("speech", 24, 35, "15.0"),
        [
            "RECORD_AUDIO",
            "android.speech.RecognitionService",
            "NSMicrophoneUsageDescription",
            "NSSpeechRecognitionUsageDescription"
        ]
    );
}

#[test]
fn one_platform_may_want_nothing() {
    assert_eq!(declared("overlay", 24, 35, "15.0"), ["SYSTEM_ALERT_WINDOW"]);
    assert_eq!(declared("reminders", 24, 35, "17.0"), ["NSRemindersFullAccessUsageDescription"]);
    assert_eq!(declared("exact-alarms", 24, 35, "15.0"), ["SCHEDULE_EXACT_ALARM"]);
    assert!(declared("exact-alarms", 24, 30, "15.0").is_empty());
    assert_eq!(declared("keep-awake", 24, 35, "15.0"), ["WAKE_LOCK"]);
}
