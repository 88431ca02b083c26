//! Bringing together what the files of a package show.

use std::cell::RefCell;
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;

use elvask_platform::native::Family;
use elvask_platform::{Kind, Platform, Strength};
use elvask_project::files::Files;
use elvask_project::threads;

use super::pods::{Descriptions, Pods, Taken};
use super::shown::Notes;
use super::walk::{PackageFile, Role, Tree};
use super::{Doubtful, Evidence, Learned, build, manifest, notes, owners, scripts, source};
use crate::requirement::{EvidenceKind, GradleLine, Need};

/// The most lines that are cited for one thing.
const MAX_CITED: usize = 6;

/// A package that could ask for more permissions than this asks for whatever the app wants.
const MANY_PERMISSIONS: usize = 6;

/// The same where those count too that the system grants without asking.
const MANY_OF_ANY_GRANT: usize = 9;

/// The same for keys that hold a purpose.
const MANY_KEYS: usize = 5;

/// The largest file of notes that is read, in bytes.
pub(super) const MAX_NOTES: usize = 256 * 1024;

/// The most bytes of one package's files that are read.
const MAX_PACKAGE: usize = 128 * 1024 * 1024;

/// The largest source file that is read, in bytes.
const MAX_SOURCE: usize = 8 * 1024 * 1024;

/// The most room, in bytes, that one source file leaves to the next.
const MAX_KEPT: usize = 256 * 1024;

/// What has been found so far.
#[derive(Debug, Default)]
pub(super) struct Found {
    all: Vec<Learned>,
    /// What the code names without calling it.
    named: Vec<Learned>,
    /// What the notes say is not needed: kind and name.
    denied: Vec<(Kind, String)>,
    doubtful: Vec<Doubtful>,
    limits: Vec<String>,
    files: usize,
    pods: Pods,
    globals: Vec<String>,
    about: String,
    for_development: bool,
    runtime_module: bool,
    binaries: Vec<String>,
}

impl Found {
    /// Goes through what was found.
    pub(super) fn each_mut(&mut self) -> impl Iterator<Item = &mut Learned> {
        let doubtful = self.doubtful.iter_mut().map(|doubtful| &mut doubtful.learned);
        self.all.iter_mut().chain(&mut self.named).chain(doubtful)
    }

    /// Notes a name under which the package's scripts put a part of it into the page.
    pub(super) fn global(&mut self, name: &str) {
        if !self.globals.iter().any(|known| known == name) {
            self.globals.push(name.to_owned());
        }
    }

    /// Notes that the package is a module of a runtime.
    pub(super) fn runtime_module(&mut self) {
        self.runtime_module = true;
    }

    /// Notes that the package is for development builds alone.
    pub(super) fn for_development(&mut self) {
        self.for_development = true;
    }

    /// Notes that the package's build depends on a module of the same build.
    pub(super) fn depends_on_module(&mut self, name: &str) {
        let name = format!(":{}", name.trim_start_matches(':'));
        if !self.pods.depends.contains(&name) {
            self.pods.depends.push(name);
        }
    }

    /// Adds a requirement; one for the same thing that was found before is joined with it.
    pub(super) fn add(&mut self, learned: Learned) {
        join(&mut self.all, learned);
    }

    /// Adds what native code names, and perhaps only for an app that wants it.
    pub(super) fn named(&mut self, learned: Learned) {
        join(&mut self.named, learned);
    }

    /// Notes that the package's notes call something not needed.
    pub(super) fn deny(&mut self, kind: Kind, name: &str) {
        self.denied.push((kind, name.to_owned()));
    }

    /// Makes what was learnt from notes alone optional.
    pub(super) fn soften(&mut self, named: &[(Kind, String)]) {
        let meant = |learned: &&mut Learned| {
            let noted = learned.citations.iter().all(|citation| citation.kind == EvidenceKind::Readme);
            noted && named.iter().any(|(kind, name)| *kind == learned.kind() && *name == learned.name)
        };
        for learned in self.all.iter_mut().filter(meant) {
            learned.strength = Strength::Optional;
            learned.shown.notes = Some(Notes::Some);
        }
    }

    /// Adds what is too doubtful to count.
    pub(super) fn doubt(&mut self, learned: Learned, why: &str) {
        let same = self.doubtful.iter().any(|known| known.learned.is_about_the_same(&learned));
        if !same {
            self.doubtful.push(Doubtful { learned, why: why.to_owned() });
        }
    }

    /// Notes what limits the look.
    pub(super) fn limit(&mut self, limit: String) {
        if !self.limits.contains(&limit) {
            self.limits.push(limit);
        }
    }

    /// Takes in what was found before.
    pub(super) fn take(&mut self, evidence: Evidence) {
        evidence.requirements.into_iter().for_each(|learned| self.add(learned));
        evidence.doubtful.into_iter().for_each(|doubtful| self.doubt(doubtful.learned, &doubtful.why));
        evidence.limits.into_iter().for_each(|limit| self.limit(limit));
        self.files += evidence.files;
        self.pods = evidence.pods;
        self.globals = evidence.globals;
        self.about = evidence.about;
        self.for_development |= evidence.for_development;
        self.runtime_module |= evidence.runtime_module;
        self.binaries.extend(evidence.binaries);
    }

    /// Takes in what was found in another file.
    pub(super) fn merge(&mut self, other: Found) {
        other.all.into_iter().for_each(|learned| self.add(learned));
        other.named.into_iter().for_each(|learned| self.named(learned));
        other.doubtful.into_iter().for_each(|doubtful| self.doubt(doubtful.learned, &doubtful.why));
        other.limits.into_iter().for_each(|limit| self.limit(limit));
        self.denied.extend(other.denied);
        self.files += other.files;
    }
}

/// How much evidence weighs: what the build takes in before what is called, before what is written about.
fn weight(kind: EvidenceKind) -> u8 {
    match kind {
        EvidenceKind::Sheet => 0,
        EvidenceKind::Manifest => 1,
        EvidenceKind::Source => 2,
        EvidenceKind::Build => 3,
        EvidenceKind::Readme => 4,
        EvidenceKind::Platform => 5,
        EvidenceKind::Use => 6,
    }
}

/// Joins a requirement with the one for the same thing, where there is one.
fn join(all: &mut Vec<Learned>, learned: Learned) {
    let Some(known) = all.iter_mut().find(|known| same_thing(known, &learned)) else {
        return all.push(learned);
    };
    let kind = |one: &Learned| one.citations.first().map_or(EvidenceKind::Platform, |citation| citation.kind);
    let (first, mut second) = (known, learned);
    if weight(kind(&second)) < weight(kind(first)) {
        std::mem::swap(first, &mut second);
    }
    let optional_in_notes = |one: &Learned| kind(one) == EvidenceKind::Readme && one.strength == Strength::Optional;
    let android = first.need.platform() == Platform::Android;
    // What the notes call optional is not sure to be needed because the code can do it; on iOS it is all the same.
    let called_optional = android
        && first.one_of.is_none()
        && second.one_of.is_none()
        && (optional_in_notes(first) || optional_in_notes(&second))
        && !first.brought;
    if second.strength < first.strength {
        first.one_of.clone_from(&second.one_of);
    }
    first.strength = first.strength.min(second.strength);
    if called_optional {
        first.strength = first.strength.max(Strength::Likely);
    }
    if first.when != second.when {
        first.when = Default::default();
    }
    first.brought |= second.brought;
    let kinds = (kind(first), kind(&second));
    first.shown.join(second.shown);
    first.need = joined_need(first.need.clone(), second.need, kinds);
    for citation in second.citations {
        if first.citations.iter().any(|known| known.file == citation.file && known.line == citation.line) {
            continue;
        }
        if first.citations.len() < MAX_CITED {
            first.citations.push(citation);
            continue;
        }
        // Of each kind of evidence at least one line is cited, whatever there is of another.
        let of_kind = |kind: EvidenceKind| first.citations.iter().filter(|one| one.kind == kind).count();
        if of_kind(citation.kind) == 0
            && let Some(at) = first.citations.iter().rposition(|one| of_kind(one.kind) > 1)
            && let Some(place) = first.citations.get_mut(at)
        {
            *place = citation;
        }
    }
    first.citations.sort_by_key(|citation| weight(citation.kind));
}

fn same_thing(one: &Learned, other: &Learned) -> bool {
    one.is_about_the_same(other) && crate::kinds::spec(one.kind()).is_same(&one.need, &other.need)
}

/// Joins two needs of the same thing, the weightier first.
fn joined_need(first: Need, second: Need, kinds: (EvidenceKind, EvidenceKind)) -> Need {
    match (first, second) {
        (Need::Permission { max_level: one }, Need::Permission { max_level: other }) => {
            // Code alone does not tell up to which level; what states a cap does.
            let stated = match (one, other) {
                (Some(_), Some(other)) if kinds.0 == EvidenceKind::Source && kinds.1 != EvidenceKind::Source => {
                    Some(other)
                }
                (Some(one), Some(other)) => Some(one.max(other)),
                (None, Some(other)) if kinds.1 != EvidenceKind::Source => Some(other),
                (one, _) => one,
            };
            Need::Permission { max_level: stated }
        }
        (Need::Level(one), Need::Level(other)) => Need::Level(one.max(other)),
        (Need::MinVersion(one), Need::MinVersion(other)) => Need::MinVersion(one.max(other)),
        (Need::Entitlement { value: None }, second @ Need::Entitlement { .. }) => second,
        (Need::MetaData { owner, value: None, resource: None }, Need::MetaData { value, resource, .. }) => {
            Need::MetaData { owner, value, resource }
        }
        (first, _) => first,
    }
}

/// Says what is left to say once all files have been read, and puts it in order.
pub(super) fn finish(mut found: Found) -> Evidence {
    for mut learned in std::mem::take(&mut found.named) {
        // Code that only looks whether the app has something does not need it if the notes say so.
        let denied = found.denied.iter().any(|(kind, name)| *kind == learned.kind() && *name == learned.name);
        if denied {
            learned.strength = Strength::Optional;
        }
        join(&mut found.all, learned);
    }
    // What could ask for so much asks for what the app chooses, whichever way the code does it.
    let chosen = asked_for_any(&found.all);
    for learned in found.all.iter_mut().filter(|learned| chosen.contains(&learned.kind()) && !learned.brought) {
        learned.strength = Strength::Optional;
    }
    // What is known for sure is not doubtful.
    let known = &found.all;
    found.doubtful.retain(|doubtful| !known.iter().any(|known| known.is_about_the_same(&doubtful.learned)));
    // An alternative of which one alone is left is not an alternative.
    let groups: Vec<_> = found.all.iter().filter_map(|learned| learned.one_of.clone()).collect();
    for learned in &mut found.all {
        let alone = |group: &String| groups.iter().filter(|other| *other == group).count() < 2;
        if learned.one_of.as_ref().is_some_and(alone) {
            learned.one_of = None;
        }
    }
    found.all.sort_by(|one, other| {
        let key = |learned: &Learned| (learned.need.platform(), learned.kind());
        key(one).cmp(&key(other)).then_with(|| one.name.cmp(&other.name))
    });
    Evidence {
        requirements: found.all,
        doubtful: found.doubtful,
        limits: found.limits,
        files: found.files,
        chosen,
        pods: found.pods,
        globals: found.globals,
        about: found.about,
        for_development: found.for_development,
        runtime_module: found.runtime_module,
        binaries: found.binaries,
        android: None,
    }
}

/// Returns the kinds of which there is so much that nobody needs all of it. What the build brings along, what the system
/// grants without asking and what older levels alone need does not count.
fn asked_for_any(all: &[Learned]) -> Vec<Kind> {
    let endless = |learned: &&Learned| {
        matches!(learned.need, Need::Permission { max_level: None } | Need::Usage) && !learned.brought
    };
    let asked = |learned: &&Learned| learned.kind() != Kind::Permission || is_asked_for(&learned.name);
    let of = |kind: Kind| all.iter().filter(endless).filter(move |one| one.kind() == kind);
    let permissions = of(Kind::Permission).filter(asked).count() > MANY_PERMISSIONS
        || of(Kind::Permission).count() > MANY_OF_ANY_GRANT;
    let purposes = of(Kind::Usage).count() > MANY_KEYS;
    let kinds = [(Kind::Permission, permissions), (Kind::Usage, purposes)];
    kinds.into_iter().filter(|(_, many)| *many).map(|(kind, _)| kind).collect()
}

/// Says whether a permission is one that a person grants, in a dialog or in the settings.
pub(crate) fn is_asked_for(name: &str) -> bool {
    use elvask_platform::android::Grant;
    elvask_platform::android::permission(name).is_none_or(|known| known.grant() != Grant::AtInstall)
}

/// Reads the files of a package and brings together what they show.
// In one piece: one pass over the roles of files, in the order in which what they show wins.
pub(super) fn gather(files: &dyn Files, tree: &Tree) -> Evidence {
    let mut found = Found::default();
    if tree.cut {
        found.limit("the package has more files or deeper folders than are looked at".to_owned());
    }
    let scripts = texts(files, tree, Role::Gradle, &mut found);
    let properties = texts(files, tree, Role::Properties, &mut found);
    let package_json = texts(files, tree, Role::PackageJson, &mut found);
    let around = build::Around {
        properties: properties.iter().map(|(_, text)| text.as_str()).collect(),
        package_json: package_json.first().and_then(|(_, text)| serde_json::from_str(text).ok()),
    };
    for (file, text) in &scripts {
        build::read_gradle(text, &file.shown, &around, &mut found);
    }
    manifests(files, tree, &scripts, &mut found);
    for (_, text) in &scripts {
        build::modules(text).iter().for_each(|name| found.depends_on_module(name));
    }
    let mut descriptions = Descriptions::default();
    for (file, text) in texts(files, tree, Role::Podspec, &mut found) {
        build::read_podspec(&text, &file.shown, &mut found);
        descriptions.read(&text, &file.shown, &mut found.pods, &mut found.binaries);
    }
    for (file, text) in texts(files, tree, Role::AppScript, &mut found) {
        scripts::read(&text, &file.shown, &mut found);
    }
    for (_, text) in texts(files, tree, Role::ModuleConfig, &mut found) {
        scripts::read_module_config(&text, &mut found);
    }
    found.about = about(around.package_json.as_ref(), &texts(files, tree, Role::Pubspec, &mut found));
    compiled_already(tree, &mut found);
    let artifacts: Vec<String> = scripts.iter().flat_map(|(_, text)| build::artifacts(text)).collect();
    fetched(&artifacts, &mut found);
    let sources = tree.files.iter().filter_map(|file| match file.role {
        Role::Source(Family::Jvm) => build::ships(&file.shown, &scripts).then_some((file, Family::Jvm, None)),
        Role::Source(family) => match descriptions.takes(&file.shown) {
            Taken::Always => Some((file, family, None)),
            Taken::Chosen(part) => Some((file, family, Some(part))),
            Taken::Never => None,
        },
        _ => None,
    });
    let sources: Vec<_> = sources.collect();
    let scan = |(file, family, pod): &(&PackageFile, Family, Option<String>)| {
        // Most files use nothing, and leave their room to the next one.
        thread_local!(static BYTES: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) });
        let mut found = Found::default();
        BYTES.with_borrow_mut(|bytes| {
            if bytes_into(files, tree, (file, MAX_SOURCE), bytes, &mut found) {
                source::read(bytes, &file.shown, *family, pod.as_deref(), &mut found);
            }
            bytes.clear();
            bytes.shrink_to(MAX_KEPT);
        });
        found
    };
    let scanned = threads::map(sources.iter().collect(), threads::FEW, scan);
    scanned.into_iter().for_each(|scanned| found.merge(scanned));
    let mut covered = String::new();
    let version = around.package_json.as_ref().and_then(|json| json.get("version")?.as_str().map(str::to_owned));
    let mut noted = Found::default();
    for file in &tree.files {
        let read = |limit: usize, found: &mut Found| bytes(files, tree, file, limit, found);
        match file.role {
            Role::Notes => {
                if let Some(bytes) = read(MAX_NOTES, &mut found) {
                    notes::read(&text_of(bytes), &file.shown, version.as_deref(), &mut noted);
                }
            }
            Role::PluginXml => {
                if let Some(bytes) = read(MAX_NOTES, &mut found) {
                    manifest::read_plugin_xml(&text_of(bytes), &file.shown, &mut found);
                }
            }
            Role::Archive => match files.open(&file.path) {
                Ok(archive) => {
                    found.files += 1;
                    manifest::read_archive(archive, &file.shown, &mut found);
                }
                Err(error) => found.limit(format!("{}: {error}", file.shown)),
            },
            Role::SwiftPackage | Role::Privacy => {
                let Some(bytes) = read(MAX_SOURCE, &mut found) else { continue };
                let text = text_of(bytes);
                match file.role {
                    Role::SwiftPackage => build::read_swift_package(&text, &file.shown, &mut found),
                    _ => covered.push_str(&text),
                }
            }
            _ => {}
        }
    }
    // What the package's own build depends on comes with it.
    noted.all.retain(|learned| {
        let dependency = matches!(learned.need, Need::Gradle { line: GradleLine::Dependency { .. }, .. });
        !dependency || !scripts.iter().any(|(_, text)| text.contains(&learned.name))
    });
    owners::ask_all(files, tree, &sources, &mut noted);
    owners::look_for_classes(&sources, &artifacts, !found.binaries.is_empty(), &mut noted);
    found.merge(noted);
    // What the package's own privacy manifest gives a reason for, the app need not.
    found.all.retain(|learned| learned.kind() != Kind::PrivacyReason || !covered.contains(&learned.name));
    finish(found)
}

/// The longest description that is kept, in characters.
const MAX_ABOUT: usize = 600;

/// Returns what a package says of itself; empty where it describes itself in no words.
fn about(json: Option<&serde_json::Value>, pubspec: &[(&PackageFile, String)]) -> String {
    let text = |key: &str| json.and_then(|json| json.get(key)?.as_str()).unwrap_or_default();
    let keywords = json.and_then(|json| json.get("keywords")?.as_array());
    let keywords: Vec<&str> = keywords.into_iter().flatten().filter_map(serde_json::Value::as_str).collect();
    let described =
        pubspec.iter().flat_map(|(_, text)| text.lines()).find_map(|line| line.strip_prefix("description:"));
    let described = described.unwrap_or_default().trim();
    if text("description").is_empty() && keywords.is_empty() && described.is_empty() {
        return String::new();
    }
    let named = pubspec.iter().flat_map(|(_, text)| text.lines()).find_map(|line| line.strip_prefix("name:"));
    let all = [text("name"), text("description"), &keywords.join(" "), named.unwrap_or_default(), described].join(" ");
    all.to_lowercase().chars().take(MAX_ABOUT).collect()
}

/// Notes what the package's build fetches: what that needs is not looked into.
fn fetched(artifacts: &[String], found: &mut Found) {
    let own = found.pods.names.clone();
    let pods = found.pods.depends.iter().filter(|name| !name.starts_with(':') && !own.contains(name)).cloned();
    let mut names: Vec<String> = pods.collect();
    names.extend(artifacts.iter().cloned());
    names.dedup();
    if names.is_empty() {
        return;
    }
    let shown = names.iter().take(MAX_CITED).cloned().collect::<Vec<_>>().join(", ");
    let more = names.len().saturating_sub(MAX_CITED);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    found.limit(format!("its build fetches more code, which is not looked into: {shown}{more}"));
}

/// Notes what native code the package brings along that is compiled already: nothing tells what it calls.
fn compiled_already(tree: &Tree, found: &mut Found) {
    let last = |shown: &str| shown.rsplit('/').next().unwrap_or(shown).to_owned();
    let archives = tree.files.iter().filter(|file| file.role == Role::Archive).map(|file| last(&file.shown));
    for name in tree.binaries.iter().map(|shown| last(shown)).chain(archives) {
        if !found.binaries.contains(&name) {
            found.binaries.push(name);
        }
    }
    if !found.binaries.is_empty() {
        let named = found.binaries.iter().take(MAX_CITED).cloned().collect::<Vec<_>>().join(", ");
        let more = found.binaries.len().saturating_sub(MAX_CITED);
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        found.limit(format!(
            "it brings native code that is compiled already, so that what it calls is not known: {named}{more}"
        ));
    }
}

/// Returns bytes as a text; what is not text is replaced.
fn text_of(bytes: Vec<u8>) -> String {
    // Looked at in one go, which is quicker than what replaces.
    String::from_utf8(bytes).unwrap_or_else(|error| String::from_utf8_lossy(error.as_bytes()).into_owned())
}

/// Reads a file whole; one that cannot be read, or is over a size, is told.
fn bytes(files: &dyn Files, tree: &Tree, file: &PackageFile, limit: usize, found: &mut Found) -> Option<Vec<u8>> {
    let mut bytes = Vec::new();
    bytes_into(files, tree, (file, limit), &mut bytes, found).then_some(bytes)
}

/// The same into what is there of another file; says whether it was read.
fn bytes_into(
    files: &dyn Files,
    tree: &Tree,
    (file, limit): (&PackageFile, usize),
    bytes: &mut Vec<u8>,
    found: &mut Found,
) -> bool {
    if tree.read.load(Ordering::Relaxed) > MAX_PACKAGE {
        found.limit(format!(
            "it has more than {MAX_PACKAGE} bytes of files that could say something; the rest is not read"
        ));
        return false;
    }
    match files.read_into(&file.path, bytes) {
        Ok(()) if bytes.len() > limit => {
            found.limit(format!("{}: it has {} bytes; more than {limit} are not read", file.shown, bytes.len()));
            false
        }
        Ok(()) => {
            tree.read.fetch_add(bytes.len(), Ordering::Relaxed);
            found.files += 1;
            true
        }
        Err(error) => {
            found.limit(format!("{}: {error}", file.shown));
            false
        }
    }
}

fn texts<'t>(files: &dyn Files, tree: &'t Tree, role: Role, found: &mut Found) -> Vec<(&'t PackageFile, String)> {
    let of_role = tree.files.iter().filter(|file| file.role == role);
    let read = |file: &'t PackageFile| {
        let bytes = bytes(files, tree, file, MAX_NOTES, found)?;
        Some((file, text_of(bytes)))
    };
    of_role.filter_map(read).collect()
}

/// Reads the manifests that the builds of the package's modules take.
fn manifests(files: &dyn Files, tree: &Tree, scripts: &[(&PackageFile, String)], found: &mut Found) {
    let folder = |file: &PackageFile| file.path.parent().map(Path::to_owned).unwrap_or_default();
    let mut named: Vec<(PathBuf, Vec<PathBuf>)> = Vec::new();
    let mut apps = Vec::new();
    for (script, text) in scripts {
        let at = folder(script);
        let app = text.lines().any(|line| {
            line.contains("com.android.application")
                && !line.contains("apply false")
                && !line.trim_start().starts_with("//")
        });
        if app && !text.contains("com.android.library") {
            apps.push(at.clone());
        }
        let manifests = build::named_manifests(text, &at);
        let (there, absent): (Vec<_>, Vec<_>) =
            manifests.into_iter().partition(|path| tree.files.iter().any(|file| file.path == *path));
        for path in absent {
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            found.limit(format!("{}: it names the manifest {name}, which is not in the package", script.shown));
        }
        if !there.is_empty() {
            named.push((at, there));
        }
    }
    for file in tree.files.iter().filter(|file| matches!(file.role, Role::Manifest | Role::OtherXml)) {
        let module = scripts
            .iter()
            .filter(|(script, _)| file.path.starts_with(folder(script)))
            .max_by_key(|(script, _)| script.path.as_os_str().len());
        let of_app = module.is_some_and(|(script, _)| apps.contains(&folder(script)));
        let instead = module.and_then(|(script, _)| named.iter().find(|(at, _)| *at == folder(script)));
        let taken = match (file.role, instead) {
            _ if of_app => false,
            (Role::Manifest | Role::OtherXml, Some((at, named))) => {
                // Another one takes the place of that of the source set `main` alone.
                named.contains(&file.path)
                    || file.role == Role::Manifest
                        && is_of_source_set(&file.shown)
                        && file.path != at.join("src/main/AndroidManifest.xml")
            }
            (Role::Manifest, None) => is_of_source_set(&file.shown),
            _ => false,
        };
        if !taken {
            continue;
        }
        if let Some(bytes) = bytes(files, tree, file, MAX_NOTES, found) {
            let namespace = module.and_then(|(_, text)| build::namespace(text));
            manifest::read(&text_of(bytes), &file.shown, namespace.as_deref(), found);
        }
    }
}

/// Says whether a manifest stands where a build looks for one: in a source set, or beside a build of the old kind.
fn is_of_source_set(shown: &str) -> bool {
    let parts: Vec<_> = shown.split('/').collect();
    match parts.as_slice() {
        [.., "src", _, "AndroidManifest.xml"] => true,
        ["AndroidManifest.xml"] | ["android" | "platforms", .., "AndroidManifest.xml"] => !parts.contains(&"src"),
        _ => false,
    }
}
