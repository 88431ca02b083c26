//! `app.json`: the manifest, the property list and the entitlements that the tools of the layout `appjson` generate of it, and what a
//! person writes into it.
//!
//! Source: the published type description of the format; what its fields become is known in part from use.

mod read;
mod write;

pub(crate) use read::{Description, literal, made};
pub(crate) use write::{write_level, write_list, write_manifest};

/// The class of the activity that the tools make.
const ACTIVITY: &str = "MainActivity";

/// Returns a name of the platform that may be written without what it starts with.
fn full(name: &str, prefix: &str) -> String {
    if name.contains('.') { name.to_owned() } else { format!("{prefix}{name}") }
}

const PERMISSION: &str = "android.permission.";
const ACTION: &str = "android.intent.action.";
const CATEGORY: &str = "android.intent.category.";

/// The attributes of a filter's data, as the fields of the document and as the manifest have them.
const DATA: [&str; 9] =
    ["scheme", "host", "port", "path", "pathPattern", "pathAdvancedPattern", "pathPrefix", "pathSuffix", "mimeType"];
