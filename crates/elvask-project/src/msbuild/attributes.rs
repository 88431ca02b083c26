//! Permissions and features that are declared as assembly attributes in source: `[assembly: UsesPermission(…)]`.

use std::path::{Path, PathBuf};

use elvask_markup::Span;
use elvask_platform::android;

use crate::files::{FileKind, Files};
use crate::filters::Entry;
use crate::loading::Loading;
use crate::source::{Place, read_text};
use crate::threads;

/// The most source files that are read.
const MAX_FILES: usize = 20_000;

/// Something that the source declares to the platform.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceDeclaration {
    /// The element that the build makes of it: `uses-permission`, `uses-feature`.
    pub element: &'static str,
    /// Its name.
    pub name: String,
    /// Further attributes of the platform.
    pub attributes: Vec<(&'static str, String)>,
    /// Where.
    pub place: Place,
}

/// Goes through the source files of a project, those of other platforms left out. Returns what stands for the whole app, and the activities.
pub fn declared_in_source(loading: &mut Loading<'_>, folder: &Path) -> (Vec<SourceDeclaration>, Vec<Entry>) {
    let files = loading.files;
    let mut paths = Vec::new();
    gather(files, folder, 0, &mut paths);
    let read = |path: PathBuf| {
        let told = |text: &String| text.contains("assembly") || text.contains("IntentFilter");
        let text = read_text(files, &path).ok().filter(told)?;
        let found = attributes(&text);
        (!found.is_empty() || text.contains("IntentFilter")).then_some((path, text, found))
    };
    let found = threads::map(paths, threads::FEW, read);
    let (mut declared, mut activities) = (Vec::new(), Vec::new());
    for (path, text, found) in found.into_iter().flatten() {
        let file = loading.add(&path, text);
        activities.extend(super::activities::activities(loading.text(file), file));
        declared.extend(found.into_iter().map(|(element, name, attributes, span)| SourceDeclaration {
            element,
            name,
            attributes,
            place: Place { file, span },
        }));
    }
    (declared, activities)
}

fn gather(files: &dyn Files, folder: &Path, depth: usize, out: &mut Vec<PathBuf>) {
    for (name, kind) in files.list(folder) {
        let path = folder.join(&name);
        match kind {
            FileKind::File if name.ends_with(".cs") && out.len() < MAX_FILES => out.push(path),
            FileKind::Folder
                if depth < 12
                    && !matches!(name.as_str(), "bin" | "obj" | "iOS" | "MacCatalyst" | "Windows" | "Tizen")
                    && !name.starts_with('.') =>
            {
                gather(files, &path, depth + 1, out);
            }
            _ => {}
        }
    }
}

type Found = (&'static str, String, Vec<(&'static str, String)>, Span);

/// Returns the attributes of a source file, comments and texts left out.
fn attributes(text: &str) -> Vec<Found> {
    let mut found = Vec::new();
    let bytes = text.as_bytes();
    let mut at = 0;
    while let Some(byte) = bytes.get(at) {
        match byte {
            b'/' if bytes.get(at + 1) == Some(&b'/') => {
                at += text.get(at..).and_then(|rest| rest.find('\n')).unwrap_or(text.len() - at);
            }
            b'/' if bytes.get(at + 1) == Some(&b'*') => {
                at += text.get(at..).and_then(|rest| rest.find("*/")).map_or(text.len() - at, |end| end + 2);
            }
            b'"' => at += text_len(text.get(at..).unwrap_or_default()),
            b'\'' => at += if bytes.get(at + 1) == Some(&b'\\') { 4 } else { 3 },
            b'[' => {
                let rest = text.get(at..).unwrap_or_default();
                let end = at + closing(rest, ('[', ']')).map_or(rest.len(), |end| end + 1);
                let inside = text.get(at + 1..end.saturating_sub(1)).unwrap_or_default();
                if let Some(list) = inside
                    .trim_start()
                    .strip_prefix("assembly")
                    .map(str::trim_start)
                    .and_then(|rest| rest.strip_prefix(':'))
                {
                    let start = end.saturating_sub(1) - list.len();
                    one_list(list, start, &mut found);
                    at = end;
                } else {
                    at += 1;
                }
            }
            _ => at += 1,
        }
    }
    found
}

/// Returns the length of the text at the start of `rest`, quotes included.
pub(super) fn text_len(rest: &str) -> usize {
    let mut escaped = false;
    for (at, character) in rest.char_indices().skip(1) {
        match character {
            '\n' => return at,
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            '"' => return at + 1,
            _ => {}
        }
    }
    rest.len()
}

/// Returns the offset of the bracket that closes the first one of its kind in `rest`, texts stepped over.
pub(super) fn closing(rest: &str, (open, close): (char, char)) -> Option<usize> {
    let mut depth = 0usize;
    let mut skip_to = 0;
    for (at, character) in rest.char_indices() {
        if at < skip_to {
            continue;
        }
        if character == open {
            depth += 1;
        } else if character == close {
            depth = depth.saturating_sub(1);
            if depth == 0 {
                return Some(at);
            }
        } else if character == '"' {
            skip_to = at + text_len(rest.get(at..).unwrap_or_default());
        }
    }
    None
}

/// Reads `UsesPermission("a"), UsesFeature("b", Required = false)`.
fn one_list(list: &str, start: usize, found: &mut Vec<Found>) {
    let mut rest = list;
    while let Some(open) = rest.find('(') {
        let offset = start + list.len() - rest.len();
        let before = rest.get(..open).unwrap_or_default();
        let name = before.trim_start_matches([',', ' ', '\t', '\r', '\n']).trim();
        let from = offset + before.len() - before.trim_start_matches([',', ' ', '\t', '\r', '\n']).len();
        let Some(close) = rest.get(open..).and_then(|rest| closing(rest, ('(', ')'))).map(|close| open + close) else {
            return;
        };
        let arguments = rest.get(open + 1..close).unwrap_or_default();
        let span = Span::new(from, offset + close + 1);
        let last = name.rsplit('.').next().unwrap_or(name);
        match last.strip_suffix("Attribute").unwrap_or(last) {
            "UsesPermission" => found.extend(permission(arguments, span)),
            "UsesFeature" => found.extend(feature(arguments, span)),
            _ => {}
        }
        rest = rest.get(close + 1..).unwrap_or_default();
    }
}

/// Splits arguments into names and values.
fn split(arguments: &str) -> Vec<(Option<&str>, &str)> {
    let parts = arguments.split(',').map(str::trim).filter(|part| !part.is_empty());
    parts
        .map(|part| match part.split_once('=').filter(|_| !part.starts_with('"')) {
            Some((name, value)) => (Some(name.trim()), value.trim()),
            None => (None, part),
        })
        .collect()
}

fn text_of(value: &str) -> Option<String> {
    let inside = value.trim_start_matches('@').strip_prefix('"')?.strip_suffix('"')?;
    Some(inside.to_owned())
}

/// Returns the value of a named argument.
fn named<'a>(arguments: &[(Option<&'a str>, &'a str)], name: &str) -> Option<&'a str> {
    arguments.iter().find(|(known, _)| *known == Some(name)).map(|(_, value)| *value)
}

/// Returns what an attribute is about: its `Name`, or its first argument without one.
fn subject<'a>(arguments: &[(Option<&'a str>, &'a str)]) -> Option<&'a str> {
    named(arguments, "Name").or_else(|| arguments.iter().find(|(name, _)| name.is_none()).map(|(_, value)| *value))
}

fn permission(arguments: &str, span: Span) -> Option<Found> {
    let arguments = split(arguments);
    let told = subject(&arguments)?;
    let name = match text_of(told) {
        Some(name) => name,
        // A constant of the binding: Android.Manifest.Permission.AccessFineLocation.
        None => {
            let constant = told.rsplit('.').next()?.to_lowercase();
            let same = |permission: &android::Permission| {
                permission.name.rsplit('.').next().is_some_and(|last| last.replace('_', "").to_lowercase() == constant)
            };
            android::permissions().find(same)?.name.to_owned()
        }
    };
    let cap = named(&arguments, "MaxSdkVersion").map(|value| ("maxSdkVersion", value.to_owned()));
    Some(("uses-permission", name, cap.into_iter().collect(), span))
}

fn feature(arguments: &str, span: Span) -> Option<Found> {
    let arguments = split(arguments);
    let required = named(&arguments, "Required").map(|value| ("required", value.to_owned()));
    Some(("uses-feature", text_of(subject(&arguments)?)?, required.into_iter().collect(), span))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn attributes_are_found_and_comments_are_not() {
        let text = "using Android.App;\n// [assembly: UsesPermission(\"no.one\")]\n/* [assembly: UsesPermission(\"no.two\")] */\n[assembly: UsesPermission(Android.Manifest.Permission.AccessFineLocation)]\n[assembly: UsesPermission(Name = \"android.permission.CAMERA\", MaxSdkVersion = 30)]\n[assembly:UsesFeature(\"android.hardware.camera\", Required = false), UsesPermission(Manifest.Permission.Nfc)]\nclass A { string b = \"[assembly: UsesPermission(\\\"no.three\\\")]\"; char c = '\"'; int[] d = e[1]; }\n";
        let found: Vec<_> = attributes(text)
            .into_iter()
            .map(|(element, name, more, span)| (element, name, more, span.of(text)))
            .collect();
        let names: Vec<_> = found.iter().map(|(element, name, _, _)| format!("{element} {name}")).collect();
        assert_eq!(
            names,
            [
                "uses-permission android.permission.ACCESS_FINE_LOCATION",
                "uses-permission android.permission.CAMERA",
                "uses-feature android.hardware.camera",
                "uses-permission android.permission.NFC"
            ]
        );
        assert_eq!(found[1].2, [("maxSdkVersion", "30".to_owned())]);
        assert_eq!(found[2].2, [("required", "false".to_owned())]);
        assert_eq!(found[3].3, "UsesPermission(Manifest.Permission.Nfc)");
        for broken in ["[assembly: UsesPermission(", "[assembly", "\"", "'", "[assembly: A(\"", "/*"] {
            attributes(broken);
        }
    }
}
