//! `group-unshared`: the app and what it embeds are in no group together.

use elvask_markup::plist::{PropertyList, Value};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::appfiles::EntitlementsFile;
use elvask_project::source::{FileId, Place};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct GroupUnshared;

static ABOUT: About = About {
    id: "group-unshared",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports an extension that is in app groups or keychain groups, of which the app is in none.",
    effect: "What the extension writes the app never sees, and the other way round: each has a container of its own.",
    wrong: "<string>group.example.marram.share</string>      (Share.entitlements)\n<string>group.example.marram</string>            (App.entitlements)",
    right: "<string>group.example.marram</string>            (in both)",
    remedy: "A person names one group in both files.",
    source: "Configuring app groups; Sharing access to keychain items among a collection of apps",
};

/// The entitlements that name groups, with what a group is called.
const GROUPS: [(&str, &str); 2] =
    [("com.apple.security.application-groups", "app group"), ("keychain-access-groups", "keychain group")];

impl Rule for GroupUnshared {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(ios) = &context.app.ios else { return };
        let signed = |files: &[EntitlementsFile]| -> Option<(FileId, PropertyList)> {
            let file = files.iter().find(|one| one.configuration == ios.configuration)?.file?;
            let text = &context.sources.file(file).text;
            Some((file, PropertyList::parse(text.clone()).ok()?))
        };
        let app = signed(&ios.entitlements);
        // One that cannot be read says nothing of its groups.
        let unread = ios.entitlements.iter().any(|one| one.configuration == ios.configuration) && app.is_none();
        for extension in ios.extensions.iter().filter(|_| !unread) {
            let Some((file, list)) = signed(&extension.entitlements) else { continue };
            for (key, what) in GROUPS {
                let theirs = groups(&list, key);
                let Some((first, span)) = theirs.first().copied() else { continue };
                let ours = app.as_ref().map(|(_, list)| groups(list, key)).unwrap_or_default();
                let together = theirs.iter().any(|(group, _)| ours.iter().any(|(other, _)| other == group));
                // Two ways to write one group are not told apart here, and the app's own keychain group has the same name as its id.
                let written_alike = theirs.iter().chain(&ours).any(|(group, _)| is_made(group));
                if together || written_alike {
                    continue;
                }
                let has = match ours.as_slice() {
                    [] => "the app is in none".to_owned(),
                    all => {
                        format!("the app is in {}", all.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", "))
                    }
                };
                let message = format!("the extension {} is in the {what} {first}, and {has}", extension.name);
                let name = context.sources.file(file).shown.rsplit('/').next().unwrap_or_default();
                let steps = match ours.first() {
                    Some((group, _)) => format!("Write {group} in {name}, or add {first} to the app's entitlements."),
                    None => format!(
                        "Add the {what} {first} to the app's entitlements: elvask declare {} --value {first}",
                        declared(key)
                    ),
                };
                let mut finding =
                    Finding::new(&ABOUT, first, Place { file, span }, message).mend(Remedy::Manual(steps));
                if let (Some((file, _)), Some((_, span))) = (&app, ours.first()) {
                    finding = finding.related(Place { file: *file, span: *span }, "the app's is here");
                }
                out.push(finding);
            }
        }
    }
}

/// Returns the word by which `declare` knows the groups of a key.
fn declared(key: &str) -> &'static str {
    if key == GROUPS[0].0 { "app-groups" } else { "keychain-sharing" }
}

/// Says whether only the build knows what a group is called, the prefix of the team left aside.
fn is_made(group: &str) -> bool {
    let rest = group.strip_prefix("$(AppIdentifierPrefix)").or(group.strip_prefix("$(TeamIdentifierPrefix)"));
    rest.unwrap_or(group).contains('$')
}

fn groups<'l>(list: &'l PropertyList, key: &str) -> Vec<(&'l str, elvask_markup::Span)> {
    let values = list.entry(key).and_then(|entry| entry.value.as_array()).unwrap_or_default();
    let text = |value: &'l Value| Some((value.as_str()?, value.span));
    values.iter().filter_map(text).collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "group-unshared";
    const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T, E); buildConfigurationList = L; };
  T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; dependencies = (D); buildPhases = (B); };
  E = { isa = PBXNativeTarget; name = Share; productType = \"com.apple.product-type.app-extension\"; productReference = R; buildConfigurationList = M; };
  D = { isa = PBXTargetDependency; target = E; }; B = { isa = PBXCopyFilesBuildPhase; dstSubfolderSpec = 13; files = (F); }; F = { isa = PBXBuildFile; fileRef = R; };
  R = { isa = PBXFileReference; path = Share.appex; };
  L = { isa = XCConfigurationList; buildConfigurations = (C); }; M = { isa = XCConfigurationList; buildConfigurations = (N); };
  C = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; CODE_SIGN_ENTITLEMENTS = Marram/App.entitlements; PRODUCT_BUNDLE_IDENTIFIER = example.marram; }; };
  N = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Share/Info.plist; CODE_SIGN_ENTITLEMENTS = Share/Share.entitlements; PRODUCT_BUNDLE_IDENTIFIER = example.marram.share; }; };
  }; rootObject = P; }";

    fn found(app: &str, share: &str) -> Vec<String> {
        let list = |key: &str, group: &str| match group {
            "" => "<plist version=\"1.0\">\n<dict>\n</dict>\n</plist>\n".to_owned(),
            group => format!(
                "<plist version=\"1.0\">\n<dict>\n<key>{key}</key>\n<array><string>{group}</string></array>\n</dict>\n</plist>\n"
            ),
        };
        let key = if share.starts_with("group.") { super::GROUPS[0].0 } else { super::GROUPS[1].0 };
        Fixture::ios("")
            .file("ios/Marram.xcodeproj/project.pbxproj", PROJECT)
            .file("ios/Marram/App.entitlements", &list(key, app))
            .file("ios/Share/Share.entitlements", &list(key, share))
            .findings(ID)
            .into_iter()
            .map(|finding| finding.message)
            .collect()
    }

    #[test]
    fn groups_of_one_side_alone_are_told() {
        assert_eq!(
            found("group.example.marram", "group.example.marram.share"),
            [
                "the extension Share is in the app group group.example.marram.share, and the app is in group.example.marram"
            ]
        );
        assert_eq!(
            found("", "$(AppIdentifierPrefix)example.marram.shared"),
            [
                "the extension Share is in the keychain group $(AppIdentifierPrefix)example.marram.shared, and the app is in none"
            ]
        );
        assert!(found("group.example.marram", "group.example.marram").is_empty());
        assert!(found("group.example.marram", "").is_empty(), "the extension wants none");
        assert!(
            found("group.example.marram", "group.$(PRODUCT_BUNDLE_IDENTIFIER)").is_empty(),
            "only the build knows it"
        );
    }
}
