//! Keeping what the owner says once in `elvask.toml`, whose comments and order stay.

use elvask_project::layout::FILE_NAME;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

/// Why answers cannot be put into `elvask.toml`.
#[derive(Debug, thiserror::Error)]
pub enum KeepError {
    /// It is not TOML.
    #[error("{FILE_NAME} cannot be read: {0}")]
    Unreadable(String),
    /// Something else stands where a table must.
    #[error("`{0}` in {FILE_NAME} is not a table")]
    NoTable(String),
}

/// Returns the text of `elvask.toml` with answers in it: each is a plugin, the name of the answer and its value. An empty text is
/// that of a file that is not there yet.
///
/// # Errors
/// [`KeepError`]; the file is left as it is then.
pub fn with_answers(text: &str, answers: &[(String, String, String)]) -> Result<String, KeepError> {
    if answers.is_empty() {
        return Ok(text.to_owned());
    }
    let mut document = read(text)?;
    for (plugin, key, answer) in answers {
        let mut at = document.as_item_mut();
        let path = ["plugins", plugin, "answers"];
        for (depth, name) in path.into_iter().enumerate() {
            let table = at.as_table_like_mut().ok_or_else(|| KeepError::NoTable(name.to_owned()))?;
            let made = || {
                let mut table = Table::new();
                // Only the innermost gets a head of its own.
                table.set_implicit(depth + 1 < path.len());
                Item::Table(table)
            };
            at = table.entry(name).or_insert_with(made);
        }
        let table = at.as_table_like_mut().ok_or_else(|| KeepError::NoTable("answers".to_owned()))?;
        match table.get_mut(key) {
            Some(known) => *known = value(answer.as_str()),
            None => {
                table.insert(key, value(answer.as_str()));
            }
        }
    }
    Ok(document.to_string())
}

/// Returns the text of `elvask.toml` with a waiver for each thing that is declared on purpose, so that `trim` leaves it.
///
/// # Errors
/// [`KeepError`]; the file is left as it is then.
pub fn with_waivers(text: &str, subjects: &[String]) -> Result<String, KeepError> {
    if subjects.is_empty() {
        return Ok(text.to_owned());
    }
    let mut document = read(text)?;
    let waivers = document.entry("waivers").or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
    let waivers = waivers.as_array_of_tables_mut().ok_or_else(|| KeepError::NoTable("waivers".to_owned()))?;
    for subject in subjects {
        let mut waiver = Table::new();
        waiver.insert("rule", value("declared-unneeded"));
        waiver.insert("subject", value(subject.as_str()));
        waiver.insert("reason", value(ON_PURPOSE));
        waivers.push(waiver);
    }
    Ok(document.to_string())
}

/// The reason of the waivers that are written by themselves.
const ON_PURPOSE: &str = "Declared on purpose with `elvask declare`.";

/// Returns the text of `elvask.toml` without the waivers that [`with_waivers`] wrote for things that are taken out again.
///
/// # Errors
/// [`KeepError`]; the file is left as it is then.
pub fn without_waivers(text: &str, subjects: &[String]) -> Result<String, KeepError> {
    if text.trim().is_empty() || !text.contains(ON_PURPOSE) {
        return Ok(text.to_owned());
    }
    let mut document = read(text)?;
    let Some(waivers) = document.get_mut("waivers").and_then(Item::as_array_of_tables_mut) else {
        return Ok(text.to_owned());
    };
    waivers.retain(|waiver| {
        let says = |key: &str| waiver.get(key).and_then(Item::as_str).unwrap_or_default();
        says("reason") != ON_PURPOSE || !subjects.iter().any(|subject| subject == says("subject"))
    });
    if waivers.is_empty() {
        document.remove("waivers");
    }
    let mut out = document.to_string();
    if text.ends_with('\n') && !out.ends_with('\n') {
        out.push('\n');
    }
    Ok(out)
}

fn read(text: &str) -> Result<DocumentMut, KeepError> {
    let start = if text.trim().is_empty() { "elvask = 1\n" } else { text };
    start.parse().map_err(|error: toml_edit::TomlError| KeepError::Unreadable(error.message().to_owned()))
}

#[cfg(test)]
mod tests {
    use super::{with_answers, with_waivers, without_waivers};

    fn one(plugin: &str, key: &str, value: &str) -> Vec<(String, String, String)> {
        vec![(plugin.to_owned(), key.to_owned(), value.to_owned())]
    }

    #[test]
    fn what_is_declared_on_purpose_is_waived_until_it_is_taken_out() {
        let text = "elvask = 1\n\n[links]\nhosts = [\"marram.example\"]\n";
        let subjects = ["android.permission.VIBRATE".to_owned()];
        let kept = with_waivers(text, &subjects).unwrap();
        assert!(kept.starts_with(text) && kept.contains("[[waivers]]\nrule = \"declared-unneeded\"\n"), "{kept}");
        assert_eq!(without_waivers(&kept, &subjects).unwrap(), text);
        assert_eq!(without_waivers(&kept, &[]).unwrap(), kept);
        let made = with_waivers("", &subjects).unwrap();
        assert_eq!(without_waivers(&made, &subjects).unwrap(), "elvask = 1\n");
    }

    #[test]
    fn a_file_comes_to_be_or_keeps_what_it_has() {
        assert_eq!(
            with_answers("", &one("@marsh/knot", "app_id", "knot-1")).unwrap(),
            "elvask = 1\n\n[plugins.\"@marsh/knot\".answers]\napp_id = \"knot-1\"\n"
        );
        let text = "elvask = 1 # ours\n\n[plugins.knot]\nfeatures = [\"video\"]\n\n# Where links go.\n[links]\nhosts = [\"marram.example\"]\n";
        let kept = with_answers(text, &one("knot", "app_id", "a\"b")).unwrap();
        assert!(kept.contains("[plugins.knot]\nfeatures = [\"video\"]\n"), "{kept}");
        assert!(kept.contains("# Where links go.\n[links]\nhosts") && kept.contains("elvask = 1 # ours"), "{kept}");
        assert_eq!(with_answers(&kept, &one("knot", "app_id", "a\"b")).unwrap(), kept, "said again, nothing changes");
        assert!(with_answers("plugins = 1", &one("knot", "a", "b")).is_err());
    }
}
