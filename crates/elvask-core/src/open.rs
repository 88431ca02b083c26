//! Opening an app: finding its layouts, its packages, its two sides and what its packages show, in that order.

use std::borrow::Cow;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use elvask_link::site;
use elvask_markup::Span;
use elvask_needs::evidence::{Evidence, learn_cached, learn_module_cached, recall_learnt};
use elvask_needs::linking::Linking;
use elvask_needs::own::OwnCode;
use elvask_needs::reach::BuiltUpon;
use elvask_needs::requirement::{Citation, EvidenceKind, Need};
use elvask_needs::sheet::{MAX_REQUIRED_OF_APP, Sheet};
use elvask_needs::{reach, sheet};
use elvask_platform::Platform;
use elvask_project::appfiles::{AndroidApp, AppFiles, Generated, IosApp, LoadError, RequiredFile, VariantFile};
use elvask_project::files::{FileKind, Files, Listed, shown};
use elvask_project::gradle;
use elvask_project::gradle::Variant;
use elvask_project::layout::{FILE_NAME, Layout};
use elvask_project::loading::{FaultKind, Loading};
use elvask_project::source::{FileId, Place};
use elvask_project::threads;
use elvask_project::tomldoc::Problem;
use rayon::prelude::*;

use crate::account::Account;
use crate::app::{App, Choice, Look, OWN_CODE, Plugin, PluginSheet, SheetOrigin};
use crate::config::Config;
use crate::discover;
use crate::discover::Package;
use crate::discover::layouts::{LayoutSpec, Search, Sides};
use crate::icons::{self, Icons};

impl App {
    /// Finds the app in the folder `root`, with sheets from the package, from the app and from `sheet_folders`, later ones
    /// winning over earlier ones.
    ///
    /// What cannot be read is noted in the faults of the app and does not end the search.
    ///
    /// # Errors
    /// [`LoadError`] when there is no app in the folder or a folder of sheets is not there.
    pub fn load(files: &dyn Files, root: &Path, sheet_folders: &[PathBuf]) -> Result<App, LoadError> {
        App::load_choice(files, root, &Choice { sheets: sheet_folders.to_vec(), ..Choice::default() })
    }

    /// Finds the app in the folder `root`, and in it what a person has chosen to look at.
    ///
    /// # Errors
    /// [`LoadError`] as for [`App::load`], and where there is no variant, target or configuration of the chosen name.
    pub fn load_choice(files: &dyn Files, root: &Path, choice: &Choice) -> Result<App, LoadError> {
        App::load_knowing(files, root, choice, None)
    }

    /// Reads this app anew, as it stands with these files written. Packages in which none of them lies are not looked into again.
    ///
    /// # Errors
    /// [`LoadError`] as for [`App::load_choice`].
    pub fn load_again(&self, files: &dyn Files, choice: &Choice, written: &[PathBuf]) -> Result<App, LoadError> {
        let evidence = |plugin: &Plugin| {
            let root = plugin.root.clone()?;
            let touched = written.iter().any(|path| path.starts_with(&root) || path.starts_with(files.real(&root)));
            Some((root, plugin.evidence.clone().filter(|_| !touched)?))
        };
        let known: HashMap<PathBuf, Arc<Evidence>> = self.plugins.iter().filter_map(evidence).collect();
        App::load_knowing(files, &self.root, choice, Some(&known))
    }

    /// Finds the app; what is `known` of a package is not looked for.
    // In one piece: each step of the opening takes what the one before it found.
    fn load_knowing(
        files: &dyn Files,
        root: &Path,
        choice: &Choice,
        known: Option<&HashMap<PathBuf, Arc<Evidence>>>,
    ) -> Result<App, LoadError> {
        let sheet_folders = choice.sheets.as_slice();
        let listed = Listed::new(files);
        let files: &dyn Files = &listed;
        if !files.is_folder(root) {
            return Err(LoadError::NoFolder(root.display().to_string()));
        }
        let specs = discover::layouts::at(files, root);
        if specs.is_empty() {
            return Err(LoadError::NoApp(root.display().to_string()));
        }
        if let Some(missing) = sheet_folders.iter().find(|folder| !files.is_folder(folder)) {
            return Err(LoadError::NoSheetFolder(missing.display().to_string()));
        }
        let mut loading = Loading::new(files, root);
        let config_path = root.join(FILE_NAME);
        let (config, config_file) =
            if files.is_file(&config_path) { read_config(&mut loading, &config_path) } else { Default::default() };
        let mut search = Search { choice, recall: known.is_none() && choice.look != Look::Nowhere, build: None };
        let mut packages: Vec<Package> =
            specs.iter().flat_map(|spec| spec.packages(&mut loading, &mut search)).collect();
        if let Some(folder) = &choice.beside {
            put_beside(&mut loading, &specs, folder, &mut packages)?;
        }
        let absent = packages.iter().filter(|package| package.root.is_none());
        let mut not_installed: Vec<(String, Place)> =
            absent.filter_map(|package| Some((package.name.clone(), package.dependency?))).collect();
        let mut plugins = plugins(&mut loading, packages, sheet_folders);
        // What a sheet states is known of one that is not there too.
        not_installed.retain(|(name, _)| !plugins.iter().any(|plugin| plugin.name == *name && plugin.sheet.is_some()));
        let own = look_into(files, root, choice, known, &mut plugins);
        let linking = elvask_needs::linking::read(files, root);
        leave_out(&mut plugins, &linking);
        if let Some(file) = config_file {
            let unknown = plugins.iter().filter_map(|plugin| plugin.sheet.as_ref());
            let problems: Vec<_> = unknown.flat_map(|sheet| config.check_against(&sheet.sheet)).collect();
            loading.problems(FaultKind::Config, file, problems);
        }
        let mut sides = Sides::default();
        if !specs.iter().any(|spec| spec.has_own_sides()) {
            // An app of one platform alone may have the other one beside it, in a folder of its own.
            sides.android = discover::android::find(&mut loading, &plugins, choice, search.build)?;
            sides.ios = discover::ios::find(&mut loading, choice)?;
        }
        for spec in &specs {
            sides = spec.sides(&mut loading, &plugins, sides);
        }
        let Sides { mut android, ios, generated, widget } = sides;
        is_met(choice, android.as_ref(), ios.as_ref())?;
        if choice.look != Look::Nowhere {
            let described = generated.as_ref().is_some_and(|generated: &Generated| generated.layout == Layout::AppJson);
            judge(&loading, ios.as_ref(), &own, &linking, described, &mut plugins);
            own.limits.iter().for_each(|limit| loading.notice(limit.clone()));
            if let Some(notice) = compiled_already(&plugins) {
                loading.notice(notice);
            }
            plugins.extend(own_code(&loading, choice, &own, android.as_ref(), ios.as_ref()));
        }
        let by_language = !config.identity.names.is_empty();
        let required = required_files(&mut loading, &plugins, android.as_ref(), ios.as_ref());
        // The resources of a folder that is made anew each time are not here to be read, and none is put where nothing builds it.
        if let Some(android) = android.as_mut().filter(|_| generated.is_none()) {
            android.resources =
                discover::resources::read(&mut loading, android, &plugins, choice.languages || by_language);
            discover::resources::read_network(&mut loading, android, config.network.is_some());
            // There the build makes pictures and styles of the project's items: what is not found may be made.
            android.resources.complete &= specs.iter().all(|spec| spec.layout() != Layout::Msbuild);
        }
        if android.is_none() && ios.is_none() && loading.faults.is_empty() {
            loading
                .notice("neither an Android app module nor an Xcode project with an app target was found".to_owned());
        }
        let icons = match choice.look {
            Look::Nowhere => Icons::default(),
            _ => {
                let layouts: Vec<Layout> = specs.iter().map(|spec| spec.layout()).collect();
                let sides = (android.as_ref(), ios.as_ref());
                icons::read(&mut loading, sides.0, sides.1, widget.as_ref(), generated.as_ref(), &layouts)
            }
        };
        let site = config.links.site.as_ref().map(|site| site::read(&mut loading, &site.text));
        let account = Account::load(&mut loading, choice.account.as_deref(), choice.environment.unwrap_or(|_| None));
        let Loading { sources, faults, notices, unresolved, .. } = loading;
        let root = root.to_owned();
        let layouts = specs.iter().map(|spec| spec.layout()).collect();
        let files =
            AppFiles { root, layouts, android, ios, widget, generated, required, sources, faults, notices, unresolved };
        Ok(App { files, plugins, config, config_file, account, site, icons, not_installed })
    }
}

/// Puts a package beside those of the app, in the place of one of its name.
fn put_beside(
    loading: &mut Loading<'_>,
    specs: &[&dyn LayoutSpec],
    folder: &Path,
    packages: &mut Vec<Package>,
) -> Result<(), LoadError> {
    // The later of two layouts is the more particular one.
    let Some(package) = specs.iter().rev().find_map(|spec| spec.alone(loading, folder)) else {
        let layouts: Vec<&str> = specs.iter().map(|spec| spec.layout().id()).collect();
        return Err(LoadError::NoPackage(folder.display().to_string(), layouts.join(", ")));
    };
    let known = packages.iter().find(|known| known.name == package.name);
    let dependency = known.and_then(|known| known.dependency);
    packages.retain(|known| known.name != package.name);
    packages.push(Package { dependency, ..package });
    Ok(())
}

/// Says what was chosen and is not there: a variant of an app without that platform or without variants, and the like.
fn is_met(choice: &Choice, android: Option<&AndroidApp>, ios: Option<&IosApp>) -> Result<(), LoadError> {
    if let Some(name) = &choice.variant {
        let known: Vec<_> = android.iter().flat_map(|app| &app.variants).map(|one| one.name.clone()).collect();
        if !known.contains(name) {
            return Err(LoadError::NoVariant { name: name.clone(), known });
        }
    }
    if let Some(name) = &choice.target {
        let known: Vec<_> = ios.and_then(|app| app.target.clone()).into_iter().collect();
        if !known.contains(name) {
            return Err(LoadError::NoTarget { name: name.clone(), known });
        }
    }
    if let Some(name) = &choice.configuration {
        let known: Vec<_> = ios.map(|app| app.configuration.clone()).into_iter().collect();
        if !known.contains(name) {
            return Err(LoadError::NoConfiguration { name: name.clone(), known });
        }
    }
    Ok(())
}

/// Looks into the app's own code; `None` where it uses nothing that requires a declaration.
fn own_code(
    loading: &Loading<'_>,
    choice: &Choice,
    own: &OwnCode,
    android: Option<&AndroidApp>,
    ios: Option<&IosApp>,
) -> Option<Plugin> {
    let android = android.map(|android| android.module.clone());
    let ios = ios.and_then(|ios| ios.project.as_ref()).map(|project| project.folder.clone());
    let mut evidence = Evidence::default();
    for folder in [&android, &ios].into_iter().flatten() {
        let mut found = learn_module_cached(loading.files, folder, choice.cache.as_deref());
        // Its manifests and notes are not a plugin's.
        let in_code = |citation: &Arc<Citation>| citation.kind == EvidenceKind::Source;
        found.requirements.retain(|learned| learned.citations.iter().any(in_code));
        for learned in &mut found.requirements {
            learned.citations.retain(|citation| citation.kind == EvidenceKind::Source);
            learned.citations.iter_mut().for_each(|citation| Arc::make_mut(citation).kind = EvidenceKind::Use);
            learned.brought = false;
        }
        found.doubtful.clear();
        found.limits.clear();
        found.name_files_from(&loading.shown(folder));
        evidence = evidence.joined_with(found);
    }
    let uses = Evidence { requirements: elvask_needs::own::needs::learned(own), ..Evidence::default() };
    let evidence = evidence.joined_with(uses);
    let platforms = [android.map(|_| Platform::Android), ios.map(|_| Platform::Ios)].into_iter().flatten().collect();
    (!evidence.requirements.is_empty()).then(|| Plugin {
        name: OWN_CODE.to_owned(),
        platforms,
        judged: evidence.requirements.iter().map(reach::judge_own).collect(),
        evidence: Some(Arc::new(evidence)),
        own: true,
        ..Plugin::default()
    })
}

/// Reads the files that sheets want in the platforms' projects.
fn required_files(
    loading: &mut Loading<'_>,
    plugins: &[Plugin],
    android: Option<&AndroidApp>,
    ios: Option<&IosApp>,
) -> Vec<RequiredFile> {
    let mut out: Vec<RequiredFile> = Vec::new();
    let stated = plugins.iter().filter_map(|plugin| plugin.sheet.as_ref()).flat_map(|found| &found.sheet.requires);
    let stated = stated.filter_map(|required| match &required.asked {
        sheet::Asked::Need { name, need } => Some((name, need)),
        _ => None,
    });
    let evidence = plugins.iter().filter_map(|plugin| plugin.evidence.as_deref());
    let learned = evidence.flat_map(|evidence| &evidence.requirements).map(|learned| (&learned.name, &learned.need));
    for (name, need) in stated.chain(learned) {
        let Need::File { platform, in_app, .. } = need else { continue };
        let folder = match platform {
            // From there, what builds the app takes it, and not the platform's project.
            Platform::Android if *in_app => android.map(|_| loading.root.clone()),
            Platform::Ios if *in_app => ios.map(|_| loading.root.clone()),
            Platform::Android => android.map(|android| {
                let above = android.module.ancestors().take_while(|folder| folder.starts_with(&loading.root));
                let root = above.into_iter().find(|folder| gradle::settings_file(loading.files, folder).is_some());
                root.or(android.module.parent()).unwrap_or(&android.module).to_owned()
            }),
            Platform::Ios => ios.map(|ios| match &ios.project {
                Some(project) => project.folder.clone(),
                None => ios.plist_path.parent().unwrap_or(&ios.plist_path).to_owned(),
            }),
        };
        let Some(folder) = folder else { continue };
        if out.iter().any(|known| known.platform == *platform && known.path == *name) {
            continue;
        }
        let path = folder.join(name);
        let (shown, file) = (loading.shown(&path), read_inside(loading, &path));
        let taken = taken(loading.files, *platform, ios.filter(|_| !in_app), &path);
        let variants = match (android, platform) {
            (Some(android), Platform::Android) if !in_app => of_variants(loading, android, &path),
            _ => Vec::new(),
        };
        let file = file.or(variants.iter().find_map(|one| one.file));
        out.push(RequiredFile { platform: *platform, path: name.clone(), shown, file, variants, taken });
    }
    service_files(loading, android, ios, &mut out);
    out
}

/// Reads a file of the app that may be there. A link may lead out of the app: what it leads to is not read.
fn read_inside(loading: &mut Loading<'_>, path: &Path) -> Option<FileId> {
    let real = |path: &Path| loading.files.real(path);
    if !loading.files.is_file(path) || !real(path).starts_with(real(&loading.root)) {
        return None;
    }
    let shown = loading.shown(path);
    loading.read(path, &shown).map(|(file, _)| file)
}

/// Returns which file each variant that is judged takes in the place of one in the folder of the module; nothing where all take that one.
///
/// Source: "Processing the JSON File" of the services' Gradle plugin, which looks into the folders of the source sets first.
fn of_variants(loading: &mut Loading<'_>, android: &AndroidApp, path: &Path) -> Vec<VariantFile> {
    let Some(name) = path.file_name().filter(|_| path.parent() == Some(&android.module)) else { return Vec::new() };
    let sources = android.module.join("src");
    let own = |loading: &Loading<'_>, variant: &Variant| -> Option<PathBuf> {
        let (build_type, flavors) = (&variant.build_type, variant.flavors.concat());
        let all = [&variant.name, &flavors, build_type].map(|set| sources.join(set));
        let both = [sources.join(&flavors).join(build_type), sources.join(build_type).join(&flavors)];
        let single = variant.flavors.iter().map(|flavor| sources.join(flavor));
        let folders = both.into_iter().filter(|_| !flavors.is_empty()).chain(all).chain(single);
        let mut files = folders.filter(|folder| *folder != sources).map(|folder| folder.join(name));
        files.find(|file| loading.files.is_file(file))
    };
    let judged: Vec<(String, Option<PathBuf>)> =
        android.judged().map(|variant| (variant.name.clone(), own(loading, variant))).collect();
    if judged.iter().all(|(_, own)| own.is_none()) {
        return Vec::new();
    }
    let file = |(variant, own): (String, Option<PathBuf>)| {
        let path = own.unwrap_or_else(|| path.to_owned());
        VariantFile { variant, shown: loading.shown(&path), file: read_inside(loading, &path) }
    };
    judged.into_iter().map(file).collect()
}

/// Says whether the project for iOS copies a file into the app, where that is known.
fn taken(files: &dyn Files, platform: Platform, ios: Option<&IosApp>, path: &Path) -> Option<bool> {
    let ios = ios.filter(|_| platform == Platform::Ios)?;
    let project = ios.project.as_deref()?;
    let target = project.targets.iter().find(|target| Some(&target.name) == ios.target.as_ref())?;
    project.resources(files, target).takes(path)
}

/// Adds the files of services that name the app and are there, unless a sheet asks for them already.
fn service_files(
    loading: &mut Loading<'_>,
    android: Option<&AndroidApp>,
    ios: Option<&IosApp>,
    out: &mut Vec<RequiredFile>,
) {
    for known in elvask_platform::services::service_files() {
        let path = match known.platform {
            Platform::Android => android.map(|android| android.module.join(known.path)),
            Platform::Ios => ios.and_then(|ios| {
                let target = ios.plist_path.parent().filter(|_| !ios.generated);
                let project = ios.project.as_ref().map(|project| project.folder.clone());
                match known.path.strip_prefix("*/") {
                    Some(name) => Some(target?.join(name)),
                    None => Some(project?.join(known.path)),
                }
            }),
        };
        let Some(path) = path else { continue };
        let shown = loading.shown(&path);
        if out.iter().any(|other| other.shown == shown) {
            continue;
        }
        let variants = match (android, known.platform) {
            (Some(android), Platform::Android) => of_variants(loading, android, &path),
            _ => Vec::new(),
        };
        let file = read_inside(loading, &path).or(variants.iter().find_map(|one| one.file));
        if file.is_none() {
            continue;
        }
        let taken = taken(loading.files, known.platform, ios, &path);
        let path = known.path.to_owned();
        out.push(RequiredFile { platform: known.platform, path, shown, file, variants, taken });
    }
}

fn read_config(loading: &mut Loading<'_>, path: &Path) -> (Config, Option<FileId>) {
    let Some((file, text)) = loading.read(path, FILE_NAME) else { return Default::default() };
    let (config, problems) = Config::parse(&text);
    loading.problems(FaultKind::Config, file, problems);
    (config, Some(file))
}

/// Turns packages into plugins: those with native code and those with a sheet.
fn plugins(loading: &mut Loading<'_>, packages: Vec<Package>, sheet_folders: &[PathBuf]) -> Vec<Plugin> {
    let own = loading.root.join("elvask/sheets");
    let mut sheets = Vec::new();
    let folders = std::iter::once((own.as_path(), SheetOrigin::App));
    for (folder, origin) in folders.chain(sheet_folders.iter().map(|folder| (folder.as_path(), SheetOrigin::Folder))) {
        for (name, kind) in loading.files.list(folder) {
            if kind == FileKind::File && name.ends_with(".toml") {
                sheets.extend(read_sheet(loading, &folder.join(name), None, origin));
            }
        }
    }
    let mut plugins = Vec::new();
    let mut required = 0;
    for package in packages {
        let named = |sheet: &&PluginSheet| sheet.sheet.plugin.text == package.name;
        // Sheets come in rising order of precedence, so that the last one wins.
        let mut sheet = sheets.iter().rfind(named).cloned();
        if sheet.is_none()
            && let Some(root) = package.root.as_ref().filter(|_| !package.no_sheet)
        {
            let path = root.join(sheet::FILE_NAME);
            if loading.files.is_file(&path) {
                sheet = read_sheet(loading, &path, Some(&package.name), SheetOrigin::Package);
            }
        }
        required += sheet.as_ref().map_or(0, |sheet| sheet.sheet.requires.len());
        if let Some(beyond) = sheet.take_if(|_| required > MAX_REQUIRED_OF_APP) {
            let message = format!(
                "the sheets of the app's packages state more than {MAX_REQUIRED_OF_APP} requirements together; this one is not read"
            );
            let problem = Problem { message, span: Span::at(0) };
            loading.problems(FaultKind::Sheet, beyond.file, vec![problem]);
        }
        if sheet.is_none() && package.platforms.is_empty() {
            continue;
        }
        let Package {
            name, version, root, platforms, dependency, peers, brings, wanted_by, unlinked, evidence, ..
        } = package;
        let why = unlinked.filter(|_| sheet.as_ref().is_none_or(|sheet| sheet.origin == SheetOrigin::Package));
        let out = [Platform::Android, Platform::Ios].into_iter().filter_map(|on| Some((on, why.clone()?))).collect();
        let judged = Vec::new();
        let (runtime, own) = (false, false);
        plugins.push(Plugin {
            name,
            version,
            root,
            platforms,
            dependency,
            sheet,
            evidence,
            judged,
            out,
            peers,
            brings,
            wanted_by,
            runtime,
            own,
        });
    }
    plugins
}

/// Looks into the packages that the choice says, several at a time, and into the app's own code beside them.
fn look_into(
    files: &dyn Files,
    app: &Path,
    choice: &Choice,
    known: Option<&HashMap<PathBuf, Arc<Evidence>>>,
    plugins: &mut [Plugin],
) -> OwnCode {
    let wanted = |plugin: &Plugin| match choice.look {
        Look::WithoutSheet => plugin.sheet.is_none(),
        Look::All => true,
        Look::Nowhere => false,
    };
    let named = |root: &Path| {
        let folder = shown(root, app);
        move |mut evidence: Evidence| {
            evidence.name_files_from(&folder);
            Arc::new(evidence)
        }
    };
    let known = |root: &Path| known.and_then(|known| known.get(root).cloned());
    let look = |plugin: &mut Plugin| {
        let Some(root) = &plugin.root else { return };
        let look = || named(root)(learn_cached(files, root, choice.cache.as_deref()));
        plugin.evidence = Some(known(root).unwrap_or_else(look));
    };
    if choice.look == Look::Nowhere {
        return OwnCode::default();
    }
    // With a sheet, what it showed may have been recalled in vain.
    plugins.iter_mut().filter(|plugin| !wanted(plugin)).for_each(|plugin| plugin.evidence = None);
    let mut left: Vec<_> = plugins.iter_mut().filter(|plugin| plugin.root.is_some() && wanted(plugin)).collect();
    left.retain(|plugin| plugin.evidence.is_none());
    let mut own = None;
    // What is remembered of many is recalled by the threads that look.
    if let Some(cache) = choice.cache.as_deref().filter(|_| left.len() < threads::FEW_RECALLED) {
        own = elvask_needs::own::recall_read(files, app, cache);
        let recall = |plugin: &mut &mut Plugin| {
            let recalled = |root: &Path| known(root).or_else(|| recall_learnt(files, root, cache).map(named(root)));
            plugin.evidence = plugin.root.as_deref().and_then(recalled);
        };
        threads::map(left.iter_mut().collect(), threads::FEW_RECALLED, recall);
        left.retain(|plugin| plugin.evidence.is_none());
    }
    let read_own = || own.unwrap_or_else(|| elvask_needs::own::read(files, app, choice.cache.as_deref()));
    if left.is_empty() {
        return read_own();
    }
    rayon::join(|| left.into_par_iter().for_each(look), read_own).1
}

/// Notes which packages are no part of the app, as its own build files say.
fn leave_out(plugins: &mut [Plugin], linking: &Linking) {
    for plugin in plugins {
        let pods = plugin.evidence.as_deref().map(|evidence| evidence.pods.names.as_slice()).unwrap_or_default();
        for platform in [Platform::Android, Platform::Ios] {
            let why = match linking.switched_off(&plugin.name, platform) {
                Some(file) => format!("{file} switches it off").into(),
                None if linking.is_for_development(&plugin.name, pods, platform) => {
                    Cow::Borrowed("only the debug build takes it")
                }
                None => continue,
            };
            plugin.out.push((platform, why));
        }
    }
}

/// The most packages that are named in a notice.
const MAX_NAMED: usize = 6;

/// Says which packages bring native code that is compiled already, so that what it calls is not known.
fn compiled_already(plugins: &[Plugin]) -> Option<String> {
    let brings = |plugin: &&Plugin| plugin.evidence.as_deref().is_some_and(|evidence| !evidence.binaries.is_empty());
    let out = |plugin: &&Plugin| plugin.platforms.iter().all(|platform| plugin.is_out(*platform));
    let names: Vec<_> = plugins.iter().filter(brings).filter(|one| !out(one)).map(|one| one.name.as_str()).collect();
    let (shown, rest) = names.split_at(names.len().min(MAX_NAMED));
    let more = if rest.is_empty() { String::new() } else { format!(" and {} more", rest.len()) };
    let named = format!("{}{more}", shown.join(", "));
    (!shown.is_empty()).then(|| {
        format!("compiled native code is not looked into, so what it calls is not known; these bring some: {named}")
    })
}

/// Judges what the files of the packages show by how it comes to this app.
fn judge(
    loading: &Loading<'_>,
    ios: Option<&IosApp>,
    own: &OwnCode,
    linking: &Linking,
    described: bool,
    plugins: &mut [Plugin],
) {
    let packages: Vec<_> = plugins
        .iter()
        .map(|plugin| BuiltUpon {
            name: &plugin.name,
            native: !plugin.platforms.is_empty() && plugin.out.is_empty(),
            named: plugin.dependency.is_some(),
            peers: &plugin.peers,
            brings: &plugin.brings,
            wanted_by: plugin.wanted_by,
            evidence: plugin.evidence.as_deref(),
        })
        .collect();
    let runtimes = reach::runtimes(&packages, linking);
    let project = ios.and_then(|ios| ios.project.as_ref()).map(|project| loading.sources.file(project.file));
    let project = project.map(|file| (file.text.as_ref(), file.shown.as_str()));
    let hybrid = discover::widget::is_widget(loading.files, &loading.root);
    let native = discover::layouts_at(loading.files, &loading.root).iter().all(|layout| layout.is_native());
    let description = described.then(|| discover::appjson::described(loading.files, &loading.root)).flatten();
    for (plugin, runtime) in plugins.iter_mut().zip(runtimes) {
        plugin.runtime = runtime;
        let Some(evidence) = plugin.evidence.clone() else { continue };
        let (name, out) = (plugin.name.as_str(), plugin.out.clone());
        let scripted = description.as_ref().and_then(|description| description.scripted(&plugin.name));
        let around = reach::Around { name, out, runtime, native, hybrid, scripted, described, project };
        plugin.judged = reach::judge_all(&evidence, &around, own, linking);
    }
}

fn read_sheet(
    loading: &mut Loading<'_>,
    path: &Path,
    package: Option<&str>,
    origin: SheetOrigin,
) -> Option<PluginSheet> {
    let (file, read) = loading.sources.read(loading.files, path);
    let text = match read {
        Ok(text) => text,
        Err(error) => {
            let problem = Problem { message: error.message(), span: Span::at(0) };
            loading.problems(FaultKind::Sheet, file, vec![problem]);
            return None;
        }
    };
    let (sheet, problems) = Sheet::parse(&text, package);
    if problems.is_empty() {
        return Some(PluginSheet { sheet: Arc::new(sheet), file, origin });
    }
    loading.problems(FaultKind::Sheet, file, problems);
    None
}
