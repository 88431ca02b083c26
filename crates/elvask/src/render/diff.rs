//! Unified diffs.

use similar::{ChangeTag, TextDiff};

use super::clean;
use super::style::{ADDED, HEADING, NOTICE, REMOVED, paint};

/// Returns the unified diff of one file, such as `git apply` and `patch -p1` take it.
pub(crate) fn unified(file: &str, before: &str, after: &str) -> String {
    TextDiff::from_lines(before, after)
        .unified_diff()
        .context_radius(3)
        .header(&format!("a/{file}"), &format!("b/{file}"))
        .to_string()
}

/// Returns the same in colour, with nothing in it that a terminal would act on.
pub(crate) fn painted(file: &str, before: &str, after: &str) -> String {
    let diff = TextDiff::from_lines(before, after);
    let mut out = String::new();
    out.push_str(&paint(HEADING, &format!("--- a/{}\n+++ b/{}", clean(file), clean(file))));
    out.push('\n');
    for hunk in diff.unified_diff().context_radius(3).iter_hunks() {
        out.push_str(&paint(NOTICE, &hunk.header().to_string()));
        out.push('\n');
        for change in hunk.iter_changes() {
            let (sign, style) = match change.tag() {
                ChangeTag::Delete => ('-', Some(REMOVED)),
                ChangeTag::Insert => ('+', Some(ADDED)),
                ChangeTag::Equal => (' ', None),
            };
            let value = change.value().trim_end_matches(['\n', '\r']);
            let line = format!("{sign}{}", clean(value));
            out.push_str(&style.map_or(line.clone(), |style| paint(style, &line)));
            out.push('\n');
            if change.missing_newline() {
                out.push_str("\\ No newline at end of file\n");
            }
        }
    }
    out
}
