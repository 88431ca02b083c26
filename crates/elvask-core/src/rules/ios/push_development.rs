//! `push-development`: what ships states that it gets its pushes from where apps are tried out.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;

/// See the module.
pub struct PushDevelopment;

static ABOUT: About = About {
    id: "push-development",
    // Xcode puts in what the profile says when it exports for the store; other ways of signing keep what is written.
    level: Level::Note,
    platform: Some(Platform::Ios),
    summary: "Reports the environment for development in the push entitlement of a release, with `--release`.",
    effect: "Signed as it is, the app gets tokens of the other environment, and no push from the server arrives. An export by Xcode puts in what the profile says.",
    wrong: "<key>aps-environment</key>\n<string>development</string>",
    right: "<key>aps-environment</key>\n<string>production</string>",
    remedy: "A person gives the Release configuration entitlements of its own that say production, or makes sure that the export signs with a profile for the store.",
    source: "APS Environment Entitlement",
};

impl Rule for PushDevelopment {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.release
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((file, list)) = context.surface.entitlements() else { return };
        let Some(entry) = list.entry("aps-environment") else { return };
        if entry.value.as_str() != Some("development") {
            return;
        }
        let place = elvask_project::source::Place { file, span: entry.value.span };
        let steps = "Say production in the entitlements of the Release configuration, or see to it that the export signs with a profile for the store.";
        out.push(
            Finding::new(&ABOUT, "aps-environment", place, "the release states the push environment for development")
                .mend(Remedy::Manual(steps.to_owned())),
        );
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "push-development";

    #[test]
    fn what_ships_gets_the_pushes_of_the_store() {
        let app = |value: &str, release: bool| {
            let mut app =
                Fixture::registered(&format!("<key>aps-environment</key><string>{value}</string>"), "account = 1\n");
            app.settings.release = release;
            app.found(ID)
        };
        assert_eq!(app("development", true).len(), 1);
        assert!(app("production", true).is_empty());
        assert!(app("development", false).is_empty(), "that is how push is tried out");
    }
}
