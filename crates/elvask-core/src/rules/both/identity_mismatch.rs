//! `identity-mismatch`: two places say different things of who the app is.

use elvask_needs::remedy::Remedy;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::identity::differing;

/// See the module.
pub struct IdentityMismatch;

static ABOUT: About = About {
    id: "identity-mismatch",
    level: Level::Error,
    platform: None,
    summary: "Reports an id, a version or a name that is another one than `[app]` in `elvask.toml` says, and a service's file that is for another app.",
    effect: "The store and services see another app: no updates, no pushes.",
    wrong: "android-id = \"example.marram.fieldlog\"   # elvask.toml\napplicationId 'example.marram.log'        // build.gradle",
    right: "android-id = \"example.marram.fieldlog\"\napplicationId 'example.marram.fieldlog'",
    remedy: "A person decides which of the two is right; a service's file is fetched again for the right id.",
    source: "Configure the app module; Bundle ID",
};

impl Rule for IdentityMismatch {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for said in differing(context).into_iter().filter(|said| !said.is_case()) {
            let by = &said.by.0;
            let message = match &said.file {
                Some(file) => format!("{file} is for `{}`, and this app is `{}`", said.here, said.meant),
                None => format!("{} is `{}`, and {by} says `{}`", said.what, said.here, said.meant),
            };
            let remedy = Remedy::Manual(said.steps());
            let mut finding = Finding::new(&ABOUT, said.meant.clone(), said.place, message).mend(remedy);
            finding.related = said.by.1.map(|place| (place, "stated here".to_owned()));
            finding.platform = Some(said.platform);
            out.push(finding);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const FILE: &str = "android/app/google-services.json";

    fn services(id: &str) -> String {
        format!("{{\"client\":[{{\"client_info\":{{\"android_client_info\":{{\"package_name\":\"{id}\"}}}}}}]}}")
    }

    #[test]
    fn the_owners_word_and_a_services_file_are_held_against_the_project() {
        let app = Fixture::android("    <application/>\n");
        let toml = |id: &str| app.clone().toml(&format!("[app]\nandroid-id = '{id}'"));
        assert_eq!(toml("example.marram.fieldlog").found("identity-mismatch"), [""; 0]);
        assert_eq!(toml("example.marram.log").found("identity-mismatch").len(), 1);
        assert_eq!(toml("example.Marram.fieldlog").found("identity-mismatch"), [""; 0]);
        let case = toml("example.Marram.fieldlog").findings("identity-case");
        assert!(case[0].message.contains("letter 9 is `m` here and `M` there"), "{}", case[0].message);
        assert_eq!(app.clone().file(FILE, &services("example.marram.fieldlog")).found("identity-mismatch"), [""; 0]);
        assert_eq!(app.clone().file(FILE, &services("example.other")).found("identity-mismatch").len(), 1);
        assert_eq!(app.file(FILE, &services("example.marram.fieldLog")).findings("identity-case").len(), 1);
    }

    #[test]
    fn name_and_version_are_compared_where_they_are_stated() {
        let list = "    <key>CFBundleDisplayName</key>\n    <string>Marram Log</string>\n";
        let app = Fixture::ios(list).toml("[app]\nname = 'Marram'\nversion = '2.4.0'");
        let found = app.findings("identity-mismatch");
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!(found[0].message, "the name under the icon is `Marram Log`, and elvask.toml says `Marram`");
    }
}
