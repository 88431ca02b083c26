//! What stops a release, and what comes before one.

use std::process::Command;

use crate::support::{App, MANIFEST, elvask};

/// The findings of a point of the page, with its mark, as `ok title`.
fn marks(out: &str) -> Vec<String> {
    let marked = out.lines().filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    marked.map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
}

#[test]
fn the_page_goes_from_the_build_to_the_device_and_is_right_after_the_walk() {
    let app = App::demo("npm");
    let before = app.run(&["check", "--release", "--last", "2.3.0+30"]);
    assert_eq!(before.code, 1);
    let at = |words: &str| before.out.find(words).unwrap_or_else(|| panic!("{words}: {}", before.out));
    let heads = ["The build and its signature", "The upload", "The review", "On devices"].map(at);
    assert!(heads.is_sorted(), "{}", before.out);
    assert!(before.out.lines().count() < 110, "{}", before.out);
    let marks_before = marks(&before.out);
    for mark in [
        "5 errors each purpose is there, in each language (iOS)",
        "ok neither debuggable nor for trials alone (Android)",
        "ok version and build are higher than the last ones",
        "not seen ids and products are those that are registered",
    ] {
        assert!(marks_before.iter().any(|one| one == mark), "{mark}: {marks_before:?}");
    }
    let given = [
        "--purpose=camera=Photographs the ring on a bird's leg.",
        "--answer=knot_banner.app_id=knot-48210077",
        "--answer=knot_banner.ios_app_id=knot-48210078",
    ];
    assert_eq!(app.run(&[&["fill", "--yes"][..], &given].concat()).code, 0);
    let after = app.run(&["check", "--release"]);
    assert_eq!(after.code, 0, "{}", after.out);
    let marks_after = marks(&after.out);
    assert!(marks_after.iter().all(|mark| mark.starts_with("ok ") || mark.starts_with("not seen ")), "{marks_after:?}");
    let json = app.run(&["check", "--release", "--format", "json"]).json();
    let points = json["release"].as_array().unwrap();
    assert_eq!(points.len(), marks_after.len());
    let raised = points.iter().find(|point| point["point"] == "version and build are higher than the last ones");
    let raised = raised.unwrap();
    assert!(raised["stage"] == "upload" && raised["worst"].is_null() && raised["not_seen"].is_string(), "{raised}");
    assert!(app.run(&["check", "--format", "json"]).json().get("release").is_none(), "only where it is asked for");
    // Of a part of what was found nobody could say that the rest is right.
    let part = app.run(&["check", "--release", "--only", "purpose"]);
    assert!(marks(&part.out).iter().all(|mark| !mark.starts_with("ok ")), "{}", part.out);
}

#[test]
fn a_version_that_a_tag_names_is_out_already() {
    let app = App::demo("npm");
    let git = |words: &[&str]| {
        let who = ["-c", "user.name=marram", "-c", "user.email=log@marram.example", "-c", "commit.gpgsign=false"];
        let ran = Command::new("git").arg("-C").arg(app.root()).args(who).args(words).output().unwrap();
        assert!(ran.status.success(), "{words:?}: {}", String::from_utf8_lossy(&ran.stderr));
    };
    let told =
        |words: &[&str]| app.run(&[&["check", "-q", "--release", "--only", "version-not-raised"], words].concat()).out;
    git(&["init", "-q"]);
    git(&["add", "-A"]);
    git(&["commit", "-q", "-m", "The log"]);
    git(&["tag", "v2.4.0"]);
    assert!(!told(&[]).contains("versionName"), "the tag may be the one of this release");
    git(&["commit", "-q", "--allow-empty", "-m", "More"]);
    for tag in ["v2.3.0", "survey-9.9.9", "v10", "2.4"] {
        git(&["tag", tag, "HEAD~1"]);
    }
    let out = told(&[]);
    assert!(out.contains("warning: versionName 2.4.0 is not higher than 2.4"), "{out}");
    assert!(!out.contains("versionCode"), "a tag says no build: {out}");
    assert!(!told(&["--last", "2.3.9+30"]).contains("is not higher"), "what is said wins");
    let build = told(&["--last", "2.3.9+31"]);
    assert!(build.contains("error: versionCode 31 is not higher than 31, which the stores have"), "{build}");
    let wrong = app.run(&["check", "--release", "--last", "two"]);
    assert!(wrong.code == 2 && wrong.err.contains("`two` is not a version such as 2.3.0"), "{}", wrong.err);
}

#[test]
fn the_page_never_calls_right_what_cannot_be_read() {
    let app = App::demo("npm");
    app.write(MANIFEST, "<manifest><application>");
    let ran = app.run(&["check", "--release"]);
    assert_eq!(ran.code, 2);
    let android = marks(&ran.out);
    assert!(!android.iter().any(|mark| mark.starts_with("ok ") && mark.contains("(Android)")), "{android:?}");
}

#[test]
fn the_walk_to_a_release_fails_first_and_passes_then() {
    for layout in ["npm", "pubspec"] {
        let words = ["demo", "--release", "--layout", layout, "--format", "json"];
        let ran = elvask(&std::env::temp_dir(), &words);
        assert_eq!(ran.code, 0, "{layout}: {}", ran.err);
        let json = ran.json();
        let steps: Vec<_> =
            json["steps"].as_array().unwrap().iter().map(|step| step["exit"].as_i64().unwrap()).collect();
        assert_eq!(steps, [1, 0, 0, 0], "{layout}");
    }
    let text = elvask(&std::env::temp_dir(), &["demo", "--release"]).out;
    assert!(text.lines().count() < 300, "{}", text.lines().count());
    let other = elvask(&std::env::temp_dir(), &["demo", "--release", "--layout", "widget"]);
    assert!(other.code == 2 && other.err.contains("--layout pubspec"), "{}", other.err);
}
