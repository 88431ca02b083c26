//! The messages in which a bundle for the store holds its manifest and its resources.
//!
//! Source: `Resources.proto` of the platform's tools. Only the fields that are read are named.

use std::collections::HashMap;

use prost::Message;

use crate::written::{Attribute, Writer};

#[derive(Clone, PartialEq, Message)]
struct XmlNode {
    #[prost(message, optional, tag = "1")]
    element: Option<XmlElement>,
}

#[derive(Clone, PartialEq, Message)]
struct XmlElement {
    #[prost(string, tag = "3")]
    name: String,
    #[prost(message, repeated, tag = "4")]
    attributes: Vec<XmlAttribute>,
    #[prost(message, repeated, tag = "5")]
    children: Vec<XmlNode>,
}

#[derive(Clone, PartialEq, Message)]
struct XmlAttribute {
    #[prost(string, tag = "1")]
    space: String,
    #[prost(string, tag = "2")]
    name: String,
    #[prost(string, tag = "3")]
    value: String,
}

#[derive(Clone, PartialEq, Message)]
struct ResourceTable {
    #[prost(message, repeated, tag = "2")]
    packages: Vec<Package>,
}

#[derive(Clone, PartialEq, Message)]
struct Package {
    #[prost(message, repeated, tag = "3")]
    types: Vec<Type>,
}

#[derive(Clone, PartialEq, Message)]
struct Type {
    #[prost(string, tag = "2")]
    name: String,
    #[prost(message, repeated, tag = "3")]
    entries: Vec<Entry>,
}

#[derive(Clone, PartialEq, Message)]
struct Entry {
    #[prost(string, tag = "2")]
    name: String,
    #[prost(message, repeated, tag = "6")]
    values: Vec<ConfigValue>,
}

#[derive(Clone, PartialEq, Message)]
struct ConfigValue {
    #[prost(bytes = "vec", optional, tag = "1")]
    config: Option<Vec<u8>>,
    #[prost(message, optional, tag = "2")]
    value: Option<TheValue>,
}

#[derive(Clone, PartialEq, Message)]
struct TheValue {
    #[prost(message, optional, tag = "4")]
    item: Option<Item>,
}

#[derive(Clone, PartialEq, Message)]
struct Item {
    #[prost(message, optional, tag = "2")]
    text: Option<Text>,
}

#[derive(Clone, PartialEq, Message)]
struct Text {
    #[prost(string, tag = "1")]
    value: String,
}

/// Turns the message of a manifest into text. Values are written there as a source has them.
pub(crate) fn text(bytes: &[u8]) -> Option<String> {
    let node = XmlNode::decode(bytes).ok()?;
    let mut writer = Writer::default();
    write(&node.element?, &mut writer)?;
    writer.finish()
}

fn write(element: &XmlElement, writer: &mut Writer) -> Option<()> {
    let attributes = element.attributes.iter().map(|one| Attribute {
        space: one.space.clone(),
        name: one.name.clone(),
        value: one.value.clone(),
    });
    writer.start(&element.name, &attributes.collect::<Vec<_>>())?;
    for child in element.children.iter().filter_map(|child| child.element.as_ref()) {
        write(child, writer)?;
    }
    writer.end()
}

/// Returns the texts of a bundle's resources in the app's own language, by name: `string/app_name`.
pub(crate) fn texts(bytes: &[u8]) -> Option<HashMap<String, String>> {
    let table = ResourceTable::decode(bytes).ok()?;
    let types = table.packages.into_iter().flat_map(|package| package.types).filter(|one| one.name == "string");
    let mut out = HashMap::new();
    for entry in types.flat_map(|one| one.entries) {
        let usual = entry.values.into_iter().find(|value| value.config.as_deref().unwrap_or_default().is_empty());
        if let Some(text) = usual.and_then(|value| value.value?.item?.text) {
            out.insert(format!("string/{}", entry.name), text.value);
        }
    }
    Some(out)
}
