//! The effective manifest as XML.

use std::fmt::Write as _;

use elvask_markup::xml::{Place as Where, escape};

use super::{Merged, MergedElement, Space};
use crate::names::ANDROID;
use crate::source::Place;

pub(super) fn print(merged: &Merged<'_>, origins: Option<&dyn Fn(Place) -> String>) -> String {
    let mut spaces: Vec<&str> = Vec::new();
    for element in merged.all() {
        for attribute in &element.attributes {
            if let Space::Other(address) = &attribute.name.space
                && !spaces.contains(&address.as_ref())
            {
                spaces.push(address);
            }
        }
    }
    let mut printer =
        Printer { merged, origins, spaces, out: String::from("<?xml version=\"1.0\" encoding=\"utf-8\"?>\n") };
    printer.element(merged.root(), 0);
    printer.out
}

struct Printer<'m, 'd> {
    merged: &'m Merged<'d>,
    origins: Option<&'m dyn Fn(Place) -> String>,
    /// The addresses of further namespaces, in the order of their prefixes.
    spaces: Vec<&'m str>,
    out: String,
}

impl Printer<'_, '_> {
    fn element(&mut self, element: &MergedElement<'_>, depth: usize) {
        let indent = "    ".repeat(depth);
        if let Some(origins) = self.origins {
            // Two dashes would end the comment.
            let origin = origins(element.place).replace("--", "- -");
            let _ = writeln!(self.out, "{indent}<!-- {origin} -->");
        }
        let mut attributes: Vec<String> = Vec::new();
        if depth == 0 {
            attributes.push(format!("xmlns:android=\"{ANDROID}\""));
            for (at, address) in self.spaces.iter().enumerate() {
                attributes.push(format!("xmlns:ns{at}=\"{}\"", escape(address, Where::Attribute('"'), false)));
            }
        }
        for attribute in &element.attributes {
            let name = match &attribute.name.space {
                Space::Plain => attribute.name.local.to_string(),
                Space::Android => format!("android:{}", attribute.name.local),
                Space::Tools | Space::Binding => continue,
                Space::Other(address) => {
                    let at = self.spaces.iter().position(|known| known == address).unwrap_or_default();
                    format!("ns{at}:{}", attribute.name.local)
                }
            };
            attributes.push(format!("{name}=\"{}\"", escape(&attribute.value, Where::Attribute('"'), false)));
        }
        let _ = write!(self.out, "{indent}<{}", element.name);
        match attributes.as_slice() {
            [only] => {
                let _ = write!(self.out, " {only}");
            }
            several => {
                for attribute in several {
                    let _ = write!(self.out, "\n{indent}    {attribute}");
                }
            }
        }
        if element.children.is_empty() {
            self.out.push_str("/>\n");
            return;
        }
        self.out.push_str(">\n");
        for child in self.merged.children(element) {
            self.element(child, depth + 1);
        }
        let _ = writeln!(self.out, "{indent}</{}>", element.name);
    }
}
