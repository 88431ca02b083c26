//! `query-scheme`: a scheme that the app asks about, under `LSApplicationQueriesSchemes`.

use elvask_markup::plist::ValueKind;
use elvask_markup::plist::plan::NewValue;
use elvask_platform::Kind;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::surface::QUERY_SCHEMES;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use super::{expanded, without};
use crate::kinds::stated::{asking, scheme_like};
use crate::kinds::toml::text;
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::plist::add_to_list;
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

/// See the module.
pub(crate) struct QueryScheme;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::QueryScheme,
    key: Some("query-scheme"),
    states: "a URL scheme that the app asks about, without `:`",
    examples: ["ios.query-scheme = \"tel\"", "ios.query-scheme = \"tides\""],
    section: Section::QuerySchemes,
    spot: Spot::PropertyList,
    asks: Asks::OtherApps,
    is_written: true,
    is_removed: true,
};

/// Returns a scheme without what people write behind it by mistake.
pub fn bare(scheme: &str) -> &str {
    scheme.trim().split(':').next().unwrap_or_default()
}

impl KindSpec for QueryScheme {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let scheme = stated.text(problems).filter(|scheme| scheme_like(scheme, problems).is_some());
        scheme.map(|scheme| asking(scheme.text, Need::QueryScheme)).unwrap_or_default()
    }

    fn write(&self, name: &str, _need: &Need) -> Option<String> {
        Some(format!("ios.query-scheme = {}", text(name)))
    }

    fn schema(&self) -> Json {
        json!({ "type": "string", "description": "A URL scheme that the app asks about, without a colon." })
    }

    fn of_fact(&self, _name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        Some(Need::QueryScheme)
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the list LSApplicationQueriesSchemes of the app's property list".to_owned()
    }

    fn called(&self, name: &str) -> String {
        format!("the scheme {name}")
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some(plist) = scene.plist.filter(|plist| plist.list.is_xml()) else { return Vec::new() };
        let Some(entry) = plist.list.entry(QUERY_SCHEMES) else { return Vec::new() };
        let values = entry.value.as_array().unwrap_or_default().iter();
        let one = |value| {
            let value: &elvask_markup::plist::Value = value;
            Some(Declared::new(value.as_str()?, plist.at(value.span), vec![without(plist.list, entry, value)]))
        };
        values.filter_map(one).collect()
    }

    /// Schemes are compared without case.
    fn is_about(&self, _scene: &Scene<'_>, declared: (&str, Place), wanted: (&str, &Need)) -> bool {
        declared.0.eq_ignore_ascii_case(wanted.0)
    }

    /// A value of another type is told by `plist-type`, and a list comes of it; one that is badly written by `query-scheme-form`.
    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, _need: &Need) -> Match {
        let Some(plist) = scene.plist else { return Match::Absent };
        let same = |scheme: &str| bare(scheme).eq_ignore_ascii_case(name);
        let schemes = plist.query_schemes();
        Match::when(schemes.iter().any(|(one, _)| same(one) || expanded(scene, one).is_some_and(|one| same(&one))))
    }

    fn is_told_elsewhere(&self, scene: &Scene<'_>, _name: &str, _need: &Need) -> bool {
        let entry = scene.plist.and_then(|plist| plist.entry(QUERY_SCHEMES));
        entry.is_some_and(|entry| !matches!(entry.value.kind, ValueKind::Array(_)))
    }

    fn absent(&self, name: &str, _need: &Need, _only: &str, who: &str) -> String {
        format!("the app cannot ask about `{name}:` links, and {who} to")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, _need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let value = NewValue::String(name.to_owned());
        Some(add_to_list(scene, format!("add the scheme {name}"), scene.plist?, QUERY_SCHEMES, value))
    }
}
