//! Checks at each save, for a program that reads them.

#![cfg(unix)]

use std::io::{BufRead as _, BufReader};
use std::process::{Command, Stdio};

use serde_json::Value;

use crate::support::{App, MANIFEST};

#[test]
fn in_a_pipe_each_check_is_a_line_and_int_ends_it_cleanly() {
    let app = App::demo("npm");
    let mut child = Command::new(env!("CARGO_BIN_EXE_elvask"))
        .arg("watch")
        .current_dir(app.root())
        .env("ELVASK_CACHE_DIR", "")
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let mut next = || -> Value { serde_json::from_str(&lines.next().unwrap().unwrap()).unwrap() };
    let first = next();
    crate::json::fits("watch", &first);
    assert_eq!(first["changed"], serde_json::json!([]));
    let errors = |record: &Value| record["summary"]["errors"].as_u64().unwrap();
    let text = app.read(MANIFEST);
    app.write(MANIFEST, text.replace("POST_NOTIFICATION\"", "POST_NOTIFICATIONS\""));
    let second = next();
    assert_eq!(second["changed"], serde_json::json!([MANIFEST]));
    assert!(errors(&second) < errors(&first), "{}", second["summary"]);
    // A sheet that comes to be is a change too, and a broken file is told and ends nothing.
    app.write(MANIFEST, "<manifest");
    let third = next();
    let rules: Vec<_> = third["findings"].as_array().unwrap().iter().map(|one| one["rule"].as_str().unwrap()).collect();
    assert!(rules.contains(&"file-unreadable"), "{rules:?}");
    app.write(MANIFEST, &text);
    assert_eq!(errors(&next()), errors(&first));
    app.write("elvask/sheets/plover_dialer.toml", "sheet = 1\nplugin = 'plover_dialer'\n");
    let last = next();
    assert!(errors(&last) < errors(&first), "{}", last["summary"]);
    let id = rustix::process::Pid::from_child(&child);
    rustix::process::kill_process(id, rustix::process::Signal::INT).unwrap();
    assert!(child.wait().unwrap().success());
}
