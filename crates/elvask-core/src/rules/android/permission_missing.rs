//! `permission-missing`: a plugin needs a permission that the manifest does not ask for.

use std::cell::LazyCell;

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::found;
use crate::rules::support::{declared, is_shown_by_code_alone};

/// See the module.
pub struct PermissionMissing;

static ABOUT: About = About {
    id: "permission-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a permission that a plugin needs and the app's manifest does not ask for.",
    effect: "The call throws SecurityException or does nothing, and no dialog appears.",
    wrong: "<manifest …>\n    <application …>",
    right: "<manifest …>\n    <uses-permission android:name=\"android.permission.CAMERA\" />\n    <application …>",
    remedy: "`fill` adds the element behind the last permission, or at the top of the manifest. Where the plugin needs it up to a level only, `maxSdkVersion` says so.",
    source: "App manifest file: <uses-permission>",
};

impl Rule for PermissionMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let others = LazyCell::new(|| context.surface.other_manifests(context.scene.app));
        for (finding, together) in found(context, Kind::Permission, &ABOUT) {
            let mut finding = finding.only_if_named(is_shown_by_code_alone(&together.requirements));
            // A manifest of debug builds makes it work on the desk and fail in the shop.
            let elsewhere = others.iter().find_map(|other| Some(other.tag(declared(other, together.name)?.element)));
            if let Some(place) = elsewhere {
                finding = finding.related(place, "declared here, but not in what ships");
            }
            out.push(finding);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::finding::Level;
    use crate::testing::Fixture;

    const ID: &str = "permission-missing";

    #[test]
    fn what_a_plugin_needs_is_wanted_and_added() {
        let app = Fixture::android("    <application />\n").needs("tern_camera", "capability = 'camera'");
        assert_eq!(app.found(ID), ["error android.permission.CAMERA 1:1"]);
        let finding = &app.findings(ID)[0];
        assert_eq!(finding.message, "CAMERA is not declared, and tern_camera needs it");
        assert_eq!(finding.needed_by[0].capability, Some("camera"));
        assert_eq!(finding.remedy.text(), "<uses-permission android:name=\"android.permission.CAMERA\" />");
        app.mends_manifest(
            ID,
            "    <uses-permission android:name=\"android.permission.CAMERA\" />\n    <application />\n",
        );
    }

    #[test]
    fn a_prefix_that_is_not_bound_is_bound_first() {
        let path = crate::testing::MANIFEST;
        let app = Fixture::default()
            .file(path, "<manifest>\n    <application/>\n</manifest>\n")
            .needs("tern_camera", "capability = 'camera'")
            .needs("plover_dialer", "capability = 'open-phone'");
        let app = app.load();
        let filled = crate::fill::fill(&app, &crate::needs::Settings::default()).unwrap();
        let text = &filled.sources.file(app.android.as_ref().unwrap().manifest.unwrap()).text;
        assert!(
            text.starts_with("<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses"),
            "{text}"
        );
        let left = filled
            .left
            .findings
            .iter()
            .filter(|finding| finding.rule.id != "not-judged" && finding.level > Level::Note);
        assert_eq!(left.count(), 0);
        let other =
            "<manifest xmlns:a=\"http://schemas.android.com/apk/res/android\">\n    <application/>\n</manifest>\n";
        let app = Fixture::default().file(path, other).needs("tern_camera", "capability = 'camera'").load();
        let filled = crate::fill::fill(&app, &crate::needs::Settings::default()).unwrap();
        let text = &filled.sources.file(app.android.as_ref().unwrap().manifest.unwrap()).text;
        assert!(text.contains("<uses-permission a:name=\"android.permission.CAMERA\"/>"), "{text}");
    }

    #[test]
    fn the_widest_cap_holds() {
        let app = Fixture::android("    <application/>\n")
            .needs("one", "android.permission = 'android.permission.BLUETOOTH'\nmax-level = 28")
            .needs("two", "android.permission = 'android.permission.BLUETOOTH'\nmax-level = 30");
        app.mends_manifest(
            ID,
            "    <uses-permission android:name=\"android.permission.BLUETOOTH\" android:maxSdkVersion=\"30\"/>\n    <application/>\n",
        );
        let endless = app.needs("three", "android.permission = 'android.permission.BLUETOOTH'");
        assert!(!endless.findings(ID)[0].remedy.text().contains("maxSdkVersion"));
    }

    #[test]
    fn bluetooth_depends_on_the_levels() {
        let app = |min, target| {
            let app = Fixture::android("    <application/>\n").needs("redshank_scan", "capability = 'bluetooth'");
            let subjects = app.levels(min, target).findings(ID).into_iter().map(|finding| finding.subject);
            subjects.map(|name| name.replace("android.permission.", "")).collect::<Vec<_>>()
        };
        assert_eq!(app(24, 35), ["BLUETOOTH", "BLUETOOTH_ADMIN", "BLUETOOTH_CONNECT", "BLUETOOTH_SCAN"]);
        assert_eq!(app(31, 35), ["BLUETOOTH_CONNECT", "BLUETOOTH_SCAN"], "no device has the old ones");
        assert_eq!(app(24, 30), ["BLUETOOTH", "BLUETOOTH_ADMIN"]);
    }

    #[test]
    fn what_is_declared_optional_or_not_turned_on_is_not_missing() {
        let declared = "    <uses-permission-sdk-23 android:name='android.permission.CAMERA'/>\n";
        assert!(Fixture::android(declared).needs("tern_camera", "capability = 'camera'").found(ID).is_empty());
        let optional = Fixture::android("    <application/>\n").needs("p", "capability = 'vibrate'\noptional = true");
        assert_eq!(optional.found(ID), ["note android.permission.VIBRATE 1:1"]);
        optional.is_left_alone();
        let feature = "[features.video]\n[[requires]]\ncapability = 'microphone'\nfeature = 'video'";
        let app = Fixture::android("    <application/>\n").plugin("tern_camera", feature);
        assert!(app.found(ID).is_empty());
        assert_eq!(app.toml("[plugins.tern_camera]\nfeatures = ['video']").found(ID).len(), 1);
    }
}
