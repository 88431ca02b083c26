//! Taking out what a person names, unless a plugin still requires it.

use elvask_markup::xml::plan;
use elvask_markup::xml::{Document, Element, Node, NodeKind};
use elvask_markup::{Edit, EditError, EditSet, Span};
use elvask_needs::generated::{Home, Written};
use elvask_needs::kinds::{self, Declared};
use elvask_needs::requirement::Need;
use elvask_needs::sheet::Asked;
use elvask_platform::{Kind, Level};
use elvask_project::source::{FileId, Place, Sources};
use elvask_project::surface::Surface;

use crate::app::App;
use crate::context::Context;
use crate::finding::{Edits, NeededBy};
use crate::needs::{Requirement, Settings};

/// One thing that is declared and can be taken out.
#[derive(Debug, Clone)]
pub struct Removal {
    /// The kind.
    pub kind: Kind,
    /// What identifies it to the platform.
    pub name: String,
    /// Where it stands.
    pub place: Place,
    /// What takes it out.
    pub edits: Vec<(FileId, Vec<Edit>)>,
    /// The plugins that still require it.
    pub needed_by: Vec<NeededBy>,
}

/// What taking out comes to.
#[derive(Debug, Clone)]
pub struct Withdrawn {
    /// All texts, with the new ones in the place of the old.
    pub sources: Sources,
    /// The files whose text is another one now.
    pub changed: Vec<FileId>,
    /// What is taken out.
    pub out: Vec<Removal>,
    /// What stays, as a plugin still requires it.
    pub refused: Vec<Removal>,
}

/// The most rounds: what touches another removal is taken out in the next one.
const MAX_ROUNDS: usize = 100;

/// Takes out what was asked for, where nobody requires it any more; with `force` that too.
///
/// # Errors
/// When an edit does not fit its text: a fault of this program.
pub fn withdraw(app: &App, settings: &Settings, asked: &[Asked], force: bool) -> Result<Withdrawn, EditError> {
    let mut all = Withdrawn { sources: app.sources.clone(), changed: Vec::new(), out: Vec::new(), refused: Vec::new() };
    for round in 0..MAX_ROUNDS {
        let surface = Surface::read(app, &all.sources);
        let context = Context::new(app, &all.sources, &surface, settings);
        let found = removals(&context, asked);
        let (refused, out): (Vec<_>, Vec<_>) =
            found.into_iter().partition(|removal| !removal.needed_by.is_empty() && !force);
        let mut edits = Edits::default();
        for removal in &out {
            if edits.add(&removal.edits).is_ok() {
                all.changed.extend(removal.edits.iter().map(|(file, _)| *file));
            }
        }
        let mut next = all.sources.clone();
        edits.apply(&mut next)?;
        if round == 0 {
            (all.out, all.refused) = (out, refused);
        }
        let idle =
            edits.is_empty() || all.changed.iter().all(|file| next.file(*file).text == all.sources.file(*file).text);
        all.sources = next;
        if idle {
            break;
        }
    }
    all.changed.sort_unstable();
    all.changed.dedup();
    tidy(app, &mut all.sources, &all.changed);
    Ok(all)
}

/// Takes the elements out that were left empty when what they held was taken out: with the comments in them and the one right above.
pub fn tidy(app: &App, sources: &mut Sources, changed: &[FileId]) {
    for file in changed {
        let after = sources.file(*file).text.clone();
        let (Ok(old), Ok(new)) = (app.sources.file(*file).xml(), sources.file(*file).xml()) else { continue };
        let mut edits = EditSet::new();
        for span in emptied(old, new) {
            let _ = edits.add(&[Edit::delete(plan::with_lines(&after, span))]);
        }
        if let Ok(text) = edits.apply(&after)
            && !edits.is_empty()
        {
            sources.replace(*file, text);
        }
    }
}

/// Returns the spans of the elements that hold nothing now and held something before: brackets of visible packages, and the lists
/// of a property list with their keys.
fn emptied(old: &Document, new: &Document) -> Vec<Span> {
    let empties = |document: &Document, name: &str| {
        document.root().children_named(name).filter(|one| one.children().next().is_none()).count()
    };
    let mut out = Vec::new();
    if empties(new, "queries") > empties(old, "queries") {
        let left = new.root().children_named("queries").filter(|one| one.children().next().is_none());
        out.extend(left.map(|one| with_comment_above(one.node())));
    }
    let lists = |document: &Document| -> Vec<(String, Span)> {
        let Some(dict) = document.root().child("dict").filter(|_| document.root().name() == "plist") else {
            return Vec::new();
        };
        let entries: Vec<_> = dict.children().collect();
        let pairs = entries.iter().zip(entries.iter().skip(1)).filter(|(key, _)| key.name() == "key");
        let empty = pairs.filter(|(_, value)| value.name() == "array" && value.children().next().is_none());
        let span =
            |key: &Element<'_>, value: &Element<'_>| Span::new(with_comment_above(key.node()).start, value.span().end);
        empty.map(|(key, value)| (key.text().into_owned(), span(key, value))).collect()
    };
    let before = lists(old);
    out.extend(
        lists(new).into_iter().filter(|(key, _)| !before.iter().any(|(known, _)| known == key)).map(|(_, span)| span),
    );
    out
}

/// Returns the span of an element with a comment that stands on the line right above it.
fn with_comment_above(node: Node<'_>) -> Span {
    let above = node.previous().filter(|gap| gap.is_blank() && gap.source().matches('\n').count() == 1);
    let comment = above.and_then(Node::previous).filter(|one| one.kind() == NodeKind::Comment);
    let own_line = comment.and_then(Node::previous).is_some_and(|gap| gap.is_blank() && gap.source().contains('\n'));
    match comment.filter(|_| own_line) {
        Some(comment) => Span::new(comment.span().start, node.span().end),
        None => node.span(),
    }
}

/// Finds where the app itself declares what was asked for, and who still requires it.
#[must_use]
pub fn removals(context: &Context<'_>, asked: &[Asked]) -> Vec<Removal> {
    let mut out = Vec::new();
    for asked in asked {
        match asked {
            Asked::Need { name, need } => out.extend(found(context, name, need)),
            Asked::Capability(capability) => {
                for part in capability.needs() {
                    out.extend(kinds::of_part(part).into_iter().flat_map(|need| found(context, part.name, &need)));
                }
            }
        }
    }
    out
}

/// Finds the declarations of one thing. Those that no edit can take out are left to a person.
fn found(context: &Context<'_>, name: &str, need: &Need) -> Vec<Removal> {
    let (kind, spec) = (need.kind(), kinds::spec(need.kind()));
    let counts = |one: &&Requirement| one.level() > Level::Note && spec.is_same(&one.need, need);
    let requirements = context.needs.of(kind, name).iter().filter(counts);
    let needed_by: Vec<_> = requirements.map(|one| NeededBy::of(context.app, one)).collect();
    let removable = |declared: &Declared| declared.removal.iter().any(|(_, edits)| !edits.is_empty());
    let declared = spec.found(context, name, need).into_iter().filter(removable);
    let removal = |declared: Declared| Removal {
        kind,
        name: name.to_owned(),
        place: declared.place,
        edits: declared.removal,
        needed_by: needed_by.clone(),
    };
    let home = Home::new(context.scene.app, context.sources);
    let at_home = |mut removal: Removal| {
        let Some(home) = &home else { return Some(removal) };
        // What a package's own document puts in is not the app's to take out.
        let Written::Edits(edits, _) = home.edits(&removal.edits) else { return None };
        (removal.place, removal.edits) = (home.place(removal.place), edits);
        Some(removal)
    };
    declared.map(removal).filter_map(at_home).collect()
}
