//! What adding a package would ask of an app, before it is added.

use std::sync::Arc;

use elvask_needs::kinds;
use elvask_needs::reach::{Reach, Reached};
use elvask_needs::requirement::{Citation, MIN_LEVEL, Need};
use elvask_platform::android::{Grant, permission, store_review};
use elvask_platform::{Kind, Platform, Strength};

use crate::compare::{Fact, meaning_of_level, meaning_of_new};
use crate::context::Context;
use crate::needs::Requirement;

/// How far the app is from having what a package needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum How {
    /// Somebody has to declare it.
    Open,
    /// The build brings it in from the package's own files.
    Comes,
    /// The app declares it already.
    Met,
    /// The app declares one of several things of which one is enough.
    MetByAnother,
    /// Only the build knows the app's own level.
    Unknown,
}

impl How {
    /// Returns the word for it, as in JSON.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            How::Open => "open",
            How::Comes => "comes",
            How::Met => "met",
            How::MetByAnother => "met-by-another",
            How::Unknown => "unknown",
        }
    }
}

/// One thing that a package needs of an app.
#[derive(Debug, Clone)]
pub struct Ask {
    /// Where.
    pub platform: Platform,
    /// What identifies it to the platform.
    pub name: String,
    /// What exactly.
    pub need: Need,
    /// How sure it is.
    pub strength: Strength,
    /// How it would come to the app.
    pub reached: Reached,
    /// How far the app is from having it.
    pub how: How,
    /// What it means to whoever updates, in a sentence or two; empty where they do not notice it.
    pub meaning: String,
    /// The lines that show it, the weightiest first.
    pub learnt: Vec<Arc<Citation>>,
}

impl Ask {
    /// Says whether only those who use a part of the package need it.
    #[must_use]
    pub fn is_of_a_part(&self) -> bool {
        self.reached.reach == Reach::Part || self.strength == Strength::Optional
    }

    /// Says whether the app comes to have it by the package.
    #[must_use]
    pub fn is_new(&self) -> bool {
        matches!(self.how, How::Open | How::Comes) && !self.is_of_a_part()
    }

    /// Says whether people see a dialog of the system for it.
    #[must_use]
    pub fn prompts(&self) -> bool {
        match self.need.kind() {
            Kind::Usage => true,
            Kind::Permission => permission(&self.name).is_some_and(|known| known.grant() == Grant::Prompt),
            _ => false,
        }
    }

    /// Returns what the store wants to know of it before an update with it is taken.
    #[must_use]
    pub fn store_form(&self) -> Option<&'static str> {
        (self.need.kind() == Kind::Permission).then(|| store_review(&self.name)).flatten()
    }
}

/// Returns the lowest level of the app as it is, where that is what is needed higher.
fn lowest_before(before: &Context<'_>, one: &Requirement) -> Option<String> {
    match &one.need {
        Need::Level(_) if one.name == MIN_LEVEL => {
            before.app.all_levels().iter().filter_map(|levels| levels.min).min().map(|min| min.to_string())
        }
        Need::MinVersion(_) => before.app.ios.as_ref()?.min_version.value.as_ref().map(ToString::to_string),
        _ => None,
    }
}

/// Returns what a package needs, of `with`, which is the app as it would be with it, and of `before`, which is the app as it is. `plugin` is its
/// place in the list of `with`. What is needed more than once is there once.
#[must_use]
pub fn asks(before: &Context<'_>, with: &Context<'_>, plugin: usize) -> Vec<Ask> {
    let needs = &with.needs;
    let lists = [needs.all(), needs.brought(), needs.unreached()];
    let mine: Vec<&Requirement> = lists.into_iter().flatten().filter(|one| one.plugin == plugin).collect();
    let is_met = |one: &Requirement| kinds::is_met(before, &one.name, &one.need);
    let mut out: Vec<Ask> = Vec::new();
    for one in &mine {
        if one.reached.reach == Reach::Out || !with.app.has(one.platform) {
            continue;
        }
        let another = || mine.iter().any(|other| other.one_of.is_some() && other.one_of == one.one_of && is_met(other));
        let is_level =
            matches!(one.need, Need::Level(_)) && one.name == MIN_LEVEL || matches!(one.need, Need::MinVersion(_));
        let how = if is_level && lowest_before(before, one).is_none() {
            How::Unknown
        } else if is_met(one) {
            How::Met
        } else if another() {
            How::MetByAnother
        } else if one.brought {
            How::Comes
        } else {
            How::Open
        };
        let fact = Fact {
            platform: one.platform,
            kind: one.kind().id().to_owned(),
            name: one.name.clone(),
            value: one.need.value(),
        };
        let ask = Ask {
            platform: one.platform,
            name: one.name.clone(),
            need: one.need.clone(),
            strength: one.strength,
            reached: one.reached.clone(),
            how,
            meaning: match lowest_before(before, one) {
                Some(level) => meaning_of_level(&fact, &level),
                None => meaning_of_new(&fact),
            },
            learnt: one.citations(&with.app.sources),
        };
        let same = |known: &&mut Ask| known.need.kind() == ask.need.kind() && known.name == ask.name;
        match out.iter_mut().find(same) {
            // What the build brings needs nobody's hand; what all have, not only those who use a part.
            Some(known) => {
                if known.is_of_a_part() && !ask.is_of_a_part() {
                    known.reached = ask.reached;
                    known.strength = ask.strength;
                }
                known.how = known.how.max(ask.how);
                known.learnt.extend(ask.learnt);
            }
            None => out.push(ask),
        }
    }
    out.sort_by(|one, other| {
        let key = |ask: &Ask| (ask.platform, ask.need.kind(), ask.name.clone());
        key(one).cmp(&key(other))
    });
    out
}
