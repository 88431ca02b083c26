//! How long the program takes, from its start to its end, and how long the heavy parts take.
//!
//! `cargo bench -p elvask`. Aims: `--version` under 5 ms, `check` on the sample app under 20 ms, `survey` on an app with a project
//! file of 2 MB, a manifest of 1 MB and 300 plugins with manifests under 60 ms.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::LazyLock;

use divan::counter::{BytesCount, ItemsCount};
use divan::{Bencher, black_box};
use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::fill::fill;
use elvask_core::needs::Settings;
use elvask_markup::plist::PropertyList;
use elvask_markup::xml::Document;
use elvask_project::files::{Disk, Memory};

fn run(folder: &Path, words: &[&str]) {
    let status = Command::new(env!("CARGO_BIN_EXE_elvask"))
        .args(words)
        .current_dir(folder)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status();
    assert!(status.is_ok_and(|status| status.code() != Some(2)), "{words:?}");
}

fn demo(layout: &str) -> PathBuf {
    let folder = std::env::temp_dir().join(format!("elvask-bench-{}-{layout}", std::process::id()));
    run(&std::env::temp_dir(), &["demo", "--unpack", "--layout", layout, "--into", &folder.display().to_string()]);
    folder
}

static NPM: LazyLock<PathBuf> = LazyLock::new(|| demo("npm"));
static PUBSPEC: LazyLock<PathBuf> = LazyLock::new(|| demo("pubspec"));

/// The program from its start to its end, on the sample apps.
#[divan::bench_group(sample_count = 50)]
mod program {
    use super::{Bencher, NPM, PUBSPEC, run};

    #[divan::bench(args = ["--version", "check", "survey", "fill --dry-run"])]
    fn npm(bencher: Bencher, words: &str) {
        let words: Vec<&str> = words.split(' ').collect();
        bencher.bench_local(|| run(&NPM, &words));
    }

    #[divan::bench(args = ["check"])]
    fn pubspec(bencher: Bencher, words: &str) {
        bencher.bench_local(|| run(&PUBSPEC, &[words]));
    }
}

/// What it does in between.
#[divan::bench_group(sample_count = 50)]
mod inside {
    use super::{App, Bencher, Disk, NPM, Settings};

    #[divan::bench]
    fn load(bencher: Bencher) {
        bencher.bench_local(|| App::load(&Disk, &NPM, &[]).map(|app| app.plugins().len()));
    }

    #[divan::bench]
    fn check(bencher: Bencher) {
        let settings = Settings::default();
        let Ok(app) = App::load(&Disk, &NPM, &[]) else { return };
        bencher.bench_local(|| super::check(&app, &settings).findings.len());
    }
}

/// A manifest of about a megabyte, with a tenth of its permissions misspelt.
fn large_manifest() -> String {
    let mut text = String::from("<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n");
    for at in 0..200 {
        let name =
            if at % 10 == 0 { format!("android.permission.CAMER{at}") } else { format!("example.permission.P{at}") };
        text.push_str(&format!("    <uses-permission android:name=\"{name}\" />\n"));
    }
    text.push_str("    <application>\n");
    for at in 0..5000 {
        text.push_str(&format!(
            "        <activity\n            android:name=\".screen.Screen{at}\"\n            android:exported=\"false\">\n            <!-- one of many -->\n            <meta-data android:name=\"example.k{at}\" android:value=\"{at}\" />\n        </activity>\n"
        ));
    }
    text.push_str("    </application>\n</manifest>\n");
    text
}

/// A property list of about a megabyte.
fn large_list() -> String {
    let mut list = String::from("<plist version=\"1.0\">\n<dict>\n");
    for at in 0..15_000 {
        list.push_str(&format!("\t<key>Example{at:05}</key>\n\t<string>A value &amp; more of it.</string>\n"));
    }
    list.push_str("</dict>\n</plist>\n");
    list
}

mod documents {
    use super::{Bencher, BytesCount, Document, PropertyList, large_list, large_manifest};

    #[divan::bench]
    fn manifest_of_1_mb(bencher: Bencher) {
        let text = large_manifest();
        bencher.counter(BytesCount::of_str(&text)).bench_local(|| Document::parse(text.as_str()).map(|_| ()));
    }

    #[divan::bench]
    fn property_list_of_1_mb(bencher: Bencher) {
        let text = large_list();
        bencher.counter(BytesCount::of_str(&text)).bench_local(|| PropertyList::parse(text.as_str()).map(|_| ()));
    }
}

/// An app with that manifest, and two needs.
#[divan::bench_group(sample_count = 20)]
mod large_in_memory {
    use super::{App, Bencher, Memory, Path, Settings, large_manifest};

    fn tree() -> Memory {
        Memory::app([
            ("package.json", r#"{"dependencies":{"tern_camera":"1"}}"#),
            ("node_modules/tern_camera/package.json", "{}"),
            (
                "node_modules/tern_camera/elvask-sheet.toml",
                "sheet = 1\n[[requires]]\ncapability = 'bluetooth'\n[[requires]]\ncapability = 'open-phone'\n",
            ),
            ("android/app/src/main/AndroidManifest.xml", &large_manifest()),
        ])
    }

    #[divan::bench]
    fn check(bencher: Bencher) {
        let (tree, settings) = (tree(), Settings::default());
        let Ok(app) = App::load(&tree, Path::new("/app"), &[]) else { return };
        bencher.bench_local(|| super::check(&app, &settings).findings.len());
    }

    #[divan::bench]
    fn fill(bencher: Bencher) {
        let (tree, settings) = (tree(), Settings::default());
        let Ok(app) = App::load(&tree, Path::new("/app"), &[]) else { return };
        bencher.bench_local(|| super::fill(&app, &settings).map(|filled| filled.mended.len()));
    }
}

/// A project file of about two megabytes: many files in groups, one app target.
fn large_project() -> String {
    let (mut references, mut children) = (String::new(), String::new());
    for at in 0..11_000 {
        let id = format!("{at:024X}");
        references.push_str(&format!(
            "\t\t{id} /* Screen{at}.swift */ = {{isa = PBXFileReference; fileEncoding = 4; lastKnownFileType = sourcecode.swift; path = Screen{at}.swift; sourceTree = \"<group>\"; }};\n"
        ));
        children.push_str(&format!("\t\t\t\t{id} /* Screen{at}.swift */,\n"));
    }
    let configuration = |id: &str, name: &str| {
        format!(
            "\t\t{id} = {{isa = XCBuildConfiguration; buildSettings = {{ INFOPLIST_FILE = Log/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = \"example.$(TARGET_NAME:lower)\"; IPHONEOS_DEPLOYMENT_TARGET = 16.0; }}; name = {name}; }};\n"
        )
    };
    format!(
        "// !$*UTF8*$!\n{{\n\tarchiveVersion = 1;\n\tobjectVersion = 56;\n\tobjects = {{\n{references}\t\tM = {{isa = PBXGroup; children = (\n{children}\t\t\t); sourceTree = \"<group>\"; }};\n\t\tP = {{isa = PBXProject; buildConfigurationList = L; mainGroup = M; targets = (T, ); }};\n\t\tT = {{isa = PBXNativeTarget; name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; buildPhases = (); }};\n\t\tL = {{isa = XCConfigurationList; buildConfigurations = (D, R, ); }};\n{}{}\t}};\n\trootObject = P;\n}}\n",
        configuration("D", "Debug"),
        configuration("R", "Release")
    )
}

/// An app of the largest size that is aimed at, on the disk.
fn large_app() -> std::io::Result<PathBuf> {
    let root = std::env::temp_dir().join(format!("elvask-bench-{}-large", std::process::id()));
    let put = |path: String, text: &str| -> std::io::Result<()> {
        let path = root.join(path);
        std::fs::create_dir_all(path.parent().unwrap_or(&root))?;
        std::fs::write(path, text)
    };
    let mut dependencies = Vec::new();
    for at in 0..300 {
        let folder = format!("node_modules/wader_{at}");
        put(format!("{folder}/package.json"), "{\"version\":\"1.0.0\"}")?;
        put(
            format!("{folder}/android/build.gradle"),
            &format!(
                "android {{\n    namespace 'example.wader{at}'\n    defaultConfig {{\n        minSdk 21\n    }}\n}}\n"
            ),
        )?;
        let manifest = format!(
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses-permission android:name=\"android.permission.INTERNET\" />\n    <application>\n        <provider android:name=\".Start\" android:authorities=\"${{applicationId}}.wader{at}\" android:exported=\"false\" />\n    </application>\n</manifest>\n"
        );
        put(format!("{folder}/android/src/main/AndroidManifest.xml"), &manifest)?;
        dependencies.push(format!("\"wader_{at}\":\"1.0.0\""));
    }
    put("package.json".to_owned(), &format!("{{\"dependencies\":{{{}}}}}", dependencies.join(",")))?;
    put(
        "android/app/build.gradle".to_owned(),
        "plugins { id 'com.android.application' }\nandroid {\n    namespace 'example.log'\n    defaultConfig {\n        applicationId 'example.log'\n        minSdk 24\n        targetSdk 36\n    }\n}\n",
    )?;
    put("android/app/src/main/AndroidManifest.xml".to_owned(), &large_manifest())?;
    put("ios/Log.xcodeproj/project.pbxproj".to_owned(), &large_project())?;
    put(
        "ios/Log/Info.plist".to_owned(),
        "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleName</key>\n\t<string>Log</string>\n</dict>\n</plist>\n",
    )?;
    Ok(root)
}

static LARGE: LazyLock<PathBuf> = LazyLock::new(|| large_app().unwrap_or_default());

/// 300 plugins, a project file of 2 MB, a manifest of 1 MB.
#[divan::bench_group(sample_count = 20)]
mod large {
    use super::{App, Bencher, Disk, LARGE, run};

    #[divan::bench(args = ["survey", "check"])]
    fn program(bencher: Bencher, words: &str) {
        bencher.bench_local(|| run(&LARGE, &[words]));
    }

    #[divan::bench]
    fn load(bencher: Bencher) {
        bencher.bench_local(|| App::load(&Disk, &LARGE, &[]).map(|app| app.plugins().len()));
    }
}

/// Packages with native code of about fifty megabytes, of which a file in ten uses something that matters, in an app.
fn native_code() -> std::io::Result<PathBuf> {
    let root = std::env::temp_dir().join(format!("elvask-bench-{}-native", std::process::id()));
    let mut dependencies = Vec::new();
    let filler = "    private fun step(at: Int, value: String): Boolean { return table[at]?.value == value && at > 0 } // as before\n".repeat(70);
    for package in 0..300 {
        let folder = root.join(format!("node_modules/wader_{package}"));
        let source = folder.join(format!("android/src/main/java/example/wader{package}"));
        std::fs::create_dir_all(&source)?;
        std::fs::create_dir_all(folder.join("ios"))?;
        std::fs::write(folder.join("package.json"), "{\"version\":\"1.0.0\"}")?;
        std::fs::write(folder.join("android/build.gradle"), "apply plugin: 'com.android.library'\n")?;
        for file in 0..10 {
            let used = if file == 3 {
                "    val vibrator: Vibrator = get()\n    fun buzz() { vibrator.vibrate(10) }\n"
            } else {
                ""
            };
            std::fs::write(
                source.join(format!("Step{file}.kt")),
                format!("class Step{file} {{\n{filler}{used}{filler}}}\n"),
            )?;
            let used = if file == 5 { "let pedometer = CMPedometer()\n" } else { "" };
            std::fs::write(
                folder.join(format!("ios/Step{file}.swift")),
                format!("final class Step{file} {{\n{filler}{used}}}\n"),
            )?;
        }
        dependencies.push(format!("\"wader_{package}\":\"1.0.0\""));
    }
    std::fs::write(root.join("package.json"), format!("{{\"dependencies\":{{{}}}}}", dependencies.join(",")))?;
    std::fs::write(root.join("patterns"), elvask_needs::evidence::searched().join("\n"))?;
    // What was changed only now may change again, and is not remembered.
    let old = std::time::SystemTime::now() - std::time::Duration::from_secs(3600);
    settle(&root, old)?;
    Ok(root)
}

fn settle(folder: &Path, at: std::time::SystemTime) -> std::io::Result<()> {
    for entry in std::fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() {
            settle(&path, at)?;
        } else {
            std::fs::File::options().append(true).open(&path)?.set_modified(at)?;
        }
    }
    Ok(())
}

/// `elvask` with these words, and with what it remembers in `cache` (nothing where that is empty).
fn look(root: &Path, words: &[&str], cache: &Path) {
    let status = Command::new(env!("CARGO_BIN_EXE_elvask"))
        .args(words)
        .current_dir(root)
        .env("ELVASK_CACHE_DIR", cache)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status();
    assert!(status.is_ok_and(|status| status.code() != Some(2)));
}

/// `rg` on the same files for the same strings. Without it (package ripgrep) there is nothing to compare with.
fn rg(root: &Path, words: &[&str]) -> bool {
    Command::new("rg")
        .args(["--no-ignore", "-F", "-c", "-f", "patterns"])
        .args(words)
        .current_dir(root)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status()
        .is_ok_and(|status| status.success())
}

static NATIVE: LazyLock<PathBuf> = LazyLock::new(|| native_code().unwrap_or_default());

/// Looking into all packages, against the best search of fixed strings that there is. Aims: no slower, and a tenth of that once
/// nothing has changed.
#[divan::bench_group(sample_count = 20)]
mod native_code_of_50_mb {
    use super::{Bencher, NATIVE, Path, look};

    const WORDS: [&str; 3] = ["sheet", "list", "-q"];

    #[divan::bench]
    fn nothing_remembered(bencher: Bencher) {
        bencher.bench_local(|| look(&NATIVE, &WORDS, Path::new("")));
    }

    #[divan::bench]
    fn nothing_changed(bencher: Bencher) {
        let cache = NATIVE.join("cache");
        look(&NATIVE, &WORDS, &cache);
        bencher.bench_local(|| look(&NATIVE, &WORDS, &cache));
    }

    #[divan::bench]
    fn rg(bencher: Bencher) {
        let words = ["-g", "*.kt", "-g", "*.swift", "node_modules"];
        if super::rg(&NATIVE, &words) {
            bencher.bench_local(|| super::rg(&NATIVE, &words));
        }
    }
}

/// 100,000 links of which half meet a filter, of so many filters of 100 hosts.
#[divan::bench(sample_count = 20, args = [10, 100, 1_000, 10_000])]
fn links(bencher: Bencher, count: usize) {
    use elvask_link::filter::Filter;
    use elvask_link::index::FilterSet;
    use elvask_link::url::Uri;
    use elvask_project::filters::{BROWSABLE, DEFAULT, DataSpec, FilterSpec, VIEW};
    let mut sources = elvask_project::source::Sources::new(Path::new("/app"));
    let file = sources.add(Path::new("/app/AndroidManifest.xml"), "");
    let place = elvask_project::source::Place { file, span: elvask_core::Span::at(0) };
    let filter = |attributes: &[(&str, String)]| {
        let mut data = DataSpec::default();
        attributes.iter().for_each(|(name, value)| data.push(name, value, place));
        let spec = FilterSpec {
            actions: vec![VIEW.to_owned()],
            categories: vec![DEFAULT.to_owned(), BROWSABLE.to_owned()],
            data: vec![data],
            ..FilterSpec::default()
        };
        Filter::at_level(&spec, 36)
    };
    let web = |host: String, kind: &'static str, path: String| {
        filter(&[("scheme", "https".to_owned()), ("host", host), (kind, path)])
    };
    let made = |count: usize| -> Vec<Filter> {
        (0..count)
            .filter_map(|at| {
                let host = format!("h{}.marram.example", at % 100);
                match at % 5 {
                    0 => web(host, "pathPrefix", format!("/site{at}/")),
                    1 => web(host, "path", format!("/ring/{at}")),
                    2 => web(host, "pathPattern", format!("/day{at}/.*")),
                    3 => web(format!("*.h{}.marram.example", at % 100), "pathPrefix", format!("/tide{at}/")),
                    _ => filter(&[("scheme", format!("marram{at}"))]),
                }
                .ok()
            })
            .collect()
    };
    let urls: Vec<String> = (0..100_000)
        .map(|at| {
            let (host, one) = (at % 100, at % 1_000);
            match at % 10 {
                0 | 5 => format!("https://h{host}.marram.example/site{one}/42?tab=notes"),
                1 | 6 => format!("https://h{host}.marram.example/ring/{one}"),
                2 => format!("https://h{host}.marram.example/day{one}/2026-05-31"),
                3 => format!("https://a.h{host}.marram.example/tide{one}/3"),
                4 => format!("marram{one}://site/42"),
                _ => format!("https://h{host}.marram.example/press/{at}"),
            }
        })
        .collect();
    let set = FilterSet::new(made(count));
    let mut found = Vec::new();
    bencher.counter(ItemsCount::new(urls.len())).bench_local(|| {
        let mut met = 0;
        for url in &urls {
            set.matching(&Uri::parse(black_box(url)), &mut found);
            met += found.len();
        }
        met
    });
}

/// 3,000 files of an app's own scripts, a few of which use packages and links.
fn own_scripts() -> std::io::Result<std::path::PathBuf> {
    let root = std::env::temp_dir().join("elvask-bench-own");
    let _ = std::fs::remove_dir_all(&root);
    std::fs::create_dir_all(root.join("android/app/src/main"))?;
    std::fs::write(root.join("package.json"), "{\"dependencies\":{}}")?;
    std::fs::write(root.join("android/app/build.gradle"), "apply plugin: 'com.android.application'\n")?;
    std::fs::write(root.join("android/app/src/main/AndroidManifest.xml"), "<manifest><application/></manifest>")?;
    let filler =
        "  const entry = table.find((one) => one.ring === ring && one.weight > 0) ?? none; // as before\n".repeat(50);
    for file in 0..3_000 {
        let folder = root.join(format!("src/part{}", file / 50));
        std::fs::create_dir_all(&folder)?;
        let link = if file % 100 == 7 { "Linking.canOpenURL('tel:' + ring);\n" } else { "" };
        let head = format!(
            "import {{ View, Text }} from 'rail-runtime';\nimport {{ step{} }} from './Step{}';\n",
            file,
            file + 1
        );
        std::fs::write(
            folder.join(format!("Step{file}.tsx")),
            format!("{head}export function step{file}(ring) {{\n{filler}{link}}}\n"),
        )?;
    }
    std::fs::write(root.join("patterns"), elvask_needs::own::searched().join("\n"))?;
    let old = std::time::SystemTime::now() - std::time::Duration::from_secs(3600);
    settle(&root, old)?;
    Ok(root)
}

static SCRIPTS: LazyLock<PathBuf> = LazyLock::new(|| own_scripts().unwrap_or_default());

/// Reading the app's own code, 3,000 files.
#[divan::bench_group(sample_count = 20)]
mod own_scripts {
    use super::{Bencher, Path, SCRIPTS, look};

    const WORDS: [&str; 2] = ["check", "-q"];

    #[divan::bench]
    fn nothing_remembered(bencher: Bencher) {
        bencher.bench_local(|| look(&SCRIPTS, &WORDS, Path::new("")));
    }

    #[divan::bench]
    fn nothing_changed(bencher: Bencher) {
        let cache = SCRIPTS.join("cache");
        look(&SCRIPTS, &WORDS, &cache);
        bencher.bench_local(|| look(&SCRIPTS, &WORDS, &cache));
    }

    #[divan::bench]
    fn rg(bencher: Bencher) {
        let words = ["-g", "*.tsx", "src"];
        if super::rg(&SCRIPTS, &words) {
            bencher.bench_local(|| super::rg(&SCRIPTS, &words));
        }
    }
}

fn main() {
    divan::main();
    for folder in [&NPM, &PUBSPEC, &LARGE, &NATIVE, &SCRIPTS] {
        // Only what was made for a measurement that ran.
        if let Some(folder) = LazyLock::get(folder) {
            let _ = std::fs::remove_dir_all(folder);
        }
    }
}
