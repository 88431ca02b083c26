//! `component`: an activity, service, receiver or provider of the app.

use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_platform::Kind;
use elvask_project::names::{ANDROID, full_class};
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::surface::ManifestView;
use elvask_project::tomldoc::{self, Problem};
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, name_like, plain, problem};
use crate::kinds::toml::{list, table, text};
use crate::kinds::{Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::manifest::manifest_edit;
use crate::remedy::{Remedy, Want};
use crate::requirement::{Component as Wanted, Need};
use crate::section::Section;
use crate::template::{answers_in, is_reference};

const ELEMENTS: [&str; 5] = ["activity", "activity-alias", "service", "receiver", "provider"];
const FIELDS: [&str; 7] = ["kind", "name", "exported", "foreground-type", "permission", "authorities", "action"];

/// See the module.
pub(crate) struct Component;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Component,
    key: Some("component"),
    states: "`{ kind, name, exported, foreground-type, permission, authorities, action }`; `kind` is `activity`, `activity-alias`, `service`, `receiver` or `provider`",
    examples: [
        "android.component = { kind = \"service\", name = \"example.godwit.FloatService\", exported = false, foreground-type = \"specialUse\" }",
        "android.component = { kind = \"receiver\", name = \"example.godwit.StartReceiver\", exported = false }",
    ],
    section: Section::Components,
    spot: Spot::Application,
    asks: Asks::Plain,
    is_written: true,
    is_removed: true,
};

fn wanted(need: &Need) -> Option<&Wanted> {
    let Need::Component(component) = need else { return None };
    Some(component.as_ref())
}

impl KindSpec for Component {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(table) = stated.fields("`android.component`", &FIELDS, problems) else { return Vec::new() };
        let Some(element) = table.required_text("kind", problems) else { return Vec::new() };
        if !ELEMENTS.contains(&element.text.as_str()) {
            let known = tomldoc::list(&ELEMENTS);
            problem(problems, element.span, format!("`{}` is not a component; known are {known}", element.text));
            return Vec::new();
        }
        let name = table.required_text("name", problems);
        let Some(name) = name.filter(|name| name_like(name, "the name of a class", problems).is_some()) else {
            return Vec::new();
        };
        let exported = table.boolean("exported", problems);
        let mut get = |key: &str| table.text(key, problems).filter(|text| plain(text, problems)).map(|text| text.text);
        let (foreground_type, permission) = (get("foreground-type"), get("permission"));
        let authorities = get("authorities");
        let actions = table.texts("action", true, problems).into_iter().map(|text| text.text).collect();
        let element = element.text;
        let component = Wanted { element, exported, foreground_type, permission, authorities, actions };
        asking(name.text, Need::Component(component.into()))
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let component = wanted(need)?;
        let some = |given: &Option<String>| given.as_deref().map(text);
        let fields = [
            ("kind", Some(text(&component.element))),
            ("name", Some(text(name))),
            ("exported", component.exported.map(|exported| exported.to_string())),
            ("foreground-type", some(&component.foreground_type)),
            ("permission", some(&component.permission)),
            ("authorities", some(&component.authorities)),
            ("action", list(&component.actions)),
        ];
        Some(format!("android.component = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "type": "object",
            "properties": {
                "kind": { "enum": ELEMENTS },
                "name": { "type": "string", "description": "The full name of its class." },
                "exported": { "type": "boolean" },
                "foreground-type": { "type": "string" },
                "permission": { "type": "string" },
                "authorities": { "type": "string" },
                "action": { "oneOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" } }] }
            },
            "additionalProperties": false,
            "required": ["kind", "name"]
        })
    }

    fn of_fact(&self, _name: &str, value: &str, _max_level: Option<u32>) -> Option<Need> {
        ELEMENTS
            .contains(&value)
            .then(|| Need::Component(Wanted { element: value.to_owned(), ..Wanted::default() }.into()))
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        wanted(need).and_then(|component| component.authorities.as_deref()).into_iter().collect()
    }

    fn filled(&self, need: &Need, answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        let Some(component) = wanted(need) else { return Ok(need.clone()) };
        // The build puts the id of each variant in for this.
        let built = component.authorities.as_ref().map(|text| text.replace("{android_id}", "${applicationId}"));
        let authorities = built.map(|text| answering.text(&text)).transpose()?;
        Ok(Need::Component(Wanted { authorities, ..component.clone() }.into()))
    }

    fn value(&self, need: &Need) -> Option<String> {
        let parts: Vec<_> =
            wanted(need)?.attributes().into_iter().map(|(name, value)| format!("{name} {value}")).collect();
        (!parts.is_empty()).then(|| parts.join(", "))
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "a child of `<application>`".to_owned()
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let manifests = scene.manifests.iter();
        manifests
            .flat_map(|manifest| manifest.components.iter().map(move |one| (manifest, one)))
            .map(|(manifest, one)| {
                Declared::new(one.class.as_str(), manifest.tag(one.element), vec![plan::remove(one.element.node())])
            })
            .collect()
    }

    fn compare(&self, _scene: &Scene<'_>, side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let (Side::Android(variant), Some(wanted)) = (side, wanted(need)) else { return Match::Absent };
        let Some(declared) = variant.component(name) else { return Match::Absent };
        let differs = |(attribute, value): &(&'static str, String)| {
            let given = declared.value(attribute);
            (!fits(attribute, given, value)).then(|| match given {
                Some(given) => format!("`{attribute}` is \"{given}\" and not \"{value}\""),
                None => format!("`{attribute}` is not \"{value}\""),
            })
        };
        match wanted.attributes().iter().find_map(differs) {
            Some(what) => Match::Differs(what),
            None => Match::Meets,
        }
    }

    /// What one plugin says of a component and another one leaves open goes together.
    fn join(&self, _name: &str, needs: &[&Need]) -> Option<Joined> {
        let mut all = needs.iter().filter_map(|need| wanted(need));
        let mut joined = all.next()?.clone();
        let mut clashes: Vec<String> = Vec::new();
        for other in all {
            let mut take = |name: &str, mine: &mut Option<String>, theirs: &Option<String>| match (&mine, theirs) {
                (Some(one), Some(other)) if one != other => {
                    clashes.extend([format!("{name} {one}"), format!("{name} {other}")]);
                }
                (None, Some(other)) => *mine = Some(other.clone()),
                _ => {}
            };
            let word = |exported: Option<bool>| exported.map(|exported| exported.to_string());
            let mut exported = word(joined.exported);
            take("exported", &mut exported, &word(other.exported));
            joined.exported = exported.map(|exported| exported == "true");
            take("permission", &mut joined.permission, &other.permission);
            take("authorities", &mut joined.authorities, &other.authorities);
            // Types of work in the foreground are flags: a service may have several.
            let types = joined.foreground_type.iter().chain(&other.foreground_type).flat_map(|types| types.split('|'));
            let mut known: Vec<&str> = Vec::new();
            types.for_each(|one| known.extend(Some(one).filter(|one| !known.contains(one))));
            joined.foreground_type = (!known.is_empty()).then(|| known.join("|"));
            let more: Vec<_> =
                other.actions.iter().filter(|action| !joined.actions.contains(action)).cloned().collect();
            joined.actions.extend(more);
        }
        Some(if clashes.is_empty() { Joined::One(Need::Component(joined.into())) } else { Joined::Clash(clashes) })
    }

    fn disputed(&self, need: &Need) -> Option<String> {
        self.value(need)
    }

    /// One that stands outside `<application>` is misplaced, not missing.
    fn is_told_elsewhere(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> bool {
        let namespace = scene.app.android.as_ref().and_then(|android| android.namespace.as_deref());
        let misplaced = |manifest: &std::sync::Arc<ManifestView<'_>>| {
            let mut others = manifest.document.elements().filter(|one| one.parent() != manifest.application);
            others.any(|one| {
                ELEMENTS.contains(&one.name())
                    && one.parent().is_none_or(|parent| parent.name() != "queries")
                    && one.value(ANDROID, "name").is_some_and(|given| full_class(&given, namespace) == name)
            })
        };
        scene.manifests.iter().any(misplaced)
    }

    fn absent(&self, name: &str, need: &Need, only: &str, who: &str) -> String {
        let element = wanted(need).map(|component| component.element.as_str()).unwrap_or_default();
        format!("the {element} `{name}` is not declared{only}, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let (manifest, component) = (scene.manifest.as_deref()?, wanted(need)?);
        let Some(application) = manifest.application else {
            return Some((manifest.tag(manifest.root), Remedy::Manual("Declare `<application>` first.".to_owned())));
        };
        let edits = plan::insert(application, Slot::Last, &[fragment(manifest.prefix(), name, component)]);
        Some((manifest.tag(application), manifest_edit(format!("declare {name}"), manifest, edits)))
    }
}

/// Says whether a declared value of an attribute serves a wanted one.
pub fn fits(attribute: &str, given: Option<&str>, wanted: &str) -> bool {
    // What the build or an answer puts in is not known here.
    let unknown = |text: &str| text.contains("${") || !answers_in(text).is_empty() || is_reference(text);
    match (attribute, given) {
        _ if unknown(wanted) || given.is_some_and(unknown) => true,
        // The platform's own default, unless a filter opens it.
        ("exported", None) => wanted == "false",
        ("foregroundServiceType", Some(given)) => super::attribute::has_all(given, wanted),
        ("authorities", Some(given)) => wanted.split(';').all(|one| given.split(';').any(|given| given == one)),
        (_, Some(given)) => given == wanted,
        (_, None) => false,
    }
}

fn fragment(prefix: &str, name: &str, component: &Wanted) -> Fragment {
    let mut out = Fragment::new(component.element.as_str()).with(format!("{prefix}:name"), name);
    for (attribute, value) in component.attributes() {
        out = out.with(format!("{prefix}:{attribute}"), value);
    }
    if component.actions.is_empty() {
        return out;
    }
    // A filter makes the platform ask for the attribute, and what the system sends comes in all the same.
    if component.exported.is_none() && matches!(component.element.as_str(), "receiver" | "service") {
        out = out.with(format!("{prefix}:exported"), "false");
    }
    let action = |name: &String| Fragment::new("action").with(format!("{prefix}:name"), name);
    out.holding(vec![Fragment::new("intent-filter").holding(component.actions.iter().map(action).collect())])
}
