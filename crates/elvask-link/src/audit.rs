//! The audit of a website: whether its two files let the app's links through on every device.

use std::collections::{HashMap, HashSet};

use elvask_platform::release::newest_level;
use elvask_platform::{Level, LinkFact};
use serde::Serialize;

use crate::android::{AndroidLinks, Taking};
use crate::app::AppLinks;
use crate::association::android::AssetLinks;
use crate::association::apple::{AppleAssociation, Decision};
use crate::association::{Answer, Document, Served, Website, is_plain_host, looked_up_at};
use crate::device::newest_version;
use crate::ios;
use crate::route::Route;
use crate::url::Link;

/// A slow answer, in milliseconds: Android's own verifier gives up after some five seconds.
const SLOW: u64 = 5_000;

/// One thing that was looked at.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Checked {
    /// What was looked at, in a few words.
    pub what: &'static str,
    /// How bad it is; `None` where all is well.
    pub level: Option<Level>,
    /// What is wrong, in a sentence without a full stop; what was found, where all is well.
    pub message: String,
    /// What mends it, in a sentence; empty where nothing has to be done.
    pub remedy: String,
}

/// What one file of one host comes to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Audited {
    /// The host that is asked.
    pub host: String,
    /// The hosts as the app declares them, which are looked up there.
    pub declared: Vec<String>,
    /// The file.
    pub document: Document,
    /// Where it was looked for: a path or an address.
    pub at: String,
    /// All that was looked at, in the order in which devices do.
    pub checks: Vec<Checked>,
}

impl Audited {
    fn new(host: &str, declared: Vec<String>, document: Document) -> Self {
        Audited { host: host.to_owned(), declared, document, at: String::new(), checks: Vec::new() }
    }

    /// Returns the worst that was found.
    #[must_use]
    pub fn worst(&self) -> Option<Level> {
        self.checks.iter().filter_map(|check| check.level).max()
    }

    fn good(&mut self, what: &'static str, message: impl Into<String>) {
        self.checks.push(Checked { what, level: None, message: message.into(), remedy: String::new() });
    }

    fn bad(&mut self, what: &'static str, level: Level, message: impl Into<String>, remedy: impl Into<String>) {
        self.checks.push(Checked { what, level: Some(level), message: message.into(), remedy: remedy.into() });
    }
}

/// A host that one side names and the other does not.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OneSided {
    /// The host.
    pub host: String,
    /// What is wrong, in a sentence without a full stop.
    pub message: String,
    /// How bad it is.
    pub level: Level,
}

/// What an audit comes to.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Audit {
    /// The files, by host.
    pub files: Vec<Audited>,
    /// Hosts of which one side alone knows.
    pub one_sided: Vec<OneSided>,
}

impl Audit {
    /// Returns the worst that was found.
    #[must_use]
    pub fn worst(&self) -> Option<Level> {
        self.files.iter().filter_map(Audited::worst).chain(self.one_sided.iter().map(|one| one.level)).max()
    }
}

/// Audits a website. `served` are the hosts that it is known to serve, where that can be told.
#[must_use]
pub fn audit(links: &AppLinks, routes: &[Route], site: &dyn Website, served: &[String]) -> Audit {
    let mut audit = Audit::default();
    if let (Some(android), Some(taking)) = (links.first_android(), links.taking()) {
        let asked: HashSet<String> =
            android.asked_hosts(newest_level()).iter().map(|(host, _)| host.to_ascii_lowercase()).collect();
        for (host, declared) in by_place(taking.hosts()) {
            audit.files.push(asset_links((links, android, &taking), &asked, (&host, declared), routes, site));
        }
    }
    if let Some(ios) = &links.ios {
        let domains: Vec<&str> = links.ios_hosts().collect();
        for (host, declared) in by_place(&domains) {
            audit.files.push(apple(links, ios, &host, declared, routes, site));
        }
    }
    audit.files.sort_by(|one, other| one.host.cmp(&other.host));
    let declared = links.hosts();
    for host in served {
        let covered = declared.iter().any(|known| looked_up_at(known) == host);
        if !covered {
            audit.one_sided.push(OneSided {
                host: host.clone(),
                message: "the site serves association files for it, and the app declares no links of it".to_owned(),
                level: Level::Warning,
            });
        }
    }
    audit
}

/// Groups hosts by the one at which they are looked up.
fn by_place(hosts: &[&str]) -> Vec<(String, Vec<String>)> {
    let mut out: Vec<(String, Vec<String>)> = Vec::new();
    let mut places: HashMap<String, usize> = HashMap::new();
    for host in hosts.iter().filter(|host| is_plain_host(&host.to_ascii_lowercase())) {
        let place = looked_up_at(host).to_ascii_lowercase();
        let at = *places.entry(place.clone()).or_insert(out.len());
        match out.get_mut(at) {
            Some((_, declared)) if declared.iter().any(|known| known == host) => {}
            Some((_, declared)) => declared.push((*host).to_owned()),
            None => out.push((place, vec![(*host).to_owned()])),
        }
    }
    out
}

/// Looks at what holds for both files: that it is there, and how it is handed out. Returns its text.
fn fetch(out: &mut Audited, site: &dyn Website) -> Option<String> {
    let document = out.document;
    let answer = match site.ask(&out.host, document) {
        Served::File(answer) => answer,
        Served::Absent { at } => {
            out.at.clone_from(&at);
            out.bad("file", Level::Error, format!("there is no {at}"), "`elvask link files` writes it.");
            return None;
        }
        Served::Failed { at, reason } => {
            out.at = at;
            out.bad(
                "answer",
                Level::Error,
                reason,
                "The site must answer devices without a login, with a valid certificate, within five seconds.",
            );
            return None;
        }
    };
    out.at.clone_from(&answer.at);
    for wildcard in out.declared.clone().iter().filter(|declared| declared.starts_with("*.")) {
        out.good("wildcard", format!("{wildcard} is looked up here"));
    }
    let ok = transport(out, &answer);
    if !ok {
        return None;
    }
    match std::str::from_utf8(&answer.body) {
        Ok(text) => Some(text.to_owned()),
        Err(_) => {
            out.bad("encoding", Level::Error, "the file is not UTF-8", "Save it as UTF-8.");
            None
        }
    }
}

fn transport(out: &mut Audited, answer: &Answer) -> bool {
    if let Some(location) = &answer.location {
        let status = answer.status.map_or(String::new(), |status| format!(" ({status})"));
        out.bad(
            "redirect",
            Level::Error,
            format!("the answer sends the client on to {location}{status}; neither platform follows"),
            "Serve the file at its own address, without a redirect: also none from http to https, or to another host.",
        );
        return false;
    }
    if let Some(status) = answer.status {
        if status != 200 {
            let remedy = match status {
                401 | 403 => "The file must be reachable without a login and from everywhere.",
                404 | 410 => "Put the file there; `elvask link files` writes it.",
                _ => "The status must be 200.",
            };
            out.bad("status", Level::Error, format!("the status is {status}"), remedy);
            return false;
        }
        out.good("status", "200, no redirect");
    }
    if answer.status.is_some() {
        let kind = answer.content_type.as_deref().map(|kind| kind.split(';').next().unwrap_or_default().trim());
        match kind {
            Some(kind) if kind.eq_ignore_ascii_case("application/json") => out.good("content type", "application/json"),
            found => {
                let named =
                    found.map_or("no content type is named".to_owned(), |kind| format!("the content type is {kind}"));
                // iOS's loader has put up with other types for years; Android's verifier has not.
                let level = if out.document == Document::AssetLinks { Level::Error } else { Level::Warning };
                out.bad(
                    "content type",
                    level,
                    named,
                    "Serve the file as application/json; for a file without an ending, the server has to be told.",
                );
            }
        }
    }
    let (size, most) = (answer.body.len(), out.document.max_bytes());
    if size > most {
        out.bad(
            "size",
            out.document.size_confidence().caps(Level::Error),
            format!("the file has more than the {} KB that devices read", most / 1024),
            "Shorten it: fewer rules with wildcards, no comments.",
        );
        return false;
    }
    out.good("size", format!("{size} bytes of at most {most}"));
    if let Some(took) = answer.milliseconds.filter(|took| *took > SLOW) {
        out.bad(
            "time",
            LinkFact::LinksTime.confidence().caps(Level::Warning),
            format!(
                "the answer took {:.1} seconds; Android's verifier gives up after about five",
                took as f64 / 1000.0
            ),
            "Serve the file from a cache.",
        );
    }
    true
}

// In one piece: what is looked at in a file, in the order in which it is told.
fn asset_links(
    (links, android, taking): (&AppLinks, &AndroidLinks, &Taking<'_>),
    asked: &HashSet<String>,
    (host, declared): (&str, Vec<String>),
    routes: &[Route],
    site: &dyn Website,
) -> Audited {
    let mut out = Audited::new(host, declared, Document::AssetLinks);
    let Some(text) = fetch(&mut out, site) else { return out };
    let file = match AssetLinks::parse(&text) {
        Ok(file) => file,
        Err(why) => {
            out.bad(
                "form",
                Level::Error,
                why,
                "The file is strict JSON: an array of statements, no comments, no comma at the end.",
            );
            return out;
        }
    };
    out.good("form", format!("{} about apps", count(file.statements.len(), "statement")));
    // Each flavor is an app of its own.
    let mut seen: Vec<&str> = Vec::new();
    for (_, variant) in &links.android {
        let Some(package) = variant.id.as_deref() else {
            out.bad(
                "app id",
                Level::Error,
                "the application id is not known",
                "Add `android-id` to [app] in elvask.toml.",
            );
            continue;
        };
        if seen.contains(&package) {
            continue;
        }
        seen.push(package);
        match file.verify(package, &variant.fingerprints) {
            Ok(()) if variant.fingerprints.is_empty() => out.bad(
                "fingerprint",
                Level::Note,
                format!("{package} is listed with a fingerprint that has the right form; whether it is the app's is not known"),
                "Add `fingerprints` to [links] in elvask.toml: `elvask fingerprint KEYSTORE` prints the line.",
            ),
            Ok(()) => out.good("app id and fingerprint", format!("{package} with a certificate of the app")),
            Err(why) => match android.verified_by(host, site) {
                Ok(at) => out.good("app id and fingerprint", format!("{package}, by way of {at}")),
                Err(_) => out.bad("app id and fingerprint", why.confidence().caps(Level::Error), why.to_string(), "`elvask link files` adds what is missing; with signing by the store, it is the store's certificate that counts."),
            },
        }
        let listed = file.statements.iter().filter(|one| one.package == package).flat_map(|one| &one.fingerprints);
        for print in listed.filter(|print| !crate::association::android::is_fingerprint(print)) {
            let short: String = print.chars().take(14).collect();
            let why = match print.split(':').count() {
                20 => "is a SHA-1 fingerprint; a SHA-256 is wanted, 32 pairs of hex digits in capitals",
                _ => "is not written as 32 pairs of hex digits in capitals, so it does not count",
            };
            out.bad(
                "fingerprint",
                Level::Warning,
                format!("{short}… {why}"),
                "`elvask fingerprint` prints it in the right form.",
            );
        }
    }
    for one in out.declared.clone().iter().filter(|one| !asked.contains(&one.to_ascii_lowercase())) {
        let message = format!(
            "no filter of the app asks for {one} to be verified, so its links open the browser whatever the file says"
        );
        out.bad("verification", Level::Error, message, "`elvask check` says what the filter lacks.");
    }
    // The file says nothing of paths: those stand in the filters.
    for route in routes.iter().filter(|route| route.is_for(host)) {
        let Some(link) = route.on_host(host) else { continue };
        match (taking.takes(&link), route.stays_on_the_web()) {
            (true, false) => out.good("route", format!("{} is taken by a filter of the app", route.path)),
            (false, true) => {
                out.good("route", format!("{} is taken by no filter, so it stays in the browser", route.path));
            }
            (false, false) if taking.means_elsewhere(route, host) => {
                out.good("route", format!("{} is taken on another host", route.path));
            }
            (false, false) => {
                let message = format!("{} is taken by no filter of the app", route.path);
                out.bad("route", Level::Error, message, "`elvask fill` adds a filter for it.");
            }
            (true, true) => {
                let message =
                    format!("{} is meant to stay in the browser, and a filter of the app takes it", route.path);
                out.bad(
                    "route",
                    Level::Error,
                    message,
                    "Limit the filter to the paths that the app knows, with android:pathPrefix.",
                );
            }
        }
    }
    out
}

// In one piece: what is looked at in a file, in the order in which it is told.
fn apple(
    all: &AppLinks,
    links: &ios::IosLinks,
    host: &str,
    declared: Vec<String>,
    routes: &[Route],
    site: &dyn Website,
) -> Audited {
    let mut out = Audited::new(host, declared, Document::AppleAssociation);
    let Some(text) = fetch(&mut out, site) else { return out };
    let file = match AppleAssociation::parse(&text) {
        Ok(file) => file,
        Err(why) => {
            out.bad(
                "form",
                Level::Error,
                why,
                "The file is strict JSON: an object with applinks, no comments, no comma at the end.",
            );
            return out;
        }
    };
    out.good("form", count(file.details.len(), "entry"));
    for doubt in &file.doubts {
        out.bad("form", doubt.sure.caps(Level::Warning), doubt.message.clone(), "Correct it, or remove it.");
    }
    let Some(id) = links.id() else {
        out.bad("app id", Level::Error, "the bundle id is not known", "Add `ios-id` to [app] in elvask.toml.");
        return out;
    };
    let listed = file.details.iter().flat_map(|detail| &detail.apps).find(|app| id.is(app));
    let Some(listed) = listed else {
        let all: Vec<_> = file.details.iter().flat_map(|detail| detail.apps.iter().map(String::as_str)).collect();
        let wanted = id.whole().unwrap_or_else(|| format!("TEAM.{}", id.bundle));
        let there = if all.is_empty() { "no app".to_owned() } else { all.join(", ") };
        out.bad(
            "app id",
            Level::Error,
            format!("{wanted} is not listed; the file lists {there}"),
            "`elvask link files` adds it.",
        );
        return out;
    };
    match id.team {
        Some(_) => out.good("app id", listed.clone()),
        None => out.bad(
            "app id",
            Level::Note,
            format!("{listed} is listed; whether the team is the right one is not known"),
            "Add `ios-team` to [app] in elvask.toml.",
        ),
    }
    for idle in file.idle_rules(&id) {
        out.bad("rules", Level::Warning, idle.message(), "Put the narrower rule before the wider one.");
    }
    let version = newest_version();
    for route in routes.iter().filter(|route| route.is_for(host)) {
        let Some(link) = route.on_host(host) else { continue };
        let decision = file.decide(&id, &link.uri(), &version);
        let opens = matches!(decision, Decision::Opens { .. });
        let rule = match &decision {
            Decision::Opens { rule } | Decision::Excluded { rule } => format!("the rule {rule}"),
            _ => "no rule".to_owned(),
        };
        match (opens, route.stays_on_the_web()) {
            (true, false) => out.good("route", format!("{} is let through by {rule}", route.path)),
            (false, true) => out.good(
                "route",
                format!(
                    "{} stays in the browser: {rule}{}",
                    route.path,
                    if rule == "no rule" { " takes it" } else { "" }
                ),
            ),
            (false, false) if rule == "no rule" && all.is_let_through_elsewhere(route, host, site) => {
                out.good("route", format!("{} is let through on another host", route.path));
            }
            (false, false) => {
                let why = if rule == "no rule" {
                    "no rule takes it".to_owned()
                } else {
                    format!("{rule} keeps it in the browser")
                };
                out.bad(
                    "route",
                    Level::Error,
                    format!("{} does not open the app: {why}", route.path),
                    "`elvask link files` adds a rule for it.",
                );
            }
            (true, true) => out.bad(
                "route",
                Level::Error,
                format!("{} is meant to stay in the browser, and {rule} opens the app", route.path),
                "`elvask link files` puts an exclusion before it.",
            ),
        }
    }
    if let Some(min) = links.min_version.filter(|min| *min < version)
        && let Some(route) = routes.iter().find(|route| !route.stays_on_the_web() && route.is_for(host))
        && let Ok(link) = Link::parse(&format!("https://{host}{}", route.example()))
        && let Decision::TooNew { lacks } = file.decide(&id, &link.uri(), &min)
    {
        out.bad(
            "older systems",
            Level::Warning,
            format!("the app runs on iOS {min} and up: {lacks}"),
            "`elvask link files` writes both forms where the app still runs there.",
        );
    }
    out
}

fn count(number: usize, noun: &str) -> String {
    match (number, noun) {
        (1, noun) => format!("1 {noun}"),
        (number, "entry") => format!("{number} entries"),
        (number, noun) => format!("{number} {noun}s"),
    }
}
