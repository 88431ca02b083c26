//! `exported-unstated`: a component has a filter and does not say whether others may reach it.

use std::collections::HashSet;

use elvask_link::android::AndroidLinks;
use elvask_markup::xml::Element;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::Behaviour;
use elvask_platform::{Kind, Platform};
use elvask_project::filters::BROWSABLE;
use elvask_project::names::ANDROID;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, set_android};

/// See the module.
pub struct ExportedUnstated;

static ABOUT: About = About {
    id: "exported-unstated",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an activity, alias, service or receiver with an intent filter and without `android:exported`, in an app that is built for level 31 or higher.",
    effect: "The build fails; devices from level 31 refuse to install the app.",
    wrong: "<activity android:name=\".MainActivity\">\n    <intent-filter> … </intent-filter>\n</activity>",
    right: "<activity android:name=\".MainActivity\" android:exported=\"true\">\n    <intent-filter> … </intent-filter>\n</activity>",
    remedy: "`fill` writes true for what the launcher, links or the share menu start; for others only a person knows who is to reach them.",
    source: "`<activity>`",
};

impl Rule for ExportedUnstated {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut told: HashSet<&str> = HashSet::new();
        let by_variant: Vec<(&str, HashSet<&str>)> =
            context.links().android.iter().map(|(name, links)| (name.as_str(), unstated_in(links))).collect();
        for (_, links) in &context.links().android {
            if links.target_level < Behaviour::ExportedStated.since() {
                continue;
            }
            for (class, place) in &links.unstated {
                if !told.insert(class) {
                    continue;
                }
                // What a plugin wants of it is told by that plugin's finding.
                let sure =
                    context.needs.of(Kind::Attribute, "exported").iter().filter(|one| one.level() >= ABOUT.level);
                let asked = sure.into_iter().any(|requirement| {
                    let Need::Attribute { owner, .. } = &requirement.need else { return false };
                    context
                        .variants
                        .iter()
                        .any(|variant| variant.owner(owner).is_some_and(|owner| owner.key() == Some(class)))
                });
                if asked {
                    continue;
                }
                let short = class.rsplit('.').next().unwrap_or(class);
                let message = format!("{short} has an intent filter and no android:exported");
                let owning =
                    context.manifests.iter().find_map(|manifest| Some((manifest, manifest.component(class)?.element)));
                let (place, remedy) = match owning {
                    Some((manifest, element)) if is_meant_for_others(element) => {
                        let edits = vec![set_android(manifest, element, "exported", "true")];
                        (manifest.tag(element), manifest_edit("android:exported=\"true\"", manifest, edits))
                    }
                    Some((manifest, element)) => {
                        let steps = "Add android:exported=\"true\" if other apps are to reach it, android:exported=\"false\" if only the app itself and the system are.";
                        (manifest.tag(element), Remedy::Manual(steps.to_owned()))
                    }
                    None => {
                        let steps = format!(
                            "A plugin's manifest adds it: update the plugin, or state it in the app's manifest: <… android:name=\"{class}\" android:exported=\"false\" />."
                        );
                        (*place, Remedy::Manual(steps))
                    }
                };
                let has = |(_, unstated): &&(&str, HashSet<&str>)| unstated.contains(class.as_str());
                let variants = by_variant.iter().filter(has).map(|(name, _)| (*name).to_owned()).collect();
                out.push(Finding::new(&ABOUT, class.clone(), place, message).in_variants(variants).mend(remedy));
            }
        }
    }
}

/// Returns the components that do not say whether others may start them.
fn unstated_in(links: &AndroidLinks) -> HashSet<&str> {
    links.unstated.iter().map(|(class, _)| class.as_str()).collect()
}

/// Says whether the launcher, links or the share menu are meant to start a component.
fn is_meant_for_others(element: Element<'_>) -> bool {
    element.name().starts_with("activity")
        && element.children_named("intent-filter").any(|filter| {
            let has = |kind: &str, names: &[&str]| {
                filter
                    .children_named(kind)
                    .any(|child| child.value(ANDROID, "name").is_some_and(|name| names.contains(&name.as_ref())))
            };
            has("category", &["android.intent.category.LAUNCHER", BROWSABLE])
                || has("action", &["android.intent.action.SEND", "android.intent.action.SEND_MULTIPLE"])
        })
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "exported-unstated";

    #[test]
    fn the_launchers_activity_is_opened() {
        let unstated = activity("").replace(" android:exported=\"true\"", "");
        let app = Fixture::android(&unstated);
        assert_eq!(app.found(ID), ["error example.marram.MainActivity 3:9"]);
        let (both, turned) = (
            "android:exported=\"true\" android:launchMode=\"singleTask\"",
            "android:launchMode=\"singleTask\" android:exported=\"true\"",
        );
        app.mends_manifest(ID, &activity("").replace(both, turned));
        assert!(Fixture::android(&unstated).levels(24, 30).found(ID).is_empty(), "before level 31 there is a default");
    }

    #[test]
    fn a_receiver_is_left_to_a_person() {
        let receiver = "<application>\n<receiver android:name=\".Tide\"><intent-filter><action android:name=\"android.intent.action.LOCALE_CHANGED\"/></intent-filter></receiver>\n</application>\n";
        let app = Fixture::android(receiver);
        assert_eq!(app.findings(ID)[0].remedy.kind(), "manual");
        app.is_left_alone();
    }

    #[test]
    fn a_weaker_finding_hides_it_not() {
        let inside = "    <application>\n        <activity android:name=\".Main\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\"/>\n                <category android:name=\"android.intent.category.LAUNCHER\"/>\n            </intent-filter>\n        </activity>\n    </application>\n";
        let need = "android.attribute = { on = 'launcher', name = 'exported', value = 'true' }";
        let noted = Fixture::android(inside).needs("p", &format!("{need}\noptional = true"));
        assert_eq!(noted.found(ID).len(), 1);
        assert_eq!(Fixture::android(inside).needs("p", need).found(ID).len(), 0, "told once");
    }
}
