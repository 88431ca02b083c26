//! `plugin-unsupported`: a plugin has no side for one of the app's platforms.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::app::Plugin;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct PluginUnsupported;

static ABOUT: About = About {
    id: "plugin-unsupported",
    level: Level::Warning,
    platform: None,
    summary: "Reports a plugin that does not work on one of the platforms that the app has.",
    effect: "On that platform its calls fail as if the plugin were not installed.",
    wrong: "platforms = [\"android\"]   # in the sheet of a plugin of an app for both",
    right: "(another plugin, or code that asks for the platform first; then a waiver)",
    remedy: "A person keeps the calls away from that platform and waives the finding, or takes another plugin.",
    source: "docs/sheets.md",
};

impl Rule for PluginUnsupported {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for plugin in context.app.plugins.iter().filter(|plugin| !plugin.own) {
            let absent = |platform: &Platform| {
                context.app.has(*platform)
                    && !supports(plugin, *platform)
                    && !plugin.is_out(*platform)
                    && !plugin.runtime
            };
            for platform in [Platform::Android, Platform::Ios].into_iter().filter(absent) {
                let stated = plugin
                    .sheet
                    .as_ref()
                    .and_then(|found| Some(Place { file: found.file, span: found.sheet.platforms_span? }));
                let Some(place) = plugin.dependency.or(stated) else { continue };
                let version = plugin.version.as_deref().map(|version| format!(" {version}")).unwrap_or_default();
                let message = format!("{}{version} has no {} side, and the app has", plugin.name, platform.title());
                let steps = format!("Call {} on other platforms only, then waive this finding.", plugin.name);
                let mut finding = Finding::new(&ABOUT, plugin.name.clone(), place, message).mend(Remedy::Manual(steps));
                finding.platform = Some(platform);
                // What the folders of a package show is less than what its author states.
                finding.level = if stated.is_some() { Level::Warning } else { Level::Note };
                out.push(match stated.filter(|stated| *stated != place) {
                    Some(stated) => finding.related(stated, "its sheet says so"),
                    None => finding,
                });
            }
        }
    }
}

/// Says whether a plugin works on a platform: as its sheet says, else as its native code shows.
fn supports(plugin: &Plugin, platform: Platform) -> bool {
    match plugin.sheet.as_ref().filter(|found| found.sheet.platforms_span.is_some()) {
        Some(found) => found.sheet.platforms.contains(&platform),
        None => plugin.platforms.is_empty() || plugin.platforms.contains(&platform),
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "plugin-unsupported";

    #[test]
    fn a_missing_side_is_told_and_can_be_waived() {
        let app = Fixture::android("    <application/>\n")
            .plist("    <key>A</key>\n    <true/>\n")
            .plugin("godwit_float", "platforms = ['android']\n[[requires]]\nios.query-scheme = 'tel'");
        assert_eq!(app.found(ID), ["warning godwit_float 3:5"]);
        assert_eq!(app.findings(ID)[0].message, "godwit_float 2.1.0 has no iOS side, and the app has");
        assert!(app.found("query-scheme-missing").is_empty(), "nothing is wanted where it does not run");
        let waived =
            app.toml("[[waivers]]\nrule = 'plugin-unsupported'\nsubject = 'godwit_float'\nreason = 'Android alone.'");
        assert_eq!(waived.findings(ID)[0].waived.as_deref(), Some("Android alone."));
    }
}
