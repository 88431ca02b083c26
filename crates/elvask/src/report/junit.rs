//! Reports in the form in which test runners report: a suite for each app, a case for each finding and for each rule that finds nothing.

use std::fmt::Write as _;

use elvask_core::finding::Finding;
use elvask_core::rules::{self, RULES};

use super::{Checked, Reporter, path_of};
use crate::output::Output;

/// One document, with a suite for each app.
#[derive(Default)]
pub(crate) struct Junit {
    suites: Vec<Suite>,
}

/// The cases of one app.
struct Suite {
    text: String,
    cases: usize,
    failures: usize,
    errors: usize,
    skipped: usize,
}

impl Reporter for Junit {
    fn app(&mut self, checked: &Checked<'_>, _: &Output) {
        self.suites.push(suite(checked));
    }

    fn end(&mut self, output: &Output) {
        let sum = |part: fn(&Suite) -> usize| self.suites.iter().map(part).sum::<usize>();
        let mut text = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
        let _ = writeln!(
            text,
            "<testsuites name=\"elvask\" tests=\"{}\" failures=\"{}\" errors=\"{}\" skipped=\"{}\">",
            sum(|one| one.cases),
            sum(|one| one.failures),
            sum(|one| one.errors),
            sum(|one| one.skipped)
        );
        self.suites.iter().for_each(|suite| text.push_str(&suite.text));
        text.push_str("</testsuites>\n");
        output.result(&text);
    }
}

fn suite(checked: &Checked<'_>) -> Suite {
    let mut suite = Suite { text: String::new(), cases: 0, failures: 0, errors: 0, skipped: 0 };
    let mut cases = String::new();
    for rule in RULES {
        let about = rule.about();
        let found: Vec<&Finding> = checked.report.findings.iter().filter(|one| one.rule.id == about.id).collect();
        if found.is_empty() {
            suite.cases += 1;
            // A rule about a side that nobody looked at has not passed.
            let side = |one: &&elvask_core::judged::Judged| Some(one.platform) == about.platform;
            let not = checked.report.judged.iter().find(side).and_then(|side| side.not.as_deref());
            let _ = write!(cases, "    <testcase classname=\"elvask\" name=\"{}\"", about.id);
            match (not, checked.left_out) {
                (Some(why), _) => {
                    suite.skipped += 1;
                    let _ = writeln!(cases, "><skipped message=\"not judged: {}\"/></testcase>", escaped(why));
                }
                // Of a rule that was not asked for nothing is known here.
                (None, left_out) if left_out > 0 => {
                    suite.skipped += 1;
                    cases.push_str("><skipped message=\"some findings are not shown\"/></testcase>\n");
                }
                (None, _) => cases.push_str("/>\n"),
            }
        }
        for finding in found {
            case(checked, finding, &mut suite, &mut cases);
        }
    }
    let name = checked.path.map_or_else(|| "elvask".to_owned(), |path| format!("elvask {path}"));
    let _ = writeln!(
        suite.text,
        "  <testsuite name=\"{}\" tests=\"{}\" failures=\"{}\" errors=\"{}\" skipped=\"{}\">",
        escaped(&name),
        suite.cases,
        suite.failures,
        suite.errors,
        suite.skipped
    );
    suite.text.push_str(&cases);
    suite.text.push_str("  </testsuite>\n");
    suite
}

fn case(checked: &Checked<'_>, finding: &Finding, suite: &mut Suite, cases: &mut String) {
    suite.cases += 1;
    let sources = &checked.app.sources;
    let at = sources.position(finding.place);
    let file = path_of(checked.prefix, &sources.file(finding.place.file).shown);
    let name = format!("{} at {file}:{}:{}", finding.subject, at.line, at.column);
    let _ = write!(
        cases,
        "    <testcase classname=\"elvask.{}\" name=\"{}\" file=\"{}\" line=\"{}\">",
        finding.rule.id,
        escaped(&name),
        escaped(&file),
        at.line
    );
    let body = format!(
        "{file}:{}:{}: {}: {}\nIf it stays: {}\nRemedy: {}",
        at.line,
        at.column,
        finding.level.id(),
        finding.message,
        finding.effect,
        finding.remedy.text()
    );
    let (message, body) = (escaped(&finding.message), escaped(&body));
    if let Some(reason) = &finding.waived {
        suite.skipped += 1;
        let _ = write!(cases, "<skipped message=\"accepted: {}\"/>", escaped(reason));
    } else if rules::is_obstacle(finding.rule.id) {
        suite.errors += 1;
        let _ = write!(cases, "<error message=\"{message}\" type=\"{}\">{body}</error>", finding.rule.id);
    } else if checked.fails(finding) {
        suite.failures += 1;
        let _ = write!(cases, "<failure message=\"{message}\" type=\"{}\">{body}</failure>", finding.level.id());
    } else {
        let _ = write!(cases, "<system-out>{body}</system-out>");
    }
    cases.push_str("</testcase>\n");
}

/// Writes a text so that it can stand in XML, in an attribute too. For what XML cannot hold at all a sign stands in.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\n' => out.push_str("&#10;"),
            letter if elvask_markup::text::is_hidden(letter) => out.push('\u{FFFD}'),
            letter => out.push(letter),
        }
    }
    out
}
