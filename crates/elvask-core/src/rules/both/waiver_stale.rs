//! `waiver-stale`: a waiver waives nothing, or its last day is over.

use elvask_needs::remedy::Remedy;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::{Rule, waiver_has_ended};

/// See the module.
pub struct WaiverStale;

static ABOUT: About = About {
    id: "waiver-stale",
    level: Level::Warning,
    platform: None,
    summary: "Reports a waiver that fits no finding, or whose last day is over.",
    effect: "A waiver that matches nothing hides the next finding that happens to match.",
    wrong: "[[waivers]]\nrule = \"purpose-vague\"\nreason = \"…\"\nuntil = 2025-01-31",
    right: "(the waiver removed, or given a new last day)",
    remedy: "A person removes the waiver from `elvask.toml`, or corrects it.",
    source: "docs/elvask-toml.md",
};

impl Rule for WaiverStale {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, _context: &Context<'_>, _out: &mut Vec<Finding>) {}

    fn review(&self, context: &Context<'_>, findings: &[Finding], out: &mut Vec<Finding>) {
        let Some(file) = context.app.config_file else { return };
        for waiver in &context.app.config.waivers {
            let subject = waiver.subject.as_ref().map(|subject| subject.text.as_str());
            let fits = |finding: &&Finding| {
                finding.rule.id == waiver.rule.text && subject.is_none_or(|subject| subject == finding.subject)
            };
            let about = subject.map(|subject| format!(" about {subject}")).unwrap_or_default();
            let (message, span) = if waiver_has_ended(waiver, context.settings) {
                let until = waiver.until.as_ref();
                let day = until.map(|until| until.text.as_str()).unwrap_or_default();
                (
                    format!("the waiver of {}{about} ended on {day}", waiver.rule.text),
                    until.map_or(waiver.rule.span, |until| until.span),
                )
            } else if findings.iter().any(|finding| fits(&finding)) {
                continue;
            } else if waiver.rule.text == super::declared_unneeded::ABOUT.id && !context.settings.unneeded {
                // Only `trim` looks for that.
                continue;
            } else {
                (format!("the waiver of {}{about} matches no finding", waiver.rule.text), waiver.rule.span)
            };
            let steps = "Remove the waiver, or correct it.";
            out.push(
                Finding::new(&ABOUT, waiver.rule.text.clone(), Place { file, span }, message)
                    .mend(Remedy::Manual(steps.to_owned())),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "waiver-stale";
    const WAIVER: &str = "[[waivers]]\nrule = 'permission-store-review'\nsubject = 'android.permission.READ_SMS'\nreason = 'The form is in.'\nuntil = 2027-03-31";

    #[test]
    fn a_waiver_that_fits_nothing_is_told() {
        let app = Fixture::android("    <application/>\n").toml(WAIVER);
        assert_eq!(app.found(ID), ["warning permission-store-review 3:8"]);
    }

    #[test]
    fn a_waiver_holds_until_its_last_day() {
        let mut app =
            Fixture::android("    <uses-permission android:name='android.permission.READ_SMS'/>\n").toml(WAIVER);
        app.settings.today = Some("2027-03-31".to_owned());
        assert!(app.found(ID).is_empty());
        assert!(app.findings("permission-store-review")[0].waived.is_some());
        app.settings.today = Some("2027-04-01".to_owned());
        assert_eq!(app.found(ID), ["warning permission-store-review 6:9"]);
        assert!(app.findings("permission-store-review")[0].waived.is_none());
    }
}
