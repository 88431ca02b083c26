//! `elvask link audit`.

use std::time::Duration;

use elvask_core::finding::Level;
use elvask_link::association::looked_up_at;
use elvask_link::audit::{Audited, audit};
use elvask_record::AuditRecord;

use super::with_links;
use crate::commands::{Done, Outcome};
use crate::options::Format;
use crate::options::link::LinkAudit;
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, NOTE, WARNING, paint};
use crate::render::{clean, count, width, wrap};
use crate::web::{Net, Site};

pub(crate) fn run(options: &LinkAudit, output: &Output) -> Done {
    with_links(&options.app.choice, output, |app, _, links| {
        let timeout = Duration::from_secs(options.timeout);
        let site = match &options.site {
            Some(name) => Site::named(name, timeout)?,
            None => Site::Net(Net::at(None, timeout)?),
        };
        let mut asked: Vec<String> = links.hosts().iter().map(|host| looked_up_at(host).to_owned()).collect();
        asked.sort();
        asked.dedup();
        if asked.is_empty() {
            return Err(Failure::new("the app declares no links of the web, so there is no website to audit")
                .hint("elvask declare link https://marram.example/site/* declares some"));
        }
        site.prepare(&asked);
        let audit = audit(links, &app.config().links.routes, &site, &site.hosts());
        let number = |level: Level| {
            let checks =
                audit.files.iter().flat_map(|file| &file.checks).filter(|check| check.level == Some(level)).count();
            checks + audit.one_sided.iter().filter(|one| one.level == level).count()
        };
        let (errors, warnings) = (number(Level::Error), number(Level::Warning));
        let outcome = if errors == 0 { Outcome::Clean } else { Outcome::Found };
        if options.app.format == Format::Json {
            output.json(&AuditRecord::of(&audit, options.site.clone(), errors, warnings));
            return Ok(outcome);
        }
        let mut text = String::new();
        for file in &audit.files {
            text.push_str(&shown(file, output.quiet));
        }
        for one in &audit.one_sided {
            text.push_str(&format!(
                "{}  {}: {}\n",
                mark(Some(one.level)),
                paint(HEADING, &clean(&one.host)),
                clean(&one.message)
            ));
        }
        let sum = match (errors, warnings) {
            (0, 0) => "All links get through.".to_owned(),
            (errors, warnings) => format!("{}, {}.", count(errors, "error"), count(warnings, "warning")),
        };
        text.push_str(&format!("\n{}\n", paint(if errors == 0 { GOOD } else { ERROR }, &sum)));
        output.result(&text);
        Ok(outcome)
    })
}

fn mark(level: Option<Level>) -> String {
    match level {
        None => paint(GOOD, "     ok"),
        Some(Level::Note) => paint(NOTE, "   note"),
        Some(Level::Warning) => paint(WARNING, "warning"),
        Some(Level::Error) => paint(ERROR, "  error"),
    }
}

fn shown(file: &Audited, quiet: bool) -> String {
    if quiet && file.worst().is_none() {
        return String::new();
    }
    let mut text = format!("{} {}\n", paint(HEADING, &clean(&file.host)), paint(FAINT, &clean(&file.at)));
    for check in file.checks.iter().filter(|check| !quiet || check.level.is_some()) {
        let said = wrap(&clean(&format!("{}: {}", check.what, check.message)), width().min(120), 9);
        text.push_str(&format!("{}  {}", mark(check.level), said.trim_start()));
        if !check.remedy.is_empty() {
            text.push_str(&paint(FAINT, wrap(&clean(&check.remedy), width().min(120), 9).trim_end()));
            text.push('\n');
        }
    }
    text
}
