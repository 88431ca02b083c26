//! Gradle files read without running them: small builds in `gradle/*.txt`, each with what comes out of its app module.

use std::fmt::Write as _;
use std::path::Path;

use elvask_core::app::App;
use elvask_project::files::Memory;
use elvask_project::gradle::{Source, Stated};
use elvask_project::source::Place;

use crate::support::Case;

fn run(case: &Case) -> String {
    let mut tree = Memory::app([("package.json", "{}")]);
    for (head, text) in &case.sections {
        tree.put(format!("/app/android/{head}"), text);
    }
    tree.put("/app/android/app/src/main/AndroidManifest.xml", "<manifest/>");
    let app = App::load(&tree, Path::new("/app"), &[]).unwrap();
    let android = app.android.as_ref().unwrap();
    let module = &android.modules[0];
    let at = |place: Place| {
        let file = app.sources.file(place.file).shown.trim_start_matches("android/").to_owned();
        format!("{file}:{}", app.sources.position(place).line)
    };
    let mut out = String::new();
    let mut line = |name: &str, text: Option<String>, written: &Option<String>, place: Option<Place>| {
        if let Some(place) = place {
            let text = text.unwrap_or_else(|| format!("unknown, {}", written.clone().unwrap_or_default()));
            let _ = writeln!(out, "{name} = {text} @{}", at(place));
        }
    };
    let number = |stated: &Stated<u32>| stated.value.map(|value| value.to_string());
    line("namespace", module.namespace.value.clone(), &module.namespace.written, module.namespace.place);
    line("compile", number(&module.compile_level), &module.compile_level.written, module.compile_level.place);
    for rules in module.build_types.iter().chain([&module.default]).flat_map(|config| &config.keep_rules) {
        line("keep rules", rules.value.clone(), &rules.written, rules.place);
    }
    for variant in &android.variants {
        let name = |what: &str| format!("{} {what}", variant.name);
        line(&name("id"), variant.id.value.clone(), &variant.id.written, variant.id.place);
        line(&name("min"), number(&variant.min_level), &variant.min_level.written, variant.min_level.place);
        line(&name("target"), number(&variant.target_level), &variant.target_level.written, variant.target_level.place);
        line(
            &name("version"),
            variant.version_name.value.clone(),
            &variant.version_name.written,
            variant.version_name.place,
        );
        line(&name("code"), number(&variant.version_code), &variant.version_code.written, variant.version_code.place);
        for (key, value) in &variant.placeholders {
            line(&name(&format!("${{{key}}}")), value.value.clone(), &value.written, value.place);
        }
    }
    for one in &module.applied {
        let version = one.version.as_ref().map(|version| format!(" {version}")).unwrap_or_default();
        let _ = writeln!(out, "plugin {}{version}", one.id);
    }
    for (name, _) in &module.repositories {
        let _ = writeln!(out, "repository {name}");
    }
    for one in &module.dependencies {
        let source = match &one.source {
            Source::Artifact { group, name, version } => {
                format!("{group}:{name}:{}", version.as_deref().unwrap_or("-"))
            }
            Source::Module(name) => format!("module {name}"),
            Source::Unknown(written) => format!("unknown {written}"),
        };
        let ships = if one.ships() { "" } else { ", does not ship" };
        let _ = writeln!(out, "{} {source}{ships}", one.configuration);
    }
    for one in &app.unresolved {
        let _ = writeln!(out, "unresolved: {} @{}", one.what, at(one.place));
    }
    out.trim_end().to_owned()
}

#[test]
fn cases_come_out_as_written() {
    crate::support::run_all("gradle", 25, run);
}
