//! Scripts that come with a package and change an app's files for another tool: what they name is what that tool can write,
//! and so optional for everybody else.

use elvask_platform::{Strength, android, ios};

use super::Learned;
use super::gather::Found;
use super::shown::Shown;
use crate::requirement::{Citation, EvidenceKind, Need, When};

/// Reads the names of permissions and of keys that hold a purpose in a script.
pub(super) fn read(text: &str, shown: &str, found: &mut Found) {
    let mut add = |name: &str, need: Need, at: usize| {
        found.add(Learned {
            name: name.to_owned(),
            need,
            strength: Strength::Optional,
            one_of: None,
            when: When::default(),
            brought: false,
            shown: Shown { script: true, by_script: true, ..Shown::default() },
            citations: vec![Citation::in_text(EvidenceKind::Build, shown, text, at).into()],
        });
    };
    for (at, prefix) in text.match_indices(android::PERMISSION_PREFIX) {
        let rest = text.get(at + prefix.len()..).unwrap_or_default();
        let end = rest.find(|letter: char| !letter.is_ascii_alphanumeric() && letter != '_').unwrap_or(rest.len());
        let name = format!("{prefix}{}", rest.get(..end).unwrap_or_default());
        if let Some(known) = android::permission(&name) {
            add(known.name, Need::Permission { max_level: None }, at);
        }
    }
    for (at, ending) in text.match_indices("UsageDescription") {
        let end = at + ending.len();
        let before = text.get(..at).unwrap_or_default();
        let start = before.rfind(|letter: char| !letter.is_ascii_alphanumeric()).map_or(0, |last| last + 1);
        let key = text.get(start..end).unwrap_or_default();
        if let Some(known) = ios::usage_key(key).filter(|known| known.is_for_ios()) {
            add(known.key, Need::Usage, start);
        }
    }
}

/// Reads what a package tells the linker of its runtime.
pub(super) fn read_module_config(text: &str, found: &mut Found) {
    let Ok(config) = serde_json::from_str::<serde_json::Value>(text) else { return };
    found.runtime_module();
    let flagged = |value: &serde_json::Value| value.get("debugOnly").and_then(serde_json::Value::as_bool) == Some(true);
    let sides = ["ios", "apple", "android"].into_iter().filter_map(|side| config.get(side));
    if flagged(&config) || sides.into_iter().any(flagged) {
        found.for_development();
    }
}
