//! What is found, as an editor shows it beside the text.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use elvask_core::finding::{Finding, Level};
use serde_json::{Value, json};

use super::apps::{Apps, Looked};
use super::text::Units;
use crate::render::clean;

/// The most findings of one file that are told.
const MAX_TOLD: usize = 1_000;

/// The most lines of evidence that a finding leads to.
const MAX_RELATED: usize = 4;

/// Returns what is to be told of the files of an app: of each in which something is found, and of each in which something was and is no more.
/// What was told already is not told again.
pub(super) fn of_app(apps: &mut Apps, root: &Path) -> Vec<Value> {
    let units = apps.units;
    let versions: BTreeMap<PathBuf, i64> = apps.open.iter().map(|(path, open)| (path.clone(), open.version)).collect();
    let Some(looked) = apps.looked.get_mut(root) else { return Vec::new() };
    let findings = std::mem::take(&mut looked.report.findings);
    let mut files: BTreeMap<PathBuf, Vec<Value>> = BTreeMap::new();
    for finding in findings.iter().filter(|finding| finding.counts()) {
        let path = looked.app.sources.file(finding.place.file).path.clone();
        let told = files.entry(path).or_default();
        if told.len() < MAX_TOLD {
            told.push(diagnostic(looked, finding, units));
        }
    }
    looked.report.findings = findings;
    // Of an open document it is told as well that nothing is found in this version of it.
    for path in looked.told.keys().chain(versions.keys().filter(|path| path.starts_with(root))) {
        files.entry(path.clone()).or_default();
    }
    let mut out = Vec::new();
    for (path, diagnostics) in files {
        let now = Value::Array(diagnostics);
        let empty = now.as_array().is_some_and(Vec::is_empty);
        let same = looked.told.get(&path) == Some(&now);
        if !same || versions.contains_key(&path) {
            let mut parameters = json!({ "uri": looked.uri(&path), "diagnostics": now });
            if let Some(version) = versions.get(&path) {
                parameters["version"] = json!(version);
            }
            out.push(parameters);
        }
        if empty {
            looked.told.remove(&path);
        } else {
            looked.told.insert(path, now);
        }
    }
    out
}

/// Returns a finding as the editor takes it.
pub(super) fn diagnostic(looked: &mut Looked, finding: &Finding, units: Units) -> Value {
    let severity = match finding.level {
        Level::Error => 1,
        Level::Warning => 2,
        Level::Note => 3,
    };
    let mut related = Vec::new();
    if let Some((place, label)) = &finding.related {
        related.push(json!({ "location": looked.location(*place, units), "message": clean(label) }));
    }
    for who in &finding.needed_by {
        let Some(citation) = who.learnt.first() else { continue };
        let reason = who.reason.as_deref().unwrap_or(&citation.quote);
        let message = clean(&format!("{} needs it: {reason}", who.plugin)).into_owned();
        related.push(json!({ "location": looked.line_of(&citation.file, citation.line), "message": message }));
    }
    related.truncate(MAX_RELATED);
    let unneeded = finding.rule.id == "declared-unneeded";
    json!({
        "range": looked.range(finding.place, units),
        "severity": severity,
        "code": finding.rule.id,
        "source": "elvask",
        "message": clean(&format!("{}\n{}", finding.message, finding.effect)),
        "relatedInformation": related,
        // Shown faint, as what is there for nothing.
        "tags": if unneeded { json!([1]) } else { json!([]) },
    })
}
