//! Apps as they are written today, one of each layout: nothing is wrong with them, and nothing may be said to be. A finding here is a
//! false alarm.

use std::path::Path;

use elvask_core::app::{App, Choice};
use elvask_core::check::check;
use elvask_core::finding::Level;
use elvask_core::needs::Settings;
use elvask_project::files::Memory;
use elvask_project::layout::Layout;

/// A manifest with what many apps have, each part as the platform's documentation shows it.
const MANIFEST: &str = r#"<?xml version="1.0" encoding="utf-8"?>
<manifest xmlns:android="http://schemas.android.com/apk/res/android" xmlns:tools="http://schemas.android.com/tools">

    <uses-permission android:name="android.permission.INTERNET" />
    <uses-permission android:name="android.permission.ACCESS_NETWORK_STATE" />
    <uses-permission android:name="android.permission.CAMERA" />
    <uses-permission android:name="android.permission.ACCESS_COARSE_LOCATION" />
    <uses-permission android:name="android.permission.ACCESS_FINE_LOCATION" />
    <uses-permission android:name="android.permission.POST_NOTIFICATIONS" />
    <uses-permission android:name="android.permission.RECEIVE_BOOT_COMPLETED" />
    <uses-permission android:name="android.permission.FOREGROUND_SERVICE" />
    <uses-permission android:name="android.permission.FOREGROUND_SERVICE_LOCATION" />
    <uses-permission android:name="android.permission.BLUETOOTH" android:maxSdkVersion="30" />
    <uses-permission
        android:name="android.permission.BLUETOOTH_SCAN"
        android:usesPermissionFlags="neverForLocation"
        tools:targetApi="s" />
    <uses-permission android:name="android.permission.BLUETOOTH_CONNECT" />
    <uses-permission android:name="android.permission.WRITE_EXTERNAL_STORAGE" android:maxSdkVersion="28" />

    <uses-feature android:name="android.hardware.camera" android:required="false" />
    <uses-feature android:name="android.hardware.camera.autofocus" android:required="false" />
    <uses-feature android:name="android.hardware.bluetooth" android:required="false" />

    <queries>
        <intent>
            <action android:name="android.intent.action.VIEW" />
            <data android:scheme="tel" />
        </intent>
        <package android:name="example.tide" />
    </queries>

    <application
        android:name=".MainApplication"
        android:allowBackup="false"
        android:dataExtractionRules="@xml/data_extraction"
        android:icon="@mipmap/ic_launcher"
        android:label="@string/app_name"
        android:networkSecurityConfig="@xml/network"
        android:theme="@style/AppTheme">

        <activity
            android:name=".MainActivity"
            android:configChanges="keyboard|keyboardHidden|orientation|screenLayout|screenSize|smallestScreenSize|uiMode"
            android:exported="true"
            android:launchMode="singleTask"
            android:windowSoftInputMode="adjustResize">
            <intent-filter>
                <action android:name="android.intent.action.MAIN" />
                <category android:name="android.intent.category.LAUNCHER" />
            </intent-filter>
            <intent-filter android:autoVerify="true">
                <action android:name="android.intent.action.VIEW" />
                <category android:name="android.intent.category.DEFAULT" />
                <category android:name="android.intent.category.BROWSABLE" />
                <data android:scheme="https" android:host="marram.example" android:pathPrefix="/site/" />
            </intent-filter>
            <intent-filter>
                <action android:name="android.intent.action.VIEW" />
                <category android:name="android.intent.category.DEFAULT" />
                <category android:name="android.intent.category.BROWSABLE" />
                <data android:scheme="marram" />
            </intent-filter>
            <intent-filter>
                <action android:name="android.intent.action.SEND" />
                <category android:name="android.intent.category.DEFAULT" />
                <data android:mimeType="text/plain" />
            </intent-filter>
        </activity>

        <service
            android:name=".WalkService"
            android:exported="false"
            android:foregroundServiceType="location" />
        <service
            android:name=".TideTile"
            android:exported="true"
            android:icon="@drawable/tide"
            android:label="@string/tide"
            android:permission="android.permission.BIND_QUICK_SETTINGS_TILE">
            <intent-filter>
                <action android:name="android.service.quicksettings.action.QS_TILE" />
            </intent-filter>
        </service>
        <receiver android:name=".RestartReceiver" android:exported="false">
            <intent-filter>
                <action android:name="android.intent.action.BOOT_COMPLETED" />
                <action android:name="android.intent.action.MY_PACKAGE_REPLACED" />
            </intent-filter>
        </receiver>
        <provider
            android:name="androidx.core.content.FileProvider"
            android:authorities="${applicationId}.files"
            android:exported="false"
            android:grantUriPermissions="true">
            <meta-data
                android:name="android.support.FILE_PROVIDER_PATHS"
                android:resource="@xml/file_paths" />
        </provider>
    </application>
</manifest>
"#;

const GRADLE: &str = "plugins {\n    id 'com.android.application'\n}\nandroid {\n    namespace 'example.marram.fieldlog'\n    compileSdk 36\n    defaultConfig {\n        applicationId 'example.marram.fieldlog'\n        minSdk 24\n        targetSdk 36\n        versionCode 31\n        versionName '2.4.0'\n    }\n}\n";

const PLIST: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE plist PUBLIC "-//Apple//DTD PLIST 1.0//EN" "http://www.apple.com/DTDs/PropertyList-1.0.dtd">
<plist version="1.0">
<dict>
	<key>BGTaskSchedulerPermittedIdentifiers</key>
	<array>
		<string>example.marram.fieldlog.tides</string>
	</array>
	<key>CFBundleDevelopmentRegion</key>
	<string>$(DEVELOPMENT_LANGUAGE)</string>
	<key>CFBundleDisplayName</key>
	<string>Marram</string>
	<key>CFBundleExecutable</key>
	<string>$(EXECUTABLE_NAME)</string>
	<key>CFBundleIdentifier</key>
	<string>$(PRODUCT_BUNDLE_IDENTIFIER)</string>
	<key>CFBundleInfoDictionaryVersion</key>
	<string>6.0</string>
	<key>CFBundleName</key>
	<string>$(PRODUCT_NAME)</string>
	<key>CFBundlePackageType</key>
	<string>$(PRODUCT_BUNDLE_PACKAGE_TYPE)</string>
	<key>CFBundleShortVersionString</key>
	<string>$(MARKETING_VERSION)</string>
	<key>CFBundleURLTypes</key>
	<array>
		<dict>
			<key>CFBundleTypeRole</key>
			<string>Editor</string>
			<key>CFBundleURLName</key>
			<string>example.marram.fieldlog</string>
			<key>CFBundleURLSchemes</key>
			<array>
				<string>marram</string>
			</array>
		</dict>
	</array>
	<key>CFBundleVersion</key>
	<string>$(CURRENT_PROJECT_VERSION)</string>
	<key>ITSAppUsesNonExemptEncryption</key>
	<false/>
	<key>LSApplicationQueriesSchemes</key>
	<array>
		<string>tel</string>
		<string>mailto</string>
	</array>
	<key>LSRequiresIPhoneOS</key>
	<true/>
	<key>NSAppTransportSecurity</key>
	<dict>
		<key>NSAllowsArbitraryLoads</key>
		<false/>
		<key>NSAllowsLocalNetworking</key>
		<true/>
	</dict>
	<key>NSBluetoothAlwaysUsageDescription</key>
	<string>Talks to the ring reader in your hand.</string>
	<key>NSBonjourServices</key>
	<array>
		<string>_marram-log._tcp</string>
	</array>
	<key>NSCameraUsageDescription</key>
	<string>Photographs the ring on the leg of a bird.</string>
	<key>NSLocalNetworkUsageDescription</key>
	<string>Finds the scale on your table.</string>
	<key>NSLocationAlwaysAndWhenInUseUsageDescription</key>
	<string>Draws the walk along the dyke while the phone is in your pocket.</string>
	<key>NSLocationWhenInUseUsageDescription</key>
	<string>Writes the ringing site into each entry.</string>
	<key>UIApplicationSceneManifest</key>
	<dict>
		<key>UIApplicationSupportsMultipleScenes</key>
		<false/>
	</dict>
	<key>UIBackgroundModes</key>
	<array>
		<string>location</string>
		<string>processing</string>
		<string>remote-notification</string>
	</array>
	<key>UILaunchStoryboardName</key>
	<string>LaunchScreen</string>
	<key>UIRequiredDeviceCapabilities</key>
	<array>
		<string>arm64</string>
	</array>
	<key>UISupportedInterfaceOrientations</key>
	<array>
		<string>UIInterfaceOrientationPortrait</string>
		<string>UIInterfaceOrientationLandscapeLeft</string>
	</array>
	<key>UISupportedInterfaceOrientations~ipad</key>
	<array>
		<string>UIInterfaceOrientationPortrait</string>
		<string>UIInterfaceOrientationPortraitUpsideDown</string>
		<string>UIInterfaceOrientationLandscapeLeft</string>
		<string>UIInterfaceOrientationLandscapeRight</string>
	</array>
	<key>UIUserInterfaceStyle</key>
	<string>Automatic</string>
</dict>
</plist>
"#;

const ENTITLEMENTS: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<plist version="1.0">
<dict>
	<key>aps-environment</key>
	<string>development</string>
	<key>com.apple.developer.associated-domains</key>
	<array>
		<string>applinks:marram.example</string>
	</array>
	<key>com.apple.security.application-groups</key>
	<array>
		<string>group.example.marram.fieldlog</string>
	</array>
	<key>keychain-access-groups</key>
	<array>
		<string>$(AppIdentifierPrefix)example.marram.fieldlog</string>
	</array>
</dict>
</plist>
"#;

const PRIVACY: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<plist version="1.0">
<dict>
	<key>NSPrivacyAccessedAPITypes</key>
	<array>
		<dict>
			<key>NSPrivacyAccessedAPIType</key>
			<string>NSPrivacyAccessedAPICategoryUserDefaults</string>
			<key>NSPrivacyAccessedAPITypeReasons</key>
			<array>
				<string>CA92.1</string>
			</array>
		</dict>
		<dict>
			<key>NSPrivacyAccessedAPIType</key>
			<string>NSPrivacyAccessedAPICategoryFileTimestamp</string>
			<key>NSPrivacyAccessedAPITypeReasons</key>
			<array>
				<string>C617.1</string>
			</array>
		</dict>
	</array>
	<key>NSPrivacyCollectedDataTypes</key>
	<array/>
	<key>NSPrivacyTracking</key>
	<false/>
</dict>
</plist>
"#;

const PROJECT: &str = r#"// !$*UTF8*$!
{
	archiveVersion = 1;
	objectVersion = 77;
	objects = {
		P = { isa = PBXProject; buildConfigurationList = PL; developmentRegion = en; knownRegions = (en, Base); mainGroup = G; targets = (T, E); };
		G = { isa = PBXGroup; children = (F1, F2); sourceTree = "<group>"; };
		F1 = { isa = PBXFileReference; path = Marram/PrivacyInfo.xcprivacy; sourceTree = "<group>"; };
		F2 = { isa = PBXFileReference; path = Share.appex; sourceTree = BUILT_PRODUCTS_DIR; };
		T = { isa = PBXNativeTarget; name = Marram; productType = "com.apple.product-type.application"; buildConfigurationList = TL; buildPhases = (R, C); dependencies = (D); };
		R = { isa = PBXResourcesBuildPhase; files = (B1); };
		B1 = { isa = PBXBuildFile; fileRef = F1; };
		C = { isa = PBXCopyFilesBuildPhase; dstSubfolderSpec = 13; files = (B2); };
		B2 = { isa = PBXBuildFile; fileRef = F2; };
		D = { isa = PBXTargetDependency; target = E; };
		E = { isa = PBXNativeTarget; name = Share; productType = "com.apple.product-type.app-extension"; productReference = F2; buildConfigurationList = EL; };
		PL = { isa = XCConfigurationList; buildConfigurations = (PD, PR); defaultConfigurationName = Release; };
		PD = { isa = XCBuildConfiguration; name = Debug; buildSettings = { IPHONEOS_DEPLOYMENT_TARGET = 15.1; }; };
		PR = { isa = XCBuildConfiguration; name = Release; buildSettings = { IPHONEOS_DEPLOYMENT_TARGET = 15.1; }; };
		TL = { isa = XCConfigurationList; buildConfigurations = (TD, TR); defaultConfigurationName = Release; };
		TD = { isa = XCBuildConfiguration; name = Debug; buildSettings = { CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements; CURRENT_PROJECT_VERSION = 31; DEVELOPMENT_TEAM = A1B2C3D4E5; INFOPLIST_FILE = Marram/Info.plist; MARKETING_VERSION = 2.4.0; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; PRODUCT_NAME = "$(TARGET_NAME)"; }; };
		TR = { isa = XCBuildConfiguration; name = Release; buildSettings = { CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements; CURRENT_PROJECT_VERSION = 31; DEVELOPMENT_TEAM = A1B2C3D4E5; INFOPLIST_FILE = Marram/Info.plist; MARKETING_VERSION = 2.4.0; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; PRODUCT_NAME = "$(TARGET_NAME)"; }; };
		EL = { isa = XCConfigurationList; buildConfigurations = (ED, ER); defaultConfigurationName = Release; };
		ED = { isa = XCBuildConfiguration; name = Debug; buildSettings = { CODE_SIGN_ENTITLEMENTS = Share/Share.entitlements; INFOPLIST_FILE = Share/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog.share; }; };
		ER = { isa = XCBuildConfiguration; name = Release; buildSettings = { CODE_SIGN_ENTITLEMENTS = Share/Share.entitlements; INFOPLIST_FILE = Share/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog.share; }; };
	};
	rootObject = P;
}
"#;

const SHARE: &str = "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleIdentifier</key>\n\t<string>$(PRODUCT_BUNDLE_IDENTIFIER)</string>\n\t<key>NSExtension</key>\n\t<dict>\n\t\t<key>NSExtensionAttributes</key>\n\t\t<dict>\n\t\t\t<key>NSExtensionActivationRule</key>\n\t\t\t<dict>\n\t\t\t\t<key>NSExtensionActivationSupportsText</key>\n\t\t\t\t<true/>\n\t\t\t</dict>\n\t\t</dict>\n\t\t<key>NSExtensionMainStoryboard</key>\n\t\t<string>MainInterface</string>\n\t\t<key>NSExtensionPointIdentifier</key>\n\t\t<string>com.apple.share-services</string>\n\t</dict>\n</dict>\n</plist>\n";
const SHARE_ENTITLEMENTS: &str = "<plist version=\"1.0\">\n<dict>\n\t<key>com.apple.security.application-groups</key>\n\t<array>\n\t\t<string>group.example.marram.fieldlog</string>\n\t</array>\n</dict>\n</plist>\n";

/// A plugin with a sheet whose needs the app meets.
const SHEET: &str = "sheet = 1\n[[requires]]\ncapability = \"camera\"\n[[requires]]\nandroid.query = { action = \"android.intent.action.VIEW\", scheme = \"tel\" }\n[[requires]]\nios.query-scheme = \"tel\"\n";

fn android(tree: &mut Memory, module: &str) {
    let at = |path: &str| format!("/app/{module}/{path}");
    tree.put(at("build.gradle"), GRADLE);
    tree.put(at("src/main/AndroidManifest.xml"), MANIFEST);
    let values = "<resources>\n    <string name=\"app_name\">Marram</string>\n    <string name=\"tide\">Tide</string>\n    <style name=\"AppTheme\" parent=\"Theme.AppCompat.Light\" />\n</resources>\n";
    tree.put(at("src/main/res/values/strings.xml"), values);
    tree.put(at("src/main/res/drawable/tide.xml"), "<vector />\n");
    tree.put(at("src/main/res/mipmap-anydpi-v26/ic_launcher.xml"), "<adaptive-icon />\n");
    tree.put(at("src/main/res/mipmap-xhdpi/ic_launcher.webp"), "");
    tree.put(at("src/main/res/xml/data_extraction.xml"), "<data-extraction-rules />\n");
    tree.put(at("src/main/res/xml/network.xml"), "<network-security-config />\n");
    tree.put(at("src/main/res/xml/file_paths.xml"), "<paths><cache-path name=\"rings\" path=\"rings/\" /></paths>\n");
}

fn ios(tree: &mut Memory, folder: &str) {
    let at = |path: &str| format!("/app/{folder}{path}");
    tree.put(at("Marram.xcodeproj/project.pbxproj"), PROJECT);
    tree.put(at("Marram/Info.plist"), PLIST);
    tree.put(at("Marram/Marram.entitlements"), ENTITLEMENTS);
    tree.put(at("Marram/PrivacyInfo.xcprivacy"), PRIVACY);
    tree.put(at("Share/Info.plist"), SHARE);
    tree.put(at("Share/Share.entitlements"), SHARE_ENTITLEMENTS);
}

/// Refuses errors and warnings; the layout must be the one that is meant, and both sides judged where there are two.
#[track_caller]
fn is_clean(tree: &Memory, layout: Layout, sides: usize) {
    let app = App::load_choice(tree, Path::new("/app"), &Choice::default()).unwrap();
    assert!(app.layouts.contains(&layout), "{:?}", app.layouts);
    let report = check(&app, &Settings { today: Some("2026-11-28".to_owned()), ..Settings::default() });
    let judged = report.judged.iter().filter(|side| side.not.is_none()).count();
    assert_eq!(judged, sides, "{:?}", report.judged);
    let wrong: Vec<String> = report
        .findings
        .iter()
        .filter(|finding| finding.level > Level::Note)
        .map(|finding| {
            let at = app.sources.position(finding.place);
            let file = &app.sources.file(finding.place.file).shown;
            format!("{file}:{}:{} {} {}: {}", at.line, at.column, finding.level.id(), finding.rule.id, finding.message)
        })
        .collect();
    assert_eq!(wrong, [""; 0]);
}

#[test]
fn npm() {
    let mut tree = Memory::app([
        ("package.json", "{ \"name\": \"marram\", \"dependencies\": { \"tern_camera\": \"^2.1.0\" } }"),
        ("node_modules/tern_camera/package.json", "{ \"name\": \"tern_camera\", \"version\": \"2.1.0\" }"),
        ("node_modules/tern_camera/elvask-sheet.toml", SHEET),
    ]);
    android(&mut tree, "android/app");
    ios(&mut tree, "ios/");
    is_clean(&tree, Layout::Npm, 2);
}

#[test]
fn pubspec() {
    let mut tree = Memory::app([
        ("pubspec.yaml", "name: marram\nversion: 2.4.0+31\ndependencies:\n  tern_camera: ^2.1.0\n"),
        ("elvask/sheets/tern_camera.toml", &format!("plugin = \"tern_camera\"\n{SHEET}")),
        (
            ".dart_tool/package_config.json",
            "{ \"configVersion\": 2, \"packages\": [ { \"name\": \"tern_camera\", \"rootUri\": \"../vendor/tern_camera\", \"packageUri\": \"lib/\" } ] }",
        ),
        (
            "vendor/tern_camera/pubspec.yaml",
            "name: tern_camera\nversion: 2.1.0\nflutter:\n  plugin:\n    platforms:\n      android:\n        package: example.tern\n      ios:\n        pluginClass: Tern\n",
        ),
    ]);
    android(&mut tree, "android/app");
    ios(&mut tree, "ios/");
    is_clean(&tree, Layout::Pubspec, 2);
}

#[test]
fn gradle() {
    let mut tree = Memory::app([
        ("settings.gradle", "pluginManagement {\n    repositories {\n        google()\n    }\n}\ninclude ':app'\n"),
        ("build.gradle", "plugins {\n    id 'com.android.application' version '8.7.0' apply false\n}\n"),
    ]);
    android(&mut tree, "app");
    is_clean(&tree, Layout::Gradle, 1);
}

#[test]
fn xcode() {
    let mut tree = Memory::default();
    ios(&mut tree, "");
    is_clean(&tree, Layout::Xcode, 1);
}

#[test]
fn msbuild() {
    let project = "<Project Sdk=\"Microsoft.NET.Sdk\">\n  <PropertyGroup>\n    <TargetFrameworks>net9.0-android;net9.0-ios</TargetFrameworks>\n    <ApplicationTitle>Marram</ApplicationTitle>\n    <ApplicationId>example.marram.fieldlog</ApplicationId>\n    <ApplicationDisplayVersion>2.4.0</ApplicationDisplayVersion>\n    <ApplicationVersion>31</ApplicationVersion>\n    <SupportedOSPlatformVersion Condition=\"$([MSBuild]::GetTargetPlatformIdentifier('$(TargetFramework)')) == 'ios'\">15.1</SupportedOSPlatformVersion>\n    <SupportedOSPlatformVersion Condition=\"$([MSBuild]::GetTargetPlatformIdentifier('$(TargetFramework)')) == 'android'\">24.0</SupportedOSPlatformVersion>\n  </PropertyGroup>\n</Project>\n";
    // There the project says the names and versions, and classes state their own components.
    let manifest = "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n  <application android:allowBackup=\"false\" android:icon=\"@mipmap/appicon\" android:roundIcon=\"@mipmap/appicon_round\" android:supportsRtl=\"true\"></application>\n  <uses-permission android:name=\"android.permission.ACCESS_NETWORK_STATE\" />\n  <uses-permission android:name=\"android.permission.INTERNET\" />\n</manifest>\n";
    let list = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\">\n<dict>\n\t<key>LSRequiresIPhoneOS</key>\n\t<true/>\n\t<key>UIDeviceFamily</key>\n\t<array>\n\t\t<integer>1</integer>\n\t\t<integer>2</integer>\n\t</array>\n\t<key>UIRequiredDeviceCapabilities</key>\n\t<array>\n\t\t<string>arm64</string>\n\t</array>\n\t<key>UISupportedInterfaceOrientations</key>\n\t<array>\n\t\t<string>UIInterfaceOrientationPortrait</string>\n\t</array>\n\t<key>XSAppIconAssets</key>\n\t<string>Assets.xcassets/appicon.appiconset</string>\n</dict>\n</plist>\n";
    let tree = Memory::app([
        ("fieldlog.csproj", project),
        ("Platforms/Android/AndroidManifest.xml", manifest),
        (
            "Platforms/Android/MainActivity.cs",
            "using Android.App;\n\n[Activity(Theme = \"@style/Dune\", MainLauncher = true)]\npublic class MainActivity { }\n",
        ),
        ("Platforms/iOS/Info.plist", list),
        ("Platforms/iOS/PrivacyInfo.xcprivacy", PRIVACY),
        ("Resources/AppIcon/appicon.svg", "<svg />"),
    ]);
    is_clean(&tree, Layout::Msbuild, 2);
}

#[test]
fn widget() {
    let config = "<?xml version='1.0' encoding='utf-8'?>\n<widget id=\"example.marram.fieldlog\" version=\"2.4.0\" xmlns=\"http://www.w3.org/ns/widgets\" xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <name>Marram</name>\n    <content src=\"index.html\" />\n    <access origin=\"https://*.marram.example\" />\n    <allow-intent href=\"https://*/*\" />\n    <preference name=\"Orientation\" value=\"portrait\" />\n    <platform name=\"android\">\n        <preference name=\"android-minSdkVersion\" value=\"24\" />\n        <preference name=\"android-targetSdkVersion\" value=\"36\" />\n        <config-file parent=\"/manifest\" target=\"AndroidManifest.xml\">\n            <uses-permission android:name=\"android.permission.CAMERA\" />\n            <uses-feature android:name=\"android.hardware.camera\" android:required=\"false\" />\n        </config-file>\n    </platform>\n    <platform name=\"ios\">\n        <preference name=\"deployment-target\" value=\"15.1\" />\n        <config-file parent=\"NSCameraUsageDescription\" target=\"*-Info.plist\">\n            <string>Photographs the ring on the leg of a bird.</string>\n        </config-file>\n    </platform>\n</widget>\n";
    let tree = Memory::app([("config.xml", config), ("www/index.html", "<p>Marram</p>")]);
    is_clean(&tree, Layout::Widget, 2);
}

#[test]
fn appjson() {
    let app = "{\n  \"name\": \"Marram\",\n  \"slug\": \"marram\",\n  \"version\": \"2.4.0\",\n  \"orientation\": \"portrait\",\n  \"scheme\": \"marram\",\n  \"ios\": {\n    \"bundleIdentifier\": \"example.marram.fieldlog\",\n    \"buildNumber\": \"31\",\n    \"supportsTablet\": true,\n    \"infoPlist\": {\n      \"NSCameraUsageDescription\": \"Photographs the ring on the leg of a bird.\",\n      \"ITSAppUsesNonExemptEncryption\": false\n    }\n  },\n  \"android\": {\n    \"package\": \"example.marram.fieldlog\",\n    \"versionCode\": 31,\n    \"permissions\": [\"android.permission.CAMERA\"]\n  },\n  \"plugins\": []\n}\n";
    let tree = Memory::app([("app.json", app), ("package.json", "{ \"name\": \"marram\" }")]);
    is_clean(&tree, Layout::AppJson, 2);
}
