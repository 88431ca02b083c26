//! The page in HTML.

use base64::Engine as _;
use sha2::{Digest as _, Sha256};

use crate::support::{App, MANIFEST};

fn page(app: &App, more: &[&str]) -> String {
    let arguments: Vec<&str> = ["report", "--output", "report.html"].iter().chain(more).copied().collect();
    let ran = app.run(&arguments);
    assert_eq!(ran.code, 0, "{}", ran.err);
    app.read("report.html")
}

/// Returns what stands between two texts.
fn between<'t>(text: &'t str, from: &str, to: &str) -> &'t str {
    let start = text.find(from).unwrap_or_else(|| panic!("{from}")) + from.len();
    let rest = &text[start..];
    &rest[..rest.find(to).unwrap_or_else(|| panic!("{to}"))]
}

#[test]
fn it_has_all_parts_and_fetches_nothing() {
    let app = App::demo("npm");
    let text = page(&app, &[]);
    for part in ["findings", "prompts", "matrix", "links", "surface", "identity", "evidence"] {
        assert!(text.contains(&format!("<section id=\"{part}\"")), "{part}");
        assert!(text.contains(&format!("<a href=\"#{part}\">")), "{part} is in the list of parts");
    }
    assert!(between(&text, "<p class=\"verdict error\">", "</p>").contains("31 errors, 5 warnings"));
    for said in [
        "CAMERA is not declared, and tern_camera needs it",
        "node_modules&#x2f;tern_camera&#x2f;elvask-sheet.toml:14",
        "<mark>&lt;manifest</mark>",
        "&lt;uses-permission android:name=&quot;android.permission.CAMERA&quot; &#x2f;&gt;",
        "The app crashes at the first access. Info.plist has no text for it.",
        "<td class=\"lacking\">!</td>",
    ] {
        assert!(text.contains(said), "{said}");
    }
    // Nothing is loaded: links inside the page, and pictures of nothing.
    for attribute in ["src=\"", "href=\""] {
        for at in text.match_indices(attribute).map(|(at, _)| at + attribute.len()) {
            let target = &text[at..at + 6];
            assert!(target.starts_with('#') || target.starts_with("data:"), "{attribute}{target}");
        }
    }
    assert!(
        !text.contains("url(")
            && !text.contains("@import")
            && !text.contains(" style=\"")
            && !text.contains(" onclick")
    );
    assert!(text.len() < 400_000, "{}", text.len());
}

#[test]
fn its_policy_lets_its_own_style_and_script_through_and_nothing_else() {
    let text = page(&App::demo("npm"), &[]);
    let policy = between(&text, "Content-Security-Policy\" content=\"", "\"");
    assert!(policy.starts_with("default-src 'none';"), "{policy}");
    for (element, word) in [("style", "style-src"), ("script", "script-src")] {
        let inside = between(&text, &format!("<{element}>"), &format!("</{element}>"));
        let sum = base64::engine::general_purpose::STANDARD.encode(Sha256::digest(inside.as_bytes()));
        assert!(policy.contains(&format!("{word} 'sha256-{sum}'")), "{policy}");
        assert_eq!(text.matches(&format!("<{element}")).count(), 1, "one {element} alone");
    }
}

#[test]
fn what_others_wrote_stays_text() {
    let app = App::bare();
    let evil = "</script><script>alert(1)</script><img src=x onerror=alert(2)>";
    let escaped = evil.replace('<', "&lt;").replace('>', "&gt;");
    let sheet = format!(
        "sheet = 1\nplugin = 'tern_camera'\n[[requires]]\nandroid.permission = 'android.permission.CAMERA'\nreason = '{evil}\u{202E}'\n"
    );
    app.write("elvask/sheets/tern_camera.toml", sheet);
    app.write(
        MANIFEST,
        format!(
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <!-- {evil} -->\n    <application android:label=\"{escaped}\" />\n</manifest>\n"
        ),
    );
    let text = page(&app, &[]);
    assert_eq!(text.matches("<script").count(), 1, "its own alone");
    assert!(!text.contains("<img") && !text.contains('\u{202E}'));
    assert!(text.contains("&lt;img src=x onerror=alert(2)&gt;"), "it is shown as it was written");
    assert!(between(&text, "<title>", "</title>").starts_with("&lt;&#x2f;script&gt;"), "in the title too");
}

#[test]
fn it_tells_what_changed_and_where_nothing_is_wrong() {
    let app = App::demo("npm");
    let survey = app.run(&["survey", "--format", "json"]).out;
    app.write("before.json", survey.replace("READ_CALENDAR", "READ_CALL_LOG"));
    let text = page(&app, &["--against", "before.json"]);
    let changes = between(&text, "<section id=\"changes\"", "</table>");
    assert!(changes.contains("READ_CALL_LOG"), "{changes}");
    assert!(text.contains("<span class=\"turn lost\">lost</span>"));
    assert!(text.contains("<a href=\"#changes\">"));
    // Of the findings, those that an earlier check did not have are marked.
    app.write(
        "earlier.json",
        app.run(&["check", "--format", "json"]).out.replace("permission.CAMERA", "permission.NFC"),
    );
    let text = page(&app, &["--since", "earlier.json"]);
    let new = text.matches("data-new=\"yes\"").count();
    assert!(new > 0 && new < 10 && text.contains(&format!(" {new} new since earlier.json.")), "{new}");
    let clean = App::with(&[(
        MANIFEST,
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses-permission android:name=\"android.permission.CAMERA\" />\n    <uses-feature android:name=\"android.hardware.camera\" android:required=\"false\" />\n    <application />\n</manifest>\n",
    )]);
    let text = page(&clean, &[]);
    assert!(!text.contains("id=\"changes\""), "nothing to compare with");
    assert!(text.contains("not judged"), "of the side that is not there it says so");
}

#[test]
fn what_cannot_be_read_is_on_the_page_and_in_the_exit_code() {
    let app = App::bare();
    app.write(MANIFEST, "<manifest");
    let ran = app.run(&["report", "--output", "report.html"]);
    assert_eq!(ran.code, 2, "{}", ran.out);
    assert!(ran.err.contains(&format!("{MANIFEST}:1:")), "{}", ran.err);
    assert!(app.read("report.html").contains("<code>file-unreadable</code>"));
}

#[test]
fn it_writes_over_its_own_pages_alone() {
    let app = App::demo("gradle");
    app.write("notes.html", "<!DOCTYPE html><title>mine</title>");
    let ran = app.run(&["report", "--output", "notes.html"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("is no page of `elvask report`"), "{}", ran.err);
    assert_eq!(app.read("notes.html"), "<!DOCTYPE html><title>mine</title>");
    let first = page(&app, &[]);
    assert_eq!(page(&app, &["--release"]).matches("Judged as it ships").count(), 1, "written over");
    assert!(first.starts_with("<!DOCTYPE html>"));
    let piped = app.run(&["report"]);
    assert!(piped.code == 0 && piped.out.starts_with("<!DOCTYPE html>"), "{}", piped.err);
    let folder = app.run(&["report", "--output", "app"]);
    assert_eq!((folder.code, folder.err.contains("this is a folder")), (2, true), "{}", folder.err);
}
