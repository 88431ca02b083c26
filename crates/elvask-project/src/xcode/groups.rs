//! The groups of a project, and the folders that they stand for.

use std::borrow::Cow;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use elvask_markup::{Span, openstep};

use super::Project;
use crate::files::normal;

/// The groups of a project.
#[derive(Debug, Clone)]
pub(super) struct Groups {
    /// By the places of the objects: the group that each is in.
    parents: Vec<Option<usize>>,
    /// By the places of the objects: where each group leads; `None` for what is no group, and for what lies outside the sources.
    folders: Vec<Option<PathBuf>>,
}

impl Groups {
    /// Reads the groups of a project. Each is read once, however many files it holds.
    pub(super) fn of(project: &Project) -> Groups {
        let number = project.objects.len();
        let mut found = Groups { parents: vec![None; number], folders: vec![None; number] };
        let mut groups = Vec::new();
        for kind in ["PBXGroup", "PBXVariantGroup"] {
            for object in project.of_kind(kind) {
                let Some(at) = project.position(project.id(&object)) else { continue };
                let member = Member::of(project, object.body);
                let children = member.children.into_iter().flat_map(|list| openstep::items(&project.source, list));
                for child in children.filter_map(|id| project.position(&project.text_at(id)?)) {
                    if let Some(parent) = found.parents.get_mut(child) {
                        *parent = Some(at);
                    }
                }
                groups.push((at, member));
            }
        }
        let mut known = vec![false; number];
        let of_groups: HashMap<usize, &Member<'_>> = groups.iter().map(|(at, member)| (*at, member)).collect();
        for (group, _) in &groups {
            // Upwards to what is known, and down again. A group that is in itself leads nowhere.
            let mut open = Vec::new();
            let mut next = Some(*group);
            while let Some(at) = next
                && let Some(seen @ false) = known.get_mut(at)
            {
                *seen = true;
                open.push(at);
                next = found.parents.get(at).copied().flatten();
            }
            for at in open.into_iter().rev() {
                let folder = of_groups.get(&at).and_then(|member| found.path_of_member(project, at, member));
                if let Some(place) = found.folders.get_mut(at) {
                    *place = folder;
                }
            }
        }
        found
    }

    /// Returns the path that an object leads to, by its place among all.
    pub(super) fn path_of(&self, project: &Project, at: usize) -> Option<PathBuf> {
        self.path_of_member(project, at, &Member::of(project, project.objects.get(at)?.body))
    }

    fn path_of_member(&self, project: &Project, at: usize, member: &Member<'_>) -> Option<PathBuf> {
        let base: &Path = match member.tree.as_deref().unwrap_or("<group>") {
            "SOURCE_ROOT" => &project.folder,
            "<group>" => match self.parents.get(at).copied().flatten() {
                Some(parent) => self.folders.get(parent)?.as_deref()?,
                None => &project.folder,
            },
            "<absolute>" => Path::new("/"),
            _ => return None,
        };
        let own = member.path.as_deref();
        Some(own.map_or_else(|| base.to_owned(), |own| normal(&base.join(own))))
    }
}

/// What a reference or a group says of where it is.
#[derive(Default)]
struct Member<'p> {
    path: Option<Cow<'p, str>>,
    tree: Option<Cow<'p, str>>,
    /// Of a group: what is in it, as a list of ids.
    children: Option<Span>,
}

impl<'p> Member<'p> {
    fn of(project: &'p Project, body: Span) -> Self {
        let mut member = Member::default();
        for (key, value) in openstep::entries(&project.source, body) {
            match project.text_at(key).as_deref() {
                Some("path") if member.path.is_none() => member.path = project.text_at(value),
                Some("sourceTree") if member.tree.is_none() => member.tree = project.text_at(value),
                Some("children") if member.children.is_none() => member.children = Some(value),
                _ => {}
            }
        }
        member
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::files::Memory;
    use crate::loading::Loading;

    fn project(objects: &str) -> Project {
        let text = format!("{{objects={{{objects}}};}}");
        let tree = Memory::app([("ios/Log.xcodeproj/project.pbxproj", text.as_str())]);
        let mut loading = Loading::new(&tree, Path::new("/app"));
        Project::read(&mut loading, Path::new("/app/ios/Log.xcodeproj")).unwrap()
    }

    #[test]
    fn a_reference_leads_through_the_groups_around_it() {
        let project = project(
            "MAIN = {isa = PBXGroup; children = (SRC, 'VARIANT',); sourceTree = \"<group>\"; };
             SRC = { children = (A /* a */, B, C, D,); isa = PBXGroup ; path = \"Log files\"; sourceTree = \"<group>\"; };
             VARIANT = {isa = PBXVariantGroup; children = (NL,); name = InfoPlist.strings; path = Texts; };
             PRODUCTS = {isa = PBXGroup; children = (APP,); sourceTree = BUILT_PRODUCTS_DIR; };
             A = {isa = PBXFileReference; path = a.plist; sourceTree = \"<group>\"; };
             B = {isa = PBXFileReference; path = ../b.plist; sourceTree = \"<group>\"; };
             C = {isa = PBXFileReference; path = c.plist; sourceTree = SOURCE_ROOT; };
             D = {isa = PBXFileReference; path = /d.plist; sourceTree = \"<absolute>\"; };
             NL = {isa = PBXFileReference; path = nl.lproj/InfoPlist.strings; };
             APP = {isa = PBXFileReference; path = Log.app; sourceTree = \"<group>\"; };
             ALONE = {isa = PBXFileReference; path = alone.plist; sourceTree = \"<group>\"; };",
        );
        let path = |id: &str| project.path_of(id).map(|path| path.to_string_lossy().into_owned());
        for (id, wanted) in [
            ("A", "/app/ios/Log files/a.plist"),
            ("B", "/app/ios/b.plist"),
            ("C", "/app/ios/c.plist"),
            ("D", "/d.plist"),
            ("NL", "/app/ios/Texts/nl.lproj/InfoPlist.strings"),
            ("ALONE", "/app/ios/alone.plist"),
            ("SRC", "/app/ios/Log files"),
        ] {
            assert_eq!(path(id).as_deref(), Some(wanted), "{id}");
        }
        assert_eq!((path("APP"), path("NOWHERE")), (None, None));
    }

    #[test]
    fn groups_that_are_in_each_other_come_to_an_end() {
        let project = project(
            "G = {isa = PBXGroup; children = (H, A,); path = g; };
             H = {isa = PBXGroup; children = (G, B,); path = h; };
             A = {isa = PBXFileReference; path = a; };
             B = {isa = PBXFileReference; path = b; };",
        );
        assert_eq!((project.path_of("A"), project.path_of("B")), (None, None));
    }
}
