//! Findings as few lines as will do: what one edit of one place mends is one block, each reason is told once, and of the proofs
//! the best one is shown.

use std::collections::HashSet;
use std::ops::Range;

use anstyle::Style;
use elvask_core::Edit;
use elvask_core::finding::{Finding, Level, NeededBy};
use elvask_needs::remedy::{Remedy, Want};
use elvask_needs::requirement::{Citation, EvidenceKind};
use elvask_project::source::{FileId, Place, SourceFile, Sources};
use unicode_width::{UnicodeWidthChar as _, UnicodeWidthStr};

use super::snippet::{command, fit, unmarked};
use super::style::{ADDED, ERROR, FAINT, HEADING, NOTE, REMOVED, WARNING, paint};
use super::{clean, clean_in_place, known_width, linked, width, wrap};

/// The most lines of one change that are shown.
const MAX_LINES: usize = 5;

/// The size from which on insertions are only put behind one another, in bytes: nobody sees so many.
const MAX_JOINED: usize = 8 * 1024;

/// The most columns of a path inside a package that are shown.
const MAX_PATH: usize = 36;

/// The most columns of a line of source that are shown where no terminal says how wide it is.
const MAX_COLUMNS: usize = 200;

/// Returns findings as blocks, in the order of their first places.
pub(crate) fn findings<'f>(sources: &Sources, findings: impl Iterator<Item = &'f Finding>) -> String {
    let mut blocks: Vec<Vec<&Finding>> = Vec::new();
    for finding in findings {
        match blocks.iter_mut().find(|block| block.first().is_some_and(|first| are_alike(first, finding))) {
            Some(block) => block.push(finding),
            None => blocks.push(vec![finding]),
        }
    }
    let mut told = HashSet::new();
    blocks.iter().map(|block| Block { sources, findings: block }.draw(&mut told) + "\n").collect()
}

/// Says whether two findings are one thing to a reader: the same rule, in the same file, with the same consequence.
fn are_alike(one: &Finding, other: &Finding) -> bool {
    one.rule.id == other.rule.id
        && one.place.file == other.place.file
        && one.effect == other.effect
        && one.waived == other.waived
}

struct Block<'f> {
    sources: &'f Sources,
    findings: &'f [&'f Finding],
}

impl<'f> Block<'f> {
    fn draw(&self, told: &mut HashSet<(&'f str, &'f str)>) -> String {
        let Some(first) = self.findings.first() else { return String::new() };
        let mut lines = Lines::default();
        for finding in self.findings {
            lines.title(finding);
        }
        let mut beside = proofs(self.findings).map(|proofs| format!("for {proofs}"));
        if let ([only], None, Some((place, label))) = (self.findings, &beside, &first.related)
            && place.file == only.place.file
        {
            beside = Some(format!("{label}: line {}", self.sources.position(*place).line));
        }
        let related_is_beside = first.related.is_some() && beside.as_ref().is_some_and(|one| !one.starts_with("for "));
        let rest = lines.place(self.sources, first.place, beside);
        self.changes(first.place.file, &mut lines);
        self.answers(&mut lines);
        self.steps(&mut lines);
        let mut said: Vec<String> = Vec::new();
        for finding in self.findings {
            if let Some((place, label)) = finding.related.as_ref().filter(|_| !related_is_beside) {
                said.push(format!("{label}: {}", at(self.sources, *place)));
            }
        }
        said.extend(rest);
        said.extend(self.findings.iter().filter_map(|finding| reached(finding)));
        let named =
            self.findings.iter().filter(|one| one.waits_for_its_name() && matches!(one.remedy, Remedy::Edit { .. }));
        let commands: Vec<_> = named.map(|finding| command(finding)).collect();
        if let [first, rest @ ..] = commands.as_slice() {
            // One command for all of them.
            let more = rest.iter().map(|one| one.trim_start_matches("elvask fill")).collect::<String>();
            said.push(format!("`{first}{more}` writes {}", if rest.is_empty() { "it" } else { "them" }));
        }
        said.extend(first.waived.as_ref().map(|reason| format!("accepted: {reason}")));
        if told.insert((first.rule.id, first.effect.as_str())) {
            said.push(format!("if it stays: {}", first.effect));
        }
        let mut known = HashSet::new();
        for line in said.iter().filter(|line| known.insert(line.as_str())) {
            lines.said(line);
        }
        lines.out
    }

    /// Draws what the edits change, those of one file behind one another.
    fn changes(&self, here: FileId, lines: &mut Lines) {
        let mut files: Vec<(FileId, Vec<Edit>)> = Vec::new();
        for finding in self.findings {
            let Remedy::Edit { edits, .. } = &finding.remedy else { continue };
            for (file, edits) in edits {
                match files.iter_mut().find(|(known, _)| known == file) {
                    Some((_, all)) => all.extend(edits.iter().cloned()),
                    None => files.push((*file, edits.clone())),
                }
            }
        }
        for (file, edits) in files {
            let source = self.sources.file(file);
            if file != here {
                lines.file(&source.shown);
            }
            // What moves is known by its first line.
            let hunks = hunks(&source.text, edits);
            for hunk in &hunks {
                let moves = hunks.iter().any(|other| other.is_moved(hunk));
                hunk.draw(source, moves, lines);
            }
        }
    }

    /// Draws what is to be written with the words of the owner, and how they are given.
    fn answers(&self, lines: &mut Lines) {
        let mut shown = HashSet::new();
        for finding in self.findings {
            let Remedy::Answer { wants, lines: wanted } = &finding.remedy else { continue };
            if is_inside_a_line(self.sources, finding.place) {
                lines.marked(self.sources, finding.place, style_of(finding.level));
            }
            for line in wanted.lines() {
                lines.source("", '+', line, 0);
            }
            for want in wants.iter().filter(|want| shown.insert(want.option())) {
                lines.said(&how_to_say(want));
            }
        }
    }

    /// Marks the places, and says what a person does about them.
    fn steps(&self, lines: &mut Lines) {
        let mut marked = HashSet::new();
        let manual = || self.findings.iter().filter(|finding| matches!(finding.remedy, Remedy::Manual(_)));
        for finding in manual() {
            if is_inside_a_line(self.sources, finding.place) && marked.insert(finding.place.span.start) {
                lines.marked(self.sources, finding.place, style_of(finding.level));
            }
        }
        let mut known = HashSet::new();
        for finding in manual() {
            let steps = finding.remedy.text();
            if !steps.is_empty() && known.insert(steps.clone()) {
                lines.said(&format!("remedy: {steps}"));
            }
        }
    }
}

/// Says who needs it and where that was learnt, by the weightiest proof of each finding, and where to find the others.
fn proofs(findings: &[&Finding]) -> Option<String> {
    let (mut shown, mut left, mut ask): (Vec<(&str, String, Vec<String>)>, _, _) = (Vec::new(), 0, None);
    for finding in findings {
        let Some((best, citation)) = best_proof(finding) else { continue };
        let more = finding.needed_by.iter().map(|needed| needed.learnt.len()).sum::<usize>().saturating_sub(1);
        if more > 0 && ask.is_none() {
            ask = Some(asked_for(&best.name));
        }
        left += more;
        // Within the plugin's own folder the rest of the path is enough.
        let own = format!("/{}/", best.plugin);
        let file = citation.file.rsplit_once(own.as_str()).map_or(citation.file.as_str(), |(_, inside)| inside);
        let file = shortened(file);
        let line = citation.line.to_string();
        match shown.iter_mut().find(|(plugin, known, _)| *plugin == best.plugin && *known == file) {
            Some((_, _, lines)) if lines.contains(&line) => {}
            Some((_, _, lines)) => lines.push(line),
            None => shown.push((&best.plugin, file, vec![line])),
        }
    }
    let more = ask.map(|ask| format!("; {left} more: elvask why {ask}")).unwrap_or_default();
    let shown: Vec<_> =
        shown.iter().map(|(plugin, file, lines)| format!("{plugin} ({file}:{})", lines.join(", "))).collect();
    (!shown.is_empty()).then(|| format!("{}{more}", shown.join(", ")))
}

/// Returns who needs it by the weightiest evidence, with the line that shows it.
fn best_proof(finding: &Finding) -> Option<(&NeededBy, &Citation)> {
    let proven = finding.needed_by.iter().filter_map(|needed| Some((needed, needed.learnt.first()?.as_ref())));
    proven.min_by_key(|(_, citation)| citation.kind)
}

/// Says how the need comes to this app. A sheet says itself for whom it holds.
fn reached(finding: &Finding) -> Option<String> {
    let (best, citation) = best_proof(finding)?;
    let because = &best.reached.because;
    (citation.kind != EvidenceKind::Sheet && !because.is_empty()).then(|| format!("because: {because}"))
}

/// Returns a path that is not long: of a long one its file alone, which tells enough beside the plugin.
fn shortened(path: &str) -> String {
    match path.rsplit_once('/') {
        Some((_, file)) if path.width() > MAX_PATH => format!("…/{file}"),
        _ => path.to_owned(),
    }
}

/// Returns a name as a person types it behind `elvask why`.
fn asked_for(name: &str) -> String {
    let short = name.strip_prefix(elvask_platform::android::PERMISSION_PREFIX).unwrap_or(name);
    if short.contains(' ') { format!("'{short}'") } else { short.to_owned() }
}

/// Says in one line how the owner gives what is wanted.
fn how_to_say(want: &Want) -> String {
    match want {
        Want::Purpose { .. } => format!("in your words: elvask fill {}", want.option()),
        Want::Answer { title, pattern, .. } => {
            let title = title.as_deref().map(|title| format!("; {title}")).unwrap_or_default();
            let form = pattern.as_deref().map(|form| format!(", of the form {form}")).unwrap_or_default();
            format!("with your value: elvask fill {}{title}{form}", want.option())
        }
        Want::Consent { meaning, .. } => format!("only if you agree, as it {meaning}: elvask fill {}", want.option()),
    }
}

/// Returns a place as people click on it.
fn at(sources: &Sources, place: Place) -> String {
    let at = sources.position(place);
    format!("{}:{}:{}", sources.file(place.file).shown, at.line, at.column)
}

/// Says whether a place is a thing that its line shows whole, and not the start of what goes on below it.
fn is_inside_a_line(sources: &Sources, place: Place) -> bool {
    let file = sources.file(place.file);
    let marked = place.span.of(&file.text);
    let line = line_at(&file.text, place.span.start);
    let line = file.text.get(line).unwrap_or_default();
    let opens = marked.starts_with('<') && !line.contains("/>") && !line.contains("</");
    !marked.is_empty() && !opens
}

/// Returns the span of the line around an offset, without its end.
fn line_at(text: &str, offset: usize) -> Range<usize> {
    let start = text.get(..offset).and_then(|before| before.rfind(['\n', '\r'])).map_or(0, |at| at + 1);
    let end = text.get(offset..).and_then(|after| after.find(['\n', '\r'])).map_or(text.len(), |at| offset + at);
    start..end
}

/// Lines that change together.
#[derive(Debug, PartialEq, Eq)]
struct Hunk {
    /// Where the first line starts, in bytes.
    start: usize,
    /// The lines as they are.
    old: Vec<String>,
    /// The lines as they will be.
    new: Vec<String>,
    /// How many lines before the first one that goes, and before the first one that comes.
    before: (usize, usize),
}

/// Returns what edits change, line by line. Edits in the same place become one; what puts the same element around several things
/// puts it around all of them once.
fn hunks(text: &str, mut edits: Vec<Edit>) -> Vec<Hunk> {
    edits.sort_by_key(|edit| (edit.start, edit.end));
    let mut joined: Vec<Edit> = Vec::new();
    for edit in edits {
        match joined.last_mut() {
            Some(last) if (last.start, last.end) == (edit.start, edit.end) => {
                if last.insert.len() > MAX_JOINED {
                    last.insert.push_str(&edit.insert);
                } else if last.insert != edit.insert {
                    last.insert = together(&last.insert, &edit.insert);
                }
            }
            // Of edits that overlap the first is shown; writing takes them one after the other.
            Some(last) if edit.start < last.end => {}
            _ => joined.push(edit),
        }
    }
    let mut groups: Vec<(Range<usize>, Vec<Edit>)> = Vec::new();
    for edit in joined {
        let (first, last) = (line_at(text, edit.start), line_at(text, edit.end.max(edit.start)));
        match groups.last_mut() {
            Some((lines, edits)) if first.start <= lines.end => {
                lines.end = lines.end.max(last.end);
                edits.push(edit);
            }
            _ => groups.push((first.start..last.end, vec![edit])),
        }
    }
    groups.into_iter().filter_map(|(lines, edits)| hunk(text, lines, &edits)).collect()
}

fn hunk(text: &str, lines: Range<usize>, edits: &[Edit]) -> Option<Hunk> {
    let old = text.get(lines.clone())?;
    let (mut new, mut done) = (String::new(), lines.start);
    for edit in edits {
        new.push_str(text.get(done..edit.start)?);
        new.push_str(&edit.insert);
        done = edit.end;
    }
    new.push_str(text.get(done..lines.end)?);
    let (old, new): (Vec<&str>, Vec<&str>) = (old.lines().collect(), new.lines().collect());
    let same = old.iter().zip(&new).take_while(|(old, new)| old == new).count();
    let rest = old.len().min(new.len()) - same;
    let tail = old.iter().rev().zip(new.iter().rev()).take(rest).take_while(|(old, new)| old == new).count();
    let middle = |lines: &[&str]| -> (usize, Vec<String>) {
        let middle = lines.get(same..lines.len() - tail).unwrap_or_default();
        // Empty lines around things say nothing by themselves.
        let is_full = |line: &&str| !line.trim().is_empty();
        let first = middle.iter().position(is_full).unwrap_or(middle.len());
        let last = middle.iter().rposition(is_full).map_or(first, |at| at + 1);
        let shown = middle.get(first..last).unwrap_or_default();
        (same + first, shown.iter().map(|line| (*line).to_owned()).collect())
    };
    let ((before_old, old), (before_new, new)) = (middle(&old), middle(&new));
    Some(Hunk { start: lines.start, old, new, before: (before_old, before_new) })
}

/// Puts two insertions into one place behind one another; an element that both put around what they insert is kept once.
fn together(first: &str, second: &str) -> String {
    let lines = |text: &str| text.lines().map(str::to_owned).collect::<Vec<_>>();
    let (one, other) = (lines(first), lines(second));
    let opens = |lines: &[String]| lines.iter().position(|line| !line.trim().is_empty());
    if let (Some(at), Some(from)) = (opens(&one), opens(&other))
        && let (Some(start), Some(end), Some(last)) = (one.get(at), one.last(), other.last())
        && Some(start) == other.get(from)
        && end == last
        && end.trim_start().starts_with("</")
        && one.len() > at + 2
    {
        let inner = other.get(from + 1..other.len() - 1).unwrap_or_default();
        let mut out = one.clone();
        let before = out.len() - 1;
        out.splice(before..before, inner.iter().cloned());
        return out.join("\n");
    }
    format!("{first}{second}")
}

impl Hunk {
    fn draw(&self, file: &SourceFile, moves: bool, lines: &mut Lines) {
        let (_, mark) = unmarked(&file.text);
        let from = file.position(self.start.max(mark)).line;
        if let ([old], [new]) = (self.old.as_slice(), self.new.as_slice()) {
            // What differs must be in sight.
            let same = old.chars().zip(new.chars()).take_while(|(old, new)| old == new);
            let same = same.map(|(letter, _)| letter.len_utf8()).sum();
            lines.source(&(from + self.before.0).to_string(), '~', new, same);
            return;
        }
        let signs = [('-', &self.old, self.before.0), ('+', &self.new, self.before.1)];
        for (sign, shown, before) in signs {
            let most = if moves { 1 } else { MAX_LINES };
            let cut = if shown.len() > most + 1 { most } else { shown.len() };
            for (at, line) in shown.iter().take(cut).enumerate() {
                let more = if moves && shown.len() > cut {
                    format!("{line} … and {} more lines", shown.len() - cut)
                } else {
                    line.clone()
                };
                lines.source(&(from + before + at).to_string(), sign, &more, 0);
            }
            if shown.len() > cut && !moves {
                lines.source("", sign, &format!("… and {} more lines: -v shows them", shown.len() - cut), 0);
            }
        }
    }

    /// Says whether the lines of this one are those of another one, moved.
    fn is_moved(&self, other: &Hunk) -> bool {
        let same = |(one, other): (&String, &String)| one.trim() == other.trim();
        let is =
            |new: &[String], old: &[String]| !new.is_empty() && new.len() == old.len() && new.iter().zip(old).all(same);
        is(&self.new, &other.old) || is(&other.new, &self.old)
    }
}

/// The lines of a block.
#[derive(Default)]
struct Lines {
    out: String,
}

/// How many columns stand before a line of source: its number.
const MARGIN: usize = 4;

impl Lines {
    fn title(&mut self, finding: &Finding) {
        let head = paint(style_of(finding.level), &format!("{}[{}]", finding.level.id(), finding.rule.id));
        self.out.push_str(&format!("{head}{}\n", paint(HEADING, &format!(": {}", clean(&finding.message)))));
    }

    /// Adds the place, and behind it what belongs to it where there is room; else returns that.
    fn place(&mut self, sources: &Sources, place: Place, beside: Option<String>) -> Option<String> {
        let path = &sources.file(place.file).path;
        let place = clean(&at(sources, place)).into_owned();
        self.out.push_str(&format!("{} {}", paint(NOTE, " -->"), linked(path, &place)));
        let room = width().saturating_sub(MARGIN + 1 + place.width() + 2);
        let (shown, rest) = match beside {
            Some(beside) if clean(&beside).width() <= room => (Some(beside), None),
            rest => (None, rest),
        };
        if let Some(shown) = shown {
            self.out.push_str(&format!(", {}", clean(&shown)));
        }
        self.out.push('\n');
        rest
    }

    fn file(&mut self, shown: &str) {
        self.out.push_str(&format!("{} {}\n", paint(NOTE, " :::"), clean(shown)));
    }

    /// Adds a line of source behind its number. `seen` is an offset in it, in bytes, that must be in sight.
    fn source(&mut self, number: &str, sign: char, line: &str, seen: usize) {
        let style = match sign {
            '+' | '~' => Some(ADDED),
            '-' => Some(REMOVED),
            _ => None,
        };
        let line = clean_in_place(line);
        let (window, _) = window(&line, seen..seen, room());
        let text = format!("{sign} {window}");
        let text = style.map_or(text.clone(), |style| paint(style, text.trim_end()));
        self.out.push_str(&format!("{} {}\n", paint(FAINT, &format!("{number:>MARGIN$}")), text));
    }

    /// Adds the line of a place, with the place underlined.
    fn marked(&mut self, sources: &Sources, place: Place, style: Style) {
        let file = sources.file(place.file);
        let (text, mark) = unmarked(&file.text);
        let span = fit(text, place.span, mark);
        let line = line_at(text, span.start);
        let inside = span.start - line.start..span.end.min(line.end).max(span.start) - line.start;
        let line = clean_in_place(text.get(line).unwrap_or_default());
        let (window, marked) = window(&line, inside, room());
        let number = sources.position(place).line.to_string();
        self.source(&number, '|', &window, 0);
        if window.get(marked.clone()) == Some(window.trim()) {
            return;
        }
        // How wide a tab is, the terminal decides: it is one here too.
        let blank = |letter: char| match letter {
            '\t' => "\t".to_owned(),
            letter => " ".repeat(letter.width().unwrap_or_default()),
        };
        let before: String = window.get(..marked.start).unwrap_or_default().chars().map(blank).collect();
        let long = window.get(marked).map_or(0, UnicodeWidthStr::width).max(1);
        let signs = paint(style, &"^".repeat(long));
        self.out.push_str(&format!("{:>MARGIN$} | {}{signs}\n", "", before));
    }

    /// Adds what is said of it, broken to the width of the terminal.
    fn said(&mut self, text: &str) {
        let (indent, text) = (MARGIN + 3, clean(text));
        let wrapped = wrap(&text, width(), indent);
        let sign = paint(FAINT, &format!("{:>MARGIN$} =", ""));
        self.out.push_str(&format!("{sign} {}\n", wrapped.trim_start().trim_end()));
    }
}

/// Returns the style of a level.
fn style_of(level: Level) -> Style {
    match level {
        Level::Error => ERROR,
        Level::Warning => WARNING,
        Level::Note => NOTE,
    }
}

/// Returns how many columns a line of source may take.
fn room() -> usize {
    known_width().map_or(MAX_COLUMNS, |_| width()).saturating_sub(MARGIN + 3)
}

/// Returns the part of a line that fits, with the part of it that must be in sight, and where that is in what is returned.
fn window(line: &str, seen: Range<usize>, room: usize) -> (String, Range<usize>) {
    if line.width() <= room {
        return (line.to_owned(), seen);
    }
    let floor = |at: usize| (0..=at.min(line.len())).rev().find(|at| line.is_char_boundary(*at)).unwrap_or(0);
    let from = if seen.end < room.saturating_sub(8) { 0 } else { floor(seen.start.saturating_sub(room / 3)) };
    let mut out = String::new();
    if from > 0 {
        out.push('…');
    }
    let before = out.len();
    let mut end = from;
    // Letters without a width take no room, and yet there must not be any number of them.
    let mut taken = out.width();
    for letter in line.get(from..).unwrap_or_default().chars().take(room * 4) {
        let wide = letter.width().unwrap_or_default();
        if taken + wide + 1 > room {
            break;
        }
        taken += wide;
        out.push(letter);
        end += letter.len_utf8();
    }
    let place = |at: usize| at.clamp(from, end) - from + before;
    let marked = place(seen.start)..place(seen.end);
    if end < line.len() {
        out.push('…');
    }
    (out, marked)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn edit(start: usize, end: usize, insert: &str) -> Edit {
        Edit { start, end, insert: insert.to_owned() }
    }

    #[test]
    fn edits_of_one_place_are_one_change_and_share_the_element_around_them() {
        let text = "<a>\n</a>\n";
        let wrap = |inner: &str| format!("\n  <q>\n    <{inner}/>\n  </q>");
        let found = hunks(text, vec![edit(3, 3, &wrap("x")), edit(3, 3, &wrap("y"))]);
        assert_eq!(found.len(), 1);
        assert_eq!(found[0].new, ["  <q>", "    <x/>", "    <y/>", "  </q>"]);
        assert_eq!((found[0].before, found[0].old.len()), ((1, 1), 0));
    }

    #[test]
    fn a_line_that_changes_is_shown_as_it_is_and_as_it_will_be() {
        let text = "one\ntwo\nthree\n";
        let found = hunks(text, vec![edit(5, 6, "W"), edit(8, 13, "3")]);
        assert_eq!(found.len(), 2);
        assert_eq!(
            (found[0].old.as_slice(), found[0].new.as_slice()),
            (&["two".to_owned()][..], &["tWo".to_owned()][..])
        );
        assert_eq!(found[1].new, ["3"]);
    }

    #[test]
    fn of_a_long_line_the_part_in_question_is_shown() {
        let line = format!("{}here{}", "a".repeat(300), "b".repeat(300));
        let (shown, marked) = window(&line, 300..304, 60);
        assert_eq!(&shown[marked], "here");
        assert!(shown.starts_with('…') && shown.ends_with('…') && shown.width() <= 60, "{shown}");
    }

    #[test]
    fn letters_without_a_width_do_not_fill_the_screen() {
        let line = "e\u{301}".repeat(100) + &"\u{301}".repeat(200_000);
        let (shown, _) = window(&line, 0..0, 60);
        assert!(shown.width() <= 60 && shown.chars().count() <= 242, "{}", shown.chars().count());
    }
}
