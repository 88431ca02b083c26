//! `declared-unneeded`: something is declared and nothing needs it.

use elvask_markup::Edit;
use elvask_markup::plist::plan as plist_plan;
use elvask_markup::xml::plan;
use elvask_platform::{Platform, android, ios};

use crate::context::Context;
use crate::finding::About;
use crate::finding::{Finding, Level};
use crate::layout::Layout;
use crate::reach::Reach;
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::rules::Rule;
use crate::source::Place;
use crate::surface::{QUERY_SCHEMES, covers};
use elvask_platform::Kind;

/// See the module.
pub struct DeclaredUnneeded;

static ABOUT: About = About {
    id: "declared-unneeded",
    level: Level::Warning,
    platform: None,
    summary: "Reports a permission, query, key, scheme, background mode or entitlement that the app declares and that no plugin and no native code of the app needs. `trim` looks for it; `check` does not.",
    effect: "People are asked for more than the app uses and complain; a reviewer asks what it is for.",
    wrong: "<uses-permission android:name=\"android.permission.READ_PHONE_STATE\" />   (and nothing needs it)",
    right: "(nothing)",
    remedy: "`elvask trim --write` takes it out. What only you can know of, waive with a reason.",
    source: "App permissions best practices",
};

impl Rule for DeclaredUnneeded {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        if !context.settings.unneeded {
            return;
        }
        permissions(context, out);
        queries(context, out);
        property_list(context, out);
        entitlements(context, out);
    }
}

/// Says whether some plugin, or the app's own code, has a use for a thing.
fn is_needed(context: &Context<'_>, kind: Kind, name: &str) -> bool {
    context.needs.has_a_use_for(kind, name)
}

fn finding(platform: Platform, subject: &str, place: Place, what: &str, edit: Edit) -> Finding {
    let message = format!("{what} is declared, and nothing that was looked at needs it");
    let remedy = Remedy::edit(format!("take {what} out"), place.file, vec![edit]);
    let mut finding = Finding::new(&ABOUT, subject, place, message).mend(remedy);
    finding.platform = Some(platform);
    finding
}

fn permissions(context: &Context<'_>, out: &mut Vec<Finding>) {
    // What scripts of the app do on the network, no native code shows.
    let scripted = context
        .app
        .layouts
        .iter()
        .any(|layout| matches!(layout, Layout::Npm | Layout::Pubspec | Layout::Widget | Layout::Msbuild));
    for manifest in &context.manifests {
        for permission in &manifest.permissions {
            let name = permission.name.as_ref();
            let own = manifest.defined.iter().any(|defined| defined == name) || name.contains('$');
            let network =
                scripted && matches!(name, "android.permission.INTERNET" | "android.permission.ACCESS_NETWORK_STATE");
            // One that is misspelt is another rule's affair: what is meant is needed.
            let meant = permission.meant.is_some_and(|meant| is_needed(context, Kind::Permission, meant.name));
            if own
                || meant
                || network
                || is_needed(context, Kind::Permission, name)
                || is_companion(context, name)
                || is_used_by_a_component(context, name)
            {
                continue;
            }
            let place = manifest.tag(permission.element);
            let what = crate::rules::support::short(name);
            out.push(finding(Platform::Android, name, place, what, plan::remove(permission.element.node())));
        }
    }
}

/// Says whether a permission stands beside one that is needed and does nothing without it.
fn is_companion(context: &Context<'_>, name: &str) -> bool {
    let needed = context.needs.all().iter().chain(context.needs.brought()).filter(|one| one.kind() == Kind::Permission);
    needed.into_iter().any(|one| android::companions(&one.name).any(|companion| companion.one_of.contains(&name)))
}

/// Says whether a component of the app does what the permission is for.
fn is_used_by_a_component(context: &Context<'_>, name: &str) -> bool {
    let short = crate::rules::support::short(name);
    context.variants.iter().any(|variant| {
        variant.components().any(|component| {
            let types = component.value("foregroundServiceType").unwrap_or_default();
            let foreground = match short.strip_prefix("FOREGROUND_SERVICE") {
                Some("") => !types.is_empty(),
                Some(kind) => types.split('|').any(|one| kind.replace('_', "").eq_ignore_ascii_case(one)),
                None => false,
            };
            let boot = short == "RECEIVE_BOOT_COMPLETED"
                && variant
                    .merged
                    .children(component)
                    .flat_map(|filter| variant.merged.children(filter))
                    .any(|one| one.value("name").is_some_and(|action| action.ends_with("BOOT_COMPLETED")));
            foreground || boot
        })
    })
}

fn queries(context: &Context<'_>, out: &mut Vec<Finding>) {
    let needed: Vec<_> = context
        .needs
        .all()
        .iter()
        .chain(context.needs.brought())
        .chain(context.needs.unreached().iter().filter(|one| one.reached.reach != Reach::Out))
        .filter_map(|one| match &one.need {
            Need::Query(query) => Some(query),
            _ => None,
        })
        .collect();
    for manifest in &context.manifests {
        for declared in &manifest.queries {
            if needed.iter().any(|wanted| covers(&declared.query, wanted)) {
                continue;
            }
            let name = declared.query.name();
            let place = manifest.tag(declared.element);
            out.push(finding(
                Platform::Android,
                &name,
                place,
                &format!("the query for {name}"),
                plan::remove(declared.element.node()),
            ));
        }
    }
}

fn property_list(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(plist) = context.plist.filter(|plist| plist.list.is_xml()) else { return };
    for entry in plist.list.entries() {
        if ios::usage_key(&entry.key).is_some() && !is_purpose_needed(context, &entry.key) {
            let edit = plist_plan::remove_entry(plist.list, entry);
            out.push(finding(Platform::Ios, &entry.key, plist.key_place(entry), &entry.key, edit));
        }
        let kind = match entry.key.as_str() {
            QUERY_SCHEMES => Kind::QueryScheme,
            "UIBackgroundModes" => Kind::BackgroundMode,
            _ => continue,
        };
        let values = entry.value.as_array().unwrap_or_default();
        for value in values {
            let Some(name) = value.as_str() else { continue };
            let plain = crate::kinds::ios::query_scheme::bare(name);
            let schemes = context.needs.groups(kind).any(|group| group.name.eq_ignore_ascii_case(plain))
                || is_needed(context, kind, plain);
            if schemes || is_needed(context, kind, name) {
                continue;
            }
            let what = match kind {
                Kind::QueryScheme => format!("the scheme {name}"),
                _ => format!("the background mode {name}"),
            };
            // An empty list says nothing: its key goes with its last value.
            let edit = match values.len() {
                1 => plist_plan::remove_entry(plist.list, entry),
                _ => plist_plan::remove_value(plist.list, value),
            };
            out.push(finding(Platform::Ios, name, plist.at(value.span), &what, edit));
        }
    }
}

/// Says whether something has a use for a purpose, under its own key or an older or newer form of it.
pub(in crate::rules) fn is_purpose_needed(context: &Context<'_>, key: &str) -> bool {
    is_needed(context, Kind::Usage, key) || is_older_form(context, key)
}

/// Says whether a key is the older or newer form of one that is needed.
fn is_older_form(context: &Context<'_>, key: &str) -> bool {
    let needed = |name: &str| is_needed(context, Kind::Usage, name);
    ios::usage_keys().iter().any(|known| {
        known.key == key && known.replaced_by.iter().any(|newer| needed(newer))
            || known.replaced_by.contains(&key) && needed(known.key)
    })
}

fn entitlements(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some((file, list)) = context.surface.entitlements() else { return };
    // Links, shared groups and the like are for the app's own sake.
    let own =
        ["com.apple.developer.associated-domains", "com.apple.security.application-groups", "keychain-access-groups"];
    for entry in list.entries() {
        let known = ios::entitlement(&entry.key).is_some() && !own.contains(&entry.key.as_str());
        if known && !is_needed(context, Kind::Entitlement, &entry.key) {
            let place = Place { file, span: entry.key_span };
            let what = format!("the entitlement {}", entry.key);
            out.push(finding(Platform::Ios, &entry.key, place, &what, plist_plan::remove_entry(list, entry)));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "declared-unneeded";

    fn told(app: &mut Fixture) -> Vec<String> {
        app.settings.unneeded = true;
        app.found(ID)
    }

    #[test]
    fn what_nothing_needs_is_taken_out() {
        let camera = "    <uses-permission android:name=\"android.permission.CAMERA\"/>\n";
        let phone = "    <uses-permission android:name=\"android.permission.READ_PHONE_STATE\"/>\n";
        let mut app = Fixture::android(&format!("{camera}{phone}    <application/>\n"))
            .needs("tern_camera", "capability = 'camera'");
        assert!(app.found(ID).is_empty(), "a check says nothing of it");
        assert_eq!(told(&mut app), ["warning android.permission.READ_PHONE_STATE 3:5"]);
        app.mends_manifest(ID, &format!("{camera}    <application/>\n"));
        let waived = "[[waivers]]\nrule = 'declared-unneeded'\nsubject = 'android.permission.READ_PHONE_STATE'\nreason = 'Our own module.'";
        assert!(app.clone().toml(waived).findings(ID)[0].waived.is_some());
    }

    #[test]
    fn what_stands_beside_something_needed_stays() {
        let both = "    <uses-permission android:name=\"android.permission.ACCESS_FINE_LOCATION\"/>\n    <uses-permission android:name=\"android.permission.ACCESS_COARSE_LOCATION\"/>\n    <application/>\n";
        let mut app =
            Fixture::android(both).needs("p", "android.permission = 'android.permission.ACCESS_FINE_LOCATION'");
        assert!(told(&mut app).is_empty());
    }

    #[test]
    fn keys_and_schemes_are_looked_at() {
        let list = "    <key>LSApplicationQueriesSchemes</key>\n    <array>\n        <string>tel</string>\n        <string>sms</string>\n    </array>\n    <key>NSContactsUsageDescription</key>\n    <string>Finds the finder.</string>\n";
        let mut app = Fixture::ios(list).needs("plover_dialer", "ios.query-scheme = 'tel'");
        assert_eq!(told(&mut app), ["warning sms 6:9", "warning NSContactsUsageDescription 8:5"]);
    }
}
