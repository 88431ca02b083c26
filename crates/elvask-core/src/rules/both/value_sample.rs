//! `value-sample`: a value is one that a plugin gives out for trials.

use elvask_needs::remedy::Remedy;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct ValueSample;

static ABOUT: About = About {
    id: "value-sample",
    level: Level::Warning,
    platform: None,
    summary: "Reports a value that the plugin's sheet names as a sample. With `--release` it is an error.",
    effect: "It is fine while developing. In a release it earns nothing, reaches nobody or is cut off.",
    wrong: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-00000000\" />",
    right: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\" />",
    remedy: "`fill` writes the real value, once the owner has given it.",
    source: "docs/sheets.md",
};

impl Rule for ValueSample {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let release = context.settings.release;
        for declared in super::declared_values(context) {
            let sample = declared.answers().into_iter().find(|(key, value)| {
                declared.asked(context, key).is_some_and(|asked| asked.samples.iter().any(|sample| sample == value))
            });
            let Some((key, value)) = sample else { continue };
            let better =
                context.answers.get(declared.requirement.plugin, &key).is_some_and(|answer| answer.value != value);
            let remedy = match (better, release) {
                (true, _) | (false, true) => declared.rewrite_without(context, &key),
                (false, false) => Remedy::Manual("Put the real value in before the release.".to_owned()),
            };
            let message = format!("`{}` holds a sample value: {value}", declared.requirement.name);
            let mut finding = Finding::new(&ABOUT, declared.requirement.name.clone(), declared.place, message)
                .needed_by(context.app, [declared.requirement])
                .mend(remedy);
            finding.platform = Some(declared.requirement.platform);
            if release {
                finding.level = Level::Error;
            }
            out.push(finding);
        }
        for (plugin, key, answer) in context.answers.all().filter(|(_, _, answer)| !answer.declared) {
            let found = context.app.plugins.get(plugin);
            let sheet = found.and_then(|plugin| plugin.sheet.as_ref());
            let sample = sheet
                .and_then(|sheet| sheet.sheet.answer(key))
                .is_some_and(|asked| asked.samples.contains(&answer.value));
            let (Some(place), Some(found), true) = (answer.place, found, sample) else { continue };
            let message = format!("the answer `{key}` for {} is a sample value: {}", found.name, answer.value);
            let finding = Finding::new(&ABOUT, format!("{}.{key}", found.name), place, message)
                .level(if release { Level::Error } else { Level::Warning })
                .mend(Remedy::Manual("Put the real value in before the release.".to_owned()));
            out.push(finding);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "value-sample";
    const SHEET: &str = "[[requires]]\nios.plist = { key = 'ExampleKnotAppId', value = '{app_id}' }\n[answers.app_id]\npattern = 'knot-[0-9]{8}'\nsamples = ['knot-00000000']";

    fn entry(value: &str) -> String {
        format!("    <key>ExampleKnotAppId</key>\n    <string>{value}</string>\n")
    }

    #[test]
    fn a_sample_is_fine_until_the_release() {
        let mut app = Fixture::ios(&entry("knot-00000000")).plugin("knot_banner", SHEET);
        assert_eq!(app.found(ID), ["warning ExampleKnotAppId 4:5"]);
        app.is_left_alone();
        app.settings.release = true;
        assert_eq!(app.found(ID), ["error ExampleKnotAppId 4:5"]);
        assert_eq!(app.findings(ID)[0].remedy.kind(), "answer");
        assert!(Fixture::ios(&entry("knot-48210077")).plugin("knot_banner", SHEET).found(ID).is_empty());
    }

    #[test]
    fn a_real_answer_takes_its_place() {
        let app = Fixture::ios(&entry("knot-00000000")).plugin("knot_banner", SHEET);
        app.toml("[plugins.knot_banner.answers]\napp_id = 'knot-48210077'").mends_plist(ID, &entry("knot-48210077"));
    }
}
