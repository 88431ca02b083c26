//! Which links the filters of an app are for, on the newest level: each filter is made ready once, for any number of links.

use elvask_platform::release::newest_level;

use super::AndroidLinks;
use crate::filter::{Filter, Intent, Mismatch, Prepared};
use crate::route::Route;
use crate::url::Link;

/// The filters of an app, ready to be held against links; verification apart.
#[derive(Debug, Clone)]
pub struct Taking<'l> {
    filters: Vec<Ready>,
    /// The hosts that the app's own filters name.
    hosts: Vec<&'l str>,
}

#[derive(Debug, Clone)]
struct Ready {
    /// It is for links.
    for_links: bool,
    /// Others can start its entry.
    open: bool,
    /// As devices read it; `None` where they refuse it.
    filter: Option<Filter>,
}

impl<'l> Taking<'l> {
    /// Makes the filters ready; `hosts` are those that the app's own name.
    pub(crate) fn new(links: &AndroidLinks, hosts: Vec<&'l str>) -> Self {
        let ready = |entry| {
            let open = links.closed(entry).is_none();
            entry.filters.iter().map(move |spec| Ready {
                for_links: spec.is_link(),
                open,
                filter: Filter::at_level(spec, newest_level()).ok(),
            })
        };
        Taking { filters: links.entries.iter().flat_map(ready).collect(), hosts }
    }

    /// Returns the hosts that the app's own filters name, each once.
    #[must_use]
    pub fn hosts(&self) -> &[&'l str] {
        &self.hosts
    }

    /// Says whether an open entry has a filter that takes a link.
    #[must_use]
    pub fn takes(&self, link: &Link) -> bool {
        self.any(link, |ready, matched| ready.open && matched == Some(Ok(())))
    }

    /// Says whether a filter for links names what a link has, whatever else the filter or its component lacks. What devices refuse may mean any.
    #[must_use]
    pub fn means(&self, link: &Link) -> bool {
        self.any(link, |ready, matched| {
            ready.for_links && matches!(matched, None | Some(Ok(()) | Err(Mismatch::Category | Mismatch::Type)))
        })
    }

    fn any(&self, link: &Link, fits: impl Fn(&Ready, Option<Result<(), Mismatch>>) -> bool) -> bool {
        let uri = link.uri();
        let (intent, data) = (Intent::link(&uri), Prepared::new(&uri));
        let matched = |ready: &Ready| Some(ready.filter.as_ref()?.matches_prepared(&intent, Some(&data)));
        self.filters.iter().any(|ready| fits(ready, matched(ready)))
    }

    /// Says whether a filter means a route on another host than one: a route that names no hosts need not be taken on all of them.
    #[must_use]
    pub fn means_elsewhere(&self, route: &Route, host: &str) -> bool {
        let means = |other: &str| route.on_host(other).is_some_and(|link| self.means(&link));
        route.hosts.is_empty() && self.hosts.iter().any(|other| !other.eq_ignore_ascii_case(host) && means(other))
    }
}
