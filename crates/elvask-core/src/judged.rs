//! What a check looked at: each side of an app, and what it was held against.

use std::collections::BTreeSet;

use elvask_needs::sheet::Asked;
use elvask_platform::Platform;
use elvask_project::files::shown;
use elvask_project::layout::Layout;

use crate::app::{App, Plugin};
use crate::context::Context;

/// A side of an app, and what it was held against.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Judged {
    /// The side.
    pub platform: Platform,
    /// How many packages it was held against; of a side that was not judged, how many have needs there.
    pub plugins: usize,
    /// How many different things they need there, those that are declared too; 0 where it was not judged.
    pub needs: usize,
    /// Why it was not judged, in words without a full stop; `None` where it was.
    pub not: Option<String>,
}

/// Returns the sides that an app has, or could have by its layout, with what each is held against.
#[must_use]
pub fn judged(context: &Context<'_>) -> Vec<Judged> {
    sides(context.app).into_iter().map(|platform| side(context, platform)).collect()
}

/// Returns the sides that an app has or could have by its layout.
fn sides(app: &App) -> Vec<Platform> {
    let both = [Platform::Android, Platform::Ios];
    // These say themselves which platforms they are for.
    let says = app.generated.is_some() || app.layouts.contains(&Layout::Msbuild);
    let could = |platform: &Platform| match platform {
        Platform::Android => app.layouts.iter().any(|layout| *layout != Layout::Xcode),
        Platform::Ios => app.layouts.iter().any(|layout| *layout != Layout::Gradle),
    };
    let some = both.iter().any(|platform| app.has(*platform));
    both.into_iter().filter(|platform| app.has(*platform) || could(platform) && !(says && some)).collect()
}

fn side(context: &Context<'_>, platform: Platform) -> Judged {
    let app = context.app;
    if let Some(why) = why_not(context, platform) {
        let plugins = app.plugins.iter().filter(|plugin| has_needs(plugin, platform)).count();
        return Judged { platform, plugins, needs: 0, not: Some(why) };
    }
    let lists = [context.needs.all(), context.needs.brought()];
    let all = || lists.into_iter().flatten().filter(|one| one.platform == platform);
    let with_needs: BTreeSet<usize> = all().map(|one| one.plugin).collect();
    let looked_into =
        |plugin: &Plugin| plugin.sheet.is_some() || plugin.evidence.is_some() && plugin.platforms.contains(&platform);
    let counts = |(at, plugin): &(usize, &Plugin)| {
        !plugin.own && !plugin.is_out(platform) && (with_needs.contains(at) || looked_into(plugin))
    };
    let needs: BTreeSet<_> = all().map(|one| (one.kind(), one.name.as_str())).collect();
    let plugins = app.plugins.iter().enumerate().filter(counts).count();
    Judged { platform, plugins, needs: needs.len(), not: None }
}

/// Returns why a side could not be judged.
fn why_not(context: &Context<'_>, platform: Platform) -> Option<String> {
    let app = context.app;
    let native = app.layouts.iter().all(|layout| layout.is_native());
    let below = |folder: &str| if native { String::new() } else { format!(" below {folder}/") };
    match platform {
        Platform::Android => match &app.android {
            None => Some(format!("no module that is built into an app was found{}", below("android"))),
            Some(android) if context.manifest.is_none() => {
                Some(unread(&shown(&android.manifest_path, &app.root), android.manifest.is_some()))
            }
            Some(_) => None,
        },
        Platform::Ios => match &app.ios {
            None => Some(format!("no project with an app target and no Info.plist was found{}", below("ios"))),
            Some(ios) if context.plist.is_none() && !ios.generated => {
                Some(unread(&shown(&ios.plist_path, &app.root), ios.plist.is_some()))
            }
            Some(_) => None,
        },
    }
}

fn unread(shown: &str, is_there: bool) -> String {
    if is_there { format!("{shown} cannot be read") } else { format!("{shown} is not there") }
}

/// Says whether a package that is part of the app has needs on a platform, by its sheet or by its own files.
pub(crate) fn has_needs(plugin: &Plugin, platform: Platform) -> bool {
    if plugin.own || plugin.is_out(platform) || plugin.runtime {
        return false;
    }
    match &plugin.sheet {
        Some(found) if found.sheet.platforms.contains(&platform) => {
            found.sheet.requires.iter().any(|required| match &required.asked {
                Asked::Need { need, .. } => need.platform() == platform,
                Asked::Capability(_) => true,
            })
        }
        Some(_) => false,
        None => plugin
            .evidence
            .as_deref()
            .is_some_and(|found| found.requirements.iter().any(|learned| learned.need.platform() == platform)),
    }
}
