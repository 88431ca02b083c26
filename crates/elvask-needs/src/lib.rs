//! What packages need of an app: by their sheets, by their own files, and by what the app's code does.
//!
//! It knows the kinds of declaration ([`kinds`]): how each is stated in a sheet, looked for in an app, and written into it; where
//! requirements come from ([`sheet`], [`evidence`], [`own`]); and whether they reach an app ([`reach`]). It knows no rule: what is
//! told a person, and how loudly, is decided above it.
//!
//! ```
//! use elvask_needs::sheet::Sheet;
//! use elvask_platform::Kind;
//!
//! let text = "sheet = 1\nplugin = \"plover_dialer\"\n[[requires]]\nandroid.permission = \"android.permission.CALL_PHONE\"\n";
//! let (sheet, problems) = Sheet::parse(text, None);
//! assert!(problems.is_empty());
//! assert_eq!(sheet.requires.len(), 1);
//! assert_eq!(elvask_needs::kinds::spec(Kind::Permission).about().key, Some("permission"));
//! ```

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

pub mod conditions;
pub mod evidence;
pub mod generated;
pub mod kinds;
pub mod linking;
pub mod own;
mod pattern;
pub mod plan;
pub mod reach;
pub mod remedy;
pub mod requirement;
pub mod section;
pub mod sheet;
#[cfg(test)]
mod shuffled;
pub mod strangers;
pub mod template;
pub mod values;

pub use elvask_markup::{Edit, Position, Span};
pub use elvask_platform::{Kind, Platform, Version};
