//! Taking out what a person names, unless a plugin still requires it.

use elvask_markup::Edit;
use elvask_needs::generated::{Home, Written};
use elvask_needs::kinds::{self, Declared};
use elvask_needs::requirement::Need;
use elvask_needs::sheet::Asked;
use elvask_platform::{Kind, Level};
use elvask_project::source::{FileId, Place};

use crate::context::Context;
use crate::finding::NeededBy;
use crate::needs::Requirement;

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

/// Finds where the app itself declares what was asked for, and who still requires it.
#[must_use]
pub fn removals(context: &Context<'_>, asked: &[Asked]) -> Vec<Removal> {
    let mut out = Vec::new();
    for asked in asked {
        match asked {
            Asked::Need { name, need } => out.extend(found(context, name, need)),
            Asked::Capability(capability) => {
                for part in capability.needs() {
                    out.extend(kinds::of_part(&part).into_iter().flat_map(|need| found(context, part.name, &need)));
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
