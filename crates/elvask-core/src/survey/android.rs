//! The Android side of the survey: the effective manifests of the variants that are judged.

use std::collections::{HashMap, HashSet};

use elvask_needs::requirement::Need;
use elvask_platform::android::{self, Grant};
use elvask_platform::{Kind, Platform};
use elvask_project::gradle::Stated;
use elvask_project::merge::{MergedAttribute, MergedElement};
use elvask_project::names::ANDROID;
use elvask_project::source::Place;
use elvask_project::surface::{Effective, claims_the_platform, read_query};

use super::{Declaration, EntryPoint, Section, Survey};
use crate::context::Context;

pub(super) fn gather(context: &Context<'_>, survey: &mut Survey) {
    identity(context, survey);
    match context.variants.as_slice() {
        // A single variant has nothing in common with another one.
        [only] => of_variant(context, only, &mut survey.declarations),
        several => of_variants(context, several, &mut survey.declarations),
    }
    let mut started: HashSet<Place> = HashSet::new();
    for variant in &context.variants {
        for component in variant.components() {
            if !started.contains(&component.place) && entry_point(variant, component, survey) {
                started.insert(component.place);
            }
        }
    }
    ignored(context, survey);
}

/// Lists what several variants declare: the same thing at the same place is one thing.
fn of_variants<'c>(context: &Context<'c>, variants: &[Effective<'c>], out: &mut Vec<Declaration>) {
    let mut found: Vec<(Declaration, Vec<String>)> = Vec::new();
    let mut index: HashMap<(Place, &'static str), Vec<usize>> = HashMap::new();
    for variant in variants {
        let mut listed = Vec::new();
        of_variant(context, variant, &mut listed);
        for one in listed {
            let here = index.entry((one.place, one.kind)).or_default();
            let known = here.iter().copied().find(|at| {
                found.get(*at).is_some_and(|(known, variants)| {
                    (&known.name, &known.value) == (&one.name, &one.value) && !variants.contains(&variant.variant)
                })
            });
            match known.and_then(|at| found.get_mut(at)) {
                Some((_, variants)) => variants.push(variant.variant.clone()),
                None => {
                    here.push(found.len());
                    found.push((one, vec![variant.variant.clone()]));
                }
            }
        }
    }
    for (mut one, of) in found {
        if of.len() < variants.len() {
            one.only_in = of;
        }
        out.push(one);
    }
}

/// Lists who the app is and the levels that it runs on, as the build files state it.
fn identity(context: &Context<'_>, survey: &mut Survey) {
    let Some(android) = &context.app.android else { return };
    let several = android.judged.len() > 1;
    let mut push = |section, kind: Stating, name: &str, value: Option<String>, place: Option<Place>, variant: &str| {
        let (Some(value), Some(place)) = (value, place) else { return };
        let known = survey.declarations.iter_mut().find(|known| {
            (known.section, known.name.as_str(), known.value.as_deref(), known.place)
                == (section, name, Some(&value), place)
        });
        match known {
            Some(known) if several => known.only_in.push(variant.to_owned()),
            Some(_) => {}
            None => {
                let mut one = Declaration::new(Platform::Android, section, kind.id(), name, place);
                one.value = Some(value);
                one.only_in.extend(several.then(|| variant.to_owned()));
                survey.declarations.push(one);
            }
        }
    };
    let number = |stated: &Stated<u32>| stated.value.map(|value| value.to_string());
    for variant in android.judged() {
        let name = variant.name.as_str();
        push(Section::Identity, Stating::Identity, "applicationId", variant.id.value.clone(), variant.id.place, name);
        push(
            Section::Identity,
            Stating::Identity,
            "versionName",
            variant.version_name.value.clone(),
            variant.version_name.place,
            name,
        );
        push(
            Section::Identity,
            Stating::Identity,
            "versionCode",
            number(&variant.version_code),
            variant.version_code.place,
            name,
        );
        push(
            Section::Levels,
            Stating::Level,
            "minSdkVersion",
            number(&variant.min_level),
            variant.min_level.place,
            name,
        );
        push(
            Section::Levels,
            Stating::Level,
            "targetSdkVersion",
            number(&variant.target_level),
            variant.target_level.place,
            name,
        );
        if let Some(module) = android.modules.first() {
            let compile = &module.compile_level;
            push(Section::Levels, Stating::Level, "compileSdkVersion", number(compile), compile.place, name);
        }
    }
    for one in &mut survey.declarations {
        one.overrode = in_manifest(context, &one.name, one.value.as_deref(), one.place);
    }
    let all = android.judged.len();
    for one in &mut survey.declarations {
        if one.only_in.len() == all {
            one.only_in.clear();
        }
    }
}

/// Returns what the manifest itself says of a number or name that the build states otherwise: the build wins.
fn in_manifest(context: &Context<'_>, name: &str, value: Option<&str>, place: Place) -> Vec<(String, Place)> {
    let Some(manifest) = context.manifest.as_deref().filter(|manifest| manifest.file != place.file) else {
        return Vec::new();
    };
    let element = match name {
        "versionCode" | "versionName" => Some(manifest.root),
        "minSdkVersion" | "targetSdkVersion" => manifest.root.child("uses-sdk"),
        _ => None,
    };
    let said = element.and_then(|element| Some((element, element.value(ANDROID, name)?)));
    let lost = said.filter(|(_, said)| Some(said.as_ref()) != value);
    lost.map(|(element, said)| (said.into_owned(), manifest.value_place(element, name))).into_iter().collect()
}

/// Kinds of declaration that are stated in build files.
#[derive(Clone, Copy)]
enum Stating {
    Identity,
    Level,
}

impl Stating {
    fn id(self) -> &'static str {
        match self {
            Stating::Identity => "identity",
            Stating::Level => "level",
        }
    }
}

/// Returns where an element comes from, where that is not the main manifest.
fn origin(variant: &Effective<'_>, input: usize) -> Option<String> {
    let role = variant.merged.roles.get(input)?;
    (*role != elvask_project::merge::Role::Main).then(|| role.name().to_owned())
}

struct Lister<'a, 'c> {
    variant: &'a Effective<'c>,
    out: &'a mut Vec<Declaration>,
}

impl<'c> Lister<'_, 'c> {
    fn element(&self, section: Section, kind: &'static str, name: &str, element: &MergedElement<'c>) -> Declaration {
        let mut one = Declaration::new(Platform::Android, section, kind, name, element.place);
        one.origin = origin(self.variant, element.input);
        let lost = element.attributes.iter().flat_map(|attribute| &attribute.overrode);
        one.overrode = lost.map(|lost| (lost.value.clone(), lost.place)).collect();
        one
    }

    fn attribute(
        &mut self,
        section: Section,
        kind: &'static str,
        name: &str,
        value: String,
        attribute: &MergedAttribute<'c>,
    ) {
        let mut one = Declaration::new(Platform::Android, section, kind, name, attribute.place);
        one.origin = attribute.input.and_then(|input| origin(self.variant, input));
        one.overrode = attribute.overrode.iter().map(|lost| (lost.value.clone(), lost.place)).collect();
        one.value = Some(value);
        self.out.push(one);
    }
}

fn of_variant<'c>(context: &Context<'c>, variant: &Effective<'c>, out: &mut Vec<Declaration>) {
    let mut lister = Lister { variant, out };
    let merged = &variant.merged;
    let defined: Vec<_> =
        merged.children(merged.root()).filter(|one| one.name == "permission").filter_map(|one| one.key()).collect();
    for permission in &variant.permissions {
        let element = merged.at(permission.element);
        let known = android::permission(&permission.name);
        let nobody = known.is_none()
            && claims_the_platform(&permission.name)
            && !defined.iter().any(|name| *name == permission.name);
        let mut one = lister.element(Section::Permissions, Kind::Permission.id(), &permission.name, element);
        one.value = permission.max_level.map(|level| format!("up to level {level}"));
        one.grant = Some(known.map_or(Grant::Unknown, android::Permission::grant));
        one.group = known.and_then(android::Permission::group);
        one.doubt = nobody.then_some("Android has no permission of that name").or(match element.implied {
            Some(_) => Some("the build adds it for an old library"),
            None => None,
        });
        lister.out.push(one);
    }
    for element in merged.children(merged.root()).filter(|one| one.name == "uses-feature") {
        let name = element.value("name").or(element.value("glEsVersion")).unwrap_or_default().to_owned();
        let required = element.value("required") != Some("false");
        let mut one = lister.element(Section::Features, "feature", &name, element);
        one.value =
            Some(if required { "devices without it cannot install the app" } else { "used if it is there" }.to_owned());
        lister.out.push(one);
    }
    for query in &variant.queries {
        let one = lister.element(Section::Queries, Kind::Query.id(), &query.query.name(), merged.at(query.element));
        lister.out.push(one);
    }
    for element in variant.meta_data() {
        let Some(name) = element.key() else { continue };
        let top = element.parent == Some(0);
        let value = element.value("value").or(element.value("resource")).map(str::to_owned);
        let mut one = lister.element(Section::MetaData, Kind::MetaData.id(), name, element);
        one.value = value;
        one.ignored = top.then_some("it is outside <application>");
        lister.out.push(one);
    }
    for component in variant.components() {
        of_component(&mut lister, component);
    }
    application(&mut lister);
    for group in context.needs.groups(Kind::Attribute) {
        for requirement in group.requirements {
            let Need::Attribute { owner, attribute, .. } = &requirement.need else { continue };
            let declared = variant.owner(owner).and_then(|element| element.attribute(attribute));
            if let Some(declared) = declared {
                lister.attribute(
                    Section::Attributes,
                    Kind::Attribute.id(),
                    group.name,
                    declared.value.to_string(),
                    declared,
                );
            }
        }
    }
}

/// Lists a component and its filters.
fn of_component<'c>(lister: &mut Lister<'_, 'c>, component: &MergedElement<'c>) {
    let Some(class) = component.key().map(str::to_owned) else { return };
    let merged = &lister.variant.merged;
    let mut about = String::with_capacity(64);
    about.push_str(component.name);
    let filters: Vec<_> = merged.children(component).filter(|child| child.name == "intent-filter").collect();
    about.push_str(match (component.value("exported"), filters.is_empty()) {
        (Some("true"), _) => ", other apps may start it",
        (Some("false"), _) => ", closed to other apps",
        (_, false) => ", exported is not stated, though it has a filter",
        (_, true) => ", closed to other apps by default",
    });
    if component.value("enabled") == Some("false") {
        about.push_str(", disabled");
    }
    let mut of = |attribute: &str, before: &str| {
        if let Some(value) = component.value(attribute) {
            about.extend([", ", before, value]);
        }
    };
    of("permission", "guarded by ");
    of("foregroundServiceType", "foreground type ");
    of("authorities", "");
    of("targetActivity", "alias of ");
    of("launchMode", "launch mode ");
    of("theme", "theme ");
    let mut one = lister.element(Section::Components, "component", &class, component);
    one.value = Some(about);
    lister.out.push(one);
    if let Some(orientation) = component.attribute("screenOrientation") {
        let value = format!("{} ({})", orientation.value, class.rsplit('.').next().unwrap_or(&class));
        lister.attribute(Section::Orientation, "attribute", "screenOrientation", value, orientation);
    }
    for filter in filters {
        let (name, value) = describe(lister.variant, filter);
        let value = match value.is_empty() {
            true => format!("to {class}"),
            false => format!("{value} to {class}"),
        };
        let mut one = lister.element(Section::Filters, "filter", &name, filter);
        one.value = Some(value);
        lister.out.push(one);
    }
}

/// Returns a filter's name, its actions with the schemes, and what else it matches, in a few words.
fn describe(variant: &Effective<'_>, filter: &MergedElement<'_>) -> (String, String) {
    let of = |name: &'static str, local: &'static str| {
        let children = variant.merged.children(filter).filter(move |child| child.name == name);
        let mut values: Vec<String> = children.filter_map(|child| child.value(local).map(str::to_owned)).collect();
        values.dedup();
        values
    };
    let (actions, schemes, hosts) = (of("action", "name"), of("data", "scheme"), of("data", "host"));
    let paths = ["path", "pathPrefix", "pathPattern", "pathSuffix", "pathAdvancedPattern"]
        .map(|local| of("data", local))
        .concat();
    let mut name = actions.first().cloned().unwrap_or_default();
    if !schemes.is_empty() {
        name = format!("{name} {}", schemes.join(","));
    }
    let mut about = Vec::new();
    if !hosts.is_empty() {
        about.push(hosts.join(", "));
    }
    if !paths.is_empty() {
        about.push(paths.join(", "));
    }
    about.extend(of("data", "mimeType"));
    let short = |name: &String| name.rsplit('.').next().unwrap_or(name).to_owned();
    let categories: Vec<_> = of("category", "name").iter().map(short).filter(|name| name != "DEFAULT").collect();
    if !categories.is_empty() {
        about.push(categories.join(" "));
    }
    if filter.value("autoVerify") == Some("true") {
        about.push("verified".to_owned());
    }
    (name, about.join(", "))
}

/// Lists what `<application>` says of the network, and of how the app looks.
fn application<'c>(lister: &mut Lister<'_, 'c>) {
    let Some(application) = lister.variant.application() else { return };
    let listed = [
        (Section::Network, "attribute", "usesCleartextTraffic"),
        (Section::Network, "attribute", "networkSecurityConfig"),
        (Section::Application, "attribute", "name"),
        (Section::Application, "resource", "label"),
        (Section::Application, "resource", "icon"),
        (Section::Application, "resource", "roundIcon"),
        (Section::Application, "resource", "theme"),
        (Section::Application, "attribute", "debuggable"),
        (Section::Application, "attribute", "allowBackup"),
        (Section::Application, "resource", "dataExtractionRules"),
        (Section::Application, "resource", "fullBackupContent"),
        (Section::Application, "attribute", "requestLegacyExternalStorage"),
        (Section::Application, "attribute", "hardwareAccelerated"),
        (Section::Application, "attribute", "largeHeap"),
        (Section::Application, "attribute", "extractNativeLibs"),
        (Section::Application, "attribute", "supportsRtl"),
        (Section::Application, "attribute", "enableOnBackInvokedCallback"),
        (Section::Application, "attribute", "appCategory"),
    ];
    for (section, kind, name) in listed {
        if let Some(attribute) = application.attribute(name) {
            lister.attribute(section, kind, name, attribute.value.to_string(), attribute);
        }
    }
    let merged = &lister.variant.merged;
    let library = |element: &&MergedElement<'c>| matches!(element.name, "uses-library" | "uses-native-library");
    let libraries: Vec<_> = merged.children(application).filter(library).collect();
    for element in libraries {
        let Some(name) = element.key() else { continue };
        let mut one = lister.element(Section::Libraries, "library", name, element);
        let needed = element.value("required") != Some("false");
        let what = if needed { "devices without it cannot install the app" } else { "used if it is there" };
        let native = if element.name == "uses-native-library" { "native, " } else { "" };
        one.value = Some(format!("{native}{what}"));
        lister.out.push(one);
    }
}

/// Lists a component that something outside the app can start; says whether it is one.
fn entry_point(variant: &Effective<'_>, component: &MergedElement<'_>, survey: &mut Survey) -> bool {
    let launcher = variant.is_launcher(component);
    let open = launcher || component.value("exported") == Some("true");
    let Some(class) = component.key().filter(|_| open) else { return false };
    survey.entry_points.push(EntryPoint {
        kind: component.name.to_owned(),
        class: class.to_owned(),
        launcher,
        guarded_by: component.value("permission").map(str::to_owned),
        place: component.place,
        origin: origin(variant, component.input),
    });
    true
}

/// Lists what stands in the app's manifests where the platform does not look.
fn ignored(context: &Context<'_>, survey: &mut Survey) {
    for manifest in &context.manifests {
        for permission in &manifest.misplaced_permissions {
            let known = android::permission(&permission.name);
            let place = manifest.tag(permission.element);
            let mut one = Declaration::new(
                Platform::Android,
                Section::Permissions,
                Kind::Permission.id(),
                permission.name.clone(),
                place,
            );
            one.value = permission.max_level.map(|level| format!("up to level {level}"));
            one.grant = Some(known.map_or(Grant::Unknown, android::Permission::grant));
            one.group = known.and_then(android::Permission::group);
            one.ignored = Some("it is inside another element");
            survey.declarations.push(one);
        }
        for entry in manifest.misplaced_queries.iter().flat_map(|queries| queries.children()).filter_map(read_query) {
            let place = manifest.tag(entry.element);
            let mut one =
                Declaration::new(Platform::Android, Section::Queries, Kind::Query.id(), entry.query.name(), place);
            one.ignored = Some("its <queries> is inside another element");
            survey.declarations.push(one);
        }
    }
}
