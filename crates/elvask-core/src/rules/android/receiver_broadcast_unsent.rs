//! `receiver-broadcast-unsent`: a receiver in the manifest waits for what the system does not send to such receivers.

use elvask_needs::remedy::Remedy;
use elvask_platform::{Platform, android};
use elvask_project::names::ANDROID;
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::flag;

/// See the module.
pub struct ReceiverBroadcastUnsent;

static ABOUT: About = About {
    id: "receiver-broadcast-unsent",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a receiver with a filter for a broadcast that the system does not send to receivers in manifests, or no longer from a level on.",
    effect: "The receiver is never called for it.",
    wrong: "<receiver android:name=\".Network\" android:exported=\"false\">\n    <intent-filter>\n        <action android:name=\"android.net.conn.CONNECTIVITY_CHANGE\" />",
    right: "(no such receiver: ConnectivityManager.registerNetworkCallback in the code)",
    remedy: "A person moves it into the code.",
    source: "Implicit broadcast exceptions; Background optimizations",
};

impl Rule for ReceiverBroadcastUnsent {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let receivers = manifest.components.iter().map(|one| one.element).filter(|one| one.name() == "receiver");
        for receiver in receivers {
            // One that is off is switched on by code that knows when.
            if receiver.value(ANDROID, "enabled").is_some_and(|enabled| flag(context, &enabled) != Some(true)) {
                continue;
            }
            let actions = receiver.children_named("intent-filter").flat_map(|filter| filter.children_named("action"));
            for action in actions {
                let Some(name) = action.value(ANDROID, "name") else { continue };
                let Some((from, instead)) = android::unsent_broadcast(&name) else { continue };
                if context.levels.target < from {
                    continue;
                }
                let class = receiver.value(ANDROID, "name").unwrap_or_default();
                let class = class.rsplit('.').next().unwrap_or_default().to_owned();
                let what = name.rsplit('.').next().unwrap_or(&name);
                let on = if from > 1 { format!(" on devices from level {from}") } else { String::new() };
                let message = format!("{class} waits for {what}, which is not sent to receivers in a manifest{on}");
                // Older devices, where the app still runs on some, send it.
                let everywhere = context.levels.min.is_some_and(|min| min >= from);
                let finding = Finding::new(&ABOUT, &*name, manifest.value_place(action, "name"), message);
                let level = if everywhere { Level::Warning } else { Level::Note };
                let steps = format!("Remove the action; {instead}.");
                out.push(finding.level(level).mend(Remedy::Manual(steps)));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "receiver-broadcast-unsent";

    fn receiver(attributes: &str, action: &str) -> String {
        format!(
            "    <application>\n        <receiver android:name=\".Network\" android:exported=\"false\"{attributes}>\n            <intent-filter>\n                <action android:name=\"{action}\"/>\n            </intent-filter>\n        </receiver>\n    </application>\n"
        )
    }

    const NETWORK: &str = "android.net.conn.CONNECTIVITY_CHANGE";

    #[test]
    fn what_is_not_sent_is_told() {
        let app = Fixture::android(&receiver("", NETWORK));
        assert_eq!(app.found(ID), [format!("warning {NETWORK} 5:39")]);
        app.is_left_alone();
        assert_eq!(app.levels(21, 35).found(ID), [format!("note {NETWORK} 5:39")]);
    }

    #[test]
    fn what_is_sent_is_left() {
        assert!(Fixture::android(&receiver("", "android.intent.action.MY_PACKAGE_REPLACED")).found(ID).is_empty());
        assert!(Fixture::android(&receiver(" android:enabled=\"false\"", NETWORK)).found(ID).is_empty());
        assert!(Fixture::android(&receiver("", NETWORK)).levels(16, 23).found(ID).is_empty());
        let service = receiver("", NETWORK).replace("receiver", "service");
        assert!(Fixture::android(&service).found(ID).is_empty());
    }
}
