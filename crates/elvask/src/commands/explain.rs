//! `elvask explain`.

use elvask_core::Platform;
use elvask_core::explain::{Answer, Topic, capability_lines, explain};
use elvask_core::finding::About;
use elvask_core::rules::RULES;
use elvask_platform::android::{PERMISSION_PREFIX, Permission};
use elvask_platform::capability::{Capability, capabilities};
use elvask_platform::glossary::{Symptom, WordKind};
use elvask_record::{
    CapabilityLineRecord, ExplainRecord, ExplainedRecord, FoundRecord, RuleLineRecord, SeenRecord, TopicLineRecord,
};

use super::{Done, Outcome};
use crate::options::{Explain, Format};
use crate::output::{Failure, Output};
use crate::render::style::{FAINT, HEADING, NOTE, paint};
use crate::render::{columns, fitted, width, wrap};

pub(crate) fn run(options: &Explain, output: &Output) -> Done {
    let question = options.topic.join(" ");
    let (text, record) = match question.as_str() {
        "rules" => rules(),
        "capabilities" => all_capabilities(),
        word => match explain(word) {
            Answer::Topic(topic, others) => {
                let record = ExplainedRecord::of(&topic, &others, capability_lines);
                (format!("{}{}", human(&topic), also(&others)), ExplainRecord::Topic(Box::new(record)))
            }
            Answer::Several(topics, seen) => {
                let record = FoundRecord {
                    topics: topics.iter().map(TopicLineRecord::of).collect(),
                    seen: seen
                        .iter()
                        .map(|one| SeenRecord { behind: one.behind, topics: one.topics.clone() })
                        .collect(),
                };
                (several(&topics, &seen), ExplainRecord::Found(record))
            }
            Answer::Nothing(near) => {
                let failure =
                    Failure::new(format!("{word}: nothing of that name, and nothing that is seen so, is known"));
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

// In one piece: an arm for each kind of thing.
fn human(topic: &Topic) -> String {
    match topic {
        Topic::Rule(about) => rule(about),
        Topic::Capability(capability) => {
            let mut out = head(capability.name, "capability");
            out.push_str(&wrap(&format!("{}. {}", capability.title, capability.meaning), width().min(100), 2));
            for platform in [Platform::Android, Platform::Ios] {
                let lines = capability_lines(*capability, platform);
                let nothing = vec!["nothing is declared for it".to_owned()];
                out.push_str(&list(platform.title(), if lines.is_empty() { &nothing } else { &lines }));
            }
            for platform in [Platform::Android, Platform::Ios] {
                let beside: Vec<_> = capability.beside().filter(|one| one.platform == platform).collect();
                if !beside.is_empty() {
                    out.push_str(&format!(
                        "\n{}\n",
                        paint(HEADING, &format!("Often beside it on {}", platform.title()))
                    ));
                }
                for one in beside {
                    out.push_str(&format!("  {} {}\n", one.kind, one.name));
                    out.push_str(&wrap(one.what_for, width().min(100), 4));
                }
            }
            out
        }
        Topic::Permission { known, changes, succession, companions, review, advice, capabilities } => {
            let mut out = permission(known, changes);
            out.push_str(&words(topic));
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
                let names: Vec<_> = companion
                    .one_of
                    .iter()
                    .map(|name| match name.strip_prefix("action:") {
                        Some(action) => format!("an activity for {action}"),
                        None => name.trim_start_matches(PERMISSION_PREFIX).to_owned(),
                    })
                    .collect();
                let flag = companion.unless_flag.map(|flag| format!(", or the flag {flag}")).unwrap_or_default();
                let head = format!("Wants {} beside it{flag}", names.join(" or "));
                out.push_str(&section(&head, companion.effect));
            }
            if let Some(review) = review {
                out.push_str(&section("Store", review));
            }
            if !advice.is_empty() {
                out.push_str(&section("Depending on what it is for", &advice.join("\n")));
            }
            out.push_str(&part_of(capabilities));
            out.push_str(&rest(topic));
            out
        }
        Topic::Usage { known, capabilities } => {
            let mut out = head(known.key, "purpose key of Info.plist");
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
            out.push_str(&rest(topic));
            out
        }
        Topic::Key(known) => {
            let mut out = head(known.key, WordKind::Key.title());
            out.push_str(&format!("  type: {}\n", known.value_type));
            out.push_str(&words(topic));
            let values: Vec<_> = known.values().map(str::to_owned).collect();
            out.push_str(&list("Values", &values));
            out.push_str(&rest(topic));
            out
        }
        Topic::Entitlement { known, capabilities } => {
            let mut out = head(known.key, WordKind::Entitlement.title());
            out.push_str(&format!("  type: {}\n", known.value_type));
            if !known.capability.is_empty() {
                out.push_str(&format!("  in the project editor: {}\n", known.capability));
            }
            match known.cost {
                "paid" => out.push_str("  wants a paid membership: a free account cannot sign it\n"),
                "approval" => out.push_str("  is granted on request, to a paid membership\n"),
                _ => {}
            }
            out.push_str(&words(topic));
            let values: Vec<_> = known.values().map(str::to_owned).collect();
            out.push_str(&list("Values", &values));
            out.push_str(&part_of(capabilities));
            out.push_str(&rest(topic));
            out
        }
        Topic::BackgroundMode(mode) => {
            let mut out = head(mode.value, WordKind::BackgroundMode.title());
            if !mode.title.is_empty() {
                out.push_str(&format!("  in the project editor: {}\n", mode.title));
            }
            out.push_str(&words(topic));
            let mut letters = mode.without.chars();
            let without = letters.next().map(|first| format!("{}{}.", first.to_uppercase(), letters.as_str()));
            out.push_str(&section("Without it", &without.unwrap_or_default()));
            out.push_str(&rest(topic));
            out
        }
        Topic::Word(word) => {
            let mut out = head(word.name, word.kind.title());
            if !word.since.is_empty() {
                out.push_str(&format!("  since level {}\n", word.since));
            }
            out.push_str(&words(topic));
            out.push_str(&rest(topic));
            out
        }
    }
}

fn head(name: &str, kind: &str) -> String {
    format!("{}  {}\n", paint(HEADING, name), paint(FAINT, kind))
}

fn permission(known: &Permission, changes: &[(&str, u32)]) -> String {
    let mut out = head(known.name, WordKind::Permission.title());
    let until = known.last_level.map(|level| format!(" up to level {level}")).unwrap_or_default();
    let group = known.group().map(|group| format!(", in the group {group}")).unwrap_or_default();
    let first = known.first_level;
    let since = if first <= 4 { "from the beginning".to_owned() } else { format!("since level {first}") };
    out.push_str(&format!("  there {since}{until}, granted {}{group}\n", known.grant().title()));
    out.push_str(&format!("  {}\n", paint(FAINT, &format!("protection: {}", known.protection))));
    if let [_, ..] = changes {
        let each: Vec<String> =
            changes.iter().map(|(protection, level)| format!("{protection} from {level}")).collect();
        let lines = wrap(&format!("by level: {}", each.join(", ")), width().min(100), 2);
        out.extend(lines.lines().map(|line| format!("{}\n", paint(FAINT, line))));
    }
    out
}

/// Returns what a thing is, in words.
fn words(topic: &Topic) -> String {
    topic.word().map(|word| section("What it is", word.what)).unwrap_or_default()
}

/// Returns what else is known of a thing in words: what comes of leaving it, an example, what belongs to it.
fn rest(topic: &Topic) -> String {
    let Some(word) = topic.word() else { return String::new() };
    let mut out = String::new();
    // What a key or mode is for says what comes of leaving it by itself.
    let told = matches!(topic, Topic::Usage { .. } | Topic::BackgroundMode(_));
    if !told && !word.without.is_empty() {
        out.push_str(&section("Without it", word.without));
    }
    if !word.example.is_empty() {
        out.push_str(&fragment("Example", word.example));
    }
    if !word.related.is_empty() {
        out.push_str(&section("See also", &word.related.join(", ")));
    }
    out
}

/// Names other things of the same name.
fn also(others: &[Topic]) -> String {
    let lines: Vec<String> = others
        .iter()
        .map(|other| {
            let last = other.name().rsplit('.').next().unwrap_or(other.name());
            format!("elvask explain {} {last}", other.kind())
        })
        .collect();
    list("Also of that name", &lines)
}

/// Lists things whose names have a word in them, and what may be behind what is seen.
fn several(topics: &[Topic], seen: &[Symptom]) -> String {
    let mut out = String::new();
    for symptom in seen {
        out.push_str(&wrap(symptom.behind, width().min(100), 0));
        let rows: Vec<_> = symptom
            .topics
            .iter()
            .map(|name| {
                let line = match explain(name) {
                    Answer::Topic(topic, _) => topic.line(),
                    _ => String::new(),
                };
                vec![format!("  {name}"), paint(FAINT, &line)]
            })
            .collect();
        out.push_str(&fitted(&rows, 0, 1));
        out.push('\n');
    }
    let rows: Vec<_> = topics
        .iter()
        .map(|topic| vec![topic.name().to_owned(), topic.kind().to_owned(), paint(FAINT, &topic.line())])
        .collect();
    out.push_str(&fitted(&rows, 0, 2));
    format!("{}\n", out.trim_end())
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
