//! `target-level-old`: the app targets a level with which the store takes no updates any more.

use elvask_needs::kinds::android::level::stated;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::TARGET_LEVEL;
use elvask_platform::{Platform, release};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct TargetLevelOld;

static ABOUT: About = About {
    id: "target-level-old",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a target level that is too low for the store on the day of the check.",
    effect: "The store refuses the upload.",
    wrong: "targetSdk 33",
    right: "targetSdk 36",
    remedy: "A person raises it and tries the app by the rules of the newer levels. An app that is in no store can waive the finding.",
    source: "Target API level requirements",
};

impl Rule for TargetLevelOld {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(android) = &context.app.android else { return };
        let wanted = context.settings.today.as_deref().and_then(release::store_target_level);
        let said = stated(android, TARGET_LEVEL);
        let (Some(wanted), Some(said)) = (wanted, said) else { return };
        let (Some(level), Some(place)) = (said.value, said.place) else { return };
        if level >= wanted {
            return;
        }
        let message = format!("the app targets level {level}, and the store takes updates from level {wanted} on");
        let steps =
            format!("Raise the target level to {wanted} or above, and try the app by the rules of each level between.");
        out.push(Finding::new(&ABOUT, TARGET_LEVEL, place, message).mend(Remedy::Manual(steps)));
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "target-level-old";

    fn app(target: u32, today: Option<&str>) -> Fixture {
        let mut app = Fixture::android("    <application/>\n").levels(24, target);
        app.settings.today = today.map(str::to_owned);
        app
    }

    #[test]
    fn the_day_decides() {
        assert_eq!(app(34, Some("2026-11-28")).found(ID), ["warning targetSdkVersion 7:15"]);
        app(34, Some("2026-11-28")).is_left_alone();
        assert!(app(34, Some("2025-08-30")).found(ID).is_empty());
        assert!(app(35, Some("2026-11-28")).found(ID).is_empty());
        assert!(app(21, None).found(ID).is_empty(), "without a day nothing is known");
    }
}
