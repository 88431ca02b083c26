//! The heart of Elvask: what an app declares, what its plugins require, and where the two differ.
//!
//! ```
//! use std::path::Path;
//!
//! use elvask_core::app::App;
//! use elvask_core::check::check;
//! use elvask_core::files::Memory;
//! use elvask_core::needs::Settings;
//!
//! let tree = Memory::app([
//!     ("config.xml", "<widget id=\"example.marram.fieldlog\"><platform name=\"android\"/></widget>"),
//!     ("elvask/sheets/camera.toml", "sheet = 1\nplugin = 'tern_camera'\n[[requires]]\ncapability = 'camera'\n"),
//!     ("package.json", "{ \"dependencies\": { \"tern_camera\": \"2.1.0\" } }"),
//! ]);
//! let app = App::load(&tree, Path::new("/app"), &[]).expect("there is an app");
//! let report = check(&app, &Settings::default());
//! assert_eq!(report.findings[0].rule.id, "permission-missing");
//! ```
//!
//! Nothing here prints, knows a command line, asks for the time or opens a connection. Files are read through
//! [`files::Files`], of which there is one on the disk and one in memory.

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

pub mod app;
pub mod appfiles;
pub mod check;
mod conditions;
pub mod config;
pub mod context;
pub mod declare;
pub mod discover;
pub mod evidence;
pub mod explain;
pub mod files;
pub mod fill;
pub mod filters;
pub mod finding;
mod generated;
pub mod gradle;
mod hash;
pub mod init;
pub mod intent;
pub mod kinds;
pub mod known;
pub mod layout;
pub mod levels;
pub mod link;
pub mod linking;
pub mod loading;
pub mod merge;
pub mod msbuild;
mod names;
pub mod needs;
mod open;
pub mod own;
pub mod place;
mod plan;
pub mod reach;
pub mod record;
pub mod remedy;
pub mod requirement;
pub mod rules;
pub mod scene;
pub mod section;
pub mod sheet;
pub mod site;
pub mod source;
pub mod surface;
pub mod survey;
mod template;
#[cfg(test)]
mod testing;
mod tomldoc;
mod values;
pub mod why;
pub mod withdraw;
pub mod write;
pub mod xcode;
mod yaml;

pub use elvask_markup::{Edit, Position, Span};
pub use elvask_platform::{Kind, Platform, Version};
