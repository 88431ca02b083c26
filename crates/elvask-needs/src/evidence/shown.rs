//! How the files of a package show that it can use something: what decides whether that comes to an app.

use serde::{Deserialize, Serialize};

/// The most places in code that are remembered for one thing.
const MAX_OCCURRENCES: usize = 48;

/// The most texts of an example that are remembered for one purpose.
const MAX_TEXTS: usize = 4;

/// How the files of a package show something.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shown {
    /// Where native code uses it or names it.
    pub code: Vec<Occurrence>,
    /// What its notes say of it.
    pub notes: Option<Notes>,
    /// Only a script says so that comes with the package and changes an app's files for another tool.
    pub script: bool,
    /// Of a component that notes alone show: nothing in the package, or in what its build depends on, looks like its class.
    pub class_unseen: bool,
    /// Of a purpose: the texts that the package's notes show for an example.
    pub texts: Vec<String>,
    /// Such a script names it too, so that the tool which runs it writes it.
    pub by_script: bool,
}

/// What notes say of who needs something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Notes {
    /// Everybody who has the package.
    Everybody,
    /// Those who use a part of it.
    Some,
}

/// One place in native code.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Occurrence {
    /// How it is used there.
    pub how: Use,
    /// The part of the package that the place belongs to.
    pub part: Part,
    /// What must be so for the place to be compiled.
    pub within: Within,
}

/// The part of a package that a place in its code belongs to.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Part {
    /// The name of the file, without its ending.
    pub file: String,
    /// The name of the folder that it lies in.
    pub folder: String,
    /// The function around the place, where one is found.
    pub function: Option<String>,
    /// Whether that function is one that scripts call by its name.
    pub called_by_name: bool,
}

/// How code uses something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Use {
    /// It calls what cannot work without it.
    Called,
    /// It asks the person for it, for whoever tells it to.
    Asked,
    /// It probably does: the symbol has uses that need nothing.
    Likely,
    /// It is used only if it is granted, or an argument of the call decides.
    Guarded,
    /// It only names it.
    Named,
}

/// What must be so for code to be compiled into an app.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum Within {
    /// Nothing: it comes with the package.
    Package,
    /// The app takes this part of the package, which its description does not take by itself: `Part` of `Name/Part`, or the
    /// name of a description of its own.
    Pod(String),
    /// A compile condition holds.
    Condition(String),
}

impl Shown {
    /// Makes one of a place in code.
    pub(crate) fn in_code(how: Use, part: Part, within: Within) -> Self {
        Shown { code: vec![Occurrence { how, part, within }], ..Shown::default() }
    }

    /// Makes one of what notes say.
    pub(super) fn in_notes(notes: Notes) -> Self {
        Shown { notes: Some(notes), ..Shown::default() }
    }

    /// Takes in what else shows the same thing. Notes that name a condition anywhere outweigh those that name none.
    pub(super) fn join(&mut self, other: Shown) {
        self.script &= other.script;
        self.by_script |= other.by_script;
        self.class_unseen &= other.class_unseen;
        for text in other.texts {
            if self.texts.len() < MAX_TEXTS && !self.texts.contains(&text) {
                self.texts.push(text);
            }
        }
        self.notes = self.notes.max(other.notes);
        for occurrence in other.code {
            if self.code.len() < MAX_OCCURRENCES && !self.code.contains(&occurrence) {
                self.code.push(occurrence);
            }
        }
    }
}
