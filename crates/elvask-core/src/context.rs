//! All that a rule may look at.

use std::ops::Deref;
use std::sync::OnceLock;

use elvask_link::{AppLinks, SaidOfTheApp};
use elvask_markup::gradle::unpaired;
use elvask_markup::plist::plan::NewValue;
use elvask_needs::generated::Home;
use elvask_needs::kinds::{self, Answering};
use elvask_needs::remedy::Want;
use elvask_needs::template::{fill_in, fill_in_value, is_unfilled_purpose};
use elvask_platform::{Kind, Platform};
use elvask_project::gradle::Stated;
use elvask_project::names::{ANDROID, TOOLS};
use elvask_project::scene::Scene;
use elvask_project::source::{FileId, Place, Sources};
use elvask_project::surface::{Effective, Surface};
use elvask_project::tomldoc::Text;

use crate::app::App;
use crate::needs::{Answers, GivenPurpose, Needs, Requirement, Settings, purpose, want_purpose};

/// All that a rule may look at.
pub struct Context<'a> {
    /// The app.
    pub app: &'a App,
    /// What its platform files declare.
    pub scene: Scene<'a>,
    /// What the plugins need.
    pub needs: Needs,
    /// What the owner has answered.
    pub answers: Answers,
    /// What was said for this run.
    pub settings: &'a Settings,
    links: OnceLock<AppLinks>,
    broken_scripts: OnceLock<Vec<FileId>>,
    taken_out: OnceLock<Vec<TakenOut>>,
}

/// An element that a merge marker in one of the app's own manifests takes out.
pub(crate) struct TakenOut {
    /// The name of the element.
    pub(crate) element: String,
    /// What it names.
    pub(crate) name: String,
    /// How it is written.
    pub(crate) source: String,
}

/// A context is its scene, with what is needed beside it.
impl<'a> Deref for Context<'a> {
    type Target = Scene<'a>;

    fn deref(&self) -> &Scene<'a> {
        &self.scene
    }
}

impl<'a> Context<'a> {
    /// Prepares the look at an app with its platform files as they are in `sources`.
    #[must_use]
    pub fn new(app: &'a App, sources: &'a Sources, surface: &'a Surface, settings: &'a Settings) -> Self {
        let scene = Scene::new(app, sources, surface);
        let answers = Answers::gather(app, settings, scene.manifest.as_deref(), scene.plist.as_ref());
        let mut needs = Needs::gather(app, &answers, &scene);
        needs.settle(|one| kinds::is_met(&scene, &one.name, &one.need));
        Context {
            app,
            scene,
            needs,
            answers,
            settings,
            links: OnceLock::new(),
            broken_scripts: OnceLock::new(),
            taken_out: OnceLock::new(),
        }
    }

    /// Returns what merge markers take out; looked for at the first call.
    pub(crate) fn taken_out(&self) -> &[TakenOut] {
        self.taken_out.get_or_init(|| {
            let mut out = Vec::new();
            for manifest in &self.manifests {
                let mut open = vec![manifest.root];
                while let Some(element) = open.pop() {
                    open.extend(element.children());
                    let marked = element.value(TOOLS, "node").is_some_and(|node| node == "remove");
                    let Some(name) = element.value(ANDROID, "name").filter(|_| marked) else { continue };
                    let source = element.node().source().trim().to_owned();
                    out.push(TakenOut { element: element.name().to_owned(), name: name.into_owned(), source });
                }
            }
            out
        })
    }

    /// Returns the build files of which the brackets do not pair up; looked for at the first call.
    pub(crate) fn broken_scripts(&self) -> &[FileId] {
        self.broken_scripts.get_or_init(|| {
            let script = |name: &str| name.ends_with(".gradle") || name.ends_with(".gradle.kts");
            let all = self.sources.ids().filter(|file| script(&self.sources.file(*file).shown));
            all.filter(|file| unpaired(&self.sources.file(*file).text).is_some()).collect()
        })
    }

    /// Returns all that links can start in the app; gathered at the first call.
    #[must_use]
    pub fn links(&self) -> &AppLinks {
        self.links.get_or_init(|| AppLinks::of(&self.scene, &self.said_of_the_app()))
    }

    /// Returns all that links can start in the app, with places that a person can go to: where platform files are made of a
    /// document, those in the document.
    #[must_use]
    pub fn links_at_home(&self) -> AppLinks {
        let links = self.links().clone();
        match Home::new(self.scene.app, self.scene.sources) {
            Some(home) => links.at_home(&|place| home.place(place)),
            None => links,
        }
    }

    fn said_of_the_app(&self) -> SaidOfTheApp {
        let config = &self.app.config;
        let stated = |text: &Option<Text>| text.as_ref().map(|text| text.text.clone());
        SaidOfTheApp {
            android_id: stated(&config.identity.android_id),
            ios_id: stated(&config.identity.ios_id),
            ios_team: stated(&config.identity.ios_team),
            fingerprints: config.links.fingerprints.iter().map(|one| one.text.clone()).collect(),
        }
    }

    /// Returns the names of the variants for which some requirement holds and `met` is not true.
    pub fn lacking(&self, requirements: &[Requirement], met: impl Fn(&Effective<'a>) -> bool) -> Vec<String> {
        let holds = |variant: &&Effective<'a>| requirements.iter().any(|one| one.holds(&variant.levels));
        self.variants.iter().filter(holds).filter(|one| !met(one)).map(|one| one.variant.clone()).collect()
    }

    /// Returns what the property list of the app says under a key, or the setting of the build that it takes it from, with its place. The list wins
    /// over the setting.
    #[must_use]
    pub fn listed_or(&self, key: &str, stated: &Stated<String>) -> (Option<String>, Option<Place>) {
        let entry = self.plist.and_then(|plist| Some((plist, plist.entry(key)?)));
        match entry.and_then(|(plist, entry)| Some((plist, entry, entry.value.as_str()?))) {
            Some((plist, entry, text)) if !text.contains('$') => {
                (Some(text.to_owned()), Some(plist.at(entry.value.span)))
            }
            _ => (stated.value.clone(), stated.place),
        }
    }

    /// Returns the purpose that the owner gives for a key.
    #[must_use]
    pub fn purpose(&self, key: &str) -> Option<GivenPurpose> {
        let stated =
            self.plist.and_then(|plist| plist.text("CFBundleDevelopmentRegion")).filter(|text| !text.contains('$'));
        let project = self.app.ios.as_ref().and_then(|ios| ios.language.as_deref());
        // A text that nobody has worded yet is not a purpose, wherever it stands.
        purpose(self.app, self.settings, key, stated.or(project)).filter(|given| !is_unfilled_purpose(&given.text))
    }

    /// Returns the purpose that the owner gives for a key in one language, and in no other.
    #[must_use]
    pub fn purpose_in(&self, key: &str, language: &str) -> Option<String> {
        let mut names: Vec<&str> = vec![key];
        names
            .extend(elvask_platform::capability::capabilities_with(Kind::Usage, key).map(|capability| capability.name));
        let written =
            names.iter().find_map(|name| self.app.config.purposes.iter().find(|one| one.name.text == *name))?;
        let text = written.texts.iter().find(|(known, _)| known == language);
        text.map(|(_, text)| text.text.clone())
    }

    /// Puts the answers of a requirement's plugin into a text.
    ///
    /// # Errors
    /// What is wanted of the owner first.
    pub fn fill_in(&self, requirement: &Requirement, template: &str) -> Result<String, Vec<Want>> {
        fill_in(template, &|key| self.answer(requirement, key)).map_err(|missing| self.wants(requirement, missing))
    }

    /// Puts the answers of a requirement's plugin into a property-list value.
    ///
    /// # Errors
    /// What is wanted of the owner first.
    pub fn fill_in_value(&self, requirement: &Requirement, template: &NewValue) -> Result<NewValue, Vec<Want>> {
        fill_in_value(template, &|key| self.answer(requirement, key))
            .map_err(|missing| self.wants(requirement, missing))
    }

    fn answer(&self, requirement: &Requirement, key: &str) -> Option<String> {
        self.answers.get(requirement.plugin, key).map(|answer| answer.value.clone())
    }

    /// Returns the questions behind the names of answers.
    #[must_use]
    pub fn wants(&self, requirement: &Requirement, mut missing: Vec<String>) -> Vec<Want> {
        missing.sort();
        missing.dedup();
        let plugin = self.app.plugins.get(requirement.plugin);
        let name = plugin.map(|plugin| plugin.name.clone()).unwrap_or_default();
        let sheet = plugin.and_then(|plugin| plugin.sheet.as_ref());
        let want = |key: String| {
            let asked = sheet.and_then(|sheet| sheet.sheet.answer(&key));
            Want::Answer {
                plugin: name.clone(),
                title: asked.and_then(|asked| asked.title.clone()).or_else(|| requirement.line_of_notes()),
                pattern: asked.and_then(|asked| asked.form().map(str::to_owned)),
                key,
            }
        };
        missing.into_iter().map(want).collect()
    }

    /// Returns a place that stands for a requirement where the app has none for it: in its sheet, or where the app names the
    /// plugin, or the top of a platform file.
    #[must_use]
    pub fn place_of(&self, requirement: &Requirement) -> Option<Place> {
        let plugin = self.app.plugins.get(requirement.plugin);
        let dependency = plugin.and_then(|plugin| plugin.dependency);
        let manifest = || self.manifest.as_deref().map(|manifest| manifest.tag(manifest.root));
        let plist = || self.plist.map(|plist| plist.root_tag());
        requirement.sheet_place().or(dependency).or_else(|| match requirement.platform {
            Platform::Android => manifest().or_else(plist),
            Platform::Ios => plist().or_else(manifest),
        })
    }

    /// Says whether the owner has agreed to something that makes the app less safe.
    #[must_use]
    pub fn consented(&self, subject: &str) -> bool {
        self.settings.consents.iter().any(|consent| consent == subject)
    }
}

/// What the owner says to the questions of one plugin.
pub(crate) struct Said<'c, 'a> {
    /// The app with its answers.
    pub(crate) context: &'c Context<'a>,
    /// A requirement of the plugin.
    pub(crate) requirement: &'c Requirement,
}

impl Answering for Said<'_, '_> {
    fn text(&self, template: &str) -> Result<String, Vec<Want>> {
        self.context.fill_in(self.requirement, template)
    }

    fn value(&self, template: &NewValue) -> Result<NewValue, Vec<Want>> {
        self.context.fill_in_value(self.requirement, template)
    }

    fn purpose(&self, key: &str) -> Result<String, Want> {
        let group = self.context.needs.group(Kind::Usage, key);
        self.context.purpose(key).map(|given| given.text).ok_or_else(|| want_purpose(key, group.as_ref()))
    }
}
