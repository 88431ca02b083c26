//! The dialogs for access as a person would meet them, from what the app declares and its owner's texts.

use elvask_platform::android;
use elvask_platform::ios::{self, WithoutPurpose};
use elvask_platform::prompts::{PromptForm, PromptSpec, PromptSubject, Room, prompts, room};
use elvask_platform::release::{newest_level, newest_version};
use elvask_platform::{Kind, Level, Platform, Version};
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::NeededBy;
use crate::identity::{Part, Said, said};
use crate::needs::Requirement;
use crate::survey::{Declaration, Survey};

/// What device and what language to look at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Device<'l> {
    /// The platform.
    pub platform: Platform,
    /// Its level or version; the newest known one without.
    pub level: Option<Version>,
    /// The language of the device, as in the app's folders: `nl`; the app's own without.
    pub language: Option<&'l str>,
}

/// What a person meets on one device.
#[derive(Debug, Clone)]
pub struct Met {
    /// The platform.
    pub platform: Platform,
    /// Its level or version.
    pub level: Version,
    /// The language that was asked for.
    pub language: Option<String>,
    /// The name under which the app asks; `None` where only the build knows it.
    pub name: Option<String>,
    /// The languages in which the app has texts for this platform, the own one first where it is known.
    pub languages: Vec<String>,
    /// What is asked, in the order in which apps usually ask.
    pub prompts: Vec<Prompt>,
    /// Permissions that are asked for at run time, by a dialog that is not described here.
    pub undescribed: Vec<String>,
}

impl Met {
    /// Returns the level or version as people write it: `36`, `26.0`.
    #[must_use]
    pub fn level_text(&self) -> String {
        level_text(self.platform, self.level)
    }
}

/// Returns a level or version as people write it: `36`, `26.0`.
#[must_use]
pub fn level_text(platform: Platform, level: Version) -> String {
    let text = level.to_string();
    match platform {
        Platform::Android => text.trim_end_matches(".0").to_owned(),
        Platform::Ios => text,
    }
}

/// One thing that is asked, or is not, though it should be.
#[derive(Debug, Clone)]
pub struct Prompt {
    /// How the system asks.
    pub spec: &'static PromptSpec,
    /// The title with the app's name; of a screen the way to it.
    pub title: String,
    /// What else there is to know of it, in a sentence.
    pub also: Option<&'static str>,
    /// The purpose in it, where the system shows one.
    pub purpose: Option<Shown>,
    /// The purpose in the other languages of the app; `None` where a language has no text of its own.
    pub others: Vec<(String, Option<String>)>,
    /// What happens in its place, in a sentence, where it does not appear.
    pub instead: Option<String>,
    /// The declarations behind it.
    pub behind: Vec<Behind>,
    /// The plugins that need them.
    pub needed_by: Vec<NeededBy>,
    /// What is otherwise on other levels that the app runs on, in phrases.
    pub elsewhere: Vec<String>,
}

impl Prompt {
    /// Returns what it is about, for a heading: `Camera`.
    #[must_use]
    pub fn heading(&self) -> String {
        let words = self.spec.id.replace('-', " ");
        // So short, it is an abbreviation.
        if words.len() <= 3 {
            return words.to_uppercase();
        }
        let mut letters = words.chars();
        letters.next().map(|first| format!("{}{}", first.to_uppercase(), letters.as_str())).unwrap_or_default()
    }
}

/// A declaration behind a dialog.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Behind {
    /// Its kind.
    pub kind: &'static str,
    /// What identifies it.
    pub name: String,
    /// Where it stands; `None` where it is needed and not there.
    pub place: Option<Place>,
    /// The variants or configurations that have it, where not all have.
    pub only_in: Vec<String>,
}

/// A purpose as a dialog shows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shown {
    /// The whole text.
    pub text: String,
    /// Where it stands.
    pub place: Place,
    /// The language that it is of, where that is known to be another one than was asked for.
    pub in_place_of: Option<String>,
    /// The lines that are seen at once.
    pub lines: Vec<String>,
    /// Whether there is more of it.
    pub is_cut: bool,
}

/// Gathers what a person meets on a device. Names in other languages are known where the app was read with them ([`crate::app::Choice::languages`]).
#[must_use]
pub fn meet(context: &Context<'_>, survey: &Survey, device: Device<'_>) -> Met {
    let platform = device.platform;
    let level = device.level.unwrap_or_else(|| newest(platform));
    let names = said(context);
    let name = name_of(context, &names, platform, device.language);
    let languages = languages(context, &names, platform);
    let mut met = Met {
        platform,
        level,
        language: device.language.map(str::to_owned),
        name,
        languages,
        prompts: Vec::new(),
        undescribed: Vec::new(),
    };
    let looking = Looking { context, survey, level, platform, language: device.language };
    let shown_name = met.name.clone().unwrap_or_else(|| UNKNOWN_NAME.to_owned());
    let mut told: Vec<PromptSubject> = Vec::new();
    for spec in prompts().iter().filter(|one| one.platform == platform && one.is_of(level)) {
        let new: Vec<_> = spec.about.iter().copied().filter(|subject| !told.contains(subject)).collect();
        let Some(mut prompt) = looking.prompt(spec, &new, &shown_name) else { continue };
        told.extend(&spec.about);
        // What would be asked along with one that does not appear is asked by itself.
        if prompt.instead.is_none() {
            for subject in &spec.covers {
                prompt.behind.extend(looking.declared(*subject).map(Behind::of));
            }
            told.extend(&spec.covers);
        }
        prompt.others = looking.in_other_languages(&prompt, &met.languages);
        met.prompts.push(prompt);
    }
    met.prompts.sort_by_key(|one| one.spec.rank);
    chain(&mut met.prompts);
    met.undescribed = looking.undescribed();
    met
}

/// The first level of Android that asks for permissions while an app runs; below it the installation grants all of them.
///
/// Source: "Request runtime permissions".
pub const FIRST_ASKING_LEVEL: u32 = 23;

/// The name that stands for one that only the build knows.
pub const UNKNOWN_NAME: &str = "the app";

fn newest(platform: Platform) -> Version {
    match platform {
        Platform::Android => Version::new(newest_level(), 0),
        Platform::Ios => newest_version(),
    }
}

/// Says of each that waits for another one what happens where that one does not appear.
fn chain(all: &mut [Prompt]) {
    let appears: Vec<&str> = all.iter().filter(|one| one.instead.is_none()).map(|one| one.spec.id).collect();
    let lacking: Vec<bool> =
        all.iter().map(|one| one.spec.after.is_some_and(|first| !appears.contains(&first))).collect();
    for (one, lacks) in all.iter_mut().zip(lacking) {
        if let (true, None, Some(first)) = (lacks, &one.instead, one.spec.after) {
            one.instead = Some(format!(
                "Nothing appears: it only extends what the dialog for `{first}` grants, and the app cannot ask for that."
            ));
        }
    }
}

/// Returns the name of the app on a device of one language.
fn name_of(context: &Context<'_>, all: &[Said], platform: Platform, language: Option<&str>) -> Option<String> {
    let target = context.app.ios.as_ref().and_then(|ios| ios.target.as_deref());
    let of_the_app = |said: &Said| match (platform, target) {
        (Platform::Ios, Some(target)) => {
            said.of.iter().any(|of| of == target || of.strip_prefix(target).is_some_and(|rest| rest.starts_with('/')))
        }
        _ => true,
    };
    let is_name = |said: &&Said| {
        let here = said.platform.is_none_or(|one| one == platform);
        said.part == Part::Name && here && said.idle.is_none() && said.value.is_some() && of_the_app(said)
    };
    let names: Vec<&Said> = all.iter().filter(is_name).collect();
    let in_language = language.and_then(|language| {
        let exact = names.iter().find(|said| said.language.as_deref().is_some_and(|own| is_same(own, language)));
        exact.or_else(|| names.iter().find(|said| said.language.as_deref().is_some_and(|own| is_like(own, language))))
    });
    let plain = || names.iter().find(|said| said.ships && said.language.is_none());
    in_language.or_else(plain).or(names.first()).and_then(|said| said.value.clone())
}

/// Says whether two codes are of one language and one region: `pt-rBR` and `pt-BR`.
fn is_same(one: &str, other: &str) -> bool {
    let plain = |code: &str| code.replace("-r", "-").replace('_', "-").to_ascii_lowercase();
    plain(one) == plain(other)
}

/// Says whether two codes are of one language: `pt` and `pt-BR`.
#[must_use]
pub fn is_like(one: &str, other: &str) -> bool {
    let first = |code: &str| code.split(['-', '_']).next().unwrap_or_default().to_ascii_lowercase();
    first(one) == first(other)
}

/// Returns the languages in which the app has texts.
fn languages(context: &Context<'_>, names: &[Said], platform: Platform) -> Vec<String> {
    let mut found: Vec<String> = Vec::new();
    let ios = context.app.ios.as_ref().filter(|_| platform == Platform::Ios);
    found.extend(ios.and_then(|ios| ios.language.clone()));
    let mut others: Vec<String> =
        ios.iter().flat_map(|ios| &ios.texts).map(|text| text.language.clone()).filter(|one| one != "Base").collect();
    let of_names = names.iter().filter(|said| said.part == Part::Name && said.platform == Some(platform));
    others.extend(of_names.filter_map(|said| said.language.clone()));
    others.sort_unstable();
    others.dedup();
    found.extend(others.into_iter().filter(|one| ios.and_then(|ios| ios.language.as_ref()) != Some(one)));
    found
}

/// A look at one device.
struct Looking<'l, 'a> {
    context: &'l Context<'a>,
    survey: &'l Survey,
    level: Version,
    platform: Platform,
    language: Option<&'l str>,
}

impl Behind {
    fn of(one: &Declaration) -> Self {
        let (name, place) = (one.name.clone(), Some(one.place));
        Behind { kind: one.kind, name, place, only_in: one.only_in.clone() }
    }

    fn absent(kind: Kind, name: &str) -> Self {
        Behind { kind: kind.id(), name: name.to_owned(), place: None, only_in: Vec::new() }
    }
}

impl<'l> Looking<'l, '_> {
    /// Goes through the declarations of a subject.
    fn declared(&self, subject: PromptSubject) -> impl Iterator<Item = &'l Declaration> {
        let of_platform = |one: &&Declaration| one.platform == self.platform && one.ignored.is_none();
        let is_it = move |one: &&Declaration| match subject {
            PromptSubject::Permission(name) => one.kind == Kind::Permission.id() && one.name == name,
            PromptSubject::Permissions(start) => one.kind == Kind::Permission.id() && one.name.starts_with(start),
            PromptSubject::Usage(key) => one.kind == Kind::Usage.id() && one.name == key,
            PromptSubject::Entitlement(key) => one.kind == Kind::Entitlement.id() && one.name == key,
            PromptSubject::Capability(_) => false,
        };
        self.survey.declarations.iter().filter(of_platform).filter(is_it)
    }

    /// Returns the requirements of a subject that matter if they are not met.
    fn needed(&self, subject: PromptSubject) -> Vec<&'l Requirement> {
        let is_it = |one: &&Requirement| match subject {
            PromptSubject::Permission(name) => one.kind() == Kind::Permission && one.name == name,
            PromptSubject::Usage(key) => one.kind() == Kind::Usage && one.name == key,
            PromptSubject::Capability(name) => one.capability.is_some_and(|capability| capability.name == name),
            PromptSubject::Permissions(_) | PromptSubject::Entitlement(_) => false,
        };
        // A capability may want nothing declared on a platform, and be asked for there all the same.
        let is_here = |one: &&Requirement| match subject {
            PromptSubject::Capability(_) => {
                let plugin = self.context.app.plugins().get(one.plugin);
                plugin.is_some_and(|plugin| plugin.platforms.contains(&self.platform) && !plugin.is_out(self.platform))
            }
            _ => one.platform == self.platform,
        };
        // What a package brings along is never lacking: where it is not in what ships, the build leaves it out on purpose.
        let brought = match subject {
            PromptSubject::Capability(_) => self.context.needs.brought(),
            _ => &[],
        };
        let all = self.context.needs.all().iter().chain(brought);
        all.filter(is_it).filter(is_here).filter(|one| one.level() >= Level::Warning).collect()
    }

    /// Returns what is asked in one way, where something of the app is behind it.
    fn prompt(&self, spec: &'static PromptSpec, about: &[PromptSubject], name: &str) -> Option<Prompt> {
        let mut prompt = Prompt {
            spec,
            title: spec.title(name),
            also: spec.also(self.target()),
            purpose: None,
            others: Vec::new(),
            instead: None,
            behind: Vec::new(),
            needed_by: Vec::new(),
            elsewhere: self.elsewhere(spec),
        };
        let mut capped = None;
        for subject in about {
            for one in self.declared(*subject) {
                match self.ended(one) {
                    Some(cap) => capped = Some((one, cap)),
                    None => {
                        prompt.behind.push(Behind::of(one));
                        prompt.needed_by.extend(one.needed_by.iter().cloned());
                    }
                }
            }
            if let PromptSubject::Capability(_) = subject {
                let needed = self.needed(*subject);
                prompt.needed_by.extend(needed.iter().map(|one| NeededBy::of(self.context.app, one)));
            }
        }
        if prompt.behind.is_empty() && prompt.needed_by.is_empty() {
            self.absent(about, capped, &mut prompt)?;
        } else if let Some(key) = about.iter().find_map(|subject| match subject {
            PromptSubject::Usage(key) => self.declared(PromptSubject::Usage(key)).next(),
            _ => None,
        }) {
            self.with_purpose(key, &mut prompt);
        }
        if prompt.instead.is_none() {
            prompt.instead = self.alone(&prompt.behind);
        }
        prompt.needed_by.sort_by(|one, other| one.plugin.cmp(&other.plugin));
        prompt.needed_by.dedup_by(|one, other| one.plugin == other.plugin);
        Some(prompt)
    }

    /// Returns the level at which a permission ends, where that is below the one that is looked at.
    fn ended(&self, one: &Declaration) -> Option<u32> {
        let own = self.context.variants.iter().flat_map(|variant| &variant.permissions);
        let mut caps = own.filter(|permission| permission.name == one.name).map(|permission| permission.max_level);
        let widest = caps.try_fold(0, |widest, cap| cap.map(|cap| widest.max(cap)))?;
        (one.kind == Kind::Permission.id() && widest > 0 && Version::new(widest, 0) < self.level).then_some(widest)
    }

    /// Returns the level that the app targets.
    fn target(&self) -> Option<u32> {
        self.context.variants.iter().map(|variant| variant.levels.target).max()
    }

    /// Says what happens where a permission does not work alone and stands alone.
    fn alone(&self, behind: &[Behind]) -> Option<String> {
        let target = self.target()?;
        let matters = |from: u32| from <= target && Version::new(from, 0) <= self.level;
        let names = behind.iter().filter(|one| one.kind == Kind::Permission.id() && one.place.is_some());
        names.flat_map(|one| android::companions(&one.name)).find_map(|companion| {
            let hard = companion.level == Level::Error && companion.unless_flag.is_none();
            let lacks = hard
                && matters(companion.target_from)
                && !companion.one_of.iter().any(|name| self.declared_permission(name));
            lacks.then(|| companion.effect.to_owned())
        })
    }

    fn declared_permission(&self, name: &str) -> bool {
        let of_platform = self.survey.declarations.iter().filter(|one| one.platform == self.platform);
        of_platform.filter(|one| one.kind == Kind::Permission.id()).any(|one| one.name == name)
    }

    /// Says what happens where something is needed and not declared; `None` where nothing is needed.
    fn absent(&self, about: &[PromptSubject], capped: Option<(&Declaration, u32)>, prompt: &mut Prompt) -> Option<()> {
        let is_there =
            |name: &str| android::permission(name).is_none_or(|known| Version::new(known.first_level, 0) <= self.level);
        let missing = about.iter().find_map(|subject| {
            let needed = self.needed(*subject);
            (!needed.is_empty()).then_some((*subject, needed))
        });
        let (subject, needed) = missing?;
        prompt.needed_by = needed.iter().map(|one| NeededBy::of(self.context.app, one)).collect();
        match subject {
            PromptSubject::Permission(name) if is_there(name) => {
                let why = match capped.filter(|(one, _)| one.name == name) {
                    Some((one, cap)) => {
                        prompt.behind.push(Behind::of(one));
                        format!("the permission is declared up to level {cap} alone")
                    }
                    None => {
                        prompt.behind.push(Behind::absent(Kind::Permission, name));
                        "the permission is not declared".to_owned()
                    }
                };
                prompt.instead = Some(match prompt.spec.form {
                    PromptForm::Screen => format!("The app is not in the list of that screen: {why}."),
                    _ => format!("The request is refused at once, without a dialog: {why}."),
                });
            }
            PromptSubject::Usage(key) => {
                let without = ios::usage_key(key).map_or(WithoutPurpose::Denied, |known| known.without);
                prompt.behind.push(Behind::absent(Kind::Usage, key));
                prompt.instead = Some(format!("{} Info.plist has no text for it.", without.effect()));
            }
            _ => return None,
        }
        Some(())
    }

    /// Puts the purpose into a dialog, in the language of the device.
    fn with_purpose(&self, one: &Declaration, prompt: &mut Prompt) {
        let own = self.context.app.ios.as_ref().and_then(|ios| ios.language.as_deref());
        let wanted = self.language.or(own);
        let translated = wanted.and_then(|wanted| {
            let exact = one.translations.iter().find(|(language, ..)| is_same(language, wanted));
            exact.or_else(|| one.translations.iter().find(|(language, ..)| is_like(language, wanted)))
        });
        let (text, place) = match translated {
            Some((_, text, place)) => (text.clone(), *place),
            None => (one.value.clone().unwrap_or_default(), one.place),
        };
        if text.trim().is_empty() {
            let without = ios::usage_key(&one.name).map_or(WithoutPurpose::Denied, |known| known.without);
            prompt.instead = Some(format!("{} The text is empty.", without.effect()));
            return;
        }
        let other =
            translated.is_none() && self.language.is_some_and(|asked| own.is_none_or(|own| !is_like(own, asked)));
        let (lines, is_cut) = seen(&text, room(self.platform));
        let in_place_of = other.then(|| own.unwrap_or("its own language").to_owned());
        prompt.purpose = Some(Shown { text, place, in_place_of, lines, is_cut });
    }

    /// Returns the purpose in the other languages of the app.
    fn in_other_languages(&self, prompt: &Prompt, languages: &[String]) -> Vec<(String, Option<String>)> {
        let key = prompt.behind.iter().find(|one| one.kind == Kind::Usage.id() && one.place.is_some());
        let is_it = |one: &&Declaration| Some(one.name.as_str()) == key.map(|key| key.name.as_str());
        let Some(one) = self.survey.declarations.iter().filter(|one| one.ignored.is_none()).find(is_it) else {
            return Vec::new();
        };
        let own = self.context.app.ios.as_ref().and_then(|ios| ios.language.as_deref());
        let shown = self.language.or(own).unwrap_or_default();
        let others = languages.iter().filter(|language| !is_like(language, shown));
        let text = |language: &String| {
            let own_text = one.translations.iter().find(|(of, ..)| of == language).map(|(_, text, _)| text.clone());
            own_text.or_else(|| one.value.clone().filter(|_| own == Some(language.as_str())))
        };
        others.map(|language| (language.clone(), text(language))).collect()
    }

    /// Says what is otherwise on the other levels that the app runs on.
    fn elsewhere(&self, spec: &PromptSpec) -> Vec<String> {
        let lowest = match self.platform {
            Platform::Android => {
                let levels = self.context.variants.iter().filter_map(|variant| variant.levels.min);
                levels.min().map(|level| Version::new(level, 0))
            }
            Platform::Ios => self.context.app.ios.as_ref().and_then(|ios| ios.min_version.value),
        };
        let Some(lowest) = lowest else { return Vec::new() };
        // Keys of property lists follow each other; of permissions each has its own dialogs.
        let is_like_it = |one: &&PromptSpec| {
            let same = one.id == spec.id && one.platform == spec.platform;
            same && (one.about.first() == spec.about.first()
                || (self.platform == Platform::Ios && !one.is_of(self.level)))
        };
        let mut out = Vec::new();
        let rows: Vec<&PromptSpec> = prompts().iter().filter(is_like_it).collect();
        let first = rows.iter().map(|one| one.from).min().unwrap_or(lowest);
        if lowest < first {
            out.push(format!("below {}: it is not asked", self.called(first)));
        }
        let others = rows.into_iter().filter(|one| !std::ptr::eq(*one, spec));
        for one in others.filter(|one| one.until.is_none_or(|until| until > lowest)) {
            let from = one.from.max(lowest);
            let range = match one.until {
                Some(until) => format!("from {} to below {}", self.called(from), self.number(until)),
                None => format!("from {}", self.called(from)),
            };
            let labels: Vec<&str> = one.buttons.iter().map(|button| button.label).collect();
            let how = match one.form {
                PromptForm::Screen => "a screen of the settings",
                PromptForm::With => "a part of the dialog before it",
                PromptForm::Sheet | PromptForm::Dialog | PromptForm::None => "a dialog",
            };
            let how = if one.form == spec.form { String::new() } else { format!("{how}: ") };
            out.push(format!("{range}: {how}{}", labels.join(" | ")));
        }
        out
    }

    fn called(&self, level: Version) -> String {
        match self.platform {
            Platform::Android => format!("level {}", self.number(level)),
            Platform::Ios => format!("iOS {level}"),
        }
    }

    fn number(&self, level: Version) -> String {
        level_text(self.platform, level)
    }

    /// Returns the permissions that are asked for at run time and that no dialog of the table is about.
    fn undescribed(&self) -> Vec<String> {
        let described = |name: &str| {
            let is_it = |subject: &PromptSubject| match subject {
                PromptSubject::Permission(known) => *known == name,
                PromptSubject::Permissions(start) => name.starts_with(start),
                _ => false,
            };
            prompts().iter().any(|one| one.about.iter().chain(&one.covers).any(is_it))
        };
        let asked = self.survey.declarations.iter().filter(|one| {
            let here = one.platform == self.platform && one.kind == Kind::Permission.id();
            here && matches!(one.grant, Some(android::Grant::Prompt | android::Grant::SettingsScreen))
        });
        let mut names: Vec<String> = asked.map(|one| one.name.clone()).filter(|name| !described(name)).collect();
        names.sort_unstable();
        names.dedup();
        names
    }
}

/// Breaks a text into the lines that a dialog shows at once, and says whether there are more.
fn seen(text: &str, room: Room) -> (Vec<String>, bool) {
    let mut lines: Vec<String> = Vec::new();
    for paragraph in text.lines() {
        let mut line = String::new();
        for word in paragraph.split_whitespace() {
            let letters = line.chars().count();
            if letters > 0 && letters + 1 + word.chars().count() > room.letters {
                lines.push(std::mem::take(&mut line));
            }
            if !line.is_empty() {
                line.push(' ');
            }
            // A word that is longer than a line goes on in the next ones.
            for letter in word.chars() {
                if line.chars().count() == room.letters {
                    lines.push(std::mem::take(&mut line));
                }
                line.push(letter);
            }
        }
        lines.push(line);
    }
    let is_cut = lines.len() > room.lines;
    lines.truncate(room.lines);
    (lines, is_cut)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_long_text_is_cut_at_the_lines_that_are_seen() {
        let room = Room { letters: 10, lines: 2 };
        assert_eq!(seen("one two three", room), (vec!["one two".to_owned(), "three".to_owned()], false));
        assert_eq!(seen("one two three four five", room).0, ["one two", "three four"]);
        assert!(seen("one two three four five", room).1);
        assert_eq!(seen("abcdefghijklm", room).0, ["abcdefghij", "klm"]);
    }

    #[test]
    fn codes_of_one_language_are_alike() {
        assert!(is_same("pt-rBR", "pt-BR") && is_like("pt-rBR", "pt") && !is_like("nl", "en"));
    }
}
