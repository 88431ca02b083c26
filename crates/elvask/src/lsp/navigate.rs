//! From a declaration to the lines that show who needs it, and back.

use std::path::Path;

use elvask_core::survey::Declaration;
use elvask_project::files::normal;
use serde_json::{Value, json};

use super::apps::Apps;
use super::hover::{declaration_at, word_at};

/// Returns the lines that show why a declaration is needed.
pub(super) fn definition(apps: &mut Apps, path: &Path, position: &Value) -> Option<Value> {
    let (units, settings) = (apps.units, apps.settings().clone());
    let (looked, file) = apps.document(path)?;
    let offset = looked.offset(file, position, units);
    let one = declaration_at(looked, file, offset, &settings)?;
    let lines = one.needed_by.iter().flat_map(|who| &who.learnt);
    let mut out: Vec<Value> = lines.map(|citation| looked.line_of(&citation.file, citation.line)).collect();
    out.dedup();
    Some(Value::Array(out))
}

/// Returns where the thing under the cursor is declared: from a declaration the others of its name, from a line of evidence what it is evidence
/// for.
pub(super) fn references(apps: &mut Apps, path: &Path, position: &Value) -> Option<Value> {
    let (units, settings) = (apps.units, apps.settings().clone());
    let root = apps.root_of(path)?;
    let open = apps.open.get(path).cloned();
    let looked = apps.looked.get_mut(&root)?;
    let line = position["line"].as_u64().and_then(|line| usize::try_from(line).ok())? + 1;
    let shown = |one: &Declaration| {
        one.needed_by
            .iter()
            .flat_map(|who| &who.learnt)
            .any(|citation| citation.line == line && normal(&looked.app.root.join(&citation.file)) == path)
    };
    let mut places: Vec<_> =
        looked.survey(&settings).declarations.iter().filter(|one| shown(one)).map(|one| one.place).collect();
    if places.is_empty() {
        let name = match looked.app.sources.find_path(path) {
            Some(file) => {
                let offset = looked.offset(file, position, units);
                let declared = declaration_at(looked, file, offset, &settings).map(|one| one.name.clone());
                declared.unwrap_or_else(|| word_at(&looked.app.sources.file(file).text, offset))
            }
            // A file of a package is none of the app's texts.
            None => open.map(|open| word_at(&open.text, open.lines.offset(&open.text, position, units)))?,
        };
        let named = looked.survey(&settings).declarations.iter().filter(|one| !name.is_empty() && one.name == name);
        places = named.map(|one| one.place).collect();
    }
    places.sort_unstable();
    places.dedup();
    let mut out: Vec<Value> = places.into_iter().map(|place| looked.location(place, units)).collect();
    out.dedup();
    Some(json!(out))
}
