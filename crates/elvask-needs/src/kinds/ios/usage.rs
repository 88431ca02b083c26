//! `usage`: a key that holds a purpose, the text that a person reads when the system asks for access.

use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_platform::{Kind, ios};
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, problem};
use crate::kinds::toml::text;
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::plist::{add_key, good_purpose, key_lines};
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

/// See the module.
pub(crate) struct Usage;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Usage,
    key: Some("usage"),
    states: "a purpose key",
    examples: ["ios.usage = \"NSCameraUsageDescription\"", "ios.usage = \"NSMicrophoneUsageDescription\""],
    section: Section::Purposes,
    spot: Spot::PropertyList,
    asks: Asks::Purpose,
    is_written: true,
    is_removed: true,
};

impl KindSpec for Usage {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(key) = stated.text(problems) else { return Vec::new() };
        match ios::usage_key(&key.text) {
            Some(known) if known.is_for_ios() => return asking(key.text, Need::Usage),
            Some(known) => {
                let message = format!("`{}` is a key of {} and does nothing in an iOS app", known.key, known.platform);
                problem(problems, key.span, message);
            }
            None => {
                let hint = ios::nearest_usage_key(&key.text)
                    .map_or_else(String::new, |known| format!("; did you mean `{}`?", known.key));
                problem(problems, key.span, format!("`{}` is not a purpose key{hint}", key.text));
            }
        }
        Vec::new()
    }

    fn write(&self, name: &str, _need: &Need) -> Option<String> {
        Some(format!("ios.usage = {}", text(name)))
    }

    fn schema(&self) -> Json {
        json!({ "type": "string", "description": "A purpose key." })
    }

    fn of_fact(&self, _name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        Some(Need::Usage)
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the property list of the app target: the system shows the text when it asks".to_owned()
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some(plist) = scene.plist.filter(|plist| plist.list.is_xml()) else { return Vec::new() };
        let purposes = plist.list.entries().iter().filter(|entry| ios::usage_key(&entry.key).is_some());
        let one = |entry: &elvask_markup::plist::Entry| {
            Declared::new(&entry.key, plist.key_place(entry), vec![plist_plan::remove_entry(plist.list, entry)])
        };
        purposes.map(one).collect()
    }

    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, _need: &Need) -> Match {
        Match::when(scene.plist.is_some_and(|plist| plist.entry(name).is_some()))
    }

    /// A key that is misspelt, or an older key that holds the text.
    fn is_told_elsewhere(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> bool {
        let Some(plist) = scene.plist else { return false };
        let misspelt = plist.list.entries().iter().any(|entry| {
            ios::usage_key(&entry.key).is_none()
                && ios::nearest_usage_key(&entry.key).is_some_and(|meant| meant.key == name)
        });
        let older = ios::usage_keys().iter().any(|known| {
            known.replaced_by.contains(&name) && known.until.is_some() && good_purpose(plist, known.key).is_some()
        });
        misspelt || older
    }

    fn absent(&self, name: &str, _need: &Need, _only: &str, who: &str) -> String {
        let opens = ios::usage_key(name).map_or("", |known| known.opens);
        format!("no purpose is given for {opens}: {who} `{name}`")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, _need: &Need, answering: &dyn Answering) -> Option<(Place, Remedy)> {
        let plist = scene.plist?;
        let remedy = match answering.purpose(name) {
            Ok(purpose) => add_key(scene, format!("add {name}"), plist, name, &NewValue::String(purpose)),
            Err(want) => Remedy::Answer { wants: vec![want], lines: key_lines(name, "…") },
        };
        Some((plist.root_tag(), remedy))
    }
}
