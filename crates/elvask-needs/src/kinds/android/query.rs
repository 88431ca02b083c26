//! `query`: what an app wants to see of other apps.

use elvask_markup::xml::plan;
use elvask_platform::Behaviour;
use elvask_platform::Kind;
use elvask_project::intent::Query as Intent;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::surface::{ManifestView, covers, read_query};
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{INTENT, asking, problem, read_intent};
use crate::kinds::toml::intent;
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::manifest::{add_query, manifest_edit};
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

/// See the module.
pub(crate) struct Query;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Query,
    key: Some("query"),
    states: "one of `{ action, category, scheme, host, mime }`, `{ package }`, `{ authority }`",
    examples: [
        "android.query = { action = \"android.intent.action.VIEW\", scheme = \"tel\" }",
        "android.query = { package = \"example.tides.app\" }",
    ],
    section: Section::Queries,
    spot: Spot::Manifest,
    asks: Asks::OtherApps,
    is_written: true,
    is_removed: true,
};

fn asked(need: &Need) -> Option<&Intent> {
    let Need::Query(query) = need else { return None };
    Some(query)
}

impl KindSpec for Query {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(table) = stated.fields("`android.query`", &INTENT, problems) else { return Vec::new() };
        let query = read_intent(&table, problems);
        let ways = [query.package.is_some(), query.authority.is_some(), query.action.is_some()];
        if ways.iter().filter(|way| **way).count() != 1 {
            problem(problems, table.span, "`android.query` needs exactly one of `action`, `package` and `authority`");
            return Vec::new();
        }
        asking(query.name(), Need::Query(Box::new(query)))
    }

    fn write(&self, _name: &str, need: &Need) -> Option<String> {
        Some(format!("android.query = {}", intent(asked(need)?, None)))
    }

    fn schema(&self) -> Json {
        let about = "What the app must see of other apps: exactly one of action, package and authority.";
        super::filter::intent_schema(&INTENT, "description", json!(about))
    }

    fn of_fact(&self, name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        let (action, scheme) = name.split_once(' ').map_or((name, None), |(action, data)| (action, Some(data)));
        let (action, scheme) = (Some(action.to_owned()), scheme.map(str::to_owned));
        Some(Need::Query(Box::new(Intent { action, scheme, ..Intent::default() })))
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "inside `<queries>`, of which a manifest has one; it joins what is there".to_owned()
    }

    fn called(&self, name: &str) -> String {
        format!("the query for {name}")
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let manifests = scene.manifests.iter();
        manifests
            .flat_map(|manifest| manifest.queries.iter().map(move |one| (manifest, one)))
            .map(|(manifest, one)| {
                Declared::new(one.query.name(), manifest.tag(one.element), vec![plan::remove(one.element.node())])
            })
            .collect()
    }

    /// A wider entry serves as well.
    fn is_about(&self, scene: &Scene<'_>, declared: (&str, Place), wanted: (&str, &Need)) -> bool {
        let Some(query) = asked(wanted.1) else { return false };
        // There may be many of them: what stands elsewhere is not looked at.
        let written = scene.manifest_of(declared.1.file).is_some_and(|manifest| {
            let is_here = |element| manifest.tag(element) == declared.1;
            let mut misplaced = manifest.misplaced_queries.iter().flat_map(|queries| queries.children());
            manifest.queries.iter().any(|one| is_here(one.element) && covers(&one.query, query))
                || misplaced.any(|one| is_here(one) && read_query(one).is_some_and(|one| covers(&one.query, query)))
        });
        let mut merged =
            scene.variants.iter().flat_map(|variant| variant.queries.iter().map(move |one| (variant, one)));
        written
            || merged
                .any(|(variant, one)| variant.merged.at(one.element).place == declared.1 && covers(&one.query, query))
    }

    fn found(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> Vec<Declared> {
        // Only what was named is taken out: a wider entry may serve others.
        self.declared(scene).into_iter().filter(|one| one.name == name).collect()
    }

    fn compare(&self, _scene: &Scene<'_>, side: Side<'_, '_>, _name: &str, need: &Need) -> Match {
        let (Side::Android(variant), Some(query)) = (side, asked(need)) else { return Match::Absent };
        Match::when(variant.levels.target < Behaviour::PackageVisibility.since() || variant.sees(query))
    }

    fn is_same(&self, one: &Need, other: &Need) -> bool {
        match (asked(one), asked(other)) {
            (Some(one), Some(other)) => one == other || one.host == other.host,
            _ => false,
        }
    }

    fn is_told_elsewhere(&self, scene: &Scene<'_>, _name: &str, need: &Need) -> bool {
        let Some(wanted) = asked(need) else { return false };
        let misplaced = |manifest: &ManifestView<'_>| {
            let entries = manifest.misplaced_queries.iter().flat_map(|queries| queries.children());
            entries.filter_map(read_query).any(|entry| covers(&entry.query, wanted))
        };
        scene.manifests.iter().any(|manifest| misplaced(manifest))
    }

    fn absent(&self, _name: &str, need: &Need, only: &str, who: &str) -> String {
        let seen = asked(need).map(describe).unwrap_or_default();
        format!("the app cannot see {seen}{only}, and {who} to")
    }

    fn add(&self, scene: &Scene<'_>, _name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let (manifest, query) = (scene.manifest.as_deref()?, asked(need)?);
        let title = format!("let the app see {}", describe(query));
        let remedy = manifest_edit(title, manifest, add_query(manifest, query));
        let remedy = if manifest.queries_element.is_none() { remedy.making("queries") } else { remedy };
        Some((manifest.tag(manifest.queries_element.unwrap_or(manifest.root)), remedy))
    }
}

/// Says in words what a query makes visible.
fn describe(query: &Intent) -> String {
    if let Some(package) = &query.package {
        return format!("the app `{package}`");
    }
    if let Some(authority) = &query.authority {
        return format!("the provider `{authority}`");
    }
    let action = query.action.as_deref().unwrap_or_default();
    match (&query.scheme, &query.mime) {
        (Some(scheme), _) => format!("apps that handle `{scheme}:` links"),
        (None, Some(mime)) => format!("apps that handle `{action}` for `{mime}`"),
        (None, None) => format!("apps that handle `{action}`"),
    }
}
