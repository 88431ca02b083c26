//! The iOS side of the survey: the property list as the build makes it, entitlements, privacy manifests.

use elvask_markup::plist::{Entry, PropertyList, Value};
use elvask_platform::{Kind, Platform, ios};
use elvask_project::appfiles::{EntitlementsFile, IosApp};
use elvask_project::source::{FileId, Place};
use elvask_project::surface::{PlistView, QUERY_SCHEMES};

use super::{Declaration, Section, Survey, brief};
use crate::context::Context;

/// The entitlement that holds the domains an app is associated with.
const DOMAINS: &str = "com.apple.developer.associated-domains";

pub(super) fn gather(context: &Context<'_>, survey: &mut Survey) {
    let Some(app) = &context.app.ios else { return };
    identity(context, app, survey);
    if let Some(plist) = context.plist {
        keys(context, app, plist, survey);
    }
    entitlements(context, app, survey);
    for file in &app.privacy {
        privacy(context, *file, survey);
    }
    for one in &app.extensions {
        let place = one.id.place.or_else(|| one.plist.map(|file| Place { file, span: elvask_markup::Span::at(0) }));
        let Some(place) = place else { continue };
        let kind = match one.product {
            elvask_project::xcode::Product::Clip => "app clip",
            elvask_project::xcode::Product::Watch => "watch app",
            _ => "extension",
        };
        let mut about = vec![kind.to_owned()];
        about.extend(one.id.value.clone());
        let mut declaration = Declaration::new(Platform::Ios, Section::Extensions, "identity", one.name.clone(), place);
        declaration.value = Some(about.join(", "));
        survey.declarations.push(declaration);
    }
    if let Some(icon) =
        context.surface.settings().and_then(|settings| settings.value("ASSETCATALOG_COMPILER_APPICON_NAME"))
        && let (Some(value), Some(place)) = (icon.value, icon.place)
    {
        let mut one = Declaration::new(
            Platform::Ios,
            Section::Look,
            "build-setting",
            "ASSETCATALOG_COMPILER_APPICON_NAME",
            place,
        );
        one.value = Some(value);
        survey.declarations.push(one);
    }
}

fn identity(context: &Context<'_>, app: &IosApp, survey: &mut Survey) {
    let mut push = |section, kind, name: &str, value: Option<String>, place: Option<Place>| {
        if let (Some(value), Some(place)) = (value, place) {
            let mut one = Declaration::new(Platform::Ios, section, kind, name, place);
            one.value = Some(value);
            survey.declarations.push(one);
        }
    };
    push(Section::Identity, "identity", "bundle id", app.id.value.clone(), app.id.place);
    // The list wins over the settings that it usually refers to.
    let listed = |key: &str| {
        let plist = context.plist?;
        let entry = plist.entry(key)?;
        Some((plist.resolved(entry.value.as_str()?)?.into_owned(), plist.value_place(entry)))
    };
    for (name, key, stated) in
        [("version", "CFBundleShortVersionString", &app.version), ("build", "CFBundleVersion", &app.build)]
    {
        match listed(key) {
            Some((value, place)) => push(Section::Identity, "identity", name, Some(value), Some(place)),
            None => push(Section::Identity, "identity", name, stated.value.clone(), stated.place),
        }
    }
    let min = app.min_version.value.map(|version| version.to_string());
    push(Section::Levels, "min-version", "iOS", min, app.min_version.place);
    // A setting that the list does not take counts for nothing.
    for (name, key, stated) in
        [("version", "CFBundleShortVersionString", &app.version), ("build", "CFBundleVersion", &app.build)]
    {
        let (value, place) = context.listed_or(key, stated);
        let lost = stated
            .value
            .clone()
            .zip(stated.place)
            .filter(|(said, at)| Some(said) != value.as_ref() && Some(*at) != place);
        let is_it =
            |one: &&mut Declaration| one.platform == Platform::Ios && one.kind == "identity" && one.name == name;
        if let (Some(one), Some(lost)) = (survey.declarations.iter_mut().find(is_it), lost) {
            one.overrode = vec![lost];
        }
    }
}

/// Returns the section of a key that is not a purpose.
fn section_of(key: &str) -> Section {
    let plain = key.split('~').next().unwrap_or(key);
    match plain {
        "NSAppTransportSecurity" | "NSBonjourServices" | "NSLocalNetworkUsageDescription" => Section::Network,
        "UISupportedInterfaceOrientations" | "UIInterfaceOrientation" | "UIRequiresFullScreen" => Section::Orientation,
        "CFBundleDisplayName"
        | "CFBundleName"
        | "CFBundleIcons"
        | "CFBundleIconFile"
        | "CFBundleIconName"
        | "UILaunchStoryboardName"
        | "UILaunchScreen" => Section::Look,
        _ => Section::Keys,
    }
}

fn keys(_context: &Context<'_>, app: &IosApp, plist: PlistView<'_>, survey: &mut Survey) {
    for entry in plist.entries() {
        let place = plist.key_place(entry);
        match entry.key.as_str() {
            QUERY_SCHEMES => continue,
            "CFBundleURLTypes" => {
                url_types(plist, &entry.value, survey);
                continue;
            }
            "UIBackgroundModes" => {
                for value in entry.value.as_array().unwrap_or_default() {
                    let Some(mode) = value.as_str() else { continue };
                    let place = Place { file: place.file, span: value.span };
                    survey.declarations.push(Declaration::new(
                        Platform::Ios,
                        Section::BackgroundModes,
                        "background-mode",
                        mode,
                        place,
                    ));
                }
                continue;
            }
            _ => {}
        }
        let known = ios::usage_key(&entry.key).is_some_and(ios::UsageKey::is_for_ios);
        let meant = entry.key.starts_with("NS") && ios::nearest_usage_key(&entry.key).is_some();
        let purpose = entry.key.ends_with("UsageDescription") || meant;
        let (kind, section) =
            if purpose { (Kind::Usage, Section::Purposes) } else { (Kind::Plist, section_of(&entry.key)) };
        let first = plist.entry(&entry.key).is_some_and(|first| std::ptr::eq(first, entry));
        let mut one = Declaration::new(Platform::Ios, section, kind.id(), entry.key.clone(), place);
        one.value = Some(value_of(plist, entry));
        one.doubt = match (purpose && !known, first) {
            (true, _) => Some("iOS has no key of that name"),
            (false, false) => Some("the key is declared above already"),
            (false, true) => None,
        };
        one.origin = plist.made_from(&entry.value).map(|made| made.setting.clone());
        let texts = app.texts.iter().filter(|text| text.key == entry.key);
        one.translations = texts.map(|text| (text.language.clone(), text.text.clone(), text.place)).collect();
        if entry.key == "NSAppTransportSecurity" {
            one.value = Some(transport(&entry.value));
        }
        survey.declarations.push(one);
    }
    for made in plist.idle() {
        let place = Place { file: made.file, span: made.entry.key_span };
        let mut one = Declaration::new(Platform::Ios, Section::Keys, "build-setting", made.setting.clone(), place);
        one.value = Some(brief(&made.entry.value.kind));
        one.ignored = Some("Xcode makes no key of this setting");
        survey.declarations.push(one);
    }
    for (scheme, value) in plist.query_schemes() {
        let mut one = Declaration::new(
            Platform::Ios,
            Section::QuerySchemes,
            Kind::QueryScheme.id(),
            scheme,
            plist.at(value.span),
        );
        one.doubt = (!elvask_needs::kinds::is_scheme(scheme)).then_some("it is not a URL scheme");
        survey.declarations.push(one);
    }
    // A text in another language whose key the list does not have is never shown.
    let orphans =
        app.texts.iter().filter(|text| plist.entry(&text.key).is_none() && text.key.ends_with("UsageDescription"));
    for text in orphans {
        let mut one =
            Declaration::new(Platform::Ios, Section::Purposes, Kind::Usage.id(), text.key.clone(), text.place);
        one.value = Some(text.text.clone());
        one.ignored = Some("Info.plist does not have the key");
        survey.declarations.push(one);
    }
}

/// Returns the value of an entry in a few words, with the build's variables put in where they are known.
fn value_of(plist: PlistView<'_>, entry: &Entry) -> String {
    match entry.value.as_str() {
        Some(text) => plist.resolved(text).map_or_else(|| text.to_owned(), std::borrow::Cow::into_owned),
        None => brief(&entry.value.kind),
    }
}

fn url_types(plist: PlistView<'_>, value: &Value, survey: &mut Survey) {
    for kind in value.as_array().unwrap_or_default() {
        let find = |key: &str| kind.as_dict()?.iter().find(|entry| entry.key == key);
        let name = find("CFBundleURLName").and_then(|entry| entry.value.as_str());
        let schemes = find("CFBundleURLSchemes").and_then(|entry| entry.value.as_array()).unwrap_or_default();
        for scheme in schemes {
            let Some(text) = scheme.as_str() else { continue };
            let text = plist.resolved(text).map_or_else(|| text.to_owned(), std::borrow::Cow::into_owned);
            let mut one =
                Declaration::new(Platform::Ios, Section::UrlSchemes, "url-scheme", text, plist.at(scheme.span));
            one.value =
                name.map(|name| plist.resolved(name).map_or_else(|| name.to_owned(), std::borrow::Cow::into_owned));
            survey.declarations.push(one);
        }
    }
}

/// Says in words what the rules for connections come to.
fn transport(value: &Value) -> String {
    let entries = value.as_dict().unwrap_or_default();
    let flag = |key: &str| {
        let entry = entries.iter().find(|entry| entry.key == key);
        entry.is_some_and(|entry| entry.value.kind == elvask_markup::plist::ValueKind::Bool(true))
    };
    let mut about = Vec::new();
    if flag("NSAllowsArbitraryLoads") {
        about.push("any connection, without encryption too".to_owned());
    }
    if flag("NSAllowsArbitraryLoadsInWebContent") {
        about.push("any connection in web views".to_owned());
    }
    if flag("NSAllowsLocalNetworking") {
        about.push("the local network".to_owned());
    }
    let domains =
        entries.iter().find(|entry| entry.key == "NSExceptionDomains").and_then(|entry| entry.value.as_dict());
    let domains: Vec<_> = domains.unwrap_or_default().iter().map(|entry| entry.key.clone()).collect();
    if !domains.is_empty() {
        about.push(format!("exceptions for {}", domains.join(", ")));
    }
    if about.is_empty() { brief(&value.kind) } else { about.join("; ") }
}

fn entitlements(context: &Context<'_>, app: &IosApp, survey: &mut Survey) {
    let mut found: Vec<(Declaration, Vec<String>)> = Vec::new();
    let mut faults = Vec::new();
    for one in &app.entitlements {
        let Some(file) = one.file else { continue };
        let Ok(list) = PropertyList::parse(context.sources.file(file).text.clone()) else {
            faults.push(one);
            continue;
        };
        for entry in list.entries() {
            let place = Place { file, span: entry.key_span };
            let mut declarations = Vec::new();
            if entry.key == DOMAINS {
                for value in entry.value.as_array().unwrap_or_default() {
                    let Some(domain) = value.as_str() else { continue };
                    let place = Place { file, span: value.span };
                    declarations.push(Declaration::new(Platform::Ios, Section::Domains, "domain", domain, place));
                }
            } else {
                let mut one =
                    Declaration::new(Platform::Ios, Section::Entitlements, "entitlement", entry.key.clone(), place);
                one.value = Some(brief(&entry.value.kind));
                declarations.push(one);
            }
            for declaration in declarations {
                let same = found.iter_mut().find(|(known, _)| {
                    (known.kind, &known.name, &known.value, known.place)
                        == (declaration.kind, &declaration.name, &declaration.value, declaration.place)
                });
                match same {
                    Some((_, configurations)) => configurations.push(one.configuration.clone()),
                    None => found.push((declaration, vec![one.configuration.clone()])),
                }
            }
        }
    }
    let all = app.entitlements.len();
    let shipped: Vec<(&'static str, String)> = found
        .iter()
        .filter(|(_, configurations)| configurations.contains(&app.configuration))
        .map(|(declaration, _)| (declaration.kind, declaration.name.clone()))
        .collect();
    for (mut declaration, configurations) in found {
        // What the judged configuration does not have does not ship.
        if !configurations.contains(&app.configuration) {
            let elsewhere = shipped.iter().any(|(kind, name)| *kind == declaration.kind && *name == declaration.name);
            declaration.ignored = Some(match elsewhere {
                true => "the configuration that ships has it in another file",
                false => "the configuration that ships does not have it",
            });
        }
        if configurations.len() < all {
            declaration.only_in = configurations;
        }
        survey.declarations.push(declaration);
    }
    let missing =
        |one: &&EntitlementsFile| one.path.is_some() && one.file.is_none() && one.configuration == app.configuration;
    for one in app.entitlements.iter().filter(missing).chain(faults) {
        let Some(place) = one.place else { continue };
        let name = "CODE_SIGN_ENTITLEMENTS";
        let mut declaration = Declaration::new(Platform::Ios, Section::Entitlements, "build-setting", name, place);
        declaration.value = one.path.as_ref().map(|path| elvask_project::files::shown(path, &context.app.root));
        declaration.doubt = Some(if one.file.is_some() { "the file cannot be read" } else { "the file is not there" });
        survey.declarations.push(declaration);
    }
}

fn privacy(context: &Context<'_>, file: FileId, survey: &mut Survey) {
    let Ok(list) = PropertyList::parse(context.sources.file(file).text.clone()) else { return };
    for entry in list.entries() {
        let place = Place { file, span: entry.key_span };
        if entry.key == "NSPrivacyAccessedAPITypes" {
            for kind in entry.value.as_array().unwrap_or_default() {
                let find = |key: &str| kind.as_dict()?.iter().find(|entry| entry.key == key);
                let Some(category) = find("NSPrivacyAccessedAPIType").and_then(|entry| entry.value.as_str()) else {
                    continue;
                };
                let place = Place { file, span: kind.span };
                let mut one = Declaration::new(Platform::Ios, Section::Privacy, "privacy-reason", category, place);
                one.value = find("NSPrivacyAccessedAPITypeReasons").map(|entry| brief(&entry.value.kind));
                survey.declarations.push(one);
            }
            continue;
        }
        let mut one = Declaration::new(Platform::Ios, Section::Privacy, "plist", entry.key.clone(), place);
        one.value = Some(brief(&entry.value.kind));
        survey.declarations.push(one);
    }
}
