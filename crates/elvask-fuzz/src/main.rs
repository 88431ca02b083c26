//! Runs the targets on changed input for a while, and tells what broke.
//!
//! Each target runs in a process of its own, so that a stack that overflows ends only that; it writes down where it is before each input, which
//! is made anew from that number.

use std::io::{Read as _, Seek as _, Write as _};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode, Stdio};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use clap::Parser;
use elvask_fuzz::{Corpus, TARGETS, Target, mutated};
use fastrand::Rng;

/// How long one input may take.
const SLOW: Duration = Duration::from_secs(4);
/// How long one may take before the process is ended.
const STUCK: Duration = Duration::from_secs(40);

/// Runs targets on changed input, and tells what broke.
#[derive(Debug, Parser)]
#[command(
    max_term_width = 100,
    after_help = "\
Examples:
  cargo run --release -p elvask-fuzz -- --seconds 120
  cargo run --release -p elvask-fuzz -- --seconds 600 --target xml-edit
  cargo run --release -p elvask-fuzz -- --replay crates/elvask-fuzz/corpus/xml/found-1 --target xml

Exit codes: 0 nothing broke, 1 something did, 2 it could not run."
)]
struct Options {
    /// How long to run in all, in seconds.
    #[arg(long, default_value_t = 60)]
    seconds: u64,
    /// The target; may be given several times. Without it, all.
    #[arg(long = "target", value_name = "NAME")]
    targets: Vec<String>,
    /// The number to start from; without it, the time.
    #[arg(long)]
    seed: Option<u64>,
    /// How many targets run at a time.
    #[arg(long, default_value_t = 2)]
    jobs: usize,
    /// Where input that broke something is put.
    #[arg(long, value_name = "DIR", default_value = "target/fuzz")]
    found: PathBuf,
    /// Runs one file through one target and tells what comes of it.
    #[arg(long, value_name = "FILE")]
    replay: Option<PathBuf>,
    /// Runs one target in this process; for the program itself.
    #[arg(long, hide = true)]
    worker: bool,
}

fn project() -> PathBuf {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    here.ancestors().nth(2).unwrap_or(here).to_owned()
}

fn main() -> ExitCode {
    let options = Options::parse();
    match run(&options) {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::from(1),
        Err(error) => {
            let _ = writeln!(std::io::stderr(), "error: {error}");
            ExitCode::from(2)
        }
    }
}

fn run(options: &Options) -> Result<bool, String> {
    let corpus = Corpus::read(&project());
    let named = |target: &&Target| options.targets.is_empty() || options.targets.iter().any(|name| name == target.name);
    let targets: Vec<&Target> = TARGETS.iter().filter(named).collect();
    if targets.is_empty() {
        let names: Vec<_> = TARGETS.iter().map(|target| target.name).collect();
        return Err(format!("no target of that name; there are {}", names.join(", ")));
    }
    if let Some(file) = &options.replay {
        let mut bytes = Vec::new();
        let opened = std::fs::OpenOptions::new().read(true).open(file);
        opened
            .and_then(|mut file| file.read_to_end(&mut bytes))
            .map_err(|error| format!("{}: {error}", file.display()))?;
        for target in targets {
            let started = Instant::now();
            (target.run)(&corpus, &bytes)?;
            say(&format!("{}: nothing breaks, in {:?}", target.name, started.elapsed()));
        }
        return Ok(true);
    }
    let start = options.seed.unwrap_or_else(|| fastrand::u64(..));
    if options.worker {
        let target = targets.first().ok_or("no target")?;
        return work(target, &corpus, start, options);
    }
    say(&format!("{} files to start from, seed {start}", corpus.files().len()));
    let each = options.seconds * options.jobs.max(1) as u64 / targets.len().max(1) as u64;
    let left = Mutex::new(targets.into_iter());
    let broken = AtomicU64::new(0);
    std::thread::scope(|scope| {
        for _ in 0..options.jobs.max(1) {
            scope.spawn(|| {
                // The lock is given back before the target runs.
                let next = || left.lock().ok().and_then(|mut left| left.next());
                while let Some(target) = next() {
                    match supervise(target, &corpus, start, each, options) {
                        Ok(found) => drop(broken.fetch_add(found, Ordering::SeqCst)),
                        Err(error) => {
                            broken.fetch_add(1, Ordering::SeqCst);
                            say(&format!("{}: {error}", target.name));
                        }
                    }
                }
            });
        }
    });
    Ok(broken.load(Ordering::SeqCst) == 0)
}

fn say(text: &str) {
    let _ = writeln!(std::io::stdout().lock(), "{text}");
}

/// The input number `at` of a target that starts from some files.
fn input(seeds: &[&[u8]], start: u64, at: u64) -> Vec<u8> {
    let mut rng = Rng::with_seed(start.wrapping_mul(0x9E37_79B9_7F4A_7C15).wrapping_add(at));
    let empty: &[u8] = b"";
    let seed = if seeds.is_empty() { empty } else { seeds.get(rng.usize(0..seeds.len())).copied().unwrap_or(empty) };
    mutated(&mut rng, seed, seeds)
}

/// Lets a target run in processes of its own until the time is up. Returns how many inputs broke it.
fn supervise(target: &Target, corpus: &Corpus, start: u64, seconds: u64, options: &Options) -> Result<u64, String> {
    let program = std::env::current_exe().map_err(|error| error.to_string())?;
    let began = Instant::now();
    let (mut done, mut found) = (0, 0);
    let mut seed = start;
    while began.elapsed() < Duration::from_secs(seconds) && found < 20 {
        let left = seconds.saturating_sub(began.elapsed().as_secs()).max(1);
        let mut command = Command::new(&program);
        command.args([
            "--worker",
            "--target",
            target.name,
            "--seed",
            &seed.to_string(),
            "--seconds",
            &left.to_string(),
        ]);
        command.arg("--found").arg(&options.found).stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::null());
        let output = command.output().map_err(|error| error.to_string())?;
        let said = String::from_utf8_lossy(&output.stdout).into_owned();
        for line in said.lines() {
            match line.split_once(' ') {
                Some(("done", number)) => done += number.parse().unwrap_or(0),
                Some(("broke", what)) => {
                    found += 1;
                    say(&format!("BROKEN {}: {what}", target.name));
                }
                _ => {}
            }
        }
        if !said.contains("\ndone ") && !said.starts_with("done ") {
            // It ended without a word: a stack that overflowed, memory that ran out, or an input that took too long.
            found += 1;
            let last = std::fs::File::open(state_of(target, options)).and_then(|mut file| {
                let mut number = [0; 8];
                file.read_exact(&mut number)?;
                Ok(u64::from_le_bytes(number))
            });
            let last = last.map_err(|error| format!("where it was is not known: {error}"))?;
            done += last;
            let bytes = input(&corpus.seeds(target.name, target.seeds), seed, last);
            let path = keep(target, &bytes, options)?;
            say(&format!("BROKEN {}: the process ended ({}); {}", target.name, output.status, path.display()));
        }
        seed = seed.wrapping_add(0x1_0000_0001);
    }
    say(&format!("{}: {done} inputs in {} s, {found} broke it", target.name, began.elapsed().as_secs()));
    Ok(found)
}

/// The file in which a process writes down which input it is at.
fn state_of(target: &Target, options: &Options) -> PathBuf {
    options.found.join(format!("{}.at", target.name))
}

fn keep(target: &Target, bytes: &[u8], options: &Options) -> Result<PathBuf, String> {
    let sum = bytes.iter().fold(5_381_u64, |sum, byte| sum.wrapping_mul(33) ^ u64::from(*byte));
    let path = options.found.join(target.name).join(format!("{sum:016x}"));
    let folder = path.parent().unwrap_or(&path);
    std::fs::create_dir_all(folder).and_then(|()| std::fs::write(&path, bytes)).map_err(|error| error.to_string())?;
    Ok(path)
}

/// Returns the processor's time that this thread has had, where the system tells.
fn processor_time() -> Option<Duration> {
    let mut told = String::new();
    std::fs::File::open("/proc/thread-self/schedstat").ok()?.read_to_string(&mut told).ok()?;
    let nanoseconds = told.split_whitespace().next()?.parse().ok()?;
    Some(Duration::from_nanos(nanoseconds))
}

/// Runs a target until the time is up or something breaks.
fn work(target: &Target, corpus: &Corpus, start: u64, options: &Options) -> Result<bool, String> {
    let seeds = corpus.seeds(target.name, target.seeds);
    let began = Instant::now();
    let since = Arc::new(Mutex::new(Instant::now()));
    let watched = Arc::clone(&since);
    std::thread::spawn(move || {
        loop {
            std::thread::sleep(Duration::from_secs(1));
            if watched.lock().is_ok_and(|since| since.elapsed() > STUCK) {
                std::process::exit(3);
            }
        }
    });
    std::panic::set_hook(Box::new(|_| {}));
    let path = state_of(target, options);
    let folder = path.parent().unwrap_or(&path);
    let state = std::fs::create_dir_all(folder).and_then(|()| std::fs::File::create(&path));
    let mut state = state.map_err(|error| format!("{}: {error}", path.display()))?;
    let mut at: u64 = 0;
    let mut seen: Vec<String> = Vec::new();
    while began.elapsed() < Duration::from_secs(options.seconds) {
        let noted = state.rewind().and_then(|()| state.write_all(&at.to_le_bytes()));
        noted.map_err(|error| error.to_string())?;
        let bytes = input(&seeds, start, at);
        let started = Instant::now();
        if let Ok(mut since) = since.lock() {
            *since = started;
        }
        let done = catch_unwind(AssertUnwindSafe(|| (target.run)(corpus, &bytes)));
        let took = started.elapsed();
        let wrong = match done {
            Err(panic) => {
                let text = panic.downcast_ref::<String>().cloned();
                let text = text.or_else(|| panic.downcast_ref::<&str>().map(|text| (*text).to_owned()));
                Some(format!("panic: {}", text.unwrap_or_default()))
            }
            Ok(Err(wrong)) => Some(wrong),
            // A machine that does something else meanwhile makes all slow: what counts is the processor's time.
            Ok(Ok(())) if took > SLOW => {
                if let Ok(mut since) = since.lock() {
                    *since = Instant::now();
                }
                let before = processor_time();
                let _ = catch_unwind(AssertUnwindSafe(|| (target.run)(corpus, &bytes)));
                let took = before.zip(processor_time()).map_or(took, |(before, after)| after.saturating_sub(before));
                (took > SLOW).then(|| format!("{} bytes took {took:?}", bytes.len()))
            }
            Ok(Ok(())) => None,
        };
        at += 1;
        let Some(wrong) = wrong else { continue };
        let short: String = wrong.chars().take(300).collect::<String>().replace('\n', " ");
        let kind: String = short.chars().filter(|letter| !letter.is_ascii_digit()).take(40).collect();
        if !seen.contains(&kind) {
            let path = keep(target, &bytes, options)?;
            say(&format!("broke {short}; {}", path.display()));
            seen.push(kind);
        }
    }
    say(&format!("done {at}"));
    Ok(seen.is_empty())
}
