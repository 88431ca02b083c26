//! Code of packages that cannot be looked into.

use std::collections::HashSet;

use elvask_platform::{List, Platform};

use crate::app::{App, Plugin};
use crate::discover::pubspec::TOOLS;

/// How the names of code end that is compiled for iOS already.
const COMPILED_FOR_IOS: [&str; 4] = [".xcframework", ".framework", ".a", ".dylib"];

/// Returns the name of a pod without that of its part.
fn pod_of(name: &str) -> &str {
    name.split('/').next().unwrap_or(name)
}

impl App {
    /// Returns the packages of which not all code for iOS can be looked into, and no sheet says what they need: part of it is compiled already, or
    /// comes from elsewhere when the app is built. What that code does is not known.
    #[must_use]
    pub fn unseen_on_ios(&self) -> Vec<&str> {
        let all = self.plugins.iter().filter_map(|plugin| plugin.evidence.as_deref());
        let made: HashSet<&str> = all.flat_map(|evidence| &evidence.pods.names).map(|name| pod_of(name)).collect();
        // What the tools of a layout bring along is no code of a package.
        let of_tools = |pod: &str| pod.eq_ignore_ascii_case(TOOLS) || List::PodOfTools.has(pod);
        let is_foreign = |pod: &String| {
            let pod = pod_of(pod);
            !pod.starts_with(':') && !made.contains(pod) && !of_tools(pod)
        };
        let is_unseen = |plugin: &&Plugin| {
            let Some(evidence) = plugin.evidence.as_deref() else { return plugin.root.is_some() };
            let is_compiled = |name: &String| COMPILED_FOR_IOS.iter().any(|ending| name.ends_with(ending));
            evidence.binaries.iter().any(is_compiled) || evidence.pods.depends.iter().any(is_foreign)
        };
        let on_ios = |plugin: &&Plugin| {
            plugin.platforms.contains(&Platform::Ios) && !plugin.is_out(Platform::Ios) && !plugin.own && !plugin.runtime
        };
        let stated = |plugin: &&Plugin| plugin.sheet.is_some();
        let packages = self.plugins.iter().filter(on_ios).filter(|plugin| !stated(plugin));
        packages.filter(is_unseen).map(|plugin| plugin.name.as_str()).collect()
    }
}
