//! `filter-incomplete`: a filter for links or shared content lacks a part without which nothing reaches it.

use elvask_markup::xml::Element;
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::filters::{BROWSABLE, DEFAULT, VIEW, is_web_scheme};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::filters::{WrittenFilter, bare_attributes, filters, tag};
use crate::rules::support::{manifest_edit, set_android};

/// See the module.
pub struct FilterIncomplete;

static ABOUT: About = About {
    id: "filter-incomplete",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a filter for links or shared content that lacks its action, a category, its scheme or its type.",
    effect: "Links open the browser or nothing, and share menus do not list the app.",
    wrong: "<intent-filter>\n    <action android:name=\"android.intent.action.VIEW\" />\n    <category android:name=\"android.intent.category.DEFAULT\" />\n    <data android:scheme=\"marram\" />\n</intent-filter>",
    right: "<intent-filter>\n    <action android:name=\"android.intent.action.VIEW\" />\n    <category android:name=\"android.intent.category.DEFAULT\" />\n    <category android:name=\"android.intent.category.BROWSABLE\" />\n    <data android:scheme=\"marram\" />\n</intent-filter>",
    remedy: "`fill` adds the action, the category or the scheme https; the type of shared content is left to a person.",
    source: "Intents and intent filters",
};

const SHARE: [&str; 2] = ["android.intent.action.SEND", "android.intent.action.SEND_MULTIPLE"];

impl Rule for FilterIncomplete {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, _context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for filter in filters(manifest) {
            let spec = &filter.spec;
            let schemes = spec.schemes();
            let meant_for_links = spec.auto_verify || spec.has_category(BROWSABLE);
            let shared = SHARE.iter().any(|action| spec.has_action(action));
            if spec.actions.is_empty() && meant_for_links && !spec.data.is_empty() {
                let edits = insert_named(manifest, &filter, "action", VIEW);
                let message = format!("a filter of {} has no action, so nothing reaches it", filter.owner());
                out.push(finding(manifest, &filter, Level::Error, message).mend(manifest_edit(
                    "add the action VIEW",
                    manifest,
                    edits,
                )));
                continue;
            }
            // A scheme that lacks the platform's prefix is told as such.
            let bare = filter.data.iter().any(|element| !bare_attributes(*element).is_empty());
            if !bare && schemes.is_empty() && !spec.hosts().is_empty() && (spec.has_action(VIEW) || meant_for_links) {
                let hosts = spec.hosts().join(", ");
                let message = format!(
                    "a filter of {} names the host {hosts} and no scheme, so the host is not looked at",
                    filter.owner()
                );
                let first = filter
                    .spec
                    .data
                    .iter()
                    .position(|data| data.value("host").is_some())
                    .and_then(|at| filter.data.get(at));
                let remedy = match first {
                    Some(element) => manifest_edit(
                        "add the scheme https",
                        manifest,
                        vec![set_android(manifest, *element, "scheme", "https")],
                    ),
                    None => Remedy::Manual("Add android:scheme to <data>.".to_owned()),
                };
                out.push(finding(manifest, &filter, Level::Error, message).mend(remedy));
                continue;
            }
            if shared && spec.values("mimeType").next().is_none() && spec.values("mimeGroup").next().is_none() {
                let message = format!(
                    "a filter of {} receives shared content but names no type, so nothing is shared with it",
                    filter.owner()
                );
                let steps =
                    "Add <data android:mimeType=\"text/plain\" />, or the type that the activity takes: image/*, */*.";
                out.push(finding(manifest, &filter, Level::Error, message).mend(Remedy::Manual(steps.to_owned())));
            }
            let is_link = filter.is_link() || filter.has_hidden_scheme() && spec.has_action(VIEW);
            if !is_link && !shared {
                continue;
            }
            if !spec.has_category(DEFAULT) {
                let message = format!(
                    "a filter of {} lacks the category DEFAULT, without which no implicit intent reaches it",
                    filter.owner()
                );
                out.push(lacks(manifest, &filter, Level::Error, message, DEFAULT));
            }
            if is_link && !spec.has_category(BROWSABLE) {
                // A scheme of the app's own may be meant for other apps alone.
                let web = schemes.iter().any(|scheme| is_web_scheme(scheme));
                let level = if web { Level::Error } else { Level::Warning };
                let message = format!(
                    "a filter of {} lacks the category BROWSABLE, without which no link from a web page or message reaches it",
                    filter.owner()
                );
                out.push(lacks(manifest, &filter, level, message, BROWSABLE));
            }
        }
    }
}

fn finding(manifest: &ManifestView<'_>, filter: &WrittenFilter<'_, '_>, level: Level, message: String) -> Finding {
    Finding::new(&ABOUT, filter.subject(), tag(manifest, filter), message).level(level)
}

fn lacks(
    manifest: &ManifestView<'_>,
    filter: &WrittenFilter<'_, '_>,
    level: Level,
    message: String,
    category: &str,
) -> Finding {
    let edits = insert_named(manifest, filter, "category", category);
    let short = category.rsplit('.').next().unwrap_or(category);
    let remedy = manifest_edit(format!("add the category {short}"), manifest, edits)
        .making(&format!("category of a filter at {}", filter.element.open().start));
    finding(manifest, filter, level, message).mend(remedy)
}

/// Plans an action or category behind its like, or at the start.
fn insert_named(
    manifest: &ManifestView<'_>,
    filter: &WrittenFilter<'_, '_>,
    kind: &str,
    name: &str,
) -> Vec<elvask_markup::Edit> {
    let children = || filter.element.children();
    let before: Option<Element<'_>> = children().rfind(|child| child.name() == kind);
    let before = before.or_else(|| children().rfind(|child| child.name() == "action"));
    let slot = before.map_or(Slot::First, |last| Slot::After(last.node()));
    plan::insert(filter.element, slot, &[Fragment::new(kind).with(format!("{}:name", manifest.prefix()), name)])
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "filter-incomplete";

    fn filter(inside: &str) -> String {
        activity(&format!("            <intent-filter>\n{inside}            </intent-filter>\n"))
    }

    const ACTION: &str = "                <action android:name=\"android.intent.action.VIEW\"/>\n";
    const DEFAULT: &str = "                <category android:name=\"android.intent.category.DEFAULT\"/>\n";
    const BROWSABLE: &str = "                <category android:name=\"android.intent.category.BROWSABLE\"/>\n";
    const DATA: &str = "                <data android:scheme=\"marram\"/>\n";

    #[test]
    fn a_category_is_added_behind_the_others() {
        let app = Fixture::android(&filter(&format!("{ACTION}{DEFAULT}{DATA}")));
        assert_eq!(app.found(ID), ["warning android.intent.action.VIEW marram 8:13"]);
        let whole = filter(&format!("{ACTION}{DEFAULT}{BROWSABLE}{DATA}"));
        app.mends_manifest(ID, &whole);
        assert!(Fixture::android(&whole).found(ID).is_empty());
        let web = format!("{ACTION}{DATA}").replace("marram", "https\" android:host=\"marram.example");
        assert_eq!(Fixture::android(&filter(&web)).found(ID).len(), 2, "both are missing");
    }

    #[test]
    fn a_filter_without_action_or_scheme_takes_nothing() {
        let app = Fixture::android(&filter(&format!("{DEFAULT}{BROWSABLE}{DATA}")));
        assert_eq!(app.found(ID), ["error intent-filter marram 8:13"]);
        let host = "                <data android:host=\"marram.example\"/>\n";
        let app = Fixture::android(&filter(&format!("{ACTION}{DEFAULT}{BROWSABLE}{host}")));
        assert!(app.findings(ID)[0].remedy.title().contains("https"));
    }

    #[test]
    fn shared_content_has_a_type() {
        let send = ACTION.replace("VIEW", "SEND");
        assert_eq!(Fixture::android(&filter(&format!("{send}{DEFAULT}"))).found(ID).len(), 1);
        let typed = "                <data android:mimeType=\"text/plain\"/>\n";
        assert!(Fixture::android(&filter(&format!("{send}{DEFAULT}{typed}"))).found(ID).is_empty());
    }
}
