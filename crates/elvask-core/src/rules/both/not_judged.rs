//! `not-judged`: a side of the app, or some of its packages, could not be looked at.

use elvask_markup::Span;
use elvask_needs::remedy::Remedy;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::judged::{has_needs, judged};
use crate::rules::Rule;

/// See the module.
pub struct NotJudged;

static ABOUT: About = About {
    id: "not-judged",
    level: Level::Warning,
    platform: None,
    summary: "Reports a side of the app for which plugins have needs and whose files were not found, and packages that are not installed. With `--release` it is an error.",
    effect: "What is missing there is not found before the app runs on a device or is in review.",
    wrong: "(a package.json that names plugins, and no ios/ folder beside it)",
    right: "(the project generated and the packages installed before the check; for an app of one platform only, a waiver)",
    remedy: "A person installs the packages, generates the project, or runs the check in the app's own folder. What the app is not built for is waived: the subject is `ios`, `android` or `packages`.",
    source: "docs/what-is-read.md",
};

/// The most packages that are named.
const MOST_NAMED: usize = 6;

impl Rule for NotJudged {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let app = context.app;
        let level = if context.settings.release { Level::Error } else { Level::Warning };
        let first = app.sources.find(|_| true).map(|file| Place { file, span: Span::at(0) });
        let sides = judged(context);
        let none = sides.iter().all(|side| side.not.is_some());
        // What cannot be read is told as that.
        let told = !app.faults.is_empty() || !context.surface.faults.is_empty();
        for side in sides.iter().filter(|side| !told && (side.plugins > 0 || none)) {
            let Some(why) = &side.not else { continue };
            let title = side.platform.title();
            let with_needs = || app.plugins.iter().filter(|plugin| has_needs(plugin, side.platform));
            let Some(place) = with_needs().find_map(|plugin| plugin.dependency).or(first) else { continue };
            let who = match side.plugins {
                0 => String::new(),
                1 => with_needs().next().map(|one| format!(", and {} has needs there", one.name)).unwrap_or_default(),
                more => format!(", and {more} plugins have needs there"),
            };
            let steps = format!(
                "Generate the project for {title} or run the check in the folder that holds it. If the app is not built for {title}, waive this finding."
            );
            let message = format!("{title} is not judged: {why}{who}");
            let mut finding = Finding::new(&ABOUT, side.platform.id(), place, message).level(level);
            finding.platform = Some(side.platform);
            out.push(finding.mend(Remedy::Manual(steps)));
        }
        if let Some((_, place)) = app.not_installed.first() {
            let names: Vec<&str> = app.not_installed.iter().map(|(name, _)| name.as_str()).collect();
            let more = names.len().saturating_sub(MOST_NAMED);
            let shown = names.get(..MOST_NAMED).unwrap_or(&names).join(", ");
            let shown = if more > 0 { format!("{shown} and {more} more") } else { shown };
            let message = match names.len() {
                1 => format!("{shown} is not installed, so what it needs is not known"),
                _ => format!("what these packages need is not known, as they are not installed: {shown}"),
            };
            let steps = "Install the app's packages, then check again.".to_owned();
            out.push(Finding::new(&ABOUT, "packages", *place, message).level(level).mend(Remedy::Manual(steps)));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "not-judged";

    #[test]
    fn a_side_without_files_is_told_where_plugins_have_needs_there() {
        let app = Fixture::android("    <application/>\n");
        assert!(app.found(ID).is_empty(), "nobody needs anything there");
        let needs = app.needs("tern_camera", "ios.usage = 'NSCameraUsageDescription'");
        let found = needs.findings(ID).remove(0);
        assert_eq!(
            found.message,
            "iOS is not judged: no project with an app target and no Info.plist was found below ios/, and tern_camera has needs there"
        );
        assert_eq!(found.level, crate::finding::Level::Warning);
        let waived = needs.toml("[[waivers]]\nrule = 'not-judged'\nsubject = 'ios'\nreason = 'Android alone.'");
        assert!(waived.findings(ID)[0].waived.is_some());
    }
}
