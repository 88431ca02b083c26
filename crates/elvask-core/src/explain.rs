//! What there is to know about a rule, a permission, a key or a capability.

use elvask_platform::android::{self, Companion, Permission, Succession};
use elvask_platform::capability::{self, Capability, capabilities_with};
use elvask_platform::ios::{self, PlistKey, UsageKey};
use elvask_platform::names::nearest;
use elvask_platform::{Kind, Platform};

use crate::finding::About;
use crate::rules::{self, RULES};

/// A thing that can be explained.
#[derive(Debug, Clone)]
pub enum Topic {
    /// A rule.
    Rule(&'static About),
    /// A capability.
    Capability(Capability),
    /// A permission of Android.
    Permission {
        /// The permission.
        known: &'static Permission,
        /// What replaces it, where something does.
        succession: Option<Succession>,
        /// What must stand beside it.
        companions: Vec<Companion>,
        /// What the store wants.
        review: Option<&'static str>,
        /// The capabilities that want it.
        capabilities: Vec<Capability>,
    },
    /// A key that holds a purpose.
    Usage {
        /// The key.
        known: &'static UsageKey,
        /// The capabilities that want it.
        capabilities: Vec<Capability>,
    },
    /// Another key of `Info.plist`.
    Key(PlistKey),
}

/// Finds what a word names.
///
/// # Errors
/// The nearest known name, if there is one.
pub fn topic(word: &str) -> Result<Topic, Option<String>> {
    if let Some(rule) = rules::find(word) {
        return Ok(Topic::Rule(rule.about()));
    }
    if let Some(capability) = capability::capability(word) {
        return Ok(Topic::Capability(capability));
    }
    let full = format!("{}{}", android::PERMISSION_PREFIX, word.to_ascii_uppercase());
    if let Some(known) = android::permission(word).or_else(|| android::permission(&full)) {
        return Ok(Topic::Permission {
            known,
            succession: android::succession(known.name),
            companions: android::companions(known.name).collect(),
            review: android::store_review(known.name),
            capabilities: capabilities_with(Kind::Permission, known.name).collect(),
        });
    }
    if let Some(known) = ios::usage_key(word) {
        return Ok(Topic::Usage { known, capabilities: capabilities_with(Kind::Usage, known.key).collect() });
    }
    if let Some(known) = ios::plist_key(word) {
        return Ok(Topic::Key(known));
    }
    let names = RULES.iter().map(|rule| rule.about().id).chain(capability::capabilities().map(|known| known.name));
    let names = names.chain(ios::usage_keys().iter().map(|known| known.key));
    let near = nearest(word, names).map(str::to_owned);
    Err(near.or_else(|| android::nearest_permission(word).map(|known| known.name.to_owned())))
}

/// Returns what a capability means on a platform, a line for each thing that it wants declared.
#[must_use]
pub fn capability_lines(capability: Capability, platform: Platform) -> Vec<String> {
    let line = |need: capability::CapabilityNeed| {
        let mut conditions = Vec::new();
        if let Some(level) = need.target_from {
            conditions.push(format!("for apps that target level {level} or above"));
        }
        if let Some(level) = need.devices_to {
            conditions.push(format!("for devices up to level {level}"));
        }
        if let Some(version) = need.ios_below {
            conditions.push(format!("for systems below iOS {version}"));
        }
        if let Some(level) = need.max_level {
            conditions.push(format!("with maxSdkVersion {level}"));
        }
        if need.optional {
            conditions.push("worth having".to_owned());
        }
        let conditions = if conditions.is_empty() { String::new() } else { format!(", {}", conditions.join(", ")) };
        format!("{} {}{conditions}", need.kind, need.name)
    };
    capability.needs().filter(|need| need.platform == platform).map(line).collect()
}
