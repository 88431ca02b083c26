//! `link-one-sided`: one platform takes links of a host or scheme, and the other does not.

use std::collections::HashSet;

use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::is_told_as_badly;
use crate::rules::support::links::{Sides, add_android_host, add_android_scheme, add_domain, add_url_scheme, sides};

/// See the module.
pub struct LinkOneSided;

static ABOUT: About = About {
    id: "link-one-sided",
    level: Level::Warning,
    platform: None,
    summary: "Reports a host or scheme of links that one platform of the app declares and the other does not.",
    effect: "The link opens the app on one platform, the browser or nothing on the other.",
    wrong: "<!-- AndroidManifest.xml -->\n<data android:scheme=\"https\" android:host=\"log.marram.example\" />\n<!-- the entitlements have no applinks:log.marram.example -->",
    right: "<!-- AndroidManifest.xml -->\n<data android:scheme=\"https\" android:host=\"log.marram.example\" />\n<!-- the entitlements -->\n<string>applinks:log.marram.example</string>",
    remedy: "`fill` declares it on the other platform too: a filter on the activity of the launcher, held to the routes of elvask.toml; an associated domain; a URL type.",
    source: "Verify app links; Supporting associated domains",
};

impl Rule for LinkOneSided {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        if context.links().android.is_empty() || context.links().ios.is_none() {
            return;
        }
        let all = sides(context, context.links());
        let covers = [Platform::Android, Platform::Ios].map(|platform| Covers::of(&all, platform));
        for one in &all {
            let (there, missing) = match (one.android, one.ios) {
                (Some(place), None) => (place, Platform::Ios),
                (None, Some(place)) => (place, Platform::Android),
                _ => continue,
            };
            // A domain with a wildcard takes what lies below it, and the other way round.
            let [android, ios] = &covers;
            let there_covers = if missing == Platform::Android { android } else { ios };
            let host_covered = one.is_host && there_covers.takes(&one.name);
            // What a plugin wants of one platform is that plugin's affair, and what it wants of the other is told already.
            let level = match one.named {
                Some(_) => Level::Error,
                // Ways back from somebody else's sign-in carry their names or numbers, and differ by platform.
                None if !one.is_host && is_way_back(&one.name) => Level::Note,
                None => Level::Warning,
            };
            let wanted = match (one.is_host, missing) {
                (true, Platform::Ios) => {
                    is_told_as_badly(context.needs.of(Kind::Domain, &format!("applinks:{}", one.name)), level)
                }
                (false, Platform::Ios) => is_told_as_badly(context.needs.of(Kind::UrlScheme, &one.name), level),
                // A scheme that a plugin wants on iOS alone is of no use on Android.
                (false, Platform::Android) => {
                    context.needs.groups(Kind::UrlScheme).any(|group| group.name.eq_ignore_ascii_case(&one.name))
                }
                _ => false,
            };
            let kept = !one.is_host && ios::reserved_scheme(&one.name).is_some();
            if host_covered || wanted || kept {
                continue;
            }
            let planned = match (one.is_host, missing) {
                (true, Platform::Ios) => add_domain(context, &format!("applinks:{}", one.name)),
                (false, Platform::Ios) => add_url_scheme(context, &one.name),
                (true, Platform::Android) => add_android_host(context, &one.name),
                (false, Platform::Android) => add_android_scheme(context, &one.name),
            };
            let (place, remedy) =
                planned.unwrap_or((there, Remedy::Manual(format!("Declare it on {} too.", missing.title()))));
            let has = match missing {
                Platform::Ios => Platform::Android,
                Platform::Android => Platform::Ios,
            };
            let what = if one.is_host {
                format!("links to {}", one.name)
            } else {
                format!("links with the scheme {}", one.name)
            };
            let named = if one.named.is_some() { ", and elvask.toml names it for both" } else { "" };
            let message = format!("{what} are declared on {} but not on {}{named}", has.title(), missing.title());
            let mut finding = Finding::new(&ABOUT, one.name.clone(), place, message)
                .level(level)
                .related(there, "declared here")
                .mend(remedy);
            finding.platform = Some(missing);
            out.push(finding);
        }
    }
}

/// Says whether a scheme looks like one by which a sign-in service comes back to the app.
fn is_way_back(scheme: &str) -> bool {
    scheme.contains('.') || scheme.chars().filter(char::is_ascii_digit).count() >= 4
}

/// The longest host that the name service takes, in bytes.
const MAX_HOST: usize = 253;

/// What the hosts of one platform take beside themselves.
struct Covers<'s> {
    /// How hosts with a wildcard end, with the dot: `.marram.example` of `*.marram.example`.
    wild: HashSet<&'s str>,
    /// All ends of all hosts that start with a dot.
    ends: HashSet<&'s str>,
}

impl<'s> Covers<'s> {
    fn of(all: &'s [Sides], platform: Platform) -> Self {
        let declared = |one: &&Sides| match platform {
            Platform::Android => one.android.is_some(),
            Platform::Ios => one.ios.is_some(),
        };
        let mut covers = Covers { wild: HashSet::new(), ends: HashSet::new() };
        for host in all.iter().filter(declared).filter(|one| one.is_host && one.name.len() <= MAX_HOST) {
            covers.wild.extend(wild_end(&host.name));
            covers.ends.extend(ends(&host.name));
        }
        covers
    }

    /// Says whether one of the hosts has a wildcard that takes a host, or lies below the wildcard of that host.
    fn takes(&self, host: &str) -> bool {
        host.len() <= MAX_HOST
            && (ends(host).any(|end| self.wild.contains(end))
                || wild_end(host).is_some_and(|end| self.ends.contains(end)))
    }
}

fn wild_end(host: &str) -> Option<&str> {
    host.strip_prefix('*').filter(|end| end.starts_with('.'))
}

fn ends(host: &str) -> impl Iterator<Item = &str> {
    host.match_indices('.').filter_map(|(at, _)| host.get(at..))
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "link-one-sided";

    fn filter(data: &str) -> String {
        format!(
            "            <intent-filter android:autoVerify=\"true\">\n                <action android:name=\"android.intent.action.VIEW\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <category android:name=\"android.intent.category.BROWSABLE\"/>\n                <data {data}/>\n            </intent-filter>\n"
        )
    }

    const LOG: &str = "android:scheme=\"https\" android:host=\"log.marram.example\"";

    #[test]
    fn a_host_of_android_alone_is_added_to_the_domains() {
        let app = Fixture::android(&activity(&filter(LOG))).plist("").domains(&["applinks:marram.example"]);
        let found = app.found(ID);
        assert_eq!(found.len(), 2, "{found:?}");
        assert!(found.iter().all(|one| one.starts_with("warning")), "{found:?}");
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert!(filled.left.findings.iter().all(|one| one.rule.id != ID), "{:?}", filled.left.findings);
        let texts: String = filled.changed.iter().map(|file| filled.sources.file(*file).text.to_string()).collect();
        assert!(
            texts.contains("<string>applinks:log.marram.example</string>")
                && texts.contains("android:host=\"marram.example\""),
            "{texts}"
        );
    }

    #[test]
    fn a_way_back_of_one_platform_is_only_noted() {
        let types = |scheme: &str| {
            format!(
                "<key>CFBundleURLTypes</key><array><dict><key>CFBundleURLSchemes</key><array><string>{scheme}</string></array></dict></array>\n"
            )
        };
        let level = |scheme: &str| Fixture::android(&activity("")).plist(&types(scheme)).findings(ID)[0].level.id();
        assert_eq!(
            (level("marram"), level("example.knot.apps.482100"), level("knot48210077")),
            ("warning", "note", "note")
        );
    }

    #[test]
    fn a_wildcard_covers_what_lies_below_it() {
        let app = Fixture::android(&activity(&filter(LOG))).plist("").domains(&["applinks:*.marram.example"]);
        assert!(app.found(ID).is_empty(), "{:?}", app.found(ID));
    }

    #[test]
    fn what_is_named_for_both_is_an_error_and_what_neither_has_is_missing() {
        let app = Fixture::android(&activity(&filter(LOG)))
            .plist("")
            .domains(&[])
            .toml("[links]\nhosts = ['log.marram.example', 'marram.example']\nschemes = ['marram']");
        assert!(app.found(ID)[0].starts_with("error log.marram.example"), "{:?}", app.found(ID));
        for rule in ["filter-missing", "domain-missing", "url-scheme-missing"] {
            assert!(!app.found(rule).is_empty(), "{rule}");
        }
        assert!(app.found("domain-missing")[0].starts_with("error applinks:marram.example"));
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let left: Vec<_> = filled.left.findings.iter().map(|one| one.rule.id).collect();
        assert!(
            !left.iter().any(|id| [ID, "filter-missing", "domain-missing", "url-scheme-missing"].contains(id)),
            "{left:?}"
        );
    }
}
