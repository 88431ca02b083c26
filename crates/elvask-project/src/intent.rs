//! What an intent filter takes and what a query asks about, and the element of a manifest that something belongs to.

use serde::{Deserialize, Serialize};

/// The element of a manifest that something belongs to.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Owner {
    /// The activity that the launcher starts.
    Launcher,
    /// The element `<application>`.
    Application,
    /// The component of that class.
    Class(String),
}

impl Owner {
    /// Reads the word for it in a sheet.
    #[must_use]
    pub fn parse(text: &str) -> Self {
        match text {
            "launcher" => Owner::Launcher,
            "application" => Owner::Application,
            class => Owner::Class(class.to_owned()),
        }
    }

    /// Returns the word for it in a sheet.
    #[must_use]
    pub fn word(&self) -> &str {
        match self {
            Owner::Launcher => "launcher",
            Owner::Application => "application",
            Owner::Class(class) => class,
        }
    }

    /// Returns it for people.
    #[must_use]
    pub fn title(&self) -> String {
        match self {
            Owner::Launcher => "the launcher activity".to_owned(),
            Owner::Application => "`<application>`".to_owned(),
            Owner::Class(class) => format!("`{class}`"),
        }
    }
}

/// What an app wants to see of other apps, by package, by provider or by what they can do; and what an intent filter takes.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(default)]
pub struct Query {
    /// The package that is asked for.
    pub package: Option<String>,
    /// The authority of the provider that is asked for.
    pub authority: Option<String>,
    /// The action of the intent.
    pub action: Option<String>,
    /// The categories of the intent.
    pub categories: Vec<String>,
    /// The scheme of its data.
    pub scheme: Option<String>,
    /// The host of its data.
    pub host: Option<String>,
    /// The port of its data.
    pub port: Option<String>,
    /// The whole path of its data.
    pub path: Option<String>,
    /// How the path starts.
    pub path_prefix: Option<String>,
    /// What the path looks like, with the platform's wildcards.
    pub path_pattern: Option<String>,
    /// The type of its data.
    pub mime: Option<String>,
}

impl Query {
    /// Returns what identifies the query: its package, its authority, or action and scheme.
    #[must_use]
    pub fn name(&self) -> String {
        if let Some(name) = self.package.as_ref().or(self.authority.as_ref()) {
            return name.clone();
        }
        let action = self.action.as_deref().unwrap_or("*");
        match self.scheme.as_ref().or(self.mime.as_ref()) {
            Some(data) => format!("{action} {data}"),
            None => action.to_owned(),
        }
    }
}
