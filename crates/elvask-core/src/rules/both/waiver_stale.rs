//! `waiver-stale`: a waiver waives nothing, or its last day is over.

use elvask_needs::remedy::Remedy;
use elvask_platform::names::nearest;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::{self, Rule};
use crate::waivers::{Comment, is_too_broad, waiver_has_ended};

/// See the module.
pub struct WaiverStale;

static ABOUT: About = About {
    id: "waiver-stale",
    level: Level::Warning,
    platform: None,
    summary: "Reports a waiver in elvask.toml or in a comment that fits no finding, whose last day is over, that does not say why, or that is too broad.",
    effect: "A waiver that matches nothing hides the next finding that happens to match.",
    wrong: "[[waivers]]\nrule = \"purpose-vague\"\nreason = \"…\"\nuntil = 2025-01-31",
    right: "(the waiver removed, or given a new last day)",
    remedy: "A person removes the waiver, or corrects it.",
    source: "docs/elvask-toml.md",
};

impl Rule for WaiverStale {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, _context: &Context<'_>, _out: &mut Vec<Finding>) {}

    fn review(&self, context: &Context<'_>, findings: &[Finding], comments: &[Comment], out: &mut Vec<Finding>) {
        for comment in comments {
            if !is_looked_for(&comment.rule, context) {
                continue;
            }
            let Some(message) = fault(comment, context) else { continue };
            let steps = "Remove the comment, or correct it: `elvask accept RULE until 2027-03-31: why`, above the line or beside it.";
            out.push(
                Finding::new(&ABOUT, comment.rule.clone(), comment.place, message)
                    .mend(Remedy::Manual(steps.to_owned())),
            );
        }
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
            } else if let Some(found) = findings.iter().find(fits) {
                if findings.iter().filter(fits).any(|finding| !is_too_broad(waiver, finding)) {
                    continue;
                }
                let message = format!(
                    "the waiver of {} names no subject, and errors are accepted one by one: {} is one",
                    waiver.rule.text, found.subject
                );
                (message, waiver.rule.span)
            } else if !is_looked_for(&waiver.rule.text, context) {
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

/// Says whether a run looks for all that a rule is about. Only `trim` looks for what is not needed, and only what ships is held against
/// the accounts, ids among it.
fn is_looked_for(id: &str, context: &Context<'_>) -> bool {
    let settings = context.settings;
    if id == super::declared_unneeded::ABOUT.id {
        return settings.unneeded || settings.release;
    }
    let of_accounts = context.app.account.file.is_some() && matches!(id, "identity-case" | "identity-mismatch");
    rules::find(id).is_none_or(|rule| rule.is_asked(settings)) && (!of_accounts || settings.holds_accounts())
}

/// Says why a comment accepts nothing.
fn fault(comment: &Comment, context: &Context<'_>) -> Option<String> {
    let rule = &comment.rule;
    if rules::find(rule).is_none() {
        let hint = nearest(rule, rules::RULES.iter().map(|rule| rule.about().id));
        let hint = hint.map_or_else(String::new, |meant| format!("; did you mean `{meant}`?"));
        Some(format!("the comment accepts `{rule}`, which is not a rule{hint}"))
    } else if !comment.says_why() {
        Some(format!("the comment accepts {rule} and does not say why"))
    } else if comment.has_ended(context.settings) {
        Some(format!("the comment accepts {rule} until {}", comment.until.as_deref().unwrap_or_default()))
    } else if comment.accepted == 0 {
        Some(format!("the comment accepts {rule}, and nothing is found by it here"))
    } else {
        None
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
