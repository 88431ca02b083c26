//! `domain`: an associated domain in the entitlements.

use elvask_platform::Kind;
use elvask_project::names::ASSOCIATED_DOMAINS;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use super::{expanded, without};
use crate::kinds::stated::{asking, plain, problem};
use crate::kinds::toml::text;
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::plist::add_domain;
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

/// See the module.
pub(crate) struct Domain;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Domain,
    key: Some("domain"),
    states: "an associated domain: `applinks:marram.example`",
    examples: ["ios.domain = \"applinks:marram.example\"", "ios.domain = \"webcredentials:marram.example\""],
    section: Section::Domains,
    spot: Spot::Domains,
    asks: Asks::OwnersChoice,
    is_written: true,
    is_removed: true,
};

impl KindSpec for Domain {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let domain = stated.text(problems).filter(|text| plain(text, problems));
        let Some(domain) = domain else { return Vec::new() };
        let named = domain.text.split_once(':').is_some_and(|(service, host)| {
            service.chars().all(|letter| letter.is_ascii_lowercase()) && !service.is_empty() && !host.is_empty()
        });
        if !named || domain.text.contains(char::is_whitespace) {
            let message = "this is not an associated domain; write one such as `applinks:marram.example`";
            problem(problems, domain.span, message);
            return Vec::new();
        }
        asking(domain.text, Need::Domain)
    }

    fn write(&self, name: &str, _need: &Need) -> Option<String> {
        Some(format!("ios.domain = {}", text(name)))
    }

    fn schema(&self) -> Json {
        json!({ "type": "string", "description": "An associated domain, such as applinks:marram.example." })
    }

    fn of_fact(&self, _name: &str, _value: &str, _max_level: Option<u32>) -> Option<Need> {
        Some(Need::Domain)
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "the associated domains in the entitlements of the app target".to_owned()
    }

    fn called(&self, name: &str) -> String {
        format!("the domain {name}")
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some((file, list)) = scene.surface.entitlements() else { return Vec::new() };
        let Some(entry) = list.entry(ASSOCIATED_DOMAINS) else { return Vec::new() };
        let values = entry.value.as_array().unwrap_or_default().iter();
        let one = |value: &elvask_markup::plist::Value| {
            let place = Place { file, span: value.span };
            Some(Declared::new(value.as_str()?, place, vec![without(list, entry, value)]))
        };
        values.filter_map(one).collect()
    }

    /// What says how a domain is looked up while the app is developed is no part of its name.
    fn is_about(&self, _scene: &Scene<'_>, declared: (&str, Place), wanted: (&str, &Need)) -> bool {
        declared.0.split('?').next() == Some(wanted.0)
    }

    fn found(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> Vec<Declared> {
        self.declared(scene).into_iter().filter(|one| one.name == name).collect()
    }

    fn compare(&self, scene: &Scene<'_>, _side: Side<'_, '_>, name: &str, _need: &Need) -> Match {
        let list = scene.surface.entitlements();
        let entry = list.and_then(|(_, list)| list.entry(ASSOCIATED_DOMAINS));
        let domains = entry.and_then(|entry| entry.value.as_array()).unwrap_or_default().iter();
        let mut named = domains.filter_map(|value| value.as_str());
        let same = |domain: &str| domain.split('?').next().is_some_and(|domain| domain.eq_ignore_ascii_case(name));
        Match::when(named.any(|domain| same(domain) || expanded(scene, domain).is_some_and(|domain| same(&domain))))
    }

    fn absent(&self, name: &str, _need: &Need, _only: &str, who: &str) -> String {
        format!("the app does not claim `{name}`, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, _need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        add_domain(scene, name)
    }
}
