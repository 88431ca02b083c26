//! `declared-unneeded`: something is declared and nothing needs it.

use elvask_markup::plist::plan::NewValue;
use elvask_needs::kinds::ios::background_mode::MODES;
use elvask_needs::kinds::ios::query_scheme::bare;
use elvask_needs::kinds::{self, Declared};
use elvask_needs::reach::Reach;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::List;
use elvask_platform::{Kind, Platform, android, ios};
use elvask_project::layout::Layout;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::short;

/// See the module.
pub struct DeclaredUnneeded;

pub(super) static ABOUT: About = About {
    id: "declared-unneeded",
    level: Level::Warning,
    platform: None,
    summary: "Reports a permission, query, key, scheme, background mode or entitlement that the app declares and that no plugin and no native code of the app needs. `trim` looks for it, and `check` where it is for what ships (--release).",
    effect: "Users are asked for more than the app uses; reviewers ask why.",
    wrong: "<uses-permission android:name=\"android.permission.READ_PHONE_STATE\" />   (and nothing needs it)",
    right: "(nothing)",
    remedy: "`elvask trim --write` removes it. On iOS it leaves to a person what code may need that cannot be looked into: compiled already, or fetched when the app is built. What only you can know of, waive with a reason.",
    source: "App permissions best practices",
};

/// The kinds that are there for plugins' sake alone; what else is declared may be for the app's own.
const KINDS: [Kind; 6] =
    [Kind::Permission, Kind::Query, Kind::Usage, Kind::QueryScheme, Kind::BackgroundMode, Kind::Entitlement];

/// The most packages that are named.
const MAX_NAMED: usize = 4;

/// Shared groups and the like, which are for the app's own sake.
const OWN: [&str; 2] = ["com.apple.security.application-groups", "keychain-access-groups"];

impl Rule for DeclaredUnneeded {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        // What a package would need that is not there is not known: nothing is offered then.
        let settings = context.settings;
        if !(settings.unneeded || settings.release) || !context.app.not_installed.is_empty() {
            return;
        }
        let unseen = context.app.unseen_on_ios();
        for kind in KINDS {
            let spec = kinds::spec(kind);
            for declared in spec.declared(context) {
                if is_wanted(context, kind, &declared) {
                    continue;
                }
                let what = spec.called(&declared.name);
                let message = format!("{what} is declared, and nothing that was looked at needs it");
                let mut finding = Finding::new(&ABOUT, declared.name, declared.place, message);
                // What code calls that nobody can look into is not known: it is for a person to say.
                finding = if kind.platform() == Some(Platform::Ios) && !unseen.is_empty() {
                    let (some, rest) = unseen.split_at(unseen.len().min(MAX_NAMED));
                    let more = if rest.is_empty() { String::new() } else { format!(" and {} more", rest.len()) };
                    let steps = format!(
                        "Not all code of {}{more} can be looked into: some is compiled already, or comes from elsewhere when the app is built. Remove by hand what you know that it does not need.",
                        some.join(", ")
                    );
                    finding.level(Level::Note).mend(Remedy::Manual(steps))
                } else {
                    let title = format!("remove {what}");
                    finding.mend(Remedy::Edit { title, edits: declared.removal, makes: None })
                };
                finding.platform = kind.platform();
                // Only `trim` is asked to remove things.
                finding.only_if_named = !settings.unneeded;
                out.push(finding);
            }
        }
    }
}

/// Says whether something has a use for a declaration, or might have one that is not seen.
pub(in crate::rules) fn is_wanted(context: &Context<'_>, kind: Kind, declared: &Declared) -> bool {
    let name = declared.name.as_str();
    let spec = kinds::spec(kind);
    let new = |layout: &Layout| android::is_in_new_apps(layout.id(), kind.id(), name);
    if context.app.layouts.iter().any(new) {
        return true;
    }
    let could = context.needs.unreached().iter().filter(|one| one.reached.reach != Reach::Out);
    let mut all = context.needs.all().iter().chain(context.needs.brought()).chain(could);
    if all.any(|one| one.kind() == kind && spec.is_about(context, (name, declared.place), (&one.name, &one.need))) {
        return true;
    }
    if is_named_by_value(context, kind, name) {
        return true;
    }
    if kind == Kind::Permission {
        return is_permission_wanted(context, declared);
    }
    if kind == Kind::Usage {
        return is_purpose_needed(context, name) || is_used_by_another_key(context, name);
    }
    if kind == Kind::BackgroundMode {
        return is_used_by_another_key(context, name) || name == "audio" && may_sound(context);
    }
    if kind == Kind::QueryScheme {
        let plain = bare(name);
        return is_needed(context, kind, plain)
            || context.needs.groups(kind).any(|group| group.name.eq_ignore_ascii_case(plain));
    }
    // What the platform has no such entitlement for is another rule's affair.
    let pushes = || {
        let modes = context.plist.and_then(|plist| plist.entry("UIBackgroundModes"));
        let modes = modes.and_then(|entry| entry.value.as_array()).unwrap_or_default();
        name == "aps-environment" && modes.iter().any(|mode| mode.as_str() == Some("remote-notification"))
    };
    kind == Kind::Entitlement && (ios::entitlement(name).is_none() || OWN.contains(&name) || pushes())
}

/// Says whether a plugin asks for the key of the property list that holds a thing, with this one in its value.
fn is_named_by_value(context: &Context<'_>, kind: Kind, name: &str) -> bool {
    let key = match kind {
        Kind::BackgroundMode => MODES,
        Kind::QueryScheme => "LSApplicationQueriesSchemes",
        Kind::Usage => name,
        _ => return false,
    };
    let mut of_key = context.needs.all().iter().filter(|one| one.kind() == Kind::Plist && one.name == key);
    of_key.any(|one| match &one.need {
        Need::Plist { value: NewValue::Array(items) } => {
            items.iter().any(|item| matches!(item, NewValue::String(text) if text == name))
        }
        _ => kind == Kind::Usage,
    })
}

/// Says whether something of the app may play or record sound. No symbol tells who goes on with it in the background, so the names of packages
/// must do.
fn may_sound(context: &Context<'_>) -> bool {
    let plays = |name: &str| {
        let name = name.to_ascii_lowercase();
        List::SoundWord.rows().iter().any(|(word, _)| name.contains(word))
    };
    context.app.layouts.iter().all(|layout| layout.is_native())
        || context.app.plugins.iter().any(|plugin| plays(&plugin.name))
}

/// Says whether another key of the app's is of no use without a purpose or a background mode.
fn is_used_by_another_key(context: &Context<'_>, name: &str) -> bool {
    let entitlements = context.surface.entitlements();
    let there = |key: &str| {
        context.plist.is_some_and(|plist| plist.entry(key).is_some())
            || entitlements.is_some_and(|(_, list)| list.entry(key).is_some())
    };
    List::KeyBeside.rows().iter().any(|(one, beside)| *one == name && there(beside))
}

/// Says whether some plugin, or the app's own code, has a use for a thing.
fn is_needed(context: &Context<'_>, kind: Kind, name: &str) -> bool {
    context.needs.has_a_use_for(kind, name)
}

fn is_permission_wanted(context: &Context<'_>, declared: &Declared) -> bool {
    let name = declared.name.as_str();
    let written = context.manifest_of(declared.place.file);
    let own = written.is_some_and(|manifest| manifest.defined.iter().any(|defined| defined == name));
    // What scripts of the app do on the network, no native code shows; and libraries that the build fetches open most connections.
    let network = matches!(name, "android.permission.INTERNET" | "android.permission.ACCESS_NETWORK_STATE");
    // One that is misspelt is another rule's affair: what is meant is needed.
    let meant = written
        .and_then(|manifest| manifest.permissions.iter().find(|permission| permission.name == name)?.meant)
        .is_some_and(|meant| is_needed(context, Kind::Permission, meant.name));
    own || name.contains('$')
        || meant
        || network
        || is_companion(context, name)
        || is_used_by_a_component(context, name)
}

/// Says whether a permission stands beside one that is needed and does nothing without it.
fn is_companion(context: &Context<'_>, name: &str) -> bool {
    let needed = context.needs.all().iter().chain(context.needs.brought()).filter(|one| one.kind() == Kind::Permission);
    needed.into_iter().any(|one| android::companions(&one.name).any(|companion| companion.one_of.contains(&name)))
}

/// Says whether a component of the app does what the permission is for.
fn is_used_by_a_component(context: &Context<'_>, name: &str) -> bool {
    let short = short(name);
    context.variants.iter().any(|variant| {
        variant.components().any(|component| {
            let types = component.value("foregroundServiceType").unwrap_or_default();
            let foreground = match short.strip_prefix("FOREGROUND_SERVICE") {
                Some("") => !types.is_empty(),
                Some(kind) => types.split('|').any(|one| kind.replace('_', "").eq_ignore_ascii_case(one)),
                None => false,
            };
            let mut actions = variant.merged.children(component).flat_map(|filter| variant.merged.children(filter));
            let takes = actions.any(|one| {
                let action = one.value("name").unwrap_or_default();
                android::permissions_of_action(action).any(|permission| permission == name)
            });
            // A component that only those with a permission may start is often started by the app itself.
            foreground || takes || component.value("permission") == Some(name)
        })
    })
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

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "declared-unneeded";

    fn told(app: &mut Fixture) -> Vec<String> {
        app.settings.unneeded = true;
        app.found(ID)
    }

    #[test]
    fn what_a_plugin_asks_for_as_a_value_is_kept() {
        let list = "    <key>UIBackgroundModes</key>\n    <array>\n        <string>fetch</string>\n    </array>\n";
        let asks = |mode: &str| format!("ios.plist = {{ key = 'UIBackgroundModes', value = ['{mode}'] }}");
        assert!(told(&mut Fixture::ios(list).needs("p", &asks("fetch"))).is_empty());
        assert_eq!(told(&mut Fixture::ios(list).needs("p", &asks("audio"))), ["warning fetch 5:9"]);
    }

    #[test]
    fn what_code_that_nobody_sees_may_need_is_left_to_a_person() {
        let list = |modes: &[&str]| {
            let items: String = modes.iter().map(|mode| format!("        <string>{mode}</string>\n")).collect();
            format!("    <key>UIBackgroundModes</key>\n    <array>\n{items}    </array>\n")
        };
        let pod = |depends: &str| {
            format!("Pod::Spec.new do |s|\n  s.name = 'skua_files'\n  s.source_files = 'ios/*.swift'\n{depends}end\n")
        };
        let app = |spec: &str| {
            Fixture::ios(&list(&["fetch", "audio"]))
                .package("skua_files")
                .file("node_modules/skua_files/skua_files.podspec", spec)
                .file("node_modules/skua_files/ios/Files.swift", "import Foundation\n")
        };
        assert_eq!(told(&mut app(&pod(""))), ["warning fetch 5:9", "warning audio 6:9"]);
        let mut foreign = app(&pod("  s.dependency 'ElsewhereKit/Core', '~> 4.1'\n"));
        assert_eq!(told(&mut foreign), ["note fetch 5:9", "note audio 6:9"]);
        let finding = &foreign.findings(ID)[0];
        assert_eq!(finding.remedy.kind(), "manual", "a wrong removal costs a release");
        assert!(finding.remedy.text().contains("Not all code of skua_files can be looked into"));
        assert!(foreign.found("background-mode-unneeded").is_empty(), "when in doubt, nothing is said");
        let mut compiled = app(&pod("  s.vendored_frameworks = 'ios/Skua.xcframework'\n"));
        assert_eq!(told(&mut compiled), ["note fetch 5:9", "note audio 6:9"]);
        // What the layout's own tools bring is no code of a package; a part of a pod that is here is seen.
        let own = "  s.dependency 'ReactCodegen'\n  s.dependency 'skua_files/Core'\n";
        assert_eq!(told(&mut app(&pod(own))), ["warning fetch 5:9", "warning audio 6:9"]);
        // Sound that goes on in the background shows nowhere.
        let mut sounds = Fixture::ios(&list(&["audio"])).needs("skua_audio", "ios.usage = 'NSCameraUsageDescription'");
        assert!(told(&mut sounds).iter().all(|one| !one.contains("audio")));
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
    fn what_something_beside_it_uses_stays() {
        let receiver = "    <uses-permission android:name=\"android.permission.RECEIVE_SMS\"/>\n    <application>\n        <receiver android:name=\".Texts\" android:exported=\"true\">\n            <intent-filter>\n                <action android:name=\"android.provider.Telephony.SMS_RECEIVED\"/>\n            </intent-filter>\n        </receiver>\n    </application>\n";
        assert_eq!(told(&mut Fixture::android(receiver)), [""; 0]);
        let list = "    <key>NSBonjourServices</key>\n    <array>\n        <string>_log._tcp</string>\n    </array>\n    <key>NSLocalNetworkUsageDescription</key>\n    <string>Finds the scale.</string>\n";
        assert_eq!(told(&mut Fixture::ios(list)), [""; 0]);
        let new = "    <uses-permission android:name=\"android.permission.INTERNET\"/>\n    <application/>\n";
        assert_eq!(told(&mut Fixture::android(new)), [""; 0], "every new app has it");
    }

    #[test]
    fn nothing_is_offered_while_a_package_is_not_installed() {
        let phone = "    <uses-permission android:name=\"android.permission.READ_PHONE_STATE\"/>\n    <application/>\n";
        let app = Fixture::android(phone);
        assert_eq!(told(&mut app.clone()).len(), 1);
        let absent = app.package("knot_calls").without("node_modules/knot_calls/package.json");
        assert_eq!(told(&mut absent.clone()), [""; 0]);
    }

    #[test]
    fn keys_and_schemes_are_looked_at() {
        let list = "    <key>LSApplicationQueriesSchemes</key>\n    <array>\n        <string>tel</string>\n        <string>sms</string>\n    </array>\n    <key>NSContactsUsageDescription</key>\n    <string>Finds the finder.</string>\n";
        let mut app = Fixture::ios(list).needs("plover_dialer", "ios.query-scheme = 'tel'");
        assert_eq!(told(&mut app), ["warning sms 6:9", "warning NSContactsUsageDescription 8:5"]);
    }
}
