//! `file-missing`: a plugin needs a file that is not there.

use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::who_needs;

/// See the module.
pub struct FileMissing;

static ABOUT: About = About {
    id: "file-missing",
    level: Level::Error,
    platform: None,
    summary: "Reports a file that a plugin needs in the platform's project and that is not there.",
    effect: "The build fails, or the app crashes at start.",
    wrong: "(no android/app/example-services.json)",
    right: "(the file that the plugin's maker hands out for this app, put there)",
    remedy: "A person gets the file from the plugin's maker: it contains what only they and the app's owner know.",
    source: "docs/sheets.md",
};

impl Rule for FileMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for group in context.needs.groups(Kind::File) {
            let Some(requirement) = group.requirements.first() else { continue };
            let absent = context
                .app
                .required_file(requirement.platform, &requirement.name)
                .is_some_and(|file| file.file.is_none());
            if !absent {
                continue;
            }
            let Some(place) = context.place_of(requirement) else { continue };
            let folder = if requirement.platform == Platform::Android { "Android" } else { "iOS" };
            let shown = context
                .app
                .required_file(requirement.platform, &requirement.name)
                .map(|file| file.shown.clone())
                .unwrap_or_default();
            let who = who_needs(context, group.requirements);
            let message = format!("{shown} is not there, and {who} it in the {folder} project");
            let steps = format!("Get the file from the plugin's maker and put it at {shown}.");
            let mut finding = Finding::new(&ABOUT, group.name, place, message)
                .level(group.level())
                .needed_by(context.app, group.requirements)
                .mend(Remedy::Manual(steps));
            finding.platform = Some(requirement.platform);
            out.push(finding);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "file-missing";

    const NEED: &str =
        "file = { platform = 'android', path = 'app/example-services.json', id-at = '/client/package_name' }";

    #[test]
    fn a_file_that_is_not_there_is_told() {
        let app = Fixture::android("    <application/>\n").needs("dunlin_alerts", NEED);
        let finding = app.findings(ID).remove(0);
        assert_eq!(
            finding.message,
            "android/app/example-services.json is not there, and dunlin_alerts needs it in the Android project"
        );
        let there = app.file("android/app/example-services.json", "{}");
        assert!(there.found(ID).is_empty());
    }
}
