//! `feature-missing`: a plugin needs the manifest to speak of a feature of the device.

use elvask_markup::xml::plan::{self, Fragment};
use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level};
use crate::requirement::{Kind, Need};
use crate::rules::support::{manifest_edit, only_in, permission_slot, who_needs};
use crate::rules::{About, Rule};

/// See the module.
pub struct FeatureMissing;

static ABOUT: About = About {
    id: "feature-missing",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a feature of the device that a plugin uses and the manifest does not name.",
    effect: "The store shows the app to devices that cannot run that part, or hides it from devices that could do without.",
    wrong: "<manifest …>\n    <application …>",
    right: "<manifest …>\n    <uses-feature android:name=\"android.hardware.bluetooth_le\" android:required=\"false\" />\n    <application …>",
    remedy: "`fill` adds the element above the application, as required where the plugin says so.",
    source: "App manifest file: <uses-feature>",
};

impl Rule for FeatureMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(manifest) = &context.manifest else { return };
        for group in context.needs.groups(Kind::Feature) {
            let lacking = context.lacking(group.requirements, |variant| {
                let root = variant.merged.root();
                variant
                    .merged
                    .children(root)
                    .any(|element| element.name == "uses-feature" && element.value("name") == Some(group.name))
            });
            if lacking.is_empty() {
                continue;
            }
            let required = group.requirements.iter().all(|one| matches!(one.need, Need::Feature { required: true }));
            let prefix = manifest.prefix();
            let fragment = Fragment::new("uses-feature")
                .with(format!("{prefix}:name"), group.name)
                .with(format!("{prefix}:required"), required.to_string());
            let edits = plan::insert(manifest.root, permission_slot(manifest), &[fragment]);
            let who = who_needs(context, group.requirements);
            let message = format!("`{}` is not named{}, and {who} it", group.name, only_in(context, &lacking));
            let level = group.level().min(Level::Warning);
            out.push(
                Finding::new(&ABOUT, group.name, manifest.tag(manifest.root), message)
                    .level(level)
                    .needed_by(context.app, group.requirements)
                    .in_variants(lacking)
                    .mend(manifest_edit(format!("name the feature {}", group.name), manifest, edits)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "feature-missing";

    #[test]
    fn a_feature_is_named_above_the_application() {
        let app = Fixture::android("    <application/>\n")
            .needs("redshank_scan", "android.feature = 'android.hardware.bluetooth_le'");
        assert_eq!(app.found(ID), ["warning android.hardware.bluetooth_le 1:1"]);
        app.mends_manifest(
            ID,
            "    <uses-feature android:name=\"android.hardware.bluetooth_le\" android:required=\"false\"/>\n    <application/>\n",
        );
        let named = "    <uses-feature android:name='android.hardware.bluetooth_le'/>\n    <application/>\n";
        let app = Fixture::android(named).needs("p", "android.feature = 'android.hardware.bluetooth_le'");
        assert!(app.found(ID).is_empty());
    }
}
