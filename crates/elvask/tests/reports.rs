//! The forms in which `check` reports to other programs, and what it takes for a reason to fail.

use std::process::Command;

use crate::support::{App, MANIFEST, Ran};
use serde_json::Value;

const SMS: &str = "    <uses-permission android:name=\"android.permission.READ_SMS\" />\n";
const MISSPELT: &str = "    <uses-permission android:name=\"android.permission.VIBRAT\" />\n";

fn manifest(inside: &str) -> String {
    format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n{inside}    <application />\n</manifest>\n"
    )
}

fn app(inside: &str) -> App {
    let app = App::with(&[(MANIFEST, &manifest(inside))]);
    // It needs nothing of the platforms.
    app.write("package.json", "{ \"name\": \"marram\" }\n");
    app
}

fn check(app: &App, words: &[&str]) -> Ran {
    app.run(&[&["check"], words].concat())
}

#[test]
fn the_exchange_format_names_places_edits_and_rules() {
    let app = app(MISSPELT);
    let ran = check(&app, &["--format", "sarif"]);
    assert_eq!(ran.code, 1);
    let run = &ran.json()["runs"][0];
    assert_eq!(ran.json()["version"], "2.1.0");
    let results = run["results"].as_array().unwrap();
    let found = results.iter().find(|one| one["ruleId"] == "permission-unknown").unwrap();
    let place = &found["locations"][0]["physicalLocation"];
    assert_eq!(place["artifactLocation"]["uri"], MANIFEST);
    let region = &place["region"];
    let numbers = ["startLine", "startColumn", "endLine", "endColumn"].map(|key| region[key].as_u64().unwrap());
    assert_eq!(numbers, [2, 36, 2, 61], "the name, its end behind the last letter");
    let index = usize::try_from(found["ruleIndex"].as_u64().unwrap()).unwrap();
    let rule = &run["tool"]["driver"]["rules"][index];
    assert_eq!(rule["id"], "permission-unknown");
    assert!(rule["help"]["markdown"].as_str().unwrap().starts_with("# permission-unknown"));
    let change = &found["fixes"][0]["artifactChanges"][0];
    let replacement = &change["replacements"][0];
    assert_eq!(replacement["insertedContent"]["text"], "android.permission.VIBRATE");
    assert_eq!(replacement["deletedRegion"]["startColumn"], 36);
    assert_eq!(run["invocations"][0]["executionSuccessful"], true);
}

#[test]
fn what_is_accepted_is_marked_and_not_left_out() {
    let app = app(&format!("    <!-- elvask accept permission-store-review: the form is in -->\n{SMS}"));
    let results = check(&app, &["--format", "sarif"]).json()["runs"][0]["results"].clone();
    let of_rule = |one: &&Value| one["ruleId"] == "permission-store-review";
    let review = results.as_array().unwrap().iter().find(of_rule).unwrap();
    assert_eq!(review["suppressions"][0]["justification"], "the form is in");
    let junit = check(&app, &["--format", "junit"]).out;
    assert!(junit.contains("<skipped message=\"accepted: the form is in\"/>"), "{junit}");
    assert!(!check(&app, &["--format", "annotations"]).out.contains("permission-store-review"));
    assert!(check(&app, &["--format", "markdown"]).out.contains("1 waived"));
}

#[test]
fn cases_fail_as_the_check_does() {
    let app = app(&format!("{SMS}{MISSPELT}"));
    let junit = check(&app, &["--format", "junit"]).out;
    assert!(
        junit.starts_with("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites name=\"elvask\" tests="),
        "{junit}"
    );
    assert!(junit.contains(" failures=\"1\" "), "{junit}");
    let name = "classname=\"elvask.permission-unknown\" name=\"android.permission.VIBRAT at android/app/src/main/AndroidManifest.xml:3:36\"";
    assert!(junit.contains(name), "{junit}");
    assert!(
        junit.contains("<testcase classname=\"elvask\" name=\"query-broad\"/>"),
        "a rule that finds nothing passes: {junit}"
    );
    let strict = check(&app, &["--format", "junit", "--deny", "note"]).out;
    assert!(strict.contains(" failures=\"3\" "), "{strict}");
}

#[test]
fn a_side_that_nobody_looked_at_has_not_passed() {
    let app = App::with(&[(MANIFEST, &manifest(""))]);
    app.write("ios/Podfile", "platform :ios, '15.1'\n");
    app.write("package.json", "{ \"dependencies\": { \"tern_camera\": \"1\" } }\n");
    app.write("node_modules/tern_camera/package.json", "{ \"version\": \"1.0.0\" }\n");
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n[[requires]]\nios.usage = \"NSCameraUsageDescription\"\n",
    );
    let junit = check(&app, &["--format", "junit"]).out;
    assert!(junit.contains("name=\"purpose-vague\"><skipped message=\"not judged: "), "{junit}");
    assert!(check(&app, &["--format", "annotations"]).out.contains("::warning title=iOS%3A not judged::"));
    assert!(check(&app, &["--format", "markdown"]).out.contains("iOS is not judged: "));
    let run = check(&app, &["--format", "sarif"]).json()["runs"][0].clone();
    let told = run["invocations"][0]["toolExecutionNotifications"][0]["message"]["text"].as_str().unwrap().to_owned();
    assert!(told.starts_with("iOS: not judged"), "{told}");
}

#[test]
fn annotations_name_files_from_where_the_command_is_run() {
    let app = app(MISSPELT);
    let here = check(&app, &["--format", "annotations"]).out;
    let line = here.lines().next().unwrap();
    assert!(line.starts_with("::error file=android/app/src/main/AndroidManifest.xml,line=2,col=36,title=permission-unknown::Android has no permission"), "{line}");
    let folder = app.root().file_name().unwrap().to_str().unwrap().to_owned();
    let above = crate::support::elvask(app.root().parent().unwrap(), &["check", &folder, "--format", "annotations"]);
    assert!(above.out.starts_with(&format!("::error file={folder}/android/app/")), "{}", above.out);
}

#[test]
fn a_summary_counts_by_rule() {
    let app = app(&format!("{SMS}{MISSPELT}"));
    let text = check(&app, &["--format", "markdown"]).out;
    assert!(text.contains("| permission-unknown | error | 1 |\n"), "{text}");
    assert!(text.contains("- `android/app/src/main/AndroidManifest.xml:3` **permission-unknown** "), "{text}");
    assert_eq!(check(&app, &["--format", "json"]).json()["rules"]["permission-unknown"], 1);
}

#[test]
fn rules_and_families_decide_whether_a_check_fails() {
    let app = app(MISSPELT);
    assert_eq!(check(&app, &["--allow", "permission-unknown"]).code, 0);
    let allowed = check(&app, &["-q", "--allow", "permission"]);
    assert!(allowed.code == 0 && allowed.out.contains("[permission-unknown]"), "{}", allowed.out);
    assert_eq!(check(&app, &["--allow", "permission", "--deny", "permission-unknown"]).code, 1, "the strict one wins");
    app.write(MANIFEST, manifest(SMS));
    assert_eq!(check(&app, &[]).code, 0);
    assert_eq!(check(&app, &["--deny", "permission-store-review"]).code, 1);
    assert_eq!(check(&app, &["--deny", "permission"]).code, 1);
    let only = check(&app, &["-q", "--only", "permission"]).out;
    assert!(only.contains("[permission-store-review]") && !only.contains("[feature-filters-devices]"), "{only}");
    let unknown = check(&app, &["--deny", "permision-unknown"]);
    assert_eq!(unknown.code, 2);
    assert!(unknown.err.contains("did you mean `permission-unknown`?"), "{}", unknown.err);
}

#[test]
fn an_earlier_check_leaves_what_is_new() {
    let app = app(SMS);
    let earlier = check(&app, &["--format", "json"]).out;
    app.write("earlier.json", &earlier);
    // What was there moved by a line, and is there once more.
    app.write(MANIFEST, manifest(&format!("\n{SMS}{MISSPELT}")));
    let since = check(&app, &["-q", "--since", "earlier.json"]);
    assert!(
        since.out.contains("[permission-unknown]") && !since.out.contains("[permission-store-review]"),
        "{}",
        since.out
    );
    assert!(since.out.contains("2 not shown"), "{}", since.out);
    assert_eq!(since.code, 1);
    app.write(MANIFEST, manifest(&format!("\n{SMS}")));
    assert_eq!(check(&app, &["--deny", "note", "--since", "earlier.json"]).code, 0);
    app.write("earlier.json", "{ \"format\": 1, \"declarations\": [] }");
    let other = check(&app, &["--since", "earlier.json"]);
    assert!(other.code == 2 && other.err.contains("not the JSON of a check"), "{}", other.err);
}

fn git(app: &App, words: &[&str]) {
    let name = ["-c", "user.name=ringer", "-c", "user.email=ringer@marram.example", "-c", "commit.gpgsign=false"];
    let ran = Command::new("git").current_dir(app.root()).args(name).args(words).output().unwrap();
    assert!(ran.status.success(), "{}", String::from_utf8_lossy(&ran.stderr));
}

#[test]
fn a_revision_is_the_app_as_it_was_with_the_packages_of_today() {
    let app = app(SMS);
    app.write(".gitignore", "node_modules/\n");
    app.write("package.json", "{ \"dependencies\": { \"tern_camera\": \"1\" } }\n");
    app.write("node_modules/tern_camera/package.json", "{ \"version\": \"1.0.0\" }\n");
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\n[[requires]]\nandroid.permission = \"android.permission.CAMERA\"\n",
    );
    git(&app, &["init", "-q"]);
    git(&app, &["add", "-A"]);
    git(&app, &["commit", "-qm", "one"]);
    assert_eq!(check(&app, &["--since", "HEAD"]).code, 0, "the camera was absent before");
    app.write(MANIFEST, manifest(&format!("{SMS}{MISSPELT}")));
    // A file that is not in the revision was not there.
    app.write(
        "android/app/src/release/AndroidManifest.xml",
        manifest("    <uses-permission android:name=\"android.permission.CAMRA\" />\n"),
    );
    let since = check(&app, &["-q", "--since", "HEAD"]);
    assert_eq!(since.code, 1);
    assert!(since.out.contains("VIBRAT") && since.out.contains("CAMRA"), "{}", since.out);
    assert!(!since.out.contains("[permission-missing]") && !since.out.contains("READ_SMS"), "{}", since.out);
    let unknown = check(&app, &["--since", "no-such-branch"]);
    assert!(unknown.code == 2 && unknown.err.contains("neither a file nor a revision"), "{}", unknown.err);
}
