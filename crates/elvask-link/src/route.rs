//! Routes: what the app means its links to be, with the parts that it reads from them.

use crate::url::Link;

/// The word for a route or an expectation that is meant to stay on the web.
pub const BROWSER: &str = "browser";

/// What a part of a path must look like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PartType {
    /// Any one segment.
    Text,
    /// A whole number.
    Int,
    /// A day: 2026-05-31.
    Date,
    /// 32 hex digits in five groups.
    Uuid,
    /// All that is left, slashes included.
    Rest,
}

impl PartType {
    const ALL: [(&'static str, PartType); 5] = [
        ("text", PartType::Text),
        ("int", PartType::Int),
        ("date", PartType::Date),
        ("uuid", PartType::Uuid),
        ("rest", PartType::Rest),
    ];

    /// Returns the word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        PartType::ALL.iter().find(|(_, known)| *known == self).map_or("text", |(word, _)| word)
    }

    fn takes(self, text: &str) -> bool {
        let digits = |text: &str, count: usize| text.len() == count && text.bytes().all(|byte| byte.is_ascii_digit());
        match self {
            PartType::Text | PartType::Rest => !text.is_empty(),
            PartType::Int => {
                let number = text.strip_prefix('-').unwrap_or(text);
                !number.is_empty() && number.bytes().all(|byte| byte.is_ascii_digit())
            }
            PartType::Date => {
                let parts: Vec<_> = text.split('-').collect();
                match parts.as_slice() {
                    [year, month, day] => {
                        let within = |text: &str, high: u32| {
                            digits(text, 2) && text.parse().is_ok_and(|number: u32| (1..=high).contains(&number))
                        };
                        digits(year, 4) && within(month, 12) && within(day, 31)
                    }
                    _ => false,
                }
            }
            PartType::Uuid => {
                let groups: Vec<_> = text.split('-').collect();
                let lengths: Vec<_> = groups.iter().map(|group| group.len()).collect();
                lengths == [8, 4, 4, 4, 12]
                    && groups.iter().all(|group| group.bytes().all(|byte| byte.is_ascii_hexdigit()))
            }
        }
    }

    /// Returns a text of the type, for examples.
    #[must_use]
    pub fn example(self) -> &'static str {
        match self {
            PartType::Text => "text",
            PartType::Int => "42",
            PartType::Date => "2026-05-31",
            PartType::Uuid => "123e4567-e89b-12d3-a456-426614174000",
            PartType::Rest => "any/thing",
        }
    }
}

/// One segment of a route.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Segment {
    /// This text.
    Fixed(String),
    /// A part that the app reads.
    Part {
        /// Its name.
        name: String,
        /// What it must look like.
        kind: PartType,
    },
}

/// A route.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Route {
    /// The path as it is written.
    pub path: String,
    /// What it opens; [`BROWSER`] for one that stays on the web.
    pub opens: String,
    /// Its segments.
    pub segments: Vec<Segment>,
    /// The hosts that it is for; all where none is named. Links with a scheme of the app's own have no host.
    pub hosts: Vec<String>,
}

/// A route that a link meets.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Met<'r> {
    /// The route.
    pub route: &'r Route,
    /// The parts, in the order of the path.
    pub with: Vec<(String, String)>,
}

impl Route {
    /// Reads a path.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence without a full stop.
    pub fn parse(path: &str, opens: &str) -> Result<Route, String> {
        if !path.starts_with('/') {
            return Err(format!("`{path}` must start with /"));
        }
        if path.contains(['?', '#', '*', ' ']) {
            return Err(format!(
                "`{path}` is a path of fixed segments and parts in braces, such as /site/{{site:int}}; queries, fragments and wildcards have no place in it"
            ));
        }
        let mut segments: Vec<Segment> = Vec::new();
        let written: Vec<_> = path.split('/').filter(|segment| !segment.is_empty()).collect();
        for (at, segment) in written.iter().enumerate() {
            let inside = segment.strip_prefix('{').and_then(|rest| rest.strip_suffix('}'));
            let Some(inside) = inside else {
                if segment.contains(['{', '}']) {
                    return Err(format!("`{segment}`: a part in braces must be a whole segment"));
                }
                segments.push(Segment::Fixed((*segment).to_owned()));
                continue;
            };
            let (name, kind) = inside.split_once(':').unwrap_or((inside, "text"));
            let plain = |name: &str| {
                !name.is_empty()
                    && name.chars().all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '_' | '-'))
            };
            if !plain(name) {
                return Err(format!("`{{{inside}}}` has no name that is made of letters, digits, _ and -"));
            }
            let Some((_, kind)) = PartType::ALL.iter().find(|(word, _)| *word == kind) else {
                let known: Vec<_> = PartType::ALL.iter().map(|(word, _)| *word).collect();
                return Err(format!(
                    "`{kind}` is not a type of a part; there are {}",
                    elvask_project::tomldoc::list(&known)
                ));
            };
            if *kind == PartType::Rest && at + 1 < written.len() {
                return Err(format!("`{{{inside}}}` takes all that is left, so it must be the last"));
            }
            if segments.iter().any(|known| matches!(known, Segment::Part { name: known, .. } if known == name)) {
                return Err(format!("the part {name} is declared twice"));
            }
            segments.push(Segment::Part { name: name.to_owned(), kind: *kind });
        }
        Ok(Route { path: path.to_owned(), opens: opens.to_owned(), segments, hosts: Vec::new() })
    }

    /// Holds it to some hosts.
    #[must_use]
    pub fn on(mut self, hosts: Vec<String>) -> Route {
        self.hosts = hosts;
        self
    }

    /// Says whether it is one of a host; `*.` at the start of either stands for all that lies below.
    #[must_use]
    pub fn is_for(&self, host: &str) -> bool {
        let below = |wild: &str, host: &str| {
            wild.strip_prefix('*').is_some_and(|end| {
                end.starts_with('.') && host.to_ascii_lowercase().ends_with(&end.to_ascii_lowercase())
            })
        };
        let is = |known: &String| known.eq_ignore_ascii_case(host) || below(known, host) || below(host, known);
        self.hosts.is_empty() || self.hosts.iter().any(is)
    }

    /// Says whether its links are meant to stay on the web.
    #[must_use]
    pub fn stays_on_the_web(&self) -> bool {
        self.opens == BROWSER
    }

    /// Holds the decoded segments of a link against the route.
    #[must_use]
    pub fn meets(&self, segments: &[String]) -> Option<Vec<(String, String)>> {
        let mut with = Vec::new();
        let mut left = segments.iter();
        for wanted in &self.segments {
            match wanted {
                Segment::Fixed(text) => {
                    left.next().filter(|segment| *segment == text)?;
                }
                Segment::Part { name, kind: PartType::Rest } => {
                    let rest: Vec<&str> = left.by_ref().map(String::as_str).collect();
                    let rest = rest.join("/");
                    if !PartType::Rest.takes(&rest) {
                        return None;
                    }
                    with.push((name.clone(), rest));
                }
                Segment::Part { name, kind } => {
                    let segment = left.next().filter(|segment| kind.takes(segment))?;
                    with.push((name.clone(), segment.clone()));
                }
            }
        }
        left.next().is_none().then_some(with)
    }

    /// Returns a link of a host that meets the route; `None` where the host is none that a link can have.
    #[must_use]
    pub fn on_host(&self, host: &str) -> Option<Link> {
        Link::parse(&format!("https://{}{}", host.replacen("*.", "any.", 1), self.example())).ok()
    }

    /// Returns the path with an example in the place of each part.
    #[must_use]
    pub fn example(&self) -> String {
        let parts = self.segments.iter().map(|segment| match segment {
            Segment::Fixed(text) => text.as_str(),
            Segment::Part { kind, .. } => kind.example(),
        });
        format!("/{}", parts.collect::<Vec<_>>().join("/"))
    }

    /// Returns the pattern of the path in iOS's association file: what stands for a part takes one character at least.
    #[must_use]
    pub fn component(&self) -> String {
        let parts = self.segments.iter().map(|segment| match segment {
            Segment::Fixed(text) => text.as_str(),
            Segment::Part { .. } => "?*",
        });
        format!("/{}", parts.collect::<Vec<_>>().join("/"))
    }

    /// Returns the fixed start of the path, which an intent filter can be held to, and whether that is the whole.
    #[must_use]
    pub fn fixed_start(&self) -> (String, bool) {
        let fixed = self.segments.iter().map_while(|segment| match segment {
            Segment::Fixed(text) => Some(text.as_str()),
            Segment::Part { .. } => None,
        });
        let parts: Vec<_> = fixed.collect();
        let whole = parts.len() == self.segments.len();
        let start = format!("/{}", parts.join("/"));
        (if whole || parts.is_empty() { start } else { format!("{start}/") }, whole)
    }
}

/// Returns the first route that a link meets. Of a link with a scheme of the app's own, the host is the first segment.
#[must_use]
pub fn met<'r>(routes: &'r [Route], link: &Link) -> Option<Met<'r>> {
    let uri = link.uri();
    let segments = uri.route_segments();
    let host = uri.host().unwrap_or_default();
    let mut of_host = routes.iter().filter(|route| !uri.is_web() || route.is_for(&host));
    of_host.find_map(|route| Some(Met { route, with: route.meets(&segments)? }))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn with(path: &str, url: &str) -> Option<Vec<(String, String)>> {
        let routes = [Route::parse(path, "Page").unwrap()];
        met(&routes, &Link::parse(url).unwrap()).map(|met| met.with)
    }

    fn one(name: &str, value: &str) -> Option<Vec<(String, String)>> {
        Some(vec![(name.to_owned(), value.to_owned())])
    }

    #[test]
    fn parts_have_types() {
        assert_eq!(with("/site/{site:int}", "https://marram.example/site/42"), one("site", "42"));
        assert_eq!(with("/site/{site:int}", "https://marram.example/site/42/"), one("site", "42"));
        assert_eq!(with("/site/{site:int}", "https://marram.example/site/new"), None);
        assert_eq!(with("/site/{site:int}", "https://marram.example/site/42/edit"), None);
        assert_eq!(with("/day/{day:date}", "https://marram.example/day/2026-05-31"), one("day", "2026-05-31"));
        assert_eq!(with("/day/{day:date}", "https://marram.example/day/2026-13-31"), None);
        assert_eq!(with("/r/{ring:text}", "https://marram.example/r/a%20b"), one("ring", "a b"));
        assert_eq!(with("/help/{page:rest}", "https://marram.example/help/a/b"), one("page", "a/b"));
        assert_eq!(with("/help/{page:rest}", "https://marram.example/help"), None);
        assert_eq!(with("/", "https://marram.example"), Some(Vec::new()));
    }

    #[test]
    fn the_host_of_an_own_scheme_is_the_first_segment() {
        assert_eq!(with("/site/{site:int}", "marram://site/42"), one("site", "42"));
        assert_eq!(with("/site/{site:int}", "marram:///site/42"), one("site", "42"));
    }

    #[test]
    fn a_route_may_be_held_to_hosts() {
        let routes = [Route::parse("/day/{day}", "Day").unwrap().on(vec!["log.marram.example".to_owned()])];
        let meets = |url: &str| met(&routes, &Link::parse(url).unwrap()).is_some();
        assert!(meets("https://log.marram.example/day/1") && meets("marram://day/1"));
        assert!(!meets("https://marram.example/day/1"));
        assert!(routes[0].is_for("*.marram.example") && !routes[0].is_for("*.knot.example"));
    }

    #[test]
    fn what_is_no_route_is_refused() {
        let refused = |path: &str| Route::parse(path, "Page").unwrap_err();
        assert!(refused("site").contains("must start with /"));
        assert!(refused("/site/*").contains("wildcards"));
        assert!(refused("/site/{site:number}").contains("there are `text`, `int`, `date`, `uuid` and `rest`"));
        assert!(refused("/{a:rest}/b").contains("must be the last"));
        assert!(refused("/{a}/{a}").contains("is declared twice"));
        assert!(refused("/x{a}").contains("whole segment"));
    }

    #[test]
    fn routes_become_patterns_of_both_platforms() {
        let route = Route::parse("/site/{site:int}/ring/{ring}", "Page").unwrap();
        assert_eq!(
            (route.component(), route.example()),
            ("/site/?*/ring/?*".to_owned(), "/site/42/ring/text".to_owned())
        );
        assert_eq!(route.fixed_start(), ("/site/".to_owned(), false));
        assert_eq!(Route::parse("/press", "browser").unwrap().fixed_start(), ("/press".to_owned(), true));
    }
}
