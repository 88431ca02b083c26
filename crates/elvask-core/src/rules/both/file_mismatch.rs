//! `file-mismatch`: a file that a plugin needs is that of another app.

use elvask_markup::Span;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::{FileField, Need};
use elvask_platform::{Kind, Platform};
use elvask_project::source::{FileId, Place};

use crate::app::SheetOrigin;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Requirement;
use crate::rules::Rule;
use crate::rules::support::identity::{differs_at, ids_at};

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
            fields(context, requirement, out);
            let Need::File { platform, id_at: Some(pointer), .. } = &requirement.need else { continue };
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
                Some(other) => {
                    let case = differs_at(id, other).map(|differs| format!(": {differs}")).unwrap_or_default();
                    let other = if is_shown(context, requirement, other, &[id]) { other } else { HIDDEN };
                    format!("{} is for `{other}`, and this app is `{id}`{case}", required.shown)
                }
                None => format!("{} names no app at {pointer}", required.shown),
            };
            let place = place(context, requirement, file, named.first(), &[id]);
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

/// What stands for a value that is not shown.
const HIDDEN: &str = "…";

/// Says whether a value of a file is shown. A stranger's sheet chooses file and field, and could choose a secret, which reports would
/// carry on: what it leads to is shown only where it is plainly an id like the one that is wanted.
fn is_shown<T: AsRef<str>>(context: &Context<'_>, requirement: &Requirement, value: &str, wanted: &[T]) -> bool {
    let sheet = context.app.plugins.get(requirement.plugin).and_then(|plugin| plugin.sheet.as_ref());
    let own = sheet.is_some_and(|found| matches!(found.origin, SheetOrigin::App | SheetOrigin::Declared));
    let start = |id: &str| id.split_once('.').map(|(start, _)| start.to_ascii_lowercase());
    own || wanted.iter().any(|wanted| start(wanted.as_ref()).is_some() && start(wanted.as_ref()) == start(value))
}

/// Returns the place of a value in a file, the file's start where there is none, or the line of the sheet where it is not shown.
fn place<T: AsRef<str>>(
    context: &Context<'_>,
    requirement: &Requirement,
    file: FileId,
    value: Option<&String>,
    wanted: &[T],
) -> Place {
    let start = Place { file, span: Span::at(0) };
    let Some(value) = value else { return start };
    if !is_shown(context, requirement, value, wanted) {
        return requirement.sheet_place().unwrap_or(start);
    }
    let at = context.sources.file(file).text.find(value.as_str());
    Place { file, span: at.map_or(Span::at(0), |at| Span::new(at, at + value.len())) }
}

/// Tells of fields of a file that are not what its sheet says they must be.
fn fields(context: &Context<'_>, requirement: &Requirement, out: &mut Vec<Finding>) {
    let Need::File { platform, fields, .. } = &requirement.need else { return };
    let Some(required) = context.app.required_file(*platform, &requirement.name) else { return };
    let Some(file) = required.file else { return };
    let text = &context.sources.file(file).text;
    for (pointer, field) in fields {
        let (wanted, what, related) = match field {
            FileField::Value(template) => match context.fill_in(requirement, template) {
                Ok(value) => (vec![value], "the answer".to_owned(), None),
                // What is in the file is the answer, as long as nobody has said another one.
                Err(_) if !ids_at(text, pointer).is_empty() => continue,
                Err(_) => (vec![template.clone()], "the answer".to_owned(), None),
            },
            FileField::Entitlement(key) => {
                let Some((list_file, list)) = context.surface.entitlements() else { continue };
                // Whether the app must have it is another question.
                let Some(entry) = list.entry(key) else { continue };
                let values = entry.value.as_array().unwrap_or(std::slice::from_ref(&entry.value));
                let values: Vec<_> = values.iter().filter_map(|value| value.as_str()).map(str::to_owned).collect();
                if values.is_empty() || values.iter().any(|value| value.contains('$')) {
                    continue;
                }
                (values, format!("the entitlement {key}"), Some(Place { file: list_file, span: entry.key_span }))
            }
        };
        let named = ids_at(text, pointer);
        if named.iter().any(|named| wanted.contains(named)) {
            continue;
        }
        let meant = wanted.join(", ");
        let message = match named.first() {
            Some(other) => {
                let case = wanted.first().and_then(|wanted| differs_at(wanted, other));
                let case = case.map(|differs| format!(": {differs}")).unwrap_or_default();
                let other = if is_shown(context, requirement, other, &wanted) { other } else { HIDDEN };
                format!("{} says `{other}` at {pointer}, and {what} is `{meant}`{case}", required.shown)
            }
            None => format!("{} says nothing at {pointer}, where {what} (`{meant}`) belongs", required.shown),
        };
        let place = place(context, requirement, file, named.first(), &wanted);
        let steps = format!("Write `{meant}` at {pointer} in {}, or correct the other side.", required.shown);
        let mut finding = Finding::new(&ABOUT, &requirement.name, place, message)
            .level(requirement.level())
            .effect("The service refuses what the app asks of it, often without a message that says so.")
            .needed_by(context.app, [requirement])
            .mend(Remedy::Manual(steps));
        finding.related = related.map(|place| (place, "the app's side".to_owned()));
        finding.platform = Some(*platform);
        out.push(finding);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "file-mismatch";

    const NEED: &str =
        "file = { platform = 'android', path = 'app/example-services.json', id-at = '/client/package_name' }";

    #[test]
    fn a_payment_file_names_the_merchant_of_the_entitlement_and_the_answer() {
        let need = "file = { platform = 'ios', path = 'assets/pay.json', in = 'app', value-at = { '/ring' = '{ring}' }, entitlement-at = { '/data/merchant' = 'com.apple.developer.in-app-payments' } }\n[answers.ring]\ntitle = 'The ring'";
        let list = "<key>com.apple.developer.in-app-payments</key>\n<array>\n<string>merchant.example.marram</string>\n</array>\n";
        let app = |file: &str| {
            let app = Fixture::registered(list, "").file("assets/pay.json", file);
            app.needs("avocet_checkout", need)
                .file("elvask.toml", "elvask = 1\n[plugins.avocet_checkout.answers]\nring = 'r-7'\n")
        };
        let right = "{ \"ring\": \"r-7\", \"data\": { \"merchant\": \"merchant.example.marram\" } }";
        assert!(app(right).found(ID).is_empty());
        let messages = |text: &str| app(text).findings(ID).into_iter().map(|one| one.message).collect::<Vec<_>>();
        assert_eq!(
            messages(&right.replace("example.marram", "example.Marram")),
            [
                "assets/pay.json says `merchant.example.Marram` at /data/merchant, and the entitlement com.apple.developer.in-app-payments is `merchant.example.marram`: letter 18 is `m` here and `M` there"
            ]
        );
        assert_eq!(
            messages(&right.replace("r-7", "r-8")),
            ["assets/pay.json says `…` at /ring, and the answer is `r-7`"]
        );
        assert_eq!(messages("{}").len(), 2);
        // What a package's own sheet leads to may be a secret.
        let sheet = "[[requires]]\nfile = { platform = 'ios', path = 'keys.json', in = 'app', value-at = { '/secret' = 'none' } }";
        let stranger =
            Fixture::registered("", "").file("keys.json", "{ \"secret\": \"s3cr3t\" }").plugin("stint_thief", sheet);
        assert_eq!(stranger.findings(ID)[0].message, "keys.json says `…` at /secret, and the answer is `none`");
        assert!(stranger.found(ID)[0].ends_with(" 3:1"), "the line of the sheet: {:?}", stranger.found(ID));
    }

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
