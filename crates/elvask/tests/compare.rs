//! What an app declares, held against what it declared.

use crate::support::{App, GIVEN};

/// An app with a survey of how it was, and with what became of it since.
fn changed() -> App {
    let app = App::demo("npm");
    app.write("survey-2.3.0.json", app.run(&["survey", "--format", "json"]).out);
    app.commit();
    let declared = app.run(&[&["declare", "camera", "--yes"][..], &GIVEN].concat());
    assert_eq!(declared.code, 0, "{}", declared.err);
    app.write(
        "android/build.gradle",
        app.read("android/build.gradle").replace("minSdkVersion = 24", "minSdkVersion = 26"),
    );
    let list = "ios/Marram/Marram.entitlements";
    let left: String =
        app.read(list).split_inclusive('\n').filter(|line| !line.contains("applinks:marram.example<")).collect();
    app.write(list, left);
    app
}

#[test]
fn a_gained_permission_a_lost_link_and_a_raised_level_are_told_with_what_they_mean() {
    let app = changed();
    for old in ["survey-2.3.0.json", "HEAD"] {
        let ran = app.run(&["compare", old]);
        assert_eq!(ran.code, 0, "{old}: {}{}", ran.out, ran.err);
        let out: String = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
        for said in [
            "+ Android permission android.permission.CAMERA [gained-permission] A new question: whoever updates is asked",
            "- iOS domain applinks:marram.example [lost-link] What opened the app opens the browser",
            "~ Android level minSdkVersion: 24 → 26 [raised-level] Devices from level 24 to below 26 get no update",
        ] {
            assert!(out.contains(said), "{old}: {said}: {}", ran.out);
        }
    }
    let markdown = app.run(&["compare", "HEAD", "--format", "markdown"]).out;
    assert!(
        markdown.contains("| gained | `Android permission android.permission.CAMERA` | A new question"),
        "{markdown}"
    );
    let json = app.run(&["compare", "HEAD", "--format", "json"]).json();
    assert_eq!(json["differences"][0]["class"], "gained-permission");
}

#[test]
fn the_exit_code_says_what_a_build_is_to_stop_for() {
    let app = changed();
    let code = |classes: &str| app.run(&["compare", "HEAD", "--fail-on", classes]).code;
    assert_eq!((code("gained-permission,changed-id"), code("lost-link"), code("changed-id")), (1, 1, 0));
    let unknown = app.run(&["compare", "HEAD", "--fail-on", "lost-links"]);
    assert!(unknown.code == 2 && unknown.err.contains("lost-link"), "{}", unknown.err);
    assert_eq!(app.run(&["compare", "HEAD", "HEAD", "--fail-on", "gained-permission"]).code, 0);
    assert!(app.run(&["compare", ".", "."]).out.contains("the app declares what the app declares"));
}

#[test]
fn what_is_no_side_is_refused() {
    let app = changed();
    for (side, why) in [
        ("package.json", "is not what `elvask survey --format json` prints"),
        ("v0.0.0", "neither a file nor a revision"),
        ("gone/survey.json", "there is no such file"),
        ("--upload-pack=x", "unexpected argument"),
    ] {
        let ran = app.run(&["compare", side]);
        assert!(ran.code == 2 && ran.err.contains(why), "{side}: {}", ran.err);
    }
    app.write("ios/Marram/Info.plist", "<plist><dict>");
    let ran = app.run(&["compare", "HEAD"]);
    assert!(ran.code == 2 && ran.err.contains("what cannot be read cannot be compared"), "{}", ran.err);
}
