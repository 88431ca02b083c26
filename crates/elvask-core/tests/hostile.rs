//! Files from elsewhere that mean harm cost a finding or a notice, never a crash, a hang or a wrong write.

use std::path::Path;
use std::time::{Duration, Instant};

use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::needs::Settings;
use elvask_project::files::{Disk, Files as _, MAX_FILE, Memory};

const MANIFEST: &str =
    "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application/>\n</manifest>\n";

/// An app with one plugin whose sheet is this.
fn with_sheet(sheet: &str) -> Memory {
    Memory::app([
        ("package.json", "{\"dependencies\":{\"p\":\"1\"}}"),
        ("node_modules/p/package.json", "{\"version\":\"1.0.0\"}"),
        ("node_modules/p/elvask-sheet.toml", sheet),
        ("android/app/src/main/AndroidManifest.xml", MANIFEST),
    ])
}

/// Checks an app and returns its findings as `rule: message`.
fn findings(tree: &Memory) -> Vec<String> {
    let started = Instant::now();
    let app = App::load(tree, Path::new("/app"), &[]).unwrap();
    let report = check(&app, &Settings::default());
    assert!(started.elapsed() < Duration::from_secs(20), "it takes too long to be told from a hang");
    report.findings.iter().map(|finding| format!("{}: {}", finding.rule.id, finding.message)).collect()
}

#[track_caller]
fn refused(tree: &Memory, rule: &str, message: &str) {
    let found = findings(tree);
    assert!(found.iter().any(|one| one.starts_with(rule) && one.contains(message)), "{found:?}");
}

#[test]
fn sheets_have_limits() {
    refused(&with_sheet(&"#".repeat(2 * 1024 * 1024)), "sheet-invalid", "are not read");
    refused(&with_sheet(&format!("sheet = {}1", "[".repeat(100_000))), "sheet-invalid", "deep");
    let dotted = format!("sheet = 1\n{}x = 1\n", "a.".repeat(50_000));
    assert!(findings(&with_sheet(&dotted)).iter().any(|one| one.starts_with("sheet-invalid")));
    let many = format!("sheet = 1\n{}", "[[requires]]\ncapability = 'camera'\n".repeat(2000));
    let missing: Vec<_> =
        findings(&with_sheet(&many)).into_iter().filter(|one| one.starts_with("permission-")).collect();
    assert_eq!(missing.len(), 1, "one permission is missing, however often it is asked for");
}

#[test]
fn patterns_of_sheets_cannot_run_away() {
    let sheet = |pattern: &str| {
        format!(
            "sheet = 1\n[[requires]]\nandroid.meta-data = {{ name = 'a.B', value = '{{k}}' }}\n[answers.k]\npattern = '{pattern}'\n"
        )
    };
    refused(&with_sheet(&sheet("(a{1000}){1000}{1000}")), "sheet-invalid", "`pattern`");
    let mut tree = with_sheet(&sheet("(a+)+b"));
    let value = "a".repeat(50_000);
    let manifest = MANIFEST.replace(
        "<application/>",
        &format!("<application><meta-data android:name='a.B' android:value='{value}'/></application>"),
    );
    tree.put("/app/android/app/src/main/AndroidManifest.xml", manifest);
    refused(&tree, "value-form", "does not have the form");
}

#[test]
fn names_that_are_no_names_are_refused() {
    for (entry, message) in [
        ("android.permission = 'a.B\" tools:node=\"remove'", "this is not a permission"),
        ("android.permission = '../../etc/passwd\u{202E}'", "this is not a permission"),
        ("android.meta-data = { name = 'a\"><x', value = '1' }", "this is not a name of meta-data"),
        (
            "android.attribute = { on = 'application', name = 'a=\"1\" b', value = '1' }",
            "is no attribute of a manifest",
        ),
        ("ios.query-scheme = '<string>'", "no URL scheme"),
    ] {
        refused(&with_sheet(&format!("sheet = 1\n[[requires]]\n{entry}\n")), "sheet-invalid", message);
    }
}

#[test]
fn values_of_sheets_are_escaped() {
    let sheet = "sheet = 1\n[[requires]]\nandroid.meta-data = { name = 'a.B', value = '\"/><uses-permission android:name=\"x\"/>&' }\n";
    let tree = with_sheet(sheet);
    let app = App::load(&tree, Path::new("/app"), &[]).unwrap();
    let filled = elvask_core::fill::fill(&app, &Settings::default()).unwrap();
    let text = &filled.sources.file(app.android.as_ref().unwrap().manifest.unwrap()).text;
    assert!(text.contains("android:value=\"&quot;/>&lt;uses-permission android:name=&quot;x&quot;/>&amp;\""), "{text}");
    // What stands in angle brackets looks like something that nobody has filled in; it is no element, though.
    assert!(filled.left.findings.iter().all(|finding| finding.rule.id == "value-placeholder"));
}

#[test]
fn manifests_have_limits() {
    let mut tree = with_sheet("sheet = 1\n");
    let path = "/app/android/app/src/main/AndroidManifest.xml";
    tree.put(path, format!("<manifest>{}", "<a>".repeat(1_000_000)));
    refused(&tree, "file-unreadable", "elements are nested more than");
    let bomb =
        "<!DOCTYPE m [<!ENTITY a \"&b;&b;&b;\"><!ENTITY b \"&c;&c;&c;\"><!ENTITY c \"x\">]><manifest>&a;</manifest>";
    tree.put(path, bomb);
    assert_eq!(findings(&tree), Vec::<String>::new(), "an entity is never expanded");
    tree.put(path, "<manifest><!DOCTYPE m SYSTEM \"file:///etc/passwd\"></manifest>");
    refused(&tree, "file-unreadable", "neither a comment nor a CDATA section");
}

#[test]
fn dependency_files_have_limits() {
    let mut tree = Memory::app([("pubspec.yaml", "dependencies: {p: any}\n")]);
    tree.put("/app/.dart_tool/package_config.json", "[".repeat(100_000));
    refused(&tree, "file-unreadable", "invalid type: sequence");
    let bomb = format!("a: &a [x,x]\n{}", (0..40).map(|at| format!("b{at}: &b{at} [*a,*a]\n")).collect::<String>());
    let tree = Memory::app([("pubspec.yaml", bomb.as_str())]);
    assert!(findings(&tree).iter().all(|one| one.starts_with("not-judged")), "an alias is never followed");
    let tree = Memory::app([("pubspec.yaml", &*"{a: ".repeat(100_000))]);
    assert!(findings(&tree).iter().any(|one| one.starts_with("file-unreadable")));
    let tree = Memory::app([("package.json", r#"{"dependencies":{"../../etc":"1","":"1","/etc":"1"}}"#)]);
    let app = App::load(&tree, Path::new("/app"), &[]).unwrap();
    assert!(app.plugins().is_empty());
}

#[test]
fn packages_that_need_each_other_end() {
    let mut tree = with_sheet("sheet = 1\n");
    tree.put("/app/node_modules/p/package.json", r#"{"dependencies":{"q":"1"}}"#);
    tree.put("/app/node_modules/q/package.json", r#"{"dependencies":{"p":"1"}}"#);
    assert!(findings(&tree).is_empty());
}

#[cfg(unix)]
#[test]
#[expect(clippy::disallowed_methods, reason = "the tests look at the disk")]
fn links_in_circles_and_large_files_on_the_disk_end() {
    use std::fs;
    use std::os::unix::fs::symlink;
    let folder = tempfile::tempdir().unwrap();
    let at = |path: &str| folder.path().join(path);
    fs::create_dir_all(at("node_modules/p")).unwrap();
    fs::create_dir_all(at("native/deep")).unwrap();
    fs::write(at("package.json"), r#"{"dependencies":{"p":"1","circle":"1","up":"1"}}"#).unwrap();
    fs::write(at("node_modules/p/package.json"), "{}").unwrap();
    symlink(at("node_modules/circle"), at("node_modules/circle")).unwrap();
    symlink(folder.path(), at("node_modules/up")).unwrap();
    symlink(folder.path(), at("native/deep/up")).unwrap();
    let started = Instant::now();
    let app = App::load(&Disk, folder.path(), &[]).unwrap();
    assert!(started.elapsed() < Duration::from_secs(20));
    assert!(app.notices.iter().any(|notice| notice.contains("circle")), "{:?}", app.notices);
    let large = fs::File::create(at("large")).unwrap();
    large.set_len(MAX_FILE + 1).unwrap();
    assert_eq!(Disk.read(&at("large")).unwrap_err().kind(), std::io::ErrorKind::FileTooLarge);
    assert!(Disk.read(&at("native")).is_err(), "a folder is no file");
}

/// Looks into a package with one file.
fn learn_one(path: &str, bytes: &[u8]) -> elvask_needs::evidence::Evidence {
    let mut tree = Memory::default();
    tree.put(Path::new("/package").join(path), bytes);
    elvask_needs::evidence::learn(&tree, Path::new("/package"))
}

#[test]
fn notes_of_any_size_and_shape_come_to_an_end() {
    let huge = "x".repeat(40 * 1024 * 1024);
    let found = learn_one("README.md", huge.as_bytes());
    assert!(
        found.requirements.is_empty() && found.limits[0].contains("more than 2097152 are not read"),
        "{:?}",
        found.limits
    );
    let deep = format!("```xml\n{}\n```\n", "<a>".repeat(60_000));
    assert!(learn_one("README.md", deep.as_bytes()).requirements.is_empty());
    let quotes = "> ".repeat(50_000);
    assert!(learn_one("README.md", quotes.as_bytes()).requirements.is_empty());
    let brackets = "[".repeat(100_000);
    assert!(learn_one("README.md", brackets.as_bytes()).requirements.is_empty());
    let broken = b"Add `android.permission.CAMERA\xFF\xFE` and `android.permission.NFC`.\n";
    let names: Vec<_> = learn_one("README.md", broken).requirements.into_iter().map(|one| one.name).collect();
    assert_eq!(names, ["android.permission.CAMERA", "android.permission.NFC"]);
}

#[test]
fn a_manifest_or_archive_that_cannot_be_read_is_a_limit() {
    let deep = format!("<manifest>{}", "<a>".repeat(1_000_000));
    let found = learn_one("android/src/main/AndroidManifest.xml", deep.as_bytes());
    assert!(found.limits.iter().any(|limit| limit.contains("AndroidManifest.xml")), "{:?}", found.limits);
    let found = learn_one("android/libs/core.aar", b"PK\x03\x04 not an archive");
    assert!(found.limits[0].contains("core.aar"), "{:?}", found.limits);
    let entity = "<!DOCTYPE m [<!ENTITY a \"aaaa\">]><manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><uses-permission android:name=\"&a;\"/></manifest>";
    let found = learn_one("android/src/main/AndroidManifest.xml", entity.as_bytes());
    assert!(found.requirements.iter().all(|one| !one.name.contains("aaaa")), "{:?}", found.requirements);
}

#[test]
fn what_is_quoted_plays_no_tricks_on_a_terminal() {
    let source = "let a = AVAudioRecorder() // \u{1b}[2J\u{7}\u{9b}31m\n";
    let found = learn_one("ios/A.swift", source.as_bytes());
    let quote = &found.requirements[0].citations[0].quote;
    assert!(!quote.chars().any(char::is_control), "{quote:?}");
    let unclosed = "/* ".repeat(30_000) + "\"\"\"";
    learn_one("ios/A.swift", unclosed.as_bytes());
    learn_one("android/src/main/java/A.kt", "'".repeat(100_000).as_bytes());
    learn_one("android/build.gradle", "minSdkVersion (((((((((((((((((((((((a ? b : c".repeat(2000).as_bytes());
}

#[test]
fn a_sheet_cannot_lead_out_of_the_app() {
    use elvask_needs::sheet::Sheet;
    for path in ["../secret.json", "/etc/passwd", "a/../../b", "C:\\x", "~/x", "a//b"] {
        let text =
            format!("sheet = 1\nplugin = 'p'\n[[requires]]\nfile = {{ platform = 'android', path = '{path}' }}\n");
        let (_, problems) = Sheet::parse(&text, None);
        assert_eq!(problems.len(), 1, "{path}");
    }
    for line in [
        "dependency = \"a:b:1' } ; exec('x\"",
        "plugin = \"x' ; y\"",
        "repository = \"https://a.example/' }\"",
        "keep-rule = \"rm -rf\"",
    ] {
        let text = format!("sheet = 1\nplugin = 'p'\n[[requires]]\nandroid.gradle = {{ {line} }}\n");
        assert_eq!(Sheet::parse(&text, None).1.len(), 1, "{line}");
    }
}
