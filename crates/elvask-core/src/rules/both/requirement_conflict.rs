//! `requirement-conflict`: two plugins want different values for one name.

use elvask_needs::kinds::{self, Joined};
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::{Kind, Platform};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Requirement;
use crate::rules::Rule;
use crate::rules::support::missing::{Together, parted};
use crate::rules::support::who_needs;

/// See the module.
pub struct RequirementConflict;

static ABOUT: About = About {
    id: "requirement-conflict",
    level: Level::Error,
    platform: None,
    summary: "Reports two plugins that want different values for one key, one meta-data or one attribute.",
    effect: "Only one of them gets its value; the other does not work.",
    wrong: "# sheet of one plugin\nandroid.attribute = { on = \"launcher\", name = \"launchMode\", value = \"singleTop\" }\n# sheet of another\nandroid.attribute = { on = \"launcher\", name = \"launchMode\", value = \"singleTask\" }",
    right: "(one value, stated by both)",
    remedy: "`fill` writes neither. A person finds out which value serves both, and puts a sheet that says so into `elvask/sheets/`.",
    source: "docs/sheets.md",
};

impl Rule for RequirementConflict {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        level_caps(context, out);
        for group in Kind::ALL.iter().flat_map(|kind| context.needs.groups(*kind)) {
            for together in parted(&group) {
                if let Joined::Clash(_) = together.joined {
                    report(context, &together, out);
                }
            }
        }
    }
}

/// Reports a permission that the manifest of one plugin ends at a level, and that another needs beyond it.
fn level_caps(context: &Context<'_>, out: &mut Vec<Finding>) {
    for group in context.needs.groups(Kind::Permission) {
        // A cap that the app itself states is another rule's affair.
        let own = |manifest: &ManifestView<'_>| {
            manifest.permissions.iter().any(|one| one.name == group.name && one.max_level.is_some())
        };
        if context.manifests.iter().any(|manifest| own(manifest)) {
            continue;
        }
        let wanted = group.max_level();
        let capped = context.variants.iter().find_map(|variant| {
            let permission = variant.permission(group.name)?;
            let cap = permission.max_level.filter(|cap| wanted.is_none_or(|wanted| wanted > *cap))?;
            let element = variant.merged.at(permission.element);
            let attribute = element.attributes.iter().find(|one| one.name.local == "maxSdkVersion")?;
            Some((cap, attribute.place))
        });
        let (Some((cap, place)), Some(manifest)) = (capped, &context.manifest) else { continue };
        let name = crate::rules::support::short(group.name);
        let brings =
            context.needs.brought().iter().find(|one| one.kind() == Kind::Permission && one.name == group.name);
        let ends = brings
            .and_then(|one| context.app.plugins.get(one.plugin))
            .map_or("a plugin's", |plugin| plugin.name.as_str());
        let who = who_needs(context, group.requirements);
        let until = wanted.map_or_else(|| "at every level".to_owned(), |level| format!("up to level {level}"));
        let message = format!("{ends}: its manifest ends {name} at level {cap}, and {who} it {until}");
        let line = match wanted {
            Some(level) => format!(
                "<uses-permission android:name=\"{}\" android:maxSdkVersion=\"{level}\" tools:replace=\"android:maxSdkVersion\" />",
                group.name
            ),
            None => {
                format!("<uses-permission android:name=\"{}\" tools:remove=\"android:maxSdkVersion\" />", group.name)
            }
        };
        let declared = manifest.permissions.iter().find(|one| one.name == group.name);
        let at = declared.map_or(manifest.tag(manifest.root), |one| manifest.tag(one.element));
        let mut finding = Finding::new(&ABOUT, group.name, at, message)
            .level(group.level())
            .effect("The call fails on devices above that level.")
            .needed_by(context.app, group.requirements)
            .related(place, "ended here")
            .mend(Remedy::Manual(format!("Declare it in the app so that the longer need wins: {line}")));
        finding.platform = Some(Platform::Android);
        out.push(finding);
    }
}

fn report(context: &Context<'_>, together: &Together<'_>, out: &mut Vec<Finding>) {
    let (name, requirements) = (together.name, &together.requirements);
    let Some(first) = requirements.first() else { return };
    let declared = kinds::spec(first.kind()).found(context, name, &first.need);
    let place = declared.first().map(|declared| declared.place).or_else(|| match first.platform {
        Platform::Ios => context.plist.map(|plist| plist.root_tag()),
        Platform::Android => context.manifest.as_deref().map(|manifest| {
            let owner = if let Need::Attribute { owner, .. } | Need::MetaData { owner, .. } = &first.need {
                manifest.owner(owner)
            } else {
                manifest.application
            };
            manifest.tag(owner.unwrap_or(manifest.root))
        }),
    });
    let value = |one: &Requirement| kinds::spec(one.kind()).disputed(&one.need).unwrap_or_default();
    let wants: Vec<_> = requirements
        .iter()
        .map(|requirement| format!("{} {}", who_needs(context, [*requirement]), value(requirement)))
        .collect();
    let message = format!("`{}` cannot serve all: {}", name, wants.join(", "));
    let steps = "Find out which value serves both, and state it in a sheet of the app's own in elvask/sheets/.";
    let Some(place) = place.or_else(|| context.place_of(first)) else { return };
    let mut finding = Finding::new(&ABOUT, name, place, message)
        .needed_by(context.app, requirements.iter().copied())
        .mend(Remedy::Manual(steps.to_owned()));
    finding.platform = Some(first.platform);
    out.push(finding);
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "requirement-conflict";

    #[test]
    fn neither_value_is_written() {
        let need = |value: &str| format!("ios.plist = {{ key = 'ExampleMode', value = '{value}' }}");
        let app =
            Fixture::ios("    <key>A</key>\n    <true/>\n").needs("one", &need("calm")).needs("two", &need("loud"));
        assert_eq!(app.found(ID), ["error ExampleMode 2:1"]);
        assert_eq!(
            app.findings(ID)[0].message,
            "`ExampleMode` cannot serve all: one needs \"calm\", two needs \"loud\""
        );
        assert!(app.found("plist-missing").is_empty());
        app.is_left_alone();
        let agreed =
            Fixture::ios("    <key>A</key>\n    <true/>\n").needs("one", &need("calm")).needs("two", &need("calm"));
        assert!(agreed.found(ID).is_empty());
    }

    #[test]
    fn attributes_conflict_on_one_element_alone() {
        let need = |on: &str, value: &str| {
            format!("android.attribute = {{ on = '{on}', name = 'taskAffinity', value = '{value}' }}")
        };
        let app = |on: &str| {
            Fixture::android("    <application/>\n")
                .needs("one", &need("application", "a"))
                .needs("two", &need(on, "b"))
        };
        assert_eq!(app("application").found(ID), ["error taskAffinity 2:5"]);
        assert!(app("launcher").found(ID).is_empty());
    }

    #[test]
    fn a_cap_in_one_plugins_manifest_ends_what_another_needs() {
        let library = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><uses-permission android:name=\"android.permission.WRITE_EXTERNAL_STORAGE\" android:maxSdkVersion=\"28\"/></manifest>";
        let app = |own: &str| {
            Fixture::android(&format!("{own}    <application/>\n"))
                .package("skua_files")
                .file("node_modules/skua_files/android/src/main/AndroidManifest.xml", library)
                .needs(
                    "tern_camera",
                    "android.permission = 'android.permission.WRITE_EXTERNAL_STORAGE'\nmax-level = 32",
                )
        };
        let plain = "    <uses-permission android:name=\"android.permission.WRITE_EXTERNAL_STORAGE\"/>\n";
        assert_eq!(app(plain).found(ID), ["error android.permission.WRITE_EXTERNAL_STORAGE 2:5"]);
        let finding = app("").findings(ID).remove(0);
        assert_eq!(
            finding.message,
            "skua_files: its manifest ends WRITE_EXTERNAL_STORAGE at level 28, and tern_camera needs it up to level 32"
        );
        assert!(finding.remedy.text().contains("tools:replace"), "{:?}", finding.remedy);
        let settled = plain.replace("/>", " android:maxSdkVersion=\"32\" tools:replace=\"android:maxSdkVersion\"/>");
        assert!(app(&settled).found(ID).is_empty());
    }
}
