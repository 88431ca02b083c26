//! The heart of Elvask: an app is found and read, judged by rules, and mended.
//!
//! Data flows one way: [`App`] → what it declares → what is needed of it ([`needs`]) → [`context`] → [`rules`] → findings → [`fill()`].
//!
//! ```
//! use std::path::Path;
//!
//! use elvask_core::{App, Settings, check, fill};
//! use elvask_project::files::Memory;
//!
//! let tree = Memory::app([
//!     ("config.xml", "<widget id=\"example.marram.fieldlog\">\n    <platform name=\"android\" />\n</widget>\n"),
//!     ("package.json", "{ \"dependencies\": { \"plover-dialer\": \"1.0.0\" } }"),
//!     ("node_modules/plover-dialer/package.json", "{ \"name\": \"plover-dialer\", \"version\": \"1.0.0\" }"),
//!     (
//!         "elvask/sheets/dialer.toml",
//!         "sheet = 1\nplugin = 'plover-dialer'\n[[requires]]\nandroid.permission = 'android.permission.VIBRATE'\n",
//!     ),
//! ]);
//! let app = App::load(&tree, Path::new("/app"), &[]).expect("there is an app");
//! let settings = Settings::default();
//! assert_eq!(check(&app, &settings).findings[0].rule.id, "permission-missing");
//!
//! let filled = fill(&app, &settings).expect("what is mended stays mended");
//! let mended = app.with_sources(filled.sources);
//! assert!(check(&mended, &settings).findings.is_empty());
//! ```
//!
//! Nothing here prints, knows a command line, asks for the time or opens a connection.

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

pub mod account;
pub mod app;
pub mod built;
pub mod check;
pub mod compare;
pub mod config;
mod consent;
pub mod context;
mod dangling;
pub mod declare;
pub mod discover;
pub mod explain;
mod fact;
pub mod fill;
pub mod finding;
pub mod icons;
pub mod identity;
mod idform;
pub mod init;
pub mod judged;
pub mod keep;
pub mod known;
pub mod matrix;
pub mod needs;
pub mod network;
mod open;
pub mod place;
pub mod prompts;
pub mod registered;
pub mod release;
pub mod rules;
pub mod survey;
#[cfg(test)]
mod testing;
mod unread;
mod unseen;
pub mod waivers;
pub mod weigh;
pub mod why;
pub mod withdraw;
mod yaml;

pub use app::App;
pub use check::{Report, check};
pub use fill::fill;
pub use needs::Settings;

pub use elvask_markup::{Edit, Position, Span};
pub use elvask_platform::{Kind, Platform, Version};
