//! The permissions that code names and asks for.

use elvask_platform::Platform;

use super::scan::Source;
use super::{OwnCode, OwnPermission, PermissionUse};
use crate::evidence::source::around::{asking, calls_around, name_before};

fn is_chain(letter: char) -> bool {
    letter.is_alphanumeric() || matches!(letter, '_' | '$' | '.')
}

/// Reads the name around the end of the word `permission`.
pub(super) fn read(source: &Source<'_>, hit: usize, out: &mut OwnCode) {
    let text = source.text;
    let before = text.get(..hit).unwrap_or_default();
    let start = before
        .rfind(|letter: char| !is_chain(letter))
        .map_or(0, |at| at + before.get(at..).and_then(|rest| rest.chars().next()).map_or(1, char::len_utf8));
    let rest = text.get(start..).unwrap_or_default();
    let end = rest.find(|letter: char| !is_chain(letter)).unwrap_or(rest.len());
    let chain = rest.get(..end).unwrap_or_default();
    let mut parts: Vec<&str> = chain.split('.').filter(|part| !part.is_empty()).collect();
    // What stands behind the last part that speaks of permissions is the name; in a text the whole name stands.
    let Some(last) = parts.iter().rposition(|part| part.to_lowercase().contains("permission")) else { return };
    let called = rest.get(end..).is_some_and(|behind| behind.trim_start().starts_with('('));
    let mut how = None;
    if called && parts.len() > last + 1 {
        // `Permission.camera.request()`
        how = parts.pop().and_then(asking);
    }
    let named = parts.get(last + 1..).unwrap_or_default();
    let platform = named.iter().find_map(|part| match part.to_lowercase().as_str() {
        "android" => Some(Platform::Android),
        "ios" => Some(Platform::Ios),
        _ => None,
    });
    let in_text = !source.is_code(start);
    let platform = if in_text || chain.contains("Manifest.permission.") { Some(Platform::Android) } else { platform };
    let Some(name) = named.last().filter(|name| !matches!(name.to_lowercase().as_str(), "android" | "ios")) else {
        return;
    };
    if in_text && !chain.contains(".permission.") || name.len() < 3 {
        return;
    }
    let how = how.or_else(|| {
        // `RequestAsync<Permissions.Camera>()`
        let typed = text.get(..start)?.strip_suffix('<')?;
        asking(name_before(typed, typed.len()))
    });
    let calls = calls_around(text, start);
    // An attribute that declares it asks nobody.
    if calls.iter().any(|call| call.starts_with("Uses")) {
        return;
    }
    let how = how.or_else(|| calls.into_iter().find_map(asking));
    out.permissions.push(OwnPermission {
        name: (*name).to_owned(),
        platform,
        how: PermissionUse::of(how),
        citation: source.citation(start),
    });
}
