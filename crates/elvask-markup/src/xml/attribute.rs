//! Attributes of start tags.

use crate::Span;

/// One attribute of a start tag.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Attribute {
    /// From the first letter of the name to the closing quote.
    pub span: Span,
    /// The name with its prefix.
    pub name: Span,
    /// The value between the quotes, as written.
    pub value: Span,
    /// Whether there is an ampersand in it.
    pub(super) refers: bool,
}

/// One attribute as stored. It ends with the quote behind its value.
#[derive(Debug, Clone, Copy)]
pub(super) struct StoredAttribute {
    start: u32,
    name_len: u32,
    value: (u32, u32),
}

/// A bit of the length of a name, which no name is long enough for: there is an ampersand in the value.
const REFERS: u32 = 1 << 31;

impl StoredAttribute {
    /// Makes one of the places of its name and its value; `refers` if the value has an ampersand.
    pub(super) fn new((start, name_len): (u32, u32), value: (u32, u32), refers: bool) -> Self {
        StoredAttribute { start, name_len: if refers { name_len | REFERS } else { name_len }, value }
    }

    pub(super) fn name(self) -> Span {
        span(self.start, self.start + (self.name_len & !REFERS))
    }

    pub(super) fn open(self) -> Attribute {
        let (from, to) = self.value;
        let refers = self.name_len & REFERS != 0;
        Attribute { span: span(self.start, to + 1), name: self.name(), value: span(from, to), refers }
    }
}

/// Returns the places between two offsets, as they are stored.
pub(super) fn span(start: u32, end: u32) -> Span {
    Span::new(start as usize, end as usize)
}
