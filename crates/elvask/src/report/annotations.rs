//! Reports as the lines by which a hosted build marks places in the files of a change.

use elvask_core::finding::Level;

use super::{Checked, Reporter, path_of};
use crate::output::Output;
use crate::render::{clean, count};

/// A line for each finding, and one for each side that was not judged.
#[derive(Default)]
pub(crate) struct Annotations;

impl Reporter for Annotations {
    fn app(&mut self, checked: &Checked<'_>, output: &Output) {
        let sources = &checked.app.sources;
        let mut text = String::new();
        for finding in checked.report.findings.iter().filter(|finding| finding.counts()) {
            let word = match finding.level {
                Level::Error => "error",
                Level::Warning => "warning",
                Level::Note => "notice",
            };
            let at = sources.position(finding.place);
            let file = path_of(checked.prefix, &sources.file(finding.place.file).shown);
            let body = format!("{}. {}\nRemedy: {}", finding.message, finding.effect, finding.remedy.text());
            text.push_str(&format!(
                "::{word} file={},line={},col={},title={}::{}\n",
                property(&file),
                at.line,
                at.column,
                property(finding.rule.id),
                data(&body)
            ));
        }
        for side in &checked.report.judged {
            if let Some(why) = &side.not {
                let title = format!("{}: not judged", side.platform.title());
                text.push_str(&format!("::warning title={}::{}\n", property(&title), data(why)));
            }
        }
        let report = checked.report;
        let of = checked.path.map_or_else(|| "elvask".to_owned(), |path| format!("elvask: {}", clean(path)));
        text.push_str(&format!(
            "{of}: {}, {}, {}\n",
            count(report.count(Level::Error), "error"),
            count(report.count(Level::Warning), "warning"),
            count(report.count(Level::Note), "note")
        ));
        output.result(&text);
    }

    fn end(&mut self, _: &Output) {}
}

/// Writes a text so that it ends neither its line nor what it is the text of.
fn data(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '%' => out.push_str("%25"),
            '\r' => out.push_str("%0D"),
            '\n' => out.push_str("%0A"),
            letter if elvask_markup::text::is_hidden(letter) => out.push('\u{FFFD}'),
            letter => out.push(letter),
        }
    }
    out
}

fn property(text: &str) -> String {
    data(text).replace(':', "%3A").replace(',', "%2C")
}

#[cfg(test)]
mod tests {
    use super::{data, property};

    #[test]
    fn nothing_gets_out_of_its_line() {
        assert_eq!(data("a\n::error::b%"), "a%0A::error::b%25");
        assert_eq!(property("a,b:c"), "a%2Cb%3Ac");
    }
}
