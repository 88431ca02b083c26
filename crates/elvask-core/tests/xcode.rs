//! Xcode projects: small cases in `xcode/*.txt`, each a project in a few words, the files beside it, and what comes out.
//!
//! The words are turned into a whole project file in the manner of the Xcode generation that `version` names. With
//! `ELVASK_WRITE_CASES=1` what comes out is written into the files, to be read before it is believed.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::Path;

use elvask_core::app::{App, Choice};
use elvask_core::needs::Settings;
use elvask_core::{check, fill};
use elvask_markup::openstep::{self, plan::quote};
use elvask_project::files::Memory;
use elvask_project::source::Place;
use elvask_project::surface::Surface;
use elvask_project::xcode;

use crate::support::Case;

#[derive(Default)]
struct Owner {
    /// Settings by configuration, with `base` among them.
    settings: BTreeMap<String, Vec<(String, String)>>,
}

/// Writes a project file from its description.
fn project(words: &str) -> String {
    let mut version = 56;
    let mut of_project = Owner::default();
    let mut targets: Vec<(String, String, Owner)> = Vec::new();
    let (mut embeds, mut resources, mut folders, mut left_out) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for line in words.lines().filter(|line| !line.trim().is_empty()) {
        let parts: Vec<_> = line.split_whitespace().collect();
        match parts.as_slice() {
            ["version", number] => version = number.parse().unwrap(),
            ["embeds", outer, inner] => embeds.push((outer.to_string(), inner.to_string())),
            ["resource", target, path] => resources.push((target.to_string(), path.to_string())),
            ["folder", target, path] => folders.push((target.to_string(), path.to_string())),
            ["except", target, path] => left_out.push((target.to_string(), path.to_string())),
            ["target", name, kind] => targets.push((name.to_string(), kind.to_string(), Owner::default())),
            [owner, configuration, rest @ ..] => {
                let owner = match *owner {
                    "project" => &mut of_project,
                    name => &mut targets.iter_mut().find(|target| target.0 == name).unwrap().2,
                };
                let list = owner.settings.entry(configuration.to_string()).or_default();
                match rest {
                    [] => {}
                    ["base", ..] => {
                        let path = line.split_once(" base ").unwrap().1.trim();
                        list.push(("base".to_owned(), path.to_owned()));
                    }
                    [name, "=", ..] => {
                        let value = line.split_once(&format!("{name} =")).unwrap().1.trim();
                        list.push((name.to_string(), value.to_owned()));
                    }
                    other => panic!("{other:?}"),
                }
            }
            other => panic!("{other:?}"),
        }
    }
    if of_project.settings.is_empty() {
        of_project.settings.insert("Release".to_owned(), Vec::new());
    }
    let mut out = String::from("// !$*UTF8*$!\n{\n\tarchiveVersion = 1;\n\tclasses = {\n\t};\n");
    let _ = writeln!(out, "\tobjectVersion = {version};\n\tobjects = {{\n");
    let mut references: Vec<(String, String)> = Vec::new();
    let mut reference = |path: &str| {
        let id = format!("F0{:022X}", references.len() + 1);
        match references.iter().find(|(_, known)| known == path) {
            Some((id, _)) => id.clone(),
            None => {
                references.push((id.clone(), path.to_owned()));
                id
            }
        }
    };
    let mut lists = String::new();
    let mut configurations = String::new();
    let owners: Vec<(&str, &Owner)> = std::iter::once(("P", &of_project))
        .chain(targets.iter().map(|(name, _, owner)| (name.as_str(), owner)))
        .collect();
    for (name, owner) in owners {
        let mut ids = Vec::new();
        for (configuration, settings) in &owner.settings {
            let id = format!("C_{name}_{configuration}").replace(' ', "_");
            let _ = writeln!(configurations, "\t\t{id} /* {configuration} */ = {{\n\t\t\tisa = XCBuildConfiguration;");
            for (_, path) in settings.iter().filter(|(key, _)| key == "base") {
                let _ = writeln!(configurations, "\t\t\tbaseConfigurationReference = {};", reference(path));
            }
            configurations.push_str("\t\t\tbuildSettings = {\n");
            let mut sorted: Vec<_> = settings.iter().filter(|(key, _)| key != "base").collect();
            sorted.sort();
            for (key, value) in sorted {
                let written = if value.starts_with('(') { value.clone() } else { quote(value) };
                let _ = writeln!(configurations, "\t\t\t\t{} = {written};", quote(key));
            }
            let _ = writeln!(configurations, "\t\t\t}};\n\t\t\tname = {};\n\t\t}};", quote(configuration));
            ids.push(format!("\t\t\t\t{id} /* {configuration} */,\n"));
        }
        let _ = writeln!(
            lists,
            "\t\tL_{name} = {{\n\t\t\tisa = XCConfigurationList;\n\t\t\tbuildConfigurations = (\n{}\t\t\t);\n\t\t\tdefaultConfigurationName = Release;\n\t\t}};",
            ids.concat()
        );
    }
    let mut native = String::new();
    for (name, kind, _) in &targets {
        let product = match kind.as_str() {
            "app" => "application",
            "extension" => "app-extension",
            "clip" => "application.on-demand-install-capable",
            "watch" => "application.watchapp2",
            "tests" => "bundle.unit-test",
            other => other,
        };
        let needs: String = embeds
            .iter()
            .filter(|(outer, _)| outer == name)
            .map(|(_, inner)| format!("\t\t\t\tD_{name}_{inner},\n"))
            .collect();
        let groups: String =
            folders.iter().filter(|(owner, _)| owner == name).map(|(_, path)| format!("\t\t\t\tG_{path},\n")).collect();
        let groups = if groups.is_empty() {
            String::new()
        } else {
            format!("\t\t\tfileSystemSynchronizedGroups = (\n{groups}\t\t\t);\n")
        };
        let _ = writeln!(
            native,
            "\t\tT_{name} /* {name} */ = {{\n\t\t\tisa = PBXNativeTarget;\n\t\t\tbuildConfigurationList = L_{name};\n\t\t\tbuildPhases = (\n\t\t\t\tR_{name} /* Resources */,\n\t\t\t);\n\t\t\tdependencies = (\n{needs}\t\t\t);\n{groups}\t\t\tname = {name};\n\t\t\tproductType = \"com.apple.product-type.{product}\";\n\t\t}};"
        );
        let own: Vec<_> =
            resources.iter().filter(|(owner, _)| owner == name).map(|(_, path)| reference(path)).collect();
        let files: String = own.iter().map(|id| format!("\t\t\t\tB_{id},\n")).collect();
        let _ = writeln!(native, "\t\tR_{name} = {{isa = PBXResourcesBuildPhase; files = (\n{files}\t\t\t); }};");
        for id in own {
            let _ = writeln!(native, "\t\tB_{id} = {{isa = PBXBuildFile; fileRef = {id}; }};");
        }
    }
    for (outer, inner) in &embeds {
        let _ = writeln!(native, "\t\tD_{outer}_{inner} = {{isa = PBXTargetDependency; target = T_{inner}; }};");
    }
    for (owner, path) in &folders {
        let inside: String = left_out
            .iter()
            .filter(|(target, _)| target == owner)
            .map(|(_, path)| format!("\t\t\t\t{},\n", quote(path)))
            .collect();
        let _ = writeln!(
            native,
            "\t\tX_{path} = {{isa = PBXFileSystemSynchronizedBuildFileExceptionSet; membershipExceptions = (\n{inside}\t\t\t); target = T_{owner}; }};\n\t\tG_{path} = {{isa = PBXFileSystemSynchronizedRootGroup; exceptions = (X_{path}, ); path = {path}; sourceTree = \"<group>\"; }};"
        );
    }
    out.push_str("/* Begin PBXFileReference section */\n");
    for (id, path) in &references {
        let name = path.rsplit('/').next().unwrap();
        let _ = writeln!(
            out,
            "\t\t{id} /* {name} */ = {{isa = PBXFileReference; lastKnownFileType = text; path = {}; sourceTree = \"<group>\"; }};",
            quote(path)
        );
    }
    out.push_str(
        "/* End PBXFileReference section */\n\n\t\tM /* main */ = {\n\t\t\tisa = PBXGroup;\n\t\t\tchildren = (\n",
    );
    for (id, _) in &references {
        let _ = writeln!(out, "\t\t\t\t{id},");
    }
    out.push_str("\t\t\t);\n\t\t\tsourceTree = \"<group>\";\n\t\t};\n");
    out.push_str(&native);
    let ids: String = targets.iter().map(|(name, _, _)| format!("\t\t\t\tT_{name} /* {name} */,\n")).collect();
    let _ = writeln!(
        out,
        "\t\tP /* Project object */ = {{\n\t\t\tisa = PBXProject;\n\t\t\tbuildConfigurationList = L_P;\n\t\t\tdevelopmentRegion = en;\n\t\t\tmainGroup = M;\n\t\t\ttargets = (\n{ids}\t\t\t);\n\t\t}};"
    );
    out.push_str(&configurations);
    out.push_str(&lists);
    out.push_str("\t};\n\trootObject = P /* Project object */;\n}\n");
    out
}

/// Returns an app with a project, and the files that other sections hold.
fn tree(words: &str, files: &[(String, String)]) -> Memory {
    let mut tree = Memory::app([("package.json", "{}")]);
    tree.put("/app/ios/Marram.xcodeproj/project.pbxproj", project(words));
    for (head, text) in files {
        if let Some(path) = head.strip_prefix("file ") {
            tree.put(format!("/app/ios/{path}"), text);
        }
    }
    tree
}

fn run(case: &Case) -> String {
    let section = |name: &str| {
        let found = case.sections.iter().find(|(head, _)| head == name);
        found.map(|(_, body)| body.as_str()).unwrap_or_default()
    };
    let mut choice = Choice::default();
    for line in section("options").lines() {
        match line.split_once(' ').unwrap() {
            ("target", name) => choice.target = Some(name.to_owned()),
            ("configuration", name) => choice.configuration = Some(name.to_owned()),
            other => panic!("{other:?}"),
        }
    }
    let tree = tree(section("project"), &case.sections);
    let app = match App::load_choice(&tree, Path::new("/app"), &choice) {
        Ok(app) => app,
        Err(error) => return format!("error: {error}"),
    };
    let mut out = String::new();
    let at = |place: Option<Place>| match place {
        Some(place) => {
            let file = app.sources.file(place.file);
            let line = file.text.lines().nth(app.sources.position(place).line - 1).unwrap_or_default().trim();
            format!("  @{}: {line}", file.shown.trim_start_matches("ios/").rsplit('/').next().unwrap())
        }
        None => String::new(),
    };
    let stated = |value: Option<String>, written: &Option<String>| match (value, written) {
        (Some(value), _) => value,
        (None, Some(written)) => format!("unknown {written}"),
        (None, None) => "-".to_owned(),
    };
    match &app.ios {
        None => out.push_str("no iOS side\n"),
        Some(ios) => {
            let _ = writeln!(out, "target {} {}", ios.target.as_deref().unwrap_or("-"), ios.configuration);
            let _ = writeln!(out, "id {}{}", stated(ios.id.value.clone(), &ios.id.written), at(ios.id.place));
            let min = &ios.min_version;
            let _ = writeln!(
                out,
                "min {}{}",
                stated(min.value.map(|version| version.to_string()), &min.written),
                at(min.place)
            );
            if ios.version.is_stated() {
                let _ = writeln!(
                    out,
                    "version {} {}",
                    stated(ios.version.value.clone(), &ios.version.written),
                    stated(ios.build.value.clone(), &ios.build.written)
                );
            }
            let plist =
                if ios.generated { "made by the build".to_owned() } else { ios.plist_path.display().to_string() };
            let _ = writeln!(out, "plist {}", plist.trim_start_matches("/app/ios/"));
            let surface = Surface::read(&app, &app.sources);
            if let Some(plist) = surface.plist(&app) {
                for entry in plist.entries() {
                    let value = entry.value.as_str().map(|text| match plist.resolved(text) {
                        Some(text) => format!("{text:?}"),
                        None => format!("unknown {text:?}"),
                    });
                    let array = entry.value.as_array().map(|values| format!("{} values", values.len()));
                    let value = value.or(array).unwrap_or_else(|| format!("{:?}", entry.value.kind));
                    let made = plist
                        .made_from(&entry.value)
                        .map(|made| format!(" made from {}", made.setting))
                        .unwrap_or_default();
                    let _ = writeln!(out, "  {} = {value}{made}", entry.key);
                }
                for made in plist.idle() {
                    let _ = writeln!(out, "  idle {}", made.setting);
                }
            }
            for one in &ios.entitlements {
                let path = one.path.as_ref().map_or("-".to_owned(), |path| path.display().to_string());
                let there = if one.file.is_some() { "" } else { " not there" };
                let _ =
                    writeln!(out, "entitlements {} {}{there}", one.configuration, path.trim_start_matches("/app/ios/"));
            }
            for text in &ios.texts {
                let _ = writeln!(out, "text {} {} = {}{}", text.language, text.key, text.text, at(Some(text.place)));
            }
            for _ in &ios.privacy {
                out.push_str("privacy manifest\n");
            }
            for one in &ios.extensions {
                let plist = if one.plist.is_some() { "with a plist" } else { "without a plist" };
                let _ = writeln!(
                    out,
                    "embeds {} {:?} {} {plist}",
                    one.name,
                    one.product,
                    stated(one.id.value.clone(), &one.id.written)
                );
            }
        }
    }
    for one in &app.unresolved {
        let _ = writeln!(out, "unresolved: {}{}", one.what, at(Some(one.place)));
    }
    for notice in &app.notices {
        let _ = writeln!(out, "notice: {notice}");
    }
    for fault in &app.faults {
        let _ = writeln!(out, "fault: {}{}", fault.message, at(Some(fault.place)));
    }
    out.trim_end().to_owned()
}

#[test]
fn cases_come_out_as_written() {
    crate::support::run_all("xcode", 40, run);
}

/// Many ask for the settings of one target, and a file that is read later must count for those who ask then.
#[test]
fn settings_hold_until_another_file_is_read() {
    let words = "project Release SDKROOT = iphoneos\nproject Debug SDKROOT = iphoneos\ntarget Marram app\nMarram Debug NAME = first\n\
        Marram Release base Release.xcconfig\nMarram Release NAME = $(FROM_FILE)\n";
    let text = project(words);
    let path = "/app/ios/Marram.xcodeproj/project.pbxproj";
    let files = Memory::app([
        ("ios/Marram.xcodeproj/project.pbxproj", text.as_str()),
        ("ios/Release.xcconfig", "FROM_FILE = second\n"),
    ]);
    let mut loading = elvask_project::loading::Loading::new(&files, Path::new("/app"));
    let file = loading.add(Path::new(path), text.clone());
    let parse = || xcode::Project::parse(file, text.as_str(), "/app/ios".into(), "Marram".to_owned()).unwrap();
    let parsed = parse();
    let target = parsed.targets.iter().find(|target| target.name == "Marram").unwrap();
    let mut configs = xcode::ConfigFiles::default();
    let name = |configs: &xcode::ConfigFiles, project: &xcode::Project, configuration: &str| {
        project.settings(target, configuration, configs).value("NAME").and_then(|found| found.value)
    };
    for _ in 0..2 {
        assert_eq!(name(&configs, &parsed, "Debug").as_deref(), Some("first"));
        assert_eq!(name(&configs, &parsed, "Release"), None, "nothing that was read sets it");
    }
    let settings = |configs: &xcode::ConfigFiles| parsed.settings(target, "Release", configs);
    assert!(std::sync::Arc::ptr_eq(&settings(&configs), &settings(&configs)));
    parsed.read_config_files(&mut loading, target, "Release", &mut configs);
    assert_eq!(name(&configs, &parsed, "Release").as_deref(), Some("second"));
    // Another text of the project has settings of its own.
    let other = text.replace("first", "third");
    let other = xcode::Project::parse(file, other, "/app/ios".into(), "Marram".to_owned()).unwrap();
    assert_eq!(name(&configs, &other, "Debug").as_deref(), Some("third"));
    assert_eq!(name(&configs, &parse(), "Debug").as_deref(), Some("first"));
}

const PLAIN: &str = "version 54\nproject Debug SDKROOT = iphoneos\nproject Release SDKROOT = iphoneos\ntarget Marram app\nMarram Debug PRODUCT_NAME = Marram\nMarram Release PRODUCT_NAME = Marram\nMarram Release ZED = 1\n";

/// Reads a project, has it edited, and returns the text before and after.
fn edited(
    words: &str,
    restyle: fn(&str) -> String,
    edit: impl Fn(&xcode::Project, &str) -> Vec<elvask_markup::Edit>,
) -> (String, String) {
    let text = restyle(&project(words));
    let mut sources = elvask_project::source::Sources::new(Path::new("/app"));
    let file = sources.add(Path::new("/app/ios/Marram.xcodeproj/project.pbxproj"), text.clone());
    let parsed = xcode::Project::parse(file, text.as_str(), "/app/ios".into(), "Marram".to_owned()).unwrap();
    let mut set = elvask_markup::EditSet::new();
    set.add(&edit(&parsed, &text)).unwrap();
    let after = set.apply(&text).unwrap();
    (text, after)
}

/// Returns the lines that an edit added; every other line must be as it was.
fn added(before: &str, after: &str) -> Vec<String> {
    let mut rest = before.split_inclusive('\n');
    let mut next = rest.next();
    let mut added = Vec::new();
    for line in after.split_inclusive('\n') {
        if next == Some(line) {
            next = rest.next();
        } else {
            added.push(line.trim().to_owned());
        }
    }
    assert_eq!(next, None, "a line is gone:\n{after}");
    added
}

#[test]
fn a_build_setting_is_added_to_every_configuration_and_nothing_else_changes() {
    for restyle in
        [str::to_owned as fn(&str) -> String, |text| text.replace('\n', "\r\n"), |text| text.replace('\t', "    ")]
    {
        let (before, after) = edited(PLAIN, restyle, |project, text| {
            let target = project.target_named("Marram").unwrap();
            xcode::add_build_setting(
                project,
                text,
                target,
                "INFOPLIST_KEY_NSCameraUsageDescription",
                "Photographs the ring.",
            )
        });
        let line = "INFOPLIST_KEY_NSCameraUsageDescription = \"Photographs the ring.\";";
        assert_eq!(added(&before, &after), [line, line]);
        assert!(openstep::parse(&after).is_ok());
    }
}

#[test]
fn an_entitlements_file_is_wired_with_a_reference_and_nothing_else_changes() {
    let (before, after) = edited(PLAIN, str::to_owned, |project, text| {
        xcode::wire_entitlements(project, text, project.target_named("Marram").unwrap(), "Marram/Marram.entitlements")
    });
    let setting = "CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements;";
    // This project has no file reference yet, so that there is no section to add one to.
    assert_eq!(added(&before, &after), [setting, setting]);
    let words = format!("{PLAIN}resource Marram Marram/nl.lproj/InfoPlist.strings\n");
    let (before, after) = edited(&words, str::to_owned, |project, text| {
        xcode::wire_entitlements(project, text, project.target_named("Marram").unwrap(), "Marram/Marram.entitlements")
    });
    let lines = added(&before, &after);
    assert_eq!(lines.len(), 4, "{lines:?}");
    let id = lines[0].split(' ').next().unwrap();
    assert_eq!((id.len(), lines[1].as_str()), (24, format!("{id} /* Marram.entitlements */,").as_str()));
    assert!(lines[0].contains("isa = PBXFileReference; lastKnownFileType = text.plist.entitlements; name = Marram.entitlements; path = Marram/Marram.entitlements;"), "{lines:?}");
    // A second time there is nothing left to do.
    let mut sources = elvask_project::source::Sources::new(Path::new("/app"));
    let file = sources.add(Path::new("/p"), after.clone());
    let parsed = xcode::Project::parse(file, after.as_str(), "/app/ios".into(), "Marram".to_owned()).unwrap();
    let target = parsed.target_named("Marram").unwrap();
    assert!(xcode::wire_entitlements(&parsed, &after, target, "Marram/Marram.entitlements").is_empty());
}

#[test]
fn in_a_folder_kept_in_step_a_file_needs_no_reference() {
    let words =
        format!("{PLAIN}folder Marram Marram\nresource Marram x/nl.lproj/InfoPlist.strings\n").replace("54", "77");
    let (before, after) = edited(&words, str::to_owned, |project, text| {
        xcode::wire_entitlements(project, text, project.target_named("Marram").unwrap(), "Marram/Marram.entitlements")
    });
    assert_eq!(added(&before, &after).len(), 2);
}

#[test]
fn fill_writes_purposes_where_the_build_makes_the_list() {
    let words = "version 77\nproject Release SDKROOT = iphoneos\ntarget Marram app\nMarram Debug GENERATE_INFOPLIST_FILE = YES\nMarram Debug PRODUCT_NAME = Marram\nMarram Release GENERATE_INFOPLIST_FILE = YES\nMarram Release INFOPLIST_KEY_NSMicrophoneUsageDescription =\n";
    let mut tree = tree(words, &[]);
    tree.put("/app/package.json", "{\"dependencies\":{\"tern_camera\":\"1\"}}");
    tree.put("/app/node_modules/tern_camera/package.json", "{\"version\":\"1.0.0\"}");
    let sheet = "sheet = 1\nplugin = 'tern_camera'\n[[requires]]\ncapability = 'camera'\n[[requires]]\ncapability = 'microphone'\n[[requires]]\nios.query-scheme = 'tel'\n";
    tree.put("/app/node_modules/tern_camera/elvask-sheet.toml", sheet);
    let app = App::load(&tree, Path::new("/app"), &[]).unwrap();
    let mut settings = Settings::default();
    for name in ["camera", "microphone"] {
        settings.purposes.push((name.to_owned(), format!("Uses the {name}, \"so\".")));
    }
    let report = check::check(&app, &settings);
    let found: Vec<_> = report.findings.iter().map(|finding| (finding.rule.id, finding.remedy.kind())).collect();
    for wanted in [("purpose-missing", "edit"), ("purpose-empty", "edit"), ("query-scheme-missing", "manual")] {
        assert!(found.contains(&wanted), "{found:?}");
    }
    let filled = fill::fill(&app, &settings).unwrap_or_else(|error| panic!("{error}: {:#?}", report.findings));
    let [file] = filled.changed.as_slice() else { panic!("{:?}", filled.changed) };
    let after = &filled.sources.file(*file).text;
    for key in ["Camera", "Microphone"] {
        let line = format!("INFOPLIST_KEY_NS{key}UsageDescription = \"Uses the {}, \\\"so\\\".\";", key.to_lowercase());
        assert_eq!(after.matches(&line).count(), 2, "{after}");
    }
    let left: Vec<_> = filled.left.findings.iter().map(|finding| finding.rule.id).collect();
    assert_eq!(left, ["query-scheme-missing", "not-judged"], "there is no Android side");
    let again = app.clone().with_sources(filled.sources.clone());
    assert!(fill::fill(&again, &settings).unwrap().changed.is_empty());
}

#[test]
fn what_a_made_key_lacks_is_told_at_its_setting_and_not_written_elsewhere() {
    let words = "version 77\ntarget Marram app\nMarram Release GENERATE_INFOPLIST_FILE = YES\nMarram Release INFOPLIST_KEY_UIRequiredDeviceCapabilities = arm64\nMarram Release INFOPLIST_KEY_UIUserInterfaceStyle = Light\n";
    let mut tree = tree(words, &[]);
    tree.put("/app/package.json", "{\"dependencies\":{\"p\":\"1\"}}");
    tree.put("/app/node_modules/p/package.json", "{}");
    let sheet = "sheet = 1\n[[requires]]\nios.plist = { key = 'UIRequiredDeviceCapabilities', value = ['nfc'] }\n[[requires]]\nios.plist = { key = 'UIUserInterfaceStyle', value = 'Dark' }\n";
    tree.put("/app/node_modules/p/elvask-sheet.toml", sheet);
    let app = App::load(&tree, Path::new("/app"), &[]).unwrap();
    let settings = Settings { consents: vec!["UIUserInterfaceStyle".to_owned()], ..Settings::default() };
    let report = check::check(&app, &settings);
    let found: Vec<_> = report
        .findings
        .iter()
        .map(|one| {
            let file = app.sources.file(one.place.file).shown.rsplit('/').next().unwrap().to_owned();
            format!("{} {} {} {file}", one.rule.id, one.subject, one.remedy.kind())
        })
        .collect();
    assert_eq!(
        found,
        [
            "plist-missing UIRequiredDeviceCapabilities manual project.pbxproj",
            "plist-value UIUserInterfaceStyle edit project.pbxproj"
        ]
    );
    let filled = fill::fill(&app, &settings).unwrap();
    let text = &filled.sources.file(filled.changed[0]).text;
    assert!(text.contains("INFOPLIST_KEY_UIUserInterfaceStyle = Dark;"), "{text}");
}
