//! Conditions and property expressions of MSBuild.

use std::collections::BTreeMap;

use elvask_markup::xml::Element;

use crate::gradle::Stated;

type Values = BTreeMap<String, Stated<String>>;

/// The deepest nesting that is read.
const MAX_DEPTH: usize = 32;

/// Says whether an element's condition holds; `None` where that is not known.
pub(super) fn holds(element: Element<'_>, values: &Values) -> Option<bool> {
    let Some(condition) = element.attribute_written("Condition") else { return Some(true) };
    let text = element.value_of(condition);
    if text.trim().is_empty() {
        return Some(true);
    }
    let mut reader = Reader { text: &text, at: 0, values, depth: 0 };
    let value = reader.either();
    reader.skip();
    value.filter(|_| reader.at >= reader.text.len())
}

/// Puts properties into a text; `None` where one of them is not known.
pub(super) fn expand(text: &str, values: &Values) -> Option<String> {
    expand_within(text, values, 0)
}

fn expand_within(text: &str, values: &Values, depth: usize) -> Option<String> {
    if depth > MAX_DEPTH {
        return None;
    }
    let mut out = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once("$(") {
        out.push_str(before);
        let end = closing(after)?;
        out.push_str(&property(after.get(..end)?, values, depth + 1)?);
        rest = after.get(end + 1..)?;
    }
    out.push_str(rest);
    Some(out)
}

/// Returns the offset of the bracket that closes one before the start of `text`.
fn closing(text: &str) -> Option<usize> {
    let mut depth = 1usize;
    for (at, character) in text.char_indices() {
        match character {
            '(' => depth += 1,
            ')' => depth -= 1,
            _ => {}
        }
        if depth == 0 {
            return Some(at);
        }
    }
    None
}

fn property(inside: &str, values: &Values, depth: usize) -> Option<String> {
    let inside = inside.trim();
    if let Some(call) = inside.strip_prefix("[MSBuild]::") {
        let (name, arguments) = call.split_once('(')?;
        let arguments = arguments.strip_suffix(')')?;
        let argument = expand_within(arguments.trim().trim_matches('\''), values, depth)?;
        return match name {
            "GetTargetPlatformIdentifier" => {
                let platform = argument.split_once('-').map_or("", |(_, platform)| platform);
                Some(
                    platform
                        .trim_end_matches(|character: char| character.is_ascii_digit() || character == '.')
                        .to_owned(),
                )
            }
            // As on the one system that builds for both platforms.
            "IsOSPlatform" => Some(word(["osx", "macos"].iter().any(|name| argument.eq_ignore_ascii_case(name)))),
            "IsOsUnixLike" => Some(word(true)),
            "GetTargetFrameworkVersion" => Some(argument.split('-').next()?.strip_prefix("net")?.to_owned()),
            _ => None,
        };
    }
    if let Some((name, call)) = inside.split_once('.') {
        let value = values.get(&name.to_lowercase())?.value.clone()?;
        let (method, argument) = call.split_once('(')?;
        let argument = expand_within(argument.strip_suffix(')')?.trim().trim_matches('\''), values, depth)?;
        let answer = match method {
            "Contains" => value.contains(&argument),
            "StartsWith" => value.starts_with(&argument),
            "EndsWith" => value.ends_with(&argument),
            _ => return None,
        };
        return Some(word(answer));
    }
    match values.get(&inside.to_lowercase()) {
        Some(stated) => stated.value.clone(),
        // What nothing sets is empty, except what only the build knows.
        None if inside.starts_with("MSBuild") || inside.starts_with('[') => None,
        None => Some(String::new()),
    }
}

fn word(answer: bool) -> String {
    if answer { "True" } else { "False" }.to_owned()
}

struct Reader<'t> {
    text: &'t str,
    at: usize,
    values: &'t Values,
    depth: usize,
}

impl<'t> Reader<'t> {
    fn rest(&self) -> &'t str {
        self.text.get(self.at..).unwrap_or_default()
    }

    fn skip(&mut self) {
        self.at += self.rest().len() - self.rest().trim_start().len();
    }

    /// Reads what `or` parts: one that holds is enough.
    fn either(&mut self) -> Option<bool> {
        self.parted("or", true, Self::both)
    }

    /// Reads what `and` parts: one that does not hold is enough.
    fn both(&mut self) -> Option<bool> {
        self.parted("and", false, Self::one)
    }

    /// Reads parts with a word between them, of which one that is `enough` decides, even if others are not known.
    fn parted(&mut self, word: &str, enough: bool, part: fn(&mut Self) -> Option<bool>) -> Option<bool> {
        let mut value = part(self);
        while self.joins(word) {
            let other = part(self);
            value = match (value, other) {
                (Some(one), _) | (_, Some(one)) if one == enough => Some(enough),
                (Some(_), Some(_)) => Some(!enough),
                _ => None,
            };
        }
        value
    }

    /// Steps over a word that stands by itself.
    fn joins(&mut self, word: &str) -> bool {
        self.skip();
        let rest = self.rest();
        let found = rest.get(..word.len()).is_some_and(|start| start.eq_ignore_ascii_case(word))
            && rest
                .get(word.len()..)
                .is_some_and(|after| after.starts_with(|next: char| next.is_whitespace() || next == '('));
        self.at += if found { word.len() } else { 0 };
        found
    }

    fn one(&mut self) -> Option<bool> {
        self.depth += 1;
        if self.depth > MAX_DEPTH {
            return None;
        }
        self.skip();
        if self.rest().starts_with('!') && !self.rest().starts_with("!=") {
            self.at += 1;
            return self.one().map(|value| !value);
        }
        if self.rest().starts_with('(') {
            self.at += 1;
            let value = self.either();
            self.skip();
            if self.rest().starts_with(')') {
                self.at += 1;
            }
            return value;
        }
        let left = self.operand();
        self.skip();
        let equal = match self.rest().get(..2) {
            Some("==") => true,
            Some("!=") => false,
            // A value alone: true or false.
            _ => {
                return match left?.to_lowercase().as_str() {
                    "true" => Some(true),
                    "false" => Some(false),
                    _ => None,
                };
            }
        };
        self.at += 2;
        let right = self.operand();
        Some((left?.eq_ignore_ascii_case(&right?)) == equal)
    }

    /// Reads a quoted text, a property or a bare word.
    fn operand(&mut self) -> Option<String> {
        self.skip();
        let rest = self.rest();
        if let Some(inside) = rest.strip_prefix('\'') {
            let end = quote_end(inside).unwrap_or(inside.len());
            self.at += end + 2;
            return expand(inside.get(..end)?, self.values);
        }
        if let Some(inside) = rest.strip_prefix("$(") {
            let end = closing(inside).unwrap_or(inside.len());
            self.at += end + 3;
            return expand(rest.get(..end + 3)?, self.values);
        }
        let end =
            rest.find(|character: char| character.is_whitespace() || "=!()".contains(character)).unwrap_or(rest.len());
        let word = rest.get(..end)?;
        self.at += end.max(1);
        // `Exists('…')` and the like are not known.
        if let Some(inside) = self.rest().strip_prefix('(') {
            self.at += closing(inside).map_or(inside.len(), |end| end + 1) + 1;
            return None;
        }
        (!word.is_empty()).then(|| word.to_owned())
    }
}

/// Returns the offset of the quote that ends a text, quotes inside of `$(…)` stepped over.
fn quote_end(text: &str) -> Option<usize> {
    let mut depth = 0usize;
    for (at, character) in text.char_indices() {
        match character {
            '(' => depth += 1,
            ')' => depth = depth.saturating_sub(1),
            '\'' if depth == 0 => return Some(at),
            _ => {}
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use elvask_markup::xml::Document;

    fn judged(condition: &str) -> Option<bool> {
        let values: Values =
            [("targetframework", "net9.0-android"), ("configuration", "Release"), ("platform", "AnyCPU")]
                .into_iter()
                .map(|(name, value)| {
                    (name.to_owned(), Stated { value: Some(value.to_owned()), place: None, written: None })
                })
                .collect();
        let document = Document::parse(format!("<a Condition=\"{condition}\"/>")).unwrap();
        holds(document.root(), &values)
    }

    #[test]
    fn conditions_are_judged_or_left_open() {
        for (condition, wanted) in [
            ("'$(TargetFramework)' == 'net9.0-android'", Some(true)),
            ("'$(TargetFramework)'=='net9.0-ios'", Some(false)),
            ("$(TargetFramework.Contains('-android'))", Some(true)),
            ("!$(TargetFramework.Contains('-android'))", Some(false)),
            ("$([MSBuild]::GetTargetPlatformIdentifier('$(TargetFramework)')) == 'android'", Some(true)),
            ("'$([MSBuild]::GetTargetPlatformIdentifier(\u{27}$(TargetFramework)\u{27}))' == 'ios'", Some(false)),
            ("'$(Configuration)|$(Platform)' == 'Release|AnyCPU'", Some(true)),
            ("'$(Configuration)' != 'Debug' and $(TargetFramework.EndsWith('android'))", Some(true)),
            ("('$(Configuration)' == 'Debug') or ('$(A)' == '')", Some(true)),
            ("'$(A)' == '' and Exists('x')", None),
            ("$([MSBuild]::IsOSPlatform('windows'))", Some(false)),
            ("!$([MSBuild]::IsOSPlatform('linux'))", Some(true)),
            ("$([MSBuild]::IsOSPlatform('osx')) and '$(A)' == ''", Some(true)),
            ("$([MSBuild]::VersionGreaterThan('1', '2'))", None),
            ("'$(Configuration)' == 'Debug' and Exists('x')", Some(false)),
            ("nonsense", None),
            ("", Some(true)),
        ] {
            assert_eq!(judged(condition), wanted, "{condition}");
        }
        judged(&"(".repeat(10_000));
        judged(&"!".repeat(10_000));
    }
}
