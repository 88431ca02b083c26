//! `service-type-missing`: a foreground service lacks a type, or a type lacks what it works with.

use elvask_markup::xml::Element;
use elvask_needs::remedy::Remedy;
use elvask_platform::android::{ServiceType, service_types};
use elvask_platform::names::nearest;
use elvask_platform::{Behaviour, Kind, Platform};
use elvask_project::merge::{MergedAttribute, MergedElement, Role};
use elvask_project::names::ANDROID;
use elvask_project::source::Place;
use elvask_project::surface::{Effective, ManifestView};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{add_permission, declared, is_told_as_badly, manifest_edit, set_android, short};

/// See the module.
pub struct ServiceTypeMissing;

static ABOUT: About = About {
    id: "service-type-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a foreground service without a type, with a type that does not exist, or without what its type works with: the permission for foreground services from target level 28, the one of each type and what the app must hold from 34.",
    effect: "Starting the service in the foreground throws SecurityException.",
    wrong: "<service android:name=\".SyncService\" android:foregroundServiceType=\"dataSync\" />",
    right: "<uses-permission android:name=\"android.permission.FOREGROUND_SERVICE\" />\n<uses-permission android:name=\"android.permission.FOREGROUND_SERVICE_DATA_SYNC\" />\n…\n<service android:name=\".SyncService\" android:foregroundServiceType=\"dataSync\" />",
    remedy: "`fill` adds the permissions. The type itself, what a type is used for, and a permission that asks the user are the owner's to decide.",
    source: "Foreground service types are required",
};

const PLAIN: &str = "android.permission.FOREGROUND_SERVICE";
const TYPE: &str = "foregroundServiceType";
const SUBTYPE: &str = "android.app.PROPERTY_SPECIAL_USE_FGS_SUBTYPE";

impl Rule for ServiceTypeMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut found = Found::default();
        for variant in &context.variants {
            for service in variant.components().filter(|component| component.name == "service") {
                if let Some(stated) = service.attribute(TYPE) {
                    of_service(context, variant, service, stated, &mut found);
                }
            }
        }
        out.append(&mut found.0);
        if let Some(manifest) = context.manifest.as_deref() {
            without_service(context, manifest, out);
            without_type(context, manifest, out);
        }
    }
}

/// What is found, each thing once for all variants.
#[derive(Default)]
struct Found(Vec<Finding>);

impl Found {
    /// Adds a finding, or the variant to one that is the same; `by_place` says whether another place makes it another one.
    fn add(&mut self, variant: &Effective<'_>, finding: Finding, by_place: bool) {
        let same = |known: &&mut Finding| {
            known.subject == finding.subject
                && (!by_place || known.place == finding.place && known.message == finding.message)
        };
        let name = variant.variant.clone();
        match self.0.iter_mut().find(same) {
            Some(known) => {
                known.level = known.level.max(finding.level);
                if !known.variants.contains(&name) {
                    known.variants.push(name);
                }
            }
            None => self.0.push(finding.in_variants(vec![name])),
        }
    }

    /// Adds a permission that is absent, once for all services.
    fn add_permission(
        &mut self,
        context: &Context<'_>,
        variant: &Effective<'_>,
        name: &str,
        place: Place,
        message: String,
        level: Level,
    ) {
        // One that a plugin needs as well is told by `permission-missing`.
        if is_told_as_badly(context.needs.of(Kind::Permission, name), level) {
            return;
        }
        let remedy = match context.manifest.as_deref() {
            Some(manifest) if declared(manifest, name).is_none() => {
                manifest_edit(format!("declare {}", short(name)), manifest, add_permission(manifest, name, None))
            }
            _ => Remedy::Manual(format!("Declare {name} in the manifest of the app.")),
        };
        self.add(variant, Finding::new(&ABOUT, name, place, message).level(level).mend(remedy), false);
    }
}

/// Looks at a service that states its types.
fn of_service(
    context: &Context<'_>,
    variant: &Effective<'_>,
    service: &MergedElement<'_>,
    stated: &MergedAttribute<'_>,
    found: &mut Found,
) {
    let value = stated.value.trim();
    // A number, a reference or a placeholder says nothing here.
    if value.is_empty() || value.starts_with(|first: char| first.is_ascii_digit()) || value.contains(['$', '@']) {
        return;
    }
    let words: Vec<&str> = value.split('|').map(str::trim).collect();
    let mut types = Vec::new();
    for word in &words {
        match service_types().find(|one| one.name == *word) {
            Some(one) => types.push(one),
            None => found.add(variant, unknown(context, word, stated.place), true),
        }
    }
    let target = variant.levels.target;
    let class = service.key().unwrap_or_default();
    let class = class.rsplit('.').next().unwrap_or(class);
    // A library's service is often for a part of it that the app does not use: it leaves the permissions to those that do.
    let brought = matches!(variant.merged.roles.get(service.input), Some(Role::Library(_)));
    let most = if brought { Level::Note } else { Level::Error };
    if target >= Behaviour::ForegroundPermission.since() && !types.is_empty() && variant.permission(PLAIN).is_none() {
        let message = format!("{class} is a foreground service, and FOREGROUND_SERVICE is not declared");
        found.add_permission(context, variant, PLAIN, stated.place, message, most);
    }
    if target < Behaviour::ForegroundTypes.since() {
        return;
    }
    for one in &types {
        if let Some(own) = one.permission.filter(|own| variant.permission(own).is_none()) {
            let message = format!("{class} has the type {}, and {} is not declared", one.name, short(own));
            found.add_permission(context, variant, own, stated.place, message, most);
        }
        if !one.one_of.is_empty() && !one.one_of.iter().any(|name| variant.permission(name).is_some()) {
            // Of several types the service may start with those that the app has the permissions for.
            let level = if types.len() > 1 || one.or_else.is_some() { Level::Warning } else { Level::Error };
            found.add(variant, condition(class, one, stated.place, level.min(most)), true);
        }
        let properties = || variant.merged.children(service).filter(|child| child.name == "property");
        if one.name == "specialUse" && !brought && !properties().any(|property| property.value("name") == Some(SUBTYPE))
        {
            let message = format!("{class} has the type specialUse and does not say what for");
            let steps = format!(
                "Put <property android:name=\"{SUBTYPE}\" android:value=\"…\" /> into the service, with what it is used for in a sentence."
            );
            let finding = Finding::new(&ABOUT, class, stated.place, message)
                .level(Level::Warning)
                .effect("The store asks for that text in its review, and refuses a service without one.")
                .mend(Remedy::Manual(steps));
            found.add(variant, finding, true);
        }
        if let Some(limits) = one.limits.filter(|_| !brought && target >= Behaviour::ForegroundLimits.since()) {
            let message = format!("{class} has the type {}, which the system limits", one.name);
            let steps = "Stop the service in Service.onTimeout, and start it from the app in front of the user.";
            let finding = Finding::new(&ABOUT, one.name, stated.place, message)
                .level(Level::Note)
                .effect(limits)
                .mend(Remedy::Manual(steps.to_owned()));
            found.add(variant, finding, true);
        }
    }
}

/// Tells of a word that is not a type.
fn unknown(context: &Context<'_>, word: &str, place: Place) -> Finding {
    let meant = nearest(word, service_types().map(|one| one.name));
    let finding = Finding::new(&ABOUT, word, place, format!("`{word}` is not a type of foreground services"))
        .effect("The build fails: the value of android:foregroundServiceType cannot be read.");
    let own = context.manifest_of(place.file);
    let component = own.and_then(|manifest| {
        let of_place = |element: &Element<'_>| manifest.value_place(*element, TYPE) == place;
        Some((manifest, manifest.components.iter().map(|one| one.element).find(of_place)?))
    });
    match (meant, component) {
        (Some(meant), Some((manifest, element))) => {
            let value = element.value(ANDROID, TYPE).unwrap_or_default();
            let right: Vec<&str> =
                value.split('|').map(str::trim).map(|one| if one == word { meant } else { one }).collect();
            let right = right.join("|");
            let edits = vec![set_android(manifest, element, TYPE, &right)];
            finding.mend(manifest_edit(format!("android:{TYPE}=\"{right}\""), manifest, edits))
        }
        _ => {
            let known: Vec<&str> = service_types().map(|one| one.name).collect();
            finding.mend(Remedy::Manual(format!("Write one of these: {}.", known.join(", "))))
        }
    }
}

/// Tells of a type for which the app holds none of the permissions that it works with.
fn condition(class: &str, one: &ServiceType, place: Place, level: Level) -> Finding {
    let names: Vec<&str> = one.one_of.iter().map(|name| short(name)).collect();
    let or = one.or_else.map(|or| format!(", or {or}")).unwrap_or_default();
    let message = match names.as_slice() {
        [name] => format!("{class} has the type {}, and {name} is not declared{or}", one.name),
        _ => format!("{class} has the type {}, and none of the permissions that it works with is declared", one.name),
    };
    // They ask the user, or are for one purpose of several: the owner decides.
    let steps = format!(
        "Declare the one that the service works with, and ask for it before the service starts: {}{or}. If it does no such work, remove the type.",
        names.join(", ")
    );
    Finding::new(&ABOUT, one.name, place, message).level(level).mend(Remedy::Manual(steps))
}

/// Tells of a permission for a type that no service has, where services of the app itself state no type: one of them is meant.
fn without_service(context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
    if context.levels.target < Behaviour::ForegroundTypes.since() {
        return;
    }
    for one in service_types() {
        let Some(declared) = one.permission.and_then(|name| declared(manifest, name)) else { continue };
        let has = |variant: &Effective<'_>| {
            let typed = variant.components().filter_map(|component| component.value(TYPE));
            typed.flat_map(|value| value.split('|')).any(|word| word.trim() == one.name)
        };
        if context.variants.is_empty() || context.variants.iter().any(has) {
            continue;
        }
        let services = manifest.components.iter().map(|component| component.element);
        let plain: Vec<_> =
            services.filter(|element| element.name() == "service" && element.value(ANDROID, TYPE).is_none()).collect();
        let [service] = plain.as_slice() else { continue };
        let class = service.value(ANDROID, "name").unwrap_or_default();
        let class = class.rsplit('.').next().unwrap_or_default().to_owned();
        let name = short(&declared.name);
        let message = format!("{name} is declared, and no service has the type {}: {class} states none", one.name);
        let steps = format!(
            "If {class} runs in the foreground for that, write android:{TYPE}=\"{}\" into it; else remove {name}.",
            one.name
        );
        out.push(
            Finding::new(&ABOUT, one.name, manifest.tag(*service), message)
                .level(Level::Warning)
                .effect("From target level 34, starting a service without a type in the foreground throws MissingForegroundServiceTypeException.")
                .related(manifest.value_place(declared.element, "name"), "for this type")
                .mend(Remedy::Manual(steps)),
        );
    }
}

/// Tells of services that the app's own code runs in the foreground where none states a type.
fn without_type(context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
    let typed = |variant: &Effective<'_>| variant.components().any(|component| component.attribute(TYPE).is_some());
    // What a permission for a type says already is enough.
    let told = out.iter().any(|known| known.rule.id == ABOUT.id);
    if context.levels.target < Behaviour::ForegroundTypes.since() || told || context.variants.iter().any(typed) {
        return;
    }
    let own = |one: &&crate::needs::Requirement| context.app.plugins.get(one.plugin).is_some_and(|plugin| plugin.own);
    let needed: Vec<_> = context.needs.of(Kind::Permission, PLAIN).iter().filter(own).collect();
    let services = manifest.components.iter().map(|component| component.element);
    let mut plain =
        services.filter(|element| element.name() == "service" && element.attribute(ANDROID, TYPE).is_none());
    let (Some(service), false) = (plain.next(), needed.is_empty()) else { return };
    let message = "the app's own code runs a service in the foreground, and none states a type";
    let known: Vec<&str> = service_types().map(|one| one.name).collect();
    let steps = format!("Write android:{TYPE} into the service that runs in the foreground: {}.", known.join(", "));
    out.push(
        Finding::new(&ABOUT, TYPE, manifest.tag(service), message)
            .level(Level::Warning)
            .effect("From target level 34, starting a service without a type in the foreground throws MissingForegroundServiceTypeException.")
            .needed_by(context.app, needed)
            .mend(Remedy::Manual(steps)),
    );
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "service-type-missing";

    fn service(permissions: &[&str], types: &str) -> Fixture {
        Fixture::android(&inside(permissions, types))
    }

    fn inside(permissions: &[&str], types: &str) -> String {
        let mut text = String::new();
        for name in permissions {
            text.push_str(&format!("    <uses-permission android:name=\"android.permission.{name}\"/>\n"));
        }
        text.push_str(&format!(
            "    <application>\n        <service android:name=\".Sync\" android:exported=\"false\" android:foregroundServiceType=\"{types}\"/>\n    </application>\n"
        ));
        text
    }

    #[test]
    fn the_permissions_of_a_type_are_wanted_and_added() {
        let app = service(&["INTERNET"], "remoteMessaging");
        assert_eq!(
            app.found(ID),
            [
                "error android.permission.FOREGROUND_SERVICE 4:95",
                "error android.permission.FOREGROUND_SERVICE_REMOTE_MESSAGING 4:95"
            ]
        );
        let finding = &app.findings(ID)[1];
        assert_eq!(
            finding.message,
            "Sync has the type remoteMessaging, and FOREGROUND_SERVICE_REMOTE_MESSAGING is not declared"
        );
        let both = ["INTERNET", "FOREGROUND_SERVICE", "FOREGROUND_SERVICE_REMOTE_MESSAGING"];
        app.mends_manifest(ID, &inside(&both, "remoteMessaging"));
        assert!(service(&both, "remoteMessaging").found(ID).is_empty());
    }

    #[test]
    fn lower_target_levels_want_less() {
        assert!(service(&[], "camera").levels(21, 27).found(ID).is_empty());
        let app = service(&[], "camera").levels(21, 33);
        assert_eq!(app.found(ID), ["error android.permission.FOREGROUND_SERVICE 3:95"]);
        assert!(service(&["FOREGROUND_SERVICE"], "camera").levels(21, 33).found(ID).is_empty());
    }

    #[test]
    fn what_a_type_works_with_must_be_declared() {
        let typed = ["FOREGROUND_SERVICE", "FOREGROUND_SERVICE_CAMERA"];
        let app = service(&typed, "camera");
        assert_eq!(app.found(ID), ["error camera 5:95"]);
        assert_eq!(app.findings(ID)[0].message, "Sync has the type camera, and CAMERA is not declared");
        assert!(app.findings(ID)[0].remedy.text().contains("ask for it before the service starts"));
        app.is_left_alone();
        assert!(service(&[typed[0], typed[1], "CAMERA"], "camera").found(ID).is_empty());
        let located = ["FOREGROUND_SERVICE", "FOREGROUND_SERVICE_LOCATION", "ACCESS_COARSE_LOCATION"];
        assert!(service(&located, "location").found(ID).is_empty(), "one of several is enough");
        assert_eq!(service(&located[..2], "location").found(ID), ["error location 5:95"]);
    }

    #[test]
    fn where_something_else_does_it_is_a_warning() {
        let calls = ["FOREGROUND_SERVICE", "FOREGROUND_SERVICE_PHONE_CALL"];
        let app = service(&calls, "phoneCall");
        assert_eq!(app.found(ID), ["warning phoneCall 5:95"]);
        assert!(
            app.findings(ID)[0].message.ends_with("is not declared, or the role of the default phone app"),
            "{}",
            app.findings(ID)[0].message
        );
        let device = ["FOREGROUND_SERVICE", "FOREGROUND_SERVICE_CONNECTED_DEVICE"];
        assert_eq!(service(&device, "connectedDevice").found(ID), ["warning connectedDevice 5:95"]);
        let near = [device[0], device[1], "BLUETOOTH_CONNECT"];
        assert!(service(&near, "connectedDevice").found(ID).is_empty());
    }

    #[test]
    fn several_types_want_all_their_permissions() {
        let some = ["FOREGROUND_SERVICE", "FOREGROUND_SERVICE_CAMERA", "CAMERA"];
        let app = service(&some, "camera|microphone");
        assert_eq!(
            app.found(ID),
            ["error android.permission.FOREGROUND_SERVICE_MICROPHONE 6:95", "warning microphone 6:95"],
            "it may start as camera alone where nobody has granted the microphone"
        );
        let all = [some[0], some[1], some[2], "FOREGROUND_SERVICE_MICROPHONE", "RECORD_AUDIO"];
        assert!(service(&all, "camera | microphone").found(ID).is_empty());
    }

    #[test]
    fn a_short_service_has_no_permission_of_its_own() {
        assert!(service(&["FOREGROUND_SERVICE"], "shortService").found(ID).is_empty());
        assert_eq!(service(&[], "shortService").found(ID), ["error android.permission.FOREGROUND_SERVICE 3:95"]);
    }

    #[test]
    fn a_special_use_says_what_for() {
        let special = ["FOREGROUND_SERVICE", "FOREGROUND_SERVICE_SPECIAL_USE"];
        let app = service(&special, "specialUse");
        assert_eq!(app.found(ID), ["warning Sync 5:95"]);
        assert!(app.findings(ID)[0].remedy.text().contains("android.app.PROPERTY_SPECIAL_USE_FGS_SUBTYPE"));
        let property = "><property android:name=\"android.app.PROPERTY_SPECIAL_USE_FGS_SUBTYPE\" android:value=\"Counts waders\"/></service>\n    </app";
        let said = inside(&special, "specialUse").replace("/>\n    </app", property);
        assert!(Fixture::android(&said).found(ID).is_empty());
    }

    #[test]
    fn what_a_librarys_service_lacks_is_a_note() {
        let library = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" package=\"example.godwit\"><application><service android:name=\".Track\" android:foregroundServiceType=\"location\"/></application></manifest>";
        let app = Fixture::android("    <application/>\n")
            .package("godwit_float")
            .file("node_modules/godwit_float/android/src/main/AndroidManifest.xml", library);
        let levels: Vec<_> = app.findings(ID).iter().map(|finding| finding.level.id()).collect();
        assert_eq!(levels, ["note", "note", "note"], "{:?}", app.found(ID));
        app.is_left_alone();
    }

    #[test]
    fn limits_are_told_as_a_note() {
        let sync = ["FOREGROUND_SERVICE", "FOREGROUND_SERVICE_DATA_SYNC"];
        assert_eq!(service(&sync, "dataSync").found(ID), ["note dataSync 5:95"]);
        assert!(service(&sync, "dataSync").levels(24, 34).found(ID).is_empty());
    }

    #[test]
    fn a_word_that_is_not_a_type_is_corrected_where_one_is_near() {
        let all = ["FOREGROUND_SERVICE", "FOREGROUND_SERVICE_DATA_SYNC"];
        let app = service(&all, "datasync").levels(24, 34);
        assert_eq!(app.found(ID), ["error datasync 5:95"]);
        app.mends_manifest(ID, &inside(&all, "dataSync"));
        let other = service(&all[..1], "walking");
        assert_eq!(other.found(ID), ["error walking 4:95"]);
        other.is_left_alone();
        for unread in ["0x40", "@integer/type", "${type}"] {
            assert!(service(&[], unread).found(ID).is_empty(), "{unread}");
        }
    }

    #[test]
    fn a_permission_for_a_type_that_no_service_has_points_at_the_service() {
        let text = "    <uses-permission android:name=\"android.permission.FOREGROUND_SERVICE_LOCATION\"/>\n    <application>\n        <service android:name=\".Track\" android:exported=\"false\"/>\n    </application>\n";
        let app = Fixture::android(text);
        assert_eq!(app.found(ID), ["warning location 4:9"]);
        assert!(app.clone().levels(24, 33).found(ID).is_empty());
        let two = text
            .replace("    </app", "        <service android:name=\".Other\" android:exported=\"false\"/>\n    </app");
        assert!(Fixture::android(&two).found(ID).is_empty(), "which of them is meant is not known");
        let none = "    <uses-permission android:name=\"android.permission.FOREGROUND_SERVICE_LOCATION\"/>\n    <application/>\n";
        assert!(Fixture::android(none).found(ID).is_empty(), "a library may bring the service");
    }

    #[test]
    fn own_code_in_the_foreground_wants_a_type() {
        let code = "class Walk : Service() {\n  fun go() { startForeground(1, notification) }\n}\n";
        let app = |service: &str| {
            Fixture::android(&format!("    <uses-permission android:name=\"{}\"/>\n    <application>\n        <service android:name=\".Walk\"{service}/>\n    </application>\n", super::PLAIN))
                .file("android/app/src/main/java/example/marram/Walk.kt", code)
        };
        assert_eq!(app("").found(ID), ["warning foregroundServiceType 4:9"]);
        app("").is_left_alone();
        assert!(app("").levels(24, 33).found(ID).is_empty());
        assert!(app(" android:foregroundServiceType=\"shortService\"").found(ID).is_empty());
        assert!(
            Fixture::android("    <application>\n        <service android:name=\".Walk\"/>\n    </application>\n")
                .found(ID)
                .is_empty()
        );
    }
}
