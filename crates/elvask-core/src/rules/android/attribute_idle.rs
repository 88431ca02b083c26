//! `attribute-idle`: an attribute does nothing in this app.

use elvask_markup::xml::Element;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_platform::android::{Idle, IdleAttribute, idle_attributes};
use elvask_project::names::{ANDROID, TOOLS};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct AttributeIdle;

static ABOUT: About = About {
    id: "attribute-idle",
    level: Level::Note,
    platform: Some(Platform::Android),
    summary: "Reports an attribute of the manifest that does nothing at the levels of the app, or beside another attribute.",
    effect: "Devices do not go by it.",
    wrong: "<application\n    android:networkSecurityConfig=\"@xml/network\"\n    android:usesCleartextTraffic=\"true\">",
    right: "<application\n    android:networkSecurityConfig=\"@xml/network\">",
    remedy: "A person removes it, or does what it was meant for in the way that devices go by.",
    source: "App manifest file",
};

impl Rule for AttributeIdle {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let all: Vec<IdleAttribute> = idle_attributes().collect();
        let mut told: Vec<&str> = Vec::new();
        let mut kinds: Vec<&str> = all.iter().map(|idle| idle.element).collect();
        kinds.sort_unstable();
        kinds.dedup();
        let mut elements: Vec<Element<'_>> = kinds.iter().flat_map(|kind| manifest.document.named(kind)).collect();
        elements.sort_by_key(|element| element.span().start);
        for element in elements.into_iter().filter(|element| element.attribute(TOOLS, "node").is_none()) {
            for idle in all.iter().filter(|idle| idle.element == element.name()) {
                let Some(value) = element.value(ANDROID, idle.attribute) else { continue };
                // Once for a kind of element: an app of forty screens has forty orientations.
                let once = idle.element == "activity";
                if !idle.when.iter().all(|one| holds(context, manifest, element, &value, *one))
                    || once && told.contains(&idle.attribute)
                {
                    continue;
                }
                told.push(idle.attribute);
                let message = format!("android:{} does nothing here", idle.attribute);
                let message =
                    if once { format!("android:{} does not hold everywhere", idle.attribute) } else { message };
                let place = manifest.value_place(element, idle.attribute);
                let steps = format!("Remove android:{} where nothing else counts on it.", idle.attribute);
                let steps = if once { "Lay the screens out for all sizes.".to_owned() } else { steps };
                out.push(
                    Finding::new(&ABOUT, idle.attribute, place, message)
                        .effect(idle.effect)
                        .mend(Remedy::Manual(steps)),
                );
            }
        }
    }
}

fn holds(
    context: &Context<'_>,
    manifest: &ManifestView<'_>,
    element: Element<'_>,
    value: &str,
    condition: Idle,
) -> bool {
    let has_property = |parent: Element<'_>, name: &str| {
        parent.children_named("property").any(|one| one.value(ANDROID, "name").is_some_and(|known| known == name))
    };
    match condition {
        Idle::MinLevel(level) => context.levels.min.is_some_and(|min| min >= level),
        Idle::TargetLevel(level) => context.levels.target >= level,
        Idle::Beside(other) => element.attribute(ANDROID, other).is_some(),
        Idle::NotFor(names) => {
            element.value(ANDROID, "name").is_some_and(|name| !names.split(',').any(|one| one == name))
        }
        Idle::UnlessProperty(name) => {
            !has_property(element, name) && !manifest.application.is_some_and(|one| has_property(one, name))
        }
        Idle::Value(wanted) => value.split('|').any(|one| wanted.split(',').any(|known| known == one.trim())),
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "attribute-idle";

    fn application(attributes: &str, inside: &str) -> String {
        format!("    <application{attributes}>\n{inside}    </application>\n")
    }

    #[test]
    fn cleartext_is_said_in_one_place() {
        let config = " android:networkSecurityConfig=\"@xml/network\"";
        let both = application(&format!("{config} android:usesCleartextTraffic=\"true\""), "");
        let app = Fixture::android(&both);
        assert_eq!(app.found(ID), ["note usesCleartextTraffic 2:93"]);
        app.is_left_alone();
        assert!(Fixture::android(&both).levels(23, 35).found(ID).is_empty(), "level 23 reads no configuration");
        assert!(Fixture::android(&application(" android:usesCleartextTraffic=\"true\"", "")).found(ID).is_empty());
    }

    #[test]
    fn storage_of_old_devices() {
        let legacy = application(" android:requestLegacyExternalStorage=\"true\"", "");
        assert_eq!(Fixture::android(&legacy).levels(30, 35).found(ID), ["note requestLegacyExternalStorage 2:56"]);
        assert!(Fixture::android(&legacy).levels(29, 35).found(ID).is_empty());
    }

    #[test]
    fn a_flag_says_something_of_two_permissions() {
        let flag = |name: &str| {
            format!(
                "    <uses-permission android:name=\"android.permission.{name}\" android:usesPermissionFlags=\"neverForLocation\"/>\n"
            )
        };
        assert_eq!(Fixture::android(&flag("BLUETOOTH_CONNECT")).found(ID), ["note usesPermissionFlags 2:103"]);
        assert!(Fixture::android(&flag("NEARBY_WIFI_DEVICES")).found(ID).is_empty());
    }

    #[test]
    fn orientation_on_large_screens_is_told_once() {
        let activity = |name: &str| {
            format!("        <activity android:name=\".{name}\" android:screenOrientation=\"portrait\"/>\n")
        };
        let two = application("", &format!("{}{}", activity("Main"), activity("Ring")));
        assert_eq!(Fixture::android(&two).levels(24, 36).found(ID), ["note screenOrientation 3:67"]);
        assert!(Fixture::android(&two).found(ID).is_empty(), "from target level 36 on");
        let out = "        <property android:name=\"android.window.PROPERTY_COMPAT_ALLOW_RESTRICTED_RESIZABILITY\" android:value=\"true\"/>\n";
        let opted = application("", &format!("{out}{}", activity("Main")));
        assert!(Fixture::android(&opted).levels(24, 36).found(ID).is_empty());
    }
}
