//! What is known of a plugin, as JSON.

use elvask_needs::evidence::Doubtful;
use elvask_needs::reach::Reach;
use elvask_needs::requirement::When;
use elvask_platform::{Level, Platform, Strength};
use serde::Serialize;

use super::CitationRecord;
use elvask_core::app::SheetOrigin;
use elvask_core::known::{Known, KnownRequirement};

/// One thing that a plugin requires.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RequirementRecord {
    /// Where.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// Its kind.
    pub kind: &'static str,
    /// What identifies it to the platform.
    pub name: String,
    /// The value that goes with the name.
    pub value: Option<String>,
    /// How sure it is.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Strength"))]
    pub strength: Strength,
    /// Several with the same word here are alternatives.
    pub one_of: Option<String>,
    /// The optional part of the plugin that it belongs to.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub feature: Option<String>,
    /// When it holds, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub when: Option<String>,
    /// Why.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
    /// The package's own manifest declares it.
    pub merged_in: bool,
    /// How it comes to the app; absent where a package is looked at by itself.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Reach>"))]
    pub reach: Option<Reach>,
    /// Why it is taken to be so.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub because: Option<String>,
    /// How bad it is when the app does not declare it; absent where nothing is said of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::Level>"))]
    pub level: Option<Level>,
    /// The lines that show it.
    pub evidence: Vec<CitationRecord>,
}

impl RequirementRecord {
    fn of(known: &KnownRequirement) -> Self {
        RequirementRecord {
            platform: known.need.platform(),
            kind: known.need.kind().id(),
            name: known.name.clone(),
            value: known.need.value(),
            strength: known.strength,
            one_of: known.one_of.clone(),
            feature: known.feature.clone(),
            when: when(&known.when),
            reason: known.reason.clone(),
            merged_in: known.brought,
            reach: known.judged.as_ref().map(|judged| judged.reached.reach),
            because: known
                .judged
                .as_ref()
                .map(|judged| judged.reached.because.to_string())
                .filter(|why| !why.is_empty()),
            level: known.judged.as_ref().and_then(|judged| judged.level).filter(|_| !known.brought),
            evidence: known.citations.iter().map(|citation| CitationRecord::of(citation)).collect(),
        }
    }
}

/// Says when a requirement holds; `None` where it always does.
#[must_use]
pub fn when(when: &When) -> Option<String> {
    let parts = [
        when.target_level.as_ref().map(|range| format!("target level {range}")),
        when.min_level.as_ref().map(|range| format!("minimum level {range}")),
        when.ios_version.as_ref().map(|range| format!("iOS {range}")),
        when.variant.as_ref().map(|pattern| format!("variant {pattern}")),
    ];
    let parts: Vec<_> = parts.into_iter().flatten().collect();
    (!parts.is_empty()).then(|| parts.join(", "))
}

/// Something that a plugin might require.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DoubtfulRecord {
    /// Where.
    #[cfg_attr(feature = "schema", schemars(with = "crate::words::Platform"))]
    pub platform: Platform,
    /// Its kind.
    pub kind: &'static str,
    /// What identifies it to the platform.
    pub name: String,
    /// Why it is doubted.
    pub why: String,
    /// The lines that speak of it.
    pub evidence: Vec<CitationRecord>,
}

impl DoubtfulRecord {
    fn of(doubtful: &Doubtful) -> Self {
        DoubtfulRecord {
            platform: doubtful.learned.need.platform(),
            kind: doubtful.learned.kind().id(),
            name: doubtful.learned.name.clone(),
            why: doubtful.why.clone(),
            evidence: doubtful.learned.citations.iter().map(|citation| CitationRecord::of(citation)).collect(),
        }
    }
}

/// All that is known of a plugin.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct KnownRecord {
    /// Its name.
    pub plugin: String,
    /// Its version.
    pub version: Option<String>,
    /// The platforms that it works on.
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::words::Platform>"))]
    pub platforms: Vec<Platform>,
    /// Who put its sheet where it is.
    #[cfg_attr(feature = "schema", schemars(with = "Option<crate::words::SheetOrigin>"))]
    pub sheet: Option<SheetOrigin>,
    /// The sheet's file.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sheet_file: Option<String>,
    /// What it requires.
    pub requirements: Vec<RequirementRecord>,
    /// What its files show and its sheet does not state.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub not_in_sheet: Vec<RequirementRecord>,
    /// What it might require.
    pub doubtful: Vec<DoubtfulRecord>,
    /// What limits the look at its files.
    pub limits: Vec<String>,
}

impl KnownRecord {
    /// Makes the record of a plugin.
    #[must_use]
    pub fn of(known: &Known) -> Self {
        KnownRecord {
            plugin: known.plugin.clone(),
            version: known.version.clone(),
            platforms: known.platforms.clone(),
            sheet: known.sheet,
            sheet_file: known.sheet_file.clone(),
            requirements: known.requirements.iter().map(RequirementRecord::of).collect(),
            not_in_sheet: known.beyond.iter().map(RequirementRecord::of).collect(),
            doubtful: known.doubtful.iter().map(DoubtfulRecord::of).collect(),
            limits: known.limits.clone(),
        }
    }

    /// Says whether nothing is known of the plugin.
    #[must_use]
    pub fn is_blind(&self) -> bool {
        self.sheet.is_none() && self.requirements.is_empty() && self.doubtful.is_empty()
    }
}
