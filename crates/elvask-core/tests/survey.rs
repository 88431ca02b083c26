//! What the survey lists, and what `why` and `explain` answer.

use std::path::Path;

use elvask_core::Platform;
use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::context::Context;
use elvask_core::needs::Settings;
use elvask_core::survey::{Survey, survey};
use elvask_core::why::{Answer, Subject, subject, why};
use elvask_platform::android::Grant;
use elvask_project::files::Memory;
use elvask_project::surface::Surface;

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
        let stated = |one: &&elvask_core::survey::Declaration| !matches!(one.kind, "identity" | "level");
        survey.declarations.iter().filter(stated).map(line).collect()
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
        survey.declarations.iter().filter_map(|one| Some((one.grant?, one.group))).collect::<Vec<_>>()
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
            "filter android.intent.action.MAIN LAUNCHER to example.log.Main 5",
            "component example.log.Main activity, exported is not stated, though it has a filter 5",
            "component example.log.Other activity-alias, other apps may start it, alias of example.log.Main 6",
            "component example.far.Service service, closed to other apps 7",
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
            "plist NSAppTransportSecurity 1 key 14",
            "plist UISupportedInterfaceOrientations a, b 12",
            "plist LSRequiresIPhoneOS yes 3",
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

/// An app with a flavor, a build type and a plugin's own manifest, and an iOS side with everything.
fn whole() -> Memory {
    let mut tree = Memory::app([
        ("package.json", "{\"dependencies\":{\"tern_camera\":\"1\"}}"),
        ("node_modules/tern_camera/package.json", "{\"version\":\"2.1.0\"}"),
        ("node_modules/tern_camera/elvask-sheet.toml", SHEET),
        ("node_modules/tern_camera/android/build.gradle", "android { namespace 'example.tern' }"),
        (
            "android/app/build.gradle",
            "android {\n namespace = 'example.log'\n compileSdk 36\n flavorDimensions 'tier'\n productFlavors { free { applicationIdSuffix '.free' }\n full { } }\n defaultConfig {\n applicationId 'example.log'\n minSdk 24\n targetSdk = 35\n versionName '2.4'\n versionCode 31\n } }",
        ),
    ]);
    let manifest = |inside: &str| {
        format!(
            "<manifest xmlns:a=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{inside}\n</manifest>"
        )
    };
    for (path, inside) in [
        (
            "android/app/src/main",
            "<uses-sdk a:minSdkVersion='21'/><uses-permission a:name='android.permission.CAMERA'/>\n<uses-feature a:name='android.hardware.camera' a:required='false'/>\n<application a:name='.Log' a:theme='@style/Dune' a:label='Marram' a:icon='@mipmap/ic' a:usesCleartextTraffic='true'><uses-library a:name='example.lens' a:required='false'/>\n<activity a:name='.Main' a:exported='true' a:screenOrientation='portrait'><intent-filter a:autoVerify='true'><action a:name='android.intent.action.VIEW'/><category a:name='android.intent.category.DEFAULT'/><category a:name='android.intent.category.BROWSABLE'/><data a:scheme='https' a:host='marram.example' a:pathPrefix='/site'/></intent-filter></activity>\n</application>",
        ),
        ("android/app/src/free", "<uses-permission a:name='android.permission.NFC'/>"),
        ("android/app/src/debug", "<uses-permission a:name='android.permission.VIBRATE'/>"),
        ("android/app/src/release", "<application a:label='Marram 2' tools:replace='a:label'/>"),
        (
            "node_modules/tern_camera/android/src/main",
            "<uses-permission a:name='android.permission.FLASHLIGHT'/>\n<application><service a:name='.Lens' a:exported='true' a:permission='android.permission.BIND_JOB_SERVICE'/></application>",
        ),
    ] {
        tree.put(format!("/app/{path}/AndroidManifest.xml"), manifest(inside));
    }
    let plist = |inside: &str| format!("<plist version=\"1.0\">\n<dict>\n{inside}\n</dict>\n</plist>");
    tree.put("/app/ios/Log.xcodeproj/project.pbxproj", "{ objects = { P = { isa = PBXProject; targets = (T, X); buildConfigurationList = L; developmentRegion = en; };
  T = { name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; buildPhases = (R); dependencies = (D); };
  D = { isa = PBXTargetDependency; target = X; };
  X = { name = Share; productType = \"com.apple.product-type.app-extension\"; buildConfigurationList = XL; };
  XL = { buildConfigurations = (XR); }; XR = { name = Release; buildSettings = { PRODUCT_BUNDLE_IDENTIFIER = example.log.share; }; };
  R = { isa = PBXResourcesBuildPhase; files = (B1, B2); }; B1 = { fileRef = F1; }; B2 = { fileRef = F2; };
  F1 = { isa = PBXFileReference; path = nl.lproj/InfoPlist.strings; sourceTree = SOURCE_ROOT; };
  F2 = { isa = PBXFileReference; path = PrivacyInfo.xcprivacy; sourceTree = SOURCE_ROOT; };
  L = { buildConfigurations = (CD, CR); };
  CD = { name = Debug; buildSettings = { CODE_SIGN_ENTITLEMENTS = Debug.entitlements; }; };
  CR = { name = Release; buildSettings = { INFOPLIST_FILE = Info.plist; CODE_SIGN_ENTITLEMENTS = Release.entitlements; IPHONEOS_DEPLOYMENT_TARGET = 15.1;
  PRODUCT_BUNDLE_IDENTIFIER = example.log; MARKETING_VERSION = 2.4; ASSETCATALOG_COMPILER_APPICON_NAME = AppIcon; }; }; }; rootObject = P; }");
    tree.put("/app/ios/Info.plist", plist("<key>NSCameraUsageDescription</key>\n<string>Photographs.</string>\n<key>CFBundleShortVersionString</key>\n<string>$(MARKETING_VERSION)</string>\n<key>UIBackgroundModes</key>\n<array><string>fetch</string></array>\n<key>CFBundleURLTypes</key>\n<array><dict><key>CFBundleURLName</key><string>$(PRODUCT_BUNDLE_IDENTIFIER)</string><key>CFBundleURLSchemes</key><array><string>marram</string></array></dict></array>\n<key>NSAppTransportSecurity</key>\n<dict><key>NSAllowsArbitraryLoads</key><true/></dict>"));
    tree.put(
        "/app/ios/nl.lproj/InfoPlist.strings",
        "NSCameraUsageDescription = \"Fotografeert.\";\nNSMicrophoneUsageDescription = \"Luistert.\";\n",
    );
    tree.put("/app/ios/Debug.entitlements", plist("<key>aps-environment</key>\n<string>development</string>"));
    tree.put("/app/ios/Release.entitlements", plist("<key>com.apple.developer.associated-domains</key>\n<array><string>applinks:marram.example</string></array>"));
    tree.put("/app/ios/PrivacyInfo.xcprivacy", plist("<key>NSPrivacyTracking</key>\n<false/>\n<key>NSPrivacyAccessedAPITypes</key>\n<array><dict><key>NSPrivacyAccessedAPIType</key><string>NSPrivacyAccessedAPICategoryUserDefaults</string><key>NSPrivacyAccessedAPITypeReasons</key><array><string>CA92.1</string></array></dict></array>"));
    tree
}

#[test]
fn the_whole_table_of_contents() {
    let app = App::load(&whole(), Path::new("/app"), &[]).unwrap();
    let lines = look(&app, |_, survey| {
        let line = |one: &elvask_core::survey::Declaration| {
            let value = one.value.as_deref().map(|value| format!(" = {value}")).unwrap_or_default();
            let mut about = String::new();
            if let Some(origin) = &one.origin {
                about.push_str(&format!(" from {origin}"));
            }
            if !one.only_in.is_empty() {
                about.push_str(&format!(" only in {}", one.only_in.join(" ")));
            }
            for (value, place) in &one.overrode {
                about.push_str(&format!(" over {value}:{}", app.sources.position(*place).line));
            }
            for (language, text, _) in &one.translations {
                about.push_str(&format!(" {language}: {text}"));
            }
            let mark = if one.ignored.is_some() { "! " } else { "" };
            format!("{mark}{} {}{value}{about}", one.kind, one.name.replace("android.permission.", ""))
        };
        survey.declarations.iter().map(line).collect::<Vec<_>>()
    });
    let expected = [
        "identity applicationId = example.log.free only in freeRelease",
        "identity versionName = 2.4",
        "identity versionCode = 31",
        "identity applicationId = example.log only in fullRelease",
        "level minSdkVersion = 24 over 21:2",
        "level targetSdkVersion = 35",
        "level compileSdkVersion = 36",
        "permission NFC from free only in freeRelease",
        "permission CAMERA",
        "permission FLASHLIGHT from tern_camera",
        "feature android.hardware.camera = used if it is there",
        "filter android.intent.action.VIEW https = marram.example, /site, BROWSABLE, verified to example.log.Main",
        "attribute name = example.log.Log",
        "resource label = Marram 2 from release over Marram:4",
        "resource icon = @mipmap/ic",
        "resource theme = @style/Dune",
        "library example.lens = used if it is there",
        "component example.log.Main = activity, other apps may start it",
        "component example.tern.Lens = service, other apps may start it, guarded by android.permission.BIND_JOB_SERVICE from tern_camera",
        "attribute usesCleartextTraffic = true",
        "attribute screenOrientation = portrait (Main)",
        "identity bundle id = example.log",
        "identity version = 2.4",
        "min-version iOS = 15.1",
        "usage NSCameraUsageDescription = Photographs. nl: Fotografeert.",
        "! usage NSMicrophoneUsageDescription = Luistert.",
        "url-scheme marram = example.log",
        "domain applinks:marram.example only in Release",
        "background-mode fetch",
        "! entitlement aps-environment = development only in Debug",
        "plist NSAppTransportSecurity = any connection, without encryption too",
        "build-setting ASSETCATALOG_COMPILER_APPICON_NAME = AppIcon",
        "plist NSPrivacyTracking = no",
        "privacy-reason NSPrivacyAccessedAPICategoryUserDefaults = CA92.1",
        "identity Share = extension, example.log.share",
        "plist CFBundleShortVersionString = 2.4",
    ];
    assert_eq!(lines, expected, "{lines:#?}");
    let points = look(&app, |_, survey| {
        survey
            .entry_points
            .iter()
            .map(|one| (one.class.clone(), one.guarded_by.is_some(), one.origin.clone()))
            .collect::<Vec<_>>()
    });
    assert_eq!(points[1], ("example.tern.Lens".to_owned(), true, Some("tern_camera".to_owned())));
}

#[test]
fn variants_side_by_side() {
    let app = App::load(&whole(), Path::new("/app"), &[]).unwrap();
    let (names, rows) = elvask_core::survey::differences(&app, &Surface::read(&app, &app.sources));
    assert_eq!(names, ["freeRelease", "fullRelease", "freeDebug", "fullDebug"]);
    let rows: Vec<_> = rows
        .iter()
        .map(|row| {
            let values: Vec<_> = row.values.iter().map(|value| value.as_deref().unwrap_or("-")).collect();
            format!("{} {}: {}", row.element, row.name.replace("android.permission.", ""), values.join("|"))
        })
        .collect();
    assert_eq!(
        rows,
        [
            "manifest package: example.log.free|example.log|example.log.free|example.log",
            "application label: Marram 2|Marram 2|Marram|Marram",
            "uses-permission NFC: |-||-",
            "uses-permission VIBRATE: -|-||",
        ]
    );
}

#[test]
fn another_variant_is_looked_at_when_it_is_named() {
    let choice = elvask_core::app::Choice { variant: Some("fullDebug".to_owned()), ..Default::default() };
    let app = App::load_choice(&whole(), Path::new("/app"), &choice).unwrap();
    let names = look(&app, |context, _| {
        context.variants[0]
            .permissions
            .iter()
            .map(|one| one.name.replace("android.permission.", ""))
            .collect::<Vec<_>>()
    });
    assert_eq!(names, ["VIBRATE", "CAMERA", "FLASHLIGHT"]);
    let choice = elvask_core::app::Choice { variant: Some("gone".to_owned()), ..Default::default() };
    let error = App::load_choice(&whole(), Path::new("/app"), &choice).unwrap_err().to_string();
    assert_eq!(error, "there is no variant `gone`; the app has: freeRelease, fullRelease, freeDebug, fullDebug");
}
