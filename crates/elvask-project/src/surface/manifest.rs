//! The declarations of an Android manifest.

use std::borrow::Cow;

use elvask_markup::xml::{Attribute, Document, Element};
use elvask_markup::{ByName, Span};
use elvask_platform::android::{self, Permission};

use crate::intent::{Owner, Query};
use crate::names::{ANDROID, TOOLS, full_class};
use crate::source::{FileId, Place};

pub(super) const COMPONENTS: [&str; 5] = ["activity", "activity-alias", "service", "receiver", "provider"];

/// A `<uses-permission>` where the platform looks for it.
#[derive(Debug, Clone)]
pub struct DeclaredPermission<'d> {
    /// The element.
    pub element: Element<'d>,
    /// The permission's full name.
    pub name: Cow<'d, str>,
    /// The highest level that it holds for; an attribute that is not a number is taken for none.
    pub max_level: Option<u32>,
    /// The permission of the platform that a name means to be, where the platform has none of that name.
    pub meant: Option<Permission>,
}

/// An entry of `<queries>`.
#[derive(Debug, Clone)]
pub struct DeclaredQuery<'d> {
    /// The element.
    pub element: Element<'d>,
    /// What it asks for.
    pub query: Query,
}

/// A `<meta-data>` anywhere in the manifest.
#[derive(Debug, Clone)]
pub struct DeclaredMetaData<'d> {
    /// The element.
    pub element: Element<'d>,
    /// The name.
    pub name: Cow<'d, str>,
}

/// A component of the app.
#[derive(Debug, Clone)]
pub struct Component<'d> {
    /// The element.
    pub element: Element<'d>,
    /// The full class name, or the full name of an alias.
    pub class: String,
    /// Whether the launcher starts it.
    pub launcher: bool,
}

/// A manifest, gone through once.
#[derive(Debug, Clone)]
pub struct ManifestView<'d> {
    /// The file.
    pub file: FileId,
    /// The document.
    pub document: &'d Document,
    /// The element `<manifest>`.
    pub root: Element<'d>,
    /// The element `<application>`.
    pub application: Option<Element<'d>>,
    /// Permissions that the app asks for.
    pub permissions: Vec<DeclaredPermission<'d>>,
    /// Permissions that a merge marker takes out.
    pub removed: Vec<DeclaredPermission<'d>>,
    /// Permissions that stand where the platform does not look.
    pub misplaced_permissions: Vec<DeclaredPermission<'d>>,
    /// Names of permissions that the app itself defines.
    pub defined: Vec<Cow<'d, str>>,
    /// The element into which queries go.
    pub queries_element: Option<Element<'d>>,
    /// What the app asks to see of others.
    pub queries: Vec<DeclaredQuery<'d>>,
    /// `<queries>` where the platform does not look.
    pub misplaced_queries: Vec<Element<'d>>,
    /// All `<meta-data>`.
    pub meta_data: Vec<DeclaredMetaData<'d>>,
    /// All components.
    pub components: Vec<Component<'d>>,
    by_class: ByName,
    /// The component that the launcher starts, by its place among them: it is asked for very often.
    launcher: Option<usize>,
}

impl<'d> ManifestView<'d> {
    pub(super) fn new(file: FileId, document: &'d Document, namespace: Option<&str>) -> Self {
        let root = document.root();
        let package = root.attribute_written("package").map(|package| root.value_of(package).into_owned());
        let package = namespace.map(str::to_owned).or(package);
        let mut view = ManifestView {
            file,
            document,
            root,
            application: root.child("application"),
            permissions: Vec::new(),
            removed: Vec::new(),
            misplaced_permissions: Vec::new(),
            defined: Vec::new(),
            queries_element: root.child("queries"),
            queries: Vec::new(),
            misplaced_queries: Vec::new(),
            meta_data: Vec::new(),
            components: Vec::new(),
            by_class: ByName::default(),
            launcher: None,
        };
        for element in document.elements() {
            view.add(element, package.as_deref());
        }
        view.launcher = view.components.iter().position(|component| component.launcher);
        view
    }

    fn add(&mut self, element: Element<'d>, package: Option<&str>) {
        let at_top = element.parent() == Some(self.root);
        let name = || element.value(ANDROID, "name");
        match element.name() {
            "uses-permission" | "uses-permission-sdk-23" => {
                let Some(name) = name() else { return };
                let max_level = element.value(ANDROID, "maxSdkVersion").and_then(|level| level.trim().parse().ok());
                let meant = match claims_the_platform(&name) && android::permission(&name).is_none() {
                    true => android::nearest_permission(&name),
                    false => None,
                };
                let permission = DeclaredPermission { element, name, max_level, meant };
                let removed = element.value(TOOLS, "node").is_some_and(|marker| marker == "remove");
                match (at_top, removed) {
                    (true, true) => self.removed.push(permission),
                    (true, false) => self.permissions.push(permission),
                    (false, _) => self.misplaced_permissions.push(permission),
                }
            }
            "permission" if at_top => self.defined.extend(name()),
            "queries" if at_top => {
                let queries = element.children().filter_map(read_query);
                self.queries.extend(queries);
            }
            "queries" => self.misplaced_queries.push(element),
            "meta-data" => {
                if let Some(name) = name() {
                    self.meta_data.push(DeclaredMetaData { element, name });
                }
            }
            kind if COMPONENTS.contains(&kind) && element.parent() == self.application => {
                let Some(name) = name() else { return };
                let class = full_class(&name, package);
                self.components.push(Component { element, class, launcher: is_launcher(element) });
            }
            _ => {}
        }
    }

    /// Returns the element that something belongs to.
    #[must_use]
    pub fn owner(&self, owner: &Owner) -> Option<Element<'d>> {
        match owner {
            Owner::Application => self.application,
            Owner::Launcher => self.launcher().map(|component| component.element),
            Owner::Class(class) => self.component(class).map(|one| one.element),
        }
    }

    /// Returns the component of a class; the first one where there are several.
    #[must_use]
    pub fn component(&self, class: &str) -> Option<&Component<'d>> {
        self.by_class.first(&self.components, |one| &one.class, class)
    }

    /// Goes through the components that have filters, in their order, without a look at the others.
    pub fn with_filters(&self) -> impl Iterator<Item = &Component<'d>> {
        let around = self.document.named("intent-filter").filter_map(Element::parent);
        let at = |element: &Element<'_>| element.open().start;
        let components = around
            .filter_map(move |parent| self.components.binary_search_by_key(&at(&parent), |one| at(&one.element)).ok());
        let mut last = None;
        components
            .filter(move |found| last.replace(*found) != Some(*found))
            .filter_map(|found| self.components.get(found))
    }

    /// Returns the component that the launcher starts.
    #[must_use]
    pub fn launcher(&self) -> Option<&Component<'d>> {
        self.components.get(self.launcher?)
    }

    /// Returns the prefix that the manifest binds to the platform's attributes.
    #[must_use]
    pub fn prefix(&self) -> &'d str {
        self.root.prefix_of(ANDROID).unwrap_or("android")
    }

    /// Returns a place in the manifest.
    #[must_use]
    pub fn at(&self, span: Span) -> Place {
        Place { file: self.file, span }
    }

    /// Returns the place of a start tag's `<name`.
    #[must_use]
    pub fn tag(&self, element: Element<'_>) -> Place {
        self.at(Span::new(element.open().start, element.name_span().end))
    }

    /// Returns the place of the value of a platform attribute, or of the start tag where there is none.
    #[must_use]
    pub fn value_place(&self, element: Element<'_>, local: &str) -> Place {
        match element.attribute(ANDROID, local) {
            Some(Attribute { value, .. }) => self.at(value),
            None => self.tag(element),
        }
    }
}

/// Says whether a name means to be one of the platform's own; those of other makers cannot be judged.
#[must_use]
pub fn claims_the_platform(name: &str) -> bool {
    let folded = name.to_ascii_lowercase();
    // Health permissions belong to a module with a list of its own.
    (folded.starts_with("android.permission") && !folded.starts_with("android.permission.health."))
        || (!name.contains('.') && !name.contains('$'))
        || is_nearly_the_platforms(&folded)
}

/// Says whether what stands before the last dot of a name is the platform's own prefix with a slip of the pen in it.
fn is_nearly_the_platforms(folded: &str) -> bool {
    let Some((prefix, _)) = folded.rsplit_once('.') else { return false };
    prefix.matches('.').count() == 1 && elvask_platform::names::is_slip_of(prefix, "android.permission")
}

fn is_launcher(element: Element<'_>) -> bool {
    let named = |filter: Element<'_>, kind: &str, wanted: &str| {
        filter.children_named(kind).any(|child| child.value(ANDROID, "name").is_some_and(|name| name == wanted))
    };
    let activity = matches!(element.name(), "activity" | "activity-alias");
    activity
        && element.children_named("intent-filter").any(|filter| {
            named(filter, "action", "android.intent.action.MAIN")
                && named(filter, "category", "android.intent.category.LAUNCHER")
        })
}

/// Reads an entry of `<queries>`, wherever that stands.
#[must_use]
pub fn read_query(element: Element<'_>) -> Option<DeclaredQuery<'_>> {
    let own = |element: Element<'_>, local: &str| element.value(ANDROID, local).map(Cow::into_owned);
    let query = match element.name() {
        "package" => Query { package: Some(own(element, "name")?), ..Query::default() },
        "provider" => Query { authority: Some(own(element, "authorities")?), ..Query::default() },
        "intent" => {
            let data = element.child("data");
            let of_data = |local| data.and_then(|data| own(data, local));
            Query {
                action: element.child("action").and_then(|action| own(action, "name")),
                categories: element.children_named("category").filter_map(|category| own(category, "name")).collect(),
                scheme: of_data("scheme"),
                host: of_data("host"),
                mime: of_data("mimeType"),
                ..Query::default()
            }
        }
        _ => return None,
    };
    Some(DeclaredQuery { element, query })
}

/// Says whether a declared query shows every handler that a wanted one asks for.
///
/// Source: "Fulfill common use cases while having limited package visibility" in the platform's guides. A query by scheme
/// is met by the scheme's other actions too, as the same apps handle them; a query without data of its own meets any.
pub fn covers(declared: &Query, wanted: &Query) -> bool {
    let is = |one: &Option<String>, other: &Option<String>| one.is_some() && one == other;
    if wanted.package.is_some() || wanted.authority.is_some() {
        return is(&declared.package, &wanted.package) || is(&declared.authority, &wanted.authority);
    }
    if declared.action.is_none() {
        return false;
    }
    let same_data = |declared: &Option<String>, wanted: &Option<String>| {
        declared.is_none() || wanted.is_none() || declared == wanted || declared.as_deref() == Some("*/*")
    };
    let data = same_data(&declared.host, &wanted.host) && same_data(&declared.mime, &wanted.mime);
    let scheme = wanted.scheme.as_deref().unwrap_or_default();
    let other_action = declared.action.as_deref().is_some_and(|action| {
        elvask_platform::android::query_actions(scheme).contains(&action)
            && (declared.scheme.is_none() || declared.scheme == wanted.scheme)
    });
    let same_action = declared.action == wanted.action || declared.action.as_deref() == Some("*");
    data && (other_action || (same_action && declared.scheme == wanted.scheme))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn query(action: &str, scheme: Option<&str>) -> Query {
        Query { action: Some(action.to_owned()), scheme: scheme.map(str::to_owned), ..Query::default() }
    }

    #[test]
    fn the_dialler_is_seen_by_either_action() {
        let tel = query("android.intent.action.VIEW", Some("tel"));
        assert!(covers(&query("android.intent.action.VIEW", Some("tel")), &tel));
        assert!(covers(&query("android.intent.action.DIAL", None), &tel));
        assert!(covers(&query("android.intent.action.DIAL", Some("tel")), &tel));
        assert!(!covers(&query("android.intent.action.VIEW", Some("sms")), &tel));
        assert!(!covers(&query("android.intent.action.VIEW", None), &tel));
        let https = query("android.intent.action.VIEW", Some("https"));
        let browsable = Query { categories: vec!["android.intent.category.BROWSABLE".to_owned()], ..https.clone() };
        assert!(covers(&browsable, &https));
    }

    #[test]
    fn classes_are_completed() {
        assert_eq!(full_class(".Main", Some("example.a")), "example.a.Main");
        assert_eq!(full_class("Main", Some("example.a")), "example.a.Main");
        assert_eq!(full_class("other.Main", Some("example.a")), "other.Main");
    }
}
