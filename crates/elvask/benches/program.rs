//! How long the program takes, from its start to its end, and how long the heavy parts take.
//!
//! `cargo bench -p elvask`. Aims: `--version` under 5 ms, `check` on the sample app under 20 ms.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::files::{Disk, Memory};
use elvask_core::fill::fill;
use elvask_core::needs::Settings;
use elvask_markup::plist::PropertyList;
use elvask_markup::xml::Document;

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

fn program(bench: &mut Criterion) {
    let npm = demo("npm");
    let pubspec = demo("pubspec");
    let mut group = bench.benchmark_group("program");
    group.bench_function("--version", |bencher| bencher.iter(|| run(&npm, &["--version"])));
    group.bench_function("check, npm", |bencher| bencher.iter(|| run(&npm, &["check"])));
    group.bench_function("check, pubspec", |bencher| bencher.iter(|| run(&pubspec, &["check"])));
    group.bench_function("survey, npm", |bencher| bencher.iter(|| run(&npm, &["survey"])));
    group.bench_function("fill --dry-run, npm", |bencher| bencher.iter(|| run(&npm, &["fill", "--dry-run"])));
    group.finish();
    let mut group = bench.benchmark_group("inside");
    let settings = Settings::default();
    group.bench_function("load, npm", |bencher| {
        bencher.iter(|| App::load(&Disk, &npm, &[]).map(|app| app.plugins.len()));
    });
    if let Ok(app) = App::load(&Disk, &npm, &[]) {
        group.bench_function("check, npm", |bencher| bencher.iter(|| check(&app, &settings).findings.len()));
    }
    group.finish();
    for folder in [npm, pubspec] {
        let _ = std::fs::remove_dir_all(folder);
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

fn documents(bench: &mut Criterion) {
    let manifest = large_manifest();
    let mut list = String::from("<plist version=\"1.0\">\n<dict>\n");
    for at in 0..15_000 {
        list.push_str(&format!("\t<key>Example{at:05}</key>\n\t<string>A value &amp; more of it.</string>\n"));
    }
    list.push_str("</dict>\n</plist>\n");
    let mut group = bench.benchmark_group("documents");
    group.throughput(Throughput::Bytes(manifest.len() as u64));
    group.bench_function("manifest of 1 MB", |bencher| bencher.iter(|| Document::parse(manifest.as_str()).map(|_| ())));
    group.throughput(Throughput::Bytes(list.len() as u64));
    group.bench_function("property list of 1 MB", |bencher| {
        bencher.iter(|| PropertyList::parse(list.as_str()).map(|_| ()));
    });
    group.finish();
    let tree = Memory::app([
        ("package.json", r#"{"dependencies":{"tern_camera":"1"}}"#),
        ("node_modules/tern_camera/package.json", "{}"),
        (
            "node_modules/tern_camera/elvask-sheet.toml",
            "sheet = 1\n[[requires]]\ncapability = 'bluetooth'\n[[requires]]\ncapability = 'open-phone'\n",
        ),
        ("android/app/src/main/AndroidManifest.xml", &manifest),
    ]);
    let settings = Settings::default();
    if let Ok(app) = App::load(&tree, Path::new("/app"), &[]) {
        let mut group = bench.benchmark_group("large app");
        group.sample_size(20);
        group.bench_function("check", |bencher| bencher.iter(|| check(&app, &settings).findings.len()));
        group
            .bench_function("fill", |bencher| bencher.iter(|| fill(&app, &settings).map(|filled| filled.mended.len())));
        group.finish();
    }
}

criterion_group!(benches, program, documents);
criterion_main!(benches);
