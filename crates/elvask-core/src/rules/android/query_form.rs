//! `query-form`: an entry of `<queries>` in a form that the platform refuses.

use std::collections::BTreeSet;

use elvask_markup::xml::Element;
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::names::{ANDROID, TOOLS};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::manifest_edit;

/// See the module.
pub struct QueryForm;

static ABOUT: About = About {
    id: "query-form",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an entry of `<queries>` that devices refuse: an `<intent>` with several actions, schemes, hosts or types or with nothing to look for, a `<package>` without a name, a `<provider>` without authorities, and elements that have no place there.",
    effect: "Devices from level 30 refuse to install the app.",
    wrong: "<intent>\n    <action android:name=\"android.intent.action.VIEW\" />\n    <action android:name=\"android.intent.action.DIAL\" />\n    <data android:scheme=\"tel\" />\n</intent>",
    right: "<intent>\n    <action android:name=\"android.intent.action.VIEW\" />\n    <data android:scheme=\"tel\" />\n</intent>\n<intent>\n    <action android:name=\"android.intent.action.DIAL\" />\n    <data android:scheme=\"tel\" />\n</intent>",
    remedy: "`fill` gives each action and each scheme an `<intent>` of its own.",
    source: "App manifest file: <queries>",
};

impl Rule for QueryForm {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, _context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for queries in manifest.root.children_named("queries") {
            for entry in queries.children() {
                // What a marker takes out is not looked for by what stands inside.
                if entry.attribute(TOOLS, "node").is_none() {
                    out.extend(of_entry(manifest, queries, entry));
                }
            }
        }
    }
}

fn of_entry(manifest: &ManifestView<'_>, queries: Element<'_>, entry: Element<'_>) -> Option<Finding> {
    let finding = |subject: &str, message: String| Finding::new(&ABOUT, subject, manifest.tag(entry), message);
    let absent = |local: &str| entry.value(ANDROID, local).is_none_or(|value| value.trim().is_empty());
    match entry.name() {
        "intent" => of_intent(manifest, queries, entry),
        "package" if absent("name") => {
            let message = "a <package> of <queries> has no android:name".to_owned();
            let steps = "Name the app that is looked for, or remove the element.";
            Some(finding("package", message).mend(Remedy::Manual(steps.to_owned())))
        }
        "provider" if absent("authorities") => {
            let message = "a <provider> of <queries> has no android:authorities".to_owned();
            let steps = "Name what the provider is reached by, or remove the element.";
            Some(finding("provider", message).mend(Remedy::Manual(steps.to_owned())))
        }
        "intent-filter" => {
            let message = "<queries> holds an <intent-filter>, and it is <intent> that is read there".to_owned();
            let edits = plan::rename(entry, "intent");
            let effect =
                "The build fails, or the entry is ignored: from level 30 the apps that it looks for stay invisible.";
            Some(finding("intent-filter", message).effect(effect).mend(manifest_edit("<intent>", manifest, edits)))
        }
        "activity" | "service" | "receiver" | "uses-permission" => {
            let message = format!("<{}> has no place in <queries>", entry.name());
            let steps = "An app is looked for with <package>, <intent> or <provider>. What the app itself declares belongs outside of <queries>.";
            Some(
                finding(entry.name(), message)
                    .effect("The build fails, or the element is ignored.")
                    .mend(Remedy::Manual(steps.to_owned())),
            )
        }
        _ => None,
    }
}

/// Reads the values of an attribute of all children of a name; the same one twice counts once.
fn values<'d>(entry: Element<'d>, child: &str, local: &str) -> BTreeSet<String> {
    let all = entry.children_named(child).filter_map(|one| one.value(ANDROID, local));
    all.map(std::borrow::Cow::into_owned).collect()
}

/// Looks at what an `<intent>` may hold at most once.
///
/// Source: "App manifest file: <queries>"; devices say "intent tag may have at most one action", data scheme, host or type.
fn of_intent(manifest: &ManifestView<'_>, queries: Element<'_>, intent: Element<'_>) -> Option<Finding> {
    let actions = values(intent, "action", "name");
    let [schemes, hosts, types] = ["scheme", "host", "mimeType"].map(|local| values(intent, "data", local));
    let subject = actions.first().map_or("intent", String::as_str).to_owned();
    let finding = |message: &str| Finding::new(&ABOUT, subject.clone(), manifest.tag(intent), message);
    if actions.is_empty() && schemes.is_empty() && types.is_empty() {
        let steps = "Say with <action> what the apps that are looked for must be able to do, or remove the element.";
        let message = "an <intent> of <queries> has neither an action nor data";
        return Some(finding(message).mend(Remedy::Manual(steps.to_owned())));
    }
    let parts = [(&actions, "actions"), (&schemes, "schemes"), (&hosts, "hosts"), (&types, "types")];
    let (several, what) = parts.into_iter().find(|(all, _)| all.len() > 1)?;
    let one = what.trim_end_matches('s');
    let message = format!("an <intent> of <queries> has {} {what}, and devices take one", several.len());
    let remedy =
        parted(manifest, queries, intent, (&actions, &schemes), hosts.len() + types.len()).unwrap_or_else(|| {
            Remedy::Manual(format!("Give each {one} an <intent> of its own, with all else of this one."))
        });
    Some(finding(&message).mend(remedy))
}

/// Plans an `<intent>` for each action or each scheme; `None` where more is to be parted than that, or more stands in the data.
fn parted(
    manifest: &ManifestView<'_>,
    queries: Element<'_>,
    intent: Element<'_>,
    (actions, schemes): (&BTreeSet<String>, &BTreeSet<String>),
    others: usize,
) -> Option<Remedy> {
    let bare = |data: &Element<'_>| data.attributes().count() == 1;
    let simple = others == 0 && intent.children_named("data").all(|data| bare(&data));
    let known = |child: Element<'_>| matches!(child.name(), "action" | "category" | "data");
    if !simple || actions.len() > 1 && schemes.len() > 1 || !intent.children().all(known) {
        return None;
    }
    let name = format!("{}:name", manifest.prefix());
    let scheme = format!("{}:scheme", manifest.prefix());
    // The first of each keeps its place, in the order in which they are written.
    let (child, local) = if actions.len() > 1 { ("action", "name") } else { ("data", "scheme") };
    let mut seen = BTreeSet::new();
    let mut edits = Vec::new();
    let mut fragments = Vec::new();
    for one in intent.children_named(child) {
        let value = one.value(ANDROID, local)?.into_owned();
        let is_new = seen.insert(value.clone());
        if seen.len() == 1 && is_new {
            continue;
        }
        edits.push(plan::remove(one.node()));
        if !is_new {
            continue;
        }
        let action = if child == "action" { Some(&value) } else { actions.first() };
        let data = if child == "data" { Some(&value) } else { schemes.first() };
        let mut inside: Vec<Fragment> =
            action.map(|action| Fragment::new("action").with(&name, action)).into_iter().collect();
        for category in values(intent, "category", "name") {
            inside.push(Fragment::new("category").with(&name, category));
        }
        inside.extend(data.map(|data| Fragment::new("data").with(&scheme, data)));
        fragments.push(Fragment::new("intent").holding(inside));
    }
    edits.extend(plan::insert(queries, Slot::After(intent.node()), &fragments));
    let what = if child == "action" { "action" } else { "scheme" };
    Some(manifest_edit(format!("an <intent> for each {what}"), manifest, edits))
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "query-form";

    fn queries(inside: &str) -> String {
        format!("    <queries>\n{inside}    </queries>\n    <application/>\n")
    }

    fn intent(inside: &[&str]) -> String {
        let lines: String = inside.iter().map(|line| format!("            <{line}/>\n")).collect();
        format!("        <intent>\n{lines}        </intent>\n")
    }

    const VIEW: &str = "action android:name=\"android.intent.action.VIEW\"";
    const DIAL: &str = "action android:name=\"android.intent.action.DIAL\"";
    const TEL: &str = "data android:scheme=\"tel\"";
    const SMS: &str = "data android:scheme=\"sms\"";

    #[test]
    fn each_action_gets_an_intent() {
        let app = Fixture::android(&queries(&intent(&[VIEW, DIAL, TEL])));
        assert_eq!(app.found(ID), ["error android.intent.action.DIAL 3:9"]);
        assert_eq!(app.findings(ID)[0].message, "an <intent> of <queries> has 2 actions, and devices take one");
        app.mends_manifest(ID, &queries(&format!("{}{}", intent(&[VIEW, TEL]), intent(&[DIAL, TEL]))));
    }

    #[test]
    fn each_scheme_gets_an_intent() {
        let app = Fixture::android(&queries(&intent(&[VIEW, TEL, SMS, TEL])));
        assert_eq!(app.findings(ID)[0].message, "an <intent> of <queries> has 2 schemes, and devices take one");
        app.mends_manifest(ID, &queries(&format!("{}{}", intent(&[VIEW, TEL]), intent(&[VIEW, SMS]))));
    }

    #[test]
    fn what_devices_take_is_left() {
        let whole = "data android:scheme=\"https\" android:host=\"marram.example\" android:mimeType=\"text/html\"";
        let (scheme, host) = ("data android:scheme=\"https\"", "data android:host=\"marram.example\"");
        let lines = [
            vec![VIEW],
            vec![VIEW, TEL],
            vec![TEL],
            vec![VIEW, whole],
            vec![VIEW, scheme, host],
            vec![VIEW, VIEW, TEL],
        ];
        for inside in lines {
            assert!(Fixture::android(&queries(&intent(&inside))).found(ID).is_empty(), "{inside:?}");
        }
        let others = "        <package android:name=\"example.tide\"/>\n        <provider android:authorities=\"example.tide.files\"/>\n";
        assert!(Fixture::android(&queries(others)).found(ID).is_empty());
    }

    #[test]
    fn more_than_one_thing_to_part_is_left_to_a_person() {
        let app = Fixture::android(&queries(&intent(&[VIEW, DIAL, TEL, SMS])));
        assert_eq!(app.findings(ID)[0].remedy.kind(), "manual");
        app.is_left_alone();
        let types = ["data android:mimeType=\"image/*\"", "data android:mimeType=\"video/*\""];
        let app = Fixture::android(&queries(&intent(&[VIEW, types[0], types[1]])));
        assert_eq!(app.findings(ID)[0].message, "an <intent> of <queries> has 2 types, and devices take one");
        app.is_left_alone();
    }

    #[test]
    fn entries_that_look_for_nothing_are_told() {
        let lines = "        <intent/>\n        <package/>\n        <provider android:name=\".Files\"/>\n";
        assert_eq!(
            Fixture::android(&queries(lines)).found(ID),
            ["error intent 3:9", "error package 4:9", "error provider 5:9"]
        );
        let category = intent(&["category android:name=\"android.intent.category.BROWSABLE\""]);
        assert_eq!(Fixture::android(&queries(&category)).found(ID), ["error intent 3:9"]);
    }

    #[test]
    fn a_filter_is_made_an_intent() {
        let filter = intent(&[VIEW, TEL]).replace("intent>", "intent-filter>");
        let app = Fixture::android(&queries(&filter));
        assert_eq!(app.found(ID), ["error intent-filter 3:9"]);
        app.mends_manifest(ID, &queries(&intent(&[VIEW, TEL])));
        let activity = "        <activity android:name=\".Main\"/>\n";
        assert_eq!(Fixture::android(&queries(activity)).found(ID), ["error activity 3:9"]);
    }

    #[test]
    fn what_a_marker_takes_out_needs_nothing_inside() {
        let marked = "        <intent tools:node=\"removeAll\"/>\n        <package tools:node=\"removeAll\"/>\n";
        assert!(Fixture::android(&queries(marked)).found(ID).is_empty());
    }
}
