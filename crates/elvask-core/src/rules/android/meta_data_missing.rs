//! `meta-data-missing`: a plugin looks for a value that the manifest does not hold.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::missing;

/// See the module.
pub struct MetaDataMissing;

static ABOUT: About = About {
    id: "meta-data-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a `<meta-data>` that a plugin reads and the manifest does not contain.",
    effect: "The plugin does not find its value when it starts, and the app may crash.",
    wrong: "<application …>\n</application>",
    right: "<application …>\n    <meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\" />\n</application>",
    remedy: "`fill` adds the element into the one that the plugin looks in, once the owner has given the value.",
    source: "App manifest file: <meta-data>",
};

impl Rule for MetaDataMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        missing(context, Kind::MetaData, &ABOUT, out);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;
    use elvask_needs::remedy::{Remedy, Want};

    const ID: &str = "meta-data-missing";
    const SHEET: &str = "[[requires]]\nandroid.meta-data = { name = 'example.knot.APP_ID', value = '{app_id}' }\n[answers.app_id]\ntitle = 'The app id'\npattern = 'knot-[0-9]{8}'";

    fn app() -> Fixture {
        Fixture::android("    <application>\n        <activity android:name=\".A\"/>\n    </application>\n")
            .plugin("knot_banner", SHEET)
    }

    #[test]
    fn without_an_answer_the_value_is_asked_for() {
        assert_eq!(app().found(ID), ["error example.knot.APP_ID 2:5"]);
        let finding = app().findings(ID).remove(0);
        let Remedy::Answer { wants, lines } = finding.remedy else { panic!("{finding:?}") };
        assert_eq!(lines, "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"…\" />");
        let Want::Answer { plugin, key, title, .. } = &wants[0] else { panic!("{wants:?}") };
        assert_eq!((plugin.as_str(), key.as_str(), title.as_deref()), ("knot_banner", "app_id", Some("The app id")));
        app().is_left_alone();
    }

    #[test]
    fn with_an_answer_it_is_written() {
        let app = app().toml("[plugins.knot_banner.answers]\napp_id = 'knot-48210077'");
        app.mends_manifest(
            ID,
            "    <application>\n        <activity android:name=\".A\"/>\n        <meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\"/>\n    </application>\n",
        );
    }
}
