//! Remedies: what mends a finding, and what only the app's owner can say first.

use elvask_markup::Edit;
use elvask_project::source::FileId;

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
