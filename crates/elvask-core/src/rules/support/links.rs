//! Declaring hosts and schemes of links, on both platforms.

use std::collections::HashMap;

use elvask_link::route::Route;
use elvask_link::{AppLinks, association};
use elvask_markup::xml::plan::Fragment;
use elvask_needs::kinds::is_scheme;
use elvask_needs::plan::difference;

use crate::context::Context;
pub(in crate::rules) use elvask_needs::plan::manifest::add_filter;
pub(in crate::rules) use elvask_needs::plan::plist::{add_domain, add_url_scheme};
use elvask_needs::remedy::Remedy;
use elvask_project::filters::{BROWSABLE, DEFAULT, FilterSpec, VIEW, is_web_scheme};
use elvask_project::intent::Owner;
use elvask_project::source::Place;

/// Returns the action and categories of a filter for links.
fn link_parts(prefix: &str) -> Vec<Fragment> {
    let named = |element: &str, value: &str| Fragment::new(element).with(format!("{prefix}:name"), value);
    vec![named("action", VIEW), named("category", DEFAULT), named("category", BROWSABLE)]
}

/// Returns a filter for the web links of a host, held to what some routes start with.
fn web_filter(prefix: &str, host: &str, routes: &[&Route]) -> Fragment {
    let mut starts: Vec<(&str, String)> = Vec::new();
    for route in routes {
        let (start, whole) = route.fixed_start();
        let path = (if whole { "path" } else { "pathPrefix" }, start);
        if !starts.contains(&path) {
            starts.push(path);
        }
    }
    // A route that starts with a part of its own takes every path.
    starts = if starts.iter().any(|(kind, start)| *kind == "pathPrefix" && start == "/") { Vec::new() } else { starts };
    let base = Fragment::new("data").with(format!("{prefix}:scheme"), "https").with(format!("{prefix}:host"), host);
    let mut parts = link_parts(prefix);
    match starts.as_slice() {
        [(kind, start)] => parts.push(base.with(format!("{prefix}:{kind}"), start)),
        several => {
            parts.push(base);
            parts.extend(
                several.iter().map(|(kind, start)| Fragment::new("data").with(format!("{prefix}:{kind}"), start)),
            );
        }
    }
    Fragment::new("intent-filter").with(format!("{prefix}:autoVerify"), "true").holding(parts)
}

/// Returns where a host's filter goes on Android and what adds it.
pub(in crate::rules) fn add_android_host(context: &Context<'_>, host: &str) -> Option<(Place, Remedy)> {
    let routes = context.app.config.links.routes.iter().filter(|route| !route.stays_on_the_web() && route.is_for(host));
    let routes: Vec<&Route> = routes.collect();
    let title = format!("add a filter for https://{host}");
    add_filter(context, &Owner::Launcher, title, |prefix| web_filter(prefix, host, &routes))
}

/// Returns where a filter for one route of a host goes on Android and what adds it.
pub(in crate::rules) fn add_android_route(context: &Context<'_>, host: &str, route: &Route) -> Option<(Place, Remedy)> {
    let title = format!("add a filter for https://{host}{}", route.path);
    add_filter(context, &Owner::Launcher, title, |prefix| web_filter(prefix, host, &[route]))
}

/// Returns where a scheme's filter goes on Android and what adds it.
pub(in crate::rules) fn add_android_scheme(context: &Context<'_>, scheme: &str) -> Option<(Place, Remedy)> {
    add_filter(context, &Owner::Launcher, format!("add a filter for {scheme}:"), |prefix| {
        let mut parts = link_parts(prefix);
        parts.push(Fragment::new("data").with(format!("{prefix}:scheme"), scheme));
        Fragment::new("intent-filter").holding(parts)
    })
}

/// A host or scheme of links, and which platforms declare it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(in crate::rules) struct Sides {
    /// The host or scheme.
    pub(in crate::rules) name: String,
    /// Whether it is a host.
    pub(in crate::rules) is_host: bool,
    /// Where Android declares it.
    pub(in crate::rules) android: Option<Place>,
    /// Where iOS declares it.
    pub(in crate::rules) ios: Option<Place>,
    /// Where `elvask.toml` names it.
    pub(in crate::rules) named: Option<Place>,
}

/// Returns the hosts and schemes of links that the app declares or `elvask.toml` names.
pub(in crate::rules) fn sides(context: &Context<'_>, links: &AppLinks) -> Vec<Sides> {
    let mut out: Vec<Sides> = Vec::new();
    let mut places: HashMap<(String, bool), usize> = HashMap::new();
    let mut note = |name: &str, is_host: bool, put: &dyn Fn(&mut Sides)| {
        let Some(name) = meant(name, is_host) else { return };
        let at = *places.entry((name.clone(), is_host)).or_insert_with(|| {
            out.push(Sides { name, is_host, android: None, ios: None, named: None });
            out.len() - 1
        });
        if let Some(known) = out.get_mut(at) {
            put(known);
        }
    };
    let place = |span| context.app.config_file.map(|file| Place { file, span });
    for host in &context.app.config.hosts {
        note(&host.text, true, &|known| known.named = place(host.span));
    }
    for scheme in &context.app.config.schemes {
        note(&scheme.text, false, &|known| known.named = place(scheme.span));
    }
    let readable =
        |text: &str| !text.is_empty() && !text.starts_with('@') && !text.contains('$') && !text.contains('{');
    for (entry, filter) in links.own_filters() {
        let at = filter.place.unwrap_or(entry.place);
        for host in web_hosts(filter).into_iter().filter(|host| readable(host) && *host != "*") {
            note(host, true, &|known| known.android = known.android.or(Some(at)));
        }
        for scheme in filter
            .schemes()
            .into_iter()
            .filter(|scheme| readable(scheme) && !is_web_scheme(scheme) && !matches!(*scheme, "content" | "file"))
        {
            note(scheme, false, &|known| known.android = known.android.or(Some(at)));
        }
    }
    if let Some(ios) = &links.ios {
        for domain in ios.domains.iter().filter(|domain| domain.service == "applinks" && readable(&domain.host)) {
            note(&domain.host, true, &|known| known.ios = known.ios.or(Some(domain.place)));
        }
        for scheme in ios.schemes.iter().filter(|scheme| readable(&scheme.scheme)) {
            note(&scheme.scheme, false, &|known| known.ios = known.ios.or(Some(scheme.place)));
        }
    }
    out
}

/// Returns the host or scheme that an entry means, in small letters; `None` where it means none. What is written in another form is
/// told by rules of its own, and must not be copied to the other platform as it is.
fn meant(written: &str, is_host: bool) -> Option<String> {
    let lower = written.trim().to_ascii_lowercase();
    if !is_host {
        let bare = lower.split(':').next().unwrap_or_default();
        return is_scheme(bare).then(|| bare.to_owned());
    }
    let rest = lower.split_once("://").map_or(lower.as_str(), |(_, rest)| rest);
    let host = rest.split(['/', '?', '#']).next().unwrap_or_default();
    let fits = |letter: char| letter.is_alphanumeric() || matches!(letter, '.' | '-' | '*' | ':');
    (!host.is_empty() && host.chars().all(fits)).then(|| host.to_owned())
}

/// Returns the hosts of a filter that web schemes go with.
pub(in crate::rules) fn web_hosts(filter: &FilterSpec) -> Vec<&str> {
    if filter.is_web() { filter.hosts() } else { Vec::new() }
}

/// Returns the plans that put an association file right; `None` where the app has no website's folder.
pub(in crate::rules) fn write_association(
    context: &Context<'_>,
    links: &AppLinks,
    host: &str,
    document: association::Document,
) -> Option<Remedy> {
    let site = context.app.site.as_ref()?;
    let file = site.file(host, document)?;
    let source = context.sources.file(file);
    // Several hosts may have one file.
    let hosts = links.hosts();
    let sharing: Vec<&String> =
        hosts.iter().filter(|other| site.file(association::looked_up_at(other), document) == Some(file)).collect();
    let of_file = |route: &&Route| sharing.iter().any(|host| route.is_for(host)) || route.is_for(host);
    let routes: Vec<_> = context.app.config.links.routes.iter().filter(of_file).cloned().collect();
    let existing = (!source.text.trim().is_empty()).then_some(source.text.as_ref());
    Some(match links.plan_file(document, existing, &routes) {
        Ok(written) if existing == Some(written.text.as_str()) => {
            Remedy::Manual("The file has these entries already; look at the entries beside them.".to_owned())
        }
        Ok(written) => {
            let edits = vec![difference(&source.text, &written.text)];
            Remedy::edit(format!("write {}", source.shown), file, edits).making(&source.shown)
        }
        Err(problem) => Remedy::Manual(format!("{problem}.")),
    })
}
