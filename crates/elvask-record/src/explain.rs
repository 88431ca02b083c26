//! The JSON of `explain`.

use elvask_core::explain::Topic;
use elvask_core::finding::{About, Level};
use elvask_platform::android::Grant;
use elvask_platform::capability::{Beside, Capability};
use elvask_platform::{Platform, Version};
use serde::Serialize;

/// A rule in the list of `explain rules`.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RuleLineRecord {
    /// Its id.
    pub id: &'static str,
    /// Its usual level.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Level"))]
    pub level: Level,
    /// What it reports.
    pub summary: &'static str,
}

/// What many apps want beside a capability.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct BesideRecord {
    /// The platform.
    pub platform: &'static str,
    /// The kind of thing, in a word.
    pub kind: &'static str,
    /// Its name.
    pub name: &'static str,
    /// What for.
    pub what_for: &'static str,
}

impl From<Beside> for BesideRecord {
    fn from(one: Beside) -> Self {
        BesideRecord { platform: one.platform.id(), kind: one.kind, name: one.name, what_for: one.what_for }
    }
}

/// A capability in the list of `explain capabilities`.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CapabilityLineRecord {
    /// Its name.
    pub capability: &'static str,
    /// Its title.
    pub title: &'static str,
}

/// What `explain` prints: a topic, or one of the two lists.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(untagged)]
pub enum ExplainRecord {
    /// A topic.
    Topic(Box<ExplainedRecord>),
    /// Topics whose names have the word in them, and what may be behind what is seen.
    Found(FoundRecord),
    /// All rules.
    Rules(Vec<RuleLineRecord>),
    /// All capabilities.
    Capabilities(Vec<CapabilityLineRecord>),
}

/// A topic with the words about it.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ExplainedRecord {
    /// The topic.
    #[serde(flatten)]
    pub topic: TopicRecord,
    /// What is known of it in words; null where there are none.
    pub words: Option<WordsRecord>,
    /// Other things of the same name: `kind name`, as the command takes it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<String>,
}

/// The words about a topic.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WordsRecord {
    /// What it is.
    pub what: &'static str,
    /// The Android level or iOS version that brought it.
    #[serde(skip_serializing_if = "str::is_empty")]
    pub since: &'static str,
    /// What comes of leaving it.
    #[serde(skip_serializing_if = "str::is_empty")]
    pub without: &'static str,
    /// An example.
    #[serde(skip_serializing_if = "str::is_empty")]
    pub example: &'static str,
    /// What belongs to it.
    pub related: Vec<&'static str>,
}

/// What a part of a name, or what is seen, leads to.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FoundRecord {
    /// The topics.
    pub topics: Vec<TopicLineRecord>,
    /// What may be behind what is seen.
    pub seen: Vec<SeenRecord>,
}

/// A topic in a list.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct TopicLineRecord {
    /// What kind of thing it is.
    pub kind: &'static str,
    /// Its name.
    pub name: &'static str,
    /// What it is, in one sentence.
    pub line: String,
}

impl TopicLineRecord {
    /// Makes the line of a topic.
    #[must_use]
    pub fn of(topic: &Topic) -> Self {
        TopicLineRecord { kind: topic.kind(), name: topic.name(), line: topic.line() }
    }
}

/// What may be behind what somebody sees.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SeenRecord {
    /// What is behind it.
    pub behind: &'static str,
    /// The rules and other topics that it may be.
    pub topics: Vec<&'static str>,
}

/// A change of a permission's protection.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ProtectionRecord {
    /// The level from which on it was so.
    pub from_level: u32,
    /// The protection.
    pub protection: &'static str,
}

/// A thing that is explained.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(tag = "topic", rename_all = "lowercase")]
pub enum TopicRecord {
    /// A rule.
    Rule {
        /// Its id.
        id: &'static str,
        /// Its usual level.
        #[cfg_attr(feature = "schema", schemars(with = "crate::words::Level"))]
        level: Level,
        /// The platform; null for both.
        #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Platform>"))]
        platform: Option<Platform>,
        /// What it reports.
        summary: &'static str,
        /// What happens if a finding stays.
        effect: &'static str,
        /// A fragment that it reports.
        wrong: &'static str,
        /// The fragment as it should be.
        right: &'static str,
        /// What mends it.
        remedy: &'static str,
        /// The title of the platform's page.
        source: &'static str,
    },
    /// A capability.
    Capability {
        /// Its name.
        name: &'static str,
        /// Its title.
        title: &'static str,
        /// What it means.
        meaning: &'static str,
        /// What it stands for on Android.
        android: Vec<String>,
        /// What it stands for on iOS.
        ios: Vec<String>,
        /// What many apps want beside it, depending on how they use it.
        beside: Vec<BesideRecord>,
    },
    /// A permission of Android.
    Permission {
        /// Its full name.
        name: &'static str,
        /// The level that brought it.
        first_level: u32,
        /// The last level that has it; null where it is still there.
        last_level: Option<u32>,
        /// Its protection.
        protection: &'static str,
        /// How its protection changed; empty where it never did.
        protection_changes: Vec<ProtectionRecord>,
        /// How it is granted.
        #[cfg_attr(feature = "schema", schemars(with = "crate::words::Grant"))]
        grant: Grant,
        /// The group of its dialog.
        group: Option<&'static str>,
        /// What replaces it.
        superseded: Option<SupersededRecord>,
        /// What must be declared beside it.
        companions: Vec<CompanionRecord>,
        /// What the store wants.
        store: Option<&'static str>,
        /// What hangs on the use that an app makes of it, in sentences; empty where nothing does.
        advice: Vec<&'static str>,
        /// The capabilities that stand for it.
        capabilities: Vec<&'static str>,
    },
    /// A key that holds a purpose.
    Usage {
        /// The key.
        key: &'static str,
        /// The system that reads it.
        platform: &'static str,
        /// What it opens.
        opens: &'static str,
        /// The last version that reads it.
        #[cfg_attr(feature = "schema", schemars(with = "Option<String>"))]
        until: Option<Version>,
        /// The keys that are read instead.
        replaced_by: Vec<&'static str>,
        /// What happens without it.
        without: &'static str,
        /// The capabilities that stand for it.
        capabilities: Vec<&'static str>,
    },
    /// Another key of `Info.plist`.
    Key {
        /// The key.
        key: &'static str,
        /// The type of its value.
        #[serde(rename = "type")]
        value_type: &'static str,
        /// The values that the system accepts; empty where it does not say.
        values: Vec<&'static str>,
    },
    /// An entitlement.
    Entitlement {
        /// The key.
        key: &'static str,
        /// The type of its value.
        #[serde(rename = "type")]
        value_type: &'static str,
        /// The values that the platform accepts; empty where it takes others.
        values: Vec<&'static str>,
        /// The name of the tick box in the project editor; empty where there is none.
        capability: &'static str,
        /// What it costs: `paid`, `approval` or nothing.
        cost: &'static str,
        /// The capabilities that stand for it.
        capabilities: Vec<&'static str>,
    },
    /// A background mode.
    #[serde(rename = "background-mode")]
    BackgroundMode {
        /// The value.
        value: &'static str,
        /// The name of the tick box in the project editor; empty where there is none.
        title: &'static str,
        /// What happens without it.
        without: &'static str,
    },
    /// Another word of a manifest, an intent or `config.xml`.
    Word {
        /// What kind of word it is: `element`, `attribute`, `action`, `category` or `preference`.
        kind: &'static str,
        /// The word.
        name: &'static str,
    },
}

impl ExplainedRecord {
    /// Makes the record of a topic, with others of the same name. `lines` says what a capability stands for on a platform.
    pub fn of(topic: &Topic, others: &[Topic], lines: impl Fn(Capability, Platform) -> Vec<String>) -> Self {
        let words = topic.word().map(|word| WordsRecord {
            what: word.what,
            since: word.since,
            without: word.without,
            example: word.example,
            related: word.related.clone(),
        });
        let also = others.iter().map(|one| format!("{} {}", one.kind(), one.name())).collect();
        ExplainedRecord { topic: TopicRecord::of(topic, lines), words, also }
    }
}

/// What replaces a permission.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SupersededRecord {
    /// The target level from which on it is replaced.
    pub target_from: u32,
    /// The level at which it should end.
    pub cap: u32,
    /// What takes over.
    pub successors: Vec<&'static str>,
    /// What happens above that level.
    pub effect: &'static str,
}

/// What must be declared beside a permission.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CompanionRecord {
    /// The target level from which on it must be there.
    pub target_from: u32,
    /// The permissions of which one is enough.
    pub one_of: Vec<&'static str>,
    /// What happens without it.
    pub effect: &'static str,
}

impl RuleLineRecord {
    /// Makes the line of a rule.
    #[must_use]
    pub fn of(about: &About) -> Self {
        RuleLineRecord { id: about.id, level: about.level, summary: about.summary }
    }
}

impl TopicRecord {
    /// Makes the record of a topic. `lines` says what a capability stands for on a platform.
    pub fn of(topic: &Topic, lines: impl Fn(Capability, Platform) -> Vec<String>) -> Self {
        let names = |capabilities: &[Capability]| capabilities.iter().map(|one| one.name).collect::<Vec<_>>();
        match topic {
            Topic::Rule(about) => TopicRecord::Rule {
                id: about.id,
                level: about.level,
                platform: about.platform,
                summary: about.summary,
                effect: about.effect,
                wrong: about.wrong,
                right: about.right,
                remedy: about.remedy,
                source: about.source,
            },
            Topic::Capability(one) => TopicRecord::Capability {
                beside: one.beside().map(BesideRecord::from).collect(),
                name: one.name,
                title: one.title,
                meaning: one.meaning,
                android: lines(*one, Platform::Android),
                ios: lines(*one, Platform::Ios),
            },
            Topic::Permission { known, changes, succession, companions, review, advice, capabilities } => {
                TopicRecord::Permission {
                    name: known.name,
                    first_level: known.first_level,
                    last_level: known.last_level,
                    protection: known.protection,
                    protection_changes: changes
                        .iter()
                        .map(|(protection, from_level)| ProtectionRecord { from_level: *from_level, protection })
                        .collect(),
                    grant: known.grant(),
                    group: known.group(),
                    superseded: succession.as_ref().map(|one| SupersededRecord {
                        target_from: one.target_from,
                        cap: one.cap,
                        successors: one.successors.clone(),
                        effect: one.effect,
                    }),
                    companions: companions
                        .iter()
                        .map(|one| CompanionRecord {
                            target_from: one.target_from,
                            one_of: one.one_of.clone(),
                            effect: one.effect,
                        })
                        .collect(),
                    store: *review,
                    advice: advice.clone(),
                    capabilities: names(capabilities),
                }
            }
            Topic::Usage { known, capabilities } => TopicRecord::Usage {
                key: known.key,
                platform: known.platform,
                opens: known.opens,
                until: known.until,
                replaced_by: known.replaced_by.clone(),
                without: known.without.effect(),
                capabilities: names(capabilities),
            },
            Topic::Key(known) => {
                TopicRecord::Key { key: known.key, value_type: known.value_type, values: known.values().collect() }
            }
            Topic::Entitlement { known, capabilities } => TopicRecord::Entitlement {
                key: known.key,
                value_type: known.value_type,
                values: known.values().collect(),
                capability: known.capability,
                cost: known.cost,
                capabilities: names(capabilities),
            },
            Topic::BackgroundMode(mode) => {
                TopicRecord::BackgroundMode { value: mode.value, title: mode.title, without: mode.without }
            }
            Topic::Word(word) => TopicRecord::Word { kind: word.kind.id(), name: word.name },
        }
    }
}
