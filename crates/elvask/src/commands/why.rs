//! `elvask why`.

use elvask_core::Platform;
use elvask_core::app::{App, Look};
use elvask_core::check::check;
use elvask_core::context::Context;
use elvask_core::survey::survey;
use elvask_core::why::{Answer, Subject, subject, why};
use elvask_needs::reach::Reach;
use elvask_platform::capability::capabilities;
use elvask_platform::names::nearest;
use elvask_project::source::{Place, Sources};
use elvask_project::surface::Surface;
use elvask_record::{FORMAT, WhyAnswersRecord, WhyRecord};

use super::{Done, Outcome, load_with, settings};
use crate::options::{Format, Why};
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, NOTE, WARNING, paint};
use crate::render::{clean, snippet};

pub(crate) fn run(options: &Why, output: &Output) -> Done {
    let app = load_with(&options.app.choice, Look::All, output)?;
    let settings = settings(false);
    let surface = Surface::read(&app, &app.sources);
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let report = check(&app, &settings);
    let mut unread = report.obstacles().peekable();
    if unread.peek().is_some() {
        for obstacle in unread {
            output.say(snippet::finding(&app.sources, obstacle).trim_end());
        }
        return Ok(Outcome::CouldNotRun);
    }
    let subject = subject(&context, &options.subject);
    let answers = why(&context, &survey(&context), &report.findings, &subject);
    if options.app.format == Format::Json {
        let answers = answers.iter().map(|answer| WhyRecord::of(&app.sources, answer)).collect();
        output.json(&WhyAnswersRecord { format: FORMAT, subject: options.subject.clone(), answers });
        return Ok(Outcome::Clean);
    }
    if answers.is_empty() {
        return nothing(&app, &context, &options.subject, &subject, output);
    }
    let mut text = String::new();
    if let Subject::Capability(capability) = subject {
        text.push_str(&format!("{}: {}\n\n", paint(HEADING, capability.title), capability.meaning));
    }
    for answer in &answers {
        text.push_str(&human(&app.sources, answer));
    }
    output.result(&text);
    Ok(Outcome::Clean)
}

/// Says that nobody needs it and nothing declares it, with the nearest name that somebody does.
fn nothing(app: &App, context: &Context<'_>, word: &str, subject: &Subject, output: &Output) -> Done {
    match subject {
        Subject::Plugin(at) => {
            let plugin = app.plugins().get(*at);
            let what = match plugin {
                Some(plugin) if plugin.sheet.is_some() => "its sheet requires nothing of this app",
                Some(plugin) if plugin.evidence.is_some() => {
                    "it has no sheet, and its own files show nothing that it requires of this app"
                }
                _ => "it has no sheet, and its files are not here, so nothing is known of what it requires",
            };
            output.result(&format!("{}: {what}\n", clean(word)));
            Ok(Outcome::Clean)
        }
        Subject::Capability(capability) => {
            output.result(&format!(
                "{}: no plugin of this app needs it, and nothing of it is declared\n",
                capability.title
            ));
            Ok(Outcome::Clean)
        }
        Subject::Name(_) => {
            let names = context.needs.all().iter().map(|one| one.name.rsplit(['.', ' ']).next().unwrap_or(&one.name));
            let names = names
                .chain(capabilities().map(|known| known.name))
                .chain(app.plugins().iter().map(|plugin| plugin.name.as_str()));
            let failure =
                Failure::new(format!("{word}: no plugin of this app needs such a thing, and nothing declares it"));
            Err(match nearest(word, names) {
                Some(meant) => failure.hint(format!("did you mean `elvask why {meant}`?")),
                None => failure,
            })
        }
    }
}

fn human(sources: &Sources, answer: &Answer) -> String {
    let detail = answer.detail.as_deref().map(|detail| format!(" {}", clean(detail))).unwrap_or_default();
    let kind = paint(FAINT, &format!("{} {}", answer.platform.title(), answer.kind));
    let mut out = format!("{}{detail}  {kind}\n", paint(HEADING, &clean(&answer.name)));
    if answer.needed_by.is_empty() {
        out.push_str("  no plugin needs it\n");
    }
    for (needed, strength, unreached) in &answer.needed_by {
        let version = needed.version.as_deref().map(|version| format!(" {version}")).unwrap_or_default();
        let through = needed.capability.map(|name| format!(", as part of `{name}`")).unwrap_or_default();
        let sure = match strength {
            _ if needed.brought => "brings it in",
            _ if needed.reached.reach == Reach::Out => "could need it but is not part of the app",
            _ if *unreached => "could need it",
            elvask_platform::Strength::Certain => "needs it",
            elvask_platform::Strength::Likely => "probably needs it",
            elvask_platform::Strength::Optional => "has a use for it",
        };
        out.push_str(&clean(&format!("  {}{version} {sure}{through}", needed.plugin)));
        if let Some(reason) = &needed.reason {
            out.push_str(&clean(&format!(": {reason}")));
        }
        out.push('\n');
        if !needed.reached.because.is_empty() {
            out.push_str(&clean(&format!("    {}: {}\n", needed.reached.reach.id(), needed.reached.because)));
        }
        for citation in &needed.learnt {
            let at = format!("{}:{}:{}", citation.file, citation.line, citation.column);
            out.push_str(&clean(&format!("    learnt from {}, {at}\n", citation.kind.title())));
            out.push_str(&format!("      {}\n", paint(NOTE, &clean(&citation.quote))));
        }
        if let Some(reference) = &needed.reference {
            out.push_str(&format!("    its notes: {}\n", clean(reference)));
        }
    }
    if answer.declared.is_empty() {
        out.push_str(&format!("  {}\n", paint(ERROR, "not declared")));
    }
    for declared in &answer.declared {
        let (word, style) = match declared.ignored {
            Some(_) => ("declared, but ignored:", WARNING),
            None => ("declared", GOOD),
        };
        out.push_str(&format!("  {} {}\n", paint(style, word), place(sources, declared.place)));
        out.push_str(&format!("      {}\n", clean(&element_at(sources, declared.place))));
        if let Some(value) = declared.value.as_deref().filter(|_| answer.platform == Platform::Ios) {
            let shown = if value.trim().is_empty() { "(empty)".to_owned() } else { format!("\"{value}\"") };
            out.push_str(&format!("      {}\n", clean(&shown)));
        }
        if let Some(grant) = declared.grant.filter(|_| declared.ignored.is_none()) {
            out.push_str(&format!("    granted {}\n", grant.title()));
        }
    }
    for finding in answer.findings.iter().filter(|finding| finding.counts()) {
        out.push_str(&format!("  {} {}\n", paint(FAINT, &format!("[{}]", finding.rule.id)), clean(&finding.message)));
    }
    out.push('\n');
    out
}

fn place(sources: &Sources, place: Place) -> String {
    let at = sources.position(place);
    clean(&format!("{}:{}:{}", sources.file(place.file).shown, at.line, at.column)).into_owned()
}

/// Returns what starts at a place, on one line: an entry of `<queries>` whole, else the tag or the rest of the line.
fn element_at(sources: &Sources, place: Place) -> String {
    let text = &sources.file(place.file).text;
    let rest = text.get(place.span.start..).unwrap_or_default();
    let end = ["<intent-filter", "<intent"].into_iter().find(|tag| rest.starts_with(tag)).and_then(|tag| {
        let close = format!("</{}>", tag.trim_start_matches('<'));
        rest.find(&close).map(|at| at + close.len())
    });
    let line = rest.find(['\r', '\n']).unwrap_or(rest.len());
    let tag = rest.find('>').map_or(line, |at| at + 1);
    let whole = rest.get(..end.unwrap_or(line.max(tag))).unwrap_or_default();
    whole.split_whitespace().collect::<Vec<_>>().join(" ")
}
