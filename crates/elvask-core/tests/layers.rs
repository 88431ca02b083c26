//! The layers of the code: no module of a crate imports one that imports it, however many lie between; and files stay short.

#![expect(clippy::disallowed_methods, reason = "the code that is looked at stands in files")]

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// The most lines of a file.
const MOST_LINES: usize = 600;

/// The most lines of a function, unless a comment says why.
const MOST_LINES_OF_A_FUNCTION: usize = 80;

/// Returns the Rust files below a folder.
fn files(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    let mut entries: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    entries.sort();
    for path in entries {
        if path.is_dir() {
            found.extend(files(&path));
        } else if path.extension().is_some_and(|extension| extension == "rs") {
            found.push(path);
        }
    }
    found
}

fn crates() -> Vec<PathBuf> {
    let all = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let mut found: Vec<_> = std::fs::read_dir(all).unwrap().map(|entry| entry.unwrap().path()).collect();
    found.retain(|path| path.join("src").is_dir());
    found.sort();
    assert!(found.len() >= 8, "{found:?}");
    found
}

/// Returns a file's text without the tests at its end.
fn code(path: &Path) -> String {
    let text = std::fs::read_to_string(path).unwrap();
    text.split("\n#[cfg(test)]\nmod ").next().unwrap_or_default().to_owned()
}

/// Returns the words that follow a start such as `crate::`, those in curly brackets too.
fn imported(text: &str, start: &str) -> BTreeSet<String> {
    let mut found = BTreeSet::new();
    for (at, _) in text.match_indices(start) {
        let rest = &text[at + start.len()..];
        let word = |text: &str| -> String {
            text.chars().take_while(|letter| letter.is_ascii_alphanumeric() || *letter == '_').collect()
        };
        let Some(group) = rest.strip_prefix('{') else {
            found.insert(word(rest));
            continue;
        };
        let (mut depth, mut first) = (1, true);
        for (at, letter) in group.char_indices() {
            if first && depth == 1 && letter.is_ascii_alphabetic() {
                found.insert(word(&group[at..]));
                first = false;
            }
            match letter {
                '{' => depth += 1,
                '}' => depth -= 1,
                ',' => first = true,
                _ => {}
            }
            if depth == 0 {
                break;
            }
        }
    }
    found
}

/// Returns the way from a module back to itself, where there is one.
fn circle(graph: &BTreeMap<String, BTreeSet<String>>) -> Option<Vec<String>> {
    fn walk(
        graph: &BTreeMap<String, BTreeSet<String>>,
        at: &str,
        way: &mut Vec<String>,
        done: &mut BTreeSet<String>,
    ) -> Option<Vec<String>> {
        if let Some(start) = way.iter().position(|known| known == at) {
            let mut found = way[start..].to_vec();
            found.push(at.to_owned());
            return Some(found);
        }
        if done.contains(at) {
            return None;
        }
        way.push(at.to_owned());
        for next in graph.get(at).into_iter().flatten() {
            if let Some(found) = walk(graph, next, way, done) {
                return Some(found);
            }
        }
        way.pop();
        done.insert(at.to_owned());
        None
    }
    let mut done = BTreeSet::new();
    graph.keys().find_map(|module| walk(graph, module, &mut Vec::new(), &mut done))
}

#[test]
fn no_module_imports_one_that_imports_it() {
    for folder in crates() {
        let source = folder.join("src");
        let mut graph: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for path in files(&source) {
            let inside = path.strip_prefix(&source).unwrap();
            let module = inside.iter().next().unwrap().to_string_lossy().trim_end_matches(".rs").to_owned();
            if !matches!(module.as_str(), "lib" | "main") {
                let imports = graph.entry(module).or_default();
                imports.extend(imported(&code(&path), "crate::"));
                // A file beside the crate's root has that as the module above it.
                if inside.iter().count() == 1 {
                    imports.extend(imported(&code(&path), "super::"));
                }
            }
        }
        let modules: BTreeSet<String> = graph.keys().cloned().collect();
        for (module, imports) in &mut graph {
            imports.retain(|other| other != module && modules.contains(other));
        }
        let found = circle(&graph);
        assert_eq!(found.map(|way| way.join(" -> ")), None, "{}", folder.display());
    }
}

#[test]
fn a_circle_is_found() {
    let graph = |edges: &[(&str, &str)]| {
        let mut graph: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (from, to) in edges {
            graph.entry((*from).to_owned()).or_default().insert((*to).to_owned());
        }
        graph
    };
    assert_eq!(circle(&graph(&[("a", "b"), ("b", "c"), ("a", "c")])), None);
    let found = circle(&graph(&[("a", "b"), ("b", "c"), ("c", "b")])).unwrap();
    assert_eq!(found, ["b", "c", "b"]);
    let read = imported("use crate::{a::B, c::{D, E}};\nuse crate::f::G; let x = crate::h::i();", "crate::");
    assert_eq!(read.into_iter().collect::<Vec<_>>(), ["a", "c", "f", "h"]);
}

/// Returns the functions of a text that are too long, with their line, counted from 1; those that say why they are left out.
fn long_functions(text: &str) -> Vec<(usize, usize)> {
    let lines: Vec<&str> = text.lines().collect();
    let is_function = |line: &str| {
        let line = line.trim_start();
        let line = line.strip_prefix("pub").map_or(line, |rest| rest.split_once(' ').map_or(rest, |(_, rest)| rest));
        line.strip_prefix("const ").unwrap_or(line).starts_with("fn ")
    };
    let mut found = Vec::new();
    for (start, line) in
        lines.iter().enumerate().filter(|(_, line)| is_function(line) && !line.trim_end().ends_with(';'))
    {
        let indent = &line[..line.len() - line.trim_start().len()];
        let end = format!("{indent}}}");
        let length = lines[start..].iter().position(|line| **line == end).map_or(1, |at| at + 1);
        let says_why = start > 0 && lines[start - 1].trim_start().starts_with("// In one piece: ");
        if length > MOST_LINES_OF_A_FUNCTION && !says_why {
            found.push((start + 1, length));
        }
    }
    found
}

#[test]
fn a_long_function_says_why() {
    for path in crates().iter().flat_map(|folder| files(&folder.join("src"))) {
        let text = code(&path);
        // Traits name functions that have no body.
        let long: Vec<_> = long_functions(&text)
            .into_iter()
            .filter(|(line, _)| {
                let signature: String = text.lines().skip(line - 1).take(12).collect();
                signature.find('{').unwrap_or(usize::MAX) < signature.find(';').unwrap_or(usize::MAX)
            })
            .collect();
        assert_eq!(long, [], "{}", path.display());
    }
    let long = format!("fn a() {{\n{}}}\n", "    b();\n".repeat(MOST_LINES_OF_A_FUNCTION));
    assert_eq!(long_functions(&long), [(1, MOST_LINES_OF_A_FUNCTION + 2)]);
    assert_eq!(long_functions(&format!("// In one piece: it is a list.\n{long}")), []);
}

#[test]
fn no_file_is_too_long_to_be_read_at_one_go() {
    let all = crates().into_iter().flat_map(|folder| {
        ["src", "tests", "benches"].into_iter().map(move |name| folder.join(name)).filter(|path| path.is_dir())
    });
    let lines = |path: &PathBuf| std::fs::read_to_string(path).unwrap().lines().count();
    let long: Vec<_> = all
        .flat_map(|folder| files(&folder))
        .map(|path| (lines(&path), path))
        .filter(|(lines, _)| *lines > MOST_LINES)
        .collect();
    assert!(long.is_empty(), "{long:?}");
}
