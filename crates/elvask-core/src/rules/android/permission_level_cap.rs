//! `permission-level-cap`: `maxSdkVersion` ends a permission too early.

use elvask_markup::xml::plan;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform};
use elvask_project::names::ANDROID;
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Requirement;
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, set_android, short, who_needs};

/// See the module.
pub struct PermissionLevelCap;

static ABOUT: About = About {
    id: "permission-level-cap",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a `maxSdkVersion` that ends a permission below a level at which a plugin needs it, or below the lowest level that the app runs on.",
    effect: "On devices above that level the permission is not granted, and the call fails.",
    wrong: "<uses-permission android:name=\"android.permission.CAMERA\"\n    android:maxSdkVersion=\"28\" />",
    right: "<uses-permission android:name=\"android.permission.CAMERA\" />",
    remedy: "`fill` raises the level to the one that the plugins state, or removes the attribute. A declaration that applies to no device of the app is left to a person.",
    source: "App manifest file: <uses-permission>",
};

impl Rule for PermissionLevelCap {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for permission in &manifest.permissions {
            let Some(cap) = permission.max_level else { continue };
            let name = short(&permission.name);
            let finding = |message: String| {
                Finding::new(
                    &ABOUT,
                    permission.name.clone(),
                    manifest.value_place(permission.element, "maxSdkVersion"),
                    message,
                )
            };
            let other = manifest.permissions.iter().any(|other| {
                other.name == permission.name
                    && other.element != permission.element
                    && other.max_level.is_none_or(|level| level > cap)
            });
            let needed = context.needs.group(Kind::Permission, &permission.name);
            let wanted = needed.as_ref().map(crate::needs::Group::max_level);
            match wanted {
                Some(wanted) if !other && wanted.is_none_or(|wanted| wanted > cap) => {
                    let wider = |one: &&Requirement| match one.need {
                        elvask_needs::requirement::Need::Permission { max_level } => {
                            max_level.is_none_or(|level| level > cap)
                        }
                        _ => false,
                    };
                    let requirements: Vec<_> =
                        needed.iter().flat_map(|group| group.requirements).filter(wider).collect();
                    let worst = requirements.iter().map(|one| one.level()).max().unwrap_or(Level::Note);
                    let who = who_needs(context, requirements.iter().copied());
                    let (until, title, edit) = match wanted {
                        Some(level) => (
                            format!("up to level {level}"),
                            format!("android:maxSdkVersion=\"{level}\""),
                            set_android(manifest, permission.element, "maxSdkVersion", &level.to_string()),
                        ),
                        None => {
                            let Some(attribute) = permission.element.attribute(ANDROID, "maxSdkVersion") else {
                                continue;
                            };
                            let edit = plan::remove_attribute(permission.element, attribute);
                            ("at every level".to_owned(), "remove android:maxSdkVersion".to_owned(), edit)
                        }
                    };
                    out.push(
                        finding(format!("{name} ends at level {cap}, and {who} it {until}"))
                            .level(worst)
                            .needed_by(context.app, requirements)
                            .mend(manifest_edit(title, manifest, vec![edit])),
                    );
                }
                None if context.levels.min.is_some_and(|min| cap < min) => {
                    let min = context.levels.min.unwrap_or_default();
                    let steps = format!("Remove the line, or raise maxSdkVersion to {min} or above.");
                    out.push(
                        finding(format!(
                            "{name} ends at level {cap}, and the app runs from level {min}: no device is asked for it"
                        ))
                        .level(Level::Warning)
                        .effect("The line does nothing.")
                        .mend(Remedy::Manual(steps)),
                    );
                }
                _ => {}
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-level-cap";

    fn capped(level: u32) -> String {
        format!(
            "    <uses-permission android:name=\"android.permission.BLUETOOTH\" android:maxSdkVersion=\"{level}\" />\n"
        )
    }

    #[test]
    fn a_cap_below_the_need_is_raised_or_taken_out() {
        let need = "android.permission = 'android.permission.BLUETOOTH'";
        let app = Fixture::android(&capped(28)).needs("redshank_scan", &format!("{need}\nmax-level = 30"));
        assert_eq!(app.found(ID), ["error android.permission.BLUETOOTH 2:89"]);
        app.mends_manifest(ID, &capped(30));
        let endless = Fixture::android(&capped(30)).needs("redshank_scan", need);
        endless.mends_manifest(ID, "    <uses-permission android:name=\"android.permission.BLUETOOTH\" />\n");
        assert!(Fixture::android(&capped(30)).needs("p", &format!("{need}\nmax-level = 30")).found(ID).is_empty());
    }

    #[test]
    fn a_cap_below_the_lowest_level_does_nothing() {
        let app = Fixture::android(&capped(22));
        assert_eq!(app.found(ID), ["warning android.permission.BLUETOOTH 2:89"]);
        app.is_left_alone();
    }
}
