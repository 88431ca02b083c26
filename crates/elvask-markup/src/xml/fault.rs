//! What keeps a document from being read.

use super::{MAX_DEPTH, MAX_NODES};
use crate::Span;

/// Why a document cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum XmlFault {
    /// There is no element.
    #[error("the document has no element")]
    NoElement,
    /// More follows the outermost element.
    #[error("there is more after the end of `<{0}>`, but a document has one outermost element")]
    SecondRoot(String),
    /// Text outside the outermost element.
    #[error("there is text outside the outermost element")]
    StrayText,
    /// An element is never closed.
    #[error("`<{0}>` is never closed")]
    Unclosed(String),
    /// An end tag does not fit the open element.
    #[error("`</{found}>` closes nothing here: `<{open}>` is still open")]
    WrongEndTag {
        /// The name in the end tag.
        found: String,
        /// The name of the element that is open.
        open: String,
    },
    /// An end tag where no element is open.
    #[error("`</{0}>` closes nothing: no element is open")]
    StrayEndTag(String),
    /// A construct has no end.
    #[error("this {0} has no end")]
    Unterminated(&'static str),
    /// Something else was wanted here.
    #[error("{0}")]
    Syntax(&'static str),
    /// Two attributes of one name.
    #[error("the attribute `{0}` is declared twice in this tag")]
    DuplicateAttribute(String),
    /// A prefix that no `xmlns` binds.
    #[error("the prefix `{0}:` is not declared: `xmlns:{0}` is missing")]
    UnboundPrefix(String),
    /// An entity that is not built in, in a document that declares none.
    #[error("`&{0};` is not an entity of XML; write `&amp;` for an ampersand")]
    UnknownEntity(String),
    /// A character that XML does not allow.
    #[error("the character U+{0:04X} is not allowed in XML")]
    Character(u32),
    /// Nested deeper than is read.
    #[error("elements are nested more than {MAX_DEPTH} deep")]
    TooDeep,
    /// More nodes than are read.
    #[error("the document has more than {MAX_NODES} nodes")]
    TooLarge,
    /// A declared encoding that the text cannot be in.
    #[error(
        "the document declares the encoding {0} but has characters outside ASCII; save it as UTF-8 and declare that"
    )]
    Encoding(String),
}

/// A fault with its place.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{fault}")]
pub struct XmlError {
    /// What is wrong.
    pub fault: XmlFault,
    /// Where, in bytes.
    pub span: Span,
    /// The tag that is still open, where that is the reason.
    pub opened: Option<Span>,
}
