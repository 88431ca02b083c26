//! `debuggable-release`: what ships lets anybody look into the running app.

use elvask_platform::Platform;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::flags::in_release;

/// See the module.
pub struct DebuggableRelease;

static ABOUT: About = About {
    id: "debuggable-release",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports `android:debuggable=\"true\"` in the manifest of a release.",
    effect: "The store refuses the app, and anybody with the device can look into it while it runs.",
    wrong: "<application android:debuggable=\"true\" …>",
    right: "<application …>",
    remedy: "`fill` removes the attribute: the build sets it for the build types that are for debugging.",
    source: "Prepare your app for release",
};

impl Rule for DebuggableRelease {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        out.extend(in_release(context, &ABOUT, "debuggable"));
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "debuggable-release";

    fn application(attributes: &str) -> Fixture {
        Fixture::android(&format!("    <application{attributes}/>\n"))
    }

    #[test]
    fn what_ships_is_not_debuggable() {
        let app = application(" android:debuggable=\"true\"");
        assert_eq!(app.found(ID), ["error debuggable 2:38"]);
        app.mends_manifest(ID, "    <application/>\n");
        assert!(application("").found(ID).is_empty());
        assert!(application(" android:debuggable=\"false\"").found(ID).is_empty());
    }

    #[test]
    fn a_manifest_for_debugging_may_say_so() {
        let debug = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><application android:debuggable=\"true\"/></manifest>";
        let app = application("").file("android/app/src/debug/AndroidManifest.xml", debug);
        assert!(app.found(ID).is_empty());
    }
}
