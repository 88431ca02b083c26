//! Apps in each of the layouts, on small trees in memory.

use std::path::Path;

use elvask_core::app::{App, Choice};
use elvask_core::check::check;
use elvask_core::context::Context;
use elvask_core::discover::{find_apps, find_root};
use elvask_core::fill::fill;
use elvask_core::needs::Settings;
use elvask_project::files::Memory;
use elvask_project::layout::Layout;
use elvask_project::surface::Surface;

fn load(tree: &Memory) -> App {
    App::load(tree, Path::new("/app"), &[]).unwrap()
}

fn permissions(app: &App) -> Vec<(String, String)> {
    let surface = Surface::read(app, &app.sources);
    let settings = Settings::default();
    let context = Context::new(app, &app.sources, &surface, &settings);
    let variant = context.variants.first().unwrap();
    let place = |element: usize| {
        let place = variant.merged.at(element).place;
        format!("{}:{}", app.sources.file(place.file).shown, app.sources.position(place).line)
    };
    variant
        .permissions
        .iter()
        .map(|one| (one.name.rsplit('.').next().unwrap().to_owned(), place(one.element)))
        .collect()
}

fn plugins(app: &App) -> Vec<String> {
    let one = |plugin: &elvask_core::app::Plugin| {
        let root = if plugin.root.is_some() { "" } else { " absent" };
        format!("{} {}{root}", plugin.name, plugin.version.as_deref().unwrap_or("-"))
    };
    app.plugins().iter().map(one).collect()
}

const MANIFEST: &str = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses-permission android:name=\"android.permission.INTERNET\" />\n    <application />\n</manifest>\n";
const PLIST: &str =
    "<plist version=\"1.0\">\n<dict>\n    <key>CFBundleName</key>\n    <string>Marram</string>\n</dict>\n</plist>\n";

const CSPROJ: &str = r#"<Project Sdk="Microsoft.NET.Sdk">
  <PropertyGroup>
    <TargetFrameworks>net9.0-android;net9.0-ios</TargetFrameworks>
    <ApplicationId>example.marram.$(MSBuildProjectName)</ApplicationId>
    <ApplicationDisplayVersion>2.4.0</ApplicationDisplayVersion>
    <ApplicationVersion>71</ApplicationVersion>
    <SupportedOSPlatformVersion Condition="$([MSBuild]::GetTargetPlatformIdentifier('$(TargetFramework)')) == 'ios'">15.0</SupportedOSPlatformVersion>
    <SupportedOSPlatformVersion Condition="$([MSBuild]::GetTargetPlatformIdentifier('$(TargetFramework)')) == 'android'">24.0</SupportedOSPlatformVersion>
  </PropertyGroup>
  <PropertyGroup Condition="$(TargetFramework.Contains('-ios')) and '$(Configuration)' == 'Release'">
    <CodesignEntitlements>Platforms\iOS\Release.plist</CodesignEntitlements>
  </PropertyGroup>
  <ItemGroup>
    <PackageReference Include="Tern.Camera" Version="2.1.0" />
    <PackageReference Include="Plover.Dialer" />
  </ItemGroup>
  <ItemGroup Condition="$(TargetFramework.Contains('-windows'))">
    <PackageReference Include="Desk.Only" Version="1.0.0" />
  </ItemGroup>
</Project>
"#;

#[test]
fn msbuild_reads_project_packages_and_attributes() {
    let mut tree = Memory::app([
        ("fieldlog.csproj", CSPROJ),
        (
            "Directory.Packages.props",
            "<Project><ItemGroup><PackageVersion Include=\"Plover.Dialer\" Version=\"3.0.1\" /></ItemGroup></Project>",
        ),
        (
            "nuget.config",
            "<configuration><config><add key=\"globalPackagesFolder\" value=\"cache\" /></config></configuration>",
        ),
        ("Platforms/Android/AndroidManifest.xml", MANIFEST),
        (
            "Platforms/Android/MainApplication.cs",
            "using Android.App;\n[assembly: UsesPermission(Android.Manifest.Permission.Camera)]\n[assembly: UsesPermission(\"android.permission.INTERNET\")]\n",
        ),
        ("Platforms/iOS/Info.plist", PLIST),
        ("Platforms/iOS/Release.plist", PLIST),
        ("Platforms/iOS/AppDelegate.cs", "[assembly: UsesPermission(\"android.permission.NEVER\")]"),
        (
            "cache/plover.dialer/3.0.1/elvask-sheet.toml",
            "sheet = 1\nplugin = 'Plover.Dialer'\n[[requires]]\ncapability = 'camera'\n",
        ),
    ]);
    tree.put("/app/cache/tern.camera/2.1.0/lib/net9.0-android35.0/Tern.dll", "");
    tree.put("/app/cache/tern.camera/2.1.0/lib/net9.0-ios18.0/Tern.dll", "");
    let app = load(&tree);
    assert_eq!(app.layouts, [Layout::Msbuild]);
    let android = app.android.as_ref().unwrap();
    assert_eq!(android.id.value.as_deref(), Some("example.marram.fieldlog"));
    assert_eq!((android.min_level.value, android.target_level.value), (Some(24), Some(35)));
    let ios = app.ios.as_ref().unwrap();
    assert_eq!(ios.min_version.value.unwrap().to_string(), "15.0");
    assert!(ios.entitlements[0].file.is_some(), "{:?}", ios.entitlements);
    assert_eq!(
        permissions(&app),
        [
            ("INTERNET".to_owned(), "Platforms/Android/AndroidManifest.xml:2".to_owned()),
            ("CAMERA".to_owned(), "Platforms/Android/MainApplication.cs:2".to_owned())
        ]
    );
    assert_eq!(plugins(&app), ["Tern.Camera 2.1.0", "Plover.Dialer 3.0.1"]);
    let found: Vec<_> = check(&app, &Settings::default()).findings.iter().map(|one| one.rule.id).collect();
    assert_eq!(found, ["purpose-missing"], "the permission is declared in source");
}

#[test]
fn msbuild_takes_what_was_restored_from_the_assets() {
    let assets = r#"{ "version": 3, "packageFolders": { "/cache/": {} }, "libraries": {
        "Tern.Camera/2.2.0": { "type": "package", "path": "tern.camera/2.2.0" },
        "Knot.Core/1.0.0": { "type": "package", "path": "knot.core/1.0.0" },
        "Own/1.0.0": { "type": "project", "path": "../own/own.csproj" } } }"#;
    let mut tree = Memory::app([
        ("fieldlog.csproj", CSPROJ),
        ("obj/project.assets.json", assets),
        ("Platforms/Android/AndroidManifest.xml", MANIFEST),
        ("Platforms/iOS/Info.plist", PLIST),
    ]);
    for name in ["tern.camera/2.2.0", "knot.core/1.0.0"] {
        tree.put(format!("/cache/{name}/lib/net9.0-android35.0/a.dll"), "");
    }
    let app = load(&tree);
    assert_eq!(plugins(&app), ["Tern.Camera 2.2.0", "Knot.Core 1.0.0"]);
    assert!(app.notices.iter().any(|notice| notice.contains("Plover.Dialer")), "{:?}", app.notices);
    let bad = Memory::app([
        ("fieldlog.csproj", CSPROJ),
        ("obj/project.assets.json", "{"),
        ("Platforms/iOS/Info.plist", PLIST),
    ]);
    assert!(!load(&bad).faults.is_empty());
    let folder = Choice { package_folder: Some("/env".into()), ..Choice::default() };
    let mut tree = Memory::app([
        ("fieldlog.csproj", CSPROJ),
        ("Platforms/Android/AndroidManifest.xml", MANIFEST),
        ("Platforms/iOS/Info.plist", PLIST),
    ]);
    tree.put("/env/tern.camera/2.1.0/lib/net9.0-ios18.0/a.dll", "");
    assert_eq!(plugins(&App::load_choice(&tree, Path::new("/app"), &folder).unwrap()), ["Tern.Camera 2.1.0"]);
}

const SETTINGS: &str =
    "include(\":app\", \":core\", \":wear\")\nproject(\":core\").projectDir = file(\"libraries/core\")\n";
const APP_BUILD: &str = "plugins { alias(libs.plugins.android.application) }\nandroid {\n  namespace = \"example.marram\"\n  compileSdk = 36\n  defaultConfig {\n    applicationId = \"example.marram.fieldlog\"\n    minSdk = libs.versions.min.sdk.get().toInt()\n    targetSdk = rootProject.extra[\"target\"] as Int\n  }\n}\ndependencies {\n  implementation(project(\":core\"))\n  implementation(libs.tern.camera)\n  implementation(\"example.knot:banner:$knot\")\n  testImplementation(\"example.test:kit:1\")\n  debugImplementation(\"example.debug:kit:1\")\n  implementation(chosen())\n}\n";

fn gradle() -> Memory {
    Memory::app([
        ("settings.gradle.kts", SETTINGS),
        ("build.gradle.kts", "extra[\"target\"] = 36\n"),
        (
            "gradle/libs.versions.toml",
            "[versions]\nmin-sdk = \"26\"\ntern = \"2.1.0\"\n[libraries]\ntern-camera = { module = \"example.tern:camera\", version.ref = \"tern\" }\n[plugins]\nandroid-application = { id = \"com.android.application\", version = \"8.13.0\" }\n",
        ),
        ("app/build.gradle.kts", APP_BUILD),
        ("app/src/main/AndroidManifest.xml", MANIFEST),
        (
            "libraries/core/build.gradle.kts",
            "plugins { id(\"com.android.library\") }\nandroid { namespace = \"example.core\" }\n",
        ),
        (
            "libraries/core/src/main/AndroidManifest.xml",
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses-permission android:name=\"android.permission.VIBRATE\" />\n</manifest>\n",
        ),
        ("wear/build.gradle.kts", "plugins { id(\"com.android.application\") }\n"),
    ])
}

#[test]
fn gradle_reads_modules_catalogs_and_dependencies() {
    let app = load(&gradle());
    assert_eq!(app.layouts, [Layout::Gradle]);
    let android = app.android.as_ref().unwrap();
    assert_eq!((android.min_level.value, android.target_level.value), (Some(26), Some(36)));
    let at = |place: elvask_project::source::Place| {
        format!("{}:{}", app.sources.file(place.file).shown, app.sources.position(place).line)
    };
    assert_eq!(at(android.min_level.place.unwrap()), "gradle/libs.versions.toml:2", "a level is where it is stated");
    assert_eq!(at(android.target_level.place.unwrap()), "build.gradle.kts:1");
    assert_eq!(plugins(&app), [":core -", "example.tern:camera 2.1.0 absent", "example.knot:banner - absent"]);
    assert_eq!(
        permissions(&app)[1],
        ("VIBRATE".to_owned(), "libraries/core/src/main/AndroidManifest.xml:2".to_owned())
    );
    let said: Vec<_> = app.unresolved.iter().map(|one| one.what.as_str()).collect();
    assert_eq!(said, ["the dependency chosen() is not known: only running the build tells"]);
}

const PODS: &str = "PODS:\n  - TernCamera (2.1.0):\n    - TernCore (= 2.1.0)\n  - TernCore (2.1.0)\n  - Knot/Ads (5.1.0)\n  - Own (0.1.0)\n\nDEPENDENCIES:\n  - Knot/Ads (~> 5)\n  - Own (from `../own`)\n  - TernCamera\n\nEXTERNAL SOURCES:\n  Own:\n    :path: \"../own\"\n\nCOCOAPODS: 1.16.2\n";
const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; };
  S = { isa = XCLocalSwiftPackageReference; relativePath = Packages/Plover; };
  T = { name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist;
  PRODUCT_BUNDLE_IDENTIFIER = example.marram; }; }; }; rootObject = P; }";

#[test]
fn xcode_reads_pods_and_swift_packages() {
    let resolved = r#"{ "pins": [ { "identity": "redshank-scan", "kind": "remoteSourceControl", "location": "https://code.marram.example/Redshank-Scan.git", "state": { "version": "3.3.0" } } ], "version": 3 }"#;
    let mut tree = Memory::app([
        ("Marram.xcodeproj/project.pbxproj", PROJECT),
        ("Marram.xcodeproj/project.xcworkspace/xcshareddata/swiftpm/Package.resolved", resolved),
        ("Marram/Info.plist", PLIST),
        ("Podfile.lock", PODS),
        ("Pods/TernCamera/Source.swift", ""),
        ("Packages/Plover/Package.swift", ""),
        ("SourcePackages/checkouts/Redshank-Scan/Package.swift", ""),
    ]);
    tree.put("/own/Own.podspec", "");
    let app = load(&tree);
    assert_eq!(app.layouts, [Layout::Xcode]);
    assert_eq!(
        plugins(&app),
        [
            "TernCamera 2.1.0",
            "TernCore 2.1.0 absent",
            "Knot 5.1.0 absent",
            "Own 0.1.0",
            "redshank-scan 3.3.0",
            "Plover -"
        ]
    );
    let direct = app.plugins()[0].dependency.unwrap();
    assert_eq!(app.sources.position(direct).line, 11);
    assert!(app.plugins()[1].dependency.is_none());
    let old = r#"{ "object": { "pins": [ { "package": "Old", "repositoryURL": "https://code.marram.example/old.git", "state": { "version": "1.0.0" } } ] }, "version": 1 }"#;
    let tree = Memory::app([
        ("Marram.xcodeproj/project.pbxproj", PROJECT),
        ("Marram/Info.plist", PLIST),
        ("Package.resolved", old),
    ]);
    assert_eq!(plugins(&load(&tree))[0], "old 1.0.0 absent");
}

const WIDGET: &str = r#"<?xml version="1.0" encoding="utf-8"?>
<widget id="example.marram.fieldlog" version="2.4.0" xmlns="http://www.w3.org/ns/widgets">
    <name>Marram</name>
    <description>
        A field notebook.
    </description>
    <author email="log@marram.example" href="https://marram.example">Marram</author>
    <access origin="https://*.marram.example" />
    <allow-navigation href="https://marram.example/*" />
    <feature name="example:log" required="true" />
    <preference name="Orientation" value="portrait" />
    <icon src="icon.png" width="48" />
    <platform name="android">
        <preference name="AndroidLaunchMode" value="singleTop" />
        <config-file target="AndroidManifest.xml" parent="/manifest"><uses-permission /></config-file>
    </platform>
    <platform name="ios" />
    <plugin name="tern-camera" spec="2.1.0" />
</widget>
"#;

#[test]
fn widget_reads_its_file_and_its_plugins() {
    let plugin =
        "<plugin id=\"tern-camera\" version=\"2.1.0\"><platform name=\"android\"/><platform name=\"ios\"/></plugin>";
    let tree =
        Memory::app([("config.xml", WIDGET), ("plugins/tern-camera/plugin.xml", plugin), ("plugins/fetch.json", "{}")]);
    let app = load(&tree);
    assert_eq!(app.layouts, [Layout::Widget]);
    let widget = app.widget.as_ref().unwrap();
    let text = |said: &Option<elvask_project::appfiles::Said>| said.as_ref().unwrap().text.clone();
    assert_eq!(text(&widget.id), "example.marram.fieldlog");
    assert_eq!(
        (text(&widget.name), text(&widget.description), text(&widget.author)),
        ("Marram".to_owned(), "A field notebook.".to_owned(), "Marram".to_owned())
    );
    let kinds: Vec<_> = widget.declares.iter().map(|one| format!("{} {}", one.kind, one.name)).collect();
    assert_eq!(
        kinds,
        [
            "access https://*.marram.example",
            "access https://marram.example/*",
            "feature example:log",
            "preference Orientation",
            "icon icon.png",
            "preference AndroidLaunchMode",
            "config-file AndroidManifest.xml"
        ]
    );
    assert_eq!(plugins(&app), ["tern-camera 2.1.0"]);
    // Its sides are made of the file, whether something has been prepared or not.
    assert!(app.android.is_some() && app.ios.is_some());
    let mut tree = tree;
    tree.put("/app/package.json", "{}");
    tree.put("/app/platforms/android/app/build.gradle", "apply plugin: 'com.android.application'");
    tree.put("/app/platforms/android/app/src/main/AndroidManifest.xml", MANIFEST);
    let app = load(&tree);
    assert_eq!(app.layouts, [Layout::Npm, Layout::Widget]);
    assert_eq!(permissions(&app).len(), 1);
}

#[test]
fn every_app_of_a_repository_is_found() {
    let mut tree = Memory::default();
    for (path, text) in [
        ("field/pubspec.yaml", "name: field"),
        ("field/android/app/src/main/AndroidManifest.xml", MANIFEST),
        ("field/android/settings.gradle", "include ':app'"),
        ("field/android/app/build.gradle", "apply plugin: 'com.android.application'"),
        ("desk/package.json", "{}"),
        ("desk/ios/Desk.xcodeproj/project.pbxproj", "{}"),
        ("library/package.json", "{}"),
        ("native/settings.gradle", "include ':app', ':wear'"),
        ("native/app/build.gradle", "apply plugin: 'com.android.application'"),
        ("native/wear/build.gradle", "apply plugin: 'com.android.application'"),
        ("watch/Watch.xcodeproj/project.pbxproj", "{}"),
        (
            "tools/Tools.csproj",
            "<Project><PropertyGroup><TargetFramework>net9.0</TargetFramework></PropertyGroup></Project>",
        ),
        ("shared/fieldlog.csproj", CSPROJ),
        ("hybrid/config.xml", WIDGET),
        ("other/config.xml", "<settings/>"),
    ] {
        tree.put(format!("/repo/{path}"), text);
    }
    let apps = find_apps(&tree, Path::new("/repo"));
    let names: Vec<_> = apps.iter().map(|app| app.strip_prefix("/repo").unwrap().to_str().unwrap()).collect();
    let mut sorted = names.clone();
    sorted.sort_unstable();
    assert_eq!(sorted, ["desk", "field", "hybrid", "native/app", "native/wear", "shared", "watch"]);
    assert_eq!(find_apps(&tree, Path::new("/repo/field")), [Path::new("/repo/field")]);
    let root = |start: &str| find_root(&tree, Path::new(start)).unwrap();
    assert_eq!(
        root("/repo/field/android/app/src/main"),
        Path::new("/repo/field"),
        "the Gradle build of an app is not an app of its own"
    );
    assert_eq!(root("/repo/desk/ios"), Path::new("/repo/desk"));
    assert_eq!(root("/repo/native/app/src"), Path::new("/repo/native"));
    assert_eq!(root("/repo/shared/Platforms/iOS"), Path::new("/repo/shared"));
    let wear = App::load(&tree, Path::new("/repo/native/wear"), &[]).unwrap();
    assert_eq!(wear.android.clone().unwrap().module, Path::new("/repo/native/wear"));
}

#[test]
fn what_is_in_an_app_is_no_app_of_its_own() {
    let application = "apply plugin: 'com.android.application'";
    let mut tree = Memory::default();
    for (path, text) in [
        ("apps/desk/package.json", "{}"),
        ("apps/desk/ios/Desk.xcodeproj/project.pbxproj", "{}"),
        ("apps/desk/examples/deep/inner/package.json", "{}"),
        ("apps/desk/examples/deep/inner/ios/Inner.xcodeproj/project.pbxproj", "{}"),
        // The uppermost folder of the build is an app as well as one of its modules.
        ("apps/whole/settings.gradle", "include ':wear'"),
        ("apps/whole/build.gradle", application),
        ("apps/whole/wear/build.gradle", application),
        ("apps/whole/other/package.json", "{}"),
        ("apps/whole/other/ios/Other.xcodeproj/project.pbxproj", "{}"),
        // Beside the modules of a build there may be another app.
        ("apps/parts/settings.gradle", "include ':app', ':wear'"),
        ("apps/parts/app/build.gradle", application),
        ("apps/parts/app/src/inner/package.json", "{}"),
        ("apps/parts/app/src/inner/ios/Inner.xcodeproj/project.pbxproj", "{}"),
        ("apps/parts/wear/build.gradle", application),
        ("apps/parts/web/package.json", "{}"),
        ("apps/parts/web/ios/Web.xcodeproj/project.pbxproj", "{}"),
    ] {
        tree.put(format!("/repo/{path}"), text);
    }
    let apps = find_apps(&tree, Path::new("/repo"));
    let names: Vec<_> = apps.iter().map(|app| app.strip_prefix("/repo/apps").unwrap().to_str().unwrap()).collect();
    assert_eq!(names, ["desk", "parts/app", "parts/wear", "whole", "whole/wear", "parts/web"]);
}

#[test]
fn msbuild_takes_conditions_on_the_building_system_as_the_one_does_that_builds_for_both() {
    let project = "<Project Sdk=\"Microsoft.NET.Sdk\"><PropertyGroup><TargetFrameworks>net9.0-android</TargetFrameworks><TargetFrameworks Condition=\"!$([MSBuild]::IsOSPlatform('linux'))\">$(TargetFrameworks);net9.0-ios</TargetFrameworks><TargetFrameworks Condition=\"$([MSBuild]::IsOSPlatform('windows'))\">$(TargetFrameworks);net9.0-windows10.0</TargetFrameworks><ApplicationId>example.marram.fieldlog</ApplicationId></PropertyGroup></Project>";
    let tree = Memory::app([
        ("Marram.csproj", project),
        ("Platforms/Android/AndroidManifest.xml", MANIFEST),
        ("Platforms/iOS/Info.plist", PLIST),
    ]);
    let app = load(&tree);
    assert_eq!(app.layouts, [Layout::Msbuild]);
    assert!(app.android.is_some() && app.ios.is_some());
}

#[test]
fn msbuild_levels_are_raised_where_the_project_states_them_for_one_platform() {
    let project = |android: &str, ios: &str| {
        format!(
            "<Project Sdk=\"Microsoft.NET.Sdk\">\n  <PropertyGroup>\n    <TargetFrameworks>net9.0-android;net9.0-ios</TargetFrameworks>\n    <ApplicationId>example.marram.fieldlog</ApplicationId>\n{android}{ios}  </PropertyGroup>\n  <ItemGroup><PackageReference Include=\"Tern.Camera\" Version=\"2.1.0\" /></ItemGroup>\n</Project>\n"
        )
    };
    let is = |platform: &str| {
        format!("Condition=\"$([MSBuild]::GetTargetPlatformIdentifier('$(TargetFramework)')) == '{platform}'\"")
    };
    let line = |condition: &str, version: &str| {
        format!("    <SupportedOSPlatformVersion {condition}>{version}</SupportedOSPlatformVersion>\n")
    };
    let filled = |project: String| {
        let tree = Memory::app([
            ("Marram.csproj", project.as_str()),
            ("Platforms/Android/AndroidManifest.xml", MANIFEST),
            ("Platforms/iOS/Info.plist", PLIST),
            (
                "elvask/sheets/tern.toml",
                "sheet = 1\nplugin = 'Tern.Camera'\n[[requires]]\nandroid.levels = { min = 24 }\n[[requires]]\nios.min-version = '15.1'\n",
            ),
        ]);
        let app = load(&tree);
        let done = fill(&app, &Settings::default()).unwrap();
        let left = done.left.findings.iter().map(|one| one.rule.id).collect::<Vec<_>>();
        let file = app.sources.find(|shown| shown == "Marram.csproj").unwrap();
        (done.sources.file(file).text.to_string(), left)
    };
    let (android, ios) = (line(&is("android"), "21.0"), line(&is("ios"), "12.0"));
    let raised = project(&line(&is("android"), "24.0"), &line(&is("ios"), "15.1"));
    assert_eq!(filled(project(&android, &ios)), (raised, Vec::new()));
    // One that holds for both is not a number that can be raised for one.
    let both = project(&line("", "12.0"), "");
    let (text, left) = filled(both.clone());
    assert_eq!((text, left), (both, vec!["level-too-low", "min-version-too-low"]));
}
