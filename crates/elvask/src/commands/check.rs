//! `elvask check`.

use elvask_core::check::{Report, check};
use elvask_core::finding::Level;
use elvask_core::rules;

use super::{Done, Outcome, all_apps, load_at, none_is_found, root_of, settings, typed};
use crate::options::{Check, Deny};
use crate::output::Output;
use crate::report::Checked;

pub(crate) fn run(options: &Check, output: &Output) -> Done {
    let roots = if options.all { all_apps(&options.app)? } else { vec![root_of(&options.app)?] };
    let mut reporter = (options.format.reporter)();
    let mut worst = Outcome::Clean;
    for root in roots {
        let app = load_at(&root, &options.app, output)?;
        let mut report = check(&app, &settings(options.release));
        let path = options.all.then(|| typed(&root));
        if !options.all {
            let unknown = options.only.iter().filter(|word| rules::find(word).is_none());
            none_is_found(unknown, &report)?;
        }
        let all = report.findings.len();
        report.findings.retain(|finding| {
            let asked = options.only.is_empty() || finding.is_named_by(&options.only);
            // What cannot be read is told whatever is asked for.
            asked || rules::is_obstacle(finding.rule.id)
        });
        let left_out = all - report.findings.len();
        let checked = Checked { path: path.as_deref(), app: &app, report: &report, left_out, waived: options.waived };
        reporter.app(&checked, output);
        worst = worst.max(outcome(&report, options.deny));
    }
    reporter.end(output);
    Ok(worst)
}

/// Returns how a check ends: what cannot be read outweighs what is found.
pub(crate) fn outcome(report: &Report, deny: Deny) -> Outcome {
    let failing = match deny {
        Deny::Error => Level::Error,
        Deny::Warning => Level::Warning,
        Deny::Note => Level::Note,
    };
    if report.obstacles().next().is_some() {
        Outcome::CouldNotRun
    } else if report.findings.iter().any(|finding| finding.counts() && finding.level >= failing) {
        Outcome::Found
    } else {
        Outcome::Clean
    }
}
