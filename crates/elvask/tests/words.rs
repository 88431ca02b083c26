//! What the program can say, on two pages for reading as a whole: all sentences of its source and its tables, and the help of every command.
//!
//! `ELVASK_WRITE_PAGES=1 cargo test -p elvask --test all words::` writes them.

use std::fs;
use std::path::{Path, PathBuf};

use crate::support::{elvask, is_asked_to_write};
use proc_macro2::{Delimiter, TokenStream, TokenTree};

fn root() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../..")
}

#[track_caller]
fn keep(page: &str, text: &str) {
    let path = root().join("docs").join(page);
    if is_asked_to_write("ELVASK_WRITE_PAGES") {
        fs::write(&path, text).unwrap();
    }
    let known = fs::read_to_string(&path).unwrap_or_default();
    for (at, (known, now)) in known.lines().zip(text.lines()).enumerate() {
        assert_eq!(known, now, "docs/{page}:{} is not current: ELVASK_WRITE_PAGES=1 writes it", at + 1);
    }
    assert_eq!(
        known.lines().count(),
        text.lines().count(),
        "docs/{page} is not current: ELVASK_WRITE_PAGES=1 writes it"
    );
}

fn files(folder: &Path, out: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            files(&path, out);
        } else if path.extension().is_some_and(|extension| extension == "rs") {
            out.push(path);
        }
    }
}

/// Collects the texts of a source file that read like sentences or parts of one; tests and the notes of the source itself are left out.
fn texts(tokens: TokenStream, out: &mut Vec<String>) {
    let tokens: Vec<TokenTree> = tokens.into_iter().collect();
    let mut at = 0;
    let mut skips = false;
    while let Some(token) = tokens.get(at) {
        match token {
            TokenTree::Punct(sign) if sign.as_char() == '#' => {
                let next = tokens.get(at + 1).map(ToString::to_string).unwrap_or_default();
                // A module of tests, or a function that is one.
                skips |= next.contains("cfg (test)") || next == "[test]";
                at += if next.starts_with('!') { 3 } else { 2 };
                continue;
            }
            TokenTree::Group(group) => {
                if !(skips && group.delimiter() == Delimiter::Brace) {
                    texts(group.stream(), out);
                } else {
                    skips = false;
                }
            }
            TokenTree::Literal(literal) => out.extend(sentence(&literal.to_string())),
            TokenTree::Punct(sign) if sign.as_char() == ';' => skips = false,
            _ => {}
        }
        at += 1;
    }
}

/// Returns the text of a literal, where people would read it as words.
fn sentence(literal: &str) -> Option<String> {
    let text = literal.strip_prefix('"')?.strip_suffix('"')?;
    let text = text.replace("\\\"", "\"").replace("\\n", " ").replace('\n', " ");
    let text = text.split_whitespace().filter(|word| *word != "\\").collect::<Vec<_>>().join(" ");
    let is_word = |word: &&str| word.len() > 1 && word.chars().all(|letter| letter.is_ascii_lowercase());
    let reads = text.split(' ').filter(is_word).count() >= 2;
    let is_code = text.starts_with('<') || text.starts_with('{') && text.ends_with('}') && !text.contains(' ');
    (reads && !is_code).then_some(text)
}

/// The sentences of the tables of facts, but for those that hold words to look for or to write.
fn tables(folder: &Path) -> String {
    const NOT_SAID: [&str; 6] =
        ["capability-words", "ios-codes", "manifest-elements", "note-words", "placeholder-words", "vague-purposes"];
    let mut all: Vec<PathBuf> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    all.sort();
    let mut page = String::from("\n## Tables of facts\n");
    for path in all {
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        let text = fs::read_to_string(&path).unwrap();
        let cells = text.lines().filter(|line| !line.starts_with('#')).flat_map(|line| line.split('\t'));
        let mut said: Vec<String> = cells.filter_map(|cell| sentence(&format!("\"{cell}\""))).collect();
        said.dedup();
        if said.is_empty() || NOT_SAID.contains(&name.as_str()) {
            continue;
        }
        page.push_str(&format!("\n### {name}\n\n"));
        said.iter().for_each(|text| page.push_str(&format!("- {}\n", text.replace('<', "\\<").replace('*', "\\*"))));
    }
    page
}

#[test]
fn all_that_is_said_is_on_one_page() {
    let mut page = String::from(
        "# What the program can say\n\nAll sentences of the source and of the tables of facts, by the file that says them, for reading as a whole; `{…}` is filled in when it is said.\nThe page is generated: `ELVASK_WRITE_PAGES=1 cargo test -p elvask --test all words::`.\n",
    );
    let crates = root().join("crates");
    for name in [
        "elvask",
        "elvask-core",
        "elvask-needs",
        "elvask-link",
        "elvask-project",
        "elvask-markup",
        "elvask-platform",
        "elvask-keys",
    ] {
        let source = crates.join(name).join("src");
        let mut all = Vec::new();
        files(&source, &mut all);
        all.sort();
        page.push_str(&format!("\n## {name}\n"));
        for path in all {
            let inside = path.strip_prefix(&source).unwrap().display().to_string();
            // Help is on its own page; these two hold nothing but tests and their helpers.
            if inside.starts_with("options") || inside.ends_with("testing.rs") || inside.ends_with("tests.rs") {
                continue;
            }
            let tokens: TokenStream = fs::read_to_string(&path).unwrap().parse().unwrap();
            let mut said = Vec::new();
            texts(tokens, &mut said);
            if said.is_empty() {
                continue;
            }
            page.push_str(&format!("\n### {inside}\n\n"));
            for text in said {
                page.push_str(&format!("- {}\n", text.replace('<', "\\<").replace('*', "\\*")));
            }
        }
    }
    page.push_str(&tables(&crates.join("elvask-platform/data")));
    assert!(page.contains("- {name} is declared twice\n"), "the messages of rules are among them");
    assert!(page.contains("- it is a network security configuration\n"), "and those of the tables");
    // Words that platform documentation does not use for it.
    for word in [" stands ", " anew", "taken out", "takes it out", "is no scheme"] {
        let line = page.lines().find(|line| line.contains(word) && !line.contains("what stands in the app"));
        assert_eq!(line, None, "{word}");
    }
    keep("messages.md", &page);
}

/// Returns the commands that a help lists.
fn listed(help: &str) -> Vec<String> {
    let commands = help.split("Commands:\n").nth(1).unwrap_or_default();
    let commands = commands.lines().take_while(|line| !line.is_empty());
    // What is set in deeper goes on with the line above.
    let names = commands.filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    let names = names.filter_map(|line| line.split_whitespace().next());
    names.filter(|name| *name != "help").map(str::to_owned).collect()
}

#[test]
fn the_help_of_every_command_is_on_one_page_and_has_examples() {
    let folder = tempfile::tempdir().unwrap();
    let help = |words: &[String]| {
        let mut line: Vec<&str> = words.iter().map(String::as_str).collect();
        line.push("--help");
        let ran = elvask(folder.path(), &line);
        assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{words:?}");
        ran.out
    };
    let mut page = String::from(
        "# Commands\n\nThe help of every command, as `--help` prints it. The page is generated: `ELVASK_WRITE_PAGES=1 cargo test -p elvask --test all words::`.\n",
    );
    let mut left: Vec<Vec<String>> = vec![Vec::new()];
    let mut number = 0;
    while let Some(words) = left.pop() {
        let text = help(&words);
        let inner = listed(&text);
        let name = ["elvask"].into_iter().chain(words.iter().map(String::as_str)).collect::<Vec<_>>().join(" ");
        if inner.is_empty() && !matches!(name.as_str(), "elvask sheet schema" | "elvask sheet list") {
            assert!(text.contains("Examples:\n"), "{name} shows no example");
            assert!(text.contains(&format!("  {name}")), "{name} is no part of its examples");
        }
        page.push_str(&format!("\n## {name}\n\n```text\n{}\n```\n", text.trim_end()));
        for one in inner.into_iter().rev() {
            left.push(words.iter().cloned().chain([one]).collect());
        }
        number += 1;
    }
    assert!(number > 20, "{number} commands");
    keep("commands.md", &page);
}
