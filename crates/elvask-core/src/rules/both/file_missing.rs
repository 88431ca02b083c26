//! `file-missing`: a plugin needs a file that is not there.

use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::services::service_files;
use elvask_platform::{Kind, Platform};
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::who_needs;

/// See the module.
pub struct FileMissing;

static ABOUT: About = About {
    id: "file-missing",
    level: Level::Error,
    platform: None,
    summary: "Reports a file that a plugin needs in the platform's project and that is not there, or that the project does not copy into the app.",
    effect: "The build fails, or the app crashes at start.",
    wrong: "(no android/app/example-services.json)",
    right: "(the file that the plugin's maker hands out for this app, put there)",
    remedy: "A person gets the file from the plugin's maker: it contains what only they and the app's owner know. One that is there is added to the resources of the target.",
    source: "docs/sheets.md",
};

impl Rule for FileMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for group in context.needs.groups(Kind::File) {
            let Some(requirement) = group.requirements.first() else { continue };
            let Some(required) = context.app.required_file(requirement.platform, &requirement.name) else { continue };
            let without: Vec<&str> =
                required.variants.iter().filter(|one| one.file.is_none()).map(|one| one.variant.as_str()).collect();
            if required.file.is_some() && without.is_empty() {
                continue;
            }
            let Some(place) = context.place_of(requirement) else { continue };
            let folder = match requirement.need {
                Need::File { in_app: true, .. } => "the app's folder".to_owned(),
                _ => format!("the {} project", requirement.platform.title()),
            };
            let shown = &required.shown;
            let who = who_needs(context, group.requirements);
            let for_some = match without.as_slice() {
                [] => String::new(),
                all => format!(" for {}", all.join(", ")),
            };
            let message = format!("{shown} is not there{for_some}, and {who} it in {folder}");
            let from = group.requirements.iter().find_map(|one| one.reference.as_deref());
            let from = from.map(|page| format!(" ({page} says where)")).unwrap_or_default();
            let name = shown.rsplit('/').next().unwrap_or(shown);
            let is_of_service = service_files().any(|known| known.path.rsplit('/').next() == Some(name));
            let maker = if is_of_service {
                "the service's console, where this app is registered,"
            } else {
                "the plugin's maker"
            };
            let steps = format!("Get the file from {maker}{from} and put it at {shown}.");
            let mut finding = Finding::new(&ABOUT, group.name, place, message)
                .level(group.level())
                .needed_by(context.app, group.requirements)
                .mend(Remedy::Manual(steps));
            finding.platform = Some(requirement.platform);
            out.push(finding);
        }
        left_out(context, out);
    }
}

/// Tells of files that are there and that the project for iOS does not copy into the app.
fn left_out(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(ios) = &context.app.ios else { return };
    let (Some(project), Some(target)) = (&ios.project, &ios.target) else { return };
    let left_out = context.app.required.iter().filter(|one| one.platform == Platform::Ios && one.taken == Some(false));
    for (required, file) in left_out.filter_map(|one| Some((one, one.file?))) {
        let needs = context.needs.of(Kind::File, &required.path);
        let needs: Vec<_> = needs.iter().filter(|one| one.platform == Platform::Ios).collect();
        let name = required.shown.rsplit('/').next().unwrap_or(&required.shown);
        let project = project.folder.file_name().unwrap_or_default().to_string_lossy();
        let message = format!("{} is there, and the target {target} does not copy it into the app", required.shown);
        let steps = format!(
            "In Xcode, drag {name} into the project in {project} and tick the target {target}; or add it under Build Phases, Copy Bundle Resources."
        );
        let place = Place { file, span: elvask_markup::Span::at(0) };
        let mut finding = Finding::new(&ABOUT, &required.path, place, message)
            // What no sheet asks for may be looked for elsewhere.
            .level(needs.iter().map(|one| one.level()).max().unwrap_or(Level::Warning))
            .effect("The plugin does not find the file on the device, and ends the app or does nothing.")
            .mend(Remedy::Manual(steps));
        finding.platform = Some(Platform::Ios);
        if !needs.is_empty() {
            finding = finding.needed_by(context.app, needs);
        }
        out.push(finding);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "file-missing";

    const NEED: &str =
        "file = { platform = 'android', path = 'app/example-services.json', id-at = '/client/package_name' }";

    #[test]
    fn a_file_that_is_not_there_is_told() {
        let app = Fixture::android("    <application/>\n").needs("dunlin_alerts", NEED);
        let finding = app.findings(ID).remove(0);
        assert_eq!(
            finding.message,
            "android/app/example-services.json is not there, and dunlin_alerts needs it in the Android project"
        );
        let there = app.file("android/app/example-services.json", "{}");
        assert!(there.found(ID).is_empty());
    }

    #[test]
    fn a_file_that_the_target_does_not_copy_is_told() {
        let need = "file = { platform = 'ios', path = 'Marram/ExampleServices.plist' }";
        let list = "<plist version=\"1.0\">\n<dict/>\n</plist>\n";
        let app = |phases: &str| {
            let project = format!(
                "{{ objects = {{ P = {{ isa = PBXProject; targets = (T); buildConfigurationList = L; }}; T = {{ isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; buildPhases = (B, S); }}; L = {{ isa = XCConfigurationList; buildConfigurations = (R); }}; R = {{ isa = XCBuildConfiguration; name = Release; buildSettings = {{ INFOPLIST_FILE = Marram/Info.plist; }}; }}; F = {{ isa = PBXFileReference; path = Marram/ExampleServices.plist; sourceTree = SOURCE_ROOT; }}; W = {{ isa = PBXBuildFile; fileRef = F; }}; {phases} }}; rootObject = P; }}"
            );
            Fixture::ios("")
                .file("ios/Marram.xcodeproj/project.pbxproj", &project)
                .file("ios/Marram/ExampleServices.plist", list)
                .needs("dunlin_alerts", need)
        };
        let left_out = app("B = { isa = PBXResourcesBuildPhase; files = (); };").findings(ID);
        assert_eq!(
            left_out[0].message,
            "ios/Marram/ExampleServices.plist is there, and the target Marram does not copy it into the app"
        );
        assert!(app("B = { isa = PBXResourcesBuildPhase; files = (W); };").found(ID).is_empty());
        assert!(app("B = { isa = PBXCopyFilesBuildPhase; files = (W); };").found(ID).is_empty());
        let script =
            "B = { isa = PBXShellScriptBuildPhase; shellScript = \"cp $FLAVOR/ExampleServices.plist $OUT\"; };";
        assert!(app(script).found(ID).is_empty(), "a script of the build copies it");
    }
}
