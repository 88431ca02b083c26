//! Made-up whole apps, with what a check must tell of them beside each: how much of what they need is told, and how much of
//! what is told is true, by level; and what `fill` writes into them.
//!
//! Each file of `apps/` is one app: its files under `=== path`, then the truth, a line for each finding:
//! `level | rule | subject`. `=== @android` and `=== @ios` stand for a plain app module and Xcode project, with what the section
//! holds inside of the manifest or of the property list.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::Path;

use elvask_core::app::App;
use elvask_core::check::check;
use elvask_core::fill::fill;
use elvask_core::finding::Level;
use elvask_core::needs::Settings;
use elvask_project::files::Memory;

/// The fewest apps.
const APPS: usize = 12;

const PROJECT: &str =
    "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; developmentRegion = en; };
  T = { name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist;
  IPHONEOS_DEPLOYMENT_TARGET = 15.1; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; }; }; }; rootObject = P; }";

const MODULE: &str = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    applicationId 'example.marram.fieldlog'\n    minSdk 24\n    targetSdk 35\n  }\n}\n";

struct Case {
    name: String,
    files: Memory,
    truth: BTreeSet<(String, String, String)>,
}

fn read(name: &str, text: &str) -> Case {
    let mut files = Memory::default();
    let mut truth = BTreeSet::new();
    let folder =
        |head: &str| if head.contains('/') { head.rsplit_once('/').unwrap().0.to_owned() + "/" } else { String::new() };
    for section in text.split("=== ").filter(|section| !section.trim().is_empty()) {
        let (head, body) = section.split_once('\n').unwrap_or((section, ""));
        let at = format!("/app/{}", folder(head));
        match head.rsplit('/').next().unwrap() {
            "truth" => {
                for line in body.lines().filter(|line| !line.trim().is_empty()) {
                    let cells: Vec<_> = line.split('|').map(str::trim).collect();
                    let [level, rule, subject] = cells.as_slice() else { panic!("{name}: {line}") };
                    truth.insert(((*level).to_owned(), (*rule).to_owned(), (*subject).to_owned()));
                }
            }
            "@android" => {
                let manifest = format!(
                    "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n{body}    <application />\n</manifest>\n"
                );
                files.put(format!("{at}android/app/src/main/AndroidManifest.xml"), manifest);
                files.put(format!("{at}android/app/build.gradle"), MODULE);
            }
            "@ios" => {
                let list = format!("<plist version=\"1.0\">\n<dict>\n{body}</dict>\n</plist>\n");
                files.put(format!("{at}ios/Marram/Info.plist"), list);
                files.put(format!("{at}ios/Marram.xcodeproj/project.pbxproj"), PROJECT);
            }
            _ => files.put(format!("/app/{head}"), body.as_bytes()),
        }
    }
    Case { name: name.to_owned(), files, truth }
}

fn cases() -> Vec<Case> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/apps");
    #[expect(clippy::disallowed_methods, reason = "the cases stand in files")]
    let entries = std::fs::read_dir(folder).unwrap();
    let mut paths: Vec<_> = entries.map(|entry| entry.unwrap().path()).collect();
    paths.sort();
    #[expect(clippy::disallowed_methods, reason = "the cases stand in files")]
    let text = |path: &Path| std::fs::read_to_string(path).unwrap();
    paths.iter().map(|path| read(&path.file_stem().unwrap().to_string_lossy(), &text(path))).collect()
}

/// Returns the app of a case: in its folder, or in the one below that is the app.
fn load(case: &Case) -> App {
    let root = elvask_core::discover::find_app_in(&case.files, Path::new("/app"));
    App::load(&case.files, &root, &[]).unwrap_or_else(|error| panic!("{}: {error}", case.name))
}

#[test]
fn what_apps_need_is_told_and_nothing_else() {
    let cases = cases();
    assert!(cases.len() >= APPS, "{} apps", cases.len());
    let mut scores: BTreeMap<String, (usize, usize, usize)> = BTreeMap::new();
    let mut details = String::new();
    for case in &cases {
        let app = load(case);
        let report = check(&app, &Settings::default());
        let found: BTreeSet<_> = report
            .findings
            .iter()
            .map(|one| (one.level.id().to_owned(), one.rule.id.to_owned(), one.subject.clone()))
            .collect();
        for one in found.union(&case.truth) {
            let score = scores.entry(one.0.clone()).or_default();
            let mark = match (found.contains(one), case.truth.contains(one)) {
                (true, true) => {
                    score.0 += 1;
                    continue;
                }
                (true, false) => {
                    score.1 += 1;
                    "wrong"
                }
                _ => {
                    score.2 += 1;
                    "missed"
                }
            };
            let _ = writeln!(details, "{mark}: {}: {} {} {}", case.name, one.0, one.1, one.2);
        }
    }
    let percent = |part: usize, whole: usize| if whole == 0 { 100.0 } else { part as f64 * 100.0 / whole as f64 };
    let mut table =
        format!("{:<8} {:>6} {:>6} {:>7} {:>10} {:>7}\n", "level", "right", "wrong", "missed", "precision", "recall");
    for (level, (right, wrong, missed)) in &scores {
        let (precision, recall) = (percent(*right, right + wrong), percent(*right, right + missed));
        let _ = writeln!(table, "{level:<8} {right:>6} {wrong:>6} {missed:>7} {precision:>10.1} {recall:>7.1}");
    }
    println!("{table}\n{details}");
    for (level, (right, wrong, missed)) in scores {
        let (precision, recall) = if level == "error" { (98.0, 95.0) } else { (90.0, 90.0) };
        assert!(
            percent(right, right + wrong) >= precision && percent(right, right + missed) >= recall,
            "{table}\n{details}"
        );
    }
}

#[test]
fn nothing_is_written_that_only_a_note_speaks_of() {
    for case in cases() {
        let app = load(&case);
        let settings = Settings::default();
        let filled = fill(&app, &settings).unwrap();
        let notes: Vec<_> =
            filled.mended.iter().filter(|one| one.level == Level::Note).map(|one| &one.subject).collect();
        assert!(notes.is_empty(), "{}: {notes:?}", case.name);
        let again = app.clone().with_sources(filled.sources.clone());
        assert!(fill(&again, &settings).unwrap().changed.is_empty(), "{}: a second time", case.name);
    }
}
