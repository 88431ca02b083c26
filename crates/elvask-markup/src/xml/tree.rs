//! The tree of a document: nodes that know their spans, kept in one list.

use std::borrow::Cow;
use std::sync::OnceLock;

use super::attribute::{Attribute, StoredAttribute, span};
use super::fault::XmlError;
use super::names::Names;
use super::parse;
use super::unescape;
use crate::SharedText;
use crate::Span;

/// What a node is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NodeKind {
    /// The document itself, parent of all that stands at the outermost level.
    Document,
    /// An element with its tags and all between them.
    Element,
    /// Character data, white space included.
    Text,
    /// A CDATA section.
    CData,
    /// A comment.
    Comment,
    /// A processing instruction or the XML declaration.
    Instruction,
    /// The document type declaration.
    Doctype,
}

pub(super) const NONE: u32 = u32::MAX;

/// One node as stored; use [`Node`] and [`Element`] to read it. Offsets are kept in 32 bits: a manifest has many nodes.
#[derive(Debug, Clone)]
pub(super) struct Stored {
    pub(super) kind: NodeKind,
    pub(super) start: u32,
    pub(super) end: u32,
    pub(super) parent: u32,
    pub(super) first: u32,
    pub(super) last: u32,
    pub(super) previous: u32,
    pub(super) next: u32,
    /// Of elements: the number of the name, which stands one byte behind the start.
    pub(super) name: u32,
    /// Of elements: the end of the start tag.
    pub(super) open_end: u32,
    /// Of elements with an end tag: where that starts; of an element closed in its start tag: its end.
    pub(super) close_start: u32,
    /// Of elements: the first attribute and the one past the last.
    pub(super) attributes: (u32, u32),
}

/// A prefix, and the namespace that it stands for.
pub(super) type Binding = (Box<str>, Box<str>);

/// An XML document: its text, and where in it everything is.
#[derive(Debug, Clone)]
pub struct Document {
    pub(super) text: SharedText,
    pub(super) nodes: Vec<Stored>,
    pub(super) attributes: Vec<StoredAttribute>,
    pub(super) names: Names,
    /// The elements of each name, by its number; made at the first question.
    pub(super) by_name: OnceLock<Vec<Vec<u32>>>,
    /// The prefixes and what they stand for, where the outermost element alone binds some; looked for once.
    pub(super) bound: OnceLock<Option<Vec<Binding>>>,
    /// What plans learn of the whole document, once.
    pub(super) layout: OnceLock<Layout>,
}

/// How a document is written, as far as that takes a walk through all of it.
#[derive(Debug, Clone)]
pub(super) struct Layout {
    /// One step of indentation.
    pub(super) indent: String,
}

impl Document {
    /// Reads a document. The text may start with a byte order mark.
    ///
    /// # Errors
    /// The first fault that keeps a platform's reader from reading the document, with its place.
    pub fn parse(text: impl Into<SharedText>) -> Result<Self, XmlError> {
        parse::parse(text.into(), false)
    }

    /// Reads a document as readers do that go through it letter by letter: they take `<` in the value of an attribute as it is.
    /// A value that holds it and goes over several lines is a quote that was not closed.
    ///
    /// # Errors
    /// As [`Document::parse`].
    pub fn parse_lenient(text: impl Into<SharedText>) -> Result<Self, XmlError> {
        parse::parse(text.into(), true)
    }

    /// Returns the text that was read, unchanged.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Returns the text that was read, to be kept elsewhere too.
    #[must_use]
    pub fn shared_text(&self) -> SharedText {
        self.text.clone()
    }

    /// Returns the outermost element.
    #[must_use]
    pub fn root(&self) -> Element<'_> {
        let root = self.document().children().find_map(Node::element);
        // The parser refuses a document without an element; should one ever come by, the document node stands in.
        root.unwrap_or(Element { document: self, id: 0 })
    }

    /// Returns the prefixes that are bound, with what they stand for; `None` where another element than the outermost one binds some.
    fn bound_at_the_top(&self) -> Option<&[Binding]> {
        let bound = self.bound.get_or_init(|| {
            let (from, to) = self.root().node().stored().attributes;
            let mut bound: Vec<Binding> = Vec::new();
            for (at, attribute) in self.attributes.iter().enumerate() {
                let Some(prefix) = attribute.name().of(&self.text).strip_prefix("xmlns:") else { continue };
                if !(from as usize..to as usize).contains(&at) {
                    return None;
                }
                bound.push((prefix.into(), unescape(attribute.open().value.of(&self.text)).into()));
            }
            Some(bound)
        });
        bound.as_deref()
    }

    /// Says whether another element than the outermost one binds a prefix.
    #[must_use]
    pub fn binds_below_the_root(&self) -> bool {
        self.bound_at_the_top().is_none()
    }

    /// Returns the node that holds everything.
    #[must_use]
    pub fn document(&self) -> Node<'_> {
        Node { document: self, id: 0 }
    }

    /// Goes through all elements in the order of their start tags.
    pub fn elements(&self) -> impl Iterator<Item = Element<'_>> {
        (0..self.nodes.len()).filter_map(|id| Node { document: self, id: u32::try_from(id).ok()? }.element())
    }

    /// Returns the innermost element between whose tags a byte offset lies; `None` for what lies outside the root, or in a tag.
    #[must_use]
    pub fn around(&self, offset: usize) -> Option<Element<'_>> {
        // Nodes are kept in the order in which they start.
        let last = self.nodes.partition_point(|node| (node.start as usize) < offset).checked_sub(1)?;
        let mut at = Some(Node { document: self, id: u32::try_from(last).ok()? });
        while let Some(node) = at {
            let content = node.element().filter(|element| element.close().is_some()).map(Element::content);
            if content.is_some_and(|content| content.start <= offset && offset <= content.end) {
                return node.element();
            }
            at = node.other(node.stored().parent);
        }
        None
    }

    pub(super) fn layout(&self) -> &Layout {
        self.layout.get_or_init(|| Layout { indent: super::plan::indent_of(self) })
    }

    /// Returns how many elements there are.
    #[must_use]
    pub fn count_of_elements(&self) -> usize {
        self.nodes.iter().filter(|node| node.kind == NodeKind::Element).count()
    }

    /// Goes through the elements of a name, in the order of their start tags, without a look at any other.
    pub fn named(&self, name: &str) -> impl DoubleEndedIterator<Item = Element<'_>> + use<'_> {
        let of_all = self.by_name.get_or_init(|| {
            let mut of_all = vec![Vec::new(); self.names.count()];
            for (id, node) in (0..).zip(&self.nodes) {
                if let (NodeKind::Element, Some(of_name)) = (node.kind, of_all.get_mut(node.name as usize)) {
                    of_name.push(id);
                }
            }
            of_all
        });
        let number = self.names.known(name);
        let ids = number.and_then(|number| of_all.get(number as usize)).map(Vec::as_slice).unwrap_or_default();
        ids.iter().map(|id| Element { document: self, id: *id })
    }

    /// Returns the encoding that the XML declaration names, where it names one.
    #[must_use]
    pub fn declared_encoding(&self) -> Option<&str> {
        let declaration = self.document().children().find(|node| node.kind() == NodeKind::Instruction)?;
        let text = declaration.source().strip_prefix("<?xml")?;
        let (_, after) = text.split_once("encoding")?;
        let quoted = after.trim_start().strip_prefix('=')?.trim_start();
        let quote = quoted.chars().next().filter(|quote| matches!(quote, '"' | '\''))?;
        quoted.split(quote).nth(1)
    }

    /// Says whether new text must be plain ASCII because the document declares another encoding than UTF-8.
    #[must_use]
    pub fn wants_ascii(&self) -> bool {
        self.declared_encoding().is_some_and(|name| !name.eq_ignore_ascii_case("utf-8"))
    }

    pub(super) fn stored(&self, id: u32) -> &Stored {
        #[expect(clippy::indexing_slicing, reason = "ids are made by the parser and never leave their document")]
        &self.nodes[id as usize]
    }
}

/// A node of a document.
#[derive(Debug, Clone, Copy)]
pub struct Node<'d> {
    pub(super) document: &'d Document,
    pub(super) id: u32,
}

impl PartialEq for Node<'_> {
    fn eq(&self, other: &Self) -> bool {
        self.id == other.id && std::ptr::eq(self.document, other.document)
    }
}

impl<'d> Node<'d> {
    fn stored(self) -> &'d Stored {
        self.document.stored(self.id)
    }

    fn other(self, id: u32) -> Option<Node<'d>> {
        (id != NONE).then_some(Node { document: self.document, id })
    }

    /// Returns what the node is.
    #[must_use]
    pub fn kind(self) -> NodeKind {
        self.stored().kind
    }

    /// Returns the bytes that the node covers.
    #[must_use]
    pub fn span(self) -> Span {
        let stored = self.stored();
        span(stored.start, stored.end)
    }

    /// Returns the node as it is written.
    #[must_use]
    pub fn source(self) -> &'d str {
        self.span().of(&self.document.text)
    }

    /// Returns the node as an element, where it is one.
    #[must_use]
    pub fn element(self) -> Option<Element<'d>> {
        (self.kind() == NodeKind::Element).then_some(Element { document: self.document, id: self.id })
    }

    /// Returns the node before this one under the same parent.
    #[must_use]
    pub fn previous(self) -> Option<Node<'d>> {
        self.other(self.stored().previous)
    }

    /// Returns the node after this one under the same parent.
    #[must_use]
    pub fn next(self) -> Option<Node<'d>> {
        self.other(self.stored().next)
    }

    /// Goes through the nodes directly inside this one.
    pub fn children(self) -> impl DoubleEndedIterator<Item = Node<'d>> + use<'d> {
        let ends = self.other(self.stored().first).zip(self.other(self.stored().last));
        Siblings { ends }
    }

    /// Says whether the node is character data of white space alone.
    #[must_use]
    pub fn is_blank(self) -> bool {
        let is_space = |byte| matches!(byte, b' ' | b'\t' | b'\r' | b'\n');
        self.kind() == NodeKind::Text && self.source().bytes().all(is_space)
    }
}

/// Neighbours under one parent, from the first to the last of them.
struct Siblings<'d> {
    ends: Option<(Node<'d>, Node<'d>)>,
}

impl<'d> Iterator for Siblings<'d> {
    type Item = Node<'d>;

    fn next(&mut self) -> Option<Node<'d>> {
        let (first, last) = self.ends?;
        self.ends = if first == last { None } else { first.next().map(|next| (next, last)) };
        Some(first)
    }
}

impl DoubleEndedIterator for Siblings<'_> {
    fn next_back(&mut self) -> Option<Self::Item> {
        let (first, last) = self.ends?;
        self.ends = if first == last { None } else { last.previous().map(|previous| (first, previous)) };
        Some(last)
    }
}

/// An element of a document.
#[derive(Debug, Clone, Copy)]
pub struct Element<'d> {
    pub(crate) document: &'d Document,
    pub(crate) id: u32,
}

impl PartialEq for Element<'_> {
    fn eq(&self, other: &Self) -> bool {
        self.node() == other.node()
    }
}

impl<'d> Element<'d> {
    /// Returns the element as a node.
    #[must_use]
    pub fn node(self) -> Node<'d> {
        Node { document: self.document, id: self.id }
    }

    /// Returns the document that the element is part of.
    #[must_use]
    pub fn document(self) -> &'d Document {
        self.document
    }

    /// Returns the name with its prefix, as in the start tag.
    #[must_use]
    pub fn name(self) -> &'d str {
        self.document.names.of(self.node().stored().name)
    }

    /// Returns where the name stands in the start tag.
    #[must_use]
    pub fn name_span(self) -> Span {
        let start = self.node().stored().start as usize + 1;
        Span::new(start, start + self.name().len())
    }

    /// Returns all that the element covers, both tags included.
    #[must_use]
    pub fn span(self) -> Span {
        self.node().span()
    }

    /// Returns the start tag, from `<` to `>`.
    #[must_use]
    pub fn open(self) -> Span {
        let stored = self.node().stored();
        span(stored.start, stored.open_end)
    }

    /// Returns the end tag; `None` where the start tag closes the element (`<a/>`).
    #[must_use]
    pub fn close(self) -> Option<Span> {
        let stored = self.node().stored();
        Some(span(stored.close_start, stored.end)).filter(|span| !span.is_empty())
    }

    /// Returns the element around this one.
    #[must_use]
    pub fn parent(self) -> Option<Element<'d>> {
        self.node().other(self.node().stored().parent)?.element()
    }

    /// Goes through the elements directly inside this one.
    pub fn children(self) -> impl DoubleEndedIterator<Item = Element<'d>> + use<'d> {
        self.node().children().filter_map(Node::element)
    }

    /// Goes through the elements of one name directly inside this one.
    pub fn children_named<'n>(self, name: &'n str) -> impl DoubleEndedIterator<Item = Element<'d>> + use<'d, 'n> {
        self.children().filter(move |child| child.name() == name)
    }

    /// Returns the first element of that name directly inside this one.
    #[must_use]
    pub fn child(self, name: &str) -> Option<Element<'d>> {
        self.children_named(name).next()
    }

    fn stored_attributes(self) -> &'d [StoredAttribute] {
        let (from, to) = self.node().stored().attributes;
        self.document.attributes.get(from as usize..to as usize).unwrap_or_default()
    }

    /// Goes through the attributes in the order in which they are written.
    pub fn attributes(self) -> impl ExactSizeIterator<Item = Attribute> + use<'d> {
        self.stored_attributes().iter().map(|attribute| attribute.open())
    }

    /// Returns the attribute that is written with this name, prefix included.
    #[must_use]
    pub fn attribute_written(self, name: &str) -> Option<Attribute> {
        let written = |attribute: &&StoredAttribute| attribute.name().of(&self.document.text) == name;
        self.stored_attributes().iter().find(written).map(|attribute| attribute.open())
    }

    /// Returns the attribute of a namespace, whatever prefix the document gives to it.
    #[must_use]
    pub fn attribute(self, namespace: &str, local: &str) -> Option<Attribute> {
        if let Some(bound) = self.document.bound_at_the_top() {
            // Where the outermost element alone binds prefixes, a namespace that none stands for is nowhere, and one that has one prefix has
            // that everywhere. Lengths are compared first: the letters are far away.
            let mut prefixes = bound.iter().filter(|(_, known)| **known == *namespace).map(|(prefix, _)| &**prefix);
            let prefix = prefixes.next()?;
            if prefixes.next().is_none() {
                let is_it = |attribute: &&StoredAttribute| {
                    let name = attribute.name();
                    let rest = || name.of(&self.document.text).strip_prefix(prefix)?.strip_prefix(':');
                    name.len() == prefix.len() + 1 + local.len() && rest() == Some(local)
                };
                return self.stored_attributes().iter().find(is_it).map(|attribute| attribute.open());
            }
        }
        let is_it = |attribute: &&StoredAttribute| {
            let written = attribute.name().of(&self.document.text);
            let prefix = written.strip_suffix(local).and_then(|start| start.strip_suffix(':'));
            prefix.is_some_and(|prefix| !prefix.contains(':') && self.namespace(prefix).as_deref() == Some(namespace))
        };
        self.stored_attributes().iter().find(is_it).map(|attribute| attribute.open())
    }

    /// Returns the value of an attribute of a namespace, references replaced.
    #[must_use]
    pub fn value(self, namespace: &str, local: &str) -> Option<Cow<'d, str>> {
        self.attribute(namespace, local).map(|attribute| self.value_of(attribute))
    }

    /// Returns the value of one of the element's attributes, references replaced.
    #[must_use]
    pub fn value_of(self, attribute: Attribute) -> Cow<'d, str> {
        let written = attribute.value.of(&self.document.text);
        if attribute.refers { unescape(written) } else { Cow::Borrowed(written) }
    }

    /// Returns the namespace that a prefix stands for here.
    #[must_use]
    pub fn namespace(self, prefix: &str) -> Option<Cow<'d, str>> {
        if let Some(bound) = self.document.bound_at_the_top() {
            let (_, namespace) = bound.iter().find(|(bound, _)| **bound == *prefix)?;
            return Some(Cow::Borrowed(namespace));
        }
        std::iter::successors(Some(self), |element| element.parent()).find_map(|element| {
            element.attributes().find_map(|attribute| {
                let bound = attribute.name.of(&self.document.text).strip_prefix("xmlns:")?;
                (bound == prefix).then(|| element.value_of(attribute))
            })
        })
    }

    /// Returns the innermost prefix that stands for a namespace here.
    #[must_use]
    pub fn prefix_of(self, namespace: &str) -> Option<&'d str> {
        std::iter::successors(Some(self), |element| element.parent()).find_map(|element| {
            element.attributes().find_map(|attribute| {
                let bound = attribute.name.of(&self.document.text).strip_prefix("xmlns:")?;
                (element.value_of(attribute) == namespace && self.namespace(bound).as_deref() == Some(namespace))
                    .then_some(bound)
            })
        })
    }

    /// Returns the character data directly inside the element, CDATA included, references replaced.
    #[must_use]
    pub fn text(self) -> Cow<'d, str> {
        let mut out = Cow::Borrowed("");
        for node in self.node().children() {
            let piece = match node.kind() {
                NodeKind::Text => unescape(node.source()),
                NodeKind::CData => {
                    let source = node.source();
                    Cow::Borrowed(source.get(9..source.len().saturating_sub(3)).unwrap_or_default())
                }
                _ => continue,
            };
            if out.is_empty() {
                out = piece;
            } else {
                out.to_mut().push_str(&piece);
            }
        }
        out
    }

    /// Returns the bytes between the tags; empty, at the end of the start tag, where there is no end tag.
    #[must_use]
    pub fn content(self) -> Span {
        match self.close() {
            Some(close) => Span::new(self.open().end, close.start),
            None => Span::at(self.open().end),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_element_around_an_offset_is_found() {
        let text = "<!-- a --><m>1<b x='2'/>3<c>4<d/>5</c>6</m> ";
        let document = Document::parse(text).unwrap();
        let around = |sign: &str| document.around(text.find(sign).unwrap()).map(Element::name);
        let found = ["a -->", "1", "2", "3", "4", "5", "</c>", "6", "</m>"].map(around);
        let (m, c) = (Some("m"), Some("c"));
        assert_eq!(found, [None, m, m, m, c, c, c, m, m]);
        assert_eq!(document.around(0).map(Element::name), None);
        assert_eq!(document.around(text.len()).map(Element::name), None);
    }

    #[test]
    fn elements_are_found_by_their_name_and_from_either_end() {
        let document = Document::parse("<m><a n='1'/>x<b n='2'/><!-- c --><a n='3'><a n='4'/></a></m>").unwrap();
        let number = |element: Element<'_>| element.value_of(element.attribute_written("n").unwrap()).into_owned();
        let named = |name: &str| document.named(name).map(number).collect::<Vec<_>>();
        assert_eq!(
            (named("a"), named("b"), named("c")),
            (vec!["1".into(), "3".into(), "4".into()], vec!["2".into()], vec![])
        );
        let nodes = || document.root().node().children();
        let mut back: Vec<_> = nodes().rev().collect();
        back.reverse();
        assert_eq!(nodes().collect::<Vec<_>>(), back);
        let mut ends = document.root().children();
        let taken = [ends.next(), ends.next_back(), ends.next_back(), ends.next(), ends.next_back()];
        assert_eq!(
            taken.map(|one| one.map(number)),
            [Some("1".into()), Some("3".into()), Some("2".into()), None, None]
        );
    }

    #[test]
    fn a_prefix_stands_for_what_the_innermost_element_binds_it_to() {
        let text =
            |outer: &str, inner: &str| format!("<m xmlns:a=\"u&amp;1\"{outer}><b a:n=\"1\"{inner}/><c a:n=\"2\"/></m>");
        let value = |text: &str, element: &str, namespace: &str| {
            let document = Document::parse(text).unwrap();
            let found = document.root().children_named(element).next().unwrap();
            found.value(namespace, "n").map(Cow::into_owned)
        };
        for (outer, inner) in [("", ""), (" xmlns:b=\"v\"", ""), ("", " xmlns:b=\"v\"")] {
            let text = text(outer, inner);
            assert_eq!(value(&text, "b", "u&1").as_deref(), Some("1"), "{text}");
            assert_eq!(value(&text, "b", "v"), None, "{text}");
        }
        let bound_anew = text("", " xmlns:a=\"v\"");
        assert_eq!(value(&bound_anew, "b", "u&1"), None);
        assert_eq!(value(&bound_anew, "b", "v").as_deref(), Some("1"));
        assert_eq!(value(&bound_anew, "c", "u&1").as_deref(), Some("2"), "only inside of that element");
        let document = Document::parse(bound_anew.as_str()).unwrap();
        assert_eq!(document.root().namespace("other"), None);
    }
}
