//! `filter-autoverify`: a filter for web links does not ask for verification, or another one does.

use std::collections::HashSet;

use elvask_link::filter::Authority;
use elvask_markup::xml::plan;
use elvask_platform::Platform;
use elvask_platform::release::newest_level;
use elvask_project::filters::{BROWSABLE, VIEW};
use elvask_project::names::ANDROID;
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::filters::{WrittenFilter, filters, tag};
use crate::rules::support::{manifest_edit, set_android};

/// See the module.
pub struct FilterAutoverify;

static ABOUT: About = About {
    id: "filter-autoverify",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a filter for web links without `android:autoVerify`, and the attribute on a filter that has no web links.",
    effect: "From level 31 the links open the browser; before, a chooser asks each time.",
    wrong: "<intent-filter>\n    …\n    <data android:scheme=\"https\" android:host=\"marram.example\" />\n</intent-filter>",
    right: "<intent-filter android:autoVerify=\"true\">\n    …\n    <data android:scheme=\"https\" android:host=\"marram.example\" />\n</intent-filter>",
    remedy: "`fill` sets the attribute, or takes it off where it does nothing. The host must serve assetlinks.json: `elvask link files` writes it.",
    source: "Verify app links",
};

impl Rule for FilterAutoverify {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let all = filters(manifest);
        let asked = context.links().first_android().map(|links| links.asked_hosts(newest_level()));
        let asked = asked.into_iter().flatten().map(|(host, _)| Authority::new(host, None));
        let (wild, plain): (Vec<_>, Vec<_>) = asked.partition(|known| known.wild);
        let plain: HashSet<String> = plain.into_iter().map(|known| known.host.to_ascii_lowercase()).collect();
        let is_verified =
            |host: &str| plain.contains(&host.to_ascii_lowercase()) || wild.iter().any(|known| known.takes_host(host));
        for filter in &all {
            let spec = &filter.spec;
            if spec.auto_verify
                && !spec.is_web()
                && !filter.has_hidden_scheme()
                && spec.has_action(VIEW)
                && !spec.schemes().is_empty()
            {
                let message = format!(
                    "a filter of {} has android:autoVerify but no web links, so there is nothing to verify",
                    filter.owner()
                );
                let attribute = filter.element.attribute(ANDROID, "autoVerify");
                let edits = attribute
                    .map(|attribute| vec![plan::remove_attribute(filter.element, attribute)])
                    .unwrap_or_default();
                out.push(
                    Finding::new(&ABOUT, filter.subject(), manifest.value_place(filter.element, "autoVerify"), message)
                        .mend(manifest_edit("remove android:autoVerify", manifest, edits)),
                );
            }
            if spec.auto_verify || !filter.is_link() || !spec.is_web_only() || !spec.has_category(BROWSABLE) {
                continue;
            }
            let readable = |host: &&str| !WrittenFilter::is_put_in(host) && *host != "*" && !host.is_empty();
            let hosts: Vec<&str> = spec.hosts().into_iter().filter(readable).collect();
            // A host that another filter has verified is verified for the whole app.
            let open: Vec<&str> = hosts.iter().copied().filter(|host| !is_verified(host)).collect();
            if open.is_empty() {
                continue;
            }
            let named = context
                .app
                .config
                .hosts
                .iter()
                .any(|known| open.iter().any(|host| known.text.eq_ignore_ascii_case(host)));
            let level = if named { Level::Error } else { Level::Warning };
            let message = format!(
                "links to {} are never verified: their filter in {} lacks android:autoVerify",
                open.join(", "),
                filter.owner()
            );
            let edits = vec![set_android(manifest, filter.element, "autoVerify", "true")];
            out.push(
                Finding::new(&ABOUT, filter.subject(), tag(manifest, filter), message)
                    .level(level)
                    .mend(manifest_edit("android:autoVerify=\"true\"", manifest, edits)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "filter-autoverify";

    fn filter(attributes: &str, data: &str) -> String {
        activity(&format!(
            "            <intent-filter{attributes}>\n                <action android:name=\"android.intent.action.VIEW\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <category android:name=\"android.intent.category.BROWSABLE\"/>\n                <data {data}/>\n            </intent-filter>\n"
        ))
    }

    const WEB: &str = "android:scheme=\"https\" android:host=\"marram.example\"";

    #[test]
    fn web_links_ask_to_be_verified() {
        let app = Fixture::android(&filter("", WEB));
        assert_eq!(app.found(ID), ["warning android.intent.action.VIEW https 8:13"]);
        app.mends_manifest(ID, &filter(" android:autoVerify=\"true\"", WEB));
        let named = Fixture::android(&filter("", WEB)).toml("[links]\nhosts = ['marram.example']");
        assert!(named.found(ID)[0].starts_with("error"));
        assert!(
            Fixture::android(&filter("", "android:scheme=\"https\"")).found(ID).is_empty(),
            "a browser takes every host"
        );
    }

    #[test]
    fn other_links_have_nothing_to_verify() {
        let app = Fixture::android(&filter(" android:autoVerify=\"true\"", "android:scheme=\"marram\""));
        assert_eq!(app.found(ID), ["warning android.intent.action.VIEW marram 8:48"]);
        app.mends_manifest(ID, &filter("", "android:scheme=\"marram\""));
    }
}
