//! `file-mismatch`: a file that a plugin needs is that of another app.

use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::identity::ids_at;

/// See the module.
pub struct FileMismatch;

static ABOUT: About = About {
    id: "file-mismatch",
    level: Level::Error,
    platform: None,
    summary: "Reports a file of a plugin's settings that does not name this app.",
    effect: "The service takes the app for another one: it refuses it or notifies that one.",
    wrong: "{ \"client\": { \"package_name\": \"example.other\" } }",
    right: "{ \"client\": { \"package_name\": \"example.marram.fieldlog\" } }",
    remedy: "A person gets the file for this app's id from the plugin's maker.",
    source: "docs/sheets.md",
};

impl Rule for FileMismatch {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for group in context.needs.groups(Kind::File) {
            let Some(requirement) = group.requirements.first() else { continue };
            let Need::File { platform, id_at: Some(pointer) } = &requirement.need else { continue };
            let id = match platform {
                Platform::Android => context.app.android.as_ref().and_then(|android| android.id.value.as_deref()),
                Platform::Ios => context.app.ios.as_ref().and_then(|ios| ios.id.value.as_deref()),
            };
            let (Some(id), Some(required)) = (id, context.app.required_file(requirement.platform, &requirement.name))
            else {
                continue;
            };
            let Some(file) = required.file else { continue };
            let text = &context.sources.file(file).text;
            let named = ids_at(text, pointer);
            if named.iter().any(|named| named == id) {
                continue;
            }
            let message = match named.first() {
                Some(other) => format!("{} is for `{other}`, and this app is `{id}`", required.shown),
                None => format!("{} names no app at {pointer}", required.shown),
            };
            let at = named.first().and_then(|other| text.find(other.as_str()).map(|at| (at, other.len())));
            let span = at.map_or(elvask_markup::Span::at(0), |(at, len)| elvask_markup::Span::new(at, at + len));
            let place = elvask_project::source::Place { file, span };
            let steps = format!("Get the file for `{id}` from the plugin's maker.");
            let mut finding = Finding::new(&ABOUT, group.name, place, message)
                .level(group.level())
                .needed_by(context.app, group.requirements)
                .mend(Remedy::Manual(steps));
            finding.platform = Some(*platform);
            out.push(finding);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "file-mismatch";

    const NEED: &str =
        "file = { platform = 'android', path = 'app/example-services.json', id-at = '/client/package_name' }";

    #[test]
    fn the_file_of_another_app_is_told() {
        let app = |text: &str| {
            let app = Fixture::android("    <application/>\n").file("android/app/example-services.json", text);
            app.needs("dunlin_alerts", NEED)
        };
        let found = app("{ \"client\": { \"package_name\": \"example.other\" } }");
        assert_eq!(
            found.findings(ID)[0].message,
            "android/app/example-services.json is for `example.other`, and this app is `example.marram.fieldlog`"
        );
        assert!(app("{ \"client\": { \"package_name\": \"example.marram.fieldlog\" } }").found(ID).is_empty());
        assert!(app("{ \"client\": [ { \"package_name\": \"example.other\" }, { \"package_name\": \"example.marram.fieldlog\" } ] }").found(ID).is_empty());
        assert_eq!(app("not json").found(ID).len(), 1);
    }
}
