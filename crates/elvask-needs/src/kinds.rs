//! The kinds of requirement and declaration: one file each, listed once in [`KINDS`].
//!
//! A kind knows everything about itself and nothing of the others: what it is called and where it belongs, how a sheet states
//! it, where an app declares it, when that is enough, how the wants of several plugins go together, and what puts it in or takes
//! it out. Reading and writing sheets, their schema, `check`, `survey`, `why`, `withdraw`, `trim` and `place` go through the list.

#![warn(clippy::wildcard_enum_match_arm)]

mod stated;
pub(crate) mod toml;

pub mod android;
pub(crate) mod both;
pub mod ios;

use elvask_markup::Edit;
use elvask_markup::plist::plan::NewValue;
use elvask_platform::capability::CapabilityNeed;
use elvask_platform::{Kind, Platform};
use elvask_project::scene::Scene;
use elvask_project::source::{FileId, Place};
use elvask_project::surface::Effective;
use elvask_project::tomldoc::Problem;
use serde_json::Value as Json;

use crate::remedy::{Remedy, Want};
use crate::requirement::Need;
use crate::section::Section;

pub use stated::Stated;
pub use stated::{collect_texts, is_scheme, problem};

/// What there is to know about a kind.
#[derive(Debug)]
pub struct KindAbout {
    /// The kind.
    pub kind: Kind,
    /// The key under which a sheet states it, below the platform's where it belongs to one: `permission`. `None` for what no sheet
    /// can state.
    pub key: Option<&'static str>,
    /// What the value under the key holds, for the documentation.
    pub states: &'static str,
    /// Two entries of a sheet that state two different things of the kind; the tests of all kinds are made of them. Answers in
    /// them are named `answer`.
    pub examples: [&'static str; 2],
    /// The heading under which it is listed.
    pub section: Section,
    /// The document of the platform, and the place in it, that it is written into.
    pub spot: Spot,
    /// What it means for an app when code or notes of a package ask for it.
    pub asks: Asks,
    /// Whether what declares it can be written by a machine; else a person puts it there.
    pub is_written: bool,
    /// Whether what was written can be taken out again; not so where a value took the place of another one.
    pub is_removed: bool,
}

/// The documents of the platforms, and the places in them, that declarations are written into.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Spot {
    /// The permissions of the manifest.
    Permissions,
    /// What else stands in the manifest itself.
    Manifest,
    /// `<application>`.
    Application,
    /// An activity.
    Activity,
    /// The attributes of an element of the manifest.
    Attributes,
    /// The levels and versions that an app runs on.
    Levels,
    /// The Gradle files.
    Gradle,
    /// The resources.
    Resources,
    /// The property list.
    PropertyList,
    /// The URL types of the property list.
    UrlTypes,
    /// The entitlements.
    Entitlements,
    /// The associated domains of the entitlements.
    Domains,
    /// The build settings.
    BuildSettings,
    /// The privacy manifest.
    PrivacyManifest,
    /// A file of its own.
    Files,
    /// Who the app is.
    Identity,
}

/// What it means for an app when code or notes of a package ask for a thing of a kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Asks {
    /// The store looks for the text in every app that has the code.
    Purpose,
    /// The system asks a person, or grants it.
    Permission,
    /// The app is signed for it.
    Signing,
    /// The app looks for other apps.
    OtherApps,
    /// A reason that is wanted for code that is compiled in.
    Reason,
    /// What the app runs on.
    Level,
    /// What others see of the app, and which devices it is for, which is its owner's to say.
    OwnersChoice,
    /// A value, which may be a matter of taste.
    Value,
    /// It is needed, or it is not.
    Plain,
}

/// One thing that an entry of a sheet asks for.
#[derive(Debug, Clone, PartialEq)]
pub struct Asking {
    /// What identifies it to the platform.
    pub name: String,
    /// What exactly.
    pub need: Need,
}

/// One thing that the app's own files declare.
#[derive(Debug, Clone)]
pub struct Declared {
    /// What identifies it to the platform.
    pub name: String,
    /// Where it stands.
    pub place: Place,
    /// What takes it out, and nothing beside it.
    pub removal: Vec<(FileId, Vec<Edit>)>,
}

impl Declared {
    /// Makes one that edits of one file take out.
    fn new(name: impl Into<String>, place: Place, edits: Vec<Edit>) -> Self {
        Declared { name: name.into(), place, removal: vec![(place.file, edits)] }
    }
}

/// The side of an app on which something is looked for.
#[derive(Clone, Copy)]
pub enum Side<'v, 'd> {
    /// One variant on Android.
    Android(&'v Effective<'d>),
    /// The target that is judged on iOS.
    Ios,
}

/// What comes of holding what is declared against what is wanted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Match {
    /// It is declared as it is wanted, or what is declared cannot be known without a build.
    Meets,
    /// It is declared in another way: in what, in a few words.
    Differs(String),
    /// It is not declared.
    Absent,
}

impl Match {
    /// Meets where something holds, is absent where it does not.
    fn when(holds: bool) -> Match {
        if holds { Match::Meets } else { Match::Absent }
    }
}

/// What the wants of several plugins for one thing come to.
#[derive(Debug, Clone, PartialEq)]
pub enum Joined {
    /// One need serves all of them.
    One(Need),
    /// They want different values, of which only one can be; in words.
    Clash(Vec<String>),
}

/// What the app's owner says when something is to be written.
pub trait Answering {
    /// Puts the answers of the plugin into a text.
    ///
    /// # Errors
    /// What is wanted of the owner first.
    fn text(&self, template: &str) -> Result<String, Vec<Want>>;

    /// Puts the answers of the plugin into a property-list value.
    ///
    /// # Errors
    /// What is wanted of the owner first.
    fn value(&self, template: &NewValue) -> Result<NewValue, Vec<Want>>;

    /// Returns the purpose that the owner gives for a key, or the question for it.
    ///
    /// # Errors
    /// The question.
    fn purpose(&self, key: &str) -> Result<String, Want>;
}

/// A kind of requirement and declaration.
///
/// Methods that get a [`Need`] get one of their own kind; of another one they say nothing.
pub trait KindSpec: Sync {
    /// Returns what there is to know about it.
    fn about(&self) -> &'static KindAbout;

    /// Reads the value under its key in a sheet.
    fn read(&self, _stated: &Stated<'_, '_>, _problems: &mut Vec<Problem>) -> Vec<Asking> {
        Vec::new()
    }

    /// Returns the line of a sheet that states a need; `None` where a sheet has none for it.
    fn write(&self, name: &str, need: &Need) -> Option<String>;

    /// Returns the schema of the value under its key in a sheet.
    fn schema(&self) -> Json {
        Json::Null
    }

    /// Returns the need that a row of the tables of facts states; `None` where they state none of the kind.
    fn of_fact(&self, _name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        None
    }

    /// Returns the texts of a need in which answers may stand.
    fn texts<'n>(&self, _need: &'n Need) -> Vec<&'n str> {
        Vec::new()
    }

    /// Puts answers into a need.
    ///
    /// # Errors
    /// What is wanted of the owner first.
    fn filled(&self, need: &Need, _answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        Ok(need.clone())
    }

    /// Returns the value that goes with the name, in one line, where there is one.
    fn value(&self, _need: &Need) -> Option<String> {
        None
    }

    /// Returns what exactly is needed where that is more than the name, for people.
    fn detail(&self, need: &Need) -> Option<String> {
        self.value(need)
    }

    /// Says where it belongs, and why there.
    fn belongs(&self, name: &str, need: &Need) -> String;

    /// Returns what it is called in a sentence.
    fn called(&self, name: &str) -> String {
        name.to_owned()
    }

    /// Goes through what the app's own files declare of the kind.
    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared>;

    /// Goes through those at least that have a name that is wanted. Kinds of which an app can declare very many, and whose names are
    /// compared letter for letter, leave the others out.
    fn declared_of(&self, scene: &Scene<'_>, _wanted: &dyn Fn(&str) -> bool) -> Vec<Declared> {
        self.declared(scene)
    }

    /// Says whether a need is about a declaration of a name at a place.
    fn is_about(&self, _scene: &Scene<'_>, declared: (&str, Place), wanted: (&str, &Need)) -> bool {
        declared.0 == wanted.0
    }

    /// Returns what the app's own files declare of what a need asks for, with what takes it out.
    fn found(&self, scene: &Scene<'_>, name: &str, need: &Need) -> Vec<Declared> {
        let mut all = self.declared_of(scene, &|declared| declared == name);
        all.retain(|one| self.is_about(scene, (&one.name, one.place), (name, need)));
        all
    }

    /// Holds what one side of the app declares against a need. A text with an answer that is not known yet fits any.
    fn compare(&self, scene: &Scene<'_>, side: Side<'_, '_>, name: &str, need: &Need) -> Match;

    /// Says whether two needs of one name ask for one thing.
    fn is_same(&self, _one: &Need, _other: &Need) -> bool {
        true
    }

    /// Returns the value about which two plugins can disagree, for people.
    fn disputed(&self, _need: &Need) -> Option<String> {
        None
    }

    /// Brings together what several plugins want of one thing. There is at least one.
    fn join(&self, _name: &str, needs: &[&Need]) -> Option<Joined> {
        let first = needs.first().map(|first| (*first).clone())?;
        let values = distinct(needs.iter().filter_map(|need| self.disputed(need)));
        Some(if values.len() > 1 { Joined::Clash(values) } else { Joined::One(first) })
    }

    /// Says whether a rule of its own speaks of it already: it is there misspelt, misplaced or taken out.
    fn is_told_elsewhere(&self, _scene: &Scene<'_>, _name: &str, _need: &Need) -> bool {
        false
    }

    /// Says that it is absent, in a sentence without a full stop: `only` says where (` in freeRelease`, or nothing), `who` who
    /// needs it (`a and b need`).
    fn absent(&self, name: &str, need: &Need, only: &str, who: &str) -> String;

    /// Returns where it goes and what puts it there; `None` where the app has nothing to put it into.
    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, answering: &dyn Answering) -> Option<(Place, Remedy)>;

    /// Returns where it goes and the lines that will be written, with an ellipsis for what is wanted first.
    fn lines(&self, _scene: &Scene<'_>, _name: &str, _need: &Need) -> Option<(Place, String)> {
        None
    }
}

/// All kinds, each at the place that it has in [`Kind::ALL`].
pub static KINDS: [&dyn KindSpec; Kind::ALL.len()] = [
    &android::permission::Permission,
    &android::feature::Feature,
    &android::meta_data::MetaData,
    &android::query::Query,
    &android::filter::Filter,
    &android::component::Component,
    &android::attribute::Attribute,
    &android::level::Level,
    &android::gradle::Gradle,
    &android::resource::Resource,
    &ios::usage::Usage,
    &ios::plist::Plist,
    &ios::query_scheme::QueryScheme,
    &ios::url_scheme::UrlScheme,
    &ios::domain::Domain,
    &ios::background_mode::BackgroundMode,
    &ios::entitlement::Entitlement,
    &ios::min_version::MinVersion,
    &ios::build_setting::BuildSetting,
    &ios::privacy_reason::PrivacyReason,
    &both::file::File,
    &both::identity::Identity,
];

/// Returns all that is known of a kind.
#[must_use]
pub fn spec(kind: Kind) -> &'static dyn KindSpec {
    // A test holds the order of the list against that of the kinds.
    KINDS.get(kind as usize).copied().unwrap_or(&both::file::File)
}

/// Returns the kind that a sheet states under a key, below a platform's key where there is one.
#[must_use]
pub fn of_key(platform: Option<Platform>, key: &str) -> Option<&'static dyn KindSpec> {
    KINDS
        .iter()
        .copied()
        .find(|spec| spec.about().key.is_some_and(|known| known == key) && spec.about().kind.platform() == platform)
}

/// Returns the keys below a platform's key of a sheet, in the order of the kinds.
#[must_use]
pub fn keys(platform: Platform) -> Vec<&'static str> {
    let of = KINDS.iter().map(|spec| spec.about()).filter(|about| about.kind.platform() == Some(platform));
    of.filter_map(|about| about.key).collect()
}

/// Returns what the tables of the platforms ask for with a kind, a name, a value and a cap; `None` where they can ask for none of
/// the kind.
#[must_use]
pub fn of_fact(kind: Kind, name: &str, value: &str, max_level: Option<u32>) -> Option<Need> {
    spec(kind).of_fact(name, value, max_level)
}

/// Returns what a part of a capability asks for.
#[must_use]
pub fn of_part(part: &CapabilityNeed) -> Option<Need> {
    of_fact(part.kind, part.name, part.value, part.max_level)
}

impl Need {
    /// Returns the value that goes with the name, in one line, where there is one.
    #[must_use]
    pub fn value(&self) -> Option<String> {
        spec(self.kind()).value(self)
    }
}

/// Says whether the app declares what a need asks for, on every variant that is judged.
#[must_use]
pub fn is_met(scene: &Scene<'_>, name: &str, need: &Need) -> bool {
    let spec = spec(need.kind());
    match need.platform() {
        Platform::Android => {
            let meets = |variant| spec.compare(scene, Side::Android(variant), name, need) == Match::Meets;
            !scene.variants.is_empty() && scene.variants.iter().all(meets)
        }
        Platform::Ios => spec.compare(scene, Side::Ios, name, need) == Match::Meets,
    }
}

/// Returns values in their order, each once.
fn distinct(values: impl Iterator<Item = String>) -> Vec<String> {
    let mut values: Vec<_> = values.collect();
    values.sort();
    values.dedup();
    values
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_stands_at_its_place() {
        for (kind, spec) in Kind::ALL.iter().zip(KINDS) {
            assert_eq!(*kind, spec.about().kind);
        }
    }

    #[test]
    fn a_key_leads_to_one_kind() {
        for spec in KINDS {
            let about = spec.about();
            let Some(key) = about.key else { continue };
            assert_eq!(of_key(about.kind.platform(), key).unwrap().about().kind, about.kind);
        }
    }
}
