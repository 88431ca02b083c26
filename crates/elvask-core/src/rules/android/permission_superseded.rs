//! `permission-superseded`: a permission that stops doing anything at a level is declared without an end.

use elvask_platform::{Kind, Platform, android};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, set_android, short};

/// See the module.
pub struct PermissionSuperseded;

static ABOUT: About = About {
    id: "permission-superseded",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a permission that later levels ignore, declared without `maxSdkVersion`.",
    effect: "On newer devices it does nothing, but users and reviewers still see it.",
    wrong: "<uses-permission android:name=\"android.permission.WRITE_EXTERNAL_STORAGE\" />",
    right: "<uses-permission android:name=\"android.permission.WRITE_EXTERNAL_STORAGE\"\n    android:maxSdkVersion=\"29\" />",
    remedy: "`fill` adds `maxSdkVersion`. What takes over on newer levels is added where a plugin needs it; the app's own code is for a person to look at.",
    source: "Behavior changes, by level",
};

impl Rule for PermissionSuperseded {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for permission in &manifest.permissions {
            let Some(known) = android::succession(&permission.name) else { continue };
            let stated = context.needs.group(Kind::Permission, &permission.name);
            // A plugin that states where it ends is told by `permission-wider`; one that needs it for ever, not at all.
            let alone = known
                .beside
                .is_some_and(|other| !context.is_everywhere(manifest, |variant| variant.permission(other).is_some()));
            if context.levels.target < known.target_from || permission.max_level.is_some() || stated.is_some() || alone
            {
                continue;
            }
            let name = short(&permission.name);
            let absent: Vec<_> = known
                .successors
                .iter()
                .filter(|next| !context.is_everywhere(manifest, |variant| variant.permission(next).is_some()))
                .map(|next| short(next))
                .collect();
            let next = if known.successors.is_empty() {
                String::new()
            } else if absent.is_empty() {
                "; its successor is declared".to_owned()
            } else if let [only] = absent.as_slice() {
                format!("; its successor {only} is not declared")
            } else {
                format!("; its successors {} are not declared", absent.join(", "))
            };
            let edit = set_android(manifest, permission.element, "maxSdkVersion", &known.cap.to_string());
            // Where nothing needs what takes over, the line does no harm.
            let needed =
                |next: &&&str| context.needs.group(Kind::Permission, next).is_some_and(|one| one.level() > Level::Note);
            let level = if known.successors.iter().any(|next| needed(&next)) { Level::Warning } else { Level::Note };
            let finding = Finding::new(
                &ABOUT,
                permission.name.clone(),
                manifest.value_place(permission.element, "name"),
                format!(
                    "{name} does nothing above level {}, and its declaration has no maxSdkVersion{next}",
                    known.cap
                ),
            );
            let title = format!("end {name} at level {}: android:maxSdkVersion=\"{}\"", known.cap, known.cap);
            out.push(finding.level(level).effect(known.effect).mend(manifest_edit(title, manifest, vec![edit])));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-superseded";
    const STORAGE: &str = "    <uses-permission android:name=\"android.permission.WRITE_EXTERNAL_STORAGE\" />\n";

    #[test]
    fn an_endless_old_permission_is_given_its_end() {
        let mut app = Fixture::android(STORAGE);
        assert_eq!(app.found(ID), ["note android.permission.WRITE_EXTERNAL_STORAGE 2:36"], "it does no harm");
        app.is_left_alone();
        app.settings.only.push(ID.to_owned());
        app.mends_manifest(ID, &STORAGE.replace(" />", " android:maxSdkVersion=\"29\" />"));
        assert!(app.levels(21, 29).found(ID).is_empty(), "below the level where it ends");
    }

    #[test]
    fn the_successors_that_are_absent_are_named() {
        let app = Fixture::android(
            "    <uses-permission android:name=\"android.permission.BLUETOOTH_ADMIN\"/>\n    <uses-permission android:name=\"android.permission.BLUETOOTH_SCAN\"/>\n",
        );
        let message = &app.findings(ID)[0].message;
        assert!(message.ends_with("its successor BLUETOOTH_CONNECT is not declared"), "{message}");
        let need = "android.permission = 'android.permission.BLUETOOTH_CONNECT'";
        assert_eq!(app.needs("redshank_scan", need).found(ID), ["warning android.permission.BLUETOOTH_ADMIN 2:36"]);
    }

    #[test]
    fn a_plugin_that_needs_it_decides() {
        let app = Fixture::android(STORAGE);
        let need = "android.permission = 'android.permission.WRITE_EXTERNAL_STORAGE'";
        assert!(app.needs("p", need).found(ID).is_empty());
    }
}
