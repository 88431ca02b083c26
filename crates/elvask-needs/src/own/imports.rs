//! The packages that code uses.

use super::scan::Source;
use super::walk::Language;
use super::{Import, OwnCode};

/// How far before the name of a package the words stand that say what is taken from it, in bytes.
const MAX_LIST: usize = 4_000;

/// The most names that are remembered of one package in one file.
const MAX_NAMES: usize = 200;

/// Reads what stands at a word that may bring a package in.
pub(super) fn read(source: &Source<'_>, start: usize, end: usize, out: &mut OwnCode) {
    let text = source.text;
    let whole = |at: usize| text.get(..at).is_none_or(|before| !before.ends_with(is_name));
    if is_commented(text, start) || !whole(start) && !text.get(start..).is_some_and(|rest| rest.starts_with('@')) {
        return;
    }
    let rest = text.get(end..).unwrap_or_default();
    match source.language {
        Language::Script => script(source, start, end, rest, out),
        Language::Dart => dart(source, start, rest, out),
        Language::CSharp if text.get(start..end) == Some("using ") => {
            let name = rest.split([';', '=', '(']).next().unwrap_or_default().trim().trim_start_matches("static ");
            add(source, start, name.trim(), Vec::new(), out);
        }
        Language::Native => native(source, start, rest, out),
        Language::CSharp => {}
    }
}

/// Says whether the line of a place starts as a comment.
fn is_commented(text: &str, at: usize) -> bool {
    let line = text.get(..at).and_then(|before| before.rsplit('\n').next()).unwrap_or_default().trim_start();
    line.starts_with("//") || line.starts_with('*') || line.starts_with("/*")
}

fn is_name(letter: char) -> bool {
    letter.is_alphanumeric() || matches!(letter, '_' | '$')
}

/// Returns the text in quotes that a stretch starts with, after space.
fn quoted(rest: &str) -> Option<&str> {
    let rest = rest.trim_start();
    let quote = rest.chars().next().filter(|first| matches!(first, '"' | '\'' | '`'))?;
    let inside = rest.get(1..)?;
    let end = inside.find([quote, '\n'])?;
    inside.get(..end)
}

fn script(source: &Source<'_>, start: usize, end: usize, rest: &str, out: &mut OwnCode) {
    let text = source.text;
    let before = |from: &str| {
        let least = start.saturating_sub(MAX_LIST);
        let least = (least..start).find(|at| text.is_char_boundary(*at)).unwrap_or(start);
        let stretch = text.get(least..start).unwrap_or_default();
        stretch.rfind(from).map(|at| (least + at, stretch.get(at + from.len()..).unwrap_or_default()))
    };
    match text.get(start..end) {
        Some("from") => {
            let Some(module) = quoted(rest).filter(|module| is_of_a_package(module)) else { return };
            // What stands between the keyword and this word; another statement in between belongs to something else.
            let Some((_, list)) = before("import").or_else(|| before("export")) else { return };
            if list.contains([';', '=', '('])
                || list.trim_start().starts_with("type ")
                || list.trim_start().starts_with("typeof ")
            {
                return;
            }
            let taken = taken(list);
            let names = names_of(&taken);
            source.remember(&taken, add(source, start, module, names, out));
        }
        Some("import") => {
            // `import 'x'` and `import('x')`.
            let rest = rest.trim_start();
            let rest = rest.strip_prefix('(').unwrap_or(rest);
            if let Some(module) = quoted(rest) {
                add(source, start, module, Vec::new(), out);
            }
        }
        Some("require(") => {
            let Some(module) = quoted(rest).filter(|module| is_of_a_package(module)) else { return };
            let line = text.get(..start).and_then(|before| before.rsplit(['\n', ';']).next()).unwrap_or_default();
            let list = line.trim_end().strip_suffix('=').unwrap_or_default();
            let list =
                ["const ", "let ", "var "].iter().find_map(|word| list.split_once(word)).map_or("", |(_, list)| list);
            let taken = taken(&list.replace(':', " as "));
            let mut names = names_of(&taken);
            // `require('x').Part`
            let behind = rest.split_once(')').map_or("", |(_, behind)| behind);
            if let Some(member) = behind.strip_prefix('.') {
                names.extend(member.split(|letter| !is_name(letter)).next().map(str::to_owned));
            }
            source.remember(&taken, add(source, start, module, names, out));
        }
        _ => {}
    }
}

/// What a statement takes from a package: each name there with the name that it has in the file.
fn taken(list: &str) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for part in list.split(['{', '}', ',']).map(str::trim).filter(|part| !part.is_empty()) {
        let mut words = part.split_whitespace();
        let (Some(first), second, third) = (words.next(), words.next(), words.next()) else { continue };
        match (first, second, third) {
            ("type", ..) => {}
            ("*", Some("as"), Some(local)) => out.push((String::new(), local.to_owned())),
            (name, Some("as"), Some(local)) => out.push((name.to_owned(), local.to_owned())),
            (name, ..) if name.starts_with(is_name) => out.push((name.to_owned(), name.to_owned())),
            _ => {}
        }
    }
    out
}

/// Returns the names that are taken from a package.
fn names_of(taken: &[(String, String)]) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for (name, _) in taken.iter().filter(|(name, _)| !name.is_empty()).take(MAX_NAMES) {
        if !names.contains(name) {
            names.push(name.clone());
        }
    }
    names
}

/// Adds what the file takes from each name that it has of a package: `Ring` of `Birds.Ring`. All names in one pass.
pub(super) fn members(source: &Source<'_>, out: &mut OwnCode) {
    let locals = source.locals.borrow();
    if locals.is_empty() {
        return;
    }
    let bytes = source.text.as_bytes();
    let name = |letter: u8| letter.is_ascii_alphanumeric() || matches!(letter, b'_' | b'$');
    // Most dots are behind something that ends otherwise.
    let mut ends = [false; 256];
    for last in locals.iter().filter_map(|(local, _)| local.bytes().last()) {
        if let Some(end) = ends.get_mut(usize::from(last)) {
            *end = true;
        }
    }
    let may_end = |at: usize| bytes.get(at).is_some_and(|byte| ends.get(usize::from(*byte)) == Some(&true));
    for dot in memchr::memchr_iter(b'.', bytes) {
        let Some(last) = dot.checked_sub(1) else { continue };
        let last = if bytes.get(last) == Some(&b'?') { last.saturating_sub(1) } else { last };
        if !may_end(last) {
            continue;
        }
        let before = bytes.get(..=last).unwrap_or_default();
        let start = before.iter().rposition(|letter| !name(*letter)).map_or(0, |at| at + 1);
        // The middle of a longer path belongs to something else.
        if start.checked_sub(1).and_then(|at| bytes.get(at)) == Some(&b'.') {
            continue;
        }
        let owner = source.text.get(start..=last).unwrap_or_default();
        for (_, module) in locals.iter().filter(|(local, _)| local == owner) {
            let behind = source.text.get(dot + 1..).unwrap_or_default();
            let member = behind.split(|letter| !is_name(letter)).next().unwrap_or_default();
            let known = out.imports.iter_mut().find(|known| known.module == *module);
            if let Some(known) = known.filter(|known| !member.is_empty() && known.names.len() < MAX_NAMES)
                && !known.names.iter().any(|one| one == member)
            {
                known.names.push(member.to_owned());
            }
        }
    }
}

fn dart(source: &Source<'_>, start: usize, rest: &str, out: &mut OwnCode) {
    let Some(path) = quoted(rest).and_then(|module| module.strip_prefix("package:")) else { return };
    let statement = rest.split(';').next().unwrap_or_default();
    let shown = statement.split_once(" show ").map_or("", |(_, shown)| shown);
    let names = shown.split(',').map(|name| name.trim().to_owned()).filter(|name| !name.is_empty()).collect();
    let module = path.split('/').next().unwrap_or(path);
    add(source, start, module, names, out);
}

fn native(source: &Source<'_>, start: usize, rest: &str, out: &mut OwnCode) {
    let rest = rest.trim_start();
    // `#import <Pod/Header.h>`, `import Pod`, `import a.b.C`
    let written = rest.strip_prefix('<').unwrap_or(rest);
    let end = written.find(|letter: char| !is_name(letter) && letter != '.').unwrap_or(written.len());
    let name = written.get(..end).unwrap_or_default().trim_end_matches('.');
    if !name.is_empty() {
        add(source, start, name, Vec::new(), out);
    }
}

/// Says whether what is brought in is a package: what starts with a dot, a slash or a sign for the app's own folders is not.
fn is_of_a_package(written: &str) -> bool {
    !(written.is_empty() || written.starts_with(['.', '/', '~', '#']) || written.starts_with("@/"))
}

/// Notes the use of a package; `written` may go on with a path into it. Returns the package's name.
fn add(source: &Source<'_>, at: usize, written: &str, mut names: Vec<String>, out: &mut OwnCode) -> Option<String> {
    if !is_of_a_package(written) {
        return None;
    }
    let script = matches!(source.language, Language::Script);
    let (module, path) = match written.strip_prefix('@').filter(|_| script) {
        Some(scoped) => {
            let mut parts = scoped.splitn(3, '/');
            let (Some(scope), Some(name)) = (parts.next(), parts.next()) else { return None };
            (format!("@{scope}/{name}"), parts.next().unwrap_or_default())
        }
        None if script => {
            let (name, path) = written.split_once('/').unwrap_or((written, ""));
            (name.to_owned(), path)
        }
        None => (written.to_owned(), ""),
    };
    names.extend(path.rsplit('/').next().filter(|last| !last.is_empty()).map(str::to_owned));
    match out.imports.iter_mut().find(|known| known.module == module) {
        Some(known) => {
            for name in names {
                if !known.names.contains(&name) {
                    known.names.push(name);
                }
            }
        }
        None => out.imports.push(Import { module: module.clone(), names, citation: source.citation(at) }),
    }
    Some(module)
}

/// Reads an object of the page: `navigator.camera`, and all that it is part of.
pub(super) fn global(source: &Source<'_>, start: usize, out: &mut OwnCode) {
    if source.language != Language::Script || !source.is_code(start) {
        return;
    }
    let text = source.text;
    let before = text.get(..start).unwrap_or_default();
    let from = before
        .rfind(|letter: char| !is_name(letter) && letter != '.')
        .map_or(0, |at| at + before.get(at..).and_then(|rest| rest.chars().next()).map_or(1, char::len_utf8));
    let rest = text.get(from..).unwrap_or_default();
    let end = rest.find(|letter: char| !is_name(letter) && letter != '.').unwrap_or(rest.len());
    let chain = rest.get(..end).unwrap_or_default().trim_end_matches('.').trim_start_matches("window.");
    let mut path = String::new();
    for part in chain.split('.').take(4) {
        if !path.is_empty() {
            path.push('.');
        }
        path.push_str(part);
        if !out.globals.iter().any(|(known, _)| *known == path) {
            out.globals.push((path.clone(), source.citation(from)));
        }
    }
}
