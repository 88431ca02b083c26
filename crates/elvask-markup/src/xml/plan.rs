//! Plans edits of an XML document in the style of what stands around the place.

use super::attribute::Attribute;
use super::tree::{Document, Element, Node, NodeKind};
use super::{Place, escape};
use crate::{Edit, Span};

/// An element to be written.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Fragment {
    /// The name, prefix included.
    pub name: String,
    /// Attribute names, prefixes included, with their values as they are meant (not escaped).
    pub attributes: Vec<(String, String)>,
    /// What stands inside.
    pub content: Content,
}

/// What stands inside an element to be written.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Content {
    /// Nothing: the element closes itself where the document's style is so.
    #[default]
    Empty,
    /// Character data on one line, as it is meant (not escaped).
    Text(String),
    /// Elements, each on a line of its own.
    Elements(Vec<Fragment>),
}

impl Fragment {
    /// Makes an element without attributes and content.
    pub fn new(name: impl Into<String>) -> Self {
        Fragment { name: name.into(), ..Fragment::default() }
    }

    /// Adds an attribute.
    #[must_use]
    pub fn with(mut self, name: impl Into<String>, value: impl Into<String>) -> Self {
        self.attributes.push((name.into(), value.into()));
        self
    }

    /// Puts elements inside.
    #[must_use]
    pub fn holding(mut self, elements: Vec<Fragment>) -> Self {
        self.content = Content::Elements(elements);
        self
    }

    /// Puts character data inside.
    #[must_use]
    pub fn saying(mut self, text: impl Into<String>) -> Self {
        self.content = Content::Text(text.into());
        self
    }
}

/// Where among the children of an element something new goes.
#[derive(Debug, Clone, Copy)]
pub enum Slot<'d> {
    /// Before all others.
    First,
    /// After all others.
    Last,
    /// After this child, and after a comment on the same line.
    After(Node<'d>),
}

/// Plans the insertion of elements, in their order, at one place inside `parent`.
#[must_use]
pub fn insert(parent: Element<'_>, slot: Slot<'_>, fragments: &[Fragment]) -> Vec<Edit> {
    let style = Style::around(parent, slot);
    let rendered = fragments.iter().map(|fragment| style.render(fragment, &style.indent)).collect::<Vec<_>>();
    insert_rendered(parent, slot, &style, &rendered)
}

/// Plans the insertion of text that the caller writes in the style it is given.
pub(crate) fn insert_with<'d>(
    parent: Element<'d>,
    slot: Slot<'_>,
    write: impl FnOnce(&Style<'d>) -> String,
) -> Vec<Edit> {
    let style = Style::around(parent, slot);
    let rendered = write(&style);
    insert_rendered(parent, slot, &style, &[rendered])
}

/// Plans the move of an element to a place inside another parent, re-indented and otherwise as it is written. A comment
/// that stands right above the element, and above nothing else, goes with it.
#[must_use]
pub fn move_into(element: Element<'_>, parent: Element<'_>, slot: Slot<'_>) -> Vec<Edit> {
    let style = Style::around(parent, slot);
    let text = element.document().text();
    let comment = own_comment(element);
    let start = comment.map_or(element.span().start, |comment| comment.span().start);
    let span = Span::new(start, element.span().end);
    let mut moved = reindent(text, span, &style.indent);
    // A prefix that is declared around the element and not around its new place is declared anew.
    let name_end = reindent(text, Span::new(span.start, element.name_span().end), &style.indent).len();
    for (prefix, namespace) in lost_prefixes(element, parent) {
        let declared = format!(" xmlns:{prefix}=\"{}\"", escape(&namespace, Place::Attribute('"'), true));
        moved.insert_str(name_end, &declared);
    }
    let mut edits = vec![Edit::delete(with_lines(text, span))];
    edits.extend(insert_rendered(parent, slot, &style, &[moved]));
    edits
}

/// Returns the prefixes that an element uses and that stand for something else, or nothing, inside another one.
fn lost_prefixes<'d>(element: Element<'d>, parent: Element<'d>) -> Vec<(&'d str, String)> {
    let document = element.document();
    let mut lost: Vec<(&str, String)> = Vec::new();
    let mut open = vec![element];
    while let Some(one) = open.pop() {
        open.extend(one.children());
        let written = one.attributes().map(|attribute| attribute.name.of(document.text())).chain([one.name()]);
        for (prefix, _) in written.filter_map(|name| name.split_once(':')) {
            // What is declared inside goes along.
            let around =
                || element.parent().and_then(|around| around.namespace(prefix)).map(std::borrow::Cow::into_owned);
            let Some(namespace) = around().filter(|_| !matches!(prefix, "xmlns" | "xml")) else { continue };
            let own = element.attribute_written(&format!("xmlns:{prefix}")).is_some();
            let there = parent.namespace(prefix).is_some_and(|there| there == namespace);
            if !own && !there && !lost.iter().any(|(known, _)| *known == prefix) {
                lost.push((prefix, namespace));
            }
        }
    }
    lost
}

/// Returns the comment that speaks of an element alone: on the lines right above it, with no element right below.
fn own_comment(element: Element<'_>) -> Option<Node<'_>> {
    let text = element.document().text();
    let lines = |node: Node<'_>| node.source().matches('\n').count();
    let above = element.node().previous().filter(|blank| blank.is_blank() && lines(*blank) == 1)?.previous()?;
    let comment = (above.kind() == NodeKind::Comment && starts_line(text, above.span().start)).then_some(above)?;
    let alone = match element.node().next() {
        Some(below) => below.is_blank() && (lines(below) > 1 || below.next().is_none()),
        None => true,
    };
    alone.then_some(comment)
}

/// Returns a part of a text, its later lines moved so that they fit a first line that starts at `indent`.
fn reindent(text: &str, span: Span, indent: &str) -> String {
    let own = line_indent(text, span.start);
    let mut lines = span.of(text).split('\n');
    let mut out = lines.next().unwrap_or_default().to_owned();
    for line in lines {
        out.push('\n');
        match line.strip_prefix(own) {
            Some(rest) if !line.trim().is_empty() => {
                out.push_str(indent);
                out.push_str(rest);
            }
            _ => out.push_str(line),
        }
    }
    out
}

fn insert_rendered(parent: Element<'_>, slot: Slot<'_>, style: &Style<'_>, rendered: &[String]) -> Vec<Edit> {
    let document = parent.document();
    let lead = if style.broken { format!("{}{}", style.newline, style.indent) } else { String::new() };
    let mut inserted: String = rendered.iter().map(|fragment| format!("{lead}{fragment}")).collect();
    if let Slot::After(node) = slot
        && is_block(node.source())
        && rendered.iter().any(|fragment| is_block(fragment))
        && follows_blank_line(document.text(), own_start(node))
        && ends_group(document.text(), node.span().end)
    {
        // Blocks are kept apart here, so the new one is too.
        inserted.insert_str(0, style.newline);
    }
    let last = parent.node().children().rfind(|node| !node.is_blank());
    if last.is_none() {
        return vec![fill_empty(parent, style, &inserted)];
    }
    let at = match slot {
        Slot::First => parent.open().end,
        Slot::Last => last.map_or(parent.open().end, |node| node.span().end),
        Slot::After(node) => end_with_comment(node),
    };
    // Where the neighbour ends a line, so does the new line; where it does not, what follows must not share ours.
    let follows = document.text().get(at..).unwrap_or_default();
    let line_goes_on = !follows.trim_start_matches([' ', '\t']).starts_with(['\r', '\n']);
    if style.broken && line_goes_on {
        let next = if follows.trim_start().starts_with("</") {
            line_indent(document.text(), parent.span().start)
        } else {
            &style.indent
        };
        inserted = format!("{inserted}{}{next}", style.newline);
    }
    vec![Edit::insert(at, inserted)]
}

/// Says whether an element takes more than its own tag.
fn is_block(source: &str) -> bool {
    source.contains("</") && source.contains('\n')
}

/// Returns where a node starts, or the comment right above it.
fn own_start(node: Node<'_>) -> usize {
    let above = node.previous().and_then(Node::previous).filter(|above| above.kind() == NodeKind::Comment);
    let touching = node.previous().is_some_and(|blank| blank.source().matches('\n').count() == 1);
    above.filter(|_| touching).map_or(node.span().start, |comment| comment.span().start)
}

/// Says whether the line before the one at `at` is blank.
fn follows_blank_line(text: &str, at: usize) -> bool {
    let before = text.get(..at).unwrap_or_default().trim_end_matches([' ', '\t']);
    let above = before.strip_suffix('\n').map(|rest| rest.strip_suffix('\r').unwrap_or(rest));
    above.is_some_and(|above| above.trim_end_matches([' ', '\t']).ends_with('\n'))
}

/// Says whether a blank line or an end tag follows the line that ends at `at`.
fn ends_group(text: &str, at: usize) -> bool {
    let tail = text.get(at..).unwrap_or_default().trim_start_matches([' ', '\t']);
    let below = tail.trim_start_matches(['\r', '\n']);
    let line_breaks = tail.get(..tail.len() - below.len()).unwrap_or_default().matches('\n').count();
    line_breaks > 1 || below.trim_start_matches([' ', '\t']).starts_with("</")
}

/// Plans the first content of an element that has none. The edit replaces a tag, so that a second one for the same
/// element is an overlap and not a second line break.
fn fill_empty(parent: Element<'_>, style: &Style<'_>, inserted: &str) -> Edit {
    let text = parent.document().text();
    let close_lead = if style.broken {
        format!("{}{}", style.newline, line_indent(text, parent.span().start))
    } else {
        String::new()
    };
    match parent.close() {
        Some(close) => {
            let span = Span::new(parent.open().end, close.end);
            Edit::replace(span, format!("{inserted}{close_lead}{}", close.of(text)))
        }
        None => {
            let tag = parent.open();
            let slash = tag.end.saturating_sub(2);
            let head = text.get(tag.start..slash).unwrap_or_default();
            let start = tag.start + head.trim_end().len();
            Edit::replace(Span::new(start, tag.end), format!(">{inserted}{close_lead}</{}>", parent.name()))
        }
    }
}

/// Returns the end of a node, or of the comment that follows it on the same line.
fn end_with_comment(node: Node<'_>) -> usize {
    let end = node.span().end;
    let mut next = node.next();
    if let Some(blank) = next.filter(|next| next.is_blank()) {
        if blank.source().contains('\n') {
            return end;
        }
        next = blank.next();
    }
    match next {
        Some(comment) if comment.kind() == NodeKind::Comment => comment.span().end,
        _ => end,
    }
}

/// Plans taking a node out: with its line where it has lines of its own, alone where it shares them.
#[must_use]
pub fn remove(node: Node<'_>) -> Edit {
    Edit::delete(with_lines(node.document.text(), node.span()))
}

/// Returns the span to delete so that what `span` covers is gone and no blank line is left behind.
#[must_use]
pub fn with_lines(text: &str, span: Span) -> Span {
    let before = text.get(..span.start).unwrap_or_default();
    let after = text.get(span.end..).unwrap_or_default();
    let line = before.trim_end_matches([' ', '\t']);
    let tail = after.trim_start_matches([' ', '\t']);
    let ends_line = tail.is_empty() || tail.starts_with(['\r', '\n']);
    let end = text.len() - tail.len();
    if !line.ends_with('\n') {
        return if ends_line { Span::new(line.len(), end) } else { span };
    }
    if !ends_line {
        return Span::new(span.start, end);
    }
    let line_start =
        |line: &str| line.strip_suffix("\r\n").or_else(|| line.strip_suffix('\n')).map_or(line.len(), str::len);
    let mut start = line_start(line);
    // A blank line above would now stand above another one, or above the end tag.
    if follows_blank_line(text, span.start) && ends_group(text, end) {
        start = line_start(before.get(..start).unwrap_or_default().trim_end_matches([' ', '\t']));
    }
    Span::new(start, end)
}

/// Plans an attribute: its value replaced where it stands, or added after the others in their layout.
#[must_use]
pub fn set_attribute(element: Element<'_>, name: &str, value: &str) -> Edit {
    let document = element.document();
    let text = document.text();
    let ascii = document.wants_ascii();
    if let Some(attribute) = element.attribute_written(name) {
        let quote = quote_of(text, attribute);
        return Edit::replace(attribute.value, escape(value, Place::Attribute(quote), ascii));
    }
    let last = element.attributes().last();
    let quote = last.map_or_else(|| document_quote(document), |attribute| quote_of(text, attribute));
    let end = last.map_or(element.name_span().end, |attribute| attribute.span.end);
    let gap = last.map_or(" ", |attribute| gap_before(text, attribute));
    let gap = if gap.contains('\n') { gap } else { " " };
    Edit::insert(end, format!("{gap}{name}={quote}{}{quote}", escape(value, Place::Attribute(quote), ascii)))
}

/// Plans taking an attribute out, with the white space before it.
#[must_use]
pub fn remove_attribute(element: Element<'_>, attribute: Attribute) -> Edit {
    let gap = gap_before(element.document().text(), attribute);
    Edit::delete(Span::new(attribute.span.start - gap.len(), attribute.span.end))
}

/// Plans new character data for an element that holds nothing else.
#[must_use]
pub fn set_text(element: Element<'_>, text: &str) -> Edit {
    let escaped = escape(text, Place::Text, element.document().wants_ascii());
    match element.close() {
        Some(_) => Edit::replace(element.content(), escaped),
        None => {
            let name = element.name();
            let span = Span::new(element.name_span().end, element.open().end);
            let attributes: String = element
                .attributes()
                .map(|attribute| format!(" {}", attribute.span.of(element.document().text())))
                .collect();
            Edit::replace(span, format!("{attributes}>{escaped}</{name}>"))
        }
    }
}

/// Plans another name for an element, in both tags.
#[must_use]
pub fn rename(element: Element<'_>, name: &str) -> Vec<Edit> {
    let mut edits = vec![Edit::replace(element.name_span(), name)];
    if let Some(close) = element.close() {
        let start = close.start + 2;
        edits.push(Edit::replace(Span::new(start, start + element.name().len()), name));
    }
    edits
}

fn quote_of(text: &str, attribute: Attribute) -> char {
    text.get(attribute.value.end..).and_then(|rest| rest.chars().next()).unwrap_or('"')
}

fn document_quote(document: &Document) -> char {
    document
        .elements()
        .find_map(|element| element.attributes().next())
        .map_or('"', |attribute| quote_of(document.text(), attribute))
}

/// Returns the white space before an attribute.
fn gap_before(text: &str, attribute: Attribute) -> &str {
    let before = text.get(..attribute.span.start).unwrap_or_default();
    before.get(before.trim_end().len()..).unwrap_or_default()
}

/// Returns the white space at the start of the line on which `at` stands.
#[must_use]
pub fn line_indent(text: &str, at: usize) -> &str {
    let before = text.get(..at).unwrap_or_default();
    let line = before.rsplit('\n').next().unwrap_or_default().trim_start_matches('\u{FEFF}');
    line.get(..line.len() - line.trim_start_matches([' ', '\t']).len()).unwrap_or_default()
}

/// Says whether nothing but white space stands before `at` on its line.
fn starts_line(text: &str, at: usize) -> bool {
    let before = text.get(..at).unwrap_or_default();
    before.trim_end_matches([' ', '\t']).ends_with('\n')
}

/// Returns the line end in use around `at`: that of the line before, else of the line after, else LF.
#[must_use]
pub fn newline_at(text: &str, at: usize) -> &'static str {
    let bytes = text.as_bytes();
    let before = bytes.get(..at).unwrap_or_default();
    let found = before.iter().rposition(|byte| *byte == b'\n').or_else(|| bytes.iter().position(|byte| *byte == b'\n'));
    match found.and_then(|at| at.checked_sub(1)).and_then(|at| bytes.get(at)) {
        Some(b'\r') => "\r\n",
        _ => "\n",
    }
}

/// Returns one step of indentation as the document has it; four spaces where nothing tells.
#[must_use]
pub fn indent_unit(document: &Document) -> String {
    document.layout().indent.clone()
}

pub(super) fn indent_of(document: &Document) -> String {
    let text = document.text();
    let step = document.elements().take(2000).find_map(|element| {
        let parent = element.parent()?;
        let nested = starts_line(text, element.span().start).then(|| line_indent(text, element.span().start))?;
        let step = nested.strip_prefix(line_indent(text, parent.span().start))?;
        (!step.is_empty()).then(|| step.to_owned())
    });
    step.unwrap_or_else(|| "    ".to_owned())
}

/// How attributes of an element are laid out.
#[derive(Debug, Clone)]
enum Layout {
    /// All behind the name.
    Inline,
    /// Each on a line of its own, this much further in than the element; the first one behind the name or not.
    Lines { further: String, first_behind_name: bool },
}

/// How a new element is written at one place.
pub(crate) struct Style<'d> {
    pub(crate) newline: &'static str,
    /// What stands before the new element on its line.
    pub(crate) indent: String,
    pub(crate) unit: String,
    /// Whether new elements go on lines of their own.
    pub(crate) broken: bool,
    quote: char,
    pub(crate) ascii: bool,
    document: &'d Document,
    parent: Element<'d>,
}

impl<'d> Style<'d> {
    pub(crate) fn around(parent: Element<'d>, slot: Slot<'_>) -> Self {
        let document = parent.document();
        let text = document.text();
        let at = match slot {
            Slot::After(node) => node.span().end,
            Slot::First | Slot::Last => parent.open().end,
        };
        let unit = indent_unit(document);
        let beside = |node: &Node<'_>| !node.is_blank() && starts_line(text, node.span().start);
        let sibling = match slot {
            Slot::After(node) if beside(&node) => Some(node.span().start),
            _ => parent.node().children().find(beside).map(|node| node.span().start),
        };
        let indent = match sibling {
            Some(sibling) => line_indent(text, sibling).to_owned(),
            None => format!("{}{unit}", line_indent(text, parent.span().start)),
        };
        let mut inside = parent.node().children().filter(|node| !node.is_blank()).peekable();
        let broken = match inside.peek() {
            None => text.contains('\n'),
            Some(_) => sibling.is_some() || inside.any(|node| starts_line(text, node.span().start)),
        };
        Style {
            newline: newline_at(text, at),
            indent,
            unit,
            broken,
            quote: document_quote(document),
            ascii: document.wants_ascii(),
            document,
            parent,
        }
    }

    /// Returns the element of the document that a new element of that name should look like.
    fn model(&self, name: &str) -> Option<Element<'d>> {
        let inside = |one: &Element<'_>| one.parent() == Some(self.parent);
        self.document.named(name).rev().find(inside).or_else(|| self.document.named(name).next())
    }

    fn layout(&self, fragment: &Fragment) -> Layout {
        let text = self.document.text();
        let own = self.model(&fragment.name).filter(|model| model.attributes().next().is_some());
        let several = |element: &Element<'_>| element.attributes().nth(1).is_some();
        let model = match own {
            Some(model) if several(&model) || fragment.attributes.len() < 2 => Some(model),
            _ if fragment.attributes.len() < 2 => None,
            _ => self.parent.children().rfind(several),
        };
        let Some(model) = model else { return Layout::Inline };
        let mut attributes = model.attributes();
        let Some(first) = attributes.next() else { return Layout::Inline };
        let first_gap = gap_before(text, first);
        let gap = attributes.next().map_or(first_gap, |second| gap_before(text, second));
        if !gap.contains('\n') {
            return Layout::Inline;
        }
        let column = gap.rsplit('\n').next().unwrap_or_default();
        let further = column.strip_prefix(line_indent(text, model.span().start)).unwrap_or(column);
        Layout::Lines { further: further.to_owned(), first_behind_name: !first_gap.contains('\n') }
    }

    fn render(&self, fragment: &Fragment, indent: &str) -> String {
        let mut out = format!("<{}", fragment.name);
        let layout = self.layout(fragment);
        let quote = self
            .model(&fragment.name)
            .and_then(|model| model.attributes().next())
            .map_or(self.quote, |attribute| quote_of(self.document.text(), attribute));
        for (at, (name, value)) in fragment.attributes.iter().enumerate() {
            match &layout {
                Layout::Lines { further, first_behind_name } if at > 0 || !first_behind_name => {
                    out.push_str(self.newline);
                    out.push_str(indent);
                    out.push_str(further);
                }
                _ => out.push(' '),
            }
            out.push_str(name);
            out.push('=');
            out.push(quote);
            out.push_str(&escape(value, Place::Attribute(quote), self.ascii));
            out.push(quote);
        }
        let end = format!("</{}>", fragment.name);
        match &fragment.content {
            Content::Empty => out.push_str(&self.empty_end(fragment, &end)),
            Content::Text(text) => {
                out.push('>');
                out.push_str(&escape(text, Place::Text, self.ascii));
                out.push_str(&end);
            }
            Content::Elements(elements) => {
                out.push('>');
                let inner = format!("{indent}{}", self.unit);
                for element in elements {
                    self.push_break(&mut out, &inner);
                    out.push_str(&self.render(element, &inner));
                }
                self.push_break(&mut out, indent);
                out.push_str(&end);
            }
        }
        out
    }

    pub(crate) fn push_break(&self, out: &mut String, indent: &str) {
        if self.broken {
            out.push_str(self.newline);
            out.push_str(indent);
        }
    }

    /// Returns how an element without content ends here: ` />`, `/>` or `></name>`.
    fn empty_end(&self, fragment: &Fragment, end: &str) -> String {
        let text = self.document.text();
        let model = self.model(&fragment.name).filter(|model| model.children().next().is_none());
        if model.is_some_and(|model| model.close().is_some() && model.content().is_empty()) {
            return format!(">{end}");
        }
        let closes_itself = |element: &Element<'_>| element.close().is_none();
        let sample = model
            .filter(closes_itself)
            .or_else(|| self.parent.children().rfind(closes_itself))
            .or_else(|| {
                let with_attributes =
                    |element: &Element<'_>| element.attributes().next().is_some() != fragment.attributes.is_empty();
                self.document.elements().filter(closes_itself).find(with_attributes)
            })
            .or_else(|| self.document.elements().find(closes_itself));
        let spaced = match sample {
            Some(sample) => sample.open().of(text).ends_with(" />"),
            None => !fragment.attributes.is_empty(),
        };
        if spaced { " />" } else { "/>" }.to_owned()
    }
}
