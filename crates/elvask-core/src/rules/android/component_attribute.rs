//! `component-attribute`: an element lacks an attribute that a plugin needs, or has it with another value.

use elvask_needs::kinds::android::attribute::has_all;
use elvask_needs::kinds::android::component::fits;
use elvask_needs::kinds::{self, Joined, Match};
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::android::effect_of_attribute;
use elvask_platform::{Kind, Platform};
use elvask_project::names::ANDROID;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::{Together, finding, lacking, parted};
use crate::rules::support::{manifest_edit, set_android, who_needs};

/// See the module.
pub struct ComponentAttribute;

static ABOUT: About = About {
    id: "component-attribute",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an attribute of the launcher activity, the application or a component that a plugin needs and that is absent or different.",
    effect: "The part of the plugin that counts on it does not work.",
    wrong: "<activity android:name=\".MainActivity\" android:launchMode=\"standard\">",
    right: "<activity android:name=\".MainActivity\" android:launchMode=\"singleTask\">",
    remedy: "`fill` sets the attribute. One that is not on the list of what is written for a package it sets only with a person's consent.",
    source: "App manifest file: <activity>",
};

impl Rule for ComponentAttribute {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for together in context.needs.groups(Kind::Attribute).flat_map(|group| parted(&group)) {
            let Some(found) = finding(context, &ABOUT, &together, |found| *found != Match::Meets) else { continue };
            let message = attribute_message(context, &together).unwrap_or(found.message.clone());
            let found = Finding { message, ..found };
            let found = match &together.joined {
                Joined::One(Need::Attribute { attribute, .. }) => with_effect(found, attribute),
                _ => found,
            };
            out.push(if is_stated(context, &together) { found.unless_notes_alone() } else { found });
        }
        for together in context.needs.groups(Kind::Component).flat_map(|group| parted(&group)) {
            component(context, &together, out);
        }
    }
}

/// Sets what the value of the attribute decides, where that is known.
fn with_effect(finding: Finding, attribute: &str) -> Finding {
    match effect_of_attribute(attribute) {
        Some(effect) if finding.level > Level::Note => finding.effect(effect),
        _ => finding,
    }
}

/// Says whether the app states an attribute, with whatever value.
fn is_stated(context: &Context<'_>, together: &Together<'_>) -> bool {
    let Joined::One(Need::Attribute { owner, attribute, .. }) = &together.joined else { return false };
    let mut owning = context.manifests.iter().filter_map(|manifest| manifest.owner(owner));
    owning.any(|element| element.value(ANDROID, attribute).is_some())
}

/// Says what an attribute is now; `None` where no element has it yet.
fn attribute_message(context: &Context<'_>, together: &Together<'_>) -> Option<String> {
    let Joined::One(Need::Attribute { owner, attribute, value }) = &together.joined else { return None };
    let who = who_needs(context, together.requirements.iter().copied());
    let requirement = together.requirements.first()?;
    let owning = context.manifests.iter().find_map(|manifest| manifest.owner(owner));
    let Some(element) = owning else {
        return Some(format!("{who} `{attribute}` on {}, and the manifest has no such element", owner.title()));
    };
    let Ok(wanted) = context.fill_in(requirement, value) else {
        return Some(format!("{who} `{attribute}` on {}, and its value is not known", owner.title()));
    };
    let now = match element.value(ANDROID, attribute) {
        Some(declared) => format!("is \"{declared}\""),
        None => "is not stated".to_owned(),
    };
    Some(format!("`{attribute}` of {} {now}, and {who} \"{wanted}\"", owner.title()))
}

/// Looks for attributes of a component that a plugin states and that are other ones.
fn component(context: &Context<'_>, together: &Together<'_>, out: &mut Vec<Finding>) {
    let Joined::One(need @ Need::Component(wanted)) = &together.joined else { return };
    let (spec, name) = (kinds::spec(Kind::Component), together.name);
    let differs = |found: &Match| matches!(found, Match::Differs(_));
    let Some(variants) = lacking(context, spec, (name, need), &together.requirements, differs) else { return };
    let owning = context.manifests.iter().find_map(|manifest| Some((manifest, manifest.component(name)?.element)));
    let who = who_needs(context, together.requirements.iter().copied());
    for (attribute, value) in wanted.attributes() {
        let given = match &owning {
            Some((_, element)) => element.value(ANDROID, attribute).map(std::borrow::Cow::into_owned),
            None => context
                .variants
                .first()
                .and_then(|variant| variant.component(name)?.value(attribute).map(str::to_owned)),
        };
        if fits(attribute, given.as_deref(), &value) {
            continue;
        }
        let now = given.as_ref().map_or_else(|| "is not stated".to_owned(), |given| format!("is \"{given}\""));
        let message = format!("`{attribute}` of `{name}` {now}, and {who} \"{value}\"");
        let line = format!("android:{attribute}=\"{value}\"");
        let (place, remedy) = match &owning {
            Some((manifest, element)) => {
                let place = manifest.value_place(*element, attribute);
                match (&given, attribute) {
                    // What is open to others, and who may reach it, is changed by nobody but the owner.
                    (Some(_), "exported" | "permission" | "authorities") | (None, "exported") if value != "false" => {
                        (place, Remedy::Manual(format!("Write {line}, if others are to reach it.")))
                    }
                    (Some(_), "exported" | "permission" | "authorities") => {
                        (place, Remedy::Manual(format!("Write {line}.")))
                    }
                    (Some(given), _) => {
                        let more = value.split('|').filter(|flag| !has_all(given, flag));
                        let all = std::iter::once(given.as_str()).chain(more).collect::<Vec<_>>().join("|");
                        let edit = set_android(manifest, *element, attribute, &all);
                        (place, manifest_edit(format!("android:{attribute}=\"{all}\""), manifest, vec![edit]))
                    }
                    (None, _) => {
                        let edit = set_android(manifest, *element, attribute, &value);
                        (place, manifest_edit(line, manifest, vec![edit]))
                    }
                }
            }
            None => {
                let Some(manifest) = context.manifest.as_deref() else { return };
                let steps = format!("Declare `{name}` in the app's own manifest with {line}.");
                (manifest.tag(manifest.application.unwrap_or(manifest.root)), Remedy::Manual(steps))
            }
        };
        let found = Finding::new(&ABOUT, attribute, place, message)
            .level(together.level())
            .needed_by(context.app, together.requirements.iter().copied())
            .in_variants(variants.clone())
            .mend(remedy);
        let found = with_effect(found, attribute);
        out.push(if given.is_some() { found.unless_notes_alone() } else { found });
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "component-attribute";
    const NEED: &str = "android.attribute = { on = 'launcher', name = 'launchMode', value = 'singleTask' }";

    fn activity(attributes: &str) -> String {
        format!(
            "    <application>\n        <activity\n            android:name=\".Main\"\n            android:exported=\"true\"{attributes}>\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\"/>\n                <category android:name=\"android.intent.category.LAUNCHER\"/>\n            </intent-filter>\n        </activity>\n    </application>\n"
        )
    }

    #[test]
    fn what_happens_is_told_of_the_attribute_in_question() {
        let app = Fixture::android(&activity("")).needs("turnstone_links", NEED);
        assert_eq!(app.findings(ID)[0].effect, "Each link or result starts the activity a second time.");
        let other = "android.attribute = { on = 'application', name = 'supportsRtl', value = 'true' }";
        let app = Fixture::android(&activity("")).needs("turnstone_links", other);
        assert_eq!(app.findings(ID)[0].effect, "The part of the plugin that counts on it does not work.");
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
            .agreed(&["taskAffinity@launcher"])
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
            let inside = crate::testing::activity("")
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
