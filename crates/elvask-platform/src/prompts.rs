//! The dialogs, pages and screens by which the platforms ask people for access.

use std::sync::OnceLock;

use crate::table::{rows, with_key};
use crate::{Confidence, Platform, Version};

/// How a system asks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PromptForm {
    /// A dialog.
    Dialog,
    /// A page of the system with several switches.
    Sheet,
    /// A screen of the settings, to which the app shows the way.
    Screen,
    /// As a part of another dialog.
    With,
    /// Not at all.
    None,
}

impl PromptForm {
    const ALL: [(&str, PromptForm); 5] = [
        ("dialog", PromptForm::Dialog),
        ("sheet", PromptForm::Sheet),
        ("screen", PromptForm::Screen),
        ("with", PromptForm::With),
        ("none", PromptForm::None),
    ];

    /// Returns the word for it in JSON.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, one)| *one == self).map_or("none", |(word, _)| word)
    }
}

/// A way in which a system asks for one thing, in some of its levels.
#[derive(Debug, Clone)]
pub struct PromptSpec {
    /// What it is about, the same at all levels: `camera`.
    pub id: &'static str,
    /// The platform.
    pub platform: Platform,
    /// The first level or version that has it.
    pub from: Version,
    /// The first one that has it no more.
    pub until: Option<Version>,
    /// How it asks.
    pub form: PromptForm,
    /// What of an app it is for, the first one that is declared decides.
    pub about: Vec<PromptSubject>,
    /// What it covers as well.
    pub covers: Vec<PromptSubject>,
    /// When an app usually asks: the lowest first.
    pub rank: u32,
    /// The one that must be granted before.
    pub after: Option<&'static str>,
    /// What can be chosen, from top to bottom.
    pub buttons: Vec<Button>,
    title: &'static str,
    also: Option<&'static str>,
    /// What opens it: a call, an action, or what the app does.
    pub asked_by: &'static str,
    /// The page of the platform's documentation on it, by its title.
    pub source: &'static str,
    /// How sure it is.
    pub confidence: Confidence,
}

/// What of an app a dialog is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PromptSubject {
    /// A permission.
    Permission(&'static str),
    /// All permissions that start so.
    Permissions(&'static str),
    /// A key with a purpose.
    Usage(&'static str),
    /// An entitlement.
    Entitlement(&'static str),
    /// A capability that some plugin asks for: it wants nothing declared.
    Capability(&'static str),
}

impl PromptSubject {
    fn read(word: &'static str) -> Self {
        if let Some(rest) = word.strip_prefix("entitlement:") {
            return PromptSubject::Entitlement(rest);
        }
        if let Some(rest) = word.strip_prefix("capability:") {
            return PromptSubject::Capability(rest);
        }
        match word.strip_suffix('*') {
            Some(start) => PromptSubject::Permissions(start),
            None if word.ends_with("Description") => PromptSubject::Usage(word),
            None => PromptSubject::Permission(word),
        }
    }
}

/// A button, or what else can be chosen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Button {
    /// The words on it.
    pub label: &'static str,
    /// What is chosen with it.
    pub choice: Choice,
    /// How long and how much is given, in words without a full stop.
    pub means: &'static str,
    /// What comes back to the app.
    pub answer: &'static str,
}

/// What a person chooses.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Choice {
    /// Access, until it is taken back.
    Allow,
    /// Access at all times, in the background too.
    Always,
    /// Access while the app is used.
    Used,
    /// Access for this time.
    Once,
    /// To be asked each time.
    Ask,
    /// Access to what the person has picked.
    Limited,
    /// Adding alone.
    Add,
    /// No access.
    Deny,
    /// Access, until a switch is turned off.
    On,
    /// No access, until a switch is turned on.
    Off,
}

impl Choice {
    const ALL: [(&str, Choice); 10] = [
        ("allow", Choice::Allow),
        ("always", Choice::Always),
        ("used", Choice::Used),
        ("once", Choice::Once),
        ("ask", Choice::Ask),
        ("limited", Choice::Limited),
        ("add", Choice::Add),
        ("deny", Choice::Deny),
        ("on", Choice::On),
        ("off", Choice::Off),
    ];

    /// Returns the word for it in JSON.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, one)| *one == self).map_or("deny", |(word, _)| word)
    }
}

impl PromptSpec {
    /// Returns the title, which of a screen is the way to it, with the app's name in it.
    #[must_use]
    pub fn title(&self, app: &str) -> String {
        self.title.replace("{app}", app)
    }

    /// Returns what else there is to know, in a sentence. `target` is the level that the app targets, where it targets one.
    #[must_use]
    pub fn also(&self, target: Option<u32>) -> Option<&'static str> {
        let also = self.also?;
        match also.strip_prefix("target<").and_then(|rest| rest.split_once(": ")) {
            Some((level, said)) => (target? < level.parse().ok()?).then_some(said),
            None => Some(also),
        }
    }

    /// Says whether a level or version has it.
    #[must_use]
    pub fn is_of(&self, level: Version) -> bool {
        self.from <= level && self.until.is_none_or(|until| level < until)
    }
}

/// Returns all of them, those of one thing in the order of levels.
///
/// Sources: "Request runtime permissions" and "Requesting access to protected resources" in the platforms' developer documentation; each
/// row names its own.
#[must_use]
pub fn prompts() -> &'static [PromptSpec] {
    static TABLE: OnceLock<Vec<PromptSpec>> = OnceLock::new();
    TABLE.get_or_init(|| rows(include_str!("../data/prompts.tsv")).filter_map(read).collect())
}

fn read(row: crate::table::Row) -> Option<PromptSpec> {
    let platform = [Platform::Android, Platform::Ios].into_iter().find(|platform| platform.id() == row.cell(1))?;
    let some = |text: &'static str| Some(text).filter(|text| !text.is_empty());
    let words = row.words(5);
    let (covers, about): (Vec<_>, Vec<_>) = words.into_iter().partition(|word| word.starts_with('+'));
    Some(PromptSpec {
        id: row.cell(0),
        platform,
        from: Version::parse(row.cell(2))?,
        until: Version::parse(row.cell(3)),
        form: PromptForm::ALL.iter().find(|(word, _)| *word == row.cell(4))?.1,
        about: about.into_iter().map(PromptSubject::read).collect(),
        covers: covers.into_iter().map(|word| PromptSubject::read(word.trim_start_matches('+'))).collect(),
        rank: row.number(6)?,
        after: some(row.cell(7)),
        buttons: buttons(platform, row.cell(8), row.cell(12)),
        title: row.cell(9),
        also: some(row.cell(10)),
        asked_by: row.cell(11),
        source: row.cell(13),
        confidence: Confidence::of(row.cell(14)),
    })
}

/// Returns the buttons of a name, with what comes back for each: `allow: .authorized; deny: .denied`.
fn buttons(platform: Platform, name: &str, answers: &'static str) -> Vec<Button> {
    let answer = |word: &str| {
        let mut all = answers.split("; ").filter_map(|one| one.split_once(": "));
        all.find(|(chosen, _)| *chosen == word).map(|(_, answer)| answer).unwrap_or_default()
    };
    let means = |word: &str| {
        let mut table = with_key(include_str!("../data/prompt-choices.tsv"), word);
        table.find(|row| row.cell(1) == platform.id()).map(|row| row.cell(2)).unwrap_or_default()
    };
    let of_name = with_key(include_str!("../data/prompt-buttons.tsv"), name);
    let button = |row: crate::table::Row| {
        let word = row.cell(2);
        let choice = Choice::ALL.iter().find(|(known, _)| *known == word)?.1;
        Some(Button { label: row.cell(1), choice, means: means(word), answer: answer(word) })
    };
    of_name.filter_map(button).collect()
}

/// How much of a text a dialog shows at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Room {
    /// The letters of a line.
    pub letters: usize,
    /// The lines.
    pub lines: usize,
}

/// Returns how much of a purpose the dialog of a platform shows before a person must scroll, at the letters' usual size on a narrow telephone.
/// No platform documents it: it is approximate, and larger letters leave less.
#[must_use]
pub fn room(platform: Platform) -> Room {
    let of = |what: &str| {
        let mut table = with_key(include_str!("../data/platform.tsv"), what);
        let row = table.find(|row| row.cell(1) == platform.id());
        row.and_then(|row| row.number(2)).unwrap_or(40) as usize
    };
    Room { letters: of("prompt-letters"), lines: of("prompt-lines") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_is_read_and_has_its_buttons_and_answers() {
        assert_eq!(prompts().len(), rows(include_str!("../data/prompts.tsv")).count());
        for one in prompts() {
            assert_eq!(one.buttons.is_empty(), one.form == PromptForm::None, "{}", one.id);
            for button in &one.buttons {
                let why = format!("{} {}: {}", one.platform.id(), one.id, button.label);
                assert!(!button.means.is_empty() && !button.answer.is_empty(), "{why}");
            }
            assert!(one.until.is_none_or(|until| until > one.from), "{}", one.id);
        }
    }

    #[test]
    fn what_a_row_is_about_is_known_to_the_other_tables() {
        for subject in prompts().iter().flat_map(|one| one.about.iter().chain(&one.covers)) {
            match subject {
                PromptSubject::Permission(name) => assert!(crate::android::permission(name).is_some(), "{name}"),
                PromptSubject::Usage(key) => assert!(crate::ios::usage_key(key).is_some(), "{key}"),
                PromptSubject::Capability(name) => assert!(crate::capability::capability(name).is_some(), "{name}"),
                PromptSubject::Permissions(start) => assert!(start.ends_with('.'), "{start}"),
                PromptSubject::Entitlement(key) => assert!(crate::ios::entitlement(key).is_some(), "{key}"),
            }
        }
    }

    #[test]
    fn every_permission_that_is_asked_for_has_a_dialog_somewhere() {
        let asked = |name: &str| {
            let is_it = |subject: &PromptSubject| match subject {
                PromptSubject::Permission(known) => *known == name,
                PromptSubject::Permissions(start) => name.starts_with(start),
                _ => false,
            };
            prompts().iter().any(|one| one.about.iter().chain(&one.covers).any(is_it))
        };
        let of_the_store = |one: &crate::android::Permission| one.last_level.is_none() && one.group().is_some();
        let without: Vec<_> = crate::android::permissions()
            .filter(of_the_store)
            .map(|one| one.name)
            .filter(|name| !asked(name))
            .collect();
        assert_eq!(without, Vec::<&str>::new());
    }

    #[test]
    fn what_holds_for_lower_targets_alone_is_said_of_those() {
        let one = prompts().iter().find(|one| one.id == "notifications" && one.platform == Platform::Android).unwrap();
        assert!(one.also(Some(32)).unwrap().starts_with("An app that targets a level below 33"));
        assert_eq!((one.also(Some(33)), one.also(None)), (None, None));
        assert!(
            prompts()
                .iter()
                .filter_map(|one| one.also)
                .all(|also| !also.starts_with("target") || also.starts_with("target<33: "))
        );
    }

    #[test]
    fn of_one_thing_there_is_one_row_for_each_level() {
        for one in prompts() {
            let same = |other: &&PromptSpec| other.id == one.id && other.platform == one.platform;
            let beside = prompts().iter().filter(same).filter(|other| other.about == one.about);
            assert_eq!(beside.filter(|other| other.is_of(one.from)).count(), 1, "{} {}", one.id, one.from);
        }
    }
}
