//! `build-setting`: a build setting of the app target.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::Kind;
use elvask_platform::List;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, plist_value, problem};
use crate::kinds::toml::{table, text};
use crate::kinds::{
    Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated, distinct,
};
use crate::plan::plist::{extend_setting, set_setting, without_setting};
use crate::remedy::{Remedy, Want};
use crate::requirement::{Need, plain_value};
use crate::section::Section;
use crate::template::answers_in;

/// What stands for the value of the layer below.
const INHERITED: &str = "$(inherited)";

/// See the module.
pub(crate) struct BuildSetting;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::BuildSetting,
    key: Some("build-setting"),
    states: "`{ name, value }`; the words of a list are compared in any order, and what is there is kept",
    examples: [
        "ios.build-setting = { name = \"BUILD_LIBRARY_FOR_DISTRIBUTION\", value = \"NO\" }",
        "ios.build-setting = { name = \"OTHER_LDFLAGS\", value = [\"$(inherited)\", \"-ObjC\"] }",
    ],
    section: Section::Keys,
    spot: Spot::BuildSettings,
    asks: Asks::Plain,
    is_written: true,
    is_removed: true,
};

fn wanted(need: &Need) -> Option<&str> {
    let Need::BuildSetting { value } = need else { return None };
    Some(value)
}

/// Says whether a setting is a list of words, which goes together with others: by its name, or by a value of several words.
fn is_list(name: &str, value: &str) -> bool {
    List::SettingList.has(name) || value.split_whitespace().nth(1).is_some() || value.contains(INHERITED)
}

/// Returns the words of a list that mean something of their own.
fn words(value: &str) -> impl Iterator<Item = &str> {
    value.split_whitespace().filter(|word| *word != INHERITED)
}

/// Returns what a setting comes to in the judged configuration; `None` where nothing sets it, and `Some(None)` where that is not
/// known.
pub fn given(scene: &Scene<'_>, name: &str) -> Option<Option<String>> {
    Some(scene.surface.settings()?.value(name)?.value)
}

/// Returns the words of a wanted list that a setting does not come to.
fn lacking<'w>(given: &str, wanted: &'w str) -> Vec<&'w str> {
    let have: Vec<_> = words(given).collect();
    words(wanted).filter(|word| !have.contains(word)).collect()
}

impl KindSpec for BuildSetting {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(table) = stated.fields("`ios.build-setting`", &["name", "value"], problems) else {
            return Vec::new();
        };
        let Some(name) = table.required_text("name", problems) else { return Vec::new() };
        let fits = name.text.chars().all(|letter| letter.is_ascii_alphanumeric() || letter == '_');
        if !fits || name.text.is_empty() {
            problem(problems, name.span, format!("`{}` is not a build setting", name.text));
            return Vec::new();
        }
        let Some(given) = table.get("value") else {
            problem(problems, table.span, "`ios.build-setting` needs a `value`");
            return Vec::new();
        };
        let value = match plist_value(given, problems) {
            None => return Vec::new(),
            Some(NewValue::String(text)) => text,
            Some(NewValue::Bool(yes)) => if yes { "YES" } else { "NO" }.to_owned(),
            Some(NewValue::Array(words)) => {
                let texts = words.iter().filter_map(|word| match word {
                    NewValue::String(text) => Some(text.as_str()),
                    NewValue::Bool(_) | NewValue::Integer(_) | NewValue::Real(_) => None,
                    NewValue::Array(_) | NewValue::Dict(_) => None,
                });
                texts.collect::<Vec<_>>().join(" ")
            }
            Some(other) => plain_value(&other),
        };
        asking(name.text, Need::BuildSetting { value })
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let fields = [("name", Some(text(name))), ("value", wanted(need).map(text))];
        Some(format!("ios.build-setting = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "type": "object",
            "properties": {
                "name": { "type": "string" },
                "value": { "description": "A text, a truth value, or the words of a list." }
            },
            "additionalProperties": false,
            "required": ["name", "value"]
        })
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        wanted(need).into_iter().collect()
    }

    fn filled(&self, need: &Need, answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        let Some(value) = wanted(need) else { return Ok(need.clone()) };
        Ok(Need::BuildSetting { value: answering.text(value)? })
    }

    fn value(&self, need: &Need) -> Option<String> {
        wanted(need).map(str::to_owned)
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "a build setting of the app target, in every configuration".to_owned()
    }

    fn called(&self, name: &str) -> String {
        format!("the build setting {name}")
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some((project, target)) = scene.surface.target() else { return Vec::new() };
        let mut out: Vec<Declared> = Vec::new();
        for (name, place) in elvask_project::xcode::settings_of(project, target) {
            match out.iter_mut().find(|known| known.name == name) {
                Some(_) => {}
                None => out.push(Declared::new(name.as_str(), place, without_setting(scene, &name))),
            }
        }
        out
    }

    /// Of a list only the words that were named are taken out, where there are others.
    fn found(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> Vec<Declared> {
        self.declared(scene).into_iter().filter(|one| one.name == name).collect()
    }

    /// What cannot be known is not held against anybody.
    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let Some(wanted) = wanted(need) else { return Match::Absent };
        match given(scene, name) {
            None => Match::Absent,
            Some(None) => Match::Meets,
            Some(Some(_)) if !answers_in(wanted).is_empty() => Match::Meets,
            Some(Some(given)) if given.trim() == wanted.trim() => Match::Meets,
            Some(Some(given)) if is_list(name, wanted) && lacking(&given, wanted).is_empty() => Match::Meets,
            Some(Some(given)) => Match::Differs(format!("is {given}")),
        }
    }

    fn disputed(&self, need: &Need) -> Option<String> {
        wanted(need).map(str::to_owned)
    }

    /// Lists go together.
    fn join(&self, name: &str, needs: &[&Need]) -> Option<Joined> {
        let values: Vec<_> = needs.iter().filter_map(|need| wanted(need)).collect();
        let first = values.first()?;
        let different = distinct(values.iter().map(|value| (*value).to_owned()));
        if different.len() > 1 && !values.iter().any(|value| is_list(name, value)) {
            return Some(Joined::Clash(different));
        }
        let mut joined = (*first).to_owned();
        for word in values.iter().skip(1).flat_map(|value| value.split_whitespace()) {
            if !joined.split_whitespace().any(|known| known == word) {
                joined = format!("{joined} {word}");
            }
        }
        Some(Joined::One(Need::BuildSetting { value: joined }))
    }

    fn absent(&self, name: &str, need: &Need, _only: &str, who: &str) -> String {
        format!("the build setting {name} is not set, and {who} {}", wanted(need).unwrap_or_default())
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let (value, (project, _)) = (wanted(need)?, scene.surface.target()?);
        let expanded = scene.surface.settings().and_then(|settings| settings.value(name));
        let place = expanded.and_then(|expanded| expanded.place);
        let place = place.unwrap_or(Place { file: project.file, span: elvask_markup::Span::at(0) });
        let there = given(scene, name).flatten().unwrap_or_default();
        let (title, set) = if is_list(name, value) {
            let more = lacking(&there, value);
            let title = format!("add {} to {name}", more.join(" "));
            (title.clone(), extend_setting(scene, title, name, &more))
        } else {
            let title = format!("set {name} to {value}");
            (title.clone(), set_setting(scene, title, name, &NewValue::String(value.to_owned())))
        };
        Some((place, set.unwrap_or(Remedy::Manual(title))))
    }

    fn lines(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> Option<(Place, String)> {
        let (project, _) = scene.surface.target()?;
        Some((Place { file: project.file, span: elvask_markup::Span::at(0) }, format!("{name} = …;")))
    }
}
