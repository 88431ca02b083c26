//! Comparing and converting property-list values.

use elvask_markup::plist::plan::NewValue;
use elvask_markup::plist::{Value, ValueKind};

/// What a declared value lacks of a wanted one.
pub enum Lack<'v> {
    /// The declared value is of another type.
    Type(&'v Value, &'v NewValue),
    /// The declared value is another one.
    Other(&'v Value, &'v NewValue),
    /// An array lacks this element.
    Element(&'v Value, &'v NewValue),
    /// A dictionary lacks this entry.
    Entry(&'v Value, &'v str, &'v NewValue),
}

/// Returns what a declared value lacks. Arrays and dictionaries may hold more than is wanted.
pub fn lacks<'v>(declared: &'v Value, wanted: &'v NewValue) -> Vec<Lack<'v>> {
    let mut out = Vec::new();
    collect(declared, wanted, &mut out);
    out
}

fn collect<'v>(declared: &'v Value, wanted: &'v NewValue, out: &mut Vec<Lack<'v>>) {
    match (&declared.kind, wanted) {
        (ValueKind::Array(values), NewValue::Array(elements)) => {
            let absent = elements.iter().filter(|element| !values.iter().any(|value| lacks(value, element).is_empty()));
            out.extend(absent.map(|element| Lack::Element(declared, element)));
        }
        (ValueKind::Dict(entries), NewValue::Dict(wanted)) => {
            for (key, value) in wanted {
                match entries.iter().find(|entry| entry.key == *key) {
                    Some(entry) => collect(&entry.value, value, out),
                    None => out.push(Lack::Entry(declared, key, value)),
                }
            }
        }
        _ if declared.kind.type_name() != type_of(wanted) => out.push(Lack::Type(declared, wanted)),
        _ if !is_equal(&declared.kind, wanted) => out.push(Lack::Other(declared, wanted)),
        _ => {}
    }
}

fn is_equal(declared: &ValueKind, wanted: &NewValue) -> bool {
    match (declared, wanted) {
        (ValueKind::String(one), NewValue::String(other)) => one == other || crate::template::is_reference(one),
        (ValueKind::Bool(one), NewValue::Bool(other)) => one == other,
        (ValueKind::Integer(one), NewValue::Integer(other)) => *one == i128::from(*other),
        (ValueKind::Real(one), NewValue::Real(other)) => (one - other).abs() < f64::EPSILON,
        _ => false,
    }
}

/// Returns the name of a wanted value's type, as [`ValueKind::type_name`] has it.
pub fn type_of(value: &NewValue) -> &'static str {
    match value {
        NewValue::Bool(_) => "boolean",
        NewValue::Integer(_) => "integer",
        NewValue::Real(_) => "real",
        NewValue::String(_) => "string",
        NewValue::Array(_) => "array",
        NewValue::Dict(_) => "dictionary",
    }
}

/// Returns a value for people, on one line.
pub fn shown(value: &NewValue) -> String {
    serde_json::to_string(value).unwrap_or_default()
}

/// Returns the part of a value that is not of a type such as `array of string` or `string or dictionary`.
pub fn fits_type<'v>(value: &'v Value, wanted: &str) -> Result<(), &'v Value> {
    let mut fault = value;
    for one in wanted.split(" or ") {
        match (one.strip_prefix("array of "), &value.kind) {
            (Some(element), ValueKind::Array(values)) => {
                match values.iter().find(|value| value.kind.type_name() != element) {
                    None => return Ok(()),
                    Some(wrong) => fault = wrong,
                }
            }
            (None, kind) if kind.type_name() == one => return Ok(()),
            _ => {}
        }
    }
    Err(fault)
}

/// Returns the value of a wanted type that a value is meant to be, if there is no doubt about it.
pub fn convert(value: &Value, wanted: &str) -> Option<NewValue> {
    match (&value.kind, wanted) {
        (ValueKind::String(text), "boolean") => match text.trim().to_ascii_lowercase().as_str() {
            "yes" | "true" | "1" => Some(NewValue::Bool(true)),
            "no" | "false" | "0" => Some(NewValue::Bool(false)),
            _ => None,
        },
        (ValueKind::Integer(0), "boolean") => Some(NewValue::Bool(false)),
        (ValueKind::Integer(1), "boolean") => Some(NewValue::Bool(true)),
        (ValueKind::String(text), "integer") => text.trim().parse().ok().map(NewValue::Integer),
        (ValueKind::Integer(number), "string") => Some(NewValue::String(number.to_string())),
        (ValueKind::String(text), "array of string") if !text.trim().is_empty() && !text.contains([',', ' ']) => {
            Some(NewValue::Array(vec![NewValue::String(text.clone())]))
        }
        _ => None,
    }
}
