//! The check: what an app declares, held against what its plugins and platforms require.

use std::sync::{Arc, OnceLock};

use elvask_markup::plist::plan::NewValue;
use elvask_platform::Platform;

use crate::app::App;
use crate::finding::{Finding, Level, Remedy, Want};
use crate::link::AppLinks;
use crate::met::is_met;
use crate::needs::{Answers, GivenPurpose, Needs, Settings, purpose};
use crate::requirement::{Levels, Requirement};
use crate::rules::{self, RULES};
use crate::source::{FileId, Place, Sources};
use crate::surface::{Effective, ManifestView, PlistView, Surface};
use crate::template::{fill_in, fill_in_value};

/// All that a rule may look at.
pub struct Context<'a> {
    /// The app.
    pub app: &'a App,
    /// The texts, with the platform files as they are judged.
    pub sources: &'a Sources,
    /// The parsed platform files.
    pub surface: &'a Surface,
    /// The main manifest, where there is one that can be read.
    pub manifest: Option<Arc<ManifestView<'a>>>,
    /// The manifests that go into the variants that are judged, the main one first.
    pub manifests: Vec<Arc<ManifestView<'a>>>,
    /// The effective manifests of the variants that are judged.
    pub variants: Vec<Effective<'a>>,
    /// The property list, where there is one that can be read.
    pub plist: Option<PlistView<'a>>,
    /// What the plugins need.
    pub needs: Needs,
    /// What the owner has answered.
    pub answers: Answers,
    /// What was said for this run.
    pub settings: &'a Settings,
    /// The levels of the app.
    pub levels: Levels,
    links: OnceLock<AppLinks>,
}

impl<'a> Context<'a> {
    /// Prepares the look at an app with its platform files as they are in `sources`.
    #[must_use]
    pub fn new(app: &'a App, sources: &'a Sources, surface: &'a Surface, settings: &'a Settings) -> Self {
        let plist = surface.plist(app);
        let manifests: Vec<_> = surface.judged_manifests(app).into_iter().map(Arc::new).collect();
        let main = app.android.as_ref().and_then(|android| android.manifest);
        let manifest = manifests.iter().find(|manifest| Some(manifest.file) == main).cloned();
        let judged = app.android.iter().flat_map(super::app::AndroidApp::judged);
        let variants: Vec<_> = judged.filter_map(|variant| surface.effective(app, variant)).collect();
        let answers = Answers::gather(app, settings, manifest.as_deref(), plist.as_ref());
        let needs = Needs::gather(app, &answers);
        let levels = variants.first().map_or_else(|| app.levels(), |first| first.levels.clone());
        let links = OnceLock::new();
        let mut context = Context {
            app,
            sources,
            surface,
            manifest,
            manifests,
            variants,
            plist,
            needs,
            answers,
            settings,
            levels,
            links,
        };
        let mut needs = std::mem::take(&mut context.needs);
        needs.settle(|requirement| is_met(&context, requirement));
        context.needs = needs;
        context
    }

    /// Returns all that links can start in the app; gathered at the first call.
    #[must_use]
    pub fn links(&self) -> &AppLinks {
        self.links.get_or_init(|| AppLinks::of(self))
    }

    /// Returns the names of the variants for which some requirement holds and `met` is not true.
    pub fn lacking(&self, requirements: &[Requirement], met: impl Fn(&Effective<'a>) -> bool) -> Vec<String> {
        let holds = |variant: &&Effective<'a>| requirements.iter().any(|one| one.holds(&variant.levels));
        self.variants.iter().filter(holds).filter(|one| !met(one)).map(|one| one.variant.clone()).collect()
    }

    /// Returns the names of the variants that a manifest goes into.
    #[must_use]
    pub fn variants_of(&self, manifest: &ManifestView<'_>) -> Vec<String> {
        let inside = self.variants.iter().filter(|variant| variant.files.contains(&manifest.file));
        inside.map(|variant| variant.variant.clone()).collect()
    }

    /// Says whether something is true of every variant that a manifest goes into.
    pub fn is_everywhere(&self, manifest: &ManifestView<'_>, test: impl Fn(&Effective<'a>) -> bool) -> bool {
        self.variants.iter().filter(|variant| variant.files.contains(&manifest.file)).all(test)
    }

    /// Returns the manifest of the app that a file is.
    #[must_use]
    pub fn manifest_of(&self, file: FileId) -> Option<&ManifestView<'a>> {
        self.manifests.iter().map(Arc::as_ref).find(|manifest| manifest.file == file)
    }

    /// Returns the purpose that the owner gives for a key.
    #[must_use]
    pub fn purpose(&self, key: &str) -> Option<GivenPurpose> {
        let stated =
            self.plist.and_then(|plist| plist.text("CFBundleDevelopmentRegion")).filter(|text| !text.contains('$'));
        let project = self.app.ios.as_ref().and_then(|ios| ios.language.as_deref());
        // A text that nobody has worded yet is no purpose, wherever it stands.
        purpose(self.app, self.settings, key, stated.or(project)).filter(|given| !rules::is_unfilled(&given.text))
    }

    /// Returns the purpose that the owner gives for a key in one language, and in no other.
    #[must_use]
    pub fn purpose_in(&self, key: &str, language: &str) -> Option<String> {
        let mut names: Vec<&str> = vec![key];
        names.extend(elvask_platform::capability::capabilities_with("usage", key).map(|capability| capability.name));
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
                title: asked.and_then(|asked| asked.title.clone()),
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

    /// Says whether a file is no longer as it was read: a remedy has been put in.
    #[must_use]
    pub fn is_changed(&self, file: FileId) -> bool {
        self.sources.file(file).text != self.app.sources.file(file).text
    }

    /// Says whether the owner has agreed to something that makes the app less safe.
    #[must_use]
    pub fn consented(&self, subject: &str) -> bool {
        self.settings.consents.iter().any(|consent| consent == subject)
    }
}

/// What a check comes to.
#[derive(Debug, Clone, Default)]
pub struct Report {
    /// The findings in the order of file, place and rule.
    pub findings: Vec<Finding>,
}

impl Report {
    /// Counts the findings of a level that are not waived.
    #[must_use]
    pub fn count(&self, level: Level) -> usize {
        self.findings.iter().filter(|finding| finding.counts() && finding.level == level).count()
    }

    /// Counts the findings that are waived.
    #[must_use]
    pub fn waived(&self) -> usize {
        self.findings.iter().filter(|finding| !finding.counts()).count()
    }

    /// Goes through what kept parts of the app from being judged.
    pub fn obstacles(&self) -> impl Iterator<Item = &Finding> {
        self.findings.iter().filter(|finding| rules::is_obstacle(finding.rule.id))
    }
}

/// Checks an app with its files as they were read.
#[must_use]
pub fn check(app: &App, settings: &Settings) -> Report {
    check_texts(app, &app.sources, settings)
}

/// Checks an app with its platform files as they are in `sources`.
#[must_use]
pub fn check_texts(app: &App, sources: &Sources, settings: &Settings) -> Report {
    let surface = Surface::read(app, sources);
    let context = Context::new(app, sources, &surface, settings);
    let mut findings = Vec::new();
    for rule in RULES {
        rule.check(&context, &mut findings);
        for manifest in &context.manifests {
            let before = findings.len();
            rule.check_manifest(&context, manifest, &mut findings);
            for finding in findings.iter_mut().skip(before) {
                finding.variants = context.variants_of(manifest);
            }
        }
    }
    for finding in &mut findings {
        keep_form(&context, finding);
    }
    waive(&context, &mut findings);
    for rule in RULES {
        let mut reviewed = Vec::new();
        rule.review(&context, &findings, &mut reviewed);
        findings.extend(reviewed);
    }
    findings.sort_by(|one, other| {
        let key = |finding: &Finding| (finding.place.span.start, finding.rule.id);
        let file = |finding: &'_ Finding| sources.file(finding.place.file).shown.clone();
        file(one).cmp(&file(other)).then(key(one).cmp(&key(other))).then(one.subject.cmp(&other.subject))
    });
    Report { findings }
}

/// Leaves edits of a list in the old text form to a person: what is planned for XML does not fit it.
fn keep_form(context: &Context<'_>, finding: &mut Finding) {
    let Some(plist) = context.plist.filter(|plist| !plist.list.is_xml()) else { return };
    let Remedy::Edit { title, edits, .. } = &finding.remedy else { return };
    if edits.iter().any(|(file, _)| *file == plist.file) {
        let shown = &context.sources.file(plist.file).shown;
        let steps = format!(
            "{title}, by hand: the list is in the old text form. After `plutil -convert xml1 {shown}`, `elvask fill` writes it."
        );
        finding.remedy = Remedy::Manual(steps);
    }
}

/// Returns what kept parts of the app from being read, without checking the rest.
#[must_use]
pub fn obstacles(app: &App, surface: &Surface, settings: &Settings) -> Vec<Finding> {
    if app.faults.is_empty() && surface.faults.is_empty() {
        return Vec::new();
    }
    let context = Context::new(app, &app.sources, surface, settings);
    let mut findings = Vec::new();
    for rule in RULES.iter().filter(|rule| rules::is_obstacle(rule.about().id)) {
        rule.check(&context, &mut findings);
    }
    findings
}

fn waive(context: &Context<'_>, findings: &mut [Finding]) {
    for finding in findings {
        let waiver = context.app.config.waivers.iter().find(|waiver| {
            waiver.rule.text == finding.rule.id
                && waiver.subject.as_ref().is_none_or(|subject| subject.text == finding.subject)
                && !rules::waiver_has_ended(waiver, context.settings)
        });
        // What cannot be read cannot be accepted: it would hide everything behind it.
        finding.waived = waiver.filter(|_| !rules::is_obstacle(finding.rule.id)).map(|waiver| waiver.reason.clone());
    }
}
