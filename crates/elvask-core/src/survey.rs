//! The survey: the table of contents of what an app declares, as its platforms see it.

mod android;
mod ios;
mod variants;

pub use variants::{Difference, differences};

use elvask_markup::plist::ValueKind;
use elvask_platform::Platform;
use elvask_platform::android::Grant;

use crate::app::{App, Unresolved};
use crate::check::Context;
use crate::finding::NeededBy;
use crate::merge::Merged;
use crate::requirement::Requirement;
use crate::source::Place;

/// One thing that the app declares.
#[derive(Debug, Clone)]
pub struct Declaration {
    /// Where.
    pub platform: Platform,
    /// The heading that it stands under.
    pub section: Section,
    /// The word for its kind.
    pub kind: &'static str,
    /// What identifies it to the platform.
    pub name: String,
    /// Its value, where it has one.
    pub value: Option<String>,
    /// Where it stands.
    pub place: Place,
    /// The source set, plugin or configuration that it comes from; `None` where there is but one.
    pub origin: Option<String>,
    /// Weaker values that it won over, with their places.
    pub overrode: Vec<(String, Place)>,
    /// The variants or configurations that have it, where not all have.
    pub only_in: Vec<String>,
    /// Of purposes and names: the texts in other languages.
    pub translations: Vec<(String, String, Place)>,
    /// The plugins that need it.
    pub needed_by: Vec<NeededBy>,
    /// Of permissions: how the app comes by it.
    pub grant: Option<Grant>,
    /// Of permissions that are asked for: the group under which they are.
    pub group: Option<&'static str>,
    /// Why the platform does not see it, where it does not.
    pub ignored: Option<&'static str>,
    /// What is odd about it, though the platform sees it.
    pub doubt: Option<&'static str>,
}

impl Declaration {
    fn new(platform: Platform, section: Section, kind: &'static str, name: impl Into<String>, place: Place) -> Self {
        Declaration {
            platform,
            section,
            kind,
            name: name.into(),
            value: None,
            place,
            origin: None,
            overrode: Vec::new(),
            only_in: Vec::new(),
            translations: Vec::new(),
            needed_by: Vec::new(),
            grant: None,
            group: None,
            ignored: None,
            doubt: None,
        }
    }
}

/// The headings of the survey, in their order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Section {
    /// Who the app is.
    Identity,
    /// The levels and versions that it runs on.
    Levels,
    /// Permissions.
    Permissions,
    /// Hardware and system features.
    Features,
    /// Other apps that it may see.
    Queries,
    /// Intent filters: links and what else comes in from other apps.
    Filters,
    /// Components.
    Components,
    /// Meta-data.
    MetaData,
    /// Purposes.
    Purposes,
    /// Schemes that it asks about.
    QuerySchemes,
    /// Schemes that it opens for.
    UrlSchemes,
    /// Domains that it is associated with.
    Domains,
    /// Background modes.
    BackgroundModes,
    /// Entitlements.
    Entitlements,
    /// What it may reach over the network, and how.
    Network,
    /// Orientation.
    Orientation,
    /// Icons and names.
    Look,
    /// Attributes that plugins ask for.
    Attributes,
    /// Privacy manifests.
    Privacy,
    /// What it embeds.
    Extensions,
    /// All other keys.
    Keys,
}

impl Section {
    /// All sections.
    pub const ALL: [Section; 21] = [
        Section::Identity,
        Section::Levels,
        Section::Permissions,
        Section::Features,
        Section::Queries,
        Section::Filters,
        Section::Components,
        Section::MetaData,
        Section::Purposes,
        Section::QuerySchemes,
        Section::UrlSchemes,
        Section::Domains,
        Section::BackgroundModes,
        Section::Entitlements,
        Section::Network,
        Section::Orientation,
        Section::Look,
        Section::Attributes,
        Section::Privacy,
        Section::Extensions,
        Section::Keys,
    ];

    /// Returns the heading for people.
    #[must_use]
    pub fn title(self) -> &'static str {
        match self {
            Section::Identity => "Identity",
            Section::Levels => "Levels",
            Section::Permissions => "Permissions",
            Section::Features => "Features",
            Section::Queries => "Visible packages",
            Section::Filters => "Filters",
            Section::Components => "Components",
            Section::MetaData => "Meta-data",
            Section::Purposes => "Purposes",
            Section::QuerySchemes => "Query schemes",
            Section::UrlSchemes => "URL schemes",
            Section::Domains => "Associated domains",
            Section::BackgroundModes => "Background modes",
            Section::Entitlements => "Entitlements",
            Section::Network => "Network rules",
            Section::Orientation => "Orientation",
            Section::Look => "Icons and names",
            Section::Attributes => "Attributes",
            Section::Privacy => "Privacy manifest",
            Section::Extensions => "Embedded",
            Section::Keys => "Other keys",
        }
    }
}

/// What an app is and declares.
#[derive(Debug, Clone)]
pub struct Survey {
    /// The declarations in the order of the platform, the section and the file.
    pub declarations: Vec<Declaration>,
    /// The components that the launcher or other apps start.
    pub entry_points: Vec<EntryPoint>,
    /// What cannot be known without running the build: of the app's files, and of the merge.
    pub unresolved: Vec<Unresolved>,
}

/// A component that something outside the app can start.
#[derive(Debug, Clone)]
pub struct EntryPoint {
    /// `activity`, `service`, `receiver` or `provider`.
    pub kind: String,
    /// The full class name.
    pub class: String,
    /// Whether the launcher starts it.
    pub launcher: bool,
    /// The permission that whoever starts it must hold.
    pub guarded_by: Option<String>,
    /// Where it stands.
    pub place: Place,
    /// The source set or plugin that it comes from.
    pub origin: Option<String>,
}

/// Gathers what an app declares.
#[must_use]
pub fn survey(context: &Context<'_>) -> Survey {
    let unresolved = context.app.unresolved.clone();
    let mut survey = Survey { declarations: Vec::new(), entry_points: Vec::new(), unresolved };
    for variant in &context.variants {
        survey.unresolved.extend(unfilled(&variant.merged, &survey.unresolved));
    }
    android::gather(context, &mut survey);
    ios::gather(context, &mut survey);
    survey.declarations.sort_by_key(|one| (one.platform, one.section));
    survey
}

/// Returns the placeholders of a manifest whose values are not known, without those that are told already.
#[must_use]
pub fn unfilled(merged: &Merged<'_>, told: &[Unresolved]) -> Vec<Unresolved> {
    let mut found: Vec<Unresolved> = Vec::new();
    for one in &merged.unfilled {
        // One that nothing can set stops the build, and is a conflict.
        let conflict = merged.problems.iter().any(|problem| problem.subject == one.name && problem.place == one.place);
        let known = told.iter().chain(&found).any(|known| known.place == one.place);
        if !conflict && !known {
            let what =
                format!("the placeholder ${{{}}} is not known: only running the build tells what sets it", one.name);
            found.push(Unresolved { what, place: one.place });
        }
    }
    found
}

fn needed(app: &App, requirements: &[Requirement]) -> Vec<NeededBy> {
    requirements.iter().map(|requirement| NeededBy::of(app, requirement)).collect()
}

/// Returns a value in a few words.
fn brief(kind: &ValueKind) -> String {
    match kind {
        ValueKind::Bool(value) => if *value { "yes" } else { "no" }.to_owned(),
        ValueKind::Integer(number) => number.to_string(),
        ValueKind::Real(number) => number.to_string(),
        ValueKind::Array(values) if values.len() == 1 && values.iter().all(|value| value.as_str().is_none()) => {
            "1 entry".to_owned()
        }
        ValueKind::Array(values) => match values.iter().map(|value| value.as_str()).collect::<Option<Vec<_>>>() {
            Some(texts) if texts.len() <= 4 => texts.join(", "),
            _ => format!("{} entries", values.len()),
        },
        ValueKind::Dict(entries) if entries.len() == 1 => "1 key".to_owned(),
        ValueKind::Dict(entries) => format!("{} keys", entries.len()),
        ValueKind::String(text) | ValueKind::Date(text) | ValueKind::Data(text) => text.clone(),
    }
}
