//! One thing that one plugin needs of this app.

use std::sync::Arc;

use elvask_needs::reach::Reached;
use elvask_needs::requirement::{Citation, EvidenceKind, Need, When};
use elvask_platform::capability::{Capability, CapabilityNeed};
use elvask_platform::{Kind, Level, Platform, Strength};
use elvask_project::levels::Levels;
use elvask_project::source::{Place, Sources};

/// One thing that one plugin needs of this app.
#[derive(Debug, Clone, PartialEq)]
pub struct Requirement {
    /// The plugin, as its place in the app's list.
    pub plugin: usize,
    /// Where.
    pub platform: Platform,
    /// What identifies it to the platform.
    pub name: String,
    /// Whether a value that only the owner gives is part of the name.
    pub named_by_owner: bool,
    /// What exactly.
    pub need: Need,
    /// How sure it is.
    pub strength: Strength,
    /// Why, in the words of the sheet.
    pub reason: Option<String>,
    /// Where the plugin's own notes say so.
    pub reference: Option<String>,
    /// The capability that it is part of.
    pub capability: Option<Capability>,
    /// The optional part of the plugin that it belongs to.
    pub feature: Option<String>,
    /// When it holds at all.
    pub when: When,
    /// The part of the capability that it is: it has conditions of its own.
    pub part: Option<&'static CapabilityNeed>,
    /// Several with the same word here are alternatives: one of them is enough.
    pub one_of: Option<String>,
    /// The package's own manifest declares it, so that the build brings it into the app.
    pub brought: bool,
    /// How it comes to this app.
    pub reached: Reached,
    /// How bad it is when the app does not declare it; `None` where it does not come to the app.
    pub level: Option<Level>,
    /// Where it was learnt, the weightiest evidence first. There is at least one.
    pub learnt: Vec<Learnt>,
}

/// Where a requirement was learnt.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Learnt {
    /// In a sheet, at that place.
    Sheet(Place),
    /// In a file of the package.
    Found(Arc<Citation>),
}

impl Requirement {
    /// Returns the place in a sheet that states it, if a sheet does.
    #[must_use]
    pub fn sheet_place(&self) -> Option<Place> {
        self.learnt.iter().find_map(|learnt| match learnt {
            Learnt::Sheet(place) => Some(*place),
            Learnt::Found(_) => None,
        })
    }

    /// Returns the lines that show it.
    #[must_use]
    pub fn citations(&self, sources: &Sources) -> Vec<Arc<Citation>> {
        let citation = |learnt: &Learnt| match learnt {
            Learnt::Sheet(place) => Arc::new(Citation::of(EvidenceKind::Sheet, sources, *place)),
            Learnt::Found(citation) => Arc::clone(citation),
        };
        self.learnt.iter().map(citation).collect()
    }

    /// Returns the line of the package's notes that shows it, where one does.
    #[must_use]
    pub fn line_of_notes(&self) -> Option<String> {
        self.learnt.iter().find_map(|learnt| match learnt {
            Learnt::Found(citation) if citation.kind == EvidenceKind::Readme => {
                Some(format!("its notes show `{}` ({}:{})", citation.quote, citation.file, citation.line))
            }
            _ => None,
        })
    }

    /// Returns how bad it is when the app does not declare it.
    #[must_use]
    pub fn level(&self) -> Level {
        self.level.unwrap_or(Level::Note)
    }

    /// Says whether it does not come to the app at all, as far as is seen.
    #[must_use]
    pub fn is_unreached(&self) -> bool {
        self.level.is_none()
    }

    /// Says whether it holds for a variant with these levels.
    #[must_use]
    pub fn holds(&self, levels: &Levels) -> bool {
        // No device of the app has a permission that ends below its lowest level.
        let capped = if let Need::Permission { max_level } = self.need { max_level } else { None };
        let ended = capped.is_some_and(|cap| levels.min.is_some_and(|min| cap < min));
        !ended && self.when.holds(levels) && self.part.as_ref().is_none_or(|part| matters(part, levels))
    }

    /// Returns the kind of the requirement.
    #[must_use]
    pub fn kind(&self) -> Kind {
        self.need.kind()
    }
}

/// Sorts by kind, name and plugin, those alike in their order. Places are sorted and not the requirements, of which a stable sort
/// would hold half a second time.
pub(super) fn sort(list: &mut [Requirement]) {
    let mut order: Vec<usize> = (0..list.len()).collect();
    order.sort_unstable_by(|one, other| match (list.get(*one), list.get(*other)) {
        (Some(a), Some(b)) => (a.kind(), &a.name, a.plugin, one).cmp(&(b.kind(), &b.name, b.plugin, other)),
        _ => one.cmp(other),
    });
    for at in 0..order.len() {
        // What belonged here may have been put behind by an earlier step.
        let mut from = order.get(at).copied().unwrap_or(at);
        while from < at {
            from = order.get(from).copied().unwrap_or(at);
        }
        list.swap(at, from);
    }
}

fn matters(need: &CapabilityNeed, levels: &Levels) -> bool {
    need.target_from.is_none_or(|from| levels.target >= from)
        && need.devices_to.is_none_or(|to| levels.min.is_none_or(|min| min <= to))
        && need.ios_below.is_none_or(|below| levels.ios.is_some_and(|ios| ios < below))
}
