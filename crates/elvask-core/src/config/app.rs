//! `[app]` of `elvask.toml`: who the app is meant to be, and how it is meant to run.

use elvask_platform::Version;
use elvask_project::tomldoc::{Problem, Table, Text};

/// The table `[app]`.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Identity {
    /// The name under the icon.
    pub name: Option<Text>,
    /// The name in single languages: `nl`.
    pub names: Vec<(String, Text)>,
    /// The application id on Android.
    pub android_id: Option<Text>,
    /// The bundle id on iOS.
    pub ios_id: Option<Text>,
    /// The team that signs on iOS.
    pub ios_team: Option<Text>,
    /// The version shown in the stores.
    pub version: Option<Text>,
    /// The build that stores compare.
    pub build: Option<Text>,
    /// In which way telephones and tablets may be held.
    pub orientation: Orientations,
    /// The lowest level of Android.
    pub min_level: Option<Text>,
    /// The lowest version of iOS.
    pub min_ios: Option<Text>,
    /// The devices on iOS: `phone`, `tablet`.
    pub devices: Vec<Text>,
    /// The category on Android: `maps`.
    pub android_category: Option<Text>,
    /// The category on iOS: `public.app-category.navigation`.
    pub ios_category: Option<Text>,
    /// Whether the encryption that the app uses is `exempt` or `non-exempt`.
    pub encryption: Option<Text>,
}

/// In which way devices may be held: `portrait`, `landscape` or `any`.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Orientations {
    /// Telephones.
    pub phone: Option<Text>,
    /// Tablets.
    pub tablet: Option<Text>,
}

/// The keys of the table.
pub(super) const KEYS: [&str; 12] = [
    "name",
    "android-id",
    "ios-id",
    "ios-team",
    "version",
    "build",
    "orientation",
    "min-level",
    "min-ios",
    "devices",
    "category",
    "encryption",
];

/// The ways in which a device may be held.
const WAYS: [&str; 3] = ["portrait", "landscape", "any"];

pub(super) fn read(app: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Identity {
    app.refuse_others(&KEYS, problems);
    let mut identity = Identity {
        name: None,
        android_id: app.text("android-id", problems),
        ios_id: app.text("ios-id", problems),
        ios_team: app.text("ios-team", problems),
        version: app.text("version", problems),
        build: number(app, "build", problems),
        orientation: orientations(app, problems),
        min_level: number(app, "min-level", problems),
        min_ios: app.text("min-ios", problems).filter(|text| is_version(text, problems)),
        encryption: one_of(app, "encryption", &["exempt", "non-exempt"], problems),
        ..Identity::default()
    };
    if app.get("name").is_some_and(|value| value.get_ref().is_table()) {
        if let Some(names) = app.table("name", "`name`", problems) {
            for (language, _) in names.entries() {
                let text = names.text(&language.text, problems);
                identity.names.extend(text.map(|text| (language.text, text)));
            }
        }
        let of = |wanted: &str| identity.names.iter().find(|(language, _)| language == wanted);
        identity.name = of("en").or(identity.names.first()).map(|(_, text)| text.clone());
    } else {
        identity.name = app.text("name", problems);
    }
    for device in app.texts("devices", false, problems) {
        identity.devices.extend(is_one_of(device, &["phone", "tablet"], problems));
    }
    if let Some(category) = app.table("category", "`category`", problems) {
        category.refuse_others(&["android", "ios"], problems);
        identity.android_category = category.text("android", problems);
        identity.ios_category = category.text("ios", problems);
    }
    identity
}

/// Reads a number, which may stand in quotes.
fn number(app: &Table<'_, '_>, key: &str, problems: &mut Vec<Problem>) -> Option<Text> {
    let value = app.get(key)?;
    if value.get_ref().as_str().is_some() {
        return app.text(key, problems);
    }
    let number = app.number(key, problems)?;
    Some(Text { text: number.to_string(), span: elvask_project::tomldoc::span_of(value) })
}

fn orientations(app: &Table<'_, '_>, problems: &mut Vec<Problem>) -> Orientations {
    let is_table = app.get("orientation").is_some_and(|value| value.get_ref().is_table());
    if !is_table {
        let both = one_of(app, "orientation", &WAYS, problems);
        return Orientations { phone: both.clone(), tablet: both };
    }
    let Some(table) = app.table("orientation", "`orientation`", problems) else { return Orientations::default() };
    table.refuse_others(&["phone", "tablet"], problems);
    Orientations { phone: one_of(&table, "phone", &WAYS, problems), tablet: one_of(&table, "tablet", &WAYS, problems) }
}

fn one_of(table: &Table<'_, '_>, key: &str, words: &[&str], problems: &mut Vec<Problem>) -> Option<Text> {
    is_one_of(table.text(key, problems)?, words, problems)
}

fn is_one_of(text: Text, words: &[&str], problems: &mut Vec<Problem>) -> Option<Text> {
    if words.contains(&text.text.as_str()) {
        return Some(text);
    }
    let message = format!("`{}` is none of {}", text.text, elvask_project::tomldoc::list(words));
    problems.push(Problem { message, span: text.span });
    None
}

fn is_version(text: &Text, problems: &mut Vec<Problem>) -> bool {
    let is_one = Version::parse(&text.text).is_some();
    if !is_one {
        let message = format!("`{}` is not a version such as 15.1", text.text);
        problems.push(Problem { message, span: text.span });
    }
    is_one
}
