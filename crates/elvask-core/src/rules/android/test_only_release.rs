//! `test-only-release`: what ships says that it is for trials alone.

use elvask_platform::Platform;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::flags::in_release;

/// See the module.
pub struct TestOnlyRelease;

static ABOUT: About = About {
    id: "test-only-release",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports `android:testOnly=\"true\"` in the manifest of a release.",
    effect: "The store refuses the app, and devices install it from a computer alone.",
    wrong: "<application android:testOnly=\"true\" …>",
    right: "<application …>",
    remedy: "`fill` removes the attribute.",
    source: "<application>",
};

impl Rule for TestOnlyRelease {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        out.extend(in_release(context, &ABOUT, "testOnly"));
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "test-only-release";

    #[test]
    fn what_ships_is_not_for_trials_alone() {
        let app = |value: &str| Fixture::android(&format!("    <application android:testOnly=\"{value}\" />\n"));
        assert_eq!(app("true").found(ID), ["error testOnly 2:36"]);
        assert!(app("false").found(ID).is_empty());
        app("true").mends_manifest(ID, "    <application />\n");
    }
}
