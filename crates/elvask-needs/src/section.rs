//! The headings under which declarations are listed.

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
