//! `feature-filters-devices`: a permission keeps the app from devices that it is meant for, and the manifest says nothing of that.

use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, android};
use elvask_project::names::ANDROID;
use elvask_project::source::Place;
use elvask_project::surface::{Effective, ManifestView};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::short;

/// See the module.
pub struct FeatureFiltersDevices;

static ABOUT: About = About {
    id: "feature-filters-devices",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports what makes a feature of the device required without a word of it: for tablets a permission for telephony, and in an app that TVs start also the camera, the microphone and the touchscreen.",
    effect: "The store does not offer the app to these devices.",
    wrong: "<uses-permission android:name=\"android.permission.CALL_PHONE\" />",
    right: "<uses-permission android:name=\"android.permission.CALL_PHONE\" />\n<uses-feature android:name=\"android.hardware.telephony\" android:required=\"false\" />",
    remedy: "Only the owner knows whether the app is of use without the feature: required=\"false\" where it is, required=\"true\" where it is not. `fill` writes neither.",
    source: "<uses-feature>: permissions that imply feature requirements",
};

const TV_LAUNCHER: &str = "android.intent.category.LEANBACK_LAUNCHER";
const TOUCHSCREEN: &str = "android.hardware.touchscreen";

impl Rule for FeatureFiltersDevices {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let tv = tv_launcher(manifest);
        let mut told: Vec<&str> = Vec::new();
        let silent = |feature: &str| !context.is_everywhere(manifest, |variant| names(variant, feature));
        for permission in &manifest.permissions {
            for feature in android::implied_features(&permission.name, context.levels.target) {
                let on_tvs = feature.off_tvs && tv.is_some();
                if !(on_tvs || feature.off_tablets) || told.contains(&feature.name) || !silent(feature.name) {
                    continue;
                }
                told.push(feature.name);
                let devices = if on_tvs { "TVs" } else { "tablets" };
                let (name, local) = (short(&permission.name), local(feature.name));
                let message = format!("{name} makes {local} required of every device, and most {devices} have none");
                let place = manifest.value_place(permission.element, "name");
                let finding = Finding::new(&ABOUT, feature.name, place, message)
                    // That the app is for TVs is said; that it is for tablets is not.
                    .level(if on_tvs { Level::Warning } else { Level::Note })
                    .needed_by(context.app, context.needs.of(Kind::Permission, &permission.name))
                    .mend(Remedy::Manual(steps(manifest, feature.name)));
                out.push(match tv.filter(|_| on_tvs) {
                    Some(place) => finding.related(place, "TVs start the app here"),
                    None => finding,
                });
            }
        }
        if let Some(place) = tv.filter(|_| silent(TOUCHSCREEN)) {
            let message = "a touchscreen is required of every device that is not told otherwise, and TVs have none";
            let remedy = Remedy::Manual(steps(manifest, TOUCHSCREEN));
            out.push(Finding::new(&ABOUT, TOUCHSCREEN, place, message).mend(remedy));
        }
    }
}

/// Returns the category by which TVs start the app.
fn tv_launcher(manifest: &ManifestView<'_>) -> Option<Place> {
    let filters = manifest.components.iter().flat_map(|one| one.element.children_named("intent-filter"));
    let mut categories = filters.flat_map(|filter| filter.children_named("category"));
    let category =
        categories.find(|category| category.value(ANDROID, "name").is_some_and(|name| name == TV_LAUNCHER))?;
    Some(manifest.value_place(category, "name"))
}

fn local(feature: &str) -> &str {
    feature.strip_prefix("android.hardware.").unwrap_or(feature)
}

fn steps(manifest: &ManifestView<'_>, feature: &str) -> String {
    let prefix = manifest.prefix();
    format!(
        "If the app is of use without it, put this below the permissions: <uses-feature {prefix}:name=\"{feature}\" {prefix}:required=\"false\" />. Where it is not, required=\"true\" says so on purpose."
    )
}

/// Says whether a manifest speaks of a feature.
fn names(variant: &Effective<'_>, feature: &str) -> bool {
    let root = variant.merged.root();
    let mut features = variant.merged.children(root).filter(|element| element.name == "uses-feature");
    features.any(|element| element.value("name") == Some(feature))
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "feature-filters-devices";

    fn permission(name: &str) -> String {
        format!("    <uses-permission android:name=\"android.permission.{name}\"/>\n")
    }

    fn feature(name: &str, required: bool) -> String {
        format!("    <uses-feature android:name=\"android.hardware.{name}\" android:required=\"{required}\"/>\n")
    }

    /// An activity that TVs start.
    const TV: &str = "    <application>\n        <activity android:name=\".Tv\" android:exported=\"true\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\"/>\n                <category android:name=\"android.intent.category.LEANBACK_LAUNCHER\"/>\n            </intent-filter>\n        </activity>\n    </application>\n";

    #[test]
    fn tablets_are_kept_out_by_telephony() {
        let app = Fixture::android(&permission("CALL_PHONE"));
        assert_eq!(app.found(ID), ["note android.hardware.telephony 2:36"]);
        let finding = &app.findings(ID)[0];
        assert_eq!(finding.message, "CALL_PHONE makes telephony required of every device, and most tablets have none");
        let line = "<uses-feature android:name=\"android.hardware.telephony\" android:required=\"false\" />";
        assert!(finding.remedy.text().contains(line), "{}", finding.remedy.text());
        app.is_left_alone();
    }

    #[test]
    fn a_manifest_that_speaks_of_it_has_decided() {
        for required in [false, true] {
            let said = format!("{}{}", permission("CALL_PHONE"), feature("telephony", required));
            assert!(Fixture::android(&said).found(ID).is_empty(), "on purpose");
        }
        let other = format!("{}{}", permission("CALL_PHONE"), feature("telephony.gsm", false));
        assert_eq!(Fixture::android(&other).found(ID).len(), 1, "of another feature alone");
    }

    #[test]
    fn what_nearly_all_devices_have_is_not_worth_a_word() {
        for name in
            ["CAMERA", "RECORD_AUDIO", "ACCESS_FINE_LOCATION", "BLUETOOTH", "ACCESS_WIFI_STATE", "READ_PHONE_STATE"]
        {
            assert!(Fixture::android(&permission(name)).found(ID).is_empty(), "{name}");
        }
    }

    #[test]
    fn an_app_that_tvs_start_is_kept_from_them() {
        let text = format!("{}{}{TV}", permission("CAMERA"), feature("touchscreen", false));
        let app = Fixture::android(&text);
        assert_eq!(app.found(ID), ["warning android.hardware.camera 2:36"]);
        assert!(app.findings(ID)[0].related.is_some());
        let told = format!("{}{}{}{TV}", permission("CAMERA"), feature("camera", false), feature("touchscreen", false));
        assert!(Fixture::android(&told).found(ID).is_empty());
    }

    #[test]
    fn an_app_for_tvs_says_that_it_wants_no_touchscreen() {
        assert_eq!(Fixture::android(TV).found(ID), ["warning android.hardware.touchscreen 6:41"]);
        let told = format!("{}{TV}", feature("touchscreen", false));
        assert!(Fixture::android(&told).found(ID).is_empty());
        let phone = TV.replace("LEANBACK_", "");
        assert!(Fixture::android(&phone).found(ID).is_empty(), "phones have one");
    }

    #[test]
    fn two_permissions_for_one_feature_are_told_once() {
        let both = format!("{}{}", permission("CALL_PHONE"), permission("SEND_SMS"));
        assert_eq!(Fixture::android(&both).found(ID), ["note android.hardware.telephony 2:36"]);
    }

    #[test]
    fn satellites_are_implied_for_old_targets_alone() {
        let text = format!("{}{}{TV}", permission("ACCESS_FINE_LOCATION"), feature("touchscreen", false));
        assert!(Fixture::android(&text).found(ID).is_empty());
        let old = Fixture::android(&text).levels(16, 20);
        assert_eq!(old.found(ID), ["warning android.hardware.location.gps 2:36"]);
    }
}
