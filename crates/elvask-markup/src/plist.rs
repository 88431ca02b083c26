//! Property lists: typed values that know where they stand, and plans for edits in the style of the list. The XML form is read
//! and written; the old text form is read.

pub mod binary;
pub mod plan;

use crate::SharedText;
use crate::openstep;
use crate::xml::{Document, Element, NodeKind, XmlError};
use crate::{ByName, Span};

/// A property list read from its XML form, or from the old text form.
#[derive(Debug, Clone)]
pub struct PropertyList {
    /// Of a list in the text form: an empty list, so that plans have something to stand on.
    document: Document,
    root: Value,
    is_xml: bool,
    by_key: ByName,
}

/// One value of a property list.
#[derive(Debug, Clone, PartialEq)]
pub struct Value {
    /// What the value is.
    pub kind: ValueKind,
    /// The element of the value, tags included, in bytes.
    pub span: Span,
    node: u32,
}

/// The types that a property list has.
#[derive(Debug, Clone, PartialEq)]
pub enum ValueKind {
    /// Keys with values, in the order of the file. A key may be declared twice.
    Dict(Vec<Entry>),
    /// Values in order.
    Array(Vec<Value>),
    /// Text, references replaced.
    String(String),
    /// A whole number.
    Integer(i128),
    /// A number with a fraction.
    Real(f64),
    /// Yes or no.
    Bool(bool),
    /// A date as written.
    Date(String),
    /// Base64 as written.
    Data(String),
}

impl ValueKind {
    /// Returns the name of the type as a person says it.
    #[must_use]
    pub fn type_name(&self) -> &'static str {
        match self {
            ValueKind::Dict(_) => "dictionary",
            ValueKind::Array(_) => "array",
            ValueKind::String(_) => "string",
            ValueKind::Integer(_) => "integer",
            ValueKind::Real(_) => "real",
            ValueKind::Bool(_) => "boolean",
            ValueKind::Date(_) => "date",
            ValueKind::Data(_) => "data",
        }
    }
}

/// One key of a dictionary with its value.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    /// The key, references replaced.
    pub key: String,
    /// The `<key>` element, tags included, in bytes.
    pub key_span: Span,
    /// What belongs to the key.
    pub value: Value,
    key_node: u32,
}

impl Entry {
    /// Makes an entry that stands in no list: one that a build makes from something else, at these places.
    #[must_use]
    pub fn standalone(key: impl Into<String>, key_span: Span, kind: ValueKind, span: Span) -> Self {
        Entry { key: key.into(), key_span, value: Value { kind, span, node: 0 }, key_node: 0 }
    }
}

impl Value {
    /// Makes a value that stands in no list.
    #[must_use]
    pub fn standalone(kind: ValueKind, span: Span) -> Self {
        Value { kind, span, node: 0 }
    }

    /// Returns the text of a string.
    #[must_use]
    pub fn as_str(&self) -> Option<&str> {
        match &self.kind {
            ValueKind::String(text) => Some(text),
            _ => None,
        }
    }

    /// Returns the entries of a dictionary.
    #[must_use]
    pub fn as_dict(&self) -> Option<&[Entry]> {
        match &self.kind {
            ValueKind::Dict(entries) => Some(entries),
            _ => None,
        }
    }

    /// Returns the values of an array.
    #[must_use]
    pub fn as_array(&self) -> Option<&[Value]> {
        match &self.kind {
            ValueKind::Array(values) => Some(values),
            _ => None,
        }
    }
}

/// Why a text is not a property list.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum PlistError {
    /// It is not XML.
    #[error(transparent)]
    Xml(#[from] XmlError),
    /// The outermost element is another one.
    #[error("a property list starts with `<plist>`, not with `<{found}>`")]
    NotAPlist {
        /// The name of the outermost element.
        found: String,
        /// Where it starts.
        span: Span,
    },
    /// The list holds no dictionary, where a dictionary is wanted.
    #[error("the root of this property list is {found}, but it must be a dictionary (`<dict>`)")]
    NoDictionary {
        /// What is there instead.
        found: String,
        /// Where.
        span: Span,
    },
    /// A structure or value that no property list can have.
    #[error("{message}")]
    Malformed {
        /// What is wrong.
        message: String,
        /// Where.
        span: Span,
    },
}

impl PlistError {
    /// Returns where the fault is, in bytes.
    #[must_use]
    pub fn span(&self) -> Span {
        match self {
            PlistError::Xml(error) => error.span,
            PlistError::NotAPlist { span, .. }
            | PlistError::NoDictionary { span, .. }
            | PlistError::Malformed { span, .. } => *span,
        }
    }
}

impl PropertyList {
    /// Reads a property list whose root is a dictionary.
    ///
    /// # Errors
    /// The first fault that keeps the platform from reading it, with its place.
    pub fn parse(text: impl Into<SharedText>) -> Result<Self, PlistError> {
        let text = text.into();
        if text.trim_start_matches('\u{FEFF}').trim_start().starts_with(['{', '/']) {
            return Self::parse_openstep(&text);
        }
        let document = Document::parse(text)?;
        let root = read_root(&document)?;
        Ok(PropertyList { document, root, is_xml: true, by_key: ByName::default() })
    }

    /// Reads a property list in the old text form. Its values are texts, lists and dictionaries.
    fn parse_openstep(text: &str) -> Result<Self, PlistError> {
        let value = openstep::parse(text)
            .map_err(|error| PlistError::Malformed { message: error.message.to_owned(), span: error.span })?;
        if value.as_dict().is_none() {
            return Err(PlistError::NoDictionary { found: "no dictionary".to_owned(), span: value.span });
        }
        let document = Document::parse("<plist version=\"1.0\"><dict></dict></plist>")?;
        let node = document.root().children().next().map_or(0, |dict| dict.id);
        Ok(PropertyList { root: from_openstep(&value, node), document, is_xml: false, by_key: ByName::default() })
    }

    /// Says whether edits can be planned: the list is in the XML form.
    #[must_use]
    pub fn is_xml(&self) -> bool {
        self.is_xml
    }

    /// Returns the document below the list.
    #[must_use]
    pub fn document(&self) -> &Document {
        &self.document
    }

    /// Returns the root dictionary.
    #[must_use]
    pub fn root(&self) -> &Value {
        &self.root
    }

    /// Returns the entries of the root dictionary.
    #[must_use]
    pub fn entries(&self) -> &[Entry] {
        self.root.as_dict().unwrap_or_default()
    }

    /// Returns the entry of a key in the root dictionary; the first one where the key is declared twice.
    #[must_use]
    pub fn entry(&self, key: &str) -> Option<&Entry> {
        self.by_key.first(self.entries(), |entry| &entry.key, key)
    }

    fn element(&self, node: u32) -> Element<'_> {
        Element { document: &self.document, id: node }
    }
}

fn from_openstep(value: &openstep::Value, node: u32) -> Value {
    let kind = match &value.kind {
        openstep::Kind::String(text) => ValueKind::String(text.clone()),
        openstep::Kind::Array(values) => {
            ValueKind::Array(values.iter().map(|value| from_openstep(value, node)).collect())
        }
        openstep::Kind::Dict(entries) => {
            let entry = |(key, value): &(openstep::Value, openstep::Value)| Entry {
                key: key.as_str().unwrap_or_default().to_owned(),
                key_span: key.span,
                value: from_openstep(value, node),
                key_node: node,
            };
            ValueKind::Dict(entries.iter().map(entry).collect())
        }
    };
    Value { kind, span: value.span, node }
}

fn malformed<T>(message: impl Into<String>, span: Span) -> Result<T, PlistError> {
    Err(PlistError::Malformed { message: message.into(), span })
}

fn read_root(document: &Document) -> Result<Value, PlistError> {
    let root = document.root();
    if root.name() != "plist" {
        return Err(PlistError::NotAPlist { found: root.name().to_owned(), span: root.open() });
    }
    refuse_text(root)?;
    let mut children = root.children();
    let Some(first) = children.next() else {
        return Err(PlistError::NoDictionary { found: "empty".to_owned(), span: root.open() });
    };
    if let Some(second) = children.next() {
        return malformed("a property list has one value, and here starts a second", second.open());
    }
    if first.name() != "dict" {
        return Err(PlistError::NoDictionary { found: format!("`<{}>`", first.name()), span: first.open() });
    }
    read_value(first)
}

fn refuse_text(element: Element<'_>) -> Result<(), PlistError> {
    let text = |kind| matches!(kind, NodeKind::Text | NodeKind::CData);
    match element.node().children().find(|node| text(node.kind()) && !node.is_blank()) {
        Some(node) => {
            let source = node.source();
            let skipped = source.len() - source.trim_start().len();
            let span = Span::new(node.span().start + skipped, node.span().start + source.trim_end().len());
            malformed(format!("text is not allowed directly inside `<{}>`", element.name()), span)
        }
        None => Ok(()),
    }
}

fn read_value(element: Element<'_>) -> Result<Value, PlistError> {
    let holds_values = matches!(element.name(), "dict" | "array");
    if holds_values {
        refuse_text(element)?;
    } else if let Some(child) = element.children().next() {
        return malformed(format!("`<{}>` must not contain an element", element.name()), child.open());
    }
    let text = element.text();
    let trimmed = text.trim();
    let kind = match element.name() {
        "dict" => ValueKind::Dict(read_entries(element)?),
        "array" => ValueKind::Array(element.children().map(read_value).collect::<Result<_, _>>()?),
        "string" => ValueKind::String(text.into_owned()),
        "true" => ValueKind::Bool(true),
        "false" => ValueKind::Bool(false),
        "date" => ValueKind::Date(trimmed.to_owned()),
        "data" => ValueKind::Data(trimmed.to_owned()),
        "integer" => match parse_integer(trimmed) {
            Some(number) => ValueKind::Integer(number),
            None => return malformed(format!("`{trimmed}` is not a whole number"), element.content()),
        },
        "real" => match trimmed.parse() {
            Ok(number) => ValueKind::Real(number),
            Err(_) => return malformed(format!("`{trimmed}` is not a number"), element.content()),
        },
        "key" => return malformed("a value was expected here, not a second `<key>`", element.open()),
        other => return malformed(format!("`<{other}>` is not a type of a property list"), element.open()),
    };
    Ok(Value { kind, span: element.span(), node: element.id })
}

fn parse_integer(text: &str) -> Option<i128> {
    let (negative, digits) = match text.strip_prefix('-') {
        Some(digits) => (true, digits),
        None => (false, text.strip_prefix('+').unwrap_or(text)),
    };
    let number = match digits.strip_prefix("0x").or_else(|| digits.strip_prefix("0X")) {
        Some(hex) => i128::from_str_radix(hex, 16).ok()?,
        None => digits.parse::<i128>().ok().filter(|_| !digits.starts_with(['+', '-']))?,
    };
    Some(if negative { -number } else { number })
}

fn read_entries(dict: Element<'_>) -> Result<Vec<Entry>, PlistError> {
    let mut entries = Vec::new();
    let mut children = dict.children();
    while let Some(key) = children.next() {
        if key.name() != "key" {
            return malformed(format!("a `<key>` was expected here, not `<{}>`", key.name()), key.open());
        }
        if let Some(child) = key.children().next() {
            return malformed("`<key>` must not contain an element", child.open());
        }
        let name = key.text().into_owned();
        let Some(value) = children.next() else {
            return malformed(format!("the key `{name}` has no value"), key.span());
        };
        if value.name() == "key" {
            return malformed(format!("the key `{name}` has no value"), key.span());
        }
        entries.push(Entry { key: name, key_span: key.span(), value: read_value(value)?, key_node: key.id });
    }
    Ok(entries)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn list(inside: &str) -> Result<PropertyList, PlistError> {
        PropertyList::parse(format!("<plist version=\"1.0\">{inside}</plist>"))
    }

    #[test]
    fn every_type_is_read() {
        let list = list(concat!(
            "<dict><key>s</key><!-- c --><string>a &amp; <![CDATA[<b>]]></string><key>n</key><integer>-0x1F</integer>",
            "<key>r</key><real>1.5</real><key>t</key><true/><key>f</key><false></false>",
            "<key>a</key><array><string/></array><key>d</key><data>AA==</data></dict>"
        ))
        .unwrap();
        let kind = |key: &str| list.entry(key).unwrap().value.kind.clone();
        assert_eq!(kind("s"), ValueKind::String("a & <b>".to_owned()));
        assert_eq!(kind("n"), ValueKind::Integer(-31));
        assert_eq!(kind("r"), ValueKind::Real(1.5));
        assert_eq!((kind("t"), kind("f")), (ValueKind::Bool(true), ValueKind::Bool(false)));
        assert_eq!(list.entry("a").unwrap().value.as_array().unwrap()[0].as_str(), Some(""));
        assert_eq!(list.entry("s").unwrap().key_span.of(list.document().text()), "<key>s</key>");
    }

    #[test]
    fn the_old_text_form_is_read_with_its_places() {
        let text = "{\n    CFBundleName = Marram;\n    NSCameraUsageDescription = \"Photographs the ring.\";\n    List = (a, b);\n}\n";
        let list = PropertyList::parse(text).unwrap();
        assert!(!list.is_xml());
        let entry = list.entry("NSCameraUsageDescription").unwrap();
        assert_eq!(
            (entry.value.as_str(), entry.key_span.of(text)),
            (Some("Photographs the ring."), "NSCameraUsageDescription")
        );
        assert_eq!(list.entry("List").unwrap().value.as_array().unwrap()[1].as_str(), Some("b"));
        assert_eq!(
            PropertyList::parse("(a)").unwrap_err().to_string(),
            Document::parse("(a)").unwrap_err().to_string()
        );
        assert_eq!(PropertyList::parse("{ a = 1 }").unwrap_err().to_string(), "`;` was expected after this value");
    }

    #[test]
    fn faults_say_what_and_where() {
        let offset = "<plist version=\"1.0\">".len();
        for (inside, message, at) in [
            ("<array/>", "the root of this property list is `<array>`, but it must be a dictionary (`<dict>`)", 0),
            ("", "the root of this property list is empty, but it must be a dictionary (`<dict>`)", -21),
            ("<dict><key>a</key></dict>", "the key `a` has no value", 6),
            ("<dict><key>a</key><key>b</key><true/></dict>", "the key `a` has no value", 6),
            ("<dict><string>a</string></dict>", "a `<key>` was expected here, not `<string>`", 6),
            ("<dict><key>a</key><integer>1.5</integer></dict>", "`1.5` is not a whole number", 27),
            ("<dict><key>a</key><bool>1</bool></dict>", "`<bool>` is not a type of a property list", 18),
            ("<dict> oops </dict>", "text is not allowed directly inside `<dict>`", 7),
            ("<dict/><dict/>", "a property list has one value, and here starts a second", 7),
        ] {
            let error = list(inside).unwrap_err();
            assert_eq!(error.to_string(), message);
            assert_eq!(error.span().start as i64, offset as i64 + at, "{inside}");
        }
        let other = PropertyList::parse("<manifest/>").unwrap_err();
        assert_eq!(other.to_string(), "a property list starts with `<plist>`, not with `<manifest>`");
    }
}
