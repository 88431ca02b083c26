//! `access-open`: a hybrid app names places that it may reach, and all others beside them.

use elvask_needs::remedy::Remedy;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::access::{Access, is_everything, stated};

/// See the module.
pub struct AccessOpen;

static ABOUT: About = About {
    id: "access-open",
    level: Level::Note,
    platform: None,
    summary: "Reports an `access`, `allow-navigation` or `allow-intent` of config.xml for all places beside narrower ones, which then say nothing.",
    effect: "The list looks as if it kept the app to the places that it names, and keeps it to none.",
    wrong: "<access origin=\"*\" />\n<access origin=\"https://api.marram.example\" />",
    right: "<access origin=\"https://api.marram.example\" />",
    remedy: "A person removes the one for all places, or the others.",
    source: "The allow list of config.xml",
};

impl Rule for AccessOpen {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(widget) = &context.app.widget else { return };
        let Ok(document) = context.sources.file(widget.file).xml() else { return };
        let all = stated(widget.file, document);
        for wide in all.iter().filter(|one| is_everything(&one.pattern)) {
            let same = |one: &&Access| one.element == wide.element && one.platform == wide.platform;
            let narrower = all.iter().filter(same).find(|one| !is_everything(&one.pattern));
            let Some(narrower) = narrower else { continue };
            let subject = format!("{} {}", wide.element, wide.pattern);
            if out.iter().any(|known: &Finding| known.rule.id == ABOUT.id && known.subject == subject) {
                continue;
            }
            let message =
                format!("{} lets the app reach every place, so that the narrower ones say nothing", wide.element);
            let steps = "Remove it where the others are meant, or remove the others.".to_owned();
            out.push(
                Finding::new(&ABOUT, subject, wide.place, message)
                    .related(narrower.place, "a narrower one")
                    .mend(Remedy::Manual(steps)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "access-open";

    fn app(inside: &str) -> Vec<String> {
        let text = format!(
            "<widget id=\"example.marram.fieldlog\" version=\"1.0.0\">\n{inside}    <platform name=\"android\" />\n</widget>\n"
        );
        Fixture::default().file("config.xml", &text).found(ID)
    }

    #[test]
    fn a_star_beside_a_narrower_place_is_told() {
        let star = "    <access origin=\"*\" />\n";
        let host = "    <access origin=\"https://api.marram.example\" />\n";
        assert_eq!(app(&format!("{star}{host}")), ["note access * 2:5"]);
        assert!(app(star).is_empty() && app(host).is_empty());
        let pages = "    <allow-navigation href=\"https://pay.avocet.example/*\" />\n";
        assert!(app(&format!("{star}{pages}")).is_empty(), "that is another list");
    }
}
