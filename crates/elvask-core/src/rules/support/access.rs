//! The lists of places of a hybrid app.

use elvask_markup::Span;
use elvask_markup::xml::Document;
use elvask_project::source::{FileId, Place};

/// An entry of one of the lists.
pub(in crate::rules) struct Access {
    /// Its element: `access`, `allow-navigation` or `allow-intent`.
    pub(in crate::rules) element: &'static str,
    /// What it names.
    pub(in crate::rules) pattern: String,
    /// Whether hosts below the one that it names are meant too.
    pub(in crate::rules) subdomains: bool,
    /// The platform that it is for; `None` for all.
    pub(in crate::rules) platform: Option<String>,
    /// Where.
    pub(in crate::rules) place: Place,
}

/// The elements, with the attribute that names a place.
const LISTS: [(&str, &str); 3] = [("access", "origin"), ("allow-navigation", "href"), ("allow-intent", "href")];

/// Returns what `config.xml` lists, as its text is now.
pub(in crate::rules) fn stated(file: FileId, document: &Document) -> Vec<Access> {
    let mut out = Vec::new();
    let mut open = vec![(document.root(), None)];
    while let Some((parent, platform)) = open.pop() {
        for child in parent.children() {
            let name = child.name();
            let said = |name: &str| child.attribute_written(name).map(|one| child.value_of(one).into_owned());
            if name == "platform" {
                open.push((child, said("name")));
            }
            let Some((element, attribute)) = LISTS.into_iter().find(|(element, _)| *element == name) else { continue };
            let Some(pattern) = said(attribute) else { continue };
            out.push(Access {
                element,
                pattern,
                subdomains: said("subdomains").as_deref() == Some("true"),
                platform: platform.clone(),
                place: Place { file, span: Span::new(child.open().start, child.name_span().end) },
            });
        }
    }
    out
}

/// Says whether a pattern lets every place through.
pub(in crate::rules) fn is_everything(pattern: &str) -> bool {
    matches!(pattern, "*" | "*://*" | "*://*/*")
}

/// Says whether an entry lets a place through. Both are `scheme://host/path` with stars, or another scheme's link.
///
/// Source: the allow list of `config.xml`: a star stands for any scheme, any host, or the labels in front of one; the path is compared where it is named.
pub(in crate::rules) fn covers(entry: &Access, place: &str) -> bool {
    let pattern = entry.pattern.as_str();
    if is_everything(pattern) || pattern == place {
        return true;
    }
    let (Some((scheme, rest)), Some((wanted, place))) = (pattern.split_once("://"), place.split_once("://")) else {
        // Other schemes: `tel:*` lets `tel:123` through.
        return pattern.strip_suffix('*').is_some_and(|start| start.contains(':') && place.starts_with(start));
    };
    let split = |text: &str| -> (String, String) {
        let (host, path) = text.split_once('/').unwrap_or((text, "*"));
        (host.to_ascii_lowercase(), path.to_owned())
    };
    let ((host, path), (wanted_host, wanted_path)) = (split(rest), split(place));
    let scheme_fits = scheme == "*" || scheme == wanted;
    let below = |host: &str| wanted_host.strip_suffix(host).is_some_and(|rest| rest.ends_with('.'));
    let host_fits = host == "*"
        || host == wanted_host
        || host.strip_prefix("*.").is_some_and(|host| host == wanted_host || below(host))
        || entry.subdomains && below(&host);
    let path_fits = match path.strip_suffix('*') {
        Some(start) => wanted_path.starts_with(start),
        None => path == wanted_path || path.is_empty() && wanted_path == "*",
    };
    scheme_fits && host_fits && path_fits
}
