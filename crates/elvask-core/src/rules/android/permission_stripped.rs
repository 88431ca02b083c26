//! `permission-stripped`: a merge marker takes out a permission that a plugin needs.

use elvask_markup::xml::Attribute;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::EvidenceKind;
use elvask_platform::{Kind, Platform};
use elvask_project::names::TOOLS;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::{Group, Learnt, Requirement};
use crate::rules::Rule;
use crate::rules::support::{only_in, short, who_needs};

/// See the module.
pub struct PermissionStripped;

static ABOUT: About = About {
    id: "permission-stripped",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a `tools:node=\"remove\"` on a permission that a plugin needs.",
    effect: "The merge removes the permission, and the call fails on the device.",
    wrong: "<uses-permission android:name=\"android.permission.CAMERA\" tools:node=\"remove\" />",
    right: "<uses-permission android:name=\"android.permission.CAMERA\" />",
    remedy: "Somebody removed it on purpose, so `fill` leaves it. A person removes the marker, or waives the finding.",
    source: "Merge multiple manifest files: node markers",
};

impl Rule for PermissionStripped {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for (manifest, permission) in
            context.manifests.iter().flat_map(|one| one.removed.iter().map(move |removed| (one, removed)))
        {
            // What nothing but a package's manifest speaks of may be stripped by who knows that the part is never used.
            let requirements: Vec<Requirement> = context.needs.known(Kind::Permission, &permission.name);
            if requirements.iter().all(is_in_a_manifest_alone) {
                continue;
            }
            let group = Group { name: &permission.name, requirements: &requirements };
            let lacking = context.lacking(group.requirements, |variant| {
                variant.permission(group.name).is_some() || !variant.files.contains(&manifest.file)
            });
            if lacking.is_empty() {
                continue;
            }
            let name = short(group.name);
            let marker = permission.element.attribute(TOOLS, "node").map(|Attribute { value, .. }| manifest.at(value));
            let message = format!(
                "a merge marker removes {name}{}, and {} it",
                only_in(context, &lacking),
                who_needs(context, group.requirements)
            );
            let steps = format!(
                "Remove tools:node=\"remove\" from {name}, or waive this finding if the plugin's part is never used."
            );
            out.push(
                Finding::new(&ABOUT, group.name, marker.unwrap_or(manifest.tag(permission.element)), message)
                    .level(group.level())
                    .needed_by(context.app, group.requirements)
                    .in_variants(lacking)
                    .mend(Remedy::Manual(steps)),
            );
        }
    }
}

/// Says whether nothing but the manifest that a package brings along shows a need.
fn is_in_a_manifest_alone(requirement: &Requirement) -> bool {
    let manifest = |learnt: &Learnt| matches!(learnt, Learnt::Found(found) if found.kind == EvidenceKind::Manifest);
    requirement.brought && requirement.learnt.iter().all(manifest)
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-stripped";
    const REMOVED: &str = "    <uses-permission android:name=\"android.permission.CAMERA\" tools:node=\"remove\"/>\n";

    #[test]
    fn an_explicit_removal_is_reported_and_never_undone() {
        let app = Fixture::android(REMOVED).needs("tern_camera", "capability = 'camera'");
        assert_eq!(app.found(ID), ["error android.permission.CAMERA 2:75"]);
        assert!(app.found("permission-missing").is_empty());
        app.is_left_alone();
        assert!(Fixture::android(REMOVED).found(ID).is_empty(), "nobody needs it");
        let brings = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><uses-permission android:name=\"android.permission.CAMERA\"/></manifest>";
        let brought = Fixture::android(REMOVED)
            .package("tern_camera")
            .file("node_modules/tern_camera/android/src/main/AndroidManifest.xml", brings)
            .file("node_modules/tern_camera/android/build.gradle", "apply plugin: 'com.android.library'\n");
        assert_eq!(brought.found(ID), [""; 0], "who strips what only a manifest speaks of knows why");
        let used = brought.file(
            "node_modules/tern_camera/android/src/main/java/tern/Eye.java",
            "class Eye { void open(android.hardware.camera2.CameraManager m) { m.openCamera(id, back, null); } }",
        );
        assert_eq!(used.found(ID).len(), 1, "whoever brings it");
    }
}
