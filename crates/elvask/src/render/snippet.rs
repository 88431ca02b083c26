//! Findings as pictures of the source, with the place marked.

use std::ops::Range;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level as Mark, Origin, Patch, Renderer, Snippet};
use elvask_core::finding::{Finding, Level, NeededBy};
use elvask_core::{Edit, Span};
use elvask_needs::remedy::{Remedy, Want};
use elvask_needs::requirement::{Citation, EvidenceKind};
use elvask_project::source::{FileId, Place, Sources};

use super::style::{ERROR, FAINT, NOTE, WARNING, paint};
use super::{clean, clean_in_place, width, wrap};

/// The most plugins that are shown with their sheets.
const MAX_SHOWN: usize = 3;

/// Returns a finding as people read it: the place in its file, who needs it, what happens if it stays, what mends it.
pub(crate) fn finding(sources: &Sources, finding: &Finding) -> String {
    let mark = match finding.level {
        Level::Error => Mark::ERROR,
        Level::Warning => Mark::WARNING,
        Level::Note => Mark::NOTE,
    };
    let mut group = mark.primary_title(clean(&finding.message).into_owned()).id(finding.rule.id).element(source(
        sources,
        finding.place,
        AnnotationKind::Primary,
        None,
    ));
    if let Some((place, label)) = &finding.related {
        group = group.element(source(sources, *place, AnnotationKind::Context, Some(clean(label).into_owned())));
    }
    // The lines that show it are kept here, as the picture borrows them.
    let cited: Vec<_> = finding.needed_by.iter().take(MAX_SHOWN).flat_map(cited_lines).collect();
    for (citation, line, label) in &cited {
        let start = line.len() - line.trim_start().len();
        let span = start..start + short_mark(line.trim_start());
        let mark = AnnotationKind::Context.span(span).label(label.clone());
        let path = clean(&citation.file).into_owned();
        group = group.element(Snippet::source(line.as_str()).line_start(citation.line).path(path).annotation(mark));
    }
    for reason in reasons(finding) {
        group = group.element(Mark::NOTE.with_name("because").message(folded(&reason)));
    }
    if finding.needed_by.len() > MAX_SHOWN {
        let others: Vec<_> = finding.needed_by.iter().skip(MAX_SHOWN).map(|needed| needed.plugin.as_str()).collect();
        let message = format!("also needed by {}", others.join(", "));
        group = group.element(Mark::NOTE.no_name().message(clean(&message).into_owned()));
    }
    if let Some(reason) = &finding.waived {
        group = group.element(Mark::NOTE.with_name("accepted").message(clean(reason).into_owned()));
    }
    group = group.element(Mark::NOTE.with_name("if it stays").message(folded(&finding.effect)));
    let mut report = vec![group];
    report.extend(remedy(sources, finding));
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii).term_width(width());
    let mut text = renderer.render(&report);
    text.push('\n');
    text
}

/// Says how what is needed comes to this app, each reason once, with the plugin where there are several.
fn reasons(finding: &Finding) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    for needed in finding.needed_by.iter().take(MAX_SHOWN).filter(|needed| !needed.reached.because.is_empty()) {
        let because = &needed.reached.because;
        let line = match finding.needed_by.len() {
            1 => because.to_string(),
            _ => format!("{}: {because}", needed.plugin),
        };
        if !out.contains(&line) {
            out.push(line);
        }
    }
    out
}

/// Returns the command that writes what mends a finding: a note is written only where it is named.
pub(crate) fn command(finding: &Finding) -> String {
    if !finding.waits_for_its_name() {
        return "elvask fill".to_owned();
    }
    let plain = |letter: char| letter.is_alphanumeric() || matches!(letter, '.' | '_' | '-' | ':' | '/');
    let subject = if finding.subject.chars().all(plain) { finding.subject.as_str() } else { finding.rule.id };
    format!("elvask fill --only {}", clean(subject))
}

/// How much of a line that is long gets a mark, in bytes.
const LONG_LINE: usize = 40;

/// Returns how many bytes of a cited line are marked; of a long one its first part alone, so that the label has room.
fn short_mark(line: &str) -> usize {
    if line.len() <= LONG_LINE {
        return line.len();
    }
    let ends = [" = ", "(", "=", " "];
    ends.iter()
        .find_map(|end| line.find(end).filter(|at| (3..=LONG_LINE).contains(at)))
        .unwrap_or_else(|| (0..=LONG_LINE).rev().find(|at| line.is_char_boundary(*at)).unwrap_or(0))
}

/// The most lines that are shown for one plugin.
const MAX_CITED: usize = 2;

/// Returns the lines that show why a plugin needs something, each set in as it stands in its file, with what it is.
fn cited_lines(needed: &NeededBy) -> Vec<(&Citation, String, String)> {
    let cited = needed.learnt.iter().take(MAX_CITED).enumerate();
    cited
        .map(|(at, citation)| {
            let line = format!("{}{}", " ".repeat(citation.column.saturating_sub(1).min(80)), clean(&citation.quote));
            let label = match (at, citation.kind) {
                (0, EvidenceKind::Sheet) => who(needed),
                (0, kind) => format!("{} (learnt from {})", who(needed), kind.title()),
                (_, kind) => format!("and seen in {} too", kind.title()),
            };
            (citation.as_ref(), line, label)
        })
        .collect()
}

/// Breaks a text into lines that fit beside the margin of a picture.
fn folded(text: &str) -> String {
    wrap(&clean(text), width().saturating_sub(20), 0).trim_end().to_owned()
}

fn who(needed: &NeededBy) -> String {
    let version = needed.version.as_deref().map(|version| format!(" {version}")).unwrap_or_default();
    let reason = needed.reason.as_deref().map(|reason| format!(": {reason}")).unwrap_or_default();
    clean(&format!("{}{version} needs it{reason}", needed.plugin)).into_owned()
}

/// Returns what mends a finding, as a section of its own.
fn remedy<'s>(sources: &'s Sources, finding: &Finding) -> Vec<Group<'s>> {
    let command = command(finding);
    match &finding.remedy {
        Remedy::Edit { title, edits, .. } => {
            let title = format!("`{command}` writes this: {}", clean(title));
            let mut group = Group::with_title(Mark::HELP.with_name("remedy").secondary_title(title));
            for (file, edits) in edits {
                group = group.element(patched(sources, *file, edits));
            }
            vec![group]
        }
        Remedy::Answer { wants, lines } => {
            let title = match wants.first() {
                Some(Want::Purpose { .. }) => format!("`{command}` writes this, in your words:"),
                Some(Want::Consent { .. }) => format!("`{command}` writes this only if you agree to it:"),
                _ => format!("`{command}` writes this, with your value:"),
            };
            let mut group = Group::with_title(Mark::HELP.with_name("remedy").secondary_title(title))
                .element(Mark::NOTE.no_name().message(clean(lines).into_owned()));
            for want in wants {
                group = group.element(Mark::NOTE.with_name("say it").message(clean(&how_to_say(want)).into_owned()));
            }
            vec![group]
        }
        Remedy::Manual(steps) if steps.is_empty() => Vec::new(),
        Remedy::Manual(steps) => {
            vec![Group::with_title(Mark::HELP.with_name("remedy").secondary_title(clean(steps).into_owned()))]
        }
    }
}

/// Says how the owner gives what is wanted, a line for each way.
pub(crate) fn how_to_say(want: &Want) -> String {
    let mut lines = Vec::new();
    match want {
        Want::Purpose { .. } => {}
        Want::Answer { title, pattern, .. } => {
            let form = pattern.as_deref().map(|form| format!(" (of the form {form})")).unwrap_or_default();
            lines.extend(title.as_deref().map(|title| format!("{title}{form}")));
        }
        Want::Consent { meaning, .. } => lines.push(format!("it {meaning}")),
    }
    lines.push(format!("elvask fill {}", want.option()));
    lines.extend(want.config_place().map(|(table, key)| format!("or under {table} in elvask.toml: {key} = \"…\"")));
    lines.join("\n")
}

/// Returns a text without its byte order mark, and how many bytes that took off.
pub(crate) fn unmarked(text: &str) -> (&str, usize) {
    match text.strip_prefix('\u{FEFF}') {
        Some(rest) => (rest, 3),
        None => (text, 0),
    }
}

/// Returns a span as the renderer takes it: inside the text, at the borders of letters.
pub(crate) fn fit(text: &str, span: Span, mark: usize) -> Range<usize> {
    let floor = |at: usize| {
        let at = at.saturating_sub(mark).min(text.len());
        (0..=at).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0)
    };
    let start = floor(span.start);
    start..floor(span.end).max(start)
}

fn source<'s>(
    sources: &'s Sources,
    place: Place,
    kind: AnnotationKind,
    label: Option<String>,
) -> annotate_snippets::Element<'s> {
    let file = sources.file(place.file);
    let path = clean(&file.shown).into_owned();
    let (text, mark) = unmarked(&file.text);
    if text.is_empty() {
        return Origin::path(path).into();
    }
    let mut span = fit(text, place.span, mark);
    // A mark over several lines would fill the screen: its first line tells where it is.
    if let Some(end) = text.get(span.clone()).and_then(|marked| marked.find(['\r', '\n'])) {
        span.end = span.start + end;
    }
    let (part, line) = around(text, span.clone(), |at| file.line(at + mark));
    let span = span.start - part.start..span.end - part.start;
    let text = clean_in_place(text.get(part).unwrap_or_default());
    Snippet::source(text).line_start(line).path(path).annotation(kind.span(span).label(label)).into()
}

fn patched<'s>(sources: &'s Sources, file: FileId, edits: &[Edit]) -> Snippet<'s, Patch<'s>> {
    let source = sources.file(file);
    let (text, mark) = unmarked(&source.text);
    let spans: Vec<Range<usize>> = edits.iter().map(|edit| fit(text, whole_lines(&source.text, edit), mark)).collect();
    let start = spans.iter().map(|span| span.start).min().unwrap_or(0);
    let end = spans.iter().map(|span| span.end).max().unwrap_or(0);
    let (part, line) = around(text, start..end, |at| source.line(at + mark));
    let shown = clean_in_place(text.get(part.clone()).unwrap_or_default());
    let mut snippet = Snippet::source(shown).line_start(line).path(clean(&source.shown).into_owned());
    for (edit, span) in edits.iter().zip(spans) {
        let span = span.start - part.start..span.end - part.start;
        snippet = snippet.patch(Patch::new(span, clean(&edit.insert.replace("\r\n", "\n")).into_owned()));
    }
    snippet
}

/// How many lines above and below what is marked are handed to whoever draws it.
const AROUND: usize = 2;

/// Returns the lines of a text that some bytes are in, with a few around them, and the number of the first one: a picture of a few lines is
/// not made from thousands. `line_of` numbers the line of a byte.
fn around(text: &str, span: Range<usize>, line_of: impl FnOnce(usize) -> usize) -> (Range<usize>, usize) {
    let (above, below) = (text.get(..span.start).unwrap_or_default(), text.get(span.end..).unwrap_or_default());
    let start = above.bytes().rev().enumerate().filter(|(_, byte)| *byte == b'\n').nth(AROUND);
    let start = start.map_or(0, |(at, _)| span.start - at);
    let end = below.bytes().enumerate().filter(|(_, byte)| *byte == b'\n').nth(AROUND);
    let end = end.map_or(text.len(), |(at, _)| span.end + at + 1);
    (start..end, line_of(start))
}

/// Returns the span of an edit; for one that takes lines out, the lines from start to end, which reads better than the end
/// of the line before.
fn whole_lines(text: &str, edit: &Edit) -> Span {
    let span = Span::new(edit.start, edit.end);
    let covered = span.of(text);
    let break_len = covered.len() - covered.trim_start_matches(['\r', '\n']).len();
    let follows = text.get(edit.end..).is_some_and(|after| after.starts_with(['\r', '\n']));
    if !edit.insert.is_empty() || break_len == 0 || !follows {
        return span;
    }
    let after = text.get(edit.end..).unwrap_or_default();
    let next = if after.starts_with("\r\n") { 2 } else { 1 };
    let first = if covered.starts_with("\r\n") { 2 } else { 1 };
    Span::new(edit.start + first, edit.end + next)
}

/// Returns a finding on one line.
pub(crate) fn line(sources: &Sources, finding: &Finding) -> String {
    let at = sources.position(finding.place);
    let file = &sources.file(finding.place.file).shown;
    let level = match finding.level {
        Level::Error => paint(ERROR, "error"),
        Level::Warning => paint(WARNING, "warning"),
        Level::Note => paint(NOTE, "note"),
    };
    let rule = paint(FAINT, &format!("[{}]", finding.rule.id));
    format!("{}:{}:{}: {level}: {} {rule}\n", clean(file), at.line, at.column, clean(&finding.message))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_few_lines_are_taken_around_what_is_marked() {
        for end in ["\n", "\r\n"] {
            let text: String = (1..=9).map(|line| format!("line {line}{end}")).collect();
            let part = |marked: &str| {
                let at = text.find(marked).unwrap();
                let line_of = |at: usize| text[..at].matches('\n').count() + 1;
                let (part, line) = around(&text, at..at + marked.len(), line_of);
                (text[part].lines().map(str::to_owned).collect::<Vec<_>>(), line)
            };
            let lines = |numbers: std::ops::RangeInclusive<usize>| -> Vec<String> {
                numbers.map(|number| format!("line {number}")).collect()
            };
            assert_eq!(part("line 5"), (lines(3..=7), 3));
            assert_eq!(part("5"), (lines(3..=7), 3));
            assert_eq!(part(&format!("line 4{end}line 5")), (lines(2..=7), 2));
            assert_eq!(part("line 1"), (lines(1..=3), 1));
            assert_eq!(part("line 9"), (lines(7..=9), 7));
        }
        assert_eq!(around("", 0..0, |_| 1), (0..0, 1));
        assert_eq!(around("one", 1..2, |_| 1), (0..3, 1));
    }
}
