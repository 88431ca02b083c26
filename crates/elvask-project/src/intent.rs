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
    /// Further values, of a filter that has several of a part: the platform pools them, so that each goes with each of the others.
    pub more: Vec<(Part, String)>,
}

/// A part of a filter of which there may be several.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Part {
    /// The action.
    Action,
    /// The scheme.
    Scheme,
    /// The host.
    Host,
    /// The port.
    Port,
    /// The whole path.
    Path,
    /// How the path starts.
    PathPrefix,
    /// What the path looks like.
    PathPattern,
    /// The type.
    Mime,
}

impl Part {
    /// All parts, in the order in which they are written.
    pub const ALL: [Part; 8] = [
        Part::Action,
        Part::Scheme,
        Part::Host,
        Part::Port,
        Part::Path,
        Part::PathPrefix,
        Part::PathPattern,
        Part::Mime,
    ];

    /// Returns the word for it in sheets.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Part::Action => "action",
            Part::Scheme => "scheme",
            Part::Host => "host",
            Part::Port => "port",
            Part::Path => "path",
            Part::PathPrefix => "path-prefix",
            Part::PathPattern => "path-pattern",
            Part::Mime => "mime",
        }
    }

    /// Returns the attribute of `<data>` that holds it; that of `<action>` for an action.
    #[must_use]
    pub fn attribute(self) -> &'static str {
        match self {
            Part::Action => "name",
            Part::Scheme => "scheme",
            Part::Host => "host",
            Part::Port => "port",
            Part::Path => "path",
            Part::PathPrefix => "pathPrefix",
            Part::PathPattern => "pathPattern",
            Part::Mime => "mimeType",
        }
    }
}

impl Query {
    /// Returns the first value of a part.
    #[must_use]
    pub fn first(&self, part: Part) -> Option<&str> {
        match part {
            Part::Action => self.action.as_deref(),
            Part::Scheme => self.scheme.as_deref(),
            Part::Host => self.host.as_deref(),
            Part::Port => self.port.as_deref(),
            Part::Path => self.path.as_deref(),
            Part::PathPrefix => self.path_prefix.as_deref(),
            Part::PathPattern => self.path_pattern.as_deref(),
            Part::Mime => self.mime.as_deref(),
        }
    }

    fn slot(&mut self, part: Part) -> &mut Option<String> {
        match part {
            Part::Action => &mut self.action,
            Part::Scheme => &mut self.scheme,
            Part::Host => &mut self.host,
            Part::Port => &mut self.port,
            Part::Path => &mut self.path,
            Part::PathPrefix => &mut self.path_prefix,
            Part::PathPattern => &mut self.path_pattern,
            Part::Mime => &mut self.mime,
        }
    }

    /// Returns all values of a part.
    #[must_use]
    pub fn all(&self, part: Part) -> Vec<&str> {
        let more = self.more.iter().filter(|(known, _)| *known == part).map(|(_, value)| value.as_str());
        self.first(part).into_iter().chain(more).collect()
    }

    /// Adds a value of a part, unless it is there already.
    pub fn add(&mut self, part: Part, value: String) {
        if self.all(part).contains(&value.as_str()) {
            return;
        }
        match self.slot(part) {
            slot @ None => *slot = Some(value),
            Some(_) => self.more.push((part, value)),
        }
    }

    /// Puts other values in the place of those there are; equal ones become one.
    ///
    /// # Errors
    /// The first error of `change`.
    pub fn changed<E>(&self, change: &dyn Fn(Part, &str) -> Result<String, E>) -> Result<Query, E> {
        let categories = self.categories.clone();
        let (package, authority) = (self.package.clone(), self.authority.clone());
        let mut out = Query { package, authority, categories, ..Query::default() };
        for part in Part::ALL {
            for value in self.all(part) {
                out.add(part, change(part, value)?);
            }
        }
        Ok(out)
    }

    /// Returns what identifies the query: its package, its authority, or action and scheme.
    #[must_use]
    pub fn name(&self) -> String {
        if let Some(name) = self.package.as_ref().or(self.authority.as_ref()) {
            return name.clone();
        }
        let action = self.action.as_deref().unwrap_or("*");
        let (schemes, types) = (self.all(Part::Scheme).join(","), self.all(Part::Mime).join(","));
        let data = if schemes.is_empty() { types } else { schemes };
        if data.is_empty() { action.to_owned() } else { format!("{action} {data}") }
    }
}
