//! Intent filters, and how the platform holds an intent against one.
//!
//! Sources: "Intents and intent filters", "`<data>`" and "`<uri-relative-filter-group>`" in the platform's guides. All `<data>` of a filter are
//! pooled: each scheme goes with each host and each path. Attributes that a device is too old for are left out there, which makes a filter wider.

use std::borrow::Cow;
use std::cell::OnceCell;

use elvask_platform::Behaviour;
use elvask_project::filters::{BROWSABLE, DEFAULT, DataSpec, FilterSpec, VIEW};
use elvask_project::source::Place;

use crate::pattern::{Pattern, PatternError, PatternKind, Subject};
use crate::url::{Uri, decode};

/// A host with the port that was written beside it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Authority {
    /// The host, or how it ends where `wild`.
    pub host: String,
    /// Whether anything may stand before it.
    pub wild: bool,
    /// The port that must be written in the link.
    pub port: Option<u32>,
}

impl Authority {
    /// Reads a host with its port as a filter has them.
    #[must_use]
    pub fn new(host: &str, port: Option<u32>) -> Self {
        match host.strip_prefix('*') {
            Some(end) => Authority { host: end.to_owned(), wild: true, port },
            None => Authority { host: host.to_owned(), wild: false, port },
        }
    }

    /// Says whether a link's host fits, without regard to case.
    #[must_use]
    pub fn takes_host(&self, host: &str) -> bool {
        if !self.wild {
            return host.eq_ignore_ascii_case(&self.host);
        }
        let start = host.len().checked_sub(self.host.len());
        start.and_then(|start| host.get(start..)).is_some_and(|end| end.eq_ignore_ascii_case(&self.host))
    }

    /// Says whether a link's port fits: a port that is declared must be written in the link.
    #[must_use]
    pub fn takes_port(&self, port: Option<u32>) -> bool {
        self.port.is_none_or(|wanted| port == Some(wanted))
    }
}

/// A part of a link that a group looks at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum RelativePart {
    Path,
    Query,
    Fragment,
}

/// What a group wants of one part.
#[derive(Debug, Clone, PartialEq, Eq)]
struct RelativeFilter {
    part: RelativePart,
    pattern: Pattern,
}

/// A group that is ready to be held against links.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Group {
    allow: bool,
    filters: Vec<RelativeFilter>,
}

/// A filter as devices of one level read it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Filter {
    actions: Vec<String>,
    categories: Vec<String>,
    schemes: Vec<String>,
    specific: Vec<Pattern>,
    authorities: Vec<Authority>,
    paths: Vec<Pattern>,
    groups: Vec<Group>,
    types: Vec<String>,
}

/// Why the platform refuses a filter, and the package with it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FilterError {
    /// A pattern is refused.
    #[error("`{pattern}` in `{attribute}` is refused: {reason}")]
    Pattern {
        /// The attribute.
        attribute: String,
        /// Its value.
        pattern: String,
        /// Why.
        reason: PatternError,
        /// Where.
        place: Place,
    },
    /// A type of data is refused.
    #[error("`{written}` in `mimeType` is refused: a type is written kind/name, kind/* or */*")]
    Type {
        /// Its value.
        written: String,
        /// Where.
        place: Place,
    },
    /// A port is refused.
    #[error("`{written}` in `port` is refused: a port is a number")]
    Port {
        /// Its value.
        written: String,
        /// Where.
        place: Place,
    },
}

impl FilterError {
    /// Returns where the value stands that is refused.
    #[must_use]
    pub fn place(&self) -> Place {
        match self {
            FilterError::Pattern { place, .. } | FilterError::Type { place, .. } | FilterError::Port { place, .. } => {
                *place
            }
        }
    }
}

/// What an app is asked to do with a link or with content.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Intent<'i> {
    /// What to do; an intent without action passes any filter that has one.
    pub action: Option<&'i str>,
    /// What the receiver must be able to do.
    pub categories: &'i [&'i str],
    /// The link.
    pub data: Option<&'i Uri<'i>>,
    /// The type of the data.
    pub mime: Option<&'i str>,
}

impl<'i> Intent<'i> {
    /// Returns the intent with which a link is opened from another app.
    #[must_use]
    pub fn link(uri: &'i Uri<'i>) -> Self {
        Intent { action: Some(VIEW), categories: &[DEFAULT, BROWSABLE], data: Some(uri), mime: None }
    }

    /// Returns the intent with which content of a type is shared.
    #[must_use]
    pub fn share(action: &'i str, mime: &'i str) -> Self {
        Intent { action: Some(action), categories: &[DEFAULT], data: None, mime: Some(mime) }
    }
}

/// The first thing that keeps a filter from taking an intent, in the order in which the platform looks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Mismatch {
    /// The filter has another action or none.
    Action,
    /// The filter takes no data, and there is some; or the reverse.
    NoData,
    /// The filter has another scheme.
    Scheme,
    /// The filter has another host.
    Host,
    /// The filter wants a port that the link does not name.
    Port,
    /// The filter has other paths.
    Path,
    /// A group of the filter blocks the link, or none of them lets it through.
    Group,
    /// The filter has other texts behind the scheme.
    Specific,
    /// The filter has other types, or wants one.
    Type,
    /// The filter lacks a category.
    Category,
}

impl Mismatch {
    /// Says whether the filter means links like this one: scheme and host fit.
    #[must_use]
    pub fn is_near(self) -> bool {
        self >= Mismatch::Port
    }
}

/// A link taken apart once, for many filters.
pub(super) struct Prepared<'u> {
    pub(super) uri: &'u Uri<'u>,
    pub(super) host: Option<Cow<'u, str>>,
    pub(super) port: Option<u32>,
    pub(super) path: Option<Cow<'u, str>>,
    specific: OnceCell<Cow<'u, str>>,
}

impl<'u> Prepared<'u> {
    pub(super) fn new(uri: &'u Uri<'u>) -> Self {
        Prepared { uri, host: uri.host(), port: uri.port(), path: uri.path.map(decode), specific: OnceCell::new() }
    }

    fn specific(&self) -> &str {
        self.specific.get_or_init(|| decode(self.uri.specific))
    }
}

impl Filter {
    /// Reads a filter as devices of a level do.
    ///
    /// # Errors
    /// Why such devices refuse it: the package cannot be installed then.
    pub fn at_level(spec: &FilterSpec, level: u32) -> Result<Filter, FilterError> {
        let mut filter = Filter {
            actions: spec.actions.clone(),
            categories: spec.categories.clone(),
            schemes: Vec::new(),
            specific: Vec::new(),
            authorities: Vec::new(),
            paths: Vec::new(),
            groups: Vec::new(),
            types: Vec::new(),
        };
        for data in &spec.data {
            filter.add(data, level)?;
        }
        if level >= Behaviour::FilterGroups.since() {
            for group in &spec.groups {
                let mut filters = Vec::new();
                for data in &group.data {
                    for (part, word) in [
                        (RelativePart::Path, "path"),
                        (RelativePart::Query, "query"),
                        (RelativePart::Fragment, "fragment"),
                    ] {
                        let patterns = patterns(data, word, level)?;
                        filters.extend(patterns.into_iter().map(|pattern| RelativeFilter { part, pattern }));
                    }
                }
                filter.groups.push(Group { allow: group.allow, filters });
            }
        }
        Ok(filter)
    }

    fn add(&mut self, data: &DataSpec, level: u32) -> Result<(), FilterError> {
        if let Some((written, place)) = data.attribute("mimeType") {
            let kind = written.split_once('/').filter(|(kind, name)| !kind.is_empty() && !name.is_empty());
            if kind.is_none() {
                return Err(FilterError::Type { written: written.to_owned(), place });
            }
            self.types.push(written.to_owned());
        }
        self.schemes.extend(data.value("scheme").map(str::to_owned));
        if level >= 19 {
            self.specific.extend(patterns(data, "ssp", level)?);
        }
        // A port without a host beside it is left out.
        if let Some(host) = data.value("host") {
            let port = match data.attribute("port") {
                Some((written, place)) => {
                    Some(written.trim().parse().map_err(|_| FilterError::Port { written: written.to_owned(), place })?)
                }
                None => None,
            };
            self.authorities.push(Authority::new(host, port));
        }
        self.paths.extend(patterns(data, "path", level)?);
        Ok(())
    }

    /// Holds an intent against the filter.
    ///
    /// # Errors
    /// The first thing that does not fit.
    pub fn matches(&self, intent: &Intent<'_>) -> Result<(), Mismatch> {
        let prepared = intent.data.map(Prepared::new);
        self.matches_prepared(intent, prepared.as_ref())
    }

    pub(super) fn matches_prepared(&self, intent: &Intent<'_>, data: Option<&Prepared<'_>>) -> Result<(), Mismatch> {
        let has_action = match intent.action {
            Some(action) => self.actions.iter().any(|known| known == action),
            None => !self.actions.is_empty(),
        };
        if !has_action {
            return Err(Mismatch::Action);
        }
        self.matches_data(intent.mime, data)?;
        let lacks = |wanted: &&str| !self.categories.iter().any(|category| category == wanted);
        if intent.categories.iter().any(lacks) { Err(Mismatch::Category) } else { Ok(()) }
    }

    fn matches_data(&self, mime: Option<&str>, data: Option<&Prepared<'_>>) -> Result<(), Mismatch> {
        if self.types.is_empty() && self.schemes.is_empty() {
            return if mime.is_none() && data.is_none() { Ok(()) } else { Err(Mismatch::NoData) };
        }
        let scheme = data.map_or("", |data| data.uri.scheme);
        if self.schemes.is_empty() {
            // Who asks by type alone means content of the device.
            if !matches!(scheme, "" | "content" | "file") {
                return Err(Mismatch::Scheme);
            }
        } else {
            if !self.schemes.iter().any(|known| known == scheme) {
                return Err(Mismatch::Scheme);
            }
            if let Some(data) = data {
                self.matches_parts(data)?;
            }
        }
        match mime {
            None if self.types.is_empty() => Ok(()),
            Some(mime) if !self.types.is_empty() && self.takes_type(mime) => Ok(()),
            _ => Err(Mismatch::Type),
        }
    }

    fn matches_parts(&self, data: &Prepared<'_>) -> Result<(), Mismatch> {
        let specific = !self.specific.is_empty();
        if specific {
            let subject = Subject { text: data.specific() };
            if self.specific.iter().any(|pattern| pattern.matches(&subject)) {
                return Ok(());
            }
        }
        if self.authorities.is_empty() {
            // Without a host, paths are not looked at.
            return if specific { Err(Mismatch::Specific) } else { Ok(()) };
        }
        let Some(host) = &data.host else { return Err(Mismatch::Host) };
        let hosts = || self.authorities.iter().filter(|authority| authority.takes_host(host));
        if hosts().next().is_none() {
            return Err(Mismatch::Host);
        }
        if !hosts().any(|authority| authority.takes_port(data.port)) {
            return Err(Mismatch::Port);
        }
        self.matches_path(data)
    }

    fn matches_path(&self, data: &Prepared<'_>) -> Result<(), Mismatch> {
        if self.paths.is_empty() && self.groups.is_empty() {
            return Ok(());
        }
        let subject = Subject { text: data.path.as_deref().unwrap_or_default() };
        if data.path.is_some() && self.paths.iter().any(|pattern| pattern.matches(&subject)) {
            return Ok(());
        }
        let deciding = self.groups.iter().find(|group| group.matches(data));
        match deciding {
            Some(group) if group.allow => Ok(()),
            _ if self.groups.is_empty() => Err(Mismatch::Path),
            _ => Err(Mismatch::Group),
        }
    }

    /// Says whether one of its types takes a type. Types are compared with case.
    fn takes_type(&self, wanted: &str) -> bool {
        let family = wanted.split('/').next().unwrap_or_default();
        self.types.iter().any(|declared| {
            declared == wanted
                || declared == "*/*"
                || wanted == "*/*"
                || declared.strip_suffix("/*").is_some_and(|known| known == family)
                || (wanted.ends_with("/*") && declared.split('/').next() == Some(family))
        })
    }

    /// Returns what an index needs to know of it: schemes, hosts and paths; `None` where the index cannot tell and the filter must
    /// be looked at for each link.
    pub(super) fn keys(&self) -> Option<(&[String], &[Authority], &[Pattern])> {
        let plain = self.specific.is_empty() && self.groups.is_empty() && !self.schemes.is_empty();
        plain.then_some((&self.schemes, &self.authorities, &self.paths))
    }
}

impl Group {
    /// Says whether all that it wants fits. A group that wants nothing fits nothing.
    fn matches(&self, data: &Prepared<'_>) -> bool {
        !self.filters.is_empty() && self.filters.iter().all(|filter| filter.matches(data))
    }
}

impl RelativeFilter {
    fn matches(&self, data: &Prepared<'_>) -> bool {
        let whole = |text: Option<&str>| text.is_some_and(|text| self.pattern.matches(&Subject { text }));
        match self.part {
            RelativePart::Path => whole(data.path.as_deref()),
            RelativePart::Fragment => whole(data.uri.fragment.map(decode).as_deref()),
            RelativePart::Query => {
                let Some(query) = data.uri.query.map(decode) else { return false };
                // Parameters may be parted by `;`, where there is no `&`.
                let sign = if query.trim_end_matches('&').contains('&') { '&' } else { ';' };
                query.split(sign).any(|parameter| whole(Some(parameter)))
            }
        }
    }
}

/// Reads the patterns for one part of a link that devices of a level see.
fn patterns(data: &DataSpec, part: &str, level: u32) -> Result<Vec<Pattern>, FilterError> {
    let mut out = Vec::new();
    for (kind, ending) in PatternKind::ALL.into_iter().filter(|(kind, _)| kind.since() <= level) {
        let named = |name: &str| name.strip_prefix(part) == Some(ending);
        let Some((_, text, place)) = data.attributes.iter().find(|(name, _, _)| named(name)) else { continue };
        let pattern = Pattern::new(kind, text.as_str()).map_err(|reason| FilterError::Pattern {
            attribute: format!("{part}{ending}"),
            pattern: text.clone(),
            reason,
            place: *place,
        });
        out.push(pattern?);
    }
    Ok(out)
}
