//! Plans edits of a property list in the style of the entries around the place.

use super::{Entry, PropertyList, Value};
use crate::xml::plan::{self as xml_plan, Slot, Style};
use crate::xml::{Element, Place, escape};
use crate::{Edit, Span};

/// A value to be written. For people it is the plain value; in a form that does not say what it holds, such as a record, its type comes
/// first.
#[derive(Debug, Clone, PartialEq, serde::Serialize, serde::Deserialize)]
#[serde(remote = "Self")]
pub enum NewValue {
    /// Yes or no.
    Bool(bool),
    /// A whole number.
    Integer(i64),
    /// A number with a fraction.
    Real(f64),
    /// Text as it is meant, not escaped.
    String(String),
    /// Values in order.
    Array(Vec<NewValue>),
    /// Keys with values, in order.
    Dict(Vec<(String, NewValue)>),
}

/// Reads a value from JSON or the like: the reverse of what it is written as.
impl<'de> serde::Deserialize<'de> for NewValue {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        if !deserializer.is_human_readable() {
            return NewValue::deserialize(deserializer);
        }
        deserializer.deserialize_any(NewValueVisitor)
    }
}

struct NewValueVisitor;

impl<'de> serde::de::Visitor<'de> for NewValueVisitor {
    type Value = NewValue;

    fn expecting(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str("a value of a property list")
    }

    fn visit_bool<E>(self, value: bool) -> Result<NewValue, E> {
        Ok(NewValue::Bool(value))
    }

    fn visit_i64<E>(self, value: i64) -> Result<NewValue, E> {
        Ok(NewValue::Integer(value))
    }

    fn visit_u64<E: serde::de::Error>(self, value: u64) -> Result<NewValue, E> {
        i64::try_from(value).map(NewValue::Integer).map_err(E::custom)
    }

    fn visit_f64<E>(self, value: f64) -> Result<NewValue, E> {
        Ok(NewValue::Real(value))
    }

    fn visit_str<E>(self, value: &str) -> Result<NewValue, E> {
        Ok(NewValue::String(value.to_owned()))
    }

    fn visit_seq<A: serde::de::SeqAccess<'de>>(self, mut values: A) -> Result<NewValue, A::Error> {
        let mut out = Vec::new();
        while let Some(value) = values.next_element()? {
            out.push(value);
        }
        Ok(NewValue::Array(out))
    }

    fn visit_map<A: serde::de::MapAccess<'de>>(self, mut entries: A) -> Result<NewValue, A::Error> {
        let mut out = Vec::new();
        while let Some(entry) = entries.next_entry()? {
            out.push(entry);
        }
        Ok(NewValue::Dict(out))
    }
}

impl serde::Serialize for NewValue {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if !serializer.is_human_readable() {
            return NewValue::serialize(self, serializer);
        }
        match self {
            NewValue::Bool(value) => serializer.serialize_bool(*value),
            NewValue::Integer(number) => serializer.serialize_i64(*number),
            NewValue::Real(number) => serializer.serialize_f64(*number),
            NewValue::String(text) => serializer.serialize_str(text),
            NewValue::Array(values) => serializer.collect_seq(values),
            NewValue::Dict(entries) => serializer.collect_map(entries.iter().map(|(key, value)| (key, value))),
        }
    }
}

/// Plans a new entry of a dictionary, behind the entry `after` or, without one, behind the last.
#[must_use]
pub fn insert_entry(
    list: &PropertyList,
    dict: &Value,
    after: Option<&Entry>,
    key: &str,
    value: &NewValue,
) -> Vec<Edit> {
    let parent = list.element(dict.node);
    let neighbour = after.or_else(|| dict.as_dict()?.last());
    let slot = neighbour.map_or(Slot::Last, |entry| Slot::After(list.element(entry.value.node).node()));
    xml_plan::insert_with(parent, slot, |style| write_entry(style, &style.indent, gap(list, neighbour), key, value))
}

/// Returns what stands between a neighbour's key and value where they share a line; `None` where they do not.
fn gap<'l>(list: &'l PropertyList, neighbour: Option<&Entry>) -> Option<&'l str> {
    let neighbour = neighbour?;
    let between = Span::new(neighbour.key_span.end, neighbour.value.span.start).of(list.document().text());
    (!between.contains('\n') && between.trim().is_empty()).then_some(between)
}

fn write_entry(style: &Style<'_>, indent: &str, gap: Option<&str>, key: &str, value: &NewValue) -> String {
    let mut out = format!("<key>{}</key>", escape(key, Place::Text, style.ascii));
    match gap {
        Some(gap) => out.push_str(gap),
        None => style.push_break(&mut out, indent),
    }
    write_value(style, indent, value, &mut out);
    out
}

fn write_value(style: &Style<'_>, indent: &str, value: &NewValue, out: &mut String) {
    let inner = format!("{indent}{}", style.unit);
    match value {
        NewValue::Bool(true) => out.push_str("<true/>"),
        NewValue::Bool(false) => out.push_str("<false/>"),
        NewValue::Integer(number) => out.push_str(&format!("<integer>{number}</integer>")),
        NewValue::Real(number) => out.push_str(&format!("<real>{number}</real>")),
        NewValue::String(text) => {
            out.push_str(&format!("<string>{}</string>", escape(text, Place::Text, style.ascii)));
        }
        NewValue::Array(values) if values.is_empty() => out.push_str("<array/>"),
        NewValue::Array(values) => {
            out.push_str("<array>");
            for value in values {
                style.push_break(out, &inner);
                write_value(style, &inner, value, out);
            }
            style.push_break(out, indent);
            out.push_str("</array>");
        }
        NewValue::Dict(entries) if entries.is_empty() => out.push_str("<dict/>"),
        NewValue::Dict(entries) => {
            out.push_str("<dict>");
            for (key, value) in entries {
                style.push_break(out, &inner);
                out.push_str(&write_entry(style, &inner, None, key, value));
            }
            style.push_break(out, indent);
            out.push_str("</dict>");
        }
    }
}

/// Plans new values at the end of an array.
#[must_use]
pub fn append(list: &PropertyList, array: &Value, values: &[NewValue]) -> Vec<Edit> {
    let parent = list.element(array.node);
    let slot = parent.children().next_back().map_or(Slot::Last, |last| Slot::After(last.node()));
    xml_plan::insert_with(parent, slot, |style| {
        let mut out = String::new();
        for (at, value) in values.iter().enumerate() {
            if at > 0 {
                style.push_break(&mut out, &style.indent);
            }
            write_value(style, &style.indent, value, &mut out);
        }
        out
    })
}

/// Plans another value in the place of one that is there. A text keeps its element where both are strings.
#[must_use]
pub fn replace(list: &PropertyList, value: &Value, new: &NewValue) -> Edit {
    let element = list.element(value.node);
    if let (Some(_), NewValue::String(text)) = (value.as_str(), new) {
        return xml_plan::set_text(element, text);
    }
    let holder = element.parent().unwrap_or(element);
    let style = Style::around(holder, Slot::After(element.node()));
    let indent = xml_plan::line_indent(list.document().text(), element.span().start);
    let mut out = String::new();
    write_value(&style, indent, new, &mut out);
    Edit::replace(element.span(), out)
}

/// Plans another name for a key.
#[must_use]
pub fn rename_key(list: &PropertyList, entry: &Entry, key: &str) -> Edit {
    xml_plan::set_text(list.element(entry.key_node), key)
}

/// Plans taking an entry out, key and value, with their lines.
#[must_use]
pub fn remove_entry(list: &PropertyList, entry: &Entry) -> Edit {
    let span = Span::new(entry.key_span.start, entry.value.span.end);
    Edit::delete(xml_plan::with_lines(list.document().text(), span))
}

/// Plans taking one value out of an array.
#[must_use]
pub fn remove_value(list: &PropertyList, value: &Value) -> Edit {
    xml_plan::remove(list.element(value.node).node())
}

/// Returns the start tag of a value, the place to point at when something is missing inside.
#[must_use]
pub fn start_tag(list: &PropertyList, value: &Value) -> Span {
    let element: Element<'_> = list.element(value.node);
    element.open()
}
