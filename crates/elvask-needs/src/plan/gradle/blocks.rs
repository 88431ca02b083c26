//! Blocks of Gradle scripts, and lines that are put into them.

use elvask_markup::gradle::{Language, Statement, parse};
use elvask_markup::xml::plan::{line_indent, newline_at};
use elvask_markup::{Edit, Span};

/// A block of a script.
pub(super) struct Block {
    /// Its name.
    pub(super) head: Span,
    /// The brackets with what is between them.
    brackets: Span,
    /// The white space before the lines in it.
    pub(super) inside: String,
}

/// Finds a block by its name and those of the blocks around it. One that only some builds run, as in `if (x) { … }`, is none.
pub(super) fn block_in(text: &str, shown: &str, path: &[&str]) -> Option<Block> {
    let statements = parse(text, Language::of_file(shown));
    let mut inside: &[Statement] = &statements;
    let mut found: Option<&Statement> = None;
    for name in path {
        let statement = inside.iter().find(|one| !one.conditional && one.block.is_some() && one.name() == *name)?;
        inside = statement.block.as_deref().unwrap_or_default();
        found = Some(statement);
    }
    let statement = found?;
    let brackets = statement.brackets?;
    let own = line_indent(text, statement.span.start);
    let first =
        inside.iter().find(|one| text.get(brackets.start..one.span.start).is_some_and(|gap| gap.contains('\n')));
    let inside = first.map_or_else(|| format!("{own}    "), |first| line_indent(text, first.span.start).to_owned());
    let head = Span::new(statement.span.start, statement.span.start + statement.last().len());
    Some(Block { head, brackets, inside })
}

/// Plans lines at the end of a block.
pub(super) fn insert(text: &str, block: &Block, lines: &[String]) -> Vec<Edit> {
    let close = block.brackets.end.saturating_sub(1);
    let break_ = newline_at(text, block.brackets.start);
    let line_start = text.get(..close).and_then(|before| before.rfind('\n')).map_or(0, |at| at + 1);
    let alone =
        line_start > block.brackets.start && text.get(line_start..close).is_some_and(|before| before.trim().is_empty());
    let new: String = lines.iter().map(|line| format!("{}{line}{break_}", block.inside)).collect();
    if alone {
        return vec![Edit::insert(line_start, new)];
    }
    // A block on one line is opened up.
    let own = line_indent(text, block.head.start);
    let within = Span::new(block.brackets.start + 1, close);
    let old = within.of(text).trim();
    let kept = if old.is_empty() { String::new() } else { format!("{}{old}{break_}", block.inside) };
    vec![Edit::replace(within, format!("{break_}{kept}{new}{own}"))]
}

/// Plans a line behind the last statement of a name at the top of a script; `None` where there is none.
pub(super) fn after_last(text: &str, shown: &str, name: &str, line: &str) -> Option<Edit> {
    let statements = parse(text, Language::of_file(shown));
    let last = statements.iter().rfind(|one| !one.conditional && one.block.is_none() && one.name() == name)?;
    let end = text.get(last.span.end..)?.find('\n').map_or(text.len(), |at| last.span.end + at + 1);
    let break_ = newline_at(text, last.span.start);
    let gap = if end == text.len() && !text.ends_with('\n') { break_ } else { "" };
    Some(Edit::insert(end, format!("{gap}{line}{break_}")))
}

/// Returns where the first block of a script goes: behind comments and imports at its top.
pub(super) fn top(text: &str) -> usize {
    let mut at = 0;
    let mut comment = false;
    let mut end = 0;
    for line in text.split_inclusive('\n') {
        let content = line.trim();
        at += line.len();
        comment |= content.starts_with("/*");
        let skipped = comment || content.starts_with("//") || content.starts_with("import ");
        comment &= !content.contains("*/");
        if skipped || content.is_empty() && end > 0 {
            end = at;
        } else {
            break;
        }
    }
    end
}

#[cfg(test)]
mod tests {
    use super::*;

    fn added(text: &str, shown: &str, path: &[&str], line: &str) -> Option<String> {
        let block = block_in(text, shown, path)?;
        let mut edits = elvask_markup::EditSet::new();
        edits.add(&insert(text, &block, &[line.to_owned()])).unwrap();
        Some(edits.apply(text).unwrap())
    }

    #[test]
    fn lines_go_into_the_block_that_is_meant() {
        let text = "dependencyResolutionManagement {\n    repositories {\n        google()\n        maven { // ours\n            url 'https://a.example'\n        }\n        if (local) { mavenLocal() }\n    }\n}\n";
        let path = ["dependencyResolutionManagement", "repositories"];
        assert_eq!(
            added(text, "settings.gradle", &path, "mavenCentral()").unwrap(),
            text.replace("mavenLocal() }\n", "mavenLocal() }\n        mavenCentral()\n")
        );
        let branch = "if (local) {\n    dependencies {\n    }\n}\ndependencies {\n}\n";
        assert_eq!(
            added(branch, "build.gradle", &["dependencies"], "api 'a:b:1'").unwrap(),
            format!("{}    api 'a:b:1'\n}}\n", branch.strip_suffix("}\n").unwrap())
        );
        assert!(added("if (x) { dependencies { } }\n", "build.gradle", &["dependencies"], "x").is_none());
    }

    #[test]
    fn a_block_on_one_line_is_opened_up() {
        assert_eq!(
            added("plugins { id 'a' }\n", "build.gradle", &["plugins"], "id 'b'").unwrap(),
            "plugins {\n    id 'a'\n    id 'b'\n}\n"
        );
        assert_eq!(
            added("plugins {}\n", "build.gradle", &["plugins"], "id 'b'").unwrap(),
            "plugins {\n    id 'b'\n}\n"
        );
    }
}
