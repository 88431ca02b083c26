//! Text edits: which bytes of a document to replace with what.

use serde::Serialize;

use crate::Span;

/// One replacement: the bytes from `start` up to `end` of the original text become `insert`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Edit {
    /// Byte offset into the original text, from 0.
    pub start: usize,
    /// Byte offset just past the replaced bytes; equal to `start` for an insertion.
    pub end: usize,
    /// The new text.
    pub insert: String,
}

impl Edit {
    /// Inserts `text` before the byte at `offset`.
    pub fn insert(offset: usize, text: impl Into<String>) -> Self {
        Edit { start: offset, end: offset, insert: text.into() }
    }

    /// Replaces the bytes of `span` with `text`.
    pub fn replace(span: Span, text: impl Into<String>) -> Self {
        Edit { start: span.start, end: span.end, insert: text.into() }
    }

    /// Takes out the bytes of `span`.
    #[must_use]
    pub fn delete(span: Span) -> Self {
        Edit::replace(span, "")
    }

    fn is_insertion(&self) -> bool {
        self.start == self.end
    }
}

/// Why edits cannot be applied together.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// Two edits touch the same bytes.
    #[error("two edits touch the same bytes at offset {0}")]
    Overlap(usize),
    /// An edit reaches past the end of the text or into the middle of a character.
    #[error("an edit at bytes {0}..{1} does not fit the text")]
    OutOfText(usize, usize),
}

/// Edits of one text that do not overlap, in order of place.
///
/// Several insertions may stand at one offset and keep the order in which they came. An insertion may not touch the
/// bytes that another edit replaces, as it would be unclear on which side of the new text it belongs.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct EditSet {
    edits: Vec<Edit>,
}

impl EditSet {
    /// Makes an empty set.
    #[must_use]
    pub fn new() -> Self {
        EditSet::default()
    }

    /// Says whether there is nothing to do.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.edits.is_empty()
    }

    /// Returns the edits in order of place.
    #[must_use]
    pub fn edits(&self) -> &[Edit] {
        &self.edits
    }

    /// Adds all of `edits`, or none of them. An edit that is in the set already counts as added.
    ///
    /// # Errors
    /// [`EditError::Overlap`] when one of them touches bytes of an edit that is in the set.
    pub fn add(&mut self, edits: &[Edit]) -> Result<(), EditError> {
        self.check(edits)?;
        for edit in edits {
            let place = self.place_of(edit);
            if !self.is_before(place, edit) {
                self.edits.insert(place, edit.clone());
            }
        }
        Ok(())
    }

    /// Says whether all of `edits` could be added.
    ///
    /// # Errors
    /// As for [`EditSet::add`].
    pub fn check(&self, edits: &[Edit]) -> Result<(), EditError> {
        for (at, edit) in edits.iter().enumerate() {
            let place = self.place_of(edit);
            let before = place.checked_sub(1).and_then(|before| self.edits.get(before));
            // What is in the set does not overlap, so that only the neighbours can touch. An insertion beside another one at the same
            // offset is as free as that one was.
            let same_offset =
                edit.is_insertion() && before.is_some_and(|one| one.is_insertion() && one.start == edit.start);
            let neighbours = before.into_iter().chain(self.edits.get(place)).filter(|_| !same_offset);
            let others = edits.iter().take(at);
            let same = |other: &&Edit| !edit.is_insertion() && *other == edit;
            if let Some(other) = neighbours.chain(others).find(|other| !same(other) && clash(other, edit)) {
                return Err(EditError::Overlap(edit.start.max(other.start)));
            }
        }
        Ok(())
    }

    /// Returns where an edit belongs: behind those at the same bytes.
    fn place_of(&self, edit: &Edit) -> usize {
        self.edits.partition_point(|other| (other.start, other.end) <= (edit.start, edit.end))
    }

    /// Says whether the very same replacement stands right before a place.
    fn is_before(&self, place: usize, edit: &Edit) -> bool {
        let before = place.checked_sub(1).and_then(|before| self.edits.get(before));
        !edit.is_insertion() && before == Some(edit)
    }

    /// Applies the edits to the text that they were planned against.
    ///
    /// # Errors
    /// [`EditError::OutOfText`] when an edit does not fit `text`.
    pub fn apply(&self, text: &str) -> Result<String, EditError> {
        let grown: usize = self.edits.iter().map(|edit| edit.insert.len()).sum();
        let mut out = String::with_capacity(text.len() + grown);
        let mut done = 0;
        for edit in &self.edits {
            let fits = edit.start <= edit.end && text.is_char_boundary(edit.end);
            let kept = text.get(done..edit.start).filter(|_| fits);
            out.push_str(kept.ok_or(EditError::OutOfText(edit.start, edit.end))?);
            out.push_str(&edit.insert);
            done = edit.end;
        }
        out.push_str(text.get(done..).ok_or(EditError::OutOfText(done, text.len()))?);
        Ok(out)
    }
}

fn clash(one: &Edit, other: &Edit) -> bool {
    match (one.is_insertion(), other.is_insertion()) {
        (true, true) => false,
        (true, false) => other.start <= one.start && one.start <= other.end,
        (false, true) => one.start <= other.start && other.start <= one.end,
        (false, false) => one.start < other.end && other.start < one.end,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn insertions_at_one_place_keep_their_order() {
        let mut set = EditSet::new();
        set.add(&[Edit::insert(1, "b")]).unwrap();
        set.add(&[Edit::insert(1, "c"), Edit::delete(Span::new(2, 3))]).unwrap();
        assert_eq!(set.apply("adxe").unwrap(), "abcde");
    }

    #[test]
    fn touching_and_overlapping_edits_are_refused_whole() {
        let mut set = EditSet::new();
        set.add(&[Edit::delete(Span::new(2, 4))]).unwrap();
        assert_eq!(set.add(&[Edit::insert(0, "x"), Edit::insert(4, "y")]), Err(EditError::Overlap(4)));
        assert_eq!(set.add(&[Edit::replace(Span::new(3, 5), "z")]), Err(EditError::Overlap(3)));
        assert_eq!(set.edits().len(), 1);
        set.add(&[Edit::delete(Span::new(2, 4))]).unwrap();
        assert_eq!(set.edits().len(), 1, "the same deletion twice is one deletion");
    }

    #[test]
    fn an_edit_inside_a_character_is_an_error() {
        let mut set = EditSet::new();
        set.add(&[Edit::delete(Span::new(1, 2))]).unwrap();
        assert_eq!(set.apply("é"), Err(EditError::OutOfText(1, 2)));
        assert_eq!(set.apply("a"), Err(EditError::OutOfText(1, 2)));
    }
}
