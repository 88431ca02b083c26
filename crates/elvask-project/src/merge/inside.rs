//! What is directly inside an element of the effective manifest, by name, key and content.

use std::hash::{Hash, Hasher as _};

use super::{Marker, Merged, MergedElement};
use elvask_platform::hash::{Quick, QuickMap};

/// Look-ups of what is directly inside an element that has many children; the others are gone through.
#[derive(Debug, Clone, Default)]
pub(super) struct Inside<'d> {
    /// The first element of a name and key, by the sum of both.
    by_key: QuickMap<u64, usize>,
    /// Elements whose name and key have the sum of others.
    of_like_sum: Vec<usize>,
    /// The first element with a sum; made at the first question.
    by_sum: Option<QuickMap<u64, usize>>,
    /// The first element of a name whose marker takes out all of that name.
    takes_all: QuickMap<&'d str, usize>,
    /// The first one whose marker takes out or replaces its like.
    takes_like: QuickMap<&'d str, usize>,
}

/// The most children that are gone through for each question.
const FEW: usize = 8;

/// The look-ups that were made, by the numbers of their elements.
pub(super) type AllInside<'d> = QuickMap<usize, Inside<'d>>;

/// The elements of a manifest.
type Elements<'e, 'd> = &'e [MergedElement<'d>];

fn is_like(element: &MergedElement<'_>, name: &str, key: Option<&str>) -> bool {
    element.name == name && element.key() == key
}

impl<'d> Inside<'d> {
    /// Makes the look-ups; `twin` is told of each element with the first one of its name and key.
    fn of(elements: Elements<'_, 'd>, children: &[usize], mut twin: impl FnMut(usize, usize)) -> Self {
        let mut inside = Inside::default();
        inside.by_key.reserve(children.len());
        for id in children {
            if let Some(first) = inside.remember(*id, elements) {
                twin(first, *id);
            }
        }
        inside
    }

    /// Returns the first element of a name and key.
    fn with_key(&self, elements: Elements<'_, 'd>, name: &str, key: Option<&str>) -> Option<usize> {
        let is_it = |id: &&usize| elements.get(**id).is_some_and(|element| is_like(element, name, key));
        let first = self.by_key.get(&sum_of((name, key)))?;
        Some(first).filter(is_it).or_else(|| self.of_like_sum.iter().find(is_it)).copied()
    }

    /// Takes an element in; returns the one of its name and key that is there already.
    fn remember(&mut self, id: usize, elements: Elements<'_, 'd>) -> Option<usize> {
        let element = elements.get(id)?;
        match element.marker {
            Marker::RemoveAll => drop(self.takes_all.entry(element.name).or_insert(id)),
            Marker::Remove | Marker::Replace => drop(self.takes_like.entry(element.name).or_insert(id)),
            _ => {}
        }
        let first = *self.by_key.entry(sum_of((element.name, element.key()))).or_insert(id);
        if first == id {
            return None;
        }
        let known = self.with_key(elements, element.name, element.key());
        if known.is_none() {
            self.of_like_sum.push(id);
        }
        known
    }
}

/// Tells of each element that has the name and key of another one beside it, with the first such one; what is looked up for that is
/// kept in `all`.
pub(super) fn each_twin<'d>(
    elements: Elements<'_, 'd>,
    parent: usize,
    all: &mut AllInside<'d>,
    mut twin: impl FnMut(usize, usize),
) {
    let Some(parent_element) = elements.get(parent) else { return };
    let children = parent_element.children.as_slice();
    if children.len() > FEW {
        all.insert(parent, Inside::of(elements, children, twin));
        return;
    }
    for (at, id) in children.iter().enumerate() {
        let Some(element) = elements.get(*id) else { continue };
        let mut before = children.get(..at).unwrap_or_default().iter();
        let is_first =
            |first: &&usize| elements.get(**first).is_some_and(|first| is_like(first, element.name, element.key()));
        if let Some(first) = before.find(is_first) {
            twin(*first, *id);
        }
    }
}

impl<'d> Merged<'d> {
    fn few(&self, parent: usize) -> Option<&[usize]> {
        let children = self.at(parent).children.as_slice();
        (children.len() <= FEW).then_some(children)
    }

    /// Returns the look-ups of what is inside an element.
    fn inside(&mut self, parent: usize) -> &mut Inside<'d> {
        let elements = &self.elements;
        self.inside.entry(parent).or_insert_with(|| {
            let children = elements.get(parent).map(|parent| parent.children.as_slice()).unwrap_or_default();
            Inside::of(elements, children, |_, _| {})
        })
    }

    /// Returns the first element inside another one of a name and key.
    pub(super) fn with_key(&mut self, parent: usize, name: &str, key: Option<&str>) -> Option<usize> {
        if let Some(few) = self.few(parent) {
            return few.iter().copied().find(|id| is_like(self.at(*id), name, key));
        }
        self.inside(parent);
        self.inside.get(&parent)?.with_key(&self.elements, name, key)
    }

    /// Returns the first element of a name inside another one whose marker takes out all of that name.
    pub(super) fn takes_all(&mut self, parent: usize, name: &str) -> Option<usize> {
        let takes = |element: &MergedElement<'_>| element.name == name && element.marker == Marker::RemoveAll;
        match self.few(parent) {
            Some(few) => few.iter().copied().find(|id| takes(self.at(*id))),
            None => self.inside(parent).takes_all.get(name).copied(),
        }
    }

    /// Returns the first element of a name inside another one whose marker takes out or replaces its like.
    pub(super) fn takes_like(&mut self, parent: usize, name: &str) -> Option<usize> {
        let marked = |element: &MergedElement<'_>| matches!(element.marker, Marker::Remove | Marker::Replace);
        let takes = |element: &MergedElement<'_>| element.name == name && marked(element);
        match self.few(parent) {
            Some(few) => few.iter().copied().find(|id| takes(self.at(*id))),
            None => self.inside(parent).takes_like.get(name).copied(),
        }
    }

    /// Returns the first element inside another one that has a sum.
    pub(super) fn with_sum(&mut self, parent: usize, sum: u64) -> Option<usize> {
        let by_sum = self.inside(parent).by_sum.take().unwrap_or_else(|| {
            let mut by_sum = QuickMap::default();
            for id in &self.at(parent).children {
                by_sum.entry(sum_in(&self.elements, *id)).or_insert(*id);
            }
            by_sum
        });
        let found = by_sum.get(&sum).copied();
        self.inside(parent).by_sum = Some(by_sum);
        found
    }

    /// Takes in an element that came to be inside another one.
    pub(super) fn remember(&mut self, id: usize) {
        let Some(parent) = self.at(id).parent else { return };
        let Some(mut inside) = self.inside.remove(&parent) else { return };
        inside.remember(id, &self.elements);
        if let Some(by_sum) = &mut inside.by_sum {
            by_sum.entry(sum_in(&self.elements, id)).or_insert(id);
        }
        self.inside.insert(parent, inside);
    }
}

/// Returns a sum of an element: of its name, its attributes and all inside, whatever their order. What has the same sum is still
/// compared. It is asked for elements alone into which nothing is merged.
pub(super) fn sum_in(elements: &[MergedElement<'_>], id: usize) -> u64 {
    let Some(element) = elements.get(id) else { return 0 };
    *element.sum.get_or_init(|| {
        let attributes = element.attributes.iter().map(|attribute| sum_of((&attribute.name, &attribute.value)));
        let children = element.children.iter().map(|child| sum_of(sum_in(elements, *child)));
        attributes.chain(children).fold(sum_of(element.name), u64::wrapping_add)
    })
}

fn sum_of(part: impl Hash) -> u64 {
    let mut hasher = Quick::default();
    part.hash(&mut hasher);
    hasher.finish()
}
