//! `permission-misplaced`: a `<uses-permission>` that is not a child of `<manifest>`.

use std::collections::HashSet;

use elvask_markup::xml::plan;
use elvask_platform::{Kind, Platform};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, permission_slot, short};

/// See the module.
pub struct PermissionMisplaced;

static ABOUT: About = About {
    id: "permission-misplaced",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a permission inside `<application>` or deeper, where the platform does not look for it.",
    effect: "The build succeeds, and the permission is ignored as if it were not declared.",
    wrong: "<application …>\n    <uses-permission android:name=\"android.permission.RECORD_AUDIO\" />\n</application>",
    right: "<uses-permission android:name=\"android.permission.RECORD_AUDIO\" />\n<application …>",
    remedy: "`fill` moves the element behind the last permission; where the same permission is there already, it removes the misplaced one.",
    source: "App manifest file: <uses-permission>",
};

impl Rule for PermissionMisplaced {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let mut there: HashSet<&str> = manifest.permissions.iter().map(|one| one.name.as_ref()).collect();
        let slot = permission_slot(manifest);
        for permission in &manifest.misplaced_permissions {
            let name = short(&permission.name);
            let parent = permission.element.parent().map_or("manifest", |parent| parent.name());
            let (title, edits) = if !there.insert(&permission.name) {
                (
                    format!("remove the misplaced {name}: it is declared already"),
                    vec![plan::remove(permission.element.node())],
                )
            } else {
                (format!("move {name} up into <manifest>"), plan::move_into(permission.element, manifest.root, slot))
            };
            let needed = context.needs.of(Kind::Permission, &permission.name);
            let message = format!(
                "{name} is inside <{parent}>, where it is ignored; a permission belongs directly inside <manifest>"
            );
            out.push(
                Finding::new(&ABOUT, permission.name.clone(), manifest.tag(permission.element), message)
                    .needed_by(context.app, needed)
                    .mend(manifest_edit(title, manifest, edits)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-misplaced";
    const INSIDE: &str = "    <application>\n        <!-- mine -->\n        <uses-permission android:name=\"android.permission.RECORD_AUDIO\"/>\n    </application>\n";

    #[test]
    fn it_is_moved_to_where_the_platform_looks() {
        let app = Fixture::android(INSIDE).needs("curlew_dictation", "capability = 'microphone'");
        assert_eq!(app.found(ID), ["error android.permission.RECORD_AUDIO 4:9"]);
        assert_eq!(app.findings(ID)[0].needed_by[0].plugin, "curlew_dictation");
        assert!(app.found("permission-missing").is_empty(), "one mistake, one finding");
        app.mends_manifest(
            ID,
            "    <!-- mine -->\n    <uses-permission android:name=\"android.permission.RECORD_AUDIO\"/>\n    <application>\n    </application>\n",
        );
    }

    #[test]
    fn it_is_taken_out_where_it_is_declared_already() {
        let twice = format!("    <uses-permission android:name=\"android.permission.RECORD_AUDIO\"/>\n{INSIDE}");
        let once = "    <uses-permission android:name=\"android.permission.RECORD_AUDIO\"/>\n    <application>\n        <!-- mine -->\n    </application>\n";
        Fixture::android(&twice).mends_manifest(ID, once);
    }
}
