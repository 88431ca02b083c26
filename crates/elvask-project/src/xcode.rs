//! Xcode projects: targets, configurations, and the build settings that come out for one of each.
//!
//! Source: "Build settings reference" and "Adding a build configuration file to your project" in the platform's documentation.

mod edit;
mod files;
mod groups;
mod settings;
mod xcconfig;

pub use edit::{
    add_build_setting, extend_build_setting, remove_build_setting, set_build_setting, settings_of, wire_entitlements,
};
pub use files::Resources;
pub use settings::ConfigFiles;
pub use settings::{Expanded, Layer, Setting, Settings};

use std::borrow::Cow;
use std::collections::hash_map::Entry;
use std::hash::Hasher as _;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use elvask_markup::openstep::{self, Kind, Object, Objects, Value};
use elvask_markup::{SharedText, Span};

use crate::loading::Loading;
use crate::source::{FileId, Place};
use elvask_platform::hash::{Quick, QuickMap};
use groups::Groups;

/// What a target is built into.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Product {
    /// An app.
    App,
    /// An app clip: a part of an app that runs without an install.
    Clip,
    /// An extension that another app embeds.
    Extension,
    /// An app for a watch.
    Watch,
    /// Tests.
    Tests,
    /// Anything else: frameworks, libraries, tools.
    Other,
}

impl Product {
    fn of(product_type: &str) -> Self {
        match product_type.strip_prefix("com.apple.product-type.").unwrap_or(product_type) {
            "application" => Product::App,
            "application.on-demand-install-capable" => Product::Clip,
            "app-extension" | "extensionkit-extension" | "app-extension.messages" | "app-extension.intents-service" => {
                Product::Extension
            }
            other if other.contains("watch") => Product::Watch,
            other if other.contains("test") => Product::Tests,
            _ => Product::Other,
        }
    }
}

/// A project file with its targets.
#[derive(Debug, Clone)]
pub struct Project {
    /// The file `project.pbxproj`.
    pub file: FileId,
    /// The folder that the project lies in.
    pub folder: PathBuf,
    /// The project's name.
    pub name: String,
    /// The language in which it is developed.
    pub language: Option<String>,
    /// Its targets, in the order of the file.
    pub targets: Vec<Target>,
    /// The text of the file.
    pub(crate) source: SharedText,
    /// What stands beside the objects.
    rest: Value,
    /// The objects, not yet read.
    objects: Vec<Object>,
    /// Where the objects stand among `objects`.
    by_id: ById,
    /// Where the groups lead; put together when it is first asked for.
    groups: OnceLock<Groups>,
    /// The project's own configurations.
    configurations: Vec<Configuration>,
}

/// A target.
#[derive(Debug, Clone)]
pub struct Target {
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
    /// What it is built into.
    pub product: Product,
    /// Its configurations, in the order of the file.
    pub configurations: Vec<Configuration>,
    /// The ids of the targets that it depends on.
    pub needs: Vec<String>,
}

/// A configuration of a target or project.
#[derive(Debug, Clone)]
pub struct Configuration {
    /// Its id.
    pub id: String,
    /// Its name: `Release`.
    pub name: String,
}

impl Target {
    /// Returns the configuration of a name.
    #[must_use]
    pub fn configuration(&self, name: &str) -> Option<&Configuration> {
        self.configurations.iter().find(|configuration| configuration.name == name)
    }
}

impl Project {
    /// Reads a project from the folder `X.xcodeproj`; `None` where it cannot be read, which is noted.
    pub fn read(loading: &mut Loading<'_>, bundle: &Path) -> Option<Project> {
        let path = bundle.join("project.pbxproj");
        let shown = loading.shown(&path);
        let (file, text) = loading.read(&path, &shown)?;
        let name = bundle.file_stem().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let folder = bundle.parent().unwrap_or(bundle).to_owned();
        match Project::parse(file, text, folder, name) {
            Ok(project) => Some(project),
            Err(error) => {
                loading.unreadable(&shown, error.message, Place { file, span: error.span });
                None
            }
        }
    }

    /// Reads a project from the text of its file.
    ///
    /// # Errors
    /// The first fault with its place.
    pub fn parse(
        file: FileId,
        text: impl Into<SharedText>,
        folder: PathBuf,
        name: String,
    ) -> Result<Project, openstep::OpenStepError> {
        let source: SharedText = text.into();
        let Objects { rest, objects } = openstep::parse_objects(&source)?;
        let by_id = ById::of(&source, &objects);
        let mut project = Project {
            file,
            folder,
            name,
            language: None,
            targets: Vec::new(),
            source,
            rest,
            objects,
            by_id,
            groups: OnceLock::new(),
            configurations: Vec::new(),
        };
        let root = project.rest.get("rootObject").and_then(Value::as_str);
        let Some(root) = root.and_then(|root| project.object(root)) else { return Ok(project) };
        let configurations = project.configurations_of(&root);
        let language = root.get("developmentRegion").and_then(Value::as_str).map(str::to_owned);
        let ids = root.get("targets").and_then(Value::as_array).unwrap_or_default();
        let targets: Vec<_> = ids.iter().filter_map(|id| project.target(id.as_str()?)).collect();
        (project.configurations, project.language, project.targets) = (configurations, language, targets);
        Ok(project)
    }

    /// Goes through the objects of a kind.
    fn of_kind(&self, kind: &str) -> impl Iterator<Item = Object> {
        self.objects.iter().copied().filter(move |object| self.is_kind(object, kind))
    }

    fn is_kind(&self, object: &Object, kind: &str) -> bool {
        // As Xcode writes it, which is told without stepping through the object.
        let text = object.body.of(&self.source).as_bytes();
        let first = text.strip_prefix(b"{").map(<[u8]>::trim_ascii_start);
        if let Some(stated) = first.and_then(|first| first.strip_prefix(b"isa = "))
            && stated.first().is_some_and(u8::is_ascii_alphabetic)
        {
            match stated.strip_prefix(kind.as_bytes()).map(<[u8]>::first) {
                None => return false,
                Some(Some(b';')) => return true,
                Some(_) => {}
            }
        }
        self.field(object.body, "isa").as_deref() == Some(kind)
    }

    /// Returns the id of an object.
    fn id(&self, object: &Object) -> &str {
        id_of(&self.source, object)
    }

    /// Finds where an object stands among all, by its id. Of two of one id the later counts.
    fn position(&self, id: &str) -> Option<usize> {
        self.by_id.position(id, |at| self.objects.get(at).is_some_and(|object| self.id(object) == id))
    }

    /// Returns what an object covers, by its id.
    fn body(&self, id: &str) -> Option<Span> {
        Some(self.objects.get(self.position(id)?)?.body)
    }

    /// Reads an object by its id.
    pub(crate) fn object(&self, id: &str) -> Option<Value> {
        openstep::parse_at(&self.source, self.body(id)?)
    }

    /// Reads one text of an object, and nothing else of it.
    fn field(&self, object: Span, key: &str) -> Option<Cow<'_, str>> {
        self.text_at(openstep::entry(&self.source, object, key)?)
    }

    /// Reads one list of an object, and nothing else of it; what is no text is left out.
    fn list(&self, object: Span, key: &str) -> impl Iterator<Item = Cow<'_, str>> {
        let list = openstep::entry(&self.source, object, key);
        let items = list.into_iter().flat_map(|list| openstep::items(&self.source, list));
        items.filter_map(|item| self.text_at(item))
    }

    fn text_at(&self, value: Span) -> Option<Cow<'_, str>> {
        match value.of(&self.source) {
            written if written.starts_with(['{', '(']) => None,
            written if written.starts_with(['"', '\'']) => match openstep::parse_at(&self.source, value)?.kind {
                Kind::String(text) => Some(Cow::Owned(text)),
                _ => None,
            },
            written => Some(Cow::Borrowed(written)),
        }
    }

    fn text<'v>(&self, object: &'v Value, key: &str) -> Option<&'v str> {
        object.get(key).and_then(Value::as_str)
    }

    fn target(&self, id: &str) -> Option<Target> {
        let object = self.object(id)?;
        let product = self.text(&object, "productType").map_or(Product::Other, Product::of);
        let dependencies = object.get("dependencies").and_then(Value::as_array).unwrap_or_default();
        let needs = dependencies.iter().filter_map(|dependency| {
            let dependency = self.object(dependency.as_str()?)?;
            self.text(&dependency, "target").map(str::to_owned)
        });
        let name = self.text(&object, "name").or_else(|| self.text(&object, "productName"))?.to_owned();
        let (needs, configurations) = (needs.collect(), self.configurations_of(&object));
        Some(Target { id: id.to_owned(), name, product, configurations, needs })
    }

    fn configurations_of(&self, owner: &Value) -> Vec<Configuration> {
        let list = self.text(owner, "buildConfigurationList").and_then(|id| self.object(id));
        let ids = list.as_ref().and_then(|list| list.get("buildConfigurations")?.as_array()).unwrap_or_default();
        let one = |id: &Value| {
            let id = id.as_str()?;
            let name = self.text(&self.object(id)?, "name")?.to_owned();
            Some(Configuration { id: id.to_owned(), name })
        };
        ids.iter().filter_map(one).collect()
    }

    /// Returns a target by its name.
    #[must_use]
    pub fn target_named(&self, name: &str) -> Option<&Target> {
        self.targets.iter().find(|target| target.name == name)
    }

    /// Returns the extensions, clips and watch apps that a target embeds.
    #[must_use]
    pub fn embedded(&self, target: &Target) -> Vec<&Target> {
        let inside = |one: &&Target| {
            target.needs.contains(&one.id) && matches!(one.product, Product::Extension | Product::Clip | Product::Watch)
        };
        self.targets.iter().filter(inside).collect()
    }

    /// Returns a place in the project file.
    #[must_use]
    pub fn at(&self, value: &Value) -> Place {
        Place { file: self.file, span: value.span }
    }

    /// Reads the configuration files for a target and one of its configurations.
    pub fn read_config_files(
        &self,
        loading: &mut Loading<'_>,
        target: &Target,
        configuration: &str,
        read: &mut ConfigFiles,
    ) {
        settings::read_files(self, loading, target, configuration, read);
    }

    /// Returns the settings of a target for one of its configurations, with the configuration files as they were read.
    pub fn settings(&self, target: &Target, configuration: &str, files: &ConfigFiles) -> Arc<Settings> {
        files.settings(self, target, configuration)
    }

    /// Returns the path that a file reference leads to, from the groups around it; `None` for what lies outside the sources.
    #[must_use]
    pub fn path_of(&self, id: &str) -> Option<PathBuf> {
        let groups = self.groups.get_or_init(|| Groups::of(self));
        groups.path_of(self, self.position(id)?)
    }
}

/// Where objects stand among all, by their ids, of which no second text is kept.
#[derive(Debug, Clone)]
struct ById {
    /// By the sums of the ids.
    by_sum: QuickMap<u64, usize>,
    /// Those whose ids come to the same sum as another one's.
    others: Vec<usize>,
}

impl ById {
    fn of(text: &str, objects: &[Object]) -> Self {
        let by_sum = QuickMap::with_capacity_and_hasher(objects.len(), Default::default());
        let mut found = ById { by_sum, others: Vec::new() };
        for (at, object) in objects.iter().enumerate() {
            let id = id_of(text, object);
            match found.by_sum.entry(Self::sum(id)) {
                Entry::Vacant(place) => {
                    place.insert(at);
                }
                Entry::Occupied(mut place) => {
                    let is_same = objects.get(*place.get()).is_some_and(|other| id_of(text, other) == id);
                    if is_same { *place.get_mut() = at } else { found.others.push(at) }
                }
            }
        }
        found
    }

    fn sum(id: &str) -> u64 {
        let mut sum = Quick::default();
        sum.write(id.as_bytes());
        sum.finish()
    }

    fn position(&self, id: &str, is_it: impl Fn(usize) -> bool) -> Option<usize> {
        let first = self.by_sum.get(&Self::sum(id)).into_iter();
        first.chain(self.others.iter().rev()).copied().find(|at| is_it(*at))
    }
}

/// Returns an id without the quotes that it may stand in.
fn id_of<'t>(text: &'t str, object: &Object) -> &'t str {
    let id = object.id.of(text);
    if id.starts_with(['"', '\'']) { id.trim_matches(['"', '\'']) } else { id }
}
