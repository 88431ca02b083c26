//! The reader. It goes through the bytes once, keeps a stack of its own and stops at the first fault.

use std::sync::OnceLock;

use super::attribute::{StoredAttribute, span};
use super::fault::{XmlError, XmlFault};
use super::names::Numbering;
use super::signs::{AMPERSAND, LESS, SUSPICIOUS, is_name_char, is_name_start, name_length, signs_in};
use super::tree::{Document, NONE, NodeKind, Stored};
use super::{MAX_DEPTH, MAX_NODES, is_xml_char, resolve_reference};
use crate::SharedText;
use crate::Span;

type Result<T> = std::result::Result<T, XmlError>;

pub(super) fn parse(text: SharedText, lenient: bool) -> Result<Document> {
    if u32::try_from(text.len()).is_err() {
        return fail(XmlFault::TooLarge, Span::at(0));
    }
    let mut reader = Reader {
        text: &text,
        bytes: text.as_bytes(),
        at: 0,
        nodes: Vec::with_capacity(text.len() / 24),
        attributes: Vec::with_capacity(text.len() / 40),
        numbering: Numbering::default(),
        open: vec![0],
        bound: Vec::new(),
        own_entities: false,
        lenient,
    };
    reader.read_document()?;
    let Reader { nodes, attributes, numbering, .. } = reader;
    let names = numbering.names;
    let (by_name, bound, layout) = (OnceLock::new(), OnceLock::new(), OnceLock::new());
    let document = Document { text, nodes, attributes, names, by_name, bound, layout };
    check_encoding(&document)?;
    Ok(document)
}

fn check_encoding(document: &Document) -> Result<()> {
    if !document.wants_ascii() {
        return Ok(());
    }
    let body = document.text().trim_start_matches('\u{FEFF}');
    let Some(at) = body.find(|character: char| !character.is_ascii()) else { return Ok(()) };
    let at = at + document.text().len() - body.len();
    let name = document.declared_encoding().unwrap_or_default().to_owned();
    Err(XmlError { fault: XmlFault::Encoding(name), span: Span::at(at), opened: None })
}

struct Reader<'t> {
    text: &'t str,
    bytes: &'t [u8],
    at: usize,
    nodes: Vec<Stored>,
    attributes: Vec<StoredAttribute>,
    numbering: Numbering,
    /// Ids of the open elements, the document first.
    open: Vec<u32>,
    /// The prefixes that open elements bind, each with the number of elements that are open inside of its own.
    bound: Vec<(Span, usize)>,
    /// Whether the document type declaration has a part of its own that may define entities.
    own_entities: bool,
    /// Whether `<` may stand in attribute values.
    lenient: bool,
}

fn fail<T>(fault: XmlFault, span: Span) -> Result<T> {
    Err(XmlError { fault, span, opened: None })
}

/// What the name of an attribute starts with that binds a prefix.
const BINDS: &str = "xmlns:";

/// The most attributes of one tag: each is held against the others.
const MAX_ATTRIBUTES: usize = 1000;

/// Makes an offset what a node keeps of it; a text whose offsets do not fit is refused before.
fn offset(at: usize) -> u32 {
    u32::try_from(at).unwrap_or(NONE)
}

impl Reader<'_> {
    fn peek(&self) -> Option<u8> {
        self.bytes.get(self.at).copied()
    }

    fn rest(&self) -> &[u8] {
        self.bytes.get(self.at..).unwrap_or_default()
    }

    fn source(&self, span: Span) -> &str {
        span.of(self.text)
    }

    fn find(&self, needle: &str, from: usize) -> Option<usize> {
        let rest = self.bytes.get(from..)?;
        let found = match needle.as_bytes() {
            [byte] => memchr::memchr(*byte, rest),
            bytes => memchr::memmem::find(rest, bytes),
        };
        found.map(|found| from + found)
    }

    fn skip_space(&mut self) -> bool {
        let from = self.at;
        while matches!(self.peek(), Some(b' ' | b'\t' | b'\r' | b'\n')) {
            self.at += 1;
        }
        self.at > from
    }

    fn push(&mut self, kind: NodeKind, span: Span) -> Result<u32> {
        let id = u32::try_from(self.nodes.len()).unwrap_or(NONE);
        if self.nodes.len() >= MAX_NODES {
            return fail(XmlFault::TooLarge, Span::at(span.start));
        }
        let parent = self.open.last().copied().unwrap_or(NONE);
        let (start, end) = (offset(span.start), offset(span.end));
        let mut node = Stored {
            kind,
            start,
            end,
            parent: if id == 0 { NONE } else { parent },
            first: NONE,
            last: NONE,
            previous: NONE,
            next: NONE,
            name: NONE,
            open_end: end,
            close_start: end,
            attributes: (0, 0),
        };
        if id != 0
            && let Some(holder) = self.nodes.get_mut(parent as usize)
        {
            node.previous = std::mem::replace(&mut holder.last, id);
            if holder.first == NONE {
                holder.first = id;
            }
            let previous = node.previous;
            if let Some(previous) = self.nodes.get_mut(previous as usize) {
                previous.next = id;
            }
        }
        self.nodes.push(node);
        Ok(id)
    }

    fn read_document(&mut self) -> Result<()> {
        self.push(NodeKind::Document, Span::new(0, self.bytes.len()))?;
        if self.bytes.starts_with("\u{FEFF}".as_bytes()) {
            self.at = 3;
        }
        let mut root = None;
        while let Some(byte) = self.peek() {
            if byte != b'<' {
                self.read_text()?;
                continue;
            }
            match self.bytes.get(self.at + 1) {
                Some(b'!' | b'?') => self.read_special()?,
                Some(b'/') => self.read_end_tag()?,
                _ => {
                    if self.open.len() == 1
                        && let Some(name) = root.replace(self.at)
                    {
                        let is_root = |node: &&Stored| node.start as usize == name && node.kind == NodeKind::Element;
                        let name =
                            self.nodes.iter().find(is_root).map(|node| self.numbering.names.of(node.name).to_owned());
                        let name = name.unwrap_or_default();
                        return fail(XmlFault::SecondRoot(name), Span::new(self.at, self.at + 1));
                    }
                    self.read_start_tag()?;
                }
            }
        }
        if let Some(open) = self.open.get(1..).and_then(<[u32]>::last) {
            let node = self.nodes.get(*open as usize);
            let (name, tag) =
                node.map(|node| (self.numbering.names.of(node.name).to_owned(), open_of(node))).unwrap_or_default();
            return fail(XmlFault::Unclosed(name), tag);
        }
        match root {
            Some(_) => Ok(()),
            None => fail(XmlFault::NoElement, Span::at(self.at)),
        }
    }

    fn read_text(&mut self) -> Result<()> {
        let start = self.at;
        let end = self.find("<", start).unwrap_or(self.bytes.len());
        let span = Span::new(start, end);
        self.check_text(span)?;
        if self.open.len() == 1 {
            let text = self.source(span);
            if let Some(stray) = text.find(|character| !matches!(character, ' ' | '\t' | '\r' | '\n')) {
                return fail(XmlFault::StrayText, Span::new(start + stray, end));
            }
        }
        self.push(NodeKind::Text, span)?;
        self.at = end;
        Ok(())
    }

    /// Looks for characters that may not stand here and for references that lead nowhere. Plain text is the rule: the bytes tell
    /// whether there is anything to look at.
    fn check_text(&self, span: Span) -> Result<()> {
        self.check_signs(span, signs_in(self.source(span)))
    }

    fn check_signs(&self, span: Span, signs: u8) -> Result<()> {
        if signs & SUSPICIOUS != 0 {
            self.check_characters(span)?;
        }
        if signs & AMPERSAND != 0 { self.check_references(span) } else { Ok(()) }
    }

    fn check_references(&self, span: Span) -> Result<()> {
        let text = self.source(span);
        for (at, _) in text.match_indices('&') {
            let after = text.get(at + 1..).unwrap_or_default();
            let name = after.split_once(';').map(|(name, _)| name).filter(|name| {
                !name.is_empty() && name.chars().all(|character| is_name_char(character) || character == '#')
            });
            let place = Span::new(span.start + at, span.start + at + 1 + name.map_or(0, |name| name.len() + 1));
            let Some(name) = name else {
                return fail(XmlFault::Syntax("a lone `&` is not allowed here; write `&amp;`"), place);
            };
            if resolve_reference(name).is_none() {
                if name.starts_with('#') {
                    return fail(XmlFault::Syntax("this character reference names no character of XML"), place);
                }
                if !self.own_entities {
                    return fail(XmlFault::UnknownEntity(name.to_owned()), place);
                }
            }
        }
        Ok(())
    }

    fn check_characters(&self, span: Span) -> Result<()> {
        let text = self.source(span);
        if signs_in(text) & SUSPICIOUS == 0 {
            return Ok(());
        }
        match text.char_indices().find(|(_, character)| !is_xml_char(*character)) {
            Some((at, character)) => {
                let start = span.start + at;
                fail(XmlFault::Character(u32::from(character)), Span::new(start, start + character.len_utf8()))
            }
            None => Ok(()),
        }
    }

    fn read_special(&mut self) -> Result<()> {
        let start = self.at;
        let outside = self.open.len() == 1;
        let (kind, what, opener, closer) = if self.rest().starts_with(b"<!--") {
            (NodeKind::Comment, "comment", 4, "-->")
        } else if self.rest().starts_with(b"<![CDATA[") {
            if outside {
                return fail(XmlFault::StrayText, Span::new(start, start + 9));
            }
            (NodeKind::CData, "CDATA section", 9, "]]>")
        } else if self.rest().starts_with(b"<?") {
            (NodeKind::Instruction, "processing instruction", 2, "?>")
        } else if self.rest().starts_with(b"<!DOCTYPE") && outside {
            return self.read_doctype();
        } else {
            return fail(
                XmlFault::Syntax("`<!` starts neither a comment nor a CDATA section here"),
                Span::new(start, start + 2),
            );
        };
        let Some(end) = self.find(closer, start + opener) else {
            return fail(XmlFault::Unterminated(what), Span::new(start, start + opener));
        };
        let inside = Span::new(start + opener, end);
        self.check_characters(inside)?;
        if kind == NodeKind::Comment {
            let dashes = self
                .source(inside)
                .find("--")
                .or_else(|| self.source(inside).ends_with('-').then_some(inside.len() - 1));
            if let Some(dashes) = dashes {
                let place = Span::new(inside.start + dashes, inside.start + dashes + 2);
                return fail(XmlFault::Syntax("two dashes are not allowed inside a comment"), place);
            }
        }
        if kind == NodeKind::Instruction && self.source(inside).starts_with("xml ") && !matches!(start, 0 | 3) {
            let place = Span::new(start, start + 5);
            return fail(XmlFault::Syntax("the XML declaration is only allowed at the very start of the file"), place);
        }
        self.at = end + closer.len();
        self.push(kind, Span::new(start, self.at))?;
        Ok(())
    }

    /// Steps over a document type declaration; nothing in it is read, and no file that it names is opened.
    fn read_doctype(&mut self) -> Result<()> {
        let start = self.at;
        let mut inner = 0usize;
        let mut at = start + 9;
        while let Some(byte) = self.bytes.get(at) {
            match byte {
                b'"' | b'\'' => {
                    let quote = if *byte == b'"' { "\"" } else { "'" };
                    match self.find(quote, at + 1) {
                        Some(end) => at = end,
                        None => break,
                    }
                }
                b'[' => {
                    inner += 1;
                    self.own_entities = true;
                }
                b']' => inner = inner.saturating_sub(1),
                b'<' if self.bytes.get(at..).unwrap_or_default().starts_with(b"<!--") => match self.find("-->", at) {
                    Some(end) => at = end + 2,
                    None => break,
                },
                b'>' if inner == 0 => {
                    self.at = at + 1;
                    self.push(NodeKind::Doctype, Span::new(start, self.at))?;
                    return Ok(());
                }
                _ => {}
            }
            at += 1;
        }
        fail(XmlFault::Unterminated("document type declaration"), Span::new(start, start + 9))
    }

    fn read_name(&mut self) -> Span {
        let start = self.at;
        self.at += name_length(self.text.get(start..).unwrap_or_default());
        Span::new(start, self.at)
    }

    fn read_start_tag(&mut self) -> Result<()> {
        let start = self.at;
        self.at += 1;
        let name = self.read_name();
        if !self.source(name).starts_with(is_name_start) {
            let fault = XmlFault::Syntax("`<` must be followed by a name here; write `&lt;` for the sign itself");
            return fail(fault, Span::new(start, start + 1));
        }
        if self.open.len() > MAX_DEPTH {
            return fail(XmlFault::TooDeep, Span::new(start, name.end));
        }
        let first = self.attributes.len();
        let closed = loop {
            let spaced = self.skip_space();
            match self.peek() {
                Some(b'>') => break false,
                Some(b'/') if self.bytes.get(self.at + 1) == Some(&b'>') => break true,
                None | Some(b'<') => return fail(XmlFault::Unterminated("tag"), Span::new(start, name.end)),
                Some(_) if spaced => self.read_attribute(first)?,
                Some(_) => {
                    let fault = XmlFault::Syntax("white space is missing before this attribute");
                    return fail(fault, Span::new(self.at, self.at + self.char_len()));
                }
            }
        };
        self.at += if closed { 2 } else { 1 };
        let open = Span::new(start, self.at);
        let id = self.push(NodeKind::Element, open)?;
        let attributes = (offset(first), offset(self.attributes.len()));
        let number = self.numbering.number(name.of(self.text));
        if let Some(node) = self.nodes.get_mut(id as usize) {
            (node.name, node.attributes) = (number, attributes);
        }
        self.open.push(id);
        for attribute in self.attributes.get(first..).unwrap_or_default() {
            let name = attribute.name();
            if name.of(self.text).starts_with(BINDS) {
                self.bound.push((Span::new(name.start + BINDS.len(), name.end), self.open.len()));
            }
        }
        self.check_prefixes(name, first)?;
        if closed {
            self.close();
        }
        Ok(())
    }

    fn char_len(&self) -> usize {
        self.text.get(self.at..).and_then(|rest| rest.chars().next()).map_or(0, char::len_utf8)
    }

    fn read_attribute(&mut self, first: usize) -> Result<()> {
        if self.attributes.len() - first >= MAX_ATTRIBUTES {
            return fail(XmlFault::Syntax("a tag with so many attributes is not read"), Span::at(self.at));
        }
        let name = self.read_name();
        if !self.source(name).starts_with(is_name_start) {
            let fault = XmlFault::Syntax("an attribute name was expected here");
            return fail(fault, Span::new(self.at, self.at + self.char_len()));
        }
        self.skip_space();
        if self.peek() != Some(b'=') {
            return fail(XmlFault::Syntax("this attribute has no value"), name);
        }
        self.at += 1;
        self.skip_space();
        let quote = match self.peek() {
            Some(b'"') => "\"",
            Some(b'\'') => "'",
            _ => return fail(XmlFault::Syntax("the value of this attribute must be in quotes"), name),
        };
        let start = self.at + 1;
        let Some(end) = self.find(quote, start) else {
            return fail(XmlFault::Unterminated("attribute value"), Span::new(name.start, start));
        };
        let value = Span::new(start, end);
        let signs = signs_in(self.source(value));
        let less = if signs & LESS == 0 { None } else { self.source(value).find('<') };
        if let Some(at) = less.filter(|_| !self.lenient || self.source(value).contains('\n')) {
            let fault = XmlFault::Syntax("`<` is not allowed in an attribute value; write `&lt;`, or close the quotes");
            return fail(fault, Span::new(start + at, start + at + 1));
        }
        self.check_signs(value, signs)?;
        self.at = end + 1;
        let earlier = self.attributes.get(first..).unwrap_or_default();
        if earlier.iter().any(|other| self.source(other.name()) == self.source(name)) {
            return fail(XmlFault::DuplicateAttribute(self.source(name).to_owned()), name);
        }
        let name = (offset(name.start), offset(name.len()));
        let refers = signs & AMPERSAND != 0;
        self.attributes.push(StoredAttribute::new(name, (offset(value.start), offset(value.end)), refers));
        Ok(())
    }

    fn check_prefixes(&self, name: Span, first: usize) -> Result<()> {
        let names = self.attributes.get(first..).unwrap_or_default().iter().map(|attribute| attribute.name());
        for name in names.chain([name]) {
            let written = self.source(name);
            let Some(prefix) = written.bytes().position(|byte| byte == b':').and_then(|at| written.get(..at)) else {
                continue;
            };
            if matches!(prefix, "xmlns" | "xml") || self.is_bound(prefix) {
                continue;
            }
            return fail(XmlFault::UnboundPrefix(prefix.to_owned()), name);
        }
        Ok(())
    }

    fn is_bound(&self, prefix: &str) -> bool {
        self.bound.iter().rev().any(|(bound, _)| bound.of(self.text) == prefix)
    }

    fn read_end_tag(&mut self) -> Result<()> {
        let start = self.at;
        self.at += 2;
        let name = self.read_name();
        self.skip_space();
        if self.peek() != Some(b'>') {
            return fail(XmlFault::Unterminated("end tag"), Span::new(start, name.end));
        }
        self.at += 1;
        let close = Span::new(start, self.at);
        let found = self.source(name);
        let open = self.open.last().copied().filter(|_| self.open.len() > 1);
        let Some(node) = open.and_then(|open| self.nodes.get(open as usize)) else {
            return fail(XmlFault::StrayEndTag(found.to_owned()), close);
        };
        let expected = self.numbering.names.of(node.name);
        if expected != found {
            let fault = XmlFault::WrongEndTag { found: found.to_owned(), open: expected.to_owned() };
            return Err(XmlError { fault, span: close, opened: Some(open_of(node)) });
        }
        if let Some(node) = open.and_then(|open| self.nodes.get_mut(open as usize)) {
            (node.close_start, node.end) = (offset(close.start), offset(close.end));
        }
        self.close();
        Ok(())
    }

    /// Leaves the innermost element, and what it binds.
    fn close(&mut self) {
        while self.bound.last().is_some_and(|(_, depth)| *depth >= self.open.len()) {
            self.bound.pop();
        }
        self.open.pop();
    }
}

fn open_of(node: &Stored) -> Span {
    span(node.start, node.open_end)
}

#[cfg(test)]
mod tests {
    use super::*;

    const A: &str = "http://schemas.android.com/apk/res/android";

    fn fault(text: &str) -> (String, usize) {
        let error = Document::parse(text).unwrap_err();
        (error.to_string(), error.span.start)
    }

    #[test]
    fn spans_lead_back_to_the_source() {
        let text = "\u{FEFF}<?xml version='1.0' encoding='utf-8'?>\r\n<!DOCTYPE m [<!ENTITY e \"x>y\">]>\n<m xmlns:a=\"http://schemas.android.com/apk/res/android\">\n  <!-- c --><p a:name = 'v&amp;w'/>&e;<![CDATA[<&]]></m>\n";
        let document = Document::parse(text).unwrap();
        assert_eq!(document.text(), text);
        assert_eq!(document.declared_encoding(), Some("utf-8"));
        let p = document.root().child("p").unwrap();
        assert_eq!(p.value(A, "name").unwrap(), "v&w");
        assert_eq!(p.node().source(), "<p a:name = 'v&amp;w'/>");
        assert_eq!(document.root().text().trim(), "&e;<&", "an entity of its own is never expanded");
        assert_eq!(p.prefix_of(A), Some("a"));
    }

    #[test]
    fn faults_say_what_and_where() {
        let cases = [
            ("<a><b></a>", "`</a>` closes nothing here: `<b>` is still open", 6),
            ("<a><b>", "`<b>` is never closed", 3),
            ("</a>", "`</a>` closes nothing: no element is open", 0),
            ("<a/><b/>", "there is more after the end of `<a>`, but a document has one outermost element", 4),
            ("<a x='1' x='2'/>", "the attribute `x` is declared twice in this tag", 9),
            ("<a x=1/>", "the value of this attribute must be in quotes", 3),
            ("<a x/>", "this attribute has no value", 3),
            ("<a>&nbsp;</a>", "`&nbsp;` is not an entity of XML; write `&amp;` for an ampersand", 3),
            ("<a>B & B</a>", "a lone `&` is not allowed here; write `&amp;`", 5),
            ("<a><!-- x -- y --></a>", "two dashes are not allowed inside a comment", 10),
            ("<a q:n='1'/>", "the prefix `q:` is not declared: `xmlns:q` is missing", 3),
            ("<a>\u{1b}</a>", "the character U+001B is not allowed in XML", 3),
            ("<a x='", "this attribute value has no end", 3),
            ("<a x='1'y='2'/>", "white space is missing before this attribute", 8),
            ("", "the document has no element", 0),
            ("<a\u{2028} />", "white space is missing before this attribute", 2),
            ("hello <a/>", "there is text outside the outermost element", 0),
            ("<a", "this tag has no end", 0),
        ];
        for (text, message, at) in cases {
            assert_eq!(fault(text), (message.to_owned(), at), "{text}");
        }
    }

    #[test]
    fn a_tag_with_too_many_attributes_is_refused() {
        let tag = |number: usize| format!("<a{}/>", (0..number).map(|at| format!(" n{at}='1'")).collect::<String>());
        assert!(Document::parse(tag(1000)).is_ok());
        assert!(Document::parse(tag(1001)).is_err() && Document::parse(tag(100_000)).is_err());
    }

    #[test]
    fn a_very_deep_document_is_refused() {
        let deep = "<a>".repeat(1_000_000);
        assert_eq!(Document::parse(deep).unwrap_err().fault, XmlFault::TooDeep);
    }

    #[test]
    fn another_declared_encoding_holds_ascii_only() {
        let plain = "<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><a/>";
        assert!(Document::parse(plain).unwrap().wants_ascii());
        let (message, at) = fault("<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><a>é</a>");
        assert!(message.contains("ISO-8859-1"), "{message}");
        assert_eq!(at, 46);
    }
}
