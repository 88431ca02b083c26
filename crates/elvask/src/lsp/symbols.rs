//! What a document declares: its contents, and beside each declaration who needs it.

use std::path::Path;

use elvask_core::survey::Section;
use serde_json::{Value, json};

use super::SHOW_EVIDENCE;
use super::apps::Apps;
use super::complete::is_named;
use crate::render::clean;

/// The numbers by which the protocol names the kinds of symbols.
const NAMESPACE: u8 = 3;
const PROPERTY: u8 = 7;

/// The most plugins that a lens names.
const MAX_NAMED: usize = 3;

/// Returns the declarations of a document under the headings of the survey.
pub(super) fn of(apps: &mut Apps, path: &Path) -> Option<Value> {
    let (units, settings) = (apps.units, apps.settings().clone());
    let (looked, file) = apps.document(path)?;
    let listed: Vec<_> = looked
        .survey(&settings)
        .declarations
        .iter()
        .filter(|one| one.place.file == file)
        .map(|one| (one.section, one.name.clone(), one.value.clone().unwrap_or_default(), one.place))
        .collect();
    let mut out = Vec::new();
    for section in Section::ALL {
        let mut children = Vec::new();
        for (_, name, value, place) in listed.iter().filter(|(of, ..)| *of == section) {
            let range = looked.range(*place, units);
            let detail = clean(value.lines().next().unwrap_or_default()).into_owned();
            let name = if name.is_empty() { "(no name)".to_owned() } else { clean(name).into_owned() };
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

/// Returns who needs each declaration of a document, to be shown above it.
pub(super) fn lenses(apps: &mut Apps, path: &Path) -> Option<Value> {
    let (units, settings) = (apps.units, apps.settings().clone());
    let (looked, file) = apps.document(path)?;
    let listed: Vec<_> = looked
        .survey(&settings)
        .declarations
        .iter()
        .filter(|one| {
            one.place.file == file && is_named(one.kind) && one.ignored.is_none() && !one.needed_by.is_empty()
        })
        .map(|one| {
            let mut names: Vec<_> = one.needed_by.iter().map(|who| who.plugin.clone()).collect();
            names.dedup();
            let lines = one.needed_by.iter().map(|who| {
                let at = who.learnt.first().map(|line| format!(" ({}:{})", line.file, line.line)).unwrap_or_default();
                let reason = who.reason.as_deref().map(|reason| format!(": {reason}")).unwrap_or_default();
                format!("{}{reason}{at}", who.plugin)
            });
            (one.place, names, format!("{} is needed by\n{}", one.name, lines.collect::<Vec<_>>().join("\n")))
        })
        .collect();
    let mut out = Vec::new();
    for (place, names, lines) in listed {
        let more = names.len().saturating_sub(MAX_NAMED);
        let shown = names.get(..names.len().min(MAX_NAMED)).unwrap_or_default().join(", ");
        let rest = if more == 0 { String::new() } else { format!(" and {more} more") };
        let title = clean(&format!("needed by {shown}{rest}")).into_owned();
        let range = looked.range(place, units);
        let command = json!({ "title": title, "command": SHOW_EVIDENCE, "arguments": [clean(&lines)] });
        out.push(json!({ "range": range, "command": command }));
    }
    Some(Value::Array(out))
}
