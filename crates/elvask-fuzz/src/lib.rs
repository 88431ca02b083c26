//! Looks for input that breaks the readers, the planning of edits, `fill` and the matching of links.
//!
//! Each target takes bytes and says what is wrong with what became of them. The same targets serve the program of this crate, which makes
//! its input by changing files of a corpus, and its tests.

pub mod apps;
pub mod corpus;
pub mod mutate;
pub mod reference;
pub mod targets;

pub use corpus::Corpus;
pub use mutate::mutated;
pub use targets::{TARGETS, Target};
