//! What the survey lists, and what `why` and `explain` answer.

use std::path::Path;

use elvask_core::Platform;
use elvask_core::app::App;
use elvask_core::check::{Context, check};
use elvask_core::explain::{Topic, capability_lines, topic};
use elvask_core::files::Memory;
use elvask_core::needs::Settings;
use elvask_core::surface::Surface;
use elvask_core::survey::{Survey, survey};
use elvask_core::why::{Answer, Subject, subject, why};
use elvask_platform::android::Grant;
use elvask_platform::capability::capability;

const SHEET: &str = "sheet = 1\n[features.video]\n[[requires]]\ncapability = 'camera'\nreason = 'Shows the viewfinder.'\n[[requires]]\ncapability = 'open-phone'\n[[requires]]\ncapability = 'microphone'\nfeature = 'video'\n[[requires]]\ncapability = 'vibrate'\noptional = true\n";

fn load(manifest: &str, plist: &str) -> App {
    let mut tree = Memory::app([
        ("package.json", "{\"dependencies\":{\"tern_camera\":\"1\"}}"),
        ("node_modules/tern_camera/package.json", "{\"version\":\"2.1.0\"}"),
        ("node_modules/tern_camera/elvask-sheet.toml", SHEET),
        ("android/app/build.gradle", "android {\n namespace = 'example.log'\n defaultConfig {\n targetSdk = 35\n } }"),
    ]);
    tree.put(
        "/app/android/app/src/main/AndroidManifest.xml",
        format!("<manifest xmlns:a=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{manifest}\n</manifest>"),
    );
    if !plist.is_empty() {
        let list = format!(
            "<plist version=\"1.0\">\n<dict>\n<key>LSRequiresIPhoneOS</key><true/>\n{plist}\n</dict>\n</plist>"
        );
        tree.put("/app/ios/Log/Info.plist", list);
    }
    App::load(&tree, Path::new("/app"), &[]).unwrap()
}

fn look<T>(app: &App, see: impl FnOnce(&Context<'_>, Survey) -> T) -> T {
    let settings = Settings::default();
    let surface = Surface::read(app, &app.sources);
    let context = Context::new(app, &app.sources, &surface, &settings);
    let survey = survey(&context);
    see(&context, survey)
}

/// Returns the declarations as `kind name value line`, with a mark before what is ignored or odd.
fn listed(app: &App) -> Vec<String> {
    look(app, |_, survey| {
        let line = |one: &elvask_core::survey::Declaration| {
            let mark = if one.ignored.is_some() {
                "! "
            } else if one.doubt.is_some() {
                "? "
            } else {
                ""
            };
            let value = one.value.as_deref().map(|value| format!(" {value}")).unwrap_or_default();
            let name = one.name.replace("android.permission.", "");
            format!("{mark}{} {name}{value} {}", one.kind, app.sources.position(one.place).line)
        };
        survey.declarations.iter().map(line).collect()
    })
}

#[test]
fn permissions_are_listed_as_the_platform_sees_them() {
    let app = load(
        "<uses-permission a:name='android.permission.CAMERA'/>
<uses-permission-sdk-23 a:name='android.permission.NFC'/>
<uses-permission a:name='android.permission.CAMERA' a:maxSdkVersion='28'/>
<uses-permission a:name='android.permission.VIBRATE' tools:node='remove'/>
<uses-permission name='android.permission.INTERNET'/>
<uses-permission a:name='android.permission.FLY'/>
<uses-permission a:name='example.other.THING'/>
<permission a:name='example.log.OWN'/>
<!-- <uses-permission a:name='android.permission.WAKE_LOCK'/> -->
<application><uses-permission a:name='android.permission.RECORD_AUDIO'/></application>",
        "",
    );
    assert_eq!(
        listed(&app),
        [
            "permission CAMERA 2",
            "permission NFC 3",
            "permission CAMERA up to level 28 4",
            "? permission FLY 7",
            "permission example.other.THING 8",
            "! permission RECORD_AUDIO 11",
        ]
    );
    let grants = look(&app, |_, survey| {
        survey.declarations.iter().map(|one| (one.grant.unwrap(), one.group)).collect::<Vec<_>>()
    });
    assert_eq!(grants[0], (Grant::Prompt, Some("CAMERA")));
    assert_eq!(grants[1], (Grant::AtInstall, None));
    assert_eq!(grants[4], (Grant::Unknown, None));
}

#[test]
fn queries_meta_data_and_entry_points() {
    let app = load(
        "<queries><package a:name='example.a'/><intent><action a:name='android.intent.action.DIAL'/></intent></queries>
<meta-data a:name='example.top' a:value='1'/>
<application>
<activity a:name='.Main'><intent-filter><action a:name='android.intent.action.MAIN'/><category a:name='android.intent.category.LAUNCHER'/></intent-filter><meta-data a:name='example.b' a:resource='@xml/b'/></activity>
<activity-alias a:name='Other' a:targetActivity='.Main' a:exported='true'/>
<service a:name='example.far.Service' a:exported='false'/>
</application>",
        "",
    );
    assert_eq!(
        listed(&app),
        [
            "query example.a 2",
            "query android.intent.action.DIAL 2",
            "! meta-data example.top 1 3",
            "meta-data example.b @xml/b 5"
        ]
    );
    look(&app, |_, survey| {
        let dial = survey.declarations.iter().find(|one| one.name.ends_with("DIAL")).unwrap();
        assert_eq!(dial.needed_by[0].plugin, "tern_camera", "another action for the same apps meets the need");
        let points: Vec<_> =
            survey.entry_points.iter().map(|one| (one.kind.as_str(), one.class.as_str(), one.launcher)).collect();
        assert_eq!(points, [("activity", "example.log.Main", true), ("activity-alias", "example.log.Other", false)]);
    });
}

#[test]
fn purposes_keys_and_schemes() {
    let app = load(
        "<application/>",
        "<key>NSCameraUsageDescription</key>\n<string>Photographs.</string>
<key>NSFlyingUsageDescription</key>\n<string>Flies.</string>
<key>NSCameraUsageDescription</key>\n<string>Again.</string>
<key>LSApplicationQueriesSchemes</key>\n<array><string>tel</string><string>sms://</string></array>
<key>UISupportedInterfaceOrientations</key>\n<array><string>a</string><string>b</string></array>
<key>NSAppTransportSecurity</key>\n<dict><key>x</key><true/></dict>",
    );
    assert_eq!(
        listed(&app),
        [
            "usage NSCameraUsageDescription Photographs. 4",
            "? usage NSFlyingUsageDescription Flies. 6",
            "? usage NSCameraUsageDescription Again. 8",
            "query-scheme tel 11",
            "? query-scheme sms:// 11",
            "plist LSRequiresIPhoneOS yes 3",
            "plist UISupportedInterfaceOrientations a, b 12",
            "plist NSAppTransportSecurity 1 key 14",
        ]
    );
}

fn answers(app: &App, word: &str) -> Vec<Answer> {
    look(app, |context, survey| {
        let report = check(app, &Settings::default());
        why(context, &survey, &report.findings, &subject(context, word))
    })
}

#[test]
fn why_takes_names_parts_of_names_capabilities_and_plugins() {
    let app = load("<uses-permission a:name='android.permission.CAMERA'/>", "<key>A</key><true/>");
    for word in ["android.permission.CAMERA", "CAMERA", "Camera"] {
        let found = answers(&app, word);
        let permission =
            found.iter().find(|one| one.kind == "permission").unwrap_or_else(|| panic!("{word}: {found:?}"));
        assert_eq!(permission.needed_by[0].0.reason.as_deref(), Some("Shows the viewfinder."));
        assert_eq!(permission.declared.len(), 1);
    }
    let capability = answers(&app, "camera");
    assert_eq!(capability.iter().map(|one| one.kind).collect::<Vec<_>>(), ["permission", "usage"]);
    assert_eq!(capability[1].findings[0].rule.id, "purpose-missing");
    let scheme: Vec<_> = answers(&app, "tel").iter().map(|one| (one.platform, one.name.clone())).collect();
    assert_eq!(
        scheme,
        [(Platform::Android, "android.intent.action.VIEW tel".to_owned()), (Platform::Ios, "tel".to_owned())]
    );
    let plugin = answers(&app, "tern_camera");
    assert!(plugin.iter().any(|one| one.name.ends_with("VIBRATE")), "what is optional is told too");
    assert!(!plugin.iter().any(|one| one.name.ends_with("RECORD_AUDIO")), "a feature that is off asks for nothing");
    assert!(answers(&app, "FLY").is_empty());
    look(&app, |context, _| {
        assert!(matches!(subject(context, "tern_camera"), Subject::Plugin(0)));
        assert!(matches!(subject(context, "camera"), Subject::Capability(_)));
        assert!(matches!(subject(context, "CAMERA"), Subject::Name(_)));
    });
}

#[test]
fn topics_are_found_or_the_nearest_is_named() {
    assert!(matches!(topic("permission-missing"), Ok(Topic::Rule(_))));
    assert!(matches!(topic("bluetooth"), Ok(Topic::Capability(_))));
    assert!(matches!(topic("post_notifications"), Ok(Topic::Permission { .. })));
    assert!(matches!(topic("NSCameraUsageDescription"), Ok(Topic::Usage { .. })));
    assert!(matches!(topic("UIBackgroundModes"), Ok(Topic::Key(_))));
    assert_eq!(topic("permision-missing").unwrap_err().as_deref(), Some("permission-missing"));
    assert_eq!(topic("RECORD_AUDO").unwrap_err().as_deref(), Some("android.permission.RECORD_AUDIO"));
    assert_eq!(topic("xyzzy").unwrap_err(), None);
    let Ok(Topic::Permission { succession, capabilities, .. }) = topic("BLUETOOTH") else {
        panic!("it is a permission")
    };
    assert_eq!(succession.unwrap().cap, 30);
    assert_eq!(capabilities[0].name, "bluetooth");
    let lines = capability_lines(capability("notifications").unwrap(), Platform::Android);
    assert_eq!(lines, ["permission android.permission.POST_NOTIFICATIONS, for apps that target level 33 or above"]);
}
