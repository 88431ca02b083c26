//! `component-attribute`: an element lacks an attribute that a plugin needs, or has it with another value.

use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy, Want};
use crate::requirement::{Kind, Need};
use crate::rules::support::{loosens, manifest_edit, set_android, who_needs};
use crate::rules::{About, Rule};
use crate::surface::ANDROID;
use crate::template::is_reference;

/// See the module.
pub struct ComponentAttribute;

static ABOUT: About = About {
    id: "component-attribute",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an attribute of the launcher activity, the application or a component that a plugin needs and that is absent or different.",
    effect: "The part of the plugin that counts on it does not work: the activity starts a second time, or is not reached at all.",
    wrong: "<activity android:name=\".MainActivity\" android:launchMode=\"standard\">",
    right: "<activity android:name=\".MainActivity\" android:launchMode=\"singleTask\">",
    remedy: "`fill` sets the attribute. One that makes the app less safe it sets only with a person's consent.",
    source: "App manifest file: <activity>",
};

impl Rule for ComponentAttribute {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(manifest) = &context.manifest else { return };
        for group in context.needs.groups(Kind::Attribute) {
            for (at, requirement) in group.requirements.iter().enumerate() {
                let Need::Attribute { owner, attribute, value } = &requirement.need else { continue };
                let same = |other: &&crate::requirement::Requirement| matches!(&other.need, Need::Attribute { owner: o, .. } if o == owner);
                if group.requirements.iter().take(at).any(|other| same(&other)) {
                    continue;
                }
                let together: Vec<_> = group.requirements.iter().filter(same).collect();
                let who = who_needs(context, together.iter().copied());
                let wanted = match context.fill_in(requirement, value) {
                    Ok(value) => value,
                    Err(wants) => {
                        let Some(element) = manifest.owner(owner) else { continue };
                        if element.value(ANDROID, attribute).is_none_or(|declared| declared.trim().is_empty()) {
                            let message =
                                format!("{who} `{attribute}` on {}, and its value is not known", owner.title());
                            let lines = format!("android:{attribute}=\"…\"");
                            out.push(
                                Finding::new(&ABOUT, group.name, manifest.value_place(element, attribute), message)
                                    .level(requirement.level())
                                    .needed_by(context.app, together.iter().copied())
                                    .mend(Remedy::Answer { wants, lines }),
                            );
                        }
                        continue;
                    }
                };
                // What another source set or a plugin's own manifest states counts as well.
                let lacking = context.lacking(group.requirements, |variant| {
                    let declared = variant.owner(owner).and_then(|element| element.value(attribute));
                    declared.is_some_and(|declared| has_all(declared, &wanted) || is_reference(declared))
                });
                if lacking.is_empty() && !context.variants.is_empty() {
                    continue;
                }
                let finding = |place, message: String| {
                    Finding::new(&ABOUT, group.name, place, message)
                        .level(requirement.level())
                        .needed_by(context.app, together.iter().copied())
                        .in_variants(lacking.clone())
                };
                let owning = context.manifests.iter().find_map(|manifest| Some((manifest, manifest.owner(owner)?)));
                let Some((manifest, element)) = owning else {
                    let message =
                        format!("{who} `{attribute}` on {}, and the manifest has no such element", owner.title());
                    let steps = format!("Declare {} first.", owner.title());
                    out.push(finding(manifest.tag(manifest.root), message).mend(Remedy::Manual(steps)));
                    continue;
                };
                let declared = element.value(ANDROID, attribute);
                if declared.as_ref().is_some_and(|declared| has_all(declared, &wanted) || is_reference(declared)) {
                    continue;
                }
                // Two plugins that want different values are told by `requirement-conflict`.
                if super::super::both::requirement_conflict::values_of(together.iter().copied()).len() > 1 {
                    continue;
                }
                let now = match &declared {
                    Some(declared) => format!("is \"{declared}\""),
                    None => "is not stated".to_owned(),
                };
                let message = format!("`{attribute}` of {} {now}, and {who} \"{wanted}\"", owner.title());
                // Flags that stand there stay: others may need them.
                let value = match &declared {
                    Some(declared) if wanted.contains('|') && !declared.trim().is_empty() => {
                        let more = wanted.split('|').filter(|flag| !has_all(declared, flag));
                        std::iter::once(declared.as_ref()).chain(more).collect::<Vec<_>>().join("|")
                    }
                    _ => wanted.clone(),
                };
                let line = format!("android:{attribute}=\"{value}\"");
                let remedy = match loosens(attribute, &wanted).filter(|_| !context.consented(attribute)) {
                    Some(meaning) => Remedy::Answer {
                        wants: vec![Want::Consent { subject: attribute.clone(), meaning: meaning.to_owned() }],
                        lines: line,
                    },
                    None => manifest_edit(line, manifest, vec![set_android(manifest, element, attribute, &value)]),
                };
                out.push(finding(manifest.value_place(element, attribute), message).mend(remedy));
            }
        }
    }
}

/// Says whether a value is the wanted one, or a list of flags with all that are wanted: `orientation|screenSize`.
fn has_all(declared: &str, wanted: &str) -> bool {
    wanted.split('|').all(|flag| declared.split('|').any(|one| one.trim() == flag.trim()))
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "component-attribute";
    const NEED: &str = "android.attribute = { on = 'launcher', name = 'launchMode', value = 'singleTask' }";

    fn activity(attributes: &str) -> String {
        format!(
            "    <application>\n        <activity\n            android:name=\".Main\"\n            android:exported=\"true\"{attributes}>\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\"/>\n                <category android:name=\"android.intent.category.LAUNCHER\"/>\n            </intent-filter>\n        </activity>\n    </application>\n"
        )
    }

    #[test]
    fn an_absent_attribute_is_added_in_the_layout_of_the_others() {
        let app = Fixture::android(&activity("")).needs("turnstone_links", NEED);
        assert_eq!(app.found(ID), ["error launchMode 3:9"]);
        app.mends_manifest(ID, &activity("\n            android:launchMode=\"singleTask\""));
    }

    #[test]
    fn another_value_is_corrected() {
        let app =
            Fixture::android(&activity("\n            android:launchMode=\"standard\"")).needs("turnstone_links", NEED);
        assert_eq!(app.found(ID), ["error launchMode 6:33"]);
        app.mends_manifest(ID, &activity("\n            android:launchMode=\"singleTask\""));
        assert_eq!(Fixture::android("    <application/>\n").needs("p", NEED).findings(ID)[0].remedy.kind(), "manual");
    }

    #[test]
    fn a_value_may_wait_for_its_answer() {
        let need = "android.attribute = { on = 'launcher', name = 'taskAffinity', value = '{scheme}.task' }";
        let app = Fixture::android(&activity("")).needs("p", need);
        assert_eq!(app.found(ID), ["error taskAffinity 3:9"]);
        assert_eq!(app.findings(ID)[0].remedy.kind(), "answer");
        app.is_left_alone();
        app.toml("[plugins.p.answers]\nscheme = 'marram'")
            .mends_manifest(ID, &activity("\n            android:taskAffinity=\"marram.task\""));
    }

    #[test]
    fn what_makes_the_app_less_safe_waits_for_consent() {
        let need = "android.attribute = { on = 'application', name = 'usesCleartextTraffic', value = 'true' }";
        let mut app = Fixture::android("    <application/>\n").needs("p", need);
        assert_eq!(app.findings(ID)[0].remedy.kind(), "answer");
        app.is_left_alone();
        app.settings.consents.push("usesCleartextTraffic".to_owned());
        app.mends_manifest(ID, "    <application android:usesCleartextTraffic=\"true\"/>\n");
    }

    #[test]
    fn flags_are_a_list_of_which_more_may_be_there() {
        let need = "android.attribute = { on = 'launcher', name = 'configChanges', value = 'orientation|screenSize' }";
        let app = |flags: &str| {
            let inside = crate::rules::testing::activity("")
                .replace("android:launchMode", &format!("android:configChanges=\"{flags}\" android:launchMode"));
            Fixture::android(&inside).needs("turnstone_links", need)
        };
        assert!(app("keyboard|screenSize|orientation").found(ID).is_empty());
        let lacking = app("keyboard|orientation");
        assert_eq!(lacking.findings(ID).len(), 1);
        let title = lacking.findings(ID)[0].remedy.title().to_owned();
        assert_eq!(title, "android:configChanges=\"keyboard|orientation|screenSize\"");
    }
}
