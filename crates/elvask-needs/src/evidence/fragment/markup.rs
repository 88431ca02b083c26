//! A reader of markup that never fails: tags that are not closed, attributes that are dots, text between.

use elvask_markup::Span;
use elvask_markup::xml::unescape;

/// The deepest nesting that is kept; what lies deeper joins the level above.
const MAX_DEPTH: usize = 64;

/// An attribute.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Attribute {
    /// The name as written, with its prefix.
    pub(super) name: String,
    pub(super) value: String,
    pub(super) span: Span,
}

/// An element.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Element {
    pub(super) name: String,
    pub(super) attributes: Vec<Attribute>,
    pub(super) children: Vec<Node>,
    /// Its start tag.
    pub(super) span: Span,
    /// Whether dots stand among its attributes.
    pub(super) abridged: bool,
}

/// What stands in an element.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Node {
    Element(Element),
    /// Text that is not blank.
    Text(String),
    Comment {
        text: String,
        /// Whether it stands on the line of what is before it.
        behind: bool,
    },
    /// Blank lines between.
    Gap,
}

impl Element {
    /// Returns an attribute by its name without a prefix, not looking at merge markers.
    pub(super) fn get(&self, local: &str) -> Option<&str> {
        let fits = |attribute: &&Attribute| {
            let name = attribute.name.as_str();
            name == local || name.split_once(':').is_some_and(|(prefix, rest)| rest == local && prefix != "tools")
        };
        self.attributes.iter().find(fits).map(|attribute| attribute.value.trim())
    }

    pub(super) fn tools(&self, local: &str) -> Option<&str> {
        let name = format!("tools:{local}");
        self.attributes.iter().find(|attribute| attribute.name == name).map(|attribute| attribute.value.trim())
    }

    pub(super) fn elements(&self) -> impl Iterator<Item = &Element> {
        self.children.iter().filter_map(|node| match node {
            Node::Element(element) => Some(element),
            _ => None,
        })
    }

    pub(super) fn text(&self) -> String {
        let texts = self.children.iter().filter_map(|node| match node {
            Node::Text(text) => Some(text.as_str()),
            _ => None,
        });
        texts.collect::<Vec<_>>().join(" ").trim().to_owned()
    }
}

/// Elements that hold nothing: the next tag is beside them even if they are not closed.
const EMPTY: [&str; 10] = [
    "uses-permission",
    "uses-permission-sdk-23",
    "uses-feature",
    "data",
    "action",
    "category",
    "package",
    "meta-data",
    "true",
    "false",
];

/// Reads markup; what is returned holds the elements at the top.
pub(super) fn parse(text: &str) -> Element {
    let mut reader = Reader { text, at: 0, stack: vec![Element::default()] };
    reader.run();
    while reader.stack.len() > 1 {
        reader.close_one();
    }
    reader.stack.pop().unwrap_or_default()
}

struct Reader<'t> {
    text: &'t str,
    at: usize,
    stack: Vec<Element>,
}

impl<'t> Reader<'t> {
    fn rest(&self) -> &'t str {
        self.text.get(self.at..).unwrap_or_default()
    }

    fn push(&mut self, node: Node) {
        if let Some(top) = self.stack.last_mut() {
            top.children.push(node);
        }
    }

    fn close_one(&mut self) {
        if self.stack.len() > 1
            && let Some(done) = self.stack.pop()
        {
            self.push(Node::Element(done));
        }
    }

    fn run(&mut self) {
        while self.at < self.text.len() {
            let rest = self.rest();
            if rest.starts_with("<!--") {
                let end = rest.find("-->").map_or(rest.len(), |end| end + 3);
                let inner = rest.get(4..end.saturating_sub(3).max(4)).unwrap_or_default().trim().to_owned();
                let before = self.text.get(..self.at).unwrap_or_default().trim_end_matches([' ', '\t']);
                let behind = !before.is_empty() && !before.ends_with(['\n', '\r']);
                self.at += end;
                self.push(Node::Comment { text: inner, behind });
            } else if rest.starts_with("<?") || rest.starts_with("<!") {
                self.at += rest.find('>').map_or(rest.len(), |end| end + 1);
            } else if let Some(closed) = rest.strip_prefix("</") {
                let end = closed.find('>').unwrap_or(closed.len());
                let name = closed.get(..end).unwrap_or_default().trim();
                self.close(name);
                self.at += (end + 3).min(rest.len());
            } else if rest.starts_with('<')
                && rest.get(1..).is_some_and(|next| next.starts_with(|first: char| first.is_ascii_alphabetic()))
            {
                self.open();
            } else {
                let end =
                    rest.char_indices().skip(1).find(|(_, letter)| *letter == '<').map_or(rest.len(), |(at, _)| at);
                self.plain(rest.get(..end).unwrap_or_default());
                self.at += end;
            }
        }
    }

    /// Takes in text between tags: what is said in it, comments in the style of scripts, gaps.
    fn plain(&mut self, text: &str) {
        for (at, line) in text.split_inclusive('\n').enumerate() {
            let content = line.trim();
            if let Some(comment) = content.strip_prefix("//").or_else(|| content.strip_prefix("# ")) {
                self.push(Node::Comment { text: comment.trim().to_owned(), behind: at == 0 });
            } else if !content.is_empty() && !super::is_dots(content) {
                self.push(Node::Text(unescape(content).into_owned()));
            }
        }
        let blank_line = text.match_indices('\n').count() >= 2
            && text.lines().skip(1).any(|line| line.trim().is_empty())
            && text.trim().is_empty();
        if blank_line {
            self.push(Node::Gap);
        }
    }

    fn close(&mut self, name: &str) {
        let Some(depth) = self.stack.iter().rposition(|open| open.name == name).filter(|depth| *depth > 0) else {
            return;
        };
        while self.stack.len() > depth {
            self.close_one();
        }
    }

    // In one piece: one loop over the letters of a tag that may be broken in any place.
    fn open(&mut self) {
        let start = self.at;
        let bytes = self.text.as_bytes();
        let byte = |at: usize| bytes.get(at).copied().unwrap_or(0);
        let name_end = (start + 1..self.text.len())
            .find(|at| byte(*at).is_ascii_whitespace() || matches!(byte(*at), b'>' | b'/'))
            .unwrap_or(self.text.len());
        let name = self.text.get(start + 1..name_end).unwrap_or_default().to_owned();
        let mut element = Element { name, ..Element::default() };
        let mut at = name_end;
        let mut closed = false;
        while at < self.text.len() {
            match byte(at) {
                b'>' => {
                    at += 1;
                    break;
                }
                b'/' if byte(at + 1) == b'>' => {
                    closed = true;
                    at += 2;
                    break;
                }
                // The next tag begins though this one did not end.
                b'<' => break,
                letter if letter.is_ascii_alphabetic() || letter == b'_' => {
                    let from = at;
                    while at < self.text.len()
                        && (byte(at).is_ascii_alphanumeric() || matches!(byte(at), b':' | b'_' | b'-' | b'.'))
                    {
                        at += 1;
                    }
                    let name = self.text.get(from..at).unwrap_or_default().to_owned();
                    let mut after = at;
                    while byte(after).is_ascii_whitespace() {
                        after += 1;
                    }
                    if byte(after) != b'=' {
                        continue;
                    }
                    after += 1;
                    while byte(after).is_ascii_whitespace() {
                        after += 1;
                    }
                    let quote = byte(after);
                    if matches!(quote, b'"' | b'\'') {
                        let value_start = after + 1;
                        let rest = self.text.get(value_start..).unwrap_or_default();
                        let end = rest.find(char::from(quote)).unwrap_or(rest.len());
                        let value = rest.get(..end).unwrap_or_default();
                        at = (value_start + end + 1).min(self.text.len());
                        let (span, value) = (Span::new(from, at), unescape(value).into_owned());
                        element.attributes.push(Attribute { name, value, span });
                    } else {
                        at = after;
                    }
                }
                b'.' | 0xE2 => {
                    element.abridged = true;
                    at += 1;
                }
                _ => at += 1,
            }
        }
        // A byte that is skipped may be the first of several that make a letter.
        while at < self.text.len() && !self.text.is_char_boundary(at) {
            at += 1;
        }
        element.span = Span::new(start, at);
        self.at = at;
        let empty_before = self.stack.last().is_some_and(|top| {
            EMPTY.contains(&top.name.as_str()) && top.name != element.name
                || top.name == element.name && EMPTY.contains(&top.name.as_str())
        });
        if empty_before {
            self.close_one();
        }
        if closed || self.stack.len() > MAX_DEPTH {
            self.push(Node::Element(element));
        } else {
            self.stack.push(element);
        }
    }
}
