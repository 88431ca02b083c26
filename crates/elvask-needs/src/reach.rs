//! Reach: how a need of a package comes to this app, and how bad it is when the app does not declare it.
//!
//! What a package *can* ask for is read from its files (`evidence`). Here that is held against the app: whether the code is
//! compiled in, whether the app uses the part, and whether the package's notes tell everybody.

mod runtime;

pub use runtime::{BuiltUpon, runtimes};

use std::borrow::Cow;

use elvask_markup::plist::plan::NewValue;
use elvask_platform::List;
use elvask_platform::capability::{self, capabilities_with};
use elvask_platform::{Kind, Level, Platform, Strength, ios};
use elvask_project::intent::Owner;
use serde::{Deserialize, Serialize};

use crate::evidence::{Evidence, Learned, Notes, Occurrence, Use, Within, is_asked_for, is_of_taste};
use crate::kinds::{Asks, spec};
use crate::linking::{Linking, module_name};
use crate::own::{Import, OwnCode, OwnPermission, PermissionUse, Subject, capability_named, words_of};
use crate::requirement::Need;
use crate::template::answers_in;

/// How a need comes to this app.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Reach {
    /// Whoever has the package needs it.
    #[default]
    Always,
    /// The app's own code uses that part.
    Used,
    /// Only who uses a part of the package needs it, and no use is seen.
    Part,
    /// It is not compiled in, or for development alone.
    Out,
}

impl Reach {
    /// Returns the word for it.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Reach::Always => "always",
            Reach::Used => "used",
            Reach::Part => "part",
            Reach::Out => "out",
        }
    }
}

/// How a need comes to this app, with the reason.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Reached {
    /// How.
    pub reach: Reach,
    /// Why it is taken to be so, in one line without a full stop; empty for what a sheet states of every app.
    pub because: Cow<'static, str>,
}

impl Reached {
    /// Makes one.
    pub fn new(reach: Reach, because: impl Into<Cow<'static, str>>) -> Self {
        Reached { reach, because: because.into() }
    }
}

/// What is judged of something that the files of a package show.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Judged {
    /// How it comes to this app.
    pub reached: Reached,
    /// How bad it is when it is absent; `None` where nothing is said of it.
    pub level: Option<Level>,
    /// Whether the build brings it into the app by itself.
    pub brought: bool,
}

/// What is known of a package in this app, beside what its files show.
#[derive(Debug, Clone, Default)]
pub struct Around<'a> {
    /// Its name.
    pub name: &'a str,
    /// Why it is no part of the app on a platform.
    pub out: Vec<(Platform, Cow<'static, str>)>,
    /// It is what the app runs on.
    pub runtime: bool,
    /// The app is written for one platform, so that its own code takes packages by the names of their pods.
    pub native: bool,
    /// The app is a hybrid one, whose tools write what `plugin.xml` asks for.
    pub hybrid: bool,
    /// The app lists it among the scripts that change its platform files when they are generated: with the keys that it is told to
    /// leave out.
    pub scripted: Option<Vec<String>>,
    /// The platform folders are generated from a description of the app.
    pub described: bool,
    /// The text of the Xcode project and its name, in which conditions may be set.
    pub project: Option<(&'a str, &'a str)>,
}

/// Judges all that the files of a package show.
pub fn judge_all(evidence: &Evidence, around: &Around<'_>, own: &OwnCode, linking: &Linking) -> Vec<Judged> {
    let import = import_of(evidence, around, own);
    let (single, wider) = (has_one_purpose(evidence), wider_capabilities(evidence));
    let subjects = import.iter().flat_map(|import| &import.names).map(|name| Subject::of(name)).collect();
    let judge = Judge { evidence, around, own, linking, import, subjects, single, wider };
    evidence.requirements.iter().map(|learned| judge.judge(learned)).collect()
}

/// Returns the use of a package by the app's own code: by its name, or by what its scripts put into the page.
fn import_of(evidence: &Evidence, around: &Around<'_>, own: &OwnCode) -> Option<Import> {
    let name = around.name;
    // Namespaces go on below the name of the package; pods are named by their own names.
    let named = |import: &&Import| {
        import.module == name
            || import.module.strip_prefix(name).is_some_and(|rest| rest.starts_with('.'))
            || around.native && evidence.pods.names.contains(&import.module)
    };
    let mut found: Option<Import> = None;
    for import in own.imports.iter().filter(named) {
        match &mut found {
            Some(known) => known.names.extend(import.names.iter().cloned()),
            None => found = Some(import.clone()),
        }
    }
    let global = |target: &String| own.globals.iter().find(|(used, _)| used == target);
    for (used, citation) in evidence.globals.iter().filter_map(global) {
        let names = vec![used.rsplit('.').next().unwrap_or(used).to_owned()];
        match &mut found {
            Some(known) => known.names.extend(names),
            None => found = Some(Import { module: name.to_owned(), names, citation: citation.clone() }),
        }
    }
    found
}

/// Returns the capability that a need belongs to: of several that have it the one that asks for the least.
fn capability_of(learned: &Learned) -> Option<&'static str> {
    capabilities_with(learned.kind(), &learned.name).min_by_key(|one| one.needs().count()).map(|one| one.name)
}

/// Returns the capabilities of a package that ask for all that another one of it asks for, and more on each platform of that:
/// location in the background beside location. Who uses the package does not thereby use those.
fn wider_capabilities(evidence: &Evidence) -> Vec<&'static str> {
    let needs = |name: &str| capability::capability(name).into_iter().flat_map(capability::Capability::needs);
    let is_wider = |wide: &str, narrow: &str| {
        let has = |name: &str, wanted: &str| needs(name).any(|need| need.name == wanted);
        let more = |platform: Platform| {
            needs(wide).any(|need| need.platform == platform && !has(narrow, need.name))
                || needs(narrow).all(|need| need.platform != platform)
        };
        wide != narrow
            && needs(narrow).all(|need| has(wide, need.name))
            && more(Platform::Android)
            && more(Platform::Ios)
    };
    let mut all: Vec<_> = evidence.requirements.iter().filter_map(capability_of).collect();
    all.sort_unstable();
    all.dedup();
    all.iter().copied().filter(|wide| all.iter().any(|narrow| is_wider(wide, narrow))).collect()
}

/// Says whether a package says of itself that it is for what a need is about, by the capability or by the words of its name. One
/// that does not describe itself may be for anything.
fn is_for(evidence: &Evidence, learned: &Learned) -> bool {
    if evidence.about.is_empty() {
        return true;
    }
    let words: Vec<&str> = evidence.about.split(|letter: char| !letter.is_alphanumeric()).collect();
    let says =
        |start: &str| words.iter().any(|word| word.contains(start) && (word.starts_with(start) || start.len() > 4));
    let own = words_of(core_of(learned.name.rsplit('.').next().unwrap_or_default()));
    // The title of what an entitlement is for says more than its key.
    let known = ios::entitlement(&learned.name).filter(|_| learned.kind() == Kind::Entitlement);
    let title = known.map_or_else(Vec::new, |known| words_of(known.capability));
    // A background mode is called like what is used in front as well.
    let named = learned.kind() != Kind::BackgroundMode
        && own.iter().chain(&title).any(|word| word.len() > 3 && !List::NameCommon.has(word) && says(word));
    named
        || capabilities_with(learned.kind(), &learned.name)
            .any(|capability| capability::words_for(capability.name).any(says))
}

/// Says whether all that a package could ask for belongs to one or two capabilities.
fn has_one_purpose(evidence: &Evidence) -> bool {
    let asks = |learned: &&Learned| {
        matches!(learned.kind(), Kind::Usage | Kind::Entitlement | Kind::BackgroundMode)
            || learned.kind() == Kind::Permission && is_asked_for(&learned.name)
    };
    let mut left: Vec<Vec<&str>> = evidence
        .requirements
        .iter()
        .filter(asks)
        .map(|learned| capabilities_with(learned.kind(), &learned.name).map(|one| one.name).collect())
        .collect();
    let mut count = 0;
    while !left.is_empty() {
        count += 1;
        let all: Vec<&str> = left.iter().flatten().copied().collect();
        let often = |name: &str| left.iter().filter(|names| names.contains(&name)).count();
        match all.iter().copied().max_by_key(|name| often(name)) {
            Some(best) => left.retain(|names| !names.contains(&best)),
            // What belongs to no capability stands for one of its own.
            None => {
                left.pop();
            }
        }
        if count > 2 {
            return false;
        }
    }
    true
}

struct Judge<'a> {
    evidence: &'a Evidence,
    around: &'a Around<'a>,
    own: &'a OwnCode,
    linking: &'a Linking,
    import: Option<Import>,
    /// What the names that it takes are about, in their order.
    subjects: Vec<Subject>,
    single: bool,
    wider: Vec<&'static str>,
}

/// What the code of a package comes to in this app.
#[derive(Default)]
struct Live<'l> {
    /// What is compiled in.
    taken: Vec<&'l Occurrence>,
    /// Why parts of it are, where the app chooses them.
    chosen: Option<String>,
    /// What is compiled only where the app chooses it, and it does not.
    left: usize,
}

impl Live<'_> {
    fn best(&self) -> Option<Use> {
        self.taken.iter().map(|one| one.how).min()
    }
}

impl Judge<'_> {
    fn judge(&self, learned: &Learned) -> Judged {
        let platform = learned.need.platform();
        if let Some((_, why)) = self.around.out.iter().find(|(out, _)| *out == platform) {
            return judged(Reach::Out, why.clone(), None);
        }
        if self.evidence.for_development {
            return judged(Reach::Out, "the package is for development builds only", None);
        }
        if learned.brought && platform == Platform::Ios && !self.around.hybrid {
            let why = "its plugin.xml asks for it, and no tool of this app writes that into the property list";
            return judged(Reach::Always, why, Some(Level::Warning));
        }
        if learned.brought {
            let why = "its own manifest declares it, and the build merges that in";
            return Judged { brought: true, ..judged(Reach::Always, why, Some(Level::Error)) };
        }
        if learned.shown.by_script
            && let Some(without) = &self.around.scripted
            && !without.contains(&learned.name)
        {
            let why = "a script of its own, which the app lists, writes it when the platform folders are generated";
            return Judged { brought: true, ..judged(Reach::Always, why, Some(Level::Error)) };
        }
        if learned.shown.by_script && self.around.described && self.evidence.runtime_module {
            let why = "its own script writes it when the platform folders are generated, unless the app removes that";
            return judged(Reach::Part, why, Some(Level::Note));
        }
        if learned.shown.script {
            let why = "only a script in it for another tool names it";
            return judged(Reach::Part, why, None);
        }
        let live = self.live(learned);
        let used = self.used(learned, &live);
        if self.around.runtime {
            return match used {
                // Upon what systems it runs is no part of it.
                _ if matches!(learned.kind(), Kind::Level | Kind::MinVersion) && learned.shown.notes.is_none() => {
                    self.by_table(learned, &live, None)
                }
                Some(why) => self.by_table(learned, &live, Some(why)),
                None => {
                    judged(Reach::Part, "only who uses that part of the runtime needs it, and no use is seen", None)
                }
            };
        }
        if self.evidence.chosen.contains(&learned.kind()) {
            return match used {
                Some(why) => self.by_table(learned, &live, Some(why)),
                None => {
                    let why = "the package can ask for many things, and nothing shows that the app chooses this one";
                    judged(Reach::Part, why, None)
                }
            };
        }
        self.by_table(learned, &live, used)
    }

    /// Sorts the places in code by whether the app compiles them.
    fn live<'l>(&self, learned: &'l Learned) -> Live<'l> {
        let mut live = Live::default();
        for occurrence in &learned.shown.code {
            let file = match &occurrence.within {
                Within::Package => Some(None),
                Within::Pod(part) => {
                    let taken = self.linking.takes(&self.evidence.pods.names, part);
                    taken.map(|file| Some(format!("{file} takes the part {part} of it")))
                }
                Within::Condition(condition) => {
                    let set = self.linking.sets(condition, self.around.project);
                    set.map(|file| Some(format!("{file} sets the condition {condition}")))
                }
            };
            match file {
                Some(why) => {
                    live.taken.push(occurrence);
                    live.chosen = live.chosen.or(why);
                }
                None => live.left += 1,
            }
        }
        if live.taken.iter().any(|one| one.within == Within::Package) {
            live.chosen = None;
        }
        live
    }

    /// Says why the app uses the part of the package that needs something, where that is seen.
    fn used(&self, learned: &Learned, live: &Live<'_>) -> Option<String> {
        if let Some(why) = &live.chosen {
            return Some(why.clone());
        }
        if let Some(named) = self.named(learned) {
            let place = &named.citation;
            let does = if named.how == PermissionUse::Requests { "asks for it" } else { "names it" };
            return Some(format!("the app's own code {does} ({}:{})", place.file, place.line));
        }
        if learned.kind() == Kind::Usage && self.evidence.chosen.contains(&Kind::Usage) {
            let word: String = words_of(core_of(&learned.name)).iter().map(|word| capitalized(word)).collect();
            if let Some(file) = self.linking.lists(&word) {
                return Some(format!("{file} names it in a list"));
            }
        }
        let import = self.import.as_ref()?;
        let place = format!("{}:{}", import.citation.file, import.citation.line);
        // What the system grants without asking is left out on purpose where it is, for a part that few use.
        let small = learned.kind() == Kind::Permission && !is_asked_for(&learned.name);
        let main = capability_of(learned).is_none_or(|of| !self.wider.contains(&of));
        // Where all of it stands in functions that scripts call by their names, and the app names others, none is used.
        let others = !live.taken.is_empty()
            && live.taken.iter().all(|one| one.part.called_by_name)
            && import.names.iter().any(|name| name.starts_with(|first: char| first.is_lowercase()));
        let meant = is_for(self.evidence, learned);
        if self.single && main && meant && !self.around.runtime && !small && !others {
            return Some(format!("the app's own code uses the package ({place})"));
        }
        let part = live.taken.iter().find_map(|occurrence| {
            let part = &occurrence.part;
            let [file, folder] = [&part.file, &part.folder].map(|name| Subject::of(name));
            let fits = |(name, subject): &(&String, &Subject)| {
                // What the whole package is called shows no use of a part of it.
                let whole = !self.around.runtime && is_name_of(self.around.name, name);
                part.function.as_ref().is_some_and(|function| function.eq_ignore_ascii_case(name))
                    && (part.called_by_name || name.len() > MIN_FUNCTION)
                    || !whole && (subject.means(&file) || subject.means(&folder))
            };
            import.names.iter().zip(&self.subjects).find(fits).map(|(name, _)| name)
        })?;
        Some(format!("the app's own code uses {part} of it ({place})"))
    }

    /// Returns where the app's own code names what a package asks the person for.
    fn named(&self, learned: &Learned) -> Option<&OwnPermission> {
        let asks = self.evidence.chosen.contains(&learned.kind()) || self.import.is_some();
        let platform = learned.need.platform();
        self.own.permissions.iter().filter(|_| asks).find(|named| {
            named.how != PermissionUse::Checks
                && named.platform.is_none_or(|on| on == platform)
                && selects(&named.name, learned)
        })
    }

    // In one piece: the table of what is judged of each kind; parted, it could not be held against the documentation.
    fn by_table(&self, learned: &Learned, live: &Live<'_>, used: Option<String>) -> Judged {
        let used = used.map(Cow::Owned);
        let everybody = learned.shown.notes == Some(Notes::Everybody);
        let noted = learned.shown.notes.is_some();
        let code = live.best();
        let called = code == Some(Use::Called);
        let part = Cow::Borrowed("only who uses a part of it needs this, and no use is seen");
        let left = Cow::Borrowed("it is in code that is compiled only where the app chooses so");
        let to_all = Cow::Borrowed("its notes tell everybody who sets it up");
        let compiled = Cow::Borrowed("the code that needs it is compiled into every app that has it");
        let (reach, why, level) = match spec(learned.kind()).about().asks {
            Asks::Purpose => match code {
                // The store looks at the symbols, and not at whether they are ever reached.
                Some(Use::Called) => match used {
                    Some(why) => (Reach::Used, why, Level::Error),
                    None => (Reach::Always, compiled, Level::Error),
                },
                Some(Use::Likely) => match used {
                    Some(why) => (Reach::Used, why, Level::Warning),
                    None if everybody => (Reach::Always, to_all, Level::Warning),
                    None => (Reach::Part, part, Level::Note),
                },
                _ if everybody => (Reach::Always, to_all, Level::Warning),
                _ => match used {
                    Some(why) if code.is_some() => (Reach::Used, why, Level::Warning),
                    _ if live.left > 0 => (Reach::Part, left, Level::Note),
                    _ => (Reach::Part, part, Level::Note),
                },
            },
            Asks::Permission => match (everybody, code, used) {
                (_, Some(Use::Called | Use::Asked), Some(why)) => (Reach::Used, why, Level::Error),
                (true, Some(Use::Called | Use::Asked | Use::Named), _) => (Reach::Always, to_all, Level::Error),
                (true, ..) => (Reach::Always, to_all, Level::Warning),
                (_, Some(Use::Likely), Some(why)) => (Reach::Used, why, Level::Warning),
                (_, Some(Use::Named), Some(why)) => (Reach::Used, why, Level::Note),
                (_, Some(Use::Called), None)
                    if self.single && !noted && is_asked_for(&learned.name) && is_for(self.evidence, learned) =>
                {
                    (Reach::Always, Cow::Borrowed("all that it is for needs this"), Level::Warning)
                }
                _ => (Reach::Part, part, Level::Note),
            },
            Asks::Signing => match (everybody, used) {
                (true, Some(why)) => (Reach::Used, why, Level::Error),
                (true, None) => (Reach::Always, to_all, Level::Warning),
                (false, Some(why)) if called && self.single => (Reach::Used, why, Level::Warning),
                _ => (Reach::Part, part, Level::Note),
            },
            // Which other apps are asked for is the owner's choice where the notes alone name them: they show examples. What
            // stands for a capability of the platform is none.
            Asks::OtherApps => match everybody {
                true if called || is_of_a_capability(learned) => (Reach::Always, to_all, Level::Warning),
                true => (
                    Reach::Part,
                    Cow::Borrowed("which other apps are meant is for the app's owner to say"),
                    Level::Note,
                ),
                false => (Reach::Part, part, Level::Note),
            },
            Asks::Reason => (Reach::Always, compiled, Level::Warning),
            Asks::Level if !noted => {
                (Reach::Always, Cow::Borrowed("its build states it"), Level::of_strength(learned.strength))
            }
            // What others see of the app, and which devices it is for, is the owner's choice, whatever the notes show.
            Asks::OwnersChoice => {
                (Reach::Part, Cow::Borrowed("which one is meant is for the app's owner to say"), Level::Note)
            }
            Asks::Value if is_a_matter_of_taste(learned) => {
                (Reach::Part, Cow::Borrowed("which value is meant is for the app's owner to say"), Level::Note)
            }
            Asks::Level | Asks::Value | Asks::Plain => match learned.strength {
                Strength::Certain => (Reach::Always, Cow::default(), Level::Error),
                _ if everybody => (Reach::Always, to_all, Level::Warning),
                _ => (Reach::Part, part, Level::Note),
            },
        };
        judged(reach, why, Some(level))
    }
}

/// Says whether a query or scheme is what some capability asks for.
fn is_of_a_capability(learned: &Learned) -> bool {
    let scheme = if let Need::Query(query) = &learned.need { query.scheme.as_deref() } else { None };
    let name = scheme.unwrap_or(&learned.name);
    let asked = |need: &capability::CapabilityNeed| need.name == learned.name || need.name == name;
    capability::capabilities().any(|capability| capability.needs().any(asked))
}

/// Says whether notes can only show an example of a value: a picture, a colour or a text of the app, or a list of its own.
fn is_a_matter_of_taste(learned: &Learned) -> bool {
    let need = &learned.need;
    let open = |text: &String| !answers_in(text).is_empty();
    let of_app =
        |text: &String| ["@drawable/", "@mipmap/", "@color/", "@string/"].iter().any(|kind| text.starts_with(kind));
    if let Need::MetaData { value, resource, .. } = need {
        let asked = value.iter().chain(resource).any(open) && is_of_taste(&learned.name);
        return asked || value.iter().chain(resource).any(of_app);
    }
    if let Need::Attribute { owner, value, .. } = need {
        // How the whole app is backed up or stores its files is not for one of its packages to say.
        return *owner == Owner::Application || of_app(value) || open(value) || value.starts_with("@xml/");
    }
    matches!(need, Need::Plist { value: NewValue::Array(_) })
}

fn judged(reach: Reach, because: impl Into<Cow<'static, str>>, level: Option<Level>) -> Judged {
    Judged { reached: Reached::new(reach, because), level, brought: false }
}

/// Judges something that the app's own code shows.
pub fn judge_own(learned: &Learned) -> Judged {
    let how = learned.shown.code.iter().map(|one| one.how).min();
    let chosen = learned.shown.code.iter().all(|one| matches!(one.within, Within::Condition(_)));
    let level = match (learned.kind(), how) {
        (_, Some(Use::Guarded | Use::Named) | None) => Level::Note,
        _ if chosen => Level::Note,
        // Which of them an argument asks for is not seen, and one that is not wanted breaks signing.
        (Kind::Entitlement | Kind::BackgroundMode | Kind::PrivacyReason, _) => Level::Warning,
        (_, Some(Use::Likely)) => Level::Warning,
        (_, Some(Use::Called | Use::Asked)) => Level::Error,
    };
    judged(Reach::Used, String::new(), Some(level))
}

/// Names of functions as short as this are common to all.
const MIN_FUNCTION: usize = 7;

/// Says whether a name is that of a whole package: its words are the package's.
fn is_name_of(package: &str, name: &str) -> bool {
    let squeezed = |text: &str| words_of(text).concat();
    let (package, name) = (squeezed(package), squeezed(name));
    package.contains(&name) || package.contains(name.trim_end_matches("manager").trim_end_matches("module"))
}

/// Returns what a key that holds a purpose is about: `Camera` of `NSCameraUsageDescription`.
fn core_of(key: &str) -> &str {
    let core = key.strip_prefix("NS").unwrap_or(key);
    core.split("UsageDescription").next().unwrap_or(core)
}

fn capitalized(word: &str) -> String {
    let mut letters = word.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

/// Says whether a name in code stands for what a package asks for.
pub(crate) fn selects(name: &str, learned: &Learned) -> bool {
    let words = words_of(name);
    let last = || words_of(learned.name.rsplit('.').next().unwrap_or_default());
    let permission = learned.kind() == Kind::Permission && last() == words;
    let purpose = || {
        let core = words_of(core_of(&learned.name));
        core == words || words.len() > 1 && core.starts_with(&words)
    };
    let exact = permission || learned.kind() == Kind::Usage && purpose();
    exact
        || capability_named(name).is_some_and(|capability| {
            capability.needs().any(|need| need.kind == learned.kind() && need.name == learned.name && !need.optional)
        })
}
