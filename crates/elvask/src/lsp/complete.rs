//! What may be written at a place.

use std::collections::BTreeSet;
use std::path::Path;

use elvask_core::finding::Finding;
use serde_json::{Value, json};

use super::apps::Apps;
use super::context::{Document, Spot, around};
use super::words::{self, Offered};

/// The most words that are offered; the editor asks again as more is typed.
const MAX_OFFERED: usize = 400;

/// Returns what may be written at a position of an open document.
pub(super) fn at(apps: &mut Apps, path: &Path, position: &Value) -> Option<Value> {
    let units = apps.units;
    let open = apps.open.get(path)?;
    let offset = open.lines.offset(&open.text, position, units);
    let document = Document::of(path)?;
    let at = around(document, &open.text, offset)?;
    let typed = open.text.get(at.start..offset).unwrap_or_default().to_lowercase();
    let looked = apps.root_of(path).and_then(|root| apps.looked.get(&root));
    let mut offered = words::at(document, path, &at.spot, looked.map(|looked| &looked.app));
    // What a plugin needs and the app lacks comes first.
    let wanted = looked.map(|looked| wanted(&looked.report.findings)).unwrap_or_default();
    let fits = |one: &Offered| {
        let word = one.word.to_lowercase();
        typed.is_empty()
            || word.contains(&typed)
            || typed.split('.').next_back().is_some_and(|last| !last.is_empty() && word.contains(last))
    };
    offered.retain(fits);
    offered.sort_by_key(|one| !wanted.iter().any(|(name, _)| *name == one.word));
    let incomplete = offered.len() > MAX_OFFERED;
    offered.truncate(MAX_OFFERED);
    let range = json!({
        "start": open.lines.position(&open.text, at.start, units),
        "end": open.lines.position(&open.text, offset, units),
    });
    let items: Vec<Value> =
        offered.into_iter().enumerate().map(|(number, one)| item((number, one), (&at.spot, &wanted), &range)).collect();
    Some(json!({ "isIncomplete": incomplete, "items": items }))
}

/// Returns what is needed and lacking, with who needs it.
fn wanted(findings: &[Finding]) -> BTreeSet<(String, String)> {
    let lacking = findings.iter().filter(|finding| finding.counts() && !finding.needed_by.is_empty());
    lacking
        .map(|finding| {
            let who: Vec<&str> = finding.needed_by.iter().map(|needed| needed.plugin.as_str()).collect();
            (finding.subject.clone(), who.join(", "))
        })
        .collect()
}

/// The numbers by which the protocol names the kinds of words.
const PROPERTY: u8 = 10;
const VALUE: u8 = 12;
const CLASS: u8 = 7;

fn item(
    (number, one): (usize, Offered),
    (spot, wanted): (&Spot<'_>, &BTreeSet<(String, String)>),
    range: &Value,
) -> Value {
    let kind = match spot {
        Spot::Element { .. } => CLASS,
        Spot::Attribute { .. } | Spot::TomlKey { .. } | Spot::JsonKey { .. } => PROPERTY,
        Spot::Value { .. } | Spot::Text { .. } | Spot::TomlValue { .. } => VALUE,
    };
    let who = wanted.iter().find(|(name, _)| *name == one.word).map(|(_, who)| who);
    let detail = match who {
        Some(who) => format!("needed by {who}"),
        None => one.about.clone(),
    };
    let mut item = json!({
        "label": one.word,
        "kind": kind,
        "sortText": format!("{number:04}"),
        "filterText": one.word,
        "textEdit": { "range": range, "newText": one.word },
    });
    if !detail.is_empty() {
        item["detail"] = json!(detail);
    }
    if !one.more.is_empty() {
        item["documentation"] = json!(one.more);
    }
    item
}
