//! `elvask demo`.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use serde::Serialize;

use super::{Done, Outcome, typed};
use crate::options::{Demo, DemoLayout, Format, Options};
use crate::output::{Failure, Output};
use crate::render::style::{GOOD, HEADING, NOTE, paint};
use crate::render::{width, wrap};

/// The sample apps: paths below `demo/` and what the files hold.
const FILES: &[(&str, &[u8])] = include!(concat!(env!("OUT_DIR"), "/demo.rs"));

/// What the owner of the sample app would say, were they asked.
const GIVEN: [&str; 3] = [
    "--purpose=camera=Photographs the ring on a bird's leg.",
    "--answer=knot_banner.app_id=knot-48210077",
    "--answer=knot_banner.ios_app_id=knot-48210078",
];

/// What the owner of one of the smaller apps would say.
const GIVEN_SMALL: [&str; 1] = ["--purpose=camera=Photographs the ring on a bird's leg."];

/// One step of the walk.
struct Step {
    words: &'static [&'static str],
    given: bool,
    told: &'static str,
    shows: &'static str,
}

const STEPS: [Step; 6] = [
    Step {
        words: &["survey"],
        given: false,
        told: "Ten plugins have been added to Marram, a field notebook for people who ring birds on a salt marsh. Lines were copied from the plugins' pages, as one does. First, what the app declares by now, with the plugins that need each thing.",
        shows: "Read what stands in red: it is in the file, and the platform does not look there.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "Now what is missing or wrong. Each finding marks its place, names the plugin that needs it and the line of the sheet that says so, tells what happens on a device if it stays, and shows the lines that mend it. (`elvask check -q` gives one line for each.)",
        shows: "The exit code is 1: something is found that breaks on a device, in the build or in review.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "Four links are named in elvask.toml with what each must open. Which of them do, on both platforms, with the website that lies in the folder site?",
        shows: "Two filters were folded into one, a category is missing, a host is known to one platform alone, and the website names another certificate.",
    },
    Step {
        words: &["fill"],
        given: true,
        told: "Now all that can be mended is mended. Three values only the owner can give; the rest stands in the sheets and in elvask.toml. Nothing else in the files changes: comments, order and indentation stay.",
        shows: "On a terminal, `elvask fill` asks for such values and shows the diff before it writes.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "And the check again.",
        shows: "The exit code is 0. What is waived stands in elvask.toml with its reason.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "And the links.",
        shows: "`elvask link try https://marram.example/site/42 --site site` tells of one link how it is decided and how the app is told.",
    },
];

pub(crate) fn run(options: &Demo, all: &Options, output: &Output) -> Done {
    let folder = unpack(options)?;
    let human = options.format == Format::Human;
    if options.unpack {
        if human {
            output.result(&format!("The sample app is in {}\n", typed(&folder)));
        } else {
            output.json(&Record { format: 1, folder: folder.display().to_string(), steps: Vec::new() });
        }
        return Ok(Outcome::Clean);
    }
    let program = std::env::current_exe()
        .map_err(|error| Failure::new(format!("this program cannot be found again: {error}")))?;
    let (walk, given) = options.layout.walk();
    let mut steps = Vec::new();
    let mut last = Outcome::CouldNotRun;
    for (at, step) in walk.iter().enumerate() {
        if human {
            announce((at, walk.len()), step, given, &folder, output);
        }
        let given = if step.given { given } else { &[] };
        let done = perform(&program, step, given, &folder, all, human, output)?;
        if human {
            output.result(&format!("\n{}\n\n", wrap(step.shows, width().min(100), 0).trim_end()));
        }
        last = match done.exit {
            0 => Outcome::Clean,
            1 => Outcome::Found,
            _ => Outcome::CouldNotRun,
        };
        steps.push(done);
    }
    if human {
        let text = format!(
            "{}\nThe app is in {}. Try things there:\n  cd {}\n{}",
            paint(GOOD, "That was the main job."),
            typed(&folder),
            typed(&folder),
            options.layout.more()
        );
        output.result(&text);
    } else {
        output.json(&Record { format: 1, folder: folder.display().to_string(), steps });
    }
    Ok(last)
}

/// The walk over an app whose platform files are made of one document.
const STEPS_SMALL: [Step; 6] = [
    Step {
        words: &["survey"],
        given: false,
        told: "Three plugins have been added to Marram, a field notebook for people who ring birds on a salt marsh. Its platform folders are made by the layout's tools, from one document that a person writes, and nothing has been made yet. What the app declares stands in that document all the same, and in what its plugins put in.",
        shows: "Each line has its place in the document, or in the plugin that brings it along.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "What is missing or wrong, judged on the manifest and the property list as the tools would make them.",
        shows: "The lines that mend it are those of the document: what is made anew is never written.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "One link is named in elvask.toml with what it must open.",
        shows: "The app has no scheme yet.",
    },
    Step {
        words: &["fill"],
        given: true,
        told: "Now all that can be mended is mended, in the document. Comments, order and indentation stay.",
        shows: "On a terminal, `elvask fill` asks for what only the owner can say, and shows the diff before it writes.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "And the check again.",
        shows: "The exit code is 0. The tools make the platform folders of the document when the app is built.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "And the link.",
        shows: "It opens the app on both platforms.",
    },
];

/// What the owner of the app for Android alone would say.
const GIVEN_GRADLE: [&str; 1] = ["--answer=example.knot:banner.app_id=knot-48210077"];

/// The walk over the app for Android alone.
const STEPS_GRADLE: [Step; 6] = [
    Step {
        words: &["survey"],
        given: false,
        told: "Marram for Android alone: Kotlin scripts, a version catalog, two flavors, and three libraries that the catalog names. What they require stands in sheets of the app's own, under elvask/sheets.",
        shows: "What the build states stands beside what the manifest declares.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "What is missing or wrong, judged on the release variant of each flavor.",
        shows: "A Gradle plugin goes into the app's script by the name that the catalog has for it, a repository into the settings.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "One link is named in elvask.toml with what it must open.",
        shows: "No activity takes it yet.",
    },
    Step {
        words: &["fill"],
        given: true,
        told: "Now all that can be mended is mended, in the scripts and in the manifest. Comments, order and indentation stay.",
        shows: "On a terminal, `elvask fill` asks for what only the owner can say, and shows the diff before it writes.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "And the check again.",
        shows: "The exit code is 0, and the last line says what was looked at: there is no iOS side.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "And the link.",
        shows: "It opens the app, whichever flavor is installed.",
    },
];

impl DemoLayout {
    /// Returns what else there is to try.
    fn more(self) -> &'static str {
        match self {
            DemoLayout::Npm | DemoLayout::Pubspec => {
                "  elvask why bluetooth\n  elvask sheet show curlew_dictation   (it has no sheet: its own files tell)\n  elvask explain query-missing\n"
            }
            DemoLayout::Gradle => {
                "  elvask survey --variants\n  elvask why camera\n  elvask withdraw scheme marram --dry-run\n"
            }
            DemoLayout::Widget | DemoLayout::Appjson => {
                "  elvask why camera\n  elvask declare bluetooth --purpose bluetooth=\"Reads the scale.\"\n  elvask withdraw scheme marram --dry-run\n"
            }
        }
    }

    /// Returns the walk over the app, and what its owner would say.
    fn walk(self) -> (&'static [Step], &'static [&'static str]) {
        match self {
            DemoLayout::Npm | DemoLayout::Pubspec => (&STEPS, &GIVEN),
            DemoLayout::Gradle => (&STEPS_GRADLE, &GIVEN_GRADLE),
            DemoLayout::Widget | DemoLayout::Appjson => (&STEPS_SMALL, &GIVEN_SMALL),
        }
    }
}

#[derive(Serialize)]
struct Record {
    format: u32,
    folder: String,
    steps: Vec<StepRecord>,
}

#[derive(Serialize)]
struct StepRecord {
    command: Vec<String>,
    exit: i32,
    output: serde_json::Value,
}

fn announce((at, of): (usize, usize), step: &Step, given: &[&str], folder: &Path, output: &Output) {
    let number = paint(HEADING, &format!("{} of {of}", at + 1));
    let told = wrap(step.told, width().min(100), 0);
    let mut command = format!("elvask {} {}", step.words.join(" "), typed(folder));
    if step.given {
        for given in given {
            let (option, value) = given.split_once('=').unwrap_or((given, ""));
            let (name, text) = value.split_once('=').unwrap_or((value, ""));
            let value = if text.contains(' ') { format!("{name}=\"{text}\"") } else { value.to_owned() };
            command.push_str(&format!(" \\\n      {option} {value}"));
        }
    }
    output.result(&format!("{number}\n{told}\n  {}\n\n", paint(NOTE, &format!("$ {command}"))));
}

/// Runs one command on the app, as a person would.
fn perform(
    program: &Path,
    step: &Step,
    given: &[&str],
    folder: &Path,
    all: &Options,
    human: bool,
    output: &Output,
) -> Result<StepRecord, Failure> {
    let mut command = Command::new(program);
    command.args(step.words).arg(folder);
    if step.given {
        // There is nobody to ask: the values are given.
        command.args(given).arg("--yes");
    }
    if all.quiet {
        command.arg("--quiet");
    }
    if human {
        command.args(["--color", output.color_word()]);
    } else {
        command.args(["--format", "json"]);
    }
    let failed = |error| Failure::new(format!("{} cannot be run: {error}", program.display()));
    let words = |command: &Command| {
        let mut words = vec!["elvask".to_owned()];
        words.extend(command.get_args().map(|word| word.to_string_lossy().into_owned()));
        words
    };
    if human {
        let status = command.status().map_err(failed)?;
        let output = serde_json::Value::Null;
        return Ok(StepRecord { command: words(&command), exit: status.code().unwrap_or(2), output });
    }
    let ran = command.output().map_err(failed)?;
    let read = serde_json::from_slice(&ran.stdout).unwrap_or_default();
    Ok(StepRecord { command: words(&command), exit: ran.status.code().unwrap_or(2), output: read })
}

/// Unpacks one of the apps and returns its folder.
fn unpack(options: &Demo) -> Result<PathBuf, Failure> {
    let folder = match &options.into {
        Some(folder) => folder.clone(),
        None => fresh_folder()?,
    };
    let failed = |path: &Path, error: std::io::Error| Failure::new(format!("{}: {error}", path.display()));
    fs::create_dir_all(&folder).map_err(|error| failed(&folder, error))?;
    let folder = fs::canonicalize(&folder).map_err(|error| failed(&folder, error))?;
    let mut inside = fs::read_dir(&folder).map_err(|error| failed(&folder, error))?;
    if inside.next().is_some() {
        let failure = Failure::new(format!("{}: the folder is not empty; nothing is unpacked", folder.display()));
        return Err(failure.hint("name a folder that is empty or not there yet"));
    }
    for (name, bytes) in contents(options.layout) {
        let path = folder.join(&name);
        if let Some(parent) = path.parent() {
            fs::create_dir_all(parent).map_err(|error| failed(parent, error))?;
        }
        fs::write(&path, bytes).map_err(|error| failed(&path, error))?;
    }
    Ok(folder)
}

fn fresh_folder() -> Result<PathBuf, Failure> {
    let base = std::env::temp_dir();
    for number in 0..1000 {
        let folder = base.join(format!("elvask-demo-{}-{number}", std::process::id()));
        match fs::create_dir(&folder) {
            Ok(()) => return Ok(folder),
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(Failure::new(format!("{}: {error}", folder.display()))),
        }
    }
    Err(Failure::new(format!("{}: no new folder can be made", base.display())))
}

/// Returns the files of an app. What the packages have in common in both layouts is stored once, under `plugins/`.
fn contents(layout: DemoLayout) -> Vec<(String, &'static [u8])> {
    let (own, marker) = match layout {
        DemoLayout::Npm => ("npm/", "package.json"),
        DemoLayout::Pubspec => ("pubspec/", "pubspec.yaml"),
        // The smaller ones hold their packages whole.
        DemoLayout::Widget => ("widget/", ""),
        DemoLayout::Appjson => ("appjson/", ""),
        DemoLayout::Gradle => ("gradle/", ""),
    };
    let mut files = Vec::new();
    for (name, bytes) in FILES {
        // The website is the same whatever the app is made with.
        if name.starts_with("site/") && !marker.is_empty() {
            files.push(((*name).to_owned(), *bytes));
        }
        let Some(name) = name.strip_prefix(own) else { continue };
        // Git would heed a file of that name here in the project, and leave the packages out.
        files.push((name.replace("dot-gitignore", ".gitignore"), *bytes));
        let package = name.strip_suffix(marker).filter(|package| !package.is_empty() && !marker.is_empty());
        let Some(package) = package else { continue };
        let folder = package.trim_end_matches('/').rsplit('/').next().unwrap_or_default();
        let plugin = folder.split('-').next().unwrap_or(folder);
        let shared = format!("plugins/{plugin}/");
        files.extend(
            FILES
                .iter()
                .filter_map(|(name, bytes)| Some((format!("{package}{}", name.strip_prefix(&shared)?), *bytes))),
        );
    }
    files
}
