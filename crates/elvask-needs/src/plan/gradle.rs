//! Planning lines of Gradle files, and finding those that are there.

use elvask_markup::Edit;
use elvask_markup::xml::plan::{line_indent, newline_at};
use elvask_platform::gradle;
use elvask_project::gradle::{Module, Source};
use elvask_project::scene::Scene;
use elvask_project::source::{FileId, Place};

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
        (file.shown.ends_with(".gradle") || file.shown.ends_with(".gradle.kts"))
            && !file.shown.contains("node_modules")
            && file.text.contains(text)
    })
}

/// Says whether a version is lower than another one, number by number; what is no number counts as not lower.
fn is_lower(version: &str, least: &str) -> bool {
    let numbers = |text: &str| text.split(['.', '-']).map_while(|part| part.parse().ok()).collect::<Vec<u32>>();
    let (version, least) = (numbers(version), numbers(least));
    !version.is_empty() && version < least
}

/// Returns where a line goes and what puts it there.
// In one piece: one arm for each line of a build, which share how a call and a quote are written.
pub(crate) fn planned(
    scene: &Scene<'_>,
    module: &Module,
    build: FileId,
    name: &str,
    file: GradleFile,
    line: &GradleLine,
) -> (Place, Remedy) {
    let source = scene.sources.file(build);
    let top = Place { file: build, span: elvask_markup::Span::at(0) };
    let kotlin = source.shown.ends_with(".kts");
    let quoted = |text: &str| if kotlin { format!("\"{text}\"") } else { format!("'{text}'") };
    let call = |word: &str, text: &str| {
        if kotlin { format!("{word}({})", quoted(text)) } else { format!("{word} {}", quoted(text)) }
    };
    let by_hand = |text: &str, place: &str| (top, Remedy::Manual(format!("Add to {place}: {text}")));
    // Returns what adds a line to the first of some blocks that there is, in the first of some files.
    let into = |files: &[Option<FileId>], paths: &[&[&str]], line: &str| {
        let candidates = files.iter().flatten().flat_map(|file| paths.iter().map(move |path| (*file, *path)));
        candidates.into_iter().find_map(|(file, path)| {
            let text = &scene.sources.file(file).text;
            let block = block_in(text, path)?;
            Some((Place { file, span: block.head }, insert(file, text, &block, line, name)))
        })
    };
    let folder =
        source.shown.rsplit_once('/').and_then(|(module, _)| module.rsplit_once('/')).map_or("", |(root, _)| root);
    let beside = |stem: &str| {
        let full = if folder.is_empty() { stem.to_owned() } else { format!("{folder}/{stem}") };
        scene.sources.find(|shown| shown == full || shown == format!("{full}.kts"))
    };
    let (root, settings) = (beside("build.gradle"), beside("settings.gradle"));
    match line {
        GradleLine::Plugin { version } => {
            let version = version.as_ref().map(|version| format!(" version {}", quoted(version))).unwrap_or_default();
            if file != GradleFile::App {
                let text = format!("{}{version} apply false", call("id", name));
                let planned = match file {
                    GradleFile::Settings => into(&[settings], &[&["pluginManagement", "plugins"], &["plugins"]], &text),
                    _ => into(&[root], &[&["plugins"]], &text),
                };
                return planned.unwrap_or_else(|| {
                    by_hand(&text, &format!("the block plugins of the {} Gradle file", file.word()))
                });
            }
            let text = call("id", name);
            let alone =
                if kotlin { format!("plugins {{ {text} }}") } else { format!("apply plugin: {}", quoted(name)) };
            into(&[Some(build)], &[&["plugins"]], &text).unwrap_or_else(|| by_hand(&alone, &source.shown))
        }
        GradleLine::Dependency { configuration, version } => {
            let version = version.as_ref().map(|version| format!(":{version}")).unwrap_or_default();
            let text = call(configuration, &format!("{name}{version}"));
            let same = |source: &Source| matches!(source, Source::Artifact { group, name: artifact, .. } if format!("{group}:{artifact}") == name);
            if let Some(stated) = module.dependencies.iter().find(|dependency| same(&dependency.source)) {
                let steps = format!("Raise the version of {name} to{} or above.", version.replace(':', " "));
                return (stated.place, Remedy::Manual(steps));
            }
            if file != GradleFile::App {
                return into(&[root], &[&["buildscript", "dependencies"]], &text).unwrap_or_else(|| {
                    by_hand(&text, "the block dependencies under buildscript of the root Gradle file")
                });
            }
            into(&[Some(build)], &[&["dependencies"]], &text).unwrap_or_else(|| {
                // Without such a block the file gets one at its end.
                let end = source.text.len();
                let break_ = newline_at(&source.text, 0);
                let gap = if source.text.ends_with('\n') { "" } else { break_ };
                let block = format!("{gap}{break_}dependencies {{{break_}    {text}{break_}}}{break_}");
                let remedy = Remedy::edit(format!("add {name}"), build, vec![Edit::insert(end, block)]);
                (Place { file: build, span: elvask_markup::Span::at(end) }, remedy.making("the block dependencies"))
            })
        }
        GradleLine::Repository => {
            let text = if kotlin { format!("maven(\"{name}\")") } else { format!("maven {{ url '{name}' }}") };
            let paths: [&[&str]; 2] =
                [&["dependencyResolutionManagement", "repositories"], &["allprojects", "repositories"]];
            into(&[settings, root], &paths, &text).unwrap_or_else(|| {
                by_hand(&text, "the repositories in the settings, or in allprojects of the root Gradle file")
            })
        }
        GradleLine::KeepRule => match scene.app.android.as_ref().and_then(|android| android.keep_rules.first()) {
            Some(rules) => {
                let text = &scene.sources.file(*rules).text;
                let break_ = newline_at(text, 0);
                let gap = if text.is_empty() || text.ends_with('\n') { "" } else { break_ };
                let edit = Edit::insert(text.len(), format!("{gap}{name}{break_}"));
                let place = Place { file: *rules, span: elvask_markup::Span::at(text.len()) };
                (place, Remedy::edit("add the keep rule", *rules, vec![edit]).making("a keep rule"))
            }
            None => by_hand(name, "the file of keep rules that proguardFiles of the release build type names"),
        },
    }
}

/// A block of a script.
struct Block {
    /// Its name.
    head: elvask_markup::Span,
    /// The byte at which its last line starts, that of the closing bracket.
    end: usize,
    inside: String,
}

/// Finds a block by its name and those of the blocks around it, whose closing bracket stands on a line of its own.
fn block_in(text: &str, path: &[&str]) -> Option<Block> {
    let mut start = 0;
    let mut open: Vec<(String, elvask_markup::Span)> = Vec::new();
    let mut inside: Option<String> = None;
    for line in text.split_inclusive('\n') {
        let (at, content) = (start + line.len() - line.trim_start().len(), line.trim());
        start += line.len();
        let depth = open.len();
        let is_path = |open: &[(String, elvask_markup::Span)]| {
            open.len() == path.len() && open.iter().zip(path).all(|((name, _), wanted)| name == wanted)
        };
        if content == "}" || content.starts_with("} ") || content == "})" {
            if is_path(&open) {
                let (_, head) = open.last()?;
                let end = at - (line.len() - line.trim_start().len());
                let space = line_indent(text, at);
                return Some(Block { head: *head, end, inside: inside.unwrap_or_else(|| format!("{space}    ")) });
            }
            open.pop();
        } else if is_path(&open) && !content.is_empty() && depth == path.len() {
            inside = Some(line_indent(text, at).to_owned());
        }
        if content.ends_with('{') {
            let name = content.split(['{', '(', ' ']).next().unwrap_or_default().to_owned();
            let span = elvask_markup::Span::new(at, at + name.len());
            open.push((name, span));
        }
    }
    None
}

fn insert(file: FileId, text: &str, block: &Block, line: &str, name: &str) -> Remedy {
    let new = format!("{}{line}{}", block.inside, newline_at(text, block.end));
    Remedy::edit(format!("add {name}"), file, vec![Edit::insert(block.end, new)]).making("a line of a Gradle block")
}
