//! Which of the packages the app runs on.

use std::collections::{BTreeSet, HashMap, HashSet};

use elvask_project::namelist::NameList;

use super::*;

/// Returns the package that the app runs on, by its place: one whose scripts the app's build files load and that other packages
/// build upon, or one that most of them build upon.
pub fn runtimes(packages: &[BuiltUpon<'_>], linking: &Linking) -> Vec<bool> {
    let native: Vec<&BuiltUpon<'_>> = packages.iter().filter(|one| one.native).collect();
    // Which packages want one beside them, by its name, and which depend on a pod.
    let mut want: HashMap<&str, Vec<usize>> = HashMap::new();
    let mut depend: HashMap<&str, Vec<usize>> = HashMap::new();
    for (at, other) in native.iter().enumerate() {
        for peer in other.peers.iter() {
            want.entry(peer).or_default().push(at);
        }
        for pod in other.evidence.iter().flat_map(|evidence| &evidence.pods.depends) {
            depend.entry(pod).or_default().push(at);
        }
    }
    let upon = |one: &BuiltUpon<'_>| {
        let module = format!(":{}", module_name(one.name));
        let pods = one.evidence.iter().flat_map(|own| &own.pods.names).map(String::as_str).chain([module.as_str()]);
        let of_pods = pods.filter_map(|pod| depend.get(pod));
        let others: BTreeSet<usize> = of_pods.chain(want.get(one.name)).flatten().copied().collect();
        others.into_iter().filter(|at| native.get(*at).is_some_and(|other| other.name != one.name)).count()
    };
    let any_loads = native.iter().filter(|one| linking.loads(one.name).count() > 0).count();
    let judge = |one: &BuiltUpon<'_>| {
        if !one.native {
            return false;
        }
        let upon = upon(one);
        let loads = linking.loads(one.name).count();
        let most = upon >= 2 && upon * 2 > native.len().saturating_sub(1);
        let wanted = one.wanted_by >= 2 && one.wanted_by * 2 > native.len();
        most || wanted || loads >= 2 || loads == 1 && (upon > 0 || any_loads == 1)
    };
    let mut found: Vec<bool> = packages.iter().map(judge).collect();
    // What the app does not name and the runtime brings along is part of the runtime.
    let mut brought: HashSet<&str> = HashSet::new();
    loop {
        let before = brought.len();
        for (one, _) in packages.iter().zip(&found).filter(|(_, is)| **is) {
            brought.extend(one.brings.iter());
        }
        if brought.len() == before {
            return found;
        }
        for (one, is) in packages.iter().zip(&mut found) {
            *is |= !one.named && brought.contains(one.name);
        }
    }
}

/// What tells whether others build upon a package.
#[derive(Debug, Clone, Copy)]
pub struct BuiltUpon<'a> {
    /// Its name.
    pub name: &'a str,
    /// Whether it has native code.
    pub native: bool,
    /// Whether the app itself names it.
    pub named: bool,
    /// The packages that it wants beside it.
    pub peers: &'a NameList,
    /// The packages that it brings along.
    pub brings: &'a NameList,
    /// How many packages want it beside them.
    pub wanted_by: usize,
    /// What its files show.
    pub evidence: Option<&'a Evidence>,
}
