//! What a document declares: its contents, and beside each declaration who needs it.

use std::path::Path;

use elvask_core::survey::{Declaration, Section};
use serde_json::{Value, json};

use super::SHOW_EVIDENCE;
use super::apps::{Apps, Looked};
use super::hover::is_named;
use crate::render::clean;

/// The numbers by which the protocol names the kinds of symbols.
const NAMESPACE: u8 = 3;
const PROPERTY: u8 = 7;

/// The most plugins that a lens names.
const MAX_NAMED: usize = 3;

/// Returns the declarations of a document under the headings of the survey.
pub(super) fn of(apps: &mut Apps, path: &Path) -> Option<Value> {
    let units = apps.units;
    let (looked, listed) = declared(apps, path)?;
    let mut out = Vec::new();
    for section in Section::ALL {
        let mut children = Vec::new();
        for one in listed.iter().filter(|one| one.section == section) {
            let range = looked.range(one.place, units);
            let value = one.value.as_deref().unwrap_or_default();
            let detail = clean(value.lines().next().unwrap_or_default()).into_owned();
            let name = if one.name.is_empty() { "(no name)".to_owned() } else { clean(&one.name).into_owned() };
            children.push(
                json!({ "name": name, "detail": detail, "kind": PROPERTY, "range": range, "selectionRange": range }),
            );
        }
        let (Some(first), Some(last)) = (children.first(), children.last()) else { continue };
        // A heading reaches from its first declaration to its last one, wherever they stand.
        let range = json!({ "start": first["range"]["start"], "end": last["range"]["end"] });
        let start = json!({ "start": first["range"]["start"], "end": first["range"]["start"] });
        out.push(json!({ "name": section.title(), "kind": NAMESPACE, "range": range, "selectionRange": start, "children": children }));
    }
    Some(Value::Array(out))
}

/// Returns the declarations of a document.
fn declared<'a>(apps: &'a mut Apps, path: &Path) -> Option<(&'a mut Looked, Vec<Declaration>)> {
    let settings = apps.settings().clone();
    let (looked, file) = apps.document(path)?;
    let all = looked.survey(&settings).declarations.iter().filter(|one| one.place.file == file).cloned().collect();
    Some((looked, all))
}

/// Returns who needs each declaration of a document, to be shown above it.
pub(super) fn lenses(apps: &mut Apps, path: &Path) -> Option<Value> {
    let units = apps.units;
    let (looked, listed) = declared(apps, path)?;
    let needed = |one: &&Declaration| is_named(one.kind) && one.ignored.is_none() && !one.needed_by.is_empty();
    let mut out = Vec::new();
    for one in listed.iter().filter(needed) {
        let mut names: Vec<&str> = one.needed_by.iter().map(|who| who.plugin.as_str()).collect();
        names.dedup();
        let lines = one.needed_by.iter().map(|who| {
            let at = who.learnt.first().map(|line| format!(" ({}:{})", line.file, line.line)).unwrap_or_default();
            let reason = who.reason.as_deref().map(|reason| format!(": {reason}")).unwrap_or_default();
            format!("{}{reason}{at}", who.plugin)
        });
        let lines = format!("{} is needed by\n{}", one.name, lines.collect::<Vec<_>>().join("\n"));
        let more = names.len().saturating_sub(MAX_NAMED);
        let shown = names.get(..names.len().min(MAX_NAMED)).unwrap_or_default().join(", ");
        let rest = if more == 0 { String::new() } else { format!(" and {more} more") };
        let title = clean(&format!("needed by {shown}{rest}")).into_owned();
        let command = json!({ "title": title, "command": SHOW_EVIDENCE, "arguments": [clean(&lines)] });
        out.push(json!({ "range": looked.range(one.place, units), "command": command }));
    }
    Some(Value::Array(out))
}
