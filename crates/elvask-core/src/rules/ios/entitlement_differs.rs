//! `entitlement-differs`: the configuration that ships lacks an entitlement that another one has, or the other way round.

use elvask_markup::plist::{PropertyList, plan};
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform};
use elvask_project::source::{FileId, Place};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::is_told_as_badly;

/// See the module.
pub struct EntitlementDiffers;

static ABOUT: About = About {
    id: "entitlement-differs",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports an entitlement that one configuration of the target has and another one has not.",
    effect: "What works while the app is tried fails in the app that ships.",
    wrong: "(aps-environment in Debug.entitlements, and not in Release.entitlements)",
    right: "(aps-environment in both)",
    remedy: "A person adds the key to the other file, or names one file in all configurations.",
    source: "Build settings reference: Code Signing Entitlements",
};

/// Signing sets it by itself, and never in what ships.
const FOR_DEBUGGERS: &str = "get-task-allow";

impl Rule for EntitlementDiffers {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(ios) = &context.app.ios else { return };
        let Some(shipped) = ios.entitlements.iter().find(|one| one.configuration == ios.configuration) else { return };
        let Some(file) = shipped.file else { return };
        let Some(list) = read(context, file) else { return };
        let mut looked_at = vec![file];
        for other in &ios.entitlements {
            let Some(there) = other.file.filter(|there| !looked_at.contains(there)) else { continue };
            looked_at.push(there);
            let Some(theirs) = read(context, there) else { continue };
            let sides = [
                (
                    (&theirs, there, other.configuration.as_str()),
                    (&list, file, shipped.configuration.as_str()),
                    Level::Warning,
                ),
                (
                    (&list, file, shipped.configuration.as_str()),
                    (&theirs, there, other.configuration.as_str()),
                    Level::Note,
                ),
            ];
            for ((has, at, with), (lacks, missing, without), level) in sides {
                for entry in has.entries().iter().filter(|entry| entry.key != FOR_DEBUGGERS) {
                    let told = is_told_as_badly(context.needs.of(Kind::Entitlement, &entry.key), level);
                    if lacks.entry(&entry.key).is_some() || told && level == Level::Warning {
                        continue;
                    }
                    let key = &entry.key;
                    let name = context.sources.file(missing).shown.rsplit('/').next().unwrap_or_default();
                    let effect = match level {
                        Level::Note => "What works in the app that ships cannot be tried in that configuration.",
                        _ => ABOUT.effect,
                    };
                    let place = Place { file: missing, span: plan::start_tag(lacks, lacks.root()) };
                    out.push(
                        Finding::new(
                            &ABOUT,
                            key,
                            place,
                            format!("{with} has the entitlement {key}, and {without} has not"),
                        )
                        .level(level)
                        .effect(effect)
                        .related(Place { file: at, span: entry.key_span }, "it is here")
                        .mend(Remedy::Manual(format!(
                            "Add {key} to {name} too, or name one file in both configurations."
                        ))),
                    );
                }
            }
        }
    }
}

fn read(context: &Context<'_>, file: FileId) -> Option<PropertyList> {
    PropertyList::parse(context.sources.file(file).text.clone()).ok()
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "entitlement-differs";
    const PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; }; T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; }; L = { isa = XCConfigurationList; buildConfigurations = (D, R); };
  D = { isa = XCBuildConfiguration; name = Debug; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; CODE_SIGN_ENTITLEMENTS = Marram/Debug.entitlements; }; };
  R = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; CODE_SIGN_ENTITLEMENTS = Marram/Release.entitlements; }; }; }; rootObject = P; }";

    fn app(debug: &str, release: &str) -> Fixture {
        let list = |inside: &str| format!("<plist version=\"1.0\">\n<dict>\n{inside}</dict>\n</plist>\n");
        Fixture::ios("")
            .file("ios/Marram.xcodeproj/project.pbxproj", PROJECT)
            .file("ios/Marram/Debug.entitlements", &list(debug))
            .file("ios/Marram/Release.entitlements", &list(release))
    }

    fn key(name: &str) -> String {
        format!("    <key>{name}</key>\n    <true/>\n")
    }

    #[test]
    fn what_ships_without_is_told() {
        let found = app(&key("com.apple.developer.siri"), &key("com.apple.developer.weatherkit"));
        assert_eq!(
            found.found(ID),
            ["note com.apple.developer.weatherkit 2:1", "warning com.apple.developer.siri 2:1"]
        );
        assert_eq!(
            found.findings(ID)[1].message,
            "Debug has the entitlement com.apple.developer.siri, and Release has not"
        );
        found.is_left_alone();
    }

    #[test]
    fn what_is_in_both_or_for_debuggers_is_left() {
        let both = key("com.apple.developer.siri");
        assert!(app(&format!("{both}{}", key("get-task-allow")), &both).found(ID).is_empty());
    }
}
