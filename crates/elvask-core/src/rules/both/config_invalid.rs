//! `config-invalid`: `elvask.toml` is not as it must be.

use elvask_needs::remedy::Remedy;
use elvask_platform::names::nearest;
use elvask_project::loading::FaultKind;
use elvask_project::source::Place;

use crate::context::Context;
use crate::declare::OWNER;
use crate::finding::{About, Finding, Level};
use crate::rules::support::report_faults;
use crate::rules::{RULES, Rule};

/// See the module.
pub struct ConfigInvalid;

static ABOUT: About = About {
    id: "config-invalid",
    level: Level::Error,
    platform: None,
    summary: "Reports what is wrong in `elvask.toml`: an unknown key, a value of a wrong type, a feature or answer that a plugin's sheet does not have.",
    effect: "That part of the file is not used, so a clean check would mean nothing.",
    wrong: "[purposes]\ncamra = \"Photographs rings.\"",
    right: "[purposes]\ncamera = \"Photographs rings.\"",
    remedy: "Correct the file. `check` and `fill` exit with 2, and nothing is written.",
    source: "docs/elvask-toml.md",
};

impl Rule for ConfigInvalid {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        report_faults(context, FaultKind::Config, &ABOUT, "Correct elvask.toml at this place.", out);
        let Some(file) = context.app.config_file else { return };
        let names = || context.app.plugins.iter().filter(|plugin| !plugin.own).map(|plugin| plugin.name.as_str());
        let absent = |name: &str| context.app.not_installed.iter().any(|(known, _)| known == name);
        for plugin in &context.app.config.per_plugin {
            let name = plugin.name.text.as_str();
            if name == OWNER || absent(name) || names().any(|known| known == name) {
                continue;
            }
            let hint = nearest(name, names()).map_or_else(String::new, |meant| format!("; did you mean `{meant}`?"));
            let message = format!("the app has no plugin `{name}`{hint}");
            let place = Place { file, span: plugin.name.span };
            let shown = context.app.sources.file(file).shown.clone();
            let steps = "Remove the table from elvask.toml, or give it the name of a plugin of the app.";
            out.push(Finding::new(&ABOUT, shown, place, message).mend(Remedy::Manual(steps.to_owned())));
        }
        let known = || RULES.iter().map(|known| known.about().id);
        for waiver in context.app.config.waivers.iter().filter(|waiver| !known().any(|id| id == waiver.rule.text)) {
            let hint = nearest(&waiver.rule.text, known())
                .map_or_else(String::new, |meant| format!("; did you mean `{meant}`?"));
            let message = format!("`{}` is not a rule{hint}", waiver.rule.text);
            let place = Place { file, span: waiver.rule.span };
            let shown = context.app.sources.file(file).shown.clone();
            out.push(
                Finding::new(&ABOUT, shown, place, message)
                    .mend(Remedy::Manual("Correct elvask.toml at this place.".to_owned())),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    #[test]
    fn unknown_names_are_told_with_the_known_ones() {
        let app = Fixture::android("    <application/>\n")
            .plugin("tern_camera", "[features.video]\n")
            .toml("[plugins.tern_camera]\nfeatures = ['vidoe']\n[plugins.tern_camera.answers]\nid = '7'");
        assert_eq!(app.found("config-invalid"), ["error elvask.toml 3:13", "error elvask.toml 5:1"]);
        let messages: Vec<_> = app.findings("config-invalid").into_iter().map(|finding| finding.message).collect();
        assert_eq!(messages[0], "`vidoe` is not a feature of tern_camera; did you mean `video`?");
        assert_eq!(messages[1], "`id` is not an answer of tern_camera; its sheet has `scheme` and `host`");
    }

    #[test]
    fn an_unknown_plugin_is_told_with_the_one_that_is_meant() {
        let app = Fixture::android("    <application/>\n")
            .plugin("tern_camera", "[features.video]\n")
            .toml("[plugins.tern_camra]\nfeatures = ['video']");
        assert_eq!(app.found("config-invalid"), ["error elvask.toml 2:10"]);
        let message = &app.findings("config-invalid")[0].message;
        assert_eq!(message, "the app has no plugin `tern_camra`; did you mean `tern_camera`?");
    }

    #[test]
    fn a_waiver_for_no_rule_is_told_with_the_rule_that_is_meant() {
        let app = Fixture::android("    <application/>\n").toml("[[waivers]]\nrule = 'purpose-vage'\nreason = 'r'");
        assert_eq!(app.found("config-invalid"), ["error elvask.toml 3:8"]);
        let message = &app.findings("config-invalid")[0].message;
        assert_eq!(message, "`purpose-vage` is not a rule; did you mean `purpose-vague`?");
    }
}
