//! `answer-missing`: a value that only the owner can give is left open.

use elvask_markup::Span;
use elvask_needs::remedy::Remedy;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct AnswerMissing;

static ABOUT: About = About {
    id: "answer-missing",
    level: Level::Error,
    platform: None,
    summary: "Reports a value that only the app's owner can give and that is declared empty, or whose absence leaves open what to declare.",
    effect: "The plugin finds an empty value when it starts, and the app may crash.",
    wrong: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"\" />",
    right: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\" />",
    remedy: "`fill` writes the value, once the owner has given it.",
    source: "docs/sheets.md",
};

impl Rule for AnswerMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for (requirement, missing) in &context.needs.unanswered {
            let plugin =
                context.app.plugins.get(requirement.plugin).map(|plugin| plugin.name.as_str()).unwrap_or_default();
            let config = context.app.config_file.map(|file| Place { file, span: Span::at(0) });
            for key in missing {
                let wants = context.wants(requirement, vec![key.clone()]);
                let lines =
                    wants.iter().filter_map(elvask_needs::remedy::Want::config_lines).collect::<Vec<_>>().join("\n");
                let what = match key.as_str() {
                    "host" | "scheme" => format!("a {key}"),
                    _ => format!("a value for `{key}`"),
                };
                let message = format!("{plugin} needs {what} that only you know: `--answer {plugin}.{key}=…`");
                let Some(place) = config.or_else(|| context.place_of(requirement)) else { continue };
                let mut finding = Finding::new(&ABOUT, format!("{plugin}.{key}"), place, message)
                    .level(requirement.level())
                    .effect("Without the value nothing is declared, and that part of the plugin does not work.")
                    .needed_by(context.app, [requirement])
                    .mend(Remedy::Answer { wants, lines });
                finding.platform = Some(requirement.platform);
                out.push(finding);
            }
        }
        for declared in super::declared_values(context) {
            if !declared.value.trim().is_empty() {
                continue;
            }
            let message = format!("`{}` is declared, and its value is empty", declared.requirement.name);
            let mut finding = Finding::new(&ABOUT, declared.requirement.name.clone(), declared.place, message)
                .needed_by(context.app, [declared.requirement])
                .mend(declared.rewrite(context));
            finding.platform = Some(declared.requirement.platform);
            out.push(finding);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "answer-missing";
    const SHEET: &str = "[[requires]]\nandroid.meta-data = { name = 'example.knot.APP_ID', value = '{app_id}' }\n[answers.app_id]\npattern = 'knot-[0-9]{8}'";

    #[test]
    fn an_empty_value_waits_for_its_answer() {
        let inside = |value: &str| {
            format!(
                "    <application>\n        <meta-data android:name=\"example.knot.APP_ID\" android:value=\"{value}\"/>\n    </application>\n"
            )
        };
        let app = Fixture::android(&inside("")).plugin("knot_banner", SHEET);
        assert_eq!(app.found(ID), ["error example.knot.APP_ID 3:70"]);
        app.is_left_alone();
        app.toml("[plugins.knot_banner.answers]\napp_id = 'knot-48210077'")
            .mends_manifest(ID, &inside("knot-48210077"));
    }
}
