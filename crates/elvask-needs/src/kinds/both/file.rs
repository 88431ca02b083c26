//! `file`: a file that must be in a platform's project.

use elvask_platform::{Kind, Platform};
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::Problem;
use serde_json::{Value as Json, json};

use crate::kinds::stated::{asking, plain, problem};
use crate::kinds::toml::{table, text};
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::remedy::Remedy;
use crate::requirement::{FileField, Need};
use crate::section::Section;

/// See the module.
pub(crate) struct File;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::File,
    key: Some("file"),
    states: "`{ platform, path, in, id-at, value-at, entitlement-at }`: a file that must be there, in the platform's project or with `in = \"app\"` anywhere in the app; at paths such as `/client/package_name` it names this app (`id-at`), a text with answers (`value-at = { \"/ring\" = \"{ring_id}\" }`) or a value of an entitlement (`entitlement-at = { \"/data/merchant\" = \"com.apple.developer.in-app-payments\" }`). In XML a path leads through the elements below the root, and ends with `@` for an attribute. On Android a variant's own file counts before the one of the module",
    examples: [
        "file = { platform = \"android\", path = \"app/example-services.json\", id-at = \"/client/package_name\" }",
        "file = { platform = \"ios\", path = \"ExampleServices.plist\" }",
    ],
    section: Section::Keys,
    spot: Spot::Files,
    asks: Asks::Plain,
    is_written: false,
    is_removed: false,
};

impl FileField {
    fn value(&self) -> Option<&str> {
        match self {
            FileField::Value(value) => Some(value),
            FileField::Entitlement(_) => None,
        }
    }

    fn entitlement(&self) -> Option<&str> {
        match self {
            FileField::Entitlement(key) => Some(key),
            FileField::Value(_) => None,
        }
    }
}

impl KindSpec for File {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        read(stated, problems).unwrap_or_default()
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let Need::File { platform, in_app, id_at, fields } = need else { return None };
        let of = |wanted: fn(&FileField) -> Option<&str>| {
            let all = fields.iter().filter_map(|(at, field)| Some(format!("{} = {}", text(at), text(wanted(field)?))));
            let all: Vec<_> = all.collect();
            (!all.is_empty()).then(|| format!("{{ {} }}", all.join(", ")))
        };
        let fields = [
            ("platform", Some(text(platform.id()))),
            ("path", Some(text(name))),
            ("in", in_app.then(|| text("app"))),
            ("id-at", id_at.as_deref().map(text)),
            ("value-at", of(FileField::value)),
            ("entitlement-at", of(FileField::entitlement)),
        ];
        Some(format!("file = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        json!({
            "type": "object",
            "properties": {
                "platform": { "enum": ["android", "ios"] },
                "path": { "type": "string", "description": "From the folder of the platform's project, or of the app." },
                "in": { "enum": ["project", "app"], "description": "From which folder the path leads; that of the platform's project without it." },
                "id-at": { "type": "string", "description": "Where in the file the app's id must be." },
                "value-at": {
                    "type": "object",
                    "additionalProperties": { "type": "string" },
                    "description": "Where in the file which texts must be, with answers in curly brackets."
                },
                "entitlement-at": {
                    "type": "object",
                    "additionalProperties": { "type": "string" },
                    "description": "Where in the file a value of which entitlement must be."
                }
            },
            "additionalProperties": false,
            "required": ["platform", "path"]
        })
    }

    fn value(&self, need: &Need) -> Option<String> {
        let Need::File { id_at, .. } = need else { return None };
        id_at.clone()
    }

    fn texts<'n>(&self, need: &'n Need) -> Vec<&'n str> {
        let Need::File { fields, .. } = need else { return Vec::new() };
        fields.iter().filter_map(|(_, field)| field.value()).collect()
    }

    fn belongs(&self, name: &str, _need: &Need) -> String {
        format!("the file {name}")
    }

    fn called(&self, name: &str) -> String {
        format!("the file {name}")
    }

    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let there = scene.app.required.iter().filter_map(|one| Some((one.path.as_str(), one.file?)));
        let place = |file| Place { file, span: elvask_markup::Span::at(0) };
        there.map(|(path, file)| Declared::new(path, place(file), Vec::new())).collect()
    }

    fn compare(&self, scene: &Scene<'_>, side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        // Of a platform's project that the app does not have nothing is known.
        let Some(known) = scene.app.required_file(need.platform(), name) else { return Match::Meets };
        Match::when(match side {
            Side::Android(effective) => known.of_variant(&effective.variant).1.is_some(),
            Side::Ios => known.file.is_some(),
        })
    }

    fn is_same(&self, one: &Need, other: &Need) -> bool {
        one.platform() == other.platform()
    }

    fn absent(&self, name: &str, need: &Need, _only: &str, who: &str) -> String {
        format!("{name} is not there, and {who} it in the {} project", need.platform().title())
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let wanted = scene.app.required_file(need.platform(), name)?;
        let steps = format!("Get the file from the plugin's maker and put it at {}.", wanted.shown);
        let manifest = || scene.manifest.as_deref().map(|manifest| manifest.tag(manifest.root));
        let plist = || scene.plist.map(|plist| plist.root_tag());
        let place = match need.platform() {
            Platform::Android => manifest().or_else(plist),
            Platform::Ios => plist().or_else(manifest),
        };
        Some((place?, Remedy::Manual(steps)))
    }
}

fn read(stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Option<Vec<Asking>> {
    let known = ["platform", "path", "in", "id-at", "value-at", "entitlement-at"];
    let table = stated.fields("`file`", &known, problems)?;
    let platform = table.required_text("platform", problems)?;
    let path = table.required_text("path", problems).filter(|text| plain(text, problems))?;
    let platform = match platform.text.as_str() {
        "android" => Platform::Android,
        "ios" => Platform::Ios,
        other => {
            problem(problems, platform.span, format!("`{other}` is not a platform; known are `android` and `ios`"));
            return None;
        }
    };
    let inside = !path.text.is_empty()
        && !path.text.starts_with(['/', '~'])
        && !path.text.contains(['\\', ':'])
        && path.text.split('/').all(|part| !matches!(part, "" | "." | ".."));
    if !inside {
        problem(problems, path.span, "the path must lead into the platform's project: no `..`, no root, no empty part");
        return None;
    }
    let id_at = table.text("id-at", problems).filter(|text| plain(text, problems));
    if let Some(pointer) = id_at.as_ref().filter(|pointer| !pointer.text.starts_with('/')) {
        problem(problems, pointer.span, "`id-at` is a path in the file that starts with `/`");
        return None;
    }
    let in_app = match table.text("in", problems) {
        None => false,
        Some(word) if word.text == "project" => false,
        Some(word) if word.text == "app" => true,
        Some(word) => {
            problem(problems, word.span, "`in` must be `project` or `app`");
            return None;
        }
    };
    let mut fields = Vec::new();
    for (key, make) in
        [("value-at", FileField::Value as fn(String) -> FileField), ("entitlement-at", FileField::Entitlement)]
    {
        let what = format!("`{key}`");
        let Some(stated) = table.table(key, &what, problems) else { continue };
        for (at, _) in stated.entries() {
            if !at.text.starts_with('/') {
                problem(problems, at.span, format!("a key of `{key}` is a path in the file that starts with `/`"));
                continue;
            }
            let value = stated.text(&at.text, problems).filter(|text| plain(text, problems));
            fields.extend(value.map(|value| (at.text, make(value.text))));
        }
    }
    let need = Need::File { platform, in_app, id_at: id_at.map(|text| text.text), fields };
    Some(asking(path.text, need))
}
