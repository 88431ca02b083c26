//! `permission-companion`: a permission that does not work without another one.

use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, android};
use elvask_project::merge::MergedElement;
use elvask_project::surface::{DeclaredPermission, Effective, ManifestView};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::is_told_as_badly;
use crate::rules::support::{add_permission, manifest_edit, short};

/// See the module.
pub struct PermissionCompanion;

static ABOUT: About = About {
    id: "permission-companion",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a permission whose companion is not declared.",
    effect: "The request is denied or ignored without a dialog.",
    wrong: "<uses-permission android:name=\"android.permission.ACCESS_FINE_LOCATION\" />",
    right: "<uses-permission android:name=\"android.permission.ACCESS_FINE_LOCATION\" />\n<uses-permission android:name=\"android.permission.ACCESS_COARSE_LOCATION\" />",
    remedy: "`fill` adds the companion behind the last permission.",
    source: "Request location permissions",
};

impl Rule for PermissionCompanion {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let mut told: Vec<&str> = Vec::new();
        for permission in &manifest.permissions {
            for companion in android::companions(&permission.name) {
                // One that a plugin needs as well is told by `permission-missing`.
                let level = companion.level;
                let met = |name: &&str| {
                    if let Some(action) = name.strip_prefix("action:") {
                        return context.is_everywhere(manifest, |variant| is_filtered_for(variant, action));
                    }
                    context.is_everywhere(manifest, |variant| variant.permission(name).is_some())
                        || is_told_as_badly(context.needs.of(Kind::Permission, name), level)
                };
                let dead = permission.max_level.is_some_and(|cap| cap < companion.target_from);
                if context.levels.target < companion.target_from || dead || companion.one_of.iter().any(met) {
                    continue;
                }
                let flagged = |flag: &str| {
                    context.is_everywhere(manifest, |variant| {
                        let merged = variant.permission(&permission.name).map(|one| variant.merged.at(one.element));
                        let flags = merged.and_then(|element| element.value("usesPermissionFlags")).unwrap_or_default();
                        flags.split('|').any(|one| one.trim() == flag)
                    })
                };
                if companion.unless_flag.is_some_and(flagged) {
                    continue;
                }
                let Some(first) = companion.one_of.first() else { continue };
                if let Some(action) = first.strip_prefix("action:") {
                    // One screen serves all of a family: it is told of once.
                    if !told.contains(&action) {
                        told.push(action);
                        out.push(without_screen(context, manifest, permission, action, &companion));
                    }
                    continue;
                }
                let names: Vec<_> = companion.one_of.iter().map(|name| short(name)).collect();
                let name = short(&permission.name);
                let or_flag = companion.unless_flag.map(|flag| format!(" or the flag {flag}")).unwrap_or_default();
                let message = format!("{name} does not work without {}{or_flag}", names.join(" or "));
                let edits = add_permission(manifest, first, permission.max_level);
                let remedy = match companion.unless_flag {
                    // Which of the two it is, is the owner's to decide.
                    Some(flag) => Remedy::Manual(format!(
                        "If the app derives no place from what it finds, write {}:usesPermissionFlags=\"{flag}\" beside the name; else declare {}.",
                        manifest.prefix(),
                        short(first)
                    )),
                    None => manifest_edit(format!("declare {}", short(first)), manifest, edits),
                };
                out.push(
                    Finding::new(
                        &ABOUT,
                        permission.name.clone(),
                        manifest.value_place(permission.element, "name"),
                        message,
                    )
                    .level(level)
                    .effect(companion.effect)
                    .needed_by(context.app, context.needs.of(Kind::Permission, &permission.name))
                    .mend(remedy),
                );
            }
        }
    }
}

/// Says whether an activity of a variant takes an action.
fn is_filtered_for(variant: &Effective<'_>, action: &str) -> bool {
    let takes = |component: &MergedElement<'_>| {
        let filters = variant.merged.children(component).filter(|child| child.name == "intent-filter");
        filters.flat_map(|filter| variant.merged.children(filter)).any(|child| child.value("name") == Some(action))
    };
    variant.components().filter(|component| component.name.starts_with("activity")).any(takes)
}

/// Tells of a permission that wants a screen of the app.
fn without_screen(
    context: &Context<'_>,
    manifest: &ManifestView<'_>,
    permission: &DeclaredPermission<'_>,
    action: &str,
    companion: &android::Companion,
) -> Finding {
    let name = short(&permission.name);
    let message = format!("{name} does not work without an activity for {action}");
    let place = manifest.value_place(permission.element, "name");
    let steps =
        format!("Give the activity that says what the data are for an <intent-filter> with the action {action}.");
    Finding::new(&ABOUT, permission.name.clone(), place, message)
        .level(companion.level)
        .effect(companion.effect)
        .needed_by(context.app, context.needs.of(Kind::Permission, &permission.name))
        .mend(Remedy::Manual(steps))
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-companion";
    const FINE: &str = "    <uses-permission android:name=\"android.permission.ACCESS_FINE_LOCATION\"/>\n";

    #[test]
    fn precise_location_wants_approximate_location() {
        let app = Fixture::android(FINE);
        assert_eq!(app.found(ID), ["error android.permission.ACCESS_FINE_LOCATION 2:36"]);
        app.mends_manifest(ID, &format!("{FINE}{}", FINE.replace("FINE", "COARSE")));
        assert!(app.clone().levels(21, 30).found(ID).is_empty());
        let capped = FINE.replace("/>", " android:maxSdkVersion=\"30\"/>");
        assert!(Fixture::android(&capped).found(ID).is_empty(), "it ends before the rule begins");
    }

    #[test]
    fn a_scan_wants_to_know_of_places() {
        let scan = "    <uses-permission android:name=\"android.permission.BLUETOOTH_SCAN\"/>\n";
        let app = Fixture::android(scan);
        assert_eq!(app.found(ID), ["note android.permission.BLUETOOTH_SCAN 2:36"]);
        assert!(app.findings(ID)[0].remedy.text().contains("android:usesPermissionFlags=\"neverForLocation\""));
        app.is_left_alone();
        let told = scan.replace("/>", " android:usesPermissionFlags=\"neverForLocation\"/>");
        assert!(Fixture::android(&told).found(ID).is_empty());
        let placed = format!("{scan}{FINE}{}", FINE.replace("FINE", "COARSE"));
        assert!(Fixture::android(&placed).found(ID).is_empty());
        assert!(Fixture::android(scan).levels(24, 30).found(ID).is_empty());
    }

    #[test]
    fn health_data_want_a_screen_that_says_why() {
        let two = "    <uses-permission android:name=\"android.permission.health.READ_STEPS\"/>\n    <uses-permission android:name=\"android.permission.health.READ_HEART_RATE\"/>\n";
        assert_eq!(Fixture::android(two).found(ID), ["warning android.permission.health.READ_STEPS 2:36"]);
        let screen = "    <application>\n        <activity-alias android:name=\".Why\" android:targetActivity=\".Main\" android:exported=\"true\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.VIEW_PERMISSION_USAGE\"/>\n            </intent-filter>\n        </activity-alias>\n    </application>\n";
        assert!(Fixture::android(&format!("{two}{screen}")).found(ID).is_empty());
    }

    #[test]
    fn a_part_of_the_photos_is_a_note() {
        let images = "    <uses-permission android:name=\"android.permission.READ_MEDIA_IMAGES\"/>\n";
        assert_eq!(Fixture::android(images).found(ID), ["note android.permission.READ_MEDIA_IMAGES 2:36"]);
        let both = format!("{images}{}", images.replace("READ_MEDIA_IMAGES", "READ_MEDIA_VISUAL_USER_SELECTED"));
        assert!(Fixture::android(&both).found(ID).is_empty());
    }

    #[test]
    fn a_family_shares_its_companion() {
        let service = "    <uses-permission android:name=\"android.permission.FOREGROUND_SERVICE_CAMERA\"/>\n";
        assert_eq!(
            Fixture::android(service).findings(ID)[0].message,
            "FOREGROUND_SERVICE_CAMERA does not work without FOREGROUND_SERVICE"
        );
    }
}
