//! The kinds that both platforms have.

pub(crate) mod file;
pub(crate) mod identity;
