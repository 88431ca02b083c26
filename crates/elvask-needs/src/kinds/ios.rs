//! The kinds that iOS has.

pub mod background_mode;
pub mod build_setting;
pub(crate) mod domain;
pub(crate) mod entitlement;
pub mod min_version;
pub(crate) mod plist;
pub(crate) mod privacy_reason;
pub mod query_scheme;
pub(crate) mod url_scheme;
pub(crate) mod usage;

use elvask_markup::Edit;
use elvask_markup::plist::{Entry, PropertyList, Value, plan as plist_plan};
use elvask_project::scene::Scene;

/// Returns a text with the build settings of the target put in; `None` where it has none or they are not known.
fn expanded(scene: &Scene<'_>, text: &str) -> Option<String> {
    if !text.contains('$') {
        return None;
    }
    scene.surface.settings()?.expand(text, None).value
}

/// Returns what takes a value out of the list under a key. An empty list says nothing, so its key goes with the last one.
fn without(list: &PropertyList, entry: &Entry, value: &Value) -> Edit {
    match entry.value.as_array().map_or(0, <[Value]>::len) {
        1 => plist_plan::remove_entry(list, entry),
        _ => plist_plan::remove_value(list, value),
    }
}
