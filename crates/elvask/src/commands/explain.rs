//! `elvask explain`.

use elvask_core::Platform;
use elvask_core::explain::{Topic, capability_lines, topic};
use elvask_core::finding::About;
use elvask_core::rules::RULES;
use elvask_platform::android::PERMISSION_PREFIX;
use elvask_platform::capability::{Capability, capabilities};
use elvask_record::{CapabilityLineRecord, ExplainRecord, RuleLineRecord, TopicRecord};

use super::{Done, Outcome};
use crate::options::{Explain, Format};
use crate::output::{Failure, Output};
use crate::render::style::{FAINT, HEADING, NOTE, paint};
use crate::render::{columns, width, wrap};

pub(crate) fn run(options: &Explain, output: &Output) -> Done {
    let (text, record) = match options.topic.as_str() {
        "rules" => rules(),
        "capabilities" => all_capabilities(),
        word => match topic(word) {
            Ok(topic) => (human(&topic), ExplainRecord::Topic(Box::new(TopicRecord::of(&topic, capability_lines)))),
            Err(near) => {
                let failure = Failure::new(format!("{word}: no rule, permission, key or capability of that name"));
                return Err(match near {
                    Some(near) => failure.hint(format!("did you mean `elvask explain {near}`?")),
                    None => failure.hint("`elvask explain rules` and `elvask explain capabilities` list what there is"),
                });
            }
        },
    };
    match options.format {
        Format::Human => output.result(&text),
        Format::Json => output.json(&record),
    }
    Ok(Outcome::Clean)
}

fn rules() -> (String, ExplainRecord) {
    let abouts = || RULES.iter().map(|rule| rule.about());
    let rows: Vec<_> = abouts()
        .map(|about| vec![about.id.to_owned(), about.level.id().to_owned(), paint(FAINT, about.summary)])
        .collect();
    (columns(&rows, 0), ExplainRecord::Rules(abouts().map(RuleLineRecord::of).collect()))
}

fn all_capabilities() -> (String, ExplainRecord) {
    let rows: Vec<_> = capabilities().map(|one| vec![one.name.to_owned(), one.title.to_owned()]).collect();
    let line = |one: Capability| CapabilityLineRecord { capability: one.name, title: one.title };
    (columns(&rows, 0), ExplainRecord::Capabilities(capabilities().map(line).collect()))
}

fn section(title: &str, body: &str) -> String {
    format!("\n{}\n{}", paint(HEADING, title), wrap(body, width().min(100), 2))
}

fn fragment(title: &str, lines: &str) -> String {
    let body: String = lines.lines().map(|line| format!("  {}\n", paint(NOTE, line))).collect();
    format!("\n{}\n{body}", paint(HEADING, title))
}

fn list(title: &str, lines: &[String]) -> String {
    let body: String = lines.iter().map(|line| format!("  {line}\n")).collect();
    if lines.is_empty() { String::new() } else { format!("\n{}\n{body}", paint(HEADING, title)) }
}

fn human(topic: &Topic) -> String {
    match topic {
        Topic::Rule(about) => rule(about),
        Topic::Capability(capability) => {
            let mut out = format!("{}  {}\n", paint(HEADING, capability.name), paint(FAINT, "capability"));
            out.push_str(&wrap(&format!("{}. {}", capability.title, capability.meaning), width().min(100), 2));
            for platform in [Platform::Android, Platform::Ios] {
                let lines = capability_lines(*capability, platform);
                let nothing = vec!["nothing is declared for it".to_owned()];
                out.push_str(&list(platform.title(), if lines.is_empty() { &nothing } else { &lines }));
            }
            out
        }
        Topic::Permission { known, succession, companions, review, capabilities } => {
            let mut out = format!("{}  {}\n", paint(HEADING, known.name), paint(FAINT, "Android permission"));
            let until = known.last_level.map(|level| format!(" up to level {level}")).unwrap_or_default();
            let group = known.group().map(|group| format!(", in the group {group}")).unwrap_or_default();
            let first = known.first_level;
            let since = if first <= 4 { "from the beginning".to_owned() } else { format!("since level {first}") };
            out.push_str(&format!("  there {since}{until}, granted {}{group}\n", known.grant().title()));
            out.push_str(&format!("  {}\n", paint(FAINT, &format!("protection: {}", known.protection))));
            if let Some(succession) = succession {
                let next: Vec<_> =
                    succession.successors.iter().map(|name| name.trim_start_matches(PERMISSION_PREFIX)).collect();
                let next = if next.is_empty() { String::new() } else { format!(" In its place: {}.", next.join(", ")) };
                let body = format!(
                    "{} Declare it with maxSdkVersion {} where the app targets level {} or above.{next}",
                    succession.effect, succession.cap, succession.target_from
                );
                out.push_str(&section("Superseded", &body));
            }
            for companion in companions {
                let names: Vec<_> =
                    companion.one_of.iter().map(|name| name.trim_start_matches(PERMISSION_PREFIX)).collect();
                let flag = companion.unless_flag.map(|flag| format!(", or the flag {flag}")).unwrap_or_default();
                let head = format!("Wants {} beside it{flag}", names.join(" or "));
                out.push_str(&section(&head, companion.effect));
            }
            if let Some(review) = review {
                out.push_str(&section("Store", review));
            }
            out.push_str(&part_of(capabilities));
            out
        }
        Topic::Usage { known, capabilities } => {
            let mut out = format!("{}  {}\n", paint(HEADING, known.key), paint(FAINT, "purpose key of Info.plist"));
            out.push_str(&format!("  opens: {}\n", known.opens));
            if !known.is_for_ios() {
                out.push_str(&format!("  read on {} only\n", known.platform));
            }
            if let Some(until) = known.until {
                out.push_str(&format!(
                    "  read on systems before {until}; from there on {}\n",
                    known.replaced_by.join(" or ")
                ));
            }
            out.push_str(&section(
                "Without it",
                &format!("{} The store rejects the upload (code 90683).", known.without.effect()),
            ));
            out.push_str(&part_of(capabilities));
            out
        }
        Topic::Key(known) => {
            let mut out = format!(
                "{}  {}\n  type: {}\n",
                paint(HEADING, known.key),
                paint(FAINT, "key of Info.plist"),
                known.value_type
            );
            let values: Vec<_> = known.values().map(str::to_owned).collect();
            out.push_str(&list("Values", &values));
            out
        }
    }
}

fn part_of(capabilities: &[Capability]) -> String {
    let lines: Vec<_> = capabilities.iter().map(|one| format!("{}: {}", one.name, one.title)).collect();
    list("Part of these capabilities", &lines)
}

fn rule(about: &About) -> String {
    let platform = about.platform.map_or("Android and iOS", Platform::title);
    let mut out =
        format!("{}  {}\n", paint(HEADING, about.id), paint(FAINT, &format!("{}, {platform}", about.level.id())));
    out.push_str(&wrap(about.summary, width().min(100), 2));
    out.push_str(&section("If it stays", about.effect));
    out.push_str(&fragment("Wrong", about.wrong));
    out.push_str(&fragment("Right", about.right));
    out.push_str(&section("Remedy", about.remedy));
    out.push_str(&section("Source", about.source));
    out
}
