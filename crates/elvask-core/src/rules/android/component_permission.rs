//! `component-permission`: a component that the system calls is not guarded by the permission that the system wants there.

use elvask_markup::xml::Element;
use elvask_platform::{Platform, android};
use elvask_project::names::{ANDROID, TOOLS};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, set_android, short};

/// See the module.
pub struct ComponentPermission;

static ABOUT: About = About {
    id: "component-permission",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a service or receiver that the system calls, such as a listener for notifications, a keyboard or a VPN, without the `android:permission` that lets nobody else call it.",
    effect: "The system does not call the component.",
    wrong: "<service android:name=\".Tides\" android:exported=\"true\">\n    <intent-filter>\n        <action android:name=\"android.service.quicksettings.action.QS_TILE\" />",
    right: "<service android:name=\".Tides\" android:exported=\"true\"\n    android:permission=\"android.permission.BIND_QUICK_SETTINGS_TILE\">\n    <intent-filter>\n        <action android:name=\"android.service.quicksettings.action.QS_TILE\" />",
    remedy: "`fill` writes the attribute.",
    source: "Reference pages of the classes that such components extend, such as TileService",
};

impl Rule for ComponentPermission {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for component in manifest.with_filters() {
            let element = component.element;
            if element.attribute(TOOLS, "node").is_some() {
                continue;
            }
            let Some(wanted) = wanted(element) else { continue };
            // Another manifest, of a library or a flavor, may state it.
            let guarded = context.is_everywhere(manifest, |variant| {
                variant.component(&component.class).and_then(|merged| merged.value("permission")).is_some()
            });
            if guarded {
                continue;
            }
            let class = component.class.rsplit('.').next().unwrap_or_default();
            let message = format!("{class} is for the system to call, and no android:permission keeps other apps out");
            let title = format!("android:permission=\"{}\"", short(wanted.permission));
            let edits = vec![set_android(manifest, element, "permission", wanted.permission)];
            out.push(
                Finding::new(&ABOUT, wanted.permission, manifest.tag(element), message)
                    .effect(wanted.effect)
                    .mend(manifest_edit(title, manifest, edits)),
            );
        }
    }
}

/// Returns the guard that a component wants by the actions of its filters, where it has none at all.
fn wanted(element: Element<'_>) -> Option<android::GuardedComponent> {
    // Another permission than the usual one may be on purpose.
    if element.attribute(ANDROID, "permission").is_some() {
        return None;
    }
    let actions = element.children_named("intent-filter").flat_map(|filter| filter.children_named("action"));
    let guards = actions.filter_map(|action| android::guard_of(&action.value(ANDROID, "name")?));
    guards.into_iter().find(|guard| guard.element == element.name())
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "component-permission";

    fn service(attributes: &str, action: &str) -> String {
        format!(
            "    <application>\n        <service android:name=\".Tides\" android:exported=\"true\"{attributes}>\n            <intent-filter>\n                <action android:name=\"{action}\"/>\n            </intent-filter>\n        </service>\n    </application>\n"
        )
    }

    const TILE: &str = "android.service.quicksettings.action.QS_TILE";
    const GUARD: &str = " android:permission=\"android.permission.BIND_QUICK_SETTINGS_TILE\"";

    #[test]
    fn a_service_of_the_system_is_guarded() {
        let app = Fixture::android(&service("", TILE));
        assert_eq!(app.found(ID), ["error android.permission.BIND_QUICK_SETTINGS_TILE 3:9"]);
        app.mends_manifest(ID, &service(GUARD, TILE));
    }

    #[test]
    fn what_is_guarded_or_not_called_by_the_system_is_left() {
        assert!(Fixture::android(&service(GUARD, TILE)).found(ID).is_empty());
        assert!(Fixture::android(&service(" android:permission=\"example.marram.OWN\"", TILE)).found(ID).is_empty());
        assert!(Fixture::android(&service("", "example.marram.SYNC")).found(ID).is_empty());
        let receiver = service("", TILE).replace("service ", "receiver ").replace("</service", "</receiver");
        assert!(Fixture::android(&receiver).found(ID).is_empty(), "a receiver is not bound");
    }
}
