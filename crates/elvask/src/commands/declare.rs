//! `elvask declare` and `elvask withdraw`.

use elvask_core::app::{App, Look, SheetOrigin};
use elvask_core::context::Context;
use elvask_core::declare::{Naming, OWNER, entries, takes_value, with_wishes};
use elvask_core::fill::{FillError, Outcome as Filled, fill_only};
use elvask_core::finding::Finding;
use elvask_core::keep::{with_waivers, without_waivers};
use elvask_core::needs::Settings;
use elvask_core::place::is_wished;
use elvask_core::withdraw::Removal;
use elvask_needs::remedy::{Remedy, Want};
use elvask_needs::sheet::Asked;
use elvask_platform::capability::capability;
use elvask_project::surface::Surface;
use elvask_record::{DeclareRecord, FORMAT, RemovalRecord, WantRecord, WithdrawRecord};

use super::apply::{Bounds, Write, changes, file_records, whole_diff, write, wrote};
use super::{Done, Outcome, load, load_with, settings};
use crate::options::Format;
use crate::options::declare::{Declare, Withdraw};
use crate::output::{Failure, Output};
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, WARNING, paint};
use crate::render::{clean, plain, snippet};

/// The words that say what the names behind them are.
const KINDS: [(&str, Naming); 11] = [
    ("capability", Naming::Capability),
    ("permission", Naming::Permission),
    ("key", Naming::Key),
    ("scheme", Naming::Scheme),
    ("query-scheme", Naming::QueryScheme),
    ("host", Naming::Host),
    ("link", Naming::Link),
    ("package", Naming::Package),
    ("entitlement", Naming::Entitlement),
    ("background-mode", Naming::BackgroundMode),
    ("feature", Naming::Feature),
];

/// Parts the words of a command line into what is named and its names.
fn named(words: &[String]) -> (Naming, &[String]) {
    let naming = words.first().and_then(|first| KINDS.iter().find(|(word, _)| word == first));
    match naming {
        Some((_, naming)) if words.len() > 1 => (*naming, words.get(1..).unwrap_or_default()),
        _ => (Naming::Anything, words),
    }
}

/// Refuses a value that would go nowhere.
fn check_value(words: &[String]) -> Result<(), Failure> {
    let (naming, names) = named(words);
    match names.iter().find(|name| !takes_value(naming, name)) {
        Some(name) => Err(Failure::new(format!(
            "{name}: this takes no value; --value goes with keys, entitlements and capabilities such as app-groups"
        ))),
        None => Ok(()),
    }
}

/// Turns the words of a command line into the entries of a sheet.
fn wished(words: &[String], value: Option<&str>, on: Option<&str>) -> Result<Vec<String>, Failure> {
    let (naming, names) = named(words);
    let mut out = Vec::new();
    for name in names {
        out.extend(entries(naming, name, value, on).map_err(Failure::new)?);
    }
    Ok(out)
}

/// Returns the full name of an activity that a person calls by its last part.
fn activity(app: &App, name: &str) -> Result<String, Failure> {
    let surface = Surface::read(app, &app.sources);
    let manifests = surface.judged_manifests(app);
    let components = manifests.iter().flat_map(|manifest| &manifest.components);
    let activities: Vec<_> = components.filter(|one| one.element.name().starts_with("activity")).collect();
    let last = name.trim_start_matches('.');
    let found = activities.iter().find(|one| one.class == name || one.class.ends_with(&format!(".{last}")));
    found.map(|one| one.class.clone()).ok_or_else(|| {
        let known: Vec<_> = activities.iter().map(|one| one.class.as_str()).collect();
        Failure::new(format!("--on {name}: there is no such activity; the app has {}", known.join(", ")))
    })
}

/// Says whether a word is a link whose path ends like that of a folder, which is one path all the same.
fn one_path(word: &str) -> bool {
    let path = word.split_once("://").and_then(|(_, rest)| rest.split_once('/'));
    path.is_some_and(|(_, path)| path.ends_with('/') && !path.contains('*'))
}

/// Says where one reads what many apps want beside the capabilities that are named.
fn say_what_goes_with(words: &[String], output: &Output) {
    let named = words.iter().filter_map(|word| capability(word));
    for one in named.filter(|one| one.beside().next().is_some()).filter(|_| !output.quiet) {
        output.say(&format!("What many apps want beside it, depending on their use: elvask explain {}", one.name));
    }
}

pub(crate) fn declare(options: &Declare, output: &Output) -> Done {
    let look = options.app.options();
    let app = load(&look.choice, output)?;
    let on = options.on.as_deref().map(|name| activity(&app, name)).transpose()?;
    let entries = wished(&options.words, options.value.as_deref(), on.as_deref())?;
    if options.value.is_some() {
        check_value(&options.words)?;
    }
    for word in options.words.iter().filter(|word| one_path(word)) {
        output.notice(&format!("{word} is this one path; for all below it: elvask declare link {word}*"));
    }
    say_what_goes_with(&options.words, output);
    let links = entries.iter().any(|entry| entry.starts_with("android.filter"));
    let wanted = |finding: &Finding| is_wished(finding) || (links && WITH_LINKS.contains(&finding.rule.id));
    let bare = app.clone();
    let app = with_wishes(&app, &entries, SheetOrigin::Declared).map_err(Failure::new)?;
    let mut settings = settings(false);
    super::fill::given(&options.given, &app, &mut settings)?;
    let human = look.format == Format::Human;
    let ask = human && crate::input::can_ask() && !options.yes && !options.dry_run;
    let mut filled = plan_all(&app, &settings, wanted)?;
    if ask && !wants(&filled).is_empty() {
        super::fill::ask_for(&wants(&filled), &app, &mut settings, output);
        filled = plan_all(&app, &settings, wanted)?;
    }
    let mut files = changes(&app, &filled.sources, &filled.changed)?;
    if !files.is_empty() {
        files.extend(super::fill::config_change(&bare, |text| with_waivers(text, &meant(&bare, &filled)))?);
    }
    let wanted = match (options.dry_run, ask) {
        (true, _) => Write::No,
        (false, true) => Write::Ask,
        (false, false) => Write::Yes,
    };
    let written = write(&files, wanted, &Bounds::of(&app, &options.given.consents), output)?;
    if wanted == Write::Ask && !written && !files.is_empty() {
        // The person has said no.
        return Ok(Outcome::Found);
    }
    let wants = wants(&filled);
    let shares = entries.iter().any(|entry| entry.contains("\"share-"));
    let by_hand =
        |one: &Finding| is_wished(one) || (shares && one.counts() && one.rule.id == "share-extension-missing");
    let by_hand: Vec<&Finding> =
        filled.left.findings.iter().filter(|one| by_hand(one) && matches!(one.remedy, Remedy::Manual(_))).collect();
    if human {
        let mut text =
            if options.dry_run { whole_diff(&files, output) } else { wrote(if written { &files } else { &[] }) };
        if files.is_empty() && wants.is_empty() && by_hand.is_empty() {
            text.push_str("All of it is declared already.\n");
        }
        if !wants.is_empty() {
            text.push_str(&format!("\n{}\n", paint(WARNING, "Still wanted:")));
            for want in &wants {
                text.push_str(&format!("  {}\n    {}\n", clean(&super::fill::wanted(want)), clean(&said(want))));
            }
        }
        for finding in &by_hand {
            text.push_str(&format!(
                "\n{} {}\n    {}\n",
                paint(HEADING, "Left to you:"),
                clean(&finding.message),
                clean(&finding.remedy.text()).replace('\n', "\n    ")
            ));
        }
        output.result(&text);
    } else {
        output.json(&DeclareRecord {
            format: FORMAT,
            written,
            dry_run: options.dry_run,
            files: file_records(&files),
            declared: filled.mended.iter().map(|finding| finding.subject.clone()).collect(),
            wanted: wants.iter().map(WantRecord::from).collect(),
            left: by_hand.iter().map(|finding| finding.remedy.text()).collect(),
        });
    }
    Ok(if wants.is_empty() && by_hand.is_empty() { Outcome::Clean } else { Outcome::Found })
}

/// Returns what was declared and nothing needs: `trim` would take it for a leftover if nobody said that it is meant.
fn meant(app: &App, filled: &Filled) -> Vec<String> {
    let settings = Settings { unneeded: true, ..settings(false) };
    let unneeded = |sources| {
        let report = elvask_core::check::check_texts(app, sources, &settings);
        let found = report.findings.into_iter().filter(|one| one.rule.id == "declared-unneeded" && one.counts());
        found.map(|one| one.subject).collect::<Vec<_>>()
    };
    let before = unneeded(&app.sources);
    let mut new = unneeded(&filled.sources);
    new.retain(|subject| !before.contains(subject));
    new.dedup();
    new
}

/// Says how to give what is wanted, in the words of this command.
pub(crate) fn said(want: &Want) -> String {
    match want {
        Want::Answer { plugin, key, .. } if plugin == OWNER => format!("--answer {OWNER}.{key}=…"),
        other => other.option(),
    }
}

fn wants(filled: &Filled) -> Vec<Want> {
    let mut all: Vec<Want> = Vec::new();
    for finding in filled.left.findings.iter().filter(|finding| is_wished(finding)) {
        if let Remedy::Answer { wants, .. } = &finding.remedy {
            let new: Vec<_> = wants.iter().filter(|want| !all.contains(want)).cloned().collect();
            all.extend(new);
        }
    }
    all
}

pub(crate) fn plan(app: &App, settings: &Settings) -> Result<Filled, Failure> {
    plan_all(app, settings, is_wished)
}

/// What links need beside their filter: that the activity is open, and that each does not make one more copy of it.
const WITH_LINKS: [&str; 3] = ["launch-mode", "exported-closed", "exported-unstated"];

fn plan_all(app: &App, settings: &Settings, wanted: impl Fn(&Finding) -> bool) -> Result<Filled, Failure> {
    let filled = fill_only(app, settings, &wanted).map_err(|error| match error {
        FillError::Obstacles(report) => {
            let first = report
                .obstacles()
                .next()
                .map(|one| plain(&snippet::line(&app.sources, one)).into_owned())
                .unwrap_or_default();
            Failure::new(format!(
                "nothing is written: what cannot be read must be corrected first: {}",
                first.trim_end()
            ))
        }
        other => Failure::new(other.to_string()),
    })?;
    // What could be written is written in one round or another; what is left over would be passed over in silence.
    let mut counted = filled.left.findings.iter().filter(|one| one.counts());
    let left = counted.find(|one| wanted(one) && matches!(one.remedy, Remedy::Edit { .. }));
    match left {
        Some(left) => Err(Failure::new(format!(
            "nothing is written: the edits for {} do not fit together ({}). This is a fault of Elvask",
            left.subject, left.message
        ))),
        None => Ok(filled),
    }
}

pub(crate) fn withdraw(options: &Withdraw, output: &Output) -> Done {
    let look = options.app.options();
    let app = load_with(&look.choice, Look::All, output)?;
    let settings = settings(false);
    // Without a value any will do: what is taken out is known by its name.
    let wished = wished(&options.words, Some("true"), None)?;
    let wishes = with_wishes(&app, &wished, SheetOrigin::Declared).map_err(Failure::new)?;
    let asked: Vec<Asked> = wishes
        .plugins()
        .last()
        .and_then(|plugin| plugin.sheet.as_ref())
        .map(|found| found.sheet.requires.iter().map(|required| required.asked.clone()).collect())
        .unwrap_or_default();
    let surface = Surface::read(&app, &app.sources);
    if let Some(fault) = surface.faults.first().or(app.faults.first()) {
        return Err(Failure::new(format!("{}: {}; nothing is written", fault.file, fault.message)));
    }
    let context = Context::new(&app, &app.sources, &surface, &settings);
    let withdrawn = elvask_core::withdraw::withdraw(&app, &settings, &asked, options.force)
        .map_err(|error| Failure::new(error.to_string()))?;
    let (out, refused) = (withdrawn.out, withdrawn.refused);
    let mut files = changes(&app, &withdrawn.sources, &withdrawn.changed)?;
    if !files.is_empty() {
        let names: Vec<String> = out.iter().map(|removal| removal.name.clone()).collect();
        files.extend(super::fill::config_change(&app, |text| without_waivers(text, &names))?);
    }
    let human = look.format == Format::Human;
    let wanted = match (options.dry_run, human && !options.yes) {
        (true, _) => Write::No,
        (false, true) => Write::Ask,
        (false, false) => Write::Yes,
    };
    let written = write(&files, wanted, &Bounds::of(&app, &options.outside.consents), output)?;
    if wanted == Write::Ask && !written && !files.is_empty() {
        // The person has said no.
        return Ok(Outcome::Found);
    }
    if human {
        let mut text =
            if options.dry_run { whole_diff(&files, output) } else { wrote(if written { &files } else { &[] }) };
        for removal in &out {
            text.push_str(&format!("  {} {} {}\n", paint(GOOD, "removed"), removal.kind.id(), clean(&removal.name)));
        }
        for removal in &refused {
            text.push_str(&format!(
                "{} {} {} stays\n",
                paint(ERROR, "refused:"),
                removal.kind.id(),
                clean(&removal.name)
            ));
            for needed in &removal.needed_by {
                text.push_str(&format!("  {} needs it\n", clean(&needed.plugin)));
                for citation in needed.learnt.iter().take(1) {
                    let place = format!("{}:{}:{}", citation.file, citation.line, citation.column);
                    text.push_str(&format!("    {}  {}\n", paint(FAINT, &clean(&place)), clean(&citation.quote)));
                }
            }
        }
        if !refused.is_empty() {
            text.push_str("With --force it is removed all the same.\n");
        }
        if out.is_empty() && refused.is_empty() {
            text.push_str(&nothing(&context, &asked));
        }
        output.result(&text);
    } else {
        let record = |all: &[Removal]| all.iter().map(|one| RemovalRecord::of(&app.sources, one)).collect();
        output.json(&WithdrawRecord {
            format: FORMAT,
            written,
            dry_run: options.dry_run,
            files: file_records(&files),
            withdrawn: record(&out),
            refused: record(&refused),
        });
    }
    Ok(if refused.is_empty() { Outcome::Clean } else { Outcome::Found })
}

/// Says why there is nothing to take out.
fn nothing(context: &Context<'_>, asked: &[Asked]) -> String {
    let brought = asked.iter().find_map(|asked| match asked {
        Asked::Need { name, need } => {
            context.needs.brought().iter().find(|one| one.kind() == need.kind() && one.name == *name)
        }
        Asked::Capability(_) => None,
    });
    match brought {
        Some(requirement) => {
            let plugin =
                context.app.plugins().get(requirement.plugin).map_or("a plugin", |plugin| plugin.name.as_str());
            format!(
                "The app's own files do not declare it; the manifest of {plugin} adds it. `elvask trim --strip {}` removes it from the merge.\n",
                clean(&requirement.name)
            )
        }
        None => "It is not declared: there is nothing to remove.\n".to_owned(),
    }
}
