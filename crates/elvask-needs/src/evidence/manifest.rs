//! A package's own manifests: what they declare is merged into the app by the build.

use std::io::Read as _;

use elvask_markup::Span;
use elvask_markup::xml::{Document, Element};
use elvask_platform::{Kind, Strength, ios};
use elvask_project::files::Parts;
use elvask_project::intent::Owner;
use elvask_project::names::{ANDROID, TOOLS, full_class};
use elvask_project::surface::read_query;

use super::gather::Found;
use super::shown::{Notes, Shown};
use super::{Learned, Thing, pieces_of};
use crate::requirement::{Citation, Component, EvidenceKind, MIN_LEVEL, Need, When};

/// The largest manifest that is taken out of an archive, in bytes.
const MAX_MANIFEST: u64 = 512 * 1024;

/// The components of an app.
const COMPONENTS: [&str; 5] = ["activity", "activity-alias", "service", "receiver", "provider"];

/// Reads the manifest inside of a bundled library, and of the rest only the archive's own list.
pub(super) fn read_archive(archive: Box<dyn Parts>, shown: &str, found: &mut Found) {
    let inside = format!("{shown}!/AndroidManifest.xml");
    let opened = zip::ZipArchive::new(archive);
    let text = opened.map_err(|error| error.to_string()).and_then(|mut archive| {
        let entry = archive.by_name("AndroidManifest.xml").map_err(|error| error.to_string())?;
        let mut bytes = Vec::new();
        let read = entry.take(MAX_MANIFEST + 1).read_to_end(&mut bytes).map_err(|error| error.to_string())?;
        if read as u64 > MAX_MANIFEST {
            return Err(format!("its manifest has more than {MAX_MANIFEST} bytes"));
        }
        if bytes.starts_with(&[3, 0, 8, 0]) {
            return Err("its manifest is in the binary form".to_owned());
        }
        String::from_utf8(bytes).map_err(|error| error.to_string())
    });
    match text {
        Ok(text) => read(&text, &inside, None, found),
        Err(error) => found.limit(format!("{shown}: {error}; what it brings along is not known")),
    }
}

/// Reads `plugin.xml`: what the tools of the layout `widget` put into manifest and property list when they prepare the app.
pub(super) fn read_plugin_xml(text: &str, shown: &str, found: &mut Found) {
    read_purposes(text, shown, found);
    for piece in pieces_of(text, "xml").pieces {
        let Thing::Need { name, need } = piece.thing else { continue };
        let declares = matches!(
            need.kind(),
            Kind::Permission
                | Kind::Feature
                | Kind::Query
                | Kind::Component
                | Kind::BackgroundMode
                | Kind::QueryScheme
                | Kind::Entitlement
        );
        if !declares || name.contains(['$', '{']) {
            continue;
        }
        found.add(Learned {
            name,
            need,
            strength: Strength::Certain,
            one_of: None,
            when: When::default(),
            brought: true,
            shown: Shown::default(),
            citations: vec![Citation::in_text(EvidenceKind::Manifest, shown, text, piece.span.start).into()],
        });
    }
}

/// Reads what `plugin.xml` puts into the property list under keys that hold a purpose, and the names that its scripts get in
/// the page. A purpose that is blank until the app words it is the app's to give.
fn read_purposes(text: &str, shown: &str, found: &mut Found) {
    let Ok(document) = Document::parse(text) else { return };
    let mut preferences: Vec<(String, String)> = Vec::new();
    let mut open = vec![document.root()];
    let mut edits = Vec::new();
    let written = |element: Element<'_>, name: &str| {
        element.attribute_written(name).map(|attribute| element.value_of(attribute).into_owned())
    };
    while let Some(element) = open.pop() {
        match element.name() {
            // What is there for another platform says nothing here.
            "platform" if !matches!(written(element, "name").as_deref(), Some("android" | "ios")) => continue,
            "preference" => {
                if let Some(name) = written(element, "name") {
                    preferences.push((name, written(element, "default").unwrap_or_default()));
                }
            }
            "clobbers" | "merges" => {
                if let Some(target) = written(element, "target") {
                    found.global(target.trim_start_matches("window."));
                }
            }
            "config-file" | "edit-config" => edits.push(element),
            _ => {}
        }
        open.extend(element.children());
    }
    for element in edits {
        let key = written(element, "parent").or_else(|| written(element, "target")).unwrap_or_default();
        let Some(known) = ios::usage_key(&key).filter(|known| known.is_for_ios()) else { continue };
        let value = element.children().map(Element::text).collect::<String>();
        let value = value.trim();
        let named = value.strip_prefix('$').map(|name| name.trim_matches(['{', '}']));
        let given = match named {
            Some(name) => preferences.iter().find(|(known, _)| known == name).map_or("", |(_, default)| default.trim()),
            None => value,
        };
        let worded = !given.is_empty();
        found.add(Learned {
            name: known.key.to_owned(),
            need: Need::Usage,
            strength: if worded { Strength::Certain } else { Strength::Likely },
            one_of: None,
            when: When::default(),
            brought: worded,
            shown: if worded { Shown::default() } else { Shown::in_notes(Notes::Everybody) },
            citations: vec![Citation::in_text(EvidenceKind::Manifest, shown, text, element.open().start).into()],
        });
    }
}

/// Reads one manifest; `namespace` is that of the build file beside it.
pub(super) fn read(text: &str, shown: &str, namespace: Option<&str>, found: &mut Found) {
    let document = match Document::parse(text) {
        Ok(document) => document,
        Err(error) => return found.limit(format!("{shown}: {error}; what it declares is not known")),
    };
    let root = document.root();
    if root.name() != "manifest" {
        return;
    }
    let package = root.attribute_written("package").map(|package| root.value_of(package).into_owned());
    let reader = Reader { text, shown, namespace: namespace.map(str::to_owned).or(package) };
    for element in root.children() {
        match element.name() {
            "uses-permission" | "uses-permission-sdk-23" => reader.permission(element, found),
            "uses-feature" => {
                let required = value(element, "required").as_deref() != Some("false");
                reader.named(element, Need::Feature { required }, found);
            }
            "uses-sdk" => {
                if let Some(level) = value(element, "minSdkVersion").and_then(|level| level.parse().ok()) {
                    reader.add(element, MIN_LEVEL.to_owned(), Need::Level(level), false, found);
                }
            }
            "queries" => {
                for entry in element.children() {
                    if let Some(declared) = read_query(entry) {
                        reader.add(entry, declared.query.name(), Need::Query(Box::new(declared.query)), true, found);
                    }
                }
            }
            "application" => {
                for child in element.children() {
                    reader.inside_application(child, found);
                }
            }
            _ => {}
        }
    }
}

struct Reader<'t> {
    text: &'t str,
    shown: &'t str,
    namespace: Option<String>,
}

/// Returns a platform attribute, without the space around it.
fn value(element: Element<'_>, local: &str) -> Option<String> {
    element.value(ANDROID, local).map(|value| value.trim().to_owned())
}

/// Says whether an element takes something out of the app, or only marks what others declare.
fn takes_out(element: Element<'_>) -> bool {
    element.value(TOOLS, "node").is_some_and(|node| node.starts_with("remove"))
}

impl Reader<'_> {
    fn citation(&self, span: Span) -> Citation {
        Citation::in_text(EvidenceKind::Manifest, self.shown, self.text, span.start)
    }

    fn add(&self, element: Element<'_>, name: String, need: Need, brought: bool, found: &mut Found) {
        // What holds the app's own id has another name in each app.
        if takes_out(element) || name.is_empty() || name.contains("${") {
            return;
        }
        found.add(Learned {
            name,
            need,
            strength: Strength::Certain,
            one_of: None,
            when: When::default(),
            brought,
            shown: Shown::default(),
            citations: vec![self.citation(element.open()).into()],
        });
    }

    fn named(&self, element: Element<'_>, need: Need, found: &mut Found) {
        if let Some(name) = value(element, "name") {
            self.add(element, name, need, true, found);
        }
    }

    fn permission(&self, element: Element<'_>, found: &mut Found) {
        let max_level = value(element, "maxSdkVersion").and_then(|level| level.parse().ok());
        self.named(element, Need::Permission { max_level }, found);
    }

    fn inside_application(&self, element: Element<'_>, found: &mut Found) {
        if element.name() == "meta-data" {
            let need = Need::MetaData {
                owner: Owner::Application,
                value: value(element, "value"),
                resource: value(element, "resource"),
            };
            return self.named(element, need, found);
        }
        if !COMPONENTS.contains(&element.name()) {
            return;
        }
        let Some(name) = value(element, "name") else { return };
        let component = Component {
            element: element.name().to_owned(),
            exported: value(element, "exported").and_then(|exported| exported.parse().ok()),
            foreground_type: value(element, "foregroundServiceType"),
            permission: value(element, "permission"),
            authorities: value(element, "authorities"),
            actions: Vec::new(),
        };
        let class = full_class(&name, self.namespace.as_deref());
        self.add(element, class, Need::Component(component.into()), true, found);
    }
}
