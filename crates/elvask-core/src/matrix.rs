//! Plugins against declarations: what each needs, and whether the app declares it.

use elvask_needs::kinds;
use elvask_needs::section::Section;
use elvask_platform::{Kind, Level, Platform};

use crate::context::Context;
use crate::needs::Requirement;
use crate::survey::Survey;

/// What one plugin has to do with one declaration.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Mark {
    /// It could need it; that the app uses that part of it is not seen.
    Unseen,
    /// Its own manifest brings it along.
    Brought,
    /// It would use it, and the app does not declare it.
    Optional,
    /// It needs it, and the app declares it.
    Met,
    /// It needs it, and the app does not declare it.
    Lacking,
}

impl Mark {
    /// All marks, the weightiest last.
    pub const ALL: [Mark; 5] = [Mark::Unseen, Mark::Brought, Mark::Optional, Mark::Met, Mark::Lacking];

    /// Returns the word for it in JSON.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Mark::Unseen => "unseen",
            Mark::Brought => "brought",
            Mark::Optional => "optional",
            Mark::Met => "met",
            Mark::Lacking => "lacking",
        }
    }

    /// Returns the sign for it in tables: a letter, so that it needs no colour.
    #[must_use]
    pub fn sign(self) -> char {
        match self {
            Mark::Unseen => '?',
            Mark::Brought => 'b',
            Mark::Optional => 'o',
            Mark::Met => 'x',
            Mark::Lacking => '!',
        }
    }

    /// Says what it means.
    #[must_use]
    pub fn meaning(self) -> &'static str {
        match self {
            Mark::Unseen => "could need it, no use of that part is seen",
            Mark::Brought => "its own manifest brings it along",
            Mark::Optional => "would use it, not declared",
            Mark::Met => "needs it, declared",
            Mark::Lacking => "needs it, not declared",
        }
    }
}

/// One thing that is declared or needed.
#[derive(Debug, Clone)]
pub struct Row {
    /// Where.
    pub platform: Platform,
    /// The heading that it stands under.
    pub section: Section,
    /// The word for its kind.
    pub kind: &'static str,
    /// What identifies it.
    pub name: String,
    /// Whether the app declares it.
    pub declared: bool,
    /// The plugins that have to do with it, by their place in [`Matrix::plugins`], in their order.
    pub marks: Vec<(usize, Mark)>,
}

impl Row {
    /// Returns the mark of a plugin.
    #[must_use]
    pub fn mark(&self, plugin: usize) -> Option<Mark> {
        self.marks.iter().find(|(of, _)| *of == plugin).map(|(_, mark)| *mark)
    }
}

/// Plugins against declarations.
#[derive(Debug, Clone, Default)]
pub struct Matrix {
    /// The names of the plugins that have to do with something, in the order of the app's list.
    pub plugins: Vec<String>,
    /// The rows, in the order of the survey.
    pub rows: Vec<Row>,
}

/// Sets the plugins of an app against what it declares.
#[must_use]
pub fn matrix(context: &Context<'_>, survey: &Survey) -> Matrix {
    let mut rows: Vec<Row> = Vec::new();
    for one in survey.declarations.iter().filter(|one| one.ignored.is_none()) {
        if Kind::parse(one.kind).is_none() || one.section <= Section::Levels {
            continue;
        }
        if row_of(&mut rows, one.platform, one.kind, &one.name).is_none() {
            rows.push(Row {
                platform: one.platform,
                section: one.section,
                kind: one.kind,
                name: one.name.clone(),
                declared: true,
                marks: Vec::new(),
            });
        }
    }
    // Which rows a requirement is about, the same at every plugin that asks for it.
    let declared = |one: &Requirement| -> Vec<(&'static str, String)> {
        let spec = kinds::spec(one.kind());
        let about = survey.declarations.iter().filter(|known| {
            known.ignored.is_none()
                && known.platform == one.platform
                && known.kind == one.kind().id()
                && spec.is_about(context, (&known.name, known.place), (&one.name, &one.need))
        });
        about.map(|known| (known.kind, known.name.clone())).collect()
    };
    for one in context.needs.all().iter().chain(context.needs.brought()) {
        let here = declared(one);
        let met = !here.is_empty() || kinds::is_met(&context.scene, &one.name, &one.need);
        let mark = match (one.brought, met, one.level()) {
            (true, ..) => Mark::Brought,
            (false, true, _) => Mark::Met,
            (false, false, Level::Note) => Mark::Optional,
            (false, false, _) => Mark::Lacking,
        };
        let names = if here.is_empty() { vec![(one.kind().id(), one.name.clone())] } else { here };
        for (kind, name) in names {
            let at = match row_of(&mut rows, one.platform, kind, &name) {
                Some(row) => row,
                None => {
                    let section = kinds::spec(one.kind()).about().section;
                    let (platform, marks) = (one.platform, Vec::new());
                    rows.push(Row { platform, section, kind, name, declared: met, marks });
                    let Some(last) = rows.last_mut() else { continue };
                    last
                }
            };
            put(&mut at.marks, one.plugin, mark);
        }
    }
    for one in context.needs.unreached() {
        if let Some(row) = row_of(&mut rows, one.platform, one.kind().id(), &one.name) {
            put(&mut row.marks, one.plugin, Mark::Unseen);
        }
    }
    rows.sort_by_key(|row| (row.platform, row.section));
    renumbered(context, rows)
}

fn row_of<'r>(rows: &'r mut [Row], platform: Platform, kind: &str, name: &str) -> Option<&'r mut Row> {
    rows.iter_mut().find(|row| (row.platform, row.kind) == (platform, kind) && row.name == name)
}

/// Notes the weightier of two marks.
fn put(marks: &mut Vec<(usize, Mark)>, plugin: usize, mark: Mark) {
    match marks.iter_mut().find(|(of, _)| *of == plugin) {
        Some((_, known)) => *known = mark.max(*known),
        None => marks.push((plugin, mark)),
    }
}

/// Leaves out the plugins that have to do with nothing.
fn renumbered(context: &Context<'_>, mut rows: Vec<Row>) -> Matrix {
    let mut used: Vec<usize> = rows.iter().flat_map(|row| row.marks.iter().map(|(plugin, _)| *plugin)).collect();
    used.sort_unstable();
    used.dedup();
    for row in &mut rows {
        for (plugin, _) in &mut row.marks {
            *plugin = used.binary_search(plugin).unwrap_or_default();
        }
        row.marks.sort_unstable();
    }
    let name = |at: &usize| context.app.plugins().get(*at).map(|plugin| plugin.name.clone()).unwrap_or_default();
    Matrix { plugins: used.iter().map(name).collect(), rows }
}
