//! What a module depends on, and the placeholders of its manifest.

use super::*;

pub(super) fn placeholder(reading: &Reading<'_>, flat: &Flat<'_>, config: &mut Config, key: String, value: &Expr) {
    let stated = reading.scope(flat).stated(&flat.script.text, value, flat.conditional(), Value::text);
    config.placeholders.retain(|(other, _)| *other != key);
    config.placeholders.push((key, stated));
}

pub(super) fn placeholders(reading: &Reading<'_>, flat: &Flat<'_>, config: &mut Config) {
    // manifestPlaceholders["host"] = "a.example"
    if let (Some(Segment::Index(index)), Some(assigned)) = (flat.statement.path.last(), &flat.statement.value) {
        if let Some(key) = reading.scope(flat).value(index).value.text() {
            placeholder(reading, flat, config, key, &assigned.value);
        }
        return;
    }
    // manifestPlaceholders host: "a.example"
    let named = flat.statement.arguments.iter().filter_map(|argument| Some((argument.name.clone()?, &argument.value)));
    let mut any = false;
    for (key, value) in named.collect::<Vec<_>>() {
        any = true;
        placeholder(reading, flat, config, key, value);
    }
    // The entries of a map that is written out are followed one by one, so that one unknown value hides no other.
    let expr = flat.value();
    if let Some(ExprKind::Map(pairs)) = expr.map(|expr| &expr.kind) {
        for (key, value) in pairs {
            match reading.scope(flat).value(key).value.text() {
                Some(key) => placeholder(reading, flat, config, key, value),
                None => config.unknown_placeholders = Some(reading.place(flat)),
            }
        }
        return;
    }
    match expr.map(|expr| reading.scope(flat).value(expr)) {
        Some(known) => match known.value {
            Value::Map(entries) => {
                for (key, known) in entries {
                    let value = known.value.text();
                    let written = value.is_none().then(|| "a value that is computed".to_owned());
                    config.placeholders.retain(|(other, _)| *other != key);
                    config.placeholders.push((key, Stated { value, place: Some(known.place), written }));
                }
            }
            _ => config.unknown_placeholders = Some(reading.place(flat)),
        },
        None if !any => config.unknown_placeholders = Some(reading.place(flat)),
        None => {}
    }
}

pub(super) fn dependencies(reading: &Reading<'_>, flat: &Flat<'_>, module: &mut Module) {
    if !flat.is_in(&["dependencies"]) {
        return;
    }
    let configuration = match flat.statement.path.as_slice() {
        [Segment::Name(name)] => name.clone(),
        _ => return,
    };
    if matches!(configuration.as_str(), "constraints" | "components" | "modules") {
        return;
    }
    let place = reading.place(flat);
    let named = |name: &str| named_argument(flat, reading, name);
    if let (Some(group), Some(name)) = (named("group"), named("name")) {
        let source = Source::Artifact { group, name, version: named("version") };
        module.dependencies.push(Dependency { configuration, source, place });
        return;
    }
    // The group, the name and the version, each by itself.
    let texts: Vec<_> = flat.statement.arguments.iter().filter_map(|argument| argument.value.as_text()).collect();
    if let [group, name, rest @ ..] = texts.as_slice()
        && !group.contains(':')
        && rest.len() <= 1
    {
        let source = Source::Artifact { group: group.clone(), name: name.clone(), version: rest.first().cloned() };
        module.dependencies.push(Dependency { configuration, source, place });
        return;
    }
    for argument in flat.statement.arguments.iter().filter(|argument| argument.name.is_none()) {
        let source = dependency(reading, flat, &argument.value);
        if let Some(source) = source {
            module.dependencies.push(Dependency { configuration: configuration.clone(), source, place });
        }
    }
}

/// Returns what a dependency leads to; `None` for files and for what only sets versions.
pub(super) fn dependency(reading: &Reading<'_>, flat: &Flat<'_>, value: &Expr) -> Option<Source> {
    let unknown = || Source::Unknown(value.span.of(&flat.script.text).to_owned());
    if let ExprKind::Path(path) = &value.kind {
        match path.as_slice() {
            [Segment::Call(name, _), ..]
                if matches!(name.as_str(), "files" | "fileTree" | "platform" | "enforcedPlatform" | "gradleApi") =>
            {
                return None;
            }
            [Segment::Call(name, arguments)] if name == "project" => {
                let path = arguments.first()?;
                return Some(path.value.as_text().map_or_else(unknown, Source::Module));
            }
            [Segment::Call(name, arguments)] if name == "kotlin" => {
                let name = arguments.first()?.value.as_text()?;
                return Some(Source::Artifact {
                    group: "org.jetbrains.kotlin".to_owned(),
                    name: format!("kotlin-{name}"),
                    version: None,
                });
            }
            // The typed accessor of a module: `projects.core.data`.
            [Segment::Name(name), rest @ ..] if name == "projects" => {
                return Some(Source::Module(format!(":{}", path_name(rest).replace('.', ":"))));
            }
            [Segment::Name(catalog), rest @ ..] if reading.scope(flat).catalog(catalog).is_some() => {
                let found =
                    reading.scope(flat).catalog(catalog).and_then(|catalog| catalog.library(path_name(rest).as_str()));
                let Some((coordinates, version)) = found else { return Some(unknown()) };
                let (group, name) = coordinates.split_once(':')?;
                return Some(Source::Artifact { group: group.to_owned(), name: name.to_owned(), version });
            }
            _ => {}
        }
    }
    match reading.scope(flat).value(value).value.text() {
        Some(text) => {
            let text = text.split('@').next().unwrap_or_default().to_owned();
            let mut parts = text.split(':').map(str::to_owned);
            let (Some(group), Some(name)) = (parts.next(), parts.next()) else { return Some(unknown()) };
            Some(Source::Artifact { group, name, version: parts.next().filter(|version| !version.is_empty()) })
        }
        None => {
            // The coordinates may be plain though the version is not: "a:b:$version".
            let written = value.span.of(&flat.script.text).trim_matches(['"', '\'']);
            let mut parts = written.split(':');
            match (parts.next(), parts.next(), parts.next()) {
                (Some(group), Some(name), Some(_)) if !group.contains(['$', '(']) && !name.contains('$') => {
                    Some(Source::Artifact { group: group.to_owned(), name: name.to_owned(), version: None })
                }
                _ => Some(unknown()),
            }
        }
    }
}
