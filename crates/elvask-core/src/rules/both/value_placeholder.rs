//! `value-placeholder`: a value still is what a plugin's notes had.

use elvask_needs::remedy::Remedy;
use elvask_platform::wording::{ValueUse, placeholder_in};
use elvask_platform::{Kind, Platform, ios};
use elvask_project::names::ANDROID;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct ValuePlaceholder;

static ABOUT: About = About {
    id: "value-placeholder",
    level: Level::Error,
    platform: None,
    summary: "Reports a value that was copied and never filled in, in the manifest, in `Info.plist` or in `elvask.toml`.",
    effect: "The plugin gets a value that belongs to nobody and fails when it is used.",
    wrong: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"YOUR_APP_ID_HERE\" />",
    right: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\" />",
    remedy: "`fill` writes the value, once the owner has given it.",
    source: "docs/sheets.md",
};

impl Rule for ValuePlaceholder {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut report =
            |name: &str, value: &str, place: &dyn Fn() -> Place, platform: Option<Platform>, used: ValueUse| {
                if elvask_needs::template::is_reference(value) {
                    return;
                }
                let Some(part) = placeholder_in(value, used) else { return };
                let place = place();
                let needed = [Kind::MetaData, Kind::Plist].map(|kind| context.needs.of(kind, name)).concat();
                let declared = super::declared_values(context).into_iter().find(|declared| declared.place == place);
                let remedy = match declared {
                    Some(declared) => declared.rewrite(context),
                    None => Remedy::Manual("Write the real value.".to_owned()),
                };
                let message = format!("`{name}` is still a placeholder: it says \"{part}\"");
                let mut finding =
                    Finding::new(&ABOUT, name, place, message).needed_by(context.app, &needed).mend(remedy);
                finding.platform = platform;
                out.push(finding);
            };
        if let Some(manifest) = &context.manifest {
            for declared in &manifest.meta_data {
                let Some(value) = declared.element.value(ANDROID, "value") else { continue };
                let place = || manifest.value_place(declared.element, "value");
                report(&declared.name, &value, &place, Some(Platform::Android), ValueUse::Machine);
            }
        }
        if let Some(plist) = context.plist {
            for entry in plist.list.entries().iter().filter(|entry| ios::usage_key(&entry.key).is_none()) {
                let Some(value) = entry.value.as_str() else { continue };
                report(&entry.key, value, &|| plist.value_place(entry), Some(Platform::Ios), ValueUse::Machine);
            }
        }
        let Some(file) = context.app.config_file else { return };
        for plugin in &context.app.config.per_plugin {
            for (key, answer) in &plugin.answers {
                let name = format!("{}.{}", plugin.name.text, key.text);
                report(&name, &answer.text, &|| Place { file, span: answer.span }, None, ValueUse::Machine);
            }
        }
        for purpose in &context.app.config.purposes {
            for (_, text) in &purpose.texts {
                report(&purpose.name.text, &text.text, &|| Place { file, span: text.span }, None, ValueUse::Purpose);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "value-placeholder";
    const SHEET: &str = "[[requires]]\nios.plist = { key = 'ExampleKnotAppId', value = '{app_id}' }\n[answers.app_id]\npattern = 'knot-[0-9]{8}'";

    fn entry(value: &str) -> String {
        format!("    <key>ExampleKnotAppId</key>\n    <string>{value}</string>\n")
    }

    #[test]
    fn a_copied_value_is_replaced_by_the_answer() {
        let app = Fixture::ios(&entry("YOUR_APP_ID_HERE")).plugin("knot_banner", SHEET);
        assert_eq!(app.found(ID), ["error ExampleKnotAppId 4:5"]);
        assert!(app.found("value-form").is_empty(), "one mistake, one finding");
        app.is_left_alone();
        app.toml("[plugins.knot_banner.answers]\napp_id = 'knot-48210077'").mends_plist(ID, &entry("knot-48210077"));
    }

    #[test]
    fn a_copied_value_is_no_answer_even_where_any_form_will_do() {
        let sheet = "[[requires]]\nios.plist = { key = 'ExampleKnotAppId', value = '{app_id}' }\n[answers.app_id]\n";
        let app = Fixture::ios(&entry("YOUR_APP_ID_HERE")).plugin("knot_banner", sheet);
        assert_eq!(app.findings(ID)[0].remedy.kind(), "answer");
        app.is_left_alone();
        let written = app.toml("[plugins.knot_banner.answers]\napp_id = 'REPLACE_ME_HERE'");
        assert_eq!(written.found(ID), ["error knot_banner.app_id 3:10", "error ExampleKnotAppId 4:5"]);
        written.is_left_alone();
    }

    #[test]
    fn elvask_toml_is_looked_at_too_and_never_copied_from() {
        let app = Fixture::ios("    <key>A</key>\n    <true/>\n")
            .needs("tern_camera", "capability = 'camera'")
            .toml("[purposes]\ncamera = 'TODO'");
        assert_eq!(app.found(ID), ["error camera 3:10"]);
        app.is_left_alone();
    }
}
