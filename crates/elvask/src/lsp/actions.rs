//! What mends a finding, as changes that an editor makes.

use std::path::Path;

use elvask_core::finding::Finding;
use elvask_core::{Edit, Span};
use elvask_needs::remedy::Remedy;
use elvask_project::source::{FileId, Place};
use serde_json::{Map, Value, json};

use super::apps::{Apps, Looked};
use super::tell::diagnostic;
use super::text::Units;
use crate::render::clean;

/// Returns the remedies of what is found on some lines of a document. Each changes all that it has to, in whatever files, or nothing.
pub(super) fn at(apps: &mut Apps, path: &Path, range: &Value, whole_changes: bool) -> Option<Value> {
    let units = apps.units;
    let versions: Vec<_> = apps.open.iter().map(|(path, open)| (path.clone(), open.version)).collect();
    let version = |path: &Path| versions.iter().find(|(open, _)| open == path).map(|(_, version)| *version);
    let (looked, file) = apps.document(path)?;
    let (first, last) = (range["start"]["line"].as_u64()?, range["end"]["line"].as_u64()?);
    let findings = looked.report.findings.clone();
    let mut out = Vec::new();
    for finding in findings.iter().filter(|finding| finding.counts() && finding.place.file == file) {
        let place = looked.range(finding.place, units);
        let line = place["start"]["line"].as_u64().unwrap_or_default();
        if line < first || line > last {
            continue;
        }
        let Remedy::Edit { title, edits, .. } = &finding.remedy else { continue };
        let Some(edit) = change(looked, edits, (units, whole_changes), &version) else { continue };
        out.push(json!({
            "title": titled(title, finding),
            "kind": "quickfix",
            "diagnostics": [diagnostic(looked, finding, units)],
            "edit": edit,
        }));
    }
    Some(Value::Array(out))
}

/// Returns what a remedy does, with what it is about where that is not said.
fn titled(title: &str, finding: &Finding) -> String {
    let last = finding.subject.rsplit('.').next().unwrap_or(&finding.subject);
    let text = if title.contains(last) { title.to_owned() } else { format!("{title} ({last})") };
    let mut letters = text.chars();
    let first = letters.next().map(|first| first.to_uppercase().to_string()).unwrap_or_default();
    clean(&format!("{first}{}", letters.as_str())).into_owned()
}

/// Returns the edits of a remedy; `None` where the editor cannot make all of them.
fn change(
    looked: &mut Looked,
    edits: &[(FileId, Vec<Edit>)],
    (units, whole_changes): (Units, bool),
    version: &dyn Fn(&Path) -> Option<i64>,
) -> Option<Value> {
    let mut documents = Vec::new();
    let mut plain = Map::new();
    for (file, edits) in edits {
        let (path, absent) = {
            let source = looked.app.sources.file(*file);
            (source.path.clone(), source.absent)
        };
        // Outside of the app nothing is changed without a word, as by `fill`.
        if absent && !whole_changes || !path.starts_with(&looked.app.root) {
            return None;
        }
        let mut changes = Vec::new();
        for edit in edits {
            let place = Place { file: *file, span: Span::new(edit.start, edit.end) };
            changes.push(json!({ "range": looked.range(place, units), "newText": edit.insert }));
        }
        let uri = looked.uri(&path);
        if absent {
            documents.push(json!({ "kind": "create", "uri": uri, "options": { "ignoreIfExists": true } }));
        }
        documents.push(json!({ "textDocument": { "uri": uri, "version": version(&path) }, "edits": changes }));
        plain.insert(uri, Value::Array(changes));
    }
    Some(if whole_changes { json!({ "documentChanges": documents }) } else { json!({ "changes": plain }) })
}
