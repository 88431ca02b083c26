//! `level-too-low`: the app runs on, or is built with, a lower level than a plugin needs.

use elvask_needs::kinds;
use elvask_needs::kinds::android::level::stated;
use elvask_needs::requirement::{COMPILE_LEVEL, MIN_LEVEL, Need};
use elvask_platform::{Kind, Platform, Strength};
use elvask_project::names::TOOLS;

use crate::context::{Context, Said};
use crate::finding::{About, Finding, Level};
use crate::needs::{Learnt, Requirement};
use crate::rules::Rule;
use crate::rules::support::who_needs;

/// See the module.
pub struct LevelTooLow;

static ABOUT: About = About {
    id: "level-too-low",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a minimum, compile or target level below the one that a plugin needs.",
    effect: "The manifest merger or the compiler stops the build.",
    wrong: "minSdk 21   // and a plugin that needs 23",
    right: "minSdk 23",
    remedy: "`fill` writes the higher number where the build file states a plain one. Raising the minimum takes older devices off; a level that is computed is left to a person.",
    source: "Configure the app module: <uses-sdk> and the Gradle build",
};

impl Rule for LevelTooLow {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(android) = &context.app.android else { return };
        for group in context.needs.groups(Kind::Level) {
            let needed = group.requirements.iter().filter_map(|one| {
                let Need::Level(level) = one.need else { return None };
                Some((level, one))
            });
            let Some(stated) = stated(android, group.name) else { continue };
            let (Some(level), Some(place)) = (stated.value, stated.place) else { continue };
            let let_in = |one: &Requirement| group.name == MIN_LEVEL && is_let_in(context, one);
            let above: Vec<_> = needed.filter(|(needed, one)| *needed > level && !let_in(one)).collect();
            let Some(highest) = above.iter().map(|(needed, _)| *needed).max() else { continue };
            let requirements: Vec<&Requirement> = above.iter().map(|(_, one)| *one).collect();
            let worst = requirements.iter().map(|one| one.level()).max().unwrap_or(Level::Note);
            // A package that takes the app's own level where there is one states only what it falls back to.
            let follows = |one: &&Requirement| {
                one.strength == Strength::Likely && matches!(one.learnt.first(), Some(Learnt::Found(_)))
            };
            let level_of = if requirements.iter().all(follows) { Level::Note } else { worst };
            let text = context.app.sources.text_at(place);
            // The build is not read anew once the number has been raised.
            let number = text.trim().trim_matches(['"', '\'']);
            let number = number.strip_suffix(".0").unwrap_or(number);
            if (number.parse() == Ok(level) || context.app.generated.is_some()) && context.is_changed(place.file) {
                continue;
            }
            let Some(first) = requirements.first() else { continue };
            let said = Said { context, requirement: first };
            let spec = kinds::spec(Kind::Level);
            let Some((_, remedy)) = spec.add(context, group.name, &Need::Level(highest), &said) else { continue };
            // Several may need more than there is; the message names those that need the most.
            let most = above.iter().filter(|(needed, _)| *needed == highest).map(|(_, one)| *one);
            let who = who_needs(context, most);
            let what = match group.name {
                MIN_LEVEL => "the app runs from level",
                COMPILE_LEVEL => "the app is compiled against level",
                _ => "the app targets level",
            };
            let message = format!("{what} {level}, and {who} {highest}");
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(level_of)
                    .needed_by(context.app, requirements)
                    .mend(remedy),
            );
        }
    }
}

/// Says whether the app lets a library in though it wants a higher level: `tools:overrideLibrary` of `<uses-sdk>` names it by its namespace.
fn is_let_in(context: &Context<'_>, requirement: &Requirement) -> bool {
    let libraries = context.app.android.iter().flat_map(|android| &android.libraries);
    let spaces = libraries.filter(|one| one.library.plugin == Some(requirement.plugin));
    let mut spaces = spaces.filter_map(|one| one.namespace.as_deref());
    let named = |space: &str| {
        let sdks = context.manifests.iter().flat_map(|manifest| manifest.root.children_named("uses-sdk"));
        let mut said = sdks.filter_map(|sdk| sdk.value(TOOLS, "overrideLibrary"));
        said.any(|names| names.split(',').any(|name| name.trim() == space))
    };
    spaces.any(named)
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "level-too-low";

    #[test]
    fn a_plain_number_is_raised() {
        let app = Fixture::android("    <application/>\n")
            .levels(21, 35)
            .needs("tern_camera", "android.levels = { min = 23 }");
        let finding = app.findings(ID).remove(0);
        assert_eq!(finding.message, "the app runs from level 21, and tern_camera needs 23");
        assert_eq!(finding.level, crate::finding::Level::Error);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert!(filled.changed.iter().any(|file| filled.sources.file(*file).text.contains("minSdk 23")));
        assert_eq!(filled.left.findings.iter().filter(|finding| finding.rule.id == ID).count(), 0);
        let enough = Fixture::android("    <application/>\n").needs("p", "android.levels = { min = 23, target = 35 }");
        assert!(enough.found(ID).is_empty());
    }

    #[test]
    fn a_library_that_is_let_in_is_not_told() {
        let app = |sdk: &str| {
            Fixture::android(&format!("{sdk}    <application/>\n"))
                .levels(21, 35)
                .needs("tern_camera", "android.levels = { min = 23 }")
                .file("node_modules/tern_camera/android/build.gradle", "android { namespace 'example.tern' }\n")
                .file("node_modules/tern_camera/android/src/main/AndroidManifest.xml", "<manifest/>")
        };
        assert_eq!(app("").found(ID), ["error minSdkVersion 6:12"]);
        assert!(app("    <uses-sdk tools:overrideLibrary=\"example.other, example.tern\"/>\n").found(ID).is_empty());
    }

    #[test]
    fn what_a_package_falls_back_to_is_a_note() {
        let app = Fixture::android("    <application/>\n").levels(21, 35).package("tern_camera").file(
            "node_modules/tern_camera/android/build.gradle",
            "apply plugin: 'com.android.library'\nandroid {\n  minSdkVersion safeExtGet('minSdkVersion', 24)\n}\n",
        );
        assert_eq!(app.found(ID), ["note minSdkVersion 6:12"]);
    }
}
