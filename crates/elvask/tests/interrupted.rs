//! A writing that is interrupted loses nothing: the real program, ended at each of its steps.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::support::{App, MANIFEST};

/// All files below a folder.
fn tree(folder: &Path) -> BTreeMap<PathBuf, Vec<u8>> {
    let mut out = BTreeMap::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(&folder).unwrap().flatten() {
            let path = entry.path();
            if path.is_dir() {
                out.insert(path.clone(), Vec::new());
                folders.push(path);
            } else {
                out.insert(path.clone(), std::fs::read(&path).unwrap());
            }
        }
    }
    out.into_iter().map(|(path, bytes)| (path.strip_prefix(folder).unwrap().to_owned(), bytes)).collect()
}

/// The sheet of one more package, for two more files.
const SHEET: &str = "sheet = 1\nplugin = \"oystercatcher_lens\"\nplatforms = [\"android\", \"ios\"]\n\n\
    [[requires]]\nandroid.gradle = { file = \"app\", dependency = \"example.tern:lens\", version = \"2.1\" }\n\n\
    [[requires]]\nios.build-setting = { name = \"ENABLE_BITCODE\", value = \"NO\" }\n";

const FILL: [&str; 3] = ["fill", "--yes", "--keep"];

/// The sample app with the four packages for which `fill` changes eight files: what the others ask for takes time at each step.
fn eight() -> App {
    const OTHERS: [&str; 7] = [
        "curlew_dictation",
        "plover_dialer",
        "sanderling_inbox",
        "dunlin_alerts",
        "avocet_checkout",
        "godwit_float",
        "redshank_scan",
    ];
    let app = App::demo("npm");
    let mut listed = app.read("package.json");
    for other in OTHERS {
        let line = listed.lines().find(|line| line.contains(other)).unwrap().to_owned();
        listed = listed.replacen(&format!("{line}\n"), "", 1);
        std::fs::remove_dir_all(app.root().join("node_modules").join(other)).unwrap();
    }
    let more = listed.replacen("\"dependencies\": {", "\"dependencies\": { \"oystercatcher_lens\": \"1.0.0\",", 1);
    app.write("package.json", more);
    let answer = "[plugins.avocet_checkout.answers]\nmerchant_id = \"avocet.marram\"\n";
    let said = app.read("elvask.toml");
    assert!(said.contains(answer));
    app.write("elvask.toml", said.replacen(answer, "", 1));
    let package = "{ \"name\": \"oystercatcher_lens\", \"version\": \"1.0.0\" }";
    app.write("node_modules/oystercatcher_lens/package.json", package);
    app.write("node_modules/oystercatcher_lens/elvask-sheet.toml", SHEET);
    app
}

fn fill() -> Vec<&'static str> {
    FILL.into_iter().chain(crate::support::GIVEN).collect()
}

fn ended_at(app: &App, step: usize) -> i32 {
    let mut command = Command::new(env!("CARGO_BIN_EXE_elvask"));
    command.args(fill()).current_dir(app.root()).env("ELVASK_TEST_END_AT", step.to_string());
    command.output().unwrap().status.code().unwrap_or(-1)
}

#[test]
fn ended_at_any_step_all_files_are_old_or_all_are_new() {
    let app = eight();
    let old = tree(app.root());
    app.run(&fill());
    let new = tree(app.root());
    let changed = new.iter().filter(|(path, bytes)| old.get(*path) != Some(bytes)).count();
    assert_eq!(
        changed,
        8,
        "{:?}",
        new.iter().filter(|(path, bytes)| old.get(*path) != Some(bytes)).map(|(path, _)| path)
    );
    let (old, new) = (&old, &new);
    let one = |step: usize| {
        let app = eight();
        if ended_at(&app, step) != 137 {
            return None;
        }
        let left = tree(app.root());
        let check = app.run(&["check", "-q"]);
        let after = tree(app.root());
        assert!(after == *old || after == *new, "step {step}: {:?}", after.keys());
        let told = check.err.contains("recovered: a writing that was interrupted");
        // What ended before the journal was whole, or after all was in place, needs no word.
        let untouched = |left: &BTreeMap<PathBuf, Vec<u8>>| {
            let mut left = left.clone();
            left.retain(|path, _| !path.starts_with(".elvask-journal"));
            left == *old || left == *new
        };
        assert!(told || untouched(&left), "step {step}: {}", check.err);
        let again = app.run(&fill());
        assert_eq!(tree(app.root()), *new, "step {step}: {}", again.err);
        assert!(app.run(&["recover"]).out.contains("No writing was interrupted here."), "step {step}");
        Some(told)
    };
    let each = |from: usize| (from..).step_by(2).map_while(one).filter(|told| *told).count();
    let told: usize = std::thread::scope(|scope| {
        let halves = [1, 2].map(|from| scope.spawn(move || each(from)));
        halves.into_iter().map(|half| half.join().unwrap()).sum()
    });
    assert!(told > 30, "{told}");
}

#[test]
fn what_was_changed_since_is_for_a_person_to_decide() {
    let app = eight();
    let old = tree(app.root());
    // Well after the first rename.
    let step = (30..100).find(|step| {
        app.run(&["recover", "--take-back"]);
        assert_eq!(tree(app.root()), old);
        ended_at(&app, *step);
        tree(app.root())[Path::new(MANIFEST)] != old[Path::new(MANIFEST)]
    });
    let plist = app.read("ios/Marram/Info.plist");
    app.write("ios/Marram/Info.plist", plist.replace("</plist>", "</plist>\n"));
    assert!(step.is_some());
    let check = app.run(&["check"]);
    assert_eq!(check.code, 2, "step {step:?}");
    assert!(check.err.contains("somebody has changed ios/Marram/Info.plist since"), "{}", check.err);
    assert!(check.err.contains("elvask recover --take-back puts the old texts back"), "{}", check.err);
    let ran = app.run(&["recover", "--take-back"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    assert!(ran.out.contains("left as it is ios/Marram/Info.plist"), "{}", ran.out);
    let mut wanted = old;
    wanted.insert("ios/Marram/Info.plist".into(), plist.replace("</plist>", "</plist>\n").into());
    assert_eq!(tree(app.root()), wanted);
}

#[test]
fn recover_says_in_json_what_it_did() {
    let app = eight();
    assert_eq!(app.run(&["recover", "--format", "json"]).json()["done"], serde_json::Value::Null);
    ended_at(&app, 20);
    let record = app.run(&["recover", "--format", "json"]).json();
    assert_eq!(record["done"], "taken-back");
    assert_eq!(record["files"].as_array().unwrap().len(), 8);
    assert_eq!(record["files"][0]["state"], "old");
}

#[test]
fn a_signal_ends_it_at_a_safe_point() {
    // A signal that comes before anything is written ends the program as ever; one that comes while it writes is held back.
    for wait in [0, 5, 20, 40, 60, 80, 100, 150] {
        let app = eight();
        let old = tree(app.root());
        let mut child = Command::new(env!("CARGO_BIN_EXE_elvask"))
            .args(fill())
            .current_dir(app.root())
            .stdout(std::process::Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(std::time::Duration::from_millis(wait));
        let sent = Command::new("kill").args(["-TERM", &child.id().to_string()]).status().unwrap();
        child.wait().unwrap();
        let after = tree(app.root());
        let names = |tree: &BTreeMap<PathBuf, Vec<u8>>| tree.keys().cloned().collect::<Vec<_>>();
        let changed = after.iter().filter(|(path, bytes)| old.get(*path) != Some(bytes)).count();
        assert!(changed == 0 && names(&after) == names(&old) || changed == 8, "after {wait} ms: {changed} {sent}");
    }
}
