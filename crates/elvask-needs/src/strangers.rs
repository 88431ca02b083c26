//! What a package may have written into an app without anybody being asked, and what not.
//!
//! Packages, their sheets and their notes come from strangers. What they ask for is written unasked where it is on a short list; of all
//! else a person is asked by name; and some things notes alone never bring about. `docs/security.md` has the list for people.

use elvask_platform::android::{self, Grant};
use elvask_platform::consent::{Listed, ListedKind, is_platform_key, key_for_all_devices, listed};
use elvask_platform::{Kind, ios};
use elvask_project::intent::{Owner, Part, Query};

use elvask_markup::plist::plan::NewValue;

use crate::requirement::{COMPILE_LEVEL, Component, GradleLine, KEEP_DIRECTIVES, Need};
use crate::template::answers_in;

/// Who asks for something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Origin {
    /// A package's notes, which are prose that was read.
    Notes,
    /// A package's sheet, code, manifest or build files.
    Package,
    /// A fragment that a person has copied and placed: chosen by them, written by somebody else.
    Placed,
    /// The app itself, its owner, or somebody at the keyboard.
    Own,
}

/// What becomes of what is asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verdict {
    /// It is written without a question.
    Written,
    /// A person is asked by name; this is what it means, to stand behind "it".
    Asked(String),
    /// It is never written from there; this is why, in a sentence without a full stop.
    Refused(String),
}

/// What is said of something that no list knows.
const UNKNOWN: &str = "is not among what is written for a package without a question";

fn asked(meaning: &str) -> Verdict {
    Verdict::Asked(meaning.to_owned())
}

fn when(holds: bool, otherwise: &str) -> Verdict {
    if holds { Verdict::Written } else { asked(otherwise) }
}

/// Says what the table has on a name, and asks about what it does not have.
fn by_table(kind: ListedKind, name: &str) -> Verdict {
    match listed(kind, name) {
        Some(Listed::Written) => Verdict::Written,
        Some(Listed::Asked(meaning)) => asked(meaning),
        None => asked(UNKNOWN),
    }
}

/// Says what becomes of a need that a stranger has. `name` is the requirement's name; `named_by_owner` says that a value which only the
/// owner gives is part of it.
#[must_use]
pub fn verdict(origin: Origin, name: &str, named_by_owner: bool, need: &Need) -> Verdict {
    match origin {
        Origin::Own => return Verdict::Written,
        Origin::Placed => return placed(name, need),
        Origin::Package | Origin::Notes => {}
    }
    let notes = origin == Origin::Notes;
    match need {
        Need::Permission { .. } => permission(name, notes),
        Need::Feature { required } => when(!required, "shuts out devices without the feature"),
        Need::MetaData { owner, .. } => when(
            !name.starts_with("android.") && is_set_up_part(owner),
            "is read by the platform itself, or by a part that is not the package's",
        ),
        Need::Query(_) | Need::QueryScheme | Need::Usage | Need::BackgroundMode | Need::PrivacyReason { .. } => {
            Verdict::Written
        }
        Need::Filter { owner, filter } => filter_verdict(owner, filter),
        Need::Component(component) => component_verdict(name, component, notes),
        Need::Attribute { owner, attribute, value } => attribute_verdict(owner, attribute, value),
        Need::Level(level) => {
            // The level to build with may be a preview of the next one.
            let newest = elvask_platform::release::assumed_target_level() + u32::from(name == COMPILE_LEVEL);
            too_new(*level > newest, notes, &format!("level {level} is above the newest one, {newest}"))
        }
        Need::MinVersion(version) => {
            let newest = elvask_platform::release::newest_version();
            too_new(*version > newest, notes, &format!("version {version} is above the newest one, {newest}"))
        }
        Need::Gradle { line, .. } => gradle(name, line, notes),
        Need::Plist { value } => key(name, value),
        Need::UrlScheme => when(named_by_owner, "lets links of a scheme that the package chose open the app"),
        Need::Domain => when(named_by_owner, "lets a website that the package chose speak for the app"),
        Need::Entitlement { value } => entitlement(name, value.as_ref()),
        Need::BuildSetting { value } => setting(name, value),
        Need::File { .. } | Need::Identity { .. } => asked("changes who the app is, or what it is made of"),
        Need::Plain { kind, .. } => match kind {
            Kind::Resource => Verdict::Written,
            _ => asked(UNKNOWN),
        },
    }
}

/// Says what becomes of what a person has copied: it is asked about only where the list says what it would do.
fn placed(name: &str, need: &Need) -> Verdict {
    let told = |kind, name: &str| match listed(kind, name) {
        Some(Listed::Asked(meaning)) => asked(meaning),
        _ => Verdict::Written,
    };
    match need {
        Need::Permission { .. } => told(ListedKind::Permission, name),
        Need::Attribute { owner, attribute, value } => match attribute_verdict(owner, attribute, value) {
            Verdict::Written => Verdict::Written,
            _ => told(ListedKind::Attribute, attribute),
        },
        Need::Plist { .. } => told(ListedKind::Key, key_for_all_devices(name)),
        Need::Entitlement { .. } if name != elvask_project::names::ASSOCIATED_DOMAINS => {
            told(ListedKind::Entitlement, name)
        }
        Need::BuildSetting { .. } => told(ListedKind::Setting, name.split('[').next().unwrap_or(name)),
        Need::Component(component) => match component_verdict(name, component, false) {
            Verdict::Asked(meaning) if is_class_of_a_package(name) => Verdict::Asked(meaning),
            _ => Verdict::Written,
        },
        _ => Verdict::Written,
    }
}

/// Says whether a text has a value in it that only the owner gives.
fn is_owners(text: &str) -> bool {
    !answers_in(text).is_empty()
}

fn too_new(above: bool, notes: bool, why: &str) -> Verdict {
    match (above, notes) {
        (false, _) => Verdict::Written,
        (true, true) => Verdict::Refused(why.to_owned()),
        (true, false) => Verdict::Asked(format!("shuts out nearly all devices: {why}")),
    }
}

fn permission(name: &str, notes: bool) -> Verdict {
    if let Some(Listed::Asked(meaning)) = listed(ListedKind::Permission, name) {
        return asked(meaning);
    }
    let grant = match android::permission(name) {
        Some(known) => known.grant(),
        None if name.starts_with("android.") => return asked("is not a permission that the platform has"),
        None => Grant::Unknown,
    };
    if grant == Grant::Never {
        return asked("is one that only the system's own apps can get");
    }
    match android::store_review(name).filter(|_| notes) {
        Some(_) => asked("is one that the store reviews by hand"),
        None => Verdict::Written,
    }
}

/// Says whether what is put there is part of a set-up: the application, or the screen that the launcher opens.
fn is_set_up_part(owner: &Owner) -> bool {
    match owner {
        Owner::Application | Owner::Launcher => true,
        Owner::Class(class) => is_class_of_a_package(class),
    }
}

/// Says whether a class can be a package's own: it is written in full, and is none of the platform's.
fn is_class_of_a_package(class: &str) -> bool {
    let platforms = ["android.", "androidx.", "com.android.", "java.", "javax.", "kotlin.", "dalvik."];
    class.contains('.') && !class.starts_with('.') && !platforms.iter().any(|prefix| class.starts_with(prefix))
}

/// The actions of the platform for which the screen of the launcher, which all apps can start in any case, may be given a filter.
const OPENING: [&str; 5] = [
    "android.intent.action.VIEW",
    "android.intent.action.SEND",
    "android.intent.action.SEND_MULTIPLE",
    "android.intent.action.PROCESS_TEXT",
    "android.nfc.action.NDEF_DISCOVERED",
];

fn filter_verdict(owner: &Owner, filter: &Query) -> Verdict {
    if !matches!(owner, Owner::Launcher) {
        return asked("opens a part of the app to all other apps");
    }
    let opening = |action: &&str| OPENING.contains(action) || !action.starts_with("android.");
    if !filter.all(Part::Action).iter().all(opening) {
        return asked("makes the app answer to something that the system itself sends");
    }
    let home = |category: &String| category.ends_with(".HOME") || category.ends_with("_LAUNCHER");
    if filter.categories.iter().any(home) {
        return asked("puts the app in the place of the device's home screen");
    }
    // A scheme or host of the package's own choice would take links that belong to others.
    let (schemes, hosts) = (filter.all(Part::Scheme), filter.all(Part::Host));
    let web = |scheme: &&str| scheme.eq_ignore_ascii_case("http") || scheme.eq_ignore_ascii_case("https");
    let known = |scheme: &&str| is_owners(scheme) || web(scheme) || matches!(*scheme, "content" | "file");
    let all_of_the_web = schemes.iter().any(web) && hosts.is_empty();
    let foreign = !schemes.iter().all(known) || !hosts.iter().all(|host| is_owners(host)) || all_of_the_web;
    when(!foreign, "lets links that the package chose open the app")
}

fn component_verdict(name: &str, component: &Component, notes: bool) -> Verdict {
    let needs_system = component.permission.as_deref().and_then(|permission| {
        match listed(ListedKind::ComponentPermission, permission) {
            Some(Listed::Asked(meaning)) => Some(meaning),
            _ => None,
        }
    });
    if let Some(meaning) = needs_system {
        return asked(meaning);
    }
    if component.element == "provider" {
        return asked("exposes data of the app to other apps");
    }
    if component.permission.as_deref().is_some_and(|permission| permission.trim().is_empty()) {
        return asked("takes away the permission that guards a part of the app");
    }
    let exported = component.exported.unwrap_or(!component.actions.is_empty());
    if exported {
        return match notes {
            true => Verdict::Refused("notes by themselves open no part of the app to other apps".to_owned()),
            false => asked("opens a part of the app to all other apps"),
        };
    }
    when(
        is_class_of_a_package(name) && matches!(component.element.as_str(), "activity" | "service" | "receiver"),
        "names a part that is not the package's own",
    )
}

fn attribute_verdict(owner: &Owner, attribute: &str, value: &str) -> Verdict {
    // A screen that the launcher opens is open to all in any case, and must say so.
    if attribute == "exported" && matches!(owner, Owner::Launcher) && value == "true" {
        return Verdict::Written;
    }
    match by_table(ListedKind::Attribute, attribute) {
        Verdict::Written if !is_set_up_part(owner) => asked("changes a part that is not the package's own"),
        verdict => verdict,
    }
}

/// Says what becomes of a key of the property list, for all devices and platforms for which it can be written.
fn key(name: &str, value: &NewValue) -> Verdict {
    let plain = key_for_all_devices(name);
    match listed(ListedKind::Key, plain) {
        Some(Listed::Written) => Verdict::Written,
        Some(Listed::Asked(meaning)) => asked(meaning),
        None if ios::usage_key(plain).is_some() => {
            // A purpose is its owner's to word.
            let text = matches!(value, NewValue::String(text) if is_owners(text));
            when(text, "words a purpose, which is read by people before they agree")
        }
        None => when(!is_platform_key(plain), UNKNOWN),
    }
}

fn entitlement(name: &str, value: Option<&NewValue>) -> Verdict {
    if name == elvask_project::names::ASSOCIATED_DOMAINS {
        let owned = match value {
            Some(NewValue::Array(values)) => {
                values.iter().all(|value| matches!(value, NewValue::String(text) if is_owners(text)))
            }
            _ => false,
        };
        return when(owned, "lets a website that the package chose speak for the app");
    }
    match listed(ListedKind::Entitlement, name) {
        Some(Listed::Written) => Verdict::Written,
        Some(Listed::Asked(meaning)) => asked(meaning),
        None => when(ios::entitlement(name).is_some(), "is not an entitlement of an iOS app that is known"),
    }
}

fn setting(name: &str, value: &str) -> Verdict {
    // What goes for some devices or configurations alone is written `NAME[sdk=iphoneos*]`.
    let plain = name.split('[').next().unwrap_or(name);
    if let Some(made) = plain.strip_prefix("INFOPLIST_KEY_") {
        return key(made, &NewValue::String(value.to_owned()));
    }
    by_table(ListedKind::Setting, plain)
}

/// The configurations with which a package's own libraries may come.
const CONFIGURATIONS: [&str; 3] = ["implementation", "api", "classpath"];

fn gradle(name: &str, line: &GradleLine, notes: bool) -> Verdict {
    match line {
        GradleLine::Dependency { .. } if notes => {
            Verdict::Refused("notes by themselves add no library to the build".to_owned())
        }
        GradleLine::Dependency { configuration, version } => when(
            CONFIGURATIONS.contains(&configuration.as_str())
                && is_coordinate(name)
                && version.as_deref().is_none_or(is_plain_version),
            "adds something to the build other than a library of the app",
        ),
        GradleLine::Plugin { .. } => asked("runs code of others on the computer that builds the app"),
        GradleLine::Repository | GradleLine::PluginRepository => match by_table(ListedKind::Repository, name) {
            Verdict::Written => Verdict::Written,
            _ => asked("lets code for the app come from another place"),
        },
        GradleLine::KeepRule => when(is_plain_keep_rule(name), "tells the shrinker more than what to keep"),
    }
}

fn is_coordinate(name: &str) -> bool {
    let plain = |part: &str| {
        !part.is_empty()
            && part.chars().all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '-' | '_'))
    };
    matches!(name.split_once(':'), Some((group, artifact)) if plain(group) && plain(artifact))
}

fn is_plain_version(version: &str) -> bool {
    version.chars().all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '-' | '_'))
}

/// Says whether a rule does no more than keep: one directive of the family `-keep`, without modifiers.
fn is_plain_keep_rule(rule: &str) -> bool {
    let rule = rule.trim();
    let Some((directive, rest)) = rule.split_once(char::is_whitespace) else { return false };
    let dash = rest
        .split(|letter: char| letter.is_whitespace() || matches!(letter, '{' | '}' | ';'))
        .any(|word| word.starts_with('-') || word.starts_with('@') && word.len() == 1);
    let broad = rest.trim_start_matches("class").trim_start().starts_with("** {");
    KEEP_DIRECTIVES.contains(&directive) && !dash && !rest.contains(['\n', '#', '"', '\'']) && !broad
}
