//! What a platform does with a link.

use elvask_project::source::Place;
use serde::Serialize;

/// What comes of a link.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Outcome {
    /// The app opens.
    App,
    /// A person is asked.
    Chooser,
    /// The browser opens.
    Browser,
    /// Nothing opens, or another app that is not known here.
    Nothing,
}

impl Outcome {
    /// Returns the word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Outcome::App => "app",
            Outcome::Chooser => "chooser",
            Outcome::Browser => "browser",
            Outcome::Nothing => "nothing",
        }
    }
}

/// An entry of the app that takes a link.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hit {
    /// The full class name; an alias by its own name; `None` on iOS.
    pub component: Option<String>,
    /// Where the filter, the URL type or the domain stands.
    pub place: Place,
}

/// How an app is told of a link, by the state that it is in.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Delivery {
    /// It does not run.
    pub closed: String,
    /// It runs and is not seen.
    pub background: String,
    /// It is in front.
    pub foreground: String,
}

/// What one platform does with a link.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Attempt {
    /// What opens.
    pub outcome: Outcome,
    /// The entries of the app that take it.
    pub entries: Vec<Hit>,
    /// Whether the website vouches for the app; `None` where that is not known or plays no part.
    pub verified: Option<bool>,
    /// The rule that decided, in a sentence without a full stop.
    pub because: String,
    /// How the app is told, where it may be.
    pub delivery: Option<Delivery>,
    /// What a chooser shows.
    pub choices: Vec<String>,
    /// What else a person should know, in sentences without a full stop.
    pub notes: Vec<String>,
}

impl Attempt {
    /// Makes an attempt that does not reach the app.
    #[must_use]
    pub fn without(outcome: Outcome, verified: Option<bool>, because: String) -> Self {
        Attempt {
            outcome,
            entries: Vec::new(),
            verified,
            because,
            delivery: None,
            choices: Vec::new(),
            notes: Vec::new(),
        }
    }
}
