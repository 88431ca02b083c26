//! The JSON of `prompts`.

use elvask_core::prompts::{Met, Prompt};
use elvask_platform::Confidence;
use elvask_platform::prompts::room;

use super::*;

/// What `prompts --format json` prints.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PromptsRecord {
    /// The version of the JSON.
    pub format: u32,
    /// What a person meets, device by device.
    pub devices: Vec<MetRecord>,
}

/// What a person meets on one device.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct MetRecord {
    /// The platform.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// Its level or version.
    pub level: String,
    /// The language of the device; null for the app's own.
    pub language: Option<String>,
    /// The name under which the app asks; null where only the build knows it.
    pub name: Option<String>,
    /// The languages in which the app has texts.
    pub languages: Vec<String>,
    /// How many letters of a purpose are in a line, and how many lines are seen at once: approximate.
    pub room: RoomRecord,
    /// What is asked, in the order in which apps usually ask.
    pub prompts: Vec<PromptRecord>,
    /// Permissions that are asked for by a dialog that is not described.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub undescribed: Vec<String>,
}

/// How much of a text a dialog shows.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RoomRecord {
    /// The letters of a line.
    pub letters: usize,
    /// The lines.
    pub lines: usize,
}

/// One thing that is asked.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PromptRecord {
    /// What it is about: `camera`.
    pub about: &'static str,
    /// How the system asks: `dialog`, `sheet`, `screen` (of the settings), `with` (a part of another dialog) or `none`.
    pub form: &'static str,
    /// The title with the app's name; of a screen the way to it.
    pub title: String,
    /// The purpose in it; null where the system shows none.
    pub purpose: Option<ShownRecord>,
    /// What can be chosen, from top to bottom.
    pub buttons: Vec<ButtonRecord>,
    /// What opens it.
    pub asked_by: &'static str,
    /// What else there is to know.
    pub also: Option<&'static str>,
    /// The one that must be granted before.
    pub after: Option<&'static str>,
    /// What happens in its place; null where it appears.
    pub instead: Option<String>,
    /// The declarations behind it.
    pub declared: Vec<BehindRecord>,
    /// The plugins that need them.
    pub needed_by: Vec<NeededByRecord>,
    /// What is otherwise on other levels that the app runs on.
    pub elsewhere: Vec<String>,
    /// The page of the platform's documentation.
    pub source: &'static str,
    /// How sure the words are: `high`, `medium` or `low`.
    pub confidence: &'static str,
}

/// A purpose in a dialog.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ShownRecord {
    /// The whole text.
    pub text: String,
    /// The lines that are seen at once.
    pub lines: Vec<String>,
    /// Whether there is more of it.
    pub is_cut: bool,
    /// The language that it is of, where it is another one than was asked for.
    pub in_place_of: Option<String>,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PlaceRecord,
    /// The texts in the app's other languages; null where a language has none of its own.
    pub others: BTreeMap<String, Option<String>>,
}

/// A button, or what else can be chosen.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ButtonRecord {
    /// The words on it, in English.
    pub label: &'static str,
    /// What is chosen: `allow`, `always`, `used`, `once`, `ask`, `limited`, `add`, `deny`, `on` or `off`.
    pub choice: &'static str,
    /// How long and how much is given.
    pub means: &'static str,
    /// What comes back to the app.
    pub answer: &'static str,
}

/// A declaration behind a dialog.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct BehindRecord {
    /// Its kind.
    pub kind: &'static str,
    /// What identifies it.
    pub name: String,
    /// Where it stands; null where it is needed and not there.
    pub place: Option<PlaceRecord>,
    /// The variants or configurations that have it, where not all have.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub only_in: Vec<String>,
}

impl MetRecord {
    /// Turns what is met into a record.
    #[must_use]
    pub fn of(sources: &Sources, met: &Met) -> Self {
        let room = room(met.platform);
        MetRecord {
            platform: met.platform,
            level: met.level_text(),
            language: met.language.clone(),
            name: met.name.clone(),
            languages: met.languages.clone(),
            room: RoomRecord { letters: room.letters, lines: room.lines },
            prompts: met.prompts.iter().map(|one| PromptRecord::of(sources, one)).collect(),
            undescribed: met.undescribed.clone(),
        }
    }
}

impl PromptRecord {
    fn of(sources: &Sources, one: &Prompt) -> Self {
        let spec = one.spec;
        PromptRecord {
            about: spec.id,
            form: spec.form.word(),
            title: one.title.clone(),
            purpose: one.purpose.as_ref().map(|shown| ShownRecord {
                text: shown.text.clone(),
                lines: shown.lines.clone(),
                is_cut: shown.is_cut,
                in_place_of: shown.in_place_of.clone(),
                place: PlaceRecord::of(sources, shown.place),
                others: one.others.iter().cloned().collect(),
            }),
            buttons: spec
                .buttons
                .iter()
                .map(|button| ButtonRecord {
                    label: button.label,
                    choice: button.choice.word(),
                    means: button.means,
                    answer: button.answer,
                })
                .collect(),
            asked_by: spec.asked_by,
            also: one.also,
            after: spec.after,
            instead: one.instead.clone(),
            declared: one
                .behind
                .iter()
                .map(|behind| BehindRecord {
                    kind: behind.kind,
                    name: behind.name.clone(),
                    place: behind.place.map(|place| PlaceRecord::of(sources, place)),
                    only_in: behind.only_in.clone(),
                })
                .collect(),
            needed_by: one.needed_by.iter().map(NeededByRecord::of).collect(),
            elsewhere: one.elsewhere.clone(),
            source: spec.source,
            confidence: match spec.confidence {
                Confidence::High => "high",
                Confidence::Medium => "medium",
                Confidence::Low => "low",
            },
        }
    }
}
