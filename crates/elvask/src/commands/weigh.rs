//! `elvask weigh`.

use std::path::Path;

use elvask_core::Kind;
use elvask_core::app::{App, Choice, Look, Plugin};
use elvask_core::context::Context;
use elvask_core::fill::{FillError, Outcome as Filled, fill_through};
use elvask_core::finding::Level;
use elvask_core::needs::Settings;
use elvask_core::weigh::{Ask, How, asks};
use elvask_needs::remedy::{Remedy, Want};
use elvask_platform::Platform;
use elvask_project::files::{Disk, Files, normal};
use elvask_project::surface::Surface;
use elvask_record::{AppRecord, AskRecord, CostRecord, FORMAT, WantRecord, WeighRecord, WeighedRecord, WrittenRecord};

use super::apply::changes;
use super::{Done, Outcome, choice, current_folder, load_choosing, root_of, settings, typed};
use crate::archive::Opened;
use crate::options::Format;
use crate::options::weigh::Weigh;
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, WARNING, paint};
use crate::render::{clean, columns, count, width, wrap};

/// A package that was weighed.
struct Weighed {
    plugin: Plugin,
    asks: Vec<Ask>,
    record: WeighedRecord,
}

pub(crate) fn run(options: &Weigh, output: &Output) -> Done {
    let app_choice = options.choice();
    let root = Disk.real(&root_of(&app_choice)?);
    let looked = choice(&root, &app_choice, Look::WithoutSheet)?;
    let app = load_choosing(&root, &app_choice, looked.clone(), output)?;
    let here = current_folder()?;
    let mut all = Vec::new();
    for named in &options.packages {
        let path = normal(&here.join(named));
        let shown = named.display().to_string();
        let choice = Choice { beside: Some(Disk.real(&path)), ..looked.clone() };
        all.push(match (Disk.is_folder(&path), Disk.is_file(&path)) {
            (true, _) => weigh(&app, &Disk, &choice, &root)?,
            (_, true) => weigh(&app, &Opened::open(&Disk.real(&path), &shown)?, &choice, &root)?,
            _ => {
                let failure = Failure::new(format!("{shown}: there is no such folder or archive"));
                return Err(failure.hint("name the folder of a package, or an archive as a package manager fetches it"));
            }
        });
    }
    if options.format == Format::Json {
        let packages = all.into_iter().map(|one| one.record).collect();
        output.json(&WeighRecord { format: FORMAT, app: AppRecord::of(&app), packages });
        return Ok(Outcome::Clean);
    }
    let mut text = String::new();
    if all.len() > 1 {
        text.push_str(&side_by_side(&all));
    }
    if all.len() == 1 || output.verbose {
        for one in &all {
            text.push_str(&whole(one, all.len() > 1, output.verbose));
        }
    } else if !output.quiet {
        text.push_str(&paint(FAINT, "-v tells of each what it asks for\n"));
    }
    output.result(&text);
    Ok(Outcome::Clean)
}

/// Looks at the app as it would be with a package.
fn weigh(app: &App, files: &dyn Files, choice: &Choice, root: &Path) -> Result<Weighed, Failure> {
    let with = App::load_choice(files, root, choice).map_err(|error| Failure::new(error.to_string()))?;
    let at = with.plugins().iter().position(|plugin| plugin.root == choice.beside);
    let Some((at, plugin)) = at.and_then(|at| Some((at, with.plugins().get(at)?.clone()))) else {
        let folder = choice.beside.as_deref().map(typed).unwrap_or_default();
        return Err(Failure::new(format!(
            "{folder}: it has neither native code nor a sheet, so the app has nothing to declare for it"
        )));
    };
    let settings = Settings { plugins: vec![plugin.name.clone()], ..settings(false) };
    let (before, after) = (Surface::read(app, &app.sources), Surface::read(&with, &with.sources));
    let old = Context::new(app, &app.sources, &before, &settings);
    let new = Context::new(&with, &with.sources, &after, &settings);
    let asks = asks(&old, &new, at);
    let filled = match fill_through(files, choice, &with, &settings) {
        Ok(filled) => Some(filled),
        Err(FillError::Obstacles(_)) => None,
        Err(error) => return Err(Failure::new(error.to_string())),
    };
    let written = filled.as_ref().map(|filled| written(&with, filled)).transpose()?;
    let wants = filled.as_ref().map(Filled::wants).unwrap_or_default();
    let mut limits = plugin.evidence.as_deref().map(|evidence| evidence.limits.clone()).unwrap_or_default();
    // It is plain of which package they speak.
    let folder = format!("{}/", elvask_project::files::shown(plugin.root.as_deref().unwrap_or(root), root));
    limits.iter_mut().for_each(|limit| *limit = limit.replace(&folder, ""));
    let known = |name: &str| app.plugins().iter().any(|plugin| plugin.name == name);
    let unseen: Vec<&str> = plugin.brings.iter().filter(|name| !known(name)).collect();
    if !unseen.is_empty() {
        limits.push(format!("it brings packages of its own, which are not looked into: {}", unseen.join(", ")));
    }
    if plugin.sheet.is_none() && plugin.evidence.as_deref().is_none_or(elvask_needs::evidence::Evidence::is_empty) {
        limits.push("neither a sheet nor its own files say what it requires".to_owned());
    }
    for ask in asks.iter().filter(|ask| ask.how == How::Unknown) {
        let value = ask.need.value().unwrap_or_default();
        limits.push(format!("it needs {} {value}, and only the build knows which one the app has", ask.name));
    }
    if written.is_none() {
        limits.push("what would be written is not known, as something of the app cannot be read".to_owned());
    }
    let sides = [Platform::Android, Platform::Ios].into_iter();
    let had = app.plugins().iter().find(|known| known.name == plugin.name);
    let record = WeighedRecord {
        package: plugin.name.clone(),
        version: plugin.version.clone(),
        replaces: had.map(|known| known.version.clone().unwrap_or_else(|| "an unknown version".to_owned())),
        without: sides.filter(|side| app.has(*side) && lacks(&plugin, *side)).collect(),
        cost: cost(&asks, &wants, written.as_deref()),
        asks: asks.iter().map(AskRecord::from).collect(),
        wants: wants.iter().map(WantRecord::from).collect(),
        by_hand: filled.as_ref().map(|filled| by_hand(filled, &plugin.name)).unwrap_or_default(),
        files: written,
        limits,
    };
    Ok(Weighed { plugin, asks, record })
}

/// Says whether a package has nothing for a platform: as its sheet states, or as its folders tell. One without native code may be for both.
fn lacks(plugin: &Plugin, side: Platform) -> bool {
    let stated = plugin.sheet.as_ref().map(|found| &found.sheet).filter(|sheet| sheet.platforms_span.is_some());
    match stated {
        Some(sheet) => !sheet.platforms.contains(&side),
        None => !plugin.platforms.is_empty() && !plugin.platforms.contains(&side),
    }
}

/// Counts the lines that would be written in each file.
fn written(with: &App, filled: &Filled) -> Result<Vec<WrittenRecord>, Failure> {
    let files = changes(with, &filled.sources, &filled.changed)?;
    let record = |one: &super::apply::FileChange| {
        let lines = |sign: char| {
            let body = one.diff.lines().skip(2);
            body.filter(|line| line.starts_with(sign)).count()
        };
        WrittenRecord { file: one.shown.clone(), added: lines('+'), removed: lines('-') }
    };
    Ok(files.iter().map(record).collect())
}

/// Returns what a person does for a package, each thing once.
fn by_hand(filled: &Filled, plugin: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    for finding in filled.left.findings.iter().filter(|finding| finding.level >= Level::Warning && finding.counts()) {
        let is_mine = finding.needed_by.iter().any(|needed| needed.plugin == plugin);
        if let (true, Remedy::Manual(steps)) = (is_mine, &finding.remedy) {
            let said = if steps.is_empty() { format!("{}.", finding.message) } else { steps.clone() };
            if !out.contains(&said) {
                out.push(said);
            }
        }
    }
    out
}

fn cost(asks: &[Ask], wants: &[Want], written: Option<&[WrittenRecord]>) -> CostRecord {
    let new = || asks.iter().filter(|ask| ask.is_new());
    let of = |kind: Kind| new().filter(|ask| ask.need.kind() == kind).count();
    let purposes = wants.iter().filter(|want| matches!(want, Want::Purpose { .. })).count();
    CostRecord {
        permissions: of(Kind::Permission),
        prompts: new().filter(|ask| ask.prompts()).count(),
        purposes,
        answers: wants.len() - purposes,
        store_forms: new().filter(|ask| ask.store_form().is_some()).count(),
        entitlements: of(Kind::Entitlement),
        raised_levels: new().filter(|ask| is_lowest(ask)).count(),
        met: asks.iter().filter(|ask| matches!(ask.how, How::Met | How::MetByAnother)).count(),
        of_parts: asks.iter().filter(|ask| ask.is_of_a_part() && matches!(ask.how, How::Open | How::Comes)).count(),
        lines: written.unwrap_or_default().iter().map(|file| file.added.max(file.removed)).sum(),
    }
}

/// Says whether a need is a lowest level or version.
fn is_lowest(ask: &Ask) -> bool {
    ask.need.kind() == Kind::MinVersion || ask.need.kind() == Kind::Level && ask.name == "minSdkVersion"
}

fn title(one: &Weighed) -> String {
    let version = one.plugin.version.as_ref().map(|version| format!(" {version}")).unwrap_or_default();
    clean(&format!("{}{version}", one.plugin.name)).into_owned()
}

/// Draws what packages cost beside each other, as many as fit into a line.
fn side_by_side(all: &[Weighed]) -> String {
    // The longest of the words in front, and the gaps.
    let (front, gap) = (25, 2);
    let mut out = String::new();
    let mut rest = all;
    while !rest.is_empty() {
        let mut room = width().saturating_sub(front);
        let fits = |one: &&Weighed| {
            let wide = title(one).chars().count() + gap;
            let fits = wide <= room;
            room = room.saturating_sub(wide);
            fits
        };
        let number = rest.iter().take_while(fits).count().max(1);
        let (some, others) = rest.split_at(number);
        out.push_str(&table(some, all));
        rest = others;
    }
    out
}

/// Draws what some of the packages cost; what is best of all is marked.
fn table(some: &[Weighed], all: &[Weighed]) -> String {
    type Part = (&'static str, fn(&CostRecord) -> usize);
    let parts: [Part; 10] = [
        ("new permissions", |cost| cost.permissions),
        ("new dialogs", |cost| cost.prompts),
        ("purposes to word", |cost| cost.purposes),
        ("other values of yours", |cost| cost.answers),
        ("forms at the store", |cost| cost.store_forms),
        ("entitlements to turn on", |cost| cost.entitlements),
        ("levels raised", |cost| cost.raised_levels),
        ("only who uses a part", |cost| cost.of_parts),
        ("met already", |cost| cost.met),
        ("lines to write", |cost| cost.lines),
    ];
    let mut rows =
        vec![std::iter::once(String::new()).chain(some.iter().map(|one| paint(HEADING, &title(one)))).collect()];
    for (name, number) in parts {
        let numbers: Vec<usize> = all.iter().map(|one| number(&one.record.cost)).collect();
        let least = numbers.iter().min().copied().unwrap_or_default();
        let differ = numbers.iter().any(|number| *number != least);
        let good = |number: usize| differ && (number == least) != (name == "met already");
        let cells = some.iter().map(|one| number(&one.record.cost)).map(|number| match good(number) {
            true => paint(GOOD, &number.to_string()),
            false => number.to_string(),
        });
        rows.push(std::iter::once(name.to_owned()).chain(cells).collect::<Vec<_>>());
    }
    let sides = some.iter().map(|one| match one.record.without.as_slice() {
        [] => "none".to_owned(),
        some => paint(ERROR, &some.iter().map(|side| side.title()).collect::<Vec<_>>().join(", ")),
    });
    rows.push(std::iter::once("platforms it lacks".to_owned()).chain(sides).collect());
    let unknown = some.iter().map(|one| one.record.limits.len().to_string());
    rows.push(std::iter::once("limits of the look".to_owned()).chain(unknown).collect());
    format!("{}\n", columns(&rows, 0))
}

/// Draws all that a package asks for.
fn whole(one: &Weighed, several: bool, verbose: bool) -> String {
    let record = &one.record;
    let mut out = String::new();
    if several {
        out.push('\n');
    }
    out.push_str(&paint(HEADING, &title(one)));
    if let Some(had) = &record.replaces {
        out.push_str(&clean(&format!("  in the place of {had}, which the app has")));
    }
    out.push('\n');
    for side in &record.without {
        out.push_str(&format!(
            "{}\n",
            paint(ERROR, &format!("It has no code for {}: there it does nothing.", side.title()))
        ));
    }
    let section = |title: &str, out: &mut String| out.push_str(&format!("\n{}\n", paint(HEADING, title)));
    let (new, rest): (Vec<&Ask>, Vec<&Ask>) = one.asks.iter().partition(|ask| ask.is_new());
    let (noticed, silent): (Vec<&Ask>, Vec<&Ask>) = new.into_iter().partition(|ask| !ask.meaning.is_empty());
    section(if record.replaces.is_some() { "What the app lacks for it" } else { "New with it" }, &mut out);
    for ask in &noticed {
        out.push_str(&told(ask));
    }
    if noticed.is_empty() {
        out.push_str("  Nothing that people or stores notice.\n");
    }
    listed("besides", &silent, &mut out);
    if !record.wants.is_empty() {
        section("Only you can say", &mut out);
        for want in &record.wants {
            out.push_str(&wrap(&clean(&said_by_owner(want)), width(), 2));
        }
    }
    if !record.by_hand.is_empty() {
        section("By hand", &mut out);
        record.by_hand.iter().for_each(|steps| out.push_str(&wrap(&clean(steps), width(), 2)));
    }
    let (met, parts): (Vec<&Ask>, Vec<&Ask>) = rest
        .into_iter()
        .filter(|ask| ask.how != How::Unknown)
        .partition(|ask| matches!(ask.how, How::Met | How::MetByAnother));
    if !parts.is_empty() {
        section("Only where you use that part of it", &mut out);
        if verbose {
            parts.iter().for_each(|ask| out.push_str(&told(ask)));
        } else {
            listed("", &parts, &mut out);
        }
    }
    if !met.is_empty() {
        section("Met already", &mut out);
        listed("", &met, &mut out);
    }
    section("To be written", &mut out);
    match record.files.as_deref() {
        Some([]) => out.push_str("  Nothing.\n"),
        Some(files) => {
            for file in files {
                out.push_str(&format!("  {}  +{} -{}\n", clean(&file.file), file.added, file.removed));
            }
            let line = format!("`elvask fill --plugin {}` writes it, once the package is added", record.package);
            out.push_str(&format!("  {}\n", paint(FAINT, &clean(&line))));
        }
        None => out.push_str("  Not known.\n"),
    }
    if !record.limits.is_empty() {
        section("Not known", &mut out);
        record.limits.iter().for_each(|limit| out.push_str(&wrap(&clean(limit), width(), 2)));
    }
    out.push('\n');
    out.push_str(&verdict(record));
    out
}

/// Says of one thing what it means, and which line shows it.
fn told(ask: &Ask) -> String {
    let value = match ask.need.kind() {
        Kind::Level | Kind::MinVersion => ask.need.value().map(|value| format!(" {value}")).unwrap_or_default(),
        _ => String::new(),
    };
    let comes = if ask.how == How::Comes { ", with its own manifest" } else { "" };
    let head = format!("{} {} {}{value}{comes}", ask.platform.title(), ask.need.kind().id(), ask.name);
    let mut out = wrap(&clean(&head), width(), 2);
    if !ask.meaning.is_empty() {
        out.push_str(&wrap(&clean(&ask.meaning), width(), 4));
    }
    if let Some(first) = ask.learnt.first() {
        let file = first.file.rsplit('/').next().unwrap_or_default();
        out.push_str(&format!("    {}\n", paint(FAINT, &clean(&format!("{file}:{}", first.line)))));
    }
    out
}

/// Lists things by their names alone.
fn listed(before: &str, all: &[&Ask], out: &mut String) {
    if all.is_empty() {
        return;
    }
    let short = |ask: &&Ask| {
        let name = ask.name.strip_prefix(elvask_platform::android::PERMISSION_PREFIX).unwrap_or(&ask.name);
        let other = if ask.how == How::MetByAnother { " (another one does)" } else { "" };
        format!("{} {name}{other}", ask.need.kind().id())
    };
    for side in [Platform::Android, Platform::Ios] {
        let names: Vec<String> = all.iter().filter(|ask| ask.platform == side).map(short).collect();
        if !names.is_empty() {
            let before = if before.is_empty() { String::new() } else { format!(" {before}") };
            out.push_str(&wrap(&clean(&format!("{}{before}: {}", side.title(), names.join(", "))), width(), 2));
        }
    }
}

fn said_by_owner(want: &WantRecord) -> String {
    match want {
        WantRecord::Purpose { key, .. } => format!("the purpose of {key}"),
        WantRecord::Answer { key, title, .. } => title.clone().unwrap_or_else(|| format!("a value for {key}")),
        WantRecord::Consent { subject, meaning, .. } => format!("whether you agree to {subject}: it {meaning}"),
    }
}

fn verdict(record: &WeighedRecord) -> String {
    let cost = record.cost;
    let parts = [
        (cost.permissions, "new permission"),
        (cost.prompts, "new dialog"),
        (cost.purposes, "purpose"),
        (cost.answers, "value"),
        (cost.store_forms, "store form"),
        (cost.entitlements, "entitlement"),
        (cost.raised_levels, "raised level"),
    ];
    let some: Vec<String> =
        parts.into_iter().filter(|(number, _)| *number > 0).map(|(number, thing)| count(number, thing)).collect();
    let line = match (some.is_empty(), record.limits.is_empty()) {
        (false, _) => format!("{}: {}", record.package, some.join(", ")),
        (true, true) => format!("{}: nothing that people or stores notice", record.package),
        (true, false) => format!("{}: nothing that was seen, and not all could be seen", record.package),
    };
    let style = if some.is_empty() && record.limits.is_empty() { GOOD } else { WARNING };
    format!("{}\n", paint(style, &clean(&line)))
}
