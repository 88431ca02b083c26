//! The table of all that links can start, with a link for each to try.

use elvask_platform::{Platform, ios};
use elvask_project::filters::FilterSpec;
use elvask_project::source::Place;

use crate::app::AppLinks;
use crate::pattern::{Pattern, PatternKind, Subject};
use crate::route::Route;
use crate::url::Link;

/// One entry of the table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkEntry {
    /// The platform.
    pub platform: Platform,
    /// The activity or alias on Android; `None` on iOS.
    pub component: Option<String>,
    /// What it takes: `https://marram.example/site/…`.
    pub takes: String,
    /// A link that it takes, where one could be made up.
    pub example: Option<String>,
    /// Whether the website must vouch for it.
    pub verified: bool,
    /// Where it stands.
    pub place: Place,
}

impl AppLinks {
    /// Returns the table: for each filter, its schemes with its hosts and paths; for iOS, its URL types and domains.
    #[must_use]
    pub fn table(&self, routes: &[Route]) -> Vec<LinkEntry> {
        let mut out: Vec<LinkEntry> = Vec::new();
        for (_, links) in self.android.iter().take(1) {
            for (entry, filter) in links.link_filters() {
                for (takes, example) in spellings(filter, routes) {
                    out.push(LinkEntry {
                        platform: Platform::Android,
                        component: Some(entry.component.clone()),
                        takes,
                        example,
                        verified: filter.auto_verify && filter.is_web_only(),
                        place: filter.place.unwrap_or(entry.place),
                    });
                }
            }
        }
        if let Some(links) = &self.ios {
            for domain in links.domains.iter().filter(|domain| domain.service == "applinks") {
                let host = domain.host.replace('*', "any");
                let of_host = routes.iter().find(|route| !route.stays_on_the_web() && route.is_for(&domain.host));
                let path = of_host.map_or("/".to_owned(), Route::example);
                out.push(LinkEntry {
                    platform: Platform::Ios,
                    component: None,
                    takes: format!("https://{}/…", domain.host),
                    example: plain(format!("https://{host}{path}")),
                    verified: true,
                    place: domain.place,
                });
            }
            for scheme in links.schemes.iter().filter(|scheme| ios::reserved_scheme(&scheme.scheme).is_none()) {
                out.push(LinkEntry {
                    platform: Platform::Ios,
                    component: None,
                    takes: format!("{}:…", scheme.scheme),
                    example: plain(own_link(&scheme.scheme, routes)),
                    verified: false,
                    place: scheme.place,
                });
            }
        }
        out
    }
}

/// Returns links that a filter takes, as far as some can be made up.
#[must_use]
pub fn examples(filter: &FilterSpec, routes: &[Route]) -> Vec<String> {
    spellings(filter, routes).into_iter().filter_map(|(_, example)| example).collect()
}

/// Returns a link with a scheme of the app's own.
fn own_link(scheme: &str, routes: &[Route]) -> String {
    let path = routes.iter().find(|route| !route.stays_on_the_web()).map_or("open".to_owned(), Route::example);
    format!("{scheme}://{}", path.trim_start_matches('/'))
}

/// Returns what a filter takes, each scheme with each host and path, with an example for each.
fn spellings(filter: &FilterSpec, routes: &[Route]) -> Vec<(String, Option<String>)> {
    let mut out = Vec::new();
    let mut paths: Vec<(String, String, PatternKind)> = Vec::new();
    for data in &filter.data {
        for (kind, ending) in PatternKind::ALL {
            if let Some(path) = data.value(&format!("path{ending}")) {
                paths.push((format!("path{ending}"), path.to_owned(), kind));
            }
        }
    }
    for scheme in filter.schemes().into_iter().filter(|scheme| !matches!(*scheme, "content" | "file")) {
        let hosts = filter.hosts();
        if hosts.is_empty() {
            out.push((format!("{scheme}:…"), plain(own_link(scheme, routes))));
            continue;
        }
        for host in hosts {
            let shown = if host.starts_with('*') { host.replacen('*', "any", 1) } else { host.to_owned() };
            if paths.is_empty() {
                let of_host = routes.iter().find(|route| !route.stays_on_the_web() && route.is_for(host));
                let path = of_host.map_or("/".to_owned(), Route::example);
                out.push((format!("{scheme}://{host}/…"), plain(format!("{scheme}://{shown}{path}"))));
            }
            for (attribute, path, kind) in &paths {
                let takes = match kind {
                    PatternKind::Literal => format!("{scheme}://{host}{path}"),
                    PatternKind::Prefix => format!("{scheme}://{host}{path}…"),
                    PatternKind::Suffix => format!("{scheme}://{host}/…{path}"),
                    PatternKind::Simple | PatternKind::Advanced => format!("{scheme}://{host} {attribute} {path}"),
                };
                let example =
                    example_path(*kind, path, host, routes).and_then(|path| plain(format!("{scheme}://{shown}{path}")));
                out.push((takes, example));
            }
        }
    }
    out
}

/// Makes up a path that a pattern takes: that of a route where one fits.
fn example_path(kind: PatternKind, path: &str, host: &str, routes: &[Route]) -> Option<String> {
    let pattern = Pattern::new(kind, path).ok()?;
    let fits = |path: &String| pattern.matches(&Subject { text: path });
    let of_routes = routes.iter().filter(|route| !route.stays_on_the_web() && route.is_for(host)).map(Route::example);
    let start = pattern.literal_start().to_owned();
    let made = ["", "42", "a", "text", "/", "a/b", "1.pdf", "abc", "12", "1234"].map(|end| format!("{start}{end}"));
    let own = match kind {
        PatternKind::Prefix => Some(if path.ends_with('/') { format!("{path}42") } else { path.to_owned() }),
        PatternKind::Suffix => Some(format!("/any{path}")),
        _ => None,
    };
    of_routes.chain(own).chain(made).find(|path| fits(path))
}

fn plain(text: String) -> Option<String> {
    Link::parse(&text).ok().map(|link| link.text().to_owned())
}
