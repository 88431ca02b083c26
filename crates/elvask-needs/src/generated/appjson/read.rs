//! Making the platform files of `app.json`.

use std::borrow::Cow;

use elvask_markup::Span;
use elvask_platform::ios;
use elvask_project::appfiles::Generated;
use elvask_project::names::{ANDROID, ASSOCIATED_DOMAINS, TOOLS};
use elvask_project::source::{FileId, Place, Sources};
use jsonc_parser::ast::{Object, ObjectProp, Value};
use jsonc_parser::common::Ranged;
use jsonc_parser::{CollectOptions, ParseOptions, parse_to_ast};

use super::{ACTION, ACTIVITY, CATEGORY, DATA, PERMISSION, full};
use crate::generated::Made;
use crate::generated::draft::Draft;

/// The description of an app: the object that holds its name beside what each platform wants.
pub struct Description<'t> {
    object: Object<'t>,
}

fn property<'v, 't>(object: &'v Object<'t>, name: &str) -> Option<&'v ObjectProp<'t>> {
    object.properties.iter().find(|property| property.name.as_str() == name)
}

fn span(value: &impl Ranged) -> Span {
    Span::new(value.start(), value.end())
}

fn text<'v>(value: &'v Value<'_>) -> Option<&'v str> {
    value.as_string_lit().map(|text| text.value.as_ref())
}

fn flag(value: &Value<'_>) -> Option<bool> {
    value.as_boolean_lit().map(|flag| flag.value)
}

/// Returns a text, or all texts of a list, with their places.
fn texts<'v>(value: &'v Value<'_>) -> Vec<(&'v str, Span)> {
    match value {
        Value::Array(list) => list.elements.iter().filter_map(|one| Some((text(one)?, span(one)))).collect(),
        one => text(one).map(|text| (text, span(one))).into_iter().collect(),
    }
}

impl<'t> Description<'t> {
    /// Reads the description in a text: its root, or the only object of the root that looks like one. `None` where there is none.
    pub fn read(written: &'t str) -> Option<Self> {
        let parsed = parse_to_ast(written, &CollectOptions::default(), &ParseOptions::default()).ok()?;
        let Value::Object(root) = parsed.value? else { return None };
        let fits = |object: &Object<'_>| {
            let has = |name: &str| property(object, name).is_some();
            let platforms = ["ios", "android"]
                .into_iter()
                .any(|name| property(object, name).is_some_and(|property| matches!(property.value, Value::Object(_))));
            has("name") && (has("slug") || platforms)
        };
        if fits(&root) {
            return Some(Description { object: root });
        }
        let inside = root.properties.into_iter().filter_map(|property| match property.value {
            Value::Object(object) => Some(object),
            _ => None,
        });
        let mut fitting = inside.filter(|object| fits(object));
        fitting.next().map(|object| Description { object })
    }

    /// Returns the place of the description's first byte, in bytes.
    pub(crate) fn start(&self) -> usize {
        self.object.start()
    }

    /// Returns the value at a path of keys.
    pub(crate) fn at(&self, path: &[&str]) -> Option<&Value<'t>> {
        let (first, rest) = path.split_first()?;
        let mut value = &property(&self.object, first)?.value;
        for key in rest {
            let Value::Object(object) = value else { return None };
            value = &property(object, key)?.value;
        }
        Some(value)
    }

    /// Returns the text at the first path that has one, with its place.
    pub fn text(&self, paths: &[&[&str]]) -> Option<(String, Span)> {
        paths.iter().find_map(|path| {
            let value = self.at(path)?;
            let said = match value {
                Value::NumberLit(number) => number.value.to_owned(),
                value => text(value)?.to_owned(),
            };
            Some((said, span(value)))
        })
    }

    /// Returns the platforms that it is for: both where it does not say.
    pub fn platforms(&self) -> (bool, bool) {
        let named = self.at(&["platforms"]).map(texts);
        let has = |name: &str| named.as_ref().is_none_or(|named| named.iter().any(|(known, _)| *known == name));
        (has("android"), has("ios"))
    }

    /// Goes through the plugins that it lists, with their options.
    pub fn plugins(&self) -> Vec<(&str, Option<&Object<'t>>)> {
        let Some(Value::Array(list)) = self.at(&["plugins"]) else { return Vec::new() };
        let mut out = Vec::new();
        for value in &list.elements {
            let Value::Array(pair) = value else {
                out.extend(text(value).map(|name| (name, None)));
                continue;
            };
            let options = pair.elements.get(1).and_then(|options| match options {
                Value::Object(options) => Some(options),
                _ => None,
            });
            out.extend(pair.elements.first().and_then(text).map(|name| (name, options)));
        }
        out
    }

    /// Returns a level or version that the options of a plugin state: `android.minSdkVersion`, as a number or a text.
    pub fn option(&self, platform: &str, name: &str) -> Option<(String, Span)> {
        self.plugins().into_iter().find_map(|(_, options)| {
            let Value::Object(inside) = &property(options?, platform)?.value else { return None };
            let value = &property(inside, name)?.value;
            let said = match value {
                Value::NumberLit(number) => number.value.to_owned(),
                value => text(value)?.to_owned(),
            };
            Some((said, span(value)))
        })
    }

    /// Goes through the purposes that options of plugins give: the key, the text (`None` where the key is left out), its place.
    pub fn purposes(&self) -> Vec<(&'static str, Option<&str>, Span)> {
        let mut out = Vec::new();
        for (_, options) in self.plugins() {
            for property in options.into_iter().flat_map(|options| &options.properties) {
                let Some(key) = ios::key_of_option(property.name.as_str()) else { continue };
                match &property.value {
                    Value::StringLit(said) => out.push((key, Some(said.value.as_ref()), span(&property.value))),
                    Value::BooleanLit(flag) if !flag.value => out.push((key, None, span(&property.value))),
                    _ => {}
                }
            }
        }
        out
    }

    /// Returns the schemes for a platform: its own, then those for both.
    fn schemes(&self, platform: &str) -> Vec<(&str, Span)> {
        let own = self.at(&[platform, "scheme"]).map(texts).unwrap_or_default();
        own.into_iter().chain(self.at(&["scheme"]).map(texts).unwrap_or_default()).collect()
    }
}

/// Returns the part of a text that can be read as it stands, at its place: all of a JSON file; of a script the object in it that
/// describes the app. `None` where there is none.
pub fn literal<'t>(name: &str, text: &'t str) -> Option<Cow<'t, str>> {
    if name.ends_with(".json") {
        return Some(Cow::Borrowed(text));
    }
    let end_of = |start: usize| {
        let mut depth = 0;
        let letters = text.get(start..)?.char_indices();
        for (at, letter) in letters {
            depth += i32::from(letter == '{') - i32::from(letter == '}');
            if depth == 0 {
                return Some(start + at + 1);
            }
        }
        None
    };
    let starts = text.match_indices('{').map(|(at, _)| at);
    let mut spans = starts.filter_map(|start| Some(Span::new(start, end_of(start)?)));
    let found = spans.find(|span| Description::read(span.of(text)).is_some())?;
    Some(Cow::Owned(format!("{}{}", " ".repeat(found.start), found.of(text))))
}

/// Makes the platform files; `None` where the text holds no description.
pub(crate) fn made(generated: &Generated, sources: &Sources) -> Option<Made> {
    let file = generated.source;
    let source = sources.file(file);
    let written = literal(&source.shown, &source.text)?;
    let description = Description::read(&written)?;
    let maker = Maker { file, description: &description };
    Some(Made { manifest: maker.manifest(), plist: maker.plist(), entitlements: maker.entitlements() })
}

struct Maker<'m, 't> {
    file: FileId,
    description: &'m Description<'t>,
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

const HEAD: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\">\n<dict>\n";
const FOOT: &str = "</dict>\n</plist>\n";

impl Maker<'_, '_> {
    fn place(&self, span: Span) -> Place {
        Place { file: self.file, span }
    }

    fn start(&self, path: &[&str]) -> Draft {
        let at = self.description.at(path).map_or(self.description.start(), Ranged::start);
        Draft::new(self.place(Span::new(at, at + 1)))
    }

    fn manifest(&self) -> Draft {
        let of = |path: &[&str]| self.description.at(path);
        let mut out = self.start(&["android"]);
        out.say(&format!("<manifest xmlns:android=\"{ANDROID}\" xmlns:tools=\"{TOOLS}\">\n"));
        out.say("    <uses-permission android:name=\"android.permission.INTERNET\"/>\n");
        for (name, at) in of(&["android", "permissions"]).map(texts).unwrap_or_default() {
            let name = escaped(&full(name, PERMISSION));
            out.mean(&format!("    <uses-permission android:name=\"{name}\"/>\n"), self.place(at));
        }
        for (name, at) in of(&["android", "blockedPermissions"]).map(texts).unwrap_or_default() {
            let name = escaped(&full(name, PERMISSION));
            let line = format!("    <uses-permission android:name=\"{name}\" tools:node=\"remove\"/>\n");
            out.mean(&line, self.place(at));
        }
        // What the tools' own template lets every app see.
        out.say("    <queries>\n        <intent>\n            <action android:name=\"android.intent.action.VIEW\"/>\n            <category android:name=\"android.intent.category.BROWSABLE\"/>\n            <data android:scheme=\"https\"/>\n        </intent>\n    </queries>\n");
        out.say("    <application android:name=\".MainApplication\" android:label=\"@string/app_name\" android:icon=\"@mipmap/ic_launcher\"");
        match of(&["android", "allowBackup"]).and_then(|value| Some((flag(value)?, span(value)))) {
            Some((allowed, at)) => out.mean(&format!(" android:allowBackup=\"{allowed}\""), self.place(at)),
            None => out.say(" android:allowBackup=\"true\""),
        }
        out.say(&format!(">\n        <activity android:name=\".{ACTIVITY}\" android:launchMode=\"singleTask\" android:exported=\"true\""));
        let mode = of(&["android", "softwareKeyboardLayoutMode"]);
        match mode.and_then(|mode| Some((text(mode)?, span(mode)))) {
            Some(("pan", at)) => out.mean(" android:windowSoftInputMode=\"adjustPan\"", self.place(at)),
            Some((_, at)) => out.mean(" android:windowSoftInputMode=\"adjustResize\"", self.place(at)),
            None => out.say(" android:windowSoftInputMode=\"adjustResize\""),
        }
        out.say(">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\"/>\n                <category android:name=\"android.intent.category.LAUNCHER\"/>\n            </intent-filter>\n");
        for (scheme, at) in self.description.schemes("android") {
            let filter = format!(
                "            <intent-filter>\n                <action android:name=\"android.intent.action.VIEW\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <category android:name=\"android.intent.category.BROWSABLE\"/>\n                <data android:scheme=\"{}\"/>\n            </intent-filter>\n",
                escaped(scheme)
            );
            out.mean(&filter, self.place(at));
        }
        if let Some(Value::Array(filters)) = of(&["android", "intentFilters"]) {
            filters.elements.iter().for_each(|filter| self.filter(filter, &mut out));
        }
        out.say("        </activity>\n    </application>\n</manifest>\n");
        out
    }

    fn filter(&self, filter: &Value<'_>, out: &mut Draft) {
        let Value::Object(object) = filter else { return };
        let of = |name: &str| property(object, name).map(|property| &property.value);
        let verified = of("autoVerify").and_then(flag) == Some(true);
        let verify = if verified { " android:autoVerify=\"true\"" } else { "" };
        let mut lines = format!("            <intent-filter{verify}>\n");
        for (key, element, prefix) in [("action", "action", ACTION), ("category", "category", CATEGORY)] {
            for (name, _) in of(key).map(texts).unwrap_or_default() {
                let name = escaped(&full(name, prefix));
                lines.push_str(&format!("                <{element} android:name=\"{name}\"/>\n"));
            }
        }
        let data: Vec<&Object<'_>> = match of("data") {
            Some(Value::Array(list)) => list.elements.iter().filter_map(|one| one.as_object()).collect(),
            Some(Value::Object(one)) => vec![one],
            _ => Vec::new(),
        };
        for one in data {
            lines.push_str("                <data");
            for name in DATA {
                let said = property(one, name).and_then(|found| match &found.value {
                    Value::NumberLit(number) => Some(number.value.to_owned()),
                    value => text(value).map(str::to_owned),
                });
                if let Some(value) = said {
                    lines.push_str(&format!(" android:{name}=\"{}\"", escaped(&value)));
                }
            }
            lines.push_str("/>\n");
        }
        lines.push_str("            </intent-filter>\n");
        out.mean(&lines, self.place(span(filter)));
    }

    fn plist(&self) -> Draft {
        let of = |path: &[&str]| self.description.at(path);
        let mut out = self.start(&["ios"]);
        out.say(HEAD);
        let mut known: Vec<&str> = Vec::new();
        if let Some(Value::Object(entries)) = of(&["ios", "infoPlist"]) {
            for property in &entries.properties {
                known.push(property.name.as_str());
                self.entry(property.name.as_str(), &property.value, span(property), &mut out);
            }
        }
        for (key, said, at) in self.description.purposes() {
            if let Some(said) = said.filter(|_| !known.contains(&key)) {
                known.push(key);
                out.mean(&format!("    <key>{key}</key>\n    <string>{}</string>\n", escaped(said)), self.place(at));
            }
        }
        let usual: [(&str, &[&[&str]]); 5] = [
            ("CFBundleDisplayName", &[&["name"]]),
            ("CFBundleName", &[&["name"]]),
            ("CFBundleIdentifier", &[&["ios", "bundleIdentifier"]]),
            ("CFBundleShortVersionString", &[&["ios", "version"], &["version"]]),
            ("CFBundleVersion", &[&["ios", "buildNumber"]]),
        ];
        for (key, paths) in usual {
            if let Some((said, at)) = self.description.text(paths).filter(|_| !known.contains(&key)) {
                out.mean(&format!("    <key>{key}</key>\n    <string>{}</string>\n", escaped(&said)), self.place(at));
            }
        }
        let schemes = self.description.schemes("ios");
        if !schemes.is_empty() && !known.contains(&"CFBundleURLTypes") {
            out.say("    <key>CFBundleURLTypes</key>\n    <array>\n        <dict>\n            <key>CFBundleURLSchemes</key>\n            <array>\n");
            for (scheme, at) in schemes {
                out.mean(&format!("                <string>{}</string>\n", escaped(scheme)), self.place(at));
            }
            out.say("            </array>\n        </dict>\n    </array>\n");
        }
        let encryption = of(&["ios", "config", "usesNonExemptEncryption"]);
        if let Some((uses, at)) = encryption.and_then(|value| Some((flag(value)?, span(value)))) {
            let line = format!("    <key>ITSAppUsesNonExemptEncryption</key>\n    <{uses}/>\n");
            out.mean(&line, self.place(at));
        }
        out.say("    <key>LSRequiresIPhoneOS</key>\n    <true/>\n");
        out.say(FOOT);
        out
    }

    /// Writes a key with a value of any type. Elements of a list keep their own places.
    fn entry(&self, key: &str, value: &Value<'_>, at: Span, out: &mut Draft) {
        let start = out.len();
        out.say(&format!("    <key>{}</key>\n", escaped(key)));
        self.value(value, "    ", out);
        out.since(start, self.place(at));
    }

    fn value(&self, value: &Value<'_>, indent: &str, out: &mut Draft) {
        let start = out.len();
        out.say(indent);
        match value {
            Value::StringLit(said) => out.say(&format!("<string>{}</string>", escaped(&said.value))),
            Value::NumberLit(number) if number.value.contains(['.', 'e']) => {
                out.say(&format!("<real>{}</real>", number.value));
            }
            Value::NumberLit(number) => out.say(&format!("<integer>{}</integer>", number.value)),
            Value::BooleanLit(flag) => out.say(if flag.value { "<true/>" } else { "<false/>" }),
            Value::NullKeyword(_) => out.say("<string></string>"),
            Value::Array(list) => {
                out.say("<array>\n");
                list.elements.iter().for_each(|one| self.value(one, &format!("{indent}    "), out));
                out.say(&format!("{indent}</array>"));
            }
            Value::Object(object) => {
                out.say("<dict>\n");
                for property in &object.properties {
                    out.say(&format!("{indent}    <key>{}</key>\n", escaped(property.name.as_str())));
                    self.value(&property.value, &format!("{indent}    "), out);
                }
                out.say(&format!("{indent}</dict>"));
            }
        }
        out.since(start, self.place(span(value)));
        out.say("\n");
    }

    fn entitlements(&self) -> Draft {
        let of = |path: &[&str]| self.description.at(path);
        let mut out = self.start(&["ios"]);
        out.say(HEAD);
        let mut domains = false;
        if let Some(Value::Object(entries)) = of(&["ios", "entitlements"]) {
            for property in &entries.properties {
                domains |= property.name.as_str() == ASSOCIATED_DOMAINS;
                self.entry(property.name.as_str(), &property.value, span(property), &mut out);
            }
        }
        if let Some(list) = of(&["ios", "associatedDomains"]).filter(|_| !domains) {
            self.entry(ASSOCIATED_DOMAINS, list, span(list), &mut out);
        }
        let signs = of(&["ios", "usesAppleSignIn"]).filter(|value| flag(value) == Some(true));
        if let Some(signs) = signs {
            let lines = "    <key>com.apple.developer.applesignin</key>\n    <array>\n        <string>Default</string>\n    </array>\n";
            out.mean(lines, self.place(span(signs)));
        }
        out.say(FOOT);
        out
    }
}
