//! `permission-duplicate`: the same permission is declared twice.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use elvask_markup::xml::{Element, plan};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::surface::{DeclaredPermission, ManifestView};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, short};

/// See the module.
pub struct PermissionDuplicate;

static ABOUT: About = About {
    id: "permission-duplicate",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a permission that the manifest declares twice.",
    effect: "The merge keeps one of them; if `maxSdkVersion` differs, either may win.",
    wrong: "<uses-permission android:name=\"android.permission.INTERNET\" />\n<uses-permission android:name=\"android.permission.INTERNET\" />",
    right: "<uses-permission android:name=\"android.permission.INTERNET\" />",
    remedy: "`fill` takes out a later one that says exactly the same. Where they differ, a person decides which one is meant.",
    source: "Merge multiple manifest files",
};

impl Rule for PermissionDuplicate {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, _context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        two_forms(manifest, out);
        let mut seen: HashMap<(&str, &str), &DeclaredPermission<'_>> = HashMap::new();
        for permission in &manifest.permissions {
            let first = match seen.entry((permission.name.as_ref(), permission.element.name())) {
                Entry::Occupied(first) => *first.get(),
                Entry::Vacant(place) => {
                    place.insert(permission);
                    continue;
                }
            };
            let name = short(&permission.name);
            let finding = Finding::new(
                &ABOUT,
                permission.name.clone(),
                manifest.tag(permission.element),
                format!("{name} is declared twice"),
            )
            .related(manifest.tag(first.element), "declared here already");
            out.push(if says_the_same(first.element, permission.element) {
                let edits = vec![plan::remove(permission.element.node())];
                finding.mend(manifest_edit(format!("remove the second {name}"), manifest, edits))
            } else {
                finding.mend(Remedy::Manual(format!(
                    "The two declarations of {name} differ: keep the one that is meant and remove the other."
                )))
            });
        }
    }
}

/// Tells of a permission that is there for all devices and once more for newer ones.
fn two_forms(manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
    let of = |form: &'static str| manifest.permissions.iter().filter(move |one| one.element.name() == form);
    for newer in of("uses-permission-sdk-23") {
        let wide = |one: &&DeclaredPermission<'_>| match (one.max_level, newer.max_level) {
            (None, _) => true,
            (Some(cap), Some(other)) => cap >= other,
            (Some(_), None) => false,
        };
        let Some(all) = of("uses-permission").filter(|one| one.name == newer.name).find(wide) else { continue };
        let name = short(&newer.name);
        let message = format!("{name} is declared for all devices and once more for those from level 23");
        let edits = vec![plan::remove(newer.element.node())];
        out.push(
            Finding::new(&ABOUT, newer.name.clone(), manifest.tag(newer.element), message)
                .effect("The second declaration adds nothing.")
                .related(manifest.tag(all.element), "this one holds for all")
                .mend(manifest_edit(format!("remove the second {name}"), manifest, edits)),
        );
    }
}

fn says_the_same(one: Element<'_>, other: Element<'_>) -> bool {
    let attributes = |element: Element<'_>| {
        let text = element.document().text();
        let pair = |attribute: elvask_markup::xml::Attribute| {
            (attribute.name.of(text).to_owned(), element.value_of(attribute).into_owned())
        };
        let mut all: Vec<_> = element.attributes().map(pair).collect();
        all.sort();
        all
    };
    attributes(one) == attributes(other)
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-duplicate";
    const INTERNET: &str = "    <uses-permission android:name=\"android.permission.INTERNET\"/>\n";

    #[test]
    fn an_exact_duplicate_is_dropped() {
        let app = Fixture::android(&format!("{INTERNET}    <application/>\n{INTERNET}"));
        assert_eq!(app.found(ID), ["warning android.permission.INTERNET 4:5"]);
        app.mends_manifest(ID, &format!("{INTERNET}    <application/>\n"));
    }

    #[test]
    fn two_that_differ_are_left_to_a_person() {
        let capped = INTERNET.replace("/>", " android:maxSdkVersion=\"28\"/>");
        let app = Fixture::android(&format!("{INTERNET}{capped}"));
        assert_eq!(app.findings(ID)[0].remedy.kind(), "manual");
        app.is_left_alone();
    }
}
