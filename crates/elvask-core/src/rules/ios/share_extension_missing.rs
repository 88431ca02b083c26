//! `share-extension-missing`: what is shared with the app on Android cannot be shared with it on iOS.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::xcode::Product;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::shares::{activation_keys, share_extensions, shared_on_android};

/// See the module.
pub struct ShareExtensionMissing;

static ABOUT: About = About {
    id: "share-extension-missing",
    level: Level::Note,
    platform: Some(Platform::Ios),
    summary: "Reports an app that takes shared text, images or files on Android and has no share extension on iOS.",
    effect: "The share menu lists the app on Android and not on iOS.",
    wrong: "<!-- AndroidManifest.xml -->\n<action android:name=\"android.intent.action.SEND\" />\n<!-- the Xcode project embeds no extension for com.apple.share-services -->",
    right: "<!-- Info.plist of the extension -->\n<key>NSExtension</key>\n<dict>\n    <key>NSExtensionPointIdentifier</key>\n    <string>com.apple.share-services</string>\n    …\n</dict>",
    remedy: "Left to a person, with the steps: a target, an app group of both targets, an activation rule, and the code that hands the content over.",
    source: "App Extension Programming Guide: Share",
};

impl Rule for ShareExtensionMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (Some(ios), Some((there, types))) = (&context.app.ios, shared_on_android(context.links())) else { return };
        if ios.project.is_none() || !share_extensions(context).is_empty() {
            return;
        }
        let Some(plist) = context.plist else { return };
        let target = ios.target.as_deref().unwrap_or("the app");
        let bundle = ios.id.value.as_deref().unwrap_or("BUNDLE.ID");
        let keys = activation_keys(&types).join(", ");
        let shown = types.join(", ");
        // One that is there and is not built into the app takes nothing.
        let project = ios.project.as_deref();
        let loose = project.into_iter().flat_map(|project| &project.targets).find(|one| {
            one.product == Product::Extension
                && one.name.to_lowercase().contains("share")
                && !ios.extensions.iter().any(|embedded| embedded.name == one.name)
        });
        if let Some(loose) = loose {
            let message = format!(
                "other apps can share {shown} with the app on Android, and on iOS the extension {} is not embedded in {target}",
                loose.name
            );
            let steps = format!(
                "In Xcode, select the target {target}, and add {} under Frameworks, Libraries, and Embedded Content.",
                loose.name
            );
            out.push(
                Finding::new(&ABOUT, "com.apple.share-services", plist.root_tag(), message)
                    .related(there, "taken here on Android")
                    .mend(Remedy::Manual(steps)),
            );
            return;
        }
        let message =
            format!("other apps can share {shown} with the app on Android, and on iOS there is no share extension");
        let steps = format!(
            "1. In Xcode, File > New > Target > Share Extension, embedded in {target}, with the bundle id {bundle}.share.\n\
             2. Give {target} and the extension the capability App Groups with one group of both: group.{bundle}.\n\
             3. In the extension's Info.plist, put a dictionary with {keys} in the place of TRUEPREDICATE under NSExtensionActivationRule; review refuses the latter.\n\
             4. Let the extension write what it gets into the group's container, and the app read it from there when it comes to the front."
        );
        out.push(
            Finding::new(&ABOUT, "com.apple.share-services", plist.root_tag(), message)
                .related(there, "taken here on Android")
                .mend(Remedy::Manual(steps)),
        );
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    #[test]
    fn the_steps_name_what_android_takes() {
        let send = "            <intent-filter>\n                <action android:name=\"android.intent.action.SEND\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <data android:mimeType=\"image/*\"/>\n            </intent-filter>\n";
        let app = Fixture::android(&activity(send)).plist("");
        let found = app.findings("share-extension-missing");
        assert_eq!((found.len(), found[0].level.id()), (1, "note"));
        assert!(
            found[0].remedy.text().contains("NSExtensionActivationSupportsImageWithMaxCount"),
            "{}",
            found[0].remedy.text()
        );
        assert!(Fixture::android(&activity("")).plist("").findings("share-extension-missing").is_empty());
    }
}
