//! What the program says of itself to shells, manuals and scripts.

use std::process::Command;

use crate::support::{App, elvask};

/// Returns what a shell would offer behind these words.
fn offered(app: &App, words: &[&str]) -> Vec<String> {
    let out = Command::new(env!("CARGO_BIN_EXE_elvask"))
        .arg("--")
        .args(words)
        .current_dir(app.root())
        .env("ELVASK_COMPLETE", "bash")
        .env("_CLAP_COMPLETE_INDEX", (words.len() - 1).to_string())
        .env("_CLAP_IFS", "\n")
        .output()
        .unwrap();
    String::from_utf8(out.stdout).unwrap().lines().map(str::to_owned).collect()
}

#[test]
fn shells_are_offered_commands_rules_permissions_and_plugins() {
    let app = App::demo("npm");
    assert_eq!(offered(&app, &["elvask", "surv"]), ["survey"]);
    assert_eq!(offered(&app, &["elvask", "why", "plover"]), ["plover_dialer"]);
    assert_eq!(
        offered(&app, &["elvask", "check", "--only", "permission-mis"]),
        ["permission-missing", "permission-misplaced"]
    );
    assert_eq!(offered(&app, &["elvask", "explain", "NSCam"]), ["NSCameraUsageDescription"]);
    assert!(offered(&app, &["elvask", "declare", "POST_"]).contains(&"POST_NOTIFICATIONS".to_owned()));
    assert!(offered(&app, &["elvask", "fill", "--plugin", ""]).contains(&"tern_camera".to_owned()));
    assert!(offered(&app, &["elvask", "check", "--form"]).contains(&"--format".to_owned()));
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        let ran = app.run(&["completions", shell]);
        assert!(ran.code == 0 && ran.out.contains("ELVASK_COMPLETE"), "{shell}: {}", ran.out);
    }
}

#[test]
fn every_command_has_a_page_with_its_examples() {
    let app = App::demo("gradle");
    let ran = app.run(&["man", "--output", "pages"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    let names: Vec<String> = std::fs::read_dir(app.path("pages"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .collect();
    for name in ["elvask.1", "elvask-check.1", "elvask-link-try.1", "elvask-account-serve.1"] {
        assert!(names.iter().any(|known| known == name), "{name}: {names:?}");
    }
    for name in &names {
        let text = app.read(&format!("pages/{name}"));
        assert!(text.contains(".SH NAME") && text.contains(".SH SYNOPSIS"), "{name}");
    }
    let one = app.run(&["man", "link", "try"]);
    assert!(one.out.contains("link try") && one.out.contains("Examples:"), "{}", one.out);
    let wrong = app.run(&["man", "chek"]);
    assert_eq!(wrong.code, 2);
    assert!(wrong.err.contains("did you mean `check`?"), "{}", wrong.err);
}

#[test]
fn every_command_shows_examples() {
    let app = App::demo("gradle");
    let pages = app.run(&["man", "--output", "pages"]);
    assert_eq!(pages.code, 0);
    let mut without = Vec::new();
    for entry in std::fs::read_dir(app.path("pages")).unwrap() {
        let name = entry.unwrap().file_name().to_string_lossy().into_owned();
        let text = app.read(&format!("pages/{name}"));
        // What only holds other commands leaves the examples to them.
        if !text.contains("Examples:") && !text.contains(".SH SUBCOMMANDS") {
            without.push(name);
        }
    }
    assert!(without.is_empty(), "{without:?}");
}

#[test]
fn a_script_learns_which_facts_the_program_goes_by() {
    let here = std::env::temp_dir();
    let ran = elvask(&here, &["--version", "--format", "json"]);
    let record = ran.json();
    assert_eq!((ran.code, &record["name"]), (0, &"elvask".into()));
    assert!(record["tables"]["count"].as_u64().unwrap() > 40, "{record}");
    assert!(record["tables"]["checked"].as_str().unwrap() >= "2026-11", "{record}");
    assert_eq!(record["tables"]["sum"].as_str().unwrap().len(), 16);
    assert_eq!(elvask(&here, &["-V", "--format=json"]).json(), record);
    let plain = elvask(&here, &["--version"]);
    assert_eq!(plain.out.trim(), format!("elvask {}", record["version"].as_str().unwrap()));
}

#[test]
fn a_mistyped_command_is_answered_with_the_nearest() {
    let ran = elvask(&std::env::temp_dir(), &["chek"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("'check'"), "{}", ran.err);
}
