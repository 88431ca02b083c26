//! `cargo run -p elvask-facts -- permissions LEVEL DUMP`: see docs/new-platform-release.md; `-- strings`: what native code is searched for.

#![allow(clippy::print_stdout, clippy::print_stderr, reason = "a tool of the workspace")]

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use elvask_facts::{declared, disagreements, merge_permissions};

const USAGE: &str = "\
Usage: cargo run -p elvask-facts -- permissions LEVEL DUMP [--write | --check]
       cargo run -p elvask-facts -- strings

DUMP is what `aapt dump xmltree framework-res.apk AndroidManifest.xml` prints for the framework of that level.
Without an option it says what the level changes in the table; --write changes it; --check holds a level that the table
covers already against the dump, and ends with 1 where they disagree.
`strings` prints what the native code of packages is searched for, one string a line.";

fn table() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../elvask-platform/data/android-permissions.tsv")
}

fn run(words: &[&str]) -> Result<ExitCode, String> {
    let (level, dump, option) = match words {
        ["strings"] => {
            println!("{}", elvask_needs::evidence::searched().join("\n"));
            return Ok(ExitCode::SUCCESS);
        }
        ["permissions", level, dump] => (level, dump, ""),
        ["permissions", level, dump, option @ ("--write" | "--check")] => (level, dump, *option),
        _ => return Err(USAGE.to_owned()),
    };
    let level: u32 = level.parse().map_err(|_| format!("{level}: a level is a number"))?;
    let read = |path: &Path| std::fs::read_to_string(path).map_err(|error| format!("{}: {error}", path.display()));
    let (known, declared) = (read(&table())?, declared(&read(Path::new(dump))?));
    if option == "--check" {
        let wrong = disagreements(&known, &declared, level);
        wrong.iter().for_each(|line| println!("{line}"));
        println!("level {level}: {} permissions, {} disagreements", declared.len(), wrong.len());
        return Ok(ExitCode::from(u8::from(!wrong.is_empty())));
    }
    let merged = merge_permissions(&known, &declared, level).map_err(|error| format!("{dump}: {error}"))?;
    merged.changes.iter().for_each(|line| println!("{line}"));
    println!("level {level}: {} permissions, {} changes", declared.len(), merged.changes.len());
    if option == "--write" {
        std::fs::write(table(), merged.table).map_err(|error| format!("{}: {error}", table().display()))?;
        println!("wrote {}", table().display());
    }
    Ok(ExitCode::SUCCESS)
}

fn main() -> ExitCode {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    run(&words).unwrap_or_else(|said| {
        eprintln!("{said}");
        ExitCode::from(2)
    })
}
