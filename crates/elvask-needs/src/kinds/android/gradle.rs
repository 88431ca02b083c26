//! `gradle`: a line of a Gradle file, or of a file of keep rules.

use elvask_markup::{Edit, Span};
use elvask_platform::Kind;
use elvask_project::gradle::Source;
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::tomldoc::{self, Problem};
use serde_json::{Value as Json, json};

use crate::kinds::stated::{MAX_TEXT, asking, plain, problem};
use crate::kinds::toml::{table, text};
use crate::kinds::{Answering, Asking, Asks, Declared, KindAbout, KindSpec, Match, Side, Spot, Stated};
use crate::plan::gradle::catalog::alias;
use crate::plan::gradle::{is_there, planned};
use crate::remedy::Remedy;
use crate::requirement::{GradleFile, GradleLine, Need};
use crate::section::Section;

/// The keys of which an entry has one.
const LINES: [&str; 5] = ["plugin", "dependency", "repository", "plugin-repository", "keep-rule"];
const FILES: [GradleFile; 3] = [GradleFile::App, GradleFile::Root, GradleFile::Settings];

/// See the module.
pub(crate) struct Gradle;

static ABOUT: KindAbout = KindAbout {
    kind: Kind::Gradle,
    key: Some("gradle"),
    states: "`{ file, plugin, version }`, `{ file, dependency, version, configuration }`, `{ file, repository }`, `{ plugin-repository }` or `{ keep-rule }`; `file` is `app`, `root` or `settings`, a version is a minimum, a plugin is applied where its version or its class path is known, a keep rule goes into the rules of the release build type",
    examples: [
        "android.gradle = { file = \"app\", dependency = \"example.knot:services\", version = \"4.3\" }",
        "android.gradle = { file = \"app\", plugin = \"example.knot.services\", version = \"4.3\" }",
    ],
    section: Section::Levels,
    spot: Spot::Gradle,
    asks: Asks::Plain,
    is_written: true,
    is_removed: true,
};

fn parts(need: &Need) -> Option<(GradleFile, &GradleLine)> {
    let Need::Gradle { file, line } = need else { return None };
    Some((*file, line))
}

/// Says whether a text can stand in the quotes of a build file and cannot leave them.
fn is_safe(text: &str) -> bool {
    let fits =
        |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '_' | '-' | ':' | '/' | '+' | '@');
    text.chars().all(fits)
}

/// Says whether a text is a name in the language of build files. It stands there outside quotes, so that anything else would be code.
fn is_identifier(text: &str) -> bool {
    text.len() <= 100
        && text.starts_with(|letter: char| letter.is_ascii_alphabetic() || letter == '_')
        && text.chars().all(|letter| letter.is_ascii_alphanumeric() || letter == '_')
}

impl KindSpec for Gradle {
    fn about(&self) -> &'static KindAbout {
        &ABOUT
    }

    fn read(&self, stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Vec<Asking> {
        read(stated, problems).unwrap_or_default()
    }

    fn write(&self, name: &str, need: &Need) -> Option<String> {
        let (file, line) = parts(need)?;
        let file = ("file", Some(text(file.word())));
        let (name, some) = (Some(text(name)), |given: &Option<String>| given.as_deref().map(text));
        let fields = match line {
            GradleLine::Plugin { version } => vec![file, ("plugin", name), ("version", some(version))],
            GradleLine::Dependency { configuration, version } => {
                let configuration = (configuration != "implementation").then(|| text(configuration));
                vec![file, ("dependency", name), ("version", some(version)), ("configuration", configuration)]
            }
            GradleLine::Repository => vec![file, ("repository", name)],
            GradleLine::PluginRepository => vec![file, ("plugin-repository", name)],
            GradleLine::KeepRule => vec![file, ("keep-rule", name)],
        };
        Some(format!("android.gradle = {}", table(&fields)))
    }

    fn schema(&self) -> Json {
        let mut properties = serde_json::Map::new();
        properties.insert("file".to_owned(), json!({ "enum": FILES.map(GradleFile::word) }));
        for key in LINES.into_iter().chain(["version", "configuration"]) {
            properties.insert(key.to_owned(), json!({ "type": "string" }));
        }
        json!({ "type": "object", "properties": properties, "additionalProperties": false })
    }

    fn value(&self, need: &Need) -> Option<String> {
        match parts(need)?.1 {
            GradleLine::Plugin { version } | GradleLine::Dependency { version, .. } => version.clone(),
            GradleLine::Repository | GradleLine::PluginRepository | GradleLine::KeepRule => None,
        }
    }

    fn detail(&self, need: &Need) -> Option<String> {
        parts(need).map(|(file, _)| format!("in the {} Gradle file", file.word()))
    }

    fn belongs(&self, _name: &str, need: &Need) -> String {
        match parts(need) {
            Some((_, GradleLine::KeepRule)) => "the keep rules of the release build type".to_owned(),
            Some((_, GradleLine::PluginRepository)) => {
                "the repositories of pluginManagement in the settings, or of buildscript in the root build file"
                    .to_owned()
            }
            Some((_, GradleLine::Repository)) => {
                "the repositories of the settings, or of the project's root build file".to_owned()
            }
            Some((file, _)) => format!("the {} Gradle file", file.word()),
            None => String::new(),
        }
    }

    /// Plugins, dependencies and repositories that the module's own file states on a line of their own, and keep rules.
    fn declared(&self, scene: &Scene<'_>) -> Vec<Declared> {
        let Some(android) = &scene.app.android else { return Vec::new() };
        let Some(module) = android.modules.first() else { return Vec::new() };
        let whole_line = |place: Place| {
            let text = &scene.sources.file(place.file).text;
            let (before, after) = text.split_at_checked(place.span.start).unwrap_or((text, ""));
            let start = before.rfind('\n').map_or(0, |at| at + 1);
            let end = after.find('\n').map_or(text.len(), |at| before.len() + at + 1);
            let line = Span::new(start, end);
            // A line on which a block opens or closes, or that the declaration goes beyond, holds more than it.
            let alone = place.span.end <= end && !line.of(text).contains(['{', '}']);
            if alone { vec![Edit::delete(line)] } else { Vec::new() }
        };
        let mut out: Vec<_> =
            module.applied.iter().map(|one| Declared::new(one.id.as_str(), one.place, whole_line(one.place))).collect();
        for dependency in &module.dependencies {
            if let Source::Artifact { group, name, .. } = &dependency.source {
                out.push(Declared::new(format!("{group}:{name}"), dependency.place, whole_line(dependency.place)));
            }
        }
        out.extend(
            module
                .repositories
                .iter()
                .map(|(address, place)| Declared::new(address.as_str(), *place, whole_line(*place))),
        );
        for file in &android.keep_rules {
            let text = &scene.sources.file(*file).text;
            let mut start = 0;
            for line in text.split_inclusive('\n') {
                let span = Span::new(start, start + line.len());
                start = span.end;
                if line.trim_start().starts_with('-') {
                    let place = Place { file: *file, span };
                    out.push(Declared::new(line.trim(), place, vec![Edit::delete(span)]));
                }
            }
        }
        out
    }

    /// What the build states in ways that are not read line by line counts as well: it is one answer for all variants.
    fn compare(&self, scene: &Scene<'_>, side: Side<'_, '_>, name: &str, need: &Need) -> Match {
        let (Side::Android(_), Some((file, line))) = (side, parts(need)) else { return Match::Absent };
        let module = scene.app.android.as_ref().and_then(|android| android.modules.first());
        let Some(module) = module.filter(|module| module.build_file.is_some()) else { return Match::Meets };
        // Once something was added, the text tells, as the build is not read anew.
        let alias = match line {
            GradleLine::Plugin { .. } => alias(scene, name),
            GradleLine::Dependency { .. }
            | GradleLine::Repository
            | GradleLine::PluginRepository
            | GradleLine::KeepRule => None,
        };
        let says =
            |text: &str| text.contains(name) || alias.as_ref().is_some_and(|alias| text.contains(alias.as_str()));
        let added = scene.sources.all().zip(scene.app.sources.all()).any(|(now, before)| {
            now.text != before.text && now.shown.contains(".gradle") && says(&now.text) && !says(&before.text)
        });
        Match::when(added || is_there(scene, module, name, file, line))
    }

    fn absent(&self, name: &str, need: &Need, only: &str, who: &str) -> String {
        let what = match parts(need).map(|(_, line)| line) {
            Some(GradleLine::Plugin { .. }) => "Gradle plugin",
            Some(GradleLine::Dependency { .. }) | None => "dependency",
            Some(GradleLine::Repository) => "repository",
            Some(GradleLine::PluginRepository) => "repository for Gradle plugins",
            Some(GradleLine::KeepRule) => "keep rule",
        };
        format!("the {what} `{name}` is not in the build{only}, and {who} it")
    }

    fn add(&self, scene: &Scene<'_>, name: &str, need: &Need, _: &dyn Answering) -> Option<(Place, Remedy)> {
        let (file, line) = parts(need)?;
        let module = scene.app.android.as_ref()?.modules.first()?;
        Some(planned(scene, module, module.build_file?, name, file, line))
    }
}

fn read(stated: &Stated<'_, '_>, problems: &mut Vec<Problem>) -> Option<Vec<Asking>> {
    let known: Vec<_> = ["file", "version", "configuration"].into_iter().chain(LINES).collect();
    let table = stated.fields("`android.gradle`", &known, problems)?;
    let said: Vec<_> = LINES.into_iter().filter(|key| table.get(key).is_some()).collect();
    let [which] = said.as_slice() else {
        problem(problems, table.span, format!("`android.gradle` needs exactly one of {}", tomldoc::list(&LINES)));
        return None;
    };
    let file = match table.text("file", problems) {
        None if matches!(*which, "repository" | "plugin-repository") => GradleFile::Settings,
        None => GradleFile::App,
        Some(file) => match FILES.into_iter().find(|known| known.word() == file.text) {
            Some(known) => known,
            None => {
                let message = format!("`{}` is not a Gradle file; known are `app`, `root` and `settings`", file.text);
                problem(problems, file.span, message);
                return None;
            }
        },
    };
    let name = table.text(which, problems)?;
    let version = table.text("version", problems).filter(|text| plain(text, problems)).map(|text| text.text);
    let configuration = table.text("configuration", problems);
    let fits = match *which {
        "keep-rule" => plain(&name, problems) && name.text.trim_start().starts_with('-') && !name.text.contains('\n'),
        _ => !name.text.is_empty() && name.text.len() <= MAX_TEXT && is_safe(&name.text),
    };
    if let Some(configuration) = configuration.as_ref().filter(|text| !is_identifier(&text.text)) {
        problem(problems, configuration.span, "a configuration has a name of letters, digits and underscores");
        return None;
    }
    if !fits || version.as_deref().is_some_and(|text| !is_safe(text)) {
        problem(problems, name.span, format!("this is not a {} that Gradle takes", which.replace('-', " ")));
        return None;
    }
    let line = match *which {
        "plugin" => GradleLine::Plugin { version },
        "repository" => GradleLine::Repository,
        "plugin-repository" => GradleLine::PluginRepository,
        "keep-rule" => GradleLine::KeepRule,
        _ => {
            let parts: Vec<_> = name.text.split(':').map(str::to_owned).collect();
            let [group, artifact, rest @ ..] = parts.as_slice() else {
                problem(problems, table.span, "a dependency is named `group:artifact` or `group:artifact:version`");
                return None;
            };
            let version = version.or_else(|| rest.first().cloned());
            let configuration = configuration.map_or_else(|| "implementation".to_owned(), |text| text.text);
            let line = GradleLine::Dependency { configuration, version };
            return Some(asking(format!("{group}:{artifact}"), Need::Gradle { file, line }));
        }
    };
    Some(asking(name.text, Need::Gradle { file, line }))
}
