//! Many filters that are ready for many links.
//!
//! What a link costs grows with the filters that take it, not with those that there are: filters are filed by scheme and host, and those
//! of one host in a tree of the texts with which their paths start.

use std::borrow::Cow;
use std::collections::HashMap;

use crate::filter::{Authority, Filter, Intent, Prepared};
use crate::pattern::{Pattern, PatternKind};
use crate::url::Uri;

/// The most combinations of scheme, host and path under which one filter is filed; one with more is held against each link.
const MAX_COMBINATIONS: usize = 10_000;

/// Filters, filed by what they take.
#[derive(Debug, Clone, Default)]
pub struct FilterSet {
    filters: Vec<Filter>,
    /// By scheme, then by host in small letters.
    hosts: HashMap<String, HashMap<String, Paths>>,
    /// By scheme: hosts of which only the end is given, by that end where it starts with a dot.
    wild: HashMap<String, HashMap<String, Paths>>,
    /// By scheme: hosts of which only another end is given.
    loose: HashMap<String, Vec<(Authority, Paths)>>,
    /// By scheme: filters that take any host.
    schemes: HashMap<String, Vec<u32>>,
    /// Filters that must be looked at for each link.
    others: Vec<u32>,
}

/// Filters of one host, by their paths.
#[derive(Debug, Clone, Default)]
struct Paths {
    /// Those that take any path.
    any: Vec<u32>,
    tree: Tree,
}

/// A tree of the first bytes of paths.
#[derive(Debug, Clone)]
struct Tree {
    nodes: Vec<Node>,
}

#[derive(Debug, Clone, Default)]
struct Node {
    /// The bytes that may follow, sorted.
    next: Vec<(u8, u32)>,
    /// The filters that take all that starts like this.
    prefixes: Vec<u32>,
    /// The filters that take just this.
    literals: Vec<u32>,
    /// The filters that may take what starts like this.
    maybe: Vec<u32>,
}

impl Default for Tree {
    fn default() -> Self {
        Tree { nodes: vec![Node::default()] }
    }
}

impl Tree {
    fn node(&mut self, start: &str) -> Option<&mut Node> {
        let mut at = 0usize;
        for byte in start.bytes() {
            let fresh = self.nodes.len();
            let node = self.nodes.get_mut(at)?;
            at = match node.next.binary_search_by_key(&byte, |(known, _)| *known) {
                Ok(found) => node.next.get(found)?.1 as usize,
                Err(place) => {
                    node.next.insert(place, (byte, u32::try_from(fresh).ok()?));
                    self.nodes.push(Node::default());
                    fresh
                }
            };
        }
        self.nodes.get_mut(at)
    }

    fn add(&mut self, pattern: &Pattern, id: u32) {
        let Some(node) = self.node(pattern.literal_start()) else { return };
        match pattern.kind {
            PatternKind::Literal => node.literals.push(id),
            PatternKind::Prefix => node.prefixes.push(id),
            _ => node.maybe.push(id),
        }
    }

    /// Hands every filter that takes a path, or may take it, to `found`; some several times.
    fn walk(&self, path: &str, mut found: impl FnMut(u32)) {
        let mut at = 0usize;
        let mut rest = path.bytes();
        while let Some(node) = self.nodes.get(at) {
            node.prefixes.iter().for_each(|id| found(*id));
            node.maybe.iter().for_each(|id| found(*id));
            let Some(byte) = rest.next() else {
                node.literals.iter().for_each(|id| found(*id));
                return;
            };
            let Ok(next) = node.next.binary_search_by_key(&byte, |(known, _)| *known) else { return };
            let Some((_, next)) = node.next.get(next) else { return };
            at = *next as usize;
        }
    }
}

impl Paths {
    fn add(&mut self, paths: &[Pattern], id: u32) {
        if paths.is_empty() {
            self.any.push(id);
        }
        paths.iter().for_each(|pattern| self.tree.add(pattern, id));
    }
}

impl FilterSet {
    /// Files filters. They are named by their place in the list.
    #[must_use]
    pub fn new(filters: Vec<Filter>) -> Self {
        let mut set = FilterSet::default();
        for (at, filter) in filters.iter().enumerate() {
            let Ok(id) = u32::try_from(at) else { break };
            let keys = filter.keys().filter(|(schemes, authorities, paths)| {
                let counts = [schemes.len(), authorities.len(), paths.len()];
                // What is not stated multiplies nothing: schemes with hosts are filed without paths too.
                let combinations = counts.into_iter().fold(1, |all: usize, count| all.saturating_mul(count.max(1)));
                combinations <= MAX_COMBINATIONS
            });
            let Some((schemes, authorities, paths)) = keys else {
                set.others.push(id);
                continue;
            };
            for scheme in schemes {
                if authorities.is_empty() {
                    set.schemes.entry(scheme.clone()).or_default().push(id);
                }
                for authority in authorities {
                    let host = authority.host.to_ascii_lowercase();
                    let by_host = match (authority.wild, host.starts_with('.')) {
                        (false, _) => &mut set.hosts,
                        (true, true) => &mut set.wild,
                        (true, false) => {
                            let mut of_host = Paths::default();
                            of_host.add(paths, id);
                            set.loose.entry(scheme.clone()).or_default().push((authority.clone(), of_host));
                            continue;
                        }
                    };
                    by_host.entry(scheme.clone()).or_default().entry(host).or_default().add(paths, id);
                }
            }
        }
        set.filters = filters;
        set
    }

    /// Returns the filters, in their order.
    #[must_use]
    pub fn filters(&self) -> &[Filter] {
        &self.filters
    }

    /// Writes the filters that take a link, in their order, into `out`, which is emptied first.
    pub fn matching(&self, uri: &Uri<'_>, out: &mut Vec<usize>) {
        out.clear();
        let data = Prepared::new(uri);
        let intent = Intent::link(uri);
        let mut consider = |id: u32| out.push(id as usize);
        self.others.iter().copied().for_each(&mut consider);
        self.schemes.get(uri.scheme).into_iter().flatten().copied().for_each(&mut consider);
        if let Some(host) = &data.host {
            let path = data.path.as_deref().unwrap_or_default();
            let mut look = |paths: &Paths| {
                paths.any.iter().copied().for_each(&mut consider);
                paths.tree.walk(path, &mut consider);
            };
            let host: Cow<'_, str> = match host.bytes().any(|byte| byte.is_ascii_uppercase()) {
                true => Cow::Owned(host.to_ascii_lowercase()),
                false => Cow::Borrowed(host),
            };
            let of_scheme = self.hosts.get(uri.scheme);
            of_scheme.and_then(|hosts| hosts.get(host.as_ref())).into_iter().for_each(&mut look);
            if let Some(ends) = self.wild.get(uri.scheme) {
                let dots = host.match_indices('.').filter_map(|(at, _)| ends.get(host.get(at..)?));
                dots.for_each(&mut look);
            }
            let loose = self.loose.get(uri.scheme).into_iter().flatten();
            loose.filter(|(authority, _)| authority.takes_host(&host)).for_each(|(_, paths)| look(paths));
        }
        out.sort_unstable();
        out.dedup();
        // Hosts and paths are narrowed down so far; the filter itself has the last word.
        let fits = |filter: &Filter| filter.matches_prepared(&intent, Some(&data)).is_ok();
        out.retain(|at| self.filters.get(*at).is_some_and(fits));
    }
}

#[cfg(test)]
mod tests {
    use elvask_markup::Span;
    use elvask_project::filters::{DataSpec, FilterSpec, VIEW};
    use elvask_project::source::{Place, Sources};

    use super::*;

    #[test]
    fn a_filter_with_very_many_combinations_is_not_filed_and_still_found() {
        let mut sources = Sources::new(std::path::Path::new("/app"));
        let place = Place { file: sources.add(std::path::Path::new("/app/a.xml"), ""), span: Span::at(0) };
        let categories = ["DEFAULT", "BROWSABLE"].map(|name| format!("android.intent.category.{name}")).to_vec();
        let mut spec = FilterSpec { actions: vec![VIEW.to_owned()], categories, ..FilterSpec::default() };
        for at in 0..200 {
            let mut data = DataSpec::default();
            data.push("scheme", &format!("s{at}"), place);
            data.push("host", &format!("h{at}.example"), place);
            spec.data.push(data);
        }
        let set = FilterSet::new(vec![Filter::at_level(&spec, 35).unwrap()]);
        assert!(set.hosts.is_empty() && set.others == [0]);
        let mut found = Vec::new();
        set.matching(&Uri::parse("s7://h150.example/a"), &mut found);
        assert_eq!(found, [0]);
        set.matching(&Uri::parse("s7://other.example/a"), &mut found);
        assert!(found.is_empty());
    }
}
