//! `entitlement`: what the app is signed for.

use elvask_markup::plist::plan::{self as plist_plan, NewValue};
use elvask_platform::{Kind, ios};
use elvask_project::names::ASSOCIATED_DOMAINS;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::{Problem, Text, span_of};
use serde_json::{Value as Json, json};

use super::plist::{is_open, merged};
use crate::kinds::stated::{asking, collect_texts, name_like, plist_value};
use crate::kinds::toml::{table, text, value as written};
use crate::kinds::{Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::plist::declare_entitlement;
use crate::remedy::{Remedy, Want};
use crate::requirement::{Need, plain_value};
use crate::section::Section;
use crate::values::{lacks, shown};

/// The entitlement of which what is signed for the store serves as well as what is signed for the desk.
const PUSH: &str = "aps-environment";

/// See the module.
pub(crate) struct Entitlement;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Entitlement,
    key: Some("entitlement"),
    states: "the key, or `{ key, value }` where a value is meant; arrays are merged",
    examples: [
        "ios.entitlement = { key = \"aps-environment\", value = \"development\" }",
        "ios.entitlement = { key = \"com.apple.developer.nfc.readersession.formats\", value = [\"TAG\"] }",
    ],
    section: Section::Entitlements,
    spot: Spot::Entitlements,
    asks: Asks::Signing,
    is_written: true,
    is_removed: true,
};

fn wanted(need: &Need) -> Option<&NewValue> {
    let Need::Entitlement { value } = need else { return None };
    value.as_ref()
}

impl KindSpec for Entitlement {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let (key, value) = match stated.value.get_ref().as_str() {
            Some(key) => (Some(Text { text: key.to_owned(), span: span_of(stated.value) }), None),
            None => {
                let Some(table) = stated.fields("`ios.entitlement`", &["key", "value"], problems) else {
                    return Vec::new();
                };
                let key = table.required_text("key", problems);
                let value = match table.get("value") {
                    Some(value) => match plist_value(value, problems) {
                        Some(value) => Some(value),
                        None => return Vec::new(),
                    },
                    None => None,
                };
                (key, value)
            }
        };
        match key.filter(|key| name_like(key, "an entitlement", problems).is_some()) {
            Some(key) => asking(key.text, Need::Entitlement { value }),
            None => Vec::new(),
        }
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let fields = [("key", Some(text(name))), ("value", wanted(need).map(written))];
        Some(format!("ios.entitlement = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "description": "An entitlement, with its value where one is meant.",
            "oneOf": [
                { "type": "string" },
                {
                    "type": "object",
                    "properties": { "key": { "type": "string" }, "value": {} },
                    "additionalProperties": false,
                    "required": ["key"]
                }
            ]
        })
    }

    fn of_fact(&self, _name: &str, value: &str, _max_level: Option<u32>) -> Option<Need> {
        let list = value.strip_prefix('[').and_then(|rest| rest.strip_suffix(']'));
        let value = match (value, list) {
            ("", _) => None,
            ("true", _) => Some(NewValue::Bool(true)),
            (_, Some(words)) => {
                Some(NewValue::Array(words.split_whitespace().map(|word| NewValue::String(word.to_owned())).collect()))
            }
            (word, None) => Some(NewValue::String(word.to_owned())),
        };
        Some(Need::Entitlement { value })
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        let mut texts = Vec::new();
        wanted(need).into_iter().for_each(|value| collect_texts(value, &mut texts));
        texts
    }

    fn filled(&self, need: &Need, answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        Ok(Need::Entitlement { value: wanted(need).map(|value| answering.value(value)).transpose()? })
    }

    fn value(&self, need: &Need) -> Option<String> {
        wanted(need).map(plain_value)
    }

    fn detail(&self, need: &Need) -> Option<String> {
        wanted(need).map(shown)
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the entitlements of the app target, named in every configuration".to_owned()
    }

    fn called(&self, name: &str) -> String {
        format!("the entitlement {name}")
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some((file, list)) = scene.surface.entitlements() else { return Vec::new() };
        let one = |entry: &elvask_markup::plist::Entry| {
            let place = Place { file, span: entry.key_span };
            Declared::new(&entry.key, place, vec![plist_plan::remove_entry(list, entry)])
        };
        list.entries().iter().filter(|entry| entry.key != ASSOCIATED_DOMAINS).map(one).collect()
    }

    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let list = scene.surface.entitlements();
        let Some(entry) = list.and_then(|(_, list)| list.entry(name)) else { return Match::Absent };
        match wanted(need) {
            Some(value) if name != PUSH && !is_open(value) && !lacks(&entry.value, value).is_empty() => {
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
        let push = |value: &&NewValue| matches!(value, NewValue::String(text) if matches!(text.as_str(), "development" | "production"));
        if !values.is_empty() && values.iter().all(push) {
            return Some(Joined::One(Need::Entitlement { value: values.first().map(|value| (*value).clone()) }));
        }
        match merged(&values) {
            Ok(value) => Some(Joined::One(Need::Entitlement { value })),
            Err(clash) => Some(Joined::Clash(clash)),
        }
    }

    fn absent(&self, name: &str, _need: &Need, _only: &str, who: &str) -> String {
        let known = ios::entitlement(name).map_or("", |known| known.capability);
        let named = if known.is_empty() { String::new() } else { format!(" ({known})") };
        format!("the app is not entitled to `{name}`{named}, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        declare_entitlement(scene, name, wanted(need).cloned().map(Ok))
    }

    fn lines(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> Option<(Place, String)> {
        Some((scene.plist?.root_tag(), format!("<key>{name}</key>: …")))
    }
}
