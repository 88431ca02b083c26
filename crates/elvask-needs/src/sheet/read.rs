//! Reading a sheet, with a problem for everything that is wrong in it.

use elvask_markup::Span;
use elvask_markup::text::{fits_xml, is_hidden};
use elvask_platform::{Platform, Strength, Version, capability};
use elvask_project::tomldoc::{self, Problem, Table, Text, Value, as_table, span_of};
use semver::VersionReq;

use super::{Answer, Asked, Feature, MAX_PATTERN, Required, Sheet};
use crate::conditions::Range;
use crate::kinds::{self, Asking, Stated, problem};
use crate::requirement::{Need, When};
use crate::template::answers_in;

/// Names that any value may hold without an answer of the sheet's own.
const BUILT_IN_ANSWERS: [&str; 5] = ["android_id", "ios_id", "ios_team", "scheme", "host"];

/// The keys of a sheet.
pub const TOP: [&str; 9] =
    ["sheet", "plugin", "ecosystem", "versions", "platforms", "reference", "features", "requires", "answers"];
const ECOSYSTEMS: [&str; 6] = ["pub", "npm", "nuget", "maven", "cocoapods", "swiftpm"];
/// The keys of one requirement in a sheet.
pub const REQUIRED: [&str; 12] = [
    "capability",
    "android",
    "ios",
    "file",
    "max-level",
    "reason",
    "feature",
    "when",
    "optional",
    "likely",
    "one-of",
    "reference",
];

pub(super) fn sheet(text: &str, package: Option<&str>) -> (Sheet, Vec<Problem>) {
    tomldoc::parse(text, |root, problems| read(root, package, problems))
}

fn read(root: &Table<'_, '_>, package: Option<&str>, problems: &mut Vec<Problem>) -> Sheet {
    root.refuse_others(&TOP, problems);
    match root.number("sheet", problems) {
        Some(1) => {}
        Some(other) => {
            let span = root.get("sheet").map_or(root.span, span_of);
            problem(problems, span, format!("version {other} of the sheet format is not known; this Elvask reads 1"));
        }
        None if root.get("sheet").is_none() => {
            problem(
                problems,
                root.span,
                "`sheet = 1` is missing: it says in which version of the format the sheet is written",
            );
        }
        None => {}
    }
    let mut sheet = Sheet { plugin: read_plugin(root, package, problems), ..Sheet::default() };
    if let Some(ecosystem) = root.text("ecosystem", problems)
        && !ECOSYSTEMS.contains(&ecosystem.text.as_str())
    {
        let message = format!("`{}` is not an ecosystem; known are {}", ecosystem.text, tomldoc::list(&ECOSYSTEMS));
        problem(problems, ecosystem.span, message);
    }
    if let Some(versions) = root.text("versions", problems) {
        match VersionReq::parse(&versions.text) {
            Ok(range) => sheet.versions = Some((range, versions)),
            Err(error) => problem(problems, versions.span, format!("`versions` is not a range of versions: {error}")),
        }
    }
    read_platforms(root, &mut sheet, problems);
    sheet.reference = root.text("reference", problems).map(|text| text.text);
    if let Some(features) = root.table("features", "`[features]`", problems) {
        sheet.features =
            features.entries().into_iter().filter_map(|(name, value)| read_feature(name, value, problems)).collect();
    }
    if let Some(answers) = root.table("answers", "`[answers]`", problems) {
        sheet.answers =
            answers.entries().into_iter().filter_map(|(key, value)| read_answer(key, value, problems)).collect();
    }
    if let Some(all) = root.get("requires") {
        refuse_hidden(all, problems);
    }
    for required in root.tables("requires", "a requirement", problems) {
        let read = read_required(&required, &sheet, problems);
        sheet.requires.extend(read);
    }
    sheet
}

fn read_plugin(root: &Table<'_, '_>, package: Option<&str>, problems: &mut Vec<Problem>) -> Text {
    let Some(package) = package else {
        return root.required_text("plugin", problems).unwrap_or_default();
    };
    // Inside a module of the build its last name is enough.
    let short = package.strip_prefix(':').and_then(|path| path.rsplit(':').next());
    let named = root.text("plugin", problems).map(|named| match short == Some(named.text.as_str()) {
        true => Text { text: package.to_owned(), span: named.span },
        false => named,
    });
    if let Some(other) = named.as_ref().filter(|name| name.text != package) {
        let message = format!("the sheet speaks of `{}`, but it lies in the package `{package}`", other.text);
        problem(problems, other.span, message);
    }
    named.unwrap_or(Text { text: package.to_owned(), span: root.span })
}

fn read_platforms(root: &Table<'_, '_>, sheet: &mut Sheet, problems: &mut Vec<Problem>) {
    sheet.platforms = vec![Platform::Android, Platform::Ios];
    let Some(value) = root.get("platforms") else { return };
    sheet.platforms_span = Some(span_of(value));
    sheet.platforms.clear();
    for name in root.texts("platforms", false, problems) {
        match name.text.as_str() {
            "android" => sheet.platforms.push(Platform::Android),
            "ios" => sheet.platforms.push(Platform::Ios),
            other => {
                problem(problems, name.span, format!("`{other}` is not a platform; known are `android` and `ios`"));
            }
        }
    }
}

fn read_feature(name: Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Feature> {
    let table = as_table(&name.text, value, "a feature", problems)?;
    table.refuse_others(&["title"], problems);
    let title = table.text("title", problems).map(|text| text.text);
    Some(Feature { name, title })
}

fn read_answer(key: Text, value: &Value<'_>, problems: &mut Vec<Problem>) -> Option<Answer> {
    let table = as_table(&key.text, value, "an answer", problems)?;
    table.refuse_others(&["title", "pattern", "samples"], problems);
    // A sheet may say more of those that belong to a plugin: which host is meant, and what it looks like.
    let of_plugin = matches!(key.text.as_str(), "host" | "scheme");
    if BUILT_IN_ANSWERS.contains(&key.text.as_str()) && !of_plugin {
        let message = format!("`{}` is built in and cannot be an answer of a sheet's own", key.text);
        problem(problems, key.span, message);
    }
    let title = table.text("title", problems).map(|text| text.text);
    let pattern = table.text("pattern", problems).and_then(|pattern| {
        if pattern.text.len() > MAX_PATTERN {
            problem(problems, pattern.span, format!("`pattern` has more than {MAX_PATTERN} bytes"));
            return None;
        }
        // As in JSON Schema, it is looked for anywhere, unless it is anchored.
        match regex_lite::RegexBuilder::new(&pattern.text).size_limit(1 << 16).build() {
            Ok(regex) => Some(regex),
            Err(error) => {
                problem(problems, pattern.span, format!("`pattern` is not a regular expression: {error}"));
                None
            }
        }
    });
    let samples = table.texts("samples", false, problems).into_iter().map(|text| text.text).collect();
    Some(Answer { key, title, pattern, samples })
}

fn read_required(table: &Table<'_, '_>, sheet: &Sheet, problems: &mut Vec<Problem>) -> Vec<Required> {
    table.refuse_others(&REQUIRED, problems);
    let kinds: Vec<_> = table
        .entries()
        .into_iter()
        .filter(|(key, _)| matches!(key.text.as_str(), "capability" | "android" | "ios" | "file"))
        .collect();
    let (key, value) = match kinds.as_slice() {
        [one] => one,
        [] => {
            let message = "a requirement needs one of `capability`, `android.…`, `ios.…` and `file`";
            problem(problems, table.span, message);
            return Vec::new();
        }
        [_, second, ..] => {
            problem(
                problems,
                second.0.span,
                "one requirement states one thing: put this into a `[[requires]]` of its own",
            );
            return Vec::new();
        }
    };
    let feature = table.text("feature", problems);
    if let Some(unknown) =
        feature.as_ref().filter(|name| !sheet.features.iter().any(|known| known.name.text == name.text))
    {
        let message = format!("`{0}` is not a feature of this sheet: `[features.{0}]` is missing", unknown.text);
        problem(problems, unknown.span, message);
    }
    let when = table.table("when", "`when`", problems).map(|when| read_when(&when, problems)).unwrap_or_default();
    let optional = table.boolean("optional", problems).unwrap_or(false);
    let likely = table.boolean("likely", problems).unwrap_or(false);
    let one_of = table.text("one-of", problems).map(|text| text.text);
    let reference = table.text("reference", problems).map(|text| text.text);
    let reason = table.text("reason", problems).map(|text| text.text);
    let max_level = table.number("max-level", problems);
    let span = Span::new(key.span.start, end_of(value));
    let before = problems.len();
    let asked = match key.text.as_str() {
        "capability" => read_capability(table, problems).into_iter().collect(),
        _ => read_need(table, key, value, max_level, problems),
    };
    let permission = matches!(asked.as_slice(), [Asked::Need { need: Need::Permission { .. }, .. }]);
    if max_level.is_some() && !permission && problems.len() == before {
        let span = table.get("max-level").map_or(table.span, span_of);
        problem(problems, span, "`max-level` goes with `android.permission` only");
    }
    let strength = match (optional, likely) {
        (true, _) => Strength::Optional,
        (false, true) => Strength::Likely,
        (false, false) => Strength::Certain,
    };
    let make = |asked| Required {
        asked,
        span,
        feature: feature.clone(),
        when: when.clone(),
        strength,
        one_of: one_of.clone(),
        reason: reason.clone(),
        reference: reference.clone(),
    };
    let required: Vec<_> = asked.into_iter().map(make).collect();
    for required in &required {
        check_answers(required, sheet, span, problems);
    }
    required
}

/// Reads what an entry asks for: `file = …`, which both platforms have, or one kind below a platform's key.
fn read_need(
    table: &Table<'_, '_>,
    key: &Text,
    value: &Value<'_>,
    max_level: Option<u32>,
    problems: &mut Vec<Problem>,
) -> Vec<Asked> {
    let asked = |asking: Vec<Asking>| {
        asking.into_iter().map(|Asking { name, need }| Asked::Need { name, need }).collect::<Vec<_>>()
    };
    let platform = match key.text.as_str() {
        "android" => Platform::Android,
        "ios" => Platform::Ios,
        other => {
            let Some(spec) = kinds::of_key(None, other) else { return Vec::new() };
            return asked(spec.read(&Stated { table, key, value, max_level }, problems));
        }
    };
    let what = format!("`{}`", key.text);
    let Some(inside) = as_table(&key.text, value, &what, problems) else { return Vec::new() };
    inside.refuse_others(&kinds::keys(platform), problems);
    let entries = inside.entries();
    let [(key, value)] = entries.as_slice() else {
        problem(problems, inside.span, "one requirement states one thing: one kind in each `[[requires]]`");
        return Vec::new();
    };
    let Some(spec) = kinds::of_key(Some(platform), &key.text) else { return Vec::new() };
    asked(spec.read(&Stated { table: &inside, key, value, max_level }, problems))
}

fn read_capability(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Option<Asked> {
    let name = table.text("capability", problems)?;
    match capability::capability(&name.text) {
        Some(capability) => Some(Asked::Capability(capability)),
        None => {
            let hint = match capability::nearest_capability(&name.text) {
                Some(meant) => format!("did you mean `{meant}`?"),
                None => "`elvask explain capabilities` lists those that this Elvask knows".to_owned(),
            };
            problem(problems, name.span, format!("`{}` is not a capability; {hint}", name.text));
            None
        }
    }
}

fn read_when(table: &Table<'_, '_>, problems: &mut Vec<Problem>) -> When {
    table.refuse_others(&["target-level", "min-level", "ios-version", "variant"], problems);
    let mut when = When::default();
    let level = |text: &str| text.parse::<u32>().ok();
    let complaint = |text: &Text, what: &str| Problem {
        message: format!(
            "`{}` is not a condition on a {what}; write one such as `\">=31\"` or `\">=24, <33\"`",
            text.text
        ),
        span: text.span,
    };
    for (key, slot) in [("target-level", &mut when.target_level), ("min-level", &mut when.min_level)] {
        if let Some(text) = table.text(key, problems) {
            *slot = Range::parse(&text.text, level);
            if slot.is_none() {
                problems.push(complaint(&text, "level"));
            }
        }
    }
    if let Some(text) = table.text("ios-version", problems) {
        when.ios_version = Range::parse(&text.text, Version::parse);
        if when.ios_version.is_none() {
            problems.push(complaint(&text, "version"));
        }
    }
    when.variant = table.text("variant", problems).map(|text| text.text);
    when
}

/// Returns where a value ends. A table of dotted keys has the place of its name alone, so its values are asked.
fn end_of(value: &Value<'_>) -> usize {
    let inside = value.get_ref().as_table().into_iter().flat_map(|table| table.iter()).map(|(_, value)| end_of(value));
    inside.chain([span_of(value).end]).max().unwrap_or_default()
}

/// Notes curly brackets that name no answer of the sheet.
fn check_answers(required: &Required, sheet: &Sheet, span: Span, problems: &mut Vec<Problem>) {
    let Asked::Need { name, need } = &required.asked else { return };
    let mut texts = vec![name.as_str()];
    texts.extend(kinds::spec(need.kind()).texts(need));
    for name in texts.into_iter().flat_map(answers_in) {
        if !BUILT_IN_ANSWERS.contains(&name) && sheet.answer(name).is_none() {
            problem(
                problems,
                span,
                format!("`{{{name}}}` is not an answer of this sheet: `[answers.{name}]` is missing"),
            );
        }
    }
}

/// What is said of a text with a character that is not seen.
pub(super) const HIDDEN: &str = "this has an invisible character, or one that no manifest can contain";

/// Notes texts and keys that hold what is not seen, or what no manifest can contain; all of them can be written. What only people read may hold
/// marks of the direction of writing.
fn refuse_hidden(value: &Value<'_>, problems: &mut Vec<Problem>) {
    let wrong = |text: &str| text.chars().any(|letter| is_hidden(letter) || !fits_xml(letter));
    let inside = value.get_ref();
    if inside.as_str().is_some_and(wrong) {
        problem(problems, span_of(value), HIDDEN);
    }
    for element in inside.as_array().into_iter().flat_map(|array| array.iter()) {
        refuse_hidden(element, problems);
    }
    for (key, element) in inside.as_table().into_iter().flat_map(|table| table.iter()) {
        let name = key.get_ref();
        if wrong(name) {
            let span = Span::new(key.span().start, key.span().end);
            problem(problems, span, "this name has an invisible character, or one that no manifest can contain");
        }
        if !matches!(name.as_ref(), "reason" | "reference") {
            refuse_hidden(element, problems);
        }
    }
}

#[cfg(test)]
mod tests {
    use elvask_markup::plist::plan::NewValue;

    use super::*;

    const FULL: &str = r#"
sheet = 1
plugin = "tern_camera"
ecosystem = "pub"
versions = ">=2.0.0, <4.0.0"
platforms = ["android", "ios"]

[features.video]
title = "Record video"

[[requires]]
capability = "camera"
reason = "Shows the viewfinder."

[[requires]]
capability = "microphone"
feature = "video"
reference = "https://docs.marram.example/tern_camera#video"

[[requires]]
android.permission = "android.permission.BLUETOOTH"
max-level = 30

[[requires]]
android.meta-data = { name = "example.knot.APP_ID", value = "{app_id}", in = "application" }

[[requires]]
android.query = { action = "android.intent.action.VIEW", scheme = "tel" }
when = { target-level = ">=30" }

[[requires]]
android.attribute = { on = "launcher", name = "exported", value = "true" }
optional = true

[[requires]]
ios.plist = { key = "ExampleItems", value = [{ Id = "{ios_id}", On = true, Count = 3 }] }

[[requires]]
ios.query-scheme = "tel"

[[requires]]
ios.entitlement = { key = "aps-environment", value = "development" }

[answers.app_id]
title = "The app id"
pattern = "knot-[0-9]{8}"
samples = ["knot-00000000"]
"#;

    #[test]
    fn everything_of_the_format_is_read() {
        let (sheet, problems) = Sheet::parse(FULL, Some("tern_camera"));
        assert_eq!(problems, []);
        assert_eq!(sheet.requires.len(), 9);
        assert_eq!(sheet.requires[0].span.of(FULL), "capability = \"camera\"");
        assert_eq!(sheet.requires[2].span.of(FULL), "android.permission = \"android.permission.BLUETOOTH\"");
        let Asked::Need { name, need: Need::Entitlement { .. } } = &sheet.requires[8].asked else {
            panic!("{:?}", sheet.requires[8]);
        };
        assert_eq!(name, "aps-environment");
        assert_eq!(sheet.requires[1].reference.as_deref(), Some("https://docs.marram.example/tern_camera#video"));
        let answer = sheet.answer("app_id").unwrap();
        assert!(
            answer.fits("knot-12345678") && answer.fits("xknot-12345678") && !answer.fits("knot-1"),
            "the pattern is found anywhere"
        );
        let Asked::Need { need: Need::Plist { value: NewValue::Array(items) }, .. } = &sheet.requires[6].asked else {
            panic!("{:?}", sheet.requires[6]);
        };
        let NewValue::Dict(entries) = &items[0] else { panic!("{items:?}") };
        assert_eq!(entries[1], ("On".to_owned(), NewValue::Bool(true)));
    }

    #[test]
    fn the_schema_knows_the_keys_that_are_read_and_no_others() {
        let schema = super::super::schema();
        let keys = |at: &str| {
            let properties =
                schema.pointer(at).and_then(|found| found.get("properties")).and_then(|found| found.as_object());
            let mut keys: Vec<_> = properties.unwrap_or_else(|| panic!("{at}")).keys().cloned().collect();
            keys.sort();
            keys
        };
        let sorted = |keys: &[&str]| {
            let mut keys: Vec<_> = keys.iter().map(|key| (*key).to_owned()).collect();
            keys.sort();
            keys
        };
        let requires = "/properties/requires/items";
        assert_eq!(keys(""), sorted(&TOP));
        assert_eq!(keys(requires), sorted(&REQUIRED));
        assert_eq!(keys(&format!("{requires}/properties/android")), sorted(&kinds::keys(Platform::Android)));
        assert_eq!(keys(&format!("{requires}/properties/ios")), sorted(&kinds::keys(Platform::Ios)));
    }

    #[test]
    fn mistakes_are_named_with_their_places() {
        let check = |entry: &str, marked: &str, message: &str| {
            let text = format!("sheet = 1\nplugin = 'p'\n[[requires]]\n{entry}\n");
            let (_, problems) = Sheet::parse(&text, None);
            let found: Vec<_> = problems.iter().map(|found| (found.span.of(&text), found.message.as_str())).collect();
            assert_eq!(found.len(), 1, "{entry}: {found:?}");
            assert_eq!(found[0].0, marked, "{entry}");
            assert!(found[0].1.contains(message), "{entry}: {}", found[0].1);
        };
        check("capability = 'camra'", "'camra'", "did you mean `camera`?");
        check("capability = 3", "3", "must be a string");
        check("capabilty = 'camera'\nandroid.permission = 'a.B'", "capabilty", "did you mean `capability`?");
        check("android.permision = 'a.B'", "permision", "did you mean `permission`?");
        check("android.permission = \"a\\u001b[31m\"", "\"a\\u001b[31m\"", "an invisible character");
        check("android.permission = 'a.B'\nmax-level = 'x'", "'x'", "must be an integer");
        check(
            "ios.usage = 'NSCameraUseageDescription'",
            "'NSCameraUseageDescription'",
            "did you mean `NSCameraUsageDescription`?",
        );
        check("ios.usage = 'NSDesktopFolderUsageDescription'", "'NSDesktopFolderUsageDescription'", "key of macOS");
        check("ios.query-scheme = 'tel://'", "'tel://'", "not a URL scheme");
        check("capability = 'camera'\nfeature = 'video'", "'video'", "`[features.video]` is missing");
        check("capability = 'camera'\nmax-level = 3", "3", "goes with `android.permission` only");
        check("capability = 'camera'\nwhen = { target-level = '33' }", "'33'", "not a condition on a level");
        check("android.query = { action = 'a', package = 'p' }", "{ action = 'a', package = 'p' }", "exactly one of");
        check(
            "ios.plist = { key = 'K', value = '{id}' }",
            "ios.plist = { key = 'K', value = '{id}' }",
            "`[answers.id]` is missing",
        );
        check(
            "ios.plist = { key = 'NSCameraUsageDescription', value = 'Photos' }",
            "'NSCameraUsageDescription'",
            "is a purpose",
        );
    }

    #[test]
    fn a_sheet_inside_a_package_speaks_of_that_package() {
        let (sheet, problems) = Sheet::parse("sheet = 1\nplugin = 'other'\n", Some("tern_camera"));
        assert_eq!(problems[0].message, "the sheet speaks of `other`, but it lies in the package `tern_camera`");
        assert_eq!(sheet.plugin.text, "other");
        assert_eq!(Sheet::parse("sheet = 1\n", Some("tern_camera")).0.plugin.text, "tern_camera");
        assert_eq!(Sheet::parse("sheet = 1\n", None).1[0].message, "the document needs `plugin`");
    }

    #[test]
    fn a_module_is_named_by_its_last_name_and_built_in_answers_are_described() {
        let (sheet, problems) = Sheet::parse(
            "sheet = 1\nplugin = 'camera'\n[[requires]]\nios.url-scheme = '{scheme}'\n[answers.scheme]\ntitle = 'The scheme of the sign-in.'\npattern = '^knot-'\n",
            Some(":features:camera"),
        );
        assert!(problems.is_empty(), "{problems:?}");
        assert_eq!(sheet.plugin.text, ":features:camera");
        assert!(sheet.answers[0].fits("knot-1") && !sheet.answers[0].fits("a-knot-1"));
        let refused = Sheet::parse("sheet = 1\n[answers.ios_id]\n", Some("p")).1;
        assert_eq!(refused.len(), 1);
    }
}
