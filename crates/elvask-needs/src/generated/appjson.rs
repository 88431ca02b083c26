//! `app.json`: the manifest, the property list and the entitlements that the tools of the layout `appjson` generate of it, and what a
//! person writes into it.
//!
//! Source: the published type description of the format; what its fields become is known in part from use.

mod read;
mod write;

pub use read::{Description, literal};

use elvask_markup::Edit;
use elvask_project::appfiles::Generated;
use elvask_project::layout::Layout;
use elvask_project::source::Sources;

use super::changes::{Change, KeyChange};
use super::draft::Draft;
use super::{Made, Maker, Which, Written};

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

/// See the module.
pub(crate) struct Json;

impl Maker for Json {
    fn layout(&self) -> Layout {
        Layout::AppJson
    }

    fn made(&self, generated: &Generated, sources: &Sources) -> Option<Made> {
        read::made(generated, sources)
    }

    fn write_manifest(&self, generated: &Generated, sources: &Sources, made: &Made, changes: &[Change]) -> Written {
        write::write_manifest(generated, sources, made, changes)
    }

    fn write_list(
        &self,
        generated: &Generated,
        sources: &Sources,
        draft: &Draft,
        which: Which,
        changes: &[KeyChange],
    ) -> Written {
        write::write_list(generated, sources, draft, which, changes)
    }

    fn write_level(&self, generated: &Generated, sources: &Sources, name: &str, value: &str) -> Option<Vec<Edit>> {
        write::write_level(generated, sources, name, value)
    }
}
