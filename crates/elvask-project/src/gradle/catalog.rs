//! Version catalogs: `gradle/libs.versions.toml`.
//!
//! Source: "Version Catalogs" in the build tool's user guide.

use std::path::Path;

use elvask_markup::Span;
use toml::de::DeValue;

use super::values::{Known, Value};
use crate::files::FileKind;
use crate::loading::Loading;
use crate::source::Place;
use crate::tomldoc::{self, Table, span_of};

/// One catalog, with every alias as an accessor writes it: with dots.
#[derive(Debug, Clone, Default)]
pub(super) struct Catalog {
    /// The name by which build files know it.
    pub(super) name: String,
    versions: Vec<(String, Known)>,
    /// The alias, the coordinates `group:name`, and the version.
    libraries: Vec<(String, String, Option<Known>)>,
    plugins: Vec<(String, String, Option<Known>)>,
}

impl Catalog {
    pub(super) fn version(&self, alias: &str) -> Option<&Known> {
        self.versions.iter().find(|(name, _)| name == alias).map(|(_, value)| value)
    }

    /// Returns the coordinates of a library and its version.
    pub(super) fn library(&self, alias: &str) -> Option<(&str, Option<String>)> {
        find(&self.libraries, alias)
    }

    /// Returns the id of a plugin and its version.
    pub(super) fn plugin(&self, alias: &str) -> Option<(&str, Option<String>)> {
        find(&self.plugins, alias)
    }
}

fn find<'c>(list: &'c [(String, String, Option<Known>)], alias: &str) -> Option<(&'c str, Option<String>)> {
    let (_, id, version) = list.iter().find(|(name, _, _)| name == alias)?;
    Some((id, version.as_ref().and_then(|version| version.value.text())))
}

/// Returns an alias as an accessor writes it.
fn accessor(alias: &str) -> String {
    alias.replace(['-', '_'], ".")
}

/// Reads all catalogs of a build.
pub(super) fn read_all(loading: &mut Loading<'_>, root: &Path) -> Vec<Catalog> {
    let folder = root.join("gradle");
    let names: Vec<_> = loading
        .files
        .list(&folder)
        .into_iter()
        .filter(|(_, kind)| *kind == FileKind::File)
        .filter_map(|(name, _)| Some((name.strip_suffix(".versions.toml")?.to_owned(), name)))
        .collect();
    let mut catalogs = Vec::new();
    for (name, file) in names {
        let path = folder.join(&file);
        let shown = loading.shown(&path);
        let Some((id, text)) = loading.read(&path, &shown) else { continue };
        let (mut catalog, problems) = tomldoc::parse(&text, |table, _| read(table, id));
        catalog.name = name;
        if let Some(problem) = problems.first() {
            loading.unreadable(&shown, &problem.message, Place { file: id, span: problem.span });
        }
        catalogs.push(catalog);
    }
    catalogs
}

fn read(root: &Table<'_, '_>, file: crate::source::FileId) -> Catalog {
    let mut catalog = Catalog::default();
    let place = |span: Span| Place { file, span };
    let section = |name: &str| root.get(name).and_then(|value| value.get_ref().as_table());
    for (alias, value) in section("versions").into_iter().flatten() {
        let version = match value.get_ref() {
            DeValue::String(text) => Some((text.to_string(), span_of(value))),
            // A rich version: what it prefers or wants at least.
            DeValue::Table(table) => ["strictly", "require", "prefer"]
                .iter()
                .find_map(|key| Some((table.get(*key)?.get_ref().as_str()?.to_owned(), span_of(table.get(*key)?)))),
            _ => None,
        };
        if let Some((text, span)) = version {
            catalog.versions.push((accessor(alias.get_ref()), Known { value: Value::Text(text), place: place(span) }));
        }
    }
    for (name, list) in [("libraries", true), ("plugins", false)] {
        for (alias, value) in section(name).into_iter().flatten() {
            let (mut id, mut version) = (None, None);
            match value.get_ref() {
                DeValue::String(text) => {
                    let (before, last) = text.rsplit_once(':').unwrap_or((text, ""));
                    id = Some(before.to_owned());
                    version = (!last.is_empty())
                        .then(|| Known { value: Value::Text(last.to_owned()), place: place(span_of(value)) });
                }
                DeValue::Table(table) => {
                    let text = |key: &str| table.get(key).and_then(|value| value.get_ref().as_str()).map(str::to_owned);
                    id = text("module")
                        .or_else(|| text("id"))
                        .or_else(|| Some(format!("{}:{}", text("group")?, text("name")?)));
                    version = match table.get("version").map(|version| (version, version.get_ref())) {
                        Some((at, DeValue::String(text))) => {
                            Some(Known { value: Value::Text(text.to_string()), place: place(span_of(at)) })
                        }
                        Some((_, DeValue::Table(version))) => {
                            let alias = version.get("ref").and_then(|alias| alias.get_ref().as_str());
                            alias.and_then(|alias| catalog.version(&accessor(alias)).cloned())
                        }
                        _ => None,
                    };
                }
                _ => {}
            }
            let Some(id) = id else { continue };
            let list = if list { &mut catalog.libraries } else { &mut catalog.plugins };
            list.push((accessor(alias.get_ref()), id, version));
        }
    }
    catalog
}
