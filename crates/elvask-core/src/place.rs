//! Placing a fragment that was copied from a plugin's notes: what each piece of it is, and where it belongs.

use elvask_markup::Span;
use elvask_needs::evidence::{Learned, Piece, Shown, Thing, obey, pieces_of};
use elvask_needs::kinds;
use elvask_needs::remedy::{Remedy, Want};
use elvask_needs::requirement::When;
use elvask_needs::sheet::write::required;
use elvask_needs::template::is_unfilled_purpose;
use elvask_platform::{Kind, Strength};
use pulldown_cmark::{CodeBlockKind, Event, Options, Parser, Tag, TagEnd};

use crate::app::{App, SheetOrigin};
use crate::check::check;
use crate::declare::{OWNER, with_wishes};
use crate::finding::Finding;
use crate::needs::Settings;

/// One piece of what was copied.
#[derive(Debug, Clone)]
pub struct Copied {
    /// What it is.
    pub kind: Option<Kind>,
    /// What identifies it to the platform, or the words that were not understood.
    pub name: String,
    /// The value that goes with it.
    pub value: Option<String>,
    /// The line of the copied text on which it starts, counted from 1.
    pub line: usize,
    /// The text that goes with it, where it is a purpose.
    pub text: Option<String>,
    /// The entry of a sheet that states it; `None` where it cannot be placed.
    entry: Option<String>,
    /// Where it belongs and why, or why it is left.
    pub r#where: String,
}

/// What becomes of a piece.
#[derive(Debug, Clone, PartialEq)]
pub enum Fate {
    /// It is declared already.
    There,
    /// It is written.
    Written(String),
    /// It waits for values.
    Wants(Vec<Want>),
    /// A person puts it there.
    ByHand(String),
    /// It is left, for the reason that [`Copied::where`] gives.
    Left,
}

/// Reads what was copied: Markdown with code in it, or a bare fragment.
#[must_use]
pub fn read(text: &str) -> Vec<Copied> {
    let mut out = Vec::new();
    for (code, tag, at) in blocks(text) {
        let found = pieces_of(&code, &tag);
        let line_of = |span: Span| {
            let inside = code.get(..span.start).unwrap_or_default().matches('\n').count();
            text.get(..at).unwrap_or_default().matches('\n').count() + inside + 1
        };
        if let Some(why) = found.elsewhere {
            let name = code.lines().find(|line| !line.trim().is_empty()).unwrap_or_default().trim().to_owned();
            out.push(left(name, line_of(Span::at(0)), format!("{why}: left alone")));
            continue;
        }
        if found.pieces.is_empty() && !code.trim().is_empty() {
            let name = code.lines().find(|line| !line.trim().is_empty()).unwrap_or_default().trim().to_owned();
            out.push(left(
                name,
                line_of(Span::at(0)),
                "nothing that belongs into a manifest, a property list, entitlements or a build file".to_owned(),
            ));
        }
        let words = before(text, at);
        out.extend(found.pieces.into_iter().map(|mut piece| {
            obey(&mut piece, words);
            copied(piece, &code, &line_of)
        }));
    }
    out
}

/// Returns the paragraph before a block of code.
fn before(text: &str, at: usize) -> &str {
    let above = text.get(..at).unwrap_or_default().trim_end();
    let above = above.rsplit_once("```").map_or(above, |(above, _)| above).trim_end();
    above.rsplit("\n\n").next().unwrap_or_default()
}

fn left(name: String, line: usize, r#where: String) -> Copied {
    Copied { kind: None, name, value: None, line, text: None, entry: None, r#where }
}

/// Returns the blocks of code of a text with their tags and places; the text itself where it is not Markdown.
fn blocks(text: &str) -> Vec<(String, String, usize)> {
    let bare = text.trim_start().starts_with('<')
        || !text.contains("```") && !text.contains("\n    ") && !text.contains("<pre");
    if bare && !text.contains("```") {
        return vec![(text.to_owned(), String::new(), 0)];
    }
    let mut out = Vec::new();
    let mut open: Option<(String, String, usize)> = None;
    for (event, range) in Parser::new_ext(text, Options::ENABLE_GFM).into_offset_iter() {
        match event {
            Event::Start(Tag::CodeBlock(kind)) => {
                let tag = match kind {
                    CodeBlockKind::Fenced(tag) => tag.into_string(),
                    CodeBlockKind::Indented => String::new(),
                };
                open = Some((String::new(), tag, usize::MAX));
            }
            Event::Text(part) => {
                if let Some((code, _, at)) = &mut open {
                    *at = (*at).min(range.start);
                    code.push_str(&part);
                }
            }
            Event::End(TagEnd::CodeBlock) => out.extend(open.take().filter(|(code, ..)| !code.trim().is_empty())),
            _ => {}
        }
    }
    if out.is_empty() {
        out.push((text.to_owned(), String::new(), 0));
    }
    out
}

fn copied(piece: Piece, code: &str, line_of: &dyn Fn(Span) -> usize) -> Copied {
    let line = line_of(piece.span);
    let (name, need) = match piece.thing {
        Thing::Unknown { why } => return left(piece.span.of(code).to_owned(), line, why),
        Thing::Need { name, need } => (name, need),
    };
    let mut out = Copied {
        kind: Some(need.kind()),
        value: need.value(),
        line,
        text: piece.text.filter(|text| !is_unfilled_purpose(text)),
        entry: None,
        r#where: kinds::spec(need.kind()).belongs(&name, &need),
        name: name.clone(),
    };
    if piece.removed {
        out.r#where = "the fragment removes it: `elvask withdraw` does that".to_owned();
        return out;
    }
    let (strength, when) = (Strength::Certain, When::default());
    let (shown, citations) = (Shown::default(), Vec::new());
    let learned = Learned { name, need, strength, one_of: None, when, brought: false, shown, citations };
    let entry = required(&learned).unwrap_or_default();
    let body = entry.strip_prefix("[[requires]]\n").unwrap_or(&entry).trim_end().to_owned();
    // What no sheet could state is not written for a fragment either.
    match with_wishes(&App::default(), std::slice::from_ref(&body), SheetOrigin::Placed) {
        Ok(_) => out.entry = Some(body),
        Err(why) => out.r#where = format!("it cannot be placed: {why}"),
    }
    out
}

/// An app with what was copied required of it.
pub struct Placing {
    /// The app, with its owner's wishes.
    pub app: App,
    /// The settings, with the purposes that the fragment words.
    pub settings: Settings,
}

/// Returns the app with what was copied required of it.
///
/// # Errors
/// What is wrong with a piece, in a sentence.
pub fn require(app: &App, copied: &[Copied]) -> Result<App, String> {
    let entries: Vec<_> = copied.iter().filter_map(|one| one.entry.clone()).collect();
    with_wishes(app, &entries, SheetOrigin::Placed)
}

impl Placing {
    /// Puts the purposes that the fragment words beside what the owner says, which comes first.
    #[must_use]
    pub fn new(app: App, settings: &Settings, copied: &[Copied]) -> Self {
        let mut settings = settings.clone();
        for one in copied.iter().filter(|one| one.kind == Some(Kind::Usage)) {
            let said = settings.purposes.iter().any(|(name, _)| *name == one.name);
            if let Some(text) = one.text.as_ref().filter(|_| !said) {
                settings.purposes.push((one.name.clone(), text.clone()));
            }
        }
        Placing { app, settings }
    }
}

/// Says whether a finding is about what its owner wishes.
#[must_use]
pub fn is_wished(finding: &Finding) -> bool {
    finding.needed_by.iter().any(|needed| needed.plugin == OWNER)
}

/// Says what becomes of each piece.
#[must_use]
pub fn fates(placing: &Placing, copied: &[Copied]) -> Vec<Fate> {
    let report = check(&placing.app, &placing.settings);
    let fate = |one: &Copied| {
        if one.entry.is_none() {
            return Fate::Left;
        }
        let about =
            |finding: &&Finding| is_wished(finding) && (finding.subject == one.name || unfilled_name(finding, one));
        let platform = one.kind.and_then(Kind::platform);
        let has = platform.is_none_or(|platform| placing.app.has(platform));
        match report.findings.iter().find(about) {
            Some(finding) => match &finding.remedy {
                Remedy::Edit { edits, .. } => {
                    let file = edits.first().map(|(file, _)| placing.app.sources.file(*file).shown.clone());
                    Fate::Written(file.unwrap_or_default())
                }
                Remedy::Answer { wants, .. } => Fate::Wants(wants.clone()),
                Remedy::Manual(steps) => Fate::ByHand(steps.clone()),
            },
            None if !has => Fate::ByHand("the app does not have this platform".to_owned()),
            None => Fate::There,
        }
    };
    copied.iter().map(fate).collect()
}

/// Says whether a finding is about a thing whose name waits for an answer.
fn unfilled_name(finding: &Finding, one: &Copied) -> bool {
    finding.rule.id == "answer-missing"
        && elvask_needs::template::answers_in(&one.name).iter().any(|key| finding.subject == format!("{OWNER}.{key}"))
}
