//! `elvask sheet`: what is known of each plugin, and the documents that state it.

use std::io::Read as _;
use std::path::{Path, PathBuf};

use elvask_core::app::{App, Look, SheetOrigin};
use elvask_core::finding::Finding;
use elvask_core::known::{Known, KnownRequirement, of_app, of_package, of_plugin};
use elvask_core::{Platform, rules};
use elvask_needs::evidence::{Evidence, learn, learn_from_notes};
use elvask_needs::remedy::Remedy;
use elvask_needs::sheet::{FILE_NAME, Sheet, schema, write};
use elvask_platform::Strength;
use elvask_project::files::{Disk, Files as _, normal};
use elvask_project::source::{Place, Sources};

use super::{Done, Outcome, current_folder, load_with};
use crate::options::sheet::{SheetAction, SheetDraft};
use crate::options::{AppChoice, AppOptions, Format};
use crate::output::{Failure, Output};
use crate::render::style::{FAINT, GOOD, HEADING, NOTE, WARNING, paint};
use crate::render::{clean, columns, snippet};
use crate::writing::with_steps;
use elvask_project::write::write_new;
use elvask_record::{FORMAT, FindingRecord, KnownRecord, SheetCheckRecord, SheetListRecord, when};

/// The most bytes of notes that are read from elsewhere.
const MAX_NOTES: u64 = 2 * 1024 * 1024;

pub(crate) fn run(action: &SheetAction, output: &Output) -> Done {
    match action {
        SheetAction::List(options) => list(options, output),
        SheetAction::Show { plugin, app } => show(plugin, app, output),
        SheetAction::Draft(options) => draft(options, output),
        SheetAction::Check { files, app } => check(files, app, output),
        SheetAction::Schema => {
            output.result(&format!("{}\n", serde_json::to_string_pretty(&schema()).unwrap_or_default()));
            Ok(Outcome::Clean)
        }
    }
}

fn list(options: &AppOptions, output: &Output) -> Done {
    let app = load_with(&options.choice, Look::All, output)?;
    let known = of_app(&app);
    if options.format == Format::Json {
        output.json(&SheetListRecord { format: FORMAT, plugins: known.iter().map(KnownRecord::of).collect() });
        return Ok(Outcome::Clean);
    }
    if known.is_empty() {
        output.result("The app has no plugins with native code or a sheet.\n");
        return Ok(Outcome::Clean);
    }
    let row = |one: &Known| vec![paint(HEADING, &clean(&label(one))), known_from(one), paint(FAINT, &counts(one))];
    let rows: Vec<_> = known.iter().map(row).collect();
    let mut out = columns(&rows, 0);
    let blind = known.iter().filter(|one| KnownRecord::of(one).is_blind()).count();
    if blind > 0 && !output.quiet {
        out.push_str(&format!(
            "\n{} of {} plugins {} a blind spot: nothing is known of what {} require{}. If the notes are elsewhere, copy them:\n  elvask sheet draft PLUGIN --notes notes.md\n",
            blind,
            known.len(),
            if blind == 1 { "is" } else { "are" },
            if blind == 1 { "it" } else { "they" },
            if blind == 1 { "s" } else { "" },
        ));
    }
    output.result(&out);
    Ok(Outcome::Clean)
}

fn label(known: &Known) -> String {
    let version = known.version.as_deref().map(|version| format!(" {version}")).unwrap_or_default();
    format!("{}{version}", known.plugin)
}

/// Says from where something is known of a plugin.
fn known_from(known: &Known) -> String {
    match known.sheet {
        Some(SheetOrigin::Package) => paint(GOOD, "its own sheet"),
        Some(SheetOrigin::App) => paint(GOOD, "a sheet of the app"),
        Some(SheetOrigin::Folder) => paint(GOOD, "a sheet of a folder that was named"),
        Some(SheetOrigin::Placed | SheetOrigin::Declared) => paint(GOOD, "what you named"),
        None => {
            let kinds: Vec<_> =
                known.evidence().into_iter().map(|kind| kind.title().trim_start_matches("its ").to_owned()).collect();
            match kinds.is_empty() {
                false => paint(NOTE, &format!("its {}", kinds.join(", "))),
                true if !known.doubtful.is_empty() => paint(WARNING, "nothing but doubtful words in its notes"),
                true if known.looked_into => paint(WARNING, "nothing, though its files were looked into"),
                true => paint(WARNING, "nothing: it is not installed, or its files are elsewhere"),
            }
        }
    }
}

fn counts(known: &Known) -> String {
    let strengths = [(Strength::Certain, "certain"), (Strength::Likely, "likely"), (Strength::Optional, "optional")];
    let counted = strengths.into_iter().map(|(strength, word)| (known.count(strength), word));
    let brought = known.requirements.iter().filter(|one| one.brought).count();
    let more = [
        (brought, "merged in by itself"),
        (known.beyond.len(), "not in the sheet"),
        (known.doubtful.len(), "doubtful"),
    ];
    let parts = counted.chain(more).filter(|(count, _)| *count > 0).map(|(count, word)| format!("{count} {word}"));
    parts.collect::<Vec<_>>().join(", ")
}

/// What a word on the command line means: a plugin of the app around, or the folder of a package.
enum Meant {
    Plugin(Box<App>, usize),
    Package { name: String, version: Option<String>, evidence: Box<Evidence> },
}

fn find(word: &str, options: &AppChoice, output: &Output) -> Result<Meant, Failure> {
    let folder = normal(&current_folder()?.join(word));
    let looks_like_path =
        word.starts_with('.') || word.contains('/') && !word.starts_with('@') || Path::new(word).is_absolute();
    if looks_like_path && Disk.is_folder(&folder) {
        return Ok(package_at(&Disk.real(&folder)));
    }
    match load_with(options, Look::All, output) {
        Ok(app) => {
            match app.plugins().iter().position(|plugin| plugin.name == word) {
                Some(at) => Ok(Meant::Plugin(Box::new(app), at)),
                None if Disk.is_folder(&folder) => Ok(package_at(&Disk.real(&folder))),
                None => {
                    let known =
                        elvask_platform::names::nearest(word, app.plugins().iter().map(|plugin| plugin.name.as_str()));
                    let hint = match known {
                    Some(meant) => format!("did you mean {meant}?"),
                    None => "`elvask sheet list` names the plugins of the app; a folder of a package can be given as well".to_owned(),
                };
                    Err(Failure::new(format!("{word}: no plugin of the app, and no folder of a package")).hint(hint))
                }
            }
        }
        Err(_) if Disk.is_folder(&folder) => Ok(package_at(&Disk.real(&folder))),
        Err(failure) => Err(failure),
    }
}

/// Looks at a package by itself.
fn package_at(root: &Path) -> Meant {
    let evidence = learn(&Disk, root);
    let described = elvask_core::discover::describe_package(&Disk, root);
    let folder = root.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let (name, version) = described.unwrap_or((folder, None));
    Meant::Package { name, version, evidence: Box::new(evidence) }
}

fn known_of(meant: &Meant) -> Known {
    match meant {
        Meant::Plugin(app, at) => app.plugins().get(*at).map(|plugin| of_plugin(app, plugin)).unwrap_or_default(),
        Meant::Package { name, version, evidence } => of_package(name, version.clone(), evidence),
    }
}

fn show(word: &str, options: &AppOptions, output: &Output) -> Done {
    let known = known_of(&find(word, &options.choice, output)?);
    if options.format == Format::Json {
        output.json(&KnownRecord::of(&known));
        return Ok(Outcome::Clean);
    }
    let mut out = format!("{}  known from {}\n", paint(HEADING, &clean(&label(&known))), known_from(&known));
    if let Some(file) = &known.sheet_file {
        out.push_str(&format!("{}\n", paint(FAINT, &clean(file))));
    }
    for platform in [Platform::Android, Platform::Ios] {
        let of: Vec<_> = known.requirements.iter().filter(|one| one.need.platform() == platform).collect();
        if !of.is_empty() {
            out.push_str(&format!("\n{}\n", paint(HEADING, platform.title())));
        }
        of.into_iter().for_each(|one| requirement(one, &mut out));
        if !known.platforms.is_empty() && !known.platforms.contains(&platform) {
            out.push_str(&format!("\n{}\n  it has no {} side\n", paint(HEADING, platform.title()), platform.title()));
        }
    }
    if !known.beyond.is_empty() {
        out.push_str(&format!("\n{}\n", paint(HEADING, "What its files show and its sheet does not state")));
        known.beyond.iter().for_each(|one| requirement(one, &mut out));
    }
    if !known.doubtful.is_empty() {
        out.push_str(&format!("\n{}\n", paint(HEADING, "Doubtful, so not counted")));
        for doubtful in &known.doubtful {
            let kind = doubtful.learned.kind().id();
            out.push_str(&format!(
                "  {} {}  {}\n",
                paint(WARNING, kind),
                clean(&doubtful.learned.name),
                paint(FAINT, &doubtful.why)
            ));
            citations(&doubtful.learned.citations, &mut out);
        }
    }
    if !known.limits.is_empty() {
        out.push_str(&format!("\n{}\n", paint(HEADING, "Not known")));
        for limit in &known.limits {
            out.push_str(&format!("  {}\n", clean(limit)));
        }
    }
    if KnownRecord::of(&known).is_blind() {
        out.push_str("Nothing is known of what it requires.\n");
    }
    output.result(&out);
    Ok(Outcome::Clean)
}

fn requirement(known: &KnownRequirement, out: &mut String) {
    let (word, style) = match known.strength {
        _ if known.brought => ("merged in", GOOD),
        Strength::Certain => ("certain", HEADING),
        Strength::Likely => ("likely", WARNING),
        Strength::Optional => ("optional", NOTE),
    };
    let value = known.need.value().map(|value| format!(" {value}")).unwrap_or_default();
    out.push_str(&format!(
        "  {:<9} {} {}{}",
        paint(style, word),
        known.need.kind().id(),
        clean(&known.name),
        clean(&value)
    ));
    let mut more = Vec::new();
    more.extend(known.capability.map(|name| format!("part of `{name}`")));
    more.extend(known.feature.as_ref().map(|name| format!("for the feature `{name}`")));
    more.extend(when(&known.when));
    more.extend(known.one_of.as_ref().map(|_| "one of several is enough".to_owned()));
    if !more.is_empty() {
        out.push_str(&format!("  {}", paint(FAINT, &clean(&more.join(", ")))));
    }
    out.push('\n');
    if let Some(reason) = &known.reason {
        out.push_str(&format!("            {}\n", clean(reason)));
    }
    if let Some(judged) = known.judged.as_ref().filter(|judged| !judged.reached.because.is_empty()) {
        let level = match judged.level.filter(|_| !known.brought) {
            Some(level) => format!("{} if absent", level.id()),
            None if known.brought => "nothing to declare".to_owned(),
            None => "not told".to_owned(),
        };
        let line = format!("{}: {} ({level})", judged.reached.reach.id(), judged.reached.because);
        out.push_str(&format!("            {}\n", clean(&line)));
    }
    citations(&known.citations, out);
}

fn citations(citations: &[std::sync::Arc<elvask_needs::requirement::Citation>], out: &mut String) {
    for citation in citations {
        let place = format!("{}:{}:{}", citation.file, citation.line, citation.column);
        out.push_str(&format!("            {}\n", paint(FAINT, &clean(&place))));
        out.push_str(&format!("              {}\n", clean(&citation.quote)));
    }
}

fn draft(options: &SheetDraft, output: &Output) -> Done {
    let notes = options.notes.as_deref().map(read_notes).transpose()?;
    let meant = find(&options.package, &options.app, output);
    let (name, version, platforms, evidence) = match (meant, &notes) {
        (Ok(Meant::Plugin(app, at)), _) => {
            let plugin = app.plugins().get(at).ok_or_else(|| Failure::new("no such plugin"))?;
            let evidence = plugin.evidence.as_deref().cloned().unwrap_or_default();
            (plugin.name.clone(), plugin.version.clone(), plugin.platforms.clone(), evidence)
        }
        (Ok(Meant::Package { name, version, evidence }), _) => (name, version, Vec::new(), *evidence),
        // Notes alone are enough to draft a sheet for a package that is not here.
        (Err(_), Some(_)) => (options.package.clone(), None, Vec::new(), Evidence::default()),
        (Err(failure), None) => return Err(failure),
    };
    let evidence = match notes {
        Some((text, from)) => evidence.joined_with(learn_from_notes(&text, &from)),
        None => evidence,
    };
    let text = write::draft(&name, version.as_deref(), &platforms, &evidence);
    if evidence.is_empty() {
        output.notice(&format!("nothing was found that says what {name} requires: the draft states nothing"));
    }
    match &options.output {
        None => output.result(&text),
        Some(path) => {
            let path = normal(&current_folder()?.join(path));
            if Disk.kind(&path).is_some() {
                return Err(Failure::new(format!("{}: it is there already, and is left alone", path.display())));
            }
            let folder = path.parent().unwrap_or(&path);
            super::recover::settle_first(folder, output)?;
            with_steps(|steps| write_new(&path, text.as_bytes(), steps)).map_err(super::recover::failed)?;
            output.say(&format!("written: {}", super::typed(&path)));
        }
    }
    Ok(Outcome::Clean)
}

/// Reads notes from a file, or from standard input for `-`. Returns them with a name for citations.
pub(crate) fn read_notes(from: &Path) -> Result<(String, String), Failure> {
    let mut bytes = Vec::new();
    let name = if from == Path::new("-") { "standard input".to_owned() } else { from.display().to_string() };
    if from == Path::new("-") {
        let read = std::io::stdin().lock().take(MAX_NOTES + 1).read_to_end(&mut bytes);
        read.map_err(|error| Failure::new(format!("standard input: {error}")))?;
    } else {
        let path = normal(&current_folder()?.join(from));
        bytes = Disk.read(&path).map_err(|error| Failure::new(format!("{name}: {error}")))?;
    }
    if bytes.len() as u64 > MAX_NOTES {
        return Err(Failure::new(format!("{name}: notes over {MAX_NOTES} bytes are not read")));
    }
    Ok((String::from_utf8_lossy(&bytes).into_owned(), name))
}

fn check(files: &[PathBuf], options: &AppOptions, output: &Output) -> Done {
    let (paths, root) = match files {
        [] => {
            let app = load_with(&options.choice, Look::Nowhere, output)?;
            let own = app.root.join("elvask/sheets");
            let named = Disk
                .list(&own)
                .into_iter()
                .filter(|(name, _)| name.ends_with(".toml"))
                .map(|(name, _)| (own.join(name), None));
            let packages = app.plugins().iter().filter_map(|plugin| {
                let path = plugin.root.as_ref()?.join(FILE_NAME);
                Disk.is_file(&path).then(|| (path, Some(plugin.name.clone())))
            });
            let paths: Vec<_> = named.chain(packages).collect();
            (paths, app.root.clone())
        }
        files => {
            let here = current_folder()?;
            (files.iter().map(|file| (normal(&here.join(file)), None)).collect(), here)
        }
    };
    let rule = rules::find("sheet-invalid").ok_or_else(|| Failure::new("no rule for sheets"))?.about();
    let mut sources = Sources::new(&root);
    let mut findings = Vec::new();
    for (path, package) in &paths {
        let (file, read) = sources.read(&Disk, path);
        let text = read.map_err(|error| Failure::new(format!("{}: {}", path.display(), error.message())))?;
        let (sheet, problems) = Sheet::parse(&text, package.as_deref());
        for problem in problems {
            let subject = if sheet.plugin.text.is_empty() { "sheet".to_owned() } else { sheet.plugin.text.clone() };
            let place = Place { file, span: problem.span };
            findings.push(Finding::new(rule, subject, place, problem.message).mend(Remedy::Manual(String::new())));
        }
    }
    if options.format == Format::Json {
        let findings: Vec<_> = findings.iter().map(|finding| FindingRecord::of(&sources, finding)).collect();
        let found = !findings.is_empty();
        output.json(&SheetCheckRecord { format: FORMAT, sheets: paths.len(), findings });
        return Ok(if found { Outcome::Found } else { Outcome::Clean });
    }
    let mut out = String::new();
    for finding in &findings {
        out.push_str(&if output.quiet {
            snippet::line(&sources, finding)
        } else {
            snippet::finding(&sources, finding)
        });
    }
    let sheets = crate::render::count(paths.len(), "sheet");
    if findings.is_empty() {
        out.push_str(&format!("{} {sheets} read, all as they must be.\n", paint(GOOD, "ok:")));
    } else if !output.quiet {
        out.push_str(&format!("{sheets} read, {} found.\n", crate::render::count(findings.len(), "mistake")));
    }
    output.result(&out);
    Ok(if findings.is_empty() { Outcome::Clean } else { Outcome::Found })
}
