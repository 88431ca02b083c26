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
    /// What is said of the app as a whole.
    Application,
    /// Libraries of the device.
    Libraries,
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
    pub const ALL: [Section; 23] = [
        Section::Identity,
        Section::Levels,
        Section::Permissions,
        Section::Features,
        Section::Queries,
        Section::Filters,
        Section::Application,
        Section::Libraries,
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
            Section::Application => "Application",
            Section::Libraries => "Libraries of the device",
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

    /// Returns what a newcomer should know of it, in a sentence.
    #[must_use]
    pub fn about(self) -> &'static str {
        match self {
            Section::Identity => "An id that changes makes another app of it: devices install it beside the old one.",
            Section::Levels => {
                "The lowest level decides on which devices the app is installed, the target level by whose rules newer devices treat it, and Gradle wins over the manifest."
            }
            Section::Permissions => {
                "What the app may do beyond its own folder: some are granted at install, some by a dialog that the code must bring up, some on a screen of the settings, and those of libraries are merged in."
            }
            Section::Features => {
                "Stores do not offer the app to devices that lack a required feature, and some permissions imply one."
            }
            Section::Queries => {
                "From level 30 other apps are invisible unless one of these names them or what they can do."
            }
            Section::Filters => {
                "What other apps can start the app with: links, shared content, broadcasts; all data of one filter are combined."
            }
            Section::Application => {
                "Settings of the app as a whole, some of which single screens can override; where allowBackup is not stated, the data of the app go into backups."
            }
            Section::Libraries => "Shared libraries that the device must or may have.",
            Section::Components => {
                "Screens, services, receivers and providers; those that other apps may start are a way into the app."
            }
            Section::MetaData => {
                "Names with values that libraries read when they start; where one is absent, many of them end the app."
            }
            Section::Purposes => {
                "What people read in the dialog before the app reaches something of theirs; without it the system ends the app."
            }
            Section::QuerySchemes => "The schemes of other apps for which canOpenURL gives a true answer.",
            Section::UrlSchemes => "Links with these schemes open the app; another app may claim the same ones.",
            Section::Domains => "Hosts whose links open the app without a question, once their website vouches for it.",
            Section::BackgroundModes => {
                "What the app goes on doing while it is not in front; the store asks what each is for."
            }
            Section::Entitlements => "What the signature allows; each must be in the provisioning profile too.",
            Section::Network => "Which connections without protection are allowed.",
            Section::Orientation => "In which directions the screens may stand, by kind of device.",
            Section::Look => "The name and picture in the launcher, and what is shown while the app starts.",
            Section::Attributes => "Attributes that a plugin counts on.",
            Section::Privacy => {
                "What the app and its libraries do with data, and why they call interfaces that could tell devices apart."
            }
            Section::Extensions => {
                "What is installed with the app and runs beside it, with ids and entitlements of its own."
            }
            Section::Keys => "What else the system reads when it installs and starts the app.",
        }
    }
}
