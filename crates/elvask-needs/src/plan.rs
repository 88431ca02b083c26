//! Planning edits: what puts a declaration where it belongs, in the style of what stands around it.
//!
//! Each document has its own file here. A plan is made of a scene and touches nothing.

pub(crate) mod gradle;
pub mod manifest;
pub mod plist;
pub(crate) mod property;

use elvask_markup::Edit;

/// Returns the one edit that turns a text into another: what they share at both ends stays.
pub fn difference(old: &str, new: &str) -> Edit {
    let shared = |pairs: &mut dyn Iterator<Item = (char, char)>| {
        pairs.take_while(|(one, other)| one == other).map(|(one, _)| one.len_utf8()).sum::<usize>()
    };
    let start = shared(&mut old.chars().zip(new.chars()));
    let (old_rest, new_rest) = (old.get(start..).unwrap_or_default(), new.get(start..).unwrap_or_default());
    let end = shared(&mut old_rest.chars().rev().zip(new_rest.chars().rev()));
    let inserted = new_rest.get(..new_rest.len() - end).unwrap_or_default();
    Edit::replace(elvask_markup::Span::new(start, old.len() - end), inserted)
}
