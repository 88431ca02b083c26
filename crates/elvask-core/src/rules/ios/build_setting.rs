//! `build-setting`: a build setting has another value than a plugin needs.

use elvask_needs::kinds::ios::build_setting::given;
use elvask_needs::kinds::{Joined, Match};
use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::{finding, parted};
use crate::rules::support::who_needs;

/// See the module.
pub struct BuildSetting;

static ABOUT: About = About {
    id: "build-setting",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a build setting of the app target that is absent or different from what a plugin needs.",
    effect: "The build fails, or the app crashes at launch.",
    wrong: "BUILD_LIBRARY_FOR_DISTRIBUTION = YES;",
    right: "BUILD_LIBRARY_FOR_DISTRIBUTION = NO;",
    remedy: "`fill` sets it in every configuration of the target. Words of a list are compared in any order, and what is there is kept.",
    source: "Build settings reference",
};

impl Rule for BuildSetting {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for together in context.needs.groups(Kind::BuildSetting).flat_map(|group| parted(&group)) {
            let Some(found) = finding(context, &ABOUT, &together, |found| *found != Match::Meets) else { continue };
            let Joined::One(need) = &together.joined else { continue };
            let Some(Some(now)) = given(context, together.name) else {
                out.push(found);
                continue;
            };
            let who = who_needs(context, together.requirements.iter().copied());
            let wanted = need.value().unwrap_or_default();
            let message = format!("the build setting {} is {now}, and {who} {wanted}", together.name);
            out.push(Finding { message, ..found }.unless_notes_alone());
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "build-setting";

    #[test]
    fn a_setting_is_set_in_every_configuration() {
        let app = Fixture::ios("").needs("p", "ios.build-setting = { name = 'ENABLE_BITCODE', value = 'NO' }");
        assert_eq!(app.findings(ID)[0].message, "the build setting ENABLE_BITCODE is not set, and p needs NO");
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert!(filled.sources.file(filled.changed[0]).text.contains("ENABLE_BITCODE = NO;"));
        assert!(filled.left.findings.iter().all(|finding| finding.rule.id != ID));
    }
}
