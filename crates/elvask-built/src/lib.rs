//! What a build made: the manifest, the property list, the entitlements and the certificates inside an `.apk`, an `.aab` or an `.ipa`.
//!
//! It knows the forms of these files and nothing of apps. What it hands out are texts and bytes, as a project would have them.
//!
//! ```
//! use elvask_built::{BuiltError, read};
//!
//! let nothing = std::io::Cursor::new(b"PK".to_vec());
//! assert!(matches!(read(nothing), Err(BuiltError::Archive(_))));
//! ```
//!
//! Sources: the platform's own headers for compiled resources (`ResourceTypes.h`) and their messages (`Resources.proto`), "APK Signature Scheme v2"
//! and "v3", "Code Signing Guide" and the headers for signed code (`cs_blobs.h`).

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::indexing_slicing, clippy::string_slice)]

mod binary_xml;
mod bundle;
mod bytes;
mod code;
mod container;
mod signing;
mod table;
mod words;
mod written;

pub use container::{Built, BuiltAndroid, BuiltForm, BuiltIos, read};

/// Reads bytes as every part that builds make, and returns the manifests that come out: for tests with bytes that nobody made so.
#[must_use]
pub fn texts_in(bytes: &[u8]) -> Vec<String> {
    let table = table::Table::read(bytes);
    let _ = bundle::texts(bytes);
    let _ = code::entitlements(bytes);
    [binary_xml::text(bytes, table.as_ref()), bundle::text(bytes)].into_iter().flatten().collect()
}

/// Why a file cannot be read.
#[derive(Debug, thiserror::Error)]
pub enum BuiltError {
    /// It is no archive, or a damaged one.
    #[error("it is no archive that can be read: {0}")]
    Archive(String),
    /// It is an archive of something else.
    #[error(
        "it is neither an .apk, nor an .aab, nor an .ipa: it holds no AndroidManifest.xml, base/manifest/AndroidManifest.xml or Payload/*.app/Info.plist"
    )]
    Other,
    /// A part of it is larger than is read.
    #[error("{0} has more than {1} MB")]
    TooLarge(String, u64),
    /// A part of it is damaged.
    #[error("{0} is damaged: {1}")]
    Damaged(String, &'static str),
}
