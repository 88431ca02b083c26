//! `privacy-reason`: a reason in the privacy manifest for the use of an interface.

use elvask_markup::plist::{PropertyList, Value, plan as plist_plan};
use elvask_platform::{Kind, ios};
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use super::without;
use crate::kinds::stated::{asking, problem};
use crate::kinds::toml::{list, table, text};
use crate::kinds::{Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

const TYPES: &str = "NSPrivacyAccessedAPITypes";
const TYPE: &str = "NSPrivacyAccessedAPIType";
const REASONS: &str = "NSPrivacyAccessedAPITypeReasons";

/// See the module.
pub(crate) struct PrivacyReason;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::PrivacyReason,
    key: Some("privacy-reason"),
    states: "`{ category, reasons }` for the privacy manifest",
    examples: [
        "ios.privacy-reason = { category = \"NSPrivacyAccessedAPICategoryUserDefaults\", reasons = [\"CA92.1\"] }",
        "ios.privacy-reason = { category = \"NSPrivacyAccessedAPICategoryDiskSpace\", reasons = [\"E174.1\"] }",
    ],
    section: Section::Privacy,
    spot: Spot::PrivacyManifest,
    asks: Asks::Reason,
    is_written: false,
    is_removed: true,
};

fn wanted(need: &Need) -> &[String] {
    let Need::PrivacyReason { reasons } = need else { return &[] };
    reasons
}

/// Goes through the categories of a privacy manifest.
fn categories(list: &PropertyList) -> impl Iterator<Item = (&str, &Value)> {
    let types = list.entry(TYPES).and_then(|entry| entry.value.as_array()).unwrap_or_default();
    types.iter().filter_map(|one| {
        let category = one.as_dict()?.iter().find(|entry| entry.key == TYPE)?;
        Some((category.value.as_str()?, one))
    })
}

impl KindSpec for PrivacyReason {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let fields = ["category", "reasons"];
        let Some(table) = stated.fields("`ios.privacy-reason`", &fields, problems) else { return Vec::new() };
        let Some(category) = table.required_text("category", problems) else { return Vec::new() };
        if ios::privacy_category(&category.text).is_none() {
            let message = format!("`{}` is not a category of interfaces for which a reason is wanted", category.text);
            problem(problems, category.span, message);
            return Vec::new();
        }
        let reasons = table.texts("reasons", true, problems).into_iter().map(|text| text.text).collect();
        asking(category.text, Need::PrivacyReason { reasons })
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let fields = [("category", Some(text(name))), ("reasons", list(wanted(need)))];
        Some(format!("ios.privacy-reason = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "type": "object",
            "properties": {
                "category": { "type": "string" },
                "reasons": { "oneOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" } }] }
            },
            "additionalProperties": false,
            "required": ["category"]
        })
    }

    fn of_fact(&self, _name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        Some(Need::PrivacyReason { reasons: Vec::new() })
    }

    fn value(&self, need: &Need) -> Option<String> {
        let reasons = wanted(need);
        (!reasons.is_empty()).then(|| reasons.join(", "))
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the privacy manifest of the app target".to_owned()
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let mut out = Vec::new();
        for (file, list) in scene.surface.privacy() {
            let Some(entry) = list.entry(TYPES) else { continue };
            for (category, value) in categories(list) {
                let place = Place { file, span: value.span };
                out.push(Declared::new(category, place, vec![without(list, entry, value)]));
            }
        }
        out
    }

    /// Which of several reasons is the right one is the owner's affair, but one must be given.
    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, _need: &Need) -> Match {
        let mut all = scene.surface.privacy().flat_map(|(_, list)| categories(list));
        let given = |value: &Value| {
            let reasons = value.as_dict().unwrap_or_default().iter().find(|entry| entry.key == REASONS);
            reasons.is_none_or(|reasons| !reasons.value.as_array().unwrap_or_default().is_empty())
        };
        Match::when(all.any(|(category, value)| category == name && given(value)))
    }

    fn join(&self, _name: &str, needs: &[&Need]) -> Option<Joined> {
        let mut reasons: Vec<String> = Vec::new();
        for reason in needs.iter().flat_map(|need| wanted(need)) {
            if !reasons.contains(reason) {
                reasons.push(reason.clone());
            }
        }
        Some(Joined::One(Need::PrivacyReason { reasons }))
    }

    fn absent(&self, name: &str, _need: &Need, _only: &str, who: &str) -> String {
        format!("no privacy manifest gives a reason for {name}, and {who} one")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let plist = scene.plist?;
        let wanted: Vec<&str> = wanted(need).iter().map(String::as_str).collect();
        let reasons = if wanted.is_empty() { ios::privacy_category(name).unwrap_or_default() } else { wanted };
        let first = scene.surface.privacy().next();
        let place = first.map(|(file, list)| Place { file, span: plist_plan::start_tag(list, list.root()) });
        let steps = format!(
            "Use a version of the plugin that includes a privacy manifest, or give one of these reasons in the app's own PrivacyInfo.xcprivacy: {}.",
            reasons.join(", ")
        );
        Some((place.unwrap_or(plist.root_tag()), Remedy::Manual(steps)))
    }
}
