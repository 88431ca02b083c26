//! What an Android device does with a link, by its level.
//!
//! Sources: "Verify app links", "Intents and intent filters" and "`<activity>`" in the platform's guides, and the behaviour of the platform at each level.

mod read;
mod taking;
mod words;

pub use taking::Taking;

use std::collections::HashSet;

use elvask_platform::{Behaviour, Confidence};
use elvask_project::filters::{BROWSABLE, DEFAULT, Entry, FilterSpec, VIEW};
use elvask_project::source::{Place, Sources};
use words::{delivery, paths, shown_as, what_fits};

use crate::association::android::AssetLinks;
use crate::association::{Document, Served, Website, is_plain_host, looked_up_at};
use crate::attempt::{Attempt, Hit, Outcome};
use crate::filter::{Authority, Filter, FilterError, Intent, Mismatch};
use crate::index::FilterSet;
use crate::url::{Link, Uri};

/// Why the file of a host does not let the app open its links.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unverified {
    /// The reason, in a sentence without a full stop.
    pub why: String,
    /// How sure it is that devices see it so.
    pub sure: Confidence,
}

impl Unverified {
    fn of(why: impl Into<String>) -> Unverified {
        Unverified { why: why.into(), sure: Confidence::High }
    }
}

/// How an activity is started when there is one already.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LaunchMode {
    /// Each start makes a new one.
    Standard,
    /// The one on top takes it, else a new one is made.
    SingleTop,
    /// The living one takes it.
    SingleTask,
    /// The living one takes it, and it is alone in its task.
    SingleInstance,
    /// The living one of the task takes it.
    SingleInstancePerTask,
}

impl LaunchMode {
    /// Reads the attribute as devices of a level do.
    #[must_use]
    pub fn read(value: Option<&str>, level: u32) -> LaunchMode {
        match value.unwrap_or("standard") {
            "singleTop" | "1" => LaunchMode::SingleTop,
            "singleTask" | "2" => LaunchMode::SingleTask,
            "singleInstance" | "3" => LaunchMode::SingleInstance,
            "singleInstancePerTask" | "4" if level >= Behaviour::LaunchPerTask.since() => {
                LaunchMode::SingleInstancePerTask
            }
            _ => LaunchMode::Standard,
        }
    }

    /// Returns the word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            LaunchMode::Standard => "standard",
            LaunchMode::SingleTop => "singleTop",
            LaunchMode::SingleTask => "singleTask",
            LaunchMode::SingleInstance => "singleInstance",
            LaunchMode::SingleInstancePerTask => "singleInstancePerTask",
        }
    }
}

/// All of an app that links can start on Android.
#[derive(Debug, Clone, Default)]
pub struct AndroidLinks {
    /// The application id.
    pub id: Option<String>,
    /// The lowest level that the app runs on.
    pub min_level: Option<u32>,
    /// The level that the app is built for.
    pub target_level: u32,
    /// Activities and aliases, in the order of the manifest.
    pub entries: Vec<Entry>,
    /// Components that have a filter and do not say whether others may reach them.
    pub unstated: Vec<(String, Place)>,
    /// References in the data of filters that could not be followed.
    pub unresolved: Vec<(String, Place)>,
    /// SHA-256 of the certificates that sign the app.
    pub fingerprints: Vec<String>,
}

/// Whether a host is verified for the app.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verification {
    /// The app does not ask for it on such a device.
    NotAsked {
        /// Why not, in a sentence without a full stop.
        why: String,
    },
    /// The app asks for it; without a website nobody can tell more.
    Unknown,
    /// It is.
    Verified {
        /// Where the file was found.
        at: String,
    },
    /// It is not.
    Failed {
        /// Why, in a sentence without a full stop.
        why: String,
    },
}

impl AndroidLinks {
    /// Goes through the filters that take links, with their entries.
    pub fn link_filters(&self) -> impl Iterator<Item = (&Entry, &FilterSpec)> {
        self.entries
            .iter()
            .flat_map(|entry| entry.filters.iter().filter(|filter| filter.is_link()).map(move |filter| (entry, filter)))
    }

    /// Returns why devices of a level do not take the app at all.
    #[must_use]
    pub fn refusal(&self, level: u32) -> Option<(String, Option<Place>)> {
        if let Some(min) = self.min_level.filter(|min| *min > level) {
            return Some((format!("the app runs on level {min} and up, so it is not on the device"), None));
        }
        if level >= Behaviour::LinksStrict.since()
            && self.target_level >= Behaviour::LinksStrict.since()
            && let Some((name, place)) = self.unstated.first()
        {
            let why = format!(
                "{name} has an intent filter and does not say android:exported, so the app cannot be installed"
            );
            return Some((why, Some(*place)));
        }
        let filters = self.entries.iter().flat_map(|entry| &entry.filters);
        let refused: Option<FilterError> = filters.filter_map(|spec| Filter::at_level(spec, level).err()).next();
        refused.map(|error| (format!("{error}, so the app cannot be installed"), Some(error.place())))
    }

    /// Says whether others can start an entry, and why not.
    #[must_use]
    pub fn closed(&self, entry: &Entry) -> Option<String> {
        if !entry.enabled {
            return Some("is disabled".to_owned());
        }
        if !entry.has_target {
            return Some(format!(
                "is an alias of {}, which is not declared",
                entry.target.as_deref().unwrap_or_default()
            ));
        }
        // What says nothing is open as soon as it has a filter.
        if !entry.exported.unwrap_or(!entry.filters.is_empty()) {
            return Some("is closed to other apps: android:exported is false".to_owned());
        }
        entry.permission.as_ref().map(|permission| format!("can be started only by apps with {permission}"))
    }

    /// Returns the hosts that devices of a level look up for the app, with the filter that names each.
    #[must_use]
    pub fn asked_hosts(&self, level: u32) -> Vec<(&str, &FilterSpec)> {
        if level < Behaviour::LinksVerified.since() {
            return Vec::new();
        }
        let strict = level >= Behaviour::LinksStrict.since() && self.target_level >= Behaviour::LinksStrict.since();
        let all = || {
            self.entries
                .iter()
                .flat_map(|entry| &entry.filters)
                .filter(|filter| filter.is_web() && filter.has_category(BROWSABLE))
        };
        let asks = |filter: &&FilterSpec| {
            filter.auto_verify && filter.is_web_only() && (!strict || filter.has_category(DEFAULT))
        };
        let counted: Vec<&FilterSpec> = if strict {
            all().filter(asks).collect()
        } else if all().any(|filter| asks(&filter)) {
            // Older devices look up the hosts of all web filters as soon as one filter asks.
            all().collect()
        } else {
            Vec::new()
        };
        let mut seen: HashSet<&str> = HashSet::new();
        let all = counted.into_iter().flat_map(|filter| filter.hosts().into_iter().map(move |host| (host, filter)));
        all.filter(|(host, _)| seen.insert(host)).collect()
    }

    /// Tells whether devices of a level hold a host for verified.
    #[must_use]
    pub fn verification(&self, host: &str, level: u32, site: Option<&dyn Website>) -> Verification {
        let not = |why: &str| Verification::NotAsked { why: why.to_owned() };
        if level < Behaviour::LinksVerified.since() {
            return not("devices below level 23 verify nothing");
        }
        let asked = self.asked_hosts(level);
        let covers = |declared: &str| Authority::new(declared, None).takes_host(host);
        if !asked.iter().any(|(declared, _)| covers(declared)) {
            return not(
                "no filter asks for verification (android:autoVerify with VIEW, DEFAULT, BROWSABLE and only web schemes)",
            );
        }
        let Some(site) = site else { return Verification::Unknown };
        if level >= Behaviour::LinksStrict.since() {
            let mut failed = None;
            for (declared, _) in asked.iter().filter(|(declared, _)| covers(declared)) {
                match self.verified_by(looked_up_at(declared), site) {
                    Ok(at) => return Verification::Verified { at },
                    Err(failure) => failed = Some(failure.why),
                }
            }
            return Verification::Failed { why: failed.unwrap_or_default() };
        }
        // Up to level 30, one host that fails leaves all unverified.
        let mut last = String::new();
        for (declared, _) in &asked {
            match self.verified_by(looked_up_at(declared), site) {
                Ok(at) if covers(declared) => last = at,
                Ok(_) => {}
                Err(failure) if covers(declared) => return Verification::Failed { why: failure.why },
                Err(failure) => {
                    return Verification::Failed {
                        why: format!("up to level 30 one host that fails leaves all unverified: {}", failure.why),
                    };
                }
            }
        }
        Verification::Verified { at: last }
    }

    /// Holds the file of a host against the app, and returns where it was found.
    ///
    /// # Errors
    /// Why it does not verify the app.
    pub fn verified_by(&self, host: &str, site: &dyn Website) -> Result<String, Unverified> {
        let package = self.id.as_deref().ok_or_else(|| Unverified::of("the application id is not known"))?;
        let mut wanted = host.to_owned();
        // A list may send on to another one, once.
        for hop in 0..2 {
            let answer = match site.ask(&wanted, Document::AssetLinks) {
                Served::File(answer) => answer,
                Served::Absent { at } => return Err(Unverified::of(format!("there is no {at}"))),
                Served::Failed { at, reason } => return Err(Unverified::of(format!("{at}: {reason}"))),
            };
            let checked = answer.text(Document::AssetLinks).and_then(AssetLinks::parse);
            let is_large = answer.body.len() > Document::AssetLinks.max_bytes();
            let links = checked.map_err(|why| Unverified {
                why: format!("{}: {why}", answer.at),
                sure: if is_large { Document::AssetLinks.size_confidence() } else { Confidence::High },
            })?;
            match links.verify(package, &self.fingerprints) {
                Ok(()) => return Ok(answer.at),
                Err(why) => {
                    let next = links.includes.iter().filter(|_| hop == 0).find_map(|include| {
                        let rest = include.strip_prefix("https://")?;
                        let host = rest.strip_suffix("/.well-known/assetlinks.json")?;
                        is_plain_host(host).then(|| host.to_owned())
                    });
                    match next {
                        Some(next) => wanted = next,
                        None => {
                            return Err(Unverified { sure: why.confidence(), why: format!("{}: {why}", answer.at) });
                        }
                    }
                }
            }
        }
        Err(Unverified::of("the list sends on more than once"))
    }

    /// Tells what a device of a level does with a link that another app opens.
    #[must_use]
    // In one piece: the rules of the system in its order, each of which may decide.
    pub fn open(&self, link: &Link, level: u32, site: Option<&dyn Website>, sources: &Sources) -> Attempt {
        let uri = link.uri();
        let web = uri.is_web();
        let otherwise = if web { Outcome::Browser } else { Outcome::Nothing };
        if let Some((why, place)) = self.refusal(level) {
            let at = place.map(|place| format!(" ({})", at(sources, place))).unwrap_or_default();
            return Attempt::without(otherwise, site.filter(|_| web).map(|_| false), format!("{why}{at}"));
        }
        let specs: Vec<(usize, &FilterSpec)> = self
            .entries
            .iter()
            .enumerate()
            .flat_map(|(at, entry)| entry.filters.iter().map(move |filter| (at, filter)))
            .collect();
        let filters: Vec<Filter> = specs.iter().filter_map(|(_, spec)| Filter::at_level(spec, level).ok()).collect();
        let set = FilterSet::new(filters);
        let mut matching = Vec::new();
        set.matching(&uri, &mut matching);
        let mut hits: Vec<(&Entry, &FilterSpec)> = Vec::new();
        let mut closed = None;
        for (at, spec) in matching.into_iter().filter_map(|at| specs.get(at)) {
            let Some(entry) = self.entries.get(*at) else { continue };
            match self.closed(entry) {
                Some(why) => {
                    closed.get_or_insert((entry, spec, why));
                }
                // A component is offered once, however many of its filters fit.
                None if hits.iter().any(|(known, _)| known.component == entry.component) => {}
                None => hits.push((entry, spec)),
            }
        }
        // A priority above zero is cut off for apps that are installed.
        let best = hits.iter().map(|(_, spec)| spec.priority.min(0)).max().unwrap_or(0);
        hits.retain(|(_, spec)| spec.priority.min(0) == best);
        let verification = web.then(|| self.verification(uri.host().as_deref().unwrap_or_default(), level, site));
        let verified = match &verification {
            None => None,
            Some(Verification::Verified { .. }) => Some(true),
            Some(Verification::Unknown) => None,
            Some(_) => site.map(|_| false),
        };
        let Some((first, spec)) = hits.first() else {
            let because = match closed {
                Some((entry, spec, why)) => format!(
                    "the filter at {} takes the link, but {} {why}",
                    at(sources, spec.place.unwrap_or(entry.place)),
                    short(&entry.component)
                ),
                None => self.nearest_miss(&uri, level, &specs, sources),
            };
            return Attempt::without(otherwise, verified, because);
        };
        let taken = format!(
            "the filter at {} takes the link ({})",
            at(sources, spec.place.unwrap_or(first.place)),
            what_fits(spec, &uri, level)
        );
        let names = || hits.iter().map(|(entry, _)| shown_as(entry)).collect::<Vec<_>>();
        let (outcome, because) = match &verification {
            _ if !web && hits.len() > 1 => {
                (Outcome::Chooser, format!("{taken}, and so do others: a chooser shows {}", names().join(" and ")))
            }
            None => (Outcome::App, taken),
            Some(Verification::Verified { .. } | Verification::Unknown) if hits.len() > 1 => (
                Outcome::Chooser,
                format!("{taken}, and so do others of the same app: a chooser shows {}", names().join(" and ")),
            ),
            Some(Verification::Verified { at }) => (Outcome::App, format!("{taken}, and {at} verifies the host")),
            Some(Verification::Unknown) => (
                Outcome::App,
                format!(
                    "{taken}, and asks for the host to be verified; whether the website does so is not known without --site"
                ),
            ),
            Some(Verification::NotAsked { why } | Verification::Failed { why }) => {
                if level >= Behaviour::LinksStrict.since() {
                    (
                        Outcome::Browser,
                        format!(
                            "{taken}, but the host is not verified: {why}. From level 31 on, such a link opens the browser without a question"
                        ),
                    )
                } else {
                    let names = names().join(", ");
                    (
                        Outcome::Chooser,
                        format!(
                            "{taken}, and the host is not verified: {why}. Up to level 30 a chooser shows {names} and the browser"
                        ),
                    )
                }
            }
        };
        if outcome == Outcome::Browser {
            return Attempt::without(outcome, verified, because);
        }
        let shown = hits
            .iter()
            .map(|(entry, spec)| Hit {
                component: Some(entry.component.clone()),
                place: spec.place.unwrap_or(entry.place),
            })
            .collect();
        let mut choices = names();
        if web && !matches!(verification, Some(Verification::Verified { .. } | Verification::Unknown)) {
            choices.push("the browser".to_owned());
        }
        let mut attempt = Attempt {
            outcome,
            entries: shown,
            verified,
            because,
            delivery: Some(delivery(first, level)),
            choices: if outcome == Outcome::Chooser { choices } else { Vec::new() },
            notes: Vec::new(),
        };
        if !web {
            attempt.notes.push("any other app may declare the same scheme; a chooser shows both then".to_owned());
        }
        if LaunchMode::read(first.launch_mode.as_deref(), level) == LaunchMode::Standard {
            attempt.notes.push(format!(
                "{} has the launch mode standard: while the app runs, each link opens one more copy of it",
                short(&first.component)
            ));
        }
        attempt
    }

    /// Says what keeps the filter that comes nearest from taking a link.
    fn nearest_miss(&self, uri: &Uri<'_>, level: u32, specs: &[(usize, &FilterSpec)], sources: &Sources) -> String {
        let intent = Intent::link(uri);
        let misses = specs.iter().filter(|(_, spec)| spec.is_link()).filter_map(|(at, spec)| {
            let miss = Filter::at_level(spec, level).ok()?.matches(&intent).err()?;
            Some((miss, self.entries.get(*at)?, *spec))
        });
        let Some((miss, entry, spec)) = misses.max_by_key(|(miss, _, _)| *miss) else {
            // A filter that is not a link filter may be meant as one.
            return match specs
                .iter()
                .find(|(_, spec)| spec.values("scheme").any(|scheme| scheme == uri.scheme) && !spec.has_action(VIEW))
            {
                Some((_, spec)) => format!(
                    "the filter{} names the scheme and lacks the action {VIEW}",
                    spec.place.map(|place| format!(" at {}", at(sources, place))).unwrap_or_default()
                ),
                None => "no activity has a filter for links".to_owned(),
            };
        };
        if !miss.is_near() && miss != Mismatch::Host {
            return format!("no filter takes the scheme {}", uri.scheme);
        }
        let place = at(sources, spec.place.unwrap_or(entry.place));
        let name = short(&entry.component);
        let host = uri.host().unwrap_or_default();
        let reason = match miss {
            Mismatch::Host => format!("has other hosts than {host}: {}", spec.hosts().join(", ")),
            Mismatch::Port => format!(
                "wants the port to be written in the link, and {} is",
                uri.port().map_or("none".to_owned(), |port| port.to_string())
            ),
            Mismatch::Path => {
                format!(
                    "has other paths than {}: {}",
                    uri.path.unwrap_or_default(),
                    paths(spec, level).map(|(_, name, value)| format!("{name} {value}")).collect::<Vec<_>>().join(", ")
                )
            }
            Mismatch::Group => "has a group that keeps the link out, or none that lets it in".to_owned(),
            Mismatch::Specific => "has other texts behind the scheme".to_owned(),
            Mismatch::Type => {
                "wants a type of data beside the link, and links have none: remove android:mimeType from it".to_owned()
            }
            Mismatch::Category => {
                let lacking: Vec<_> =
                    [DEFAULT, BROWSABLE].into_iter().filter(|category| !spec.has_category(category)).collect();
                format!("lacks {}", lacking.join(" and "))
            }
            _ => "does not fit".to_owned(),
        };
        format!("no filter takes the link; the nearest, that of {name} at {place}, {reason}")
    }

    /// Returns the entries that content of a type can be shared with.
    #[must_use]
    pub fn share(&self, action: &str, mime: &str, level: u32) -> Vec<(&Entry, &FilterSpec)> {
        let intent = Intent::share(action, mime);
        let open = self.entries.iter().filter(|entry| self.closed(entry).is_none());
        open.flat_map(|entry| entry.filters.iter().map(move |filter| (entry, filter)))
            .filter(|(_, spec)| Filter::at_level(spec, level).is_ok_and(|filter| filter.matches(&intent).is_ok()))
            .collect()
    }
}

/// Says where something stands, as people write it.
pub(super) fn at(sources: &Sources, place: Place) -> String {
    format!("{}:{}", sources.file(place.file).shown, sources.position(place).line)
}

/// Returns the last part of a class name.
pub(super) fn short(class: &str) -> &str {
    class.rsplit('.').next().unwrap_or(class)
}
