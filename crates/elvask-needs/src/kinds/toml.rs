//! Writing what a sheet states.

use elvask_markup::plist::plan::NewValue;
use elvask_project::intent::{Part, Query};

/// Returns a text as TOML writes it.
pub(crate) fn text(value: &str) -> String {
    // The escapes of JSON are escapes of TOML too.
    serde_json::to_string(value).unwrap_or_default()
}

pub(crate) fn table(entries: &[(&str, Option<String>)]) -> String {
    let entries: Vec<_> =
        entries.iter().filter_map(|(key, value)| Some(format!("{key} = {}", value.as_ref()?))).collect();
    format!("{{ {} }}", entries.join(", "))
}

pub(crate) fn list(values: &[String]) -> Option<String> {
    let values: Vec<_> = values.iter().map(|value| text(value)).collect();
    (!values.is_empty()).then(|| format!("[{}]", values.join(", ")))
}

pub(crate) fn value(given: &NewValue) -> String {
    match given {
        NewValue::Bool(value) => value.to_string(),
        NewValue::Integer(value) => value.to_string(),
        NewValue::Real(value) => format!("{value:?}"),
        NewValue::String(value) => text(value),
        NewValue::Array(values) => format!("[{}]", values.iter().map(value).collect::<Vec<_>>().join(", ")),
        NewValue::Dict(entries) => {
            let entries = entries.iter().map(|(key, inner)| format!("{} = {}", text(key), value(inner)));
            format!("{{ {} }}", entries.collect::<Vec<_>>().join(", "))
        }
    }
}

pub(crate) fn intent(query: &Query, on: Option<&str>) -> String {
    let some = |given: &Option<String>| given.as_deref().map(text);
    let of = |part: Part| match query.all(part).as_slice() {
        [] => None,
        [one] => Some(text(one)),
        several => list(&several.iter().map(|one| (*one).to_owned()).collect::<Vec<_>>()),
    };
    table(&[
        ("on", on.map(text)),
        ("package", some(&query.package)),
        ("authority", some(&query.authority)),
        ("action", of(Part::Action)),
        ("category", list(&query.categories)),
        ("scheme", of(Part::Scheme)),
        ("host", of(Part::Host)),
        ("port", of(Part::Port)),
        ("path", of(Part::Path)),
        ("path-prefix", of(Part::PathPrefix)),
        ("path-pattern", of(Part::PathPattern)),
        ("mime", of(Part::Mime)),
    ])
}
