//! `build-setting`: a build setting has another value than a plugin needs.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy};
use crate::requirement::{Kind, Need};
use crate::rules::support::{set_setting, who_needs};
use crate::rules::{About, Rule};
use crate::source::Place;

/// See the module.
pub struct BuildSetting;

static ABOUT: About = About {
    id: "build-setting",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a build setting of the app target that is absent or different from what a plugin needs.",
    effect: "The build stops, or the app ends as soon as it is opened because a part of it was built in another way.",
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
        let (Some(settings), Some((project, _))) = (context.surface.settings(), context.surface.target()) else {
            return;
        };
        for group in context.needs.groups(Kind::BuildSetting) {
            let Some(requirement) = group.requirements.first() else { continue };
            let Need::BuildSetting { value } = &requirement.need else { continue };
            let expanded = settings.value(group.name);
            // What cannot be known is not held against anybody.
            if expanded.as_ref().is_some_and(|expanded| expanded.value.is_none()) {
                continue;
            }
            let declared = expanded.as_ref().and_then(|expanded| expanded.value.clone());
            let words = |text: &str| text.split_whitespace().map(str::to_owned).collect::<Vec<_>>();
            let have = words(declared.as_deref().unwrap_or_default());
            let lacking: Vec<_> = words(value).into_iter().filter(|word| !have.contains(word)).collect();
            let list = words(value).len() > 1 || value.contains("$(inherited)");
            let same = declared.as_deref().is_some_and(|declared| declared.trim() == value.trim());
            if same || list && lacking.is_empty() && declared.is_some() {
                continue;
            }
            let new = match &declared {
                Some(declared) if list => format!("{} {}", declared.trim(), lacking.join(" ")),
                _ => value.clone(),
            };
            let place = expanded.and_then(|expanded| expanded.place);
            let place = place.unwrap_or(Place { file: project.file, span: elvask_markup::Span::at(0) });
            let who = who_needs(context, group.requirements);
            let now = declared.map_or_else(|| "is not set".to_owned(), |declared| format!("is {declared}"));
            let message = format!("the build setting {} {now}, and {who} {value}", group.name);
            let title = format!("set {} to {new}", group.name);
            let remedy = set_setting(context, title.clone(), group.name, &NewValue::String(new))
                .unwrap_or(Remedy::Manual(title));
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(group.level())
                    .needed_by(context.app, group.requirements)
                    .mend(remedy),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

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
