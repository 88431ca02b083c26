//! One module's build file.

mod dependencies;

use std::borrow::Cow;
use std::path::{Path, PathBuf};

use dependencies::{dependencies, placeholder, placeholders};
use elvask_markup::gradle::{Argument, Expr, ExprKind, Segment, Statement, path_name};

use super::values::{Names, Scope, Value};
use super::{Applied, Config, Dependency, Module, ModuleKind, Script, Source, Stated, Workspace, build_file, script};
use crate::files::normal;
use crate::loading::Loading;
use crate::source::Place;

/// The most scripts that one script may pull in.
const MAX_APPLIED: usize = 20;

/// A statement with the blocks around it: `android`, `productFlavors`, `free`.
struct Flat<'s> {
    blocks: Vec<Block<'s>>,
    script: &'s Script,
    statement: &'s Statement,
}

#[derive(Clone)]
struct Block<'s> {
    /// The name of the block, or the text that names what it makes: `create("free")`.
    name: Cow<'s, str>,
    statement: &'s Statement,
}

/// Wrappers that change nothing about what is inside.
const WRAPPERS: [&str; 5] = ["afterEvaluate", "project.afterEvaluate", "allprojects", "buildscript", "extensions"];

/// What makes or finds a named thing in a container.
const MAKERS: [&str; 6] = ["create", "register", "getByName", "maybeCreate", "named", "creating"];

/// Lays the statements of a script out flat, with dotted names as blocks.
fn flatten<'s>(script: &'s Script) -> Vec<Flat<'s>> {
    let mut out = Vec::new();
    walk(script, &script.statements, &[], &mut out);
    out
}

fn walk<'s>(script: &'s Script, statements: &'s [Statement], blocks: &[Block<'s>], out: &mut Vec<Flat<'s>>) {
    for statement in statements {
        let mut around = blocks.to_vec();
        let last = statement.last();
        // All before the last name: an index behind it belongs to it.
        let named = statement.path.iter().rposition(|segment| segment.name().is_some()).unwrap_or_default();
        let steps = statement.path.iter().take(named);
        for segment in steps {
            let name = match segment {
                Segment::Call(name, arguments) if MAKERS.contains(&name.as_str()) => {
                    let named = arguments.first().and_then(|argument| argument.value.as_text());
                    named.map_or(Cow::Borrowed(name.as_str()), Cow::Owned)
                }
                Segment::Name(name) => Cow::Borrowed(name.as_str()),
                Segment::Call(..) | Segment::Index(_) => continue,
            };
            if name != "project" && name != "rootProject" {
                around.push(Block { name, statement });
            }
        }
        if let Some(block) = made_by(statement) {
            around.push(Block { name: last.into(), statement });
            walk(script, block, &around, out);
        } else if let Some(block) = &statement.block {
            out.push(Flat { blocks: around.clone(), script, statement });
            let named = statement.arguments.first().and_then(|argument| argument.value.as_text());
            let name = match (last, named) {
                ("configure", named) => Some(named.map_or("android".into(), Cow::Owned)),
                (maker, Some(named)) if MAKERS.contains(&maker) => Some(named.into()),
                _ if WRAPPERS.contains(&statement.name().as_str()) => None,
                _ => Some(last.into()),
            };
            around.extend(name.map(|name| Block { name, statement }));
            walk(script, block, &around, out);
        } else {
            out.push(Flat { blocks: around, script, statement });
        }
    }
}

/// Returns the block of `val free by creating { … }`, which makes a thing named by the variable.
fn made_by(statement: &Statement) -> Option<&[Statement]> {
    let ExprKind::Path(path) = &statement.value.as_ref()?.value.kind else { return None };
    match path.as_slice() {
        [Segment::Call(name, arguments)] if name == "creating" || name == "getting" => {
            match &arguments.last()?.value.kind {
                ExprKind::Block(block) => Some(block),
                _ => None,
            }
        }
        _ => None,
    }
}

impl Flat<'_> {
    fn is_in(&self, names: &[&str]) -> bool {
        self.blocks.len() == names.len() && self.blocks.iter().zip(names).all(|(block, name)| block.name == *name)
    }

    /// Returns what follows these outer blocks: the names of the inner ones.
    fn inside(&self, names: &[&str]) -> Option<&[Block<'_>]> {
        let matches = self.blocks.iter().zip(names).filter(|(block, name)| block.name == **name).count();
        if matches == names.len() { self.blocks.get(names.len()..) } else { None }
    }

    fn last(&self) -> &str {
        self.statement.last()
    }

    /// Returns the one value that the statement sets or is called with.
    fn value(&self) -> Option<&Expr> {
        match &self.statement.value {
            Some(assigned) => Some(&assigned.value),
            None => self.statement.arguments.first().filter(|one| one.name.is_none()).map(|one| &one.value),
        }
    }

    fn conditional(&self) -> bool {
        self.statement.conditional || self.blocks.iter().any(|block| block.statement.conditional)
    }
}

struct Reading<'a> {
    workspace: &'a Workspace,
    names: Names,
}

impl Reading<'_> {
    fn scope(&self, flat: &Flat<'_>) -> Scope<'_> {
        Scope { workspace: self.workspace, names: &self.names, file: flat.script.file }
    }

    fn stated<T>(&self, flat: &Flat<'_>, read: impl Fn(&Value) -> Option<T>) -> Option<Stated<T>> {
        let expr = flat.value()?;
        Some(self.scope(flat).stated(&flat.script.text, expr, flat.conditional(), read))
    }

    fn place(&self, flat: &Flat<'_>) -> Place {
        Place { file: flat.script.file, span: flat.statement.span }
    }
}

/// Returns the modules that a settings file includes, with their folders.
pub(super) fn included(settings: &Script, root: &Path) -> Vec<(String, PathBuf)> {
    let mut modules: Vec<(String, PathBuf)> = Vec::new();
    for flat in flatten(settings) {
        if flat.blocks.is_empty() && flat.last() == "include" {
            for argument in &flat.statement.arguments {
                let listed = match &argument.value.kind {
                    ExprKind::List(values) => values.iter().filter_map(Expr::as_text).collect(),
                    _ => argument.value.as_text().into_iter().collect::<Vec<_>>(),
                };
                for name in listed {
                    let name = format!(":{}", name.trim_start_matches(':'));
                    let inside = name.trim_start_matches(':').replace(':', "/");
                    modules.push((name, normal(&root.join(inside))));
                }
            }
        }
        // project(':core').projectDir = file('../core')
        if let [Segment::Call(project, arguments), Segment::Name(property)] = flat.statement.path.as_slice()
            && project == "project"
            && property == "projectDir"
            && let Some(name) = arguments.first().and_then(|argument| argument.value.as_text())
            && let Some(folder) = flat.value().and_then(|value| folder_of(value, &settings.text))
        {
            for (_, at) in modules.iter_mut().filter(|(known, _)| *known == name) {
                *at = normal(&root.join(&folder));
            }
        }
    }
    modules
}

/// Returns the folder in `file('x')`, `new File(settingsDir, 'x')`, `File(rootDir, "x")`.
fn folder_of(value: &Expr, text: &str) -> Option<String> {
    match &value.kind {
        ExprKind::Path(path) => match path.as_slice() {
            [Segment::Call(name, arguments)] if name == "file" || name == "File" => arguments.last()?.value.as_text(),
            _ => None,
        },
        ExprKind::Other => {
            let inside = value.span.of(text).strip_prefix("new File(")?.strip_suffix(')')?;
            let last = inside.rsplit(',').next()?.trim();
            let plain = last.trim_matches(['"', '\'']);
            (plain.len() + 2 == last.len() && !plain.contains('$')).then(|| plain.to_owned())
        }
        _ => None,
    }
}

/// Gathers the repositories that a script names.
pub(super) fn repositories(workspace: &Workspace, script: &Script, out: &mut Vec<(String, Place)>) {
    let reading = Reading { workspace, names: Names::default() };
    for flat in flatten(script) {
        let Some(at) = flat.blocks.iter().rposition(|block| block.name == "repositories") else { continue };
        let deeper = flat.blocks.len() - at - 1;
        let name = flat.last();
        let place = reading.place(&flat);
        let address = || {
            let value = flat.value().map(|expr| reading.scope(&flat).value(expr).value)?;
            value.text()
        };
        if deeper == 0 && name == "maven" && flat.statement.block.is_none() {
            out.extend(address().or_else(|| named_argument(&flat, &reading, "url")).map(|address| (address, place)));
        } else if deeper == 0 && flat.statement.block.is_none() {
            out.push((name.to_owned(), place));
        } else if deeper == 1 && matches!(name, "url" | "setUrl") {
            out.extend(address().map(|address| (address, place)));
        }
    }
}

fn named_argument(flat: &Flat<'_>, reading: &Reading<'_>, name: &str) -> Option<String> {
    let argument = flat.statement.arguments.iter().find(|argument| argument.name.as_deref() == Some(name))?;
    reading.scope(flat).value(&argument.value).value.text()
}

/// Returns a script and those that it pulls in with `apply from:`, in the order in which they take effect.
pub(super) fn with_applied(loading: &mut Loading<'_>, workspace: &Workspace, first: Script) -> Vec<Script> {
    let mut scripts = Vec::new();
    let mut seen = vec![loading.path(first.file).to_owned()];
    pull_in(loading, workspace, first, &mut seen, &mut scripts);
    scripts
}

/// Takes in a script behind those that it pulls in. `seen` are those that were begun, so that none is taken in twice, and a circle ends.
fn pull_in(
    loading: &mut Loading<'_>,
    workspace: &Workspace,
    script_: Script,
    seen: &mut Vec<PathBuf>,
    out: &mut Vec<Script>,
) {
    let folder = loading.path(script_.file).parent().unwrap_or(&workspace.root).to_owned();
    let mut wanted = Vec::new();
    for flat in flatten(&script_) {
        let from = flat.statement.arguments.iter().find(|argument| argument.name.as_deref() == Some("from"));
        let Some(from) = from.filter(|_| flat.last() == "apply") else { continue };
        let text = match &from.value.kind {
            ExprKind::Path(path) => match path.as_slice() {
                [.., Segment::Call(name, arguments)] if name == "file" => {
                    arguments.first().and_then(|one| one.value.as_text())
                }
                _ => None,
            },
            _ => None,
        };
        let root = path_of_root(&from.value, &script_.text);
        if let Some(path) = text
            .or_else(|| from.value.as_text())
            .map(|path| folder.join(path))
            .or(root.map(|path| workspace.root.join(path)))
        {
            wanted.push(normal(&path));
        }
    }
    for path in wanted {
        // A script outside the app belongs to a tool, and says nothing about this app in so many words.
        if !seen.contains(&path)
            && seen.len() <= MAX_APPLIED
            && path.starts_with(&loading.root)
            && loading.files.is_file(&path)
            && !path.components().any(|part| part.as_os_str() == "node_modules")
            && let Some(applied) = script(loading, &path)
        {
            seen.push(path);
            pull_in(loading, workspace, applied, seen, out);
        }
    }
    out.push(script_);
}

/// Returns the path in `"$rootDir/versions.gradle"`, relative to the root of the build.
fn path_of_root(value: &Expr, text: &str) -> Option<String> {
    let inside = value.span.of(text).trim_matches(['"', '\'']);
    let prefixes = ["$rootDir/", "${rootDir}/", "$rootProject.projectDir/", "${rootProject.projectDir}/"];
    let rest = prefixes.iter().find_map(|prefix| inside.strip_prefix(prefix))?;
    (!rest.contains('$')).then(|| rest.to_owned())
}

/// Reads the module in a folder.
pub(super) fn read(loading: &mut Loading<'_>, workspace: &Workspace, folder: &Path) -> Module {
    let own = build_file(loading.files, folder).and_then(|path| script(loading, &path));
    let file = own.as_ref().map(|own| own.file);
    let scripts = own.map(|own| with_applied(loading, workspace, own)).unwrap_or_default();
    Module { build_file: file, ..of(workspace, folder, scripts) }
}

/// Reads the module that these scripts describe, in the order in which they take effect; the last is its build file.
pub(super) fn of(workspace: &Workspace, folder: &Path, scripts: Vec<Script>) -> Module {
    let mut module = Module {
        name: workspace.name_of(folder),
        folder: folder.to_owned(),
        build_file: None,
        kind: ModuleKind::Other,
        namespace: Stated::default(),
        compile_level: Stated::default(),
        default: Config::default(),
        build_types: ["debug", "release"].map(|name| Config { name: name.to_owned(), ..Config::default() }).to_vec(),
        flavors: Vec::new(),
        dimensions: Vec::new(),
        manifests: Vec::new(),
        applied: Vec::new(),
        repositories: workspace.repositories.clone(),
        dependencies: Vec::new(),
    };
    module.build_file = scripts.last().map(|script| script.file);
    let reading = Reading { workspace, names: Names::of(workspace, &scripts) };
    for script in &scripts {
        repositories(workspace, script, &mut module.repositories);
        for flat in flatten(script) {
            plugins(&reading, &flat, &mut module);
            android(&reading, &flat, &mut module, folder);
            dependencies(&reading, &flat, &mut module);
        }
    }
    let id = |module: &Module, id: &str| module.applied.iter().any(|applied| applied.id == id);
    module.kind = if id(&module, "com.android.application") {
        ModuleKind::App
    } else if id(&module, "com.android.library") {
        ModuleKind::Library
    } else if id(&module, "com.android.dynamic-feature") {
        ModuleKind::Feature
    } else {
        ModuleKind::Other
    };
    module
}

fn plugins(reading: &Reading<'_>, flat: &Flat<'_>, module: &mut Module) {
    let place = reading.place(flat);
    let applies = |words: &[(String, Expr)]| {
        !words.iter().any(|(word, value)| word == "apply" && value.kind == ExprKind::Bool(false))
    };
    let version = |flat: &Flat<'_>| {
        let (_, value) = flat.statement.modifiers.iter().find(|(word, _)| word == "version")?;
        reading.scope(flat).value(value).value.text()
    };
    if flat.is_in(&["plugins"]) && applies(&flat.statement.modifiers) {
        let argument = flat.value();
        match flat.last() {
            "id" => {
                if let Some(id) = argument.and_then(Expr::as_text) {
                    module.applied.push(Applied { id, version: version(flat), place });
                }
            }
            "kotlin" => {
                if let Some(id) = argument.and_then(Expr::as_text) {
                    module.applied.push(Applied {
                        id: format!("org.jetbrains.kotlin.{id}"),
                        version: version(flat),
                        place,
                    });
                }
            }
            "alias" => {
                let Some(ExprKind::Path(path)) = argument.map(|value| &value.kind) else { return };
                let name = path_name(path);
                let Some((catalog, rest)) = name.split_once(".plugins.") else { return };
                let found = reading.scope(flat).catalog(catalog).and_then(|catalog| catalog.plugin(rest));
                // A catalog that is not in the tree still names what it means.
                let guessed =
                    ["android.application", "androidApplication"].contains(&rest).then_some("com.android.application");
                let guessed = guessed
                    .or_else(|| ["android.library", "androidLibrary"].contains(&rest).then_some("com.android.library"));
                if let Some((id, version)) = found.or_else(|| Some((guessed?, None))) {
                    module.applied.push(Applied { id: id.to_owned(), version, place });
                }
            }
            // A precompiled plugin of the build itself, in backquotes, or a script plugin.
            other if flat.statement.arguments.is_empty() && !other.is_empty() => {
                module.applied.push(Applied { id: other.to_owned(), version: None, place });
            }
            _ => {}
        }
    } else if flat.blocks.is_empty() && flat.last() == "apply" {
        let named =
            |name: &str| flat.statement.arguments.iter().find(|argument| argument.name.as_deref() == Some(name));
        if let Some(from) = named("from") {
            let id = from.value.span.of(&flat.script.text).to_owned();
            module.applied.push(Applied { id, version: None, place });
        }
        if let Some(id) = named("plugin").and_then(|argument: &Argument| argument.value.as_text()) {
            module.applied.push(Applied { id, version: None, place });
        }
    }
}

/// The names of settings in their old and new spellings; a setter may stand for each.
fn is(name: &str, spellings: &[&str]) -> bool {
    spellings.iter().any(|spelling| {
        let setter = name.strip_prefix("set").filter(|rest| {
            rest.len() == spelling.len()
                && rest.get(1..) == spelling.get(1..)
                && rest.starts_with(|c: char| c.is_uppercase())
        });
        name == *spelling || setter.is_some()
    })
}

fn android(reading: &Reading<'_>, flat: &Flat<'_>, module: &mut Module, folder: &Path) {
    let Some(inner) = flat.inside(&["android"]) else { return };
    let name = flat.last();
    let inner: Vec<_> = inner.iter().map(|block| &*block.name).collect();
    match inner.as_slice() {
        [] if is(name, &["namespace"]) => set(&mut module.namespace, reading.stated(flat, Value::text)),
        [] if is(name, &["compileSdk", "compileSdkVersion"]) => set(&mut module.compile_level, level(reading, flat)),
        ["compileSdk"] if name == "version" => set(&mut module.compile_level, reading.stated(flat, Value::number)),
        [] if name == "flavorDimensions" => {
            for value in flat
                .statement
                .arguments
                .iter()
                .map(|argument| &argument.value)
                .chain(flat.statement.value.as_ref().map(|assigned| &assigned.value))
            {
                match reading.scope(flat).value(value).value {
                    Value::Text(name) => module.dimensions.push(name),
                    Value::List(values) => {
                        module.dimensions.extend(values.iter().filter_map(|value| value.value.text()));
                    }
                    _ => {}
                }
            }
        }
        // flavorDimensions.add("tier")
        ["flavorDimensions"] => {
            let values = flat.statement.arguments.iter().filter_map(|argument| argument.value.as_text());
            module.dimensions.extend(values);
        }
        ["defaultConfig", rest @ ..] => config(reading, flat, rest, &mut module.default),
        [container @ ("buildTypes" | "productFlavors"), rest @ ..] => {
            let list = if *container == "buildTypes" { &mut module.build_types } else { &mut module.flavors };
            match rest {
                [] => {
                    let named = flat.statement.arguments.first().and_then(|argument| argument.value.as_text());
                    let made = match (MAKERS.contains(&name), named, flat.statement.block.is_some()) {
                        (true, Some(named), _) => Some(named),
                        (false, _, true)
                            if !matches!(name, "all" | "each" | "forEach" | "configureEach" | "whenObjectAdded") =>
                        {
                            Some(name.to_owned())
                        }
                        _ => None,
                    };
                    if let Some(name) = made {
                        named_config(list, &name).place.get_or_insert(reading.place(flat));
                    }
                }
                [all, rest @ ..] if matches!(*all, "all" | "each" | "configureEach" | "forEach") => {
                    for one in list.iter_mut() {
                        config(reading, flat, rest, one);
                    }
                }
                [one, rest @ ..] => config(reading, flat, rest, named_config(list, one)),
            }
        }
        ["sourceSets", set, rest @ ..] => {
            let (mut rest, mut file) = (rest.to_vec(), None);
            let value = || flat.value().and_then(|value| reading.scope(flat).value(value).value.text());
            rest.push(name);
            match rest.as_slice() {
                ["manifest", "srcFile" | "setSrcFile"] => file = value().map(|path| normal(&folder.join(path))),
                ["setRoot" | "root"] => {
                    file = value().map(|path| normal(&folder.join(path).join("AndroidManifest.xml")));
                }
                _ => {}
            }
            module.manifests.extend(file.map(|file| ((*set).to_owned(), file)));
        }
        _ => {}
    }
}

fn named_config<'c>(list: &'c mut Vec<Config>, name: &str) -> &'c mut Config {
    let at = list.iter().position(|config| config.name == name).unwrap_or_else(|| {
        list.push(Config { name: name.to_owned(), ..Config::default() });
        list.len() - 1
    });
    #[expect(clippy::indexing_slicing, reason = "the position was just found or made")]
    &mut list[at]
}

fn set<T>(slot: &mut Stated<T>, value: Option<Stated<T>>) {
    if let Some(value) = value {
        *slot = value;
    }
}

/// Reads a level: a number, or `android-34`.
fn level(reading: &Reading<'_>, flat: &Flat<'_>) -> Option<Stated<u32>> {
    reading.stated(flat, |value| {
        value.number().or_else(|| value.text()?.strip_prefix("android-").and_then(|level| level.parse().ok()))
    })
}

/// Returns the name in `signingConfigs.debug`, `signingConfigs["debug"]` and `signingConfigs.getByName("debug")`.
fn signing_name(text: &str) -> Option<String> {
    let rest = text.trim().strip_prefix("signingConfigs")?;
    let called =
        ["getByName(", "findByName(", "named("].iter().find_map(|call| rest.strip_prefix('.')?.strip_prefix(call));
    let name = match called.or_else(|| rest.strip_prefix('[')) {
        Some(inside) => inside.trim_end_matches([')', ']']).trim().trim_matches(['"', '\'']),
        None => rest.strip_prefix('.')?,
    };
    let plain = !name.is_empty() && name.chars().all(|letter| letter.is_alphanumeric() || letter == '_');
    plain.then(|| name.to_owned())
}

fn config(reading: &Reading<'_>, flat: &Flat<'_>, inner: &[&str], config: &mut Config) {
    let name = flat.last();
    match inner {
        [] if is(name, &["applicationId"]) => set(&mut config.id, reading.stated(flat, Value::text)),
        [] if is(name, &["applicationIdSuffix"]) => set(&mut config.id_suffix, reading.stated(flat, Value::text)),
        [] if is(name, &["minSdk", "minSdkVersion"]) => set(&mut config.min_level, level(reading, flat)),
        [] if is(name, &["targetSdk", "targetSdkVersion"]) => set(&mut config.target_level, level(reading, flat)),
        ["minSdk"] if name == "version" => set(&mut config.min_level, reading.stated(flat, Value::number)),
        ["targetSdk"] if name == "version" => set(&mut config.target_level, reading.stated(flat, Value::number)),
        [] if is(name, &["versionName"]) => set(&mut config.version_name, reading.stated(flat, Value::text)),
        [] if is(name, &["versionNameSuffix"]) => set(&mut config.version_suffix, reading.stated(flat, Value::text)),
        [] if is(name, &["versionCode"]) => set(&mut config.version_code, reading.stated(flat, Value::number)),
        [] if is(name, &["dimension"]) => {
            config.dimension = flat.value().and_then(|value| reading.scope(flat).value(value).value.text());
        }
        [] if is(name, &["minifyEnabled", "isMinifyEnabled"]) => {
            set(&mut config.shrinks, reading.stated(flat, Value::flag));
        }
        [] if is(name, &["signingConfig"]) => {
            // What is chosen while it builds is not known.
            let named = flat.value().filter(|_| !flat.conditional()).and_then(|value| {
                signing_name(value.span.of(&flat.script.text)).map(|name| (name, reading.place(flat)))
            });
            config.signing = named;
        }
        [] if matches!(name, "proguardFiles" | "proguardFile" | "setProguardFiles") => {
            for argument in &flat.statement.arguments {
                // The platform's own rules come along by a call, not by a file of the app.
                if !argument.value.span.of(&flat.script.text).starts_with("getDefault") {
                    let rules =
                        reading.scope(flat).stated(&flat.script.text, &argument.value, flat.conditional(), Value::text);
                    config.keep_rules.push(rules);
                }
            }
        }
        [] if matches!(name, "manifestPlaceholders" | "addManifestPlaceholders" | "setManifestPlaceholders") => {
            placeholders(reading, flat, config);
        }
        ["manifestPlaceholders"] => {
            let arguments = &flat.statement.arguments;
            let key = arguments.first().and_then(|argument| argument.value.as_text());
            match (name, key, arguments.get(1), &flat.statement.value) {
                ("put" | "set", Some(key), Some(value), _) => placeholder(reading, flat, config, key, &value.value),
                ("putAll" | "set", _, _, _) => placeholders(reading, flat, config),
                (name, _, _, Some(assigned)) => placeholder(reading, flat, config, name.to_owned(), &assigned.value),
                _ => {}
            }
        }
        _ => {}
    }
}
