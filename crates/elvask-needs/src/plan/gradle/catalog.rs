//! Version catalogs.
//!
//! Source: "Version catalogs" of the Gradle user manual.

use elvask_project::scene::Scene;
use toml::de::DeTable;

/// Returns how a script names a Gradle plugin that the build's catalog has: `libs.plugins.knot.services`.
pub(crate) fn alias(scene: &Scene<'_>, id: &str) -> Option<String> {
    let file = scene.sources.all().find(|file| file.shown.ends_with("gradle/libs.versions.toml"))?;
    let table = DeTable::parse(&file.text).ok()?;
    let plugins = table.get_ref().get("plugins")?.get_ref().as_table()?;
    let (key, _) = plugins.iter().find(|(_, stated)| {
        let stated = stated.get_ref();
        let written = stated.as_str().and_then(|text| text.split(':').next());
        let named = stated.as_table().and_then(|table| table.get("id")?.get_ref().as_str());
        written.or(named) == Some(id)
    })?;
    let accessor = key.get_ref().replace(['-', '_'], ".");
    Some(format!("libs.plugins.{accessor}"))
}
