//! `min-version`: the lowest version of iOS that the app runs on.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::{Kind, Version};
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, problem};
use crate::kinds::toml::text;
use crate::kinds::{Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::plist::set_setting;
use crate::remedy::Remedy;
use crate::requirement::{MIN_VERSION, Need};
use crate::section::Section;

/// The build setting that states it.
const SETTING: &str = "IPHONEOS_DEPLOYMENT_TARGET";

/// See the module.
pub(crate) struct MinVersion;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::MinVersion,
    key: Some("min-version"),
    states: "the lowest version of iOS: `\"13.0\"`",
    examples: ["ios.min-version = \"16.0\"", "ios.min-version = \"16.4\""],
    section: Section::Levels,
    spot: Spot::Levels,
    asks: Asks::Level,
    is_written: true,
    is_removed: false,
};

fn wanted(need: &Need) -> Option<Version> {
    let Need::MinVersion(version) = need else { return None };
    Some(*version)
}

/// Returns the version that the app states: as the project says now, which may have been raised since it was read.
pub fn stated(scene: &Scene<'_>) -> Option<(Version, Place)> {
    let ios = scene.app.ios.as_ref()?;
    let setting = scene.surface.settings().and_then(|settings| settings.value(SETTING));
    let now = setting.and_then(|setting| Some((Version::parse(&setting.value?)?, setting.place?)));
    now.or(ios.min_version.value.zip(ios.min_version.place))
}

impl KindSpec for MinVersion {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(text) = stated.text(problems) else { return Vec::new() };
        let Some(version) = Version::parse(&text.text) else {
            problem(problems, text.span, "this is not a version of iOS; write one such as `\"15.1\"`");
            return Vec::new();
        };
        asking(MIN_VERSION, Need::MinVersion(version))
    }

    fn write(&self, _name: &str, need: &Need) -> Option<String> {
        Some(format!("ios.min-version = {}", text(&wanted(need)?.to_string())))
    }

    fn schema(&self) -> Json {
        json!({ "type": "string", "description": "The lowest version of iOS, such as 15.1." })
    }

    fn value(&self, need: &Need) -> Option<String> {
        wanted(need).map(|version| version.to_string())
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the deployment target, in every configuration".to_owned()
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        stated(scene).map(|(_, place)| Declared::new(MIN_VERSION, place, Vec::new())).into_iter().collect()
    }

    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, _name: &str, need: &Need) -> Match {
        match (stated(scene), wanted(need)) {
            (Some((given, _)), Some(wanted)) if given < wanted => Match::Differs(format!("is {given}")),
            _ => Match::Meets,
        }
    }

    fn join(&self, _name: &str, needs: &[&Need]) -> Option<Joined> {
        Some(Joined::One(Need::MinVersion(needs.iter().filter_map(|need| wanted(need)).max()?)))
    }

    fn absent(&self, _name: &str, need: &Need, _only: &str, who: &str) -> String {
        let version = wanted(need).map(|version| version.to_string()).unwrap_or_default();
        format!("the lowest version of iOS is not stated, and {who} {version}")
    }

    fn add(&self, scene: &Scene<'_>, _name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let ((_, place), version) = (stated(scene)?, wanted(need)?);
        if let Some(remedy) = crate::generated::state_level(scene.app, scene.sources, MIN_VERSION, &version.to_string())
        {
            return Some((place, remedy));
        }
        let title = format!("raise the deployment target to {version}");
        if let Some(remedy) = crate::plan::property::raise(scene, place, &version.to_string()) {
            return Some((place, remedy));
        }
        let steps = format!("Raise {SETTING} to {version}.");
        let set = set_setting(scene, title, SETTING, &NewValue::String(version.to_string()));
        Some((place, set.unwrap_or(Remedy::Manual(steps))))
    }
}
