//! `filter-missing`: a plugin needs an intent filter that no component has.

use elvask_markup::xml::plan::{self, Slot};
use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy, Want};
use crate::requirement::{Kind, Need, Query, Requirement};
use crate::rules::support::{filter_fragment, has_filter, manifest_edit, only_in, set_android, who_needs};
use crate::rules::{About, Rule};
use crate::surface::ANDROID;

/// See the module.
pub struct FilterMissing;

static ABOUT: About = About {
    id: "filter-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an intent filter that a plugin needs and the component does not have.",
    effect: "The app is not offered where it should be: it is absent from the share menu, or the link opens the browser.",
    wrong: "<activity android:name=\".MainActivity\" …>\n</activity>",
    right: "<activity android:name=\".MainActivity\" …>\n    <intent-filter>\n        <action android:name=\"android.intent.action.SEND\" />\n        <category android:name=\"android.intent.category.DEFAULT\" />\n        <data android:mimeType=\"text/plain\" />\n    </intent-filter>\n</activity>",
    remedy: "`fill` adds the filter behind the others of the component, with `android:exported=\"true\"` where nothing is said of it.",
    source: "Intents and intent filters",
};

impl Rule for FilterMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(main) = &context.manifest else { return };
        for group in context.needs.groups(Kind::Filter) {
            let mut seen: Vec<&Need> = Vec::new();
            for requirement in group.requirements {
                let Need::Filter { owner, filter } = &requirement.need else { continue };
                if seen.contains(&&requirement.need) {
                    continue;
                }
                seen.push(&requirement.need);
                let together: Vec<_> = group.requirements.iter().filter(|one| one.need == requirement.need).collect();
                let who = who_needs(context, together.iter().copied());
                let filled = fill_in(context, requirement, filter);
                let wanted = filled.as_ref().unwrap_or(filter);
                let lacking =
                    context.lacking(std::slice::from_ref(requirement), |variant| has_filter(variant, owner, wanted));
                if lacking.is_empty() {
                    continue;
                }
                let owning = context.manifests.iter().find_map(|manifest| Some((manifest, manifest.owner(owner)?)));
                let message = format!(
                    "{} has no filter for {}{}, and {who} one",
                    owner.title(),
                    wanted.name(),
                    only_in(context, &lacking)
                );
                let (place, remedy) = match (owning, &filled) {
                    (Some((manifest, element)), Ok(filter)) => {
                        let last = element.children_named("intent-filter").last();
                        let slot = last.map_or(Slot::First, |last| Slot::After(last.node()));
                        let mut edits = plan::insert(element, slot, &[filter_fragment(manifest.prefix(), filter)]);
                        if element.value(ANDROID, "exported").is_none() {
                            edits.push(set_android(manifest, element, "exported", "true"));
                        }
                        let title = format!("add a filter for {}", filter.name());
                        (manifest.tag(element), manifest_edit(title, manifest, edits))
                    }
                    (Some((manifest, element)), Err(wants)) => {
                        let lines = format!("<intent-filter> for {}", wanted.name());
                        (manifest.tag(element), Remedy::Answer { wants: wants.clone(), lines })
                    }
                    (None, _) => {
                        let steps = format!("Declare {} first.", owner.title());
                        (main.tag(main.application.unwrap_or(main.root)), Remedy::Manual(steps))
                    }
                };
                out.push(
                    Finding::new(&ABOUT, group.name, place, message)
                        .level(Level::of_strength(requirement.strength))
                        .needed_by(context.app, together)
                        .in_variants(lacking)
                        .mend(remedy),
                );
            }
        }
    }
}

/// Puts the answers of a requirement's plugin into a filter.
fn fill_in(context: &Context<'_>, requirement: &Requirement, filter: &Query) -> Result<Query, Vec<Want>> {
    let mut filled = filter.clone();
    let parts =
        [&mut filled.scheme, &mut filled.host, &mut filled.path, &mut filled.path_prefix, &mut filled.path_pattern];
    for part in parts.into_iter().flatten() {
        *part = context.fill_in(requirement, part)?;
    }
    Ok(filled)
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "filter-missing";

    const NEED: &str = "android.filter = { on = 'launcher', action = 'android.intent.action.SEND', category = ['android.intent.category.DEFAULT'], mime = 'text/plain' }";
    const MAIN: &str = "            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\"/>\n                <category android:name=\"android.intent.category.LAUNCHER\"/>\n            </intent-filter>\n";

    fn activity(inside: &str) -> String {
        format!(
            "    <application>\n        <activity android:name=\".MainActivity\" android:exported=\"true\">\n{MAIN}{inside}        </activity>\n    </application>\n"
        )
    }

    const SHARE: &str = "            <intent-filter>\n                <action android:name=\"android.intent.action.SEND\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <data android:mimeType=\"text/plain\"/>\n            </intent-filter>\n";

    #[test]
    fn a_filter_goes_to_the_launcher() {
        let app = Fixture::android(&activity("")).needs("sanderling_inbox", NEED);
        assert_eq!(app.found(ID), ["error android.intent.action.SEND text/plain 3:9"]);
        app.mends_manifest(ID, &activity(SHARE));
        assert!(Fixture::android(&activity(SHARE)).needs("sanderling_inbox", NEED).found(ID).is_empty());
        let wider = SHARE.replace("text/plain", "*/*");
        assert!(Fixture::android(&activity(&wider)).needs("sanderling_inbox", NEED).found(ID).is_empty());
    }

    #[test]
    fn a_scheme_waits_for_its_answer() {
        let need = "android.filter = { action = 'android.intent.action.VIEW', category = ['android.intent.category.BROWSABLE'], scheme = '{scheme}' }";
        let app = Fixture::android(&activity("")).needs("avocet_checkout", need);
        assert_eq!((app.found(ID).len(), app.found("answer-missing").len()), (0, 1));
        let filled = app.toml("[links]\nschemes = ['marram']");
        assert!(filled.findings(ID)[0].remedy.text().contains("android:scheme=\"marram\""));
    }
}
