//! The kinds that Android has.

pub(crate) mod attribute;
pub(crate) mod component;
pub(crate) mod feature;
pub(crate) mod filter;
pub(crate) mod gradle;
pub(crate) mod level;
pub(crate) mod meta_data;
pub(crate) mod permission;
pub(crate) mod query;
pub(crate) mod resource;
