//! `icon-missing`: an icon or a start-up picture is named and not there, or nowhere named.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::icons::Look;
use crate::rules::Rule;

/// See the module.
pub struct IconMissing;

static ABOUT: About = About {
    id: "icon-missing",
    level: Level::Error,
    platform: None,
    summary: "Reports an icon or a start-up picture that is named and not there, an icon set without the picture that the store shows, and an app that names none.",
    effect: "The build fails, or the store refuses the upload.",
    wrong: "\"images\" : [ { \"filename\" : \"icon.png\", \"idiom\" : \"universal\", \"platform\" : \"ios\", \"size\" : \"1024x1024\" } ]\n(and no icon.png beside it)",
    right: "(icon.png beside Contents.json)",
    remedy: "A person adds the picture.",
    source: "Configuring your app icon using an asset catalog; Adaptive icons",
};

impl Rule for IconMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let icons = &context.app.icons;
        let release = context.settings.release;
        for picture in icons.pictures.iter().filter(|picture| picture.look == Look::Absent) {
            let message = format!("{} is {}, and there is no such file", picture.what, picture.file);
            let (level, effect) = picture.absent;
            let mut finding = Finding::new(&ABOUT, picture.file.clone(), picture.named, message)
                .level(level)
                .effect(effect)
                .mend(Remedy::Manual(format!(
                    "Put the picture there, or name one that is there{}.",
                    size(picture.wanted)
                )));
            finding.platform = picture.platform;
            out.push(finding);
        }
        for lack in icons.lacks.iter().filter(|lack| release || !lack.only_when_it_ships) {
            let level = if release { lack.ships } else { lack.level };
            let mut finding = Finding::new(&ABOUT, lack.subject.clone(), lack.place, lack.message.clone())
                .level(level)
                .effect(lack.effect)
                .mend(Remedy::Manual(lack.steps.clone()));
            finding.platform = lack.platform;
            out.push(finding);
        }
        start_up(context, out);
    }
}

fn size(wanted: Option<(u32, u32)>) -> String {
    wanted.map(|(width, height)| format!(": {width} by {height} pixels")).unwrap_or_default()
}

/// Tells of an app for iOS that starts with no picture of its own.
///
/// Source: "UILaunchScreen", "UILaunchStoryboardName".
fn start_up(context: &Context<'_>, out: &mut Vec<Finding>) {
    let (Some(plist), Some(storyboards)) = (context.plist, &context.app.icons.storyboards) else { return };
    let generated = context.app.ios.as_ref().is_some_and(|ios| ios.generated) || context.app.generated.is_some();
    match plist.entry("UILaunchStoryboardName") {
        Some(entry) => {
            let Some(name) = entry.value.as_str().filter(|name| !name.contains('$')) else { return };
            let plain = name.trim_end_matches(".storyboard");
            if storyboards.is_empty() || storyboards.iter().any(|known| known == plain) {
                return;
            }
            let message = format!("the app starts with the storyboard {name}, which is not in its target");
            let steps = format!("Add {plain}.storyboard to the target, or name one that is in it.");
            let finding = Finding::new(&ABOUT, "UILaunchStoryboardName", plist.value_place(entry), message);
            out.push(
                on_ios(finding)
                    .level(Level::Warning)
                    .effect("The app starts black, and in bars on newer devices.")
                    .mend(Remedy::Manual(steps)),
            );
        }
        None if !generated && context.settings.release && plist.entry("UILaunchScreen").is_none() => {
            let message = "neither UILaunchStoryboardName nor UILaunchScreen says how the app starts";
            let steps = "Add an empty dictionary UILaunchScreen, or a storyboard and its name.";
            let finding = Finding::new(&ABOUT, "UILaunchScreen", plist.root_tag(), message);
            out.push(
                on_ios(finding)
                    .level(Level::Warning)
                    .effect("The app is shown in bars on newer devices, and the store may refuse it.")
                    .mend(Remedy::Manual(steps.to_owned())),
            );
        }
        None => {}
    }
}

fn on_ios(mut finding: Finding) -> Finding {
    finding.platform = Some(Platform::Ios);
    finding
}
