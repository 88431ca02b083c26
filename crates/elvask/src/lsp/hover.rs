//! What the word under the cursor is, and who needs it.

use std::path::Path;

use elvask_core::Kind;
use elvask_core::explain::{Answer, Topic, explain};
use elvask_core::survey::Declaration;
use elvask_project::source::FileId;
use serde_json::{Value, json};

use super::apps::{Apps, Looked};
use super::context::Document;
use crate::render::clean;

/// The most plugins and findings that are shown.
const MAX_SHOWN: usize = 8;

/// Returns what is known of the word at a position.
pub(super) fn at(apps: &mut Apps, path: &Path, position: &Value) -> Option<Value> {
    let (units, settings) = (apps.units, apps.settings().clone());
    let (looked, file) = apps.document(path)?;
    let offset = looked.offset(file, position, units);
    let word = word_at(&looked.app.sources.file(file).text, offset);
    let declared = declaration_at(looked, file, offset, &settings).cloned();
    let name = declared.as_ref().map_or_else(|| word.clone(), |one| one.name.clone());
    if name.is_empty() {
        return None;
    }
    let mut out = match explain(&name) {
        Answer::Topic(topic, _) => about(&topic),
        _ => match explain(&word) {
            Answer::Topic(topic, _) if Document::of(path).is_some() => about(&topic),
            _ => declared.as_ref().map(|one| format!("**{}**  {}\n", plain(&one.name), one.kind))?,
        },
    };
    if let Some(one) = &declared {
        // One empty line parts what it is from who needs it.
        out.truncate(out.trim_end().len());
        out.push_str("\n\n");
        out.push_str(&needed(one));
    }
    let findings = looked.report.findings.iter().filter(|finding| finding.counts() && finding.subject == name);
    for finding in findings.take(MAX_SHOWN) {
        out.push_str(&format!("\n- {}: {} `[{}]`", finding.level.id(), plain(&finding.message), finding.rule.id));
    }
    Some(json!({ "contents": { "kind": "markdown", "value": out.trim_end() } }))
}

/// Returns a text in which Markdown sees no marks.
fn plain(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for letter in clean(text).chars() {
        if matches!(letter, '*' | '_' | '`' | '[' | ']' | '<' | '>' | '\\' | '#' | '|' | '~') {
            out.push('\\');
        }
        out.push(letter);
    }
    out
}

fn about(topic: &Topic) -> String {
    let mut out = format!("**{}**  {}\n\n", plain(topic.name()), topic.kind());
    match topic {
        Topic::Permission { known, succession, companions, review, .. } => {
            let group = known.group().map(|group| format!(", in the group {}", plain(group))).unwrap_or_default();
            let until = known.last_level.map(|level| format!(" up to level {level}")).unwrap_or_default();
            out.push_str(&format!(
                "Granted {}{group}; there since level {}{until}.\n\n",
                known.grant().title(),
                known.first_level
            ));
            if let Some(succession) = succession {
                out.push_str(&format!("{}\n\n", plain(succession.effect)));
            }
            out.extend(companions.iter().map(|one| format!("{}\n\n", plain(one.effect))));
            out.extend(review.iter().map(|said| format!("Store: {}\n\n", plain(said))));
        }
        Topic::Usage { known, .. } => {
            out.push_str(&format!(
                "What people read before the app reaches: {}. Without it: {}\n\n",
                plain(known.opens),
                plain(known.without.effect())
            ));
        }
        Topic::Entitlement { known, .. } if !known.capability.is_empty() => {
            out.push_str(&format!("In the project editor: {}.\n\n", plain(known.capability)));
        }
        Topic::Rule(about) => {
            out.push_str(&format!("{}\n\nIf it stays: {}\n\n", plain(about.summary), plain(about.effect)));
        }
        Topic::Capability(capability) => out.push_str(&format!("{}\n\n", plain(capability.meaning))),
        _ => {}
    }
    if let Some(word) = topic.word() {
        out.push_str(&format!("{}\n\n", plain(word.what)));
        if !word.without.is_empty() {
            out.push_str(&format!("Without it: {}\n\n", plain(word.without)));
        }
    } else if matches!(topic, Topic::Key(_) | Topic::BackgroundMode(_)) {
        out.push_str(&format!("{}\n\n", plain(&topic.line())));
    }
    out
}

/// Says who needs a declaration, and how it is known.
fn needed(one: &Declaration) -> String {
    if one.needed_by.is_empty() {
        return String::new();
    }
    let mut out = "Needed by:\n".to_owned();
    for who in one.needed_by.iter().take(MAX_SHOWN) {
        let version = who.version.as_deref().map(|version| format!(" {}", plain(version))).unwrap_or_default();
        let reason = who.reason.as_deref().map(|reason| format!(": {}", plain(reason))).unwrap_or_default();
        let place =
            who.learnt.first().map(|line| format!(" ({}:{})", plain(&line.file), line.line)).unwrap_or_default();
        out.push_str(&format!("- {}{version}{reason}{place}\n", plain(&who.plugin)));
    }
    if one.needed_by.len() > MAX_SHOWN {
        out.push_str(&format!("- and {} more\n", one.needed_by.len() - MAX_SHOWN));
    }
    out
}

/// Returns the word around a byte of a text: a name with its dots and strokes.
pub(super) fn word_at(text: &str, offset: usize) -> String {
    let is_part = |letter: char| letter.is_alphanumeric() || matches!(letter, '.' | '_' | '-');
    let before = text.get(..offset).unwrap_or_default();
    let start =
        before.char_indices().rev().take_while(|(_, letter)| is_part(*letter)).last().map_or(offset, |(at, _)| at);
    let behind = text.get(offset..).unwrap_or_default();
    let end = offset + behind.find(|letter: char| !is_part(letter)).unwrap_or(behind.len());
    text.get(start..end).unwrap_or_default().trim_matches(['.', '-']).to_owned()
}

/// Says whether declarations of a kind have names that plugins ask for; levels and the app's own name are none.
pub(super) fn is_named(kind: &str) -> bool {
    Kind::parse(kind).is_some()
}

/// Returns the declaration that a byte of a document is part of: the one whose place covers it the closest, else one on its line whose name stands there.
pub(super) fn declaration_at<'l>(
    looked: &'l Looked,
    file: FileId,
    offset: usize,
    settings: &elvask_core::Settings,
) -> Option<&'l Declaration> {
    let survey = looked.survey(settings);
    let here = || survey.declarations.iter().filter(|one| one.place.file == file && is_named(one.kind));
    let covers = |one: &&Declaration| one.place.span.start <= offset && offset <= one.place.span.end;
    let closest = here().filter(covers).min_by_key(|one| one.place.span.end - one.place.span.start);
    let source = looked.app.sources.file(file);
    let word = word_at(&source.text, offset);
    let line = source.position(offset).line;
    let named = || {
        here().find(|one| {
            source.position(one.place.span.start).line == line && one.name.ends_with(&word) && !word.is_empty()
        })
    };
    // A value below its key belongs to the key.
    let above = || here().find(|one| source.position(one.place.span.start).line + 1 == line && one.kind == "usage");
    let anywhere = || here().find(|one| one.name == word);
    closest.or_else(named).or_else(above).or_else(anywhere)
}
