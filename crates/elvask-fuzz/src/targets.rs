//! The targets: what is held of each part of the program for any input.

use std::path::Path;

use elvask_core::config::Config;
use elvask_link::association::android::AssetLinks;
use elvask_link::association::apple::{AppId, AppleAssociation, Decision};
use elvask_link::filter::{Filter, Intent};
use elvask_link::index::FilterSet;
use elvask_link::url::{Link, Uri};
use elvask_markup::gradle;
use elvask_markup::plist::PropertyList;
use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_markup::xml::{Document, Node, NodeKind};
use elvask_markup::{Edit, EditSet, Span, decode, encode, openstep};
use elvask_needs::evidence::{learn, learn_from_notes};
use elvask_needs::sheet::Sheet;
use elvask_platform::Version;
use elvask_project::files::Memory;
use elvask_project::filters::{DataSpec, FilterSpec, VIEW};
use elvask_project::source::{Place, Sources};

use crate::corpus::Corpus;
use crate::{apps, reference};

/// Something that must hold for any input.
pub struct Target {
    /// Its name.
    pub name: &'static str,
    /// The ends of the names of the files that make good seeds.
    pub seeds: &'static [&'static str],
    /// Says what does not hold for an input.
    pub run: fn(&Corpus, &[u8]) -> Result<(), String>,
}

/// All targets.
pub static TARGETS: [Target; 18] = [
    Target { name: "text", seeds: &[".xml", ".strings", ".plist"], run: text },
    Target { name: "xml", seeds: &[".xml"], run: xml },
    Target { name: "xml-edit", seeds: &["AndroidManifest.xml", "config.xml", "strings.xml"], run: xml_edit },
    Target { name: "plist", seeds: &[".plist", ".entitlements", ".xcprivacy"], run: plist },
    Target { name: "openstep", seeds: &[".pbxproj", ".strings"], run: open_step },
    Target { name: "gradle", seeds: &[".gradle", ".kts"], run: gradle_script },
    Target { name: "sheet", seeds: &["elvask-sheet.toml"], run: sheet },
    Target { name: "config", seeds: &["elvask.toml"], run: config },
    Target { name: "notes", seeds: &["README.md", ".md"], run: notes },
    Target {
        name: "package",
        seeds: &[".java", ".kt", ".swift", ".m", ".gradle", ".podspec", ".xml", ".cs"],
        run: package,
    },
    Target { name: "place", seeds: &["README.md", "AndroidManifest.xml", "Info.plist"], run: place },
    Target { name: "links", seeds: &["links.txt"], run: links },
    Target { name: "apple-association", seeds: &["apple-app-site-association"], run: apple },
    Target { name: "asset-links", seeds: &["assetlinks.json"], run: asset_links },
    Target { name: "certificate", seeds: &[".der", ".pem", ".p12", ".jks"], run: certificate },
    Target { name: "profile", seeds: &[".mobileprovision", ".cer"], run: profile },
    Target { name: "built", seeds: &[".compiled", ".arsc", ".pb"], run: built },
    Target { name: "apps", seeds: &[], run: apps::run },
];

fn lossy(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

fn ensure(holds: bool, what: impl FnOnce() -> String) -> Result<(), String> {
    if holds { Ok(()) } else { Err(what()) }
}

fn apply(text: &str, edits: &[Edit]) -> Result<String, String> {
    let mut set = EditSet::new();
    set.add(edits).map_err(|error| error.to_string())?;
    set.apply(text).map_err(|error| error.to_string())
}

/// What is read as text is written back as the same bytes.
fn text(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let Ok(decoded) = decode(bytes.to_vec()) else { return Ok(()) };
    let written = encode(&decoded.text, decoded.encoding).map_err(|error| error.to_string())?;
    // A binary list is written anew, in its own order.
    ensure(written == bytes || bytes.starts_with(b"bplist"), || "the bytes are not what they were".to_owned())
}

fn rebuild(text: &str, node: Node<'_>, out: &mut String) {
    match node.element() {
        Some(element) => {
            out.push_str(element.open().of(text));
            node.children().for_each(|child| rebuild(text, child, out));
            out.push_str(element.close().map_or("", |close| close.of(text)));
        }
        None if node.kind() == NodeKind::Document => node.children().for_each(|child| rebuild(text, child, out)),
        None => out.push_str(node.source()),
    }
}

/// The parts of a document are the document.
fn xml(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let text = lossy(bytes);
    let _ = Document::parse_lenient(text.as_str());
    let Ok(document) = Document::parse(text.as_str()) else { return Ok(()) };
    let mut rebuilt = String::new();
    rebuilt.extend(text.starts_with('\u{FEFF}').then_some('\u{FEFF}'));
    rebuild(&text, document.document(), &mut rebuilt);
    ensure(rebuilt == text, || "the parts are not the whole".to_owned())
}

/// What is put in is there, the document can still be read, and nothing else has changed.
fn xml_edit(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let text = lossy(bytes);
    let Ok(document) = Document::parse(text.as_str()) else { return Ok(()) };
    let pick = bytes.iter().fold(7_usize, |sum, byte| sum.wrapping_mul(31).wrapping_add(usize::from(*byte)));
    let all: Vec<_> = document.elements().collect();
    let Some(element) = all.get(pick % all.len().max(1)) else { return Ok(()) };
    let count = |document: &Document| document.elements().count();
    let new = Fragment::new("queries").with("name", "a <b> & \"c\"").holding(vec![Fragment::new("intent").saying("é")]);
    for slot in [Slot::First, Slot::Last] {
        let written = apply(&text, &plan::insert(*element, slot, std::slice::from_ref(&new)))?;
        let read =
            Document::parse(written.as_str()).map_err(|error| format!("after an insertion: {error}\n{written}"))?;
        ensure(count(&read) == all.len() + 2, || format!("an insertion made {} of {}", count(&read), all.len()))?;
    }
    let written = apply(&text, &[plan::set_attribute(*element, "set", "a <b> & \"c\" 'd'")])?;
    let read = Document::parse(written.as_str()).map_err(|error| format!("after an attribute: {error}"))?;
    let found = read.elements().filter(|one| one.attribute_written("set").is_some()).count();
    ensure(found > 0, || "the attribute is not there".to_owned())?;
    if let Some(parent) = element.parent() {
        let written = apply(&text, &[plan::remove(element.node())])?;
        Document::parse(written.as_str()).map_err(|error| format!("after a removal: {error}"))?;
        let elsewhere = all.iter().find(|one| {
            **one != parent && !(one.span().start >= element.span().start && one.span().end <= element.span().end)
        });
        if let Some(elsewhere) = elsewhere {
            let edits = plan::move_into(*element, *elsewhere, Slot::Last);
            // Where both touch, the planner of `fill` takes another round.
            if let Ok(written) = apply(&text, &edits) {
                let read = Document::parse(written.as_str()).map_err(|error| format!("after a move: {error}"))?;
                ensure(count(&read) == all.len(), || "a move lost or doubled something".to_owned())?;
            }
        }
    }
    Ok(())
}

/// An entry that is put in is there with its value, and taking it out leaves no trace.
fn plist(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let Ok(decoded) = decode(bytes.to_vec()) else { return Ok(()) };
    let text = decoded.text;
    let Ok(list) = PropertyList::parse(text.as_str()) else { return Ok(()) };
    if !list.is_xml() || list.root().as_dict().is_none() {
        return Ok(());
    }
    let value = NewValue::Dict(vec![
        ("a".to_owned(), NewValue::String("é <&> \"".to_owned())),
        ("b".to_owned(), NewValue::Array(vec![NewValue::Bool(true), NewValue::Integer(-3)])),
    ]);
    let written = apply(&text, &plist_plan::insert_entry(&list, list.root(), None, "New-Key", &value))?;
    let read = PropertyList::parse(written.as_str()).map_err(|error| format!("after an insertion: {error}"))?;
    let before = list.entries().len();
    ensure(read.entries().len() == before + 1, || format!("{before} entries became {}", read.entries().len()))?;
    // Each is tried on the whole list, so that a few must do.
    for entry in list.entries().iter().take(12) {
        let written = apply(&text, &[plist_plan::remove_entry(&list, entry)])?;
        let read = PropertyList::parse(written.as_str()).map_err(|error| format!("after a removal: {error}"))?;
        ensure(read.entries().len() + 1 == before, || "a removal took out something else".to_owned())?;
        let written = apply(&text, &[plist_plan::replace(&list, &entry.value, &value)])?;
        PropertyList::parse(written.as_str()).map_err(|error| format!("after a replacement: {error}"))?;
        if let Some(array) = entry.value.as_array() {
            let more = [NewValue::String("é <&>".to_owned())];
            let written = apply(&text, &plist_plan::append(&list, &entry.value, &more))?;
            let read = PropertyList::parse(written.as_str()).map_err(|error| format!("after an addition: {error}"))?;
            let longer = read.entries().iter().filter_map(|entry| entry.value.as_array()).map(<[_]>::len).max();
            ensure(longer.is_some_and(|longer| longer > array.len()), || "the addition is not there".to_owned())?;
        }
    }
    Ok(())
}

fn open_step(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let text = lossy(bytes);
    let _ = openstep::parse_strings(&text);
    if let Ok(objects) = openstep::parse_objects(&text) {
        drop(objects);
    }
    let Ok(value) = openstep::parse(&text) else { return Ok(()) };
    if let Some(edit) = openstep::plan::insert_entry(&text, &value, "NEW KEY", &openstep::plan::quote("a \"b\" \\ é"))
    {
        let written = apply(&text, &[edit])?;
        let read = openstep::parse(&written).map_err(|error| format!("after an insertion: {error}"))?;
        let found = read.get("NEW KEY").and_then(|found| found.as_str());
        ensure(found == Some("a \"b\" \\ é"), || format!("the value came out as {found:?}"))?;
    }
    Ok(())
}

fn gradle_script(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let text = lossy(bytes);
    for language in [gradle::Language::Groovy, gradle::Language::Kotlin] {
        drop(gradle::parse(&text, language));
    }
    Ok(())
}

fn sheet(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let text = lossy(bytes);
    let (sheet, problems) = Sheet::parse(&text, None);
    drop(sheet);
    let inside =
        |span: Span| span.end <= text.len() && text.is_char_boundary(span.start) && text.is_char_boundary(span.end);
    ensure(problems.iter().all(|problem| inside(problem.span)), || "a problem is told outside the text".to_owned())
}

fn config(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let text = lossy(bytes);
    let (_, problems) = Config::parse(&text);
    let inside =
        |span: Span| span.end <= text.len() && text.is_char_boundary(span.start) && text.is_char_boundary(span.end);
    ensure(problems.iter().all(|problem| inside(problem.span)), || "a problem is told outside the text".to_owned())
}

fn notes(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    drop(learn_from_notes(&lossy(bytes), "README.md"));
    Ok(())
}

/// A package whose files are all these bytes.
fn package(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let mut tree = Memory::default();
    for name in [
        "android/build.gradle",
        "android/src/main/AndroidManifest.xml",
        "android/src/main/java/a/One.java",
        "android/src/main/java/a/Two.kt",
        "ios/One.swift",
        "ios/Two.m",
        "One.podspec",
        "Package.swift",
        "package.json",
        "One.cs",
        "plugin.xml",
    ] {
        tree.put(Path::new("/package").join(name), bytes);
    }
    drop(learn(&tree, Path::new("/package")));
    Ok(())
}

fn place(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    drop(elvask_core::place::read(&lossy(bytes)));
    Ok(())
}

/// The index finds the filters that a plain look at each of them finds.
///
/// The input is lines: those that start with `=` are links, the others filters, each a list of `attribute value` with `;` between them.
fn links(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let text = lossy(bytes);
    let mut sources = Sources::new(Path::new("/app"));
    let place = Place { file: sources.add(Path::new("/app/a.xml"), ""), span: Span::at(0) };
    let mut filters = Vec::new();
    for line in text.lines().filter(|line| !line.starts_with('=')).take(200) {
        let mut spec = FilterSpec { actions: vec![VIEW.to_owned()], ..FilterSpec::default() };
        spec.categories = ["DEFAULT", "BROWSABLE"].map(|name| format!("android.intent.category.{name}")).to_vec();
        for element in line.split('|') {
            let mut data = DataSpec::default();
            for (name, value) in element.split(';').filter_map(|part| part.trim().split_once(' ')) {
                data.push(name, value, place);
            }
            spec.data.push(data);
        }
        filters.extend(Filter::at_level(&spec, 35).ok());
    }
    let set = FilterSet::new(filters.clone());
    let mut found = Vec::new();
    for line in text.lines().filter_map(|line| line.strip_prefix('=')).take(50) {
        let Ok(link) = Link::parse(line) else { continue };
        set.matching(&link.uri(), &mut found);
        let uri = link.uri();
        let plain = filters.iter().enumerate().filter(|(_, filter)| filter.matches(&Intent::link(&uri)).is_ok());
        let plain: Vec<usize> = plain.map(|(at, _)| at).collect();
        ensure(found == plain, || format!("{line}: the index finds {found:?}, a plain look {plain:?}"))?;
    }
    Ok(())
}

/// A path is decided as a plain matcher decides it, for rules that only `*` and `?` are in.
///
/// The input is the file; or, where it starts with `=`, a path and then rules, a line each.
fn apple(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let text = lossy(bytes);
    let version = Version::parse("17.0").ok_or("no version")?;
    let id = AppId { team: Some("A1B2C3D4E5"), bundle: "example.marram.fieldlog" };
    let Some(listed) = text.strip_prefix('=') else {
        if let Ok(file) = AppleAssociation::parse(&text) {
            drop(file.decide(&id, &Uri::parse("https://marram.example/site/42?a=b#c"), &version));
        }
        return Ok(());
    };
    let plain = |line: &str| {
        line.chars()
            .take(400)
            .filter(|letter| letter.is_ascii_alphanumeric() || "/*?-".contains(*letter))
            .collect::<String>()
    };
    let mut lines = listed.lines().map(plain);
    let path = format!("/{}", lines.next().unwrap_or_default().replace(['*', '?'], "x").trim_start_matches('/'));
    let rules: Vec<String> = lines.filter(|rule| !rule.is_empty()).take(8).collect();
    let components: Vec<_> = rules.iter().map(|rule| serde_json::json!({ "/": rule })).collect();
    let file = serde_json::json!({ "applinks": { "details": [{ "appIDs": ["A1B2C3D4E5.example.marram.fieldlog"], "components": components }] } });
    let file = AppleAssociation::parse(&file.to_string())?;
    let url = format!("https://marram.example{path}");
    let decision = file.decide(&id, &Uri::parse(&url), &version);
    let letters = |text: &str| text.chars().collect::<Vec<_>>();
    let wanted = rules.iter().any(|rule| reference::glob(&letters(rule), &letters(&path)));
    let opens = matches!(decision, Decision::Opens { .. });
    ensure(opens == wanted || matches!(decision, Decision::TooCostly), || {
        format!("{path} with {rules:?}: {decision:?}")
    })
}

fn asset_links(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    if let Ok(file) = AssetLinks::parse(&lossy(bytes)) {
        let _ = file.verify("example.marram.fieldlog", &["14:6D:E9".to_owned()]);
    }
    Ok(())
}

/// What is signed is found, or an error; what was found is found again in it.
fn profile(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    if let Ok(profile) = elvask_core::account::Profile::read(bytes) {
        ensure(profile.app_id().is_some(), || "a profile without an app id".to_owned())?;
        let granted = profile.entitlements().iter().all(|entry| profile.granted(&entry.key).is_some());
        ensure(granted, || "what is granted is not found under its key".to_owned())?;
    }
    Ok(())
}

/// What is handed out of a compiled manifest is XML, whatever it was compiled of.
fn built(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    for text in elvask_built::texts_in(bytes) {
        Document::parse(text).map_err(|error| format!("it is no XML: {error}"))?;
    }
    Ok(())
}

fn certificate(_: &Corpus, bytes: &[u8]) -> Result<(), String> {
    let _ = elvask_keys::read(bytes, Some("ringing-1"));
    Ok(())
}
