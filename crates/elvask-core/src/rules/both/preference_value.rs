//! `preference-value`: a preference of a hybrid app has a value that the tools do not know.

use elvask_markup::Edit;
use elvask_markup::xml::{Document, Element};
use elvask_needs::remedy::Remedy;
use elvask_platform::names::nearest;
use elvask_platform::preferences::{Form, Preference, preference};
use elvask_project::source::{FileId, Place};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct PreferenceValue;

static ABOUT: About = About {
    id: "preference-value",
    level: Level::Warning,
    platform: None,
    summary: "Reports a preference of config.xml with a value that is none for it, and one that is for another platform than the element around it.",
    effect: "The tools pass it over, and the app is built with their default.",
    wrong: "<preference name=\"Orientation\" value=\"upright\" />",
    right: "<preference name=\"Orientation\" value=\"portrait\" />",
    remedy: "`fill` corrects a value that is near to one that there is; the rest is for a person.",
    source: "The documentation of config.xml",
};

impl Rule for PreferenceValue {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(widget) = &context.app.widget else { return };
        let Ok(document) = Document::parse_lenient(context.sources.file(widget.file).text.clone()) else {
            return;
        };
        let mut open = vec![(document.root(), None)];
        while let Some((parent, platform)) = open.pop() {
            for child in parent.children() {
                match child.name() {
                    "platform" => {
                        let name = child.attribute_written("name").map(|name| child.value_of(name).into_owned());
                        open.push((child, name));
                    }
                    "preference" => out.extend(judged(widget.file, child, platform.as_deref())),
                    _ => {}
                }
            }
        }
        // In the order of the file.
        out.sort_by_key(|finding| (finding.rule.id != ABOUT.id, finding.place.span.start));
    }
}

fn judged(file: FileId, element: Element<'_>, around: Option<&str>) -> Option<Finding> {
    let name = element.attribute_written("name")?;
    let stated = element.attribute_written("value")?;
    let (name, value) = (element.value_of(name), element.value_of(stated));
    let known = preference(&name)?;
    let at = |span| Place { file, span };
    if let (Some(platform), Some(around)) = (known.platform, around)
        && platform.id() != around
    {
        let message = format!("{name} is a preference for {}, and this is the part for {around}", platform.title());
        let steps = format!("Move it into <platform name=\"{}\">, or out of every platform.", platform.id());
        let finding = Finding::new(&ABOUT, name.into_owned(), at(stated.value), message);
        return Some(finding.mend(Remedy::Manual(steps)));
    }
    // What the build fills in is not known here.
    if value.contains('$') || known.form.takes(&value) {
        return None;
    }
    let message = format!("{name} is \"{value}\", and {}", wanted(&known));
    let near = known.form.words().and_then(|words| nearest(value.trim(), words.iter().copied()));
    let remedy = match near {
        Some(word) => {
            let edit = Edit { start: stated.value.start, end: stated.value.end, insert: word.to_owned() };
            Remedy::edit(format!("correct the value to {word}"), file, vec![edit])
        }
        None => Remedy::Manual(format!("Write a value that it takes: it decides {}.", known.decides)),
    };
    Some(Finding::new(&ABOUT, name.into_owned(), at(stated.value), message).mend(remedy))
}

/// Says what a preference takes.
fn wanted(known: &Preference) -> String {
    match &known.form {
        Form::Words(words) => format!("it takes {}", words.join(", ")),
        Form::Boolean => "it takes true or false".to_owned(),
        Form::Level => "it takes the number of a level, such as 24".to_owned(),
        Form::Number => "it takes a number".to_owned(),
        Form::Version => "it takes a version, such as 15.1".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use crate::fill::fill;
    use crate::testing::Fixture;

    const ID: &str = "preference-value";

    fn app(inside: &str) -> Fixture {
        let text = format!(
            "<widget id=\"example.marram.fieldlog\" version=\"1.0.0\">\n{inside}    <platform name=\"android\">\n        <preference name=\"android-minSdkVersion\" value=\"24\" />\n    </platform>\n</widget>\n"
        );
        Fixture::default().file("config.xml", &text)
    }

    fn preference(name: &str, value: &str) -> String {
        format!("    <preference name=\"{name}\" value=\"{value}\" />\n")
    }

    #[test]
    fn words_that_are_no_value_are_told() {
        for (name, value) in [
            ("Orientation", "upright"),
            ("Fullscreen", "yes"),
            ("android-targetSdkVersion", "many"),
            ("android-installLocation", "card"),
            ("deployment-target", "x"),
            ("SplashScreenDelay", "long"),
        ] {
            assert_eq!(app(&preference(name, value)).found(ID).len(), 1, "{name} {value}");
        }
        for (name, value) in [
            ("orientation", "Portrait"),
            ("Fullscreen", "true"),
            ("android-targetSdkVersion", "35"),
            ("android-installLocation", "preferExternal"),
            ("deployment-target", "15.1"),
            ("SomethingElse", "whatever"),
            ("Orientation", "$WAY"),
        ] {
            assert!(app(&preference(name, value)).found(ID).is_empty(), "{name} {value}");
        }
    }

    #[test]
    fn a_slip_is_corrected_and_another_platform_told() {
        let slip = app(&preference("Orientation", "potrait"));
        let filled = fill(&slip.load(), &slip.settings).unwrap();
        assert!(filled.sources.file(filled.changed[0]).text.contains("value=\"portrait\""));
        app(&preference("Orientation", "upright")).is_left_alone();
        let wrong = "    <platform name=\"ios\">\n        <preference name=\"AndroidLaunchMode\" value=\"singleTop\" />\n    </platform>\n";
        let found = app(wrong).findings(ID);
        assert_eq!(found[0].message, "AndroidLaunchMode is a preference for Android, and this is the part for ios");
    }
}
