//! All tests of the crate in one program: it is built and linked once, and they run side by side.

mod answers;
mod apps;
mod capabilities;
mod cases;
mod clean;
mod corpus;
mod discovery;
mod documents;
mod evidence;
mod explain;
mod fill_combinations;
mod fill_properties;
mod generated;
mod gradle;
mod hostile;
mod kinds;
mod layers;
mod layouts;
mod links;
mod merge;
mod rule_pages;
mod settles;
mod situations;
mod support;
mod survey;
mod xcode;

/// A file that is not named above would never run.
#[test]
#[expect(clippy::disallowed_methods, reason = "the tests stand in the project, not in an app")]
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
