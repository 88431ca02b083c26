//! Build configuration files: `NAME = value`, conditions, includes.
//!
//! Source: "Adding a build configuration file to your project" in the platform's documentation.

use std::path::{Path, PathBuf};

use elvask_markup::Span;

use crate::files::normal;
use crate::loading::Loading;
use crate::source::Place;

/// The most files that one configuration may pull in.
const MAX_INCLUDES: usize = 100;

/// One assignment, with the conditions of its name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Assignment {
    pub(super) name: String,
    pub(super) conditions: Vec<(String, String)>,
    pub(super) value: String,
    pub(super) place: Place,
}

/// What a configuration file comes to with all that it includes.
#[derive(Debug, Clone, Default)]
pub(super) struct Configured {
    pub(super) assignments: Vec<Assignment>,
    /// Files that are included and are not there: what they would set is not known.
    pub(super) missing: Vec<(PathBuf, Place)>,
}

/// Reads a configuration file and what it includes, in the order in which assignments take effect.
pub(super) fn read(loading: &mut Loading<'_>, path: &Path) -> Configured {
    let mut configured = Configured::default();
    let mut seen = Vec::new();
    read_into(loading, path, &mut seen, &mut configured);
    configured
}

fn read_into(loading: &mut Loading<'_>, path: &Path, seen: &mut Vec<PathBuf>, out: &mut Configured) {
    let path = normal(path);
    if seen.contains(&path) || seen.len() >= MAX_INCLUDES {
        return;
    }
    seen.push(path.clone());
    let shown = loading.shown(&path);
    let Some((file, text)) = loading.read(&path, &shown) else { return };
    let folder = path.parent().unwrap_or(&path).to_owned();
    for line in lines(&text) {
        match line {
            Line::Include { target, optional, span } => {
                let included = normal(&folder.join(&target));
                if target.starts_with('/') || target.starts_with('<') || !loading.files.is_file(&included) {
                    if !optional {
                        out.missing.push((included, Place { file, span }));
                    }
                    continue;
                }
                read_into(loading, &included, seen, out);
            }
            Line::Assignment { name, conditions, value, span } => {
                out.assignments.push(Assignment { name, conditions, value, place: Place { file, span } });
            }
        }
    }
}

/// A line that means something.
#[derive(Debug, PartialEq, Eq)]
enum Line {
    Include { target: String, optional: bool, span: Span },
    Assignment { name: String, conditions: Vec<(String, String)>, value: String, span: Span },
}

fn lines(text: &str) -> Vec<Line> {
    let mut out = Vec::new();
    let mut start = 0;
    for raw in text.split_inclusive('\n') {
        let at = start;
        start += raw.len();
        // A comment starts at two slashes, even inside what looks like an address.
        let content = raw.split("//").next().unwrap_or_default().trim_end();
        let trimmed = content.trim_start_matches('\u{FEFF}').trim_start();
        let from = at + content.len() - trimmed.len();
        let span = Span::new(from, from + trimmed.len());
        if let Some(include) = trimmed.strip_prefix("#include") {
            let (optional, rest) = match include.strip_prefix('?') {
                Some(rest) => (true, rest),
                None => (false, include),
            };
            // The path may hold two slashes of its own: it is read from the line as it is written.
            let quoted = raw.split('"').nth(1).filter(|_| rest.trim_start().starts_with('"'));
            if let Some(target) = quoted {
                out.push(Line::Include { target: target.to_owned(), optional, span });
            }
            continue;
        }
        let Some((name, value)) = assignment(trimmed) else { continue };
        let (name, conditions) = split_name(name);
        if name.is_empty() || !name.chars().all(|character| character.is_ascii_alphanumeric() || character == '_') {
            continue;
        }
        let value = value.trim().trim_end_matches(';').trim_end().to_owned();
        out.push(Line::Assignment { name, conditions, value, span });
    }
    out
}

/// Splits at the `=` that is not part of a condition.
fn assignment(line: &str) -> Option<(&str, &str)> {
    let mut depth = 0usize;
    for (at, character) in line.char_indices() {
        match character {
            '[' => depth += 1,
            ']' => depth = depth.saturating_sub(1),
            '=' if depth == 0 => return Some((line.get(..at)?.trim(), line.get(at + 1..)?)),
            _ => {}
        }
    }
    None
}

/// Splits a name into itself and its conditions: `A[sdk=iphoneos*][arch=arm64]`, `A[sdk=iphoneos*,arch=arm64]`.
pub(super) fn split_name(name: &str) -> (String, Vec<(String, String)>) {
    let mut parts = name.split('[');
    let own = parts.next().unwrap_or_default().trim().to_owned();
    let conditions = parts.flat_map(|part| part.trim_end().trim_end_matches(']').split(','));
    let conditions = conditions
        .filter_map(|part| part.split_once('='))
        .map(|(key, value)| (key.trim().to_owned(), value.trim().to_owned()));
    (own, conditions.collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_told_apart() {
        let text = "// note\n#include \"Base.xcconfig\"\n#include? \"Own.xcconfig\"\nA = 1 // why\nB[sdk=iphoneos*][arch=arm64] = x = y;\n  C=\nnonsense\nURL = https://a.example\n";
        let found = lines(text);
        let assignment = |name: &str, conditions: &[(&str, &str)], value: &str| {
            found.iter().any(|line| match line {
                Line::Assignment { name: n, conditions: c, value: v, .. } => {
                    let c: Vec<_> = c.iter().map(|(key, value)| (key.as_str(), value.as_str())).collect();
                    n == name && c == conditions && v == value
                }
                Line::Include { .. } => false,
            })
        };
        assert!(assignment("A", &[], "1"));
        assert!(assignment("B", &[("sdk", "iphoneos*"), ("arch", "arm64")], "x = y"));
        assert!(assignment("C", &[], ""));
        assert!(assignment("URL", &[], "https:"), "two slashes start a comment, as the build sees it");
        let includes = found.iter().filter_map(|line| match line {
            Line::Include { target, optional, .. } => Some((target.as_str(), *optional)),
            Line::Assignment { .. } => None,
        });
        let includes: Vec<_> = includes.collect();
        assert_eq!(includes, [("Base.xcconfig", false), ("Own.xcconfig", true)]);
        assert_eq!(found.len(), 6);
    }
}
