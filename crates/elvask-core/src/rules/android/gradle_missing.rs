//! `gradle-missing`: a plugin needs a line of the build that is not there.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::missing;

/// See the module.
pub struct GradleMissing;

static ABOUT: About = About {
    id: "gradle-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a Gradle plugin, a dependency, a repository or a keep rule that a plugin needs and the build does not state.",
    effect: "The build fails, or a service or class is missing on the device.",
    wrong: "plugins {\n    id 'com.android.application'\n}",
    right: "plugins {\n    id 'com.android.application'\n    id 'example.knot.services'\n}",
    remedy: "`fill` adds the line where the build has a plain place for it: a block of that name, or a file of keep rules. What has none is left to a person, with the line.",
    source: "Configure your build",
};

impl Rule for GradleMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        missing(context, Kind::Gradle, &ABOUT, out);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "gradle-missing";

    #[test]
    fn plugins_and_dependencies_are_added_behind_the_others() {
        let build = "plugins {\n    id 'com.android.application'\n}\nandroid {\n    namespace 'example.marram'\n}\ndependencies {\n    implementation 'example.wrack:dates:1.0.4'\n}\n";
        let root = "buildscript {\n    dependencies {\n        classpath 'example.knot:services:4.3'\n    }\n}\n";
        let app = Fixture::android("    <application/>\n")
            .build(build)
            .file("android/build.gradle", root)
            .needs("knot_banner", "android.gradle = { file = 'app', plugin = 'example.knot.services' }")
            .needs("avocet_checkout", "android.gradle = { file = 'app', dependency = 'example.avocet:checkout:2.0.0' }")
            .agreed(&["example.knot.services"]);
        assert_eq!(app.found(ID), ["error example.knot.services 1:1", "error example.avocet:checkout 7:1"]);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = &filled.sources.file(filled.changed[0]).text;
        assert_eq!(
            text.as_ref(),
            build
                .replace("application'\n}", "application'\n    id 'example.knot.services'\n}")
                .replace("1.0.4'\n", "1.0.4'\n    implementation 'example.avocet:checkout:2.0.0'\n")
        );
        assert!(filled.left.findings.iter().all(|finding| finding.rule.id != ID));
    }

    #[test]
    fn a_repository_goes_where_the_others_are() {
        let settings =
            "dependencyResolutionManagement {\n    repositories {\n        google()\n    }\n}\ninclude ':app'\n";
        let app = Fixture::android("    <application/>\n").file("android/settings.gradle", settings).needs(
            "avocet_checkout",
            "android.gradle = { file = 'root', repository = 'https://maven.avocet.example/releases' }",
        );
        let app = app.agreed(&["https://maven.avocet.example/releases"]);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert_eq!(
            filled.sources.file(filled.changed[0]).text.as_ref(),
            settings.replace("google()\n", "google()\n        maven { url 'https://maven.avocet.example/releases' }\n")
        );
    }

    #[test]
    fn a_file_without_dependencies_gets_a_block() {
        let build = "plugins { id 'com.android.application' }\n";
        let app = Fixture::android("    <application/>\n").build(build);
        let app = app.needs("p", "android.gradle = { dependency = 'example.avocet:checkout:2.0.0' }");
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = &filled.sources.file(filled.changed[0]).text;
        assert_eq!(
            text.as_ref(),
            format!("{build}\ndependencies {{\n    implementation 'example.avocet:checkout:2.0.0'\n}}\n")
        );
    }

    #[test]
    fn a_repository_is_left_to_a_person_and_a_keep_rule_is_looked_for() {
        let app = Fixture::android("    <application/>\n").needs(
            "avocet_checkout",
            "android.gradle = { file = 'root', repository = 'https://maven.avocet.example/releases' }",
        );
        let app = app.agreed(&["https://maven.avocet.example/releases"]);
        let finding = app.findings(ID).remove(0);
        assert!(
            finding.remedy.text().contains("maven { url 'https://maven.avocet.example/releases' }"),
            "{:?}",
            finding.remedy
        );
        let rule = "-keep class example.knot.** { *; }";
        let build = "plugins { id 'com.android.application' }\nandroid {\n  buildTypes {\n    release {\n      proguardFiles 'rules.pro'\n    }\n  }\n}\n";
        let app = Fixture::android("    <application/>\n").build(build).file("android/app/rules.pro", "# none\n");
        let app = app.needs("knot_banner", &format!("android.gradle = {{ keep-rule = '{rule}' }}"));
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert_eq!(filled.sources.file(filled.changed[0]).text.as_ref(), format!("# none\n{rule}\n"));
    }

    const APPLIED: &str = "plugins {\n    id 'com.android.application'\n}\n";
    const ID_NEED: &str = "android.gradle = { file = 'app', plugin = 'example.knot.services' }";

    /// Returns what the scripts of the root and of the app say once an app is filled.
    fn filled(app: &Fixture) -> (String, String) {
        let app = app.clone().agreed(&["example.knot.services"]);
        let loaded = app.load();
        let filled = crate::fill::fill(&loaded, &app.settings).unwrap();
        let text = |shown: &str| {
            filled.sources.all().find(|file| file.shown == shown).map(|file| file.text.to_string()).unwrap_or_default()
        };
        (text("android/build.gradle"), text("android/app/build.gradle"))
    }

    #[test]
    fn a_plugin_without_its_class_path_is_not_applied() {
        let root = "plugins {\n    id 'com.android.application' version '8.7.0' apply false\n}\n";
        let app = Fixture::android("    <application/>\n").build(APPLIED).file("android/build.gradle", root);
        let alone = app.clone().needs("knot_banner", ID_NEED);
        assert_eq!(filled(&alone), (root.to_owned(), APPLIED.to_owned()));
        let path =
            "android.gradle = { file = 'root', dependency = 'example.knot:services:4.3', configuration = 'classpath' }";
        let both = app.clone().plugin("knot_banner", &format!("[[requires]]\n{ID_NEED}\n[[requires]]\n{path}"));
        let made = "buildscript {\n    repositories {\n        google()\n        mavenCentral()\n    }\n    dependencies {\n        classpath 'example.knot:services:4.3'\n    }\n}\n\n";
        let applied = APPLIED.replace("}\n", "    id 'example.knot.services'\n}\n");
        assert_eq!(filled(&both), (format!("{made}{root}"), applied.clone()));
        let version = app.needs("knot_banner", &ID_NEED.replace(" }", ", version = '4.3' }"));
        let stated = root.replace("}\n", "    id 'example.knot.services' version '4.3' apply false\n}\n");
        assert_eq!(filled(&version), (stated, applied));
    }

    #[test]
    fn a_plugin_of_the_catalog_is_named_as_the_catalog_does() {
        let build = "plugins {\n    alias(libs.plugins.android.application)\n}\n";
        let catalog = "[versions]\nknot = \"4.3\"\n[plugins]\nandroid-application = { id = \"com.android.application\", version = \"8.7.0\" }\nknot-services = { id = \"example.knot.services\", version.ref = \"knot\" }\n";
        let app = Fixture::android("    <application/>\n")
            .build(build)
            .file("android/settings.gradle", "include ':app'\n")
            .file("android/gradle/libs.versions.toml", catalog)
            .needs("knot_banner", ID_NEED);
        assert_eq!(filled(&app).1, build.replace("}\n", "    alias(libs.plugins.knot.services)\n}\n"));
    }

    #[test]
    fn names_in_quotes_are_called_too() {
        let build = "plugins {\n    id(\"com.android.application\")\n}\ndependencies {\n    \"freeImplementation\"(\"example.avocet:checkout:2.0.0\")\n}\n";
        let app = Fixture::android("    <application/>\n")
            .build(build)
            .needs("p", "android.gradle = { dependency = 'example.avocet:checkout', version = '2.0.0' }");
        assert!(app.found(ID).is_empty(), "{:?}", app.found(ID));
    }
}
