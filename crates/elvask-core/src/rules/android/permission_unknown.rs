//! `permission-unknown`: the platform has no permission of that name.

use elvask_markup::Edit;
use elvask_markup::xml::plan;
use elvask_needs::remedy::Remedy;
use elvask_platform::release::newest_level;
use elvask_platform::{Kind, Platform, android};
use elvask_project::names::ANDROID;
use elvask_project::surface::{ManifestView, claims_the_platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{declared, manifest_edit, short};

/// See the module.
pub struct PermissionUnknown;

static ABOUT: About = About {
    id: "permission-unknown",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a permission under a name of the platform that the platform does not have.",
    effect: "The build succeeds, and a permission of that name is never granted.",
    wrong: "<uses-permission android:name=\"android.permission.POST_NOTIFICATION\" />",
    right: "<uses-permission android:name=\"android.permission.POST_NOTIFICATIONS\" />",
    remedy: "`fill` corrects the name where exactly one known name is near it. Otherwise a person looks it up; a name that may be newer than Elvask's tables is a warning.",
    source: "Manifest.permission",
};

impl Rule for PermissionUnknown {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for permission in &manifest.permissions {
            let name = permission.name.as_ref();
            if !claims_the_platform(name)
                || android::permission(name).is_some()
                || manifest.defined.contains(&permission.name)
                || is_defined_by_a_library(context, name)
            {
                continue;
            }
            let finding =
                |message: String| Finding::new(&ABOUT, name, manifest.value_place(permission.element, "name"), message);
            let Some(meant) = permission.meant else {
                let message = format!("Android has no permission `{name}` up to level {}", newest_level());
                let steps = "Look the name up in the platform's reference; remove the line if the permission is gone.";
                out.push(finding(message).level(Level::Warning).mend(Remedy::Manual(steps.to_owned())));
                continue;
            };
            let needed = context.needs.of(Kind::Permission, meant.name);
            let message = format!("Android has no permission `{name}`; {} is meant", short(meant.name));
            let (title, edit) = if declared(manifest, meant.name).is_some() {
                (
                    format!("remove it: {} is declared already", short(meant.name)),
                    plan::remove(permission.element.node()),
                )
            } else {
                let value = permission.element.attribute(ANDROID, "name").map(|attribute| attribute.value);
                (format!("correct the name to {}", meant.name), Edit::replace(value.unwrap_or_default(), meant.name))
            };
            out.push(finding(message).needed_by(context.app, needed).mend(manifest_edit(title, manifest, vec![edit])));
        }
    }
}

/// Says whether a library of the app defines a permission.
fn is_defined_by_a_library(context: &Context<'_>, name: &str) -> bool {
    context.app.android.iter().flat_map(|android| &android.libraries).any(|library| {
        library
            .document
            .root()
            .children_named("permission")
            .any(|defined| defined.value(ANDROID, "name").is_some_and(|known| known == name))
    })
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-unknown";

    fn permission(name: &str) -> String {
        format!("    <uses-permission android:name=\"{name}\"/>\n")
    }

    #[test]
    fn a_misspelt_name_is_corrected() {
        let app = Fixture::android(&permission("android.permission.POST_NOTIFICATION"))
            .needs("dunlin_alerts", "capability = 'notifications'");
        assert_eq!(app.found(ID), ["error android.permission.POST_NOTIFICATION 2:36"]);
        assert_eq!(app.findings(ID)[0].needed_by[0].plugin, "dunlin_alerts");
        assert!(app.found("permission-missing").is_empty(), "one mistake, one finding");
        app.mends_manifest(ID, &permission("android.permission.POST_NOTIFICATIONS"));
    }

    #[test]
    fn a_name_without_its_prefix_is_completed() {
        Fixture::android(&permission("CAMERA")).mends_manifest(ID, &permission("android.permission.CAMERA"));
        let both = permission("android.permission.CAMERA") + &permission("android.permissions.CAMERA");
        Fixture::android(&both).mends_manifest(ID, &permission("android.permission.CAMERA"));
    }

    #[test]
    fn names_of_others_are_not_judged() {
        let own = "    <permission android:name=\"android.permission.OWN\"/>\n";
        for name in ["example.marram.permission.LOG", "android.permission.health.READ_STEPS", "${applicationId}.X"] {
            assert!(Fixture::android(&permission(name)).found(ID).is_empty(), "{name}");
        }
        assert!(Fixture::android(&format!("{own}{}", permission("android.permission.OWN"))).found(ID).is_empty());
        let strange = Fixture::android(&permission("android.permission.READ_THE_TIDE_TABLES"));
        assert_eq!(strange.found(ID), ["warning android.permission.READ_THE_TIDE_TABLES 2:36"]);
    }

    #[test]
    fn a_slip_in_the_prefix_is_corrected() {
        let app = Fixture::android(&permission("andriod.permission.CAMERA"));
        app.mends_manifest(ID, &permission("android.permission.CAMERA"));
        assert!(Fixture::android(&permission("example.permission.CAMERA")).found(ID).is_empty());
    }
}
