//! The variants of an app module: each build type with one flavor of every dimension.
//!
//! Source: "Configure build variants" in the platform's build documentation.

use std::path::PathBuf;

use super::{Config, LibraryBuild, Module, Stated};
use crate::files::Files;

/// The most variants that are looked at; a build with more of them is cut off.
pub const MAX_VARIANTS: usize = 200;

/// A source set that has a manifest.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceSet {
    /// Its name: `main`, `release`, `free`, `freeRelease`.
    pub name: String,
    /// Its manifest.
    pub manifest: PathBuf,
}

/// One variant of an app.
#[derive(Debug, Clone)]
pub struct Variant {
    /// Its name: `freeRelease`.
    pub name: String,
    /// Its build type.
    pub build_type: String,
    /// Its flavors, the strongest dimension first.
    pub flavors: Vec<String>,
    /// The application id, suffixes included.
    pub id: Stated<String>,
    /// The lowest level that it runs on.
    pub min_level: Stated<u32>,
    /// The level that it is built for.
    pub target_level: Stated<u32>,
    /// The version that people see.
    pub version_name: Stated<String>,
    /// The version that the system compares.
    pub version_code: Stated<u32>,
    /// The values that are put into its manifest.
    pub placeholders: Vec<(String, Stated<String>)>,
    /// Whether there may be more placeholders than could be read.
    pub more_placeholders: bool,
    /// The source sets with a manifest, the strongest first; `main` is the last.
    pub source_sets: Vec<SourceSet>,
}

impl Variant {
    /// Says whether it is one of those that ship, unless told otherwise.
    #[must_use]
    pub fn is_release(&self) -> bool {
        self.build_type == "release"
    }

    /// Says whether a dependency of this configuration becomes part of the variant: `freeImplementation` only of `free`.
    #[must_use]
    pub fn takes(&self, configuration: &str) -> bool {
        let lower = configuration.to_ascii_lowercase();
        let kinds = ["implementation", "api", "compile", "runtimeonly"];
        let Some(prefix) = kinds.iter().find_map(|kind| lower.strip_suffix(kind)) else { return false };
        let combined = self.flavors.concat();
        let own = |name: &str| name.eq_ignore_ascii_case(prefix);
        prefix.is_empty()
            || own(&self.build_type)
            || own(&self.name)
            || own(&combined)
            || self.flavors.iter().any(|flavor| own(flavor))
    }
}

fn capital(name: &str) -> String {
    let mut characters = name.chars();
    characters.next().map(|first| first.to_uppercase().chain(characters).collect()).unwrap_or_default()
}

/// Puts names together as source sets and variants are named: `free`, `Demo` → `freeDemo`.
fn joined(names: &[&str]) -> String {
    let mut names = names.iter();
    let first = names.next().copied().unwrap_or_default().to_owned();
    names.fold(first, |name, next| name + &capital(next))
}

impl Module {
    /// Returns the variants of the module, those of the release build type first.
    #[must_use]
    pub fn variants(&self, files: &dyn Files) -> Vec<Variant> {
        let mut dimensions = self.dimensions.clone();
        // A single dimension need not be named by its flavors.
        for flavor in &self.flavors {
            let named = flavor.dimension.clone().unwrap_or_default();
            if dimensions.is_empty() || (!named.is_empty() && !dimensions.contains(&named)) {
                dimensions.push(named);
            }
        }
        let mut combinations: Vec<Vec<&Config>> = vec![Vec::new()];
        for dimension in &dimensions {
            let only = dimensions.len() == 1;
            let of =
                |flavor: &&Config| flavor.dimension.as_ref() == Some(dimension) || (only && flavor.dimension.is_none());
            let flavors: Vec<_> = self.flavors.iter().filter(of).collect();
            if flavors.is_empty() {
                continue;
            }
            combinations = combinations
                .iter()
                .flat_map(|combination| {
                    flavors.iter().map(|flavor| combination.iter().copied().chain([*flavor]).collect())
                })
                .take(MAX_VARIANTS)
                .collect();
        }
        let types = self.build_types.iter();
        let mut types: Vec<_> = types.collect();
        types.sort_by_key(|one| one.name != "release");
        let all = types.iter().flat_map(|one| combinations.iter().map(|flavors| self.variant(files, one, flavors)));
        all.take(MAX_VARIANTS).collect()
    }

    fn variant(&self, files: &dyn Files, build_type: &Config, flavors: &[&Config]) -> Variant {
        let names: Vec<_> = flavors.iter().map(|flavor| flavor.name.as_str()).collect();
        let name = joined(&names.iter().copied().chain([build_type.name.as_str()]).collect::<Vec<_>>());
        // The strongest flavor that states something wins over the others, and over what holds for all variants.
        let stating: Vec<&Config> = flavors.iter().copied().chain([&self.default]).collect();
        let mut id = strongest(&stating, |config| &config.id);
        if !id.is_stated() {
            // Without an id of its own, an app goes by its namespace.
            id = self.namespace.clone();
        }
        // Flavors put their suffixes in the order of the dimensions, the build type puts its own last.
        let suffixes = [&self.default].into_iter().chain(flavors.iter().copied()).chain([build_type]);
        for suffix in suffixes.clone().map(|config| &config.id_suffix).filter(|suffix| suffix.is_stated()) {
            append(&mut id, suffix, ".");
        }
        let mut version_name = strongest(&stating, |config| &config.version_name);
        for suffix in suffixes.map(|config| &config.version_suffix).filter(|suffix| suffix.is_stated()) {
            append(&mut version_name, suffix, "");
        }
        let mut placeholders: Vec<(String, Stated<String>)> = Vec::new();
        let weakest_first = [&self.default].into_iter().chain(flavors.iter().rev().copied()).chain([build_type]);
        let more_placeholders = weakest_first.clone().any(|config| config.unknown_placeholders.is_some());
        // A Gradle plugin or script of others may set placeholders of its own.
        let platforms = ["com.android.", "org.jetbrains.kotlin", "kotlin-", "maven-publish"];
        let others = self.applied.iter().any(|applied| !platforms.iter().any(|prefix| applied.id.starts_with(prefix)));
        for (key, value) in weakest_first.flat_map(|config| &config.placeholders) {
            placeholders.retain(|(other, _)| other != key);
            placeholders.push((key.clone(), value.clone()));
        }
        let mut sets = vec![name.clone(), build_type.name.clone()];
        if names.len() > 1 {
            sets.push(joined(&names));
        }
        sets.extend(names.iter().map(|name| (*name).to_owned()));
        sets.dedup();
        let source_sets = sets.into_iter().filter_map(|name| {
            let manifest = self.manifest_of(&name);
            files.is_file(&manifest).then_some(SourceSet { name, manifest })
        });
        let mut source_sets: Vec<_> = source_sets.collect();
        source_sets.push(SourceSet { name: "main".to_owned(), manifest: self.manifest_of("main") });
        Variant {
            name,
            build_type: build_type.name.clone(),
            flavors: names.into_iter().map(str::to_owned).collect(),
            id,
            min_level: strongest(&stating, |config| &config.min_level),
            target_level: strongest(&stating, |config| &config.target_level),
            version_name,
            version_code: strongest(&stating, |config| &config.version_code),
            placeholders,
            more_placeholders: more_placeholders || others,
            source_sets,
        }
    }

    /// Returns what it says of itself as a library.
    #[must_use]
    pub fn library(&self) -> LibraryBuild {
        LibraryBuild {
            namespace: self.namespace.value.clone(),
            min_level: self.default.min_level.value,
            target_level: self.default.target_level.value,
            manifest: self.manifest_of("main"),
        }
    }

    /// Returns where the manifest of a source set stands, if it has one.
    #[must_use]
    pub fn manifest_of(&self, set: &str) -> PathBuf {
        let told = self.manifests.iter().rev().find(|(name, _)| name == set).map(|(_, path)| path.clone());
        told.unwrap_or_else(|| self.folder.join("src").join(set).join("AndroidManifest.xml"))
    }
}

/// Returns what the first of these blocks states that states it at all.
fn strongest<T: Clone>(blocks: &[&Config], pick: fn(&Config) -> &Stated<T>) -> Stated<T> {
    blocks.iter().map(|config| pick(config)).find(|stated| stated.is_stated()).cloned().unwrap_or_default()
}

/// Puts a suffix behind a text; what is not known in one part is not known of the whole.
fn append(text: &mut Stated<String>, suffix: &Stated<String>, separator: &str) {
    match (&mut text.value, &suffix.value) {
        (Some(value), Some(suffix)) => {
            if !suffix.starts_with(separator) {
                value.push_str(separator);
            }
            value.push_str(suffix);
        }
        (_, None) => *text = suffix.clone(),
        (None, Some(_)) => {}
    }
}
