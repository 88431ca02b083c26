//! What the cells of a table say.

use crate::evidence::prose::Verdict;

/// Returns what a cell says about whether the thing of its row is required, in a column that says so of all; the cell may be empty.
pub(super) fn says_required(head: &str, cell: &str) -> Option<Option<Verdict>> {
    let says_so =
        head.contains("required") || head.contains("mandatory") || head.contains("needed") && !head.contains(' ');
    if !says_so {
        return None;
    }
    let text = cell.trim().to_lowercase();
    let no = ["no", "optional", "✗", "❌", "-", "–", "false", "✘", "❎"].iter().any(|word| text.starts_with(word));
    let verdict = if no { Verdict::Optional } else { Verdict::Needed };
    Some((!text.is_empty()).then_some(verdict))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_column_tells_whether_a_thing_is_required() {
        assert_eq!(says_required("required", " Yes "), Some(Some(Verdict::Needed)));
        assert_eq!(says_required("is it needed?", "no"), None, "a sentence is no heading of that kind");
        assert_eq!(says_required("mandatory", "Optional"), Some(Some(Verdict::Optional)));
        assert_eq!(says_required("needed", "  "), Some(None));
        assert_eq!(says_required("type", "no"), None);
    }
}
