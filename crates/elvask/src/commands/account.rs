//! `elvask account`.

#[cfg(not(feature = "key-stores"))]
#[path = "account/no_request.rs"]
mod request;
#[cfg(feature = "key-stores")]
mod request;
mod serve;
mod service;
mod store;
mod token;

use std::fs::{self, OpenOptions};
use std::io::Write as _;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use elvask_core::account::ACCOUNT_FILE;
use elvask_core::app::{Choice, Look};
use elvask_core::check::{Report, check};
use elvask_core::finding::Level;
use elvask_core::needs::Settings;
use elvask_core::registered::{concerns, draft, held, steps};
use elvask_core::rules;
use elvask_record::{AccountRecord, FORMAT, FindingRecord, SummaryRecord};

use super::init::First;
use super::{Done, Outcome, choice, load_choosing, root_of, settings, typed};
use crate::options::Format;
use crate::options::account::{AccountAction, AccountCheck, AccountDraft};
use crate::output::{Failure, Output};
use crate::render::style::{GOOD, HEADING, paint};
use crate::render::{clean, compact, count, snippet, width, wrap};
use crate::web::ask_account;

pub(crate) fn run(action: &AccountAction, output: &Output) -> Done {
    match action {
        AccountAction::Check(options) => run_check(options, output),
        AccountAction::Request(options) => request::run(options, output),
        AccountAction::Draft(options) => run_draft(options, output),
        AccountAction::Serve(options) => serve::run(options, output),
    }
}

fn run_check(options: &AccountCheck, output: &Output) -> Done {
    // What packages need is not held against the accounts.
    let root = root_of(&options.app.choice)?;
    let fetched = match &options.from {
        Some(address) => {
            let token = token::given(options.token_file.as_deref())?.ok_or_else(|| {
                Failure::new(format!("{address}: it is asked with a token, and none is given"))
                    .hint(format!("--token-file FILE, or {} in the environment", token::VARIABLE))
            })?;
            Some(Arc::new(ask_account(address, &token, Duration::from_secs(options.timeout))?))
        }
        None => None,
    };
    let chosen = Choice { account: fetched, ..choice(&root, &options.app.choice, Look::Nowhere)? };
    let app = load_choosing(&root, &options.app.choice, chosen, output)?;
    if app.account().file.is_none() {
        let path = typed(&app.root.join(ACCOUNT_FILE));
        return Err(Failure::new(format!("{path}: there is no such file, so what is registered is not known"))
            .hint("`elvask account draft` writes it from what the app says, to be compared with the accounts"));
    }
    let mut report = check(&app, &Settings { accounts: true, ..settings(options.release) });
    report.findings.retain(|finding| concerns(&app, finding) || rules::is_obstacle(finding.rule.id));
    let steps = steps(&report.findings);
    let held = held(&app);
    if options.format() == Format::Json {
        let findings = report.findings.iter().filter(|finding| finding.counts());
        output.json(&AccountRecord {
            format: FORMAT,
            held: held.against.clone(),
            not_held: held.not.clone(),
            findings: findings.map(|finding| FindingRecord::of(&app.sources, finding)).collect(),
            steps,
            summary: SummaryRecord::of(&report),
        });
        return Ok(outcome(&report));
    }
    let counting: Vec<_> = report.findings.iter().filter(|finding| finding.counts()).collect();
    let listed = counting.iter().copied();
    let mut text: String = match (output.quiet, output.verbose) {
        (true, _) => listed.map(|finding| snippet::line(&app.sources, finding)).collect(),
        (_, true) => listed.map(|finding| format!("{}\n", snippet::finding(&app.sources, finding))).collect(),
        _ => compact::findings(&app.sources, listed),
    };
    if !steps.is_empty() && !output.quiet {
        text.push_str(&format!("{}\n", paint(HEADING, "What to do, in this order:")));
        for (at, step) in steps.iter().enumerate() {
            let body = wrap(&clean(step), width(), 5);
            text.push_str(&format!("{:>3}. {}", at + 1, body.trim_start()));
        }
        text.push('\n');
    }
    let verdict = match counting.len() {
        0 if held.against.is_empty() => "Nothing was held against the app.".to_owned(),
        0 => paint(GOOD, "The app agrees with all that was held against it."),
        _ => {
            let of = |level: Level, one: &str| Some(report.count(level)).filter(|n| *n > 0).map(|n| count(n, one));
            let all = [of(Level::Error, "error"), of(Level::Warning, "warning"), of(Level::Note, "note")];
            format!("{}.", all.into_iter().flatten().collect::<Vec<_>>().join(", "))
        }
    };
    text.push_str(&format!("{verdict}\n"));
    let list = |what: &str, all: &[String]| match all {
        [] => String::new(),
        all => wrap(&clean(&format!("{what} {}.", all.join(", "))), width(), 0),
    };
    text.push_str(&list(&format!("Held against, as {} states it:", app.account().name()), &held.against));
    text.push_str(&list("Not looked at:", &held.not));
    output.result(&text);
    Ok(outcome(&report))
}

fn outcome(report: &Report) -> Outcome {
    if report.obstacles().next().is_some() {
        Outcome::CouldNotRun
    } else if report.count(Level::Error) > 0 {
        Outcome::Found
    } else {
        Outcome::Clean
    }
}

fn run_draft(options: &AccountDraft, output: &Output) -> Done {
    let told = "It says what the app wants to be registered. Compare it with the accounts, and change what differs there; then `elvask account check`.";
    let first = First { name: ACCOUNT_FILE, command: "elvask account draft", text: &draft, told, look: Look::Nowhere };
    first.write(&options.app, options.dry_run, output)
}

/// Writes a file that is not there yet; a secret one can be read by its owner alone from the first moment on.
fn write_new_file(path: &Path, bytes: &[u8], secret: bool) -> Result<(), Failure> {
    let failed = |error: std::io::Error| Failure::new(format!("{}: {error}", typed(path)));
    if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        fs::create_dir_all(folder).map_err(failed)?;
    }
    let mut options = OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    if secret {
        std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    }
    #[cfg(not(unix))]
    let _ = secret;
    let mut file = options.open(path).map_err(failed)?;
    let written = file.write_all(bytes).and_then(|()| file.sync_all());
    written.map_err(|error| {
        // Half a key is none.
        let _ = fs::remove_file(path);
        failed(error)
    })
}
