//! The texts of `Info.plist` in other languages: `InfoPlist.strings` and `InfoPlist.xcstrings`.
//!
//! Source: "Localizing strings that contain plurals" and "Localizing and varying text with a string catalog" in the platform's
//! documentation.

use elvask_markup::{Span, openstep};
use elvask_project::appfiles::LocalText;
use elvask_project::loading::Loading;
use elvask_project::source::{FileId, Place};
use elvask_project::xcode::Resources;

pub(super) fn read(loading: &mut Loading<'_>, resources: &Resources) -> Vec<LocalText> {
    let mut texts = Vec::new();
    for (language, path) in &resources.strings {
        let shown = loading.shown(path);
        let Some((file, text)) = loading.read(path, &shown) else { continue };
        match openstep::parse_strings(&text) {
            Ok(entries) => texts.extend(entries.iter().filter_map(|(key, value)| {
                let (key, text) = (key.as_str()?.to_owned(), value.as_str()?.to_owned());
                Some(LocalText { language: language.clone(), key, text, place: Place { file, span: value.span } })
            })),
            // The build also takes a property list here.
            Err(error) => match elvask_markup::plist::PropertyList::parse(text) {
                Ok(list) => texts.extend(list.entries().iter().filter_map(|entry| {
                    let text = entry.value.as_str()?.to_owned();
                    let place = Place { file, span: entry.value.span };
                    Some(LocalText { language: language.clone(), key: entry.key.clone(), text, place })
                })),
                Err(_) => loading.unreadable(&shown, error.message, Place { file, span: error.span }),
            },
        }
    }
    for path in &resources.catalogs {
        let shown = loading.shown(path);
        let Some((file, text)) = loading.read(path, &shown) else { continue };
        match serde_json::from_str::<serde_json::Value>(text.trim_start_matches('\u{FEFF}')) {
            Ok(catalog) => texts.extend(catalog_texts(&catalog, file, &text)),
            Err(error) => loading.bad_json(&shown, file, &error),
        }
    }
    texts
}

/// Returns the texts of a string catalog.
fn catalog_texts(catalog: &serde_json::Value, file: FileId, text: &str) -> Vec<LocalText> {
    let mut texts = Vec::new();
    for (key, entry) in catalog.get("strings").and_then(serde_json::Value::as_object).into_iter().flatten() {
        let Some(languages) = entry.get("localizations").and_then(serde_json::Value::as_object) else { continue };
        let from = text.find(&format!("\"{key}\"")).unwrap_or_default();
        for (language, localization) in languages {
            let unit = localization.get("stringUnit");
            let Some(value) = unit.and_then(|unit| unit.get("value")?.as_str()) else { continue };
            let written = serde_json::to_string(value).unwrap_or_default();
            let inside = text.get(from..).unwrap_or_default();
            let language_at = inside.find(&format!("\"{language}\"")).unwrap_or_default();
            let at = inside
                .get(language_at..)
                .and_then(|rest| rest.find(&written))
                .map_or(from, |at| from + language_at + at);
            texts.push(LocalText {
                language: language.clone(),
                key: key.clone(),
                text: value.to_owned(),
                place: Place { file, span: Span::new(at, (at + written.len()).min(text.len())) },
            });
        }
    }
    texts
}
