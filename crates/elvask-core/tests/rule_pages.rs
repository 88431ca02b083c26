//! The pages about the rules are generated: `ELVASK_WRITE_PAGES=1 cargo test -p elvask-core --test all rule_pages::` writes them.

#![expect(clippy::disallowed_methods, reason = "the pages stand in the project, not in an app")]

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use elvask_core::rules::{RULES, page};

#[test]
fn the_pages_say_what_the_rules_say() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/rules");
    let mut pages: BTreeMap<String, String> =
        RULES.iter().map(|rule| (format!("{}.md", rule.about().id), page(rule.about()))).collect();
    let mut index = String::from("# Rules\n\n| rule | level | |\n|---|---|---|\n");
    for rule in RULES {
        let about = rule.about();
        index.push_str(&format!("| [{0}]({0}.md) | {1} | {2} |\n", about.id, about.level.id(), about.summary));
    }
    pages.insert("README.md".to_owned(), index);
    if std::env::var_os("ELVASK_WRITE_PAGES").is_some_and(|_| std::env::var_os("CI").is_none()) {
        fs::create_dir_all(&folder).unwrap();
        for (name, text) in &pages {
            fs::write(folder.join(name), text).unwrap();
        }
    }
    for (name, text) in &pages {
        let there = fs::read_to_string(folder.join(name)).unwrap_or_default();
        assert!(there == *text, "docs/rules/{name} is stale: see the top of this test");
    }
    let there: Vec<_> =
        fs::read_dir(&folder).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    let stray: Vec<_> = there.iter().filter(|name| !pages.contains_key(*name)).collect();
    assert!(stray.is_empty(), "no rule has these pages: {stray:?}");
}
