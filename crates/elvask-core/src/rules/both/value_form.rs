//! `value-form`: a value does not look as its plugin says it must.

use elvask_platform::wording::{ValueUse, placeholder_in};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct ValueForm;

static ABOUT: About = About {
    id: "value-form",
    level: Level::Error,
    platform: None,
    summary: "Reports a value, declared or given in `elvask.toml`, that does not have the form that the plugin's sheet states.",
    effect: "The plugin rejects the value when it starts.",
    wrong: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"48210077\" />",
    right: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\" />",
    remedy: "`fill` writes the value, once the owner has given one of the right form.",
    source: "docs/sheets.md",
};

impl Rule for ValueForm {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for declared in super::declared_values(context) {
            let unfilled =
                declared.value.trim().is_empty() || placeholder_in(&declared.value, ValueUse::Machine).is_some();
            if unfilled || declared.fits(context) {
                continue;
            }
            let form = declared.form(context);
            let message = format!(
                "`{}` has the value \"{}\", which does not have the form {form}",
                declared.requirement.name, declared.value
            );
            let mut finding = Finding::new(&ABOUT, declared.requirement.name.clone(), declared.place, message)
                .needed_by(context.app, [declared.requirement])
                .mend(declared.rewrite(context));
            finding.platform = Some(declared.requirement.platform);
            out.push(finding);
        }
        for (plugin, key, answer) in context.answers.all().filter(|(_, _, answer)| !answer.declared) {
            let found = context.app.plugins.get(plugin);
            let sheet = found.and_then(|plugin| plugin.sheet.as_ref());
            let asked = sheet.and_then(|sheet| sheet.sheet.answer(key)).filter(|asked| !asked.fits(&answer.value));
            let (Some(place), Some(found), Some(asked)) = (answer.place, found, asked) else { continue };
            let form = asked.form().unwrap_or_default();
            let message = format!("the answer `{key}` for {} does not have the form `{form}`", found.name);
            out.push(
                Finding::new(&ABOUT, format!("{}.{key}", found.name), place, message)
                    .mend(elvask_needs::remedy::Remedy::Manual("Write a value of that form.".to_owned())),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "value-form";
    const SHEET: &str = "[[requires]]\nios.plist = { key = 'ExampleKnotAppId', value = '{app_id}' }\n[answers.app_id]\npattern = 'knot-[0-9]{8}'";

    fn entry(value: &str) -> String {
        format!("    <key>ExampleKnotAppId</key>\n    <string>{value}</string>\n")
    }

    #[test]
    fn the_form_of_declared_and_given_values_is_looked_at() {
        let app = Fixture::ios(&entry("48210077")).plugin("knot_banner", SHEET);
        assert_eq!(app.found(ID), ["error ExampleKnotAppId 4:5"]);
        assert!(app.findings(ID)[0].message.ends_with("the form `knot-[0-9]{8}`"), "{}", app.findings(ID)[0].message);
        app.is_left_alone();
        app.clone()
            .toml("[plugins.knot_banner.answers]\napp_id = 'knot-48210077'")
            .mends_plist(ID, &entry("knot-48210077"));
        let wrong = app.toml("[plugins.knot_banner.answers]\napp_id = '7'");
        assert_eq!(wrong.found(ID), ["error knot_banner.app_id 3:10", "error ExampleKnotAppId 4:5"]);
        wrong.is_left_alone();
        assert!(Fixture::ios(&entry("$(KNOT_ID)")).plugin("knot_banner", SHEET).found(ID).is_empty());
    }
}
