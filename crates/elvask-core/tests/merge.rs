//! The merge of manifests: small cases in `merge/*.txt`, each with its inputs and the effective manifest with all origins.
//!
//! An element is written with its attributes and, behind `@`, the input and line that it comes from; `+` names weaker inputs
//! that have it too. An attribute of another origin says so, and what it won over. `ELVASK_WRITE_CASES=1` writes what comes
//! out into the files, to be read before it is believed.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use elvask_markup::Span;
use elvask_markup::xml::Document;
use elvask_project::gradle::Stated;
use elvask_project::merge::{Input, Library, Merged, MergedElement, Role, Values};
use elvask_project::source::{FileId, Place, Sources};

use crate::support::Case;

/// Splits `a=1 b="x y"` into pairs.
fn pairs(text: &str) -> BTreeMap<String, String> {
    let words = text.split_whitespace();
    words.filter_map(|word| word.split_once('=')).map(|(key, value)| (key.to_owned(), value.to_owned())).collect()
}

fn run(case: &Case) -> String {
    run_among(case, 0)
}

/// Runs a case, with so many more elements at the ends of the strongest manifest and of its application, on lines that are there.
fn run_among(case: &Case, more: usize) -> String {
    let mut sources = Sources::new(Path::new("/app"));
    let build = sources.add(Path::new("/app/build"), "build");
    let mut documents = Vec::new();
    for (head, body) in case.sections.iter().filter(|(head, _)| !head.starts_with("values")) {
        let mut words = head.split_whitespace();
        let kind = words.next().unwrap();
        let given = pairs(head);
        let package = given.get("package").map(|package| format!(" package=\"{package}\"")).unwrap_or_default();
        let root = given.get("root").map(|root| format!(" {}", root.replace("~", "\""))).unwrap_or_default();
        let text = format!(
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\"{package}{root}>\n{body}</manifest>\n"
        );
        let numbered = |element: &str| -> String {
            (0..more).map(|at| format!("<{element} android:name=\"neighbour.of{at}\"/>")).collect()
        };
        let text = if documents.is_empty() {
            let inside = format!("{}</application>", numbered("meta-data"));
            let end = format!("{}</manifest>", numbered("uses-feature"));
            text.replacen("</application>", &inside, 1).replacen("</manifest>", &end, 1)
        } else {
            text
        };
        let number = |key: &str| given.get(key).map(|value| value.parse().unwrap());
        let (name, role, namespace) = match kind {
            "main" => ("main".to_owned(), Role::Main, Some("example.app".to_owned())),
            "library" => {
                let name = words.next().unwrap().to_owned();
                let library = Library {
                    name: name.clone(),
                    plugin: None,
                    min_level: number("min"),
                    target_level: number("target"),
                    levels_unknown: given.contains_key("unknown"),
                };
                (name.clone(), Role::Library(library), Some(name))
            }
            set => (set.to_owned(), Role::SourceSet(set.to_owned()), Some("example.app".to_owned())),
        };
        let namespace = match given.get("namespace").map(String::as_str) {
            Some("none") => None,
            _ => namespace,
        };
        let file = sources.add(&PathBuf::from(format!("/app/{name}")), text.clone());
        let document = Document::parse(text).unwrap_or_else(|error| panic!("{}: {error}", case.title));
        documents.push((file, document, role, namespace));
    }
    let inputs: Vec<_> = documents
        .iter()
        .map(|(file, document, role, namespace)| Input {
            file: *file,
            document,
            role: role.clone(),
            namespace: namespace.clone(),
        })
        .collect();
    let values = case.sections.iter().find(|(head, _)| head.starts_with("values"));
    let given = pairs(values.map(|(head, _)| head.as_str()).unwrap_or_default());
    let place = Some(Place { file: build, span: Span::at(0) });
    let text = |key: &str| match given.get(key).map(String::as_str) {
        Some("?") => Stated { value: None, place, written: Some("?".to_owned()) },
        Some(value) => Stated { value: Some(value.to_owned()), place, written: None },
        None => Stated::default(),
    };
    let number = |key: &str| {
        let stated = text(key);
        Stated { value: stated.value.map(|value| value.parse().unwrap()), place: stated.place, written: stated.written }
    };
    let placeholders = given.keys().filter_map(|key| Some((key.strip_prefix("put.")?.to_owned(), text(key)))).collect();
    let values = Values {
        id: text("id"),
        version_code: number("code"),
        version_name: text("name"),
        min_level: number("min"),
        target_level: number("target"),
        placeholders,
        more_placeholders: given.contains_key("more"),
        in_source: Vec::new(),
    };
    let merged = Merged::of(&inputs, &values).unwrap();
    let mut out = String::new();
    dump(&merged, merged.root(), &sources, 0, &mut out);
    for removed in &merged.removed {
        let what = [Some(removed.element.clone()), removed.key.clone(), removed.attribute.clone()];
        let taken: Vec<_> = removed.taken.iter().map(|(place, _)| at(&sources, *place)).collect();
        let taken = if taken.is_empty() { "nothing".to_owned() } else { taken.join(", ") };
        let what: Vec<_> = what.into_iter().flatten().collect();
        let _ = writeln!(out, "! {} by {}: {taken}", what.join(" "), at(&sources, removed.by));
    }
    for problem in &merged.problems {
        let other =
            problem.other.as_ref().map(|(place, value, _)| format!(" against {} {value}", at(&sources, *place)));
        let head = format!("? {:?} {} {}", problem.conflict, problem.element, problem.subject);
        let line = format!("{head} at {} {}{}", at(&sources, problem.place), problem.value, other.unwrap_or_default());
        out.push_str(line.trim_end());
        out.push('\n');
    }
    for one in merged.unfilled.iter().filter(|one| one.stated.is_some()) {
        let _ = writeln!(out, "? unknown ${{{}}} at {}", one.name, at(&sources, one.place));
    }
    out.trim_end().to_owned()
}

fn at(sources: &Sources, place: Place) -> String {
    let file: FileId = place.file;
    format!("{}:{}", sources.file(file).shown, sources.position(place).line)
}

fn dump(merged: &Merged<'_>, element: &MergedElement<'_>, sources: &Sources, depth: usize, out: &mut String) {
    let own = at(sources, element.place);
    let _ = write!(out, "{}{}", "  ".repeat(depth), element.name);
    for attribute in &element.attributes {
        let name = attribute.name.written();
        let _ = write!(out, " {}=\"{}\"", name.strip_prefix("android:").unwrap_or(&name), attribute.value);
        let origin = at(sources, attribute.place);
        if attribute.input != Some(element.input) {
            let _ = write!(out, "@{origin}");
        }
        for lost in &attribute.overrode {
            let _ = write!(out, "(over {} {})", at(sources, lost.place), lost.value);
        }
    }
    let also: String = element.also.iter().map(|(_, place)| format!(" +{}", at(sources, *place))).collect();
    let implied = element.implied.map(|asked| format!(" implied {asked}")).unwrap_or_default();
    let _ = writeln!(out, " @{own}{also}{}", implied.trim_end());
    for child in merged.children(element) {
        dump(merged, child, sources, depth + 1, out);
    }
}

#[test]
fn cases_come_out_as_written() {
    crate::support::run_all("merge", 80, run);
}

#[test]
fn what_many_neighbours_stand_beside_is_merged_the_same() {
    crate::support::run_all("merge", 80, |case| {
        let among = run_among(case, 40);
        let lines: Vec<_> = among.lines().filter(|line| !line.contains("neighbour.of")).collect();
        lines.join("\n")
    });
}
