//! Writing into `config.xml` what a person would write for a platform file to become another one.

use elvask_markup::Edit;
use elvask_markup::plist::plan::NewValue;
use elvask_markup::xml::plan::{self, Content, Fragment, Slot};
use elvask_markup::xml::{Document, Element};
use elvask_platform::Platform;
use elvask_project::appfiles::Generated;
use elvask_project::names::ANDROID;
use elvask_project::source::Sources;

use super::{ACTIVITY, attribute, is_manifest, is_plist, local, of_platform, variable};
use crate::generated::changes::{Change, KeyChange, Step};
use crate::generated::draft::Draft;
use crate::generated::{Made, Which, Written};

/// The document that is written into.
struct Config {
    document: Document,
}

impl Config {
    fn read(generated: &Generated, sources: &Sources) -> Option<Config> {
        let text = sources.file(generated.source).text.clone();
        Document::parse_lenient(text).ok().map(|document| Config { document })
    }

    fn platform(&self, platform: Platform) -> Option<Element<'_>> {
        let named = |element: &Element<'_>| {
            local(*element) == "platform" && attribute(*element, "name").as_deref() == Some(platform.id())
        };
        self.document.root().children().find(named)
    }

    /// Plans an element for a platform: behind the last one of its name there, else at the end of what is there for the platform.
    fn put(&self, platform: Platform, element: Fragment) -> Vec<Edit> {
        self.put_all(platform, vec![element])
    }

    /// The same for several elements; they are all of one name.
    fn put_all(&self, platform: Platform, elements: Vec<Fragment>) -> Vec<Edit> {
        let root = self.document.root();
        let name = elements.first().map(|first| first.name.clone()).unwrap_or_default();
        let mut edits = match self.platform(platform) {
            Some(inside) => {
                let last = inside.children().rfind(|child| local(*child) == name);
                let slot = last.map_or(Slot::Last, |last| Slot::After(last.node()));
                plan::insert(inside, slot, &elements)
            }
            None => {
                let named = Fragment::new("platform").with("name", platform.id());
                plan::insert(root, Slot::Last, &[named.holding(elements)])
            }
        };
        if platform == Platform::Android && root.prefix_of(ANDROID).is_none() {
            edits.push(plan::set_attribute(root, "xmlns:android", ANDROID));
        }
        edits
    }

    /// Finds what the document says already of a file and a place in it.
    fn said(&self, platform: Platform, name: &str, fits: impl Fn(Element<'_>) -> bool) -> Option<Element<'_>> {
        of_platform(self.document.root(), platform).into_iter().find(|one| local(*one) == name && fits(*one))
    }

    /// Takes an element out, with the `config-file` or `edit-config` around it where that held nothing else.
    fn without(&self, span: elvask_markup::Span) -> Option<Edit> {
        let element = self.document.elements().find(|element| element.span() == span)?;
        let around = element.parent().filter(|parent| matches!(local(*parent), "config-file" | "edit-config"));
        let alone = around.filter(|parent| parent.children().count() == 1);
        Some(plan::remove(alone.unwrap_or(element).node()))
    }
}

/// Returns the path of an element as `parent` and `target` have it; `None` where they have none for it.
fn path(steps: &[Step]) -> Option<String> {
    let names: Vec<&str> = steps.iter().map(|step| step.element.as_str()).collect();
    match names.as_slice() {
        ["manifest"] => Some("/manifest".to_owned()),
        ["manifest", "application"] => Some("/manifest/application".to_owned()),
        ["manifest", "queries"] => Some("/manifest/queries".to_owned()),
        ["manifest", "application", "activity"] => {
            let name = steps.last().and_then(|step| step.name.as_deref()).unwrap_or_default();
            let main = name.trim_start_matches('.') == ACTIVITY;
            main.then(|| format!("/manifest/application/activity[@android:name='{ACTIVITY}']"))
        }
        _ => None,
    }
}

fn by_hand(what: &str) -> Written {
    Written::Steps(format!(
        "`config.xml` has no words for this: {what}. A plugin of the app's own, or a hook of its tools, puts it in."
    ))
}

/// Writes changes of the manifest.
pub(crate) fn write_manifest(generated: &Generated, sources: &Sources, made: &Made, changes: &[Change]) -> Written {
    let Some(config) = Config::read(generated, sources) else { return by_hand("it cannot be read") };
    let mut edits = Vec::new();
    let mut makes = None;
    for change in changes {
        match change {
            Change::Added { parent, element } => {
                let Some(parent) = path(parent) else { return by_hand("its place in the manifest") };
                let there = config.said(Platform::Android, "config-file", |one| {
                    attribute(one, "target").is_some_and(|target| is_manifest(&target))
                        && attribute(one, "parent").as_deref() == Some(&parent)
                });
                match there {
                    Some(there) => edits.extend(plan::insert(there, Slot::Last, std::slice::from_ref(element))),
                    None => {
                        let new = Fragment::new("config-file")
                            .with("target", "AndroidManifest.xml")
                            .with("parent", &parent)
                            .holding(vec![element.clone()]);
                        edits.extend(config.put(Platform::Android, new));
                        makes = Some(format!("config-file {parent}"));
                    }
                }
            }
            Change::Attribute { path: steps, name, value: Some(value) } => {
                let Some(target) = path(steps) else { return by_hand("its place in the manifest") };
                let plain = name.rsplit(':').next().unwrap_or(name);
                if plain == "launchMode" {
                    edits.extend(preference_edits(&config, Platform::Android, "AndroidLaunchMode", value));
                    makes = Some("preference AndroidLaunchMode".to_owned());
                    continue;
                }
                let there = config.said(Platform::Android, "edit-config", |one| {
                    attribute(one, "file").is_some_and(|file| is_manifest(&file))
                        && attribute(one, "target").as_deref() == Some(&target)
                });
                match there.and_then(|there| there.children().next()) {
                    Some(child) => edits.push(plan::set_attribute(child, name, value)),
                    None => {
                        let element = steps.last().map(|step| step.element.clone()).unwrap_or_default();
                        let new = Fragment::new("edit-config")
                            .with("file", "app/src/main/AndroidManifest.xml")
                            .with("mode", "merge")
                            .with("target", &target)
                            .holding(vec![Fragment::new(element).with(name.as_str(), value)]);
                        edits.extend(config.put(Platform::Android, new));
                        makes = Some(format!("edit-config {target}"));
                    }
                }
            }
            Change::Attribute { value: None, .. } => return by_hand("an attribute that goes"),
            Change::Removed(span) => {
                let place = made.manifest.whole(*span).filter(|place| place.file == generated.source);
                match place.and_then(|place| config.without(place.span)) {
                    Some(edit) => edits.push(edit),
                    None => return by_hand("it is not the app's own file that puts it in"),
                }
            }
        }
    }
    Written::Edits(vec![(generated.source, edits)], makes)
}

/// Returns a value as the elements of a property list.
fn element_of(value: &NewValue) -> Fragment {
    match value {
        NewValue::Bool(yes) => Fragment::new(if *yes { "true" } else { "false" }),
        NewValue::Integer(number) => Fragment::new("integer").saying(number.to_string()),
        NewValue::Real(number) => Fragment::new("real").saying(number.to_string()),
        NewValue::String(text) => Fragment::new("string").saying(text.as_str()),
        NewValue::Array(values) => {
            let mut out = Fragment::new("array");
            out.content = Content::Elements(values.iter().map(element_of).collect());
            out
        }
        NewValue::Dict(entries) => {
            let pairs =
                entries.iter().flat_map(|(key, value)| [Fragment::new("key").saying(key.as_str()), element_of(value)]);
            let mut out = Fragment::new("dict");
            out.content = Content::Elements(pairs.collect());
            out
        }
    }
}

/// Writes changes of the property list or of the entitlements.
// In one piece: one arm for each change, which all write into the same two or more files.
pub(crate) fn write_list(
    generated: &Generated,
    sources: &Sources,
    draft: &Draft,
    which: Which,
    changes: &[KeyChange],
) -> Written {
    let Some(config) = Config::read(generated, sources) else { return by_hand("it cannot be read") };
    // What is signed for the desk and what is signed for the store are told apart.
    let targets: &[&str] = match which {
        Which::Entitlements => &["*/Entitlements-Debug.plist", "*/Entitlements-Release.plist"],
        Which::Plist | Which::Manifest => &["*-Info.plist"],
    };
    let fits = |key: &str, target: &str| {
        let key = key.to_owned();
        let suffix = target.trim_start_matches('*').to_owned();
        move |one: Element<'_>| {
            let (file, named) = if local(one) == "edit-config" { ("file", "target") } else { ("target", "parent") };
            let file = attribute(one, file).unwrap_or_default();
            (file.ends_with(&suffix) || is_plist(&file) && suffix == "-Info.plist")
                && attribute(one, named).as_deref() == Some(&key)
        }
    };
    let mut edits = Vec::new();
    let mut makes = None;
    let mut files: Vec<Fragment> = Vec::new();
    for change in changes {
        for target in targets {
            let said = |key: &str| {
                let own = config.said(Platform::Ios, "edit-config", fits(key, target));
                own.or_else(|| config.said(Platform::Ios, "config-file", fits(key, target)))
            };
            match change {
                KeyChange::Added(key, value) => {
                    files.push(config_file(target, key, value));
                    makes = Some("config-file for iOS".to_owned());
                }
                KeyChange::Extended(key, more) => {
                    let list = said(key).and_then(|there| there.children().find(|child| child.name() == "array"));
                    match list {
                        Some(list) => {
                            let more: Vec<_> = more.iter().map(element_of).collect();
                            edits.extend(plan::insert(list, Slot::Last, &more));
                        }
                        None => {
                            let value = NewValue::Array(more.clone());
                            files.push(config_file(target, key, &value));
                            makes = Some("config-file for iOS".to_owned());
                        }
                    }
                }
                KeyChange::Changed(key, NewValue::String(text))
                    if given_by_variable(&config, generated, sources, key).is_some() =>
                {
                    let value = given_by_variable(&config, generated, sources, key);
                    edits.extend(value.map(|value| Edit::replace(value, escaped(text))));
                }
                KeyChange::Changed(key, value) => match said(key)
                    .and_then(|there| Some((there, there.children().next()?)))
                {
                    Some((_, child)) => match value {
                        NewValue::String(text) if child.name() == "string" => edits.push(plan::set_text(child, text)),
                        value => {
                            edits.extend(plan::insert(
                                child.parent().unwrap_or(child),
                                Slot::After(child.node()),
                                &[element_of(value)],
                            ));
                            edits.push(plan::remove(child.node()));
                        }
                    },
                    None => {
                        let new = Fragment::new("edit-config")
                            .with("file", *target)
                            .with("mode", "merge")
                            .with("target", key.as_str())
                            .holding(vec![element_of(value)]);
                        edits.extend(config.put(Platform::Ios, new));
                        makes = Some("edit-config for iOS".to_owned());
                    }
                },
                KeyChange::Removed(key) => match said(key) {
                    Some(there) => edits.push(plan::remove(there.node())),
                    None if *target == "*/Entitlements-Debug.plist" => {}
                    None => return by_hand("it is not the app's own file that puts it in"),
                },
                KeyChange::Shortened(_, gone) => {
                    let own =
                        |span: &elvask_markup::Span| draft.whole(*span).filter(|place| place.file == generated.source);
                    let Some(places) = gone.iter().map(own).collect::<Option<Vec<_>>>() else {
                        return by_hand("it is not the app's own file that puts it in");
                    };
                    for place in places {
                        let Some(edit) = config.without(place.span) else { return by_hand("its place") };
                        edits.push(edit);
                    }
                    break;
                }
            }
        }
    }
    if !files.is_empty() {
        edits.extend(config.put_all(Platform::Ios, files));
    }
    Written::Edits(vec![(generated.source, edits)], makes)
}

/// Returns a text as it stands between quotes of an attribute.
fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;").replace('\'', "&apos;")
}

/// Returns where `config.xml` gives the variable that a plugin puts under a key as its whole value.
fn given_by_variable(
    config: &Config,
    generated: &Generated,
    sources: &Sources,
    key: &str,
) -> Option<elvask_markup::Span> {
    generated.plugins.iter().find_map(|plugin| {
        let document = Document::parse_lenient(sources.file(plugin.file).text.clone()).ok()?;
        let puts = |one: &Element<'_>| {
            local(*one) == "config-file"
                && attribute(*one, "target").is_some_and(|target| is_plist(&target))
                && attribute(*one, "parent").as_deref() == Some(key)
        };
        let element = of_platform(document.root(), Platform::Ios).into_iter().find(puts)?.children().next()?;
        let given = variable(config.document.root(), &plugin.name, element.text().trim())?;
        Some(given.value)
    })
}

fn config_file(target: &str, key: &str, value: &NewValue) -> Fragment {
    Fragment::new("config-file").with("target", target).with("parent", key).holding(vec![element_of(value)])
}

/// Returns what writes a preference for a platform.
fn preference_edits(config: &Config, platform: Platform, name: &str, value: &str) -> Vec<Edit> {
    let there = of_platform(config.document.root(), platform).into_iter().rfind(|element| {
        local(*element) == "preference"
            && attribute(*element, "name").is_some_and(|known| known.eq_ignore_ascii_case(name))
    });
    match there {
        Some(there) => vec![plan::set_attribute(there, "value", value)],
        None => config.put(platform, Fragment::new("preference").with("name", name).with("value", value)),
    }
}

/// Returns what writes a preference for a platform, with the thing that it makes; `None` where `config.xml` cannot be read.
pub(crate) fn write_preference(
    generated: &Generated,
    sources: &Sources,
    platform: Platform,
    name: &str,
    value: &str,
) -> Option<Vec<Edit>> {
    Config::read(generated, sources).map(|config| preference_edits(&config, platform, name, value))
}
