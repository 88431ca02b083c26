//! Making the platform files of `config.xml`.

use elvask_markup::Span;
use elvask_markup::xml::{Document, Element};
use elvask_platform::Platform;
use elvask_project::appfiles::{Generated, Variable};
use elvask_project::names::{ANDROID, TOOLS};
use elvask_project::source::{FileId, Place, Sources};

use super::{ACTIVITY, attribute, is_manifest, is_plist, is_release_entitlements, local, of_platform, variable};
use crate::generated::Made;
use crate::generated::draft::Draft;

/// A document that adds to the platform files.
struct Origin<'s> {
    /// The package that it belongs to; empty for the app's own.
    name: &'s str,
    file: FileId,
    text: &'s str,
    document: Document,
    /// The variables that are put into its texts, as `$NAME` and value.
    variables: Vec<(String, String)>,
}

/// Makes the platform files; `None` where `config.xml` cannot be read.
pub(crate) fn made(generated: &Generated, sources: &Sources) -> Option<Made> {
    let mut origins = Vec::new();
    let own: &[Variable] = &[];
    let all = std::iter::once(("", generated.source, own));
    let plugins =
        generated.plugins.iter().map(|plugin| (plugin.name.as_str(), plugin.file, plugin.variables.as_slice()));
    for (name, file, variables) in all.chain(plugins) {
        let text = &sources.file(file).text;
        match Document::parse_lenient(text.clone()) {
            Ok(document) => {
                let variables = filled_variables(origins.first(), name, variables);
                origins.push(Origin { name, file, text, document, variables });
            }
            Err(_) if file == generated.source => return None,
            // A plugin that cannot be read is told where plugins are read.
            Err(_) => {}
        }
    }
    Some(Made { manifest: manifest(&origins)?, plist: plist(&origins)?, entitlements: entitlements(&origins)? })
}

/// Returns the values of a plugin's variables as `config.xml` gives them now.
fn filled_variables(config: Option<&Origin<'_>>, plugin: &str, variables: &[Variable]) -> Vec<(String, String)> {
    let now = |one: &Variable| {
        let root = config.filter(|_| one.given)?.document.root();
        Some(root.value_of(variable(root, plugin, &one.reference)?).into_owned())
    };
    variables.iter().map(|one| (one.reference.clone(), now(one).unwrap_or_else(|| one.value.clone()))).collect()
}

/// Returns a preference's value with its place; names are compared without case, one for the platform goes first.
pub fn preference(root: Element<'_>, platform: Platform, name: &str) -> Option<(String, Span)> {
    let named = |element: &Element<'_>| {
        local(*element) == "preference"
            && attribute(*element, "name").is_some_and(|known| known.eq_ignore_ascii_case(name))
    };
    let found = of_platform(root, platform).into_iter().rfind(named)?;
    let value = found.attribute_written("value")?;
    Some((found.value_of(value).into_owned(), value.value))
}

/// Returns an attribute of the root with its place.
pub fn identity(root: Element<'_>, names: &[&str]) -> Option<(String, Span)> {
    let attribute = names.iter().find_map(|name| root.attribute_written(name))?;
    Some((root.value_of(attribute).into_owned(), attribute.value))
}

impl Origin<'_> {
    fn root_tag(&self) -> Place {
        Place { file: self.file, span: self.document.root().open() }
    }

    /// Adds an element as it is written, with the plugin's variables put in. What is a variable and nothing else comes from where
    /// the app gives its value.
    fn copy(&self, config: &Origin<'_>, element: Element<'_>, indent: &str, out: &mut Draft) {
        let span = element.span();
        out.say(indent);
        let written = span.of(self.text);
        if self.variables.iter().any(|(name, _)| written.contains(name.as_str())) {
            let text = self.filled(written);
            let given = variable(config.document.root(), self.name, element.text().trim());
            let place = given.map(|given| Place { file: config.file, span: given.value });
            out.mean(&text, place.unwrap_or(Place { file: self.file, span }));
        } else {
            out.copy(self.file, self.text, span);
        }
        out.say("\n");
    }

    fn filled(&self, text: &str) -> String {
        // The longest name first, so that $NAME_TWO is no $NAME.
        let mut out = text.to_owned();
        for (name, value) in &self.variables {
            out = out.replace(name.as_str(), value);
        }
        out
    }
}

/// The places in the manifest that the tools make into which something goes.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Into {
    Manifest,
    Application,
    Activity,
    Queries,
}

/// Reads the path of a parent: `/manifest/application/activity[@android:name='MainActivity']`.
fn parent(path: &str) -> Option<Into> {
    let plain: String = path.split('[').next().unwrap_or_default().trim().trim_matches('/').to_owned();
    let parts: Vec<&str> = plain.split('/').collect();
    match parts.as_slice() {
        ["*" | "manifest"] => Some(Into::Manifest),
        ["*" | "manifest", "application"] | ["application"] => Some(Into::Application),
        ["*" | "manifest", "application", "activity"] => Some(Into::Activity),
        ["*" | "manifest", "queries"] => Some(Into::Queries),
        _ => None,
    }
}

/// Goes through what the documents put into a place of the manifest.
fn added<'o>(origins: &'o [Origin<'_>], into: Into) -> Vec<(&'o Origin<'o>, Element<'o>)> {
    let mut out = Vec::new();
    for origin in origins {
        for element in of_platform(origin.document.root(), Platform::Android) {
            let target = attribute(element, "target").unwrap_or_default();
            let path = attribute(element, "parent").unwrap_or_default();
            if local(element) == "config-file" && is_manifest(&target) && parent(&path) == Some(into) {
                out.extend(element.children().map(|child| (origin, child)));
            }
        }
    }
    out
}

/// Adds the attributes that `edit-config` gives to an element, then those of the tools that it does not set.
fn attributes(origins: &[Origin<'_>], into: Into, usual: &[(&str, String)], out: &mut Draft) {
    let mut set: Vec<String> = Vec::new();
    for origin in origins {
        for element in of_platform(origin.document.root(), Platform::Android) {
            let file = attribute(element, "file").or_else(|| attribute(element, "platform")).unwrap_or_default();
            let target = attribute(element, "target").unwrap_or_default();
            if local(element) != "edit-config" || !is_manifest(&file) || parent(&target) != Some(into) {
                continue;
            }
            for child in element.children() {
                for given in child.attributes() {
                    let name = given.name.of(origin.text);
                    if !set.iter().any(|known| known == name) && !name.starts_with("xmlns") {
                        set.push(name.to_owned());
                        out.say(" ");
                        out.copy(origin.file, origin.text, given.span);
                    }
                }
            }
        }
    }
    for (name, value) in usual.iter().filter(|(name, _)| !set.iter().any(|known| known == name)) {
        out.say(&format!(" {name}=\"{value}\""));
    }
}

fn manifest(origins: &[Origin<'_>]) -> Option<Draft> {
    let config = origins.first()?;
    let root = config.document.root();
    let mut out = Draft::new(platform_tag(config, Platform::Android));
    let mode = preference(root, Platform::Android, "AndroidLaunchMode");
    let (mode, mode_at) = mode.map_or(("singleTop".to_owned(), None), |(mode, at)| (mode, Some(at)));
    out.say(&format!("<manifest xmlns:android=\"{ANDROID}\" xmlns:tools=\"{TOOLS}\">\n"));
    out.say("    <uses-permission android:name=\"android.permission.INTERNET\" />\n");
    for (origin, element) in added(origins, Into::Manifest) {
        origin.copy(config, element, "    ", &mut out);
    }
    let queries = added(origins, Into::Queries);
    if !queries.is_empty() {
        out.say("    <queries>\n");
        queries.into_iter().for_each(|(origin, element)| origin.copy(config, element, "        ", &mut out));
        out.say("    </queries>\n");
    }
    out.say("    <application");
    let usual = [
        ("android:label", "@string/app_name".to_owned()),
        ("android:icon", "@mipmap/ic_launcher".to_owned()),
        ("android:hardwareAccelerated", "true".to_owned()),
        ("android:supportsRtl", "true".to_owned()),
    ];
    attributes(origins, Into::Application, &usual, &mut out);
    out.say(">\n        <activity");
    let usual = [
        ("android:name", format!(".{ACTIVITY}")),
        ("android:exported", "true".to_owned()),
        ("android:label", "@string/activity_name".to_owned()),
        ("android:windowSoftInputMode", "adjustResize".to_owned()),
    ];
    if let Some(span) = mode_at {
        out.mean(&format!(" android:launchMode=\"{mode}\""), Place { file: config.file, span });
        attributes(origins, Into::Activity, &usual, &mut out);
    } else {
        let usual: Vec<_> = usual.into_iter().chain([("android:launchMode", mode)]).collect();
        attributes(origins, Into::Activity, &usual, &mut out);
    }
    out.say(">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\" />\n                <category android:name=\"android.intent.category.LAUNCHER\" />\n            </intent-filter>\n");
    for (origin, element) in added(origins, Into::Activity) {
        origin.copy(config, element, "            ", &mut out);
    }
    out.say("        </activity>\n");
    for (origin, element) in added(origins, Into::Application) {
        origin.copy(config, element, "        ", &mut out);
    }
    out.say("    </application>\n</manifest>\n");
    Some(out)
}

/// Returns where a person would look for what holds for a platform: the element for it, else the root.
fn platform_tag(config: &Origin<'_>, platform: Platform) -> Place {
    let named = |element: &Element<'_>| {
        local(*element) == "platform" && attribute(*element, "name").as_deref() == Some(platform.id())
    };
    let found = config.document.root().children().find(named);
    found.map_or(config.root_tag(), |element| Place { file: config.file, span: element.open() })
}

/// The start of a property list.
const HEAD: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\">\n<dict>\n";
const FOOT: &str = "</dict>\n</plist>\n";

/// Goes through the values that the documents put under keys of a list: `config-file` with its children, `edit-config` with what
/// it sets.
fn keyed<'o>(
    origins: &'o [Origin<'_>],
    fits: fn(&str) -> bool,
) -> Vec<(&'o Origin<'o>, String, Place, Vec<Element<'o>>)> {
    let mut out = Vec::new();
    for origin in origins {
        let mut elements = of_platform(origin.document.root(), Platform::Ios);
        // What changes a value goes before what adds one.
        elements.sort_by_key(|element| local(*element) != "edit-config");
        for element in elements {
            let (file, key) = match local(element) {
                "config-file" => ("target", "parent"),
                "edit-config" => ("file", "target"),
                _ => continue,
            };
            if !attribute(element, file).is_some_and(|target| fits(&target)) {
                continue;
            }
            if let Some(named) = element.attribute_written(key) {
                let place = Place { file: origin.file, span: named.value };
                let key = element.value_of(named).into_owned();
                out.push((origin, key, place, element.children().collect::<Vec<_>>()));
            }
        }
    }
    out
}

/// Writes keys with their values: lists of several documents are joined, of anything else the first one counts, and that is the
/// app's own.
fn write_keyed(
    config: &Origin<'_>,
    all: &[(&Origin<'_>, String, Place, Vec<Element<'_>>)],
    out: &mut Draft,
    known: &mut Vec<String>,
) {
    for (at, (origin, key, place, children)) in all.iter().enumerate() {
        let Some(value) = children.first().filter(|_| !known.contains(key)) else { continue };
        known.push(key.clone());
        let start = out.len();
        out.say("    <key>");
        out.mean(key, *place);
        out.say("</key>\n");
        if value.name() != "array" {
            origin.copy(config, *value, "    ", out);
            out.since(start, *place);
            continue;
        }
        // One list alone is copied whole, so that edits of it are edits there.
        let rest: Vec<_> = all.iter().skip(at + 1).filter(|(_, other, ..)| other == key).collect();
        if rest.is_empty() {
            origin.copy(config, *value, "    ", out);
            out.since(start, *place);
            continue;
        }
        out.say("    <array>\n");
        value.children().for_each(|element| origin.copy(config, element, "        ", out));
        for (origin, _, _, children) in rest {
            let lists = children.iter().filter(|list| list.name() == "array");
            lists.flat_map(|list| list.children()).for_each(|element| origin.copy(config, element, "        ", out));
        }
        out.say("    </array>\n");
        out.since(start, *place);
    }
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

fn plist(origins: &[Origin<'_>]) -> Option<Draft> {
    let config = origins.first()?;
    let root = config.document.root();
    let mut out = Draft::new(platform_tag(config, Platform::Ios));
    out.say(HEAD);
    let mut known: Vec<String> = Vec::new();
    write_keyed(config, &keyed(origins, is_plist), &mut out, &mut known);
    let mut usual = |key: &str, value: Option<(String, Span)>| {
        if let Some((text, span)) = value.filter(|_| !known.iter().any(|known| known == key)) {
            let start = out.len();
            out.say(&format!("    <key>{key}</key>\n    <string>{}</string>\n", escaped(&text)));
            out.since(start, Place { file: config.file, span });
        }
    };
    let name = root.children().find(|child| local(*child) == "name");
    let name = name.map(|name| (name.text().split_whitespace().collect::<Vec<_>>().join(" "), name.open()));
    usual("CFBundleDisplayName", name.clone());
    usual("CFBundleName", name);
    usual("CFBundleIdentifier", identity(root, &["ios-CFBundleIdentifier", "id"]));
    usual("CFBundleShortVersionString", identity(root, &["version"]));
    usual("CFBundleVersion", identity(root, &["ios-CFBundleVersion", "version"]));
    out.say("    <key>LSRequiresIPhoneOS</key>\n    <true/>\n");
    transport(config, &mut out);
    out.say(FOOT);
    Some(out)
}

/// Writes the rules for connections that come of `access`: one for any place opens all.
fn transport(config: &Origin<'_>, out: &mut Draft) {
    let root = config.document.root();
    let access: Vec<Element<'_>> =
        of_platform(root, Platform::Ios).into_iter().filter(|element| local(*element) == "access").collect();
    let any = access.iter().find(|element| attribute(**element, "origin").as_deref() == Some("*"));
    if let Some(any) = any {
        let start = out.len();
        out.say("    <key>NSAppTransportSecurity</key>\n    <dict>\n        <key>NSAllowsArbitraryLoads</key>\n        <true/>\n    </dict>\n");
        out.since(start, Place { file: config.file, span: any.open() });
    }
}

fn entitlements(origins: &[Origin<'_>]) -> Option<Draft> {
    let config = origins.first()?;
    let mut out = Draft::new(platform_tag(config, Platform::Ios));
    out.say(HEAD);
    write_keyed(config, &keyed(origins, is_release_entitlements), &mut out, &mut Vec::new());
    out.say(FOOT);
    Some(out)
}
