//! `resource`: a text, colour, picture or XML file among the app's resources, to which manifests and code refer.

use elvask_markup::xml::Document;
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_markup::{Edit, EditSet};
use elvask_platform::Kind;
use elvask_platform::List;
use elvask_project::appfiles::ResourceFile;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::{self, Problem};
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, plain, problem};
use crate::kinds::toml::{table, text};
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::remedy::{Remedy, Want};
use crate::requirement::Need;
use crate::section::Section;
use crate::template::answers_in;

/// The types whose values stand in files under `values`, with the name that such a file usually has.
const VALUES: [(&str, &str); 5] = [
    ("string", "strings.xml"),
    ("color", "colors.xml"),
    ("bool", "bools.xml"),
    ("integer", "integers.xml"),
    ("dimen", "dimens.xml"),
];

/// The types of which each resource is a file of its own.
const FILES: [&str; 5] = ["xml", "drawable", "mipmap", "raw", "font"];

/// What a new file of values holds.
const EMPTY: &str = "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<resources>\n</resources>\n";

/// See the module.
pub(crate) struct Resource;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Resource,
    key: Some("resource"),
    states: "`{ type, name, value }`: a resource that must be there, as `@type/name` refers to it; a `value` goes with `string`, `color`, `bool`, `integer` and `dimen`, the others (`xml`, `drawable`, `mipmap`, `raw`, `font`) are files that a person puts there",
    examples: [
        "android.resource = { type = \"string\", name = \"knot_app_id\", value = \"{answer}\" }",
        "android.resource = { type = \"string\", name = \"knot_mode\", value = \"quiet\" }",
    ],
    section: Section::Look,
    spot: Spot::Resources,
    asks: Asks::Plain,
    is_written: true,
    is_removed: true,
};

/// Returns the name under which a sheet's type and name are looked for: `string/app_id`.
fn split(name: &str) -> (&str, &str) {
    name.split_once('/').unwrap_or(("string", name))
}

/// Returns the usual name of the file for values of a type; `None` for types that are files of their own.
pub fn values_file(kind: &str) -> Option<&'static str> {
    VALUES.iter().find(|(known, _)| *known == kind).map(|(_, file)| *file)
}

/// Goes through the usual names of files of values.
pub fn values_files() -> impl Iterator<Item = &'static str> {
    VALUES.iter().map(|(_, file)| *file)
}

/// Returns the resources of those types to which a text refers with `@type/name`, as `type/name`. Resources of the platform and of
/// types that libraries mostly bring (styles, arrays, ids) are left out.
pub fn references(text: &str) -> impl Iterator<Item = &str> {
    memchr::memchr_iter(b'@', text.as_bytes()).filter_map(|at| {
        let rest = text.get(at + 1..)?;
        let fits = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '_' | '.' | '/');
        let name = rest.get(..rest.find(|letter| !fits(letter)).unwrap_or(rest.len()))?;
        let (kind, short) = name.split_once('/')?;
        let known = FILES.contains(&kind) || values_file(kind).is_some();
        (known && !short.is_empty() && !short.contains('/')).then_some(name)
    })
}

/// Says whether a resource is there, as `type/name`: among the app's own, those of its packages and those that the build makes.
/// Where not all of them can be known, it counts as there.
#[must_use]
pub fn is_there(scene: &Scene<'_>, name: &str) -> bool {
    let Some(android) = &scene.app.android else { return true };
    scene.app.generated.is_some()
        || !android.resources.complete
        || android.resources.named.iter().any(|known| known == name)
        || Resource.declared(scene).iter().any(|one| one.name == name)
        || List::ResourceByServices.has(name)
        || name.ends_with("_database_url")
}

impl KindSpec for Resource {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        let Some(table) = stated.fields("`android.resource`", &["type", "name", "value"], problems) else {
            return Vec::new();
        };
        let (kind, name) = (table.required_text("type", problems), table.required_text("name", problems));
        let value = table.text("value", problems).filter(|value| plain(value, problems));
        let (Some(kind), Some(name)) = (kind, name) else { return Vec::new() };
        let known: Vec<_> = VALUES.iter().map(|(kind, _)| *kind).chain(FILES).collect();
        if !known.contains(&kind.text.as_str()) {
            let message = format!("`{}` is not a type of resource; known are {}", kind.text, tomldoc::list(&known));
            problem(problems, kind.span, message);
            return Vec::new();
        }
        let fits = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '_' | '.');
        if name.text.is_empty() || !name.text.chars().all(fits) || name.text.starts_with('.') {
            problem(problems, name.span, "the name of a resource has letters, digits, dots and underscores");
            return Vec::new();
        }
        if let Some(value) = value.as_ref().filter(|_| values_file(&kind.text).is_none()) {
            problem(problems, value.span, format!("`{}` is a file of its own and has no `value`", kind.text));
            return Vec::new();
        }
        let value = value.map(|value| value.text);
        asking(format!("{}/{}", kind.text, name.text), Need::Plain { kind: Kind::Resource, value })
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let Need::Plain { value, .. } = need else { return None };
        let (kind, name) = split(name);
        let fields = [("type", Some(text(kind))), ("name", Some(text(name))), ("value", value.as_deref().map(text))];
        Some(format!("android.resource = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        let known: Vec<_> = VALUES.iter().map(|(kind, _)| *kind).chain(FILES).collect();
        json!({
            "type": "object",
            "properties": { "type": { "enum": known }, "name": { "type": "string" }, "value": { "type": "string" } },
            "additionalProperties": false,
            "required": ["type", "name"],
            "description": "A resource that must be there, as @type/name refers to it."
        })
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        let Need::Plain { value, .. } = need else { return Vec::new() };
        value.as_deref().into_iter().collect()
    }

    fn filled(&self, need: &Need, answering: &dyn Answering) -> Result<Need, Vec<Want>> {
        let Need::Plain { value, .. } = need else { return Ok(need.clone()) };
        Ok(Need::Plain {
            kind: Kind::Resource,
            value: value.as_deref().map(|value| answering.text(value)).transpose()?,
        })
    }

    fn value(&self, need: &Need) -> Option<String> {
        let Need::Plain { value, .. } = need else { return None };
        value.clone()
    }

    fn belongs(&self, name: &str, _need: &Need) -> String {
        let (kind, name) = split(name);
        match values_file(kind) {
            Some(file) => format!("`{name}` in res/values/{file} of the app's module"),
            None => format!("a file {name} in res/{kind} of the app's module"),
        }
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let mut out = Vec::new();
        for file in scene.app.android.iter().flat_map(|android| &android.resources.values) {
            let Ok(document) = scene.sources.file(file.file).xml() else { continue };
            for element in document.root().children() {
                let written = |local| element.attribute_written(local).map(|one| element.value_of(one).into_owned());
                let Some(name) = written("name") else { continue };
                let kind = written("type").filter(|_| element.name() == "item");
                let kind = kind.unwrap_or_else(|| element.name().to_owned());
                let place = Place { file: file.file, span: element.open() };
                out.push(Declared::new(format!("{kind}/{name}"), place, vec![plan::remove(element.node())]));
            }
        }
        out
    }

    /// A value is the owner's: one that is there in another way is left.
    fn compare(&self, scene: &Scene<'_>, side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let (Side::Android(_), Need::Plain { value, .. }) = (side, need) else { return Match::Absent };
        let Some(android) = &scene.app.android else { return Match::Absent };
        if scene.app.generated.is_some() {
            return Match::Meets;
        }
        if android.resources.named.iter().any(|known| known == name) {
            return Match::Meets;
        }
        let Some(declared) = self.declared(scene).into_iter().find(|one| one.name == name) else {
            return Match::Absent;
        };
        let text = &scene.sources.file(declared.place.file).text;
        let rest = text.get(declared.place.span.end..).unwrap_or_default();
        let given = rest.split('<').next().unwrap_or_default().trim();
        match value {
            Some(value) if answers_in(value).is_empty() && given != value => Match::Differs(format!("is \"{given}\"")),
            _ => Match::Meets,
        }
    }

    fn disputed(&self, need: &Need) -> Option<String> {
        self.value(need)
    }

    fn absent(&self, name: &str, _need: &Need, only: &str, who: &str) -> String {
        format!("the resource `@{name}` is not there{only}, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let Need::Plain { value, .. } = need else { return None };
        let (main, (kind, short)) = (scene.manifest.as_deref()?, split(name));
        let here = main.tag(main.root);
        let (Some(usual), Some(value)) = (values_file(kind), value) else {
            let steps =
                format!("Put a file {short} into res/{kind} of the app's module, as the plugin's notes have it.");
            return Some((here, Remedy::Manual(steps)));
        };
        let files = &scene.app.android.as_ref()?.resources.values;
        let named = |file: &&ResourceFile| scene.sources.file(file.file).shown.ends_with(&format!("/{usual}"));
        let Some(file) = files.iter().find(named).map(|file| file.file) else {
            return Some((
                here,
                Remedy::Manual(format!("Add `{short}` with the value {value} to res/values/{usual}.")),
            ));
        };
        let (source, title) = (&scene.sources.file(file).text, format!("add {short}"));
        let fragment = Fragment::new(kind).with("name", short).saying(value.as_str());
        if source.trim().is_empty() {
            let document = Document::parse(EMPTY).ok()?;
            let mut whole = EditSet::new();
            whole.add(&plan::insert(document.root(), Slot::Last, &[fragment])).ok()?;
            let edits = vec![Edit::insert(source.len(), whole.apply(EMPTY).ok()?)];
            let place = Place { file, span: elvask_markup::Span::at(0) };
            return Some((place, Remedy::edit(title, file, edits).making(usual)));
        }
        let root = scene.sources.file(file).xml().ok()?.root();
        let last = root.children_named(kind).next_back();
        let slot = last.map_or(Slot::Last, |last| Slot::After(last.node()));
        let edits = plan::insert(root, slot, &[fragment]);
        Some((Place { file, span: root.open() }, Remedy::edit(title, file, edits)))
    }

    fn lines(&self, scene: &Scene<'_>, name: &str, _need: &Need) -> Option<(Place, String)> {
        let (main, (kind, short)) = (scene.manifest.as_deref()?, split(name));
        Some((main.tag(main.root), format!("<{kind} name=\"{short}\">…</{kind}>")))
    }
}
