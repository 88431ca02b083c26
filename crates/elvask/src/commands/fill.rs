//! `elvask fill`.

use std::collections::HashSet;
use std::io::Write as _;
use std::path::Path;

use elvask_core::app::{App, Look};
use elvask_core::check::check_texts;
use elvask_core::fill::{FillError, Outcome as Filled, fill_through_only, is_asked_for, is_picked, wants};
use elvask_core::finding::{Finding, Level};
use elvask_core::keep::{KeepError, with_answers};
use elvask_core::needs::{Settings, is_unfilled_purpose};
use elvask_needs::remedy::Want;
use elvask_platform::names::nearest;
use elvask_platform::{capability, ios};
use elvask_project::files::Disk;
use elvask_project::layout::FILE_NAME;
use elvask_project::write::Change;
use elvask_record::{FORMAT, FillRecord, FindingRecord, MendedRecord, PlaceRecord, SummaryRecord, WantRecord};

use super::apply::{Bounds, FileChange, Write, changes, file_records, whole_diff, write};
use super::{Done, Outcome, choice, load, none_is_found, settings};
use crate::input::{ask, can_ask, confirm};
use crate::options::{Fill, Format, GivenOptions};
use crate::output::{Failure, Output};
use crate::render::style::{GOOD, HEADING, WARNING, paint};
use crate::render::{clean, count, snippet, width, wrap};

pub(crate) fn run(options: &Fill, output: &Output) -> Done {
    let app = load(&options.app.choice, output)?;
    let mut settings = settings(options.release);
    settings.only.clone_from(&options.only);
    settings.plugins = plugins(&options.plugin, &app)?;
    if !settings.only.is_empty() {
        none_is_found(settings.only.iter(), &elvask_core::check::check(&app, &settings))?;
    }
    given(&options.given, &app, &mut settings)?;
    let human = options.app.format == Format::Human;
    let asking = human && can_ask() && !options.yes && !options.dry_run;
    if options.each && !asking {
        let failure = Failure::new("--each asks about each finding, and there is no terminal to ask on");
        return Err(failure.hint("--only RULE and --plugin PLUGIN choose without a question"));
    }
    let Some(mut filled) = plan(options, &app, &settings, None, output)? else { return Ok(Outcome::CouldNotRun) };
    if asking && !filled.wants().is_empty() {
        ask_for(&filled.wants(), &app, &mut settings, output);
        if let Some(again) = plan(options, &app, &settings, None, output)? {
            filled = again;
        }
    }
    if options.each {
        let chosen = ask_of_each(&app, &settings, output);
        let Some(again) = plan(options, &app, &settings, Some(&chosen), output)? else {
            return Ok(Outcome::CouldNotRun);
        };
        filled = again;
    }
    let mut files = changes(&app, &filled.sources, &filled.changed)?;
    let keep = options.keep || asking && !settings.answers.is_empty() && confirm(KEEP);
    if keep {
        files.extend(kept(&app, &settings)?);
    }
    let undo: String = files.iter().map(FileChange::reverse).collect();
    let prints = options.undo_patch.as_deref() == Some(Path::new("-"));
    let patch = options.undo_patch.as_deref().filter(|_| !prints && !files.is_empty());
    // The whole path, so that the line that takes it back holds in whatever folder it is typed.
    let patch = patch.map(std::path::absolute).transpose();
    let patch = patch.map_err(|error| Failure::new(format!("--undo-patch: {error}; nothing is written")))?;
    if let Some(path) = &patch {
        keep_patch(path, &undo)?;
    }
    let mut written = false;
    if options.dry_run {
        if human {
            // For people it is drawn; for programs it is exact, line ends and all, so that it can be applied.
            output.result(&whole_diff(&files, output));
        }
    } else if !files.is_empty() {
        let wanted = if asking { Write::Ask } else { Write::Yes };
        let done = write(&files, wanted, &Bounds::of(&app, &options.given.consents), output);
        if let (Some(path), false) = (&patch, matches!(done, Ok(true))) {
            // There is nothing to take back.
            let _ = std::fs::remove_file(path);
        }
        written = done?;
        if asking && !written {
            return Ok(Outcome::Found);
        }
    }
    let mut next = if written { next_steps(&app, &settings, &filled, &files, keep) } else { Vec::new() };
    if let Some(path) = patch.filter(|_| written) {
        next.push(format!(
            "To take it back: `git apply {0}`, or `patch -p1 < {0}`, in the folder of the app.",
            path.display()
        ));
    }
    if human {
        tell(options, &filled, &files, written, &next, output);
    } else {
        output.json(&record(options, &app, &filled, &files, written, next));
    }
    if written && human && prints {
        output.result(&undo);
    }
    let left = filled.left.count(Level::Error) > 0 || !filled.wants().is_empty();
    Ok(if left { Outcome::Found } else { Outcome::Clean })
}

const KEEP: &str = "Keep these answers in elvask.toml, so that the next check knows them?";

/// Returns what keeps the answers of this command in `elvask.toml`.
fn kept(app: &App, settings: &Settings) -> Result<Option<FileChange>, Failure> {
    config_change(app, |text| with_answers(text, &settings.answers))
}

/// Returns the change of `elvask.toml` that another text of it makes; `None` where the text stays as it is.
pub(crate) fn config_change(
    app: &App,
    change: impl Fn(&str) -> Result<String, KeepError>,
) -> Result<Option<FileChange>, Failure> {
    let known = app.config_file().map(|file| app.sources.file(file));
    let old = known.map_or("", |file| file.text.as_ref());
    let new = change(old).map_err(|error| Failure::new(error.to_string()))?;
    if new == old {
        return Ok(None);
    }
    let path = known.map_or_else(|| app.root.join(FILE_NAME), |file| file.path.clone());
    let before = known.map(elvask_project::source::SourceFile::bytes_read);
    let change = Change { path, before, after: new.clone().into_bytes() };
    Ok(Some(FileChange::new(FILE_NAME, change, old, &new)))
}

/// Reads the names of plugins, and refuses those that the app does not have.
fn plugins(names: &[String], app: &App) -> Result<Vec<String>, Failure> {
    for name in names {
        if !app.plugins().iter().any(|plugin| plugin.name == *name) {
            let known = app.plugins().iter().filter(|plugin| !plugin.own).map(|plugin| plugin.name.as_str());
            let failure = Failure::new(format!("--plugin {name}: the app has no plugin of that name"));
            return Err(match nearest(name, known) {
                Some(meant) => failure.hint(format!("did you mean `{meant}`?")),
                None => failure.hint("`elvask sheet list` names the plugins of the app"),
            });
        }
    }
    Ok(names.to_vec())
}

/// What tells a finding from others: rule, subject and message.
type Chosen = HashSet<(&'static str, String, String)>;

fn chosen_as(finding: &Finding) -> (&'static str, String, String) {
    (finding.rule.id, finding.subject.clone(), finding.message.clone())
}

/// Asks about each finding that can be mended, and returns those that are to be.
fn ask_of_each(app: &App, settings: &Settings, output: &Output) -> Chosen {
    let report = elvask_core::check::check(app, settings);
    let offered: Vec<&Finding> = report
        .findings
        .iter()
        // A note is offered too: to be asked about is to be named.
        .filter(|one| one.counts() && one.remedy.kind() == "edit" && is_asked_for(settings, one))
        .collect();
    let mut chosen = Chosen::new();
    for (at, finding) in offered.iter().enumerate() {
        output.say(snippet::finding(&app.sources, finding).trim_end());
        let question = format!("{} of {}: mend it? [y]es, [n]o, [a]ll that are left, [q]uit", at + 1, offered.len());
        let answer = ask(&question).unwrap_or_default().to_lowercase();
        match answer.as_str() {
            "y" | "yes" => {
                chosen.insert(chosen_as(finding));
            }
            "a" | "all" => {
                let left = offered.iter().skip(at);
                chosen.extend(left.filter(|one| !one.waits_for_its_name()).map(|one| chosen_as(one)));
                break;
            }
            "q" | "quit" => break,
            _ => {}
        }
        output.say("");
    }
    chosen
}

/// Writes the patch that takes everything back. A file that is there is left alone.
fn keep_patch(path: &Path, patch: &str) -> Result<(), Failure> {
    let failed =
        |error: std::io::Error| Failure::new(format!("--undo-patch {}: {error}; nothing is written", path.display()));
    let mut file = std::fs::OpenOptions::new().write(true).create_new(true).open(path).map_err(failed)?;
    file.write_all(patch.as_bytes()).and_then(|()| file.sync_all()).map_err(failed)
}

/// Plans the mending, of chosen findings alone where some are; `None` where something cannot be read, which is then told.
fn plan(
    options: &Fill,
    app: &App,
    settings: &Settings,
    chosen: Option<&Chosen>,
    output: &Output,
) -> Result<Option<Filled>, Failure> {
    let human = options.app.format == Format::Human;
    let wanted = |finding: &Finding| match chosen {
        Some(chosen) => chosen.contains(&chosen_as(finding)),
        None => is_picked(settings, finding),
    };
    match fill_through_only(&Disk, &choice(&app.root, &options.app.choice, Look::WithoutSheet)?, app, settings, wanted)
    {
        Ok(filled) => Ok(Some(filled)),
        Err(FillError::Obstacles(report)) => {
            if human {
                for obstacle in report.obstacles() {
                    output.say(snippet::finding(&app.sources, obstacle).trim_end());
                    output.say("");
                }
                output.say("Nothing is written: what cannot be read must be corrected first.");
            } else {
                output.json(&elvask_record::CheckRecord::of(app, &app.sources, &report, 0, false));
            }
            Ok(None)
        }
        Err(error) => Err(Failure::new(error.to_string())),
    }
}

/// Reads what the command line gives, and refuses what nobody asked for.
pub(crate) fn given(options: &GivenOptions, app: &App, settings: &mut Settings) -> Result<(), Failure> {
    for purpose in &options.purposes {
        let (name, text) = purpose.split_once('=').ok_or_else(|| {
            Failure::new(format!("--purpose {purpose}: write a name, `=` and the text"))
                .hint("for example --purpose camera=\"Photographs the ring.\"")
        })?;
        let known = || {
            capability::capabilities().map(|known| known.name).chain(ios::usage_keys().iter().map(|known| known.key))
        };
        if !known().any(|known| known == name) {
            let hint = nearest(name, known()).map_or_else(String::new, |meant| format!("; did you mean `{meant}`?"));
            return Err(Failure::new(format!(
                "--purpose {name}: that is neither a capability nor a purpose key{hint}"
            )));
        }
        if is_unfilled_purpose(text) {
            return Err(Failure::new(format!("--purpose {name}: the text is empty or not filled in yet: \"{text}\"")));
        }
        settings.purposes.push((name.to_owned(), text.to_owned()));
    }
    for answer in &options.answers {
        let parts = answer.split_once('=').and_then(|(name, value)| Some((name.rsplit_once('.')?, value)));
        let Some(((plugin, key), value)) = parts else {
            let failure = Failure::new(format!(
                "--answer {answer}: write the plugin, a dot, the name of the answer, `=` and the value"
            ));
            return Err(failure.hint("for example --answer knot_banner.app_id=knot-48210077"));
        };
        check_answer(app, plugin, key, value)?;
        settings.answers.push((plugin.to_owned(), key.to_owned(), value.to_owned()));
    }
    settings.consents.extend(options.consents.iter().cloned());
    Ok(())
}

/// Refuses an answer that no sheet asks for or that does not have the form that its sheet states.
fn check_answer(app: &App, plugin: &str, key: &str, value: &str) -> Result<(), Failure> {
    let Some(found) = app.plugins().iter().find(|known| known.name == plugin) else {
        let hint = nearest(plugin, app.plugins().iter().map(|known| known.name.as_str()));
        let hint = hint.map_or_else(String::new, |meant| format!("; did you mean `{meant}`?"));
        return Err(Failure::new(format!("--answer {plugin}.{key}: the app has no plugin `{plugin}`{hint}")));
    };
    let sheet = found.sheet.as_ref().map(|found| &found.sheet);
    let asked = sheet.and_then(|sheet| sheet.answer(key));
    let shown = found.evidence.iter().any(|evidence| evidence.asks_for(key));
    if asked.is_none() && !shown && !matches!(key, "scheme" | "host") {
        let known: Vec<_> = sheet
            .map(|sheet| sheet.answers.iter().map(|answer| answer.key.text.as_str()).collect())
            .unwrap_or_default();
        let hint = match nearest(key, known.iter().copied()) {
            Some(meant) => format!("did you mean `{meant}`?"),
            None if sheet.is_none() => "it has no sheet, and its files ask for no such value".to_owned(),
            None if known.is_empty() => "its sheet asks for no values".to_owned(),
            None => format!("its sheet asks for {}", known.join(", ")),
        };
        return Err(Failure::new(format!("--answer {plugin}.{key}: {plugin} does not ask for `{key}`; {hint}")));
    }
    if elvask_core::needs::is_unfilled_purpose(value) {
        return Err(Failure::new(format!(
            "--answer {plugin}.{key}: the value is empty or not filled in yet: \"{value}\""
        )));
    }
    match asked.filter(|asked| !asked.fits(value)) {
        Some(asked) => {
            let form = asked.form().unwrap_or_default();
            let title = asked.title.as_deref().map(|title| format!(" ({title})")).unwrap_or_default();
            Err(Failure::new(format!("--answer {plugin}.{key}: \"{value}\" does not have the form {form}{title}")))
        }
        None => Ok(()),
    }
}

/// Asks the person on the terminal for what only they can say.
pub(crate) fn ask_for(wants: &[Want], app: &App, settings: &mut Settings, output: &Output) {
    output.say(&paint(HEADING, "Some values only you can give. An empty line leaves one out."));
    for want in wants {
        match want {
            Want::Purpose { key, .. } => {
                let opens = ios::usage_key(key).map_or("", |known| known.opens);
                let example = ios::purpose_example(key).map(|text| format!(" For example: {text}")).unwrap_or_default();
                let question = format!(
                    "\nWhat does the app do with the {opens}? People read this when iOS asks for it ({key}).{example}\n>"
                );
                if let Some(text) = ask(&question) {
                    if is_unfilled_purpose(&text) {
                        output.say("That text is not filled in yet; it is left out.");
                    } else {
                        settings.purposes.push((key.clone(), text));
                    }
                }
            }
            Want::Answer { plugin, key, title, pattern } => {
                let title = title.as_deref().unwrap_or(key);
                let form = pattern.as_deref().map(|form| format!(" It has the form {form}.")).unwrap_or_default();
                let question = format!("\n{plugin} asks for this: {title}.{form}\n>");
                while let Some(value) = ask(&clean(&question)) {
                    match check_answer(app, plugin, key, &value) {
                        Ok(()) => {
                            settings.answers.push((plugin.clone(), key.clone(), value));
                            break;
                        }
                        Err(failure) => output.failure(&failure),
                    }
                }
            }
            Want::Consent { subject, meaning } => {
                if confirm(&format!("\nA plugin asks for {}, which {meaning}. Write it?", clean(subject))) {
                    settings.consents.push(subject.clone());
                }
            }
        }
    }
}

/// Returns what a person must do after a file was written.
fn next_steps(app: &App, settings: &Settings, filled: &Filled, files: &[FileChange], kept: bool) -> Vec<String> {
    let mut steps = Vec::new();
    let only_site = app.site().is_some_and(|site| files.iter().all(|file| file.shown.starts_with(&site.shown)));
    steps.extend((!only_site).then(|| {
        "Stop the app, build it again and install it: a reload does not pick up changes of a manifest or Info.plist."
            .to_owned()
    }));
    if files.iter().any(|file| file.shown.ends_with(".plist")) {
        steps.push("On iOS, a device that was asked already does not ask again: delete the app first, or reset its permissions.".to_owned());
    }
    if files.iter().any(|file| file.shown.ends_with(".entitlements")) {
        steps.push("Turn the same capabilities on for the app id in the developer account, and generate its provisioning profile again.".to_owned());
    }
    if let Some(site) = app.site().filter(|site| files.iter().any(|file| file.shown.starts_with(&site.shown))) {
        steps.push(format!(
            "Put {} on the web; then `elvask link audit` asks the hosts whether they vouch for the app.",
            site.shown
        ));
    }
    if kept {
        return steps;
    }
    // An answer that is part of a name cannot be read back from what is declared.
    let unsaid = Settings { answers: Vec::new(), ..settings.clone() };
    let kept = wants(&check_texts(app, &filled.sources, &unsaid));
    for want in kept.iter().filter(|want| !filled.wants().contains(want)) {
        let (Want::Answer { plugin, key, .. }, Some((table, _))) = (want, want.config_place()) else { continue };
        let said = settings.answers.iter().find(|(name, given, _)| name == plugin && given == key);
        if let Some((_, _, value)) = said {
            steps.push(format!(
                "Write {key} = {value:?} under {table} in elvask.toml: a later check cannot know it otherwise."
            ));
        }
    }
    steps
}

fn tell(options: &Fill, filled: &Filled, files: &[FileChange], written: bool, next: &[String], output: &Output) {
    let mut text = String::new();
    let mended = distinct(&filled.mended);
    if files.is_empty() {
        text.push_str("There is nothing that `elvask fill` can mend.\n");
    } else if written {
        for file in files {
            text.push_str(&format!("{} {}\n", paint(GOOD, "wrote"), clean(&file.shown)));
        }
        if !output.quiet {
            text.push_str(&mended_lines(&mended));
        }
    }
    let wants = filled.wants();
    if !wants.is_empty() {
        text.push_str(&format!("\n{}\n", paint(WARNING, &format!("Still wanted ({}):", wants.len()))));
        for want in &wants {
            text.push_str(&format!("  {}\n", clean(&wanted(want))));
            for line in snippet::how_to_say(want).lines() {
                text.push_str(&format!("    {}\n", clean(line)));
            }
        }
    }
    let manual = left_to_a_person(filled);
    if !manual.is_empty() && !output.quiet {
        text.push_str(&format!("\n{}\n", paint(HEADING, "Left to you:")));
        for finding in manual {
            text.push_str("  ");
            text.push_str(&snippet::line(&filled.sources, finding));
            match finding.only_if_named {
                true => text.push_str(&format!("    if it is wanted: {}\n", snippet::command(finding))),
                false => text.push_str(&format!("    {}\n", clean(&finding.remedy.text()))),
            }
        }
    }
    if written && !output.quiet {
        text.push_str(&format!("\n{}\n", paint(HEADING, "Next:")));
        for step in next {
            text.push_str(&format!("  {}\n", clean(step)));
        }
    }
    if options.dry_run {
        if !files.is_empty() {
            text.push_str(&format!(
                "Nothing is written. Without --dry-run, {} would be.\n",
                count(files.len(), "file")
            ));
        }
        // The diff alone is the result, so that it can go into a file or into `git apply`.
        output.say(text.trim_end());
    } else {
        output.result(&text);
    }
}

/// Says what is mended, what one rule has found on one line.
fn mended_lines(mended: &[&Finding]) -> String {
    let mut rules: Vec<(&str, Vec<(&str, &str)>)> = Vec::new();
    for finding in mended {
        let (title, subject) = (finding.remedy.title(), finding.subject.as_str());
        match rules.iter_mut().find(|(rule, _)| *rule == finding.rule.id) {
            Some((_, known)) if known.iter().any(|(one, _)| *one == title) => {}
            Some((_, known)) => known.push((title, subject)),
            None => rules.push((finding.rule.id, vec![(title, subject)])),
        }
    }
    let mut out = String::new();
    for (rule, titles) in rules {
        // What is said of one thing alone names it.
        let about = match titles.as_slice() {
            [(title, subject)] if !title.contains(subject.rsplit('.').next().unwrap_or(subject)) => {
                format!(" {subject}")
            }
            _ => String::new(),
        };
        let titles: Vec<_> = titles.iter().map(|(title, _)| (*title).to_owned()).collect();
        out.push_str(&wrap(&clean(&format!("{} [{rule}{about}]", joined(&titles))), width(), 2));
    }
    out
}

/// Joins phrases; the words that all of them begin with are said once.
fn joined(titles: &[String]) -> String {
    let [first, rest @ ..] = titles else { return String::new() };
    let words = |text: &str| text.split(' ').map(str::to_owned).collect::<Vec<_>>();
    let first_words = words(first);
    let mut same = if rest.is_empty() { 0 } else { first_words.len() - 1 };
    for other in rest {
        let other = words(other);
        let equal = first_words.iter().zip(&other).take_while(|(one, other)| one == other).count();
        same = same.min(equal).min(other.len() - 1);
    }
    let tails = rest.iter().map(|title| words(title).split_off(same).join(" "));
    let mut out = vec![first.clone()];
    out.extend(tails);
    out.join(if same == 0 { "; " } else { ", " })
}

/// Leaves out what was mended again in a later round.
fn distinct(mended: &[Finding]) -> Vec<&Finding> {
    let mut seen = HashSet::new();
    mended.iter().filter(|finding| seen.insert((finding.rule.id, &finding.subject, &finding.message))).collect()
}

pub(crate) fn wanted(want: &Want) -> String {
    match want {
        Want::Purpose { key, .. } => {
            let opens = ios::usage_key(key).map_or("", |known| known.opens);
            format!("the purpose for {opens} ({key})")
        }
        Want::Answer { plugin, key, .. } => format!("{key} for {plugin}"),
        Want::Consent { subject, .. } => format!("your consent to {subject}"),
    }
}

fn left_to_a_person(filled: &Filled) -> Vec<&Finding> {
    let open = filled.left.findings.iter().filter(|finding| finding.counts() && finding.level > Level::Note);
    open.filter(|finding| finding.remedy.kind() == "manual" || finding.waits_for_its_name()).collect()
}

fn record(
    options: &Fill,
    app: &App,
    filled: &Filled,
    files: &[FileChange],
    written: bool,
    next: Vec<String>,
) -> FillRecord {
    let mended = |finding: &Finding| MendedRecord {
        rule: finding.rule.id,
        subject: finding.subject.clone(),
        message: finding.message.clone(),
        place: PlaceRecord::of(&app.sources, finding.place),
    };
    let left = filled.left.findings.iter().filter(|finding| finding.counts());
    FillRecord {
        format: FORMAT,
        written,
        dry_run: options.dry_run,
        files: file_records(files),
        undo: files.iter().map(FileChange::reverse).collect(),
        mended: distinct(&filled.mended).into_iter().map(mended).collect(),
        wanted: filled.wants().iter().map(WantRecord::from).collect(),
        left: left.map(|finding| FindingRecord::of(&filled.sources, finding)).collect(),
        summary: SummaryRecord::of(&filled.left),
        next,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_phrases_begin_with_is_said_once() {
        let joined = |titles: &[&str]| joined(&titles.iter().map(|title| (*title).to_owned()).collect::<Vec<_>>());
        assert_eq!(joined(&["declare CAMERA", "declare VIBRATE"]), "declare CAMERA, VIBRATE");
        assert_eq!(joined(&["add the scheme tel"]), "add the scheme tel");
        assert_eq!(joined(&["move it", "take it out"]), "move it; take it out");
    }
}
