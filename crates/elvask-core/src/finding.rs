//! Findings: what a rule reports, with its place, its reasons and its remedy.

use elvask_markup::{Edit, EditError, EditSet};
use elvask_platform::Platform;

use crate::app::App;
pub use crate::level::Level;
use crate::reach::Reached;
use crate::requirement::{Citation, Requirement};
use crate::rules::About;
use crate::source::{FileId, Place, Sources};

/// Who needs something, and where that was learnt.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NeededBy {
    /// The plugin's name.
    pub plugin: String,
    /// Its installed version.
    pub version: Option<String>,
    /// The lines that show it, the weightiest evidence first. There is at least one.
    pub learnt: Vec<Citation>,
    /// Why it is needed, in the words of the sheet.
    pub reason: Option<String>,
    /// Where the plugin's own notes say so.
    pub reference: Option<String>,
    /// The capability that it is part of.
    pub capability: Option<&'static str>,
    /// Whether its own manifest declares it, so that the build brings it into the app.
    pub brought: bool,
    /// How the need comes to this app.
    pub reached: Reached,
}

impl NeededBy {
    /// Returns who stands behind a requirement.
    #[must_use]
    pub fn of(app: &App, requirement: &Requirement) -> Self {
        let plugin = app.plugins.get(requirement.plugin);
        NeededBy {
            plugin: plugin.map(|plugin| plugin.name.clone()).unwrap_or_default(),
            version: plugin.and_then(|plugin| plugin.version.clone()),
            learnt: requirement.citations(&app.sources),
            reason: requirement.reason.clone(),
            reference: requirement.reference.clone(),
            capability: requirement.capability.map(|capability| capability.name),
            brought: requirement.brought,
            reached: requirement.reached.clone(),
        }
    }
}

/// A value that only the app's owner can give.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Want {
    /// A purpose.
    Purpose {
        /// The key that holds it.
        key: String,
        /// The capabilities under which `elvask.toml` may hold it.
        capabilities: Vec<&'static str>,
    },
    /// An answer to a plugin's question.
    Answer {
        /// The plugin.
        plugin: String,
        /// The name of the answer.
        key: String,
        /// What it is and where to find it.
        title: Option<String>,
        /// What it must look like.
        pattern: Option<String>,
    },
    /// Consent to something that makes the app less safe.
    Consent {
        /// What is asked for.
        subject: String,
        /// What it means.
        meaning: String,
    },
}

impl Want {
    /// Returns the words of a command line that give it.
    #[must_use]
    pub fn option(&self) -> String {
        match self {
            Want::Purpose { key, capabilities } => {
                format!("--purpose {}=\"…\"", capabilities.first().copied().unwrap_or(key))
            }
            Want::Answer { plugin, key, .. } => format!("--answer {plugin}.{key}=…"),
            Want::Consent { subject, .. } => format!("--consent {subject}"),
        }
    }

    /// Returns the table of `elvask.toml` that it goes into, and the key there; `None` for a consent, which is given anew
    /// each time.
    #[must_use]
    pub fn config_place(&self) -> Option<(String, &str)> {
        match self {
            Want::Purpose { key, capabilities } => {
                Some(("[purposes]".to_owned(), capabilities.first().copied().unwrap_or(key)))
            }
            Want::Answer { plugin, key, .. } => {
                // A name with a scope holds signs that TOML wants in quotes.
                let bare = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '_' | '-');
                let plugin = if plugin.chars().all(bare) { plugin.clone() } else { format!("{plugin:?}") };
                Some((format!("[plugins.{plugin}.answers]"), key))
            }
            Want::Consent { .. } => None,
        }
    }

    /// Returns the lines of `elvask.toml` that give it; `None` for a consent.
    #[must_use]
    pub fn config_lines(&self) -> Option<String> {
        let (table, key) = self.config_place()?;
        Some(format!("{table}\n{key} = \"…\""))
    }
}

/// What mends a finding.
#[derive(Debug, Clone, PartialEq)]
pub enum Remedy {
    /// Edits that a machine can make.
    Edit {
        /// What they do, in a few words.
        title: String,
        /// The edits, by file.
        edits: Vec<(FileId, Vec<Edit>)>,
        /// The thing that they make so that others can go into it; of several remedies that make the same thing one is
        /// enough, and the others are planned anew.
        makes: Option<String>,
    },
    /// Edits that wait for a value.
    Answer {
        /// What is wanted.
        wants: Vec<Want>,
        /// The lines that will be written, with an ellipsis for each value.
        lines: String,
    },
    /// Steps that a person must take.
    Manual(String),
}

impl Remedy {
    /// Makes a remedy of edits to one file.
    pub fn edit(title: impl Into<String>, file: FileId, edits: Vec<Edit>) -> Self {
        Remedy::Edit { title: title.into(), edits: vec![(file, edits)], makes: None }
    }

    /// Says that the edits make a thing into which others can go, under a name that is the same for all that make it. What
    /// was said first stays.
    #[must_use]
    pub fn making(mut self, name: &str) -> Self {
        if let Remedy::Edit { makes, .. } = &mut self {
            makes.get_or_insert_with(|| name.to_owned());
        }
        self
    }

    /// Returns the word for the kind of remedy in JSON.
    #[must_use]
    pub fn kind(&self) -> &'static str {
        match self {
            Remedy::Edit { .. } => "edit",
            Remedy::Answer { .. } => "answer",
            Remedy::Manual(_) => "manual",
        }
    }

    /// Returns what it does, in a few words.
    #[must_use]
    pub fn title(&self) -> &str {
        match self {
            Remedy::Edit { title, .. } => title,
            Remedy::Answer { lines: text, .. } | Remedy::Manual(text) => text,
        }
    }

    /// Returns the lines to add, or the steps to take.
    #[must_use]
    pub fn text(&self) -> String {
        match self {
            Remedy::Manual(text) | Remedy::Answer { lines: text, .. } => text.clone(),
            Remedy::Edit { title, edits, .. } => {
                let inserted =
                    edits.iter().flat_map(|(_, edits)| edits).filter(|edit| edit.insert.contains(['<', '\n']));
                let lines: Vec<_> = inserted.map(|edit| dedent(&edit.insert)).collect();
                if lines.is_empty() { title.clone() } else { lines.join("\n") }
            }
        }
    }
}

/// Takes the common indentation and outer blank lines off a text.
fn dedent(text: &str) -> String {
    let lines: Vec<_> = text.lines().filter(|line| !line.trim().is_empty()).collect();
    let indent = lines.iter().map(|line| line.len() - line.trim_start().len()).min().unwrap_or(0);
    lines.iter().map(|line| line.get(indent..).unwrap_or(line).trim_end()).collect::<Vec<_>>().join("\n")
}

/// What a rule reports.
#[derive(Debug, Clone)]
pub struct Finding {
    /// The rule.
    pub rule: &'static About,
    /// How bad it is.
    pub level: Level,
    /// The platform, where it concerns one.
    pub platform: Option<Platform>,
    /// What it is about: the name of the requirement or declaration.
    pub subject: String,
    /// What is wrong, in a sentence without a full stop.
    pub message: String,
    /// What happens on a device or in review if it stays, in one or two sentences.
    pub effect: String,
    /// Where.
    pub place: Place,
    /// Another place that belongs to it, with a word about it.
    pub related: Option<(Place, String)>,
    /// Who needs it.
    pub needed_by: Vec<NeededBy>,
    /// The variants that it holds for; none where it has nothing to do with variants.
    pub variants: Vec<String>,
    /// What mends it.
    pub remedy: Remedy,
    /// Whether it is mended only where it is named, as what would be written may be unwanted.
    pub only_if_named: bool,
    /// The reason for which it is accepted, where it is.
    pub waived: Option<String>,
}

impl Finding {
    /// Makes a finding of a rule at its own level, to be told apart with the other methods.
    pub fn new(rule: &'static About, subject: impl Into<String>, place: Place, message: impl Into<String>) -> Self {
        Finding {
            rule,
            level: rule.level,
            platform: rule.platform,
            subject: subject.into(),
            message: message.into(),
            effect: rule.effect.to_owned(),
            place,
            related: None,
            needed_by: Vec::new(),
            variants: Vec::new(),
            remedy: Remedy::Manual(String::new()),
            only_if_named: false,
            waived: None,
        }
    }

    /// Sets what mends it.
    #[must_use]
    pub fn mend(mut self, remedy: Remedy) -> Self {
        self.remedy = remedy;
        self
    }

    /// Sets another level than the rule's.
    #[must_use]
    pub fn level(mut self, level: Level) -> Self {
        self.level = level;
        self
    }

    /// Sets what happens if it stays.
    #[must_use]
    pub fn effect(mut self, effect: impl Into<String>) -> Self {
        self.effect = effect.into();
        self
    }

    /// Adds another place.
    #[must_use]
    pub fn related(mut self, place: Place, label: impl Into<String>) -> Self {
        self.related = Some((place, label.into()));
        self
    }

    /// Says which variants it holds for.
    #[must_use]
    pub fn in_variants(mut self, variants: Vec<String>) -> Self {
        self.variants = variants;
        self
    }

    /// Says that it is mended only where it is named.
    #[must_use]
    pub fn only_if_named(mut self, only: bool) -> Self {
        self.only_if_named = only;
        self
    }

    /// Says whether `fill` mends it only where it is named: a note, or what may be unwanted.
    #[must_use]
    pub fn waits_for_its_name(&self) -> bool {
        self.level == Level::Note || self.only_if_named
    }

    /// Adds who needs it.
    #[must_use]
    pub fn needed_by<'r>(mut self, app: &App, requirements: impl IntoIterator<Item = &'r Requirement>) -> Self {
        self.needed_by = requirements.into_iter().map(|requirement| NeededBy::of(app, requirement)).collect();
        self
    }

    /// Says whether the finding counts: it is not waived.
    #[must_use]
    pub fn counts(&self) -> bool {
        self.waived.is_none()
    }
}

/// Adds the edits of remedies to sets by file, each remedy whole or not at all.
#[derive(Debug, Clone, Default)]
pub struct Edits {
    sets: Vec<(FileId, EditSet)>,
}

impl Edits {
    /// Adds the edits of one remedy.
    ///
    /// # Errors
    /// [`EditError::Overlap`] when they touch what another remedy changes; nothing is added then.
    pub fn add(&mut self, edits: &[(FileId, Vec<Edit>)]) -> Result<(), EditError> {
        let mut grown = self.sets.clone();
        for (file, edits) in edits {
            let at = match grown.iter().position(|(known, _)| known == file) {
                Some(at) => at,
                None => {
                    grown.push((*file, EditSet::new()));
                    grown.len() - 1
                }
            };
            if let Some((_, set)) = grown.get_mut(at) {
                set.add(edits)?;
            }
        }
        self.sets = grown;
        Ok(())
    }

    /// Says whether there is nothing to do.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.sets.iter().all(|(_, set)| set.is_empty())
    }

    /// Applies the edits to the texts that they were planned against.
    ///
    /// # Errors
    /// [`EditError::OutOfText`] when an edit does not fit its text.
    pub fn apply(&self, sources: &mut Sources) -> Result<(), EditError> {
        for (file, set) in &self.sets {
            let text = set.apply(&sources.file(*file).text)?;
            sources.replace(*file, text);
        }
        Ok(())
    }
}
