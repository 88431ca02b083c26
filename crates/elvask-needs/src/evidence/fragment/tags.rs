//! Pieces of manifests, property lists and entitlements.

mod values;

use elvask_markup::Span;
use elvask_markup::plist::plan::NewValue;
use elvask_platform::List;
use elvask_platform::{android, ios};
use elvask_project::intent::{Owner, Part, Query};
use elvask_project::surface::QUERY_SCHEMES;
pub(super) use values::read_value;
use values::{
    filter, holds_sample, intent, is_sample_host, scheme_template, strings, template_of_id, text_of, url_schemes,
};

use super::markup::{Element, Node, parse};
use super::{Piece, Pieces, is_dots, placeholder, template, template_value};
use crate::requirement::{Component, Need};

const LAUNCHER: &str = "android.intent.category.LAUNCHER";

/// Elements that hold others or are read with the one around them.
const STRUCTURE: [&str; 8] = ["manifest", "intent-filter", "action", "category", "data", "plist", "dict", "array"];

/// Says whether a text holds tags that are read here.
pub(super) fn holds_known_tags(text: &str) -> bool {
    [
        "<uses-permission",
        "<uses-feature",
        "<key>",
        "<intent-filter",
        "<meta-data",
        "<queries",
        "<activity",
        "<application",
        "<manifest",
        "<service",
        "<receiver",
        "<provider",
        "<intent>",
    ]
    .iter()
    .any(|tag| text.contains(tag))
}

/// Reads the pieces of markup.
pub(super) fn pieces(text: &str) -> Pieces {
    let root = parse(text);
    let mut out = Pieces::default();
    let first = root.elements().next();
    if let Some(why) = first.and_then(|first| List::ElementOtherDocument.says(&first.name)) {
        out.elsewhere = Some(why);
        return out;
    }
    if text.contains("<key>NSExtension</key>") {
        out.elsewhere = Some("it is the property list of an extension");
        return out;
    }
    let mut reader = Reader { out: Vec::new() };
    reader.children(&root, &Around::default());
    out.pieces = reader.out;
    out.pieces.sort_by_key(|piece| piece.span.start);
    out
}

/// Reads attributes that stand alone, without an element.
pub(super) fn attributes_alone(text: &str) -> Vec<Piece> {
    let mut out = Vec::new();
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        let at = start + line.len() - line.trim_start().len();
        start += line.len();
        let content = line.trim().trim_end_matches(['>', '/', ' ']);
        let Some((name, value)) = content.split_once('=') else { continue };
        let (name, value) = (name.trim(), value.trim());
        let Some(local) = name.strip_prefix("android:") else { continue };
        let Some(value) = value.strip_prefix('"').and_then(|value| value.strip_suffix('"')) else { continue };
        let owner = if List::AttributeApplication.has(local) { Owner::Application } else { Owner::Launcher };
        if List::AttributeLauncher.has(local) || List::AttributeApplication.has(local) {
            let need = Need::Attribute { owner, attribute: local.to_owned(), value: value.to_owned() };
            out.push(Piece::new(local, need, Span::new(at, at + content.len())));
        }
    }
    out
}

/// What stands around an element.
#[derive(Debug, Clone, Default)]
struct Around {
    /// The component that it is part of, as the fragment names it.
    component: Option<String>,
    in_queries: bool,
    in_intent_filter: bool,
    /// Whether the element around it is taken out.
    removed: bool,
}

struct Reader {
    out: Vec<Piece>,
}

/// Says whether a class name of a fragment stands for the app's own main activity.
fn is_main_activity(name: &str) -> bool {
    name.ends_with("MainActivity")
        || name.starts_with('.') && !name.contains("Service")
        || is_dots(name)
        || placeholder(name).is_some()
        || !name.contains('.')
}

impl Reader {
    fn push(&mut self, piece: Piece, comment: Option<&str>, removed: bool) {
        let comment = comment.map(str::to_owned);
        self.out.push(Piece { comment, removed: piece.removed || removed, ..piece });
    }

    /// Goes through what stands in an element: elements with the comments at them, and pairs of keys and values.
    fn children(&mut self, parent: &Element, around: &Around) {
        let mut comment: Option<String> = None;
        let mut key: Option<(String, Span)> = None;
        let nodes = &parent.children;
        for (at, node) in nodes.iter().enumerate() {
            match node {
                Node::Gap => comment = None,
                // What stands behind another element was taken with that.
                Node::Comment { behind: true, .. } if at > 0 => {}
                Node::Comment { text, .. } => comment = Some(text.clone()),
                // Words between tags do what a comment does.
                Node::Text(text) if text.len() > 3 => comment = Some(text.clone()),
                Node::Text(_) => {}
                Node::Element(element) => {
                    // A comment may also stand behind, on the same line.
                    let behind = match nodes.get(at + 1) {
                        Some(Node::Comment { text, behind: true }) => Some(text.clone()),
                        _ => None,
                    };
                    let said = behind.as_ref().or(comment.as_ref()).map(String::as_str);
                    if element.name == "key" {
                        key = Some((element.text(), element.span));
                    } else if let Some((name, span)) = key.take() {
                        self.pair(&name, span, element, said, around);
                    } else {
                        self.element(element, said, around);
                    }
                }
            }
        }
        if let Some((name, span)) = key {
            self.lone_key(&name, span, comment.as_deref());
        }
    }

    fn element(&mut self, element: &Element, comment: Option<&str>, around: &Around) {
        let marked = element.tools("node").is_some_and(|node| node.starts_with("remove"));
        let removed = marked || around.removed;
        let inside = Around { removed, ..around.clone() };
        let name = element.get("name").unwrap_or_default();
        match element.name.as_str() {
            "uses-permission" | "uses-permission-sdk-23" => self.permission(element, comment, removed),
            "uses-feature" if !name.is_empty() && !is_dots(name) && name.contains('.') => {
                let required = element.get("required") != Some("false");
                self.push(Piece::new(name, Need::Feature { required }, element.span), comment, removed);
            }
            "uses-sdk" => {
                if let Some(level) = element.get("minSdkVersion").and_then(|level| level.parse().ok()) {
                    let piece = Piece::new(crate::requirement::MIN_LEVEL, Need::Level(level), element.span);
                    self.push(piece, comment, removed);
                }
            }
            "queries" => self.children(element, &Around { in_queries: true, ..inside }),
            "package" if !name.is_empty() && !is_dots(name) => {
                let query = Query { package: Some(name.to_owned()), ..Query::default() };
                self.push(Piece::new(query.name(), Need::Query(Box::new(query)), element.span), comment, removed);
            }
            "provider" if around.in_queries => {
                if let Some(authority) = element.get("authorities").filter(|text| !is_dots(text)) {
                    let query = Query { authority: Some(authority.to_owned()), ..Query::default() };
                    self.push(Piece::new(query.name(), Need::Query(Box::new(query)), element.span), comment, removed);
                }
            }
            "intent" => self.query(element, comment, removed),
            "intent-filter" if !around.in_intent_filter => self.filter(element, comment, &inside),
            "meta-data" => self.meta_data(element, comment, &inside),
            "activity" | "activity-alias" | "service" | "receiver" | "provider" => {
                self.component(element, comment, &inside);
            }
            "application" => {
                self.own_attributes(element, &Owner::Application, List::AttributeApplication, comment, removed);
                self.children(element, &inside);
            }
            "edit-config" | "config-file" => {
                // The layout `widget` names a key of the list, or a path of the manifest, in an attribute.
                let target = element.get("target").or_else(|| element.get("parent")).unwrap_or_default();
                if let Some(known) = ios::usage_key(target).filter(|known| known.is_for_ios()) {
                    let mut piece = Piece::new(known.key, Need::Usage, element.span);
                    piece.text = element.elements().next().map(Element::text);
                    self.push(piece, comment, removed);
                } else if matches!(target, QUERY_SCHEMES | "UIBackgroundModes" | "CFBundleURLTypes") {
                    if let Some(value) = element.elements().next() {
                        self.pair(target, element.span, value, comment, &inside);
                    }
                } else {
                    self.children(element, &inside);
                }
            }
            other => {
                if !STRUCTURE.contains(&other) && element.attributes.iter().any(|one| one.name.starts_with("android:"))
                {
                    let why = format!("`<{other}>` is none of the elements that are placed");
                    self.push(Piece::unknown(why, element.span), comment, removed);
                }
                self.children(element, &inside);
            }
        }
    }

    fn permission(&mut self, element: &Element, comment: Option<&str>, removed: bool) {
        let Some(name) = element.get("name").filter(|name| !name.is_empty() && !is_dots(name)) else { return };
        let full = if name.contains('.') { name.to_owned() } else { format!("{}{name}", android::PERMISSION_PREFIX) };
        if placeholder(name).is_some() && android::permission(&full).is_none()
            || full.contains("...")
            || full.contains("${")
        {
            self.push(
                Piece::unknown(format!("`{name}` is a placeholder for the name of a permission"), element.span),
                comment,
                removed,
            );
            return;
        }
        let max_level = element.get("maxSdkVersion").and_then(|level| level.parse().ok());
        self.push(Piece::new(full, Need::Permission { max_level }, element.span), comment, removed);
    }

    fn query(&mut self, element: &Element, comment: Option<&str>, removed: bool) {
        let query = intent(element).into_iter().next().filter(|query| query.action.is_some());
        if let Some(query) = query {
            self.push(Piece::new(query.name(), Need::Query(Box::new(query)), element.span), comment, removed);
        }
    }

    fn filter(&mut self, element: &Element, comment: Option<&str>, around: &Around) {
        for filter in filter(element) {
            if filter.categories.iter().any(|category| category == LAUNCHER) || filter.action.is_none() {
                continue;
            }
            let owner = match &around.component {
                Some(name) if !is_main_activity(name) => Owner::Class(name.clone()),
                _ => Owner::Launcher,
            };
            let mut piece = Piece::new(filter.name(), Need::Filter { owner, filter: Box::new(filter) }, element.span);
            piece.inside.clone_from(&around.component);
            self.push(piece, comment, around.removed);
        }
    }

    fn meta_data(&mut self, element: &Element, comment: Option<&str>, around: &Around) {
        let Some(name) = element.get("name").filter(|name| !name.is_empty() && !is_dots(name)) else { return };
        let value =
            element.get("value").map(|value| if is_dots(value) { "{value}".to_owned() } else { template(value) });
        let resource = element.get("resource").map(str::to_owned);
        let owner = match &around.component {
            None => Owner::Application,
            Some(class) if is_main_activity(class) => Owner::Launcher,
            Some(class) => Owner::Class(class.clone()),
        };
        let mut piece = Piece::new(name, Need::MetaData { owner, value, resource }, element.span);
        piece.inside.clone_from(&around.component);
        self.push(piece, comment, around.removed);
    }

    fn component(&mut self, element: &Element, comment: Option<&str>, around: &Around) {
        let name = element.get("name").unwrap_or_default();
        let activity = element.name == "activity";
        // Without a name, or with the app's own, it only says where the rest goes.
        if activity && is_main_activity(name) {
            self.own_attributes(element, &Owner::Launcher, List::AttributeLauncher, comment, around.removed);
            self.children(element, &Around { component: Some(name.to_owned()), ..around.clone() });
            return;
        }
        let class = name.contains('.') && !is_dots(name) && placeholder(name).is_none();
        let inside = Around { component: Some(name.to_owned()), in_intent_filter: true, ..around.clone() };
        if class {
            let actions = element
                .elements()
                .filter(|child| child.name == "intent-filter")
                .flat_map(Element::elements)
                .filter(|child| child.name == "action")
                .filter_map(|action| action.get("name").map(str::to_owned))
                .collect();
            let component = Component {
                element: element.name.clone(),
                exported: element.get("exported").and_then(|exported| exported.parse().ok()),
                foreground_type: element.get("foregroundServiceType").map(str::to_owned),
                permission: element.get("permission").map(str::to_owned),
                authorities: element.get("authorities").map(template_of_id),
                actions,
            };
            self.push(Piece::new(name, Need::Component(component.into()), element.span), comment, around.removed);
        }
        self.children(element, &inside);
    }

    /// Takes attributes of the app's own elements.
    fn own_attributes(&mut self, element: &Element, owner: &Owner, known: List, comment: Option<&str>, removed: bool) {
        let others = element.attributes.iter().filter(|attribute| !attribute.name.starts_with("tools:")).count();
        for attribute in &element.attributes {
            let Some(local) = attribute.name.strip_prefix("android:") else { continue };
            if is_dots(&attribute.value) || local == "name" {
                continue;
            }
            if !known.has(local) {
                let why = format!("android:{local} of <{}> is the app's own affair", element.name);
                self.push(Piece::unknown(why, attribute.span), comment, removed);
                continue;
            }
            let value = attribute.value.trim().to_owned();
            let need = Need::Attribute { owner: owner.clone(), attribute: local.to_owned(), value };
            let mut piece = Piece::new(local, need, attribute.span);
            piece.incidental = (others > 3 && !element.abridged) || List::AttributeUsual.has(local) && others > 2;
            self.push(piece, comment, removed);
        }
    }

    /// Takes a key of a property list with its value.
    fn pair(&mut self, key: &str, span: Span, value: &Element, comment: Option<&str>, around: &Around) {
        let removed = around.removed;
        let mut put = |name: String, need: Need| {
            self.out.push(Piece { comment: comment.map(str::to_owned), removed, ..Piece::new(name, need, span) });
        };
        if let Some(known) = ios::usage_key(key) {
            if known.is_for_ios() {
                put(known.key.to_owned(), Need::Usage);
                let text = value.text();
                if let Some(piece) = self.out.last_mut() {
                    piece.text = (!text.is_empty()).then_some(text);
                }
            }
            return;
        }
        match key {
            QUERY_SCHEMES => {
                for scheme in strings(value).filter(|scheme| placeholder(scheme).is_none()) {
                    put(scheme, Need::QueryScheme);
                }
            }
            "CFBundleURLTypes" | "CFBundleURLSchemes" => {
                let schemes: Vec<String> =
                    if key == "CFBundleURLSchemes" { strings(value).collect() } else { url_schemes(value) };
                for scheme in schemes {
                    put(scheme_template(&scheme), Need::UrlScheme);
                }
            }
            "UIBackgroundModes" => {
                for mode in strings(value).filter(|mode| ios::background_mode(mode).is_some()) {
                    put(mode, Need::BackgroundMode);
                }
            }
            "com.apple.developer.associated-domains" => {
                for domain in strings(value) {
                    let name = match domain.split_once(':') {
                        Some((service, host)) if placeholder(host).is_some() || is_sample_host(host) => {
                            format!("{service}:{{host}}")
                        }
                        Some(_) => domain,
                        None => continue,
                    };
                    put(name, Need::Domain);
                }
            }
            "NSPrivacyAccessedAPITypes" => {
                for entry in value.elements() {
                    let Some(NewValue::Dict(entries)) = read_value(entry) else { continue };
                    let get = |name: &str| entries.iter().find(|(key, _)| key == name).map(|(_, value)| value);
                    if let Some(NewValue::String(category)) = get("NSPrivacyAccessedAPIType") {
                        let reasons = match get("NSPrivacyAccessedAPITypeReasons") {
                            Some(NewValue::Array(values)) => values.iter().filter_map(text_of).collect(),
                            _ => Vec::new(),
                        };
                        put(category.clone(), Need::PrivacyReason { reasons });
                    }
                }
            }
            _ if ios::entitlement(key).is_some() || key.starts_with("com.apple.developer.") => {
                let value = read_value(value).map(template_value);
                let value = value.filter(|value| !holds_sample(value));
                put(key.to_owned(), Need::Entitlement { value });
            }
            // Entitlements of other platforms' sandboxes are no keys of a property list.
            _ if key.starts_with("com.apple.security.") => {}
            _ if key.is_empty() || is_dots(key) || List::KeyBackground.has(key) || key.starts_with("NSPrivacy") => {}
            _ if placeholder(key).is_some() => {
                self.push(Piece::unknown(format!("`{key}` is a placeholder for a key"), span), comment, removed);
            }
            _ => {
                if let Some(value) = read_value(value) {
                    put(key.to_owned(), Need::Plist { value: template_value(value) });
                }
            }
        }
    }

    /// Takes a key whose value is left out.
    fn lone_key(&mut self, key: &str, span: Span, comment: Option<&str>) {
        if let Some(known) = ios::usage_key(key).filter(|known| known.is_for_ios()) {
            self.push(Piece::new(known.key, Need::Usage, span), comment, false);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::short;

    #[test]
    fn bare_siblings_and_open_tags_are_read() {
        assert_eq!(
            short(
                "<uses-permission android:name=\"android.permission.CAMERA\" />\n...\n<uses-feature android:name=\"android.hardware.camera\" android:required=\"false\"/>",
                "xml"
            ),
            ["permission android.permission.CAMERA", "feature android.hardware.camera = used if it is there"]
        );
        assert_eq!(
            short(
                "<manifest ...>\n  <uses-permission android:name=\"android.permission.NFC\">\n  <application ...>\n",
                ""
            ),
            ["permission android.permission.NFC"]
        );
        assert_eq!(
            short("<activity\n  android:name=\".MainActivity\"\n  android:launchMode=\"singleTask\">", "xml"),
            ["attribute launchMode = singleTask"]
        );
        assert_eq!(short("android:launchMode=\"singleTask\"", ""), ["attribute launchMode = singleTask"]);
        assert_eq!(
            short("<application android:requestLegacyExternalStorage=\"true\" ...>", "java"),
            ["attribute requestLegacyExternalStorage = true"]
        );
        assert_eq!(short("<uses-permission android:name=\"...\"/>", "xml"), [""; 0]);
        assert_eq!(
            short(
                "<uses-permission android:name=\"android.permission.BLUETOOTH\" android:maxSdkVersion=\"30\" tools:node=\"remove\" />",
                "xml"
            ),
            ["- permission android.permission.BLUETOOTH = up to level 30"]
        );
    }

    #[test]
    fn queries_filters_and_values_are_read() {
        assert_eq!(
            short(
                "<queries>\n <intent>\n <action android:name=\"android.intent.action.VIEW\" />\n <data android:scheme=\"tel\" />\n </intent>\n <package android:name=\"example.heron\" />\n</queries>",
                "xml"
            ),
            ["query android.intent.action.VIEW tel", "query example.heron"]
        );
        assert_eq!(
            short(
                "<intent-filter>\n<action android:name=\"android.intent.action.SEND\"/>\n<category android:name=\"android.intent.category.DEFAULT\"/>\n<data android:mimeType=\"text/plain\"/>\n</intent-filter>",
                "xml"
            ),
            ["filter android.intent.action.SEND text/plain"]
        );
        assert_eq!(
            short("<meta-data android:name=\"example.knot.APP_ID\"\n android:value=\"YOUR_APP_ID\"/>", "xml"),
            ["meta-data example.knot.APP_ID = {app_id}"]
        );
        assert_eq!(
            short(
                "<service android:name=\"example.godwit.FloatService\" android:exported=\"false\" android:foregroundServiceType=\"specialUse\">\n</service>",
                "xml"
            ),
            ["component example.godwit.FloatService = exported false, foregroundServiceType specialUse"]
        );
    }

    #[test]
    fn pairs_without_a_root_are_read() {
        assert_eq!(
            short(
                "<key>NSCameraUsageDescription</key>\n<!-- optional -->\n<string>Rings</string>\n<key>UIBackgroundModes</key>\n<array>\n  <string>audio</string>\n ...\n</array>",
                "xml"
            ),
            ["usage NSCameraUsageDescription", "background-mode audio"]
        );
        assert_eq!(
            short(
                "<key>LSApplicationQueriesSchemes</key><array><string>tel</string><string>mailto</string></array>\n<key>ExampleKey</key><true/>",
                "plist"
            ),
            ["query-scheme tel", "query-scheme mailto", "plist ExampleKey = true"]
        );
        assert_eq!(
            short(
                "<key>CFBundleURLTypes</key>\n<array><dict><key>CFBundleURLSchemes</key><array><string>knot[APP_ID]</string></array></dict></array>",
                "xml"
            ),
            ["url-scheme knot{app_id}"]
        );
        assert_eq!(
            short(
                "<key>aps-environment</key><string>development</string><key>com.apple.developer.associated-domains</key><array><string>applinks:yourdomain.com</string></array>",
                "xml"
            ),
            ["entitlement aps-environment = development", "domain applinks:{host}"]
        );
        assert_eq!(
            short(
                "<key>NSExtension</key><dict><key>NSExtensionAttributes</key><dict/></dict><key>NSCameraUsageDescription</key><string>x</string>",
                "xml"
            ),
            [""; 0]
        );
        assert_eq!(
            short("<resources><string name=\"a\">android.permission.CAMERA</string></resources>", "xml"),
            [""; 0]
        );
    }
}
