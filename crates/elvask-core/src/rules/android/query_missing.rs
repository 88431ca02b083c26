//! `query-missing`: a plugin asks about other apps that the app may not see.

use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level};
use crate::requirement::{Kind, Need, Query};
use crate::rules::support::{add_query, manifest_edit, only_in, who_needs};
use crate::rules::{About, Rule};
use crate::surface::{ManifestView, covers, read_query};

/// The target level from which other apps are hidden.
pub(super) const HIDDEN_FROM: u32 = 30;

/// See the module.
pub struct QueryMissing;

static ABOUT: About = About {
    id: "query-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports other apps that a plugin asks about and that no entry of `<queries>` makes visible.",
    effect: "An app that targets level 30 or above and asks first (resolveActivity, queryIntentActivities, getPackageInfo) is told no on devices from level 30, even if there is such an app: the button does nothing, and no error appears.",
    wrong: "<manifest …>\n    <application …>",
    right: "<queries>\n    <intent>\n        <action android:name=\"android.intent.action.VIEW\" />\n        <data android:scheme=\"tel\" />\n    </intent>\n</queries>",
    remedy: "`fill` adds the entry to `<queries>`, and that element at the end of the manifest where there is none. Code that calls startActivity at once and catches ActivityNotFoundException needs no entry: then a waiver says so.",
    source: "Package visibility filtering on Android",
};

impl Rule for QueryMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(manifest) = &context.manifest else { return };
        for group in context.needs.groups(Kind::Query) {
            let Some(Need::Query(query)) = group.requirements.first().map(|requirement| &requirement.need) else {
                continue;
            };
            let lacking = context
                .lacking(group.requirements, |variant| variant.levels.target < HIDDEN_FROM || variant.sees(query));
            if lacking.is_empty() || context.manifests.iter().any(|manifest| stands_elsewhere(manifest, query)) {
                continue;
            }
            let who = who_needs(context, group.requirements);
            let message =
                format!("the app may not see {}{}, and {who} to", describe(query), only_in(context, &lacking));
            let place = manifest.tag(manifest.queries_element.unwrap_or(manifest.root));
            let remedy =
                manifest_edit(format!("let the app see {}", describe(query)), manifest, add_query(manifest, query));
            let remedy = if manifest.queries_element.is_none() { remedy.making("queries") } else { remedy };
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(group.level())
                    .needed_by(context.app, group.requirements)
                    .in_variants(lacking)
                    .mend(remedy),
            );
        }
    }
}

/// Says whether a misplaced `<queries>` holds the entry, of which another rule speaks.
fn stands_elsewhere(manifest: &ManifestView<'_>, wanted: &Query) -> bool {
    let entries = manifest.misplaced_queries.iter().flat_map(|queries| queries.children());
    entries.filter_map(read_query).any(|entry| covers(&entry.query, wanted))
}

/// Says in words what a query makes visible.
fn describe(query: &Query) -> String {
    if let Some(package) = &query.package {
        return format!("the app `{package}`");
    }
    if let Some(authority) = &query.authority {
        return format!("the provider `{authority}`");
    }
    let action = query.action.as_deref().unwrap_or_default();
    match (&query.scheme, &query.mime) {
        (Some(scheme), _) => format!("apps that handle `{scheme}:` links"),
        (None, Some(mime)) => format!("apps that handle `{action}` for `{mime}`"),
        (None, None) => format!("apps that handle `{action}`"),
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "query-missing";

    #[test]
    fn two_queries_end_up_in_one_element() {
        let app = Fixture::android("    <application />\n")
            .needs("plover_dialer", "capability = 'open-phone'")
            .needs("sanderling_inbox", "android.query = { package = 'example.post' }");
        assert_eq!(app.found(ID), ["error android.intent.action.VIEW tel 1:1", "error example.post 1:1"]);
        assert_eq!(
            app.findings(ID)[0].message,
            "the app may not see apps that handle `tel:` links, and plover_dialer needs to"
        );
        app.mends_manifest(
            ID,
            "    <application />\n    <queries>\n        <intent>\n            <action android:name=\"android.intent.action.VIEW\" />\n            <data android:scheme=\"tel\" />\n        </intent>\n        <package android:name=\"example.post\" />\n    </queries>\n",
        );
    }

    #[test]
    fn an_entry_joins_those_that_are_there() {
        let before = "    <queries>\n        <!-- text -->\n        <intent>\n            <action android:name=\"a.B\"/>\n        </intent>\n    </queries>\n";
        let app = Fixture::android(before).needs("p", "android.query = { package = 'example.post' }");
        assert_eq!(app.found(ID), ["error example.post 2:5"]);
        app.mends_manifest(
            ID,
            &before.replace("    </queries>", "        <package android:name=\"example.post\"/>\n    </queries>"),
        );
    }

    #[test]
    fn another_way_to_see_them_is_enough() {
        let dial = "    <queries><intent><action android:name='android.intent.action.DIAL'/></intent></queries>\n";
        let app = |inside: &str| Fixture::android(inside).needs("plover_dialer", "capability = 'open-phone'");
        assert!(app(dial).found(ID).is_empty());
        assert!(
            app("    <uses-permission android:name='android.permission.QUERY_ALL_PACKAGES'/>\n").found(ID).is_empty()
        );
        assert!(app("    <application/>\n").levels(21, 29).found(ID).is_empty(), "nothing is hidden yet");
    }
}
