//! `value-differs`: what is declared is not what the owner says, or not what a plugin needs.

use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_needs::template::{answers_in, is_reference};
use elvask_platform::{Kind, Platform};
use elvask_project::names::{ANDROID, TOOLS};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Requirement;
use crate::rules::Rule;
use crate::rules::support::missing::clashes;
use crate::rules::support::{good_purpose, manifest_edit, set_android, who_needs};

/// See the module.
pub struct ValueDiffers;

static ABOUT: About = About {
    id: "value-differs",
    level: Level::Warning,
    platform: None,
    summary: "Reports a declared value that is another than the owner's own answer, or than the one fixed value that a plugin needs.",
    effect: "The app ships with a value that its owner did not choose.",
    wrong: "app_id = \"knot-48210077\"      # elvask.toml\nandroid:value=\"knot-11111111\"  # manifest",
    right: "app_id = \"knot-48210077\"\nandroid:value=\"knot-48210077\"",
    remedy: "`fill` writes the one fixed value that a plugin's sheet states, and an answer that is given with the command itself. Between two values or two purposes of the owner a person decides: what stands in the app is never replaced by an answer that is written elsewhere, by an example from notes or by a sample.",
    source: "docs/elvask-toml.md",
};

impl Rule for ValueDiffers {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        answers(context, out);
        fixed_meta_data(context, out);
        purposes(context, out);
    }
}

fn answers(context: &Context<'_>, out: &mut Vec<Finding>) {
    for declared in super::declared_values(context) {
        let Ok(wanted) = context.fill_in(declared.requirement, declared.template) else { continue };
        let others_speak = declared.value.trim().is_empty()
            || !declared.fits(context)
            || declared
                .answers()
                .iter()
                .any(|(key, value)| declared.asked(context, key).is_some_and(|asked| asked.samples.contains(value)));
        if wanted == declared.value || others_speak {
            continue;
        }
        let message =
            format!("`{}` is \"{}\", and the answer is \"{wanted}\"", declared.requirement.name, declared.value);
        // What stands in the app may be the newer of the two. Who gives an answer with the command means it.
        let ordered = answers_in(declared.template).iter().any(|key| said_now(context, declared.requirement, key));
        let remedy = match ordered {
            true => declared.rewrite(context),
            false => Remedy::Manual(format!(
                "Decide which of the two is right: write \"{wanted}\" here, or the other one in elvask.toml."
            )),
        };
        let mut finding = Finding::new(&ABOUT, declared.requirement.name.clone(), declared.place, message)
            .needed_by(context.app, [declared.requirement])
            .mend(remedy);
        finding.platform = Some(declared.requirement.platform);
        out.push(finding);
    }
}

/// Says whether an answer is given with the command itself.
fn said_now(context: &Context<'_>, requirement: &Requirement, key: &str) -> bool {
    let plugin = context.app.plugins.get(requirement.plugin);
    let given =
        |(name, known, _): &(String, String, String)| known == key && plugin.is_some_and(|plugin| plugin.name == *name);
    context.settings.answers.iter().any(given)
}

fn fixed_meta_data(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(manifest) = &context.manifest else { return };
    for group in context.needs.groups(Kind::MetaData) {
        let Some(Need::MetaData { value, resource, .. }) = group.requirements.first().map(|first| &first.need) else {
            continue;
        };
        let conflict = clashes(&group);
        let (attribute, wanted) = match (value, resource) {
            (Some(value), _) if answers_in(value).is_empty() => ("value", value),
            (None, Some(resource)) => ("resource", resource),
            _ => continue,
        };
        for declared in manifest.meta_data.iter().filter(|declared| declared.name == group.name && !conflict) {
            // What a marker takes out has no value to be right.
            if declared.element.value(TOOLS, "node").is_some_and(|node| node.starts_with("remove")) {
                continue;
            }
            let now = declared.element.value(ANDROID, attribute);
            let placeholder = now.as_ref().is_some_and(|now| {
                let used = elvask_platform::wording::ValueUse::Machine;
                elvask_platform::wording::placeholder_in(now, used).is_some()
            });
            if now.as_ref().is_some_and(|now| now == wanted || (attribute == "value" && is_reference(now)))
                || placeholder
            {
                continue;
            }
            let said = now.map_or("has no value".to_owned(), |now| format!("is \"{now}\""));
            let message =
                format!("`{}` {said}, and {} \"{wanted}\"", group.name, who_needs(context, group.requirements));
            let edit = set_android(manifest, declared.element, attribute, wanted);
            let mut finding =
                Finding::new(&ABOUT, group.name, manifest.value_place(declared.element, attribute), message)
                    .level(group.level())
                    .effect("The plugin does not work as configured.")
                    .needed_by(context.app, group.requirements)
                    .mend(manifest_edit(format!("android:{attribute}=\"{wanted}\""), manifest, vec![edit]))
                    .unless_notes_alone();
            finding.platform = Some(Platform::Android);
            out.push(finding);
        }
    }
}

fn purposes(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(plist) = context.plist else { return };
    for entry in plist.purposes() {
        let Some((_, text)) = good_purpose(plist, &entry.key) else { continue };
        let Some(given) = context.purpose(&entry.key).filter(|given| given.text != text) else { continue };
        let message = format!("the purpose `{}` differs from the one that the owner gives", entry.key);
        let steps = format!("Decide between the two texts. The other one is: {}", given.text);
        let mut finding = Finding::new(&ABOUT, entry.key.clone(), plist.value_place(entry), message)
            .effect("Users read the text in Info.plist.")
            .mend(Remedy::Manual(steps));
        finding.platform = Some(Platform::Ios);
        finding.related = given.place.map(|place| (place, "the owner's words".to_owned()));
        out.push(finding);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "value-differs";
    const SHEET: &str = "[[requires]]\nandroid.meta-data = { name = 'example.knot.APP_ID', value = '{app_id}' }\n[answers.app_id]\npattern = 'knot-[0-9]{8}'";

    fn inside(value: &str) -> String {
        format!(
            "    <application>\n        <meta-data android:name=\"example.knot.APP_ID\" android:value=\"{value}\"/>\n    </application>\n"
        )
    }

    #[test]
    fn between_two_values_of_the_owners_a_person_decides() {
        let app = Fixture::android(&inside("knot-11111111")).plugin("knot_banner", SHEET);
        assert!(app.found(ID).is_empty(), "what is declared counts as the answer");
        let app = app.toml("[plugins.knot_banner.answers]\napp_id = 'knot-48210077'");
        assert_eq!(app.found(ID), ["warning example.knot.APP_ID 3:70"]);
        app.is_left_alone();
        let mut app = app;
        app.settings.answers.push(("knot_banner".to_owned(), "app_id".to_owned(), "knot-48210077".to_owned()));
        app.mends_manifest(ID, &inside("knot-48210077"));
    }

    #[test]
    fn examples_in_notes_never_take_the_place_of_a_value() {
        let real = inside("knot-11111111")
            .replace("/>", "/>\n        <meta-data android:name=\"example.knot.MODE\" android:value=\"calm\"/>");
        let notes = "# Knot\n\n## Setup\n\nAdd this to the manifest:\n\n```xml\n<application>\n<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-00000000\"/>\n<meta-data android:name=\"example.knot.MODE\" android:value=\"loud\"/>\n</application>\n```\n";
        let app = Fixture::android(&real)
            .package("knot_banner")
            .file("node_modules/knot_banner/README.md", notes)
            .file("node_modules/knot_banner/android/build.gradle", "apply plugin: 'com.android.library'\n");
        let found = app.findings(ID);
        assert_eq!(app.found(ID), ["warning example.knot.MODE 4:68"], "{found:#?}");
        assert_eq!(found[0].remedy.kind(), "manual");
        app.is_left_alone();
    }

    #[test]
    fn a_plugins_fixed_value_is_written() {
        let app = Fixture::android(&inside("loud"))
            .needs("p", "android.meta-data = { name = 'example.knot.APP_ID', value = 'calm' }");
        assert_eq!(app.found(ID), ["error example.knot.APP_ID 3:70"]);
        app.mends_manifest(ID, &inside("calm"));
    }

    #[test]
    fn a_persons_text_is_never_replaced() {
        let app = Fixture::ios("    <key>NSCameraUsageDescription</key>\n    <string>Photographs the ring.</string>\n")
            .toml("[purposes]\ncamera = 'Photographs rings and legs.'");
        assert_eq!(app.found(ID), ["warning NSCameraUsageDescription 4:5"]);
        app.is_left_alone();
    }
}
