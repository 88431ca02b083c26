//! `meta-data`: a value for a plugin in the manifest.

use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_platform::Kind;
use elvask_project::intent::Owner;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, name_like, plain, problem};
use crate::kinds::toml::{table, text};
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::manifest::manifest_edit;
use crate::remedy::{Remedy, Want};
use crate::requirement::Need;
use crate::section::Section;
use crate::template::{answers_in, is_reference};

/// See the module.
pub(crate) struct MetaData;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::MetaData,
    key: Some("meta-data"),
    states: "`{ name, value }` or `{ name, resource }`, with `in = \"application\"`, `\"launcher\"` or a class",
    examples: [
        "android.meta-data = { name = \"example.knot.APP_ID\", value = \"{answer}\", in = \"application\" }",
        "android.meta-data = { name = \"example.knot.MODE\", value = \"quiet\", in = \"launcher\" }",
    ],
    section: Section::MetaData,
    spot: Spot::Application,
    asks: Asks::Value,
    is_written: true,
    is_removed: true,
};

struct Parts<'n> {
    owner: &'n Owner,
    attribute: &'static str,
    value: &'n str,
}

fn parts(need: &Need) -> Option<Parts<'_>> {
    let Need::MetaData { owner, value, resource } = need else { return None };
    match (value, resource) {
        (Some(value), _) => Some(Parts { owner, attribute: "value", value }),
        (None, Some(value)) => Some(Parts { owner, attribute: "resource", value }),
        (None, None) => None,
    }
}

impl KindSpec for MetaData {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn of_fact(&self, _name: &str, value: &str, _max_level: Option<u32>) -> Option<Need> {
        Some(Need::MetaData { owner: Owner::Application, value: Some(value.to_owned()), resource: None })
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let fields = ["name", "value", "resource", "in"];
        let Some(table) = stated.fields("`android.meta-data`", &fields, problems) else { return Vec::new() };
        let name = table.required_text("name", problems);
        let Some(name) = name.filter(|name| name_like(name, "a name of meta-data", problems).is_some()) else {
            return Vec::new();
        };
        let value = table.text("value", problems).filter(|value| plain(value, problems));
        let resource = table.text("resource", problems).filter(|value| plain(value, problems));
        match (&value, &resource) {
            (None, None) => problem(problems, table.span, "`android.meta-data` needs a `value` or a `resource`"),
            (Some(_), Some(resource)) => {
                problem(problems, resource.span, "`android.meta-data` has a `value` or a `resource`, not both");
            }
            _ => {}
        }
        let owner = table.text("in", problems).map_or(Owner::Application, |owner| Owner::parse(&owner.text));
        let (value, resource) = (value.map(|text| text.text), resource.map(|text| text.text));
        asking(name.text, Need::MetaData { owner, value, resource })
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let Need::MetaData { owner, value, resource } = need else { return None };
        let fields = [
            ("name", Some(text(name))),
            ("value", value.as_deref().map(text)),
            ("resource", resource.as_deref().map(text)),
            ("in", Some(text(owner.word()))),
        ];
        Some(format!("android.meta-data = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "type": "object",
            "properties": {
                "name": { "type": "string" },
                "value": { "type": "string" },
                "resource": { "type": "string" },
                "in": { "type": "string", "description": "application, launcher or the full name of a class." }
            },
            "additionalProperties": false,
            "required": ["name"]
        })
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        parts(need).filter(|parts| parts.attribute == "value").map(|parts| parts.value).into_iter().collect()
    }

    fn filled(&self, need: &Need, answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        let Need::MetaData { owner, value, resource } = need else { return Ok(need.clone()) };
        let fill = |text: &Option<String>| text.as_deref().map(|text| answering.text(text)).transpose();
        Ok(Need::MetaData { owner: owner.clone(), value: fill(value)?, resource: fill(resource)? })
    }

    fn value(&self, need: &Need) -> Option<String> {
        parts(need).map(|parts| parts.value.to_owned())
    }

    fn detail(&self, need: &Need) -> Option<String> {
        parts(need).map(|parts| format!("{} in {}", parts.value, parts.owner.title()))
    }

    fn belongs(&self, _name: &str, need: &Need) -> String {
        let Need::MetaData { owner, .. } = need else { return String::new() };
        format!("meta-data of {}, where the plugin reads it", owner.title())
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        self.declared_of(scene, &|_| true)
    }

    fn declared_of(&self, scene: &Scene<'_>, wanted: &dyn Fn(&str) -> bool) -> Vec<Declared> {
        let manifests = scene.manifests.iter();
        manifests
            .flat_map(|manifest| manifest.meta_data.iter().map(move |one| (manifest, one)))
            .filter(|(_, one)| wanted(&one.name))
            .map(|(manifest, one)| {
                Declared::new(one.name.as_ref(), manifest.tag(one.element), vec![plan::remove(one.element.node())])
            })
            .collect()
    }

    /// Wherever it stands: in the wrong element it is misplaced, not missing.
    fn compare(&self, _scene: &Scene<'_>, side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let Side::Android(variant) = side else { return Match::Absent };
        let found = variant.meta_data().find(|declared| declared.key() == Some(name));
        let Some(declared) = found else { return Match::Absent };
        let Some(wanted) = parts(need) else { return Match::Meets };
        let given = declared.value(wanted.attribute);
        let fits = |given: &str| {
            given == wanted.value || !answers_in(wanted.value).is_empty() || is_reference(given) || given.is_empty()
        };
        match given {
            Some(given) if !fits(given) => Match::Differs(format!("is \"{given}\"")),
            _ => Match::Meets,
        }
    }

    fn disputed(&self, need: &Need) -> Option<String> {
        self.value(need)
    }

    fn absent(&self, name: &str, _need: &Need, only: &str, who: &str) -> String {
        format!("the meta-data `{name}` is not declared{only}, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let manifest = scene.manifest.as_deref()?;
        let parts = parts(need)?;
        let Some(element) = manifest.owner(parts.owner) else {
            let title = parts.owner.title().replace("the ", "");
            let steps = format!("The manifest has no {title}; declare that first.");
            return Some((manifest.tag(manifest.application.unwrap_or(manifest.root)), Remedy::Manual(steps)));
        };
        let prefix = manifest.prefix();
        let fragment = Fragment::new("meta-data")
            .with(format!("{prefix}:name"), name)
            .with(format!("{prefix}:{}", parts.attribute), parts.value);
        let last = element.children_named("meta-data").next_back();
        let slot = last.map_or(Slot::Last, |last| Slot::After(last.node()));
        let edits = plan::insert(element, slot, &[fragment]);
        Some((manifest.tag(element), manifest_edit(format!("declare {name}"), manifest, edits)))
    }

    fn lines(&self, scene: &Scene<'_>, name: &str, need: &Need) -> Option<(Place, String)> {
        let manifest = scene.manifest.as_deref()?;
        let (prefix, parts) = (manifest.prefix(), parts(need)?);
        let element = manifest.owner(parts.owner).or(manifest.application).unwrap_or(manifest.root);
        let attribute = parts.attribute;
        Some((manifest.tag(element), format!("<meta-data {prefix}:name=\"{name}\" {prefix}:{attribute}=\"…\" />")))
    }
}
