//! `launch-mode`: each link opens one more copy of the app.

use std::collections::HashSet;

use elvask_link::android::LaunchMode;
use elvask_platform::release::newest_level;
use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::is_told_as_badly;
use crate::rules::support::{manifest_edit, set_android};

/// See the module.
pub struct LaunchModeStandard;

static ABOUT: About = About {
    id: "launch-mode",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports the app's main activity when links start it and its launch mode makes a new one each time.",
    effect: "Each link opens another copy above the first, and typed text seems lost.",
    wrong: "<activity android:name=\".MainActivity\" android:launchMode=\"standard\" …>",
    right: "<activity android:name=\".MainActivity\" android:launchMode=\"singleTask\" …>",
    remedy: "`fill` sets singleTask, with which the living activity gets the link in onNewIntent. Where a plugin wants another mode, that plugin's finding tells.",
    source: "Tasks and the back stack",
};

impl Rule for LaunchModeStandard {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        // What a plugin wants of the launch mode is told by its own finding.
        if is_told_as_badly(context.needs.of(Kind::Attribute, "launchMode"), ABOUT.level) {
            return;
        }
        let (Some(links), Some(variant)) = (context.links().first_android(), context.variants.first()) else { return };
        let mut told: HashSet<&str> = HashSet::new();
        for entry in &links.entries {
            let takes_links = entry.filters.iter().any(elvask_project::filters::FilterSpec::is_link);
            if !takes_links
                || links.closed(entry).is_some()
                || LaunchMode::read(entry.launch_mode.as_deref(), newest_level()) != LaunchMode::Standard
            {
                continue;
            }
            let class = entry.target.as_deref().unwrap_or(&entry.component);
            let Some(component) = variant.component(class) else { continue };
            // A further activity may well be one that is opened anew for each link.
            if !variant.is_launcher(component) && entry.target.is_none() {
                continue;
            }
            let owning = context.manifests.iter().find_map(|manifest| {
                let found = manifest.component(class).filter(|one| one.element.name() == "activity")?;
                Some((manifest, found.element))
            });
            let Some((manifest, element)) = owning else { continue };
            let name = class.rsplit('.').next().unwrap_or(class);
            let now = match element.value(elvask_project::names::ANDROID, "launchMode") {
                Some(mode) => format!("its launch mode is {mode}"),
                None => "it states no launch mode, so that is standard".to_owned(),
            };
            let message = format!("links start {name}, and {now}: each opens one more copy");
            let remedy = manifest_edit(
                "android:launchMode=\"singleTask\"",
                manifest,
                vec![set_android(manifest, element, "launchMode", "singleTask")],
            );
            let finding = Finding::new(&ABOUT, class.to_owned(), manifest.value_place(element, "launchMode"), message);
            if told.insert(class) {
                out.push(finding.mend(remedy));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "launch-mode";

    const LINKS: &str = "            <intent-filter>\n                <action android:name=\"android.intent.action.VIEW\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <category android:name=\"android.intent.category.BROWSABLE\"/>\n                <data android:scheme=\"marram\"/>\n            </intent-filter>\n";

    const SINGLE: &str = " android:launchMode=\"singleTask\"";

    #[test]
    fn links_come_to_the_living_activity() {
        let unstated = activity(LINKS).replace(SINGLE, "");
        let app = Fixture::android(&unstated);
        assert_eq!(app.found(ID), ["warning example.marram.MainActivity 3:9"]);
        app.mends_manifest(ID, &activity(LINKS));
        let top = activity(LINKS).replace("singleTask", "singleTop");
        assert!(Fixture::android(&top).found(ID).is_empty());
        let unlinked = activity("").replace(SINGLE, "");
        assert!(Fixture::android(&unlinked).found(ID).is_empty(), "no links start it");
    }

    #[test]
    fn a_plugin_that_wants_a_mode_speaks_for_itself() {
        let need = "android.attribute = { on = 'launcher', name = 'launchMode', value = 'singleTop' }";
        let app = Fixture::android(&activity(LINKS).replace(SINGLE, "")).needs("turnstone_links", need);
        assert!(app.found(ID).is_empty() && app.found("component-attribute").len() == 1);
    }
}
