//! `merge-conflict`: manifests that the build cannot merge.

use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy};
use crate::merge::{Conflict, MergeProblem, Role};
use crate::rules::support::only_in;
use crate::rules::{About, Rule};

/// See the module.
pub struct MergeConflict;

static ABOUT: About = About {
    id: "merge-conflict",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports manifests of source sets and plugins that the build cannot merge into one.",
    effect: "The build stops at the merge of the manifests, and there is no app to install.",
    wrong: "<application android:allowBackup=\"false\">   (and a plugin's manifest says \"true\")",
    right: "<application android:allowBackup=\"false\" tools:replace=\"android:allowBackup\">",
    remedy: "By hand: which of two values is meant, only the app's owner can say. A marker such as `tools:replace` lets the app's value win.",
    source: "Manage manifest files",
};

impl Rule for MergeConflict {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut told: Vec<(&MergeProblem, Vec<String>)> = Vec::new();
        for variant in &context.variants {
            for problem in variant.merged.problems.iter().filter(|problem| !is_told_elsewhere(problem)) {
                match told.iter_mut().find(|(known, _)| *known == problem) {
                    Some((_, variants)) => variants.push(variant.variant.clone()),
                    None => told.push((problem, vec![variant.variant.clone()])),
                }
            }
        }
        for (problem, variants) in told {
            let subject = if problem.subject.is_empty() { &problem.element } else { &problem.subject };
            let message = format!("{}{}", problem.sentence(), only_in(context, &variants));
            let mut finding = Finding::new(&ABOUT, subject.clone(), problem.place, message)
                .in_variants(variants)
                .mend(Remedy::Manual(steps(context, problem)));
            if let Some((place, _, input)) = &problem.other {
                let role = context.variants.first().and_then(|variant| variant.merged.roles.get(*input));
                let whose = match role {
                    Some(Role::Library(library)) => format!("what {} brings along", library.name),
                    Some(role) => format!("what the source set {} says", role.name()),
                    None => "the other side".to_owned(),
                };
                finding = finding.related(*place, whose);
            }
            out.push(finding);
        }
    }
}

/// Says whether another rule speaks of it: a permission that stands twice is told by `permission-duplicate`.
fn is_told_elsewhere(problem: &MergeProblem) -> bool {
    problem.conflict == Conflict::Twice && problem.element.starts_with("uses-permission")
}

fn steps(context: &Context<'_>, problem: &MergeProblem) -> String {
    let (subject, value) = (&problem.subject, &problem.value);
    let tag = problem.element.split(' ').next().unwrap_or_default();
    let other = problem.other.as_ref().map(|(_, value, _)| value.as_str()).unwrap_or_default();
    match problem.conflict {
        Conflict::Attribute => format!(
            "Add tools:replace=\"{subject}\" to this <{tag}> if \"{value}\" is meant; write \"{other}\" if that is. The root element needs xmlns:tools=\"http://schemas.android.com/tools\"."
        ),
        Conflict::Strict => format!("Make the two <{tag}> the same, or take tools:node=\"strict\" off."),
        Conflict::MinLevel => {
            let library = problem.other.as_ref().and_then(|(_, _, input)| {
                let role = context.variants.first()?.merged.roles.get(*input)?;
                Some(role.name().to_owned())
            });
            format!(
                "Raise minSdk to {other}. If {} is never used below that level, <uses-sdk tools:overrideLibrary=\"…\"> with its namespace lets it in.",
                library.as_deref().unwrap_or("the library")
            )
        }
        Conflict::Selector => {
            "Write the namespace of the library that is meant, or take tools:selector off.".to_owned()
        }
        Conflict::RemovesOwn => format!("Take either `{subject}` or its name in tools:remove out."),
        Conflict::ReplacesNothing => {
            format!("State `{subject}` on this <{tag}>, or take its name out of tools:replace.")
        }
        Conflict::MarkedSdk => "Take tools:node off; the levels of the app always win.".to_owned(),
        Conflict::Twice => "Keep the one that is meant and take the other out.".to_owned(),
        Conflict::Placeholder => {
            format!("Set it in the app's build file: manifestPlaceholders[\"{subject}\"] = \"…\" in defaultConfig.")
        }
        Conflict::UnknownMarker => {
            "Write one of merge, merge-only-attributes, remove, removeAll, replace and strict.".to_owned()
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "merge-conflict";

    fn with_library(own: &str, library: &str) -> Fixture {
        Fixture::android(own).plugin("tern_camera", "").file("node_modules/tern_camera/android/build.gradle", "").file(
            "node_modules/tern_camera/android/src/main/AndroidManifest.xml",
            &format!("<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" package=\"example.tern\">\n{library}</manifest>\n"),
        )
    }

    #[test]
    fn two_values_for_one_attribute_are_told_with_both_places() {
        let app = with_library(
            "    <application android:allowBackup=\"false\" />\n",
            "    <application android:allowBackup=\"true\" />\n",
        );
        assert_eq!(app.found(ID), ["error android:allowBackup 2:39"]);
        let finding = app.findings(ID).remove(0);
        assert!(finding.remedy.text().contains("tools:replace=\"android:allowBackup\""));
        assert_eq!(finding.related.unwrap().1, "what tern_camera brings along");
        app.is_left_alone();
    }

    #[test]
    fn what_is_settled_is_no_conflict() {
        let app = with_library(
            "    <application android:allowBackup=\"false\" tools:replace=\"android:allowBackup\" />\n",
            "    <application android:allowBackup=\"true\" />\n",
        );
        assert!(app.found(ID).is_empty());
    }

    #[test]
    fn a_level_and_a_placeholder_that_stop_the_build() {
        let app = with_library(
            "    <application><meta-data android:name=\"a\" android:value=\"${key}\" /></application>\n",
            "    <uses-sdk android:minSdkVersion=\"26\" />\n",
        );
        let mut found: Vec<_> = app.findings(ID).into_iter().map(|one| one.message).collect();
        found.sort();
        assert_eq!(
            found,
            ["nothing sets the placeholder ${key}", "the app runs from level 24, and a library needs level 26"]
        );
    }
}
