//! Lossless documents: text with spans, and edits against that text.
//!
//! Nothing in this crate prints a tree back. A document keeps the text it was read from; every node knows which bytes
//! of it it covers; a change is a list of [`Edit`]s that say which bytes to replace with what. Whatever no edit names
//! stays as it was, byte for byte: comments, order, indentation, line ends, quotes, byte order mark.
//!
//! ```
//! use elvask_markup::EditSet;
//! use elvask_markup::xml::{Document, plan};
//!
//! let text = "<manifest>\n  <uses-permission name='A'/> <!-- why -->\n</manifest>\n";
//! let document = Document::parse(text).expect("it is XML");
//! let permission = document.root().children().next().expect("it has one");
//! let mut edits = EditSet::new();
//! edits.add(&[plan::remove(permission.node())]).expect("one edit meets no other");
//! assert_eq!(edits.apply(text).expect("it fits"), "<manifest>\n  <!-- why -->\n</manifest>\n");
//! ```
//!
//! The crate knows the syntax of manifests, property lists and project files. It knows no platform fact and no rule.

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

pub mod by_name;
pub mod edit;
pub mod gradle;
pub mod lines;
pub mod openstep;
pub mod plist;
pub mod text;
pub mod xml;

pub use by_name::ByName;
pub use edit::{Edit, EditError, EditSet};
pub use lines::{LineIndex, Position, Positions};
pub use text::{Decoded, Encoding, SharedText, Span, TextError, decode, encode};
