//! `service-type-boot`: a service that may not start when the device starts is beside a receiver that is called then.

use elvask_markup::xml::Element;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_platform::android::service_types;
use elvask_project::names::{ANDROID, TOOLS};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct ServiceTypeBoot;

static ABOUT: About = About {
    id: "service-type-boot",
    level: Level::Note,
    platform: Some(Platform::Android),
    summary: "Reports a foreground service of a type that a receiver for the start of the device may not start, in an app that has such a receiver.",
    effect: "Where the receiver starts the service, the start throws ForegroundServiceStartNotAllowedException.",
    wrong: "<receiver android:name=\".Restart\" …> (BOOT_COMPLETED)\n<service android:name=\".Sync\" android:foregroundServiceType=\"dataSync\" />",
    right: "(work that the receiver schedules, and no service that it starts)",
    remedy: "A person looks at whether the receiver starts the service.",
    source: "Restrictions on BOOT_COMPLETED broadcast receivers launching foreground services",
};

const BOOT: [&str; 2] = ["android.intent.action.BOOT_COMPLETED", "android.intent.action.LOCKED_BOOT_COMPLETED"];

impl Rule for ServiceTypeBoot {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let counts = |element: &Element<'_>| element.attribute(TOOLS, "node").is_none();
        let receivers = manifest.with_filters().map(|one| one.element).filter(|one| one.name() == "receiver");
        let actions = receivers.filter(counts).flat_map(|receiver| {
            receiver.children_named("intent-filter").flat_map(|filter| filter.children_named("action"))
        });
        let boot = actions
            .into_iter()
            .find(|action| action.value(ANDROID, "name").is_some_and(|name| BOOT.contains(&name.as_ref())));
        let Some(boot) = boot else { return };
        let services = manifest.components.iter().map(|one| one.element).filter(|one| one.name() == "service");
        for service in services.filter(counts) {
            let stated = service.value(ANDROID, "foregroundServiceType").unwrap_or_default();
            let barred = service_types().find(|one| {
                one.not_from_boot.is_some_and(|since| context.levels.target >= since)
                    && stated.split('|').any(|word| word.trim() == one.name)
            });
            let Some(barred) = barred else { continue };
            let class = service.value(ANDROID, "name").unwrap_or_default();
            let class = class.rsplit('.').next().unwrap_or_default();
            let message = format!("{class} has the type {}, which does not start with the device", barred.name);
            let steps = "Let the receiver schedule work, and start the service from the app in front of the user.";
            out.push(
                Finding::new(&ABOUT, barred.name, manifest.value_place(service, "foregroundServiceType"), message)
                    .related(manifest.value_place(boot, "name"), "this receiver is called when the device starts")
                    .mend(Remedy::Manual(steps.to_owned())),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "service-type-boot";

    fn app(action: &str, kind: &str) -> Fixture {
        Fixture::android(&format!(
            "    <application>\n        <receiver android:name=\".Restart\" android:exported=\"false\">\n            <intent-filter>\n                <action android:name=\"{action}\"/>\n            </intent-filter>\n        </receiver>\n        <service android:name=\".Sync\" android:foregroundServiceType=\"{kind}\"/>\n    </application>\n"
        ))
    }

    const BOOT: &str = "android.intent.action.BOOT_COMPLETED";

    #[test]
    fn types_that_do_not_start_with_the_device_are_told() {
        assert_eq!(app(BOOT, "dataSync").found(ID), ["note dataSync 8:70"]);
        assert!(app(BOOT, "dataSync").levels(24, 34).found(ID).is_empty());
        assert_eq!(app(BOOT, "microphone").levels(24, 34).found(ID), ["note microphone 8:70"]);
        assert_eq!(app(BOOT, "location|camera").found(ID).len(), 1, "one of several is enough");
    }

    #[test]
    fn others_are_left() {
        assert!(app(BOOT, "location").found(ID).is_empty());
        assert!(app("android.intent.action.MY_PACKAGE_REPLACED", "dataSync").found(ID).is_empty());
    }
}
