//! `elvask survey --matrix`.

use elvask_core::Platform;
use elvask_core::app::App;
use elvask_core::context::Context;
use elvask_core::matrix::{Mark, Matrix, Row, matrix};
use elvask_core::survey::{Section, survey};
use elvask_platform::android::PERMISSION_PREFIX;
use elvask_project::surface::Surface;
use elvask_record::MatrixRecord;
use unicode_width::{UnicodeWidthChar as _, UnicodeWidthStr as _};

use super::{obstacles, settings};
use crate::commands::Done;
use crate::options::{self, Format};
use crate::output::Output;
use crate::render::style::{ERROR, FAINT, GOOD, HEADING, paint};
use crate::render::{clean, width, wrap};

/// How much of the last plugin's name must be seen.
const NAME_AT_LEAST: usize = 12;

pub(super) fn run(app: &App, options: &options::Survey, output: &Output) -> Done {
    let settings = settings(false);
    let surface = Surface::read(app, &app.sources);
    let context = Context::new(app, &app.sources, &surface, &settings);
    let matrix = matrix(&context, &survey(&context));
    match options.app.format {
        Format::Json => output.json(&MatrixRecord::of(&matrix)),
        Format::Human => output.result(&human(&matrix, options.width.map_or_else(width, usize::from), output.verbose)),
    }
    Ok(obstacles(app, &surface, output))
}

fn human(matrix: &Matrix, width: usize, all: bool) -> String {
    let lines = lines(matrix, all);
    let longest = lines.iter().map(|line| line.label().width()).max().unwrap_or_default() + 2;
    let label = longest.clamp(16, (width * 9 / 20).max(16));
    let fit = ((width.saturating_sub(label + 4 + NAME_AT_LEAST)) / 2).max(1);
    let mut out = String::new();
    let blocks: Vec<_> = matrix.plugins.chunks(fit).collect();
    for (at, plugins) in blocks.iter().enumerate() {
        if at > 0 {
            out.push('\n');
        }
        if blocks.len() > 1 {
            let from = at * fit + 1;
            let which = format!("Plugins {from} to {} of {}", from + plugins.len() - 1, matrix.plugins.len());
            out.push_str(&format!("{}\n", paint(HEADING, &which)));
        }
        out.push_str(&block(&lines, (label, width), at * fit, plugins, blocks.len() > 1 && !all));
    }
    if matrix.plugins.is_empty() {
        out.push_str(&block(&lines, (label, width), 0, &[], false));
        out.push_str("\nNo plugin needs anything, as far as is known.\n");
    }
    let used = |mark: &Mark| matrix.rows.iter().any(|row| row.marks.iter().any(|(_, known)| known == mark));
    let mut legend = vec!["+ the app declares it".to_owned()];
    let marks = Mark::ALL.iter().rev().filter(|mark| used(mark));
    legend.extend(marks.map(|mark| format!("{} {}", mark.sign(), mark.meaning())));
    out.push('\n');
    out.extend(wrap(&legend.join(";  "), width, 0).lines().map(|line| format!("{}\n", paint(FAINT, line))));
    out
}

/// A line of the table.
enum Line<'m> {
    /// A heading.
    Heading(String),
    /// One thing.
    Row(&'m Row),
    /// A heading, with how much below it no plugin needs; whether that is all of it.
    Folded(String, usize, bool),
}

impl Line<'_> {
    fn label(&self) -> String {
        match self {
            Line::Heading(_) | Line::Folded(..) => String::new(),
            Line::Row(row) => {
                clean(row.name.strip_prefix(PERMISSION_PREFIX).unwrap_or(&row.name)).replace(char::is_whitespace, " ")
            }
        }
    }
}

/// Says whether people look through a section for what nobody needs.
fn is_read_whole(section: Section) -> bool {
    let read = [
        Section::Permissions,
        Section::Queries,
        Section::Purposes,
        Section::QuerySchemes,
        Section::UrlSchemes,
        Section::Domains,
        Section::BackgroundModes,
        Section::Entitlements,
    ];
    read.contains(&section)
}

/// Puts the rows under headings. What no plugin needs is folded, unless all is wanted or people look for such.
fn lines(matrix: &Matrix, all: bool) -> Vec<Line<'_>> {
    let mut out = Vec::new();
    for platform in [Platform::Android, Platform::Ios] {
        for section in Section::ALL {
            let rows: Vec<&Row> =
                matrix.rows.iter().filter(|row| row.platform == platform && row.section == section).collect();
            if rows.is_empty() {
                continue;
            }
            let title = format!("{}, {}", section.title(), platform.title());
            let (needed, others): (Vec<&Row>, Vec<&Row>) = rows.iter().partition(|row| !row.marks.is_empty());
            if all || others.len() <= 2 || is_read_whole(section) {
                out.push(Line::Heading(title));
                out.extend(rows.into_iter().map(Line::Row));
            } else {
                out.push(Line::Folded(title, others.len(), needed.is_empty()));
                out.extend(needed.into_iter().map(Line::Row));
            }
        }
    }
    out
}

/// Draws the table for some of the plugins, of which `first` come before. With `only_theirs` rows that have to do with none of them are left out.
fn block(
    lines: &[Line<'_>],
    (label, width): (usize, usize),
    first: usize,
    plugins: &[String],
    only_theirs: bool,
) -> String {
    let bar = paint(FAINT, "|");
    let bars = |number: usize| vec![bar.as_str(); number].join(" ");
    let mut out = format!("{}app\n", " ".repeat(label + 2));
    for (at, plugin) in plugins.iter().enumerate() {
        let room = width.saturating_sub(label + 2 + 2 * (at + 1));
        let name = shortened(&clean(plugin), room.max(NAME_AT_LEAST));
        out.push_str(&format!("{}{} {}\n", " ".repeat(label + 2), bars(at + 1), name));
    }
    let shown = |row: &Row| !only_theirs || (first..first + plugins.len()).any(|plugin| row.mark(plugin).is_some());
    // A heading without a row below it is none.
    let mut heading: Option<&str> = None;
    for line in lines {
        match line {
            Line::Heading(title) => heading = Some(title),
            Line::Folded(title, rows, only) if !only_theirs => {
                heading = None;
                let rest = match only {
                    true => format!("{rows} declared, which no plugin needs"),
                    false => format!("and {rows} more that no plugin needs"),
                };
                out.push_str(&format!("{}  {}\n", paint(HEADING, title), paint(FAINT, &rest)));
            }
            Line::Folded(title, ..) => heading = Some(title),
            Line::Row(row) if shown(row) => {
                if let Some(title) = heading.take() {
                    out.push_str(&format!("{}\n", paint(HEADING, title)));
                }
                let name = shortened(&line.label(), label - 2);
                let rest = " ".repeat(label - 2 - name.width());
                let declared = if row.declared { "+".to_owned() } else { paint(FAINT, ".") };
                let cells = (first..first + plugins.len()).map(|plugin| cell(row.mark(plugin)));
                let cells: Vec<String> = std::iter::once(declared).chain(cells).collect();
                out.push_str(&format!("  {name}{rest}  {}\n", cells.join(" ")));
            }
            Line::Row(_) => {}
        }
    }
    out
}

fn cell(mark: Option<Mark>) -> String {
    let Some(mark) = mark else { return paint(FAINT, ".") };
    let sign = mark.sign().to_string();
    match mark {
        Mark::Lacking => paint(ERROR, &sign),
        Mark::Met => paint(GOOD, &sign),
        Mark::Brought | Mark::Optional | Mark::Unseen => sign,
    }
}

/// Cuts a name that is too wide in its middle: start and end tell names of one family apart.
fn shortened(name: &str, most: usize) -> String {
    if name.width() <= most {
        return name.to_owned();
    }
    let head = most.saturating_sub(1) / 3;
    let tail = most.saturating_sub(1 + head);
    let take = |letters: &mut dyn Iterator<Item = char>, room: usize| {
        let mut used = 0;
        letters
            .take_while(|letter| {
                used += letter.width().unwrap_or_default();
                used <= room
            })
            .collect::<Vec<char>>()
    };
    let start = take(&mut name.chars(), head);
    let end = take(&mut name.chars().rev(), tail);
    start.into_iter().chain(['…']).chain(end.into_iter().rev()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_names_keep_their_start_and_end() {
        assert_eq!(shortened("short", 8), "short");
        assert_eq!(shortened("example.godwit.permission.FLOAT", 16), "examp…sion.FLOAT");
        assert!(shortened("鳥の輪を撮影する許可の名前", 11).width() <= 11);
    }
}
