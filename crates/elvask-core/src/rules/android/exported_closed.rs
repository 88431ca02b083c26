//! `exported-closed`: a component is meant for others and closed to them.

use elvask_platform::Platform;
use elvask_project::filters::BROWSABLE;
use elvask_project::names::ANDROID;
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::filters::filters;
use crate::rules::support::{flag, manifest_edit, set_android};

/// See the module.
pub struct ExportedClosed;

static ABOUT: About = About {
    id: "exported-closed",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an activity or alias for the launcher, for links or for the share menu with `android:exported=\"false\"`.",
    effect: "The launcher reports that the app is not installed, and links open the browser.",
    wrong: "<activity android:name=\".MainActivity\" android:exported=\"false\">\n    <intent-filter> … BROWSABLE … </intent-filter>\n</activity>",
    right: "<activity android:name=\".MainActivity\" android:exported=\"true\">\n    <intent-filter> … BROWSABLE … </intent-filter>\n</activity>",
    remedy: "`fill` opens it, as its filter is of use to other apps only. Where it is closed on purpose, remove the filter.",
    source: "`<activity>`",
};

impl Rule for ExportedClosed {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let mut told: Vec<&str> = Vec::new();
        for filter in filters(manifest) {
            let component = filter.component;
            let closed =
                component.element.value(ANDROID, "exported").is_some_and(|value| flag(context, &value) == Some(false));
            if !closed || told.contains(&component.class.as_str()) {
                continue;
            }
            let spec = &filter.spec;
            let what = if spec.has_category("android.intent.category.LAUNCHER") {
                "the launcher"
            } else if spec.is_link() && spec.has_category(BROWSABLE) {
                "links"
            } else if spec.has_action("android.intent.action.SEND")
                || spec.has_action("android.intent.action.SEND_MULTIPLE")
            {
                "the share menu"
            } else {
                continue;
            };
            told.push(&component.class);
            let message = format!("{} has a filter for {what}, but other apps cannot start it", filter.owner());
            let edits = vec![set_android(manifest, component.element, "exported", "true")];
            out.push(
                Finding::new(
                    &ABOUT,
                    component.class.clone(),
                    manifest.value_place(component.element, "exported"),
                    message,
                )
                .mend(manifest_edit("android:exported=\"true\"", manifest, edits)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "exported-closed";

    #[test]
    fn what_others_start_is_opened() {
        let app = Fixture::android(&activity("").replace("exported=\"true\"", "exported=\"false\""));
        assert_eq!(app.found(ID), ["error example.marram.MainActivity 3:66"]);
        app.mends_manifest(ID, &activity(""));
        assert!(Fixture::android(&activity("")).found(ID).is_empty());
    }
}
