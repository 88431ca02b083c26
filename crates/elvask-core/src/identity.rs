//! Who the app is, wherever it is said: its ids, its name, its version and its build; and changing one of them everywhere at once.

mod uses;
mod write;

use elvask_markup::plist::PropertyList;
use elvask_platform::Platform;
use elvask_project::appfiles::{Generated, IosApp};
use elvask_project::gradle::Stated;
use elvask_project::layout::Layout;
use elvask_project::source::{FileId, Place};
use elvask_project::xcode::{Settings, Target};

pub use self::write::{Change, Changed, change};
use crate::context::Context;

/// A part of who an app is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Part {
    /// The id by which devices and stores know it.
    Id,
    /// The name under its icon.
    Name,
    /// The version that people see.
    Version,
    /// The version that stores and devices compare.
    Build,
}

impl Part {
    /// All of them, in the order in which they are listed.
    pub const ALL: [Part; 4] = [Part::Id, Part::Name, Part::Version, Part::Build];

    /// Returns the word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Part::Id => "id",
            Part::Name => "name",
            Part::Version => "version",
            Part::Build => "build",
        }
    }
}

/// A place that says a part of who the app is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// Which part.
    pub part: Part,
    /// The platform; `None` for what is said for both.
    pub platform: Option<Platform>,
    /// For whom it is said: variants, or targets with a slash and their configuration, or the file where it is neither.
    pub of: Vec<String>,
    /// The language in which it is said: `nl`; `None` for what holds in all others.
    pub language: Option<String>,
    /// The value; `None` where only the build knows it.
    pub value: Option<String>,
    /// The expression, where the value is not known.
    pub written: Option<String>,
    /// Where.
    pub place: Option<Place>,
    /// Whether it is what ships.
    pub ships: bool,
    /// Why it is not what counts, where it is not.
    pub idle: Option<String>,
}

/// A place that stays as it is, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Left {
    /// Where; `None` for what stands in no file of the app.
    pub place: Option<Place>,
    /// What a person does, or why nothing is done, in a sentence.
    pub why: String,
}

impl Said {
    /// Returns for whom it is said, in a few words.
    #[must_use]
    pub fn who(&self) -> String {
        let mut out: Vec<(&str, Vec<&str>)> = Vec::new();
        for of in &self.of {
            let (name, configuration) = of.split_once('/').map_or((of.as_str(), None), |(name, one)| (name, Some(one)));
            match out.iter_mut().find(|(known, _)| *known == name) {
                Some((_, all)) => all.extend(configuration),
                None => out.push((name, configuration.into_iter().collect())),
            }
        }
        let shown = out.into_iter().map(|(name, all)| match all.as_slice() {
            [] => name.to_owned(),
            all => format!("{name} ({})", all.join(", ")),
        });
        let who = shown.collect::<Vec<_>>().join(", ");
        self.language.as_ref().map_or(who.clone(), |language| format!("{who} in {language}"))
    }
}

/// Returns every place that says who the app is, by part, Android before iOS, then what is said for both.
#[must_use]
pub fn said(context: &Context<'_>) -> Vec<Said> {
    let mut out = Vec::new();
    android(context, &mut out);
    ios(context, &mut out);
    of_dependency_file(context, &mut out);
    of_owner(context, &mut out);
    out.sort_by_key(|said| said.part);
    out
}

/// Adds what is said, together with what is said at the same place already.
fn add(out: &mut Vec<Said>, said: Said) {
    let same = |known: &&mut Said| {
        (known.part, known.platform, &known.value, known.place) == (said.part, said.platform, &said.value, said.place)
    };
    match out.iter_mut().find(same) {
        Some(known) => {
            known.ships |= said.ships;
            known.of.extend(said.of);
            known.of.dedup();
        }
        None => out.push(said),
    }
}

fn stated<T: ToString>(
    (part, platform): (Part, Platform),
    stated: &Stated<T>,
    (of, ships): (&str, bool),
) -> Option<Said> {
    let value = stated.value.as_ref().map(T::to_string);
    (value.is_some() || stated.written.is_some()).then(|| Said {
        part,
        platform: Some(platform),
        of: vec![of.to_owned()],
        language: None,
        value,
        written: stated.written.clone(),
        place: stated.place,
        ships,
        idle: None,
    })
}

fn android(context: &Context<'_>, out: &mut Vec<Said>) {
    let Some(android) = &context.app.android else { return };
    for (at, variant) in android.variants.iter().enumerate() {
        let who = (variant.name.as_str(), android.judged.contains(&at));
        let all = [
            stated((Part::Id, Platform::Android), &variant.id, who),
            stated((Part::Version, Platform::Android), &variant.version_name, who),
            stated((Part::Build, Platform::Android), &variant.version_code, who),
        ];
        all.into_iter().flatten().for_each(|one| add(out, one));
    }
    // The files that are made of a document say what it says.
    let variants = if context.app.generated.is_some() { &[] } else { context.variants.as_slice() };
    for variant in variants {
        let Some(label) = variant.application().and_then(|application| application.attribute("label")) else {
            continue;
        };
        for (value, place, of) in texts(context, &label.value, label.place) {
            add(
                out,
                Said {
                    part: Part::Name,
                    platform: Some(Platform::Android),
                    of: vec![variant.variant.clone()],
                    language: of,
                    value,
                    written: Some(label.value.to_string()),
                    place: Some(place),
                    ships: true,
                    idle: None,
                },
            );
        }
    }
}

/// Returns what a text of a manifest comes to, in each language.
fn texts(context: &Context<'_>, text: &str, place: Place) -> Vec<(Option<String>, Place, Option<String>)> {
    let Some(name) = text.strip_prefix("@string/") else { return vec![(Some(text.to_owned()), place, None)] };
    let resources = context.app.android.iter().map(|android| &android.resources);
    let files = resources.flat_map(|resources| resources.values.iter().chain(&resources.languages));
    let mut found = Vec::new();
    for file in files.map(|one| one.file) {
        let source = context.sources.file(file);
        let Ok(document) = source.xml() else { continue };
        let folder = source.shown.rsplit('/').nth(1).unwrap_or_default().to_owned();
        let language = folder.strip_prefix("values-").map(str::to_owned);
        let named = document.root().children_named("string").find(|string| {
            string.attribute_written("name").is_some_and(|attribute| string.value_of(attribute) == name)
        });
        // Text that is more than text is left to people.
        let Some(inner) = named.filter(|string| string.children().next().is_none()) else { continue };
        found.push((Some(inner.text().trim().to_owned()), Place { file, span: inner.content() }, language));
    }
    if found.is_empty() { vec![(None, place, None)] } else { found }
}

fn ios(context: &Context<'_>, out: &mut Vec<Said>) {
    let Some(ios) = &context.app.ios else { return };
    let Some(project) = &ios.project else {
        let who = ("the app", true);
        let all = [
            stated((Part::Id, Platform::Ios), &ios.id, who),
            stated((Part::Version, Platform::Ios), &ios.version, who),
            stated((Part::Build, Platform::Ios), &ios.build, who),
        ];
        all.into_iter().flatten().for_each(|one| add(out, one));
        match &context.app.generated {
            Some(generated) => made_of(context, generated, out),
            None => listed(context, ios.plist, ("the app", true), None, out),
        }
        return;
    };
    let Some(target) = project.targets.iter().find(|target| Some(&target.name) == ios.target.as_ref()) else { return };
    let embedded: Vec<&Target> = project.embedded(target);
    for one in std::iter::once(target).chain(embedded) {
        let is_app = one.name == target.name;
        for configuration in &one.configurations {
            let settings = project.settings(one, &configuration.name, &ios.config_files);
            let ships = configuration.name == ios.configuration;
            let who = format!("{}/{}", one.name, configuration.name);
            for (part, name) in [
                (Part::Id, "PRODUCT_BUNDLE_IDENTIFIER"),
                (Part::Name, "INFOPLIST_KEY_CFBundleDisplayName"),
                (Part::Version, "MARKETING_VERSION"),
                (Part::Build, "CURRENT_PROJECT_VERSION"),
            ] {
                let (name, expanded) = followed(&settings, name);
                let Some(expanded) = expanded else { continue };
                let written = settings.strongest(&name).map(|setting| setting.written.clone());
                let written = written.filter(|_| expanded.value.is_none());
                let stated_there = Stated { value: expanded.value, place: expanded.place, written };
                if let Some(said) = stated((part, Platform::Ios), &stated_there, (&who, ships)) {
                    add(out, said);
                }
            }
        }
        if is_app {
            translated(ios, &one.name, out);
        }
        let extension = ios.extensions.iter().find(|extension| extension.name == one.name);
        let plist = if is_app { ios.plist } else { extension.and_then(|extension| extension.plist) };
        let settings = project.settings(one, &ios.configuration, &ios.config_files);
        listed(context, plist, (&one.name, true), Some(&settings), out);
    }
}

/// Adds the names in the languages of the app.
fn translated(ios: &IosApp, target: &str, out: &mut Vec<Said>) {
    for text in ios.texts.iter().filter(|text| matches!(text.key.as_str(), "CFBundleDisplayName" | "CFBundleName")) {
        let said = Said {
            part: Part::Name,
            platform: Some(Platform::Ios),
            of: vec![target.to_owned()],
            language: Some(text.language.clone()),
            value: Some(text.text.clone()),
            written: None,
            place: Some(text.place),
            ships: true,
            idle: None,
        };
        add(out, said);
    }
}

/// Adds the name that a document gives to the app, of which the platform files are made.
fn made_of(context: &Context<'_>, generated: &Generated, out: &mut Vec<Said>) {
    let shown = context.sources.file(generated.source).shown.clone();
    let Some(said) = stated((Part::Name, Platform::Ios), &generated.name, (&shown, true)) else { return };
    add(out, Said { platform: None, ..said });
}

/// Follows a setting that is nothing but the name of another one to that one.
fn followed(settings: &Settings, name: &str) -> (String, Option<elvask_project::xcode::Expanded>) {
    let mut name = name.to_owned();
    for _ in 0..5 {
        let written = settings.strongest(&name).map(|setting| setting.written.as_str()).unwrap_or_default();
        let inner = written.strip_prefix("$(").and_then(|rest| rest.strip_suffix(')'));
        match inner.filter(|inner| *inner != name && settings.strongest(inner).is_some()) {
            Some(inner) if inner.chars().all(|letter| letter.is_ascii_alphanumeric() || letter == '_') => {
                name = inner.to_owned();
            }
            _ => break,
        }
    }
    let value = settings.value(&name);
    (name, value)
}

/// Adds what a property list says itself: it wins over the settings. What it takes from a setting is said there.
fn listed(
    context: &Context<'_>,
    file: Option<FileId>,
    (of, ships): (&str, bool),
    settings: Option<&Settings>,
    out: &mut Vec<Said>,
) {
    let Some(file) = file else { return };
    let Ok(list) = PropertyList::parse(context.sources.file(file).text.clone()) else { return };
    let display = if list.entry("CFBundleDisplayName").is_some() { "CFBundleDisplayName" } else { "CFBundleName" };
    for (part, key, setting) in [
        (Part::Id, "CFBundleIdentifier", "PRODUCT_BUNDLE_IDENTIFIER"),
        (Part::Name, display, "INFOPLIST_KEY_CFBundleDisplayName"),
        (Part::Version, "CFBundleShortVersionString", "MARKETING_VERSION"),
        (Part::Build, "CFBundleVersion", "CURRENT_PROJECT_VERSION"),
    ] {
        let Some(entry) = list.entry(key) else { continue };
        let Some(text) = entry.value.as_str() else { continue };
        if text.contains("$(") || text.contains("${") {
            continue;
        }
        // The setting beside it counts for nothing.
        let beside = settings.and_then(|settings| settings.value(setting)?.place);
        let name = context.sources.file(file).shown.rsplit('/').next().unwrap_or_default().to_owned();
        let same = |said: &&mut Said| said.part == part && said.place.is_some() && said.place == beside;
        if let Some(idle) = out.iter_mut().find(same).filter(|_| part != Part::Id) {
            idle.idle = Some(format!("{name} says it itself"));
        }
        add(
            out,
            Said {
                part,
                platform: Some(Platform::Ios),
                of: vec![of.to_owned()],
                language: None,
                value: Some(text.to_owned()),
                written: None,
                place: Some(Place { file, span: entry.value.span }),
                ships,
                idle: None,
            },
        );
    }
}

/// The dependency file of a layout that says the version of the app too, and its line.
const VERSION_FILE: &str = "pubspec.yaml";

/// Adds what the dependency file says: builds take version and build from there, unless they state another.
fn of_dependency_file(context: &Context<'_>, out: &mut Vec<Said>) {
    if !context.app.layouts.contains(&Layout::Pubspec) {
        return;
    }
    let Some(file) = context.sources.find(|shown| shown == VERSION_FILE) else { return };
    let text = &context.sources.file(file).text;
    let Some(line) = text.split_inclusive('\n').find(|line| line.starts_with("version:")) else { return };
    let start = text.find(line).unwrap_or_default() + "version:".len();
    let rest = line.get("version:".len()..).unwrap_or_default();
    let whole = rest.split('#').next().unwrap_or_default();
    let value = whole.trim().trim_matches(['"', '\'']);
    let Some(at) = rest.find(value).filter(|_| !value.is_empty()) else { return };
    let (version, build) = value.split_once('+').map_or((value, None), |(version, build)| (version, Some(build)));
    let all = [(Part::Version, version, at), (Part::Build, build.unwrap_or_default(), at + version.len() + 1)];
    for (part, value, at) in all.into_iter().filter(|(_, value, _)| !value.is_empty()) {
        let elsewhere = |platform: Platform| {
            let mut of = out.iter().filter(|said| said.part == part && said.platform == Some(platform) && said.ships);
            of.any(|said| said.value.is_some())
        };
        let [android, ios] = [Platform::Android, Platform::Ios].map(|one| !context.app.has(one) || elsewhere(one));
        let span = elvask_markup::Span::new(start + at, start + at + value.len());
        let idle = (android && ios).then(|| "both platforms state it themselves".to_owned());
        add(
            out,
            Said {
                part,
                platform: None,
                of: vec![VERSION_FILE.to_owned()],
                language: None,
                value: Some(value.to_owned()),
                written: None,
                place: Some(Place { file, span }),
                ships: true,
                idle,
            },
        );
    }
}

/// Adds what the owner says in `elvask.toml`.
fn of_owner(context: &Context<'_>, out: &mut Vec<Said>) {
    let Some(file) = context.app.config_file else { return };
    let identity = &context.app.config.identity;
    for (part, platform, text) in [
        (Part::Id, Some(Platform::Android), &identity.android_id),
        (Part::Id, Some(Platform::Ios), &identity.ios_id),
        (Part::Name, None, &identity.name),
        (Part::Version, None, &identity.version),
    ] {
        let Some(text) = text else { continue };
        add(
            out,
            Said {
                part,
                platform,
                of: vec![elvask_project::layout::FILE_NAME.to_owned()],
                language: None,
                value: Some(text.text.clone()),
                written: None,
                place: Some(Place { file, span: text.span }),
                ships: false,
                idle: None,
            },
        );
    }
}

/// Says what decides whether a device replaces the installed app or puts a second one beside it, in sentences.
#[must_use]
pub fn replaces(all: &[Said]) -> Vec<String> {
    let mut out = Vec::new();
    for platform in [Platform::Android, Platform::Ios] {
        let mut ids: Vec<(&str, Vec<String>)> = Vec::new();
        let of_platform = all.iter().filter(|said| said.part == Part::Id && said.platform == Some(platform));
        for said in of_platform.filter(|said| said.place.is_some()) {
            let Some(id) = &said.value else { continue };
            if said.of.iter().all(|of| of.ends_with(".toml")) {
                continue;
            }
            match ids.iter_mut().find(|(known, _)| known == id) {
                Some((_, known)) => known.push(said.who()),
                None => ids.push((id, vec![said.who()])),
            }
        }
        if ids.is_empty() {
            continue;
        }
        let same = match platform {
            Platform::Android => {
                "replaces the installed app where the same key signs it and its versionCode is not lower"
            }
            Platform::Ios => "replaces the installed app where it is of the same team",
        };
        let name = platform.title();
        out.push(format!("{name}: a build of the same id {same}; the name has no part in it."));
        if ids.len() > 1 {
            let each: Vec<String> = ids.iter().map(|(id, of)| format!("{id} ({})", of.join(", "))).collect();
            out.push(format!("{name}: these are installed beside each other: {}.", each.join("; ")));
        }
    }
    out
}
