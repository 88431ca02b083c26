//! `identity`: who the app is: its id, its version, its build. No plugin can ask for one; it is listed and compared.

use elvask_platform::{Kind, Platform};
use elvask_project::scene::Scene;
use elvask_project::source::Place;

use crate::kinds::{Answering, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot};
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

/// See the module.
pub(crate) struct Identity;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Identity,
    key: None,
    states: "who the app is; no sheet can state it",
    examples: ["", ""],
    section: Section::Identity,
    spot: Spot::Identity,
    asks: Asks::Plain,
    is_written: false,
    is_removed: false,
};

/// One part of who an app is.
struct Part {
    platform: Platform,
    name: &'static str,
    value: Option<String>,
    place: Option<Place>,
}

fn parts(scene: &Scene<'_>) -> Vec<Part> {
    let mut out = Vec::new();
    if let Some(variant) = scene.app.android.as_ref().and_then(|android| android.judged().next()) {
        let code = variant.version_code.value.map(|code| code.to_string());
        for (name, value, place) in [
            ("applicationId", variant.id.value.clone(), variant.id.place),
            ("versionName", variant.version_name.value.clone(), variant.version_name.place),
            ("versionCode", code, variant.version_code.place),
        ] {
            out.push(Part { platform: Platform::Android, name, value, place });
        }
    }
    if let Some(ios) = &scene.app.ios {
        for (name, stated) in [("bundle id", &ios.id), ("version", &ios.version), ("build", &ios.build)] {
            out.push(Part { platform: Platform::Ios, name, value: stated.value.clone(), place: stated.place });
        }
    }
    out
}

impl KindSpec for Identity {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn write(&self, _name: &str, _need: &Need) -> Option<String> {
        None
    }

    fn value(&self, need: &Need) -> Option<String> {
        let Need::Identity { value, .. } = need else { return None };
        value.clone()
    }

    fn belongs(&self, name: &str, need: &Need) -> String {
        match need.platform() {
            Platform::Android => format!("{name} in the build file of the app's module"),
            Platform::Ios => format!("{name} in the build settings of the app target"),
        }
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let stated = parts(scene).into_iter().filter(|part| part.value.is_some());
        stated.filter_map(|part| Some(Declared::new(part.name, part.place?, Vec::new()))).collect()
    }

    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let Need::Identity { platform, value } = need else { return Match::Absent };
        let part = parts(scene).into_iter().find(|part| part.platform == *platform && part.name == name);
        match (part.and_then(|part| part.value), value) {
            (None, _) => Match::Absent,
            (Some(given), Some(wanted)) if given != *wanted => Match::Differs(format!("is {given}")),
            _ => Match::Meets,
        }
    }

    fn is_same(&self, one: &Need, other: &Need) -> bool {
        one.platform() == other.platform()
    }

    fn disputed(&self, need: &Need) -> Option<String> {
        self.value(need)
    }

    fn absent(&self, name: &str, _need: &Need, only: &str, who: &str) -> String {
        format!("{name} is not stated{only}, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let place = parts(scene).into_iter().find(|part| part.name == name)?.place?;
        Some((place, Remedy::Manual(format!("Change {}.", self.belongs(name, need)))))
    }
}
