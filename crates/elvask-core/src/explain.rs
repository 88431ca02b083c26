//! What there is to know about a rule, a permission, a key, an entitlement, a capability or a word of the manifest, and what may be
//! behind what people see.

use elvask_platform::android::{self, Companion, Permission, Succession};
use elvask_platform::capability::{self, Capability, capabilities_with};
use elvask_platform::glossary::{self, Symptom, Word, WordKind, is_typed};
use elvask_platform::ios::{self, BackgroundMode, Entitlement, PlistKey, UsageKey};
use elvask_platform::names::nearest;
use elvask_platform::{Kind, Platform};

use crate::finding::About;
use crate::rules::{self, RULES};

/// A thing that can be explained.
#[derive(Debug, Clone)]
pub enum Topic {
    /// A rule.
    Rule(&'static About),
    /// A capability.
    Capability(Capability),
    /// A permission of Android.
    Permission {
        /// The permission.
        known: Permission,
        /// How its protection changed, with the level from which on each held; empty where it never did.
        changes: Vec<(&'static str, u32)>,
        /// What replaces it, where something does.
        succession: Option<Succession>,
        /// What must stand beside it.
        companions: Vec<Companion>,
        /// What the store wants.
        review: Option<&'static str>,
        /// What hangs on the use that an app makes of it.
        advice: Vec<&'static str>,
        /// The capabilities that want it.
        capabilities: Vec<Capability>,
    },
    /// A key that holds a purpose.
    Usage {
        /// The key.
        known: &'static UsageKey,
        /// The capabilities that want it.
        capabilities: Vec<Capability>,
    },
    /// Another key of `Info.plist`.
    Key(PlistKey),
    /// An entitlement.
    Entitlement {
        /// The entitlement.
        known: &'static Entitlement,
        /// The capabilities that want it.
        capabilities: Vec<Capability>,
    },
    /// A background mode.
    BackgroundMode(BackgroundMode),
    /// Another word of a manifest, an intent or `config.xml`: all that is known stands in the word itself.
    Word(&'static Word),
}

impl Topic {
    /// Returns the name of the thing.
    #[must_use]
    pub fn name(&self) -> &'static str {
        match self {
            Topic::Rule(about) => about.id,
            Topic::Capability(capability) => capability.name,
            Topic::Permission { known, .. } => known.name,
            Topic::Usage { known, .. } => known.key,
            Topic::Key(known) => known.key,
            Topic::Entitlement { known, .. } => known.key,
            Topic::BackgroundMode(mode) => mode.value,
            Topic::Word(word) => word.name,
        }
    }

    /// Returns the word for what kind of thing it is, as it may stand before the name.
    #[must_use]
    pub fn kind(&self) -> &'static str {
        match self {
            Topic::Rule(_) => "rule",
            Topic::Capability(_) => "capability",
            Topic::Permission { .. } => WordKind::Permission.id(),
            Topic::Usage { .. } | Topic::Key(_) => WordKind::Key.id(),
            Topic::Entitlement { .. } => WordKind::Entitlement.id(),
            Topic::BackgroundMode(_) => WordKind::BackgroundMode.id(),
            Topic::Word(word) => word.kind.id(),
        }
    }

    /// Returns the words about it, where there are some.
    #[must_use]
    pub fn word(&self) -> Option<&'static Word> {
        let kind = match self {
            Topic::Rule(_) | Topic::Capability(_) => return None,
            Topic::Permission { .. } => WordKind::Permission,
            Topic::Usage { .. } | Topic::Key(_) => WordKind::Key,
            Topic::Entitlement { .. } => WordKind::Entitlement,
            Topic::BackgroundMode(_) => WordKind::BackgroundMode,
            Topic::Word(word) => return Some(word),
        };
        glossary::word(kind, self.name())
    }

    /// Returns what it is, in one sentence.
    #[must_use]
    pub fn line(&self) -> String {
        match (self, self.word()) {
            (Topic::Rule(about), _) => about.summary.to_owned(),
            (Topic::Capability(capability), _) => capability.title.to_owned(),
            (_, Some(word)) => first_sentence(word.what),
            (Topic::Permission { known, .. }, _) => format!("A permission that is granted {}.", known.grant().title()),
            (Topic::Usage { known, .. }, _) => format!("What people read before the app reaches: {}.", known.opens),
            (Topic::Key(known), _) => format!("A key with the type {}.", known.value_type),
            (Topic::Entitlement { known, .. }, _) => match known.capability {
                "" => "An entitlement.".to_owned(),
                title => format!("The entitlement of {title}."),
            },
            (Topic::BackgroundMode(mode), _) => format!("Without it {}.", mode.without),
            (Topic::Word(word), None) => first_sentence(word.what),
        }
    }
}

fn first_sentence(text: &str) -> String {
    text.split_once(". ").map_or_else(|| text.to_owned(), |(first, _)| format!("{first}."))
}

/// What a question comes to.
#[derive(Debug, Clone)]
pub enum Answer {
    /// The thing of that name, with others of the same name.
    Topic(Box<Topic>, Vec<Topic>),
    /// Things whose names have the word in them, and what may be behind what is seen; one of the two may be empty.
    Several(Vec<Topic>, Vec<Symptom>),
    /// Nothing of the kind; perhaps a name that is near.
    Nothing(Option<String>),
}

/// The most names that a part of a name is answered with.
const MAX_NAMES: usize = 24;

/// Answers a question: a name, a kind and a name, a part of a name, or what somebody sees.
#[must_use]
pub fn explain(question: &str) -> Answer {
    let question = question.trim();
    if let Some((kind, name)) = question.split_once(' ').filter(|(kind, _)| is_kind(kind)) {
        let mut of_kind = exact(name.trim()).into_iter().filter(|topic| topic.kind() == kind);
        if let Some(topic) = of_kind.next() {
            return Answer::Topic(Box::new(topic), of_kind.collect());
        }
        let mut parts = with_part(name.trim(), Some(kind));
        match parts.len() {
            0 => {}
            1 => return Answer::Topic(Box::new(parts.remove(0)), Vec::new()),
            _ => return Answer::Several(parts, Vec::new()),
        }
    }
    let mut found = exact(question).into_iter();
    if let Some(topic) = found.next() {
        return Answer::Topic(Box::new(topic), found.collect());
    }
    let mut parts = if question.contains(' ') { Vec::new() } else { with_part(question, None) };
    let seen = seen(question);
    if let ([_], []) = (parts.as_slice(), seen.as_slice()) {
        return Answer::Topic(Box::new(parts.remove(0)), Vec::new());
    }
    if parts.is_empty() && seen.is_empty() {
        return Answer::Nothing(near(question));
    }
    Answer::Several(parts, seen)
}

fn is_kind(word: &str) -> bool {
    matches!(word, "rule" | "capability") || WordKind::ALL.iter().any(|kind| kind.id() == word)
}

/// Returns the things of a name, the likeliest first.
fn exact(name: &str) -> Vec<Topic> {
    let mut found = Vec::new();
    found.extend(rules::find(name).map(|rule| Topic::Rule(rule.about())));
    found.extend(capability::capability(name).map(Topic::Capability));
    let full = format!("{}{}", android::PERMISSION_PREFIX, name.to_ascii_uppercase());
    found.extend(android::permission(name).or_else(|| android::permission(&full)).map(permission));
    match ios::usage_key(name) {
        Some(known) => found.push(usage(known)),
        None => found.extend(ios::plist_key(name).map(Topic::Key)),
    }
    found.extend(ios::entitlement(name).map(entitlement));
    found.extend(ios::background_mode(name).map(Topic::BackgroundMode));
    let mut words: Vec<&'static Word> = other_words().filter(|word| is_typed(word.name, name)).collect();
    words.sort_by_key(|word| word.kind);
    found.extend(words.into_iter().map(Topic::Word));
    found
}

fn permission(known: Permission) -> Topic {
    Topic::Permission {
        known,
        changes: glossary::protection_changes(known.name),
        succession: android::succession(known.name),
        companions: android::companions(known.name).collect(),
        review: android::store_review(known.name),
        advice: android::permission_advice(known.name).collect(),
        capabilities: capabilities_with(Kind::Permission, known.name).collect(),
    }
}

fn usage(known: &'static UsageKey) -> Topic {
    Topic::Usage { known, capabilities: capabilities_with(Kind::Usage, known.key).collect() }
}

fn entitlement(known: &'static Entitlement) -> Topic {
    Topic::Entitlement { known, capabilities: capabilities_with(Kind::Entitlement, known.key).collect() }
}

/// Goes through the words about which nothing else is known.
fn other_words() -> impl Iterator<Item = &'static Word> {
    let own = |kind: WordKind| {
        !matches!(kind, WordKind::Permission | WordKind::Key | WordKind::Entitlement | WordKind::BackgroundMode)
    };
    glossary::words().iter().filter(move |word| own(word.kind))
}

/// Returns the things, of one kind where one is named, whose names have a word in them, those that most apps meet first. A permission that no
/// app is given is left out.
fn with_part(part: &str, kind: Option<&str>) -> Vec<Topic> {
    // One or two letters are in every other name.
    if part.chars().count() < 3 {
        return Vec::new();
    }
    let folded = part.to_ascii_lowercase();
    let has = |name: &str| name.to_ascii_lowercase().contains(&folded);
    let mut found: Vec<Topic> = Vec::new();
    found.extend(capability::capabilities().filter(|one| has(one.name)).map(Topic::Capability));
    found.extend(RULES.iter().map(|rule| rule.about()).filter(|about| has(about.id)).map(Topic::Rule));
    let granted = |known: &Permission| known.grant() != android::Grant::Never && known.last_level.is_none();
    let short = |name: &'static str| name.rsplit('.').next().unwrap_or(name);
    let permissions = android::permissions().filter(granted).filter(|one| has(short(one.name)));
    found.extend(permissions.map(permission));
    found.extend(ios::usage_keys().iter().filter(|one| one.is_for_ios() && has(one.key)).map(usage));
    found.extend(ios::plist_keys().filter(|key| has(key)).filter_map(ios::plist_key).map(Topic::Key));
    found.extend(ios::entitlements().iter().filter(|one| has(one.key) || has(one.capability)).map(entitlement));
    found.extend(ios::background_modes().filter(|one| has(one.value)).map(Topic::BackgroundMode));
    found.extend(other_words().filter(|one| has(one.name)).map(Topic::Word));
    found.retain(|topic| kind.is_none_or(|kind| topic.kind() == kind));
    // Those with words about them first: they are the ones that people meet.
    found.sort_by_key(|topic| !matches!(topic, Topic::Capability(_) | Topic::Rule(_)) && topic.word().is_none());
    found.truncate(MAX_NAMES);
    found
}

/// Returns what may be behind what somebody sees, the likeliest first.
fn seen(question: &str) -> Vec<Symptom> {
    let asked = stems(question);
    if asked.is_empty() {
        return Vec::new();
    }
    let share = |phrase: &str| {
        let known = stems(phrase);
        let common = asked.iter().filter(|word| known.contains(word)).count();
        // All words of a short phrase, or most of a longer one.
        let enough = common * 3 >= known.len() * 2 && common * 2 >= asked.len().min(4);
        if enough { common } else { 0 }
    };
    let score = |symptom: &Symptom| symptom.seen.iter().map(|phrase| share(phrase)).max().unwrap_or_default();
    let mut found: Vec<(usize, Symptom)> = glossary::symptoms().map(|one| (score(&one), one)).collect();
    found.retain(|(score, _)| *score > 0);
    found.sort_by_key(|(score, _)| std::cmp::Reverse(*score));
    let best = found.first().map_or(0, |(score, _)| *score);
    found.into_iter().filter(|(score, _)| *score == best).map(|(_, one)| one).take(3).collect()
}

/// Returns the words of a sentence that say something, without their endings.
fn stems(text: &str) -> Vec<String> {
    const FILLERS: [&str; 26] = [
        "a", "an", "the", "is", "are", "it", "its", "to", "of", "in", "on", "at", "my", "and", "when", "i", "do",
        "does", "not", "no", "doesn", "t", "app", "be", "by", "for",
    ];
    let words = text.split(|letter: char| !letter.is_alphanumeric()).filter(|word| !word.is_empty());
    let folded = words.map(str::to_lowercase).filter(|word| !FILLERS.contains(&word.as_str()));
    let stem = |word: String| {
        let cut =
            ["ing", "es", "ed", "s", "e"].iter().find_map(|end| word.strip_suffix(end).filter(|rest| rest.len() > 2));
        cut.map_or_else(|| word.clone(), str::to_owned)
    };
    folded.map(stem).collect()
}

/// Returns the known name that is nearest to a misspelt one.
fn near(word: &str) -> Option<String> {
    let names = RULES.iter().map(|rule| rule.about().id).chain(capability::capabilities().map(|known| known.name));
    let names = names.chain(ios::usage_keys().iter().map(|known| known.key));
    let names = names.chain(glossary::words().iter().map(|word| word.name));
    let near = nearest(word, names).map(str::to_owned);
    near.or_else(|| android::nearest_permission(word).map(|known| known.name.to_owned()))
}

/// Returns what a capability means on a platform, a line for each thing that it wants declared.
#[must_use]
pub fn capability_lines(capability: Capability, platform: Platform) -> Vec<String> {
    let line = |need: &capability::CapabilityNeed| {
        let mut conditions = Vec::new();
        if let Some(level) = need.target_from {
            conditions.push(format!("for apps that target level {level} or above"));
        }
        if let Some(level) = need.devices_to {
            conditions.push(format!("for devices up to level {level}"));
        }
        if let Some(version) = need.ios_below {
            conditions.push(format!("for systems below iOS {version}"));
        }
        if let Some(level) = need.max_level {
            conditions.push(format!("with maxSdkVersion {level}"));
        }
        if need.optional {
            conditions.push("worth having".to_owned());
        }
        let conditions = if conditions.is_empty() { String::new() } else { format!(", {}", conditions.join(", ")) };
        format!("{} {}{conditions}", need.kind, need.name)
    };
    capability.needs().filter(|need| need.platform == platform).map(line).collect()
}
