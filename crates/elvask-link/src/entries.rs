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
                let mut spellings = spellings(filter, routes);
                let listed: Vec<_> = spellings.by_ref().take(MAX_SPELLINGS).collect();
                let more = spellings.next().is_some().then(|| ("and more".to_owned(), None));
                for (takes, example) in listed.into_iter().chain(more) {
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

/// The most combinations of scheme, host and path of one filter that are gone through.
const MAX_SPELLINGS: usize = 2_000;

/// Returns links that a filter takes, as far as some can be made up; of a filter with very many combinations, for the first ones.
#[must_use]
pub fn examples(filter: &FilterSpec, routes: &[Route]) -> Vec<String> {
    spellings(filter, routes).take(MAX_SPELLINGS).filter_map(|(_, example)| example).collect()
}

/// Returns a link with a scheme of the app's own.
fn own_link(scheme: &str, routes: &[Route]) -> String {
    let path = routes.iter().find(|route| !route.stays_on_the_web()).map_or("open".to_owned(), Route::example);
    format!("{scheme}://{}", path.trim_start_matches('/'))
}

/// Goes through what a filter takes, each scheme with each host and path, with an example for each.
fn spellings<'f>(filter: &'f FilterSpec, routes: &'f [Route]) -> impl Iterator<Item = (String, Option<String>)> + 'f {
    let mut paths: Vec<(String, &str, PatternKind)> = Vec::new();
    for data in &filter.data {
        for (kind, ending) in PatternKind::ALL {
            let attribute = format!("path{ending}");
            if let Some(path) = data.value(&attribute) {
                paths.push((attribute, path, kind));
            }
        }
    }
    let schemes = filter.schemes().into_iter().filter(|scheme| !matches!(*scheme, "content" | "file"));
    // A scheme without a host, and a host without a path, is one combination.
    let mut hosts: Vec<Option<&str>> = filter.hosts().into_iter().map(Some).collect();
    if hosts.is_empty() {
        hosts.push(None);
    }
    let pairs = schemes.flat_map(move |scheme| hosts.clone().into_iter().map(move |host| (scheme, host)));
    pairs.flat_map(move |(scheme, host)| {
        let alone = match host {
            None => Some((format!("{scheme}:…"), plain(own_link(scheme, routes)))),
            Some(host) => paths.is_empty().then(|| {
                let of_host = routes.iter().find(|route| !route.stays_on_the_web() && route.is_for(host));
                let path = of_host.map_or("/".to_owned(), Route::example);
                (format!("{scheme}://{host}/…"), plain(format!("{scheme}://{}{path}", any_of(host))))
            }),
        };
        let with_paths = host.map_or(Vec::new(), |_| paths.clone()).into_iter();
        let host = host.unwrap_or_default();
        let with_paths = with_paths.map(move |(attribute, path, kind)| {
            let takes = match kind {
                PatternKind::Literal => format!("{scheme}://{host}{path}"),
                PatternKind::Prefix => format!("{scheme}://{host}{path}…"),
                PatternKind::Suffix => format!("{scheme}://{host}/…{path}"),
                PatternKind::Simple | PatternKind::Advanced => format!("{scheme}://{host} {attribute} {path}"),
            };
            let example = example_path(kind, path, host, routes)
                .and_then(|path| plain(format!("{scheme}://{}{path}", any_of(host))));
            (takes, example)
        });
        alone.into_iter().chain(with_paths)
    })
}

/// Returns a host that a host of a filter takes.
fn any_of(host: &str) -> String {
    if host.starts_with('*') { host.replacen('*', "any", 1) } else { host.to_owned() }
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

#[cfg(test)]
mod tests {
    use elvask_markup::Span;
    use elvask_project::filters::{DataSpec, VIEW};
    use elvask_project::source::Sources;

    use super::*;

    #[test]
    fn what_a_filter_takes_is_listed_as_far_as_anybody_reads() {
        let mut sources = Sources::new(std::path::Path::new("/app"));
        let place = Place { file: sources.add(std::path::Path::new("/app/a.xml"), ""), span: Span::at(0) };
        let data = |at: usize| {
            let mut data = DataSpec::default();
            data.push("scheme", &format!("s{at}"), place);
            data.push("host", &format!("h{at}.example"), place);
            data.push("path", &format!("/p{at}"), place);
            data
        };
        let filter = |number: usize| FilterSpec {
            actions: vec![VIEW.to_owned()],
            data: (0..number).map(data).collect(),
            ..FilterSpec::default()
        };
        let few = examples(&filter(3), &[]);
        assert_eq!(few.len(), 27);
        assert!(few.contains(&"s2://h0.example/p1".to_owned()), "{few:?}");
        // A thousand million of them.
        assert_eq!(examples(&filter(1000), &[]).len(), MAX_SPELLINGS);
    }
}
