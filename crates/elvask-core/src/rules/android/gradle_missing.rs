//! `gradle-missing`: a plugin needs a line of the build that is not there.

use elvask_markup::Edit;
use elvask_markup::xml::plan::{line_indent, newline_at};
use elvask_platform::{Platform, gradle};

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy};
use crate::gradle::{Module, Source};
use crate::requirement::{GradleFile, GradleLine, Kind, Need};
use crate::rules::support::who_needs;
use crate::rules::{About, Rule};
use crate::source::{FileId, Place};

/// See the module.
pub struct GradleMissing;

static ABOUT: About = About {
    id: "gradle-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a Gradle plugin, a dependency, a repository or a keep rule that a plugin needs and the build does not state.",
    effect: "The build stops, or what the line brings is missing on the device: a service that never starts, a class that the shrinker took out.",
    wrong: "plugins {\n    id 'com.android.application'\n}",
    right: "plugins {\n    id 'com.android.application'\n    id 'example.knot.services'\n}",
    remedy: "`fill` adds the line where the build has a plain place for it: a block of that name, or a file of keep rules. What has none is left to a person, with the line.",
    source: "Configure your build",
};

impl Rule for GradleMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(android) = &context.app.android else { return };
        let Some(module) = android.modules.first() else { return };
        for group in context.needs.groups(Kind::Gradle) {
            let Some(Need::Gradle { file, line }) = group.requirements.first().map(|one| &one.need) else { continue };
            let Some(build) = module.build_file else { continue };
            // Once something was added, the text tells, as the build is not read anew.
            let added = context.sources.all().zip(context.app.sources.all()).any(|(now, before)| {
                now.text != before.text && now.shown.contains(".gradle") && now.text.contains(group.name)
            });
            if added || is_there(context, module, group.name, *file, line) {
                continue;
            }
            let who = who_needs(context, group.requirements);
            let what = match line {
                GradleLine::Plugin { .. } => "Gradle plugin",
                GradleLine::Dependency { .. } => "dependency",
                GradleLine::Repository => "repository",
                GradleLine::KeepRule => "keep rule",
            };
            let message = format!("the {what} `{}` is not in the build, and {who} it", group.name);
            let (place, remedy) = planned(context, module, build, group.name, *file, line);
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(group.level())
                    .needed_by(context.app, group.requirements)
                    .mend(remedy),
            );
        }
    }
}

/// Says whether the build states a line.
fn is_there(context: &Context<'_>, module: &Module, name: &str, file: GradleFile, line: &GradleLine) -> bool {
    match line {
        // One that a script of the root or the settings applies is looked for as it is written.
        GradleLine::Plugin { .. } => {
            module.applied.iter().any(|applied| applied.id == name)
                || file != GradleFile::App && written_around(context, name)
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
            stated || classpath && written_around(context, name)
        }
        GradleLine::Repository => {
            let place = gradle::repository_place(name);
            module.repositories.iter().any(|(address, _)| gradle::repository_place(address) == place)
        }
        GradleLine::KeepRule => {
            let squeezed = |text: &str| text.split_whitespace().collect::<String>();
            let rule = squeezed(name);
            let files = context.app.android.iter().flat_map(|android| &android.keep_rules);
            files.into_iter().any(|file| squeezed(&context.sources.file(*file).text).contains(&rule))
        }
    }
}

/// Says whether a Gradle script that has been read holds a text.
fn written_around(context: &Context<'_>, text: &str) -> bool {
    context.sources.all().any(|file| {
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
fn planned(
    context: &Context<'_>,
    module: &Module,
    build: FileId,
    name: &str,
    file: GradleFile,
    line: &GradleLine,
) -> (Place, Remedy) {
    let source = context.sources.file(build);
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
            let text = &context.sources.file(file).text;
            let block = block_in(text, path)?;
            Some((Place { file, span: block.head }, insert(file, text, &block, line, name)))
        })
    };
    let folder =
        source.shown.rsplit_once('/').and_then(|(module, _)| module.rsplit_once('/')).map_or("", |(root, _)| root);
    let beside = |stem: &str| {
        let full = if folder.is_empty() { stem.to_owned() } else { format!("{folder}/{stem}") };
        context.sources.find(|shown| shown == full || shown == format!("{full}.kts"))
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
        GradleLine::KeepRule => match context.app.android.as_ref().and_then(|android| android.keep_rules.first()) {
            Some(rules) => {
                let text = &context.sources.file(*rules).text;
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

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "gradle-missing";

    #[test]
    fn plugins_and_dependencies_are_added_behind_the_others() {
        let build = "plugins {\n    id 'com.android.application'\n}\nandroid {\n    namespace 'example.marram'\n}\ndependencies {\n    implementation 'example.wrack:dates:1.0.4'\n}\n";
        let app = Fixture::android("    <application/>\n")
            .build(build)
            .needs("knot_banner", "android.gradle = { file = 'app', plugin = 'example.knot.services' }")
            .needs(
                "avocet_checkout",
                "android.gradle = { file = 'app', dependency = 'example.avocet:checkout:2.0.0' }",
            );
        assert_eq!(app.found(ID), ["error example.knot.services 1:1", "error example.avocet:checkout 7:1"]);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = &filled.sources.file(filled.changed[0]).text;
        assert_eq!(
            text.as_ref(),
            build
                .replace("application'\n}", "application'\n    id 'example.knot.services'\n}")
                .replace("1.0.4'\n", "1.0.4'\n    implementation 'example.avocet:checkout:2.0.0'\n")
        );
        assert!(filled.left.findings.iter().all(|finding| finding.rule.id != ID));
    }

    #[test]
    fn a_repository_goes_where_the_others_are() {
        let settings =
            "dependencyResolutionManagement {\n    repositories {\n        google()\n    }\n}\ninclude ':app'\n";
        let app = Fixture::android("    <application/>\n").file("android/settings.gradle", settings).needs(
            "avocet_checkout",
            "android.gradle = { file = 'root', repository = 'https://maven.avocet.example/releases' }",
        );
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert_eq!(
            filled.sources.file(filled.changed[0]).text.as_ref(),
            settings.replace("google()\n", "google()\n        maven { url 'https://maven.avocet.example/releases' }\n")
        );
    }

    #[test]
    fn a_file_without_dependencies_gets_a_block() {
        let build = "plugins { id 'com.android.application' }\n";
        let app = Fixture::android("    <application/>\n").build(build);
        let app = app.needs("p", "android.gradle = { dependency = 'example.avocet:checkout:2.0.0' }");
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = &filled.sources.file(filled.changed[0]).text;
        assert_eq!(
            text.as_ref(),
            format!("{build}\ndependencies {{\n    implementation 'example.avocet:checkout:2.0.0'\n}}\n")
        );
    }

    #[test]
    fn a_repository_is_left_to_a_person_and_a_keep_rule_is_looked_for() {
        let app = Fixture::android("    <application/>\n").needs(
            "avocet_checkout",
            "android.gradle = { file = 'root', repository = 'https://maven.avocet.example/releases' }",
        );
        let finding = app.findings(ID).remove(0);
        assert!(
            finding.remedy.text().contains("maven { url 'https://maven.avocet.example/releases' }"),
            "{:?}",
            finding.remedy
        );
        let rule = "-keep class example.knot.** { *; }";
        let build = "plugins { id 'com.android.application' }\nandroid {\n  buildTypes {\n    release {\n      proguardFiles 'rules.pro'\n    }\n  }\n}\n";
        let app = Fixture::android("    <application/>\n").build(build).file("android/app/rules.pro", "# none\n");
        let app = app.needs("knot_banner", &format!("android.gradle = {{ keep-rule = '{rule}' }}"));
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert_eq!(filled.sources.file(filled.changed[0]).text.as_ref(), format!("# none\n{rule}\n"));
    }
}
