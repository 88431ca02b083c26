//! `min-version-too-low`: the app runs on a lower version of iOS than a plugin needs.

use elvask_needs::kinds;
use elvask_needs::kinds::ios::min_version::stated;
use elvask_needs::requirement::Need;
use elvask_platform::{Kind, Platform};

use crate::context::{Context, Said};
use crate::finding::{About, Finding, Level};
use crate::needs::Requirement;
use crate::rules::Rule;
use crate::rules::support::who_needs;

/// See the module.
pub struct MinVersionTooLow;

static ABOUT: About = About {
    id: "min-version-too-low",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a deployment target below the version that a plugin needs.",
    effect: "The package manager rejects the pod, or the build fails at newer interfaces.",
    wrong: "IPHONEOS_DEPLOYMENT_TARGET = 12.0;   // and a plugin that needs 13.0",
    right: "IPHONEOS_DEPLOYMENT_TARGET = 13.0;",
    remedy: "`fill` raises the build setting in every configuration of the target. The platform line of a Podfile is left to a person.",
    source: "Build settings reference: iOS Deployment Target",
};

impl Rule for MinVersionTooLow {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((version, place)) = stated(context) else { return };
        // A document without build settings is not read anew once the version has been raised.
        if context.surface.settings().is_none() && context.is_changed(place.file) {
            return;
        }
        for group in context.needs.groups(Kind::MinVersion) {
            let wanted = |one: &Requirement| {
                let Need::MinVersion(wanted) = one.need else { return None };
                Some(wanted)
            };
            let above: Vec<&Requirement> =
                group.requirements.iter().filter(|one| wanted(one).is_some_and(|wanted| wanted > version)).collect();
            let Some(highest) = above.iter().filter_map(|one| wanted(one)).max() else { continue };
            let worst = above.iter().map(|one| one.level()).max().unwrap_or(Level::Note);
            let most = above.iter().copied().filter(|one| wanted(one) == Some(highest));
            let who = who_needs(context, most);
            let message = format!("the app runs from iOS {version}, and {who} {highest}");
            let Some(first) = above.first() else { continue };
            let said = Said { context, requirement: first };
            let spec = kinds::spec(Kind::MinVersion);
            let Some((_, remedy)) = spec.add(context, group.name, &Need::MinVersion(highest), &said) else { continue };
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(worst)
                    .needed_by(context.app, above)
                    .mend(remedy),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "min-version-too-low";

    #[test]
    fn the_deployment_target_is_raised() {
        let app = Fixture::ios("").min_ios("12.0").needs("heron", "ios.min-version = '13.4'");
        let finding = app.findings(ID).remove(0);
        assert_eq!(finding.message, "the app runs from iOS 12.0, and heron needs 13.4");
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert!(filled.sources.file(filled.changed[0]).text.contains("IPHONEOS_DEPLOYMENT_TARGET = 13.4"));
        assert!(filled.left.findings.iter().all(|finding| finding.rule.id != ID), "{:?}", filled.left.findings);
        let two = app.needs("dotterel", "ios.min-version = '13.0'");
        let finding = two.findings(ID).remove(0);
        assert_eq!(
            (finding.message.as_str(), finding.needed_by.len()),
            ("the app runs from iOS 12.0, and heron needs 13.4", 2)
        );
        assert!(Fixture::ios("").min_ios("15.1").needs("heron", "ios.min-version = '13.4'").found(ID).is_empty());
    }
}
