//! The values of expressions, as far as they can be known.

use std::collections::BTreeMap;
use std::path::Path;

use elvask_markup::Span;
use elvask_markup::gradle::{Argument, Expr, ExprKind, Piece, Segment, Statement};

use super::{Script, Stated, Workspace};
use crate::loading::Loading;
use crate::source::{FileId, Place};

/// A value.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Value {
    Text(String),
    Number(i64),
    Bool(bool),
    Null,
    List(Vec<Known>),
    Map(Vec<(String, Known)>),
    /// Only running the build would tell.
    Unknown,
}

/// The most that a value holds, in letters and entries.
const MAX_WEIGHT: usize = 16 * 1024;

/// A value and where it is stated.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Known {
    pub(super) value: Value,
    pub(super) place: Place,
}

impl Value {
    pub(super) fn text(&self) -> Option<String> {
        match self {
            Value::Text(text) => Some(text.clone()),
            Value::Number(number) => Some(number.to_string()),
            Value::Bool(value) => Some(value.to_string()),
            _ => None,
        }
    }

    pub(super) fn number(&self) -> Option<u32> {
        match self {
            Value::Number(number) => u32::try_from(*number).ok(),
            Value::Text(text) => text.trim().parse().ok(),
            _ => None,
        }
    }

    /// Returns how much it holds: letters of texts, entries of lists and maps.
    fn weight(&self) -> usize {
        match self {
            Value::Text(text) => 1 + text.len(),
            Value::List(values) => 1 + values.iter().map(|one| one.value.weight()).sum::<usize>(),
            Value::Map(entries) => 1 + entries.iter().map(|(key, one)| key.len() + one.value.weight()).sum::<usize>(),
            Value::Number(_) | Value::Bool(_) | Value::Null | Value::Unknown => 1,
        }
    }

    /// Returns a value; one that holds more than any setting does, as names that double each other would make it, is not known.
    fn bounded(self) -> Value {
        if self.weight() > MAX_WEIGHT { Value::Unknown } else { self }
    }

    pub(super) fn flag(&self) -> Option<bool> {
        match self {
            Value::Bool(value) => Some(*value),
            _ => None,
        }
    }
}

/// The entries of a properties file.
pub(super) type Properties = BTreeMap<String, Known>;

/// Reads a properties file; `None` where there is none.
pub(super) fn read_properties(loading: &mut Loading<'_>, path: &Path) -> Option<Properties> {
    if !loading.files.is_file(path) {
        return None;
    }
    let shown = loading.shown(path);
    let (file, text) = loading.read(path, &shown)?;
    let mut properties = Properties::new();
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        let at = start;
        start += line.len();
        let content = line.trim();
        if content.is_empty() || content.starts_with(['#', '!']) {
            continue;
        }
        let Some((name, value)) = content.split_once(['=', ':']) else { continue };
        let from = at + line.find(content).unwrap_or(0);
        let place = Place { file, span: Span::new(from, from + content.len()) };
        properties.insert(name.trim().to_owned(), Known { value: Value::Text(value.trim().to_owned()), place });
    }
    Some(properties)
}

/// The names that a script defines.
#[derive(Debug, Clone, Default)]
pub(super) struct Names {
    /// Variables: they are seen in their own script alone.
    variables: BTreeMap<String, Known>,
    /// Extra properties: all modules below see them.
    extra: BTreeMap<String, Known>,
}

impl Names {
    /// Gathers the names that scripts define, later ones winning over earlier ones.
    pub(super) fn of(workspace: &Workspace, scripts: &[Script]) -> Self {
        let mut names = Names::default();
        for script in scripts {
            names.gather(workspace, script, &script.statements, false);
        }
        names
    }

    fn gather(&mut self, workspace: &Workspace, script: &Script, statements: &[Statement], inside_extra: bool) {
        for statement in statements {
            let path = statement.name();
            let path = path.trim_start_matches("rootProject.").trim_start_matches("project.");
            if let Some(block) = &statement.block {
                match path {
                    "ext" | "extra" => self.gather(workspace, script, block, true),
                    "allprojects" | "subprojects" | "buildscript" | "extra.apply" | "ext.apply" => {
                        self.gather(workspace, script, block, inside_extra || path.ends_with("apply"));
                    }
                    _ => {}
                }
                continue;
            }
            let value = |names: &Names, expr: &Expr| {
                let scope = Scope { workspace, names, file: script.file };
                let value = scope.value(expr);
                // In a branch: only running the build tells whether it is set.
                if statement.conditional { Known { value: Value::Unknown, ..value } } else { value }
            };
            let first = statement.arguments.first().map(|argument| &argument.value);
            let second = statement.arguments.get(1).map(|argument| &argument.value);
            match (&statement.value, path) {
                (Some(assigned), _) => {
                    let delegated = delegate(&assigned.value);
                    let known = value(self, delegated.unwrap_or(&assigned.value));
                    let extra = path.strip_prefix("ext.").or_else(|| path.strip_prefix("extra."));
                    let indexed = match statement.path.last() {
                        Some(Segment::Index(index)) if matches!(path, "ext" | "extra") => index.as_text(),
                        _ => None,
                    };
                    if let Some(name) = indexed.or_else(|| extra.map(str::to_owned)) {
                        self.set_extra(&name, known);
                    } else if inside_extra || delegated.is_some() {
                        self.set_extra(path, known);
                    } else if !path.contains('.') && !path.is_empty() {
                        self.variables.insert(path.to_owned(), known);
                    }
                }
                (None, "ext.set" | "extra.set" | "set") => {
                    let name = first.and_then(Expr::as_text);
                    if let (Some(name), Some(expr)) = (name, second)
                        && (path != "set" || inside_extra)
                    {
                        let known = value(self, expr);
                        self.set_extra(&name, known);
                    }
                }
                (None, name) if inside_extra && !name.contains('.') => {
                    if let Some(expr) = first {
                        let known = value(self, expr);
                        self.set_extra(name, known);
                    }
                }
                _ => {}
            }
        }
    }

    /// Sets an extra property; `versions.min` sets an entry of a map.
    fn set_extra(&mut self, name: &str, known: Known) {
        if let Some((map, key)) = name.split_once('.')
            && let Some(Known { value: Value::Map(entries), .. }) = self.extra.get_mut(map)
        {
            entries.retain(|(other, _)| other != key);
            entries.push((key.to_owned(), known));
        } else {
            self.extra.insert(name.to_owned(), known);
        }
    }
}

/// Returns the value behind `by extra(…)` and `by extra { … }`.
fn delegate(expr: &Expr) -> Option<&Expr> {
    let ExprKind::Path(path) = &expr.kind else { return None };
    let [Segment::Call(name, arguments)] = path.as_slice() else { return None };
    let value = &arguments.first().filter(|_| name == "extra")?.value;
    match &value.kind {
        ExprKind::Block(statements) => statements.last()?.value.as_ref().map(|assigned| &assigned.value),
        _ => Some(value),
    }
}

/// Where an expression stands, and so what its names mean.
#[derive(Clone, Copy)]
pub(super) struct Scope<'a> {
    pub(super) workspace: &'a Workspace,
    pub(super) names: &'a Names,
    pub(super) file: FileId,
}

/// Calls behind a value that leave it what it is.
const CONVERSIONS: [&str; 12] = [
    "toInteger",
    "toInt",
    "toString",
    "get",
    "orNull",
    "asInt",
    "intValue",
    "toLong",
    "trim",
    "asString",
    "asNumber",
    "getOrNull",
];

impl<'a> Scope<'a> {
    fn unknown(&self, expr: &Expr) -> Known {
        Known { value: Value::Unknown, place: self.place(expr.span) }
    }

    pub(super) fn place(&self, span: Span) -> Place {
        Place { file: self.file, span }
    }

    /// Returns the value of an expression, with the place where it is stated.
    pub(super) fn value(&self, expr: &Expr) -> Known {
        let here = |value: Value| Known { value, place: self.place(expr.span) };
        match &expr.kind {
            ExprKind::Number(number) => here(Value::Number(*number)),
            ExprKind::Bool(value) => here(Value::Bool(*value)),
            ExprKind::Null => here(Value::Null),
            ExprKind::Text(pieces) => {
                let texts = pieces.iter().map(|piece| match piece {
                    Piece::Literal(text) => Some(text.clone()),
                    Piece::Value(value) => self.value(value).value.text(),
                });
                let mut whole = String::new();
                for text in texts {
                    match text {
                        Some(text) if whole.len() + text.len() <= MAX_WEIGHT => whole.push_str(&text),
                        _ => return here(Value::Unknown),
                    }
                }
                here(Value::Text(whole))
            }
            ExprKind::List(values) => {
                let (mut list, mut weight) = (Vec::new(), 0);
                for value in values.iter().map(|value| self.value(value)) {
                    weight += value.value.weight();
                    if weight > MAX_WEIGHT {
                        return here(Value::Unknown);
                    }
                    list.push(value);
                }
                here(Value::List(list))
            }
            ExprKind::Map(pairs) => {
                let (mut map, mut weight) = (Vec::new(), 0);
                for (key, value) in pairs {
                    let (Some(key), value) = (self.value(key).value.text(), self.value(value)) else {
                        return here(Value::Unknown);
                    };
                    weight += key.len() + value.value.weight();
                    if weight > MAX_WEIGHT {
                        return here(Value::Unknown);
                    }
                    map.push((key, value));
                }
                here(Value::Map(map))
            }
            ExprKind::Sum(one, other) => here(match (self.value(one).value, self.value(other).value) {
                (Value::Number(one), Value::Number(other)) => {
                    one.checked_add(other).map_or(Value::Unknown, Value::Number)
                }
                (Value::Map(mut one), Value::Map(other)) => {
                    one.extend(other);
                    Value::Map(one).bounded()
                }
                (Value::List(mut one), Value::List(other)) => {
                    one.extend(other);
                    Value::List(one).bounded()
                }
                (one @ Value::Text(_), other) | (one, other @ Value::Text(_)) => match (one.text(), other.text()) {
                    (Some(one), Some(other)) => Value::Text(format!("{one}{other}")).bounded(),
                    _ => Value::Unknown,
                },
                _ => Value::Unknown,
            }),
            ExprKind::Or(one, other) => match self.value(one) {
                Known { value: Value::Null, .. } => self.value(other),
                known => known,
            },
            ExprKind::Path(path) => self.path(expr, path),
            ExprKind::Pair(..) | ExprKind::Block(_) | ExprKind::Other => self.unknown(expr),
        }
    }

    // In one piece: one arm for each form of a reference, of which the first that fits counts.
    fn path(&self, expr: &Expr, path: &[Segment]) -> Known {
        let null = Known { value: Value::Null, place: self.place(expr.span) };
        let owner = |segment: &&Segment| matches!(segment, Segment::Name(name) if ["project", "rootProject", "providers", "this", "ext", "extra", "gradle"].contains(&name.as_str()));
        let skipped = path.iter().take_while(owner).count();
        let rest = path.get(skipped..).unwrap_or_default();
        let text_argument =
            |arguments: &[Argument]| arguments.first().and_then(|argument| self.value(&argument.value).value.text());
        let (mut known, steps) = match rest {
            [Segment::Call(name, arguments), steps @ ..]
                if ["findProperty", "property", "gradleProperty", "getProperty"].contains(&name.as_str()) =>
            {
                let Some(name) = text_argument(arguments) else { return self.unknown(expr) };
                (self.named(&name).unwrap_or(null), steps)
            }
            [Segment::Call(name, arguments), steps @ ..] if name == "get" && skipped > 0 => {
                let Some(name) = text_argument(arguments) else { return self.unknown(expr) };
                (self.named(&name).unwrap_or(self.unknown(expr)), steps)
            }
            [Segment::Name(class), Segment::Call(name, arguments), steps @ ..]
                if ["Integer", "Boolean", "String", "Long"].contains(&class.as_str())
                    && ["parseInt", "valueOf", "parseBoolean", "toInteger"].contains(&name.as_str()) =>
            {
                let Some(argument) = arguments.first() else { return self.unknown(expr) };
                (self.value(&argument.value), steps)
            }
            // The level that a spec is made of: `version = release(36)`.
            [Segment::Call(name, arguments), steps @ ..] if name == "release" && arguments.len() == 1 => {
                let Some(argument) = arguments.first() else { return self.unknown(expr) };
                (self.value(&argument.value), steps)
            }
            [Segment::Call(name, arguments), steps @ ..] if name == "uri" || name == "file" => {
                let Some(argument) = arguments.first() else { return self.unknown(expr) };
                (self.value(&argument.value), steps)
            }
            [Segment::Name(name), steps @ ..] if name.to_lowercase().contains("localprop") => {
                let Some(local) = &self.workspace.local else { return self.unknown(expr) };
                let key = match steps.first() {
                    Some(Segment::Call(get, arguments)) if get == "getProperty" || get == "get" => {
                        text_argument(arguments)
                    }
                    Some(Segment::Index(index)) => self.value(index).value.text(),
                    _ => None,
                };
                let Some(key) = key else { return self.unknown(expr) };
                (local.get(&key).cloned().unwrap_or(null), steps.get(1..).unwrap_or_default())
            }
            [Segment::Index(index), steps @ ..] if skipped > 0 => {
                let Some(name) = self.value(index).value.text() else { return self.unknown(expr) };
                (self.named(&name).unwrap_or(self.unknown(expr)), steps)
            }
            [Segment::Name(catalog), Segment::Name(section), ..]
                if section == "versions" && self.catalog(catalog).is_some() =>
            {
                let names = rest.iter().skip(2).filter_map(|segment| match segment {
                    Segment::Name(name) => Some(name.as_str()),
                    _ => None,
                });
                let names: Vec<_> = names.collect();
                let found = self.catalog(catalog).and_then(|catalog| catalog.version(&names.join(".")));
                return found.cloned().unwrap_or(self.unknown(expr));
            }
            [Segment::Name(name), steps @ ..] => match self.named(name) {
                Some(known) => (known, steps),
                None => return self.unknown(expr),
            },
            _ => return self.unknown(expr),
        };
        for step in steps {
            known = match (step, &known.value) {
                (Segment::Call(name, arguments), Value::Null) if name == "getOrElse" => {
                    let Some(argument) = arguments.first() else { return self.unknown(expr) };
                    self.value(&argument.value)
                }
                (Segment::Call(name, _), _) if name == "getOrElse" => known,
                (Segment::Name(name), Value::Map(entries)) => match entries.iter().find(|(key, _)| key == name) {
                    Some((_, value)) => value.clone(),
                    None => return self.unknown(expr),
                },
                (Segment::Index(index), Value::Map(entries)) => {
                    let name = self.value(index).value.text();
                    match entries.iter().find(|(key, _)| Some(key) == name.as_ref()) {
                        Some((_, value)) => value.clone(),
                        None => return self.unknown(expr),
                    }
                }
                (Segment::Name(name) | Segment::Call(name, _), _) if CONVERSIONS.contains(&name.as_str()) => known,
                _ => return self.unknown(expr),
            };
        }
        known
    }

    pub(super) fn catalog(self, name: &str) -> Option<&'a super::catalog::Catalog> {
        self.workspace.catalogs.iter().find(|catalog| catalog.name == name)
    }

    /// Looks a name up where the build tool does: variables, the module's extra properties, the root project's, properties.
    fn named(&self, name: &str) -> Option<Known> {
        let own = self.names.variables.get(name).or_else(|| self.names.extra.get(name));
        let shared = own.or_else(|| self.workspace.shared.extra.get(name));
        shared.or_else(|| self.workspace.properties.get(name)).cloned()
    }

    /// Turns the value of an expression into what a setting states.
    pub(super) fn stated<T>(
        &self,
        text: &str,
        expr: &Expr,
        conditional: bool,
        read: impl Fn(&Value) -> Option<T>,
    ) -> Stated<T> {
        let known = self.value(expr);
        let value = read(&known.value).filter(|_| !conditional);
        let (place, written) = match value {
            Some(_) => (known.place, None),
            None => {
                let written = expr.span.of(text);
                let branch = if conditional { " in a branch" } else { "" };
                (self.place(expr.span), Some(format!("{written}{branch}")))
            }
        };
        Stated { value, place: Some(place), written }
    }
}
