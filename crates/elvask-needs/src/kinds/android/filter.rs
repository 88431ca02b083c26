//! `filter`: an intent filter of a component.

use elvask_markup::Edit;
use elvask_markup::xml::{Element, plan};
use elvask_platform::Kind;
use elvask_project::intent::{Owner, Part, Query};
use elvask_project::merge::{Merged, MergedElement};
use elvask_project::names::ANDROID;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::surface::Effective;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{INTENT, asking, problem, read_filter};
use crate::kinds::toml::intent;
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::manifest::{add_filter, filter_fragment};
use crate::remedy::{Remedy, Want};
use crate::requirement::Need;
use crate::section::Section;
use crate::template::answers_in;

/// See the module.
pub(crate) struct Filter;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Filter,
    key: Some("filter"),
    states: "`{ on, action, category, scheme, host, port, path, path-prefix, path-pattern, mime }`; `on` is `launcher` (where it is left out) or a class; each other part is a text or several, which the platform pools",
    examples: [
        "android.filter = { on = \"launcher\", action = \"android.intent.action.SEND\", category = [\"android.intent.category.DEFAULT\"], mime = \"text/plain\" }",
        "android.filter = { on = \"launcher\", action = \"android.intent.action.VIEW\", category = [\"android.intent.category.DEFAULT\", \"android.intent.category.BROWSABLE\"], scheme = \"marram\" }",
    ],
    section: Section::Filters,
    spot: Spot::Activity,
    asks: Asks::OwnersChoice,
    is_written: true,
    is_removed: true,
};

fn parts(need: &Need) -> Option<(&Owner, &Query)> {
    let Need::Filter { owner, filter } = need else { return None };
    Some((owner, filter))
}

/// Returns the schema of what a query or filter takes, with one more key.
pub(super) fn intent_schema(fields: &[&str], key: &str, more: Json) -> Json {
    let mut properties = serde_json::Map::new();
    for field in fields {
        let one = json!({ "type": "string" });
        let several = json!({ "type": "array", "items": { "type": "string" } });
        let pooled = fields.contains(&"on") && Part::ALL.iter().any(|part| part.word() == *field);
        let value = if *field == "category" || pooled { json!({ "oneOf": [one, several] }) } else { one };
        properties.insert((*field).to_owned(), value);
    }
    json!({ "type": "object", "properties": properties, "additionalProperties": false, key: more })
}

/// The fields of a filter.
fn fields() -> Vec<&'static str> {
    INTENT.into_iter().filter(|field| !matches!(*field, "package" | "authority")).chain(["on"]).collect()
}

impl KindSpec for Filter {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(table) = stated.fields("`android.filter`", &fields(), problems) else { return Vec::new() };
        let owner = table.text("on", problems).map_or(Owner::Launcher, |owner| Owner::parse(&owner.text));
        if owner == Owner::Application {
            problem(problems, table.span, "an intent filter belongs to a component: `on` is `launcher` or a class");
            return Vec::new();
        }
        let filter = read_filter(&table, problems);
        if filter.action.is_none() {
            problem(problems, table.span, "`android.filter` needs an `action`");
            return Vec::new();
        }
        asking(filter.name(), Need::Filter { owner, filter: Box::new(filter) })
    }

    fn write(&self, _name: &str, need: &Need) -> Option<String> {
        let (owner, filter) = parts(need)?;
        Some(format!("android.filter = {}", intent(filter, Some(owner.word()))))
    }

    fn schema(&self) -> Json {
        intent_schema(&fields(), "required", json!(["action"]))
    }

    fn of_fact(&self, name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        let (action, mime) = name.split_once(' ').map_or((name, None), |(action, data)| (action, Some(data)));
        let categories = vec!["android.intent.category.DEFAULT".to_owned()];
        let (action, mime) = (Some(action.to_owned()), mime.map(str::to_owned));
        Some(Need::Filter {
            owner: Owner::Launcher,
            filter: Box::new(Query { action, mime, categories, ..Query::default() }),
        })
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        let Some((_, filter)) = parts(need) else { return Vec::new() };
        Part::ALL.into_iter().flat_map(|part| filter.all(part)).collect()
    }

    fn filled(&self, need: &Need, answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        let Some((owner, filter)) = parts(need) else { return Ok(need.clone()) };
        let filter = filter.changed(&|_, value| answering.text(value))?;
        Ok(Need::Filter { owner: owner.clone(), filter: Box::new(filter) })
    }

    fn detail(&self, need: &Need) -> Option<String> {
        parts(need).map(|(owner, _)| format!("on {}", owner.title()))
    }

    fn belongs(&self, _name: &str, need: &Need) -> String {
        let owner = parts(need).map(|(owner, _)| owner.title()).unwrap_or_default();
        format!("an intent filter of {owner}, which the system starts for it")
    }

    fn called(&self, name: &str) -> String {
        format!("the filter for {name}")
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        written(scene, &|element| Some(vec![plan::remove(element.node())]))
    }

    fn is_about(&self, scene: &Scene<'_>, declared: (&str, Place), wanted: (&str, &Need)) -> bool {
        let Some((_, filter)) = parts(wanted.1) else { return false };
        scene
            .variants
            .iter()
            .any(|variant| variant.filter_at(declared.1).is_some_and(|one| takes(&variant.merged, one, filter)))
    }

    fn found(&self, scene: &Scene<'_>, _name: &str, need: &Need) -> Vec<Declared> {
        let Some((_, filter)) = parts(need) else { return Vec::new() };
        written(scene, &|element| without(element, filter))
    }

    fn compare(&self, _scene: &Scene<'_>, side: Side<'_, '_>, _name: &str, need: &Need) -> Match {
        let (Side::Android(variant), Some((owner, filter))) = (side, parts(need)) else { return Match::Absent };
        Match::when(has_filter(variant, owner, filter))
    }

    fn is_same(&self, one: &Need, other: &Need) -> bool {
        one == other
    }

    fn absent(&self, _name: &str, need: &Need, only: &str, who: &str) -> String {
        let Some((owner, filter)) = parts(need) else { return String::new() };
        format!("{} has no filter for {}{only}, and {who} one", owner.title(), filter.name())
    }

    fn add(&self, scene: &Scene<'_>, _name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let (owner, filter) = parts(need)?;
        let title = format!("add a filter for {}", filter.name());
        add_filter(scene, owner, title, |prefix| filter_fragment(prefix, filter))
    }

    fn lines(&self, scene: &Scene<'_>, _name: &str, need: &Need) -> Option<(Place, String)> {
        let (owner, filter) = parts(need)?;
        let place = scene.manifests.iter().find_map(|one| Some(one.tag(one.owner(owner)?)))?;
        Some((place, format!("<intent-filter> for {}", filter.name())))
    }
}

/// Goes through the filters of the app's own manifests with what `removal` plans for each.
fn written(scene: &Scene<'_>, removal: &dyn Fn(Element<'_>) -> Option<Vec<Edit>>) -> Vec<Declared> {
    let mut out = Vec::new();
    for manifest in &scene.manifests {
        let components = manifest.components.iter();
        for element in components.flat_map(|component| component.element.children_named("intent-filter")) {
            let Some(edits) = removal(element) else { continue };
            let action = element.children_named("action").next();
            let name = action.and_then(|action| action.value(ANDROID, "name")).unwrap_or_default();
            out.push(Declared::new(name, manifest.tag(element), edits));
        }
    }
    out
}

/// Returns what takes out of a filter what was asked for: the filter as a whole where it takes nothing else, else the data
/// that name it; `None` where the filter does not take it.
fn without(element: Element<'_>, asked: &Query) -> Option<Vec<Edit>> {
    let named = |one: Element<'_>, local: &str| one.value(ANDROID, local).map(std::borrow::Cow::into_owned);
    let actions = asked.all(Part::Action);
    if !element
        .children_named("action")
        .any(|one| named(one, "name").is_some_and(|one| actions.contains(&one.as_str())))
    {
        return None;
    }
    let all: Vec<_> = element.children_named("data").collect();
    let has = |part: Part| {
        let there = |wanted: &&str| all.iter().any(|one| named(*one, part.attribute()).as_deref() == Some(*wanted));
        asked.all(part).iter().all(there)
    };
    if ![Part::Scheme, Part::Host, Part::Mime].into_iter().all(has) {
        return None;
    }
    // What tells one filter from another is the most special thing that was asked for.
    let special = [Part::Host, Part::Scheme, Part::Mime].into_iter().find(|part| asked.first(*part).is_some());
    let Some(part) = special else { return Some(vec![plan::remove(element.node())]) };
    let (local, wanted) = (part.attribute(), asked.all(part));
    let speaks = all.iter().filter(|one| named(**one, local).is_some());
    let (mine, others): (Vec<Element<'_>>, Vec<_>) =
        speaks.copied().partition(|one| named(*one, local).is_some_and(|one| wanted.contains(&one.as_str())));
    if others.is_empty() {
        return Some(vec![plan::remove(element.node())]);
    }
    Some(mine.into_iter().map(|one| plan::remove(one.node())).collect())
}

/// Says whether a component of the effective manifest has a filter that takes all that is wanted.
pub(crate) fn has_filter(variant: &Effective<'_>, owner: &Owner, wanted: &Query) -> bool {
    let Some(component) = variant.owner(owner) else { return false };
    // A filter of another activity serves as well where the launcher is merely the usual place.
    let components: Vec<_> = match owner {
        Owner::Launcher => variant.components().filter(|one| one.name.starts_with("activity")).collect(),
        Owner::Application | Owner::Class(_) => vec![component],
    };
    // What several filters take together, one for each action, is taken as well.
    let actions = wanted.all(Part::Action);
    let taken = |wanted: &Query| {
        let mut filters = components.iter().flat_map(|component| variant.merged.children(component));
        filters.any(|filter| takes(&variant.merged, filter, wanted))
    };
    let of = |action: &str| {
        let more = wanted.more.iter().filter(|(part, _)| *part != Part::Action).cloned().collect();
        Query { action: Some(action.to_owned()), more, ..wanted.clone() }
    };
    if actions.len() < 2 { taken(wanted) } else { actions.into_iter().all(|action| taken(&of(action))) }
}

/// Says whether a filter takes all that is wanted. A text with an answer that is not known yet fits any.
fn takes(merged: &Merged<'_>, filter: &MergedElement<'_>, wanted: &Query) -> bool {
    if filter.name != "intent-filter" {
        return false;
    }
    let children = || merged.children(filter);
    let named =
        |kind: &str, name: &str| children().any(|child| child.name == kind && child.value("name") == Some(name));
    let data = |local: &str| {
        children().filter(|child| child.name == "data").filter_map(|child| child.value(local)).collect::<Vec<_>>()
    };
    let has = |part: Part| {
        let there = data(part.attribute());
        wanted.all(part).into_iter().all(|wanted| !answers_in(wanted).is_empty() || there.contains(&wanted))
    };
    let types = data("mimeType");
    let mime = wanted.all(Part::Mime).into_iter().all(|wanted| {
        types.iter().any(|declared| {
            *declared == wanted
                || *declared == "*/*"
                || declared.strip_suffix("/*").is_some_and(|family| wanted.split('/').next() == Some(family))
        })
    });
    let paths = ["path", "pathPrefix", "pathPattern", "pathSuffix", "pathAdvancedPattern"];
    let takes_any_path = wanted.host.is_some() && paths.iter().all(|local| data(local).is_empty());
    wanted.all(Part::Action).into_iter().all(|action| named("action", action))
        && wanted.categories.iter().all(|category| named("category", category))
        && [Part::Scheme, Part::Host, Part::Port].into_iter().all(has)
        && (takes_any_path || [Part::Path, Part::PathPrefix, Part::PathPattern].into_iter().all(has))
        && mime
}
