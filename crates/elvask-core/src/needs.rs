//! All that the plugins of an app need of it, and the values that its owner has given.

mod last;
mod requirement;

pub use last::LastRelease;
pub use requirement::{Learnt, Requirement};

use self::requirement::sort;

use elvask_needs::kinds::of_part;
use elvask_needs::remedy::Want;
pub use elvask_needs::template::is_unfilled_purpose;
use std::collections::BTreeMap;
use std::sync::Arc;

use elvask_markup::plist::plan::NewValue;
use elvask_needs::evidence::Learned;
use elvask_needs::reach::{Judged, Reach, Reached};
use elvask_needs::requirement::{EvidenceKind, Need};
use elvask_needs::sheet::{Asked, Sheet};
use elvask_needs::template::{answers_in, fill_in, is_reference, read_back};
use elvask_platform::capability::capabilities_with;
use elvask_platform::wording::{ValueUse, placeholder_in};
use elvask_platform::{Kind, Level, Platform, Strength};
use elvask_project::scene::Scene;
use elvask_project::source::Place;
use elvask_project::surface::{ManifestView, PlistView};
use elvask_project::tomldoc::Text;

use crate::app::{App, Plugin, PluginSheet};
use crate::config::Purpose;
use crate::fact::Sourced;

/// What a person says for one run.
#[derive(Debug, Clone, Default)]
pub struct Settings {
    /// The app is judged as it ships: sample values are errors, and what only matters then is looked at.
    pub release: bool,
    /// The app is held against what is registered in the accounts. What ships is in any case.
    pub accounts: bool,
    /// Purposes by capability or key.
    pub purposes: Vec<(String, String)>,
    /// Answers by plugin and key.
    pub answers: Vec<(String, String, String)>,
    /// Subjects for which something that makes the app less safe may be written.
    pub consents: Vec<String>,
    /// The rules and subjects that alone are to be mended, notes among them; all but notes where there is none.
    pub only: Vec<String>,
    /// The plugins for which alone something is mended; empty for all and for what no plugin needs.
    pub plugins: Vec<String>,
    /// What is declared and needed by nothing is told.
    pub unneeded: bool,
    /// The day of today as year-month-day; without it no waiver ends.
    pub today: Option<String>,
    /// What the sources say, where what is looked at is what was built of them.
    pub built: Option<Arc<Sourced>>,
    /// What was released last, where that is known.
    pub last: Option<LastRelease>,
}

impl Settings {
    /// Says whether the app is held against what is registered in the accounts.
    #[must_use]
    pub fn holds_accounts(&self) -> bool {
        self.release || self.accounts
    }
}

/// A value that answers a question, and where it comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answered {
    /// The value.
    pub value: String,
    /// Where it stands; `None` for the command line and for what is derived.
    pub place: Option<Place>,
    /// Whether it is what the app declares already.
    pub declared: bool,
}

/// Requirements that have one kind and name.
#[derive(Debug, Clone)]
pub struct Group<'n> {
    /// What identifies them to the platform.
    pub name: &'n str,
    /// The requirements, in the order of the plugins.
    pub requirements: &'n [Requirement],
}

impl Group<'_> {
    /// Returns how sure the surest of them is.
    #[must_use]
    pub fn strength(&self) -> Strength {
        self.requirements.iter().map(|requirement| requirement.strength).min().unwrap_or(Strength::Optional)
    }

    /// Returns how bad it is when the app does not declare it: as bad as for the one that needs it the most.
    #[must_use]
    pub fn level(&self) -> Level {
        self.requirements.iter().map(Requirement::level).max().unwrap_or(Level::Note)
    }

    /// Returns the level up to which a permission is needed: the widest, `None` where one needs it without an end.
    #[must_use]
    pub fn max_level(&self) -> Option<u32> {
        let caps = self.requirements.iter().map(|requirement| {
            let Need::Permission { max_level } = requirement.need else { return None };
            max_level
        });
        caps.collect::<Option<Vec<_>>>()?.into_iter().max()
    }

    /// Returns the capabilities that they are part of.
    #[must_use]
    pub fn capabilities(&self) -> Vec<&'static str> {
        let mut names: Vec<_> = self.requirements.iter().filter_map(|one| Some(one.capability?.name)).collect();
        names.sort_unstable();
        names.dedup();
        names
    }
}

/// All that is needed of an app.
#[derive(Debug, Clone, Default)]
pub struct Needs {
    /// Sorted by kind, name and plugin.
    all: Vec<Requirement>,
    /// What the plugins' own manifests declare, so that the build brings it into the app. Sorted likewise.
    brought: Vec<Requirement>,
    /// What the plugins could need and this app does not: no use of that part is seen. Sorted likewise.
    unreached: Vec<Requirement>,
    /// Requirements whose very name waits for an answer, with the names of the answers.
    pub unanswered: Vec<(Requirement, Vec<String>)>,
}

impl Needs {
    /// Gathers what the plugins need, with names filled in from the answers.
    #[must_use]
    pub fn gather(app: &App, answers: &Answers, scene: &Scene<'_>) -> Needs {
        let mut needs = Needs::default();
        // Requirements are large, and a list that grows copies them.
        let (mut all, mut brought, mut unreached) = (0, 0, 0);
        for one in app.plugins.iter().filter(|plugin| plugin.sheet.is_none()).flat_map(|plugin| &plugin.judged) {
            *match (one.level, one.brought) {
                (None, _) => &mut unreached,
                (_, true) => &mut brought,
                _ => &mut all,
            } += 1;
        }
        needs.all.reserve_exact(all);
        needs.brought.reserve_exact(brought);
        needs.unreached.reserve_exact(unreached);
        for requirement in raw(app, &|_| true) {
            let plugin = requirement.plugin;
            let list = if requirement.is_unreached() {
                &mut needs.unreached
            } else if requirement.brought {
                &mut needs.brought
            } else {
                &mut needs.all
            };
            if answers_in(&requirement.name).is_empty() {
                list.push(requirement);
                continue;
            }
            let requirement = Requirement { named_by_owner: true, ..requirement };
            let answered =
                fill_in(&requirement.name, &|key| answers.get(plugin, key).map(|answer| answer.value.clone()));
            // What is declared and fits has the answer in it, whether anybody has said it or not.
            match answered.or_else(|missing| declared_name(app, scene, &requirement).ok_or(missing)) {
                Ok(name) => list.push(Requirement { name, ..requirement }),
                Err(_) if requirement.is_unreached() => {}
                Err(missing) => needs.unanswered.push((requirement, missing)),
            }
        }
        for list in [&mut needs.all, &mut needs.brought, &mut needs.unreached] {
            list.shrink_to_fit();
            sort(list);
        }
        needs
    }

    /// Returns what the plugins' own manifests declare: it is not missing, and can be taken out.
    #[must_use]
    pub fn brought(&self) -> &[Requirement] {
        &self.brought
    }

    /// Returns the permissions that plugins bring in and that nothing but their manifests speaks of.
    pub fn brought_alone(&self) -> impl Iterator<Item = &Requirement> {
        let manifest = |learnt: &Learnt| matches!(learnt, Learnt::Found(found) if found.kind == EvidenceKind::Manifest);
        self.brought.iter().filter(move |one| {
            one.kind() == Kind::Permission
                && one.learnt.iter().all(manifest)
                && self.of(Kind::Permission, &one.name).is_empty()
        })
    }

    /// Returns what the plugins could need and this app does not, as far as is seen.
    #[must_use]
    pub fn unreached(&self) -> &[Requirement] {
        &self.unreached
    }

    /// Says whether some plugin, or the app's own code, needs a thing, brings it along or could need a part that has it. What is
    /// not part of the app does not count.
    #[must_use]
    pub fn has_a_use_for(&self, kind: Kind, name: &str) -> bool {
        let could = |one: &Requirement| one.kind() == kind && one.name == name && one.reached.reach != Reach::Out;
        !self.known(kind, name).is_empty() || self.unreached.iter().any(could)
    }

    /// Returns the requirements of one kind and name, those too that a plugin's own manifest meets.
    #[must_use]
    pub fn known(&self, kind: Kind, name: &str) -> Vec<Requirement> {
        let brought = self.brought.iter().filter(|one| one.kind() == kind && one.name == name);
        self.of(kind, name).iter().chain(brought).cloned().collect()
    }

    /// Takes out the alternatives of which another one is met; of those of which none is, the first is left.
    pub(crate) fn settle(&mut self, is_met: impl Fn(&Requirement) -> bool) {
        let group = |one: &Requirement| one.one_of.clone().map(|group| (one.plugin, one.platform, group));
        let met: Vec<_> = self.all.iter().filter(|one| one.one_of.is_some() && is_met(one)).filter_map(group).collect();
        // One that something else needs in any case is chosen before the first.
        let sure = |one: &Requirement| {
            let same = |other: &Requirement| other.kind() == one.kind() && other.name == one.name;
            self.all.iter().any(|other| other.one_of.is_none() && other.level() > Level::Note && same(other))
        };
        let chosen: Vec<_> = self
            .all
            .iter()
            .filter(|one| one.one_of.is_some() && sure(one))
            .filter_map(|one| Some((group(one)?, one.name.clone())))
            .collect();
        let mut seen = Vec::new();
        let brought: Vec<_> = self.brought.iter().filter_map(group).collect();
        self.all.retain(|one| {
            let Some(group) = group(one) else { return true };
            if met.contains(&group) || brought.contains(&group) {
                return is_met(one);
            }
            if let Some((_, name)) = chosen.iter().find(|(of, _)| *of == group) {
                return one.name == *name;
            }
            let first = !seen.contains(&group);
            seen.push(group);
            first
        });
    }

    /// Returns all requirements.
    #[must_use]
    pub fn all(&self) -> &[Requirement] {
        &self.all
    }

    /// Goes through the requirements of one kind, those of one name together.
    pub fn groups(&self, kind: Kind) -> impl Iterator<Item = Group<'_>> {
        let start = self.all.partition_point(|requirement| requirement.kind() < kind);
        let end = self.all.partition_point(|requirement| requirement.kind() <= kind);
        let of_kind = self.all.get(start..end).unwrap_or_default();
        of_kind
            .chunk_by(|one, other| one.name == other.name)
            .filter_map(|requirements| Some(Group { name: requirements.first()?.name.as_str(), requirements }))
    }

    /// Returns the requirements of one kind and name.
    #[must_use]
    pub fn group(&self, kind: Kind, name: &str) -> Option<Group<'_>> {
        // Sorted by kind and name.
        let key = |requirement: &Requirement| (requirement.kind(), requirement.name.as_str()).cmp(&(kind, name));
        let start = self.all.partition_point(|requirement| key(requirement).is_lt());
        let end = self.all.partition_point(|requirement| key(requirement).is_le());
        let requirements = self.all.get(start..end)?;
        Some(Group { name: requirements.first()?.name.as_str(), requirements })
    }

    /// Returns the requirements of one kind and name, none where there is no such need.
    #[must_use]
    pub fn of(&self, kind: Kind, name: &str) -> &[Requirement] {
        self.group(kind, name).map(|group| group.requirements).unwrap_or_default()
    }
}

/// Returns the name of something declared that a name with an answer in it fits. Where a sheet asks, the answer must have the form
/// that it states; where it states none, anything would fit, and the owner is asked.
fn declared_name(app: &App, scene: &Scene<'_>, requirement: &Requirement) -> Option<String> {
    let sheet = app.plugins.get(requirement.plugin).and_then(|plugin| plugin.sheet.as_ref());
    let answers = |(key, value): &(String, String)| match sheet {
        Some(found) => found.sheet.answer(key).is_some_and(|asked| asked.form().is_some() && asked.fits(value)),
        None => true,
    };
    let fits = |name: &str| read_back(&requirement.name, name).is_some_and(|all| all.iter().all(answers));
    let all = elvask_needs::kinds::spec(requirement.kind()).declared_of(scene, &fits);
    all.into_iter().map(|one| one.name).find(|name| fits(name))
}

/// Returns what the plugins need that is `wanted`, as their sheets state it; of those without a sheet, as their own files show it.
fn raw(app: &App, wanted: &dyn Fn(&Need) -> bool) -> impl Iterator<Item = Requirement> {
    let levels = app.all_levels();
    // Plugin by plugin, so that there is never a second list of all.
    let of_plugin = move |(at, plugin): (usize, &Plugin)| {
        let mut all = Vec::new();
        match &plugin.sheet {
            Some(found) => of_sheet(app, at, plugin, found, &mut all),
            None => of_evidence(app, at, plugin, wanted, &mut all),
        }
        all.retain(|requirement| wanted(&requirement.need) && levels.iter().any(|levels| requirement.holds(levels)));
        all
    };
    app.plugins.iter().enumerate().flat_map(of_plugin)
}

/// Gathers what a plugin's own files show.
fn of_evidence(app: &App, at: usize, plugin: &Plugin, wanted: &dyn Fn(&Need) -> bool, all: &mut Vec<Requirement>) {
    let Some(evidence) = &plugin.evidence else { return };
    let learned = evidence.requirements.iter().zip(&plugin.judged);
    let learned = learned.filter(|(learned, _)| app.has(learned.need.platform()) && wanted(&learned.need));
    all.extend(learned.map(|(learned, judged)| {
        // Practitioners advise to open a link at once and to handle the failure.
        let asks = plugin.own && matches!(learned.kind(), Kind::Query | Kind::QueryScheme);
        let reason =
            asks.then(|| "it asks first; opening at once and handling the failure would need nothing".to_owned());
        Requirement { reason, ..of_learned(at, learned, judged) }
    }));
}

fn of_learned(plugin: usize, learned: &Learned, judged: &Judged) -> Requirement {
    Requirement {
        plugin,
        platform: learned.need.platform(),
        name: learned.name.clone(),
        named_by_owner: false,
        need: learned.need.clone(),
        strength: learned.strength,
        reason: None,
        reference: None,
        capability: None,
        feature: None,
        when: learned.when.clone(),
        part: None,
        one_of: learned.one_of.clone(),
        brought: judged.brought,
        reached: judged.reached.clone(),
        // Nobody is led to declare what is nowhere to be found.
        level: judged.level.map(|level| if learned.shown.class_unseen { Level::Note } else { level }),
        learnt: learned.citations.iter().map(|citation| Learnt::Found(Arc::clone(citation))).collect(),
    }
}

/// Gathers what a sheet states. What the plugin's own files show of the same things is cited beside it.
fn of_sheet(app: &App, at: usize, plugin: &Plugin, found: &PluginSheet, all: &mut Vec<Requirement>) {
    let sheet = &found.sheet;
    let features = app.config.for_plugin(&plugin.name).map(|config| config.features.as_slice()).unwrap_or_default();
    let on = |name: &Text| features.iter().any(|feature| feature.text == name.text);
    let outdated = is_outdated(plugin, sheet);
    let shown = plugin.evidence.as_deref().map(|evidence| evidence.requirements.as_slice()).unwrap_or_default();
    for required in &sheet.requires {
        if required.feature.as_ref().is_some_and(|feature| !on(feature)) {
            continue;
        }
        let stated = Place { file: found.file, span: required.span };
        let strength = if outdated { required.strength.max(Strength::Likely) } else { required.strength };
        let requirement = |name: &str, need: Need, strength, capability, part| {
            let out = plugin.out.iter().find(|(platform, _)| *platform == need.platform());
            let reached = match (out, &required.feature) {
                (Some((_, why)), _) => Reached::new(Reach::Out, why.clone()),
                (None, Some(feature)) => {
                    Reached::new(Reach::Used, format!("elvask.toml turns its feature {} on", feature.text))
                }
                (None, None) => Reached::default(),
            };
            let also = shown.iter().filter(|learned| learned.kind() == need.kind() && learned.name == name);
            let also: Vec<_> = also.collect();
            let brought = also.iter().any(|learned| learned.brought);
            let citations = also.iter().flat_map(|learned| &learned.citations);
            let mut learnt = vec![Learnt::Sheet(stated)];
            learnt.extend(citations.map(|citation| Learnt::Found(Arc::clone(citation))));
            Requirement {
                plugin: at,
                platform: need.platform(),
                name: name.to_owned(),
                named_by_owner: false,
                need,
                strength,
                reason: required.reason.clone(),
                reference: required.reference.clone().or_else(|| sheet.reference.clone()),
                capability,
                feature: required.feature.as_ref().map(|feature| feature.text.clone()),
                when: required.when.clone(),
                part,
                one_of: required.one_of.clone(),
                brought,
                reached: reached.clone(),
                level: Some(Level::of_strength(strength)).filter(|_| reached.reach != Reach::Out),
                learnt,
            }
        };
        let wanted = |platform: Platform| app.has(platform) && sheet.platforms.contains(&platform);
        match &required.asked {
            Asked::Need { name, need } => {
                if wanted(need.platform()) {
                    all.push(requirement(name, need.clone(), strength, None, None));
                }
            }
            Asked::Capability(capability) => {
                for need in capability.needs().filter(|need| wanted(need.platform)) {
                    let strength = if need.optional { Strength::Optional } else { strength };
                    let Some(asked) = of_part(need) else { continue };
                    all.push(requirement(need.name, asked, strength, Some(*capability), Some(need)));
                }
            }
        }
    }
    // A sheet comes before what the files show: that is then worth knowing, and no more.
    let stated = |learned: &Learned| {
        all.iter().any(|one| one.plugin == at && one.kind() == learned.kind() && one.name == learned.name)
    };
    let judged = shown.iter().zip(&plugin.judged);
    let beyond: Vec<_> = judged.filter(|(one, _)| app.has(one.need.platform()) && !stated(one)).collect();
    all.extend(beyond.into_iter().map(|(learned, judged)| {
        let known = of_learned(at, learned, judged);
        Requirement { strength: Strength::Optional, level: known.level.map(|_| Level::Note), ..known }
    }));
}

/// Says whether the installed version is outside the range that a sheet speaks about.
#[must_use]
pub fn is_outdated(plugin: &Plugin, sheet: &Sheet) -> bool {
    let installed = plugin.version.as_deref().and_then(|version| semver::Version::parse(version).ok());
    match (&sheet.versions, installed) {
        (Some((range, _)), Some(version)) => !range.matches(&version),
        _ => false,
    }
}

/// The values that answer the plugins' questions.
#[derive(Debug, Clone, Default)]
pub struct Answers {
    values: BTreeMap<(usize, String), Answered>,
}

impl Answers {
    /// Gathers the answers: from the command line, from `elvask.toml`, from what the app declares, from what is known of
    /// the app, the first of these that has one.
    #[must_use]
    pub fn gather(
        app: &App,
        settings: &Settings,
        manifest: Option<&ManifestView<'_>>,
        plist: Option<&PlistView<'_>>,
    ) -> Self {
        let mut answers = Answers::default();
        for (at, plugin) in app.plugins.iter().enumerate() {
            for (_, key, value) in settings.answers.iter().filter(|(name, _, _)| *name == plugin.name) {
                answers.put(at, key, Answered { value: value.clone(), place: None, declared: false });
            }
            let config =
                app.config.for_plugin(&plugin.name).map(|config| config.answers.as_slice()).unwrap_or_default();
            for (key, answer) in config {
                let place = app.config_file.map(|file| Place { file, span: answer.span });
                answers.put(at, &key.text, Answered { value: answer.text.clone(), place, declared: false });
            }
        }
        // The others have no value to read back.
        let has_value = |need: &Need| {
            matches!(need, Need::MetaData { value: Some(_), .. } | Need::Plist { value: NewValue::String(_) })
        };
        for requirement in raw(app, &has_value) {
            if let Some((template, value, place)) = declared_value(&requirement, manifest, plist) {
                let sheet = app.plugins.get(requirement.plugin).and_then(|plugin| plugin.sheet.as_ref());
                for (key, value) in read_back(template, &value).unwrap_or_default() {
                    let asked = sheet.and_then(|sheet| sheet.sheet.answer(&key));
                    let fits = asked.map_or(sheet.is_none(), |asked| asked.fits(&value));
                    if fits {
                        answers.put(requirement.plugin, &key, Answered { value, place: Some(place), declared: true });
                    }
                }
            }
        }
        let identity = &app.config.identity;
        let text = |stated: &Option<Text>| stated.as_ref().map(|text| text.text.clone());
        let known = [
            ("android_id", text(&identity.android_id).or_else(|| app.android.as_ref()?.id.value.clone())),
            ("ios_id", text(&identity.ios_id).or_else(|| app.ios.as_ref()?.id.value.clone())),
            ("ios_team", text(&identity.ios_team)),
            ("scheme", app.config.schemes.first().map(|scheme| scheme.text.clone())),
            ("host", app.config.hosts.first().map(|host| host.text.clone())),
        ];
        let known =
            known.into_iter().filter_map(|(key, value)| Some((key, value.filter(|value| !is_unfilled(value))?)));
        for (key, value) in known {
            for at in 0..app.plugins.len() {
                answers.put_filled(at, key, Answered { value: value.clone(), place: None, declared: false });
            }
        }
        answers
    }

    /// Adds an answer, unless there is one already. What nobody has filled in yet is none, wherever it stands.
    fn put(&mut self, plugin: usize, key: &str, answer: Answered) {
        if !is_unfilled(&answer.value) {
            self.put_filled(plugin, key, answer);
        }
    }

    fn put_filled(&mut self, plugin: usize, key: &str, answer: Answered) {
        self.values.entry((plugin, key.to_owned())).or_insert(answer);
    }

    /// Returns the answer to a plugin's question.
    #[must_use]
    pub fn get(&self, plugin: usize, key: &str) -> Option<&Answered> {
        self.values.get(&(plugin, key.to_owned()))
    }

    /// Goes through all answers: the plugin's place in the app's list, the key, the value.
    pub fn all(&self) -> impl Iterator<Item = (usize, &str, &Answered)> {
        self.values.iter().map(|((plugin, key), answer)| (*plugin, key.as_str(), answer))
    }
}

/// Says whether a value for a machine is empty or still what a plugin's notes had.
#[must_use]
pub fn is_unfilled(value: &str) -> bool {
    value.trim().is_empty() || placeholder_in(value, ValueUse::Machine).is_some()
}

/// Returns the template of a requirement that asks for answers, with the value that the app declares for it.
pub(crate) fn declared_value<'r>(
    requirement: &'r Requirement,
    manifest: Option<&ManifestView<'_>>,
    plist: Option<&PlistView<'_>>,
) -> Option<(&'r str, String, Place)> {
    let found = if let Need::MetaData { value: Some(template), .. } = &requirement.need {
        let manifest = manifest?;
        let declared = manifest.meta_data.iter().find(|declared| declared.name == requirement.name)?;
        let value = declared.element.value(elvask_project::names::ANDROID, "value")?.into_owned();
        Some((template.as_str(), value, manifest.value_place(declared.element, "value")))
    } else if let Need::Plist { value: NewValue::String(template) } = &requirement.need {
        let plist = plist?;
        let entry = plist.entry(&requirement.name)?;
        Some((template.as_str(), entry.value.as_str()?.to_owned(), plist.value_place(entry)))
    } else {
        None
    };
    let (template, value, place) = found?;
    (!answers_in(template).is_empty() && !is_reference(&value)).then_some((template, value, place))
}

/// A purpose that the app's owner has given.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GivenPurpose {
    /// The text.
    pub text: String,
    /// Where it stands in `elvask.toml`; `None` for the command line.
    pub place: Option<Place>,
}

/// Returns the purpose that the owner gives for a key: on the command line before `elvask.toml`, by the key itself before
/// a capability that wants it.
#[must_use]
pub fn purpose(app: &App, settings: &Settings, key: &str, language: Option<&str>) -> Option<GivenPurpose> {
    // A capability that wants nothing else fits best: the microphone's own purpose before that of speech recognition.
    let mut names: Vec<&str> = vec![key];
    let mut by_size: Vec<_> = capabilities_with(Kind::Usage, key).collect();
    by_size.sort_by_key(|capability| capability.needs().filter(|need| need.kind == Kind::Usage).count());
    names.extend(by_size.iter().map(|capability| capability.name));
    let said = names.iter().find_map(|name| settings.purposes.iter().rfind(|(said, _)| said == name));
    if let Some((_, text)) = said {
        return Some(GivenPurpose { text: text.clone(), place: None });
    }
    let written = |name: &&str| app.config.purposes.iter().find(|purpose: &&Purpose| purpose.name.text == *name);
    let text = names.iter().find_map(written)?.text(language)?;
    let place = app.config_file.map(|file| Place { file, span: text.span });
    Some(GivenPurpose { text: text.text.clone(), place })
}

/// Returns the want for the purpose of a key.
pub(crate) fn want_purpose(key: &str, group: Option<&Group<'_>>) -> Want {
    let mut capabilities = group.map(Group::capabilities).unwrap_or_default();
    // The capability whose purpose it mainly is comes first: the one that has the fewest purposes.
    capabilities.sort_by_key(|name| {
        elvask_platform::capability::capability(name)
            .map_or(usize::MAX, |capability| capability.needs().filter(|need| need.kind == Kind::Usage).count())
    });
    Want::Purpose { key: key.to_owned(), capabilities }
}
