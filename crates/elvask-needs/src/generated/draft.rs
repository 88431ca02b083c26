//! A text that is made of parts of other texts, and the way back from its places to theirs.

use elvask_markup::Span;
use elvask_project::source::{FileId, Place};

/// A part that comes from somewhere.
#[derive(Debug, Clone)]
struct Part {
    /// Where it stands in the text that is made, in bytes.
    made: Span,
    /// Where it comes from.
    from: Place,
    /// Whether it is the same bytes there, so that an edit of it is an edit there.
    same: bool,
}

/// A text with the origins of its parts.
#[derive(Debug, Clone, Default)]
pub struct Draft {
    text: String,
    parts: Vec<Part>,
    /// The place that stands for what comes from nowhere.
    origin: Option<Place>,
}

impl Draft {
    /// Starts a text, whose own words stand for a place.
    pub(crate) fn new(origin: Place) -> Self {
        Draft { origin: Some(origin), ..Draft::default() }
    }

    /// Returns the text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Adds words of its own.
    pub(crate) fn say(&mut self, words: &str) {
        self.text.push_str(words);
    }

    /// Adds the bytes of another text.
    pub(crate) fn copy(&mut self, file: FileId, text: &str, span: Span) {
        let start = self.text.len();
        self.text.push_str(span.of(text));
        self.parts.push(Part { made: Span::new(start, self.text.len()), from: Place { file, span }, same: true });
    }

    /// Adds words that something at a place means.
    pub(crate) fn mean(&mut self, words: &str, from: Place) {
        let start = self.text.len();
        self.text.push_str(words);
        self.parts.push(Part { made: Span::new(start, self.text.len()), from, same: false });
    }

    /// Marks all that was added since an offset as the meaning of a place. Parts inside keep their own.
    pub(crate) fn since(&mut self, start: usize, from: Place) {
        self.parts.push(Part { made: Span::new(start, self.text.len()), from, same: false });
    }

    /// Returns how long it is by now, in bytes.
    pub(crate) fn len(&self) -> usize {
        self.text.len()
    }

    /// Returns where a span of the text comes from: the smallest part around it.
    pub(crate) fn home(&self, span: Span) -> Option<Place> {
        let around = self.parts.iter().filter(|part| part.made.start <= span.start && span.start <= part.made.end);
        let inside = around.filter(|part| span.end <= part.made.end || span.start < part.made.end);
        let part = inside.min_by_key(|part| part.made.end - part.made.start)?;
        if !part.same {
            return Some(part.from);
        }
        let shift = |at: usize| part.from.span.start + at.min(part.made.end) - part.made.start;
        Some(Place { file: part.from.file, span: Span::new(shift(span.start), shift(span.end)) })
    }

    /// Returns where a span comes from byte for byte, with at least one byte of its part on each side; `None` where it does not.
    pub(crate) fn same(&self, span: Span) -> Option<Place> {
        let inside = |part: &&Part| part.same && part.made.start < span.start && span.end < part.made.end;
        let part = self.parts.iter().find(inside)?;
        let shift = part.from.span.start.wrapping_sub(part.made.start);
        let (start, end) = (span.start.wrapping_add(shift), span.end.wrapping_add(shift));
        Some(Place { file: part.from.file, span: Span::new(start, end) })
    }

    /// Returns the place of the whole part that starts where a span starts and covers it.
    pub(crate) fn whole(&self, span: Span) -> Option<Place> {
        let part = self.parts.iter().find(|part| part.made.start <= span.start && span.end <= part.made.end)?;
        if !part.same {
            return Some(part.from);
        }
        let shift = |at: usize| part.from.span.start + at - part.made.start;
        Some(Place { file: part.from.file, span: Span::new(shift(span.start), shift(span.end)) })
    }

    /// Returns the place that stands for the whole.
    pub(crate) fn origin(&self) -> Option<Place> {
        self.origin
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use elvask_project::source::Sources;
    use std::path::Path;

    #[test]
    fn places_lead_back_to_where_the_words_come_from() {
        let mut sources = Sources::new(Path::new("/app"));
        let file = sources.add(Path::new("/app/config.xml"), "<a><b/></a>");
        let mut draft = Draft::new(Place { file, span: Span::new(0, 3) });
        draft.say("<x>");
        draft.copy(file, "<a><b/></a>", Span::new(3, 7));
        draft.mean("<key/>", Place { file, span: Span::new(1, 2) });
        assert_eq!(draft.text(), "<x><b/><key/>");
        assert_eq!(draft.home(Span::new(4, 5)), Some(Place { file, span: Span::new(4, 5) }));
        assert_eq!(draft.same(Span::new(4, 5)), Some(Place { file, span: Span::new(4, 5) }));
        assert_eq!(draft.same(Span::new(3, 7)), None, "the edge is not inside");
        assert_eq!(draft.home(Span::new(8, 9)), Some(Place { file, span: Span::new(1, 2) }));
        assert_eq!(draft.home(Span::new(0, 1)), None);
    }
}
