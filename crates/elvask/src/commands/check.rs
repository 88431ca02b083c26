//! `elvask check`.

use elvask_core::app::Look;
use elvask_core::check::{Report, check, check_once};
use elvask_core::finding::Level;
use elvask_core::rules::{self, RULES};
use elvask_platform::names::nearest;

use super::since::{Earlier, keep_new};
use super::{Done, Outcome, all_apps, built, load_at, none_is_found, root_of, settings, typed};
use crate::options::Check;
use crate::output::{Failure, Output};
use crate::report::{Checked, Failing, is_of, is_rule_or_family};
use crate::revision::last_tagged;

pub(crate) fn run(options: &Check, output: &Output) -> Done {
    let failing = failing(options)?;
    let earlier = options.since.as_deref().map(Earlier::of).transpose()?;
    let roots = match (&options.built, options.all) {
        // What was built says much without an app around it.
        (Some(_), _) => vec![root_of(&options.app).unwrap_or_default()],
        (None, true) => all_apps(&options.app)?,
        (None, false) => vec![root_of(&options.app)?],
    };
    let mut reporter = (options.format.reporter)();
    let mut worst = Outcome::Clean;
    for root in roots {
        let mut settings = settings(options.release);
        let app = match &options.built {
            Some(file) => {
                let built = built::open(file, &options.app, Look::WithoutSheet, output)?;
                settings.built = Some(built.sourced);
                built.app
            }
            None => load_at(&root, &options.app, output)?,
        };
        if let Some(day) = &options.on {
            settings.today = Some(day.clone());
        }
        if options.release {
            settings.last = match &options.last {
                Some(last) => Some(last.clone()),
                None => last_tagged(&root),
            };
        }
        // The program ends after the last one, and the system takes memory back at one stroke.
        let look = if options.all { check } else { check_once };
        let mut report = look(&app, &settings);
        let path = options.all.then(|| typed(&root));
        if !options.all {
            let unknown = options.only.iter().filter(|word| !is_rule_or_family(word));
            none_is_found(unknown, &report)?;
        }
        let all = report.findings.len();
        if let Some(earlier) = &earlier {
            keep_new(&app, &mut report, earlier.findings(&app.root, path.as_deref(), &options.app, &settings)?);
        }
        report.findings.retain(|finding| {
            let of_family = |word: &String| is_of(finding.rule.id, word);
            let asked =
                options.only.is_empty() || finding.is_named_by(&options.only) || options.only.iter().any(of_family);
            // What cannot be read is told whatever is asked for.
            asked || rules::is_obstacle(finding.rule.id)
        });
        let left_out = all - report.findings.len();
        let checked = Checked {
            path: path.as_deref(),
            prefix: &prefix(&typed(&root)),
            app: &app,
            report: &report,
            left_out,
            waived: options.waived,
            day: settings.today.as_deref(),
            failing: &failing,
        };
        reporter.app(&checked, output);
        worst = worst.max(outcome(&report, &failing));
        if !options.all {
            std::mem::forget((app, report));
        }
    }
    reporter.end(output);
    Ok(worst)
}

/// Returns a folder as the start of the paths in it.
fn prefix(typed: &str) -> String {
    let folder = typed.replace('\\', "/");
    if folder == "." { String::new() } else { format!("{}/", folder.trim_end_matches('/')) }
}

/// Reads what the command line says of which findings make the check fail.
fn failing(options: &Check) -> Result<Failing, Failure> {
    let mut failing = Failing { from: Level::Error, denied: Vec::new(), allowed: options.allow.clone() };
    let mut levels = Vec::new();
    for word in &options.deny {
        match [Level::Error, Level::Warning, Level::Note].into_iter().find(|level| level.id() == word) {
            Some(level) => levels.push(level),
            None => failing.denied.push(word.clone()),
        }
    }
    // Of several levels the lowest takes in the others.
    failing.from = levels.into_iter().min().unwrap_or(Level::Error);
    for (option, words) in [("--deny", &failing.denied), ("--allow", &failing.allowed)] {
        if let Some(word) = words.iter().find(|word| !is_rule_or_family(word)) {
            let what = if option == "--deny" { "a level, a rule or a family" } else { "a rule or a family" };
            let failure = Failure::new(format!("{option} {word}: this is not {what} of rules"));
            let known = RULES.iter().map(|rule| rule.about().id).chain(["error", "warning", "note"]);
            return Err(match nearest(word, known) {
                Some(meant) => failure.hint(format!("did you mean `{meant}`?")),
                None => failure.hint("`elvask explain rules` lists the rules; a family is what their names start with: permission, purpose, query"),
            });
        }
    }
    Ok(failing)
}

/// Returns how a check ends: what cannot be read outweighs what is found.
fn outcome(report: &Report, failing: &Failing) -> Outcome {
    if report.obstacles().next().is_some() {
        Outcome::CouldNotRun
    } else if report.findings.iter().any(|finding| failing.by(finding)) {
        Outcome::Found
    } else {
        Outcome::Clean
    }
}
