//! What the project's own pages say is true: their commands run as they are written, and lists are complete.

use std::collections::BTreeSet;
use std::fs;
use std::path::PathBuf;

use crate::support::{App, Server};

fn root() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn page(name: &str) -> String {
    fs::read_to_string(root().join(name)).unwrap()
}

/// Returns the commands of the shell blocks of a page, without the remarks behind them.
fn commands(page: &str) -> Vec<String> {
    let blocks = page.split("```sh\n").skip(1).filter_map(|rest| rest.split("```").next());
    let lines = blocks.flat_map(str::lines).filter(|line| line.starts_with("elvask "));
    lines.map(|line| line.split(" #").next().unwrap().trim().to_owned()).collect()
}

#[test]
fn the_commands_of_the_readme_run_as_they_are_written() {
    let mut number = 0;
    for line in commands(&page("README.md")) {
        number += 1;
        // Each on an app of its own, as it is when it was just unpacked.
        let app = App::demo("npm");
        app.write("notes.md", "```xml\n<uses-permission android:name=\"android.permission.NFC\" />\n```\n");
        let certificate = root().join("crates/elvask/tests/stores/certificate.der");
        app.write("release.p12", fs::read(certificate).unwrap());
        match line.as_str() {
            // It asks real hosts.
            "elvask link audit" => continue,
            // It ends with a signal alone, and a test of its own sends one.
            "elvask watch" => continue,
            // It ends with a signal alone.
            "elvask link serve" | "elvask account serve" => {
                let words: Vec<&str> = line.split_whitespace().skip(1).chain(["--port", "0"]).collect();
                assert!(!Server::of(&words, app.root()).address.is_empty());
                continue;
            }
            // It holds the app against what the draft, corrected by its owner, says.
            "elvask account check" => assert_eq!(app.run(&["account", "draft"]).code, 0),
            line if line.starts_with("elvask compare") || line.contains(" HEAD ") => app.commit(),
            "elvask init" => fs::remove_file(app.path("elvask.toml")).unwrap(),
            _ => {}
        }
        let service = line.contains(" --from ").then(|| Server::of(&["account", "serve", "--port", "0"], app.root()));
        let line = service.as_ref().map_or(line.clone(), |it| line.replace("127.0.0.1:8096", &it.address));
        let words: Vec<&str> = line.split_whitespace().skip(1).collect();
        let ran = app.run(&words);
        assert!(matches!(ran.code, 0 | 1), "{line}: {}{}", ran.out, ran.err);
        assert!(!ran.out.is_empty(), "{line} says nothing: {}", ran.err);
    }
    assert!(number >= 25, "{number} commands");
}

#[test]
fn what_the_readme_shows_is_what_the_program_prints() {
    let readme = page("README.md");
    let shown = readme.split("```text\n$ elvask check\n").nth(1).unwrap().split("```").next().unwrap();
    let printed = App::demo("npm").run(&["check"]).out;
    assert!(printed.contains(shown), "{shown}\n{printed}");
}

#[test]
fn the_pages_that_are_named_are_there() {
    for name in [
        "README.md",
        "ARCHITECTURE.md",
        "CONTRIBUTING.md",
        "CHANGELOG.md",
        "SECURITY.md",
        "docs/json.md",
        "docs/dependencies.md",
        "docs/new-platform-release.md",
    ] {
        let text = page(name);
        let folder = root().join(name).parent().unwrap().to_owned();
        for link in text.split("](").skip(1).filter_map(|rest| rest.split(')').next()) {
            let path = link.split('#').next().unwrap();
            if path.is_empty() || path.contains("://") || path.starts_with('.') && path.contains("ci") {
                continue;
            }
            assert!(folder.join(path).exists(), "{name} names {path}");
        }
    }
}

#[test]
fn every_dependency_has_its_reason() {
    let manifest = page("Cargo.toml");
    let section = manifest.split("[workspace.dependencies]").nth(1).unwrap().split("\n[").next().unwrap();
    let named = section.lines().filter(|line| !line.starts_with('#')).filter_map(|line| line.split(" = ").next());
    let named: BTreeSet<&str> = named.filter(|name| !name.is_empty() && !name.starts_with("elvask")).collect();
    let text = page("docs/dependencies.md");
    let rows = text.lines().filter(|line| line.starts_with("| `")).filter_map(|line| line.split('|').nth(1));
    let told: BTreeSet<&str> =
        rows.flat_map(|cell| cell.split(", ")).map(|name| name.trim().trim_matches('`')).collect();
    assert_eq!(named, told);
}

#[test]
fn what_is_shipped_is_built_at_full() {
    let manifest = page("Cargo.toml");
    let packages = |profile: &str| {
        let section =
            manifest.split(&format!("[profile.{profile}.package]\n")).nth(1).unwrap().split("\n\n").next().unwrap();
        let level = |line: &str| {
            let (name, level) = line.split_once(".opt-level = ").unwrap();
            (name.to_owned(), level.parse::<u32>().unwrap())
        };
        section.lines().filter(|line| line.contains(".opt-level")).map(level).collect::<Vec<_>>()
    };
    // The profile takes over what the one that it inherits from says of each package.
    let full = packages("dist");
    for (name, level) in packages("release").into_iter().filter(|(_, level)| *level < 3) {
        assert!(full.contains(&(name.clone(), 3)), "{name} is built at {level} in what is shipped");
    }
}
