//! `merge-conflict`: manifests that the build cannot merge.

use std::collections::HashMap;

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::merge::{Conflict, MergeProblem, Role};
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct MergeConflict;

static ABOUT: About = About {
    id: "merge-conflict",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports manifests of source sets and plugins that the build cannot merge into one.",
    effect: "The manifest merger stops the build.",
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
        let mut told: Vec<Told<'_>> = Vec::new();
        let mut by_place: HashMap<Place, Vec<usize>> = HashMap::new();
        for variant in &context.variants {
            for problem in variant.merged.problems.iter().filter(|problem| !is_told_elsewhere(problem)) {
                let here = by_place.entry(problem.place).or_default();
                let same = |at: &&usize| told.get(**at).is_some_and(|known| is_same(known.problem, problem));
                match here.iter().find(same).and_then(|at| told.get_mut(*at)) {
                    Some(known) => known.variants.push(variant.variant.clone()),
                    None => {
                        here.push(told.len());
                        let role = problem.other.as_ref().and_then(|(_, _, input)| variant.merged.roles.get(*input));
                        told.push(Told { problem, role, variants: vec![variant.variant.clone()] });
                    }
                }
            }
        }
        for Told { problem, role, variants } in told {
            let subject = if problem.subject.is_empty() { &problem.element } else { &problem.subject };
            let some = variants.len() < context.variants.len();
            let names = if some { format!(" ({})", variants.join(", ")) } else { String::new() };
            let mut finding =
                Finding::new(&ABOUT, subject.clone(), problem.place, format!("{}{names}", problem.sentence()))
                    .in_variants(variants)
                    .mend(Remedy::Manual(steps(problem, role)));
            if let Some((place, _, _)) = &problem.other {
                let whose = match role {
                    Some(Role::Library(library)) => format!("what {} adds", library.name),
                    Some(role) => format!("what the source set {} says", role.name()),
                    None => "the other side".to_owned(),
                };
                finding = finding.related(*place, whose);
            }
            out.push(finding);
        }
    }
}

/// A conflict with whose the weaker side is, and the variants that have it.
struct Told<'c> {
    problem: &'c MergeProblem,
    role: Option<&'c Role>,
    variants: Vec<String>,
}

/// Says whether two variants have the same conflict: their inputs may stand in another order.
fn is_same(one: &MergeProblem, other: &MergeProblem) -> bool {
    let place = |problem: &MergeProblem| problem.other.as_ref().map(|(place, value, _)| (*place, value.clone()));
    (one.conflict, one.place, &one.subject, &one.value) == (other.conflict, other.place, &other.subject, &other.value)
        && place(one) == place(other)
}

/// Says whether another rule speaks of it: a permission that is declared twice is told by `permission-duplicate`.
fn is_told_elsewhere(problem: &MergeProblem) -> bool {
    problem.conflict == Conflict::Twice && problem.element.starts_with("uses-permission")
}

fn steps(problem: &MergeProblem, role: Option<&Role>) -> String {
    let (subject, value) = (&problem.subject, &problem.value);
    let tag = problem.element.split(' ').next().unwrap_or_default();
    let other = problem.other.as_ref().map(|(_, value, _)| value.as_str()).unwrap_or_default();
    match problem.conflict {
        Conflict::Attribute => format!(
            "Add tools:replace=\"{subject}\" to this <{tag}> if \"{value}\" is meant; write \"{other}\" if that is. The root element needs xmlns:tools=\"http://schemas.android.com/tools\"."
        ),
        Conflict::Strict => format!("Make the two <{tag}> the same, or remove tools:node=\"strict\"."),
        Conflict::MinLevel => format!(
            "Raise minSdk to {other}. If {} is never used below that level, <uses-sdk tools:overrideLibrary=\"…\"> with its namespace lets it in.",
            role.map_or("the library", Role::name)
        ),
        Conflict::Selector => "Write the namespace of the library that is meant, or remove tools:selector.".to_owned(),
        Conflict::RemovesOwn => format!("Remove either `{subject}` or its name in tools:remove."),
        Conflict::ReplacesNothing => {
            format!("State `{subject}` on this <{tag}>, or remove its name from tools:replace.")
        }
        Conflict::MarkedSdk => "Remove tools:node; the levels of the app always win.".to_owned(),
        Conflict::Twice => "Keep the one that is meant and remove the other.".to_owned(),
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
    use crate::testing::Fixture;

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
        assert_eq!(finding.related.unwrap().1, "what tern_camera adds");
        app.is_left_alone();
    }

    #[test]
    fn what_all_variants_have_is_told_once() {
        let build = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  flavorDimensions 'tier'\n  productFlavors { free { }\n full { } }\n}\n";
        let manifest = |label: &str| {
            format!(
                "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application android:label=\"{label}\" />\n</manifest>\n"
            )
        };
        let app = with_library(
            "    <application android:label=\"a\" android:allowBackup=\"false\" />\n",
            "    <application android:allowBackup=\"true\" />\n",
        )
        .file("android/app/src/free/AndroidManifest.xml", &manifest("b"));
        let mut tree = app.tree();
        tree.put("/app/android/app/build.gradle", build);
        let loaded = crate::app::App::load(&tree, std::path::Path::new("/app"), &[]).unwrap();
        let report = crate::check::check(&loaded, &app.settings);
        let found: Vec<_> = report
            .findings
            .iter()
            .filter(|one| one.rule.id == ID)
            .map(|one| (one.message.as_str(), one.related.as_ref().unwrap().1.as_str(), one.variants.len()))
            .collect();
        assert_eq!(
            found,
            [
                (
                    "`android:label` of application is \"b\" here and \"a\" in a manifest that joins it (freeRelease)",
                    "what the source set main says",
                    1
                ),
                (
                    "`android:allowBackup` of application is \"false\" here and \"true\" in a manifest that joins it",
                    "what tern_camera adds",
                    2
                )
            ]
        );
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
