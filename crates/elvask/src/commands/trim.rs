//! `elvask trim`.

use elvask_core::app::{App, Look};
use elvask_core::check::{Report, check};
use elvask_core::context::Context;
use elvask_core::fill::fill_only;
use elvask_core::finding::{Edits, Finding};
use elvask_core::known::of_app;
use elvask_core::needs::{Requirement, Settings};
use elvask_core::rules::strip_permission;
use elvask_core::withdraw::tidy;
use elvask_needs::remedy::Remedy;
use elvask_project::surface::Surface;
use elvask_record::{BroughtRecord, FORMAT, FindingRecord, KnownRecord, LookedAtRecord, SummaryRecord, TrimRecord};

use super::apply::{Bounds, Write, changes, file_records, whole_diff, write, wrote};
use super::{Done, Outcome, load_with, settings};
use crate::options::{Format, Trim};
use crate::output::{Failure, Output};
use crate::render::style::{FAINT, HEADING, WARNING, paint};
use crate::render::{clean, count, snippet, width, wrap};

/// The id of the rule that looks for what is not needed.
const RULE: &str = "declared-unneeded";

/// Returns what was looked at for a need.
fn looked_at(app: &App) -> LookedAtRecord {
    let known = of_app(app);
    LookedAtRecord {
        sheets: known.iter().filter(|one| one.sheet.is_some()).count(),
        packages: known.iter().filter(|one| one.looked_into).count(),
        own_code: app.android.is_some() || app.ios.is_some(),
        unknown: known.iter().filter(|one| KnownRecord::of(one).is_blind()).map(|one| one.plugin.clone()).collect(),
    }
}

fn sentence(looked_at: &LookedAtRecord) -> String {
    let own = if looked_at.own_code { ", and the app's own native code" } else { "" };
    format!(
        "Looked at {}, the files of {}{own}.",
        count(looked_at.sheets, "sheet"),
        count(looked_at.packages, "package")
    )
}

// In one piece: the steps of the command, each of which may end it.
pub(crate) fn run(options: &Trim, output: &Output) -> Done {
    let app = load_with(&options.app.choice, Look::All, output)?;
    let settings = Settings { unneeded: true, ..settings(false) };
    let report = check(&app, &settings);
    let mut unread = report.obstacles().peekable();
    if unread.peek().is_some() {
        for obstacle in unread {
            output.say(snippet::finding(&app.sources, obstacle).trim_end());
        }
        output.say("Nothing is removed: what cannot be read must be corrected first.");
        return Ok(Outcome::CouldNotRun);
    }
    let mine = |finding: &Finding| finding.rule.id == RULE;
    let findings: Vec<Finding> = report.findings.iter().filter(|one| mine(one) && one.counts()).cloned().collect();
    let filled = fill_only(&app, &settings, mine).map_err(|error| Failure::new(error.to_string()))?;
    let surface = Surface::read(&app, &app.sources);
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let brought = brought_alone(&context);
    let (mut sources, mut changed) = (filled.sources, filled.changed);
    tidy(&app, &mut sources, &changed);
    if !options.strip.is_empty() {
        strip(&app, &settings, &options.strip, &mut sources, &mut changed)?;
    }
    let files = changes(&app, &sources, &changed)?;
    let wanted = if options.write { Write::Yes } else { Write::No };
    let written = write(&files, wanted, &Bounds::of(&app, &options.outside.consents), output)?;
    let looked_at = looked_at(&app);
    // What only a person can decide keeps no build from passing.
    let (by_hand, offered): (Vec<&Finding>, Vec<&Finding>) =
        findings.iter().partition(|one| matches!(one.remedy, Remedy::Manual(_)));
    let open = !written && (!offered.is_empty() || !files.is_empty());
    if options.app.format == Format::Json {
        let brought = brought.iter().map(|one| brought_record(&context, one)).collect();
        let summary = SummaryRecord::of(&Report {
            findings: report.findings.iter().filter(|one| mine(one)).cloned().collect(),
            ..Report::default()
        });
        let findings = findings.iter().map(|finding| FindingRecord::of(&app.sources, finding)).collect();
        output.json(&TrimRecord {
            format: FORMAT,
            written,
            findings,
            brought,
            looked_at,
            files: file_records(&files),
            summary,
        });
        return Ok(if open { Outcome::Found } else { Outcome::Clean });
    }
    let mut text = String::new();
    let absent = app.not_installed();
    if !absent.is_empty() {
        let names: Vec<_> = absent.iter().map(|(name, _)| name.as_str()).collect();
        text.push_str(&format!(
            "{} {}: what they need is not known. Install them, then trim.\n",
            paint(WARNING, "Nothing is offered while packages are not installed:"),
            clean(&names.join(", "))
        ));
    } else if findings.is_empty() {
        text.push_str("Everything that the app declares is needed by something that was looked at.\n");
    } else {
        let hidden =
            "Declared, and perhaps needed by code that cannot be looked into; remove by hand what you know is not:";
        for (title, listed) in [("Declared, and needed by nothing:", &offered), (hidden, &by_hand)] {
            if listed.is_empty() {
                continue;
            }
            if !text.is_empty() {
                text.push('\n');
            }
            text.push_str(&format!("{}\n", paint(HEADING, title)));
            for finding in listed {
                text.push_str(&format!("  {}", snippet::line(&app.sources, finding)));
            }
            let first = listed.first().map(|one| &one.remedy);
            if let Some(Remedy::Manual(steps)) = first.filter(|_| !output.quiet) {
                text.push_str(&wrap(&clean(steps), width().min(100), 4));
            }
        }
    }
    if !brought.is_empty() && !output.quiet {
        text.push_str(&format!(
            "\n{}\n",
            paint(HEADING, "Added by a plugin's manifest, with nothing in its code or notes that asks for it:")
        ));
        for one in &brought {
            let record = brought_record(&context, one);
            let place = format!("{}:{}", record.file, record.line);
            text.push_str(&clean(&format!("  {}  {}  ", record.name, record.plugin)));
            text.push_str(&format!("{}\n", paint(FAINT, &clean(&place))));
        }
        text.push_str(
            "  The app may strip one of these if it never uses that part: elvask trim --strip NAME --write\n",
        );
    }
    text.push_str(&format!("\n{}\n", sentence(&looked_at)));
    if !looked_at.unknown.is_empty() {
        let names = clean(&looked_at.unknown.join(", ")).into_owned();
        text.push_str(&format!(
            "{} nothing is known of {names}: what only they need looks unneeded.\n",
            paint(WARNING, "Careful:")
        ));
    }
    if written {
        text.push_str(&wrote(&files));
    } else if !files.is_empty() {
        text.push_str(&format!(
            "\n{}\nNothing is written. With --write it would be. What only you can know of, waive with a reason.\n",
            whole_diff(&files, output).trim_end()
        ));
    }
    output.result(&text);
    Ok(if open { Outcome::Found } else { Outcome::Clean })
}

/// Returns the permissions that plugins bring in and that nothing but their manifests speaks of.
fn brought_alone<'c>(context: &'c Context<'_>) -> Vec<&'c Requirement> {
    let merged = |one: &&Requirement| context.variants.iter().any(|variant| variant.permission(&one.name).is_some());
    context.needs.brought_alone().filter(merged).collect()
}

fn brought_record(context: &Context<'_>, one: &Requirement) -> BroughtRecord {
    let plugin = context.app.plugins().get(one.plugin).map(|plugin| plugin.name.clone()).unwrap_or_default();
    let first = one.citations(context.sources).into_iter().next();
    BroughtRecord {
        name: one.name.clone(),
        plugin,
        line: first.as_ref().map_or(1, |first| first.line),
        file: first.map(|first| first.file.clone()).unwrap_or_default(),
    }
}

/// Plans merge markers that take permissions out which only a plugin's manifest declares.
fn strip(
    app: &App,
    settings: &Settings,
    names: &[String],
    sources: &mut elvask_project::source::Sources,
    changed: &mut Vec<elvask_project::source::FileId>,
) -> Result<(), Failure> {
    for name in names {
        let surface = Surface::read(app, sources);
        let context = Context::new(app, sources, &surface, settings);
        let full = if name.contains('.') { name.clone() } else { format!("android.permission.{name}") };
        let (file, edits) = strip_permission(&context, &full).map_err(Failure::new)?;
        let mut all = Edits::default();
        let mut next = sources.clone();
        all.add(&[(file, edits)])
            .and_then(|()| all.apply(&mut next))
            .map_err(|error| Failure::new(error.to_string()))?;
        *sources = next;
        if !changed.contains(&file) {
            changed.push(file);
        }
    }
    Ok(())
}
