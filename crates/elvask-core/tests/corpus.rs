//! Made-up packages in the forms that real ones take, with the truth beside each: how much of what they require is learnt
//! from each kind of evidence, and how much of what is learnt is true.
//!
//! Each file of `corpus/` is one package: its files under `=== path`, then the truth, a line for each thing that a kind of
//! evidence shows: `evidence | platform | kind | name | strength | value`, the last two where they are worth stating.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::io::{Cursor, Write as _};
use std::path::Path;

use elvask_needs::evidence::{Evidence, learn};
use elvask_project::files::Memory;

/// The least precision and recall, in hundredths, for each kind of evidence.
const LEAST: [(&str, f64, f64); 4] =
    [("manifest", 100.0, 100.0), ("source", 98.0, 98.0), ("readme", 97.0, 93.0), ("build", 98.0, 98.0)];

/// The fewest packages.
const PACKAGES: usize = 40;

struct Package {
    name: String,
    files: Memory,
    truth: Vec<Fact>,
}

#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Item {
    evidence: String,
    platform: String,
    kind: String,
    name: String,
}

struct Fact {
    item: Item,
    strength: Option<String>,
    value: Option<String>,
}

fn read(name: &str, text: &str) -> Package {
    let mut files = Memory::default();
    let mut truth = Vec::new();
    for section in text.split("=== ").filter(|section| !section.trim().is_empty()) {
        let (head, body) = section.split_once('\n').unwrap_or((section, ""));
        if head == "truth" {
            truth = body.lines().filter(|line| !line.trim().is_empty()).map(fact).collect();
        } else if let Some((archive, inside)) = head.split_once('!') {
            let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
            zip.start_file(inside, zip::write::SimpleFileOptions::default()).unwrap();
            zip.write_all(body.as_bytes()).unwrap();
            files.put(format!("/package/{archive}"), zip.finish().unwrap().into_inner());
        } else {
            files.put(format!("/package/{head}"), body.as_bytes());
        }
    }
    Package { name: name.to_owned(), files, truth }
}

fn fact(line: &str) -> Fact {
    let cells: Vec<_> = line.split('|').map(str::trim).collect();
    let cell = |at: usize| cells.get(at).map(|text| (*text).to_owned()).filter(|text| !text.is_empty());
    let item = Item {
        evidence: cell(0).unwrap(),
        platform: cell(1).unwrap(),
        kind: cell(2).unwrap(),
        name: cell(3).unwrap_or_else(|| panic!("{line}")),
    };
    Fact { item, strength: cell(4), value: cells.get(5..).map(|rest| rest.join("|")).filter(|text| !text.is_empty()) }
}

fn packages() -> Vec<Package> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/corpus");
    #[expect(clippy::disallowed_methods, reason = "the cases stand in files")]
    let entries = std::fs::read_dir(folder).unwrap();
    let mut paths: Vec<_> = entries.map(|entry| entry.unwrap().path()).collect();
    paths.sort();
    #[expect(clippy::disallowed_methods, reason = "the cases stand in files")]
    let text = |path: &Path| std::fs::read_to_string(path).unwrap();
    paths.iter().map(|path| read(&path.file_stem().unwrap().to_string_lossy(), &text(path))).collect()
}

/// Returns what was learnt, an item for each kind of evidence that shows it.
fn items(evidence: &Evidence) -> BTreeSet<Item> {
    let mut out = BTreeSet::new();
    for learned in &evidence.requirements {
        for citation in &learned.citations {
            out.insert(Item {
                evidence: citation.kind.id().to_owned(),
                platform: learned.need.platform().id().to_owned(),
                kind: learned.kind().id().to_owned(),
                name: learned.name.clone(),
            });
        }
    }
    out
}

#[derive(Default)]
struct Score {
    right: usize,
    wrong: usize,
    missed: usize,
}

impl Score {
    fn precision(&self) -> f64 {
        percent(self.right, self.right + self.wrong)
    }

    fn recall(&self) -> f64 {
        percent(self.right, self.right + self.missed)
    }
}

fn percent(part: usize, whole: usize) -> f64 {
    if whole == 0 { 100.0 } else { part as f64 * 100.0 / whole as f64 }
}

#[test]
fn what_packages_require_is_learnt_from_their_own_files() {
    let packages = packages();
    assert!(packages.len() >= PACKAGES, "{} packages", packages.len());
    let mut scores: BTreeMap<String, Score> = BTreeMap::new();
    let (mut details, mut stated, mut agreed) = (String::new(), 0, 0);
    for package in &packages {
        let evidence = learn(&package.files, Path::new("/package"));
        let found = items(&evidence);
        let truth: BTreeSet<_> = package.truth.iter().map(|fact| fact.item.clone()).collect();
        assert_eq!(truth.len(), package.truth.len(), "{}: a line of the truth is declared twice", package.name);
        for item in found.union(&truth) {
            let score = scores.entry(item.evidence.clone()).or_default();
            let (mark, count) = match (found.contains(item), truth.contains(item)) {
                (true, true) => ("", &mut score.right),
                (true, false) => ("wrong", &mut score.wrong),
                _ => ("missed", &mut score.missed),
            };
            *count += 1;
            if !mark.is_empty() {
                let _ = writeln!(
                    details,
                    "{mark}: {}: {} {} {} {}",
                    package.name, item.evidence, item.platform, item.kind, item.name
                );
            }
        }
        for fact in package.truth.iter().filter(|fact| found.contains(&fact.item)) {
            let learned = evidence.requirements.iter().find(|learned| {
                learned.kind().id() == fact.item.kind
                    && learned.name == fact.item.name
                    && learned.need.platform().id() == fact.item.platform
            });
            let Some(learned) = learned else { continue };
            let strength = serde_json::to_value(learned.strength).unwrap().as_str().unwrap().to_owned();
            let pairs = [(fact.strength.clone(), Some(strength)), (fact.value.clone(), learned.need.value())];
            for (wanted, given) in pairs {
                let Some(wanted) = wanted else { continue };
                stated += 1;
                if given.as_deref() == Some(wanted.as_str()) {
                    agreed += 1;
                } else {
                    let _ =
                        writeln!(details, "differs: {}: {}: {given:?}, not {wanted:?}", package.name, fact.item.name);
                }
            }
        }
    }
    let mut table = format!(
        "{:<10} {:>6} {:>6} {:>7} {:>10} {:>7}\n",
        "evidence", "right", "wrong", "missed", "precision", "recall"
    );
    for (kind, score) in &scores {
        let (precision, recall) = (score.precision(), score.recall());
        let _ = writeln!(
            table,
            "{kind:<10} {:>6} {:>6} {:>7} {precision:>10.1} {recall:>7.1}",
            score.right, score.wrong, score.missed
        );
    }
    let _ = writeln!(table, "strengths and values: {agreed} of {stated} as stated, in {} packages", packages.len());
    println!("{table}\n{details}");
    for (kind, precision, recall) in LEAST {
        let score = scores.remove(kind).unwrap_or_default();
        assert!(score.right > 0, "{kind}: nothing was learnt\n{table}");
        assert!(score.precision() >= precision && score.recall() >= recall, "{kind}\n{table}\n{details}");
    }
    assert!(percent(agreed, stated) >= 97.0, "{table}\n{details}");
}

#[test]
fn a_draft_of_every_package_is_a_sheet() {
    use elvask_needs::sheet::{Sheet, write::draft};
    for package in packages() {
        let evidence = learn(&package.files, Path::new("/package"));
        let text = draft("wader", Some("1.0.0"), &[], &evidence);
        let (sheet, problems) = Sheet::parse(&text, None);
        assert_eq!(problems, [], "{}\n{text}", package.name);
        let wanted = evidence.requirements.iter().filter(|learned| !learned.brought).count();
        assert_eq!(sheet.requires.len(), wanted, "{}\n{text}", package.name);
    }
}
