//! Links: which entry of an app a link opens, on which device, and why.
//!
//! It knows the platforms' own rules: of intent filters ([`filter`], [`pattern`], [`index`]), of the files of websites
//! ([`association`]), and what a device makes of both ([`android`], [`ios`]). [`route`] holds what the app itself means its links to
//! be. It knows nothing of plugins and of what they need, and it asks no website.
//!
//! ```
//! use elvask_link::association::apple::{AppId, AppleAssociation, Decision};
//! use elvask_link::device::newest_version;
//! use elvask_link::url::Link;
//!
//! let text = r#"{ "applinks": { "details": [{ "appIDs": ["A1B2C3D4E5.example.marram"], "components": [{ "/": "/rings/*" }] }] } }"#;
//! let file = AppleAssociation::parse(text).expect("it is such a file");
//! let app = AppId { team: Some("A1B2C3D4E5"), bundle: "example.marram" };
//! let opens = |link| matches!(file.decide(&app, &Link::parse(link).expect("a link").uri(), &newest_version()), Decision::Opens { .. });
//! assert!(opens("https://marram.example/rings/7") && !opens("https://marram.example/tides"));
//! ```

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

pub mod android;
pub mod app;
pub mod association;
pub mod attempt;
pub mod audit;
pub mod device;
pub mod entries;
pub mod expect;
pub mod filter;
pub mod index;
pub mod ios;
pub mod pattern;
pub mod route;
pub mod site;
pub mod url;

pub use app::{AppLinks, SaidOfTheApp};
pub use attempt::{Attempt, Delivery, Hit, Outcome};
pub use device::Device;
