//! `elvask watch`.

use std::collections::BTreeMap;
use std::io::{IsTerminal as _, Write as _};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::sleep;
use std::time::Duration;

use elvask_core::app::{App, Look};
use elvask_core::check::{Report, check};
use elvask_core::finding::Finding;
use elvask_project::files::{Disk, FileKind, Files as _, Remembered, Stamp, shown};
use elvask_record::{CheckRecord, WatchRecord};
use signal_hook::consts::{SIGINT, SIGTERM};

use super::{Done, Outcome, choice, load_choosing, root_of, settings};
use crate::options::Format;
use crate::options::watch::Watch;
use crate::output::{Failure, Output};
use crate::render::style::{FAINT, paint};
use crate::render::{clean, count, cut_to, size, snippet};
use crate::report::human::summary;

/// How often the files are looked at. What was saved is judged within twice this time.
const PAUSE: Duration = Duration::from_millis(200);

/// A screen of its own, and back.
const ENTER: &str = "\u{1b}[?1049h\u{1b}[?25l";
const LEAVE: &str = "\u{1b}[?25h\u{1b}[?1049l";

/// What tells whether one of these has changed: of a file that is not there nothing.
type Stamps = BTreeMap<PathBuf, Option<Stamp>>;

pub(crate) fn run(options: &Watch, output: &Output) -> Done {
    let over = Arc::new(AtomicBool::new(false));
    for signal in [SIGINT, SIGTERM] {
        signal_hook::flag::register(signal, Arc::clone(&over))
            .map_err(|error| Failure::new(format!("the system does not tell when to end: {error}")))?;
    }
    let root = root_of(&options.app.choice)?;
    let chosen = choice(&root, &options.app.choice, Look::WithoutSheet)?;
    let settings = settings(options.release);
    let files = Remembered::default();
    let mut app = load_choosing(&root, &options.app.choice, chosen.clone(), output)?;
    let in_lines = options.app.format == Format::Json || !std::io::stdout().is_terminal();
    let mut screen = Screen::enter(!in_lines);
    let mut before: Vec<String> = Vec::new();
    let mut changed: Vec<PathBuf> = Vec::new();
    let mut report = check(&app, &settings);
    loop {
        let stamps = stamps(&app);
        let now: Vec<String> = report.findings.iter().filter(|one| one.counts()).map(name_of).collect();
        match in_lines {
            true => line(&app, &report, &changed, output),
            false => screen.draw(&app, &report, (&changed, &before, &now)),
        }
        before = now;
        let Some(found) = next_change(stamps, &over) else { break };
        changed = found;
        // While a folder of the app is moved there may be none: what was known stays until there is one again.
        if let Ok(again) = app.load_again(&files, &chosen, &changed) {
            app = again;
            report = check(&app, &settings);
        }
    }
    drop(screen);
    if !in_lines {
        output.result(&summary(&app, &report, 0));
    }
    Ok(Outcome::Clean)
}

/// Returns what tells a finding from others between two checks.
fn name_of(finding: &Finding) -> String {
    format!("{} {} {}", finding.rule.id, finding.subject, finding.message)
}

/// Returns the stamps of all that was read of the app, of what may come to be, and of the folders in which those are.
fn stamps(app: &App) -> Stamps {
    let mut all = Stamps::new();
    for source in app.sources.all() {
        all.insert(source.path.clone(), Disk.stamp(&source.path));
        if let Some(folder) = source.path.parent().filter(|folder| folder.starts_with(&app.root)) {
            all.entry(folder.to_owned()).or_insert_with(|| Disk.stamp(folder));
        }
    }
    let beside = ["elvask.toml", "elvask", "elvask/sheets", "node_modules", "package.json", "pubspec.yaml"];
    for path in beside.iter().map(|name| app.root.join(name)).chain([app.root.clone()]) {
        all.entry(path.clone()).or_insert_with(|| Disk.stamp(&path));
    }
    all
}

/// Waits until something is another one than it was, and nothing has changed for a pause. `None` when the end is asked for.
fn next_change(mut known: Stamps, over: &AtomicBool) -> Option<Vec<PathBuf>> {
    let mut changed: Vec<PathBuf> = Vec::new();
    loop {
        if over.load(Ordering::Relaxed) {
            return None;
        }
        sleep(PAUSE);
        let mut calm = true;
        for (path, stamp) in &mut known {
            let now = Disk.stamp(path);
            if now != *stamp {
                *stamp = now;
                calm = false;
                if !changed.contains(path) {
                    changed.push(path.clone());
                }
            }
        }
        if calm && !changed.is_empty() {
            // A folder has changed with the file in it; it is named where nothing else is.
            let named: Vec<_> =
                changed.iter().filter(|path| Disk.kind(path) != Some(FileKind::Folder)).cloned().collect();
            return Some(if named.is_empty() { changed } else { named });
        }
    }
}

fn names(app: &App, changed: &[PathBuf]) -> Vec<String> {
    changed.iter().map(|path| shown(path, &app.root)).collect()
}

/// Prints a check in one line.
fn line(app: &App, report: &Report, changed: &[PathBuf], output: &Output) {
    let check = CheckRecord::of(app, &app.sources, report, 0, false);
    output.json_line(&WatchRecord { changed: names(app, changed), check });
}

/// A screen that is left when it goes out of scope, however that comes.
struct Screen {
    on: bool,
}

impl Screen {
    fn enter(on: bool) -> Self {
        if on {
            Screen::put(ENTER);
        }
        Screen { on }
    }

    fn put(text: &str) {
        let mut stream = std::io::stdout().lock();
        let _ = stream.write_all(text.as_bytes()).and_then(|()| stream.flush());
    }

    /// Draws what is found, in as many lines as there are.
    fn draw(&mut self, app: &App, report: &Report, (changed, before, now): (&[PathBuf], &[String], &[String])) {
        let (width, height) = size();
        let mut lines: Vec<String> = vec![summary(app, report, 0).trim_end().to_owned(), String::new()];
        let findings: Vec<&Finding> = report.findings.iter().filter(|one| one.counts()).collect();
        let room = height.saturating_sub(5).max(1);
        for finding in findings.iter().take(room) {
            let line = snippet::line(&app.sources, finding);
            let mark = if before.is_empty() || before.contains(&name_of(finding)) { "  " } else { "+ " };
            lines.push(cut_to(&format!("{mark}{}", line.trim_end()), width));
        }
        if findings.len() > room {
            lines.push(paint(FAINT, &format!("  and {} more: `elvask check` lists them", findings.len() - room)));
        }
        let gone = before.iter().filter(|one| !now.contains(one)).count();
        let new = now.iter().filter(|one| !before.contains(one)).count();
        let what = match changed {
            [] => "watching: each save is checked".to_owned(),
            changed => {
                let names = names(app, changed);
                let first = names.first().map(|name| clean(Path::new(name).to_string_lossy().as_ref()).into_owned());
                let more =
                    if names.len() > 1 { format!(" and {}", count(names.len() - 1, "other")) } else { String::new() };
                format!("{}{more} changed: {new} new, {gone} gone", first.unwrap_or_default())
            }
        };
        lines.push(String::new());
        lines.push(cut_to(&paint(FAINT, &format!("{what}. Ctrl-C ends it.")), width));
        // Each line is written over, and what is left below is taken away: nothing flickers.
        let text: String = lines.iter().map(|line| format!("{line}\u{1b}[K\r\n")).collect();
        Screen::put(&format!("\u{1b}[H{}\u{1b}[J", text.trim_end_matches("\r\n")));
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        if self.on {
            Screen::put(LEAVE);
        }
    }
}
