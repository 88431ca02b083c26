//! Cases in text files: `=== title`, then sections that start with `--- head`, the last of which holds what comes out.

use std::fmt::Write as _;
use std::path::Path;

/// One case.
#[derive(Default)]
pub(crate) struct Case {
    pub(crate) title: String,
    /// Heads and bodies, without the one that holds the result.
    pub(crate) sections: Vec<(String, String)>,
    expected: String,
}

const RESULT: &str = "result";

fn read(text: &str) -> Vec<Case> {
    let mut cases: Vec<Case> = Vec::new();
    for line in text.lines() {
        if let Some(title) = line.strip_prefix("=== ") {
            cases.push(Case { title: title.to_owned(), ..Case::default() });
        } else if let (Some(head), Some(case)) = (line.strip_prefix("--- "), cases.last_mut()) {
            case.sections.push((head.to_owned(), String::new()));
        } else if let Some((_, body)) = cases.last_mut().and_then(|case| case.sections.last_mut()) {
            body.push_str(line);
            body.push('\n');
        }
    }
    for case in &mut cases {
        for (_, body) in case.sections.iter_mut().filter(|(_, body)| !body.is_empty()) {
            *body = format!("{}\n", body.trim_end());
        }
        case.sections.retain(|(head, body)| {
            if head == RESULT {
                case.expected = body.trim_end().to_owned();
            }
            head != RESULT
        });
    }
    cases
}

/// Runs the cases of all files in a folder. There must be at least `least` of them. With `ELVASK_WRITE_CASES` set, what comes
/// out is written into the files instead.
#[track_caller]
#[expect(clippy::disallowed_methods, reason = "the cases lie on the disk, beside the tests")]
pub(crate) fn run_all(folder: &str, least: usize, run: impl Fn(&Case) -> String) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests").join(folder);
    let mut files: Vec<_> = std::fs::read_dir(&folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    let write = is_asked_to_write("ELVASK_WRITE_CASES");
    let (mut count, mut wrong) = (0, Vec::new());
    for file in files {
        let text = std::fs::read_to_string(&file).unwrap();
        let mut out = text.split("=== ").next().unwrap_or_default().to_owned();
        for case in read(&text) {
            count += 1;
            let found = run(&case);
            if found != case.expected {
                let (title, expected) = (&case.title, &case.expected);
                wrong.push(format!("{}: {title}\nexpected:\n{expected}\nfound:\n{found}\n", file.display()));
            }
            let _ = writeln!(out, "=== {}", case.title);
            for (head, body) in &case.sections {
                let _ = write!(out, "--- {head}\n{body}");
            }
            let _ = writeln!(out, "--- {RESULT}\n{found}\n");
        }
        if write {
            std::fs::write(&file, out.trim_end().to_owned() + "\n").unwrap();
        }
    }
    assert!(write || wrong.is_empty(), "{} of {count} cases:\n{}", wrong.len(), wrong.join("\n"));
    assert!(count >= least, "only {count} cases");
}

/// Says whether pinned files are to be written anew, which a machine that judges the code must never do.
#[allow(dead_code, reason = "not every test file has pinned files")]
pub(crate) fn is_asked_to_write(variable: &str) -> bool {
    let asked = std::env::var_os(variable).is_some();
    assert!(!asked || std::env::var_os("CI").is_none(), "{variable} is set, and CI is too: nothing would be compared");
    asked
}
