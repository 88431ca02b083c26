//! What notes show for an example, and every app puts its own in for.
//!
//! From notes only the place and the form of a value are learnt. Ids, keys, hosts, schemes, names of channels and icons become
//! questions to the app's owner. A value that the package's own code holds is the package's, and stays.

#![warn(clippy::wildcard_enum_match_arm)]

use std::cell::RefCell;
use std::collections::BTreeSet;

use elvask_markup::plist::plan::NewValue;
use elvask_platform::Kind;
use elvask_platform::List;
use elvask_platform::native::Family;
use elvask_platform::wording::{ValueUse, placeholder_in};
use elvask_platform::{android, ios};
use elvask_project::files::Files;
use elvask_project::intent::Part;
use elvask_project::threads;

use super::Learned;
use super::gather::Found;
use super::walk::{PackageFile, Tree};
use crate::requirement::Need;
use crate::template::answers_in;

/// A file of native code, its language, and the part of the package that takes it.
type Source<'t> = (&'t PackageFile, Family, Option<String>);

/// Says whether a value of this name is a matter of taste.
pub(crate) fn is_of_taste(name: &str) -> bool {
    words(name).iter().any(|word| List::ValueTaste.has(word))
}

/// Says whether a package may have a class: a file of its code is named so, or lies in the package that the class does, or what its
/// build depends on has a name in common with it.
fn may_have_class(class: &str, sources: &[Source<'_>], artifacts: &[String]) -> bool {
    let (package, short) = class.rsplit_once('.').unwrap_or(("", class));
    let outer = short.split('$').next().unwrap_or(short);
    let folder = package.replace('.', "/");
    let own = |file: &PackageFile| {
        let (parent, name) = file.shown.rsplit_once('/').unwrap_or(("", &file.shown));
        name.split('.').next() == Some(outer) || !folder.is_empty() && parent.ends_with(&folder)
    };
    let common = |word: &&str| word.len() > 3 && !matches!(*word, "android" | "example" | "github" | "google");
    let mut words = package.split('.').filter(common);
    sources.iter().any(|(file, _, _)| own(file))
        || ["androidx.", "android.", "com.google."].iter().any(|start| class.starts_with(start))
        || words.any(|word| artifacts.iter().any(|artifact| artifact.contains(word)))
}

/// How many texts of notes are looked for in a package's own files.
const MAX_ASKED: usize = 200;

/// Turns what the notes show for an example into questions. What the package's own code or resources hold is not an example.
pub(super) fn ask_all(files: &dyn Files, tree: &Tree, sources: &[Source<'_>], noted: &mut Found) {
    let asked = RefCell::new(BTreeSet::new());
    let note = |text: &str| {
        asked.borrow_mut().insert(text.to_owned());
        false
    };
    noted.each_mut().for_each(|learned| ask(&mut learned.clone(), &note));
    // Notes that show more than this are no notes of a package; what is not looked for stays a question.
    let asked: Vec<String> = asked.into_inner().into_iter().take(MAX_ASKED).collect();
    let quoted: Vec<_> = asked.iter().map(|text| memchr::memmem::Finder::new(text).into_owned()).collect();
    let holds = |(file, _, _): &Source<'_>| -> Vec<usize> {
        let bytes = files.read(&file.path).unwrap_or_default();
        let whole = |at: usize, length: usize| {
            let quote = |byte: Option<&u8>| byte.is_some_and(|byte| matches!(byte, b'"' | b'\''));
            quote(at.checked_sub(1).and_then(|at| bytes.get(at))) && quote(bytes.get(at + length))
        };
        let found =
            |finder: &memchr::memmem::Finder<'_>| finder.find_iter(&bytes).any(|at| whole(at, finder.needle().len()));
        quoted.iter().enumerate().filter(|(_, finder)| found(finder)).map(|(at, _)| at).collect()
    };
    let held: BTreeSet<usize> = match asked.is_empty() {
        true => BTreeSet::new(),
        false => threads::map(sources.iter().collect(), threads::FEW, holds).into_iter().flatten().collect(),
    };
    let packages = |text: &str| {
        let resource = text.strip_prefix('@').map(|path| format!("/{path}.xml"));
        let ships = |path: String| tree.files.iter().any(|file| file.shown.ends_with(&path));
        resource.is_some_and(ships) || asked.iter().position(|one| one == text).is_some_and(|at| held.contains(&at))
    };
    noted.each_mut().for_each(|learned| ask(learned, &packages));
}

/// Marks the components whose class is nowhere to be found: `artifacts` is what the package's build depends on, `compiled` whether it
/// brings code that is compiled already.
pub(super) fn look_for_classes(sources: &[Source<'_>], artifacts: &[String], compiled: bool, noted: &mut Found) {
    for learned in noted.each_mut().filter(|learned| learned.kind() == Kind::Component) {
        learned.shown.class_unseen = !compiled && !may_have_class(&learned.name, sources, artifacts);
    }
}

/// Turns what varies from app to app into a question. `packages` says whether the package's own code or resources hold a text.
pub(super) fn ask(learned: &mut Learned, packages: &dyn Fn(&str) -> bool) {
    let name = learned.name.clone();
    let own = |name: &str, text: &str| is_own(name, text) && !(may_be_fixed(text) && packages(text));
    match &mut learned.need {
        Need::MetaData { value, resource, .. } => {
            for text in [value, resource].into_iter().flatten().filter(|text| own(&name, text)) {
                *text = format!("{{{}}}", key_of(&name));
            }
        }
        Need::Attribute { attribute, value, .. } => {
            if is_own_resource(value) && !packages(value) {
                *value = format!("{{{}}}", key_of(attribute));
            }
        }
        Need::Plist { value } => asked_in(value, &name, &own),
        Need::Entitlement { value } => {
            // Any value serves: which one is the owner's to say, and none is ever an example's.
            let example = |value: &NewValue| strings(value).iter().any(|text| own(&name, text));
            *value = value.take().filter(|value| !example(value));
        }
        Need::Filter { filter, .. } => {
            let schemes = filter.all(Part::Scheme);
            let web = !schemes.is_empty() && schemes.iter().all(|scheme| matches!(*scheme, "http" | "https"));
            let Ok(asked) = filter.changed(&|part, text| {
                let open = answers_in(text).is_empty() && !packages(text);
                let asked = if part == Part::Host && web && open {
                    "{host}"
                } else if part == Part::Scheme && is_own_scheme(text) && !packages(text) {
                    "{scheme}"
                } else {
                    text
                };
                Ok::<_, std::convert::Infallible>(asked.to_owned())
            });
            **filter = asked;
            learned.name = filter.name();
        }
        Need::UrlScheme => {
            if is_own_scheme(&name) && !packages(&name) {
                "{scheme}".clone_into(&mut learned.name);
            }
        }
        Need::Domain => {
            if let Some((service, host)) = name.split_once(':').filter(|(_, host)| answers_in(host).is_empty())
                && !packages(host)
            {
                learned.name = format!("{service}:{{host}}");
            }
        }
        Need::Component(component) => {
            let authorities = component.authorities.as_mut();
            if let Some(text) =
                authorities.filter(|text| answers_in(text).is_empty() && !is_built(text) && !packages(text))
            {
                "{authorities}".clone_into(text);
            }
        }
        Need::Permission { .. }
        | Need::Feature { .. }
        | Need::Query(_)
        | Need::Level(_)
        | Need::Gradle { .. }
        | Need::Usage
        | Need::QueryScheme
        | Need::BackgroundMode
        | Need::MinVersion(_)
        | Need::BuildSetting { .. }
        | Need::PrivacyReason { .. }
        | Need::File { .. }
        | Need::Plain { .. }
        | Need::Identity { .. } => {}
    }
}

/// Asks for the texts of a property-list value: those of a dictionary by their own keys.
fn asked_in(value: &mut NewValue, name: &str, own: &dyn Fn(&str, &str) -> bool) {
    match value {
        NewValue::String(text) => {
            let known = ios::plist_key(name).is_some_and(|known| known.values().any(|one| one == text));
            if !known && own(name, text) {
                *text = format!("{{{}}}", key_of(name));
            }
        }
        NewValue::Array(values) => values.iter_mut().for_each(|value| asked_in(value, name, own)),
        NewValue::Dict(entries) => entries.iter_mut().for_each(|(key, value)| asked_in(value, key, own)),
        NewValue::Bool(_) | NewValue::Integer(_) | NewValue::Real(_) => {}
    }
}

fn strings(value: &NewValue) -> Vec<&str> {
    let mut out = Vec::new();
    crate::kinds::collect_texts(value, &mut out);
    out
}

/// Says whether a text of this name varies from app to app.
fn is_own(name: &str, text: &str) -> bool {
    let text = text.trim();
    if text.is_empty() || !answers_in(text).is_empty() || is_built(text) || is_setting(text) {
        return false;
    }
    if is_own_resource(text) || placeholder_in(text, ValueUse::Machine).is_some() {
        return true;
    }
    let named = words(name).iter().any(|word| List::ValueOwn.has(word));
    named || is_of_taste(name) || is_like_an_id(text)
}

/// Says whether a text that looks like an app's own could be one that the package fixes, where its code holds it. An id never is.
fn may_be_fixed(text: &str) -> bool {
    !text.contains('~') && placeholder_in(text, ValueUse::Machine).is_none() && longest_number(text) <= 4
}

/// Returns the length of the longest run of digits in a text.
fn longest_number(text: &str) -> usize {
    text.split(|letter: char| !letter.is_ascii_digit()).map(str::len).max().unwrap_or(0)
}

/// Says whether a text is put in by the platform's build.
fn is_built(text: &str) -> bool {
    text.contains("${") || text.contains("$(") || text.starts_with("@android:")
}

/// Says whether a text only switches or counts something.
fn is_setting(text: &str) -> bool {
    let word = text.to_ascii_lowercase();
    let short_number = text.len() <= 4 && text.chars().all(|letter| letter.is_ascii_digit() || letter == '.');
    short_number || matches!(word.as_str(), "true" | "false" | "yes" | "no" | "required" | "optional" | "none")
}

fn is_own_resource(text: &str) -> bool {
    text.starts_with('@') && text.contains('/') && !text.starts_with("@android:")
}

/// Says whether a text looks like an id, an address or a name that an app gives itself.
fn is_like_an_id(text: &str) -> bool {
    let lower = text.to_ascii_lowercase();
    let example = ["example", "sample", "your", "mydomain", "myapp", "my-app", "my.app", "test"].iter();
    let parts: Vec<&str> = text.split('.').collect();
    let dotted = parts.len() > 2 && parts.iter().all(|part| !part.is_empty() && !part.contains(' '));
    // A class is the package's, unless its name says that it is an example's.
    let class = parts.last().is_some_and(|last| last.starts_with(|first: char| first.is_ascii_uppercase()));
    longest_number(text) > 4
        || text.contains('~')
        || text.contains("://")
        || text.contains('@')
        || example.into_iter().any(|word| lower.contains(word))
        || dotted && !class
        || text.len() >= 20 && text.chars().any(|letter| letter.is_ascii_digit())
}

/// Says whether a scheme of a link is one that an app gives itself.
fn is_own_scheme(scheme: &str) -> bool {
    let lower = scheme.to_ascii_lowercase();
    answers_in(scheme).is_empty()
        && !is_built(scheme)
        && !List::SchemeSystem.has(&lower)
        && !lower.starts_with(android::PERMISSION_PREFIX)
}

/// Returns the words of a name: `com.example.APP_ID` has `app` and `id` for its last part, `KnotAppId` has `knot`, `app`, `id`.
fn words(name: &str) -> Vec<String> {
    let last = name.rsplit('.').next().unwrap_or(name);
    let mut out: Vec<String> = vec![String::new()];
    let letters: Vec<char> = last.chars().collect();
    for (at, letter) in letters.iter().enumerate() {
        let before = at.checked_sub(1).and_then(|at| letters.get(at));
        let after = letters.get(at + 1);
        let rises = letter.is_ascii_uppercase()
            && before.is_some_and(|before| {
                before.is_ascii_lowercase()
                    || before.is_ascii_digit()
                    || before.is_ascii_uppercase() && after.is_some_and(char::is_ascii_lowercase)
            });
        if !letter.is_ascii_alphanumeric() || rises {
            out.push(String::new());
        }
        if let Some(word) = out.last_mut().filter(|_| letter.is_ascii_alphanumeric()) {
            word.push(letter.to_ascii_lowercase());
        }
    }
    out.retain(|word| !word.is_empty());
    out
}

/// Returns the name of the answer that a value of this name is.
fn key_of(name: &str) -> String {
    let key = words(name).join("_");
    if key.is_empty() { "value".to_owned() } else { key }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_varies_from_app_to_app_is_told_from_settings() {
        let own = |name: &str, text: &str| is_own(name, text);
        assert!(own("example.knot.APP_ID", "knot-48210077~1234"));
        assert!(own("example.push.default_notification_channel_id", "high_importance"));
        assert!(own("example.push.default_notification_icon", "@drawable/ic_bell"));
        assert!(own("ExampleServer", "https://api.marram.example"));
        assert!(own("ExampleThing", "com.your.app"));
        assert!(own("ExampleThing", "xxxxxxxx~yyyyyyyy"));
        assert!(!own("example.scan.DEPENDENCIES", "barcode"));
        assert!(!own("example.ar.core", "required"));
        assert!(!own("example.KEY_ENABLED", "true"));
        assert!(!own("example.OPTIONS_CLASS", "org.knot.banner.Options"));
        assert!(!own("example.APP_ID", "${KNOT_APP_ID}") && !own("example.APP_ID", "{app_id}"));
    }

    #[test]
    fn answers_are_named_after_the_value() {
        assert_eq!(key_of("com.knot.banner.APP_ID"), "app_id");
        assert_eq!(key_of("KNOTApplicationIdentifier"), "knot_application_identifier");
        assert_eq!(key_of("knot_deeplinking"), "knot_deeplinking");
    }
}
