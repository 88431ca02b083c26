//! Writing into `app.json` what a person would write for a platform file to become another one. Comments and order are kept.

use elvask_markup::Edit;
use elvask_markup::plist::plan::NewValue;
use elvask_markup::xml::plan::{Content, Fragment};
use elvask_project::appfiles::Generated;
use elvask_project::names::ASSOCIATED_DOMAINS;
use elvask_project::source::Sources;
use jsonc_parser::ParseOptions;
use jsonc_parser::cst::{CstArray, CstInputValue, CstNode, CstObject, CstRootNode};

use super::read::Description;
use super::{ACTION, ACTIVITY, CATEGORY, DATA, PERMISSION};
use crate::generated::changes::{Change, KeyChange, Step};
use crate::generated::draft::Draft;
use crate::generated::{Made, Which, Written};
use crate::requirement::{COMPILE_LEVEL, MIN_LEVEL, MIN_VERSION, TARGET_LEVEL};

/// The document that is written into.
struct Document {
    before: String,
    root: CstRootNode,
    /// The object that describes the app.
    object: CstObject,
}

impl Document {
    /// Opens the document; a script is not written into.
    fn open(generated: &Generated, sources: &Sources) -> Option<Document> {
        let file = sources.file(generated.source);
        if !file.shown.ends_with(".json") {
            return None;
        }
        let before = file.text.to_string();
        // What the description is, the reader of places decides.
        let start = Description::read(&before)?.start();
        let root = CstRootNode::parse(&before, &ParseOptions::default()).ok()?;
        let top = root.object_value()?;
        let object = match top.properties().into_iter().find_map(|property| {
            let inside = property.value()?.as_object()?;
            (Description::read(&format!("{inside}")).is_some()).then_some(inside)
        }) {
            Some(inside) if before.get(..start).is_some_and(|before| before.contains('{')) => inside,
            _ => top,
        };
        Some(Document { before, root, object })
    }

    /// Returns the one edit that the changes come to.
    fn edit(&self) -> Vec<Edit> {
        vec![crate::plan::difference(&self.before, &self.root.to_string())]
    }

    fn list(&self, platform: &str, name: &str) -> CstArray {
        self.object.object_value_or_set(platform).array_value_or_set(name)
    }
}

fn text(text: &str) -> CstInputValue {
    CstInputValue::String(text.to_owned())
}

fn input(value: &NewValue) -> CstInputValue {
    match value {
        NewValue::Bool(yes) => CstInputValue::Bool(*yes),
        NewValue::Integer(number) => CstInputValue::Number(number.to_string()),
        NewValue::Real(number) => CstInputValue::Number(number.to_string()),
        NewValue::String(said) => text(said),
        NewValue::Array(values) => CstInputValue::Array(values.iter().map(input).collect()),
        NewValue::Dict(entries) => {
            CstInputValue::Object(entries.iter().map(|(key, value)| (key.clone(), input(value))).collect())
        }
    }
}

fn by_hand(what: &str) -> Written {
    Written::Steps(format!(
        "`app.json` has no field for this: {what}. A script that its `plugins` list names puts it in when the platform folders are generated."
    ))
}

/// Returns an element as the manifest would have it, for the steps of a person.
fn shown(element: &Fragment) -> String {
    let attributes: Vec<_> = element.attributes.iter().map(|(name, value)| format!(" {name}=\"{value}\"")).collect();
    let tag = format!("<{}{}", element.name, attributes.concat());
    match &element.content {
        Content::Empty => format!("{tag} />"),
        Content::Text(text) => format!("{tag}>{text}</{}>", element.name),
        Content::Elements(inside) => {
            format!("{tag}>{}</{}>", inside.iter().map(shown).collect::<Vec<_>>().concat(), element.name)
        }
    }
}

fn attribute<'f>(element: &'f Fragment, local: &str) -> Option<&'f str> {
    let fits = |name: &str| name.rsplit(':').next() == Some(local);
    element.attributes.iter().find(|(name, _)| fits(name)).map(|(_, value)| value.as_str())
}

fn children<'f>(element: &'f Fragment, name: &'f str) -> impl Iterator<Item = &'f Fragment> {
    let all = if let Content::Elements(all) = &element.content { all.as_slice() } else { &[] };
    all.iter().filter(move |child| child.name == name)
}

fn is_launcher(parent: &[Step]) -> bool {
    parent.last().is_some_and(|step| {
        step.element == "activity" && step.name.as_deref().is_some_and(|name| name.trim_start_matches('.') == ACTIVITY)
    })
}

/// Writes changes of the manifest.
pub(crate) fn write_manifest(generated: &Generated, sources: &Sources, made: &Made, changes: &[Change]) -> Written {
    let Some(document) = Document::open(generated, sources) else { return by_hand("it is a script") };
    if let Some(edit) = renamed(generated, &document, made, changes) {
        return Written::Edits(vec![(generated.source, vec![edit])], None);
    }
    if let [Change::Removed(span)] = changes
        && let Some(place) = made.manifest.whole(*span).filter(|place| place.file == generated.source)
        && let Some(edit) = without_element(&document.before, place.span)
    {
        return Written::Edits(vec![(generated.source, vec![edit])], None);
    }
    for change in changes {
        match change {
            Change::Added { parent, element } => {
                let top = parent.len() == 1;
                let capped = element.attributes.len() > 1;
                match element.name.as_str() {
                    "uses-permission" if top && !capped => {
                        let Some(name) = attribute(element, "name") else { return by_hand(&shown(element)) };
                        let list = document.list("android", "permissions");
                        list.append(text(as_in(&list, name)));
                    }
                    "intent-filter" if is_launcher(parent) => {
                        if let Some(scheme) = only_scheme(element) {
                            add_scheme(&document, scheme);
                        } else {
                            // The document has one action for each filter; several filters take what one with all of them does.
                            let list = document.list("android", "intentFilters");
                            let actions = children(element, "action").count().max(1);
                            (0..actions).for_each(|at| {
                                list.append(filter(element, at));
                            });
                        }
                    }
                    _ => return by_hand(&shown(element)),
                }
            }
            Change::Attribute { path, name, value: Some(value) } => {
                let android = || document.object.object_value_or_set("android");
                match (path.last().map(|step| step.element.as_str()), name.rsplit(':').next(), value.as_str()) {
                    (Some("application"), Some("allowBackup"), "true" | "false") => {
                        set(&android(), "allowBackup", CstInputValue::Bool(value == "true"));
                    }
                    (Some("activity"), Some("windowSoftInputMode"), "adjustResize") => {
                        set(&android(), "softwareKeyboardLayoutMode", text("resize"));
                    }
                    (Some("activity"), Some("windowSoftInputMode"), "adjustPan") => {
                        set(&android(), "softwareKeyboardLayoutMode", text("pan"));
                    }
                    (element, ..) => {
                        return by_hand(&format!("{name}=\"{value}\" on <{}>", element.unwrap_or_default()));
                    }
                }
            }
            Change::Attribute { name, .. } => return by_hand(&format!("to leave {name} out")),
            Change::Removed(span) => {
                let place = made.manifest.whole(*span).filter(|place| place.file == generated.source);
                let gone = place.is_some_and(|place| take_out(&document, place.span.of(&document.before)));
                if !gone {
                    return by_hand("the tools put it in by themselves");
                }
            }
        }
    }
    Written::Edits(vec![(generated.source, document.edit())], Some("app.json".to_owned()))
}

fn set(object: &CstObject, name: &str, value: CstInputValue) {
    match object.get(name) {
        Some(property) => property.set_value(value),
        None => {
            object.append(name, value);
        }
    }
}

/// Returns a permission as the list writes its others: where all of them are short, in its short form.
fn as_in<'n>(list: &CstArray, name: &'n str) -> &'n str {
    let known = list.elements();
    let is_short = |one: &CstNode| !one.to_string().contains('.');
    name.strip_prefix(PERMISSION).filter(|_| !known.is_empty() && known.iter().all(is_short)).unwrap_or(name)
}

/// Returns what writes another permission in the place of one, where that is all that changes.
fn renamed(generated: &Generated, document: &Document, made: &Made, changes: &[Change]) -> Option<Edit> {
    let [Change::Added { parent, element }, Change::Removed(span)] = changes else { return None };
    let plain = parent.len() == 1 && element.name == "uses-permission" && element.attributes.len() == 1;
    let place = made.manifest.whole(*span).filter(|place| plain && place.file == generated.source)?;
    let (name, written) = (attribute(element, "name")?, place.span.of(&document.before));
    // A name that was written in its short form stays short.
    let short = name.strip_prefix(PERMISSION).filter(|_| !written.contains('.')).unwrap_or(name);
    Some(Edit::replace(place.span, format!("\"{short}\"")))
}

/// Returns what takes an element out of a list on one line, with the comma and the blank that parted it from its neighbour; `None`
/// where it stands alone or on a line of its own.
fn without_element(text: &str, span: elvask_markup::Span) -> Option<Edit> {
    let (before, after) = (text.get(..span.start)?, text.get(span.end..)?);
    if let Some(rest) = after.strip_prefix(',') {
        let blank = rest.len() - rest.trim_start_matches(' ').len();
        let next = rest.get(blank..)?;
        return (!next.starts_with(['\n', '\r']))
            .then(|| Edit::delete(elvask_markup::Span::new(span.start, span.end + 1 + blank)));
    }
    let start = before.trim_end_matches(' ').strip_suffix(',')?.len();
    Some(Edit::delete(elvask_markup::Span::new(start, span.end)))
}

/// Takes the value out that is written so, from the lists and maps in which permissions, filters, schemes and keys stand.
fn take_out(document: &Document, written: &str) -> bool {
    let android = document.object.object_value("android");
    let ios = document.object.object_value("ios");
    let lists = [
        android.as_ref().and_then(|android| android.array_value("permissions")),
        android.as_ref().and_then(|android| android.array_value("blockedPermissions")),
        android.as_ref().and_then(|android| android.array_value("intentFilters")),
        android.as_ref().and_then(|android| android.array_value("scheme")),
        ios.as_ref().and_then(|ios| ios.array_value("associatedDomains")),
        ios.as_ref().and_then(|ios| ios.array_value("scheme")),
        document.object.array_value("scheme"),
    ];
    for list in lists.into_iter().flatten() {
        let found = list.elements().into_iter().find(|one| one.to_string() == written);
        if let Some(found) = found {
            let alone = list.elements().len() == 1;
            found.remove();
            if alone && let Some(property) = list.parent().and_then(|parent| parent.as_object_prop()) {
                property.remove();
            }
            return true;
        }
    }
    let owners = [Some(document.object.clone()), android, ios];
    for property in owners.iter().flatten().filter_map(|owner| owner.get("scheme")) {
        if property.value().is_some_and(|value| value.to_string() == written) {
            property.remove();
            return true;
        }
    }
    false
}

/// Returns the scheme of a filter that takes all links of it and nothing else.
fn only_scheme(element: &Fragment) -> Option<&str> {
    let data: Vec<_> = children(element, "data").collect();
    let [one] = data.as_slice() else { return None };
    let scheme = attribute(one, "scheme").filter(|_| one.attributes.len() == 1)?;
    let view =
        children(element, "action").all(|action| attribute(action, "name") == Some("android.intent.action.VIEW"));
    (view && !matches!(scheme, "http" | "https")).then_some(scheme)
}

/// Adds a scheme that both platforms open for.
fn add_scheme(document: &Document, scheme: &str) {
    match document.object.get("scheme").and_then(|property| property.value()) {
        None => {
            document.object.append("scheme", text(scheme));
        }
        Some(known) => {
            let said = known.as_string_lit().and_then(|said| said.decoded_value().ok());
            match (said, known.as_array()) {
                (Some(said), _) if said == scheme => {}
                (Some(said), _) => {
                    set(&document.object, "scheme", CstInputValue::Array(vec![text(&said), text(scheme)]));
                }
                (None, Some(list)) => {
                    list.append(text(scheme));
                }
                (None, None) => {}
            }
        }
    }
}

/// Returns a filter as the document has it, with one of its actions: names of the platform in their short form.
fn filter(element: &Fragment, at: usize) -> CstInputValue {
    let short = |name: &str, prefix: &str| name.strip_prefix(prefix).unwrap_or(name).to_owned();
    let names = |kind: &str, prefix: &str| -> Vec<String> {
        children(element, kind).filter_map(|one| attribute(one, "name")).map(|name| short(name, prefix)).collect()
    };
    let mut out: Vec<(String, CstInputValue)> = Vec::new();
    if let Some(action) = names("action", ACTION).get(at) {
        out.push(("action".to_owned(), text(action)));
    }
    if attribute(element, "autoVerify") == Some("true") {
        out.push(("autoVerify".to_owned(), CstInputValue::Bool(true)));
    }
    let data = |one: &Fragment| {
        let fields = DATA.iter().filter_map(|name| Some(((*name).to_owned(), text(attribute(one, name)?))));
        CstInputValue::Object(fields.collect())
    };
    let data: Vec<_> = children(element, "data").map(data).collect();
    if !data.is_empty() {
        out.push(("data".to_owned(), CstInputValue::Array(data)));
    }
    let categories = names("category", CATEGORY);
    out.push(("category".to_owned(), CstInputValue::Array(categories.iter().map(|name| text(name)).collect())));
    CstInputValue::Object(out)
}

/// Writes changes of the property list or of the entitlements.
pub(crate) fn write_list(
    generated: &Generated,
    sources: &Sources,
    draft: &Draft,
    which: Which,
    changes: &[KeyChange],
) -> Written {
    let Some(document) = Document::open(generated, sources) else { return by_hand("it is a script") };
    let field = if which == Which::Entitlements { "entitlements" } else { "infoPlist" };
    let map = || document.object.object_value_or_set("ios").object_value_or_set(field);
    for change in changes {
        match change {
            KeyChange::Added(key, value) | KeyChange::Changed(key, value) => {
                if let Some(schemes) = new_schemes(&document, key, value) {
                    schemes.iter().for_each(|scheme| add_scheme(&document, scheme));
                } else if let (ASSOCIATED_DOMAINS, NewValue::Array(domains)) = (key.as_str(), value) {
                    let list = document.list("ios", "associatedDomains");
                    let known: Vec<_> = list.elements().iter().map(CstNode::to_string).collect();
                    let new = domains.iter().filter(|domain| !known.contains(&input_text(domain)));
                    for domain in new {
                        list.append(input(domain));
                    }
                } else if !set_purpose(&document, key, value) {
                    set(&map(), key, input(value));
                }
            }
            KeyChange::Extended(key, more) => {
                let value = NewValue::Array(more.clone());
                if let Some(schemes) = new_schemes(&document, key, &value) {
                    schemes.iter().for_each(|scheme| add_scheme(&document, scheme));
                } else {
                    let list = match key.as_str() {
                        ASSOCIATED_DOMAINS => document.list("ios", "associatedDomains"),
                        key => map().array_value_or_set(key),
                    };
                    for value in more {
                        list.append(input(value));
                    }
                }
            }
            KeyChange::Removed(key) => {
                let ios = document.object.object_value("ios");
                let own = ios.and_then(|ios| ios.object_value(field)).and_then(|map| map.get(key));
                let domains = || document.object.object_value("ios")?.get("associatedDomains");
                match own.or_else(|| (key == ASSOCIATED_DOMAINS).then(domains).flatten()) {
                    Some(property) => property.remove(),
                    None if key == "CFBundleURLTypes" => {
                        if let Some(scheme) = document.object.get("scheme") {
                            scheme.remove();
                        }
                    }
                    None => return by_hand("a script of a plugin puts it in"),
                }
            }
            KeyChange::Shortened(key, gone) => {
                for span in gone {
                    let place = draft.whole(*span).filter(|place| place.file == generated.source);
                    let written = place.map(|place| place.span.of(&document.before));
                    let ios = document.object.object_value("ios");
                    let list = ios.and_then(|ios| ios.object_value(field)).and_then(|map| map.array_value(key));
                    let inside = list.into_iter().flat_map(|list| list.elements());
                    let found = inside.into_iter().find(|one| Some(one.to_string().as_str()) == written);
                    match (found, written) {
                        (Some(found), _) => found.remove(),
                        (None, Some(written)) if take_out(&document, written) => {}
                        _ => return by_hand("a script of a plugin puts it in"),
                    }
                }
            }
        }
    }
    Written::Edits(vec![(generated.source, document.edit())], Some("app.json".to_owned()))
}

fn input_text(value: &NewValue) -> String {
    serde_json::to_string(value).unwrap_or_default()
}

/// Returns the schemes of a list of URL types that the document does not state yet; `None` for another key.
fn new_schemes(document: &Document, key: &str, value: &NewValue) -> Option<Vec<String>> {
    let (NewValue::Array(types), "CFBundleURLTypes") = (value, key) else { return None };
    let stated = document.object.get("scheme").and_then(|property| property.value()).map(|value| value.to_string());
    let mut out = Vec::new();
    for one in types {
        let NewValue::Dict(entries) = one else { continue };
        for (name, schemes) in entries {
            let NewValue::Array(schemes) = schemes else { continue };
            for scheme in schemes.iter().filter(|_| name == "CFBundleURLSchemes") {
                let NewValue::String(scheme) = scheme else { continue };
                let known = stated.as_ref().is_some_and(|stated| stated.contains(&format!("\"{scheme}\"")));
                if !known {
                    out.push(scheme.clone());
                }
            }
        }
    }
    Some(out)
}

/// Writes a purpose where an option of a plugin in the list gives it already; says whether one does.
fn set_purpose(document: &Document, key: &str, value: &NewValue) -> bool {
    let NewValue::String(said) = value else { return false };
    let Some(list) = document.object.array_value("plugins") else { return false };
    for pair in list.elements().into_iter().filter_map(|one| one.as_array()) {
        let Some(options) = pair.elements().get(1).and_then(CstNode::as_object) else { continue };
        for property in options.properties() {
            let name = property.decoded_name().unwrap_or_default();
            if elvask_platform::ios::key_of_option(&name) == Some(key) {
                property.set_value(text(said));
                return true;
            }
        }
    }
    false
}

/// Returns what states a level where the document states it already, in the options of a plugin or in a field.
pub(crate) fn write_level(generated: &Generated, sources: &Sources, name: &str, value: &str) -> Option<Vec<Edit>> {
    let written = &sources.file(generated.source).text;
    let description = Description::read(written)?;
    let (platform, option) = match name {
        MIN_LEVEL => ("android", "minSdkVersion"),
        TARGET_LEVEL => ("android", "targetSdkVersion"),
        COMPILE_LEVEL => ("android", "compileSdkVersion"),
        MIN_VERSION => ("ios", "deploymentTarget"),
        _ => return None,
    };
    if let Some((_, span)) = description.option(platform, option) {
        let quoted = span.of(written).starts_with(['"', '\'']);
        let value = if quoted { format!("\"{value}\"") } else { value.to_owned() };
        return Some(vec![Edit::replace(span, value)]);
    }
    if name != MIN_VERSION {
        return None;
    }
    let document = Document::open(generated, sources)?;
    set(&document.object.object_value_or_set("ios"), "deploymentTarget", text(value));
    Some(document.edit())
}
