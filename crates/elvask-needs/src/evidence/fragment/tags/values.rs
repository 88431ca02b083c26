//! Reading the values of copied tags.

use super::*;

pub(in crate::evidence::fragment) fn text_of(value: &NewValue) -> Option<String> {
    match value {
        NewValue::String(text) => Some(text.clone()),
        _ => None,
    }
}

/// Says whether an array holds a name that each app has to put its own in for.
pub(in crate::evidence::fragment) fn holds_sample(value: &NewValue) -> bool {
    matches!(value, NewValue::Array(values) if values.iter().any(|value| matches!(value, NewValue::String(text) if text.contains("example") || text.contains('{') || text.contains("your"))))
}

/// Says whether a host is one that notes use for an example.
pub(in crate::evidence::fragment) fn is_sample_host(host: &str) -> bool {
    let host = host.split('?').next().unwrap_or(host);
    host.ends_with("example.com")
        || host.ends_with("example.org")
        || host.contains("your")
        || host.contains("mydomain")
        || host == "example.net"
}

pub(in crate::evidence::fragment) fn scheme_template(scheme: &str) -> String {
    let sample = ["myapp", "my-app", "your-app", "yourapp", "example", "myscheme", "app-scheme"]
        .contains(&scheme.to_lowercase().as_str());
    let whole = placeholder(scheme).is_some() && !scheme.contains("PRODUCT_BUNDLE_IDENTIFIER");
    if sample || whole && !scheme.starts_with(|first: char| first.is_ascii_lowercase()) {
        return if sample || scheme.to_lowercase().contains("scheme") {
            "{scheme}".to_owned()
        } else {
            template(scheme)
        };
    }
    template(scheme)
}

/// Puts the tool's word for the app's id in the place of the platform's.
pub(in crate::evidence::fragment) fn template_of_id(text: &str) -> String {
    text.replace("${applicationId}", "{android_id}")
}

/// Returns the texts in an array.
pub(in crate::evidence::fragment) fn strings(value: &Element) -> impl Iterator<Item = String> {
    value
        .elements()
        .filter(|child| child.name == "string")
        .map(Element::text)
        .filter(|text| !text.is_empty() && !is_dots(text))
}

pub(in crate::evidence::fragment) fn url_schemes(value: &Element) -> Vec<String> {
    let mut out = Vec::new();
    for entry in value.elements() {
        let mut key = String::new();
        for child in entry.elements() {
            if child.name == "key" {
                key = child.text();
            } else if key == "CFBundleURLSchemes" {
                out.extend(strings(child));
            }
        }
    }
    out
}

/// Reads a value of a property list.
pub(in crate::evidence::fragment) fn read_value(element: &Element) -> Option<NewValue> {
    Some(match element.name.as_str() {
        "string" => {
            let text = element.text();
            NewValue::String(if is_dots(&text) { "{value}".to_owned() } else { text })
        }
        "true" => NewValue::Bool(true),
        "false" => NewValue::Bool(false),
        "integer" => NewValue::Integer(element.text().parse().ok()?),
        "real" => NewValue::Real(element.text().parse().ok()?),
        "array" => NewValue::Array(element.elements().filter_map(read_value).collect()),
        "dict" => {
            let mut entries = Vec::new();
            let mut key = None;
            for child in element.elements() {
                if child.name == "key" {
                    key = Some(child.text());
                } else if let Some(key) = key.take() {
                    entries.push((key, read_value(child)?));
                }
            }
            NewValue::Dict(entries)
        }
        _ => return None,
    })
}

/// Reads what a filter says. The platform pools its data, so that all of it is one; where it is verified, schemes of the app's own keep
/// the web's from being so, and stand apart.
pub(in crate::evidence::fragment) fn filter(element: &Element) -> Vec<Query> {
    let names = |wanted: &str| {
        let named = element.elements().filter(move |child| child.name == wanted);
        named.filter_map(|child| child.get("name").map(str::to_owned)).collect::<Vec<_>>()
    };
    let verified = element.get("autoVerify") == Some("true");
    let is_web = |scheme: &str| matches!(scheme, "http" | "https");
    let data: Vec<&Element> = element.elements().filter(|child| child.name == "data").collect();
    let schemes: Vec<&str> = data.iter().filter_map(|child| child.get("scheme")).collect();
    let mixed = verified && schemes.iter().any(|scheme| is_web(scheme)) && !schemes.iter().all(|scheme| is_web(scheme));
    let of = |takes: &dyn Fn(&Element) -> bool| {
        let mut out = Query { categories: names("category"), ..Query::default() };
        names("action").into_iter().for_each(|action| out.add(Part::Action, action));
        for child in data.iter().filter(|child| takes(child)) {
            for part in Part::ALL.into_iter().filter(|part| *part != Part::Action) {
                let value = child.get(part.attribute()).filter(|text| !text.is_empty() && !is_dots(text));
                let Some(value) = value else { continue };
                let value = match part {
                    Part::Scheme => scheme_template(value),
                    Part::Host if placeholder(value).is_some() || is_sample_host(value) => "{host}".to_owned(),
                    _ => value.to_owned(),
                };
                out.add(part, value);
            }
        }
        out
    };
    if !mixed {
        return vec![of(&|_| true)];
    }
    let web = of(&|child| child.get("scheme").is_none_or(is_web));
    let own = of(&|child| child.get("scheme").is_none_or(|scheme| !is_web(scheme)));
    vec![web, own]
}

/// Reads what an intent says: one for each `<data>` that names something of its own.
pub(in crate::evidence::fragment) fn intent(element: &Element) -> Vec<Query> {
    let name = |wanted: &str| {
        let named = element.elements().filter(move |child| child.name == wanted);
        named.filter_map(|child| child.get("name").map(str::to_owned)).collect::<Vec<_>>()
    };
    let base = Query { action: name("action").into_iter().next(), categories: name("category"), ..Query::default() };
    let mut out: Vec<Query> = Vec::new();
    let data = element.elements().filter(|child| child.name == "data");
    let text = |child: &Element, local: &str| {
        child.get(local).filter(|text| !text.is_empty() && !is_dots(text)).map(str::to_owned)
    };
    for child in data {
        let host = text(child, "host")
            .map(|host| if placeholder(&host).is_some() || is_sample_host(&host) { "{host}".to_owned() } else { host });
        let found = Query {
            scheme: text(child, "scheme").map(|scheme| scheme_template(&scheme)),
            host,
            port: text(child, "port"),
            path: text(child, "path"),
            path_prefix: text(child, "pathPrefix"),
            path_pattern: text(child, "pathPattern"),
            mime: text(child, "mimeType"),
            ..base.clone()
        };
        // Parts of one URL may stand in elements of their own.
        let splits = found.scheme.is_none() && found.mime.is_none();
        match out.last_mut() {
            Some(last) if splits => {
                last.host = found.host.or(last.host.take());
                last.path_prefix = found.path_prefix.or(last.path_prefix.take());
                last.path = found.path.or(last.path.take());
                last.path_pattern = found.path_pattern.or(last.path_pattern.take());
            }
            Some(last) if last.scheme.is_none() && last.mime.is_none() => {
                last.scheme = found.scheme;
                last.mime = found.mime;
            }
            _ => out.push(found),
        }
    }
    if out.is_empty() {
        out.push(base);
    }
    out
}
