//! `permission-wider`: a permission has no end, though the plugins that need it state one.

use elvask_platform::{Kind, Platform};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, set_android, short, who_needs};

/// See the module.
pub struct PermissionWider;

static ABOUT: About = About {
    id: "permission-wider",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a permission that is asked for at more levels than its plugins need.",
    effect: "Newer devices list a permission without use; users and reviewers ask why.",
    wrong: "<uses-permission android:name=\"android.permission.BLUETOOTH\" />",
    right: "<uses-permission android:name=\"android.permission.BLUETOOTH\"\n    android:maxSdkVersion=\"30\" />",
    remedy: "`fill` sets `maxSdkVersion` to the widest level that a plugin states. Waive the finding where the app's own code needs the permission above it.",
    source: "App manifest file: <uses-permission>",
};

impl Rule for PermissionWider {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for permission in &manifest.permissions {
            let Some(group) = context.needs.group(Kind::Permission, &permission.name) else { continue };
            let Some(wanted) = group.max_level() else { continue };
            if permission.max_level.is_some_and(|cap| cap <= wanted) {
                continue;
            }
            let name = short(&permission.name);
            let now =
                permission.max_level.map_or("has no maxSdkVersion".to_owned(), |cap| format!("ends at level {cap}"));
            let who = who_needs(context, group.requirements);
            let edit = set_android(manifest, permission.element, "maxSdkVersion", &wanted.to_string());
            let title = format!("end {name} at level {wanted}: android:maxSdkVersion=\"{wanted}\"");
            out.push(
                Finding::new(
                    &ABOUT,
                    permission.name.clone(),
                    manifest.tag(permission.element),
                    format!("{name} {now}, and {who} it up to level {wanted} only"),
                )
                .level(group.level().min(Level::Warning))
                .needed_by(context.app, group.requirements)
                .mend(manifest_edit(title, manifest, vec![edit])),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-wider";
    const OPEN: &str = "    <uses-permission\n        android:name=\"android.permission.BLUETOOTH\" />\n";

    #[test]
    fn the_widest_stated_end_is_written() {
        let need = "android.permission = 'android.permission.BLUETOOTH'";
        let app = Fixture::android(OPEN)
            .needs("one", &format!("{need}\nmax-level = 28"))
            .needs("redshank_scan", &format!("{need}\nmax-level = 30"));
        assert_eq!(app.found(ID), ["warning android.permission.BLUETOOTH 2:5"]);
        assert!(app.found("permission-superseded").is_empty(), "one mistake, one finding");
        app.mends_manifest(ID, &OPEN.replace(" />", "\n        android:maxSdkVersion=\"30\" />"));
        assert!(app.needs("two", need).found(ID).is_empty(), "somebody needs it without an end");
    }
}
