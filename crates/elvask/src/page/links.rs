//! The map of links: what they look like on the left, what each platform opens on the right.

use elvask_core::app::App;
use elvask_link::AppLinks;
use elvask_record::LinkEntryRecord;
use serde::Serialize;

/// The columns of the picture and the height of a line, in its own units.
const WIDTH: usize = 760;
const LEFT: usize = 330;
const RIGHT: usize = 470;
const LINE: usize = 34;
/// How many letters fit into a box.
const LETTERS: usize = 40;
const LETTERS_RIGHT: usize = 34;
/// The most entries that are drawn; the table beside it has all.
const MAX_DRAWN: usize = 60;

/// The links of an app, as a table and as places of a picture.
#[derive(Serialize)]
pub(super) struct LinkMap {
    /// All entries.
    entries: Vec<LinkEntryRecord>,
    width: usize,
    height: usize,
    left: Vec<Box>,
    right: Vec<Box>,
    lines: Vec<Line>,
    /// How many entries are not drawn.
    more: usize,
}

/// A box with words in it.
#[derive(Serialize)]
struct Box {
    x: usize,
    y: usize,
    width: usize,
    /// The words, cut to the room.
    text: String,
    /// All of them.
    whole: String,
    /// `android`, `ios` or `link`.
    kind: &'static str,
}

/// A line between two boxes.
#[derive(Serialize)]
struct Line {
    /// Its way, as SVG writes it.
    path: String,
    verified: bool,
}

impl LinkMap {
    pub(super) fn of(app: &App, links: &AppLinks) -> Self {
        let entries: Vec<LinkEntryRecord> = links
            .table(&app.config().links.routes)
            .iter()
            .map(|entry| LinkEntryRecord::of(&app.sources, entry))
            .collect();
        let drawn = entries.get(..entries.len().min(MAX_DRAWN)).unwrap_or_default();
        let mut takes: Vec<&str> = Vec::new();
        let mut targets: Vec<(&'static str, String)> = Vec::new();
        let mut pairs = Vec::new();
        for entry in drawn {
            let target = (entry.platform.id(), entry.component.clone().unwrap_or_else(|| "the app".to_owned()));
            let left = position(&mut takes, entry.takes.as_str());
            let right = position(&mut targets, target);
            pairs.push((left, right, entry.verified));
        }
        let height = takes.len().max(targets.len()) * LINE + 8;
        let y = |at: usize| at * LINE + 8;
        let left = takes.iter().enumerate().map(|(at, text)| Box {
            x: 0,
            y: y(at),
            width: LEFT,
            text: cut(text, LETTERS, false),
            whole: (*text).to_owned(),
            kind: "link",
        });
        let right = targets.iter().enumerate().map(|(at, (platform, name))| Box {
            x: RIGHT,
            y: y(at),
            width: WIDTH - RIGHT,
            text: cut(&format!("{}: {name}", if *platform == "ios" { "iOS" } else { "Android" }), LETTERS_RIGHT, true),
            whole: name.clone(),
            kind: platform,
        });
        let middle = |at: usize| y(at) + (LINE - 8) / 2;
        let lines = pairs.iter().map(|(from, to, verified)| Line {
            path: format!(
                "M{LEFT} {} C{c1} {} {c2} {} {RIGHT} {}",
                middle(*from),
                middle(*from),
                middle(*to),
                middle(*to),
                c1 = LEFT + 70,
                c2 = RIGHT - 70
            ),
            verified: *verified,
        });
        LinkMap {
            width: WIDTH,
            height,
            left: left.collect(),
            right: right.collect(),
            lines: lines.collect(),
            more: entries.len() - drawn.len(),
            entries,
        }
    }
}

/// Returns the place of something in a list, to which it is added where it is new.
fn position<T: PartialEq>(all: &mut Vec<T>, one: T) -> usize {
    match all.iter().position(|known| *known == one) {
        Some(at) => at,
        None => {
            all.push(one);
            all.len() - 1
        }
    }
}

/// Cuts words to the room; of a class name the end is what tells it apart.
fn cut(text: &str, most: usize, keep_end: bool) -> String {
    let letters = text.chars().count();
    if letters <= most {
        return text.to_owned();
    }
    match text.split_once(": ").filter(|_| keep_end) {
        Some((platform, name)) => {
            let room = most.saturating_sub(platform.chars().count() + 3);
            let from = name.chars().count().saturating_sub(room);
            format!("{platform}: …{}", name.chars().skip(from).collect::<String>())
        }
        None => format!("{}…", text.chars().take(most - 1).collect::<String>()),
    }
}
