//! What the app's own code needs declared.

use elvask_platform::Behaviour;
use elvask_platform::capability::capabilities;
use elvask_platform::{Kind, Platform, Strength, android, ios};

use super::{LinkUse, OwnCode, OwnPermission, PermissionUse, words_of};
use crate::conditions::Range;
use crate::evidence::{Learned, Part, Shown, Use, Within};
use crate::kinds::{of_fact, of_part};
use crate::own::capability_named;
use crate::requirement::{Citation, Need, When};

/// The action of an intent that opens a link.
const VIEW: &str = "android.intent.action.VIEW";

/// Returns what the app's own code needs, with the lines that show it.
pub fn learned(own: &OwnCode) -> Vec<Learned> {
    let mut out = Vec::new();
    for link in own.links.iter().filter(|link| link.how == LinkUse::Asks) {
        let when =
            When { target_level: Some(Range::at_least(Behaviour::PackageVisibility.since())), ..When::default() };
        let name = format!("{VIEW} {}", link.scheme);
        let Some(need) = of_fact(Kind::Query, &name, "", None) else { continue };
        out.push(one(name, need, Use::Called, when, &link.citation));
        // The system tells of web links without being told first.
        if !matches!(link.scheme.as_str(), "http" | "https") {
            out.push(one(link.scheme.clone(), Need::QueryScheme, Use::Called, When::default(), &link.citation));
        }
    }
    for permission in own.permissions.iter().filter(|permission| permission.how != PermissionUse::Checks) {
        named(permission, &mut out);
    }
    out
}

fn one(name: String, need: Need, how: Use, when: When, citation: &Citation) -> Learned {
    let strength = if how == Use::Called { Strength::Certain } else { Strength::Likely };
    Learned {
        name,
        need,
        strength,
        one_of: None,
        when,
        brought: false,
        shown: Shown::in_code(how, Part::default(), Within::Package),
        citations: vec![citation.clone().into()],
    }
}

/// Adds what a permission that code names stands for: by the last part of its name, else as a capability.
fn named(permission: &OwnPermission, out: &mut Vec<Learned>) {
    let how = if permission.how == PermissionUse::Requests { Use::Called } else { Use::Likely };
    let on = |platform: Platform| permission.platform.is_none_or(|named| named == platform);
    let words = words_of(&permission.name);
    let screaming =
        permission.name.chars().all(|letter| letter.is_ascii_uppercase() || letter.is_ascii_digit() || letter == '_');
    let mut found = false;
    if on(Platform::Android)
        && screaming
        && let Some(known) = android::permission(&format!("{}{}", android::PERMISSION_PREFIX, permission.name))
    {
        let max_level = android::succession(known.name).map(|successor| successor.cap);
        let when = match known.first_level {
            first if first >= 28 => When { target_level: Some(Range::at_least(first)), ..When::default() },
            _ => When::default(),
        };
        out.push(one(known.name.to_owned(), Need::Permission { max_level }, how, when, &permission.citation));
        found = true;
    }
    if on(Platform::Ios) && permission.platform.is_some() {
        let key = ios::usage_keys().iter().find(|known| {
            let core = known.key.strip_prefix("NS").unwrap_or(known.key).strip_suffix("UsageDescription");
            known.is_for_ios() && known.until.is_none() && core.is_some_and(|core| words_of(core) == words)
        });
        if let Some(known) = key {
            out.push(one(known.key.to_owned(), Need::Usage, how, When::default(), &permission.citation));
            found = true;
        }
    }
    if found || screaming && permission.platform.is_none() {
        return;
    }
    let Some(capability) = capability_named(&permission.name) else { return };
    let exact = capabilities().any(|known| known.name == words.join("-"));
    for need in capability.needs().filter(|need| exact && !need.optional && on(need.platform)) {
        if !matches!(need.kind, Kind::Permission | Kind::Usage) {
            continue;
        }
        let when = When {
            target_level: need.target_from.map(Range::at_least),
            ios_version: need.ios_below.map(Range::below),
            ..When::default()
        };
        // What is named for both platforms may be asked for on one alone.
        let Some(asked) = of_part(need) else { continue };
        out.push(one(need.name.to_owned(), asked, Use::Likely, when, &permission.citation));
    }
}
