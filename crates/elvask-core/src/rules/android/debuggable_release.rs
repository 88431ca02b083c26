//! `debuggable-release`: what ships lets anybody look into the running app.

use elvask_markup::xml::plan;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform};
use elvask_project::names::ANDROID;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{flag, manifest_edit};

/// See the module.
pub struct DebuggableRelease;

static ABOUT: About = About {
    id: "debuggable-release",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports `android:debuggable=\"true\"` in the manifest of a release.",
    effect: "The store refuses the app, and anybody with the device can look into it while it runs.",
    wrong: "<application android:debuggable=\"true\" …>",
    right: "<application …>",
    remedy: "`fill` removes the attribute: the build sets it for the build types that are for debugging.",
    source: "Prepare your app for release",
};

impl Rule for DebuggableRelease {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut found: Option<Finding> = None;
        for variant in &context.variants {
            let stated = variant.application().and_then(|application| application.attribute("debuggable"));
            let Some(stated) = stated.filter(|stated| flag(context, &stated.value) == Some(true)) else { continue };
            let name = variant.variant.clone();
            if let Some(found) = &mut found {
                found.variants.push(name);
                continue;
            }
            let own = context.manifest_of(stated.place.file).and_then(|manifest| {
                let attribute = manifest.application?.attribute(ANDROID, "debuggable")?;
                Some((manifest, plan::remove_attribute(manifest.application?, attribute)))
            });
            // What a package asks for, and the owner has agreed to, is not taken out behind their back.
            let asked = !context.needs.of(Kind::Attribute, "debuggable").is_empty();
            let remedy = match own {
                Some(_) if asked => Remedy::Manual("Remove android:debuggable before the app is released.".to_owned()),
                Some((manifest, edit)) => manifest_edit("remove android:debuggable", manifest, vec![edit]),
                None => Remedy::Manual(
                    "The manifest of a package states it. Take it out of the merge: tools:remove=\"android:debuggable\" on the application."
                        .to_owned(),
                ),
            };
            let message = "the release says android:debuggable=\"true\"";
            found =
                Some(Finding::new(&ABOUT, "debuggable", stated.place, message).in_variants(vec![name]).mend(remedy));
        }
        out.extend(found);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "debuggable-release";

    fn application(attributes: &str) -> Fixture {
        Fixture::android(&format!("    <application{attributes}/>\n"))
    }

    #[test]
    fn what_ships_is_not_debuggable() {
        let app = application(" android:debuggable=\"true\"");
        assert_eq!(app.found(ID), ["error debuggable 2:38"]);
        app.mends_manifest(ID, "    <application/>\n");
        assert!(application("").found(ID).is_empty());
        assert!(application(" android:debuggable=\"false\"").found(ID).is_empty());
    }

    #[test]
    fn a_manifest_for_debugging_may_say_so() {
        let debug = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><application android:debuggable=\"true\"/></manifest>";
        let app = application("").file("android/app/src/debug/AndroidManifest.xml", debug);
        assert!(app.found(ID).is_empty());
    }
}
