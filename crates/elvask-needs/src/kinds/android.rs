//! The kinds that Android has.

pub mod attribute;
pub mod component;
pub(crate) mod feature;
pub(crate) mod filter;
pub(crate) mod gradle;
pub mod level;
pub(crate) mod meta_data;
pub(crate) mod permission;
pub mod query;
pub mod resource;
