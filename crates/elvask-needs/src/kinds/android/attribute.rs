//! `attribute`: an attribute of an element of the manifest, with its value.

use elvask_markup::xml::plan;
use elvask_platform::Kind;
use elvask_project::intent::Owner;
use elvask_project::names::ANDROID;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, name_like, plain, problem};
use crate::kinds::toml::{table, text};
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::manifest::{manifest_edit, set_android};
use crate::remedy::{Remedy, Want};
use crate::requirement::Need;
use crate::section::Section;
use crate::template::{answers_in, is_reference};

/// See the module.
pub(crate) struct Attribute;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Attribute,
    key: Some("attribute"),
    states: "`{ on, name, value }`; `on` is `launcher`, `application` or a class",
    examples: [
        "android.attribute = { on = \"launcher\", name = \"windowSoftInputMode\", value = \"adjustResize\" }",
        "android.attribute = { on = \"application\", name = \"largeHeap\", value = \"true\" }",
    ],
    section: Section::Attributes,
    spot: Spot::Attributes,
    asks: Asks::Value,
    is_written: true,
    is_removed: true,
};

struct Parts<'n> {
    owner: &'n Owner,
    name: &'n str,
    value: &'n str,
}

fn parts(need: &Need) -> Option<Parts<'_>> {
    let Need::Attribute { owner, attribute, value } = need else { return None };
    Some(Parts { owner, name: attribute, value })
}

impl KindSpec for Attribute {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(table) = stated.fields("`android.attribute`", &["on", "name", "value"], problems) else {
            return Vec::new();
        };
        let owner = table.required_text("on", problems);
        let Some(owner) = owner.filter(|owner| name_like(owner, "an element or class", problems).is_some()) else {
            return Vec::new();
        };
        let name = table.required_text("name", problems);
        let value = table.required_text("value", problems).filter(|value| plain(value, problems));
        let (Some(name), Some(value)) = (name, value) else { return Vec::new() };
        let attribute = name.text.strip_prefix("android:").unwrap_or(&name.text).to_owned();
        if attribute.is_empty() || !attribute.chars().all(|character| character.is_ascii_alphanumeric()) {
            problem(problems, name.span, format!("`{}` is not an attribute of a manifest", name.text));
            return Vec::new();
        }
        let owner = Owner::parse(&owner.text);
        asking(attribute.clone(), Need::Attribute { owner, attribute, value: value.text })
    }

    fn write(&self, _name: &str, need: &Need) -> Option<String> {
        let parts = parts(need)?;
        let fields = [
            ("on", Some(text(parts.owner.word()))),
            ("name", Some(text(parts.name))),
            ("value", Some(text(parts.value))),
        ];
        Some(format!("android.attribute = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "type": "object",
            "properties": {
                "on": { "type": "string", "description": "launcher, application or the full name of a class." },
                "name": { "type": "string" },
                "value": { "type": "string" }
            },
            "additionalProperties": false,
            "required": ["on", "name", "value"]
        })
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        parts(need).map(|parts| parts.value).into_iter().collect()
    }

    fn filled(&self, need: &Need, answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        let Need::Attribute { owner, attribute, value } = need else { return Ok(need.clone()) };
        let value = answering.text(value)?;
        Ok(Need::Attribute { owner: owner.clone(), attribute: attribute.clone(), value })
    }

    fn value(&self, need: &Need) -> Option<String> {
        parts(need).map(|parts| parts.value.to_owned())
    }

    fn detail(&self, need: &Need) -> Option<String> {
        parts(need).map(|parts| format!("\"{}\" on {}", parts.value, parts.owner.title()))
    }

    fn belongs(&self, _name: &str, need: &Need) -> String {
        format!("an attribute of {}", parts(need).map(|parts| parts.owner.title()).unwrap_or_default())
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        self.declared_of(scene, &|_| true)
    }

    /// All platform attributes of the application and of the components count, but for their names.
    fn declared_of(&self, scene: &Scene<'_>, wanted: &dyn Fn(&str) -> bool) -> Vec<Declared> {
        let mut out = Vec::new();
        for manifest in &scene.manifests {
            let components = manifest.components.iter().map(|component| component.element);
            for element in manifest.application.into_iter().chain(components) {
                let text = element.document().text();
                for attribute in element.attributes() {
                    let Some((prefix, local)) = attribute.name.of(text).split_once(':') else { continue };
                    if local == "name" || !wanted(local) || element.prefix_of(ANDROID) != Some(prefix) {
                        continue;
                    }
                    let edits = vec![plan::remove_attribute(element, attribute)];
                    out.push(Declared::new(local, manifest.value_place(element, local), edits));
                }
            }
        }
        out
    }

    fn is_about(&self, scene: &Scene<'_>, declared: (&str, Place), wanted: (&str, &Need)) -> bool {
        let Some(parts) = parts(wanted.1).filter(|_| declared.0 == wanted.0) else { return false };
        let written = scene.manifest_of(declared.1.file).is_some_and(|manifest| {
            let owner = manifest.owner(parts.owner);
            owner.is_some_and(|element| manifest.value_place(element, parts.name) == declared.1)
        });
        let merged = || {
            scene.variants.iter().any(|variant| {
                let attribute = variant.owner(parts.owner).and_then(|element| element.attribute(parts.name));
                attribute.is_some_and(|attribute| attribute.place == declared.1)
            })
        };
        written || merged()
    }

    fn compare(&self, _scene: &Scene<'_>, side: Side<'_, '_>, _name: &str, need: &Need) -> Match {
        let (Side::Android(variant), Some(parts)) = (side, parts(need)) else { return Match::Absent };
        let given = variant.owner(parts.owner).and_then(|element| element.value(parts.name));
        match given {
            None => Match::Absent,
            Some(given) if !answers_in(parts.value).is_empty() && !given.trim().is_empty() => Match::Meets,
            Some(given) if has_all(given, parts.value) || is_reference(given) => Match::Meets,
            Some(given) => Match::Differs(format!("is \"{given}\"")),
        }
    }

    fn is_same(&self, one: &Need, other: &Need) -> bool {
        parts(one).map(|parts| parts.owner) == parts(other).map(|parts| parts.owner)
    }

    fn disputed(&self, need: &Need) -> Option<String> {
        self.value(need)
    }

    fn absent(&self, name: &str, need: &Need, only: &str, who: &str) -> String {
        let Some(parts) = parts(need) else { return String::new() };
        format!("`{name}` of {} is not stated{only}, and {who} \"{}\"", parts.owner.title(), parts.value)
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _answering: &dyn Answering) -> Option<(Place, Remedy)> {
        let main = scene.manifest.as_deref()?;
        let parts = parts(need)?;
        let owning = scene.manifests.iter().find_map(|manifest| Some((manifest, manifest.owner(parts.owner)?)));
        let Some((manifest, element)) = owning else {
            let steps = format!("Declare {} first.", parts.owner.title());
            return Some((main.tag(main.root), Remedy::Manual(steps)));
        };
        // Flags that stand there stay: others may need them.
        let value = match element.value(ANDROID, name) {
            Some(given) if parts.value.contains('|') && !given.trim().is_empty() => {
                let more = parts.value.split('|').filter(|flag| !has_all(&given, flag));
                std::iter::once(given.as_ref()).chain(more).collect::<Vec<_>>().join("|")
            }
            _ => parts.value.to_owned(),
        };
        let line = format!("android:{name}=\"{value}\"");
        let remedy = manifest_edit(line, manifest, vec![set_android(manifest, element, name, &value)]);
        Some((manifest.value_place(element, name), remedy))
    }

    fn lines(&self, scene: &Scene<'_>, name: &str, need: &Need) -> Option<(Place, String)> {
        let manifest = scene.manifest.as_deref()?;
        let element = manifest.owner(parts(need)?.owner)?;
        Some((manifest.value_place(element, name), format!("android:{name}=\"…\"")))
    }
}

/// Says whether a value is the wanted one, or a list of flags with all that are wanted: `orientation|screenSize`.
pub fn has_all(declared: &str, wanted: &str) -> bool {
    wanted.split('|').all(|flag| declared.split('|').any(|one| one.trim() == flag.trim()))
}
