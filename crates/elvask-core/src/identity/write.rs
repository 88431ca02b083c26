//! Changing a part of who the app is in all places that say it, as one change.

use elvask_markup::{Edit, EditError, Span};
use elvask_platform::Platform;
use elvask_project::layout::FILE_NAME;
use elvask_project::source::{FileId, Sources};

use super::uses::uses_of_id;
use super::{Left, Part, Said, VERSION_FILE, said};
use crate::context::Context;
use crate::finding::Edits;

/// What a person wants a part of who the app is to be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Which part.
    pub part: Part,
    /// On which platform; `None` for both.
    pub platform: Option<Platform>,
    /// In which language, for names; `None` for what holds in all others.
    pub language: Option<String>,
    /// The value.
    pub value: String,
}

/// What changing comes to.
#[derive(Debug, Clone)]
pub struct Changed {
    /// All texts, with the new ones in the place of the old.
    pub sources: Sources,
    /// The files whose text is another one now.
    pub changed: Vec<FileId>,
    /// The places that say the new value now.
    pub places: Vec<Said>,
    /// What is left to a person.
    pub left: Vec<Left>,
}

/// The highest version code that the store takes.
///
/// Source: "Version your app".
const MAX_CODE: u64 = 2_100_000_000;

impl Change {
    /// Reads `version=2.4.1`: `id`, `name`, `version` and `build`, for one platform with `android-` or `ios-` before, and of names with a
    /// point and a language behind: `name.nl`.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence.
    pub fn parse(text: &str) -> Result<Change, String> {
        let (word, value) = text.split_once('=').ok_or("it is written like version=2.4.1")?;
        let (word, language) = match word.split_once('.') {
            Some((word, language)) if word.ends_with("name") && !language.is_empty() => {
                (word, Some(language.to_owned()))
            }
            _ => (word, None),
        };
        let (platform, name) = match word.split_once('-') {
            Some(("android", name)) => (Some(Platform::Android), name),
            Some(("ios", name)) => (Some(Platform::Ios), name),
            _ => (None, word),
        };
        let part = Part::ALL.into_iter().find(|part| part.word() == name);
        let part = part.ok_or_else(|| {
            format!("{word} is no part of who the app is; there are id, name, version and build, with android- or ios- before them too")
        })?;
        let change = Change { part, platform, language, value: value.to_owned() };
        change.fault().map_or(Ok(change.clone()), |fault| Err(format!("{word}: {fault}")))
    }

    fn is_for(&self, platform: Platform) -> bool {
        self.platform.is_none_or(|only| only == platform)
    }

    /// Says what keeps the value from being one.
    fn fault(&self) -> Option<String> {
        use crate::idform::fault_of;
        let value = self.value.as_str();
        let numbers = |most: usize| {
            let parts: Vec<&str> = value.split('.').collect();
            parts.len() <= most
                && parts.iter().all(|part| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit()))
        };
        let on = |platform: Platform| self.is_for(platform);
        match self.part {
            _ if value.trim() != value || value.is_empty() || value.chars().any(char::is_control) => {
                Some("a value is not empty, and has no blanks around it".to_owned())
            }
            Part::Id => [Platform::Android, Platform::Ios]
                .into_iter()
                .filter(|platform| on(*platform))
                .find_map(|platform| fault_of(platform, value).map(|fault| format!("{}: {fault}", platform.title()))),
            Part::Name if value.chars().any(|letter| matches!(letter, '$' | '@' | '\\')) => {
                Some("a name with $, @ or \\ in it is left to a person: build files read them as signs".to_owned())
            }
            Part::Name => None,
            Part::Version if on(Platform::Ios) && !numbers(3) => {
                Some("iOS takes one to three whole numbers with points between, as 2.4.1".to_owned())
            }
            Part::Version if value.contains(['"', '\'', '$', '\\', ' ']) => {
                Some("a version has letters, digits, points and hyphens".to_owned())
            }
            Part::Version => None,
            Part::Build
                if on(Platform::Android) && value.parse::<u64>().map_or(true, |code| code == 0 || code > MAX_CODE) =>
            {
                Some(format!("Android takes a whole number from 1 to {MAX_CODE}"))
            }
            Part::Build if !numbers(3) => Some("iOS takes one to three whole numbers with points between".to_owned()),
            Part::Build => None,
        }
    }
}

/// Changes parts of who the app is in all places that say them; nothing is written here.
///
/// # Errors
/// Two changes contradict each other, or edits do not fit their texts: a sentence.
pub fn change(context: &Context<'_>, wanted: &[Change]) -> Result<Changed, String> {
    let all = said(context);
    let mut edits: Vec<(FileId, Edit)> = Vec::new();
    let mut done =
        Changed { sources: context.sources.clone(), changed: Vec::new(), places: Vec::new(), left: Vec::new() };
    for one in wanted {
        let now = [Platform::Android, Platform::Ios].map(|platform| main_id(context, platform));
        if let ([Some(android), Some(ios)], Part::Id, None) = (now, one.part, one.platform)
            && android != ios
        {
            return Err(format!(
                "the app is {android} on Android and {ios} on iOS: say which with android-id= or ios-id="
            ));
        }
        change_places(context, &all, one, &mut edits, &mut done);
        tell_the_rest(context, &all, one, &mut done.left);
    }
    let mut set = Edits::default();
    let grouped = edits.into_iter().map(|(file, edit)| (file, vec![edit]));
    for edit in grouped {
        set.add(std::slice::from_ref(&edit))
            .map_err(|_: EditError| "two of the changes are about the same place; make them one by one".to_owned())?;
        done.changed.push(edit.0);
    }
    set.apply(&mut done.sources).map_err(|error| error.to_string())?;
    done.changed.sort_unstable();
    done.changed.dedup();
    Ok(done)
}

/// Plans to change the places that say a part.
fn change_places(
    context: &Context<'_>,
    all: &[Said],
    one: &Change,
    edits: &mut Vec<(FileId, Edit)>,
    done: &mut Changed,
) {
    for said in all.iter().filter(|said| said.part == one.part) {
        if said.platform.is_some_and(|platform| !one.is_for(platform)) {
            continue;
        }
        if said.language != one.language {
            if let (Some(language), None, Some(value)) = (&said.language, &one.language, &said.value) {
                let why = format!("in {language} the name is {value}, and stays: --set name.{language}=… changes it");
                done.left.push(Left { place: said.place, why });
            }
            continue;
        }
        // What is said for both is not said for one alone.
        if said.platform.is_none() && one.platform.is_some() {
            let why = format!("{} says it for both platforms", said.who());
            done.left.push(Left { place: said.place, why });
            continue;
        }
        match edit(context, all, said, one) {
            Plan::Edit(file, edit) => {
                let text = one.value.clone();
                let known = edits.iter().any(|(of, known)| *of == file && *known == edit);
                if !known {
                    edits.push((file, edit));
                }
                done.places.push(Said { value: Some(text), ..said.clone() });
            }
            Plan::Done => {}
            Plan::Left(why) => done.left.push(Left { place: said.place, why }),
        }
    }
}

/// Tells of what is said nowhere, and of what hangs on an id.
fn tell_the_rest(context: &Context<'_>, all: &[Said], one: &Change, left: &mut Vec<Left>) {
    for platform in [Platform::Android, Platform::Ios].into_iter().filter(|platform| one.is_for(*platform)) {
        let says = |said: &Said| {
            said.part == one.part && said.language == one.language && said.platform.is_none_or(|only| only == platform)
        };
        // What the owner says in a file of theirs makes no app.
        if context.app.has(platform) && !all.iter().any(|said| says(said) && said.ships) {
            let why = format!(
                "{}: nothing says the {} yet; state it once, and it is changed from then on",
                platform.title(),
                one.part.word()
            );
            left.push(Left { place: None, why });
        }
        let from = main_id(context, platform).filter(|from| one.part == Part::Id && *from != one.value);
        if let Some(from) = from {
            for use_of_it in uses_of_id(context, platform, from, &one.value) {
                if !left.contains(&use_of_it) {
                    left.push(use_of_it);
                }
            }
        }
    }
}

/// Returns the id of what ships on a platform; on Android without what flavors and build types put behind it.
fn main_id<'a>(context: &Context<'a>, platform: Platform) -> Option<&'a str> {
    let stated = match platform {
        Platform::Android => &context.app.android.as_ref()?.id,
        Platform::Ios => &context.app.ios.as_ref()?.id,
    };
    let value = stated.value.as_deref()?;
    let written = stated.place.map(|place| unquoted(place.span.of(&context.sources.file(place.file).text)).0);
    let base = written.filter(|base| platform == Platform::Android && !base.is_empty() && value.starts_with(base));
    Some(base.unwrap_or(value))
}

/// What is to be done at a place.
enum Plan {
    Edit(FileId, Edit),
    /// It says so already.
    Done,
    /// Why nothing is done.
    Left(String),
}

fn edit(context: &Context<'_>, all: &[Said], said: &Said, wanted: &Change) -> Plan {
    let of = said.who();
    let (Some(value), Some(place)) = (&said.value, said.place) else {
        let written = said.written.as_deref().unwrap_or_default();
        // What the build takes from the dependency file is changed there.
        let from_file = all.iter().any(|one| one.part == said.part && one.of.iter().any(|of| of == VERSION_FILE));
        return match from_file {
            true => Plan::Done,
            false => Plan::Left(format!("{of}: only the build knows the {}: {written}", said.part.word())),
        };
    };
    let new = match wanted.part {
        Part::Id => match new_id(context, said, value, &wanted.value) {
            Some(new) => new,
            None => return Plan::Left(format!("{of} has an id of its own, {value}, which stays")),
        },
        _ => wanted.value.clone(),
    };
    if has_its_own(context, all, said) && wanted.language.is_none() {
        return Plan::Left(format!("{of} has a {} of its own, {value}, which stays", said.part.word()));
    }
    let source = context.sources.file(place.file);
    let written = place.span.of(&source.text);
    // Another part is said in the same words, as where the build is the version: what is changed would change both.
    let shared = all.iter().any(|other| other.part != said.part && other.place == Some(place));
    if shared && wanted.part != Part::Version {
        return Plan::Left(format!(
            "{of}: the {} is taken from what is said of the version; state one of its own first",
            said.part.word()
        ));
    }
    let (inner, quote) = unquoted(written);
    // Of an id with a suffix the part before it stands here.
    let suffix = value.strip_prefix(inner).filter(|_| said.part == Part::Id && !inner.is_empty());
    let (old, new) = match suffix {
        Some(suffix) => (inner.to_owned(), new.strip_suffix(suffix).unwrap_or(&new).to_owned()),
        None => (value.clone(), new),
    };
    let decoded =
        if is_markup(&source.shown) { elvask_markup::xml::unescape(inner).into_owned() } else { inner.to_owned() };
    if decoded != old {
        return Plan::Left(format!(
            "{of}: it is put together of parts here ({}), and stays: see whether they say what you want now",
            written.trim()
        ));
    }
    let start = place.span.start + written.find(inner).unwrap_or_default();
    let span = Span::new(start, start + inner.len());
    let Some(text) = spelt(&source.shown, &new, quote) else {
        return Plan::Left(format!("{of}: {new} has signs in it that this file reads as something else"));
    };
    if text == inner {
        return Plan::Done;
    }
    Plan::Edit(place.file, Edit::replace(span, text))
}

/// Says whether a place is of something that is called or counted otherwise than what ships first: an extension, a flavor, a build for
/// trials. The parts of an app for iOS all have one version.
fn has_its_own(context: &Context<'_>, all: &[Said], said: &Said) -> bool {
    let alike = match said.part {
        Part::Id => true,
        Part::Name => said.platform.is_none(),
        Part::Version | Part::Build => said.platform != Some(Platform::Android),
    };
    // What the owner says in a file of theirs is meant for all.
    if alike || said.place.map(|place| place.file) == context.app.config_file {
        return false;
    }
    let key = |one: &Said| (one.part, one.platform, one.language.is_none());
    let first = all.iter().find(|one| one.ships && key(one) == key(said));
    let extensions = context.app.ios.iter().flat_map(|ios| &ios.extensions);
    let embedded = extensions
        .filter(|_| said.platform == Some(Platform::Ios))
        .any(|one| said.of.iter().all(|of| of.split('/').next() == Some(one.name.as_str())));
    embedded || first.is_some_and(|first| first.value != said.value)
}

/// Returns the id that a place says once the app's is another one; `None` where it has no part of the app's in it.
fn new_id(context: &Context<'_>, said: &Said, value: &str, new: &str) -> Option<String> {
    let platform = said.platform?;
    let main = main_id(context, platform)?;
    let rest = value.strip_prefix(main)?;
    // `example.marram.fieldlog.share` goes with the app's, `example.marram.fieldlogs` does not.
    (rest.is_empty() || rest.starts_with('.')).then(|| format!("{new}{rest}"))
}

/// Returns a text without the quotes around it, and the quote.
fn unquoted(text: &str) -> (&str, Option<char>) {
    let trimmed = text.trim();
    for quote in ['"', '\''] {
        let inner = trimmed.strip_prefix(quote).and_then(|rest| rest.strip_suffix(quote));
        if let Some(inner) = inner.filter(|inner| !inner.contains(quote)) {
            return (inner, Some(quote));
        }
    }
    // An element of a property list, whole.
    if let Some(rest) = trimmed.strip_prefix("<string>").and_then(|rest| rest.strip_suffix("</string>")) {
        return (rest, None);
    }
    (trimmed, None)
}

fn is_markup(shown: &str) -> bool {
    [".xml", ".plist", ".csproj", ".props", ".targets"].iter().any(|end| shown.ends_with(end))
}

/// Returns a value as a file spells it; `None` where it cannot be said there.
fn spelt(shown: &str, value: &str, quote: Option<char>) -> Option<String> {
    if is_markup(shown) {
        // Resources read an apostrophe as a quote.
        let resource = shown.rsplit('/').nth(1).is_some_and(|folder| folder.starts_with("values"));
        let value = if resource { value.replace('\'', "\\'") } else { value.to_owned() };
        return Some(value.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;"));
    }
    let plain = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '_' | '-' | '/');
    if shown.ends_with(".pbxproj") {
        // A hyphen wants quotes there.
        let bare = value.chars().all(|letter| plain(letter) && letter != '-') && !value.is_empty();
        let escaped = value.replace('\\', "\\\\").replace('"', "\\\"");
        return Some(if quote.is_some() || bare { escaped } else { format!("\"{escaped}\"") });
    }
    if shown.ends_with(".json") || shown == FILE_NAME {
        let whole = serde_json::to_string(value).ok()?;
        return match quote {
            Some('"') => Some(whole.trim_matches('"').to_owned()),
            _ => value.chars().all(plain).then(|| value.to_owned()),
        };
    }
    let fits = match quote {
        Some(quote) => !value.contains([quote, '\\', '$']),
        None => value.chars().all(plain),
    };
    fits.then(|| value.to_owned())
}
