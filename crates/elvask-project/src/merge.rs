//! The effective manifest: source sets and libraries merged as the platform's build does it.
//!
//! Source: "Manage manifest files" in the platform's build documentation: merge priorities, merge rule markers, merge
//! conflict heuristics, placeholders. What each element is to the merger is data, in the platform crate.

mod inside;
mod join;
mod load;
mod print;

use std::borrow::Cow;
use std::sync::OnceLock;

use elvask_markup::xml::{Document, Element};

use crate::gradle::Stated;
use crate::msbuild::SourceDeclaration;
use crate::source::{FileId, Place};

/// Whose manifest it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Role {
    /// A source set of the app: a variant, a build type, a flavor.
    SourceSet(String),
    /// The app's main source set.
    Main,
    /// A library's.
    Library(Library),
}

/// A library with a manifest.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Library {
    /// Its name, as the dependency file knows it.
    pub name: String,
    /// The plugin of the app that it is, by its place among them.
    pub plugin: Option<usize>,
    /// The lowest level that its build file states.
    pub min_level: Option<u32>,
    /// The level that its build file says it is made for.
    pub target_level: Option<u32>,
    /// Whether its build file states levels that cannot be known.
    pub levels_unknown: bool,
}

impl Role {
    /// Returns the name of the source set or library.
    #[must_use]
    pub fn name(&self) -> &str {
        match self {
            Role::SourceSet(name) => name,
            Role::Main => "main",
            Role::Library(library) => &library.name,
        }
    }

    /// Says whether it is a manifest of the app itself.
    #[must_use]
    pub fn is_own(&self) -> bool {
        !matches!(self, Role::Library(_))
    }
}

/// A manifest that goes into the merge.
#[derive(Debug, Clone)]
pub struct Input<'d> {
    /// The file.
    pub file: FileId,
    /// The document.
    pub document: &'d Document,
    /// Whose it is.
    pub role: Role,
    /// The namespace that its relative class names are completed with.
    pub namespace: Option<String>,
}

/// What the build puts into a manifest.
#[derive(Debug, Clone, Default)]
pub struct Values {
    /// The application id.
    pub id: Stated<String>,
    /// The version that the system compares.
    pub version_code: Stated<u32>,
    /// The version that people see.
    pub version_name: Stated<String>,
    /// The lowest level.
    pub min_level: Stated<u32>,
    /// The target level.
    pub target_level: Stated<u32>,
    /// The placeholders of the build files.
    pub placeholders: Vec<(String, Stated<String>)>,
    /// Whether there may be more placeholders than could be read.
    pub more_placeholders: bool,
    /// What the app's source declares; the build puts it in where the manifest does not have it.
    pub in_source: Vec<SourceDeclaration>,
}

/// The namespace of an attribute.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Space<'d> {
    /// None.
    Plain,
    /// The platform's.
    Android,
    /// That of the merge markers.
    Tools,
    /// That of the attributes which bind prefixes; none of them is part of what is merged.
    Binding,
    /// Another one, by its address.
    Other(Cow<'d, str>),
}

/// The name of an attribute.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct AttributeName<'d> {
    /// Its namespace.
    pub space: Space<'d>,
    /// Its name in that namespace.
    pub local: Cow<'d, str>,
}

impl AttributeName<'_> {
    /// Returns the name as it is usually written.
    #[must_use]
    pub fn written(&self) -> String {
        match &self.space {
            Space::Plain => self.local.to_string(),
            Space::Android => format!("android:{}", self.local),
            Space::Tools => format!("tools:{}", self.local),
            Space::Other(_) => format!("other:{}", self.local),
            Space::Binding => format!("xmlns:{}", self.local),
        }
    }

    fn is_android(&self, local: &str) -> bool {
        self.space == Space::Android && self.local == local
    }
}

/// A value that lost to a stronger one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Overridden {
    /// The value.
    pub value: String,
    /// Where it stands; the start tag where the value is the platform's default.
    pub place: Place,
    /// The input that it comes from; `None` for the build file.
    pub input: Option<usize>,
}

/// An attribute of the effective manifest.
#[derive(Debug, Clone)]
pub struct MergedAttribute<'d> {
    /// Its name.
    pub name: AttributeName<'d>,
    /// Its value, placeholders filled in.
    pub value: Cow<'d, str>,
    /// Where the value stands.
    pub place: Place,
    /// The input that it comes from; `None` for the build file.
    pub input: Option<usize>,
    /// The values that it won over.
    pub overrode: Vec<Overridden>,
}

/// What a merge marker asks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Marker {
    /// The two become one.
    #[default]
    Merge,
    /// Only attributes are merged; the weaker one's children are left out.
    MergeOnlyAttributes,
    /// It is taken out.
    Remove,
    /// All of its kind are taken out.
    RemoveAll,
    /// The weaker one is left out.
    Replace,
    /// The two must be the same.
    Strict,
}

/// An element of the effective manifest.
#[derive(Debug, Clone)]
pub struct MergedElement<'d> {
    /// Its name.
    pub name: &'d str,
    /// Its attributes, merge markers left out.
    pub attributes: Vec<MergedAttribute<'d>>,
    /// Its children, by their place in [`Merged::elements`].
    pub children: Vec<usize>,
    /// The element around it.
    pub parent: Option<usize>,
    /// The input that it comes from: the strongest one that has it.
    pub input: usize,
    /// The element in that input; `None` for one that the merger added.
    pub source: Option<Element<'d>>,
    /// Where that starts: its name in the start tag.
    pub place: Place,
    /// The weaker inputs that have it too, with the places.
    pub also: Vec<(usize, Place)>,
    /// Of an element that the merger added: the permission of the library that asks for it, empty for its age alone.
    pub implied: Option<&'static str>,
    /// The attribute that tells it apart from its like, by its place among them.
    key: Option<usize>,
    /// A sum of its name, its attributes and all inside, whatever their order; made at the first question.
    sum: OnceLock<u64>,
    marker: Marker,
    /// What its other merge markers ask for; few elements have any.
    asked: Option<Box<Asked<'d>>>,
}

/// What the merge markers of an element ask for, beside the one for the element itself.
#[derive(Debug, Clone, Default)]
struct Asked<'d> {
    selector: Option<Selector<'d>>,
    replaces: Vec<AttributeName<'d>>,
    removes: Vec<AttributeName<'d>>,
    overrides: Vec<Cow<'d, str>>,
}

#[derive(Debug, Clone)]
struct Selector<'d> {
    library: Cow<'d, str>,
    place: Place,
}

impl MergedElement<'_> {
    /// Returns the value of one of the platform's attributes.
    #[must_use]
    pub fn value(&self, local: &str) -> Option<&str> {
        self.attribute(local).map(|attribute| attribute.value.as_ref())
    }

    /// Returns what tells it apart from its like, where something does.
    #[must_use]
    pub fn key(&self) -> Option<&str> {
        self.attributes.get(self.key?).map(|attribute| attribute.value.as_ref())
    }

    fn selector(&self) -> Option<&Selector<'_>> {
        self.asked.as_ref()?.selector.as_ref()
    }

    fn replaces(&self) -> &[AttributeName<'_>] {
        self.asked.as_ref().map(|asked| asked.replaces.as_slice()).unwrap_or_default()
    }

    fn removes(&self) -> &[AttributeName<'_>] {
        self.asked.as_ref().map(|asked| asked.removes.as_slice()).unwrap_or_default()
    }

    fn overrides(&self) -> &[Cow<'_, str>] {
        self.asked.as_ref().map(|asked| asked.overrides.as_slice()).unwrap_or_default()
    }
}

impl<'d> MergedElement<'d> {
    /// Returns one of the platform's attributes.
    #[must_use]
    pub fn attribute(&self, local: &str) -> Option<&MergedAttribute<'d>> {
        self.attributes.iter().find(|attribute| attribute.name.is_android(local))
    }
}

/// What keeps the build from merging, or what it would warn of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Conflict {
    /// Two manifests give an attribute different values.
    Attribute,
    /// Two elements differ of which one is marked `strict`.
    Strict,
    /// A library needs a higher level than the app's lowest.
    MinLevel,
    /// A selector names no library of the app.
    Selector,
    /// A marker removes an attribute that its own element sets.
    RemovesOwn,
    /// A marker replaces an attribute that its own element does not set.
    ReplacesNothing,
    /// `<uses-sdk>` has a marker.
    MarkedSdk,
    /// One file has two elements of the same key that differ.
    Twice,
    /// A placeholder has no value.
    Placeholder,
    /// A marker that the merger does not know.
    UnknownMarker,
}

/// A conflict with its places.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MergeProblem {
    /// Which kind.
    pub conflict: Conflict,
    /// The element: `activity example.marram.Main`.
    pub element: String,
    /// The attribute, level or name that it is about.
    pub subject: String,
    /// Where the stronger side stands.
    pub place: Place,
    /// What the stronger side says.
    pub value: String,
    /// The weaker side: where it stands, what it says, and which input it is.
    pub other: Option<(Place, String, usize)>,
}

impl MergeProblem {
    /// Says what is wrong, in a sentence without a full stop.
    #[must_use]
    pub fn sentence(&self) -> String {
        let (element, subject, value) = (&self.element, &self.subject, &self.value);
        let other = self.other.as_ref().map(|(_, value, _)| value.as_str()).unwrap_or_default();
        match self.conflict {
            Conflict::Attribute => {
                format!("`{subject}` of {element} is \"{value}\" here and \"{other}\" in a manifest that joins it")
            }
            Conflict::Strict => {
                format!("{element} is marked tools:node=\"strict\", and a manifest that joins it has another one")
            }
            Conflict::MinLevel => format!("the app runs from level {value}, and a library needs level {other}"),
            Conflict::Selector => {
                format!("the selector of {element} names `{subject}`, and the app has no such library")
            }
            Conflict::RemovesOwn => format!("tools:remove removes `{subject}` from {element}, which states it itself"),
            Conflict::ReplacesNothing => format!("tools:replace names `{subject}`, and {element} does not state it"),
            Conflict::MarkedSdk => "<uses-sdk> must not have a tools:node".to_owned(),
            Conflict::Twice => format!("{element} is declared twice in this file, and the two differ"),
            Conflict::Placeholder => format!("nothing sets the placeholder ${{{subject}}}"),
            Conflict::UnknownMarker => format!("there is no marker {subject}"),
        }
    }
}

/// Something that a marker took out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Removed {
    /// The element's name: `uses-permission`.
    pub element: String,
    /// Its key.
    pub key: Option<String>,
    /// The attribute, where one was taken out and not the element.
    pub attribute: Option<String>,
    /// Where the marker stands.
    pub by: Place,
    /// What it took out: the places and inputs; empty where there was nothing.
    pub taken: Vec<(Place, usize)>,
}

/// A placeholder whose value is not known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unfilled {
    /// Its name.
    pub name: String,
    /// Where it is used.
    pub place: Place,
    /// Where the build files set it to something that is not known; `None` where nothing sets it.
    pub stated: Option<Place>,
}

/// The effective manifest of one variant.
#[derive(Debug, Clone)]
pub struct Merged<'d> {
    /// The elements; the first is `<manifest>`. Use [`Merged::all`] to go through those that are left.
    pub elements: Vec<MergedElement<'d>>,
    /// What keeps the build from merging.
    pub problems: Vec<MergeProblem>,
    /// What markers took out.
    pub removed: Vec<Removed>,
    /// Placeholders whose value is not known.
    pub unfilled: Vec<Unfilled>,
    /// Whose each input is.
    pub roles: Vec<Role>,
    /// Look-ups of what is inside elements.
    inside: inside::AllInside<'d>,
}

impl<'d> Merged<'d> {
    /// Merges manifests, the strongest first, into the effective one.
    ///
    /// The inputs are the source sets by their priority, the main manifest, and the libraries in the order in which they are
    /// depended on. Returns `None` where there is no input.
    #[must_use]
    pub fn of(inputs: &[Input<'d>], values: &Values) -> Option<Merged<'d>> {
        join::merge(inputs, values)
    }

    /// Returns `<manifest>`.
    #[must_use]
    pub fn root(&self) -> &MergedElement<'d> {
        self.at(0)
    }

    /// Returns an element by its number.
    #[must_use]
    pub fn at(&self, id: usize) -> &MergedElement<'d> {
        #[expect(clippy::indexing_slicing, reason = "numbers come from the tree itself, which never shrinks")]
        &self.elements[id]
    }

    fn at_mut(&mut self, id: usize) -> &mut MergedElement<'d> {
        #[expect(clippy::indexing_slicing, reason = "numbers come from the tree itself, which never shrinks")]
        &mut self.elements[id]
    }

    /// Goes through the children of an element.
    pub fn children<'m>(&'m self, element: &'m MergedElement<'d>) -> impl Iterator<Item = &'m MergedElement<'d>> {
        element.children.iter().map(|child| self.at(*child))
    }

    /// Goes through all elements that are left, parents before children, in the order of the document.
    pub fn all(&self) -> impl Iterator<Item = &MergedElement<'d>> {
        self.numbers().map(|id| self.at(id))
    }

    /// Goes through the numbers of all elements that are left, in the same order.
    pub fn numbers(&self) -> impl Iterator<Item = usize> {
        let mut stack = vec![0];
        std::iter::from_fn(move || {
            let id = stack.pop()?;
            stack.extend(self.at(id).children.iter().rev());
            Some(id)
        })
    }

    /// Returns the first child of that name.
    #[must_use]
    pub fn child<'m>(&'m self, element: &'m MergedElement<'d>, name: &str) -> Option<&'m MergedElement<'d>> {
        self.children(element).find(|child| child.name == name)
    }

    /// Returns the effective manifest as XML, as the build would write it. With `origins`, a comment before each element says
    /// where it comes from, as `origins` words its place.
    #[must_use]
    pub fn print(&self, origins: Option<&dyn Fn(Place) -> String>) -> String {
        print::print(self, origins)
    }
}
