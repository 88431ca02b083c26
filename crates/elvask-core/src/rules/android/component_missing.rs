//! `component-missing`: a plugin needs a component that the manifest does not declare.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::missing;

/// See the module.
pub struct ComponentMissing;

static ABOUT: About = About {
    id: "component-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an activity, service, receiver or provider that a plugin needs and the app's manifest does not declare.",
    effect: "Starting it throws an exception, or the system never calls it.",
    wrong: "<application …>\n</application>",
    right: "<application …>\n    <service android:name=\"example.godwit.FloatService\" android:exported=\"false\" />\n</application>",
    remedy: "`fill` adds the element at the end of the application.",
    source: "App manifest file: <service>",
};

impl Rule for ComponentMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        missing(context, Kind::Component, &ABOUT, out);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "component-missing";

    const NEED: &str = "android.component = { kind = 'service', name = 'example.godwit.FloatService', exported = false, foreground-type = 'specialUse' }";

    #[test]
    fn a_service_goes_into_the_application() {
        let app = Fixture::android("    <application>\n    </application>\n").needs("godwit_float", NEED);
        assert_eq!(app.found(ID), ["error example.godwit.FloatService 2:5"]);
        // With it comes what a service of that type works with.
        app.mends_manifest(
            ID,
            "    <uses-permission android:name=\"android.permission.FOREGROUND_SERVICE\" />\n    <uses-permission android:name=\"android.permission.FOREGROUND_SERVICE_SPECIAL_USE\" />\n    <application>\n        <service android:name=\"example.godwit.FloatService\" android:exported=\"false\" android:foregroundServiceType=\"specialUse\" />\n    </application>\n",
        );
    }

    #[test]
    fn what_a_library_declares_is_not_missing() {
        let library = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" package=\"example.godwit\"><application><service android:name=\".FloatService\"/></application></manifest>";
        let app = Fixture::android("    <application/>\n")
            .needs("godwit_float", NEED)
            .file("node_modules/godwit_float/android/src/main/AndroidManifest.xml", library);
        assert!(app.found(ID).is_empty());
    }
}
