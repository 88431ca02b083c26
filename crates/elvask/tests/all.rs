//! All tests of the crate in one program: it is built and linked once, and they run side by side.

mod accounts;
mod bad_input;
mod boundaries;
mod built;
mod compare;
mod demo;
mod flags;
mod identity;
mod interrupted;
mod json;
mod links;
mod lsp;
mod matrix;
mod output;
mod owner;
mod program;
mod prompts;
mod reach;
mod readme;
mod release;
mod report;
mod reports;
mod service;
mod shell;
mod support;
mod terminal;
mod variants;
mod watch;
mod weigh;
mod words;

/// A file that is not named above would never run.
#[test]
fn every_file_of_tests_is_part_of_the_program() {
    let text = include_str!("all.rs");
    for entry in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/tests")).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_str().unwrap();
        if path.extension().is_some_and(|extension| extension == "rs") && name != "all" {
            assert!(text.contains(&format!("\nmod {name};\n")), "{name}.rs is not named in all.rs");
        }
    }
}
