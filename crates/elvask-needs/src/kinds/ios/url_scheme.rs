//! `url-scheme`: a scheme that opens the app, under `CFBundleURLTypes`.

use elvask_markup::plist::plan as plist_plan;
use elvask_platform::Kind;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, scheme_like};
use crate::kinds::toml::text;
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::plist::add_url_scheme;
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

const URL_TYPES: &str = "CFBundleURLTypes";

/// See the module.
pub(crate) struct UrlScheme;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::UrlScheme,
    key: Some("url-scheme"),
    states: "a URL scheme that opens the app",
    examples: ["ios.url-scheme = \"marram\"", "ios.url-scheme = \"fieldlog\""],
    section: Section::UrlSchemes,
    spot: Spot::UrlTypes,
    asks: Asks::OwnersChoice,
    is_written: true,
    is_removed: true,
};

impl KindSpec for UrlScheme {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let scheme = stated.text(problems).filter(|scheme| scheme_like(scheme, problems).is_some());
        scheme.map(|scheme| asking(scheme.text, Need::UrlScheme)).unwrap_or_default()
    }

    fn write(&self, name: &str, _need: &Need) -> Option<String> {
        Some(format!("ios.url-scheme = {}", text(name)))
    }

    fn schema(&self) -> Json {
        json!({ "type": "string", "description": "A URL scheme that opens the app." })
    }

    fn of_fact(&self, _name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        Some(Need::UrlScheme)
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the list CFBundleURLTypes of the app's property list, as a type of its own".to_owned()
    }

    fn called(&self, name: &str) -> String {
        format!("the scheme {name}")
    }

    /// A type goes with its last scheme, and the key with its last type.
    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some(plist) = scene.plist.filter(|plist| plist.list.is_xml()) else { return Vec::new() };
        let Some(entry) = plist.list.entry(URL_TYPES) else { return Vec::new() };
        let types = entry.value.as_array().unwrap_or_default();
        let mut out = Vec::new();
        for one in types {
            let fields = one.as_dict().unwrap_or_default();
            let schemes = fields.iter().find(|field| field.key == "CFBundleURLSchemes");
            let all = schemes.and_then(|schemes| schemes.value.as_array()).unwrap_or_default();
            for scheme in all {
                let Some(name) = scheme.as_str() else { continue };
                let edit = match (all.len(), types.len()) {
                    (1, 1) => plist_plan::remove_entry(plist.list, entry),
                    (1, _) => plist_plan::remove_value(plist.list, one),
                    _ => plist_plan::remove_value(plist.list, scheme),
                };
                out.push(Declared::new(name, plist.at(scheme.span), vec![edit]));
            }
        }
        out
    }

    fn is_about(&self, _scene: &Scene<'_>, declared: (&str, Place), wanted: (&str, &Need)) -> bool {
        declared.0.eq_ignore_ascii_case(wanted.0)
    }

    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, _need: &Need) -> Match {
        let Some(plist) = scene.plist else { return Match::Absent };
        let types = plist.entry(URL_TYPES).and_then(|entry| entry.value.as_array()).unwrap_or_default();
        let lists = types.iter().flat_map(|one| one.as_dict().unwrap_or_default());
        let lists = lists.filter(|entry| entry.key == "CFBundleURLSchemes");
        let mut schemes =
            lists.flat_map(|list| list.value.as_array().unwrap_or_default()).filter_map(|one| one.as_str());
        // A scheme that the build puts together is compared as the build has it.
        let same = |scheme: &str| {
            scheme.eq_ignore_ascii_case(name)
                || plist.resolved(scheme).is_some_and(|resolved| resolved.eq_ignore_ascii_case(name))
        };
        Match::when(schemes.any(same))
    }

    /// A value of another type is told by `plist-type`.
    fn is_told_elsewhere(&self, scene: &Scene<'_>, _name: &str, _need: &Need) -> bool {
        let entry = scene.plist.and_then(|plist| plist.entry(URL_TYPES));
        entry.is_some_and(|entry| entry.value.as_array().is_none())
    }

    fn absent(&self, name: &str, _need: &Need, _only: &str, who: &str) -> String {
        format!("`{name}:` links do not open the app, and {who} the scheme")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, _need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        add_url_scheme(scene, name)
    }
}
