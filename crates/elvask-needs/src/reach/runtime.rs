//! Which of the packages the app runs on.

use super::*;

/// Returns the package that the app runs on, by its place: one whose scripts the app's build files load and that other packages
/// build upon, or one that most of them build upon.
pub fn runtimes(packages: &[BuiltUpon<'_>], linking: &Linking) -> Vec<bool> {
    let upon = |one: &BuiltUpon<'_>| {
        let module = format!(":{}", module_name(one.name));
        let names = |list: &[String], name: &str| list.iter().any(|known| known == name);
        packages
            .iter()
            .filter(|other| other.name != one.name && other.native)
            .filter(|other| {
                names(other.peers, one.name)
                    || other.evidence.is_some_and(|evidence| {
                        names(&evidence.pods.depends, &module)
                            || one
                                .evidence
                                .is_some_and(|own| own.pods.names.iter().any(|pod| names(&evidence.pods.depends, pod)))
                    })
            })
            .count()
    };
    let native = packages.iter().filter(|one| one.native).count();
    let any_loads = packages.iter().filter(|one| one.native && linking.loads(one.name).count() > 0).count();
    let judge = |one: &BuiltUpon<'_>| {
        if !one.native {
            return false;
        }
        let upon = upon(one);
        let loads = linking.loads(one.name).count();
        let most = upon >= 2 && upon * 2 > native.saturating_sub(1);
        let wanted = one.wanted_by >= 2 && one.wanted_by * 2 > native;
        most || wanted || loads >= 2 || loads == 1 && (upon > 0 || any_loads == 1)
    };
    let mut found: Vec<bool> = packages.iter().map(judge).collect();
    // What the app does not name and the runtime brings along is part of the runtime.
    loop {
        let part = packages.iter().enumerate().position(|(at, one)| {
            let brought =
                packages.iter().zip(&found).any(|(other, is)| *is && other.brings.iter().any(|name| name == one.name));
            !one.named && brought && found.get(at) == Some(&false)
        });
        match part.and_then(|at| found.get_mut(at)) {
            Some(is) => *is = true,
            None => return found,
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
    pub peers: &'a [String],
    /// The packages that it brings along.
    pub brings: &'a [String],
    /// How many packages want it beside them.
    pub wanted_by: usize,
    /// What its files show.
    pub evidence: Option<&'a Evidence>,
}
