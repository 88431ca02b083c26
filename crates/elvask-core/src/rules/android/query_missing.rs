//! `query-missing`: a plugin asks about other apps that the app may not see.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::missing;

/// See the module.
pub struct QueryMissing;

static ABOUT: About = About {
    id: "query-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports other apps that a plugin asks about and that no entry of `<queries>` makes visible.",
    effect: "From level 30 the query finds no app, and the button does nothing.",
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
        missing(context, Kind::Query, &ABOUT, out);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "query-missing";

    #[test]
    fn two_queries_end_up_in_one_element() {
        let app = Fixture::android("    <application />\n")
            .needs("plover_dialer", "capability = 'open-phone'")
            .needs("sanderling_inbox", "android.query = { package = 'example.post' }");
        assert_eq!(app.found(ID), ["error android.intent.action.VIEW tel 1:1", "error example.post 1:1"]);
        assert_eq!(
            app.findings(ID)[0].message,
            "the app cannot see apps that handle `tel:` links, and plover_dialer needs to"
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
