//! `background-mode`: what the app may do in the background, under `UIBackgroundModes`.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::{Kind, ios};
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use super::without;
use crate::kinds::stated::{asking, problem};
use crate::kinds::toml::text;
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::plist::add_to_list;
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

/// The key under which the modes are listed.
pub const MODES: &str = "UIBackgroundModes";

/// See the module.
pub(crate) struct BackgroundMode;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::BackgroundMode,
    key: Some("background-mode"),
    states: "a value of `UIBackgroundModes`",
    examples: ["ios.background-mode = \"remote-notification\"", "ios.background-mode = \"audio\""],
    section: Section::BackgroundModes,
    spot: Spot::PropertyList,
    asks: Asks::Signing,
    is_written: true,
    is_removed: true,
};

impl KindSpec for BackgroundMode {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(mode) = stated.text(problems) else { return Vec::new() };
        if ios::background_mode(&mode.text).is_none() {
            let hint = ios::nearest_background_mode(&mode.text)
                .map_or_else(String::new, |meant| format!("; did you mean `{meant}`?"));
            problem(problems, mode.span, format!("`{}` is not a background mode{hint}", mode.text));
            return Vec::new();
        }
        asking(mode.text, Need::BackgroundMode)
    }

    fn write(&self, name: &str, _need: &Need) -> Option<String> {
        Some(format!("ios.background-mode = {}", text(name)))
    }

    fn schema(&self) -> Json {
        json!({ "type": "string", "description": "A value of UIBackgroundModes." })
    }

    fn of_fact(&self, _name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        Some(Need::BackgroundMode)
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the list UIBackgroundModes of the app's property list".to_owned()
    }

    fn called(&self, name: &str) -> String {
        format!("the background mode {name}")
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some(plist) = scene.plist.filter(|plist| plist.list.is_xml()) else { return Vec::new() };
        let Some(entry) = plist.list.entry(MODES) else { return Vec::new() };
        let values = entry.value.as_array().unwrap_or_default().iter();
        let one = |value: &elvask_markup::plist::Value| {
            Some(Declared::new(value.as_str()?, plist.at(value.span), vec![without(plist.list, entry, value)]))
        };
        values.filter_map(one).collect()
    }

    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, _need: &Need) -> Match {
        let modes = scene.plist.and_then(|plist| plist.entry(MODES)).and_then(|entry| entry.value.as_array());
        Match::when(modes.unwrap_or_default().iter().any(|mode| mode.as_str() == Some(name)))
    }

    /// A value of another type is told by `plist-type`.
    fn is_told_elsewhere(&self, scene: &Scene<'_>, _name: &str, _need: &Need) -> bool {
        let entry = scene.plist.and_then(|plist| plist.entry(MODES));
        entry.is_some_and(|entry| entry.value.as_array().is_none())
    }

    fn absent(&self, name: &str, _need: &Need, _only: &str, who: &str) -> String {
        let without =
            ios::background_mode(name).map_or("the app does not go on in the background", |mode| mode.without);
        format!("{without}: UIBackgroundModes lacks `{name}`, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, _need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let value = NewValue::String(name.to_owned());
        Some(add_to_list(scene, format!("add the background mode {name}"), scene.plist?, MODES, value))
    }
}
