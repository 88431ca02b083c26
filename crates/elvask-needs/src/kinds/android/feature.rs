//! `feature`: a feature of the device that the manifest names.

use elvask_markup::xml::plan::{self, Fragment};
use elvask_platform::Kind;
use elvask_project::names::ANDROID;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::{Problem, Text, span_of};
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, name_like};
use crate::kinds::toml::{table, text};
use crate::kinds::{Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::manifest::{manifest_edit, permission_slot};
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

/// See the module.
pub(crate) struct Feature;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Feature,
    key: Some("feature"),
    states: "the name of a feature of the device, or `{ name, required }`",
    examples: [
        "android.feature = { name = \"android.hardware.camera\", required = false }",
        "android.feature = { name = \"android.hardware.bluetooth_le\", required = true }",
    ],
    section: Section::Features,
    spot: Spot::Manifest,
    asks: Asks::OwnersChoice,
    is_written: true,
    is_removed: true,
};

fn is_required(need: &Need) -> bool {
    matches!(need, Need::Feature { required: true })
}

impl KindSpec for Feature {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let (name, required) = match stated.value.get_ref().as_str() {
            Some(name) => (Some(Text { text: name.to_owned(), span: span_of(stated.value) }), false),
            None => {
                let Some(table) = stated.fields("`android.feature`", &["name", "required"], problems) else {
                    return Vec::new();
                };
                let name = table.required_text("name", problems);
                (name, table.boolean("required", problems).unwrap_or(false))
            }
        };
        match name.filter(|name| name_like(name, "a feature", problems).is_some()) {
            Some(name) => asking(name.text, Need::Feature { required }),
            None => Vec::new(),
        }
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let fields = [("name", Some(text(name))), ("required", Some(is_required(need).to_string()))];
        Some(format!("android.feature = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "description": "A feature of the device.",
            "oneOf": [
                { "type": "string" },
                {
                    "type": "object",
                    "properties": { "name": { "type": "string" }, "required": { "type": "boolean" } },
                    "additionalProperties": false,
                    "required": ["name"]
                }
            ]
        })
    }

    fn of_fact(&self, _name: &str, value: &str, _max_level: Option<u32>) -> Option<Need> {
        Some(Need::Feature { required: value == "true" })
    }

    fn value(&self, need: &Need) -> Option<String> {
        (!is_required(need)).then(|| "used if it is there".to_owned())
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "a child of `<manifest>`, above the application".to_owned()
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let manifests = scene.manifests.iter();
        manifests
            .flat_map(|manifest| manifest.root.children_named("uses-feature").map(move |element| (manifest, element)))
            .filter_map(|(manifest, element)| {
                let name = element.value(ANDROID, "name")?.into_owned();
                Some(Declared::new(name, manifest.tag(element), vec![plan::remove(element.node())]))
            })
            .collect()
    }

    fn compare(&self, _scene: &Scene<'_>, side: Side<'_, '_>, name: &str, _need: &Need) -> Match {
        let Side::Android(variant) = side else { return Match::Absent };
        let mut named = variant.merged.children(variant.merged.root()).filter(|element| element.name == "uses-feature");
        Match::when(named.any(|element| element.value("name") == Some(name)))
    }

    /// A feature without which one plugin does well is required of no device.
    fn join(&self, _name: &str, needs: &[&Need]) -> Option<Joined> {
        Some(Joined::One(Need::Feature { required: needs.iter().all(|need| is_required(need)) }))
    }

    fn absent(&self, name: &str, _need: &Need, only: &str, who: &str) -> String {
        format!("`{name}` is not named{only}, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let manifest = scene.manifest.as_deref()?;
        let prefix = manifest.prefix();
        let fragment = Fragment::new("uses-feature")
            .with(format!("{prefix}:name"), name)
            .with(format!("{prefix}:required"), is_required(need).to_string());
        let edits = plan::insert(manifest.root, permission_slot(manifest), &[fragment]);
        Some((manifest.tag(manifest.root), manifest_edit(format!("name the feature {name}"), manifest, edits)))
    }
}
