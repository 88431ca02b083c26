//! `receiver-permission-missing`: a receiver waits for what the system sends only to apps with a permission.

use elvask_platform::{Kind, Platform, android};
use elvask_project::names::ANDROID;
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{add_permission, flag, is_told_as_badly, manifest_edit, short};

/// See the module.
pub struct ReceiverPermissionMissing;

static ABOUT: About = About {
    id: "receiver-permission-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a receiver with a filter for a broadcast that the system sends only to apps with a permission, where that is not declared.",
    effect: "The receiver is never called.",
    wrong: "<receiver android:name=\".Restart\" android:exported=\"false\">\n    <intent-filter>\n        <action android:name=\"android.intent.action.BOOT_COMPLETED\" />",
    right: "<uses-permission android:name=\"android.permission.RECEIVE_BOOT_COMPLETED\" />\n…\n<receiver android:name=\".Restart\" android:exported=\"false\">\n    <intent-filter>\n        <action android:name=\"android.intent.action.BOOT_COMPLETED\" />",
    remedy: "`fill` adds the permission where the system grants it by itself; one that asks the user is the owner's to decide.",
    source: "Intent: standard broadcast actions",
};

impl Rule for ReceiverPermissionMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let mut told: Vec<&str> = Vec::new();
        let receivers = manifest.components.iter().map(|one| one.element).filter(|one| one.name() == "receiver");
        for receiver in receivers {
            // One that is off is switched on by code that knows when; what a placeholder says is not known.
            let off = receiver.value(ANDROID, "enabled").is_some_and(|enabled| flag(context, &enabled) != Some(true));
            let actions = receiver.children_named("intent-filter").flat_map(|filter| filter.children_named("action"));
            for action in actions.filter(|_| !off) {
                let Some(name) = action.value(ANDROID, "name") else { continue };
                let wanted = android::permissions_to_receive(&name);
                let Some(first) = wanted.first().copied() else { continue };
                let met = |name: &&str| {
                    context.is_everywhere(manifest, |variant| variant.permission(name).is_some())
                        || is_told_as_badly(context.needs.of(Kind::Permission, name), ABOUT.level)
                };
                if wanted.iter().any(met) || told.contains(&first) {
                    continue;
                }
                told.push(first);
                let class = receiver.value(ANDROID, "name").unwrap_or_default();
                let class = class.rsplit('.').next().unwrap_or_default().to_owned();
                let names: Vec<&str> = wanted.iter().map(|name| short(name)).collect();
                let what = name.rsplit('.').next().unwrap_or(&name);
                let message = format!("{class} waits for {what}, and {} is not declared", names.join(" or "));
                let finding = Finding::new(&ABOUT, first, manifest.value_place(action, "name"), message);
                let grant = android::permission(first).map(android::Permission::grant);
                let asks = grant != Some(android::Grant::AtInstall);
                let edits = add_permission(manifest, first, None);
                out.push(finding.only_if_named(asks).mend(manifest_edit(
                    format!("declare {}", short(first)),
                    manifest,
                    edits,
                )));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "receiver-permission-missing";

    fn receiver(permission: &str, action: &str, more: &str) -> String {
        let permission = match permission {
            "" => String::new(),
            name => format!("    <uses-permission android:name=\"android.permission.{name}\"/>\n"),
        };
        format!(
            "{permission}    <application>\n        <receiver android:name=\".Restart\" android:exported=\"false\"{more}>\n            <intent-filter>\n                <action android:name=\"{action}\"/>\n            </intent-filter>\n        </receiver>\n    </application>\n"
        )
    }

    const BOOT: &str = "android.intent.action.BOOT_COMPLETED";

    #[test]
    fn a_receiver_of_the_start_wants_its_permission() {
        let app = Fixture::android(&receiver("", BOOT, ""));
        assert_eq!(app.found(ID), ["error android.permission.RECEIVE_BOOT_COMPLETED 5:39"]);
        assert_eq!(
            app.findings(ID)[0].message,
            "Restart waits for BOOT_COMPLETED, and RECEIVE_BOOT_COMPLETED is not declared"
        );
        app.mends_manifest(ID, &receiver("RECEIVE_BOOT_COMPLETED", BOOT, ""));
        assert!(Fixture::android(&receiver("RECEIVE_BOOT_COMPLETED", BOOT, "")).found(ID).is_empty());
    }

    #[test]
    fn a_permission_that_asks_the_user_is_not_written_unasked() {
        let sms = "android.provider.Telephony.SMS_RECEIVED";
        let app = Fixture::android(&receiver("", sms, " android:permission=\"android.permission.BROADCAST_SMS\""));
        assert_eq!(app.found(ID), ["error android.permission.RECEIVE_SMS 5:39"]);
        app.is_left_alone();
    }

    #[test]
    fn what_anybody_gets_wants_nothing() {
        for action in
            ["android.intent.action.MY_PACKAGE_REPLACED", "android.intent.action.LOCALE_CHANGED", "example.own.ACTION"]
        {
            assert!(Fixture::android(&receiver("", action, "")).found(ID).is_empty(), "{action}");
        }
        assert!(Fixture::android(&receiver("", BOOT, " android:enabled=\"false\"")).found(ID).is_empty(), "turned off");
    }

    #[test]
    fn a_plugin_that_needs_it_is_told_of_once() {
        let app = Fixture::android(&receiver("", BOOT, "")).needs("dunlin_alerts", "capability = 'start-on-boot'");
        assert!(app.found(ID).is_empty());
        assert_eq!(app.found("permission-missing").len(), 1);
    }

    #[test]
    fn a_flag_among_the_resources_is_looked_up() {
        let inside = "    <application>\n        <receiver android:name=\".Restart\" android:exported=\"false\" android:enabled=\"@bool/restarts\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.BOOT_COMPLETED\"/>\n            </intent-filter>\n        </receiver>\n    </application>\n";
        let values = |said: &str| format!("<resources>\n    <bool name=\"restarts\">{said}</bool>\n</resources>\n");
        let res = "android/app/src/main/res";
        let app = |said: &str| Fixture::android(inside).file(&format!("{res}/values/bools.xml"), &values(said));
        assert_eq!(app("true").found(ID).len(), 1);
        assert!(app("false").found(ID).is_empty());
        let varied = app("true").file(&format!("{res}/values-v31/bools.xml"), &values("false"));
        assert!(varied.found(ID).is_empty(), "it is another one on some devices");
        assert!(Fixture::android(inside).found(ID).is_empty(), "it is not known");
    }
}
