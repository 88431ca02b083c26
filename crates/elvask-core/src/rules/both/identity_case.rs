//! `identity-case`: two ids differ in the case of letters alone.

use elvask_needs::remedy::Remedy;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::identity::{Said, differing, differs_at};

/// See the module.
pub struct IdentityCase;

static ABOUT: About = About {
    id: "identity-case",
    level: Level::Error,
    platform: None,
    summary: "Reports an id that differs from the one that is meant only in the case of letters.",
    effect: "Ids are compared with case: to the store and to services it is another app.",
    wrong: "ios-id = \"example.marram.FieldLog\"               # elvask.toml\nPRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog;",
    right: "ios-id = \"example.marram.fieldlog\"\nPRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog;",
    remedy: "A person decides which of the two is right.",
    source: "Bundle ID; Configure the app module",
};

impl Rule for IdentityCase {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for said in differing(context).into_iter().filter(Said::is_case) {
            let Some(differs) = differs_at(&said.here, &said.meant) else { continue };
            let file = said.file.as_ref().map(|file| format!(" in {file}")).unwrap_or_default();
            let message =
                format!("{} is `{}`{file}, and {} says `{}`: {differs}", said.what, said.here, said.by.0, said.meant);
            let remedy = Remedy::Manual(said.steps());
            let mut finding = Finding::new(&ABOUT, said.meant.clone(), said.place, message).mend(remedy);
            finding.related = said.by.1.map(|place| (place, "stated here".to_owned()));
            finding.platform = Some(said.platform);
            out.push(finding);
        }
    }
}
