//! `file-mismatch`: a file that a plugin needs is that of another app.

use elvask_markup::Span;
use elvask_markup::plist::PropertyList;
use elvask_markup::xml::Document;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::{FileField, Need};
use elvask_platform::{Kind, Platform};
use elvask_project::appfiles::AndroidApp;
use elvask_project::gradle::Variant;
use elvask_project::source::{FileId, Place};

use crate::app::SheetOrigin;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::{Group, Requirement};
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
            let Need::File { platform, id_at, fields: stated, .. } = &requirement.need else { continue };
            let mut told: Vec<(FileId, &str)> = Vec::new();
            for taken in taken(context, *platform, &requirement.name) {
                if told.contains(&(taken.file, taken.id.unwrap_or_default())) {
                    continue;
                }
                let known = told.iter().any(|(file, _)| *file == taken.file);
                told.push((taken.file, taken.id.unwrap_or_default()));
                let wanted = id_at.is_some() || !stated.is_empty();
                let malformed = malformed(taken.shown, &context.sources.file(taken.file).text);
                if let Some((form, why)) = malformed.filter(|_| wanted) {
                    if !known {
                        let place = Place { file: taken.file, span: Span::at(0) };
                        // What a reader says of it may be part of it.
                        let why = if is_own(context, requirement) { format!(": {why}") } else { String::new() };
                        let message = format!("{} is no well-formed {form}{why}", taken.shown);
                        let steps = format!("Get {} from the plugin's maker once more.", taken.shown);
                        tell(context, &group, (*platform, place), message, steps, out);
                    }
                    continue;
                }
                if !known {
                    fields(context, requirement, &taken, out);
                }
                if let (Some(pointer), Some(id)) = (id_at, taken.id) {
                    id_of(context, (&group, requirement), &taken, (pointer, id), out);
                }
            }
        }
    }
}

/// A file that the app takes.
struct Taken<'a> {
    /// The path from the app.
    shown: &'a str,
    file: FileId,
    /// The id of the variant or target that takes it, where it is known.
    id: Option<&'a str>,
    /// The variant, where others take another file.
    variant: Option<&'a str>,
}

/// Returns the files that are taken for a required one: by each variant its own.
fn taken<'a>(context: &Context<'a>, platform: Platform, name: &str) -> Vec<Taken<'a>> {
    let Some(required) = context.app.required_file(platform, name) else { return Vec::new() };
    let whole = |id: Option<&'a str>| {
        let shown = required.shown.as_str();
        required.file.map(|file| Taken { shown, file, id, variant: None }).into_iter().collect()
    };
    match (platform, &context.app.android) {
        (Platform::Ios, _) => whole(context.app.ios.as_ref().and_then(|ios| ios.id.value.as_deref())),
        (Platform::Android, Some(android)) if required.variants.is_empty() => whole(android.id.value.as_deref()),
        (Platform::Android, android) => {
            let judged = android.iter().flat_map(AndroidApp::judged);
            let of_variant = |variant: &'a Variant| {
                let (shown, file) = required.of_variant(&variant.name);
                Some(Taken { shown, file: file?, id: variant.id.value.as_deref(), variant: Some(&variant.name) })
            };
            judged.filter_map(of_variant).collect()
        }
    }
}

/// Says what keeps a file from being read, by the form that its name says; `None` where nothing does.
fn malformed(shown: &str, text: &str) -> Option<(&'static str, String)> {
    let text = text.trim_start_matches('\u{FEFF}');
    Some(match shown.rsplit('.').next().unwrap_or_default() {
        "json" => ("JSON", serde_json::from_str::<serde::de::IgnoredAny>(text).err()?.to_string()),
        "plist" => ("property list", PropertyList::parse(text).err()?.to_string()),
        "xml" => ("XML", Document::parse(text).err()?.to_string()),
        _ => return None,
    })
}

fn tell(
    context: &Context<'_>,
    group: &Group<'_>,
    (platform, place): (Platform, Place),
    message: String,
    steps: String,
    out: &mut Vec<Finding>,
) {
    let mut finding = Finding::new(&ABOUT, group.name, place, message)
        .level(group.level())
        .needed_by(context.app, group.requirements)
        .mend(Remedy::Manual(steps));
    finding.platform = Some(platform);
    out.push(finding);
}

/// Tells of a file that is that of another app.
fn id_of(
    context: &Context<'_>,
    (group, requirement): (&Group<'_>, &Requirement),
    taken: &Taken<'_>,
    (pointer, id): (&str, &str),
    out: &mut Vec<Finding>,
) {
    let named = ids_at(&context.sources.file(taken.file).text, pointer);
    if named.iter().any(|named| named == id) {
        return;
    }
    let message = match named.first() {
        Some(other) => {
            let case = differs_at(id, other).map(|differs| format!(": {differs}")).unwrap_or_default();
            let other = if is_shown(context, requirement, other, &[id]) { other } else { HIDDEN };
            let who = taken.variant.map_or("this app".to_owned(), |variant| format!("the variant {variant}"));
            format!("{} is for `{other}`, and {who} is `{id}`{case}", taken.shown)
        }
        None => format!("{} names no app at {pointer}", taken.shown),
    };
    let place = place(context, requirement, taken.file, named.first(), &[id]);
    let steps = format!("Get the file for `{id}` from the plugin's maker.");
    tell(context, group, (requirement.platform, place), message, steps, out);
}

/// What stands for a value that is not shown.
const HIDDEN: &str = "…";

/// Says whether a value of a file is shown. A stranger's sheet chooses file and field, and could choose a secret, which reports would
/// carry on: what it leads to is shown only where it is plainly an id like the one that is wanted.
fn is_shown<T: AsRef<str>>(context: &Context<'_>, requirement: &Requirement, value: &str, wanted: &[T]) -> bool {
    let start = |id: &str| id.split_once('.').map(|(start, _)| start.to_ascii_lowercase());
    is_own(context, requirement)
        || wanted.iter().any(|wanted| start(wanted.as_ref()).is_some() && start(wanted.as_ref()) == start(value))
}

/// Says whether the app's owner states what is required, and no stranger.
fn is_own(context: &Context<'_>, requirement: &Requirement) -> bool {
    let sheet = context.app.plugins.get(requirement.plugin).and_then(|plugin| plugin.sheet.as_ref());
    sheet.is_some_and(|found| matches!(found.origin, SheetOrigin::App | SheetOrigin::Declared))
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
fn fields(context: &Context<'_>, requirement: &Requirement, required: &Taken<'_>, out: &mut Vec<Finding>) {
    let Need::File { platform, fields, .. } = &requirement.need else { return };
    let file = required.file;
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
    fn each_variant_is_held_against_the_file_that_it_takes() {
        let build = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    applicationId 'example.marram'\n  }\n  flavorDimensions 'kind'\n  productFlavors {\n    free { dimension 'kind'\n applicationIdSuffix '.free' }\n    paid { dimension 'kind' }\n  }\n}\n";
        let names = |id: &str| format!("{{ \"client\": {{ \"package_name\": \"{id}\" }} }}");
        let app = || Fixture::android("    <application/>\n").build(build).needs("dunlin_alerts", NEED);
        let own = app()
            .file("android/app/src/free/example-services.json", &names("example.marram.free"))
            .file("android/app/example-services.json", &names("example.marram"));
        assert!(own.found(ID).is_empty() && own.found("file-missing").is_empty());
        let wrong = app()
            .file("android/app/src/freeRelease/example-services.json", &names("example.marram"))
            .file("android/app/src/paid/example-services.json", &names("example.marram"));
        assert_eq!(
            wrong.findings(ID)[0].message,
            "android/app/src/freeRelease/example-services.json is for `example.marram`, and the variant freeRelease is `example.marram.free`"
        );
        let half = app().file("android/app/src/paid/example-services.json", &names("example.marram"));
        assert_eq!(
            half.findings("file-missing")[0].message,
            "android/app/example-services.json is not there for freeRelease, and dunlin_alerts needs it in the Android project"
        );
    }

    #[test]
    fn a_file_that_cannot_be_read_and_one_of_elements_are_read_for_what_they_are() {
        let app = |text: &str| {
            Fixture::android("    <application/>\n")
                .needs("dunlin_alerts", NEED)
                .file("android/app/example-services.json", text)
        };
        let broken = app("{ \"client\": { \"package_name\": \"example.marram\"").findings(ID);
        assert!(broken[0].message.ends_with("example-services.json is no well-formed JSON"), "{}", broken[0].message);
        let need = "file = { platform = 'android', path = 'app/ring.xml', value-at = { '/client/@ring' = '{ring}', '/client/name' = 'log' } }\n[answers.ring]\ntitle = 'The ring'";
        let found = |text: &str| -> Vec<String> {
            let app = Fixture::android("    <application/>\n")
                .needs("dunlin_alerts", need)
                .file("elvask.toml", "elvask = 1\n[plugins.dunlin_alerts.answers]\nring = 'r-7'\n")
                .file("android/app/ring.xml", text);
            app.findings(ID).into_iter().map(|finding| finding.message).collect()
        };
        assert!(found("<services><client ring=\"r-7\"><name>log</name></client></services>").is_empty());
        assert_eq!(
            found("<services><client ring=\"r-8\"><name>log</name></client></services>"),
            ["android/app/ring.xml says `…` at /client/@ring, and the answer is `r-7`"]
        );
        assert!(found("<services><client></services>")[0].contains("is no well-formed XML"));
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
