//! Who the app is, wherever it is said.

use elvask_markup::Span;
use elvask_markup::plist::PropertyList;
use elvask_markup::xml::{Document, Element};
use elvask_platform::services::service_files;
use elvask_platform::{Kind, Platform};
use elvask_project::appfiles::AndroidApp;
use elvask_project::source::Place;

use crate::account::ACCOUNT_FILE;
use crate::context::Context;
use crate::rules::support::accounts::ids;

/// A place that says who the app is, with what another place says.
pub(in crate::rules) struct Said {
    /// What is said: `the bundle id`.
    pub(in crate::rules) what: &'static str,
    /// The platform.
    pub(in crate::rules) platform: Platform,
    /// What is said here.
    pub(in crate::rules) here: String,
    /// Where.
    pub(in crate::rules) place: Place,
    /// What it is meant to be.
    pub(in crate::rules) meant: String,
    /// Who says what it is meant to be, with the place.
    pub(in crate::rules) by: (String, Option<Place>),
    /// The name of a file that somebody else makes; `None` for the app's own.
    pub(in crate::rules) file: Option<String>,
    /// Whether that is what is registered in the accounts.
    registered: bool,
}

/// Returns the places that say another thing than what the app is meant to be.
pub(in crate::rules) fn differing(context: &Context<'_>) -> Vec<Said> {
    let mut out = Vec::new();
    owners(context, &mut out);
    if context.settings.holds_accounts() {
        registered(context, &mut out);
    }
    services(context, &mut out);
    out
}

/// What `[app]` in `elvask.toml` says against the platforms.
fn owners(context: &Context<'_>, out: &mut Vec<Said>) {
    let identity = &context.app.config.identity;
    let owner = |span: Span| ("elvask.toml".to_owned(), context.app.config_file.map(|file| Place { file, span }));
    if let Some(meant) = &identity.android_id {
        let variants = context.app.android.iter().flat_map(AndroidApp::judged);
        let ids: Vec<_> = variants.filter_map(|one| Some((one.id.value.clone()?, one.id.place?))).collect();
        // A flavor may add to the id: one that has it as it is is enough.
        if let Some((here, place)) = ids.first().filter(|_| !ids.iter().any(|(id, _)| *id == meant.text)) {
            let (here, place, by) = (here.clone(), *place, owner(meant.span));
            let (what, meant) = ("the application id", meant.text.clone());
            out.push(Said { what, platform: Platform::Android, here, place, meant, by, file: None, registered: false });
        }
    }
    if let Some(meant) = &identity.version {
        let variants = context.app.android.iter().flat_map(AndroidApp::judged);
        let all: Vec<_> =
            variants.filter_map(|one| Some((one.version_name.value.clone()?, one.version_name.place?))).collect();
        // A flavor may add to the version as to the id.
        if let Some((here, place)) = all.first().filter(|_| !all.iter().any(|(one, _)| *one == meant.text)) {
            let (here, place, by) = (here.clone(), *place, owner(meant.span));
            let (what, meant) = ("the version", meant.text.clone());
            out.push(Said { what, platform: Platform::Android, here, place, meant, by, file: None, registered: false });
        }
    }
    if let (Some(meant), Some(plist)) = (&identity.name, context.plist) {
        let shown = plist.entry("CFBundleDisplayName").or_else(|| plist.entry("CFBundleName"));
        let here = shown.and_then(|entry| Some((plist.resolved(entry.value.as_str()?)?.into_owned(), entry)));
        if let Some((here, entry)) = here.filter(|(here, _)| *here != meant.text && !here.contains('$')) {
            let (by, place, meant) = (owner(meant.span), plist.value_place(entry), meant.text.clone());
            let what = "the name under the icon";
            out.push(Said { what, platform: Platform::Ios, here, place, meant, by, file: None, registered: false });
        }
    }
    let Some(ios) = &context.app.ios else { return };
    for (what, stated, meant) in
        [("the bundle id", &ios.id, identity.ios_id.as_ref()), ("the version", &ios.version, identity.version.as_ref())]
    {
        let (Some(here), Some(place), Some(meant)) = (&stated.value, stated.place, meant) else { continue };
        if *here != meant.text {
            let (here, by, meant) = (here.clone(), owner(meant.span), meant.text.clone());
            out.push(Said { what, platform: Platform::Ios, here, place, meant, by, file: None, registered: false });
        }
    }
}

/// Returns where two ids differ that are the same but for the case of letters: the letter, counted from 1, with both sides.
pub(in crate::rules) fn differs_at(here: &str, there: &str) -> Option<String> {
    if !here.eq_ignore_ascii_case(there) {
        return None;
    }
    let mut letters = here.chars().zip(there.chars()).enumerate();
    let (at, (here, there)) = letters.find(|(_, (here, there))| here != there)?;
    Some(format!("letter {} is `{here}` here and `{there}` there", at + 1))
}

/// What is registered in the developer accounts against the platforms.
fn registered(context: &Context<'_>, out: &mut Vec<Said>) {
    let account = &context.app.account;
    let Some(file) = account.file else { return };
    let team = context.surface.settings().and_then(|settings| settings.value("DEVELOPMENT_TEAM"));
    let stated = team.and_then(|team| Some((team.value.filter(|team| !team.is_empty())?, team.place?)));
    if let (Some(meant), Some((here, place))) = (&account.team, stated)
        && here != meant.text
    {
        let by = (account.name().to_owned(), Some(Place { file, span: meant.span }));
        let meant = meant.text.clone();
        out.push(Said {
            what: "the team",
            platform: Platform::Ios,
            here,
            place,
            meant,
            by,
            file: None,
            registered: true,
        });
    }
    for (platform, what, stated) in ids(context) {
        let (Some(here), Some(place), Some(apps)) = (&stated.value, stated.place, account.apps(platform)) else {
            continue;
        };
        if apps.iter().any(|app| crate::account::covers(&app.id.text, here)) {
            continue;
        }
        // Of several the one that is nearest is meant.
        let same = |app: &&crate::account::Registered| app.id.text.eq_ignore_ascii_case(here);
        let names = || apps.iter().map(|app| app.id.text.as_str());
        let near = elvask_platform::names::nearest(here, names());
        let meant = apps.iter().find(same).or_else(|| apps.iter().find(|app| Some(app.id.text.as_str()) == near));
        let Some(meant) = meant.or(apps.first()) else { continue };
        let by = (account.name().to_owned(), Some(Place { file, span: meant.id.span }));
        let (here, meant) = (here.clone(), meant.id.text.clone());
        if !out.iter().any(|said| said.platform == platform && said.place == place && said.by == by) {
            out.push(Said { what, platform, here, place, meant, by, file: None, registered: true });
        }
    }
}

/// What the files of services say against the platforms. Those that a sheet asks for are told by `file-mismatch`.
fn services(context: &Context<'_>, out: &mut Vec<Said>) {
    for known in service_files() {
        let Some(required) = context.app.required_file(known.platform, known.path) else { continue };
        let asked = context.needs.groups(Kind::File).any(|group| required.shown.ends_with(group.name));
        if asked {
            continue;
        }
        let of_ios = || context.app.ios.iter().map(|ios| (required.shown.as_str(), required.file, &ios.id));
        let of_android = || {
            context.app.android.iter().flat_map(AndroidApp::judged).map(|one| {
                let (shown, file) = required.of_variant(&one.name);
                (shown, file, &one.id)
            })
        };
        let all: Vec<_> = match known.platform {
            Platform::Android => of_android().collect(),
            Platform::Ios => of_ios().collect(),
        };
        for (shown, file, id) in all {
            let (Some(file), Some(meant)) = (file, &id.value) else { continue };
            let text = &context.sources.file(file).text;
            let named = ids_at(text, known.id_at);
            if named.contains(meant) {
                continue;
            }
            // Of several apps in the file the one that is nearest is meant.
            let near = named.iter().find(|one| one.eq_ignore_ascii_case(meant)).or(named.first());
            let Some(here) = near else { continue };
            let at = text.find(here.as_str()).unwrap_or_default();
            let place = Place { file, span: Span::new(at, at + here.len()) };
            let what = "the id of the app";
            let said = Said {
                what,
                platform: known.platform,
                here: here.clone(),
                place,
                meant: meant.clone(),
                by: ("the project".to_owned(), id.place),
                file: Some(shown.to_owned()),
                registered: false,
            };
            out.push(said);
        }
    }
}

impl Said {
    /// Returns what a person does about it.
    pub(in crate::rules) fn steps(&self) -> String {
        match (&self.file, self.by.0.as_str()) {
            (Some(_), _) => format!("Get the file for `{}` from the service, or change the app's id.", self.meant),
            (None, by) if self.registered && self.what == "the team" => {
                format!(
                    "Write the team that signs in both places: `{}` in the project, or `{}` in {by}.",
                    self.meant, self.here
                )
            }
            // An id that is registered stays as it is.
            (None, by) if self.registered => {
                let also = if by == ACCOUNT_FILE { format!(" and write it into {by}") } else { String::new() };
                format!(
                    "Register `{}` in the developer account{also}, or write `{}` in the project.",
                    self.here, self.meant
                )
            }
            (None, by) => format!("Decide which is right: write `{}` here, or the other one in {by}.", self.meant),
        }
    }

    /// Says whether only the case of letters differs.
    pub(in crate::rules) fn is_case(&self) -> bool {
        self.here.eq_ignore_ascii_case(&self.meant)
    }
}

/// Returns the texts at a path in a JSON file or a property list; a list on the way is gone through whole.
pub(in crate::rules) fn ids_at(text: &str, pointer: &str) -> Vec<String> {
    let steps: Vec<&str> = pointer.split('/').filter(|step| !step.is_empty()).collect();
    if let Ok(json) = serde_json::from_str::<serde_json::Value>(text.trim_start_matches('\u{FEFF}')) {
        let mut found = Vec::new();
        in_json(&json, &steps, &mut found);
        return found;
    }
    let Ok(list) = PropertyList::parse(text) else { return in_xml(text, &steps) };
    let mut value = list.root();
    for step in steps {
        let Some(entry) = value.as_dict().and_then(|entries| entries.iter().find(|entry| entry.key == step)) else {
            return Vec::new();
        };
        value = &entry.value;
    }
    value.as_str().map(str::to_owned).into_iter().collect()
}

/// Returns the texts at a path of elements below the root, which may end with `@` and the name of an attribute.
fn in_xml(text: &str, steps: &[&str]) -> Vec<String> {
    let Ok(document) = Document::parse(text) else { return Vec::new() };
    let (steps, attribute) = match steps.split_last() {
        Some((last, rest)) if last.starts_with('@') => (rest, last.strip_prefix('@')),
        _ => (steps, None),
    };
    let mut found = vec![document.root()];
    for step in steps {
        found = found.iter().flat_map(|element| element.children_named(step)).collect();
    }
    let value = |element: &Element<'_>| match attribute {
        Some(name) => {
            let named = element.attribute_written(name)?;
            Some(element.value_of(named).into_owned())
        }
        None => Some(element.text().trim().to_owned()),
    };
    found.iter().filter_map(value).collect()
}

fn in_json(value: &serde_json::Value, steps: &[&str], found: &mut Vec<String>) {
    match (value, steps) {
        (serde_json::Value::Array(values), _) => values.iter().for_each(|value| in_json(value, steps, found)),
        (serde_json::Value::String(text), []) => found.push(text.clone()),
        (serde_json::Value::Object(entries), [step, rest @ ..]) => {
            if let Some(value) = entries.get(*step) {
                in_json(value, rest, found);
            }
        }
        _ => {}
    }
}
