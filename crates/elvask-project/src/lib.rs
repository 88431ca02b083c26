//! An app's own files: read once each, understood as the platforms' build tools understand them, and written whole.
//!
//! It knows Gradle, Xcode and MSBuild projects, how manifests are merged, and what the app then declares ([`scene`]). It knows
//! nothing of packages and of what they need, and it judges nothing. Files are read through [`files::Files`], of which there is
//! one on the disk and one in memory.
//!
//! ```
//! use elvask_project::files::Memory;
//! use elvask_project::source::Sources;
//!
//! let tree = Memory::app([("config.xml", "<widget/>")]);
//! let mut sources = Sources::new("/app".as_ref());
//! let (file, text) = sources.read(&tree, "/app/config.xml".as_ref());
//! assert_eq!(&*text.expect("it is there"), "<widget/>");
//! assert_eq!(sources.file(file).shown, "config.xml");
//! ```

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

pub mod appfiles;
pub mod files;
pub mod filters;
pub mod gradle;
pub mod intent;
pub mod layout;
pub mod levels;
pub mod loading;
pub mod merge;
pub mod msbuild;
pub mod namelist;
pub mod names;
pub mod scene;
pub mod source;
pub mod surface;
pub mod threads;
pub mod tomldoc;
pub mod write;
pub mod xcode;

pub use elvask_markup::{Edit, Position, Span};
pub use elvask_platform::{Kind, Platform, Version};
