//! `permission`: a permission that the manifest asks for.

use elvask_markup::xml::plan;
use elvask_platform::Kind;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, name_like};
use crate::kinds::toml::text;
use crate::kinds::{Answering, Asking, Asks, Declared, Joined, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::manifest::{add_permission, manifest_edit, short};
use crate::remedy::Remedy;
use crate::requirement::Need;
use crate::section::Section;

/// See the module.
pub(crate) struct Permission;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Permission,
    key: Some("permission"),
    states: "the full name; with `max-level = N` beside it where it is needed up to that level",
    examples: [
        "android.permission = \"android.permission.CAMERA\"",
        "android.permission = \"android.permission.VIBRATE\"\nmax-level = 32",
    ],
    section: Section::Permissions,
    spot: Spot::Permissions,
    asks: Asks::Permission,
    is_written: true,
    is_removed: true,
};

fn cap(need: &Need) -> Option<u32> {
    let Need::Permission { max_level } = need else { return None };
    *max_level
}

impl KindSpec for Permission {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(name) = stated.text(problems) else { return Vec::new() };
        match name_like(&name, "a permission", problems) {
            Some(()) => asking(name.text, Need::Permission { max_level: stated.max_level }),
            None => Vec::new(),
        }
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let cap = cap(need).map(|level| format!("\nmax-level = {level}")).unwrap_or_default();
        Some(format!("android.permission = {}{cap}", text(name)))
    }

    fn schema(&self) -> Json {
        json!({ "type": "string", "description": "The full name of a permission." })
    }

    fn of_fact(&self, _name: &str, _value: &str, max_level: Option<u32>) -> Option<Need> {
        Some(Need::Permission { max_level })
    }

    fn value(&self, need: &Need) -> Option<String> {
        cap(need).map(|level| format!("up to level {level}"))
    }

    fn belongs(&self, _name: &str, _need: &Need) -> String {
        "a child of `<manifest>`: the platform looks for permissions nowhere else".to_owned()
    }

    fn called(&self, name: &str) -> String {
        short(name).to_owned()
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let manifests = scene.manifests.iter();
        manifests
            .flat_map(|manifest| manifest.permissions.iter().map(move |one| (manifest, one)))
            .map(|(manifest, one)| {
                Declared::new(one.name.as_ref(), manifest.tag(one.element), vec![plan::remove(one.element.node())])
            })
            .collect()
    }

    fn compare(&self, _scene: &Scene<'_>, side: Side<'_, '_>, name: &str, _need: &Need) -> Match {
        let Side::Android(variant) = side else { return Match::Absent };
        Match::when(variant.permission(name).is_some())
    }

    /// The widest of several caps holds, and no cap is the widest.
    fn join(&self, _name: &str, needs: &[&Need]) -> Option<Joined> {
        let widest = needs.iter().map(|need| cap(need)).collect::<Option<Vec<_>>>();
        Some(Joined::One(Need::Permission { max_level: widest.and_then(|caps| caps.into_iter().max()) }))
    }

    fn is_told_elsewhere(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> bool {
        scene.manifests.iter().any(|manifest| {
            manifest.misplaced_permissions.iter().any(|permission| permission.name == name)
                || manifest.removed.iter().any(|permission| permission.name == name)
                || manifest
                    .permissions
                    .iter()
                    .any(|permission| permission.meant.is_some_and(|meant| meant.name == name))
        })
    }

    fn absent(&self, name: &str, need: &Need, only: &str, who: &str) -> String {
        let until = cap(need).map(|level| format!(" up to level {level}")).unwrap_or_default();
        format!("{} is not declared{only}, and {who} it{until}", short(name))
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let manifest = scene.manifest.as_deref()?;
        let edits = add_permission(manifest, name, cap(need));
        Some((manifest.tag(manifest.root), manifest_edit(format!("declare {}", short(name)), manifest, edits)))
    }
}
