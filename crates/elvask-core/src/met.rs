//! Says whether an app declares what a requirement asks for, without a word about how to mend it.

use crate::check::Context;
use crate::requirement::{Kind, Need, Requirement};
use crate::surface::PlistView;

/// Says whether the app declares what a requirement asks for, in every variant that is judged. For kinds whose rules look at
/// more than whether a thing is there, being there is enough.
pub(crate) fn is_met(context: &Context<'_>, requirement: &Requirement) -> bool {
    let name = requirement.name.as_str();
    let everywhere = |test: &dyn Fn(&crate::surface::Effective<'_>) -> bool| {
        !context.variants.is_empty() && context.variants.iter().all(test)
    };
    match requirement.kind() {
        Kind::Permission => everywhere(&|variant| variant.permission(name).is_some()),
        Kind::Feature => everywhere(&|variant| {
            variant
                .merged
                .children(variant.merged.root())
                .any(|one| one.name == "uses-feature" && one.value("name") == Some(name))
        }),
        Kind::MetaData => everywhere(&|variant| variant.meta_data().any(|one| one.key.as_deref() == Some(name))),
        Kind::Component => everywhere(&|variant| variant.components().any(|one| one.key.as_deref() == Some(name))),
        Kind::Query => match &requirement.need {
            Need::Query(query) => everywhere(&|variant| variant.sees(query)),
            _ => false,
        },
        Kind::Usage | Kind::Plist => context.plist.is_some_and(|plist| plist.entry(name).is_some()),
        Kind::QueryScheme => {
            let has = |plist: PlistView<'_>| {
                plist.query_schemes().iter().any(|(scheme, _)| scheme.eq_ignore_ascii_case(name))
            };
            context.plist.is_some_and(has)
        }
        Kind::BackgroundMode => context.plist.is_some_and(|plist| {
            let modes = plist.entry("UIBackgroundModes").and_then(|entry| entry.value.as_array());
            modes.unwrap_or_default().iter().any(|mode| mode.as_str() == Some(name))
        }),
        Kind::Entitlement => context.surface.entitlements().is_some_and(|(_, list)| list.entry(name).is_some()),
        _ => false,
    }
}
