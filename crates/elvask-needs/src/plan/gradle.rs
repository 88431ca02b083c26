//! Planning lines of Gradle files, and finding those that are there.
//!
//! Sources: "Using plugins", "Declaring repositories" and "Version catalogs" of the Gradle user manual.

mod blocks;
pub(crate) mod catalog;

use elvask_markup::xml::plan::newline_at;
use elvask_markup::{Edit, Span};
use elvask_platform::gradle;
use elvask_project::gradle::{Module, Source};
use elvask_project::scene::Scene;
use elvask_project::source::{FileId, Place};

use self::blocks::{Block, after_last, block_in, insert};
use crate::remedy::Remedy;
use crate::requirement::{GradleFile, GradleLine};

/// Says whether the build states a line.
pub(crate) fn is_there(scene: &Scene<'_>, module: &Module, name: &str, file: GradleFile, line: &GradleLine) -> bool {
    match line {
        // One that a script of the root or the settings applies is looked for as it is written.
        GradleLine::Plugin { .. } => {
            module.applied.iter().any(|applied| applied.id == name)
                || file != GradleFile::App && written_around(scene, name)
        }
        GradleLine::Dependency { configuration, version } => {
            let classpath = configuration == "classpath";
            let fits = |declared: &Option<String>| match (version, declared) {
                (Some(least), Some(declared)) => !is_lower(declared, least),
                _ => true,
            };
            let stated = module.dependencies.iter().any(|dependency| match &dependency.source {
                Source::Artifact { group, name: artifact, version } => {
                    format!("{group}:{artifact}") == name && fits(version)
                }
                _ => false,
            });
            stated || classpath && written_around(scene, name)
        }
        GradleLine::Repository => {
            let place = gradle::repository_place(name);
            module.repositories.iter().any(|(address, _)| gradle::repository_place(address) == place)
        }
        GradleLine::PluginRepository => {
            let place = gradle::repository_place(name);
            let bare = place.trim_end_matches("()");
            written_around(scene, bare)
        }
        GradleLine::KeepRule => {
            let squeezed = |text: &str| text.split_whitespace().collect::<String>();
            let rule = squeezed(name);
            let files = scene.app.android.iter().flat_map(|android| &android.keep_rules);
            files.into_iter().any(|file| squeezed(&scene.sources.file(*file).text).contains(&rule))
        }
    }
}

/// Says whether a Gradle script that has been read holds a text.
fn written_around(scene: &Scene<'_>, text: &str) -> bool {
    scene.sources.all().any(|file| {
        let script = file.shown.ends_with(".gradle") || file.shown.ends_with(".gradle.kts");
        let catalog = file.shown.ends_with(".versions.toml");
        (script || catalog) && !file.shown.contains("node_modules") && file.text.contains(text)
    })
}

/// Says whether a version is lower than another one, number by number; what is not a number counts as not lower.
fn is_lower(version: &str, least: &str) -> bool {
    let numbers = |text: &str| text.split(['.', '-']).map_while(|part| part.parse().ok()).collect::<Vec<u32>>();
    let (version, least) = (numbers(version), numbers(least));
    !version.is_empty() && version < least
}

/// Returns where a line goes and what puts it there.
pub(crate) fn planned(
    scene: &Scene<'_>,
    module: &Module,
    build: FileId,
    name: &str,
    file: GradleFile,
    line: &GradleLine,
) -> (Place, Remedy) {
    let scripts = Scripts::new(scene, build);
    match line {
        GradleLine::Plugin { version } => plugin(&scripts, name, file, version.as_deref()),
        GradleLine::Dependency { configuration, version } => {
            dependency(&scripts, module, name, file, (configuration, version.as_deref()))
        }
        GradleLine::Repository => {
            let paths: [&[&str]; 2] =
                [&["dependencyResolutionManagement", "repositories"], &["allprojects", "repositories"]];
            let planned =
                scripts.put(&[scripts.settings, scripts.root], &paths, name, &|file| scripts.maven(file, name));
            planned.unwrap_or_else(|| {
                let file = scripts.settings.or(scripts.root).unwrap_or(build);
                let place = "the repositories in the settings, or in allprojects of the root Gradle file";
                scripts.by_hand(file, &scripts.maven(file, name), place)
            })
        }
        GradleLine::PluginRepository => plugin_repository(&scripts, name),
        GradleLine::KeepRule => match scene.app.android.as_ref().and_then(|android| android.keep_rules.first()) {
            Some(rules) => {
                let text = &scene.sources.file(*rules).text;
                let break_ = newline_at(text, 0);
                let gap = if text.is_empty() || text.ends_with('\n') { "" } else { break_ };
                let edit = Edit::insert(text.len(), format!("{gap}{name}{break_}"));
                let place = Place { file: *rules, span: Span::at(text.len()) };
                // The first rule ends the last line, where that has no end; the others come after.
                let made = if gap.is_empty() { name } else { "a keep rule" };
                (place, Remedy::edit("add the keep rule", *rules, vec![edit]).making(made))
            }
            None => {
                let place = "the file of keep rules that proguardFiles of the release build type names";
                scripts.by_hand(build, name, place)
            }
        },
    }
}

/// Returns the name of a line as a thing that remedies make: of several that add it, one is enough.
fn line_of(name: &str) -> String {
    format!("{name} in a Gradle file")
}

/// The scripts of a build.
struct Scripts<'s, 'a> {
    scene: &'s Scene<'a>,
    /// That of the app's module.
    app: FileId,
    /// That of the root project.
    root: Option<FileId>,
    /// The settings.
    settings: Option<FileId>,
}

impl<'s, 'a> Scripts<'s, 'a> {
    fn new(scene: &'s Scene<'a>, app: FileId) -> Self {
        let shown = &scene.sources.file(app).shown;
        let folder =
            shown.rsplit_once('/').and_then(|(module, _)| module.rsplit_once('/')).map_or("", |(root, _)| root);
        let beside = |stem: &str| {
            let full = if folder.is_empty() { stem.to_owned() } else { format!("{folder}/{stem}") };
            scene.sources.find(|shown| shown == full || shown == format!("{full}.kts"))
        };
        Scripts { scene, app, root: beside("build.gradle"), settings: beside("settings.gradle") }
    }

    fn text(&self, file: FileId) -> &str {
        &self.scene.sources.file(file).text
    }

    fn shown(&self, file: FileId) -> &str {
        &self.scene.sources.file(file).shown
    }

    fn is_kotlin(&self, file: FileId) -> bool {
        self.shown(file).ends_with(".kts")
    }

    fn quoted(&self, file: FileId, text: &str) -> String {
        if self.is_kotlin(file) { format!("\"{text}\"") } else { format!("'{text}'") }
    }

    fn call(&self, file: FileId, word: &str, text: &str) -> String {
        let quoted = self.quoted(file, text);
        if self.is_kotlin(file) { format!("{word}({quoted})") } else { format!("{word} {quoted}") }
    }

    fn maven(&self, file: FileId, address: &str) -> String {
        if address.ends_with("()") {
            address.to_owned()
        } else if self.is_kotlin(file) {
            format!("maven(\"{address}\")")
        } else {
            format!("maven {{ url '{address}' }}")
        }
    }

    fn block(&self, file: FileId, path: &[&str]) -> Option<Block> {
        block_in(self.text(file), self.shown(file), path)
    }

    /// Returns what a person adds, at the file that must change.
    fn by_hand(&self, file: FileId, line: &str, place: &str) -> (Place, Remedy) {
        (Place { file, span: Span::at(0) }, Remedy::Manual(format!("Add to {place}: {line}")))
    }

    /// Returns what adds a line to the first of some blocks that there is, in the first of some files.
    fn put(
        &self,
        files: &[Option<FileId>],
        paths: &[&[&str]],
        name: &str,
        line: &dyn Fn(FileId) -> String,
    ) -> Option<(Place, Remedy)> {
        let candidates = files.iter().flatten().flat_map(|file| paths.iter().map(move |path| (*file, *path)));
        candidates.into_iter().find_map(|(file, path)| {
            let block = self.block(file, path)?;
            let edits = insert(self.text(file), &block, &[line(file)]);
            let remedy = Remedy::edit(format!("add {name}"), file, edits).making(&line_of(name));
            Some((Place { file, span: block.head }, remedy))
        })
    }

    /// Says whether the class path of a Gradle plugin is known: the build names its version somewhere, or a library for the build
    /// whose group the plugin's id starts with. The plugins that come with Gradle have no dot.
    fn has_class_path(&self, id: &str) -> bool {
        let others = self.scene.sources.all().filter(|file| {
            let script = file.shown.ends_with(".gradle") || file.shown.ends_with(".gradle.kts");
            (script || file.shown.ends_with(".versions.toml"))
                && file.shown != self.shown(self.app)
                && !file.shown.contains("node_modules")
        });
        let names = |text: &str| {
            let quoted = [format!("\"{id}\""), format!("'{id}'"), format!("\"{id}:")];
            quoted.iter().any(|quoted| text.contains(quoted.as_str()))
                || class_paths(text).any(|group| id.starts_with(group))
        };
        !id.contains('.') || others.into_iter().any(|file| names(&file.text))
    }
}

/// Goes through the groups of the libraries that a script puts on the class path of the build.
fn class_paths(text: &str) -> impl Iterator<Item = &str> {
    text.lines().map(str::trim_start).filter_map(|line| {
        let rest = line.strip_prefix("classpath")?.trim_start_matches([' ', '(', '"', '\'']);
        let group = rest.split(':').next()?;
        (group.contains('.') && rest.contains(':')).then_some(group)
    })
}

fn plugin(scripts: &Scripts<'_, '_>, id: &str, file: GradleFile, version: Option<&str>) -> (Place, Remedy) {
    let stated = |file: FileId, version: Option<&str>| {
        let version = version.map(|version| format!(" version {}", scripts.quoted(file, version))).unwrap_or_default();
        format!("{}{version}", scripts.call(file, "id", id))
    };
    let around = |version: &str| -> Option<(Place, Remedy)> {
        let settings: [&[&str]; 1] = [&["pluginManagement", "plugins"]];
        let in_settings = || scripts.put(&[scripts.settings], &settings, id, &|file| stated(file, Some(version)));
        let in_root = || {
            let line = |file| format!("{} apply false", stated(file, Some(version)));
            scripts.put(&[scripts.root], &[&["plugins"]], id, &line)
        };
        match file {
            GradleFile::Settings => in_settings().or_else(|| {
                let line = |file| format!("{} apply false", stated(file, Some(version)));
                scripts.put(&[scripts.settings], &[&["plugins"]], id, &line)
            }),
            GradleFile::Root | GradleFile::App => in_root().or_else(in_settings),
        }
    };
    if file != GradleFile::App {
        let target = if file == GradleFile::Settings { scripts.settings } else { scripts.root };
        let target = target.unwrap_or(scripts.app);
        return version.and_then(around).unwrap_or_else(|| {
            let line = format!("{} apply false", stated(target, version));
            scripts.by_hand(target, &line, &format!("the block plugins of the {} Gradle file", file.word()))
        });
    }
    let app = scripts.app;
    let alias = catalog::alias(scripts.scene, id).filter(|_| scripts.text(app).contains("alias("));
    let apply = |version: Option<&str>| -> Option<(Place, Remedy)> {
        let line = |file| alias.as_ref().map_or_else(|| stated(file, version), |alias| format!("alias({alias})"));
        scripts.put(&[Some(app)], &[&["plugins"]], id, &line).or_else(|| {
            // A script that applies its plugins one by one goes on so.
            let line = match scripts.is_kotlin(app) {
                true => format!("apply(plugin = \"{id}\")"),
                false => format!("apply plugin: '{id}'"),
            };
            let edit =
                after_last(scripts.text(app), scripts.shown(app), "apply", &line).filter(|_| version.is_none())?;
            let place = Place { file: app, span: Span::at(edit.start) };
            // The first one ends the last line, where that has no end; the others come after.
            let ends_line = edit.insert.starts_with(['\r', '\n']);
            let made = if ends_line { "the end of a Gradle file".to_owned() } else { line_of(id) };
            Some((place, Remedy::edit(format!("add {id}"), app, vec![edit]).making(&made)))
        })
    };
    if alias.is_some() || scripts.has_class_path(id) {
        return apply(None).unwrap_or_else(|| scripts.by_hand(app, &stated(app, None), "the block plugins"));
    }
    let Some(version) = version else {
        // Without its class path the plugin is not found, and the build stops.
        let steps = format!(
            "Put the class path of the Gradle plugin {id} into the root Gradle file, as the package's notes have it, then apply it here: {}",
            stated(app, None)
        );
        return (Place { file: app, span: Span::at(0) }, Remedy::Manual(steps));
    };
    // Both or neither: the version around, and the plugin here.
    match (around(version), apply(None)) {
        (Some((_, Remedy::Edit { edits: first, .. })), Some((place, Remedy::Edit { edits: second, title, makes }))) => {
            let edits = first.into_iter().chain(second).collect();
            (place, Remedy::Edit { title, edits, makes })
        }
        _ => apply(Some(version)).unwrap_or_else(|| {
            scripts.by_hand(app, &stated(app, Some(version)), "a block plugins at the top of the app's Gradle file")
        }),
    }
}

fn dependency(
    scripts: &Scripts<'_, '_>,
    module: &Module,
    name: &str,
    file: GradleFile,
    (configuration, version): (&str, Option<&str>),
) -> (Place, Remedy) {
    let app = scripts.app;
    let suffix = version.map(|version| format!(":{version}")).unwrap_or_default();
    let line = |file: FileId| scripts.call(file, configuration, &format!("{name}{suffix}"));
    let same = |source: &Source| matches!(source, Source::Artifact { group, name: artifact, .. } if format!("{group}:{artifact}") == name);
    if let Some(stated) = module.dependencies.iter().find(|dependency| same(&dependency.source)) {
        let steps = format!("Raise the version of {name} to {} or above.", version.unwrap_or_default());
        return (stated.place, Remedy::Manual(steps));
    }
    if file == GradleFile::App && configuration != "classpath" {
        let planned = scripts.put(&[Some(app)], &[&["dependencies"]], name, &line);
        return planned.unwrap_or_else(|| {
            // Without such a block the file gets one at its end.
            let text = scripts.text(app);
            let (end, break_) = (text.len(), newline_at(text, 0));
            let gap = if text.ends_with('\n') { "" } else { break_ };
            let block = format!("{gap}{break_}dependencies {{{break_}    {}{break_}}}{break_}", line(app));
            let remedy = Remedy::edit(format!("add {name}"), app, vec![Edit::insert(end, block)]);
            (Place { file: app, span: Span::at(end) }, remedy.making("the block dependencies"))
        });
    }
    let place = "the block dependencies under buildscript of the root Gradle file";
    let Some(root) = scripts.root else { return scripts.by_hand(app, &line(app), place) };
    // A class path without a version is none.
    if version.is_none() {
        return scripts.by_hand(root, &line(root), place);
    }
    if let Some(planned) = scripts.put(&[Some(root)], &[&["buildscript", "dependencies"]], name, &line) {
        return planned;
    }
    let text = scripts.text(root);
    let break_ = newline_at(text, 0);
    let title = format!("add {name}");
    let edits = match scripts.block(root, &["buildscript"]) {
        Some(block) => {
            let inside = block.inside.clone();
            let lines = ["dependencies {".to_owned(), format!("    {}", line(root)), "}".to_owned()];
            debug_assert!(!inside.contains('\n'));
            insert(text, &block, &lines)
        }
        // The block stands before all others.
        None => {
            let lines = [
                "buildscript {",
                "    repositories {",
                "        google()",
                "        mavenCentral()",
                "    }",
                "    dependencies {",
            ];
            let mut made: String = lines.iter().map(|line| format!("{line}{break_}")).collect();
            made.push_str(&format!("        {}{break_}    }}{break_}}}{break_}{break_}", line(root)));
            vec![Edit::insert(blocks::top(text), made)]
        }
    };
    let at = edits.first().map_or(0, |edit| edit.start);
    (Place { file: root, span: Span::at(at) }, Remedy::edit(title, root, edits).making("the block buildscript"))
}

fn plugin_repository(scripts: &Scripts<'_, '_>, address: &str) -> (Place, Remedy) {
    let line = |file| scripts.maven(file, address);
    let settings = scripts.put(&[scripts.settings], &[&["pluginManagement", "repositories"]], address, &line);
    let planned =
        settings.or_else(|| scripts.put(&[scripts.root], &[&["buildscript", "repositories"]], address, &line));
    planned.unwrap_or_else(|| {
        let file = scripts.settings.or(scripts.root).unwrap_or(scripts.app);
        scripts.by_hand(file, &line(file), "the repositories of pluginManagement in the settings")
    })
}
