//! The survey: the table of contents of what an app declares.

use elvask_platform::Platform;
use elvask_platform::android::{self, Grant};
use elvask_platform::ios;
use serde::Serialize;

use crate::app::App;
use crate::check::Context;
use crate::finding::NeededBy;
use crate::requirement::{Kind, Requirement};
use crate::source::Place;
use crate::surface::{ANDROID, ManifestView};

/// One thing that the app declares.
#[derive(Debug, Clone)]
pub struct Declaration {
    /// Where.
    pub platform: Platform,
    /// The word for its kind.
    pub kind: &'static str,
    /// What identifies it to the platform.
    pub name: String,
    /// Its value, where it has one.
    pub value: Option<String>,
    /// Where it stands.
    pub place: Place,
    /// The plugins that need it.
    pub needed_by: Vec<NeededBy>,
    /// Of permissions: how the app comes by it.
    pub grant: Option<Grant>,
    /// Of permissions that are asked for: the group under which they are.
    pub group: Option<&'static str>,
    /// Why the platform does not see it, where it does not.
    pub ignored: Option<&'static str>,
    /// What is odd about it, though the platform sees it.
    pub doubt: Option<&'static str>,
}

/// What an app is and declares.
#[derive(Debug, Clone)]
pub struct Survey {
    /// The declarations in the order of the platform, the kind and the file.
    pub declarations: Vec<Declaration>,
    /// The components that the launcher or other apps start.
    pub entry_points: Vec<EntryPoint>,
}

/// A component that something outside the app can start.
#[derive(Debug, Clone)]
pub struct EntryPoint {
    /// `activity`, `service`, `receiver` or `provider`.
    pub kind: String,
    /// The full class name.
    pub class: String,
    /// Whether the launcher starts it.
    pub launcher: bool,
    /// Where it stands.
    pub place: Place,
}

/// Who is there to need a kind of declaration, in the words of the platform's tables.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct KindTitle {
    /// The word in JSON.
    pub id: &'static str,
    /// The heading for people.
    pub title: &'static str,
}

/// The kinds of declaration in the order of the survey.
pub const KINDS: [KindTitle; 7] = [
    KindTitle { id: "permission", title: "Permissions" },
    KindTitle { id: "query", title: "Visible packages" },
    KindTitle { id: "meta-data", title: "Meta-data" },
    KindTitle { id: "attribute", title: "Attributes" },
    KindTitle { id: "usage", title: "Purposes" },
    KindTitle { id: "query-scheme", title: "Query schemes" },
    KindTitle { id: "plist", title: "Other keys" },
];

/// Gathers what an app declares.
#[must_use]
pub fn survey(context: &Context<'_>) -> Survey {
    let mut survey = Survey { declarations: Vec::new(), entry_points: Vec::new() };
    if let Some(manifest) = &context.manifest {
        android_side(context, manifest, &mut survey);
    }
    ios_side(context, &mut survey);
    survey.declarations.sort_by_key(|one| (one.platform, KINDS.iter().position(|kind| kind.id == one.kind), one.place));
    survey
}

fn needed(app: &App, requirements: &[Requirement]) -> Vec<NeededBy> {
    requirements.iter().map(|requirement| NeededBy::of(app, requirement)).collect()
}

fn android_side(context: &Context<'_>, manifest: &ManifestView<'_>, survey: &mut Survey) {
    let declared =
        |kind: Kind, name: &str, value: Option<String>, place: Place, requirements: &[Requirement]| Declaration {
            platform: Platform::Android,
            kind: kind.id(),
            name: name.to_owned(),
            value,
            place,
            needed_by: needed(context.app, requirements),
            grant: None,
            group: None,
            ignored: None,
            doubt: None,
        };
    let seen = manifest.permissions.iter().map(|permission| (permission, None));
    let misplaced =
        manifest.misplaced_permissions.iter().map(|permission| (permission, Some("it stands inside another element")));
    for (permission, ignored) in seen.chain(misplaced) {
        let known = android::permission(&permission.name);
        let until = permission.max_level.map(|level| format!("up to level {level}"));
        let needs = context.needs.of(Kind::Permission, &permission.name);
        let grant = known.map_or(Grant::Unknown, android::Permission::grant);
        let claims = crate::surface::claims_the_platform(&permission.name);
        let nobody = known.is_none() && claims && !manifest.defined.contains(&permission.name);
        let doubt = nobody.then_some("Android has no permission of that name");
        survey.declarations.push(Declaration {
            grant: Some(grant),
            group: known.and_then(android::Permission::group),
            ignored,
            doubt,
            ..declared(Kind::Permission, &permission.name, until, manifest.tag(permission.element), needs)
        });
    }
    let misplaced = manifest.misplaced_queries.iter().flat_map(|queries| queries.children());
    let misplaced: Vec<_> = misplaced.filter_map(crate::surface::read_query).collect();
    let ignored = misplaced.iter().map(|query| (query, Some("its <queries> stands inside another element")));
    for (query, ignored) in manifest.queries.iter().map(|query| (query, None)).chain(ignored) {
        let wanted = |requirement: &&Requirement| match &requirement.need {
            crate::requirement::Need::Query(wanted) => crate::surface::covers(&query.query, wanted),
            _ => false,
        };
        let needs: Vec<_> = context.needs.all().iter().filter(wanted).cloned().collect();
        survey.declarations.push(Declaration {
            ignored,
            ..declared(Kind::Query, &query.query.name(), None, manifest.tag(query.element), &needs)
        });
    }
    for data in &manifest.meta_data {
        let value = data.element.value(ANDROID, "value").or_else(|| data.element.value(ANDROID, "resource"));
        let needs = context.needs.of(Kind::MetaData, &data.name);
        let top = data.element.parent() == Some(manifest.root);
        survey.declarations.push(Declaration {
            ignored: top.then_some("it stands outside <application>"),
            ..declared(
                Kind::MetaData,
                &data.name,
                value.map(std::borrow::Cow::into_owned),
                manifest.tag(data.element),
                needs,
            )
        });
    }
    for group in context.needs.groups(Kind::Attribute) {
        for requirement in group.requirements {
            let crate::requirement::Need::Attribute { owner, attribute, .. } = &requirement.need else { continue };
            let Some(element) = manifest.owner(owner) else { continue };
            if let Some(value) = element.value(ANDROID, attribute) {
                let place = manifest.value_place(element, attribute);
                let one = std::slice::from_ref(requirement);
                survey.declarations.push(declared(Kind::Attribute, group.name, Some(value.into_owned()), place, one));
            }
        }
    }
    for component in &manifest.components {
        let exported = component.element.value(ANDROID, "exported").is_some_and(|value| value == "true");
        if component.launcher || exported {
            survey.entry_points.push(EntryPoint {
                kind: component.element.name().to_owned(),
                class: component.class.clone(),
                launcher: component.launcher,
                place: manifest.tag(component.element),
            });
        }
    }
}

fn ios_side(context: &Context<'_>, survey: &mut Survey) {
    let Some(plist) = context.plist else { return };
    let mut push = |kind: Kind, name: &str, value: Option<String>, place: Place, doubt: Option<&'static str>| {
        survey.declarations.push(Declaration {
            platform: Platform::Ios,
            kind: kind.id(),
            name: name.to_owned(),
            value,
            place,
            needed_by: needed(context.app, context.needs.of(kind, name)),
            grant: None,
            group: None,
            ignored: None,
            doubt,
        });
    };
    for entry in plist.entries() {
        if entry.key == crate::surface::QUERY_SCHEMES {
            continue;
        }
        let known = ios::usage_key(&entry.key).is_some_and(ios::UsageKey::is_for_ios);
        let meant = entry.key.starts_with("NS") && ios::nearest_usage_key(&entry.key).is_some();
        let purpose = entry.key.ends_with("UsageDescription") || meant;
        let kind = if purpose { Kind::Usage } else { Kind::Plist };
        let first = plist.entry(&entry.key).is_some_and(|first| first.key_span == entry.key_span);
        let doubt = match (purpose && !known, first) {
            (true, _) => Some("iOS has no key of that name"),
            (false, false) => Some("the key stands above already"),
            (false, true) => None,
        };
        let value = match entry.value.as_str() {
            Some(text) => text.to_owned(),
            None => brief(&entry.value.kind),
        };
        push(kind, &entry.key, Some(value), plist.key_place(entry), doubt);
    }
    for (scheme, value) in plist.query_schemes() {
        let doubt = (!crate::sheet::is_scheme(scheme)).then_some("it is no scheme");
        push(Kind::QueryScheme, scheme, None, plist.at(value.span), doubt);
    }
}

/// Returns a value in a few words.
fn brief(kind: &elvask_markup::plist::ValueKind) -> String {
    use elvask_markup::plist::ValueKind;
    match kind {
        ValueKind::Bool(value) => if *value { "yes" } else { "no" }.to_owned(),
        ValueKind::Integer(number) => number.to_string(),
        ValueKind::Real(number) => number.to_string(),
        ValueKind::Array(values) if values.len() == 1 && values.iter().all(|value| value.as_str().is_none()) => {
            "1 entry".to_owned()
        }
        ValueKind::Array(values) => match values.iter().map(|value| value.as_str()).collect::<Option<Vec<_>>>() {
            Some(texts) if texts.len() <= 4 => texts.join(", "),
            _ => format!("{} entries", values.len()),
        },
        ValueKind::Dict(entries) if entries.len() == 1 => "1 key".to_owned(),
        ValueKind::Dict(entries) => format!("{} keys", entries.len()),
        ValueKind::String(text) | ValueKind::Date(text) | ValueKind::Data(text) => text.clone(),
    }
}
