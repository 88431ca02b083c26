//! `filter-missing`: a plugin needs an intent filter that no component has.

use elvask_link::association::is_plain_host;
use elvask_needs::requirement::Need;
use elvask_platform::{Kind, Platform};
use elvask_project::filters::VIEW;
use elvask_project::intent::Part;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::links::{Sides, add_android_host, add_android_route, add_android_scheme, sides};
use crate::rules::support::missing::missing;

/// See the module.
pub struct FilterMissing;

static ABOUT: About = About {
    id: "filter-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an intent filter that a plugin or elvask.toml needs and no component has.",
    effect: "The link opens the browser, or the share menu does not list the app.",
    wrong: "<activity android:name=\".MainActivity\" …>\n</activity>",
    right: "<activity android:name=\".MainActivity\" …>\n    <intent-filter>\n        <action android:name=\"android.intent.action.SEND\" />\n        <category android:name=\"android.intent.category.DEFAULT\" />\n        <data android:mimeType=\"text/plain\" />\n    </intent-filter>\n</activity>",
    remedy: "`fill` adds the filter behind the others of the component, with `android:exported=\"true\"` where nothing is said of it.",
    source: "Intents and intent filters",
};

impl Rule for FilterMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        if context.manifest.is_none() {
            return;
        }
        missing(context, Kind::Filter, &ABOUT, out);
        routes(context, out);
        // What elvask.toml names and neither platform declares; what one of them does is told by `link-one-sided`.
        for one in sides(context, context.links()).iter().filter(|one| one.android.is_none() && one.ios.is_none()) {
            let planned =
                if one.is_host { add_android_host(context, &one.name) } else { add_android_scheme(context, &one.name) };
            let (Some(named), Some((place, remedy))) = (one.named, planned) else { continue };
            if is_wanted_by_a_plugin(context, one) {
                continue;
            }
            let link = if one.is_host { format!("https://{}", one.name) } else { format!("{}:", one.name) };
            let message = format!(
                "no filter takes links to {link}, and elvask.toml names {}",
                if one.is_host { "the host" } else { "the scheme" }
            );
            let subject = format!("{VIEW} {}", if one.is_host { "https" } else { &one.name });
            out.push(Finding::new(&ABOUT, subject, place, message).related(named, "named here").mend(remedy));
        }
    }
}

/// Looks for routes of elvask.toml that no filter takes, on the hosts that the manifest names.
fn routes(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(taking) = context.links().taking() else { return };
    let mut hosts = taking.hosts().to_vec();
    hosts.retain(|host| is_plain_host(&host.to_ascii_lowercase()) && !host.starts_with('*'));
    for route in context.app.config.links.routes.iter().filter(|route| !route.stays_on_the_web()) {
        for host in hosts.iter().filter(|host| route.is_for(host)) {
            // A category that is missing, or a filter that is folded, is told by a rule of its own.
            let meant = route.on_host(host).is_none_or(|link| taking.means(&link));
            if meant || taking.means_elsewhere(route, host) {
                continue;
            }
            let Some((place, remedy)) = add_android_route(context, host, route) else { continue };
            let message = format!("no filter takes https://{host}{}, which is to open {}", route.path, route.opens);
            out.push(Finding::new(&ABOUT, format!("{VIEW} https"), place, message).mend(remedy));
            // A route that names no hosts is told once.
            if route.hosts.is_empty() {
                break;
            }
        }
    }
}

/// Says whether a plugin asks for links of a host or scheme, so that its own finding tells.
fn is_wanted_by_a_plugin(context: &Context<'_>, one: &Sides) -> bool {
    let sure = context.needs.groups(Kind::Filter).flat_map(|group| group.requirements);
    sure.filter(|requirement| requirement.level() >= ABOUT.level).any(|requirement| {
        let Need::Filter { filter, .. } = &requirement.need else { return false };
        let Ok(filled) = filter.changed(&|_, text| context.fill_in(requirement, text)) else { return false };
        let stated = filled.all(if one.is_host { Part::Host } else { Part::Scheme });
        stated.into_iter().any(|stated| stated.eq_ignore_ascii_case(&one.name))
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "filter-missing";

    const NEED: &str = "android.filter = { on = 'launcher', action = 'android.intent.action.SEND', category = ['android.intent.category.DEFAULT'], mime = 'text/plain' }";
    const MAIN: &str = "            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\"/>\n                <category android:name=\"android.intent.category.LAUNCHER\"/>\n            </intent-filter>\n";

    fn activity(inside: &str) -> String {
        format!(
            "    <application>\n        <activity android:name=\".MainActivity\" android:exported=\"true\">\n{MAIN}{inside}        </activity>\n    </application>\n"
        )
    }

    const SHARE: &str = "            <intent-filter>\n                <action android:name=\"android.intent.action.SEND\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <data android:mimeType=\"text/plain\"/>\n            </intent-filter>\n";

    #[test]
    fn a_filter_goes_to_the_launcher() {
        let app = Fixture::android(&activity("")).needs("sanderling_inbox", NEED);
        assert_eq!(app.found(ID), ["error android.intent.action.SEND text/plain 3:9"]);
        app.mends_manifest(ID, &activity(SHARE));
        assert!(Fixture::android(&activity(SHARE)).needs("sanderling_inbox", NEED).found(ID).is_empty());
        let wider = SHARE.replace("text/plain", "*/*");
        assert!(Fixture::android(&activity(&wider)).needs("sanderling_inbox", NEED).found(ID).is_empty());
    }

    #[test]
    fn a_scheme_waits_for_its_answer() {
        let need = "android.filter = { action = 'android.intent.action.VIEW', category = ['android.intent.category.BROWSABLE'], scheme = '{scheme}' }";
        let app = Fixture::android(&activity("")).needs("avocet_checkout", need);
        assert_eq!((app.found(ID).len(), app.found("answer-missing").len()), (0, 1));
        let filled = app.toml("[links]\nschemes = ['marram']");
        assert!(filled.findings(ID)[0].remedy.text().contains("android:scheme=\"marram\""));
    }
}
