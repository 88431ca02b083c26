//! `permission-not-grantable`: a permission that no app from a store ever gets.

use elvask_needs::remedy::Remedy;
use elvask_platform::android::{self, Grant};
use elvask_platform::{Kind, Platform};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::short;

/// See the module.
pub struct PermissionNotGrantable;

static ABOUT: About = About {
    id: "permission-not-grantable",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a permission that the system keeps for itself, for its maker or for the holder of a role.",
    effect: "An app from a store never gets it; the call throws SecurityException.",
    wrong: "<uses-permission android:name=\"android.permission.REBOOT\" />",
    right: "(no such line)",
    remedy: "A person removes the line. Where it is one that a developer can grant from a shell, the finding is a note.",
    source: "<permission>: android:protectionLevel",
};

impl Rule for PermissionNotGrantable {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for permission in &manifest.permissions {
            let Some(known) = android::permission(&permission.name) else { continue };
            if known.grant() != Grant::Never {
                continue;
            }
            let name = short(&permission.name);
            let message =
                format!("{name} is never granted to an app from a store (its protection is {})", known.protection);
            let finding = Finding::new(
                &ABOUT,
                permission.name.clone(),
                manifest.value_place(permission.element, "name"),
                message,
            )
            .needed_by(context.app, context.needs.of(Kind::Permission, &permission.name));
            out.push(if known.for_developers() {
                let steps = format!("Keep it if it is for tests: `adb shell pm grant` gives {name} to a debug build. Remove it from a release.");
                finding.level(Level::Note).mend(Remedy::Manual(steps))
            } else if name.starts_with("BIND_") {
                let steps = format!("Put `android:permission=\"{}\"` on the service that needs it, and remove this line.", permission.name);
                finding.mend(Remedy::Manual(steps))
            } else {
                finding.mend(Remedy::Manual("Remove the line.".to_owned()))
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-not-grantable";

    #[test]
    fn what_the_system_keeps_is_reported_and_left_to_a_person() {
        let app = Fixture::android(
            "    <uses-permission android:name=\"android.permission.REBOOT\"/>\n    <uses-permission android:name=\"android.permission.WRITE_SECURE_SETTINGS\"/>\n    <uses-permission android:name=\"android.permission.CAMERA\"/>\n    <uses-permission android:name=\"android.permission.BIND_VPN_SERVICE\"/>\n",
        );
        assert_eq!(
            app.found(ID),
            [
                "warning android.permission.REBOOT 2:36",
                "note android.permission.WRITE_SECURE_SETTINGS 3:36",
                "warning android.permission.BIND_VPN_SERVICE 5:36"
            ]
        );
        assert!(app.findings(ID)[2].remedy.text().contains("on the service"));
        app.is_left_alone();
    }
}
