//! Reports in the exchange format of static analysis: "Static Analysis Results Interchange Format (SARIF) Version 2.1.0".

use elvask_core::finding::{Finding, Level};
use elvask_core::rules::{self, RULES};
use elvask_needs::remedy::Remedy;
use elvask_project::source::{Place, Sources};
use serde_json::{Map, Value, json};

use super::{Checked, Reporter, path_of};
use crate::output::Output;

/// One document, with a run for each app.
#[derive(Default)]
pub(crate) struct Sarif {
    runs: Vec<Value>,
}

impl Reporter for Sarif {
    fn app(&mut self, checked: &Checked<'_>, _: &Output) {
        self.runs.push(run(checked));
    }

    fn end(&mut self, output: &Output) {
        output.json(&json!({ "version": "2.1.0", "runs": self.runs }));
    }
}

fn run(checked: &Checked<'_>) -> Value {
    let sources = &checked.app.sources;
    // Those that are accepted stand in it too, marked: that is what the format has marks for.
    let results: Vec<Value> = checked.report.findings.iter().map(|finding| result(checked, sources, finding)).collect();
    let mut run = json!({
        "tool": { "driver": {
            "name": "Elvask",
            "version": env!("CARGO_PKG_VERSION"),
            "rules": RULES.iter().map(|rule| descriptor(rule.about())).collect::<Vec<_>>(),
        } },
        "columnKind": "unicodeCodePoints",
        "results": results,
    });
    if let (Some(path), Some(object)) = (checked.path, run.as_object_mut()) {
        object.insert("automationDetails".to_owned(), json!({ "id": format!("elvask/{path}") }));
    }
    // What was not looked at is said, as no result would be taken for health.
    let not: Vec<Value> = checked
        .report
        .judged
        .iter()
        .filter_map(|side| Some((side.platform, side.not.as_ref()?)))
        .map(|(platform, why)| {
            json!({ "level": "warning", "message": { "text": format!("{}: not judged ({why})", platform.title()) } })
        })
        .collect();
    let could_run = checked.report.obstacles().next().is_none();
    let invocation = json!({ "executionSuccessful": could_run, "toolExecutionNotifications": not });
    if let Some(object) = run.as_object_mut() {
        object.insert("invocations".to_owned(), json!([invocation]));
    }
    run
}

fn descriptor(about: &elvask_core::finding::About) -> Value {
    json!({
        "id": about.id,
        "shortDescription": { "text": about.summary },
        "fullDescription": { "text": format!("{} {}", about.summary, about.effect) },
        "help": { "text": format!("{} {}", about.effect, about.remedy), "markdown": rules::page(about) },
        "defaultConfiguration": { "level": about.level.id() },
    })
}

fn result(checked: &Checked<'_>, sources: &Sources, finding: &Finding) -> Value {
    let index = RULES.iter().position(|rule| rule.about().id == finding.rule.id).unwrap_or_default();
    let mut result = json!({
        "ruleId": finding.rule.id,
        "ruleIndex": index,
        "level": level(finding.level),
        "message": { "text": sentence(finding) },
        "locations": [{ "physicalLocation": location(checked, sources, finding.place) }],
        "partialFingerprints": { "elvask/v1": super::identity(sources, finding) },
        "properties": { "subject": finding.subject, "remedy": finding.remedy.text() },
    });
    let Some(object) = result.as_object_mut() else { return result };
    if let Some((place, label)) = &finding.related {
        let related = json!([{
            "physicalLocation": location(checked, sources, *place),
            "message": { "text": label },
        }]);
        object.insert("relatedLocations".to_owned(), related);
    }
    if let Some(fix) = fix(checked, sources, finding) {
        object.insert("fixes".to_owned(), json!([fix]));
    }
    if let Some(reason) = &finding.waived {
        object.insert("suppressions".to_owned(), json!([{ "kind": "inSource", "justification": reason }]));
    }
    result
}

fn level(level: Level) -> &'static str {
    level.id()
}

/// Returns what is wrong and what happens, as one text.
fn sentence(finding: &Finding) -> String {
    format!("{}. {}", finding.message, finding.effect)
}

fn location(checked: &Checked<'_>, sources: &Sources, place: Place) -> Value {
    json!({
        "artifactLocation": artifact(checked, &sources.file(place.file).shown),
        "region": region(sources, place),
    })
}

fn artifact(checked: &Checked<'_>, shown: &str) -> Value {
    json!({ "uri": uri(&path_of(checked.prefix, shown)) })
}

/// Returns a region: lines and columns from 1, the end behind the last character.
fn region(sources: &Sources, place: Place) -> Value {
    let start = sources.position(place);
    let end = sources.file(place.file).position(place.span.end);
    let mut region = Map::new();
    region.insert("startLine".to_owned(), json!(start.line));
    region.insert("startColumn".to_owned(), json!(start.column));
    region.insert("endLine".to_owned(), json!(end.line));
    region.insert("endColumn".to_owned(), json!(end.column));
    Value::Object(region)
}

/// Returns the edits that mend a finding. A file that is not there yet has no region to replace, and is left out.
fn fix(checked: &Checked<'_>, sources: &Sources, finding: &Finding) -> Option<Value> {
    let Remedy::Edit { title, edits, .. } = &finding.remedy else { return None };
    if edits.iter().any(|(file, _)| sources.file(*file).absent) {
        return None;
    }
    let changes: Vec<Value> = edits
        .iter()
        .map(|(file, edits)| {
            let replacements: Vec<Value> = edits
                .iter()
                .map(|edit| {
                    let place = Place { file: *file, span: elvask_core::Span::new(edit.start, edit.end) };
                    json!({ "deletedRegion": region(sources, place), "insertedContent": { "text": edit.insert } })
                })
                .collect();
            json!({
                "artifactLocation": artifact(checked, &sources.file(*file).shown),
                "replacements": replacements,
            })
        })
        .collect();
    Some(json!({ "description": { "text": title }, "artifactChanges": changes }))
}

/// Writes a path as a relative reference: letters that mean something in one are escaped.
fn uri(path: &str) -> String {
    let mut out = String::with_capacity(path.len());
    for byte in path.bytes() {
        match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' | b'.' | b'-' | b'_' | b'~' | b'@' | b'+' | b',' => {
                out.push(char::from(byte));
            }
            _ => out.push_str(&format!("%{byte:02X}")),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::uri;

    #[test]
    fn paths_become_references() {
        assert_eq!(uri("ios/My App/Info.plist"), "ios/My%20App/Info.plist");
        assert_eq!(uri("../a#b?c:d%é"), "../a%23b%3Fc%3Ad%25%C3%A9");
    }
}
