//! `plist-companion`: a key or background mode that does not work without another one.

use elvask_markup::plist::ValueKind;
use elvask_markup::plist::plan::NewValue;
use elvask_needs::kinds::ios::background_mode::MODES;
use elvask_needs::remedy::Remedy;
use elvask_platform::ios::{Companion, companions};
use elvask_platform::{Kind, Platform};
use elvask_project::source::Place;
use elvask_project::surface::PlistView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{add_key, is_told_as_badly};

/// See the module.
pub struct PlistCompanion;

static ABOUT: About = About {
    id: "plist-companion",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a key of the property list, or a background mode, that does not work without another key, mode or entitlement.",
    effect: "What the key is for does not work.",
    wrong: "<key>UIBackgroundModes</key>\n<array>\n    <string>processing</string>\n</array>",
    right: "<key>BGTaskSchedulerPermittedIdentifiers</key>\n<array>\n    <string>example.marram.fieldlog.tides</string>\n</array>\n<key>UIBackgroundModes</key>\n<array>\n    <string>processing</string>\n</array>",
    remedy: "`fill` writes a purpose that the owner has worded. Ids of tasks, modes and entitlements are for a person, who knows whether the app uses them.",
    source: "Information Property List",
};

impl Rule for PlistCompanion {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        for companion in companions() {
            let Some(place) = found(context, plist, companion.of) else { continue };
            if !companion.one_of.iter().any(|wanted| is_there(context, plist, wanted)) {
                out.extend(finding(context, plist, &companion, place));
            }
        }
    }
}

/// Says whether a background mode lacks what it does not work without.
pub(super) fn lacks_companion(context: &Context<'_>, plist: PlistView<'_>, mode: &str) -> bool {
    let of_mode = |companion: &Companion| companion.of.strip_prefix("mode ") == Some(mode);
    companions()
        .filter(of_mode)
        .any(|companion| !companion.one_of.iter().any(|wanted| is_there(context, plist, wanted)))
}

/// Returns where a key, `mode …` or `entitlement …` is declared.
fn found(context: &Context<'_>, plist: PlistView<'_>, of: &str) -> Option<Place> {
    let Some(key) = of.strip_prefix("entitlement ") else { return declared(plist, of) };
    let (file, list) = context.surface.entitlements()?;
    let entry = list.entry(key)?;
    // An entitlement that is off is none.
    let off = matches!(entry.value.kind, ValueKind::Bool(false));
    (!off).then_some(Place { file, span: entry.key_span })
}

/// Returns where a key or `mode …` is declared.
fn declared(plist: PlistView<'_>, of: &str) -> Option<Place> {
    match of.strip_prefix("mode ") {
        Some(mode) => {
            let modes = plist.entry(MODES)?;
            let value = modes.value.as_array()?.iter().find(|value| value.as_str() == Some(mode))?;
            Some(plist.at(value.span))
        }
        None => Some(plist.key_place(plist.entry(of)?)),
    }
}

/// Says whether what must be beside a key is there, or may be: of an app whose entitlements are not known nothing is said.
fn is_there(context: &Context<'_>, plist: PlistView<'_>, wanted: &str) -> bool {
    match wanted.split_once(':') {
        Some(("mode", mode)) => declared(plist, &format!("mode {mode}")).is_some(),
        Some((_, key)) => context.surface.entitlements().is_none_or(|(_, list)| list.entry(key).is_some()),
        None => plist.entry(wanted).is_some(),
    }
}

fn finding(context: &Context<'_>, plist: PlistView<'_>, companion: &Companion, place: Place) -> Option<Finding> {
    let level = companion.level;
    let first = companion.one_of.first()?;
    let name = first.rsplit(':').next().unwrap_or(first);
    // One that a plugin needs as well is told by that need.
    let kind = match first.split_once(':') {
        Some(("mode", _)) => Kind::BackgroundMode,
        Some(_) => Kind::Entitlement,
        None if name.ends_with("UsageDescription") => Kind::Usage,
        None => Kind::Plist,
    };
    if is_told_as_badly(context.needs.of(kind, name), level) {
        return None;
    }
    let shown = |wanted: &&&str| match wanted.split_once(':') {
        Some(("mode", mode)) => format!("the mode {mode}"),
        Some((_, key)) => format!("the entitlement {key}"),
        None => (**wanted).to_owned(),
    };
    let wanted: Vec<String> = companion.one_of.iter().map(|one| shown(&one)).collect();
    let wanted = wanted.join(" or ");
    let of = match companion.of.split_once(' ') {
        Some(("mode", mode)) => format!("the background mode {mode}"),
        Some((_, key)) => format!("the entitlement {key}"),
        None => companion.of.to_owned(),
    };
    let remedy = match context.purpose(name).filter(|_| kind == Kind::Usage) {
        Some(purpose) => add_key(context, format!("add {name}"), plist, name, &NewValue::String(purpose.text)),
        None => Remedy::Manual(match kind {
            Kind::Usage => format!("Add {name} with what it is used for, in words for people."),
            Kind::Entitlement => {
                format!("Add {wanted} (`elvask declare {name}`), or remove {of} where the app does no such thing.")
            }
            Kind::BackgroundMode => format!("Add {wanted} to {MODES}, or remove {of}."),
            _ if name == "BGTaskSchedulerPermittedIdentifiers" => {
                format!("List the ids of the app's tasks under {name}, or remove {of}.")
            }
            _ => format!("Add {name}, or remove {of}."),
        }),
    };
    let subject = companion.of.split_once(' ').map_or(companion.of, |(_, name)| name);
    let message = format!("{of} does not work without {wanted}");
    Some(Finding::new(&ABOUT, subject, place, message).level(level).effect(companion.effect).mend(remedy))
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "plist-companion";

    fn text(key: &str, value: &str) -> String {
        format!("    <key>{key}</key>\n    <string>{value}</string>\n")
    }

    fn list(key: &str, values: &[&str]) -> String {
        let inside: String = values.iter().map(|value| format!("        <string>{value}</string>\n")).collect();
        format!("    <key>{key}</key>\n    <array>\n{inside}    </array>\n")
    }

    const ALWAYS: &str = "NSLocationAlwaysAndWhenInUseUsageDescription";
    const IN_USE: &str = "NSLocationWhenInUseUsageDescription";
    const TASKS: &str = "BGTaskSchedulerPermittedIdentifiers";
    const MODES: &str = "UIBackgroundModes";

    #[test]
    fn location_at_all_times_wants_both_purposes() {
        let always = text(ALWAYS, "Follows the walk along the dyke.");
        let app = Fixture::ios(&always);
        assert_eq!(app.found(ID), [format!("error {ALWAYS} 3:5")]);
        assert_eq!(app.findings(ID)[0].remedy.kind(), "manual");
        app.is_left_alone();
        let both = format!("{always}{}", text(IN_USE, "Writes the site into the entry."));
        let worded = app.purpose(IN_USE, "Writes the site into the entry.");
        worded.mends_plist(ID, &both);
        assert!(Fixture::ios(&both).found(ID).is_empty());
        assert!(Fixture::ios(&text(IN_USE, "Writes the site into the entry.")).found(ID).is_empty());
    }

    #[test]
    fn tasks_and_their_modes_go_together() {
        let app = Fixture::ios(&list(MODES, &["processing"]));
        assert_eq!(app.found(ID), ["error processing 5:9"]);
        assert_eq!(
            app.findings(ID)[0].message,
            "the background mode processing does not work without BGTaskSchedulerPermittedIdentifiers"
        );
        let tasks = list(TASKS, &["example.marram.fieldlog.tides"]);
        assert_eq!(Fixture::ios(&tasks).found(ID), [format!("warning {TASKS} 3:5")]);
        for mode in ["processing", "fetch"] {
            let both = format!("{tasks}{}", list(MODES, &[mode]));
            assert!(Fixture::ios(&both).found(ID).is_empty(), "{mode}");
        }
        assert!(Fixture::ios(&list(MODES, &["fetch"])).found(ID).is_empty(), "the older way to fetch wants no ids");
    }

    #[test]
    fn modes_want_their_purposes() {
        assert_eq!(Fixture::ios(&list(MODES, &["location", "audio"])).found(ID), ["warning location 5:9"]);
        assert_eq!(Fixture::ios(&list(MODES, &["bluetooth-central"])).found(ID), ["warning bluetooth-central 5:9"]);
        let told = format!(
            "{}{}",
            text("NSBluetoothAlwaysUsageDescription", "Reads the scale."),
            list(MODES, &["bluetooth-central"])
        );
        assert!(Fixture::ios(&told).found(ID).is_empty());
    }

    #[test]
    fn entitlements_are_looked_for_where_they_are_known() {
        let push = list(MODES, &["remote-notification"]);
        assert!(Fixture::ios(&push).found(ID).is_empty(), "without a file nothing is known of them");
        let known = Fixture::ios(&push).domains(&["applinks:marram.example"]);
        assert_eq!(known.found(ID), ["warning remote-notification 5:9"]);
        let steps = known.findings(ID)[0].remedy.text().to_owned();
        assert!(steps.contains("the entitlement aps-environment (`elvask declare aps-environment`)"), "{steps}");
    }

    #[test]
    fn an_entitlement_wants_its_purpose() {
        let list = |on: &str| {
            format!(
                "<plist version=\"1.0\">\n<dict>\n    <key>com.apple.developer.healthkit</key>\n    {on}\n</dict>\n</plist>\n"
            )
        };
        let app = |on: &str, inside: &str| {
            let path = "ios/Marram/App.entitlements";
            Fixture::ios(inside).domains(&[]).without(path).file(path, &list(on))
        };
        assert_eq!(app("<true/>", "").found(ID), ["warning com.apple.developer.healthkit 3:5"]);
        assert!(app("<false/>", "").found(ID).is_empty());
        assert!(
            app("<true/>", &text("NSHealthShareUsageDescription", "Adds the walk to the day.")).found(ID).is_empty()
        );
    }

    #[test]
    fn a_plugin_that_needs_it_is_told_of_once() {
        let app = Fixture::ios(&text(ALWAYS, "Follows the walk along the dyke."))
            .needs("tern_camera", "capability = 'location'");
        assert!(app.found(ID).is_empty());
        assert_eq!(app.found("purpose-missing").len(), 1);
    }
}
