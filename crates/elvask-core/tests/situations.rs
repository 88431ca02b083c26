//! Situations that the platforms decide in a known way, in `situations/*.txt`: what the platform does and by which page, what the app says, what
//! must be reported of it, and what is left once the remedies are in.
//!
//! `must` and `near` were written before the result, which is pinned with its places.

use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::path::Path;
use std::sync::Arc;

use elvask_core::Platform;
use elvask_core::app::App;
use elvask_core::built::Sourced;
use elvask_core::check::{Report, check};
use elvask_core::compare::Fact;
use elvask_core::fill::fill;
use elvask_core::finding::Finding;
use elvask_core::needs::Settings;
use elvask_core::rules::RULES;
use elvask_project::files::Memory;

use crate::support::{Case, run_all};

const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; developmentRegion = en; }; T = { isa = PBXNativeTarget; name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { isa = XCConfigurationList; buildConfigurations = (C); defaultConfigurationName = Release; }; C = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Log/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; IPHONEOS_DEPLOYMENT_TARGET = 15.1; CODE_SIGN_ENTITLEMENTS = Log/Log.entitlements; }; }; }; rootObject = P; }";

const HANDED_OUT: [(&str, &[u8]); 5] = [
    ("48.png", include_bytes!("../../../demo/npm/android/app/src/main/res/mipmap-mdpi/ic_launcher.png")),
    ("store.mobileprovision", include_bytes!("../../elvask/tests/account/store.mobileprovision")),
    ("past.mobileprovision", include_bytes!("../../elvask/tests/account/past.mobileprovision")),
    ("merchant.cer", include_bytes!("../../elvask/tests/account/merchant.cer")),
    ("merchant-rsa.cer", include_bytes!("../../elvask/tests/account/merchant-rsa.cer")),
];

fn section<'c>(case: &'c Case, head: &str) -> Option<&'c str> {
    case.sections.iter().find(|(known, _)| known == head).map(|(_, body)| body.as_str())
}

fn words<'c>(case: &'c Case, head: &str) -> Vec<&'c str> {
    section(case, head).unwrap_or_default().lines().map(str::trim).filter(|line| !line.is_empty()).collect()
}

fn tree(case: &Case) -> Memory {
    let sheet = section(case, "sheet").unwrap_or_default();
    let mut tree = Memory::app([
        ("package.json", "{\"dependencies\":{\"tern_camera\":\"1\"}}"),
        ("node_modules/tern_camera/package.json", "{\"version\":\"1.0.0\"}"),
        ("node_modules/tern_camera/elvask-sheet.toml", &format!("sheet = 1\n{sheet}")),
    ]);
    let levels = section(case, "levels").unwrap_or("24 35");
    let (min, target) = levels.trim().split_once(' ').expect("two levels");
    if let Some(inside) = section(case, "manifest") {
        let text = format!(
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{inside}</manifest>\n"
        );
        tree.put("/app/android/app/src/main/AndroidManifest.xml", text);
        let gradle = format!(
            "plugins {{ id 'com.android.application' }}\nandroid {{\n  namespace 'example.marram.fieldlog'\n  defaultConfig {{\n    applicationId 'example.marram.fieldlog'\n    minSdk {min}\n    targetSdk {target}\n  }}\n}}\n"
        );
        tree.put("/app/android/app/build.gradle", gradle);
    }
    let list = |inside: &str| format!("<plist version=\"1.0\">\n<dict>\n{inside}</dict>\n</plist>\n");
    if let Some(inside) = section(case, "plist") {
        let entitlements = section(case, "entitlements");
        let project = match entitlements {
            Some(_) => PROJECT.to_owned(),
            None => PROJECT.replace("CODE_SIGN_ENTITLEMENTS = Log/Log.entitlements; ", ""),
        };
        tree.put("/app/ios/Log.xcodeproj/project.pbxproj", project);
        tree.put("/app/ios/Log/Info.plist", list(inside));
        if let Some(inside) = entitlements {
            tree.put("/app/ios/Log/Log.entitlements", list(inside));
        }
    }
    // Any other file, by its path; what accounts hand out is known by name.
    for (path, text) in case.sections.iter().filter(|(head, _)| head.contains('.')) {
        match HANDED_OUT.iter().find(|(name, _)| name == path) {
            Some((_, bytes)) => tree.put(format!("/app/{path}"), bytes),
            None => tree.put(format!("/app/{path}"), text),
        }
    }
    tree
}

fn settings(case: &Case) -> Settings {
    let asked = words(case, "settings");
    Settings {
        today: Some("2026-11-28".to_owned()),
        unneeded: asked.contains(&"unneeded"),
        release: asked.contains(&"release"),
        accounts: section(case, "elvask/account.toml").is_some(),
        built: section(case, "sources").map(|_| {
            // What the sources declare, a line each: `android permission android.permission.CAMERA`.
            let facts = words(case, "sources").into_iter().map(|line| {
                let [platform, kind, name] = line.splitn(3, ' ').collect::<Vec<_>>().try_into().expect("three words");
                let platform = if platform == "ios" { Platform::Ios } else { Platform::Android };
                let (name, value) = name.split_once(" = ").map_or((name, None), |(name, value)| (name, Some(value)));
                Fact { platform, kind: kind.to_owned(), name: name.to_owned(), value: value.map(str::to_owned) }
            });
            Arc::new(Sourced { facts: Some(facts.collect()), fingerprints: Vec::new() })
        }),
        ..Settings::default()
    }
}

/// Lists the findings of what the situation is about; of a side that it does not have nothing is asked, but where that is the question.
fn listed(case: &Case, app: &App, report: &Report) -> Vec<(String, String)> {
    let sides = words(case, "must").iter().any(|said| said.ends_with(" not-judged"));
    let counted =
        report.findings.iter().filter(|finding| finding.counts() && (sides || finding.rule.id != "not-judged"));
    counted
        .map(|finding| {
            let at = app.sources.position(finding.place);
            let file = app.sources.file(finding.place.file).shown.rsplit('/').next().unwrap_or_default().to_owned();
            let said = format!("{} {}", finding.level.id(), finding.rule.id);
            (said.clone(), format!("{said} {} {file}:{}:{}", finding.subject, at.line, at.column))
        })
        .collect()
}

fn run(case: &Case) -> String {
    let told = section(case, "platform").unwrap_or_default();
    assert!(told.contains("Source: \""), "{}: what the platform does, and by which page", case.title);
    let app = App::load(&tree(case), Path::new("/app"), &[]).unwrap();
    let settings = settings(case);
    let report = check(&app, &settings);
    let found = listed(case, &app, &report);
    let mut reported: Vec<&str> = found.iter().map(|(said, _)| said.as_str()).collect();
    let mut must = words(case, "must");
    reported.sort_unstable();
    must.sort_unstable();
    assert_eq!(reported, must, "{}: what must be reported", case.title);
    for id in words(case, "near") {
        assert!(RULES.iter().any(|rule| rule.about().id == id), "{}: no rule {id}", case.title);
        assert!(!reported.iter().any(|said| said.ends_with(&format!(" {id}"))), "{}: near {id}", case.title);
    }
    let mut out: String = found.iter().fold(String::new(), |mut out, (_, line)| {
        let _ = writeln!(out, "{line}");
        out
    });
    let edited =
        report.findings.iter().filter(|one| one.remedy.kind() == "edit" && one.counts() && !one.waits_for_its_name());
    let edited: BTreeSet<(&str, &str)> = edited.map(|one| (one.rule.id, one.subject.as_str())).collect();
    let Ok(filled) = fill(&app, &settings) else {
        out.push_str("nothing is written before that is corrected");
        return out;
    };
    let before: BTreeSet<&String> = found.iter().map(|(said, _)| said).collect();
    let remains = |one: &&Finding| edited.contains(&(one.rule.id, one.subject.as_str()));
    let remain: Vec<_> = filled.left.findings.iter().filter(remains).map(|one| (one.rule.id, &one.subject)).collect();
    assert!(remain.is_empty(), "{}: an edit mends what it is for: {remain:?}", case.title);
    let mended = app.clone().with_sources(filled.sources);
    let left = listed(case, &mended, &filled.left);
    // What is written may be something that the store asks about.
    let known = |said: &String| before.contains(said) || said == "note permission-store-review";
    assert!(left.iter().all(|(said, _)| known(said)), "{}: new findings {left:?}", case.title);
    for (_, line) in &left {
        let _ = writeln!(out, "left: {line}");
    }
    if found.is_empty() {
        assert!(filled.changed.is_empty(), "{}: nothing is written where nothing is wrong", case.title);
        out.push_str("nothing\n");
    }
    out.trim_end().to_owned()
}

#[test]
fn situations_come_out_as_the_platforms_have_it() {
    run_all("situations", 230, run);
}

#[test]
#[expect(clippy::disallowed_methods, reason = "the situations lie on the disk, beside the tests")]
fn every_rule_has_situations_in_which_it_speaks_and_nearly_does() {
    let (mut fires, mut near) = (BTreeSet::new(), BTreeSet::new());
    for entry in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/situations")).unwrap() {
        let text = std::fs::read_to_string(entry.unwrap().path()).unwrap();
        let mut head = "";
        for line in text.lines() {
            if let Some(next) = line.strip_prefix("--- ") {
                head = next;
            } else if head == "must" && !line.is_empty() {
                fires.extend(line.split(' ').nth(1).map(str::to_owned));
            } else if head == "near" && !line.is_empty() {
                near.insert(line.to_owned());
            }
        }
    }
    let all = RULES.iter().map(|rule| rule.about().id);
    let without: Vec<&str> = all.filter(|id| !fires.contains(*id) || !near.contains(*id)).collect();
    assert_eq!(without, [""; 0]);
}
