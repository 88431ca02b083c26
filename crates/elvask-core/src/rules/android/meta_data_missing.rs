//! `meta-data-missing`: a plugin looks for a value that the manifest does not hold.

use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy, Want};
use crate::requirement::{Kind, Need, Owner};
use crate::rules::support::{manifest_edit, only_in, who_needs};
use crate::rules::{About, Rule};

/// See the module.
pub struct MetaDataMissing;

static ABOUT: About = About {
    id: "meta-data-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a `<meta-data>` that a plugin reads and the manifest does not hold.",
    effect: "The plugin does not find its value when it starts; many end the app there.",
    wrong: "<application …>\n</application>",
    right: "<application …>\n    <meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\" />\n</application>",
    remedy: "`fill` adds the element into the one that the plugin looks in, once the owner has given the value.",
    source: "App manifest file: <meta-data>",
};

impl Rule for MetaDataMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(manifest) = &context.manifest else { return };
        for group in context.needs.groups(Kind::MetaData) {
            let Some(requirement) = group.requirements.first() else { continue };
            let Need::MetaData { owner, value, resource } = &requirement.need else { continue };
            // Wherever it stands: in the wrong element it is misplaced, not missing.
            let lacking = context.lacking(group.requirements, |variant| {
                variant.meta_data().any(|declared| declared.key.as_deref() == Some(group.name))
            });
            if lacking.is_empty() {
                continue;
            }
            if super::super::both::requirement_conflict::values(&group).len() > 1 {
                continue;
            }
            let element = manifest.owner(owner);
            let who = who_needs(context, group.requirements);
            let message =
                format!("the meta-data `{}` is not declared{}, and {who} it", group.name, only_in(context, &lacking));
            let place = manifest.tag(element.or(manifest.application).unwrap_or(manifest.root));
            let finding = Finding::new(&ABOUT, group.name, place, message)
                .level(group.level())
                .needed_by(context.app, group.requirements)
                .in_variants(lacking);
            let Some(element) = element else {
                let steps = format!("The manifest has no {}; declare that first.", title(owner));
                out.push(finding.mend(Remedy::Manual(steps)));
                continue;
            };
            let prefix = manifest.prefix();
            let (attribute, template) = match (value, resource) {
                (Some(value), _) => ("value", value),
                (None, Some(resource)) => ("resource", resource),
                (None, None) => continue,
            };
            let remedy = match context.fill_in(requirement, template) {
                Ok(value) => {
                    let fragment = Fragment::new("meta-data")
                        .with(format!("{prefix}:name"), group.name)
                        .with(format!("{prefix}:{attribute}"), value);
                    let last = element.children_named("meta-data").last();
                    let slot = last.map_or(Slot::Last, |last| Slot::After(last.node()));
                    let edits = plan::insert(element, slot, &[fragment]);
                    manifest_edit(format!("declare {}", group.name), manifest, edits)
                }
                Err(wants) => answer(group.name, prefix, attribute, wants),
            };
            out.push(finding.mend(remedy));
        }
    }
}

fn title(owner: &Owner) -> String {
    owner.title().replace("the ", "")
}

fn answer(name: &str, prefix: &str, attribute: &str, wants: Vec<Want>) -> Remedy {
    let lines = format!("<meta-data {prefix}:name=\"{name}\" {prefix}:{attribute}=\"…\" />");
    Remedy::Answer { wants, lines }
}

#[cfg(test)]
mod tests {
    use crate::finding::{Remedy, Want};
    use crate::rules::testing::Fixture;

    const ID: &str = "meta-data-missing";
    const SHEET: &str = "[[requires]]\nandroid.meta-data = { name = 'example.knot.APP_ID', value = '{app_id}' }\n[answers.app_id]\ntitle = 'The app id'\npattern = 'knot-[0-9]{8}'";

    fn app() -> Fixture {
        Fixture::android("    <application>\n        <activity android:name=\".A\"/>\n    </application>\n")
            .plugin("knot_banner", SHEET)
    }

    #[test]
    fn without_an_answer_the_value_is_asked_for() {
        assert_eq!(app().found(ID), ["error example.knot.APP_ID 2:5"]);
        let finding = app().findings(ID).remove(0);
        let Remedy::Answer { wants, lines } = finding.remedy else { panic!("{finding:?}") };
        assert_eq!(lines, "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"…\" />");
        let Want::Answer { plugin, key, title, .. } = &wants[0] else { panic!("{wants:?}") };
        assert_eq!((plugin.as_str(), key.as_str(), title.as_deref()), ("knot_banner", "app_id", Some("The app id")));
        app().is_left_alone();
    }

    #[test]
    fn with_an_answer_it_is_written() {
        let app = app().toml("[plugins.knot_banner.answers]\napp_id = 'knot-48210077'");
        app.mends_manifest(
            ID,
            "    <application>\n        <activity android:name=\".A\"/>\n        <meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\"/>\n    </application>\n",
        );
    }
}
