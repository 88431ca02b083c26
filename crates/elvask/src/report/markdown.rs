//! Reports in Markdown, for the summary of a build or the text of a change.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use elvask_core::finding::{Finding, Level};

use super::{Checked, Reporter, path_of};
use crate::output::Output;
use crate::render::count;

/// A section for each app.
#[derive(Default)]
pub(crate) struct Markdown {
    apps: usize,
}

impl Reporter for Markdown {
    fn app(&mut self, checked: &Checked<'_>, output: &Output) {
        let gap = if self.apps > 0 { "\n" } else { "" };
        output.result(&format!("{gap}{}", section(checked)));
        self.apps += 1;
    }

    fn end(&mut self, _: &Output) {}
}

fn section(checked: &Checked<'_>) -> String {
    let report = checked.report;
    let mut out = match checked.path {
        Some(path) => format!("## {}\n\n", text(path)),
        None => "## Declarations of the app\n\n".to_owned(),
    };
    let levels = [(Level::Error, "error"), (Level::Warning, "warning"), (Level::Note, "note")];
    let counts: Vec<String> = levels.iter().map(|(level, word)| count(report.count(*level), word)).collect();
    let _ = write!(out, "{}", counts.join(", "));
    if report.waived() > 0 {
        let _ = write!(out, ", {} waived", report.waived());
    }
    if checked.left_out > 0 {
        let _ = write!(out, ", {} not shown", checked.left_out);
    }
    out.push_str(".\n");
    for side in &report.judged {
        if let Some(why) = &side.not {
            let _ = writeln!(out, "\n{} is not judged: {}.", side.platform.title(), text(why));
        }
    }
    let listed: Vec<&Finding> = report.findings.iter().filter(|finding| finding.counts()).collect();
    if listed.is_empty() {
        return out;
    }
    out.push_str("\n| rule | level | found |\n| --- | --- | ---: |\n");
    let mut rules: BTreeMap<(std::cmp::Reverse<Level>, &str), usize> = BTreeMap::new();
    for finding in &listed {
        *rules.entry((std::cmp::Reverse(finding.level), finding.rule.id)).or_default() += 1;
    }
    for ((level, rule), number) in rules {
        let _ = writeln!(out, "| {rule} | {} | {number} |", level.0.id());
    }
    let sources = &checked.app.sources;
    for (level, word) in levels {
        let of_level: Vec<_> = listed.iter().filter(|finding| finding.level == level).collect();
        if of_level.is_empty() {
            continue;
        }
        let _ = writeln!(out, "\n### {}\n", count(of_level.len(), word));
        for finding in of_level {
            let at = sources.position(finding.place);
            let file = path_of(checked.prefix, &sources.file(finding.place.file).shown);
            let _ = writeln!(
                out,
                "- `{}:{}` **{}** {}. {}",
                code(&file),
                at.line,
                finding.rule.id,
                text(&finding.message),
                text(&finding.effect)
            );
        }
    }
    out
}

/// Writes words so that Markdown takes none of them for its own.
fn text(words: &str) -> String {
    let mut out = String::with_capacity(words.len());
    for letter in words.chars() {
        match letter {
            '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|' | '~' | '!' => {
                out.push('\\');
                out.push(letter);
            }
            '&' => out.push_str("&amp;"),
            '\n' => out.push(' '),
            letter if elvask_markup::text::is_hidden(letter) => out.push('\u{FFFD}'),
            letter => out.push(letter),
        }
    }
    out
}

/// Writes a path between the signs of code, which know no escapes.
fn code(path: &str) -> String {
    path.replace(|letter| letter == '`' || elvask_markup::text::is_hidden(letter), "\u{FFFD}")
}

#[cfg(test)]
mod tests {
    use super::text;

    #[test]
    fn words_are_no_markup() {
        assert_eq!(text("`<queries>` & [a](b)"), "\\`\\<queries\\>\\` &amp; \\[a\\](b)");
    }
}
