//! `feature-missing`: a plugin needs the manifest to speak of a feature of the device.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::found;

/// See the module.
pub struct FeatureMissing;

static ABOUT: About = About {
    id: "feature-missing",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a feature of the device that a plugin uses and the manifest does not name.",
    effect: "Devices that cannot run that part get the app, or devices that can do not.",
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
        let at_most = |finding: Finding| {
            let level = finding.level.min(Level::Warning);
            finding.level(level)
        };
        out.extend(found(context, Kind::Feature, &ABOUT).into_iter().map(|(finding, _)| at_most(finding)));
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

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
