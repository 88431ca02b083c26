//! `level`: a level that the build states, and that must be reached.

use elvask_markup::Edit;
use elvask_platform::Kind;
use elvask_project::appfiles::AndroidApp;
use elvask_project::gradle::Stated as StatedValue;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::problem;
use crate::kinds::{Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::remedy::Remedy;
use crate::requirement::{COMPILE_LEVEL, MIN_LEVEL, Need, TARGET_LEVEL};
use crate::section::Section;

/// The keys of a sheet with the names of the levels.
const KEYS: [(&str, &str); 3] = [("min", MIN_LEVEL), ("compile", COMPILE_LEVEL), ("target", TARGET_LEVEL)];

/// See the module.
pub(crate) struct Level;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Level,
    key: Some("levels"),
    states: "`{ min, compile, target }`: levels that the build must reach",
    examples: ["android.levels = { min = 26 }", "android.levels = { target = 36 }"],
    section: Section::Levels,
    spot: Spot::Levels,
    asks: Asks::Level,
    is_written: true,
    is_removed: false,
};

fn wanted(need: &Need) -> Option<u32> {
    let Need::Level(level) = need else { return None };
    Some(*level)
}

/// Returns what the app states for a level.
pub fn stated<'a>(android: &'a AndroidApp, name: &str) -> Option<&'a StatedValue<u32>> {
    Some(match name {
        MIN_LEVEL => &android.min_level,
        COMPILE_LEVEL => &android.modules.first()?.compile_level,
        _ => &android.target_level,
    })
}

impl KindSpec for Level {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(table) = stated.fields("`android.levels`", &KEYS.map(|(key, _)| key), problems) else {
            return Vec::new();
        };
        let mut asked = Vec::new();
        for (key, name) in KEYS {
            let level = table.number(key, problems);
            asked.extend(level.map(|level| Asking { name: name.to_owned(), need: Need::Level(level) }));
        }
        if asked.is_empty() && table.entries().is_empty() {
            problem(problems, table.span, "`android.levels` needs one of `min`, `compile` and `target`");
        }
        asked
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let level = wanted(need)?;
        let key = KEYS.iter().find(|(_, known)| *known == name).map_or("target", |(key, _)| key);
        Some(format!("android.levels = {{ {key} = {level} }}"))
    }

    fn schema(&self) -> Json {
        let number = json!({ "type": "integer", "minimum": 1 });
        let properties: serde_json::Map<_, _> =
            KEYS.iter().map(|(key, _)| ((*key).to_owned(), number.clone())).collect();
        json!({ "type": "object", "properties": properties, "additionalProperties": false, "minProperties": 1 })
    }

    fn value(&self, need: &Need) -> Option<String> {
        wanted(need).map(|level| level.to_string())
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the build file of the app's module, which overrides what a manifest says".to_owned()
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some(android) = &scene.app.android else { return Vec::new() };
        let place = |name: &str| stated(android, name).filter(|stated| stated.value.is_some())?.place;
        KEYS.iter().filter_map(|(_, name)| Some(Declared::new(*name, place(name)?, Vec::new()))).collect()
    }

    fn compare(&self, scene: &Scene<'_>, side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let (Side::Android(variant), Some(wanted)) = (side, wanted(need)) else { return Match::Absent };
        let compiled = || scene.app.android.as_ref()?.modules.first()?.compile_level.value;
        let given = match name {
            MIN_LEVEL => variant.levels.min,
            COMPILE_LEVEL => compiled(),
            _ => Some(variant.levels.target),
        };
        match given {
            Some(given) if given < wanted => Match::Differs(format!("is {given}")),
            _ => Match::Meets,
        }
    }

    fn join(&self, _name: &str, needs: &[&Need]) -> Option<Joined> {
        Some(Joined::One(Need::Level(needs.iter().filter_map(|need| wanted(need)).max()?)))
    }

    fn absent(&self, name: &str, need: &Need, only: &str, who: &str) -> String {
        format!("`{name}` is not stated{only}, and {who} {}", wanted(need).unwrap_or_default())
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let (highest, stated) = (wanted(need)?, stated(scene.app.android.as_ref()?, name)?);
        let (level, place) = (stated.value?, stated.place?);
        if let Some(remedy) = crate::generated::state_level(scene.app, scene.sources, name, &highest.to_string()) {
            return Some((place, remedy));
        }
        if let Some(remedy) = crate::plan::property::raise(scene, place, &highest.to_string()) {
            return Some((place, remedy));
        }
        let text = scene.app.sources.text_at(place);
        let number = text.trim_matches(['"', '\'']);
        if number.parse() != Ok(level) {
            return Some((place, Remedy::Manual(format!("Raise {name} to {highest} where it is stated."))));
        }
        let start = place.span.start + text.find(number).unwrap_or(0);
        let edit = Edit { start, end: start + number.len(), insert: highest.to_string() };
        Some((place, Remedy::edit(format!("raise it to {highest}"), place.file, vec![edit])))
    }
}
