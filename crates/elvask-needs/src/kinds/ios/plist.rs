//! `plist`: a key of the property list with its value, which is not a purpose.

use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_platform::{Kind, ios};
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, collect_texts, plain, plist_value, problem};
use crate::kinds::toml::{table, text, value as written};
use crate::kinds::{
    Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated, distinct,
};
use crate::plan::plist::{add_key, key_lines};
use crate::remedy::{Remedy, Want};
use crate::requirement::{Need, plain_value};
use crate::section::Section;
use crate::template::answers_in;
use crate::values::{lacks, shown};

/// See the module.
pub(crate) struct Plist;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Plist,
    key: Some("plist"),
    states: "`{ key, value }` with a value of any type; arrays and dictionaries are merged with what is there",
    examples: [
        "ios.plist = { key = \"ExampleKnotAppId\", value = \"{answer}\" }",
        "ios.plist = { key = \"ExampleKnotModes\", value = [\"quiet\"] }",
    ],
    section: Section::Keys,
    spot: Spot::PropertyList,
    asks: Asks::Value,
    is_written: true,
    is_removed: true,
};

fn wanted(need: &Need) -> Option<&NewValue> {
    let Need::Plist { value } = need else { return None };
    Some(value)
}

/// Says whether a value holds an answer that is not known yet.
pub(super) fn is_open(value: &NewValue) -> bool {
    let mut texts = Vec::new();
    collect_texts(value, &mut texts);
    texts.iter().any(|text| !answers_in(text).is_empty())
}

/// Brings values of lists, or of dictionaries, together; the different values where they cannot be.
pub(super) fn merged(values: &[&NewValue]) -> Result<Option<NewValue>, Vec<String>> {
    let Some((first, rest)) = values.split_first() else { return Ok(None) };
    let mut out = (*first).clone();
    for other in rest {
        match (&mut out, other) {
            (NewValue::Array(all), NewValue::Array(more)) => {
                let new: Vec<_> = more.iter().filter(|value| !all.contains(value)).cloned().collect();
                all.extend(new);
            }
            (NewValue::Dict(all), NewValue::Dict(more)) => {
                for (key, value) in more {
                    match all.iter_mut().find(|(known, _)| known == key) {
                        Some((_, known)) => {
                            if let Some(value) = merged(&[known, value])? {
                                *known = value;
                            }
                        }
                        None => all.push((key.clone(), value.clone())),
                    }
                }
            }
            (one, other) if *one == **other => {}
            _ => return Err(distinct(values.iter().map(|value| shown(value)))),
        }
    }
    Ok(Some(out))
}

impl KindSpec for Plist {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(table) = stated.fields("`ios.plist`", &["key", "value"], problems) else { return Vec::new() };
        let key = table.required_text("key", problems);
        let Some(key) = key.filter(|key| plain(key, problems) && !key.text.is_empty()) else { return Vec::new() };
        if key.text.contains(['<', '>', '&', '"', '\n', '\t']) {
            problem(problems, key.span, "this is not a key of a property list");
            return Vec::new();
        }
        let Some(value) = table.get("value") else {
            problem(problems, table.span, "`ios.plist` needs a `value`");
            return Vec::new();
        };
        let Some(value) = plist_value(value, problems) else { return Vec::new() };
        if ios::usage_key(&key.text).is_some() {
            let message = format!(
                "`{0}` is a purpose, which only the app's owner can word: write `ios.usage = \"{0}\"`",
                key.text
            );
            problem(problems, key.span, message);
            return Vec::new();
        }
        asking(key.text, Need::Plist { value })
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let fields = [("key", Some(text(name))), ("value", wanted(need).map(written))];
        Some(format!("ios.plist = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "type": "object",
            "properties": {
                "key": { "type": "string" },
                "value": { "description": "A value of any type; arrays and dictionaries are merged with what is there." }
            },
            "additionalProperties": false,
            "required": ["key", "value"]
        })
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        let mut texts = Vec::new();
        wanted(need).into_iter().for_each(|value| collect_texts(value, &mut texts));
        texts
    }

    fn filled(&self, need: &Need, answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        let Some(value) = wanted(need) else { return Ok(need.clone()) };
        Ok(Need::Plist { value: answering.value(value)? })
    }

    fn value(&self, need: &Need) -> Option<String> {
        wanted(need).map(plain_value)
    }

    fn detail(&self, need: &Need) -> Option<String> {
        wanted(need).map(shown)
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the property list of the app target".to_owned()
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some(plist) = scene.plist.filter(|plist| plist.list.is_xml()) else { return Vec::new() };
        let others = plist.list.entries().iter().filter(|entry| ios::usage_key(&entry.key).is_none());
        let one = |entry: &elvask_markup::plist::Entry| {
            Declared::new(&entry.key, plist.key_place(entry), vec![plist_plan::remove_entry(plist.list, entry)])
        };
        others.map(one).collect()
    }

    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let Some(entry) = scene.plist.and_then(|plist| plist.entry(name)) else { return Match::Absent };
        match wanted(need) {
            Some(value) if !is_open(value) && !lacks(&entry.value, value).is_empty() => {
                Match::Differs(format!("lacks {}", shown(value)))
            }
            _ => Match::Meets,
        }
    }

    fn disputed(&self, need: &Need) -> Option<String> {
        wanted(need).map(shown)
    }

    fn join(&self, _name: &str, needs: &[&Need]) -> Option<Joined> {
        let values: Vec<_> = needs.iter().filter_map(|need| wanted(need)).collect();
        match merged(&values) {
            Ok(value) => Some(Joined::One(Need::Plist { value: value? })),
            Err(clash) => Some(Joined::Clash(clash)),
        }
    }

    fn absent(&self, name: &str, _need: &Need, _only: &str, who: &str) -> String {
        format!("`{name}` is missing, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _answering: &dyn Answering) -> Option<(Place, Remedy)> {
        let (plist, value) = (scene.plist?, wanted(need)?);
        let remedy = add_key(scene, format!("add {name}"), plist, name, value);
        Some((plist.root_tag(), remedy))
    }

    fn lines(&self, scene: &Scene<'_>, name: &str, need: &Need) -> Option<(Place, String)> {
        let value = wanted(need)?;
        let text = matches!(value, NewValue::String(_));
        let lines = if text { key_lines(name, "…") } else { format!("<key>{name}</key>: {}", shown(value)) };
        Some((scene.plist?.root_tag(), lines))
    }
}
